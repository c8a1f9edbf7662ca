"""Places in neutral trees, as the program and as persons say them; trees without some records."""

from __future__ import annotations

from typing import Any

DEEPEST = 200
"""Values nested deeper than this are told whole."""


LIST = "#list"
"""The key under which a document that is a list stands, so that paths can name it."""

FILE, PATH, STEM, ABOVE = "#file", "#path", "#stem", "#above"
"""The keys of a record that say which file it stands in."""

ADDRESS = "#address"
"""The key of a record for the address that is made of slugs."""

UPPER = "#upper"
"""The key of a record for the address of the one that it stands below, by its own address."""

OF_FILES = frozenset({FILE, PATH, STEM, ABOVE})


def spell(place: str) -> str:
    """A place in a tree as a person reads it: `trees[0].entries[2]`."""
    out = ""
    for part in place.split("/"):
        out += f"[{part}]" if part.isdigit() else ("." if out else "") + part
    return out


def implied_place(key: str) -> str:
    """The place of a menu that has no record of its own."""
    return f"menu {key}"


def without(value: Any, found: set[int], depth: int = 0) -> Any:
    """A value without these records (by identity); None where nothing else was in it."""
    if id(value) in found:
        return None
    if not isinstance(value, (dict, list)) or not value or depth > DEEPEST:
        return value
    if isinstance(value, list):
        return [
            one for held in value if (one := without(held, found, depth + 1)) is not None
        ] or None
    left = {key: without(held, found, depth + 1) for key, held in value.items()}
    return {key: left[key] for key, held in value.items() if held is None or left[key] is not None}
