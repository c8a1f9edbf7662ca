"""Panels of pages: so many columns, filled with what stands below the page, or markup instead.

A record names the page that its panel opens below. The platform spreads the page's sections over
the columns by itself; markup may stand before and after them.
"""

from __future__ import annotations

from collections import Counter
from typing import Any

from msgspec import field
from msgspec.structs import replace

from ..markup import cleaned, links_in
from ..model import Column, Extra, Item, Links, Markup, Panel, Piece
from ..values import as_number
from .base import BesideRule, Capacity, Found, Number, Recorded
from .layout import sections_fit, spread


class CountedRule(BesideRule, tag="counted"):
    """Records at `at`, each names at `key` a page at the top of the menu at `location`.

    They say at `columns` how many columns what stands below it is spread over, of `most-columns`;
    markup `before` and `after` them, or a `body` instead of all, and a `tone`, one of `tones`. With
    `pieces` the markup stands in a list of records: at `html`, and at `side` one of these three
    words.
    """

    needs = ("at", "location", "key", "columns")
    needs_pages = True

    key: str = ""
    columns: str = ""
    most_columns: int | None = field(name="most-columns", default=None)
    before: str = ""
    after: str = ""
    body: str = ""
    pieces: str = ""
    side: str = ""
    html: str = ""
    tone: str = ""
    tones: list[str] = []


