"""The places of a site as its theme shows them: items within the levels, panels with columns.

Everything comes from a site as it was read, or read back: never from what the converter believes.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping

from msgspec import Struct

from ..bars import across
from ..markup import text_of
from ..model import (
    Block,
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
    Rows,
    Site,
    Target,
    Text,
)
from ..profiles.places import places_of
from ..profiles.schema import Profile, RowRule
from ..visibility import Seen, held_by_panels, within


class Line(Struct):
    """One thing that visitors see: a link, a heading, a divider or a block of a panel.

    `row` is that of the site. `who` are pairs of people and devices, as in `Seen`. `leads` is the
    address in words, empty where it leads nowhere. `notes` say what stands beside the label: a
    badge, an icon. `changes` are words for what is not as it was on the other side, `numbers` those
    of the findings that say so.
    """

    row: int
    kind: str
    label: str
    leads: str = ""
    who: Seen = ()
    notes: tuple[str, ...] = ()
    labels: tuple[tuple[str, str], ...] = ()
    changes: tuple[str, ...] = ()
    numbers: tuple[int, ...] = ()
    below: list[Line] = []
    panel: Opened | None = None


class Stack(Struct):
    """A column of a panel: its width in twelfths, or None where all are alike, and its label."""

    lines: list[Line]
    span: int | None = None
    label: str | None = None


class Opened(Struct):
    """A panel: how it opens, whether it is as wide as the page, and its columns or panes.

    `needs` are the pixels that its columns need side by side; 0 where it has panes, or one column.
    """

    stacks: list[Stack]
    how: str = ""
    wide: bool = False
    tabs: bool = False
    needs: int = 0


class Place(Struct):
    """A location of a theme with what it shows."""

    name: str
    caption: str
    purpose: str
    audience: tuple[str, ...]
    devices: tuple[str, ...]
    row: RowRule | None
    lines: list[Line]


class Changed(Struct):
    """What is said beside a row: words for what changed, and the numbers of findings."""

    words: tuple[str, ...] = ()
    numbers: tuple[int, ...] = ()


OPENS = {"hover": "when it is pointed at", "press": "when it is pressed"}
"""How what is below an item opens, in words."""

DEEPEST = 40
"""Levels below each other that are shown; how much stands further down is said there."""

Change = Callable[[int], Changed]
"""For a row what is not as it was."""


def paths_of(site: Site) -> dict[tuple[str, str], str | None]:
    """The addresses of the contents of a site, by their kind and id."""
    return {(content.kind, content.id): content.path for content in site.contents}


def shown_at(
    site: Site,
    rows: Rows,
    seen: list[Seen],
    profile: Profile,
    change: Change,
    paths: dict[tuple[str, str], str | None],
    only: Container[int] | None = None,
) -> list[Place]:
    """The places of a site, in the order of its theme, with what visitors see at each.

    `paths` are those of `paths_of`, which whoever compares two sides has already. Of these rows
    `only`, where they are given: places and columns without any of them are left out.
    """
    view = _View(site, rows, seen, profile, change, paths, only)
    places = [view.place(number) for number in range(len(site.locations))]
    return places if only is None else [place for place in places if place.lines]


MOST_WORDS = 60
"""Characters of a text in a panel that are shown: enough to know it again."""


LONGEST_MARKUP = 4000
"""Characters of markup that are looked at for them."""


def in_short(held: Held) -> str:
    """A block of a panel in a few words, as somebody would call it who sees it."""
    if isinstance(held, Picture):
        name = held.source.rstrip("/").rpartition("/")[2]
        return held.caption or held.title or held.alt or _shortened(name)
    if isinstance(held, Text | Markup):
        words = held.body if isinstance(held, Text) else text_of(held.html[:LONGEST_MARKUP])
        kind = "text" if isinstance(held, Text) else "markup"
        said = _shortened(words)
        return f"{kind} “{said}”" if said else kind
    if isinstance(held, Products):
        many = len(held.contents)
        return "product card" if many == 1 else f"{many:,} product cards"
    if isinstance(held, Generated):
        return f"list that fills itself: the {held.count} {held.rule} of {held.of}"
    if isinstance(held, Form):
        return f"form: {_shortened(', '.join(held.fields))}"
    if isinstance(held, MenuReference):
        return f"menu {held.menu}"
    return f"widget {held.name}"


def _shortened(words: str) -> str:
    line = " ".join(words[: 4 * MOST_WORDS].split())
    return line if len(line) <= MOST_WORDS else line[: MOST_WORDS - 1].rstrip() + "…"


def width_of(stack: Stack, columns: int) -> int:
    """The twelfths of a panel of so many columns that one takes: its own, or as all do."""
    return min(stack.span or max(12 // max(columns, 1), 2), 12)


def _rows(stacks: list[Stack]) -> list[list[Stack]]:
    """The columns of a panel by the rows on which they stand, by their widths in twelfths."""
    rows: list[list[Stack]] = []
    room = 0
    for stack in stacks:
        width = width_of(stack, len(stacks))
        if width > room:
            rows.append([])
            room = 12
        room -= width
        rows[-1].append(stack)
    return rows


def _labels(stack: Stack) -> list[str]:
    """What is read in a column, on all levels, each as it is before a line breaks."""
    found, left = [stack.label or ""], list(stack.lines)
    while left:
        line = left.pop()
        found.append(" ".join(line.label[: 4 * MOST_WORDS].split()))
        left += line.below
    return found


class _View:
    def __init__(
        self,
        site: Site,
        rows: Rows,
        seen: list[Seen],
        profile: Profile,
        change: Change,
        paths: dict[tuple[str, str], str | None],
        only: Container[int] | None,
    ) -> None:
        self.site, self.rows, self.seen, self.profile = site, rows, seen, profile
        self.change, self.paths, self.only = change, paths, only
        self.row_of = {id(thing): row for row, thing in enumerate(rows.things)}
        self.held = held_by_panels(rows)
        self.own_room = profile.own_room(site.theme)
        self.menus = {menu.id: menu for menu in site.menus}
        theme = profile.theme(site.theme)
        self.rules: Mapping[str, RowRule | None] = {
            rule.name: rule.row for rule in places_of(profile, theme)
        }

    def place(self, number: int) -> Place:
        location = self.site.locations[number]
        only = self.only

        def fits(row: int) -> bool:
            depth, held = self.rows.depth[row], row in self.held
            at = within(location, depth, held=held, own_room=self.own_room)
            return at and bool(self.seen[row]) and (only is None or row in only)

        lines = [
            line
            for ident in location.menus
            if ident in self.menus
            for line in self._lines(self.menus[ident].items, fits, panels=location.panels)
        ]
        return Place(
            name=location.name,
            caption=location.caption or location.name,
            purpose=location.purpose,
            audience=location.audience,
            devices=location.devices,
            row=self.rules.get(location.name),
            lines=lines,
        )

    def _lines(self, items: list[Item], fits: Callable[[int], bool], *, panels: bool) -> list[Line]:
        found: list[Line] = []
        for item in items:
            row = self.row_of[id(item)]
            if not fits(row):
                continue
            if self.rows.depth[row] > DEEPEST:
                more = 1 + len(self.rows.below(row))
                found.append(Line(row, "block", f"{more:,} more, further down", who=self.seen[row]))
                continue
            line = self._line(item, row)
            if item.panel is not None:
                opened = self._panel(item.panel, fits)
                if not panels:
                    line.below = [one for stack in opened.stacks for one in stack.lines]
                elif opened.stacks or self.only is None:
                    line.panel = opened
            else:
                line.below = self._lines(item.children, fits, panels=panels)
            found.append(line)
        return found

    def _line(self, thing: Item | Piece, row: int) -> Line:
        changed = self.change(row)
        if isinstance(thing, Piece):
            words = in_short(thing.holds)
            kind = "picture" if isinstance(thing.holds, Picture) else "block"
            leads = ""
            if isinstance(thing.holds, Picture) and thing.holds.target is not None:
                leads = self._leads(thing.holds.target)
            said_of = (changed.words, changed.numbers)
            return Line(row, kind, words, leads, self.seen[row], (), (), *said_of)
        traits = thing.traits
        notes = []
        if traits.badge is not None and traits.badge.text:
            notes.append(traits.badge.text)
        if traits.icon:
            notes.append(f"icon {traits.icon}")
        if traits.window == "new":
            notes.append("new window")
        if traits.picture:
            notes.append("picture")
        if traits.opens in OPENS and thing.children and thing.panel is None:
            notes.append(f"opens {OPENS[traits.opens]}")
        return Line(
            row,
            "divider" if thing.role == "divider" else thing.role,
            thing.label,
            self._leads(thing.target),
            self.seen[row],
            tuple(notes),
            thing.translations,
            changed.words,
            changed.numbers,
        )

    def _leads(self, target: Target) -> str:
        path = self.paths.get((target.kind, target.content or ""))
        where = target.address or path or target.key
        if target.kind == "none":
            return ""
        return where or {"home": "/", "search": "the search"}.get(target.kind, target.kind)

    def _panel(self, panel: Panel, fits: Callable[[int], bool]) -> Opened:
        stacks = [
            Stack(self._blocks(column.blocks, fits), column.span, column.label)
            for column in panel.columns
        ]
        around = [p for p in (panel.before, panel.after) if p is not None]
        for piece in around:
            lines = self._blocks([piece], fits)
            stack = Stack(lines, 12)
            stacks.insert(0, stack) if piece is panel.before else stacks.append(stack)
        shown = [
            stack
            for stack in stacks
            if stack.lines or (stack.label is not None and self.only is None)
        ]
        tabs = panel.style == "tabs"
        rows = [] if tabs else [row for row in _rows(shown) if len(row) > 1]
        needs = max((across([_labels(stack) for stack in row]) for row in rows), default=0)
        return Opened(shown, panel.opens or "", panel.full_width, tabs, int(round(needs, -1)))

    def _blocks(self, blocks: list[Block], fits: Callable[[int], bool]) -> list[Line]:
        found: list[Line] = []
        for block in blocks:
            if isinstance(block, Piece):
                row = self.row_of.get(id(block), -1)
                if row >= 0 and fits(row):
                    found.append(self._line(block, row))
                continue
            found += self._list(block, fits)
        return found

    def _list(self, block: Links, fits: Callable[[int], bool]) -> list[Line]:
        lines = self._lines(block.items, fits, panels=False)
        heading = block.heading
        if heading is None:
            return lines
        row = self.row_of[id(heading)]
        if not fits(row):
            return lines
        line = self._line(heading, row)
        line.kind = "heading"
        return [line, *lines]
