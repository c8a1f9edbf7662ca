"""What ties flat records: every structure that their fields allow, and the tree that it gives.

A `Shape` is a structure with the parent of each record. Which of several is right is weighed in
`weigh.py`, by what the trees look like.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Any, NamedTuple

from ..profiles.ties import INDENT, ringed_of
from .columns import Column, label_of
from .looks import is_address
from .tables import Table
from .words import says

SEPARATORS = (" > ", " › ", " » ", " / ", " | ", " - ", ">", "/", "|", "\\", ".", "-", ",")
GLANCE = 2000
"""Records, by the first of which it is told whether all are worth looking at."""

LEAST = 4
"""Records beyond which it says something that none of them has two below it."""

MOST_IDS = 6
"""Fields that are tried as ids."""

_PLACE = re.compile(r"\d{1,6}")


class Shape(NamedTuple):
    """A structure: the keys of `tie`, the parent of each record, and why.

    `parents`: the place of the record above, -1 at the top, -2 where it is missing. `spots`: what
    tells the place of a record from others of its menu. `taken` are the fields that it is made of;
    `weight` says how unlikely it is by chance, from 0 to 1. `group`: the field of menus, where the
    structure shows it. `ends`: for labels from the top down the label of each record itself.
    """

    keys: dict[str, Any]
    parents: list[int]
    weight: float
    why: str
    taken: tuple[str, ...]
    spots: list[Any] | None = None
    ordered: bool = False
    group: str | None = None
    ends: list[str] | None = None


def shapes(known: dict[str, Column], count: int) -> Iterator[Shape]:
    """All structures that these columns allow; that of no levels last."""
    yield from _outlines(known)
    yield from _lineages(known)
    yield from _steps(known)
    yield from _intervals(known)
    yield from _column_each(known)
    yield from _indented(known)
    yield from _trails(known)
    yield from _parents(known)
    yield from _named_in_menus(known)
    yield from _listed(known)
    yield from _levels(known)
    yield _flat(known, count)


def _flat(known: dict[str, Column], count: int) -> Shape:
    """No levels at all; perhaps each record names the one before it."""
    why = "nothing says what stands below what"
    top = [-1] * count
    for ident in ids_of(known) if count > 2 else ():
        follows = _follows(known, ident, top, (ident,))
        if follows is not None:
            keys = {"structure": "flat", "id": ident, "follows": follows}
            why = f"each {follows!r} is the {ident!r} of the record before it"
            return Shape(keys, top, 0.9, why, (ident, follows), None, ordered=True)
    return Shape({"structure": "flat"}, top, 0.0, why, ())


def ids_of(known: dict[str, Column]) -> list[str]:
    """The fields that can be ids, the likeliest first."""
    found = [
        field
        for field, column in known.items()
        if column.unique and not column.listed and max(map(len, column.texts)) <= 64
    ]

    def rank(field: str) -> tuple[bool, bool, float]:
        column = known[field]
        address = column.addressed > 0.5
        return (address, column.wordy > 0.6, -says(field, "id"))

    return sorted(found, key=rank)[:MOST_IDS]


def _places(spots: Sequence[Any], above: Sequence[Any]) -> list[int]:
    """For each record the last one before it whose spot is that above its own; else the first."""
    first: dict[Any, int] = {}
    for at, spot in enumerate(spots):
        first.setdefault(spot, at)
    last: dict[Any, int] = {}
    parents = []
    for at, (spot, up) in enumerate(zip(spots, above, strict=True)):
        parents.append(-1 if up is None else last.get(up, first.get(up, -2)))
        last[spot] = at
    return parents


def again(shape: Shape, groups: Sequence[Any]) -> list[int]:
    """The parents of records whose places count anew in each of these groups."""
    if shape.spots is None:
        return shape.parents
    spots = [(group, spot) for group, spot in zip(groups, shape.spots, strict=True)]
    above: list[Any] = []
    for (group, spot), parent in zip(spots, shape.parents, strict=True):
        above.append(None if parent == -1 else (group, spot[:-1]))
    return _places(spots, above)


def _outlines(known: dict[str, Column]) -> Iterator[Shape]:
    for field, column in known.items():
        if column.full < 1.0 or column.listed:
            continue
        for between in (".", "-", "/"):
            if not any(between in text for text in column.texts[:GLANCE]):
                continue
            ways = [tuple(text.split(between)) for text in column.texts]
            if not all(_PLACE.fullmatch(part) for way in ways for part in way):
                continue
            spots = [tuple(int(part) for part in way) for way in ways]
            parents = _places(spots, [spot[:-1] or None for spot in spots])
            there = sum(parent != -2 for parent in parents) / len(parents)
            # Places count up from the first one; ids do not.
            low = sum(spot[-1] <= len(spots) for spot in spots) / len(spots)
            first = any(spot == (1,) or spot == (0,) for spot in spots)
            counts = low >= 0.95 or _starts_anew(spots)
            if there < 0.9 or not counts or not first or _ends_in_ids(known, ways, field):
                continue
            keys: dict[str, Any] = {"structure": "outline", "number": field}
            keys |= {"between": between} if between != "." else {}
            why = f"{field!r} holds places in an outline, as {column.texts[-1]!r}"
            yield Shape(keys, parents, 1.0, why, (field,), spots, ordered=True)


def _starts_anew(spots: Sequence[tuple[int, ...]]) -> bool:
    """Whether places count from the first one below nearly all that has some below it."""
    least: dict[tuple[int, ...], int] = {}
    for spot in spots:
        least[spot[:-1]] = min(spot[-1], least.get(spot[:-1], spot[-1]))
    return sum(first <= 1 for first in least.values()) >= 0.9 * len(least) and len(least) > 1


def _ends_in_ids(known: dict[str, Column], ways: list[tuple[str, ...]], but: str) -> bool:
    last = [way[-1] for way in ways]
    return any(known[field].texts == last for field in ids_of(known) if field != but)


def _lineages(known: dict[str, Column]) -> Iterator[Shape]:
    for ident in ids_of(known):
        ids = known[ident].texts
        at = {text: n for n, text in enumerate(ids)}
        for field, column in known.items():
            if field == ident or column.full < 1.0 or column.listed:
                continue
            first = zip(column.texts[:GLANCE], ids, strict=False)
            if not all(text.endswith(own) for text, own in first):
                continue
            for between in SEPARATORS:
                if not any(between in text for text in column.texts):
                    continue
                ways = [text.split(between) for text in column.texts]
                if not all(
                    way[-1] == own and all(part in at for part in way)
                    for way, own in zip(ways, ids, strict=True)
                ):
                    continue
                parents = [at[way[-2]] if len(way) > 1 else -1 for way in ways]
                keys = {"structure": "lineage", "id": ident, "number": field, "between": between}
                why = f"{field!r} holds the ids of {ident!r} from the top down"
                yield Shape(keys, parents, 1.0, why, (ident, field))
                break


def _steps(known: dict[str, Column]) -> Iterator[Shape]:
    for field, column in known.items():
        texts = column.texts
        if column.full < 1.0 or column.listed or not all(text.isalnum() for text in texts):
            continue
        if any(type(value) is int for value in column.raw):
            continue  # numbers have no zeros before them
        lengths = sorted({len(text) for text in texts})
        if len(lengths) < 2 or lengths[-1] > 512:
            continue
        for width in range(lengths[0], 0, -1):
            if any(length % width for length in lengths):
                continue
            spots = [tuple(t[n : n + width] for n in range(0, len(t), width)) for t in texts]
            top = min(map(len, spots))
            parents = _places(spots, [spot[:-1] if len(spot) > top else None for spot in spots])
            if any(parent == -2 for parent in parents) or (width < 2 and column.whole):
                continue
            letters = {letter for text in texts for letter in text}
            alphabet = _alphabet(letters)
            if alphabet is None:
                continue
            keys: dict[str, Any] = {"structure": "steps", "number": field}
            keys |= {"width": width} if width != 4 else {}
            keys |= {"start": top} if top > 1 else {}
            keys |= {"alphabet": alphabet} if alphabet != "0123456789" else {}
            taken = [field]
            depth = [len(spot) for spot in spots]
            below = Counter(parents)
            counts = [below[at] for at in range(len(parents))]
            for key, wanted in (("level", depth), ("count", counts)):
                name = next((f for f, c in known.items() if c.whole == wanted), None)
                if name is not None and name not in taken:
                    keys[key] = name
                    taken.append(name)
            why = f"{field!r} holds steps of {width} letters, and all that stand above are there"
            yield Shape(keys, parents, 1.0, why, tuple(taken), spots, ordered=True)
            break


def _alphabet(letters: set[str]) -> str | None:
    """The usual letters to count by that these are part of."""
    digits, upper, lower = "0123456789", "ABCDEFGHIJKLMNOPQRSTUVWXYZ", "abcdefghijklmnopqrstuvwxyz"
    for alphabet in (digits, digits + upper, digits + lower, upper, lower, digits + upper + lower):
        if letters <= set(alphabet):
            return alphabet
    return None


def _intervals(known: dict[str, Column]) -> Iterator[Shape]:
    numbers = {field: column.whole for field, column in known.items()}
    whole = {field: held for field, held in numbers.items() if held is not None}
    groups = [None, *[field for field, column in known.items() if _groups(column)]]
    for left, low in whole.items():
        for right, high in whole.items():
            if left == right or any(a >= b for a, b in zip(low, high, strict=True)):
                continue
            for group in groups:
                texts = known[group].texts if group is not None else [""] * len(low)
                parents = _inside(low, high, texts)
                if parents is None:
                    continue
                keys: dict[str, Any] = {"structure": "intervals", "left": left, "right": right}
                why = f"the numbers of {left!r} and {right!r} lie within each other"
                taken = [left, right]
                depth = depths(parents)
                for start in (1, 0):
                    level = next(
                        (f for f, held in whole.items() if held == [d + start - 1 for d in depth]),
                        None,
                    )
                    if level is not None and level not in taken and max(depth) > 1:
                        keys |= {"level": level, "start": start} if start != 1 else {"level": level}
                        taken.append(level)
                        break
                yield Shape(keys, parents, 1.0, why, tuple(taken), None, ordered=True, group=group)
                return


def _groups(column: Column) -> bool:
    """Whether a column can tell menus apart, by how many values it has."""
    many = len(set(column.filled))
    return column.full == 1.0 and 1 < many <= max(2, len(column.texts) // 2) and many <= 40


def depths(parents: Sequence[int]) -> list[int]:
    """The level of each record, 1 for those at the top."""
    depth = [0] * len(parents)
    for start in range(len(parents)):
        way = []
        at = start
        while at >= 0 and depth[at] == 0:
            way.append(at)
            at = parents[at]
            if len(way) > len(parents):
                break
        base = depth[at] if at >= 0 else 0
        for n, row in enumerate(reversed(way), 1):
            depth[row] = base + n
    return depth


def _inside(low: list[int], high: list[int], groups: Sequence[str]) -> list[int] | None:
    """The parents of records by their bounds; None where those cross, or leave holes."""
    by: dict[str, list[int]] = {}
    for at, group in enumerate(groups):
        by.setdefault(group, []).append(at)
    parents = [-1] * len(low)
    for rows in by.values():
        bounds = [low[at] for at in rows] + [high[at] for at in rows]
        if len(set(bounds)) < len(bounds) or max(bounds) - min(bounds) + 1 > 1.5 * len(bounds):
            return None
        stack: list[int] = []
        for at in sorted(rows, key=low.__getitem__):
            while stack and high[stack[-1]] < low[at]:
                stack.pop()
            if stack:
                if high[at] > high[stack[-1]]:
                    return None
                parents[at] = stack[-1]
            stack.append(at)
    return parents


def _column_each(known: dict[str, Column]) -> Iterator[Shape]:
    """Columns of words of which each record fills one, or those down to its own."""
    words = [f for f, c in known.items() if c.wordy >= 0.6 and c.full < 1.0 and not c.listed]
    for first in range(len(words)):
        taken: list[str] = []
        for field in words[first:]:
            mine = [bool(text) for text in known[field].texts]
            others = [any(known[f].texts[n] for f in taken) for n in range(len(mine))]
            if not any(a and b for a, b in zip(mine, others, strict=True)):
                taken.append(field)
        filled = [
            [known[field].texts[n] for field in taken] for n in range(len(known[words[0]].texts))
        ]
        if len(taken) < 2 or not all(any(cells) for cells in filled):
            continue
        yield from _of_columns(known, taken)
        return
    # The labels above are said again in each record.
    words = [f for f, c in known.items() if c.wordy >= 0.6 and not c.listed]
    for start, field in enumerate(words):
        if known[field].full < 1.0 or known[field].different == 1.0:
            continue
        taken = [field]
        for deeper in words[start + 1 :]:
            above, here = known[taken[-1]], known[deeper]
            within = all(a for a, b in zip(above.texts, here.texts, strict=True) if b)
            if within and here.full < above.full:
                taken.append(deeper)
        if len(taken) > 1:
            yield from _of_columns(known, taken)
            return


def _of_columns(known: dict[str, Column], taken: list[str]) -> Iterator[Shape]:
    ways = set(zip(*(known[field].texts for field in taken), strict=True))
    if 4 * len(ways) < 3 * len(known[taken[0]].texts) and known[taken[0]].full == 1.0:
        return  # several records say the same: what tells them apart is another field
    stack: list[tuple[int, int]] = []
    parents: list[int] = []
    ends: list[str] = []
    for at in range(len(known[taken[0]].texts)):
        cells = [known[field].texts[at] for field in taken]
        level = max((n for n, cell in enumerate(cells) if cell), default=0)
        while stack and stack[-1][0] >= level:
            stack.pop()
        parents.append(stack[-1][1] if stack else (-1 if level == 0 else -2))
        ends.append(cells[level])
        stack.append((level, at))
    why = "each record has its label in one of the columns " + ", ".join(map(repr, taken))
    keys = {"structure": "columns", "columns": taken}
    yield Shape(keys, parents, 1.0, why, tuple(taken), None, ordered=True, ends=ends)


def _indented(known: dict[str, Column]) -> Iterator[Shape]:
    for field, column in known.items():
        if column.full < 1.0 or column.wordy < 0.5 or column.listed:
            continue
        widths, ends = [], []
        for text in column.texts:
            found = INDENT.match(text)
            end = found.end() if found is not None else 0
            widths.append(len(text[:end].expandtabs(4)))
            ends.append(text[end:].strip())
        some = [width for width in widths if width]
        if not some or widths[0] != min(widths) or not all(ends) or len(set(widths)) > 12:
            continue
        if min(widths) > 0 and len(set(widths)) == 1:
            continue
        parents, stack = [], list[tuple[int, int]]()
        for at, width in enumerate(widths):
            while stack and stack[-1][0] >= width:
                stack.pop()
            parents.append(stack[-1][1] if stack else -1)
            stack.append((width, at))
        step = next(
            text[: len(text) - len(end)]
            for text, end, width in zip(column.texts, ends, widths, strict=True)
            if width == min(some)
        )
        keys = {"structure": "indented", "number": field, "step": step}
        why = f"{len(some)} of the {len(widths)} texts in {field!r} are indented"
        yield Shape(keys, parents, 1.0, why, (field,), None, ordered=True, ends=ends)


def _trails(known: dict[str, Column]) -> Iterator[Shape]:
    for field, column in known.items():
        if column.full < 1.0 or column.listed or column.addressed > 0.1 or column.wordy < 0.3:
            continue
        for between in SEPARATORS[:9]:
            if not any(between in text for text in column.texts[:GLANCE]):
                continue
            spots = [tuple(text.split(between)) for text in column.texts]
            deep = [spot for spot in spots if len(spot) > 1]
            if not deep or any(not word.strip() for spot in spots for word in spot):
                continue
            there = set(spots)
            held = sum(spot[:-1] in there for spot in deep) / len(deep)
            if held < 0.7:
                continue
            parents = _places(spots, [spot[:-1] or None for spot in spots])
            parents = [-1 if parent == -2 else parent for parent in parents]
            keys = {"structure": "labels", "number": field, "between": between}
            why = f"{field!r} holds labels from the top down, with {between!r} between them"
            ends = [spot[-1] for spot in spots]
            taken = [field]
            own = next((f for f, c in known.items() if f != field and c.texts == ends), None)
            if own is None and all(_SLUGS.fullmatch(word) for word in ends):
                # Words as they stand in addresses; what people read stands elsewhere.
                labels = label_of(known, [field])
                plain = labels is not None and not says(labels.field, "description")
                own = labels.field if labels is not None and plain else None
            if own is not None:
                keys["label"] = own
            yield Shape(keys, parents, held, why, tuple(taken), spots, ordered=True, ends=ends)
            break


_SLUGS = re.compile(r"[^\WA-Z]+(-[^\WA-Z]+)*")
"""A word as it stands in an address."""


def _named_in_menus(known: dict[str, Column]) -> Iterator[Shape]:
    """Records that name the one above them by words that stand once in each menu, not in all."""
    for group in (field for field, column in known.items() if _groups(column)):
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


def _parents(known: dict[str, Column]) -> Iterator[Shape]:
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
            follows = _follows(known, ident, parents, taken)
            if follows is not None:
                keys["follows"] = follows
                taken.append(follows)
            yield Shape(keys, parents, weight, why, tuple(taken), None, ordered=follows is not None)


_NEXT = re.compile(r"next|nachfolg|suivant|neste|siguiente|volgende|seguente", re.IGNORECASE)
"""What a field is called that names the sibling behind a record."""


def _follows(
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


def _listed(known: dict[str, Column]) -> Iterator[Shape]:
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


def _levels(known: dict[str, Column]) -> Iterator[Shape]:
    for field, column in known.items():
        held = column.whole
        if held is None or not 1 < len(set(held)) <= 10 or held[0] != min(held):
            continue
        if min(held) not in (0, 1) or any(b - a > 1 for a, b in pairwise(held)):
            continue
        if max(held) - min(held) + 1 > len(set(held)) or is_address(field):
            continue
        if len(set(held)) == len(held):
            continue  # it counts the records
        parents, stack = [], list[int]()
        for at, level in enumerate(held):
            del stack[level - min(held) :]
            parents.append(stack[-1] if stack else -1)
            stack.append(at)
        keys: dict[str, Any] = {"structure": "level", "number": field}
        if min(held) == 0:
            keys["start"] = 0
        why = f"{field!r} goes from {min(held)} to {max(held)}, and down by one step at a time"
        yield Shape(keys, parents, 0.6, why, (field,), None, ordered=True)
