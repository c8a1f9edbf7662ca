"""What fits into one menu: how many items, how deep, and below what.

Of each limit the first rows in reading order stay. What is below a row goes with it.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

from ..findings import EVERY, Cover
from ..model import Item, Piece
from .best import Branch
from .branches import Sunk
from .parts import Parts
from .spots import Spot
from .tops import Top


class Size:
    """One pass over the rows that stay, parents first: each gets a spot, or is left out.

    `openers` are labels of top items that panels open from: nothing may stand below them.
    `branches`: those that are too deep, with what was chosen for each. `sunk`: rows that stood in
    panels, which are shown no deeper than others are.
    """

    def __init__(
        self,
        parts: Parts,
        deepest: int | None,
        openers: Collection[str],
        branches: Mapping[int, Branch],
        sunk: Sunk,
    ) -> None:
        self.parts = parts
        self.work, self.fate, self.rows = parts.work, parts.fate, parts.rows
        self.gone, self.spots = parts.gone, parts.spots
        self.labels, self.pieces, self.held = parts.labels, parts.pieces, parts.held
        self.tops, self.panes = parts.tops, parts.panes
        self.targets = parts.targets
        self.deepest, self.openers, self.branches, self.sunk = deepest, openers, branches, sunk
        limits = self.fate.limits
        self.stays: list[int] = []
        self._room = {"items": limits.items, "total": self.work.room}
        if limits.items is not None:  # the items that panels open from take up room
            self._room["items"] = limits.items - len(openers)
        # The level of each row, and the deepest one below it, where that is another one.
        self._level: dict[int, int] = {-1: 0}
        self._capped: dict[int, int | None] = {}
        # How many items stand below a row, and the top that each row is below.
        self._below: dict[int, int] = {}
        self._root: dict[int, int] = {}
        # Rows that nothing may stand below; those whose link moves below them if something does.
        self._barren: set[int] = set()
        self._split: set[int] = set()
        self._why: dict[int, str] = {}
        self._over_limit: dict[str, list[int]] = {}

    def run(self, staying: list[int]) -> list[int]:
        """The rows that fit into the menu, with a spot each; a loss for each limit names others."""
        if self._is_whole(staying):
            self.parts.whole = True
            parents = self.work.rows.parent
            self.spots.update({row: Spot(parents[row], -1, parents[row], False) for row in staying})
            return staying
        for row in staying:
            if row in self.work.tongues:
                self.tops.of_tongue(row, first=not self._root)
                self._root.setdefault(row, -1)
                continue
            parent = self._above_that_stays(row)
            if parent in self._why:
                self._left(row, self._why[parent])
                continue
            reason = self._settle(row, parent)
            if reason is not None:
                self._left(row, reason)
        self.work.room = self._room["total"]
        self._tell()
        return self.stays

    def _is_whole(self, staying: list[int]) -> bool:
        """Whether no limit meets a menu that stays as it is, and nothing in it is of a panel."""
        work, held, tops, limits = self.work, self.held, self.tops, self.fate.limits
        panels = held.rows or held.adapted or held.as_links or self.panes.of or self.panes.made
        apart = tops.at or tops.made or work.nested or work.tongues or self.sunk.rows
        if len(staying) < len(self.rows) or panels or apart or self.branches or self.openers:
            return False
        bounds = (work.room, limits.items, limits.top, limits.under, limits.parents)
        if any(bound is not None for bound in bounds):
            return False
        rows, span = work.rows, slice(self.rows.start, self.rows.stop)
        if self.deepest is not None and max(rows.depth[span], default=0) > self.deepest:
            return False
        return all(type(thing) is Item for thing in rows.things[span])

    def _above_that_stays(self, row: int) -> int:
        """The row above one, past those whose panel or group is no item; -1 for none."""
        parents = self.work.rows.parent
        parent = parents[row]
        while parent >= 0 and parent not in self._level and parent not in self._why:
            parent = parents[parent]
        return parent

    def _settle(self, row: int, parent: int) -> str | None:
        """Find the spot of a row; what it is left out for, if it is."""
        thing = self.work.rows.things[row]
        # What a panel holds beside links is no item, unless it goes on as links.
        block = isinstance(thing, Piece) and row in self.held.rows
        block = block and row not in self.held.as_links
        known = len(self.panes.made)
        above, past = self._lifted(row, parent, self._start(row, parent))
        chosen = self.branches.get(past)
        if chosen is not None and chosen.place is not None:
            above, past = self.tops.of_branch(past, chosen.place), -1
            self._open(row, above)
        elif chosen is not None and chosen.choice in ("gather", "drop"):
            return chosen.choice
        splits = above in self._split and not block
        count = 2 if splits else 1
        if isinstance(thing, Piece) and not block:
            count = len(self.pieces.offers(thing))
        count += len(self.panes.made) - known
        self._root[row] = top = above if above < 0 else self._root[above]
        apart = self.tops.made.get(top)
        reason = self._over(above, count, apart, block or row in self.held.inner)
        if reason is not None:
            return reason
        self.stays.append(row)
        self.spots[row] = Spot(above, past, parent, splits)
        self._level[row] = self._level[above] + 1
        self._take(count, apart)
        if not block:
            self._split.discard(above)
            self._below[above] = self._below.get(above, 0) + count
            self._cap(row, parent, above)
        return None

    def _start(self, row: int, parent: int) -> int:
        """What a row stands below, before the levels are looked at."""
        above = parent
        if self.panes.of:
            pane = self.panes.number(row, self._level, self._root, self.deepest)
            above = above if pane is None else pane
        top = self.tops.at.get(self.work.rows.parent[row])
        if top is not None and parent < 0:
            above = top
            self._open(row, top)
        if row in self.work.nested:
            above = self.tops.of_language(self.work.nested[row], above)
            self._level.setdefault(above, 0)
            there = self.tops.made.get(above)
            self._capped[row] = there.limits.depth if there is not None else None
        return above

    def _lifted(self, row: int, parent: int, above: int) -> tuple[int, int]:
        """What a row stands below, and what it is lifted past, for the levels that there are."""
        past = -1
        limit = self.sunk.level(row, self._capped.get(parent, self.deepest))
        deep = limit is not None and row not in self.held.inner
        while above >= 0 and (
            above in self._barren or (deep and self._level[above] >= (limit or 0))
        ):
            above, past = self.spots[above].above, above
        return above, past

    def _open(self, row: int, top: int) -> None:
        """Let a row stand at the top of a menu of its own."""
        self._level[top] = 0
        self._capped[row] = self.tops.made[top].limits.depth

    def _cap(self, row: int, parent: int, above: int) -> None:
        """How deep what is below a row may stand, and whether anything may."""
        parents, thing = self.fate.limits.parents, self.work.rows.things[row]
        bound = self.openers and self.labels.like(self.work.label(row)) in self.openers
        if above == -1 and bound:
            self._capped[row] = 1
        elif parent in self._capped and row not in self._capped:
            self._capped[row] = self._capped[parent]
        if parents is None or not isinstance(thing, Item) or row in self.held.rows:
            return
        if self._not_a_parent(thing):
            lowest = self._level[row] == self._capped.get(row, self.deepest)
            (self._split if "none" in parents and not lowest else self._barren).add(row)

    def _left(self, row: int, reason: str) -> None:
        self._why[row] = reason
        self._over_limit.setdefault(reason, []).append(row)

    def _tell(self) -> None:
        """Report what does not stay, by the reason."""
        rows, why = self.work.rows, self._why
        for row in self.rows if why else ():
            reason = why.get(rows.parent[row]) if isinstance(rows.things[row], Piece) else None
            if reason is not None and row not in why and row not in self.gone:
                # A block goes with the item that its panel opens from.
                self._over_limit[reason].append(row)
        for reason, found in self._over_limit.items():
            if reason in ("gather", "drop"):
                self._leave_out(found, reason)
            else:
                self._too_many(reason, found)

    def _leave_out(self, gone: list[int], choice: str) -> None:
        """Report what does not stay below each branch."""
        self.gone.update(gone)
        by_branch: dict[int, list[int]] = {}
        of: dict[int, int] = {}  # the branch of each row that was passed on the way up
        parents = self.work.rows.parent
        for row in gone:
            way = [row]
            branch = parents[row]
            while branch not in self.branches and branch not in of:
                way.append(branch)
                branch = parents[branch]
            branch = of.get(branch, branch)
            of.update(dict.fromkeys(way, branch))
            by_branch.setdefault(branch, []).append(row)
        for branch, rows in by_branch.items():
            gathered = choice == "gather"
            self.work.loss(
                "depth.gathered" if gathered else "depth.dropped",
                "by-hand" if gathered else "dropped",
                [Cover(0, "item", tuple(rows), EVERY)],
                row=branch,
                labels=tuple(self.work.label(row) for row in rows),
            )

    def _take(self, count: int, apart: Top | None) -> None:
        for name, left in self._room.items():
            if left is not None and not (apart and name == "items"):
                self._room[name] = left - count

    def _over(self, above: int, count: int, apart: Top | None, in_panel: bool) -> str | None:
        """The limit that more rows at a spot would break."""
        room = self._room if apart is None else {"total": self._room["total"]}
        for name, left in room.items():
            if left is not None and left < count:
                return name
        name = "top" if above < 0 else "under"
        limits = self.fate.limits if apart is None else apart.limits
        most = limits.top if above < 0 else limits.under
        if most is not None and not in_panel and self._below.get(above, 0) + count > most:
            return name
        return None

    def _too_many(self, reason: str, gone: list[int]) -> None:
        self.gone.update(gone)
        words = {"items": "in a menu", "total": "in all menus", "top": "at the top of a menu"}
        words["under"] = "below one item"
        self.work.loss(
            "menu.too-long",
            "dropped",
            [Cover(0, "item", tuple(gone), EVERY)],
            menu=self.fate.menu.id,
            before=str(getattr(self.fate.limits, reason)),
            after=words[reason],
            labels=tuple(self.work.label(row) for row in gone),
        )

    def _not_a_parent(self, item: Item) -> bool:
        """Whether the destination lets nothing stand below an item that leads there."""
        target = self.targets.of(item.target).target
        return not self.targets.is_of(target, self.fate.limits.parents or [])
