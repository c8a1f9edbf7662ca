"""The effort of reaching an item, and which targets are reachable at all.

Effort = the own effort of the location, and over the levels on the item's path one step for each
level plus a tenth for every sibling read before it. Dividers do not count. (The measure of the
design's "best fit".) How much each of these counts is a `Measure`.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from .addresses import Hosts
from .model import Item, Rows, Site, Target, targets_of
from .visibility import Seen

FIRST = ("bar", "handset", "signed-in")
"""Purposes of locations that visitors look at first: these have no effort of their own."""


Page = tuple[str, str]
"""What counts as one page: a kind, and a content, a path or an address."""

Link = tuple[int, int]
"""A row, and the number of the link within it."""


class Measure(Struct, frozen=True, forbid_unknown_fields=True):
    """How effort and cost are measured, in steps.

    `step`: a level; `sibling`: an item that is read before; `place`: a location that is not looked
    at first, as a footer; `outside`: an item that stands outside the group that it had;
    `unreached`: the charge for an item that can no longer be reached.
    """

    step: float = 1.0
    sibling: float = 0.1
    place: float = 1.0
    outside: float = 0.5
    unreached: float = 20.0


USUAL = Measure()
"""The measure where nobody says another."""


def own_effort(purpose: str, measure: Measure) -> float:
    """The effort of getting to a location of this purpose."""
    return 0.0 if purpose in FIRST else measure.place


def efforts(site: Site, rows: Rows, measure: Measure = USUAL) -> list[float]:
    """For each row, the effort of reaching it, from the nearest location that shows its menu."""
    places = site.placements()
    first = [
        min((own_effort(place.purpose, measure) for place in places.get(menu.id, ())), default=0.0)
        for menu in site.menus
    ]
    result: list[float] = []
    if "divider" not in rows.said("role"):
        for parent, menu, before in zip(rows.parent, rows.menu, rows.position, strict=True):
            above = result[parent] if parent >= 0 else first[menu]
            result.append(above + measure.step + measure.sibling * before)
        return result
    read_before: dict[int, int] = {}
    top: dict[int, int] = {}
    for row, thing in enumerate(rows.things):
        parent = rows.parent[row]
        counts, key = (top, rows.menu[row]) if parent < 0 else (read_before, parent)
        before = counts.get(key, 0)
        if not (isinstance(thing, Item) and thing.role == "divider"):
            counts[key] = before + 1
        above = result[parent] if parent >= 0 else first[rows.menu[row]]
        result.append(above + measure.step + measure.sibling * before)
    return result


def by_menu(
    ways: list[float], rows: Rows, pages: Mapping[Page, list[Link]], menus: int
) -> list[list[float]]:
    """The efforts `ways` of the links to pages, for each of so many menus by itself."""
    found: list[list[float]] = [[] for _ in range(menus)]
    for links in pages.values():
        for row, _ in links:
            found[rows.menu[row]].append(ways[row])
    return found


def mean(values: list[float]) -> float | None:
    """The mean, to two places; None of nothing."""
    return round(sum(values) / len(values), 2) if values else None


def leads(target: Target) -> bool:
    """Whether a target leads to a page: of the site, or of another one."""
    return target.kind not in ("none", "mail", "phone", "fragment")


def identity(target: Target, hosts: Hosts) -> Page:
    """What counts as the same page: a content, a path, or an address."""
    if target.content is not None:
        return target.kind, target.content
    if target.address is not None:
        path = hosts.read(target.address).path
        return target.kind, path or hosts.normal(target.address)
    return target.kind, target.key or ""


def reached(site: Site, rows: Rows, seen: list[Seen]) -> dict[Page, list[Link]]:
    """The pages that shown items and blocks lead to, each with the links that do.

    A link is a row, and its number among the links of this row. What is gone, private or a draft
    is no page that anybody reaches.
    """
    hosts = Hosts(site.addresses)
    closed = {(content.kind, content.id) for content in site.contents if content.state != "live"}
    found: dict[Page, list[Link]] = {}
    if rows.panelled:
        every = (
            (row, nth, target)
            for row, thing in enumerate(rows.things)
            for nth, target in enumerate(targets_of(thing))
        )
    else:
        every = ((row, 0, target) for row, target in enumerate(rows.said("target")))
    for row, nth, target in every:
        if seen[row] and leads(target):
            found.setdefault(identity(target, hosts), []).append((row, nth))
    for page in closed:
        found.pop(page, None)
    return found
