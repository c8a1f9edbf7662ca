"""Field rules compiled: one object for each shape of record, which reads and writes it.

Reading runs over the keys that a record has, not over the rules, so its cost follows the data and
whatever no rule asked for is found on the way.
"""

# Long, since a record is read and written by the same slots, and each kind of them is both.

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, NamedTuple

from ..containers import Shape, folds
from ..containers.json import SHAPE as MAPPINGS
from ..containers.json import kind_of
from ..errors import FormatError, ProfileError, RefusedError
from ..model import Extra
from ..values import as_number, matches
from .codecs import OutsideError, WrongTypeError, chain, name, text, there, yes
from .schema import FieldRule, FieldRules, FoldRule, Profile

Values = dict[str, Any]
Pairs = list[tuple[str, Any]]


class Slot(NamedTuple):
    """One compiled field: where it stands, and how it is written."""

    name: str
    key: str
    encode: Callable[[Any], Any]
    standard: Any
    always: bool = False
    flags: tuple[tuple[str, str], ...] = ()
    but: tuple[str, ...] = ()

    def pairs(self, value: Any) -> Pairs:
        """The keys and values that say this; nothing where it is the standard."""
        empty = value == () and not (self.standard and not self.flags and self.encode(value))
        if (value is None or empty or value == self.standard) and not self.always:
            return []
        if self.flags:
            there = [word for word in self.but if word not in value] if self.but else value
            return [(key, self.encode(word in there)) for word, key in self.flags]
        if value is None:
            value = self.standard
        return [(self.key, self.encode(value) if value is not None else None)]


def _yes_or_no(value: Any) -> bool:
    """A flag that is true or false in the file itself."""
    if type(value) is not bool:
        raise OutsideError
    return value


def plain(rule: str | FieldRule) -> FieldRule:
    """A field rule in full, from its short form."""
    return FieldRule(at=rule) if isinstance(rule, str) else rule


def can_write(rule: str | FieldRule | None, value: Any) -> bool:
    """Whether a field can hold a value: its codecs have a word for it, and it is among those held.

    Reading what is written must give the value again.
    """
    if rule is None:
        return False
    field = plain(rule)
    if field.among and value not in field.among:
        return False
    if field.flags:
        return not isinstance(value, tuple) or value == tuple(w for w in field.flags if w in value)
    if not field.through:
        return True
    decode, encode = chain(field.through, "")
    try:
        said = encode(value)
        # A list of none that is written as nothing would be read as what is usual.
        return bool(decode(said) == value) and bool(said or value != () or not field.standard)
    except (KeyError, ValueError, TypeError, OutsideError, WrongTypeError):
        return False


def holds_value(profile: Profile, name: str, value: Any) -> bool:
    """Whether items can hold a value of the field with this name, and give it back."""
    rule = profile.items.fields.get(name)
    if rule is None or not can_write(rule, value):
        return False
    at = plain(rule).at
    if at.endswith("#text") and isinstance(value, str) and value != " ".join(value.split()):
        return False
    head, _, part = at.rpartition("/")
    template = profile.items.composed.get(head)
    if template is None:
        return True
    _, encode = chain(plain(rule).through, name)
    return Composed(template).holds(part, str(encode(value)))


def marks_of(only: Mapping[str, str]) -> dict[str, str]:
    """The values by which a list's rule knows its records: they say nothing more."""
    return {key: value for key, value in only.items() if not value.endswith("*")}


def _value(standard: Any) -> Any:
    return tuple(standard) if isinstance(standard, list) else standard


def languages(value: Any) -> dict[str, str]:
    """A mapping from language to text."""
    if not isinstance(value, dict):
        raise WrongTypeError(f"found {kind_of(value)} where a text for each language is needed")
    if not all(type(words) is str for words in value.values()) or hasattr(value, "others"):
        raise OutsideError
    return dict(value)


