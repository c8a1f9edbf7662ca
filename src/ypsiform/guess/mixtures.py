"""Records of several names that stand side by side, as pages and links do in one tree."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from itertools import combinations
from typing import Any

from ..containers import children_of
from ..profiles.schema import MixedRule

ALIKE = 0.3
"""The share of keys that elements of two names have in common, from which they are alike."""

MOST = 12
"""Names that records which stand among each other can have."""


def mixed_in(tree: Any, *, elements: bool) -> list[MixedRule]:
    """The names of records that stand among each other, the most frequent one of each first."""
    counts: Counter[str] = Counter()
    groups = _of_elements(tree, counts) if elements else _of_mappings(tree, counts)
    return [MixedRule(sorted(names, key=lambda name: (-counts[name], name))) for names in groups]


def _joined(pairs: Iterable[Iterable[str]]) -> list[set[str]]:
    """Sets of names that belong together, from pairs that do."""
    groups: list[set[str]] = []
    for pair in pairs:
        whole = set(pair)
        apart = [group for group in groups if not group & whole]
        groups = [*apart, whole.union(*(group for group in groups if group & whole))]
    return groups


def _of_elements(tree: Any, counts: Counter[str]) -> list[set[str]]:
    """Names of elements that stand among each other.

    They have some of their keys in common, or one of them stands in its own kind, as items do.
    """
    keys: dict[str, set[str]] = {}
    together: Counter[tuple[str, str]] = Counter()
    nested: set[str] = set()
    inside: dict[str, set[str]] = {}
    stack: list[tuple[Any, str, frozenset[str]]] = [(tree, "", frozenset())]
    while stack:
        names: list[str] = []
        node, own, above = stack.pop()
        for name, child in children_of(node):
            if name == "#text":
                continue
            stack.append((child, name, above | {name}))
            if name in above:
                nested.add(name)
            said = {key for key in child if key[:1] == "@"}
            said |= {key for key, _ in children_of(child) if key != "#text"}
            if _says(child):  # else it is a text that its parent says, or stands around records
                keys.setdefault(name, set()).update(said)
                names.append(name)
        counts.update(names)
        inside.setdefault(own, set()).update(names)
        if not 1 < len(set(names)) <= MOST:
            continue
        starts = Counter(name for at, name in enumerate(names) if not at or names[at - 1] != name)
        for one, other in combinations(sorted(starts), 2):
            together[one, other] += 2 if starts[one] > 1 or starts[other] > 1 else 1
    for several in inside.values():  # in elements of one name, if not in the same one
        some = sorted(several) if len(several) <= MOST else []
        together.update(dict.fromkeys(combinations(some, 2), 0))
    return _joined(
        pair
        for pair, times in together.items()
        if (times > 1) + bool(nested & {*pair}) + _alike(keys[pair[0]], keys[pair[1]]) > 1
    )


def _says(node: Any) -> bool:
    """Whether an element says something itself: by an attribute, or by a text in it."""
    inner = (child for name, child in children_of(node) if name != "#text")
    return any(key[:1] == "@" for key in node) or any(not children_of(one) for one in inner)


def _alike(one: set[str], other: set[str]) -> bool:
    return len(one & other) >= ALIKE * len(one | other)


def _of_mappings(tree: Any, counts: Counter[str]) -> list[set[str]]:
    """Names that are the only key of a mapping in a list, each several times."""
    lists: list[set[str]] = []
    stack = [tree]
    while stack:
        node = stack.pop()
        inner = list(node.values()) if isinstance(node, dict) else node
        if isinstance(node, list) and node and all(map(_is_named, node)):
            names = [next(iter(one)) for one in node]
            counts.update(names)
            lists.append(set(names))
        stack += [one for one in inner if isinstance(one, (dict, list))]
    return [
        group
        for group in _joined(lists)
        if 1 < len(group) <= MOST and sum(counts[name] for name in group) >= 3 * len(group)
    ]


def _is_named(one: Any) -> bool:
    """Whether a mapping has one key, under which a record stands."""
    return isinstance(one, dict) and len(one) == 1 and isinstance(next(iter(one.values())), dict)
