"""Conversions of generated sites: the account adds up, and what is written can be imported."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests import generated
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.proof import Migration
from ypsiform.standins import CHECKERS

OPTIONS = st.builds(Options, made_up=st.booleans(), unmatched=st.sampled_from(["none", "address"]))


def sound(migration: Migration, platform: str) -> None:
    """What must hold for every conversion; the audit itself raises where facts disagree."""
    assert CHECKERS[platform](migration.data) == []
    facts = migration.audited.facts
    assert facts["total"] == sum(count for name, count in facts.items() if name != "total")
    assert migration.audited.problems == []


@given(generated.quillmoor(), st.sampled_from(["plain", "broad"]), OPTIONS)
def test_quillmoor_to_stallmere(data: bytes, theme: str, options: Options) -> None:
    migration = convert(data, "old.xml", f"stallmere/{theme}", options=options)
    sound(migration, "stallmere")
    again = convert(data, "old.xml", f"stallmere/{theme}", options=options)
    assert again.data == migration.data


@given(
    generated.quillmoor(),
    generated.stallmere(clean=True),
    st.sampled_from(["stallmere", "stallmere/plain", "stallmere/broad"]),
    OPTIONS,
)
def test_quillmoor_into_stallmere(old: bytes, new: bytes, to: str, options: Options) -> None:
    migration = convert(old, "old.xml", to, into=(new, "new.json"), options=options)
    sound(migration, "stallmere")
    before, after = json.loads(new), json.loads(migration.data)
    assert after["stock"] == before["stock"]
    taken = {fate.replaces.key for fate in migration.fitted.menus if fate.replaces}
    untouched = [tree for tree in before["trees"] if tree["key"] not in taken]
    assert [tree for tree in after["trees"] if tree in untouched] == untouched
    if after["frame"]["theme"] == "broad" and not taken:
        assert (after.get("trays") or [])[: len(before.get("trays") or [])] == (
            before.get("trays") or []
        )


@given(generated.stallmere(), OPTIONS)
def test_stallmere_to_quillmoor(data: bytes, options: Options) -> None:
    sound(convert(data, "new.json", "quillmoor", options=options), "quillmoor")


@given(generated.stallmere(), generated.quillmoor(clean=True), OPTIONS)
def test_stallmere_into_quillmoor(new: bytes, old: bytes, options: Options) -> None:
    options = Options(made_up=True, unmatched=options.unmatched)
    migration = convert(new, "new.json", "quillmoor", into=(old, "old.xml"), options=options)
    # The destination's own links are never touched, and may run scripts already.
    problems = [p for p in CHECKERS["quillmoor"](migration.data) if p not in _checked(old)]
    assert problems == []


def _checked(data: bytes) -> list[str]:
    return CHECKERS["quillmoor"](data)


@given(generated.quillmoor())
def test_quillmoor_to_itself_keeps_everything(data: bytes) -> None:
    migration = convert(data, "old.xml", "quillmoor", options=Options(made_up=True))
    only = {loss.code for loss in migration.fitted.losses}
    assert only <= {"link.script"}
    changed = sum(len(cover.numbers) for loss in migration.fitted.losses for cover in loss.covers)
    facts = migration.audited.facts
    assert facts["kept"] == facts["total"] - changed


@given(generated.stallmere(clean=True))
def test_stallmere_to_itself_keeps_everything(data: bytes) -> None:
    migration = convert(data, "new.json", "stallmere")
    assert migration.audited.facts["kept"] == migration.audited.facts["total"]
    assert values(json.loads(migration.data)) == values(json.loads(data))


@given(generated.stallmere())
@example(b'{"stallmere": 3, "site": "", "stock": {}, "trees": [], "frame": {"theme": "plain"}}')
def test_stallmere_to_itself_within_limits(data: bytes) -> None:
    convert(data, "new.json", "stallmere")


def values(document: Any) -> Any:
    """A document without the empty lists of entries that are always written."""
    if isinstance(document, dict):
        return {k: values(v) for k, v in document.items() if v != [] and v is not None}
    return [values(entry) for entry in document] if isinstance(document, list) else document


STALLMERE = st.one_of(generated.terrace(), generated.stallmere())


@settings(max_examples=25)
@given(STALLMERE, generated.terrace(), generated.ridge())
def test_into_destinations_of_every_shape(one: bytes, other: bytes, pages: bytes) -> None:
    """Sequences, panels and page trees into one another, into themselves, and by a document."""
    for data, place in ((one, "stallmere"), (pages, "arborcote")):
        convert(data, "x", place, into=(data, "there"))
        document = convert(data, "x", "ypsiform", from_=place).data
        assert convert(document, "x", place).audited.problems == []
    convert(one, "x", "stallmere/terrace", into=(other, "there"))
    convert(other, "x", "stallmere/broad", into=(one, "there"))
    convert(other, "x", "arborcote", into=(pages, "there"))
