"""A panel in the shape that an encoding can hold, and what that changes.

Reading order is kept. Columns are put together so that the tallest is as low as it can be.
"""

# Long, since its rules take turns at one panel: see `_shaped`.

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

from msgspec import Struct
from msgspec.structs import replace

from ..addresses import runs
from ..encodings.base import Capacity, sayable
from ..encodings.blocks import says_beside
from ..encodings.layout import headed, rounded, shares
from ..markup import as_markup, cleaned, escaped, linked, links_in, links_left, passes
from ..model import (
    NOWHERE,
    Block,
    Column,
    Held,
    Item,
    Links,
    Markup,
    MenuReference,
    Panel,
    Picture,
    Piece,
    Text,
)
from .layouts import (
    is_markup,
    leads_nowhere,
    markup_around,
    one_block_each,
    one_heading_each,
    one_more,
    only_markup,
    pictures_behind,
    pictures_together,
    put_together,
    says_less,
    spread_over,
    without_neighbours,
)


class Linked(Struct):
    """A link that a block goes on as, in place of an item: the block's row, and which one it is."""

    number: int
    at: int
    label: str
    role: str = "link"


class Adapted(Struct):
    """A panel as the destination can hold it, and what that changes.

    `panel` holds items and pieces of the source; in place of a block that goes on as links a
    `Linked` stands for each of them. `gone`, `moved` and `roles` name the finding for rows that go,
    that get another parent, or become headings; `unheaded` for headings that become links;
    `altered` are pieces that hold less, with what they held, `links` pieces that become links, with
    what stands for these; `inner` says of markup which of its links are left, and `taken` what was
    taken away because it could run something. `panes` has, by the number of a heading or link that
    was made of the label of a pane that leads somewhere, the number of the column that it was.
    """

    panel: Panel
    gone: dict[int, str] = {}
    moved: dict[int, str] = {}
    roles: dict[int, str] = {}
    unheaded: dict[int, str] = {}
    altered: dict[int, Held] = {}
    links: dict[int, list[Linked]] = {}
    inner: dict[int, list[int]] = {}
    taken: dict[int, tuple[str, ...]] = {}
    panes: dict[int, int] = {}


class Labelled(Protocol):
    """A link with its label."""

    @property
    def label(self) -> str:
        """What the link says."""


def adapt(
    panel: Panel,
    capacity: Capacity,
    links: Callable[[Piece], Sequence[Labelled]],
    number: Callable[[], int],
    titles: Mapping[str, str] | None = None,
    left_out: Callable[[Item], bool] = lambda _: False,
    clean: Callable[[str], str] = str,
) -> Adapted | None:
    """The nearest panel that an encoding can hold; None where nothing of it is left.

    `links` gives the links that a block that is not held can go on as; `number` gives one for a
    heading that is made of the label of a tab or the title of a menu, below 0; `titles` has these
    titles by the keys of menus; `left_out` says which items are not written, for another reason;
    `clean` gives a text without what the destination's files cannot hold.
    """
    return _Adapter(capacity, links, number, titles or {}, left_out, clean).run(panel)


def is_script(held: Held) -> bool:
    """Whether a picture is none, but a script that a browser would run."""
    sources = (held.source, held.second) if isinstance(held, Picture) else ()
    return any(runs(source) for source in sources if source)


def in_plain(held: Held, clean: Callable[[str], str]) -> Held:
    """A block whose texts are clean: the same one, where they were."""
    said = {name: getattr(held, name) for name in held.__struct_fields__}
    texts = {name: clean(text) for name, text in said.items() if isinstance(text, str)}
    changed = {name: text for name, text in texts.items() if text != said[name]}
    return replace(held, **changed) if changed else held


def only_cleaned(panel: Panel, capacity: Capacity) -> Adapted:
    """A panel just as it is, but for what its markup could run."""
    made = _Adapter(capacity, lambda _: [], lambda: -1, {}, lambda _: False)
    made.made.panel = panel
    return made.cleaned()


