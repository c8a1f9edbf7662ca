"""Open formats: what is written into them, what comes back, and that every file is told apart."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.conftest import Run, entry, stallmere
from tests.open_formats import CHECKERS, OPEN, sitemap
from tests.test_pairs import PLACES
from tests.test_shapes import outline
from ypsiform.demo import DATA
from ypsiform.errors import RefusedError
from ypsiform.migrate import convert
from ypsiform.model import Item, rows_of
from ypsiform.reading import read

DEMO = (DATA / "old.xml").read_bytes()


@pytest.mark.parametrize("name", [n for n in OPEN if n not in ("sitemap", "ypsiform")])
def test_each_menu_is_a_location_by_its_own_name(name: str) -> None:
    done = convert(DEMO, "old.xml", name)
    assert CHECKERS[name](done.data) == []
    site = read(done.data, "made")[0].site
    assert [menu.key for menu in site.menus] == [
        *("upper", "foot", "pocket", "member", "summer.campaign"),
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
    data = stallmere(("main", [entry("A", entry("B", address="/b"))]))
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
    done = run("convert", "list.opml", "--to", "stallmere", "-o", "out.json", "-v")
    assert done.returncode == 0 and "My reading" in done.stdout


@pytest.mark.parametrize("place", PLACES)
def test_platforms_are_told_apart(place: str) -> None:
    made = convert(DEMO, "old.xml", place).data
    source = read(made, "x")[0]
    assert source.document == (place == "ypsiform")
    assert source.document or source.profile.id == place.split("/")[0]


SITEMAP = """<?xml version="1.0" encoding="UTF-8"?>
<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
<url><loc>https://www.old.example/islands/haldrun/</loc><lastmod>2026-01-01</lastmod></url>
<url><loc>https://www.old.example/islands/day-rover.html</loc></url>
<url><loc>https://www.old.example/</loc></url>
<url><loc>https://www.old.example/fares?day=1</loc></url>
<url><loc>https://www.old.example/fares</loc></url>
<url><loc>https://else.example/fares</loc></url>
</urlset>"""


def test_a_sitemap_as_a_tree_and_as_an_inventory(run: Run, tmp_path: Any) -> None:
    (tmp_path / "map.xml").write_text(SITEMAP, "utf-8")
    done = run("survey", "map.xml")
    assert done.returncode == 0 and "an export of sitemap" in done.stderr
    site = read(SITEMAP.encode(), "map.xml")[0].site
    (menu,) = site.menus
    assert site.addresses == ("https://www.old.example/",)
    assert outline(menu.items) == [
        ("Islands", ["Haldrun", "Day rover"]),
        "Home",
        ("Fares", ["Fares"]),
    ]
    assert menu.items[0].target.kind == "none" and menu.rule is not None
    assert [content.path for content in site.contents][:2] == [
        "/islands/haldrun/",
        "/islands/day-rover.html",
    ]
    flat = read(SITEMAP.encode(), "map.xml", "sitemap/inventory")[0].site
    assert flat.menus == [] and len(flat.contents) == 6
    refused = run("convert", "map.xml", "--to", "sitemap/tree", "-o", "x.xml")
    assert refused.returncode == 1 and "read and never written" in refused.stderr
    done = run("convert", "map.xml", "--to", "csv", "-o", "map.csv", "-v")
    assert "menu.rule-frozen" in done.stdout
    assert (tmp_path / "map.csv").read_text("utf-8").splitlines()[1:4] == [
        "pages,1,Islands,",
        "pages,2,Haldrun,/islands/haldrun/",
        "pages,2,Day rover,/islands/day-rover.html",
    ]


def test_the_pages_of_menus_as_a_sitemap(run: Run, tmp_path: Any) -> None:
    made = convert(DEMO, "old.xml", "sitemap")
    text = made.data.decode()
    assert sitemap(made.data) == []
    for inside in ("/sailings/north/summer/", "/crew-vacancies/", "/news/new-vessel/"):
        assert text.count(f"<loc>https://old.skerryline.example{inside}</loc>") == 1
    # Neither members' pages, drafts, files nor other sites.
    for outside in ("/my/bookings", "pier-works", ".pdf", "webcam", "mailto"):
        assert outside not in text
    assert {loss.code for loss in made.fitted.losses if loss.severity == "high"} == {
        "menu.not-held"
    }
    (tmp_path / "map.xml").write_text(SITEMAP, "utf-8")
    into = convert(DEMO, "old.xml", "sitemap", into=(SITEMAP.encode(), "map.xml"))
    assert into.data.decode().count("<url>") == 4 + text.count("<url>")  # two are known
    assert "<lastmod>2026-01-01</lastmod>" in into.data.decode()
    table = b"menu,level,label,address\nmain,1,A,/a\nmain,1,B,/a/\nmain,1,C,#c\n"
    (tmp_path / "t.csv").write_bytes(table)
    done = run("convert", "t.csv", "--to", "sitemap", "-o", "o.xml")
    assert "step.site" in done.stdout
    assert (tmp_path / "o.xml").read_text("utf-8").count("<loc>https://site.invalid/a</loc>") == 1
    site = ("--set", "site=https://new.example")
    done = run("convert", "t.csv", "--to", "sitemap", "-o", "o.xml", "--force", *site)
    assert "step.site" not in done.stdout and sitemap((tmp_path / "o.xml").read_bytes()) == []
    assert "<loc>https://new.example/a</loc>" in (tmp_path / "o.xml").read_text("utf-8")


def test_a_sitemap_has_an_end() -> None:
    rows = "".join(f"main,1,A,/a/{n}\n" for n in range(50_001))
    with pytest.raises(RefusedError, match="50,000 addresses at most, and there would be 50,001"):
        convert(("menu,level,label,address\n" + rows).encode(), "t.csv", "sitemap")


def test_a_file_that_nobody_knows(run: Run, tmp_path: Any) -> None:
    (tmp_path / "odd.json").write_text('{"menu": []}', "utf-8")
    done = run("survey", "odd.json")
    assert done.returncode == 1
    for words in ("cannot tell which platform", "its keys are: menu", "profile new", "--from"):
        assert words in done.stderr
