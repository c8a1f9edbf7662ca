"""Lists of links in Markdown (CommonMark). The tree is a mapping of `menus` and perhaps `front`.

Each heading with a list below it is a menu: `title`, `items`, and `level` where the heading is not
of the second level (0 where there is none). An item has a `label`, and perhaps a `url`, a `hint`
(the title of the link), a `note` (what stands behind the link) and `items`. `front` is the text of
a front matter, as it stands. What else a file holds (paragraphs, pictures, emphasis …) is not
passed on, and counted.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from ..errors import FormatError, RefusedError
from . import DEEPEST, LEFT_OUT, decode
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(r"[\x00-\x1f\x7f\u2028\u2029\ufffd\ud800-\udfff]")
USUAL = 2
"""The level of headings that is not said."""

LARGEST = 1 << 24
"""Bytes of a file beyond which it is refused."""

_FRONT = re.compile(r"\A---[ \t]*\n(.*?)^---[ \t]*\n?", re.DOTALL | re.MULTILINE)
_ITEM_KEYS = ("label", "url", "hint", "note", "items")
_MARKS = re.compile(r"[\\`*_\[\]<>#+\-!&~|=]")
_NUMBERED = re.compile(r"^(\d+)([.)])")
_WORDS = {
    "html_block": "markup",
    "html_inline": "markup",
    "fence": "blocks of code",
    "code_block": "blocks of code",
    "blockquote_open": "quotations",
    "hr": "lines across the page",
    "strong_open": "emphasis",
    "em_open": "emphasis",
    "code_inline": "emphasis",
    "image": "pictures",
    "hardbreak": "line breaks",
}


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Raises `FormatError` for a file without any list."""
    if len(data) > LARGEST:
        raise FormatError("a file of Markdown is 16 MB at most", file=file)
    text = decode(data, file, declared=False).replace("\r\n", "\n")
    front = _FRONT.match(text)
    tree: dict[str, Any] = {"front": front[1]} if front is not None else {}
    try:
        found = _Lists(_tokens(text[front.end() :] if front is not None else text))
    except RecursionError:
        raise FormatError("it is nested too deep to be read", file=file) from None
    tree["menus"] = found.menus
    if not any(menu["items"] for menu in found.menus):
        raise FormatError("there is no list in it", file=file)
    tree["menus"] = [menu for menu in found.menus if menu["items"]]
    bare = len(found.menus) - len(tree["menus"])
    if bare:
        found.left["headings without a list"] = bare
    if found.left:
        tree[LEFT_OUT] = found.left
    return tree


def _tokens(text: str) -> Sequence[Any]:
    from markdown_it import MarkdownIt

    reader = MarkdownIt("commonmark", {"maxNesting": 4 * DEEPEST})
    # Addresses are facts: what becomes of odd ones is decided elsewhere, and said.
    setattr(reader, "normalizeLink", str)  # noqa: B010
    setattr(reader, "validateLink", _any)  # noqa: B010
    return reader.parse(text)


def _any(url: str) -> bool:
    return True


