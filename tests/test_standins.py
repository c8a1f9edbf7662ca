"""The checkers: each rule of a platform, broken once."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from typing import Any

import pytest

from tests.conftest import entry, link, quillmoor, stallmere
from tests.test_platforms import ROWANBASE
from tests.test_shapes import BYTES
from ypsiform.standins import CHECKERS

GOOD = quillmoor(
    link("1", says="A", page="5", style="pane"),
    link("2", under="1", says="B", address="/b", style="share-2"),
    link("3", says="C", fixed="home", seq="2"),
    nodes='<page no="5" at="/a/" stage="open"><name>A</name></page>',
)
PLANKS = quillmoor(
    link("1", says="A"),
    link("2", under="1", heading="B", page="5"),
    link("3", under="2", says="C"),
    nodes='<page no="5" at="/a/"><name>A</name></page>',
    dress="slipway",
)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('version="4"', 'version="3"', "version"),
        ('root="', 'shoot="', "no address"),
        ('code="m1"', 'code="M_1"', "not legal"),
        ('code="m1"', f'code="{"m" * 27}"', "not legal"),
        ("</menu>", '</menu><menu code="m1"/>', "there twice"),
        ('shown-at="upper"', 'shown-at="Upper"', "the place 'Upper'"),
        ('shown-at="upper"', 'shown-at="upper" made="somehow"', "made is"),
        ('shown-at="upper"', 'shown-at="upper" fills="all"', "fills is"),
        ('page="5"', 'page="6"', "leads to no page"),
        ('<page no="5"', '<article no="5"', "not well-formed"),
        ('page="5"', 'subject="5"', "leads to no subject"),
        ('fixed="home"', 'fixed="moon"', "'moon' is not fixed"),
        ('fixed="home"', 'moon="home"', "leads to a moon"),
        ('address="/b"', 'address="javascript:x"', "script"),
        ('address="/b"', 'address=""', "no address"),
        ("<leads fixed", '<leads page="5"/><leads fixed', "more than one"),
        ('in="1"', 'in="9"', "not in its menu"),
        ('<item no="1"', '<item no="1" in="2"', "is in itself"),
        ('no="2"', 'no="1"', "twice"),
        ('after="1"', 'after="2"', "none of its siblings"),
        ('<item no="1"', '<item no="1" after="3"', "is after itself"),
        ('stage="open"', 'stage="shut"', "stage"),
        ('<page no="5" at="/a/"', '<page no="5"', "no path"),
        ('dress="breakwater"', 'dress="brekwater"', "dress"),
        ("<says>C</says>", "<says>C</says><says>D</says>", "twice in one language"),
        ("<says>C</says>", "<says>C</says><window>old</window>", "window is 'old'"),
        ("<style>pane<", "<style>shaded<", "outside a pane"),
        ("share-2", "share-2 share-3", "twice"),
        ("<style>pane<", "<style>pane-wide<", "without a pane"),
        ("</menu>", "</menu", "well-formed"),
    ],
)
def test_quillmoor(old: str, new: str, words: str) -> None:
    assert CHECKERS["quillmoor"](GOOD) == []
    broken = GOOD.decode().replace(old, new, 1)
    assert broken != GOOD.decode()
    problems = CHECKERS["quillmoor"](broken.encode())
    assert any(words in problem for problem in problems), problems


def test_planks() -> None:
    assert CHECKERS["quillmoor"](PLANKS) == []
    text = PLANKS.decode()
    for old, new, words in (
        ('"slipway"', '"breakwater"', "has no planks"),
        ('in="1" heading', 'in="3" heading', "not in a top item"),
        ("</menu>", "".join(f'<plank no="{n}" in="1"/>' for n in range(10, 17)) + "</menu>", "8"),
    ):
        problems = CHECKERS["quillmoor"](text.replace(old, new, 1).encode())
        assert any(words in problem for problem in problems), problems


def _entry(**change: Any) -> Any:
    def damage(document: Any) -> None:
        document["trees"][0]["entries"][0].update(change)

    return damage


def _deep(document: Any) -> None:
    document["trees"][0]["entries"] = [entry("1", entry("2", entry("3", entry("4", entry("5")))))]


def _many(document: Any) -> None:
    document["trees"][0]["entries"] = [entry("x")] * 181


def _set(key: str, value: Any) -> Any:
    def damage(document: Any) -> None:
        document[key] = value

    return damage


TRAY = {"under": {"text": "A"}, "columns": [[{"tree": "main"}]]}


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (_entry(text="x" * 41), "41 characters"),
        (_entry(text=None), "without a text"),
        (_entry(link={"what": "page", "key": "zz"}), "unknown page"),
        (_entry(link={"fixed": "moon"}), "'moon' is not fixed"),
        (_entry(link={"list": "page"}), "no list of 'page'"),
        (_entry(link={"to": "moon"}), "a link says nothing"),
        (_entry(link={"fixed": "home", "address": "/"}), "a link says fixed, address"),
        (_entry(link={"address": ""}), "no address"),
        (_entry(link={"address": "javascript:x"}), "script"),
        (_entry(link={"fixed": "home", "key": "x"}), "a link has key"),
        (_entry(tooltip="x"), "tooltip"),
        (_deep, "level 5"),
        (_many, "181 entries"),
        (_set("trees", [{"key": "A b", "title": "", "entries": []}]), "not legal"),
        (_set("trees", [{"key": f"t{n}", "title": ""} for n in range(31)]), "31 trees"),
        (_set("frame", {"theme": "plain", "header": "zz"}), "missing tree"),
        (_set("frame", {"theme": "wide"}), "theme"),
        (_set("trays", [TRAY]), "no trays"),
        (_set("stallmere", 1), "stallmere is 1"),
    ],
)
def test_stallmere(damage: Any, words: str) -> None:
    document = json.loads(stallmere(("main", [entry("A", to="page", key="p")]), pages=("p",)))
    assert CHECKERS["stallmere"](json.dumps(document).encode()) == []
    damage(document)
    problems = CHECKERS["stallmere"](json.dumps(document).encode())
    assert any(words in problem for problem in problems), problems


@pytest.mark.parametrize(
    ("top", "trays", "words"),
    [
        ([entry("A")], [TRAY], ""),
        ([entry("B")], [TRAY], "0 entries of the header"),
        ([entry("A"), entry("A")], [TRAY], "2 entries of the header"),
        ([entry("A"), entry("A")], [{**TRAY, "under": {"text": "A", "place": 2}}], ""),
        ([entry("A"), entry("A")], [{**TRAY, "under": {"text": "A", "place": 3}}], "0 entries"),
        ([entry("A")], [{**TRAY, "under": {"text": "A", "place": "1"}}], "0 entries"),
        ([entry("A", entry("B"))], [TRAY], "entries of its own"),
        ([entry("A")], [{"under": {"text": "A"}, "columns": [[{"tree": "zz"}]]}], "missing"),
        ([entry("A")], [{"under": {"text": "A"}, "columns": [[]] * 7}], "7 columns"),
        ([entry("A")], [{"under": {"text": "A"}, "columns": [[{"words": "x"}] * 13]}], "13 pieces"),
    ],
)
def test_trays(top: list[Any], trays: list[Any], words: str) -> None:
    data = stallmere(("nav", top), ("main", []), header="nav", theme="broad", trays=trays)
    problems = CHECKERS["stallmere"](data)
    assert problems == [] if not words else any(words in problem for problem in problems)


def spoilt(name: str, old: str, new: str) -> list[str]:
    """What a checker says of a sound export of its platform, once one thing in it is changed."""
    text = BYTES[name].decode()
    assert CHECKERS[name](text.encode()) == [] and old in text
    return CHECKERS[name](text.replace(old, new, 1).encode())


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("arborcote: 6", "arborcote: 4", "arborcote is 4"),
        ("site: https://intranet.skerryline.example", "site: 3", "no site"),
        ("id: 13,", "id: 14,", "there twice"),
        ("title: Winter,", "title: 3,", "no title"),
        ("title: Winter,", f"title: {'x' * 81},", "81 characters"),
        ("title: Webcam, path: null, listed: true", "title: W, path: null, listed: 1", "listed is"),
        ("readers: [crew]", "readers: []", "the readers are"),
        ("pointer: 13", "pointer: 99", "the missing page 99"),
        ('pointer: "https://webcam.example/"', 'pointer: "javascript:x"', "a script"),
        ("path: /privacy", "path: null", "a new page, which cannot be imported"),
        ("name: foot", "name: main", "there twice"),
        ("under: [50]", "under: [51, 60]", "there is no page 60"),
        ("levels: 3", "levels: 0", "levels is 0"),
        ("by: made", "by: 3", "by 3"),
        ("side: after", "side: over", "a piece 'over'"),
        ("tint: 2", "tint: 4", "the tint 4"),
        ("theme: ridge", "theme: ledge", "the theme 'ledge' is not known"),
        ("theme: ridge", "theme: furrow", "has no boards"),
        ("page: 12", "page: 13", "not at the top of main"),
        ("columns: 3", "columns: 6", "6 columns"),
        ("pages:\n", "pages: 3\nx:\n", "no pages"),
        ("pages:\n", "pages: [\n", "not YAML"),
    ],
)
def test_arborcote(old: str, new: str, words: str) -> None:
    assert any(words in problem for problem in spoilt("arborcote", old, new))


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("bar,outline", "baar,outline", "the header"),
        ("main,2,News", "mane,2,News", "no bar 'mane'"),
        ("board", "bored", "below is 'bored'"),
        (",new,", ",old,", "window is 'old'"),
        ("same,yes,no", "same,yes,maybe", "handset is 'maybe'"),
        ("Harbour webcam", "x" * 61, "61 characters"),
        ("main,2,News", "main,2.x,News", "is not one"),
        ("main,2,News", "main,1,News", "does not follow"),
        ("main,1.1.1,", "main,1.4.1,", "nothing stands above"),
        ("https://webcam.example/", "javascript:x", "a script"),
        ("Northern,,list", "Northern,,board", "a board below the top"),
        ("Northern,,list", "Northern,,", "something stands below, ''"),
        ("/news,,", "/news,list,", "nothing stands below, 'list'"),
        ("board,4", "board,6", "a board of '6' columns"),
        ("/news,,,", "/news,,2,", "columns without a board"),
        ("4,hover", "4,shove", "opens is 'shove'"),
        ("Islands", '"Islands', "not CSV"),
    ],
)
def test_tilewick(old: str, new: str, words: str) -> None:
    assert any(words in problem for problem in spoilt("tilewick", old, new))


def test_tilewick_holds_120_rows_in_a_bar() -> None:
    end = "/x,,,,same,yes,yes\n"
    rows = "".join(f"foot,{n},x,{end}" for n in range(1, 122))
    data = BYTES["tilewick"].splitlines(keepends=True)[0] + rows.encode()
    assert CHECKERS["tilewick"](data) == ["foot has 121 rows"]


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('"fanlight": 4', '"fanlight": 3', "fanlight is 3"),
        ('"takes": "top"', '"takes": "roof"', "it takes 'roof'"),
        ('"host": "https', '"toast": "https', "no host"),
        ('"uid": "f1", ', "", "lacks uid"),
        ('"uid": "f9"', '"uid": "f1"', "there twice"),
        ('{"en": "Help"}', '"Help"', "not a text for each language"),
        ('"href": "/shelf/islands"', '"href": 3', "href is 3"),
        ('"href": "/shelf/islands"', '"href": "javascript:x"', "a script"),
        ('"glyph": "anchor"', '"glyph": "rocket"', "no glyph 'rocket'"),
        ('"hide_on": ["handset"]', '"hide_on": ["fridge"]', "hidden on"),
        ('"text": "New", ', "", "a mark without text"),
        ('"text": "New", ', '"text": "New", "counts": "down", ', "a mark that counts 'down'"),
        ('"scripts": true', '"scripts": "yes"', "it needs"),
        ('"uid": "t1"', '"uid": "f1"', "of a tab is not one, or is there twice"),
        ('"href": "/read/summer"', '"href": 4', "a tab leads to 4"),
        ('"note": {"en": "May to August"}', '"note": "May"', "the note of a tab"),
        ('"note": ', '"notes": ', "a tab has unknown notes"),
        ('"width": 4', '"width": 4, "off": "no"', "a cell that is off: 'no'"),
        ('"src": ', '"second": 3, "src": ', "the second picture is 3"),
        ('"src": ', '"title": "Pier", "src": ', "the title of a picture is not a text for each"),
        ('"off": false', '"off": "no"', "off is 'no'"),
        ('"off": false', '"of": false', "unknown of"),
        ('"as": "cascade"', '"as": "curtain"', "reveals as 'curtain'"),
        ('"takes": "top"', '"takes": "side"', "cascades only"),
        ('"type": "picture"', '"type": "film"', "a cell of type 'film'"),
        ('"width": 4', '"width": 13', "a cell of width 13"),
        ('"items": [\n', '"items": 3, "x": [\n', "items is not a list"),
        ('"fanlight"', "fanlight", "not JSON"),
    ],
)
def test_fanlight(old: str, new: str, words: str) -> None:
    assert any(words in problem for problem in spoilt("fanlight", old, new))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("UPDATE nav_node SET lineage = '4' WHERE id = 3", "does not end in it"),
        ("UPDATE nav_node SET lineage = '5/7' WHERE id = 7", "5 is not in its bar"),
        ("UPDATE nav_node SET bar = 'foot' WHERE id = 7", "3 is not in its bar"),
        ("UPDATE nav_node SET lineage = '9/3/7' WHERE id = 7", "is not that of 3"),
        ("UPDATE nav_node SET bar = '' WHERE id = 9", "no bar"),
        ("UPDATE nav_node SET rank = 'first' WHERE id = 9", "rank 'first'"),
        ("UPDATE nav_node SET new_window = 3 WHERE id = 9", "new_window 3"),
        ("UPDATE nav_node SET words = x'00' WHERE id = 9", "the words are"),
        ("UPDATE nav_node SET leads = 'path:fares' WHERE id = 8", "the path 'fares'"),
        ("UPDATE nav_node SET leads = 'url:' WHERE id = 8", "no address"),
        ("UPDATE nav_node SET leads = 'url:javascript:x' WHERE id = 8", "a script"),
        ("UPDATE nav_node SET leads = 'route:island' WHERE id = 8", "cannot be filled in"),
        ("UPDATE nav_node SET leads = 'moon' WHERE id = 8", "leads 'moon'"),
        ("ALTER TABLE nav_node DROP COLUMN icon", "nav_node lacks icon"),
        ("DROP TABLE route", "route lacks name, pattern"),
    ],
)
def test_rowanbase(change: str, words: str) -> None:
    with closing(sqlite3.connect(":memory:")) as base:
        base.deserialize(ROWANBASE)
        assert CHECKERS["rowanbase"](base.serialize()) == []
        base.execute(change)
        base.commit()
        problems = CHECKERS["rowanbase"](base.serialize())
    assert any(words in problem for problem in problems), problems
    assert "not an SQLite file" in CHECKERS["rowanbase"](b"x" * 600)[0]
