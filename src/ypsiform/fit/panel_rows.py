"""The rows of panels that are written: which they are, and what each of them is in its panel."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from ..model import PLAIN, Block, Column, Item, Links, Panel
from . import branches, columns, panels, shape, traits
from .pieces import Pieces
from .work import Fate, Work


class PanelRows:
    """The rows of one menu that are in panels. `gone`: rows that do not stay."""

    def __init__(
        self, work: Work, fate: Fate, menu_rows: range, gone: set[int], pieces: Pieces
    ) -> None:
        self.work, self.fate, self.menu_rows, self.gone = work, fate, menu_rows, gone
        self.pieces = pieces
        self.rows: set[int] = set()
        self.inner: set[int] = set()
        # Panels that are held in part, by the rows of their items.
        self.adapted: dict[int, shape.Adapted] = {}
        # Panels that there is no room for.
        self.surplus: set[int] = set()
        self.headings: set[int] = set()
        # Blocks that go on as links, with what stands for each of these in their panel.
        self.as_links: dict[int, list[shape.Linked]] = {}
        self.unheaded: set[int] = set()

    def look(self) -> None:
        """Find the rows of panels that are written as they are: their items and what is in them."""
        work = self.work
        room = panels.room(work)
        rows: Sequence[int] = self.menu_rows
        if room is not None:
            rows, others = panels.among(work, self.menu_rows, room)
            shown = any(place.panels for place in self.fate.locations)
            self.surplus = set(others) if shown else set()
        for row in rows:
            thing = work.rows.things[row]
            if isinstance(thing, Item) and thing.panel is not None:
                if self.work.rows.depth[row] != 1:
                    continue
                inside = range(row, traits.end_of(work.rows, row, self.menu_rows.stop))
                adapted = None
                panel = self.left_of(thing.panel)
                if panel is not thing.panel or not panels.can_hold(work, self.fate, panel):
                    adapted = panels.adapted(
                        work, self.fate, panel, self.pieces.offers, self.left_out
                    )
                    if adapted is None:
                        continue
                    self.adapted[row] = adapted
                    self.headings.update(adapted.roles)
                    self.unheaded.update(adapted.unheaded)
                    self.as_links.update(adapted.links)
                    self.pieces.left_in.update(adapted.inner)
                    self.pieces.altered.update(adapted.altered)
                    self.pieces.taken.update(adapted.taken)
                panel = adapted.panel if adapted else thing.panel
                panels.name_lists(work, self.fate, panel, thing.label)
                gone = adapted.gone if adapted is not None else {}
                self.rows.update(at for at in inside if at not in gone)
                self.inner.update(at for at in inside[1:] if at not in gone)
                self.gone.update(gone)

    def open(self, opened: columns.Opened, decided: branches.Decided) -> None:
        """Let a top item open a panel with what stands below it."""
        work, row, adapted = self.work, opened.row, opened.adapted
        self.adapted[row] = adapted
        work.opened.add(row)
        headings = [
            block.heading.number
            for column in adapted.panel.columns
            for block in column.blocks
            if isinstance(block, Links) and block.heading is not None
        ]
        self.headings.update(headings)
        self.unheaded.update(adapted.unheaded)
        self.gone.update(adapted.gone)
        inside = [at for at in opened.inside if at not in adapted.gone]
        self.rows.update([row, *inside])
        self.inner.update(inside)
        panels.name_lists(work, self.fate, adapted.panel, work.label(row))
        columns.report(work, opened, decided.deep, decided.level)

    def left_of(self, panel: Panel) -> Panel:
        """A panel without what is left out of it, where an empty column has no place of its own.

        It has one where columns are records that stand by themselves, and where their heads are it
        has as long as such a head stays.
        """
        encoding = self.work.encoding
        if encoding is None:
            return panel
        headings = encoding.capacity().headings
        stands = headings in ("first", "free") and not self.work.lacking
        if stands and headings == "free":
            return panel
        columns: list[Column] = []
        changed = False
        for column in panel.columns:
            blocks: list[Block] = []
            for block in column.blocks:
                if isinstance(block, Links):
                    heads = [block.heading] if block.heading is not None else []
                    stay = [i for i in [*heads, *block.items] if not self.left_out(i)]
                    if len(stay) != len(block.items) + len(heads):
                        gone = not stay or (bool(heads) and stay[0] is not heads[0])
                        changed = changed or gone or not stands
                        if gone:
                            continue
                        block = Links(block.heading, stay[len(heads) :], block.key)
                blocks.append(block)
            columns.append(replace(column, blocks=blocks))
        return replace(panel, columns=columns) if changed else panel

    def left_out(self, item: Item) -> bool:
        """Whether an item is left out, by what was decided or for what it says."""
        if item.number < 0 or not isinstance(self.work.rows.things[item.number], Item):
            return False
        choice = self.work.chosen_item(item.number)
        if choice is not None and not choice.keep:
            return True
        says = item.hidden or item.traits is not PLAIN
        return says and traits.left_out(self.work, self.fate, item.number, item) is not None
