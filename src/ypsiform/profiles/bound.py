"""Panels that stand beside the menus, tied to a top item by its text; their lists are menus.

A record is read as the panel of its item where its text names one item only, or the one at the
place that it says. A menu that it lists, that is shown nowhere else and has one level is a list of
the panel, and no menu of its own; any other one is shown there by reference. A record that says
anything else stays unread.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

from ..errors import FormatError
from ..markup import links_in_text
from ..model import (
    NOWHERE,
    Block,
    Column,
    Item,
    Links,
    Menu,
    MenuReference,
    Panel,
    Picture,
    Piece,
    Site,
    Target,
    Text,
)
from .cells import HELD
from .panels import LEADS, Beside, Capacity, said_of_pictures, says_beside, unframed
from .schema import BlockRule, PanelRule

NO_TEXT = "\0"
"""What stands for the text of a record that has none: no label is that."""

FORM = "markdown"
"""How texts are written."""


def records_at(site: Site, path: str) -> list[Any]:
    """The records of a list that were not read, as they stand beside the menus of a site."""
    for extra in site.extras:
        if extra.path == path and isinstance(extra.value, list):
            return list(extra.value)
    return []


def step(record: Any, path: str) -> Any:
    """What stands at a path of a record, None where nothing does."""
    for key in path.split("/") if path else ():
        record = record.get(key) if isinstance(record, dict) else None
    return record if path else None


def put(record: dict[str, Any], path: str, value: Any) -> None:
    """Let something stand at a path of a record."""
    *heads, last = path.split("/")
    for key in heads:
        record = record.setdefault(key, {})
    record[last] = value


class Bound(Beside):
    """The panels of one platform that are bound by a text, both ways.

    `target` reads what a record says of where it leads, `said` writes it; `address` gives the
    target of an address.
    """

    def __init__(self, rule: PanelRule) -> None:
        self.rule = rule
        self.by_type = {block.type: block for block in rule.blocks}
        self.by_kind = {block.holds: block for block in rule.blocks}
        # All menus by their keys, and the keys of those that can be lists of one panel.
        self.menus: dict[str, Menu] = {}
        self.whole: set[str] = set()
        self.target: Callable[[Any, str], Target] = lambda _, __: NOWHERE
        self.address: Callable[[str], Target] = lambda _: NOWHERE
        self.said: Callable[[Target, str], Any] = lambda _, __: None

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
            try:
                panel = self._panel(record, f"{self.rule.at}/{at}")
            except FormatError:
                panel = None  # it does not say where it leads as an item does
            if panel is None:
                stay.append(record)
                continue
            item.panel = panel
            item.extras += self.further(record, self.keys)
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

    def _panel(self, record: dict[str, Any], place: str) -> Panel | None:
        """The panel of a record; None where it says anything that would not be written again."""
        columns = record.get(self.rule.columns)
        if not self._says_no_more(record) or not isinstance(columns, list):
            return None
        panel = Panel([])
        for n, pieces in enumerate(columns):
            column = Column([])
            for m, piece in enumerate(pieces if isinstance(pieces, list) else [None]):
                here = f"{place}/{self.rule.columns}/{n}/{m}"
                block = self._block(piece, here)
                if block is None:
                    return None
                column.blocks.append(block)
            panel.columns.append(column)
        written = self.record("", None, panel)[self.rule.columns]
        return panel if self.fits(panel) and written == without_none(columns) else None

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
        if not isinstance(piece, dict) or len(piece) != 1:
            return None
        ((type_, held),) = piece.items()
        rule = self.by_type.get(type_)
        if rule is None:
            return None
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


def without_none(value: Any) -> Any:
    """A value without the keys that say nothing."""
    if isinstance(value, list):
        return [without_none(inner) for inner in value]
    if isinstance(value, dict):
        return {key: without_none(inner) for key, inner in value.items() if inner is not None}
    return value


def picture_of(held: Any, rule: BlockRule, target: Callable[[Any, str], Target]) -> Picture | None:
    """The picture of a record; None where it is none. `target` reads where it leads."""
    if not isinstance(held, dict):
        return None
    values = {fact: held.get(key) for fact, key in rule.fields.items() if fact != "before"}
    leads = {name: values.pop(fact, None) for fact, name in LEADS.items()}
    source = values.pop("source", None)
    if not isinstance(source, str) or not all(isinstance(v, str | None) for v in values.values()):
        return None
    keys = {name: rule.fields.get(fact, "") for fact, name in LEADS.items()}
    made = {name: target(to, keys[name]) for name, to in leads.items() if to is not None}
    return Picture(source, **values, **made)  # type: ignore[arg-type]


def record_of(
    picture: Picture, rule: BlockRule, said: Callable[[Target, str], Any]
) -> dict[str, Any]:
    """The record of a picture. `said` writes where it leads."""
    made: dict[str, Any] = {}
    for fact, key in rule.fields.items():
        leads = getattr(picture, LEADS[fact]) if fact in LEADS else None
        if leads is not None:
            made[key] = said(leads, key)
        elif fact not in LEADS and fact != "before" and getattr(picture, fact) is not None:
            made[key] = getattr(picture, fact)
    return made
