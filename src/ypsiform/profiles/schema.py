"""What a profile file may say, as typed values. The names here are the profile language.

`docs/` describes them for those who write profiles; `load.py` checks a file against them.
"""

# Long, since it is the whole profile language, table by table.

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from typing import Any, TypeVar

from msgspec import Struct, field

from ..encodings import AnyRule
from ..errors import ProfileError
from ..model import TRAIT_NAMES
from .structures import AnyTie
from .trees import ADDRESS

Made = TypeVar("Made")
"""What something is compiled to."""


class FieldRule(Struct, forbid_unknown_fields=True):
    """Where one fact stands in a record, and the chain of codecs between it and the model.

    `at` is a path of keys; one that ends in `*` takes every key with that beginning. `through`
    is applied in order on reading and backwards on writing. `standard` is the value that is
    meant where the key is absent, and that is not written unless `always` is true. `needed`: its
    absence is an error. `among`: the only values that can be held. `flags`: for each word of the
    value a key that says yes or no, in place of `at`. `languages`: a mapping from language to
    text stands there. `is` (constants only): the value that must stand there, and is written.
    """

    at: str = ""
    through: list[dict[str, Any]] = []
    standard: Any = None
    needed: bool = False
    inherits: bool = False
    always: bool = False
    languages: bool = False
    among: list[str] = []
    flags: dict[str, str] = {}
    is_: Any = field(name="is", default=None)


FieldRules = dict[str, str | FieldRule]


class Recognise(Struct, forbid_unknown_fields=True):
    """What tells a file of this platform: the root element, keys of the document, or columns.

    `sure`: keys that must be there too where nobody names the platform. Columns are the header of a
    table; a new one is written with them in this order. `tables`: the statements that make the
    tables of a new database.
    """

    root: str | None = None
    keys: list[str] = []
    sure: list[str] = []
    columns: list[str] = []
    tables: list[str] = []


class SiteRule(Struct, forbid_unknown_fields=True):
    """Facts of the site as a whole: `address`, `language`, `theme`, and constants."""

    fields: FieldRules = {}


class ContentRule(Struct, forbid_unknown_fields=True):
    """Where contents stand. `kind` where all are of one kind; `path` as made from a key.

    `inside`: the key under which records stand in each other. `find`, in place of `at`: a JSONPath
    (RFC 9535) that finds the records, wherever they stand. `only`, `keyed`, `embedded`,
    `serialised`, `composed`, `fold`: see `ItemRule`.
    """

    fields: FieldRules
    at: str = ""
    find: str | None = None
    kind: str | None = None
    path: str | None = None
    word: str = "record"
    only: dict[str, str] = {}
    keyed: str | None = None
    embedded: list[str] = []
    serialised: list[str] = []
    composed: dict[str, str] = {}
    inside: str | None = None
    fold: FoldRule | None = None


class MenuRule(Struct, forbid_unknown_fields=True):
    """Where menus are: listed as records at `at`, or implied by the menu that items name.

    `at = "."`: the document is the one menu that it holds; `one` is its key where nothing says it.
    `placed`: a menu is stored only where a
    location shows it. `platform`: keys of menus that belong to the platform's own back office.
    `find`: see `ContentRule`. `only`, `keyed`, `embedded`, `serialised`, `composed`: see
    `ItemRule`. `value`: of
    keyed menus, the key that a plain list in place of a record stands for. `alone`: where no record
    at `at` is a menu, all of them are the items of one that has these values.
    """

    at: str | None = None
    find: str | None = None
    value: str | None = None
    alone: dict[str, str] = {}
    one: str | None = None
    fields: FieldRules = {}
    word: str = "menu"
    placed: bool = False
    platform: list[str] = []
    only: dict[str, str] = {}
    keyed: str | None = None
    embedded: list[str] = []
    serialised: list[str] = []
    composed: dict[str, str] = {}


