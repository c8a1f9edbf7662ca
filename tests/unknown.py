"""Exports that no profile describes: one known tree in many shapes and several languages."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple
from xml.etree import ElementTree

import tomlkit
from ruamel.yaml import YAML


class Node(NamedTuple):
    """An item of the known tree: its label, its address (empty: none), and what is below it."""

    label: str
    address: str
    below: tuple[Node, ...] = ()


N = Node
TREE: dict[str, tuple[Node, ...]] = {
    "main": (
        N("Sailings", "/sailings", (N("North route", "/sailings/north"), N("West", "/west"))),
        N(
            "Islands",
            "",
            (
                N(
                    "Haldrun",
                    "/islands/haldrun",
                    (N("Winter on Haldrun", "/islands/haldrun/winter"),),
                ),
                N("Øyene i sør", "/islands/south"),
            ),
        ),
        N("Book", "https://book.skerryline.example/?from=menu"),
    ),
    "foot": (N("Contact us", "/contact"), N("Terms & conditions", "/terms"), N("Jobs", "/jobs")),
}
ONE = {"main": TREE["main"]}


class Flat(NamedTuple):
    """An item as a flat record."""

    id: int
    menu: str
    parent: int
    level: int
    place: int
    outline: str
    ids: tuple[int, ...]
    labels: tuple[str, ...]
    node: Node


def flat(tree: dict[str, tuple[Node, ...]] = TREE, start: int = 11) -> list[Flat]:
    """The records in reading order, with ids that are not their places."""
    found: list[Flat] = []

    def walk(nodes: tuple[Node, ...], menu: str, above: Flat | None) -> None:
        for place, node in enumerate(nodes, 1):
            ident = start + 7 * len(found)
            way = above.ids if above else ()
            outline = f"{above.outline}.{place}" if above else str(place)
            labels = (*(above.labels if above else ()), node.label)
            level = above.level + 1 if above else 1
            parent = above.id if above else 0
            record = Flat(ident, menu, parent, level, place, outline, (*way, ident), labels, node)
            found.append(record)
            walk(node.below, menu, record)

    for menu, nodes in tree.items():
        walk(nodes, menu, None)
    return found


def nested(
    nodes: tuple[Node, ...], label: str, address: str, inside: str, **more: Any
) -> list[Any]:
    """Nested mappings with these names; `more` are noise fields, the same in every record."""
    found = []
    for node in nodes:
        record = {label: node.label, address: node.address or None, **more}
        if node.below:
            record[inside] = nested(node.below, label, address, inside, **more)
        found.append(record)
    return found


def as_json(tree: Any) -> bytes:
    return json.dumps(tree, ensure_ascii=False, indent=1).encode()


def as_csv(rows: list[dict[str, Any]], delimiter: str = ",") -> bytes:
    out = io.StringIO()
    writer = csv.DictWriter(out, list(rows[0]), delimiter=delimiter, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue().encode()


def as_yaml(tree: Any) -> bytes:
    out = io.StringIO()
    YAML().dump(tree, out)
    return out.getvalue().encode()


def as_xml(root: ElementTree.Element) -> bytes:
    ElementTree.indent(root)
    made: bytes = ElementTree.tostring(root, "utf-8", xml_declaration=True)
    return made


def as_sqlite(script: str, tables: dict[str, list[tuple[Any, ...]]]) -> bytes:
    base = sqlite3.connect(":memory:")
    base.executescript(script)
    for table, rows in tables.items():
        marks = ", ".join("?" * len(rows[0]))
        base.executemany(f"INSERT INTO {table} VALUES ({marks})", rows)
    base.commit()
    return base.serialize()


SHAPES: dict[str, Callable[[], bytes]] = {}


def shape(make: Callable[[], bytes]) -> Callable[[], bytes]:
    SHAPES[make.__name__] = make
    return make


# JSON


@shape
def json_menus_with_nested_items() -> bytes:
    menus = [
        {
            "id": n,
            "name": key.title(),
            "slug": key,
            "items": nested(nodes, "title", "url", "children"),
        }
        for n, (key, nodes) in enumerate(TREE.items(), 3)
    ]
    return as_json({"version": 2, "exported": "2026-11-01T10:00:00", "menus": menus})


@shape
def json_same_key_at_every_level() -> bytes:
    menus = [
        {"handle": key, "items": nested(nodes, "text", "href", "items", target="_self", css="x y")}
        for key, nodes in TREE.items()
    ]
    return as_json({"data": {"navigation": {"groups": menus}}})


@shape
def json_german_flat_with_parents() -> bytes:
    rows = [
        {
            "schluessel": r.id,
            "menue": r.menu,
            "eltern": r.parent or None,
            "reihenfolge": r.place * 10,
            "beschriftung": r.node.label,
            "verweis": r.node.address,
            "geaendert": "2026-01-01",
        }
        for r in reversed(flat())
    ]
    return as_json({"menuepunkte": rows, "stand": "2026"})


@shape
def json_french_list_alone() -> bytes:
    return as_json(nested(TREE["main"], "libelle", "lien", "enfants", actif=True))


@shape
def json_spanish_menus_by_name() -> bytes:
    return as_json(
        {"menus": {k: nested(nodes, "etiqueta", "enlace", "hijos") for k, nodes in TREE.items()}}
    )


@shape
def json_norwegian_lists_of_ids() -> bytes:
    rows = flat()
    below = {r.id: [x.id for x in rows if x.parent == r.id] for r in rows}
    entries = [
        {"id": r.id, "tekst": r.node.label, "lenke": r.node.address, "under": below[r.id]}
        for r in rows
    ]
    menus = [
        {
            "id": key,
            "tittel": key.title(),
            "under": [r.id for r in rows if r.menu == key and not r.parent],
        }
        for key in TREE
    ]
    return as_json({"menyer": menus, "oppforinger": entries})


@shape
def json_references_to_pages() -> bytes:
    rows, pages = flat(), []
    items = []
    for r in rows:
        item: dict[str, Any] = {
            "id": f"i{r.id}",
            "nav": r.menu,
            "parent": f"i{r.parent}" if r.parent else "",
            "position": r.place,
        }
        item["label"] = r.node.label
        if r.node.address.startswith("/"):
            pages.append(
                {"id": 500 + r.id, "title": f"About {r.node.label}", "path": r.node.address}
            )
            item |= {"type": "page", "page_id": 500 + r.id, "url": ""}
        elif r.node.address:
            item |= {"type": "custom", "page_id": None, "url": r.node.address}
        else:
            item |= {"type": "heading", "page_id": None, "url": ""}
        items.append(item)
    pages.append({"id": 9, "title": "Not in a menu", "path": "/hidden"})
    return as_json({"site": "https://old.skerryline.example", "pages": pages, "nav_items": items})


@shape
def json_attributes_in_a_wrapper() -> bytes:
    def wrapped(nodes: tuple[Node, ...]) -> list[Any]:
        return [
            {
                "uid": f"n-{abs(hash(node.label)) % 7}{at}{node.label[:2]}",
                "attributes": {"label": node.label, "link": {"href": node.address}},
                "nodes": wrapped(node.below),
            }
            for at, node in enumerate(nodes)
        ]

    menus = [{"key": key, "nodes": wrapped(nodes)} for key, nodes in TREE.items()]
    return as_json({"result": {"items": menus, "total": 2}})


@shape
def json_labels_in_languages() -> bytes:
    def both(nodes: tuple[Node, ...]) -> list[Any]:
        return [
            {"titles": {"en": n.label, "nb": n.label + "!"}, "to": n.address, "sub": both(n.below)}
            for n in nodes
        ]

    return as_json({"bars": [{"name": k, "entries": both(nodes)} for k, nodes in TREE.items()]})


# YAML and TOML


@shape
def yaml_dutch_nested() -> bytes:
    menus = [
        {"sleutel": key, "naam": key, "onderdelen": nested(nodes, "titel", "adres", "kinderen")}
        for key, nodes in TREE.items()
    ]
    return as_yaml({"thema": "zee", "menus": menus})


@shape
def toml_italian_parents() -> bytes:
    rows = [
        {
            "identificativo": f"v{r.id}",
            "padre": f"v{r.parent}" if r.parent else "",
            "barra": r.menu,
            "posizione": r.place,
            "titolo": r.node.label,
            "indirizzo": r.node.address,
        }
        for r in flat()
    ]
    return tomlkit.dumps({"lingua": "it", "voci": rows}).encode()


# Tables


@shape
def csv_levels_in_portuguese() -> bytes:
    return as_csv(
        [
            {
                "menu": r.menu,
                "nivel": r.level,
                "rotulo": r.node.label,
                "endereco": r.node.address,
                "obs": "",
            }
            for r in flat()
        ]
    )


@shape
def csv_levels_from_zero() -> bytes:
    return as_csv(
        [
            {"nav": r.menu, "depth": r.level - 1, "text": r.node.label, "link": r.node.address}
            for r in flat()
        ],
        "\t",
    )


@shape
def csv_outline_in_polish() -> bytes:
    return as_csv(
        [
            {
                "menu": r.menu,
                "pozycja": r.outline,
                "etykieta": r.node.label,
                "odnosnik": r.node.address,
            }
            for r in flat()
        ],
        ";",
    )


@shape
def csv_trails_in_swedish() -> bytes:
    return as_csv(
        [{"meny": r.menu, "sokvag": " > ".join(r.labels), "adress": r.node.address} for r in flat()]
    )


@shape
def csv_parents_of_one_menu() -> bytes:
    return as_csv(
        [
            {
                "id": r.id,
                "parent_id": r.parent,
                "sort_order": r.place,
                "title": r.node.label,
                "url": r.node.address,
                "created": "2026-01-01",
            }
            for r in flat(ONE)
        ]
    )


# XML


def element(tag: str, **attributes: str) -> ElementTree.Element:
    return ElementTree.Element(tag, attributes)


@shape
def xml_nested_attributes() -> bytes:
    root = element("navigation", stand="2026")

    def fill(into: ElementTree.Element, nodes: tuple[Node, ...]) -> None:
        for node in nodes:
            made = element("punkt", titel=node.label, ziel=node.address)
            into.append(made)
            fill(made, node.below)

    for key, nodes in TREE.items():
        menu = element("menue", name=key)
        root.append(menu)
        fill(menu, nodes)
    return as_xml(root)


@shape
def xml_flat_elements_in_french() -> bytes:
    root = element("export")
    menus, entries = element("menus"), element("entrees")
    root.extend([menus, entries])
    for key in TREE:
        menus.append(element("menu", cle=key, titre=key.title()))
    for r in flat():
        entry = element("entree", identifiant=str(r.id))
        for name, text in (
            ("parent", str(r.parent)),
            ("menu", r.menu),
            ("ordre", str(r.place)),
            ("intitule", r.node.label),
            ("lien", r.node.address),
            ("auteur", "admin"),
        ):
            child = element(name)
            child.text = text
            entry.append(child)
        entries.append(entry)
    return as_xml(root)


@shape
def xml_keys_and_values() -> bytes:
    root = element("eksport", version="1")
    for r in flat():
        link = element("link", id=str(r.id), menu=r.menu, under=str(r.parent), seq=str(r.place))
        for name, text in (("tekst", r.node.label), ("adresse", r.node.address), ("farve", "red")):
            if text:
                child = element("set", key=name)
                child.text = text
                link.append(child)
        root.append(link)
    return as_xml(root)


# SQLite


@shape
def sqlite_with_pages() -> bytes:
    script = (
        "CREATE TABLE pages (id INTEGER PRIMARY KEY, title TEXT, slug TEXT);"
        "CREATE TABLE menu_items (id INTEGER PRIMARY KEY, menu TEXT, parent_id INTEGER,"
        " weight INTEGER, title TEXT, page INTEGER, url TEXT, updated_at TEXT);"
    )
    pages, items = [(1, "Not in a menu", "/hidden")], []
    for r in flat():
        page = None
        if r.node.address.startswith("/"):
            page = 900 + r.id
            pages.append((page, f"Page {r.node.label}", r.node.address))
        url = r.node.address if page is None else None
        items.append(
            (r.id, r.menu, r.parent or None, r.place, r.node.label, page, url or None, "x")
        )
    return as_sqlite(script, {"pages": pages, "menu_items": items})


@shape
def sqlite_lineages_in_finnish() -> bytes:
    script = (
        "CREATE TABLE kohta (tunnus INTEGER PRIMARY KEY, valikko TEXT, polku_ylos TEXT,"
        " jarjestys INTEGER, otsikko TEXT, osoite TEXT);"
    )
    rows = [
        (r.id, r.menu, "/".join(map(str, r.ids)), r.place, r.node.label, r.node.address or None)
        for r in flat()
    ]
    return as_sqlite(script, {"kohta": rows})


def plan(tree: dict[str, tuple[Node, ...]]) -> Iterator[tuple[str, Any]]:
    """What must be read of a tree: for each menu its items."""

    def of(nodes: tuple[Node, ...]) -> list[Any]:
        return [(node.label, node.address, of(node.below)) for node in nodes]

    for menu, nodes in tree.items():
        yield menu, of(nodes)


# Every structure in every container, by the names of several languages and by none

NAMES: dict[str, dict[str, str]] = {
    "english": {
        "label": "name",
        "address": "link",
        "id": "id",
        "parent": "parentId",
        "order": "position",
        "menu": "menu_id",
        "inside": "items",
        "number": "level",
        "key": "key",
    },
    "english of programs": {
        "label": "linkText",
        "address": "destination",
        "id": "uuid",
        "parent": "above",
        "order": "rank",
        "menu": "nav",
        "inside": "subItems",
        "number": "indent",
        "key": "code",
    },
    "german": {
        "label": "titel",
        "address": "ziel",
        "id": "nummer",
        "parent": "oberpunkt",
        "order": "rang",
        "menu": "leiste",
        "inside": "unterpunkte",
        "number": "ebene",
        "key": "kennung",
    },
    "french": {
        "label": "nom",
        "address": "chemin",
        "id": "numero",
        "parent": "superieur",
        "order": "ordre",
        "menu": "barre",
        "inside": "elements",
        "number": "niveau",
        "key": "cle",
    },
    "swedish": {
        "label": "namn",
        "address": "länk",
        "id": "nr",
        "parent": "förälder",
        "order": "ordning",
        "menu": "rad",
        "inside": "under",
        "number": "djup",
        "key": "nyckel",
    },
    "no language": {
        "label": "f1",
        "address": "f2",
        "id": "f3",
        "parent": "f4",
        "order": "f5",
        "menu": "f6",
        "inside": "f7",
        "number": "f8",
        "key": "f9",
    },
}
NOISE: list[dict[str, Any]] = [
    {"created_at": "2026-01-17"},
    {"author": "admin", "locale": "en"},
    {"visible": True, "views": 17},
    {},
]
NESTED = ("nested", "same key", "one menu")
FLAT = ("parent", "level", "outline", "lineage", "trail")


class Case(NamedTuple):
    """One unknown export, with the menus that must be found in it."""

    name: str
    data: bytes
    tree: dict[str, tuple[Node, ...]]


def cases() -> Iterator[Case]:
    """All of them: 6 languages, 9 structures, 5 containers where they can hold the structure."""
    number = 0
    for language, names in NAMES.items():
        for structure in (*NESTED, *FLAT, "listed"):
            for box in ("json", "yaml", "csv", "xml", "wrapped"):
                flat_only = box == "csv" and structure not in FLAT
                if flat_only or (structure == "listed" and box == "xml"):
                    continue
                number += 1
                document = _document(structure, names, NOISE[number % 4], 1 + 37 * number % 500)
                tree = ONE if structure == "one menu" else TREE
                yield Case(f"{language}, {structure}, {box}", _packed(document, box), tree)


def _document(
    structure: str, names: dict[str, str], noise: dict[str, Any], start: int
) -> dict[str, Any]:
    label, address, inside = names["label"], names["address"], names["inside"]
    if structure == "one menu":
        return {"stuff": nested(TREE["main"], label, address, inside, **noise)}
    if structure in NESTED:
        inside, first = ("items", "items") if structure == "same key" else (inside, "entries")
        menus = [
            {names["key"]: key, first: nested(nodes, label, address, inside, **noise)}
            for key, nodes in TREE.items()
        ]
        return {"menus": menus, "version": 3}
    rows = flat(start=start)
    records = [{**_record(structure, names, row), **noise} for row in rows]
    if structure != "listed":
        return {"rows": records, "meta": {"count": len(rows)}}
    below = {row.id: [other.id for other in rows if other.parent == row.id] for row in rows}
    top = {key: [row.id for row in rows if row.menu == key and not row.parent] for key in TREE}
    return {
        "groups": [{names["key"]: key, "members": ids} for key, ids in top.items()],
        "rows": [{**r, inside: below[row.id]} for r, row in zip(records, rows, strict=True)],
    }


def _record(structure: str, names: dict[str, str], row: Flat) -> dict[str, Any]:
    says: dict[str, Any] = {names["label"]: row.node.label, names["address"]: row.node.address}
    if structure in ("parent", "lineage", "listed"):
        says = {names["id"]: row.id, **says}
    if structure in ("parent", "lineage"):
        says[names["order"]] = row.place
    if structure == "parent":
        says[names["parent"]] = row.parent
    elif structure == "trail":
        says[names["label"]] = " / ".join(row.labels)
    elif structure != "listed":
        way = "/".join(map(str, row.ids))
        says[names["number"]] = {"level": row.level, "outline": row.outline}.get(structure, way)
    if structure != "listed":
        says[names["menu"]] = row.menu
    return says


def _packed(document: dict[str, Any], box: str) -> bytes:
    if box == "csv":
        return as_csv(document["rows"])
    if box == "yaml":
        return as_yaml(document)
    if box == "wrapped":
        document = {"response": {"payload": document, "status": "ok"}}
    if box != "xml":
        return as_json(document)
    root = element("root")
    for name, value in document.items():
        _into(root, name, value)
    return as_xml(root)


def _into(parent: ElementTree.Element, name: str, value: Any) -> None:
    for held in value if isinstance(value, list) else [value]:
        child = element(name.replace("ä", "a").replace("ö", "o"))
        parent.append(child)
        if isinstance(held, dict):
            for key, inner in held.items():
                _into(child, key, inner)
        elif held is not None:
            child.text = str(held)
