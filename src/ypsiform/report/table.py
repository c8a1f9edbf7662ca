"""The findings as a table, a row each, for a spreadsheet: cells are marked that it could run."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Mapping, Sequence
from io import StringIO

from ..containers.csv import marked
from ..findings import CODES, Finding
from ..proof import Migration
from ..reading import Surveyed

COLUMNS = (
    *("number", "severity", "code", "heading", "outcome", "menu", "item", "before", "after"),
    *("why", "do", "facts", "step", "origin"),
)
"""The columns. `item` is the way from the top of the menu; `step` when something is to be done."""


def rows_of(findings: Sequence[Finding]) -> Iterator[tuple[str | int, ...]]:
    """The cells of each finding, in the order of their numbers."""
    for number, found in enumerate(findings, 1):
        words = CODES[found.code]
        yield (
            *(number, found.severity, found.code, words.heading, found.outcome or ""),
            *(found.menu_name or found.menu or "", " › ".join(found.path)),
            *(found.before or "", found.after or "", found.why, found.do),
            *(", ".join(found.facts), words.step, found.origin or ""),
        )


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """The findings of a conversion as CSV in UTF-8, with a byte-order mark for spreadsheets."""
    return _table(migration.findings)


def surveyed(read: Surveyed, hashes: Mapping[str, str | None]) -> bytes:
    """The findings of a survey in the same way."""
    return _table(read.findings)


def _table(findings: Sequence[Finding]) -> bytes:
    out = StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(COLUMNS)
    rows.writerows([marked(str(cell)) for cell in row] for row in rows_of(findings))
    return b"\xef\xbb\xbf" + out.getvalue().encode("utf-8", "replace")
