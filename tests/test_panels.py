"""Panels: every encoding that is read and written, and what becomes of what another cannot hold."""

from __future__ import annotations

import json
import re
from itertools import product
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from ruamel.yaml import YAML

from tests import generated
from tests.conftest import Run, link, quillmoor
from tests.open_formats import CHECKERS
from tests.test_pairs import PLACES, sound
from ypsiform import migrate
from ypsiform.demo import DATA
from ypsiform.encodings.base import Capacity
from ypsiform.encodings.layout import shares, spread
from ypsiform.errors import ProfileError, RefusedError
from ypsiform.fit import Options
from ypsiform.fit.layouts import height
from ypsiform.fit.shape import adapt
from ypsiform.markup import cleaned, links_in, links_in_text, relinked, relinked_text
from ypsiform.migrate import convert
from ypsiform.model import (
    Column,
    Form,
    Generated,
    Item,
    Links,
    Markup,
    Panel,
    Picture,
    Piece,
    Products,
    Site,
    Target,
    Text,
)
from ypsiform.profiles.load import parsed
from ypsiform.proof import Migration
from ypsiform.reading import read

HELD = (
    *("quillmoor/breakwater", "quillmoor/slipway", "tilewick/gable", "fanlight"),
    *("stallmere/broad", "stallmere/terrace", "arborcote/ridge", "html"),
)
"""Places whose panels are read and written."""

GRID = json.dumps(
    {
        "fanlight": 4,
        "takes": "top",
        "host": "https://skerryline.stallmere.example",
        "items": [
            {
                "uid": "f1",
                "label": {"en": "Islands", "nb": "Øyene"},
                "href": "/shelf/islands",
                "reveal": {
                    "as": "grid",
                    "on": "press",
                    "cells": [
                        {
                            "width": 4,
                            "type": "list",
                            "head": {"label": {"en": "North"}, "href": "/north"},
                            "items": [
                                {"uid": "f2", "label": {"en": "Haldrun"}, "href": "/haldrun"}
                            ],
                        },
                        {
                            "width": 8,
                            "type": "list",
                            "head": {"label": {"en": "South"}, "href": None},
                            "items": [
                                {"uid": "f3", "label": {"en": "Oddny"}, "href": "/oddny"},
                                {"uid": "f4", "label": {"en": "Murven"}, "href": "/murven"},
                            ],
                        },
                        {
                            "width": 4,
                            "type": "picture",
                            "src": "/files/pier.jpg",
                            "alt": {"en": "A pier"},
                            "caption": {"en": "The pier", "nb": "Kaia"},
                            "href": "/pier",
                        },
                        {"width": 8, "type": "text", "body": {"en": "Sail today"}},
                        {"width": 6, "type": "goods", "keys": ["day-rover", "gone"]},
                        {
                            "width": 6,
                            "type": "markup",
                            "html": '<p>See <a href="/fares">fares</a> and '
                            '<a href="/help"><img alt="help"></a></p>',
                        },
                        {"width": 6, "type": "newest", "of": "journal", "count": 3},
                        {"width": 6, "type": "form", "fields": ["name"], "tide": "high"},
                    ],
                },
            },
            {
                "uid": "f5",
                "label": {"en": "Routes"},
                "href": None,
                "reveal": {
                    "as": "tabs",
                    "items": [
                        {
                            "label": {"en": "Summer"},
                            "cells": [
                                {
                                    "width": 6,
                                    "type": "list",
                                    "items": [
                                        {"uid": "f6", "label": {"en": "North route"}, "href": "/n"}
                                    ],
                                }
                            ],
                        },
                        {
                            "label": {"en": "Winter"},
                            "cells": [
                                {
                                    "width": 12,
                                    "type": "list",
                                    "head": {"label": {"en": "All"}, "href": None},
                                    "items": [
                                        {"uid": "f7", "label": {"en": "West route"}, "href": "/w"}
                                    ],
                                }
                            ],
                        },
                    ],
                },
            },
        ],
    },
    ensure_ascii=False,
).encode()


def panels(data: bytes, place: str) -> list[Panel]:
    site = read(data, "x", place)[0].site
    return [item.panel for menu in site.menus for item in menu.items if item.panel is not None]


def outline(panel: Panel) -> list[list[Any]]:
    """A panel as lists: of each column its blocks, a list by its heading and labels."""
    return [
        [
            (block.heading.label if block.heading else None, [i.label for i in block.items])
            if isinstance(block, Links)
            else type(block.holds).__name__
            for block in column.blocks
        ]
        for column in panel.columns
    ]


# Cells


def test_cells_are_read() -> None:
    grid, tabs = panels(GRID, "fanlight")
    assert (grid.style, grid.opens) == ("columns", "press")
    assert [column.span for column in grid.columns] == [4, 8, 4, 8, 6, 6, 6, 6]
    assert outline(grid)[:2] == [[("North", ["Haldrun"])], [("South", ["Oddny", "Murven"])]]
    held = [block.holds for c in grid.columns for block in c.blocks if isinstance(block, Piece)]
    assert held == [
        Picture("/files/pier.jpg", "A pier", "The pier", Target("page", address="/pier")),
        Text("Sail today"),
        Products(("day-rover", "gone")),
        Markup(
            '<p>See <a href="/fares">fares</a> and <a href="/help"><img alt="help"></a></p>',
            (Target("page", address="/fares"), Target("page", address="/help")),
        ),
        Generated("newest", "journal", 3),
        Form(("name",)),
    ]
    assert tabs.style == "tabs" and [c.label for c in tabs.columns] == ["Summer", "Winter"]
    (menu,) = read(GRID, "x")[0].site.menus
    unread = {extra.path: extra.value for extra in menu.items[0].extras}
    assert unread == {"reveal/cells/2/caption/nb": "Kaia", "reveal/cells/7/tide": "high"}


def test_cells_are_written_as_they_were() -> None:
    done = convert(GRID, "x", "fanlight")
    assert json.loads(done.data) == json.loads(GRID)
    assert done.audited.facts["kept"] == done.audited.facts["total"]


@given(generated.fanlight(), st.sampled_from(PLACES))
def test_generated_cells_go_everywhere(data: bytes, to: str) -> None:
    assert CHECKERS["fanlight"](data) == []
    again = convert(data, "x", "fanlight")
    if b"script" not in data.lower():  # which is never passed on
        assert again.audited.facts["kept"] == again.audited.facts["total"]
    sound(convert(data, "x", to), to)


@pytest.mark.parametrize(
    ("cell", "words"),
    [
        ({"width": 4, "type": "list", "items": 3}, "found a number where a list is needed"),
        ("cell", "found a text where a mapping is needed"),
        ({"width": 4, "type": "list", "head": 3}, "found a number where a mapping is needed"),
    ],
)
def test_damaged_cells(run: Run, tmp_path: Path, cell: Any, words: str) -> None:
    document = json.loads(GRID)
    document["items"][0]["reveal"]["cells"][0] = cell
    (tmp_path / "grid.json").write_text(json.dumps(document))
    done = run("survey", "grid.json")
    assert (done.returncode, done.stdout) == (1, "")
    assert words in done.stderr and "items[0].reveal.cells" in done.stderr


# What each pair must keep, from what the platforms say of their panels

