"""Panels that stand beside the menus, and what of panels nobody sees or reads."""

from __future__ import annotations

from typing import Any

from ...encodings import Encoding, encoding_of
from ...encodings.base import Found, PanelRule
from ...findings import notice
from ...model import (
    Extra,
    Item,
    Location,
    Menu,
    Site,
    rows_of,
)
from ..places import places_of
from ..schema import PlaceRule
from ..sections import inner
from ..trees import spell
from .menus import menu_of
from .reader import Reading


def tell_other_panels(reading: Reading, site: Site, theme: str | None) -> None:
    """Say which items open panels of the file's own theme that another one does not know."""
    was = encoding_of(reading.profile.panels_of(theme))
    for menu in site.menus if was is not None and was.rule != _panel_rule(reading) else ():
        items = was.fold(menu.items, {}) if was is not None else []
        for item in items:
            if item.panel is not None:
                reading.notices.append(
                    notice(
                        "panel.unknown",
                        menu=menu.id,
                        menu_name=menu.title or menu.key,
                        item=item.id,
                        path=(item.label,),
                        before=theme,
                        after=reading.encoded,
                        origin=reading.file,
                    )
                )


def panels_beside(
    reading: Reading,
    encoding: Encoding,
    menus: list[tuple[Menu, Any]],
    locations: list[Location],
    extras: list[Extra],
) -> list[tuple[Menu, Any]]:
    """Read the panels that stand beside the menus. Returns the menus that are left."""
    found = Found(menus, locations, extras)
    found.first = reading.fold_from
    found.made = lambda key, place: menu_of(reading, key, {}, (), place)
    if encoding.splits:
        shown_at = encoding.rule.shown_at
        here = found.sequence_at = f"{reading.profile.locations.at}/{shown_at}"
        places = places_of(reading.profile, reading.theme)
        place = next((place for place in places if place.name == shown_at), PlaceRule(""))
        found.menu_key, found.place_key = place.sequence or "", place.key or place.name
        found.sequence = inner(reading.shape, reading.tree, here)
        reading.whole.pop(here, None)
        found.unread = lambda entry: reading.whole_record(here, entry, extras)
    encoding.menus_read(found)
    return found.menus


def tell_unseen(reading: Reading, encoding: Encoding) -> None:
    """Say what items that only wrap a column say that nobody sees, and which widths are odd."""
    for top, shares in encoding.uneven:
        spans = [c.span for c in top.panel.columns if c.span] if top.panel is not None else []
        reading.notices.append(
            notice(
                "read.shares",
                item=top.id,
                path=(top.label,),
                before=" : ".join(map(str, shares)),
                after=" : ".join(map(str, spans)),
                origin=f"{reading.file}: {spell(top.origin)}",
            )
        )
    for top, wrapper in encoding.unseen:
        address = wrapper.target.address or wrapper.target.content
        reading.notices.append(
            notice(
                "read.wrapper",
                item=top.id,
                path=(top.label, wrapper.label),
                before=address,
                origin=f"{reading.file}: {spell(wrapper.origin)}",
            )
        )


def _panel_rule(reading: Reading) -> PanelRule | None:
    return reading.encoding.rule if reading.encoding is not None else None


def tell_unused_marks(reading: Reading, site: Site) -> None:
    """What says that an item is part of a panel, where there is no such panel, is unread."""
    for thing in rows_of(site.menus).things:
        part = reading.marks.get(thing.origin)
        if part is not None and isinstance(thing, Item):
            kind = reading.items.compiled.by_part[part][0]
            said = tuple(Extra(key, word) for key, word in kind.fixed if word)
            thing.extras = (*said, *thing.extras)
