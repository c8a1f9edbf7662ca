"""The public interface: what docs/library.md shows works, and is what the commands do."""

from __future__ import annotations

import csv
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest

import ypsiform
from tests.conftest import Run

ROOT = Path(__file__).parent.parent
PAGE = (ROOT / "docs/library.md").read_text("utf-8")


@pytest.fixture
def here(tmp_path: Path, run: Run, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with the demo data, in which the test runs."""
    monkeypatch.chdir(tmp_path)
    return tmp_path


def test_every_example_of_the_page_runs(
    here: Path, run: Run, capsys: pytest.CaptureFixture[str]
) -> None:
    assert run("draft", "old.xml", "--to", "stallmere/plain", "-o", "plan").returncode == 0
    (here / "my.toml").write_text((ROOT / "tests/samples/crate.toml").read_text("utf-8"), "utf-8")
    names: dict[str, object] = {}
    examples = re.findall(r"```python\n(.*?)```", PAGE, re.DOTALL)
    assert len(examples) == 7
    for example in examples:
        exec(example, names)
    said = capsys.readouterr().out
    assert "quillmoor 6 menus" in said
    assert "['import.json', 'import.json.record.json', 'report.json']" in said
    assert "did you mean stallmere" in said and "plain broad terrace" in said


def test_the_page_names_every_error() -> None:
    named = set(re.findall(r"^\| `(\w+Error)` \|", PAGE, re.MULTILINE))
    assert named == {n for n in ypsiform.__all__ if n.endswith("Error")} - {"YpsiformError"}
    assert all(issubclass(getattr(ypsiform, n), ypsiform.YpsiformError) for n in named)


def test_it_is_what_the_command_does(here: Path, run: Run) -> None:
    asked = ["--into", "new.json", "--depth", "auto", "--report", "r.json", "-o", "one.json"]
    done = run("convert", "old.xml", "--to", "stallmere/plain", *asked)
    assert done.returncode == 0
    same = ypsiform.convert("old.xml", to="stallmere/plain", into="new.json", depth="auto")
    assert same.write("two.json", report="s.json") == [
        *("two.json", "two.json.record.json", "s.json")
    ]
    assert (here / "one.json").read_bytes() == (here / "two.json").read_bytes()
    reports = [json.loads((here / name).read_text("utf-8")) for name in ("r.json", "s.json")]
    for report in reports:
        report["destination"]["file"] = report["record"] = ""
    assert reports[0] == reports[1]
    survey = run("survey", "old.xml", "--json")
    assert json.loads(survey.stdout) == ypsiform.survey("old.xml")


def test_walking_meets_every_item_once(here: Path) -> None:
    export = ypsiform.read("old.xml")
    met = list(export.walk())
    assert len({id(step.item) for step in met}) == len(met) > 60
    for step in met:
        assert step.path[-1] == step.label and len(step.path) == step.depth
        assert all(step.menu.id in place.menus for place in step.locations)
    assert {step.menu.id for step in met} <= {menu.id for menu in export.site.menus}


def test_nothing_is_replaced_unasked(here: Path) -> None:
    done = ypsiform.convert("old.xml", to="stallmere/plain")
    (here / "out").write_text("mine")
    with pytest.raises(ypsiform.FileError, match="out"):
        done.write("out")
    assert (here / "out").read_text() == "mine" and not (here / "out.record.json").exists()


@pytest.mark.parametrize(
    ("asked", "error", "words"),
    [
        ({"to": "stallmere", "dept": "lift"}, TypeError, "no option 'dept'"),
        ({}, ypsiform.AskedError, "name the destination"),
        ({"to": "stallmere", "as_of": "soon"}, ypsiform.AskedError, "2026-11-30"),
        ({"to": "stallmere", "into": "none.json"}, ypsiform.FileError, "none.json"),
        ({"to": "stallmere", "plan": "old.xml"}, ypsiform.FormatError, "old.xml"),
        ({"to": "quillmoor/none"}, ypsiform.ProfileError, "none"),
    ],
)
def test_what_cannot_be_meant_is_said(
    here: Path, asked: dict[str, str], error: type[Exception], words: str
) -> None:
    with pytest.raises(error, match=words):
        ypsiform.convert("old.xml", **asked)  # type: ignore[arg-type]


def test_to_import_it_costs_nothing() -> None:
    program = "import sys, ypsiform; print(*sys.modules)"
    done = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, check=True
    )
    assert not set(done.stdout.split()) & {"msgspec", "click", "lxml", "ypsiform.migrate"}
    assert set(ypsiform.__all__) <= set(dir(ypsiform))


def test_a_folder_of_exports(here: Path) -> None:
    exports = here / "exports"
    exports.mkdir()
    (exports / "a.xml").write_bytes((here / "old.xml").read_bytes())
    (exports / "b.json").write_text("{", "utf-8")
    script = [sys.executable, str(ROOT / "examples/convert_folder.py")]
    done = subprocess.run([*script, "exports", "stallmere/plain", "out"], check=False)
    assert done.returncode == 1
    first, second = csv.DictReader((here / "out/losses.csv").read_text("utf-8").splitlines())
    assert int(first["kept"]) > 100 and first["problem"] == ""
    assert (here / "out/a.import").exists() and "b.json" in second["problem"]
