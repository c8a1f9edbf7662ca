"""Faults seen when the program was tried from outside: each failed before it was mended."""

from __future__ import annotations

import csv
import json
import os
import stat
import threading
from collections.abc import Callable
from io import StringIO
from pathlib import Path
from typing import Any

import pytest

from tests import plans
from tests.conftest import Link, Run, entry, link, quillmoor, stallmere
from ypsiform.demo import DATA
from ypsiform.fit import Options
from ypsiform.migrate import convert, recorded
from ypsiform.plan.file import read_plan
from ypsiform.proof import Migration

Report = Callable[..., dict[str, Any]]
OLD = (DATA / "old.xml").read_bytes()
NEW = (DATA / "new.json").read_bytes()


def codes(done: Migration, severity: str | None = None) -> set[str]:
    return {f.code for f in done.findings if severity in (None, f.severity)}


def of(done: Migration, code: str) -> list[str]:
    return [found.why for found in done.findings if found.code == code]


def rows_of(data: bytes) -> list[dict[str, str]]:
    return [*csv.DictReader(StringIO(data.decode("utf-8-sig")))]


def tray(*pieces: dict[str, Any]) -> list[dict[str, Any]]:
    return [{"under": {"text": "Sailings"}, "columns": [[*pieces], [{"tree": "north"}]]}]


NORTH = ("north", [entry("Haldrun", what="page", key="haldrun")])
BAR = ("main", [entry("Sailings"), entry("Fares", what="page", key="fares")])
PAGES = ("haldrun", "fares")


# Lost, wrong, or said too softly


def test_panels_of_a_further_language_are_kept_or_said_to_be_lists() -> None:
    """A menu for a language is no flat list in silence."""
    asked = Options(languages="menus")
    done = convert(OLD, "old.xml", "stallmere/broad", into=(NEW, "new.json"), options=asked)
    said = of(done, "panel.copied-flat")
    assert said and "main-nb" in said[0] and "is an ordinary submenu" in said[0]
    done = convert(OLD, "old.xml", "html", options=asked)
    panels = {m.key: sum(i.panel is not None for i in m.items) for m in done.written.menus}
    assert panels["upper-nb"] == panels["upper"] > 0 and "panel.copied-flat" not in codes(done)


@pytest.mark.parametrize(
    "piece",
    [
        {"picture": {"src": "/p.jpg", "alt": "A pier", "tide": 3}},
        {"words": "Sail [today](/fares)", "since": 2026},
        {"gauge": {"height": 2}},
    ],
)
def test_an_unknown_key_makes_no_panel_unreadable(piece: dict[str, Any]) -> None:
    """What no rule reads is unread by itself; all else of the panel is converted."""
    data = stallmere(BAR, NORTH, theme="broad", pages=PAGES, trays=tray(piece))
    done = convert(data, "shop.json", "tilewick/gable")
    assert [row["label"] for row in rows_of(done.data)][:1] == ["Sailings"]
    assert "Haldrun" in [row["label"] for row in rows_of(done.data)]
    assert "read.panels" not in codes(done) and "read.extra" in codes(done)
    back = convert(data, "shop.json", "stallmere/broad")
    assert json.loads(back.data) == json.loads(data)


def test_what_was_left_out_is_named() -> None:
    """Who reads that something was left out knows what: the item, and each one below it."""
    items = (
        link("1", says="Learners", address="/l/", for_="members"),
        link("2", under="1", seq="2", says="Library", address="/l/library/"),
    )
    done = convert(quillmoor(*items), "old.xml", "csv", options=Options())
    told = of(done, "access.not-held")
    assert told == [] or "Library" in told[0]
    done = convert(quillmoor(*items), "old.xml", "stallmere/plain")
    told = of(done, "access.not-held")
    assert any(
        "The item and the item below it were left out: “Learners”, “Library”" in t for t in told
    )


GONE = '<page no="7" at="/tolls/" stage="withdrawn"><name>Tolls</name></page>'


