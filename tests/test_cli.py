"""The real program on real files: results, exit codes, and everything that can be done wrong."""

from __future__ import annotations

import json
import re
import shlex
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from tests.conftest import Run, link, quillmoor
from tests.test_shapes import SAMPLE_FILES
from ypsiform.containers import json as containers_json
from ypsiform.demo import DATA
from ypsiform.findings import CODES
from ypsiform.migrate import convert
from ypsiform.report import json as report_json
from ypsiform.standins import CHECKERS

Report = Callable[..., dict[str, Any]]
SCHEMA = Path(__file__).parents[1] / "src/ypsiform/report/report.schema.json"


def codes(report: dict[str, Any]) -> dict[str, set[str]]:
    """For each code the labels, or menus, that it speaks of."""
    found: dict[str, set[str]] = {}
    for finding in report["findings"]:
        found.setdefault(finding["code"], set()).add((finding["path"] or [finding["menu"]])[-1])
    return found


# The demo


def test_demo_old_to_new(run: Run, report: Report, tmp_path: Path) -> None:
    made = report("old.xml", "stallmere/plain", "--into", "new.json")
    data = (tmp_path / "out").read_bytes()
    assert CHECKERS["stallmere"](data) == []
    before = json.loads((tmp_path / "new.json").read_bytes())
    after = json.loads(data)
    assert after["stock"] == before["stock"]
    assert after["trees"][1] == before["trees"][1]
    facts = made["facts"]
    assert sum(count for name, count in facts.items() if name != "total") == facts["total"]
    assert made["audit"] == {"checked": facts["total"], "unreported": []}


TRAPS = [
    ("place.not-offered", "handset", "high"),
    ("place.not-offered", "member.bar", "high"),
    ("access.not-held", "member.bar", "high"),
    ("access.not-held", "My bookings", "high"),
    ("access.not-held", "For travel agents", "high"),
    ("place.nowhere", "summer.campaign", "note"),
    ("menu.not-asked", "all.pages", "note"),
    ("read.double", "What does it cost?", "note"),
    ("read.parked", "Charters", "note"),
    ("link.unresolved", "Old tariffs", "high"),
    ("access.switched-off", "Winter closure", "note"),
    ("label.cut", "What to do when your sailing is delayed or cancelled", "medium"),
    ("label.language", "main.bar", "medium"),
    ("label.frozen", "main.bar", "note"),
    ("menu.key-taken", "handset", "note"),
    ("menu.replaced", "main", "high"),
    ("panel.not-held", "Islands", "medium"),
    ("depth.lifted", "Holiday extras", "medium"),
    ("trait.window", "Harbour webcam", "low"),
    ("read.extra", "Book", "low"),
    ("kind.stand-in", "Passes", "note"),
]


@pytest.mark.parametrize(("code", "about", "severity"), TRAPS)
def test_each_trap_of_the_scenario_is_found(
    report: Report, code: str, about: str, severity: str
) -> None:
    made = report("old.xml", "stallmere/plain", "--into", "new.json")
    hits = [
        finding
        for finding in made["findings"]
        if finding["code"] == code and (finding["path"] or [finding["menu"]])[-1] == about
    ]
    assert [finding["severity"] for finding in hits] == [severity]


def test_traps_that_need_no_finding(report: Report, tmp_path: Path) -> None:
    report("old.xml", "stallmere/plain", "--into", "new.json")
    main = json.loads((tmp_path / "out").read_bytes())["trees"][0]["entries"]
    by_label = {entry["text"]: entry for top in main for entry in (top, *top["entries"])}
    assert by_label["Freight"]["link"] == {"what": "page", "key": "freight"}  # own old address
    assert by_label["Summer timetables, north"]["link"] == {
        "address": "/read/timetables?season=summer#north",
    }


def test_demo_there_and_back(report: Report, tmp_path: Path) -> None:
    report("new.json", "quillmoor", "--into", "old.xml")
    assert CHECKERS["quillmoor"]((tmp_path / "out").read_bytes()) == []
    made = report("old.xml", "quillmoor", "--made-up")
    assert made["facts"]["kept"] == made["facts"]["total"] > 500
    made = report("new.json", "stallmere")
    assert made["facts"]["kept"] == made["facts"]["total"]


