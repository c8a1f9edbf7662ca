"""Mappings from labels to addresses, or to further such mappings, as people write menus by hand."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..profiles.trees import LIST
from .columns import is_bare, wordy
from .looks import is_address
from .tables import DEEPEST
from .words import says

ADDRESSES = 0.8
"""The share of what stands in such a mapping that looks like addresses."""

WORDY = 0.5
"""The share of its names that read like labels, and not like what programs call something."""

LEAST = 2
"""Links in a menu of this form."""


def pairs_in(tree: Any, before: str = "", depth: int = 0) -> Iterator[str]:
    """The paths of mappings from labels to addresses; the document itself stands at `#list`."""
    if not isinstance(tree, dict) or depth > DEEPEST or not tree:
        return
    plain = not any("/" in key or key[:1] == "#" for key in tree)
    if before or not _are_pairs(tree):
        inner = tree.items()
    elif plain and _names_menus(tree):
        yield from tree
        return
    else:
        yield LIST
        return
    for key, value in inner:
        if not isinstance(value, dict) or "/" in key or key[:1] == "#":
            continue
        path = before + key
        if not _are_pairs(value):
            yield from pairs_in(value, f"{path}/", depth + 1)
        elif _names_menus(value) and not any("/" in name for name in value):
            yield from (f"{path}/{name}" for name in value)
        else:
            yield path


def _are_pairs(node: dict[str, Any]) -> bool:
    names: list[str] = []
    leaves: list[str] = []
    stack: list[Any] = [node]
    while stack:
        for name, held in stack.pop().items():
            names.append(name)
            if isinstance(held, dict):
                stack.append(held)
            elif isinstance(held, str):
                leaves.append(held)
            elif held is not None:
                return False
    own = [held for held in node.values() if isinstance(held, str)]
    if len(leaves) < LEAST or not all(map(_leads, own)):
        return False
    wordy_ = sum(map(wordy, names)) >= WORDY * len(names)
    return wordy_ and sum(map(_leads, leaves)) >= ADDRESSES * len(leaves)


def _leads(text: str) -> bool:
    return not text or is_address(text) or ("/" in text and is_bare(text))


def _names_menus(node: dict[str, Any]) -> bool:
    """Whether the names of a mapping are those of menus: of lists, and no labels."""
    if not all(isinstance(held, dict) and held for held in node.values()):
        return False
    named = sum(wordy(name) < 1.0 or says(name, "menu") > 0 for name in node)
    return 2 * named >= len(node)
