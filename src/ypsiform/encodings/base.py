"""What all encodings of panels share: their rule, what they can hold, and what they are asked.

An encoding reads panels from what a platform stores, and writes them so again. It is asked at four
places, of which most encodings need one or two: where an item has been read, where all menus have,
before menus are written, and where an item is.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any, ClassVar, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from ..model import (
    NOWHERE,
    Column,
    Extra,
    Generated,
    Held,
    Item,
    Location,
    Menu,
    Panel,
    Picture,
    Piece,
    Site,
    Target,
    Text,
)
from .blocks import BlockRule, says_beside


class PanelRule(Struct, tag_field="encoding", forbid_unknown_fields=True, kw_only=True):
    """What a profile says of its panels: the name of their encoding, and its parameters.

    `least-columns`: a panel has no fewer; `least-width`: a column is no narrower, in twelfths.
    """

    needs: ClassVar[tuple[str, ...]] = ()
    """The parameters that must be given."""
    needs_links: ClassVar[bool] = False
    """Whether one of its blocks must be of links."""
    needs_pages: ClassVar[bool] = False
    """Whether it is for menus made of pages only."""
    in_records: ClassVar[bool] = False
    """Whether panels stand in the records of items, which stand in each other then."""
    in_sequence: ClassVar[bool] = False
    """Whether panels stand between menus in the sequence of a location."""
    tied: ClassVar[bool] = False
    """Whether records of panels are tied to items by the texts of these."""
    head_records: ClassVar[bool] = False
    """Whether headings are records in blocks of links, which may hold less than items."""
    own_room: ClassVar[bool] = False
    """Whether what panels hold is shown in panels alone, and no submenu where there are none."""
    picture_facts: ClassVar[tuple[str, ...]] = ()
    """What pictures may say beside what they say everywhere."""

    least_columns: int = field(name="least-columns", default=0)
    least_width: int = field(name="least-width", default=1)

    @property
    def records_at(self) -> str:
        """Where the records of panels beside the menus stand, empty where there are none."""
        return ""

    @property
    def menus_at(self) -> str:
        """Where these records name the menus that are their lists, empty where they name none."""
        return ""

    @property
    def shown_at(self) -> str:
        """The one location that panels open at, empty where they open at each that shows any."""
        return ""

    @property
    def off_at(self) -> str:
        """The key by which parts of a panel say that they are switched off; empty without one."""
        return ""

    def tie_of(self, record: Any) -> tuple[Any, Any]:
        """The text that ties a record to an item, and the place of that, if it says one."""
        return None, None

    @property
    def named_styles(self) -> Mapping[str, str]:
        """The words by which a panel says what style it has, with the style of each."""
        return {}

    @property
    def leads(self) -> str:
        """The key of items by which headings in words say where they lead; empty without one."""
        return ""

    @property
    def renamed(self) -> Mapping[str, str]:
        """Keys of links in panels that mean what other keys of items do."""
        return {}

    @property
    def typed(self) -> Sequence[BlockRule]:
        """The types of blocks that a profile names."""
        return ()

    @property
    def name(self) -> str:
        """The name of the encoding."""
        return str(self.__struct_config__.tag)

    @property
    def lacks(self) -> list[str]:
        """The facts that headings do not hold, though items do."""
        return [fact for block in self.typed for fact in block.lacks]


class BesideRule(PanelRule):
    """A rule of panels that are records `at` a path, which open from a menu at one `location`."""

    at: str = ""
    location: str = ""

    @property
    def records_at(self) -> str:
        """Where the records of panels beside the menus stand."""
        return self.at

    @property
    def shown_at(self) -> str:
        """The one location that panels open at."""
        return self.location


class ListedRule(BesideRule):
    """One whose records name the `menus` that their lists are, and types of `blocks`."""

    menus: str = ""
    blocks: list[BlockRule] = []

    @property
    def menus_at(self) -> str:
        """Where these records name the menus that are their lists."""
        return self.menus

    @property
    def typed(self) -> Sequence[BlockRule]:
        """The types of blocks that a profile names."""
        return self.blocks


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


def sayable(held: Held, capacity: Capacity) -> bool:
    """Whether a text may lead where it does, and a block be filled by its rule."""
    if isinstance(held, Text):
        return held.target is None or capacity.text_leads
    return not isinstance(held, Generated) or capacity.fills in (None, held.rule)


def only_known(column: Column) -> bool:
    """Whether a column holds nothing but links, and pictures that an item can say."""
    held = [block.holds for block in column.blocks if isinstance(block, Piece)]
    says = set(Capacity().says)
    return all(isinstance(h, Picture) and says_beside(h) <= says for h in held)


Make = Callable[[Any, str, Collection[str]], Item]
"""An item of a record, its place, and facts that the record does not hold."""

Write = Callable[[Item, bool], Any]
"""The record of an item; with an id, or without one."""

Number = Callable[[int, str], None]
"""Told where each item and block went, by its number."""


class Found:
    """What was read of a file beside its panels, which an encoding may change.

    `menus` with the node of each, `locations`, and `extras`: what is unread. Records of panels
    before `first` stay as they are, all of them where it is None. `sequence` is what stands at the
    location of the panels, whose entries name a menu by the key `menu_key`; `place_key` is the menu
    key that is expected there. `unread` makes an entry of the sequence that nothing reads an extra,
    `made` a menu of its own, of a key and a place.
    """

    def __init__(
        self, menus: list[tuple[Menu, Any]], locations: list[Location], extras: list[Extra]
    ) -> None:
        self.menus, self.locations, self.extras = menus, locations, extras
        self.first: int | None = None
        self.sequence: Any = None
        self.sequence_at = ""
        self.menu_key = ""
        self.place_key = ""
        self.unread: Callable[[Any], Extra] = lambda value: Extra("", value)
        self.made: Callable[[str, str], Menu] = lambda key, place: Menu(key, key, "", [])

    def records(self, path: str) -> tuple[int, list[Any]] | None:
        """The unread list at a path, and which of the extras it is; None where there is none."""
        for at, extra in enumerate(self.extras):
            if extra.path == path:
                return (at, extra.value) if isinstance(extra.value, list) else None
        return None


class ToWrite(NamedTuple):
    """Menus that are to be written, and where an encoding puts what is beside them.

    `menus`: each with its number. `records`: those of panels that stay; new ones go behind them.
    `lists` takes the menus that are lists of panels, each with its heading; `entries` for the key
    of a menu what stands for it in the sequence of its location, `unstored` the numbers of menus
    that have no record, with their place. `runs`: where menus stand that are nothing but panels.
    `parts`: for the key of a menu the keys of those that panels split off it. `keys`: the ids of
    items that were keys of panels before.
    """

    menus: Sequence[tuple[int, Menu]]
    records: list[Any]
    number: Number
    lists: list[tuple[Menu, Item | None]]
    entries: dict[str, list[Any]]
    unstored: dict[int, str]
    runs: dict[str, str]
    parts: Mapping[str, Sequence[str]]
    keys: Collection[str]
    menu_key: str


class Encoding:
    """How the panels of one platform or theme are encoded, both ways.

    `target` reads what a record says of where it leads, and `said` writes it; `address` gives the
    target of an address; `language` is that of texts that are given for each language.
    """

    words: ClassVar[str] = ""
    """The encoding in plain words."""
    beside: ClassVar[bool] = False
    """Whether panels are records beside the menus."""
    in_item: ClassVar[bool] = False
    """Whether a panel stands in the record of its item."""
    recorded: ClassVar[bool] = False
    """Whether panels have records of their own, beside the menus or in those of items."""
    lists: ClassVar[str] = ""
    """Which menus of the destination the lists of a panel are: `each` is one, or `all` are one."""
    splits: ClassVar[bool] = False
    """Whether panels stand between menus, and split the one that they are in."""
    of_pages: ClassVar[bool] = False
    """Whether panels open from pages, and hold what stands below these."""
    column_heads: ClassVar[bool] = False
    """Whether the record of a column is that of its heading."""
    titles: ClassVar[bool] = False
    """Whether headings are titles of menus, and have no records."""
    empty_lists: ClassVar[str] = ""
    """When lists of nothing are written: `always`, or while panels stay in their own `encoding`."""
    shows_menus: ClassVar[bool] = False
    """Whether blocks show menus that are shown elsewhere, by their keys."""
    source: str = "picture"
    """The trait that says where the picture of an item is."""
    at: str = ""
    """The path at which panels have records of their own, in items or beside the menus."""

    rule: PanelRule

    def __init__(self) -> None:
        self.language = ""
        self.target: Callable[[Any, str], Target] = lambda _, __: NOWHERE
        self.address: Callable[[str], Target] = lambda _: NOWHERE
        self.said: Callable[[Target, str], Any] = lambda _, __: None
        # Pairs of a top item and a wrapper below it that says something nobody sees.
        self.unseen: list[tuple[Item, Item]] = []
        # Top items whose columns have shares that are no whole twelfths of the row.
        self.uneven: list[tuple[Item, list[int]]] = []
        # Of pages: the numbers of the records that were read as panels.
        self.folded: Collection[int] = ()

    # What it holds

    def capacity(self) -> Capacity:
        """What a panel can hold."""
        raise NotImplementedError

    def fits(self, panel: Panel) -> bool:
        """Whether a panel can be written as it is."""
        raise NotImplementedError

    @property
    def by_label(self) -> bool:
        """Whether panels open from labels alone, which no other top item may then have."""
        return False

    @property
    def labels_seen(self) -> bool:
        """Whether visitors see what a column is called, and not only editors."""
        return False

    @property
    def pane_ids(self) -> bool:
        """Whether panes have ids."""
        return False

    @property
    def own_dividers(self) -> bool:
        """Whether an item can be marked as a divider in a panel."""
        return False

    def is_picture(self, item: Item) -> bool:
        """Whether a link in a panel may be read as a picture, by its trait that is the source."""
        return False

    def reserved(self, word: str) -> bool:
        """Whether a class would be read as the word of a mark."""
        return False

    def inside(self, extra: Extra) -> bool:
        """Whether unread data of an item stands in the record of its panel."""
        return False

    def bare(self, item: Item) -> Item:
        """An item without the unread data that stands in the record of its panel."""
        left = tuple(extra for extra in item.extras if not self.inside(extra))
        return item if len(left) == len(item.extras) else replace(item, extras=left)

    # Reading

    def item_read(self, node: Any, item: Item, place: str, make: Make) -> None:
        """Give an item the panel that stands in its record."""

    def menus_read(self, found: Found) -> None:
        """Give items the panels that stand beside the menus."""

    def folds(self, menu: str, locations: Sequence[Location]) -> bool:
        """Whether items of a menu may be parts of panels, by where it is shown."""
        return True

    def fold(self, items: list[Item], marks: dict[str, str]) -> list[Item]:
        """The items of a menu as stored, with panels where they are parts of these.

        `marks`: the part of a panel that each item's kind is, by its origin; those that are used
        are taken out.
        """
        return items

    # Menus made of pages

    def page_records(self, records: list[Any], first: int) -> dict[str, int]:
        """The records that are read as panels, by their page; those before `first` stay."""
        return {}

    def freehand(self, record: Any) -> bool:
        """Whether markup stands instead of everything below a page."""
        return False

    def page_read(self, record: dict[str, Any], item: Item, place: str) -> None:
        """Give the item of a page the panel of a record."""

    def page_written(self, page: Any, item: Item, number: Number, place: str) -> dict[str, Any]:
        """The record of the panel of a page's item."""
        raise NotImplementedError

    # Writing

    def menus_to_write(self, made: ToWrite) -> None:
        """Take panels out of their items, into records beside the menus."""

    def unfold(self, item: Item, parts: dict[int, str]) -> Item:
        """One item with a panel, as it is stored. `parts` is told what is which part of it."""
        return item

    def item_written(self, item: Item, write: Write, number: Number, place: str) -> Any:
        """What stands in the record of an item with a panel."""
        return None


