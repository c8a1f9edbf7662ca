"""Which thing is meant: of the source, of the destination, or made by a rule.

Each item and block of a menu that is to be written carries a reference, so that the writer can say
where every one of them went. It is a whole number, since a million of them must cost no more than
that: from 0 on the row of the source itself. What other numbers mean is known here alone.
"""

from __future__ import annotations

from typing import NamedTuple

SOURCE, DESTINATION, MADE = 0, 1, 2
"""The sides that a thing can be of: what was read, what stood at the destination, a rule."""

NOTHING = -1
"""The reference of a thing that nobody asks about again."""

_STANDING = -2
_COPIES = -(10**12)
_LINKS = _COPIES - 10**9
_FURTHER = _LINKS - 10**9


class Meant(NamedTuple):
    """The side of a thing, and its row there; of what a rule made, a number of its own."""

    side: int
    row: int


def standing(row: int) -> int:
    """A row of the destination, which stays in a menu that takes its place."""
    return _STANDING - row


def copied(row: int) -> int:
    """A row of the destination that stands in another menu as well now."""
    return _COPIES - row


def link_of(row: int) -> int:
    """The item that the link of a row of the source was moved into."""
    return _LINKS - row


def further(count: int) -> int:
    """One more item that a rule made, by a count of them."""
    return _FURTHER - count


def meant(reference: int) -> Meant | None:
    """What a reference means; None for `NOTHING`."""
    if reference >= 0:
        return Meant(SOURCE, reference)
    if reference <= _COPIES:
        return Meant(MADE, _COPIES - reference)
    return Meant(DESTINATION, _STANDING - reference) if reference <= _STANDING else None
