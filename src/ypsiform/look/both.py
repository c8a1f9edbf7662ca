"""Before and after: what visitors see at the source and at the destination, with what changed.

A change is told beside the item that it is about, with the numbers of the findings that say so.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Sequence

from msgspec import Struct

from ..addresses import Hosts
from ..findings import Finding
from ..model import EVERYONE, Item, Rows, Site, Target, admits
from ..proof import Migration
from ..reading import Surveyed
from ..visibility import Seen
from .shown import Changed, Place, paths_of, shown_at

GUEST = "guests"
"""What visitors who have not signed in are called; everyone else belongs to a group."""


OTHERS = "others"
"""All groups of visitors that are not named, where there are a great many."""

MOST_PEOPLE = 24
"""Groups of visitors that are named."""

MANY = 5000
"""Items, beyond which one tree stands for both sides."""

FEW = 12
"""A finding about more items than these is told once, and not beside each of them."""


Pair = tuple[str, str]
"""The kind and the id of a content."""


class Both(Struct):
    """The places of both sides, and who may look at them.

    `merged`: there are so many items that `before` says of each what becomes of it, and `after` has
    only what the other side has not. `findings` are in the order of their numbers, from 1.
    `people`: the groups that something is for, guests first; `languages`: those of labels, the
    site's own first.
    """

    before: list[Place]
    after: list[Place]
    findings: list[Finding]
    people: list[str]
    languages: list[str]
    merged: bool = False


def of_survey(surveyed: Surveyed) -> Both:
    """One side alone: an export as its theme shows it. What is worth knowing is numbered."""
    site, rows = surveyed.site, surveyed.rows
    places = shown_at(
        site, rows, surveyed.seen, surveyed.profile, lambda _: Changed(), paths_of(site)
    )
    return Both(places, [], surveyed.findings, _people([surveyed.seen], [places]), _tongues(site))


def of_migration(migration: Migration, *, merge: bool = True) -> Both:
    """Both sides of a conversion; as one tree where there are a great many items, to `merge`."""
    source, audited = migration.source, migration.audited
    assert migration.profile is not None
    numbers = _numbers(migration.findings)
    there, rows, after_seen = audited.there, migration.rows, audited.after_seen
    came = {at: row for row, at in enumerate(there) if at >= 0}
    hosts = migration.fitted.hosts
    sides = _Side(source.site, source.rows, hosts), _Side(migration.written, rows)
    merged = merge and max(len(source.rows), len(rows)) > MANY
    # A link of a block that stands as an item now is no new one.
    inner = {at: row for (row, _), (at, _) in audited.links.apart.items()}
    by = {old: new for old, new, _ in migration.fitted.matches}
    pair_of = migration.fitted.pair_of

    def matched(target: Target) -> Pair | None:
        """The content that a target of the source was found to be."""
        return by.get(pair_of(target) or ("", ""))

    def lost(row: int) -> Changed:
        at = there[row]
        if at < 0:
            return Changed(("gone",), numbers.get(row, ()))
        words: tuple[str, ...] = ("no longer shown",)
        if after_seen[at]:
            words = _differences(sides, row, at, came, matched) if merged else ()
        return Changed(words, numbers.get(row, ()))

    def made(at: int) -> Changed:
        row = came.get(at, inner.get(at))
        if row is None:
            return Changed(("of the new site",) if at in audited.stayed else ("new",))
        if merged and source.seen[row]:
            return Changed()  # what became of it is told on the other side
        changed = _differences(sides, row, at, came, matched)
        if not source.seen[row]:
            changed = (*changed, "newly shown")
        return Changed(changed, numbers.get(row, ()))

    before = shown_at(source.site, source.rows, source.seen, source.profile, lost, sides[0].paths)
    only = _new(rows, after_seen, there, source.seen) if merged else None
    after = shown_at(
        migration.written, rows, after_seen, migration.profile, made, sides[1].paths, only
    )
    people = _people([source.seen, after_seen], [before, after])
    return Both(before, after, migration.findings, people, _tongues(source.site), merged)


def _new(rows: Rows, seen: list[Seen], there: Sequence[int], was_seen: list[Seen]) -> set[int]:
    """The rows that visitors see and did not see before, with those above them."""
    known = {at for row, at in enumerate(there) if at >= 0 and was_seen[row]}
    found: set[int] = set()
    for at, sees in enumerate(seen):
        if sees and at not in known:
            while at >= 0 and at not in found:
                found.add(at)
                at = rows.parent[at]
    return found


class _Side:
    def __init__(self, site: Site, rows: Rows, hosts: Hosts | None = None) -> None:
        self.rows, self.hosts = rows, hosts or Hosts(site.addresses)
        self.paths = paths_of(site)

    def address(self, target: Target) -> str | None:
        """The address that a target has, itself or by the content that it leads to."""
        return target.address or self.paths.get((target.kind, target.content or ""))

    def leads(self, target: Target, where: str | None) -> str:
        """Where a target of this address leads, so that two sides can be compared."""
        if where is None:
            return target.kind if target.content is None else f"{target.kind} {target.content}"
        parts = self.hosts.read(where)
        return parts.path + parts.tail if parts.kind in ("page", "home", "file") else where


def _differences(
    sides: tuple[_Side, _Side],
    row: int,
    at: int,
    came: dict[int, int],
    matched: Callable[[Target], Pair | None],
) -> tuple[str, ...]:
    """What is not as it was of one item that is there on both sides, in words."""
    old, new = sides
    was, now = old.rows.things[row], new.rows.things[at]
    if not isinstance(was, Item) or not isinstance(now, Item):
        return ()
    found = []
    if was.label != now.label:
        found.append("other words")
    there = new.address(now.target)
    here = old.address(was.target)
    if here is None or here != there or not old.hosts.alike(new.hosts, here):
        before, after = old.leads(was.target, here), new.leads(now.target, there)
    else:
        before = after = here
    if before != after:
        found_as = matched(was.target)
        same = found_as is not None and found_as == (now.target.kind, now.target.content)
        if same or (found_as is not None and new.paths.get(found_as) == after):
            found.append("new address")
        else:
            found.append("leads elsewhere" if after != "none" else "leads nowhere")
    parent = new.rows.parent[at]
    if (came.get(parent, -2) if parent >= 0 else -1) != old.rows.parent[row]:
        found.append("moved")
    return tuple(found)


def _numbers(findings: list[Finding]) -> dict[int, tuple[int, ...]]:
    """For each row of the source the numbers of the findings that account for facts of it."""
    found: dict[int, tuple[int, ...]] = {}
    for number, finding in enumerate(findings, 1):
        rows = {
            row
            for cover in finding.covers
            if cover.side == 0 and cover.scope == "item"
            for row in cover.numbers
        }
        for row in rows if len(rows) <= FEW else ():
            found[row] = (*found.get(row, ()), number)
    return found


def _people(sides: list[list[Seen]], places: list[list[Place]]) -> list[str]:
    """The groups of visitors that something is for, those who have not signed in first.

    Of a great many only those stand by themselves that most is for; the rest are `OTHERS`.
    """
    words: Counter[str] = Counter()
    for seen in sides:
        for pairs, count in Counter(seen).items():
            words.update({word: count for who, _ in pairs for word in who})
    words.update(word for side in places for place in side for word in place.audience)
    known = [word for word, _ in words.most_common() if word not in (*EVERYONE, GUEST)]
    more = [OTHERS] if len(known) > MOST_PEOPLE else []
    return [GUEST, *sorted(known[:MOST_PEOPLE]), *more]


def sees(who: tuple[str, ...], person: str, people: Collection[str]) -> bool:
    """Whether what is for `who` is for one of `people`."""
    if person == OTHERS:
        return admits(who, ("members",)) or any(word not in people for word in who)
    return admits(who, (person,))


def _tongues(site: Site) -> list[str]:
    """The languages in which labels are, the site's own first."""
    return list(dict.fromkeys(site.languages))