class Recorded(Encoding):
    """What encodings share whose panels have records of their own, at the path `at`."""

    recorded = True

    def inside(self, extra: Extra) -> bool:
        """Whether unread data of an item stands in the record of its panel."""
        return extra.path.startswith(f"{self.at}/")

    def further(self, record: dict[str, Any], known: Collection[str]) -> tuple[Extra, ...]:
        """What a record of a panel says beside what is known, as unread data of its item."""
        return tuple(
            Extra(f"{self.at}/{key}", value) for key, value in record.items() if key not in known
        )

    def put_further(self, item: Item, record: dict[str, Any]) -> dict[str, Any]:
        """A record with that data in it again, each where it stood."""
        for extra in sorted(item.extras, key=place_in):
            if extra.path.startswith(f"{self.at}/"):
                put_in(record, extra.path.removeprefix(f"{self.at}/").split("/"), extra.value)
        return record


def beyond(record: Any, said: Any, path: str) -> list[Extra] | None:
    """What a record has beside what is said of it, by keys; None where it says it otherwise.

    A key that says nothing needs none.
    """
    if not (isinstance(record, dict) and isinstance(said, dict)):
        return [] if record == said else None
    found: list[Extra] = []
    for key, value in record.items():
        if key not in said:
            if value is not None:
                found.append(Extra(f"{path}/{key}", value))
            continue
        inner = beyond(value, said[key], f"{path}/{key}")
        if inner is None:
            return None
        found += inner
    return found if said.keys() <= record.keys() else None


