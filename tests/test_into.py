"""Writing into what is already there: whatever is not concerned stays, value for value."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import given

from tests import generated
from tests.conftest import entry, link, quillmoor, stallmere
from ypsiform.containers import xml
from ypsiform.demo import DATA
from ypsiform.migrate import convert


def links_of(data: bytes, menu: str) -> list[Any]:
    """The records of one menu in a Quillmoor file, in file order."""
    (_, root) = xml.read(data, "x")["#children"][0]
    (node,) = [n for name, n in root["#children"] if name == "menu" and n["@code"] == menu]
    return [record for name, record in node["#children"] if name == "item"]


OWN = quillmoor(
    link("5", "m1", says="Old bar", fixed="home"),
    link("9", "m2", under="7", says="B", address="javascript:x", odd="1"),
    link("7", "m2", says="A", page="44", seq="30"),
    link("8", "m2", under="99", says="Orphan", fixed="home"),
    menus='<menu code="m1"><name>Bar</name></menu>'
    '<menu code="m2" odd="yes"><name>Other</name></menu>',
    places="upper=m1 ",
    more="<plugins><tide/></plugins>",
)
SHOP = stallmere(("main", [entry("A", entry("B", to="search"), to="home")]), ("m2", [entry("C")]))


def test_other_menus_are_untouched_whatever_is_wrong_with_them() -> None:
    done = convert(SHOP, "new.json", "quillmoor", into=(OWN, "old.xml"))
    assert links_of(done.data, "m2") == links_of(OWN, "m2")
    assert "@in" not in links_of(done.data, "m1")[0]
    for kept in (b"<tide/>", b'odd="yes"', b"<name>Other</name>"):
        assert kept in done.data
    assert done.written_as == {"main": ["m1"], "m2": ["m2.2"]}


def test_new_ids_never_collide() -> None:
    done = convert(SHOP, "new.json", "quillmoor", into=(OWN, "old.xml"))
    (_, root) = xml.read(done.data, "x")["#children"][0]
    ids = [
        record["@no"]
        for name, menu in root["#children"]
        if name == "menu"
        for child, record in menu["#children"]
        if child == "item"
    ]
    assert len(ids) == len(set(ids)) == 6


def test_the_facts_of_the_destination_are_counted() -> None:
    alone = convert(SHOP, "new.json", "quillmoor").audited.facts["total"]
    both = convert(SHOP, "new.json", "quillmoor", into=(OWN, "old.xml")).audited.facts
    assert both["total"] > alone + 3 * 7  # three links of m2, each with its own facts


def test_numbers_and_order_of_the_destination_stay() -> None:
    document = json.loads(SHOP)
    document["stock"]["good"] = [
        {"key": "rover", "title": "R", "price": 12.50, "stock": 10**30, "tags": [1, None, True]}
    ]
    document["zeta"], document["alpha"] = 1, {"b": 1, "a": 2}
    data = json.dumps(document).encode()
    done = convert(quillmoor(link("1", says="X", fixed="home")), "o", "stallmere", into=(data, "n"))
    after = json.loads(done.data)
    assert list(after) == list(document)
    for key in ("stock", "zeta", "alpha"):
        assert json.dumps(after[key]) == json.dumps(document[key])


def test_converting_twice_replaces_and_does_not_add() -> None:
    source = quillmoor(link("1", says="X", fixed="home"), link("2", says="Y", fixed="search"))
    first = convert(source, "o", "stallmere", into=(SHOP, "n")).data
    second = convert(source, "o", "stallmere", into=(first, "n"))
    assert second.data == first
    replaced = next(f for f in second.findings if f.code == "menu.replaced")
    assert replaced.severity == "note"  # all of it can still be reached


@given(generated.stallmere(), generated.quillmoor(clean=True))
def test_untouched_menus_of_generated_sites(new: bytes, old: bytes) -> None:
    done = convert(new, "new.json", "quillmoor", into=(old, "old.xml"))
    for menu in done.fitted.kept:
        assert links_of(done.data, menu.key) == links_of(old, menu.key)


def test_a_page_whose_path_another_one_has_too_is_reached_by_its_id() -> None:
    old = (DATA / "old.xml").read_bytes()
    there = old.replace(b'at="/sailings/north/winter/"', b'at="/timetables/"')
    assert there != old
    done = convert(old, "old.xml", "quillmoor/slipway", into=(there, "there.xml"))
    lost = [finding for finding in done.findings if finding.code == "link.tail"]
    assert any("season=summer" in (finding.before or "") for finding in lost)


def test_ids_that_menus_still_name_are_not_given_to_others() -> None:
    """A menu that stays may list an item that is gone: no new one may stand in for it."""
    old = (DATA / "old.xml").read_bytes()
    there = json.loads(convert(old, "old.xml", "jsonapi").data)
    there["included"] = [record for record in there["included"] if record["id"] != "501"]
    data = json.dumps(there).encode()
    done = convert(old, "old.xml", "jsonapi", into=(data, "there.json"))
    made = json.loads(done.data)
    lists = [r["relationships"]["items"]["data"] for r in made["data"]]
    named = [entry["id"] for held in lists for entry in held]
    assert len(named) == len(set(named))
