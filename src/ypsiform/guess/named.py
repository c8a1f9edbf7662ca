"""Flat records that are tied by names: each names the one above it, or lists those below it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from ..profiles.ties import ringed_of
from .columns import Column
from .shape import Shape, ids_of, tells_menus
from .tables import Table
from .words import says

LEAST = 4
"""Records beyond which it says something that none of them has two below it."""


def named_in_menus(known: dict[str, Column]) -> Iterator[Shape]:
    """Records that name the one above them by words that stand once in each menu, not in all."""
    for group in (field for field, column in known.items() if tells_menus(column)):
        menus = known[group].texts
        for ident, column in known.items():
            texts = column.texts
            if ident == group or column.listed or column.unique or column.full < 1.0:
                continue
            at = {pair: n for n, pair in enumerate(zip(menus, texts, strict=True))}
            if len(at) < len(texts):
                continue
            for field, above in known.items():
                ups = above.texts
                if field in (ident, group) or above.listed or not above.filled:
                    continue
                if above.full == 1.0 or above.unique:
                    continue
                named = [(menu, up) for menu, up in zip(menus, ups, strict=True) if up]
                if any(pair not in at for pair in named):
                    continue
                parents = [at[menu, up] if up else -1 for menu, up in zip(menus, ups, strict=True)]
                if ringed_of(parents) or len(named) < 2:
                    continue
                keys = {"structure": "parent", "id": ident, "under": field}
                why = f"{len(named)} values of {field!r} stand in {ident!r} of the same {group!r}"
                yield Shape(keys, parents, 0.9, why, (ident, field), None, group=group)


def by_parents(known: dict[str, Column]) -> Iterator[Shape]:
    """Records of which a field holds the id of the one above them."""
    for ident in ids_of(known):
        ids = known[ident].texts
        at = {text: n for n, text in enumerate(ids)}
        for field, column in known.items():
            if field == ident or column.listed or column.unique:
                continue
            ups = column.texts
            if any(isinstance(value, bool) for value in column.raw):
                continue
            outside = Counter(up for up in ups if up and up not in at)
            hits = sum(up in at for up in ups)
            if not hits or len(outside) > 1:
                continue
            # One value that is no id stands for the top, unless others are there without one.
            lost = -2 if any(not up for up in ups) else -1
            parents = [at.get(up, lost if up else -1) for up in ups]
            if -1 not in parents or ringed_of(parents):
                continue
            keys: dict[str, Any] = {"structure": "parent", "id": ident, "under": field}
            if outside and lost == -1:
                keys["top"] = next(iter(outside))
            why = f"{hits} values of {field!r} are ids of other records in {ident!r}"
            # Small numbers meet ids by chance.
            small = all(len(up) < 3 for up in ups if up)
            weight = 0.6 if small else 0.9
            named = [up for up in ups if up in at]
            chain = len(set(named)) == len(named) and 4 * len(named) >= 3 * len(ups)
            if chain and len(ups) > LEAST and says(field, "parent") < 0.9:
                weight = 0.05  # each is named once, as one that comes before another is
            taken = [ident, field]
            follows = follows_in(known, ident, parents, taken)
            if follows is not None:
                keys["follows"] = follows
                taken.append(follows)
            yield Shape(keys, parents, weight, why, tuple(taken), None, ordered=follows is not None)


_NEXT = re.compile(r"next|nachfolg|suivant|neste|siguiente|volgende|seguente", re.IGNORECASE)
"""What a field is called that names the sibling behind a record."""


def follows_in(
    known: dict[str, Column], ident: str, parents: list[int], taken: Sequence[str]
) -> str | None:
    """The field by which each record names the sibling before it."""
    at = {text: n for n, text in enumerate(known[ident].texts)}
    for field, column in known.items():
        if field in taken or column.listed or not column.filled:
            continue
        if len(set(column.filled)) < len(column.filled) or any(t not in at for t in column.filled):
            continue
        before = [at[text] if text else -1 for text in column.texts]
        named = [(n, b) for n, b in enumerate(before) if b >= 0]
        if _NEXT.search(field) or (len(named) > 2 and all(b > n for n, b in named)):
            continue  # it names the sibling behind it
        same = all(b < 0 or parents[b] == parents[n] for n, b in enumerate(before))
        firsts = Counter(parents[n] for n, b in enumerate(before) if b < 0)
        once = sum(count == 1 for parent, count in firsts.items() if parent >= 0)
        below = len({parent for parent in parents if parent >= 0})
        # Each menu has a first one at its top; hardly any record comes after none.
        first = sum(b < 0 for b in before) <= max(below + 8, len(before) // 3)
        if same and first and once >= 0.9 * below and not ringed_of(before):
            return field
    return None


def by_lists(known: dict[str, Column]) -> Iterator[Shape]:
    """Records that list the ids of those below them."""
    for ident in ids_of(known):
        at = {text: n for n, text in enumerate(known[ident].texts)}
        for field, column in known.items():
            lists = [value if isinstance(value, tuple) else () for value in column.raw]
            named = [_name(entry) for value in lists for entry in value]
            if not named or len(set(named)) < len(named) or any(n not in at for n in named):
                continue
            parents = [-1] * len(lists)
            for n, value in enumerate(lists):
                for entry in value:
                    parents[at[_name(entry)]] = n
            if ringed_of(parents):
                continue
            keys = {"structure": "listed", "id": ident, "inside": field}
            why = f"the lists in {field!r} hold {len(named)} ids of {ident!r}"
            yield Shape(keys, parents, 1.0, why, (ident, field), None, ordered=True)


def listed_by(table: Table, known: dict[str, Column], others: Sequence[Table]) -> Iterator[Shape]:
    """That other records list these, where none of these lists others."""
    empty = [key for key, lists in table.inner.items() if not any(lists)]
    for ident in ids_of(known):
        ids = set(known[ident].texts)
        for other in others:
            for field in other.fields:
                lists = [value for value in other.column(field) if isinstance(value, tuple)]
                named = [_name(entry) for value in lists for entry in value]
                if len(named) < 0.9 * len(ids) or len(set(named)) < len(named):
                    continue
                if any(name not in ids for name in named):
                    continue
                inside = field if field in empty or not empty else empty[0]
                keys = {"structure": "listed", "id": ident, "inside": inside}
                why = f"the lists in {field!r} at {other.at!r} hold {len(named)} ids of {ident!r}"
                yield Shape(keys, [-1] * len(ids), 1.0, why, (ident,), None, ordered=True)
                return


def _name(entry: Any) -> str:
    return "" if isinstance(entry, bool) or entry is None else str(entry)
