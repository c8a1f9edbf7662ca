"""Stallmere: what its importer keeps of a file, and what a site shows of it."""

from __future__ import annotations

import json
import re
from typing import Any

from .shown import (
    Block,
    Column,
    Entry,
    Panel,
    Place,
    Refused,
    Visitor,
    cut,
    mapping_of,
    mappings,
    no_languages,
    no_roles,
)

languages = no_languages
roles = no_roles
THEMES = ("plain", "broad", "terrace")
FIXED = {"home": "/", "search": "/find", "account": "/account"}
LISTS = {"good": "/buy", "aisle": "/shelf", "story": "/story"}
_PATHS = {"page": "/read/", "good": "/buy/", "aisle": "/shelf/", "story": "/story/"}
_LEVELS = {"plain": (2, 1), "broad": (3, 2), "terrace": (2, 2)}
_KEY = re.compile(r"[a-z0-9-]{1,60}")


def blank(theme: str) -> bytes:
    """A shop without menus."""
    document: dict[str, Any] = {
        "stallmere": 3,
        "site": "https://site.example",
        "stock": {"page": [], "good": [], "aisle": [], "story": []},
        "trees": [],
        "frame": {"theme": theme, "header": [] if theme == "terrace" else None, "footer": None},
    }
    return json.dumps(document).encode()


def _read(data: bytes) -> dict[str, Any]:
    document = mapping_of(data)
    if document.get("stallmere") != 3:
        raise Refused("this is no Stallmere file of version 3")
    return document


def kept(data: bytes) -> bytes:
    """What the importer keeps.

    Entries with a link to an unknown key, on a fifth level, with more than 40 characters, or beyond
    the 180th go with all that is below them; trees beyond the 30th, and all traits, go.
    """
    document = _read(data)
    stock = {
        kind: {r.get("key") for r in mappings((document.get("stock") or {}).get(kind))}
        for kind in _PATHS
    }
    trees: list[dict[str, Any]] = []
    for tree in mappings(document.get("trees")):
        key, title = tree.get("key"), tree.get("title")
        if not isinstance(key, str) or not _KEY.fullmatch(key) or len(trees) == 30:
            continue
        room = [180]
        entries = _kept(tree.get("entries"), 1, stock, room)
        trees.append({**tree, "title": str(title or "")[:40], "entries": entries})
    document["trees"] = trees
    return json.dumps(document, ensure_ascii=False).encode()


def _kept(entries: Any, level: int, stock: dict[str, set[Any]], room: list[int]) -> list[Any]:
    made = []
    for entry in mappings(entries) if level <= 4 else []:
        link, text = entry.get("link"), entry.get("text")
        if not isinstance(text, str) or len(text) > 40 or not room[0]:
            continue
        if isinstance(link, dict) and not _known(link, stock):
            continue
        room[0] -= 1
        below = _kept(entry.get("entries"), level + 1, stock, room)
        made.append({"text": text, "link": link, "entries": below})
    return made


def _known(link: dict[str, Any], stock: dict[str, set[Any]]) -> bool:
    key = link.get("key")
    return "what" not in link or (isinstance(key, str) and key in stock.get(str(link["what"]), ()))


def _address(link: Any) -> str | None:
    if not isinstance(link, dict):
        return None
    if "what" in link:
        return f"{_PATHS.get(str(link['what']), '/')}{link.get('key')}"
    if "list" in link:
        return LISTS.get(str(link["list"]))
    if "fixed" in link:
        return FIXED.get(str(link["fixed"]))
    return str(link["address"]) if link.get("address") else None


def _entries(records: Any) -> list[Entry]:
    return [
        Entry(str(r.get("text") or ""), _address(r.get("link")), _entries(r.get("entries")))
        for r in mappings(records)
    ]


def contents(data: bytes) -> dict[str, str]:
    """The address of each piece of the stock, by its kind and key."""
    stock = _read(data).get("stock")
    return {
        f"{kind} {record.get('key')}": f"{path}{record.get('key')}"
        for kind, path in _PATHS.items()
        for record in mappings(stock.get(kind) if isinstance(stock, dict) else None)
    }


