"""Items of records that are alike: what their keys decide is found once for all of them.

Most records of a file have one of a few layouts: the same keys, in the same order, with values of
the same types. For each layout a plan says what stands where, so that a record is read without
asking every rule again. Whatever a plan does not cover is left to `RecordRule` and `Items`, which
read any record; both give the same (`tests/test_alike.py`).
"""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from ..model import NOWHERE, PLAIN, Extra, Item, Role, Target, Traits
from ..values import MOST_REMEMBERED, remember
from .codecs import OutsideError, WrongTypeError, name
from .items import Items
from .kinds import Kind
from .laid import MOST_LAYOUTS, layouts_of
from .records import Slot, Values, languages


class _Told:
    """What a kind makes of the records of one layout."""

    def __init__(self, kind: Kind | None, title: bool) -> None:
        self.kind, self.title = kind, title
        self.nowhere = kind is not None and kind.rule.kind == "none"
        self.role: Role = "link"
        if kind is not None and kind.rule.kind == "divider":
            self.role = "divider"
        # Where its id, key and address stand; those that give the same share a number.
        self.found: list[tuple[str, int]] = []
        self.group = 0
        # Keys of other kinds: what stands there is unread.
        self.more: list[tuple[str, int, Any, bool]] = []


class _Plan:
    """Where everything stands in records of one layout."""

    def __init__(self) -> None:
        self.slots: dict[str, int] = {}
        self.decoded: list[tuple[int, dict[Any, Any], Any]] = []
        self.numbers: list[int] = []
        self.lists: list[tuple[int, Any]] = []
        # Words that each have a key of their own, by their field.
        self.flags: list[tuple[Slot, list[tuple[str, int]]]] = []
        self.unread: list[tuple[str, int]] = []
        self.words: list[tuple[str, int]] = []
        self.ties: list[tuple[str, int]] = []
        self.label = self.hidden = -1
        self.traits: list[tuple[str, int, Any]] = []
        self.worn: dict[tuple[Any, ...], Traits] = {}
        # What kinds are told by: equal values, and whether anything stands there.
        self.deciding: list[int] = []
        self.parts: list[int] = []
        self.open = False
        # Where kinds are not told by equal values: all that they ask, and what came of it.
        self.asked: list[int] = []
        self.kinds: dict[Any, tuple[Kind | None, Values]] = {}
        self.spoken = False  # whether its label is a text for each language
        self.told: dict[Any, _Told | None] = {}


