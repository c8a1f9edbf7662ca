"""The best choice for each branch that is too deep: the least total cost within every limit.

Formulas and order of ties are those of the design, "The best fit". The cheapest choice of each
branch is taken where no limit binds; where one does, the exact optimum up to `EXACT` branches
(a mixed integer program), and beyond it a greedy one, with its gap to the bound.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from msgspec import Struct

from ..model import Location

ORDER = ("columns", "lift", "menu", "gather", "drop", "keep")
"""The choices, in the order in which ties go."""

EXACT = 2000
"""Branches up to which the optimum is exact where a limit binds."""

_TIE = 1e-7


class Branch(Struct):
    """One branch: its row, the choice for it, and what each choice costs, in weighted steps.

    `place` is the location of the secondary menu, where that is the choice.
    """

    row: int
    choice: str
    costs: dict[str, float]
    gap: float = 0.0
    place: Location | None = None


class Option(NamedTuple):
    """One choice for a branch: what it costs, and how much of each limited thing it uses.

    `place` is the location of a secondary menu. Options of one `group` (0 or more) are taken
    together, or none of them is.
    """

    name: str
    cost: float
    uses: Mapping[str, float]
    place: str = ""
    group: int = -1


class Chosen(NamedTuple):
    """The choice for each branch, and what they cost together.

    `gap` is how far above the least cost they are at the most.
    """

    options: list[Option]
    cost: float
    gap: float

    @property
    def names(self) -> list[str]:
        """The names of the choices."""
        return [option.name for option in self.options]


def choose(branches: Sequence[Sequence[Option]], room: Mapping[str, float]) -> Chosen:
    """The choices of least total cost within the room that there is of each thing.

    Where no combination fits, one is taken that is over as little as may be, one branch after the
    other.
    """
    first = _cheapest(branches)
    if _fits(branches, first, room):
        return _chosen(branches, first, 0.0)
    if len(branches) > EXACT:
        return _greedy(branches, first, room)
    found = _exact(branches, room)
    if found is not None and _fits(branches, found, room):
        return _chosen(branches, found, 0.0)
    return _chosen(branches, _in_turn(branches, room), 0.0)


def _cheapest(branches: Sequence[Sequence[Option]]) -> list[int]:
    """The cheapest choice of each branch, those of a group together."""
    alone = [_alone(branch) for branch in branches]
    taken = list(alone)
    for members in _groups(branches).values():
        cost = sum(branches[number][at].cost for number, at in members)
        free = all(branches[number][alone[number]].group < 0 for number, _ in members)
        other = sum(branches[number][alone[number]].cost for number, _ in members)
        if not free or round(cost, 9) <= round(other, 9):
            for number, at in members:
                taken[number] = at
    return taken


def _alone(branch: Sequence[Option]) -> int:
    """The cheapest choice that a branch can take without others, if there is one."""
    return min(range(len(branch)), key=lambda at: (branch[at].group >= 0, _key(branch[at])))


def _groups(branches: Sequence[Sequence[Option]]) -> dict[int, list[tuple[int, int]]]:
    """By group the branches that have a choice in it, each with the place of that choice."""
    found: dict[int, list[tuple[int, int]]] = {}
    for number, branch in enumerate(branches):
        for at, option in enumerate(branch):
            if option.group >= 0:
                found.setdefault(option.group, []).append((number, at))
    return found


def _key(option: Option) -> tuple[float, int]:
    return round(option.cost, 9), ORDER.index(option.name)


def _in_turn(branches: Sequence[Sequence[Option]], room: Mapping[str, float]) -> list[int]:
    """For each branch in turn, what goes least over the room that is left, then costs least."""
    left = dict(room)
    taken: list[int] = []

    def over(option: Option) -> float:
        limited = (thing for thing in option.uses if thing in left)
        return sum(max(option.uses[thing] - max(left[thing], 0.0), 0.0) for thing in limited)

    for branch in branches:
        free = [n for n, option in enumerate(branch) if option.group < 0] or range(len(branch))
        at = min(free, key=lambda n: (over(branch[n]), _key(branch[n])))
        taken.append(at)
        for thing, amount in branch[at].uses.items():
            if thing in left:
                left[thing] -= amount
    return taken


def _chosen(branches: Sequence[Sequence[Option]], at: list[int], gap: float) -> Chosen:
    picked = [branch[n] for branch, n in zip(branches, at, strict=True)]
    return Chosen(picked, sum(o.cost for o in picked), gap)


def _fits(
    branches: Sequence[Sequence[Option]], at: Sequence[int], room: Mapping[str, float]
) -> bool:
    left = dict(room)
    for branch, n in zip(branches, at, strict=True):
        for thing, amount in branch[n].uses.items():
            if thing in left:
                left[thing] -= amount
    return all(amount >= -1e-9 for amount in left.values())


def _exact(branches: Sequence[Sequence[Option]], room: Mapping[str, float]) -> list[int] | None:
    # A whole-number programme: each branch takes one choice, what all use of a thing is within its
    # room, and members of a group choose alike. A tie falls to the choice that comes first in
    # `ORDER`.
    import numpy
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import csr_array

    starts: list[int] = []
    options: list[Option] = []
    for branch in branches:
        starts.append(len(options))
        options += branch
    costs = [o.cost + _TIE * ORDER.index(o.name) for o in options]
    ones = [1.0] * len(options)
    rows = [n for n, branch in enumerate(branches) for _ in branch]
    each = csr_array((ones, (rows, range(len(options)))), shape=(len(branches), len(options)))
    constraints = [LinearConstraint(each, 1, 1)]
    together = [
        ((starts[a] + at, 1.0), (starts[b] + bt, -1.0))
        for members in _groups(branches).values()
        for (a, at), (b, bt) in pairwise(members)
    ]
    if together:
        lines = [n for n, pair in enumerate(together) for _ in pair]
        columns = [at for pair in together for at, _ in pair]
        signs = [sign for pair in together for _, sign in pair]
        shape = (len(together), len(options))
        constraints.append(
            LinearConstraint(csr_array((signs, (lines, columns)), shape=shape), 0, 0)
        )
    things = list(room)
    if things:
        number = {thing: n for n, thing in enumerate(things)}
        entries = [
            (number[thing], at, amount)
            for at, option in enumerate(options)
            for thing, amount in option.uses.items()
            if thing in number
        ]
        which, of, amounts = zip(*entries, strict=True) if entries else ((), (), ())
        uses = csr_array((amounts, (which, of)), shape=(len(things), len(options)))
        most = numpy.array([room[thing] for thing in things])
        constraints.append(LinearConstraint(uses, -numpy.inf, most))
    done = milp(
        numpy.array(costs),
        integrality=numpy.ones(len(options), dtype=int),
        bounds=Bounds(0, 1),
        constraints=constraints,
        options={"mip_rel_gap": 0.0},
    )
    if done.x is None:
        return None
    ends = [*starts[1:], len(options)]
    return [
        int(max(range(start, end), key=lambda at: done.x[at])) - start
        for start, end in zip(starts, ends, strict=True)
    ]


def _within(
    branches: Sequence[Sequence[Option]], first: list[int], room: Mapping[str, float]
) -> list[int]:
    """The cheapest choices; of groups that use what is short those that save most."""
    at = list(first)
    chosen: list[tuple[float, list[tuple[int, int]]]] = []
    for members in _groups(branches).values():
        if all(first[number] == n for number, n in members):
            alone = [branches[number][_alone(branches[number])] for number, _ in members]
            cost = sum(branches[number][n].cost for number, n in members)
            chosen.append((cost - sum(option.cost for option in alone), members))
    left = dict(room)
    for _, members in sorted(chosen):
        uses: dict[str, float] = {}
        for number, n in members:
            for thing, amount in branches[number][n].uses.items():
                uses[thing] = uses.get(thing, 0.0) + amount
        if all(amount <= left[thing] for thing, amount in uses.items() if thing in left):
            for thing, amount in uses.items():
                if thing in left:
                    left[thing] -= amount
        else:
            for number, _ in members:
                at[number] = _alone(branches[number])
    return at


def _greedy(
    branches: Sequence[Sequence[Option]], first: list[int], room: Mapping[str, float]
) -> Chosen:
    """From the cheapest choices, the changes that free most for what they cost."""
    # Start where each branch is best alone; then take the changes in the order of what they cost
    # for what they free, until nothing is over its room.
    at = _within(branches, first, room)
    left = dict(room)
    for branch, n in zip(branches, at, strict=True):
        for thing, amount in branch[n].uses.items():
            if thing in left:
                left[thing] -= amount
    bound = sum(branch[n].cost for branch, n in zip(branches, first, strict=True))
    moves: list[tuple[float, int, int]] = []
    for number, branch in enumerate(branches):
        now = branch[at[number]]
        for n, option in enumerate(branch) if now.group < 0 else ():
            if option.group >= 0:
                continue
            freed = sum(
                amount - option.uses.get(thing, 0.0)
                for thing, amount in now.uses.items()
                if thing in left and left[thing] < 0
            )
            if freed > 0:
                moves.append(((option.cost - now.cost) / freed, number, n))
    moved: set[int] = set()
    over = {thing for thing, amount in left.items() if amount < -1e-9}
    for _, number, n in sorted(moves):
        if not over:
            break
        now, option = branches[number][at[number]], branches[number][n]
        helps = any(t in over and n > option.uses.get(t, 0.0) for t, n in now.uses.items())
        if number in moved or not helps:
            continue
        more = {t: n - now.uses.get(t, 0.0) for t, n in option.uses.items() if t in left}
        if any(n > max(left[thing], 0.0) + 1e-9 for thing, n in more.items()):
            continue
        moved.add(number)
        at[number] = n
        for thing in {*now.uses, *option.uses}:
            if thing not in left:
                continue
            left[thing] += now.uses.get(thing, 0.0) - option.uses.get(thing, 0.0)
            if left[thing] >= -1e-9:
                over.discard(thing)
    if any(amount < -1e-9 for amount in left.values()):
        at = _in_turn(branches, room)
    done = _chosen(branches, at, 0.0)
    return done._replace(gap=done.cost - bound)
