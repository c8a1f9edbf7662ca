"""Tables inside a document: a list of columns, and rows that are lists of values.

They are read as lists of mappings, so that all other rules can walk them, and are written back as
they stood: columns in their order, new ones behind them.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..containers import header
from ..errors import FormatError
from .gathered import at, put
from .schema import GridRule, Profile

HEADS = "#heads"
"""The key of a document under which the columns of its tables are kept, by where the rows stand."""


def opened(tree: Any, profile: Profile, file: str) -> Any:
    """A document with the rows of its tables as mappings. An empty cell is an absent key.

    Raises `FormatError` for a table whose columns are not named, or that has more cells than these.
    """
    if not profile.grids or not isinstance(tree, dict):
        return tree
    return with_grids(tree, profile.grids, file)


def with_grids(tree: Any, grids: Sequence[GridRule], file: str) -> Any:
    """A document whose rows at these places are mappings. Raises `FormatError` as `opened`."""
    heads: dict[str, list[str]] = dict(tree.get(HEADS, {}))
    for rule in grids:
        rows = at(tree, rule.at)
        if rows is None:
            continue
        if not isinstance(rows, list):
            raise FormatError("found no list where rows are needed", file=file, place=rule.at)
        names, first = _names(tree, rule, rows, file), 0 if rule.columns else 1
        made = [_record(row, names, file, f"{rule.at}/{n}") for n, row in enumerate(rows)][first:]
        heads[rule.at] = names
        tree = put(tree, rule.at, made)
    return {**tree, HEADS: heads}


def closed(tree: Any, profile: Profile) -> Any:
    """A document with its tables as they are written: lists of columns and of values."""
    if not profile.grids or not isinstance(tree, dict):
        return tree
    heads = tree.get(HEADS, {})
    tree = {key: value for key, value in tree.items() if key != HEADS}
    for rule in profile.grids:
        records = at(tree, rule.at)
        if not isinstance(records, list):
            continue
        names = header(heads.get(rule.at, ()), records)
        rows = [[record.get(name) for name in names] for record in records]
        if rule.columns is None:
            rows = [names, *rows]
        elif names != heads.get(rule.at):
            held = at(tree, rule.columns)
            there = list(held) if isinstance(held, list) else []
            new = [{rule.name: n} if rule.name else n for n in names[len(there) :]]
            tree = put(tree, rule.columns, [*there, *new])
        tree = put(tree, rule.at, rows)
    return tree


def _names(tree: Any, rule: GridRule, rows: Sequence[Any], file: str) -> list[str]:
    place = rule.columns or f"{rule.at}/0"
    found = at(tree, rule.columns) if rule.columns else (rows[0] if rows else [])
    if rule.name and isinstance(found, list):
        found = [one.get(rule.name) if isinstance(one, dict) else None for one in found]
    if not isinstance(found, list) or not all(isinstance(name, str) and name for name in found):
        raise FormatError("found no list of columns where one is needed", file=file, place=place)
    if len(set(found)) < len(found):
        raise FormatError("a column is there twice", file=file, place=place)
    return found


def _record(row: Any, names: Sequence[str], file: str, place: str) -> dict[str, Any]:
    if not isinstance(row, list):
        raise FormatError("found no list of values where a row is needed", file=file, place=place)
    if len(row) > len(names):
        message = f"found {len(row)} values for {len(names)} columns"
        raise FormatError(message, file=file, place=place)
    return {n: cell for n, cell in zip(names, row, strict=False) if cell is not None}
