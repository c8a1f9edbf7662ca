"""Facts that belong to no item: unread data, and the state and audience of content."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from msgspec.structs import replace

from ..facts import extra_fact, of_content
from ..findings import Cover, Severity
from ..model import EVERYONE, Content, Extra, Item, Piece, rows_of, targets_of
from ..profiles.places import beside
from ..profiles.trees import spell
from ..reach import content_paths, reached_paths
from ..resolve.targets import Targets
from ..unread import Unread, fields_of, words
from .work import Work


def said(extra: Extra) -> str:
    """An extra as a person reads it: its field and value."""
    return f"{spell(extra.path).lstrip('@')} = {words(extra.value)}"


def unread(work: Work, written: list[Item | Piece]) -> None:
    """Report what no rule read and what is not written back, one loss for each field.

    `written` are the items that are; the unread data of others goes with them.
    """
    found = [*_of_site(work), *_of_menus(work), *_of_items(work, written)]
    if not found:
        return
    hosts = work.hosts
    fields = fields_of(
        found,
        hosts,
        reached_paths(work.source, work.rows, hosts),
        content_paths(work.source, hosts),
        work.ignore,
        spell,
        work.source_profile.off(work.source.theme),
        beside(work.source_profile, work.source.theme),
    )
    for field in fields:
        first = field.members[0]
        alone = len(field.members) == 1
        loss = work.loss(
            field.code,
            "dropped",
            [one.cover for one in field.members],
            severity=field.severity,
            menu=first.menu if alone else None,
            row=first.row if alone else None,
            before=field.words,
            after=field.reason,
            origin=first.place,
        )
        loss.places = tuple(one.place for one in field.members)


def _of_site(work: Work) -> Iterator[Unread]:
    if work.same_file:
        return
    file = work.source.file
    for at, extra in enumerate(work.source.extras):
        place = f"{file}: {spell(extra.path)}"
        yield Unread(Cover(0, "site", (at,), extra_fact(extra)), extra, place)
    for at, content in enumerate(work.source.contents):
        place = f"{file}: {spell(content.origin)}"
        for extra in content.extras:
            yield Unread(Cover(0, "content", (at,), extra_fact(extra)), extra, place)


def _of_menus(work: Work) -> Iterator[Unread]:
    for fate in work.fates:
        if work.same_platform and fate.replaces is None:
            continue  # the record of the menu is written anew, with all of it
        stays = {extra_fact(e): e.value for e in fate.replaces.extras} if fate.replaces else {}
        place = f"{work.source.file}: {spell(fate.menu.origin)}"
        for extra in fate.menu.extras:
            if extra_fact(extra) in stays and stays[extra_fact(extra)] == extra.value:
                continue
            cover = Cover(0, "menu", (fate.index,), extra_fact(extra))
            yield Unread(cover, extra, place, fate.menu.id)


def _of_items(work: Work, written: list[Item | Piece]) -> Iterator[Unread]:
    things = work.rows.things
    found: list[tuple[int, tuple[Extra, ...], Item]] = []
    for made in written:
        thing = things[made.number] if made.number >= 0 else None
        if isinstance(thing, Item) and isinstance(made, Item) and thing.extras:
            found.append((made.number, thing.extras, made))
    for number, extras, made in sorted(found, key=lambda one: one[0]):
        stays = {(extra.path, extra.again) for extra in made.extras}
        menu = work.source.menus[work.rows.menu[number]].id
        for extra in extras:
            if (extra.path, extra.again) not in stays:
                cover = Cover(0, "item", (number,), extra_fact(extra))
                yield Unread(cover, extra, work.origin(number), menu, number)


def adapt(work: Work) -> None:
    """Report unread data that stays, but that another form of file says in another way.

    The made menus and their items get what will be written.
    """
    change = work.adapt
    if change is None or not work.same_file:
        return

    def told(cover: Cover, extra: Extra, menu: str | None = None, row: int | None = None) -> None:
        value = change(extra.value)
        if value is None or value != extra.value or type(value) is not type(extra.value):
            work.loss(
                "read.value",
                "dropped" if value is None else "altered",
                [cover],
                menu=menu,
                row=row,
                before=f"{spell(extra.path)} = {words(extra.value)}",
                after="left out" if value is None else words(value),
            )

    site = work.source
    for at, extra in enumerate(site.extras):
        told(Cover(0, "site", (at,), extra_fact(extra)), extra)
    for at, content in enumerate(site.contents):
        for extra in content.extras:
            told(Cover(0, "content", (at,), extra_fact(extra)), extra)
    for fate in work.fates:
        made = fate.made
        if made is None:
            continue
        for extra in made.extras:
            told(Cover(0, "menu", (fate.index,), extra_fact(extra)), extra, fate.menu.id)
        made.extras = adapted(made.extras, change)
        for thing in rows_of([made]).things:
            if isinstance(thing, Item) and thing.extras:
                row = thing.number
                for extra in thing.extras if row >= 0 else ():
                    told(Cover(0, "item", (row,), extra_fact(extra)), extra, fate.menu.id, row)
                thing.extras = adapted(thing.extras, change)


def adapted(extras: Iterable[Extra], change: Callable[[Any], Any]) -> tuple[Extra, ...]:
    """Unread data as it will be written."""
    made = ((extra, change(extra.value)) for extra in extras)
    return tuple(replace(extra, value=value) for extra, value in made if value is not None)


def pointed_to(work: Work) -> dict[tuple[str, str], list[int]]:
    """Contents that items point to, each with the rows that do."""
    found: dict[tuple[str, str], list[int]] = {}
    for row, thing in enumerate(work.rows.things):
        for target in targets_of(thing):
            if target.content is not None:
                found.setdefault((target.kind, target.content), []).append(row)
    return found


def contents(work: Work, targets: Targets) -> None:
    """Report states and audiences of content that the destination does not hold."""
    if work.same_file:
        return
    # Of two of one id items point to the first.
    at = {(c.kind, c.id): n for n, c in reversed([*enumerate(work.source.contents)])}
    left = {
        row: loss
        for loss in work.ledger.of("item.left", "menu.left")
        for cover in loss.covers
        if cover.scope == "item"
        for row in cover.numbers
    }
    written = {fate.index for fate in [*work.fates, *work.joined]}
    telling = {pair for pair, content in targets.contents.items() if of_content(content)}
    # A page that stands in no list of contents says nothing of itself, and most others do not.
    for pair, rows in pointed_to(work).items() if telling else ():
        if pair not in telling:
            continue
        row = next((row for row in rows if row not in left), rows[0])
        content = targets.contents[pair]
        there = targets.inventory.get(targets.table[pair]) if pair in targets.table else None
        number = (at[pair],)
        # What nothing matches leads nowhere now, and a finding of the link says so.
        nowhere = there is None and work.inventory and work.options.unmatched == "none"
        shown = not nowhere and any(work.rows.menu[at] in written for at in rows)
        if row in left:  # nothing leads there any more, as was decided
            said = of_content(content).items()
            lost = [n for n, value in said if there is None or getattr(there, n) != value]
            work.ledger.cover(left[row], *(Cover(0, "content", number, name) for name in lost))
            continue
        if content.state != "live" and (there is None or there.state != content.state):
            work.loss(
                "link.state",
                "altered" if there else "dropped",
                [Cover(0, "content", number, "state")],
                severity=_weight(content.state, there) if shown else None,
                row=row,
                before=content.title or content.path or content.id,
                after="a draft" if content.state == "draft" else content.state,
            )
        if content.audience != EVERYONE and (there is None or there.audience != content.audience):
            work.loss(
                "access.not-held",
                "altered" if there else "dropped",
                [Cover(0, "content", number, "audience")],
                severity="note" if work.theme is not None and work.theme.no_menus else None,
                row=row,
                before=", ".join(content.audience),
                after=f"This concerns the page “{content.title or content.path}” itself",
            )


def _weight(state: str, there: Content | None) -> Severity | None:
    """How much it matters that links to such content stay, with the page that they lead to now.

    What is gone is a link into nothing, unless the destination has the page. What was private is
    public where it has it; a draft may be.
    """
    if state == "private":
        return "high" if there is not None else "medium"
    if there is not None:
        return None
    return "high" if state == "gone" else "medium"