def test_a_page_that_is_gone_is_high_and_not_reached() -> None:
    """A link into nothing is as severe in a conversion as in a survey, and no page is reached."""
    data = quillmoor(link("1", page="7"), link("2", says="Fares", address="/fares/"), nodes=GONE)
    done = convert(data, "old.xml", "csv")
    assert "link.state" in codes(done, "high") and done.reachable == (1, 1)


def test_an_address_that_is_no_page_is_told(run: Run, tmp_path: Path) -> None:
    """What is typed into the link table is held against the pages of the destination."""
    asked = ("old.xml", "--to", "stallmere/plain", "--into", "new.json")
    assert run("draft", *asked, "-o", "plan").returncode == 0
    table = tmp_path / "plan" / "links.csv"
    rows = list(csv.reader(StringIO(table.read_text("utf-8-sig"), newline="")))
    at = rows[0].index("match")
    rows[1][at] = "/read/saillings"
    with table.open("w", newline="", encoding="utf-8") as out:
        csv.writer(out).writerows(rows)
    done = run("convert", "--plan", "plan", "-o", "o.json", "--json")
    told = json.loads(done.stdout)
    found = [f for f in told["findings"] if f["code"] == "link.decided-unknown"]
    assert found and found[0]["severity"] == "high" and "/read/saillings" in found[0]["why"]
    plain = json.loads(run("convert", *asked, "-o", "p.json", "--json").stdout)
    assert told["reachable"]["after"] == plain["reachable"]["after"] - 1
    assert run("convert", "--plan", "plan", "-o", "s.json", "--strict-links").returncode == 1


def test_a_path_is_held_against_keys(report: Report, tmp_path: Path) -> None:
    """The page whose key is the old path with hyphens comes nearest."""
    keys = ("west-harbour-rooms-hire", "east-harbour-rooms-hire", "rooms")
    (tmp_path / "there.json").write_bytes(stallmere(("main", []), pages=keys))
    table = b"menu,level,label,address\nmain,1,Hire a room,/east/harbour/rooms/hire\n"
    (tmp_path / "in.csv").write_bytes(table)
    made = report("in.csv", "stallmere/plain", "--into", "there.json")
    near = next(f for f in made["findings"] if f["code"] == "link.suggested")
    assert near["after"].startswith("the page “East-Harbour-Rooms-Hire”")


def test_equal_columns_stay_equal_beside_pictures() -> None:
    """A picture that stands in a column of its own takes no share from those that have one."""
    pieces = [{"picture": {"src": f"/{n}.jpg"}} for n in range(2)]
    more = [("south", [entry("Oddny", what="page", key="fares")])]
    trays = tray(*pieces)
    trays[0]["columns"].append([{"tree": "south"}])
    data = stallmere(BAR, NORTH, *more, theme="broad", pages=PAGES, trays=trays)
    done = convert(data, "shop.json", "quillmoor/breakwater")
    widths = [
        column.span
        for item in done.written.menus[0].items
        if item.panel
        for column in item.panel.columns
        if column.span is not None
    ]
    assert len(set(widths)) == 1


def test_parted_columns_stay_on_one_row() -> None:
    """Columns of 4 and 8 of which one is parted do not fall onto a second row."""
    items: list[Link] = [link("1", says="Shop", address="/s/", style="pane")]
    items.append(link("2", under="1", seq="2", says="Wine", address="/w/", style="share-4"))
    items.append(link("3", under="2", seq="3", says="Red", address="/r/", picture="/r.jpg"))
    items.append(link("4", under="1", seq="4", says="Beer", address="/b/", style="share-8"))
    items.append(link("5", under="4", seq="5", says="Stout", address="/st/"))
    done = convert(quillmoor(*items), "old.xml", "fanlight")
    panel = next(item.panel for item in done.written.menus[0].items if item.panel is not None)
    assert sum(column.span or 0 for column in panel.columns) <= 12


