"""Flat records that stand in the records of their menus: in each menu they are tied anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from .columns import columns
from .flat import shapes
from .readings import Items
from .tables import Table
from .weigh import LONELY, flat_readings

_NOT = frozenset({"listed"})
"""Structures whose records stand in a list of their own, wherever their menus are."""


def held_flat(groups: Sequence[list[Any]], inside: str) -> Items | None:
    """The likeliest reading of the records of menus as flat ones that are tied alike in each menu.

    `groups` are the records of each, which stand at `inside` in its own. None where nothing ties
    them, nor says their order.
    """
    longest = max(groups, key=len, default=[])
    if len(longest) < LONELY:
        return None
    for found in flat_readings(Table("", longest), []):
        keys = found.tie.keys
        says_more = any(parent >= 0 for parent in found.parents) or {"order", "follows"} & {*keys}
        if found.menu is not None or keys["structure"] in _NOT or not says_more:
            continue
        parents: list[int] = []
        for group in groups:
            start = len(parents)
            parents += [up if up < 0 else start + up for up in _tied(group, keys)]
        if any(parent == -2 for parent in parents):
            continue
        whole = Table("", [record for group in groups for record in group])
        tie = found.tie._replace(keys={**keys, "inside": inside})
        return found._replace(table=whole, at="", tie=tie, parents=tuple(parents))
    return None


def _tied(group: list[Any], keys: Mapping[str, Any]) -> list[int]:
    """The record above each of those of one menu, by these keys; -1 at the top."""
    for shape in shapes(columns(Table("", group)), len(group)):
        if shape.keys.items() <= keys.items() and shape.keys["structure"] == keys["structure"]:
            return shape.parents
    return [-1] * len(group)
