"""Reading: a neutral tree and a profile to a site, and everything that no rule asked for."""

from __future__ import annotations

from collections import Counter
from typing import Any

from msgspec.structs import replace

from ..addresses import Hosts
from ..containers import Shape, container
from ..containers.json import kind_of
from ..errors import FormatError
from ..findings import Finding, notice
from ..model import (
    CONTENT_KINDS,
    EVERYONE,
    NOWHERE,
    PLAIN,
    TRAIT_NAMES,
    Content,
    Extra,
    Item,
    Location,
    Menu,
    Rows,
    Site,
    Target,
    Traits,
    number,
)
from . import panels
from .places import location_of
from .records import RecordRule, Values, plain
from .schema import ContentRule, KindRule, Profile, Theme, TieRule

_TRAITS = frozenset(TRAIT_NAMES)


class ReadResult:
    """A site as it was read, its rows, and notices about how it was read.

    `used` are keys of menus that something other than a location shows, such as a panel's record.
    """

    def __init__(self, site: Site, rows: Rows, notices: list[Finding], used: set[str]) -> None:
        self.site = site
        self.rows = rows
        self.notices = notices
        self.used = used


def site_of(tree: Any, profile: Profile, file: str, theme: str | None = None) -> ReadResult:
    """Read a tree by a profile. `theme`, where given, wins over the file's own.

    Raises `FormatError` with file and place where the tree cannot be what the profile describes.
    """
    return _Reader(tree, profile, file, theme).read()


def spell(place: str) -> str:
    """A place in a tree as a person reads it: `trees[0].entries[2]`."""
    out = ""
    for part in place.split("/"):
        out += f"[{part}]" if part.isdigit() else ("." if out else "") + part
    return out


class Sections:
    """The path of each section of a document, as the profile's rules name them."""

    def __init__(self, profile: Profile) -> None:
        self.content = [tuple(rule.at.split("/")) for rule in profile.content]
        self.menus = tuple(profile.menus.at.split("/")) if profile.menus.at else None
        self.locations = tuple(profile.locations.at.split("/"))
        self.items = tuple(profile.items.at.split("/")) if profile.items.at else None


