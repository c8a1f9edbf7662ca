"""What ties flat records into trees: parents, outlines, levels, lineages, labels, lists of ids."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from ..errors import FormatError
from ..model import NOWHERE, Item, Menu
from .records import Values
from .structures import (
    ColumnsTie,
    FlatTie,
    IndentedTie,
    IntervalsTie,
    LabelsTie,
    LevelTie,
    LineageTie,
    ListedTie,
    NumberTie,
    OutlineTie,
    ParentTie,
    StepsTie,
    TieRule,
)

IMPLIED = "implied:"
"""The start of the place of an item that has no record: its labels are only part of others'."""


MOST_LEVELS = 100_000
"""The deepest level that a record may say it stands on."""

LISTED_UNDER, LISTED_AT = " under", " at"
OF_MENU = "\0menu "
"""What lists a record, and where, as if the record had said so itself."""


Above = tuple[str, int]
"""The id of what an item stands below, empty at the top, and its rank among its siblings."""

Child = tuple[int, Item, int]
"""An item below another one: its rank, itself, and its place among the entries."""


class Odd(NamedTuple):
    """An item whose parent is missing, that is its own ancestor, or that skips a level."""

    code: str
    menu: Menu
    item: Item
    parent: str
    above: str | None = None


def whole(key: str | None, values: Values) -> int:
    """The whole number under a key, 0 where there is none."""
    if not key or key not in values:
        return 0
    text = values[key]
    try:
        return int(text)
    except ValueError:
        name = (key or "").lstrip("@")
        raise FormatError(f"{name}: {text!r} is not a whole number") from None


