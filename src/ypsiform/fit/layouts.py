"""Columns put together, parted and filled, as the panels of a destination have them."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from ..encodings.layout import headed, spread
from ..markup import has_marks, passes
from ..model import (
    CONTENT_KINDS,
    Block,
    Column,
    Held,
    Item,
    Links,
    Markup,
    Panel,
    Picture,
    Piece,
    Text,
)


def leads_nowhere(block: Block) -> bool:
    """Whether a list has a heading that leads nowhere, or to a page that may not be there."""
    target = block.heading.target if isinstance(block, Links) and block.heading else None
    return target is not None and target.kind in ("none", *CONTENT_KINDS)


def says_less(held: Held, less: Held) -> bool:
    """Whether a block says less than it did; a text in another form may say the same."""
    if isinstance(held, Text) and isinstance(less, Text):
        return has_marks(held.body) or bool(held.links)
    return True


def height(column: Column) -> int:
    """How high a column is, in lines: a heading and a link are one, a picture is four."""
    lines = 0
    for block in column.blocks:
        if isinstance(block, Links):
            lines += (block.heading is not None) + _count_of(block.items)
        else:
            lines += 4 if isinstance(block.holds, Picture) else 2
    return lines


def _count_of(items: list[Item]) -> int:
    count, stack = 0, list(items)
    while stack:
        item = stack.pop()
        count += 1
        stack.extend(getattr(item, "children", ()))
    return count


def put_together(columns: list[Column], most: int) -> list[Column]:
    """Fewer columns in the same order, the tallest as low as it can be."""
    found: list[Column] = []
    numbers = _even([height(column) for column in columns], most)
    for column, at in zip(columns, numbers, strict=True):
        if at == len(found):
            found.append(replace(column, blocks=[]))
        elif found[at].span is not None and column.span is not None:
            found[at].span = min(12, (found[at].span or 0) + column.span)
        found[at].blocks += column.blocks
    return found


def _even(heights: list[int], count: int) -> list[int]:
    """For each column the one that it goes into: so many of them, the tallest as low as can be."""
    tallest: dict[int, int] = {}
    for own, at in zip(heights, spread(heights, count), strict=True):
        tallest[at] = tallest.get(at, 0) + own
    most = max(tallest.values(), default=0)
    found: list[int] = []
    column, full = -1, most + 1
    for number, own in enumerate(heights):
        left = len(heights) - number
        if full + own > most or left <= count - column - 1:
            column, full = column + 1, 0
        full += own
        found.append(column)
    return found


def spread_over(columns: list[Column], most: int) -> list[Column]:
    """The columns that the platform itself will make of the lists, one list after the other."""
    blocks = [block for column in columns for block in column.blocks]
    count = min(len(columns), most)
    found = [Column([]) for _ in range(count)]
    heights = [1 + len(b.items) if isinstance(b, Links) else 1 for b in blocks]
    for block, at in zip(blocks, spread(heights, count), strict=True):
        found[at].blocks.append(block)
    return [column for column in found if column.blocks]  # in fewer columns it stands just so


def one_heading_each(column: Column) -> list[Column]:
    """A column parted before each heading but the first thing in it."""
    parts: list[Column] = []
    for block in column.blocks:
        headed = isinstance(block, Links) and block.heading is not None
        if headed or not parts:
            parts.append(replace(_unlabelled(column) if parts else column, blocks=[]))
        parts[-1].blocks.append(block)
    return parts


def without_neighbours(columns: list[Column]) -> list[Column]:
    """Columns without a heading put together with such a one before them: they read as one."""
    found: list[Column] = []
    for column in columns:
        if found and not headed(column) and not headed(found[-1]):
            found[-1].blocks = [*found[-1].blocks, *column.blocks]
        else:
            found.append(column)
    return found


def only_markup(panel: Panel) -> Piece | None:
    """The markup of a panel that holds nothing else, and that runs nothing."""
    blocks = [block for column in panel.columns for block in column.blocks]
    around = panel.before is not None or panel.after is not None
    piece = blocks[0] if len(blocks) == 1 and not around else None
    return piece if is_markup(piece) and isinstance(piece, Piece) else None


def is_markup(block: object) -> bool:
    """Whether a block is markup of which something is left where nothing in it may run."""
    held = block.holds if isinstance(block, Piece) else None
    return isinstance(held, Markup) and passes(held.html)


def markup_around(
    panel: Panel, lost: Callable[[Column], bool], *, around: bool
) -> tuple[Piece | None, Piece | None, list[Column]]:
    """The markup before and after the columns, and these.

    Where none can stand there it is in columns of its own; where it can, columns of nothing else
    at either end go there, those not counted of which all is lost.
    """
    # The last column that visitors see stays one: a panel of nothing but markup has a column.
    columns = list(panel.columns)
    before, after = (p if around and is_markup(p) else None for p in (panel.before, panel.after))
    if panel.before is not None and before is None:
        columns.insert(0, Column([panel.before], 12))
    if panel.after is not None and after is None:
        columns.append(Column([panel.after], 12))
    seen = [column for column in columns if not lost(column)] if around else []
    if before is None and len(seen) > 1 and is_markup(_alone(seen[0])):
        before = _alone(seen.pop(0))
    if after is None and len(seen) > 1 and is_markup(_alone(seen[-1])):
        after = _alone(seen.pop())
    taken = [piece for piece in (before, after) if piece is not None]
    return before, after, [c for c in columns if not any(c.blocks == [p] for p in taken)]


def _alone(column: Column) -> Piece | None:
    """The only block of a column, if that is not a list."""
    block = column.blocks[0] if len(column.blocks) == 1 else None
    return block if isinstance(block, Piece) else None


def pictures_behind(columns: list[Column]) -> tuple[list[Column], list[Column]]:
    """The lists, and a column with all else in the same order, if there is any."""
    others = [block for column in columns for block in column.blocks if isinstance(block, Piece)]
    lists = [replace(c, blocks=[b for b in c.blocks if isinstance(b, Links)]) for c in columns]
    return [c for c in lists if c.blocks], [Column([*others])] if others else []


def pictures_together(columns: list[Column]) -> list[Column]:
    """Columns of nothing but pictures put together with such a one before them: they are one."""
    found: list[Column] = []
    for column in columns:
        alone = isinstance(column.blocks[0], Piece)
        if alone and found and isinstance(found[-1].blocks[0], Piece):
            found[-1].blocks = [*found[-1].blocks, *column.blocks]
        else:
            found.append(column)
    return found


def one_block_each(column: Column) -> list[Column]:
    """A column for each block, all as wide as the one that they stood in."""
    return [
        replace(_unlabelled(column) if at else column, blocks=[block])
        for at, block in enumerate(column.blocks)
    ]


def one_more(columns: list[Column], *, headed_lists: bool) -> list[Column] | None:
    """The columns with the tallest that can be parted in two; None where none can.

    Where each list has a heading a column is parted between its blocks alone.
    """
    for at in sorted(range(len(columns)), key=lambda n: -height(columns[n])):
        column = columns[at]
        first, more = column.blocks, column.blocks
        if len(column.blocks) > 1:
            half = (len(column.blocks) + 1) // 2
            first, more = column.blocks[:half], column.blocks[half:]
        else:
            block = column.blocks[0] if column.blocks else None
            if headed_lists or not isinstance(block, Links) or len(block.items) < 2:
                continue
            half = (len(block.items) + 1) // 2
            first = [Links(block.heading, block.items[:half], block.key)]
            more = [Links(None, block.items[half:])]
        span = column.span
        parts = [replace(column, blocks=first), replace(_unlabelled(column), blocks=more)]
        if span is not None and span > 1:
            parts[0].span, parts[1].span = (span + 1) // 2, span // 2
        return [*columns[:at], *parts, *columns[at + 1 :]]
    return None


def _unlabelled(column: Column) -> Column:
    """A column without its label, and what that says."""
    return replace(column, label=None, target=None, note=None, id="")
