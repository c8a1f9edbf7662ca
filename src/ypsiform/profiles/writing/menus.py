"""Menus: their records, those of menus that stay, and of the lists of panels that are menus."""

from __future__ import annotations

from typing import Any

from ...model import Item, Menu
from ..gathered import KEY
from ..records import Pairs, RecordRule, marks_of, plain
from ..sections import Section, inner, set_at
from ..trees import implied_place
from .file import File


def write_menus(file: File, standing: list[tuple[str, Any]]) -> list[tuple[str, Any, Menu]]:
    """Write the records of menus. Returns those made: their place, record and menu."""
    section = file.paths.menus
    if section is None:
        return _implied_menus(file)
    profile, shape = file.profile, file.shape
    rule = profile.kept(
        "menus to write",
        lambda: RecordRule(
            shape.of(section.at),
            profile.menus.fields,
            embedded=profile.menus.embedded,
            serialised=profile.menus.serialised,
            composed=profile.menus.composed,
            marks=marks_of(section.only),
        ),
    )
    if not section.path:
        return _only_menu(file, rule)
    replaced = {old: (number, menu) for number, menu, old in file.made if old}
    records = file.start(section)
    entries: list[tuple[str, Any, Menu]] = []
    base_menus = file.plan.own.menus if file.plan.own else []
    index = {menu.origin: at for at, menu in enumerate(base_menus)}
    lists = {menu.key: (menu, heading) for menu, heading in file.lists}
    new_ones = {number: menu for number, menu, old in file.made if not old}
    stay = file.plan.mode.keeps_ids  # the menus of a file that is written anew stand where they did
    steps: list[tuple[str, Any, int]] = [(origin, node, -1) for origin, node in standing]
    steps += [("", None, number) for number in new_ones]
    if profile.gathered:  # they are read in the order in which the profile names their lists
        ranks = {name: at for at, name in enumerate(profile.gathered)}
        keys = [new_ones[number].key if node is None else node[KEY] for _, node, number in steps]
        order = sorted(range(len(steps)), key=lambda at: ranks.get(keys[at], len(ranks)))
        steps = [steps[at] for at in order]
    for origin, node, number in steps:
        if node is None:
            made = new_ones.pop(number, None)  # None: it stands where one stood before
            if made is not None and number in file.unstored:
                file.went(number, file.unstored[number])
            elif made is not None:
                entries.append(_new(file, rule, section, records, number, made))
            continue
        at = index.get(origin, -1)  # lists and parts that were read as one are no menus
        key = base_menus[at].key if at >= 0 else ""
        listed = stay and at < 0 and bool(lists)
        named = inner(shape, node, rule.slots["key"].key) if listed else None
        if isinstance(named, str) and named in lists:
            menu, heading = lists.pop(named)  # it stays where it was
            entries.append(_list(file, rule, section, records, menu, heading))
            continue
        if stay and at in new_ones:
            entries.append(_new(file, rule, section, records, at, new_ones.pop(at)))
            continue
        place = section.place(len(records), node)
        if key in replaced:
            old, new = replaced[key]
            file.went(old, place)
            file.lineage[1, "menu", at] = place
            if "place" in rule.slots:
                _put_place(file, rule, node, new)
            if "audience" in rule.slots:  # who saw the old items is no matter now
                shape.put(node, rule.slots["audience"].key, None)
            entries.append((place, node, new))
            records.append(node)
        elif key in file.plan.kept:
            file.lineage[1, "menu", at] = place
            if "place" in rule.slots:
                _put_place(file, rule, node, base_menus[at])
            records.append(node)
    for menu, heading in lists.values():
        entries.append(_list(file, rule, section, records, menu, heading))
    section.write(shape, file.tree, records)
    file.menu_records = records
    return entries


def _new(
    file: File, rule: RecordRule, section: Section, records: list[Any], number: int, menu: Menu
) -> tuple[str, Any, Menu]:
    """Add the record of a menu that has none yet."""
    node = rule.write(_menu_pairs(file, rule, menu), menu.extras)
    file.mark(node, section)
    place = section.place(len(records), node)
    file.went(number, place)
    records.append(node)
    return place, node, menu


def _list(
    file: File,
    rule: RecordRule,
    section: Section,
    records: list[Any],
    menu: Menu,
    heading: Item | None,
) -> tuple[str, Any, Menu]:
    """Add the record of a list of a panel that is a menu."""
    node = rule.write(_menu_pairs(file, rule, menu), menu.extras)
    place = section.place(len(records), node)
    if heading is not None:
        file.number(heading, place)
    records.append(node)
    return place, node, menu


def _only_menu(file: File, rule: RecordRule) -> list[tuple[str, Any, Menu]]:
    """The document itself is the one menu."""
    if file.plan.own is not None and file.plan.own.menus[0].key in file.plan.kept:
        file.lineage[1, "menu", 0] = "."
        return []
    entries = []
    for number, menu, old in file.made[:1]:
        for key, value in _menu_pairs(file, rule, menu):
            set_at(file.shape, file.tree, key, value)
        file.went(number, ".")
        if old:
            file.lineage[1, "menu", 0] = "."
        entries.append((".", file.tree, menu))
    return entries


def _put_place(file: File, rule: RecordRule, node: Any, menu: Menu) -> None:
    slot = rule.slots["place"]
    places = _places_of(file, menu)
    if places is not None:
        shape = file.shape.of(file.profile.menus.at or "")
        held = inner(shape, node, slot.key)
        blank = isinstance(held, str) and not held.strip()  # it names none, and may stay
        if places or (held is not None and not blank):
            set_at(shape, node, slot.key, slot.encode(places) if places else None)


def _places_of(file: File, menu: Menu) -> Any:
    """The locations of a menu where menus name them; None where they are as they were."""
    if file.profile.locations.form != "menus" or "place" not in file.profile.menus.fields:
        return None
    now = [name for name, menus in file.plan.placements.items() if menu.id in menus]
    own = file.plan.own
    was = own.placements().get(menu.id, []) if own else []
    now += [p.name for p in was if p.name not in file.plan.placements]
    listed = plain(file.profile.menus.fields["place"]).through
    return tuple(now) if listed else next(iter(now), "")


def _implied_menus(file: File) -> list[tuple[str, Any, Menu]]:
    """Menus without records: they are where their items name them."""
    at = {menu.key: n for n, menu in enumerate(file.plan.own.menus)} if file.plan.own else {}
    for key in file.plan.kept:
        file.lineage[1, "menu", at[key]] = implied_place(key)
    entries: list[tuple[str, Any, Menu]] = []
    for number, menu, old in file.made:
        file.went(number, implied_place(menu.key))
        if old:
            file.lineage[1, "menu", at[old]] = implied_place(menu.key)
        entries.append((implied_place(menu.key), None, menu))
    return entries


def _menu_pairs(file: File, rule: RecordRule, menu: Menu) -> Pairs:
    values = {
        "key": menu.key,
        "id": file.menu_ids.get(menu.key),
        "title": menu.title,
        "saved": menu.saved,
        "rule": menu.rule,
        "language": menu.language,
        "place": _places_of(file, menu) or None,
    }
    pairs: Pairs = []
    for slot in rule.slots.values():
        value = values.get(slot.name)
        if value is not None and (slot.standard is None or value != slot.standard):
            pairs.append((slot.key, slot.encode(value)))
    return pairs