class Tied:
    """Flat records of one menu, to be tied into trees by what each one says of its place."""

    def __init__(self, menu: Menu) -> None:
        self.menu = menu
        self.entries: list[tuple[Item, str, int]] = []
        self.weighted = False
        self.open: list[str] = []
        self.jumps: list[Odd] = []
        self.paths: dict[tuple[str, ...], str] = {}
        # By their labels, groups without a record so far: where each stands among the entries.
        self.implied: dict[tuple[str, ...], int] = {}
        self.labelled = 0
        # Of records with a column for each level the labels down to the one before; of indented
        # ones how far those are that stand above the next; of all the bounds that they have.
        self.trail: list[str] = []
        self.widths: list[int] = []
        self.bounds: list[tuple[int, int]] = []
        self.filled: dict[str, str] = {}
        # What each item comes after, by its place among the entries, where that is how they stand.
        self.after: dict[int, str] | None = None

    def tie(self, rule: TieRule, item: Item, values: Values, place: str) -> None:
        """Take an item in, with its id, the id of its parent, and its order among siblings."""
        self.weighted = rule.weighted
        follows = rule.follows
        if follows:
            self.after = self.after if self.after is not None else {}
            self.after[len(self.entries)] = values.get(follows, "")
        found = _READ[type(rule)](self, rule, item, values, place)
        if found is not None:
            self.entries.append((item, *found))

    def _by_parent(self, rule: ParentTie, item: Item, values: Values, place: str) -> Above:
        item.id = values.get(rule.id or "") or (item.label if rule.named else "") or place
        under = values.get(rule.under or "", rule.top)
        return ("" if under == rule.top else under), whole(rule.order, values)

    def _by_order(self, rule: FlatTie, item: Item, values: Values, place: str) -> Above:
        item.id = values.get(rule.id or "") or place
        return "", whole(rule.order, values)

    def _by_list(self, rule: ListedTie, item: Item, values: Values, place: str) -> Above:
        item.id = values.get(rule.id or "") or place
        return values.get(LISTED_UNDER, ""), whole(LISTED_AT, values)

    def _by_level(self, rule: LevelTie, item: Item, values: Values, _: str) -> Above:
        _said(rule, values)
        level = whole(rule.number, values) - rule.start + 1
        if level > MOST_LEVELS:
            raise FormatError(f"{rule.number}: a level is {MOST_LEVELS:,} at most")
        if level < 1:
            said = level + rule.start - 1
            raise FormatError(f"{rule.number}: the level {said} is less than {rule.start}")
        item.id = f"{self.menu.key} {len(self.entries) + 1}"
        if level > len(self.open) + 1:
            levels = (level + rule.start - 1, len(self.open) + rule.start - 1)
            self.jumps.append(Odd("read.jump", self.menu, item, *map(str, levels)))
        del self.open[level - 1 :]
        above = self.open[-1] if self.open else ""
        self.open += [item.id] * (level - len(self.open))
        return above, 0

    def _by_lineage(self, rule: LineageTie, item: Item, values: Values, _: str) -> Above:
        parts = _said(rule, values).split(rule.between)
        item.id = values.get(rule.id or "") or parts[-1]
        return (parts[-2] if len(parts) > 1 else ""), whole(rule.order, values)

    def _by_outline(self, rule: OutlineTie, item: Item, values: Values, _: str) -> Above:
        number = _said(rule, values)
        parts = number.split(rule.between)
        if not all(part.isascii() and part.isdigit() for part in parts):
            raise FormatError(f"{rule.number}: {number!r} is not a place in an outline")
        places = [str(int(part)) for part in parts]
        item.id = f"{self.menu.key} {rule.between.join(places)}"
        above = f"{self.menu.key} {rule.between.join(places[:-1])}" if len(places) > 1 else ""
        return above, int(places[-1])

    def _by_labels(self, rule: LabelsTie, item: Item, values: Values, place: str) -> Above | None:
        """None for a record that stands for a group which records before it named."""
        parts = tuple(values.get(rule.number or "", "").split(rule.between))
        return self._below_labels(parts, rule, item, values, place)

    def _by_columns(self, rule: ColumnsTie, item: Item, values: Values, place: str) -> Above | None:
        cells = [values.get(column, "") for column in rule.columns]
        deepest = max((at for at, cell in enumerate(cells) if cell), default=-1)
        way: list[str] = []
        for at in range(deepest + 1):
            # What is not said again is as in the record before, as long as nothing above changed.
            if cells[at] or self.trail[:at] == way:
                way += [cells[at]] if cells[at] else self.trail[at : at + 1]
        if len(way) <= deepest:
            levels = str(deepest + 1), str(len(way))
            self.jumps.append(Odd("read.jump", self.menu, item, *levels))
        self.trail = way
        return self._below_labels(tuple(way), rule, item, values, place)

    def _by_indent(self, rule: IndentedTie, item: Item, values: Values, place: str) -> Above:
        text = _said(rule, values)
        found = INDENT.match(text)
        indent = found[0].expandtabs(4) if found is not None else ""
        item.label = item.label or text[found.end() if found is not None else 0 :].strip()
        self.labelled += 1
        item.id = values.get(rule.id or "") or f"{self.menu.key} {self.labelled}"
        while self.widths and self.widths[-1] >= len(indent):
            self.widths.pop()
            self.open.pop()
        above = self.open[-1] if self.open else ""
        self.widths.append(len(indent))
        self.open.append(item.id)
        return above, 0

    def _by_steps(self, rule: StepsTie, item: Item, values: Values, _: str) -> Above:
        way, width = _said(rule, values), rule.width
        place = {letter: at for at, letter in enumerate(rule.alphabet)}
        if not way or len(way) % width or any(letter not in place for letter in way):
            raise FormatError(f"{rule.number}: {way!r} is no way of steps of {width} letters")
        level = len(way) // width - rule.start + 1
        if level < 1:
            raise FormatError(f"{rule.number}: {way!r} has less than {rule.start} steps")
        if level > MOST_LEVELS:
            raise FormatError(f"{rule.number}: a level is {MOST_LEVELS:,} at most")
        called = f"{self.menu.key} {way}"
        item.id = values.get(rule.id or "") or called
        self.filled[called] = item.id
        rank = 0
        for letter in way[-width:]:
            rank = rank * len(place) + place[letter]
        return (f"{self.menu.key} {way[:-width]}" if level > 1 else ""), rank

    def _by_interval(self, rule: IntervalsTie, item: Item, values: Values, _: str) -> Above:
        missing = next((key for key in (rule.left, rule.right) if key not in values), None)
        if missing is not None:
            raise FormatError(f"it has no {missing.lstrip('@')}, which is needed")
        left, right = whole(rule.left, values), whole(rule.right, values)
        if left >= right:
            raise FormatError(f"the bound {left} is not less than the bound {right}")
        item.id = values.get(rule.id or "") or f"{self.menu.key} {left}"
        self.bounds.append((left, right))
        return f"{left} to {right}", left

    def _below_labels(
        self, parts: tuple[str, ...], rule: TieRule, item: Item, values: Values, place: str
    ) -> Above | None:
        # Not by the number of entries: a record that stands for a group adds none.
        self.labelled += 1
        item.id = values.get(rule.id or "") or f"{self.menu.key} {self.labelled}"
        if not item.label:
            item.label = parts[-1]
        above = ""
        for at in range(1, len(parts)):
            known = self.paths.get(parts[:at])
            if known is None:
                # The labels name a group that has no record of its own.
                known = f"{item.id} {at}"
                origin = f"{IMPLIED}{place} {at}"
                group = Item(known, parts[at - 1], NOWHERE, children=[], origin=origin)
                self.implied[parts[:at]] = len(self.entries)
                self.add(group, above, 0)
                self.paths[parts[:at]] = known
            above = known
        if parts in self.implied:
            self.filled[self.paths[parts]] = item.id
        self.paths[parts] = item.id
        at_group = self.implied.pop(parts, None)
        if at_group is None:
            return above, 0
        _, over, rank = self.entries[at_group]
        self.entries[at_group] = item, over, rank
        return None

    def add(self, item: Item, under: str, rank: int) -> None:
        """Take an item in, below the one with the id `under`, or at the top."""
        self.entries.append((item, under, rank))

    def build(self) -> list[Odd]:
        """Fill the menu, and name the items whose parent is missing or that form a ring.

        These come last at the top level, in file order; everything below them stays there.
        """
        at: dict[str, int] = {}
        for index, (item, _, _) in enumerate(self.entries):
            at.setdefault(item.id, index)
        filled = self.filled
        if self.bounds:
            parents = _inside_of(self.bounds)
        else:
            parents = [at.get(filled.get(u, u), -2) if u else -1 for _, u, _ in self.entries]
        ringed = ringed_of(parents)
        odd: list[Odd] = list(self.jumps)
        last: list[Item] = []
        below: dict[int, list[Child]] = {}
        for index, (item, under, rank) in enumerate(self.entries):
            parent = parents[index]
            if parent == -2 or index in ringed:
                code = "read.ring" if index in ringed else "read.orphan"
                odd.append(Odd(code, self.menu, item, under))
                last.append(item)
            else:
                below.setdefault(parent, []).append((rank, item, index))
        for parent, children in below.items():
            if self.after is not None:
                items = self._following([index for _, _, index in children], odd)
            else:
                children.sort(key=_by_weight if self.weighted else _by_rank)
                items = [item for _, item, _ in children]
            if parent < 0:
                self.menu.items = items
            else:
                self.entries[parent][0].children = items
        self.menu.items += last
        return odd

    def _in_order(self, here: list[int]) -> bool:
        """Whether each sibling comes after the one before it in the file, as most do."""
        assert self.after is not None
        before = ""
        seen: set[str] = set()
        for index in here:
            if self.after.get(index, "") != before:
                return False
            before = self.entries[index][0].id
            if not before or before in seen:
                return False
            seen.add(before)
        return True

    def _following(self, here: list[int], odd: list[Odd]) -> list[Item]:
        """Siblings, by their places among the entries, each behind the one that it comes after.

        Of several behind one the file gives the order. Behind them all stand those that come after
        none of their siblings, or form a ring.
        """
        assert self.after is not None
        if self._in_order(here):
            return [self.entries[index][0] for index in here]
        ids = {self.entries[index][0].id: index for index in reversed(here)}
        before = [ids.get(self.after.get(index, ""), -2) for index in here]
        before = [
            -1 if not self.after.get(index) else at for index, at in zip(here, before, strict=True)
        ]
        place = {index: n for n, index in enumerate(here)}
        rings = {here[n] for n in ringed_of([place[at] if at >= 0 else at for at in before])}
        behind: dict[int, list[int]] = {}
        starts: list[int] = []
        strays: list[int] = []
        for index, at in zip(here, before, strict=True):
            if at == -2 or index in rings:
                strays.append(index)
            elif at == -1:
                starts.append(index)
            else:
                behind.setdefault(at, []).append(index)
        found: list[Item] = []
        stack = [*strays[::-1], *starts[::-1]]
        while stack:
            index = stack.pop()
            found.append(self.entries[index][0])
            stack += behind.get(index, [])[::-1]
        for index in strays:
            item = self.entries[index][0]
            odd.append(Odd("read.order", self.menu, item, self.after[index]))
        return found


