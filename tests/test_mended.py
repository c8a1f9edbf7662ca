"""Faults that were found by trying: each of these failed before it was mended."""

from __future__ import annotations

import json
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
from ruamel.yaml import YAML

from tests.conftest import Run, entry, link, quillmoor, stallmere
from ypsiform.demo import DATA
from ypsiform.errors import ProfileError
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.plan.file import read_plan
from ypsiform.profiles.load import parsed
from ypsiform.proof import Migration
from ypsiform.reading import read

FILES = files("ypsiform.profiles").joinpath("platforms")
BOARD = (
    b"bar,outline,label,leads,below,columns,opens,window,desktop,handset\n"
    b"main,1,Goods,,board,3,hover,same,yes,yes\n"
    b"main,1.1,Breads,,list,,,same,yes,yes\n"
    b"main,1.1.1,Rye,/rye,,,,same,yes,yes\n"
    b"main,1.2,Cakes,,list,,,same,yes,yes\n"
    b"main,1.2.1,Sponge,/sponge,,,,same,yes,yes\n"
)
NESTED = """
profile = 1
id = "sample"
name = "Sample"
container = "json"
recognise = {{ keys = ["menus"] }}
menus = {{ at = "menus", fields = {{ key = "key" }} }}
locations = {{ form = "names", open = true }}
{top}
[site]
[items]
tie = {{ structure = "nested", inside = "below"{tie} }}
fields = {{ label = "text" }}
kinds = [{{ when = {{}}, kind = "address", address = "to" }}]
"""


def codes(done: Migration) -> dict[str, list[Any]]:
    found: dict[str, list[Any]] = {}
    for finding in done.findings:
        found.setdefault(finding.code, []).append(finding)
    return found


@pytest.fixture
def nested(tmp_path: Path, run: Run) -> Any:
    def call(items: list[Any], *words: str, top: str = "", tie: str = "") -> Any:
        (tmp_path / "p.toml").write_text(NESTED.format(top=top, tie=tie), "utf-8")
        document = {"menus": [{"key": "main", "below": items}]}
        (tmp_path / "s.json").write_text(json.dumps(document), "utf-8")
        return run(*words)

    return call


def test_a_panel_that_becomes_a_submenu_is_no_deeper_than_is_shown() -> None:
    for depth in ("lift", "auto"):
        done = convert(BOARD, "x", "stallmere/plain", options=Options(depth=depth))
        assert done.reachable == (2, 2)
        assert {branch.choice for branch in done.fitted.branches} == {"lift"}
    gone = convert(BOARD, "x", "stallmere/plain", options=Options(depth="drop"))
    assert gone.reachable == (2, 0)
    assert {f.severity for f in codes(gone)["depth.dropped"]} == {"high"}


def test_an_empty_column_is_not_merged() -> None:
    lost = codes(convert(BOARD, "x", "stallmere/terrace"))
    assert "panel.merged" not in lost and len(lost["panel.empty"]) == 1


def test_a_panel_of_words_alone_stays_a_panel() -> None:
    tray = {"under": {"text": "Shop"}, "columns": [[{"words": "Open daily"}]]}
    data = stallmere(("main", [entry("Shop")]), theme="broad", trays=[tray])
    done = convert(data, "x", "fanlight")
    assert b"Open daily" in done.data and "panel.not-held" not in codes(done)


def test_cells_that_no_rule_reads_stay_among_the_others() -> None:
    cells: list[Any] = [{"width": 4, "type": "swap", "src": "/a.jpg"}]
    cells += [{"width": 4, "type": "text", "body": {"en": w}} for w in ("one", "two")]
    cells.insert(2, {"width": 4, "type": "swap", "src": "/b.jpg"})
    top = {"uid": "f1", "label": {"en": "A"}, "href": "/a"}
    top["reveal"] = {"as": "grid", "on": "hover", "cells": cells}
    document = {"fanlight": 4, "takes": "top", "host": "https://x.example", "items": [top]}
    done = convert(json.dumps(document).encode(), "x", "fanlight")
    assert json.loads(done.data)["items"][0]["reveal"]["cells"] == cells


