"""A branch that is too deep as a panel: what stands below a top item becomes columns.

All branches below one top item become columns together, or none of them does.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec import Struct
from msgspec.structs import replace

from ..effort import Measure, efforts
from ..facts import NEW
from ..findings import EVERY, Cover
from ..model import EVERYONE, NOWHERE, Column, Item, Links, Menu, Panel, Rows, Site, rows_of
from . import panels
from .shape import Adapted
from .traits import end_of
from .work import Fate, Work


class Opened(Struct):
    """A top item that can open a panel: its row, the panel, and the rows below it that stay.

    `menus` is how many menus of the destination its lists are.
    """

    row: int
    adapted: Adapted
    inside: list[int]
    menus: int = 0


def openable(
    work: Work, fate: Fate, tops: Collection[int], staying: Sequence[int], stop: int
) -> dict[int, Opened]:
    """Those of some top items that can open a panel in a menu, by their rows."""
    found: dict[int, Opened] = {}
    if not tops or work.encoding is None or not any(place.panels for place in fate.locations):
        return found
    stays = set(staying)
    for row in sorted(tops):
        item = work.rows.things[row]
        if not isinstance(item, Item) or item.panel is not None or item.role == "divider":
            continue
        if not _is_top(work, row) or any(_unlike(work, child) for child in item.children):
            continue
        # How a board opens is said by its item, as it was before it had one.
        spread = panels.capacity_of(work).spread
        panel = Panel(_columns(item, stays), opens=item.traits.opens if spread else None)
        made = panels.adapted(
            work, fate, panel, lambda _: [], lambda inner: inner.number not in stays
        )
        if made is None:
            continue
        inside = [at for at in range(row + 1, end_of(work.rows, row, stop)) if at in stays]
        lists = sum(isinstance(b, Links) for c in made.panel.columns for b in c.blocks)
        menus = 0
        if panels.lists_are_menus(work):
            menus = 2 if work.encoding is not None and work.encoding.splits else lists
        found[row] = Opened(row, made, inside, menus)
    return found


def _is_top(work: Work, row: int) -> bool:
    return work.rows.depth[row] == 1 and row not in work.tongues


def _unlike(work: Work, child: Item) -> bool:
    """Whether an item with others below it says something that no heading there can hold.

    Without it more people would see it, or labels of another menu would be lost.
    """
    lacking = work.lacking
    narrow = child.traits.audience != EVERYONE and "audience" in lacking
    told = child.number in work.more_labels and "translations" in lacking
    return bool(child.children) and (narrow or told or (child.hidden and "hidden" in lacking))


def _columns(item: Item, stays: set[int]) -> list[Column]:
    """Each child with something below it heads a column; others stand in one without a heading."""
    columns: list[Column] = []
    for child in item.children:
        if child.number not in stays:
            continue
        if child.children:
            below = [inner for inner in child.children if inner.number in stays]
            columns.append(Column([Links(child, below)]))
            continue
        last = columns[-1].blocks[0] if columns else None
        if isinstance(last, Links) and last.heading is None:
            last.items.append(child)
        else:
            columns.append(Column([Links(None, [child])]))
    return columns


def ways(
    opened: Opened, rows: Rows, start: float, measure: Measure, *, link: bool, nested: bool
) -> dict[int, float]:
    """The effort of reaching each row in the panel, where its top item takes `start`.

    `link`: headings may lead somewhere; else where one leads is the first entry below it. `nested`:
    what is below a link stands below it there too, and not beside it.
    """
    entry: dict[int, int] = {}
    columns: list[Column] = []
    count = 0
    for column in opened.adapted.panel.columns:
        blocks = []
        for block in column.blocks:
            if isinstance(block, Links) and not nested:
                # What is below each of them stands in the list as well, and is laid out once.
                alone = [replace(i, children=[]) if isinstance(i, Item) else i for i in block.items]
                block = Links(block.heading, alone, block.key)
            head = block.heading if isinstance(block, Links) else None
            if (
                isinstance(block, Links)
                and head is not None
                and head.target.kind != "none"
                and not link
            ):
                count += 1
                first = Item("", "", head.target, number=-count)
                entry[-count] = head.number
                block = Links(replace(head, target=NOWHERE), [first, *block.items])
            blocks.append(block)
        columns.append(Column(blocks))
    top = rows.things[opened.row]
    assert isinstance(top, Item)
    laid = rows_of([Menu("", "", "", [replace(top, children=[], panel=Panel(columns))])])
    site = Site("", None, menus=[Menu("", "", "", [])])
    found = efforts(site, laid, measure)
    more = start - found[0]
    made = {t.number: more + way for t, way in zip(laid.things, found, strict=True)}
    made.update({number: made[first] for first, number in entry.items()})
    return made


def report(work: Work, opened: Opened, deep: Collection[int], level: int) -> None:
    """Report what stands in a panel now."""
    adapted, rows = opened.adapted, work.rows
    inside = set(opened.inside)
    covers = [Cover(0, "item", (opened.row,), f"{NEW}panel")]
    top = rows.things[opened.row]
    if isinstance(top, Item) and top.traits.opens and panels.capacity_of(work).spread:
        covers.append(Cover(0, "item", (opened.row,), "opens"))
    for column in adapted.panel.columns:
        for block in column.blocks:
            head = block.heading if isinstance(block, Links) else None
            if head is not None and head.number in inside and head.role != "heading":
                covers.append(Cover(0, "item", (head.number,), "role"))
    covers += [Cover(0, "item", (at,), "role") for at in adapted.unheaded if _was_heading(rows, at)]
    covers += [Cover(0, "item", (at,), "parent") for at in adapted.moved if at in inside]
    dividers = tuple(at for at in adapted.gone if at in inside)
    if dividers:
        gone = [Cover(0, "item", dividers, EVERY)]
        work.loss("panel.divider", "dropped", gone, row=opened.row, before=str(len(dividers)))
    count = len(adapted.panel.columns)
    loss = work.loss(
        "depth.to-columns",
        "moved",
        covers,
        row=opened.row,
        before=str(level),
        after=f"{count} column" + ("" if count == 1 else "s"),
        labels=tuple(work.label(row) for row in opened.inside if row in deep),
    )
    for row in opened.inside:
        work.moved.setdefault(row, loss)


def _was_heading(rows: Rows, row: int) -> bool:
    thing = rows.things[row]
    return isinstance(thing, Item) and thing.role == "heading"
