"""What ties flat records: every structure that their fields allow, and the tree that it gives.

A `Shape` is a structure with the parent of each record; those that are told by names stand in
`named.py`. Which of several is right is weighed in `weigh.py`, by what the trees look like.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import chain, pairwise
from typing import Any

from ..profiles.above import uppers
from ..profiles.ties import INDENT
from ..profiles.trees import UPPER
from .columns import Column, addresses_of, label_of
from .looks import is_address
from .named import by_lists, by_parents, follows_in, named_in_menus
from .shape import Shape, depths, ids_of, tells_menus
from .words import says

SEPARATORS = (" > ", " › ", " » ", " / ", " | ", " - ", ">", "/", "|", "\\", ".", "-", ",")
SURE = 0.9
"""The weight of a structure from which on addresses need not say what stands below what."""

GLANCE = 2000
"""Records, by the first of which it is told whether all are worth looking at."""

_PLACE = re.compile(r"\d{1,6}")


def shapes(known: dict[str, Column], count: int) -> Iterator[Shape]:
    """All structures that these columns allow; that of no levels last."""
    sure = False
    for shape in chain.from_iterable(find(known) for find in _STRUCTURES):
        sure = sure or shape.weight >= SURE
        yield shape
    if not sure:
        yield from _by_addresses(known)
    yield _flat(known, count)


def _by_addresses(known: dict[str, Column]) -> Iterator[Shape]:
    """Records that stand below those whose addresses theirs begin with."""
    for found in addresses_of(known):
        column = known[found.field]
        if column.unique:
            at = {text: n for n, text in enumerate(column.texts)}
            ups = uppers(column.texts)
            below = sum(map(bool, ups))
            if below < 3 or 3 * below < len(ups):
                return
            parents = [at[up] if up else -1 for up in ups]
            keys = {"structure": "parent", "id": found.field, "under": UPPER}
            why = f"{below} of {len(ups)} addresses go on where that of another one ends"
            yield Shape(keys, parents, 0.3, why, ())
            return


def _flat(known: dict[str, Column], count: int) -> Shape:
    """No levels at all; perhaps each record names the one before it."""
    why = "nothing says what stands below what"
    top = [-1] * count
    for ident in ids_of(known) if count > 2 else ():
        follows = follows_in(known, ident, top, (ident,))
        if follows is not None:
            keys = {"structure": "flat", "id": ident, "follows": follows}
            why = f"each {follows!r} is the {ident!r} of the record before it"
            return Shape(keys, top, 0.9, why, (ident, follows), None, ordered=True)
    return Shape({"structure": "flat"}, top, 0.0, why, ())


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
        if known[ident].wordy > 0.6:
            continue  # these are labels: see `_trails`
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
    groups = [None, *[field for field, column in known.items() if tells_menus(column)]]
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
                    same = [f for f, h in whole.items() if h == [d + start - 1 for d in depth]]
                    level = max(same, key=lambda field: says(field, "level"), default=None)
                    if level is not None and level not in taken and max(depth) > 1:
                        keys |= {"level": level, "start": start} if start != 1 else {"level": level}
                        taken.append(level)
                        break
                yield Shape(keys, parents, 1.0, why, tuple(taken), None, ordered=True, group=group)
                return


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


_STRUCTURES = (
    _outlines,
    _lineages,
    _steps,
    _intervals,
    _column_each,
    _indented,
    _trails,
    by_parents,
    named_in_menus,
    by_lists,
    _levels,
)
"""What finds the shapes of each structure, the ones that are hardest to meet by chance first."""
