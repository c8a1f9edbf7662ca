"""Panels: kept where the destination shows them, ordinary submenus elsewhere."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from ..findings import EVERY, Cover
from ..markup import links_in, links_in_text, relinked, relinked_text, runs
from ..model import (
    NOWHERE,
    Block,
    Column,
    Form,
    Generated,
    Held,
    Item,
    Links,
    Markup,
    MenuReference,
    Panel,
    Picture,
    Piece,
    Products,
    Target,
    Text,
)
from ..profiles.cells import Cells
from ..profiles.drawers import Drawers
from ..profiles.panels import Capacity, shares, spread
from . import keys
from .kinds import Targets
from .work import MADE, Fate, Work, item_facts


def panel_facts(panel: Panel) -> list[str]:
    """The names of the facts of a panel itself, without what stands in its blocks."""
    return list(panel_values(panel))


def capacity_of(work: Work) -> Capacity:
    """What panels of the destination can hold, where they are items: what those can say."""
    assert work.strategy is not None
    capacity = work.strategy.capacity()
    if isinstance(work.strategy, (Cells, Drawers)):
        return capacity
    profile = work.profile
    holds = capacity.holds if profile.holds("picture") else ()
    # How a board opens is said by its item.
    opens = capacity.opens if profile.holds("opens") or not capacity.spread else (None,)
    dividers = capacity.dividers and "divider" in profile.kinds
    return replace(capacity, holds=holds, opens=opens, dividers=dividers)


def _sayable(work: Work, panel: Panel) -> bool:
    """Whether the items of the destination can say what a panel holds."""
    capacity = capacity_of(work)
    blocks = [block for column in panel.columns for block in column.blocks]
    return panel.opens in capacity.opens and all(
        all(getattr(item, "role", "") != "divider" for item in block.items) or capacity.dividers
        if isinstance(block, Links)
        else isinstance(block.holds, capacity.holds)
        for block in blocks
    )


def can_hold(work: Work, fate: Fate, panel: Panel) -> bool:
    """Whether a panel can be written in this menu just as it is.

    A location of the menu must show panels, or they must have been stored in the same way.
    """
    if work.strategy is None or not work.strategy.fits(panel) or not _sayable(work, panel):
        return False
    beside = isinstance(work.strategy, Drawers)
    return (work.same_encoding and not beside) or any(place.panels for place in fate.locations)


def room(work: Work) -> int | None:
    """How many more panels there may be; None where there is no limit."""
    most = work.strategy.capacity().panels if work.strategy is not None else None
    if most is None:
        return None
    rule = work.profile.panels_of(work.theme_name)
    base = work.source if work.same_file else work.base
    there = 0
    for extra in base.extras if base is not None and rule is not None else ():
        if rule is not None and extra.path == rule.at and isinstance(extra.value, list):
            there += len(extra.value)
    return max(most - there - work.panels, 0)


def first_of(work: Work, rows: range, most: int) -> list[int]:
    """The rows of panels that there is room for: those with most in them, by what is seen of it."""
    sizes: list[tuple[int, int]] = []
    for row in rows:
        thing = work.rows.things[row]
        if isinstance(thing, Item) and thing.panel is not None and work.rows.depth[row] == 1:
            end = row + 1
            while end < rows.stop and work.rows.depth[end] > 1:
                end += 1
            sizes.append((-sum(bool(work.seen[at]) for at in range(row, end)), row))
    return sorted(row for _, row in sorted(sizes)[:most])


def name_lists(work: Work, fate: Fate, panel: Panel) -> None:
    """Give the lists of a panel keys of their own, where the destination keeps them as menus."""
    work.panels += 1
    if not isinstance(work.strategy, Drawers):
        return
    taken = keys.taken_keys(work) | {f.key for f in [*work.fates, *work.secondary]} | work.list_keys
    rule = fate.limits.menu_key
    for at, column in enumerate(panel.columns):
        for block in column.blocks:
            if not isinstance(block, Links):
                continue
            words = block.heading.label if block.heading is not None else f"{fate.key} {at + 1}"
            wanted = block.key if work.same_file and block.key else keys.legal(words, rule)
            key = keys.free(wanted, taken, rule)
            taken.add(key)
            work.list_keys.add(key)
            work.list_of[id(block)] = key


def adapted(
    work: Work, fate: Fate, panel: Panel, links: Callable[[Piece], object]
) -> Adapted | None:
    """A panel as it can be held in a menu; None where the menu's locations show none."""
    if work.strategy is None or not any(place.panels for place in fate.locations):
        return None
    made = adapt(panel, capacity_of(work), links)
    if made is None or not work.strategy.fits(_without_heading_links(made.panel)):
        return None
    return made


