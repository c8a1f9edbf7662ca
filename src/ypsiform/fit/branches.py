"""Branches that are too deep: what each choice for one costs, and which is taken.

Effort and cost are those of the design, "The best fit". Only what visitors could reach before is
weighed.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import NamedTuple

from ..addresses import Hosts
from ..decisions import ChoiceError, Steps
from ..effort import efforts, own_effort
from ..encodings import Encoding
from ..model import Item, Location, Rows, label_of, targets_of
from ..resolve.targets import Targets
from . import columns, panels, secondary
from .best import Branch, Option, choose
from .work import Fate, Work


def weights(work: Work) -> list[float]:
    """How much each row counts: all the same, or by visits, of which the mean row has one."""
    rows = work.rows
    visits = work.options.visits
    if not visits:
        return [1.0] * len(rows)
    contents = {(c.kind, c.id): c.path for c in work.source.contents}
    found: list[float] = []
    for thing in rows.things:
        paths = (t.address or contents.get((t.kind, t.content or "")) for t in targets_of(thing))
        found.append(sum(visits.get(_path(path, work.hosts), 0.0) for path in paths if path))
    total = sum(found)
    return [weight * len(found) / total for weight in found] if total else [1.0] * len(rows)


def _path(address: str, hosts: Hosts) -> str:
    return hosts.read(address).path


class Sunk(NamedTuple):
    """Rows of panels that become submenus, and the levels that are shown where they go.

    In a panel all levels were seen; in a submenu no more than these are.
    """

    rows: Collection[int] = frozenset()
    shown: int | None = None

    def level(self, row: int, deepest: int | None) -> int | None:
        """The deepest level that a row can stand on, where others can on `deepest`."""
        if self.shown is None or row not in self.rows:
            return deepest
        return self.shown if deepest is None else min(self.shown, deepest)


class Decided(NamedTuple):
    """The choice for each branch of a menu, and the top items that open a panel of columns.

    `level` is the one on which the branches stand, `deep` are the rows below them.
    """

    branches: dict[int, Branch]
    opened: list[columns.Opened]
    deep: frozenset[int] = frozenset()
    level: int = 0


def decided(
    work: Work,
    fate: Fate,
    targets: Targets,
    staying: list[int],
    deepest: int | None,
    shown: int | None,
    sunk: Sunk,
) -> Decided:
    """The choice for each branch of a menu, by its row.

    `deepest` is the level that a menu can have, `sunk` are rows that can have fewer: they stood in
    a panel that becomes a submenu. `shown`, where this is less and nothing that was
    seen is hidden, the level below which nothing is seen: then a branch becomes columns, or stays.
    """
    below = _below(work, staying, deepest, sunk)
    hidden = not below and shown is not None
    rows = work.rows
    asked = work.chosen(fate.menu)
    told = asked.branches if asked is not None else {}
    if hidden:
        below = _below(work, staying, shown, Sunk())
        if work.options.depth not in ("auto", "columns"):  # then only what was decided changes
            below = {b: inside for b, inside in below.items() if _ident(rows, b) in told}
    if not below:
        return Decided({}, [])
    tops = _tops(rows, below)
    opened = columns.openable(
        work, fate, set(tops.values()), staying, work.rows.of_menu(fate.index).stop
    )
    allowed = _not_told_otherwise(rows, below, tops, opened, told)
    if hidden:
        below = {b: r for b, r in below.items() if tops[b] in opened or _ident(rows, b) in told}
        if not below:
            return Decided({}, [])
    costs = _Costs(work, below, set(staying))
    as_columns = costs.as_columns(opened, tops, below, work.encoding, hidden=hidden)
    places = {} if hidden else {place.name: place for place in secondary.vacant(work, fate)}
    together = {tops[b] for b in below if told.get(_ident(rows, b), ("", []))[0] == "columns"}
    options: list[list[Option]] = []
    lifts: list[Option] = []
    whole: list[dict[str, float]] = []
    for branch in below:
        every = [Option("keep", 0.0, {})]
        if not hidden:
            every = costs.of(branch, places, may_gather=_has_page(targets, rows, branch))
        plain = every[0]
        every += [as_columns[branch]] if branch in as_columns else []
        whole.append({})
        for option in every:
            cost = whole[-1].get(option.name, option.cost)
            whole[-1][option.name] = min(option.cost, cost)
        thing = rows.things[branch]
        assert isinstance(thing, Item)
        own = told.get(thing.id)
        name = own[0] if own is not None else work.options.depth
        if tops[branch] in together:
            name = "columns"
        mine = [
            option
            for option in every
            if name in ("auto", option.name) and (option.group < 0 or option.group in allowed)
        ]
        if own is not None and not mine:
            raise ChoiceError(f"“{thing.label}” {LACKS.get(name, NOT_HERE)}", [*own[1], "depth"])
        if name in ("menu", "columns") and own is None and tops[branch] not in together:
            mine.append(plain._replace(cost=plain.cost + LAST))
        options.append(mine or [plain])
        lifts.append(plain)
    there = dict.fromkeys(places, 1.0)
    if not hidden:
        there |= _room(fate, rows, staying, below)
    more, left = secondary.room(work), panels.room(work)
    if more is not None:
        there["menus"] = max(float(more), 0.0)
    if left is not None:
        there["panels"] = float(left)
    chosen = choose(options, there)
    taken = _once(chosen.options, lifts, work, fate, list(below))
    if left is not None and sum(option.uses.get("panels", 0) for option in taken) > left:
        first = next(branch for branch in below if tops[branch] in together)
        raise ChoiceError(
            f"“{_label(rows, first)}” cannot become columns: there is room for {left} more "
            f"panel{'' if left == 1 else 's'}",
            [*told[_ident(rows, first)][1], "depth"] if _ident(rows, first) in told else [],
        )
    made = {
        branch: Branch(
            branch,
            option.name,
            {n: round(cost, 2) for n, cost in all_.items()},
            chosen.gap,
            places.get(option.place),
        )
        for branch, option, all_ in zip(below, taken, whole, strict=True)
    }
    now = {tops[branch] for branch, found in made.items() if found.choice == "columns"}
    deep = frozenset(row for found in below.values() for row in found)
    level = shown if hidden else deepest
    return Decided(made, [opened[top] for top in sorted(now)], deep, level or 0)


def _below(work: Work, staying: list[int], deepest: int | None, sunk: Sunk) -> dict[int, list[int]]:
    """By branch, an item on the deepest level, the rows that stand below it."""
    rows, stays = work.rows, set(staying)
    below: dict[int, list[int]] = {}
    # By a row that was passed on the way up, and the level, the row that this led to.
    above: dict[tuple[int, int], int] = {}
    for row in staying:
        level = sunk.level(row, deepest)
        if level is None:
            continue
        at, way = row, list[tuple[int, int]]()
        while at >= 0 and rows.depth[at] > level and (at, level) not in above:
            way.append((at, level))
            at = rows.parent[at]
        at = above.get((at, level), at)
        above.update(dict.fromkeys(way, at))
        if at in stays and at != row and isinstance(rows.things[at], Item):
            below.setdefault(at, []).append(row)
    return below


def _tops(rows: Rows, below: Mapping[int, list[int]]) -> dict[int, int]:
    """By branch the top item that it stands below."""
    found: dict[int, int] = {}
    for branch in below:
        at = branch
        while rows.parent[at] >= 0:
            at = rows.parent[at]
        found[branch] = at
    return found


def _not_told_otherwise(
    rows: Rows,
    below: Mapping[int, list[int]],
    tops: Mapping[int, int],
    opened: Collection[int],
    told: Mapping[str, tuple[str, Steps]],
) -> set[int]:
    """The top items of panels below which nothing else was decided for a branch.

    Raises `ChoiceError` where of two branches of a panel one was to become columns, and one not.
    """
    says: dict[int, dict[bool, int]] = {}
    for branch in below:
        own = told.get(_ident(rows, branch))
        if own is not None and own[0] != "auto":
            says.setdefault(tops[branch], {})[own[0] == "columns"] = branch
    for top, found in says.items():
        if len(found) == 2:
            one, other = _label(rows, found[True]), _label(rows, found[False])
            raise ChoiceError(
                f"“{one}” can only become columns together with “{other}”: both stand below "
                f"“{_label(rows, top)}”",
                [*told[_ident(rows, found[True])][1], "depth"],
            )
    return {top for top in opened if False not in says.get(top, {})}


def _ident(rows: Rows, row: int) -> str:
    return getattr(rows.things[row], "id", "")


def _label(rows: Rows, row: int) -> str:
    return label_of(rows.things[row])


LACKS = {
    "columns": "cannot become columns: no panel can open from the item at the top",
    "gather": "has no page of its own on which links could be gathered",
    "keep": "cannot stay as it is: it would be hidden, and was not before",
    "menu": "cannot have a menu of its own: no location is free for one",
}
"""Why a choice is not open to a branch."""

NOT_HERE = (
    "can only stay as it is (keep), or become columns: what is below it was not shown before either"
)
"""The same where nothing that was seen is hidden."""

LAST = 1e6
"""What makes a choice the last one, where it stands in for one that is not there."""


def _once(
    chosen: list[Option], lifts: list[Option], work: Work, fate: Fate, rows: list[int]
) -> list[Option]:
    """The choices, no location used twice. Raises `ChoiceError` where that was decided."""
    asked = work.chosen(fate.menu)
    used: set[str] = set()
    found: list[Option] = []
    for option, lift, row in zip(chosen, lifts, rows, strict=True):
        thing = work.rows.things[row]
        if option.place in used and asked is not None and isinstance(thing, Item):
            told = asked.branches.get(thing.id)
            if told is not None:
                raise ChoiceError(f"“{thing.label}” {LACKS['menu']}", [*told[1], "depth"])
        found.append(lift if option.place in used else option)
        used.update([option.place] if option.place else [])
    return found


def _has_page(targets: Targets, rows: Rows, branch: int) -> bool:
    """Whether a branch leads to a page of its own, on which links can be gathered."""
    thing = rows.things[branch]
    if not isinstance(thing, Item):
        return False
    target = targets.of(thing.target).target
    by_address = target.address is not None and target.kind in ("page", "home")
    return target.content is not None or by_address


def _room(
    fate: Fate, rows: Rows, staying: list[int], below: Mapping[int, list[int]]
) -> dict[str, float]:
    """How much there is left of what lifting uses: items in the menu, and under each parent."""
    deep = {row for found in below.values() for row in found}
    room: dict[str, float] = {}
    if fate.limits.items is not None:
        room["items"] = fate.limits.items - sum(row not in deep for row in staying)
    for parent in {rows.parent[branch] for branch in below}:
        most = fate.limits.top if parent < 0 else fate.limits.under
        if most is not None:
            beside = sum(rows.parent[row] == parent for row in staying)
            room[f"under {parent}"] = most - beside
    return room


class _Costs:
    """What choices cost, from the efforts of the source."""

    def __init__(self, work: Work, below: Mapping[int, list[int]], stays: set[int]) -> None:
        self.rows, self.below, self.work = work.rows, below, work
        self.measure = work.options.measure
        if work.ways is None:  # once for all menus
            # What nobody could reach before is not missed.
            weight = [w if work.seen[row] else 0.0 for row, w in enumerate(weights(work))]
            work.ways = efforts(work.source, work.rows, self.measure), weight
        self.effort, self.weight = work.ways
        menu = work.rows.of_menu(work.rows.menu[next(iter(below))])
        self.later = self._later(menu, {work.rows.parent[branch] for branch in below}, stays)

    def _later(self, menu: range, parents: set[int], stays: set[int]) -> dict[int, float]:
        """For each sibling of a branch the weight of what stands behind it, all below included."""
        rows = self.rows
        whole: dict[int, float] = {}
        siblings: dict[tuple[int, int], list[int]] = {}
        for row in reversed(menu):
            whole[row] = whole.get(row, 0.0) + (self.weight[row] if row in stays else 0.0)
            parent = rows.parent[row]
            if parent >= 0:
                whole[parent] = whole.get(parent, 0.0) + whole[row]
            if parent in parents:
                siblings.setdefault((rows.menu[row], parent), []).append(row)
        found: dict[int, float] = {}
        for backwards in siblings.values():
            behind = 0.0
            for row in backwards:
                found[row] = behind
                behind += whole[row]
        return found

    def of(self, branch: int, places: Mapping[str, Location], *, may_gather: bool) -> list[Option]:
        """The choices for a branch, each with its cost and what it uses."""
        rows, effort, weight = self.rows, self.effort, self.weight
        step, sibling = self.measure.step, self.measure.sibling
        inside = self.below[branch]
        parent = rows.parent[branch]
        lifted = gathered = dropped = 0.0
        read = 0
        for row in inside:
            if not _is_divider(rows, row):
                read += 1
            lifted += weight[row] * (
                effort[branch] + sibling * read - effort[row] + self.measure.outside
            )
            gathered += weight[row] * (effort[branch] + step - effort[row])
            dropped += weight[row] * self.measure.unreached
        lifted += sibling * read * self.later.get(branch, 0.0)
        uses = {"items": float(len(inside)), f"under {parent}": float(len(inside))}
        made = [Option("lift", lifted, uses)]
        for place in places.values():
            limits = secondary.limits_at(self.work, place)
            ways, widest = self._apart(branch, limits.depth)
            fits = limits.items is None or len(inside) <= limits.items
            if not fits or widest > min(limits.top or widest, limits.under or widest):
                continue
            start = own_effort(place.purpose, self.measure)
            cost = sum(
                weight[row] * (start + way - effort[row])
                for row, way in zip(inside, ways, strict=True)
            )
            made.append(Option("menu", cost, {place.name: 1.0, "menus": 1.0}, place.name))
        if may_gather:
            made.append(Option("gather", gathered, {}))
        made.append(Option("drop", dropped, {}))
        return made

    def as_columns(
        self,
        opened: Mapping[int, columns.Opened],
        tops: Mapping[int, int],
        below: Mapping[int, list[int]],
        encoding: Encoding | None,
        *,
        hidden: bool,
    ) -> dict[int, Option]:
        """What it costs that each branch becomes columns, with the others below its top item.

        What changes for items that stand below no branch counts with the first one. `hidden`: what
        nobody could reach before is reached now, and had the effort of what is not reached.
        """
        found: dict[int, Option] = {}
        link = encoding is None or encoding.capacity().heading_links
        nested = encoding is not None and panels.capacity_of(self.work).nested
        raw = weights(self.work) if hidden and opened else self.weight
        branches: dict[int, list[int]] = {}
        for branch in below:
            branches.setdefault(tops[branch], []).append(branch)
        for top, one in opened.items():
            stays = set(one.inside)
            ways = columns.ways(
                one, self.rows, self.effort[top], self.measure, link=link, nested=nested
            )
            rise = {
                row: raw[row] * (way - self.measure.unreached)
                if hidden and not self.work.seen[row]
                else self.weight[row] * (way - self.effort[row])
                for row, way in ways.items()
                if row in stays
            }
            mine = branches.get(top, [])
            deep = {row for branch in mine for row in below[branch]}
            rest = sum(cost for row, cost in rise.items() if row not in deep)
            for at, branch in enumerate(mine):
                cost = sum(rise.get(row, 0.0) for row in below[branch])
                uses = {"items": float(len(below[branch]))}
                if not at:
                    cost += rest
                    uses |= {"panels": 1.0, "menus": float(one.menus)}
                found[branch] = Option("columns", cost, uses, group=top)
        return found

    def _apart(self, branch: int, deepest: int | None) -> tuple[list[float], int]:
        """The efforts of what stands below a branch in a menu of its own, of so many levels.

        And the greatest number of items side by side. What is deeper follows what it stood below.
        """
        rows = self.rows
        way: dict[int, float] = {branch: 0.0}
        level: dict[int, int] = {branch: 0}
        above: dict[int, int] = {}
        read: dict[int, int] = {}
        beside: dict[int, int] = {}
        for row in self.below[branch]:
            parent = rows.parent[row]
            while parent not in way:  # one that does not stay
                parent = rows.parent[parent]
            while deepest is not None and level[parent] >= deepest:
                parent = above[parent]
            above[row], level[row] = parent, level[parent] + 1
            before = read.get(parent, 0)
            way[row] = way[parent] + self.measure.step + self.measure.sibling * before
            beside[parent] = beside.get(parent, 0) + 1
            if not _is_divider(rows, row):
                read[parent] = before + 1
        return [way[row] for row in self.below[branch]], max(beside.values())


def _is_divider(rows: Rows, row: int) -> bool:
    thing = rows.things[row]
    return isinstance(thing, Item) and thing.role == "divider"
