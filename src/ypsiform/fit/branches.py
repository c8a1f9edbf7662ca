"""Branches that are too deep: what each choice for one costs, and which is taken.

Effort and cost are those of the design, "The best fit". Only what visitors could reach before is
weighed.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from ..addresses import Hosts
from ..effort import SIBLING, STEP, efforts
from ..model import Item, Rows
from .best import Option, choose
from .kinds import Targets, targets_of
from .work import Fate, Work

UNREACHED = 20.0
"""The charge for an item that can no longer be reached, in steps."""


class Branch(Struct):
    """One branch: its row, the choice for it, and what each choice costs, in weighted steps."""

    row: int
    choice: str
    costs: dict[str, float]
    gap: float = 0.0


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


def decided(
    work: Work, fate: Fate, targets: Targets, staying: list[int], deepest: int | None
) -> dict[int, Branch]:
    """The choice for each branch of a menu, by its row."""
    if deepest is None:
        return {}
    rows = work.rows
    stays = set(staying)
    below: dict[int, list[int]] = {}
    for row in staying:
        at = row
        while at >= 0 and rows.depth[at] > deepest:
            at = rows.parent[at]
        if at in stays and at != row and isinstance(rows.things[at], Item):
            below.setdefault(at, []).append(row)
    if not below:
        return {}
    costs = _Costs(work, below, stays)
    asked = work.chosen(fate.menu)
    options: list[list[Option]] = []
    whole: list[dict[str, float]] = []
    for branch in below:
        every = costs.of(branch, may_gather=_has_page(targets, rows, branch))
        whole.append({option.name: option.cost for option in every})
        thing = rows.things[branch]
        assert isinstance(thing, Item)
        told = asked.branches.get(thing.id) if asked is not None else None
        name = told[0] if told is not None else work.options.depth
        mine = [option for option in every if name in ("auto", option.name)]
        options.append(mine or every[:1])
    chosen = choose(options, _room(fate, rows, staying, below))
    return {
        branch: Branch(branch, name, {n: round(cost, 2) for n, cost in all_.items()}, chosen.gap)
        for branch, name, all_ in zip(below, chosen.names, whole, strict=True)
    }


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
        self.rows, self.below = work.rows, below
        if work.ways is None:  # once for all menus
            # What nobody could reach before is not missed.
            weight = [w if work.seen[row] else 0.0 for row, w in enumerate(weights(work))]
            work.ways = efforts(work.rows), weight
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

    def of(self, branch: int, *, may_gather: bool) -> list[Option]:
        """The choices for a branch, each with its cost and what it uses."""
        rows, effort, weight = self.rows, self.effort, self.weight
        inside = self.below[branch]
        parent = rows.parent[branch]
        lifted = gathered = dropped = 0.0
        read = 0
        for row in inside:
            if not _is_divider(rows, row):
                read += 1
            lifted += weight[row] * (effort[branch] + SIBLING * read - effort[row])
            gathered += weight[row] * (effort[branch] + STEP - effort[row])
            dropped += weight[row] * UNREACHED
        lifted += SIBLING * read * self.later.get(branch, 0.0)
        uses = {"items": float(len(inside)), f"under {parent}": float(len(inside))}
        made = [Option("lift", lifted, uses)]
        if may_gather:
            made.append(Option("gather", gathered, {}))
        made.append(Option("drop", dropped, {}))
        return made


def _is_divider(rows: Rows, row: int) -> bool:
    thing = rows.things[row]
    return isinstance(thing, Item) and thing.role == "divider"
