"""Panels that stand between menus in the sequence of a location, each with a menu of its own.

A sheet is read as an item with a panel: the top level of its menu gives the columns, the next one
their links, and pictures stand before the column that they name, or behind the last. A sheet
between two items splits the menu around it: the menu that follows, with the same title and the
first one's key with a number behind it, is read as a part of that one again.
"""

# Long, since panels between menus split these, and are put together from what they split off.

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from typing import Any, NamedTuple

from msgspec import field
from msgspec.structs import replace

from ..errors import FormatError
from ..model import NOWHERE, Column, Extra, Item, Links, Menu, Panel, Picture, Piece, Target
from .base import Capacity, Found, ListedRule, Recorded, ToWrite, beyond
from .blocks import (
    BlockRule,
    picture_of,
    record_of,
    said_of_pictures,
    says_beside,
    without_none,
)
from .layout import sections_of, unframed

BEFORE = "before"
"""The fact of a picture that says before which column it stands, from 1."""

TITLE = "title"
"""The last part of the path at which an item's unread data has the title of its panel's menu."""


class Placed(NamedTuple):
    """A picture, and the number of the column that it stands before, from 1.

    It stands behind the last column where it names none, or one that there is not.
    """

    piece: Piece
    before: int | None


class Run(NamedTuple):
    """Sheets that belong to no menu, and how many menus of the sequence stand before them."""

    behind: int
    items: list[Item]


class SequenceRule(ListedRule, tag="sequence"):
    """Records at `at` stand between menus at `location`, where `sequence` names one by its `key`.

    Each has a `text`, says at `target` where it leads, and at `menus` which menu its columns and
    links are; pictures are one of `blocks`, and may say `before` which column they stand, behind
    the last where they do not. There may be `most` panels, `most-columns` in one, and
    `most-pictures`.
    """

    needs = ("at", "location", "sequence", "key", "text", "target", "menus")
    picture_facts = (BEFORE,)
    in_sequence = True
    own_room = True

    sequence: str = ""
    key: str = ""
    text: str = ""
    target: str = ""
    most: int | None = None
    most_columns: int | None = field(name="most-columns", default=None)
    most_pictures: int | None = field(name="most-pictures", default=None)


