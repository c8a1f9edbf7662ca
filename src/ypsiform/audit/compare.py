"""The comparison: every fact gets its outcome, and the losses must agree with the outcomes.

The two sides are joined on places: where the writer says that a record went, and where what was
read back stood. Lineage says what to compare, never how the comparison ends.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from typing import Any

from msgspec import Struct

from ..addresses import Hosts, normal_tail
from ..findings import EVERY, OUTCOMES, Finding, Outcome
from ..fit.extras import extra_fact
from ..fit.panels import panel_facts
from ..fit.work import Told
from ..markup import bare, bare_text
from ..model import (
    CONTENT_KINDS,
    NOWHERE,
    Content,
    Extra,
    Held,
    Item,
    Panel,
    Piece,
    Rows,
    Site,
    Target,
    set_traits,
    targets_of,
)
from ..order import out_of_order
from ..visibility import Seen, audience_of, shown
from . import facts

Pair = tuple[str, str]
Fact = tuple[int, str, int, str]


class Audited(Struct):
    """The outcome of an audit. `facts` has the seven totals; `problems` is empty if all is well.

    `after` holds for each row of the source the row read back, -1 where there is none.
    """

    facts: dict[str, int]
    problems: list[str]
    before_seen: list[Seen]
    after_seen: list[Seen]
    after: list[int]


class Side:
    """What was read on one side, and what became of it."""

    def __init__(self, number: int, site: Site, rows: Rows, seen: list[Seen], same: bool) -> None:
        self.number, self.site, self.rows, self.same = number, site, rows, same
        self.hosts = Hosts(site.addresses)
        self.seen = seen
        self.there: list[int] = []


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
        told: Sequence[Told] = (),
        opened: Collection[int] = (),
    ) -> None:
        self.sides, self.written, self.rows, self.lineage = sides, written, rows, lineage
        self.losses = losses
        # Items of the source that are meant to open a panel, which they did not.
        self.opened = opened
        self.told = {(one.row, one.fact): one for one in told}
        self.given = {(one.number, one.language): one for one in told if one.side == 0}
        self.table = {source: there for source, there, _ in matches}
        self.hosts = Hosts(written.addresses)
        self.seen = shown(written, rows)
        self.totals: Counter[str] = Counter()
        self.changed: list[tuple[Fact, Outcome]] = []
        self.gone: dict[tuple[int, str, int], int] = {}
        self.problems: list[str] = []
        self.places = {thing.origin: at for at, thing in enumerate(rows.things)}
        self.menus = {menu.origin: at for at, menu in enumerate(written.menus)}
        self.from_: dict[int, tuple[int, int]] = {}
        self.contents = {(c.kind, c.id): c for c in written.contents}
        self.unread: dict[str, dict[int, set[str]]] | None = None

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
        counts = {"total": total} | {name: self.totals[name] for name in OUTCOMES}
        first = self.sides[0]
        return Audited(counts, self.problems, first.seen, self.seen, first.there)

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
        for index, menu in enumerate(side.site.menus):
            audience = audience_of(menu, placements)
            names = facts.of_menu(menu, audience)
            place = self.lineage.get((side.number, "menu", index))
            at = self.menus.get(place) if place is not None else None
            mine = [(n, p) for n, p in enumerate(side.site.locations) if menu.id in p.menus]
            if at is None:
                self._all_gone(side, "menu", index, len(names))
                if mine:
                    self._all_gone(side, "place", index, len(mine))
                continue
            other = self.written.menus[at]
            values = {
                "menu": True,
                "title": menu.title == other.title,
                "rule": menu.rule == other.rule,
                "audience": audience == audience_of(other, placed),
            }
            for name in names:
                if name in values:
                    outcome: Outcome = "kept" if values[name] else "altered"
                    if not values[name] and name in ("rule", "audience"):
                        outcome = "dropped"
                    self._end(side, "menu", index, name, outcome)
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
        rows, there = side.rows, side.there
        things = rows.things
        survivor: list[int] = []
        groups: dict[tuple[int, int, int, int], list[int]] = {}
        moved: set[int] = set()
        kept = 0
        for row, thing in enumerate(things):
            at = there[row]
            parent = rows.parent[row]
            survivor.append(row if at >= 0 else (survivor[parent] if parent >= 0 else -1))
            if at < 0:
                continue
            if type(thing) is type(self.rows.things[at]):
                key = (rows.menu[row], parent, self.rows.menu[at], self.rows.parent[at])
                groups.setdefault(key, []).append(row)
            expected = survivor[parent] if parent >= 0 else -1
            if type(thing) is not Piece and not self._same_parent(side, row, at, expected):
                moved.add(row)
        shuffled: set[int] = set()
        for members in groups.values():
            if len(members) > 1:
                positions = [self.rows.position[there[row]] for row in members]
                shuffled.update(members[n] for n in out_of_order(positions))
        for row, thing in enumerate(things):
            at = there[row]
            if at < 0:
                self._all_gone(side, "item", row, facts.count(thing))
                if self._elsewhere(side, row, "label") == getattr(thing, "label", ""):
                    self.totals["dropped"] -= 1
                    self.totals["moved"] += 1
                continue
            other = self.rows.things[at]
            seen = side.seen[row] == self.seen[at]
            if (
                seen
                and row not in moved
                and row not in shuffled
                and type(thing) is Item
                and type(other) is Item
                and self._whole(side, thing, other)
            ):
                kept += facts.count(thing)
                continue
            self._thing(side, row, thing, other)
            if not seen:
                was, now = side.seen[row], self.seen[at]
                self._end(side, "item", row, "shown", "altered" if now or not was else "dropped")
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

    def _same_parent(self, side: Side, row: int, at: int, expected: int) -> bool:
        parent = self.rows.parent[at]
        if parent < 0:
            if expected >= 0:
                return False
            place = self.lineage.get((side.number, "menu", side.rows.menu[row]))
            return place is not None and self.menus.get(place) == self.rows.menu[at]
        return expected >= 0 and self.from_.get(parent) == (side.number, expected)

    def _whole(self, side: Side, thing: Item, other: Item) -> bool:
        """Whether two items say the same in every fact of their own."""
        target = thing.target
        return (
            thing.label == other.label
            and thing.inherited == other.inherited
            and (target == other.target)
            and (side.same or (target.content is None and target.address is None))
            and thing.role == other.role
            and (thing.traits is other.traits or thing.traits == other.traits)
            and thing.hidden == other.hidden
            and thing.translations == other.translations
            and thing.extras == other.extras
            and thing.panel is None
            and other.panel is None
        )

    def _thing(self, side: Side, row: int, thing: Item | Piece, other: Item | Piece) -> None:
        if isinstance(thing, Piece):
            same = isinstance(other, Piece)
            self._end(side, "item", row, "block", "kept" if same else "altered")
            self._end(side, "item", row, "holds", self._holds(side, thing, other))
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
        self._end(side, "item", row, "target", self._target(side, thing.target, other.target))
        self._traits(side, row, thing, other)
        words = dict(other.translations)
        for language, text in thing.translations:
            now = words.pop(language, None)
            outcome: Outcome = "kept" if now == text else "dropped" if now is None else "altered"
            there = self._elsewhere(side, row, f"label@{language}") if now is None else None
            if there is not None:
                outcome = "moved" if there == text else "altered"
            self._end(side, "item", row, f"label@{language}", outcome)
        if any((row, language) not in self.given or side.number for language in words):
            self.problems.append(f"“{thing.label}” was given labels that the source does not have")
        self._extras(side, "item", row, thing.extras, other.extras)
        self._panel(side, row, thing.panel, other.panel)

    def _elsewhere(self, side: Side, row: int, fact: str) -> str | None:
        """What a label of the source is in the other record that it went into, as read back."""
        told = self.told.get((row, fact)) if side.number == 0 and self.told else None
        if told is None:
            return None
        at = self.places.get(self.lineage.get((told.side, "item", told.number), ""), -1)
        there = self.rows.things[at] if at >= 0 else None
        if not isinstance(there, Item):
            return None
        return there.label if told.language is None else dict(there.translations).get(told.language)

    def _traits(self, side: Side, row: int, thing: Item, other: Item) -> None:
        given, there = set_traits(thing.traits), set_traits(other.traits)
        for name in given:
            same = getattr(thing.traits, name) == getattr(other.traits, name)
            outcome: Outcome = "kept" if same else "altered" if name in there else "dropped"
            self._end(side, "item", row, name, outcome)
        if there != given:
            new = [name for name in there if name not in given]
            self.problems += [f"“{thing.label}” was given the trait {name}" for name in new]
        if thing.hidden:
            self._end(side, "item", row, "hidden", "kept" if other.hidden else "dropped")
        elif other.hidden:
            self.problems.append(f"“{thing.label}” was switched off")

    def _panel(self, side: Side, row: int, was: Panel | None, now: Panel | None) -> None:
        if was is None:
            if now is not None and not (side.number == 0 and row in self.opened):
                self.problems.append("a panel was written that the source does not have")
            return
        values: dict[str, bool] = {"panel": now is not None}
        if now is not None:
            values["panel-style"] = was.style == now.style
            values["panel-opens"] = was.opens == now.opens
            values["panel-tone"] = was.tone == now.tone
            values["panel-width"] = was.full_width == now.full_width
            for at, (one, other) in enumerate(zip(was.columns, now.columns, strict=False)):
                values[f"column:{at}"] = True
                values[f"span:{at}"] = one.span == other.span
                values[f"column-label:{at}"] = one.label == other.label
        for name in panel_facts(was):
            same = values.get(name)
            outcome: Outcome = (
                "kept" if same else "dropped" if not same and now is None else "altered"
            )
            self._end(side, "item", row, name, outcome)

    def _holds(self, side: Side, thing: Piece, other: Item | Piece) -> Outcome:
        if not isinstance(other, Piece):
            return "altered"
        # A picture that leads nowhere says the same as one that says nothing of it.
        one, two = (
            [target for target in targets_of(block) if target != NOWHERE]
            for block in (thing, other)
        )
        was: Any = thing.holds
        now: Any = other.holds
        if type(was) is not type(now):
            return "altered"
        if was == now and (side.same or not one):
            return "kept"
        if len(one) != len(two) or _bare(was) != _bare(now):
            return "altered"
        outcomes = [self._target(side, a, b) for a, b in zip(one, two, strict=True)]
        return "altered" if "altered" in outcomes else "restated" if was != now else "kept"

    def _target(self, side: Side, was: Target, now: Target) -> Outcome:
        if side.same:
            return "kept" if was == now else "altered"
        if was.address is not None and was.address == now.address and was.kind in _AS_READ:
            return "kept"
        before = side.hosts.read(was.address) if was.address is not None else None
        after = self.hosts.read(now.address) if now.address is not None else None
        tails = [normal_tail(parts.tail) if parts else "" for parts in (before, after)]
        if was.content is not None or (was.kind == "page" and before is not None):
            ident = was.content if was.content is not None else before.path if before else ""
            pair = self.table.get((was.kind, ident))
            ends = (now.kind, now.content)
            if now.content is None and after is not None and after.kind in ("page", "home"):
                ends = ("page", after.path)  # a page that is known by its address only
            if pair is None or pair != ends or now.kind not in (was.kind, "home"):
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
        pointed = {
            (target.kind, target.content)
            for thing in side.rows.things
            for target in targets_of(thing)
            if target.content is not None
        }
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
        names = facts.of_thing(self.sides[side].rows.things[number])
        found = [single.pop((*key, name), None) is not None for name in names]
        return all(found)


def _bare(held: Held) -> list[Any]:
    """What a block says besides where it and the links in it lead."""
    return [
        bare(value) if name == "html" else bare_text(value) if name == "body" else value
        for name in held.__struct_fields__
        if name not in ("target", "links", "form")
        for value in [getattr(held, name)]
    ]


_AS_READ = frozenset({"mail", "phone", "external", "fragment", "file"})


def _said(key: tuple[int, str, int]) -> str:
    side, scope, number = key
    return f"{scope} {number} of the {'destination' if side else 'source'}"
