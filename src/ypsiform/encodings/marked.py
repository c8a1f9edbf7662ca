"""Panels of items: a mark makes a top item a panel, and what stands below it a column.

A mark is a class word, an address, a label, or the place itself: see `MarkRule`. The label and the
target of a column are its heading, or nobody sees them: then it is only a wrapper.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import gcd

from msgspec import field
from msgspec.structs import replace

from ..model import (
    NOWHERE,
    PLAIN,
    Block,
    Column,
    Item,
    Links,
    Location,
    Panel,
    Picture,
    Piece,
    Traits,
)
from .base import Capacity, Encoding, PanelRule, only_known
from .blocks import as_item, as_picture
from .layout import headed, join, rounded, shares
from .marks import Mark, MarkRule, Seen, plain_or_same, with_class


class MarkedRule(PanelRule, tag="marked"):
    """Items below a top item are parts of its panel, each by its mark.

    These are the `panel` itself, a `column`, and in it a `heading`, a `divider`, a `spacer`, a
    `picture`. `opens`, `full-width` and `tones` are class words of the panel, or stand behind its
    word, after `joined`. The number in the word of a column is of so many as `of` says; 0: shares
    of the row. `labels`: what the column's own label and target are: its `heading`, or `hidden`
    from visitors; `shown-labels`: they see what a column is called, and not only editors do. Of a
    panel that belongs to one place `location` names that. There may be `most` columns in a panel,
    and `most-pictures`.
    """

    panel: MarkRule | None = None
    column: MarkRule | None = None
    heading: MarkRule | None = None
    divider: MarkRule | None = None
    spacer: MarkRule | None = None
    picture: MarkRule | None = None
    joined: str = ""
    of: int = 12
    labels: str = "heading"
    opens: dict[str, str] = {}
    opens_standard: str = field(name="opens-standard", default="")
    full_width: dict[str, bool] = field(name="full-width", default={})
    full_width_standard: str = field(name="full-width-standard", default="")
    tones: list[str] = []
    location: str = ""
    most: int | None = None
    most_pictures: int | None = field(name="most-pictures", default=None)
    shown_labels: bool = field(name="shown-labels", default=False)

    @property
    def shown_at(self) -> str:
        """The one location that panels open at, empty where they open at each that shows any."""
        return self.location


class Marked(Encoding):
    """The panels of one platform whose parts are items with a mark, both ways."""

    words = "items below a top item, each part known by a class word, an address or a label"
    column_heads = True

    def __init__(self, rule: MarkedRule) -> None:
        super().__init__()
        self.rule: MarkedRule = rule
        self.panel = Mark(rule.panel, rule.joined) if rule.panel is not None else None
        self.column = Mark(rule.column or MarkRule())
        self.heading = Mark(rule.heading) if rule.heading is not None else None
        self.divider = Mark(rule.divider) if rule.divider is not None else None
        self.spacer = Mark(rule.spacer) if rule.spacer is not None else None
        self.picture = Mark(rule.picture) if rule.picture is not None else None
        self.source = rule.picture.source if rule.picture is not None else "picture"
        self.hidden = rule.labels == "hidden"
        # Whether a column may have no heading, since its own record says that it is one.
        self.headless = self.column.rule.part and not self.hidden
        # Whether links stand below the heading that is theirs, and not behind it.
        self.nested = rule.heading is not None and rule.heading.inside

    @property
    def labels_seen(self) -> bool:
        """Whether visitors see what a column is called, and not only editors."""
        return self.rule.shown_labels

    @property
    def own_dividers(self) -> bool:
        """Whether an item can be marked as a divider in a panel."""
        return self.divider is not None

    # Reading

    def folds(self, menu: str, locations: Sequence[Location]) -> bool:
        """Whether a menu stands where panels of this kind are."""
        name = self.rule.location
        return not name or any(menu in place.menus for place in locations if place.name == name)

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """Items as stored, with panels where their marks say so."""
        return [self._fold(item, marks) if item.role != "divider" else item for item in items]

    def _fold(self, item: Item, marks: dict[str, str]) -> Item:
        seen = self.panel.of(item) if self.panel is not None else Seen(item, None, ())
        if seen is None or item.panel is not None:
            return item
        columns = [self.column.of(child, marks) for child in item.children]
        if self.panel is None and not any(found is not None for found in columns):
            return item
        said = self._said(seen)
        if said is None:
            return item
        top, panel = said
        numbers: list[int | None] = []
        loose = False  # whether the last column is of links that stand in none
        for child, found in zip(item.children, columns, strict=True):
            span = self._span(found)
            if found is None or span is False:
                if not loose:
                    panel.columns.append(Column([]))
                    numbers.append(None)
                loose = True
                self._append(panel.columns[-1], child)
                continue
            loose = False
            marks.pop(child.origin, None)
            panel.columns.append(self._column(item, found.item))
            numbers.append(found.number)
        self._widths(panel.columns, numbers)
        given = [number for number in numbers if number is not None]
        wide = any(column.span is not None for column in panel.columns)
        if wide and any(n * 12 % (self.rule.of or sum(given)) for n in given):
            self.uneven.append((replace(top, panel=panel), given))
        return replace(top, children=[], panel=panel)

    def _said(self, seen: Seen) -> tuple[Item, Panel] | None:
        """The top item without the words of its panel, and the panel that they describe.

        None where a word that is joined to the panel's own means nothing.
        """
        rule, item = self.rule, seen.item
        own = self.panel is not None and self.panel.joined
        words = list(seen.options) if own else list(item.traits.classes)
        facts: dict[str, object] = {}
        taken: list[str] = []
        for word in words:
            name = (
                "opens" if word in rule.opens
                else "full" if word in rule.full_width
                else "tone" if word in rule.tones
                else ""
            )  # fmt: skip
            if not name or name in facts:
                if own:
                    return None
                continue
            facts[name] = word
            taken.append(word)
        if not own:
            left = tuple(word for word in item.traits.classes if word not in taken)
            item = replace(item, traits=plain_or_same(replace(item.traits, classes=left)))
        opens = facts.get("opens", rule.opens_standard)
        full = facts.get("full", rule.full_width_standard)
        tone = facts.get("tone")
        return item, Panel(
            [],
            opens=rule.opens.get(str(opens), str(opens) or None),
            full_width=rule.full_width.get(str(full), False),
            tone=str(tone) if tone is not None else None,
        )

    def _span(self, found: Seen | None) -> bool:
        """False where the number of a column's word is none that a column can have."""
        if found is None or found.number is None:
            return found is not None
        return not self.rule.of or found.number <= self.rule.of

    def _column(self, top: Item, child: Item) -> Column:
        if self.hidden:
            beyond = child.target.kind != "none" or child.traits is not PLAIN or child.extras
            if beyond or child.hidden:
                self.unseen.append((top, child))
            column = Column([], label=child.label or None, origin=child.origin)
        elif self.headless and _blank(child):
            column = Column([], origin=child.origin)
        else:
            column = Column([Links(replace(child, role="heading", children=[]), [])])
        for inner in child.children:
            self._append(column, inner)
        return column

    def _widths(self, columns: list[Column], numbers: list[int | None]) -> None:
        """Give columns their widths in twelfths; shares of a row that are all alike say none."""
        given = [number for number in numbers if number is not None]
        whole = self.rule.of or sum(given)
        spans = [number * 12 / whole for number in given]
        if not self.rule.of and len(set(given)) == 1 and not spans[0].is_integer():
            return
        widths = iter(rounded(spans))
        for column, number in zip(columns, numbers, strict=True):
            if number is not None:
                column.span = next(widths)

    def _append(self, column: Column, child: Item) -> None:
        seen = self.picture.of(child) if self.picture is not None else Seen(child, None, ())
        seen = seen if self.rule.most_pictures != 0 else None
        piece = as_picture(seen.item, self.source) if seen is not None else None
        if piece is not None:
            column.blocks.append(piece)
            return
        for mark, keeps in ((self.divider, False), (self.spacer, True)):
            found = mark.of(child) if mark is not None else None
            if found is not None and not child.children:
                child = replace(child if keeps else found.item, role="divider")
        heading = self.heading.of(child) if self.heading is not None else None
        if heading is not None:
            made = replace(heading.item, role="heading", children=[])
            column.blocks.append(Links(made, list(heading.item.children)))
            return
        last = column.blocks[-1] if column.blocks else None
        if not isinstance(last, Links) or (self.nested and last.heading is not None):
            last = Links(None, [])
            column.blocks.append(last)
        last.items.append(child)

    # Writing

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored."""
        # The tree is rebuilt level by level, for an item is a column, a heading or a link by where
        # it stands.
        panel = item.panel
        if panel is None:
            return item
        children: list[Item] = []
        for at, (column, number) in enumerate(
            zip(panel.columns, self._numbers(panel.columns), strict=True)
        ):
            inside: list[Item] = []
            heading: Item | None = None
            for block in column.blocks:
                if isinstance(block, Piece):
                    made = as_item(item, block, self.source)
                    inside.append(self.picture.put(made) if self.picture is not None else made)
                    continue
                links = [self._stored(link) for link in block.items]
                if block.heading is not None and not self.hidden:
                    heading = block.heading
                elif block.heading is not None and self.heading is not None:
                    head = self.heading.put(replace(block.heading, role="link"))
                    inside.append(replace(head, children=links if self.nested else []))
                    if self.nested:
                        continue
                inside += links
            if self.hidden:
                wrapper = Item(f"{item.id}/{at}", column.label or "", NOWHERE, children=inside)
                children.append(self.column.put(wrapper, number))
            elif heading is None and not self.headless:
                children += inside
            else:
                made = heading or Item(f"{item.id}/{at}", "", NOWHERE, children=[])
                made = self.column.put(replace(made, role="link", children=inside), number)
                if self.headless:
                    parts[id(made)] = "column"
                children.append(made)
        made = replace(item, panel=None, children=children)
        words = self._words(panel)
        if self.panel is not None and self.panel.joined:
            return self.panel.put(made, options=words)
        for word in reversed(words):
            made = replace(made, traits=with_class(made.traits, word))
        return self.panel.put(made) if self.panel is not None else made

    def _stored(self, item: Item) -> Item:
        """A divider as an item with its mark, where it has one."""
        spaced = self.spacer is not None and item.role == "divider"
        if spaced and self.spacer is not None and self.spacer.of(replace(item, role="link")):
            return replace(item, role="link")
        if item.role == "divider" and self.divider is not None:
            return self.divider.put(replace(item, role="link"))
        return item

    def _words(self, panel: Panel) -> tuple[str, ...]:
        """The words that say how a panel opens, how wide it is, and its tone."""
        rule = self.rule
        words: list[str] = []
        if panel.opens != self._standard:
            words += [word for word, how in rule.opens.items() if how == panel.opens][:1]
        full = rule.full_width.get(rule.full_width_standard, False)
        if panel.full_width != full:
            words += [word for word, wide in rule.full_width.items() if wide != full][:1]
        return (*words, *([panel.tone] if panel.tone is not None else []))

    @property
    def _standard(self) -> str | None:
        """How a panel opens that does not say it."""
        rule = self.rule
        return rule.opens.get(rule.opens_standard, rule.opens_standard or None)

    def _numbers(self, columns: list[Column]) -> list[int]:
        """The number that each column's word says."""
        said = [column.span for column in columns if column.span is not None]
        if self.rule.of == 12 or not said:
            even = shares(len(columns)) if self.rule.of else [1] * len(columns)
            given = [c.span or n for c, n in zip(columns, even, strict=True)]
            return [max(1, n * self.rule.of // 12) if self.rule.of else n for n in given]
        if self.rule.of:
            return [max(1, round((column.span or 1) * self.rule.of / 12)) for column in columns]
        least = gcd(*said)
        return [(column.span or least) // least for column in columns]

    # What it holds

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        rule = self.rule
        headings = "first" if not self.hidden else "many" if self.heading is not None else "none"
        return Capacity(
            columns=rule.most,
            headings=headings,
            holds=(Picture,) if rule.most_pictures != 0 else (),
            opens=(*rule.opens.values(), self._standard),
            full_width=True in rule.full_width.values(),
            spans=self.column.parts is not None,
            labels=self.hidden,
            apart=self.headless,
            shares=not rule.of,
            tones=tuple(rule.tones),
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        capacity, columns = self.capacity(), panel.columns
        return (
            panel.style == "columns"
            and (bool(columns) or self.panel is not None)
            and (panel.before, panel.after) == (None, None)
            and panel.tone in (None, *capacity.tones)
            and panel.opens in capacity.opens
            and (capacity.full_width or not panel.full_width)
            and len(columns) <= (capacity.columns or len(columns))
            and all(self._fits(column) for column in columns)
            and self._said_as_it_is(columns)
            and (
                self.hidden
                or self.headless
                or all(headed(a) or headed(b) for a, b in pairwise(columns))
            )
        )

    def _said_as_it_is(self, columns: list[Column]) -> bool:
        """Whether the widths of columns are those that will be read."""
        if self.column.parts is None:
            return all(column.span is None for column in columns)
        wide = [column for column in columns if self.hidden or headed(column)]
        numbers = [
            number
            for number, column in zip(self._numbers(columns), columns, strict=True)
            if self.hidden or headed(column)
        ]
        made = [Column([]) for _ in wide]
        self._widths(made, list(numbers))
        loose = [column for column in columns if not (self.hidden or headed(column))]
        same = [column.span for column in made] == [column.span for column in wide]
        return same and all(column.span is None for column in loose)

    def _fits(self, column: Column) -> bool:
        at_heads = [at for at, b in enumerate(column.blocks) if isinstance(b, Links) and b.heading]
        pictures = any(isinstance(block, Piece) for block in column.blocks)
        if pictures and self.rule.most_pictures == 0:
            return False
        if not only_known(column) or any(self._join(*two) for two in pairwise(column.blocks)):
            return False
        if not self.hidden:
            filled = bool(column.blocks) or self.headless
            first = column.blocks[0] if at_heads == [0] else None
            blank = isinstance(first, Links) and first.heading is not None and _blank(first.heading)
            if self.headless and blank:
                return False  # it would be read as none
            return column.label is None and at_heads in ([], [0]) and filled
        return self.heading is not None or not at_heads

    def _join(self, one: Block, other: Block) -> bool:
        """Whether two blocks would be read as one list."""
        return join(one, other) and not (
            self.nested and isinstance(one, Links) and one.heading is not None
        )

    def is_picture(self, item: Item) -> bool:
        """Whether a link in a panel may be read as a picture, by its trait that is the source."""
        sources = getattr(item.traits, self.source) is not None and self.rule.most_pictures != 0
        return sources and (self.picture is None or self.picture.of(item) is not None)

    def reserved(self, word: str) -> bool:
        """Whether a class would be read as the word of a mark."""
        rule = self.rule
        marks = (self.panel, self.column, self.heading, self.divider, self.spacer, self.picture)
        words = Item("", "", NOWHERE, traits=Traits(classes=(word,)))
        bears = any(
            mark is not None and mark.rule.word and not (mark.rule.label or mark.rule.address)
            and mark.of(words) is not None
            for mark in marks
        )  # fmt: skip
        return bears or (not rule.joined and word in {*rule.opens, *rule.full_width, *rule.tones})


def _blank(heading: Item) -> bool:
    return not heading.label and heading.target.kind == "none"