def test_report_follows_its_schema(run: Run, tmp_path: Path) -> None:
    schema = json.loads(SCHEMA.read_bytes())
    done = run("convert", "old.xml", "--to", "stallmere/broad", "-o", "a", "--report", "r.json")
    assert done.returncode == 0
    made = json.loads((tmp_path / "r.json").read_bytes())
    jsonschema.validate(made, schema)
    assert {"destination", "audit"} <= set(made) and len(made["facts"]) == 7
    surveyed = json.loads(run("survey", "old.xml", "--json").stdout)
    jsonschema.validate(surveyed, schema)
    assert set(made) - set(surveyed) == {"destination", "audit"}
    assert surveyed["facts"]["total"] > 500


def test_survey_reads_like_the_site(run: Run) -> None:
    done = run("survey", "old.xml")
    assert done.returncode == 0
    for words in (
        "Upper row [upper]",
        "Haldrun",
        "panel of 4 columns",
        "placed nowhere",
        "tide-clock",
    ):
        assert words in done.stdout
    assert "quillmoor" in done.stderr and "\x1b" not in done.stdout


def test_long_menus_are_shortened_unless_full(run: Run, tmp_path: Path) -> None:
    links = [link(str(n), says=f"I{n}", fixed="home", seq=str(n)) for n in range(1, 120)]
    (tmp_path / "long.xml").write_bytes(quillmoor(*links))
    assert "39 further items" in run("survey", "long.xml").stdout
    assert "I119" in run("survey", "long.xml", "--full").stdout


def test_labels_cannot_send_commands_to_a_terminal(run: Run, tmp_path: Path) -> None:
    data = (tmp_path / "new.json").read_bytes().replace(b"Welcome", b"\\u001b]0;x\\u0007\\ud800", 1)
    (tmp_path / "bad.json").write_bytes(data.replace(b'"Welcome aboard"', b'"W"'))
    for arguments in (
        ["survey", "bad.json"],
        ["convert", "bad.json", "--to", "quillmoor", "-o", "o"],
    ):
        done = run(*arguments)
        assert done.returncode == 0, done.stderr
        assert "\x1b" not in done.stdout + done.stderr


def test_standard_input_and_output(run: Run, tmp_path: Path) -> None:
    data = (tmp_path / "old.xml").read_bytes()
    done = run("convert", "-", "--to", "stallmere", "-o", "-", stdin=data)
    assert done.returncode == 0
    assert CHECKERS["stallmere"](done.stdout.encode()) == []


@pytest.mark.parametrize(("severity", "code"), [("high", 3), ("note", 3)])
def test_fail_on(run: Run, severity: str, code: int) -> None:
    arguments = ["convert", "old.xml", "--to", "stallmere", "-o", "a", "--fail-on", severity]
    assert run(*arguments).returncode == code


def test_fail_on_counts_losses_only(run: Run) -> None:
    done = run("convert", "new.json", "--to", "stallmere", "-o", "a", "--fail-on", "note")
    assert done.returncode == 0  # there are notices, but nothing is lost


def test_strict_links_refuses(run: Run, tmp_path: Path) -> None:
    done = run("convert", "old.xml", "--to", "stallmere", "-o", "a", "--strict-links")
    assert done.returncode == 1 and "internal links" in done.stderr
    assert not (tmp_path / "a").exists()


def test_demo_command(run: Run, tmp_path: Path) -> None:
    done = run("demo", "place")
    assert done.returncode == 0, done.stderr
    assert CHECKERS["stallmere"]((tmp_path / "place/import.json").read_bytes()) == []
    assert json.loads((tmp_path / "place/report.json").read_bytes())["audit"]["unreported"] == []
    again = run("demo", "place")
    assert again.returncode == 1 and "--force" in again.stderr
    assert run("demo", "place", "--force").returncode == 0


def test_explain_and_platforms(run: Run) -> None:
    said = run("explain", "kind.parent").stdout
    assert CODES["kind.parent"].heading in said and "What can be done" in said
    every = run("explain").stdout
    assert all(code in every for code in CODES)
    wrong = run("explain", "link.unresolvd")
    assert wrong.returncode == 2 and "link.unresolved" in wrong.stderr
    assert "quillmoor" in run("platforms").stdout
    assert "180 items in a menu" in run("platforms", "stallmere").stdout
    only = run("platforms", "stallmere/broad").stdout
    assert "Theme broad" in only and "Theme plain" not in only


