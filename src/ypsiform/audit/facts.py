"""Which facts a record holds, by name. Counted when an export is read."""

from __future__ import annotations

from ..fit.extras import extra_fact
from ..fit.panels import panel_facts
from ..model import EVERYONE, PLAIN, Content, Item, Menu, Piece, set_traits

ITEM = ("item", "parent", "order", "label", "role", "target", "shown")
"""The facts of every item."""

PIECE = ("block", "order", "holds", "shown")
"""The facts of every block of a panel that holds something other than links."""


def of_thing(thing: Item | Piece) -> list[str]:
    """The names of all facts of an item or a block."""
    if isinstance(thing, Piece):
        return list(PIECE)
    names = list(ITEM)
    names += set_traits(thing.traits)
    if thing.hidden:
        names.append("hidden")
    names += [f"label@{language}" for language, _ in thing.translations]
    names += [extra_fact(extra) for extra in thing.extras]
    if thing.panel is not None:
        names += panel_facts(thing.panel)
    return names


def count(thing: Item | Piece) -> int:
    """How many facts an item or a block has."""
    if type(thing) is not Item or thing.panel is not None:
        return len(of_thing(thing))
    more = 0 if thing.traits is PLAIN else len(set_traits(thing.traits))
    return len(ITEM) + more + thing.hidden + len(thing.translations) + len(thing.extras)


def of_menu(menu: Menu, audience: tuple[str, ...]) -> list[str]:
    """The names of the facts of a menu itself; its placements are counted apart."""
    names = ["menu", "title"]
    if menu.rule is not None:
        names.append("rule")
    if audience != EVERYONE:
        names.append("audience")
    return names + [extra_fact(extra) for extra in menu.extras]


def of_content(content: Content) -> list[str]:
    """The names of the facts of a content that items point to."""
    names = []
    if content.state != "live":
        names.append("state")
    if content.audience != EVERYONE:
        names.append("audience")
    return names