class LocationRule(Struct, forbid_unknown_fields=True):
    """How locations say which menu they hold.

    `records`: a list of records with `name`, `caption` and `menu` fields at `at`. `keys`: a
    mapping at `at` whose keys are the locations and whose values are menus. `names`: each
    location shows the menu whose key is its name. `menus`: each menu names its own, in the field
    `place`. `offered`: the locations of a platform that has no themes. `open`, with `names`: the
    format knows no locations, so that each menu is one by its own name, whatever that is.
    `first`, with `menus`: a location shows the first menu that names it, and no other one.
    `declare`: themes can be given further locations, by hand, and these are their legal names.
    """

    at: str = ""
    form: str = "records"
    fields: FieldRules = {}
    offered: list[PlaceRule] = []
    open: bool = False
    first: bool = False
    declare: KeyRule | None = None


class FoldRule(Struct, forbid_unknown_fields=True):
    """Repeated key/value children that are folded into plain fields of their record.

    `named`: all of them are one field; that of a child without a key has this name, that of any
    other one has the key behind it, as `label@nb`.
    """

    children: str
    key: str
    value: str = "#text"
    named: str = ""


LOCATION_FORMS = ("records", "keys", "names", "menus")
MENU_FIELDS = ("key", "id", "title", "saved", "rule", "language", "place", "audience")
ITEM_FIELDS = (
    *("label", "translations", "hidden"),
    *(*TRAIT_NAMES, "badge-from", "badge-until", "badge-counts"),
)
"""The facts of items that fields can hold."""


class KindRule(Struct, forbid_unknown_fields=True):
    """Which combination of values means which kind of target, and how it is written.

    `kind` is a target kind, `address` (the kind is found from the address itself), `internal` (the
    same, and written for pages of the site only) or `divider`. A text of `when` may hold `{id}`,
    `{key}` or `{address}`, as in `page:{id}`; a `*` alone asks that something stands there. `id` is
    the key of the content's id, `key` that of its key, `address` that of the address, `none` the
    text that stands for no target in an address, `bare` that addresses of pages are said without
    the slash that they begin with. `part` is what the record is of a panel: see
    `PanelRule`. `routes`: where the address of a `{key}` stands. `path`: the id is a path of the
    site, and an address where no content has it. `only` is `reading` or `writing` for a rule that
    goes one way. `word`: a class word that records of this kind have; it is none of the item's
    classes. With the kind `any` a record leads where the other rules say. `label`: the key of
    the label of records of this kind, where it is another one than that of all others. `lacks`:
    facts that records of this kind do not hold, though items do: what stands there says nothing.
    `own-address`: where the platform itself shows what a record of this kind leads to, such as the
    list of all articles; where a destination lacks the kind, the link leads to that address.
    """

    when: dict[str, str]
    kind: str
    id: str | None = None
    key: str | None = None
    only: str | None = None
    address: str | None = None
    none: str | None = None
    part: str | None = None
    label: str | None = None
    lacks: list[str] = []
    word: str | None = None
    path: bool = False
    bare: bool = False
    routes: RouteRule | None = None
    own_address: str | None = field(name="own-address", default=None)


class RouteRule(Struct, forbid_unknown_fields=True):
    """Addresses by the name of a route: records at `at` with a `name` and a `pattern`.

    A pattern holds the names of parameters in braces: `/islands/{name}`; the text that names a
    route gives them behind a question mark: `island?name=haldrun`.
    """

    at: str
    name: str
    pattern: str


class PageRule(Struct, forbid_unknown_fields=True):
    """Menus that are generated from a tree of pages.

    The pages are the first rule of `content`, with `inside`. Keys of a page: `listed` (shown in
    menus), `label` (in place of its title), `pointer` (leads to a page's id or to an address; the
    word `none`: nowhere), `filled` (the data source that makes the pages below it). `bars` is where
    menus are listed; keys of one: `name`, `roots` (ids of the pages that it gathers below), `reach`
    (levels), `order`: the word in `ranked`, for the order of the tree, or a key of pages.
    """

    listed: str
    label: str
    pointer: str
    none: str
    filled: str
    bars: str
    name: str
    roots: str
    reach: str
    order: str
    ranked: str


