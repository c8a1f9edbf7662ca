"""Rows that stand as they did, told by their columns: most menus do, and need no look row by row.

What is told here is told of whole menus at once, and of nothing in which a single row is elsewhere:
that goes the way of any rows, and both ways give the same.
"""

from __future__ import annotations

from collections.abc import Sequence

from ..model import Rows


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