def _without_heading_links(panel: Panel) -> Panel:
    """A panel whose headings lead nowhere, as they will where they cannot."""
    columns = [
        Column(
            [
                Links(replace(b.heading, target=NOWHERE), b.items)
                if isinstance(b, Links) and isinstance(b.heading, Item)
                else b
                for b in column.blocks
            ],
            column.span,
            column.label,
        )
        for column in panel.columns
    ]
    return replace(panel, columns=columns)


def dissolve(work: Work, row: int, item: Item, inside: list[int], targets: Targets) -> None:
    """Report a panel that becomes a submenu: its own facts, its headings and its pictures.

    `inside` are the rows of the panel that are not left out for another reason.
    """
    panel = item.panel
    assert panel is not None
    covers = [Cover(0, "item", (row,), fact) for fact in panel_facts(panel)]
    headings = 0
    pictures = 0
    for at in inside:
        thing = work.rows.things[at]
        if isinstance(thing, Piece):
            links = offers(work, targets, thing)
            picture = isinstance(thing.holds, Picture)
            pictures += picture
            facts = ["block", "holds"]
            if links and links[0].source and targets.of(links[0].source).code:
                facts.remove("holds")  # its link has a loss of its own
            if picture:
                covers += item_facts(at, *facts, *([] if links else ["shown"]))
            elif links:
                _linked(work, targets, row, at, facts)
            else:
                _lost(work, row, at, [Cover(0, "item", (at,), EVERY)])
        elif thing.role == "heading":
            headings += 1
            covers.append(Cover(0, "item", (at,), "role"))
    parts = [_count(len(panel.columns), "column"), _count(headings, "heading")]
    parts += [_count(pictures, "picture")] if pictures else []
    if panel.opens:
        parts.append(f"opens on {panel.opens}")
    if panel.full_width:
        parts.append("full width")
    work.loss(
        "panel.not-held",
        "altered",
        covers,
        row=row,
        before=", ".join(parts),
        after="a submenu",
    )


def _count(number: int, word: str) -> str:
    return f"{number} {word}" + ("" if number == 1 else "s")


class Offer(NamedTuple):
    """A link that a block goes on as: to a target of the source, or to one of the destination."""

    label: str
    source: Target | None
    there: Target | None


def offers(work: Work, targets: Targets, piece: Piece) -> list[Offer]:
    """The links that a block can go on as where it cannot stand itself.

    A picture with a caption that leads somewhere; the links inside markup and texts; products.
    """
    holds = piece.holds
    if isinstance(holds, Picture):
        if not holds.caption or holds.target is None:
            return []
        return [Offer(holds.caption, holds.target, None)]
    if isinstance(holds, Products):
        return [offer for name in holds.contents if (offer := _product(work, targets, name))]
    if not isinstance(holds, (Markup, Text)):
        return []
    inside = (
        links_in(holds.html) if isinstance(holds, Markup) else links_in_text(holds.body, holds.form)
    )
    found: list[Offer] = []
    for (words, address), target in zip(inside, holds.links, strict=False):
        if target.kind not in ("none", "fragment") and targets.of(target).code != "link.script":
            found.append(Offer(words or address, target, None))
    return found


def relink(work: Work, targets: Targets, row: int, held: Held) -> Held:
    """A block with its inner links as they are at the destination; a loss for those that are not.

    Other blocks stay as they are.
    """
    if not isinstance(held, (Markup, Text)) or not held.links:
        return held
    inside = (
        links_in(held.html) if isinstance(held, Markup) else links_in_text(held.body, held.form)
    )
    addresses: dict[str, str] = {}
    made: list[Target] = []
    lost: list[str] = []
    for (words, address), target in zip(inside, held.links, strict=False):
        fate = targets.of(target)
        there = targets.as_address(fate.target)
        addresses[address] = there.address or "#"
        made.append(there)
        if fate.code is not None:
            after = fate.after or ("unchecked" if fate.code == "link.unchecked" else "nowhere")
            lost.append(f"{words or address}: {after}")
    if lost:
        work.loss(
            "link.in-markup",
            "altered",
            item_facts(row, "holds"),
            row=work.rows.parent[row] if work.rows.parent[row] >= 0 else row,
            before=said(held),
            labels=tuple(lost),
        )
    if isinstance(held, Markup):
        return replace(held, html=relinked(held.html, addresses), links=tuple(made))
    return replace(held, body=relinked_text(held.body, addresses), links=tuple(made))