class Plans:
    """The plans for all layouts of items of one platform and theme. They know no file."""

    def __init__(self, items: Items) -> None:
        self.items, self.record = items, items.record
        self.layouts = layouts_of(items.record)
        self.plans: dict[tuple[Any, ...], _Plan | None] = {}
        self.ever = not items.called
        tie = items.rule.tie
        self.tie_keys, self.with_ = tie.keys, tie.with_
        reading = items.reading
        self.fixed = {key for kind in reading for key, word in kind.fixed if word != "*"}
        self.parted = {key for kind in reading for key, *_ in kind.parts}
        self.spelt = {key for kind in reading for key, _, *ends in kind.parts if any(ends)}
        # The same text may stand in two keys, and both must say the same.
        twice = any(len({p for _, p, *_ in k.parts}) < len(k.parts) for k in reading)
        self.open = twice or any(kind.rule.word for kind in reading)
        rules = [kind.rule for kind in reading]
        named = {key for rule in rules for key in (rule.id, rule.key, rule.address) if key}
        self.asked = {key for rule in rules for key in rule.when} | named | {"classes"}
        self.follows = items.profile.inherits
        self.own = {id(kind) for kind in items.kinds}
        # What values mean, remembered for all layouts that say the same things.
        self.memories: dict[Any, dict[Any, Any]] = {}
        self.groups: dict[Any, int] = {}

    def make_room(self) -> None:
        """Forget what earlier files filled the room with."""
        if len(self.plans) >= MOST_LAYOUTS:
            self.plans.clear()
        for memory in self.memories.values():
            if len(memory) >= MOST_REMEMBERED:
                memory.clear()

    def plan(self, keys: list[str], said: list[Any]) -> _Plan | None:
        """The plan for records of the layout that one has; None where there is none."""
        layout = (*keys, *map(type, said))
        try:
            return self.plans[layout]
        except KeyError:
            if len(self.plans) >= MOST_LAYOUTS:
                return None
            made = self.plans[layout] = self._planned(keys, said)
            return made

    def _planned(self, keys: list[str], said: list[Any]) -> _Plan | None:
        """A plan for records of one layout, None where there is none."""
        items, record = self.items, self.record
        if len(set(keys)) < len(keys):
            return None
        plan = _Plan()
        slots = plan.slots
        for at, (key, value) in enumerate(zip(keys, said, strict=True)):
            if not self._placed(plan, at, key, value):
                return None
        for field, rule in record.flags.items():
            flags = [(word, slots.pop(f"{field} {word}", -1)) for word, _ in rule.flags]
            if rule.but or any(at >= 0 for _, at in flags):
                slots[field] = len(said) + len(plan.flags)
                plan.flags.append((rule, flags))
        needed = {*(slot for slot, _ in record.needed), *items.rule.needed}
        twice = plan.words and ("translations" in slots or plan.spoken)
        judged = plan.spoken and "label" in self.asked | self.fixed
        badge = any(slot.startswith("badge") for slot in slots)
        if twice or judged or badge or not needed <= slots.keys():
            return None
        plan.words.sort()
        plan.label, plan.hidden = slots.get("label", -1), slots.get("hidden", -1)
        plan.traits = [
            (trait, at, record.slots[trait].standard)
            for trait, at in slots.items()
            if trait in items.trait_names
        ]
        plan.worn = self._memory(("traits", *(trait for trait, _, _ in plan.traits)))
        plan.ties = [(key, slots[key]) for key in self.tie_keys if key in slots]
        plan.deciding = [slots[key] for key in self.fixed if key in slots]
        plan.parts = [slots[key] for key in self.parted if key in slots]
        plan.asked = [at for slot, at in slots.items() if slot in self.asked]
        plan.kinds = self._memory(("kinds", *(slot for slot in slots if slot in self.asked)))
        plan.open = self.open or not self.spelt.isdisjoint(slots)
        return plan

    def _placed(self, plan: _Plan, at: int, key: str, value: Any) -> bool:
        """Note what stands at a key of a layout; False where every value has to be looked at."""
        hit, kind = self.record.known.get(key), type(value)
        if hit is None:
            word = self._word(key, value) if key not in self.record.own else None
            if word:
                plan.words.append((word, at))
            elif key not in self.record.own:
                plan.unread.append((key, at))
            return word != ""
        if value is None:
            return True
        slot, decode = hit
        if slot in plan.slots:
            return False
        plan.slots[slot] = at
        if kind is list and decode is not None:
            plan.lists.append((at, decode))
        elif kind is dict and decode is languages and slot == "label":
            plan.spoken = True
        elif kind not in (str, int, bool) or (decode is None and kind is not str):
            return False
        elif decode is name and kind is int:
            plan.numbers.append(at)
        elif decode is not None and not (decode is name and kind is str):
            plan.decoded.append((at, self._memory((slot, kind)), decode))
        return True

    def _memory(self, of: Any) -> dict[Any, Any]:
        return self.memories.setdefault(of, {})

    def _word(self, key: str, value: Any) -> str | None:
        """The language of a label; None where no pattern asks for it, empty for another pattern."""
        found: str | None = None
        for field, start in self.record.patterns:
            if key.startswith(start) and len(key) > len(start):
                if field != "translations" or type(value) is not str or found is not None:
                    return ""
                found = key[len(start) :]
        return found

    def told(self, plan: _Plan, said: list[Any]) -> tuple[_Told | None, Values | None]:
        """What a record's kind makes of it; and what it gives, where no key alone says that."""
        for at in plan.parts:
            if not said[at]:
                return None, None
        found: Values | None = None
        if plan.open:
            asked = tuple([said[at] for at in plan.asked])
            known = plan.kinds.get(asked)
            if known is None:
                values = {slot: said[at] for slot, at in plan.slots.items()}
                known = self.items.kind_of(values)
                remember(plan.kinds, asked, known)
            kind, found = known
            deciding: Any = id(kind)
        else:
            deciding = tuple([said[at] for at in plan.deciding])
        try:
            return plan.told[deciding], found
        except KeyError:
            told = self._tell(plan, said)
            if len(plan.told) < MOST_LAYOUTS:
                plan.told[deciding] = told
            return told, found

    def _tell(self, plan: _Plan, said: list[Any]) -> _Told | None:
        items, slots = self.items, plan.slots
        kind, found = items.kind_of({slot: said[at] for slot, at in slots.items()})
        told = _Told(kind, self.follows and items.compiled.gives_title(kind))
        if kind is not None:
            rule = kind.rule
            if id(kind) not in self.own or rule.part is not None or rule.kind == "any":
                return None
            if rule.lacks or rule.label or rule.word:
                return None
            stands = {part: key for key, part, _, _ in kind.parts}
            stands.update({"id": rule.id} if rule.id in slots else {})
            stands.update({"key": rule.key} if rule.key in slots else {})
            stands.update({"address": rule.address} if rule.address in slots else {})
            told.found = [(part, slots[key]) for part, key in stands.items() if key in slots]
            group = (id(kind), plan.open, *(part for part, _ in told.found))
            told.group = self.groups.setdefault(group, len(self.groups))
            if not plan.open and {part: said[at] for part, at in told.found} != found:
                return None
        other = items.not_of[id(kind)]
        told.more = [
            (key, slots[key], self.with_.get(key), key in items.addresses)
            for key in items.kind_keys
            if key in other and key in slots
        ]
        return told


