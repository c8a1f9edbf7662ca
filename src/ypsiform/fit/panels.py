"""Panels: kept where the destination shows them, ordinary submenus elsewhere."""

from __future__ import annotations

from ..findings import Cover
from ..model import Column, Item, Links, Panel, Picture, Piece
from .kinds import Targets, targets_of
from .work import Fate, Work, item_facts


def panel_facts(panel: Panel) -> list[str]:
    """The names of the facts of a panel itself, without what stands in its blocks."""
    names = ["panel", "panel-style", "panel-opens", "panel-width"]
    for at, column in enumerate(panel.columns):
        names.append(f"column:{at}")
        if column.span is not None:
            names.append(f"span:{at}")
        if column.label is not None:
            names.append(f"column-label:{at}")
    return names


def can_hold(work: Work, fate: Fate, panel: Panel) -> bool:
    """Whether a panel can be written in this menu just as it is.

    A location of the menu must show panels, or they must have been stored in the same way.
    """
    if work.strategy is None or not work.strategy.fits(panel):
        return False
    return work.same_encoding or any(place.panels for place in fate.locations)


def dissolve(work: Work, row: int, item: Item, inside: list[int], targets: Targets) -> None:
    """Report a panel that becomes a submenu: its own facts, its headings and its pictures.

    `inside` are the rows of the panel that are not left out for another reason.
    """
    panel = item.panel
    assert panel is not None
    covers = [Cover(0, "item", (row,), fact) for fact in panel_facts(panel)]
    headings = 0
    pictures = 0
    for at in inside:
        thing = work.rows.things[at]
        if isinstance(thing, Piece):
            pictures += 1
            facts = ["block", "holds"]
            if not has_link(thing):
                facts.append("shown")
            elif any(targets.of(target).code for target in targets_of(thing)):
                facts.remove("holds")  # its link has a loss of its own
            covers += item_facts(at, *facts)
        elif thing.role == "heading":
            headings += 1
            covers.append(Cover(0, "item", (at,), "role"))
    parts = [_count(len(panel.columns), "column"), _count(headings, "heading")]
    parts += [_count(pictures, "picture")] if pictures else []
    if panel.opens:
        parts.append(f"opens on {panel.opens}")
    if panel.full_width:
        parts.append("full width")
    work.loss(
        "panel.not-held",
        "altered",
        covers,
        row=row,
        before=", ".join(parts),
        after="a submenu",
    )


def _count(number: int, word: str) -> str:
    return f"{number} {word}" + ("" if number == 1 else "s")


def has_link(piece: Piece) -> bool:
    """Whether a picture can go on as a link: it has a caption and leads somewhere."""
    holds = piece.holds
    return isinstance(holds, Picture) and bool(holds.caption) and holds.target is not None


class Slots:
    """Where the rows of a kept panel go: each into the block that it was read from."""

    def __init__(self) -> None:
        self.lists: dict[int, list[Item]] = {}
        self.heads: dict[int, Links] = {}

    def copy(self, panel: Panel) -> tuple[Panel, list[Piece]]:
        """An empty copy of a panel; its items are put in later, its pieces are returned."""
        pieces: list[Piece] = []
        columns: list[Column] = []
        for column in panel.columns:
            made = Column([], column.span, column.label)
            columns.append(made)
            for block in column.blocks:
                if isinstance(block, Piece):
                    piece = Piece(block.holds, number=block.number)
                    pieces.append(piece)
                    made.blocks.append(piece)
                    continue
                links = Links(None, [])
                made.blocks.append(links)
                if block.heading is not None:
                    self.heads[id(block.heading)] = links
                for item in block.items:
                    self.lists[id(item)] = links.items
        copy = Panel(
            columns,
            panel.style,
            panel.full_width,
            panel.opens,
            panel.tone,
            panel.before,
            panel.after,
        )
        return copy, pieces
