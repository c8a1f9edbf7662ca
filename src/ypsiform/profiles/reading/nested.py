"""Items that stand in their menus and in each other."""

from __future__ import annotations

from collections.abc import Collection
from functools import partial
from itertools import pairwise
from typing import Any

from ...containers.json import kind_of
from ...errors import FormatError
from ...model import (
    Extra,
    Item,
    Menu,
)
from ..sections import below, inner
from ..trees import spell
from .reader import Reading


def nested_items(reading: Reading, menus: list[tuple[Menu, Any]]) -> None:
    """Fill menus with the items that stand in their records, and in each other."""
    tie, shape = reading.profile.items.tie, reading.items.shape
    inside = tie.inside or ""
    encoding, in_cell = reading.encoding, partial(_in_cell, reading)
    for menu, menu_node in menus:
        # What is still to be read: a node, the key of what stands in it, where that goes.
        stack: list[tuple[Any, str, list[Item], str, str]] = [
            (menu_node, tie.first or inside, menu.items, menu.origin, menu.key)
        ]
        while stack:
            holder, key, into, above, ident = stack.pop()
            place = key if above == "." else f"{above}/{key}"
            at = 0
            ranks: list[int] = []
            try:
                for name, node in below(shape, tie, holder, key):
                    here = f"{place}/{name}"
                    if not isinstance(node, dict):
                        raise reading.fail(
                            f"found {kind_of(node)} where a mapping is needed", spell(here)
                        )
                    item, values = reading.item_at(node, here)
                    at += 1
                    item.id = values.get(tie.id or "") or f"{ident}.{at}"
                    into.append(item)
                    if tie.order and not tie.keyed:
                        ranks.append(_rank(reading, inner(shape, node, tie.order), here))
                    if encoding is not None:
                        encoding.language = encoding.language or reading.items.language
                        encoding.item_read(node, item, here, in_cell)
                        if item.panel is not None:
                            continue
                    held = inner(shape, node, inside)
                    if held or (held is not None and shape.ALWAYS_TEXT):
                        if _opens(reading, node):
                            stack.append((node, inside, item.children, here, item.id))
                        else:
                            item.extras = (*item.extras, Extra(inside, held))
            except FormatError as error:
                if error.file:
                    raise
                raise reading.fail(error.message, spell(error.place or place)) from None
            if any(one > other for one, other in pairwise(ranks)):
                order = sorted(range(len(into)), key=ranks.__getitem__)
                into[:] = [into[n] for n in order]


def _rank(reading: Reading, value: Any, place: str) -> int:
    """The number by which a record stands among its siblings; 0 where it says none."""
    if value is None or value == "":
        return 0
    try:
        return int(str(value))
    except ValueError:
        key = reading.profile.items.tie.order
        raise reading.fail(f"{key}: {value!r} is not a whole number", spell(place)) from None


def _in_cell(reading: Reading, node: Any, place: str, lacks: Collection[str]) -> Item:
    """An item in a cell of a panel, whose record does not hold what it `lacks`."""
    if not isinstance(node, dict):
        raise reading.fail(f"found {kind_of(node)} where a mapping is needed", spell(place))
    item, values = reading.item(reading.items.record.pairs(node), place, lacks)
    item.id = values.get(reading.profile.items.tie.id or "", "")
    return item


def _opens(reading: Reading, node: Any) -> bool:
    """Whether what stands inside a record are items, by the values that the profile asks."""
    asked = reading.profile.items.tie.with_
    return all(inner(reading.shape, node, key) == value for key, value in asked.items())
