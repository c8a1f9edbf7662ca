"""Writing: a fitted site into a neutral tree, by the same rules that read one, backwards.

The tree starts from what is already there (an export of the destination, or the source itself
where a platform is converted to itself), so that whatever is not concerned stays as it is.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from .codecs import chain
from .records import RecordRule, plain
from .schema import Profile
from .sections import Section, set_at
from .writing.file import File, Lineage, Place, Plan
from .writing.locations import write_locations
from .writing.menus import write_menus
from .writing.nested import nest
from .writing.pages import write_pages
from .writing.panels import unfold_panels
from .writing.tied import tie, tie_inside


class Written(Struct):
    """The tree to write, and where each record of the source and of the base went in it.

    `tree` is given up once its bytes are there, for it is as large as all the rest.
    `stayed`: the number of records of panels beside the menus that stay as they were; `ids` are
    those that items were given, by their place.
    """

    tree: Any
    lineage: Lineage
    stayed: int
    ids: dict[Place, str]


def tree_of(base: Any, profile: Profile, plan: Plan) -> Written:
    """Write what is planned, by the rules of a profile. The plan stays as it is."""
    file = File(base, profile, plan)
    _write(file)
    return Written(file.top, file.lineage, file.stayed, file.given)


def _write(file: File) -> None:
    _site(file)
    if file.fresh:
        for section in file.paths.content:
            if section.find is None:
                section.write(file.shape, file.tree, [])
    for removed in file.plan.removed:
        file.shape.replace(file.tree, tuple(removed.split("/")), [])
    if file.theme is not None and file.theme.no_menus:
        _list_addresses(file)
        return
    unfold_panels(file)
    if file.profile.items.pages is not None:
        write_locations(file)
        write_pages(file)
        return
    standing_menus, standing_items = _standing(file)
    entries = write_menus(file, standing_menus)
    standing_menus = []  # those that were written anew hold what their items were, which goes now
    write_locations(file)
    rule = file.profile.items.tie
    if rule.nests:
        nest(file, entries)
    elif rule.in_menus and rule.inside:
        tie_inside(file, entries, rule.inside)
    else:
        tie(file, entries, standing_items)
    if file.paths.menus is not None and file.paths.menus.keyed is not None:
        # Records by name are copies: only now is all in them.
        file.paths.menus.write(file.shape, file.tree, file.menu_records)


def _list_addresses(file: File) -> None:
    """Add a record of a content for each address that none has yet."""
    rule, section = file.profile.content[0], file.paths.content[0]
    record = RecordRule(file.shape.of(rule.at), rule.fields)
    records = [node for _, node in section.read(file.shape, file.tree)]
    slot = record.slots["path"]
    for address in file.plan.addresses:
        records.append(record.write([(slot.key, slot.encode(address))]))
    section.write(file.shape, file.tree, records)


def _standing(file: File) -> tuple[list[tuple[str, Any]], list[tuple[str, Any]]]:
    """The menus and items that are there; where they share a list, they are taken out of it."""
    paths = file.paths
    written = [section for section in (paths.menus, paths.items, *paths.joins) if section]
    if file.fresh:
        return [], []
    found = {id(section): section.read(file.shape, file.tree) for section in written}
    for section in written:
        if section.only and section.path not in file.others:
            mine = [s for s in written if s.path == section.path]
            claimed = {place for s in mine for place, _ in found[id(s)]}
            every = Section(section.at, {}, section.keyed).read(file.shape, file.tree)
            file.others[section.path] = [n for place, n in every if place not in claimed]
    file.joined = [found[id(section)] for section in paths.joins]
    return (
        found[id(paths.menus)] if paths.menus else [],
        found[id(paths.items)] if paths.items else [],
    )


def _site(file: File) -> None:
    shape = file.shape
    facts = {
        "address": file.plan.address,
        "language": file.plan.language or None,
        "theme": file.plan.theme,
    }
    for name, short in file.profile.site.fields.items():
        rule = plain(short)
        if name == "theme" and file.fresh:
            continue  # set when its section is made, to keep the sections in order
        value = rule.is_ if rule.is_ is not None else facts.get(name)
        if value is not None and rule.through:
            others = file.plan.own.languages[1:] if file.plan.own is not None else ()
            value = chain(rule.through, name)[1]((value, *others))
        if value is None or not (file.fresh or name == "theme"):
            continue
        set_at(shape, file.tree, rule.at, value)
