"""What conversions cost against scripts that check nothing, by destination and by size.

    python benchmarks/speed.py              # the table and the picture of docs/speed.md

Medians of interleaved runs of whole processes: processor time, start-up taken off (that of ours is
a conversion of six links, that of a script the same), and memory at the peak.
"""

from __future__ import annotations

import argparse
import gc
import math
import platform
import statistics
import subprocess
import sys
import tempfile
import time
from datetime import date
from itertools import pairwise
from pathlib import Path

import sites
from cost import Cost, cost
from scripts import SCRIPTS

from ypsiform.migrate import convert, recorded
from ypsiform.report import json

HERE = Path(__file__).parent
DOCS = HERE.parent / "docs"
SIZES = (10_000, 100_000, 1_000_000)
SMALL = ("csv", "stallmere/plain", "html")
"""Where many small sites are converted to."""


def pair(to: str, source: str, place: Path, runs: int) -> tuple[list[float], list[float]]:
    """The medians of seconds and MB, of ours and of the script."""
    out, report, other = (str(place / name) for name in ("out", "out.json", "other"))
    ours = [sys.executable, "-m", "ypsiform", "convert", source, "--to", to, "-o", out, "--force"]
    theirs = [sys.executable, str(HERE / "scripts.py"), to, source, other]
    found: tuple[list[Cost], ...] = ([], [])
    for _ in range(runs):
        found[0].append(cost(*ours, "--report", report))
        found[1].append(cost(*theirs))
    return (
        [statistics.median(held.seconds for held in some) for some in found],
        [statistics.median(held.memory for held in some) for some in found],
    )


