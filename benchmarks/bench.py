"""What a conversion costs, as ratios to what the standard library needs for the same files.

Each ratio is the median of interleaved runs: one of ours, one of the baseline, and so on. All runs
are whole processes. A baseline parses the source, writes a document of the destination's kind and
parses it again, with the standard library and nothing else.
"""

from __future__ import annotations

import compileall
import statistics
import sys
import tempfile
from pathlib import Path

import sites
from cost import Cost, cost

import ypsiform

XML = """
import sys, xml.etree.ElementTree as ET
tree = ET.parse(sys.argv[1])
tree.write(sys.argv[2], encoding="utf-8", xml_declaration=True)
del tree
ET.parse(sys.argv[2])
"""
JSON = """
import json, sys, xml.etree.ElementTree as ET
from pathlib import Path
source, written, output = sys.argv[1:]
document = json.loads(Path(written).read_bytes())  # taken off again, as `spare`
ET.parse(source)
Path(output).write_text(json.dumps(document, indent=2))
json.loads(Path(output).read_bytes())
"""
SPARE = "import json, sys; from pathlib import Path; json.loads(Path(sys.argv[1]).read_bytes())"


def against(
    name: str, ours: list[str], baseline: list[str], runs: int, aim: str, less: float = 0.0
) -> tuple[float, float, float]:
    """Print the ratio of the medians of interleaved runs. Returns seconds and two peaks."""
    first: list[Cost] = []
    second: list[Cost] = []
    for _ in range(runs):
        first.append(cost(*ours))
        second.append(cost(*baseline))
    mine = statistics.median(held.wall for held in first)
    base = statistics.median(held.wall for held in second) - less
    print(f"{name}: {mine:.2f} s against {base:.2f} s, ratio {mine / base:.2f} (aim {aim})")
    peaks = [statistics.median(held.memory for held in found) for found in (first, second)]
    return mine, peaks[0], peaks[1]


def main() -> None:
    """Measure, and print one line for each ratio."""
    python = sys.executable
    compileall.compile_dir(str(Path(ypsiform.__file__).parent), quiet=1)  # as installing does
    program = [python, "-m", "ypsiform", "convert"]
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        out, other = str(place / "out"), str(place / "other")
        large, tenth, limit = (
            str(place / name) for name in ("large.xml", "tenth.xml", "limit.xml")
        )
        Path(large).write_bytes(sites.quillmoor(100_000, 1000))
        Path(tenth).write_bytes(sites.quillmoor(10_000, 100))
        Path(limit).write_bytes(sites.quillmoor(5400, 30))
        shop = str(place / "shop.json")
        Path(shop).write_bytes(sites.stallmere())

        same = ["--to", "quillmoor", "-o", out, "--force"]
        time_large, mine, base = against(
            "(a) Quillmoor to Quillmoor, 100,000 links in 1,000 menus",
            [*program, large, *same],
            [python, "-c", XML, large, other],
            3,
            "3",
        )
        shopwards = [*program, limit, "--to", "stallmere/broad", "--into", shop, "-o"]
        cost(*shopwards, out, "--force")
        written = str(place / "written.json")
        Path(written).write_bytes(Path(out).read_bytes())
        empty = statistics.median(cost(python, "-c", "pass").wall for _ in range(7))
        spare = statistics.median(cost(python, "-c", SPARE, written).wall for _ in range(7)) - empty
        against(
            "(b) Quillmoor to Stallmere, 5,400 links in 30 menus",
            [*shopwards, out, "--force"],
            [python, "-c", JSON, limit, written, other],
            9,
            "3",
            less=max(spare, 0.0),
        )
        time_tenth = statistics.median(cost(*program, tenth, *same).wall for _ in range(3))
        print(
            f"(c) ten times the links: {time_large:.2f} s against {time_tenth:.2f} s, "
            f"ratio {time_large / time_tenth:.2f} (aim 10.5)"
        )
        print(
            f"(d) peak memory of (a): {mine:.0f} MB against {base:.0f} MB, "
            f"ratio {mine / base:.2f} (aim 3)"
        )
        several = [str(place / name) for name in ("deep.csv", "less.csv")]
        for name, items in zip(several, (100_000, 10_000), strict=True):
            Path(name).write_bytes(sites.deep(items))
        options = ["--from", "tilewick/lintel", "--to", "quillmoor/slipway", "--depth", "auto"]
        times = [
            statistics.median(
                cost(*program, name, *options, "-o", out, "--force").wall for _ in range(3)
            )
            for name in several
        ]
        print(
            f"(f) the best fit of 100,000 items against 10,000: {times[0]:.2f} s against "
            f"{times[1]:.2f} s, ratio {times[0] / times[1]:.2f} (aim 12)"
        )
        against(
            "(e) ypsiform --version against importing Click",
            [python, "-m", "ypsiform", "--version"],
            [python, "-c", "import click"],
            15,
            "1.5",
        )


if __name__ == "__main__":
    main()
