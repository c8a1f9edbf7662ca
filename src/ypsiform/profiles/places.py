"""Locations as a theme describes them."""

from __future__ import annotations

import re

from ..model import ALL_DEVICES, Location
from .schema import PlaceRule, Profile, Theme

PURPOSES = {
    "upper": "bar",
    "header": "bar",
    "main": "bar",
    "top": "bar",
    "foot": "footer",
    "footer": "footer",
    "bottom": "footer",
    "handset": "handset",
    "pocket": "handset",
    "mobile": "handset",
    "member": "signed-in",
    "side": "side",
    "sidebar": "side",
    "corner": "side",
    "staff": "back office",
}
"""What a location is for, by the name that it usually has."""


def says_purpose(name: str) -> bool:
    """Whether a location tells by its usual name what it is for."""
    return _purpose(name) is not None


def _purpose(name: str) -> str | None:
    """What a location is for by its name, or by a word in it; None where that does not tell.

    A word alone says nothing of who sees it: `member-benefits` is for everyone.
    """
    name = re.sub(r"-\d+$", "", name)
    if name in PURPOSES:
        return PURPOSES[name]
    words = re.split(r"[^A-Za-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", name))
    told = [PURPOSES.get(word.lower()) for word in words]
    # Of `main-footer` and `top-side` the second word says more.
    return next((one for one in told if one in _BESIDE), "bar" if "bar" in told else None)


_BESIDE = ("footer", "handset", "side")


def location_of(profile: Profile, name: str, place: PlaceRule | None) -> Location:
    """An empty location: as its theme describes it, or by its name alone."""
    purpose = profile.purposes.get(name) or _purpose(name) or "bar"
    if place is None:
        audience = ("members",) if purpose == "signed-in" else ("everyone",)
        devices = ("handset",) if purpose == "handset" else ALL_DEVICES
        # A format without locations of its own shows panels at all of them, if it knows any.
        panels = profile.locations.open and profile.panels is not None
        return Location(name, name, purpose, audience, devices, panels=panels)
    return Location(
        name,
        place.caption or name,
        place.purpose or purpose,
        tuple(place.audience),
        tuple(place.devices),
        place.shows,
        place.panels,
        key=place.key,
    )


def offered(profile: Profile, theme: Theme | None) -> list[Location]:
    """The locations that a theme offers, all empty."""
    return [location_of(profile, place.name, place) for place in places_of(profile, theme)]


def places_of(profile: Profile, theme: Theme | None) -> list[PlaceRule]:
    """The rules of these locations: the theme's, or the platform's own where it has no themes."""
    return theme.locations if theme is not None else profile.locations.offered


def beside(profile: Profile, theme: str | None) -> set[str]:
    """Where the panels of a theme stand, and the sequences that show them, beside the menus."""
    rule = profile.panels_of(theme)
    at = rule.records_at if rule is not None else ""
    if not at:
        return set()
    return {at, *sequences_of(profile, theme)}


def sequences_of(profile: Profile, theme: str | None) -> set[str]:
    """Where the locations of a theme stand that are sequences."""
    places = places_of(profile, profile.theme(theme))
    at = profile.locations.at
    return {f"{at}/{place.name}" for place in places if place.sequence is not None}
