"""Everything that no rule asked for."""

from __future__ import annotations

from collections import Counter
from typing import Any

from ...containers import FORMATS, Repeated
from ...containers.json import kind_of
from ...model import (
    Extra,
)
from ..files import SEVERAL
from ..grids import HEADS
from ..places import places_of
from ..records import plain
from ..sections import Section
from ..trees import without
from .reader import Reading


def unread_sections(reading: Reading, extras: list[Extra]) -> None:
    """What stands in the document beside and between the sections that rules read."""
    known: dict[str, Any] = {}
    leaf: dict[str, Any] = {"": True}
    _unclaimed(reading, extras)
    paths = [section.path for section in reading.paths.lists()]
    several = reading.profile.container == SEVERAL
    kinds = {(name,): rule.container for name, rule in reading.profile.files.items()}
    for start, format_ in kinds.items() if several else [((), reading.profile.container)]:
        paths += [(*start, name) for name in FORMATS[format_].own]
    if reading.profile.grids:
        paths.append((HEADS,))
        paths += [tuple(grid.columns.split("/")) for grid in reading.profile.grids if grid.columns]
    paths += [tuple(path.split("/")) for path in reading.profile.gathered.values()]
    if reading.profile.items.pages:
        rule = reading.profile.items.pages
        paths.append((rule.bars,))
    form = reading.profile.locations.form
    if form == "records":
        paths.append(reading.paths.locations.path)
    elif form == "keys":
        named = {place.name for place in places_of(reading.profile, reading.theme)}
        paths += [(*reading.paths.locations.path, name) for name in sorted(named)]
    fields = [*reading.profile.site.fields.values()]
    if reading.paths.menus and not reading.paths.menus.path:
        tie = reading.profile.items.tie
        fields += [*reading.profile.menus.fields.values()]
        fields += [key for key in (tie.first or tie.inside,) if key]
    paths += [tuple(plain(rule).at.split("/")) for rule in fields]
    for kind in reading.items.kinds:
        if kind.rule.routes is not None:
            paths.append(tuple(kind.rule.routes.at.split("/")))
    for path in paths:
        node = known
        for part in path[:-1]:
            node = node.setdefault(part, {})
        node[path[-1]] = leaf
    stack: list[tuple[Any, dict[str, Any], str]] = [(reading.tree, known, "")]
    counts: Counter[str] = Counter()
    found = reading.found()
    while stack:
        node, rules, prefix = stack.pop()
        # Of a key that stands more than once, rules read the last one only.
        count = len(node) if type(node) is Repeated else None
        for at, (key, value) in enumerate(reading.shape.pairs(node)):
            known_here = rules.get(key) if count is None or at < count else None
            path_ = prefix + key
            if known_here is leaf:
                continue
            if known_here is None:
                left = without(value, found) if found else value
                for one in left if found and isinstance(left, list) else [left]:
                    if one is not None and one != []:
                        extras.append(Extra(path_, one, counts[path_]))
                        counts[path_] += 1
            elif isinstance(value, dict):
                stack.append((value, known_here, path_ + "/"))
            elif value is not None:
                raise reading.fail(f"found {kind_of(value)} where a mapping is needed", path_)


def _unclaimed(reading: Reading, extras: list[Extra]) -> None:
    """Records of a list that several rules share, and that belong to none of them."""
    shared = {s.path for s in reading.paths.lists() if s.only and not s.inside}
    for path in sorted(shared):
        at = "/".join(path)
        mine = [section for section in reading.paths.lists() if section.path == path]
        claimed = {place for section in mine for place, _ in reading.records(section)}
        for place, node in reading.records(Section(at, {}, mine[0].keyed)):
            if place not in claimed:
                extras.append(reading.whole_record(at, node, extras))
