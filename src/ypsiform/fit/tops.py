"""Menus that are made of parts of one: of a branch that is too deep, of items in a language."""

from __future__ import annotations

from typing import NamedTuple

from ..findings import EVERY, Cover
from ..model import Item, Location, Menu
from ..profiles.schema import Limits
from . import secondary, traits
from .spots import Spot
from .work import Fate, Work

TOP = -2
"""Numbers of the tops of secondary menus are `TOP` less a count."""


class Top(NamedTuple):
    """A secondary menu: the row of its branch, and what the menu can hold.

    The row is -1 for items in a further language that stood below others.
    """

    row: int
    menu: Menu
    limits: Limits
    language: str | None = None


class Tops:
    """The menus that are made of parts of one. `gone`: rows that do not stay; `spots`: the others.

    Each is told by a number, which stands for one as the row above what is at its top.
    """

    def __init__(
        self, work: Work, fate: Fate, rows: range, gone: set[int], spots: dict[int, Spot]
    ) -> None:
        self.work, self.fate, self.rows, self.gone, self.spots = work, fate, rows, gone, spots
        self.made: dict[int, Top] = {}
        # Those in a further language, by the row of the item that is the language.
        self.at: dict[int, int] = {}
        # Items in a further language whose labels stand at those of the items above.
        self.told: list[int] = []

    def of_branch(self, branch: int, place: Location) -> int:
        """The top of the secondary menu of a branch, as a number that stands for a row above."""
        for top, made in self.made.items():
            if made.row == branch:
                return top
        menu = secondary.start(self.work, self.fate, branch, place)
        top = TOP - len(self.made)
        self.made[top] = Top(branch, menu, secondary.limits_at(self.work, place))
        return top

    def of_tongue(self, row: int, *, first: bool) -> None:
        """An item that is a language: the first one's branch is the menu, others get their own."""
        work, fate = self.work, self.fate
        self.gone.add(row)
        language = work.tongues[row]
        own = [Cover(0, "item", (row,), EVERY)]
        if first or secondary.room(work) == 0:
            if work.options.languages == "menus":
                work.loss("menu.apart", "altered", own, row=row, before=language, after=fate.key)
            return
        title = f"{fate.name} ({language})"
        made = secondary.begin(work, fate, title, f"{fate.key} {language}", None, language)
        assert made.made is not None
        top = TOP - len(self.made)
        self.made[top] = Top(row, made.made, made.limits, language)
        self.at[row] = top

    def tell_told(self, row: int, end: int) -> None:
        """Report a branch in a further language whose labels stand at those of the first one."""
        work = self.work
        first = next(at for at in self.rows if work.tongues.get(at))
        covers = [Cover(0, "item", range(row, end), EVERY)]
        if first not in self.gone:
            self.gone.add(first)
            covers.append(Cover(0, "item", (first,), EVERY))
        self.gone.update(range(row, end))
        menu = self.fate.menu.id
        thing = work.rows.things[row]
        assert isinstance(thing, Item)
        work.loss(
            "label.to-labels", "moved", covers, menu=menu, before=thing.label, after=self.fate.name
        )

    def tell_nested(self) -> None:
        """Report items in a further language whose labels stand at those that they were below."""
        work = self.work
        by_language: dict[str, list[int]] = {}
        for row in self.told:
            by_language.setdefault(work.nested[row], []).append(row)
        for language, rows in by_language.items():
            work.loss(
                "label.to-labels",
                "moved",
                [Cover(0, "item", tuple(rows), EVERY)],
                menu=self.fate.menu.id,
                before=language,
                after=self.fate.name,
                labels=tuple(work.label(row) for row in rows),
            )

    def of_language(self, language: str, above: int) -> int:
        """The top of the menu of a further language, whose items stood below other items."""
        for top, made in self.made.items():
            if made.language == language:
                return top
        work, fate = self.work, self.fate
        if secondary.room(work) == 0:
            return above
        title = f"{fate.name} ({language})"
        begun = secondary.begin(work, fate, title, f"{fate.key} {language}", None, language)
        assert begun.made is not None
        top = TOP - len(self.made)
        self.made[top] = Top(-1, begun.made, begun.limits, language)
        return top

    def tell_moved(self, top: Top, moved: list[int]) -> None:
        """Report what stands in a secondary menu now, with all that is below it."""
        if not moved and top.language is None:
            return
        work = self.work
        covers = [Cover(0, "item", tuple(moved), "parent")] if moved else []
        fate = next(fate for fate in work.secondary if fate.made is top.menu)
        after = fate.locations[0].caption if fate.locations else fate.key
        if not moved and work.implied_menus:  # a menu without items cannot be written
            work.secondary.remove(fate)
            if work.profile.locations.open:
                work.locations = [p for p in work.locations if p not in fate.locations]
            gone = [Cover(0, "item", (top.row,), EVERY)]
            loss = work.loss("menu.empty", "dropped", gone, menu=fate.menu.id, row=top.row)
            loss.menu_name = fate.title or fate.key
            return
        if top.row < 0:
            loss = work.loss(
                "menu.language-apart",
                "moved",
                covers,
                severity="high" if work.at(fate.menu.id) else None,
                menu=fate.menu.id,
                before=top.language,
                after=after,
                labels=tuple(work.label(row) for row in moved),
            )
            work.moved.update((row, loss) for row in moved)
            return
        if top.language is not None:
            covers.append(Cover(0, "item", (top.row,), EVERY))
        below = [row for row in self.spots if row > top.row]
        end = traits.end_of(work.rows, top.row, self.rows.stop)
        inside = [row for row in below if row < end]
        loss = work.loss(
            "depth.to-menu" if top.language is None else "menu.apart",
            "moved",
            covers,
            severity="high" if top.language is not None and work.at(fate.menu.id) else None,
            row=top.row,
            before=top.language,
            after=after,
            labels=tuple(work.label(row) for row in inside),
        )
        for row in inside:
            work.moved.setdefault(row, loss)
