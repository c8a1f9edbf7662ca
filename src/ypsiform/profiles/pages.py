"""Page trees: menus that a platform generates from its pages, and pages made to show a menu.

Nothing that is content is ever moved, renamed or deleted: writing sets flags, order and the labels
of menus, and makes pointer pages for what the tree cannot hold.
"""

# Long, since a menu that is made of pages is read and written by one value, the tree of pages.

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from ..containers import Repeated, Shape
from ..containers.json import kind_of
from ..encodings import Encoding
from ..errors import FormatError, RefusedError
from ..model import (
    EVERYONE,
    NOWHERE,
    PLAIN,
    Extra,
    Gathers,
    Item,
    Menu,
    Target,
    Traits,
    rows_of,
)
from ..values import as_number
from .items import Items
from .records import RecordRule, plain
from .schema import PageRule, Profile
from .sections import Records, Section, inner, set_at

AGAIN = " again"
"""What is put behind the id of a page that an earlier one has as well."""


class Bar(NamedTuple):
    """A menu that is generated: its place, its record, and what it gathers."""

    place: str
    node: Any
    name: str
    roots: list[Any]
    reach: int
    order: str


class Page(NamedTuple):
    """A page: its record without what menus show of it, and the id of the page above.

    `listed`, `label` and `pointer` are what they show: in a tuple of one, or false where it is not
    there.
    """

    record: Any
    above: str
    listed: Any
    label: Any
    pointer: Any