KEEPS = {
    "quillmoor/breakwater": {"span", "picture", "divider", "opens", "width", "heading-link"},
    "quillmoor/slipway": {"divider", "heading-link"},
    "tilewick/gable": {"opens", "heading-link"},
    "fanlight": {"span", "picture", "opens", "heading-link"},
    "stallmere/broad": {"picture"},
    "stallmere/terrace": {"picture", "heading-link"},
    "arborcote/ridge": {"heading-link"},
    "html": {"divider", "heading-link"},
}
"""What panels may say at a place by its description, besides columns, headings and links."""


def wide(columns: int, links: int = 2, *, divider: bool = True, picture: bool = True) -> bytes:
    """A panel of so many columns; one of them with a divider and a picture."""
    top = {"says": "Islands", "address": "/islands", "style": "pane pane-press pane-wide"}
    made = [link("1", "main", **top)]

    def add(ident: str, under: str, **says: str) -> None:
        made.append(link(ident, "main", under, str(len(made)), **says))

    for at in range(columns):
        add(f"1{at:02}", "1", says=f"H{at}", address=f"/h{at}", style="share-3")
        for n in range(links):
            add(f"2{at:02}{n}", f"1{at:02}", says=f"L{at}.{n}", address=f"/l{at}{n}")
        if at == 0 and divider:
            add("300", "100", rule="")
        if at == 0 and picture:
            add("400", "100", says="Pier", address="/pier", picture="/pier.jpg")
    return quillmoor(*made, menus='<menu code="main"><name>Main</name></menu>', places="upper=main")


@pytest.mark.parametrize(("source", "to"), list(product(HELD, HELD)))
def test_what_both_hold_is_kept(source: str, to: str) -> None:
    first = convert(wide(4), "x", source).data
    done = convert(first, "x", to, from_=source)
    sound(done, to)
    was, now = panels(first, source)[0], panels(done.data, to)[0]
    both = KEEPS[source] & KEEPS[to]
    heads = [f"H{at}" for at in range(4)]

    def headings(panel: Panel) -> list[str]:
        blocks = [b for c in panel.columns for b in c.blocks if isinstance(b, Links)]
        labels = [b.heading.label for b in blocks if b.heading is not None]
        return [label for label in labels if label.startswith("H")]

    assert headings(was) == headings(now) == heads
    labels = [
        i.label for c in now.columns for b in c.blocks if isinstance(b, Links) for i in b.items
    ]
    assert [label for label in labels if label.startswith("L")] == [
        f"L{at}.{n}" for at in range(4) for n in range(2)
    ]
    pictures = sum(isinstance(b, Piece) for c in now.columns for b in c.blocks)
    assert pictures == ("picture" in both) or "Pier" in labels
    assert len(now.columns) >= 4
    if "opens" in both:
        assert now.opens == was.opens == "press"
    lost = {loss.code for loss in done.fitted.losses if loss.code.startswith("panel.")}
    reasons = {
        "panel.opens": "opens",
        "panel.width": "width",
        "panel.span": "span",
        "panel.link": "picture",
        "panel.divider": "divider",
        "panel.heading-link": "heading-link",
    }
    for code, name in reasons.items():
        if name in both and code != "panel.span":
            assert code not in lost, f"both hold {name}"
    if source == to:
        assert not lost


@pytest.mark.parametrize(("source", "to"), list(product(HELD, HELD)))
def test_columns_and_their_widths(source: str, to: str) -> None:
    first = convert(wide(4, divider=False, picture=False), "x", source).data
    done = convert(first, "x", to, from_=source)
    sound(done, to)
    was, now = panels(first, source)[0], panels(done.data, to)[0]
    assert len(now.columns) == len(was.columns) == 4
    lost = {loss.code for loss in done.fitted.losses if loss.code.startswith("panel.")}
    if "span" in KEEPS[source] & KEEPS[to]:
        assert [c.span for c in now.columns] == [c.span for c in was.columns] == [3, 3, 3, 3]
        assert "panel.span" not in lost
    held = {"panel.opens": "opens", "panel.width": "width", "panel.span": "span"}
    held["panel.heading-link"] = "heading-link"
    # What the source does not say, and the destination has to, is said as well.
    assert lost <= {c for c, name in held.items() if name not in KEEPS[to] & KEEPS[source]}


def codes(done: Migration) -> dict[str, list[Any]]:
    found: dict[str, list[Any]] = {}
    for loss in done.fitted.losses:
        found.setdefault(loss.code, []).append(loss)
    return found


def test_the_account_of_a_panel() -> None:
    done = convert(GRID, "x", "tilewick/gable")
    sound(done, "tilewick/gable")
    lost = codes(done)
    said = [loss.before for loss in lost["panel.block"]]
    assert said == [
        "the text “Sail today”",
        "products (day-rover, gone)",
        "a list that fills itself (the 3 newest of journal)",
        "a form (name)",
    ]
    links = [(loss.before.split()[1], loss.labels) for loss in lost["panel.link"]]
    assert links == [("picture", ("The pier",)), ("markup", ("fares", "help"))]
    islands, routes = panels(done.data, "tilewick/gable")
    # The picture goes on below the list before it, as does what the markup leads to.
    assert outline(islands) == [
        [("North", ["Haldrun"])],
        [("South", ["Oddny", "Murven"])],
        [("The pier", []), ("fares", []), ("help", [])],
    ] or "fares" in str(outline(islands))
    assert outline(routes) == [[("Summer", ["North route"])], [("All", ["West route"])]]
    assert [loss.before for loss in lost["panel.pane"]] == ["the panes “Summer”, “Winter”"]


def test_the_labels_of_tabs_of_several_panels() -> None:
    document = json.loads(GRID)
    other = json.loads(GRID)["items"][1]
    other["uid"] = "f8"
    for tab in other["reveal"]["items"]:
        tab["cells"][0]["items"][0]["uid"] += "b"
    document["items"].append(other)
    for to in HELD:
        done = convert(json.dumps(document).encode(), "x", to)
        sound(done, to)
        if to != "fanlight":
            assert str([outline(panel) for panel in panels(done.data, to)]).count("'Summer'") == 2


def test_products_become_links_where_the_shop_has_them() -> None:
    new = (DATA / "new.json").read_bytes()
    text = json.loads(new)
    assert any(good["key"] == "day-rover" for good in text["stock"]["good"])
    done = convert(GRID, "x", "stallmere/plain", into=(new, "new.json"))
    sound(done, "stallmere/plain")
    (products,) = [loss for loss in codes(done)["panel.link"] if "products" in loss.before]
    assert products.labels == ("Day Rover",)
    assert b'"text": "Day Rover"' in done.data


def test_links_in_markup_are_reached_and_matched() -> None:
    done = convert(GRID, "x", "fanlight", into=(GRID, "there"))
    sound(done, "fanlight")
    assert done.reachable[0] == done.reachable[1] == 12, "two of them are products"
    (loss,) = codes(done)["link.in-markup"]
    assert loss.labels == ("fares: /fares", "help: /help")


@pytest.mark.parametrize("html", ["<script>x()</script>", "<iframe src=x>", "<p onclick='x()'>"])
def test_what_runs_is_not_passed_on(html: str) -> None:
    document = json.loads(GRID)
    document["items"][0]["reveal"]["cells"][5]["html"] = html
    done = convert(json.dumps(document).encode(), "x", "fanlight")
    assert b"script" not in done.data and b"onclick" not in done.data
    assert any(html in loss.before for loss in codes(done)["panel.block"])
    kept = [column.span for column in panels(done.data, "fanlight")[0].columns]
    assert kept == [4, 8, 4, 8, 6, 6, 6]