class _Under(dict[str, str]):
    """Keys of a nested mapping as they are laid out flat: `head/key`, each made once."""

    def __init__(self, head: str) -> None:
        self.head = head

    def __missing__(self, key: str) -> str:
        self[key] = f"{self.head}/{key}"
        return self[key]


class Composed:
    """A text put together from parts: `{sort}!{ref}`. Separators stand between all of them."""

    def __init__(self, template: str) -> None:
        """Raises `ProfileError` where a text could not be taken apart again."""
        words = re.split(r"\{([a-z0-9_-]+)\}", template)
        self.parts, self.between = words[1::2], words[0::2]
        if not self.parts or not all(self.between[1:-1]):
            raise ProfileError(
                f"{template!r} cannot be written back: names in braces with a text between them "
                "are needed, as in '{sort}!{ref}'"
            )
        if len(set(self.parts)) < len(self.parts):
            raise ProfileError(f"{template!r} cannot be written back: it names a part twice")

    def split(self, words: str) -> Any:
        """The parts of a text that are not empty; the text itself where it is not so composed."""
        first, *seps, last = self.between
        if not (words.startswith(first) and words.endswith(last)):
            return words
        rest = words[len(first) : len(words) - len(last)] if last else words[len(first) :]
        if len(first) + len(last) > len(words):
            return words
        found: dict[str, str] = {}
        for part, sep in zip(self.parts, seps, strict=False):
            value, known, rest = rest.partition(sep)
            if not known:
                return words
            found[part] = value
        found[self.parts[-1]] = rest
        return {part: value for part, value in found.items() if value}

    def join(self, values: Mapping[str, Any]) -> str:
        """A text of its parts; one that is missing is empty."""
        said = [str(values.get(part) or "") for part in self.parts]
        return self.between[0] + "".join(
            value + after for value, after in zip(said, self.between[1:], strict=True)
        )

    def holds(self, part: str, value: str) -> bool:
        """Whether a value can stand in a part: it is read again, and not as another one."""
        found = self.split(self.join({part: value}))
        return isinstance(found, dict) and found.get(part, "") == value and len(found) <= 1


class Head(NamedTuple):
    """A name that holds further ones: `category[@domain=nav]` and what is known below it."""

    alias: str
    name: str
    attribute: str
    wanted: str
    below: dict[str, list[Head]]
    keys: _Under

    def admits(self, node: Mapping[str, Any]) -> bool:
        """Whether an element has the attribute that is asked of it."""
        return not self.attribute or node.get(self.attribute) == self.wanted


class _Way(NamedTuple):
    """How a key is written: into a fold, below heads that rules know, or below any.

    `heads` is None where it stands in the record itself. `title` is its first name, with what
    that has to say, and `rest` what is behind it, None for nothing.
    """

    folds: bool
    nested: bool
    heads: tuple[str, ...] | None
    last: str
    title: str
    attribute: str
    wanted: str
    rest: str | None


MOST_WAYS = 5_000
"""Keys of which is remembered how they are written."""

_FILTER = re.compile(r"([^\[]+)\[([^=\]]+)=([^\]]*)\]")


def _heads(keys: Iterable[str], before: str = "") -> dict[str, list[Head]]:
    """What keys such as `a/b/@c` and `a[@x=y]/b` hold, by their first name."""
    grouped: dict[str, list[str]] = {}
    for key in keys:
        alias, slash, rest = _first(key)
        if slash:
            grouped.setdefault(alias, []).append(rest)
    found: dict[str, list[Head]] = {}
    for alias, rests in grouped.items():
        parts = _FILTER.fullmatch(alias)
        title, attribute, wanted = parts.groups() if parts else (alias, "", "")
        path = before + alias
        head = Head(alias, title, attribute, wanted, _heads(rests, path + "/"), _Under(path))
        # Those with a filter are tried before the one without.
        found.setdefault(title, []).insert(0 if attribute else 99, head)
    return found