def test_a_pane_that_held_no_more_than_a_form_stays_a_link() -> None:
    """The label of a pane that was a link is one still where the destination has no panes."""
    pane = {
        "label": {"en": "Contact"},
        "href": "/contact/",
        "cells": [{"width": 12, "type": "form", "fields": ["name"]}],
    }
    item = {
        "uid": "a",
        "label": {"en": "Help"},
        "href": "/help/",
        "reveal": {
            "as": "tabs",
            "on": "hover",
            "items": [
                pane,
                {
                    "label": {"en": "Ports"},
                    "cells": [
                        {
                            "width": 12,
                            "type": "list",
                            "items": [
                                {"uid": "b", "label": {"en": "Haldrun"}, "href": "/haldrun/"}
                            ],
                        }
                    ],
                },
            ],
        },
    }
    data = {
        "fanlight": 4,
        "takes": "top",
        "host": "https://old.example",
        "needs": {"scripts": True},
        "items": [item],
    }
    done = convert(json.dumps(data).encode(), "f.json", "tilewick/gable")
    assert "/contact/" in [row["leads"] for row in rows_of(done.data)]


def test_the_list_of_all_articles_keeps_its_address() -> None:
    """Where the destination lacks the kind, the platform's own page for it is linked."""
    data = stallmere(("main", [{"text": "Blog", "link": {"list": "story"}, "entries": []}]))
    done = convert(data, "shop.json", "tilewick/gable")
    assert rows_of(done.data)[0]["leads"] == "/story" and "kind.as-address" in codes(done)
    assert "kind.not-held" not in codes(done)


def test_pages_are_not_removed_with_their_menu(run: Run, tmp_path: Path) -> None:
    """A file that is a record of a menu and a page as well cannot leave the one alone."""
    site = tmp_path / "site"
    site.mkdir()
    (site / "contact.md").write_text("---\nnav: {key: Contact}\n---\nWrite to us.\n", "utf-8")
    (site / "plain.md").write_text("A text with nothing above it.\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'profile = 1\nid = "p"\nname = "P"\ncontainer = "files"\nrecognise = {}\nsite = {}\n'
        'ignore = { "#body" = "texts" }\n[files]\n'
        'pages = { name = "**/*.md", container = "front", named = "nav/key" }\n'
        '[menus]\nat = "."\none = "main"\n[locations]\nform = "names"\n[items]\nat = "pages"\n'
        'only = { "nav/key" = "*" }\ntie = { structure = "parent", id = "nav/key", '
        'under = "nav/parent", order = "nav/order" }\nfields = { label = "nav/title" }\n'
        'numbers = ["nav/order"]\n[[items.kinds]]\nwhen = {}\nkind = "address"\n'
        'address = "nav/url"\n[themes.only]\nlocations = [{ name = "main" }]\n',
        "utf-8",
    )
    assert run("survey", "site", "--from", "p.toml").returncode == 0
    done = run("convert", "old.xml", "--to", "p.toml", "--into", "site", "-o", "out/")
    assert done.returncode == 1 and "contact.md would be removed" in done.stderr
    assert not (tmp_path / "out").exists()


def test_a_yes_or_no_that_no_rule_reads_weighs(report: Report, tmp_path: Path) -> None:
    """An unread flag that differs between items nearly always says who sees what."""
    table = (
        b"bar,outline,label,leads,below,columns,opens,window,desktop,handset,members_only,bold\n"
    )
    for at, (secret, bold) in enumerate((("yes", "no"), ("no", "yes")), 1):
        table += f"main,{at},Item {at},/{at},,,,same,yes,yes,{secret},{bold}\n".encode()
    (tmp_path / "t.csv").write_bytes(table)
    found = {
        f["before"].split(" = ")[0]: f["severity"]
        for f in report("t.csv", "csv")["findings"]
        if f["code"] == "read.extra"
    }
    assert found == {"members_only": "high", "bold": "medium"}


