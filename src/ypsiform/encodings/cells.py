"""Panels that stand in the record of their item: a grid of typed cells, or tabs of them.

Each cell is a column of one block. What a cell says that no rule reads hangs on the item, with the
path to it, and is written back at the same place.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import field

from ..containers.json import kind_of
from ..errors import FormatError
from ..markup import Link, cleaned, links_in, links_in_text
from ..model import (
    Block,
    Column,
    Extra,
    Generated,
    Held,
    Item,
    Links,
    Markup,
    Panel,
    Picture,
    Piece,
    Text,
)
from .base import (
    Capacity,
    Make,
    Number,
    PanelRule,
    Recorded,
    Write,
    place_in,
    put_in,
    sayable,
)
from .blocks import HELD, LEADS, BlockRule, said_of_pictures, says_beside
from .layout import unframed


class CellsRule(PanelRule, tag="cells"):
    """The record of an item holds at `at` what opens below it.

    That has a `style` (by the words in `styles`), says how it opens (at `opens-at`), and has either
    `cells`, or `tabs` with a `label` and cells each; a cell has a `width` in twelfths and a `type`,
    one of `blocks`. A tab may say where it leads at `address`, a line below its label at `note`,
    and its own id at `id`; a cell that holds true at `off` is switched off. There may be `most`
    columns in a panel.
    """

    needs_links = True
    in_records = True
    own_room = True
    head_records = True

    at: str = ""
    style: str = ""
    styles: dict[str, str] = {}
    opens_at: str = field(name="opens-at", default="")
    opens: dict[str, str] = {}
    cells: str = ""
    tabs: str = ""
    label: str = ""
    address: str = ""
    note: str = ""
    id: str = ""
    off: str = ""
    width: str = ""
    type: str = ""
    blocks: list[BlockRule] = []
    most: int | None = None

    @property
    def off_at(self) -> str:
        """The key by which parts of a panel say that they are switched off; empty without one."""
        return self.off

    @property
    def named_styles(self) -> Mapping[str, str]:
        """The words by which a panel says what style it has, with the style of each."""
        return self.styles

    @property
    def typed(self) -> Sequence[BlockRule]:
        """The types of blocks that a profile names."""
        return self.blocks


class Cells(Recorded):
    """The cells of one platform, both ways."""

    words = "typed cells in a grid of twelve columns, or in tabs"
    in_item = True
    shows_menus = True
    empty_lists = "always"

    def __init__(self, rule: CellsRule) -> None:
        super().__init__()
        self.rule: CellsRule = rule
        self.at = rule.at
        self.by_type = {block.type: block for block in rule.blocks}
        self.by_kind = {block.holds: block for block in rule.blocks}

    @property
    def pane_ids(self) -> bool:
        """Whether panes have ids."""
        return bool(self.rule.id)

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        holds = tuple(HELD[kind] for kind in self.by_kind if kind != "links")
        picture, text = self.by_kind.get("picture"), self.by_kind.get("text")
        filled = self.by_kind.get("generated")
        return Capacity(
            columns=self.rule.most,
            headings="alone",
            dividers=False,
            nested=False,
            holds=holds,
            says=said_of_pictures(picture),
            text_leads=text is not None and "address" in text.fields,
            fills=filled.type if filled is not None and "rule" not in filled.fields else None,
            opens=(*self.rule.opens.values(), None),
            spans=bool(self.rule.width),
            panes=tuple(n for n, key in self._of_tabs.items() if key and n != "id"),
            styles=tuple(self.rule.styles.values()),
        )

    @property
    def _of_tabs(self) -> dict[str, str]:
        """What a tab says beside its label, by the names of its facts; and where."""
        rule = self.rule
        return {"target": rule.address, "note": rule.note, "id": rule.id}

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        # One condition for each thing that a grid of cells has no place for.
        capacity = self.capacity()
        tabs = panel.style == "tabs"
        return (
            panel.style in capacity.styles
            and panel.opens in capacity.opens
            and unframed(panel)
            and all(len(c.blocks) == 1 or (c.label and not c.blocks) for c in panel.columns)
            and all(bool(c.span) == bool(c.blocks and self.rule.width) for c in panel.columns)
            and all((column.label is None) or tabs for column in panel.columns)
            and (not tabs or not panel.columns or panel.columns[0].label is not None)
            and all(_sayable(column, capacity) for column in panel.columns)
            and all(_holds(block, capacity) for column in panel.columns for block in column.blocks)
        )

    # Reading

    def item_read(self, node: Any, item: Item, place: str, make: Make) -> None:
        """Give an item the panel in its record, if there is one that these rules describe."""
        # What is no panel by these rules stays unread, whole: half a panel would be written back as
        # less.
        rule = self.rule
        held = node.get(rule.at) if isinstance(node, dict) else None
        style = rule.styles.get(str(held.get(rule.style))) if isinstance(held, dict) else None
        if style is None or not isinstance(held, dict):
            return
        extras = [e for e in item.extras if e.path != rule.at and not self.inside(e)]
        start = f"{rule.at}/"
        tabs = style == "tabs"
        known = {rule.style, rule.opens_at, rule.tabs if tabs else rule.cells}
        extras += [Extra(start + key, value) for key, value in held.items() if key not in known]
        opens = held.get(rule.opens_at)
        panel = Panel([], style, opens=rule.opens.get(opens) if isinstance(opens, str) else None)
        if opens is not None and panel.opens is None:
            extras.append(Extra(start + rule.opens_at, opens))
        reading = _Reading(self, item, make, extras)
        if not tabs:
            panel.columns = reading.cells(held.get(rule.cells), start + rule.cells, place)
        for at, tab in enumerate(_list(held.get(rule.tabs), place) if tabs else ()):
            path = f"{start}{rule.tabs}/{at}"
            if not isinstance(tab, dict):
                raise FormatError(
                    f"found {kind_of(tab)} where a mapping is needed", place=f"{place}/{path}"
                )
            label = reading.words(tab.get(rule.label), f"{path}/{rule.label}") or ""
            named = {name: key for name, key in self._of_tabs.items() if key and key in tab}
            reading.unread(tab, {rule.label, rule.cells, *named.values()}, path)
            columns = reading.cells(tab.get(rule.cells), f"{path}/{rule.cells}", place)
            columns = columns or [Column([])]
            columns[0].label = label
            for name, key in named.items():
                reading.say(columns[0], name, tab[key], f"{path}/{key}")
            panel.columns += columns
        item.panel = panel
        item.extras = tuple(extras)

    # Writing

    def item_written(self, item: Item, write: Write, number: Number, place: str) -> dict[str, Any]:
        """The mapping that says a panel. `number` is told where each item and block went."""
        rule, panel = self.rule, item.panel
        assert panel is not None
        style = next(word for word, name in rule.styles.items() if name == panel.style)
        made: dict[str, Any] = {rule.style: style}
        opens = next((w for w, name in rule.opens.items() if name == panel.opens), None)
        if panel.opens is not None and opens is not None:
            made[rule.opens_at] = opens
        cells: list[Any] = []
        start = f"{place}/{rule.at}"
        if panel.style == "tabs":
            tabs: list[Any] = []
            made[rule.tabs] = tabs
        else:
            made[rule.cells] = cells
            start += f"/{rule.cells}"
        inside = start
        unread: dict[str, list[int]] = {}
        for extra in item.extras:
            head, _, last = f"{place}/{extra.path}".rpartition("/")
            if self.inside(extra) and last.isdigit():
                unread.setdefault(head, []).append(int(last))
        widths = [column.span for column in panel.columns]
        for column, width in zip(panel.columns, widths, strict=True):
            if panel.style == "tabs" and column.label is not None:
                inside = f"{start}/{rule.tabs}/{len(tabs)}/{rule.cells}"
                cells = []
                tabs.append({**self._tab(column), rule.cells: cells})
            for block in column.blocks:
                at = len(cells)
                # Cells that no rule reads stand among these again, each at its place.
                for taken in sorted(unread.get(inside, ())):
                    at += taken <= at
                here = f"{inside}/{at}"
                cell: dict[str, Any] = {}
                if width is not None:
                    cell[rule.width] = width
                cell.update(self._cell(block, write, number, here))
                cells.append(cell)
        for extra in sorted(item.extras, key=place_in):
            if self.inside(extra):
                put_in(made, extra.path.split("/")[1:], extra.value)
        return made

    def _tab(self, column: Column) -> dict[str, Any]:
        """What a tab says beside its cells."""
        rule = self.rule
        made: dict[str, Any] = {rule.id: column.id} if rule.id and column.id else {}
        made[rule.label] = {self.language: column.label}
        if rule.address and column.target is not None:
            made[rule.address] = column.target.address
        if rule.note and column.note is not None:
            made[rule.note] = {self.language: column.note}
        return made

    def _cell(
        self,
        block: Block,
        write: Write,
        number: Number,
        here: str,
    ) -> dict[str, Any]:
        kind = self.rule.type
        if isinstance(block, Links):
            rule = self.by_kind["links"]
            cell: dict[str, Any] = {kind: rule.type}
            if block.heading is not None:
                number(block.heading.number, f"{here}/{rule.heading}")
                cell[rule.heading] = write(block.heading, False)
            records = []
            for at, item in enumerate(block.items):
                number(item.number, f"{here}/{rule.items}/{at}")
                records.append(write(item, True))
            cell[rule.items] = records
            return cell
        name = next(name for name, type_ in HELD.items() if isinstance(block.holds, type_))
        rule = self.by_kind[name]
        cell = {kind: rule.type}
        number(block.number, here)
        for fact, key in rule.fields.items():
            if fact in LEADS:
                target = getattr(block.holds, LEADS[fact], None)
                value: Any = target.address if target is not None else None
            else:
                value = getattr(block.holds, fact)
            if fact == "settings":
                value = dict(value) or None
            elif isinstance(value, tuple):
                value = list(value)
            if value is not None:
                cell[key] = {self.language: value} if fact in rule.worded else value
        return cell


def _sayable(column: Column, capacity: Capacity) -> bool:
    """Whether a tab can say all that its label does."""
    said = {name for name in ("target", "note") if getattr(column, name) is not None}
    return said <= set(capacity.panes) and (not said or column.label is not None)


def _holds(block: Block, capacity: Capacity) -> bool:
    """Whether a cell can hold a block with all that it says."""
    if isinstance(block, Links):
        return all(not getattr(item, "children", ()) for item in block.items)
    held = block.holds
    if isinstance(held, Picture) and not says_beside(held) <= set(capacity.says):
        return False
    if isinstance(held, Text) and held.form != capacity.text_form:
        return False
    if not sayable(held, capacity):
        return False
    active = isinstance(held, Markup) and bool(cleaned(held.html).taken)
    return isinstance(held, capacity.holds) and not active


class _Reading:
    """The cells of one item, and what of them stays unread."""

    def __init__(self, cells: Cells, item: Item, make: Make, extras: list[Extra]) -> None:
        self.all, self.rule, self.item = cells, cells.rule, item
        self.make, self.extras = make, extras

    def cells(self, held: Any, path: str, place: str) -> list[Column]:
        found: list[Column] = []
        for at, cell in enumerate(_list(held, f"{place}/{path}")):
            here = f"{path}/{at}"
            if not isinstance(cell, dict):
                where = f"{place}/{here}"
                raise FormatError(f"found {kind_of(cell)} where a mapping is needed", place=where)
            if self.rule.off and cell.get(self.rule.off) is True:
                self.extras.append(Extra(here, cell))
                continue
            rule = self.all.by_type.get(str(cell.get(self.rule.type)))
            width = cell.get(self.rule.width)
            span = width if type(width) is int and 1 <= width <= 12 else None
            known = {self.rule.type, *([self.rule.width] if span is not None else [])}
            known |= {self.rule.off} if cell.get(self.rule.off) is False else set()
            if rule is None:
                self.extras.append(Extra(here, cell))
                continue
            if rule.holds == "links":
                block: Block = self._links(rule, cell, here, place)
                known |= {rule.heading, rule.items}
            else:
                block = Piece(self._held(rule, cell, here), f"{place}/{here}")
                known |= set(rule.fields.values())
            self.unread(cell, known, here)
            found.append(Column([block], span))
        return found

    def _links(self, rule: BlockRule, cell: dict[str, Any], here: str, place: str) -> Links:
        head = cell.get(rule.heading)
        heading = None
        if head is not None:
            heading = self.make(head, f"{place}/{here}/{rule.heading}", rule.lacks)
            heading.role = "heading"
            heading.id = heading.id or f"{self.item.id}.{here.split('/', 1)[1].replace('/', '.')}"
        where = f"{here}/{rule.items}"
        listed = enumerate(_list(cell.get(rule.items), f"{place}/{where}"))
        items = [self.make(node, f"{place}/{where}/{at}", ()) for at, node in listed]
        inside = f"{self.item.id}.{where.split('/', 1)[1].replace('/', '.')}"
        for at, item in enumerate(items):
            item.id = item.id or f"{inside}.{at}"
        return Links(heading, items)

    def _held(self, rule: BlockRule, cell: dict[str, Any], here: str) -> Held:
        values: dict[str, Any] = {}
        for fact, key in rule.fields.items():
            value = cell.get(key)
            if fact in rule.worded and value is not None:
                value = self.words(value, f"{here}/{key}")
            if value is None:
                continue
            if fact in LEADS:
                if not isinstance(value, str):
                    self.extras.append(Extra(f"{here}/{key}", value))
                    continue
                target = self.all.address(value)
                if target.kind == "none":
                    self.extras.append(Extra(f"{here}/{key}", value))
                    continue
                fact, value = LEADS[fact], target
            elif not _is_of_form(fact, value):
                self.extras.append(Extra(f"{here}/{key}", value))
                continue
            elif fact == "settings":
                value = tuple(value.items())
            elif fact in _LISTS:
                value = tuple(value)
            values[fact] = value
        for name, links in (("html", links_in), ("body", _in_text)):
            if isinstance(values.get(name), str):
                targets = (self.all.address(address) for _, address in links(values[name]))
                values["links"] = tuple(targets)
        kind = HELD[rule.holds]
        if kind is Generated:
            values.setdefault("rule", rule.type)
        for name in kind.__struct_fields__:
            if name not in values and name in _NEEDED.get(rule.holds, ()):
                values[name] = 0 if name == "count" else () if name in _LISTS else ""
        return kind(**values)

    def say(self, column: Column, name: str, value: Any, path: str) -> None:
        """Give a tab's column a fact of the tab; what it cannot be stays unread."""
        if name == "note":
            column.note = self.words(value, path)
        elif name == "id" and isinstance(value, str):
            column.id = value
        elif value is not None:
            target = (
                self.all.address(value) if name == "target" and isinstance(value, str) else None
            )
            if target is not None and target.kind != "none":
                column.target = target
            else:
                self.extras.append(Extra(path, value))

    def words(self, held: Any, path: str) -> str | None:
        """A text in the language of the site; in others it is unread."""
        if not isinstance(held, dict):
            if held is not None:
                self.extras.append(Extra(path, held))
            return None
        language = self.all.language
        if not language and held:
            language = self.all.language = next(iter(held))
        text = held.get(language)
        for other, words in held.items():
            if other != language or not isinstance(words, str):
                self.extras.append(Extra(f"{path}/{other}", words))
        return text if isinstance(text, str) else None

    def unread(self, record: dict[str, Any], known: set[str], path: str) -> None:
        """Keep what no rule reads."""
        for key, value in record.items():
            if key not in known:
                self.extras.append(Extra(f"{path}/{key}", value))


def _in_text(body: str) -> list[Link]:
    return links_in_text(body, "plain")


def _is_of_form(fact: str, value: Any) -> bool:
    """Whether a value is what a fact of a block is: a text, a list of texts, or a number."""
    if fact == "settings":
        return isinstance(value, dict) and all(isinstance(word, str) for word in value.values())
    if fact in _LISTS:
        return isinstance(value, list) and all(isinstance(word, str) for word in value)
    return type(value) is int if fact == "count" else isinstance(value, str)


_LISTS = ("contents", "fields")
_NEEDED = {
    "picture": ("source",),
    "text": ("body",),
    "products": ("contents",),
    "markup": ("html",),
    "generated": ("rule", "of", "count"),
    "form": ("fields",),
    "widget": ("name",),
    "menu": ("menu",),
}


def _list(held: Any, place: str) -> list[Any]:
    if held is None:
        return []
    if not isinstance(held, list):
        raise FormatError(f"found {kind_of(held)} where a list is needed", place=place)
    return held