def _first(key: str) -> tuple[str, str, str]:
    """The first name of a path, with its filter, and the rest."""
    parts = _FILTER.match(key)
    if parts and key.startswith("/", parts.end()):
        return parts[0], "/", key[parts.end() + 1 :]
    return key.partition("/")


class RecordRule:
    """Reads records into values by slot name, and writes them back.

    `raw` are further keys that are read and written as they stand; their slot is the key itself.
    `called` are other names for the values of fields, where a raw key is called like one of them.
    `marks` are values that say nothing where they stand, and that others write.
    """

    def __init__(
        self,
        shape: Shape,
        fields: FieldRules,
        *,
        raw: Iterable[str] = (),
        own: Iterable[str] = (),
        fold: FoldRule | None = None,
        embedded: Iterable[str] = (),
        serialised: Iterable[str] = (),
        composed: Mapping[str, str] | None = None,
        numbers: Iterable[str] = (),
        booleans: Iterable[str] = (),
        blanks: Iterable[str] = (),
        constants: Mapping[str, Any] | None = None,
        marks: Mapping[str, str] | None = None,
        present: Iterable[str] = (),
        called: Mapping[str, str] | None = None,
    ) -> None:
        self.shape = shape
        self.fold = fold
        self.composed = {key: Composed(words) for key, words in (composed or {}).items()}
        # Texts with something inside, and how each is taken apart.
        self.texts: dict[str, Callable[[str], Any]] = dict.fromkeys(embedded, _parsed)
        if serialised:
            from .serialised import unserialised

            self.texts.update(dict.fromkeys(serialised, unserialised))
        self.texts.update((key, text.split) for key, text in self.composed.items())
        self.numbers = frozenset(numbers)
        self.booleans = frozenset(booleans)
        self.blanks = tuple(blanks)
        self.constants = dict(constants or {})
        self.called = called or {}
        self.needed: list[tuple[str, str]] = []
        self.slots: dict[str, Slot] = {}
        self.patterns: list[tuple[str, str]] = []
        self.among: dict[str, frozenset[str]] = {}
        self.known: dict[str, tuple[str, Callable[[Any], Any] | None]] = {}
        asked = frozenset(present)  # whether something stands there, whatever that is
        for key in raw:
            decode = None if shape.ALWAYS_TEXT else yes if key in self.booleans else name
            self.known[key] = (key, _anything if key in asked else decode)
        for key, value in (*self.constants.items(), *(marks or {}).items()):
            self.known[key] = ("=" + key, _constant(value))
        for field, short in fields.items():
            self._add(field, plain(short))
        self.flags = {slot.name: slot for slot in self.slots.values() if slot.flags}
        self.own = frozenset(own)  # keys of the record's structure, read elsewhere
        self.nested = _heads([*self.known, *self.own])
        self._ways: dict[str, _Way] = {}
        self.layouts: Any = None  # how its records are laid out: see `laid.layouts_of`
        self._mappings = type(shape) is type(MAPPINGS)
        self.is_plain = not (fold or self.texts or self.nested)

    def _add(self, field: str, rule: FieldRule) -> None:
        if rule.is_ is not None:
            return
        if rule.at.endswith("*"):
            self.patterns.append((field, rule.at[:-1]))
            return
        # Of flags `but` says that each one switches its word off; the other steps are of each flag.
        but = next((step["but"] for step in rule.through if rule.flags and "but" in step), None)
        steps = [step for step in rule.through if but is None or "but" not in step]
        decode, encode = chain(steps, field)
        if but is not None and not steps:
            decode = _yes_or_no
        if rule.languages:
            decode = languages
        if rule.among:
            decode = _among(decode, frozenset(rule.among))
        as_it_is = self.shape.ALWAYS_TEXT and not (rule.through or rule.among or rule.languages)
        standard = _value(rule.standard)
        flags = tuple(rule.flags.items())
        self.slots[field] = Slot(
            field, rule.at, encode, standard, rule.always, flags, tuple(but or ())
        )
        if flags:
            for word, key in flags:
                self.known[key] = (f"{field} {word}", decode)
            return
        name_ = self.called.get(field, field)
        self.known[rule.at] = (name_, None if as_it_is else decode)
        if rule.needed:
            self.needed.append((name_, rule.at))

    def pairs(self, node: Any) -> Pairs:
        """The keys and values of a record: folded children and nested keys laid out flat."""
        if self.is_plain:
            return list(self.shape.pairs(node))
        found: Pairs = []
        fold = self.fold
        if fold is None:
            inner: Iterable[tuple[str, Any]] = self.shape.pairs(node)
        elif fold.named:
            inner = self._named_folded(node, fold)
        elif "/" in fold.key:
            inner = self._deep_folded(node, fold)
        else:
            inner = self.shape.folded(node, fold.children, fold.key, fold.value)
        if not self.nested and not self.texts:
            return list(inner)
        self._lay_out(inner, self.nested, "", found)
        return found

    def known_pairs(self, node: Any) -> Pairs:
        """The keys and values of a record that rules read, and no others."""
        return [(key, value) for key, value in self.pairs(node) if key in self.known]

    def _lay_out(
        self,
        pairs: Iterable[tuple[str, Any]],
        known: dict[str, list[Head]],
        before: str,
        found: Pairs,
    ) -> None:
        for key, value in pairs:
            take_apart = self.texts.get(before + key) if self.texts else None
            if take_apart is not None and type(value) is str:
                value = take_apart(value)
            if key not in known:
                found.append((before + key, value))
                continue
            if value is None:
                continue
            if not isinstance(value, dict):
                if before or take_apart is not None or before + key in self.known:
                    found.append((before + key, value))
                    continue
                raise FormatError(f"{key}: found {kind_of(value)} where a mapping is needed")
            head = next((h for h in known[key] if h.admits(value)), None)
            if head is None:
                found.append((before + key, value))
                continue
            shape = self.shape if take_apart is None else MAPPINGS
            held = [pair for pair in shape.pairs(value) if pair[0] != head.attribute]
            if head.below:
                self._lay_out(held, head.below, head.keys.head + "/", found)
            else:
                names = head.keys
                found += [(names[inner], v) for inner, v in held]

    def _named_folded(self, node: Any, fold: FoldRule) -> Iterator[tuple[str, Any]]:
        """Children of one name as one field, each with its own key behind the name.

        They stand in the record, or all of them in one element around them.
        """
        around, _, name = fold.children.rpartition("/")
        for child, inner in self.shape.pairs(node):
            if not around:
                entry = _entry_of(inner, fold) if child == name else None
                yield entry or (child, inner)
                continue
            held = list(self.shape.pairs(inner)) if child == around else []
            entries = [_entry_of(one, fold) if title == name else None for title, one in held]
            if entries and None not in entries:
                yield from (entry for entry in entries if entry is not None)
            else:
                yield child, inner

    def _deep_folded(self, node: Any, fold: FoldRule) -> Iterator[tuple[str, Any]]:
        """Children that hold their key and their value in elements of their own."""
        for child, inner in self.shape.pairs(node):
            if child == fold.children and isinstance(inner, dict):
                key, value = (self._at(inner, path) for path in (fold.key, fold.value))
                if isinstance(key, str) and folds(key) and len(list(self.shape.pairs(inner))) <= 2:
                    yield key, value or ""
                    continue
            yield child, inner

    def _at(self, node: Any, path: str) -> Any:
        for part in path.split("/"):
            node = self.shape.step(node, part) if node is not None else None
        return node

    def read(self, node: Any) -> tuple[Values, list[Extra]]:
        """Values by slot, and what no rule read. Raises `FormatError` without file and place."""
        if not isinstance(node, dict):
            raise FormatError(f"found {kind_of(node)} where a mapping is needed")
        return self.read_pairs(self.pairs(node))

    def read_pairs(self, pairs: Pairs) -> tuple[Values, list[Extra]]:
        """As `read`, of keys and values that are laid out already."""
        values: Values = {}
        extras: list[Extra] = []
        known = self.known
        for key, value in pairs:
            hit = known.get(key)
            if hit is None:
                if key not in self.own:
                    self._unread(key, value, values, extras)
                continue
            slot, decode = hit
            if value is None:
                continue
            if slot in values or (extras and any(extra.path == key for extra in extras)):
                extras.append(Extra(key, value, _times(extras, key) + 1))
                continue
            if decode is None and type(value) is str:
                values[slot] = value
                continue
            try:
                values[slot] = (decode or text)(value)
                if decode is not None and decode in PRESENCE and isinstance(value, dict):
                    # What it says beside that it is there.
                    extras += [Extra(f"{key}/{k}", v) for k, v in self.shape.pairs(value)]
            except OutsideError:
                extras.append(Extra(key, value))
            except WrongTypeError as error:
                raise FormatError(f"{key}: {error}") from None
        if self.flags:
            self._join_flags(values)
        for slot, key in self.needed:
            if slot not in values and not any(extra.path == key for extra in extras):
                raise FormatError(f"it has no {key.lstrip('@')}, which is needed")
        return values, extras

    def _join_flags(self, values: Values) -> None:
        for field, slot in self.flags.items():
            called = self.called.get(field, field)
            there = {word: values.pop(f"{field} {word}", None) for word, _ in slot.flags}
            if slot.but:
                off = {word for word, value in there.items() if value is True}
                values[called] = tuple(word for word in slot.but if word not in off)
            elif any(value is not None for value in there.values()):
                values[called] = tuple(word for word, value in there.items() if value is not False)

    def _unread(self, key: str, value: Any, values: Values, extras: list[Extra]) -> None:
        again = _times(extras, key)
        for field, start in self.patterns:
            if key.startswith(start) and len(key) > len(start) and type(value) is str:
                group = values.setdefault(self.called.get(field, field), {})
                if key[len(start) :] not in group:
                    group[key[len(start) :]] = value
                    return
                again += 1
        extras.append(Extra(key, value, again))

    def _first_ones(self, pairs: Pairs, extras: Iterable[Extra], instead: set[str]) -> Pairs:
        """Standard values that must be written because a repeated key would else come first."""
        there = {key for key, _ in pairs} | instead
        found: Pairs = []
        for extra in extras:
            if extra.again and extra.path not in there:
                there.add(extra.path)
                slot = next((s for s in self.slots.values() if s.key == extra.path), None)
                if slot is not None:
                    value = slot.encode(slot.standard) if slot.standard is not None else ""
                    found.append((slot.key, value))
        return found

    def full(self, pairs: Pairs, extras: Iterable[Extra] = ()) -> Pairs:
        """These keys and values with constants, blanks and extras, in the order of writing.

        An extra stands in for a key that it is named by.
        """
        extras = tuple(extras)
        if self.numbers:
            pairs = [(k, as_number(v) if k in self.numbers else v) for k, v in pairs]
        if self.booleans:
            pairs = [(k, bool(v) if k in self.booleans else v) for k, v in pairs]
            there = {key for key, _ in pairs}
            pairs += [(key, False) for key in sorted(self.booleans - there)]
        if self.constants:
            pairs = [*pairs, *self.constants.items()]
        if self.blanks:
            there = {key for key, _ in pairs} | {key.partition("/")[0] for key, _ in pairs}
            pairs = [*pairs, *((key, None) for key in self.blanks if key not in there)]
        if extras:
            instead = {extra.path for extra in extras if not extra.again}
            inside = tuple(path + "/" for path in instead if path in self.texts)
            pairs = [p for p in pairs if p[0] not in instead and not p[0].startswith(inside)]
            pairs += self._first_ones(pairs, extras, instead)
            pairs += [(extra.path, extra.value) for extra in extras]
        return pairs

    def write(self, pairs: Pairs, extras: Iterable[Extra] = ()) -> Any:
        """A record of these keys and values, in their order, and of extras behind them."""
        return self.built(self.full(pairs, extras))

    def built(self, pairs: Pairs) -> Any:
        """A record of these keys and values and nothing else."""
        shape, fold, ways = self.shape, self.fold, self._ways
        if self.is_plain and self._mappings:
            flat = dict(pairs)
            if len(flat) == len(pairs):
                return flat
        node = shape.new()
        if self.texts:
            pairs = self._packed(pairs)
        for key, value in pairs:
            way = ways.get(key) or self._way(key)
            if way.folds and fold is not None and type(value) is str:
                if fold.named:
                    says = {fold.value: value} if value else {}
                    lang = key[len(fold.named) + 1 :]
                    *around, child = fold.children.split("/")
                    holder = shape.ensure(node, tuple(around)) if around else node
                    shape.add(holder, child, {fold.key: lang, **says} if lang else says)
                else:
                    shape.add(node, fold.children, self._entry(fold, key, value))
            elif way.heads is None:
                node = shape.add(node, key, value)
            elif way.nested:
                node = self._put(node, key, value)
            else:
                shape.add(shape.ensure(node, way.heads), way.last, value)
        return node

    def _way(self, key: str) -> _Way:
        """How a key is written, remembered for the records that follow."""
        fold = self.fold
        to_fold = fold is not None and (_is_named(fold, key) if fold.named else folds(key))
        alias, slash, rest = _first(key)
        parts = _FILTER.fullmatch(alias)
        title, attribute, wanted = parts.groups() if parts else (alias, "", "")
        nested = bool(self.nested) and "/" in key and alias.split("[")[0] in self.nested
        *heads, last = key.split("/")
        flat = not nested and not (self.shape.ALWAYS_TEXT and heads)
        held = None if flat else tuple(heads)
        made = _Way(to_fold, nested, held, last, title, attribute, wanted, rest if slash else None)
        if len(self._ways) < MOST_WAYS:
            self._ways[key] = made
        return made

    def _entry(self, fold: FoldRule, key: str, value: str) -> Any:
        if "/" not in fold.key:
            return {fold.key: key, fold.value: value} if value else {fold.key: key}
        entry = self.shape.new()
        entry = self._put(entry, fold.key, key)
        return self._put(entry, fold.value, value) if value else entry

    def _put(self, node: Any, key: str, value: Any) -> Any:
        """Set what a path names, in the first element that it fits and that has no such thing."""
        shape = self.shape
        way = self._ways.get(key) or self._way(key)
        title, attribute, wanted, rest = way.title, way.attribute, way.wanted, way.rest
        if rest is None:
            return shape.add(node, key, value)
        if self._mappings and way.heads is not None and _set(node, way.heads, way.last, value):
            return node
        if not shape.ALWAYS_TEXT:
            if shape.step(node, title) is None:
                shape.put(node, title, shape.new())
            inner = shape.step(node, title)
            if not isinstance(inner, dict):
                raise RefusedError(
                    f"{title!r} says something by itself, and {key!r} is to stand inside it: the "
                    "profile has both, and one record cannot"
                )
            made = self._put(inner, rest, value)
            if made is not inner:
                shape.put(node, title, made)
            return node
        for child, inner in node.get("#children", ()):
            admitted = child == title and (not attribute or inner.get(attribute) == wanted)
            if admitted and not self._has(inner, rest):
                self._put(inner, rest, value)
                return node
        inner = shape.new()
        if attribute:
            inner[attribute] = wanted
        shape.add(node, title, inner)
        self._put(inner, rest, value)
        return node

    def _has(self, node: Any, key: str) -> bool:
        alias, slash, rest = _first(key) if "/" in key else (key, "", "")
        found = self.shape.step(node, alias.split("[")[0])
        return found is not None and (not slash or self._has(found, rest))

    def _packed(self, pairs: Pairs) -> Pairs:
        """Keys that stand inside a text put together to that text."""
        found: Pairs = []
        packed: dict[str, dict[str, Any]] = {}
        for key, value in pairs:
            head = next((head for head in self.texts if key.startswith(head + "/")), None)
            if head is None:
                found.append((key, value))
                continue
            if head not in packed:
                packed[head] = {}
                found.append((head, None))
            inner = packed[head]
            *path, last = key[len(head) + 1 :].split("/")
            for part in path:
                inner = inner.setdefault(part, {})
            inner[last] = value
        return [(k, self._text(k, packed[k]) if k in packed else v) for k, v in found]

    def _text(self, key: str, values: dict[str, Any]) -> str:
        if key in self.composed:
            return self.composed[key].join(values)
        return json.dumps(values, ensure_ascii=False)


