"""Panels that stand beside the menus, tied to a top item by its text; their lists are menus.

A record is read as the panel of its item where its text names one item only, or the one at the
place that it says. A menu that it lists, that is shown nowhere else and has one level is a list of
the panel, and no menu of its own; any other one is shown there by reference. A record that says
anything else stays unread.
"""

from __future__ import annotations

from collections import Counter
from contextlib import suppress
from typing import Any

from msgspec import field

from ..errors import FormatError
from ..markup import links_in_text
from ..model import (
    NOWHERE,
    Block,
    Column,
    Extra,
    Item,
    Links,
    Menu,
    MenuReference,
    Panel,
    Picture,
    Piece,
    Text,
)
from .base import Capacity, Found, ListedRule, Recorded, ToWrite, beyond, put, step
from .blocks import (
    HELD,
    BlockRule,
    picture_of,
    record_of,
    said_of_pictures,
    says_beside,
)
from .layout import unframed

NO_TEXT = "\0"
"""What stands for the text of a record that has none: no label is that."""

FORM = "markdown"
"""How texts are written."""


class BoundRule(ListedRule, tag="bound"):
    """Records at `at` are tied by the text at `text` to a top item of the menu at `location`.

    Where others have that text, they are tied by its place, from 1, at `place`. They show the menus
    named at `menus`; `columns` is the key of their columns, lists of mappings of one key, a type of
    `blocks`. There may be `most` panels, `most-columns` in one, and `most-blocks`.
    """

    needs = ("at", "location", "text", "columns", "menus")
    needs_links = True
    own_room = True
    tied = True

    text: str = ""
    place: str = ""
    columns: str = ""
    most: int | None = None
    most_columns: int | None = field(name="most-columns", default=None)
    most_blocks: int | None = field(name="most-blocks", default=None)

    def tie_of(self, record: Any) -> tuple[Any, Any]:
        """The text that ties a record to an item, and the place of that, if it says one."""
        return step(record, self.text), step(record, self.place)


