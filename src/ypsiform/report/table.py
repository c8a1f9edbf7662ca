"""The findings as a table, a row each, for a spreadsheet: cells are marked that it could run."""

from __future__ import annotations

import csv
from collections.abc import Mapping
from io import StringIO

from ..containers.csv import marked
from ..findings import CODES
from ..proof import Migration

COLUMNS = (
    *("number", "severity", "code", "heading", "outcome", "menu", "item", "before", "after"),
    *("why", "do", "facts", "step", "origin"),
)
"""The columns. `item` is the way from the top of the menu; `step` when something is to be done."""


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """The findings of a conversion as CSV in UTF-8, with a byte-order mark for spreadsheets."""
    out = StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(COLUMNS)
    for number, found in enumerate(migration.findings, 1):
        words = CODES[found.code]
        cells = (
            *(str(number), found.severity, found.code, words.heading, found.outcome or ""),
            *(found.menu_name or found.menu or "", " › ".join(found.path)),
            *(found.before or "", found.after or "", found.why, found.do),
            *(", ".join(found.facts), words.step, found.origin or ""),
        )
        rows.writerow([marked(cell) for cell in cells])
    return b"\xef\xbb\xbf" + out.getvalue().encode("utf-8", "replace")