_READ: dict[type[TieRule], Callable[[Tied, Any, Item, Values, str], Above | None]] = {
    ParentTie: Tied._by_parent,
    FlatTie: Tied._by_order,
    ListedTie: Tied._by_list,
    LevelTie: Tied._by_level,
    LineageTie: Tied._by_lineage,
    OutlineTie: Tied._by_outline,
    LabelsTie: Tied._by_labels,
    ColumnsTie: Tied._by_columns,
    IndentedTie: Tied._by_indent,
    StepsTie: Tied._by_steps,
    IntervalsTie: Tied._by_interval,
}
"""How a record says what it stands below, by the rule of its structure."""


INDENT = re.compile(
    r"(?:[ \t\u00a0\u3000]|[-–—•·*>+|└├│─▸▹»]+(?=[ \t\u00a0])|[-–—]{2,}|[└├│─•▸▹»]+)*"
)
"""What indents a label. A dash or mark right before a word is part of it."""


def is_indent(text: str) -> bool:
    """Whether a text is one that labels are indented by."""
    return bool(text) and INDENT.match(text + " x") is not None and INDENT.sub("", text) == ""


def _said(rule: NumberTie, values: Values) -> str:
    """What a record says of its place. Raises `FormatError` where it says nothing."""
    number = values.get(rule.number or "")
    if number is None:
        raise FormatError(f"it has no {(rule.number or '').lstrip('@')}, which is needed")
    return str(number)


