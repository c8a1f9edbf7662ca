"""Checking a profile against a sample: what it reads, and what comes back when it writes."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any, NamedTuple

from ..containers.xml import SHAPE as ELEMENTS
from ..model import TRAIT_NAMES, Item, Rows, Site, set_traits
from .files import load_tree
from .records import plain
from .schema import Profile
from .trees import spell


class Difference(NamedTuple):
    """A place where the sample and what was written back differ. None: nothing stands there."""

    place: str
    before: Any
    after: Any


def differences(before: bytes, after: bytes, profile: Profile, file: str) -> list[Difference]:
    """Where two files of one platform differ, by place in the neutral tree."""
    one, two = load_tree(before, file, profile), load_tree(after, file, profile)
    return list(_Comparison(profile).of(one, two))


def missing(site: Site, rows: Rows) -> list[str]:
    """What was not read of a sample and without which there is no menu, as sentences."""
    items = [thing for thing in rows.things if isinstance(thing, Item)]
    if not site.menus:
        return ["No menu was read."]
    if not items:
        return ["No item was read."]
    found: list[str] = []
    if not any(item.label for item in items):
        found.append("No item has a label.")
    if all(item.target.kind == "none" for item in items):
        found.append("No item leads anywhere.")
    return found


def idle(rows: Rows, profile: Profile) -> list[str]:
    """The traits that a profile has a field for and finds nowhere in a sample, as sentences."""
    items = [thing for thing in rows.things if isinstance(thing, Item)]
    if not items:
        return []
    found: list[str] = []
    said = {name for item in items for name in set_traits(item.traits)}
    for name, rule in profile.items.fields.items():
        if name in TRAIT_NAMES and name not in said and plain(rule).standard is None:
            found.append(f"No item has a value of {name} ({plain(rule).at}).")
    return found


class _Comparison:
    """Compares trees. Records with the same id belong together, wherever they stand in a list."""

    def __init__(self, profile: Profile) -> None:
        fold = profile.items.fold
        self.fold = fold.key if fold else None
        named = [profile.items.tie.id, profile.items.tie.keyed]
        for fields in (profile.menus.fields, *(rule.fields for rule in profile.content)):
            named += [plain(fields[name]).at for name in ("id", "key") if name in fields]
        self.names = [name for name in dict.fromkeys([*named, "id", "key", "name"]) if name]

    def of(self, one: Any, two: Any) -> Iterator[Difference]:
        stack = [(one, two, "")]
        while stack:
            was, now, where = stack.pop()
            if isinstance(was, dict) and isinstance(now, dict):
                first, second = dict(self._parts(was)), dict(self._parts(now))
                keys = [*first, *(key for key in second if key not in first)]
                stack += [(first.get(k), second.get(k), f"{where}/{k}") for k in reversed(keys)]
            elif isinstance(was, list) and isinstance(now, list):
                pairs, moved = self._matched(was, now)
                if moved:
                    place = spell(where.lstrip("/"))
                    yield Difference(place, f"{len(was)} records", "the same, in another order")
                stack += [(left, right, f"{where}/{at}") for at, left, right in reversed(pairs)]
            elif (was != now or type(was) is not type(now)) and not _both_empty(was, now):
                yield Difference(spell(where.lstrip("/")), was, now)

    def _parts(self, node: dict[str, Any]) -> Iterator[tuple[str, Any]]:
        """The values of a mapping; of an element its attributes, and its children by name.

        Children that are folded are named by their key, so that their order does not matter.
        """
        if "#children" not in node:
            yield from node.items()
            return
        groups: dict[str, list[Any]] = {}
        for key, value in ELEMENTS.pairs(node):
            if key[:1] == "@" or (key == "#text" and node.get("#text") is value):
                yield key, value
                continue
            folded = value.get(self.fold) if self.fold and isinstance(value, dict) else None
            name = f"{key}({folded})" if isinstance(folded, str) else key
            groups.setdefault(name, []).append(value)
        yield from groups.items()

    def _matched(self, was: list[Any], now: list[Any]) -> tuple[list[tuple[int, Any, Any]], bool]:
        """The entries of two lists that differ, in pairs, and whether equal ones changed places.

        Entries that nothing matches are compared in their order.
        """
        places: dict[str, list[int]] = {}
        for at, entry in enumerate(now):
            places.setdefault(self._identity(entry), []).append(at)
        found: list[int] = []
        pairs: list[tuple[int, Any, Any]] = []
        alone: list[tuple[int, Any]] = []
        for at, entry in enumerate(was):
            there = places.get(self._identity(entry))
            if there:
                found.append(there.pop(0))
                pairs.append((at, entry, now[found[-1]]))
            else:
                alone.append((at, entry))
        taken = set(found)
        left = [entry for at, entry in enumerate(now) if at not in taken]
        for number in range(max(len(alone), len(left))):
            at, entry = alone[number] if number < len(alone) else (len(was) + number, None)
            pairs.append((at, entry, left[number] if number < len(left) else None))
        return sorted(pairs, key=lambda pair: pair[0]), found != sorted(found)

    def _identity(self, entry: Any) -> str:
        """What an entry of a list is known by: its id or key, else all that it says."""
        for name in self.names if isinstance(entry, dict) else ():
            value = entry
            for part in name.split("/"):
                value = _step(value, part)
            if isinstance(value, (str, int)):
                return f"{name} {value}"
        return json.dumps(entry, sort_keys=True, default=str)


def _step(node: Any, part: str) -> Any:
    if not isinstance(node, dict):
        return None
    return ELEMENTS.step(node, part) if "#children" in node else node.get(part)


def _both_empty(was: Any, now: Any) -> bool:
    return all(value is None or value in ("", [], {}) for value in (was, now))
