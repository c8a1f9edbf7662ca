"""What makes an item a part of a panel: a class word, an address, a label, or its place."""

from __future__ import annotations

import re
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from ..model import (
    NOWHERE,
    PLAIN,
    Item,
    Target,
    Traits,
)
from ..values import matches

NUMBER = "{n}"
"""What stands for a number in the class word of a mark."""


class MarkRule(Struct, forbid_unknown_fields=True):
    """What makes an item a part of a panel; all that is named must be so.

    `word`: one of its class words, in which `{n}` is a number. `address`, `label`: what these are,
    or how they begin, with a `*` at the end. None of these: every item that stands there. `source`,
    of a picture: the trait that says where it is. `inside`, of a heading: its links stand below
    it, and not behind it. `part`: an item whose kind is a column (`part = "column"`).
    """

    word: str = ""
    address: str = ""
    label: str = ""
    source: str = "picture"
    inside: bool = False
    part: bool = False


class Seen(NamedTuple):
    """An item without what marked it, and the number and the options that its word said."""

    item: Item
    number: int | None
    options: tuple[str, ...]


class Mark:
    """One mark, compiled. `options` may stand behind its word, each after `joined`."""

    def __init__(self, rule: MarkRule, joined: str = "") -> None:
        self.rule, self.joined = rule, joined
        before, number, after = rule.word.partition(NUMBER)
        self.parts = (before, after) if number else None
        inner = r"([1-9]\d{0,3})" if number else ""
        self.pattern = re.compile(re.escape(before) + inner + re.escape(after))

    def of(self, item: Item, marks: dict[str, str] | None = None) -> Seen | None:
        """An item that bears this mark, without it; None for any other one.

        `marks`: the part of a panel that each item's kind is, by its origin.
        """
        rule, target = self.rule, item.target
        if item.role == "divider" or (rule.part and (marks or {}).get(item.origin) != "column"):
            return None
        if rule.address and not matches(target.address or "", rule.address):
            return None
        if rule.label and not matches(item.label, rule.label):
            return None
        made = replace(item, target=NOWHERE) if rule.address else item
        if rule.label:
            made = replace(made, label=item.label[len(rule.label.rstrip("*")) :])
        if not rule.word:
            return Seen(made, None, ())
        for at, word in enumerate(item.traits.classes):
            head, *options = word.split(self.joined) if self.joined else [word]
            found = self.pattern.fullmatch(word if self.parts else head)
            if found:
                number = int(found[1]) if self.parts else None
                traits = _without(made.traits, at)
                return Seen(replace(made, traits=traits), number, tuple(options))
        return None

    def put(self, item: Item, number: int = 1, options: tuple[str, ...] = ()) -> Item:
        """An item that bears this mark."""
        rule, made = self.rule, item
        if rule.address:
            made = replace(made, target=Target("none", address=rule.address.rstrip("*")))
        if rule.label:
            made = replace(made, label=rule.label.rstrip("*") + made.label)
        if rule.word:
            word = rule.word.replace(NUMBER, str(number))
            made = replace(made, traits=with_class(made.traits, self.joined.join((word, *options))))
        return made


def plain_or_same(traits: Traits) -> Traits:
    """The one value of traits that say nothing, where these do; else the traits themselves."""
    return PLAIN if traits == PLAIN else traits


def _without(traits: Traits, at: int) -> Traits:
    return plain_or_same(replace(traits, classes=traits.classes[:at] + traits.classes[at + 1 :]))


def with_class(traits: Traits, word: str) -> Traits:
    """Traits with one more class word, the first."""
    return replace(traits, classes=(word, *traits.classes))
