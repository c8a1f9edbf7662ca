"""What the facts of a site are: whatever can be said is one, and whatever is lost is named."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from copy import deepcopy
from itertools import product
from typing import Any

import pytest
from msgspec import Struct
from msgspec.structs import force_setattr

from tests.conftest import ALL
from tests.test_pairs import BY, PLACES
from ypsiform import facts
from ypsiform.migrate import convert
from ypsiform.model import (
    NOWHERE,
    PLAIN,
    Badge,
    Column,
    Content,
    Extra,
    Form,
    Gathers,
    Generated,
    Item,
    Links,
    Location,
    Markup,
    Menu,
    MenuReference,
    Panel,
    Picture,
    Piece,
    Products,
    Site,
    Target,
    Text,
    Traits,
    Widget,
    number,
    rows_of,
    targets_of,
)
from ypsiform.profiles.load import find
from ypsiform.reading import read
from ypsiform.visibility import shown

PAGE = Target("page", "5", "/a", "a")


def whole() -> Site:
    """A site in which every field of every value says something."""
    traits = Traits(
        *("words", "tip", "new", "nofollow", "ship", Badge("New", "2026-01-01", "2026-02-01")),
        *("/a.jpg", ("gold",), ("members",), ("desktop",), "press"),
    )
    holds: list[Any] = [
        Picture("/p.jpg", "A pier", "The pier", PAGE),
        Text("See *this*", "markdown", PAGE, (Target("page", address="/t"),)),
        Markup("<b>x</b>", (Target("page", address="/m"),)),
        Products(("rover",)),
        MenuReference("other", (PAGE,)),
        Generated("newest", "news", 3),
        Form(("name",)),
        Widget("tide", (("at", "Oddny"),)),
    ]
    extras = (Extra("tide", "high", 1),)
    deep = Item("i4", "Deep", PAGE, children=[Item("i5", "Deeper", PAGE)])
    blocks: list[Any] = [Links(Item("i2", "North", PAGE, "heading"), [deep], "north")]
    blocks += [Links(None, [Item("i3", "Fares", PAGE)], "fares"), *(Piece(h) for h in holds)]
    before, after = Piece(Markup("<i>b</i>")), Piece(Markup("<i>a</i>"))
    columns = [Column(blocks, 4, "One"), Column([Links(None, [Item("i6", "x", PAGE)])], 8, "Two")]
    panel = Panel(columns, "tabs", True, "press", "2", before, after)
    top = Item("i1", "Islands", PAGE, "link", True, [], panel, traits, False, (("nb", "Øyer"),))
    top.extras = extras
    off = Item("i7", "Off", PAGE, hidden=True)
    plain = Item("i9", "Plain", PAGE, children=[Item("i10", "Below", PAGE)])
    menus = [
        Menu("m1", "main", "Main", [top, off, plain], "en", True, "site", "grows", extras),
        Menu("m2", "other", "Other", [Item("i8", "Help", NOWHERE)]),
    ]
    menus[0].gathers = Gathers(("pages/0",), 2, True)
    contents = [Content("5", "page", "A", "a", "/a", "draft", ("members",), extras)]
    places = [Location("top", "Top", "bar", ("members",), ("desktop",), 1, True, ("m1",), "main")]
    return Site("p", "t", ("https://a.example",), ("en",), contents, menus, places, extras)


EXCEPTIONS = {
    ("Site", "platform"): "what the site runs on is not carried over",
    ("Site", "theme"): "what it shows is in the locations and in who sees what",
    ("Site", "addresses"): "the destination has its own",
    ("Site", "languages"): "labels in further languages are facts; the first one is the site's",
    ("Site", "file"): "where it was read",
    ("Menu", "key"): "its name in the file; menu.key-taken and the report say what it became",
    ("Menu", "origin"): "where it was read",
    ("Menu", "saved"): "whether it is converted at all: read.unsaved, menu.not-asked",
    ("Menu", "owner"): "whether it is converted at all: place.staff, menu.not-asked",
    ("Menu", "gathers"): "the rule says the same in words",
    ("Menu", "stored"): "how its location says it, which no visitor sees",
    ("Menu", "named"): "how its own file refers to it, which no visitor sees",
    ("Gathers", "roots"): "the rule says the same in words",
    ("Gathers", "reach"): "the rule says the same in words",
    ("Gathers", "ranked"): "the rule says the same in words",
    ("Item", "id"): "ids are made anew",
    ("Column", "id"): "the id of a pane is kept where it can be, and proved as planned",
    ("Item", "origin"): "where it was read",
    ("Item", "number"): "its place in reading order",
    ("Piece", "origin"): "where it was read",
    ("Piece", "number"): "its place in reading order",
    ("Column", "origin"): "where it was read",
    ("Links", "key"): "the name of a list in the file; its heading is what is shown",
    ("Content", "title"): "contents are not converted; a label that follows it is the item's",
    ("Content", "key"): "contents are not converted; it serves to match them",
    ("Content", "path"): "contents are not converted; it serves to match them",
    ("Content", "origin"): "where it was read",
    ("Location", "caption"): "locations are the theme's",
    ("Location", "key"): "locations are the theme's",
}
"""Fields that are no fact of their own, each with its reason."""

WORDS = {
    "role": "divider",
    "kind": "external",
    "style": "cascade",
    "state": "gone",
    "purpose": "footer",
    "owner": "platform",
    "form": "plain",
}


def structs(value: Any, way: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Struct]]:
    """Every struct that a value reaches, with the way to it."""
    if isinstance(value, Struct):
        yield way, value
        for name in value.__struct_fields__:
            yield from structs(getattr(value, name), (*way, name))
    elif isinstance(value, (list, tuple)):
        for at, inner in enumerate(value):
            yield from structs(inner, (*way, at))


def other(name: str, value: Any) -> Any:
    if isinstance(value, bool):
        return not value
    if isinstance(value, int):
        return value + 1
    if isinstance(value, str):
        return WORDS.get(name, value + "x")
    if isinstance(value, (list, tuple)):
        if not value:
            return value
        return value[:-1] if len(value) > 1 or name != "audience" else ("guests",)
    if isinstance(value, Struct):
        by_name: dict[str, Any] = {"traits": PLAIN, "holds": Form(("other",)), "target": NOWHERE}
        return by_name.get(name)
    return None


def said(site: Site) -> Any:
    rows = number(site)
    return facts.of_site(site, rows, shown(site, rows, own_room=False))


def step(value: Any, at: Any) -> Any:
    return getattr(value, at) if isinstance(at, str) else value[at]


def test_another_value_makes_another_fact() -> None:
    site = whole()
    base = said(site)
    assert len(base) == facts.count(site, number(site))
    met: set[tuple[str, str]] = set()
    alike: set[tuple[str, str]] = set()
    changed: set[tuple[str, str]] = set()
    for way, struct in structs(site):
        for name in struct.__struct_fields__:
            pair = type(struct).__name__, name
            met.add(pair)
            made = deepcopy(site)
            holder: Any = made
            for at in way:
                holder = step(holder, at)
            value = getattr(holder, name)
            now = other(name, value)
            if now == value:
                continue
            force_setattr(holder, name, now)
            try:
                (changed if said(made) != base else alike).add(pair)
            except KeyError:
                changed.add(pair)  # a placement of a menu that is not there
    unsaid = alike - changed - set(EXCEPTIONS)
    assert not unsaid, f"no fact says {sorted(unsaid)}"
    assert set(EXCEPTIONS) <= met, "an exception for a field that there is not"
    assert not set(EXCEPTIONS) & changed, "an exception that is a fact"


def test_the_reader_counts_what_the_audit_compares(monkeypatch: pytest.MonkeyPatch) -> None:
    """A name that one of the two forgets makes the other complain."""
    from ypsiform.errors import AuditError

    data = grid([["text", "links"]])
    convert(data, "x", "stallmere/broad")
    real = facts.names_of
    for gone in ("label", "column", "holds"):

        def fewer(thing: Any, *, direct: bool, gone: str = gone) -> list[str]:
            return [name for name in real(thing, direct=direct) if name != gone]

        with monkeypatch.context() as patch:
            patch.setattr(facts, "names_of", fewer)
            if gone == "label":
                patch.setattr(facts, "ITEM", tuple(n for n in facts.ITEM if n != gone))
            with pytest.raises(AuditError) as caught:
                convert(data, "x", "stallmere/broad")
        assert any("facts were read" in problem for problem in caught.value.problems)


# Panels of all types of cells, in every order, to every theme

CELLS: dict[str, Callable[[int], dict[str, Any]]] = {
    "links": lambda n: {
        "type": "list",
        "items": [
            {"uid": f"u{n}{k}", "label": {"en": f"L{n}{k}"}, "href": f"/l{n}/{k}"}
            for k in range(1 + n % 3)
        ],
    },
    "markup": lambda n: {
        "type": "markup",
        "html": "".join(f'<a href="/m{n}/{k}">M{n}{k}</a>' for k in range(1 + n % 3)),
    },
    "picture": lambda n: {
        "type": "picture",
        "src": f"/files/{n}.jpg",
        "caption": {"en": f"P{n}"},
        "href": f"/p{n}/0",
    },
    "text": lambda n: {"type": "text", "body": {"en": f"Words {n}"}},
    "goods": lambda n: {"type": "goods", "keys": [f"g{n}-{k}" for k in range(1 + n % 2)]},
}


def grid(panels: list[list[str]]) -> bytes:
    """A bar with panels of these cells, each with links of its own."""
    items = []
    count = 0
    for at, kinds in enumerate(panels):
        cells = []
        for kind in kinds:
            cells.append({"width": 3, **CELLS[kind](count)})
            count += 1
        reveal = {"as": "grid", "on": "hover", "cells": cells}
        items.append({"uid": f"t{at}", "label": {"en": f"T{at}"}, "href": None, "reveal": reveal})
    head = {"fanlight": 4, "takes": "top", "host": "https://skerryline.stallmere.example"}
    return json.dumps({**head, "items": items}).encode()


PANELS = [list(kinds) for count in (2, 3) for kinds in product(CELLS, repeat=count)]
PANELS += [list(kinds) for kinds in product(CELLS, repeat=4)]
TRIED = PANELS if ALL else PANELS[:: len(PANELS) // 60]


@pytest.mark.parametrize("place", [p for p in PLACES if not p.startswith("sitemap")])
def test_each_link_of_a_panel_is_written_or_named(place: str) -> None:
    by = find(BY.get(place, place))[0]
    for kinds in TRIED:
        data = grid([kinds])
        done = convert(data, "x", place)
        text = done.data.decode("utf-8", "replace").replace("\\/", "/")
        said_ = "\n".join(f"{f.why} {f.before} {' '.join(f.labels)}" for f in done.findings)
        gone = 0
        source = read(data, "x")[0]
        for row, thing in enumerate(source.rows.things):
            for target in targets_of(thing):
                address = target.address or target.key
                if target.kind == "none" or address is None or not source.seen[row]:
                    continue
                written = _is_in(address, text, done)
                gone += not written
                assert written or address in said_, (by.id, kinds, address)
        before, after = done.reachable
        assert before - after <= gone, (place, kinds)


def _is_in(address: str, text: str, done: Any) -> bool:
    """Whether the file written leads to an address: it says it, or a page that it matches."""
    things = rows_of(done.written.menus).things
    leads = {t.address for thing in things for t in targets_of(thing)}
    leads |= {t.key for thing in things for t in targets_of(thing)}
    return address in leads or f'"{address}"' in text
