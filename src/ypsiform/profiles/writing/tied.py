"""Flat records of items, each with what ties it to the others, and records joined to them."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from ...model import Item, Menu, Rows, rows_of
from ...values import as_number
from ..records import Pairs
from ..sections import entry_id, entry_of, inner, set_at
from ..structures import Spot
from ..ties import IMPLIED
from .file import File, Place
from .ids import new_ids, same_places


def tie(file: File, entries: list[tuple[str, Any, Menu]], standing: list[tuple[str, Any]]) -> None:
    """Write flat records of items into their list, behind those that stand there and stay."""
    tie, shape, section = file.profile.items.tie, file.shape, file.paths.items
    assert section is not None
    menus = [menu for _, _, menu in entries]
    records = file.start(section)
    numbers: dict[Place, int] = {}
    kept: set[Place] = set()
    gone: set[Place] = set()
    if file.plan.own is not None:
        for menu in file.plan.own.menus:
            for thing in rows_of([menu]).things:
                panel = thing.panel if isinstance(thing, Item) else None
                columns = [column.origin for column in panel.columns] if panel else []
                if menu.key in file.plan.kept:
                    numbers[thing.origin] = thing.number
                    kept.update([thing.origin, *columns])
                else:
                    gone.update([thing.origin, *columns])
    ids: set[str] = set()
    staying: set[str] = set()
    old: list[tuple[Any, int | None]] = []
    for place, node in standing:
        if place in gone:
            continue
        old.append((node, numbers.get(place)))
        ident = str(inner(shape, node, tie.id or "") or "")
        ids.add(ident)
        staying.add(ident)
    ids |= _named_there(file, [node for node, _ in old], [node for _, node, _ in entries])
    rows = rows_of(menus)
    made = new_ids(file, rows, menus, ids)
    ids_of: dict[int, str] = {}
    joins: list[list[Any]] = [[] for _ in file.profile.items.joins]
    structure = _Structure(file, rows, menus, made)
    new: list[tuple[Any, Item]] = []
    lists = tie.lists
    for row, thing in enumerate(rows.things):
        assert isinstance(thing, Item)
        pairs = file.items.pairs(thing, structure.of(row), file.parts.get(id(thing)))
        ids_of[id(thing)] = _tied(file, menus[rows.menu[row]], made[row], structure.ways[row])
        if lists:
            below = [made[at] for at in _below(file, rows, row)]
            if below:
                pairs.append((tie.inside or "", _named(file, below)))
        _hold(file, pairs, rows, row)
        pairs = file.items.record.full(pairs, thing.extras)
        pairs = _apart(file, pairs, made[row], joins) if joins else pairs
        record = file.items.record.built(pairs)
        file.mark(record, section)
        new.append((record, thing))
    written: list[tuple[Any, Item | int | None]] = [*old, *new]
    if file.profile.container == "sqlite":
        from ...containers.sqlite import key_of

        # A table gives its rows in the order of its key; what has none comes behind.
        ordered = key_of(file.top, file.profile.items.at or "")
        if ordered is not None:
            written.sort(key=lambda pair: _rank(shape.step(pair[0], ordered)))
    for record, what in written:
        place = section.place(len(records), record)
        if isinstance(what, Item):
            file.number(what, place)
            if tied := ids_of.get(id(what)):
                file.given[place] = tied
        elif what is not None:
            file.lineage[1, "item", what] = place
        records.append(record)
    _implied_groups(file, numbers)
    if tie.lists:
        for at, (_, node, _) in enumerate(entries):
            top = [made[row] for row in rows.of_menu(at) if rows.parent[row] < 0]
            set_at(shape, node, tie.first or tie.inside or "", _named(file, top))
    section.write(shape, file.tree, records)
    _write_joins(file, joins, staying)


def _named_there(file: File, records: list[Any], made: list[Any]) -> set[str]:
    """Ids that what stays refers to: a new record with one of them would be taken for that.

    `made` are the records of menus that are written anew.
    """
    # Ids that nobody has, and somebody names, count as taken too.
    tie, shape = file.profile.items.tie, file.shape
    found: set[str] = set()
    lists = [(node, tie.inside or "") for node in records]
    if tie.lists:
        anew = {id(node) for node in made}
        menus = [node for node in file.menu_records if id(node) not in anew]
        lists += [(node, tie.first or tie.inside or "") for node in menus]
        for node, key in lists:
            names = inner(shape, node, key)
            for name in names if isinstance(names, list) else ():
                found.add(entry_id(tie, shape, name) or "")
        return found
    way = tie.number if tie.whole_way and not (tie.called_by_way or tie.of_labels) else None
    for node in records:
        for at in (tie.under, tie.follows, way):
            said = inner(shape, node, at) if at else None
            if said is not None:
                found.update(str(said).split(tie.between) if at == way else [str(said)])
    menus = file.plan.own.menus if file.plan.own is not None else []
    return found - {file.say(menu.key) for menu in menus}


def tie_inside(file: File, entries: list[tuple[str, Any, Menu]], inside: str) -> None:
    """Write flat records into the records of their menus."""
    tie = file.profile.items.tie
    taken: set[str] = set()
    if file.plan.own is not None:
        same_places(file, file.plan.own.menus)
        stay = [menu for menu in file.plan.own.menus if menu.key in file.plan.kept]
        taken = {thing.id for thing in rows_of(stay).things if isinstance(thing, Item)}
    for place, node, menu in entries:
        rows = rows_of([menu])
        made = new_ids(file, rows, [menu], taken)
        tied_by = _Structure(file, rows, [menu], made)
        written: dict[str, list[Any]] = {inside: []}
        written.update({tie.beside: []} if tie.beside else {})
        for row, thing in enumerate(rows.things):
            assert isinstance(thing, Item)
            structure = tied_by.of(row)
            # What stands beside the items and is part of no panel is still what it was.
            beside = [e for e in thing.extras if e.path == "#name"] if tie.beside else []
            column = "column" if beside and file.items.compiled.by_part.get("column") else None
            part = file.parts.get(id(thing)) or column
            extras = tuple(extra for extra in thing.extras if extra not in beside)
            said = replace(thing, extras=extras) if beside else thing
            pairs = file.items.pairs(said, structure, part)
            _hold(file, pairs, rows, row)
            named = beside[0].value if beside else dict(pairs).get("#name")
            name = tie.beside if tie.beside and named == tie.beside else inside
            pairs = [pair for pair in pairs if pair[0] != "#name"]
            records = written[name]
            here = f"{place}/{name}/{len(records)}"
            file.number(thing, here)
            if tied := _tied(file, menu, made[row], tied_by.ways[row]):
                file.given[here] = tied
            records.append(file.items.record.write(pairs, extras))
        for name, records in written.items():
            if file.shape.ALWAYS_TEXT:
                if records or inner(file.shape, node, name) is not None:
                    file.shape.replace(node, tuple(name.split("/")), records)
            else:
                set_at(file.shape, node, name, records)


def _implied_groups(file: File, numbers: dict[Place, int]) -> None:
    """Groups of labels without a record stand where the first of their records does."""
    for place, number in numbers.items():
        if place.startswith(IMPLIED):
            of, _, level = place[len(IMPLIED) :].rpartition(" ")
            if of in numbers:
                file.lineage[1, "item", number] = (
                    f"{IMPLIED}{file.lineage[1, 'item', numbers[of]]} {level}"
                )


def _named(file: File, ids: list[str]) -> list[Any]:
    """Ids as a list holds them."""
    tie = file.profile.items.tie
    whole = (tie.id or "") in file.profile.items.numbers
    named = [as_number(ident) for ident in ids] if whole else ids
    return [entry_of(tie, file.shape, ident) for ident in named]


def _tied(file: File, menu: Menu, made: str, way: str) -> str:
    """The id that a record is to be read back with; empty where reading makes it up."""
    tie = file.profile.items.tie
    if tie.id:
        return made
    # What is called by its place in an outline is called the same only in that place.
    return f"{menu.key} {way}" if tie.called_by_way else ""


def _hold(file: File, pairs: Pairs, rows: Rows, row: int) -> None:
    """Add the values of a record that others stand below, where it says nothing else."""
    tie = file.profile.items.tie
    if tie.with_ and tie.under is None and _below(file, rows, row):
        there = {key for key, _ in pairs}
        pairs += [(key, word) for key, word in tie.with_.items() if key not in there]


def _children(file: File, rows: Rows) -> dict[int, list[int]]:
    """The rows below each row that has any."""
    if file.children is None or file.children[0] is not rows:
        below: dict[int, list[int]] = {}
        for at, parent in enumerate(rows.parent):
            below.setdefault(parent, []).append(at)
        file.children = (rows, below)
    return file.children[1]


def _below(file: File, rows: Rows, row: int) -> list[int]:
    return _children(file, rows).get(row, [])


class _Structure:
    """What ties the records of items, in reading order: the keys and values of each."""

    def __init__(self, file: File, rows: Rows, menus: list[Menu], made: list[str]) -> None:
        tie = file.profile.items.tie
        self.file, self.tie, self.rows, self.menus, self.made = file, tie, rows, menus, made
        self.ways: list[str] = []
        # Asked for once, since a file may have a million records.
        self.between = tie.between if tie.whole_way else None
        self.within = tie.counts_within
        self.below = _children(file, rows) if rows.things else {}
        in_menu = tie.menu is not None or tie.under is None or tie.inside is not None
        in_menu = in_menu or file.profile.menus.one is not None
        self.bars: dict[int, str] = {}  # how items name each menu
        self.top = tie.top if in_menu else None
        self.with_ = list(tie.with_.items()) if tie.under is not None else []
        self.keys = tie.id, tie.menu, tie.under, tie.order, tie.follows, tie.number

    def of(self, row: int) -> Pairs:
        """The keys and values that tie the record of a row; those before it come first."""
        rows, made = self.rows, self.made
        parent, place, at_menu = rows.parent[row], rows.position[row] + 1, rows.menu[row]
        thing = rows.things[row]
        assert isinstance(thing, Item)
        within = len(rows.below(row)) if self.within else 0
        at, below = row - rows.menu_start[at_menu], len(self.below.get(row, ()))
        spot = Spot(place, rows.depth[row], made[row], thing.label, at, within, below)
        way = self.tie.said(spot)
        if parent >= 0 and self.between is not None:
            way = self.ways[parent] + self.between + way
        self.ways.append(way)
        ident, menu, under, order, follows, number = self.keys
        if at_menu not in self.bars:
            self.bars[at_menu] = self.file.say(self.menus[at_menu].key)
        bar = self.bars[at_menu]
        above = made[parent] if parent >= 0 else bar if self.top is None else self.top
        pairs: Pairs = []
        if ident:
            pairs.append((ident, made[row]))
        if menu:
            pairs.append((menu, bar))
        if under and above:
            pairs.append((under, above))
        if order:
            pairs.append((order, str(place)))
        if follows:
            last, key = self.file.last, (self.menus[at_menu].key, parent)
            before = last.get(key)
            last[key] = made[row]
            if before is not None:
                pairs.append((follows, before))
        if number:
            pairs.append((number, way))
        pairs += self.tie.more(spot)
        if parent >= 0:
            pairs += self.with_
        return pairs


def _apart(file: File, pairs: Pairs, ident: str, joins: list[list[Any]]) -> Pairs:
    """Take the keys of joined records out, and make these records of them."""
    names = {join.name: at for at, join in enumerate(file.profile.items.joins)}
    own: Pairs = []
    held: dict[tuple[int, str], Pairs] = {}
    for key, value in pairs:
        name, slash, rest = key.partition("/")
        if slash and name in names:
            said_at, _, lang = rest.rpartition("@")
            if said_at and file.profile.items.joins[names[name]].language:
                rest = said_at
            else:
                lang = ""
            held.setdefault((names[name], lang), []).append((rest, value))
        else:
            own.append((key, value))
    for (at, lang), said in held.items():
        join = file.profile.items.joins[at]
        shape = file.shape.of(join.at)
        node = shape.new()
        only = {**join.only, join.language: lang} if lang and join.language else join.only
        own_id = as_number(ident) if join.on in file.profile.items.numbers else ident
        for key, value in [(join.on, own_id), *only.items(), *said]:
            node = shape.add(node, key, value)
        joins[at].append(node)
    return own


def _write_joins(file: File, joins: list[list[Any]], staying: set[str]) -> None:
    for at, (join, made) in enumerate(zip(file.profile.items.joins, joins, strict=True)):
        section = file.paths.joins[at]
        records = file.start(section)
        if not file.fresh:
            for _, node in file.joined[at]:
                if str(inner(file.shape, node, join.on)) in staying:
                    records.append(node)
        records += made
        section.write(file.shape, file.tree, records)


def _rank(ident: Any) -> tuple[bool, int]:
    if type(ident) is str and re.fullmatch(r"-?[0-9]{1,19}", ident):
        return (False, int(ident))  # such a column makes numbers of them
    return (False, ident) if type(ident) is int else (True, 0)
