"""What was read back against what was to be written: the whole of it, value by value.

The comparison with the source says what became of each fact. This one says whether the writer did
what it was told: what a rule made, what stood at the destination and stays, ids and unread data are
as they were planned. Both have to hold. Things are joined on the places that the writer names.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from itertools import chain
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from .. import facts, refs
from ..model import (
    NOWHERE,
    UNSAID,
    Extra,
    Gathers,
    Item,
    Location,
    Menu,
    Panel,
    Piece,
    Rows,
    Site,
    Target,
    links_of,
    rows_of,
    said_traits,
)
from ..profiles.pages import AGAIN, Page, levels_of
from .columns import Joined, in_place

Pages = dict[str, Page]
"""Pages of a page tree by their ids, in the order of the file."""

Key = tuple[int, str, int]
"""A side, a scope and a number, as the lineage has them."""


class Planned(Struct):
    """What is to be read back.

    `menus` are pairs of the key of a menu in the lineage and the menu; `records` are menus whose
    record stays as it is, and so all that it says beside its items. `ids` are those of items, by
    their place. `contents`, `theme`, `addresses` and `languages` are None where they are not known
    beforehand. `captions`: the file says what its locations are called.
    `labels_follow` is false where only writing shows whether a label follows its target. `apart`:
    the start of paths of records that are unread, or are not, by what menus show of them: these
    are `pages`, of which none may go, move, or say anything else. `rules` are those that generated
    menus had. `ordered`: the order of locations is known beforehand.
    """

    menus: list[tuple[Key, Menu]]
    records: dict[Key, Menu]
    locations: list[Location]
    ids: dict[str, str]
    contents: list[Any] | None
    extras: Sequence[Extra]
    theme: str | None
    addresses: tuple[str, ...] | None
    languages: tuple[str, ...] | None
    captions: bool
    labels_follow: bool = True
    apart: str | None = None
    pages: Pages | None = None
    rules: dict[Key, Gathers | None] = {}
    ordered: bool = True


def differences(
    planned: Planned,
    back: Site,
    rows: Rows,
    lineage: Mapping[Key, str],
    pages: Pages | None = None,
) -> list[str]:
    """In what the site read back is not what was planned, in plain sentences; the first ones.

    `pages` are those of the file read back.
    """
    found: list[str] = []
    problems = _Comparison(planned, back, rows, lineage).run()
    for problem in chain(problems, _pages(planned, back, pages)):
        found.append(problem)
        if len(found) == MOST:
            break
    return found


_ROOT = re.compile(r"\(page ([^)]*)\)")


def _pages(planned: Planned, back: Site, pages: Pages | None) -> Iterator[str]:
    """Whether the pages of a tree are what and where they were, but for how menus show them."""
    was = planned.pages
    if was is None or pages is None or planned.apart is None:
        return
    shown = {item.id for item in rows_of(back.menus).things if isinstance(item, Item)}
    for ident, page in was.items():
        # Where a page that a menu shows leads is compared with the item that it is.
        there = pages.get(ident)
        same = there is not None and (ident in shown or there.pointer == page.pointer)
        if there is None or not same or there[:2] != page[:2]:
            yield f"the page {ident} is not there, stands elsewhere, or says something else"
    above = shown | {page.above for ident, page in pages.items() if ident in shown}
    # A menu may show none of the pages below its root, which its rule names.
    above |= {root for menu in back.menus for root in _ROOT.findall(menu.rule or "")}
    unused = [
        extra.path.removeprefix(planned.apart)
        for extra in back.extras
        if extra.path.startswith(planned.apart)
    ]
    yield from (f"the page {n} was written, and no menu shows it" for n in unused if n not in was)
    for ident in unused:
        old, now = was.get(ident), pages.get(ident)
        if old is None or now is None:
            continue
        listed = [old.listed, *([(False,)] if old.above in above else [])]
        if old.label != now.label or now.listed not in listed:
            yield f"the page {ident}, which no menu shows, has other marks"
    # Of pages of one id only the first has a place, and that one may be the root of a menu.
    twice = {ident.partition(AGAIN)[0] for ident in was if AGAIN in ident}
    unused = [ident for ident in unused if ident not in twice]
    if len(set(unused)) < len(unused):
        yield "a page that no menu shows stands there twice"
    # Below each page: the pages above them may be shown in another order than they were.
    order = {ident: at for at, ident in enumerate(was)}
    last: dict[str, int] = {}
    for ident in unused:
        here, at = pages.get(ident), order.get(ident, -1)
        if here is None or at < 0:
            continue
        if at < last.get(here.above, -1):
            yield "pages that no menu shows stand in another order"
            return
        last[here.above] = at


SAID = ("label", "inherited", "role", "target", "hidden", "traits", "translations", "extras")
"""What items say, but for their ids, which the writer gives, and their panels."""

MOST = 20
"""Differences that are said: what is wrong shows in the first ones."""


class _Comparison:
    def __init__(
        self,
        planned: Planned,
        back: Site,
        rows: Rows,
        lineage: Mapping[Key, str],
    ) -> None:
        self.planned, self.back, self.rows, self.lineage = planned, back, rows, lineage
        self.places = {place: at for at, place in enumerate(rows.said("origin"))}
        # The numbers of pages that menus were given as their root.
        self.roots: list[int] = []
        # How many pages stood at the top before.
        self.stood = sum(page.above == "" for page in (planned.pages or {}).values())

    def run(self) -> Iterator[str]:
        yield from self._site()
        menus = {menu.origin: at for at, menu in enumerate(self.back.menus)}
        met: set[int] = set()
        for key, menu in self.planned.menus:
            at = menus.get(self.lineage.get(key, ""), -1)
            if at < 0 or at in met:
                yield f"the menu {menu.key!r} was not read back where it was written"
                continue
            met.add(at)
            yield from self._menu(key, menu, at)
        yield from (
            f"the menu {menu.key!r} was read back, and was not planned"
            for at, menu in enumerate(self.back.menus)
            if at not in met
        )

    # The site

    def _site(self) -> Iterator[str]:
        planned, back = self.planned, self.back
        for name in ("theme", "addresses", "languages"):
            wanted = getattr(planned, name)
            if wanted is not None and wanted != getattr(back, name):
                yield f"the {name} of the site are {getattr(back, name)}, and not {wanted}"
        if planned.contents is not None:
            was = [replace(content, origin="") for content in planned.contents]
            now = [replace(content, origin="") for content in back.contents]
            if planned.apart is not None:  # pages stand in the order in which menus show them
                was.sort(key=lambda content: content.id)
                now.sort(key=lambda content: content.id)
            if was != now:
                changed = next((one for one in now if one not in was), None)
                which = f"{changed.kind} {changed.id}" if changed is not None else "one is missing"
                yield f"the contents are others, or in another order: {which}"
        if self._unread(planned.extras) != self._unread(back.extras):
            yield "the unread data of the file is not what it was"
        wanted = {place.name: place for place in planned.locations}
        order = [place.name for place in back.locations if place.name in wanted]
        met = set(order)
        if planned.ordered and order != [name for name in wanted if name in met]:
            yield "the locations stand in another order"
        for place in back.locations:
            there = wanted.pop(place.name, None)
            if place.menus != (there.menus if there is not None else ()):
                menus = ", ".join(place.menus) or "no menu"
                yield f"the location {place.name!r} shows {menus}"
            elif there is not None and planned.captions and place.caption != there.caption:
                yield f"the location {place.name!r} is called “{place.caption}”"
        yield from (
            f"the location {n!r} is not there"
            for n, p in wanted.items()
            if p.menus or planned.captions
        )

    def _unread(self, extras: Sequence[Extra]) -> list[str]:
        apart = self.planned.apart
        return _bag([e for e in extras if apart is None or not e.path.startswith(apart)])

    # Menus and items

    def _menu(self, key: Key, menu: Menu, at: int) -> Iterator[str]:
        there, says = self.back.menus[at], self.planned.records.get(key, menu)
        for name in ("key", "title", "language", "saved", "owner", "rule"):
            if getattr(says, name) != getattr(there, name):
                if name == "rule" and there.gathers is not None and key[0] != 1:
                    continue  # it is written anew
                yield f"{name} of the menu {menu.key!r} is {getattr(there, name)!r}"
        yield from self._gathers(key, menu, there)
        if _bag(says.extras) != _bag(there.extras):
            yield f"the unread data of the menu {menu.key!r} is not what it was"
        rows = rows_of([menu])
        span = self.rows.of_menu(at)
        if len(rows) != len(span):
            yield f"the menu {menu.key!r} has {len(span)} items and blocks, and not {len(rows)}"
        now = self._now(key, rows)
        placed = in_place(rows, range(len(rows)), now, self.rows) == at
        # Only what differs is looked at by itself.
        differ = self._differ(rows, now)
        for row in range(len(rows)) if not placed or key[0] == 1 else sorted(differ):
            thing, number = rows.things[row], now[row]
            if number < 0:
                yield f"“{_name(thing)}” was not read back where it was written"
                continue
            elsewhere = "" if placed else self._elsewhere(rows, row, now)
            if elsewhere:
                yield f"“{_name(thing)}” stands {elsewhere}"
            there_ = self.rows.things[number]
            if row in differ:
                yield from self._thing(thing, there_)
            if key[0] == 1 and isinstance(thing, Item):
                own = thing.id != thing.origin  # one without an id is called by its place
                if isinstance(there_, Item) and own and there_.id != thing.id:
                    yield f"the id of “{thing.label}” is {there_.id!r}, and not {thing.id!r}"

    def _differ(self, rows: Rows, now: Sequence[int]) -> set[int]:
        """The rows of which something is not as it was planned, or may not be."""
        found = {row for row, at in enumerate(now) if at < 0} if -1 in now else set()
        if len(found) == len(rows):
            return found
        joined = Joined(rows, range(len(rows)), self.rows, now)
        for name in SAID:
            found.update(joined.differ(name))
        ids, places, there = self.planned.ids, self.rows.said("origin"), self.rows.said("id")
        if ids:
            found.update(
                row for row, at in enumerate(now) if ids.get(places[at], there[at]) != there[at]
            )
        for one, which in ((rows, range(len(rows))), (self.rows, now)):
            if one.panelled:
                found.update(row for row, at in enumerate(which) if not _is_plain(one.things[at]))
        return found

    def _gathers(self, key: Key, menu: Menu, there: Menu) -> Iterator[str]:
        """A menu that is generated from pages: by its old rule, or from a page of its own."""
        gathers = there.gathers
        if gathers is None:
            return
        root = _top(gathers)
        if gathers in (menu.gathers, self.planned.rules.get(key)):
            # A rule of the source may be that of a new page by chance, and in a new file it is.
            if root >= self.stood:
                self.roots.append(self.stood + len(self.roots))
            return
        levels = max(levels_of(menu), default=1)
        own = f"pages below “{menu.title or menu.key}” (page "
        whole = gathers.ranked and gathers.reach == levels
        # These pages stand behind all others, one after the other.
        self.roots.append(root)
        whole = whole and root == self.stood + len(self.roots) - 1
        if not whole or not (there.rule or "").startswith(own):
            yield f"the menu {menu.key!r} is generated by another rule: {there.rule}"

    def _now(self, menu: Key, rows: Rows) -> list[int]:
        """The rows read back that the items and blocks of a menu became; -1: none."""
        side = refs.DESTINATION if menu[0] == refs.DESTINATION else refs.SOURCE
        lineage, found = self.lineage, []
        for thing in rows.things:
            number = thing.number
            if number >= 0:
                place = lineage.get((side, "item", number), "")
            else:
                other, row = refs.meant(number) or (refs.MADE, refs.NOTHING)
                place = lineage.get((other, "item", row), "")
            found.append(self.places.get(place, -1))
        return found

    def _elsewhere(self, rows: Rows, row: int, now: list[int]) -> str:
        """Where a row stands instead of its place; empty where it stands there."""
        at, parent = now[row], rows.parent[row]
        if self.rows.parent[at] != (now[parent] if parent >= 0 else -1):
            return "below another item"
        same = self.rows.position[at] == rows.position[row]
        return "" if same else "in another place among its siblings"

    def _thing(self, thing: Item | Piece, there: Item | Piece) -> Iterator[str]:
        # In the order in which a reader of the sentence would look: what it is, its words, where it
        # leads.
        name = _name(thing)
        if isinstance(thing, Piece) or isinstance(there, Piece):
            if not (isinstance(thing, Piece) and isinstance(there, Piece)):
                yield f"“{name}” is something else"
            elif not _holds_same(thing, there):
                yield f"the block {name} holds something else"
            return
        if thing.label != there.label:
            yield f"the label of “{name}” is “{there.label}”"
        if thing.inherited != there.inherited and self.planned.labels_follow:
            yield f"whether the label of “{name}” follows its target"
        if not _leads_same(thing.target, there.target):
            was, now = _where(thing.target), _where(there.target)
            yield f"“{name}” leads to {now}, and not to {was}"
        for part in ("role", "hidden"):
            if getattr(thing, part) != getattr(there, part):
                yield f"{part} of “{name}”: {getattr(there, part)}"
        if thing.traits != there.traits and said_traits(thing.traits) != said_traits(there.traits):
            was_, now_ = said_traits(thing.traits), said_traits(there.traits)
            other = [n for n in now_.__struct_fields__ if getattr(was_, n) != getattr(now_, n)]
            yield f"“{name}” has another {' and '.join(other)}"
        if dict(thing.translations) != dict(there.translations):
            yield f"the labels of “{name}” in further languages"
        if (thing.extras or there.extras) and _bag(thing.extras) != _bag(there.extras):
            yield f"the unread data of “{name}”"
        ident = self.planned.ids.get(there.origin)
        if ident is not None and ident != there.id:
            yield f"the id of “{name}” is {there.id!r}, and not {ident!r}"
        if _form(thing.panel) != _form(there.panel):
            yield f"the panel of “{name}” has another form"
        elif thing.panel is not None and not _panes_lead_same(thing, there):
            yield f"the panes of “{name}” lead elsewhere"


def _top(gathers: Gathers) -> int:
    """The number of the only page that a menu is generated from, if that stands at the top; -1."""
    if len(gathers.roots) != 1:
        return -1
    start, _, number = gathers.roots[0].rpartition("/")
    return int(number) if "/" not in start and number.isdigit() else -1


def _where(target: Target) -> str:
    """A target in words."""
    place = target.content or target.address or target.key
    return "nowhere" if target.kind == "none" else f"{target.kind} {place or ''}".strip()


def _is_plain(thing: Item | Piece) -> bool:
    return type(thing) is Item and thing.panel is None


def _name(thing: Item | Piece) -> str:
    return thing.label if isinstance(thing, Item) else type(thing.holds).__name__.lower()


def _bag(extras: Sequence[Extra]) -> list[str]:
    """Unread data in any order."""
    return sorted(f"{extra.path}\0{extra.value!r}" for extra in extras)


def _leads_same(planned: Target, there: Target) -> bool:
    """Whether two targets are the same; a content may have its address said beside it or not."""
    if planned == there:
        return True
    if planned == NOWHERE and there.kind == "none":
        return there.address in ("", "#")  # inside markup that is how it is said
    if planned.content is None or planned.address is not None:
        return False
    return (planned.kind, planned.content) == (there.kind, there.content) and there.address is None


def _panes_lead_same(planned: Item, there: Item) -> bool:
    was, now = links_of(planned), links_of(there)
    names = {*was, *now} - {"target"}
    return all(_leads_same(was.get(name, NOWHERE), now.get(name, NOWHERE)) for name in names)


def _holds_same(planned: Piece, there: Piece) -> bool:
    """Whether two blocks say the same; one that leads nowhere may say so or not."""
    was, now = facts.of_piece(planned), facts.of_piece(there)
    links = [name for name in {**was, **now} if name.startswith("link:")]
    nowhere = Target("none")
    same = all(_leads_same(was.get(n, nowhere), now.get(n, nowhere)) for n in links)
    kept = same and type(planned.holds) is type(there.holds)
    if not kept:
        return False
    fields = planned.holds.__struct_fields__
    return all(
        getattr(planned.holds, name) == getattr(there.holds, name)
        or (name in UNSAID and not getattr(planned.holds, name))
        for name in fields
        if name not in facts.LEADS
    )


def _form(panel: Panel | None) -> Any:
    """What a panel says of itself, and which of its rows stand together."""
    if panel is None:
        return None
    lists = [
        [
            None
            if isinstance(block, Piece)
            else (block.heading is not None, len(block.items), block.key)
            for block in column.blocks
        ]
        for column in panel.columns
    ]
    said = {n: v for n, v in facts.of_panel(panel).items() if not n.startswith("column-target:")}
    ids = [column.id for column in panel.columns]
    return said, ids, lists, panel.before is None, panel.after is None
