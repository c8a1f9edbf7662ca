"""Where the records of a document stand: the paths of its sections, and how to walk them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from ..containers import Shape
from ..containers.json import kind_of
from ..errors import FormatError
from .codecs import chain
from .records import fits
from .schema import FieldRule, ItemRule, MenuRule, Profile
from .structures import TieRule

Records = list[tuple[str, Any]]
"""Records, each with its place in the document."""


class Section:
    """One list of records: its path, which of the records there belong to it, and by what key."""

    def __init__(
        self,
        at: str,
        only: Mapping[str, str],
        keyed: str | None,
        inside: str | None = None,
        find: str | None = None,
        value: str | None = None,
    ) -> None:
        self.at, self.inside, self.find, self.value = at, inside, find, value
        self.path = tuple(at.split("/")) if at != "." else ()
        self.only = only
        self.keyed = keyed

    def read(self, shape: Shape, tree: Any) -> Records:
        """The records, each with its place. Raises `FormatError` with a place."""
        if self.find is not None:
            found = _found(tree, self.find)
        elif not self.path:
            return [(".", tree)]
        elif self.keyed is not None:
            found = self._mapping(shape, tree)
        else:
            found = list(shape.records(tree, self.path))
        if self.inside is not None:
            found = self._within(shape, found)
        if self.only:
            found = [(place, node) for place, node in found if fits(shape, node, self.only)]
        return found

    def _within(self, shape: Shape, top: Records) -> Records:
        """Records and those that stand in them, in reading order."""
        found: Records = []
        stack = top[::-1]
        while stack:
            place, node = stack.pop()
            if not isinstance(node, dict):
                raise FormatError(f"found {kind_of(node)} where a mapping is needed", place=place)
            found.append((place, node))
            assert self.inside is not None
            held = list(shape.records(node, tuple(self.inside.split("/"))))
            stack += [(f"{place}/{inner}", record) for inner, record in reversed(held)]
        return found

    def _mapping(self, shape: Shape, tree: Any) -> Records:
        node = tree
        for part in self.path:
            node = shape.step(node, part) if node is not None else None
        if node is None:
            return []
        if not isinstance(node, dict):
            raise FormatError(f"found {kind_of(node)} where a mapping is needed", place=self.at)
        found: Records = []
        for key, record in shape.pairs(node):
            place = f"{self.at}/{key}"
            if self.value is not None and (record is None or isinstance(record, list)):
                record = {self.value: record}
            if not isinstance(record, dict):
                raise FormatError(f"found {kind_of(record)} where a mapping is needed", place=place)
            found.append((place, {self.keyed: key, **record}))
        return found

    def place(self, at: int, record: Any) -> str:
        """The place of the record that is written as number `at`."""
        if self.keyed is not None:
            return f"{self.at}/{record[self.keyed]}"
        return f"{self.at}/{at}" if self.path else "."

    def write(self, shape: Shape, tree: Any, records: list[Any]) -> None:
        """Set the records that stand here."""
        if not self.path:
            return
        if self.keyed is None:
            shape.replace(tree, self.path, records)
            return
        node = shape.ensure(tree, self.path[:-1])
        made = shape.new()
        for record in records:
            rest: Any = {key: value for key, value in record.items() if key != self.keyed}
            if self.value is not None and set(rest) <= {self.value}:
                rest = rest.get(self.value) or []
            made = shape.add(made, record[self.keyed], rest)
        shape.put(node, self.path[-1], made)


class Sections:
    """The sections of a document, as the profile's rules name them."""

    def __init__(self, profile: Profile) -> None:
        menus, items = profile.menus, profile.items
        self.content = [
            Section(rule.at, rule.only, rule.keyed, rule.inside, rule.find)
            for rule in profile.content
        ]
        self.menus = _of(menus)
        self.items = _of(items)
        self.locations = Section(profile.locations.at, {}, None)
        self.joins = [Section(join.at, join.every, None) for join in items.joins]

    def lists(self) -> list[Section]:
        """The sections that are lists of records, but for the locations."""
        found = [*self.content, self.menus, self.items, *self.joins]
        return [
            section
            for section in found
            if section is not None and section.path and not section.find
        ]


_ID = "{id}"


def entry_id(tie: TieRule, shape: Shape, entry: Any) -> str | None:
    """The id that an entry of a list names; None where it is none."""
    if not tie.each:
        return str(entry) if type(entry) in (str, int) else None
    ident: str | None = None
    for key, words in tie.each.items():
        value = inner(shape, entry, key)
        if type(value) is int:
            value = str(value)
        if not isinstance(value, str):
            return None
        before, held, after = words.partition(_ID)
        if not held:
            if value != words:
                return None
        elif value.startswith(before) and value.endswith(after):
            ident = value[len(before) : len(value) - len(after)]
    return ident