# Columns


def columns(heights: list[int]) -> Panel:
    made: list[Column] = []
    count = iter(range(1, 1000))
    for high in heights:
        items = [Item(str(n), str(n), Target("none"), number=next(count)) for n in range(high - 1)]
        head = Item("h", "h", Target("none"), "heading", number=next(count))
        made.append(Column([Links(head, items)]))
    return Panel(made)


def tallest(heights: list[int], most: int) -> int:
    """By trying every way to part a row of columns."""
    if most == 1 or len(heights) == 1:
        return sum(heights)
    ways = (
        max(sum(heights[:at]), tallest(heights[at:], most - 1)) for at in range(1, len(heights))
    )
    return min(sum(heights), *ways)


@pytest.mark.parametrize("count", range(1, 7))
def test_columns_are_put_together_as_low_as_can_be(count: int) -> None:
    for heights in product((1, 2, 5), repeat=count):
        for most in range(1, count + 1):
            made = adapt(columns(list(heights)), Capacity(columns=most), lambda _: [], lambda: -1)
            assert made is not None
            now = made.panel.columns
            assert len(now) <= most
            assert max(map(height, now)) == tallest(list(heights), most)
            order = [
                b.heading.number
                for c in now
                for b in c.blocks
                if isinstance(b, Links) and b.heading
            ]
            assert order == sorted(order)


@given(st.lists(st.integers(1, 9), min_size=1, max_size=30), st.integers(1, 8))
def test_spreading_keeps_the_order(heights: list[int], count: int) -> None:
    found = spread(heights, count)
    assert len(found) == len(heights) and found == sorted(found) and found[-1] < count


@pytest.mark.parametrize("count", range(1, 13))
def test_shares_add_up_to_twelve(count: int) -> None:
    assert sum(shares(count)) == 12 and max(shares(count)) - min(shares(count)) <= 1


@pytest.mark.parametrize(("count", "to"), [(9, "quillmoor/slipway"), (8, "tilewick/gable")])
def test_no_more_columns_than_there_may_be(count: int, to: str) -> None:
    done = convert(wide(count), "x", to)
    sound(done, to)
    (panel,) = panels(done.data, to)
    assert len(panel.columns) <= {"quillmoor/slipway": 7, "tilewick/gable": 5}[to]
    (merged,) = codes(done)["panel.merged"]
    assert merged.before == f"{count} columns"


# Markup


def test_links_are_found() -> None:
    html = '<p><A HREF=/a>One <b>two</b></a><a href="/b?x=1&amp;y=2"></a><a name="c">c</a></p>'
    assert links_in(html) == [("One two", "/a"), ("", "/b?x=1&y=2")]
    assert links_in("plain") == [] and links_in("") == []
    body = 'See [fares](/fares) and ![a pier](/pier.jpg) or [help](</help> "Help").'
    assert links_in_text(body, "markdown") == [("fares", "/fares"), ("help", "/help")]
    assert links_in_text(body, "plain") == []


def test_links_get_other_addresses() -> None:
    html = "<a href='/a'>a</a><a href=\"/b?x=1&amp;y=2\">b</a><a href=/c>c</a>"
    made = relinked(html, {"/a": "/x", "/b?x=1&y=2": '/y"z'})
    assert made == '<a href="/x">a</a><a href="/y&quot;z">b</a><a href=/c>c</a>'
    assert relinked_text("[a](/a) ![a](/a)", {"/a": "/x"}) == "[a](/x) ![a](/a)"


@pytest.mark.parametrize(
    ("html", "does"),
    [
        ("<p>online = on</p>", False),
        ("<p class='a'>x</p>", False),
        ("<b>javascript</b> is a language", False),
        ("<IFRAME src=x>", True),
        ("<svg onload=x>", True),
        ("<a title='>' onclick=x>x</a>", True),
        ("<a title='<' onclick=x>x</a>", True),
        ("<a title='on = off'>once = twice</a>", False),
    ],
)
def test_what_would_run(html: str, does: bool) -> None:
    assert bool(cleaned(html).taken) is does


def test_a_cut_label_of_a_block(run: Run, tmp_path: Path) -> None:
    document = json.loads(GRID)
    document["items"][0]["reveal"]["cells"][2]["caption"]["en"] = "The pier " * 12
    (tmp_path / "grid.json").write_text(json.dumps(document))
    done = run("convert", "grid.json", "--to", "stallmere/plain", "-o", "out.json", "--json")
    assert done.returncode == 0, done.stderr
    assert CHECKERS["stallmere"]((tmp_path / "out.json").read_bytes()) == []
    assert json.loads(done.stdout)["audit"]["unreported"] == []


def test_options_stay_as_they_are() -> None:
    done = convert(GRID, "x", "quillmoor/breakwater", options=Options(unmatched="address"))
    sound(done, "quillmoor/breakwater")


# Trays


def entry(text: str, *entries: Any) -> dict[str, Any]:
    return {"text": text, "link": {"fixed": "home"}, "entries": list(entries)}


def shop(trays: list[Any], *top: dict[str, Any], header: str = "main") -> bytes:
    trees = [{"key": "main", "title": "Main", "entries": list(top)}]
    lists = (("north", "North", ["Haldrun", "Oddny"]), ("south", "", ["Murven"]))
    for key, title, labels in lists:
        trees.append({"key": key, "title": title, "entries": [entry(label) for label in labels]})
    catalogue: dict[str, list[Any]] = {n: [] for n in ("pages", "goods", "aisles", "journal")}
    document = {
        "stallmere": 3,
        "site": "https://skerryline.stallmere.example",
        "stock": catalogue,
        "trees": trees,
        "frame": {"theme": "broad", "header": header},
        "trays": trays,
    }
    return json.dumps(document).encode()


PIER = {"src": "/files/pier.jpg", "caption": "The pier", "link": {"fixed": "home"}}
TRAY = {
    "under": {"text": "Islands"},
    "columns": [
        [{"words": "Sail **today**"}, {"tree": "north"}],
        [{"tree": "south"}],
        [{"picture": PIER}],
    ],
}


def test_trays_are_read_and_written_as_they_were() -> None:
    data = shop([TRAY], entry("Fares"), entry("Islands"))
    (panel,) = panels(data, "stallmere")
    assert outline(panel) == [
        ["Text", ("North", ["Haldrun", "Oddny"])],
        [(None, ["Murven"])],
        ["Picture"],
    ]
    site = read(data, "x")[0].site
    assert [menu.key for menu in site.menus] == ["main"], "a list of a panel is no menu"
    done = convert(data, "x", "stallmere")
    sound(done, "stallmere/broad")
    assert json.loads(done.data) == json.loads(data)
    assert done.audited.facts["kept"] == done.audited.facts["total"]


@pytest.mark.parametrize(
    ("trays", "top"),
    [
        ([TRAY], [entry("Fares")]),
        ([TRAY], [entry("Islands"), entry("Islands")]),
        ([TRAY], [entry("Islands", entry("Haldrun"))]),
        ([{**TRAY, "under": {"text": "Islands", "tide": 1}}], [entry("Islands")]),
    ],
    ids=[
        *("no such item", "two such items", "an item with entries"),
        "more is said of where it is",
    ],
)
def test_a_tray_that_is_not_understood_stays_as_it_is(
    trays: list[Any], top: list[dict[str, Any]]
) -> None:
    data = shop(trays, *top)
    assert panels(data, "stallmere") == []
    done = convert(data, "x", "stallmere")
    assert json.loads(done.data)["trays"] == trays
    # Its text must name one item only, and nothing may stand below that.
    assert {loss.code for loss in done.fitted.losses} <= {"label.clash", "depth.lifted"}


