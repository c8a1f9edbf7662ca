"""The checkers: each rule of a platform, broken once."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.conftest import entry, link, quillmoor, stallmere
from ypsiform.standins import CHECKERS

GOOD = quillmoor(
    link("1", text="A", sort="page", points_to="5"),
    link("2", under="1", text="B", sort="address", address="#"),
    nodes='<node id="5" sort="page" path="/a/" name="A" state="live"/>',
)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('version="3"', 'version="2"', "version"),
        ('ref="m1"', 'ref="M_1"', "not legal"),
        ('ref="m1"', f'ref="{"m" * 27}"', "not legal"),
        ('points-to">5', 'points-to">6', "points to no page"),
        ('sort="page" path', 'sort="topic" path', "points to no page"),
        ('under="1"', 'under="9"', "not in its menu"),
        ('under="0"', 'under="2"', "under itself"),
        ('id="2"', 'id="1"', "twice"),
        ('menu="m1" under="1"', 'menu="m3" under="0"', "missing menu"),
        ('seq="1"', 'seq="one"', "seq"),
        ('"sort">page', '"sort">pgae', "the sort"),
        ('"address">#', '"address">', "no address"),
        ('"address">#', '"address">javascript:x', "script"),
        ('state="live"', 'state="alive"', "state"),
        ('theme="breakwater"', 'theme="brekwater"', "theme"),
        ("</links>", "</links", "well-formed"),
    ],
)
def test_quillmoor(old: str, new: str, words: str) -> None:
    assert CHECKERS["quillmoor"](GOOD) == []
    broken = GOOD.decode().replace(old, new, 1)
    assert broken != GOOD.decode()
    assert any(words in problem for problem in CHECKERS["quillmoor"](broken.encode()))


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


DRAWER = {"opens_from": "A", "columns": [[{"list": "main"}]]}


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (_entry(text="x" * 41), "41 characters"),
        (_entry(text=None), "without a text"),
        (_entry(goes={"to": "page", "key": "zz"}), "unknown page"),
        (_entry(goes={"to": "moon"}), "goes to 'moon'"),
        (_entry(goes={"to": "address", "address": ""}), "no address"),
        (_entry(goes={"to": "address", "address": "javascript:x"}), "script"),
        (_entry(goes={"to": "front", "key": "x"}), "goes has key"),
        (_entry(tooltip="x"), "tooltip"),
        (_deep, "level 5"),
        (_many, "181 entries"),
        (_set("trees", [{"key": "A b", "title": "", "entries": []}]), "not legal"),
        (_set("trees", [{"key": f"t{n}", "title": ""} for n in range(31)]), "31 trees"),
        (_set("frame", {"theme": "plain", "header": "zz"}), "missing tree"),
        (_set("frame", {"theme": "wide"}), "theme"),
        (_set("drawers", [DRAWER]), "no drawers"),
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
    ("top", "drawers", "words"),
    [
        ([entry("A")], [DRAWER], ""),
        ([entry("B")], [DRAWER], "0 entries of the header"),
        ([entry("A"), entry("A")], [DRAWER], "2 entries of the header"),
        ([entry("A", entry("B"))], [DRAWER], "entries of its own"),
        ([entry("A")], [{"opens_from": "A", "columns": [[{"list": "zz"}]]}], "missing"),
        ([entry("A")], [{"opens_from": "A", "columns": [[]] * 7}], "7 columns"),
        ([entry("A")], [{"opens_from": "A", "columns": [[{"words": "x"}] * 13]}], "13 pieces"),
    ],
)
def test_drawers(top: list[Any], drawers: list[Any], words: str) -> None:
    data = stallmere(("nav", top), ("main", []), header="nav", theme="broad", drawers=drawers)
    problems = CHECKERS["stallmere"](data)
    assert problems == [] if not words else any(words in problem for problem in problems)
