"""Panels: kept where the destination shows them, ordinary submenus elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence

from msgspec.structs import replace

from .. import facts
from ..encodings.base import Capacity, records_at
from ..encodings.layout import shares
from ..encodings.sequence import parts_of
from ..findings import EVERY, Cover, Severity, notice
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
    Picture,
    Piece,
    Widget,
    below,
    blocks_of,
    rows_of,
    targets_of,
)
from ..order import out_of_order
from ..unread import leaves
from . import keys, secondary
from .blocks import Offer, said
from .shape import Adapted, adapt, in_plain, only_cleaned
from .traits import end_of
from .work import Fate, Work, item_facts

Offers = Callable[[Piece], list[Offer]]
"""What a block goes on as."""


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
            work.notices.append(
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
            work.notices.append(
                notice(
                    "panel.split",
                    menu=fate.menu.id,
                    menu_name=fate.name,
                    before=_count(count, "panel"),
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


def dissolve(
    work: Work,
    row: int,
    item: Item,
    inside: list[int],
    links: Offers,
    count: int | None,
    in_panes: Sequence[int],
    unled: Sequence[int],
) -> None:
    """Report a panel that becomes a submenu: its own facts, its headings and its pictures.

    `inside` are the rows of the panel that are not left out for another reason; `links` gives what
    a block goes on as. `count`: how many panels there may be, where that is why. `in_panes` are
    items that stand below what their pane became, `unled` the columns of panes that lead somewhere
    and that became none.
    """
    panel = item.panel
    assert panel is not None
    own = [name for name in facts.of_panel(panel) if not name.startswith("column-target:")]
    covers = [Cover(0, "item", (row,), fact) for fact in own]
    if unled:
        work.loss(
            "panel.pane-link",
            "dropped",
            [Cover(0, "item", (row,), f"column-target:{at}") for at in unled],
            row=row,
            before=say_panes(work, panel, unled, "panel.pane-link"),
        )
    spots = work.spots
    direct = tuple(
        at for at in inside if at in spots and spots[at].direct and _stays(work, at, links)
    )
    if direct:
        covers.append(Cover(0, "item", direct, "column"))
    if in_panes:
        covers.append(Cover(0, "item", tuple(in_panes), "parent"))
    headings = 0
    pictures = 0
    for at in inside:
        thing = work.rows.things[at]
        if isinstance(thing, Piece):
            made = links(thing)
            picture = isinstance(thing.holds, Picture)
            pictures += picture
            if picture:
                gone = [Cover(0, "item", (at,), EVERY)]
                covers += _altered(work, at, made) if made else gone
            elif made:
                _linked(work, row, at, made)
            else:
                _lost(work, row, at, [Cover(0, "item", (at,), EVERY)])
        elif thing.role == "heading":
            headings += 1
            covers.append(Cover(0, "item", (at,), "role"))
    parts = [_in_words(panel)["panel.pane"]] if panel.style == "tabs" else []
    parts += [_count(len(panel.columns), "column"), _count(headings, "heading")]
    parts += [_count(pictures, "picture")] if pictures else []
    if panel.opens:
        parts.append(f"opens on {panel.opens}")
    if panel.full_width:
        parts.append("full width")
    work.loss(
        "panel.not-held" if count is None else "panel.too-many",
        "altered",
        covers,
        row=row,
        before=", ".join(parts),
        after="a submenu" if count is None else _count(count, "panel"),
    )


def _count(number: int, word: str) -> str:
    return f"{number} {word}" + ("" if number == 1 else "s")


def _lost(work: Work, row: int, at: int, covers: list[Cover]) -> None:
    """Report a block that no panel of the destination holds, with what it says."""
    piece = work.rows.things[at]
    assert isinstance(piece, Piece)
    leads = any(target.kind != "none" for target in targets_of(piece))
    work.loss(
        "panel.block",
        "dropped",
        covers,
        severity="high" if leads else None,
        row=row,
        before=said(piece.holds),
    )


def _stays(work: Work, at: int, links: Offers) -> bool:
    """Whether a row of a panel that becomes a submenu is still there: an item, or links."""
    thing = work.rows.things[at]
    return not isinstance(thing, Piece) or bool(links(thing))


def _altered(work: Work, at: int, made: list[Offer]) -> list[Cover]:
    """The facts of a block that goes on as links: its own, and those links that are not offered."""
    piece = work.rows.things[at]
    there = {offer.nth for offer in made}
    gone = [f"link:{n}" for n in range(len(targets_of(piece))) if n not in there]
    return item_facts(at, "block", "holds", *gone)


def _linked(work: Work, row: int, at: int, made: list[Offer]) -> None:
    """Report a block that goes on as links."""
    piece = work.rows.things[at]
    assert isinstance(piece, Piece)
    shared = isinstance(piece.holds, MenuReference)
    work.loss(
        "panel.shared" if shared else "panel.link",
        "altered",
        _altered(work, at, made),
        row=row,
        before=said(piece.holds),
        labels=tuple(offer.label for offer in made),
    )


def report(
    work: Work, row: int, item: Item, adapted: Adapted, links: Offers, stays: Collection[int]
) -> None:
    """Report what a panel loses that the destination holds in part, one loss for each reason.

    `stays` are the rows that are not left out for another reason.
    """
    was, now = item.panel, adapted.panel
    assert was is not None
    covers: dict[str, list[Cover]] = {}
    parts: dict[str, list[int]] = {}
    for at, code in adapted.gone.items():
        above = work.rows.parent[at]
        while adapted.gone.get(above) == "panel.divider":
            above = work.rows.parent[above]  # what stands in a line does not go with it
        if above != row and above not in stays:
            continue  # it is left out with what it stood below
        parts.setdefault(code, []).append(at)
    blocks = {at: [Cover(0, "item", (at,), EVERY)] for at in parts.get("panel.block", [])}
    _columns(work, row, was, adapted, stays, covers, blocks)
    for code, rows in parts.items():
        for at in rows if code == "panel.block" else ():
            _lost(work, row, at, blocks[at])
        if code != "panel.block":
            gone = [Cover(0, "item", tuple(rows), EVERY)]
            work.loss(code, "dropped", gone, row=row, before=str(len(rows)))
    for at in adapted.links:
        piece = work.rows.things[at]
        assert isinstance(piece, Piece)
        _linked(work, row, at, links(piece))
    parents = _parents(now, row)
    for at, code in adapted.moved.items():
        if at not in stays:
            continue
        # What was put below another heading, and that one below the first, may stand as it did.
        above = work.rows.parent[at]
        while above != row and above >= 0 and above not in stays:
            above = work.rows.parent[above]
        if parents.get(at) != above:
            covers.setdefault(code, []).append(Cover(0, "item", (at,), "parent"))
    for at, code in [*adapted.roles.items(), *adapted.unheaded.items()]:
        if at in stays:
            covers.setdefault(code, []).append(Cover(0, "item", (at,), "role"))
    before, after = _in_words(was), _in_words(now)
    for code in ("panel.pane-link", "panel.pane-note"):
        columns = [int(c.fact.rpartition(":")[2]) for c in covers.get(code, ())]
        before[code] = say_panes(work, was, columns, code)
    for code, lost in covers.items():
        rows = [c.numbers[0] for c in lost if c.fact in ("parent", "role", "column")]
        work.loss(
            code,
            "moved" if all(c.fact in ("parent", "column") for c in lost) else "altered",
            lost,
            severity=_severity(code, was, now),
            row=row,
            before=before.get(code),
            after=after.get(code),
            labels=tuple(work.label(at) for at in dict.fromkeys(rows)),
        )


def _severity(code: str, was: Panel, now: Panel) -> Severity | None:
    """Widths that are said now and that are those that columns had anyway are only a note."""
    equal = [column.span for column in now.columns] == shares(len(now.columns))
    unsaid = all(column.span is None for column in was.columns)
    return "note" if code == "panel.span" and unsaid and equal else None


def _columns(
    work: Work,
    row: int,
    was: Panel,
    adapted: Adapted,
    stays: Collection[int],
    covers: dict[str, list[Cover]],
    blocks: dict[int, list[Cover]],
) -> None:
    """Find what a panel itself and its columns lose, by the code of the finding that says it.

    `blocks` are the covers of blocks that are lost: columns that held nothing else go with them.
    """
    now = adapted.panel

    def lost(code: str, fact: str) -> None:
        covers.setdefault(code, []).append(Cover(0, "item", (row,), fact))

    direct = [
        (at, spot, isinstance(work.rows.things[at], Piece))
        for at, spot in _inside(work, row)
        if spot.direct
    ]
    spots = _spots(now)
    there = {at: spots[at] for at, _, _ in direct if at in spots and at in stays}
    full = {n for n, column in enumerate(now.columns) if _is_left(column, stays)}
    empty = [n for n in range(len(now.columns)) if n not in full]
    compared = facts.columns_of(len(was.columns), direct, there, stays.__contains__, empty)
    given, values = facts.of_panel(was), facts.of_panel(now)
    labels = "panel.pane" if "tabs" in (was.style, now.style) else "panel.column-label"
    led = {adapted.panes[item.number] for item in made_of_panes(now, adapted)}
    led |= set(same_panes(was, now).values())
    stand: dict[int, int] = {}
    for at, column in enumerate(compared.matched):
        if column is not None:
            stand.setdefault(column, at)
    for fact, value in given.items():
        name, _, place = fact.partition(":")
        if not place:
            if values.get(fact) != value:
                lost(_CODES[name], fact)
            continue
        column = compared.matched[int(place)]
        here = column is not None and stand[column] == int(place)
        if name == "column-target":
            if int(place) not in led:
                lost(_CODES[name], fact)
        elif name == "column-note":
            if not (here and values.get(f"{name}:{column}") == value):
                lost(_CODES[name], fact)
        elif here:
            if values.get(f"{name}:{column}") != value:
                pane = was.style != now.style  # the widths were those in a pane
                code = labels if name == "column-label" else _CODES[name]
                lost("panel.pane" if name == "span" and pane else code, fact)
        elif name == "column-label":
            lost(labels, fact)
        elif column is not None:
            lost("panel.merged", fact)
        else:
            rows = [at for at, spot, _ in direct if spot.column == int(place)]
            first = next((at for at in rows if at in blocks), None)
            if any(at in there for at in rows):
                lost("panel.around", fact)
            elif first is not None:
                blocks[first].append(Cover(0, "item", (row,), fact))
            else:
                lost("panel.empty", fact)
    new = facts.new_in(given, values)
    new += facts.new_of_columns(stand, given, values)
    for fact in new:
        lost(_CODES[fact.partition(":")[0]], facts.NEW + fact)
    for at in compared.elsewhere:
        around = at in there and not 0 <= there[at].column < len(now.columns)
        code = "panel.around" if around else "panel.regrouped"
        covers.setdefault(code, []).append(Cover(0, "item", (at,), "column"))


def made_in(panel: Panel) -> list[Item]:
    """The headings and links of a panel that rules made."""
    lists = [b for column in panel.columns for b in column.blocks if isinstance(b, Links)]
    there = [item for block in lists for item in (block.heading, *block.items)]
    return [item for item in there if isinstance(item, Item) and item.number < 0]


def made_of_panes(panel: Panel, adapted: Adapted) -> list[Item]:
    """Those of them that were made of labels of panes that lead somewhere."""
    return [item for item in made_in(panel) if item.number in adapted.panes]


def same_panes(was: Panel, now: Panel) -> dict[int, int]:
    """For the number of each pane that leads somewhere now, the number that it had."""
    found: dict[int, int] = {}
    left = [at for at, column in enumerate(was.columns) if column.target is not None]
    for number, column in enumerate(now.columns):
        said = (column.label, column.target)
        same = (at for at in left if (was.columns[at].label, was.columns[at].target) == said)
        at = next(same, None) if column.target is not None else None
        if at is not None:
            left.remove(at)
            found[number] = at
    return found


def say_panes(work: Work, panel: Panel, columns: Iterable[int], code: str) -> str:
    """The labels of panes, with where they lead or the lines below them."""
    paths = {(content.kind, content.id): content.path for content in work.source.contents}
    said: list[str] = []
    for at in columns:
        column = panel.columns[at]
        words = column.note or ""
        if code == "panel.pane-link" and column.target is not None:
            target = column.target
            path = paths.get((target.kind, target.content or ""))
            words = target.address or path or target.key or f"the {target.kind}"
        said.append(f"“{column.label}” ({words})")
    return ", ".join(said)


def _is_left(column: Column, stays: Collection[int]) -> bool:
    """Whether anything in a column is written: what stays, links of blocks, what a rule made."""
    things: list[Item | Piece] = []
    for block in column.blocks:
        if isinstance(block, Piece):
            things.append(block)
        else:
            things += [*([block.heading] if block.heading else []), *block.items]
    return any(not isinstance(t, Item) or t.number < 0 or t.number in stays for t in things)


def _inside(work: Work, row: int) -> Iterator[tuple[int, facts.Spot]]:
    """The rows that stand in the panel of a row, each with its place there."""
    at = row + 1
    while at in work.spots and work.spots[at].owner == row:
        yield at, work.spots[at]
        at += 1


def _spots(panel: Panel) -> dict[int, facts.Spot]:
    """Where each row of the source stands in a panel of the destination."""
    found: dict[int, facts.Spot] = {}
    for at, around in ((facts.BEFORE, panel.before), (facts.AFTER, panel.after)):
        if around is not None:
            found[around.number] = facts.Spot(0, at, 0, True)
    for at, column in enumerate(panel.columns):
        for nth, block in enumerate(column.blocks):
            if isinstance(block, Piece):
                found[block.number] = facts.Spot(0, at, nth, True)
                continue
            if block.heading is not None:
                found.setdefault(block.heading.number, facts.Spot(0, at, nth, True))
            stack = [(item, block.heading is None) for item in reversed(block.items)]
            while stack:
                item, direct = stack.pop()
                found.setdefault(item.number, facts.Spot(0, at, nth, direct))
                inner = getattr(item, "children", ())
                stack.extend((child, False) for child in reversed(inner))
    return found


def _parents(panel: Panel, row: int) -> dict[int, int]:
    """By its number what each item in the panel of a row stands below."""
    found: dict[int, int] = {}
    stack: list[tuple[Item, int]] = []
    for block in (block for column in panel.columns for block in column.blocks):
        if isinstance(block, Links):
            heading = block.heading
            stack += [(heading, row)] if heading is not None else []
            above = row if heading is None else heading.number
            stack += [(item, above) for item in block.items]
    while stack:
        item, above = stack.pop()
        found.setdefault(item.number, above)
        stack += [(child, item.number) for child in getattr(item, "children", ())]
    return found


def tell_order(work: Work, row: int, made: Item) -> None:
    """Report pictures and columns of a panel that stand in another order."""
    assert made.panel is not None
    direct = [thing for thing, under in below(made) if not under]
    at = {thing.number: (place, type(thing)) for place, thing in enumerate(direct)}
    members = [
        n
        for n in sorted(number for number in at if number >= 0)
        if work.rows.parent[n] == row and at[n][1] is type(work.rows.things[n])
    ]
    moved = [members[n] for n in sorted(out_of_order([at[n][0] for n in members]))]
    if not moved:
        return
    work.loss(
        "panel.order",
        "moved",
        [Cover(0, "item", tuple(moved), "order")],
        row=row,
        labels=tuple(work.label(n) for n in moved),
    )


_CODES = {
    "panel": "panel.not-held",
    "panel-style": "panel.pane",
    "panel-opens": "panel.opens",
    "panel-width": "panel.width",
    "panel-tone": "panel.tone",
    "column": "panel.merged",
    "span": "panel.span",
    "column-label": "panel.pane",
    "column-target": "panel.pane-link",
    "column-note": "panel.pane-note",
}
"""The finding for each fact of a panel that the destination holds otherwise."""


PANES = {"tabs": "panes", "freehand": "markup instead of columns", "cascade": "fly-outs"}
"""Styles of panels in words."""


def _in_words(panel: Panel) -> dict[str, str]:
    """What a panel is, for the finding of each kind."""
    spans = "+".join(str(column.span) if column.span else "?" for column in panel.columns)
    labels = ", ".join(f"“{column.label}”" for column in panel.columns if column.label)
    if labels:
        labels = f"the panes {labels}" if panel.style == "tabs" else f"columns labelled {labels}"
    return {
        "panel.pane": labels or PANES.get(panel.style, "columns"),
        "panel.column-label": ", ".join(f"“{c.label}”" for c in panel.columns if c.label),
        "panel.opens": f"on {panel.opens}" if panel.opens else "as the theme does it",
        "panel.tone": panel.tone or "as the theme does it",
        "panel.width": "full width" if panel.full_width else "as wide as the theme makes it",
        "panel.merged": _count(len(panel.columns), "column"),
        "panel.empty": _count(len(panel.columns), "column"),
        "panel.span": f"{spans} of twelve wide" if spans.strip("?+") else "equally wide",
    }


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