MORE: dict[str, Any] = {"tide": "high", "low": None, "odd": {"a": [1]}}
"""Fields that mean nothing to a platform, and are allowed everywhere."""


def test_a_panel_that_says_more_is_read_all_the_same() -> None:
    """What it says beside is unread data of its item, and stands where it stood at its platform."""
    tray = shop([{**TRAY, **MORE}], entry("Islands"))
    sheet = terrace(PARTS[:2], [{**SHEET, **MORE}], isles=ISLES, main=[entry("Sailings")])
    board = (
        BOARD[: BOARD.index("boards:")]
        + f"boards: [{json.dumps({'page': 6, 'columns': 1, **MORE})}]\n"
    )
    board += "look: {theme: ridge}"
    samples = {
        "stallmere/broad": (tray, "trays", "stallmere/plain"),
        "stallmere/terrace": (sheet, "sheets", "stallmere/plain"),
        "arborcote/ridge": (board.encode(), "boards", "arborcote/furrow"),
    }
    yaml = YAML(typ="safe", pure=True)
    for place, (data, key, other) in samples.items():
        assert len(panels(data, place)) == 1
        again = convert(data, "x", place)
        assert again.fitted.losses == []
        (record,) = yaml.load(again.data)[key]  # JSON is YAML too
        assert {name: record.get(name, 0) for name in MORE} == MORE
        for to in (other, "csv", "quillmoor/breakwater"):
            done = convert(data, "x", to)
            said = {f.before for f in done.findings if f.code == "read.extra"}
            assert {f"{key}.tide = high", f"{key}.low = null", f'{key}.odd = {{"a": [1]}}'} <= said
            assert b"tide" not in done.data


SHARED = [
    {"under": {"text": "Islands"}, "columns": [[{"tree": "north"}], [{"tree": "main"}]]},
    {"under": {"text": "Fares"}, "columns": [[{"tree": "north"}, {"tree": "gone"}]]},
]
"""Lists that two trays show, that is the bar itself, and that is not there."""


def test_menus_by_reference() -> None:
    data = shop(SHARED, entry("Islands"), entry("Fares"))
    surveyed = read(data, "x", "stallmere")[0]
    one, other = (item.panel for item in surveyed.site.menus[0].items)
    assert one is not None and other is not None
    shown = [block.holds for p in (one, other) for c in p.columns for block in pieces(c)]
    assert [getattr(held, "menu", "") for held in shown] == ["north", "main", "north", "gone"]
    told = {(f.code, f.path) for f in surveyed.findings if f.code.startswith("panel.")}
    assert told == {("panel.menu-self", ("Islands",)), ("panel.menu-missing", ("Fares",))}
    again = convert(data, "x", "stallmere")
    assert json.loads(again.data)["trays"] == SHARED
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    north = next(menu for menu in surveyed.site.menus if menu.key == "north")
    labels = [item.label for item in north.items]
    assert labels
    for to in PLACES:
        if to == "stallmere/broad":
            continue
        done = convert(data, "x", to)
        sound(done, to)
        if to in HELD:
            copies = [
                (block.heading.label if block.heading else None, [i.label for i in block.items])
                for panel in (i.panel for m in done.written.menus for i in m.items)
                if panel is not None
                for column in panel.columns
                for block in column.blocks
                if isinstance(block, Links)
            ]
            assert copies.count((north.title, labels)) == 2, to
            lost = codes(done)
            assert [loss.labels for loss in lost["panel.shared"]] == [tuple(labels)] * 2
            assert len(lost["panel.block"]) == 2


def pieces(column: Column) -> list[Piece]:
    return [block for block in column.blocks if isinstance(block, Piece)]


def test_no_more_trays_than_four() -> None:
    text = wide(2, divider=False, picture=False).decode()
    start = text.index("<item no")
    links = text[start : text.index("</menu>")]
    more = []
    for at in range(6):
        other = links.replace("Islands", f"Isles {at}")
        more.append(re.sub(r'(no|in|after)="(\w+)"', rf'\1="{at}x\2"', other))
    data = (text[:start] + "".join(more) + "</menu></quillmoor>").encode()
    done = convert(data, "x", "stallmere/broad")
    sound(done, "stallmere/broad")
    assert len(panels(done.data, "stallmere")) == 4
    assert [loss.after for loss in codes(done)["panel.too-many"]] == ["4 panels"] * 2


@pytest.mark.parametrize(("trees", "held"), [(25, True), (28, False)])
def test_the_lists_of_panels_count_as_menus(trees: int, held: bool) -> None:
    """A shop holds thirty trees: those that it has, the bar, and one for each of four columns."""
    there = json.loads(shop([], entry("Fares")))
    there["trees"] = [{"key": f"t{n}", "title": "", "entries": []} for n in range(trees)]
    there["frame"]["header"] = None
    into = (json.dumps(there).encode(), "there")
    done = convert(wide(4), "x", "stallmere/broad", into=into)
    sound(done, "stallmere/broad")
    assert bool(panels(done.data, "stallmere")) is held
    assert ("panel.not-held" in codes(done)) is not held


def test_the_link_of_a_heading_moves_into_its_list() -> None:
    done = convert(wide(2, divider=False, picture=False), "x", "stallmere/broad")
    sound(done, "stallmere/broad")
    (panel,) = panels(done.data, "stallmere")
    assert outline(panel) == [[("H0", ["H0", "L0.0", "L0.1"])], [("H1", ["H1", "L1.0", "L1.1"])]]
    moved = [found for found in done.findings if found.code == "panel.heading-link"]
    assert [(loss.severity, loss.path[-1]) for loss in moved] == [
        ("medium", "H0"),
        ("medium", "H1"),
    ]
    assert done.reachable[0] == done.reachable[1]


def test_a_text_becomes_markdown_and_says_the_same() -> None:
    document = json.loads(GRID)
    document["items"][0]["reveal"]["cells"][3]["body"] = {"en": "Sail *today* [now]"}
    done = convert(json.dumps(document).encode(), "x", "stallmere/broad")
    sound(done, "stallmere/broad")
    tray = json.loads(done.data)["trays"][0]
    words = [piece["words"] for column in tray["columns"] for piece in column if "words" in piece]
    assert words == ["Sail \\*today\\* \\[now\\]"]


def test_links_in_texts_are_found_and_matched() -> None:
    words = "See [fares](/read/fares) and [elsewhere](https://webcam.example/)"
    tray = {"under": {"text": "Islands"}, "columns": [[{"words": words}, {"tree": "north"}]]}
    data = shop([tray], entry("Islands"))
    (panel,) = panels(data, "stallmere")
    (text,) = [b.holds for c in panel.columns for b in c.blocks if isinstance(b, Piece)]
    assert isinstance(text, Text) and [t.kind for t in text.links] == ["page", "external"]
    there = json.loads(shop([], entry("Old")))
    there["stock"]["page"] = [{"key": "fares", "title": "Fares"}]
    done = convert(data, "x", "stallmere/broad", into=(json.dumps(there).encode(), "there"))
    sound(done, "stallmere/broad")
    assert json.loads(done.data)["trays"][0]["columns"][0][0] == {"words": words}
    assert "link.in-markup" not in codes(done), "it is there under the same address"
    plain = convert(data, "x", "fanlight")
    sound(plain, "fanlight")
    assert len(codes(plain)["panel.markup"]) == 1
    assert b'<a href=\\"/read/fares\\">fares</a>' in plain.data, "as markup it keeps its links"
    links = convert(data, "x", "quillmoor/slipway")
    sound(links, "quillmoor/slipway")
    assert [loss.labels for loss in codes(links)["panel.link"]] == [("fares", "elsewhere")]


