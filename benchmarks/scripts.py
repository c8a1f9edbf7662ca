"""What a script would do that checks nothing: menus out of a Quillmoor export, into one format.

    python benchmarks/scripts.py stallmere export.xml out.json

Each is what somebody writes in an hour, with the library that is usual for the format. Nothing is
resolved, fitted, told or read back.
"""

from __future__ import annotations

import csv
import io
import json
import sqlite3
import sys
import xml.etree.ElementTree as ET
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

Node = dict[str, Any]


def menus(data: bytes) -> dict[str, list[Node]]:
    """The items of each menu, in trees."""
    root = ET.fromstring(data)
    pages = {page.get("no"): page.get("at") for page in root.iterfind("leaves/page")}
    found: dict[str, list[Node]] = {}
    for menu in root.iterfind("menu"):
        top: list[Node] = []
        nodes: dict[str | None, Node] = {}
        for item in menu.iterfind("item"):
            leads = item.find("leads")
            node: Node = {
                "label": item.findtext("says"),
                "to": pages.get(leads.get("page")) if leads is not None else None,
                "hint": item.findtext("about"),
                "window": item.findtext("window"),
                "style": item.findtext("style"),
                "below": [],
            }
            nodes[item.get("no")] = node
            (nodes[item.get("in")]["below"] if item.get("in") else top).append(node)
        found[menu.get("code") or ""] = top
    return found


def rows(found: dict[str, list[Node]]) -> Iterator[tuple[str, str, int, Node]]:
    """Each item with its menu, its outline number and its level, in reading order."""
    for key, top in found.items():
        stack = [(f"{n}", 1, node) for n, node in reversed(list(enumerate(top, 1)))]
        while stack:
            outline, level, node = stack.pop()
            yield key, outline, level, node
            below = list(enumerate(node["below"], 1))
            stack += [(f"{outline}.{n}", level + 1, one) for n, one in reversed(below)]


def _table(found: dict[str, list[Node]]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["menu", "outline", "level", "label", "address", "hint", "window", "style"])
    for key, outline, level, node in rows(found):
        held = (node["label"], node["to"], node["hint"], node["window"], node["style"])
        writer.writerow([key, outline, level, *held])
    return out.getvalue().encode()


def _json(found: dict[str, list[Node]]) -> bytes:
    trees = [{"key": key, "items": top} for key, top in found.items()]
    return json.dumps({"trees": trees}, indent=2).encode()


def _flat_json(found: dict[str, list[Node]]) -> bytes:
    flat = [
        {"menu": key, "outline": outline, **{k: v for k, v in node.items() if k != "below"}}
        for key, outline, _, node in rows(found)
    ]
    return json.dumps({"items": flat}, indent=2).encode()


def _elements(found: dict[str, list[Node]]) -> bytes:
    root = ET.Element("menus")
    for key, top in found.items():
        stack = [(ET.SubElement(root, "menu", code=key), node) for node in reversed(top)]
        while stack:
            parent, node = stack.pop()
            made = ET.SubElement(parent, "item", text=node["label"] or "", to=node["to"] or "")
            if node["hint"]:
                ET.SubElement(made, "about").text = node["hint"]
            stack += [(made, one) for one in reversed(node["below"])]
    made_: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return made_


def _yaml(found: dict[str, list[Node]]) -> bytes:
    from ruamel.yaml import YAML

    writer = YAML(typ="safe", pure=True)
    writer.default_flow_style = False
    out = io.BytesIO()
    writer.dump({"menus": found}, out)
    return out.getvalue()


def _toml(found: dict[str, list[Node]]) -> bytes:
    import tomlkit

    made: dict[str, list[Node]] = {}
    for key, outline, _, node in rows(found):
        record = {"identifier": outline, "name": node["label"], "url": node["to"]}
        if "." in outline:
            record["parent"] = outline.rpartition(".")[0]
        made.setdefault(key, []).append({k: v for k, v in record.items() if v is not None})
    return tomlkit.dumps({"menus": made}).encode()


def _database(found: dict[str, list[Node]]) -> bytes:
    base = sqlite3.connect(":memory:")
    base.execute("CREATE TABLE nav_node (menu TEXT, outline TEXT, label TEXT, target TEXT)")
    base.executemany(
        "INSERT INTO nav_node VALUES (?, ?, ?, ?)",
        ((key, outline, node["label"], node["to"]) for key, outline, _, node in rows(found)),
    )
    return base.serialize()


SCRIPTS: dict[str, Callable[[dict[str, list[Node]]], bytes]] = {
    "stallmere/plain": _json,
    "csv": _table,
    "tilewick/lintel": _table,
    "quillmoor": _elements,
    "opml": _elements,
    "html": _elements,
    "jsonld": _json,
    "jsonapi": _flat_json,
    "ypsiform": _json,
    "fanlight": _json,
    "rowanbase/bare": _database,
    "hugo": _toml,
    "arborcote/ridge": _yaml,
}
"""For each destination a script that writes what is nearest to its format."""


def main() -> None:
    """Convert one file."""
    to, source, output = sys.argv[1:]
    Path(output).write_bytes(SCRIPTS[to](menus(Path(source).read_bytes())))


if __name__ == "__main__":
    main()
