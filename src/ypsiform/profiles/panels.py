"""Panel encodings: named strategies between items as a platform stores them and typed panels.

A strategy works on the items of one menu. `fold` is used on reading, `unfold` on writing.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING, Any, Union

from msgspec import Struct
from msgspec.structs import replace

from ..model import (
    NOWHERE,
    PLAIN,
    UNSAID,
    Block,
    Column,
    Extra,
    Generated,
    Held,
    Item,
    Links,
    Panel,
    Picture,
    Piece,
    Target,
    Text,
    Traits,
)
from .schema import BlockRule, PanelRule

if TYPE_CHECKING:
    from .bound import Bound
    from .cells import Cells
    from .counted import Counted
    from .marked import Marked
    from .sheets import Sheets


class Capacity(Struct, frozen=True):
    """What a panel can hold as an encoding writes it; what is None has no limit.

    `least`: a panel has no fewer columns; `narrowest`: no column is narrower, in twelfths.

    `headings`: `none`, `first` is one at the start of a column, `many` any number in it, `every`
    one over each list, `column` the same with one list in each column, `alone` a block of its
    own for each list, `free` any lists. `dividers`: between links. `nested`: links below links.
    `holds`: the kinds of blocks beside links. `says`: what pictures say beside their source.
    `opens`: how a panel can be said to open, the usual way last; None: nothing is said. `spans`:
    columns have widths, which with `shares` always fill the row; `labels`: columns have labels.
    `panes`: what panes say beside their labels. `apart`:
    columns without a heading stand apart from each other. `spread`: the platform spreads lists
    over columns by itself. `blocks` and `panels` are how many of them there may be in a panel and
    in a menu; `pictures`: how many of these, all behind the columns, or `between` them; `around`:
    markup stands before and after the columns; `tones`: those that a panel may have;
    `heading_links`: headings may lead somewhere; `text_form`: how texts are written, and
    `text_leads`: whether a whole text may lead somewhere. `fills`: the one rule that blocks may be
    filled by; None: any.
    """

    columns: int | None = None
    least: int = 0
    narrowest: int = 1
    headings: str = "many"
    dividers: bool = True
    nested: bool = True
    holds: tuple[type, ...] = ()
    says: tuple[str, ...] = ("caption", "target")
    opens: tuple[str | None, ...] = (None,)
    full_width: bool = False
    spans: bool = False
    labels: bool = False
    panes: tuple[str, ...] = ()
    shares: bool = False
    apart: bool = False
    spread: bool = False
    blocks: int | None = None
    pictures: int | None = None
    between: bool = False
    panels: int | None = None
    around: bool = False
    tones: tuple[str, ...] = ()
    heading_links: bool = True
    text_form: str = "plain"
    text_leads: bool = False
    fills: str | None = None
    styles: tuple[str, ...] = ("columns",)


def says_beside(picture: Picture) -> set[str]:
    """What a picture says beside its source, by the names of its facts.

    To lead nowhere says as little as to say nothing of it.
    """
    said = {name: getattr(picture, name) for name in Picture.__struct_fields__[1:]}
    said = {name: value for name, value in said.items() if value or name not in UNSAID}
    return {n for n, v in said.items() if v is not None and getattr(v, "kind", "") != "none"}


def sayable(held: Held, capacity: Capacity) -> bool:
    """Whether a text may lead where it does, and a block be filled by its rule."""
    if isinstance(held, Text):
        return held.target is None or capacity.text_leads
    return not isinstance(held, Generated) or capacity.fills in (None, held.rule)


LEADS = {"address": "target", "second-address": "second_target"}
"""The facts of a block that say where it leads, by their names in profiles."""


def said_of_pictures(rule: BlockRule | None) -> tuple[str, ...]:
    """What a block of a profile says of a picture beside its source."""
    return tuple(LEADS.get(fact, fact) for fact in rule.fields) if rule is not None else ()


class Wrapped:
    """Items that are columns, and items in them that are headings.

    A top item with columns below it is a panel; a column is never shown itself.
    """

    def __init__(self, rule: PanelRule) -> None:
        self.rule = rule

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """Items as stored, with panels where columns stand below a top item."""
        return [self._fold(item, marks) for item in items]

    def _fold(self, item: Item, marks: dict[str, str]) -> Item:
        columns = item.children
        if (
            item.role == "divider"
            or not columns
            or any(marks.get(c.origin) != "column" for c in columns)
        ):
            return item
        if not all(_says_nothing(column) for column in columns):
            return item
        inside = [inner for column in columns for inner in column.children]
        if any(marks.get(inner.origin) == "heading" and inner.children for inner in inside):
            return item
        panel = Panel([])
        for column in columns:
            del marks[column.origin]
            made = Column([], label=column.label or None, origin=column.origin)
            for inner in column.children:
                if marks.pop(inner.origin, None) == "heading":
                    made.blocks.append(Links(replace(inner, role="heading"), []))
                    continue
                last = made.blocks[-1] if made.blocks else None
                if not isinstance(last, Links):
                    last = Links(None, [])
                    made.blocks.append(last)
                last.items.append(inner)
            panel.columns.append(made)
        return replace(item, children=[], panel=panel)

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored."""
        if item.panel is None:
            return item
        columns: list[Item] = []
        for at, column in enumerate(item.panel.columns):
            inside: list[Item] = []
            for block in column.blocks:
                assert isinstance(block, Links)
                if block.heading is not None:
                    heading = replace(block.heading, role="link")
                    parts[id(heading)] = "heading"
                    inside.append(heading)
                inside += block.items
            made = Item(f"{item.id}/{at}", column.label or "", NOWHERE, children=inside)
            parts[id(made)] = "column"
            columns.append(made)
        return replace(item, panel=None, children=columns)

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(columns=self.rule.most, labels=True)

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        most = self.rule.most
        return (
            _bare(panel)
            and panel.opens is None
            and bool(panel.columns)
            and (most is None or len(panel.columns) <= most)
            and all(isinstance(block, Links) for column in panel.columns for block in column.blocks)
            and not any(_parted(column) for column in panel.columns)
        )