class JoinRule(Struct, forbid_unknown_fields=True):
    """Records at `at` whose key `on` is the id of an item; their other keys become `name/…`.

    `only` as in `ItemRule`, without a `*`; these values are written. `language`: the key of these
    records that names their language; `only` has that of the plain keys, and of any other one a key
    has its language behind it: `name/…@nb`.
    """

    at: str
    on: str
    name: str
    only: dict[str, str] = {}
    language: str | None = None

    @property
    def every(self) -> dict[str, str]:
        """What records of all languages have in common."""
        return {key: word for key, word in self.only.items() if key != self.language}


class ItemRule(Struct, forbid_unknown_fields=True):
    """Where items stand, what ties them, and what they say. `needed` keys must be there.

    `only`: the values that a record must have to be one; a `*` at the end stands for anything,
    alone for something.
    `keyed`: records stand in a mapping, and its keys are read as this key. `embedded`: keys whose
    text is JSON; `serialised`: whose text is a value of PHP (read only). `composed`: keys whose
    text is put together from parts, each read as a key inside it: `link = "{sort}!{ref}"` gives
    `link/sort` and `link/ref`. `find`: see `ContentRule`. `numbers`: keys of ids and places that
    hold whole numbers. `booleans`: keys that tell kinds apart and hold true or false: `true` is a
    word of theirs, and false says nothing. `blanks`: keys that are written as null where there is
    nothing to say. `constants`: keys that always hold this value.
    """

    tie: AnyTie
    fields: FieldRules
    kinds: list[KindRule]
    at: str | None = None
    find: str | None = None
    fold: FoldRule | None = None
    word: str = "item"
    needed: list[str] = []
    only: dict[str, str] = {}
    keyed: str | None = None
    embedded: list[str] = []
    serialised: list[str] = []
    composed: dict[str, str] = {}
    numbers: list[str] = []
    booleans: list[str] = []
    blanks: list[str] = []
    constants: dict[str, Any] = {}
    joins: list[JoinRule] = []
    pages: PageRule | None = None


class KeyRule(Struct, forbid_unknown_fields=True):
    """What a legal key is: a pattern, a greatest length, and what stands between its words."""

    pattern: str
    longest: int
    between: str = "-"


class Limits(Struct, forbid_unknown_fields=True):
    """What can be held by a platform, by one of its themes, or at one location. None: no limit.

    `depth` in levels; `items` in one menu, `total` in all menus, `top` at the top of a menu,
    `under` under one item; `label` and `title` in code points; `menus` in all. `parents`: the
    kinds of items that may have others below them. `unique-labels`: no two items of a menu have
    the same label; `unique-beside`: no two that stand beside each other. `lacks`: traits that a
    theme or location does not hold, though its platform stores them. `menu-key` and `location-
    key`: what their keys may be. `paths`: the pattern of addresses from the root of the site
    that are shown as they are written.
    """

    depth: int | None = None
    items: int | None = None
    total: int | None = None
    top: int | None = None
    under: int | None = None
    label: int | None = None
    title: int | None = None
    menus: int | None = None
    parents: list[str] | None = None
    unique_labels: bool = field(name="unique-labels", default=False)
    unique_beside: bool = field(name="unique-beside", default=False)
    lacks: list[str] = []
    menu_key: KeyRule | None = field(name="menu-key", default=None)
    location_key: KeyRule | None = field(name="location-key", default=None)
    paths: str | None = None

    def narrowed(self, other: Limits | None) -> Limits:
        """These limits and others together: the narrower of each."""
        if other is None:
            return self
        made = Limits(
            unique_labels=self.unique_labels or other.unique_labels,
            unique_beside=self.unique_beside or other.unique_beside,
            lacks=[*self.lacks, *other.lacks],
            menu_key=other.menu_key or self.menu_key,
            location_key=other.location_key or self.location_key,
            paths=other.paths or self.paths,
        )
        for name in NUMBERS:
            given = [v for v in (getattr(self, name), getattr(other, name)) if v is not None]
            setattr(made, name, min(given, default=None))
        if self.parents is None or other.parents is None:
            made.parents = self.parents if other.parents is None else other.parents
        else:
            made.parents = [kind for kind in self.parents if kind in other.parents]
        return made


NUMBERS = ("depth", "items", "total", "top", "under", "label", "title", "menus")
"""The limits that are numbers."""

