"""Plans as a specialist edits them, and conversions run again: nothing legal may stop one.

    python -m tests.plans --count 20000 --seed 7
    python -m tests.plans --only 7:1234         # one case again, and what came of it

Each case is a number under a seed. It converts a sound file to some place, half of the time into a
file that stands there, then once more: by the plan that `draft` writes, as it is; by that plan with
one or two values changed to others that it may have; and over what was written before, with the
record of that run, or of another conversion, beside it. What must not happen is a traceback, a
fault of the account (exit 4), a control character, or a drafted plan that is refused where the
conversion itself is not.
"""

from __future__ import annotations

import argparse
import csv
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
import tomllib
import traceback
from collections import Counter
from collections.abc import Callable, Iterator
from functools import lru_cache
from io import StringIO
from pathlib import Path
from typing import Any, NamedTuple

from tests import fuzz
from tests.fuzz import PLACES, Seeded, Stop
from ypsiform.containers import container
from ypsiform.decisions import DEPTHS, KEEP, LANGUAGES
from ypsiform.draft import drafted
from ypsiform.effort import USUAL
from ypsiform.errors import AuditError, YpsiformError
from ypsiform.fit import Options
from ypsiform.fit.options import CLASHES, UNMATCHED
from ypsiform.migrate import convert, recorded
from ypsiform.model import Item
from ypsiform.plan.file import VERSION, PlanFile, read_plan
from ypsiform.profiles.load import load
from ypsiform.proof import Migration
from ypsiform.record import Record

COMMAND = 40
"""One case in so many goes through the real command, in a folder of its own."""

NO_HASHES = dict.fromkeys(("source", "plan", "links", "into", "profile", "output"))


@lru_cache(maxsize=1)
def sources() -> list[Seeded]:
    """Sound files that can be converted: every platform's, and those of the samples."""
    return [one for one in fuzz.corpus() if not one.name.startswith("unknown.")] + [
        Seeded(path.name, path.read_bytes(), "")
        for path in sorted((Path(__file__).parent / "samples" / "hugo").iterdir())
        if path.is_file()
    ]


@lru_cache(maxsize=64)
def standing(platform: str) -> list[Seeded]:
    """Files of a platform that menus can be written into."""
    found = [one for one in sources() if re.match(rf"{platform}[-.]", one.name)]
    return found + [one for one in sources() if one.name == "new.json" and platform == "stallmere"]


class Case(NamedTuple):
    """What is converted, where to, into what, and how."""

    source: Seeded
    to: str
    into: Seeded | None
    options: Options


def case_of(draw: random.Random) -> Case:
    """A sound conversion, at random."""
    to = draw.choice(PLACES)
    there = standing(to.partition("/")[0])
    options = Options(
        made_up=draw.random() < 0.3,
        unmatched=draw.choice(UNMATCHED),
        clash=draw.choice(CLASHES[:2]),
        depth=draw.choice(DEPTHS),
        languages=draw.choice(("keep", "keep", *LANGUAGES)),
    )
    into = draw.choice(there) if there and draw.random() < 0.6 else None
    return Case(draw.choice(sources()), to, into, options)


def _run(case: Case, record: Record | None = None, plan: bytes | None = None, **more: Any) -> Any:
    into = None if case.into is None else (case.into.data, case.into.name)
    done = convert(
        case.source.data,
        case.source.name,
        case.to,
        into=into,
        options=case.options,
        record=record,
        plan=read_plan(plan, "migration.toml") if plan is not None else None,
        **more,
    )
    if len(done.data) % 5 == 0:
        fuzz._told(done)
    return done


def drawn_up(case: Case, done: Migration) -> tuple[bytes, bytes]:
    """The plan and the table of links that `draft` writes for a conversion."""
    asked = case.options
    says = PlanFile(VERSION, to=case.to, output="out", made_up=asked.made_up or None)
    for name in ("unmatched", "clash", "depth", "languages"):
        setattr(says, name, getattr(asked, name))
    says.effort = USUAL
    declare = load(case.to.partition("/")[0]).locations.declare
    made = drafted(done, says, None, {}, declare)
    return made.plan, made.links


# Edits

Edit = Callable[[], None]


