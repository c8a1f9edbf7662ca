"""The structures that tie records of items into trees, and what each of them asks of a profile.

How records are tied on reading stands in `ties.py`, how they are written in `write.py`.
"""

from __future__ import annotations

from typing import NamedTuple


class Structure(NamedTuple):
    """What a structure is in plain words, and the keys of `[items.tie]` that it cannot do without.

    `ordered`: it says itself in which order records stand, so that no key of theirs can.
    """

    words: str
    needs: tuple[str, ...] = ()
    ordered: bool = False


STRUCTURES: dict[str, Structure] = {
    "parent": Structure("items that name the one above them", ("id", "under")),
    "nested": Structure("items that stand in each other", ("inside",)),
    "outline": Structure("items with a number in an outline", ("number", "menu"), ordered=True),
    "level": Structure("items with a number of their level", ("number", "menu"), ordered=True),
    "lineage": Structure("items with the ids of all above them", ("id", "number", "menu")),
    "labels": Structure(
        "items with the labels of all above them", ("number", "menu"), ordered=True
    ),
    "listed": Structure("items that list those below them", ("id", "inside"), ordered=True),
    "pages": Structure("generated from the tree of pages"),
    "paths": Structure("made from the paths of pages"),
}
"""All structures, by the names that a profile gives them."""
