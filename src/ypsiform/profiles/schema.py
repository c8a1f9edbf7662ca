"""What a profile file may say, as typed values. The names here are the profile language.

`docs/` describes them for those who write profiles; `load.py` checks a file against them.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from ..errors import ProfileError


class FieldRule(Struct, forbid_unknown_fields=True):
    """Where one fact stands in a record, and the chain of codecs between it and the model.

    `at` is a path of keys; one that ends in `*` takes every key with that beginning. `through`
    is applied in order on reading and backwards on writing. `standard` is the value that is
    meant where the key is absent, and that is not written. `needed`: its absence is an error.
    `is` (constants only): the value that must stand there, and is written.
    """

    at: str
    through: list[dict[str, Any]] = []
    standard: Any = None
    needed: bool = False
    inherits: bool = False
    is_: Any = field(name="is", default=None)


FieldRules = dict[str, str | FieldRule]


class Recognise(Struct, forbid_unknown_fields=True):
    """What tells a file of this platform: the root element, keys of the document, or columns.

    Columns are the header of a table; a new one is written with them in this order.
    """

    root: str | None = None
    keys: list[str] = []
    columns: list[str] = []


class SiteRule(Struct, forbid_unknown_fields=True):
    """Facts of the site as a whole: `address`, `language`, `theme`, and constants."""

    fields: FieldRules = {}


class ContentRule(Struct, forbid_unknown_fields=True):
    """Where contents stand. `kind` where all are of one kind; `path` as made from a key."""

    at: str
    fields: FieldRules
    kind: str | None = None
    path: str | None = None
    word: str = "record"


class MenuRule(Struct, forbid_unknown_fields=True):
    """Where menus are: listed as records at `at`, or implied by the menu that items name."""

    at: str | None = None
    fields: FieldRules = {}
    word: str = "menu"


class LocationRule(Struct, forbid_unknown_fields=True):
    """How locations say which menu they hold.

    `records`: a list of records with `name`, `caption` and `menu` fields at `at`. `keys`: a
    mapping at `at` whose keys are the locations and whose values are menus. `names`: each
    location shows the menu whose key is its name.
    """

    at: str = ""
    form: str = "records"
    fields: FieldRules = {}


class FoldRule(Struct, forbid_unknown_fields=True):
    """Repeated key/value children that are folded into plain fields of their record."""

    children: str
    key: str
    value: str = "#text"


class TieRule(Struct, forbid_unknown_fields=True):
    """What ties item records into trees.

    `parent`: flat records; `id`, `menu`, `under` (with `top` for no parent) and `order` are keys.
    `nested`: records stand in their menu and in each other under the key `inside`.
    `outline`: `number` is the place in an outline, as `1.2.1`. `level`: `number` is the level, and
    records stand in reading order. `lineage`: `number` is the ids from the top to the record; its
    parts, as those of an outline, are put together with `between`.
    """

    structure: str
    id: str | None = None
    menu: str | None = None
    under: str | None = None
    top: str = ""
    order: str | None = None
    inside: str | None = None
    number: str | None = None
    between: str = "."

    @property
    def keys(self) -> list[str]:
        """The keys of a record that tie it."""
        named = (self.id, self.menu, self.under, self.order, self.number)
        return [key for key in named if key]


STRUCTURES = ("parent", "nested", "outline", "level", "lineage")


class KindRule(Struct, forbid_unknown_fields=True):
    """Which combination of values means which kind of target, and how it is written.

    `kind` is a target kind, `address` (the kind is found from the address itself) or `divider`.
    `id` is the key of the content's id, `address` the key of the address, `none` the text that
    stands for no target in an address.
    """

    when: dict[str, str]
    kind: str
    id: str | None = None
    address: str | None = None
    none: str | None = None


class ItemRule(Struct, forbid_unknown_fields=True):
    """Where items stand, what ties them, and what they say. `needed` keys must be there."""

    tie: TieRule
    fields: FieldRules
    kinds: list[KindRule]
    at: str | None = None
    fold: FoldRule | None = None
    word: str = "item"
    needed: list[str] = []


class KeyRule(Struct, forbid_unknown_fields=True):
    """What a legal key is: a pattern, a greatest length, and what stands between its words."""

    pattern: str
    longest: int
    between: str = "-"


class Limits(Struct, forbid_unknown_fields=True):
    """What can be stored. None: no limit.

    `depth` in levels; `items` in one menu; `label` and `title` in code points; `menus` in all.
    """

    depth: int | None = None
    items: int | None = None
    label: int | None = None
    title: int | None = None
    menus: int | None = None
    menu_key: KeyRule | None = field(name="menu-key", default=None)


class PanelRule(Struct, forbid_unknown_fields=True):
    """How panels are encoded: the name of a strategy, and its parameters.

    `directives`: words among an item's classes; `panel`, `column`, and the words for `opens` and
    `full-width`. `bound`: records at `at` that are tied by the text at `text` to a top item of
    the menu at `location`, and show the menus named at `menus`.
    """

    encoding: str
    most: int | None = None
    panel: str = ""
    column: str = ""
    opens: dict[str, str] = {}
    opens_standard: str = field(name="opens-standard", default="")
    full_width: dict[str, bool] = field(name="full-width", default={})
    full_width_standard: str = field(name="full-width-standard", default="")
    at: str = ""
    text: str = ""
    location: str = ""
    menus: str = ""


class PlaceRule(Struct, forbid_unknown_fields=True):
    """A location of a theme. `shows` in levels; `key`: the menu key that is expected there."""

    name: str
    caption: str = ""
    purpose: str | None = None
    audience: tuple[str, ...] = ("everyone",)
    devices: tuple[str, ...] = ("desktop", "handset")
    shows: int | None = None
    panels: bool = False
    key: str | None = None


class Theme(Struct, forbid_unknown_fields=True):
    """What one theme offers: its locations, and how panels are encoded for it."""

    locations: list[PlaceRule]
    panels: PanelRule | None = None
    about: str = ""


class Profile(Struct, forbid_unknown_fields=True):
    """One platform."""

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
    content: list[ContentRule] = []
    limits: Limits = field(default_factory=Limits)
    themes: dict[str, Theme] = {}
    purposes: dict[str, str] = {}

    def theme(self, name: str | None) -> Theme | None:
        """The theme with this name, None where the profile does not describe it."""
        return self.themes.get(name) if name else None

    def require_theme(self, name: str | None) -> None:
        """Raise `ProfileError` where a theme is asked for that the profile does not describe."""
        if name is not None and name not in self.themes:
            raise ProfileError(f"{self.id} has no theme {name!r}; it has: {', '.join(self.themes)}")

    def holds(self, fact: str) -> bool:
        """Whether items can store a fact, by the name of its field rule."""
        return fact in self.items.fields

    @property
    def kinds(self) -> dict[str, KindRule]:
        """The kinds of target that are written by a rule of their own."""
        found: dict[str, KindRule] = {}
        for rule in self.items.kinds:
            found.setdefault(rule.kind, rule)
        return found

    @property
    def inherits(self) -> bool:
        """Whether an item without a label shows its content's title."""
        label = self.items.fields.get("label")
        return isinstance(label, FieldRule) and label.inherits
