"""The report as a workbook: findings, links, menus before and after, and steps, a sheet each.

All cells are texts or numbers: nothing in them is a formula. The same conversion gives the same
bytes, so the days that a workbook and its parts carry are always the same.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from io import BytesIO
from itertools import islice
from typing import Any

from ..containers.xlsx import DAY, same_days
from ..look import both, links
from ..look.shown import Line, Place
from ..look.steps import PHASES, Step, steps
from ..proof import Migration
from ..reading import Surveyed
from .summary import evidence, line_for_client, line_for_survey
from .table import COLUMNS, rows_of

_UNHELD = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_LONGEST = 32_000
"""Characters that a cell can hold, with room for what escapes take."""

_ROWS = 1_000_000
"""Rows that a sheet can hold, roundly."""

FOLDED = 2000
"""Rows of a sheet up to which the lines in its cells are folded."""

_TAKEN = ("=", "#")
"""How texts begin that would be taken for formulas or faults."""

_SEEN = ("location", "level", "label", "leads to", "kind", "changed")

SHEETS = {
    "summary": ("what", "value"),
    "findings": COLUMNS,
    "links": ("label", "old", "new", "how", "count"),
    "menus": _SEEN,
    "menus before": _SEEN,
    "menus after": _SEEN,
    "steps": ("when", "what", "what to do", "why", "from", "to"),
}
"""The sheets, each with its columns; `menus` is that of a survey."""

Row = Sequence[str | int]


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """The report of a conversion as a workbook."""
    seen = both.of_migration(migration, merge=False)
    followed = links.led(migration)
    changed = len(links.redirects(followed))
    rows: dict[str, Iterable[Row]] = {
        "summary": [
            ("in short", line_for_client(migration)),
            *migration.audited.facts.items(),
            *evidence(hashes),
        ],
        "findings": rows_of(migration.findings),
        "links": [(one.label, one.old, one.new, one.how, one.count) for one in followed],
        "menus before": _menus(seen.before),
        "menus after": _menus(seen.after),
        "steps": [
            (PHASES[when], step.what, step.do, why, old, new)
            for when, some in steps(migration, changed)
            for step in some
            for why, old, new in _reasons(step)
        ],
    }
    return _book(rows)


def surveyed(read: Surveyed, hashes: Mapping[str, str | None]) -> bytes:
    """The report of a survey as a workbook: without links and steps, and with one side of menus."""
    return _book(
        {
            "summary": [("in short", line_for_survey(read)), *evidence(hashes)],
            "findings": rows_of(read.findings),
            "menus": _menus(both.of_survey(read).before),
        }
    )


def _book(rows: Mapping[str, Iterable[Row]]) -> bytes:
    from openpyxl import Workbook
    from openpyxl.styles import Alignment, Font, NamedStyle

    book = Workbook(write_only=True)
    book.properties.created = book.properties.modified = DAY
    book.properties.creator = "Ypsiform"
    # Styles by name: a cell that is given a font of its own costs fifty times as much.
    for style in ("head", "text"):
        font, aligned = Font(bold=style == "head"), Alignment(wrap_text=True, vertical="top")
        book.add_named_style(NamedStyle(style, font=font, alignment=aligned))
    for name, some in rows.items():
        _sheet(book, name, SHEETS[name], some)
    made = BytesIO()
    book.save(made)
    return same_days(made.getvalue())


def _reasons(step: Step) -> list[tuple[str, str, str]]:
    """Why something is to be done, once for each reason; of files where they are and belong."""
    if step.files:
        return [(step.why(1)[0], old, new) for old, new in step.files]
    return [(why, "", "") for why in step.why() or ("",)]


def _sheet(book: Any, name: str, head: Sequence[str], rows: Iterable[Row]) -> None:
    """A sheet with a head that stays in sight, a filter, and widths that fit."""
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.utils import get_column_letter

    cells = [[_cell(value) for value in row] for row in islice(rows, _ROWS)]
    sheet = book.create_sheet(name)
    sheet.freeze_panes = "A2"
    widths = [len(title) for title in head]
    for row in cells[:2000]:
        widths = [max(w, len(str(value or ""))) for w, value in zip(widths, row, strict=True)]
    for at, width in enumerate(widths, 1):
        sheet.column_dimensions[get_column_letter(at)].width = min(max(width + 2, 8), 70)
    sheet.auto_filter.ref = f"A1:{get_column_letter(len(head))}{len(cells) + 1}"

    def cell(value: str | int | None, style: str) -> Any:
        made = WriteOnlyCell(sheet, value)
        if isinstance(value, str):
            made.data_type = "s"  # a text that begins with `=` is one all the same
        if style:
            made.style = style
        return made

    sheet.append([cell(title, "head") for title in head])
    # Lines are folded where somebody reads them all; in a long list that takes too long to write.
    style = "text" if len(cells) <= FOLDED else ""
    for row in cells:
        sheet.append([cell(v, style) if style or str(v)[:1] in _TAKEN else v for v in row])


def _cell(value: str | int) -> str | int | None:
    """A value as a cell can hold it; an empty text is no value."""
    if isinstance(value, int) or not value:
        return value if isinstance(value, int) else None
    text = _UNHELD.sub("", value)
    return text if len(text) <= _LONGEST else text[: _LONGEST - 1] + "…"


def _menus(places: Iterable[Place]) -> Iterator[Row]:
    """What visitors see, a row for each thing, in reading order."""
    for place in places:
        yield from _lines(place.caption, place.lines, 1)


def _lines(place: str, lines: Iterable[Line], level: int) -> Iterator[Row]:
    for line in lines:
        yield place, level, line.label, line.leads, line.kind, ", ".join(line.changes)
        for stack in line.panel.stacks if line.panel is not None else ():
            yield from _lines(place, stack.lines, level + 1)
        yield from _lines(place, line.below, level + 1)
