"""Panels that stand beside the menus, tied to a top item by its text; their lists are menus.

A drawer is read as the panel of its item where its text names one item only. A menu that it lists,
that is shown nowhere else and has one level is a list of the panel, and no menu of its own; any
other one is shown there by reference. A drawer that says anything else stays unread.
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
from .panels import Beside, Capacity, unframed
from .schema import BlockRule, PanelRule

FORM = "markdown"
"""How texts are written."""


def records_at(site: Site, path: str) -> list[Any]:
    """The records of a list that were not read, as they stand beside the menus of a site."""
    for extra in site.extras:
        if extra.path == path and isinstance(extra.value, list):
            return list(extra.value)
    return []


class Drawers(Beside):
    """The drawers of one platform, both ways.

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
        return isinstance(held, Picture) and held.alt is None

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
            text = record.get(self.rule.text) if isinstance(record, dict) else None
            item = by_text.get(text) if isinstance(text, str) and texts[text] == 1 else None
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
            gone |= {b.key for c in panel.columns for b in c.blocks if isinstance(b, Links)}
        return stay, gone

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
        if set(record) != {self.rule.text, self.rule.columns} or not isinstance(columns, list):
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
        return panel if self.fits(panel) and self.record("", panel)[1] == columns else None

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

    def record(self, text: str, panel: Panel) -> tuple[str, list[list[dict[str, Any]]]]:
        """The text and the columns of the record of a panel."""
        columns: list[list[dict[str, Any]]] = []
        for column in panel.columns:
            columns.append([self._piece(block) for block in column.blocks])
        return text, columns

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


def picture_of(held: Any, rule: BlockRule, target: Callable[[Any, str], Target]) -> Picture | None:
    """The picture of a record; None where it is none. `target` reads where it leads."""
    if not isinstance(held, dict):
        return None
    values = {fact: held.get(key) for fact, key in rule.fields.items()}
    leads = values.pop("address", None)
    source = values.get("source")
    if not isinstance(source, str) or not all(isinstance(v, str | None) for v in values.values()):
        return None
    key = rule.fields.get("address", "")
    made = target(leads, key) if leads is not None else None
    return Picture(source, None, values.get("caption"), made)


def record_of(
    picture: Picture, rule: BlockRule, said: Callable[[Target, str], Any]
) -> dict[str, Any]:
    """The record of a picture. `said` writes where it leads."""
    made: dict[str, Any] = {}
    for fact, key in rule.fields.items():
        if fact == "address":
            if picture.target is not None:
                made[key] = said(picture.target, key)
        elif getattr(picture, fact) is not None:
            made[key] = getattr(picture, fact)
    return made
