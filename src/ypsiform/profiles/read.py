"""Reading: a neutral tree and a profile to a site, and everything that no rule asked for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from itertools import pairwise
from typing import Any

from msgspec.structs import replace

from ..addresses import Hosts
from ..containers import ASIDE, FORMATS, LEFT_OUT, Repeated, Shape
from ..containers.json import kind_of
from ..encodings import Encoding, encoding_of
from ..encodings.base import Found, PanelRule
from ..errors import FormatError
from ..findings import Finding, notice
from ..model import (
    EVERYONE,
    Content,
    Extra,
    Item,
    Location,
    Menu,
    MenuReference,
    Piece,
    Rows,
    Site,
    blocks_of,
    number,
    rows_of,
)
from . import paths
from .codecs import OutsideError, chain
from .files import SEVERAL, shape_of
from .items import Items, Mark
from .pages import Pages
from .places import location_of, places_of
from .records import Pairs, RecordRule, Values, marks_of, plain
from .schema import ContentRule, PlaceRule, Profile, Theme
from .sections import Section, Sections, below, entry_id, inner, mixed, said_key
from .ties import LISTED_AT, LISTED_UNDER, OF_MENU, Odd, Tied, owners


class ReadResult:
    """A site as it was read, its rows, and notices about how it was read.

    `used` are keys of menus that something other than a location shows, such as a panel's record.
    """

    def __init__(self, site: Site, rows: Rows, notices: list[Finding], used: set[str]) -> None:
        self.site = site
        self.rows = rows
        self.notices = notices
        self.used = used


def site_of(
    tree: Any,
    profile: Profile,
    file: str,
    theme: str | None = None,
    fold_from: int | None = 0,
    encoded: str | None = None,
) -> ReadResult:
    """Read a tree by a profile. `theme`, where given, wins over the file's own.

    `fold_from`: of records of panels beside the menus this one is the first that is read as a
    panel; None: they stay as they are, as what stands at a destination does. `encoded`: the theme
    whose panels are read, where that is another one.

    Raises `FormatError` with file and place where the tree cannot be what the profile describes.
    """
    return _Reader(tree, profile, file, theme, fold_from, encoded).read()


def spell(place: str) -> str:
    """A place in a tree as a person reads it: `trees[0].entries[2]`."""
    out = ""
    for part in place.split("/"):
        out += f"[{part}]" if part.isdigit() else ("." if out else "") + part
    return out


class _Reader:
    def __init__(
        self,
        tree: Any,
        profile: Profile,
        file: str,
        theme: str | None,
        fold_from: int | None,
        encoded: str | None,
    ) -> None:
        self.encoded = encoded
        self.profile, self.file, self.fold_from = profile, file, fold_from
        self.shape: Shape = shape_of(profile)
        self.left_out: dict[str, int] = tree.get(LEFT_OUT, {}) if isinstance(tree, dict) else {}
        self.aside: dict[str, int] | None = tree.get(ASIDE) if isinstance(tree, dict) else None
        self.tree = self.shape.root(tree)
        self.paths = Sections(profile)
        self.notices: list[Finding] = []
        # Records that no rule matched, counted by the list that they stand in.
        self.whole: dict[str, int] = {}
        self.asked_theme = theme
        self.marks: Mark = {}
        self.theme: Theme | None = None
        self.spoken: tuple[str, ...] = ()
        # Who sees menus that say so themselves, by their keys.
        self.restricted: dict[str, tuple[str, ...]] = {}

    def fail(self, message: str, place: str) -> FormatError:
        return FormatError(message, file=self.file, place=place)

    def read(self) -> ReadResult:
        profile = self.profile
        facts, extras = self._site_facts()
        theme_name = self.asked_theme or facts.get("theme") or next(iter(profile.themes), None)
        profile.require_theme(self.asked_theme)
        own = facts.get("theme")
        if self.asked_theme and own and own != self.asked_theme:
            other = notice("read.other-theme", before=own, after=self.asked_theme, origin=self.file)
            self.notices.append(other)
        theme = self.theme = profile.theme(theme_name)
        if theme is None and theme_name:
            self.notices.append(notice("read.theme", before=theme_name, origin=self.file))
        address = facts.get("address")
        self.contents = self._contents(extras)
        by_paths = profile.items.tie.of_paths
        if by_paths and not address:
            address = paths.origin(self.contents)
        self.hosts = Hosts([address] if address else [])
        if by_paths:
            self.contents = paths.from_root(self.contents, self.hosts)
        encoded = self.encoded or theme_name
        self.items = Items(profile, self.shape, encoded)
        self.encoding = encoding_of(profile.panels_of(encoded))
        if self.encoding is not None:
            self.encoding.target, self.encoding.said = self.items.target_in, self.items.said_in
            self.encoding.address = self.items.addressed
        self.items.look_up(self.hosts, self.contents)
        self.items.routes(self.shape, self.tree)
        self.items.language = facts.get("language") or ""
        if by_paths:
            menus = self._path_menus(theme)
        else:
            menus = self._page_menus(extras) if profile.items.pages else self._menus()
        if profile.items.pages or by_paths:
            pass
        elif profile.items.tie.nests:
            self._nested_items(menus)
        else:
            self._tied_items(menus, extras)
        self._restrict([menu for menu, _ in menus])
        self._left_out()
        locations = self._locations(theme, [menu for menu, _ in menus], extras)
        self._unread_sections(extras)
        if self.encoding is not None:
            menus = self._panels_beside(self.encoding, menus, locations, extras)
        language = facts.get("language") or self.items.language
        site = Site(
            platform=profile.id,
            theme=theme_name,
            addresses=(address,) if address else (),
            languages=self.spoken or ((language,) if language else ()),
            contents=self.contents,
            menus=[menu for menu, _ in menus],
            locations=locations,
            extras=tuple(extras),
            file=self.file,
        )
        encoding, shown = self.encoding, set[str]()
        if encoding is not None:
            # In every menu: where it is placed may change, what its items say does not.
            for menu in site.menus:
                if encoding.folds(menu.id, locations):
                    menu.items = encoding.fold(menu.items, self.marks)
            self._tell_unseen(encoding)
            if encoding.shows_menus:
                shown = _filled(site)
        if encoded != theme_name:
            self._other_panels(site, theme_name)
        if self.marks:
            self._unused_marks(site)
        return ReadResult(site, number(site), self.notices, self._used(theme) | shown)

    def _restrict(self, menus: list[Menu]) -> None:
        """Let the items at the top of a menu be seen by those who see the menu."""
        for menu in menus:
            audience = self.restricted.get(menu.key)
            for item in menu.items if audience else ():
                # A part of a panel has no people of its own.
                part = self.profile.items.tie.beside and item.origin in self.marks
                if item.traits.audience == EVERYONE and not part:
                    item.traits = replace(item.traits, audience=audience)

    def _other_panels(self, site: Site, theme: str | None) -> None:
        """Say which items open panels of the file's own theme that another one does not know."""
        was = encoding_of(self.profile.panels_of(theme))
        for menu in site.menus if was is not None and was.rule != self._panel_rule() else ():
            items = was.fold(menu.items, {}) if was is not None else []
            for item in items:
                if item.panel is not None:
                    self.notices.append(
                        notice(
                            "panel.unknown",
                            menu=menu.id,
                            menu_name=menu.title or menu.key,
                            item=item.id,
                            path=(item.label,),
                            before=theme,
                            after=self.encoded,
                            origin=self.file,
                        )
                    )

    def _panels_beside(
        self,
        encoding: Encoding,
        menus: list[tuple[Menu, Any]],
        locations: list[Location],
        extras: list[Extra],
    ) -> list[tuple[Menu, Any]]:
        """Read the panels that stand beside the menus. Returns the menus that are left."""
        found = Found(menus, locations, extras)
        found.first = self.fold_from
        found.made = lambda key, place: self._menu(key, {}, (), place)
        if encoding.splits:
            shown_at = encoding.rule.shown_at
            here = found.sequence_at = f"{self.profile.locations.at}/{shown_at}"
            places = places_of(self.profile, self.theme)
            place = next((place for place in places if place.name == shown_at), PlaceRule(""))
            found.menu_key, found.place_key = place.sequence or "", place.key or place.name
            found.sequence = inner(self.shape, self.tree, here)
            self.whole.pop(here, None)
            found.unread = lambda entry: self._whole_record(here, entry, extras)
        encoding.menus_read(found)
        return found.menus

    def _tell_unseen(self, encoding: Encoding) -> None:
        """Say what items that only wrap a column say that nobody sees, and which widths are odd."""
        for top, shares in encoding.uneven:
            spans = [c.span for c in top.panel.columns if c.span] if top.panel is not None else []
            self.notices.append(
                notice(
                    "read.shares",
                    item=top.id,
                    path=(top.label,),
                    before=" : ".join(map(str, shares)),
                    after=" : ".join(map(str, spans)),
                    origin=f"{self.file}: {spell(top.origin)}",
                )
            )
        for top, wrapper in encoding.unseen:
            address = wrapper.target.address or wrapper.target.content
            self.notices.append(
                notice(
                    "read.wrapper",
                    item=top.id,
                    path=(top.label, wrapper.label),
                    before=address,
                    origin=f"{self.file}: {spell(wrapper.origin)}",
                )
            )

    def _panel_rule(self) -> PanelRule | None:
        return self.encoding.rule if self.encoding is not None else None

    def _unused_marks(self, site: Site) -> None:
        """What says that an item is part of a panel, where there is no such panel, is unread."""
        for thing in rows_of(site.menus).things:
            part = self.marks.get(thing.origin)
            if part is not None and isinstance(thing, Item):
                kind = self.items.compiled.by_part[part][0]
                said = tuple(Extra(key, word) for key, word in kind.fixed if word)
                thing.extras = (*said, *thing.extras)

    def _left_out(self) -> None:
        """Say what a container did not pass on."""
        left = self.left_out
        if left:
            words = ", ".join(f"{name} ({count})" for name, count in sorted(left.items()))
            self.notices.append(notice("read.script", before=words, origin=self.file))
        if self.aside is not None:
            pairs = sorted(self.aside.items(), key=lambda pair: (-pair[1], pair[0]))
            words = ", ".join(f"{name} ({count})" for name, count in pairs) or "nothing"
            self.notices.append(notice("read.page", before=words, origin=self.file))

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
            if rule.through:
                # Of several languages the first is that of labels that do not say theirs.
                try:
                    self.spoken = tuple(chain(rule.through, name)[0](node))
                except OutsideError:
                    continue  # it says none
                node = next(iter(self.spoken), "")
            facts[name] = node
        return facts, extras

    def _records(self, section: Section) -> list[tuple[str, Any]]:
        try:
            return section.read(self.shape, self.tree)
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
        known: dict[tuple[str, str], str] = {}
        for rule, section in zip(self.profile.content, self.paths.content, strict=True):
            own: tuple[str, ...] = (rule.inside,) if rule.inside else ()
            if self.profile.items.pages:
                own = Pages(self.profile, self.shape, self.tree).own
            record = RecordRule(
                self.shape.of(rule.at),
                rule.fields,
                own=own,
                fold=rule.fold,
                embedded=rule.embedded,
                composed=rule.composed,
                marks=marks_of(rule.only),
            )
            for place, node in self._records(section):
                values, unread = self._values(record, node, place)
                content = self._content(rule, values, unread, place)
                if content is not None and (content.kind, content.id) in known:
                    # Items point to the first of those that have one id.
                    self.notices.append(
                        notice(
                            "read.same-id",
                            before=content.title or content.path or content.id,
                            after=known[content.kind, content.id],
                            origin=f"{self.file}: {spell(place)}",
                        )
                    )
                    content = None
                elif content is not None:
                    said = content.title or content.path or content.id
                    known[content.kind, content.id] = said
                if content is None:
                    extras.append(self._whole_record(rule.at, node, extras))
                else:
                    found.append(content)
        return found

    def _content(
        self, rule: ContentRule, values: Values, unread: list[Extra], place: str
    ) -> Content | None:
        key = values.get("key")
        kind = rule.kind or values.get("kind")
        path = values.get("path")
        ident = values.get("id", key or path)
        if kind is None or not ident:
            return None  # nothing can point to it
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

    # Menus and items

    def _menus(self) -> list[tuple[Menu, Any]]:
        rule, section = self.profile.menus, self.paths.menus
        record = RecordRule(
            self.shape.of(rule.at or ""),
            rule.fields,
            own=self.profile.items.tie.own_keys,
            embedded=rule.embedded,
            composed=rule.composed,
            marks=marks_of(rule.only),
        )
        self.named_places: dict[str, tuple[str, ...]] = {}
        found: list[tuple[Menu, Any]] = []
        seen: set[str] = set()
        for place, node in self._records(section) if section else ():
            if place == ".":
                # The document itself: what is not of the menu is read by other rules.
                values, unread = record.read_pairs(record.known_pairs(node))
            else:
                values, unread = self._values(record, node, place)
            key = values.get("key") or rule.one
            if key is None:
                raise self.fail("the menu has no key", spell(place))
            if not isinstance(key, str):
                raise self.fail(f"found {kind_of(key)} where a key is needed", spell(place))
            if key in seen:
                raise self.fail(f"two menus have the key {key!r}", spell(place))
            seen.add(key)
            place_ = record.slots.get("place")
            if place_ is not None:  # one that names no place is placed nowhere
                unread = [e for e in unread if e.value != "" or e.path != place_.key]
            menu = self._menu(key, values, tuple(unread), place)
            if values.get("audience", EVERYONE) != EVERYONE:
                self.restricted[key] = values["audience"]
            named = key if place == "." else values.get("place", ())
            places = (named,) if isinstance(named, str) else tuple(named)
            self.named_places[key] = tuple(name for name in places if name)
            found.append((menu, node))
        return found

    def _page_menus(self, extras: list[Extra]) -> list[tuple[Menu, Any]]:
        """Menus that are generated from pages."""
        encoding = self.encoding
        pages = Pages(self.profile, self.shape, self.tree, encoding, self.fold_from)
        try:
            found = pages.menus(self.items, set())
        except FormatError as error:
            raise self.fail(error.message, spell(error.place)) from None
        extras += pages.unused()
        if encoding is not None:
            encoding.folded = pages.folded
        return found

    def _path_menus(self, theme: Theme | None) -> list[tuple[Menu, Any]]:
        """The menu that the paths of pages make, where the theme has one."""
        if theme is not None and theme.no_menus:
            return []
        return [(paths.menu_of(self.contents, self.hosts), None)]

    def _menu(self, key: str, values: Values, extras: tuple[Extra, ...], place: str) -> Menu:
        return Menu(
            id=key,
            key=key,
            title=values.get("title", ""),
            items=[],
            language=values.get("language"),
            saved=values.get("saved", True),
            owner="platform" if key in self.profile.menus.platform else "site",
            rule=values.get("rule") or None,
            extras=extras,
            origin=place,
        )

    def _item(self, pairs: Pairs, place: str, lacks: Collection[str] = ()) -> tuple[Item, Values]:
        try:
            values, extras = self.items.record.read_pairs(pairs)
            return self.items.item(values, extras, place, self.marks, lacks), values
        except FormatError as error:
            raise self.fail(error.message, spell(place)) from None

    def _nested_items(self, menus: list[tuple[Menu, Any]]) -> None:
        tie, shape, record = self.profile.items.tie, self.items.shape, self.items.record
        inside = tie.inside or ""
        encoding = self.encoding
        for menu, menu_node in menus:
            # What is still to be read: a node, the key of what stands in it, where that goes.
            stack: list[tuple[Any, str, list[Item], str, str]] = [
                (menu_node, tie.first or inside, menu.items, menu.origin, menu.key)
            ]
            while stack:
                holder, key, into, above, ident = stack.pop()
                place = key if above == "." else f"{above}/{key}"
                at = 0
                ranks: list[int] = []
                try:
                    for name, node in below(shape, tie, holder, key):
                        here = f"{place}/{name}"
                        if not isinstance(node, dict):
                            raise self.fail(
                                f"found {kind_of(node)} where a mapping is needed", spell(here)
                            )
                        item, values = self._item(record.pairs(node), here)
                        at += 1
                        item.id = values.get(tie.id or "") or f"{ident}.{at}"
                        into.append(item)
                        if tie.order and not tie.keyed:
                            ranks.append(self._rank(inner(shape, node, tie.order), here))
                        if encoding is not None:
                            encoding.language = encoding.language or self.items.language
                            encoding.item_read(node, item, here, self._in_cell)
                            if item.panel is not None:
                                continue
                        held = inner(shape, node, inside)
                        if held or (held is not None and shape.ALWAYS_TEXT):
                            if self._opens(node):
                                stack.append((node, inside, item.children, here, item.id))
                            else:
                                item.extras = (*item.extras, Extra(inside, held))
                except FormatError as error:
                    if error.file:
                        raise
                    raise self.fail(error.message, spell(error.place or place)) from None
                if any(one > other for one, other in pairwise(ranks)):
                    order = sorted(range(len(into)), key=ranks.__getitem__)
                    into[:] = [into[n] for n in order]

    def _rank(self, value: Any, place: str) -> int:
        """The number by which a record stands among its siblings; 0 where it says none."""
        if value is None or value == "":
            return 0
        try:
            return int(str(value))
        except ValueError:
            key = self.profile.items.tie.order
            raise self.fail(f"{key}: {value!r} is not a whole number", spell(place)) from None

    def _in_cell(self, node: Any, place: str, lacks: Collection[str]) -> Item:
        """An item in a cell of a panel, whose record does not hold what it `lacks`."""
        if not isinstance(node, dict):
            raise self.fail(f"found {kind_of(node)} where a mapping is needed", spell(place))
        item, values = self._item(self.items.record.pairs(node), place, lacks)
        item.id = values.get(self.profile.items.tie.id or "", "")
        return item

    def _opens(self, node: Any) -> bool:
        """Whether what stands inside a record are items, by the values that the profile asks."""
        asked = self.profile.items.tie.with_
        return all(inner(self.shape, node, key) == value for key, value in asked.items())

    def _tied_items(self, menus: list[tuple[Menu, Any]], extras: list[Extra]) -> None:
        rule, tie = self.profile.items, self.profile.items.tie
        tied: dict[str, Tied] = {menu.key: Tied(menu) for menu, _ in menus}
        say = said_key(self.profile)
        keys = {say(menu.key): menu.key for menu, _ in menus}
        section = self.paths.items
        held: dict[str, str] | None = None
        if tie.in_menus and tie.inside:
            records, held = self._held(menus, tie.inside)
        else:
            records = self._records(section) if section else []
        joined = self._joined(extras, records)
        read: list[tuple[str, Any, Item, Values]] = []
        for place, node in records:
            pairs = self.items.record.pairs(node) if isinstance(node, dict) else []
            if not isinstance(node, dict):
                raise self.fail(f"found {kind_of(node)} where a mapping is needed", spell(place))
            pairs += joined.get(place, ())
            if tie.beside and f"/{tie.beside}/" in place[-len(tie.beside) - 12 :]:
                pairs.insert(0, ("#name", tie.beside))
            item, values = self._item(pairs, place)
            read.append((place, node, item, values))
        owner = held
        if owner is None and not self.profile.menus.one:
            owner = self._owners(keys, menus, read)
        one = self.profile.menus.one
        for place, node, item, values in read:
            key = one or (owner[place] if owner is not None else values.get(tie.menu or "", ""))
            key = keys.get(key, key)
            if key not in tied and key and self.paths.menus is None:
                menu = self._menu(key, {}, (), implied_place(key))
                menus.append((menu, None))
                tied[key] = Tied(menu)
            here = tied.get(key)
            if here is None:
                extras.append(self._whole_record(rule.at or "", node, extras))
                continue
            try:
                here.tie(tie, item, values, place)
            except FormatError as error:
                known = values.get(tie.id or "")
                name = f"{rule.word} {known}" if known else spell(place)
                raise self.fail(error.message, name) from None
        for here in tied.values():
            self.notices += [self._odd(odd) for odd in here.build()]

    def _held(
        self, menus: list[tuple[Menu, Any]], inside: str
    ) -> tuple[list[tuple[str, Any]], dict[str, str]]:
        """The records that stand in their menus, and for the place of each the key of its menu."""
        records: list[tuple[str, Any]] = []
        owner: dict[str, str] = {}
        for menu, node in menus:
            above = f"{menu.origin}/{inside}"
            tie = self.profile.items.tie
            try:
                found = [
                    (f"{inside}/{name}", r) for name, r in below(self.shape, tie, node, inside)
                ]
            except FormatError as error:
                raise self.fail(error.message, spell(above)) from None
            if tie.beside:
                found = mixed(self.shape, node, (inside, tie.beside))
            for name, record in found:
                records.append((f"{menu.origin}/{name}", record))
                owner[records[-1][0]] = menu.key
        return records, owner

    def _owners(
        self,
        keys: dict[str, str],
        menus: list[tuple[Menu, Any]],
        read: list[tuple[str, Any, Item, Values]],
    ) -> dict[str, str] | None:
        """The menu of each record, by place, where records do not name it themselves.

        `keys`: the key of each menu by what records say for it. What a record stands under then
        becomes `top` where that is the menu.
        """
        tie = self.profile.items.tie
        above = tie.under or ""
        if tie.lists:
            self._listed(menus, read)
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
        self, menus: list[tuple[Menu, Any]], read: list[tuple[str, Any, Item, Values]]
    ) -> None:
        """Say of each record what lists it, and where in that list, as if it had said so itself."""
        tie = self.profile.items.tie
        under: dict[str, tuple[str, int]] = {}
        say = said_key(self.profile)
        holders = [
            (OF_MENU + say(menu.key), node, tie.first or tie.inside or "") for menu, node in menus
        ]
        holders += [(v.get(tie.id or "", p), node, tie.inside or "") for p, node, _, v in read]
        for ident, node, key in holders:
            listed = inner(self.shape, node, key)
            if listed is None:
                head = key.rpartition("/")[0]
                above = inner(self.shape, node, head) if head else None
                if above is not None and not isinstance(above, dict):
                    where = f"{ident.removeprefix(OF_MENU)}.{spell(head)}"
                    raise self.fail(f"found {kind_of(above)} where a mapping is needed", where)
                continue
            if not isinstance(listed, list):
                where = f"{ident.removeprefix(OF_MENU)}.{key}"
                raise self.fail(f"found {kind_of(listed)} where a list is needed", where)
            for rank, name in enumerate(listed):
                found = entry_id(tie, self.shape, name)
                if found is None:
                    place = f"{ident.removeprefix(OF_MENU)}.{spell(key)}[{rank}]"
                    wanted = tie.each or "an id"
                    raise self.fail(f"found {name!r} where {wanted} is needed", place)
                under.setdefault(found, (ident, rank))
        for place, _, _, values in read:
            parent, rank = under.get(values.get(tie.id or "", place), ("", 0))
            values[LISTED_UNDER], values[LISTED_AT] = parent, str(rank)

    def _joined(self, extras: list[Extra], records: list[tuple[str, Any]]) -> dict[str, Pairs]:
        """For the place of each record the keys and values of the records joined to it."""
        found: dict[str, Pairs] = {}
        ident = self.profile.items.tie.id or ""
        for join, section in zip(self.profile.items.joins, self.paths.joins, strict=True):
            by_key: dict[str, list[Any]] = {}
            for _, node in self._records(section):
                by_key.setdefault(str(inner(self.shape, node, join.on)), []).append(node)
            for place, node in records:
                more = by_key.get(str(inner(self.shape, node, ident)))
                if not more:
                    continue
                skip = {join.on, *join.only}
                found.setdefault(place, []).extend(
                    (f"{join.name}/{key}", value)
                    for key, value in self.shape.pairs(more.pop(0))
                    if key not in skip
                )
            for left in by_key.values():
                for node in left:
                    extras.append(self._whole_record(join.at, node, extras))
        return found

    def _odd(self, odd: Odd) -> Finding:
        return notice(
            odd.code,
            menu=odd.menu.id,
            menu_name=odd.menu.title or odd.menu.key,
            item=odd.item.id,
            path=(odd.item.label,),
            before=odd.parent,
            after=odd.above,
            origin=f"{self.file}: {self.profile.items.word} {odd.item.id}",
        )

    # Locations and what is left

    def _locations(
        self, theme: Theme | None, listed: list[Menu], extras: list[Extra]
    ) -> list[Location]:
        rule = self.profile.locations
        found: list[Location] = []
        menus = {menu.key: menu for menu in listed}
        places = {place.name: place for place in places_of(self.profile, theme)}
        if rule.open:
            for menu in listed:
                location = location_of(self.profile, menu.key, None)
                found.append(replace(location, menus=(menu.id,)))
            return found
        if rule.form == "names":
            for name, place in places.items():
                shown = (menus[name].id,) if name in menus else ()
                found.append(replace(location_of(self.profile, name, place), menus=shown))
            return found
        if rule.form == "menus":
            shows: dict[str, tuple[str, ...]] = {}
            for menu in listed:
                for name in dict.fromkeys(self.named_places[menu.key]):
                    if rule.first and name in shows:
                        self._tell_second(menu, name)
                        continue
                    shows[name] = (*shows.get(name, ()), menu.id)
            every = dict.fromkeys([*places, *shows])
            return [
                replace(location_of(self.profile, n, places.get(n)), menus=shows.get(n, ()))
                for n in every
            ]
        if rule.form == "keys":
            for name, place in places.items():
                held = inner(self.shape, self.tree, f"{rule.at}/{name}")
                if place.sequence is not None and isinstance(held, list):
                    together = self._sequence(place, held, menus, extras)
                    found.append(replace(location_of(self.profile, name, place), menus=together))
                    continue
                if held is not None and not isinstance(held, str):
                    raise self.fail(
                        f"found {kind_of(held)} where the key of a menu is needed",
                        f"{rule.at.replace('/', '.')}.{name}",
                    )
                location = location_of(self.profile, name, place)
                found.append(self._holding(location, held, menus, f"{rule.at}/{name}", extras))
            return found
        record = RecordRule(self.shape.of(rule.at), rule.fields)
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

    def _tell_second(self, menu: Menu, place: str) -> None:
        """Say that a menu names a location that another one has."""
        self.notices.append(
            notice(
                "place.second",
                menu=menu.id,
                menu_name=menu.title or menu.key,
                before=place,
                origin=f"{self.file}: {spell(menu.origin)}",
            )
        )

    def _sequence(
        self, place: PlaceRule, held: list[Any], menus: dict[str, Menu], extras: list[Extra]
    ) -> tuple[str, ...]:
        """The menus that a location holds one after the other; what else stands there is unread."""
        shown: list[str] = []
        for entry in held:
            key = entry.get(place.sequence) if isinstance(entry, dict) and len(entry) == 1 else None
            menu = menus.get(key) if isinstance(key, str) else None
            if menu is None or menu.id in shown:
                path = f"{self.profile.locations.at}/{place.name}"
                extras.append(self._whole_record(path, entry, extras))
            else:
                shown.append(menu.id)
        return tuple(shown)

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
        self._unclaimed(extras)
        paths = [section.path for section in self.paths.lists()]
        several = self.profile.container == SEVERAL
        kinds = {(name,): rule.container for name, rule in self.profile.files.items()}
        for start, format_ in kinds.items() if several else [((), self.profile.container)]:
            paths += [(*start, name) for name in FORMATS[format_].own]
        if self.profile.items.pages:
            rule = self.profile.items.pages
            paths.append((rule.bars,))
        form = self.profile.locations.form
        if form == "records":
            paths.append(self.paths.locations.path)
        elif form == "keys":
            named = {place.name for place in places_of(self.profile, self.theme)}
            paths += [(*self.paths.locations.path, name) for name in sorted(named)]
        fields = [*self.profile.site.fields.values()]
        if self.paths.menus and not self.paths.menus.path:
            tie = self.profile.items.tie
            fields += [*self.profile.menus.fields.values()]
            fields += [key for key in (tie.first or tie.inside,) if key]
        paths += [tuple(plain(rule).at.split("/")) for rule in fields]
        for kind in self.items.kinds:
            if kind.rule.routes is not None:
                paths.append(tuple(kind.rule.routes.at.split("/")))
        for path in paths:
            node = known
            for part in path[:-1]:
                node = node.setdefault(part, {})
            node[path[-1]] = leaf
        stack: list[tuple[Any, dict[str, Any], str]] = [(self.tree, known, "")]
        counts: Counter[str] = Counter()
        found = self._found()
        while stack:
            node, rules, prefix = stack.pop()
            # Of a key that stands more than once, rules read the last one only.
            count = len(node) if type(node) is Repeated else None
            for at, (key, value) in enumerate(self.shape.pairs(node)):
                known_here = rules.get(key) if count is None or at < count else None
                path_ = prefix + key
                if known_here is leaf:
                    continue
                if known_here is None:
                    left = without(value, found) if found else value
                    for one in left if found and isinstance(left, list) else [left]:
                        if one is not None and one != []:
                            extras.append(Extra(path_, one, counts[path_]))
                            counts[path_] += 1
                elif isinstance(value, dict):
                    stack.append((value, known_here, path_ + "/"))
                elif value is not None:
                    raise self.fail(f"found {kind_of(value)} where a mapping is needed", path_)

    def _found(self) -> set[int]:
        """The records (by identity) that a JSONPath finds, wherever they stand."""
        return {
            id(node)
            for section in (*self.paths.content, self.paths.menus, self.paths.items)
            if section is not None and section.find
            for _, node in self._records(section)
        }

    def _whole_record(self, path: str, node: Any, extras: list[Extra]) -> Extra:
        """A record that no rule matched; its place among its like may change: it is counted."""
        if path not in self.whole:
            self.whole[path] = sum(extra.path == path for extra in extras)
        self.whole[path] += 1
        return Extra(path, node, self.whole[path] - 1)

    def _unclaimed(self, extras: list[Extra]) -> None:
        """Records of a list that several rules share, and that belong to none of them."""
        shared = {s.path for s in self.paths.lists() if s.only and not s.inside}
        for path in sorted(shared):
            at = "/".join(path)
            mine = [section for section in self.paths.lists() if section.path == path]
            claimed = {place for section in mine for place, _ in self._records(section)}
            for place, node in self._records(Section(at, {}, mine[0].keyed)):
                if place not in claimed:
                    extras.append(self._whole_record(at, node, extras))

    def _used(self, theme: Theme | None) -> set[str]:
        """Keys of menus that the records of panels show."""
        if theme is None or theme.panels is None or not theme.panels.menus_at:
            return set()
        nodes: list[Any] = [
            node for _, node in self._records(Section(theme.panels.records_at, {}, None))
        ]
        for part in theme.panels.menus_at.split("/"):
            deeper: list[Any] = []
            for node in nodes:
                if part == "*" and isinstance(node, list):
                    deeper += node
                elif isinstance(node, dict) and part in node:
                    deeper.append(node[part])
            nodes = deeper
        return {node for node in nodes if isinstance(node, str)}


