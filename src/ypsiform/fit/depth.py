"""The tree of one menu at the destination: what stays, on which level, and in what order.

Rows come in reading order, parents first, so one pass finds the place of each, and a second one
builds the tree. An item that would stand deeper than the destination stores or shows is lifted: it
follows its branch, at the branch's level. So is one below an item that may have nothing below it.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from .. import refs
from ..encodings.blocks import says_beside
from ..facts import LEADS, Went
from ..findings import EVERY, Cover, enumerated, notice
from ..model import (
    NOWHERE,
    PLAIN,
    Block,
    Column,
    Extra,
    Held,
    Item,
    Links,
    Location,
    Menu,
    Panel,
    Picture,
    Piece,
    Target,
    rows_of,
    targets_of,
)
from ..profiles.schema import Limits
from ..visibility import shown_levels
from . import blocks, branches, columns, panel_facts, panels, secondary, shape, traits
from .kinds import Targets
from .labels import Labels, cut, unlike
from .work import Fate, Work, item_facts

TOP = -2
"""Numbers of the tops of secondary menus are `TOP` less a count."""


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


GROUP = 10**9
"""Numbers of items that are made of panes, as rows above others, are this plus a count."""


OF_PICTURES = {
    "alt": "description",
    "caption": "caption",
    "target": "link",
    "title": "title",
    "second": "second picture",
    "second_target": "second link",
}
"""What a picture says beside its source, in words."""


class Pane(NamedTuple):
    """A pane of a panel that becomes a submenu: the row of the panel's item, and its column."""

    row: int
    column: int
    label: str


class Spot(NamedTuple):
    """Where a row goes: the row above it (-1: the top), and what it was lifted past.

    `past` is the row that it follows as a sibling, -1 where it stands below its own parent.
    `split`: the link of the row above moves into a new item before this one.
    """

    above: int
    past: int
    parent: int
    split: bool


class Top(NamedTuple):
    """A secondary menu: the row of its branch, and what the menu can hold.

    The row is -1 for items in a further language that stood below others.
    """

    row: int
    menu: Menu
    limits: Limits
    language: str | None = None


