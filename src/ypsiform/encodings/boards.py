"""Panels of top items of their own kind, whose sections the platform spreads over columns."""

from __future__ import annotations

from msgspec.structs import replace

from ..model import PLAIN, Column, Extra, Item, Links, Panel
from .base import Capacity, Encoding, PanelRule
from .layout import bare, sections_fit, sections_of, spread


class BoardsRule(PanelRule, tag="boards"):
    """Top items of the kind with `part = "panel"` are panels.

    What is below them is spread over as many columns as the key `count` says, and `most`.
    """

    most: int | None = None
    count: str = ""


class Boards(Encoding):
    """A top item of its own kind; the levels below it are its sections and their links.

    The platform spreads the sections over columns by itself: see `spread`.
    """

    words = "a top item of its own kind, the levels below it spread over columns"

    def __init__(self, rule: BoardsRule) -> None:
        super().__init__()
        self.rule: BoardsRule = rule

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """Items as stored, with panels where a top item is a board."""
        return [self._fold(i, marks) if marks.get(i.origin) == "panel" else i for i in items]

    def _fold(self, item: Item, marks: dict[str, str]) -> Item:
        count = next((e.value for e in item.extras if e.path == self.rule.count), "1")
        if not (isinstance(count, str) and count.isdigit() and str(int(count)) == count):
            return item
        if not 1 <= int(count) <= (self.rule.most or 1):
            return item
        del marks[item.origin]
        sections = item.children
        panel = Panel([Column([]) for _ in range(int(count))], opens=item.traits.opens)
        for section, at in zip(
            sections, spread([1 + len(s.children) for s in sections], int(count)), strict=True
        ):
            heading = replace(section, role="heading", children=[])
            panel.columns[at].blocks.append(Links(heading, section.children))
        traits = replace(item.traits, opens=None)
        return replace(
            item,
            children=[],
            panel=panel,
            traits=PLAIN if traits == PLAIN else traits,
            extras=tuple(e for e in item.extras if e.path != self.rule.count),
        )

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored."""
        panel = item.panel
        if panel is None:
            return item
        traits = replace(item.traits, opens=panel.opens)
        made = replace(
            item,
            panel=None,
            children=sections_of(panel),
            traits=PLAIN if traits == PLAIN else traits,
            extras=(Extra(self.rule.count, str(len(panel.columns))), *item.extras),
        )
        parts[id(made)] = "panel"
        return made

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(
            columns=self.rule.most or 1,
            headings="every",
            dividers=False,
            nested=False,
            opens=("hover", "press", None),
            spread=True,
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is: the platform must spread it just so."""
        return (
            bare(panel)
            and any(column.blocks for column in panel.columns)
            and not any(column.label for column in panel.columns)
            and sections_fit(panel, self.rule.most or 1)
        )
