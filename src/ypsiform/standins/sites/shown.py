"""What a simulated site shows to one visitor: places, their entries, and the panels of these."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import Any


class Refused(ValueError):
    """A file that an importer does not take; the text says why."""


@dataclass(frozen=True)
class Visitor:
    """Who looks, on what device, in which language.

    `groups` is empty for somebody who is not signed in; else it holds `members` and the roles.
    """

    groups: frozenset[str] = frozenset()
    device: str = "desktop"
    language: str = ""

    def may(self, words: Iterable[str]) -> bool:
        """Whether one of these words lets the visitor in: everyone, guests, members, or a role."""
        return any(
            word == "everyone"
            or (word == "guests" and not self.groups)
            or (word in self.groups and word != "guests")
            for word in words
        )


@dataclass
class Entry:
    """What stands in a list of a page: a link, a word that leads nowhere, or a divider."""

    label: str
    address: str | None = None
    below: list[Entry] = field(default_factory=list)
    panel: Panel | None = None
    opens: str = ""
    divider: bool = False
    new_window: bool = False


@dataclass
class Block:
    """A part of a column: `links`, `picture`, `text`, `products`, `markup`, `newest` or `form`."""

    kind: str
    heading: Entry | None = None
    entries: list[Entry] = field(default_factory=list)
    text: str = ""
    address: str | None = None
    source: str = ""
    title: str = ""


@dataclass
class Column:
    """A column of a panel, or one of its tabs; `width` in words of the platform, as `4 of 12`."""

    blocks: list[Block] = field(default_factory=list)
    width: str = ""
    label: str = ""
    address: str | None = None
    note: str = ""
    tab: bool = False


@dataclass
class Panel:
    """What opens below an entry."""

    columns: list[Column] = field(default_factory=list)
    wide: bool = False
    tone: str = ""
    before: list[Block] = field(default_factory=list)
    after: list[Block] = field(default_factory=list)


@dataclass
class Place:
    """A place of the theme with what stands there now."""

    name: str
    caption: str
    entries: list[Entry] = field(default_factory=list)


def cut(entries: Iterable[Entry], levels: int | None) -> list[Entry]:
    """Entries down to a number of levels; panels stay as they are."""
    if levels is None:
        return list(entries)
    if levels < 1:
        return []
    made = []
    for entry in entries:
        entry.below = cut(entry.below, levels - 1)
        made.append(entry)
    return made


def balanced(heights: Sequence[int], columns: int) -> list[int]:
    """How many parts each column takes: in order, the tallest as low as can be, ties to the left.

    Of all ways whose tallest column is as low as can be, the one with the fullest first column,
    then the fullest second one, and so on.
    """
    if not heights:
        return []
    low, high = max(heights), sum(heights)
    while low < high:
        middle = (low + high) // 2
        needed, room = 1, middle
        for height in heights:
            if height > room:
                needed, room = needed + 1, middle
            room -= height
        low, high = (middle + 1, high) if needed > columns else (low, middle)
    counts: list[int] = []
    at = 0
    while at < len(heights):
        room, count = low, 0
        while at < len(heights) and heights[at] <= room:
            room -= heights[at]
            at, count = at + 1, count + 1
        counts.append(count)
    return counts


def words_of(label: Any, visitor: Visitor, first: str = "") -> str:
    """A text for each language, as one visitor reads it: in theirs, else the first one."""
    if isinstance(label, str):
        return label
    if not isinstance(label, dict) or not label:
        return ""
    chosen = label.get(visitor.language) or label.get(first)
    if chosen:
        return str(chosen)
    return next((str(word) for word in label.values() if word), "")


class _Words(HTMLParser):
    """The words of markup, with where its links lead behind these."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.made: list[str] = []
        self.links: list[str] = []
        self.unseen = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.made.append(" ")
        self.unseen += tag in ("script", "style")
        if tag == "a":
            self.links.append(dict(attrs).get("href") or "")

    def handle_endtag(self, tag: str) -> None:
        self.unseen -= tag in ("script", "style") and self.unseen > 0
        if tag == "a" and self.links:
            address = self.links.pop()
            self.made.append(f" [{address}]" if address else "")
        self.made.append(" ")

    def handle_data(self, data: str) -> None:
        if not self.unseen:
            self.made.append(data)


def plain(markup: str) -> str:
    """What is read in a piece of markup, and in brackets where its links lead.

    Its tags are never passed on.
    """
    reader = _Words()
    reader.feed(markup)
    reader.close()
    return " ".join("".join(reader.made).split())


def no_languages(data: bytes) -> list[str]:
    """Of a site that has one language, which nothing names."""
    return []


def no_roles(data: bytes) -> set[str]:
    """Of files in which nothing is for some visitors only."""
    return set()


def no_contents(data: bytes) -> dict[str, str]:
    """Of files that list no contents."""
    return {}


def mapping_of(data: bytes) -> dict[str, Any]:
    """A file of JSON that holds a mapping. `Refused` where it is none."""
    try:
        document = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise Refused(f"not JSON: {error}") from None
    if not isinstance(document, dict):
        raise Refused("the document is not a mapping")
    return document


def mappings(value: Any) -> list[dict[str, Any]]:
    """The records of a list; nothing of what is none."""
    return [v for v in value if isinstance(v, dict)] if isinstance(value, list) else []
