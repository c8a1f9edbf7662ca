"""A first profile of an unknown export, with the evidence for each guess.

`opened` reads a file or folder as it is, `tables` lays out the lists of records in it, `columns`
looks at the values of their fields; `flat` and `nested` find what can tie records into menus
(`shape` is what flat ones have in common, `named` those that name others, `held` those in menus),
`weigh` which of several readings is right, `flags` what is hidden, `links` what items lead to, and
`text` writes the profile. `words` are names that fields often have: they decide nothing alone.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import PurePath
from typing import Any, NamedTuple

from ..containers import FORMATS
from ..errors import FormatError
from ..profiles.gathered import MENUS, with_gathered
from ..profiles.grids import HEADS
from .columns import GOOD, columns, label_of
from .gatherings import gatherings
from .joins import with_joins
from .looks import is_address
from .nested import candidates
from .opened import Opened, open_any
from .readings import Items, gives
from .slugs import with_addresses
from .tables import Table, rootless, said, tables
from .text import Text, written
from .weigh import LONELY, TERMS

__all__ = ["Draft", "draft", "drafts"]


class Draft(NamedTuple):
    """A profile as text, and how many of its guesses are marked as uncertain.

    `weight` is the score of the reading, `terms` what it is the sum of, by name: see `weigh.TERMS`.
    """

    text: str
    uncertain: int
    weight: float = 0.0
    terms: Mapping[str, float] = {}


def draft(data: bytes, file: str, pick: int = 1) -> Draft:
    """A profile of a file that nobody has described yet: by the likeliest reading, or the nth.

    Raises `FormatError` where no list of records in it looks like a menu, or where there are not
    so many readings, and `RefusedError` for what needs no profile.
    """
    found = drafts(data, file, pick)
    if len(found) < pick:
        many = "is one reading" if len(found) == 1 else f"are {len(found)} readings"
        raise FormatError(f"there {many} of it, and no number {pick}", file=file)
    return found[pick - 1]


def drafts(data: bytes, file: str, most: int) -> list[Draft]:
    """The profiles of the likeliest readings that give different menus. Raises as `draft` does."""
    opened = open_any(data, file)
    found, many = _tables(opened)
    opened = with_addresses(opened, found)
    if opened.slugs:
        found, _ = _tables(opened)
    readings = candidates(found, {} if FORMATS[opened.kind].elements else opened.root)
    whole, among = opened, found
    apart = gatherings(opened.root) if opened.kind in _DOCUMENTS else {}
    if apart:
        whole = opened._replace(tree=with_gathered(opened.tree, apart), gathered=apart)
        among, _ = _tables(whole)
        readings += [one for one in candidates(among, {}) if _is_gathered(one)]
        readings.sort(key=lambda one: -one.weight)
    items: dict[Any, Items] = {}
    for reading in readings:
        items.setdefault(gives(reading), reading)
        if len(items) > most:
            break
    if not items:
        raise FormatError("no list of records in it looks like a menu", file=file)
    name = re.sub(r"[^a-z0-9]+", "-", PurePath(file).stem.lower()).strip("-") or "export"
    best = _doubted([*items.values()], found)
    made: list[Draft] = []
    for reading in best[:most]:
        terms = {word: TERMS[word] * held for word, held in reading.terms.items() if held}
        place = (among, whole) if _is_gathered(reading) else (found, opened)
        text: Text = written(reading, *place, name, file)
        lines = text.whole()
        if many > MOST_TABLES:
            lines += f"\n# Of {many:,} lists only the {MOST_TABLES} longest were looked at.\n"
        half = re.search(r"[\ud800-\udfff]", lines)
        if half is not None:
            message = f"a key or a word in it has half a character, {half[0]!r}"
            raise FormatError(message, file=file)
        made.append(Draft(lines, text.uncertain, reading.weight, terms))
    return made


def _doubted(items: list[Items], found: list[Table]) -> list[Items]:
    """Readings, the likeliest one marked where something speaks against it."""
    best, *others = items
    doubt, score = _doubt(best, others, found)
    if not doubt:
        return items
    why = f"{best.tie.why}; {doubt}"
    return [best._replace(tie=best.tie._replace(score=score, why=why)), *others]


def _doubt(best: Items, others: list[Items], found: list[Table]) -> tuple[str, float]:
    """What speaks against the likeliest reading, and how sure it is then; empty for nothing."""
    alike = "" if _is_gathered(best) else _unread_alike(best, found)
    if alike:
        return f"the records at {alike!r} are like these, and are not read", 0.4
    naming = _named_by_others(best, found)
    if naming:
        return f"the records at {naming!r} name these: are they the menu, and these pages?", 0.5
    if _holds_all(best):
        return "one record holds all others and leads nowhere: is it an item?", 0.5
    inner = _unread_lists(best)
    if inner:
        return f"what stands in {inner[0]!r} of the records is not read", 0.4
    if best.weight < POOR:
        return "there is little to go by, and no reading is good", 0.3
    if others and best.weight - others[0].weight < MARGIN:
        return f"nearly as likely: {others[0].tie.why} (--pick 2)", 0.5
    return "", 1.0


def _named_by_others(reading: Items, found: list[Table]) -> str:
    """Where labelled records stand that name those of a reading, as items name pages."""
    if reading.table.joins:
        return ""  # they say the labels of these
    own = {id(node) for node in reading.table.nodes}
    known = columns(reading.table)
    ids = {text for column in known.values() if column.unique for text in column.texts}
    for table in found:
        if table is reading.menus or own.intersection(map(id, table.nodes[-1:])):
            continue
        if set(table.fields) == set(reading.table.fields):
            continue  # records of the same kind
        there = columns(table)
        label = label_of(there)
        if label is None or label.score < GOOD:
            continue
        for field, column in there.items():
            named, hits = set(column.filled), ids.intersection(column.filled)
            if field != label.field and len(hits) > 2 and len(hits) >= NAMED * len(named):
                return table.at
    return ""


NAMED = 0.4
"""The share of what a field says that names records, from which on it refers to them."""


def _holds_all(reading: Items) -> bool:
    """Whether one record alone is at the top, and leads nowhere, where most others do."""
    top = [at for at, parent in enumerate(reading.parents) if parent == -1]
    if len(top) != 1 or len(reading.parents) < LONELY + 2 or reading.address is None:
        return False
    held = columns(reading.table)[reading.address.field].texts
    return not held[top[0]] and 2 * sum(map(bool, held)) > len(held)


def _unread_alike(reading: Items, found: list[Table]) -> str:
    """Where records stand that say what those of a reading say, beside these; empty for nowhere."""
    own = reading.menus.at if reading.menus is not None else reading.at
    first = str(reading.tie.keys.get("first", own))
    fields = {field for field in reading.table.fields if field[:1] != "#"} - {reading.table.key}
    ours = {id(node) for node in reading.table.nodes}
    for table in found:
        within = any(
            f"{one}/".startswith(f"{other}/")
            for one, other in ((table.at, own), (own, table.at), (table.at, first))
        )
        beside = table.at.rpartition("/")[2] == own.rpartition("/")[2]
        if within or not beside or any(id(node) in ours for node in table.nodes):
            continue
        if fields and fields == {field for field in table.fields if field[:1] != "#"}:
            return table.at
    return ""


def _unread_lists(reading: Items) -> list[str]:
    """The keys under which items hold records that lead somewhere or name items, all unread."""
    keys, table = reading.tie.keys, reading.table
    if not table.inner:
        return []
    used = [str(keys.get(key, "")) for key in ("inside", "first")]
    used += [(table.fold or {}).get("children", ""), str(reading.groups.get("at", ""))]
    known = columns(table)
    ids = {text for column in known.values() if column.unique for text in column.texts}
    found: list[str] = []
    for key, lists in table.inner.items():
        heads = [one for one in (*used, *table.fields) if one == key or one.startswith(f"{key}/")]
        held = [node for some in lists[:GLANCE] for node in some[:GLANCE]]
        if heads or sum(map(bool, lists)) < 2:
            continue
        inside = Table("", held)
        leads = sum(
            any(text in ids or is_address(text) for text in map(said, row.values()))
            for row in inside.rows
        )
        if 2 * leads > len(held):
            found.append(key)
    return found


GLANCE = 200
"""Records inside records that are looked at to tell what they are."""


def _tables(opened: Opened) -> tuple[list[Table], int]:
    """The lists of records of a file, the longest ones of a great many, and how many there are."""
    own = FORMATS[opened.kind].own
    found = [
        table
        for table in tables(opened.root, FORMATS[opened.kind].elements)
        if table.at.split("/")[0] not in (*own, HEADS)
    ]
    many = len(found)
    if many > MOST_TABLES:
        least = sorted(len(table.nodes) for table in found)[-MOST_TABLES]
        found = [table for table in found if len(table.nodes) >= least][:MOST_TABLES]
    found = with_joins(found)
    return [*found, *(rest for table in found for rest in rootless(table))], many


def _is_gathered(reading: Items) -> bool:
    """Whether the menus of a reading stand in several places."""
    return reading.menus is not None and reading.menus.at == MENUS


_DOCUMENTS = ("json", "yaml", "toml", "xlsx", "sqlite")
"""Containers in which lists are looked for in several places."""

MOST_TABLES = 120
"""Lists of records that are looked at, each beside all others; of more the longest."""

POOR = 1.9
"""The score below which no reading is good."""

MARGIN = 0.25
"""How much more the likeliest reading has to weigh than the next one, so that it is not marked."""
