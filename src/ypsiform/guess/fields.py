"""Which field of a table holds what: by what is in it, and by what it is called."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from .tables import Table, Words, said

_WHOLE = re.compile(r"-?\d{1,9}")


class Found(NamedTuple):
    """A field that was found, how sure that is (from 0 to 1), and by what it was told."""

    field: str
    score: float
    why: str


def texts_of(value: Any) -> str:
    """What a field says, a text in several languages by its first one."""
    if isinstance(value, Words):
        return next(iter(value.values()), "")
    return said(value)


def share(values: list[str], test: Any) -> float:
    """The share of values that pass a test."""
    return sum(bool(test(value)) for value in values) / len(values) if values else 0.0


def is_whole(text: str) -> bool:
    """Whether a text is a whole number."""
    return _WHOLE.fullmatch(text) is not None


def unique(table: Table) -> list[str]:
    """The fields whose values are there in every record, and there once."""
    found: list[str] = []
    for field in table.fields:
        values = [said(value) for value in table.column(field)]
        if all(values) and len(set(values)) == len(values):
            found.append(field)
    return found


def few_words(table: Table, field: str, most: int = 9) -> list[str]:
    """The different values of a field that has few of them, in the order of the file."""
    found: dict[str, None] = {}
    for value in table.column(field):
        word = said(value)
        if word:
            found[word] = None
            if len(found) > most or len(word) > 30:
                return []
    return list(found)
