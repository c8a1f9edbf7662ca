"""Records read by a plan for all that are alike say the same as records read by every rule."""

from __future__ import annotations

import random
from collections import Counter
from typing import Any

import pytest

from tests.fuzz import UNKNOWN, Seeded, corpus, damaged, drawn
from ypsiform.errors import YpsiformError
from ypsiform.profiles.alike import Alike
from ypsiform.profiles.laid import Layouts
from ypsiform.profiles.load import every, parsed
from ypsiform.reading import read

PLANNED, LAID = Alike.item, Layouts.lay


def outcome(data: bytes, name: str, by: Any = None) -> Any:
    """What a file says, or why it is refused."""
    try:
        read_, _ = read(data, name, by)
    except YpsiformError as error:
        return str(error), error.place
    return read_.site, [*read_.rows.things], read_.findings, read_.used


def compared(
    monkeypatch: pytest.MonkeyPatch, data: bytes, name: str, by: Any = None
) -> Counter[bool]:
    """Read a file both ways. Returns how many records plans covered, and how many not."""
    met: Counter[bool] = Counter()

    def counted(self: Alike, node: Any, place: str) -> Any:
        found = PLANNED(self, node, place)
        met[found is not None] += 1
        return found

    monkeypatch.setattr(Alike, "item", counted)
    monkeypatch.setattr(Layouts, "lay", LAID)
    planned = outcome(data, name, by)
    monkeypatch.setattr(Alike, "item", lambda self, node, place: None)
    monkeypatch.setattr(Layouts, "lay", lambda self, node: None)
    assert planned == outcome(data, name, by), name
    return met


def test_sound_files_are_read_alike_both_ways(monkeypatch: pytest.MonkeyPatch) -> None:
    met: Counter[bool] = Counter()
    for seeded in corpus():
        met += compared(monkeypatch, seeded.data, seeded.name)
    assert met[True] > 3 * met[False], met


def test_damaged_files_are_read_alike_both_ways(monkeypatch: pytest.MonkeyPatch) -> None:
    draw = random.Random(31)
    met: Counter[bool] = Counter()
    for _ in range(700):
        seeded = drawn(draw)
        met += compared(monkeypatch, damaged(seeded, draw), seeded.name)
    assert met[True] > met[False], met


def test_files_read_by_profiles_of_users_are_read_alike_both_ways(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    draw = random.Random(32)
    met: Counter[bool] = Counter()
    for form, sound, text in UNKNOWN:
        profile = parsed(text, "p.toml")
        for round_ in range(6):
            data = damaged(Seeded("unknown", sound, form), draw) if round_ else sound
            met += compared(monkeypatch, data, "unknown", profile)
    assert met[True] > met[False], met


def test_what_is_kept_of_a_profile_knows_no_file() -> None:
    together = [outcome(seeded.data, seeded.name) for seeded in corpus()]
    kept = 0
    for seeded, wanted in zip(reversed(corpus()), reversed(together), strict=True):
        for profile in every():
            kept += len(profile.__dict__.pop("compiled", ()))
        assert outcome(seeded.data, seeded.name) == wanted, seeded.name
    assert kept > len(corpus())
