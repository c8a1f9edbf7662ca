"""The file that is being written: what is planned, and where everything went so far."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from ... import refs
from ...containers import Shape
from ...encodings import Encoding
from ...model import NOWHERE, Item, Location, Menu, Rows, Site, rows_of
from ...modes import Mode
from ..files import new_tree, shape_of
from ..items import Items
from ..schema import Profile, Theme
from ..sections import Section, Sections, inner, said_key, set_at

Place = str
"""A path in a tree, as `menus/0/items/3`."""

Lineage = dict[tuple[int, str, int], Place]
"""Where each record went: (side, `item` or `menu`, number) to a place in the written tree.

Side 0 is the source, 1 what stood at the destination, 2 what a rule made.
"""


class Plan(Struct, kw_only=True):
    """What to write.

    `made` are menus with their number on the source's side (below 0 where a rule made them), and
    what they replace (a key of the base); `kept` are keys of the base's menus that stay;
    `placements` give the menus of each location that changes; `removed` are sections of the base
    that go.
    `own` is the base as it was read.
    `fills`: keys of generated menus whose pages show what replaces them; `stays`: of those whose
    pages show what they did.
    `parts`: for the key of a menu those of its parts, where panels in a sequence split it.
    `addresses`: what is written as contents where files hold no menus. `restores`: the locations of
    a file that is made again from its site.
    """

    mode: Mode
    made: list[tuple[int, Menu, str | None]]
    kept: set[str] = set()
    placements: dict[str, tuple[str, ...]]
    removed: list[str] = []
    theme: str | None
    address: str
    language: str
    own: Site | None
    fills: frozenset[str] = frozenset()
    stays: frozenset[str] = frozenset()
    addresses: Sequence[str] = ()
    restores: Sequence[Location] = ()
    parts: Mapping[str, Sequence[str]] = {}


class File:
    """One file on its way: the tree that is written, and what the sections share."""

    def __init__(self, base: Any, profile: Profile, plan: Plan) -> None:
        self.profile, self.plan = profile, plan
        # Panels are taken out of their items on the way: of copies, for the plan is not ours.
        self.made = [
            (number, replace(menu, items=[replace(item) for item in menu.items]), old)
            for number, menu, old in plan.made
        ]
        self.given: dict[Place, str] = {}
        self.shape: Shape = shape_of(profile)
        self.paths = Sections(profile)
        self.fresh = base is None
        self.menu_records: list[Any] = []
        self.top = new_tree(profile) if base is None else base
        self.tree = self.shape.root(self.top)
        self.lineage: Lineage = {}
        self.theme: Theme | None = profile.theme(plan.theme)
        self.items = Items.of(profile, self.shape, plan.theme)
        self.items.language = plan.language or "en"
        self.items.name_by_key(plan.own.contents if plan.own else ())
        self.menu_ids = menu_ids(profile, plan)
        self.said_key = said_key(profile)
        self.ids: set[str] = set()
        if plan.own is not None and plan.mode.keeps_ids:
            things = rows_of(plan.own.menus).things
            self.ids = {thing.id for thing in things if isinstance(thing, Item)}
        self.parts: dict[int, str] = {}
        self.encoding: Encoding | None = None
        # The lists of panels that are menus here, each with its heading.
        self.lists: list[tuple[Menu, Item | None]] = []
        self.stayed = 0
        # The items that panels of pages open from.
        self.of_pages: list[Item] = []
        # The id of the item that was written last in a menu below another one.
        self.last: dict[tuple[str, int], str] = {}
        # What stands for a menu in the sequence of its location.
        self.entries_of: dict[str, list[Any]] = {}
        # The numbers of menus that have no record, with where they stand.
        self.unstored: dict[int, str] = {}
        # Lists that several rules share: what belongs to none of those that are written anew.
        self.others: dict[tuple[str, ...], list[Any]] = {}
        # What stands below each row of a menu, of the rows that were asked for last.
        self.children: tuple[Rows, dict[int, list[int]]] | None = None
        # The records that are joined to those of items, as they stand.
        self.joined: list[list[tuple[str, Any]]] = []

    def say(self, key: str) -> str:
        """How items name the menu with a key."""
        return self.menu_ids.get(key) or self.said_key(key)

    def start(self, section: Section) -> list[Any]:
        """The records that a section's own are written behind."""
        if not section.only:
            return []
        return self.others.setdefault(section.path, [])

    def numbered(self, which: int, where: Place) -> None:
        """Note where a block went, or an item, by its number alone."""
        self.number(Item("", "", NOWHERE, number=which), where)

    def mark(self, node: Any, section: Section) -> None:
        """Give a new record the values by which its rule knows it."""
        for key, value in section.only.items():
            shape = self.shape.of(section.at)
            if not value.endswith("*") and inner(shape, node, key) is None:
                set_at(shape, node, key, value)

    def went(self, number: int, place: Place) -> None:
        """Note where a menu went: one of the source, or one that a rule made."""
        self.lineage[(0, "menu", number) if number >= 0 else (2, "menu", number)] = place

    def number(self, item: Item, place: Place) -> None:
        """Note where an item went, by its reference."""
        if item.number >= 0:
            self.lineage[refs.SOURCE, "item", item.number] = place
        elif (there := refs.meant(item.number)) is not None:
            self.lineage[there.side, "item", there.row] = place


def menu_ids(profile: Profile, plan: Plan) -> dict[str, str]:
    """For the key of each menu the id that items name it by; none where that is the key itself.

    A menu keeps the id that it has; one without any gets the next number.
    """
    if "id" not in profile.menus.fields:
        return {}
    own = {menu.key: menu.named for menu in plan.own.menus} if plan.own is not None else {}
    found = {key: own[key] for key in plan.kept if own.get(key)}
    stay = plan.mode.keeps_ids
    for _, menu, old in plan.made:
        there = own.get(old) if old else (own.get(menu.key) if stay else None)
        if there:
            found[menu.key] = there
    taken = {*own.values(), *found.values()}
    number = max((int(ident) for ident in taken if ident.isascii() and ident.isdigit()), default=0)
    for _, menu, _ in plan.made:
        if menu.key not in found:
            number += 1
            found[menu.key] = str(number)
    return found
