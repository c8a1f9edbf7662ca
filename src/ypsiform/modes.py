"""What a conversion starts from, and what of that stays: its mode."""

from __future__ import annotations

from enum import Enum


class Mode(Enum):
    """What the file to write starts from."""

    NEW = "a new file"
    INTO = "an export of the destination, into which menus go"
    AS_IT_STANDS = "its own file, for the theme that it has"
    OTHER_THEME = "its own file, for another theme of its platform"
    RESTORED = "a file that is made again from what was read of it"

    @property
    def own_file(self) -> bool:
        """Whether the source itself is what the file starts from."""
        return self in (Mode.AS_IT_STANDS, Mode.OTHER_THEME)

    @property
    def keeps_ids(self) -> bool:
        """Whether menus and items have the ids, and menus the places, that they had."""
        return self.own_file or self is Mode.RESTORED


def mode_of(*, into: bool, own: bool, same_theme: bool) -> Mode:
    """The mode of a conversion into an export, of a file to its own platform, or to a new file."""
    if into:
        return Mode.INTO
    if own:
        return Mode.AS_IT_STANDS if same_theme else Mode.OTHER_THEME
    return Mode.NEW
