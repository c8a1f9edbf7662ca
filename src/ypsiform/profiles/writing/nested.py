"""Items that stand in their menus and in each other."""

from __future__ import annotations

from typing import Any

from ...containers import FORMATS
from ...encodings import Encoding
from ...encodings.base import together
from ...errors import RefusedError
from ...model import NOWHERE, Item, Menu
from ..records import plain
from ..sections import inner
from .file import File, Place
from .ids import new_uid, same_places


def nest(file: File, entries: list[tuple[str, Any, Menu]]) -> None:
    """Write items into the records of their menus, and into each other."""
    if file.plan.own is not None:
        same_places(file, file.plan.own.menus)
    for place, node, menu in entries:
        _nest(file, node, menu, place)


def _nest(file: File, node: Any, menu: Menu, place: Place) -> None:
    tie = file.profile.items.tie
    encoding = file.encoding if file.encoding is not None and file.encoding.in_item else None
    inside = tie.inside or ""
    always = inside in _always(file)
    ids: set[str] = set()
    # What is still to be written: items, the record that they go into, its place.
    stack: list[tuple[list[Item], Any, str, Place]] = [
        (menu.items, node, tie.first or inside, place)
    ]
    while stack:
        items, holder, key, above = stack.pop()
        into: list[Any] = []
        names: list[str] = []
        where = key if above == "." else f"{above}/{key}"
        for at, item in enumerate(items):
            structure = [(tie.id, new_uid(file, item, menu, ids))] if tie.id else []
            pairs = file.items.pairs(item, structure, file.parts.get(id(item)))
            if item.children:
                pairs += tie.with_.items()
            if tie.order and not tie.keyed:
                pairs.append((tie.order, str(at + 1)))
            extras = item.extras
            if encoding is not None and item.panel is not None:
                extras = tuple(e for e in extras if not encoding.inside(e))
            record = file.items.record.write(pairs, extras)
            name = record[tie.keyed] if tie.keyed and not tie.value else str(at)
            here = f"{where}/{name}"
            file.number(item, here)
            if tie.id:
                file.given[here] = structure[0][1]
            if encoding is not None and item.panel is not None:
                held = _in_record(file, encoding, item, here, menu, ids)
                record[encoding.at] = together(record.get(encoding.at), held)
            names.append(name)
            into.append(record)
            if item.children or always:
                stack.append((item.children, record, inside, here))
        _fill(file, holder, key, names, into)
    if tie.keyed is not None:
        _rename(file, node, tie.first or inside)


def _in_record(
    file: File, encoding: Encoding, item: Item, place: Place, menu: Menu, ids: set[str]
) -> Any:
    """What opens below an item, as its record holds it."""
    ident = file.profile.items.tie.id
    where_of: dict[int, Place] = {}
    assert item.panel is not None
    for column in item.panel.columns:
        column.id = "" if column.id in ids else column.id
        ids.add(column.id)

    def write(inner_: Item, tied: bool) -> Any:
        structure = [(ident, new_uid(file, inner_, menu, ids))] if ident and tied else []
        where = where_of[inner_.number]
        if structure:
            file.given[where] = structure[0][1]
        elif ident:  # one without an id is called after its place
            inside = where[len(place) + 1 :].split("/")[1:-1]
            file.given[where] = ".".join([file.given[place], *inside])
        return file.items.write(inner_, structure)

    def number(which: int, where: Place) -> None:
        where_of[which] = where
        file.number(Item("", "", NOWHERE, number=which), where)

    return encoding.item_written(item, write, number, place)


def _always(file: File) -> tuple[str, ...]:
    """The key of nested records where it is written even if nothing is inside."""
    tie = file.profile.items.tie
    simple = tie.inside and "/" not in tie.inside and not tie.with_ and not tie.keyed
    simple = simple and not FORMATS[file.profile.container].rows
    return (tie.inside,) if simple and tie.inside else ()


def _fill(file: File, holder: Any, key: str, names: list[str], records: list[Any]) -> None:
    """Put the records of nested items into the record above them."""
    tie, shape = file.profile.items.tie, file.items.shape
    *path, last = key.split("/")
    if shape.ALWAYS_TEXT:
        if records or inner(shape, holder, key) is not None:
            shape.replace(holder, (*path, last), records)
        return
    holder = shape.ensure(holder, tuple(path))
    if not isinstance(holder, dict):
        raise RefusedError(f"a value stands at {'.'.join(path)!r}, where records are to be put")
    if tie.keyed is None or tie.value is not None:
        shape.put(holder, last, records)
        return
    shape.put(holder, last, dict(zip(names, records, strict=True)))
    if tie.order is not None:
        shape.put(holder, tie.order, names)


def _rename(file: File, node: Any, key: str) -> None:
    """Records by their name: it becomes the key of a mapping, and what is said its value."""
    tie = file.profile.items.tie
    rules = map(plain, file.profile.items.fields.values())
    needed = any(rule.needed for rule in rules if rule.at == tie.keyed)
    stack = [(node, key)]
    while stack:
        holder, at = stack.pop()
        held = inner(file.shape, holder, at)
        if isinstance(held, dict):
            for record in held.values():
                record.pop(tie.keyed, None)
                stack.append((record, tie.inside or ""))
            continue
        for index, record in enumerate(held or ()):
            below = record.get(tie.inside)
            if below is not None:
                stack.append((record, tie.inside or ""))
            value = below if below is not None else record.get(tie.value)
            name = record.get(tie.keyed, "")
            # What has no name stands there alone, where it can be read so.
            alone = not (name or needed) and isinstance(value, str)
            held[index] = value if alone else {name: value}
