"""The tree of one menu at the destination: what stays, on which level, and in what order.

Rows come in reading order, parents first, so one pass finds the place of each, and a second one
builds the tree. An item that would stand deeper than the destination stores or shows is lifted: it
follows its branch, at the branch's level. So is one below an item that may have nothing below it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable

from ..findings import EVERY, Cover, notice
from ..model import (
    PLAIN,
    Item,
    Menu,
    rows_of,
)
from ..resolve.targets import Targets
from ..visibility import shown_levels
from . import branches, panel_facts, panels, traits
from .build import Builder
from .labels import unlike
from .parts import Parts
from .size import Size
from .work import Fate, Work, item_facts


def deepest(work: Work, fate: Fate) -> int | None:
    """The deepest level for a menu: what is stored, and what its locations show.

    Where the destination shows as many levels as the source did, nothing that was seen is hidden,
    and the tree stays as it is.
    """
    stored = fate.limits.depth
    if not fate.locations:
        return stored
    shown = shown_levels(fate.locations)
    before = work.at(fate.menu.id)
    was = shown_levels(before) if before else None
    if shown is None or (was is not None and shown >= was):
        return stored
    return shown if stored is None else min(shown, stored)


class Branches:
    """Builds the tree of one menu.

    `openers` are labels of top items that a panel of the destination opens from: nothing may
    stand below them.
    """

    def __init__(self, work: Work, fate: Fate, targets: Targets, openers: frozenset[str]) -> None:
        self.work, self.fate, self.targets, self.openers = work, fate, targets, openers
        self.parts = parts = Parts(work, fate, targets)
        self.rows, self.gone, self.spots = parts.rows, parts.gone, parts.spots
        self.labels, self.pieces, self.held = parts.labels, parts.pieces, parts.held
        self.tops, self.panes = parts.tops, parts.panes
        self.deepest = deepest(work, fate)
        self.dividers = "divider" in work.profile.kinds
        inside = panels.capacity_of(work) if work.encoding is not None else None
        self.inner_dividers = inside is not None and inside.dividers

    def build(self, menu: Menu, taken: Collection[str] = ()) -> None:
        """Fill the menu. Reports everything that its items lose.

        `taken` are labels of items that these will stand beside.
        """
        self.held.look()
        self.panes.look(self.rows, self.held.rows)
        staying = self._staying()
        self.tops.tell_nested()
        nested = self.work.nested
        loose = [row for row in staying if row not in self.held.rows and row not in nested]
        # Below an item that is a language everything rises by a level.
        tongues = (
            [row for row in self.rows if row in self.work.tongues] if self.work.tongues else []
        )
        levels = self.deepest + 1 if self.deepest is not None and tongues else self.deepest
        sunk = self._sunk(loose)
        decided = branches.decided(
            self.work,
            self.fate,
            self.targets,
            loose,
            levels,
            None if tongues else self._shown(),
            sunk,
        )
        self.work.branches += decided.branches.values()
        for opened in decided.opened:
            self.held.open(opened, decided)
        size = Size(self.parts, self.deepest, self.openers, decided.branches, sunk)
        staying = size.run([row for row in staying if row not in self.gone])
        self._dissolve(staying)
        Builder(self.parts).run(menu, staying)
        if self.openers or self.fate.limits.unique_labels or self._binds(menu):
            self._tell_apart(menu, taken)
        if self.fate.limits.unique_beside:
            things = [thing for thing in rows_of([menu]).things if isinstance(thing, Item)]
            for items in [menu.items, *(item.children for item in things)]:
                self._unlike(items, set())
            for top in self.tops.made.values():
                self._tell_apart(top.menu, ())
        self.labels.finish()

    def _sunk(self, loose: list[int]) -> branches.Sunk:
        """What stood in panels that become submenus: it is shown no deeper than others are."""
        work = self.work
        shown = shown_levels(self.fate.locations) if self.fate.locations else None
        if shown is None or work.as_it_stands:
            return branches.Sunk()
        return branches.Sunk({row for row in loose if row in work.spots}, shown)

    def _shown(self) -> int | None:
        """The levels that are shown, where this hides nothing that was seen before."""
        if self.work.as_it_stands or not self.fate.locations:
            return None
        shown = shown_levels(self.fate.locations)
        stored = self.deepest
        return shown if shown is not None and (stored is None or shown < stored) else None

    def _staying(self) -> list[int]:
        """The rows that stay, in reading order; a loss for each branch or divider that does not."""
        work, things = self.work, self.work.rows.things
        staying: list[int] = []
        row, last = self.rows.start, self.rows.stop
        while row < last:
            thing = things[row]
            if row in self.gone:
                row += 1
                continue
            if isinstance(thing, Item):
                code = None
                if work.tongues.get(row) == "":
                    end = traits.end_of(work.rows, row, last)
                    self.tops.tell_told(row, end)
                    row = end
                    continue
                if row in work.nested and work.options.languages == "labels":
                    self.gone.add(row)
                    self.tops.told.append(row)
                    row += 1
                    continue
                choice = work.chosen_item(row)
                if choice is not None and not choice.keep:
                    end = traits.end_of(work.rows, row, last)
                    work.loss(
                        "item.left",
                        "dropped",
                        [Cover(0, "item", range(row, end), EVERY)],
                        row=row,
                        labels=tuple(work.label(at) for at in range(row, end)),
                    )
                    self.gone.update(range(row, end))
                    row = end
                    continue
                if choice is not None and work.publishes(row):
                    self._publish(row, last)
                if thing.hidden or thing.traits is not PLAIN:
                    code = traits.left_out(work, self.fate, row, thing)
                if code is not None:
                    end = traits.end_of(work.rows, row, last)
                    traits.leave_out(work, self.fate, code, row, end)
                    self.gone.update(range(row, end))
                    row = end
                    continue
                held = self.inner_dividers if row in self.held.rows else self.dividers
                if thing.role == "divider" and not held:
                    work.loss(
                        "kind.divider",
                        "dropped",
                        [Cover(0, "item", (row,), EVERY)],
                        row=row,
                        before=work.label(work.rows.parent[row])
                        if work.rows.parent[row] >= 0
                        else None,
                    )
                    self.gone.add(row)
                    row += 1
                    continue
                staying.append(row)
            elif row in self.held.rows or self.pieces.offers(thing):
                staying.append(row)
            row += 1
        return staying

    def _dissolve(self, staying: list[int]) -> None:
        work, last = self.work, self.rows.stop
        stays = set(staying) if self.held.adapted else set()
        for row in staying:
            item = work.rows.things[row]
            if row in self.work.opened:
                continue
            if row in self.held.adapted and isinstance(item, Item):
                panel_facts.report(
                    work, row, item, self.held.adapted[row], self.pieces.offers, stays
                )
            elif isinstance(item, Item) and item.panel is not None and row not in self.held.rows:
                inside = range(row + 1, traits.end_of(work.rows, row, last))
                left = [at for at in inside if at not in self.gone]
                most = panels.most(work) if row in self.held.surplus else None
                in_panes = [at for at in left if self.panes.holds(at)]
                led = {(pane.row, pane.column) for pane in self.panes.made.values()}
                unled = [
                    at
                    for at, column in enumerate(item.panel.columns)
                    if column.target is not None and (row, at) not in led
                ]
                panel_facts.dissolve(
                    work, row, item, left, self.pieces.offers, most, in_panes, unled
                )

    def _publish(self, row: int, last: int) -> None:
        """Report an item that was switched off and is shown now, with what is below it."""
        work = self.work
        end = traits.end_of(work.rows, row, last)
        labels = tuple(work.label(at) for at in range(row + 1, end))
        loss = work.loss(
            "item.published", "altered", item_facts(row, "hidden"), row=row, labels=labels
        )
        work.published.update(dict.fromkeys(range(row, end), loss))

    def _tell_apart(self, menu: Menu, taken: Collection[str]) -> None:
        """Give later items another label where labels must be told apart.

        They must in the whole menu where the destination says so, and at the top of a menu where a
        panel opens from one of the same label.
        """
        seen: set[str] = set(taken)
        everywhere = self.fate.limits.unique_labels
        bound = {item.label for item in menu.items if item.panel} if self._binds(menu) else set()
        things = rows_of([menu]).things if everywhere else menu.items
        for item in things:
            if not isinstance(item, Item):
                continue
            if not everywhere and item.label not in self.openers and item.label not in bound:
                seen.add(item.label)
                continue
            self._unlike([item], seen)

    def _unlike(self, items: Iterable[Item], seen: set[str]) -> None:
        """Give items that are called as one that was seen another label."""
        for item in items:
            label = item.label
            item.label = unlike(label, seen, self.fate.limits.label)
            if item.label != label:
                item.inherited = False
                if item.number >= 0:
                    self.labels.clash(item.number, label, item.label)

    def _binds(self, menu: Menu) -> bool:
        """Whether panels of a menu are tied to its top items by their labels."""
        return panels.binds(self.work) and any(item.panel for item in menu.items)


def keep_openers(work: Work, fate: Fate, menu: Menu, openers: frozenset[str]) -> list[int]:
    """Rows of the destination that must stay in a menu, because a panel opens from them.

    They are those of the menu that stood at the same location, whether it was replaced or not.
    """
    if work.base is None:
        return []
    names = {place.name for place in fate.locations}
    stood = {m for place in work.base.locations if place.name in names for m in place.menus}
    have = {item.label for item in menu.items}
    stay: list[int] = []
    for row, thing in enumerate(work.base_rows.things):
        if work.base_rows.depth[row] != 1 or not isinstance(thing, Item):
            continue
        if work.base.menus[work.base_rows.menu[row]].id not in stood:
            continue
        if thing.label in openers and thing.label not in have:
            stay.append(row)
            have.add(thing.label)
            work.ledger.notices.append(
                notice(
                    "panel.opener",
                    menu=fate.menu.id,
                    menu_name=fate.name,
                    item=thing.id,
                    path=(thing.label,),
                    origin=work.base.file,
                )
            )
    return stay
