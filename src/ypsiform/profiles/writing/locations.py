"""Locations: what is shown at each, where the file says so itself."""

from __future__ import annotations

from typing import Any

from ..places import offered, places_of, sequences_of
from ..records import RecordRule, plain
from ..sections import set_at
from .file import File


def write_locations(file: File) -> None:
    """Write what is shown at each location, where the file says so itself."""
    # Only what the plan places is touched: all else of a file that there is stays as it stands.
    rule, shape = file.profile.locations, file.shape
    theme_rule = file.profile.site.fields.get("theme")
    if file.fresh and theme_rule is not None and file.plan.theme:
        set_at(shape, file.tree, plain(theme_rule).at, file.plan.theme)
    if rule.form in ("names", "menus"):
        return
    if rule.form == "keys":
        node = shape.ensure(file.tree, file.paths.locations.path)
        places = {place.name: place for place in places_of(file.profile, file.theme)}
        for name in [*places, *(n for n in file.plan.placements if n not in places)]:
            place = places.get(name)
            menus = file.plan.placements.get(name)
            if menus is not None and (place is None or place.sequence is None):
                shape.put(node, name, menus[0] if menus else None)
            if place is not None:
                _sequences(file, node, name, place.sequence)
        return
    record = file.profile.kept("locations", lambda: RecordRule(shape.of(rule.at), rule.fields))
    slots = record.slots
    standing = {
        shape.step(node, slots["name"].key): node
        for _, node in ([] if file.fresh else file.paths.locations.read(shape, file.tree))
    }
    nodes = list(standing.values())
    offers = {p.name: p for p in file.plan.restores or offered(file.profile, file.theme)}
    names = list(file.plan.placements)
    if file.fresh:
        names = [*offers, *(name for name in names if name not in offers)]
    for name in names:
        menus = file.plan.placements.get(name, ())
        held = menus[0] if menus else ""
        if name in standing:
            shape.put(standing[name], slots["menu"].key, held)
            continue
        caption = offers[name].caption if name in offers else name
        values = {"name": name, "caption": caption, "menu": held}
        nodes.append(record.write([(s.key, values[s.name]) for s in slots.values()]))
    file.paths.locations.write(shape, file.tree, nodes)


def _staying(file: File, standing: Any, name: str, key: str) -> list[tuple[Any, bool]]:
    """The entries of a sequence but for those that were read as parts of a menu.

    The second value is true for a menu; all others are unread and stay where they are.
    """
    old = standing if isinstance(standing, list) else [standing] if standing else []
    own = file.plan.own
    here = f"{file.profile.locations.at}/{name}"
    known = {menu.key for menu in own.menus} if own is not None else set()
    unread = [e.value for e in own.extras if e.path == here] if own is not None else []
    found: list[tuple[Any, bool]] = []
    for entry in old:
        named = entry[key] if isinstance(entry, dict) and list(entry) == [key] else None
        mine = False
        if isinstance(named, str) and named in known:
            mine = True
            known.remove(named)
        if mine or entry in unread:
            found.append((entry, mine))
    return found


def _sequences(file: File, node: Any, name: str, key: str | None) -> None:
    """A location holds a list where its theme has a sequence there, and one menu elsewhere."""
    standing, there = file.shape.step(node, name), file.plan.own
    was = sequences_of(file.profile, there.theme) if there is not None else set()
    listed = f"{file.profile.locations.at}/{name}" in was and standing is not None
    if key is None and name in file.plan.placements:
        return  # one menu, which was put there
    if key is None and (listed or isinstance(standing, list)):
        own = there.locations if there is not None else []
        menus = [menu for place in own if place.name == name for menu in place.menus]
        file.shape.put(node, name, next(iter(menus), None))
    elif key is not None and name in file.plan.placements:
        standing = _staying(file, standing, name, key)
        groups = [file.entries_of.get(m, [{key: m}]) for m in file.plan.placements[name]]
        file.shape.put(node, name, _sequence(standing, groups))
    elif key is not None and isinstance(standing, str):
        own_menus = file.plan.own.menus if file.plan.own is not None else []
        if standing in {menu.key for menu in own_menus}:
            file.shape.put(node, name, [{key: standing}])


def _sequence(old: list[tuple[Any, bool]], menus: list[list[Any]]) -> list[Any]:
    """Menus in the places of those that stood there, in order; further ones behind the last.

    Each is a list of entries: a menu may have panels between its items.
    """
    mine = [at for at, (_, menu) in enumerate(old) if menu]
    left = list(menus)
    made: list[Any] = []
    for at, (entry, menu) in enumerate(old):
        if not menu:
            made.append(entry)
        elif at == mine[-1]:
            made += [one for group in left for one in group]
            left = []
        elif left:
            made += left.pop(0)
    return made + [one for group in left for one in group]
