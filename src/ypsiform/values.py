"""Values of records: what stands for what."""

from __future__ import annotations

from typing import Any

MOST_DIGITS = 600
"""Longer ids stay texts: no container takes such numbers."""


def as_number(value: Any) -> Any:
    """A text of digits as the number that it is; any other as it stands."""
    if type(value) is str and value.isdigit() and value.isascii() and value[0] != "0":
        return int(value) if len(value) <= MOST_DIGITS else value
    digits = isinstance(value, str) and value.isascii() and value.removeprefix("-").isdigit()
    if digits and len(value) <= MOST_DIGITS and str(number := int(value)) == value:
        return number
    return value


def matches(value: Any, wanted: str) -> bool:
    """Whether a value is the one wanted; a `*` at the end is anything, alone it is something."""
    said = str(value) if type(value) in (str, int) else "" if value is None else None
    if said is None:
        return False
    if wanted == "*":
        return bool(said)
    return said.startswith(wanted[:-1]) if wanted.endswith("*") else said == wanted
