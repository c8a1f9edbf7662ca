"""Fanlight: what it keeps of a file, and what it shows at the place that it takes over."""

from __future__ import annotations

import json
from typing import Any

from .shown import (
    Block,
    Column,
    Entry,
    Panel,
    Place,
    Refused,
    Visitor,
    mapping_of,
    mappings,
    no_contents,
    no_roles,
    plain,
    words_of,
)

roles = no_roles
contents = no_contents
THEMES: tuple[str, ...] = ()


def blank(theme: str) -> bytes:
    """An add-on that shows nothing yet."""
    document = {"fanlight": 4, "takes": "top", "host": "https://site.example", "items": []}
    return json.dumps(document).encode()


def _read(data: bytes) -> dict[str, Any]:
    document = mapping_of(data)
    if document.get("fanlight") != 4:
        raise Refused("this is no Fanlight file of version 4")
    if document.get("takes") not in ("top", "side"):
        raise Refused("it takes over no place")
    return document


def kept(data: bytes) -> bytes:
    """What is kept: items with a uid of their own, down to the sixth level."""
    document = _read(data)
    uids: set[str] = set()

    def items(records: Any, level: int) -> list[dict[str, Any]]:
        made = []
        for item in mappings(records) if level <= 6 else []:
            uid = item.get("uid")
            if not isinstance(uid, str) or uid in uids or "label" not in item or "href" not in item:
                continue
            uids.add(uid)
            reveal = item.get("reveal")
            if isinstance(reveal, dict) and reveal.get("as") == "cascade":
                item["reveal"] = {**reveal, "items": items(reveal.get("items"), level + 1)}
            elif document["takes"] == "side":
                item["reveal"] = None
            made.append(item)
        return made

    document["items"] = items(document.get("items"), 1)
    return json.dumps(document, ensure_ascii=False).encode()


def _spoken(value: Any, found: dict[str, None]) -> None:
    """The languages of labels, in the order in which they occur."""
    stack = [value]
    while stack:
        node = stack.pop()
        if isinstance(node, list):
            stack += reversed(node)
        elif isinstance(node, dict):
            for key, part in node.items():
                if key == "label" and isinstance(part, dict):
                    found.update(dict.fromkeys(part))
            stack += reversed([v for v in node.values() if isinstance(v, dict | list)])


def languages(data: bytes) -> list[str]:
    """The languages of a file, the one of its first label in front."""
    found: dict[str, None] = {}
    _spoken(_read(data).get("items"), found)
    return list(found)


def places(
    data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
) -> list[Place]:
    """What stands at the place that it takes over."""
    document = _read(data)
    first = next(iter(languages(data)), "")
    shown = _Shown(visitor, first)
    name = str(document["takes"])
    return [Place(name, name.capitalize(), shown.items(document.get("items")))]


class _Shown:
    def __init__(self, visitor: Visitor, first: str) -> None:
        self.visitor, self.first = visitor, first

    def words(self, label: Any) -> str:
        return words_of(label, self.visitor, self.first)

    def items(self, records: Any) -> list[Entry]:
        return [
            self.item(item)
            for item in mappings(records)
            if not item.get("off") and self.visitor.device not in (item.get("hide_on") or ())
        ]

    def item(self, item: dict[str, Any]) -> Entry:
        href = item.get("href")
        entry = Entry(self.words(item.get("label")), href or None)
        entry.new_window = item.get("new_window") is True
        reveal = item.get("reveal")
        if not isinstance(reveal, dict):
            return entry
        entry.opens = str(reveal.get("on") or "")
        style = reveal.get("as")
        if style == "cascade":
            entry.below = self.items(reveal.get("items"))
        elif style == "grid":
            entry.panel = Panel(self.grid(reveal.get("cells")))
        elif style == "tabs":
            entry.panel = Panel([self.tab(tab) for tab in mappings(reveal.get("items"))])
        return entry

    def grid(self, cells: Any) -> list[Column]:
        made = []
        for cell in mappings(cells):
            if not cell.get("off"):
                made.append(Column([self.block(cell)], f"{cell.get('width')} of 12"))
        return made

    def tab(self, tab: dict[str, Any]) -> Column:
        note, href = self.words(tab.get("note")), tab.get("href")
        label = self.words(tab.get("label"))
        cells = [cell for cell in mappings(tab.get("cells")) if not cell.get("off")]
        blocks = [self.block(cell) for cell in cells]
        return Column(blocks, label=label, address=href or None, note=note, tab=True)

    def block(self, cell: dict[str, Any]) -> Block:
        kind = cell.get("type")
        if kind == "list":
            head = cell.get("head")
            heading = None
            if isinstance(head, dict):
                heading = Entry(self.words(head.get("label")), head.get("href") or None)
            return Block("links", heading, self.items(cell.get("items")))
        if kind == "picture":
            return Block(
                "picture",
                text=self.words(cell.get("caption")),
                title=self.words(cell.get("title")),
                address=cell.get("href") or None,
                source=str(cell.get("src") or ""),
            )
        if kind == "goods":
            return Block("products", text=" ".join(map(str, cell.get("keys") or ())))
        if kind == "markup":
            return Block("markup", text=plain(str(cell.get("html") or "")))
        if kind == "newest":
            return Block("newest", text=f"{cell.get('count')} {cell.get('of')}")
        if kind == "form":
            return Block("form", text=" ".join(map(str, cell.get("fields") or ())))
        return Block("text", text=self.words(cell.get("body")))
