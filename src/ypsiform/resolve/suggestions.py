"""Suggestions: contents of the destination that come near to one that nothing matches.

A suggestion is never applied unasked. Likeness is that of RapidFuzz, without regard to the order
of words: of titles, 0.85 times that of the last parts of addresses, or 0.94 times that of a whole
path and a key or path, read as words, whichever is greatest.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import NamedTuple

from ..model import Content
from .links import Pair, mapped_kind, name_of

NAME = 0.85
"""How much the likeness of the last parts of addresses counts beside that of titles."""

WHOLE = 0.94
"""How much the likeness of a whole path and a key counts: keys are often made of whole paths."""

LEAST = 55
"""The likeness, in percent, from which a content is suggested."""

MOST = 40
"""Contents that are compared in full: those that share most groups of three letters."""

COMMON = 1000
"""Contents that are looked at, all rare groups of letters together: common ones say little."""


class Near(NamedTuple):
    """A content that is like another one, and how alike they are, in percent."""

    content: Content
    likeness: float


class Suggestions:
    """Looks for contents that come near, in time that hardly grows with their number."""

    def __init__(self, inventory: list[Content], held: frozenset[str]) -> None:
        from rapidfuzz import fuzz, process

        self.ratio, self.extract = fuzz.ratio, process.extract
        self.inventory, self.held = inventory, held
        names_of = [_names(content) for content in inventory]
        self.sorted = [tuple(map(_sorted, names)) for names in names_of]
        self.by_letters: dict[str, list[int]] = {}
        for at, names in enumerate(names_of):
            for letters in _letters(names):
                self.by_letters.setdefault(letters, []).append(at)

    def near(
        self, old: Content, but: Pair | None = None, most: int = 2, *, plain: bool = False
    ) -> list[Near]:
        """The contents that are likest, of the mapped kind; `but` is left out.

        `plain`: only the address of the page is known, and so its kind is not.
        """
        kind = None if plain else mapped_kind(old.kind, self.held)
        names = _names(old)
        shared: Counter[int] = Counter()
        found = sorted((self.by_letters.get(letters, []) for letters in _letters(names)), key=len)
        found = [places for places in found if places]
        seen = 0
        for places in found:  # the rarest first: they say most
            if seen and seen + len(places) > COMMON:
                break
            seen += len(places)
            shared.update(places)
        likely: list[int] = []
        for at, _ in shared.most_common(4 * MOST):
            there = self.inventory[at]
            if (kind is None or there.kind == kind) and (there.kind, there.id) != but:
                likely.append(at)
                if len(likely) == MOST:
                    break
        likeness: dict[int, float] = {}
        # A title says more than a part of an address; a path may have become a key, or stayed one.
        for part, other, counts in ((0, 0, 1.0), (1, 1, NAME), (2, 1, WHOLE), (2, 2, WHOLE)):
            words = _sorted(names[part])
            there_ = {at: self.sorted[at][other] for at in likely if self.sorted[at][other]}
            least = LEAST / counts
            for _, score, at in (
                self.extract(words, there_, scorer=self.ratio, limit=None, score_cutoff=least)
                if words
                else ()
            ):
                likeness[at] = max(likeness.get(at, 0.0), score * counts)
        best = sorted(likeness, key=lambda at: (-likeness[at], at))
        return [Near(self.inventory[at], likeness[at]) for at in best[:most]]


def _names(content: Content) -> tuple[str, str, str]:
    """What a content is called: its title, and the last part and the whole of its address as words.

    A path of one part says no more than that part.
    """
    last = " ".join(re.split(r"[-_]+", name_of(content) or ""))
    path = (content.path or "").partition("?")[0].strip("/")
    whole = " ".join(re.split(r"[-_/]+", path)) if "/" in path else ""
    return content.title.casefold(), last.casefold(), whole.casefold()


def _sorted(words: str) -> str:
    """Words in an order of their own, so that theirs does not count."""
    return " ".join(sorted(words.split()))


def _letters(names: tuple[str, ...]) -> list[str]:
    """Groups of three letters within words, each once, in order."""
    words = [f" {word} " for name in names for word in name.split()]
    groups = (word[at : at + 3] for word in words for at in range(len(word) - 2))
    return list(dict.fromkeys(groups))
