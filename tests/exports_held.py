"""Shapes of unknown exports that are not looked at while the inference is written.

Only the score of all of them together is looked at, by container, structure and naming.
"""

from __future__ import annotations

from typing import Any

from tests.exports import Make, Node, Noisy, Record, Shapes, hidden_as, packed
from tests.exports_seen import base, flat, pages_of
from tests.unknown import as_json, as_xml, as_yaml, element

HELD = Shapes()

for container in ("json", "sql", "xlsx", "csv", "lines", "sqlite"):

    @HELD.add(container, "parent", pages=container not in ("csv", "lines"))
    def follows(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "parent", order="file", menus="column")
        by_id = {node.id: node for node in make.nodes}
        for record in records:
            node = by_id[record[make["id"]]]
            record[make["follows"]] = node.before.id if node.before else None
        make.rng.shuffle(records)
        return packed(make, container, records, more)


for container in ("csv", "json", "sql", "xlsx"):

    @HELD.add(container, "intervals", pages=False)
    def intervals(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "intervals", order="file", menus="column")
        make.rng.shuffle(records)
        return packed(make, container, records, more)


for container in ("csv", "xlsx", "lines"):

    @HELD.add(container, "indented", pages=False)
    def indented(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "indented", order="file", menus="column")
        return packed(make, container, records, more)

    @HELD.add(container, "labels", pages=False)
    def trails(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "labels", order="file", menus="column")
        return packed(make, container, records, more)


for container in ("json", "xml", "yaml", "sqlite"):

    @HELD.add(container, "lineage")
    def lineages(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "lineage", order="number", menus="table")
        return packed(make, container, records, more)


@HELD.add("grid", "parent", pages=False)
def grids_of_menus_by_key(make: Make) -> tuple[bytes, str]:
    records, _ = flat(make, "parent", order="number", menus="column")
    return packed(make, "grid", records)


for container in ("json", "yaml"):

    @HELD.add(container, "listed")
    def listed(make: Make, container: str = container) -> tuple[bytes, str]:
        flag, noise = hidden_as(make), Noisy(make)
        rows = []
        for at, node in enumerate(make.nodes):
            record = {make["id"]: node.id, **base(make, node, flag)}
            record[make["inside"]] = [one.id for one in node.below]
            rows.append(noise.add(record, node, at))
        make.rng.shuffle(rows)
        bars = [
            {make["key"]: key, make["inside"]: [node.id for node in top]}
            for key, top in make.menus.items()
        ]
        tree = {"bars": bars, "entries": rows, **pages_of(make)}
        return (as_json(tree), "x.json") if container == "json" else (as_yaml(tree), "x.yaml")

    @HELD.add(container, "nested")
    def menus_by_key(make: Make, container: str = container) -> tuple[bytes, str]:
        flag, noise = hidden_as(make), Noisy(make, 2)

        def of(nodes: list[Node]) -> list[Record]:
            found = []
            for at, node in enumerate(nodes):
                record = noise.add(base(make, node, flag), node, at)
                if node.below:
                    record[make["inside"]] = of(node.below)
                found.append(record)
            return found

        tree: Any = {"navigation": {key: of(top) for key, top in make.menus.items()}}
        tree |= pages_of(make)
        return (as_json(tree), "x.json") if container == "json" else (as_yaml(tree), "x.yaml")


@HELD.add("json", "nested", pages=False)
def edges_and_nodes(make: Make) -> tuple[bytes, str]:
    flag = hidden_as(make)

    def of(nodes: list[Node]) -> Record:
        found = []
        for node in nodes:
            record = base(make, node, flag)
            record[make["inside"]] = of(node.below)
            found.append({"node": record})
        return {"edges": found}

    menus = [{"node": {make["key"]: k, make["inside"]: of(t)}} for k, t in make.menus.items()]
    return as_json({"data": {"menus": {"edges": menus}}}), "x.json"


@HELD.add("xml", "nested", pages=False)
def elements_with_children(make: Make) -> tuple[bytes, str]:
    root = element("nav")
    for node in make.nodes:
        node.hidden = False

    def fill(parent: Any, nodes: list[Node]) -> None:
        for node in nodes:
            made = element("link")
            for name, text in ((make["label"], node.label), (make["address"], node.address)):
                if text:
                    child = element(name)
                    child.text = text
                    made.append(child)
            parent.append(made)
            if node.below:
                inner = element(make["inside"])
                made.append(inner)
                fill(inner, node.below)

    for key, top in make.menus.items():
        menu = element("group")
        menu.set("ref", key)
        root.append(menu)
        fill(menu, top)
    return as_xml(root), "x.xml"


@HELD.add("markdown", "nested", pages=False)
def numbered_lists(make: Make) -> tuple[bytes, str]:
    out = []
    for node in make.nodes:
        node.hidden = False
    for key, top in make.menus.items():
        out += [f"{key.title()}", "-" * len(key), ""]

        stack = [(node, "") for node in top[::-1]]
        while stack:
            node, indent = stack.pop()
            link = f"[{node.label}](<{node.address}>)" if node.address else f"**{node.label}**"
            out.append(f"{indent}1. {link}")
            stack += [(below, indent + "   ") for below in node.below[::-1]]
        out.append("")
    return "\n".join(out).encode(), "x.md"
