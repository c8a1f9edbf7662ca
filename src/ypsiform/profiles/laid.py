"""Records laid out flat, remembering how those that are alike are laid out.

`RecordRule.pairs` lays any record out; what is here gives the same for most records in a fraction
of the time, and nothing for those that it would have to look at more closely.
"""

from __future__ import annotations

from typing import Any

from ..containers import folds
from ..containers.json import MappingShape
from ..containers.xml import ElementShape
from .records import Head, RecordRule

MOST_LAYOUTS = 2_000
"""Layouts that are kept: a file in which every record has its own gains nothing by them."""

Laid = tuple[list[str], list[Any]]
"""The keys of a record, and its values."""


class Layouts:
    """Lays records out flat, as `RecordRule.pairs` does, remembering how like elements are laid."""

    def __init__(self, record: RecordRule) -> None:
        self.record, fold, shape = record, record.fold, type(record.shape)
        self.trims = isinstance(record.shape, ElementShape) and record.shape.TRIMS
        elements = shape.pairs is ElementShape.pairs or self.trims
        elements = elements and shape.folded is ElementShape.folded
        deep = fold is not None and ("/" in fold.key or "/" in fold.children)
        self.elements = elements and not record.texts and not deep
        self.mappings = shape.pairs is MappingShape.pairs and not (record.texts or fold)
        # Whether it lays such records out itself, and does not ask the rule each time.
        self.shaped = self.elements or self.mappings
        self.child = fold.children if fold is not None else None
        # What a record holds that is read elsewhere, and the elements that hold nothing but that.
        self.elsewhere = record.own - record.known.keys()
        self.own = self.elsewhere - record.nested.keys()
        self.holders = {key.partition("/")[0] for key in self.elsewhere if "/" in key}
        # By the name of an element and its keys the flat ones; None where values decide more.
        self.names: dict[tuple[str, ...], list[str] | None] = {}
        self.folded: dict[str, str] = {}

    def lay(self, node: Any) -> Laid | None:
        """The keys and values of a record; None where they have to be looked at one by one."""
        if self.elements:
            return self._elements(node)
        if self.mappings and type(node) is dict:
            if self.record.is_plain:
                return list(node), list(node.values())
            keys: list[str] = []
            values: list[Any] = []
            known = self.record.nested
            return (keys, values) if _mapping(node, known, "", keys, values) else None
        pairs = self.record.pairs(node)
        return [key for key, _ in pairs], [value for _, value in pairs]

    def _elements(self, node: Any) -> Laid | None:
        keys: list[str] = []
        values: list[Any] = []
        names, child, own = self.names, self.child, self.own
        for key, value in node.items():
            if key[:1] == "@":
                keys.append(key)
                values.append(value)
                continue
            if key != "#children":
                return None
            for title, inner in value:
                if title == child:
                    folded = self._folded(inner)
                    if folded is None:
                        return None
                    keys.append(folded[0])
                    values.append(folded[1])
                    continue
                if title in own:
                    continue
                if not isinstance(inner, dict):
                    return None
                if title in self.holders and self._holds(title, inner):
                    continue
                layout = (title, *inner)
                if layout not in names:
                    if len(names) > MOST_LAYOUTS:
                        return None
                    names[layout] = self._named(title, list(inner))
                flat = names[layout]
                if flat is None:
                    return None
                if flat:
                    keys += flat
                    text = inner.get("#text", "x")
                    if text.isspace():
                        return None  # layout, and no text
                    values += inner.values()
                    if self.trims and "#text" in inner:
                        values[list(inner).index("#text") - len(inner)] = text.strip()
                elif title not in self.record.nested:
                    keys.append(title)
                    values.append(inner)
        return keys, values

    def _holds(self, title: str, inner: Any) -> bool:
        """Whether an element holds nothing but what is read elsewhere."""
        held = inner.get("#children", ()) if len(inner) == 1 else ()
        return bool(held) and all(f"{title}/{name}" in self.elsewhere for name, _ in held)

    def _named(self, title: str, keys: list[str]) -> list[str] | None:
        """The flat keys of an element; none of them where it is kept whole, or says nothing."""
        heads = self.record.nested.get(title)
        if heads is None:
            return []
        head = heads[0]
        if len(heads) > 1 or head.attribute or "#children" in keys:
            return None
        return [head.keys[key] for key in keys]

    def _folded(self, inner: Any) -> tuple[str, Any] | None:
        fold = self.record.fold
        if fold is None or not isinstance(inner, dict) or len(inner) > 2:
            return None
        key = inner.get(fold.key)
        if len(inner) > (key is not None) and fold.value not in inner:
            return None  # it says something else
        if key is None:
            named = fold.named
        elif key in self.folded:
            named = self.folded[key]
        elif folds(key):
            named = self.folded[key] = f"{fold.named}@{key}" if fold.named else key
        else:
            return None
        if not named or named in self.record.nested:
            return None
        return named, inner.get(fold.value, "")


def layouts_of(record: RecordRule) -> Layouts:
    """How the records of a rule are laid out, remembered with the rule."""
    if record.layouts is None:
        record.layouts = Layouts(record)
    made: Layouts = record.layouts
    return made


def _mapping(
    node: dict[str, Any],
    known: dict[str, list[Head]],
    before: str,
    keys: list[str],
    values: list[Any],
) -> bool:
    """Lay a mapping out flat; False where something in it has to be looked at."""
    # No deeper than the paths of the profile are.
    for key, value in node.items():
        heads = known.get(key)
        if heads is None:
            keys.append(before + key)
            values.append(value)
            continue
        if value is None:
            continue
        head = heads[0]
        if type(value) is not dict or len(heads) > 1 or head.attribute:
            return False
        if head.below:
            if not _mapping(value, head.below, f"{head.keys.head}/", keys, values):
                return False
        else:
            names = head.keys
            keys += [names[inner] for inner in value]
            values += value.values()
    return True
