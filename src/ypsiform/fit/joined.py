"""Menus that join another one: two for one location, or one for devices that have no location."""

from __future__ import annotations

from msgspec.structs import replace

from ..facts import NEW
from ..findings import EVERY, Cover
from ..model import ALL_DEVICES, Item, Menu, Piece, rows_of
from ..resolve.targets import Targets
from . import depth, keys, panels
from .work import Fate, Work


def join(work: Work, fate: Fate, targets: Targets, openers: frozenset[str]) -> None:
    """Put the items of a menu behind those of the one that it joins."""
    holder = fate.joins
    made = holder.made if holder is not None else None
    if holder is None or made is None or holder not in work.fates:
        keys.leave_out(work, fate, "menu.no-place")
        return
    things = [thing for thing in rows_of([made]).things if isinstance(thing, Item)]
    limits = holder.limits
    fate.locations = holder.locations
    fate.limits = replace(
        limits,
        items=None if limits.items is None else limits.items - len(things),
        top=None if limits.top is None else limits.top - len(made.items),
    )
    part = keys.made_menu(work, fate)
    bound = openers if panels.shows(work, fate.locations) else frozenset()
    if panels.binds(work):
        # Panels that the holder has been given open from its labels alone.
        bound = bound | {item.label for item in made.items if item.panel}
    taken = {item.label for item in (things if limits.unique_labels else made.items)}
    branches = depth.Branches(work, fate, targets, bound)
    twins = _twins(work, fate, holder) if fate.devices is not None else []
    branches.gone.update(twins)
    branches.build(part, taken)
    made.items += part.items
    _settle_places(work, fate)
    top = tuple(item.number for item in part.items if item.number >= 0)
    top = tuple(row for row in top if row not in work.moved)
    covers = [Cover(0, scope, (fate.index,), EVERY) for scope in ("menu", "place")]
    covers += [Cover(0, "item", top, "parent")] if top else []
    if fate.devices is None:
        work.loss("menu.merged", "moved", covers, menu=fate.menu.id, after=holder.name)
        return
    covers += [Cover(0, "item", twins, EVERY)] if twins else []
    covers += _limit_devices(work, part, fate.devices)
    work.loss(
        "menu.to-devices" if part.items else "menu.within",
        "moved",
        covers,
        menu=fate.menu.id,
        before=" and ".join(fate.devices),
        after=holder.name,
        labels=tuple(item.label for item in part.items),
    )


def _limit_devices(work: Work, part: Menu, devices: tuple[str, ...]) -> list[Cover]:
    """Let the items of a menu be seen on some devices alone. Returns the facts that this makes."""
    covers: list[Cover] = []
    for item in part.items:
        own = tuple(device for device in item.traits.devices if device in devices)
        thing = work.rows.things[item.number] if item.number >= 0 else None
        if isinstance(thing, Item) and own != thing.traits.devices:
            made_up = thing.traits.devices == ALL_DEVICES
            fact = f"{NEW}devices" if made_up else "devices"
            covers.append(Cover(0, "item", (item.number,), fact))
        item.traits = replace(item.traits, devices=own)
    return covers


def _twins(work: Work, fate: Fate, holder: Fate) -> list[int]:
    """The rows of branches of a menu that the one it joins has as well, on the same devices."""
    assert holder.made is not None and fate.devices is not None
    stays = {thing.number for thing in rows_of([holder.made]).things}
    found: list[int] = []
    for item in fate.menu.items:
        for other in holder.menu.items:
            mine, theirs = (rows_of([Menu("", "", "", [branch])]) for branch in (item, other))
            alike = mine.depth == theirs.depth
            alike = alike and all(map(_says_the_same, mine.things, theirs.things))
            seen = set(other.traits.devices) >= set(fate.devices)
            if alike and seen and all(thing.number in stays for thing in theirs.things):
                found += [thing.number for thing in mine.things]
                break
    return found


def _says_the_same(one: Item | Piece, other: Item | Piece) -> bool:
    """Whether two things without panels say the same to visitors who see both."""
    if not isinstance(one, Item) or not isinstance(other, Item) or one.panel or other.panel:
        return False
    bare = [
        replace(
            i,
            id="",
            children=[],
            inherited=False,
            number=0,
            origin="",
            extras=(),
            traits=replace(i.traits, devices=ALL_DEVICES),
        )
        for i in (one, other)
    ]
    return bare[0] == bare[1]


def _settle_places(work: Work, fate: Fate) -> None:
    """What is said of other placements of a menu that joins another one is a notice now.

    All its placements are lost with the menu itself.
    """
    work.ledger.tell(*work.ledger.about(0, "place", (fate.index,)))
    fate.unplaced = None
