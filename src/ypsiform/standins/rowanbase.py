"""What Rowanbase demands of a file."""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing

_COLUMNS = ["id", "bar", "lineage", "rank", "words", "leads", "new_window", "icon"]


def check(data: bytes) -> list[str]:
    """Every rule that a file breaks, in plain words; an empty list if it is sound."""
    try:
        with closing(sqlite3.connect(":memory:")) as base:
            base.deserialize(data)
            return _check(base)
    except sqlite3.Error as error:
        return [f"not an SQLite file: {error}"]


def _check(base: sqlite3.Connection) -> list[str]:
    # One rule of the platform's page after the other, in its order.
    for table, columns in (("nav_node", _COLUMNS), ("route", ["name", "pattern"])):
        there = [row[1] for row in base.execute(f"PRAGMA table_info({table})")]
        if not set(columns) <= set(there):
            return [f"{table} lacks {', '.join(c for c in columns if c not in there)}"]
    routes = dict(base.execute("SELECT name, pattern FROM route"))
    nodes = base.execute(f"SELECT {', '.join(_COLUMNS)} FROM nav_node").fetchall()
    lineages = {str(node[0]): (node[1], node[2]) for node in nodes}
    found: list[str] = []
    if len(lineages) < len(nodes):
        found.append("an id is there twice")
    for ident, bar, lineage, rank, words, leads, new_window, _ in nodes:
        parts = str(lineage).split("/")
        if parts[-1] != str(ident):
            found.append(f"node {ident}: the lineage {lineage!r} does not end in it")
        if len(parts) > 1:
            above = lineages.get(parts[-2])
            if above is None or above[0] != bar:
                found.append(f"node {ident}: {parts[-2]} is not in its bar")
            elif above[1] != "/".join(parts[:-1]):
                found.append(f"node {ident}: its lineage is not that of {parts[-2]}")
        if not isinstance(bar, str) or not bar:
            found.append(f"node {ident}: no bar")
        if not isinstance(rank, int) or new_window not in (0, 1):
            found.append(f"node {ident}: rank {rank!r}, new_window {new_window!r}")
        if words is not None and not isinstance(words, str):
            found.append(f"node {ident}: the words are {words!r}")
        found += [f"node {ident}: {problem}" for problem in _leads(leads or "", routes)]
    return found


def _leads(leads: str, routes: dict[str, str]) -> list[str]:
    kind, colon, rest = leads.partition(":")
    if not leads:
        return []
    if kind == "path" and colon:
        return [] if rest.startswith("/") else [f"the path {rest!r}"]
    if kind == "url" and colon:
        script = re.match(r"\s*(java|vb)script:", rest, re.IGNORECASE)
        return ["a script"] if script else [] if rest else ["no address"]
    if kind == "route" and colon:
        name, _, query = rest.partition("?")
        needed = set(re.findall(r"\{([^}]*)\}", routes.get(name, "{none}")))
        given = {part.split("=")[0] for part in query.split("&") if part}
        return [] if needed <= given else [f"the route {rest!r} cannot be filled in"]
    return [f"leads {leads!r}"]
