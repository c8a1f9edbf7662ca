"""How many unknown exports a first profile reads exactly: `python -m tests.score --count 1000`."""

from __future__ import annotations

import argparse
import time
from collections import Counter
from collections.abc import Iterable, Iterator
from math import inf
from pathlib import Path
from typing import Any, NamedTuple

from tests.exports import Case
from tests.exports_held import HELD
from tests.exports_parts import IN_PARTS
from tests.exports_seen import IN_MENUS, SEEN
from ypsiform.errors import YpsiformError
from ypsiform.first_profile import first_profile
from ypsiform.guess import MARGIN, drafts
from ypsiform.model import Item, Site
from ypsiform.profiles.load import parsed
from ypsiform.reading import read

HALVES = {
    "seen": (SEEN, 11),
    "held": (HELD, 23),
    "in menus": (IN_MENUS, 37),
    "in parts": (IN_PARTS, 41),
}


class Outcome(NamedTuple):
    """What became of one export: read exactly or not, and what was marked as uncertain."""

    case: Case
    exact: bool
    marked: bool
    why: str
    seconds: float


def menus_of(site: Site) -> list[Any]:
    """What was read: labels, addresses, whether a page is led to, what is hidden, nesting."""
    paths = {(content.kind, content.id): content.path for content in site.contents}

    def of(items: list[Item]) -> list[Any]:
        found = []
        for item in items:
            target = item.target
            path = paths.get((target.kind, target.content or ""))
            address = target.address if target.address is not None else path
            page = target.content is not None
            found.append((item.label, address or "", page, item.hidden, of(item.children)))
        return found

    return sorted(of(menu.items) for menu in site.menus)


def outcome(case: Case) -> Outcome:
    """What a first profile reads of an export."""
    start = time.process_time()
    try:
        made = first_profile(case.data, case.file)
    except YpsiformError as error:
        return Outcome(case, False, True, f"refused: {error}", time.process_time() - start)
    found = menus_of(made.surveyed.site)
    why = "" if found == case.menus else difference(found, case.menus)
    return Outcome(case, not why, bool(made.uncertain), why, time.process_time() - start)


def difference(found: list[Any], wanted: list[Any]) -> str:
    """The first thing that is not as it should be, in words."""
    if len(found) != len(wanted):
        return f"{len(found)} menus for {len(wanted)}"

    def rows(menus: list[Any]) -> Iterator[Any]:
        stack = [(one, 0) for menu in menus[::-1] for one in menu[::-1]]
        while stack:
            (*said, below), depth = stack.pop()
            yield (*said, depth)
            stack += [(one, depth + 1) for one in below[::-1]]

    one, other = list(rows(found)), list(rows(wanted))
    if len(one) != len(other):
        return f"{len(one)} items for {len(other)}"
    names = ("labels", "addresses", "pages", "hidden", "levels")
    for at, name in enumerate(names):
        if sorted(r[at] for r in one) != sorted(r[at] for r in other):
            return name
    return "order or nesting"


def outcomes(half: str, count: int) -> Iterator[Outcome]:
    """What becomes of so many exports of one half of the shapes."""
    shapes, seed = HALVES[half]
    yield from map(outcome, shapes.cases(count, seed))


def forest(menus: list[Any]) -> list[Any]:
    """Menus by their labels and nesting alone: what a reading decides, before any flag or link."""

    def of(items: list[Any]) -> list[Any]:
        return [(item[0], of(item[-1])) for item in items]

    return sorted(of(menu) for menu in menus)


class Gap(NamedTuple):
    """How much more the likeliest reading weighs than the next one, and whether it is right."""

    gap: float
    right: bool


def gaps(half: str, count: int) -> Iterator[Gap]:
    """The gaps of so many exports of one half; that of an export of one reading has no end."""
    shapes, seed = HALVES[half]
    for case in shapes.cases(count, seed):
        try:
            best, *others = drafts(case.data, case.file, 2)
            site = read(case.data, case.file, parsed(best.text, "guess.toml"))[0].site
        except YpsiformError:
            continue  # what is refused is not wrong in silence
        gap = best.weight - others[0].weight if others else inf
        yield Gap(gap, forest(menus_of(site)) == forest(case.menus))


def margin(found: Iterable[Gap], share: float = 0.99) -> float:
    """The least gap from which on that share of the readings is right."""
    best, right = 0.0, 0
    for at, one in enumerate(sorted(found, key=lambda one: -one.gap), 1):
        right += one.right
        if right >= share * at:
            best = one.gap
    return best


def table(found: Iterable[Outcome], by: str) -> Iterator[str]:
    """The share of exact readings, by one property of the exports."""
    all_, exact, marked, wrong = Counter[str](), Counter[str](), Counter[str](), Counter[str]()
    for one in found:
        key = getattr(one.case, by)
        all_[key] += 1
        exact[key] += one.exact
        marked[key] += one.exact and one.marked
        wrong[key] += not one.exact and not one.marked
    for key in sorted(all_):
        share = exact[key] / all_[key]
        yield (
            f"  {key:12} {exact[key]:4} of {all_[key]:4} exact ({share:4.0%}), "
            f"{marked[key]:3} of them marked, {wrong[key]:3} wrong and not marked"
        )


def main() -> None:
    """Print the score of both halves; of the one that may be looked at what is wrong as well."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--count", type=int, default=200)
    asked.add_argument("--half", choices=HALVES, action="append")
    asked.add_argument("--show", action="store_true", help="name what was not read exactly")
    asked.add_argument("--keep", type=Path, help="a folder for what was not read exactly")
    asked.add_argument("--calibrate", action="store_true", help="find the margin of marks again")
    said = asked.parse_args()
    if said.calibrate:
        for half in said.half or HALVES:
            known = list(gaps(half, said.count))
            missed = sorted(one.gap for one in known if not one.right)
            said_ = ", ".join(f"{gap:.2f}" for gap in missed) or "none"
            print(
                f"{half}: of {len(known)} readings {len(missed)} are wrong, with gaps of {said_}; "
                f"from {margin(known):.2f} on 99 % are right, and {MARGIN} is the margin"
            )
        return
    for half in said.half or HALVES:
        found = list(outcomes(half, said.count))
        exact = sum(one.exact for one in found)
        marked = sum(one.exact and one.marked for one in found)
        wrong = sum(not one.exact and not one.marked for one in found)
        slow = max(one.seconds for one in found)
        print(
            f"{half}: {exact} of {len(found)} exact ({exact / len(found):.1%}), {marked} of them "
            f"marked, {wrong} wrong and not marked; the slowest took {slow:.1f} s"
        )
        for by in ("container", "structure", "naming"):
            print(by)
            print("\n".join(table(found, by)))
        if half == "seen" and said.show:
            for at, one in enumerate(found):
                if not one.exact or one.marked:
                    case = one.case
                    mark = "marked" if one.marked else "NOT MARKED"
                    what = one.why or "exact"
                    print(f"{at} {case.container} {case.name} {case.naming}: {what[:150]} ({mark})")
                    if said.keep:
                        said.keep.mkdir(exist_ok=True, parents=True)
                        (said.keep / f"{at}-{case.file}").write_bytes(case.data)


if __name__ == "__main__":
    main()
