"""The comparison: every fact gets its outcome, and the losses must agree with the outcomes.

The two sides are joined on places: where the writer says that a record went, and where what was
read back stood. Lineage says what to compare, never how the comparison ends.
"""

# One class for all that two sides are compared by: its parts share what was found of both.

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Sequence

from msgspec import Struct

from .. import facts
from ..addresses import Hosts, normal_tail
from ..facts import NEW, Went, extra_fact
from ..findings import EVERY, OUTCOMES, Finding, Outcome
from ..model import (
    CONTENT_KINDS,
    Content,
    Extra,
    Item,
    Panel,
    Piece,
    Rows,
    Site,
    Target,
    links_of,
    said_traits,
    set_traits,
)
from ..order import out_of_order
from ..visibility import Seen, audience_of, shown
from .columns import in_place

Pair = tuple[str, str]
Fact = tuple[int, str, int, str]


class Audited(Struct):
    """The outcome of an audit. `facts` has the seven totals; `problems` is empty if all is well.

    `links` holds, for each link of the source by its row and number within it, the row read back
    in which it stands now and where that leads; links that are gone are left out. `outside` are
    rows read back whose nearest ancestor that is left is none of their ancestors any more. `there`
    is for each row of the source the row read back, -1 where it is gone. `stayed` are rows read
    back that the destination held before.
    """

    facts: dict[str, int]
    problems: list[str]
    before_seen: list[Seen]
    after_seen: list[Seen]
    links: dict[tuple[int, int], tuple[int, Target]]
    outside: set[int]
    there: list[int]
    stayed: set[int]


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
        self.totals: Counter[str] = Counter()
        self.became: dict[tuple[int, Target, Target], Outcome] = {}
        self.changed: list[tuple[Fact, Outcome]] = []
        # What the file says and its source does not; a finding must say so.
        self.new: set[Fact] = set()
        self.gone: dict[tuple[int, str, int], int] = {}
        self.problems: list[str] = []
        self.places = {thing.origin: at for at, thing in enumerate(rows.things)}
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
        self._agree()
        total = sum(self.totals.values())
        # Of a destination the menus count, and not the contents that it has.
        read = sum(
            facts.count(side.site, side.rows, contents=not side.number, without=side.without)
            for side in self.sides
        )
        if total != read:
            self.problems.append(f"{read} facts were read, and {total} were compared")
        counts = {"total": read} | {name: self.totals[name] for name in OUTCOMES}
        first = self.sides[0]
        links = self._links()
        seen = first.seen, self.seen
        stayed = {at for side in self.sides[1:] for at in side.there if at >= 0}
        return Audited(counts, self.problems, *seen, links, self.outside, first.there, stayed)

    def _links(self) -> dict[tuple[int, int], tuple[int, Target]]:
        """Where each link of the source stands now."""
        found: dict[tuple[int, int], tuple[int, Target]] = {}
        there, now_ = self.sides[0].there, self.rows.things
        for row, thing in enumerate(self.sides[0].rows.things):
            at = there[row]
            other = now_[at] if at >= 0 else None
            if not self.went and type(thing) is Item and thing.panel is None:
                if isinstance(other, Item):
                    found[row, 0] = at, other.target
                continue
            for nth, name in enumerate(links_of(thing)):
                now = self._link(row, name)
                if now is not None:
                    found[row, nth] = now
        return found

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

    def _end(self, side: Side, scope: str, number: int, fact: str, outcome: Outcome) -> None:
        self.totals[outcome] += 1
        if outcome not in ("kept", "restated"):
            self.changed.append(((side.number, scope, number, fact), outcome))

    def _all_gone(self, side: Side, scope: str, number: int, count: int) -> None:
        self.totals["dropped"] += count
        self.gone[side.number, scope, number] = count

    # Menus, placements

    def _menus(self, side: Side) -> None:
        placements = side.site.placements()
        placed = self.written.placements()
        ours = {at for (number, scope, _), at in self.lineage.items() if (number, scope) == OURS}
        for index, menu in enumerate(side.site.menus):
            if index in side.without:
                continue
            audience = audience_of(menu, placements)
            names = list(facts.of_menu(menu, audience))
            place = self.lineage.get((side.number, "menu", index))
            at = self.menus.get(place) if place is not None else None
            mine = [(n, p) for n, p in enumerate(side.site.locations) if menu.id in p.menus]
            if at is None:
                self._all_gone(side, "menu", index, len(names))
                if mine:
                    self._all_gone(side, "place", index, len(mine))
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
                self._end(side, "menu", index, name, outcome)
            for name in facts.new_in(was, is_now):
                if name == "rule" and other.gathers is not None:
                    continue  # the form of all menus that are generated from pages
                if name == "audience" and (not mine or (side.number and place in ours)):
                    continue  # nobody saw it before, or its record is that of another menu now
                self.new.add((side.number, "menu", index, NEW + name))
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
                self._end(side, "place", index, f"placement:{number}", outcome)
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
        # siblings changed their order among themselves, and only then what each row says.
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
        kept = 0
        went = bool(self.went) and not side.number
        for row, thing in enumerate(things):
            at = there[row]
            if side.without and rows.menu[row] in side.without:
                continue
            if at < 0:
                self._all_gone(side, "item", row, facts.count_of(thing, direct=side.direct(row)))
                if self._elsewhere(side, row, "label") == getattr(thing, "label", ""):
                    self.totals["dropped"] -= 1
                    self.totals["moved"] += 1
                continue
            other = now[at]
            seen = side.seen[row] == self.seen[at]
            if (
                row not in moved
                and row not in shuffled
                and type(thing) is Item
                and type(other) is Item
                and _alike(thing, other)
                and not (went and (row, "target") in self.went)
            ):
                kept += facts.count_of(thing, direct=False) - 1
                self._end(side, "item", row, "target", self._becomes(side, thing, other))
                if thing.translations != other.translations:
                    kept -= len(thing.translations)
                    self._words(side, row, thing, other)
                if not seen:
                    kept -= 1
                    self._shown(side, row, at)
                if side.spots and side.direct(row):
                    self._column(side, row)
                continue
            self._thing(side, row, thing, other)
            if side.direct(row):
                self._column(side, row)
            if not seen:
                self._shown(side, row, at)
            else:
                kept += 1
            if isinstance(thing, Item):
                for name, rows_changed in (("parent", moved), ("order", shuffled)):
                    if row in rows_changed:
                        self._end(side, "item", row, name, "moved")
                    else:
                        kept += 1
            elif row in shuffled:
                self._end(side, "item", row, "order", "moved")
            else:
                kept += 1
        self.totals["kept"] += kept

    def _elsewhere_perhaps(self, side: Side) -> Iterator[int]:
        """The rows of all menus but those in which every row stands as it did."""
        for index in range(len(side.site.menus)):
            span = side.rows.of_menu(index)
            there = side.there[span.start : span.stop]
            menu = in_place(side.rows, span, there, self.rows)
            place = self.lineage.get((side.number, "menu", index))
            if menu < 0 or place is None or self.menus.get(place) != menu:
                yield from span

    def _shown(self, side: Side, row: int, at: int) -> None:
        """Who sees a row is not who saw it."""
        was, now = side.seen[row], self.seen[at]
        self._end(side, "item", row, "shown", "altered" if now or not was else "dropped")

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

    def _becomes(self, side: Side, thing: Item, other: Item) -> Outcome:
        """What became of the target of an item; many items have the same one."""
        key = (side.number, thing.target, other.target)
        outcome = self.became.get(key)
        if outcome is None:
            outcome = self.became[key] = self._target(side, thing.target, other.target)
        return outcome

    def _thing(self, side: Side, row: int, thing: Item | Piece, other: Item | Piece) -> None:
        # Each fact ends once: one that went into another record is looked for there, and not here.
        if isinstance(thing, Piece):
            alike = isinstance(other, Piece) and type(thing.holds) is type(other.holds)
            self._end(side, "item", row, "block", "kept" if alike else "altered")
            same = alike and facts.of_piece(thing)["holds"] == facts.of_thing(other)["holds"]
            self._end(side, "item", row, "holds", "kept" if same else "altered")
            self._block_links(side, row, thing, other)
            return
        if isinstance(other, Piece):
            self.problems.append(f"“{thing.label}” was read back as a block of a panel")
            return
        self._end(side, "item", row, "item", "kept")
        frozen = thing.inherited and not other.inherited
        same = thing.label == other.label and not frozen
        self._end(side, "item", row, "label", "kept" if same else "altered")
        role: Outcome = "kept" if thing.role == other.role else "altered"
        self._end(side, "item", row, "role", role)
        went = side.number == 0 and (row, "target") in self.went
        now = self._link(row, "target") if went else None
        if went:
            outcome = self._target(side, thing.target, now[1]) if now is not None else "dropped"
            same = outcome in ("kept", "restated")
            self._end(side, "item", row, "target", "moved" if same else outcome)
        else:
            self._end(side, "item", row, "target", self._becomes(side, thing, other))
        self._traits(side, row, thing, other)
        self._words(side, row, thing, other)
        self._extras(side, "item", row, thing.extras, other.extras)
        self._panel(side, row, thing.panel, other.panel)

    def _words(self, side: Side, row: int, thing: Item, other: Item) -> None:
        """The labels in further languages."""
        words = dict(other.translations)
        for language, text in thing.translations:
            there = words.pop(language, None)
            outcome: Outcome
            outcome = "kept" if there == text else "dropped" if there is None else "altered"
            elsewhere = self._elsewhere(side, row, f"label@{language}") if there is None else None
            if elsewhere is not None:
                outcome = "moved" if elsewhere == text else "altered"
            self._end(side, "item", row, f"label@{language}", outcome)
        for language in words:
            if side.number or (row, f"label@{language}") not in self.given:
                self.new.add((side.number, "item", row, f"{NEW}label@{language}"))

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
                self._end(side, "item", row, name, "kept" if was.kind == "none" else "dropped")
                continue
            outcome = self._target(side, was, target)
            if not isinstance(other, Piece) and outcome == "kept":
                outcome = "restated"
            self._end(side, "item", row, name, outcome)
        for name, target in there.items():
            if name not in known and target.kind != "none":
                self.new.add((side.number, "item", row, NEW + name))

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

    def _traits(self, side: Side, row: int, thing: Item, other: Item) -> None:
        was, now = said_traits(thing.traits), said_traits(other.traits)
        given, there = set_traits(was), set_traits(now)
        for name in given:
            same = getattr(was, name) == getattr(now, name)
            outcome: Outcome = "kept" if same else "altered" if name in there else "dropped"
            self._end(side, "item", row, name, outcome)
        if thing.hidden:
            self._end(side, "item", row, "hidden", "kept" if other.hidden else "dropped")
        new = [name for name in there if name not in given] if there != given else []
        new += ["hidden"] if other.hidden and not thing.hidden else []
        self.new.update((side.number, "item", row, NEW + name) for name in new)

    # Panels

    def _column(self, side: Side, row: int) -> None:
        """Whether a row that stands in a panel itself is still in the same column of it."""
        elsewhere = self._columns(side, side.spots[row].owner).elsewhere.get(row)
        outcome: Outcome = "kept"
        if elsewhere is not None:
            outcome = "moved" if elsewhere == "moved" else "dropped"
        self._end(side, "item", row, "column", outcome)

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
                self.new.add((side.number, "item", row, f"{NEW}panel"))
            return
        given = facts.of_panel(was)
        if now is None:
            for name, value in given.items():
                pane = name.startswith("column-target:")
                gone: Outcome = self._of_pane(side, row, name, value, None) if pane else "dropped"
                self._end(side, "item", row, name, gone)
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
                self._end(
                    side, "item", row, name, "kept" if there.get(name) == value else "altered"
                )
                continue
            column = matched[int(number)]
            if kind == "column-target":
                self._end(side, "item", row, name, self._of_pane(side, row, name, value, column))
                continue
            outcome: Outcome = "dropped" if column is None else "altered"
            if column is not None and stand[column] == int(number):
                same = there.get(f"{kind}:{column}") == value
                outcome = "kept" if same else "altered"
            self._end(side, "item", row, name, outcome)
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
        self.new.update((side.number, "item", row, NEW + name) for name in new)

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
                self._end(side, scope, number, name, "dropped")
                continue
            same = left.pop(name) == extra.value
            self._end(side, scope, number, name, "kept" if same else "altered")
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
            self._end(side, "site", at, name, outcome)
        if side.number:
            return
        pointed = facts.pointed_to(side.rows)
        for at, content in enumerate(side.site.contents):
            pair = (content.kind, content.id)
            there = self.contents.get(pair if side.same else self.table.get(pair, ("", "")))
            for extra in content.extras:
                same = side.same and there is not None and extra in there.extras
                self._end(side, "content", at, extra_fact(extra), "kept" if same else "dropped")
            if pair in pointed:
                self._content(side, at, content, there)

    def _content(self, side: Side, at: int, content: Content, there: Content | None) -> None:
        for name in facts.of_content(content):
            now = getattr(there, name) if there is not None else None
            outcome: Outcome = "dropped" if now is None else "altered"
            if now == getattr(content, name):
                outcome = "kept"
            self._end(side, "content", at, name, outcome)

    # Losses and outcomes

    def _agree(self) -> None:
        """Every changed fact is covered by exactly one loss, and a loss covers nothing else."""
        # Counted from both ends, so that neither a change without a finding passes nor a finding
        # without one.
        whole: dict[tuple[int, str, int], int] = {}
        single: dict[Fact, int] = {}
        for index, loss in enumerate(self.losses):
            for cover in loss.covers:
                for number in cover.numbers:
                    key = (cover.side, cover.scope, number)
                    if cover.fact == EVERY:
                        if key in whole:
                            self.problems.append(f"{loss.code} covers {_said(key)} a second time")
                        whole[key] = index
                    elif (*key, cover.fact) in single:
                        self.problems.append(
                            f"{loss.code} covers {cover.fact} of {_said(key)} a second time"
                        )
                    else:
                        single[(*key, cover.fact)] = index
        for fact, outcome in self.changed:
            loss_of = single.pop(fact, None)
            if loss_of is not None and self.losses[loss_of].outcome == "by-hand":
                self.totals[outcome] -= 1
                self.totals["by-hand"] += 1
            if loss_of is None:
                side, scope, number, name = fact
                self.problems.append(
                    f"{name} of {_said((side, scope, number))} is {outcome}, and no finding says so"
                )
        for fact in sorted(self.new):
            if single.pop(fact, None) is None:
                side, scope, number, name = fact
                name = name.removeprefix(NEW)
                self.problems.append(
                    f"{name} of {_said((side, scope, number))} was made up, and no finding says so"
                )
        for key, count in self.gone.items():
            reason = whole.pop(key) if key in whole else None
            if reason is not None and self.losses[reason].outcome == "by-hand":
                self.totals["dropped"] -= count
                self.totals["by-hand"] += count
            if reason is None and not self._each(single, key):
                self.problems.append(f"{_said(key)} was dropped, and no finding says so")
        for fact, index in single.items():
            self.problems.append(
                f"{self.losses[index].code} reports {fact[3]} of {_said(fact[:3])}, which was kept"
            )
        for key, index in whole.items():
            if not (key[1] == "place" and not self._placed(key)):
                self.problems.append(
                    f"{self.losses[index].code} reports {_said(key)} as dropped, which was kept"
                )

    def _placed(self, key: tuple[int, str, int]) -> bool:
        site = self.sides[key[0]].site
        return any(site.menus[key[2]].id in place.menus for place in site.locations)

    def _each(self, single: dict[Fact, int], key: tuple[int, str, int]) -> bool:
        """Whether the facts of something dropped are covered one by one."""
        side, scope, number = key
        if scope != "item":
            return False
        names = facts.names_of(
            self.sides[side].rows.things[number], direct=self.sides[side].direct(number)
        )
        found = [single.pop((*key, name), None) is not None for name in names]
        return all(found)


def _alike(thing: Item, other: Item) -> bool:
    """Whether two items say the same, but for where they lead and in further languages."""
    return (
        thing.label == other.label
        and thing.inherited == other.inherited
        and thing.role == other.role
        and (thing.traits is other.traits or thing.traits == other.traits)
        and thing.hidden == other.hidden
        and thing.extras == other.extras
        and thing.panel is None
        and other.panel is None
    )


def _panel_of(rows: Rows, row: int) -> Panel | None:
    thing = rows.things[row] if row >= 0 else None
    return thing.panel if isinstance(thing, Item) else None


OURS = (0, "menu")
_AS_READ = frozenset({"mail", "phone", "external", "fragment", "file"})


def _said(key: tuple[int, str, int]) -> str:
    side, scope, number = key
    return f"{scope} {number} of the {'destination' if side else 'source'}"
