"""What Tilewick's importer demands of a file."""

from __future__ import annotations

import csv
import io
import re

_HEADER = [
    *("bar", "outline", "label", "leads", "below"),
    *("columns", "opens", "window", "desktop", "handset"),
]
_BARS = ("main", "foot", "corner")
_WORDS = {
    "below": ("", "list", "board"),
    "window": ("same", "new"),
    "desktop": ("yes", "no"),
    "handset": ("yes", "no"),
    "opens": ("", "hover", "press"),
}


def check(data: bytes) -> list[str]:
    """Every rule that a file breaks, in plain words; an empty list if it is sound."""
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        return [f"not UTF-8: {error}"]
    try:
        lines = list(csv.reader(io.StringIO(text, newline=""), strict=True))
    except csv.Error as error:
        return [f"not CSV: {error}"]
    if not lines or lines[0][: len(_HEADER)] != _HEADER:
        return ["the header is not that of Tilewick"]
    rows = [dict(zip(lines[0], cells, strict=False)) for cells in lines[1:] if cells]
    found: list[str] = []
    last: dict[str, list[int]] = {}
    counts: dict[str, int] = {}
    holds: dict[tuple[str, str], str] = {}
    for number, row in enumerate(rows, 2):
        for problem in _row(row, last, holds):
            found.append(f"line {number}: {problem}")
        counts[row["bar"]] = counts.get(row["bar"], 0) + 1
    above = {(bar, outline.rpartition(".")[0]) for bar, outline in holds}
    for place, how in holds.items():
        if (place in above) != bool(how):
            found.append(f"{place[1]}: {'nothing' if how else 'something'} stands below, {how!r}")
    found += [f"{bar} has {count} rows" for bar, count in counts.items() if count > 120]
    return found


def _row(
    row: dict[str, str], last: dict[str, list[int]], holds: dict[tuple[str, str], str]
) -> list[str]:
    found: list[str] = []
    bar, outline, below = row["bar"], row["outline"], row["below"]
    if bar not in _BARS:
        found.append(f"there is no bar {bar!r}")
    for column, words in _WORDS.items():
        if row.get(column, "") not in words:
            found.append(f"{column} is {row.get(column)!r}")
    if len(row["label"]) > 60:
        found.append(f"the label has {len(row['label'])} characters")
    if not re.fullmatch(r"[1-9][0-9]*(\.[1-9][0-9]*)*", outline):
        return [*found, f"the outline {outline!r} is not one"]
    place = [int(part) for part in outline.split(".")]
    before = last.get(bar, [])
    if place <= before:
        found.append(f"{outline} does not follow {'.'.join(map(str, before))}")
    if len(place) > 1 and (bar, outline.rpartition(".")[0]) not in holds:
        found.append(f"nothing stands above {outline}")
    last[bar] = place
    holds[bar, outline] = below
    if re.match(r"\s*(java|vb)script:", row["leads"], re.IGNORECASE):
        found.append("a script")
    if below == "board":
        if len(place) > 1:
            found.append("a board below the top")
        if row["columns"] not in ("1", "2", "3", "4", "5"):
            found.append(f"a board of {row['columns']!r} columns")
    elif row["columns"]:
        found.append("columns without a board")
    return found
