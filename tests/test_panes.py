"""What panes, pictures, badges and cells may say: links of panes, second pictures, parts that are
off; and what a destination does with it that holds less.
"""

from __future__ import annotations

import json
import random
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Run
from tests.odd_sites import odd_site
from tests.test_marked import HEAD
from ypsiform.migrate import convert
from ypsiform.model import Item, Panel, Piece, links_of, number
from ypsiform.proof import Migration
from ypsiform.reading import read
from ypsiform.standins import CHECKERS

PIER = {
    "width": 6,
    "type": "picture",
    "src": "/files/pier.jpg",
    "second": "/files/quay.jpg",
    "title": {"en": "Pier"},
    "caption": {"en": "The pier"},
    "href": "/pier",
}


def grown(text: str, href: str | None = None, **more: Any) -> dict[str, Any]:
    return {"uid": text.lower(), "label": {"en": text}, "href": href, **more}


def listed(*items: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"width": 6, "type": "list", **more, "items": list(items)}


def tab(text: str, *cells: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {**more, "label": {"en": text}, "cells": list(cells)}


def site(*tabs: dict[str, Any], **more: Any) -> bytes:
    top = grown("Islands", "/i", reveal={"as": "tabs", "items": list(tabs)}, **more)
    head = {"fanlight": 4, "takes": "top", "host": "https://x.example"}
    return json.dumps({**head, "items": [top]}).encode()


NORTH = {"uid": "t1", "href": "/north", "note": {"en": "Cold and clear"}}
TABS = site(
    tab("North", listed(grown("Haldrun", "/h")), **NORTH),
    tab("South", listed(grown("Oddny", "/o"), grown("Murven", "/m"))),
)


def panel_of(done: Migration, platform: str) -> Panel:
    found = read(done.data, "x", platform)[0].site.menus[0].items[0].panel
    assert found is not None
    return found


def codes(done: Migration) -> set[str]:
    return {finding.code for finding in done.findings}


def addresses(done: Migration, platform: str) -> set[str | None]:
    """Where all links of the file written lead."""
    there = read(done.data, "x", platform)[0].site
    things = number(there).things
    return {target.address for thing in things for target in links_of(thing).values()}


def test_a_pane_that_leads_somewhere_is_read_counted_and_written_again() -> None:
    done = convert(TABS, "x", "fanlight")
    assert CHECKERS["fanlight"](done.data) == []
    first = json.loads(done.data)["items"][0]["reveal"]["items"][0]
    assert first == json.loads(TABS)["items"][0]["reveal"]["items"][0]
    assert done.audited.facts["kept"] == done.audited.facts["total"]


@pytest.mark.parametrize(
    "to", ["quillmoor/breakwater", "quillmoor/slipway", "stallmere/broad", "stallmere/terrace"]
)
def test_the_link_of_a_pane_goes_on_as_a_heading_or_as_the_first_link_below_it(to: str) -> None:
    done = convert(TABS, "x", to)
    assert "/north" in addresses(done, to.partition("/")[0])
    assert {"panel.pane", "panel.pane-note"} <= codes(done) and "panel.pane-link" not in codes(done)
    titles = [items[0] for items in _lists(panel_of(done, to.partition("/")[0]))]
    assert titles[0].label == "North"


def _lists(panel: Panel) -> list[list[Item]]:
    blocks = [b for column in panel.columns for b in column.blocks if not isinstance(b, Piece)]
    return [[*([b.heading] if b.heading is not None else []), *b.items] for b in blocks]


@pytest.mark.parametrize("to", ["csv", "rowanbase/bare", "opml"])
def test_a_pane_that_becomes_an_item_leads_where_it_led(to: str) -> None:
    done = convert(TABS, "x", to)
    assert "/north" in addresses(done, to.partition("/")[0])
    assert "panel.pane-link" not in codes(done)


def test_a_pane_that_becomes_nothing_loses_its_link_and_that_is_said_high() -> None:
    done = convert(TABS, "x", "stallmere/plain")
    (lost,) = [f for f in done.findings if f.code == "panel.pane-link"]
    assert lost.severity == "high" and "“North” (/north)" in lost.why
    assert "/north" not in addresses(done, "stallmere")


def test_two_panes_of_one_label_are_two_items() -> None:
    data = site(
        tab("North", listed(grown("Haldrun", "/h")), href="/a"),
        tab("North", listed(grown("Oddny", "/o")), href="/b"),
    )
    there = read(convert(data, "x", "csv").data, "x", "csv")[0].site.menus[0].items[0]
    assert [(child.label, child.target.address) for child in there.children] == [
        ("North", "/a"),
        ("North", "/b"),
    ]


def test_the_id_of_a_pane_is_given_once() -> None:
    there = json.loads(TABS)
    there["items"][0]["uid"] = "other"
    done = convert(TABS, "x", "fanlight", into=(json.dumps(there).encode(), "y"))
    assert CHECKERS["fanlight"](done.data) == []


@pytest.mark.parametrize("to", ["quillmoor/breakwater", "stallmere/broad"])
def test_what_a_picture_says_and_a_destination_does_not_is_named(to: str) -> None:
    done = convert(site(tab("North", listed(grown("Haldrun", "/h")), PIER)), "x", to)
    (less,) = [f for f in done.findings if f.code == "panel.picture"]
    assert less.after == "second picture and title" and less.severity == "low"
    assert "/files/quay.jpg" in less.why and "/pier" in addresses(done, to.partition("/")[0])


def test_a_cell_that_is_off_stays_where_it_was_and_is_left_out_elsewhere() -> None:
    idle = listed(grown("Oddny", "/o"), off=True)
    data = site(tab("North", listed(grown("Haldrun", "/h"), off=False), idle, PIER))
    again = convert(data, "x", "fanlight")
    cells = json.loads(again.data)["items"][0]["reveal"]["items"][0]["cells"]
    assert [cell["type"] for cell in cells] == ["list", "list", "picture"] and cells[1] == idle
    assert "panel.off" not in codes(again)
    away = convert(data, "x", "quillmoor/breakwater")
    assert b"Oddny" not in away.data and "/o" not in addresses(away, "quillmoor")
    (said,) = [f for f in away.findings if f.code == "panel.off"]
    assert said.severity == "note" and "read.links" not in codes(away)


def test_a_badge_is_kept_with_what_the_destination_holds_of_it() -> None:
    data = site(TAB, mark={"text": "New", "until": "2027-06-01", "counts": True})
    assert json.loads(convert(data, "x", "fanlight").data)["items"][0]["mark"]["counts"] is True
    done = convert(data, "x", "csv")
    (less,) = [f for f in done.findings if f.code == "trait.badge-part"]
    assert less.after == "counting down"
    badge = read(done.data, "x", "csv")[0].site.menus[0].items[0].traits.badge
    assert badge is not None and (badge.until, badge.counts) == ("2027-06-01", False)


TAB = tab("North", listed(grown("Haldrun", "/h")))
PROFILE = """
[themes.only]
locations = [{ name = "main", panels = true }]
[themes.only.panels]
encoding = "cells"
at = "opens"
style = "as"
styles = { grid = "columns", panes = "tabs" }
cells = "cells"
tabs = "panes"
label = "name"
width = "wide"
type = "type"
least-columns = 2
least-width = 3
[[themes.only.panels.blocks]]
type = "list"
holds = "links"
heading = "head"
items = "items"
[[themes.only.panels.blocks]]
type = "gauge"
holds = "widget"
fields = { name = "of", settings = "says" }
[[themes.only.panels.blocks]]
type = "menu"
holds = "menu"
fields = { menu = "key" }
[[themes.only.panels.blocks]]
type = "image"
holds = "picture"
fields = { source = "src", second = "over", address = "to", second-address = "over-to" }
"""
GAUGE = {"wide": 4, "type": "gauge", "of": "tides", "says": {"port": "Haldrun", "unit": "m"}}
IMAGE = {"wide": 4, "type": "image", "src": "/a.jpg", "to": "/a", "over": "/b.jpg", "over-to": "/b"}
CELLS = [GAUGE, {"wide": 4, "type": "menu", "key": "more"}, IMAGE]


@pytest.fixture
def sample(run: Run, tmp_path: Path) -> Run:
    head, _, _ = HEAD.partition("[themes.only]")
    (tmp_path / "p.toml").write_text(head + PROFILE)
    top = {"text": "Islands", "to": "/i", "opens": {"as": "grid", "cells": CELLS}, "below": []}
    more = {"key": "more", "title": "More", "below": [{"text": "Fares", "to": "/f", "below": []}]}
    menus = [{"key": "main", "title": "Main", "below": [top]}, more]
    (tmp_path / "in.json").write_text(json.dumps({"menus": menus}))
    return run


def test_widgets_menus_and_two_links_of_a_picture_are_read_and_written_again(
    sample: Run, tmp_path: Path
) -> None:
    done = sample("convert", "in.json", "--from", "p.toml", "--to", "p.toml", "-o", "out.json")
    assert done.returncode == 0, done.stderr
    menus = json.loads((tmp_path / "out.json").read_text())["menus"]
    assert menus[0]["below"][0]["opens"]["cells"] == CELLS
    there = sample("convert", "in.json", "--from", "p.toml", "--to", "ypsiform", "-o", "d.json")
    assert there.returncode == 0, there.stderr
    menus = json.loads((tmp_path / "d.json").read_text())["menus"]
    held = {
        block["block"]: block["holds"]
        for item in menus[0]["items"]
        for column in item.get("panel", {}).get("columns", [])
        for block in column["blocks"]
    }
    assert held["widget"]["name"] == "tides" and held["menu"]["links"] == [
        {"kind": "page", "address": "/f"}
    ]
    assert held["picture"]["second-target"]["address"] == "/b"


def test_a_widget_is_no_block_of_another_platform_and_a_menu_goes_on_as_its_links(
    sample: Run,
    tmp_path: Path,
) -> None:
    asked = ("convert", "in.json", "--from", "p.toml", "--to", "fanlight", "-o", "o.json")
    done = sample(*asked, "-v")
    assert done.returncode == 0, done.stderr
    assert "the widget tides (port Haldrun, unit m)" in " ".join(done.stdout.split())
    text = (tmp_path / "o.json").read_text()
    assert "Fares" in text and "tides" not in text


def test_panels_with_too_few_columns_are_parted_and_narrow_ones_widened(
    sample: Run, tmp_path: Path
) -> None:
    cells = [listed(grown("Haldrun", "/h"), grown("Oddny", "/o")) | {"width": 2}]
    top = grown("Islands", "/i", reveal={"as": "grid", "cells": cells})
    head = {"fanlight": 4, "takes": "top", "host": "https://x.example", "items": [top]}
    (tmp_path / "f.json").write_text(json.dumps(head))
    done = sample("convert", "f.json", "--to", "p.toml", "-o", "o.json", "--report", "r.json")
    assert done.returncode == 0, done.stderr
    (menu,) = json.loads((tmp_path / "o.json").read_text())["menus"]
    made = menu["below"][0]["opens"]["cells"]
    assert [(cell["wide"], len(cell["items"])) for cell in made] == [(3, 1), (3, 1)]
    found = {f["code"] for f in json.loads((tmp_path / "r.json").read_text())["findings"]}
    assert {"panel.regrouped", "panel.span"} <= found


KINDS = """
[[items.kinds]]
when = { to = "/find" }
kind = "search-field"
word = "as-box"
[[items.kinds]]
when = {}
kind = "divider"
word = "line"
"""


def test_a_class_word_says_what_kind_of_item_one_is(run: Run, tmp_path: Path) -> None:
    head, kinds, rest = HEAD.partition("[themes.only]")[0].partition("[[items.kinds]]")
    (tmp_path / "p.toml").write_text(head + KINDS + kinds + rest)
    items = [
        {"text": "Find", "to": "/find", "look": "as-box wide", "below": []},
        {"text": "", "look": "line", "below": []},
        {"text": "Fares", "to": "/f", "look": "tall", "below": []},
    ]
    menus = [{"key": "main", "title": "Main", "below": items}]
    (tmp_path / "in.json").write_text(json.dumps({"menus": menus}))
    there = run("convert", "in.json", "--from", "p.toml", "--to", "p.toml", "-o", "out.json")
    assert there.returncode == 0, there.stderr
    again = json.loads((tmp_path / "out.json").read_text())["menus"][0]["below"]
    assert [set(item.get("look", "").split()) for item in again] == [
        {"as-box", "wide"},
        {"line"},
        {"tall"},
    ]
    asked = ("convert", "in.json", "--from", "p.toml", "--to", "quillmoor", "-o", "q.xml")
    away = run(*asked, "-v")
    assert away.returncode == 0, away.stderr
    text = (tmp_path / "q.xml").read_text()
    assert "<rule/>" in text and 'fixed="search"' in text and "as-box" not in text
    assert "it is the search page" in " ".join(away.stdout.split())
    back = run("convert", "q.xml", "--to", "p.toml", "-o", "back.json", "--report", "r.json")
    assert back.returncode == 0, back.stderr
    found = [f["code"] for f in json.loads((tmp_path / "r.json").read_text())["findings"]]
    assert "kind.search-field" in found


def test_a_class_that_would_say_a_kind_is_left_out(run: Run, tmp_path: Path) -> None:
    head, kinds, rest = HEAD.partition("[themes.only]")[0].partition("[[items.kinds]]")
    (tmp_path / "p.toml").write_text(head + KINDS + kinds + rest)
    link = '<item no="1"><says>Fares</says><leads address="/f"/><style>line tall</style></item>'
    (tmp_path / "q.xml").write_text(
        '<quillmoor version="4" root="https://x.example/"><leaves/>'
        f'<menu code="m" shown-at="upper"><name>M</name>{link}</menu></quillmoor>'
    )
    done = run("convert", "q.xml", "--to", "p.toml", "-o", "o.json")
    assert done.returncode == 0, done.stderr
    (item,) = json.loads((tmp_path / "o.json").read_text())["menus"][0]["below"]
    assert item["look"] == "tall"


def test_what_stands_in_a_mark_of_an_item_is_kept() -> None:
    data = (
        b'<quillmoor version="4" root="https://x.example/" dress="breakwater"><leaves/>'
        b'<menu code="m" shown-at="foot"><name>M</name><item no="1"><says>A</says>'
        b'<leads address="/a"/><off since="2026">Winter</off></item>'
        b'<item no="2" after="1"><rule width="2"/></item></menu></quillmoor>'
    )
    again = convert(data, "x", "quillmoor/breakwater")
    assert b'<off since="2026">Winter</off>' in again.data and b'<rule width="2"/>' in again.data
    away = " ".join(found.why for found in convert(data, "x", "csv").findings)
    assert "off.@since = 2026" in away


def test_shares_that_are_no_whole_twelfths_are_told() -> None:
    head = '<quillmoor version="4" root="https://x.example/" dress="breakwater"><leaves/>'
    head += '<menu code="m" shown-at="upper"><name>M</name><item no="1"><says>A</says>'
    head += "<style>pane</style></item>"
    columns = "".join(
        f'<item no="{n}" in="1"><says>C{n}</says><style>share-{n}</style></item>' for n in (2, 3)
    )
    done = convert(f"{head}{columns}</menu></quillmoor>".encode(), "x", "quillmoor/breakwater")
    (told,) = [found for found in done.source.findings if found.code == "read.shares"]
    assert (told.before, told.after) == ("2 : 3", "5 : 7") and told.path == ("A",)
    even = convert(
        f"{head}{columns.replace('share-3', 'share-2')}</menu></quillmoor>".encode(),
        "x",
        "quillmoor/breakwater",
    )
    assert "read.shares" not in codes(even)


@pytest.mark.parametrize("dress", ["slipway", "breakwater"])
@pytest.mark.parametrize("to", ["slipway", "breakwater"])
def test_a_plank_at_the_top_is_kept_by_its_dress_and_told_by_another(dress: str, to: str) -> None:
    text = (
        f'<quillmoor version="4" root="https://x.example/" dress="{dress}"><leaves/><menu code="m" '
        'shown-at="upper"><name>M</name><item no="1"><says>A</says><leads address="/a"/></item>'
        '<plank no="2" after="1" heading="Summer"/><item no="3" in="2"><says>B</says></item>'
        "</menu></quillmoor>"
    )
    done = convert(text.encode(), "x", f"quillmoor/{to}")
    assert (b"<plank" in done.data) is (dress == to)
    assert any("#name = plank" in found.why for found in done.findings) is (dress != to)


@pytest.mark.parametrize("to", ["fanlight", "quillmoor/breakwater", "stallmere/terrace", "html"])
def test_odd_sites_are_carried_over_with_every_fact_told(to: str) -> None:
    """Panels of every kind with what may stand in them; the audit refuses what is not told."""
    for which in range(60):
        done = convert(odd_site(random.Random(f"{to} {which}")), "d", to)
        facts = done.audited.facts
        assert sum(n for name, n in facts.items() if name != "total") == facts["total"]
        if to != "html":
            assert CHECKERS[to.partition("/")[0]](done.data) == []
