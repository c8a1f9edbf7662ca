"""What a specialist decided, as values. What is not decided here, Ypsiform decides by itself.

A decision keeps its place in the plan that it came from, so that one that cannot be carried out is
named by its line.
"""

from __future__ import annotations

from msgspec import Struct

from .errors import YpsiformError

Steps = list[str | int]
Pair = tuple[str, str]
"""The kind and the id of a content."""

DEPTHS = ("lift", "columns", "menu", "gather", "drop", "auto")
"""What can become of what stands below a branch, deeper than the destination shows."""

KEEP = "keep"
"""What else a branch can be that was hidden before: it stays as it is, on a level not shown."""

LANGUAGES = ("keep", "labels", "menus")
"""How further languages are written: as they are, as labels of one menu, or as a menu for each."""


class ChoiceError(YpsiformError):
    """A decision cannot be carried out. `steps` lead to it in the plan."""

    def __init__(self, message: str, steps: Steps) -> None:
        super().__init__(message)
        self.steps = steps


class ItemChoice(Struct):
    """About one item: whether it stays (with all below it), and what it is called.

    `publish`: it is switched off, and visitors are to see it.
    """

    steps: Steps
    keep: bool = True
    label: str | None = None
    publish: bool = False


class MenuChoice(Struct):
    """About one menu. None: as Ypsiform does it by itself.

    `update` is the key of a menu of the destination that this one is; `branches` say for the id of
    an item what becomes of what is too deep below it.
    """

    steps: Steps
    convert: bool | None = None
    key: str | None = None
    update: str | None = None
    locations: tuple[str, ...] | None = None
    items: dict[str, ItemChoice] = {}
    branches: dict[str, tuple[str, Steps]] = {}

    @property
    def changes_items(self) -> bool:
        """Whether an item is to be other than it was: left out, renamed, published or moved."""
        items = self.items.values()
        return bool(self.branches) or any(
            not item.keep or item.publish or item.label is not None for item in items
        )


class LinkChoice(Struct):
    """What becomes of the links to one content: another content, an address, or nothing."""

    content: Pair | None = None
    address: str | None = None


class Decisions(Struct, frozen=True):
    """All of them: by the id of a menu, and by the kind and id of a content.

    `whole`: they are meant to be all, so that a menu without one is new.
    """

    menus: dict[str, MenuChoice] = {}
    links: dict[Pair, LinkChoice] = {}
    whole: bool = False
    file: str = ""


NONE = Decisions()
"""No decision at all."""
