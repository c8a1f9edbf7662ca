"""The structures that tie records of items into trees: the rule of each, as a profile says it.

How records of a structure are tied on reading stands in `ties.py`; what each says of its place on
writing is told here, beside the rule.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, NamedTuple, get_args

from msgspec import Struct, field

from ..errors import RefusedError


class Spot(NamedTuple):
    """Where an item stands: its place among its siblings and its level, from 1, id and label.

    `row`: its place in its menu in reading order, from 0. `within`: how many items stand below it
    on all levels, and `below` right below it.
    """

    place: int
    level: int
    ident: str
    label: str
    row: int
    within: int
    below: int


class TieRule(Struct, tag_field="structure", forbid_unknown_fields=True, kw_only=True):
    """What a profile says of how records are tied: the name of the structure, and its keys.

    Each structure has the keys that it needs; of all others it says that there are none.
    """

    words: ClassVar[str] = ""
    """The structure in plain words."""
    needs: ClassVar[tuple[str, ...]] = ()
    """The keys that must be given."""
    ordered: ClassVar[bool] = False
    """Whether it says itself in which order records stand, so that no key of theirs can."""
    nests: ClassVar[bool] = False
    """Whether records stand in each other."""
    lists: ClassVar[bool] = False
    """Whether menus and records list what is below them."""
    of_pages: ClassVar[bool] = False
    """Whether menus are generated from the tree of pages."""
    of_paths: ClassVar[bool] = False
    """Whether menus are made of the paths of pages."""
    of_labels: ClassVar[bool] = False
    """Whether a record names what stands above it by its labels."""
    whole_way: ClassVar[bool] = False
    """Whether a record says all that stands above it, put together with `between`."""
    called_by_way: ClassVar[bool] = False
    """Whether an item is called by the place that its record says."""
    counts_within: ClassVar[bool] = False
    """Whether a record says how much stands below it."""

    with_: dict[str, str] = field(name="with", default={})

    @property
    def structure(self) -> str:
        """The name of the structure."""
        return str(self.__struct_config__.tag)

    @property
    def levels(self) -> int | None:
        """How many levels can be written; None where there is no such limit."""
        return None

    @property
    def in_menus(self) -> bool:
        """Whether records stand in those of their menus."""
        return bool(self.inside) and not self.lists

    @property
    def id(self) -> str | None:
        """The key of a record's id."""
        return None

    @property
    def menu(self) -> str | None:
        """The key of a record that names its menu."""
        return None

    @property
    def under(self) -> str | None:
        """The key of a record that names the one above it."""
        return None

    @property
    def top(self) -> str:
        """What stands at `under` where there is none above."""
        return ""

    @property
    def order(self) -> str | None:
        """The key of a record that says its place among its siblings."""
        return None

    @property
    def follows(self) -> str | None:
        """The key of a record that names the sibling before it."""
        return None

    @property
    def number(self) -> str | None:
        """The key of a record that says its place in a menu, or its level."""
        return None

    @property
    def between(self) -> str:
        """What stands between the parts of such a place."""
        return ""

    @property
    def inside(self) -> str | None:
        """The key at which menus and records hold what is below them."""
        return None

    @property
    def first(self) -> str | None:
        """That key in a menu, where it is another one."""
        return None

    @property
    def beside(self) -> str | None:
        """A name of elements that are records among those at `inside`."""
        return None

    @property
    def keyed(self) -> str | None:
        """The key that the name of a record in a mapping stands for."""
        return None

    @property
    def value(self) -> str | None:
        """The key that the plain value of such a name stands for."""
        return None

    @property
    def each(self) -> dict[str, str]:
        """What an entry of a list of ids looks like, where it is a mapping."""
        return {}

    @property
    def named(self) -> bool:
        """Whether a record without an id is known by its label."""
        return False

    @property
    def weighted(self) -> bool:
        """Whether records without an order come last, and those of the same one by label."""
        return False

    @property
    def keys(self) -> list[str]:
        """The keys of a record that tie it."""
        named = (self.id, self.menu, self.under, self.order, self.follows, self.number)
        return [key for key in named if key]

    @property
    def own_keys(self) -> list[str]:
        """The keys of a menu's record that hold its items, and say how these stand."""
        return [key for key in (self.first or self.inside,) if key]

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place."""
        return spot.ident

    def more(self, spot: Spot) -> list[tuple[str, str]]:
        """Further keys by which a record says its place, with their values."""
        return []

    def is_item(self, values: Mapping[str, str]) -> bool:
        """Whether a record is one of an item, by what stands at the keys that tie it."""
        return True


class ParentTie(TieRule, tag="parent"):
    """Flat records that name the one above them.

    `id`, `menu`, `under` (with `top` for no parent) and `order` are keys. With `inside` they stand
    in the record of their menu, under that key. Where the menu's key in `menu` is left out, `under`
    names a menu or another record. `follows`: the key that names the sibling that it comes after,
    in place of an `order`. `beside`, in XML: another name of elements that are records among those
    at `inside`; kinds tell them by the key `#name`. `named`: a record without an id is known by its
    label. `weighted`: records without an `order` come last, and those of the same one stand by
    label, then by id. `with`: values that go with `under`; they are written with it.
    """

    words = "items that name the one above them"
    needs = ("id", "under")

    id: str | None = None
    menu: str | None = None
    under: str | None = None
    top: str = ""
    order: str | None = None
    follows: str | None = None
    inside: str | None = None
    beside: str | None = None
    named: bool = False
    weighted: bool = False

    @property
    def own_keys(self) -> list[str]:
        """The keys of a menu's record that hold its items."""
        return [key for key in (self.inside, self.beside) if key]


