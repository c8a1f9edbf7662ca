"""What the concerns of fitting share: the job, and the losses found so far."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any, Protocol

from msgspec import Struct
from msgspec.structs import replace

from .. import refs
from ..addresses import Hosts
from ..decisions import ChoiceError, ItemChoice, LinkChoice, MenuChoice
from ..encodings import encoding_of
from ..facts import Went, spots
from ..findings import CODES, Cover, Finding, Outcome, Severity, enumerated
from ..model import (
    Content,
    Extra,
    Item,
    Location,
    Menu,
    Rows,
    Site,
    Target,
    Traits,
    label_of,
    path_to,
)
from ..modes import Mode, mode_of
from ..profiles.files import settled, shape_of, unwritable
from ..profiles.kinds import Kinds
from ..profiles.places import location_of, offered, says_purpose
from ..profiles.records import holds_value, plain
from ..profiles.schema import Limits, Profile, Theme
from ..profiles.trees import spell
from ..values import remember
from ..visibility import Seen, shown_levels
from .best import Branch
from .ledger import Ledger
from .options import Options


class Fate:
    """What becomes of one source menu: its key and title, what it replaces, where it is placed."""

    def __init__(self, index: int, menu: Menu) -> None:
        self.index = index
        self.menu = menu
        self.locations: list[Location] = []
        # The source's location that each of them, by its name, stands for.
        self.stood_at: dict[str, Location] = {}
        self.key = menu.key
        self.title = menu.title
        self.replaces: Menu | None = None
        self.made: Menu | None = None
        self.unplaced: Finding | None = None
        self.free_key = False
        self.joins: Fate | None = None
        # Where it joins another one because only some devices had it: which ones.
        self.devices: tuple[str, ...] | None = None
        # Its turn among the menus that are placed, in the order of the source's locations.
        self.turn = 1 << 30
        # Its placements where it joins another one, with where that was and where it would be.
        self.shared: list[tuple[Cover, str, str]] = []
        self.declared: str | None = None
        self.limits = Limits()

    @property
    def name(self) -> str:
        """What to call the menu in a sentence."""
        return self.menu.title or self.menu.key


class Earlier(Struct):
    """What an earlier run wrote that still stands at the destination.

    `same`: by the id of a source's menu and the number of a part of it (0: the menu itself) the key
    of the menu that is there as it was written; `changed`: by the id the key of one that somebody
    changed since.
    """

    same: dict[tuple[str, int], str] = {}
    changed: dict[str, str] = {}


class Standing(Protocol):
    """What stands at the destination: a site as it was read."""

    site: Site
    rows: Rows
    seen: list[Seen]
    used: set[str]


class Work:
    """One job of fitting, and what was found on the way.

    `base` is the destination's export, where menus go into one. `in_place`: the file to write
    starts from one that there is, which a source that comes from a document of our own does not
    give. What it starts from is its `mode`.
    """

    def __init__(
        self,
        source: Site,
        rows: Rows,
        seen: list[Seen],
        source_profile: Profile,
        profile: Profile,
        theme_name: str | None,
        base: Standing | None,
        options: Options,
        in_place: bool,
    ) -> None:
        self.source, self.rows, self.seen, self.options = source, rows, seen, options
        self.source_profile, self.profile = source_profile, profile
        self.theme_name = theme_name
        self.theme: Theme | None = profile.theme(theme_name)
        self.base = base.site if base else None
        self.base_rows = base.rows if base else Rows()
        self.base_seen = base.seen if base else []
        self.used = base.used if base else set()
        self.ignore = source_profile.ignore
        self.same_platform = source_profile == profile
        self.mode = mode_of(
            into=base is not None,
            own=self.same_platform and in_place,
            same_theme=source.theme == theme_name,
        )
        self.same_encoding = self.same_platform and (
            source_profile.panels_of(source.theme) == profile.panels_of(theme_name)
        )
        rules = profile.item_kinds(theme_name)
        self.kinds = Kinds(rules)
        self.deciding = {key for rule in rules for key in rule.when}
        self.deciding |= {rule.label for rule in rules if rule.label}
        encoded = source_profile.panels_of(source.theme)
        # How the panels of the source are encoded, and those of the destination.
        self.encoded = encoding_of(encoded)
        fields = source_profile.items.fields
        kinds = source_profile.item_kinds(source.theme)
        unsaid = [name for rule in kinds for name in rule.lacks]
        unsaid += encoded.lacks if encoded is not None else []
        self.lacked = {plain(fields[name]).at for name in unsaid if name in fields}
        self.pointing = {key for rule in rules for key in (rule.id, rule.key, rule.address) if key}
        self.pointing |= {key for rule in rules for key, said in rule.when.items() if "{" in said}
        self.inventory: list[Content] = []
        if self.same_file:
            self.inventory = source.contents
        elif base is not None:
            self.inventory = base.site.contents
        self.hosts = Hosts(source.addresses)
        self.placements = source.placements()
        self.names = {menu.id: menu.title or menu.key for menu in source.menus}
        self.titles = {menu.key: menu.title for menu in source.menus}
        self.implied_menus = profile.menus.at is None and profile.items.pages is None
        self.language = next(iter(source.languages), "en")
        self.ledger = Ledger()
        # Traits that are held as they are, lifted or not, at places that lack the same facts.
        self.held_whole: dict[tuple[Traits, bool, tuple[str, ...]], Traits] = {}
        self._can_hold: dict[tuple[str, Any], bool] = {}
        self.fates: list[Fate] = []
        self.joined: list[Fate] = []
        self.earlier = Earlier()
        # Menus of the destination that an earlier run wrote and that are written anew, by number.
        self.renewed: set[int] = set()
        # Locations of the destination that what is updated there is no longer shown at.
        self.emptied: set[str] = set()
        self.secondary: list[Fate] = []
        # Locations that nothing is shown at, found when first asked for.
        self.vacant: list[Location] | None = None
        self.kept: list[Menu] = []
        self.locations: list[Location] = self._locations()
        self.unwritable: re.Pattern[str] | None = unwritable(profile)
        self.encoding = encoding_of(profile.panels_of(theme_name))
        # Facts that items hold, and headings of panels do not; whether their labels stand apart,
        # where none follows its page.
        by_column = self.encoding is not None and self.encoding.column_heads
        heads = "column" if by_column else "heading"
        parts = [rule for rule in rules if rule.part == heads]
        self.own_labels = any(rule.label for rule in parts)
        self.lacking = {fact for rule in parts for fact in rule.lacks}
        self.lacking |= {*(self.encoding.rule.lacks if self.encoding is not None else ())}
        rule = profile.items.fields.get("label")
        between_tags = rule is not None and plain(rule).at.endswith("#text")
        # What is read of a label, where that is not just what was written.
        self.settle: Callable[[str], str] | None = None
        if between_tags:
            at = profile.items.at or profile.menus.at
            self.settle = shape_of(profile).of(at or "").settled
        self.moved: dict[int, Finding] = {}
        # Rows that are shown because an item that was switched off is published.
        self.published: dict[int, Finding] = {}
        # What unread data becomes where a document is written in another form.
        self.adapt: Callable[[Any], Any] | None = None
        self.branches: list[Branch] = []
        # Top items whose branches open as a panel.
        self.opened: set[int] = set()
        # Top items that are languages: '' where their labels stand elsewhere.
        self.tongues: dict[int, str] = {}
        # Items that are the one above them in a further language, with that language.
        self.nested: dict[int, str] = {}
        # Facts of the source that stand in another record than that of their own thing.
        self.went: list[Went] = []
        self.more_labels: dict[int, list[tuple[str, str]]] = {}
        # Panels that are written, and the keys of their lists, by the identity of each.
        self.panels = 0
        self.list_keys: set[str] = set()
        self.list_of: dict[int, str] = {}
        self._made = 0
        # The effort of reaching each row, and how much it counts; found when first asked for.
        self.ways: tuple[list[float], list[float]] | None = None
        # Where rows of the source stand in panels.
        self.spots = spots(rows)
        # Items that all menus together have room for; it is counted down.
        self.room: int | None = None

    def pages_stay(self, fate: Fate) -> bool:
        """Whether the pages that a menu is made of can stay as they are, whatever the theme is.

        They cannot where another theme shows pages that markup stood in place of, or fewer levels.
        """
        if not self.same_file or self.profile.items.pages is None:
            return False
        if self.as_it_stands or not self.rows.of_menu(fate.index):
            return True
        choice = self.chosen(fate.menu)
        if choice is not None and choice.changes_items:
            return False
        panels = (item.panel for item in fate.menu.items)
        bare = all(panel is None or panel.style != "freehand" for panel in panels)
        shown = shown_levels(fate.locations) if fate.locations else None
        deepest = max(self.rows.depth[row] for row in self.rows.of_menu(fate.index))
        return (bare or self.same_encoding) and (shown is None or deepest <= shown)

    def goes(self, row: int, fact: str, number: int, into: str) -> None:
        """Note that a fact of a row stands in the record of the item of this reference."""
        there = refs.meant(number)
        assert there is not None
        self.went.append(Went(row, fact, there.side, there.row, into))

    def next_made(self) -> int:
        """A reference for one more item that a rule made, and that no other one has."""
        self._made += 1
        return refs.further(self._made)

    def _locations(self) -> list[Location]:
        """The destination's locations: those of the theme, and others that its file has."""
        found = offered(self.profile, self.theme)
        names = {location.name for location in found}
        file = self.source if self.same_file else self.base
        if self.profile.locations.open:
            # The format knows no locations: it takes over the names of those that there are.
            own = file.locations if file else []
            if only := self.profile.only_menus:
                return [location_of(self.profile, name, None) for name in only]
            found = [replace(place, menus=()) for place in own]
            names = {place.name for place in own}
            rivals = Counter((p.purpose, p.audience) for p in self.source.locations if p.menus)
            there = Counter((p.purpose, p.audience) for p in own if says_purpose(p.name))
            found += [
                location_of(self.profile, place.name, None)
                for place in self.source.locations
                if place.name not in names and place.menus and not _stands(place, rivals, there)
            ]
        elif file is not None and self.profile.locations.form in ("records", "menus"):
            # What another theme said of a location does not hold for this one.
            found += [
                replace(location_of(self.profile, place.name, None), caption=place.caption)
                for place in file.locations
                if place.name not in names
            ]
        return found

    def look_at_limits(self) -> None:
        """Find what each menu can hold at its places, and the room for items of all menus."""
        for fate in self.fates:
            places = [place.name for place in fate.locations]
            fate.limits = self.profile.limits_of(self.theme_name, places)
        self.room = self.profile.limits_of(self.theme_name).total
        if self.room is not None and self.base is not None:
            kept = {id(menu) for menu in self.kept}
            for at, menu in enumerate(self.base.menus):
                if id(menu) in kept:
                    self.room -= len(self.base_rows.of_menu(at))

    def chosen(self, menu: Menu) -> MenuChoice | None:
        """What was decided about a menu of the source."""
        return self.options.decisions.menus.get(menu.id)

    def chosen_places(self, fate: Fate) -> tuple[str, ...] | None:
        """The names of the locations that were decided for a menu; None where none were.

        Where a menu is shown by its key, to update another one decides this as well. Raises
        `ChoiceError` where both are decided, and differ.
        """
        choice = self.chosen(fate.menu)
        if choice is None or choice.update is None or not self.profile.placed_by_key:
            return choice.locations if choice is not None else None
        there = tuple(p.name for p in self.locations if p.name == choice.update)
        if choice.locations and choice.locations != there:
            raise ChoiceError(
                f"the menu updates {choice.update!r} there, and is shown where that one is; leave "
                "one of the two decisions out",
                [*choice.steps, "locations"],
            )
        return there

    def chosen_item(self, row: int) -> ItemChoice | None:
        """What was decided about the item of a row."""
        if not self.options.decisions.menus:
            return None
        choice = self.chosen(self.source.menus[self.rows.menu[row]])
        thing = self.rows.things[row]
        return choice.items.get(thing.id) if choice and isinstance(thing, Item) else None

    def publishes(self, row: int) -> bool:
        """Whether an item that is switched off is to be shown, as was decided.

        Raises `ChoiceError` for an item that is not switched off, or that stays below one that is.
        """
        choice = self.chosen_item(row)
        if choice is None or not choice.publish:
            return False
        steps = [*choice.steps, "publish"]
        if not getattr(self.rows.things[row], "hidden", False):
            raise ChoiceError(
                f"the item “{self.label(row)}” is not switched off: nothing is to be published",
                steps,
            )
        above = self.rows.parent[row]
        while above >= 0:
            if getattr(self.rows.things[above], "hidden", False) and not self.publishes(above):
                raise ChoiceError(
                    f"“{self.label(row)}” stands below “{self.label(above)}”, which stays switched "
                    "off",
                    steps,
                )
            above = self.rows.parent[above]
        return True

    @property
    def same_file(self) -> bool:
        """Whether a file is converted to its own platform, and starts from itself."""
        return self.mode.own_file

    @property
    def as_it_stands(self) -> bool:
        """Whether it also keeps the theme that it has."""
        return self.mode is Mode.AS_IT_STANDS

    def holds(self, fate: Fate, fact: str) -> bool:
        """Whether the items of a menu can hold a fact, by the name of its field."""
        return fact not in fate.limits.lacks and self.profile.holds(fact)

    def can_hold(self, fact: str, value: Any) -> bool:
        """Whether items can hold a value of a fact, and give it back."""
        found = self._can_hold.get((fact, value))
        if found is None:
            found = holds_value(self.profile, fact, value)
            remember(self._can_hold, (fact, value), found)
        return found

    def writes_back(self, extra: Extra, *, elsewhere: bool) -> bool:
        """Whether unread data of an item is written back.

        Where panels are encoded in another way, what looks like a part of one is not; and where the
        item leads `elsewhere` now, what stood beside its target would be taken for it.
        """
        elsewhere = elsewhere or not self.same_encoding
        if not self.same_platform or (elsewhere and extra.path in self.pointing):
            return False
        changed = not self.as_it_stands or self.options.languages != "keep"
        if extra.path == "#name" and not self.as_it_stands:
            return False  # another theme may know no such records
        if changed and self._lacked(extra.path):
            return False  # as an item it would be read
        if extra.again and changed:
            return False  # of a key that stands more than once the last one counts
        if self.same_encoding:
            return True
        in_panel = self.encoded is not None and self.encoded.inside(extra)
        return not in_panel and extra.path not in self.deciding

    def _lacked(self, key: str) -> bool:
        """Whether a key says a fact of items that some kind of them does not hold."""
        return any(
            key == at or (at.endswith("*") and key.startswith(at[:-1])) for at in self.lacked
        )

    def clean(self, text: str) -> str:
        """A text without the characters that the destination's file format cannot write."""
        return self.unwritable.sub("", text) if self.unwritable is not None else text

    def clean_label(self, label: str) -> str:
        """A label as the destination's file format gives it back."""
        label = self.clean(label)
        return label if self.settle is None else self.settle(label)

    def clean_title(self, title: str) -> str:
        """A menu's title as the destination's file format gives it back."""
        menus = self.profile.menus
        return settled(self.profile, menus.at, menus.fields.get("title"), self.clean(title))

    def at(self, menu: str) -> list[Location]:
        """The source's locations that show a menu."""
        return self.placements.get(menu, [])

    def label(self, row: int) -> str:
        """The label of a row; a picture's caption."""
        return label_of(self.rows.things[row])

    def origin(self, row: int) -> str:
        """Where a row was read."""
        thing = self.rows.things[row]
        rule = self.source_profile.items
        if isinstance(thing, Item) and rule.tie.id:
            return f"{self.source.file}: {rule.word} {thing.id}"
        return f"{self.source.file}: {spell(thing.origin)}"

    def loss(
        self,
        code: str,
        outcome: Outcome,
        covers: list[Cover],
        *,
        severity: Severity | None = None,
        menu: str | None = None,
        row: int | None = None,
        before: str | None = None,
        after: str | None = None,
        labels: tuple[str, ...] = (),
        origin: str | None = None,
        standing: Menu | None = None,
    ) -> Finding:
        """Report a loss, and the facts that it covers. `standing`: a menu of the destination."""
        thing = self.rows.things[row] if row is not None else None
        if row is not None and menu is None:
            menu = self.source.menus[self.rows.menu[row]].id
        made = Finding(
            code,
            severity or CODES[code].severity,
            outcome,
            menu,
            thing.id if isinstance(thing, Item) else None,
            path_to(self.rows, row) if row is not None else (),
            origin or (self.origin(row) if row is not None else self.source.file),
            before,
            after,
            labels,
            covers,
            self.names.get(menu or ""),
        )
        if standing is not None:
            made.menu, made.menu_name = standing.id, standing.title or standing.id
        self.ledger.enter(made)
        return made


