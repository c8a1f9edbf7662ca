"""How cost grows with the size of exports of several shapes, as a slope on a log-log scale.

Sources without contents, whose labels differ; one menu of many items, many menus, many menus at as
many locations (each by itself, and with `--clash merge`), one chain of items that is gathered. A
slope of 1 is a cost that grows as the items do; what a run costs at the least is taken off. The aim
is 1.1 at most.

    python benchmarks/shapes.py [MOST]
"""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from cost import cost
from speed import slope

AIM = 1.1
SIZES = (1_000, 10_000, 100_000)
DEEPEST = 9_000  # a chain of more levels is refused


def item(number: int, **more: Any) -> dict[str, Any]:
    """An item whose label and address no other one has."""
    where = {"kind": "page", "address": f"/p{number}/"}
    return {"number": number, "label": f"Label {number}", "target": where, **more}


def flat(count: int) -> list[dict[str, Any]]:
    """One menu, ten items below each."""
    items = [item(n, **({"under": (n - 1) // 10} if n else {})) for n in range(count)]
    return [{"id": "m", "key": "m", "items": items}]


def chain(count: int) -> list[dict[str, Any]]:
    """One menu, each item below the one before it."""
    items = [item(n, **({"under": n - 1} if n else {})) for n in range(count)]
    return [{"id": "m", "key": "m", "items": items}]


def menus(count: int) -> list[dict[str, Any]]:
    """A menu for each item."""
    return [
        {"id": f"m{n}", "key": f"m{n}", "items": [{**item(n), "number": 0}]} for n in range(count)
    ]


Shape = Callable[[int], list[dict[str, Any]]]
SHAPES: dict[str, tuple[Shape, bool, tuple[str, ...]]] = {
    "one menu, labels that differ": (flat, False, ("--to", "csv")),
    "a menu for each item": (menus, False, ("--to", "csv")),
    "a location for each menu": (menus, True, ("--to", "csv")),
    "locations merged": (menus, True, ("--to", "csv", "--clash", "merge")),
    "a chain, gathered": (chain, False, ("--to", "tilewick/gable", "--depth", "gather")),
}
"""By its name what a source is made of, whether each menu has a location, and what is asked."""


def measured(shape: str, count: int, folder: Path) -> float:
    """Seconds of processor time of one conversion."""
    make, placed, asked = SHAPES[shape]
    made = make(count)
    shown = made if placed else made[:1]
    places = [{"name": f"place{at}", "menus": [menu["id"]]} for at, menu in enumerate(shown)]
    site = {"ypsiform": 1, "addresses": ["https://old.example"], "locations": places, "menus": made}
    source = folder / "in.json"
    source.write_text(json.dumps(site), "utf-8")
    program = [sys.executable, "-m", "ypsiform", "convert", str(source), "--force"]
    return cost(*program, *asked, "-o", str(folder / "out")).seconds


def main() -> int:
    """Measure each shape, print its slope, and end with 1 where one is too steep."""
    most = int(sys.argv[1]) if len(sys.argv) > 1 else SIZES[-1]
    steep = False
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for shape in SHAPES:
            least = measured(shape, 1, folder)
            sizes = [min(n, DEEPEST) if shape.startswith("a chain") else n for n in SIZES]
            sizes = [n for n in dict.fromkeys(sizes) if n <= most]
            costs = {n: measured(shape, n, folder) - least for n in sizes}
            grows = slope(costs)
            steep = steep or grows > AIM
            said = ", ".join(f"{n:,}: {seconds:.2f} s" for n, seconds in costs.items())
            print(f"{shape}: slope {grows:.2f} (aim {AIM}); {said}", flush=True)
    return int(steep)


if __name__ == "__main__":
    sys.exit(main())
