"""Spreadsheets (XLSX). The tree is a mapping from each sheet to its rows.

The header of a sheet is its first row in which two or more cells hold texts, all different. A row
is a mapping from the text of the header to a text, a number, true or false, or a date; an empty
cell is an absent key, and of cells that are merged the first one has the value. `#columns` holds
the header of each sheet, `#above` the rows above it. Nothing is worked out: what a formula gives
stands beside it, and one that nobody worked out yet is an error.
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from io import BytesIO
from itertools import zip_longest
from typing import Any

from ..errors import FormatError, RefusedError
from . import LEFT_OUT, LONGEST_NUMBER, header
from .json import SHAPE as SHAPE
from .zip import unpack

UNWRITABLE: re.Pattern[str] | None = re.compile(
    r"[\x00-\x08\x0b\x0c\x0d\x0e-\x1f\ud800-\udfff\ufffe\uffff]"
)
_ODD = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff]")
"""What is refused where it comes to be written all the same."""

COLUMNS, ABOVE = "#columns", "#above"
_OWN = (COLUMNS, ABOVE, LEFT_OUT)
MOST_CELLS = 20_000_000
"""Cells of all sheets together, empty ones between others with them, beyond which it is refused."""

MOST_TEXT = 32_767
"""Characters that a cell can hold."""

DAY = datetime(2000, 1, 1)
"""The day that stands in every spreadsheet that is written: it does not say when that was."""

_DECLARED = re.compile(rb"<!(?:DOCTYPE|ENTITY)", re.IGNORECASE)
_FORMULA = re.compile(rb"<(?:\w+:)?f[\s/>]")


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Raises `FormatError`, with the cell, for what it cannot read."""
    formulas = _checked(data, file)
    from openpyxl import load_workbook
    from openpyxl.utils import get_column_letter

    tree: dict[str, Any] = {}
    columns: dict[str, list[str]] = {}
    above: dict[str, list[list[Any]]] = {}
    left: dict[str, int] = {}
    try:
        book = load_workbook(BytesIO(data), read_only=True, data_only=True)
        raw = load_workbook(BytesIO(data), read_only=True) if formulas else None
        room = MOST_CELLS
        for sheet in book.worksheets:
            name = sheet.title
            if name in _OWN:
                raise FormatError(f"no sheet can be called {name!r}", file=file)
            rows: list[list[Any]] = []
            beside = _cells(raw[name]) if raw is not None else None
            for number, cells in enumerate(_cells(sheet), 1):
                room -= len(cells) + 1
                if room < 0:
                    message = f"the sheets have more than {MOST_CELLS:,} cells"
                    raise FormatError(message, file=file, place=name)
                if beside is not None:
                    said_of = zip_longest(cells, next(beside))
                    for at, (made, said) in enumerate(said_of, 1):
                        if made is None and isinstance(said, str) and said[:1] == "=":
                            raise FormatError(
                                "there is a formula that nobody worked out yet: open the "
                                "spreadsheet and save it",
                                file=file,
                                place=f"{name}, {get_column_letter(at)}{number}",
                            )
                rows.append(cells)
            head = _header(rows)
            above[name] = rows[:head]
            columns[name] = _names(rows[head]) if head < len(rows) else []
            tree[name] = _records(rows[head + 1 :], columns[name])
    except FormatError:
        raise
    except Exception as error:  # the package raises whatever it meets in a file that is damaged
        reason = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise FormatError(f"this spreadsheet is damaged: {reason}", file=file) from None
    charts = len(book.sheetnames) - len(book.worksheets)
    if charts:
        left["sheets without cells"] = charts
    tree[COLUMNS] = columns
    if any(above.values()):
        tree[ABOVE] = {name: rows for name, rows in above.items() if rows}
    if left:
        tree[LEFT_OUT] = left
    return tree


def _checked(data: bytes, file: str) -> bool:
    """Whether there are formulas in it. Raises `FormatError` for what no spreadsheet needs."""
    files = unpack(data, file)
    formulas = False
    for name in files:
        if not name.endswith((".xml", ".rels")):
            continue
        held = files[name]
        plain = held[3:] if held.startswith(b"\xef\xbb\xbf") else held
        if plain[:1] != b"<" or _DECLARED.search(held):
            raise FormatError(
                "it declares a document type, or is no text in UTF-8", file=f"{file}/{name}"
            )
        formulas = formulas or (name.startswith("xl/worksheets/") and bool(_FORMULA.search(held)))
    return formulas


def _cells(sheet: Any) -> Iterator[list[Any]]:
    """The rows of a sheet, each up to its last cell that is not empty."""
    sheet.reset_dimensions()
    for row in sheet.iter_rows(values_only=True):
        cells = [_plain(cell) for cell in row]
        while cells and cells[-1] is None:
            cells.pop()
        yield cells


