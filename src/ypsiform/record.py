"""The record of a conversion: what was written under which key, so that another run finds it.

It stands beside the import file, and holds hashes and fingerprints, and nothing secret. By it a
menu that Ypsiform wrote, and that nobody changed since, is updated; one that somebody changed is
left alone and named.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from . import facts
from .containers import json
from .errors import FormatError
from .model import Item, Piece, Rows, Site, Target
from .values import remember

VERSION = 1
"""The version of the form of records."""

ENDING = ".record.json"
"""What stands behind the name of an import file in the name of its record."""


class Menu(Struct, forbid_unknown_fields=True):
    """A menu that was written: its key, the id of the source's menu that it is, and what it said.

    `part` is 0 for the menu itself, and counts menus that were made of a part of it; `stood` is the
    fingerprint of the menu that it replaced, which is still there while nobody imports it.
    """

    key: str
    source: str
    part: int
    fingerprint: str
    stood: str | None = None


class Record(Struct, forbid_unknown_fields=True):
    """What one run read and wrote. `stayed`: panels beside the menus that were there before.

    `source` says which site was read, by its platform and addresses: ids of menus are those of that
    site, and mean nothing of another one.
    """

    record: int
    ypsiform: str
    platform: str
    theme: str | None
    hashes: dict[str, str | None]
    stayed: int
    menus: list[Menu]
    source: list[str] = []

    def is_of(self, site: Site) -> bool:
        """Whether the run read this site, perhaps as it was at another time."""
        return not self.source or self.source == source_of(site)


def source_of(site: Site) -> list[str]:
    """What tells a site that is read from others: its platform, and its addresses."""
    return [site.platform, *site.addresses]


def read_record(data: bytes, file: str) -> Record:
    """A record from its file. Raises `FormatError` where it is none."""
    try:
        made = msgspec.convert(json.read(data, file), Record)
    except msgspec.ValidationError as error:
        raise FormatError(f"this is no record of a conversion: {error}", file=file) from None
    if made.record != VERSION:
        raise FormatError(
            f"the record is of version {made.record}, and this program knows {VERSION}", file=file
        )
    return made


def to_bytes(record: Record) -> bytes:
    """A record as UTF-8 text."""
    return json.write(record, made=True)


def sha256(data: bytes | None) -> str | None:
    """The hash of a file, as evidence of what was read or written."""
    return hashlib.sha256(data).hexdigest() if data is not None else None


def _spelt(name: str, value: object, known: dict[tuple[str, object], str]) -> str:
    """A fact as it stands in what a fingerprint is made of; most items have the same ones."""
    again = type(value) in _OFTEN and not name.startswith(("label@", "extra:"))
    found = known.get((name, value)) if again else None
    if found is None:
        found = _once(name, value)
        if again:
            remember(known, (name, value), found)
    return found


def _once(name: str, value: object) -> str:
    return repr((name, repr(value)))


_OFTEN = (Target, str, bool)


Ends = tuple[str, str, str]
"""What items of one kind say: before their label, between that and their target, and behind it."""


class _Words:
    """How the items and blocks of a site are spelt: what they say, in the order of its names."""

    def __init__(self) -> None:
        self.known: dict[tuple[str, object], str] = {}
        # By the identity of their traits, which the site holds.
        self.ends: dict[tuple[str, bool, int], Ends] = {}

    def of(self, thing: Item | Piece) -> str:
        """All facts of a thing, spelt."""
        if type(thing) is not Item or thing.panel is not None or thing.extras:
            return ", ".join(spelt for _, spelt in self._spelt(facts.of_thing(thing)))
        key = (thing.role, thing.hidden, id(thing.traits))
        ends = self.ends.get(key)
        if ends is None:
            ends = self._ends(thing)
            remember(self.ends, key, ends)
        words = ends[0] + _once("label", (thing.label, thing.inherited))
        if thing.translations:
            for language, text in sorted(dict(thing.translations).items()):
                words += ", " + _once(f"label@{language}", text)
        target = self.known.get(("target", thing.target))
        return words + ends[1] + (target or _spelt("target", thing.target, self.known)) + ends[2]

    def _spelt(self, said: Mapping[str, object]) -> list[tuple[str, str]]:
        return sorted((name, _spelt(name, value, self.known)) for name, value in said.items())

    def _ends(self, item: Item) -> Ends:
        said = facts.of_item(replace(item, label="", translations=()))
        own = [(n, words) for n, words in self._spelt(said) if n not in ("label", "target")]
        return (
            "".join(f"{words}, " for name, words in own if name < "label"),
            "".join(f", {words}" for name, words in own if "label" < name < "target") + ", ",
            "".join(f", {words}" for name, words in own if name > "target"),
        )


def _fingerprint(
    site: Site, rows: Rows, at: int, spots: Mapping[int, facts.Spot], words: _Words
) -> str:
    """What a menu says, in a few letters: other facts give another fingerprint.

    Where it is shown, and the ids of its items, do not count.
    """
    menu = site.menus[at]
    said = [repr(sorted(facts.of_menu(menu, ("everyone",)).items()))]
    for row in rows.of_menu(at):
        spot = spots.get(row) if spots else None
        where = (spot.column, spot.block) if spot is not None else None
        own = words.of(rows.things[row])
        said.append(f"({rows.depth[row]}, {rows.position[row]}, {where}, [{own}])")
    text = f"[{', '.join(said)}]"
    return hashlib.blake2b(text.encode(errors="replace"), digest_size=16).hexdigest()


def fingerprints(site: Site, rows: Rows, keys: Iterable[str]) -> dict[str, str]:
    """The fingerprints of the menus with these keys that are there."""
    wanted, spots = set(keys), facts.spots(rows)
    words = _Words()
    return {
        menu.key: _fingerprint(site, rows, at, spots, words)
        for at, menu in enumerate(site.menus)
        if menu.key in wanted
    }