def edits_of(tree: dict[str, Any], done: Migration, draw: random.Random) -> list[tuple[str, Edit]]:
    """A legal edit of every value that a drafted plan has, with its name."""
    found: list[tuple[str, Edit]] = []

    def put(holder: dict[str, Any], name: str, value: Any) -> None:
        found.append((f"{name} = {value!r}", lambda: holder.__setitem__(name, value)))

    for name, words in (
        ("unmatched", UNMATCHED),
        ("clash", CLASHES),
        ("depth", DEPTHS),
        ("languages", LANGUAGES),
    ):
        for word in words if name in tree else ():
            put(tree, name, word)
    put(tree, "made-up", not tree.get("made-up", False))
    for name in tree.get("effort", {}):
        put(tree["effort"], name, draw.choice((0.0, 0.5, 3.0, 1000.0)))
    offered = [place.name for place in done.fitted.locations]
    there = [menu.key for menu in done.into.site.menus] if done.into is not None else []
    menus = {menu.id: menu for menu in done.source.site.menus}
    for part in tree.get("menu", []):
        put(part, "convert", not part["convert"])
        if "key" in part:
            put(part, "key", draw.choice(("other", part["key"] + "2", *there, *offered)))
            found.append(("no key", lambda part=part: part.pop("key", None)))  # type: ignore[misc]
        if "update" in part:
            found.append(("no update", lambda part=part: part.pop("update", None)))  # type: ignore[misc]
        for key in there[:3]:
            put(part, "update", key)
        if "locations" in part:
            put(part, "locations", [])
            for name in offered[:4]:
                put(part, "locations", [name])
            if len(offered) > 1:
                put(part, "locations", draw.sample(offered, 2))
            put(part, "locations", ["extra"])
        for branch in part.get("branch", []):
            put(branch, "depth", draw.choice((*DEPTHS, KEEP)))
        known = {item["id"]: item for item in part.get("item", [])}
        for item in known.values():
            put(item, "keep", not item.get("keep", True))
            put(item, "label", draw.choice(("Other words", "", "Ø & <b>", "long " * 40)))
            if "publish" in item:
                put(item, "publish", not item["publish"])
        rows = done.source.rows
        menu = menus.get(part["id"])
        if menu is None:
            continue
        span = rows.of_menu(done.source.site.menus.index(menu))
        things = (rows.things[row] for row in span)
        ids = [item.id for item in things if isinstance(item, Item) and item.id not in known]
        for ident in draw.sample(ids, min(2, len(ids))):
            choice = draw.choice(({"keep": False}, {"label": "Other words"}))
            found.append(
                (
                    f"item {ident} {choice}",
                    lambda part=part, ident=ident, choice=choice: part.setdefault(  # type: ignore[misc]
                        "item", []
                    ).append({"id": ident, **choice}),
                )
            )
    return found


def edited(plan: bytes, done: Migration, draw: random.Random, said: Said) -> bytes:
    """A plan with one or two legal edits; what these are is said."""
    tree = tomllib.loads(plan.decode())
    for _ in range(draw.choice((1, 1, 2))):
        edits = edits_of(tree, done, draw)
        if edits:
            name, edit = draw.choice(edits)
            edit()
            said.append(name)
    return container("toml").write(tree)


def other_links(links: bytes, draw: random.Random) -> bytes:
    """A table of links with some decided otherwise: nowhere, an address, what another one has."""
    rows = list(csv.reader(StringIO(links.decode("utf-8-sig"), newline="")))
    at = rows[0].index("match")
    known = [row[at] for row in rows[1:] if row[at]]
    for row in rows[1:]:
        if draw.random() < 0.2:
            row[at] = draw.choice(("none", "/new/place", "", *known))
    out = StringIO()
    csv.writer(out).writerows(rows)
    return out.getvalue().encode()


# Ways


Said = list[str]
"""What was done in a case, as it is done: whoever looks at a stop wants to know."""


def as_drafted(case: Case, draw: random.Random, said: Said) -> None:
    """By its own plan, with nothing edited: what is written is the same."""
    done = _run(case)
    plan, links = drawn_up(case, done)
    try:
        again = _run(case, plan=plan, links=(links, "links.csv"))
    except AuditError:
        raise
    except YpsiformError as error:
        raise Stop(f"the plan as it was drafted is refused: {error}") from None
    if again.data != done.data and b"\nupdate = " not in plan:
        raise Stop("the plan as it was drafted gives another file")


def with_edits(case: Case, draw: random.Random, said: Said) -> None:
    """By its plan with legal edits, then again over what that wrote."""
    done = _run(case)
    plan, links = drawn_up(case, done)
    plan = edited(plan, done, draw, said)
    if draw.random() < 0.3:
        links = other_links(links, draw)
        said.append("other links")
    there = (links, "links.csv")
    made = _run(case, plan=plan, links=there)
    if case.into is not None:
        over = case if draw.random() < 0.5 else case._replace(into=Seeded("out", made.data, ""))
        said.append("again" if over is case else "into what that wrote")
        _run(over, record=recorded(made, NO_HASHES), plan=plan, links=there)


def again(case: Case, draw: random.Random, said: Said) -> None:
    """A second conversion into a file beside which the record of another one lies."""
    first = case
    if draw.random() < 0.7:
        other = case_of(draw)
        first = other._replace(to=case.to, into=draw.choice((case.into, other.into, None)))
        if first.into is not None and case.into is not None:
            first = first._replace(into=case.into)
        if draw.random() < 0.2:
            first = case_of(draw)
    said.append(f"after {first.source.name} to {first.to}")
    before = _run(first)
    record = recorded(before, NO_HASHES)
    second = case
    if case.into is None or draw.random() < 0.5:
        same = first.to.partition("/")[0] == case.to.partition("/")[0]
        if same and not case.to.startswith("sitemap"):
            second = case._replace(into=Seeded("out", before.data, ""))
    done = _run(second, record=record)
    if second.into is not None:
        third = second._replace(into=Seeded("out", done.data, ""))
        if _run(third, record=recorded(done, NO_HASHES)).data != done.data:
            raise Stop("a conversion into what it wrote itself changes it")


