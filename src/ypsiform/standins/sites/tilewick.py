"""Tilewick: what its importer keeps of a file, and what a site shows of it."""

from __future__ import annotations

import csv
import io
import re
from itertools import islice

from .arborcote import spread
from .shown import (
    Column,
    Entry,
    Panel,
    Place,
    Refused,
    Visitor,
    balanced,
    cut,
    no_contents,
    no_languages,
    no_roles,
)

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
    known: dict[tuple[str, str], Entry] = {}
    elsewhere: set[int] = set()  # what is for the other device; what is below it is hidden too
    for row in _rows(data)[1]:
        bar, outline = row["bar"], row["outline"]
        if not re.fullmatch(r"[1-9][0-9]*(\.[1-9][0-9]*)*", outline) or bar not in trees:
            continue
        above = outline.rpartition(".")[0]
        over = known.get((bar, above))
        if above and over is None:
            continue
        entry = Entry(row["label"], row["leads"] or None, new_window=row["window"] == "new")
        entry.opens = row["opens"]
        known[bar, outline] = entry
        if row[visitor.device] == "no":
            elsewhere.add(id(entry))
        (trees[bar] if over is None else over.below).append(entry)
        if row["below"] == "board" and not above and theme == "gable" and bar == "main":
            entry.panel = Panel(tone=row["columns"])
    made = []
    for (bar, caption), levels in zip(_CAPTIONS.items(), _LEVELS[theme], strict=True):
        for entry in trees[bar]:
            if entry.panel is not None:
                columns = int(entry.panel.tone) if entry.panel.tone in tuple("12345") else 1
                entry.panel = Panel(_board(entry.below, columns, elsewhere))
                entry.below = []
        made.append(Place(bar, caption, cut(_shown(trees[bar], elsewhere), levels)))
    return made


def _shown(entries: list[Entry], elsewhere: set[int]) -> list[Entry]:
    """Entries without those that are for another device, and without what is below them."""
    made = [entry for entry in entries if id(entry) not in elsewhere]
    for entry in made:
        entry.below = _shown(entry.below, elsewhere)
    return made


def _board(sections: list[Entry], columns: int, elsewhere: set[int]) -> list[Column]:
    """The columns of a board: a section stands in the same one on every device."""
    counts = balanced([1 + len(section.below) for section in sections], columns)
    members, shown = iter(sections), []
    for count in counts:
        part = _shown(list(islice(members, count)), elsewhere)
        shown += spread(cut(part, 2), 1) or [Column()]
    return shown
