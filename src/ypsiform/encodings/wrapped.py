"""Panels of items that are columns, each with headings and links in it."""

from __future__ import annotations

from msgspec import field
from msgspec.structs import replace

from ..model import NOWHERE, PLAIN, Column, Item, Links, Panel
from .base import Capacity, Encoding, PanelRule
from .layout import bare


class WrappedRule(PanelRule, tag="wrapped"):
    """Items are columns, by their kind's `part`, and headings in them.

    `most` columns there may be; `shown-labels`: what a column is called is shown to visitors, and
    not only to editors.
    """

    most: int | None = None
    shown_labels: bool = field(name="shown-labels", default=False)


class Wrapped(Encoding):
    """Items that are columns, and items in them that are headings.

    A top item with columns below it is a panel; a column is never shown itself.
    """

    words = "items that are columns, with headings and links in them"

    def __init__(self, rule: WrappedRule) -> None:
        super().__init__()
        self.rule: WrappedRule = rule

    @property
    def labels_seen(self) -> bool:
        """Whether visitors see what a column is called, and not only editors."""
        return self.rule.shown_labels

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """Items as stored, with panels where columns stand below a top item."""
        return [self._fold(item, marks) for item in items]

    def _fold(self, item: Item, marks: dict[str, str]) -> Item:
        columns = item.children
        if (
            item.role == "divider"
            or not columns
            or any(marks.get(c.origin) != "column" for c in columns)
        ):
            return item
        if not all(_says_nothing(column) for column in columns):
            return item
        inside = [inner for column in columns for inner in column.children]
        if any(marks.get(inner.origin) == "heading" and inner.children for inner in inside):
            return item
        panel = Panel([])
        for column in columns:
            del marks[column.origin]
            made = Column([], label=column.label or None, origin=column.origin)
            for inner in column.children:
                if marks.pop(inner.origin, None) == "heading":
                    made.blocks.append(Links(replace(inner, role="heading"), []))
                    continue
                last = made.blocks[-1] if made.blocks else None
                if not isinstance(last, Links):
                    last = Links(None, [])
                    made.blocks.append(last)
                last.items.append(inner)
            panel.columns.append(made)
        return replace(item, children=[], panel=panel)

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored."""
        if item.panel is None:
            return item
        columns: list[Item] = []
        for at, column in enumerate(item.panel.columns):
            inside: list[Item] = []
            for block in column.blocks:
                assert isinstance(block, Links)
                if block.heading is not None:
                    heading = replace(block.heading, role="link")
                    parts[id(heading)] = "heading"
                    inside.append(heading)
                inside += block.items
            made = Item(f"{item.id}/{at}", column.label or "", NOWHERE, children=inside)
            parts[id(made)] = "column"
            columns.append(made)
        return replace(item, panel=None, children=columns)

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(columns=self.rule.most, labels=True)

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        most = self.rule.most
        return (
            bare(panel)
            and panel.opens is None
            and bool(panel.columns)
            and (most is None or len(panel.columns) <= most)
            and all(isinstance(block, Links) for column in panel.columns for block in column.blocks)
            and not any(_parted(column) for column in panel.columns)
        )


def _parted(column: Column) -> bool:
    """Whether a column has links without a heading behind other links, which would join them."""
    return any(isinstance(b, Links) and b.heading is None for b in column.blocks[1:])


def _says_nothing(item: Item) -> bool:
    """Whether an item has a label and children and no other facts."""
    return (
        item.target.kind == "none"
        and item.traits is PLAIN
        and item.role == "link"
        and not (item.extras or item.translations or item.hidden or item.inherited)
    )
