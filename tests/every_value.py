"""Every field of a platform's file set to every odd value in turn: none may be a fault of ours.

Where `tests.fuzz` damages at random, this goes through the fields one by one: each that the demo
has at a place, in two records, gets each value. The file is then converted to its own platform,
taken as a destination, and converted to another one. `make values` runs it; a seed draws the
records and the ways.
"""

from __future__ import annotations

import argparse
import random
import sys
from collections.abc import Iterator
from copy import deepcopy
from typing import Any, NamedTuple

from tests.test_pairs import PLACES
from ypsiform.demo import DATA
from ypsiform.errors import AuditError, YpsiformError
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.profiles.files import dump_tree, load_tree
from ypsiform.profiles.load import find

TEXTS = ("", " ", "x", "a b", "#", "/a", "0", "1", "-1", "none", "*", "yes", "2026-01-01")
OTHERS: tuple[Any, ...] = (None, 0, 1, -1, 1.5, True, False, [], {}, [""], ["x"], {"a": 1}, 10**18)
SOURCES = ("old.xml", "season.json")
WHERE = [place for place in PLACES if not place.startswith("sitemap")]


class Spot(NamedTuple):
    """A value in a neutral tree: what holds it, under which key or number, and its path."""

    holder: Any
    key: Any
    path: tuple[str, ...]


def spots(tree: Any) -> Iterator[Spot]:
    """Every value in a tree; members of lists have one path, whatever their number is."""
    stack: list[tuple[Any, tuple[str, ...]]] = [(tree, ())]
    while stack:
        node, path = stack.pop()
        pairs: list[tuple[Any, Any]] = []
        if isinstance(node, dict):
            pairs = list(node.items())
        elif isinstance(node, list):
            pairs = list(enumerate(node))
        elif isinstance(node, tuple) and len(node) == 2:  # a child element and its name
            stack.append((node[1], (*path, str(node[0]))))
        for key, value in pairs:
            here = (*path, key if isinstance(key, str) else "*")
            yield Spot(node, key, here)
            stack.append((value, here))


def changes(spot: Spot) -> Iterator[Any]:
    """The odd values that a spot can have: texts where it holds one, anything elsewhere."""
    value = spot.holder[spot.key]
    yield from TEXTS
    if not isinstance(value, tuple) and not str(spot.key).startswith(("@", "#")):
        yield from OTHERS


def changed(tree: Any, number: int, value: Any) -> Any:
    """The tree with the value of one spot, by its number, changed; `...` takes it away."""
    made = deepcopy(tree)
    spot = next(s for at, s in enumerate(spots(made)) if at == number)
    if value is ...:
        del spot.holder[spot.key]
    else:
        spot.holder[spot.key] = value
    return made


def tried(data: bytes, place: str, draw: random.Random) -> list[str]:
    """The faults of converting a file to its own platform, into it, and to another one."""
    options = Options(
        depth=draw.choice(["lift", "drop", "columns", "menu", "gather", "auto"]),
        clash=draw.choice(["first", "merge"]),
        languages=draw.choice(["keep", "menus"]),
    )
    new = draw.choice(SOURCES)
    ways: list[dict[str, Any]] = [
        {"data": data, "file": "it", "to": draw.choice([place, place.partition("/")[0]])},
        {"data": (DATA / new).read_bytes(), "file": new, "to": place, "into": (data, "it")},
        {"data": data, "file": "it", "to": draw.choice(WHERE), "options": options},
    ]
    found = []
    for way in ways:
        try:
            convert(**way)
        except AuditError as error:
            found.append(f"{way['to']}: {error.problems[0]}")
        except YpsiformError:
            continue
        except Exception as error:
            found.append(f"{way['to']}: {error!r}")
    return found


def run(
    place: str, seed: int, *, each: int = 2, sources: tuple[str, ...] = SOURCES
) -> tuple[int, list[str]]:
    """How many files of a place were tried, and what went wrong, each kind of it once."""
    profile = find(place)[0]
    draw = random.Random(f"{seed} {place}")
    count, told, known = 0, [], set()
    for source in sources:
        whole = convert((DATA / source).read_bytes(), source, place).data
        tree = load_tree(whole, "it", profile)
        by_path: dict[tuple[str, ...], list[int]] = {}
        for number, spot in enumerate(spots(tree)):
            by_path.setdefault(spot.path, []).append(number)
        where = list(spots(tree))
        for path, numbers in by_path.items():
            for number in draw.sample(numbers, min(each, len(numbers))):
                for value in [..., *changes(where[number])]:
                    try:
                        data = dump_tree(changed(tree, number, value), profile)
                    except (YpsiformError, AttributeError, LookupError, TypeError, ValueError):
                        continue  # no file of this kind says that
                    count += 1
                    for fault in tried(data, place, draw):
                        if (path[-1], fault[:60]) not in known:
                            known.add((path[-1], fault[:60]))
                            told.append(f"{place} {source} {'/'.join(path)} = {value!r} to {fault}")
    return count, told


def main() -> int:
    """Run over the places named, or all; 1 where anything went wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("places", nargs="*", default=WHERE)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--each", type=int, default=2, help="records for each field")
    asked = parser.parse_args()
    failed = 0
    for place in asked.places:
        count, told = run(place, asked.seed, each=asked.each)
        failed += len(told)
        print(f"{place}: {count} files, {len(told)} kinds of faults", flush=True)
        for line in told:
            print("  " + line[:300])
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
