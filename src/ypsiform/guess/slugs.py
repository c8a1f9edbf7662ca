"""Pages that say their own part of an address, of which those above them say the rest."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from itertools import chain

from ..profiles.schema import SlugRule
from ..profiles.slugs import with_slugs
from .columns import Column, addresses_of, columns
from .named import by_parents
from .nested import gathered, inside_of, named_in, nodes_at
from .opened import Opened, Slugs
from .tables import Table
from .words import says, target_kind

LIKE = 0.5
"""The share of slugs that say words of what their record is called, from which on they are that."""

SURELY = 0.8
"""The same, where nothing is called a slug: names that programs give look much like slugs."""

LEAST = 2
"""Records below others, from which on it matters what stands above them."""


def with_addresses(opened: Opened, found: Sequence[Table]) -> Opened:
    """A file whose records say their addresses, where these are made of slugs."""
    made = slugs_in(found)
    with_slugs(opened.root, opened.shape, [one.rule for one in made])
    return opened._replace(slugs=made)


def slugs_in(found: Sequence[Table]) -> list[Slugs]:
    """The rules of slugs for these lists of records, one for each list that has some."""
    made: list[Slugs] = []
    for table in found:
        if not table.only and not table.find and table.at:
            ways = (_flat, _nested) if table.names is None else (_named,)
            one = next(chain.from_iterable(way(table) for way in ways), None)
            made += [one] if one is not None else []
    return made


def _named(table: Table) -> Iterator[Slugs]:
    """Records in mappings, each under its slug."""
    for whole, parents, inside in named_in(table):
        known = columns(whole)
        slug = known[whole.key or ""]
        words = [column for field, column in known.items() if field != whole.key]
        like = max((_alike(slug, column) for column in words if column.wordy >= 0.6), default=0.0)
        if like >= LIKE and _are_parts(slug) and not addresses_of(known):
            yield _told(SlugRule(table.at, inside=inside, keyed=True), slug, parents)


def _flat(table: Table) -> Iterator[Slugs]:
    known = columns(table)
    slug = _slug(known)
    for shape in by_parents(known) if slug is not None else ():
        below = sum(parent >= 0 for parent in shape.parents)
        if shape.weight >= LIKE and below >= LEAST and slug is not None:
            keys = shape.keys
            rule = SlugRule(
                table.at, slug.field, id=keys["id"], under=keys["under"], top=keys.get("top")
            )
            yield _told(rule, slug, shape.parents)


def _nested(table: Table) -> Iterator[Slugs]:
    deeper = inside_of(table)
    if deeper is not None:
        yield from _of_nodes(table.nodes, SlugRule(table.at, inside=deeper[0]))
        return
    for first in table.inner:
        nodes = [child for node in table.nodes for child in nodes_at(node, first)]
        deeper = inside_of(Table("", nodes)) if nodes else None
        if deeper is not None:
            yield from _of_nodes(nodes, SlugRule(table.at, inside=deeper[0], first=first))


def _of_nodes(nodes: list[object], rule: SlugRule) -> Iterator[Slugs]:
    whole, parents = gathered(nodes, rule.inside or "")
    slug = _slug(columns(whole))
    if slug is not None and sum(parent >= 0 for parent in parents) >= LEAST:
        rule.slug = slug.field
        yield _told(rule, slug, parents)


def _told(rule: SlugRule, slug: Column, parents: Sequence[int]) -> Slugs:
    tops = [slug.texts[at].strip("/") for at, parent in enumerate(parents) if parent == -1]
    rule.home = next((text for text in tops if text and target_kind(text) == "home"), None)
    above = "what a record stands in" if rule.under is None else f"{rule.under!r}"
    name = "its name" if rule.keyed else repr(slug.field)
    why = f"{name} holds parts of addresses, and {above} says those before them"
    if slug.different < 1.0:
        return Slugs(rule, 0.8, f"{why}: some are there twice")
    return Slugs(rule, 0.6, f"{why}, if they are no whole ones")


def _slug(known: Mapping[str, Column]) -> Column | None:
    """The field of what a record says of its own address, where none says the whole of it."""
    if any(known[one.field].full > 0.5 for one in addresses_of(dict(known))):
        return None
    wordy = [column for column in known.values() if column.wordy >= 0.6 and not column.listed]
    best: tuple[float, Column] | None = None
    for field, column in known.items():
        named = max(says(field, "slug"), says(field, "address") - 0.1)
        if not _are_parts(column) or (named < 0.8 and not _hyphened(column)):
            continue
        like = max((_alike(column, other) for other in wordy if other is not column), default=0.0)
        if like >= (LIKE if named >= 0.8 else SURELY) and (best is None or like + named > best[0]):
            best = like + named, column
    return best[1] if best is not None else None


_PART = re.compile(r"/?[\w.~%-]*/?")


def _are_parts(column: Column) -> bool:
    """Whether the values are one part of an address each."""
    if column.listed or column.different < LIKE or not column.filled:
        return False
    texts = [value for value in column.raw if value is not None]
    plain = all(type(value) is str and _PART.fullmatch(value) for value in texts)
    return plain and any(c.isalpha() for text in column.filled for c in text)


def _hyphened(column: Column) -> bool:
    """Whether words are put together as in addresses: in small letters, with hyphens alone."""
    several = sum("-" in text for text in column.filled)
    plain = all("_" not in text and text == text.lower() for text in column.filled)
    return plain and 4 * several > len(column.filled)


def _alike(slugs: Column, words: Column) -> float:
    """The share of slugs that say words of what another field says."""
    pairs = [(s, w) for s, w in zip(slugs.texts, words.texts, strict=True) if s.strip("/") and w]
    hits = sum(bool(_words(slug) & _words(text)) for slug, text in pairs)
    return hits / len(pairs) if pairs else 0.0


def _words(text: str) -> set[str]:
    plain = unicodedata.normalize("NFKD", text.lower())
    plain = "".join(c for c in plain if not unicodedata.combining(c))
    return {word for word in re.findall(r"[^\W_]+", plain) if len(word) > 2}
