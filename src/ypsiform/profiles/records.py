"""Field rules compiled: one object for each shape of record, which reads and writes it.

Reading runs over the keys that a record has, not over the rules, so its cost follows the data and
whatever no rule asked for is found on the way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from ..containers import Shape
from ..containers.json import kind_of
from ..errors import FormatError
from ..model import Extra
from .codecs import OutsideError, WrongTypeError, chain, text
from .schema import FieldRule, FieldRules, FoldRule

Values = dict[str, Any]
Pairs = list[tuple[str, Any]]


class Slot(NamedTuple):
    """One compiled field: where it stands, and how it is written."""

    name: str
    key: str
    encode: Callable[[Any], Any]
    standard: Any


def plain(rule: str | FieldRule) -> FieldRule:
    """A field rule in full, from its short form."""
    return FieldRule(at=rule) if isinstance(rule, str) else rule


def _value(standard: Any) -> Any:
    return tuple(standard) if isinstance(standard, list) else standard


class _Under(dict[str, str]):
    """Keys of a nested mapping as they are laid out flat: `head/key`, each made once."""

    def __init__(self, head: str) -> None:
        self.head = head

    def __missing__(self, key: str) -> str:
        self[key] = f"{self.head}/{key}"
        return self[key]


class RecordRule:
    """Reads records into values by slot name, and writes them back.

    `raw` are further keys that are read and written as they stand; their slot is the key itself.
    """

    def __init__(
        self,
        shape: Shape,
        fields: FieldRules,
        *,
        raw: Iterable[str] = (),
        own: Iterable[str] = (),
        fold: FoldRule | None = None,
    ) -> None:
        self.shape = shape
        self.fold = fold
        self.needed: list[tuple[str, str]] = []
        self.slots: dict[str, Slot] = {}
        self.patterns: list[tuple[str, str]] = []
        self._known: dict[str, tuple[str, Callable[[Any], Any] | None]] = {}
        for key in raw:
            self._known[key] = (key, None if shape.ALWAYS_TEXT else text)
        for name, short in fields.items():
            rule = plain(short)
            if rule.is_ is not None:
                continue
            if rule.at.endswith("*"):
                self.patterns.append((name, rule.at[:-1]))
                continue
            decode, encode = chain(rule.through, name)
            as_it_is = shape.ALWAYS_TEXT and not rule.through
            self.slots[name] = Slot(name, rule.at, encode, _value(rule.standard))
            self._known[rule.at] = (name, None if as_it_is else decode)
            if rule.needed:
                self.needed.append((name, rule.at))
        self._own = frozenset(own)  # keys of the record's structure, read elsewhere
        self._nested = {
            key.split("/")[0]: _Under(key.split("/")[0]) for key in self._known if "/" in key
        }

    def pairs(self, node: Any) -> Pairs:
        """The keys and values of a record: folded children and nested keys laid out flat."""
        fold = self.fold
        nested = self._nested
        if fold is not None:
            return self.shape.folded(node, fold.children, fold.key, fold.value)
        found: Pairs = []
        for key, value in self.shape.pairs(node):
            if key in nested and value is not None:
                if not isinstance(value, dict):
                    raise FormatError(f"{key}: found {kind_of(value)} where a mapping is needed")
                names = self._nested[key]
                found += [(names[inner], v) for inner, v in self.shape.pairs(value)]
            else:
                found.append((key, value))
        return found

    def read(self, node: Any) -> tuple[Values, list[Extra]]:
        """Values by slot, and what no rule read. Raises `FormatError` without file and place."""
        if not isinstance(node, dict):
            raise FormatError(f"found {kind_of(node)} where a mapping is needed")
        values: Values = {}
        extras: list[Extra] = []
        known = self._known
        for key, value in self.pairs(node):
            hit = known.get(key)
            if hit is None:
                if key not in self._own:
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
            except OutsideError:
                extras.append(Extra(key, value))
            except WrongTypeError as error:
                raise FormatError(f"{key}: {error}") from None
        for slot, key in self.needed:
            if slot not in values and not any(extra.path == key for extra in extras):
                raise FormatError(f"it has no {key.lstrip('@')}, which is needed")
        return values, extras

    def _unread(self, key: str, value: Any, values: Values, extras: list[Extra]) -> None:
        again = _times(extras, key)
        for name, start in self.patterns:
            if key.startswith(start) and len(key) > len(start) and type(value) is str:
                group = values.setdefault(name, {})
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

    def write(self, pairs: Pairs, extras: Iterable[Extra] = ()) -> Any:
        """A record of these keys and values, in their order, and of extras behind them.

        An extra stands in for a key that it is named by.
        """
        shape, fold = self.shape, self.fold
        node = shape.new()
        extras = tuple(extras)
        if extras:
            instead = {extra.path for extra in extras if not extra.again}
            pairs = [pair for pair in pairs if pair[0] not in instead]
            pairs += self._first_ones(pairs, extras, instead)
            pairs += [(extra.path, extra.value) for extra in extras]
        for key, value in pairs:
            if fold is not None and key[0] not in "@#" and type(value) is str:
                entry = {fold.key: key, fold.value: value} if value else {fold.key: key}
                shape.add(node, fold.children, entry)
            elif self._nested and key.split("/")[0] in self._nested and "/" in key:
                head, _, rest = key.partition("/")
                if shape.step(node, head) is None:
                    shape.put(node, head, shape.new())
                inner = shape.step(node, head)
                made = shape.add(inner, rest, value)
                if made is not inner:
                    shape.put(node, head, made)
            else:
                node = shape.add(node, key, value)
        return node


def _times(extras: list[Extra], key: str) -> int:
    return sum(extra.path == key for extra in extras)
