"""A fixed share of the fuzzer: nothing stops it, and the damage is fine enough to be converted."""

from __future__ import annotations

from collections import Counter
from typing import Any

from tests.fuzz import run, summary

SHARE = 600
"""Inputs that are tried in every run of the tests: some 40 seconds of one processor."""


def test_nothing_stops_the_fuzzer(record_property: Any) -> None:
    counts: Counter[str] = Counter()
    stopped: list[str] = []
    for number, kind, why, _ in run(2, list(range(1, SHARE + 1)), workers=1):
        counts[kind] += 1
        if kind == "stopped":
            stopped.append(f"2:{number} {why}")
    record_property("score", f"fuzz: {summary(counts, 0)}")
    assert stopped == []
    assert counts.total() == SHARE and counts["converted"] >= 0.4 * SHARE
