"""Shapes of unknown exports that the inference may be tried on while it is written."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from tests.exports import (
    Make,
    Node,
    Noisy,
    Record,
    Shapes,
    as_rows,
    hidden_as,
    leads,
    packed,
    texts,
)
from tests.unknown import as_json, as_xml, as_yaml, element
from ypsiform.containers import xlsx
from ypsiform.containers import zip as zip_

SEEN = Shapes()
IN_MENUS = Shapes()
"""Shapes of flat records that stand in the records of their menus, or in a sheet for each."""


def base(make: Make, node: Node, flag: tuple[str, Any, Any] | None) -> Record:
    """What every record says: its label, where it leads, and whether it is seen."""
    record: Record = {make["label"]: node.label}
    leads(make, record, node)
    if flag is not None:
        record[flag[0]] = flag[1] if node.hidden else flag[2]
    return record


def pages_of(make: Make) -> dict[str, list[Record]]:
    """The inventory, where there is one."""
    if not make.has_pages:
        return {}
    rows = [
        {make["id"]: ident, make["title"]: title, make["slug"]: path}
        for ident, title, path in make.pages
    ]
    return {"pages": rows}


def flat(
    make: Make, structure: str, *, order: str, menus: str
) -> tuple[list[Record], dict[str, Any]]:
    """Flat records of a structure, with the tables beside them."""
    flag, noise = hidden_as(make), Noisy(make)
    numbers = {key: 5 + 2 * at for at, key in enumerate(make.menus)}
    records = []
    for at, node in enumerate(make.nodes):
        record: Record = {}
        if structure in ("parent", "lineage", "intervals"):
            record[make["id"]] = node.id
        if len(make.menus) > 1 or menus == "table":
            record[make["menu"]] = numbers[node.menu] if menus == "table" else node.menu
        record |= base(make, node, flag)
        if structure == "parent":
            record[make["parent"]] = node.above.id if node.above else None
        elif structure == "level":
            record[make["depth"]] = node.level
        elif structure == "outline":
            record[make["number"]] = ".".join(str(n.place) for n in node.way())
        elif structure == "lineage":
            record[make["number"]] = "/".join(str(n.id) for n in node.way())
        elif structure == "steps":
            record[make["number"]] = "".join(f"{n.place:04}" for n in node.way())
            record[make["depth"]] = node.level
        elif structure == "intervals":
            record[make["left"]], record[make["right"]] = node.left, node.right
        elif structure == "labels":
            record[make["label"]] = " > ".join(n.label for n in node.way())
        elif structure == "columns":
            del record[make["label"]]
            levels = {f"{make['depth']} {n}": None for n in range(1, 1 + deepest(make))}
            record = {**levels, **record, f"{make['depth']} {node.level}": node.label}
        elif structure == "indented":
            record[make["label"]] = "    " * (node.level - 1) + node.label
        if order == "number":
            record[make["order"]] = node.place
        records.append(noise.add(record, node, at))
    if order == "number":
        make.rng.shuffle(records)
    more: dict[str, Any] = pages_of(make)
    if menus == "table":
        more["menus"] = [
            {make["id"]: numbers[key], make["key"]: key, make["title"]: key.title()}
            for key in make.menus
        ]
    return records, more


def in_bars(make: Make, fill: Callable[[Any, list[Node]], None]) -> tuple[bytes, str]:
    """An element for each menu, with its items in it."""
    root = element("site")
    for key, top in make.menus.items():
        menu = element("bar")
        menu.set(make["key"], key)
        root.append(menu)
        fill(menu, top)
    return as_xml(root), "x.xml"


def deepest(make: Make) -> int:
    """The number of levels of a site."""
    return max(node.level for node in make.nodes)


for container in ("json", "yaml", "xml", "sqlite", "sql", "xlsx"):

    @SEEN.add(container, "parent")
    def parents_with_numbers(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "parent", order="number", menus="column")
        return packed(make, container, records, more)

    @SEEN.add(container, "parent")
    def parents_of_menus_in_a_table(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "parent", order="number", menus="table")
        return packed(make, container, records, more)


for container in ("json", "sqlite", "sql"):

    @SEEN.add(container, "titles", pages=False)
    def labels_of_pages(make: Make, container: str = container) -> tuple[bytes, str]:
        for node in make.nodes:
            node.page = 2000 + 3 * node.id if node.address.startswith("/") else 0
        make.has_pages = True
        records, _ = flat(make, "parent", order="number", menus="column")
        titles = {node.page: node.label for node in make.nodes if node.page}
        for record in records:
            if record[make["page"]]:
                record[make["label"]] = None
        pages = [
            {make["id"]: node.page, make["title"]: titles[node.page], make["slug"]: node.address}
            for node in make.nodes
            if node.page
        ]
        pages += [{make["id"]: 7, make["title"]: "A draft", make["slug"]: "/drafts/7"}]
        return packed(make, container, records, {"pages": pages})


for container in ("csv", "lines", "grid"):

    @SEEN.add(container, "parent", pages=False)
    def parents_in_order(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "parent", order="file", menus="column")
        return packed(make, container, records, more)


for container in ("csv", "xlsx", "json", "sql"):

    @SEEN.add(container, "level", pages=False)
    def levels(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "level", order="file", menus="column")
        return packed(make, container, records, more)


for container in ("csv", "xlsx", "lines", "grid"):

    @SEEN.add(container, "outline", pages=False)
    def outlines(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "outline", order="file", menus="column")
        return packed(make, container, records, more)


for container in ("sql", "json", "sqlite"):

    @SEEN.add(container, "steps")
    def steps(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "steps", order="file", menus="column")
        return packed(make, container, records, more)


for container in ("xlsx", "csv"):

    @SEEN.add(container, "columns", pages=False)
    def columns(make: Make, container: str = container) -> tuple[bytes, str]:
        records, more = flat(make, "columns", order="file", menus="column")
        return packed(make, container, records, more)


for container in ("json", "yaml"):

    @SEEN.add(container, "nested")
    def nested_in_menus(make: Make, container: str = container) -> tuple[bytes, str]:
        flag, noise = hidden_as(make), Noisy(make)

        def of(nodes: list[Node]) -> list[Record]:
            found = []
            for at, node in enumerate(nodes):
                record = noise.add(base(make, node, flag), node, at)
                if node.below or make.rng.random() < 0.3:
                    record[make["inside"]] = of(node.below)
                found.append(record)
            return found

        menus = [
            {make["key"]: key, make["title"]: key.title(), make["inside"]: of(top)}
            for key, top in make.menus.items()
        ]
        tree = {"menus": menus, **pages_of(make)}
        return (as_json(tree), "x.json") if container == "json" else (as_yaml(tree), "x.yaml")


@SEEN.add("xml", "mixed", pages=False)
def mixed_elements(make: Make) -> tuple[bytes, str]:
    flag = hidden_as(make)
    page, link = ("entry", "offsite") if make.naming in ("random", "numbered") else ("page", "link")

    def fill(parent: Any, nodes: list[Node]) -> None:
        for node in nodes:
            out = not node.address.startswith("/")
            made = element(link if out else page)
            made.set(make["id"], str(node.id))
            if flag is not None:
                made.set(flag[0], str(flag[1] if node.hidden else flag[2]).lower())
            said = element(make["label"])
            said.text = node.label
            made.append(said)
            if out and node.address:
                made.set(make["slug"], node.address)
            elif node.address:
                where = element(make["address"])
                where.text = node.address
                made.append(where)
            if node.below:
                inner = element(make["inside"])
                made.append(inner)
                fill(inner, node.below)
            parent.append(made)

    return in_bars(make, fill)


@SEEN.add("json", "mixed", pages=False)
def mixed_mappings(make: Make) -> tuple[bytes, str]:
    flag = hidden_as(make)

    def of(nodes: list[Node]) -> list[Record]:
        found: list[Record] = []
        for node in nodes:
            out = not node.address.startswith("/")
            record: Record = {make["title"] if out else make["label"]: node.label}
            record[make["slug"] if out else make["address"]] = node.address or None
            if flag is not None:
                record[flag[0]] = flag[1] if node.hidden else flag[2]
            if node.below:
                record[make["inside"]] = of(node.below)
            found.append({"outward" if out else "page": record})
        return found

    menus = [{make["key"]: key, make["inside"]: of(top)} for key, top in make.menus.items()]
    return as_json({"menus": menus}), "x.json"


for container in ("json", "yaml"):

    @SEEN.add(container, "lists", pages=False)
    def lists_in_places(make: Make, container: str = container) -> tuple[bytes, str]:
        flag, noise = hidden_as(make), Noisy(make)

        def of(nodes: list[Node]) -> list[Record]:
            found = []
            for at, node in enumerate(nodes):
                record = noise.add(base(make, node, flag), node, at)
                if node.below:
                    record[make["inside"]] = of(node.below)
                found.append(record)
            return found

        tree: Record = {"version": 2, "look": {"colour": "blue", "wide": True}}
        for at, (key, top) in enumerate(make.menus.items()):
            place = tree if at % 2 == 0 else tree.setdefault(f"part{at}", {"note": "All rights"})
            place[key] = of(top)
        return (as_json(tree), "x.json") if container == "json" else (as_yaml(tree), "x.yaml")


def in_each_menu(make: Make, structure: str) -> dict[str, list[Record]]:
    """Flat records of each menu by its key; ids and places count anew in each of them."""
    records, _ = flat(make, structure, order="file", menus="column")
    found: dict[str, list[Record]] = {key: [] for key in make.menus}
    for node, record in zip(make.nodes, records, strict=True):
        record.pop(make["menu"], None)
        found[node.menu].append(record)
    for some in found.values():
        if structure == "parent":
            anew = {record[make["id"]]: at for at, record in enumerate(some, 1)}
            for record in some:
                record[make["id"]] = anew[record[make["id"]]]
                record[make["parent"]] = anew.get(record[make["parent"]])
    return found


for structure in ("parent", "level", "outline"):

    @IN_MENUS.add("json", structure, pages=False)
    def flat_in_menus(make: Make, structure: str = structure) -> tuple[bytes, str]:
        found = in_each_menu(make, structure)
        if make.rng.random() < 0.5:
            return as_json({"menus": found}), "x.json"
        menus = [{make["key"]: key, make["inside"]: some} for key, some in found.items()]
        return as_json({"menus": menus}), "x.json"


for structure in ("parent", "level", "columns"):

    @IN_MENUS.add("xlsx", structure, pages=False)
    def sheets_of_menus(make: Make, structure: str = structure) -> tuple[bytes, str]:
        found = in_each_menu(make, structure)
        return xlsx.write({key.title(): some for key, some in found.items()}), "x.xlsx"


@SEEN.add("folder", "parent", pages=False)
def parents_in_texts(make: Make) -> tuple[bytes, str]:
    nodes = {id(node): node for node in make.nodes}
    records, _ = flat(make, "parent", order="number", menus="column")
    by = {record[make["id"]]: record for record in records}
    return texts(make, [by[node.id] for node in nodes.values()])


@SEEN.add("folder", "parent")
def parents_in_tables(make: Make) -> tuple[bytes, str]:
    records, more = flat(make, "parent", order="number", menus="table")
    files = {f"tables/{name}.csv": as_rows(some, ",") for name, some in more.items()}
    return zip_.pack({"tables/entries.csv": as_rows(records, ","), **files}), "export.zip"


@SEEN.add("folder", "nested", pages=False)
def nested_in_files(make: Make) -> tuple[bytes, str]:
    flag, noise = hidden_as(make), Noisy(make)

    def of(nodes: list[Node]) -> list[Record]:
        return [
            {**noise.add(base(make, n, flag), n, at), make["inside"]: of(n.below)}
            for at, n in enumerate(nodes)
        ]

    files = {f"menus/{key}.json": as_json(of(top)) for key, top in make.menus.items()}
    return zip_.pack(files), "export.zip"


@SEEN.add("xml", "nested", pages=False)
def nested_elements(make: Make) -> tuple[bytes, str]:
    def fill(parent: Any, nodes: list[Node]) -> None:
        for node in nodes:
            made = element("entry")
            made.set(make["label"], node.label)
            if node.address:
                made.set(make["address"], node.address)
            parent.append(made)
            fill(made, node.below)

    make.hidden = False
    for node in make.nodes:
        node.hidden = False
    return in_bars(make, fill)


@SEEN.add("markdown", "nested", pages=False)
def lists_in_markdown(make: Make) -> tuple[bytes, str]:
    out = []
    for node in make.nodes:
        node.hidden = False
    for key, top in make.menus.items():
        out += [f"# {key}", ""]

        stack = [(node, 0) for node in top[::-1]]
        while stack:
            node, depth = stack.pop()
            link = f"[{node.label}]({node.address})" if node.address else node.label
            out.append("  " * depth + "- " + link.replace("&", "\\&"))
            stack += [(below, depth + 1) for below in node.below[::-1]]
        out.append("")
    return "\n".join(out).encode(), "x.md"
