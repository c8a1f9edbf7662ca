"""The tree of one menu, made of the rows that stay: an item for each, where its spot is."""

from __future__ import annotations

from msgspec.structs import replace

from .. import refs
from ..model import NOWHERE, PLAIN, Extra, Item, Menu, Panel, Piece, Target, targets_of
from . import panel_facts, panels, traits
from .labels import cut
from .parts import Parts
from .work import item_facts


class Builder:
    """Makes the items of one menu."""

    def __init__(self, parts: Parts) -> None:
        self.work, self.fate, self.rows = parts.work, parts.fate, parts.rows
        self.gone, self.spots = parts.gone, parts.spots
        self.labels, self.pieces, self.held = parts.labels, parts.pieces, parts.held
        self.tops, self.panes = parts.tops, parts.panes
        self.targets, self.whole = parts.targets, parts.whole
        work = self.work
        # Where headings lead that cannot lead anywhere themselves.
        self.leading: dict[int, Target] = {}
        self.heading_links = work.encoding is None or work.encoding.capacity().heading_links
        heads = [
            rule for rule in work.profile.item_kinds(work.theme_name) if rule.part == "heading"
        ]
        self.by_address = bool(heads) and all(rule.kind == "address" for rule in heads)
        has_ids = work.encoding is not None and work.encoding.pane_ids
        self.keeps_pane_ids = has_ids and work.same_platform

    def run(self, menu: Menu, staying: list[int]) -> None:
        """Fill a menu with an item for each row that stays."""
        if self.whole:
            self._run_whole(menu, staying)
            return
        rows = self.work.rows
        made: dict[int, Item] = {}
        home: dict[int, list[Item]] = {}
        slots = panels.Slots()
        kept_pieces: dict[int, Piece] = {}
        apart: dict[int, list[int]] = {}
        for row in staying:
            thing = rows.things[row]
            if row in kept_pieces:
                self.pieces.keep(row, kept_pieces[row])
                continue
            if row in self.held.as_links:
                made[row] = self._put_links(row, slots)
                continue
            more: list[Item] = []
            above = self.spots[row].above
            if above in self.panes.made and above not in made:
                made[above] = self.panes.item(above)
                made[self.panes.made[above].row].children.append(made[above])
            if isinstance(thing, Piece):
                item, *more = self.pieces.as_links(row, thing)
            else:
                item = self._item(row, thing)
            spot = self.spots[row]
            if spot.past >= 0:
                into = home[spot.past]
                self._lifted(row, spot.parent, spot.above)
            else:
                start = self.tops.made[spot.above].menu if spot.above in self.tops.made else menu
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
            if spot.above in self.tops.made and spot.past < 0 and isinstance(thing, Item):
                apart.setdefault(spot.above, []).append(row)
            adapted = self.held.adapted.get(row)
            panel = thing.panel if isinstance(thing, Item) and row in self.held.rows else None
            panel = adapted.panel if adapted is not None else panel
            if panel is not None:
                item.panel, pieces = slots.copy(panel, self.work.list_of)
                kept_pieces.update((piece.number, piece) for piece in pieces)
                for column in item.panel.columns if not self.keeps_pane_ids else ():
                    column.id = ""
                self._name_made(item.panel)
                self._opened(row, item, thing)
                if len(targets_of(thing)) > 1:
                    self.panes.lead_all(row, item, self.held.adapted.get(row))

        for row in self.held.adapted:
            if row in made and made[row].panel is not None:
                panel_facts.tell_order(self.work, row, made[row])
        for above, top in self.tops.made.items():
            self.tops.tell_moved(top, apart.get(above, []))

    def _run_whole(self, menu: Menu, staying: list[int]) -> None:
        """Fill a menu in which everything stays where it is, and nothing opens as a panel."""
        rows = self.work.rows
        things, parents = rows.things, rows.parent
        made: dict[int, Item] = {}
        for row in staying:
            thing = things[row]
            assert isinstance(thing, Item)
            made[row] = item = self._item(row, thing)
            above = parents[row]
            (menu.items if above < 0 else made[above].children).append(item)

    def _opened(self, row: int, item: Item, thing: Item | Piece) -> None:
        """Where an item says how its panel opens, what it said of a list below it has no place."""
        how = item.traits.opens
        if how is None or not panels.capacity_of(self.work).spread:
            return
        if isinstance(thing, Item) and thing.panel is not None:  # else the new panel opens so
            self.work.loss("trait.opens", "dropped", item_facts(row, "opens"), row=row, before=how)
        traits = replace(item.traits, opens=None)
        item.traits = PLAIN if traits == PLAIN else traits

    def _put_links(self, row: int, slots: panels.Slots) -> Item:
        """Put the links that a block goes on as where each of them stands in the panel."""
        thing = self.work.rows.things[row]
        assert isinstance(thing, Piece)
        items = self.pieces.as_links(row, thing)
        for item, stand in zip(items, self.held.as_links[row], strict=True):
            holder = slots.heads.get(id(stand))
            if holder is None:
                slots.lists[id(stand)].append(item)
            else:
                item.role = "heading"
                holder.heading = item
        return items[0]

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
            self._leads_no_more(row, target)
            target = NOWHERE  # a line leads nowhere, whatever it was made of
        heading = row in self.held.rows and (item.role == "heading" or row in self.held.headings)
        heading = heading and row not in self.held.unheaded
        if heading and self.by_address:
            target = self._by_address(row, item, target)
        elif heading and target.kind != "none" and not self.heading_links:
            self.leading[row] = target
            target = NOWHERE
        apart = heading and self.work.own_labels
        label, inherited = self.labels.apply(row, item, target, apart=apart)
        role = item.role
        if role == "heading" and (row not in self.held.rows or row in self.held.unheaded):
            role = "link"
        elif row in self.held.headings:
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
                inside=row in self.held.inner,
                lacks=self.work.lacking if heading else (),
            ),
            hidden=item.hidden and not self.work.publishes(row),
            translations=self._translations(row, item, heading=heading),
            extras=self._extras(item, elsewhere=target != item.target),
            number=row,
        )

    def _leads_no_more(self, row: int, target: Target) -> None:
        """Report a line that led somewhere, as one of a document can, if nothing says so yet."""
        if target.kind == "none" or (row, "target") in self.targets.reported:
            return
        before = self.targets.words(target)
        mine = item_facts(row, "target")
        self.work.loss("kind.not-held", "altered", mine, severity="note", row=row, before=before)
        self.targets.reported.add((row, "target"))

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
        if not item.extras:
            return ()
        extras = tuple(e for e in item.extras if self.work.writes_back(e, elsewhere=elsewhere))
        encoding = self.work.encoding
        was = self.work.rows.things[item.number]
        panel = was.panel if isinstance(was, Item) else None
        headed = item.number in self.held.headings or item.role == "heading"
        if headed and encoding and encoding.titles and item.number in self.held.rows:
            return ()  # it is the title of a list, and has no record
        changed = item.number in self.held.adapted or item.number not in self.held.rows
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

    def _name_made(self, panel: Panel) -> None:
        """Give headings and links that rules made the labels that the destination can hold."""
        longest = self.fate.limits.label
        for made in panel_facts.made_in(panel):
            label = self.labels.clean(made.label)
            made.label = cut(label, longest) if longest else label

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
        if above in self.panes.made:
            return self.panes.made[above].label
        return self.work.label(above) if above >= 0 else None
