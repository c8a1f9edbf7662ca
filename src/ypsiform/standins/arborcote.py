"""What Arborcote's importer demands of a file."""

from __future__ import annotations

import re
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

_SIDES = ("before", "after", "instead")


def check(data: bytes) -> list[str]:
    """Every rule that a file breaks, in plain words; an empty list if it is sound."""
    try:
        document = YAML(typ="safe", pure=True).load(data)
    except (YAMLError, ValueError) as error:
        return [f"not YAML: {error}"]
    if not isinstance(document, dict):
        return ["the document is not a mapping"]
    return _Checker(document).run()


class _Checker:
    def __init__(self, document: dict[str, Any]) -> None:
        self.document = document
        self.found: list[str] = []
        self.pages: dict[int, Any] = {}
        self.above: dict[int, int] = {}

    def say(self, text: str) -> None:
        self.found.append(text)

    def run(self) -> list[str]:
        document = self.document
        if document.get("arborcote") != 6:
            self.say(f"arborcote is {document.get('arborcote')!r}")
        if not isinstance(document.get("site"), str):
            self.say("there is no site address")
        self.walk(document.get("pages"))
        for page in self.pages.values():
            self.pointer(page)
        theme = (document.get("look") or {}).get("theme")
        if theme not in ("ridge", "furrow"):
            self.say(f"the theme {theme!r} is not known")
        names = self.bars()
        self.boards(theme, names)
        return self.found

    def walk(self, pages: Any) -> None:
        if not isinstance(pages, list):
            self.say("there are no pages")
            return
        stack = [(page, 0) for page in reversed(pages)]
        while stack:
            page, above = stack.pop()
            ident = page.get("id")
            if type(ident) is not int or ident in self.pages:
                self.say(f"the page id {ident!r} is not a number, or is there twice")
                continue
            self.pages[ident], self.above[ident] = page, above
            if not isinstance(page.get("title"), str):
                self.say(f"page {ident}: no title")
            label = str(page.get("short") or page.get("title") or "")
            if page.get("listed") is True and len(label) > 80:
                self.say(f"page {ident}: the label has {len(label)} characters")
            if not isinstance(page.get("listed"), bool):
                self.say(f"page {ident}: listed is {page.get('listed')!r}")
            readers = page.get("readers", ["everyone"])
            if not isinstance(readers, list) or not readers:
                self.say(f"page {ident}: the readers are {readers!r}")
            stack += [(below, ident) for below in reversed(page.get("below") or [])]

    def pointer(self, page: dict[str, Any]) -> None:
        pointer = page.get("pointer")
        if type(pointer) is int and pointer not in self.pages:
            self.say(f"page {page['id']}: it points to the missing page {pointer}")
        if isinstance(pointer, str) and re.match(r"\s*(java|vb)script:", pointer, re.IGNORECASE):
            self.say(f"page {page['id']}: a script")
        if pointer is None and page.get("path") is None:
            self.say(f"page {page['id']}: a new page, which cannot be imported")

    def bars(self) -> dict[str, Any]:
        names: dict[str, Any] = {}
        for bar in self.document.get("bars") or []:
            name = bar.get("name")
            if not isinstance(name, str) or name in names:
                self.say(f"the bar {name!r} is not named, or is there twice")
            names[str(name)] = bar
            for root in bar.get("under") or []:
                if root not in self.pages:
                    self.say(f"bar {name}: there is no page {root!r}")
            if type(bar.get("levels")) is not int or bar["levels"] < 1:
                self.say(f"bar {name}: levels is {bar.get('levels')!r}")
            if not isinstance(bar.get("by"), str):
                self.say(f"bar {name}: by {bar.get('by')!r}")
        return names

    def boards(self, theme: Any, bars: dict[str, Any]) -> None:
        roots = (bars.get("main") or {}).get("under") or []
        for board in self.document.get("boards") or []:
            page = board.get("page")
            if theme != "ridge":
                self.say(f"the theme {theme} has no boards")
            if self.above.get(page) not in roots:
                self.say(f"board {page!r}: its page is not at the top of main")
            elif self.pages[page].get("listed") is not True:
                self.say(f"board {page!r}: its page is not shown")
            if board.get("columns") not in (1, 2, 3, 4, 5):
                self.say(f"board {page!r}: {board.get('columns')!r} columns")
            if board.get("tint") not in (None, 1, 2, 3):
                self.say(f"board {page!r}: the tint {board['tint']!r}")
            for piece in board.get("pieces") or []:
                if piece.get("side") not in _SIDES or not isinstance(piece.get("markup"), str):
                    self.say(f"board {page!r}: a piece {piece.get('side')!r}")
