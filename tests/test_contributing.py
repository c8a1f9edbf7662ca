"""What CONTRIBUTING.md says of adding things is true: as many files, and nothing else."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

ROOT = Path(__file__).parent.parent
ADDED = Path(__file__).parent / "samples/added"
PAGE = (ROOT / "CONTRIBUTING.md").read_text("utf-8")
STACKED = """
profile = 1
id = "sample"
name = "Sample"
container = "json"
recognise = { keys = ["menus"] }
menus = { at = "menus", fields = { key = "key", title = "title" } }
locations = { form = "names", open = true, offered = [{ name = "main", panels = true }] }
panels = { encoding = "stacked", word = "wide" }
[site]
[items]
tie = { structure = "nested", inside = "below" }
fields = { label = "text", classes = { at = "looks", through = [{ list = true }] } }
kinds = [{ when = {}, kind = "address", address = "to" }]
"""


@pytest.fixture
def copied(tmp_path: Path) -> Path:
    """A copy of the package that a test may change."""
    shutil.copytree(
        ROOT / "src/ypsiform",
        tmp_path / "src/ypsiform",
        ignore=shutil.ignore_patterns("__pycache__"),
    )
    return tmp_path


def put_in(file: Path, before: str, line: str) -> None:
    """Put a line before another one, which must be there once."""
    text = file.read_text("utf-8")
    assert text.count(before) == 1, before
    file.write_text(text.replace(before, f"{line}{before}"), "utf-8")


def run(folder: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    done = subprocess.run(
        [sys.executable, "-m", "ypsiform", *arguments],
        cwd=folder,
        env={**os.environ, "PYTHONPATH": str(folder / "src")},
        capture_output=True,
        text=True,
        check=False,
    )
    assert "Traceback" not in done.stderr, done.stderr
    return done


def changed(folder: Path) -> set[str]:
    """The files of the package that are not as they are here."""
    source, found = folder / "src/ypsiform", set()
    for path in source.rglob("*"):
        if path.is_file() and path.suffix not in (".pyc",):
            was = ROOT / "src/ypsiform" / path.relative_to(source)
            if not was.exists() or was.read_bytes() != path.read_bytes():
                found.add(str(path.relative_to(source)))
    return found


def test_an_encoding_is_one_file_and_its_registry(copied: Path) -> None:
    encodings = copied / "src/ypsiform/encodings"
    shutil.copy(ADDED / "stacked.py", encodings)
    registry = encodings / "__init__.py"
    put_in(registry, "from .wrapped import", "from .stacked import Stacked, StackedRule\n")
    put_in(registry, "    WrappedRule: Wrapped,", "    StackedRule: Stacked,\n")
    put_in(registry, "    | WrappedRule\n", "    | StackedRule\n")
    assert changed(copied) == {"encodings/stacked.py", "encodings/__init__.py"}
    assert all(f"`src/ypsiform/{name}`" in PAGE for name in ["encodings/__init__.py"])
    (copied / "p.toml").write_text(STACKED, "utf-8")
    link: dict[str, Any] = {"text": "Haldrun", "to": "/haldrun", "looks": [], "below": []}
    head = {"text": "North", "to": "/north", "looks": [], "below": [link]}
    top = {"text": "Isles", "to": "/isles", "looks": ["wide"], "below": [head]}
    made = {"menus": [{"key": "main", "title": "Main", "below": [top]}]}
    (copied / "s.json").write_text(json.dumps(made), "utf-8")
    asked = ["convert", "s.json", "--from", "p.toml", "--unmatched", "address"]
    away = run(copied, *asked, "--to", "tilewick/gable", "-o", "out.csv")
    assert away.returncode == 0, away.stderr
    assert "main,1,Isles,/isles,board,1," in (copied / "out.csv").read_text("utf-8")
    back = ["convert", "out.csv", "--from", "tilewick/gable", "--unmatched", "address"]
    home = run(copied, *back, "--to", "p.toml", "-o", "back.json")
    assert home.returncode == 0, home.stderr
    [menu] = json.loads((copied / "back.json").read_text("utf-8"))["menus"]
    assert menu["below"][0]["looks"] == ["wide"]
    assert menu["below"][0]["below"][0]["below"][0]["text"] == "Haldrun"
    said = run(copied, "platforms", "p.toml").stdout
    assert "top items with a class word" in said
    (copied / "p.toml").write_text(STACKED.replace(', word = "wide"', ""), "utf-8")
    assert "the encoding stacked needs 'word'" in run(copied, "platforms", "p.toml").stderr


DASHES = '''class DashesTie(NumberTie, tag="dashes"):
    """Records whose `number` is a dash for each level, in reading order."""

    words = "items with a dash for each level"
    ordered = True

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place."""
        return "-" * spot.level


