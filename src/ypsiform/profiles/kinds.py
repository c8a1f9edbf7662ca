"""The rules of kinds, compiled: what values say of where a record leads, and how it is said."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from ..addresses import is_relative
from ..model import Item, Target
from .records import Pairs, Values
from .schema import KindRule

_BY_ADDRESS = ("address", "internal")
_TEMPLATE = re.compile(r"(.*)\{(id|key|address)\}(.*)", re.DOTALL)


class Kind:
    """One rule of kinds, compiled: fixed values, and those that hold an id, a key or an address."""

    def __init__(self, rule: KindRule) -> None:
        self.rule = rule
        self.fixed: Pairs = []
        self.parts: list[tuple[str, str, str, str]] = []
        for key, words in rule.when.items():
            found = _TEMPLATE.fullmatch(words)
            if found:
                self.parts.append((key, found[2], found[1], found[3]))
            else:
                self.fixed.append((key, words))
        named = (*rule.when, rule.id, rule.key, rule.address, rule.label)
        self.keys = frozenset(key for key in named if key)
        named_by = [key for key, part, _, _ in self.parts if part != "address"]
        self.names = frozenset(key for key in (*named_by, rule.id, rule.key) if key)
        self.takes_address = rule.address is not None or "address" in [p[1] for p in self.parts]

    def match(self, values: Values) -> Values | None:
        """The id, key and address that a record gives; None where it is of another kind."""
        # The same text may stand in two keys, as an address and a reference: both must say the
        # same.
        words: Any = values.get("classes ", values.get("classes", ()))
        if self.rule.word and self.rule.word not in words:
            return None
        for key, word in self.fixed:
            if word == "*":
                if key not in values:
                    return None
                continue
            held = values.get(key, "")
            if held != word and not (word.endswith("*") and held.startswith(word[:-1])):
                return None
        found: Values = {}
        for key, part, before, after in self.parts:
            value = values.get(key)
            if value is None or len(value) <= len(before) + len(after):
                return None
            if not (value.startswith(before) and value.endswith(after)):
                return None
            said = value[len(before) : len(value) - len(after)]
            if found.setdefault(part, said) != said:
                return None
        if self.rule.id is not None and self.rule.id in values:
            found["id"] = values[self.rule.id]
        if self.rule.key is not None and self.rule.key in values:
            found["key"] = values[self.rule.key]
        if self.rule.address is not None and self.rule.address in values:
            found["address"] = values[self.rule.address]
        return found

    def pairs(self, target: Target, key: str | None = None) -> Pairs:
        """The keys and values that say this kind and this target; `key` is its content's key."""
        # `match` backwards, part by part, so that what is written is read as the same kind.
        rule = self.rule
        found: Pairs = [(k, {}) for k, w in self.fixed if w == "*"]
        found += [(k, w) for k, w in self.fixed if w and not w.endswith("*")]
        ident = target.content or target.key
        address = target.address
        if rule.bare and address is not None and address.startswith("/"):
            said = address[1:]
            # What would be read as something else keeps its slash, as the start page does.
            address = said if is_relative(said) and said != rule.none else address
        if address is None and rule.none is not None:
            address = rule.none
        key = key or target.key
        values = {"id": ident, "key": key, "address": address}
        for at, part, before, after in self.parts:
            if values[part]:
                found.append((at, before + str(values[part]) + after))
        if rule.id is not None and ident:
            found.append((rule.id, ident))
        if rule.key is not None and key:
            found.append((rule.key, key))
        if rule.address is not None and rule.address not in rule.when:
            if address is None and target.kind != "none" and rule.kind in _BY_ADDRESS:
                address = "#"
            if address is not None and (address or rule.none is None):
                found.append((rule.address, address))
        return found


class Kinds:
    """All rules of kinds of a platform and a theme: those for reading, and that for each item."""

    def __init__(self, rules: Iterable[KindRule]) -> None:
        self.kinds = [Kind(rule) for rule in rules]
        self.reading = [kind for kind in self.kinds if kind.rule.only != "writing"]
        self.routed: Kind | None = None
        self.by_target: dict[str, Kind] = {}
        self.by_part: dict[str, list[Kind]] = {}
        for kind in self.kinds:
            if kind.rule.routes is not None and self.routed is None:
                self.routed = kind
            if kind.rule.only == "reading":
                continue
            if kind.rule.part is not None:
                self.by_part.setdefault(kind.rule.part, []).append(kind)
            elif kind.rule.routes is None:
                self.by_target.setdefault(kind.rule.kind, kind)
        self.by_address = self.by_target.get("address")
        self.internal = self.by_target.get("internal")
        # Where a record names a content by id or key: what stands there has the content's title.
        self.naming = frozenset(key for kind in self.kinds for key in kind.names)
        self._both: dict[tuple[int, int], Kind] = {}

    def together(self, one: Kind, other: Kind) -> Kind:
        """A kind of a part that leads where another kind does."""
        key = (id(one), id(other))
        if key not in self._both:
            when = {**one.rule.when, **other.rule.when}
            own = one.rule
            rule = replace(other.rule, when=when, part=own.part, label=own.label, lacks=own.lacks)
            self._both[key] = Kind(rule)
        return self._both[key]

    def of(self, target: Target, *, divider: bool = False) -> Kind | None:
        """The rule by which an item is written that is no part of a panel."""
        if divider:
            return self.by_target.get("divider")
        if self.routed is not None and target.key is not None and target.content is None:
            return self.routed
        own = self.by_target.get(target.kind)
        if own is not None and own.rule.path and target.key is not None:
            return own
        if self.internal is not None and _internal(target):
            return self.internal
        if target.address is not None and self.by_address is not None:
            return own if own is not None and own.takes_address else self.by_address
        return own or self.by_address

    def of_part(self, item: Item, part: str) -> Kind | None:
        """The rule by which an item is written that is a part of a panel, such as a heading."""
        kinds = self.by_part.get(part, [])
        if kinds and kinds[0].rule.kind == "any":
            other = self.of(item.target)
            return self.together(kinds[0], other) if other is not None else kinds[0]
        leads = item.target.kind != "none"
        for kind in kinds:
            if (kind.rule.kind != "none") == leads:
                return kind
        return kinds[0] if kinds else None

    def gives_title(self, kind: Kind | None) -> bool:
        """Whether a record of this kind names its content, so that its title stands for a label."""
        return kind is not None and not self.naming.isdisjoint(kind.keys)

    def titles(self, target: Target) -> bool:
        """Whether an item that leads here and has no label will be called like its content."""
        return target.content is not None and self.gives_title(self.of(target))


def _internal(target: Target) -> bool:
    """Whether a target is a page of the site, by a path."""
    address = target.address
    if address is None or target.kind in ("file", "none", "fragment", "mail", "phone", "external"):
        return False
    return address.startswith("/") and not address.startswith("//")
