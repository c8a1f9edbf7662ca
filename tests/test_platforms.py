"""The simulated platforms one by one: what their exports mean, and what is written into them."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from typing import Any

import pytest
from ruamel.yaml import YAML

from tests.conftest import link, quillmoor
from tests.test_hostile import rows
from tests.test_shapes import BYTES, outline
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.model import Item, Links, Site
from ypsiform.proof import Migration
from ypsiform.reading import read
from ypsiform.standins import CHECKERS

TREE: dict[str, Any] = YAML(typ="safe", pure=True).load(BYTES["arborcote"])
ROWANBASE = rows(
    "INSERT INTO route VALUES ('island', '/islands/{name}')",
    "INSERT INTO nav_node VALUES (3, 'main', '3', 1, 'Islands', '', 0, 'ship')",
    "INSERT INTO nav_node "
    "VALUES (7, 'main', '3/7', 2, 'Haldrun', 'route:island?name=haldrun', 1, NULL)",
    "INSERT INTO nav_node VALUES (8, 'main', '3/8', 1, 'Fares', 'path:/fares', 0, NULL)",
    "INSERT INTO nav_node VALUES (9, 'foot', '9', 1, 'Write', 'url:mailto:a@b.example', 0, NULL)",
    "INSERT INTO nav_node VALUES (10, 'staff', '10', 1, 'Users', 'path:/admin', 0, NULL)",
)
OWN = {**BYTES, "rowanbase": ROWANBASE}


def site(name: str) -> Site:
    return read(OWN[name], "export", name)[0].site


def back(name: str) -> bytes:
    """An export read and written again, with the audit's word that all of it was kept."""
    done = convert(OWN[name], "export", name, from_=name, options=Options(made_up=True))
    facts = done.audited.facts
    assert facts["kept"] == facts["total"] and done.fitted.losses == []
    return done.data


@pytest.mark.parametrize("name", ["arborcote", "tilewick", "fanlight", "rowanbase"])
def test_an_export_comes_back_and_is_sound(name: str) -> None:
    assert CHECKERS[name](OWN[name]) == []
    assert CHECKERS[name](back(name)) == []


# Page trees


def test_menus_are_generated_from_pages() -> None:
    main, foot, dated = site("arborcote").menus
    assert outline(main.items) == [
        "Timetables",  # which opens a board
        ("Crew", ["Rota"]),
        "Webcam",
        "Winter again",
        ("More", ["Fares"]),
    ]
    assert main.rule == "pages below “Home” (page 1), 3 levels, in page order"
    assert outline(foot.items) == ["Privacy"]
    # The oldest first; pointer pages, which have no date, last.
    assert outline(dated.items) == [
        ("Crew", ["Rota"]),
        ("Timetables", ["Autumn", "Winter"]),
        "Webcam",
        "Winter again",
        ("More", ["Fares"]),
    ]
    timetables, crew, webcam, again, more = main.items
    assert crew.traits.audience == ("agents", "crew")
    assert crew.children[0].traits.audience == ("crew",)
    assert timetables.target.content == "12" and again.target.content == "13"
    assert webcam.target.address == "https://webcam.example/" and more.target.kind == "none"
    assert timetables.panel is not None and not timetables.inherited
    heads = [b.heading for c in timetables.panel.columns for b in c.blocks if isinstance(b, Links)]
    assert [head.label for head in heads if head] == ["Winter", "Autumn"]
    assert heads[0] is not None and heads[0].inherited
    assert (foot.rule or "").endswith("by 'title'")


def test_any_key_of_pages_orders_a_menu() -> None:
    """Numbers rise before texts, and what does not say the key comes last, in page order."""
    tree = json.loads(json.dumps(TREE, default=str))
    tree["bars"][0]["by"] = "weight"
    weights = {"Crew": 3, "More": -1, "Webcam": "b", "Again": "a"}
    for page in tree["pages"][0]["below"]:
        page["weight"] = weights.get(page["title"])
    menu = read(json.dumps(tree).encode(), "x", "arborcote")[0].site.menus[0]
    labels = [item.label for item in menu.items]
    assert labels == ["More", "Crew", "Winter again", "Webcam", "Timetables"]


