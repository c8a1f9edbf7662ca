"""Matching: which content of the destination is the counterpart of one of the source.

In order: key, path, normalised address, title; each within the mapped kind. A step that finds more
than one candidate, on either side, finds none.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Container, Iterable

from ..addresses import Hosts, last_segment, normal_path
from ..model import Content

Pair = tuple[str, str]
Match = tuple[Pair, Pair, str]
"""Source kind and id, destination kind and id, and how the match was made."""

STAND_INS = {"term": "product-group", "product-group": "term"}


def mapped_kind(kind: str, held: Container[str]) -> str | None:
    """The destination's kind for a kind of content; None where it has neither it nor a stand-in."""
    if kind in held:
        return kind
    other = STAND_INS.get(kind)
    return other if other is not None and other in held else None


def _path(content: Content) -> str | None:
    return content.path or None


def _address(content: Content) -> str | None:
    return normal_path(content.path) if content.path else None


def _title(content: Content) -> str | None:
    return " ".join(content.title.split()).casefold() or None


def key_of(content: Content) -> str | None:
    """A content's key, or the last segment of its path."""
    return content.key or last_segment(content.path)


STEPS: tuple[tuple[str, Callable[[Content], str | None]], ...] = (
    ("key", key_of),
    ("path", _path),
    ("address", _address),
    ("title", _title),
)


def match(
    wanted: list[Content],
    everything: list[Content],
    inventory: list[Content],
    held: Iterable[str],
    listed: Iterable[Content] = (),
) -> list[Match]:
    """Find the counterparts of the wanted contents.

    `everything` is all content of the source: a key or title that stands there twice within a
    kind decides nothing. `listed` are pages of the destination whose kind is not known: they may
    be the counterpart of any.
    """
    held = set(held)
    found: list[Match] = []
    taken: set[Pair] = set()
    left = wanted
    known = {(c.kind, c.id): c for c in (*everything, *wanted)}
    for by, value_of in STEPS:
        there: dict[Pair, list[Content]] = {}
        for content in inventory:
            value = value_of(content)
            if value is not None:
                there.setdefault((content.kind, value), []).append(content)
        anywhere: dict[str, list[Content]] = {}
        for content in listed:
            value = value_of(content)
            if value is not None:
                anywhere.setdefault(value, []).append(content)
        doubles = Counter((c.kind, value_of(c)) for c in known.values())
        rest: list[Content] = []
        for content in left:
            value = value_of(content)
            kind = mapped_kind(content.kind, held)
            candidates = there.get((kind, value), []) if kind and value is not None else []
            if not candidates and value is not None:
                candidates = anywhere.get(value, [])
            pair = (candidates[0].kind, candidates[0].id) if len(candidates) == 1 else None
            if pair is None or pair in taken or doubles[content.kind, value] > 1:
                rest.append(content)
                continue
            found.append(((content.kind, content.id), pair, by))
        taken.update(there_ for _, there_, _ in found)
        left = rest
    return found


def as_content(kind: str, address: str, hosts: Hosts) -> Content:
    """A stand-in for a page that only its address is known of; its id is the normalised path."""
    path = hosts.read(address).path
    return Content(id=path, kind=kind, path=path)
