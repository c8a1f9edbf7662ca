"""Tables of text with a header: CSV and TSV.

The tree is a mapping of `columns` (the header), `rows` (a list of mappings from column to text) and
`delimiter`; `sep` is the line above the header that says it, where there is one. An empty cell is a
key that is absent.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable
from io import StringIO
from typing import Any

from ..errors import FormatError
from . import ENCODED, decode_any, header
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(r"[\x00\ud800-\udfff]")
DELIMITERS = (",", ";", "\t", "|")
_SAYS_SEP = re.compile(r"sep=([,;\t|])\r?\n", re.IGNORECASE)
"""The line by which a table tells a spreadsheet its delimiter; it stands above the header."""
LONGEST_CELL = 1 << 24


_FORMULA = re.compile(r"'*(?:[=+@\t\r]|-.)", re.DOTALL)


def marked(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula: one that it would has a mark before it."""
    return "'" + cell if _FORMULA.match(cell) else cell


def unmarked(cell: str) -> str:
    """A cell without the mark that keeps a spreadsheet from taking it for a formula."""
    return cell[1:] if cell[:1] == "'" and _FORMULA.match(cell) else cell


def has_marks(tree: Any) -> bool:
    """Whether each cell of a table that could be taken for a formula is marked, and one is."""
    is_formula = _FORMULA.match
    found = [
        cell
        for row in tree.get("rows", ())
        for cell in row.values()
        if not cell[:1].isalnum() and is_formula(cell)
    ]
    return bool(found) and all(cell[0] == "'" for cell in found)


def each(tree: Any, change: Callable[[str], str]) -> Any:
    """A table with each cell below the header changed."""
    rows = [{key: change(str(cell)) for key, cell in row.items()} for row in tree["rows"]]
    return {**tree, "rows": rows}


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. The delimiter is the one that the header has most of."""
    text, odd = decode_any(data, file)
    said = _SAYS_SEP.match(text)
    if said is not None:
        delimiter = said[1]
        text = "\n" + text[said.end() :]  # so that lines count as they stand in the file
    else:
        delimiter = max(DELIMITERS, key=text.split("\n", 1)[0].count)
    csv.field_size_limit(LONGEST_CELL)
    reader = csv.reader(StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: list[dict[str, str]] = []
    columns: list[str] = []
    try:
        for cells in reader:
            if not columns:
                columns = [cell.strip() for cell in cells]
                named = [column for column in columns if column]
                if len(set(named)) < len(named):
                    raise FormatError("a column is there twice", file=file, place="line 1")
                continue
            if not cells:
                continue
            if len(cells) > len(columns):
                raise FormatError(
                    f"found {len(cells)} cells, but the header has {len(columns)}",
                    file=file,
                    place=f"line {reader.line_num}",
                )
            row = {c: cell for c, cell in zip(columns, cells, strict=False) if cell}
            if "" in row and columns.count("") > 1:
                raise FormatError(
                    "a cell is in a column without a name, and there are several of these",
                    file=file,
                    place=f"line {reader.line_num}",
                )
            rows.append(row)
    except csv.Error as error:
        raise FormatError(
            f"this is not CSV: {error}",
            file=file,
            place=f"line {reader.line_num}",
        ) from None
    if columns.count("") > 1:  # nothing stands in them
        columns = [column for column in columns if column]
    tree: dict[str, Any] = {"columns": columns, "rows": rows, "delimiter": delimiter}
    if said is not None:
        tree["sep"] = said[0]
    if odd:
        tree[ENCODED] = odd
    return tree


def write(tree: Any) -> bytes:
    """A tree to UTF-8 bytes. Columns that the header does not name come behind the others."""
    columns = header(tree.get("columns", ()), tree.get("rows", ()))
    blank = [""] * len(columns)
    out = StringIO()
    out.write(tree.get("sep", ""))
    writer = csv.writer(out, delimiter=tree.get("delimiter", ","), lineterminator="\n")
    writer.writerow(columns)
    quoted = csv.writer(
        out, delimiter=tree.get("delimiter", ","), lineterminator="\n", quoting=csv.QUOTE_ALL
    )
    for row in tree.get("rows", ()):
        cells = [*map(row.get, columns, blank)]
        # Outside of quotes this ends a row, and the writer does not see to it.
        whole = quoted if "\r" in "".join(map(str, cells)) else writer
        whole.writerow(cells)
    return out.getvalue().encode("utf-8")