def test_pages_that_a_source_makes_are_not_moved() -> None:
    """A menu that differs from them gets a root of its own; they stay as they are."""
    tree = json.loads(json.dumps(TREE, default=str))
    base = {**tree, "bars": tree["bars"][:1], "boards": []}
    filled = json.loads(json.dumps(base))
    filled["pages"][0]["below"][0]["filled"] = "feeds/routes"
    for there, kept in ((base, False), (filled, True)):
        done = convert(OLD, "old.xml", "arborcote", into=(json.dumps(there).encode(), "there"))
        now = YAML(typ="safe", pure=True).load(done.data)
        assert CHECKERS["arborcote"](done.data) == []
        assert (now["pages"][0] == there["pages"][0]) is kept
        assert len(now["pages"]) == len(there["pages"]) + kept


OLD = quillmoor(
    link("1", says="Fares", page="4", seq="1"),
    link("2", says="When", page="1", seq="2"),
    link("3", says="Autumn", page="2", under="2", seq="1"),
    link("4", says="Winter", page="3", under="2", seq="2"),
    link("5", says="Drafts", page="6", under="2", seq="3"),
    link("6", says="Away", address="https://x.example/", seq="3"),
    nodes="".join(
        f'<page no="{ident}" at="{path}"><name>{name}</name></page>'
        for ident, path, name in (
            (1, "/timetables", "Timetables"),
            (2, "/timetables/autumn", "Autumn"),
            (3, "/timetables/winter", "Winter"),
            (4, "/fares", "Fares"),
            (6, "/timetables/drafts", "Drafts"),
        )
    ),
)


def into(tree: dict[str, Any]) -> tuple[Migration, dict[str, Any]]:
    base = json.dumps(tree, default=str).encode()
    done = convert(OLD, "old.xml", "arborcote", into=(base, "there"))
    assert CHECKERS["arborcote"](done.data) == []
    written: dict[str, Any] = YAML(typ="safe", pure=True).load(done.data)
    return done, written


def contents(tree: dict[str, Any]) -> list[tuple[Any, ...]]:
    """Each page that is content: its id, the id of the page above it, and all that it is."""
    found: list[tuple[Any, ...]] = []
    stack = [(page, None) for page in tree["pages"]]
    while stack:
        page, above = stack.pop()
        if page.get("pointer") is None:
            keys = ("title", "path", "made", "tide", "readers")
            found.append((page["id"], above, *(str(page.get(key)) for key in keys)))
        stack += [(below, page["id"]) for below in page.get("below") or ()]
    return sorted(found, key=str)


def test_writing_moves_nothing_that_is_content() -> None:
    for bars in (TREE["bars"], TREE["bars"][:2]):
        tree = {**TREE, "bars": bars}
        done, written = into(tree)
        assert contents(written) == contents(tree)
        (menu,) = [menu for menu in done.written.menus if menu.key == "main"]
        assert outline(menu.items) == ["Fares", ("When", ["Autumn", "Winter", "Drafts"]), "Away"]


def test_pages_of_the_tree_show_a_menu_where_no_other_menu_does() -> None:
    _, written = into({**TREE, "bars": TREE["bars"][:2]})
    home = written["pages"][0]
    shown = {page["id"]: page for page in home["below"] if page["listed"]}
    # The page itself, with its own short label; a pointer page for one that stands elsewhere.
    assert shown[12]["short"] == "When" and shown[12]["title"] == "Timetables and sailings"
    fares = [page for page in shown.values() if page["title"] == "Fares"]
    assert fares[0]["pointer"] == 33
    below = [(p["id"], p["listed"]) for p in shown[12]["below"]]
    assert below == [(14, True), (13, True), (15, True)]
    # What the menu no longer shows stays, unlisted.
    assert [page["listed"] for page in home["below"] if page["id"] in (20, 30, 31)] == [False] * 3
    assert written["bars"] == TREE["bars"][:2]


# Tables and boards


def test_a_board_is_a_panel_and_its_sections_are_spread() -> None:
    main, corner = site("tilewick").menus
    board, news, webcam = main.items
    assert board.panel is not None and board.panel.opens == "hover"
    assert len(board.panel.columns) == 4
    (block,) = board.panel.columns[0].blocks
    assert isinstance(block, Links) and isinstance(block.heading, Item)
    assert [item.label for item in block.items] == ["Haldrun"]
    assert news.traits.devices == ("desktop",) and webcam.traits.window == "new"
    assert not (news.extras or block.heading.extras)  # that something stands below is no fact
    assert corner.items[0].traits.devices == ("handset",)


def test_an_address_says_where_it_leads() -> None:
    done = convert(OLD, "old.xml", "tilewick/lintel")
    lines = done.data.decode().splitlines()
    assert lines[1].startswith("main,1,Fares,/fares,,,,same,yes,yes")
    assert lines[-1].startswith("main,3,Away,https://x.example/,,,,")