def test_the_order_of_nested_records_is_theirs(nested: Any) -> None:
    items = [{"text": t, "to": f"/{t}", "sort": n} for t, n in (("c", 30), ("a", 1), ("b", 2))]
    done = nested(items, "survey", "s.json", "--from", "p.toml", "--json", tie=', order = "sort"')
    assert done.returncode == 0, done.stderr
    done = nested(items, "convert", "s.json", "--from", "p.toml", "--to", "csv", "-o", "-",
                  tie=', order = "sort"')  # fmt: skip
    assert [row.split(",")[2] for row in done.stdout.splitlines()[1:]] == ["a", "b", "c"]
    bad = [{"text": "a", "to": "/a", "sort": "first"}]
    done = nested(bad, "survey", "s.json", "--from", "p.toml", tie=', order = "sort"')
    assert done.returncode == 1 and "sort: 'first' is not a whole number" in done.stderr


@pytest.mark.parametrize(
    ("before", "after", "words"),
    [
        ("fields = { label", 'only = { nav = "yes" }\nfields = { label', "switched off"),
        ('when = {}, kind = "address"', 'when = { text = "x" }, kind = "none" }, '
         '{ when = {}, kind = "address"', "reads 'text' already"),
        ('when = {}, kind = "address"', 'when = { sort = "pane*" }, kind = "none" }, '
         '{ when = {}, kind = "address"', "cannot be written back"),
        ("[site]", '[purposes]\nmain = "menu"\n[site]', "found 'menu'"),
    ],
)  # fmt: skip
def test_what_a_profile_cannot_mean_is_refused(
    run: Run, tmp_path: Path, before: str, after: str, words: str
) -> None:
    text = NESTED.format(top="", tie="").replace(before, after)
    (tmp_path / "p.toml").write_text(text, "utf-8")
    done = run("profile", "check", "p.toml")
    assert done.returncode == 1 and words in done.stderr and "p.toml, line" in done.stderr


def test_unread_data_is_told_once_a_field(nested: Any) -> None:
    items = [
        {"text": f"t{n}", "to": f"/t{n}", "tide": "high" if n % 2 else "low"} for n in range(9)
    ]
    done = nested(items, "survey", "s.json", "--from", "p.toml", "--json")
    (found,) = [f for f in json.loads(done.stdout)["findings"] if f["code"] == "read.extra"]
    assert found["before"] == "tide = low (5), high (4)"
    assert found["count"] == 9 == len(found["places"])
    done = nested(items, "survey", "s.json", "--from", "p.toml", "--json",
                  top='ignore = { tide = "of an old plug-in" }')  # fmt: skip
    (found,) = [f for f in json.loads(done.stdout)["findings"] if f["code"] == "read.ignored"]
    assert found["severity"] == "note" and "of an old plug-in" in found["why"]


def test_links_that_no_rule_reads_are_losses(nested: Any) -> None:
    items = [{"text": "A", "to": "/a", "more": "/b", "map": "/files/m.pdf", "self": "/api/1"}]
    done = nested(items, "survey", "s.json", "--from", "p.toml", "--json")
    found = {f["code"]: f for f in json.loads(done.stdout)["findings"]}
    assert found["read.links"]["severity"] == "high" and "/b" in found["read.links"]["before"]
    assert "map" not in found["read.links"]["before"]


def test_values_are_whole_in_the_report(nested: Any) -> None:
    words = "w" * 500
    items = [{"text": "A", "to": "/a", "style": words}]
    done = nested(items, "survey", "s.json", "--from", "p.toml", "--json")
    assert f"style = {words}" in {f["before"] for f in json.loads(done.stdout)["findings"]}


def test_items_without_a_label_are_said() -> None:
    table = b"menu,level,label,address\nMain,1,,/visit\nMain,1,Tickets,/tickets\n"
    assert [f.severity for f in codes(convert(table, "x", "html"))["read.blank"]] == ["medium"]


