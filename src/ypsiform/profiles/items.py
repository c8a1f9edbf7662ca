"""Items: from the values of a record to an item of the model, and back to keys and values."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from copy import copy
from typing import Any

from msgspec.structs import replace

from ..addresses import Hosts, is_relative
from ..containers import Shape
from ..errors import FormatError
from ..model import (
    CONTENT_KINDS,
    NOWHERE,
    PLAIN,
    TRAIT_NAMES,
    Badge,
    Content,
    Extra,
    Item,
    Target,
    Traits,
)
from ..values import remember
from .kinds import Kind, Kinds
from .records import Pairs, RecordRule, Values, marks_of, plain
from .schema import KindRule, Profile

_TRAITS = frozenset(TRAIT_NAMES)
_BADGE = ("badge", "badge-from", "badge-until", "badge-counts")
"""The facts of a badge, in the order of its values."""

Mark = dict[str, str]
"""For the origin of an item (on writing its identity as text) the part of a panel that it is."""


class Items:
    """The items of one platform and theme, both ways."""

    def __init__(self, profile: Profile, shape: Shape, theme: str | None) -> None:
        rule, tie = profile.items, profile.items.tie
        self.bare, self.theme = self, theme
        if tie.nests:
            shape = shape.of(profile.menus.at or "")
        elif rule.at:
            shape = shape.of(rule.at)
        self.profile, self.shape, self.rule = profile, shape, rule
        self.compiled = Kinds(profile.item_kinds(theme))
        self.kinds, self.reading = self.compiled.kinds, self.compiled.reading
        raw = dict.fromkeys(key for kind in self.kinds for key in kind.rule.when)
        for kind in self.kinds:
            more = (kind.rule.id, kind.rule.key, kind.rule.address, kind.rule.label)
            raw.update(dict.fromkeys(key for key in more if key))
        self.addresses = frozenset(kind.rule.address for kind in self.kinds if kind.rule.address)
        raw.update(dict.fromkeys(tie.keys))
        self.kind_keys = [key for key in raw if key not in tie.keys]
        self.not_of = {
            id(kind): frozenset(self.kind_keys) - (kind.keys if kind else frozenset())
            for kind in (None, *self.kinds)
        }
        deciders = {tuple(key for key, _ in kind.fixed) for kind in self.reading}
        self.decider = ""
        if len(deciders) == 1 and not any(kind.parts or kind.rule.word for kind in self.reading):
            (keys,) = deciders
            open_ = any(word.endswith("*") for kind in self.reading for _, word in kind.fixed)
            if len(keys) == 1 and not open_:
                self.decider = keys[0]
        self.by_word: dict[str, Kind] = {}
        for kind in reversed(self.reading) if self.decider else ():
            self.by_word[kind.fixed[0][1]] = kind
        own = [tie.inside] if (tie.nests or tie.lists) and tie.inside else []
        if tie.nests and tie.order:
            own.append(tie.order)
        own += profile.slug_keys
        there = [key for kind in self.kinds for key, word in kind.fixed if word == "*"]
        # A key of the file may be called like a fact that stands elsewhere, or nowhere.
        here = {fact for fact, short in rule.fields.items() if plain(short).at == fact}
        facts = {*_TRAITS, *_BADGE, "label", "hidden", "translations"} - here
        self.called = {fact: f"{fact} " for fact in facts & raw.keys()}
        self.record = RecordRule(
            shape,
            rule.fields,
            raw=raw,
            called=self.called,
            present=there,
            own=own,
            fold=rule.fold,
            embedded=rule.embedded,
            serialised=rule.serialised,
            composed=rule.composed,
            numbers=rule.numbers,
            booleans=rule.booleans,
            blanks=rule.blanks,
            constants=rule.constants,
            marks={
                **marks_of(rule.only),
                **{key: word for key, word in tie.with_.items() if key not in raw},
            },
        )
        slots = self.record.slots
        self.label = slots.get("label")
        self.label_needed = self.label is not None and any(
            key == self.label.key for _, key in self.record.needed
        )
        self.languages = self.label is not None and profile.languages
        self.traits = [slot for name, slot in slots.items() if name in _TRAITS - {"badge"}]
        # Whether some trait is written even where it says nothing.
        self.always = any(slot.always for slot in self.traits)
        self.said_of: dict[Traits, Pairs] = {}
        self.badge = [slots[name] for name in _BADGE if name in slots]
        # A key of a record may be called as a trait that is none of its facts.
        self.trait_names = frozenset(slots) & _TRAITS
        self.hidden = slots.get("hidden")
        self.patterns = dict(self.record.patterns)
        self.key_of: dict[tuple[str, str], str | None] = {}

    @classmethod
    def of(cls, profile: Profile, shape: Shape, theme: str | None) -> Items:
        """The items of one platform and theme, for one file: what is compiled is made once.

        `bare` is what all of them share, which knows no file.
        """
        bare = profile.kept(("items", theme), lambda: cls(profile, shape, theme))
        made = copy(bare)
        made.key_of = {}
        return made

    # Reading

    def look_up(self, hosts: Hosts, contents: Iterable[Content]) -> None:
        """Give the contents that items may point to."""
        self.hosts = hosts
        self.by_kind: dict[tuple[str, str], Content] = {}
        self.by_id: dict[str, Content | None] = {}
        self.by_path: dict[str, Content] = {}
        self.by_key: dict[tuple[str, str], Content | None] = {}
        for content in contents:
            self.by_kind.setdefault((content.kind, content.id), content)
            self.by_id[content.id] = None if content.id in self.by_id else content
            if content.key is not None:
                pair = (content.kind, content.key)
                self.by_key[pair] = None if pair in self.by_key else content
            if content.path is not None:
                parts = hosts.read(content.path)
                if parts.kind in ("page", "file", "home"):
                    self.by_path.setdefault(parts.path, content)

    def routes(self, shape: Shape, tree: Any) -> None:
        """Learn the patterns of routes that a document holds."""
        self.patterns_of: dict[str, str] = {}
        for kind in self.kinds:
            rule = kind.rule.routes
            if rule is None:
                continue
            for _, node in shape.records(tree, tuple(rule.at.split("/"))):
                title, pattern = shape.step(node, rule.name), shape.step(node, rule.pattern)
                if isinstance(title, str) and isinstance(pattern, str):
                    self.patterns_of.setdefault(title, pattern)

    def kind_of(self, values: Values) -> tuple[Kind | None, Values]:
        """The kind of a record, and the id, key and address that it gives."""
        kind, found = self._first_kind(values)
        if kind is None or kind.rule.kind != "any":
            return kind, found
        for other in self.reading:
            more = other.match(values) if other.rule.part is None else None
            if more is not None:
                return self.together(kind, other), more
        return kind, found

    def together(self, one: Kind, other: Kind) -> Kind:
        """A kind of a part that leads where another kind does; what is not of it, is known then."""
        made = self.compiled.together(one, other)
        self.not_of.setdefault(id(made), frozenset(self.kind_keys) - made.keys)
        return made

    def _first_kind(self, values: Values) -> tuple[Kind | None, Values]:
        if self.decider:
            kind = self.by_word.get(values.get(self.decider, ""))
            found = kind.match(values) if kind is not None else None
            return (kind, found) if found is not None else (None, {})
        for kind in self.reading:
            found = kind.match(values)
            if found is not None:
                return kind, found
        return None, {}

    def target_of(self, rule: KindRule, found: Values) -> Target:
        """What a record of a kind leads to, by the id, key and address that it gives."""
        if rule.routes is not None:
            return self._routed(found.get("key", ""))
        said = found.get("address", "")
        if rule.bare and said != rule.none and is_relative(said):
            found = {**found, "address": f"/{said}"}
        if rule.kind in ("address", "internal"):
            return self.addressed(found.get("address", ""), rule.none)
        if "address" in found:
            there = self.addressed(found["address"], rule.none)
            return (
                there if there.content or there.kind == "none" else replace(there, kind=rule.kind)
            )
        if rule.kind in CONTENT_KINDS:
            ident = found.get("id", found.get("key"))
            if ident is None:
                return Target(rule.kind)
            if "id" in found:
                content = self.by_kind.get((rule.kind, ident)) or self.by_id.get(ident)
            else:
                content = self.by_key.get((rule.kind, ident))
            if content is None and rule.path:
                there = self.addressed(ident)
                if there.content is None:
                    return Target(rule.kind, key=ident, address=ident)
                return Target(there.kind, there.content)
            if content is None:
                return Target(rule.kind, key=ident)
            return Target(content.kind, content.id)
        return NOWHERE if rule.kind in ("none", "divider") else Target(rule.kind)

    def addressed(self, address: str, none: str | None = None) -> Target:
        """The target that an address names; `none` is the text that stands for none."""
        if none is not None and address == none:
            return NOWHERE
        parts = self.hosts.read(address)
        if parts.kind in ("home", "page", "file"):
            content = self.by_path.get(parts.path)
            if content is not None:
                return Target(content.kind, content.id, address)
        if parts.kind == "none":
            return NOWHERE if not address else Target("none", address=address)
        return Target("external" if parts.kind == "script" else parts.kind, address=address)

    def target_in(self, said: Any, key: str) -> Target:
        """What a mapping leads to that says it as the key of an item's record does."""
        values = {inner: v for inner, v in self.record.pairs({key: said}) if isinstance(v, str)}
        kind, found = self.kind_of(values)
        return self.target_of(kind.rule, found) if kind is not None else NOWHERE

    def said_in(self, target: Target, key: str) -> Any:
        """What the key of an item's record says of a target."""
        pairs = self.pairs(Item("", "", target), [])
        whole = [value for name, value in pairs if name == key]
        if whole:
            return whole[0]
        inside = [(name, value) for name, value in pairs if name.startswith(f"{key}/")]
        return {name.removeprefix(f"{key}/"): value for name, value in inside} or None

    def _routed(self, key: str) -> Target:
        """A page by the name of its route: its parameters are filled into the pattern."""
        from urllib.parse import parse_qsl, quote

        title, _, query = key.partition("?")
        pattern = self.patterns_of.get(title)
        if pattern is None:
            return Target("page", key=key)
        for name, value in parse_qsl(query, keep_blank_values=True):
            pattern = pattern.replace("{" + name + "}", quote(value, safe=""))
        if "{" in pattern:
            return Target("page", key=key)
        found = self.addressed(pattern, None)
        return Target(found.kind, found.content, found.address, key)

    def item(
        self,
        values: Values,
        extras: list[Extra],
        place: str,
        marks: Mark,
        lacks: Collection[str] = (),
    ) -> Item:
        """An item of the values of a record, which does not hold the facts that it `lacks`.

        Raises `FormatError` without file and place.
        """
        kind, found = self.kind_of(values)
        lacks = [*lacks, *kind.rule.lacks] if kind is not None else lacks
        target = self.target_of(kind.rule, found) if kind is not None else NOWHERE
        other = self.not_of[id(kind)]
        if not other.isdisjoint(values):
            # An empty text is the same as none: see `Kind.match`.
            nowhere = kind is not None and kind.rule.kind == "none"
            tie = self.rule.tie
            extras[:0] = [
                Extra(k, values[k])
                for k in self.kind_keys
                if k in other
                and values.get(k)
                and tie.with_.get(k) != values[k]
                # `#` leads nowhere, as an item of this kind does anyway.
                and not (nowhere and values[k] == "#" and k in self.addresses)
            ]
        for key in self.rule.needed:
            if key not in values:
                raise FormatError(f"it has no {key.replace('/', '.')}, which is needed")
        own = kind.rule.label if kind is not None else None
        label = values.get(own, "") if own else None
        values = self._facts(values) if self.called else values
        if kind is not None and kind.rule.word:
            classes = tuple(word for word in values["classes"] if word != kind.rule.word)
            values = {**values, "classes": classes}
        if lacks:
            values, unheld = self._unheld(values, lacks)
            extras += unheld
        if "badge" not in values:  # days of none are no fact of the item
            slots = self.record.slots
            extras += [Extra(slots[n].key, values[n]) for n in _BADGE[1:] if values.get(n)]
        label = label if label is not None else values.get("label", "")
        words: dict[str, str] = values.get("translations") or {}
        if type(label) is dict:
            label, words = self.main_label(label)
        inherited = False
        follows = self.profile.inherits and self.compiled.gives_title(kind)
        if not label and not own and follows and target.content is not None:
            label = self.by_kind[target.kind, target.content].title
            inherited = True
        if kind is not None and kind.rule.part is not None:
            marks[place] = kind.rule.part
        return Item(
            id="",
            label=label,
            target=target,
            role="divider" if kind is not None and kind.rule.kind == "divider" else "link",
            inherited=inherited,
            children=[],
            traits=self._traits(values),
            hidden=values.get("hidden", False),
            translations=tuple(sorted(words.items())) if words else (),
            extras=tuple(extras),
            origin=place,
        )

    def _facts(self, values: Values) -> Values:
        """The values of a record by the names of their facts alone."""
        made = {name: value for name, value in values.items() if name not in self.called}
        found = {fact: made.pop(name) for fact, name in self.called.items() if name in made}
        return {**made, **found}

    def _unheld(self, values: Values, lacks: Iterable[str]) -> tuple[Values, list[Extra]]:
        """The values of a record that holds some facts, and what it says of others, unread."""
        slots, found = self.record.slots, dict(values)
        pairs: Pairs = []
        for name in lacks:
            for fact in _BADGE if name == "badge" else (name,):
                value = found.pop(fact, None)
                if fact == "translations" and value:
                    pairs += [(self.patterns[fact] + word, text) for word, text in value.items()]
                elif value is not None:
                    pairs += slots[fact].pairs(value)
        return found, [Extra(key, value) for key, value in pairs]

    language = ""
    """The language that labels without one are in, known from the site or from the first label."""

    def main_label(self, words: dict[str, str]) -> tuple[str, dict[str, str]]:
        """The label in the main language, and those in further ones."""
        if not words:
            return "", {}
        if not self.language:
            self.language = next(iter(words))
        if self.language not in words:
            return next(iter(words.values())), words
        return words[self.language], {k: v for k, v in words.items() if k != self.language}

    def _traits(self, values: Values) -> Traits:
        given = values.keys() & self.trait_names
        if not given:
            return PLAIN
        slots = self.record.slots
        found = {n: values[n] for n in given if values[n] != slots[n].standard}
        if "badge" in found:
            start, until, counts = (values.get(name) for name in _BADGE[1:])
            found["badge"] = Badge(found["badge"], start, until, counts is True)
        elif not found:
            return PLAIN
        traits = Traits(**found)
        return PLAIN if traits == PLAIN else traits

    # Writing

    def name_by_key(self, contents: Iterable[Content]) -> None:
        """Give the contents whose keys items are written with."""
        self.key_of.update(((c.kind, c.id), c.key) for c in contents)

    def pairs(self, item: Item, structure: Pairs, part: str | None = None) -> Pairs:
        """The keys and values of an item's record, in the order of writing."""
        pairs = structure
        label = self.label
        kinds = self.compiled
        divider = item.role == "divider"
        kind = kinds.of(item.target, divider=divider) if part is None else kinds.of_part(item, part)
        parts = kinds.by_part.get(part, []) if part is not None else [kind]
        own = parts[0].rule.label if parts and parts[0] is not None else None
        if own:
            if item.label:
                pairs.append((own, item.label))
            label = None
        if self.languages and label is not None:
            main = self.language
            words = {main: item.label}
            words.update((k, v) for k, v in item.translations if k != main)
            pairs.append((label.key, words))
        elif label is not None and not item.inherited and (item.label or self.label_needed):
            pairs.append((label.key, label.encode(item.label)))
        if kind is not None and kind.rule.word:
            classes = (*item.traits.classes, kind.rule.word)
            item = replace(item, traits=replace(item.traits, classes=classes))
        if kind is not None:
            target = item.target
            unread = {e.path: e.value for e in item.extras if not e.again} if item.extras else {}
            if not unread or kind.keys.isdisjoint(unread):
                key = self.key_of.get((target.kind, target.content)) if target.content else None
                pairs += kind.pairs(target, key)
            elif target.address is not None:
                # What says its kind is unread, for it is part of a panel that is none.
                pairs += self._unmarked(target, unread)
        if item.traits is not PLAIN or self.always:
            pairs += self._said(item.traits)
        if self.hidden is not None and (item.hidden or self.hidden.always):
            pairs += [(self.hidden.key, self.hidden.encode(item.hidden))]
        if item.translations and "translations" in self.patterns:
            start = self.patterns["translations"]
            pairs += [(start + language, text) for language, text in item.translations]
        return pairs

    def _said(self, traits: Traits) -> Pairs:
        """The keys and values of traits; many items have the same ones."""
        found = self.said_of.get(traits)
        if found is not None:
            return found
        found = [pair for slot in self.traits for pair in slot.pairs(getattr(traits, slot.name))]
        badge = traits.badge
        if badge is not None:
            facts = (badge.text, badge.start, badge.until, badge.counts)
            said = dict(zip(_BADGE, facts, strict=True))
            for slot in self.badge:
                found += slot.pairs(said[slot.name])
        # A list that stood in two records would be changed in both.
        plain = all(not isinstance(value, (list, dict)) for _, value in found)
        if plain:
            remember(self.said_of, traits, found)
        return found

    def _unmarked(self, target: Target, unread: dict[str, Any]) -> Pairs:
        """Where an item leads, by the rule for the part of a panel that its unread data says."""
        for kind in self.kinds:
            fixed = [(key, unread.get(key)) for key, _ in kind.fixed]
            if kind.rule.part is not None and kind.fixed and fixed == kind.fixed:
                return [pair for pair in kind.pairs(target) if pair[0] not in unread]
        return []

    def write(self, item: Item, structure: Pairs, part: str | None = None) -> Any:
        """A record of an item."""
        return self.record.write(self.pairs(item, structure, part), item.extras)


def pointable(profile: Profile, contents: list[Content], *, own: bool = False) -> list[Content]:
    """The contents that items can name: a kind that is named by key needs keys of its own.

    A page of a page tree is pointed to by a number; one whose id is none cannot be. `own`: they
    are those of the file itself, where a page stands in its own place.
    """
    if profile.items.pages is not None and not own:
        contents = [c for c in contents if re.fullmatch(r"-?[0-9]{1,600}", c.id)]
    by_key = {
        rule.kind
        for rule in profile.items.kinds
        if rule.id is None and rule.routes is None and (rule.key or _names_key(rule))
    }
    if not by_key:
        return contents
    seen: dict[tuple[str, str | None], int] = {}
    for content in contents:
        seen[content.kind, content.key] = seen.get((content.kind, content.key), 0) + 1
    return [
        content
        for content in contents
        if content.kind not in by_key or (content.key and seen[content.kind, content.key] == 1)
    ]


def _names_key(rule: KindRule) -> bool:
    return any("{key}" in words for words in rule.when.values())