class Boards:
    """A top item of its own kind; the levels below it are its sections and their links.

    The platform spreads the sections over columns by itself: see `spread`.
    """

    def __init__(self, rule: PanelRule) -> None:
        self.rule = rule

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """Items as stored, with panels where a top item is a board."""
        return [self._fold(i, marks) if marks.get(i.origin) == "panel" else i for i in items]

    def _fold(self, item: Item, marks: dict[str, str]) -> Item:
        count = next((e.value for e in item.extras if e.path == self.rule.count), "1")
        if not (isinstance(count, str) and count.isdigit() and str(int(count)) == count):
            return item
        if not 1 <= int(count) <= (self.rule.most or 1):
            return item
        del marks[item.origin]
        sections = item.children
        panel = Panel([Column([]) for _ in range(int(count))], opens=item.traits.opens)
        for section, at in zip(
            sections, spread([1 + len(s.children) for s in sections], int(count)), strict=True
        ):
            heading = replace(section, role="heading", children=[])
            panel.columns[at].blocks.append(Links(heading, section.children))
        traits = replace(item.traits, opens=None)
        return replace(
            item,
            children=[],
            panel=panel,
            traits=PLAIN if traits == PLAIN else traits,
            extras=tuple(e for e in item.extras if e.path != self.rule.count),
        )

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored."""
        panel = item.panel
        if panel is None:
            return item
        traits = replace(item.traits, opens=panel.opens)
        made = replace(
            item,
            panel=None,
            children=sections_of(panel),
            traits=PLAIN if traits == PLAIN else traits,
            extras=(Extra(self.rule.count, str(len(panel.columns))), *item.extras),
        )
        parts[id(made)] = "panel"
        return made

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(
            columns=self.rule.most or 1,
            headings="every",
            dividers=False,
            nested=False,
            opens=("hover", "press", None),
            spread=True,
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is: the platform must spread it just so."""
        return (
            _bare(panel)
            and any(column.blocks for column in panel.columns)
            and not any(column.label for column in panel.columns)
            and sections_fit(panel, self.rule.most or 1)
        )