def table(links: int, runs: int, place: Path) -> tuple[list[str], list[str]]:
    """A row of ratios for each destination; and of the three slowest ones the stages."""
    slow: dict[str, float] = {}
    source, small = str(place / "many.xml"), str(place / "few.xml")
    Path(source).write_bytes(sites.quillmoor(links, links // 100))
    Path(small).write_bytes(sites.quillmoor(6, 1, pages=10))
    lines = ["| destination | seconds | script | times | memory, times |", "|---|---|---|---|---|"]
    for to in SCRIPTS:
        start, _ = pair(to, small, place, 3)
        taken, peak = pair(to, source, place, runs)
        ours, theirs = (max(t - s, 0.001) for t, s in zip(taken, start, strict=True))
        times, memory = ours / theirs, peak[0] / peak[1]
        lines.append(f"| `{to}` | {ours:.2f} | {theirs:.2f} | {times:.1f} | {memory:.1f} |")
        print(lines[-1], flush=True)
        slow[to] = times
    slowest = sorted(slow, key=lambda to: -slow[to])[:3]
    return lines, stages(slowest, source)


def by_stage(to: str, source: str) -> dict[str, float]:
    """Milliseconds of one conversion, by what it tells that it is doing; with record and report."""
    told: list[tuple[str, float]] = []

    def tell(words: str) -> None:
        told.append((words, time.process_time()))

    data = Path(source).read_bytes()
    gc.collect()
    gc.disable()
    migration = convert(data, "old.xml", to, tell=tell)
    tell("record")
    recorded(migration, {})
    tell("report")
    json.written(migration, "out", {}, None)
    tell("")
    gc.enable()
    found: dict[str, float] = {}
    for (words, begun), (_, ended) in pairwise(told):
        found[words] = found.get(words, 0) + 1000 * (ended - begun)
    return found


def stages(places: list[str], source: str) -> list[str]:
    """A row of microseconds a link for each destination, by stage."""
    links = Path(source).read_bytes().count(b"<item ")
    rows = {to: by_stage(to, source) for to in places}
    names = list(dict.fromkeys(name for row in rows.values() for name in row))
    lines = [f"| destination | {' | '.join(names)} |", "|---" * (len(names) + 1) + "|"]
    for to, row in rows.items():
        said = " | ".join(f"{1000 * row.get(name, 0) / links:.1f}" for name in names)
        lines.append(f"| `{to}` | {said} |")
    return lines


def many(places: tuple[str, ...], count: int, runs: int) -> list[str]:
    """A row for each destination: milliseconds of a small site, and times a script."""
    lines = ["| destination | milliseconds | script | times |", "|---|---|---|---|"]
    for to in places:
        found: dict[str, list[float]] = {"ours": [], "script": []}
        for _ in range(runs):
            for who, taken in found.items():
                command = [sys.executable, str(HERE / "many.py"), who, to, str(count)]
                said = subprocess.run(command, check=True, capture_output=True, text=True).stdout
                taken.append(1000 * float(said) / count)
        ours, script = (statistics.median(taken) for taken in found.values())
        lines.append(f"| `{to}` | {ours:.1f} | {script:.2f} | {ours / script:.1f} |")
        print(lines[-1], flush=True)
    return lines


def least(links: int, count: int, runs: int, place: Path) -> str:
    """How many times a script a script costs that checks: one site of so many links, small ones."""
    source, small = str(place / "least.xml"), str(place / "six.xml")
    Path(source).write_bytes(sites.quillmoor(links, links // 100))
    Path(small).write_bytes(sites.quillmoor(6, 1, pages=10))
    outputs = [str(place / "out"), str(place / "out.json")]
    both = (["scripts.py", "csv"], outputs[:1]), (["checked.py"], outputs)
    taken: tuple[list[float], ...] = ([], [])
    sites_: tuple[list[float], ...] = ([], [])
    for _ in range(runs):
        for at, ((name, *told), made) in enumerate(both):
            command = [sys.executable, str(HERE / name), *told]
            begun = cost(*command, small, *made).seconds
            taken[at].append(cost(*command, source, *made).seconds - begun)
            many_ = [sys.executable, str(HERE / "many.py"), ("script", "checked")[at], "csv"]
            said = subprocess.run([*many_, str(count)], check=True, capture_output=True, text=True)
            sites_[at].append(float(said.stdout))
    one, some = (statistics.median(b) / statistics.median(a) for a, b in (taken, sites_))
    return (
        f"A script that checks, to `csv`: {one:.1f} times a script; small sites {some:.1f} times."
    )


def slope(costs: dict[int, float]) -> float:
    """The slope of cost against items on a log-log scale, by least squares."""
    points = [(math.log(n), math.log(t)) for n, t in costs.items()]
    x, y = (statistics.mean(axis) for axis in zip(*points, strict=True))
    rise = sum((a - x) * (b - y) for a, b in points)
    return float(rise / sum((a - x) ** 2 for a, _ in points))


def by_size(place: Path, most: int) -> dict[str, dict[int, float]]:
    """Seconds by size: ours to `csv`, the script, and the floor (parse and write the source)."""
    floor = "import sys, xml.etree.ElementTree as E; E.parse(sys.argv[1]).write(sys.argv[2])"
    found: dict[str, dict[int, float]] = {"Ypsiform": {}, "script": {}, "parse and write": {}}
    for links in (size for size in SIZES if size <= most):
        source = str(place / f"{links}.xml")
        Path(source).write_bytes(sites.quillmoor(links, links // 100))
        taken, _ = pair("csv", source, place, 1 if links > 100_000 else 3)
        found["Ypsiform"][links], found["script"][links] = taken
        found["parse and write"][links] = cost(
            sys.executable, "-c", floor, source, str(place / "o")
        ).seconds
        print(links, {name: round(held[links], 2) for name, held in found.items()}, flush=True)
        Path(source).unlink()
    return found


def drawn(found: dict[str, dict[int, float]], file: Path) -> None:
    """The picture of cost against items."""
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(8, 5), dpi=110)
    for (name, held), mark in zip(found.items(), "os^", strict=True):
        axes.plot(list(held), list(held.values()), marker=mark, label=name)
    axes.set(xscale="log", yscale="log", xlabel="links", ylabel="seconds of processor time")
    axes.set_title("Quillmoor to a table: cost against links")
    axes.grid(True, which="both", alpha=0.3)
    axes.legend()
    figure.tight_layout()
    figure.savefig(file)


def main() -> None:
    """Measure, and write the tables."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--links", type=int, default=20_000)
    asked.add_argument("--runs", type=int, default=5)
    asked.add_argument("--most", type=int, default=SIZES[-1], help="the largest size drawn")
    asked.add_argument("--sites", type=int, default=1000, help="small sites in one process")
    asked.add_argument("--into", type=Path, help="write the lines to this file as well")
    said = asked.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        lines, spent = table(said.links, said.runs, place)
        found = by_size(place, said.most)
        lines += ["", least(said.links, said.sites, said.runs, place)]
    lines += ["", "Microseconds a link, by stage, of the three slowest:", "", *spent, ""]
    lines += many(SMALL, said.sites, said.runs)
    lines += ["", "| links | Ypsiform | script | parse and write |", "|---|---|---|---|"]
    for links in found["script"]:
        said_ = " | ".join(f"{held[links]:.2f}" for held in found.values())
        lines.append(f"| {links:,} | {said_} |")
    lines.append(f"\nSlope of Ypsiform on a log-log scale: {slope(found['Ypsiform']):.3f}.")
    lines.append(f"{date.today()}, {platform.machine()}, Python {platform.python_version()}.")
    print("\n".join(lines))
    if said.into is not None:
        said.into.write_text("\n".join(lines) + "\n", "utf-8")
    drawn(found, DOCS / "speed.png")


if __name__ == "__main__":
    main()
