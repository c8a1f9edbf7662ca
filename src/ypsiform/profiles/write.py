"""Writing: a fitted site into a neutral tree, by the same rules that read one, backwards.

The tree starts from what is already there (an export of the destination, or the source itself
where a platform is converted to itself), so that whatever is not concerned stays as it is.
"""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from .. import refs
from ..containers import FORMATS, Shape
from ..encodings import Encoding, encoding_of
from ..encodings.base import ToWrite, records_at
from ..encodings.layout import sections_of
from ..encodings.sequence import key_of, key_of_run
from ..errors import RefusedError
from ..model import NOWHERE, Item, Location, Menu, Rows, Site, rows_of
from ..modes import Mode
from ..values import as_number
from .codecs import chain
from .files import new_tree, shape_of
from .items import Items
from .pages import Pages
from .places import offered, places_of, sequences_of
from .read import implied_place
from .records import Pairs, RecordRule, marks_of, plain
from .schema import PlaceRule, Profile, Theme
from .sections import Section, Sections, entry_id, entry_of, inner, said_key, set_at
from .structures import Spot
from .ties import IMPLIED

Place = str
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


class Written(NamedTuple):
    """The tree to write, and where each record of the source and of the base went in it.

    `stayed`: the number of records of panels beside the menus that stay as they were; `ids` are
    those that items were given, by their place.
    """

    tree: Any
    lineage: Lineage
    stayed: int
    ids: dict[Place, str]


def tree_of(base: Any, profile: Profile, plan: Plan) -> Written:
    """Write what is planned, by the rules of a profile. The plan stays as it is."""
    writer = _Writer(base, profile, plan)
    return Written(*writer.write(), writer.stayed, writer.given)


