"""Suggestions: contents of the destination that come near to one that nothing matches.

A suggestion is never applied unasked. Likeness is that of RapidFuzz, without regard to the order
of words: of titles, or 0.85 times that of the last parts of addresses, whichever is greater.
"""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from ..model import Content
from .links import Pair, mapped_kind, name_of

NAME = 0.85
"""How much the likeness of the last parts of addresses counts beside that of titles."""

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
        self.inventory, self.held = inventory, held
        self.names = [_names(content) for content in inventory]
        self.by_letters: dict[str, list[int]] = {}
        for at, names in enumerate(self.names):
            for letters in _letters(names):
                self.by_letters.setdefault(letters, []).append(at)

    def near(
        self, old: Content, but: Pair | None = None, most: int = 2, *, plain: bool = False
    ) -> list[Near]:
        """The contents that are likest, of the mapped kind; `but` is left out.

        `plain`: only the address of the page is known, and so its kind is not.
        """
        from rapidfuzz import fuzz

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
        scored: list[tuple[float, int]] = []
        for at, _ in shared.most_common(4 * MOST):
            there = self.inventory[at]
            if (kind is not None and there.kind != kind) or (there.kind, there.id) == but:
                continue
            title, name = self.names[at]
            titles = fuzz.token_sort_ratio(names[0], title) if names[0] and title else 0.0
            names_ = fuzz.token_sort_ratio(names[1], name) if names[1] and name else 0.0
            # The last part of an address says less than a title.
            scored.append((-max(titles, names_ * NAME), at))
            if len(scored) == MOST:
                break
        return [
            Near(self.inventory[at], -score)
            for score, at in sorted(scored)[:most]
            if -score >= LEAST
        ]


def _names(content: Content) -> tuple[str, str]:
    """What a content is called: its title, and the last part of its address as words."""
    last = (name_of(content) or "").replace("-", " ").replace("_", " ")
    return content.title.casefold(), last.casefold()


def _letters(names: tuple[str, str]) -> list[str]:
    """Groups of three letters within words, each once, in order."""
    words = [f" {word} " for name in names for word in name.split()]
    groups = (word[at : at + 3] for word in words for at in range(len(word) - 2))
    return list(dict.fromkeys(groups))