class _Lists:
    """The lists of a file, from the tokens of its parser."""

    def __init__(self, tokens: Sequence[Any]) -> None:
        self.menus: list[dict[str, Any]] = []
        self.left: dict[str, int] = {}
        self.open: list[dict[str, Any]] = []
        heading = 0
        inside = 0  # of something that is left out
        for token in tokens:
            kind = token.type
            if kind == "blockquote_open":
                inside += 1
                self._leave(kind)
            elif kind == "blockquote_close":
                inside -= 1
            elif inside:
                continue
            elif kind == "heading_open":
                heading = int(token.tag[1:])
            elif kind == "heading_close":
                heading = 0
            elif kind == "list_item_open":
                self.open.append({"label": ""})
            elif kind == "list_item_close":
                self._close(self.open.pop())
            elif kind == "inline" and heading and not self.open:
                title = self._said(token.children or ())["label"]
                self.menus.append({"title": title, "level": heading, "items": []})
                if heading == USUAL:
                    del self.menus[-1]["level"]
            elif kind == "inline":
                self._inline(token)
            elif kind in _WORDS:
                self._leave(kind)

    def _leave(self, kind: str) -> None:
        words = _WORDS.get(kind, kind)
        self.left[words] = self.left.get(words, 0) + 1

    def _close(self, item: dict[str, Any]) -> None:
        if self.open:
            self.open[-1].setdefault("items", []).append(item)
            return
        if not self.menus:
            self.menus.append({"title": "", "level": 0, "items": []})
        self.menus[-1]["items"].append(item)

    def _inline(self, token: Any) -> None:
        if not self.open:
            self._leave("paragraphs")
            return
        item = self.open[-1]
        if item["label"] or "url" in item or "items" in item:
            self._leave("further paragraphs of an item")
            return
        item.update(self._said(token.children or ()))

    def _said(self, children: Sequence[Any]) -> dict[str, Any]:
        """The label, address, hint and note of an item."""
        before, label, note, made = "", "", "", {}
        linked = seen = False
        for child in children:
            if child.type == "link_open":
                if seen:
                    self._leave("further links of an item")
                    continue
                linked = seen = True
                made["url"] = child.attrs.get("href", "")
                if child.attrs.get("title"):
                    made["hint"] = child.attrs["title"]
            elif child.type == "link_close":
                linked = False
            elif child.type in ("text", "code_inline", "softbreak", "text_special"):
                text = " " if child.type == "softbreak" else child.content
                if child.type == "code_inline":
                    self._leave(child.type)
                if linked:
                    label += text
                elif seen:
                    note += text
                else:
                    before += text
            elif child.type in _WORDS:
                self._leave(child.type)
        if not seen:
            return {"label": before}
        note = " ".join(part for part in (before.strip(), note.strip()) if part)
        return {"label": label, **made, **({"note": note} if note else {})}


def write(tree: Any) -> bytes:
    """A tree to UTF-8 bytes. Raises `RefusedError` for what Markdown has no place for."""
    out: list[str] = []
    if "front" in tree:
        out.append(f"---\n{tree['front']}---")
    for menu in tree.get("menus", ()):
        if out:
            out.append("")
        level = menu.get("level", USUAL)
        if level or menu.get("title"):
            out += [f"{'#' * (level or USUAL)} {_text(str(menu.get('title', '')))}".rstrip(), ""]
        stack = [(item, 0) for item in reversed(menu.get("items") or ())]
        while stack:
            item, depth = stack.pop()
            out.append("  " * depth + "- " + _line(item))
            stack += [(below, depth + 1) for below in reversed(item.get("items") or ())]
    return ("\n".join(out) + "\n").encode("utf-8")


def _line(item: dict[str, Any]) -> str:
    odd = next((key for key in item if key not in _ITEM_KEYS), None)
    if odd is not None:
        raise RefusedError(f"an item of a list in Markdown has no place for {odd!r}")
    label, note = _text(str(item.get("label") or "")), _text(str(item.get("note") or ""))
    if "url" not in item and not note and not item.get("hint") and label:
        return label
    hint = f' "{_quoted(str(item["hint"]))}"' if item.get("hint") else ""
    made = f"[{label}]({_address(str(item.get('url') or ''))}{hint})"
    return f"{made} {note}" if note else made


def _text(text: str) -> str:
    """A text that is read as it is, and not as marks of Markdown."""
    body = text.strip(" \t\u00a0")
    start, end = text[: len(text) - len(text.lstrip(" \t\u00a0"))], ""
    if body:
        end = text[len(start) + len(body) :]
    made = _NUMBERED.sub(r"\1\\\2", _MARKS.sub(r"\\\g<0>", body))
    edge = {" ": "&#32;", "\t": "&#9;", "\u00a0": "&nbsp;"}
    return "".join(edge[c] for c in start) + made + "".join(edge[c] for c in end)


def _quoted(text: str) -> str:
    return re.sub(r'[\\"&`*_\[\]<>]', r"\\\g<0>", text)


def _address(address: str) -> str:
    """An address between brackets: in angle brackets where anything in it could end it."""
    made = re.sub(r"[\\<>&`*_]", r"\\\g<0>", address)
    plain = address and not re.search(r"[\s()]", address)
    return made if plain and address[0] != "<" else f"<{made}>"
