"""SQLite. The tree is a mapping from each table to its rows, and `#schema`: what made them.

Cells are texts and numbers; an empty one is an absent key. Views, indexes and triggers are kept as
they were written. Nothing that stands in a file is run while it is read or written: its schema is
not trusted, and tables that need code of their own (virtual ones) are refused.
"""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from typing import Any

from ..errors import FormatError, RefusedError
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(r"[\x00\ud800-\udfff]")
SCHEMA = "#schema"
MAGIC = b"SQLite format 3\x00"
LARGEST = 1 << 30
"""Bytes of a file beyond which it is refused."""

LARGEST_CELL = 1 << 24
"""Bytes of a cell, or of a row, beyond which a file is refused."""


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Cells that hold bytes, and virtual tables, are errors."""
    if not data.startswith(MAGIC):
        raise FormatError("this is not an SQLite file", file=file)
    if len(data) > LARGEST:
        raise FormatError("the file is larger than 1 GB", file=file)
    try:
        with closing(_open()) as base:
            base.deserialize(_settled(data))
            return _tables(base, file)
    except (sqlite3.Error, UnicodeDecodeError, OverflowError) as error:
        raise FormatError(f"this SQLite file is damaged: {error}", file=file) from None


def _settled(data: bytes) -> bytes:
    """The bytes with the journal mode of a file on its own: a log beside it cannot be read."""
    return data[:18] + b"\x01\x01" + data[20:] if data[18:20] == b"\x02\x02" else data


def _open() -> sqlite3.Connection:
    base = sqlite3.connect(":memory:", isolation_level=None)
    base.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, LARGEST_CELL)
    base.execute("PRAGMA trusted_schema = OFF")
    base.execute("PRAGMA cell_size_check = ON")
    return base


def _tables(base: sqlite3.Connection, file: str) -> dict[str, Any]:
    tree: dict[str, Any] = {}
    schema: list[dict[str, str]] = []
    made = base.execute("SELECT type, name, sql FROM sqlite_schema ORDER BY rowid").fetchall()
    for kind, name, sql in made:
        if sql is None or name.startswith("sqlite_"):
            continue
        if re.match(r"\s*create\s+virtual", sql, re.IGNORECASE):
            raise FormatError(f"the virtual table {name!r} is refused", file=file)
        if kind == "table":
            # What a generated column holds may be any number of times the size of the file.
            _refuse_computed(base, name, file)
        schema.append({"type": kind, "name": name, "sql": sql})
        if kind == "table":
            tree[name] = _rows(base, name, file)
    tree[SCHEMA] = schema
    return tree


def _rows(base: sqlite3.Connection, name: str, file: str) -> list[dict[str, Any]]:
    found = base.execute(f"SELECT * FROM {_quoted(name)}")
    columns = [column[0] for column in found.description]
    rows: list[dict[str, Any]] = []
    for cells in found:
        row = {
            column: cell for column, cell in zip(columns, cells, strict=True) if cell is not None
        }
        if bytes in map(type, cells):
            column = next(column for column, cell in row.items() if type(cell) is bytes)
            raise FormatError(
                f"the column {column!r} holds bytes, which are not read",
                file=file,
                place=f"{name}, row {len(rows) + 1}",
            )
        rows.append(row)
    return rows


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def write(tree: Any) -> bytes:
    """A tree to the bytes of a new file. Rows come before triggers, which would see them come."""
    schema = tree.get(SCHEMA, ())
    with closing(_open()) as base:
        base.execute("BEGIN")
        for entry in schema:
            if entry["type"] != "trigger":
                _made(base, entry)
        for entry in schema:
            if entry["type"] == "table":
                _fill(base, entry["name"], tree.get(entry["name"], ()))
        for entry in schema:
            if entry["type"] == "trigger":
                _made(base, entry)
        base.execute("COMMIT")
        if not schema:
            raise RefusedError(
                "there is no table to write: give a database that has one, with --into"
            )
        return bytes(base.serialize())


def _made(base: sqlite3.Connection, entry: dict[str, str]) -> None:
    """Make a table, an index, a view or a trigger again. Raises `RefusedError`."""
    try:
        base.execute(entry["sql"])
    except (sqlite3.Error, sqlite3.Warning) as error:
        raise RefusedError(
            f"the {entry['type']} {entry['name']!r} of the database cannot be made again: {error}"
        ) from None


def _refuse_computed(base: sqlite3.Connection, name: str, file: str) -> None:
    for row in base.execute(f"PRAGMA table_xinfo({_quoted(name)})"):
        if row[6] in (2, 3):
            message = f"the column {row[1]!r} is generated, and such tables are refused"
            raise FormatError(message, file=file, place=f"table {name}")


def defaults(tree: Any, name: str) -> dict[str, Any]:
    """What a database itself writes into a new row of a table: the columns that cannot be empty.

    Raises `RefusedError` for a table that cannot be made again, or that fills in a computed value.
    """
    with closing(_open()) as base:
        for entry in tree.get(SCHEMA, ()):
            if entry["type"] == "table" and entry["name"] == name:
                _made(base, entry)
                rows = base.execute(f"PRAGMA table_info({_quoted(name)})").fetchall()
                return {row[1]: _literal(row[4], row[1], name) for row in rows if row[3] and row[4]}
    return {}


def key_of(tree: Any, name: str) -> str | None:
    """The column by whose numbers a table orders its rows; None where it is the order of writing.

    Raises `RefusedError` for a table that cannot be made again.
    """
    with closing(_open()) as base:
        for entry in tree.get(SCHEMA, ()):
            if entry["type"] == "table" and entry["name"] == name:
                _made(base, entry)
                info = base.execute(f"PRAGMA table_info({_quoted(name)})").fetchall()
                keys = [row[1] for row in info if row[5]]
                whole = [row[1] for row in info if row[5] and row[2].upper() == "INTEGER"]
                return whole[0] if len(keys) == 1 and whole else None
    return None


_NUMBER = re.compile(r"[+-]?\d+(\.\d+)?")


def _literal(words: str, column: str, name: str) -> Any:
    if len(words) > 1 and words[0] == words[-1] == "'":
        return words[1:-1].replace("''", "'")
    if _NUMBER.fullmatch(words):
        return float(words) if "." in words else int(words)
    raise RefusedError(
        f"the column {column!r} of the table {name!r} is filled in by the database with {words}, "
        "which only it can do"
    )


def _fill(base: sqlite3.Connection, name: str, rows: Any) -> None:
    """Put rows into a table; what a column that cannot be empty lacks is left to its default.

    Raises `RefusedError` where the table does not take a row.
    """
    info = base.execute(f"PRAGMA table_info({_quoted(name)})").fetchall()
    columns = {row[1]: row[3] and row[4] is not None for row in info}
    known = columns.keys()
    statements: dict[tuple[str, ...], str] = {}
    for number, row in enumerate(rows, 1):
        if not row.keys() <= known:
            unknown = next(key for key in row if key not in columns)
            raise RefusedError(
                f"the table {name!r} of the database has no column {unknown!r}, which is needed"
            )
        said = tuple(
            [key for key, filled in columns.items() if not filled or row.get(key) is not None]
        )
        statement = statements.get(said)
        if statement is None:
            names, marks = ", ".join(map(_quoted, said)), ", ".join("?" * len(said))
            statement = f"INSERT INTO {_quoted(name)} ({names}) VALUES ({marks})"
            statements[said] = statement
        try:
            base.execute(statement, [*map(row.get, said)])
        except (sqlite3.Error, sqlite3.Warning) as error:
            raise RefusedError(
                f"the database does not take row {number} of its table {name!r}: {error}"
            ) from None