def _inside_of(bounds: Sequence[tuple[int, int]]) -> list[int]:
    """For each pair of bounds the place of the nearest that holds it, -1 for none.

    It is -2 where two cross each other, or are the same.
    """
    parents = [-1] * len(bounds)
    stack: list[int] = []
    for at in sorted(range(len(bounds)), key=lambda n: (bounds[n][0], -bounds[n][1])):
        left, right = bounds[at]
        while stack and bounds[stack[-1]][1] < left:
            stack.pop()
        if stack:
            above = bounds[stack[-1]]
            parents[at] = stack[-1] if above[0] < left and right < above[1] else -2
        if parents[at] != -2:
            stack.append(at)
    return parents


def _by_rank(pair: Child) -> int:
    return pair[0]


def _by_weight(pair: Child) -> tuple[bool, int, str, str]:
    rank, item, _ = pair
    return (not rank, rank, item.label.casefold(), item.id)


def ringed_of(parents: list[int]) -> set[int]:
    """The indices that stand on a ring of parents."""
    state = [0] * len(parents)  # 0 unseen, 1 on the way, 2 settled
    rings: set[int] = set()
    for start in range(len(parents)):
        if state[start]:
            continue
        way: list[int] = []
        at = start
        while at >= 0 and state[at] == 0:
            state[at] = 1
            way.append(at)
            at = parents[at]
        if at >= 0 and state[at] == 1:
            rings.update(way[way.index(at) :])
        for index in way:
            state[index] = 2
    return rings


def owners(under: dict[str, str], menus: set[str]) -> dict[str, str]:
    """The menu of each record that names a menu or another record as what it stands under.

    Those whose way up ends nowhere, or in a ring, belong to none and are left out.
    """
    found: dict[str, str] = {}
    for start in under:
        way: list[str] = []
        seen: set[str] = set()
        at = start
        while at not in menus and at not in found and at in under and at not in seen:
            seen.add(at)
            way.append(at)
            at = under[at]
        owner = at if at in menus else found.get(at)
        if owner is not None:
            found.update(dict.fromkeys(way, owner))
    return found