def test_a_picture_that_leads_nowhere() -> None:
    pier = {"src": "/pier.jpg", "link": None}
    tray = {"under": {"text": "Islands"}, "columns": [[{"picture": pier}, {"tree": "north"}]]}
    data = shop([tray], entry("Islands"))
    for to in HELD:
        done = convert(data, "x", to)
        sound(done, to)
        pictures = "picture" in KEEPS[to]
        assert ("panel.block" in codes(done)) is not pictures and "panel.picture" not in codes(done)
    again = json.loads(convert(data, "x", "stallmere").data)["trays"]
    assert again == [{**tray, "columns": [[{"picture": {"src": "/pier.jpg"}}, {"tree": "north"}]]}]


def test_of_two_labels_alike_the_place_says_which_one_a_panel_opens_from() -> None:
    text = wide(2, divider=False, picture=False).decode()
    double = '<item no="9" after="1"><says>Islands</says><leads fixed="home"/></item></menu>'
    done = convert(text.replace("</menu>", double).encode(), "x", "stallmere/broad")
    sound(done, "stallmere/broad")
    top = read(done.data, "x")[0].site.menus[0].items
    assert [(item.label, item.panel is not None) for item in top] == [
        ("Islands", True),
        ("Islands", False),
    ]
    (tray,) = json.loads(done.data)["trays"]
    assert tray["under"] == {"text": "Islands", "place": 1}


def test_panels_are_bound_to_labels_that_stand_once(tmp_path: Path) -> None:
    """Where a record has no place, no other top item may have its text."""
    shipped = Path(migrate.__file__).parent / "profiles/platforms/stallmere.toml"
    own = shipped.read_text("utf-8").replace('place = "under/place"\n', "")
    (tmp_path / "own.toml").write_text(own.replace('"stallmere"', '"tied"', 1), "utf-8")
    text = wide(2, divider=False, picture=False).decode()
    double = '<item no="9" after="1"><says>Islands</says><leads fixed="home"/></item></menu>'
    data = text.replace("</menu>", double).encode()
    done = convert(data, "x", f"{tmp_path}/own.toml/broad")
    assert [item.label for item in done.written.menus[0].items] == ["Islands", "Islands 2"]
    assert [loss.after for loss in codes(done)["label.clash"]] == ["Islands 2"]


# The profile language

DOCS = Path(__file__).parent.parent / "docs/profiles.md"
WORKED = ("marked", "wrapped", "boards", "cells", "groups", "bound", "sequence", "counted")


def without_blanks(tree: Any) -> Any:
    if isinstance(tree, dict):
        return {key: without_blanks(value) for key, value in tree.items() if value not in ("", [])}
    return [without_blanks(value) for value in tree] if isinstance(tree, list) else tree


@pytest.mark.parametrize("encoding", WORKED)
def test_the_worked_examples_of_panels(encoding: str, tmp_path: Path) -> None:
    text = DOCS.read_text("utf-8")
    text = text[text.index("### Panels, worked") :]
    head = re.search(r"```toml\n(profile = 1\n.*?)```", text, re.DOTALL)
    pattern = rf"#### Panels as `{encoding}`\n```(?:json|yaml)\n(.*?)```\n```toml\n(.*?)```"
    worked = re.search(pattern, text, re.DOTALL)
    assert head is not None and worked is not None
    sample, part = worked[1].encode(), worked[2]
    profile = str(tmp_path / f"{encoding}.toml")
    whole = part if part.startswith("profile") else head[1] + part
    Path(profile).write_text(whole, "utf-8")
    (panel,) = panels(sample, profile)
    expected = [[("North", ["Haldrun"])], [("South", ["Oddny"])]]
    assert outline(panel) == expected
    assert (panel.before is not None) == (encoding == "counted")
    same = convert(sample, "sample", profile, from_=profile)
    assert same.fitted.losses == []
    yaml = YAML(typ="safe", pure=True)  # JSON is YAML too
    assert without_blanks(yaml.load(same.data)) == without_blanks(yaml.load(sample))
    # The demo's panel goes there too, and comes back with all of its links.
    there = convert((DATA / "old.xml").read_bytes(), "old.xml", profile)
    (islands,) = panels(there.data, profile)
    assert [column for column in outline(islands) if "Haldrun" in str(column)]
    assert there.audited.problems == []


# A header that is a sequence


def terrace(header: list[Any], sheets: list[Any], **trees: list[Any]) -> bytes:
    document = json.loads(shop([], entry("Fares")))
    document["trees"] = [
        {"key": key.replace("_", "-"), "title": "Main", "entries": entries}
        for key, entries in trees.items()
    ]
    document["frame"] = {"theme": "terrace", "header": header, "footer": None}
    document["sheets"] = sheets
    return json.dumps(document).encode()


ISLES = [
    {**entry("North"), "entries": [entry("Haldrun"), entry("Oddny")]},
    {**entry("South"), "entries": [entry("Murven")]},
]
SHEET: dict[str, Any] = {"key": "isles", "text": "Islands", "link": {"fixed": "home"}}
SHEET |= {"tree": "isles", "pictures": [PIER]}
PARTS = [{"tree": "main"}, {"sheet": "isles"}, {"tree": "main-2"}]


def labels(site: Site) -> list[str]:
    menu = next(menu for menu in site.menus if menu.key == "main")
    return [item.label for item in menu.items]


def test_a_sequence_is_one_bar() -> None:
    parts = {"main": [entry("Sailings")], "main_2": [entry("Fares"), entry("Freight")]}
    data = terrace(PARTS, [SHEET], isles=ISLES, **parts)
    assert CHECKERS["stallmere"](data) == []
    site = read(data, "x")[0].site
    assert [menu.key for menu in site.menus] == ["main"] == list(site.locations[0].menus)
    assert labels(site) == ["Sailings", "Islands", "Fares", "Freight"]
    (panel,) = panels(data, "stallmere/terrace")
    assert outline(panel) == [
        [("North", ["Haldrun", "Oddny"])],
        [("South", ["Murven"])],
        ["Picture"],
    ]
    (extra,) = site.menus[0].items[1].extras  # the tree has a title of its own
    assert (extra.path, extra.value) == ("tree/title", "Main")
    again = convert(data, "x", "stallmere/terrace")
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    was, now = json.loads(data), json.loads(again.data)
    assert now["frame"] == was["frame"] and now["sheets"] == was["sheets"]
    assert sorted(t["key"] for t in now["trees"]) == ["isles", "main", "main-2"]