def _filled(site: Site) -> set[str]:
    """Give blocks that show a menu by its key the links of this menu; the keys of these menus."""
    menus = {menu.key: menu for menu in reversed(site.menus)}
    panels = [i.panel for menu in site.menus for i in menu.items if i.panel is not None]
    shown: set[str] = set()
    for piece in (block for panel in panels for block in blocks_of(panel)):
        if isinstance(piece, Piece) and isinstance(piece.holds, MenuReference):
            key = piece.holds.menu
            links = tuple(item.target for item in menus[key].items) if key in menus else ()
            piece.holds = MenuReference(key, links)
            shown.add(key)
    return shown


def without(value: Any, found: set[int], depth: int = 0) -> Any:
    """A value without these records (by identity); None where nothing else was in it."""
    if id(value) in found:
        return None
    if not isinstance(value, (dict, list)) or not value or depth > DEEPEST:
        return value
    if isinstance(value, list):
        return [
            one for held in value if (one := without(held, found, depth + 1)) is not None
        ] or None
    left = {key: without(held, found, depth + 1) for key, held in value.items()}
    return {key: left[key] for key, held in value.items() if held is None or left[key] is not None}


DEEPEST = 200
"""Values nested deeper than this are told whole."""


def implied_place(key: str) -> str:
    """The place of a menu that has no record of its own."""
    return f"menu {key}"