def test_platforms_say_what_each_can_hold(run: Run, tmp_path: Path) -> None:
    every = run("platforms").stdout
    for name in CHECKERS:
        assert re.search(rf"^{name} ", every, re.MULTILINE)
        assert run("platforms", name).returncode == 0
    assert re.search(r"^stallmere +JSON +4 +40 +180 +plain 2/1, broad 3/2 \+panels", every, re.M)
    done = run("platforms", "fanlight").stdout
    assert "Switch on scripts on the host site" in done and "step.requires" in done
    assert re.search(r"^  1 menu +menu.too-many$", done, re.MULTILINE)
    done = run("platforms", "quillmoor").stdout
    assert "articles, pages, topics" in done and "Pocket" in done
    for name in ("words", "rides"):
        (tmp_path / f"{name}.toml").write_bytes((SAMPLE_FILES / f"{name}.toml").read_bytes())
    done = run("platforms", "words.toml").stdout
    assert "only items that lead nowhere have others below them  kind.parent" in done
    assert "Rides has no import of menus" in run("platforms", "rides.toml").stdout


# Doing it wrong

MARKED = quillmoor().replace(b"Main", "Må".encode())
BOMB = b'<!DOCTYPE q [<!ENTITY a "aa"><!ENTITY b "&a;&a;">]><quillmoor>&b;</quillmoor>'
WRONG: list[tuple[str, bytes | None, str]] = [
    ("missing", None, "no such file"),
    ("empty", b"", "empty"),
    ("blank", b" \n\t ", "blank"),
    ("truncated xml", quillmoor()[:-20], "ends before"),
    ("truncated json", b'{"stallmere": 3, "trees": [', "line 1, column"),
    ("neither", b"hello there", "comes from: it starts with"),
    ("binary", bytes(range(256)), "comes from: it starts with"),
    ("wrong root", b"<menus/>", "root element is <menus>"),
    ("wrong keys", b'{"menus": []}', "its keys are: menus"),
    ("a list", b"[1, 2]", "it is a list"),
    ("two codes", quillmoor(more='<menu code="m1"/>'), "two menus have the key"),
    ("no code", quillmoor(menus="<menu made='by-hand'/>"), "menu[0]"),
    ("entries", b'{"stallmere":3,"trees":[{"key":"a","entries":"x"}]}', "trees[0].entries"),
    ("entry", b'{"stallmere":3,"trees":[{"key":"a","entries":[3]}]}', "trees[0].entries[0]"),
    ("text", b'{"stallmere":3,"trees":[{"key":"a","entries":[{"text":5}]}]}', "a number"),
    ("no text", b'{"stallmere":3,"trees":[{"key":"a","entries":[{"link":{}}]}]}', "no text"),
    ("link", b'{"stallmere":3,"trees":[{"key":"a","entries":[{"text":"x","link":3}]}]}', "link"),
    ("trees", b'{"stallmere":3,"trees":{}}', "a list is needed"),
    ("frame", b'{"stallmere":3,"trees":[],"frame":[]}', "frame"),
    ("header", b'{"stallmere":3,"trees":[],"frame":{"theme":"plain","header":3}}', "frame.header"),
    ("bomb", BOMB, "DOCTYPE"),
    ("external", b'<!DOCTYPE q SYSTEM "file:///etc/passwd"><quillmoor/>', "DOCTYPE"),
    ("nested 600", b'{"stallmere":3,"x":' + b"[" * 600 + b"]" * 600 + b"}", "500 levels"),
    ("nested 200000", b"[" * 200_000 + b"]" * 200_000, "500 levels"),
    ("nested xml", b"<a>" * 600 + b"</a>" * 600, "500 levels"),
    ("not utf-8", quillmoor().replace(b"Main bar", b"M\xe5in"), "byte 0xE5"),
    ("utf-8 as latin-1", MARKED.replace(b"UTF-8", b"ISO-8859-1"), "UTF-8"),
    ("not utf-16", quillmoor().replace(b"UTF-8", b"UTF-16"), "UTF-16"),
    ("encoding", quillmoor().replace(b"UTF-8", b"KLINGON"), "KLINGON"),
    ("json bytes", b'{"stallmere": "\xff"}', "0xFF"),
    ("huge number", b'{"stallmere": 1e999}', "1e999"),
    ("not a number", b'{"stallmere": NaN}', "NaN"),
]  # fmt: skip


