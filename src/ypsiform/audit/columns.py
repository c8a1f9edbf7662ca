"""Rows compared column by column: only what differs is looked at row by row.

Most rows stand as they did and say what they said, and their columns tell so at once. What is told
here says of no row what became of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..model import Rows


class Joined:
    """Items, and the items read back that they became, to be compared column by column.

    `rows` are rows of the first ones, and `there` for each of them the row read back.
    """

    def __init__(self, site: Rows, rows: Sequence[int], back: Rows, there: Sequence[int]) -> None:
        self.rows = rows
        self._site, self._back, self._there = site, back, there

    def of(self, name: str) -> tuple[list[Any], list[Any]]:
        """What the items said by this attribute, and what they say now; in the order of `rows`."""
        was, now = self._site.said(name), self._back.said(name)
        if len(self.rows) < len(was):
            was = [was[row] for row in self.rows]
        return was, [now[at] for at in self._there]

    def changed(self, name: str) -> list[tuple[int, Any, Any]]:
        """The rows that say another thing by this attribute: what they said, and say now."""
        was, now = self.of(name)
        if was == now:
            return []
        both = zip(self.rows, was, now, strict=True)
        return [(row, before, after) for row, before, after in both if before != after]

    def differ(self, name: str) -> list[int]:
        """The rows that say another thing by this attribute."""
        return [row for row, _, _ in self.changed(name)]


def in_place(rows: Rows, span: range, there: Sequence[int], back: Rows) -> int:
    """The menu read back in which the rows of a menu stand as they did; -1 where there is none.

    `span` are the rows of one menu, and `there` are those read back that they became. They are all
    of that menu, in the same order, below the same rows, in the same places among their siblings;
    and there is no panel.
    """
    start = there[0] if there else -1
    if start < 0 or rows.opens(span):
        return -1
    menu = back.menu[start]
    now = back.of_menu(menu)
    if back.opens(now) or now.start != start or len(now) != len(span) or list(there) != list(now):
        return -1
    own, theirs = slice(span.start, span.stop), slice(now.start, now.stop)
    if rows.position[own] != back.position[theirs]:
        return -1
    further = start - span.start
    parents = rows.parent[own]
    if further:
        parents = [parent + further if parent >= 0 else -1 for parent in parents]
    return menu if parents == back.parent[theirs] else -1
