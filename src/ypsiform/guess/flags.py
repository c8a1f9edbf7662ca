"""Whether visitors see an item: fields of two values, of which one is rare or called so."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from math import comb
from typing import Any, NamedTuple

from ..states import states_of
from .columns import Column
from .words import NO, YES, says

RARE = 0.3
"""The share of items that are hidden at most, where nothing but that tells a flag of hiding."""

CHANCE = 0.03
"""How likely it may be that a value is so rare by chance, where both were as frequent."""


_OTHERS = ("window", "rel", "classes", "icon", "tooltip", "description")
"""What a field that is called so says, and not whether an item is hidden."""


class Flag(NamedTuple):
    """A field that says whether an item is hidden, the rule to read it by, and how sure that is."""

    field: str
    rule: dict[str, Any]
    score: float
    why: str


def hidden_in(
    known: dict[str, Column], but: Collection[str], parents: Sequence[int]
) -> Flag | None:
    """The field that says whether an item is hidden; None where none seems to.

    What it is called tells the sense; where no name does, the rare value is that of hidden items.
    """
    best: tuple[float, Flag] | None = None
    below = Counter(parents)
    derived = [
        [bool(below[at]) for at in range(len(parents))],
        [parent < 0 for parent in parents],
    ]
    for field, column in known.items():
        two = list(dict.fromkeys(column.texts))
        stated = states_of(two) if field not in but and len(two) == 2 else None
        if stated is not None:
            hidden = next(text for text in two if stated[text] != "live")
            flag = Flag(field, _rule(column, hidden, two), 0.9, f"{hidden!r} says so")
            best = (0.9, flag) if best is None or best[0] < 0.9 else best
            continue
        if field in but or column.listed or len(two) != 2 or not _is_flag(column, two):
            continue
        off, on = says(field, "hidden"), says(field, "shown")
        first = [text == two[0] for text in column.texts]
        told_by_tree = any(first in (same, [not one for one in same]) for same in derived)
        if told_by_tree and max(off, on) < 0.5:
            continue
        rare = min(two, key=lambda text: (column.texts.count(text), text != "true"))
        share = column.texts.count(rare) / len(column.texts)
        if max(off, on) >= 0.5:
            yes = _yes_of(two)
            hidden = yes if off >= on else next(text for text in two if text != yes)
            score, told = 0.5 + max(off, on) / 2, f"{field!r} is called so"
            if share > 0.5 and (column.texts.count(hidden) > len(column.texts) / 2):
                score, told = 0.5, f"{field!r} is called so, though it hides most items"
        elif any(says(field, fact) >= 0.5 for fact in _OTHERS):
            continue
        elif share <= RARE and column.full == 1.0 and _is_rare(column.texts, rare):
            hidden, score = rare, 0.6 - share
            told = f"{round(100 * share)} % of the items have {rare!r} in it, and nothing else does"
        else:
            continue
        if best is None or score > best[0]:
            rule = _rule(column, hidden, two)
            best = (score, Flag(field, rule, score, told))
    return best[1] if best is not None else None


def _is_rare(texts: Sequence[str], rare: str) -> bool:
    """Whether a value is too rare to be so by chance; of the first record alone it says nothing."""
    count, many = texts.count(rare), len(texts)
    if count == 1 and texts[0] == rare:
        return False  # the home page, as likely as not
    if many > 200:
        return True
    return bool(sum(comb(many, some) for some in range(count + 1)) < CHANCE * 2**many)


def _is_flag(column: Column, two: Sequence[str]) -> bool:
    if all(isinstance(value, bool) for value in column.raw if value is not None):
        return True
    words = YES | NO | {"Y", "N", "J", ""}
    return all(text in words or text.lower() in words for text in two)


def _yes_of(two: Sequence[str]) -> str:
    """Which of two values says yes."""
    return next((t for t in two if t and (t in YES or t.lower() in YES or t in "YJ")), two[0])


def _rule(column: Column, hidden: str, two: Sequence[str]) -> dict[str, Any]:
    shown = next(text for text in two if text != hidden)
    rule: dict[str, Any] = {"at": column.field, "standard": False}
    if column.full == 1.0:
        rule["always"] = True
    raw = [value for value in column.raw if value is not None]
    if all(isinstance(value, bool) for value in raw):
        flag: Any = True if hidden == "true" else {"yes": False, "no": True}
        rule["through"] = [{"flag": flag}]
    elif all(type(value) is int for value in raw):
        yes = hidden == "1"
        rule["through"] = [{"flag": {"yes": yes, "no": not yes, "numbers": True}}]
    else:
        words = {text: text == hidden for text in (hidden, shown) if text}
        rule["through"] = [{"words": words}]
    return rule
