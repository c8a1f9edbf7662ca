"""Locations, and which menus each of them shows."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from ...containers.json import kind_of
from ...findings import notice
from ...model import (
    Extra,
    Location,
    Menu,
)
from ..places import location_of, places_of
from ..records import RecordRule
from ..schema import PlaceRule, Theme
from ..sections import inner
from ..trees import spell
from .reader import Reading


def read_locations(
    reading: Reading, theme: Theme | None, listed: list[Menu], extras: list[Extra]
) -> list[Location]:
    """The locations of a theme and of the file, with the menus that each shows."""
    # Where menus are shown is said by their own names, by them, by keys of locations, or in records
    # of these: one form after the other.
    rule = reading.profile.locations
    found: list[Location] = []
    menus = {menu.key: menu for menu in listed}
    places = {place.name: place for place in places_of(reading.profile, theme)}
    if rule.open:
        for menu in listed:
            location = location_of(reading.profile, menu.key, None)
            found.append(replace(location, menus=(menu.id,)))
        return found
    if rule.form == "names":
        for name, place in places.items():
            shown = (menus[name].id,) if name in menus else ()
            found.append(replace(location_of(reading.profile, name, place), menus=shown))
        return found
    if rule.form == "menus":
        shows: dict[str, tuple[str, ...]] = {}
        for menu in listed:
            for name in dict.fromkeys(reading.named_places[menu.key]):
                if rule.first and name in shows:
                    _tell_second(reading, menu, name)
                    continue
                shows[name] = (*shows.get(name, ()), menu.id)
        every = dict.fromkeys([*places, *shows])
        return [
            replace(location_of(reading.profile, n, places.get(n)), menus=shows.get(n, ()))
            for n in every
        ]
    if rule.form == "keys":
        for name, place in places.items():
            held = inner(reading.shape, reading.tree, f"{rule.at}/{name}")
            if place.sequence is not None and isinstance(held, list):
                together = _sequence(reading, place, held, menus, extras)
                found.append(replace(location_of(reading.profile, name, place), menus=together))
                continue
            if held is not None and not isinstance(held, str):
                raise reading.fail(
                    f"found {kind_of(held)} where the key of a menu is needed",
                    f"{rule.at.replace('/', '.')}.{name}",
                )
            location = location_of(reading.profile, name, place)
            found.append(_holding(reading, location, held, menus, f"{rule.at}/{name}", extras))
        return found
    record = reading.profile.kept(
        "locations", lambda: RecordRule(reading.shape.of(rule.at), rule.fields)
    )
    for place_, node in reading.records(reading.paths.locations):
        values, unread = reading.values(record, node, place_)
        extras.extend(Extra(f"{place_}/{e.path}", e.value, e.again) for e in unread)
        name = values["name"]
        location = location_of(reading.profile, name, places.get(name))
        if values.get("caption"):
            location = replace(location, caption=values["caption"])
        if any(known.name == name for known in found):
            raise reading.fail(f"two locations are named {name!r}", spell(place_))
        held = values.get("menu")
        found.append(_holding(reading, location, held, menus, f"{place_}/menu", extras))
    return found


def _tell_second(reading: Reading, menu: Menu, place: str) -> None:
    """Say that a menu names a location that another one has."""
    reading.notices.append(
        notice(
            "place.second",
            menu=menu.id,
            menu_name=menu.title or menu.key,
            before=place,
            origin=f"{reading.file}: {spell(menu.origin)}",
        )
    )


def _sequence(
    reading: Reading, place: PlaceRule, held: list[Any], menus: dict[str, Menu], extras: list[Extra]
) -> tuple[str, ...]:
    """The menus that a location holds one after the other; what else stands there is unread."""
    shown: list[str] = []
    for entry in held:
        key = entry.get(place.sequence) if isinstance(entry, dict) and len(entry) == 1 else None
        menu = menus.get(key) if isinstance(key, str) else None
        if menu is None or menu.id in shown:
            path = f"{reading.profile.locations.at}/{place.name}"
            extras.append(reading.whole_record(path, entry, extras))
        else:
            shown.append(menu.id)
    return tuple(shown)


def _holding(
    reading: Reading,
    location: Location,
    held: str | None,
    menus: dict[str, Menu],
    place: str,
    extras: list[Extra],
) -> Location:
    if not held:
        return location
    if held not in menus:
        extras.append(Extra(place, held))
        reading.notices.append(
            notice("place.unknown", before=held, after=location.name, origin=reading.file)
        )
        return location
    return replace(location, menus=(menus[held].id,))
