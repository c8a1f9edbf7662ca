"""Flat records that stand in the records of their menus: in each menu they are tied anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..profiles.mixed import KIND
from .columns import columns
from .flat import shapes
from .readings import Items
from .tables import Table
from .weigh import LONELY, flat_readings

LIKELY = 0.5
"""The least that a structure has to weigh, where records could as well stand in no others."""

_NOT = frozenset({"listed"})
"""Structures whose records stand in a list of their own, wherever their menus are."""


def held_flat(groups: Sequence[list[Any]], inside: str) -> tuple[Items | None, str]:
    """The likeliest reading of the records of menus as flat ones that are tied alike in each menu.

    `groups` are the records of each, which stand at `inside` in its own. None where nothing ties
    them, nor says their order. The text says what speaks for levels where no reading has any;
    empty where nothing does.
    """
    longest = max(groups, key=len, default=[])
    if len(longest) < LONELY:
        return None, ""
    readings = [
        one
        for one in flat_readings(Table("", longest), [])
        if one.menu is None and one.tie.keys["structure"] not in _NOT
    ]
    perhaps = [one for one in readings if one.tie.keys["structure"] == "parent"]
    # What names one record alone may be a mark that is there or not.
    doubt = next((one.tie.why for one in perhaps if len({*one.parents} - {-1, -2}) > 1), "")
    for found in readings:
        keys = found.tie.keys
        levels = max(found.parents) >= 0
        if levels and found.terms["structure"] < LIKELY:
            continue  # numbers that happen to be like levels or ids
        if keys["structure"] == "columns" and KIND in found.table.fields:
            continue  # records of several names call their labels differently
        parents: list[int] = []
        for group in groups:
            start = len(parents)
            parents += [up if up < 0 else start + up for up in _tied(group, keys)]
        if -2 in parents or not (levels or {"order", "follows"} & {*keys}):
            continue
        whole = Table("", [record for group in groups for record in group])
        tie = found.tie._replace(keys={**keys, "inside": inside})
        if doubt and not levels:
            tie = tie._replace(score=0.5, why=f"{tie.why}; but {doubt}")
        return found._replace(table=whole, at="", tie=tie, parents=tuple(parents)), doubt
    return None, doubt


def _tied(group: list[Any], keys: Mapping[str, Any]) -> list[int]:
    """The record above each of those of one menu, by these keys; -1 at the top."""
    for shape in shapes(columns(Table("", group)), len(group)):
        if shape.keys.items() <= keys.items() and shape.keys["structure"] == keys["structure"]:
            return shape.parents
    return [-1] * len(group)