def entry_of(tie: TieRule, shape: Shape, ident: Any) -> Any:
    """An entry of a list that names an id."""
    if not tie.each:
        return ident
    entry = shape.new()
    for key, words in tie.each.items():
        value = ident if words == _ID else words.replace(_ID, str(ident))
        set_at(shape, entry, key, value)
    return entry


def said_key(profile: Profile) -> Callable[[str], str]:
    """How items name a menu: as the record of the menu says its key."""
    rule = profile.menus.fields.get("key")
    through = rule.through if isinstance(rule, FieldRule) else []
    if not through:
        return str
    encode = chain(through, "menus.fields.key")[1]
    return lambda key: str(encode(key))


def _of(rule: MenuRule | ItemRule) -> Section | None:
    if not rule.at and not rule.find:
        return None
    value = rule.value if isinstance(rule, MenuRule) else None
    return Section(rule.at or "", rule.only, rule.keyed, None, rule.find, value)


def _found(tree: Any, query: str) -> Records:
    """The mappings that a JSONPath finds, each with its place."""
    import jsonpath_rfc9535 as jsonpath

    found: Records = []
    try:
        nodes = list(jsonpath.find(query, tree))
    except RecursionError:
        raise FormatError("values are nested too deep for a JSONPath") from None
    for node in nodes:
        place = "/".join(map(str, node.location))
        if not isinstance(node.value, dict):
            kind = kind_of(node.value)
            raise FormatError(f"found {kind} where a mapping is needed", place=place)
        found.append((place, node.value))
    return found


def inner(shape: Shape, node: Any, path: str) -> Any:
    """What stands at a path inside a record, None where nothing does."""
    if "/" not in path:
        return shape.step(node, path) if isinstance(node, dict) else None
    for part in path.split("/"):
        node = shape.step(node, part) if isinstance(node, dict) else None
    return node


def set_at(shape: Shape, node: Any, path: str, value: Any) -> None:
    """Set what stands at a path inside a record, making what holds it."""
    if "/" not in path:
        shape.put(node, path, value)
        return
    *heads, last = path.split("/")
    shape.put(shape.ensure(node, tuple(heads)), last, value)


def below(shape: Shape, tie: TieRule, node: Any, key: str) -> Iterator[tuple[str, Any]]:
    """The records that stand inside a record, each with its name or number in it.

    Raises `FormatError` without a place.
    """
    held = inner(shape, node, key)
    if held is None:
        return
    if shape.ALWAYS_TEXT:
        for at, (_, record) in enumerate(shape.records(node, tuple(key.split("/")))):
            yield str(at), record
        return
    if tie.keyed is not None and isinstance(held, dict):
        order = inner(shape, node, tie.order) if tie.order else None
        named = dict(shape.pairs(held))
        first = [name for name in order if name in named] if isinstance(order, list) else []
        for name in dict.fromkeys([*first, *named]):
            yield name, _named(tie, name, named[name])
        return
    if not isinstance(held, list):
        raise FormatError(f"found {kind_of(held)} where a list is needed")
    for at, entry in enumerate(held):
        if tie.keyed is not None and isinstance(entry, dict) and len(entry) == 1 and tie.value:
            ((name, value),) = entry.items()
            yield str(at), _named(tie, name, value)
        elif tie.value is not None and isinstance(entry, str):
            yield str(at), {tie.value: entry}
        else:
            yield str(at), entry


def mixed(shape: Shape, node: Any, names: tuple[str, ...]) -> list[tuple[str, Any]]:
    """The child elements of these names as they stand, each with its name and its number of it."""
    found: list[tuple[str, Any]] = []
    counts = dict.fromkeys(names, 0)
    for name, record in shape.pairs(node):
        if name in counts:
            found.append((f"{name}/{counts[name]}", record))
            counts[name] += 1
    return found


def _named(tie: TieRule, name: str, value: Any) -> Any:
    """A record of its name in a mapping and what stands there."""
    assert tie.keyed is not None
    if value is None:
        return {tie.keyed: name}
    if tie.value is not None:
        if isinstance(value, (list, dict)):
            return {tie.keyed: name, tie.inside or "": value}
        return {tie.keyed: name, tie.value: value}
    if not isinstance(value, dict):
        raise FormatError(f"{name}: found {kind_of(value)} where a mapping is needed")
    return {tie.keyed: name, **value}