def _stands(place: Location, rivals: Counter[Any], there: Counter[Any]) -> bool:
    """Whether one location of a file, and one only, is for what a location of the source is.

    Both must say what they are for by the name that they have. `rivals` and `there` count those of
    each side by what they are for, and for whom.
    """
    like = (place.purpose, place.audience)
    return says_purpose(place.name) and rivals[like] == 1 and there[like] == 1


def item_facts(row: int, *facts: str) -> list[Cover]:
    """Facts of one source row."""
    return [Cover(0, "item", (row,), fact) for fact in facts]


class Fitted(Struct):
    """What is to be written.

    `menus` are the fates of the source's menus that are converted, each with its `made` menu;
    `kept` the destination's own menus that stay as they are; `locations` the destination's
    locations with their new placements; `touched` the names of those that changed; `fills` the keys
    of generated menus whose pages show what replaces them, `stays` of those whose pages show what
    they did; `overwritten` is where locations named missing menus and show others now; `went` are
    facts of the source that stand in another record than that of their own thing; `site` is all
    that will be there. `wanted` are the contents of the source that links lead to, `inventory`
    those of the destination that they may be matched with, `held` the kinds that the destination
    knows; `decided` is what was decided about links; `joined` are menus whose items stand in
    another one; `secondary` are made of a part of one, or in another language; `parts`: for the key
    of a menu those of the parts that panels in a sequence split off; `branches` are those that were
    too deep, with the costs of the choices for them.
    """

    menus: list[Fate]
    kept: list[Menu]
    locations: list[Location]
    touched: set[str]
    theme: str | None
    losses: list[Finding]
    notices: list[Finding]
    site: Site
    matches: list[tuple[tuple[str, str], tuple[str, str], str]]
    removed: list[str] = []
    overwritten: list[str] = []
    fills: frozenset[str] = frozenset()
    stays: frozenset[str] = frozenset()
    renewed: set[int] = set()
    joined: list[Fate] = []
    went: list[Went] = []
    parts: dict[str, list[str]] = {}
    secondary: list[Fate] = []
    branches: list[Branch] = []
    wanted: list[Content] = []
    inventory: list[Content] = []
    held: frozenset[str] = frozenset()
    hosts: Hosts | None = None
    decided: dict[tuple[str, str], LinkChoice] = {}

    def pair_of(self, target: Target) -> tuple[str, str] | None:
        """The kind and id of the content that a target of the source is matched by."""
        if target.content is not None:
            return target.kind, target.content
        if target.kind == "page" and target.address is not None and self.hosts is not None:
            return "page", self.hosts.read(target.address).path
        return None


UNSEEN = "it is stored, but visitors will not see it"
"""What becomes of a menu without a location."""


def seen_at(places: Iterable[Location]) -> str:
    """What becomes of a menu that keeps these locations of several."""
    names = [f"“{place.caption or place.name}”" for place in places]
    return f"visitors still see it at {enumerated(names)}" if names else UNSEEN
