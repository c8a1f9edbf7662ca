"""Panels: kept where the destination shows them, ordinary submenus elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec.structs import replace

from ..encodings.base import Capacity, records_at
from ..encodings.sequence import parts_of
from ..findings import notice
from ..markup import cleaned, passes
from ..model import (
    CONTENT_KINDS,
    NOWHERE,
    Column,
    Item,
    Links,
    Location,
    Markup,
    MenuReference,
    Panel,
    Piece,
    Widget,
    blocks_of,
    rows_of,
)
from ..unread import leaves
from . import keys, secondary
from .panel_facts import Offers, counted
from .shape import Adapted, adapt, in_plain, is_script, only_cleaned
from .traits import end_of
from .work import Fate, Work


def capacity_of(work: Work) -> Capacity:
    """What panels of the destination can hold, where they are items: what those can say."""
    encoding = work.encoding
    assert encoding is not None
    rule = encoding.rule
    capacity = encoding.capacity()
    if (rule.least_columns, rule.least_width) != (0, 1):
        capacity = replace(capacity, least=rule.least_columns, narrowest=rule.least_width)
    if encoding.recorded:
        # A widget is its own platform's, and a menu is named by a key that it may not have there.
        held = [kind for kind in capacity.holds if kind is not Widget or work.same_platform]
        # Which menus are shown by reference is known only where everything stays as it is.
        stays = work.as_it_stands and not work.options.decisions.menus
        held = [kind for kind in held if kind is not MenuReference or stays]
        return replace(capacity, holds=tuple(held))
    profile = work.profile
    if encoding.labels_seen and not work.same_encoding:
        # What only editors saw would be shown to visitors.
        capacity = replace(capacity, labels=False)
    holds = capacity.holds if profile.holds(encoding.source) else ()
    # How a board opens is said by its item.
    opens = capacity.opens if profile.holds("opens") or not capacity.spread else (None,)
    written = "divider" in profile.kinds or encoding.own_dividers
    dividers = capacity.dividers and written
    # A link of a column is on the third level: where no more are shown, nothing is below it.
    shown = [place.shows for place in work.locations if place.panels]
    deeper = work.same_encoding or any(shows is None or shows > 3 for shows in shown)
    nested = capacity.nested and deeper
    return replace(capacity, holds=holds, opens=opens, dividers=dividers, nested=nested)


def _sayable(work: Work, panel: Panel) -> bool:
    """Whether the items of the destination can say what a panel holds."""
    capacity = capacity_of(work)
    blocks = [block for column in panel.columns for block in column.blocks]
    lists = [block for block in blocks if isinstance(block, Links)]
    # A list of nothing is written only where it has a record of its own.
    when = work.encoding.empty_lists if work.encoding is not None else ""
    kept = when == "always" or (when == "encoding" and work.same_encoding)
    if not kept and any(not (b.heading or b.items) for b in lists):
        return False
    deep = any(getattr(item, "children", ()) for block in lists for item in block.items)
    if deep and work.encoding is not None and not capacity.nested and not work.same_encoding:
        return False
    return panel.opens in capacity.opens and all(
        all(getattr(item, "role", "") != "divider" for item in block.items) or capacity.dividers
        if isinstance(block, Links)
        else (isinstance(block.holds, capacity.holds) or panel.style == "freehand")
        and in_plain(block.holds, work.clean) is block.holds
        and not is_script(block.holds)
        for block in blocks
    )


def _has_room(work: Work, panel: Panel) -> bool:
    """Whether the lists of a panel fit, where each of them is one of the destination's menus."""
    if not lists_are_menus(work):
        return True
    left = secondary.room(work)
    if _splits(work):
        # Each has a menu, and splits the one that it stands in.
        return left is None or left >= work.panels + 2
    lists = sum(isinstance(block, Links) for column in panel.columns for block in column.blocks)
    return left is None or lists <= left


def binds(work: Work) -> bool:
    """Whether panels open from labels alone, so that no other top item may have one of these."""
    return work.encoding is not None and work.encoding.by_label


def lists_are_menus(work: Work) -> bool:
    """Whether the lists of panels are menus of the destination."""
    return work.encoding is not None and bool(work.encoding.lists)


def _splits(work: Work) -> bool:
    """Whether panels stand between menus, and split the one that they are in."""
    return work.encoding is not None and work.encoding.splits


def can_hold(work: Work, fate: Fate, panel: Panel) -> bool:
    """Whether a panel can be written in this menu just as it is.

    A location of the menu must show panels, or they must have been stored in the same way.
    """
    if work.encoding is None or not work.encoding.fits(panel) or not _sayable(work, panel):
        return False
    capacity = capacity_of(work)
    if not work.same_file and not _wide_enough(panel, capacity):
        return False
    if not work.same_file and capacity.apart and _may_be_empty(panel):
        return False
    if not capacity.labels and any(column.label for column in panel.columns):
        return panel.style == "tabs"
    if not _has_room(work, panel):
        return False
    beside = work.encoding.recorded
    if beside and (_continued(work, fate) or _shown_apart(work, fate)):
        return False
    return (work.same_encoding and not beside) or any(place.panels for place in fate.locations)