def sections_of(panel: Panel) -> list[Item]:
    """The headings of a panel as items, with what stands below each, in reading order."""
    return [
        replace(block.heading, role="link", children=block.items)
        for column in panel.columns
        for block in column.blocks
        if isinstance(block, Links) and block.heading is not None
    ]


def sections_fit(panel: Panel, most: int) -> bool:
    """Whether a panel holds nothing but lists below headings, in the columns of `spread`."""
    blocks = [(at, b) for at, column in enumerate(panel.columns) for b in column.blocks]
    sections = [b for _, b in blocks if isinstance(b, Links) and b.heading is not None]
    count = len(panel.columns)
    return (
        1 <= count <= most
        and len(sections) == len(blocks)
        and not any(getattr(i, "role", "") == "divider" for b in sections for i in b.items)
        and spread([1 + len(b.items) for b in sections], count) == [at for at, _ in blocks]
    )


def shares(count: int) -> list[int]:
    """Widths of so many columns in twelfths that add up to twelve, the wider ones first."""
    if count > 12:
        return [1] * count
    each, over = divmod(12, max(count, 1))
    return [each + (at < over) for at in range(count)]


def rounded(spans: Sequence[float]) -> list[int]:
    """Widths as whole numbers of the same sum, none below 1, the largest remainders rounded up."""
    found = [int(span) for span in spans]
    left = round(sum(spans)) - sum(found)
    order = sorted(range(len(spans)), key=lambda at: (found[at] - spans[at], at))
    for at in order[:left]:
        found[at] += 1
    return [max(1, span) for span in found]


def spread(heights: list[int], count: int) -> list[int]:
    """For each section its column: in order, none split, the tallest column as low as can be.

    Ties go to the left: each column takes as many sections as the least possible height admits.
    """
    low, high = max(heights, default=0), sum(heights)
    while low < high:
        middle = (low + high) // 2
        if _columns_of(heights, middle)[-1] < count:
            high = middle
        else:
            low = middle + 1
    return _columns_of(heights, low) if heights else []


def _columns_of(heights: list[int], tallest: int) -> list[int]:
    """The column of each section where every column takes all that it can, up to a height."""
    found: list[int] = []
    column, height = 0, 0
    for own in heights:
        if height and height + own > tallest:
            column, height = column + 1, 0
        height += own
        found.append(column)
    return found or [0]


class Beside:
    """What encodings share whose panels are not items: those are read and written elsewhere."""

    rule: PanelRule

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """The items as they are."""
        return items

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """The item as it is."""
        return item

    def inside(self, extra: Extra) -> bool:
        """Whether unread data of an item stands in the record of its panel."""
        return extra.path.startswith(f"{self.rule.at}/")

    def further(self, record: dict[str, Any], known: Collection[str]) -> tuple[Extra, ...]:
        """What a record of a panel says beside what is known, as unread data of its item."""
        return tuple(
            Extra(f"{self.rule.at}/{key}", value)
            for key, value in record.items()
            if key not in known
        )

    def said_further(self, item: Item) -> dict[str, Any]:
        """That data, as the keys of a record."""
        start = f"{self.rule.at}/"
        return {
            extra.path.removeprefix(start): extra.value
            for extra in item.extras
            if extra.path.startswith(start)
        }

    def bare(self, item: Item) -> Item:
        """An item without the unread data that stands in the record of its panel."""
        left = tuple(extra for extra in item.extras if not self.inside(extra))
        return item if len(left) == len(item.extras) else replace(item, extras=left)


