"""A fixed share of the fuzzer: nothing stops it, and the damage is fine enough to be converted."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest

from tests import every_value
from tests.fuzz import run, summary
from ypsiform.demo import DATA
from ypsiform.errors import AuditError
from ypsiform.migrate import convert

SHARE = 600
"""Inputs that are tried in every run of the tests: some 40 seconds of one processor."""


def test_nothing_stops_the_fuzzer(record_property: Any) -> None:
    counts: Counter[str] = Counter()
    stopped: list[str] = []
    for number, came, _ in run(2, list(range(1, SHARE + 1)), workers=1):
        counts[came.kind] += 1
        if came.kind == "stopped":
            stopped.append(f"2:{number} {came.why}")
    record_property("score", f"fuzz: {summary(counts, 0)}")
    assert stopped == []
    assert counts.total() == SHARE and counts["converted"] >= 0.4 * SHARE


def test_the_fields_of_a_table_take_every_value() -> None:
    """One small place of `make values`; the others are for its own target."""
    count, told = every_value.run("tilewick/lintel", 1, each=1, sources=("season.json",))
    assert count > 100 and told == []


def test_a_value_that_is_lost_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """Each fault is named with the field and the value that it came with."""

    def fault(*_: Any, **__: Any) -> Any:
        raise AuditError("a fault", ["nothing was read back"])

    made = convert((DATA / "season.json").read_bytes(), "season.json", "csv")
    monkeypatch.setattr(every_value, "convert", lambda *a, **_: made if a else fault())
    _, told = every_value.run("csv", 1, each=1, sources=("season.json",))
    assert told and all("nothing was read back" in line for line in told)