class NestedTie(TieRule, tag="nested"):
    """Records that stand in their menu and in each other under the key `inside`.

    `first` is that key in a menu, where it is another one. `keyed` is the key that each one's name
    in a mapping stands for, `order` a list of these names, and `value` the key that a name's plain
    value stands for. `with`: values that say that what stands inside are items.
    """

    words = "items that stand in each other"
    needs = ("inside",)
    nests = True

    id: str | None = None
    inside: str | None = None
    first: str | None = None
    keyed: str | None = None
    value: str | None = None
    order: str | None = None

    @property
    def keys(self) -> list[str]:
        """The keys of a record that tie it: none, for it stands where it belongs."""
        return [self.id] if self.id else []

    @property
    def own_keys(self) -> list[str]:
        """The keys of a menu's record that hold its items, and say how these stand."""
        return [key for key in (self.first or self.inside, self.order) if key]


class FlatTie(TieRule, tag="flat"):
    """Records that all stand at the top of the menu in `menu`, in their order or by `order`.

    `follows`: the key that names, in its place, the record that each comes after. With `inside`
    they stand in the record of their menu, under that key.
    """

    words = "items that all stand at the top"
    needs = ("menu",)

    id: str | None = None
    menu: str | None = None
    order: str | None = None
    follows: str | None = None
    inside: str | None = None

    @property
    def levels(self) -> int | None:
        """How many levels can be written: one."""
        return 1


class NumberTie(TieRule):
    """Flat records in which `number` says where in the menu `menu` each of them stands.

    With `inside` they stand in the record of their menu, under that key. `with`: values of a record
    that others stand below.
    """

    needs: ClassVar[tuple[str, ...]] = ("number", "menu")

    id: str | None = None
    number: str | None = None
    menu: str | None = None
    inside: str | None = None


class OutlineTie(NumberTie, tag="outline"):
    """Records whose `number` is their place in an outline, as `1.2.1`; its parts by `between`."""

    words = "items with a number in an outline"
    ordered = True
    whole_way = True
    called_by_way = True

    between: str = "."

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place."""
        return str(spot.place)


class LevelTie(NumberTie, tag="level"):
    """Records whose `number` is their level, the top being `start`, in reading order."""

    words = "items with a number of their level"
    ordered = True

    start: int = 1

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place."""
        return str(spot.level + self.start - 1)


class LineageTie(NumberTie, tag="lineage"):
    """Records whose `number` is the ids from the top to the record, put together by `between`."""

    words = "items with the ids of all above them"
    needs = ("id", "number", "menu")
    whole_way = True

    between: str = "."
    order: str | None = None


class LabelsTie(NumberTie, tag="labels"):
    """Records whose `number` is the labels from the top to theirs, put together by `between`."""

    words = "items with the labels of all above them"
    ordered = True
    of_labels = True
    whole_way = True

    between: str = "."

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place."""
        return spot.label


class StepsTie(NumberTie, tag="steps"):
    """Records whose `number` is a way of steps of `width` letters, a level each: `00010003`.

    The letters of a step count by `alphabet`; an item of the top has `start` steps. `level` and
    `count` are keys that also hold its level, that of the top being `start`, and how many items
    stand right below it.
    """

    words = "items with a way of steps of one width"
    needs = ("number", "menu")
    ordered = True
    whole_way = True
    called_by_way = True

    width: int = 4
    start: int = 1
    alphabet: str = "0123456789"
    level: str | None = None
    count: str | None = None

    @property
    def keys(self) -> list[str]:
        """The keys of a record that tie it."""
        return [key for key in (self.id, self.menu, self.number, self.level, self.count) if key]

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place. Raises `RefusedError`."""
        letters, left, base = "", spot.place, len(self.alphabet)
        while left:
            left, digit = divmod(left, base)
            letters = self.alphabet[digit] + letters
        if len(letters) > self.width:
            raise RefusedError(
                f"{spot.place:,} items stand side by side, and a step of {self.width} letters "
                f"counts to {base**self.width - 1:,}"
            )
        first, one = self.alphabet[0], self.alphabet[1]
        above = one.rjust(self.width, first) * (self.start - 1) if spot.level == 1 else ""
        return above + letters.rjust(self.width, first)

    def more(self, spot: Spot) -> list[tuple[str, str]]:
        """The level of an item, and how many stand right below it."""
        told = (self.level, spot.level + self.start - 1), (self.count, spot.below)
        return [(key, str(value)) for key, value in told if key]


