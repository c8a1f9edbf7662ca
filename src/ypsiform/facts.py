"""What the facts of a site are, with their values: for `fit`, the audit and the reports alike.

A fact is one thing that an export says and that a visitor or an editor could miss. This module says
which ones a thing has and what they say; it knows nothing of what becomes of them.

A fact has a scope (`item`, `menu`, `place`, `content` or `site`), the number of its thing there
(a row, or a place in the list of menus, contents or unread data), and a name. A name with a colon
is one of several: `span:2` is the width of the third column.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from msgspec import Struct

from .markup import bare, bare_text, has_marks
from .model import (
    EVERYONE,
    PLAIN,
    UNSAID,
    Content,
    Extra,
    Held,
    Item,
    Menu,
    Panel,
    Piece,
    Rows,
    Site,
    Text,
    Traits,
    said_traits,
    set_traits,
    targets_of,
)
from .visibility import Seen, audience_of

Value = Any
Fact = tuple[str, int, str]
"""Scope, number and name."""

ITEM = ("item", "parent", "order", "label", "role", "target", "shown")
"""The facts of every item."""

PIECE = ("block", "order", "column", "holds", "shown")
"""The facts of every block of a panel that holds something other than links."""

LEADS = ("target", "second_target", "links")
"""What of a block says where it leads."""

OF_COLUMNS = ("span", "column-label", "column-target", "column-note")
"""What a column says beside what stands in it; the number of the column follows a colon."""

NEW = "new:"
"""What stands before the name of a fact that the file written has and its source has not."""

BEFORE, AFTER = -1, 1 << 30
"""What stands for a column where markup stands before all columns, or after them."""


class Went(Struct, frozen=True):
    """A fact of a source row that went into another record than that of its own thing.

    `side` and `number` are those of the record's thing in the lineage, `into` the fact that it is
    there; an empty one says that it went nowhere. What a comparison of the two gives is not said.
    """

    row: int
    fact: str
    side: int
    number: int
    into: str


class Spot(NamedTuple):
    """Where a row stands in a panel: the row of the item that opens it, column and block.

    `direct`: it stands there itself, and not below another row of the panel.
    """

    owner: int
    column: int
    block: int
    direct: bool


def extra_fact(extra: Extra) -> str:
    """The name of the fact that an extra is."""
    return f"extra:{extra.path}#{extra.again}"


def of_item(item: Item) -> dict[str, Value]:
    """What an item says by itself: the facts of its own, without where it stands."""
    found: dict[str, Value] = {
        "item": True,
        "label": (item.label, item.inherited),
        "role": item.role,
        "target": item.target,
    }
    if item.traits is not PLAIN:
        found.update(of_traits(item.traits))
    if item.hidden:
        found["hidden"] = True
    for language, text in item.translations:
        found[f"label@{language}"] = text
    for extra in item.extras:
        found[extra_fact(extra)] = extra.value
    if item.panel is not None:
        found.update(of_panel(item.panel))
    return found


@lru_cache(maxsize=4096)
def of_traits(traits: Traits) -> tuple[tuple[str, Value], ...]:
    """The traits that say something, each with what it says."""
    said = said_traits(traits)
    return tuple((name, getattr(said, name)) for name in set_traits(said))


def of_panel(panel: Panel) -> dict[str, Value]:
    """What a panel says by itself, without what stands in its blocks."""
    found: dict[str, Value] = {
        "panel": True,
        "panel-style": panel.style,
        "panel-width": panel.full_width,
    }
    if panel.opens is not None:
        found["panel-opens"] = panel.opens
    if panel.tone is not None:
        found["panel-tone"] = panel.tone
    for at, column in enumerate(panel.columns):
        found[f"column:{at}"] = True
        if column.span is not None:
            found[f"span:{at}"] = column.span
        if column.label:
            found[f"column-label:{at}"] = column.label
        if column.target is not None:
            found[f"column-target:{at}"] = column.target
        if column.note:
            found[f"column-note:{at}"] = column.note
    return found


def of_piece(piece: Piece) -> dict[str, Value]:
    """What a block says by itself: its type, what it holds, and each link in it."""
    found: dict[str, Value] = {"block": type(piece.holds).__name__, "holds": held(piece.holds)}
    found.update((f"link:{at}", target) for at, target in enumerate(targets_of(piece)))
    return found


def of_thing(thing: Item | Piece) -> dict[str, Value]:
    """What an item or a block says by itself."""
    return of_piece(thing) if isinstance(thing, Piece) else of_item(thing)


def held(holds: Held) -> tuple[Value, ...]:
    """What a block says besides where it and the links in it lead."""
    said: list[Value] = []
    for name in holds.__struct_fields__:
        value = getattr(holds, name)
        if name in LEADS:
            continue
        if value == "" and name in UNSAID:
            value = None
        if name == "form" and isinstance(holds, Text) and not has_marks(holds.body):
            value = "plain"  # without marks a text is written alike in all forms
        said.append(
            bare(value) if name == "html" else bare_text(value) if name == "body" else value
        )
    return tuple(said)


def of_menu(menu: Menu, audience: tuple[str, ...]) -> dict[str, Value]:
    """What a menu says by itself. `audience`: whom the locations that show it admit."""
    found: dict[str, Value] = {"menu": True, "title": menu.title}
    if menu.language is not None:
        found["language"] = menu.language
    if menu.rule is not None:
        found["rule"] = menu.rule
    if audience != EVERYONE:
        found["audience"] = audience
    found.update((extra_fact(extra), extra.value) for extra in menu.extras)
    return found


def of_content(content: Content) -> dict[str, Value]:
    """What a content that items point to says, besides what it is."""
    found: dict[str, Value] = {}
    if content.state != "live":
        found["state"] = content.state
    if content.audience != EVERYONE:
        found["audience"] = content.audience
    return found


def names_of(thing: Item | Piece, *, direct: bool) -> list[str]:
    """The names of all facts of an item or a block. `direct`: see `Spot`."""
    if isinstance(thing, Piece):
        return [*PIECE, *(f"link:{at}" for at in range(len(targets_of(thing))))]
    own = [name for name in of_item(thing) if name not in ITEM]
    return [*ITEM, *(["column"] if direct else []), *own]


def counts(rows: Rows, spots: Mapping[int, Spot]) -> list[int]:
    """How many facts each row has. `spots`: where rows stand in panels."""
    usual = len(ITEM)
    columns = [rows.said(name) for name in ("traits", "hidden", "translations", "extras")]
    found = [
        0
        if traits is None
        else usual
        + (0 if traits is PLAIN else len(set_traits(traits)))
        + (hidden + len(words) + len(extras) if hidden or words or extras else 0)
        for traits, hidden, words, extras in zip(*columns, strict=True)
    ]
    for row, thing in enumerate(rows.things if rows.panelled else ()):
        direct = row in spots and spots[row].direct
        if type(thing) is not Item or thing.panel is not None:
            found[row] = len(names_of(thing, direct=direct))
        else:
            found[row] += direct
    return found


def spots(rows: Rows) -> dict[int, Spot]:
    """By row where it stands in a panel; rows that stand in none are left out."""
    found: dict[int, Spot] = {}
    things = rows.things
    for row in rows.panelled:
        thing = things[row]
        assert isinstance(thing, Item) and thing.panel is not None
        inside = rows.below(row)
        at = {id(things[inner]): inner for inner in inside}
        for column, block, inner, direct in _inside(thing.panel):
            found[at[id(inner)]] = Spot(row, column, block, direct)
        for below in inside:
            if below not in found:
                found[below] = found[rows.parent[below]]._replace(direct=False)
    return found


def _inside(panel: Panel) -> Iterable[tuple[int, int, Item | Piece, bool]]:
    """What stands in a panel: column, block, the thing, and whether it stands there itself."""
    for column, around in ((BEFORE, panel.before), (AFTER, panel.after)):
        if around is not None:
            yield column, 0, around, True
    for at, column_ in enumerate(panel.columns):
        for nth, block in enumerate(column_.blocks):
            if isinstance(block, Piece):
                yield at, nth, block, True
                continue
            if block.heading is not None:
                yield at, nth, block.heading, True
            for item in block.items:
                yield at, nth, item, block.heading is None


class Columns(NamedTuple):
    """Which column of a panel is which of another one, and what stands elsewhere in it.

    `matched`: for each column its counterpart, None where it is not there. `elsewhere`: rows whose
    fact `column` differs, with `moved`, or `dropped` where they stand in no panel.
    """

    matched: list[int | None]
    elsewhere: dict[int, str]


def columns_of(
    count: int,
    direct: Sequence[tuple[int, Spot, bool]],
    now: Mapping[int, Spot],
    alive: Callable[[int], bool],
    empty: Iterable[int],
) -> Columns:
    """Compare where the rows of a panel of so many columns stand with where they stand `now`.

    `direct` are the rows that stand in the panel themselves, in order, each with its place and
    whether it is a block; `alive` says which of them are still there; `empty` are columns there
    that hold nothing. The counterpart of a column is the one in which most of it stands now, of
    several the first; that of one of which nothing is left is one that holds nothing.
    """
    held: list[Counter[int]] = [Counter() for _ in range(count)]
    for row, spot, _ in direct:
        if BEFORE < spot.column < AFTER and row in now and BEFORE < now[row].column < AFTER:
            held[spot.column][now[row].column] += 1
    free = iter(empty)
    matched: list[int | None] = []
    for counts in held:
        most = max(counts.values(), default=0)
        best = min((c for c, n in counts.items() if n == most), default=None)
        matched.append(best if best is not None else next(free, None))
    elsewhere: dict[int, str] = {}
    last: tuple[Spot, Spot, bool] | None = None
    for row, spot, piece in direct:
        if not alive(row):
            continue
        there = now.get(row)
        if there is None:
            elsewhere[row] = "dropped"
            continue
        around = not BEFORE < spot.column < AFTER
        if there.column != (spot.column if around else matched[spot.column]):
            elsewhere[row] = "moved"
        elif last is not None and not piece and there.direct and last[1].direct and not last[2]:
            # A list that was split here, or joined to the one before.
            was, before, _ = last
            if was.column == spot.column and before.column == there.column:
                together = was.block == spot.block
                if together != (before.block == there.block):
                    elsewhere[row] = "moved"
        last = (spot, there, piece)
    return Columns(matched, elsewhere)


def count(site: Site, rows: Rows, *, contents: bool = True, without: Collection[int] = ()) -> int:
    """The number of facts of a site, as it was read; without `contents`, of its menus alone.

    `without` are menus that do not count, by their place.
    """
    each = counts(rows, spots(rows))
    total = sum(n for n, menu in zip(each, rows.menu, strict=True) if menu not in without)
    placements = site.placements()
    for menu in (menu for at, menu in enumerate(site.menus) if at not in without):
        total += len(of_menu(menu, audience_of(menu, placements)))
        total += len(placements.get(menu.id, ()))
    pointed = pointed_to(rows) if contents else set()
    for content in site.contents if contents else ():
        total += len(content.extras)
        if (content.kind, content.id) in pointed:
            total += len(of_content(content))
    return total + len(site.extras)


def pointed_to(rows: Rows) -> set[tuple[str, str]]:
    """The kind and id of each content that an item or a block leads to."""
    return {(t.kind, t.content) for t in rows.targets() if t.content is not None}


def of_site(site: Site, rows: Rows, seen: Sequence[Seen]) -> dict[Fact, Value]:
    """All facts of a site with their values. `seen`: who sees each row."""
    found: dict[Fact, Value] = {}
    inside = spots(rows)
    for row, thing in enumerate(rows.things):
        values = of_thing(thing)
        values["order"] = rows.position[row]
        values["shown"] = seen[row]
        spot = inside.get(row)
        if spot is not None and spot.direct:
            values["column"] = (spot.column, spot.block)
        if isinstance(thing, Item):
            values["parent"] = (rows.menu[row], rows.parent[row])
        found.update((("item", row, name), value) for name, value in values.items())
    placements = site.placements()
    for at, menu in enumerate(site.menus):
        own = of_menu(menu, audience_of(menu, placements))
        found.update((("menu", at, name), value) for name, value in own.items())
    index = {menu.id: at for at, menu in enumerate(site.menus)}
    for nth, location in enumerate(site.locations):
        for turn, ident in enumerate(location.menus):
            place = (location.name, location.purpose, location.audience, turn)
            found["place", index[ident], f"placement:{nth}"] = place
    pointed = pointed_to(rows)
    for at, content in enumerate(site.contents):
        values = {extra_fact(extra): extra.value for extra in content.extras}
        if (content.kind, content.id) in pointed:
            values.update(of_content(content))
        found.update((("content", at, name), value) for name, value in values.items())
    for at, extra in enumerate(site.extras):
        found["site", at, extra_fact(extra)] = extra.value
    return found


def plainly(name: str) -> str:
    """The name of a fact as a report gives it: what kind of fact it is."""
    return name.removeprefix(NEW).split(":", 1)[0]


def new_of_columns(
    stand: Mapping[int, int], was: Mapping[str, Value], now: Mapping[str, Value]
) -> list[str]:
    """The names of facts of columns that are said now and were not.

    `stand` has, by the number of a column now, the one that it was.
    """
    return [
        f"{name}:{at}"
        for column, at in stand.items()
        for name in OF_COLUMNS
        if f"{name}:{column}" in now and f"{name}:{at}" not in was
    ]


def new_in(was: Mapping[str, Value], now: Mapping[str, Value]) -> list[str]:
    """The names of facts of a thing itself that are said now and were not.

    Columns are left out: which one is new shows only in what stands in it.
    """
    apart = ("column", *OF_COLUMNS, "extra", "link")
    return [n for n in now if n not in was and n.split(":", 1)[0] not in apart]
