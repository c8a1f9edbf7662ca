"""Exports that nobody has described, made by chance: sites, names of fields, noise, containers.

A shape lays one site out; `exports_seen.py` has those that the inference may be tried on while it
is written, `exports_held.py` those of which only the score is looked at.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
from collections.abc import Callable, Iterator
from random import Random
from typing import Any, NamedTuple
from xml.etree import ElementTree

from tests.unknown import as_json, as_sqlite, as_xml, as_yaml, element
from ypsiform.containers import lines, toml, xlsx
from ypsiform.containers import zip as zip_

Record = dict[str, Any]


class Node:
    """An item of a site: where it leads, whether visitors see it, and what is below it."""

    def __init__(self, label: str, address: str, *, page: int = 0, hidden: bool = False) -> None:
        self.label, self.address, self.page, self.hidden = label, address, page, hidden
        self.below: list[Node] = []
        self.id = self.place = self.level = 0
        self.menu = ""
        self.above: Node | None = None
        self.before: Node | None = None
        self.left = self.right = 0

    def way(self) -> list[Node]:
        """The items from the top down to this one."""
        return [*(self.above.way() if self.above else ()), self]


_SAID = {
    "words": """
Sailings Islands Harbour Winter Summer Fares Tickets Timetable Crew Cargo Bicycle Lounge Cabin
Weather Wildlife Birds Walks Museum Chapel Lighthouse Bakery Market Festival School Clinic Library
Ferry Pier Beach Cliffs Caves Seals Puffins Whales Maps History Heritage Weaving Wool Fishing Boats
Repairs Groups Meetings Weddings Gifts Vouchers Members News Jobs Press Contact Careers Safety
Luggage Pets Parking Buses Trains Flights Hotels Hostels Camping Cottages Food""",
    "places": "north south east west inner outer upper lower old new great little",
    "foreign": """
Überfahrt Öffnungszeiten Größe Håndverk Øyene Småbåter Été Forêt Château Niño Español Åland Ελλάδα
Новости 船旅 Łódź""",
    "roles": """
label address id parent order menu number inside key title left right depth hidden page kind slug
follows name count""",
    "english": """
title url id parent_id position menu path children key name lft rgt depth hidden page_id type slug
after name child_count""",
    "german": """
bezeichnung adresse nummer eltern reihenfolge leiste kette unterpunkte schluessel titel links rechts
ebene versteckt seite art kuerzel nach name anzahl""",
    "french": """
libelle lien identifiant pere ordre barre chemin_complet enfants cle titre gauche droite niveau
cache page genre alias apres nom nombre_enfants""",
    "norwegian": """