class Branches:
    """Builds the tree of one menu.

    `openers` are labels of top items that a panel of the destination opens from: nothing may
    stand below them.
    """

    def __init__(self, work: Work, fate: Fate, targets: Targets, openers: frozenset[str]) -> None:
        self.work, self.fate, self.targets, self.openers = work, fate, targets, openers
        self.rows = work.rows.of_menu(fate.index)
        self.deepest = deepest(work, fate)
        self.in_panels: set[int] = set()
        self.inner: set[int] = set()
        # Panels that are held in part, by the rows of their items.
        self.adapted: dict[int, shape.Adapted] = {}
        # Panels that there is no room for.
        self.surplus: set[int] = set()
        self.as_headings: set[int] = set()
        # Blocks that go on as links, with what stands for each of these in their panel.
        self.as_links: dict[int, list[shape.Linked]] = {}
        # Of markup that is passed on in part the links that are left.
        self.left_in: dict[int, list[int]] = {}
        self.unheaded: set[int] = set()
        # Where headings lead that cannot lead anywhere themselves.
        self.leading: dict[int, Target] = {}
        self.heading_links = work.encoding is None or work.encoding.capacity().heading_links
        self.offered: dict[int, list[blocks.Offer]] = {}
        self.altered: dict[int, Held] = {}
        # What was taken away of markup, because it could run something.
        self.taken: dict[int, tuple[str, ...]] = {}
        self.labels = Labels(work, fate, targets.titles)
        parts = [
            rule for rule in work.profile.item_kinds(work.theme_name) if rule.part == "heading"
        ]
        self.by_address = bool(parts) and all(rule.kind == "address" for rule in parts)
        self.dividers = "divider" in work.profile.kinds
        inside = panels.capacity_of(work) if work.encoding is not None else None
        self.inner_dividers = inside is not None and inside.dividers
        encoding = work.encoding
        has_ids = encoding is not None and encoding.pane_ids
        self.keeps_pane_ids = has_ids and work.same_platform
        # Whether a picture is an item, which has the title of its page where it says nothing.
        written = encoding is not None and not encoding.recorded
        self.captions_follow = written and self.labels.inherits
        self.gone: set[int] = set()
        # Items in a further language whose labels stand at those of the items above.
        self.told: list[int] = []
        # What stands in panes, and the panes that become items, by their numbers.
        self.pane_of: dict[int, Pane] = {}
        self.panes: dict[int, Pane] = {}
        self.numbers: dict[Pane, int] = {}
        # The tops of secondary menus, by the number that stands for one as the row above.
        self.tops: dict[int, Top] = {}
        # The tops of menus in a further language, by the row of the item that is the language.
        self.apart_at: dict[int, int] = {}
        self.spots: dict[int, Spot] = {}
        self.sunk = branches.Sunk()

    def build(self, menu: Menu, taken: Collection[str] = ()) -> None:
        """Fill the menu. Reports everything that its items lose.

        `taken` are labels of items that these will stand beside.
        """
        self._look_at_panels()
        self._look_at_panes()
        staying = self._staying()
        self._tell_nested()
        nested = self.work.nested
        loose = [row for row in staying if row not in self.in_panels and row not in nested]
        # Below an item that is a language everything rises by a level.
        tongues = (
            [row for row in self.rows if row in self.work.tongues] if self.work.tongues else []
        )
        levels = self.deepest + 1 if self.deepest is not None and tongues else self.deepest
        self.sunk = self._sunk(loose)
        decided = branches.decided(
            self.work,
            self.fate,
            self.targets,
            loose,
            levels,
            None if tongues else self._shown(),
            self.sunk,
        )
        self.branches = decided.branches
        self.work.branches += self.branches.values()
        for opened in decided.opened:
            self._open(opened, decided)
        staying = self._within_size([row for row in staying if row not in self.gone])
        self._dissolve(staying)
        self._place(menu, staying)
        if self.openers or self.fate.limits.unique_labels or self._binds(menu):
            self._tell_apart(menu, taken)
            for top in self.tops.values():
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

    def _open(self, opened: columns.Opened, decided: branches.Decided) -> None:
        """Let a top item open a panel with what stands below it."""
        work, row, adapted = self.work, opened.row, opened.adapted
        self.adapted[row] = adapted
        work.opened.add(row)
        headings = [
            block.heading.number
            for column in adapted.panel.columns
            for block in column.blocks
            if isinstance(block, Links) and block.heading is not None
        ]
        self.as_headings.update(headings)
        self.unheaded.update(adapted.unheaded)
        self.gone.update(adapted.gone)
        inside = [at for at in opened.inside if at not in adapted.gone]
        self.in_panels.update([row, *inside])
        self.inner.update(inside)
        panels.name_lists(work, self.fate, adapted.panel, work.label(row))
        columns.report(work, opened, decided.deep, decided.level)

    def _look_at_panels(self) -> None:
        """Find the rows of panels that are written as they are: their items and what is in them."""
        work = self.work
        room = panels.room(work)
        rows: Sequence[int] = self.rows
        if room is not None:
            rows, others = panels.among(work, self.rows, room)
            shown = any(place.panels for place in self.fate.locations)
            self.surplus = set(others) if shown else set()
        for row in rows:
            thing = work.rows.things[row]
            if isinstance(thing, Item) and thing.panel is not None:
                if self.work.rows.depth[row] != 1:
                    continue
                inside = range(row, traits.end_of(work.rows, row, self.rows.stop))
                adapted = None
                panel = self._left_of(thing.panel)
                if panel is not thing.panel or not panels.can_hold(work, self.fate, panel):
                    adapted = panels.adapted(work, self.fate, panel, self._offers, self._left_out)
                    if adapted is None:
                        continue
                    self.adapted[row] = adapted
                    self.as_headings.update(adapted.roles)
                    self.unheaded.update(adapted.unheaded)
                    self.as_links.update(adapted.links)
                    self.left_in.update(adapted.inner)
                    self.altered.update(adapted.altered)
                    self.taken.update(adapted.taken)
                panel = adapted.panel if adapted else thing.panel
                panels.name_lists(work, self.fate, panel, thing.label)
                gone = adapted.gone if adapted is not None else {}
                self.in_panels.update(at for at in inside if at not in gone)
                self.inner.update(at for at in inside[1:] if at not in gone)
                self.gone.update(gone)

    def _look_at_panes(self) -> None:
        """Find what stands in the panes of panels that become submenus: each pane is an item."""
        for row in self.rows:
            thing = self.work.rows.things[row]
            panel = thing.panel if isinstance(thing, Item) and row not in self.in_panels else None
            if panel is None or panel.style != "tabs":
                continue
            pane = Pane(row, 0, "")
            for at, column in enumerate(panel.columns):
                pane = Pane(row, at, column.label) if column.label is not None else pane
                for block in column.blocks if pane.label else ():
                    direct: list[Item | Piece] = [block] if isinstance(block, Piece) else []
                    if isinstance(block, Links):
                        direct = [block.heading] if block.heading is not None else [*block.items]
                    self.pane_of.update((inner.number, pane) for inner in direct)

    def _pane(self, row: int, level: dict[int, int], root: dict[int, int]) -> int | None:
        """The number of the item that the pane of a row becomes, if there is a level for it."""
        pane = self.pane_of.get(row)
        deepest = self.deepest
        if pane is None or pane.row not in level:
            return None
        if deepest is not None and level[pane.row] + 2 > deepest:
            return None
        if pane in self.numbers:
            return self.numbers[pane]
        number = self.numbers[pane] = GROUP + len(self.panes)
        self.panes[number] = pane
        level[number], root[number] = level[pane.row] + 1, root[pane.row]
        self.spots[number] = Spot(pane.row, -1, pane.row, False)
        return number

    def _item_of_pane(self, number: int) -> Item:
        """The item that a pane becomes."""
        pane = self.panes[number]
        label, longest = self.labels.clean(pane.label), self.fate.limits.label
        label = cut(label, longest) if longest else label
        ident = f"pane.{pane.row}.{number - GROUP}"
        made = Item(ident, label, NOWHERE, children=[], number=self.work.next_made())
        owner = self.work.rows.things[pane.row]
        panel = owner.panel if isinstance(owner, Item) else None
        target = panel.columns[pane.column].target if panel is not None else None
        if target is not None:
            self._lead(pane.row, pane.column, target, made)
        return made

    def _lead(self, row: int, column: int, target: Target, made: Item) -> None:
        """Let an item lead where a pane of a row led."""
        fact = f"column-target:{column}"
        made.target = self.targets.apply(row, target, fact)
        self.work.goes(row, fact, made.number, "target")

    def _name_made(self, panel: Panel) -> None:
        """Give headings and links that rules made the labels that the destination can hold."""
        longest = self.fate.limits.label
        for made in panel_facts.made_in(panel):
            label = self.labels.clean(made.label)
            made.label = cut(label, longest) if longest else label

    def _lead_panes(self, row: int, item: Item) -> None:
        """Panes of a panel that is written, and what their labels became, lead where they led."""
        was = self.work.rows.things[row]
        assert isinstance(was, Item) and was.panel is not None and item.panel is not None
        adapted = self.adapted.get(row)
        for at, nth in panel_facts.same_panes(was.panel, item.panel).items():
            column = item.panel.columns[at]
            assert column.target is not None
            column.target = self.targets.apply(row, column.target, f"column-target:{nth}")
            into = f"column-target:{at}"
            self.work.went.append(Went(row, f"column-target:{nth}", 0, row, into))
        if adapted is not None:
            for made in panel_facts.made_of_panes(item.panel, adapted):
                self._lead(row, adapted.panes[made.number], made.target, made)

    def _left_of(self, panel: Panel) -> Panel:
        """A panel without what is left out of it, where an empty column has no place of its own.

        It has one where columns are records that stand by themselves.
        """
        encoding = self.work.encoding
        if encoding is None:
            return panel
        if encoding.capacity().headings in ("first", "free") and not self.work.lacking:
            return panel
        columns: list[Column] = []
        changed = False
        for column in panel.columns:
            blocks: list[Block] = []
            for block in column.blocks:
                if isinstance(block, Links):
                    heads = [block.heading] if block.heading is not None else []
                    stay = [i for i in [*heads, *block.items] if not self._left_out(i)]
                    if len(stay) != len(block.items) + len(heads):
                        changed = True
                        if not stay or (heads and stay[0] is not heads[0]):
                            continue
                        block = Links(block.heading, stay[len(heads) :], block.key)
                blocks.append(block)
            columns.append(replace(column, blocks=blocks))
        return replace(panel, columns=columns) if changed else panel

    def _left_out(self, item: Item) -> bool:
        """Whether an item is left out, by what was decided or for what it says."""
        if item.number < 0 or not isinstance(self.work.rows.things[item.number], Item):
            return False
        choice = self.work.chosen_item(item.number)
        if choice is not None and not choice.keep:
            return True
        says = item.hidden or item.traits is not PLAIN
        return says and traits.left_out(self.work, self.fate, item.number, item) is not None

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
                    self._told(row, end)
                    row = end
                    continue
                if row in work.nested and work.options.languages == "labels":
                    self.gone.add(row)
                    self.told.append(row)
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
                held = self.inner_dividers if row in self.in_panels else self.dividers
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
            elif row in self.in_panels or self._offers(thing):
                staying.append(row)
            row += 1
        return staying

    def _dissolve(self, staying: list[int]) -> None:
        work, last = self.work, self.rows.stop
        stays = set(staying) if self.adapted else set()
        for row in staying:
            item = work.rows.things[row]
            if row in self.work.opened:
                continue
            if row in self.adapted and isinstance(item, Item):
                panel_facts.report(work, row, item, self.adapted[row], self._offers, stays)
            elif isinstance(item, Item) and item.panel is not None and row not in self.in_panels:
                inside = range(row + 1, traits.end_of(work.rows, row, last))
                left = [at for at in inside if at not in self.gone]
                most = panels.most(work) if row in self.surplus else None
                in_panes = [at for at in left if self._stands_in_pane(at)]
                led = {(pane.row, pane.column) for pane in self.panes.values()}
                unled = [
                    at
                    for at, column in enumerate(item.panel.columns)
                    if column.target is not None and (row, at) not in led
                ]
                panel_facts.dissolve(work, row, item, left, self._offers, most, in_panes, unled)

    def _stands_in_pane(self, row: int) -> bool:
        """Whether an item stands directly below what its pane became."""
        spot = self.spots.get(row)
        item = isinstance(self.work.rows.things[row], Item)
        return item and spot is not None and spot.above in self.panes and spot.past < 0

    def _within_size(self, staying: list[int]) -> list[int]:
        """The rows that fit into the menu, with a spot each; a loss for each limit names others.

        Of each limit the first rows in reading order stay. What is below a row goes with it.
        """
        limits, rows = self.fate.limits, self.work.rows
        room = {"items": limits.items, "total": self.work.room}
        if limits.items is not None:
            room["items"] = limits.items - len(self.openers)  # for the items that panels open from
        level: dict[int, int] = {-1: 0}
        below: dict[int, int] = {}
        capped: dict[int, int | None] = {}
        barren: set[int] = set()
        split: set[int] = set()
        stays: list[int] = []
        over: dict[str, list[int]] = {}
        why: dict[int, str] = {}
        root: dict[int, int] = {}
        for row in staying:
            thing = rows.things[row]
            if row in self.work.tongues:
                self._tongue(row, first=not root)
                root.setdefault(row, -1)
                continue
            parent = rows.parent[row]
            while parent >= 0 and parent not in level:
                if parent in why:
                    break
                parent = rows.parent[parent]
            if parent in why:
                why[row] = why[parent]
                over[why[row]].append(row)
                continue
            held = isinstance(thing, Piece) and row in self.in_panels and row not in self.as_links
            above, past = parent, -1
            known = len(self.panes)
            pane = self._pane(row, level, root) if self.pane_of else None
            if pane is not None:
                above = pane
            apart_at = self.apart_at.get(rows.parent[row])
            if apart_at is not None and parent < 0:
                above = apart_at
                level[above] = 0
                capped[row] = self.tops[above].limits.depth
            if row in self.work.nested:
                above = self._of_language(self.work.nested[row], above)
                level.setdefault(above, 0)
                capped[row] = self.tops[above].limits.depth if above in self.tops else None
            limit = self.sunk.level(row, capped.get(parent, self.deepest))
            deep = limit is not None and row not in self.inner
            while above >= 0 and (above in barren or (deep and level[above] >= (limit or 0))):
                above, past = self.spots[above].above, above
            chosen = self.branches.get(past)
            if chosen is not None and chosen.place is not None:
                above, past = self._top(past, chosen.place), -1
                level[above] = 0
                capped[row] = self.tops[above].limits.depth
            elif chosen is not None and chosen.choice in ("gather", "drop"):
                why[row] = chosen.choice
                over.setdefault(chosen.choice, []).append(row)
                continue
            splits = above in split and not held
            count = 2 if splits else 1
            if isinstance(thing, Piece) and not held:
                count = len(self._offers(thing))
            count += len(self.panes) - known
            root[row] = top = above if above < 0 else root[above]
            apart = self.tops.get(top)
            mine = room if apart is None else {"total": room["total"]}
            reason = self._over(above, below, mine, count, apart, held or row in self.inner)
            if reason is not None:
                why[row] = reason
                over.setdefault(reason, []).append(row)
                continue
            stays.append(row)
            self.spots[row] = Spot(above, past, parent, splits)
            level[row] = level[above] + 1
            self._take(room, count, apart)
            if held:
                continue
            split.discard(above)
            below[above] = below.get(above, 0) + count
            if (
                above == -1
                and self.openers
                and self.labels.like(self.work.label(row)) in self.openers
            ):
                capped[row] = 1
            elif parent in capped and row not in capped:
                capped[row] = capped[parent]
            if limits.parents is not None and isinstance(thing, Item) and row not in self.in_panels:
                leads = self._not_a_parent(thing)
                deepest = capped.get(row, self.deepest)
                if leads and "none" in limits.parents and level[row] != deepest:
                    split.add(row)
                elif leads:
                    barren.add(row)
        self.work.room = room["total"]
        for row in self.rows if why else ():
            reason = why.get(rows.parent[row]) if isinstance(rows.things[row], Piece) else None
            if reason is not None and row not in why and row not in self.gone:
                over[reason].append(row)  # a block goes with the item that its panel opens from
        for reason, found in over.items():
            if reason in ("gather", "drop"):
                self._leave_out(found, reason)
            else:
                self._too_many(reason, found)
        return stays

    def _publish(self, row: int, last: int) -> None:
        """Report an item that was switched off and is shown now, with what is below it."""
        work = self.work
        end = traits.end_of(work.rows, row, last)
        labels = tuple(work.label(at) for at in range(row + 1, end))
        loss = work.loss(
            "item.published", "altered", item_facts(row, "hidden"), row=row, labels=labels
        )
        work.published.update(dict.fromkeys(range(row, end), loss))

    def _leave_out(self, gone: list[int], choice: str) -> None:
        """Report what does not stay below each branch."""
        self.gone.update(gone)
        by_branch: dict[int, list[int]] = {}
        for row in gone:
            branch = self.work.rows.parent[row]
            while branch not in self.branches:
                branch = self.work.rows.parent[branch]
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

    def _top(self, branch: int, place: Location) -> int:
        """The top of the secondary menu of a branch, as a number that stands for a row above."""
        for top, made in self.tops.items():
            if made.row == branch:
                return top
        menu = secondary.start(self.work, self.fate, branch, place)
        top = TOP - len(self.tops)
        self.tops[top] = Top(branch, menu, secondary.limits_at(self.work, place))
        return top

    def _tongue(self, row: int, *, first: bool) -> None:
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
        top = TOP - len(self.tops)
        self.tops[top] = Top(row, made.made, made.limits, language)
        self.apart_at[row] = top

    def _told(self, row: int, end: int) -> None:
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

    def _tell_nested(self) -> None:
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

    def _of_language(self, language: str, above: int) -> int:
        """The top of the menu of a further language, whose items stood below other items."""
        for top, made in self.tops.items():
            if made.language == language:
                return top
        work, fate = self.work, self.fate
        if secondary.room(work) == 0:
            return above
        title = f"{fate.name} ({language})"
        begun = secondary.begin(work, fate, title, f"{fate.key} {language}", None, language)
        assert begun.made is not None
        top = TOP - len(self.tops)
        self.tops[top] = Top(-1, begun.made, begun.limits, language)
        return top

    def _take(self, room: dict[str, int | None], count: int, apart: Top | None) -> None:
        for name, left in room.items():
            if left is not None and not (apart and name == "items"):
                room[name] = left - count

    def _over(
        self,
        above: int,
        below: dict[int, int],
        room: dict[str, int | None],
        count: int,
        apart: Top | None,
        in_panel: bool,
    ) -> str | None:
        """The limit that more rows at a spot would break."""
        for name, left in room.items():
            if left is not None and left < count:
                return name
        name = "top" if above < 0 else "under"
        limits = self.fate.limits if apart is None else apart.limits
        most = limits.top if above < 0 else limits.under
        if most is not None and not in_panel and below.get(above, 0) + count > most:
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

    def _place(self, menu: Menu, staying: list[int]) -> None:
        rows = self.work.rows
        made: dict[int, Item] = {}
        home: dict[int, list[Item]] = {}
        slots = panels.Slots()
        kept_pieces: dict[int, Piece] = {}
        apart: dict[int, list[int]] = {}
        for row in staying:
            thing = rows.things[row]
            if row in kept_pieces:
                self._keep_piece(row, kept_pieces[row])
                continue
            if row in self.as_links:
                made[row] = self._put_links(row, slots)
                continue
            more: list[Item] = []
            above = self.spots[row].above
            if above in self.panes and above not in made:
                made[above] = self._item_of_pane(above)
                made[self.panes[above].row].children.append(made[above])
            if isinstance(thing, Piece):
                item, *more = self._from_piece(row, thing)
            else:
                item = self._item(row, thing)
            spot = self.spots[row]
            if spot.past >= 0:
                into = home[spot.past]
                self._lifted(row, spot.parent, spot.above)
            else:
                start = self.tops[spot.above].menu if spot.above in self.tops else menu
                into = self._into(start, slots, thing, made.get(spot.above))
            if spot.split:
                self._split(spot.above, made[spot.above])
            into_heading = slots.heads.get(id(thing))
            if into_heading is not None and spot.past < 0:
                into_heading.heading = item
                home[row] = into_heading.items
                if row in self.leading:
                    into_heading.items.append(self._first_entry(row, item))
            else:
                into += [item, *more]
                home[row] = into
            made[row] = item
            if spot.above in self.tops and spot.past < 0 and isinstance(thing, Item):
                apart.setdefault(spot.above, []).append(row)
            adapted = self.adapted.get(row)
            panel = thing.panel if isinstance(thing, Item) and row in self.in_panels else None
            panel = adapted.panel if adapted is not None else panel
            if panel is not None:
                item.panel, pieces = slots.copy(panel, self.work.list_of)
                kept_pieces.update((piece.number, piece) for piece in pieces)
                for column in item.panel.columns if not self.keeps_pane_ids else ():
                    column.id = ""
                self._name_made(item.panel)
                if len(targets_of(thing)) > 1:
                    self._lead_panes(row, item)

        for row in self.adapted:
            if row in made and made[row].panel is not None:
                panel_facts.tell_order(self.work, row, made[row])
        for above, top in self.tops.items():
            self._moved_apart(top, apart.get(above, []))

    def _put_links(self, row: int, slots: panels.Slots) -> Item:
        """Put the links that a block goes on as where each of them stands in the panel."""
        thing = self.work.rows.things[row]
        assert isinstance(thing, Piece)
        items = self._from_piece(row, thing)
        for item, stand in zip(items, self.as_links[row], strict=True):
            holder = slots.heads.get(id(stand))
            if holder is None:
                slots.lists[id(stand)].append(item)
            else:
                item.role = "heading"
                holder.heading = item
        return items[0]

    def _moved_apart(self, top: Top, moved: list[int]) -> None:
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

    def _split(self, row: int, item: Item) -> None:
        """Move the link of an item into a new one, the first of those below it."""
        number = refs.link_of(row)
        link = Item(f"{item.id}.link", item.label, item.target, children=[], number=number)
        item.children.append(link)
        item.target = NOWHERE
        item.extras = self._extras(item, elsewhere=True)
        self._moved_down("kind.parent", row, link)

    def _moved_down(self, code: str, row: int, link: Item) -> None:
        """Report a link that stands in a new item below its own; what else is said of it stays."""
        work = self.work
        work.goes(row, "target", link.number, "target")
        was = work.rows.things[row]
        assert isinstance(was, Item)
        before = self.targets.words(was.target)
        loss = work.loss(
            code, "moved", item_facts(row, "target"), row=row, before=before, after=link.label
        )
        if (row, "target") in self.targets.reported:
            work.ledger.tell(loss)

    def _into(
        self, menu: Menu, slots: panels.Slots, thing: Item | Piece, parent: Item | None
    ) -> list[Item]:
        block = slots.lists.get(id(thing))
        if block is not None:
            return block
        return menu.items if parent is None else parent.children

    def _item(self, row: int, item: Item) -> Item:
        target = self.targets.apply(row, item.target)
        if item.role == "divider" and not self.work.same_encoding:
            target = NOWHERE  # a line leads nowhere, whatever it was made of
        heading = row in self.in_panels and (item.role == "heading" or row in self.as_headings)
        heading = heading and row not in self.unheaded
        if heading and self.by_address:
            target = self._by_address(row, item, target)
        elif heading and target.kind != "none" and not self.heading_links:
            self.leading[row] = target
            target = NOWHERE
        apart = heading and self.work.own_labels
        label, inherited = self.labels.apply(row, item, target, apart=apart)
        role = item.role
        if role == "heading" and (row not in self.in_panels or row in self.unheaded):
            role = "link"
        elif row in self.as_headings:
            role = "heading"
        return Item(
            id=item.id,
            label=label,
            target=target,
            role=role,
            inherited=inherited,
            children=[],
            traits=traits.held(
                self.work,
                self.fate,
                row,
                item,
                lifted=self.spots[row].past >= 0,
                inside=row in self.inner,
                lacks=self.work.lacking if heading else (),
            ),
            hidden=item.hidden and not self.work.publishes(row),
            translations=self._translations(row, item, heading=heading),
            extras=self._extras(item, elsewhere=target != item.target),
            number=row,
        )

    def _by_address(self, row: int, item: Item, target: Target) -> Target:
        """The target of a heading where headings are written by their addresses alone."""
        made = self.targets.as_address(target)
        work = self.work
        known = self.targets.of(item.target).code is not None
        same = (made.kind, made.content) == (target.kind, target.content) and not work.same_file
        if made != target and not same and not known:
            code = "kind.not-held" if made.kind == "none" else "kind.as-address"
            before = self.targets.words(item.target)
            mine = item_facts(row, "target")
            after = made.address or "nowhere"
            work.loss(code, "altered", mine, row=row, before=before, after=after)
            self.targets.reported.add((row, "target"))
        return made

    def _translations(self, row: int, item: Item, *, heading: bool) -> tuple[tuple[str, str], ...]:
        if not item.translations and row not in self.work.more_labels:
            return ()
        held = not (heading and "translations" in self.work.lacking)
        return self.labels.translations(row, item, held=held)

    def _extras(self, item: Item, *, elsewhere: bool) -> tuple[Extra, ...]:
        extras = tuple(e for e in item.extras if self.work.writes_back(e, elsewhere=elsewhere))
        encoding = self.work.encoding
        was = self.work.rows.things[item.number]
        panel = was.panel if isinstance(was, Item) else None
        headed = item.number in self.as_headings or item.role == "heading"
        if headed and encoding and encoding.titles and item.number in self.in_panels:
            return ()  # it is the title of a list, and has no record
        changed = item.number in self.adapted or item.number not in self.in_panels
        if extras and panel is not None and changed and encoding is not None:
            # What stood in a panel's record has its place only while it is as it was.
            extras = tuple(extra for extra in extras if not encoding.inside(extra))
        return extras

    def _first_entry(self, row: int, heading: Item) -> Item:
        """The link of a heading that cannot lead anywhere, as the first entry of its list."""
        target, number = self.leading[row], self.work.next_made()
        entry = Item(f"{heading.id}.link", heading.label, target, children=[], number=number)
        self._moved_down("panel.heading-link", row, entry)
        return entry

    def _offers(self, piece: Piece) -> list[blocks.Offer]:
        """The links that a block goes on as; found once."""
        if self.work.pages_stay(self.fate):
            return []
        found = self.offered.get(piece.number)
        if found is None:
            made = blocks.offers(self.work, self.targets, piece)
            found = self.offered[piece.number] = made
        return found

    def _from_piece(self, row: int, piece: Piece) -> list[Item]:
        """The links that a block goes on as. The first one stands for it."""
        longest = self.fate.limits.label
        items: list[Item] = []
        for at, (words, source, there, nth) in enumerate(self._offers(piece)):
            label = self.labels.clean(words)
            target = there or NOWHERE
            if source is not None:
                target = self.targets.apply(row, source, f"link:{nth}", words)
            made = Item(
                id=f"block.{row}.{at}" if at else f"block.{row}",
                label=cut(label, longest) if longest else label,
                target=target,
                children=[],
                number=self.work.next_made() if at else row,
            )
            self.work.goes(row, f"link:{nth}", made.number, "target")
            items.append(made)
        return items

    def _keep_piece(self, row: int, piece: Piece) -> None:
        picture = piece.holds
        links = targets_of(self.work.rows.things[row])
        if isinstance(picture, Picture):
            self._keep_picture(row, piece, picture)
            return
        left = self.left_in.get(row, list(range(len(links))))
        gone = [f"link:{n}" for n in range(len(links)) if n not in left]
        for now, nth in enumerate(left if row in self.left_in else ()):
            self.work.went.append(Went(row, f"link:{nth}", 0, row, f"link:{now}"))
        self.work.went += [Went(row, name, 0, row, "") for name in gone]
        if not self.work.same_file:
            piece.holds = blocks.relink(self.work, self.targets, row, picture, left)
        if row in self.altered:
            was = self.altered[row]
            kind = ["block"] if type(was) is not type(piece.holds) else []
            mine = item_facts(row, *kind, "holds", *gone)
            if row not in self.taken:
                plain = not kind and shape.in_plain(was, self.work.clean) is not was
                code = "panel.characters" if plain else "panel.markup"
                self.work.loss(code, "altered", mine, row=row, before=blocks.said(was))
                return
            sure = any(word[0] == "<" or "=" in word for word in self.taken[row])
            self.work.loss(
                "panel.cleaned",
                "altered",
                mine,
                severity="high" if sure else "medium",
                row=row,
                before=blocks.said(was),
                labels=self.taken[row],
            )

    def _captioned(self, row: int, picture: Picture, target: Target | None) -> Picture:
        """A picture with the caption that its page gives it, where it is an item without one."""
        page = (target.kind, target.content) if target is not None and target.content else None
        if picture.caption or page is None or target is None or not self.captions_follow:
            return picture
        if not self.work.kinds.titles(target):
            return picture
        caption = self.labels.titles.get(page) or target.address or target.kind
        self.work.loss("label.empty", "altered", item_facts(row, "holds"), row=row, after=caption)
        return replace(picture, caption=caption)

    def _keep_picture(self, row: int, piece: Piece, picture: Picture) -> None:
        """A picture with what it leads to; a loss for what the destination cannot say of it."""
        was = self.work.rows.things[row]
        assert isinstance(was, Piece) and isinstance(was.holds, Picture)
        now = links = 0
        gone: list[str] = []
        made: dict[str, Target] = {}
        for name in ("target", "second_target"):
            target = getattr(was.holds, name)
            if target is None:
                continue
            fact = f"link:{links}"
            links += 1
            if getattr(picture, name) is None:
                gone += [fact] if target.kind != "none" else []
                self.work.went.append(Went(row, fact, 0, row, ""))
                continue
            made[name] = self.targets.apply(row, target, fact)
            if fact != f"link:{now}":
                self.work.went.append(Went(row, fact, 0, row, f"link:{now}"))
            now += 1
        picture = self._captioned(row, picture, made.get("target"))
        piece.holds = replace(picture, **made)
        lost = says_beside(was.holds) - says_beside(picture)
        held = ["holds"] if shape.in_plain(was.holds, self.work.clean) is not was.holds else []
        before = blocks.said(was.holds)
        if lost:
            self.work.loss(
                "panel.picture",
                "altered",
                item_facts(row, *(["holds"] if lost - set(LEADS) else held), *gone),
                severity="high" if gone else None,
                row=row,
                before=before,
                after=enumerated(sorted(OF_PICTURES[name] for name in lost)),
            )
        elif held:
            mine = item_facts(row, "holds")
            self.work.loss("panel.characters", "altered", mine, row=row, before=before)

    def _tell_apart(self, menu: Menu, taken: Collection[str]) -> None:
        """Give later items another label where labels must be told apart.

        They must in the whole menu where the destination says so, and at the top of a menu where a
        panel opens from one of the same label.
        """
        seen: set[str] = set(taken)
        longest = self.fate.limits.label
        everywhere = self.fate.limits.unique_labels
        bound = {item.label for item in menu.items if item.panel} if self._binds(menu) else set()
        things = rows_of([menu]).things if everywhere else menu.items
        for item in things:
            if not isinstance(item, Item):
                continue
            label = item.label
            if not everywhere and label not in self.openers and label not in bound:
                seen.add(label)
                continue
            item.label = unlike(label, seen, longest)
            if item.label != label:
                item.inherited = False
                if item.number >= 0:
                    self.labels.clash(item.number, label, item.label)

    def _binds(self, menu: Menu) -> bool:
        """Whether panels of a menu are tied to its top items by their labels."""
        return panels.binds(self.work) and any(item.panel for item in menu.items)

    def _lifted(self, row: int, parent: int, above: int) -> None:
        if isinstance(self.work.rows.things[row], Piece):
            return
        self.work.moved[row] = self.work.loss(
            "depth.lifted",
            "moved",
            item_facts(row, "parent"),
            row=row,
            before=self.work.label(parent),
            after=self._called(above),
        )

    def _called(self, above: int) -> str | None:
        """The label of a row that others stand below; None for the top."""
        if above in self.panes:
            return self.panes[above].label
        return self.work.label(above) if above >= 0 else None


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