def places(
    data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
) -> list[Place]:
    """What header and footer show; everybody sees the same."""
    document = _read(data)
    trees: dict[Any, dict[str, Any]] = {}
    for tree in mappings(document.get("trees")):
        trees.setdefault(tree.get("key"), tree)
    frame = document.get("frame") if isinstance(document.get("frame"), dict) else {}
    assert isinstance(frame, dict)
    theme = str(frame.get("theme"))
    above, below = _LEVELS.get(theme, (2, 1))
    if theme == "terrace":
        header = _sequence(document, frame.get("header"), trees, above)
    else:
        tree = trees.get(frame.get("header")) or {}
        header = _entries(tree.get("entries"))
        if theme == "broad":
            _trays(document, header, trees)
        header = cut(header, above)
    foot = trees.get(frame.get("footer")) or {}
    footer = cut(_entries(foot.get("entries")), below)
    return [Place("header", "Header", header), Place("footer", "Footer", footer)]


def _picture(record: dict[str, Any]) -> Block:
    return Block(
        "picture",
        text=str(record.get("caption") or ""),
        address=_address(record.get("link")),
        source=str(record.get("src") or ""),
    )


def _trays(document: dict[str, Any], header: list[Entry], trees: dict[Any, dict[str, Any]]) -> None:
    """Trays open from the entry of their text, at their place, where no other one has that text."""
    for tray in mappings(document.get("trays"))[:4]:
        under = tray.get("under") if isinstance(tray.get("under"), dict) else {}
        assert isinstance(under, dict)
        openers = [entry for entry in header if entry.label == under.get("text")]
        place = under.get("place")
        if place is not None:
            at = place - 1 if type(place) is int else -1
            openers = [e for e in openers if 0 <= at < len(header) and e is header[at]]
        if len(openers) != 1 or openers[0].below or openers[0].panel is not None:
            continue
        columns = []
        room = 12
        for stack in list(tray.get("columns") or [])[:6]:
            column = Column()
            for piece in mappings(stack)[:room]:
                room -= 1
                made = _piece(piece, trees)
                if made is not None:
                    column.blocks.append(made)
            columns.append(column)
        openers[0].panel = Panel(columns)


def _piece(piece: dict[str, Any], trees: dict[Any, dict[str, Any]]) -> Block | None:
    if "tree" in piece:
        tree = trees.get(piece["tree"])
        if tree is None:
            return None
        title = str(tree.get("title") or "")
        links = cut(_entries(tree.get("entries")), 1)
        return Block("links", Entry(title) if title else None, links)
    if isinstance(piece.get("picture"), dict):
        return _picture(piece["picture"])
    return Block("text", text=str(piece.get("words") or ""))


def _sequence(
    document: dict[str, Any], parts: Any, trees: dict[Any, dict[str, Any]], levels: int
) -> list[Entry]:
    """The header of trees and sheets, in its order."""
    sheets = {sheet.get("key"): sheet for sheet in mappings(document.get("sheets"))[:3]}
    made: list[Entry] = []
    for part in mappings(parts):
        if "tree" in part:
            made += cut(_entries((trees.get(part["tree"]) or {}).get("entries")), levels)
        sheet = sheets.get(part.get("sheet")) if "sheet" in part else None
        if sheet is None:
            continue
        entry = Entry(str(sheet.get("text") or ""), _address(sheet.get("link")))
        columns = [
            Column([Block("links", Entry(head.label, head.address), cut(head.below, 1))])
            for head in _entries((trees.get(sheet.get("tree")) or {}).get("entries"))[:7]
        ]
        pictures: dict[int, Column] = {}
        for picture in mappings(sheet.get("pictures"))[:3]:
            before = picture.get("before")
            at = before if type(before) is int and 1 <= before <= len(columns) else 0
            pictures.setdefault(at, Column()).blocks.append(_picture(picture))
        panel = Panel()
        for number, column in enumerate(columns, 1):
            panel.columns += [pictures[number], column] if number in pictures else [column]
        panel.columns += [pictures[0]] if 0 in pictures else []
        entry.panel = panel
        made.append(entry)
    return made
