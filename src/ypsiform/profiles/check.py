"""Checking a profile against a sample: what it reads, and what comes back when it writes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from ..containers.xml import SHAPE as ELEMENTS
from .files import load_tree
from .read import spell
from .schema import Profile


class Difference(NamedTuple):
    """A place where the sample and what was written back differ. None: nothing stands there."""

    place: str
    before: Any
    after: Any


def differences(before: bytes, after: bytes, profile: Profile, file: str) -> list[Difference]:
    """Where two files of one platform differ, by place in the neutral tree."""
    one, two = load_tree(before, file, profile), load_tree(after, file, profile)
    fold = profile.items.fold
    return list(_compare(one, two, fold.key if fold else None))


def _compare(one: Any, two: Any, fold: str | None) -> Iterator[Difference]:
    stack = [(one, two, "")]
    while stack:
        was, now, where = stack.pop()
        if isinstance(was, dict) and isinstance(now, dict):
            first, second = dict(_named(was, fold)), dict(_named(now, fold))
            keys = [*first, *(key for key in second if key not in first)]
            stack += [(first.get(k), second.get(k), f"{where}/{k}") for k in reversed(keys)]
        elif isinstance(was, list) and isinstance(now, list):
            for at in reversed(range(max(len(was), len(now)))):
                left = was[at] if at < len(was) else None
                right = now[at] if at < len(now) else None
                stack.append((left, right, f"{where}/{at}"))
        elif was != now and not _both_empty(was, now):
            yield Difference(spell(where.lstrip("/")), was, now)


def _both_empty(was: Any, now: Any) -> bool:
    return all(value is None or value in ("", [], {}) for value in (was, now))


def _named(node: dict[str, Any], fold: str | None) -> Iterator[tuple[str, Any]]:
    """The values of a mapping; the elements of a node with their names counted.

    Elements that are folded are named by their key, so that their order does not matter.
    """
    if "#children" not in node:
        yield from node.items()
        return
    counts: dict[str, int] = {}
    for key, value in ELEMENTS.pairs(node):
        if key[0] in "@#":
            yield key, value
            continue
        inner = value.get(fold) if fold and isinstance(value, dict) else None
        name = f"{key}({inner})" if isinstance(inner, str) else key
        at = counts[name] = counts.get(name, -1) + 1
        yield f"{name}/{at}", value
