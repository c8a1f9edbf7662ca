"""Mappings from labels to addresses, or to further such mappings, as people write menus by hand.

They are read as lists of records with one key each, so that all other rules can walk them, and are
written back as mappings: no label can be there twice below the same one.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..errors import FormatError, RefusedError
from .gathered import at, put
from .schema import Profile
from .trees import LIST, spell


def opened(tree: Any, profile: Profile, file: str) -> Any:
    """A document whose mappings at these paths are lists. Raises `FormatError` for others."""
    try:
        return with_pairs(tree, profile.pairs)
    except FormatError as error:
        raise FormatError(error.message, file=file, place=error.place) from None


def with_pairs(tree: Any, paths: Sequence[str]) -> Any:
    """A document whose mappings at these paths are lists; at `#list` it is one itself."""
    for path in paths:
        held = tree if path == LIST else at(tree, path)
        if held is None:
            continue
        if not isinstance(held, dict):
            raise FormatError("found no mapping from labels to addresses", place=spell(path))
        made = _listed(held)
        tree = {LIST: made} if path == LIST else put(tree, path, made)
    return tree


def closed(tree: Any, profile: Profile) -> Any:
    """A document with its lists as mappings. Raises `RefusedError` where a label is there twice."""
    for path in profile.pairs:
        held = at(tree, path)
        if isinstance(held, list):
            tree = put(tree, path, _mapped(held))
    return tree


def _listed(node: Any) -> Any:
    # No deeper than a container lets values be nested; one call for each level.
    if not isinstance(node, dict):
        return node
    return [{name: _listed(held)} for name, held in node.items()]


def _mapped(held: Any) -> Any:
    if not isinstance(held, list):
        return held
    made: dict[str, Any] = {}
    for entry in held:
        if not isinstance(entry, dict) or len(entry) != 1:
            raise RefusedError("an item without a label has no place in a mapping of labels")
        ((name, inner),) = entry.items()
        if name in made:
            raise RefusedError(f"{name!r} is there twice, and a mapping holds each label once")
        made[name] = _mapped(inner)
    return made
