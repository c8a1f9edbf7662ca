"""What an element of a page says to people: the words that a visitor reads as a label."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from .html import ACTIVE

_SPOKEN = re.compile(r"(?:^|[-_])(?:visually-?hidden|sr-?only|screen-?reader)", re.IGNORECASE)
_ICON = re.compile(r"(?:^|[-_])(?:icons?|symbols?)(?:$|[-_])", re.IGNORECASE)
_APART = re.compile(
    r"(?:^|[-_])(?:badges?|pills?|chips?|count(?:er)?|desc(?:ription)?|sub-?title|teaser)(?:$|[-_])",
    re.IGNORECASE,
)
_BLOCKS = frozenset(
    {
        *("address", "article", "blockquote", "br", "dd", "div", "dl", "dt", "figcaption"),
        *("figure", "footer", "h1", "h2", "h3", "h4", "h5", "h6", "header", "hr", "li", "main"),
        *("ol", "p", "pre", "section", "table", "td", "th", "tr", "ul"),
    }
)
_DRAWN = frozenset({"svg", "img", "picture", "video", "canvas", "select", "input", "textarea"})
SAID, SPOKEN, APART, SIGN = "words", "words for screen readers", "badges and descriptions", "signs"
"""What a piece of text in an element is: of the label, or beside it."""


def pieces_of(node: Any) -> list[tuple[str, str]]:
    """The text in an element, piece by piece, each with what it is.

    Elements that stand one behind the other without a blank are words of their own.
    """
    found: list[tuple[str, str]] = []
    # Elements and ends of elements that are to come, with what their text is.
    stack: list[tuple[Any, str, bool]] = [(node, SAID, True)]
    between = False  # whether an element has just ended
    begun = False  # whether the label has words already
    while stack:
        element, kind, opens = stack.pop()
        if not opens:
            between = True
            if element is not node and element.tail:
                found.append((kind, element.tail))
                between = False
            continue
        tag = element.tag
        outer = kind
        if not isinstance(tag, str) or tag in ACTIVE or tag in _DRAWN:
            if element is not node and element.tail:
                found.append((outer, element.tail))
                between = False
            continue
        if element is not node:
            if kind == SAID:
                kind = _kind_of(element)
                if kind == SAID and begun and tag == "p":
                    kind = APART
            if between or tag in _BLOCKS:
                found.append((kind, " "))
        between = False
        if element.text:
            found.append((kind, element.text))
            begun = begun or (kind == SAID and not element.text.isspace())
        stack.append((element, outer, False))
        stack += [(child, kind, True) for child in reversed(element)]
    return found


def _kind_of(element: Any) -> str:
    words = (element.get("class") or "").split()
    if any(_SPOKEN.search(word) for word in words):
        return SPOKEN
    drawn = element.tag in ("i", "em", "span") and any(_ICON.search(word) for word in words)
    if element.get("aria-hidden") == "true" or drawn:
        return SIGN
    if element.tag == "small" or any(_APART.search(word) for word in words):
        return APART
    return SAID


def is_said(node: Any) -> bool:
    """Whether an element has words that people see."""
    return any(kind == SAID and not text.isspace() for kind, text in pieces_of(node))


def words_of(node: Any, leave: Callable[[str], None]) -> str:
    """What an element says: its text, else what stands in for it.

    `leave` is told what stands beside the label: a badge, a sign, words for screen readers alone.
    """
    pieces = pieces_of(node)

    def said(*kinds: str) -> str:
        return " ".join("".join(text for kind, text in pieces if kind in kinds).split())

    text, spoken = said(SAID), said(SPOKEN)
    named = " ".join((node.get("aria-label") or "").split())
    if text and not any(map(str.isalpha, text)):
        # A number or a sign: a name tells what it is.
        for name in (named, said(SAID, SPOKEN)):
            if any(map(str.isalpha, name)):
                return name
    if text:
        for kind in (SPOKEN, APART, SIGN):
            if said(kind):
                leave(kind)
        return text
    title = " ".join((node.get("title") or "").split())
    for instead in (spoken, named, title, said(APART), _drawn(node), said(SIGN)):
        if instead:
            return instead
    return ""


def _drawn(node: Any) -> str:
    """What pictures in an element show, as their authors say it."""
    alts = [image.get("alt", "").strip() for image in node.iter("img")]
    alts += [drawn.get("aria-label", "").strip() for drawn in node.iterfind(".//*[@role='img']")]
    alts += [" ".join(title.itertext()).strip() for title in node.iterfind(".//svg/title")]
    return " ".join(alt for alt in alts if alt)
