"""How lists are laid out in the columns of a panel: their order, their widths, what is balanced."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from ..model import Block, Column, Item, Links, Panel


def headed(column: Column) -> bool:
    """Whether a column has a heading."""
    return any(isinstance(b, Links) and b.heading is not None for b in column.blocks)


def join(one: Block, other: Block) -> bool:
    """Whether two blocks would be read as one list."""
    return isinstance(one, Links) and isinstance(other, Links) and other.heading is None


def unframed(panel: Panel) -> bool:
    """Whether a panel says nothing of its width, its tone, and of markup around its columns."""
    return not panel.full_width and (panel.before, panel.after, panel.tone) == (None, None, None)


def bare(panel: Panel) -> bool:
    """Whether a panel says nothing but its columns and how it opens."""
    spans = any(column.span is not None for column in panel.columns)
    return panel.style == "columns" and not spans and unframed(panel)


def sections_of(panel: Panel) -> list[Item]:
    """The headings of a panel as items, with what stands below each, in reading order."""
    return [
        replace(block.heading, role="link", children=block.items)
        for column in panel.columns
        for block in column.blocks
        if isinstance(block, Links) and block.heading is not None
    ]


def sections_fit(panel: Panel, most: int) -> bool:
    """Whether a panel holds nothing but lists below headings, in the columns of `spread`."""
    blocks = [(at, b) for at, column in enumerate(panel.columns) for b in column.blocks]
    sections = [b for _, b in blocks if isinstance(b, Links) and b.heading is not None]
    count = len(panel.columns)
    return (
        1 <= count <= most
        and len(sections) == len(blocks)
        and not any(getattr(i, "role", "") == "divider" for b in sections for i in b.items)
        and spread([1 + len(b.items) for b in sections], count) == [at for at, _ in blocks]
    )


def shares(count: int) -> list[int]:
    """Widths of so many columns in twelfths that add up to twelve, the wider ones first."""
    if count > 12:
        return [1] * count
    each, over = divmod(12, max(count, 1))
    return [each + (at < over) for at in range(count)]


def rounded(spans: Sequence[float]) -> list[int]:
    """Widths as whole numbers of the same sum, none below 1, the largest remainders rounded up."""
    found = [int(span) for span in spans]
    left = round(sum(spans)) - sum(found)
    order = sorted(range(len(spans)), key=lambda at: (found[at] - spans[at], at))
    for at in order[:left]:
        found[at] += 1
    return [max(1, span) for span in found]


def spread(heights: list[int], count: int) -> list[int]:
    """For each section its column: in order, none split, the tallest column as low as can be.

    Ties go to the left: each column takes as many sections as the least possible height admits.
    """
    low, high = max(heights, default=0), sum(heights)
    while low < high:
        middle = (low + high) // 2
        if _columns_of(heights, middle)[-1] < count:
            high = middle
        else:
            low = middle + 1
    return _columns_of(heights, low) if heights else []


def _columns_of(heights: list[int], tallest: int) -> list[int]:
    """The column of each section where every column takes all that it can, up to a height."""
    found: list[int] = []
    column, height = 0, 0
    for own in heights:
        if height and height + own > tallest:
            column, height = column + 1, 0
        height += own
        found.append(column)
    return found or [0]