@pytest.mark.parametrize(
    ("header", "more", "left"),
    [
        ([{"sheet": "isles"}, {"tree": "main"}], {}, ["Islands", "Sailings"]),
        ([{"tree": "main"}, {"tree": "main-2"}, {"sheet": "isles"}], {}, ["Sailings"]),
        ([{"tree": "main"}, {"sheet": "gone"}, {"tree": "main-2"}], {}, ["Sailings"]),
        (PARTS, {"text": 1}, ["Sailings"]),
        (PARTS, {"tree": "main"}, ["Sailings"]),
        ([*PARTS, {"sheet": "isles"}], {}, ["Sailings"]),
    ],
    ids=[
        *("a sheet first", "two trees side by side", "a sheet that is not there"),
        *("a text of no words", "a tree that is shown", "a sheet that is shown twice"),
    ],
)
def test_other_sequences(header: list[Any], more: dict[str, Any], left: list[str]) -> None:
    parts = {"main": [entry("Sailings")], "main_2": [entry("Fares")]}
    data = terrace(header, [{**SHEET, **more}], isles=ISLES, **parts)
    assert labels(read(data, "x")[0].site) == left
    again = convert(data, "x", "stallmere/terrace")
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    assert json.loads(again.data)["frame"] == json.loads(data)["frame"]
    # However many menus the sequence has, it is one bar elsewhere.
    done = convert(data, "x", "stallmere/plain")
    sound(done, "stallmere/plain")
    document = json.loads(done.data)
    bar = next(t for t in document["trees"] if t["key"] == document["frame"]["header"])
    shown = [part["tree"] for part in header if "tree" in part]
    assert ("Fares" in [e["text"] for e in bar["entries"]]) == ("main-2" in shown)


def test_a_header_of_nothing_but_sheets() -> None:
    """It is a bar as any other, has no record of its own, and stays as it is at its platform."""
    harbours = [{**entry("East"), "entries": [entry("Tarn Quay")]}]
    sheets = [{"key": "ports", "text": "Ports", "tree": "ports"}, SHEET]
    header = [{"sheet": "ports"}, {"sheet": "isles"}]
    # A menu has the key of the bar already: the one that is read gets another.
    data = terrace(header, sheets, isles=ISLES, ports=harbours, main=[entry("Sailings")])
    site = read(data, "x")[0].site
    (key,) = site.locations[0].menus
    (bar,) = (menu for menu in site.menus if menu.key == key)
    assert key == "main-2" and [item.label for item in bar.items] == ["Ports", "Islands"]
    assert all(item.panel is not None for item in bar.items)
    again = convert(data, "x", "stallmere/terrace")
    assert json.loads(again.data) == json.loads(data) and again.fitted.losses == []
    told = [
        f.before for f in convert(data, "x", "stallmere/broad").findings if f.code == "read.extra"
    ]
    assert told == ["tree.title = Main (2 times)"]
    plain = convert(data, "x", "stallmere/plain")
    sound(plain, "stallmere/plain")
    document = json.loads(plain.data)
    (tree,) = (t for t in document["trees"] if t["key"] == document["frame"]["header"])
    assert [e["text"] for e in tree["entries"]] == ["Ports", "Islands"]
    back = convert(convert(data, "x", "ypsiform").data, "x", "stallmere/terrace")
    assert json.loads(back.data)["frame"] == json.loads(data)["frame"]
    assert sorted(t["key"] for t in json.loads(back.data)["trees"]) == ["isles", "main", "ports"]


def test_pictures_in_any_order_and_before_a_column_that_is_not_there() -> None:
    pictures = [{**PIER, "src": f"/{n}.jpg", "before": n} for n in (9, 2, 1)]
    data = terrace(PARTS[:2], [{**SHEET, "pictures": pictures}], isles=ISLES, main=[entry("A")])
    (panel,) = panels(data, "stallmere/terrace")
    blocks = [block for column in panel.columns for block in column.blocks]
    places = [getattr(getattr(block, "holds", None), "source", "links") for block in blocks]
    assert places == ["/1.jpg", "links", "/2.jpg", "links", "/9.jpg"]
    again = convert(data, "x", "stallmere/terrace")
    assert json.loads(again.data) == json.loads(data) and again.fitted.losses == []
    told = [f.before for f in convert(data, "x", "quillmoor").findings if f.code == "read.extra"]
    assert "pictures[0].before = 9" in told


def test_a_sheet_that_is_not_read_is_told() -> None:
    odd = {**SHEET, "tree": "gone"}
    data = terrace(PARTS[:2], [odd], main=[entry("A")])
    found = convert(data, "x", "quillmoor/breakwater").findings
    assert [(f.severity, f.before) for f in found if f.code == "read.panels"] == [
        ("medium", f"sheets = {json.dumps([odd])}"),
        ("medium", 'frame.header = {"sheet": "isles"}'),
    ]


def test_a_panel_between_items_splits_the_menu() -> None:
    done = convert(SEASON, "season.json", "stallmere/terrace")
    sound(done, "stallmere/terrace")
    document = json.loads(done.data)
    assert document["frame"]["header"] == [
        *({"sheet": "summer"}, {"sheet": "timetables"}, {"tree": "main"})
    ]
    text = wide(2, divider=False).decode()
    for ident, label in (("0a", "Before"), ("9a", "Between"), ("9b", "After")):
        made = f'<item no="{ident}"><says>{label}</says><leads fixed="home"/></item>'
        before = '<item no="1">' if ident == "0a" else "</menu>"
        text = text.replace(before, made + before)
    done = convert(text.encode(), "x", "stallmere/terrace")
    sound(done, "stallmere/terrace")
    document = json.loads(done.data)
    assert document["frame"]["header"] == [
        *({"tree": "main"}, {"sheet": "islands"}, {"tree": "main-2"})
    ]
    (split,) = [f for f in done.findings if f.code == "panel.split"]
    assert (split.before, split.after) == ("1 panel", "main, main-2")
    assert convert(text.encode(), "x", "stallmere/terrace").data == done.data


def test_more_lists_than_columns() -> None:
    """Seven columns, in the old order; a heading that is no heading any more stays as a link."""
    done = convert(wide(9, 1, divider=False), "x", "stallmere/terrace")
    sound(done, "stallmere/terrace")
    (panel,) = panels(done.data, "stallmere/terrace")
    lists = [b for c in panel.columns for b in c.blocks if isinstance(b, Links)]
    assert len(lists) == 7
    order = [i.label for b in lists for i in [b.heading, *b.items] if i is not None]
    assert order == [word for at in range(9) for word in (f"H{at}", f"L{at}.0")]
    (loss,) = codes(done)["panel.merged"]
    assert loss.labels  # those that moved
    assert [b.holds for b in pieces(panel.columns[-1])] == [
        Picture("/pier.jpg", None, "Pier", Target("page", address="/pier"))
    ]
    assert [loss.labels for loss in codes(done)["panel.order"]] == [("Pier",)]


# Boards of pages


SEASON = (DATA / "season.json").read_bytes()

BOARD = """arborcote: 6
site: https://old.skerryline.example
pages:
  - id: 1
    title: Home
    path: /
    listed: true
    below:
      - {id: 2, title: Islands, path: /islands/, listed: true, below: [
          {id: 3, title: North, path: /north/, listed: true, below: [
            {id: 4, title: Haldrun, path: /haldrun/, listed: true}]},
          {id: 5, title: South, path: /south/, listed: true}]}
      - {id: 6, title: News, path: /news/, listed: true, below: [
          {id: 7, title: Old, path: /old/, listed: true}]}
bars:
  - {name: main, under: [1], levels: 3, by: rank}
boards:
  - {page: 2, columns: 2, tint: 2, pieces: [
      {side: before, markup: "<p>Sail <a href='/now/'>now</a></p>"},
      {side: after, markup: "<b>!</b>"}]}
  - {page: 6, columns: 1, pieces: [
      {side: instead, markup: "<p><a href='/today/'>Today</a></p>"}]}
look: {theme: ridge}
"""


