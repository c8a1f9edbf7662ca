"""What reading through a profile costs, for each container, as ratios to the parser underneath.

Each file holds 100,000 items. Ours is everything from bytes to a site with its rows; the baseline
parses the same bytes with the library that the container is built on, and does nothing with them.
Both run in processes of their own that import what they need first and measure only the work, with
the collector of rings off, as the commands have it. Ratios are of medians of interleaved runs.
"""

from __future__ import annotations

import csv
import io
import json
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import sites

SAMPLES = Path(__file__).parents[1] / "tests" / "samples"
ITEMS = 100_000
TOML = """
profile = 1
id = "bench"
name = "Bench"
container = "toml"
recognise = { keys = ["menus"] }
site = {}
menus = { at = "menus", fields = { key = "name" } }
locations = { at = "shown", form = "keys" }
[items]
tie = { structure = "nested", inside = "below" }
fields = { label = "text", icon = "icon" }
[[items.kinds]]
when = {}
kind = "address"
address = "to"
"""

OURS = """
import gc, sys, time
from ypsiform.profiles.read import site_of
from ypsiform.recognise import open_tree
file, platform = sys.argv[1:]
data = open(file, "rb").read()
open_tree(open(file + ".small", "rb").read(), file, platform)
gc.disable()
start = time.perf_counter()
tree, profile, theme, _ = open_tree(data, file, platform)
result = site_of(tree, profile, file, theme)
print(time.perf_counter() - start, len(result.rows))
"""
THEIRS = """
import gc, sys, time, io
{imports}
data = open(sys.argv[1], "rb").read()
gc.disable()
start = time.perf_counter()
{work}
print(time.perf_counter() - start, 0)
"""
BASELINES = {
    "xml": ("import xml.etree.ElementTree as ET", "ET.fromstring(data)"),
    "json": ("import json", "json.loads(data)"),
    "yaml": ("from ruamel.yaml import YAML", "YAML(typ='safe', pure=True).load(data)"),
    "toml": ("import tomllib", "tomllib.loads(data.decode())"),
    "csv": ("import csv", "list(csv.DictReader(io.StringIO(data.decode())))"),
    "html": ("from lxml import html", "html.document_fromstring(data)"),
    "sqlite": (
        "import sqlite3",
        "base = sqlite3.connect(':memory:'); base.deserialize(data); "
        "base.execute('SELECT * FROM nav_node').fetchall()",
    ),
    "files": (
        "import csv, zipfile, xml.etree.ElementTree as ET",
        "z = zipfile.ZipFile(io.BytesIO(data)); ET.fromstring(z.read('menus.xml')); "
        "list(csv.DictReader(io.StringIO(z.read('data/pages.csv').decode())))",
    ),
}


