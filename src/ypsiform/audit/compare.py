"""The comparison: every fact gets its outcome, and the losses must agree with the outcomes.

The two sides are joined on places: where the writer says that a record went, and where what was
read back stood. Lineage says what to compare, never how the comparison ends.
"""

# One class for all that two sides are compared by: its parts share what was found of both.

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

from msgspec import Struct

from .. import facts
from ..addresses import Hosts, normal_tail
from ..facts import Went, extra_fact
from ..findings import OUTCOMES, Finding, Outcome
from ..model import (
    CONTENT_KINDS,
    Content,
    Extra,
    Item,
    Location,
    Panel,
    Piece,
    Rows,
    Site,
    Target,
    Traits,
    links_of,
    said_traits,
    set_traits,
)
from ..order import out_of_order
from ..visibility import Seen, audience_of, shown
from .account import AS_IT_WAS, Account
from .columns import Joined, in_place

Pair = tuple[str, str]


class Audited(Struct):
    """The outcome of an audit. `facts` has the seven totals; `problems` is empty if all is well.

    `links` tells where each link of the source stands now. `outside` are
    rows read back whose nearest ancestor that is left is none of their ancestors any more. `there`
    is for each row of the source the row read back, -1 where it is gone. `stayed` are rows read
    back that the destination held before.
    """

    facts: dict[str, int]
    problems: list[str]
    before_seen: list[Seen]
    after_seen: list[Seen]
    links: Linked
    outside: set[int]
    there: list[int]
    stayed: set[int]


class Linked(Struct):
    """Where the links of the source stand now.

    Most stand in the row that their own became: `there`, by row, among the `things` read back.
    `apart` has the others, by row and number within it, where they are not gone; their rows are in
    `looked_at`.
    """

    there: list[int]
    things: list[Item | Piece]
    looked_at: Collection[int]
    apart: dict[tuple[int, int], tuple[int, Target]]

    def get(self, link: tuple[int, int]) -> tuple[int, Target] | None:
        """The row read back in which a link stands, and where that leads; None where it is gone.

        A link is said by the row of the source and its number within it.
        """
        row, _ = link
        if row in self.looked_at:
            return self.apart.get(link)
        at = self.there[row]
        other = self.things[at] if at >= 0 else None
        return (at, other.target) if isinstance(other, Item) else None


class Side:
    """What was read on one side, and what became of it."""

    def __init__(
        self,
        number: int,
        site: Site,
        rows: Rows,
        seen: list[Seen],
        same: bool,
        without: Collection[int] = (),
    ) -> None:
        """`without` are menus that count for nothing: an earlier run of ours wrote them."""
        self.without = without
        self.number, self.site, self.rows, self.same = number, site, rows, same
        self.hosts = Hosts(site.addresses)
        self.seen = seen
        self.there: list[int] = []
        self.spots = facts.spots(rows)
        self.counts = facts.counts(rows, self.spots)
        # By the row of a panel how its columns compare, found when first asked for.
        self.columns: dict[int, facts.Columns] = {}

    def direct(self, row: int) -> bool:
        """Whether a row stands in a panel itself."""
        return row in self.spots and self.spots[row].direct


