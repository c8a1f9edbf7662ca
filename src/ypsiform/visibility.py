"""Who sees what: whether an item is shown, to whom, and on which devices.

An item is shown where its menu is placed, within the levels that the location shows, unless it or
an item above it is switched off. Audience and devices narrow on the way down.
"""

from __future__ import annotations

from .model import (
    ALL_DEVICES,
    EVERYONE,
    PLAIN,
    Item,
    Location,
    Menu,
    Rows,
    Site,
    Traits,
    admits,
    below,
)

Seen = tuple[tuple[tuple[str, ...], tuple[str, ...]], ...]
"""Pairs of audience and devices; empty: shown to nobody."""

_Limit = tuple[bool, tuple[str, ...], tuple[str, ...]]


def _both(one: tuple[str, ...], other: tuple[str, ...]) -> tuple[str, ...]:
    if admits(one, other):
        return other
    if admits(other, one):
        return one
    return tuple(sorted(set(one) & set(other)))


def _simplest(seen: set[tuple[tuple[str, ...], tuple[str, ...]]]) -> Seen:
    """Without the pairs that another pair includes."""
    return tuple(
        sorted(
            (who, where)
            for who, where in seen
            if not any(
                (who, where) != (w, d) and admits(w, who) and set(d) >= set(where) for w, d in seen
            )
        )
    )


def _narrowed(seen: Seen, limit: _Limit) -> Seen:
    off, audience, devices = limit
    if off:
        return ()
    found = set()
    for who, where in seen:
        people = _both(who, audience)
        screens = tuple(device for device in where if device in devices)
        if people and screens:
            found.add((people, screens))
    return _simplest(found)


def within(place: Location, depth: int, *, held: bool, own_room: bool) -> bool:
    """Whether a location shows a row of a menu, at a depth from 1.

    `held`: a panel holds it, which is shown wherever panels are, however many levels that is; and
    nowhere else if these have an `own_room`.
    """
    if held and (place.panels or own_room):
        return place.panels
    return place.shows is None or depth <= place.shows


def held_by_panels(rows: Rows) -> set[int]:
    """The rows that a panel holds: its headings, links and blocks, not what is below its links."""
    held: set[int] = set()
    found: set[int] = set()
    for row, thing in enumerate(rows.things if rows.panelled else ()):
        if held and id(thing) in held:
            found.add(row)
        if type(thing) is Item and thing.panel is not None:
            held.update(id(inner) for inner, _ in below(thing))
    return found


def shown(site: Site, rows: Rows, *, own_room: bool) -> list[Seen]:
    """For each row of a site, who sees it and on which devices.

    `own_room`: what a panel holds is shown in panels alone, not as a submenu where there are none.
    """
    placements = site.placements()
    bases: list[dict[tuple[int, bool], Seen]] = [{} for _ in site.menus]
    in_panels = held_by_panels(rows)
    limits: dict[int, _Limit] = {}
    narrows = _narrowing(rows)
    result: list[Seen] = []
    parents, menu_of, depths = rows.parent, rows.menu, rows.depth
    for row, menu in enumerate(menu_of):
        depth, held = depths[row], row in in_panels
        base = bases[menu].get((depth, held))
        if base is None:
            base = bases[menu][depth, held] = _simplest(
                {
                    (place.audience, place.devices)
                    for place in placements.get(site.menus[menu].id, ())
                    if within(place, depth, held=held, own_room=own_room)
                }
            )
        limit = limits.get(parents[row]) if limits else None
        if row in narrows:
            hidden, traits = narrows[row]
            off, audience, devices = limit or (False, EVERYONE, ALL_DEVICES)
            limit = (
                off or hidden,
                _both(audience, traits.audience),
                tuple(device for device in devices if device in traits.devices),
            )
        if limit is not None:
            limits[row] = limit
            base = _narrowed(base, limit)
        result.append(base)
    return result


def _narrowing(rows: Rows) -> dict[int, tuple[bool, Traits]]:
    """The rows of items that not everybody sees on all devices: switched off, and the traits."""
    said = zip(rows.said("hidden"), rows.said("traits"), strict=True)
    return {
        row: (hidden, traits)
        for row, (hidden, traits) in enumerate(said)
        if hidden
        or not (
            traits is PLAIN
            or traits is None
            or (traits.audience == EVERYONE and traits.devices == ALL_DEVICES)
        )
    }


def audience_of(menu: Menu, placements: dict[str, list[Location]]) -> tuple[str, ...]:
    """Who a menu is for: the audiences of the locations that show it. Everyone where none does."""
    people = {word for place in placements.get(menu.id, ()) for word in place.audience}
    if not people or "everyone" in people:
        return EVERYONE
    return tuple(sorted(people))


def shown_levels(places: list[Location]) -> int | None:
    """The levels that a menu's locations show, at the most; None where there is no limit."""
    shows = [place.shows for place in places]
    return None if None in shows else max(level for level in shows if level is not None)
