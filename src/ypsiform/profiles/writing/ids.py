"""The ids of items: the source's own where they fit, else made from them."""

from __future__ import annotations

import hashlib
import re

from msgspec.structs import replace

from ...model import Item, Menu, Rows, rows_of
from ..ties import IMPLIED
from .file import File


def new_ids(file: File, rows: Rows, menus: list[Menu], taken: set[str]) -> list[str]:
    """An id for each item; those that the source gives are taken first."""
    made: list[str] = []
    start, top = _start(file), file.profile.items.tie.top
    for row, thing in enumerate(rows.things):
        assert isinstance(thing, Item)
        ident = _id(file, thing, menus[rows.menu[row]], taken, start, top)
        taken.add(ident)
        made.append(ident)
    return made


def _start(file: File) -> str:
    """What the ids of a file's records start with."""
    start = file.profile.items.only.get(file.profile.items.tie.id or "", "*")
    return start[:-1] if start.endswith("*") else ""


def _id(file: File, item: Item, menu: Menu, taken: set[str], start: str, top: str) -> str:
    """An id that is the same in every run: the source's own if it fits, else made from it."""
    ident = item.id
    if ident not in taken and ident != top:
        if ident and ident in file.ids:
            return ident
        own = ident.removeprefix(start) if ident.startswith(start) else ""
        if own.isascii() and own.isdigit() and str(int(own[:16])) == own:
            return ident
    digest = hashlib.blake2s(f"{menu.key}\0{item.id}".encode(errors="replace")).digest()
    number = int.from_bytes(digest[:4], "big") % 900_000_000 + 100_000_000
    while f"{start}{number}" in taken:
        number += 1
    return f"{start}{number}"


def new_uid(file: File, item: Item, menu: Menu, taken: set[str]) -> str:
    """An id of letters or digits: the source's own if it fits, else made from it."""
    ident = item.id
    if ident and ident in file.ids and ident not in taken:
        taken.add(ident)
        return ident
    if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_-]{0,39}", ident) or ident in taken:
        ident = "i" + _id(
            file,
            replace(item, id=item.id + "/"),
            menu,
            set(),
            _start(file),
            file.profile.items.tie.top,
        )
        while ident in taken:
            ident += "x"
    taken.add(ident)
    return ident


def same_places(file: File, menus: list[Menu]) -> None:
    """Items of menus that stay are where they were, but for the place of their menu."""
    for at, menu in enumerate(menus):
        place = file.lineage.get((1, "menu", at))
        if place is None or menu.key not in file.plan.kept:
            continue
        for thing in rows_of([menu]).things:
            # A group of labels that has no record stands where the first of its records does.
            made = IMPLIED if thing.origin.startswith(IMPLIED) else ""
            where = thing.origin.removeprefix(made)
            moved = place + where[len(menu.origin) :] if place != "." else where
            file.lineage[1, "item", thing.number] = made + moved
