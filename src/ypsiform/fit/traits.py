"""Traits that the destination stores, and who may see an item."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from msgspec.structs import replace

from ..addresses import runs
from ..findings import EVERY, Cover, Outcome, enumerated, named_in_words
from ..model import EVERYONE, PLAIN, Badge, Item, Rows, Traits, admits, said_traits, set_traits
from ..values import remember
from .work import Fate, Work, item_facts

_CODES = {
    "classes": "trait.class",
    "devices": "trait.device",
}


def end_of(rows: Rows, row: int, last: int) -> int:
    """The row behind the last one below this row, within its menu."""
    depths = rows.depth
    depth = depths[row]
    at = row + 1
    while at < last and depths[at] > depth:
        at += 1
    return at


def left_out(work: Work, fate: Fate, row: int, item: Item) -> str | None:
    """The code under which an item is left out with all that is below it; None where it is kept.

    An item narrower than its place, or one switched off, is left out where the destination cannot
    store that, because it would become visible.
    """
    if not item.hidden and item.traits.audience == EVERYONE:
        return None
    lacks = work.lacking if _will_head(work, fate, row, item) else ()
    held = work.holds(fate, "hidden") and "hidden" not in lacks
    if item.hidden and not held and not work.publishes(row):
        return "access.switched-off"
    audience = item.traits.audience
    if audience == EVERYONE or (work.holds(fate, "audience") and "audience" not in lacks):
        return None
    places = fate.locations or work.at(fate.menu.id)
    if places and all(admits(audience, place.audience) for place in places):
        return None
    return "access.not-held"


def _will_head(work: Work, fate: Fate, row: int, item: Item) -> bool:
    """Whether an item heads a column of a panel where headings hold less than other items."""
    shown = any(place.panels for place in fate.locations)
    return bool(work.lacking) and shown and item.role == "heading" and row in work.spots


def leave_out(work: Work, fate: Fate, code: str, row: int, end: int) -> None:
    """Report a branch that is left out."""
    labels = tuple(work.label(at) for at in range(row, end))
    item = work.rows.things[row]
    assert isinstance(item, Item)
    work.loss(
        code,
        "dropped",
        [Cover(0, "item", range(row, end), EVERY)],
        row=row,
        before=None if code == "access.switched-off" else ", ".join(item.traits.audience),
        after=None if code == "access.switched-off" else _left_out(labels),
        labels=labels,
    )


def _left_out(labels: tuple[str, ...]) -> str:
    """What was left out, in words: the item, and what is below it."""
    below = labels[1:]
    if not below:
        return "The item was left out"
    items = "the item" if len(below) == 1 else f"the {len(below)} items"
    return f"The item and {items} below it were left out: {named_in_words(labels)}"


def held(
    work: Work,
    fate: Fate,
    row: int,
    item: Item,
    *,
    lifted: bool,
    inside: bool = False,
    lacks: Collection[str] = (),
) -> Traits:
    """The traits of an item that the destination stores; a loss for each other one.

    Where an item is `lifted`, words that said nothing on its old level may say something now; a
    link `inside` a panel may be read as a picture there, if it has one. `lacks` are traits that its
    own record does not hold.
    """
    traits = item.traits if work.same_encoding else said_traits(item.traits)
    if traits is PLAIN:
        return traits
    known = (traits, lifted, tuple(fate.limits.lacks))
    if not inside and not lacks and known in work.held_whole:
        return traits
    lost: dict[str, object] = {}
    encoding = work.encoding
    anew = inside and not work.same_encoding  # at its own platform it was read as what it is
    seen = encoding is not None and anew and encoding.is_picture(item)
    source = encoding.source if encoding is not None and seen else ""
    for name in set_traits(traits):
        value = getattr(traits, name)
        if name == "badge" and _is_over(work, value):
            lost[name] = None
            shown = f"“{value.text}” until {value.until}"
            work.loss("trait.expired", "dropped", item_facts(row, name), row=row, before=shown)
            continue
        if name in ("picture", "icon") and runs(value):
            lost[name] = None
            shown = f"{name} {value}"
            work.loss("link.script", "dropped", item_facts(row, name), row=row, before=shown)
            continue
        if work.holds(fate, name) and name != source and name not in lacks:
            if name == "classes" and (lifted or not work.same_encoding):
                _reserved(work, row, value, lost)
            if name == "badge":
                lost[name] = _badge(work, fate, row, value)
                continue
            # What a file says it can say again.
            plain = value if work.same_file else _plain(work, value)
            if plain and plain != value and work.can_hold(name, plain):
                lost[name] = plain
                mine = item_facts(row, name)
                before, after = (" ".join(v) if type(v) is tuple else v for v in (value, plain))
                work.loss(
                    "trait.characters", "altered", mine, row=row, before=repr(before), after=after
                )
                continue
            if plain == value and work.can_hold(name, value):
                continue
        lost[name] = getattr(PLAIN, name)
        shown = " ".join(value) if isinstance(value, tuple) else _in_words(value)
        if name == "audience":
            work.loss(
                "access.not-held",
                "dropped",
                item_facts(row, name),
                row=row,
                before=", ".join(traits.audience),
                after="It stays in the menu, which "
                + ("only they see" if fate.locations else "visitors do not see"),
            )
            continue
        if name == "devices" and not value:
            shown = "no device"
        code = _CODES.get(name, f"trait.{name}")
        work.loss(code, "dropped", item_facts(row, name), row=row, before=shown)
    if lost:
        return replace(traits, **lost)
    if not inside and not lacks:
        remember(work.held_whole, known, traits)
    return traits


def _in_words(value: Any) -> str:
    """A trait in words; of a badge its days as well."""
    if not isinstance(value, Badge):
        return str(value)
    days = [f"from {value.start}"] if value.start else []
    days += [f"until {value.until}"] if value.until else []
    return " ".join([value.text, *days])


def _plain(work: Work, value: Any) -> Any:
    """What a trait says without the characters that the destination's files cannot hold."""
    if work.unwritable is None:
        return value
    if isinstance(value, tuple):
        words = tuple(work.clean(word) for word in value)
        return value if words == value else tuple(filter(None, words))
    return work.clean(value) if isinstance(value, str) else value