class IntervalsTie(TieRule, tag="intervals"):
    """Records with two bounds, `left` and `right`: what stands below one lies between its bounds.

    `level` is a key that also holds its level, that of the top being `start`. With `inside` records
    stand in the record of their menu, under that key.
    """

    words = "items with bounds that hold those of the items below them"
    needs = ("left", "right", "menu")
    ordered = True
    counts_within = True

    id: str | None = None
    menu: str | None = None
    left: str | None = None
    right: str | None = None
    level: str | None = None
    start: int = 1
    inside: str | None = None

    @property
    def keys(self) -> list[str]:
        """The keys of a record that tie it."""
        named = (self.id, self.menu, self.left, self.right, self.level)
        return [key for key in named if key]

    def more(self, spot: Spot) -> list[tuple[str, str]]:
        """The bounds of an item, and its level."""
        # Each item above it is open, and each one before it has both of its bounds behind it.
        left = 2 * spot.row - (spot.level - 1) + 1
        told = [(self.left, left), (self.right, left + 2 * spot.within + 1)]
        told.append((self.level, spot.level + self.start - 1))
        return [(key, str(value)) for key, value in told if key]


class ColumnsTie(TieRule, tag="columns"):
    """Records with a column for each level: the label of an item stands in that of its own.

    Labels of items above it may stand there too; where they do not, those of the record before it
    count. A group without a record is made. With `inside` records stand in the record of their
    menu, under that key.
    """

    words = "items with a column for each level"
    needs = ("columns", "menu")
    ordered = True
    of_labels = True

    id: str | None = None
    menu: str | None = None
    columns: list[str] = []
    inside: str | None = None

    @property
    def levels(self) -> int | None:
        """How many levels can be written: one for each column."""
        return len(self.columns)

    @property
    def keys(self) -> list[str]:
        """The keys of a record that tie it."""
        return [key for key in (self.id, self.menu, *self.columns) if key]

    def more(self, spot: Spot) -> list[tuple[str, str]]:
        """The label of an item, in the column of its level."""
        return [(self.columns[spot.level - 1], spot.label)]

    def is_item(self, values: Mapping[str, str]) -> bool:
        """Whether a label stands in one of the columns."""
        return any(values.get(column) for column in self.columns)


class IndentedTie(NumberTie, tag="indented"):
    """Records in reading order whose `number` is a label, indented by as much as its level says.

    Blanks, tabs, dashes, bullets and lines indent; each level is written with one more `step`.
    """

    words = "items with labels that are indented"
    ordered = True
    of_labels = True

    step: str = "  "

    def said(self, spot: Spot) -> str:
        """What the record of an item says of its own place."""
        return self.step * (spot.level - 1) + spot.label


class ListedTie(TieRule, tag="listed"):
    """Menus and records list the ids of what is below them under the key `inside`.

    `first` is that key in a menu, where it is another one. `each`: what an entry of a list looks
    like, where it is a mapping: `{ id = "{id}" }`. `with`: values of a record that others stand
    below.
    """

    words = "items that list those below them"
    needs = ("id", "inside")
    ordered = True
    lists = True

    id: str | None = None
    inside: str | None = None
    first: str | None = None
    each: dict[str, str] = {}


class PagesTie(TieRule, tag="pages"):
    """Menus that are generated from the tree of pages: see `PageRule`."""

    words = "generated from the tree of pages"
    of_pages = True

    @property
    def in_menus(self) -> bool:
        """Whether records stand in those of their menus."""
        return True


class PathsTie(TieRule, tag="paths"):
    """Menus that are made of the paths of pages."""

    words = "made from the paths of pages"
    of_paths = True

    @property
    def in_menus(self) -> bool:
        """Whether records stand in those of their menus."""
        return True


AnyTie = (
    ParentTie
    | NestedTie
    | FlatTie
    | OutlineTie
    | LevelTie
    | LineageTie
    | LabelsTie
    | StepsTie
    | IntervalsTie
    | ColumnsTie
    | IndentedTie
    | ListedTie
    | PagesTie
    | PathsTie
)
"""Any rule of a structure; which one it is says its key `structure`."""

STRUCTURES: dict[str, type[TieRule]] = {
    str(rule.__struct_config__.tag): rule for rule in get_args(AnyTie)
}
"""All structures, by the names that a profile gives them."""
