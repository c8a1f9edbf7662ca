"""Lines of JSON: one record a line. The tree is the list of these records."""

from __future__ import annotations

from typing import Any

from ..errors import FormatError
from . import decode
from .json import SHAPE as SHAPE
from .json import UNWRITABLE as UNWRITABLE
from .json import in_line, kind_of, parsed


def read(data: bytes, file: str) -> Any:
    """Bytes to a list of records. Empty lines count for nothing.

    Raises `FormatError`, with its line, for one that is no mapping.
    """
    records: list[Any] = []
    for number, line in enumerate(decode(data, file, declared=False).split("\n"), 1):
        if not line or line.isspace():
            continue
        record = parsed(line, file, number)
        if not isinstance(record, dict):
            raise FormatError(
                f"found {kind_of(record)} where a mapping is needed",
                file=file,
                place=f"line {number}",
            )
        records.append(record)
    if not records:
        raise FormatError("the file holds nothing but blank space", file=file)
    return records


def write(tree: Any) -> bytes:
    """Records to UTF-8 bytes, each in a line of its own."""
    return b"".join(in_line(record) + b"\n" for record in tree)
