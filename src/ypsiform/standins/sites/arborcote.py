"""Arborcote: what its importer keeps of a file, and what a site shows of it."""

from __future__ import annotations

import io
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

from .shown import (
    Block,
    Column,
    Entry,
    Panel,
    Place,
    Refused,
    Visitor,
    balanced,
    cut,
    mappings,
    no_languages,
    plain,
)

languages = no_languages
THEMES = ("ridge", "furrow")
_PLACES = {
    "ridge": (("main", "Main bar", 3), ("foot", "Footer", 1)),
    "furrow": (("main", "Main bar", 2),),
}


def blank(theme: str) -> bytes:
    """A site of one page, without bars."""
    page = {"id": 1, "title": "Home", "short": None, "path": "/", "listed": True, "pointer": None}
    return _written(
        {
            "arborcote": 6,
            "site": "https://site.example",
            "pages": [{**page, "readers": ["everyone"], "below": []}],
            "bars": [],
            "boards": [],
            "look": {"theme": theme},
        }
    )


def _read(data: bytes) -> dict[str, Any]:
    try:
        document = YAML(typ="safe", pure=True).load(data)
    except (YAMLError, ValueError, RecursionError) as error:
        raise Refused(f"not YAML: {str(error).splitlines()[0]}") from None
    if not isinstance(document, dict) or document.get("arborcote") != 6:
        raise Refused("this is no Arborcote file of version 6")
    return document


def _written(document: dict[str, Any]) -> bytes:
    stream = io.BytesIO()
    writer = YAML()
    writer.width = 4096
    writer.dump(document, stream)
    return stream.getvalue()


def kept(data: bytes) -> bytes:
    """What the importer keeps: all but pages of labels that are too long, and broken pointers."""
    document = _read(data)
    ids = {page.get("id") for page in _all(document.get("pages"))}
    for page in _all(document.get("pages")):
        page["below"] = [b for b in mappings(page.get("below")) if len(_label(b)) <= 80]
        if type(page.get("pointer")) is int and page["pointer"] not in ids:
            page["pointer"] = "none"
    return _written(document)


def _all(pages: Any) -> list[dict[str, Any]]:
    stack, made = mappings(pages), []
    while stack:
        page = stack.pop()
        made.append(page)
        stack += mappings(page.get("below"))
    return made


def _label(page: dict[str, Any]) -> str:
    return str(page.get("short") or page.get("title") or "")


def roles(data: bytes) -> set[str]:
    """The words for readers that a file uses."""
    pages = _all(_read(data).get("pages"))
    return {str(word) for page in pages for word in page.get("readers") or ()}


def contents(data: bytes) -> dict[str, str]:
    """The path of each page that is no pointer, by its id."""
    return {
        f"page {page.get('id')}": str(page["path"])
        for page in _all(_read(data).get("pages"))
        if page.get("path") and page.get("pointer") is None
    }


def places(
    data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
) -> list[Place]:
    """What the bars of the theme show to a visitor."""
    return _Tree(_read(data), visitor).places()


class _Tree:
    def __init__(self, document: dict[str, Any], visitor: Visitor) -> None:
        self.document, self.visitor = document, visitor
        self.pages = {page.get("id"): page for page in _all(document.get("pages"))}

    def places(self) -> list[Place]:
        look = self.document.get("look")
        theme = str(look.get("theme")) if isinstance(look, dict) else ""
        bars = {bar.get("name"): bar for bar in reversed(mappings(self.document.get("bars")))}
        made = []
        for name, caption, levels in _PLACES.get(theme, ()):
            bar = bars.get(name)
            entries: list[Entry] = []
            if bar is not None:
                reach = bar.get("levels") if type(bar.get("levels")) is int else levels
                entries = self.bar(bar, int(reach or 1), boards=theme == "ridge" and name == "main")
                entries = cut(entries, levels)
            made.append(Place(name, caption, entries))
        return made

    def bar(self, bar: dict[str, Any], reach: int, *, boards: bool) -> list[Entry]:
        """What a bar gathers, so many levels of it; its top pages may open boards."""
        by = str(bar.get("by") or "rank")
        made: list[Entry] = []
        roots = bar.get("under") or []
        top = [page for root in roots for page in mappings(self.pages.get(root, {}).get("below"))]
        for page in self.seen(top, by):
            made += cut([self.entry(page, by)], reach)
            if boards:
                self.board(page, made[-1])
        return made

    def seen(self, pages: list[dict[str, Any]], by: str) -> list[dict[str, Any]]:
        """The pages of a level that are shown, in the order of the bar."""
        shown = [
            page
            for page in pages
            if page.get("listed") is True and self.visitor.may(page.get("readers") or ["everyone"])
        ]
        if by == "rank":
            return shown
        have = [page for page in shown if page.get(by) is not None]
        numbers = all(isinstance(page[by], int | float) for page in have)
        have.sort(key=lambda page: page[by] if numbers else str(page[by]))
        return have + [page for page in shown if page.get(by) is None]

    def entry(self, page: dict[str, Any], by: str) -> Entry:
        pointer = page.get("pointer")
        if type(pointer) is int:
            address = self.pages.get(pointer, {}).get("path")
        elif pointer == "none":
            address = None
        else:
            address = pointer or page.get("path")
        below = [self.entry(b, by) for b in self.seen(mappings(page.get("below")), by)]
        return Entry(self.label(page), str(address) if address else None, below)

    def label(self, page: dict[str, Any]) -> str:
        pointer = page.get("pointer")
        own = _label(page)
        return own or (_label(self.pages.get(pointer, {})) if type(pointer) is int else "")

    def board(self, page: dict[str, Any], entry: Entry) -> None:
        boards = mappings(self.document.get("boards"))
        board = next((b for b in boards if b.get("page") == page.get("id")), None)
        if board is None:
            return
        pieces: dict[str, list[Block]] = {"before": [], "after": [], "instead": []}
        for piece in mappings(board.get("pieces")):
            if piece.get("side") in pieces:
                text = plain(str(piece.get("markup") or ""))
                pieces[piece["side"]].append(Block("markup", text=text))
        panel = Panel(tone=str(board.get("tint") or ""))
        if pieces["instead"]:
            panel.columns = [Column(pieces["instead"])]
        else:
            panel.before, panel.after = pieces["before"], pieces["after"]
            count = board.get("columns") if type(board.get("columns")) is int else 1
            panel.columns = spread(entry.below, int(count or 1))
        entry.below = []
        entry.panel = panel


def spread(entries: list[Entry], columns: int) -> list[Column]:
    """Sections over columns, none of them split; each is as high as 1 and what is listed in it."""
    made, at = [], 0
    for count in balanced([1 + len(entry.below) for entry in entries], columns):
        column = Column()
        for entry in entries[at : at + count]:
            heading = Entry(entry.label, entry.address, new_window=entry.new_window)
            column.blocks.append(Block("links", heading, cut(entry.below, 1)))
        made.append(column)
        at += count
    return made