LIMIT_CODES = {
    "depth": "depth.lifted",
    "items": "menu.too-long",
    "total": "menu.too-long",
    "top": "menu.too-long",
    "under": "menu.too-long",
    "label": "label.cut",
    "title": "menu.renamed",
    "menus": "menu.too-many",
    "parents": "kind.parent",
    "unique-labels": "label.clash",
    "unique-beside": "label.clash",
    "menu-key": "menu.key-taken",
    "paths": "link.rewritten",
}
"""The finding that each limit leads to."""


class RowRule(Struct, forbid_unknown_fields=True):
    """How much fits on the one row of a bar: its width, the gap between items, the size of type.

    All are in pixels of the screen that the theme is made for.
    """

    width: float
    gap: float
    size: float


class PlaceRule(Struct, forbid_unknown_fields=True):
    """A location of a theme. `shows` in levels; `key`: the menu key that is expected there.

    `sequence`: a list of mappings stands there, and this key of one names a menu. `limits`: what
    the location holds less than its theme. `row`: its top level stands on one row.
    """

    name: str
    caption: str = ""
    purpose: str | None = None
    audience: tuple[str, ...] = ("everyone",)
    devices: tuple[str, ...] = ("desktop", "handset")
    shows: int | None = None
    panels: bool = False
    key: str | None = None
    sequence: str | None = None
    limits: Limits | None = None
    row: RowRule | None = None


SAYINGS = (*TRAIT_NAMES, "panel", "translations", "phone")
"""What an item that is written can say beside its label and target."""


class Requirement(Struct, forbid_unknown_fields=True):
    """Something that must be done by hand before an import.

    `step`: what it is, a sentence. `when`: said only where an item that is written says one of
    these, of `SAYINGS`; always where it is left out.
    """

    step: str
    when: list[str] = []


class Theme(Struct, forbid_unknown_fields=True):
    """What one theme offers: its locations, and how panels are encoded for it.

    `kinds` are further kinds of items that only this theme knows, `limits` what it holds less than
    its platform, `requires` what must be done before its menus can be imported. `read-only`: why
    files are never written for it. `no-menus`: files hold no menus; the addresses that menus lead
    to are written as contents in their place.
    """

    locations: list[PlaceRule]
    panels: AnyRule | None = None
    about: str = ""
    kinds: list[KindRule] = []
    limits: Limits | None = None
    requires: list[str | Requirement] = []
    read_only: str = field(name="read-only", default="")
    no_menus: bool = field(name="no-menus", default=False)


class FileRule(Struct, forbid_unknown_fields=True):
    """One of several files that belong together: its name, and the container that it is in.

    A name with a `*` (any name) or `**/` (any folders) stands for several files, each of which is a
    record: see `each.py`. `named`: the key of a record after which a new file of these is called.
    `root`: the root element of a new one in XML; `columns`: the header of a new table.
    """

    name: str
    container: str
    root: str | None = None
    columns: list[str] = []
    named: str | None = None


class FolderRule(Struct, forbid_unknown_fields=True):
    """A folder or zip in which a document is spread over several files, beside a file of its own.

    `main`: the names, without endings, that the document may have; `parts`: for the name of a file
    the key of the document that it holds; `within`: the folders that are looked at, in this order.
    `pages`: a folder of texts in Markdown, which are the records of contents at `#pages`: keys of
    one are `path`, `name` (the path without a language or a slash at its end), `title`, `draft`.
    """

    main: list[str]
    parts: dict[str, str] = {}
    within: list[str] = field(default_factory=lambda: [""])
    pages: str | None = None


class GridRule(Struct, forbid_unknown_fields=True):
    """A table inside a document: rows that are lists of values stand at `at`.

    `columns`: where the list of its columns stands; without it the first row is that. `name`: the
    key of a column that says its name, where columns are mappings.
    """

    at: str
    columns: str | None = None
    name: str | None = None


class MixedRule(Struct, forbid_unknown_fields=True):
    """Records of several `names` side by side: all are read under the first of them.

    Each has its own name under `#kind`, by which kinds tell them apart: see `mixed.py`.
    """

    names: list[str]