def _product(work: Work, targets: Targets, name: str) -> Offer | None:
    """A product of a block: one of the source, or else the destination's of the same key."""
    content = targets.contents.get(("product", name))
    if content is not None:
        return Offer(content.title or name, Target("product", content.id), None)
    there = [c for c in targets.pointable if c.kind == "product" and name in (c.key, c.id)]
    if len(there) == 1:
        return Offer(there[0].title or name, None, Target("product", there[0].id))
    return None


LABEL = MADE - 3 * 10**9
"""Numbers of headings that were labels of tabs are `LABEL` less a count."""


class Adapted(Struct):
    """A panel as the destination can hold it, and what that changes.

    `panel` holds items and pieces of the source; a piece among items is a picture that becomes a
    link. `gone`, `moved` and `roles` name the finding for rows that go, that get another parent, or
    another role; `altered` are pieces that hold less, with what they held, `links` pieces that
    become links.
    """

    panel: Panel
    gone: dict[int, str] = {}
    moved: dict[int, str] = {}
    roles: dict[int, str] = {}
    altered: dict[int, Held] = {}
    links: list[int] = []


def adapt(panel: Panel, capacity: Capacity, links: Callable[[Piece], object]) -> Adapted | None:
    """The nearest panel that an encoding can hold; None where nothing of it is left.

    `links` says whether a block that is not held can go on as links.
    """
    return _Adapter(capacity, links).run(panel)


