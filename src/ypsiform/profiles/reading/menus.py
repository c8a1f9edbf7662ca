"""Menus, listed or made of pages or paths."""

from __future__ import annotations

from functools import partial
from typing import Any

from ...containers.json import kind_of
from ...errors import FormatError
from ...model import (
    EVERYONE,
    Extra,
    Menu,
)
from .. import paths
from ..pages import Pages
from ..records import RecordRule, Values, marks_of
from ..schema import Theme
from ..trees import spell
from .reader import Reading


def _compiled(reading: Reading) -> RecordRule:
    rule = reading.profile.menus
    return RecordRule(
        reading.shape.of(rule.at or ""),
        rule.fields,
        own=reading.profile.items.tie.own_keys,
        embedded=rule.embedded,
        serialised=rule.serialised,
        composed=rule.composed,
        marks=marks_of(rule.only),
    )


def read_menus(reading: Reading) -> list[tuple[Menu, Any]]:
    """The menus that a file lists, each with its record; their items are read later."""
    rule, section = reading.profile.menus, reading.paths.menus
    record = reading.profile.kept("menus", partial(_compiled, reading))
    found: list[tuple[Menu, Any]] = []
    seen: set[str] = set()
    ids: set[str] = set()
    for place, node in reading.records(section) if section else ():
        if place == ".":
            # The document itself: what is not of the menu is read by other rules.
            values, unread = record.read_pairs(record.known_pairs(node))
        else:
            values, unread = reading.values(record, node, place)
        key = values.get("key") or rule.one
        if key is None:
            raise reading.fail("the menu has no key", spell(place))
        if not isinstance(key, str):
            raise reading.fail(f"found {kind_of(key)} where a key is needed", spell(place))
        if key in seen:
            raise reading.fail(f"two menus have the key {key!r}", spell(place))
        seen.add(key)
        place_ = record.slots.get("place")
        if place_ is not None:  # one that names no place is placed nowhere
            unread = [e for e in unread if e.value != "" or e.path != place_.key]
        menu = menu_of(reading, key, values, tuple(unread), place)
        if menu.named in ids:
            raise reading.fail(f"two menus have the id {menu.named!r}", spell(place))
        ids |= {menu.named} if menu.named else set()
        if values.get("audience", EVERYONE) != EVERYONE:
            reading.restricted[key] = values["audience"]
        named = key if place == "." else values.get("place", ())
        places = (named,) if isinstance(named, str) else tuple(named)
        reading.named_places[key] = tuple(name for name in places if name)
        found.append((menu, node))
    return found


def menus_of_pages(reading: Reading, extras: list[Extra]) -> list[tuple[Menu, Any]]:
    """Menus that are generated from pages."""
    encoding = reading.encoding
    pages = Pages(reading.profile, reading.shape, reading.tree, encoding, reading.fold_from)
    try:
        found = pages.menus(reading.items, set())
    except FormatError as error:
        raise reading.fail(error.message, spell(error.place)) from None
    extras += pages.unused()
    if encoding is not None:
        encoding.folded = pages.folded
    return found


def menus_of_paths(reading: Reading, theme: Theme | None) -> list[tuple[Menu, Any]]:
    """The menu that the paths of pages make, where the theme has one."""
    if theme is not None and theme.no_menus:
        return []
    return [(paths.menu_of(reading.contents, reading.hosts), None)]


def menu_of(
    reading: Reading, key: str, values: Values, extras: tuple[Extra, ...], place: str
) -> Menu:
    """A menu of the values of its record."""
    return Menu(
        id=key,
        key=key,
        title=values.get("title", ""),
        items=[],
        language=values.get("language"),
        saved=values.get("saved", True),
        owner="platform" if key in reading.profile.menus.platform else "site",
        rule=values.get("rule") or None,
        extras=extras,
        origin=place,
        named=str(values.get("id") or ""),
    )