class SlugRule(Struct, forbid_unknown_fields=True):
    """Records at `at` whose addresses are made of slugs, from the top down: see `slugs.py`.

    `slug` is the key of a record's own part. What is above it is told by `inside`, the key under
    which records stand in each other (`first`: that key in the records at `at`, where these are
    menus), or by `id` and `under`, the keys of a record's id and of that of the one above it, which
    is `top` where nothing is. `keyed`: records stand in mappings, and without `slug` their names
    are that. `home`: the slug of the start page, which is no part of any address.
    """

    at: str
    slug: str = ""
    inside: str | None = None
    first: str | None = None
    id: str | None = None
    under: str | None = None
    top: str | None = None
    keyed: bool = False
    home: str | None = None


class PageViewRule(Struct, forbid_unknown_fields=True):
    """Files are pages as people see them (HTML only): their navigation is read as plain lists.

    `find` is the CSS selector of what is navigation. A file that holds nothing but `nav` elements
    with plain lists of `li`, each with an `a`, is read as it stands. On writing, the settings of
    the profile give classes to these: see `dressing.py`.
    """

    find: str


class SettingRule(Struct, forbid_unknown_fields=True):
    """Something to choose for the file that is written. `among`: the only values, if not all."""

    about: str
    standard: str = ""
    among: list[str] = []


