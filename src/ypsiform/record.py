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

from . import facts
from .containers import json
from .errors import FormatError
from .model import Rows, Site, Target
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
    """What one run read and wrote. `stayed`: panels beside the menus that were there before."""

    record: int
    ypsiform: str
    platform: str
    theme: str | None
    hashes: dict[str, str | None]
    stayed: int
    menus: list[Menu]


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
        found = repr((name, repr(value)))
        if again:
            remember(known, (name, value), found)
    return found


_OFTEN = (Target, str, bool)


def _fingerprint(
    site: Site,
    rows: Rows,
    at: int,
    spots: Mapping[int, facts.Spot],
    known: dict[tuple[str, object], str],
) -> str:
    """What a menu says, in a few letters: other facts give another fingerprint.

    Where it is shown, and the ids of its items, do not count. `known`: how facts are spelt.
    """
    menu = site.menus[at]
    said = [repr(sorted(facts.of_menu(menu, ("everyone",)).items()))]
    for row in rows.of_menu(at):
        spot = spots.get(row)
        where = (spot.column, spot.block) if spot is not None else None
        own = [(n, _spelt(n, v, known)) for n, v in facts.of_thing(rows.things[row]).items()]
        own.sort()
        words = ", ".join([spelt for _, spelt in own])
        said.append(f"({rows.depth[row]}, {rows.position[row]}, {where}, [{words}])")
    text = f"[{', '.join(said)}]"
    return hashlib.blake2b(text.encode(errors="replace"), digest_size=16).hexdigest()


def fingerprints(site: Site, rows: Rows, keys: Iterable[str]) -> dict[str, str]:
    """The fingerprints of the menus with these keys that are there."""
    wanted, spots = set(keys), facts.spots(rows)
    known: dict[tuple[str, object], str] = {}
    return {
        menu.key: _fingerprint(site, rows, at, spots, known)
        for at, menu in enumerate(site.menus)
        if menu.key in wanted
    }