def _may_be_empty(panel: Panel) -> bool:
    """Whether a heading without a label leads to a page, which the destination may not have."""
    blocks = [block for column in panel.columns for block in column.blocks]
    heads = [block.heading for block in blocks if isinstance(block, Links) and block.heading]
    return any(not head.label and head.target.kind in CONTENT_KINDS for head in heads)


def _wide_enough(panel: Panel, capacity: Capacity) -> bool:
    """Whether a panel has as many columns, and these as wide, as they must be at the least."""
    spans = [column.span for column in panel.columns if column.span is not None]
    enough = len(panel.columns) >= capacity.least or panel.style == "freehand"
    return enough and all(span >= capacity.narrowest for span in spans)


def _continued(work: Work, fate: Fate) -> bool:
    """Whether a menu in a sequence, or what opens in it, would be read as a part of another one.

    What opens first in a menu that follows another one would be the last of that, so that nothing
    opens in such a menu.
    """
    if not _splits(work) or work.same_file:
        return False
    names = {place.name for place in fate.locations}
    beside = [f for f in work.fates if names & {place.name for place in f.locations}]
    behind = bool(beside) and beside[0] is not fate
    others = [other for other in beside if other is not fate]
    return behind or any(other.key.startswith(f"{fate.key}-") for other in others)


def _shown_apart(work: Work, fate: Fate) -> bool:
    """Whether a menu is shown where what opens in the sequence of another location is not."""
    return _splits(work) and any(not p.panels for p in fate.locations)


def shows(work: Work, locations: list[Location]) -> bool:
    """Whether one of these locations shows panels."""
    rule = work.profile.panels_of(work.theme_name)
    return rule is not None and any(place.name == rule.shown_at for place in locations)


def tell_unsafe(work: Work) -> None:
    """Say what markup that stands at the destination could run; it stays as it is."""
    base = work.base
    if base is None:
        return
    rule = work.profile.panels_of(work.theme_name)
    found: list[tuple[str, str, str]] = []
    for menu in work.kept:
        for thing in rows_of([menu]).things:
            if isinstance(thing, Piece) and isinstance(thing.holds, Markup):
                found.append((menu.id, menu.title or menu.key, thing.holds.html))
    for extra in base.extras:
        if rule is not None and extra.path.split("/")[0] == rule.records_at:
            found += [("", rule.records_at, text) for _, text in leaves(extra.path, extra.value)]
    for ident, name, html in found:
        taken = cleaned(html).taken if "<" in html else ()
        if taken:
            work.ledger.notices.append(
                notice(
                    "panel.unsafe",
                    menu=ident or None,
                    menu_name=name,
                    labels=taken,
                    origin=base.file,
                )
            )


def room(work: Work) -> int | None:
    """How many more panels there may be; None where there is no limit."""
    allowed = most(work)
    if allowed is None:
        return None
    rule = work.profile.panels_of(work.theme_name)
    base = work.source if work.same_file else work.base
    there = records_at(base, rule.records_at) if base is not None and rule is not None else []
    return max(allowed - len(there) - work.panels, 0)


def most(work: Work) -> int | None:
    """How many panels there may be; None where there is no limit."""
    return work.encoding.capacity().panels if work.encoding is not None else None


def among(work: Work, rows: range, count: int) -> tuple[list[int], list[int]]:
    """The rows of panels that there is room for, and of the others.

    Those stay that have most in them, by what is seen of it.
    """
    sizes: list[tuple[int, int]] = []
    for row in rows:
        thing = work.rows.things[row]
        if isinstance(thing, Item) and thing.panel is not None and work.rows.depth[row] == 1:
            end = end_of(work.rows, row, rows.stop)
            sizes.append((-sum(bool(work.seen[at]) for at in range(row, end)), row))
    ranked = [row for _, row in sorted(sizes)]
    return sorted(ranked[:count]), ranked[count:]


def name_lists(work: Work, fate: Fate, panel: Panel, label: str) -> None:
    """Give the lists of a panel keys of their own, where the destination keeps them as menus."""
    work.panels += 1
    if not lists_are_menus(work):
        return
    taken = _taken(work)
    rule = fate.limits.menu_key
    if work.encoding is not None and work.encoding.lists == "all":
        lists = [b for column in panel.columns for b in column.blocks if isinstance(b, Links)]
        own = next((block.key for block in lists if work.same_encoding and block.key), None)
        key = keys.free(own or keys.legal(label, rule), taken, rule)
        work.list_keys.add(key)
        work.list_of.update((id(block), key) for block in lists)
        return
    for at, column in enumerate(panel.columns):
        for block in column.blocks:
            if not isinstance(block, Links):
                continue
            words = block.heading.label if block.heading is not None else f"{fate.key} {at + 1}"
            wanted = block.key if work.same_encoding and block.key else keys.legal(words, rule)
            key = keys.free(wanted, taken, rule)
            taken.add(key)
            work.list_keys.add(key)
            work.list_of[id(block)] = key


