"""Tilewick: what its importer keeps of a file, and what a site shows of it."""

from __future__ import annotations

import csv
import io
import re

from .arborcote import spread
from .shown import Entry, Panel, Place, Refused, Visitor, cut, no_contents, no_languages, no_roles

languages = no_languages
roles = no_roles
contents = no_contents
THEMES = ("gable", "lintel")
COLUMNS = [
    *("bar", "outline", "label", "leads", "below"),
    *("columns", "opens", "window", "desktop", "handset"),
]
_CAPTIONS = {"main": "Main bar", "foot": "Footer", "corner": "Corner"}
_LEVELS = {"gable": (2, 1, 1), "lintel": (3, 2, 2)}


def blank(theme: str) -> bytes:
    """A table without rows; a theme is chosen for the site, not in the file."""
    return (",".join(COLUMNS) + "\r\n").encode()


def _rows(data: bytes) -> tuple[list[str], list[dict[str, str]]]:
    try:
        lines = list(csv.reader(io.StringIO(data.decode("utf-8-sig"), newline=""), strict=True))
    except (UnicodeDecodeError, csv.Error) as error:
        raise Refused(f"not a table: {error}") from None
    if not lines or lines[0][: len(COLUMNS)] != COLUMNS:
        raise Refused("the header is not that of Tilewick")
    rows = []
    for cells in lines[1:]:
        if cells:
            cells += [""] * (len(lines[0]) - len(cells))
            rows.append(dict(zip(lines[0], cells, strict=False)))
    return lines[0], rows


def kept(data: bytes) -> bytes:
    """What the importer keeps: rows of its bars with labels of up to 60, 120 in each."""
    header, rows = _rows(data)
    counts: dict[str, int] = {}
    stream = io.StringIO(newline="")
    writer = csv.DictWriter(stream, header)
    writer.writeheader()
    for row in rows:
        bar = row["bar"]
        if bar in _CAPTIONS and len(row["label"]) <= 60 and counts.get(bar, 0) < 120:
            counts[bar] = counts.get(bar, 0) + 1
            writer.writerow(row)
    return stream.getvalue().encode()


def places(
    data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
) -> list[Place]:
    """What the bars show on a device; in the first theme where none is said."""
    theme = theme or "gable"
    trees: dict[str, list[Entry]] = {bar: [] for bar in _CAPTIONS}
    known: dict[tuple[str, str], Entry | None] = {}
    for row in _rows(data)[1]:
        bar, outline = row["bar"], row["outline"]
        if not re.fullmatch(r"[1-9][0-9]*(\.[1-9][0-9]*)*", outline) or bar not in trees:
            continue
        above = outline.rpartition(".")[0]
        over = known.get((bar, above))
        if row[visitor.device] == "no" or (above and over is None):
            known[bar, outline] = None  # an item under a hidden one is hidden
            continue
        entry = Entry(row["label"], row["leads"] or None, new_window=row["window"] == "new")
        entry.opens = row["opens"]
        known[bar, outline] = entry
        (trees[bar] if over is None else over.below).append(entry)
        if row["below"] == "board" and not above and theme == "gable" and bar == "main":
            entry.panel = Panel(tone=row["columns"])
    made = []
    for (bar, caption), levels in zip(_CAPTIONS.items(), _LEVELS[theme], strict=True):
        for entry in trees[bar]:
            if entry.panel is not None:
                columns = int(entry.panel.tone) if entry.panel.tone in tuple("12345") else 1
                entry.panel = Panel(spread(cut(entry.below, 2), columns))
                entry.below = []
        made.append(Place(bar, caption, cut(trees[bar], levels)))
    return made
