"""How wide bars and panels are, by the measure of a real font."""

from __future__ import annotations

from collections.abc import Sequence
from io import BytesIO
from typing import Any

from .errors import FormatError
from .findings import Finding, notice
from .model import Item, Menu, Site
from .profiles.places import places_of
from .profiles.schema import Profile, RowRule, Theme


def wide(
    profile: Profile,
    theme: Theme | None,
    site: Site,
    font: tuple[bytes, str] | None,
    file: str,
) -> list[Finding]:
    """Which items do not fit on the row of their location, as findings.

    The width of a row is the sum of its labels' advances in the font, in pixels, and of a gap
    between each two of them. Raises `FormatError` where the font cannot be read.
    """
    found: list[Finding] = []
    rules = {place.name: place.row for place in places_of(profile, theme)}
    menus = {menu.id: menu for menu in site.menus}
    for place in site.locations:
        row = rules.get(place.name)
        if row is None or not place.menus:
            continue
        shown = [menus[ident] for ident in place.menus if ident in menus]
        labels = [item.label for menu in shown for item in _top(menu)]
        over, width = _measured(labels, row, font)
        if over:
            found.append(
                notice(
                    "label.wraps",
                    menu=shown[0].id,
                    menu_name=shown[0].title or shown[0].key,
                    path=(place.caption or place.name,),
                    before=f"{width:.0f} pixels",
                    after=f"{row.width:.0f}",
                    labels=tuple(over),
                    origin=file,
                )
            )
    return found


COLUMN, GAP, SIZE = 280.0, 24.0, 16.0
"""In pixels: a column before its labels break, the room between two, and the size of letters."""


def across(columns: Sequence[Sequence[str]]) -> float:
    """The pixels that columns of these labels need side by side, in the font that comes along."""
    font = _font(None, SIZE)
    widths = [
        min(max((float(font.getlength(label)) for label in set(labels)), default=0.0), COLUMN)
        for labels in columns
    ]
    return sum(widths) + GAP * max(len(widths) - 1, 0)


def _top(menu: Menu) -> list[Item]:
    return [item for item in menu.items if item.role != "divider" and not item.hidden]


def _measured(
    labels: list[str], row: RowRule, given: tuple[bytes, str] | None
) -> tuple[list[str], float]:
    """The labels that stand beyond the end of a row, and how wide all of them are."""
    if sum(map(len, labels)) * row.size < row.width - row.gap * len(labels):
        return [], 0.0  # no letter is wider than its size: it fits in any font
    font = _font(given, row.size)
    over: list[str] = []
    end = 0.0
    for at, label in enumerate(labels):
        end += float(font.getlength(" ".join(label.split()))) + (row.gap if at else 0.0)
        if end > row.width:
            over.append(label)
    return over, end


def _font(given: tuple[bytes, str] | None, size: float) -> Any:
    from PIL import ImageFont

    if given is None:
        return ImageFont.load_default(size)  # the one that Pillow brings along
    data, file = given
    try:
        return ImageFont.truetype(BytesIO(data), size)
    except (OSError, ValueError) as error:
        raise FormatError(f"this is no font that can be read: {error}", file=file) from None