def _set(node: Any, heads: tuple[str, ...], last: str, value: Any) -> bool:
    """Set what a path names in mappings; False where something stands there already."""
    for head in heads:
        if type(node) is not dict or "[" in head:
            return False
        inner = node.get(head)
        if inner is None:
            inner = node[head] = {}
        node = inner
    if type(node) is not dict or last in node:
        return False
    node[last] = value
    return True


def _entry_of(node: Any, fold: FoldRule) -> tuple[str, Any] | None:
    """The one field of a fold that a child says, with its own key; None where it says more."""
    if not isinstance(node, dict) or not set(node) <= {fold.key, fold.value}:
        return None
    key = node.get(fold.key)
    if key is not None and not folds(key):
        return None
    return fold.named if key is None else f"{fold.named}@{key}", node.get(fold.value, "")


def _is_named(fold: FoldRule, key: str) -> bool:
    """Whether a key is that of the one field of a fold, with a key of its own or without."""
    return key == fold.named or key.startswith(f"{fold.named}@")


def _anything(value: Any) -> str:
    """That something stands there, as a text."""
    return value if isinstance(value, str) else ""


PRESENCE = frozenset({_anything, there})
"""Codecs that ask no more than whether something stands there."""


def _parsed(value: str) -> Any:
    """A text of JSON as a mapping; the text itself where it is none."""
    try:
        found = json.loads(value) if value[:1] == "{" else value
    except (ValueError, RecursionError):
        return value
    plain = isinstance(found, dict) and json.loads(json.dumps(found)) == found
    return found if plain and len(found) == len(_keys(value)) else value


def _keys(value: str) -> list[str]:
    """The keys of a text of JSON, those that are repeated included."""
    found: list[str] = json.loads(value, object_pairs_hook=lambda pairs: [k for k, _ in pairs])
    return found


def _constant(wanted: Any) -> Callable[[Any], Any]:
    def decode(value: Any) -> Any:
        if value != wanted or type(value) is not type(wanted):
            raise OutsideError
        return value

    return decode


def _among(decode: Callable[[Any], Any], words: frozenset[str]) -> Callable[[Any], Any]:
    def checked(value: Any) -> Any:
        found = decode(value)
        if found not in words:
            raise OutsideError
        return found

    return checked


def _times(extras: list[Extra], key: str) -> int:
    return sum(extra.path == key for extra in extras)


def fits(shape: Shape, node: Any, only: Mapping[str, str]) -> bool:
    """Whether a record has the values that a rule asks for; a `*` at the end is anything."""
    for path, wanted in only.items():
        value = node
        for part in path.split("/"):
            value = shape.step(value, part) if isinstance(value, dict) else None
        if not matches(value, wanted):
            return False
    return True
