"""Matching: which content of the destination is the counterpart of one of the source.

In order: key, path, normalised address, title; each within the mapped kind, and for a plain
address, which has no kind, within any. A step that finds more than one candidate, on either side,
finds none. What only comes near is never a match: see `suggest`.
"""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Container, Iterable

from msgspec import Struct

from ..addresses import Hosts, last_segment, normal_path
from ..model import Content
from ..profiles.schema import Profile

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


def _key(content: Content) -> str | None:
    return content.key


def _path(content: Content) -> str | None:
    return content.path or None


def _address(content: Content) -> str | None:
    return normal_path(content.path) if content.path else None


def _title(content: Content) -> str | None:
    return " ".join(content.title.split()).casefold() or None


def name_of(content: Content) -> str | None:
    """A content's key, or else the last part of its path: what it is called, and no proof of it."""
    return content.key or last_segment(content.path)


STEPS: tuple[tuple[str, Callable[[Content], str | None]], ...] = (
    ("key", _key),
    ("path", _path),
    ("address", _address),
    ("title", _title),
)


class Wanted(Struct, frozen=True):
    """What is looked for: the contents that links lead to.

    `plain` are those of which only an address is known, and so no kind; `labels` are what items
    call such pages, where the source lists no contents: each label that stands for one page only.
    """

    contents: list[Content]
    plain: Container[Pair] = frozenset()
    labels: dict[Pair, str] = {}

    def without(self, pairs: Container[Pair]) -> Wanted:
        """The same without some of the contents."""
        left = [c for c in self.contents if (c.kind, c.id) not in pairs]
        return Wanted(left, self.plain, self.labels)


def match(
    wanted: Wanted,
    everything: list[Content],
    inventory: list[Content],
    held: Iterable[str],
    listed: Iterable[Content] = (),
    *,
    foreign: bool = False,
) -> list[Match]:
    """Find the counterparts of the wanted contents.

    `everything` is all content of the source: a key or title that stands there twice within a
    kind decides nothing. `listed` are pages of the destination whose kind is not known: they may
    be the counterpart of any. `foreign`: the two sides are known to speak different languages.
    """
    # Rounds from the surest sign to the weakest; what one round has matched no later one takes
    # away.
    held = set(held)
    listed = list(listed)
    found: list[Match] = []
    if not inventory and not listed:
        return found
    taken: set[Pair] = set()
    left = wanted.contents
    known = list({(c.kind, c.id): c for c in (*everything, *wanted.contents)}.values())
    for by, value_of in STEPS:
        there = _by_value(inventory, value_of)
        anywhere = _by_value(listed, value_of)
        whole = _by_value([*inventory, *listed], value_of)
        doubles = Counter((c.kind, value_of(c)) for c in known)
        rest: list[Content] = []
        for content in left:
            pair, value = (content.kind, content.id), value_of(content)
            if by == "title" and pair in wanted.labels:
                value = " ".join(wanted.labels[pair].split()).casefold()
            candidates = whole.get(value or "", [])
            if pair not in wanted.plain:
                kind = mapped_kind(content.kind, held)
                candidates = [c for c in there.get(value or "", []) if c.kind == kind]
                candidates = candidates or anywhere.get(value or "", [])
            one = candidates[0] if len(candidates) == 1 else None
            if (
                one is None
                or (one.kind, one.id) in taken
                or doubles[content.kind, value] > 1
                or (by == "key" and not foreign and contradict(content, one))
                or (by == "title" and pair in wanted.labels and name_of(content) != name_of(one))
            ):
                rest.append(content)
                continue
            found.append((pair, (one.kind, one.id), by))
        taken.update(there_ for _, there_, _ in found)
        left = rest
    return found


def _by_value(
    contents: Iterable[Content], value_of: Callable[[Content], str | None]
) -> dict[str, list[Content]]:
    found: dict[str, list[Content]] = {}
    for content in contents:
        value = value_of(content)
        if value is not None:
            found.setdefault(value, []).append(content)
    return found


def contradict(one: Content, other: Content) -> bool:
    """Whether the titles of two contents of the same key speak against their being the same.

    They do where they share no word of three letters, case and accents folded; or none but those
    of the key itself, which prove no more than the key does, while each has words of its own.
    """
    words, others = _words(one.title), _words(other.title)
    if not words or not others:
        return False
    own = _words((one.key or "").replace("-", " ").replace("_", " "))
    if not words & others:
        return True
    return bool(words - own) and bool(others - own) and not (words - own) & (others - own)


def _words(text: str) -> set[str]:
    plain = unicodedata.normalize("NFKD", text.casefold())
    letters = "".join(c for c in plain if not unicodedata.combining(c))
    return set(re.findall(r"[^\W_]{3,}", letters))


def as_content(kind: str, address: str, hosts: Hosts, profile: Profile | None = None) -> Content:
    """A stand-in for a page that only its address is known of; its id is the normalised path.

    `profile`, the source's: a key that one of its rules for paths yields is one.
    """
    path = hosts.read(address).path
    key = None
    for rule in profile.content if profile is not None else ():
        if rule.path and rule.path.count("{key}") == 1:
            start, end = rule.path.split("{key}")
            inside = path[len(start) : len(path) - len(end)]
            if path == start + inside + end and inside and "/" not in inside:
                key = inside
    return Content(id=path, kind=kind, path=path, key=key)