def test_boards_are_read_and_written_as_they_were() -> None:
    data = BOARD.encode()
    board, own = panels(data, "arborcote/ridge")
    assert (board.style, board.tone) == ("columns", "2")
    assert outline(board) == [[("North", ["Haldrun"])], [("South", [])]]
    assert [type(p.holds).__name__ for p in (board.before, board.after) if p] == ["Markup"] * 2
    assert own.style == "freehand" and outline(own) == [["Markup"]]
    surveyed = read(data, "x")[0]
    # What its markup hides is no item, but the link in it counts.
    assert "Old" not in [getattr(thing, "label", "") for thing in surveyed.rows.things]
    again = convert(data, "x", "arborcote/ridge")
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    assert again.reachable == (7, 7)


def test_boards_go_to_a_grid_and_come_back() -> None:
    there = convert(BOARD.encode(), "x", "fanlight")
    sound(there, "fanlight")
    grid, own = panels(there.data, "fanlight")
    assert [c.span for c in grid.columns] == [12, 6, 6, 12]
    assert [type(b).__name__ for c in grid.columns for b in c.blocks] == [
        *("Piece", "Links", "Links", "Piece")
    ]
    assert outline(own) == [["Markup"]]
    lost = codes(there)
    assert [loss.before for loss in lost["panel.tone"]] == ["2"]
    assert not {"panel.block", "panel.link", "panel.merged"} & lost.keys()
    back = convert(there.data, "x", "arborcote/ridge")
    sound(back, "arborcote/ridge")
    board, own = panels(back.data, "arborcote/ridge")
    assert outline(board) == [[("North", ["Haldrun"])], [("South", [])]]
    assert board.before is not None and board.after is not None and own.style == "freehand"
    assert not {"panel.block", "panel.link", "panel.merged"} & codes(back).keys()


def test_markup_that_runs_is_not_passed_on_to_its_own_platform() -> None:
    data = BOARD.replace("<b>!</b>", "<script>go()</script>").encode()
    done = convert(data, "x", "arborcote/ridge")
    assert b"script" not in done.data
    assert [loss.before for loss in codes(done)["panel.block"]] == [
        "the markup “<script>go()</script>”"
    ]


@pytest.mark.parametrize(("by", "to"), list(product(HELD, HELD)))
def test_the_panels_of_the_demo_go_everywhere(by: str, to: str) -> None:
    first = convert(SEASON, "season.json", by)
    sound(first, by)
    done = convert(first.data, "x", to, from_=by)
    sound(done, to)
    if by == to:
        assert done.audited.facts["kept"] == done.audited.facts["total"]
    count = len(panels(first.data, by))
    assert len(panels(done.data, to)) == count == 2


@given(generated.terrace(), st.sampled_from(HELD))
def test_generated_sequences_go_everywhere(data: bytes, to: str) -> None:
    again = convert(data, "x", "stallmere/terrace")
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    try:
        there = convert(data, "x", to)
    except RefusedError as error:
        assert "no menu of the source" in str(error)
        return
    if not to.startswith("stallmere") or CHECKERS["stallmere"](data) == []:
        sound(there, to)


@given(generated.ridge(), st.sampled_from(HELD))
def test_generated_boards_go_everywhere(data: bytes, to: str) -> None:
    again = convert(data, "x", "arborcote/ridge")
    if b"script" not in data.lower():
        assert again.audited.facts["kept"] == again.audited.facts["total"]
    if not to.startswith("arborcote") or CHECKERS["arborcote"](data) == []:
        sound(convert(data, "x", to), to)


@pytest.mark.parametrize(("to", "kept"), [("tilewick/lintel", True), ("stallmere/plain", False)])
def test_panes_become_items_where_there_is_a_level_for_them(to: str, kept: bool) -> None:
    done = convert(SEASON, "season.json", to)
    sound(done, to)
    item = next(i for m in done.written.menus for i in m.items if i.label == "Timetables")
    below = [(child.label, [inner.label for inner in child.children]) for child in item.children]
    routes = ["North route", "West route", "South route"]
    winter = ["North route, winter", "West route, winter"]
    panes = [("Summer", routes), ("Winter", winter)]
    assert below == (panes if kept else [(label, []) for label in [*routes, *winter]])
    told = next(loss for loss in codes(done)["panel.not-held"] if loss.path == ("Timetables",))
    assert told.before is not None and told.before.startswith("the panes “Summer”, “Winter”")


def test_panels_of_the_destination_in_another_theme() -> None:
    """A panel of the destination that its new theme does not know is said, once for each."""
    there = wide(2).replace(b"upper", b"pocket")
    bar = shop([], entry("Fares"))
    done = convert(bar, "x", "quillmoor/slipway", into=(there, "there"))
    assert [found.path for found in done.findings if found.code == "panel.unknown"] == [
        ("Islands",)
    ]
    kept = convert(bar, "x", "quillmoor", into=(there, "there"))
    assert "panel.unknown" not in {found.code for found in kept.findings}


def test_an_add_on_takes_over_a_whole_location() -> None:
    done = convert(wide(2), "x", "fanlight")
    assert "place.whole" not in {found.code for found in done.findings}  # all of it is a panel
    text = wide(2).replace(
        b"</menu>", b'<item no="9"><says>Fares</says><leads fixed="home"/></item></menu>'
    )
    done = convert(text, "x", "fanlight")
    (whole,) = [found for found in done.findings if found.code == "place.whole"]
    assert whole.labels == ("Fares",) and whole.after == "Fanlight"
    steps = [found.before for found in done.findings if found.code == "step.requires"]
    assert any("it replaces all that stands there" in (step or "") for step in steps)
    told = {found.code for found in read(SEASON, "season.json")[0].findings}
    assert "read.part" in told


@pytest.mark.parametrize(
    "sheet",
    [
        *("text", None, 3, {}),
        {"key": ["isles"], "text": "Islands", "tree": {"a": 1}},
        {**SHEET, "link": "front"},
        {**SHEET, "pictures": {"src": "/p.jpg"}},
        {**SHEET, "pictures": [{**PIER, "link": 3}]},
        {**SHEET, "text": 3},
        {**SHEET, "tree": ["isles"]},
    ],
)
def test_odd_sheets_stay_as_they_are(sheet: Any) -> None:
    data = terrace(PARTS[:2], [sheet], isles=ISLES, main=[entry("Sailings")])
    again = convert(data, "x", "stallmere/terrace")
    assert json.loads(again.data)["sheets"] == [sheet]
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    convert(data, "x", "stallmere/broad")


@pytest.mark.parametrize(
    "board",
    [
        *("text", None, 3, {}),
        {"page": {"a": 1}, "columns": 2},
        {"page": 2, "columns": "two"},
        {"page": 2, "columns": 6},
        {"page": 2, "columns": 1, "pieces": [{"side": "instead", "markup": 3}]},
        {"page": 2, "columns": 1, "pieces": [{"side": "before", "markup": "<p>", "odd": 1}]},
        {"page": 2, "columns": 1, "tint": [2]},
        {"page": 3, "columns": 1},
    ],
)
def test_odd_boards_stay_as_they_are(board: Any) -> None:
    text = (
        BOARD[: BOARD.index("boards:")] + f"boards: {json.dumps([board])}\nlook: {{theme: ridge}}"
    )
    assert panels(text.encode(), "arborcote/ridge") == []
    again = convert(text.encode(), "x", "arborcote/ridge")
    assert YAML(typ="safe", pure=True).load(again.data)["boards"] == [board]
    convert(text.encode(), "x", "arborcote/furrow")


