"""The effort of reaching an item, and which targets are reachable at all.

Effort = over the levels on an item's path, one step for each level plus a tenth for every sibling
read before it. Dividers do not count. (The measure of the design's "best fit", all weights equal.)
"""

from __future__ import annotations

from .addresses import Hosts
from .model import Item, Rows, Target
from .visibility import Seen

STEP = 1.0
SIBLING = 0.1


def efforts(rows: Rows) -> list[float]:
    """For each row, the effort of reaching it."""
    read_before: dict[int, int] = {}
    top: dict[int, int] = {}
    result: list[float] = []
    for row, thing in enumerate(rows.things):
        parent = rows.parent[row]
        counts, key = (top, rows.menu[row]) if parent < 0 else (read_before, parent)
        before = counts.get(key, 0)
        if not (isinstance(thing, Item) and thing.role == "divider"):
            counts[key] = before + 1
        above = result[parent] if parent >= 0 else 0.0
        result.append(above + STEP + SIBLING * before)
    return result


def mean(values: list[float]) -> float | None:
    """The mean, to two places; None of nothing."""
    return round(sum(values) / len(values), 2) if values else None


def leads(target: Target) -> bool:
    """Whether a target leads to a page: of the site, or of another one."""
    return target.kind not in ("none", "mail", "phone", "fragment")


def identity(target: Target, hosts: Hosts) -> tuple[str, str]:
    """What counts as the same page: a content, a path, or an address."""
    if target.content is not None:
        return target.kind, target.content
    if target.address is not None:
        parts = hosts.read(target.address)
        return target.kind, parts.path or target.address
    return target.kind, target.key or ""


def reached(rows: Rows, seen: list[Seen], hosts: Hosts) -> dict[tuple[str, str], list[int]]:
    """The pages that shown items lead to, each with the rows that do."""
    found: dict[tuple[str, str], list[int]] = {}
    for row, thing in enumerate(rows.things):
        if seen[row] and isinstance(thing, Item) and leads(thing.target):
            found.setdefault(identity(thing.target, hosts), []).append(row)
    return found