class Bound(Recorded):
    """The panels of one platform that are bound by a text, both ways."""

    words = "records beside the menus, tied to a top item by its text"
    beside = True
    lists = "each"
    titles = True
    empty_lists = "encoding"

    def __init__(self, rule: BoundRule) -> None:
        super().__init__()
        self.rule: BoundRule = rule
        self.at = rule.at
        self.by_type = {block.type: block for block in rule.blocks}
        self.by_kind = {block.holds: block for block in rule.blocks}
        # All menus by their keys, and the keys of those that can be lists of one panel.
        self.menus: dict[str, Menu] = {}
        self.whole: set[str] = set()

    @property
    def by_label(self) -> bool:
        """Whether panels open from labels alone, which no other top item may then have."""
        return not self.rule.place

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(
            columns=self.rule.most_columns,
            headings="free",
            dividers=False,
            nested=False,
            holds=(
                *(HELD[kind] for kind in self.by_kind if kind != "links"),
                *([MenuReference] if "links" in self.by_kind else []),
            ),
            blocks=self.rule.most_blocks,
            panels=self.rule.most,
            says=said_of_pictures(self.by_kind.get("picture")),
            heading_links=False,
            text_form=FORM,
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        capacity = self.capacity()
        blocks = [block for column in panel.columns for block in column.blocks]
        return (
            panel.style == "columns"
            and panel.opens is None
            and unframed(panel)
            and bool(panel.columns)
            and len(panel.columns) <= (capacity.columns or len(panel.columns))
            and len(blocks) <= (capacity.blocks or len(blocks))
            and all(c.span is None and c.label is None for c in panel.columns)
            and all(self._holds(block) for block in blocks)
        )

    def _holds(self, block: Block) -> bool:
        if isinstance(block, Links):
            heading = block.heading
            bare = heading is None or (heading.target.kind == "none" and bool(heading.label))
            return bare and not any(
                getattr(item, "children", ()) or getattr(item, "role", "") == "divider"
                for item in block.items
            )
        held = block.holds
        if isinstance(held, MenuReference):
            return "links" in self.by_kind
        if isinstance(held, Text):
            return held.form == FORM and held.target is None
        return isinstance(held, Picture) and says_beside(held) <= set(self.capacity().says)

    # Reading

    def menus_read(self, found: Found) -> None:
        """Give items the panels that stand beside the menus, and take out what is in these."""
        rule = self.rule
        held = found.records(rule.at)
        if held is None or found.first is None:
            return
        at, records = held
        shown = {ident for place in found.locations for ident in place.menus}
        bar = next((place.menus for place in found.locations if place.name == rule.location), ())
        top = [item for menu, _ in found.menus if menu.id in bar for item in menu.items]
        keys = {menu.key: menu for menu, _ in found.menus}
        placed = {menu.key for menu, _ in found.menus if menu.id in shown}
        stay, gone = self.read(records, top, keys, placed, found.first)
        again = found.extras[at].again
        found.extras[at : at + 1] = [Extra(rule.at, stay, again)] if stay else []
        found.menus = [(menu, node) for menu, node in found.menus if menu.key not in gone]

    def read(
        self,
        records: list[Any],
        items: list[Item],
        menus: dict[str, Menu],
        shown: set[str],
        first: int,
    ) -> tuple[list[Any], set[str]]:
        """Give items their panels. Returns the records that stay, and the keys of menus that go.

        `shown` are the keys of menus that a location shows; the records before `first` stay as they
        are.
        """
        texts = Counter(item.label for item in items)
        by_text = {item.label: item for item in items}
        lists = Counter(
            piece.get(self._list.type)
            for record in records
            for piece in self._pieces(record)
            if isinstance(piece.get(self._list.type), str)
        )
        self.menus = menus
        self.whole = {
            key
            for key, menu in menus.items()
            if key not in shown and lists[key] == 1 and not (menu.extras or menu.rule)
        }
        stay: list[Any] = []
        gone: set[str] = set()
        for at, record in enumerate(records):
            text, place = self._tie(record)
            item = by_text.get(text) if texts[text] == 1 else None
            if place is not None:
                item = items[place - 1] if 0 < place <= len(items) else None
                item = item if item is not None and item.label == text else None
            if at < first or item is None or item.children or item.panel:
                stay.append(record)
                continue
            made = self._panel(record, f"{self.rule.at}/{at}")
            if made is None:
                stay.append(record)
                continue
            panel, extras = made
            item.panel = panel
            item.extras += (*self.further(record, self.keys), *extras)
            gone |= {b.key for c in panel.columns for b in c.blocks if isinstance(b, Links)}
        return stay, gone

    def _tie(self, record: Any) -> tuple[str, int | None]:
        """The text that a record is tied by, and the place of its item, from 1, if it says one."""
        text, place = step(record, self.rule.text), step(record, self.rule.place)
        if not isinstance(text, str):
            return NO_TEXT, None
        return text, None if place is None else place if type(place) is int else -1

    @property
    def _list(self) -> BlockRule:
        return self.by_kind["links"]

    def _pieces(self, record: Any) -> list[dict[str, Any]]:
        columns = record.get(self.rule.columns) if isinstance(record, dict) else None
        found = columns if isinstance(columns, list) else []
        pieces = [piece for column in found if isinstance(column, list) for piece in column]
        return [piece for piece in pieces if isinstance(piece, dict)]

    def _panel(self, record: dict[str, Any], place: str) -> tuple[Panel, list[Extra]] | None:
        """The panel of a record, and what of it is unread: pieces, and keys of pieces.

        None where it says what it is tied by, or its columns, in a way that is not written again.
        """
        columns = record.get(self.rule.columns)
        if not self._says_no_more(record) or not isinstance(columns, list):
            return None
        panel, extras = Panel([]), list[Extra]()
        for n, pieces in enumerate(columns):
            if not isinstance(pieces, list):
                return None
            column = Column([])
            for m, piece in enumerate(pieces):
                here = f"{self.rule.columns}/{n}/{m}"
                further: list[Extra] | None = None
                block: Block | None = None
                with suppress(FormatError):  # where it does not say where it leads as an item does
                    block = self._block(piece, f"{place}/{here}")
                if block is not None:
                    further = beyond(piece, self._piece(block), f"{self.rule.at}/{here}")
                if block is None or further is None or not self._holds(block):
                    extras.append(Extra(f"{self.rule.at}/{here}", piece))
                    continue
                extras += further
                column.blocks.append(block)
            panel.columns.append(column)
        return (panel, extras) if self.fits(panel) else None

    def _says_no_more(self, record: dict[str, Any]) -> bool:
        """Whether a record says what it is tied by and its columns as others do."""
        text, place = self._tie(record)
        columns = self.rule.columns
        known = {key: value for key, value in record.items() if key in self.keys}
        return known == {**self.record(text, place, Panel([])), columns: record.get(columns)}

    @property
    def keys(self) -> set[str]:
        """The keys of a record that are read."""
        rule = self.rule
        return {rule.text.split("/")[0], rule.place.split("/")[0], rule.columns} - {""}

    def _block(self, piece: Any, here: str) -> Block | None:
        types = [key for key in piece if key in self.by_type] if isinstance(piece, dict) else []
        if len(types) != 1:
            return None
        held, rule = piece[types[0]], self.by_type[types[0]]
        if rule.holds == "links":
            if not isinstance(held, str):
                return None
            menu = self.menus.get(held)
            if menu is None or held not in self.whole or any(i.children for i in menu.items):
                links = tuple(item.target for item in menu.items) if menu is not None else ()
                return Piece(MenuReference(held, links), here)
            heading = None
            if menu.title:
                heading = Item(f"{menu.key}.title", menu.title, NOWHERE, "heading", children=[])
                heading.origin = menu.origin
            return Links(heading, menu.items, menu.key)
        if rule.holds == "text":
            if not isinstance(held, str):
                return None
            inside = links_in_text(held, FORM)
            links = tuple(self.address(address) for _, address in inside)
            return Piece(Text(held, FORM, None, links), here)
        picture = picture_of(held, rule, self.target)
        return Piece(picture, here) if picture is not None else None

    # Writing

    def menus_to_write(self, made: ToWrite) -> None:
        """Take panels out of their items into records, and their lists into menus."""
        rule = self.rule
        for _, menu in made.menus:
            texts = Counter(item.label for item in menu.items)
            for at, item in enumerate(menu.items):
                panel = item.panel
                if panel is None:
                    continue
                unread = {extra.path for extra in item.extras if self.inside(extra)}
                for n, column in enumerate(panel.columns):
                    m = -1
                    for block in column.blocks:
                        m += 1
                        # Pieces that no rule reads stand among these again, each at its place.
                        while f"{rule.at}/{rule.columns}/{n}/{m}" in unread:
                            m += 1
                        if isinstance(block, Links):
                            title = block.heading.label if block.heading is not None else ""
                            list_ = Menu(block.key, block.key, title, block.items)
                            made.lists.append((list_, block.heading))
                        else:
                            here = f"{rule.at}/{len(made.records)}/{rule.columns}/{n}/{m}"
                            made.number(block.number, here)
                number = at + 1 if texts[item.label] > 1 and rule.place else None
                record = self.record(item.label, number, panel)
                made.records.append(self.put_further(item, record))
                item.extras = self.bare(item).extras
                item.panel, item.children = None, []

    def record(self, text: str, place: int | None, panel: Panel) -> dict[str, Any]:
        """The record of the panel of an item; with the place of that, from 1, if it is needed."""
        made: dict[str, Any] = {}
        put(made, self.rule.text, text)
        if place is not None:
            put(made, self.rule.place, place)
        made[self.rule.columns] = [
            [self._piece(block) for block in column.blocks] for column in panel.columns
        ]
        return made

    def _piece(self, block: Block) -> dict[str, Any]:
        if isinstance(block, Links):
            return {self._list.type: block.key}
        held = block.holds
        if isinstance(held, MenuReference):
            return {self._list.type: held.menu}
        if isinstance(held, Text):
            return {self.by_kind["text"].type: held.body}
        assert isinstance(held, Picture)
        rule = self.by_kind["picture"]
        return {rule.type: record_of(held, rule, self.said)}
