"""Flat records of items, tied into trees, and the records that are joined to them."""

from __future__ import annotations

from typing import Any

from ...containers.json import kind_of
from ...errors import FormatError
from ...findings import Finding, notice
from ...model import (
    Extra,
    Item,
    Menu,
)
from ..records import Pairs, Values
from ..sections import below, entry_id, inner, mixed, said_key
from ..ties import LISTED_AT, LISTED_UNDER, OF_MENU, Odd, Tied, owners
from ..trees import implied_place, spell
from .menus import menu_of
from .reader import Reading


def tied_items(reading: Reading, menus: list[tuple[Menu, Any]], extras: list[Extra]) -> None:
    """Fill menus with flat records; those of no menu are unread data."""
    # Twice over the records: the menu of one may be known only once all have been read.
    rule, tie = reading.profile.items, reading.profile.items.tie
    tied: dict[str, Tied] = {menu.key: Tied(menu) for menu, _ in menus}
    say = said_key(reading.profile)
    keys = {menu.named or say(menu.key): menu.key for menu, _ in menus}
    section = reading.paths.items
    held: dict[str, str] | None = None
    if tie.in_menus and tie.inside:
        records, held = _held(reading, menus, tie.inside)
    else:
        records = reading.records(section) if section else []
    joined = _joined(reading, extras, records)
    read: list[tuple[str, Any, Item, Values]] = []
    # The end of the place of a record with another name, but for its number.
    mark = f"/{tie.beside}/" if tie.beside else None
    far = -len(mark or "") - 10
    for place, node in records:
        if not isinstance(node, dict):
            raise reading.fail(f"found {kind_of(node)} where a mapping is needed", spell(place))
        beside = mark is not None and mark in place[far:]
        more = joined.get(place, ()) if joined else ()
        if beside or more:
            pairs = [*reading.items.record.pairs(node), *more]
            if beside:
                pairs.insert(0, ("#name", tie.beside))
            item, values = reading.item(pairs, place)
        else:
            item, values = reading.item_at(node, place)
        read.append((place, node, item, values))
    owner = held
    one, named_by = reading.profile.menus.one, tie.menu or ""
    if owner is None and (tie.lists or not one):
        owner = _owners(reading, keys, menus, read)
        if one and owner is not None and any(owner.values()):
            one = None  # the document lists its topmost items: others are in no menu
    implied = reading.paths.menus is None
    for place, node, item, values in read:
        key = one or (owner[place] if owner is not None else values.get(named_by, ""))
        key = keys.get(key, key)
        if implied and key and key not in tied:
            menu = menu_of(reading, key, {}, (), implied_place(key))
            menus.append((menu, None))
            tied[key] = Tied(menu)
        here = tied.get(key) if tie.is_item(values) else None
        if here is None:
            extras.append(reading.whole_record(rule.at or "", node, extras))
            continue
        try:
            here.tie(tie, item, values, place)
        except FormatError as error:
            known = values.get(tie.id or "")
            name = f"{rule.word} {known}" if known else spell(place)
            raise reading.fail(error.message, name) from None
    for here in tied.values():
        reading.notices += [_odd(reading, odd) for odd in here.build()]


def _held(
    reading: Reading, menus: list[tuple[Menu, Any]], inside: str
) -> tuple[list[tuple[str, Any]], dict[str, str]]:
    """The records that stand in their menus, and for the place of each the key of its menu."""
    records: list[tuple[str, Any]] = []
    owner: dict[str, str] = {}
    for menu, node in menus:
        above = f"{menu.origin}/{inside}"
        tie = reading.profile.items.tie
        try:
            found = [(f"{inside}/{name}", r) for name, r in below(reading.shape, tie, node, inside)]
        except FormatError as error:
            raise reading.fail(error.message, spell(above)) from None
        if tie.beside:
            found = mixed(reading.shape, node, (inside, tie.beside))
        for name, record in found:
            records.append((f"{menu.origin}/{name}", record))
            owner[records[-1][0]] = menu.key
    return records, owner


