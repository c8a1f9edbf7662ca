"""Panes of panels: those that become items of a submenu, and where the labels of others lead."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import NamedTuple

from ..facts import Went
from ..model import NOWHERE, Item, Links, Piece, Target
from ..resolve.targets import Targets
from . import panel_facts, shape
from .labels import Labels, cut
from .spots import Spot
from .work import Fate, Work

GROUP = 10**9
"""Numbers of items that are made of panes, as rows above others, are this plus a count."""


class Pane(NamedTuple):
    """A pane of a panel that becomes a submenu: the row of the panel's item, and its column."""

    row: int
    column: int
    label: str


class Panes:
    """The panes of one menu's panels. `spots` has where rows, and what becomes items, go."""

    def __init__(
        self, work: Work, fate: Fate, targets: Targets, labels: Labels, spots: dict[int, Spot]
    ) -> None:
        self.work, self.fate, self.targets = work, fate, targets
        self.labels, self.spots = labels, spots
        # What stands in panes, and the panes that become items, by their numbers.
        self.of: dict[int, Pane] = {}
        self.made: dict[int, Pane] = {}
        self.numbers: dict[Pane, int] = {}

    def look(self, rows: Iterable[int], in_panels: Collection[int]) -> None:
        """Find what stands in the panes of panels that become submenus: each pane is an item."""
        for row in rows:
            thing = self.work.rows.things[row]
            panel = thing.panel if isinstance(thing, Item) and row not in in_panels else None
            if panel is None or panel.style != "tabs":
                continue
            pane = Pane(row, 0, "")
            for at, column in enumerate(panel.columns):
                pane = Pane(row, at, column.label) if column.label is not None else pane
                for block in column.blocks if pane.label else ():
                    direct: list[Item | Piece] = [block] if isinstance(block, Piece) else []
                    if isinstance(block, Links):
                        direct = [block.heading] if block.heading is not None else [*block.items]
                    self.of.update((inner.number, pane) for inner in direct)

    def number(
        self, row: int, level: dict[int, int], root: dict[int, int], deepest: int | None
    ) -> int | None:
        """The number of the item that the pane of a row becomes, if there is a level for it."""
        pane = self.of.get(row)
        if pane is None or pane.row not in level:
            return None
        if deepest is not None and level[pane.row] + 2 > deepest:
            return None
        if pane in self.numbers:
            return self.numbers[pane]
        number = self.numbers[pane] = GROUP + len(self.made)
        self.made[number] = pane
        level[number], root[number] = level[pane.row] + 1, root[pane.row]
        self.spots[number] = Spot(pane.row, -1, pane.row, False)
        return number

    def item(self, number: int) -> Item:
        """The item that a pane becomes."""
        pane = self.made[number]
        label, longest = self.labels.clean(pane.label), self.fate.limits.label
        label = cut(label, longest) if longest else label
        ident = f"pane.{pane.row}.{number - GROUP}"
        made = Item(ident, label, NOWHERE, children=[], number=self.work.next_made())
        owner = self.work.rows.things[pane.row]
        panel = owner.panel if isinstance(owner, Item) else None
        target = panel.columns[pane.column].target if panel is not None else None
        if target is not None:
            self.lead(pane.row, pane.column, target, made)
        return made

    def lead(self, row: int, column: int, target: Target, made: Item) -> None:
        """Let an item lead where a pane of a row led."""
        fact = f"column-target:{column}"
        made.target = self.targets.apply(row, target, fact)
        self.work.goes(row, fact, made.number, "target")

    def lead_all(self, row: int, item: Item, adapted: shape.Adapted | None) -> None:
        """Panes of a panel that is written, and what their labels became, lead where they led."""
        was = self.work.rows.things[row]
        assert isinstance(was, Item) and was.panel is not None and item.panel is not None
        for at, nth in panel_facts.same_panes(was.panel, item.panel).items():
            column = item.panel.columns[at]
            assert column.target is not None
            column.target = self.targets.apply(row, column.target, f"column-target:{nth}")
            into = f"column-target:{at}"
            self.work.went.append(Went(row, f"column-target:{nth}", 0, row, into))
        if adapted is not None:
            for made in panel_facts.made_of_panes(item.panel, adapted):
                self.lead(row, adapted.panes[made.number], made.target, made)

    def holds(self, row: int) -> bool:
        """Whether an item stands directly below what its pane became."""
        spot = self.spots.get(row)
        item = isinstance(self.work.rows.things[row], Item)
        return item and spot is not None and spot.above in self.made and spot.past < 0
