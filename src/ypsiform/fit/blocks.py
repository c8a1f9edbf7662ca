"""Blocks of panels: the links that one goes on as, the links inside one, and one in words."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from msgspec.structs import replace

from ..findings import Cover
from ..markup import links_of, relinked, relinked_text
from ..model import (
    Form,
    Generated,
    Held,
    Markup,
    MenuReference,
    Picture,
    Piece,
    Products,
    Target,
    Text,
)
from ..resolve.targets import Targets
from .work import Work, item_facts


class Offer(NamedTuple):
    """A link that a block goes on as: to a target of the source, or to one of the destination.

    `nth` is its number among the links of the block.
    """

    label: str
    source: Target | None
    there: Target | None
    nth: int


def offers(work: Work, targets: Targets, piece: Piece) -> list[Offer]:
    """The links that a block can go on as where it cannot stand itself.

    A picture with a caption that leads somewhere; the links inside markup and texts; products.
    """
    holds = piece.holds
    if isinstance(holds, Picture):
        label = holds.caption or holds.title
        leads = [target for target in (holds.target, holds.second_target) if target is not None]
        return [Offer(label, target, None, nth) for nth, target in enumerate(leads) if label]
    if isinstance(holds, MenuReference):
        return _of_menu(work, piece, holds.menu)
    if isinstance(holds, Products):
        made = [_product(work, targets, name, at) for at, name in enumerate(holds.contents)]
        return [offer for offer in made if offer is not None]
    if not isinstance(holds, (Markup, Text)):
        return []
    found: list[Offer] = []
    whole = isinstance(holds, Text) and holds.target is not None
    if isinstance(holds, Text) and holds.target is not None:
        found.append(Offer(holds.body, holds.target, None, 0))
    inside = zip(links_of(holds), holds.links, strict=False)
    for at, ((words, address), target) in enumerate(inside, whole):
        if target.kind not in ("none", "fragment") and targets.of(target).code != "link.script":
            found.append(Offer(words or address, target, None, at))
    return found


def _of_menu(work: Work, piece: Piece, key: str) -> list[Offer]:
    """The items at the top of a menu that is shown by reference; none if it is the piece's own."""
    own = work.rows.menu[piece.number]
    return [
        Offer(item.label, item.target, None, nth)
        for at, menu in enumerate(work.source.menus)
        if menu.key == key and at != own
        for nth, item in enumerate(menu.items)
        if item.role != "divider"
    ]


def relink(work: Work, targets: Targets, row: int, held: Held, names: Sequence[int]) -> Held:
    """A block with its inner links as they are at the destination; a loss for those that are not.

    `names` are the numbers of its links among those of the source's block. Other blocks stay as
    they are.
    """
    if isinstance(held, Text) and held.target is not None:
        held = replace(held, target=targets.apply(row, held.target, "link:0"))
    if not isinstance(held, (Markup, Text)) or not held.links:
        return held
    addresses: dict[str, str] = {}
    made: list[Target] = []
    lost: list[str] = []
    covers: list[Cover] = []
    whole = isinstance(held, Text) and held.target is not None
    inside = zip(links_of(held), held.links, strict=False)
    for at, ((words, address), target) in enumerate(inside, whole):
        fate = targets.of(target)
        there = targets.as_address(fate.target)
        addresses[address] = there.address or "#"
        made.append(there)
        nowhere = there.kind == "none" and target.kind != "none"
        if fate.code is not None or nowhere:
            after = fate.after or ("unchecked" if fate.code == "link.unchecked" else "nowhere")
            lost.append(f"{words or address}: {after}")
            covers += item_facts(row, f"link:{names[at]}")
    if lost:
        work.loss(
            "link.in-markup",
            "altered",
            covers,
            row=work.rows.parent[row] if work.rows.parent[row] >= 0 else row,
            before=said(held),
            labels=tuple(lost),
        )
    if isinstance(held, Markup):
        return replace(held, html=relinked(held.html, addresses), links=tuple(made))
    return replace(held, body=relinked_text(held.body, addresses), links=tuple(made))


def _product(work: Work, targets: Targets, name: str, at: int) -> Offer | None:
    """A product of a block: one of the source, or else the destination's of the same key."""
    content = targets.contents.get(("product", name))
    if content is not None:
        return Offer(content.title or name, Target("product", content.id), None, at)
    there = [c for c in targets.pointable if c.kind == "product" and name in (c.key, c.id)]
    if len(there) == 1:
        return Offer(there[0].title or name, None, Target("product", there[0].id), at)
    return None


def said(held: Held) -> str:
    """What a block holds, in words, so that somebody can make it again."""
    if isinstance(held, Picture):
        caption = f", “{held.caption}”" if held.caption else ""
        title = f", titled “{held.title}”" if held.title else ""
        alt = f", described as “{held.alt}”" if held.alt else ""
        second = f", with {held.second} behind it" if held.second else ""
        return f"the picture {held.source}{caption}{title}{alt}{second}"
    if isinstance(held, Text):
        return f"the text “{held.body}”"
    if isinstance(held, Markup):
        return f"the markup “{held.html}”"
    if isinstance(held, Products):
        return f"products ({', '.join(held.contents)})"
    if isinstance(held, Generated):
        return f"a list that fills itself (the {held.count} {held.rule} of {held.of})"
    if isinstance(held, Form):
        return f"a form ({', '.join(held.fields)})"
    if isinstance(held, MenuReference):
        return f"the menu {held.menu!r}"
    settings = ", ".join(f"{name} {value}" for name, value in held.settings)
    return f"the widget {held.name}" + (f" ({settings})" if settings else "")