class Audit:
    """One comparison of what was read with what was written."""

    def __init__(
        self,
        sides: list[Side],
        written: Site,
        rows: Rows,
        lineage: dict[tuple[int, str, int], str],
        matches: list[tuple[Pair, Pair, str]],
        losses: list[Finding],
        went: Sequence[Went] = (),
        *,
        own_room: bool = False,
    ) -> None:
        self.sides, self.written, self.rows, self.lineage = sides, written, rows, lineage
        self.losses = losses
        # Facts of the source that stand in another record, and labels that an item has from there.
        self.went = {(one.row, one.fact): one for one in went}
        self.given = {(one.number, one.into) for one in went if one.side == 0}
        self.table = {source: there for source, there, _ in matches}
        self.hosts = Hosts(written.addresses)
        self.seen = shown(written, rows, own_room=own_room)
        self.spots = facts.spots(rows)
        self.account = Account()
        self.problems: list[str] = []
        self.places = {place: at for at, place in enumerate(rows.said("origin"))}
        self.menus = {menu.origin: at for at, menu in enumerate(written.menus)}
        self.from_: dict[int, tuple[int, int]] = {}
        self.contents = {(c.kind, c.id): c for c in written.contents}
        self.unread: dict[str, dict[int, set[str]]] | None = None
        self.outside: set[int] = set()

    def run(self) -> Audited:
        """Compare everything."""
        for side in self.sides:
            there = [-1] * len(side.rows)
            for row in range(len(side.rows)):
                place = self.lineage.get((side.number, "item", row))
                if place is None:
                    continue
                at = self.places.get(place)
                if at is None:
                    self.problems.append(f"nothing was read back at {place}")
                else:
                    there[row] = at
                    self.from_[at] = (side.number, row)
            side.there = there
        records = (self.lineage.get((one.side, "item", one.number)) for one in self.went.values())
        # Rows read back in which something of the source stands that came from another record.
        self.arrived = {self.places.get(place or "", -1) for place in records}
        made = {place for (side, _, _), place in self.lineage.items() if side == 2}
        for at, thing in enumerate(self.rows.things):
            if at not in self.from_ and thing.origin not in made:
                name = thing.label if isinstance(thing, Item) else thing.origin
                self.problems.append(f"“{name}” was written, but comes from nowhere")
        for side in self.sides:
            self._menus(side)
            self._items(side)
            self._site(side)
        self.problems += self.account.problems(self.losses, self._names_of, self._placed)
        total = sum(self.account.totals.values())
        # Of a destination the menus count, and not the contents that it has.
        read = sum(
            facts.count(side.site, side.rows, contents=not side.number, without=side.without)
            for side in self.sides
        )
        if total != read:
            self.problems.append(f"{read} facts were read, and {total} were compared")
        counts = {"total": read} | {name: self.account.totals[name] for name in OUTCOMES}
        first = self.sides[0]
        links = self._links()
        seen = first.seen, self.seen
        stayed = {at for side in self.sides[1:] for at in side.there if at >= 0}
        return Audited(counts, self.problems, *seen, links, self.outside, first.there, stayed)

    def _links(self) -> Linked:
        """Where the links of the source stand now."""
        there, rows = self.sides[0].there, self.sides[0].rows
        # Only what opens a panel, or stands in one, has links beside that of an item.
        some = rows.panelled and {
            row for row, thing in enumerate(rows.things) if type(thing) is not Item or thing.panel
        }
        looked_at: Collection[int] = range(len(rows)) if self.went else some
        apart: dict[tuple[int, int], tuple[int, Target]] = {}
        for row in looked_at:
            for nth, name in enumerate(links_of(rows.things[row])):
                now = self._link(row, name)
                if now is not None:
                    apart[row, nth] = now
        return Linked(there, self.rows.things, looked_at, apart)

    def _link(self, row: int, name: str) -> tuple[int, Target] | None:
        """The row read back in which a link of the source stands now, and where that leads."""
        at, into = self.sides[0].there[row], name
        went = self.went.get((row, name)) if self.went else None
        if went is not None:
            place = self.lineage.get((went.side, "item", went.number))
            at, into = self.places.get(place or "", -1), went.into
        if at < 0:
            return None
        target = links_of(self.rows.things[at]).get(into)
        return (at, target) if target is not None else None

    # Menus, placements

    def _menus(self, side: Side) -> None:
        placements = side.site.placements()
        placed = self.written.placements()
        ours = {at for (number, scope, _), at in self.lineage.items() if (number, scope) == OURS}
        shown_at: dict[str, list[tuple[int, Location]]] = {}
        for number, location in enumerate(side.site.locations):
            for ident in dict.fromkeys(location.menus):
                shown_at.setdefault(ident, []).append((number, location))
        for index, menu in enumerate(side.site.menus):
            if index in side.without:
                continue
            audience = audience_of(menu, placements)
            names = list(facts.of_menu(menu, audience))
            place = self.lineage.get((side.number, "menu", index))
            at = self.menus.get(place) if place is not None else None
            mine = shown_at.get(menu.id, [])
            if at is None:
                self.account.gone(side.number, "menu", {index: len(names)})
                if mine:
                    self.account.gone(side.number, "place", {index: len(mine)})
                continue
            other = self.written.menus[at]
            was = facts.of_menu(menu, audience)
            is_now = facts.of_menu(other, audience_of(other, placed))
            for name in names:
                if name.startswith("extra:"):
                    continue
                outcome: Outcome = "kept" if is_now.get(name) == was[name] else "altered"
                if outcome != "kept" and name in ("rule", "audience", "language"):
                    outcome = "dropped"
                self.account.end(side.number, "menu", index, name, outcome)
            for name in facts.new_in(was, is_now):
                if name == "rule" and other.gathers is not None:
                    continue  # the form of all menus that are generated from pages
                if name == "audience" and (not mine or (side.number and place in ours)):
                    continue  # nobody saw it before, or its record is that of another menu now
                self.account.made_up(side.number, "menu", index, name)
            self._extras(side, "menu", index, menu.extras, other.extras, self._others(side, place))
            before = [(location.purpose, location.audience) for _, location in mine]
            now = placed.get(other.id, [])
            elsewhere = any((there.purpose, there.audience) not in before for there in now)
            # At its own platform a location that the menu had before stands for no other one.
            had = {location.name for _, location in mine} if side.same else set()
            stand_in = [(p.purpose, p.audience) for p in now if p.name not in had]
            for number, location in mine:
                outcome = "moved" if elsewhere else "dropped"
                if any(there.name == location.name for there in now):
                    outcome = "kept"
                elif (location.purpose, location.audience) in stand_in:
                    outcome = "restated"
                self.account.end(side.number, "place", index, f"placement:{number}", outcome)
        known = {place for (_, scope, _), place in self.lineage.items() if scope == "menu"}
        if side is self.sides[-1]:
            for menu in self.written.menus:
                if menu.origin not in known:
                    self.problems.append(f"menu {menu.key!r} was written, but comes from nowhere")

    def _others(self, side: Side, place: str | None) -> set[str]:
        """The unread data that a menu has from another side, whose record it is written into."""
        if self.unread is None:
            self.unread = {}
            for other in self.sides:
                for index, menu in enumerate(other.site.menus):
                    there = self.lineage.get((other.number, "menu", index))
                    names = {extra_fact(extra) for extra in menu.extras}
                    if there is not None and names:
                        self.unread.setdefault(there, {})[other.number] = names
        found = self.unread.get(place or "", {})
        return {name for number, names in found.items() if number != side.number for name in names}

    # Items

    def _items(self, side: Side) -> None:
        # Three passes, since each needs the whole of the one before: who is above whom now, which
        # siblings changed their order among themselves, and only then what the rows say: column by
        # column, and by itself only what differs in one.
        moved, shuffled = self._places(side)
        rows, there = side.rows, side.there
        counted = [row for row, menu in enumerate(rows.menu) if menu not in side.without]
        gone = [row for row in counted if there[row] < 0]
        left = [row for row in counted if there[row] >= 0] if gone else counted
        if gone:
            self._gone(side, gone)
        items = left
        if rows.panelled or self.rows.panelled:
            items = []
            for row in left:
                thing, other = rows.things[row], self.rows.things[there[row]]
                if isinstance(thing, Piece):
                    self._block(side, row, thing, other)
                elif isinstance(other, Piece):
                    self.problems.append(f"“{thing.label}” was read back as a block of a panel")
                else:
                    items.append(row)
        self._stand(side, left, "order", shuffled)
        self._stand(side, items, "parent", moved)
        self._seen(side, left)
        direct = [row for row in left if side.direct(row)] if side.spots else []
        for row in direct:
            self._column(side, row)
        rest = sum([side.counts[row] for row in items]) - len(facts.ITEM) * len(items)
        rest -= len(set(direct).intersection(items)) if direct else 0
        rest -= self._say(side, Joined(rows, items, self.rows, [there[row] for row in items]))
        self.account.keep(rest)

    def _gone(self, side: Side, gone: Sequence[int]) -> None:
        """Rows that are not there any more; a label of theirs may be that of another one now."""
        self.account.gone(side.number, "item", {row: side.counts[row] for row in gone})
        for row in gone if self.went and not side.number else ():
            if self._elsewhere(side, row, "label") == getattr(side.rows.things[row], "label", ""):
                self.account.totals["dropped"] -= 1
                self.account.totals["moved"] += 1

    def _stand(self, side: Side, rows: Sequence[int], name: str, elsewhere: set[int]) -> None:
        """Whether rows stand where they did, by the fact of this name."""
        changed = [row for row in rows if row in elsewhere] if elsewhere else []
        self.account.end_all(side.number, "item", changed, name, "moved")
        self.account.keep(len(rows) - len(changed))

    def _seen(self, side: Side, rows: Sequence[int]) -> None:
        """Whether those who saw rows see them."""
        was, now, there = side.seen, self.seen, side.there
        changed: dict[tuple[Seen, Seen], list[int]] = {}
        for row in rows:
            if was[row] != now[there[row]]:
                changed.setdefault((was[row], now[there[row]]), []).append(row)
        for (before, after), numbers in changed.items():
            outcome: Outcome = "altered" if after or not before else "dropped"
            self.account.end_all(side.number, "item", numbers, "shown", outcome)
        self.account.keep(len(rows) - sum(map(len, changed.values())))

    def _say(self, side: Side, joined: Joined) -> int:
        """What items say of themselves. Returns how many facts it told of those not all have."""
        end_all, number = self.account.end_all, side.number
        count, told = len(joined.rows), 0
        end_all(number, "item", joined.rows, "item", "kept")
        labels = sorted({*joined.differ("label"), *joined.differ("inherited")})
        for row in labels:
            thing, other = side.rows.things[row], self.rows.things[side.there[row]]
            assert isinstance(thing, Item) and isinstance(other, Item)
            frozen = thing.inherited and not other.inherited
            same = thing.label == other.label and not frozen
            self.account.end(number, "item", row, "label", "kept" if same else "altered")
        roles = joined.differ("role")
        end_all(number, "item", roles, "role", "altered")
        self.account.keep(2 * count - len(labels) - len(roles))
        self._lead(side, joined)
        told += self._traits(side, joined)
        for row, was, now in joined.changed("hidden"):
            if was:
                told += 1
                self.account.end(number, "item", row, "hidden", "dropped")
            if now:
                self.account.made_up(number, "item", row, "hidden")
        told += self._words(side, joined)
        for row, was, now in joined.changed("extras"):
            told += len(was)
            self._extras(side, "item", row, was, now)
        if side.rows.panelled or self.rows.panelled:
            for row in joined.rows:
                panels = _panel_of(side.rows, row), _panel_of(self.rows, side.there[row])
                told += len(facts.of_panel(panels[0])) if panels[0] is not None else 0
                self._panel(side, row, *panels)
        return told

    def _lead(self, side: Side, joined: Joined) -> None:
        """Where items lead. One whose target went into another record is looked for there."""
        became: dict[tuple[Target, Target], list[int]] = {}
        went = self.went if not side.number else {}
        for row, was, now in zip(joined.rows, *joined.of("target"), strict=True):
            if went and (row, "target") in went:
                link = self._link(row, "target")
                outcome = self._target(side, was, link[1]) if link is not None else "dropped"
                outcome = "moved" if outcome in AS_IT_WAS else outcome
                self.account.end(side.number, "item", row, "target", outcome)
            else:
                became.setdefault((was, now), []).append(row)
        # Of the same targets there are many.
        for (was, now), rows in became.items():
            outcome = self._target(side, was, now)
            self.account.end_all(side.number, "item", rows, "target", outcome)

    def _traits(self, side: Side, joined: Joined) -> int:
        """The traits of items; how many facts of them it told."""
        told = 0
        became: dict[tuple[Traits, Traits], list[int]] = {}
        for row, *traits in joined.changed("traits"):
            became.setdefault((traits[0], traits[1]), []).append(row)
        for (before, after), rows in became.items():
            was, now = said_traits(before), said_traits(after)
            given, there = set_traits(was), set_traits(now)
            told += len(set_traits(before)) * len(rows)
            for name in given:
                same = getattr(was, name) == getattr(now, name)
                outcome: Outcome = "kept" if same else "altered" if name in there else "dropped"
                self.account.end_all(side.number, "item", rows, name, outcome)
            for name in (name for name in there if name not in given):
                for row in rows:
                    self.account.made_up(side.number, "item", row, name)
        return told

    def _words(self, side: Side, joined: Joined) -> int:
        """The labels of items in further languages; how many of them it told."""
        told = 0
        went = self.went if not side.number else {}
        lost: dict[str, list[int]] = {}
        for row, was, now in joined.changed("translations"):
            told += len(was)
            words = dict(now)
            for language, text in was:
                there = words.pop(language, None)
                fact = f"label@{language}"
                elsewhere = self._elsewhere(side, row, fact) if went and there is None else None
                if there is None and elsewhere is None:
                    lost.setdefault(fact, []).append(row)
                    continue
                outcome: Outcome = "kept" if there == text else "altered"
                if elsewhere is not None:
                    outcome = "moved" if elsewhere == text else "altered"
                self.account.end(side.number, "item", row, fact, outcome)
            for language in words:
                if side.number or (row, f"label@{language}") not in self.given:
                    self.account.made_up(side.number, "item", row, f"label@{language}")
        for fact, rows in lost.items():
            self.account.end_all(side.number, "item", rows, fact, "dropped")
        return told

    def _places(self, side: Side) -> tuple[set[int], set[int]]:
        """The rows that stand below another one now, and those in another order."""
        rows, there = side.rows, side.there
        things, now = rows.things, self.rows.things
        survivor = [-1] * len(things)
        groups: dict[tuple[int, int, int, int], list[int]] = {}
        moved: set[int] = set()
        for row in self._elsewhere_perhaps(side):
            at = there[row]
            parent = rows.parent[row]
            survivor[row] = row if at >= 0 else (survivor[parent] if parent >= 0 else -1)
            if at < 0:
                continue
            thing = things[row]
            if type(thing) is type(now[at]):
                key = (rows.menu[row], parent, self.rows.menu[at], self.rows.parent[at])
                groups.setdefault(key, []).append(row)
            expected = survivor[parent] if parent >= 0 else -1
            if type(thing) is not Piece and not self._same_parent(side, row, at, expected):
                moved.add(row)
                if not side.number and expected >= 0 and self._is_outside(side, row, expected):
                    self.outside.add(at)
        shuffled: set[int] = set()
        for members in groups.values():
            if len(members) > 1:
                positions = [self.rows.position[there[row]] for row in members]
                shuffled.update(members[n] for n in out_of_order(positions))
        return moved, shuffled

    def _elsewhere_perhaps(self, side: Side) -> Iterator[int]:
        """The rows of all menus but those in which every row stands as it did."""
        for index in range(len(side.site.menus)):
            span = side.rows.of_menu(index)
            there = side.there[span.start : span.stop]
            menu = in_place(side.rows, span, there, self.rows)
            place = self.lineage.get((side.number, "menu", index))
            if menu < 0 or place is None or self.menus.get(place) != menu:
                yield from span

    def _is_outside(self, side: Side, row: int, expected: int) -> bool:
        """Whether a row stands in its menu beside what it stood in, and in no panel."""
        at, holder = side.there[row], side.there[expected]
        place = self.lineage.get((side.number, "menu", side.rows.menu[row]))
        if at in self.spots or self.menus.get(place or "") != self.rows.menu[at]:
            return False
        above = self.rows.parent[at]
        while above >= 0 and above != holder:
            above = self.rows.parent[above]
        return above < 0

    def _same_parent(self, side: Side, row: int, at: int, expected: int) -> bool:
        parent = self.rows.parent[at]
        if parent < 0:
            if expected >= 0:
                return False
            place = self.lineage.get((side.number, "menu", side.rows.menu[row]))
            return place is not None and self.menus.get(place) == self.rows.menu[at]
        return expected >= 0 and self.from_.get(parent) == (side.number, expected)

    def _block(self, side: Side, row: int, thing: Piece, other: Item | Piece) -> None:
        """What a block of a panel says, and where its links lead."""
        alike = isinstance(other, Piece) and type(thing.holds) is type(other.holds)
        self.account.end(side.number, "item", row, "block", "kept" if alike else "altered")
        same = alike and facts.of_piece(thing)["holds"] == facts.of_thing(other)["holds"]
        self.account.end(side.number, "item", row, "holds", "kept" if same else "altered")
        self._block_links(side, row, thing, other)

    def _block_links(self, side: Side, row: int, thing: Piece, other: Item | Piece) -> None:
        """Each link that a block holds: in the block, or where it went."""
        there = links_of(other) if isinstance(other, Piece) else {}
        known: set[str] = set()
        for name, was in links_of(thing).items():
            into = name
            if side.number == 0:
                now = self._link(row, name)
                went = self.went.get((row, name))
                into = went.into if went is not None else name
                target = now[1] if now is not None else None
            else:
                target = there.get(name)
            known.add(into)
            if target is None:
                # A picture that leads nowhere says the same as one that says nothing of it.
                self.account.end(
                    side.number, "item", row, name, "kept" if was.kind == "none" else "dropped"
                )
                continue
            outcome = self._target(side, was, target)
            if not isinstance(other, Piece) and outcome == "kept":
                outcome = "restated"
            self.account.end(side.number, "item", row, name, outcome)
        for name, target in there.items():
            if name not in known and target.kind != "none":
                self.account.made_up(side.number, "item", row, name)

    def _elsewhere(self, side: Side, row: int, fact: str) -> str | None:
        """What a label of the source is in the other record that it went into, as read back."""
        went = self.went.get((row, fact)) if side.number == 0 and self.went else None
        if went is None:
            return None
        at = self.places.get(self.lineage.get((went.side, "item", went.number), ""), -1)
        there = self.rows.things[at] if at >= 0 else None
        if not isinstance(there, Item):
            return None
        if went.into == "label":
            return there.label
        return dict(there.translations).get(went.into.removeprefix("label@"))

    # Panels

    def _column(self, side: Side, row: int) -> None:
        """Whether a row that stands in a panel itself is still in the same column of it."""
        elsewhere = self._columns(side, side.spots[row].owner).elsewhere.get(row)
        outcome: Outcome = "kept"
        if elsewhere is not None:
            outcome = "moved" if elsewhere == "moved" else "dropped"
        self.account.end(side.number, "item", row, "column", outcome)

    def _columns(self, side: Side, owner: int) -> facts.Columns:
        """How the columns of a panel compare with those that were read back."""
        found = side.columns.get(owner)
        if found is not None:
            return found
        at = side.there[owner]
        panel, there = _panel_of(side.rows, owner), _panel_of(self.rows, at)
        direct = [
            (row, side.spots[row], isinstance(side.rows.things[row], Piece))
            for row in side.rows.below(owner)
            if side.spots[row].direct
        ]
        spots = {row: self.spots.get(side.there[row]) for row, _, _ in direct}
        now = {row: spot for row, spot in spots.items() if spot is not None and spot.owner == at}
        full = {self.spots[row].column for row in self.rows.below(at)} if there else set()
        empty = [n for n in range(len(there.columns)) if n not in full] if there else []
        found = side.columns[owner] = facts.columns_of(
            len(panel.columns) if panel else 0, direct, now, lambda row: side.there[row] >= 0, empty
        )
        return found

    def _panel(self, side: Side, row: int, was: Panel | None, now: Panel | None) -> None:
        if was is None:
            if now is not None:
                self.account.made_up(side.number, "item", row, "panel")
            return
        given = facts.of_panel(was)
        if now is None:
            for name, value in given.items():
                pane = name.startswith("column-target:")
                gone: Outcome = self._of_pane(side, row, name, value, None) if pane else "dropped"
                self.account.end(side.number, "item", row, name, gone)
            return
        there = facts.of_panel(now)
        matched = self._columns(side, row).matched
        stand: dict[int, int] = {}  # by column read back the first column that it stands for
        for at, column in enumerate(matched):
            if column is not None:
                stand.setdefault(column, at)
        for name, value in given.items():
            kind, _, number = name.partition(":")
            if not number:
                self.account.end(
                    side.number,
                    "item",
                    row,
                    name,
                    "kept" if there.get(name) == value else "altered",
                )
                continue
            column = matched[int(number)]
            if kind == "column-target":
                self.account.end(
                    side.number, "item", row, name, self._of_pane(side, row, name, value, column)
                )
                continue
            outcome: Outcome = "dropped" if column is None else "altered"
            if column is not None and stand[column] == int(number):
                same = there.get(f"{kind}:{column}") == value
                outcome = "kept" if same else "altered"
            self.account.end(side.number, "item", row, name, outcome)
        new = facts.new_in(given, there)
        new += facts.new_of_columns(stand, given, there)
        # A column that stands for none is said by what came into it; one of nothing else is new.
        sourced = {
            self.spots[at].column
            for at in self.rows.below(side.there[row])
            if self.from_.get(at, (-1, 0))[0] == side.number or at in self.arrived
        }
        new += [
            f"column:{at}"
            for at in range(len(now.columns))
            if at not in stand and at not in sourced
        ]
        for name in new:
            self.account.made_up(side.number, "item", row, name)

    def _of_pane(self, side: Side, row: int, name: str, was: Target, column: int | None) -> Outcome:
        """What became of the link of a pane: it is one of a pane still, or went elsewhere."""
        went = self.went.get((row, name)) if side.number == 0 else None
        if went is None:
            panel = _panel_of(self.rows, side.there[row])
            there = panel.columns[column].target if panel and column is not None else None
            return "dropped" if there is None else self._target(side, was, there)
        now = self._link(row, name)
        outcome = self._target(side, was, now[1]) if now is not None else "dropped"
        within = (went.side, went.number) == (0, row)
        return "restated" if outcome == "kept" and not within else outcome

    # Targets and unread data

    def _target(self, side: Side, was: Target, now: Target) -> Outcome:
        if side.same:
            nowhere = was.kind == now.kind == "none"  # however the file says so
            return "kept" if nowhere or was == now else "altered"
        if was.address is not None and was.address == now.address and was.kind in _AS_READ:
            return "kept"
        if was.kind == "product" and was.content is None and was.address is None:
            return self._product(was, now)
        before = side.hosts.read(was.address) if was.address is not None else None
        after = self.hosts.read(now.address) if now.address is not None else None
        tails = [normal_tail(parts.tail) if parts else "" for parts in (before, after)]
        if was.content is not None or (was.kind == "page" and before is not None):
            ident = was.content if was.content is not None else before.path if before else ""
            pair = self.table.get((was.kind, ident))
            ends = (now.kind, now.content)
            if now.content is None and after is not None and after.kind in ("page", "home"):
                ends = ("page", after.path)  # a page that is known by its address only
            kinds = (was.kind, "home") if was.content is not None else (now.kind,)
            if pair is None or pair != ends or now.kind not in kinds:
                return "altered"
            if tails[0] != tails[1]:
                return "altered"
            return "kept" if pair[1] == was.content and was.address == now.address else "restated"
        if was.kind == "home" and now.content is not None and tails[0] == tails[1]:
            there = self.contents.get((now.kind, now.content))
            root = there is not None and there.path is not None
            if root and there is not None and self.hosts.read(there.path or "").kind == "home":
                return "restated"
        if was.kind == now.kind == "file" and before is not None and after is not None:
            # The same file of the site, said from its root.
            same = before.path == after.path and tails[0] == tails[1]
            return "restated" if same and (now.address or "").startswith("/") else "altered"
        if was.kind != now.kind or was.kind in CONTENT_KINDS:
            return "altered"
        if was.kind in _AS_READ:
            return "kept" if was.address == now.address else "altered"
        return "kept" if tails[0] == tails[1] else "altered"

    def _product(self, was: Target, now: Target) -> Outcome:
        """A product that a block names by its key: the destination's of the same key."""
        if was == now:
            return "kept"
        there = self.contents.get((now.kind, now.content or ""))
        named = there is not None and was.key in (there.key, there.id)
        pair = self.table.get((was.kind, was.key or ""))
        matched = pair is not None and pair == (now.kind, now.content)
        return "restated" if now.kind == was.kind and (named or matched) else "altered"

    def _extras(
        self,
        side: Side,
        scope: str,
        number: int,
        was: Sequence[Extra],
        now: Sequence[Extra],
        others: set[str] | frozenset[str] = frozenset(),
    ) -> None:
        left = {extra_fact(extra): extra.value for extra in now}
        for extra in was:
            name = extra_fact(extra)
            if name not in left:
                self.account.end(side.number, scope, number, name, "dropped")
                continue
            same = left.pop(name) == extra.value
            self.account.end(side.number, scope, number, name, "kept" if same else "altered")
        self.problems += [
            f"unread data was written that nobody asked for: {name}"
            for name in left
            if name not in others
        ]

    # The site and its contents

    def _site(self, side: Side) -> None:
        other = {extra_fact(e): e.value for e in self.written.extras}
        for at, extra in enumerate(side.site.extras):
            name = extra_fact(extra)
            if side.number == 0 and not side.same:
                outcome: Outcome = "dropped"
            elif name not in other:
                outcome = "dropped"
            else:
                outcome = "kept" if other[name] == extra.value else "altered"
            self.account.end(side.number, "site", at, name, outcome)
        if side.number:
            return
        pointed = facts.pointed_to(side.rows)
        for at, content in enumerate(side.site.contents):
            pair = (content.kind, content.id)
            there = self.contents.get(pair if side.same else self.table.get(pair, ("", "")))
            for extra in content.extras:
                same = side.same and there is not None and extra in there.extras
                self.account.end(
                    side.number, "content", at, extra_fact(extra), "kept" if same else "dropped"
                )
            if pair in pointed:
                self._content(side, at, content, there)

    def _content(self, side: Side, at: int, content: Content, there: Content | None) -> None:
        for name in facts.of_content(content):
            now = getattr(there, name) if there is not None else None
            outcome: Outcome = "dropped" if now is None else "altered"
            if now == getattr(content, name):
                outcome = "kept"
            self.account.end(side.number, "content", at, name, outcome)

    # Losses and outcomes

    def _placed(self, side: int, menu: int) -> bool:
        """Whether a location of a side shows a menu of it."""
        site = self.sides[side].site
        return any(site.menus[menu].id in place.menus for place in site.locations)

    def _names_of(self, side: int, row: int) -> list[str]:
        """The names of the facts of a row."""
        one = self.sides[side]
        return facts.names_of(one.rows.things[row], direct=one.direct(row))


def _panel_of(rows: Rows, row: int) -> Panel | None:
    thing = rows.things[row] if row >= 0 else None
    return thing.panel if isinstance(thing, Item) else None


OURS = (0, "menu")
_AS_READ = frozenset({"mail", "phone", "external", "fragment", "file"})
