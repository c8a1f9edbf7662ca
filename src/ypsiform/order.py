"""Which siblings changed their order: those outside the longest sequence that did not."""

from __future__ import annotations

from bisect import bisect_left
from itertools import pairwise


def out_of_order(positions: list[int]) -> set[int]:
    """The indices outside a longest strictly increasing subsequence. O(n log n).

    M. L. Fredman, "On computing the length of longest increasing subsequences", 1975.
    """
    if all(a < b for a, b in pairwise(positions)):
        return set()
    ends: list[int] = []
    at: list[int] = []
    before = [-1] * len(positions)
    for index, value in enumerate(positions):
        place = bisect_left(ends, value)
        if place == len(ends):
            ends.append(value)
            at.append(index)
        else:
            ends[place] = value
            at[place] = index
        before[index] = at[place - 1] if place else -1
    stay: set[int] = set()
    index = at[-1]
    while index >= 0:
        stay.add(index)
        index = before[index]
    return set(range(len(positions))) - stay
