"""Which field of a table holds what: by what is in it, and by what it is called."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from .tables import Table, Words, said
from .words import says

ADDRESS = re.compile(
    r"(https?://|//|/|#|\?|\.{1,2}/|www\.|mailto:|tel:|sms:)|[\w./-]+\.(html?|php|aspx?)([?#].*)?$",
    re.IGNORECASE,
)
_SLUG = re.compile(r"[a-z0-9]+([-_][a-z0-9]+)*")
_WHOLE = re.compile(r"-?\d{1,9}")


class Found(NamedTuple):
    """A field that was found, how sure that is (from 0 to 1), and by what it was told."""

    field: str
    score: float
    why: str

    @property
    def sure(self) -> bool:
        """Whether the guess needs no mark."""
        return self.score >= 0.7


def texts_of(value: Any) -> str:
    """What a field says, a text in several languages by its first one."""
    if isinstance(value, Words):
        return next(iter(value.values()), "")
    return said(value)


def share(values: list[str], test: Any) -> float:
    """The share of values that pass a test."""
    return sum(bool(test(value)) for value in values) / len(values) if values else 0.0


def is_address(text: str) -> bool:
    """Whether a text looks like an address."""
    return ADDRESS.match(text.strip()) is not None


def is_whole(text: str) -> bool:
    """Whether a text is a whole number."""
    return _WHOLE.fullmatch(text) is not None


def _wordy(text: str) -> bool:
    """Whether a text looks like what people read."""
    if is_address(text) or is_whole(text) or not any(c.isalpha() for c in text):
        return False
    return not _SLUG.fullmatch(text) or " " in text


def label(table: Table, but: set[str] = frozenset()) -> Found | None:  # type: ignore[assignment]
    """The field that holds the labels that people read."""
    best: Found | None = None
    for field in table.fields:
        values = [texts_of(value) for value in table.column(field)]
        filled = [text for text in values if text]
        if field in but or not filled or any(isinstance(v, tuple) for v in table.column(field)):
            continue
        if len(filled) > 2 and len(set(filled)) == 1:
            continue  # says the same of all
        wordy = share(filled, _wordy)
        name = says(field, "label")
        if not wordy and name < 0.9:
            continue
        full = len(filled) / len(values)
        different = len(set(filled)) / len(filled)
        brief = 1.0 if sum(map(len, filled)) / len(filled) <= 45 else 0.4
        score = (0.3 * wordy + 0.25 * full + 0.15 * different) * brief + 0.3 * name
        for other in ("description", "tooltip", "classes", "icon", "kind", "window"):
            if says(field, other) > name:
                score -= 0.3
        if best is None or score > best.score + 1e-9:
            why = f"{len(filled)} of {len(values)} records have one"
            why += f", and {round(100 * wordy)} % of them read like words"
            best = Found(field, min(score, 1.0), why)
    return best


def address(table: Table, but: set[str] = frozenset()) -> Found | None:  # type: ignore[assignment]
    """The field that holds addresses."""
    best: Found | None = None
    for field in table.fields:
        filled = table.texts(field)
        if field in but or not filled:
            continue
        alike = share(filled, is_address)
        if alike < 0.6:
            continue
        name = says(field, "address")
        full = len(filled) / len(table.rows)
        score = 0.55 * alike + 0.15 * full + 0.3 * name
        if re.search(r"image|picture|thumb|icon|bild|foto|edit|api|self", field, re.IGNORECASE):
            score -= 0.35
        if best is None or score > best.score + 1e-9:
            why = (
                f"{len(filled)} of {len(table.rows)} records have one, {round(100 * alike)} % alike"
            )
            best = Found(field, min(score, 1.0), why)
    return best


def unique(table: Table) -> list[str]:
    """The fields whose values are there in every record, and there once."""
    found: list[str] = []
    for field in table.fields:
        values = [said(value) for value in table.column(field)]
        if all(values) and len(set(values)) == len(values):
            found.append(field)
    return found


def numbers(table: Table, field: str) -> list[int] | None:
    """The whole numbers of a field; None where it holds anything else, or leaves some out."""
    values = [said(value) for value in table.column(field)]
    if not values or not all(map(is_whole, values)):
        return None
    return [int(value) for value in values]


def few_words(table: Table, field: str, most: int = 9) -> list[str]:
    """The different values of a field that has few of them, in the order of the file."""
    found = list(dict.fromkeys(said(value) for value in table.column(field)))
    words = [word for word in found if word]
    return words if 1 <= len(words) <= most and all(len(word) <= 30 for word in words) else []
