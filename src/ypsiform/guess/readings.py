"""What a reading of an unknown export is: the records, what ties them, and where menus are."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, NamedTuple

from .columns import columns
from .fields import Found
from .tables import Table
from .words import says


class Tie(NamedTuple):
    """A structure: the keys of `tie` in a profile, how sure that is, by what it was told.

    `taken` are the fields that it is made of.
    """

    keys: dict[str, Any]
    score: float
    why: str
    taken: frozenset[str] = frozenset()


class Items(NamedTuple):
    """A reading: the records, what ties them, and where menus are.

    `menus` is the table that lists menus (None where items name them, or where there is one),
    `menu` the field in which flat records name their menu, `menu_key` that of a menu's key
    (`#name`: its name in a mapping). `weight` is its score, `terms` what that is made of, before
    each is multiplied by its weight, and `parents` the record above each, where that is known.
    `inherits`: items without a label show the title of what they lead to. `groups`: what a profile
    says of lists of links in these records.
    """

    table: Table
    at: str
    tie: Tie
    label: Found
    address: Found | None
    menus: Table | None = None
    menu: Found | None = None
    menu_key: str = ""
    weight: float = 0.0
    terms: Mapping[str, float] = {}
    parents: tuple[int, ...] = ()
    inherits: bool = False
    groups: Mapping[str, Any] = {}


def gives(items: Items) -> tuple[Any, ...]:
    """What menus a reading gives, so that two can be compared."""
    keys = items.tie.keys
    menus = items.menus.at if items.menus is not None else ""
    menu = items.menu.field if items.menu is not None else ""
    first = id(items.table.nodes[0]) if items.table.nodes else 0
    inner = items.groups.get("at")
    return (first, len(items.table.nodes), items.parents, menu, menus, keys.get("order"), inner)


def menu_key(menus: Table) -> str:
    """The field of a menu by which it is known; `#name` where it is its name in a mapping."""
    if menus.names is not None:
        return "#name"
    ids = [field for field, column in columns(menus).items() if column.unique]
    return max(ids, key=lambda field: _as_key(menus, field), default="")


def _as_key(menus: Table, field: str) -> tuple[bool, float, float]:
    """How well a field of menus serves as their key: plain words are better than all else."""
    plain = all(map(_KEY.fullmatch, menus.texts(field)))
    return plain, says(field, "id"), max(says(field, "menu"), says(field, "title") / 2)


_KEY = re.compile(r"[a-z_][a-z0-9_.-]*")
