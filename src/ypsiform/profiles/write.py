"""Writing: a fitted site into a neutral tree, by the same rules that read one, backwards.

The tree starts from what is already there (an export of the destination, or the source itself
where a platform is converted to itself), so that whatever is not concerned stays as it is.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any

from ..containers import Shape, container
from ..model import PLAIN, TRAIT_NAMES, Item, Menu, Site, rows_of
from . import panels
from .places import offered
from .read import Sections, implied_place
from .records import Pairs, RecordRule, plain
from .schema import KindRule, Profile, Theme

Place = str
Lineage = dict[tuple[int, str, int], Place]
"""Where each record went: (side, `item` or `menu`, number) to a place in the written tree.

Side 0 is the source, 1 what stood at the destination, 2 what a rule made.
"""


class Plan:
    """What to write.

    `made` are menus with their number on the source's side, what they replace (a key of the
    base) and their unread data; `kept` are keys of the base's menus that stay; `placements` give
    the menus of each location that changes; `removed` are sections of the base that go.
    `own` is the base as it was read. Items of the base that stay in a menu that is made have
    numbers from `kept_number` downwards, items that a rule made from `made_number` downwards.
    """

    def __init__(
        self,
        made: list[tuple[int, Menu, str | None]],
        kept: set[str],
        placements: dict[str, tuple[str, ...]],
        removed: list[str],
        theme: str | None,
        address: str,
        language: str,
        own: Site | None,
        kept_number: int,
        made_number: int,
    ) -> None:
        self.made, self.kept, self.placements = made, kept, placements
        self.removed, self.theme = removed, theme
        self.address, self.language = address, language
        self.own, self.kept_number, self.made_number = own, kept_number, made_number


def tree_of(base: Any, profile: Profile, plan: Plan) -> tuple[Any, Lineage]:
    """The tree to write, and where each record of the source and of the base went in it."""
    return _Writer(base, profile, plan).write()


class _Writer:
    def __init__(self, base: Any, profile: Profile, plan: Plan) -> None:
        self.profile, self.plan = profile, plan
        self.shape: Shape = container(profile.container).SHAPE
        self.paths = Sections(profile)
        self.fresh = base is None
        self.top = _skeleton(profile, self.shape) if base is None else base
        self.tree = self.shape.root(self.top)
        self.lineage: Lineage = {}
        self.theme: Theme | None = profile.theme(plan.theme)

    def write(self) -> tuple[Any, Lineage]:
        self._site()
        if self.fresh:
            for path in self.paths.content:
                self.shape.replace(self.tree, path, [])
        for section in self.plan.removed:
            self.shape.replace(self.tree, tuple(section.split("/")), [])
        self._unfold()
        entries = self._menus()
        self._locations()
        self._items(entries)
        return self.top, self.lineage

    def _site(self) -> None:
        shape = self.shape
        facts = {
            "address": self.plan.address,
            "language": self.plan.language or None,
            "theme": self.plan.theme,
        }
        for name, short in self.profile.site.fields.items():
            rule = plain(short)
            *path, last = rule.at.split("/")
            if name == "theme" and self.fresh:
                continue  # set when its section is made, to keep the sections in order
            value = rule.is_ if rule.is_ is not None else facts.get(name)
            if value is None or not (self.fresh or name == "theme"):
                continue
            shape.put(shape.ensure(self.tree, tuple(path)), last, value)

    # Menus and items

    def _unfold(self) -> None:
        """Panels as items, before anything is written of menus, listed or implied."""
        strategy = panels.strategy(self.theme.panels if self.theme else None)
        if strategy is not None:
            for _, menu, _ in self.plan.made:
                menu.items = [strategy.unfold(item) for item in menu.items]

    def _menus(self) -> list[tuple[int, Any, Menu]]:
        """Write the records of menus. Returns those made: their place, record and menu."""
        if self.paths.menus is None:
            return self._implied_menus()
        profile, shape = self.profile, self.shape
        own = (profile.items.tie.inside,) if profile.items.tie.inside else ()
        rule = RecordRule(shape, profile.menus.fields, own=own)
        listed = self.paths.menus
        replaced = {old: (number, menu) for number, menu, old in self.plan.made if old}
        records: list[Any] = []
        entries: list[tuple[int, Any, Menu]] = []
        base_menus = self.plan.own.menus if self.plan.own else []
        standing = [] if self.fresh else [n for _, n in shape.records(self.tree, listed)]
        for at, node in enumerate(standing):
            key = base_menus[at].key if at < len(base_menus) else ""
            if key in replaced:
                number, new = replaced[key]
                self._note(0, "menu", number, listed, len(records))
                self._note(1, "menu", at, listed, len(records))
                entries.append((len(records), node, new))
                records.append(node)
            elif key in self.plan.kept:
                self._note(1, "menu", at, listed, len(records))
                records.append(node)
        for number, menu, old in self.plan.made:
            if old:
                continue
            node = rule.write(self._menu_pairs(rule, menu), menu.extras)
            self._note(0, "menu", number, listed, len(records))
            entries.append((len(records), node, menu))
            records.append(node)
        shape.replace(self.tree, listed, records)
        return entries

    def _implied_menus(self) -> list[tuple[int, Any, Menu]]:
        """Menus without records: they are where their items name them."""
        at = {menu.key: n for n, menu in enumerate(self.plan.own.menus)} if self.plan.own else {}
        for key in self.plan.kept:
            self.lineage[1, "menu", at[key]] = implied_place(key)
        for number, menu, old in self.plan.made:
            self.lineage[0, "menu", number] = implied_place(menu.key)
            if old:
                self.lineage[1, "menu", at[old]] = implied_place(menu.key)
        return []

    def _items(self, entries: list[tuple[int, Any, Menu]]) -> None:
        items = self._item_writer()
        if self.profile.items.tie.structure != "nested":
            self._tie(items, [menu for _, menu, _ in self.plan.made])
            return
        if self.plan.own is not None:
            self._same_places(self.plan.own.menus)
        for at, node, menu in entries:
            self._nest(items, node, menu, f"{self.profile.menus.at}/{at}")

    def _note(self, side: int, scope: str, number: int, path: tuple[str, ...], at: int) -> None:
        self.lineage[side, scope, number] = f"{'/'.join(path)}/{at}"

    def _menu_pairs(self, rule: RecordRule, menu: Menu) -> Pairs:
        values = {"key": menu.key, "title": menu.title, "saved": menu.saved, "rule": menu.rule}
        pairs: Pairs = []
        for slot in rule.slots.values():
            value = values.get(slot.name)
            if value is not None and (slot.standard is None or value != slot.standard):
                pairs.append((slot.key, slot.encode(value)))
        return pairs

    def _item_writer(self) -> Callable[[Item, Pairs], Any]:
        """A function from an item and its structural keys to a record."""
        rules = self.profile.items
        raw = {key for kind in rules.kinds for key in (*kind.when, kind.id, kind.address) if key}
        record = RecordRule(self.shape, rules.fields, raw=raw, fold=rules.fold)
        patterns = dict(record.patterns)
        by_kind = self.profile.kinds
        by_address = by_kind.get("address")
        deciding = {key for kind in rules.kinds for key in kind.when}
        label = record.slots.get("label")
        traits = [slot for name, slot in record.slots.items() if name in TRAIT_NAMES]
        hidden = record.slots.get("hidden")

        def kind_pairs(item: Item) -> Pairs:
            target = item.target
            rule: KindRule | None
            if item.role == "divider":
                rule = by_kind.get("divider")
            elif target.address is not None and by_address is not None:
                rule = by_address
            else:
                rule = by_kind.get(target.kind) or by_address
            if rule is None:
                return []
            pairs: Pairs = list(rule.when.items())
            if rule.id is not None and (target.content or target.key):
                pairs.append((rule.id, target.content or target.key))
            if rule.address is not None:
                address = target.address
                pairs.append((rule.address, (rule.none or "#") if address is None else address))
            return pairs

        def write(item: Item, structure: Pairs) -> Any:
            pairs = structure
            if label is not None and not item.inherited and (item.label or label.key in needed):
                pairs.append((label.key, item.label))
            if not (
                item.extras
                and any(extra.path in deciding and not extra.again for extra in item.extras)
            ):
                pairs += kind_pairs(item)
            if item.traits is not PLAIN:
                for slot in traits:
                    value = getattr(item.traits, slot.name)
                    if value is None or value == () or value == slot.standard:
                        continue
                    pairs.append((slot.key, slot.encode(value)))
            if item.hidden and hidden is not None:
                pairs.append((hidden.key, hidden.encode(True)))
            if item.translations and "translations" in patterns:
                start = patterns["translations"]
                pairs += [(start + language, text) for language, text in item.translations]
            return record.write(pairs, item.extras)

        needed = {key for _, key in record.needed}
        return write

    def _number(self, item: Item, place: Place) -> None:
        if item.number >= 0:
            self.lineage[0, "item", item.number] = place
        elif item.number <= self.plan.made_number:
            self.lineage[2, "item", self.plan.made_number - item.number] = place
        elif item.number <= self.plan.kept_number:
            self.lineage[1, "item", self.plan.kept_number - item.number] = place

    def _nest(
        self, write: Callable[[Item, Pairs], Any], node: Any, menu: Menu, place: Place
    ) -> None:
        inside = self.profile.items.tie.inside or ""
        top: list[Any] = []
        self.shape.put(node, inside, top)
        stack: list[tuple[list[Item], list[Any], Place]] = [(menu.items, top, f"{place}/{inside}")]
        while stack:
            items, into, where = stack.pop()
            for at, item in enumerate(items):
                record = write(item, [])
                here = f"{where}/{at}"
                self._number(item, here)
                into.append(record)
                below: list[Any] = []
                self.shape.put(record, inside, below)
                if item.children:
                    stack.append((item.children, below, f"{here}/{inside}"))

    def _same_places(self, menus: list[Menu]) -> None:
        """Items of menus that stay are where they were, but for the place of their menu."""
        for at, menu in enumerate(menus):
            place = self.lineage.get((1, "menu", at))
            if place is None or menu.key not in self.plan.kept:
                continue
            for thing in rows_of([menu]).things:
                moved = place + thing.origin[len(menu.origin) :]
                self.lineage[1, "item", thing.number] = moved

    def _tie(self, write: Callable[[Item, Pairs], Any], menus: list[Menu]) -> None:
        tie = self.profile.items.tie
        path = self.paths.items or ()
        start = "/".join(path)
        records: list[Any] = []
        numbers: dict[Place, int] = {}
        known: set[str] = set()
        if self.plan.own is not None:
            for menu in self.plan.own.menus:
                known.add(menu.key)
                if menu.key in self.plan.kept:
                    for thing in rows_of([menu]).things:
                        numbers[thing.origin] = thing.number
        ids: set[str] = set()
        for place, node in [] if self.fresh else list(self.shape.records(self.tree, path)):
            owner = self.shape.step(node, tie.menu or "")
            if owner in known and owner not in self.plan.kept:
                continue
            if place in numbers:
                self.lineage[1, "item", numbers[place]] = f"{start}/{len(records)}"
            records.append(node)
            ids.add(self.shape.step(node, tie.id or "") or "")
        rows = rows_of(menus)
        made: list[str] = []
        ways: list[str] = []
        for row, thing in enumerate(rows.things):
            assert isinstance(thing, Item)
            menu = menus[rows.menu[row]]
            ident = self._id(thing, menu, ids)
            ids.add(ident)
            made.append(ident)
            parent = rows.parent[row]
            position = str(rows.position[row] + 1)
            own = {"level": str(rows.depth[row]), "outline": position}.get(tie.structure, ident)
            way = own
            if parent >= 0 and tie.structure in ("outline", "lineage"):
                way = ways[parent] + tie.between + own
            ways.append(way)
            structure: Pairs = [
                (key, value)
                for key, value in (
                    (tie.id, ident),
                    (tie.menu, menu.key),
                    (tie.under, made[parent] if parent >= 0 else tie.top),
                    (tie.order, position),
                    (tie.number, way),
                )
                if key
            ]
            self._number(thing, f"{start}/{len(records)}")
            records.append(write(thing, structure))
        self.shape.replace(self.tree, path, records)

    def _id(self, item: Item, menu: Menu, taken: set[str]) -> str:
        """An id that is the same in every run: the source's own if it fits, else made from it."""
        top = self.profile.items.tie.top
        if item.id.isdigit() and item.id not in taken and item.id != top:
            return item.id
        digest = hashlib.blake2s(f"{menu.key}\0{item.id}".encode(errors="replace")).digest()
        number = int.from_bytes(digest[:4], "big") % 900_000_000 + 100_000_000
        while str(number) in taken:
            number += 1
        return str(number)

    # Locations

    def _locations(self) -> None:
        rule, shape = self.profile.locations, self.shape
        theme_rule = self.profile.site.fields.get("theme")
        if self.fresh and theme_rule is not None and self.plan.theme:
            *path, last = plain(theme_rule).at.split("/")
            shape.put(shape.ensure(self.tree, tuple(path)), last, self.plan.theme)
        if rule.form == "names":
            return
        if rule.form == "keys":
            node = shape.ensure(self.tree, self.paths.locations)
            for name, menus in self.plan.placements.items():
                shape.put(node, name, menus[0] if menus else None)
            return
        record = RecordRule(shape, rule.fields)
        slots = record.slots
        standing = {
            shape.step(node, slots["name"].key): node
            for _, node in ([] if self.fresh else shape.records(self.tree, self.paths.locations))
        }
        nodes = list(standing.values())
        places = {place.name: place for place in offered(self.profile, self.theme)}
        names = list(places) if self.fresh else list(self.plan.placements)
        for name in names:
            menus = self.plan.placements.get(name, ())
            held = menus[0] if menus else ""
            if name in standing:
                shape.put(standing[name], slots["menu"].key, held)
                continue
            caption = places[name].caption if name in places else name
            values = {"name": name, "caption": caption, "menu": held}
            nodes.append(record.write([(s.key, values[s.name]) for s in slots.values()]))
        shape.replace(self.tree, self.paths.locations, nodes)


def _skeleton(profile: Profile, shape: Shape) -> Any:
    """An empty document of a platform."""
    node = shape.new()
    if profile.recognise.columns:
        shape.put(node, "columns", list(profile.recognise.columns))
    if profile.recognise.root is not None:
        top = shape.new()
        shape.put(top, profile.recognise.root, node)
        return top
    return node