def stallmere(items: int) -> bytes:
    """One tree of three levels; every third entry leads to a page."""
    entries = []
    for top in range(items // 10):
        below = [
            {"text": f"Port {top}.{n}", "link": {"what": "page", "key": f"p{n}"}, "entries": []}
            for n in range(9)
        ]
        link = {"address": f"/islands/{top}"}
        entries.append({"text": f"Island {top}", "link": link, "entries": below})
    document = json.loads(sites.stallmere(0))
    document["stock"]["page"] = [{"key": f"p{n}", "title": f"Page {n}"} for n in range(9)]
    document["trees"] = [{"key": "main", "title": "Main", "entries": entries}]
    return json.dumps(document).encode()


def arborcote(items: int) -> bytes:
    """A page tree of two levels below its root."""
    lines = ["arborcote: 6", "site: https://intranet.skerryline.example", "pages:"]
    lines += ["  - id: 1", "    title: Home", "    path: /", "    listed: true", "    below:"]
    for top in range(items // 10):
        lines += [f"      - id: {top * 10 + 2}", f"        title: Island {top}"]
        lines += [f"        path: /i{top}", "        listed: true", "        below:"]
        for n in range(9):
            lines += [f"          - id: {top * 10 + 3 + n}", f"            title: Port {n}"]
            lines += [f"            path: /i{top}/{n}", "            listed: true"]
    lines += ["bars:", "  - name: main", "    under: [1]", "    levels: 3", "    by: rank"]
    return ("\n".join([*lines, "look: {theme: ridge}"]) + "\n").encode()


def toml(items: int) -> bytes:
    """One menu of two levels."""
    lines = ["[shown]", 'main = "main"', "[[menus]]", 'name = "main"']
    for top in range(items // 10):
        lines += ["[[menus.below]]", f'text = "Island {top}"', f'to = "/i{top}"', "below = ["]
        lines += [f'  {{ text = "Port {n}", to = "/i{top}/{n}", icon = "x" }},' for n in range(9)]
        lines.append("]")
    return ("\n".join(lines) + "\n").encode()


def tilewick(items: int) -> bytes:
    """One bar of two levels."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    header = "bar,outline,label,leads,below,columns,opens,window,desktop,handset"
    rows.writerow(header.split(","))
    for top in range(1, items // 10 + 1):
        end = ["", "", "same", "yes", "yes"]
        rows.writerow(["main", str(top), f"Island {top}", f"/i{top}", "list", *end])
        for n in range(1, 10):
            rows.writerow(["main", f"{top}.{n}", f"Port {n}", f"/i{top}/{n}", "", *end])
    return out.getvalue().encode()


def rowanbase(items: int) -> bytes:
    """One bar of two levels in a database."""
    with sqlite3.connect(":memory:") as base:
        base.execute(
            "CREATE TABLE nav_node (id INTEGER PRIMARY KEY, bar TEXT, lineage TEXT, rank INTEGER, "
            "words TEXT, leads TEXT, new_window INTEGER, icon TEXT)"
        )
        base.execute("CREATE TABLE route (name TEXT, pattern TEXT)")
        for top in range(items // 10):
            at = top * 10 + 1
            rows = [(at, "main", str(at), top, f"Island {top}", f"path:/i{top}", 0, None)]
            rows += [
                (at + n, "main", f"{at}/{at + n}", n, f"Port {n}", f"path:/i{top}/{n}", 0, None)
                for n in range(1, 10)
            ]
            base.executemany("INSERT INTO nav_node VALUES (?, ?, ?, ?, ?, ?, ?, ?)", rows)
        base.commit()
        return bytes(base.serialize())


def lists(items: int) -> bytes:
    """One list of two levels in HTML."""
    lines = ['<nav id="main" data-place="main"><ul>']
    for top in range(items // 10):
        lines.append(f'<li><a href="/i{top}">Island {top}</a><ul>')
        lines += [f'<li><a href="/i{top}/{n}">Port {n}</a></li>' for n in range(9)]
        lines.append("</ul></li>")
    return ("\n".join([*lines, "</ul></nav>"]) + "\n").encode()


def parted(items: int) -> bytes:
    """Menus in XML and pages in CSV, in a zip."""
    lines = ['<menus site="" look="only"><shown place="main" menu="bar"/><menu name="bar">']
    for top in range(items // 10):
        lines.append(f'<entry text="Island {top}" leads="/i{top}">')
        lines += [f'<entry text="Port {n}" leads="page {n}"/>' for n in range(9)]
        lines.append("</entry>")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("menus.xml", "\n".join([*lines, "</menu></menus>"]))
        pages = "".join(f"{n},Page {n},/p{n}\n" for n in range(9))
        archive.writestr("data/pages.csv", "number,title,path\n" + pages)
    return out.getvalue()


FILES: dict[str, tuple[str, Callable[[int], bytes]]] = {
    "xml": ("quillmoor", lambda items: sites.quillmoor(items, max(items // 100, 1))),
    "json": ("stallmere", stallmere),
    "yaml": ("arborcote", arborcote),
    "toml": ("bench.toml", toml),
    "csv": ("tilewick", tilewick),
    "html": (str(SAMPLES / "lists.toml"), lists),
    "sqlite": ("rowanbase", rowanbase),
    "files": (str(SAMPLES / "parted.toml"), parted),
}


def seconds(script: str, *arguments: str) -> tuple[float, int]:
    """The seconds that a script says it needed, and the number that it prints with them."""
    done = subprocess.run(
        [sys.executable, "-c", script, *arguments], capture_output=True, text=True, check=True
    )
    taken, count = done.stdout.split()
    return float(taken), int(count)


def main() -> None:
    """Measure, and print one line for each container."""
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "bench.toml").write_text(TOML, "utf-8")
        for name, (platform, make) in FILES.items():
            profile = str(Path(folder) / platform) if platform == "bench.toml" else platform
            path = Path(folder) / name
            path.write_bytes(make(ITEMS))
            Path(f"{path}.small").write_bytes(make(10))
            imports, work = BASELINES[name]
            theirs = THEIRS.format(imports=imports, work=work)
            runs = 1 if name == "yaml" else 3
            ours: list[float] = []
            base: list[float] = []
            count = 0
            for _ in range(runs):
                taken, count = seconds(OURS, str(path), profile)
                ours.append(taken)
                base.append(seconds(theirs, str(path))[0])
            mine, other = statistics.median(ours), statistics.median(base)
            print(
                f"(g) reading {name}, {count:,} items: {mine:.2f} s against {other:.2f} s, "
                f"ratio {mine / other:.2f} (aim 3)"
            )


if __name__ == "__main__":
    main()
