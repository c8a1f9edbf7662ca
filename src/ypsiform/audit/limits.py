"""The written menus against every limit of the destination, and every reference in them.

This shares no code with fitting: it knows only the profile and what was read back.
"""

from __future__ import annotations

import re

from ..model import CONTENT_KINDS, Item, Rows, Site
from ..profiles.schema import Profile


def broken(site: Site, rows: Rows, made: set[int], profile: Profile) -> list[str]:
    """What is wrong with the menus at the indices `made`, in plain sentences."""
    limits = profile.limits
    found: list[str] = []
    if limits.menus is not None and made and len(site.menus) > limits.menus:
        found.append(f"{len(site.menus)} menus were written, but {limits.menus} can be held")
    seen: set[str] = set()
    for index, menu in enumerate(site.menus):
        if menu.key in seen:
            found.append(f"the menu key {menu.key!r} was written twice")
        seen.add(menu.key)
        if index not in made:
            continue
        key = limits.menu_key
        if key and (len(menu.key) > key.longest or not re.fullmatch(key.pattern, menu.key)):
            found.append(f"the menu key {menu.key!r} is not legal")
        if limits.title is not None and len(menu.title) > limits.title:
            found.append(f"the title of menu {menu.key!r} is too long")
        span = rows.of_menu(index)
        if limits.items is not None and len(span) > limits.items:
            found.append(f"menu {menu.key!r} has {len(span)} items; {limits.items} can be held")
        for row in span:
            found += _item(rows, row, profile)
    contents = {(content.kind, content.id) for content in site.contents}
    for index in made:
        for row in rows.of_menu(index):
            thing = rows.things[row]
            if not isinstance(thing, Item):
                continue
            target = thing.target
            missing = target.kind in CONTENT_KINDS and target.content is None
            if missing and target.address is None:
                found.append(f"“{thing.label}” points to content that is not there")
            elif target.content is not None and (target.kind, target.content) not in contents:
                found.append(f"“{thing.label}” points to unknown content {target.content!r}")
    menus = {menu.id for menu in site.menus}
    for place in site.locations:
        found += [
            f"the location {place.name!r} names the missing menu {menu!r}"
            for menu in place.menus
            if menu not in menus
        ]
    return found


def _item(rows: Rows, row: int, profile: Profile) -> list[str]:
    limits, thing = profile.limits, rows.things[row]
    found: list[str] = []
    if limits.depth is not None and rows.depth[row] > limits.depth:
        found.append(f"an item stands on level {rows.depth[row]}; {limits.depth} can be held")
    if isinstance(thing, Item) and limits.label is not None and len(thing.label) > limits.label:
        found.append(f"the label “{thing.label}” is longer than {limits.label}")
    return found