'''
BY_DASHES = """def _by_dashes(tied: Tied, rule: Any, item: Item, values: Values, _: str) -> Above:
    level = len(_said(rule, values)) - 1
    item.id = f"{tied.menu.key} {len(tied.entries) + 1}"
    del tied.open[level:]
    above = tied.open[-1] if tied.open else ""
    tied.open += [item.id] * (level + 1 - len(tied.open))
    return above, 0


"""
DASHED = """
profile = 1
id = "sample"
name = "Sample"
container = "csv"
recognise = { columns = ["menu", "step", "text", "to"] }
menus = {}
locations = { form = "names", open = true }
[site]
[items]
at = "rows"
tie = { structure = "dashes", number = "step", menu = "menu" }
fields = { label = "text" }
kinds = [{ when = {}, kind = "address", address = "to" }]
"""


def test_a_structure_is_its_rule_and_how_it_is_read(copied: Path) -> None:
    profiles = copied / "src/ypsiform/profiles"
    put_in(profiles / "structures.py", "class ListedTie(", DASHES)
    put_in(profiles / "structures.py", "    | ListedTie\n", "    | DashesTie\n")
    put_in(profiles / "ties.py", "_READ: dict[", BY_DASHES)
    put_in(profiles / "ties.py", "    LabelsTie: Tied.", "    DashesTie: _by_dashes,\n")
    put_in(profiles / "ties.py", "    LabelsTie,\n", "    DashesTie,\n")
    assert changed(copied) == {"profiles/structures.py", "profiles/ties.py"}
    assert all(f"`src/ypsiform/{name}`" in PAGE for name in changed(copied))
    (copied / "p.toml").write_text(DASHED, "utf-8")
    rows = (
        "menu,step,text,to\nmain,-,Isles,/isles\nmain,--,North,/north\n"
        "main,---,Haldrun,/h\nmain,-,News,/n\n"
    )
    (copied / "s.csv").write_text(rows, "utf-8")
    asked = ["convert", "s.csv", "--from", "p.toml", "--unmatched", "address"]
    away = run(copied, *asked, "--to", "csv", "-o", "out.csv")
    assert away.returncode == 0, away.stderr
    assert "main,3,Haldrun,/h" in (copied / "out.csv").read_text("utf-8")
    home = run(copied, *["convert", "out.csv", "--to", "p.toml", "-o", "back.csv"])
    assert home.returncode == 0, home.stderr
    assert (copied / "back.csv").read_text("utf-8").replace("\r", "") == rows
    assert "items with a dash for each level" in run(copied, "platforms", "p.toml").stdout
    wrong = DASHED.replace(', number = "step"', "")
    (copied / "p.toml").write_text(wrong, "utf-8")
    assert "the structure dashes also needs: number" in run(copied, "platforms", "p.toml").stderr


def test_a_form_of_reports_is_one_file_and_its_ending(copied: Path) -> None:
    report = copied / "src/ypsiform/report"
    shutil.copy(ADDED / "txt.py", report)
    text = (report / "__init__.py").read_text("utf-8")
    (report / "__init__.py").write_text(
        text.replace('".json": "json"}', '".json": "json", ".txt": "txt"}')
    )
    assert changed(copied) == {"report/txt.py", "report/__init__.py"}
    data = copied / "src/ypsiform/demo/data/old.xml"
    asked = ["convert", str(data), "--to", "stallmere/plain", "-o", "out.json"]
    done = run(copied, *asked, "--report", "losses.txt", "--report", "r.json")
    assert done.returncode == 0, done.stderr
    lines = (copied / "losses.txt").read_text("utf-8").splitlines()
    losses = [
        f for f in json.loads((copied / "r.json").read_text("utf-8"))["findings"] if f["outcome"]
    ]
    assert len(lines) == len(losses) and lines[0].startswith("high: ")
    wrong = run(copied, *asked, "--force", "--report", "losses.doc")
    assert ".json and .txt" in wrong.stderr


def test_every_file_that_the_page_names_is_there() -> None:
    import re

    named = re.findall(r"`((?:src|tests|docs|tools)/[\w/.]+)`", PAGE)
    assert len(named) > 15
    for name in named:
        assert "NAME" in name or (ROOT / name).exists(), name
