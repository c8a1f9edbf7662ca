"""Open formats: what is written into them, what comes back, and that every file is told apart."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.conftest import Run, entry, stallmere
from tests.open_formats import CHECKERS, OPEN
from tests.test_pairs import PLACES
from tests.test_shapes import outline
from ypsiform.demo import DATA
from ypsiform.migrate import convert, read
from ypsiform.model import Item, rows_of

DEMO = (DATA / "old.xml").read_bytes()


@pytest.mark.parametrize("name", OPEN)
def test_each_menu_is_a_location_by_its_own_name(name: str) -> None:
    done = convert(DEMO, "old.xml", name)
    assert CHECKERS[name](done.data) == []
    site = read(done.data, "made")[0].site
    assert [menu.key for menu in site.menus] == [
        *("masthead", "foot", "handset", "member", "summer.campaign"),
    ]
    assert {place.name: place.menus for place in site.locations} == {
        menu.key: (menu.id,) for menu in site.menus
    }
    codes = {loss.code for loss in done.fitted.losses}
    assert not codes & {"place.not-offered", "place.clash", "depth.lifted", "menu.no-place"}
    # What visitors did not see and now do is said.
    revealed = [loss for loss in done.fitted.losses if loss.code == "depth.revealed"]
    assert [loss.menu for loss in revealed] == ["main.bar", "summer.campaign"]


@pytest.mark.parametrize("name", ["csv", "jsonapi"])
def test_traits_come_back(name: str) -> None:
    made = convert(DEMO, "old.xml", name)
    there = {t.label: t for t in rows_of(made.written.menus).things if isinstance(t, Item)}
    for thing in rows_of(made.source.site.menus).things:
        if isinstance(thing, Item) and thing.label in ("Dangerous goods", "For travel agents"):
            assert there[thing.label].traits == thing.traits
    assert there["Harbour webcam"].traits.window == "new"
    assert there["Winter closure"].hidden


def test_a_table_from_a_spreadsheet(run: Run, tmp_path: Any) -> None:
    text = "\ufeffmenu;level;label;address;notes\nmain;1;Sailings;/s;old\nmain;2;North;/n;\n"
    (tmp_path / "t.csv").write_bytes(text.replace("\n", "\r\n").encode())
    done = run("survey", "t.csv", "--json")
    assert done.returncode == 0, done.stderr
    assert "export of csv" in run("survey", "t.csv").stderr
    site = read((tmp_path / "t.csv").read_bytes(), "t.csv")[0].site
    assert outline(site.menus[0].items) == [("Sailings", ["North"])]
    assert [extra.path for extra in site.menus[0].items[0].extras] == ["notes"]


def test_markup_for_search_engines() -> None:
    data = stallmere(("main", [entry("A", entry("B", to="address", address="/b"))]))
    made = json.loads(convert(data, "x", "jsonld").data)
    (menu,) = made["@graph"]
    assert menu["@id"] == "#header" and menu["name"] == "Main"
    (item,) = menu["hasPart"]
    assert item == {
        "@type": "SiteNavigationElement",
        "name": "A",
        "hasPart": [
            {"@type": "SiteNavigationElement", "name": "B", "url": "/b", "hasPart": []},
        ],
    }


def test_an_outline_that_knows_no_menus(run: Run, tmp_path: Any) -> None:
    text = (
        '<opml version="2.0"><head><title>My reading</title></head><body>'
        '<outline text="Sailings"><outline text="North" type="link" url="/north"/>'
        '<outline text="News" type="rss" xmlUrl="/feed" htmlUrl="/news"/></outline>'
        '<outline text="Off" isComment="true" url="/off"/></body></opml>'
    )
    (tmp_path / "list.opml").write_text(text, "utf-8")
    site = read(text.encode(), "list.opml")[0].site
    (menu,) = site.menus
    assert outline(menu.items) == [("Sailings", ["North", "News"]), "Off"]
    addresses = [item.target.address for item in (*menu.items[0].children, menu.items[1])]
    assert addresses == ["/north", "/news", "/off"] and menu.items[1].hidden
    assert {extra.path for extra in menu.items[0].children[1].extras} == {"@xmlUrl"}
    assert run("profile", "check", "opml", "list.opml").returncode == 0
    done = run("convert", "list.opml", "--to", "stallmere", "-o", "out.json")
    assert done.returncode == 0 and "My reading" in done.stdout


@pytest.mark.parametrize("place", PLACES)
def test_platforms_are_told_apart(place: str) -> None:
    made = convert(DEMO, "old.xml", place).data
    assert read(made, "x")[0].profile.id == place.split("/")[0]


def test_a_file_that_nobody_knows(run: Run, tmp_path: Any) -> None:
    (tmp_path / "odd.json").write_text('{"menu": []}', "utf-8")
    done = run("survey", "odd.json")
    assert done.returncode == 1
    for words in ("cannot be told", "its keys are: menu", "jsonapi has the key", "--from"):
        assert words in done.stderr