class Counted(Recorded):
    """The panels of pages of one platform, both ways."""

    words = "records that name a page, and over how many columns the pages below it go"
    beside = True
    of_pages = True

    def __init__(self, rule: CountedRule) -> None:
        super().__init__()
        self.rule: CountedRule = rule
        self.at = rule.at

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(
            columns=self.rule.most_columns or 1,
            headings="every",
            dividers=False,
            nested=False,
            spread=True,
            around=bool(self.rule.before),
            tones=tuple(self.rule.tones),
            styles=("columns", "freehand") if self.rule.body else ("columns",),
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is: the platform must spread it just so."""
        plain = panel.opens is None and not panel.full_width
        plain = plain and all(c.span is None and c.label is None for c in panel.columns)
        if not plain or panel.tone not in (None, *self.rule.tones):
            return False
        around = [piece for piece in (panel.before, panel.after) if piece is not None]
        if any(not _passes(piece) for piece in around):
            return False
        if panel.style == "freehand":
            blocks = [block for column in panel.columns for block in column.blocks]
            alone = len(blocks) == len(panel.columns) == 1 and not around
            return alone and bool(self.rule.body) and _passes(blocks[0])
        return panel.style == "columns" and sections_fit(panel, self.rule.most_columns or 1)

    # Reading

    def menus_read(self, found: Found) -> None:
        """Only those records that were not read with their pages stay unread."""
        held = found.records(self.rule.at)
        if held is not None and self.folded:
            at, records = held
            left = [one for n, one in enumerate(records) if n not in self.folded]
            again = found.extras[at].again
            found.extras[at : at + 1] = [Extra(self.rule.at, left, again)] if left else []

    def page_records(self, records: list[Any], first: int) -> dict[str, int]:
        """The records that are read as panels, by their page: those that say how as others do.

        The records before `first` stay as they are.
        """
        rule = self.rule
        pages = Counter(str(r.get(rule.key)) for r in records if isinstance(r, dict))
        found: dict[str, int] = {}
        for at, record in enumerate(records):
            if at >= first and isinstance(record, dict) and self._known(record):
                page = str(record[rule.key])
                if pages[page] == 1:
                    found[page] = at
        return found

    def _known(self, record: dict[str, Any]) -> bool:
        rule = self.rule
        said = self._markup(record)
        if said is None:
            return False
        texts = [said.get(key, ("", None))[1] for key in (rule.before, rule.after, rule.body)]
        count, tone = record.get(rule.columns), record.get(rule.tone)
        counted = type(count) is int and 1 <= count <= (rule.most_columns or 1)
        return (
            _is_page(record.get(rule.key))
            and all(isinstance(text, str | None) for text in texts)
            and (tone is None or (type(tone) is int and str(tone) in rule.tones))
            and (counted if texts[2] is None else texts[:2] == [None, None] and counted)
        )

    def _markup(self, record: dict[str, Any]) -> dict[str, tuple[str, Any]] | None:
        """By its side the place in a record of markup, and the markup; None where it says more."""
        rule = self.rule
        sides = [side for side in (rule.before, rule.after, rule.body) if side]
        if not rule.pieces:
            return {side: (side, record.get(side)) for side in sides}
        pieces = record.get(rule.pieces)
        found: dict[str, tuple[str, Any]] = {}
        for at, piece in enumerate(
            pieces if isinstance(pieces, list) else [pieces] if pieces else []
        ):
            known = isinstance(piece, dict) and set(piece) == {rule.side, rule.html}
            if not known or piece[rule.side] not in sides or piece[rule.side] in found:
                return None
            found[piece[rule.side]] = (f"{rule.pieces}/{at}", piece[rule.html])
        return found

    @property
    def keys(self) -> set[str]:
        """The keys of a record that are read."""
        rule = self.rule
        markup = {rule.pieces} if rule.pieces else {rule.before, rule.after, rule.body}
        return {rule.key, rule.columns, rule.tone, *markup} - {""}

    def freehand(self, record: Any) -> bool:
        """Whether markup stands instead of everything below a page."""
        said = self._markup(record) or {}
        return said.get(self.rule.body, ("", None))[1] is not None

    def page_read(self, record: dict[str, Any], item: Item, place: str) -> None:
        """Give an item its panel."""
        rule = self.rule

        said = self._markup(record) or {}

        def piece(side: str) -> Piece | None:
            where, text = said.get(side, ("", None))
            if not isinstance(text, str):
                return None
            links = tuple(self.address(address) for _, address in links_in(text))
            return Piece(Markup(text, links), f"{place}/{where}")

        tone = record.get(rule.tone)
        panel = Panel([], tone=str(tone) if tone is not None else None)
        body = piece(rule.body)
        if body is not None:
            panel.style, panel.columns = "freehand", [Column([body])]
        else:
            panel.before, panel.after = piece(rule.before), piece(rule.after)
            count = record[rule.columns]
            panel.columns = [Column([]) for _ in range(count)]
            heights = [1 + len(section.children) for section in item.children]
            for section, at in zip(item.children, spread(heights, count), strict=True):
                heading = replace(section, role="heading", children=[])
                panel.columns[at].blocks.append(Links(heading, section.children))
        item.panel, item.children = panel, []
        item.extras += self.further(record, self.keys)

    # Writing

    def page_written(self, page: Any, item: Item, number: Number, place: str) -> dict[str, Any]:
        """The record of the panel of a page's item. `number` is told where each block went."""
        rule, panel = self.rule, item.panel
        assert panel is not None
        made: dict[str, Any] = {rule.key: page, rule.columns: len(panel.columns)}
        blocks = {rule.before: panel.before, rule.after: panel.after}
        if panel.style == "freehand":
            block = panel.columns[0].blocks[0]
            blocks[rule.body] = block if isinstance(block, Piece) else None
        pieces: list[dict[str, str]] = []
        for side in (rule.before, rule.after, rule.body):
            piece = blocks.get(side)
            if not side:
                continue
            html = None
            if piece is not None and isinstance(piece.holds, Markup):
                html = piece.holds.html
                number(
                    piece.number,
                    f"{place}/{f'{rule.pieces}/{len(pieces)}' if rule.pieces else side}",
                )
                pieces.append({rule.side: side, rule.html: html})
            if not rule.pieces:
                made[side] = html
        if rule.pieces:
            made[rule.pieces] = pieces
        if panel.tone is not None:
            made[rule.tone] = as_number(panel.tone)
        return self.put_further(item, made)


def _is_page(held: Any) -> bool:
    """Whether a value is the id of a page as it is written: a number where it is one."""
    return type(held) is int or (type(held) is str and as_number(held) == held)


def _passes(block: Links | Piece) -> bool:
    """Whether a block is markup that runs nothing."""
    held = block.holds if isinstance(block, Piece) else None
    return isinstance(held, Markup) and not cleaned(held.html).taken