def test_levels_that_are_skipped_are_said() -> None:
    table = b"menu,level,label,address\nMain,1,Visit,/visit\nMain,3,Tickets,/tickets\n"
    (found,) = codes(convert(table, "x", "html"))["read.jump"]
    assert (found.path, found.before, found.after) == (("Tickets",), "3", "1")


def test_relative_addresses_are_counted_from_the_root() -> None:
    table = b"menu,level,label,address\nMain,1,A,../rel\nMain,1,B,page\nMain,1,C,/index.html\n"
    done = convert(table, "x", "html")
    assert [f.after for f in codes(done)["link.relative"]] == ["/rel", "/page"]
    for address in (b'"/rel"', b'"/page"', b'"/index.html"'):
        assert b"href=" + address in done.data


def test_a_table_without_rows_is_refused(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("menu,level,label,address\n")
    done = run("convert", "t.csv", "--to", "stallmere/plain", "-o", "o.json")
    assert done.returncode == 1 and "there is no menu in it" in done.stderr
    assert not (tmp_path / "o.json").exists()


def test_a_plan_with_a_profile_of_ones_own_runs_from_anywhere(nested: Any, run: Run) -> None:
    items = [{"text": "A", "to": "/a"}]
    done = nested(items, "draft", "s.json", "--from", "p.toml", "--to", "csv", "-o", "plan")
    assert done.returncode == 0, done.stderr
    assert run("convert", "--plan", "plan", "--force").returncode == 0


def test_columns_that_nothing_shows_are_said() -> None:
    data = (Path(__file__).parent.parent / "src/ypsiform/demo/data/old.xml").read_bytes()
    done = convert(data, "x", "stallmere/plain", options=Options(depth="columns"))
    assert {f.menu for f in codes(done)["depth.no-panels"]} == {"main.bar"}


def test_items_that_are_not_translated_are_said() -> None:
    data = quillmoor(
        link("1", says="Fares", address="/fares", says_nb="Priser"),
        link("2", seq="2", says="Help", address="/help"),
    )
    done = convert(data, "x", "stallmere/plain", options=Options(languages="menus"))
    (found,) = codes(done)["label.untranslated"]
    assert (found.before, found.labels) == ("nb", ("Help",))


def test_a_badge_that_is_over_is_left_out() -> None:
    mark = {"text": "New", "from": "2026-05-01", "until": "2026-06-01"}
    top = {"uid": "f1", "label": {"en": "A"}, "href": "/a", "mark": mark}
    document = {"fanlight": 4, "takes": "top", "host": "https://x.example", "items": [top]}
    data = json.dumps(document).encode()
    late = convert(data, "x", "tilewick/gable", options=Options(as_of="2026-11-30"))
    assert "trait.expired" in codes(late) and "trait.badge" not in codes(late)
    early = convert(data, "x", "tilewick/gable", options=Options(as_of="2026-05-30"))
    assert "trait.badge" in codes(early) and "trait.expired" not in codes(early)


def test_a_back_office_is_converted_by_no_option() -> None:
    old = (Path(__file__).parent.parent / "src/ypsiform/demo/data/old.xml").read_bytes()
    base = convert(old, "old.xml", "rowanbase").data
    site = read(base, "x")[0].site
    assert all(menu.owner == "site" for menu in site.menus)


def test_pages_that_no_menu_leads_to_are_listed_on_both_sides() -> None:
    there = stallmere(("main", [entry("Old")]), pages=("fares", "help"))
    table = b"menu,level,label,address\nmain,1,Fares,/read/fares\n"
    (found,) = codes(convert(table, "x", "stallmere/plain", into=(there, "y")))["link.unused"]
    assert found.labels == ("Help",)


def test_the_language_of_a_menu_is_a_fact() -> None:
    page = b'<nav id="main" lang="nb"><ul><li><a href="/a">A</a></li></ul></nav>'
    (found,) = codes(convert(page, "x", "csv"))["menu.language"]
    assert found.before == "nb"


def test_the_terminal_and_the_report_count_alike(run: Run) -> None:
    words = ("convert", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "o")
    done = run(*words, "--report", "r.json")
    said = " ".join(done.stdout.split())
    report = json.loads(run(*words, "--json", "--force").stdout)
    severities = [found["severity"] for found in report["findings"]]
    for name in ("high", "medium", "low"):
        assert f"{severities.count(name)} {name}" in said


DUMP = """
profile = 1
id = "dump"
name = "Dump"
container = "json"
read-only = "it is read and never written"
recognise = { keys = ["#list"] }
locations = { form = "names", open = true }
[site]
[menus]
find = "$['#list'][?@.name=='menus'].data[*]"
fields = { key = "key" }
[items]
find = "$['#list'][?@.name=='links'].data[*]"
tie = { structure = "parent", id = "id", menu = "menu", under = "under", top = "0" }
fields = { label = "text" }
kinds = [{ when = {}, kind = "address", address = "to" }]
"""


def test_what_a_jsonpath_finds_is_not_unread_as_well(run: Run, tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text(DUMP, "utf-8")
    link = {"id": "1", "menu": "main", "under": "0", "text": "A", "to": "/a", "odd": 3}
    tables = [
        {"type": "header", "version": 5},
        {"name": "menus", "data": [{"key": "main"}]},
        {"name": "links", "data": [link]},
        {"name": "logs", "data": [{"when": "now"}]},
    ]
    (tmp_path / "d.json").write_text(json.dumps(tables), "utf-8")
    site = read((tmp_path / "d.json").read_bytes(), "d.json", str(tmp_path / "p.toml"))[0].site
    assert [extra.value for extra in site.extras] == [
        {"type": "header", "version": 5},
        {"name": "menus"},
        {"name": "links"},
        tables[3],
    ]
    assert [extra.value for extra in site.menus[0].items[0].extras] == [3]
    said = run("survey", "d.json", "--from", "p.toml").stdout
    assert "the list at the top = " in said and "#list" not in said
    refused = run("convert", "d.json", "--from", "p.toml", "--to", "fanlight/x", "-o", "o")
    assert "fanlight has no theme 'x'; it has none." in refused.stderr


@pytest.mark.parametrize(
    ("value", "lost"),
    [
        ([{"Contact": "contact.md"}, {"Write": "mailto:a@b.example"}], True),
        ([{"name": "Press", "to": "https://x.example/p"}, {"name": "Call", "to": "tel:1"}], True),
        ([{"A": "/a"}, {"B": "/a"}], False),  # an item leads there
        ([{"name": "Map", "src": "/files/a.pdf"}, {"name": "B", "src": "/files/b.pdf"}], False),
        ([{"name": "One", "size": "3"}, {"name": "Two", "to": "https://x.example/"}], False),
        ([{"href": "/x.md"}], False),
        (["a.md", "b.md"], False),
    ],
)
def test_unread_lists_of_labelled_links_are_lost_links(value: Any, lost: bool) -> None:
    text = json.loads(stallmere(("main", [entry("A", address="/a")])))
    text["more"] = value
    found = codes(convert(json.dumps(text).encode(), "x", "csv"))
    assert ("read.links" in found) == lost
    if lost:
        assert [f.severity for f in found["read.links"]] == ["high"]


PAGES = """arborcote: 6
site: https://club.bramblow.example
pages:
  - {id: 1, title: Home, path: /, listed: true, below: [
      {id: 2, title: Crafts, path: /crafts, listed: true, made: 2024-03-05, below: [
        {id: 3, title: Weaving, path: /crafts/weaving, listed: true, made: 2024-04-01},
        {id: 4, title: Pottery, path: /crafts/pottery, listed: true, made: 2023-01-01}]},
      {id: 5, title: Recipes, path: /recipes, listed: true, below: [
        {id: 6, title: Soups, path: /recipes/soups, listed: true}]}]}
bars:
  - {name: main, under: [1], levels: 2, by: title}
  - {name: foot, under: [2], levels: 1, by: made}
boards:
  - {page: 5, columns: 4, tint: 2, pieces: [
      {side: before, markup: "<p><a href='/recipes/new'>new</a></p>"}]}
look: {theme: ridge}
"""


def test_another_theme_of_a_page_tree_leaves_the_pages_as_they_are() -> None:
    done = convert(PAGES.encode(), "x", "arborcote/furrow")
    now = YAML(typ="safe", pure=True).load(done.data)
    was = YAML(typ="safe", pure=True).load(PAGES)
    assert (now["pages"], now["bars"], now["boards"]) == (was["pages"], was["bars"], [])
    found = codes(done)
    assert "menu.rule-frozen" not in found and "label.frozen" not in found
    # What stood in the board is lost, and so is the page that only it led to.
    assert [loss.severity for loss in found["panel.block"]] == ["high"]
    assert done.reachable == (6, 5)


def test_a_page_tree_whose_theme_shows_less_is_restructured() -> None:
    deep = PAGES.replace(
        "/recipes/soups, listed: true}",
        "/recipes/soups, listed: true, below: [{id: 7, title: Cold, path: /cold, listed: true}]}",
    ).replace("levels: 2", "levels: 3")
    done = convert(deep.encode(), "x", "arborcote/furrow")
    assert [loss.path[-1] for loss in codes(done)["depth.lifted"]] == ["Cold"]
    behind = PAGES.replace("side: before", "side: instead")
    done = convert(behind.encode(), "x", "arborcote/furrow")
    labels = [item.label for item in done.written.menus[0].items[1].children]
    assert labels == ["new"]  # and not Soups, which nobody saw before


def test_a_pointer_that_nobody_can_read_stays_with_its_page() -> None:
    odd = PAGES.replace(
        "listed: true, made: 2024-03-05", "listed: true, pointer: [], made: 2024-03-05"
    )
    done = convert(odd.encode(), "x", "arborcote/furrow")
    now = YAML(typ="safe", pure=True).load(done.data)
    assert now["pages"][0]["below"][0]["pointer"] == []
    assert "read.extra" not in codes(done)


def test_an_empty_class_of_a_list_stays() -> None:
    page = b'<nav id="bar"><ul><li class=""><a href="/a">A</a></li></ul></nav>'
    done = convert(page, "x", "html")
    assert b'<li class="">' in done.data and "read.extra" not in codes(done)
    dressed = convert(page, "x", "html", settings={"item-class": "entry"})
    assert b'<li class="entry ">' in dressed.data and "read.extra" not in codes(dressed)


def test_lines_in_lines_of_a_panel_are_all_told() -> None:
    data = b"""<quillmoor version="4" root="/" speaks="en" dress="breakwater"><leaves/>
    <menu code="m" shown-at="upper"><name>M</name>
    <item no="1"><says>A</says><style>pane</style></item><item no="2" in="1"><rule/></item>
    <item no="3" in="2"><says>B</says></item><item no="4" in="2" after="3"><rule/></item>
    </menu></quillmoor>"""
    (loss,) = codes(convert(data, "x", "stallmere/broad"))["panel.divider"]
    assert loss.before == "2"


def test_planks_hold_a_heading_and_a_link_alone() -> None:
    data = b"""<quillmoor version="4" root="/" speaks="en nb" dress="breakwater"><leaves/>
    <menu code="m" shown-at="upper"><name>M</name>
    <item no="1"><says>A</says><style>pane</style></item>
    <item no="2" in="1"><says>North</says><says lang="nb">Nord</says><hint>H</hint>
    <style>share-1</style></item><item no="3" in="2"><says>B</says></item>
    <item no="4" in="1" after="2" for="crew"><says>Crew</says><style>share-1</style></item>
    </menu></quillmoor>"""
    done = convert(data, "x", "quillmoor/slipway")
    found = codes(done)
    assert found["label.language"][0].labels == ("North: Nord",)
    assert [loss.path for loss in found["trait.tooltip"]] == [("A", "North")]
    assert [loss.labels for loss in found["access.not-held"]] == [("Crew",)]
    assert b"<hint>" not in done.data and b"Crew" not in done.data
    # What stands on a plank all the same says nothing: it is unread, and stays as it is.
    odd = done.data.replace(b'heading="North"/>', b'heading="North"><hint>H</hint></plank>')
    again = convert(odd, "x", "quillmoor/slipway")
    assert odd != done.data and b"<hint>H</hint>" in again.data
    assert "trait.tooltip" not in codes(convert(odd, "x", "tilewick/gable"))


def test_a_title_that_is_too_long_for_its_own_platform_is_cut() -> None:
    """As a label is; it once was written as it stood, against what the platform takes."""
    document = json.loads(stallmere(("main", [entry("Fares")]), theme="plain"))
    document["trees"][0]["title"] = "Sailings " * 20
    done = convert(json.dumps(document).encode(), "x", "stallmere")
    (loss,) = [f for f in done.findings if f.code == "menu.renamed"]
    assert "Sailings".startswith(str(loss.after)[:8]) and 30 < len(str(loss.after)) <= 40


def test_characters_that_xml_cannot_hold_leave_everything_that_an_item_says() -> None:
    """Control characters in traits and in blocks once made files that nobody could read."""
    menu = '[[menus.main]]\nname = "X"\nurl = "/x"\n[menus.main.params]\nicon = "\\u001b[2J"'
    toml = f'baseURL = "https://x.example/"\n{menu}'
    done = convert(toml.encode(), "hugo.toml", "quillmoor/breakwater")
    (loss,) = [f for f in done.findings if f.code == "trait.characters"]
    assert (loss.before, loss.after) == ("'\\x1b[2J'", "[2J") and b"<glyph>[2J</glyph>" in done.data
    item: dict[str, Any] = {"uid": "a", "label": {"en": "X"}, "href": "/x"}
    picture = {"width": 6, "type": "picture", "src": "/p\x07.jpg", "caption": {"en": "Pier"}}
    item["reveal"] = {"as": "grid", "cells": [picture]}
    site = {"fanlight": 4, "takes": "top", "host": "https://x.example", "items": [item]}
    done = convert(json.dumps(site).encode(), "x", "quillmoor/breakwater")
    assert "panel.characters" in codes(done) and b'"/p.jpg"' in done.data


def test_a_heading_without_words_that_loses_its_page_is_a_link() -> None:
    """A plank that says nothing and leads nowhere heads nothing: it once ended in a fault."""
    plank = '<item no="1"/><plank no="6" in="1"><leads address="/p1/"/></plank>'
    page = '<leaves><page no="1" at="/p1/"><name>P</name></page></leaves>'
    head = '<quillmoor version="4" root="https://x.example/" speaks="en" dress="slipway">'
    menu = '<menu code="m" shown-at="upper"><name>M</name>'
    source = f"{head}{page}{menu}{plank}</menu></quillmoor>".encode()
    other = '<leaves><page no="2" at="/p2/"><name>Q</name></page></leaves>'
    there = f'{head}{other}{menu}<item no="9"><says>X</says></item></menu></quillmoor>'.encode()
    done = convert(source, "x", "quillmoor/slipway", into=(there, "there"))
    assert "panel.blank" in codes(done) and "link.unresolved" in codes(done)


def test_a_section_for_one_device_is_for_both_where_heads_of_lists_hold_no_more_than_a_label() -> (
    None
):
    table = BOARD.replace(b"Breads,,list,,,same,yes,yes", b"Breads,,list,,,new,yes,no")
    done = convert(table, "t.csv", "fanlight", from_="tilewick/gable")
    [device], [window] = codes(done)["trait.device"], codes(done)["trait.window"]
    assert (device.path, device.before) == (("Goods", "Breads"), "desktop")
    assert window.path == device.path
    cells = json.loads(done.data)["items"][0]["reveal"]["cells"]
    assert cells[0]["head"] == {"label": {"en": "Breads"}, "href": None}


def test_what_a_head_of_a_list_says_beyond_its_label_is_unread_and_stays() -> None:
    head = {"label": {"en": "North"}, "href": None, "hide_on": ["handset"], "off": True}
    cell = {"width": 4, "type": "list", "head": head, "items": []}
    item: dict[str, Any] = {"uid": "a", "label": {"en": "Isles"}, "href": None}
    item["reveal"] = {"as": "grid", "on": "hover", "cells": [cell]}
    file = json.dumps({"fanlight": 4, "takes": "top", "host": "", "items": [item]}).encode()
    done = convert(file, "f.json", "fanlight")
    assert json.loads(done.data)["items"][0]["reveal"]["cells"][0]["head"] == head
    done = convert(file, "f.json", "tilewick/gable")
    assert b"North,,,,,same,yes,yes" in done.data
    said = {finding.before for finding in codes(done)["read.extra"]}
    assert said == {'hide_on = ["handset"]', "off = true"}


def test_a_menu_that_opens_a_panel_at_one_place_is_cut_at_another_and_that_is_said() -> None:
    deep = entry("B", entry("C", entry("D")), entry("E", entry("F")))
    file = stallmere(("top", [entry("A", deep)]), header="top", footer="top", theme="broad")
    done = convert(file, "s.json", "quillmoor/breakwater", options=Options(depth="columns"))
    assert "depth.to-columns" in codes(done)
    [fewer] = codes(done)["place.fewer-levels"]
    assert (fewer.after, fewer.labels) == ("Foot", ("B",))


def test_a_picture_without_a_caption_gets_the_title_of_the_page_that_it_leads_to() -> None:
    cell = {"width": 4, "type": "picture", "src": "/p.jpg", "href": "/islands/haldrun/"}
    item: dict[str, Any] = {"uid": "a", "label": {"en": "Isles"}, "href": None}
    item["reveal"] = {"as": "grid", "on": "hover", "cells": [cell]}
    file = json.dumps({"fanlight": 4, "takes": "top", "host": "", "items": [item]}).encode()
    there = quillmoor(nodes='<page no="30" at="/islands/haldrun/"><name>Haldrun</name></page>')
    done = convert(file, "f.json", "quillmoor/breakwater", into=(there, "new.xml"))
    [empty] = codes(done)["label.empty"]
    assert (empty.after, empty.facts) == ("Haldrun", ["holds"])
    assert b"<says>Haldrun</says>" in done.data and b'<picture src="/p.jpg"/>' in done.data


def test_a_profile_with_an_endless_number_is_refused(tmp_path: Path, run: Run) -> None:
    (tmp_path / "p.toml").write_text(f"profile = {'9' * 5000}\n", "utf-8")
    done = run("profile", "check", "p.toml")
    assert done.returncode == 1 and "p.toml: a number in it has more digits" in done.stderr


def test_unread_data_that_is_called_like_the_title_of_a_sheets_menu(tmp_path: Path) -> None:
    own = FILES.joinpath("stallmere.toml").read_text("utf-8")
    other = own.replace('\ntitle = "title"', '\ntitle = "header"')
    assert other != own
    (tmp_path / "other.toml").write_text(other, "utf-8")
    file = convert((DATA / "old.xml").read_bytes(), "old.xml", "stallmere/terrace").data
    done = convert(file, "new.json", "quillmoor/slipway", from_=str(tmp_path / "other.toml"))
    assert "read.panels" in codes(done)


def test_a_line_that_led_somewhere_leads_nowhere_and_that_is_said() -> None:
    file = Path(__file__).parent / "found/document-a-line-that-leads-somewhere.json"
    options = Options(depth="menu", clash="merge")
    done = convert(file.read_bytes(), "x.json", "quillmoor/breakwater", options=options)
    assert "target" in [fact for found in codes(done)["kind.not-held"] for fact in found.facts]


def test_a_plan_takes_a_menu_away_from_its_place_in_a_file_of_its_own_platform() -> None:
    file = stallmere(("top", [entry("A", to="home")]), header="top", theme="broad")
    plan = b'migration = 1\nto = "stallmere/broad"\n[[menu]]\nid = "top"\nlocations = []\n'
    done = convert(file, "s.json", "stallmere/broad", plan=read_plan(plan, "p.toml"))
    assert json.loads(done.data)["frame"]["header"] is None
    assert "place.left" in codes(done)


def test_what_opened_a_list_opens_the_board_that_is_made_of_it() -> None:
    rows = "menu,level,label,address,opens\nmain,1,Islands,/islands,hover\n"
    rows += "main,2,Northern,,\nmain,3,Haldrun,/islands/haldrun,\n"
    options = Options(depth="columns")
    done = convert(rows.encode(), "a.csv", "tilewick/gable", from_="csv", options=options)
    assert b"main,1,Islands,/islands,board,1,hover,same" in done.data
    assert "opens" in [fact for found in codes(done)["depth.to-columns"] for fact in found.facts]


def test_a_panel_that_opens_nothing_is_counted_where_no_other_one_is() -> None:
    name = "quillmoor-planks-at-the-top-for-members.xml"
    data = (Path(__file__).parent / "found" / name).read_bytes()
    made = convert(data, name, "ypsiform")
    assert made.audited.facts["total"] == made.audited.facts["kept"] == 65


ONE = """
profile = 1
id = "one"
name = "One"
container = "json"
recognise = { keys = ["items"] }
site = {}
locations = { form = "names", open = true }
menus = { at = ".", one = "main" }
[items]
tie = { structure = "nested", inside = "items" }
fields = { label = "text" }
kinds = [{ when = {}, kind = "address", address = "to" }]
"""


@pytest.mark.parametrize("shown", ["upper=m1 foot=m2", "upper=m2", ""])
def test_several_menus_to_a_document_that_is_one(tmp_path: Path, run: Run, shown: str) -> None:
    """The first menu that visitors see becomes the document, and the others are told."""
    menus = '<menu code="m1"><name>Bar</name></menu><menu code="m2"><name>Foot</name></menu>'
    export = quillmoor(link("1", menu="m1"), link("2", menu="m2"), menus=menus, places=shown)
    (tmp_path / "p.toml").write_text(ONE, "utf-8")
    (tmp_path / "old.xml").write_bytes(export)
    done = run("convert", "old.xml", "--to", "p.toml", "-o", "out", "--json")
    assert done.returncode == 0, done.stderr
    report = json.loads(done.stdout)
    assert [menu["written_as"] for menu in report["menus"]].count(["main"]) == 1
    left = [f["menu"] for f in report["findings"] if f["code"] == "menu.too-many"]
    assert len(left) == 1 and len(json.loads((tmp_path / "out").read_bytes())["items"]) == 1
    again = run("convert", "old.xml", "--to", "p.toml", "--into", "out", "-o", "out2", "--json")
    assert again.returncode == 0, again.stderr


def test_no_menu_to_a_document_that_is_one(tmp_path: Path, run: Run) -> None:
    (tmp_path / "p.toml").write_text(ONE, "utf-8")
    page = '<page no="1" at="/a/"><name>A</name></page>'
    (tmp_path / "old.xml").write_bytes(quillmoor(nodes=page, menus="", places=""))
    done = run("convert", "old.xml", "--to", "p.toml", "-o", "out")
    assert (done.returncode, done.stderr) == (
        1,
        "ypsiform: old.xml: a file of one is one menu, and no menu of the source is converted.\n",
    )


@pytest.mark.parametrize(
    ("tie", "words"),
    [
        ('structure = "flat", menu = "name"', "each could hold one item"),
        ('structure = "flat"', "no name"),
    ],
)
def test_records_by_name_say_their_name(tie: str, words: str) -> None:
    text = ONE.replace('structure = "nested", inside = "items"', tie)
    text = text.replace("[items]", '[items]\nat = "rows"\nkeyed = "name"')
    text = (
        text.replace('menus = { at = ".", one = "main" }', "menus = {}") if "menu" in tie else text
    )
    with pytest.raises(ProfileError, match=words):
        parsed(text, "p")
