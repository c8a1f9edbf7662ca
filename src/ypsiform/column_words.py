"""Class words that repeat by level: a hint that a theme makes columns of panels out of them.

Many themes turn plain class words into panels: one on a top item, one on each item below it. An
export says nothing of what they mean, and where nobody has described it, only the pattern shows.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import NamedTuple

from .model import NOWHERE, Item, Rows, Site


class ColumnWords(NamedTuple):
    """A class word that may make columns, in one menu.

    `word` has `{n}` where it has a number, `tops` are the labels of the top items with such items
    below them, `items` is how many there are, `opens` a word that just these top items have, and
    `heading` one that items below columns that lead nowhere have, the first in each at most; empty:
    none.
    """

    menu: int
    word: str
    items: int
    tops: tuple[str, ...]
    opens: str
    heading: str


def column_words(site: Site, rows: Rows) -> list[ColumnWords]:
    """For each menu the class word that is likeliest to make columns, if one is likely.

    All items with it stand below top items; below one of these stand at least two, and either all
    that stand there have it or it holds a number; links stand below some of them, or it holds a
    number.
    """
    found: list[ColumnWords] = []
    for at in range(len(site.menus)):
        levels = _by_level(rows, rows.of_menu(at))
        best: list[int] = []
        of = ""
        for word, members in levels.get(2, {}).items():
            if word == "{n}" or any(word in words for level, words in levels.items() if level != 2):
                continue
            if len(members) > len(best) and _are_columns(rows, word, members):
                best, of = members, word
        found += [_told(rows, at, of, best, levels)] if best else []
    return found


def _by_level(rows: Rows, inside: Iterable[int]) -> dict[int, dict[str, list[int]]]:
    """The rows of a menu by level and class word; numbers in a word are `{n}`."""
    levels: dict[int, dict[str, list[int]]] = {}
    for row in inside:
        thing = rows.things[row]
        words = thing.traits.classes if isinstance(thing, Item) else ()
        for word in dict.fromkeys(re.sub(r"\d+", "{n}", word, count=1) for word in words):
            levels.setdefault(rows.depth[row], {}).setdefault(word, []).append(row)
    return levels


def _below(rows: Rows, members: list[int]) -> dict[int, list[int]]:
    """Rows by the row that they stand below."""
    found: dict[int, list[int]] = {}
    for row in members:
        found.setdefault(rows.parent[row], []).append(row)
    return found


def _are_columns(rows: Rows, word: str, members: list[int]) -> bool:
    """Whether the items with a word may be columns."""
    numbered, below = "{n}" in word, _below(rows, members)
    tops = any(len(below[row]) > 1 and (numbered or _all(rows, below, row)) for row in below)
    return tops and (numbered or any(_children(rows, row) for row in members))


def _told(
    rows: Rows, menu: int, word: str, members: list[int], levels: dict[int, dict[str, list[int]]]
) -> ColumnWords:
    """What stands beside columns: the word of their top items, and that of their headings."""
    below, columns = _below(rows, members), set(members)
    opens = [w for w, there in levels.get(1, {}).items() if set(there) == set(below)]
    # Columns that lead somewhere are seen themselves: they are headings, and need none.
    leads = any(getattr(rows.things[row], "target", NOWHERE).kind != "none" for row in members)
    heads = [
        w
        for w, there in (levels.get(3, {}) if not leads else {}).items()
        if len({rows.parent[row] for row in there}) == len(there) > 1
        and all(rows.parent[row] in columns and rows.position[row] == 0 for row in there)
    ]
    labels = tuple(thing.label for row in below if isinstance(thing := rows.things[row], Item))
    head, opened = heads[0] if heads else "", opens[0] if opens else ""
    return ColumnWords(menu, word, len(members), labels, opened, head)


def _all(rows: Rows, below: dict[int, list[int]], top: int) -> bool:
    """Whether all items directly below a top item are among those known to stand there."""
    there = _children(rows, top)
    dividers = {r for r in there if getattr(rows.things[r], "role", "") == "divider"}
    return set(below[top]) | dividers == set(there)


def _children(rows: Rows, row: int) -> list[int]:
    thing = rows.things[row]
    if not isinstance(thing, Item) or thing.panel is not None:
        return []
    return [child for child in rows.below(row) if rows.parent[child] == row]
