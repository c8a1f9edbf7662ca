"""What the facts of a panel became, said with one loss for each."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence

from .. import facts
from ..encodings.layout import shares
from ..findings import EVERY, Cover, Severity
from ..model import (
    Column,
    Item,
    Links,
    MenuReference,
    Panel,
    Picture,
    Piece,
    below,
    targets_of,
)
from ..order import out_of_order
from .blocks import Offer, said
from .shape import Adapted
from .work import Work, item_facts

Offers = Callable[[Piece], list[Offer]]
"""What a block goes on as."""


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
    # Every fact of the panel ends here, since nothing of it is left to be asked later.
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
    parts += [counted(len(panel.columns), "column"), counted(headings, "heading")]
    parts += [counted(pictures, "picture")] if pictures else []
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
        after="a submenu" if count is None else counted(count, "panel"),
    )


def counted(number: int, word: str) -> str:
    """A number with its word, in the plural where that is right."""
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
        "panel.merged": counted(len(panel.columns), "column"),
        "panel.empty": counted(len(panel.columns), "column"),
        "panel.span": f"{spans} of twelve wide" if spans.strip("?+") else "equally wide",
    }