def test_a_profile_that_reads_no_label_is_told_so(run: Run, tmp_path: Path) -> None:
    """That all facts are the same says nothing where there are none."""
    (tmp_path / "s.json").write_text('{"nav": [{"title": "A", "to": "/a", "bar": "m"}]}', "utf-8")
    (tmp_path / "p.toml").write_text(
        'profile = 1\nid = "p"\nname = "P"\ncontainer = "json"\nsite = {}\nmenus = {}\n'
        'recognise = { keys = ["nav"] }\n[locations]\nform = "names"\n[items]\nat = "nav"\n'
        'tie = { structure = "flat", menu = "bar" }\nfields = { label = "labl" }\n'
        '[[items.kinds]]\nwhen = {}\nkind = "address"\naddress = "link"\n',
        "utf-8",
    )
    done = run("profile", "check", "p.toml", "s.json")
    assert done.returncode == 3, done.stderr
    assert "No item has a label." in done.stdout and "No item leads anywhere." in done.stdout


# Stops


def test_a_record_of_another_site_is_told_and_not_used() -> None:
    """Ids of one site mean nothing of another one; nothing is taken for one's own."""
    first = convert(OLD, "old.xml", "quillmoor/breakwater")
    other = convert((DATA / "season.json").read_bytes(), "season.json", "quillmoor/breakwater")
    record = recorded(other, plans.NO_HASHES)
    done = convert(
        OLD, "old.xml", "quillmoor/breakwater", into=(first.data, "there.xml"), record=record
    )
    assert "menu.other-record" in codes(done) and "menu.updated" not in codes(done)


def test_a_menu_that_is_updated_elsewhere_says_which_place_it_leaves() -> None:
    """A plan can update a menu of the destination and place it elsewhere: the old place is told."""
    there = quillmoor(link("1", says="A", address="/a/"))
    plan = b'migration = 1\n[[menu]]\nid = "main"\nupdate = "m1"\nlocations = ["foot"]\n'
    made = read_plan(plan, "migration.toml")
    data = stallmere(("main", [entry("Fares", to="", address="/fares/")]))
    done = convert(data, "s.json", "quillmoor/breakwater", into=(there, "t.xml"), plan=made)
    assert "place.given-up" in codes(done)
    assert [place.name for place in done.written.locations if place.menus] == ["foot"]


def test_nothing_legal_stops_a_plan_or_a_rerun(record_property: Any) -> None:
    """A fixed share of `make plans`: plans as drafted and edited, and conversions run again."""
    kinds = {"done": 0, "refused": 0, "stopped": 0}
    stopped: list[str] = []
    for number, came in plans.run(5, list(range(1, 401)), workers=1):
        kinds[came.kind] += 1
        if came.kind == "stopped":
            stopped.append(f"5:{number} {came.what}: {came.why}")
    record_property("score", f"plans and reruns: {kinds}")
    assert stopped == [] and kinds["done"] > 200


def test_labels_in_a_table_of_their_own_are_described(run: Run, tmp_path: Path) -> None:
    """A first profile of a folder names the file of the labels too."""
    folder = tmp_path / "tables"
    folder.mkdir()
    (folder / "bars.csv").write_text("id,name\n1,Main\n", "utf-8")
    items = "".join(f"{n},1,{n},/p{n}\n" for n in range(11, 17))
    (folder / "items.csv").write_text("id,bar,rank,href\n" + items, "utf-8")
    names = ("Visit", "Tickets", "Groups", "The garden", "Opening hours", "Contact us")
    words = "".join(f"{n},{name}\n" for n, name in enumerate(names, 11))
    (folder / "words.csv").write_text("item,txt\n" + words, "utf-8")
    done = run("profile", "new", "tables", "-o", "my.toml")
    assert done.returncode == 0, done.stderr
    assert "Opening hours" in run("survey", "tables", "--from", "my.toml").stdout