class Sheets(Recorded):
    """The sheets of one platform, both ways. `menu`: the key by which the sequence names a menu."""

    words = "records that stand between menus, each with a menu of its own"
    beside = True
    lists = "all"
    splits = True

    def __init__(self, rule: SequenceRule) -> None:
        super().__init__()
        self.rule: SequenceRule = rule
        self.at = rule.at
        self.picture: BlockRule | None = next(
            (b for b in rule.blocks if b.holds == "picture"), None
        )
        self.menu = ""

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(
            columns=self.rule.most_columns,
            headings="column",
            dividers=False,
            nested=False,
            holds=(Picture,) if self.picture else (),
            says=said_of_pictures(self.picture),
            pictures=self.rule.most_pictures,
            between=bool(self.picture and self.picture.fields.get(BEFORE)),
            panels=self.rule.most,
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        # One condition for each thing that a sheet has no place for.
        lists, pictures = _parts(panel)
        if pictures is None:
            return False
        most, room = self.rule.most_columns, self.rule.most_pictures
        says = set(self.capacity().says)
        return (
            panel.style == "columns"
            and panel.opens is None
            and unframed(panel)
            and all(c.span is None and c.label is None for c in panel.columns)
            and bool(lists)
            and len(lists) <= (most or len(lists))
            and all(len(c.blocks) == 1 and _is_column(c.blocks[0]) for c in lists)
            and (not pictures or self.picture is not None)
            and len(pictures) <= (len(pictures) if room is None else room)
            and all(
                isinstance(p.holds, Picture) and says_beside(p.holds) <= says for p, _ in pictures
            )
            and (self.capacity().between or all(before is None for _, before in pictures))
        )

    def inside(self, extra: Extra) -> bool:
        """Whether unread data of an item stands in the record of its panel."""
        parts = extra.path.split("/")
        picture = self.picture
        of_picture = picture is not None and len(parts) == 3 and parts[0] == picture.type
        of_menu = extra.path.startswith(f"{self.rule.menus}/")
        return super().inside(extra) or of_menu or of_picture

    def _before_at(self, nth: int) -> str:
        """Where unread data of an item says before which missing column a picture stands."""
        assert self.picture is not None
        return f"{self.picture.type}/{nth}/{self.picture.fields[BEFORE]}"

    @property
    def title_at(self) -> str:
        """Where unread data of an item says what the title of the menu of its panel is."""
        return f"{self.rule.menus}/{TITLE}"

    # Reading

    def menus_read(self, found: Found) -> None:
        """Put sheets into the menus that they stand between."""
        rule, here, menu_key = self.rule, found.sequence_at, found.menu_key
        held, sequence = found.records(rule.at), found.sequence
        if held is None or found.first is None or not menu_key or not isinstance(sequence, list):
            return
        self.menu = menu_key
        locations, extras = found.locations, found.extras
        elsewhere = Counter(
            menu for other in locations if other.name != rule.location for menu in other.menus
        )
        keys = {menu.key: menu for menu, _ in found.menus}
        left, stay, gone, runs = self.read(held[1], sequence, keys, elsewhere, found.first)
        unread = [extra.value for extra in extras if extra.path == here]
        extras[:] = [extra for extra in extras if extra.path not in (rule.at, here)]
        if left:
            extras.append(Extra(rule.at, left))
        first = {*keys}  # each stands there once; again it is unread
        for entry in stay:
            key = entry.get(menu_key) if isinstance(entry, dict) else None
            if isinstance(key, str) and key in first and len(entry) == 1:
                first.remove(key)
                continue
            if entry in unread:
                unread.remove(entry)
            elif menu_key in entry:
                continue
            extras.append(found.unread(entry))
        found.menus = [(menu, node) for menu, node in found.menus if menu.key not in gone]
        nth = next(n for n, one in enumerate(locations) if one.name == rule.location)
        mine = [menu for menu in locations[nth].menus if menu not in gone]
        taken = {*keys}
        for at, run in enumerate(runs):
            key = key_of_run(found.place_key, taken)
            taken.add(key)
            made = found.made(key, f"{here}/{run.behind}")
            found.menus.insert(at, (replace(made, items=run.items, stored=False), None))
            mine.insert(run.behind + at, key)
        locations[nth] = replace(locations[nth], menus=tuple(mine))

    def read(
        self,
        records: list[Any],
        sequence: list[Any],
        menus: dict[str, Menu],
        elsewhere: Counter[str],
        first: int,
    ) -> tuple[list[Any], list[Any], set[str], list[Run]]:
        """Put sheets and the parts of menus into the menu that they belong to.

        `menus` are all menus by their keys, `elsewhere` says how often each one is named beside
        this sequence; the records before `first` stay as they are. Returns the records that stay,
        the entries of the sequence that stay, the keys of menus that go, and the sheets that
        belong to no menu: one that is shown elsewhere too has none of them there.
        """
        named = Counter(
            key for entry in sequence for key in [self._named(entry, self.rule.sequence)]
        )
        shown = Counter(key for entry in sequence for key in [self._named(entry, self.menu)])
        known = [(n, record) for n, record in enumerate(records) if isinstance(record, dict)]
        trees = Counter(str(record.get(self.rule.menus)) for _, record in known)
        by_key = {record[self.rule.key]: n for n, record in known if self._has_key(record)}
        found: dict[int, Item] = {}
        gone: set[str] = set()
        stay: list[Any] = []
        into: Menu | None = None
        # Sheets that no menu stands before: with the place in `stay` of each, and its record.
        waiting: list[tuple[Item, int, Any]] = []
        opened, bounded = False, True
        met: set[str] = set()
        runs: list[Run] = []
        count = 0

        def give_back() -> None:
            """Sheets that no menu follows either belong to none, and stay as they are."""
            for item, place, entry in reversed(waiting):
                at = next(n for n, other in found.items() if other is item)
                del found[at]
                gone.discard(records[at][self.rule.menus])
                stay.insert(place, entry)
            waiting.clear()

        def end_run() -> None:
            """Sheets that no menu takes stand together for one, or else stay as they are."""
            if not bounded:
                give_back()
            elif waiting:
                runs.append(Run(count, [one for one, _, _ in waiting]))
                waiting.clear()

        for entry in sequence:
            key, sheet = self._named(entry, self.menu), self._named(entry, self.rule.sequence)
            menu = None
            if key is not None and key not in met:  # a second time it is unread
                met.add(key)
                menu = menus.get(key)
            at = by_key.get(sheet, -1) if sheet is not None and named[sheet] == 1 else -1
            item = None
            if at >= first:
                tree = records[at].get(self.rule.menus)
                once = isinstance(tree, str) and trees[tree] == 1 and not elsewhere[tree]
                if once and not shown[tree]:
                    try:
                        item = self._item(records[at], menus.get(tree), f"{self.rule.at}/{at}")
                    except FormatError:
                        item = None  # it does not say where it leads as an item does
            if menu is not None:
                joins = into is not None and opened and _continues(into, menu)
                if joins and into is not None and not elsewhere[menu.key]:
                    into.items += menu.items
                    gone.add(menu.key)
                else:
                    into = None if elsewhere[menu.key] else menu
                    if into is None:
                        end_run()
                    menu.items[:0] = [one for one, _, _ in waiting]
                    waiting.clear()
                    stay.append(entry)
                    count += 1
                    bounded = True
                opened = False
            elif item is not None:
                found[at] = item
                gone.add(records[at][self.rule.menus])
                if into is None:
                    waiting.append((item, len(stay), entry))
                else:
                    into.items.append(item)
                opened = True
            else:
                give_back()
                stay.append(entry)
                into, opened, bounded = None, False, False
        end_run()
        left = [record for n, record in enumerate(records) if n not in found]
        return left, stay, gone, runs

    def _has_key(self, record: dict[str, Any]) -> bool:
        return isinstance(record.get(self.rule.key), str)

    def _named(self, entry: Any, key: str) -> str | None:
        value = entry.get(key) if isinstance(entry, dict) and len(entry) == 1 else None
        return value if isinstance(value, str) else None

    def _item(self, record: dict[str, Any], menu: Menu | None, place: str) -> Item | None:
        """The item of a sheet; None where its record says anything that no rule reads."""
        rule = self.rule
        key, text = record.get(rule.key), record.get(rule.text)
        if menu is None or not isinstance(key, str) or not isinstance(text, str):
            return None
        if menu.rule or any(extra.path == TITLE for extra in menu.extras):
            return None  # what is no title here would be taken for the one of the sheet's menu
        columns: list[Column] = []
        for entry in menu.items:
            heading = replace(entry, role="heading", children=[])
            columns.append(Column([Links(heading, entry.children, menu.key)]))
        found = self._pictures(record, place)
        if found is None:
            return None
        pictures, beside = found
        panel = Panel(_with_pictures(columns, pictures))
        leads = record.get(rule.target)
        target = self.target(leads, rule.target) if leads is not None else NOWHERE
        item = Item(key, text, target, children=[], panel=panel, origin=place)
        if menu.title != text:
            item.extras = (Extra(self.title_at, menu.title),)
        of_menu = self.rule.menus
        item.extras += tuple(replace(e, path=f"{of_menu}/{e.path}") for e in menu.extras)
        item.extras += tuple(
            Extra(self._before_at(nth), placed.before)
            for nth, placed in enumerate(pictures)
            if placed.before is not None and not _stands(placed.before, len(columns))
        )
        item.extras += (*self.further(record, self.keys), *beside)
        made = _plainly(self.record(item, key, menu.key), rule.target, self.said)
        same = made == _plainly(record, rule.target, self.said)
        return item if same and self.fits(panel) else None

    def _pictures(
        self, record: dict[str, Any], place: str
    ) -> tuple[list[Placed], list[Extra]] | None:
        """The pictures of a record, as they are listed, and what else they say; None if not."""
        if self.picture is None:
            return [], []
        extras: list[Extra] = []
        held = record.get(self.picture.type)
        found: list[Placed] = []
        for at, one in enumerate(
            held if isinstance(held, list) else [] if held is None else [held]
        ):
            picture = picture_of(one, self.picture, self.target)
            if picture is None:
                return None
            before = one.get(self.picture.fields.get(BEFORE, ""))
            if before is not None and type(before) is not int:
                return None
            said = record_of(picture, self.picture, self.said)
            if before is not None:
                said[self.picture.fields[BEFORE]] = before
            further = beyond(one, said, f"{self.at}/{self.picture.type}/{at}")
            if further is None:
                return None
            extras += further
            found.append(Placed(Piece(picture, f"{place}/{self.picture.type}/{at}"), before))
        return found, extras

    # Writing

    def menus_to_write(self, made: ToWrite) -> None:
        """Take panels out of their items as sheets, and what is between them as menus."""
        rule = self.rule
        taken = {str(record.get(rule.key)) for record in made.records if isinstance(record, dict)}
        for number, menu in made.menus:
            keys = iter(made.parts.get(menu.key, ()))
            parts = parts_of(menu.items)
            if menu.key in made.runs:
                del parts[0]  # a menu that there is none of
                made.unstored[number] = made.runs[menu.key]
            menu.items = []
            entries = made.entries[menu.key] = []
            first = True
            for part in parts:
                if isinstance(part, list):
                    key = menu.key if first else next(keys)
                    if first:
                        menu.items = part
                    else:
                        made.lists.append((Menu(key, key, menu.title, part), None))
                    entries.append({made.menu_key: key})
                    first = False
                    continue
                entries.append({rule.sequence: self._write(part, made, taken)})

    def _write(self, item: Item, made: ToWrite, taken: set[Any]) -> str:
        """Write one panel as a sheet and its menu. Returns the key of the sheet."""
        assert item.panel is not None
        tree, items = key_of(item.panel), sections_of(item.panel)
        # The id of an item is the key of a sheet only where it was one before.
        key = wanted = item.id if item.id in made.keys else tree
        count = 1
        while key in taken:
            count += 1
            key = f"{wanted[:56]}-{count}"
        taken.add(key)
        where = f"{self.rule.at}/{len(made.records)}"
        made.number(item.number, where)
        pictures = self.picture.type if self.picture is not None else ""
        for at, piece in enumerate(pieces_of(item.panel)):
            made.number(piece.number, f"{where}/{pictures}/{at}")
        made.records.append(self.record(item, key, tree))
        menu = Menu(tree, tree, self.title(item), items, extras=self.of_menu(item))
        made.lists.append((menu, None))
        return key

    def record(self, item: Item, key: str, menu: str) -> dict[str, Any]:
        """The record of an item with a panel, whose menu has this key."""
        rule, panel = self.rule, item.panel
        made: dict[str, Any] = {rule.key: key, rule.text: item.label}
        if item.target != NOWHERE:
            made[rule.target] = self.said(item.target, rule.target)
        made[rule.menus] = menu
        pictures = (_as_listed(panel) if panel is not None else None) or []
        rule_ = self.picture
        if pictures and rule_ is not None:
            said = {extra.path: extra.value for extra in item.extras}
            records: list[dict[str, Any]] = []
            for nth, (piece, before) in enumerate(pictures):
                if isinstance(piece.holds, Picture):
                    records.append(record_of(piece.holds, rule_, self.said))
                    if before is None and BEFORE in rule_.fields:
                        before = said.get(self._before_at(nth))
                    if before is not None:
                        records[-1][rule_.fields[BEFORE]] = before
            made[rule_.type] = records
        return self.put_further(item, made)

    @property
    def keys(self) -> set[str]:
        """The keys of a record that are read."""
        rule = self.rule
        pictures = {self.picture.type} if self.picture is not None else set()
        return {rule.key, rule.text, rule.target, rule.menus, *pictures} - {""}

    def of_menu(self, item: Item) -> tuple[Extra, ...]:
        """The unread data of the menu of an item's sheet."""
        start = f"{self.rule.menus}/"
        return tuple(
            replace(extra, path=extra.path.removeprefix(start))
            for extra in item.extras
            if extra.path.startswith(start) and extra.path != self.title_at
        )

    def title(self, item: Item) -> str:
        """The title of the menu of an item's sheet."""
        return next((e.value for e in item.extras if e.path == self.title_at), item.label)


def key_of_run(key: str, taken: Collection[str]) -> str:
    """The key of what stands for a menu where sheets belong to none, after that of its place."""
    made = key
    count = 1
    while made in taken:
        count += 1
        made = f"{key}-{count}"
    return made


def pieces_of(panel: Panel) -> list[Piece]:
    """The pictures of a panel, in the order of their records."""
    return [piece for piece, _ in _as_listed(panel) or ()]


def key_of(panel: Panel) -> str:
    """The key of the menu that the lists of a panel are in."""
    blocks = [block for column in panel.columns for block in column.blocks]
    return next((b.key for b in blocks if isinstance(b, Links) and b.heading is not None), "")


def parts_of(items: Sequence[Item]) -> list[list[Item] | Item]:
    """A menu as a sequence: items with a panel, and what stands between them.

    The first list is the menu itself; it stands first, and is empty, where there is none.
    """
    parts: list[list[Item] | Item] = []
    for item in items:
        if item.panel is not None:
            parts.append(item)
        elif parts and isinstance(parts[-1], list):
            parts[-1].append(item)
        else:
            parts.append([item])
    if not any(isinstance(part, list) for part in parts):
        parts.insert(0, [])
    return parts


def _continues(menu: Menu, other: Menu) -> bool:
    """Whether a menu is the part of another one that a sheet split off."""
    stem = re.sub(r"-\d+$", "", other.key)
    like = stem == menu.key or (len(stem) > 40 and menu.key.startswith(stem))
    return like and stem != other.key and other.title == menu.title and not other.extras


def _parts(panel: Panel) -> tuple[list[Column], list[Placed] | None]:
    """The columns of lists, and the pictures that stand between them.

    The pictures are None where two columns of nothing else stand side by side: these would be one.
    """
    lists: list[Column] = []
    pictures: list[Placed] = []
    beside = False
    count = sum(not _of_pictures(column) for column in panel.columns)
    for column in panel.columns:
        if not _of_pictures(column):
            lists.append(column)
            beside = False
            continue
        if beside:
            return lists, None
        before = len(lists) + 1 if len(lists) < count else None
        pictures += [Placed(piece, before) for piece in column.blocks if isinstance(piece, Piece)]
        beside = True
    return lists, pictures


def _as_listed(panel: Panel) -> list[Placed] | None:
    """The pictures of a panel in the order that their records had where they come from sheets."""
    pictures = _parts(panel)[1]
    listed = [_LISTED.fullmatch(placed.piece.origin) for placed in pictures or ()]
    if pictures is None or len({match[1] if match else None for match in listed}) != 1:
        return pictures
    nth = {id(p): int(match[2]) for p, match in zip(pictures, listed, strict=True) if match}
    return sorted(pictures, key=lambda placed: nth.get(id(placed), 0))


_LISTED = re.compile(r"(.*)/(\d+)")
"""The origin of a picture: that of its list, and which one of it it is."""


def _stands(before: int | None, columns: int) -> bool:
    """Whether there is the column that a picture says it stands before."""
    return before is not None and 1 <= before <= columns


def _of_pictures(column: Column) -> bool:
    return bool(column.blocks) and all(isinstance(block, Piece) for block in column.blocks)


def _with_pictures(lists: list[Column], pictures: Sequence[Placed]) -> list[Column]:
    """Columns with a column of pictures before each one that some of them name."""
    found: list[Column] = []
    behind = [p for p, before in pictures if not _stands(before, len(lists))]
    for number, column in enumerate(lists, 1):
        here = [piece for piece, before in pictures if before == number]
        found += [Column([*here]), column] if here else [column]
    return [*found, Column([*behind])] if behind else found


def _is_column(block: Links | Piece) -> bool:
    return (
        isinstance(block, Links)
        and block.heading is not None
        and not any(getattr(item, "role", "") == "divider" for item in block.items)
    )


def _plainly(
    record: dict[str, Any], target: str, said: Callable[[Target, str], Any]
) -> dict[str, Any]:
    """A record without what says nothing."""
    nothing: tuple[Any, ...] = (None, [], said(NOWHERE, target))
    return {key: without_none(value) for key, value in record.items() if value not in nothing}