@pytest.mark.parametrize("command", ["survey", "convert", "into"])
@pytest.mark.parametrize(("name", "data", "words"), WRONG, ids=[name for name, _, _ in WRONG])
def test_bad_input(
    run: Run, tmp_path: Path, command: str, name: str, data: bytes | None, words: str
) -> None:
    if data is not None:
        (tmp_path / "bad").write_bytes(data)
    if command == "survey":
        done = run("survey", "bad")
    elif command == "convert":
        done = run("convert", "bad", "--to", "stallmere", "-o", "out", "--report", "r.json")
    else:
        to = "quillmoor" if data and data.lstrip()[:1] == b"<" else "stallmere"
        done = run("convert", "old.xml", "--to", to, "--into", "bad", "-o", "out")
        words = "bad"
    assert done.returncode == 1
    assert words in done.stderr and "Traceback" not in done.stderr
    assert done.stderr.startswith("ypsiform: bad") and done.stderr.count("\n") == 1
    assert done.stdout == ""
    assert not (tmp_path / "out").exists() and not (tmp_path / "r.json").exists()


def test_an_output_cannot_be_the_report_too(run: Run) -> None:
    done = run("convert", "old.xml", "--to", "stallmere", "-o", "a.json", "--report", "./a.json")
    assert done.returncode == 2 and "different files" in done.stderr


def test_a_folder_in_place_of_a_file(run: Run, tmp_path: Path) -> None:
    (tmp_path / "folder").mkdir()
    done = run("survey", "folder")
    assert done.returncode == 1 and "the folder is empty" in done.stderr
    (tmp_path / "folder/notes.txt").write_text("not a menu", "utf-8")
    done = run("survey", "folder")
    assert done.returncode == 1 and "it holds notes.txt" in done.stderr
    done = run("convert", "old.xml", "--to", "stallmere", "-o", "folder")
    assert done.returncode == 1 and "this is a folder" in done.stderr


def test_outputs_that_exist_are_kept(run: Run, tmp_path: Path) -> None:
    (tmp_path / "mine").write_text("precious")
    for arguments in (["-o", "mine"], ["-o", "new", "--report", "mine.json"]):
        (tmp_path / "mine.json").write_text("precious")
        done = run("convert", "old.xml", "--to", "stallmere", *arguments)
        assert done.returncode == 1 and "--force" in done.stderr
    assert (tmp_path / "mine").read_text() == "precious" == (tmp_path / "mine.json").read_text()
    assert not (tmp_path / "new").exists()
    assert run("convert", "old.xml", "--to", "stallmere", "-o", "mine", "--force").returncode == 0
    assert (tmp_path / "mine").read_text() != "precious"
    assert not [path for path in tmp_path.iterdir() if path.name.startswith(".")]


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (["convert", "old.xml", "--to", "stalmere", "-o", "a"], 1, "did you mean stallmere"),
        (["convert", "old.xml", "--to", "stallmere/wide", "-o", "a"], 1, "no theme 'wide'"),
        (["convert", "old.xml", "--from", "stallmere", "--to", "stallmere", "-o", "a"], 1, "XML"),
        (["survey", "new.json", "--from", "quillmoor"], 1, "JSON"),
        (["convert", "old.xml", "--to", "stallmere", "--into", "old.xml", "-o", "a"], 1, "XML"),
        (["convert", "old.xml", "--to", "stallmere", "-o", "no/where"], 1, "does not exist"),
        (["convert", "old.xml", "--to", "stallmere"], 2, "--output"),
        (["convert", "old.xml", "-o", "a"], 2, "--to"),
        (["convert", "old.xml", "--to", "stallmere", "-o", "-", "--json"], 2, "standard output"),
        (["convert", "old.xml", "--to", "stallmere", "-o", "old.xml", "--force"], 1, "is read"),
        (["convert", "old.xml", "--to", "stallmere", "-o", "a", "--report", "r.doc"], 2, ".json"),
        (["convrt"], 2, "convert"),
        (["platforms", "nosuch"], 1, "there is no platform"),
    ],
)  # fmt: skip
def test_wrong_use(run: Run, tmp_path: Path, arguments: list[str], code: int, words: str) -> None:
    before = (tmp_path / "old.xml").read_bytes()
    done = run(*arguments)
    assert done.returncode == code, done.stderr
    assert words in done.stderr and "Traceback" not in done.stderr
    assert (tmp_path / "old.xml").read_bytes() == before and not (tmp_path / "a").exists()


@pytest.mark.parametrize(("encoding", "name"), [("iso-8859-1", "ISO-8859-1"), ("utf-16", "UTF-16")])
def test_declared_encodings_are_read(run: Run, tmp_path: Path, encoding: str, name: str) -> None:
    text = quillmoor(link("1", says="Øyene", fixed="home")).decode().replace("UTF-8", name)
    (tmp_path / "coded.xml").write_bytes(text.encode(encoding))
    done = run("survey", "coded.xml")
    assert done.returncode == 0 and "Øyene" in done.stdout


