"""A file that is being read: the tree, the profile compiled, and what was found so far."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from ...addresses import Hosts
from ...containers import ASIDE, ENCODED, LEFT_OUT, Shape
from ...encodings import Encoding
from ...errors import FormatError
from ...findings import Finding
from ...model import (
    Content,
    Extra,
    Item,
)
from ..alike import Alike
from ..files import shape_of
from ..items import Items, Mark
from ..laid import layouts_of
from ..records import Pairs, RecordRule, Values
from ..schema import Profile, Theme
from ..sections import Section, Sections
from ..trees import spell


class Reading:
    """One file on its way into a site, and what the sections share.

    `items`, `encoding`, `contents` and `hosts` are known once the site's own facts are.
    """

    items: Items
    encoding: Encoding | None
    contents: list[Content]
    hosts: Hosts

    def __init__(
        self,
        tree: Any,
        profile: Profile,
        file: str,
        theme: str | None,
        fold_from: int | None,
        encoded: str | None,
    ) -> None:
        self.encoded = encoded
        self.profile, self.file, self.fold_from = profile, file, fold_from
        self.shape: Shape = shape_of(profile)
        self.left_out: dict[str, int] = tree.get(LEFT_OUT, {}) if isinstance(tree, dict) else {}
        self.odd: str = tree.get(ENCODED, "") if isinstance(tree, dict) else ""
        self.aside: dict[str, int] | None = tree.get(ASIDE) if isinstance(tree, dict) else None
        self.tree = self.shape.root(tree)
        self.paths = Sections(profile)
        self.alike: Alike | None = None
        self.notices: list[Finding] = []
        # Records that no rule matched, counted by the list that they stand in.
        self.whole: dict[str, int] = {}
        self.asked_theme = theme
        self.marks: Mark = {}
        self.theme: Theme | None = None
        self.spoken: tuple[str, ...] = ()
        # Who sees menus that say so themselves, by their keys.
        self.restricted: dict[str, tuple[str, ...]] = {}
        # The locations that menus name themselves, by their keys.
        self.named_places: dict[str, tuple[str, ...]] = {}

    def fail(self, message: str, place: str) -> FormatError:
        """An error at a place of the file, to be raised."""
        return FormatError(message, file=self.file, place=place)

    def records(self, section: Section) -> list[tuple[str, Any]]:
        """The records of a section, each with its place."""
        try:
            return section.read(self.shape, self.tree)
        except FormatError as error:
            raise self.fail(error.message, error.place) from None

    def values(self, rule: RecordRule, node: Any, place: str) -> tuple[Values, list[Extra]]:
        """What a record says by its rule, and what else it says."""
        try:
            layouts = layouts_of(rule)
            laid = layouts.lay(node) if layouts.shaped and isinstance(node, dict) else None
            if laid is None:
                return rule.read(node)
            return rule.read_pairs(list(zip(*laid, strict=True)))
        except FormatError as error:
            raise self.fail(error.message, spell(place)) from None

    def item(self, pairs: Pairs, place: str, lacks: Collection[str] = ()) -> tuple[Item, Values]:
        """The item of a record, which does not hold what it `lacks`, and the record's values."""
        try:
            values, extras = self.items.record.read_pairs(pairs)
            return self.items.item(values, extras, place, self.marks, lacks), values
        except FormatError as error:
            raise self.fail(error.message, spell(place)) from None

    def item_at(self, node: Any, place: str) -> tuple[Item, Values]:
        """The item of a record that stands at a place, and what the record says of that place."""
        if self.alike is None:
            self.alike = Alike(self.items)
        return self.alike.item(node, place) or self.item(self.items.record.pairs(node), place)

    def found(self) -> set[int]:
        """The records (by identity) that a JSONPath finds, wherever they stand."""
        return {
            id(node)
            for section in (*self.paths.content, self.paths.menus, self.paths.items)
            if section is not None and section.find
            for _, node in self.records(section)
        }

    def whole_record(self, path: str, node: Any, extras: list[Extra]) -> Extra:
        """A record that no rule matched; its place among its like may change: it is counted."""
        if path not in self.whole:
            self.whole[path] = sum(extra.path == path for extra in extras)
        self.whole[path] += 1
        return Extra(path, node, self.whole[path] - 1)