def name_parts(work: Work) -> dict[str, list[str]]:
    """Keys for the parts of menus that panels in a sequence split, by the key of the menu."""
    found: dict[str, list[str]] = {}
    if not _splits(work):
        return found
    for fate in work.fates:
        parts = parts_of(fate.made.items) if fate.made is not None else []
        for _ in [part for part in parts if isinstance(part, list)][1:]:
            key = keys.free(fate.key, _taken(work) | {fate.key}, fate.limits.menu_key)
            work.list_keys.add(key)
            found.setdefault(fate.key, []).append(key)
        if fate.key in found and not work.as_it_stands:
            count = sum(not isinstance(part, list) for part in parts)
            work.ledger.notices.append(
                notice(
                    "panel.split",
                    menu=fate.menu.id,
                    menu_name=fate.name,
                    before=counted(count, "panel"),
                    after=", ".join([fate.key, *found[fate.key]]),
                    origin=work.source.file,
                )
            )
    return found


def _taken(work: Work) -> set[str]:
    """The keys of menus, and of lists that are menus, which no further one can have."""
    named = {fate.key for fate in [*work.fates, *work.secondary]}
    return keys.taken_keys(work) | named | work.list_keys


def adapted(
    work: Work,
    fate: Fate,
    panel: Panel,
    links: Offers,
    left_out: Callable[[Item], bool] = lambda _: False,
) -> Adapted | None:
    """A panel as it can be held in a menu; None where the menu's locations show none."""
    if work.encoding is None or not any(place.panels for place in fate.locations):
        return None
    if _continued(work, fate) or _shown_apart(work, fate):
        return None
    capacity = capacity_of(work)
    if work.as_it_stands and work.profile.items.pages is not None:
        # The pages stay where they are; of markup that runs something the rest does.
        pieces = [block.holds for block in blocks_of(panel) if isinstance(block, Piece)]
        clean = only_cleaned(panel, capacity)
        left = all(passes(held.html) for held in pieces if isinstance(held, Markup))
        if left and work.encoding.fits(clean.panel):
            return clean
    made = adapt(panel, capacity, links, work.next_made, work.titles, left_out, work.clean)
    if made is None or not work.encoding.fits(_as_written(made.panel, nested=capacity.nested)):
        return None
    if not _has_room(work, made.panel) or not _wide_enough(made.panel, capacity):
        return None
    return made


def _as_written(panel: Panel, *, nested: bool) -> Panel:
    """A panel as it will be: headings may lead nowhere, and what stood nested stands beside."""
    columns = [
        replace(c, blocks=[_block_as_written(block, nested=nested) for block in c.blocks])
        for c in panel.columns
    ]
    return replace(panel, columns=columns)


def _block_as_written(block: Links | Piece, *, nested: bool) -> Links | Piece:
    if not isinstance(block, Links):
        return block
    heading = block.heading
    if isinstance(heading, Item):
        heading = replace(heading, target=NOWHERE)
    items = block.items
    if not nested:
        items = [replace(i, children=[]) if isinstance(i, Item) else i for i in items]
    return Links(heading, items)


class Slots:
    """Where the rows of a kept panel go: each into the block that it was read from."""

    def __init__(self) -> None:
        self.lists: dict[int, list[Item]] = {}
        self.heads: dict[int, Links] = {}

    def copy(self, panel: Panel, keys: Mapping[int, str]) -> tuple[Panel, list[Piece]]:
        """An empty copy of a panel; its items are put in later, its pieces are returned.

        What stands in a list is put into it in the order of rows, which is that of the panel.
        `keys` are those of lists, by their identity.
        """
        pieces: list[Piece] = []
        columns: list[Column] = []
        for column in panel.columns:
            made = replace(column, blocks=[])
            columns.append(made)
            for block in column.blocks:
                if isinstance(block, Piece):
                    piece = Piece(block.holds, block.origin, block.number)
                    pieces.append(piece)
                    made.blocks.append(piece)
                    continue
                links = Links(None, [], keys.get(id(block), ""))
                made.blocks.append(links)
                if block.heading is not None and block.heading.number < 0:
                    links.heading = block.heading
                elif block.heading is not None:
                    self.heads[id(block.heading)] = links
                for item in block.items:
                    if isinstance(item, Item) and item.number < 0:
                        links.items.append(item)
                    self.lists[id(item)] = links.items
        around = [
            Piece(piece.holds, number=piece.number) if piece is not None else None
            for piece in (panel.before, panel.after)
        ]
        pieces += [piece for piece in around if piece is not None]
        copy = Panel(
            columns,
            panel.style,
            panel.full_width,
            panel.opens,
            panel.tone,
            *around,
        )
        return copy, pieces
