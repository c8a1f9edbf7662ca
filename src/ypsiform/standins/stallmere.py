"""What Stallmere's importer demands of a file."""

from __future__ import annotations

import json
import re
from typing import Any

_KEY = re.compile(r"[a-z0-9-]{1,60}")
_STOCK = ("page", "good", "aisle", "story")
_LISTS = ("good", "aisle", "story")
_FIXED = ("home", "search", "account")


def check(data: bytes) -> list[str]:
    """Every rule that a file breaks, in plain words; an empty list if it is sound."""
    try:
        document = json.loads(data)
    except ValueError as error:
        return [f"not JSON: {error}"]
    if not isinstance(document, dict):
        return ["the document is not a mapping"]
    return _Checker(document).run()


class _Checker:
    def __init__(self, document: dict[str, Any]) -> None:
        self.document = document
        self.found: list[str] = []
        self.keys: dict[str, set[str]] = {}
        self.trees: dict[str, Any] = {}

    def say(self, text: str) -> None:
        self.found.append(text)

    def run(self) -> list[str]:
        if self.document.get("stallmere") != 3:
            self.say(f"stallmere is {self.document.get('stallmere')!r}")
        if not isinstance(self.document.get("site"), str):
            self.say("there is no site address")
        self.stock()
        self.all_trees()
        self.frame()
        return self.found

    def stock(self) -> None:
        stock = self.document.get("stock")
        if not isinstance(stock, dict):
            self.say("there is no stock")
            stock = {}
        for section in _STOCK:
            keys: set[str] = set()
            for record in stock.get(section) or []:
                key = record.get("key")
                self.key(key, f"{section}")
                if key in keys:
                    self.say(f"{section}: {key!r} is there twice")
                keys.add(key)
                if not isinstance(record.get("title"), str):
                    self.say(f"{section} {key}: no title")
            self.keys[section] = keys

    def key(self, key: Any, where: str) -> None:
        if not isinstance(key, str) or not _KEY.fullmatch(key):
            self.say(f"{where}: the key {key!r} is not legal")

    def all_trees(self) -> None:
        trees = self.document.get("trees")
        if not isinstance(trees, list):
            self.say("there are no trees")
            trees = []
        if len(trees) > 30:
            self.say(f"there are {len(trees)} trees")
        for tree in trees:
            key = tree.get("key")
            self.key(key, "tree")
            if key in self.trees:
                self.say(f"tree {key!r} is there twice")
            self.trees[key] = tree
            title = tree.get("title")
            if not isinstance(title, str) or len(title) > 40:
                self.say(f"tree {key}: the title {title!r} is missing or too long")
            count = self.entries(tree.get("entries"), 1, f"tree {key}")
            if count > 180:
                self.say(f"tree {key} has {count} entries")

    def entries(self, entries: Any, level: int, where: str) -> int:
        if entries is None:
            return 0
        if not isinstance(entries, list):
            self.say(f"{where}: entries is not a list")
            return 0
        if entries and level > 4:
            self.say(f"{where}: a level {level}")
            return 0
        count = 0
        for entry in entries:
            text = entry.get("text")
            if not isinstance(text, str):
                self.say(f"{where}: an entry without a text")
                text = ""
            if len(text) > 40:
                self.say(f"{where}: the text {text!r} has {len(text)} characters")
            unknown = set(entry) - {"text", "link", "entries"}
            if unknown:
                self.say(f"{where}: an entry has {', '.join(sorted(unknown))}")
            self.link(entry.get("link"), f"{where}, {text!r}")
            count += 1 + self.entries(entry.get("entries"), level + 1, where)
        return count

    def link(self, link: Any, where: str) -> None:
        # One rule of the platform's page after the other, in its order.
        if link is None:
            return
        if not isinstance(link, dict):
            self.say(f"{where}: the link {link!r} is not one")
            return
        kinds = [kind for kind in ("what", "list", "fixed", "address") if kind in link]
        if len(kinds) != 1:
            self.say(f"{where}: a link says {', '.join(kinds) or 'nothing'}")
            return
        (kind,) = kinds
        said = link[kind]
        if kind == "what" and (said not in _STOCK or link.get("key") not in self.keys[said]):
            self.say(f"{where}: unknown {said} {link.get('key')!r}")
        elif kind == "list" and said not in _LISTS:
            self.say(f"{where}: there is no list of {said!r}")
        elif kind == "fixed" and said not in _FIXED:
            self.say(f"{where}: {said!r} is not fixed")
        elif kind == "address" and (not isinstance(said, str) or not said):
            self.say(f"{where}: no address")
        elif kind == "address" and re.match(r"\s*(java|vb)script:", said, re.IGNORECASE):
            self.say(f"{where}: a script")
        unknown = set(link) - {kind, "key" if kind == "what" else kind}
        if unknown:
            self.say(f"{where}: a link has {', '.join(sorted(unknown))}")

    def frame(self) -> None:
        frame = self.document.get("frame")
        if not isinstance(frame, dict):
            self.say("there is no frame")
            return
        theme = frame.get("theme")
        if theme not in ("plain", "broad", "terrace"):
            self.say(f"the theme {theme!r} is not known")
        header, footer = frame.get("header"), frame.get("footer")
        if footer is not None and footer not in self.trees:
            self.say(f"the footer names the missing tree {footer!r}")
        trays = self.document.get("trays") or []
        if theme == "terrace":
            self.sequence(header or [])
        elif header is not None and header not in self.trees:
            self.say(f"the header names the missing tree {header!r}")
        if theme != "broad" and trays:
            self.say(f"the theme {theme} has no trays")
        if theme == "broad":
            self.all_trays(trays, (self.trees.get(str(header)) or {}).get("entries") or [])

    def all_trays(self, trays: list[Any], top: list[Any]) -> None:
        if len(trays) > 4:
            self.say(f"there are {len(trays)} trays")
        for tray in trays:
            under = tray.get("under") or {}
            text, place = under.get("text"), under.get("place")
            where = f"tray {text!r}"
            openers = [entry for entry in top if entry.get("text") == text]
            if place is not None:
                there = type(place) is int and 1 <= place <= len(top)
                openers = [e for e in openers if there and e is top[place - 1]]
            if len(openers) != 1:
                self.say(f"{where}: {len(openers)} entries of the header have that text")
            elif openers[0].get("entries"):
                self.say(f"{where}: its entry has entries of its own")
            columns = tray.get("columns") or []
            if len(columns) > 6:
                self.say(f"{where}: {len(columns)} columns")
            pieces = [piece for column in columns for piece in column]
            if len(pieces) > 12:
                self.say(f"{where}: {len(pieces)} pieces")
            for piece in pieces:
                self.piece(piece, where)

    def piece(self, piece: Any, where: str) -> None:
        if not isinstance(piece, dict) or len(piece) != 1:
            self.say(f"{where}: a piece that is not one of tree, picture, words")
        elif "tree" in piece:
            tree = self.trees.get(piece["tree"])
            if tree is None:
                self.say(f"{where}: the tree {piece['tree']!r} is missing")
            elif any(entry.get("entries") for entry in tree.get("entries") or []):
                self.say(f"{where}: the tree {piece['tree']!r} has more than one level")
        elif "picture" in piece:
            picture = piece["picture"]
            if not isinstance(picture.get("src"), str):
                self.say(f"{where}: a picture without src")
            self.link(picture.get("link"), where)
        elif not isinstance(piece.get("words"), str):
            self.say(f"{where}: a piece that is not one of tree, picture, words")

    def sequence(self, header: list[Any]) -> None:
        # One rule of the platform's page after the other, in its order.
        records = self.document.get("sheets") or []
        sheets = {sheet.get("key"): sheet for sheet in records}
        if len(records) > 3:
            self.say(f"there are {len(records)} sheets")
        if len(sheets) != len(records):
            self.say("two sheets have the same key")
        for part in header:
            if "tree" in part and part["tree"] not in self.trees:
                self.say(f"the header names the missing tree {part['tree']!r}")
            if "sheet" in part and part["sheet"] not in sheets:
                self.say(f"the header names the missing sheet {part['sheet']!r}")
        for key, sheet in sheets.items():
            tree = self.trees.get(str(sheet.get("tree")))
            if tree is None:
                self.say(f"sheet {key}: the tree {sheet.get('tree')!r} is missing")
            elif len(tree.get("entries") or []) > 7:
                self.say(f"sheet {key}: {len(tree['entries'])} columns")
            if len(str(sheet.get("text") or "")) > 40:
                self.say(f"sheet {key}: the text is too long")
            self.link(sheet.get("link"), f"sheet {key}")
            if len(sheet.get("pictures") or []) > 3:
                self.say(f"sheet {key}: more than 3 pictures")
            for picture in sheet.get("pictures") or []:
                self.piece({"picture": picture}, f"sheet {key}")
                if type(picture.get("before", 1)) is not int:
                    self.say(f"sheet {key}: a picture before {picture['before']!r}")