def _owners(
    reading: Reading,
    keys: dict[str, str],
    menus: list[tuple[Menu, Any]],
    read: list[tuple[str, Any, Item, Values]],
) -> dict[str, str] | None:
    """The menu of each record, by place, where records do not name it themselves.

    `keys`: the key of each menu by what records say for it. What a record stands under then
    becomes `top` where that is the menu.
    """
    tie = reading.profile.items.tie
    above = tie.under or ""
    if tie.lists:
        _listed(reading, menus, read)
        above = LISTED_UNDER
    elif tie.under is None or tie.menu is not None:
        return None
    under = {v.get(tie.id or "", place): v.get(above, "") for place, _, _, v in read}
    # A menu and an item may have one id, where lists name the items.
    mark = OF_MENU if tie.lists else ""
    names = {mark + key for key in keys}
    found = owners(under, names)
    owner: dict[str, str] = {}
    for place, _, _, values in read:
        owner[place] = found.get(values.get(tie.id or "", place), "").removeprefix(mark)
        if values.get(above) in names:
            values[above] = tie.top
    return owner


def _listed(
    reading: Reading, menus: list[tuple[Menu, Any]], read: list[tuple[str, Any, Item, Values]]
) -> None:
    """Say of each record what lists it, and where in that list, as if it had said so itself."""
    tie = reading.profile.items.tie
    under: dict[str, tuple[str, int]] = {}
    say = said_key(reading.profile)
    holders = [
        (OF_MENU + (menu.named or say(menu.key)), node, tie.first or tie.inside or "")
        for menu, node in menus
    ]
    holders += [(v.get(tie.id or "", p), node, tie.inside or "") for p, node, _, v in read]
    for ident, node, key in holders:
        listed = inner(reading.shape, node, key)
        if listed is None:
            head = key.rpartition("/")[0]
            above = inner(reading.shape, node, head) if head else None
            if above is not None and not isinstance(above, dict):
                where = f"{ident.removeprefix(OF_MENU)}.{spell(head)}"
                raise reading.fail(f"found {kind_of(above)} where a mapping is needed", where)
            continue
        if not isinstance(listed, list):
            where = f"{ident.removeprefix(OF_MENU)}.{key}"
            raise reading.fail(f"found {kind_of(listed)} where a list is needed", where)
        for rank, name in enumerate(listed):
            found = entry_id(tie, reading.shape, name)
            if found is None:
                place = f"{ident.removeprefix(OF_MENU)}.{spell(key)}[{rank}]"
                wanted = tie.each or "an id"
                raise reading.fail(f"found {name!r} where {wanted} is needed", place)
            under.setdefault(found, (ident, rank))
    for place, _, _, values in read:
        parent, rank = under.get(values.get(tie.id or "", place), ("", 0))
        values[LISTED_UNDER], values[LISTED_AT] = parent, str(rank)


def _joined(
    reading: Reading, extras: list[Extra], records: list[tuple[str, Any]]
) -> dict[str, Pairs]:
    """For the place of each record the keys and values of the records joined to it."""
    found: dict[str, Pairs] = {}
    ident = reading.profile.items.tie.id or ""
    for join, section in zip(reading.profile.items.joins, reading.paths.joins, strict=True):
        # By the id of an item, and the language where records have one: those that are left.
        by_key: dict[tuple[str, str], list[Any]] = {}
        langs: dict[str, None] = {}
        for _, node in reading.records(section):
            spoken = inner(reading.shape, node, join.language) if join.language else None
            lang = str(spoken) if spoken else ""
            langs.setdefault(lang)
            key = str(inner(reading.shape, node, join.on)), lang
            by_key.setdefault(key, []).append(node)
        own = join.only.get(join.language or "", "")
        for place, node in records:
            name = str(inner(reading.shape, node, ident))
            for lang in langs:
                more = by_key.get((name, lang))
                if not more:
                    continue
                skip = {join.on, join.language, *join.only}
                mark = f"@{lang}" if lang not in ("", own) else ""
                found.setdefault(place, []).extend(
                    (f"{join.name}/{key}{mark}", value)
                    for key, value in reading.shape.pairs(more.pop(0))
                    if key not in skip
                )
        for left in by_key.values():
            for node in left:
                extras.append(reading.whole_record(join.at, node, extras))
    return found


def _odd(reading: Reading, odd: Odd) -> Finding:
    return notice(
        odd.code,
        menu=odd.menu.id,
        menu_name=odd.menu.title or odd.menu.key,
        item=odd.item.id,
        path=(odd.item.label,),
        before=odd.parent,
        after=odd.above,
        origin=f"{reading.file}: {reading.profile.items.word} {odd.item.id}",
    )