class _Reader:
    def __init__(self, tree: Any, profile: Profile, file: str, theme: str | None) -> None:
        self.profile, self.file = profile, file
        self.shape: Shape = container(profile.container).SHAPE
        self.tree = self.shape.root(tree)
        self.paths = Sections(profile)
        self.notices: list[Finding] = []
        self.asked_theme = theme

    def fail(self, message: str, place: str) -> FormatError:
        return FormatError(message, file=self.file, place=place)

    def read(self) -> ReadResult:
        profile = self.profile
        facts, extras = self._site_facts()
        theme_name = self.asked_theme or facts.get("theme") or next(iter(profile.themes), None)
        profile.require_theme(self.asked_theme)
        theme = profile.theme(theme_name)
        if theme is None and theme_name:
            self.notices.append(notice("read.theme", before=theme_name, origin=self.file))
        address = facts.get("address")
        self.hosts = Hosts([address] if address else [])
        self.contents = self._contents(extras)
        self._index()
        menus = self._menus()
        if profile.items.tie.structure == "nested":
            self._nested_items(menus)
        else:
            self._tied_items(menus, extras)
        locations = self._locations(theme, {menu.key: menu for menu, _ in menus}, extras)
        self._unread_sections(extras)
        site = Site(
            platform=profile.id,
            theme=theme_name,
            addresses=(address,) if address else (),
            languages=(facts["language"],) if facts.get("language") else (),
            contents=self.contents,
            menus=[menu for menu, _ in menus],
            locations=locations,
            extras=tuple(extras),
            file=self.file,
        )
        strategy = panels.strategy(theme.panels if theme else None)
        if strategy is not None:
            # In every menu: where it is placed may change, what its items say does not.
            for menu in site.menus:
                menu.items = strategy.fold(menu.items)
        return ReadResult(site, number(site), self.notices, self._used(theme))

    def _site_facts(self) -> tuple[dict[str, str], list[Extra]]:
        facts: dict[str, str] = {}
        extras: list[Extra] = []
        for name, short in self.profile.site.fields.items():
            rule = plain(short)
            node = self.tree
            for part in rule.at.split("/"):
                node = self.shape.step(node, part) if node is not None else None
            if node is None:
                continue
            if rule.is_ is not None:
                if node != rule.is_:
                    extras.append(Extra(rule.at, node))
                continue
            if not isinstance(node, str):
                raise self.fail(f"found {kind_of(node)} where a text is needed", rule.at)
            facts[name] = node
        return facts, extras

    def _records(self, path: tuple[str, ...]) -> list[tuple[str, Any]]:
        try:
            return list(self.shape.records(self.tree, path))
        except FormatError as error:
            raise self.fail(error.message, error.place) from None

    def _values(self, rule: RecordRule, node: Any, place: str) -> tuple[Values, list[Extra]]:
        try:
            return rule.read(node)
        except FormatError as error:
            raise self.fail(error.message, spell(place)) from None

    # Contents

    def _contents(self, extras: list[Extra]) -> list[Content]:
        found: list[Content] = []
        for rule, path in zip(self.profile.content, self.paths.content, strict=True):
            record = RecordRule(self.shape, rule.fields)
            for place, node in self._records(path):
                values, unread = self._values(record, node, place)
                content = self._content(rule, values, unread, place)
                if content is None:
                    extras.append(_whole_record(rule.at, node, extras))
                else:
                    found.append(content)
        return found

    def _content(
        self, rule: ContentRule, values: Values, unread: list[Extra], place: str
    ) -> Content | None:
        key = values.get("key")
        kind = rule.kind or values.get("kind")
        ident = values.get("id", key)
        if kind is None or ident is None:
            return None
        path = values.get("path")
        if path is None and rule.path and key is not None:
            path = rule.path.replace("{key}", key)
        return Content(
            id=ident,
            kind=kind,
            title=values.get("title", ""),
            key=key,
            path=path,
            state=values.get("state", "live"),
            audience=values.get("audience", EVERYONE),
            extras=tuple(unread),
            origin=place,
        )

    def _index(self) -> None:
        """Look-ups of contents by kind and id, by id alone where unique, and by path."""
        self.by_kind: dict[tuple[str, str], Content] = {}
        self.by_id: dict[str, Content | None] = {}
        self.by_path: dict[str, Content] = {}
        for content in self.contents:
            self.by_kind.setdefault((content.kind, content.id), content)
            self.by_id[content.id] = None if content.id in self.by_id else content
            if content.path is not None:
                parts = self.hosts.read(content.path)
                if parts.kind in ("page", "file", "home"):
                    self.by_path.setdefault(parts.path, content)

    # Menus and items

    def _menus(self) -> list[tuple[Menu, Any]]:
        rule = self.profile.menus
        own = (self.profile.items.tie.inside,) if self.profile.items.tie.inside else ()
        record = RecordRule(self.shape, rule.fields, own=own)
        found: list[tuple[Menu, Any]] = []
        seen: set[str] = set()
        for place, node in self._records(self.paths.menus) if self.paths.menus else ():
            values, unread = self._values(record, node, place)
            key = values["key"]
            if key in seen:
                raise self.fail(f"two menus have the key {key!r}", spell(place))
            seen.add(key)
            menu = Menu(
                id=key,
                key=key,
                title=values.get("title", ""),
                items=[],
                saved=values.get("saved", True),
                rule=values.get("rule") or None,
                extras=tuple(unread),
                origin=place,
            )
            found.append((menu, node))
        return found

    def _item_rule(self) -> RecordRule:
        rule, tie = self.profile.items, self.profile.items.tie
        raw = dict.fromkeys(key for kind in rule.kinds for key in kind.when)
        for kind in rule.kinds:
            raw.update(dict.fromkeys(key for key in (kind.id, kind.address) if key))
        raw.update(dict.fromkeys(tie.keys))
        self.kind_keys = [key for key in raw if key not in tie.keys]
        self.needed = tuple(rule.needed)
        self.not_of = {
            id(kind): frozenset(self.kind_keys) - set(self._keys_of(kind))
            for kind in (None, *rule.kinds)
        }
        first = next(iter(rule.kinds[0].when), "") if rule.kinds else ""
        one = all(list(kind.when) == [first] for kind in rule.kinds)
        self.decider = first if one else None
        self.by_word = {kind.when[first]: kind for kind in rule.kinds} if self.decider else {}
        return RecordRule(
            self.shape,
            rule.fields,
            raw=raw,
            own=(tie.inside,) if tie.inside else (),
            fold=rule.fold,
        )

    def _keys_of(self, kind: KindRule | None) -> tuple[str | None, ...]:
        return (*kind.when, kind.id, kind.address) if kind is not None else ()

    def _kind(self, values: Values) -> KindRule | None:
        if self.decider is not None:
            return self.by_word.get(values.get(self.decider, ""))
        for rule in self.profile.items.kinds:
            if all(values.get(key) == word for key, word in rule.when.items()):
                return rule
        return None

    def _target(self, rule: KindRule, values: Values) -> Target:
        if rule.kind in CONTENT_KINDS:
            ident = values.get(rule.id or "")
            if ident is None:
                return Target(rule.kind)
            content = self.by_kind.get((rule.kind, ident)) or self.by_id.get(ident)
            if content is None:
                return Target(rule.kind, key=ident)
            return Target(content.kind, content.id)
        if rule.kind == "address":
            return self._addressed(values.get(rule.address or "", ""), rule.none)
        return NOWHERE if rule.kind in ("none", "divider") else Target(rule.kind)

    def _addressed(self, address: str, none: str | None) -> Target:
        parts = self.hosts.read(address)
        if parts.kind in ("home", "page", "file"):
            content = self.by_path.get(parts.path)
            if content is not None:
                return Target(content.kind, content.id, address)
        if parts.kind == "none":
            return NOWHERE if address in ("", none) else Target("none", address=address)
        return Target("external" if parts.kind == "script" else parts.kind, address=address)

    def _item(self, record: RecordRule, node: Any, place: str) -> tuple[Item, Values]:
        values, extras = self._values(record, node, place)
        rule = self._kind(values)
        target = NOWHERE
        if rule is not None:
            target = self._target(rule, values)
        if not self.not_of[id(rule)].isdisjoint(values):
            others = [key for key in self.kind_keys if key in self.not_of[id(rule)]]
            extras[:0] = [Extra(key, values[key]) for key in others if key in values]
        for key in self.needed:
            if key not in values:
                raise self.fail(f"it has no {key.replace('/', '.')}, which is needed", spell(place))
        label = values.get("label", "")
        inherited = False
        if not label and self.profile.inherits and target.content is not None:
            label = self.by_kind[target.kind, target.content].title
            inherited = True
        traits = PLAIN
        given = values.keys() & _TRAITS
        if given:
            slots = record.slots
            found = {n: values[n] for n in given if values[n] != slots[n].standard}
            traits = Traits(**found)
            if traits == PLAIN:
                traits = PLAIN
        words = values.get("translations")
        item = Item(
            id="",
            label=label,
            target=target,
            role="divider" if rule is not None and rule.kind == "divider" else "link",
            inherited=inherited,
            children=[],
            traits=traits,
            hidden=values.get("hidden", False),
            translations=tuple(sorted(words.items())) if words else (),
            extras=tuple(extras),
            origin=place,
        )
        return item, values

    def _nested_items(self, menus: list[tuple[Menu, Any]]) -> None:
        record = self._item_rule()
        inside = self.profile.items.tie.inside or ""
        for menu, menu_node in menus:
            stack: list[tuple[Any, list[Item], str, str]] = [
                (menu_node.get(inside), menu.items, f"{menu.origin}/{inside}", menu.key)
            ]
            while stack:
                nodes, into, place, ident = stack.pop()
                if nodes is None:
                    continue
                if not isinstance(nodes, list):
                    raise self.fail(f"found {kind_of(nodes)} where a list is needed", spell(place))
                for at, node in enumerate(nodes):
                    here = f"{place}/{at}"
                    item, _ = self._item(record, node, here)
                    item.id = f"{ident}.{at + 1}"
                    into.append(item)
                    if node.get(inside):
                        stack.append((node[inside], item.children, f"{here}/{inside}", item.id))

    def _tied_items(self, menus: list[tuple[Menu, Any]], extras: list[Extra]) -> None:
        record = self._item_rule()
        rule, tie = self.profile.items, self.profile.items.tie
        tied: dict[str, _Tied] = {menu.key: _Tied(menu) for menu, _ in menus}
        for place, node in self._records(self.paths.items or ()):
            item, values = self._item(record, node, place)
            key = values.get(tie.menu or "", "")
            if key not in tied and key and self.paths.menus is None:
                menu = Menu(id=key, key=key, title="", items=[], origin=implied_place(key))
                menus.append((menu, None))
                tied[key] = _Tied(menu)
            here = tied.get(key)
            if here is None:
                extras.append(_whole_record(rule.at or "", node, extras))
                continue
            try:
                under, rank = here.tie(tie, item, values, place)
            except FormatError as error:
                known = values.get(tie.id or "")
                name = f"{rule.word} {known}" if known else spell(place)
                raise self.fail(error.message, name) from None
            here.add(item, under, rank)
        for here in tied.values():
            for code, item, before in here.build():
                self.notices.append(
                    notice(
                        code,
                        menu=here.menu.id,
                        menu_name=here.menu.title or here.menu.key,
                        item=item.id,
                        path=(item.label,),
                        before=before,
                        origin=f"{self.file}: {rule.word} {item.id}",
                    )
                )

    # Locations and what is left

    def _locations(
        self, theme: Theme | None, menus: dict[str, Menu], extras: list[Extra]
    ) -> list[Location]:
        rule = self.profile.locations
        found: list[Location] = []
        places = {place.name: place for place in theme.locations} if theme else {}
        if rule.form == "names":
            for name, place in places.items():
                shown = (menus[name].id,) if name in menus else ()
                found.append(replace(location_of(self.profile, name, place), menus=shown))
            return found
        if rule.form == "keys":
            for name, place in places.items():
                node = self.shape.step(self.tree, self.paths.locations[0])
                for part in self.paths.locations[1:]:
                    node = self.shape.step(node, part)
                held = self.shape.step(node, name) if node is not None else None
                if held is not None and not isinstance(held, str):
                    raise self.fail(
                        f"found {kind_of(held)} where the key of a menu is needed",
                        f"{rule.at.replace('/', '.')}.{name}",
                    )
                location = location_of(self.profile, name, place)
                found.append(self._holding(location, held, menus, f"{rule.at}/{name}", extras))
            return found
        record = RecordRule(self.shape, rule.fields)
        for place_, node in self._records(self.paths.locations):
            values, unread = self._values(record, node, place_)
            extras.extend(Extra(f"{place_}/{e.path}", e.value, e.again) for e in unread)
            name = values["name"]
            location = location_of(self.profile, name, places.get(name))
            if values.get("caption"):
                location = replace(location, caption=values["caption"])
            if any(known.name == name for known in found):
                raise self.fail(f"two locations are named {name!r}", spell(place_))
            held = values.get("menu")
            found.append(self._holding(location, held, menus, f"{place_}/menu", extras))
        return found

    def _holding(
        self,
        location: Location,
        held: str | None,
        menus: dict[str, Menu],
        place: str,
        extras: list[Extra],
    ) -> Location:
        if not held:
            return location
        if held not in menus:
            extras.append(Extra(place, held))
            self.notices.append(
                notice("place.unknown", before=held, after=location.name, origin=self.file)
            )
            return location
        return replace(location, menus=(menus[held].id,))

    def _unread_sections(self, extras: list[Extra]) -> None:
        """What stands in the document beside and between the sections that rules read."""
        known: dict[str, Any] = {}
        leaf: dict[str, Any] = {"": True}
        paths = [*self.paths.content]
        if self.paths.menus:
            paths.append(self.paths.menus)
        if self.profile.recognise.columns:
            paths += [("columns",), ("delimiter",)]
        form = self.profile.locations.form
        if form == "records":
            paths.append(self.paths.locations)
        elif form == "keys":
            named = {p.name for theme in self.profile.themes.values() for p in theme.locations}
            paths += [(*self.paths.locations, name) for name in sorted(named)]
        if self.paths.items:
            paths.append(self.paths.items)
        paths += [tuple(plain(rule).at.split("/")) for rule in self.profile.site.fields.values()]
        for path in paths:
            node = known
            for part in path[:-1]:
                node = node.setdefault(part, {})
            node[path[-1]] = leaf
        stack: list[tuple[Any, dict[str, Any], str]] = [(self.tree, known, "")]
        counts: Counter[str] = Counter()
        while stack:
            node, rules, prefix = stack.pop()
            for key, value in self.shape.pairs(node):
                rule = rules.get(key)
                path_ = prefix + key
                if rule is leaf:
                    continue
                if rule is None:
                    if value is not None and value != []:
                        extras.append(Extra(path_, value, counts[path_]))
                        counts[path_] += 1
                elif isinstance(value, dict):
                    stack.append((value, rule, path_ + "/"))
                elif value is not None:
                    raise self.fail(f"found {kind_of(value)} where a mapping is needed", path_)

    def _used(self, theme: Theme | None) -> set[str]:
        """Keys of menus that the records of a bound panel show."""
        if theme is None or theme.panels is None or theme.panels.encoding != "bound":
            return set()
        nodes: list[Any] = [node for _, node in self._records(tuple(theme.panels.at.split("/")))]
        for part in theme.panels.menus.split("/"):
            deeper: list[Any] = []
            for node in nodes:
                if part == "*" and isinstance(node, list):
                    deeper += node
                elif isinstance(node, dict) and part in node:
                    deeper.append(node[part])
            nodes = deeper
        return {node for node in nodes if isinstance(node, str)}


