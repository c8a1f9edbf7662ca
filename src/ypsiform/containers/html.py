"""HTML, read with the parser of lxml: as in a browser, every text is a tree.

The tree is as that of XML. What would run when the page is shown (scripts, styles, frames,
attributes that hold scripts) is not passed on: it is left out, and counted under `#left-out`. A
text that came without `<html>` is written without it. Nothing is ever fetched.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from lxml import etree

from ..errors import FormatError
from . import DEEPEST, ENCODED, LEFT_OUT, decode_any
from .xml import ElementShape, Pairs

Element = dict[str, Any]
UNWRITABLE: re.Pattern[str] | None = re.compile(
    r"[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]"
)
WHOLE = "#whole"
"""The key that says that a document has an element `html` of its own."""

ACTIVE = frozenset(
    ("script", "style", "template", "noscript", "iframe", "frame", "object", "embed", "applet")
)
_VOID = frozenset(
    "area base br col embed hr img input link meta source track wbr".split()  # noqa: SIM905
)
_KEPT = frozenset({"pre", "textarea"})
_CHARSET = re.compile(rb"<meta[^>]{0,200}?charset\s*=\s*[\"']?\s*([\w.-]+)", re.IGNORECASE)
_RUNS = re.compile(r"[\s\x00-\x1f]*(javascript|vbscript|data:text/html)", re.IGNORECASE)
_BLANKS = re.compile(r"\s+")
_TEXTS = frozenset({"href", "id", "title", "class", "lang", "rel", "target", "alt"})
"""Attributes that are no addresses, and those that links are read from, which are judged later."""

_NAME = re.compile(r"[^\s\"'<>/=\x00-\x1f\x7f-\x9f]+")


class Parsed(NamedTuple):
    """A text in HTML: its elements, and whether it has an element `html` of its own.

    `odd` is a word of it where its encoding is not known, else empty: see `decode_any`.
    """

    root: Any
    whole: bool
    odd: str


def parsed(data: bytes, file: str) -> Parsed:
    """Bytes to elements of lxml.

    Raises `FormatError`, also where elements are nested too deep.
    """
    found = _CHARSET.search(data[:2048])
    said = found[1].decode("ascii", "replace") if found else ""
    text, odd = decode_any(data, file, said)
    if not re.search(r"<[A-Za-z]", text):
        text += "<html><body></body></html>"  # nothing but a comment: a page without menus
    made = etree.HTMLParser(huge_tree=True, no_network=True, remove_pis=True, encoding="utf-8")
    try:
        root = etree.fromstring(text.encode("utf-8", "replace"), parser=made)
        if root is None:
            raise etree.ParserError("Document is empty")
    except (etree.LxmlError, ValueError) as error:
        raise FormatError(f"this HTML cannot be read: {error}", file=file) from None
    if any(entry.type_name == "ERR_RESOURCE_LIMIT" for entry in made.error_log):
        raise _too_deep(file)
    head = root.find("head")
    whole = re.search(r"<html[\s>]", text, re.IGNORECASE) is not None
    return Parsed(root, whole or (head is not None and len(head) > 0), odd)


def _too_deep(file: str) -> FormatError:
    return FormatError(f"elements are nested more than {DEEPEST} levels deep", file=file)


def check_depth(root: Any, file: str) -> None:
    """Raise `FormatError` where elements are nested deeper than is read."""
    level = [root]
    for _ in range(DEEPEST):
        level = [child for node in level for child in node]
        if not level:
            return
    raise _too_deep(file)


def read(data: bytes, file: str) -> Element:
    """Bytes to a tree: an element that holds `html` as its only child."""
    return tree_of(parsed(data, file), file)


def tree_of(page: Parsed, file: str) -> Element:
    """Elements of lxml to a tree."""
    root, whole, odd = page
    top: Element = {ENCODED: odd} if odd else {}
    left: dict[str, int] = {}
    element: Element = {}
    stack: list[tuple[Any, Element, int]] = [(root, element, 1)]
    while stack:
        node, element_, depth = stack.pop()
        if depth > DEEPEST:
            raise _too_deep(file)
        below = depth + 1
        stack += [(child, inner, below) for child, inner in _fill(node, element_, left)]
    top["#children"] = [(root.tag, element)]
    if whole:
        top[WHOLE] = True
    if left:
        top[LEFT_OUT] = left
    return top


def _fill(node: Any, element: Element, left: dict[str, int]) -> list[tuple[Any, Element]]:
    """Put what an element says into its node of the tree; gives the elements inside it."""
    tag = node.tag
    for name, value in node.items():
        if name in _TEXTS and tag != "meta":
            element[f"@{name}"] = value
            continue
        runs = name.startswith("on") or name == "srcdoc" or not _NAME.fullmatch(name)
        text = name in _TEXTS or name.startswith("aria-")
        if runs or (not text and _RUNS.match(value)):
            left[name] = left.get(name, 0) + 1
        elif tag == "meta" and "charset" in (name, value.lower().partition("=")[0][-7:]):
            element[f"@{name}"] = "utf-8" if name == "charset" else "text/html; charset=utf-8"
        else:
            element[f"@{name}"] = value
    text = node.text or ""
    if not len(node):
        text = text if tag in _KEPT else _BLANKS.sub(" ", text)
        if text and not text.isspace():
            element["#text"] = text
        return []
    inside: list[tuple[Any, Element]] = []
    children = list(node)
    # Blanks between elements are no text; so it is in most lists.
    blank = not (text.strip() or any(child.tail and child.tail.strip() for child in children))
    pieces: Pairs = [("#text", text)]
    for child in children:
        name, tail = child.tag, None if blank else child.tail
        if not isinstance(name, str):
            pass  # a comment
        elif name in ACTIVE:
            left[name] = left.get(name, 0) + 1
        else:
            inner: Element = {}
            pieces.append((name, inner))
            inside.append((child, inner))
        if tail:
            if pieces[-1][0] == "#text":
                pieces[-1] = ("#text", pieces[-1][1] + tail)
            else:
                pieces.append(("#text", tail))
    if blank:
        if inside:
            element["#children"] = pieces[1:]
        return inside
    if tag not in _KEPT:
        pieces = [(n, _BLANKS.sub(" ", held) if n == "#text" else held) for n, held in pieces]
    if len(pieces) == 1:
        if not pieces[0][1].isspace() and pieces[0][1]:
            element["#text"] = pieces[0][1]
        return inside
    mixed = any(name == "#text" and not held.isspace() and held for name, held in pieces)
    element["#children"] = [
        (name, held) for name, held in pieces if name != "#text" or (mixed and held)
    ]
    return inside


def _escape(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def write(tree: Element) -> bytes:
    """A tree to UTF-8 bytes, two blanks for each level; text among elements as it stands."""
    name, root = tree["#children"][0]
    out: list[str] = []
    if tree.get(WHOLE):
        out.append("<!DOCTYPE html>\n")
        _write([(name, root)], "", out)
    else:
        body = SHAPE.step(root, "body") or {}
        out.append(_escape(body.get("#text", "")))
        _write(body.get("#children", ()), "", out)
    if not "".join(out).strip():
        out.append("<!-- There are no menus. -->")
    return ("".join(out).rstrip("\n") + "\n").encode("utf-8")


def _write(children: Any, indent: str | None, out: list[str]) -> None:
    """Write elements and texts; with an indent of None they stand as they are, in one line."""
    before, after = (indent, "\n") if indent is not None else ("", "")
    for name, child in children:
        if name == "#text":
            out.append(f"{before}{_escape(child)}{after}")
            continue
        head = before + "<" + name
        for key, value in child.items():
            if key[:1] == "@":
                quoted = value.replace("&", "&amp;").replace('"', "&quot;").replace("<", "&lt;")
                head += f' {key[1:]}="{quoted}"'
        out.append(head + ">")
        if name in _VOID:
            out.append(after)
            continue
        text, inner = child.get("#text", ""), child.get("#children", ())
        first = "\n" if name in _KEPT and text.startswith("\n") else ""
        out.append(first + _escape(text))
        if inner and (indent is None or any(key == "#text" for key, _ in inner)):
            _write(inner, None, out)
        elif inner:
            out.append("\n")
            _write(inner, (indent or "") + "  ", out)
            out.append(before)
        out.append(f"</{name}>{after}")


class HtmlShape(ElementShape):
    """Paths through elements of HTML, whose texts have no blanks at their ends."""

    TRIMS = True

    def step(self, node: Element, name: str) -> Any:
        """An attribute, the text, or the first child element of that name."""
        found = super().step(node, name)
        return found.strip() if name == "#text" and found is not None else found

    def pairs(self, node: Element) -> Iterator[tuple[str, Any]]:
        """Attributes, text and child elements, in file order."""
        for key, value in super().pairs(node):
            if key == "#text":
                value = value.strip()
                if not value:
                    continue
            yield key, value

    def settled(self, text: str) -> str:
        """A text as it is read again between tags: one blank for each space, none at the ends."""
        return " ".join(text.split())


SHAPE = HtmlShape()
