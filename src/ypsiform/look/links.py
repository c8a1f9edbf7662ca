"""Where each address of the menus went, how that was found, and which addresses changed."""

from __future__ import annotations

import csv
from collections.abc import Iterable
from io import StringIO

from msgspec import Struct

from ..containers.csv import marked
from ..model import Content, Site, Target, label_of, targets_of
from ..proof import Migration

HOW = {
    "key": "by its key",
    "path": "by its address",
    "title": "by its title",
    "table": "as was decided",
    "kept": "kept as it is",
}
"""How a link was found, in words."""


class Led(Struct):
    """One target of the source: the first label that leads to it, where it led and leads now.

    `new` is empty where nothing leads there any more.
    """

    label: str
    old: str
    new: str
    how: str
    count: int = 1


def led(migration: Migration) -> list[Led]:
    """The targets of the source's menus, each once, in reading order."""
    source, fitted = migration.source, migration.fitted
    by = {pair: how for pair, _, how in fitted.matches}
    before, after = _Addresses(source.site), _Addresses(migration.written)
    found: dict[Target, Led] = {}
    for row, thing in enumerate(source.rows.things):
        for nth, target in enumerate(targets_of(thing)):
            if target.kind == "none":
                continue
            known = found.get(target)
            if known is not None:
                known.count += 1
                continue
            link = migration.audited.links.get((row, nth))
            there = after.of(link[1]) if link is not None and link[1].kind != "none" else ""
            pair = fitted.pair_of(target)
            how = by.get(pair, "kept" if there else "") if pair is not None else "kept"
            words = HOW.get(how, how) if there else "nothing leads there any more"
            found[target] = Led(label_of(thing), before.of(target), there, words)
    return list(found.values())


def redirects(links: Iterable[Led]) -> list[tuple[str, str]]:
    """Pairs of addresses of the site that changed: what should lead from the old to the new.

    Addresses of places on a page are left out, since a redirect keeps these.
    """
    found: dict[str, str] = {}
    # Where two links to one address lead to different ones now, that of the page counts.
    for one in sorted(links, key=lambda one: one.how == HOW["kept"]):
        within = one.old.startswith("/") and one.new.startswith("/")
        if within and "#" not in one.old:  # no server sees what stands behind that
            found.setdefault(one.old, one.new)
    return [(old, new) for old, new in found.items() if old != new]


def redirects_table(migration: Migration) -> bytes:
    """The addresses that changed as a table, which `--redirects` of a later run reads."""
    out = StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(("old", "new"))
    rows.writerows([marked(cell) for cell in pair] for pair in redirects(led(migration)))
    return out.getvalue().encode("utf-8", "replace")


class _Addresses:
    def __init__(self, site: Site) -> None:
        self.contents: dict[tuple[str, str], Content] = {(c.kind, c.id): c for c in site.contents}

    def of(self, target: Target) -> str:
        content = self.contents.get((target.kind, target.content or ""))
        where = target.address or (content.path if content is not None else None)
        return where or {"home": "/"}.get(target.kind, target.key or target.kind)
