"""The written menus against every limit of the destination, and every reference in them.

This shares no code with fitting: it knows only the profile and what was read back.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping

from msgspec.structs import replace

from ..model import CONTENT_KINDS, Item, Links, Menu, Rows, Site, Target, blocks_of, set_traits
from ..profiles.schema import Limits, Profile


def broken(
    site: Site, rows: Rows, made: set[int], profile: Profile, own: Collection[str] = ()
) -> list[str]:
    """What is wrong with the menus at the indices `made`, in plain sentences.

    `own` are keys that the file had before, whatever they are.
    """
    # Asked of what was read back, with the profile's limits alone: what fitting believed is no
    # matter.
    found: list[str] = []
    whole, own_room = profile.limits_of(site.theme), profile.own_room(site.theme)
    count = len(site.menus) + _lists(site)
    if whole.menus is not None and made and count > max(whole.menus, len(own)):
        found.append(f"{count} menus were written, but {whole.menus} can be held")
    items = sum(isinstance(thing, Item) for thing in rows.things)
    if whole.total is not None and made and items > whole.total:
        found.append(f"{items} items were written, but {whole.total} can be held in all")
    keys = Counter(menu.key for menu in site.menus)
    found += [f"the menu key {key!r} was written twice" for key, n in keys.items() if n > 1]
    contents = {(content.kind, content.id) for content in site.contents}
    placements = site.placements()
    for index in sorted(made):
        menu = site.menus[index]
        places = [place.name for place in placements.get(menu.id, ())]
        limits = profile.limits_of(site.theme, places)
        if menu.key in own:
            limits = replace(limits, menu_key=None)
        opened = _opened(rows, rows.of_menu(index)) if own_room else {}
        found += _menu(menu, rows, rows.of_menu(index), limits, opened)
        bounds = (limits.depth, limits.label, limits.parents)
        bounded = bool(limits.lacks) or any(bound is not None for bound in bounds)
        span = rows.of_menu(index)
        targets = set(rows.said("target")[span.start : span.stop])  # of the same there are many
        missing = {target: words for target in targets if (words := _missing(target, contents))}
        for row in span if bounded or missing else ():
            thing = rows.things[row]
            if not isinstance(thing, Item):
                continue
            if bounded:
                above = opened.get(row)
                depth = rows.depth[row] - (rows.depth[above] if above is not None else 0)
                found += _item(thing, depth, limits, profile)
            if thing.target in missing:
                found.append(f"“{thing.label}” points to {missing[thing.target]}")
    menus = {menu.id for menu in site.menus}
    for place in site.locations:
        found += [
            f"the location {place.name!r} names the missing menu {menu!r}"
            for menu in place.menus
            if menu not in menus
        ]
    return found


def _lists(site: Site) -> int:
    """How many lists of panels are menus of the platform."""
    panels = [item.panel for menu in site.menus for item in menu.items if item.panel is not None]
    blocks = [block for panel in panels for column in panel.columns for block in column.blocks]
    return sum(bool(getattr(block, "key", "")) for block in blocks)


def _opened(rows: Rows, span: range) -> dict[int, int]:
    """For each row below a panel the row that the panel opens from.

    Where panels have room of their own, what stands in one is no part of the menu that it opens
    from: its levels and its items count from there.
    """
    found: dict[int, int] = {}
    for row in span:
        parent = rows.parent[row]
        holder = rows.things[parent] if parent >= 0 else None
        if isinstance(holder, Item) and holder.panel is not None:
            found[row] = parent
        elif parent in found:
            found[row] = found[parent]
    return found


def _menu(
    menu: Menu, rows: Rows, span: range, limits: Limits, opened: Mapping[int, int]
) -> list[str]:
    # One limit after the other, as the profile lists them; levels are the business of `visibility`.
    found: list[str] = []
    key = limits.menu_key
    if key and (len(menu.key) > key.longest or not re.fullmatch(key.pattern, menu.key)):
        found.append(f"the menu key {menu.key!r} is not legal")
    if limits.title is not None and len(menu.title) > limits.title:
        found.append(f"the title of menu {menu.key!r} is too long")
    for above, count in Counter(opened.get(row) for row in span).items():
        lists = _lists_of(rows.things[above]) if above is not None else 1
        if limits.items is not None and count > limits.items * max(lists, 1):
            found.append(f"menu {menu.key!r} has {count} items; {limits.items} can be held")
    below = Counter(rows.parent[row] for row in span)
    for parent, count in below.items():
        holder = rows.things[parent] if parent >= 0 else None
        most = limits.under if parent >= 0 else limits.top
        panel = isinstance(holder, Item) and holder.panel is not None
        if most is not None and count > most and not panel:
            found.append(f"{count} items stand side by side in {menu.key!r}; {most} can be held")
    if limits.unique_labels:
        labels = Counter(t.label for row in span if isinstance(t := rows.things[row], Item))
        found += [f"the label “{label}” stands twice" for label, n in labels.items() if n > 1]
    if limits.unique_beside:
        pairs = [(rows.parent[at], rows.things[at]) for at in span]
        beside = Counter((up, t.label) for up, t in pairs if isinstance(t, Item))
        found += [
            f"“{label}” stands twice side by side" for (_, label), n in beside.items() if n > 1
        ]
    return found


def _lists_of(thing: object) -> int:
    """How many lists of links stand in the panel of an item."""
    panel = thing.panel if isinstance(thing, Item) else None
    return sum(isinstance(b, Links) for b in blocks_of(panel)) if panel is not None else 0


def _item(item: Item, depth: int, limits: Limits, profile: Profile) -> list[str]:
    found: list[str] = []
    if limits.depth is not None and depth > limits.depth:
        found.append(f"an item stands on level {depth}; {limits.depth} can be held")
    if limits.label is not None and len(item.label) > limits.label:
        found.append(f"the label “{item.label}” is longer than {limits.label}")
    if limits.parents is not None and item.children and not _may_hold(item, limits, profile):
        found.append(f"“{item.label}” leads somewhere and has items below it")
    said = [*set_traits(item.traits), *(["hidden"] if item.hidden else [])]
    found += [f"“{item.label}” says {name!r}" for name in said if name in limits.lacks]
    return found


def _may_hold(item: Item, limits: Limits, profile: Profile) -> bool:
    kinds, target = limits.parents or [], item.target
    if target.kind in kinds:
        return True
    by_address = target.address is not None or target.kind not in profile.kinds
    return by_address and not {"address", "internal"}.isdisjoint(kinds)


def _missing(target: Target | None, contents: set[tuple[str, str]]) -> str:
    """What of a target is not there; empty where nothing is missing."""
    if target is None:
        return ""
    if target.content is not None and (target.kind, target.content) not in contents:
        return f"unknown content {target.content!r}"
    missing = target.kind in CONTENT_KINDS and target.content is None
    return "content that is not there" if missing and target.address is None else ""