class Pages:
    """The page tree of one document, and the menus that are generated from it."""

    def __init__(
        self,
        profile: Profile,
        shape: Shape,
        tree: Any,
        encoding: Encoding | None = None,
        first: int | None = None,
    ) -> None:
        rule = profile.items.pages
        assert rule is not None
        self.rule: PageRule = rule
        self.shape, self.tree = shape, tree
        # Records of panels before the first one, or all of them, stay as they are.
        self.encoding, self.first = encoding, first
        content = profile.content[0]
        self.inside = content.inside or ""
        self.title = plain(content.fields["title"]).at
        self.ident = plain(content.fields["id"]).at
        self.path = plain(content.fields["path"]).at
        self.audience = plain(content.fields["audience"]).at
        # What a page says about menus is read here, and is not unread data of its content.
        self.own = (self.inside, rule.listed, rule.label, rule.pointer)
        self.record = RecordRule(shape, content.fields, own=self.own)
        self.section = Section(content.at, {}, None, content.inside)
        # The pages (by identity) that the bar shows which is being filled.
        self.showing: set[int] = set()
        self.read_tree()

    def read_tree(self) -> None:
        """Look at the pages as they are now."""
        self.pages: Records = self.section.read(self.shape, self.tree)
        self.places = {id(node): place for place, node in self.pages}
        self.by_id: dict[str, Any] = {}
        for place, node in self.pages:
            if node.get(self.ident) == "":
                raise FormatError(f"it has no {self.ident}, which is needed", place=place)
            self.by_id.setdefault(str(node.get(self.ident)), node)
        self.records: list[Any] = []
        self.panels: dict[str, int] = {}
        if self.encoding is not None and self.encoding.of_pages and self.first is not None:
            found = inner(self.shape, self.tree, self.encoding.rule.records_at)
            self.records = found if isinstance(found, list) else []
            self.panels = self.encoding.page_records(self.records, self.first)

    def panel_of(self, bar: Bar, node: Any, level: int) -> int | None:
        """The number of the record of the panel that opens below a page in a menu, if one does."""
        if self.encoding is None or level != 1 or bar.name != self.encoding.rule.shown_at:
            return None
        return self.panels.get(str(node.get(self.ident)))

    def bars(self) -> list[Bar]:
        """The menus that are listed. Raises `FormatError` with a place."""
        rule, found = self.rule, []
        for place, node in Section(rule.bars, {}, None).read(self.shape, self.tree):
            if not isinstance(node, dict):
                raise FormatError(f"found {kind_of(node)} where a mapping is needed", place=place)
            name, roots = node.get(rule.name), inner(self.shape, node, rule.roots)
            reach, order = (inner(self.shape, node, key) for key in (rule.reach, rule.order))
            if not isinstance(name, str):
                raise FormatError(f"{rule.name}: a text is needed", place=place)
            if not isinstance(roots, list):
                raise FormatError(f"{rule.roots}: a list of pages is needed", place=place)
            if not all(type(root) in (int, str) for root in roots):
                raise FormatError(f"{rule.roots}: the id of a page is needed", place=place)
            if len({str(root) for root in roots}) < len(roots):
                raise FormatError(f"{rule.roots}: a page is named twice", place=place)
            if type(reach) is not int or reach < 1:
                raise FormatError(f"{rule.reach}: a whole number from 1 is needed", place=place)
            found.append(Bar(place, node, name, roots, reach, str(order)))
        return found

    def said(self, bar: Bar) -> str:
        """The rule of a menu, in words."""
        names = [
            f"“{self._title(self.by_id[str(root)])}” (page {root})"
            if str(root) in self.by_id
            else f"page {root}"
            for root in bar.roots
        ]
        order = "in page order" if bar.order == self.rule.ranked else f"by {bar.order!r}"
        level = "level" if bar.reach == 1 else "levels"
        listed = ", ".join(names) or "no page"
        return f"pages below {listed}, {bar.reach} {level}, {order}"

    def _title(self, node: Any) -> str:
        title = node.get(self.title)
        return title if isinstance(title, str) else ""

    def label(self, node: Any) -> str:
        """The label of a page in menus."""
        short = node.get(self.rule.label)
        return short if isinstance(short, str) and short else self._title(node)

    def children(self, node: Any) -> list[Any]:
        """All pages that stand in a page."""
        held = inner(self.shape, node, self.inside)
        return held if isinstance(held, list) else []

    def _in_order(self, nodes: Iterable[Any], order: str) -> list[Any]:
        shown = [node for node in nodes if node.get(self.rule.listed) is True]
        return shown if order == self.rule.ranked else sorted(shown, key=lambda n: _rank(n, order))

    def shown(self, bar: Bar) -> Iterator[tuple[Any, int, Any]]:
        """The pages of a menu in reading order: each with its level and the page above it."""
        roots = [self.by_id[str(root)] for root in bar.roots if str(root) in self.by_id]
        stack = [
            (node, 1, None)
            for root in reversed(roots)
            for node in reversed(self._in_order(self.children(root), bar.order))
        ]
        while stack:
            node, level, above = stack.pop()
            if level > bar.reach:
                continue
            yield node, level, above
            panel = self.panel_of(bar, node, level)
            if panel is not None and self.encoding and self.encoding.freehand(self.records[panel]):
                continue  # markup stands there instead of the pages below
            below = self._in_order(self.children(node), bar.order)
            stack += [(page, level + 1, node) for page in reversed(below)]

    def origin(self, bar: Bar, node: Any, seen: set[str]) -> str:
        """The place of an item: a page may stand in several menus, and twice in one."""
        place = f"{bar.name}: {self.places[id(node)]}"
        while place in seen:
            place += " again"
        seen.add(place)
        return place

    # Reading

    def menus(self, items: Items, keys: set[str]) -> list[tuple[Menu, Any]]:
        """Each listed menu with its items. Raises `FormatError` with a place."""
        found: list[tuple[Menu, Any]] = []
        self.used: set[int] = set()
        self.folded: set[int] = set()
        for bar in self.bars():
            if bar.name in keys:
                raise FormatError(f"two menus have the name {bar.name!r}", place=bar.place)
            keys.add(bar.name)
            extras = self._of_bar(bar)
            menu = Menu(bar.name, bar.name, "", [], rule=self.said(bar), extras=extras)
            menu.origin, menu.gathers = bar.place, self._gathers(bar)
            made: list[Item] = []
            seen: set[str] = set()
            opens: list[tuple[int, Item]] = []
            for node, level, _ in self.shown(bar):
                item = self._item(node, items, self.origin(bar, node, seen))
                del made[level - 1 :]
                (made[-1].children if made else menu.items).append(item)
                made.append(item)
                self.used.add(id(node))
                panel = self.panel_of(bar, node, level)
                if panel is not None and panel not in self.folded:
                    self.folded.add(panel)
                    opens.append((panel, item))
            for panel, item in opens:
                self._open(panel, item)
            found.append((menu, bar.node))
        return found

    def _open(self, panel: int, item: Item) -> None:
        """Give an item the panel of a record."""
        if self.encoding is not None:
            self.encoding.page_read(
                self.records[panel], item, f"{self.encoding.rule.records_at}/{panel}"
            )

    def _gathers(self, bar: Bar) -> Gathers:
        known = [self.by_id[str(root)] for root in bar.roots if str(root) in self.by_id]
        places = tuple(self.places[id(node)] for node in known)
        whole = places if len(known) == len(bar.roots) else ()
        if any(self._filled(node) for node in known):
            whole = ()  # what a data source makes can be shown in no other way
        return Gathers(whole, bar.reach, bar.order == self.rule.ranked)

    def _filled(self, root: Any) -> bool:
        """Whether a data source makes pages below a page."""
        stack = [root]
        while stack:
            node = stack.pop()
            if isinstance(node, dict):
                if node.get(self.rule.filled):
                    return True
                stack += self.children(node)
        return False

    def _of_bar(self, bar: Bar) -> tuple[Extra, ...]:
        known = {self.rule.name, self.rule.roots, self.rule.reach, self.rule.order}
        fields = {f"field{n}": key for n, key in enumerate(sorted(known))}
        pairs = RecordRule(self.shape, dict(fields)).pairs(bar.node)
        return tuple(Extra(key, value) for key, value in pairs if key not in known)

    def _item(self, node: Any, items: Items, place: str) -> Item:
        values, extras = self.record.read(node)
        pointer = self.pointer(node)
        target, own = self._target(node, pointer, items)
        if pointer is not None and type(pointer) not in (int, str):
            extras = [*extras, Extra(self.rule.pointer, pointer)]
        short = node.get(self.rule.label)
        audience = values.get("audience", EVERYONE)
        return Item(
            id=str(node.get(self.ident)),
            label=self.label(node),
            target=target,
            inherited=own and not (isinstance(short, str) and short),
            children=[],
            traits=Traits(audience=audience) if audience != EVERYONE else PLAIN,
            extras=() if own else tuple(extras),
            origin=place,
        )

    def pointer(self, node: Any) -> Any:
        """What a page points to; an empty text says as little as none."""
        held = node.get(self.rule.pointer)
        return None if held == "" else held

    def _target(self, node: Any, pointer: Any, items: Items) -> tuple[Target, bool]:
        """What a page leads to, and whether that is itself."""
        if pointer is None:
            return Target("page", str(node.get(self.ident))), True
        if type(pointer) is int:
            known = items.by_kind.get(("page", str(pointer)))
            return (Target("page", known.id) if known else Target("page", key=str(pointer))), False
        if pointer == self.rule.none or not isinstance(pointer, str):
            return NOWHERE, False
        return items.addressed(pointer), False

    def standing(self) -> dict[str, Page]:
        """By its id each page, as it stands in the tree."""
        flags = (self.inside, self.rule.listed, self.rule.label, self.rule.pointer)
        above = {f"{place}/{self.inside}/": str(node.get(self.ident)) for place, node in self.pages}
        found: dict[str, Page] = {}
        again: Counter[str] = Counter()
        for place, node in self.pages:
            rest = {key: value for key, value in node.items() if key not in flags}
            parent = above.get(f"{place.rpartition('/')[0]}/", "")
            shown = [key in node and (node[key],) for key in flags[1:]]
            ident = name = str(node.get(self.ident))
            while name in found:  # the count goes on, so that a thousand of one id cost a thousand
                again[ident] += 1
                name = f"{ident}{AGAIN} {again[ident]}"
            found[name] = Page(rest, parent, *shown)
        return found

    def unused(self) -> Iterator[Extra]:
        """Pointer pages that stand in no menu, as unread data."""
        times: Counter[str] = Counter()
        for _, node in self.pages:
            if self.pointer(node) is not None and id(node) not in self.used:
                if self._is_root(node):
                    continue
                rest = {key: value for key, value in node.items() if key != self.inside}
                path = f"{self.section.at}/{node.get(self.ident)}"
                yield Extra(path, rest, times[path])
                times[path] += 1

    def _is_root(self, node: Any) -> bool:
        """Whether a page is nothing but the root of a menu."""
        ident = node.get(self.ident)
        return node.get(self.rule.listed) is not True and any(
            ident in bar.roots for bar in self.bars()
        )

    # Writing

    def write(
        self,
        menu: Menu,
        old: str | None,
        title: str,
        freehand: set[int],
        *,
        same: bool,
        fill: bool,
    ) -> dict[int, int]:
        """Show a menu. Returns for each page that shows an item (by identity) the item's number.

        Where the pages stand then, `read_tree` tells when all menus are written.

        `old` is the name of the menu that it replaces, `same` says that its items are those that
        the file shows already, perhaps with other labels and targets; `fill`, that they can be
        shown by the pages below its root. `freehand`: numbers of items below which markup opens.
        """
        self.freehand_items = freehand
        bar = next((bar for bar in self.bars() if bar.name == (old or menu.key)), None)
        self.numbers: dict[int, int] = {}
        self.menu = menu
        if same and bar is not None and self._alike(bar, menu):
            self._edit(bar, menu)
            return self.numbers
        if len(self.by_id) < len(self.pages):
            counts = Counter(str(node.get(self.ident)) for _, node in self.pages)
            twice = counts.most_common(1)[0][0]
            raise RefusedError(f"two pages have the id {twice!r}: no menu can be written there")
        if bar is not None and fill:
            self._fill_bar(bar, menu)
        else:
            self._new_root(bar, menu, title)
        return self.numbers

    def _alike(self, bar: Bar, menu: Menu) -> bool:
        """Whether a menu has as many items on the same levels as are shown."""
        levels = [level for _, level, _ in self.shown(bar)]
        return levels == levels_of(menu)

    def _edit(self, bar: Bar, menu: Menu) -> None:
        """Change the labels and targets of pages where an item has others."""
        stack = menu.items[::-1]
        for node, _, _ in list(self.shown(bar)):
            item = stack.pop()
            stack += item.children[::-1]
            self.numbers[id(node)] = item.number
            if type(self.pointer(node)) in (int, str):
                wanted = self._pointer(item)
                if item.target.kind == "none" and node[self.rule.pointer] != self.rule.none:
                    node[self.rule.pointer] = wanted
            if item.label != self.label(node):
                node[self.rule.label] = item.label

    def _fill_bar(self, bar: Bar, menu: Menu) -> None:
        root = self.by_id[str(bar.roots[0])]
        reach = bar.reach
        self.showing = {id(node) for node, _, _ in self.shown(bar)}
        stack: list[tuple[Any, list[Item], int]] = [(root, menu.items, 1)]
        while stack:
            page, items, level = stack.pop()
            if level > reach:
                continue
            shown = self._fill(page, items)
            shown = [pair for pair in shown if pair[1].number not in self.freehand_items]
            stack += [(node, item.children, level + 1) for node, item in shown]

    def _fill(self, page: Any, items: list[Item]) -> list[tuple[Any, Item]]:
        """Show these items below a page, in their order."""
        there = self.children(page)
        free = {str(node.get(self.ident)): node for node in there if self._is_content(node)}
        # Pointer pages that say just what one of the items does, as those of an earlier run do.
        alike: dict[str, list[Any]] = {}
        for node in reversed(there):
            shows = id(node) in self.showing and type(node) is not Repeated
            if shows and not self._is_content(node):
                alike.setdefault(self._said(node), []).append(node)
        shown: list[tuple[Any, Item]] = []
        for item in items:
            node = free.pop(item.target.content or "", None)
            if node is None or not self._shows(node, item):
                node = self._pointer_page(item)
                same = alike.get(self._said(node))
                if same:
                    del self.by_id[str(node[self.ident])]
                    node = same.pop()
                    node[self.rule.listed] = True
            else:
                node[self.rule.listed] = True
                if not (item.inherited and item.label == self.label(node)):
                    node[self.rule.label] = item.label
            self.numbers[id(node)] = item.number
            shown.append((node, item))
        staying = {id(node) for node, _ in shown}
        left = [node for node in there if id(node) not in staying]
        for node in left:
            # Pointer pages stay as well: somebody may still want them.
            if node.get(self.rule.listed) is True:
                node[self.rule.listed] = False
        if there or shown:
            self._set(page, self.inside, _merged(there, [node for node, _ in shown]))
        return shown

    def _said(self, node: Any) -> str:
        """What a pointer page says, but for its id, its marks and what is below it."""
        apart = (self.ident, self.inside, self.rule.listed)
        blank = (self.rule.label, self.path)  # without them a page says what it does with nothing
        said = [pair for pair in node.items() if pair[0] not in apart]
        return repr(sorted((k, v) for k, v in said if v is not None or k not in blank))

    def _is_content(self, node: Any) -> bool:
        return self.pointer(node) is None

    def _shows(self, node: Any, item: Item) -> bool:
        """Whether a page of the site can be this item: it is seen by the same people."""
        values, _ = self.record.read(node)
        same = values.get("audience", EVERYONE) == item.traits.audience
        return same and item.target.address is None and bool(item.label)

    def _new_root(self, bar: Bar | None, menu: Menu, title: str) -> None:
        """Show a menu below a root of its own, that is not listed and leads nowhere."""
        root = self._page(f"{menu.key}\0root", title or menu.key, self.rule.none, listed=False)
        while f"(page {root[self.ident]})" in (menu.rule or ""):
            # Another rule than that of the source must not look the same.
            del self.by_id[str(root[self.ident])]
            root[self.ident] += 1
            self.by_id.setdefault(str(root[self.ident]), root)
        self.shape.ensure(self.tree, self.section.path[:-1])
        standing = inner(self.shape, self.tree, self.section.at) or []
        self.section.write(self.shape, self.tree, [*standing, root])
        node = bar.node if bar is not None else self.shape.new()
        if bar is None:
            bars = Section(self.rule.bars, {}, None)
            there = [node for _, node in bars.read(self.shape, self.tree)]
            bars.write(self.shape, self.tree, [*there, node])
        self._set(node, self.rule.name, menu.key)
        self._set(node, self.rule.roots, [root[self.ident]])
        self._set(node, self.rule.reach, max(_depth(menu.items), 1))
        self._set(node, self.rule.order, self.rule.ranked)
        for extra in menu.extras:
            if extra.path not in node:
                self._set(node, extra.path, extra.value)
        stack = [(root, menu.items)]
        while stack:
            page, items = stack.pop()
            below = []
            for item in items:
                made = self._pointer_page(item)
                self.numbers[id(made)] = item.number
                below.append(made)
                stack.append((made, item.children))
            self._set(page, self.inside, below)

    def _set(self, node: Any, path: str, value: Any) -> None:
        set_at(self.shape, node, path, value)

    def _pointer(self, item: Item) -> Any:
        target = item.target
        if target.content is not None and target.address is None:
            number = as_number(target.content)
            if type(number) is not int:  # a text would be an address
                raise RefusedError(
                    f"the id {target.content!r} of a page is no number, so nothing can point to it"
                )
            return number
        if target.kind == "none" and target.address is None:
            return self.rule.none
        return target.address

    def _pointer_page(self, item: Item) -> Any:
        page = self._page(
            f"{self.menu.key}\0{item.id}", item.label, self._pointer(item), listed=True
        )
        if item.traits.audience != EVERYONE:
            page[self.audience] = list(item.traits.audience)
        for extra in item.extras:
            if extra.path in (self.audience, self.rule.pointer):
                page[extra.path] = extra.value  # which no rule could read
            page.setdefault(extra.path, extra.value)
        return page

    def _page(self, name: str, title: str, pointer: Any, *, listed: bool) -> Any:
        """A new page, with an id that is the same in every run."""
        digest = hashlib.blake2s(name.encode(errors="replace")).digest()
        number = int.from_bytes(digest[:4], "big") % 900_000_000 + 100_000_000
        while str(number) in self.by_id:
            number += 1
        page = {
            self.ident: number,
            self.title: title,
            self.rule.label: None,
            self.path: None,
            self.rule.listed: listed,
            self.audience: list(EVERYONE),
            self.rule.pointer: pointer,
            self.inside: [],
        }
        self.by_id[str(number)] = page
        return page


