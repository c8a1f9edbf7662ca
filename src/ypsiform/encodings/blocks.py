"""Blocks of a panel beside lists of links: how profiles describe them, and records say them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from ..model import (
    PLAIN,
    UNSAID,
    Form,
    Generated,
    Held,
    Item,
    Markup,
    MenuReference,
    Picture,
    Piece,
    Products,
    Target,
    Text,
    Traits,
    Widget,
)

HELD: dict[str, type[Held]] = {
    "picture": Picture,
    "text": Text,
    "products": Products,
    "markup": Markup,
    "generated": Generated,
    "form": Form,
    "widget": Widget,
    "menu": MenuReference,
}
"""The kinds of blocks beside `links` that a profile may name."""


class BlockRule(Struct, forbid_unknown_fields=True):
    """One type of cell. `holds` is the kind of block: `links`, `picture`, `text` and so on.

    `fields`: where a cell says the facts of its block; `address` is what it leads to. `worded`:
    facts that are given for each language. Of links, `heading` is the record of their heading, and
    `items` the list of theirs; `lacks` are facts that such a heading does not hold, unlike items.
    """

    type: str
    holds: str
    fields: dict[str, str] = {}
    worded: list[str] = []
    heading: str = ""
    items: str = ""
    lacks: list[str] = []


LEADS = {"address": "target", "second-address": "second_target"}
"""The facts of a block that say where it leads, by their names in profiles."""


def said_of_pictures(rule: BlockRule | None) -> tuple[str, ...]:
    """What a block of a profile says of a picture beside its source."""
    return tuple(LEADS.get(fact, fact) for fact in rule.fields) if rule is not None else ()


def says_beside(picture: Picture) -> set[str]:
    """What a picture says beside its source, by the names of its facts.

    To lead nowhere says as little as to say nothing of it.
    """
    said = {name: getattr(picture, name) for name in Picture.__struct_fields__[1:]}
    said = {name: value for name, value in said.items() if value or name not in UNSAID}
    return {n for n, v in said.items() if v is not None and getattr(v, "kind", "") != "none"}


def picture_of(held: Any, rule: BlockRule, target: Callable[[Any, str], Target]) -> Picture | None:
    """The picture of a record; None where it is none. `target` reads where it leads."""
    if not isinstance(held, dict):
        return None
    values = {fact: held.get(key) for fact, key in rule.fields.items() if fact != "before"}
    leads = {name: values.pop(fact, None) for fact, name in LEADS.items()}
    source = values.pop("source", None)
    if not isinstance(source, str) or not all(isinstance(v, str | None) for v in values.values()):
        return None
    keys = {name: rule.fields.get(fact, "") for fact, name in LEADS.items()}
    made = {name: target(to, keys[name]) for name, to in leads.items() if to is not None}
    return Picture(source, **values, **made)  # type: ignore[arg-type]


def record_of(
    picture: Picture, rule: BlockRule, said: Callable[[Target, str], Any]
) -> dict[str, Any]:
    """The record of a picture. `said` writes where it leads."""
    made: dict[str, Any] = {}
    for fact, key in rule.fields.items():
        leads = getattr(picture, LEADS[fact]) if fact in LEADS else None
        if leads is not None:
            made[key] = said(leads, key)
        elif fact not in LEADS and fact != "before" and getattr(picture, fact) is not None:
            made[key] = getattr(picture, fact)
    return made


def as_picture(item: Item, source: str) -> Piece | None:
    """The picture that an item is: one that says nothing beyond its source, caption and target.

    `source`: the trait that says where the picture is.
    """
    where = getattr(item.traits, source)
    said = replace(item.traits, **{source: None})
    if where is None or said != PLAIN or item.role != "link" or item.inherited:
        return None
    if item.children or item.extras or item.translations or item.hidden:
        return None
    target = item.target if item.target.kind != "none" else None
    return Piece(Picture(where, None, item.label or None, target), item.origin)


def as_item(owner: Item, piece: Piece, source: str) -> Item:
    """A picture as an item below another one."""
    picture = piece.holds
    assert isinstance(picture, Picture)
    return Item(
        id=f"{owner.id}/{piece.number}",
        label=picture.caption or "",
        target=picture.target or Target("none"),
        traits=replace(Traits(), **{source: picture.source}),
        number=piece.number,
    )


def without_none(value: Any) -> Any:
    """A value without the keys that say nothing."""
    if isinstance(value, list):
        return [without_none(inner) for inner in value]
    if isinstance(value, dict):
        return {key: without_none(inner) for key, inner in value.items() if inner is not None}
    return value
