"""The model in the middle: sites, menus, items, targets and panels, free of any file format.

Every reader makes these values and every writer takes them. They are immutable by habit: a stage
that changes something makes a new value. Words and meanings are those of the trade.
"""

# Long, since everything that the engine speaks of is named here once.

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from functools import lru_cache
from operator import attrgetter
from typing import Any, Literal

from msgspec import Struct
from msgspec.structs import replace

from .refs import NOTHING

EVERYONE: tuple[str, ...] = ("everyone",)
ALL_DEVICES: tuple[str, ...] = ("desktop", "handset")

Role = Literal["link", "heading", "divider"]

CONTENT_KINDS = frozenset({"page", "article", "term", "product", "product-group", "file"})
"""Target kinds that may point to one content of the site."""


TARGET_KINDS = (
    "home",
    "page",
    "article",
    "articles",
    "term",
    "product",
    "product-group",
    "all-products",
    "all-groups",
    "search",
    "search-field",
    "account",
    "file",
    "fragment",
    "mail",
    "phone",
    "external",
    "none",
)
"""What an item can lead to."""


class Extra(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A fact of the export that no rule of the profile read.

    `path` is the place inside the owner's record, `value` the neutral value found there, `again`
    how many facts of the same path stood before it.
    """

    path: str
    value: Any
    again: int = 0


class Target(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What an item points to.

    `content` is the id of a content of the same site, `key` the key by which the export named a
    content that is not there, `address` a path or URL exactly as it was read (None where the
    item points by reference).
    """

    kind: str
    content: str | None = None
    address: str | None = None
    key: str | None = None


NOWHERE = Target("none")


class Content(Struct, forbid_unknown_fields=True, omit_defaults=True):
    """Something on the site that a target can point to by id or key.

    `path` is where it is shown, from the root of the site; `audience` says who may see it.
    """

    id: str
    kind: str
    title: str = ""
    key: str | None = None
    path: str | None = None
    state: str = "live"
    audience: tuple[str, ...] = EVERYONE
    extras: tuple[Extra, ...] = ()
    origin: str = ""


class Badge(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A small mark at an item; `start` and `until` are ISO dates.

    `counts`: it counts down to the day on which it ends.
    """

    text: str
    start: str | None = None
    until: str | None = None
    counts: bool = False


class Traits(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How an item looks and behaves beyond its label and target. None or empty: not set."""

    description: str | None = None
    tooltip: str | None = None
    window: str | None = None
    rel: str | None = None
    icon: str | None = None
    badge: Badge | None = None
    picture: str | None = None
    classes: tuple[str, ...] = ()
    audience: tuple[str, ...] = EVERYONE
    devices: tuple[str, ...] = ALL_DEVICES
    opens: str | None = None


PLAIN = Traits()
"""The traits of an item that has none; shared, so that most items compare by identity."""

TRAIT_NAMES: tuple[str, ...] = Traits.__struct_fields__


@lru_cache(maxsize=4096)
def set_traits(traits: Traits) -> tuple[str, ...]:
    """The names of the traits that are set: those that say more than an item without them does."""
    names = tuple(n for n in TRAIT_NAMES if getattr(traits, n) != getattr(PLAIN, n))
    return tuple(n for n in names if not _says_nothing(n, getattr(traits, n)))


def _says_nothing(name: str, value: Any) -> bool:
    if name == "badge":
        return value.text == "" and not value.counts
    if name == "devices":
        return set(value) == set(ALL_DEVICES)
    return value == "" or (name == "window" and value == "same")


@lru_cache(maxsize=4096)
def said_traits(traits: Traits) -> Traits:
    """Traits without what is written and says nothing: an empty text, the same window."""
    made = Traits(**{name: getattr(traits, name) for name in set_traits(traits)})
    if made.badge is not None:
        days = made.badge.start or None, made.badge.until or None
        made = replace(made, badge=replace(made.badge, start=days[0], until=days[1]))
    return traits if made == traits else made


class Picture(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, rename="kebab"):
    """A picture in a panel: source, alternative text, caption, title and what it points to.

    `second` is the source of another picture, shown in its place while it is pointed at, and
    `second_target` what that one points to.
    """

    source: str
    alt: str | None = None
    caption: str | None = None
    target: Target | None = None
    title: str | None = None
    second: str | None = None
    second_target: Target | None = None


UNSAID = ("caption", "title")
"""What a picture says beside its source that says nothing where it is empty."""


class Text(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A text in a panel. `form` says how the body is written, for example `markdown`.

    `target` is what the whole text leads to, `links` what links inside it do.
    """

    body: str
    form: str = "plain"
    target: Target | None = None
    links: tuple[Target, ...] = ()


class Markup(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Markup in a panel, and the links found in it."""

    html: str
    links: tuple[Target, ...] = ()


class Products(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Live product cards, by content id."""

    contents: tuple[str, ...]


class MenuReference(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Another menu, shown here by its key. `links` are what its items lead to."""

    menu: str
    links: tuple[Target, ...] = ()


class Generated(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A block that a rule fills: for example the three newest articles."""

    rule: str
    of: str
    count: int


class Form(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """An input form with named fields."""

    fields: tuple[str, ...]


class Widget(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A block of a platform's own, by name."""

    name: str
    settings: tuple[tuple[str, str], ...] = ()


Held = Picture | Text | Markup | Products | MenuReference | Generated | Form | Widget


class Piece(Struct):
    """A block of a column that holds something other than links."""

    holds: Held
    origin: str = ""
    number: int = NOTHING


class Links(Struct):
    """A block of links: a heading item or none, and the items below it.

    `key` is the one that the list has at its platform, if it has one.
    """

    heading: Item | None
    items: list[Item]
    key: str = ""


Block = Links | Piece


class Column(Struct):
    """A column of a panel. `span` is its width in twelfths, None where it is not said.

    `label`, of a pane, has a `target` where it leads somewhere, and a `note` where a line stands
    below it. `id` is its own, and `origin` the place of its own record in the container, where it
    has these.
    """

    blocks: list[Block]
    span: int | None = None
    label: str | None = None
    origin: str = ""
    target: Target | None = None
    note: str | None = None
    id: str = ""


STYLES = ("columns", "tabs", "freehand")
"""What a panel is: columns, panes behind tabs, or markup in place of all else."""


class Panel(Struct):
    """A mega menu: what opens below one item.

    `before` and `after` are markup before and after the columns; `tone` is one of the theme's.
    """

    columns: list[Column]
    style: str = "columns"
    full_width: bool = False
    opens: str | None = None
    tone: str | None = None
    before: Piece | None = None
    after: Piece | None = None


class Item(Struct):
    """One entry of a menu. It has `children` or a `panel`, never both.

    `inherited` is true where the label is its target's title and follows it. `number` is the
    place in reading order within the site that was read; in a tree made by fitting it is a
    reference to what this item came from (see `refs`). `origin` is the place in the container that
    was read.
    """

    id: str
    label: str
    target: Target
    role: Role = "link"
    inherited: bool = False
    children: list[Item] = []
    panel: Panel | None = None
    traits: Traits = PLAIN
    hidden: bool = False
    translations: tuple[tuple[str, str], ...] = ()
    extras: tuple[Extra, ...] = ()
    origin: str = ""
    number: int = NOTHING


class Gathers(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a menu is generated from: the places of its root pages, and how many levels below them.

    `ranked` is true where the pages stand in the order of the page tree.
    """

    roots: tuple[str, ...]
    reach: int
    ranked: bool


class Menu(Struct):
    """A named tree of items.

    `saved` is false for a menu that the platform makes up by itself; `owner` is `platform` for
    one of its back office; `rule` says by what rule it fills or grows, `gathers` the same to a
    program where the menu is generated from pages. `stored` is false where no record stands for
    it: its panels are the whole sequence of a location. `named`: how items of its file name it,
    where that is not its key.
    """

    id: str
    key: str
    title: str
    items: list[Item]
    language: str | None = None
    saved: bool = True
    owner: Literal["site", "platform"] = "site"
    rule: str | None = None
    extras: tuple[Extra, ...] = ()
    origin: str = ""
    gathers: Gathers | None = None
    stored: bool = True
    named: str = ""


class Location(Struct, forbid_unknown_fields=True, omit_defaults=True):
    """A named place of a theme where menus are shown.

    `shows` is the number of levels shown there, None for all of them. `menus` are the ids of the
    menus placed there, in order. `panels` says whether panels are shown there.
    """

    name: str
    caption: str = ""
    purpose: str = "bar"
    audience: tuple[str, ...] = EVERYONE
    devices: tuple[str, ...] = ALL_DEVICES
    shows: int | None = None
    panels: bool = False
    menus: tuple[str, ...] = ()
    key: str | None = None


class Site(Struct):
    """All that one export says of navigation. `addresses` are the URLs that the site answers to."""

    platform: str
    theme: str | None
    addresses: tuple[str, ...] = ()
    languages: tuple[str, ...] = ()
    contents: list[Content] = []
    menus: list[Menu] = []
    locations: list[Location] = []
    extras: tuple[Extra, ...] = ()
    file: str = ""

    def placements(self) -> dict[str, list[Location]]:
        """For each menu id the locations that show it, in the order of the locations."""
        found: dict[str, list[Location]] = {}
        for location in self.locations:
            for menu in location.menus:
                found.setdefault(menu, []).append(location)
        return found


class Rows:
    """The items and pieces of a site as columns, in reading order.

    Row n is `things[n]`; `parent[n]` is the row of its parent, -1 at the top of a menu; `menu[n]`
    the index of its menu; `depth[n]` its level, 1 for the bar itself; `position[n]` its place
    among the rows of the same parent. Parents come before their children. `panelled` are the rows
    of items that have a panel. What items say is a column too, made when first asked for: `said`.
    """

    __slots__ = ("_said", "depth", "menu", "menu_start", "panelled", "parent", "position", "things")

    def __init__(self) -> None:
        self.things: list[Item | Piece] = []
        self.parent: list[int] = []
        self.menu: list[int] = []
        self.depth: list[int] = []
        self.position: list[int] = []
        self.menu_start: list[int] = []
        self.panelled: list[int] = []
        self._said: dict[str, list[Any]] = {}

    def __len__(self) -> int:
        return len(self.things)

    def said(self, name: str) -> list[Any]:
        """What each row says by this attribute, in order; None where it is a block without it."""
        found = self._said.get(name)
        if found is None:
            things = self.things
            if self.panelled:
                found = [getattr(thing, name, None) for thing in things]
            else:  # without a panel there is no block
                found = list(map(attrgetter(name), things))
            self._said[name] = found
        return found

    def targets(self) -> dict[Target, None]:
        """All targets of items and blocks, each once, in the order in which they are met."""
        if not self.panelled:
            return dict.fromkeys(self.said("target"))
        return dict.fromkeys(target for thing in self.things for target in targets_of(thing))

    def below(self, row: int) -> range:
        """The rows that stand below a row, on whatever level."""
        end = row + 1
        while end < len(self.things) and self.depth[end] > self.depth[row]:
            end += 1
        return range(row + 1, end)

    def opens(self, span: range) -> bool:
        """Whether one of these rows has a panel."""
        at = bisect_left(self.panelled, span.start)
        return at < len(self.panelled) and self.panelled[at] < span.stop

    def of_menu(self, menu: int) -> range:
        """The rows of the menu with this index."""
        return range(self.menu_start[menu], self.menu_start[menu + 1])


def blocks_of(panel: Panel) -> list[Block]:
    """All blocks of a panel in reading order, the markup around its columns too."""
    inside = [block for column in panel.columns for block in column.blocks]
    before = [panel.before] if panel.before is not None else []
    after = [panel.after] if panel.after is not None else []
    return [*before, *inside, *after]


def below(item: Item) -> Iterator[tuple[Item | Piece, bool]]:
    """What stands directly below an item: its children, or what its panel holds, in order.

    The second value is true for a row that stands below the heading before it.
    """
    if item.panel is None:
        for child in item.children:
            yield child, False
        return
    if item.panel.before is not None:
        yield item.panel.before, False
    for column in item.panel.columns:
        for block in column.blocks:
            if isinstance(block, Piece):
                yield block, False
                continue
            if block.heading is not None:
                yield block.heading, False
            for child in block.items:
                yield child, block.heading is not None
    if item.panel.after is not None:
        yield item.panel.after, False


def rows_of(menus: list[Menu]) -> Rows:
    """Lay the menus out as rows. Works at any depth, without recursion."""
    rows = Rows()
    things, parents = rows.things, rows.parent
    depths, positions = rows.depth, rows.position
    for index, menu in enumerate(menus):
        start = len(things)
        rows.menu_start.append(start)
        # Siblings that are being laid out, and those above them that wait for it: the list, how far
        # it is laid out, the row above and the level.
        here: Sequence[Item | Piece] = menu.items
        at, parent, depth = 0, -1, 1
        waiting: list[tuple[Sequence[Item | Piece], int, int, int]] = []
        # What stands below the headings of panels, by their identity.
        pending: dict[int, list[Item]] = {}
        while True:
            if at == len(here):
                if not waiting:
                    break
                here, at, parent, depth = waiting.pop()
                continue
            thing = here[at]
            row = len(things)
            things.append(thing)
            parents.append(parent)
            depths.append(depth)
            positions.append(at)
            at += 1
            if type(thing) is Piece:
                continue
            assert isinstance(thing, Item)
            inside: Sequence[Item | Piece] = thing.children
            if thing.panel is not None:
                rows.panelled.append(row)
                inside = _laid_out(thing, pending)
            elif pending and id(thing) in pending:
                inside = pending.pop(id(thing))
            if inside:
                waiting.append((here, at, parent, depth))
                here, at, parent, depth = inside, 0, row, depth + 1
        rows.menu += [index] * (len(things) - start)
    rows.menu_start.append(len(things))
    return rows


def _laid_out(item: Item, pending: dict[int, list[Item]]) -> list[Item | Piece]:
    """What stands directly in a panel; what stands below a heading of it is put into `pending`."""
    head: Item | None = None
    direct: list[Item | Piece] = []
    for inner, under_heading in below(item):
        if under_heading and head is not None:
            assert isinstance(inner, Item)
            pending.setdefault(id(head), []).append(inner)
            continue
        direct.append(inner)
        head = inner if isinstance(inner, Item) else None
    return direct


def links_of(thing: Item | Piece) -> dict[str, Target]:
    """The links of an item or a block by the names of their facts, in the order of `targets_of`."""
    if isinstance(thing, Piece):
        return {f"link:{at}": target for at, target in enumerate(targets_of(thing))}
    found = {"target": thing.target}
    for at, column in enumerate(thing.panel.columns if thing.panel is not None else ()):
        if column.target is not None:
            found[f"column-target:{at}"] = column.target
    return found


def targets_of(thing: Item | Piece) -> list[Target]:
    """The targets of an item with its panes, or of a block of a panel with the links inside it."""
    if isinstance(thing, Item):
        return [thing.target] if thing.panel is None else list(links_of(thing).values())
    if isinstance(thing.holds, Products):
        return [Target("product", key=key) for key in thing.holds.contents]
    own = [getattr(thing.holds, name, None) for name in ("target", "second_target")]
    return [*(t for t in own if t is not None), *getattr(thing.holds, "links", ())]


def label_of(thing: Item | Piece) -> str:
    """What to call a row: an item's label, a picture's caption, or what kind of block it is."""
    if isinstance(thing, Item):
        return thing.label
    kinds = {MenuReference: "menu", Generated: "list that fills itself"}
    kind = kinds.get(type(thing.holds), type(thing.holds).__name__.lower())
    words = getattr(thing.holds, "caption", None) or getattr(thing.holds, "title", None)
    return words or f"({kind})"


def path_to(rows: Rows, row: int) -> tuple[str, ...]:
    """The labels from the top of the menu down to a row; of a very long way its two ends."""
    way: list[int] = []
    while row >= 0:
        way.append(row)
        row = rows.parent[row]
    way.reverse()
    if len(way) <= LONGEST_PATH:
        return tuple(label_of(rows.things[at]) for at in way)
    half = LONGEST_PATH // 2
    ends = [label_of(rows.things[at]) for at in (*way[:half], *way[-half:])]
    return (*ends[:half], "…", *ends[half:])


LONGEST_PATH = 40
"""Labels in a path that is told whole."""


def number(site: Site) -> Rows:
    """Lay a site out as rows and give each item and piece its number."""
    rows = rows_of(site.menus)
    for at, thing in enumerate(rows.things):
        thing.number = at
    return rows


def admits(audience: tuple[str, ...], who: tuple[str, ...]) -> bool:
    """Whether everybody in `who` belongs to `audience`. Roles are members; everyone is all."""
    if audience == who or "everyone" in audience:
        return True
    return all(
        word in audience or (word not in ("everyone", "guests") and "members" in audience)
        for word in who
    )