def test_ten_thousand_levels(run: Run, tmp_path: Path) -> None:
    links = [link(str(n), under=str(n - 1), says=f"L{n}", fixed="home") for n in range(1, 10_001)]
    (tmp_path / "deep.xml").write_bytes(quillmoor(*links))
    done = run("survey", "deep.xml", "--json")
    assert json.loads(done.stdout)["menus"][0]["depth"] == 10_000
    for to in ("quillmoor", "stallmere"):
        done = run("convert", "deep.xml", "--to", to, "-o", to, "--json")
        assert done.returncode == 0, done.stderr
        assert CHECKERS[to]((tmp_path / to).read_bytes()) == []


# What the terminal shows


def test_the_terminal_shows_what_weighs_and_counts_the_rest(run: Run, tmp_path: Path) -> None:
    asked = ("convert", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "i.json")
    short = run(*asked, "--force", COLUMNS="80")
    whole = run(*asked, "--force", "-v", COLUMNS="80")
    found = json.loads(run(*asked, "--force", "--json").stdout)["findings"]
    by = Counter(one["severity"] for one in found)
    words = " ".join(whole.stdout.split())
    at_hand = {one["code"] for one in found if one["severity"] in ("high", "medium")}
    for one in found:
        assert " ".join(one["why"].split()) in words and one["code"] in whole.stdout
        assert (one["code"] in short.stdout) is (one["code"] in at_hand), one["code"]
    assert f"And {by['low']} low and {by['note']} notes: -v shows them all." in short.stdout
    assert f"{by['high']} high and {by['medium']} medium" in " ".join(short.stdout.split())
    assert len(short.stdout.splitlines()) < 72 < 100 < len(whole.stdout.splitlines())


@pytest.mark.parametrize("columns", [40, 80, 100])
def test_lines_fit_the_terminal(run: Run, columns: int) -> None:
    asked = ("convert", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "i.json")
    for more in ((), ("-v",)):
        done = run(*asked, "--force", *more, COLUMNS=str(columns))
        wide = [line for line in done.stdout.splitlines() if len(line) > columns]
        assert not [line for line in wide if " " in line.strip()], wide


def test_the_terminal_says_where_the_page_is_or_how_to_get_it(run: Run, tmp_path: Path) -> None:
    asked = ("convert", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "i.json")
    done = run(*asked, "--set", "x=1")
    assert done.returncode == 1
    done = run(*asked, "--clash", "merge", "--made-up")
    [line] = [line for line in done.stderr.splitlines() if line.startswith("To see before")]
    words = shlex.split(line.partition(": ")[2])
    assert words[:3] == ["ypsiform", "preview", "old.xml"] and words[-1] == "i.html"
    assert {"--clash", "merge", "--made-up", "--into", "new.json"} <= {*words}
    assert run(*words[1:]).returncode == 0 and (tmp_path / "i.html").exists()
    done = run(*asked, "--force", "--report", "page.html")
    assert "open page.html in a browser" in done.stderr
    assert run("draft", "old.xml", "--to", "stallmere/plain", "-o", "plan").returncode == 0
    done = run("convert", "--plan", "plan", "-o", "by-plan.json")
    [line] = [line for line in done.stderr.splitlines() if line.startswith("To see before")]
    again = run(*shlex.split(line.partition(": ")[2])[1:])
    assert again.returncode == 0 and (tmp_path / "by-plan.html").exists(), again.stderr


@pytest.mark.parametrize("at_once", [1, 3, 500])
def test_a_report_in_parts_is_the_same_as_in_one(
    monkeypatch: pytest.MonkeyPatch, at_once: int
) -> None:
    monkeypatch.setattr(report_json, "AT_ONCE", at_once)
    data = DATA.joinpath("old.xml").read_bytes()
    done = convert(data, "old.xml", "stallmere/plain")
    assert len(done.findings) > 6
    name = 'an "odd"\n  "findings": [] name'
    for finding in (None, done.findings[1]):
        if finding is not None:
            finding.before = "half a pair: \ud800"
        whole = report_json.of_migration(done, name, {"source": None}, None)
        made = report_json.written(done, name, {"source": None}, None)
        assert made == containers_json.write(whole, made=True)
    done.findings.clear()
    assert json.loads(report_json.written(done, name, {}, None))["findings"] == []
