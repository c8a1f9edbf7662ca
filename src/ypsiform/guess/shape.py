"""What ties flat records, as their fields tell it: a structure, and the tree that it gives."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from .columns import Column
from .words import says

MOST_IDS = 6
"""Fields that are tried as ids."""


class Shape(NamedTuple):
    """A structure: the keys of `tie`, the parent of each record, and why.

    `parents`: the place of the record above, -1 at the top, -2 where it is missing. `spots`: what
    tells the place of a record from others of its menu. `taken` are the fields that it is made of;
    `weight` says how unlikely it is by chance, from 0 to 1. `group`: the field of menus, where the
    structure shows it. `ends`: for labels from the top down the label of each record itself.
    """

    keys: dict[str, Any]
    parents: list[int]
    weight: float
    why: str
    taken: tuple[str, ...]
    spots: list[Any] | None = None
    ordered: bool = False
    group: str | None = None
    ends: list[str] | None = None


def ids_of(known: dict[str, Column]) -> list[str]:
    """The fields that can be ids, the likeliest first."""
    found = [
        field
        for field, column in known.items()
        if column.unique and not column.listed and max(map(len, column.texts)) <= 64
    ]

    def rank(field: str) -> tuple[bool, bool, float]:
        column = known[field]
        address = column.addressed > 0.5
        return (address, column.wordy > 0.6, -says(field, "id"))

    return sorted(found, key=rank)[:MOST_IDS]


def tells_menus(column: Column) -> bool:
    """Whether a column can tell menus apart, by how many values it has."""
    many = len(set(column.filled))
    return column.full == 1.0 and 1 < many <= max(2, len(column.texts) // 2) and many <= 40


def depths(parents: Sequence[int]) -> list[int]:
    """The level of each record, 1 for those at the top."""
    depth = [0] * len(parents)
    for start in range(len(parents)):
        way = []
        at = start
        while at >= 0 and depth[at] == 0:
            way.append(at)
            at = parents[at]
            if len(way) > len(parents):
                break
        base = depth[at] if at >= 0 else 0
        for n, row in enumerate(reversed(way), 1):
            depth[row] = base + n
    return depth
