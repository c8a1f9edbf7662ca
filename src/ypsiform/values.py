"""Values of records: what stands for what."""

from __future__ import annotations

import re
from typing import Any

_NUMBER = re.compile("0|-?[1-9][0-9]*")
MOST_DIGITS = 600
"""Longer ids stay texts: no container takes such numbers."""


MOST_REMEMBERED = 20_000
"""Values of one kind of which is remembered what came of them: more would take too much room."""


def remember(memory: dict[Any, Any], key: Any, found: Any) -> None:
    """Keep what came of a value, as long as there is room."""
    if len(memory) < MOST_REMEMBERED:
        memory[key] = found


def as_number(value: Any) -> Any:
    """A text of digits as the number that it is; any other as it stands."""
    number = isinstance(value, str) and len(value) <= MOST_DIGITS and _NUMBER.fullmatch(value)
    return int(value) if number else value


def matches(value: Any, wanted: str) -> bool:
    """Whether a value is the one wanted; a `*` at the end is anything, alone it is something."""
    said = str(value) if type(value) in (str, int) else "" if value is None else None
    if said is None:
        return False
    if wanted == "*":
        return bool(said)
    return said.startswith(wanted[:-1]) if wanted.endswith("*") else said == wanted
