"""Labels that stand in a list of their own, by the id of the record that they are of.

Such are tables of translations: a row for each record and language.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from .columns import GOOD, Column, columns, label_of
from .tables import LANGUAGES, Table

NAME = "also"
"""What comes before the fields of records that are joined."""

MOST_LANGUAGES = 40


def with_joins(found: Sequence[Table]) -> list[Table]:
    """These tables, those without labels with the fields of records that belong to theirs."""
    return [_joined(table, [other for other in found if other is not table]) for table in found]


def _joined(table: Table, others: Sequence[Table]) -> Table:
    known = columns(table)
    label = label_of(known)
    if table.names is not None or table.only or len(table.rows) < 3:
        return table
    if label is not None and label.score >= GOOD:
        return table
    for ident in (column for column in known.values() if column.unique):
        for other in others:
            rule = _rule(ident, other)
            if rule is not None:
                return _with(table, ident, other, rule)
    return table


def _rule(ident: Column, other: Table) -> dict[str, Any] | None:
    """How records of a list belong to those of another one; None where they do not."""
    known = columns(other)
    ids = set(ident.texts)
    if other.names is not None or other.only or len(other.rows) < 0.8 * len(ids):
        return None
    for on, column in known.items():
        held = set(column.filled)
        if column.full < 1.0 or not held <= ids or len(held) < 0.8 * len(ids):
            continue
        label = label_of(known, [on])
        if label is None or label.score < GOOD:
            continue
        rule: dict[str, Any] = {"at": other.at, "on": on, "name": NAME}
        if column.unique:
            return rule if len(other.fields) < 4 else None  # else it is a list of its own
        for field, words in known.items():
            kinds = Counter(words.texts)
            several = field not in (on, label.field) and 1 < len(kinds) <= MOST_LANGUAGES
            if not several or not all(isinstance(value, str) and value for value in words.raw):
                continue
            if len(set(zip(column.texts, words.texts, strict=True))) == len(column.texts):
                most = max(kinds.values())
                first = next(word for word in words.texts if kinds[word] == most)
                made = {**rule, "only": {field: first}}
                spoken = all(word.casefold()[:2] in LANGUAGES for word in kinds)
                return {**made, "language": field} if spoken else made
    return None


def _with(table: Table, ident: Column, other: Table, rule: dict[str, Any]) -> Table:
    """A table with the fields of the records that belong to each of its own."""
    made = Table(table.at, table.nodes)
    made.fields = list(table.fields)
    only = rule.get("only", {})
    by: dict[str, Any] = {}
    ons = columns(other)[rule["on"]].texts
    for on, row in zip(ons, other.rows, strict=True):
        if all(row.get(field) == word for field, word in only.items()):
            by.setdefault(on, row)
    for text, row in zip(ident.texts, made.rows, strict=True):
        for field, value in by.get(text, {}).items():
            if field != rule["on"] and field not in only:
                row[f"{NAME}/{field}"] = value
    more = [f"{NAME}/{f}" for f in other.fields if f != rule["on"] and f not in only]
    made.fields += more
    made.joins = [rule]
    return made
