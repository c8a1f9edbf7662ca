"""What is shown before and after, and which loss is the reason where that differs."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from .. import refs
from ..findings import Cover, Finding, notice
from ..model import Menu, Rows, Site, admits, label_of
from ..profiles.places import places_of
from ..visibility import Seen, held_by_panels, shown, within
from .work import Fate, Work


def attribute(work: Work, draft: Site, rows: Rows) -> None:
    """Add the fact `shown` to the loss that is the reason for each change, or report it."""
    after = shown(draft, rows, own_room=work.profile.own_room(work.theme_name))
    first = rows.menu_start[len(work.kept)]
    things = [*enumerate(rows.things[first:], first)]
    now = {thing.number: after[at] for at, thing in things}
    _source(work, now)
    _levels(work, draft, rows, now)
    if work.base is not None:
        _destination(work, draft, rows, after)


def _source(work: Work, now: dict[int, Seen]) -> None:
    before = work.seen
    for fate in [*work.fates, *work.joined]:
        deep: list[int] = []
        unplaced: list[int] = []
        for row in work.rows.of_menu(fate.index):
            if row not in now or now[row] == before[row]:
                continue
            lifted = work.moved.get(row) or work.published.get(row)
            if lifted is not None:
                work.ledger.cover(lifted, Cover(0, "item", (row,), "shown"))
            elif fate.unplaced is not None and not _gains(before[row], now[row]):
                unplaced.append(row)
            else:
                deep.append(row)
        if unplaced and fate.unplaced is not None:
            work.ledger.cover(fate.unplaced, Cover(0, "item", tuple(unplaced), "shown"))
        elif fate.unplaced is not None and not _hides(fate.unplaced):
            work.ledger.weigh(fate.unplaced, "note")
        if deep:
            _other(work, fate, deep, before, now)


def _levels(work: Work, draft: Site, rows: Rows, now: dict[int, Seen]) -> None:
    """Say which items of a menu at several locations are shown at one as they were not before."""
    fates = [
        fate
        for fate in work.fates
        if len(fate.stood_at) > 1 or (fate.stood_at and len(work.at(fate.menu.id)) > 1)
    ]
    if not fates:
        return
    held, held_now = held_by_panels(work.rows), held_by_panels(rows)
    first = rows.menu_start[len(work.kept)]
    spot = {thing.number: row for row, thing in enumerate(rows.things[first:], first)}
    before = partial(within, own_room=work.source_profile.own_room(work.source.theme))
    after = partial(within, own_room=work.profile.own_room(draft.theme))
    for fate in fates:
        for place in fate.locations:
            was = fate.stood_at.get(place.name)
            if was is None:
                continue
            more: list[int] = []
            fewer: list[int] = []
            for row in work.rows.of_menu(fate.index):
                if row not in now or not (now[row] and work.seen[row]):
                    continue
                at = spot[row]
                there = after(place, rows.depth[at], held=at in held_now)
                # What moved up into sight has a loss of its own, which says so.
                if there == before(was, work.rows.depth[row], held=row in held):
                    continue
                if not there:
                    fewer.append(row)
                elif row not in work.moved:
                    more.append(row)
            for code, found in (("place.more-levels", more), ("place.fewer-levels", fewer)):
                if found:
                    work.ledger.notices.append(
                        notice(
                            code,
                            menu=fate.menu.id,
                            menu_name=fate.name,
                            before=was.caption or was.name,
                            after=place.caption or place.name,
                            labels=tuple(work.label(row) for row in found),
                            origin=work.source.file,
                        )
                    )


def _gains(before: Seen, now: Seen) -> bool:
    """Whether somebody sees now what they did not see before, or on another device."""
    return any(
        not any(admits(people, who) and set(devices) >= set(where) for people, devices in before)
        for who, where in now
    )


def _hides(loss: Finding) -> bool:
    return any(cover.fact == "shown" for cover in loss.covers)


def _other(
    work: Work, fate: Fate, rows: list[int], before: list[Seen], now: dict[int, Seen]
) -> None:
    """Changes that no other loss explains: another level limit, another audience, other devices."""
    # Changes of devices are asked last: they may be explained by a row further up, the others by
    # none.
    groups: dict[str, list[int]] = {}
    for row in rows:
        if before[row] and not now[row]:
            groups.setdefault("depth.hidden", []).append(row)
        elif now[row] and not before[row]:
            groups.setdefault("depth.revealed", []).append(row)
        elif _people(before[row]) != _people(now[row]):
            groups.setdefault("access.exposed", []).append(row)
        else:
            groups.setdefault("trait.device", []).append(row)
    elsewhere = groups.pop("trait.device", [])
    devices = {
        loss.covers[0].numbers[0]: loss
        for loss in (work.ledger.of("trait.device") if elsewhere else ())
    }
    for row in elsewhere:
        at = row
        while at >= 0 and at not in devices:
            at = work.rows.parent[at]
        if at >= 0:
            work.ledger.cover(devices[at], Cover(0, "item", (row,), "shown"))
        else:
            groups.setdefault("trait.device", []).append(row)
    levels = {place.shows for place in fate.locations}
    for code, found in groups.items():
        hidden = code == "depth.hidden"
        most = max((level for level in levels if level is not None), default=0)
        work.loss(
            code,
            "altered",
            [Cover(0, "item", tuple(found), "shown")],
            severity="high" if hidden or fate.menu.owner == "platform" else None,
            menu=fate.menu.id,
            row=found[0] if len(found) == 1 else None,
            before=f"{most} level{'' if most == 1 else 's'}" if hidden else _said(before[found[0]]),
            after=_said(now[found[0]]),
            labels=tuple(work.label(row) for row in found),
        )


def _people(seen: Seen) -> list[tuple[str, ...]]:
    return sorted({who for who, _ in seen})


def _said(seen: Seen) -> str:
    if not seen:
        return "nobody"
    return "; ".join(f"{', '.join(who)} on {' and '.join(where)}" for who, where in seen)


def _destination(work: Work, draft: Site, rows: Rows, after: list[Seen]) -> None:
    """The destination's own items: another theme may show fewer levels of them."""
    # The destination's own rows, wherever they stand now: in menus that stay, and as openers of
    # panels.
    base = work.base
    assert base is not None
    was = work.base_seen
    index = {id(menu): at for at, menu in enumerate(draft.menus)}
    now: dict[int, Seen] = {}
    for at, thing in enumerate(rows.things):
        there = refs.meant(thing.number)
        if there is not None and there.side == refs.DESTINATION:
            now[there.row] = after[at]
    for own, menu in enumerate(base.menus):
        if menu in work.kept:
            start = rows.of_menu(index[id(menu)]).start
            for offset, row in enumerate(work.base_rows.of_menu(own)):
                now[row] = after[start + offset]
    changed: dict[tuple[int, bool], list[int]] = {}
    for row, seen in now.items():
        if seen != was[row]:
            revealed = bool(seen and not was[row])
            changed.setdefault((work.base_rows.menu[row], revealed), []).append(row)
    taken = {
        cover.numbers[0]: loss
        for loss in work.ledger.of("place.taken", "place.not-offered")
        for cover in loss.covers
        if cover.side == 1
    }
    for (own, revealed), found in sorted(changed.items()):
        cover = Cover(1, "item", tuple(found), "shown")
        if own in taken and not revealed:
            work.ledger.cover(taken[own], cover)
            continue
        work.loss(
            "depth.revealed" if revealed else "depth.hidden",
            "altered" if revealed else "dropped",
            [cover],
            standing=base.menus[own],
            before=f"theme {work.theme_name}",
            labels=tuple(label_of(work.base_rows.things[row]) for row in found),
            origin=base.file,
        )