def test_keys_of_sheets_are_told_apart() -> None:
    odd = [{"key": key, "text": "X", "tree": "gone", "odd": 1} for key in ("summer", "summer-2")]
    there = terrace([{"tree": ["x"]}, {"tree": "main"}], odd, main=[entry("Fares")])
    assert read(there, "x")[0].site.menus[0].key == "main"
    done = convert(SEASON, "s", "stallmere/terrace", into=(there, "there"))
    keys = [sheet["key"] for sheet in json.loads(done.data)["sheets"]]
    assert keys == ["summer", "summer-2", "summer-3"]
    told = codes(done)["panel.too-many"]  # three are held, and two were there
    assert [loss.path for loss in told] == [("Timetables",)]


def test_pictures_of_a_sheet_stand_before_the_column_that_they_name() -> None:
    """Before a column, or behind the last; and so they are written again."""
    sheet = {**SHEET, "pictures": [{**PIER, "before": 1}, {**PIER, "before": 2}, PIER]}
    header = [{"tree": "main"}, {"sheet": "isles"}]
    data = terrace(header, [sheet], main=[entry("Fares")], isles=ISLES)
    panel = panels(data, "stallmere/terrace")[0]
    kinds = [[type(block).__name__ for block in column.blocks] for column in panel.columns]
    assert kinds == [["Piece"], ["Links"], ["Piece"], ["Links"], ["Piece"]]
    assert json.loads(convert(data, "x", "stallmere/terrace").data)["sheets"] == [sheet]
    flat = convert(data, "x", "quillmoor/breakwater")
    sound(flat, "quillmoor/breakwater")
    assert len(panels(flat.data, "quillmoor/breakwater")[0].columns) == 5


def test_a_list_of_nothing_stays_in_its_own_tray() -> None:
    lists = [{"tree": "main"}, {"tree": "m0"}]
    file = {"stallmere": 3, "site": "https://x.example", "frame": {"theme": "broad"}}
    file["stock"] = {name: [] for name in ("page", "good", "aisle", "story")}
    entry = {"text": "Quay", "link": {"address": "/quay"}}
    trees = [{"key": "main", "title": "Islands", "entries": []}, {"key": "m0", "title": ""}]
    trees.append({"key": "foot", "title": "Foot", "entries": [entry]})
    tray = {"under": {"text": "Quay"}, "columns": [lists]}
    file |= {"trees": trees, "frame": {"theme": "broad", "header": "foot"}, "trays": [tray]}
    made = json.loads(convert(json.dumps(file).encode(), "s.json", "stallmere").data)
    assert made["trays"] == [tray] and {tree["key"] for tree in made["trees"]} >= {"m0", "main"}


# Lists of links below headings in words

GROUPS = """
profile = 1
id = "groups"
name = "Groups"
container = "json"
recognise = { keys = ["menus"] }
menus = { at = "menus", fields = { key = "key" } }
locations = { form = "names", open = true }
[panels]
encoding = "groups"
at = "parts"
heading = "says"
address = "url"
items = "links"
named = { text = "label", url = "to" }
[site]
[items]
tie = { structure = "nested", inside = "below", id = "id" }
fields = { label = "label", tooltip = "hint" }
kinds = [{ when = {}, kind = "address", address = "to" }]
"""


def grouped(*parts: Any) -> bytes:
    item = {"id": "a", "label": "Isles", "to": "/isles", "parts": list(parts)}
    return json.dumps({"menus": [{"key": "main", "below": [item]}]}).encode()


def test_groups_keep_what_no_rule_reads(tmp_path: Path) -> None:
    link_ = {"id": "b", "text": "Haldrun", "url": "/haldrun", "hint": "A pier", "odd": 1}
    parts = [{"wide": 4, "says": "North", "url": "/north", "links": [link_]}, {"links": []}]
    profile = parsed(GROUPS, "g")
    data = grouped(*parts)
    made = convert(data, "s.json", profile, from_=profile)
    [menu] = json.loads(made.data)["menus"]
    assert menu["below"][0]["parts"] == parts and made.fitted.losses == []
    [item] = read(data, "s.json", profile)[0].site.menus[0].items
    assert item.panel is not None and len(item.panel.columns) == 2
    [block] = item.panel.columns[0].blocks
    assert isinstance(block, Links) and block.heading is not None
    assert block.heading.target.address == "/north" and block.items[0].traits.tooltip == "A pier"


@pytest.mark.parametrize("known", [False, True])
def test_groups_in_a_mapping_of_their_own(known: bool) -> None:
    text = GROUPS.replace('"parts"', '"opens/wide/parts"')
    text = (
        text.replace('tooltip = "hint"', 'tooltip = "hint", rel = "opens/rel"') if known else text
    )
    profile = parsed(text, "g")
    parts = [{"says": "North", "links": [{"id": "b", "text": "Haldrun", "url": "/haldrun"}]}]
    wide = {"parts": parts, "tone": "blue"}
    items = [
        {"id": "a", "label": "Isles", "to": "/isles", "opens": {"on": "press", "wide": wide}},
        {"id": "c", "label": "Fares", "to": "/fares", "opens": {"on": "hover"}},
    ]
    data = json.dumps({"menus": [{"key": "main", "below": items}]}).encode()
    isles, fares = read(data, "s.json", profile)[0].site.menus[0].items
    assert isles.panel is not None and fares.panel is None
    assert sorted(extra.path for extra in isles.extras) == ["opens/on", "opens/wide/tone"]
    made = convert(data, "s.json", profile, from_=profile)
    [menu] = json.loads(made.data)["menus"]
    assert without_blanks(menu["below"]) == items and made.fitted.losses == []
    there = convert(DATA.joinpath("old.xml").read_bytes(), "old.xml", profile)
    assert b'"wide": {' in there.data and there.audited.problems == []


@pytest.mark.parametrize(
    "part",
    [
        "North",
        {"says": "North"},
        {"says": ["North"], "links": []},
        {"says": "North", "links": {"text": "x"}},
        {"says": "North", "links": ["x"]},
        {"links": [], "url": "/north"},
        {"says": "North", "links": [{"label": "x", "text": "y"}]},
    ],
)
def test_groups_of_another_form_stay_unread(part: Any) -> None:
    data, profile = grouped({"says": "South", "links": []}, part), parsed(GROUPS, "g")
    site = read(data, "s.json", profile)[0].site
    [item] = site.menus[0].items
    assert item.panel is None and [extra.path for extra in item.extras] == ["parts"]
    assert json.loads(convert(data, "s.json", profile, from_=profile).data) == json.loads(
        convert(data, "s.json", profile, from_=profile, into=(data, "s.json")).data
    )


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('container = "json"', 'container = "csv"', "records that hold lists"),
        ('text = "label"', 'text = "label", word = "label"', "two keys mean the same one"),
        ('structure = "nested", inside = "below"', 'structure = "flat"', "stand in each other"),
        ('address = "url"', 'address = "away"', "no kind has its address at 'away'"),
    ],
)
def test_groups_that_cannot_be(old: str, new: str, words: str) -> None:
    text = GROUPS.replace(old, new)
    text = text.replace("[items]", '[items]\nat = "rows"') if "flat" in new else text
    with pytest.raises(ProfileError, match=words):
        parsed(text, "g")
