"""Panels of top items with a class word: each item below one heads a column of those below it."""

from __future__ import annotations

from msgspec.structs import replace

from ..model import Column, Item, Links, Panel
from .base import Capacity, Encoding, PanelRule
from .layout import bare, sections_of


class StackedRule(PanelRule, tag="stacked"):
    """A top item with the class word `word` opens a panel."""

    needs = ("word",)

    word: str = ""


class Stacked(Encoding):
    """The panels of one platform, both ways."""

    words = "top items with a class word, below which each item heads a column"

    def __init__(self, rule: StackedRule) -> None:
        super().__init__()
        self.rule: StackedRule = rule

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(headings="column", dividers=False, nested=False)

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        return (
            bare(panel)
            and panel.opens is None
            and bool(panel.columns)
            and all(column.label is None and len(column.blocks) == 1 for column in panel.columns)
            and all(
                isinstance(block, Links) and block.heading is not None and bool(block.items)
                for column in panel.columns
                for block in column.blocks
            )
        )

    def reserved(self, word: str) -> bool:
        """Whether a class would be read as the word of a panel."""
        return word == self.rule.word

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """Items as stored, with panels where their class word says so."""
        return [self._fold(item) for item in items]

    def _fold(self, item: Item) -> Item:
        if self.rule.word not in item.traits.classes or not item.children:
            return item
        panel = Panel([])
        for child in item.children:
            heading = replace(child, role="heading", children=[])
            panel.columns.append(Column([Links(heading, child.children)]))
        classes = tuple(word for word in item.traits.classes if word != self.rule.word)
        traits = replace(item.traits, classes=classes)
        return replace(item, children=[], panel=panel, traits=traits)

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored."""
        if item.panel is None:
            return item
        traits = replace(item.traits, classes=(self.rule.word, *item.traits.classes))
        return replace(item, panel=None, children=sections_of(item.panel), traits=traits)
