"""Panels that stand in the record of their item: lists of links, each below a heading in words.

Each list is a column. What a list says that no rule reads hangs on the item, with the path to it,
and is written back at the same place.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from ..model import NOWHERE, TRAIT_NAMES, Column, Extra, Item, Links, Panel
from .base import Capacity, Make, Number, PanelRule, Recorded, Write, place_in, put_in, step
from .layout import bare


class GroupsRule(PanelRule, tag="groups"):
    """The record of an item holds a list of columns at the path `at`.

    Each has the text of its `heading`, which may lead to an `address`, and its links at `items`.
    `named`: keys of these that mean what other keys of items do: `{ text = "label" }`. There may be
    `most` columns in a panel.
    """

    needs = ("at", "items")
    in_records = True
    own_room = True

    at: str = ""
    heading: str = ""
    address: str = ""
    items: str = ""
    named: dict[str, str] = {}
    most: int | None = None

    @property
    def leads(self) -> str:
        """The key of items by which headings say where they lead; empty where they lead nowhere."""
        return self.named.get(self.address, self.address)

    @property
    def renamed(self) -> Mapping[str, str]:
        """Keys of links in panels that mean what other keys of items do."""
        return self.named

    @property
    def lacks(self) -> list[str]:
        """The facts that headings do not hold, though items do: all but where they lead."""
        return [*TRAIT_NAMES, "hidden", "translations"]


def _has_ways(held: Any) -> bool:
    """Whether a key of a mapping looks like a path: what stands there has no place of its own."""
    return any("/" in key for key in held)


def _divides(one: Any) -> bool:
    return getattr(one, "role", "") == "divider"


class Groups(Recorded):
    """The columns of one platform, both ways."""

    words = "lists of links, each below a heading in words"
    in_item = True
    empty_lists = "always"

    def __init__(self, rule: GroupsRule) -> None:
        super().__init__()
        self.rule: GroupsRule = rule
        self.at, *self.way = rule.at.split("/")
        self.back = {there: key for key, there in rule.named.items()}

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        return Capacity(
            columns=self.rule.most,
            headings="first" if self.rule.heading else "none",
            dividers=False,
            nested=False,
            heading_links=bool(self.rule.address),
            apart=True,
        )

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        return (
            bare(panel)
            and panel.opens is None
            and all(self._holds(column) for column in panel.columns)
            and (self.rule.most is None or len(panel.columns) <= self.rule.most)
        )

    def _holds(self, column: Column) -> bool:
        said = (column.label, column.target, column.note)
        blocks = column.blocks
        if said != (None, None, None) or len(blocks) != 1 or not isinstance(blocks[0], Links):
            return False
        heading = blocks[0].heading
        if heading is not None and not (self.rule.heading and heading.label):
            return False
        links = blocks[0].items  # perhaps as they will be written: then they have no children
        return not any(getattr(one, "children", ()) or _divides(one) for one in links)

    # Reading

    def item_read(self, node: Any, item: Item, place: str, make: Make) -> None:
        """Give an item the panel in its record, if there is one that these rules describe."""
        # A list in which something else stands is no panel, and stays unread, whole.
        rule = self.rule
        held = step(node, rule.at)
        if not isinstance(held, list) or not all(map(self._is_column, held)):
            return
        around = [e for e in item.extras if rule.at.startswith(f"{e.path}/")]
        if any(_has_ways(whole.value) for whole in around) or any(map(_has_ways, held)):
            return
        read = [*around, *(e for e in item.extras if f"{e.path}/".startswith(f"{rule.at}/"))]
        extras = [e for e in item.extras if e not in read]
        extras += [one for whole in around for one in self._beside(whole)]
        if not held:  # an empty list opens nothing
            item.extras = tuple(extras)
            return
        panel = Panel([])
        known = {rule.heading, rule.address, rule.items}
        for at, column in enumerate(held):
            here = f"{rule.at}/{at}"
            text, heading = column.get(rule.heading), None
            if text and rule.heading:
                heading = Item(f"{item.id}.{at}", text, NOWHERE, "heading")
                heading.origin = f"{place}/{here}/{rule.heading}"
                address = column.get(rule.address) if rule.address else None
                if address is not None:
                    heading.target = self.target(address, rule.leads)
            links = [
                make(self._as_item(one), f"{place}/{here}/{rule.items}/{nth}", ())
                for nth, one in enumerate(column.get(rule.items) or ())
            ]
            for nth, link in enumerate(links):
                link.id = link.id or f"{item.id}.{at}.{nth}"
            panel.columns.append(Column([Links(heading, links)]))
            extras += [Extra(f"{here}/{k}", v) for k, v in column.items() if k not in known]
        item.panel, item.extras = panel, tuple(extras)

    def _beside(self, around: Extra) -> Iterator[Extra]:
        """What stands beside the columns in a mapping around them, and in those inside that."""
        path, node = around.path, around.value
        for head in self.rule.at[len(path) + 1 :].split("/"):
            yield from (Extra(f"{path}/{k}", v) for k, v in node.items() if k != head)
            path, node = f"{path}/{head}", node[head]

    def _is_column(self, column: Any) -> bool:
        """Whether something is a column by the rule: a heading in words, and a list of records."""
        rule = self.rule
        if not isinstance(column, dict) or rule.items not in column:
            return False
        text, links = column.get(rule.heading), column[rule.items]
        leads = text or column.get(rule.address) is None  # where nothing leads there is no link
        return (
            (text is None or isinstance(text, str))
            and bool(leads)
            and isinstance(links, list)
            and all(isinstance(one, dict) and self._is_link(one) for one in links)
        )

    def _is_link(self, one: Mapping[str, Any]) -> bool:
        """Whether no key of a link means what another one of its keys does."""
        return not any(key in one and there in one for key, there in self.rule.named.items())

    def _as_item(self, link: Mapping[str, Any]) -> dict[str, Any]:
        return {self.rule.named.get(key, key): value for key, value in link.items()}

    # Writing

    def item_written(self, item: Item, write: Write, number: Number, place: str) -> Any:
        """The columns of a panel, in what is around them. `number` is told where each item went."""
        rule, panel = self.rule, item.panel
        assert panel is not None
        made: list[Any] = []
        for at, column in enumerate(panel.columns):
            here = f"{place}/{rule.at}/{at}"
            links = column.blocks[0]
            assert isinstance(links, Links)
            record: dict[str, Any] = {}
            if links.heading is not None:
                number(links.heading.number, f"{here}/{rule.heading}")
                record[rule.heading] = links.heading.label
                if rule.address and links.heading.target != NOWHERE:
                    record[rule.address] = self.said(links.heading.target, rule.leads)
            record[rule.items] = []
            for nth, link in enumerate(links.items):
                number(link.number, f"{here}/{rule.items}/{nth}")
                said = write(link, True)
                record[rule.items].append({self.back.get(k, k): v for k, v in said.items()})
            made.append(record)
        whole: Any = made
        for head in reversed(self.way):
            whole = {head: whole}
        for extra in sorted(item.extras, key=place_in):
            if self.inside(extra):
                put_in(whole, extra.path.split("/")[1:], extra.value)
        return whole
