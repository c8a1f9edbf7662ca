"""What the values of a field can be: words, addresses, numbers, references, flags.

Everything is told by the values; what a field is called only adds a little, where two are as good.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from functools import cached_property
from itertools import pairwise
from typing import Any

from ..profiles.mixed import KIND
from ..profiles.trees import PATH
from .fields import Found, is_whole, texts_of
from .looks import is_address
from .tables import Table, Words
from .words import MARKS, says, says_of_menus

_MARKUP = re.compile(r"</?[a-z][^>]*>", re.IGNORECASE)
_DATE = re.compile(r"\d{4}-\d\d-\d\d([T ]\d\d:\d\d.*)?$|\d{1,2}[./]\d{1,2}[./]\d{2,4}$")
_HASH = re.compile(r"[0-9a-f]{12,}$|[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$", re.IGNORECASE)
_SLUG = re.compile(r"[a-z0-9_.:/-]+$")
_BARE = re.compile(r"[^\W_][\w.~%-]*(?:/[\w.~%-]+)*/?")
_BEGINS = re.compile(r"((?!https?:|mailto:|tel:)[a-z][\w-]*:)/(?!/)", re.IGNORECASE)
_FILE = re.compile(r"\.(?:jpe?g|png|gif|svg|webp|avif|ico)(?:[?#].*)?$", re.IGNORECASE)


GOOD = 0.75
"""The score of a label from which on it is one, and no other word that a record says."""

OF_MENUS = 0.15
"""What it weighs that a field is called the label in menus, beside a title that is another one."""

ADDRESSED = 0.6
"""The share of values that look like addresses, from which on a field holds them."""

VARIED = 0.7
"""The share of different values from which on paths can be those of pages."""

SAMPLED = 5000
"""Values that are looked at one by one for what they look like."""


class Column:
    """One field of a table: its values, and what they look like."""

    def __init__(self, table: Table, field: str) -> None:
        self.table, self.field = table, field
        self.raw: list[Any] = table.column(field)
        self.texts = [_text(value) for value in self.raw]
        self.filled = [text for text in self.texts if text]

    @cached_property
    def full(self) -> float:
        """The share of records that say something."""
        return len(self.filled) / len(self.texts) if self.texts else 0.0

    @cached_property
    def different(self) -> float:
        """The share of values that are not there twice."""
        return len(set(self.filled)) / len(self.filled) if self.filled else 0.0

    @cached_property
    def listed(self) -> bool:
        """Whether lists stand in it, or texts in several languages."""
        return any(isinstance(value, (tuple, Words)) for value in self.raw)

    @cached_property
    def wordy(self) -> float:
        """How much the values look like what people read, from 0 to 1."""
        some = self._some
        return sum(map(wordy, some)) / len(some) if some else 0.0

    @cached_property
    def addressed(self) -> float:
        """The share of values that look like addresses, and not like those of pictures."""
        some = self._some
        begins = self.begins
        some = [text.removeprefix(begins) for text in some] if begins else some
        alike = sum(is_address(text) and not _FILE.search(text) for text in some)
        return alike / len(some) if some else 0.0

    @cached_property
    def begins(self) -> str:
        """The word and sign that most values begin with before a path: `internal:/a`."""
        found = Counter(hit[1] for text in self._some if (hit := _BEGINS.match(text)))
        ((word, count),) = found.most_common(1) or [("", 0)]
        return word if 2 * count > len(self._some) else ""

    @cached_property
    def bare(self) -> bool:
        """Whether the values are paths from the root of a site, without the slash they begin with.

        Others among them may be whole addresses.
        """
        some = self._some
        if self.addressed >= ADDRESSED or self.different < VARIED or len(some) < 2:
            return False
        if not all(type(value) is str for value in self.raw if value is not None):
            return False
        return all(is_address(text) or is_bare(text) for text in some)

    @cached_property
    def rooted(self) -> list[str]:
        """The values as paths from the root of the site, where they are addresses."""
        texts, begins = self.texts, self.begins
        texts = [text.removeprefix(begins) for text in texts] if begins else texts
        return list(map(rooted, texts)) if self.bare else texts

    @cached_property
    def closed(self) -> bool:
        """Whether most paths that have several parts lie below others of these values."""
        known = {text.rstrip("/") for text in self.filled}
        deep = [text for text in known if "/" in text and not is_address(text)]
        below = sum(text.rpartition("/")[0] in known for text in deep)
        return len(deep) > 1 and 2 * below >= len(deep)

    @property
    def _some(self) -> list[str]:
        """Of a great many values some from the whole length of the file."""
        return self.filled[:: 1 + len(self.filled) // SAMPLED]

    @cached_property
    def whole(self) -> list[int] | None:
        """The whole numbers, where all records have one."""
        if not self.texts or any(isinstance(value, bool) for value in self.raw):
            return None
        if not all(text and is_whole(text) for text in self.texts):
            return None
        return [int(text) for text in self.texts]

    @cached_property
    def unique(self) -> bool:
        """Whether all records say something, and each something else."""
        return bool(self.texts) and self.full == 1.0 and len(set(self.texts)) == len(self.texts)


def _text(value: Any) -> str:
    return {True: "true", False: "false"}[value] if isinstance(value, bool) else texts_of(value)


def wordy(text: str) -> float:
    """How much one value looks like what people read."""
    if not any(c.isalpha() for c in text) or is_address(text) or _MARKUP.search(text):
        return 0.0
    if _DATE.match(text) or _HASH.match(text) or text in MARKS:
        return 0.0
    return 0.3 if _SLUG.match(text) else 1.0


def is_bare(text: str) -> bool:
    """Whether a text can be the path of a page, without the slash that it begins with."""
    if not _BARE.fullmatch(text) or _FILE.search(text) or _DATE.match(text) or _HASH.match(text):
        return False
    return any(c.isalpha() for c in text)


def rooted(path: str) -> str:
    """A path from the root of a site, whether it has the slash it begins with or not."""
    return f"/{path}" if path and not is_address(path) and is_bare(path) else path


def columns(table: Table) -> dict[str, Column]:
    """The columns of a table, by field; the name of a record among others is none."""
    known: dict[str, Column] | None = table.known
    fields = [field for field in table.fields if field != KIND]
    if known is None or known.keys() != set(fields):
        known = table.known = {field: Column(table, field) for field in fields}
    return known


def label_of(known: dict[str, Column], but: Sequence[str] = ()) -> Found | None:
    """The field that holds what people read: words, in most records, mostly different ones."""
    best: Found | None = None
    for field, column in known.items():
        if field in but or not column.wordy or not column.filled:
            continue
        if any(isinstance(value, tuple) for value in column.raw):
            continue
        length = sum(map(len, column.filled)) / len(column.filled)
        brief = 1.0 if length <= 45 else 0.5
        score = (0.5 * column.wordy + 0.2 * column.full + 0.3 * column.different) * brief
        score += 0.1 * says(field, "label")
        if column.full == 1.0 and says_of_menus(field):
            score += OF_MENUS
        score -= 0.1 * max(says(field, word) for word in ("description", "tooltip", "classes"))
        if best is None or score > best.score + 1e-9:
            why = (
                f"{len(column.filled)} of {len(column.texts)} records have one, "
                f"{round(100 * column.wordy)} % of them read like words"
            )
            best = Found(field, score, why)
    return best if best is not None and best.score >= 0.35 else None


def paths_in(known: dict[str, Column], but: Sequence[str] = ()) -> list[Found]:
    """The fields that hold addresses, or paths that lack the slash they begin with.

    What is called an address and has one part alone is no more than likely: it may be a part.
    """
    found = addresses_of(known, but)
    if found:
        return found
    for field, column in known.items():
        named = says(field, "address") >= 0.9
        if field in but or not (named or column.closed) or not column.bare:
            continue
        score = 0.55 + 0.05 * column.full + 0.05 * says(field, "address")
        score += 0.15 if column.closed else 0.0
        why = f"{len(column.filled)} of {len(column.texts)} records have a path without its slash"
        why += "" if column.closed else ", if it is a whole one"
        found.append(Found(field, score, why))
    return sorted(found, key=lambda one: -one.score)


def addresses_of(known: dict[str, Column], but: Sequence[str] = ()) -> list[Found]:
    """The fields that hold addresses, the likeliest first."""
    found = []
    for field, column in known.items():
        if field in but or column.addressed < ADDRESSED or made_of_another(column, known):
            continue
        score = 0.55 * column.addressed + 0.15 * column.full + 0.15 * column.different
        score += 0.15 * says(field, "address")
        if _of_itself(column):
            score -= 0.3
        if field == PATH:  # where a file stands: what it says itself counts more
            score -= 0.2
        why = (
            f"{len(column.filled)} of {len(column.texts)} records have one, "
            f"{round(100 * column.addressed)} % of them look like addresses"
        )
        found.append(Found(field, score, why))
    return sorted(found, key=lambda one: -one.score)


def _of_itself(column: Column) -> bool:
    """Whether all values are addresses of one program, different in their numbers alone."""
    some = column.filled[:200]
    plain = {re.sub(r"\d+", "", text) for text in some}
    return len(some) > 2 and len(plain) == 1 and "://" in some[0] and some[0][-1:].isdigit()


def made_of_another(column: Column, known: dict[str, Column]) -> bool:
    """Whether what another field says stands in each value, and all else is always the same.

    Such are addresses of a record itself, and not of what it leads to.
    """
    if len(column.filled) < 3 or column.different < 1.0:
        return False
    for other in known.values():
        if other is column or not other.unique:
            continue
        pairs = [(t, o) for t, o in zip(column.texts, other.texts, strict=True) if t]
        text, own = pairs[0]
        at = text.rfind(own)
        if at < 1:
            continue
        start, end = text[:at], text[at + len(own) :]
        if _ROOT.fullmatch(start) and end in ("", "/") and _says_words(other):
            continue  # the path of a page, said with what the site's addresses start with
        if all(text == start + own + end for text, own in pairs):
            return True
    return False


_ROOT = re.compile(r"(https?:)?//[^/]+/|/")


def _says_words(column: Column) -> bool:
    """Whether most values have a word in them, as paths of pages do and ids do not."""
    worded = sum(_WORD.search(text) is not None for text in column.filled)
    return 2 * worded > len(column.filled)


_WORD = re.compile(r"(?<![^\W_])[^\W\d_]{3,}(?![^\W_])")


def order_in(known: dict[str, Column], groups: Sequence[Any], but: Sequence[str]) -> Found | None:
    """The field of the place among siblings: numbers that go up by one step in every group.

    Where the file's order says the same, none is needed, and one that is called so is still taken.
    """
    best: tuple[float, Found] | None = None
    for field, column in known.items():
        held = column.whole
        if field in but or held is None or len(set(held)) < 2:
            continue
        by: dict[Any, list[int]] = {}
        for group, number in zip(groups, held, strict=True):
            by.setdefault(group, []).append(number)
        some = [numbers for numbers in by.values() if len(numbers) > 1]
        if not some:
            continue
        distinct = sum(len(set(n)) == len(n) for n in some) / len(some)
        steps = Counter(_step(sorted(n)) for n in some)
        step, hits = steps.most_common(1)[0]
        even = hits / len(some) if step else 0.0
        starts = Counter(min(n) for n in by.values())
        alike = starts.most_common(1)[0][1] / len(by)
        again = 1.0 if len(set(held)) < len(held) or len(by) == 1 else 0.0
        name = says(field, "order")
        score = 0.4 * even * distinct + 0.3 * alike * again + 0.2 * distinct + 0.2 * name
        if distinct < 0.9 and name < 0.9:
            continue
        sorted_already = all(numbers == sorted(numbers) for numbers in some)
        if score < 0.7 and (sorted_already or name < 0.5):
            continue
        if best is None or score > best[0]:
            why = (
                f"its numbers are different in {round(100 * distinct)} % of the groups of siblings"
            )
            why += f", and go up evenly in {round(100 * even)} %"
            best = (score, Found(field, min(score + 0.1, 1.0), why))
    return best[1] if best is not None else None


def _step(numbers: list[int]) -> int:
    """The step by which numbers go up; 0 where it is not always the same."""
    steps = {b - a for a, b in pairwise(numbers)}
    return steps.pop() if len(steps) == 1 else 0
