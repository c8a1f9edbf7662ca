"""Lists in several places of one document that look like a menu each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any, NamedTuple

from ..containers.xlsx import COLUMNS
from .columns import addresses_of, columns, label_of, paths_in
from .tables import DEEPEST, Table, named_lists

ALIKE = 0.5
"""The share of keys that the records of two lists have in common, from which they are alike."""

SAME = 0.5
"""The share of addresses that two lists have in common, beyond which one lists those of the other.
"""

MOST = 20
"""Lists that are gathered at most."""


def gatherings(root: Any) -> dict[str, str]:
    """By the names of menus the paths of lists that are alike: labelled links, in two places.

    Empty where there are none, or where a mapping holds nothing but these lists: its keys are the
    names of menus then.
    """
    groups: list[list[_List]] = []
    heads = root.get(COLUMNS) if isinstance(root, dict) else None
    heads = heads if isinstance(heads, dict) else {}
    for path, nodes in _lists(root, "", 0):
        table = Table(path, nodes)
        known = columns(table)
        label = label_of(known)  # where each level has a column of its own there is none
        where = addresses_of(known, [label.field] if label is not None else [])
        if not where:
            continue
        # A sheet says what columns it has, though no record fills one.
        keys = set(heads.get(path) or [field.partition("/")[0] for field in table.fields])
        one = _List(path, keys, set(table.texts(where[0].field)))
        group = next((group for group in groups if all(map(one.goes_with, group))), None)
        groups.append([one]) if group is None else group.append(one)
    # Lists in which names are labels, and what stands behind these are addresses.
    labels = [path for path, table, _ in named_lists(root) if paths_in(columns(table), ["text"])]
    paths = max([labels, *([one.path for one in group] for group in groups)], key=len)
    return _named(paths) if 1 < len(paths) <= MOST else {}


class _List(NamedTuple):
    """A list of labelled links: where it stands, the keys of its records, where they lead."""

    path: str
    fields: set[str]
    leads: set[str]

    def goes_with(self, other: _List) -> bool:
        """Whether two lists are alike, and do not lead to the same pages, as an inventory does."""
        alike = len(self.fields & other.fields) >= ALIKE * len(self.fields | other.fields)
        same = len(self.leads & other.leads) > SAME * min(len(self.leads), len(other.leads))
        return alike and not same


def _lists(node: Any, before: str, depth: int) -> Iterator[tuple[str, list[Any]]]:
    """The lists of mappings that stand in mappings alone, not in the records of another list."""
    if not isinstance(node, dict) or depth > DEEPEST:
        return
    lists = [value for value in node.values() if isinstance(value, list)]
    if before and len(lists) == len(node):
        return  # a mapping of menus
    for key, value in node.items():
        if "/" in key or key[:1] == "#":
            continue
        if isinstance(value, dict) and _named_records(value):
            yield before + key, list(value.values())
        elif isinstance(value, dict):
            yield from _lists(value, f"{before}{key}/", depth + 1)
        elif isinstance(value, list) and value and all(isinstance(one, dict) for one in value):
            yield before + key, value


def _named_records(node: dict[str, Any]) -> bool:
    """Whether a mapping holds records by their names: several, most with two keys in common."""
    held = list(node.values())
    numbered = all(key.isdigit() for key in node)  # as lists stand where they have holes
    if len(held) < (1 if numbered else 2) or not all(isinstance(one, dict) and one for one in held):
        return False
    plain = Counter(
        key
        for one in held
        for key, value in one.items()
        if not isinstance(value, dict | list) and value is not None
    )
    return sum(2 * count > len(held) for count in plain.values()) >= 2


def _named(paths: list[str]) -> dict[str, str]:
    """The paths by their last names that tell them apart."""
    for depth in range(1, DEEPEST + 2):
        names = ["-".join(path.split("/")[-depth:]) for path in paths]
        if len(set(names)) == len(names):
            return dict(zip(names, paths, strict=True))
    return {}
