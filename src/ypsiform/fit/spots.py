"""Where rows of a menu go: below what, and past what they were lifted."""

from __future__ import annotations

from typing import NamedTuple


class Spot(NamedTuple):
    """Where a row goes: the row above it (-1: the top), and what it was lifted past.

    `past` is the row that it follows as a sibling, -1 where it stands below its own parent.
    `split`: the link of the row above moves into a new item before this one.
    """

    above: int
    past: int
    parent: int
    split: bool
