"""Rowanbase: what it takes of a file, and what its templates show of it."""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from typing import Any
from urllib.parse import parse_qsl

from .shown import Entry, Place, Refused, Visitor, cut, no_languages, no_roles

languages = no_languages
roles = no_roles
THEMES = ("bare", "rail")
_PLACES: dict[str, tuple[tuple[str, str, int | None], ...]] = {
    "bare": (("main", "Main bar", None), ("foot", "Footer", None)),
    "rail": (("main", "Main bar", 2),),
}
_TABLES = (
    "CREATE TABLE nav_node (id INTEGER PRIMARY KEY, bar TEXT, lineage TEXT, rank INTEGER,"
    " words TEXT, leads TEXT, new_window INTEGER, icon TEXT)",
    "CREATE TABLE route (name TEXT, pattern TEXT)",
)


def blank(theme: str) -> bytes:
    """A database without nodes; a theme is chosen by templates, not in the file."""
    with closing(sqlite3.connect(":memory:")) as base:
        for table in _TABLES:
            base.execute(table)
        base.commit()
        return base.serialize()


def _read(data: bytes) -> tuple[list[tuple[Any, ...]], dict[str, str]]:
    if not data:
        raise Refused("the file is empty")
    try:
        with closing(sqlite3.connect(":memory:")) as base:
            base.deserialize(data)
            nodes = base.execute(
                "SELECT id, bar, lineage, rank, words, leads, new_window FROM nav_node ORDER BY id"
            ).fetchall()
            routes = base.execute("SELECT name, pattern FROM route").fetchall()
    except (sqlite3.Error, ValueError, OverflowError) as error:
        raise Refused(f"not a database of Rowanbase: {error}") from None
    return nodes, {str(name): str(pattern) for name, pattern in routes}


def kept(data: bytes) -> bytes:
    """A database is taken as it is."""
    _read(data)
    return data


def _address(leads: str, routes: dict[str, str]) -> str | None:
    kind, _, rest = leads.partition(":")
    if kind == "route":
        name, _, query = rest.partition("?")
        given = dict(parse_qsl(query, keep_blank_values=True))
        pattern = routes.get(name)
        if pattern is None:
            return None
        return re.sub(r"\{([^}]*)\}", lambda m: given.get(m[1], ""), pattern)
    return rest or None


def contents(data: bytes) -> dict[str, str]:
    """The addresses that routes lead to, by what nodes say of them."""
    nodes, routes = _read(data)
    said = {str(node[5] or "") for node in nodes}
    return {
        f"page {leads.partition(':')[2]}": _address(leads, routes) or ""
        for leads in sorted(said)
        if leads.startswith("route:")
    }


def places(
    data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
) -> list[Place]:
    """What the bars of the templates show; a node below one that is not there is shown nowhere."""
    nodes, routes = _read(data)
    made = []
    for name, caption, levels in _PLACES[theme or "bare"]:
        own = [node for node in nodes if node[1] == name]
        below: dict[str, list[tuple[Any, ...]]] = {}
        for node in own:
            above = str(node[2]).split("/")[-2:-1]
            below.setdefault(above[0] if above else "", []).append(node)

        def entries(above: str, below: dict[str, Any] = below) -> list[Entry]:
            ranked = sorted(below.get(above, ()), key=lambda node: (node[3] or 0, node[0]))
            return [
                Entry(
                    str(node[4] or ""),
                    _address(str(node[5] or ""), routes),
                    entries(str(node[0])),
                    new_window=node[6] == 1,
                )
                for node in ranked
            ]

        made.append(Place(name, caption, cut(entries(""), levels)))
    return made
