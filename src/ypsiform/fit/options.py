"""What a specialist asks of a conversion, once for all menus."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from ..decisions import NONE, Decisions
from ..effort import USUAL, Measure
from ..model import (
    Content,
)

UNMATCHED = ("none", "address")
"""What becomes of an internal link that nothing matches: nothing, or the old address."""


CLASHES = ("first", "merge", "stop")
"""What becomes of a menu whose location has one already: it gets none, joins it, or is refused."""


class Options(Struct, frozen=True):
    """What the specialist asked for. `unmatched`, `clash`, `depth` and `languages` are
    one of `UNMATCHED`, `CLASHES`, `DEPTHS` and `LANGUAGES`; `measure` is that of effort. `visits`
    are counts by normalised path, to weigh what is lost.

    `listed` are pages of the destination that are known by their address only, `font` is the one
    that the destination sets its labels in, `as_of` the day of the migration, an ISO date.
    """

    made_up: bool = False
    unmatched: str = "none"
    strict_links: bool = False
    clash: str = "first"
    depth: str = "lift"
    languages: str = "keep"
    measure: Measure = USUAL
    visits: Mapping[str, float] = {}
    listed: tuple[Content, ...] = ()
    font: tuple[bytes, str] | None = None
    as_of: str | None = None
    decisions: Decisions = NONE
