"""The tree of one menu at the destination: what stays, on which level, and in what order.

Rows come in reading order, parents first, so one pass builds the tree. An item that would stand
deeper than the destination stores or shows is lifted: it follows its branch, at the branch's level.
"""

from __future__ import annotations

from msgspec.structs import replace

from ..findings import EVERY, Cover, notice
from ..model import PLAIN, Item, Location, Menu, Picture, Piece
from . import panels, traits
from .kinds import Targets
from .labels import Labels, cut
from .work import Fate, Work, item_facts


def shown_levels(places: list[Location]) -> int | None:
    """The levels that a menu's locations show, at the most; None where there is no limit."""
    shows = [place.shows for place in places]
    return None if None in shows else max(level for level in shows if level is not None)


def deepest(work: Work, fate: Fate) -> int | None:
    """The deepest level for a menu: what is stored, and what its locations show.

    Where the destination shows as many levels as the source did, nothing that was seen is hidden,
    and the tree stays as it is.
    """
    stored = work.profile.limits.depth
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
        self.rows = work.rows.of_menu(fate.index)
        self.deepest = deepest(work, fate)
        self.in_panels: set[int] = set()
        self.labels = Labels(work, fate, targets.titles)
        self.dividers = "divider" in work.profile.kinds
        self.gone: set[int] = set()

    def build(self, menu: Menu) -> None:
        """Fill the menu. Reports everything that its items lose."""
        self._look_at_panels()
        staying = self._within_size(self._staying())
        self._dissolve(staying)
        self._place(menu, staying)
        if self.openers:
            self._tell_apart(menu)
        self.labels.finish()

    def _look_at_panels(self) -> None:
        """Find the rows of panels that are written as they are: their items and what is in them."""
        work = self.work
        for row in self.rows:
            thing = work.rows.things[row]
            if isinstance(thing, Item) and thing.panel is not None:
                level = 1 if self.work.rows.depth[row] == 1 else None
                if level and panels.can_hold(work, self.fate, thing.panel):
                    self.in_panels.update(range(row, traits.end_of(work.rows, row, self.rows.stop)))

    def _staying(self) -> list[int]:
        """The rows that stay, in reading order; a loss for each branch or divider that does not."""
        work, things = self.work, self.work.rows.things
        staying: list[int] = []
        row, last = self.rows.start, self.rows.stop
        while row < last:
            thing = things[row]
            if isinstance(thing, Item):
                code = None
                if thing.hidden or thing.traits is not PLAIN:
                    code = traits.left_out(work, self.fate, row, thing)
                if code is not None:
                    end = traits.end_of(work.rows, row, last)
                    traits.leave_out(work, self.fate, code, row, end)
                    self.gone.update(range(row, end))
                    row = end
                    continue
                if thing.role == "divider" and not self.dividers:
                    work.loss(
                        "kind.divider",
                        "dropped",
                        [Cover(0, "item", (row,), EVERY)],
                        row=row,
                        before=work.label(work.rows.parent[row])
                        if work.rows.parent[row] >= 0
                        else None,
                    )
                    row += 1
                    continue
                staying.append(row)
            elif row in self.in_panels or panels.has_link(thing):
                staying.append(row)
            row += 1
        return staying

    def _dissolve(self, staying: list[int]) -> None:
        work, last = self.work, self.rows.stop
        for row in staying:
            item = work.rows.things[row]
            if isinstance(item, Item) and item.panel is not None and row not in self.in_panels:
                inside = range(row + 1, traits.end_of(work.rows, row, last))
                left = [at for at in inside if at not in self.gone]
                panels.dissolve(work, row, item, left, self.targets)

    def _within_size(self, staying: list[int]) -> list[int]:
        """The rows that fit into one menu; a loss names the others, the last in reading order."""
        work, most = self.work, self.work.profile.limits.items
        if most is not None:
            most -= len(self.openers)  # room for the items that panels open from
        if most is None or len(staying) <= most:
            return staying
        gone = staying[most:]
        self.gone.update(gone)
        covers = [Cover(0, "item", tuple(gone), EVERY)]
        work.loss(
            "menu.too-long",
            "dropped",
            covers,
            menu=self.fate.menu.id,
            before=str(work.profile.limits.items),
            labels=tuple(work.label(row) for row in gone),
        )
        return staying[:most]

    def _place(self, menu: Menu, staying: list[int]) -> None:
        rows = self.work.rows
        made: dict[int, Item] = {}
        level: dict[int, int] = {-1: 0}
        parent_of: dict[int, int] = {}
        home: dict[int, list[Item]] = {}
        slots = panels.Slots()
        kept_pieces: dict[int, Piece] = {}
        capped: dict[int, int] = {}
        for row in staying:
            thing = rows.things[row]
            parent = rows.parent[row]
            while parent >= 0 and parent not in made:
                parent = rows.parent[parent]
            if row in kept_pieces:
                self._keep_piece(row, kept_pieces[row])
                continue
            item = (
                self._from_piece(row, thing) if isinstance(thing, Piece) else self._item(row, thing)
            )
            limit = capped.get(parent, self.deepest)
            if parent >= 0 and limit is not None and level[parent] >= limit:
                into, above = home[parent], parent_of[parent]
                while above >= 0 and level[above] >= limit:
                    into, above = home[above], parent_of[above]
                self._lifted(row, parent, above)
            else:
                into, above = self._into(menu, slots, thing, made.get(parent)), parent
            into_heading = slots.heads.get(id(thing))
            if into_heading is not None and above == parent:
                into_heading.heading = item
                home[row] = into_heading.items
            else:
                into.append(item)
                home[row] = into
            made[row], parent_of[row], level[row] = item, above, level[above] + 1
            if above < 0 and item.label in self.openers:
                capped[row] = 1
            elif parent in capped:
                capped[row] = capped[parent]
            if isinstance(thing, Item) and thing.panel is not None and row in self.in_panels:
                item.panel, pieces = slots.copy(thing.panel)
                kept_pieces.update((piece.number, piece) for piece in pieces)

    def _into(
        self, menu: Menu, slots: panels.Slots, thing: Item | Piece, parent: Item | None
    ) -> list[Item]:
        block = slots.lists.get(id(thing))
        if block is not None:
            return block
        return menu.items if parent is None else parent.children

    def _item(self, row: int, item: Item) -> Item:
        target = self.targets.apply(row, item.target)
        label, inherited = self.labels.apply(row, item, target)
        role = item.role
        if role == "heading" and row not in self.in_panels:
            role = "link"
        return Item(
            id=item.id,
            label=label,
            target=target,
            role=role,
            inherited=inherited,
            children=[],
            traits=traits.held(self.work, row, item),
            hidden=item.hidden,
            translations=self.labels.translations(row, item) if item.translations else (),
            extras=tuple(e for e in item.extras if self.work.writes_back(e)),
            number=row,
        )

    def _from_piece(self, row: int, piece: Piece) -> Item:
        """A picture that goes on as a link, with its caption as the label."""
        picture = piece.holds
        assert isinstance(picture, Picture) and picture.target is not None
        longest = self.work.profile.limits.label
        label = self.work.clean(picture.caption or "")
        return Item(
            id=f"picture.{row}",
            label=cut(label, longest) if longest else label,
            target=self.targets.apply(row, picture.target, "holds"),
            children=[],
            number=row,
        )

    def _keep_piece(self, row: int, piece: Piece) -> None:
        picture = piece.holds
        if isinstance(picture, Picture) and picture.target is not None:
            target = self.targets.apply(row, picture.target, "holds")
            piece.holds = replace(picture, target=target)

    def _tell_apart(self, menu: Menu) -> None:
        """Give later top items another label where a panel opens from one of the same label."""
        seen: set[str] = set()
        longest = self.work.profile.limits.label
        for item in menu.items:
            label, count = item.label, 1
            if label in self.openers:
                while item.label in seen:
                    count += 1
                    end = f" {count}"
                    item.label = (cut(label, longest - len(end)) if longest else label) + end
                if item.label != label:
                    self.labels.clash(item.number, label, item.label)
            seen.add(item.label)

    def _lifted(self, row: int, parent: int, above: int) -> None:
        if isinstance(self.work.rows.things[row], Piece):
            return
        self.work.moved[row] = self.work.loss(
            "depth.lifted",
            "moved",
            item_facts(row, "parent"),
            row=row,
            before=self.work.label(parent),
            after=self.work.label(above) if above >= 0 else None,
        )


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
            work.notices.append(
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