# The add-on


def test_the_add_on_holds_languages_badges_and_glyphs() -> None:
    (menu,) = site("fanlight").menus
    islands, help_, routes = menu.items
    assert islands.translations == (("nb", "Øyene"),)
    badge = islands.traits.badge
    assert badge is not None
    assert (badge.text, badge.start, badge.until) == ("New", "2026-05-01", "2026-06-01")
    assert islands.traits.devices == ("desktop",) and islands.traits.icon == "anchor"
    assert outline(help_.children) == ["Ports"]
    assert routes.panel is not None and routes.panel.columns[0].note == "May to August"
    assert islands.panel is not None and [c.span for c in islands.panel.columns][:2] == [4, 4]


def test_the_add_on_takes_one_menu_and_names_what_must_be_done_first() -> None:
    done = convert(OLD, "old.xml", "fanlight")
    made = json.loads(done.data)
    assert made["takes"] == "top" and len(made["items"]) == 3
    assert made["items"][1]["reveal"]["as"] == "cascade"
    steps = [found.before for found in done.findings if found.code == "step.requires"]
    assert len(steps) == 2 and "scripts" in (steps[0] or "")
    again = convert(done.data, "made", "fanlight", from_="fanlight")
    assert not [found for found in again.findings if found.code == "step.requires"]


# The framework


def test_routes_are_filled_in_and_the_back_office_is_its_own() -> None:
    main, foot, staff = site("rowanbase").menus
    assert outline(main.items) == [("Islands", ["Fares", "Haldrun"])]
    haldrun = main.items[0].children[1]
    assert haldrun.target.address == "/islands/haldrun" and haldrun.traits.window == "new"
    assert foot.items[0].target.kind == "mail"
    assert staff.owner == "platform"
    done = convert(ROWANBASE, "x", "stallmere")
    assert [f.code for f in done.fitted.losses if f.menu == "staff"] == ["menu.not-asked"]


def test_a_database_keeps_what_is_not_ours(tmp_path: Any) -> None:
    more = "CREATE TABLE boats (name TEXT)", "INSERT INTO boats VALUES ('Oddny')"
    base = rows("INSERT INTO route VALUES ('a', '/a')", *more)
    done = convert(OLD, "old.xml", "rowanbase", into=(base, "there.db"))
    assert CHECKERS["rowanbase"](done.data) == []
    (tmp_path / "out.db").write_bytes(done.data)
    with closing(sqlite3.connect(tmp_path / "out.db")) as made:
        assert made.execute("SELECT name FROM boats").fetchall() == [("Oddny",)]
        assert made.execute("SELECT pattern FROM route").fetchall() == [("/a",)]
        leads = made.execute("SELECT words, leads FROM nav_node ORDER BY lineage").fetchall()
    assert ("Away", "url:https://x.example/") in leads and ("Fares", "path:/fares") in leads


# Further themes


def test_planks_are_columns_and_their_own_headings() -> None:
    """Planks and items are ordered together; what is straight in the top item has no heading."""
    data = quillmoor(
        link("1", says="Islands"),
        link("2", under="1", heading="North", address="/north"),
        link("4", under="2", says="Haldrun", fixed="home", seq="2"),
        link("5", under="2", rule="", seq="3"),
        link("8", under="1", says="Map", fixed="home", seq="3"),
        link("6", under="1", heading="", seq="2"),
        link("7", under="6", says="Oddny", fixed="search"),
        dress="slipway",
    )
    menu = read(data, "x")[0].site.menus[0]
    panel = menu.items[0].panel
    assert panel is not None and len(panel.columns) == 3
    without = [column.blocks[0] for column in panel.columns[1:]]
    assert [b.items[0].label for b in without if isinstance(b, Links) and b.heading is None] == [
        *("Oddny", "Map")
    ]
    (block,) = panel.columns[0].blocks
    assert isinstance(block, Links) and block.heading is not None
    assert (block.heading.label, block.heading.role) == ("North", "heading")
    assert block.heading.target.address == "/north"
    assert [item.role for item in block.items] == ["link", "divider"]
    done = convert(data, "x", "quillmoor")
    assert done.fitted.losses == [] and CHECKERS["quillmoor"](done.data) == []