def implied_place(key: str) -> str:
    """The place of a menu that has no record of its own."""
    return f"menu {key}"


def _whole(key: str | None, values: Values) -> int:
    text = values.get(key, "0") if key else "0"
    try:
        return int(text)
    except ValueError:
        name = (key or "").lstrip("@")
        raise FormatError(f"{name}: {text!r} is not a whole number") from None


def _whole_record(path: str, node: Any, extras: list[Extra]) -> Extra:
    """A record that no rule matched; its place among its like may change, so it is counted."""
    return Extra(path, node, sum(extra.path == path for extra in extras))


class _Tied:
    """Flat records of one menu, to be tied into trees by the parent that each one names."""

    def __init__(self, menu: Menu) -> None:
        self.menu = menu
        self.entries: list[tuple[Item, str, int]] = []
        self.open: list[str] = []

    def tie(self, rule: TieRule, item: Item, values: Values, place: str) -> tuple[str, int]:
        """Give an item its id, and find the id of its parent and its order among siblings."""
        if rule.structure == "parent":
            item.id = values.get(rule.id or "", place)
            under = values.get(rule.under or "", rule.top)
            return ("" if under == rule.top else under), _whole(rule.order, values)
        number = values.get(rule.number or "")
        if number is None:
            raise FormatError(f"it has no {(rule.number or '').lstrip('@')}, which is needed")
        if rule.structure == "level":
            level = _whole(rule.number, values)
            if level < 1:
                raise FormatError(f"{rule.number}: the level {level} is less than 1")
            item.id = f"{self.menu.key} {len(self.entries) + 1}"
            del self.open[level - 1 :]
            above = self.open[-1] if self.open else ""
            self.open += [item.id] * (level - len(self.open))
            return above, 0
        parts = number.split(rule.between)
        if rule.structure == "lineage":
            item.id = values.get(rule.id or "", parts[-1])
            return (parts[-2] if len(parts) > 1 else ""), _whole(rule.order, values)
        if not all(part.isascii() and part.isdigit() for part in parts):
            raise FormatError(f"{rule.number}: {number!r} is not a place in an outline")
        places = [str(int(part)) for part in parts]
        item.id = f"{self.menu.key} {rule.between.join(places)}"
        above = f"{self.menu.key} {rule.between.join(places[:-1])}" if len(places) > 1 else ""
        return above, int(places[-1])

    def add(self, item: Item, under: str, rank: int) -> None:
        self.entries.append((item, under, rank))

    def build(self) -> list[tuple[str, Item, str]]:
        """Fill the menu, and name the items whose parent is missing or that form a ring.

        These come last at the top level, in file order; everything below them stays there.
        """
        at: dict[str, int] = {}
        for index, (item, _, _) in enumerate(self.entries):
            at.setdefault(item.id, index)
        parents = [at.get(under, -2) if under else -1 for _, under, _ in self.entries]
        ringed = _ringed(parents)
        odd: list[tuple[str, Item, str]] = []
        last: list[Item] = []
        below: dict[int, list[tuple[int, Item]]] = {}
        for index, (item, under, rank) in enumerate(self.entries):
            parent = parents[index]
            if parent == -2 or index in ringed:
                odd.append(("read.ring" if index in ringed else "read.orphan", item, under))
                last.append(item)
            else:
                below.setdefault(parent, []).append((rank, item))
        for parent, children in below.items():
            children.sort(key=lambda pair: pair[0])
            items = [item for _, item in children]
            if parent < 0:
                self.menu.items = items
            else:
                self.entries[parent][0].children = items
        self.menu.items += last
        return odd


def _ringed(parents: list[int]) -> set[int]:
    """The indices that stand on a ring of parents."""
    state = [0] * len(parents)  # 0 unseen, 1 on the way, 2 settled
    rings: set[int] = set()
    for start in range(len(parents)):
        if state[start]:
            continue
        way: list[int] = []
        at = start
        while at >= 0 and state[at] == 0:
            state[at] = 1
            way.append(at)
            at = parents[at]
        if at >= 0 and state[at] == 1:
            rings.update(way[way.index(at) :])
        for index in way:
            state[index] = 2
    return rings
