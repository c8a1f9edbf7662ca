"""Secondary menus: what stands below a branch, as a menu of its own at a location that is free."""

from __future__ import annotations

from msgspec.structs import replace

from ..model import Location, Menu
from ..profiles.schema import Limits
from . import keys
from .work import Fate, Work

PURPOSES = ("bar", "side")
"""Purposes of locations that a secondary menu may take without being asked for them."""


def vacant(work: Work, fate: Fate) -> list[Location]:
    """The locations that could show a part of a menu to the same visitors, on the same devices."""
    if not fate.locations or work.profile.menus.at == ".":
        return []
    devices = {device for place in fate.locations for device in place.devices}
    audiences = {place.audience for place in fate.locations}
    return [
        place
        for place in _free(work)
        if audiences == {place.audience}
        and devices <= set(place.devices)
        and _alike(fate.limits, limits_at(work, place))
    ]


def room(work: Work) -> int | None:
    """How many more menus the destination holds; None where there is no limit."""
    most = work.profile.limits_of(work.theme_name).menus
    there = len(work.kept) + len(work.fates) + len(work.secondary) + len(work.list_keys)
    return None if most is None else most - there


def limits_at(work: Work, place: Location) -> Limits:
    """The limits of a menu at a location; its depth is what is stored and shown there."""
    limits = work.profile.limits_of(work.theme_name, [place.name])
    levels = [level for level in (limits.depth, place.shows) if level is not None]
    return replace(limits, depth=min(levels, default=None))


def _free(work: Work) -> list[Location]:
    """The locations at which nothing is shown, neither of the source nor of the destination."""
    if work.vacant is None:
        taken = {place.name for fate in [*work.fates, *work.joined] for place in fate.locations}
        if work.base is not None:
            ours = {work.base.menus[at].id for at in work.renewed}
            taken |= {p.name for p in work.base.locations if set(p.menus) - ours}
        if work.profile.placed_by_key:
            taken |= {menu.key for menu in work.kept} | {fate.key for fate in work.fates}
        work.vacant = [
            place
            for place in work.locations
            if place.name not in taken and place.purpose in PURPOSES
        ]
    return work.vacant


def _alike(one: Limits, other: Limits) -> bool:
    """Whether items can be the same under two sets of limits, but for their number and depth."""
    return replace(one, depth=None, items=None, top=None, under=None) == replace(
        other, depth=None, items=None, top=None, under=None
    )


def start(work: Work, fate: Fate, row: int, place: Location) -> Menu:
    """A menu for what stands below a row, placed at a location that is free."""
    assert work.vacant is not None
    work.vacant.remove(place)
    title = work.label(row)
    made = begin(work, fate, title, f"{fate.key} {title}", place, fate.menu.language)
    assert made.made is not None
    return made.made


def begin(
    work: Work, fate: Fate, title: str, key: str, place: Location | None, language: str | None
) -> Fate:
    """An empty menu that is made of another one, with a key like the one given."""
    number = min((fate.index for fate in work.secondary), default=0) - 1
    made = Fate(number, Menu(fate.menu.id, key, title, [], language))
    made.locations = [place] if place is not None else []
    names = [place.name] if place is not None else []
    made.limits = work.profile.limits_of(work.theme_name, names)
    keys.name_secondary(work, made)
    work.secondary.append(made)
    made.made = keys.made_menu(work, made)
    return made