def by_command(case: Case, draw: random.Random, said: Said) -> None:
    """`draft`, an edit, and `convert --plan` twice, with the record of another run beside it."""
    folder = Path(tempfile.mkdtemp())
    try:
        (folder / "x").write_bytes(case.source.data)
        words = ["x", "--to", case.to]
        if case.into is not None:
            (folder / "there").write_bytes(case.into.data)
            words += ["--into", "there"]
        for name in ("unmatched", "clash", "depth", "languages"):
            words += [f"--{name}", getattr(case.options, name)]
        sound = _command(folder, "convert", *words, "-o", "plan.out")
        drafts = _command(folder, "draft", *words, "-o", "plan")
        if sound == 0 and drafts != 0:
            raise Stop("convert does what draft refuses")
        if drafts != 0:
            return
        if draw.random() < 0.5:
            other = case_of(draw).source
            (folder / "y").write_bytes(other.data)
            _command(folder, "convert", "y", *words[1:], "-o", "out", "--force")
        for _ in range(2):
            came = _command(folder, "convert", "--plan", "plan", "-o", "out", "--force", said=said)
            if sound == 0 and came not in (0, 3):
                raise Stop(f"what convert does its plan does not: {said[-1]}")
    finally:
        shutil.rmtree(folder)


def _command(folder: Path, *words: str, said: Said | None = None) -> int:
    program = [sys.executable, "-m", "ypsiform", *words]
    done = subprocess.run(program, cwd=folder, capture_output=True, timeout=60, check=False)
    text = (done.stdout + done.stderr).decode("utf-8", "replace")
    if done.returncode not in (0, 1, 2, 3) or "Traceback" in text:
        raise Stop(f"{' '.join(words)} ended with {done.returncode}: {text[-300:]}")
    if said is not None and done.returncode:
        said.append(done.stderr.decode("utf-8", "replace")[-300:])
    return done.returncode


WAYS = ((as_drafted, 3), (with_edits, 6), (again, 4))


class Came(NamedTuple):
    """What came of a case: `done`, `refused` or `stopped`, in which way, why, and what it was."""

    kind: str
    way: str
    why: str
    what: str


def one(seed: int, number: int) -> Came:
    """Make a case and try it."""
    draw = random.Random(seed * 1_000_003 + number)
    case = case_of(draw)
    way = draw.choices([way for way, _ in WAYS], [weight for _, weight in WAYS])[0]
    if number % COMMAND == 0:
        way = by_command
    into = case.into.name if case.into is not None else "nothing"
    words = ", ".join(
        f"{name} {value}"
        for name in ("made_up", "unmatched", "clash", "depth", "languages")
        if (value := getattr(case.options, name)) != getattr(Options(), name)
    )
    what = f"{case.source.name} to {case.to} into {into} ({words})"
    said: Said = [what]
    kind, why = "done", ""
    try:
        way(case, draw, said)
    except AuditError as error:
        kind, why = "stopped", f"fault: {error.problems[:2]}"
    except YpsiformError as error:
        kind, why = "refused", str(error)
    except Stop as error:
        kind, why = "stopped", str(error)
    except Exception:
        last = traceback.format_exc().strip().splitlines()
        kind, why = "stopped", " | ".join(line.strip() for line in last[-5:])
    return Came(kind, way.__name__, why, "; ".join(said))


def run(seed: int, numbers: list[int], workers: int = 2) -> Iterator[tuple[int, Came]]:
    """Try cases, spread over processes."""
    from concurrent.futures import ProcessPoolExecutor

    sources()
    with ProcessPoolExecutor(workers) as pool:
        parts = [numbers[at : at + 50] for at in range(0, len(numbers), 50)]
        for part, found in zip(
            parts, pool.map(_some, [(seed, part) for part in parts]), strict=True
        ):
            yield from zip(part, found, strict=True)


def _some(asked: tuple[int, list[int]]) -> list[Came]:
    seed, numbers = asked
    return [one(seed, number) for number in numbers]


def main() -> int:
    """Count, print, and end with 1 where something stopped."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--only", metavar="SEED:NUMBER")
    asked = parser.parse_args()
    if asked.only:
        seed, number = map(int, asked.only.split(":"))
        print(*one(seed, number), sep="\n")
        return 0
    counts: Counter[tuple[str, str]] = Counter()
    reasons: Counter[str] = Counter()
    begun = time.monotonic()
    for number, came in run(asked.seed, list(range(1, asked.count + 1))):
        counts[came.way, came.kind] += 1
        if came.kind == "stopped":
            short = re.sub(r"“[^”]*”|\d+", "…", came.why)[:160]
            reasons[short] += 1
            if reasons[short] <= 2:
                print(f"stopped at {asked.seed}:{number} {came.way}: {came.what}")
                print(f"    {came.why[:500]}", flush=True)
    print(f"{asked.count} cases in {time.monotonic() - begun:.0f} s")
    for (way, kind), count in sorted(counts.items()):
        print(f"  {way}: {count} {kind}")
    return 1 if any(kind == "stopped" for _, kind in counts) else 0


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(main())
