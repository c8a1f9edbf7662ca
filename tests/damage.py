"""Damage to a neutral tree, as a faulty writer would do it: one small change at a time."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from copy import deepcopy
from typing import Any

Tree = Any


def _lists(tree: Tree) -> Iterator[list[Any]]:
    """Every list in a tree: of records, of columns, of children."""
    stack = [tree]
    while stack:
        node = stack.pop()
        if isinstance(node, dict):
            stack.extend(node.values())
        elif isinstance(node, (list, tuple)):
            if isinstance(node, list):
                yield node
            stack.extend(node)


def _records(tree: Tree) -> Iterator[dict[str, Any]]:
    stack = [tree]
    while stack:
        node = stack.pop()
        if isinstance(node, dict):
            yield node
            stack.extend(node.values())
        elif isinstance(node, (list, tuple)):
            stack.extend(node)


def _like(one: Any, other: Any) -> bool:
    """Whether two members of lists are of one kind: one could stand where the other does."""
    if isinstance(one, tuple) and isinstance(other, tuple):
        return bool(one and other and one[0] == other[0])
    return type(one) is type(other)


def move(tree: Tree, draw: random.Random) -> bool:
    """A record to another parent, list or column; or to another place in its own."""
    lists = [found for found in _lists(tree) if found]
    if not lists:
        return False
    source = draw.choice(lists)
    moved = source.pop(draw.randrange(len(source)))
    others = [found for found in _lists(tree) if not found or _like(found[0], moved)]
    if not others:
        return False
    into = draw.choice(others)
    into.insert(draw.randrange(len(into) + 1), moved)
    return True


def swap(tree: Tree, draw: random.Random) -> bool:
    """Two records, in one list."""
    lists = [found for found in _lists(tree) if len(found) > 1]
    if not lists:
        return False
    held = draw.choice(lists)
    one, other = draw.sample(range(len(held)), 2)
    held[one], held[other] = held[other], held[one]
    return True


def drop(tree: Tree, draw: random.Random) -> bool:
    """A record, with all that is in it."""
    lists = [found for found in _lists(tree) if found]
    if not lists:
        return False
    held = draw.choice(lists)
    del held[draw.randrange(len(held))]
    return True


def double(tree: Tree, draw: random.Random) -> bool:
    """A record that stands twice."""
    lists = [found for found in _lists(tree) if found]
    if not lists:
        return False
    held = draw.choice(lists)
    held.insert(draw.randrange(len(held) + 1), deepcopy(draw.choice(held)))
    return True


def column(tree: Tree, draw: random.Random) -> bool:
    """A column of a panel: a list in a list, or a record that holds others."""
    lists = [
        (held, at)
        for held in _lists(tree)
        for at, one in enumerate(held)
        if isinstance(one, list) or any(isinstance(part, list) for part in _parts(one))
    ]
    if not lists:
        return False
    held, at = draw.choice(lists)
    del held[at]
    return True


def _parts(one: Any) -> list[Any]:
    node = one[1] if isinstance(one, tuple) and len(one) == 2 else one
    return list(node.values()) if isinstance(node, dict) else []


def change(tree: Tree, draw: random.Random) -> bool:
    """The value of a field."""
    fields = [
        (r, k) for r in _records(tree) for k, v in r.items() if not isinstance(v, (dict, list))
    ]
    if not fields:
        return False
    record, key = draw.choice(fields)
    was = record[key]
    texts = [r[k] for r, k in fields if isinstance(r[k], str)]
    others: list[Any] = [draw.choice(texts)] if texts else []
    if isinstance(was, bool):
        others = [not was]
    elif isinstance(was, (int, float)):
        others = [was + 1]
    elif isinstance(was, str):
        others += [was + "x", was[:-1], was.upper()]
    record[key] = draw.choice(others) if others else "x"
    return True


def lose(tree: Tree, draw: random.Random) -> bool:
    """A field."""
    fields = [(record, key) for record in _records(tree) for key in record]
    if not fields:
        return False
    record, key = draw.choice(fields)
    del record[key]
    return True


def add(tree: Tree, draw: random.Random) -> bool:
    """A field that another record has, or one that none has."""
    records = list(_records(tree))
    if not records:
        return False
    fields = [(k, v) for r in records for k, v in r.items() if not isinstance(v, (dict, list))]
    record = draw.choice(records)
    name, value = draw.choice([*fields, ("unheard", "of")])
    if name in record:
        return False
    record[name] = value
    return True


KINDS: dict[str, Callable[[Tree, random.Random], bool]] = {
    kind.__name__: kind for kind in (move, swap, drop, double, column, change, lose, add)
}
"""Every kind of damage, by its name."""
