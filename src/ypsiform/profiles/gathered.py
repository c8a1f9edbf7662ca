"""Lists in several places of one document, each of which is a menu.

They are read as one list of menus at `#menus`: each has its name under `#key` and its records under
`#items`. On writing each list goes back to its place.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..errors import RefusedError
from .schema import Profile

MENUS, KEY, ITEMS = "#menus", "#key", "#items"
"""Where the menus stand, and the keys of each for its name and its records."""


def opened(tree: Any, profile: Profile) -> Any:
    """A document with the lists that a profile names gathered as menus."""
    return with_gathered(tree, profile.gathered)


def with_gathered(tree: Any, lists: Mapping[str, str]) -> Any:
    """A document with these lists, by the names of their menus, gathered as menus."""
    if not lists or not isinstance(tree, dict):
        return tree
    menus: list[Any] = []
    for name, path in lists.items():
        held = at(tree, path)
        if held is not None:
            menus.append({KEY: name, ITEMS: held})
            tree = put(tree, path, None)
    return {**tree, MENUS: menus}


def closed(tree: Any, profile: Profile) -> Any:
    """A document with its lists in their places again.

    Raises `RefusedError` for a menu that no list is named for.
    """
    if not profile.gathered or not isinstance(tree, dict):
        return tree
    menus = tree.get(MENUS) or []
    tree = {key: value for key, value in tree.items() if key != MENUS}
    for menu in menus:
        name = menu.get(KEY)
        if name not in profile.gathered:
            known = ", ".join(map(repr, profile.gathered))
            raise RefusedError(f"there is no list for a menu {name!r}: there are those of {known}")
        held = menu.get(ITEMS)
        tree = put(tree, profile.gathered[name], [] if held is None else held)
    return tree


def at(tree: Any, path: str) -> Any:
    """What stands at a path through mappings; None where nothing does."""
    node = tree
    for name in path.split("/"):
        if not isinstance(node, dict):
            return None
        node = node.get(name)
    return node


def put(tree: Any, path: str, value: Any) -> Any:
    """A copy of a tree with another value at a path; what is beside the path is shared."""
    name, _, rest = path.partition("/")
    if not rest:
        return {**tree, name: value}
    inner = tree.get(name)
    return {**tree, name: put(inner if isinstance(inner, dict) else {}, rest, value)}
