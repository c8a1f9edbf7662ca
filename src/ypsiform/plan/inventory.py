"""What exists at the destination, where its export does not say: sitemaps, tables, redirects."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from ..addresses import Hosts, normal_path
from ..containers import container, sniff
from ..decisions import LinkChoice, Pair
from ..errors import FormatError
from ..model import Content
from ..profiles.files import load_tree
from ..profiles.load import load
from ..profiles.read import site_of
from ..recognise import fits

ADDRESS = ("address", "url", "path", "loc", "link", "permalink")
TITLE = ("title", "name", "label")
OLD = ("old", "from", "source", "old address", "old url")
NEW = ("new", "to", "target", "destination", "new address", "new url")


def read_inventory(data: bytes, file: str) -> list[Content]:
    """The pages that a sitemap or a table lists, with addresses from the root of their site.

    A table has a column for the address, and perhaps one for the title. Raises `FormatError`.
    """
    if sniff(data, file) == "xml":
        profile = load("sitemap")
        tree = load_tree(data, file, profile)
        if not fits(tree, profile):
            raise FormatError(
                "an inventory is a sitemap or a table (CSV), and this is none", file=file
            )
        return site_of(tree, profile, file, "inventory").site.contents
    rows, columns = _table(data, file)
    address, title = _column(columns, ADDRESS), _column(columns, TITLE)
    if address is None:
        raise FormatError(
            f"no column holds addresses: one is called {', '.join(ADDRESS)}; found: "
            + ", ".join(columns),
            file=file,
            place="line 1",
        )
    from ..profiles.paths import from_root, origin

    listed = [
        Content(row[address], "page", row.get(title or "", ""), path=row[address])
        for row in rows
        if row.get(address)
    ]
    site = origin(listed)
    return from_root(listed, Hosts([site] if site else []))


class Redirects(NamedTuple):
    """Where contents lead by a table, and the old addresses in it that no page answers to."""

    choices: dict[Pair, LinkChoice]
    unknown: list[str]


def read_redirects(
    data: bytes,
    file: str,
    wanted: dict[Pair, Content],
    hosts: Hosts,
    others: Iterable[Content] = (),
) -> Redirects:
    """Where the old addresses of contents lead now, by a table with the columns `old` and `new`.

    `wanted` are those that links lead to, `others` what else the site has. A redirect to another
    one is followed. Raises `FormatError`, also where redirects form a ring.
    """
    rows, columns = _table(data, file)
    old, new = _both(columns, OLD, NEW, "redirects are a table with the columns old and new", file)
    table: dict[str, str] = {}
    for number, row in enumerate(rows, 2):
        if row.get(old) and row.get(new):
            path = hosts.read(row[old]).path
            if table.setdefault(path, row[new]) != row[new]:
                message = f"{row[old]} is redirected twice, to different addresses"
                raise FormatError(message, file=file, place=f"line {number}")
    made: dict[Pair, LinkChoice] = {}
    known = {hosts.read(address).path for address in table.values()}
    known.update(hosts.read(content.path).path for content in others if content.path)
    for pair, content in wanted.items():
        path = hosts.read(content.path or "").path
        known.add(path)
        if path in table:
            made[pair] = LinkChoice(address=_followed(path, table, hosts, file))
    return Redirects(made, [path for path in table if path not in known])


def read_visits(data: bytes, file: str) -> dict[str, float]:
    """Visits by normalised path, by a table with the columns `address` and `visits`.

    Raises `FormatError` with the line of a count that is none.
    """
    rows, columns = _table(data, file)
    words = "visits are a table with the columns address and visits"
    address, visits = _both(columns, ADDRESS, ("visits", "views", "count"), words, file)
    made: dict[str, float] = {}
    for number, row in enumerate(rows, 2):
        said = row.get(visits, "0").strip()
        if not re.fullmatch(r"\d+(\.\d{1,2})?", said):
            message = f"{said!r} is not a number of visits"
            bare = re.sub(r"[\s.,'’]", "", said)
            if re.fullmatch(r"\d{1,3}([\s.,'’]\d{3})+", said):
                message += f"; if it is {bare}, write it without marks between the thousands"
            raise FormatError(message, file=file, place=f"line {number}")
        parts = urlsplit(row.get(address, ""))
        path = normal_path(parts.path)
        made[path] = made.get(path, 0.0) + float(said)
    return made


def _followed(path: str, table: dict[str, str], hosts: Hosts, file: str) -> str:
    way = [path]
    while True:
        address = table[way[-1]]
        there = hosts.read(address)
        if there.path in way:
            raise FormatError(f"redirects go round in a ring: {' → '.join(way)}", file=file)
        if there.kind == "external" or there.path not in table:
            return address
        way.append(there.path)


def _table(data: bytes, file: str) -> tuple[list[dict[str, str]], list[str]]:
    tree: Any = container("csv").read(data, file)
    return tree["rows"], tree["columns"]


def _column(columns: list[str], names: tuple[str, ...]) -> str | None:
    known = {column.strip().lower(): column for column in columns}
    return next((known[name] for name in names if name in known), None)


def _both(
    columns: list[str], one: tuple[str, ...], other: tuple[str, ...], words: str, file: str
) -> tuple[str, str]:
    """Two columns that must be there. Raises `FormatError`."""
    first, second = _column(columns, one), _column(columns, other)
    if first is None or second is None:
        found = ", ".join(columns)
        raise FormatError(f"{words}; found: {found}", file=file, place="line 1")
    return first, second