def _plain(cell: Any) -> Any:
    """What a cell says: a day where it has no time, a whole number where there is no fraction."""
    if isinstance(cell, datetime) and cell.time() == time():
        return cell.date()
    if isinstance(cell, float) and cell.is_integer() and abs(cell) < 1 << 53:
        return int(cell)
    if isinstance(cell, timedelta):
        return str(cell)
    return None if cell == "" else cell


def _header(rows: list[list[Any]]) -> int:
    """Which row is the header; the first one that has anything where none looks like one."""
    for at, cells in enumerate(rows[:50]):
        filled = [cell for cell in cells if cell is not None]
        texts = [cell.strip() for cell in filled if isinstance(cell, str)]
        if len(filled) > 1 and len(set(texts)) == len(filled):
            return at
    return next((at for at, cells in enumerate(rows) if any(c is not None for c in cells)), 0)


def _names(cells: list[Any]) -> list[str]:
    """The columns of a header; one without a text is called by its letter."""
    from openpyxl.utils import get_column_letter

    names: list[str] = []
    for at, cell in enumerate(cells, 1):
        name = " ".join(str(cell).split()) if cell is not None else ""
        name = name or f"({get_column_letter(at)})"
        names.append(name if name not in names else f"{name} ({get_column_letter(at)})")
    return names


def _records(rows: list[list[Any]], names: list[str]) -> list[dict[str, Any]]:
    """Rows as mappings. Rows with nothing in them are left out."""
    from openpyxl.utils import get_column_letter

    records: list[dict[str, Any]] = []
    for cells in rows:
        while len(cells) > len(names):  # a cell beyond the header
            names.append(f"({get_column_letter(len(names) + 1)})")
        record = {n: cell for n, cell in zip(names, cells, strict=False) if cell is not None}
        if record:
            records.append(record)
    return records


def write(tree: Any) -> bytes:
    """A tree to the bytes of a spreadsheet: the same ones every time.

    Raises `RefusedError` for what no cell can hold.
    """
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell

    sheets = {name: _laid_out(tree, name) for name in tree if name not in _OWN}
    book = Workbook(write_only=True)
    for name, rows in sheets.items():
        sheet = book.create_sheet(name)
        for row in rows:
            made = []
            for cell in row:
                held = WriteOnlyCell(sheet, cell)
                if isinstance(cell, str):
                    held.data_type = "s"  # a text that begins with `=` is one all the same
                elif isinstance(cell, date) and not isinstance(cell, datetime):
                    held.number_format = "yyyy-mm-dd"
                made.append(held)
            sheet.append(made)
    if not book.worksheets:
        book.create_sheet("Sheet1")
    book.properties.creator = "Ypsiform"
    out = BytesIO()
    book.save(out)
    return same_days(out.getvalue())


def _laid_out(tree: Any, name: str) -> list[list[Any]]:
    """The rows of a sheet, its header and what stands above that with them."""
    if len(name) > 31 or re.search(r"[\\/*?:\[\]]", name) or not name:
        raise RefusedError(f"no sheet can be called {name!r}")
    head = header(tree.get(COLUMNS, {}).get(name, ()), tree[name])
    rows = [[record.get(key) for key in head] for record in tree[name]]
    whole = [*tree.get(ABOVE, {}).get(name, ()), head, *rows]
    for row in whole:
        for cell in row:
            _check(cell)
    return whole


def _check(cell: Any) -> None:
    """Refuse what no cell can hold before any of it is written."""
    if isinstance(cell, (dict, list)):
        raise RefusedError("a cell of a spreadsheet holds a single value")
    if isinstance(cell, str):
        if len(cell) > MOST_TEXT:
            raise RefusedError(f"a cell of a spreadsheet holds {MOST_TEXT:,} characters")
        odd = _ODD.search(cell)
        if odd is not None:
            raise RefusedError(f"a cell of a spreadsheet cannot hold {odd[0]!a}")
    elif isinstance(cell, int) and cell.bit_length() > LONGEST_NUMBER // 2:
        raise RefusedError("a cell of a spreadsheet holds no number of so many digits")


def same_days(data: bytes) -> bytes:
    """A spreadsheet whose files, and whose properties, all carry the same day."""
    made = BytesIO()
    with zipfile.ZipFile(BytesIO(data)) as old, zipfile.ZipFile(made, "w") as new:
        for name in old.namelist():
            info = zipfile.ZipInfo(name, (DAY.year, DAY.month, DAY.day, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED
            held = old.read(name)
            if name == "docProps/core.xml":
                day = DAY.strftime("%Y-%m-%dT00:00:00Z").encode()
                held = re.sub(rb"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ", day, held)
            new.writestr(info, held)
    return made.getvalue()
