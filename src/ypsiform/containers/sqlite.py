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

from ..errors import FormatError
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(r"[\x00\ud800-\udfff]")
SCHEMA = "#schema"
MAGIC = b"SQLite format 3\x00"
LARGEST = 1 << 30
"""Bytes of a file, or of one cell, beyond which it is refused."""


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
        row: dict[str, Any] = {}
        for column, cell in zip(columns, cells, strict=True):
            if cell is None:
                continue
            if isinstance(cell, bytes):
                raise FormatError(
                    f"the column {column!r} holds bytes, which are not read",
                    file=file,
                    place=f"{name}, row {len(rows) + 1}",
                )
            row[column] = cell
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
                base.execute(entry["sql"])
        for entry in schema:
            if entry["type"] == "table":
                _fill(base, entry["name"], tree.get(entry["name"], ()))
        for entry in schema:
            if entry["type"] == "trigger":
                base.execute(entry["sql"])
        base.execute("COMMIT")
        return bytes(base.serialize())


def _fill(base: sqlite3.Connection, name: str, rows: Any) -> None:
    columns = [row[1] for row in base.execute(f"PRAGMA table_info({_quoted(name)})")]
    names = ", ".join(map(_quoted, columns))
    marks = ", ".join("?" for _ in columns)
    base.executemany(
        f"INSERT INTO {_quoted(name)} ({names}) VALUES ({marks})",
        ([row.get(column) for column in columns] for row in rows),
    )