tittel lenke nr forelder rekkefolge meny sti under nokkel navn venstre hoyre dybde skjult side slag
kortnavn etter navn antall""",
}
WORDS, PLACES, FOREIGN = (_SAID[name].split() for name in ("words", "places", "foreign"))
OUTSIDE = ("https://book.skerryline.example/", "https://maps.example/skerry", "mailto:a@b.example")
ROLES = _SAID["roles"].split()
NAMES = {
    language: dict(zip(ROLES, _SAID[language].split(), strict=True))
    for language in ("english", "german", "french", "norwegian")
}
SCHEMES = (*NAMES, "random", "numbered")


class Case(NamedTuple):
    """One export: what it was made of, its bytes, and the menus that must be read of it."""

    name: str
    container: str
    structure: str
    naming: str
    file: str
    data: bytes
    menus: list[Any]


class Make:
    """What a shape lays out: a site made by chance, and names for its fields."""

    def __init__(self, rng: Random, naming: str, *, hidden: bool, pages: bool) -> None:
        self.rng, self.naming = rng, naming
        self.words = self._names()
        self.hidden, self.has_pages = hidden, pages
        self.pages: list[tuple[int, str, str]] = []
        self.menus: dict[str, list[Node]] = {}
        self.nodes: list[Node] = []
        self._site()

    def _names(self) -> dict[str, str]:
        rng = self.rng
        if self.naming in NAMES:
            return NAMES[self.naming]
        if self.naming == "numbered":
            numbers = rng.sample(range(1, 60), len(ROLES))
            return {role: f"f{n}" for role, n in zip(ROLES, numbers, strict=True)}
        found: dict[str, str] = {}
        for role in ROLES:
            word = ""
            while not word or word in found.values():
                word = "".join(rng.choice("bdfgklmnprstv") + rng.choice("aeiou") for _ in range(3))
            found[role] = word
        return found

    def __getitem__(self, role: str) -> str:
        return self.words[role]

    def _site(self) -> None:
        rng = self.rng
        keys = rng.sample(["main", "footer", "utility", "legal", "mobile", "partners"], 6)
        many = rng.choice([1, 2, 2, 3, 4, 6])
        total = rng.choice([14, 20, 30, 45, 80]) if rng.random() < 0.95 else rng.choice([400, 2000])
        deepest = rng.choice([1, 2, 2, 3, 3, 4, 7])
        start, step = rng.randint(1, 900), rng.choice([1, 1, 3, 7])
        used: set[str] = set()
        for at, key in enumerate(keys[:many]):
            size = max(3, total // (2 if at == 0 else 2 * many)) if many > 1 else total
            top: list[Node] = []
            nodes: list[Node] = []
            while len(nodes) < size:
                above = None
                # A menu has some branches: most items stand below one of its first few.
                open_ = [n for n in nodes if n.level < deepest]
                if open_ and len(top) > 2 and rng.random() < 0.75:
                    above = rng.choice(open_[: 4 + len(open_) // 4])
                node = self._node(above, used)
                node.level = above.level + 1 if above else 1
                node.above, node.menu = above, key
                siblings = above.below if above else top
                siblings.append(node)
                nodes.append(node)
            self.menus[key] = top
        ident = start
        for top in self.menus.values():
            bound = 0

            def number(nodes: list[Node]) -> None:
                nonlocal ident, bound
                before = None
                for place, node in enumerate(nodes, 1):
                    node.id, node.place, node.before = ident, place, before
                    ident += step
                    bound += 1
                    node.left = bound
                    self.nodes.append(node)
                    number(node.below)
                    bound += 1
                    node.right = bound
                    before = node

            number(top)
        if self.has_pages:
            extra = [(900 + n, f"Draft {n}", f"/drafts/{n}") for n in range(3)]
            for node in self.nodes:
                if node.address.startswith("/"):
                    node.page = 2000 + 3 * node.id
                    self.pages.append((node.page, f"{node.label} – page", node.address))
            self.pages += extra
            rng.shuffle(self.pages)

    def _node(self, above: Node | None, used: set[str]) -> Node:
        rng = self.rng
        label = rng.choice(WORDS) if rng.random() < 0.9 else rng.choice(FOREIGN)
        if rng.random() < 0.5:
            label = f"{label} {rng.choice(['in', 'of the', 'and', '&'])} {rng.choice(WORDS)}"
        slug = "-".join(w for w in label.lower().split() if w.isascii() and w.isalpha()) or "more"
        base = above.address if above and above.address.startswith("/") else ""
        if rng.random() < 0.15:
            base = f"/{rng.choice(PLACES)}"
        address = f"{base}/{slug}"
        while address in used:
            address += rng.choice("23456789")
        used.add(address)
        chance = rng.random()
        if chance < 0.06:
            address = rng.choice(OUTSIDE) + f"?n={len(used)}"
        elif chance < 0.1:
            address = ""
        return Node(label, address, hidden=self.hidden and rng.random() < 0.15)

    def wanted(self) -> list[Any]:
        """What must be read: for each menu its items, in any order of menus."""

        def of(nodes: list[Node]) -> list[Any]:
            return [(n.label, n.address, bool(n.page), n.hidden, of(n.below)) for n in nodes]

        return sorted(of(top) for top in self.menus.values())


Noise = Callable[[Random, Node, int], Any]
NOISE: list[Noise] = [
    lambda rng, node, at: f"2026-{1 + at % 12:02}-{1 + at % 28:02}T08:{at % 60:02}:00Z",
    lambda rng, node, at: hashlib.md5(f"{node.id}".encode()).hexdigest(),
    lambda rng, node, at: rng.randint(0, 5000),
    lambda rng, node, at: f"<p>{node.label}</p>",
    lambda rng, node, at: node.label.lower().replace(" ", "_"),
    lambda rng, node, at: f"https://cms.skerryline.example/api/items/{node.id}",
    lambda rng, node, at: rng.choice(["en", "en", "nb"]),
    lambda rng, node, at: "admin",
    lambda rng, node, at: len(node.below),
    lambda rng, node, at: rng.random() < 0.5,
    lambda rng, node, at: None,
    lambda rng, node, at: round(rng.random(), 3),
    lambda rng, node, at: rng.choice([0, 1]),
    lambda rng, node, at: 1_770_000_000 + 37 * at,
]
NOISE_NAMES = ["zeta", "omega", "kappa", "sigma", "theta", "lambda"]


class Noisy:
    """Fields of no meaning for navigation, the same ones in every record."""

    def __init__(self, make: Make, most: int = 4) -> None:
        rng = make.rng
        self.rng = rng
        self.kinds = rng.sample(NOISE, rng.randint(0, most))
        names = rng.sample(NOISE_NAMES, len(self.kinds))
        if make.naming == "numbered":
            names = [f"f{60 + n}" for n in range(len(names))]
        self.names = names

    def add(self, record: Record, node: Node, at: int) -> Record:
        """A record with noise, part of it before and part of it behind."""
        told = [
            (n, kind(self.rng, node, at)) for n, kind in zip(self.names, self.kinds, strict=True)
        ]
        half = len(told) // 2
        return {**dict(told[:half]), **record, **dict(told[half:])}


HIDDEN: list[tuple[Any, Any]] = [(True, False), (1, 0), ("yes", "no"), ("Y", "N")]


def hidden_as(make: Make) -> tuple[str, Any, Any] | None:
    """The field that says whether an item is seen, and what it says of hidden and shown ones."""
    if not make.hidden:
        return None
    on, off = make.rng.choice(HIDDEN)
    if make.rng.random() < 0.5:
        name = {"english": "visible", "german": "sichtbar", "french": "visible"}.get(
            make.naming, "synlig" if make.naming == "norwegian" else make["hidden"]
        )
        return name, off, on
    return make["hidden"], on, off


def leads(make: Make, record: Record, node: Node) -> None:
    """Say where an item leads, by the id of its page or by its address."""
    if make.has_pages:
        record[make["page"]] = node.page or None
        record[make["address"]] = None if node.page else node.address or None
    else:
        record[make["address"]] = node.address or None


Shape = Callable[[Make], tuple[bytes, str]]


class Shapes:
    """Shapes by name, each with its container and structure."""

    def __init__(self) -> None:
        self.all: list[tuple[str, str, str, Shape, bool]] = []

    def add(
        self, container: str, structure: str, *, pages: bool = True
    ) -> Callable[[Shape], Shape]:
        """Take a shape in; `pages`: it can hold an inventory."""

        def taken(shape: Shape) -> Shape:
            self.all.append((shape.__name__, container, structure, shape, pages))
            return shape

        return taken

    def cases(self, count: int, seed: int) -> Iterator[Case]:
        """So many exports of these shapes, each one in turn."""
        for at in range(count):
            name, container, structure, shape, pages = self.all[at % len(self.all)]
            rng = Random(f"{seed} {name} {at}")
            naming = SCHEMES[(at // len(self.all) + at) % len(SCHEMES)]
            with_pages = pages and rng.random() < 0.3
            make = Make(rng, naming, hidden=rng.random() < 0.3, pages=with_pages)
            data, file = shape(make)
            yield Case(name, container, structure, naming, file, data, make.wanted())


def packed(
    make: Make, container: str, records: list[Record], more: dict[str, list[Record]] | None = None
) -> tuple[bytes, str]:
    """Records, with further tables beside them, in a container."""
    rng, tables = make.rng, {"items": records, **(more or {})}
    if make.naming in ("random", "numbered"):
        names = ["kopola", "misuta", "velori", "dagume"]
        tables = dict(zip(names, tables.values(), strict=False))
    if rng.random() < 0.5:
        tables = dict(reversed(tables.items()))
    if container == "csv":
        return as_rows(records, rng.choice(",;\t|")), "export.csv"
    if container == "lines":
        return lines.write(records), "export.jsonl"
    if container == "xlsx":
        return xlsx.write({n[:31].title(): rows for n, rows in tables.items()}), "export.xlsx"
    if container == "sql":
        return as_sql(rng, tables), "export.sql"
    if container == "sqlite":
        return as_database(tables), "export.sqlite"
    if container == "grid":
        names = list(dict.fromkeys(key for record in records for key in record))
        rows = [[record.get(name) for name in names] for record in records]
        if rng.random() < 0.5:
            return as_json({"columns": names, "rows": rows}), "export.json"
        return as_json([names, *rows]), "export.json"
    if container == "xml":
        root = element("export")
        for name, some in tables.items():
            group = element(name)
            root.append(group)
            for record in some:
                group.append(as_element("entry", record, attributes=rng.random() < 0))
        return as_xml(root), "export.xml"
    tree: Any = tables
    wrap = rng.random()
    if wrap < 0.3:
        tree = {"meta": {"version": 3, "site": "https://www.skerryline.example"}, "data": tables}
    elif wrap < 0.4 and not more:
        tree = records
    if container == "yaml":
        return as_yaml(tree), "export.yaml"
    return as_json(tree), "export.json"


def texts(make: Make, records: list[Record], *, mark: str = "---") -> tuple[bytes, str]:
    """Records as front matter above texts, each in a file of its own, in folders of a zip."""
    files = {"readme.txt": b"An export."}
    for at, (record, node) in enumerate(zip(records, make.nodes, strict=True)):
        held = {key: value for key, value in record.items() if value is not None}
        head = (as_yaml(held) if mark == "---" else toml.write(held)).decode()
        body = "" if at % 3 else f"\n# {node.label}\n\nSee [the isles](/isles/{at}) and more.\n"
        name = f"pages/{node.id % 4}/text-{at:03}.md"
        files[name] = f"{mark}\n{head}{mark}\n{body}".encode()
    return zip_.pack(files), "export.zip"


def as_element(name: str, record: Record, *, attributes: bool) -> ElementTree.Element:
    """A record as an element."""
    made = element(name)
    for key, value in record.items():
        if value is None:
            continue
        text = str(value).lower() if isinstance(value, bool) else str(value)
        if attributes:
            made.set(key, text)
        else:
            child = element(key)
            child.text = text
            made.append(child)
    return made


def as_rows(records: list[Record], delimiter: str) -> bytes:
    """Records as a table of texts."""
    out = io.StringIO()
    names = list(dict.fromkeys(key for record in records for key in record))
    writer = csv.DictWriter(out, names, delimiter=delimiter, lineterminator="\n")
    writer.writeheader()
    for record in records:
        writer.writerow(
            {k: str(v).lower() if isinstance(v, bool) else v for k, v in record.items()}
        )
    return out.getvalue().encode()


def _type(values: list[Any]) -> str:
    known = [value for value in values if value is not None]
    if known and all(type(value) is int for value in known):
        return "integer"
    return "boolean" if known and all(type(value) is bool for value in known) else "text"


def as_sql(rng: Random, tables: dict[str, list[Record]]) -> bytes:
    """Tables as a dump: by `INSERT` or by `COPY`."""
    out = ["-- Database dump", "SET client_encoding = 'UTF8';"]
    copy, quote = rng.random() < 0.5, rng.choice(["", '"'])
    for name, records in tables.items():
        columns = list(dict.fromkeys(key for record in records for key in record))
        types = {column: _type([record.get(column) for record in records]) for column in columns}
        body = ",\n".join(f"  {quote}{column}{quote} {types[column]}" for column in columns)
        out.append(f"CREATE TABLE {name} (\n{body}\n);")
        if copy:
            out.append(f"COPY {name} ({', '.join(columns)}) FROM stdin;")
            for record in records:
                cells = ["\\N" if record.get(c) is None else _copied(record[c]) for c in columns]
                out.append("\t".join(cells))
            out.append("\\.")
            continue
        rows = [f"({', '.join(_literal(record.get(c)) for c in columns)})" for record in records]
        out.append(f"INSERT INTO {name} VALUES\n" + ",\n".join(rows) + ";")
    return ("\n".join(out) + "\n").encode()


def _copied(value: Any) -> str:
    if isinstance(value, bool):
        return "t" if value else "f"
    return str(value).replace("\\", "\\\\").replace("\t", "\\t").replace("\n", "\\n")


def _literal(value: Any) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, (int, float)):
        return str(value)
    return "'" + str(value).replace("'", "''") + "'"


def as_database(tables: dict[str, list[Record]]) -> bytes:
    """Tables as an SQLite file."""
    script, rows = "", {}
    for name, records in tables.items():
        columns = list(dict.fromkeys(key for record in records for key in record))
        types = {c: _type([record.get(c) for record in records]).upper() for c in columns}
        script += f"CREATE TABLE {name} ({', '.join(f'{c} {types[c]}' for c in columns)});"
        rows[name] = [tuple(record.get(c) for c in columns) for record in records]
    return as_sqlite(script, rows)


def dumped(tree: Any) -> str:
    """A value as a text of JSON."""
    return json.dumps(tree, ensure_ascii=False)