class Profile(Struct, forbid_unknown_fields=True, dict=True):
    """One platform.

    `also`: further containers that the same document may be in. `others`: other names that keys at
    the top of the document may have. `folder`: the document may be spread over a folder. `page`:
    files are pages. `grids`: tables inside the document, as rows that are lists. `mixed`: records
    of several names side by side. `gathered`: by the name of a menu the path of its list, where the
    lists of menus stand in several places. `pairs`: paths of mappings from labels to addresses, or
    to further such mappings: see `pairs.py`. `headed`: by the place of records the key
    that says alone what heads those behind it: see `headed.py`. `slugs`: records whose addresses
    are made of slugs.
    `above`: by the place of records the key of the address that says what they stand below.
    `settings`: what can be chosen for the file that is written.
    `namespaces`: the prefix by which this profile writes each namespace of XML. `files`: for a
    folder or a zip, the files in it by the first name of their paths. `requires`: what must be
    done at the destination before a file can be imported. `read-only`: why files
    of this platform are read and never written. `panels`: how they are encoded where there are no
    themes.
    """

    profile: int
    id: str
    name: str
    container: str
    recognise: Recognise
    site: SiteRule
    menus: MenuRule
    locations: LocationRule
    items: ItemRule
    about: str = ""
    also: list[str] = []
    others: dict[str, str] = {}
    folder: FolderRule | None = None
    page: PageViewRule | None = None
    grids: list[GridRule] = []
    mixed: list[MixedRule] = []
    gathered: dict[str, str] = {}
    pairs: list[str] = []
    headed: dict[str, str] = {}
    slugs: list[SlugRule] = []
    above: dict[str, str] = {}
    settings: dict[str, SettingRule] = {}
    namespaces: dict[str, str] = {}
    files: dict[str, FileRule] = {}
    requires: list[str | Requirement] = []
    read_only: str = field(name="read-only", default="")
    content: list[ContentRule] = []
    limits: Limits = field(default_factory=Limits)
    themes: dict[str, Theme] = {}
    purposes: dict[str, str] = {}
    panels: AnyRule | None = None
    takes_over: bool = field(name="takes-over", default=False)
    ignore: dict[str, str] = {}

    def __post_init__(self) -> None:
        """No more levels can be stored than the structure of items has a place for."""
        levels = self.items.tie.levels
        if levels is not None and (self.limits.depth is None or self.limits.depth > levels):
            self.limits.depth = levels

    def panels_of(self, theme: str | None) -> AnyRule | None:
        """How panels are encoded for a theme, or by the platform where it has no themes."""
        found = self.theme(theme)
        return found.panels if found is not None else self.panels

    def own_room(self, theme: str | None) -> bool:
        """Whether what the panels of a theme hold is shown in panels alone."""
        rule = self.panels_of(theme)
        return rule is not None and rule.own_room

    def off(self, theme: str | None) -> str:
        """The key by which parts of panels say that they are switched off; empty without one."""
        rule = self.panels_of(theme)
        return rule.off_at if rule is not None else ""

    def theme(self, name: str | None) -> Theme | None:
        """The theme with this name, None where the profile does not describe it."""
        return self.themes.get(name) if name else None

    def require_theme(self, name: str | None) -> None:
        """Raise `ProfileError` where a theme is asked for that the profile does not describe."""
        if name is not None and name not in self.themes:
            known = f"it has: {', '.join(self.themes)}" if self.themes else "it has none"
            raise ProfileError(f"{self.id} has no theme {name!r}; {known}")

    def limits_of(self, theme: str | None, places: Iterable[str] = ()) -> Limits:
        """What a menu can hold under a theme, at locations of these names."""
        found = self.theme(theme)
        limits = self.limits.narrowed(found.limits if found else None)
        for place in found.locations if found else self.locations.offered:
            if place.name in places:
                limits = limits.narrowed(place.limits)
        # Where the document itself is the menu there is one, whatever its limits say.
        most = 1 if self.menus.at == "." else len(self.gathered) or None
        return limits.narrowed(Limits(menus=most)) if most is not None else limits

    @property
    def slug_keys(self) -> tuple[str, ...]:
        """The keys of records by which their addresses are made, and that of these addresses."""
        keys = {key for rule in self.slugs for key in (rule.slug, rule.id, rule.under) if key}
        return (ADDRESS, *sorted(keys)) if self.slugs else ()

    @property
    def only_menus(self) -> tuple[str, ...]:
        """The keys of the only menus that a file can have; none of them where it can have any."""
        return (self.menus.one,) if self.menus.one is not None else tuple(self.gathered)

    @property
    def placed_by_key(self) -> bool:
        """Whether a menu is placed by having the name of its location as key, and so only once."""
        return self.locations.form == "names" or self.menus.at == "."

    def to_write(self, theme: str | None) -> str | None:
        """The theme to write for: the one asked for, else the first that files are written for."""
        if theme is None:
            return next((name for name, rule in self.themes.items() if not rule.read_only), None)
        return theme

    def requirements(self, theme: str | None) -> list[Requirement]:
        """What must be done by hand before a file can be imported, in its order."""
        found = self.theme(theme)
        steps = [*self.requires, *(found.requires if found else ())]
        return [Requirement(step) if isinstance(step, str) else step for step in steps]

    def holds(self, fact: str) -> bool:
        """Whether items can store a fact, by the name of its field rule."""
        if fact == "translations" and self.languages:
            return True
        return fact in self.items.fields

    def kept(self, name: Hashable, make: Callable[[], Made]) -> Made:
        """What is compiled of this profile under a name, made once: a profile is never changed.

        It must know nothing of any file that is read or written.
        """
        held: dict[Hashable, Any] = self.__dict__.setdefault("compiled", {})
        if name not in held:
            held[name] = make()
        made: Made = held[name]
        return made

    def item_kinds(self, theme: str | None) -> list[KindRule]:
        """The kinds of items that a theme of this platform knows."""
        found = self.theme(theme)
        return [*(found.kinds if found else ()), *self.items.kinds]

    @property
    def kinds(self) -> dict[str, KindRule]:
        """The kinds of target that are written by a rule of their own."""
        found: dict[str, KindRule] = {}
        for rule in self.items.kinds:
            if rule.part is None and rule.only != "reading":
                found.setdefault(rule.kind, rule)
        return found

    @property
    def kind_words(self) -> frozenset[str]:
        """Class words that say what kind of item one is."""
        return frozenset(rule.word for rule in self.items.kinds if rule.word)

    @property
    def languages(self) -> bool:
        """Whether a label is a text for each language."""
        label = self.items.fields.get("label")
        return isinstance(label, FieldRule) and label.languages

    @property
    def inherits(self) -> bool:
        """Whether an item without a label shows its content's title."""
        label = self.items.fields.get("label")
        return isinstance(label, FieldRule) and label.inherits
