"""What Fanlight demands of a file."""

from __future__ import annotations

import json
import re
from typing import Any

# fmt: off
_GLYPHS = {
    "anchor", "arrow", "bag", "basket", "bell", "book", "box", "calendar", "camera", "cart",
    "chat", "clock", "cloud", "cup", "door", "eye", "flag", "gift", "globe", "heart", "home",
    "key", "leaf", "list", "lock", "mail", "map", "moon", "pen", "phone", "pin", "play", "rope",
    "sail", "ship", "star", "sun", "tag", "ticket", "wave",
}
# fmt: on
_ITEM = {"uid", "label", "href", "new_window", "mark", "glyph", "hide_on", "off", "reveal"}
_CELLS = {"list", "picture", "text", "goods", "markup", "newest", "form"}


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
        self.uids: set[str] = set()

    def say(self, text: str) -> None:
        self.found.append(text)

    def run(self) -> list[str]:
        document = self.document
        if document.get("fanlight") != 4:
            self.say(f"fanlight is {document.get('fanlight')!r}")
        if document.get("takes") not in ("top", "side"):
            self.say(f"it takes {document.get('takes')!r}")
        if not isinstance(document.get("host"), str):
            self.say("there is no host")
        needs = document.get("needs", {})
        if not isinstance(needs, dict) or not isinstance(needs.get("scripts", True), bool):
            self.say(f"it needs {needs!r}")
        self.items(document.get("items"), 1)
        return self.found

    def items(self, items: Any, level: int) -> None:
        if not isinstance(items, list):
            self.say("items is not a list")
            return
        if items and level > 6:
            self.say(f"a level {level}")
            return
        for item in items:
            self.item(item, level)

    def item(self, item: Any, level: int) -> None:
        # One rule of the platform's page after the other, in its order.
        if not isinstance(item, dict) or not {"uid", "label", "href"} <= set(item):
            self.say(f"an item lacks uid, label or href: {item!r:.60}")
            return
        uid = item["uid"]
        if not isinstance(uid, str) or not uid or uid in self.uids:
            self.say(f"the uid {uid!r} is not one, or is there twice")
        self.uids.add(str(uid))
        self.words(item["label"], f"{uid}: label")
        href = item["href"]
        if href is not None and not isinstance(href, str):
            self.say(f"{uid}: href is {href!r}")
        elif href is not None and re.match(r"\s*(java|vb)script:", href, re.IGNORECASE):
            self.say(f"{uid}: a script")
        if item.get("glyph") is not None and item["glyph"] not in _GLYPHS:
            self.say(f"{uid}: there is no glyph {item['glyph']!r}")
        if not set(item.get("hide_on") or []) <= {"desktop", "handset"}:
            self.say(f"{uid}: hidden on {item['hide_on']!r}")
        mark = item.get("mark")
        if mark is not None and not isinstance(mark.get("text"), str):
            self.say(f"{uid}: a mark without text")
        for name in ("new_window", "off"):
            if not isinstance(item.get(name, False), bool):
                self.say(f"{uid}: {name} is {item[name]!r}")
        if mark is not None and not isinstance(mark.get("counts", False), bool):
            self.say(f"{uid}: a mark that counts {mark['counts']!r}")
        unknown = set(item) - _ITEM
        if unknown:
            self.say(f"{uid}: unknown {', '.join(sorted(unknown))}")
        if item.get("reveal") is not None:
            self.reveal(uid, item["reveal"], level)

    def words(self, words: Any, where: str) -> None:
        if not isinstance(words, dict) or not all(isinstance(w, str) for w in words.values()):
            self.say(f"{where} is not a text for each language")

    def reveal(self, uid: str, reveal: dict[str, Any], level: int) -> None:
        style = reveal.get("as")
        if style not in ("cascade", "grid", "tabs"):
            self.say(f"{uid}: reveals as {style!r}")
        elif style == "cascade":
            self.items(reveal.get("items"), level + 1)
        elif self.document.get("takes") == "side":
            self.say(f"{uid}: the side has cascades only")
        elif style == "grid":
            self.cells(uid, reveal.get("cells"))
        else:
            for tab in reveal.get("items") or []:
                self.tab(uid, tab)

    def tab(self, uid: str, tab: dict[str, Any]) -> None:
        """A tab: its label, and if it says so an id, where it leads, and a line below its label."""
        self.words(tab.get("label"), f"{uid}: a tab")
        own = tab.get("uid")
        if own is not None:
            if not isinstance(own, str) or not own or own in self.uids:
                self.say(f"{uid}: the uid {own!r} of a tab is not one, or is there twice")
            self.uids.add(str(own))
        if not isinstance(tab.get("href"), str | None):
            self.say(f"{uid}: a tab leads to {tab['href']!r}")
        if tab.get("note") is not None:
            self.words(tab["note"], f"{uid}: the note of a tab")
        unknown = set(tab) - {"uid", "label", "href", "note", "cells"}
        if unknown:
            self.say(f"{uid}: a tab has unknown {', '.join(sorted(unknown))}")
        self.cells(uid, tab.get("cells"))

    def cells(self, uid: str, cells: Any) -> None:
        for cell in cells or []:
            if cell.get("type") not in _CELLS:
                self.say(f"{uid}: a cell of type {cell.get('type')!r}")
            if cell.get("width") not in range(1, 13):
                self.say(f"{uid}: a cell of width {cell.get('width')!r}")
            if not isinstance(cell.get("off", False), bool):
                self.say(f"{uid}: a cell that is off: {cell['off']!r}")
            for name in ("title", "caption", "alt"):
                if cell.get("type") == "picture" and cell.get(name) is not None:
                    self.words(cell[name], f"{uid}: the {name} of a picture")
            if not isinstance(cell.get("second"), str | None):
                self.say(f"{uid}: the second picture is {cell['second']!r}")
            for item in cell.get("items") or []:
                self.item(item, 6)
                if item.get("reveal") is not None:
                    self.say(f"{uid}: items in a list do not nest")
