"""What simulated sites keep of an import and show to their visitors, a file for each platform.

Each is written from the description of the platform alone and shares nothing with the converter.
"""

from __future__ import annotations

from typing import Protocol

from . import arborcote, fanlight, quillmoor, rowanbase, stallmere, tilewick
from .shown import Place, Visitor


class Site(Protocol):
    """What the module of a platform offers."""

    @property
    def THEMES(self) -> tuple[str, ...]:
        """The themes of the platform, the usual one in front; empty where it has none."""

    def blank(self, theme: str) -> bytes:
        """A new site."""

    def kept(self, data: bytes) -> bytes:
        """What the importer keeps of a file; `Refused` where it takes none of it."""

    def languages(self, data: bytes) -> list[str]:
        """The languages of a site, its first one in front."""

    def roles(self, data: bytes) -> set[str]:
        """The words for visitors that a file uses."""

    def contents(self, data: bytes) -> dict[str, str]:
        """The address of each content that a file lists, by its kind, a blank, and its id."""

    def places(
        self, data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
    ) -> list[Place]:
        """What the places of a site show to a visitor; `theme` where the file does not say it.

        `declared`: somebody gave the theme every further place that menus name.
        """


SITES: dict[str, Site] = {
    "arborcote": arborcote,
    "fanlight": fanlight,
    "quillmoor": quillmoor,
    "rowanbase": rowanbase,
    "stallmere": stallmere,
    "tilewick": tilewick,
}
"""The simulated platforms."""
