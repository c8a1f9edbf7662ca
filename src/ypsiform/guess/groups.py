"""Lists of links in the records of items, each below a heading: what opens as a panel."""

from __future__ import annotations

from typing import Any

from .columns import Column, addresses_of, columns, label_of
from .readings import Items
from .tables import Table
from .words import says


def unused(table: Table) -> str:
    """A key under which items would stand in each other, if there were any."""
    heads = {field.partition("/")[0] for field in (*table.fields, *table.inner)}
    return next(word for word in ("items", "children", "below", "inside", "") if word not in heads)


def groups_in(items: Items) -> dict[str, Any]:
    """What a profile says of panels that stand in these records; empty where there are none."""
    table, keys = items.table, items.tie.keys
    if items.address is None or not items.label.field or "/" in items.address.field:
        return {}
    used = {keys.get("inside"), keys.get("first")}
    for key, lists in table.inner.items():
        held = [node for some in lists for node in some]
        if key in used or not all(isinstance(node, dict) for node in held):
            continue
        rule = _rule(Table("", held), key, items)
        if rule:
            return {"encoding": "groups", "at": key, **rule}
    return {}


def _rule(outer: Table, key: str, items: Items) -> dict[str, Any]:
    """The keys of columns, by these records of columns that stand under a key."""
    for inner, lists in outer.inner.items():
        if inner == key or "/" in inner:
            continue  # these are items that stand in each other
        if not all(isinstance(node.get(inner), list) for node in outer.nodes):
            continue
        links = Table("", [node for some in lists for node in some])
        known = columns(links)
        words = label_of(known)
        where = addresses_of(known, [words.field]) if words is not None else []
        if words is None or not where:
            continue
        address = items.address.field if items.address is not None else ""
        means = {words.field: items.label.field, where[0].field: address}
        named = {key: there for key, there in means.items() if key != there}
        if any("/" in key for key in means) or {*named.values()} & {*links.fields}:
            continue
        own = {f: c for f, c in columns(outer).items() if f.partition("/")[0] != inner}
        heading = _heading(
            own, {key for key, there in means.items() if there == address} | {address}
        )
        if heading is not None:
            return {**heading, "items": inner, **({"named": named} if named else {})}
    return {}


def _heading(own: dict[str, Column], leading: set[str]) -> dict[str, str] | None:
    """The keys of the heading of a column, and of where that leads; None where it is no text.

    `leading`: keys by which items, or links in columns, say where they lead.
    """
    heading = label_of(own)
    if heading is None or says(heading.field, "kind") >= 0.9:
        return {}
    if any(type(v) is not str for v in own[heading.field].raw if v is not None):
        return None
    leads = [one for one in addresses_of(own, [heading.field]) if one.field in leading]
    return {"heading": heading.field} | ({"address": leads[0].field} if leads else {})