_OF_BADGES = {
    "start": ("badge-from", "its first day"),
    "until": ("badge-until", "its last day"),
    "counts": ("badge-counts", "counting down"),
}
"""What a badge says beside its text: the name of its field, and words for it."""


def _badge(work: Work, fate: Fate, row: int, badge: Badge) -> Badge:
    """A badge with what the destination stores of it; a loss for what it does not."""
    left = [
        name
        for name, (field, _) in _OF_BADGES.items()
        if getattr(badge, name) and not work.holds(fate, field)
    ]
    text = work.clean(badge.text)
    if not left and text == badge.text:
        return badge
    if not left:
        mine = item_facts(row, "badge")
        before = repr(badge.text)
        work.loss("trait.characters", "altered", mine, row=row, before=before, after=text)
        return replace(badge, text=text)
    work.loss(
        "trait.badge-part",
        "altered",
        item_facts(row, "badge"),
        row=row,
        before=badge.text,
        after=enumerated([_OF_BADGES[name][1] for name in left]),
    )
    badge = replace(badge, text=text)
    return replace(badge, **{name: False if name == "counts" else None for name in left})


def _is_over(work: Work, badge: Badge) -> bool:
    """Whether a badge has expired on the day of the migration; without a day none has."""
    day = work.options.as_of
    return bool(day and badge.until and badge.until[:10] < day) and not work.same_file


def _reserved(work: Work, row: int, words: tuple[str, ...], lost: dict[str, object]) -> None:
    """Leave out classes that the destination would take for kinds, or for parts of a panel."""
    encoding, kinds = work.encoding, work.profile.kind_words
    if encoding is None and not kinds:
        return
    left = tuple(
        word for word in words if word not in kinds and not (encoding and encoding.reserved(word))
    )
    if left != words:
        lost["classes"] = left
        gone = " ".join(word for word in words if word not in left)
        outcome: Outcome = "altered" if left else "dropped"
        work.loss("trait.class", outcome, item_facts(row, "classes"), row=row, before=gone)