class Alike:
    """Reads items of the records of one file by their layouts."""

    def __init__(self, items: Items) -> None:
        self.items = items
        self.plans = items.profile.kept(("plans", items.theme), lambda: Plans(items.bare))
        self.plans.make_room()
        # What each record leads to, by the group of its kind and what it gives.
        self.targets: defaultdict[int, dict[Any, Target]] = defaultdict(dict)

    def item(self, node: Any, place: str) -> tuple[Item, Values] | None:
        """The item of a record, and what it says of its place; None where no plan covers it."""
        plans = self.plans
        laid = plans.layouts.lay(node) if plans.ever else None
        if laid is None:
            return None
        keys, said = laid
        plan = plans.plan(keys, said)
        if plan is None:
            return None
        for at, known, decode in plan.decoded:
            value = known.get(said[at])
            if value is None:
                try:
                    value = decode(said[at])
                except (OutsideError, WrongTypeError):
                    return None
                if value is None:
                    return None
                remember(known, said[at], value)
            said[at] = value
        for at, decode in plan.lists:
            try:
                said[at] = decode(said[at])
            except (OutsideError, WrongTypeError):
                return None
            if type(said[at]) is not tuple:
                return None
        for at in plan.numbers:
            said[at] = str(said[at])
        for slot, words in plan.flags:
            said.append(_flagged(slot, words, said))
        told, found = plans.told(plan, said)
        if told is None:
            return None
        target = self._target(told, said, found)
        extras = self._extras(plan, told, said) if plan.unread or told.more else ()
        label = said[plan.label] if plan.label >= 0 else ""
        translations = tuple([(word, said[at]) for word, at in plan.words]) if plan.words else ()
        if plan.spoken:
            try:
                label, more = self.items.main_label(languages(label))
            except (OutsideError, WrongTypeError):
                return None
            translations = tuple(sorted(more.items()))
        inherited = False
        if not label and told.title and target.content is not None:
            label = self.items.by_kind[target.kind, target.content].title
            inherited = True
        item = Item(
            "",
            label,
            target,
            told.role,
            inherited,
            [],
            None,
            self._traits(plan, said) if plan.traits else PLAIN,
            said[plan.hidden] if plan.hidden >= 0 else False,
            translations,
            extras,
            place,
        )
        return item, {key: said[at] for key, at in plan.ties}

    def _target(self, told: _Told, said: list[Any], found: Values | None) -> Target:
        if told.kind is None:
            return NOWHERE
        if found is None:
            key: Any = tuple([said[at] for _, at in told.found])
        else:
            key = tuple(found.items())
        targets = self.targets[told.group]
        target = targets.get(key)
        if target is None:
            if found is None:
                found = {part: said[at] for part, at in told.found}
            target = self.items.target_of(told.kind.rule, found)
            remember(targets, key, target)
        return target

    def _extras(self, plan: _Plan, told: _Told, said: list[Any]) -> tuple[Extra, ...]:
        """What no rule read, and what is of other kinds, as `Items.item` tells it."""
        extras = [
            Extra(key, said[at])
            for key, at, own, leads in told.more
            if said[at] and own != said[at] and not (told.nowhere and said[at] == "#" and leads)
        ]
        extras += [Extra(key, said[at]) for key, at in plan.unread]
        return tuple(extras)

    def _traits(self, plan: _Plan, said: list[Any]) -> Traits:
        key = tuple([said[at] for _, at, _ in plan.traits])
        traits = plan.worn.get(key)
        if traits is None:
            found = {trait: said[at] for trait, at, usual in plan.traits if said[at] != usual}
            traits = Traits(**found) if found else PLAIN
            traits = PLAIN if traits == PLAIN else traits
            remember(plan.worn, key, traits)
        return traits


def _flagged(slot: Slot, words: list[tuple[str, int]], said: list[Any]) -> tuple[str, ...]:
    """The words of a field that are switched on, as `RecordRule` joins them."""
    if slot.but:
        off = {word for word, at in words if at >= 0 and said[at] is True}
        return tuple(word for word in slot.but if word not in off)
    return tuple(word for word, at in words if at < 0 or said[at] is not False)