def site_to_write(work: Work, menus: list[Menu]) -> Site:
    """The destination as it will be: its kept menus, and the made ones at their places."""
    placed: dict[str, list[str]] = {}
    for fate in sorted([*work.fates, *work.secondary], key=lambda fate: fate.turn):
        for place in fate.locations:
            placed.setdefault(place.name, []).append(fate.key)
    file = work.base if work.base is not None else None
    standing = {place.name: place.menus for place in file.locations} if file else {}
    gone = {fate.replaces.id for fate in work.fates if fate.replaces is not None}
    for name in work.emptied:
        standing[name] = tuple(menu for menu in standing[name] if menu not in gone)
    for rule in places_of(work.profile, work.theme):
        keyed = work.profile.locations.form == "keys"
        if keyed and rule.sequence is None and rule.name in standing:
            standing[rule.name] = standing[rule.name][:1]
    if work.profile.locations.form == "names":
        if work.implied_menus:  # one that was to be replaced, by a menu without items, is gone
            there = {menu.id for menu in work.kept}
            standing = {n: tuple(m for m in ms if m in there) for n, ms in standing.items()}
        # Another theme may have locations of these names.
        standing.update((menu.key, (menu.id,)) for menu in work.kept)
    locations = [
        replace(place, menus=tuple(placed.get(place.name, standing.get(place.name, ()))))
        for place in work.locations
    ]
    return Site(
        platform=work.profile.id,
        theme=work.theme_name,
        contents=work.inventory,
        menus=[*work.kept, *menus],
        locations=locations,
    )