class _Writer:
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
        self.items = Items(profile, self.shape, plan.theme)
        self.items.language = plan.language or "en"
        self.items.name_by_key(plan.own.contents if plan.own else ())
        self.say = said_key(profile)
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
        self._last: dict[tuple[str, int], str] = {}
        # What stands for a menu in the sequence of its location.
        self.entries_of: dict[str, list[Any]] = {}
        # The numbers of menus that have no record, with where they stand.
        self.unstored: dict[int, str] = {}
        # Lists that several rules share: what belongs to none of those that are written anew.
        self.others: dict[tuple[str, ...], list[Any]] = {}

    def write(self) -> tuple[Any, Lineage]:
        self._site()
        if self.fresh:
            for section in self.paths.content:
                if section.find is None:
                    section.write(self.shape, self.tree, [])
        for removed in self.plan.removed:
            self.shape.replace(self.tree, tuple(removed.split("/")), [])
        if self.theme is not None and self.theme.no_menus:
            self._list_addresses()
            return self.top, self.lineage
        self._unfold()
        if self.profile.items.pages is not None:
            self._locations()
            self._pages()
            return self.top, self.lineage
        standing_menus, standing_items = self._standing()
        entries = self._menus(standing_menus)
        self._locations()
        tie = self.profile.items.tie
        if tie.nests:
            self._nest_all(entries)
        elif tie.in_menus and tie.inside:
            self._tie_inside(entries, tie.inside)
        else:
            self._tie(entries, standing_items)
        if self.paths.menus is not None and self.paths.menus.keyed is not None:
            # Records by name are copies: only now is all in them.
            self.paths.menus.write(self.shape, self.tree, self.menu_records)
        return self.top, self.lineage

    def _list_addresses(self) -> None:
        """Add a record of a content for each address that none has yet."""
        rule, section = self.profile.content[0], self.paths.content[0]
        record = RecordRule(self.shape.of(rule.at), rule.fields)
        records = [node for _, node in section.read(self.shape, self.tree)]
        slot = record.slots["path"]
        for address in self.plan.addresses:
            records.append(record.write([(slot.key, slot.encode(address))]))
        section.write(self.shape, self.tree, records)

    def _standing(self) -> tuple[list[tuple[str, Any]], list[tuple[str, Any]]]:
        """The menus and items that are there; where they share a list, they are taken out of it."""
        paths = self.paths
        written = [section for section in (paths.menus, paths.items, *paths.joins) if section]
        if self.fresh:
            return [], []
        found = {id(section): section.read(self.shape, self.tree) for section in written}
        for section in written:
            if section.only and section.path not in self.others:
                mine = [s for s in written if s.path == section.path]
                claimed = {place for s in mine for place, _ in found[id(s)]}
                every = Section(section.at, {}, section.keyed).read(self.shape, self.tree)
                self.others[section.path] = [n for place, n in every if place not in claimed]
        self.joined = [found[id(section)] for section in paths.joins]
        return (
            found[id(paths.menus)] if paths.menus else [],
            found[id(paths.items)] if paths.items else [],
        )

    def _start(self, section: Section) -> list[Any]:
        """The records that a section's own are written behind."""
        if not section.only:
            return []
        return self.others.setdefault(section.path, [])

    def _site(self) -> None:
        shape = self.shape
        facts = {
            "address": self.plan.address,
            "language": self.plan.language or None,
            "theme": self.plan.theme,
        }
        for name, short in self.profile.site.fields.items():
            rule = plain(short)
            if name == "theme" and self.fresh:
                continue  # set when its section is made, to keep the sections in order
            value = rule.is_ if rule.is_ is not None else facts.get(name)
            if value is not None and rule.through:
                others = self.plan.own.languages[1:] if self.plan.own is not None else ()
                value = chain(rule.through, name)[1]((value, *others))
            if value is None or not (self.fresh or name == "theme"):
                continue
            set_at(shape, self.tree, rule.at, value)

    # Menus and items

    def _unfold(self) -> None:
        """Panels as items, before anything is written of menus, listed or implied."""
        self.encoding = encoding_of(self.profile.panels_of(self.plan.theme))
        self._leave_beside()
        encoding = self.encoding
        if encoding is None:
            return
        encoding.language, encoding.said = self.items.language, self.items.said_in
        if encoding.of_pages:
            for _, menu, _ in self.made:
                self.of_pages += [item for item in menu.items if item.panel is not None]
                menu.items = [self._sections(item) for item in menu.items]
        elif encoding.beside:
            self._write_beside(encoding)
        else:
            for _, menu, _ in self.made:
                menu.items = [encoding.unfold(item, self.parts) for item in menu.items]

    def _write_beside(self, encoding: Encoding) -> None:
        """Write panels into records beside the menus, and what they split off as menus."""
        rule = encoding.rule
        records = self._unread_at(rule.records_at)
        before = len(records)
        place = PlaceRule("")
        if encoding.splits:
            known = places_of(self.profile, self.theme)
            place = next(one for one in known if one.name == rule.shown_at)
        # The id of an item is the key of a panel only where it was one before.
        was = self.plan.mode in (Mode.AS_IT_STANDS, Mode.RESTORED)
        encoding.menus_to_write(
            ToWrite(
                menus=[(number, menu) for number, menu, _ in self.made],
                records=records,
                number=self._numbered,
                lists=self.lists,
                entries=self.entries_of,
                unstored=self.unstored,
                runs=self._runs(place) if encoding.splits else {},
                parts=self.plan.parts,
                keys=self.ids if was else (),
                menu_key=place.sequence or "",
            )
        )
        self._put_records(rule.records_at, records, before)

    def _numbered(self, which: int, where: Place) -> None:
        """Note where a block went, or an item, by its number alone."""
        self._number(Item("", "", NOWHERE, number=which), where)

    def _unread_at(self, path: str) -> list[Any]:
        """The records of a list that were not read and that stay."""
        if self.plan.own is None or path in self.plan.removed:
            return []
        return records_at(self.plan.own, path)

    def _leave_beside(self) -> None:
        """Take out what was read as panels of a theme that the file is no longer for."""
        now = self.profile.panels_of(self.plan.theme)
        for theme in self.profile.themes.values():
            rule = theme.panels
            if rule is None or rule == now or not rule.records_at:
                continue
            was = self.shape.step(self.tree, rule.records_at)
            left = self._unread_at(rule.records_at)
            if isinstance(was, list) and len(was) != len(left):
                self.shape.put(self.tree, rule.records_at, left)

    def _runs(self, place: PlaceRule) -> dict[str, str]:
        """The menus that are nothing but panels, without a record, with where each one stands.

        They are read so again only where no menu takes the panels: one beside them that is shown
        here alone would.
        """
        made = {menu.key: menu for _, menu, _ in self.made}
        here = self.plan.placements.get(place.name, ())
        shown = Counter(key for menus in self.plan.placements.values() for key in menus)
        every = [item.panel for menu in made.values() for item in menu.items]
        taken = {key for key, menu in made.items() if menu.stored} | self.plan.kept
        taken |= {key for keys in self.plan.parts.values() for key in keys}
        taken |= {key_of(panel) for panel in every if panel is not None}
        found: dict[str, str] = {}
        for at, key in enumerate(here):
            menu = made.get(key)
            if menu is None or menu.stored:
                continue
            beside = [*here[max(at - 1, 0) : at], *here[at + 1 : at + 2]]
            alone = all(shown[other] > 1 and other not in found for other in beside)
            panels_only = all(item.panel is not None for item in menu.items)
            if not (alone and panels_only and menu.items and shown[key] == 1):
                continue
            if key != key_of_run(place.key or place.name, taken):
                continue
            taken.add(key)
            found[key] = f"{self.profile.locations.at}/{place.name}/{at - len(found)}"
        return found

    def _put_records(self, at: str, records: list[Any], before: int) -> None:
        """Write the records of panels beside the menus, where there are new ones or fewer."""
        self.stayed = before
        was = self.shape.step(self.tree, at)
        if len(records) > before or (isinstance(was, list) and len(was) != len(records)):
            self.shape.put(self.tree, at, records)

    def _menus(self, standing: list[tuple[str, Any]]) -> list[tuple[str, Any, Menu]]:
        """Write the records of menus. Returns those made: their place, record and menu."""
        section = self.paths.menus
        if section is None:
            return self._implied_menus()
        profile, shape = self.profile, self.shape
        rule = RecordRule(
            shape.of(section.at),
            profile.menus.fields,
            embedded=profile.menus.embedded,
            composed=profile.menus.composed,
            marks=marks_of(section.only),
        )
        if not section.path:
            return self._only_menu(rule)
        replaced = {old: (number, menu) for number, menu, old in self.made if old}
        records = self._start(section)
        entries: list[tuple[str, Any, Menu]] = []
        base_menus = self.plan.own.menus if self.plan.own else []
        index = {menu.origin: at for at, menu in enumerate(base_menus)}
        lists = {menu.key: (menu, heading) for menu, heading in self.lists}
        new_ones = {number: menu for number, menu, old in self.made if not old}
        stay = (
            self.plan.mode.keeps_ids
        )  # the menus of a file that is written anew stand where they did
        for origin, node in standing:
            at = index.get(origin, -1)  # lists and parts that were read as one are no menus
            key = base_menus[at].key if at >= 0 else ""
            listed = stay and at < 0 and bool(lists)
            named = inner(shape, node, rule.slots["key"].key) if listed else None
            if isinstance(named, str) and named in lists:
                menu, heading = lists.pop(named)  # it stays where it was
                entries.append(self._list(rule, section, records, menu, heading))
                continue
            if stay and at in new_ones:
                entries.append(self._new(rule, section, records, at, new_ones.pop(at)))
                continue
            place = section.place(len(records), node)
            if key in replaced:
                number, new = replaced[key]
                self._went(number, place)
                self.lineage[1, "menu", at] = place
                if "place" in rule.slots:
                    self._put_place(rule, node, new)
                if "audience" in rule.slots:  # who saw the old items is no matter now
                    shape.put(node, rule.slots["audience"].key, None)
                entries.append((place, node, new))
                records.append(node)
            elif key in self.plan.kept:
                self.lineage[1, "menu", at] = place
                if "place" in rule.slots:
                    self._put_place(rule, node, base_menus[at])
                records.append(node)
        for number, menu in new_ones.items():
            if number in self.unstored:
                self._went(number, self.unstored[number])
                continue
            entries.append(self._new(rule, section, records, number, menu))
        for menu, heading in lists.values():
            entries.append(self._list(rule, section, records, menu, heading))
        section.write(shape, self.tree, records)
        self.menu_records = records
        return entries

    def _new(
        self, rule: RecordRule, section: Section, records: list[Any], number: int, menu: Menu
    ) -> tuple[str, Any, Menu]:
        """Add the record of a menu that has none yet."""
        node = rule.write(self._menu_pairs(rule, menu), menu.extras)
        self._mark(node, section)
        place = section.place(len(records), node)
        self._went(number, place)
        records.append(node)
        return place, node, menu

    def _list(
        self,
        rule: RecordRule,
        section: Section,
        records: list[Any],
        menu: Menu,
        heading: Item | None,
    ) -> tuple[str, Any, Menu]:
        """Add the record of a list of a panel that is a menu."""
        node = rule.write(self._menu_pairs(rule, menu), menu.extras)
        place = section.place(len(records), node)
        if heading is not None:
            self._number(heading, place)
        records.append(node)
        return place, node, menu

    def _mark(self, node: Any, section: Section) -> None:
        """Give a new record the values by which its rule knows it."""
        for key, value in section.only.items():
            shape = self.shape.of(section.at)
            if not value.endswith("*") and inner(shape, node, key) is None:
                set_at(shape, node, key, value)

    def _only_menu(self, rule: RecordRule) -> list[tuple[str, Any, Menu]]:
        """The document itself is the one menu."""
        if self.plan.own is not None and self.plan.own.menus[0].key in self.plan.kept:
            self.lineage[1, "menu", 0] = "."
            return []
        entries = []
        for number, menu, old in self.made[:1]:
            for key, value in self._menu_pairs(rule, menu):
                set_at(self.shape, self.tree, key, value)
            self._went(number, ".")
            if old:
                self.lineage[1, "menu", 0] = "."
            entries.append((".", self.tree, menu))
        return entries

    def _put_place(self, rule: RecordRule, node: Any, menu: Menu) -> None:
        slot = rule.slots["place"]
        places = self._places_of(menu)
        if places is not None:
            shape = self.shape.of(self.profile.menus.at or "")
            held = inner(shape, node, slot.key)
            blank = isinstance(held, str) and not held.strip()  # it names none, and may stay
            if places or (held is not None and not blank):
                set_at(shape, node, slot.key, slot.encode(places) if places else None)

    def _places_of(self, menu: Menu) -> Any:
        """The locations of a menu where menus name them; None where they are as they were."""
        if self.profile.locations.form != "menus" or "place" not in self.profile.menus.fields:
            return None
        now = [name for name, menus in self.plan.placements.items() if menu.id in menus]
        own = self.plan.own
        was = own.placements().get(menu.id, []) if own else []
        now += [p.name for p in was if p.name not in self.plan.placements]
        listed = plain(self.profile.menus.fields["place"]).through
        return tuple(now) if listed else next(iter(now), "")

    def _implied_menus(self) -> list[tuple[str, Any, Menu]]:
        """Menus without records: they are where their items name them."""
        at = {menu.key: n for n, menu in enumerate(self.plan.own.menus)} if self.plan.own else {}
        for key in self.plan.kept:
            self.lineage[1, "menu", at[key]] = implied_place(key)
        entries: list[tuple[str, Any, Menu]] = []
        for number, menu, old in self.made:
            self._went(number, implied_place(menu.key))
            if old:
                self.lineage[1, "menu", at[old]] = implied_place(menu.key)
            entries.append((implied_place(menu.key), None, menu))
        return entries

    def _nest_all(self, entries: list[tuple[str, Any, Menu]]) -> None:
        if self.plan.own is not None:
            self._same_places(self.plan.own.menus)
        for place, node, menu in entries:
            self._nest(node, menu, place)

    def _menu_pairs(self, rule: RecordRule, menu: Menu) -> Pairs:
        values = {
            "key": menu.key,
            "title": menu.title,
            "saved": menu.saved,
            "rule": menu.rule,
            "language": menu.language,
            "place": self._places_of(menu) or None,
        }
        pairs: Pairs = []
        for slot in rule.slots.values():
            value = values.get(slot.name)
            if value is not None and (slot.standard is None or value != slot.standard):
                pairs.append((slot.key, slot.encode(value)))
        return pairs

    def _pages(self) -> None:
        """Show the menus that are made in the page tree, then find where everything stands."""
        encoding = self.encoding
        at = encoding.rule.records_at if encoding is not None else ""
        left = self._unread_at(at) if at else []
        # What was read before is the file's own, and stays known until its place is written anew.
        first = 0 if self.plan.mode is Mode.AS_IT_STANDS else None
        pages = Pages(self.profile, self.shape, self.tree, encoding, first)
        freehand = {i.number for i in self.of_pages if i.panel and i.panel.style == "freehand"}
        of_menu: dict[str, tuple[int, str | None, dict[int, int]]] = {}
        for number, menu, old in self.made:
            fill = (old or menu.key) in self.plan.fills
            same = menu.key in self.plan.stays
            numbers = pages.write(menu, old, menu.title, freehand, same=same, fill=fill)
            of_menu[menu.key] = (number, old, numbers)
        if encoding is not None and encoding.of_pages:
            self._put_panels(encoding, pages, left, of_menu)
        own = self.plan.own.menus if self.plan.own else []
        index = {menu.key: at for at, menu in enumerate(own)}
        for bar in pages.bars():
            seen: set[str] = set()
            shown = [(pages.origin(bar, n, seen), n) for n, _, _ in pages.shown(bar)]
            if bar.name in of_menu:
                number, old, numbers = of_menu[bar.name]
                self._went(number, bar.place)
                if old is not None:
                    self.lineage[1, "menu", index[old]] = bar.place
                for place, node in shown:
                    self._number(Item("", "", NOWHERE, number=numbers[id(node)]), place)
                    self.given[place] = str(node.get(pages.ident))
            elif bar.name in self.plan.kept:
                self.lineage[1, "menu", index[bar.name]] = bar.place
                things = rows_of([own[index[bar.name]]]).things
                for thing, (place, _) in zip(things, shown, strict=True):
                    self.lineage[1, "item", thing.number] = place

    def _sections(self, item: Item) -> Item:
        """An item with a panel as the page that it opens from, with what stands in its columns."""
        panel = item.panel
        if panel is None or self.encoding is None:
            return item
        bare = self.encoding.bare(item)
        return replace(bare, panel=None, children=sections_of(panel))

    def _put_panels(
        self,
        encoding: Encoding,
        pages: Pages,
        records: list[Any],
        of_menu: dict[str, tuple[int, str | None, dict[int, int]]],
    ) -> None:
        """Write the panels of pages, now that the pages are there."""
        before = len(records)
        numbers = of_menu[encoding.rule.shown_at][2] if self.of_pages else {}
        node_of = {numbers[id(node)]: node for _, node in pages.pages if id(node) in numbers}
        for item in self.of_pages:
            assert item.panel is not None
            page = node_of[item.number][pages.ident]
            place = f"{encoding.rule.records_at}/{len(records)}"
            records.append(encoding.page_written(page, item, self._numbered, place))
        self._put_records(encoding.rule.records_at, records, before)
        pages.first = before
        pages.read_tree()

    def _went(self, number: int, place: Place) -> None:
        """Note where a menu went: one of the source, or one that a rule made."""
        self.lineage[(0, "menu", number) if number >= 0 else (2, "menu", number)] = place

    def _number(self, item: Item, place: Place) -> None:
        if item.number >= 0:
            self.lineage[refs.SOURCE, "item", item.number] = place
        elif (there := refs.meant(item.number)) is not None:
            self.lineage[there.side, "item", there.row] = place

    def _nest(self, node: Any, menu: Menu, place: Place) -> None:
        tie = self.profile.items.tie
        encoding = self.encoding if self.encoding is not None and self.encoding.in_item else None
        inside = tie.inside or ""
        always = inside in self._always
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
                structure = [(tie.id, self._uid(item, menu, ids))] if tie.id else []
                pairs = self.items.pairs(item, structure, self.parts.get(id(item)))
                if item.children:
                    pairs += tie.with_.items()
                if tie.order and not tie.keyed:
                    pairs.append((tie.order, str(at + 1)))
                extras = item.extras
                if encoding is not None and item.panel is not None:
                    extras = tuple(e for e in extras if not encoding.inside(e))
                record = self.items.record.write(pairs, extras)
                name = record[tie.keyed] if tie.keyed and not tie.value else str(at)
                here = f"{where}/{name}"
                self._number(item, here)
                if tie.id:
                    self.given[here] = structure[0][1]
                if encoding is not None and item.panel is not None:
                    record[encoding.at] = self._in_record(encoding, item, here, menu, ids)
                names.append(name)
                into.append(record)
                if item.children or always:
                    stack.append((item.children, record, inside, here))
            self._fill(holder, key, names, into)
        if tie.keyed is not None:
            self._rename(node, tie.first or inside)

    def _in_record(
        self, encoding: Encoding, item: Item, place: Place, menu: Menu, ids: set[str]
    ) -> Any:
        """What opens below an item, as its record holds it."""
        ident = self.profile.items.tie.id
        where_of: dict[int, Place] = {}
        assert item.panel is not None
        for column in item.panel.columns:
            column.id = "" if column.id in ids else column.id
            ids.add(column.id)

        def write(inner_: Item, tied: bool) -> Any:
            structure = [(ident, self._uid(inner_, menu, ids))] if ident and tied else []
            where = where_of[inner_.number]
            if structure:
                self.given[where] = structure[0][1]
            elif ident:  # one without an id is called after its place
                inside = where[len(place) + 1 :].split("/")[1:-1]
                self.given[where] = ".".join([self.given[place], *inside])
            return self.items.write(inner_, structure)

        def number(which: int, where: Place) -> None:
            where_of[which] = where
            self._number(Item("", "", NOWHERE, number=which), where)

        return encoding.item_written(item, write, number, place)

    @property
    def _always(self) -> tuple[str, ...]:
        """The key of nested records where it is written even if nothing is inside."""
        tie = self.profile.items.tie
        simple = tie.inside and "/" not in tie.inside and not tie.with_ and not tie.keyed
        simple = simple and not FORMATS[self.profile.container].rows
        return (tie.inside,) if simple and tie.inside else ()

    def _fill(self, holder: Any, key: str, names: list[str], records: list[Any]) -> None:
        """Put the records of nested items into the record above them."""
        tie, shape = self.profile.items.tie, self.items.shape
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

    def _rename(self, node: Any, key: str) -> None:
        """Records by their name: it becomes the key of a mapping, and what is said its value."""
        tie = self.profile.items.tie
        stack = [(node, key)]
        while stack:
            holder, at = stack.pop()
            held = inner(self.shape, holder, at)
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
                held[index] = {record.get(tie.keyed, ""): value}

    def _same_places(self, menus: list[Menu]) -> None:
        """Items of menus that stay are where they were, but for the place of their menu."""
        for at, menu in enumerate(menus):
            place = self.lineage.get((1, "menu", at))
            if place is None or menu.key not in self.plan.kept:
                continue
            for thing in rows_of([menu]).things:
                moved = place + thing.origin[len(menu.origin) :] if place != "." else thing.origin
                self.lineage[1, "item", thing.number] = moved

    def _tie(self, entries: list[tuple[str, Any, Menu]], standing: list[tuple[str, Any]]) -> None:
        tie, shape, section = self.profile.items.tie, self.shape, self.paths.items
        assert section is not None
        menus = [menu for _, _, menu in entries]
        records = self._start(section)
        numbers: dict[Place, int] = {}
        kept: set[Place] = set()
        gone: set[Place] = set()
        if self.plan.own is not None:
            for menu in self.plan.own.menus:
                for thing in rows_of([menu]).things:
                    panel = thing.panel if isinstance(thing, Item) else None
                    columns = [column.origin for column in panel.columns] if panel else []
                    if menu.key in self.plan.kept:
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
        ids |= self._named_there([node for node, _ in old], [node for _, node, _ in entries])
        rows = rows_of(menus)
        made = self._ids(rows, menus, ids)
        ids_of: dict[int, str] = {}
        joins: list[list[Any]] = [[] for _ in self.profile.items.joins]
        ways: list[str] = []
        new: list[tuple[Any, Item]] = []
        for row, thing in enumerate(rows.things):
            assert isinstance(thing, Item)
            menu = menus[rows.menu[row]]
            structure = self._structure(rows, row, menu, made, ways)
            ids_of[id(thing)] = self._tied(menu, made[row], ways[row])
            pairs = self.items.pairs(thing, structure, self.parts.get(id(thing)))
            if tie.lists:
                below = [made[at] for at in self._below(rows, row)]
                if below:
                    pairs.append((tie.inside or "", self._named(below)))
            self._hold(pairs, rows, row)
            pairs = self.items.record.full(pairs, thing.extras)
            pairs = self._apart(pairs, made[row], joins)
            record = self.items.record.built(pairs)
            self._mark(record, section)
            new.append((record, thing))
        written: list[tuple[Any, Item | int | None]] = [*old, *new]
        if self.profile.container == "sqlite":
            from ..containers.sqlite import key_of

            # A table gives its rows in the order of its key; what has none comes behind.
            ordered = key_of(self.top, self.profile.items.at or "")
            if ordered is not None:
                written.sort(key=lambda pair: _rank(shape.step(pair[0], ordered)))
        for record, what in written:
            place = section.place(len(records), record)
            if isinstance(what, Item):
                self._number(what, place)
                if tied := ids_of.get(id(what)):
                    self.given[place] = tied
            elif what is not None:
                self.lineage[1, "item", what] = place
            records.append(record)
        self._implied_groups(numbers)
        if tie.lists:
            for at, (_, node, _) in enumerate(entries):
                top = [made[row] for row in rows.of_menu(at) if rows.parent[row] < 0]
                set_at(shape, node, tie.first or tie.inside or "", self._named(top))
        section.write(shape, self.tree, records)
        self._write_joins(joins, staying)

    def _named_there(self, records: list[Any], made: list[Any]) -> set[str]:
        """Ids that what stays refers to: a new record with one of them would be taken for that.

        `made` are the records of menus that are written anew.
        """
        tie, shape = self.profile.items.tie, self.shape
        found: set[str] = set()
        lists = [(node, tie.inside or "") for node in records]
        if tie.lists:
            anew = {id(node) for node in made}
            menus = [node for node in self.menu_records if id(node) not in anew]
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
        menus = self.plan.own.menus if self.plan.own is not None else []
        return found - {self.say(menu.key) for menu in menus}

    def _tie_inside(self, entries: list[tuple[str, Any, Menu]], inside: str) -> None:
        """Write flat records into the records of their menus."""
        tie = self.profile.items.tie
        taken: set[str] = set()
        if self.plan.own is not None:
            self._same_places(self.plan.own.menus)
            stay = [menu for menu in self.plan.own.menus if menu.key in self.plan.kept]
            taken = {thing.id for thing in rows_of(stay).things if isinstance(thing, Item)}
        for place, node, menu in entries:
            rows = rows_of([menu])
            made = self._ids(rows, [menu], taken)
            ways: list[str] = []
            written: dict[str, list[Any]] = {inside: []}
            written.update({tie.beside: []} if tie.beside else {})
            for row, thing in enumerate(rows.things):
                assert isinstance(thing, Item)
                structure = self._structure(rows, row, menu, made, ways)
                # What stands beside the items and is part of no panel is still what it was.
                beside = [e for e in thing.extras if e.path == "#name"] if tie.beside else []
                column = "column" if beside and self.items.compiled.by_part.get("column") else None
                part = self.parts.get(id(thing)) or column
                extras = tuple(extra for extra in thing.extras if extra not in beside)
                said = replace(thing, extras=extras) if beside else thing
                pairs = self.items.pairs(said, structure, part)
                self._hold(pairs, rows, row)
                named = beside[0].value if beside else dict(pairs).get("#name")
                name = tie.beside if tie.beside and named == tie.beside else inside
                pairs = [pair for pair in pairs if pair[0] != "#name"]
                records = written[name]
                here = f"{place}/{name}/{len(records)}"
                self._number(thing, here)
                if tied := self._tied(menu, made[row], ways[row]):
                    self.given[here] = tied
                records.append(self.items.record.write(pairs, extras))
            for name, records in written.items():
                if self.shape.ALWAYS_TEXT:
                    if records or inner(self.shape, node, name) is not None:
                        self.shape.replace(node, tuple(name.split("/")), records)
                else:
                    set_at(self.shape, node, name, records)

    def _implied_groups(self, numbers: dict[Place, int]) -> None:
        """Groups of labels without a record stand where the first of their records does."""
        for place, number in numbers.items():
            if place.startswith(IMPLIED):
                of, _, level = place[len(IMPLIED) :].rpartition(" ")
                if of in numbers:
                    self.lineage[1, "item", number] = (
                        f"{IMPLIED}{self.lineage[1, 'item', numbers[of]]} {level}"
                    )

    def _named(self, ids: list[str]) -> list[Any]:
        """Ids as a list holds them."""
        tie = self.profile.items.tie
        whole = (tie.id or "") in self.profile.items.numbers
        named = [as_number(ident) for ident in ids] if whole else ids
        return [entry_of(tie, self.shape, ident) for ident in named]

    def _tied(self, menu: Menu, made: str, way: str) -> str:
        """The id that a record is to be read back with; empty where reading makes it up."""
        tie = self.profile.items.tie
        if tie.id:
            return made
        # What is called by its place in an outline is called the same only in that place.
        return f"{menu.key} {way}" if tie.called_by_way else ""

    def _hold(self, pairs: Pairs, rows: Rows, row: int) -> None:
        """Add the values of a record that others stand below, where it says nothing else."""
        tie = self.profile.items.tie
        if tie.with_ and tie.under is None and self._below(rows, row):
            there = {key for key, _ in pairs}
            pairs += [(key, word) for key, word in tie.with_.items() if key not in there]

    def _below(self, rows: Rows, row: int) -> list[int]:
        if self._children is None or self._children[0] is not rows:
            below: dict[int, list[int]] = {}
            for at, parent in enumerate(rows.parent):
                below.setdefault(parent, []).append(at)
            self._children = (rows, below)
        return self._children[1].get(row, [])

    _children: tuple[Rows, dict[int, list[int]]] | None = None

    def _ids(self, rows: Rows, menus: list[Menu], taken: set[str]) -> list[str]:
        """An id for each item; those that the source gives are taken first."""
        made: list[str] = []
        for row, thing in enumerate(rows.things):
            assert isinstance(thing, Item)
            ident = self._id(thing, menus[rows.menu[row]], taken)
            taken.add(ident)
            made.append(ident)
        return made

    def _structure(
        self, rows: Rows, row: int, menu: Menu, made: list[str], ways: list[str]
    ) -> Pairs:
        """The keys and values that tie a record."""
        tie = self.profile.items.tie
        parent = rows.parent[row]
        thing, place = rows.things[row], rows.position[row] + 1
        assert isinstance(thing, Item)
        way = tie.said(Spot(place, rows.depth[row], made[row], thing.label))
        if parent >= 0 and tie.whole_way:
            way = ways[parent] + tie.between + way
        ways.append(way)
        before = None
        if tie.follows:
            key = (menu.key, parent)
            before = self._last.get(key)
            self._last[key] = made[row]
        bar = self.say(menu.key)
        in_menu = tie.menu is not None or tie.under is None or tie.inside is not None
        in_menu = in_menu or self.profile.menus.one is not None
        top = tie.top if in_menu else bar
        under = made[parent] if parent >= 0 else top
        pairs = [
            (key, value)
            for key, value in (
                (tie.id, made[row]),
                (tie.menu, bar),
                (tie.under if under else None, under),
                (tie.order, str(place)),
                (tie.follows if before is not None else None, before),
                (tie.number, way),
            )
            if key
        ]
        if parent >= 0 and tie.under is not None:
            pairs += tie.with_.items()
        return pairs

    def _apart(self, pairs: Pairs, ident: str, joins: list[list[Any]]) -> Pairs:
        """Take the keys of joined records out, and make these records of them."""
        if not joins:
            return pairs
        names = {join.name: at for at, join in enumerate(self.profile.items.joins)}
        own: Pairs = []
        held: dict[int, Pairs] = {}
        for key, value in pairs:
            name, slash, rest = key.partition("/")
            if slash and name in names:
                held.setdefault(names[name], []).append((rest, value))
            else:
                own.append((key, value))
        for at, said in held.items():
            join = self.profile.items.joins[at]
            shape = self.shape.of(join.at)
            node = shape.new()
            for key, value in [(join.on, ident), *join.only.items(), *said]:
                node = shape.add(node, key, value)
            joins[at].append(node)
        return own

    def _write_joins(self, joins: list[list[Any]], staying: set[str]) -> None:
        for at, (join, made) in enumerate(zip(self.profile.items.joins, joins, strict=True)):
            section = self.paths.joins[at]
            records = self._start(section)
            if not self.fresh:
                for _, node in self.joined[at]:
                    if str(inner(self.shape, node, join.on)) in staying:
                        records.append(node)
            records += made
            section.write(self.shape, self.tree, records)

    def _id(self, item: Item, menu: Menu, taken: set[str]) -> str:
        """An id that is the same in every run: the source's own if it fits, else made from it."""
        tie = self.profile.items.tie
        start = self.profile.items.only.get(tie.id or "", "*")
        start = start[:-1] if start.endswith("*") else ""
        own = item.id.removeprefix(start) if item.id.startswith(start) else ""
        if item.id in self.ids and item.id not in taken and item.id not in ("", tie.top):
            return item.id
        plain = own.isascii() and own.isdigit() and str(int(own[:16])) == own
        if plain and item.id not in taken and item.id != tie.top:
            return item.id
        digest = hashlib.blake2s(f"{menu.key}\0{item.id}".encode(errors="replace")).digest()
        number = int.from_bytes(digest[:4], "big") % 900_000_000 + 100_000_000
        while f"{start}{number}" in taken:
            number += 1
        return f"{start}{number}"

    def _uid(self, item: Item, menu: Menu, taken: set[str]) -> str:
        """An id of letters or digits: the source's own if it fits, else made from it."""
        ident = item.id
        if ident and ident in self.ids and ident not in taken:
            taken.add(ident)
            return ident
        if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_-]{0,39}", ident) or ident in taken:
            ident = "i" + self._id(replace(item, id=item.id + "/"), menu, set())
            while ident in taken:
                ident += "x"
        taken.add(ident)
        return ident

    # Locations

    def _locations(self) -> None:
        rule, shape = self.profile.locations, self.shape
        theme_rule = self.profile.site.fields.get("theme")
        if self.fresh and theme_rule is not None and self.plan.theme:
            set_at(shape, self.tree, plain(theme_rule).at, self.plan.theme)
        if rule.form in ("names", "menus"):
            return
        if rule.form == "keys":
            node = shape.ensure(self.tree, self.paths.locations.path)
            places = {place.name: place for place in places_of(self.profile, self.theme)}
            for name in [*places, *(n for n in self.plan.placements if n not in places)]:
                place = places.get(name)
                menus = self.plan.placements.get(name)
                if menus is not None and (place is None or place.sequence is None):
                    shape.put(node, name, menus[0] if menus else None)
                if place is not None:
                    self._sequences(node, name, place.sequence)
            return
        record = RecordRule(shape.of(rule.at), rule.fields)
        slots = record.slots
        standing = {
            shape.step(node, slots["name"].key): node
            for _, node in ([] if self.fresh else self.paths.locations.read(shape, self.tree))
        }
        nodes = list(standing.values())
        offers = {p.name: p for p in self.plan.restores or offered(self.profile, self.theme)}
        names = list(self.plan.placements)
        if self.fresh:
            names = [*offers, *(name for name in names if name not in offers)]
        for name in names:
            menus = self.plan.placements.get(name, ())
            held = menus[0] if menus else ""
            if name in standing:
                shape.put(standing[name], slots["menu"].key, held)
                continue
            caption = offers[name].caption if name in offers else name
            values = {"name": name, "caption": caption, "menu": held}
            nodes.append(record.write([(s.key, values[s.name]) for s in slots.values()]))
        self.paths.locations.write(shape, self.tree, nodes)

    def _staying(self, standing: Any, name: str, key: str) -> list[tuple[Any, bool]]:
        """The entries of a sequence but for those that were read as parts of a menu.

        The second value is true for a menu; all others are unread and stay where they are.
        """
        old = standing if isinstance(standing, list) else [standing] if standing else []
        own = self.plan.own
        here = f"{self.profile.locations.at}/{name}"
        known = {menu.key for menu in own.menus} if own is not None else set()
        unread = [e.value for e in own.extras if e.path == here] if own is not None else []
        found: list[tuple[Any, bool]] = []
        for entry in old:
            named = entry[key] if isinstance(entry, dict) and list(entry) == [key] else None
            mine = False
            if isinstance(named, str) and named in known:
                mine = True
                known.remove(named)
            if mine or entry in unread:
                found.append((entry, mine))
        return found

    def _sequences(self, node: Any, name: str, key: str | None) -> None:
        """A location holds a list where its theme has a sequence there, and one menu elsewhere."""
        standing, there = self.shape.step(node, name), self.plan.own
        was = sequences_of(self.profile, there.theme) if there is not None else set()
        listed = f"{self.profile.locations.at}/{name}" in was and standing is not None
        if key is None and name in self.plan.placements:
            return  # one menu, which was put there
        if key is None and (listed or isinstance(standing, list)):
            own = there.locations if there is not None else []
            menus = [menu for place in own if place.name == name for menu in place.menus]
            self.shape.put(node, name, next(iter(menus), None))
        elif key is not None and name in self.plan.placements:
            standing = self._staying(standing, name, key)
            groups = [self.entries_of.get(m, [{key: m}]) for m in self.plan.placements[name]]
            self.shape.put(node, name, _sequence(standing, groups))
        elif key is not None and isinstance(standing, str):
            own_menus = self.plan.own.menus if self.plan.own is not None else []
            if standing in {menu.key for menu in own_menus}:
                self.shape.put(node, name, [{key: standing}])


def _sequence(old: list[tuple[Any, bool]], menus: list[list[Any]]) -> list[Any]:
    """Menus in the places of those that stood there, in order; further ones behind the last.

    Each is a list of entries: a menu may have panels between its items.
    """
    mine = [at for at, (_, menu) in enumerate(old) if menu]
    left = list(menus)
    made: list[Any] = []
    for at, (entry, menu) in enumerate(old):
        if not menu:
            made.append(entry)
        elif at == mine[-1]:
            made += [one for group in left for one in group]
            left = []
        elif left:
            made += left.pop(0)
    return made + [one for group in left for one in group]


def _rank(ident: Any) -> tuple[bool, int]:
    if type(ident) is str and re.fullmatch(r"-?[0-9]{1,19}", ident):
        return (False, int(ident))  # such a column makes numbers of them
    return (False, ident) if type(ident) is int else (True, 0)