class _Adapter:
    def __init__(self, capacity: Capacity, links: Callable[[Piece], object]) -> None:
        self.capacity, self.links = capacity, links
        self.made = Adapted(Panel([]))

    def run(self, panel: Panel) -> Adapted | None:
        capacity, made = self.capacity, self.made
        columns = [Column(self._held(c), c.span, c.label) for c in panel.columns]
        if panel.style == "tabs" and "tabs" not in capacity.styles:
            for number, column in enumerate(columns):
                self._label(column, number)
        if capacity.headings == "first":
            columns = [part for column in columns for part in _one_heading_each(column)]
        elif capacity.headings == "alone":
            columns = [part for column in columns for part in _one_block_each(column)]
        columns = [column for column in columns if column.blocks]
        if capacity.headings == "first":
            columns = _without_neighbours(columns)
        if capacity.headings == "every":
            for column in columns:
                column.blocks = [b for block in column.blocks for b in self._under_headings(block)]
        if capacity.spread:
            columns = _spread(columns, capacity.columns or len(columns))
        elif capacity.columns is not None and len(columns) > capacity.columns:
            columns = _merged(columns, capacity.columns)
        if capacity.headings != "free":
            for column in columns:
                self._settle(column)
        if capacity.blocks is not None:
            self._within(columns, capacity.blocks)
            columns = [column for column in columns if column.blocks]
        if not columns or not any(isinstance(b, Links) for c in columns for b in c.blocks):
            return None
        made.panel = Panel(
            columns,
            panel.style if panel.style in capacity.styles else "columns",
            panel.full_width and capacity.full_width,
            panel.opens if panel.opens in capacity.opens else capacity.opens[-1],
        )
        for column, share in zip(columns, shares(len(columns)), strict=True):
            headless = capacity.headings == "first" and not _headed(column)
            if not capacity.spans or headless:
                column.span = None
            elif column.span is None:
                column.span = share
            if not capacity.labels and made.panel.style != "tabs":
                column.label = None
        return made

    def _held(self, column: Column) -> list[Block]:
        """The blocks of a column that are held, each list with what can stand in it."""
        blocks: list[Block] = []
        for block in column.blocks:
            if isinstance(block, Links):
                items = self._items(block.items)
                if block.heading is not None or items:
                    blocks.append(Links(block.heading, items, block.key))
                continue
            held = block.holds
            active = isinstance(held, Markup) and runs(held.html)
            if isinstance(held, self.capacity.holds) and not active:
                less = self._less(held)
                if less is not None:
                    if not isinstance(held, Text) or held.body != getattr(less, "body", None):
                        self.made.altered[block.number] = held
                    block = Piece(less, block.origin, block.number)
                blocks.append(block)
            elif self.links(block):
                if not blocks or not isinstance(blocks[-1], Links):
                    blocks.append(Links(None, []))
                last = blocks[-1]
                assert isinstance(last, Links)
                last.items.append(block)  # type: ignore[arg-type]
                self.made.links.append(block.number)
            else:
                self.made.gone[block.number] = "panel.block"
        return blocks

    def _within(self, columns: list[Column], most: int) -> None:
        """Leave blocks out where there are too many: the last ones first, and no list of links."""
        over = sum(len(column.blocks) for column in columns) - most
        for column in reversed(columns):
            for block in reversed(list(column.blocks)):
                if over > 0 and isinstance(block, Piece):
                    column.blocks.remove(block)
                    self.made.gone[block.number] = "panel.block"
                    over -= 1

    def _label(self, column: Column, number: int) -> None:
        """The label of a tab is the heading of its first list, where that has none."""
        first = next((b for b in column.blocks if isinstance(b, Links)), None)
        if not column.label or first is None or first.heading is not None:
            return
        heading = Item(
            f"tab.{number}", column.label, NOWHERE, "heading", children=[], number=LABEL - number
        )
        first.heading = heading
        column.label = None
        for item in first.items:
            if isinstance(item, Item):
                self.made.moved[item.number] = "panel.pane"

    def _less(self, held: Held) -> Held | None:
        """A block that says what the destination can hold of it, if that is not all."""
        if isinstance(held, Picture) and held.alt is not None and not self.capacity.alt:
            return replace(held, alt=None)
        if isinstance(held, Text) and held.form != self.capacity.text_form:
            marks = self.capacity.text_form == "markdown"
            body = re.sub(r"([\\`*_\[\]<>#])", r"\\\1", held.body) if marks else held.body
            return Text(body, self.capacity.text_form, held.target)
        return None

    def _items(self, items: list[Item]) -> list[Item]:
        """What can stand in a list: without dividers, and on one level, if need be."""
        found: list[Item] = []
        stack = [(item, True) for item in reversed(items)]
        while stack:
            item, first = stack.pop()
            if item.role == "divider" and not self.capacity.dividers:
                self.made.gone[item.number] = "panel.divider"
                continue
            found.append(item)
            if not first:
                self.made.moved[item.number] = "panel.nested"
            if not self.capacity.nested:
                stack.extend((child, False) for child in reversed(item.children))
        return found

    def _under_headings(self, block: Block) -> list[Block]:
        """A list without a heading: each of its items is a heading with nothing below it."""
        if not isinstance(block, Links) or block.heading is not None:
            return [block]
        found: list[Block] = []
        for item in block.items:
            if isinstance(item, Item):
                self.made.roles[item.number] = "panel.heading"
            found.append(Links(item, list(item.children) if isinstance(item, Item) else []))
        return found

    def _settle(self, column: Column) -> None:
        """Join lists without a heading to the one before, as they will be read."""
        blocks: list[Block] = []
        for block in column.blocks:
            last = blocks[-1] if blocks else None
            joins = isinstance(block, Links) and block.heading is None
            if joins and self.capacity.headings in ("first", "many"):
                before = next((b for b in reversed(blocks) if isinstance(b, Links)), None)
                assert isinstance(block, Links)
                if before is not None and before.heading is not None:
                    for item in block.items:
                        if isinstance(item, Item):
                            self.made.moved[item.number] = "panel.merged"
                if isinstance(last, Links):
                    last.items = [*last.items, *block.items]
                    continue
            blocks.append(block)
        column.blocks = blocks


def height(column: Column) -> int:
    """How high a column is, in lines: a heading and a link are one, a picture is four."""
    lines = 0
    for block in column.blocks:
        if isinstance(block, Links):
            lines += (block.heading is not None) + _count_of(block.items)
        else:
            lines += 4 if isinstance(block.holds, Picture) else 2
    return lines


def _count_of(items: list[Item]) -> int:
    count, stack = 0, list(items)
    while stack:
        item = stack.pop()
        count += 1
        stack.extend(getattr(item, "children", ()))
    return count


