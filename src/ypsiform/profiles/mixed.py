"""Trees whose records have several names: pages, links and headings side by side, in their order.

They are read as records of one name, each with its own under `#kind`, so that all other rules can
walk them, and are written back under their names. In XML these are elements; elsewhere mappings of
one key in a list, as `{"page": {...}}` beside `{"link": {...}}`, of which one that says a plain
value has it under `#value`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..containers import Repeated, children_of
from ..errors import RefusedError
from .schema import MixedRule, Profile

KIND, VALUE = "#kind", "#value"
"""The keys of a record for its own name, and for the plain value that it is."""


def opened(tree: Any, profile: Profile) -> Any:
    """A document with its mixed records under one name."""
    return with_mixed(tree, profile.mixed)


def with_mixed(tree: Any, rules: Sequence[MixedRule]) -> Any:
    """A document in which the records of these names have one."""
    return _changed(tree, _first_names(rules), _inward) if rules else tree


def closed(tree: Any, profile: Profile) -> Any:
    """A document with its mixed records under their own names, as it is written."""
    return _changed(tree, _first_names(profile.mixed), _outward) if profile.mixed else tree


def _first_names(rules: Sequence[MixedRule]) -> dict[str, str]:
    """For the name of each record the one that it is read under."""
    return {name: rule.names[0] for rule in rules for name in rule.names}


Pair = tuple[str | None, Any]
"""A record with the name of its element; without one where it stands in a list."""


def _changed(node: Any, names: Mapping[str, str], change: Callable[..., Pair]) -> Any:
    """A copy of a node in which each record that stands in a list, or in an element, is changed."""
    # No deeper than a container lets values be nested; one call for each level.
    if isinstance(node, list):
        listed: list[Any] = []
        for one in node:
            listed.append(change(None, _changed(one, names, change), names)[1])
        return listed
    if not isinstance(node, dict):
        return node
    made: Any = type(node)()
    children = children_of(node)
    for key, value in node.items():
        if key != "#children" or not children:
            made[key] = _changed(value, names, change)
            continue
        pairs: list[Pair] = []
        for name, child in children:
            pairs.append(change(name, _changed(child, names, change), names))
        made[key] = pairs
    if isinstance(node, Repeated):
        made.others = node.others
    return made


def _inward(name: str | None, node: Any, names: Mapping[str, str]) -> Pair:
    """A record under the one name, with its own inside it."""
    if name is not None:
        return (names[name], _with(node, KIND, name)) if name in names else (name, node)
    if not isinstance(node, dict) or len(node) != 1:
        return name, node
    ((own, held),) = node.items()
    if own not in names or isinstance(held, list):
        return name, node
    return name, _with(held, KIND, own) if isinstance(held, dict) else {KIND: own, VALUE: held}


def _with(node: Any, key: str, value: str) -> Any:
    """A node with one more key, before all others."""
    made: Any = type(node)()
    made[key] = value
    made.update(node)
    if isinstance(node, Repeated):
        made.others = node.others
    return made


def _outward(name: str | None, node: Any, names: Mapping[str, str]) -> Pair:
    """A record under its own name. Raises `RefusedError` for one that has none of these."""
    if not isinstance(node, dict) or KIND not in node:
        if name is not None and name in names.values():
            raise RefusedError(f"a record of {name!r} does not say by which name it is written")
        return name, node
    own = node.pop(KIND)
    if own not in names:
        raise RefusedError(f"{own!r} is none of the names that records have: {', '.join(names)}")
    if name is not None:
        return own, node
    if VALUE not in node:
        return name, {own: node}
    more = next((key for key, held in node.items() if key != VALUE and held not in _EMPTY), None)
    if more is not None:
        raise RefusedError(f"a record {own!r} that is a plain value has no room for {more!r}")
    return name, {own: node[VALUE]}


_EMPTY: tuple[Any, ...] = (None, "", [], {})
