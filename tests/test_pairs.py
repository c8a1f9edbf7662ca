"""Every simulated platform to every other one: what is written is sound, and nothing is unsaid."""

from __future__ import annotations

from itertools import product
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import generated
from tests.conftest import ALL
from tests.open_formats import CHECKERS
from ypsiform.decisions import DEPTHS, LANGUAGES
from ypsiform.demo import DATA
from ypsiform.errors import RefusedError
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.model import Item, Site, rows_of
from ypsiform.profiles.load import every
from ypsiform.proof import Migration
from ypsiform.reading import read

PLACES = [
    f"{p.id}/{name}" for p in every() for name, theme in p.themes.items() if not theme.read_only
] + [p.id for p in every() if not p.themes]
"""Every platform with each of its themes that files are written for."""

BY = {"sitemap/inventory": "sitemap/tree"}
"""What some places are read by, to see menus in them."""

PAIRS = list(product(PLACES, PLACES))
SAMPLED = PAIRS if ALL else PAIRS[::7]  # a step that meets every place on either side
DEMO = (DATA / "old.xml").read_bytes()
KEEP = Options(made_up=True)


def sound(migration: Migration, place: str) -> None:
    """What must hold of every conversion; the audit raises by itself where facts disagree."""
    assert CHECKERS[place.split("/")[0]](migration.data) == []
    facts = migration.audited.facts
    assert facts["total"] == sum(count for name, count in facts.items() if name != "total")


def said(site: Site) -> list[Any]:
    """All that a site says of menus, without the ids and places of its own file."""
    found: list[Any] = [(place.name, place.menus) for place in site.locations]
    for menu in site.menus:
        rows = rows_of([menu])
        found.append((menu.key, menu.title, menu.saved, menu.extras))
        for depth, thing in zip(rows.depth, rows.things, strict=True):
            if isinstance(thing, Item):
                facts = (thing.label, thing.inherited, thing.target, thing.role, thing.traits)
                more = (thing.hidden, thing.translations, thing.extras)
                found.append((depth, facts, more, thing.panel is not None))
            else:
                found.append((depth, thing.holds))
    return found


@pytest.fixture(scope="module")
def exports() -> dict[str, bytes]:
    """The demo as an export of every platform and theme."""
    return {place: convert(DEMO, "old.xml", place).data for place in PLACES}


def test_every_place_is_met_on_either_side() -> None:
    assert {source for source, _ in SAMPLED} == {to for _, to in SAMPLED} == set(PLACES)


@pytest.mark.parametrize("place", PLACES)
def test_the_demo_is_written(exports: dict[str, bytes], place: str) -> None:
    assert CHECKERS[place.split("/")[0]](exports[place]) == []


@pytest.mark.parametrize("place", PLACES)
def test_read_write_read_gives_the_same(exports: dict[str, bytes], place: str) -> None:
    before = read(exports[place], "x", place)[0].site
    written = convert(exports[place], "x", place, from_=place, options=KEEP)
    after = read(written.data, "x", place)[0].site
    assert said(after) == said(before)
    facts = written.audited.facts
    assert facts["kept"] == facts["total"]


@pytest.mark.parametrize(("source", "to"), SAMPLED)
def test_pairs_of_the_demo(exports: dict[str, bytes], source: str, to: str) -> None:
    by = BY.get(source, source)
    try:
        sound(convert(exports[source], "x", to, from_=by, options=KEEP), to)
    except RefusedError as error:
        assert "no menu of the source" in str(error)
    if to != "ypsiform":  # which is written whole
        into = convert(exports[source], "x", to, from_=by, into=(exports[to], "y"), options=KEEP)
        sound(into, to)


@given(
    generated.quillmoor() | generated.stallmere(),
    st.sampled_from(PLACES),
    st.sampled_from(PLACES),
    st.booleans(),
    st.sampled_from(["first", "merge"]),
    st.sampled_from(DEPTHS),
    st.sampled_from(LANGUAGES),
)
def test_generated_sites_go_everywhere(
    data: bytes, by: str, to: str, into: bool, clash: str, depth: str, languages: str
) -> None:
    options = Options(made_up=True, clash=clash, depth=depth, languages=languages)
    try:
        first = convert(data, "x", by, options=KEEP)
        convert(first.data, "x", to, from_=BY.get(by, by), options=KEEP)
    except RefusedError as error:
        assert "no menu of the source" in str(error)
        return
    problems = CHECKERS[by.split("/")[0]](first.data)
    if not data.startswith(b"<" if "quillmoor" in by else b"{"):
        assert problems == []
    again = convert(first.data, "x", by, from_=by, options=KEEP)
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    base = (convert(DEMO, "old.xml", to).data, "y") if into and to != "ypsiform" else None
    try:
        there = convert(first.data, "x", to, from_=BY.get(by, by), into=base, options=options)
    except RefusedError as error:
        assert languages != "keep" and "further language" in str(error)
        return
    # A document gives what its own platform had back as it was, faults included.
    same = by == "ypsiform" and to.startswith("quillmoor" if data[:1] == b"<" else "stallmere")
    if not problems and not same:
        sound(there, to)