def unframed(panel: Panel) -> bool:
    """Whether a panel says nothing of its width, its tone, and of markup around its columns."""
    return not panel.full_width and (panel.before, panel.after, panel.tone) == (None, None, None)


def _bare(panel: Panel) -> bool:
    """Whether a panel says nothing but its columns and how it opens."""
    spans = any(column.span is not None for column in panel.columns)
    return panel.style == "columns" and not spans and unframed(panel)


def only_known(column: Column) -> bool:
    """Whether a column holds nothing but links, and pictures that an item can say."""
    held = [block.holds for block in column.blocks if isinstance(block, Piece)]
    says = set(Capacity().says)
    return all(isinstance(h, Picture) and says_beside(h) <= says for h in held)


def headed(column: Column) -> bool:
    """Whether a column has a heading."""
    return any(isinstance(b, Links) and b.heading is not None for b in column.blocks)


def join(one: Block, other: Block) -> bool:
    """Whether two blocks would be read as one list."""
    return isinstance(one, Links) and isinstance(other, Links) and other.heading is None


def _parted(column: Column) -> bool:
    """Whether a column has links without a heading behind other links, which would join them."""
    return any(isinstance(b, Links) and b.heading is None for b in column.blocks[1:])


def _says_nothing(item: Item) -> bool:
    """Whether an item has a label and children and no other facts."""
    return (
        item.target.kind == "none"
        and item.traits is PLAIN
        and item.role == "link"
        and not (item.extras or item.translations or item.hidden or item.inherited)
    )


def as_picture(item: Item, source: str) -> Piece | None:
    """The picture that an item is: one that says nothing beyond its source, caption and target.

    `source`: the trait that says where the picture is.
    """
    where = getattr(item.traits, source)
    said = replace(item.traits, **{source: None})
    if where is None or said != PLAIN or item.role != "link" or item.inherited:
        return None
    if item.children or item.extras or item.translations or item.hidden:
        return None
    target = item.target if item.target.kind != "none" else None
    return Piece(Picture(where, None, item.label or None, target), item.origin)


def as_item(owner: Item, piece: Piece, source: str) -> Item:
    """A picture as an item below another one."""
    picture = piece.holds
    assert isinstance(picture, Picture)
    return Item(
        id=f"{owner.id}/{piece.number}",
        label=picture.caption or "",
        target=picture.target or Target("none"),
        traits=replace(Traits(), **{source: picture.source}),
        number=piece.number,
    )


def with_class(traits: Traits, word: str) -> Traits:
    """Traits with one more class word, the first."""
    return replace(traits, classes=(word, *traits.classes))


Strategy = Union["Marked", Wrapped, Boards, "Cells", "Bound", "Sheets", "Counted"]
_STRATEGIES: dict[str, type[Wrapped] | type[Boards]] = {
    "wrapped": Wrapped,
    "boards": Boards,
}
ENCODINGS = ("marked", *_STRATEGIES, "cells", "bound", "sequence", "counted")
"""The names of the encodings of panels that a profile may name."""

BESIDE = ("bound", "sequence", "counted")
"""Those whose panels are records beside the menus."""


def strategy(rule: PanelRule | None) -> Strategy | None:
    """The strategy that reads and writes panels as items, None where there is none."""
    if rule is None:
        return None
    if rule.encoding == "marked":
        from .marked import Marked

        return Marked(rule)
    if rule.encoding == "cells":
        from .cells import Cells

        return Cells(rule)
    if rule.encoding == "bound":
        from .bound import Bound

        return Bound(rule)
    if rule.encoding == "counted":
        from .counted import Counted

        return Counted(rule)
    if rule.encoding == "sequence":
        from .sheets import Sheets

        return Sheets(rule)
    made = _STRATEGIES.get(rule.encoding)
    return made(rule) if made is not None else None