def records_at(site: Site, path: str) -> list[Any]:
    """The records of a list that were not read, as they stand beside the menus of a site."""
    for extra in site.extras:
        if extra.path == path and isinstance(extra.value, list):
            return list(extra.value)
    return []


def together(one: Any, other: Any) -> Any:
    """Two mappings as one, and those in both of them; where they differ, the second counts."""
    if not (isinstance(one, dict) and isinstance(other, dict)):
        return other
    return {**one, **{key: together(one.get(key), held) for key, held in other.items()}}


def step(record: Any, path: str) -> Any:
    """What stands at a path of a record, None where nothing does."""
    for key in path.split("/") if path else ():
        record = record.get(key) if isinstance(record, dict) else None
    return record if path else None


def put(record: dict[str, Any], path: str, value: Any) -> None:
    """Let something stand at a path of a record."""
    *heads, last = path.split("/")
    for key in heads:
        record = record.setdefault(key, {})
    record[last] = value


def place_in(extra: Extra) -> tuple[str, int]:
    """What puts unread members of one list in the order of their places."""
    head, _, last = extra.path.rpartition("/")
    return (head, int(last)) if last.isdigit() else (extra.path, -1)


def put_in(node: Any, way: list[str], value: Any) -> None:
    """Set what stands at a path of keys and places in lists; a place beyond the end is the end."""
    for at, step in enumerate(way):
        last = at == len(way) - 1
        if isinstance(node, list):
            if last:
                node.insert(int(step), value)
                return
            if int(step) >= len(node):
                return
            node = node[int(step)]
        elif isinstance(node, dict):
            if last:
                node[step] = value
                return
            node = node.setdefault(step, {})
