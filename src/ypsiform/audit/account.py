"""What became of every fact, counted; and whether the losses that were told say just that.

It is counted from both ends, so that neither a change without a finding passes nor a finding
without one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from ..facts import NEW
from ..findings import EVERY, Finding, Outcome

AS_IT_WAS = frozenset({"kept", "restated"})
"""The outcomes of facts of which nothing has to be told."""

Key = tuple[int, str, int]
"""A side (0: the source), a scope, and a number in it."""


class Account:
    """The outcomes of all facts, by side, scope, number and name; `totals` are their numbers.

    Facts that end alike are kept together, since there are many of them: a theme that shows no menu
    loses one fact of each row.
    """

    def __init__(self) -> None:
        self.totals: Counter[str] = Counter()
        self._changed: dict[tuple[int, str, str, Outcome], list[int]] = {}
        # What the file says and its source does not; a finding must say so.
        self._new: set[tuple[int, str, int, str]] = set()
        self._gone: dict[tuple[int, str], dict[int, int]] = {}

    def end(self, side: int, scope: str, number: int, name: str, outcome: Outcome) -> None:
        """One fact ends so. Each ends once."""
        self.totals[outcome] += 1
        if outcome not in AS_IT_WAS:
            self._changed.setdefault((side, scope, name, outcome), []).append(number)

    def end_all(
        self, side: int, scope: str, numbers: Sequence[int], name: str, outcome: Outcome
    ) -> None:
        """The fact of this name of each of these ends so."""
        self.totals[outcome] += len(numbers)
        if outcome not in AS_IT_WAS:
            self._changed.setdefault((side, scope, name, outcome), []).extend(numbers)

    def keep(self, count: int) -> None:
        """So many facts are as they were."""
        self.totals["kept"] += count

    def made_up(self, side: int, scope: str, number: int, name: str) -> None:
        """The file says something of this name that its source does not."""
        self._new.add((side, scope, number, NEW + name))

    def gone(self, side: int, scope: str, counts: dict[int, int]) -> None:
        """All facts of these things are gone: by the number of the thing how many it had."""
        self.totals["dropped"] += sum(counts.values())
        self._gone.setdefault((side, scope), {}).update(counts)

    def problems(
        self,
        losses: Sequence[Finding],
        names_of: Callable[[int, int], Sequence[str]],
        placed: Callable[[int, int], bool],
    ) -> list[str]:
        """In what losses and outcomes disagree, in plain sentences; called once, at the end.

        Every changed fact is covered by exactly one loss, and a loss covers nothing else. What a
        loss leaves to be done by hand counts as that from here on. `names_of` has the names of the
        facts of a row, of a side; `placed` says whether a location shows a menu of it.
        """
        found: list[str] = []
        whole, single = _covered(losses, found)
        by_hand = {at for at, loss in enumerate(losses) if loss.outcome == "by-hand"}
        for (side, scope, name, outcome), numbers in self._changed.items():
            covers = single.get((side, scope, name), {})
            for number in numbers:
                loss = covers.pop(number, None)
                if loss in by_hand:
                    self._by_hand(outcome, 1)
                if loss is None:
                    thing = _said((side, scope, number))
                    found.append(f"{name} of {thing} is {outcome}, and no finding says so")
        for side, scope, number, name in sorted(self._new):
            if single.get((side, scope, name), {}).pop(number, None) is None:
                thing, name = _said((side, scope, number)), name.removeprefix(NEW)
                found.append(f"{name} of {thing} was made up, and no finding says so")
        for (side, scope), counts in self._gone.items():
            covers = whole.get((side, scope), {})
            for number, count in counts.items():
                loss = covers.pop(number, None)
                if loss in by_hand:
                    self._by_hand("dropped", count)
                if loss is None:
                    # The facts of something dropped may be covered one by one.
                    names = names_of(side, number) if scope == "item" else ()
                    each = [single.get((side, scope, name), {}).pop(number, None) for name in names]
                    if not each or None in each:
                        thing = _said((side, scope, number))
                        found.append(f"{thing} was dropped, and no finding says so")
        for (side, scope, name), covers in single.items():
            for number, loss in covers.items():
                thing = _said((side, scope, number))
                found.append(f"{losses[loss].code} reports {name} of {thing}, which was kept")
        for (side, scope), covers in whole.items():
            for number, loss in covers.items():
                if scope != "place" or placed(side, number):
                    thing = _said((side, scope, number))
                    found.append(f"{losses[loss].code} reports {thing} as dropped, which was kept")
        return found

    def _by_hand(self, outcome: Outcome, count: int) -> None:
        self.totals[outcome] -= count
        self.totals["by-hand"] += count


_Whole = dict[tuple[int, str], dict[int, int]]
_Single = dict[tuple[int, str, str], dict[int, int]]


def _covered(losses: Sequence[Finding], found: list[str]) -> tuple[_Whole, _Single]:
    """Which loss covers all facts of a thing, by its number, and which of them one of its facts.

    What two of them cover is said in `found`.
    """
    whole: _Whole = {}
    single: _Single = {}
    for index, loss in enumerate(losses):
        for side, scope, numbers, name in loss.covers:
            if name == EVERY:
                covers, what = whole.setdefault((side, scope), {}), ""
            else:
                covers, what = single.setdefault((side, scope, name), {}), f"{name} of "
            for number in numbers:
                if number in covers:
                    thing = _said((side, scope, number))
                    found.append(f"{loss.code} covers {what}{thing} a second time")
                covers[number] = index
    return whole, single


def _said(key: Key) -> str:
    side, scope, number = key
    return f"{scope} {number} of the {'destination' if side else 'source'}"
