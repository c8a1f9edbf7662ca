"""Tables in which the name of a menu stands in a row of its own, above those of its items.

Records that say nothing but one key are such headings. Each other record gets the heading above it
under `#menu`, and the headings go; they are written back above the first record of their menu.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from .gathered import at, put
from .schema import Profile

MENU = "#menu"
"""The key of a record for the heading that it stands below."""


def opened(tree: Any, profile: Profile) -> Any:
    """A document whose records say the headings that they stand below."""
    return with_headings(tree, profile.headed)


def with_headings(tree: Any, headed: Mapping[str, str]) -> Any:
    """A document in which the records of these lists say what heads them, by its key."""
    for path, key in headed.items():
        held = at(tree, path)
        if isinstance(held, list):
            heads = headings(held, key)
            made: list[Any] = []
            menu: Any = None
            for n, node in enumerate(held):
                if n in heads:
                    menu = node[key]
                else:
                    made.append(node if menu is None else {**node, MENU: menu})
            tree = put(tree, path, made)
    return tree


def closed(tree: Any, profile: Profile) -> Any:
    """A document with its headings, each above the records of its menu."""
    for path, key in profile.headed.items():
        held = at(tree, path)
        if not isinstance(held, list):
            continue
        menus: dict[Any, list[Any]] = {}
        for node in held:
            rest = {name: value for name, value in node.items() if name != MENU}
            menus.setdefault(node.get(MENU), []).append(rest)
        first = menus.pop(None, [])
        made = [one for menu, some in menus.items() for one in ({key: menu}, *some)]
        tree = put(tree, path, [*first, *made])
    return tree


def headings(records: list[Any], key: str) -> set[int]:
    """The places of headings: records that say this key alone, and that others stand behind."""
    alone = [isinstance(node, dict) and [*said(node)] == [key] for node in records]
    return {n for n, is_alone in enumerate(alone[:-1]) if is_alone and not alone[n + 1]}


def said(node: Mapping[str, Any]) -> Iterator[str]:
    """The keys under which a record says something."""
    return (key for key, value in node.items() if value is not None and value != "")
