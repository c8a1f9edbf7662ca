"""Panel encodings: named strategies between items as a platform stores them and typed panels.

A strategy works on the items of one menu. `fold` is used on reading, `unfold` on writing.
"""

from __future__ import annotations

from msgspec.structs import replace

from ..model import PLAIN, Column, Item, Links, Panel, Picture, Piece, Target, Traits
from .schema import PanelRule


class Directives:
    """Panels as words among an item's style classes.

    On a top item the panel's word, with options behind colons; on its children the column's word
    with its span. What stands below a column is its links, dividers and pictures.
    """

    def __init__(self, rule: PanelRule) -> None:
        self.rule = rule

    def _panel(self, word: str) -> Panel | None:
        head, *options = word.split(":")
        rule = self.rule
        if head != rule.panel:
            return None
        opens = full = None
        for option in options:
            if option in rule.opens and opens is None:
                opens = option
            elif option in rule.full_width and full is None:
                full = option
            else:
                return None
        return Panel(
            [],
            opens=rule.opens[opens or rule.opens_standard],
            full_width=rule.full_width[full or rule.full_width_standard],
        )

    def _span(self, word: str) -> int | None:
        head, colon, width = word.partition(":")
        if head == self.rule.column and colon and width.isascii() and width.isdigit():
            return int(width) if 1 <= int(width) <= 12 and str(int(width)) == width else None
        return None

    def fold(self, items: list[Item]) -> list[Item]:
        """Items as stored, with panels where directives ask for them."""
        return [
            self._fold(item) if item.traits.classes and item.role != "divider" else item
            for item in items
        ]

    def _fold(self, item: Item) -> Item:
        panels = [(at, self._panel(word)) for at, word in enumerate(item.traits.classes)]
        at, panel = next(((n, panel) for n, panel in panels if panel is not None), (-1, None))
        if panel is None:
            return item
        for child in item.children:
            column = self._column(child)
            if column is not None:
                panel.columns.append(column)
                continue
            if not panel.columns or panel.columns[-1].span is not None:
                panel.columns.append(Column([]))
            _append(panel.columns[-1], child)
        return replace(item, children=[], panel=panel, traits=_without(item.traits, at))

    def _column(self, child: Item) -> Column | None:
        if child.role == "divider":
            return None
        for at, word in enumerate(child.traits.classes):
            span = self._span(word)
            if span is not None:
                heading = replace(
                    child, role="heading", children=[], traits=_without(child.traits, at)
                )
                column = Column([Links(heading, [])], span=span)
                for inner in child.children:
                    _append(column, inner)
                return column
        return None

    def unfold(self, item: Item) -> Item:
        """One item with a panel, as it is stored."""
        panel, rule = item.panel, self.rule
        if panel is None:
            return item
        words = [rule.panel]
        words += [w for w, v in rule.opens.items() if v == panel.opens and w != rule.opens_standard]
        words += [
            w
            for w, v in rule.full_width.items()
            if v == panel.full_width and w != rule.full_width_standard
        ]
        children: list[Item] = []
        for column in panel.columns:
            inside: list[Item] = []
            heading: Item | None = None
            for block in column.blocks:
                if isinstance(block, Piece):
                    inside.append(_as_item(item, block))
                    continue
                if block.heading is not None:
                    heading = block.heading
                inside += block.items
            if heading is None:
                children += inside
                continue
            span = column.span or 12 // len(panel.columns)
            traits = _with(heading.traits, f"{rule.column}:{span}")
            children.append(replace(heading, role="link", children=inside, traits=traits))
        traits = _with(item.traits, ":".join(words))
        return replace(item, panel=None, children=children, traits=traits)


def _append(column: Column, child: Item) -> None:
    if _is_picture(child):
        target = child.target if child.target.kind != "none" else None
        picture = Picture(child.traits.picture or "", None, child.label or None, target)
        column.blocks.append(Piece(picture, child.origin))
        return
    last = column.blocks[-1] if column.blocks else None
    if not isinstance(last, Links):
        last = Links(None, [])
        column.blocks.append(last)
    last.items.append(child)


def _is_picture(item: Item) -> bool:
    """A picture block: an item that says nothing beyond source, caption and target."""
    return (
        item.traits.picture is not None
        and item.traits == Traits(picture=item.traits.picture)
        and item.role == "link"
        and not (item.children or item.extras or item.translations or item.hidden)
        and not item.inherited
    )


def _as_item(owner: Item, piece: Piece) -> Item:
    picture = piece.holds
    assert isinstance(picture, Picture)
    return Item(
        id=f"{owner.id}/{piece.number}",
        label=picture.caption or "",
        target=picture.target or Target("none"),
        traits=Traits(picture=picture.source),
        number=piece.number,
    )


def _without(traits: Traits, at: int) -> Traits:
    classes = traits.classes[:at] + traits.classes[at + 1 :]
    made = replace(traits, classes=classes)
    return PLAIN if made == PLAIN else made


def _with(traits: Traits, word: str) -> Traits:
    return replace(traits, classes=(word, *traits.classes))


def strategy(rule: PanelRule | None) -> Directives | None:
    """The strategy that reads and writes panels as items, None where there is none."""
    if rule is not None and rule.encoding == "directives":
        return Directives(rule)
    return None