def _merged(columns: list[Column], most: int) -> list[Column]:
    """Fewer columns in the same order, the tallest as low as it can be."""
    found: list[Column] = []
    numbers = spread([height(column) for column in columns], most)
    for column, at in zip(columns, numbers, strict=True):
        if at == len(found):
            found.append(Column([], column.span, column.label))
        elif found[at].span is not None and column.span is not None:
            found[at].span = min(12, (found[at].span or 0) + column.span)
        found[at].blocks += column.blocks
    return found


def _spread(columns: list[Column], most: int) -> list[Column]:
    """The columns that the platform itself will make of the lists, one list after the other."""
    blocks = [block for column in columns for block in column.blocks]
    count = min(len(columns), most)
    found = [Column([]) for _ in range(count)]
    heights = [1 + len(b.items) if isinstance(b, Links) else 1 for b in blocks]
    for block, at in zip(blocks, spread(heights, count), strict=True):
        found[at].blocks.append(block)
    return found


def _one_heading_each(column: Column) -> list[Column]:
    """A column parted before each heading but the first thing in it."""
    parts: list[Column] = []
    for block in column.blocks:
        headed = isinstance(block, Links) and block.heading is not None
        if headed or not parts:
            parts.append(Column([], column.span, None if parts else column.label))
        parts[-1].blocks.append(block)
    return parts


def _without_neighbours(columns: list[Column]) -> list[Column]:
    """Columns without a heading put together with such a one before them: they read as one."""
    found: list[Column] = []
    for column in columns:
        if found and not _headed(column) and not _headed(found[-1]):
            found[-1].blocks = [*found[-1].blocks, *column.blocks]
        else:
            found.append(column)
    return found


def _headed(column: Column) -> bool:
    return any(isinstance(b, Links) and b.heading is not None for b in column.blocks)


def _one_block_each(column: Column) -> list[Column]:
    """A column for each block, all as wide as the one that they stood in."""
    return [
        Column([block], column.span, None if at else column.label)
        for at, block in enumerate(column.blocks)
    ]


def _lost(work: Work, row: int, at: int, covers: list[Cover]) -> None:
    """Report a block that no panel of the destination holds, with what it says."""
    piece = work.rows.things[at]
    assert isinstance(piece, Piece)
    work.loss("panel.block", "dropped", covers, row=row, before=said(piece.holds))


def _linked(work: Work, targets: Targets, row: int, at: int, facts: list[str]) -> None:
    """Report a block that goes on as links."""
    piece = work.rows.things[at]
    assert isinstance(piece, Piece)
    work.loss(
        "panel.link",
        "altered",
        item_facts(at, *facts),
        row=row,
        before=said(piece.holds),
        labels=tuple(offer.label for offer in offers(work, targets, piece)),
    )


def report(work: Work, row: int, item: Item, adapted: Adapted, targets: Targets) -> None:
    """Report what a panel loses that the destination holds in part, one loss for each reason."""
    was, now = item.panel, adapted.panel
    assert was is not None
    covers: dict[str, list[Cover]] = {}
    values = panel_values(now)
    blocks = [
        Cover(0, "item", (at,), EVERY) for at, code in adapted.gone.items() if code == "panel.block"
    ]
    # Columns that held nothing but what is gone went with it; the last ones are counted as these.
    empty = sum(
        all(isinstance(b, Piece) and b.number in adapted.gone for b in column.blocks)
        for column in was.columns
    )
    missing = len(was.columns) - len(now.columns)
    first = len(was.columns) - min(empty, missing) if blocks else len(was.columns)
    for fact, value in panel_values(was).items():
        name, _, place = fact.partition(":")
        if values.get(fact) == value:
            continue
        cover = Cover(0, "item", (row,), fact)
        if place and int(place) >= first:
            blocks.append(cover)
        else:
            covers.setdefault(_CODES[name], []).append(cover)
    parts: dict[str, list[int]] = {}
    for at, code in adapted.gone.items():
        parts.setdefault(code, []).append(at)
    for code, rows in parts.items():
        for number, at in enumerate(rows) if code == "panel.block" else ():
            mine = blocks[number : number + 1] + ([] if number else blocks[len(rows) :])
            _lost(work, row, at, mine)
        if code != "panel.block":
            work.loss(
                code,
                "dropped",
                [Cover(0, "item", tuple(rows), EVERY)],
                row=row,
                before=str(len(rows)),
            )
    for at in adapted.links:
        piece = work.rows.things[at]
        assert isinstance(piece, Piece)
        facts = ["block", "holds"]
        offer = next(iter(offers(work, targets, piece)))
        if offer.source is not None and targets.of(offer.source).code:
            facts.remove("holds")  # its link has a loss of its own
        _linked(work, targets, row, at, facts)
    for at, code in adapted.moved.items():
        covers.setdefault(code, []).append(Cover(0, "item", (at,), "parent"))
    for at, code in adapted.roles.items():
        covers.setdefault(code, []).append(Cover(0, "item", (at,), "role"))
    before, after = _in_words(was), _in_words(now)
    for code, lost in covers.items():
        rows = [c.numbers[0] for c in lost if c.fact in ("parent", "role")]
        work.loss(
            code,
            "moved" if all(c.fact == "parent" for c in lost) else "altered",
            lost,
            row=row,
            before=before.get(code),
            after=after.get(code),
            labels=tuple(work.label(at) for at in dict.fromkeys(rows)),
        )


