"""Two menus for one location: the first alone, both in one, or neither."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Run, link, quillmoor
from tests.test_shapes import outline
from ypsiform import migrate
from ypsiform.errors import RefusedError
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.proof import Migration
from ypsiform.standins import CHECKERS

ROWS = (
    "header,1,A,/a\nheader,2,B,/b\nmain,1,C,/c\nmain,2,D,/d\nmain,3,E,/e\nmain,1,A,/a2\n"
    "top,1,T,/t\nfoot,1,F,/f\nfooter,1,G,/g\n"
)
TABLE = ("menu,level,label,address\n" + ROWS).encode()


def clash(how: str, table: bytes = TABLE, to: str = "stallmere/plain", **more: Any) -> Migration:
    return convert(table, "t.csv", to, options=Options(clash=how), **more)


def test_the_first_alone() -> None:
    done = clash("first")
    assert outline(done.written.menus[0].items) == [("A", ["B"])]
    assert [f.code for f in done.fitted.losses].count("place.clash") == 3


def test_both_in_one() -> None:
    done = clash("merge")
    menus = [outline(menu.items) for menu in done.written.menus]
    assert menus == [[("A", ["B"]), ("C", ["D", "E"]), "A", "T"], ["F", "G"]]
    merged = [(f.menu, f.outcome) for f in done.fitted.losses if f.code == "menu.merged"]
    assert merged == [("main", "moved"), ("top", "moved"), ("footer", "moved")]
    assert not any(f.code == "place.clash" for f in done.fitted.losses)
    assert CHECKERS["stallmere"](done.data) == [] and done.reachable[1] == done.reachable[0]
    assert done.written_as["main"] == ["main"] == done.written_as["header"]


def test_limits_hold_for_both_together() -> None:
    rows = "".join(f"header,1,A{n},/a\n" for n in range(170))
    rows += "".join(f"main,1,B{n},/b\n" for n in range(30))
    done = clash("merge", ("menu,level,label,address\n" + rows).encode())
    (menu,) = done.written.menus
    assert len(menu.items) == 180
    (lost,) = [f for f in done.fitted.losses if f.code == "menu.too-long"]
    assert lost.labels == tuple(f"B{n}" for n in range(10, 30))


def test_neither() -> None:
    with pytest.raises(RefusedError, match="“header” and “main”; convert with --clash first"):
        clash("stop")


def test_on_the_command_line_and_in_a_plan(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(TABLE)
    common = ("t.csv", "--to", "stallmere/plain")
    done = run("convert", *common, "-o", "a.json", "--clash", "merge", "--json")
    said = json.loads(done.stdout)
    assert [menu["written_as"] for menu in said["menus"]] == [["main"]] * 3 + [["foot"]] * 2
    assert said["audit"]["unreported"] == []
    refused = run("convert", *common, "-o", "b.json", "--clash", "stop")
    assert refused.returncode == 1 and not (tmp_path / "b.json").exists()
    assert run("draft", *common, "-o", "plan", "--clash", "merge").returncode == 0
    assert 'clash = "merge"' in (tmp_path / "plan/migration.toml").read_text("utf-8")
    assert run("convert", "--plan", "plan/migration.toml").returncode == 0
    written = next((tmp_path / "plan").glob("import")).read_bytes()
    assert written == (tmp_path / "a.json").read_bytes()


def phones(*rows: str) -> bytes:
    """A bar, and a menu for handsets with these items: label and address each."""
    links = [
        link("1", address="/a", says="A"),
        link("2", under="1", address="/b", says="B"),
        link("3", address="/c", says="C", seq="2"),
    ]
    for at, row in enumerate(rows):
        label, address = row.split()
        links.append(link(f"p{at}", "phone", seq=str(at), address=address, says=label))
        if label == "A":
            links.append(link(f"q{at}", "phone", f"p{at}", address="/b", says="B"))
    return quillmoor(
        *links,
        menus='<menu code="m1"><name>Main bar</name></menu>'
        '<menu code="phone"><name>Phones</name></menu>',
        places="pocket=phone upper=m1 ",
    )


@pytest.mark.parametrize("to", ["tilewick/gable", "tilewick/lintel", "fanlight"])
def test_a_menu_for_handsets_joins_the_bar_where_items_say_their_devices(to: str) -> None:
    done = convert(phones("A /a", "Call /call", "C /c2"), "x", to)
    assert CHECKERS[to.split("/")[0]](done.data) == []
    (menu,) = done.written.menus
    assert outline(menu.items) == [("A", ["B"]), "C", "Call", "C"]
    devices = [item.traits.devices for item in menu.items]
    assert devices == [("desktop", "handset")] * 2 + [("handset",)] * 2
    (told,) = [f for f in done.findings if f.code == "menu.to-devices"]
    assert (told.menu, told.before, told.labels) == ("phone", "handset", ("Call", "C"))
    assert done.reachable[0] == done.reachable[1] and done.shown == (2, 2)
    same = convert(phones("A /a", "C /c"), "x", to)
    assert outline(same.written.menus[0].items) == [("A", ["B"]), "C"]
    assert [f.menu for f in same.findings if f.code == "menu.within"] == ["phone"]


def test_a_plan_says_what_becomes_of_a_menu_for_handsets(run: Run, tmp_path: Path) -> None:
    (tmp_path / "x.xml").write_bytes(phones("Call /call"))
    assert run("draft", "x.xml", "--to", "tilewick/gable", "-o", "plan").returncode == 0
    path = tmp_path / "plan/migration.toml"
    text = path.read_text("utf-8")
    assert "each with its devices" in text and text.count("locations =") == 2
    assert run("convert", "--plan", "plan/migration.toml").returncode == 0
    assert "Call" in (tmp_path / "plan/import").read_text()
    path.write_text(text + "locations = []\n")
    done = run("convert", "--plan", "plan/migration.toml", "--json")
    assert done.returncode == 0, done.stderr
    assert "Call" not in (tmp_path / "plan/import").read_text()
    assert "menu.no-place" in {f["code"] for f in json.loads(done.stdout)["findings"]}


def test_a_plan_places_two_menus_at_one_location(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(TABLE)
    assert run("draft", "t.csv", "--to", "stallmere/plain", "-o", "plan").returncode == 0
    path = tmp_path / "plan/migration.toml"
    text = path.read_text("utf-8")
    head, *menus = text.split("[[menu]]")
    menus = [
        m.replace("locations = []", 'locations = ["header"]') if 'id = "top"' in m else m
        for m in menus
    ]
    path.write_text("[[menu]]".join([head, *menus]))
    refused = run("convert", "--plan", "plan/migration.toml")
    assert refused.returncode == 1 and 'clash = "merge"' in refused.stderr
    path.write_text(path.read_text().replace('clash = "first"', 'clash = "merge"'))
    done = run("convert", "--plan", "plan/migration.toml", "--json")
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    assert {m["id"]: m["written_as"] for m in said["menus"]}["top"] == ["main"]
    assert said["audit"]["unreported"] == []


def test_a_panel_opens_from_one_item_where_menus_are_joined(tmp_path: Path) -> None:
    """Items of the other menu get another label than one that a panel has been given."""
    table = (
        b"menu,level,label,address\nheader,1,A,/a\nheader,2,B,/b\nheader,3,C,/c\nheader,4,D,/d\n"
        b"main,1,A,/a\nmain,1,E,/e\n"
    )
    shipped = Path(migrate.__file__).parent / "profiles/platforms/stallmere.toml"
    own = shipped.read_text("utf-8").replace('"stallmere"', '"tied"', 1)
    (tmp_path / "own.toml").write_text(own.replace('place = "under/place"\n', ""), "utf-8")
    options = Options(clash="merge", depth="columns")
    for to, label in (("stallmere", "A"), (f"{tmp_path}/own.toml", "A 2")):
        done = convert(table, "t.csv", f"{to}/broad", options=options)
        bar = next(menu for menu in done.written.menus if menu.key == "main")
        assert [(item.label, item.panel is not None) for item in bar.items] == [
            ("A", True),
            (label, False),
            ("E", False),
        ]