def _rank(node: Any, key: str) -> tuple[int, float, str]:
    """Where a page stands by what it says at a key: numbers, then texts, then those without."""
    said = node.get(key)
    if isinstance(said, (int, float)):
        return (0, said, "")
    text = "" if said is None or isinstance(said, (dict, list)) else str(said)  # a day is one too
    return (1, 0, text) if text else (2, 0, "")


def _depth(items: list[Item]) -> int:
    """The number of levels of these items, and of what is in their panels."""
    return max(rows_of([Menu("", "", "", items)]).depth, default=0)


def levels_of(menu: Menu) -> list[int]:
    """The level of each item of a menu, those in panels too, in reading order."""
    rows = rows_of([menu])
    levels = zip(rows.things, rows.depth, strict=True)
    return [level for thing, level in levels if isinstance(thing, Item)]


def can_fill(menu: Menu, others: list[Menu], made: Menu, filled: list[Menu]) -> bool:
    """Whether the pages below a menu's root can show another menu, with nothing else changed.

    No other menu may show any of them, and the rule of the menu must reach deep enough; where its
    root is below that of one that is `filled`, it would stand at another place.
    """
    rule = menu.gathers
    if rule is None or len(rule.roots) != 1 or not rule.ranked or rule.reach < _depth(made.items):
        return False
    start = rule.roots[0] + "/"
    above = [root for other in filled if other.gathers for root in other.gathers.roots]
    if any(start.startswith(f"{root}/") for root in above if f"{root}/" != start):
        return False
    for other in others:
        for root in other.gathers.roots if other.gathers and other is not menu else ():
            if root.startswith(start):
                return False  # what stands below one of its pages is another menu
            level = start.removeprefix(root).count("/") // 2
            if start.startswith(f"{root}/") and other.gathers and other.gathers.reach > level:
                return False  # what it gathers another menu would show as well
    return not any(
        thing.origin.removeprefix(f"{other.key}: ").startswith(start)
        for other in others
        if other is not menu
        for thing in rows_of([other]).things
    )


def _merged(there: list[Any], shown: list[Any]) -> list[Any]:
    """Pages in the order in which they are shown, the others where they stood among them."""
    old = {id(node) for node in there}
    order = iter([node for node in shown if id(node) in old])
    new_after: dict[int, list[Any]] = {}
    last = 0
    for node in shown:
        if id(node) in old:
            last = id(node)
        else:
            new_after.setdefault(last, []).append(node)
    staying = {id(node) for node in shown}
    merged = list(new_after.get(0, ()))
    for node in there:
        here = next(order) if id(node) in staying else node
        merged.append(here)
        merged += new_after.get(id(here), ())
    return merged
