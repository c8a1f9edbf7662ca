"""Every code is reached by a test: these are the ones that no other test looks at."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import entry, link, quillmoor, stallmere
from ypsiform.decisions import Decisions, MenuChoice
from ypsiform.demo import DATA
from ypsiform.findings import CODES, Finding
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.profiles.load import parsed
from ypsiform.profiles.schema import Profile
from ypsiform.reading import all_findings, read

HERE = Path(__file__).parent
FOUND = HERE / "found"
WRAPPED = """
profile = 1
id = "sample"
name = "Sample"
container = "json"
recognise = { keys = ["menus"] }
menus = { at = "menus", fields = { key = "key" } }
locations = { form = "names", open = true, offered = [{ name = "main", panels = true }] }
panels = { encoding = "wrapped" }
[site]
[items]
tie = { structure = "nested", inside = "below" }
fields = { label = "text" }
kinds = [
  { when = { sort = "part" }, kind = "none", part = "column" },
  { when = { sort = "head" }, kind = "address", part = "heading", address = "to" },
  { when = {}, kind = "address", address = "to" },
]
"""
COLUMNS = (
    b'{"menus": [{"key": "main", "below": [{"text": "Isles", "to": "/i", "below": ['
    b'{"text": "For editors", "sort": "part", "below": [{"text": "Haldrun", "to": "/h"}]}]}]}]}'
)
TWO = '<page no="1" at="/a/"><name>A</name></page>'
GROWS = '<menu code="m1" made="by-hand" fills="root-pages"><name>Top</name></menu>'
HUGO = b'baseURL = "/"\n[[menu.main]]\nname = "A"\nurl = "/a"\n[menu.main.params]\nd = 2026-01-02\n'
PAGE = b'<!doctype html><nav><ul><li><a href="/a">A</a></li></ul><script>x()</script></nav>'
TABLE = (
    b"bar,outline,label,leads,below,columns,opens,window,desktop,handset\n"
    b"main,1,Isles,/i,list,,press,same,yes,yes\nmain,1.1,Haldrun,/h,,,,same,yes,yes\n"
)


LISTS = b"## Top\n\nOf people, for people.\n\n- [A](/a)\n"
MARKDOWN = """
profile = 1
id = "sample"
name = "Sample"
container = "markdown"
recognise = { keys = ["menus"] }
site = {}
menus = { at = "menus", fields = { key = "title" } }
locations = { form = "names", open = true }
[items]
tie = { structure = "nested", inside = "items" }
fields = { label = "label" }
kinds = [{ when = {}, kind = "address", address = "address", none = "" }]
"""


def looked(data: bytes, name: str, platform: str | Profile | None = None) -> list[Finding]:
    return all_findings(read(data, name, platform)[0])


def went(data: bytes, name: str, to: str, **more: object) -> list[Finding]:
    return convert(data, name, to, **more).findings  # type: ignore[arg-type]


def placed_twice() -> list[Finding]:
    links = [link("1", says="A"), link("2", under="1", says="B", address="/b")]
    return went(quillmoor(*links, places="corner=m1 foot=m1"), "q.xml", "csv")


def without_its_menu(footer: str | None) -> bytes:
    return stallmere(("main", [entry("A", to="home")]), footer=footer)


CASES: dict[str, Callable[[], list[Finding]]] = {
    "read.value": lambda: went(
        HUGO,
        "hugo.toml",
        "hugo",
        settings={"form": "json"},
    ),
    "read.other-theme": lambda: looked(quillmoor(), "q.xml", "quillmoor/slipway"),
    "read.theme": lambda: looked(quillmoor(dress="harbour"), "q.xml"),
    "read.key": lambda: looked(
        quillmoor(menus='<menu code="Not one"><name>M</name></menu>', places=""), "q.xml"
    ),
    "read.same-id": lambda: looked(quillmoor(nodes=TWO + TWO), "q.xml"),
    "place.more-levels": placed_twice,
    "place.unknown": lambda: looked(without_its_menu("gone"), "s.json"),
    "place.overwritten": lambda: went(
        quillmoor(link("1", says="A", address="/a"), places="foot=m1"),
        "q.xml",
        "stallmere",
        into=(without_its_menu("gone"), "new.json"),
    ),
    "link.characters": lambda: went(
        stallmere(("main", [entry("A", address="https://x.example/\x01")])), "s.json", "quillmoor"
    ),
    "access.exposed": lambda: went(
        (FOUND / "arborcote-column-of-a-reader-group.yaml").read_bytes(),
        "a.yaml",
        "quillmoor/breakwater",
    ),
    "label.characters": lambda: went(
        stallmere(("main", [entry("A\x01", to="home")])), "s.json", "quillmoor"
    ),
    "label.to-menu": lambda: went(
        (DATA / "old.xml").read_bytes(),
        "old.xml",
        "stallmere/broad",
        options=Options(languages="menus"),
    ),
    "panel.lists": lambda: went((DATA / "old.xml").read_bytes(), "old.xml", "stallmere/broad"),
    "panel.around": lambda: went((DATA / "season.json").read_bytes(), "s.json", "arborcote/ridge"),
    "panel.column-label": lambda: went(
        COLUMNS, "s.json", "fanlight", from_=parsed(WRAPPED, "p.toml")
    ),
    "panel.heading": lambda: went(
        quillmoor(link("1", says="A", style="pane"), link("2", under="1", says="B", address="/b")),
        "q.xml",
        "tilewick/gable",
        options=Options(unmatched="address"),
    ),
    "panel.nested": lambda: went(
        (FOUND / "quillmoor-column-without-a-word.xml").read_bytes(), "q.xml", "stallmere/broad"
    ),
    "trait.opens": lambda: went(TABLE, "t.csv", "stallmere", from_="tilewick/gable"),
    "access.narrowed": lambda: went(
        quillmoor(link("1", says="A", address="/a"), places="foot=m1", dress="slipway"),
        "q.xml",
        "quillmoor/slipway",
        options=Options(decisions=Decisions(menus={"m1": MenuChoice([], locations=("member",))})),
    ),
    "menu.grows": lambda: went(
        stallmere(("main", [entry("A", to="home")])),
        "s.json",
        "quillmoor",
        into=(quillmoor(menus=GROWS), "new.xml"),
    ),
    "read.script": lambda: looked(PAGE, "p.html"),
    "read.encoding": lambda: looked("<nav><a href='/f'>Fähren</a></nav>".encode("cp1252"), "p.htm"),
    "read.beside": lambda: looked(LISTS, "l.md", parsed(MARKDOWN, "m.toml")),
}


@pytest.mark.parametrize("code", CASES)
def test_a_code_is_reached(code: str) -> None:
    found = [finding for finding in CASES[code]() if finding.code == code]
    assert found
    for finding in found:
        assert "{" not in finding.why and "None" not in finding.why, finding.why
        assert finding.do


def test_every_code_is_reached_by_some_test() -> None:
    tests = "".join(path.read_text("utf-8") for path in HERE.glob("test_*.py"))
    named = set(re.findall(r"[\"'/ ]([a-z]+\.[a-z]+(?:-[a-z]+)*)[\"'/ ,:]", tests))
    assert set(CODES) - named == set()
