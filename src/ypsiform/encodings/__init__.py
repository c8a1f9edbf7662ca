"""Encodings of panels: between what a platform stores and typed panels, both ways.

Each is one file with its rule, what it can hold, and what it does where a file is read and written.
A new one is a file here, a line in each of the two lists below, and its keys in docs/profiles.md.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .base import Encoding, PanelRule
from .boards import Boards, BoardsRule
from .bound import Bound, BoundRule
from .cells import Cells, CellsRule
from .counted import Counted, CountedRule
from .groups import Groups, GroupsRule
from .marked import Marked, MarkedRule
from .sequence import SequenceRule, Sheets
from .wrapped import Wrapped, WrappedRule

__all__ = ["ENCODINGS", "AnyRule", "Encoding", "PanelRule", "encoding_of"]

AnyRule = (
    MarkedRule
    | WrappedRule
    | BoardsRule
    | CellsRule
    | GroupsRule
    | BoundRule
    | SequenceRule
    | CountedRule
)
"""The rule of an encoding, by the name that a profile gives as its `encoding`."""

_MADE: dict[type[PanelRule], Callable[[Any], Encoding]] = {
    MarkedRule: Marked,
    WrappedRule: Wrapped,
    BoardsRule: Boards,
    CellsRule: Cells,
    GroupsRule: Groups,
    BoundRule: Bound,
    SequenceRule: Sheets,
    CountedRule: Counted,
}

ENCODINGS: tuple[str, ...] = tuple(str(rule.__struct_config__.tag) for rule in _MADE)
"""The names of the encodings of panels that a profile may name."""


def encoding_of(rule: AnyRule | None) -> Encoding | None:
    """The encoding that reads and writes the panels of a rule, None where there is none."""
    return _MADE[type(rule)](rule) if rule is not None else None