def test_the_page_is_written_where_no_picture_can_be_taken(run: Run, tmp_path: Path) -> None:
    """A browser that is missing, or that cannot run, is no reason to lose the page."""
    done = run("preview", "old.xml", "-o", "page.html", "--png", "p.png", PATH=str(tmp_path))
    assert done.returncode == 1 and (tmp_path / "page.html").stat().st_size > 1000


def test_what_turns_a_line_round_is_said_in_letters(run: Run, tmp_path: Path) -> None:
    """The JSON on standard output is the same document, without what nobody sees."""
    (tmp_path / "b.csv").write_text("menu,level,label,address,tide\nm,1,A,/a,A\u202eb\n", "utf-8")
    said = run("survey", "b.csv", "--from", "csv", "--json").stdout
    assert "\u202e" not in said and "\\u202e" in said
    assert "A\u202eb" in json.dumps(json.loads(said), ensure_ascii=False)


def test_links_devices_and_pipes_stay_what_they_are(run: Run, tmp_path: Path) -> None:
    """An output that is no plain file is written to, and not replaced by one."""
    (tmp_path / "t").write_text("old", "utf-8")
    (tmp_path / "l").symlink_to("t")
    assert run("convert", "old.xml", "--to", "csv", "-o", "l", "--force").returncode == 0
    assert (tmp_path / "l").is_symlink() and len((tmp_path / "t").read_bytes()) > 100
    os.mkfifo(tmp_path / "f")
    got: list[bytes] = []
    reader = threading.Thread(target=lambda: got.append((tmp_path / "f").read_bytes()))
    reader.start()
    assert run("convert", "old.xml", "--to", "csv", "-o", "f").returncode == 0
    reader.join(10)
    assert got == [(tmp_path / "t").read_bytes()]
    assert stat.S_ISFIFO((tmp_path / "f").stat().st_mode)
    assert not (tmp_path / "f.record.json").exists()
    for name in ("", "a" * 300):
        done = run("convert", "old.xml", "--to", "csv", "-o", name)
        assert done.returncode == 1 and len(done.stderr.splitlines()[-1]) < 200


def test_control_characters_of_a_translation_are_left_out() -> None:
    """They are as impossible in XML as those of the main label, and said alike."""
    items = [{"label": "A", "translations": {"nb": "B\u0007", "http://[": "C"}, "number": 0}]
    site = {"ypsiform": 1, "languages": ["en", "nb"], "menus": [{"id": "m", "items": items}]}
    done = convert(json.dumps(site).encode(), "d.json", "quillmoor")
    assert {"label.characters", "label.language"} <= codes(done)
    assert done.written.menus[0].items[0].translations == (("nb", "B"),)


def test_scripts_of_pictures_and_icons_are_not_passed_on() -> None:
    """An address that a browser would run goes nowhere, whatever it is of."""
    script = "javascript:alert(1)"
    block = {"block": "picture", "number": 2, "holds": {"source": script, "alt": "x"}}
    items = [
        {
            "number": 0,
            "label": "A",
            "target": {"kind": "page", "address": "/a/"},
            "traits": {"picture": script, "icon": script},
        },
        {
            "number": 1,
            "label": "B",
            "target": {"kind": "page", "address": "/b/"},
            "panel": {"columns": [{"blocks": [block]}]},
        },
    ]
    site = {
        "ypsiform": 1,
        "locations": [{"name": "main", "menus": ["m"]}],
        "menus": [{"id": "m", "key": "m", "items": items}],
    }
    for to in ("csv", "quillmoor", "html", "stallmere/broad"):
        done = convert(json.dumps(site).encode(), "d.json", to)
        assert b"javascript" not in done.data
        assert sum(code == "link.script" for code in (f.code for f in done.findings)) == 2