_CODES = {
    "panel": "panel.not-held",
    "panel-style": "panel.pane",
    "panel-opens": "panel.opens",
    "panel-width": "panel.width",
    "column": "panel.merged",
    "span": "panel.span",
    "column-label": "panel.pane",
}
"""The finding for each fact of a panel that the destination holds otherwise."""


def panel_values(panel: Panel) -> dict[str, object]:
    """The facts of a panel itself, as `panel_facts` names them, with their values."""
    found: dict[str, object] = {
        "panel": True,
        "panel-style": panel.style,
        "panel-width": panel.full_width,
    }
    if panel.opens is not None:
        found["panel-opens"] = panel.opens
    for at, column in enumerate(panel.columns):
        found[f"column:{at}"] = True
        if column.span is not None:
            found[f"span:{at}"] = column.span
        if column.label is not None:
            found[f"column-label:{at}"] = column.label
    return found


def _in_words(panel: Panel) -> dict[str, str]:
    """What a panel is, for the finding of each kind."""
    spans = "+".join(str(column.span) if column.span else "?" for column in panel.columns)
    labels = ", ".join(f"“{column.label}”" for column in panel.columns if column.label)
    return {
        "panel.pane": labels or panel.style,
        "panel.opens": panel.opens or "as the theme does it",
        "panel.width": "full width" if panel.full_width else "as wide as the theme makes it",
        "panel.merged": _count(len(panel.columns), "column"),
        "panel.span": spans if any(c.span for c in panel.columns) else "equally wide",
    }


def said(held: Held) -> str:
    """What a block holds, in words, so that somebody can make it again."""
    if isinstance(held, Picture):
        caption = f", “{held.caption}”" if held.caption else ""
        alt = f", described as “{held.alt}”" if held.alt else ""
        return f"the picture {held.source}{caption}{alt}"
    if isinstance(held, Text):
        return f"the text “{held.body}”"
    if isinstance(held, Markup):
        return f"the markup “{held.html}”"
    if isinstance(held, Products):
        return f"products ({', '.join(held.contents)})"
    if isinstance(held, Generated):
        return f"{held.count} {held.rule} of {held.of}, by themselves"
    if isinstance(held, Form):
        return f"a form ({', '.join(held.fields)})"
    if isinstance(held, MenuReference):
        return f"the menu {held.menu!r}"
    settings = ", ".join(f"{name} {value}" for name, value in held.settings)
    return f"the widget {held.name}" + (f" ({settings})" if settings else "")


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
            made = Column([], column.span, column.label)
            columns.append(made)
            for block in column.blocks:
                if isinstance(block, Piece):
                    piece = Piece(block.holds, number=block.number)
                    pieces.append(piece)
                    made.blocks.append(piece)
                    continue
                links = Links(None, [], keys.get(id(block), ""))
                made.blocks.append(links)
                if block.heading is not None and block.heading.number <= LABEL:
                    links.heading = block.heading
                elif block.heading is not None:
                    self.heads[id(block.heading)] = links
                for item in block.items:
                    self.lists[id(item)] = links.items
        copy = Panel(
            columns,
            panel.style,
            panel.full_width,
            panel.opens,
            panel.tone,
            panel.before,
            panel.after,
        )
        return copy, pieces