class _Adapter:
    def __init__(
        self,
        capacity: Capacity,
        links: Callable[[Piece], Sequence[Labelled]],
        number: Callable[[], int],
        titles: Mapping[str, str],
        left_out: Callable[[Item], bool],
        clean: Callable[[str], str] = str,
    ) -> None:
        self.left_out, self.clean = left_out, clean
        self.capacity, self.links, self.number, self.titles = capacity, links, number, titles
        self.made = Adapted(Panel([]))
        self.pictures = 0

    def run(self, panel: Panel) -> Adapted | None:
        """The panel as it can be held; None where nothing is left of it."""
        return self.cleaned() if self._shaped(panel) is not None else None

    def cleaned(self) -> Adapted:
        """What was made, its markup without what would run something."""
        now = self.made.panel
        columns = [
            replace(column, blocks=[self._cleaned(block) for block in column.blocks])
            for column in now.columns
        ]
        around = [self._cleaned(piece) for piece in (now.before, now.after) if piece]
        pieces = iter([piece for piece in around if isinstance(piece, Piece)])
        self.made.panel = replace(
            now,
            columns=columns,
            before=next(pieces) if now.before else None,
            after=next(pieces) if now.after else None,
        )
        return self.made

    def _cleaned(self, block: Block) -> Block:
        """Markup without what would run something; all other blocks as they are."""
        held = block.holds if isinstance(block, Piece) else None
        if not isinstance(block, Piece) or not isinstance(held, Markup):
            return block
        made = cleaned(held.html)
        if not made.taken:
            return block
        left = links_left(held.html, made.html)
        self.made.altered[block.number] = held
        self.made.taken[block.number] = made.taken
        self.made.inner[block.number] = left
        links = tuple(held.links[n] for n in left)
        return Piece(Markup(made.html, links), block.origin, block.number)

    def _shaped(self, panel: Panel) -> Adapted | None:
        # Each rule takes one thing that the destination has no place for out of the panel, the
        # widest first: from frame and panes to columns, blocks, headings and links. A later rule
        # may rely on the earlier.
        capacity, made = self.capacity, self.made
        only = only_markup(panel)
        if only is not None and "freehand" in capacity.styles:
            made.panel = Panel([Column([only])], "freehand")
            return made
        if panel.style == "freehand" and "freehand" in capacity.styles:
            safe = self._without_what_runs(panel)
            if safe is not None:
                made.panel = Panel([Column([safe])], "freehand")
                return made
        before, after, inside = markup_around(panel, self._is_lost, around=capacity.around)
        columns = [replace(c, blocks=self._held(c)) for c in inside]
        if panel.style == "tabs" and "tabs" not in capacity.styles:
            at = {id(column): number for number, column in enumerate(panel.columns)}
            for was, column in zip(inside, columns, strict=True):
                if not column.blocks and column.label and column.target is not None:
                    column.blocks = [Links(None, [])]  # the pane itself was a link
                self._label(column, at.get(id(was), -1))
        if capacity.headings == "first":
            columns = [part for column in columns for part in one_heading_each(column)]
        elif capacity.headings == "alone":
            columns = [part for column in columns for part in one_block_each(column)]
        columns = [column for column in columns if column.blocks]
        if capacity.headings == "first" and not capacity.apart:
            columns = without_neighbours(columns)
        if capacity.headings in ("every", "column"):
            for column in columns:
                column.blocks = [b for block in column.blocks for b in self._under_headings(block)]
        if capacity.headings == "none":
            for column in columns:
                column.blocks = [self._headless(block) for block in column.blocks]
        if capacity.apart:
            for column in columns:
                column.blocks = [
                    self._without_blank(b) if leads_nowhere(b) else b for b in column.blocks
                ]
        behind: list[Column] = []
        lists = sum(isinstance(b, Links) for column in columns for b in column.blocks)
        between = capacity.between and lists <= (capacity.columns or lists)
        if capacity.headings == "column":
            if between:
                columns = pictures_together([p for c in columns for p in one_block_each(c)])
            else:
                columns, behind = pictures_behind(columns)
                columns = [part for column in columns for part in one_block_each(column)]
        if capacity.spread:
            columns = spread_over(columns, capacity.columns or len(columns))
        elif not between and capacity.columns is not None and len(columns) > capacity.columns:
            columns = put_together(columns, capacity.columns)
            if capacity.headings == "first":
                for column in columns:
                    self._first_heading(column)
        if capacity.headings == "free":
            for column in columns:
                column.blocks = [self._without_blank(block) for block in column.blocks]
        if capacity.headings == "column":
            for column in columns:
                if isinstance(column.blocks[0], Links):
                    self._one_list(column)
        elif capacity.headings != "free":
            for column in columns:
                self._settle(column)
        headed_lists = capacity.headings in ("every", "column")
        while len(columns) < capacity.least:
            parted = one_more(columns, headed_lists=headed_lists or capacity.spread)
            if parted is None:
                break
            columns = parted
        columns += behind
        if capacity.blocks is not None:
            self._within(columns, capacity.blocks)
            columns = [column for column in columns if column.blocks]
        if not columns:
            return None
        made.panel = Panel(
            columns,
            panel.style if panel.style in capacity.styles else "columns",
            panel.full_width and capacity.full_width,
            panel.opens if panel.opens in capacity.opens else capacity.opens[-1],
            panel.tone if panel.tone in capacity.tones else None,
            before,
            after,
        )
        spanned = [
            column
            for column in columns
            if capacity.spans and (capacity.headings != "first" or headed(column))
        ]
        free = iter(shares(sum(column.span is None for column in spanned)))
        for column in columns:
            if not any(column is one for one in spanned):
                column.span = None
            elif column.span is None:
                column.span = next(free)
            if (not capacity.labels or not column.label) and made.panel.style != "tabs":
                column.label = None
            if column.label is None or "target" not in capacity.panes:
                column.target = None
            if column.label is None or "note" not in capacity.panes:
                column.note = None
        given = [column for column in columns if column.span is not None]
        total = sum(column.span or 0 for column in given)
        # Columns that were parted would stand on a second row, where they were one row before.
        second_row = total > 12 >= sum(column.span or 12 for column in panel.columns)
        if given and (capacity.shares or second_row):
            wide = rounded([(column.span or 0) * 12 / total for column in given])
            for column, share in zip(given, wide, strict=True):
                column.span = share
        for column in given:
            column.span = max(column.span or 0, capacity.narrowest)
        return made

    def _without_what_runs(self, panel: Panel) -> Piece | None:
        """Of markup that would run something its links; it still stands for what is below it."""
        blocks = [block for column in panel.columns for block in column.blocks]
        piece = blocks[0] if len(blocks) == 1 else None
        if not isinstance(piece, Piece) or not isinstance(piece.holds, Markup):
            return None
        self.made.altered[piece.number] = piece.holds
        found = zip(links_in(piece.holds.html), piece.holds.links, strict=False)
        kept = [(n, *pair) for n, pair in enumerate(found) if not cleaned(linked([pair[0]])).taken]
        links = tuple(target for _, _, target in kept)
        self.made.inner[piece.number] = [n for n, _, _ in kept]
        made = Markup(linked([link for _, link, _ in kept]), links)
        return Piece(made, piece.origin, piece.number)

    def _is_lost(self, column: Column) -> bool:
        """Whether nothing in a column can be held, or go on as links."""
        return bool(column.blocks) and not any(
            isinstance(b, Links)
            or isinstance(b.holds, self.capacity.holds)
            or (self.capacity.around and is_markup(b))
            or self.links(b)
            for b in column.blocks
        )

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
            made = self._block(held)
            if made is not None:
                if made is not held:
                    if says_less(held, made):
                        self.made.altered[block.number] = held
                    block = Piece(made, block.origin, block.number)
                blocks.append(block)
            elif self.links(block):
                # Each link has a place of its own: any of them may become a heading.
                if isinstance(held, MenuReference):
                    blocks.append(Links(self._titled(held.menu), []))
                if not blocks or not isinstance(blocks[-1], Links):
                    blocks.append(Links(None, []))
                last = blocks[-1]
                assert isinstance(last, Links)
                offered = enumerate(self.links(block))
                stand = [Linked(block.number, at, link.label) for at, link in offered]
                last.items += stand  # type: ignore[arg-type]
                self.made.links[block.number] = stand
            else:
                self.made.gone[block.number] = "panel.block"
        return blocks

    def _titled(self, menu: str) -> Item | None:
        """A heading of the title of a menu that is shown by reference."""
        title = self.titles.get(menu)
        if not title:
            return None
        return Item(f"list.{menu}", title, NOWHERE, "heading", children=[], number=self.number())

    def _has_room(self, held: Held) -> bool:
        """Whether one more picture can be held."""
        if not isinstance(held, Picture) or self.capacity.pictures is None:
            return True
        self.pictures += 1
        return self.pictures <= self.capacity.pictures

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
        empty = all(isinstance(item, Item) and self.left_out(item) for item in first.items)
        if empty and column.target is None:
            return  # a heading of nothing
        heading = Item(
            f"tab.{number}", column.label, NOWHERE, "heading", children=[], number=self.number()
        )
        first.heading = heading
        leads = heading
        if column.target is not None and not self.capacity.heading_links:
            leads = replace(heading, id=f"{heading.id}.link", role="link", number=self.number())
            first.items = [leads, *first.items]
        if column.target is not None:
            leads.target = column.target
            self.made.panes[leads.number] = number
        column.label = column.target = None
        for item in first.items:
            if isinstance(item, Item) and item.number >= 0:
                self.made.moved[item.number] = "panel.pane"

    def _block(self, held: Held) -> Held | None:
        """A block as the destination can hold it, with what it can say; None where it cannot."""
        capacity = self.capacity
        if not isinstance(held, capacity.holds):
            return None
        if (isinstance(held, Markup) and not passes(held.html)) or is_script(held):
            return None
        if not sayable(held, capacity):
            return None
        held = in_plain(held, self.clean)
        if isinstance(held, Text) and held.form == "markdown" and cleaned(held.body).taken:
            held = replace(held, body=held.body.replace("<", "&lt;"))
        if isinstance(held, Text) and held.form != capacity.text_form:
            if capacity.text_form == "markdown":
                return Text(escaped(held.body), "markdown", held.target)
            if not held.links:
                return Text(held.body, capacity.text_form, held.target)
            # A text that knows no links cannot hold them; as markup it can.
            return Markup(as_markup(held.body), held.links) if Markup in capacity.holds else None
        if not self._has_room(held):
            return None
        if isinstance(held, Picture):
            more = says_beside(held) - set(capacity.says)
            return replace(held, **dict.fromkeys(more)) if more else held
        return held

    def _items(self, items: list[Item]) -> list[Item]:
        """What can stand in a list: without dividers, and on one level, if need be."""
        found: list[Item] = []
        stack = [(item, True) for item in reversed(items)]
        while stack:
            item, first = stack.pop()
            if not first and self.left_out(item):
                continue
            if item.role == "divider" and not self.capacity.dividers:
                self.made.gone[item.number] = "panel.divider"
                stack.extend((child, False) for child in reversed(item.children))
                continue
            found.append(item)
            if not first:
                self.made.moved[item.number] = "panel.nested"
            if not self.capacity.nested and not self.left_out(item):  # else they go with it
                stack.extend((child, False) for child in reversed(item.children))
        return found

    def _under_headings(self, block: Block) -> list[Block]:
        """A list without a heading: each of its items is a heading with nothing below it."""
        if not isinstance(block, Links) or block.heading is not None:
            return [block]
        found: list[Block] = []
        beside = {id(item) for item in block.items}  # what stood nested may stand beside already
        for item in block.items:
            if isinstance(item, Item):
                self.made.roles[item.number] = "panel.heading"
            inner = item.children if isinstance(item, Item) else []
            own = [c for c in inner if id(c) not in beside and not self.left_out(c)]
            found.append(Links(item, own))
        return found

    def _without_blank(self, block: Block) -> Block:
        """A heading without a label is none where it is the title of a list: it becomes a link."""
        heading = block.heading if isinstance(block, Links) else None
        if heading is None or self.clean(heading.label) or not isinstance(block, Links):
            return block
        return self._headless(block)

    def _headless(self, block: Block) -> Block:
        """A list without its heading, which becomes its first link."""
        if not isinstance(block, Links) or block.heading is None:
            return block
        return Links(None, self._unhead(block.heading, block.items, "panel.blank"), block.key)

    def _unhead(self, heading: Item, items: list[Item], code: str) -> list[Item]:
        """A heading as a link before those that stood below it, which stand beside it now."""
        found = list(items)
        if not isinstance(heading, Item):
            found.insert(0, heading)
        elif heading.number >= 0:
            if self.made.roles.pop(heading.number, None) is None:
                self.made.unheaded[heading.number] = code
            found.insert(0, heading)
        elif heading.target is not NOWHERE:
            found.insert(0, replace(heading, role="link"))
        for item in items:
            if isinstance(item, Item) and item.number >= 0:
                self.made.moved[item.number] = code
        return found

    def _one_list(self, column: Column) -> None:
        """Join the lists of a column: further headings become links, and their links follow."""
        first, *others = column.blocks
        assert isinstance(first, Links)
        for block in others:
            assert isinstance(block, Links) and block.heading is not None
            more = self._unhead(block.heading, block.items, "panel.merged")
            if isinstance(block.heading, Item) and block.heading.number >= 0:
                self.made.moved[block.heading.number] = "panel.merged"
            first.items = [*first.items, *more]
        column.blocks = [first]

    def _first_heading(self, column: Column) -> None:
        """Only what stands first in a column is its heading; the others become links."""
        blocks: list[Block] = []
        for block in column.blocks:
            if blocks and isinstance(block, Links) and block.heading is not None:
                if block.heading.number >= 0:
                    self.made.moved[block.heading.number] = "panel.merged"
                items = self._unhead(block.heading, block.items, "panel.merged")
                block = Links(None, items, block.key)
            blocks.append(block)
        column.blocks = blocks

    def _settle(self, column: Column) -> None:
        """Join lists without a heading to the one before, as they will be read."""
        blocks: list[Block] = []
        for block in column.blocks:
            last = blocks[-1] if blocks else None
            joins = isinstance(block, Links) and block.heading is None
            if joins and self.capacity.headings in ("none", "first", "many"):
                # Behind anything but a list one without a heading stays by itself.
                before = last if isinstance(last, Links) else None
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