def test_comments_of_yaml_that_are_lost_are_counted(run: Run, tmp_path: Path) -> None:
    """They are for people, and nobody would miss them before it is too late."""
    assert run("convert", "old.xml", "--to", "arborcote", "-o", "a.yaml").returncode == 0
    file = tmp_path / "a.yaml"
    file.write_text("# Kept by hand.\n" + file.read_text("utf-8"), "utf-8")
    done = run("convert", "old.xml", "--to", "arborcote", "--into", "a.yaml", "-o", "b.yaml", "-v")
    assert "step.comments" in done.stdout
    assert "1 comment of it did not come along" in " ".join(done.stdout.split())


def test_a_page_that_is_written_into_is_said_to_be_more(report: Report, tmp_path: Path) -> None:
    """Of a page only its menus are in the file."""
    (tmp_path / "p.html").write_text(
        "<html><head><title>T</title></head><body><nav><ul><li><a href='/a'>A</a></ul></nav>",
        "utf-8",
    )
    found = report("old.xml", "html", "--into", "p.html")["findings"]
    assert "step.page" in [f["code"] for f in found]


@pytest.mark.parametrize(
    "body",
    [
        "<ul><li><a href='/a'>A</a></li><li hidden><a href='/b'>B</a></li></ul>",
        "<ul><li><a href='/a'>A</a></li><li class='off'><a href='/b'>B</a></li></ul>",
        "<ul><li><a href='/a'>A</a></li><li><a href='/b' hidden>B</a></li></ul>",
        "<div class='r'><a href='/a'>A</a></div><div class='r' hidden><a href='/b'>B</a></div>",
        "<div class='r'><a href='/a'>A</a></div>"
        "<div class='r' style='display: none'><a href='/b'>B</a></div>",
        "<ul><li><a href='/a'>A</a></li><li style='visibility:hidden'><a href='/b'>B</a></li></ul>",
    ],
)
def test_entries_that_a_page_hides_are_not_shown(body: str) -> None:
    """What nobody sees on the old page is no public link on the new one."""
    style = "<style>.off { display: none } .on{display:none} .on:hover{display:block}</style>"
    page = f"<!doctype html><html><head>{style}</head><body><nav>{body}</nav></body></html>"
    done = convert(page.encode(), "page.html", "csv", from_="html")
    assert [row["label"] for row in rows_of(done.data) if not row.get("hidden")] == ["A"]


def test_what_opens_below_an_entry_is_shown_though_it_is_hidden_until_then() -> None:
    """Submenus are hidden until somebody opens them, and classes that a rule shows are not gone."""
    body = (
        "<ul><li><a href='/a'>A</a><ul hidden><li><a href='/b'>B</a></li></ul></li>"
        "<li class='on'><a href='/c'>C</a></li>"
        "<li><button aria-controls='p'>D</button>"
        "<div id='p' hidden><a href='/e'>E</a></div></li></ul>"
    )
    for style in (
        ".on{display:none} .on:hover{display:block}",
        "@media (max-width: 40em) { .on { display: none } p { margin: 0 } }",
        "@import url(x.css); @media print { li { top: 0 } .on { visibility: hidden } }",
        "/* .on { display: none } */ .on { color: red }",
    ):
        head = f"<head><style>{style}</style></head>"
        page = f"<!doctype html><html>{head}<body><nav>{body}</nav></body></html>"
        done = convert(page.encode(), "page.html", "csv", from_="html")
        assert [row.get("hidden", "") for row in rows_of(done.data)] == [""] * 5, style


@pytest.mark.parametrize("style", ["a" * 500_000, "/*" * 250_000, "{" * 500_000, ".a{" * 150_000])
def test_a_style_sheet_without_end_costs_no_more_than_its_length(style: str) -> None:
    """Pages come from strangers: a style sheet is passed through once."""
    page = f"<html><head><style>{style}</style></head><body><nav><a href='/a'>A</a></nav></body>"
    done = convert(page.encode(), "page.html", "csv", from_="html")
    assert [row["label"] for row in rows_of(done.data)] == ["A"]
