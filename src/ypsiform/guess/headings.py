"""Rows that say nothing but a name, above those that they head: menus of a table made by hand."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

from ..profiles.headed import headings, said
from .tables import DEEPEST

LEAST = 2
"""Rows that a heading has behind it, on average."""

_MENUS = re.compile(
    r"\b(menue?|menü|nav|navigation|navi|header|footer|foot|top|main|primary|secondary|haupt\w*|"
    r"fu(ss|ß)\w*|kopf\w*|meta\w*|meny|barre|barra|pied|pie|principal|sidebar|utility)\b",
    re.IGNORECASE,
)
"""Words by which people call menus."""


def headed_in(tree: Any, before: str = "", depth: int = 0) -> dict[str, str]:
    """By the places of lists the key that their headings say alone."""
    made: dict[str, str] = {}
    for key, value in tree.items() if isinstance(tree, dict) and depth <= DEEPEST else ():
        if "/" in key:
            continue
        if isinstance(value, dict):
            made |= headed_in(value, f"{before}{key}/", depth + 1)
        elif isinstance(value, list) and len(value) > LEAST and isinstance(value[0], dict):
            name = _headed(value)
            made |= {before + key: name} if name else {}
    return made


def _headed(records: list[Any]) -> str:
    """The key of headings of a list, the first record being one; empty where it has none."""
    if not all(isinstance(node, dict) for node in records):
        return ""
    first = [*said(records[0])]
    if len(first) != 1 or not isinstance(records[0][first[0]], str):
        return ""
    heads = headings(records, first[0])
    alone = {n for n, node in enumerate(records) if [*said(node)] == first}
    names = {records[n][first[0]] for n in heads}
    if 0 not in heads or alone != heads or len(names) < len(heads):
        return ""
    if 2 * sum(_MENUS.search(name) is not None for name in names) < len(names):
        return ""  # they may be items with others below them
    return first[0] if len(records) - len(heads) >= LEAST * len(heads) else ""


def names_menus(names: Collection[str]) -> bool:
    """Whether these are what people call menus."""
    return all(_MENUS.search(name) for name in names)
