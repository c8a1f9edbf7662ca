"""Shapes of exports that say addresses in parts, in two fields, or without what they begin with."""

from __future__ import annotations

from typing import Any

from tests.exports import Make, Node, Noisy, Record, Shapes, hidden_as, packed
from tests.exports_seen import base, flat
from tests.unknown import as_json

IN_PARTS = Shapes()


def bare(make: Make, record: Record, node: Node) -> None:
    """Paths without the slash that they begin with."""
    if node.address.startswith("/"):
        record[make["address"]] = node.address[1:]


def begins(make: Make, record: Record, node: Node) -> None:
    """Paths behind a word and a sign."""
    if node.address.startswith("/"):
        record[make["address"]] = f"internal:{node.address}"


def apart(make: Make, record: Record, node: Node) -> None:
    """Pages of the site in one field, all else in another one."""
    out = bool(node.address) and not node.address.startswith("/")
    record[make["slug"]] = node.address if out else None
    record[make["address"]] = None if out else node.address or None


def of_slugs(make: Make, record: Record, node: Node) -> None:
    """The last part of an address; those above say the rest."""
    del record[make["address"]]
    record[make["slug"]] = node.address.rpartition("/")[2]


def sluggish(make: Make) -> None:
    """Give each item an address below that of the one above it, with a word of its label."""
    used: set[str] = set()
    for node in make.nodes:
        words = [word for word in node.label.lower().split() if word.isascii() and word.isalpha()]
        above = node.above.address if node.above is not None else ""
        node.address = f"{above}/{'-'.join(words) or 'more'}"
        while node.address in used:
            node.address += make.rng.choice("23456789")
        used.add(node.address)


FORMS = {"bare": bare, "begins": begins, "apart": apart, "slugs": of_slugs}

for form, say in FORMS.items():
    for container in ("json", "csv"):

        @IN_PARTS.add(container, f"{form}, parent", pages=False)
        def in_flat_records(
            make: Make, form: str = form, say: Any = say, container: str = container
        ) -> tuple[bytes, str]:
            if form == "slugs":
                sluggish(make)
            records, _ = flat(make, "parent", order="number", menus="column")
            by = {node.id: node for node in make.nodes}
            for record in records:
                say(make, record, by[record[make["id"]]])
            return packed(make, container, records)

    @IN_PARTS.add("json", f"{form}, nested", pages=False)
    def in_nested_records(make: Make, form: str = form, say: Any = say) -> tuple[bytes, str]:
        if form == "slugs":
            sluggish(make)
        flag, noise = hidden_as(make), Noisy(make)

        def of(nodes: list[Node]) -> list[Record]:
            found = []
            for at, node in enumerate(nodes):
                record = base(make, node, flag)
                say(make, record, node)
                record = noise.add(record, node, at)
                found.append({**record, make["inside"]: of(node.below)} if node.below else record)
            return found

        menus = [
            {make["key"]: key, make["title"]: key.title(), make["inside"]: of(top)}
            for key, top in make.menus.items()
        ]
        return as_json({"menus": menus}), "x.json"


for structure in ("level", "outline", "flat"):

    @IN_PARTS.add("csv", f"{structure}, headed", pages=False)
    def below_headings(make: Make, structure: str = structure) -> tuple[bytes, str]:
        if structure == "flat":
            for key, top in make.menus.items():
                make.menus[key] = [node for one in top for node in _all(one)]
        records, _ = flat(make, structure, order="file", menus="column")
        rows: list[Record] = []
        menu = ""
        for node, record in zip(make.nodes, records, strict=True):
            record.pop(make["menu"], None)
            if node.menu != menu:
                menu = node.menu
                rows.append({make["label"]: f"{menu.title()} menu"})
            rows.append(record)
        return packed(make, "csv", rows)


def _all(node: Node) -> list[Node]:
    found = [node, *(inner for below in node.below for inner in _all(below))]
    node.below = []
    return found