def test_a_header_that_is_a_sequence() -> None:
    tree: dict[str, Any] = {
        "stallmere": 3,
        "site": "",
        "stock": {"page": [], "good": [], "aisle": [], "story": []},
        "trees": [
            {"key": key, "title": key, "entries": [{"text": key, "link": {"fixed": "home"}}]}
            for key in ("main", "main-2", "islands")
        ],
        "frame": {
            "theme": "terrace",
            "header": [{"tree": "main"}, {"sheet": "islands"}, {"tree": "main-2"}],
        },
        "sheets": [
            {"key": "islands", "text": "Islands", "link": {"fixed": "home"}, "tree": "islands"}
        ],
    }
    data = json.dumps(tree).encode()
    header = read(data, "x")[0].site.locations[0]
    assert header.menus == ("main", "main-2")
    done = convert(data, "x", "stallmere")
    assert done.fitted.losses == []
    assert json.loads(done.data)["frame"]["header"] == tree["frame"]["header"]
    done = convert(
        quillmoor(link("1", says="New", fixed="home")), "q", "stallmere", into=(data, "x")
    )
    header = json.loads(done.data)["frame"]["header"]
    assert [next(iter(entry)) for entry in header] == ["tree", "sheet"]


# Menus of the publishing system


def ordered(*items: str) -> tuple[list[str], list[str]]:
    """The labels at the top of a menu of these items, and those that come after no sibling."""
    data = quillmoor(menus=f'<menu code="m1">{"".join(items)}</menu>')
    surveyed = read(data, "x")[0]
    odd = [found.path[-1] for found in surveyed.findings if found.code == "read.order"]
    return [item.label for item in surveyed.site.menus[0].items], odd


def after(number: str, behind: str = "", inside: str = "") -> str:
    says = f"<says>{number}</says>"
    where = (f' after="{behind}"' if behind else "") + (f' in="{inside}"' if inside else "")
    return f'<item no="{number}"{where}>{says}</item>'


@pytest.mark.parametrize(
    ("items", "labels", "odd"),
    [
        ([after("3", "2"), after("2", "1"), after("1")], "1 2 3", ""),
        ([after("1"), after("2", "1"), after("3", "1")], "1 2 3", ""),  # as in the file
        ([after("1"), after("2"), after("3", "1")], "1 3 2", ""),
        ([after("9", "77"), after("8", "9"), after("1")], "1 9 8", "9"),  # unknown
        ([after("1"), after("5", "1", "1"), after("2", "5")], "1 2", "2 5"),  # of others
        ([after("1", "2"), after("2", "1"), after("3", "2"), after("4")], "4 1 2 3", "1 2"),
        ([after("1", "1"), after("2")], "2 1", "1"),
    ],
)
def test_items_stand_behind_the_one_that_they_come_after(
    items: list[str], labels: str, odd: str
) -> None:
    assert ordered(*items) == (labels.split(), odd.split())


def test_the_languages_of_a_site_are_those_that_it_speaks() -> None:
    for said, spoken in (("en nb", ("en", "nb")), ("nb", ("nb",)), (" ", ())):
        data = quillmoor(link("1", says="A")).replace(b'speaks="en"', f'speaks="{said}"'.encode())
        site = read(data, "x")[0].site
        assert site.languages == spoken
        done = convert(data, "x", "quillmoor")
        assert read(done.data, "x")[0].site.languages == spoken


def test_a_place_shows_the_first_menu_that_names_it() -> None:
    menus = '<menu code="m1"><name>One</name></menu><menu code="m2"><name>Two</name></menu>'
    data = quillmoor(link("1", says="A"), link("2", "m2", says="B"), menus=menus)
    data = data.replace(b'<menu code="m2"', b'<menu code="m2" shown-at="upper foot upper"')
    surveyed = read(data, "x")[0]
    shown = {place.name: place.menus for place in surveyed.site.locations if place.menus}
    assert shown == {"upper": ("m1",), "foot": ("m2",)}
    (told,) = [found for found in surveyed.findings if found.code == "place.second"]
    assert (told.menu, told.before, told.severity) == ("m2", "upper", "note")


def test_a_menu_for_some_restricts_what_stands_in_it() -> None:
    data = quillmoor(link("1", says="A"), link("2", says="B", for_="crew", seq="2"))
    data = data.replace(b'<menu code="m1"', b'<menu code="m1" for="members"')
    items = read(data, "x")[0].site.menus[0].items
    assert [item.traits.audience for item in items] == [("members",), ("crew",)]
    done = convert(data, "x", "stallmere/plain")
    assert b'"A"' not in done.data  # nobody else sees it
    told = {loss.severity for loss in done.fitted.losses if loss.code == "access.not-held"}
    assert told == {"high"}
