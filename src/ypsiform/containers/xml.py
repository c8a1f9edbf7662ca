"""XML, read with expat. No document type is accepted, so nothing is ever expanded or fetched."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any
from xml.parsers import expat

from ..errors import FormatError
from . import DEEPEST, decode, folds

CHUNK = 1 << 18
"""Characters that are parsed at once."""

Element = dict[str, Any]
Pairs = list[tuple[str, Any]]


class _Marked(dict[str, str]):
    """Names of attributes as keys: `@name`. Each is made once, however often it stands there."""

    def __missing__(self, name: str) -> str:
        self[name] = "@" + name
        return self[name]


def read(data: bytes, file: str) -> Element:
    """Bytes to a tree: an element that holds the document's root as its only child.

    Text beside child elements is kept as a `#text` pair among them; blank text is layout.
    """
    text = decode(data, file, declared=True)
    text = re.sub(r"^\s*<\?xml[^>]*\?>", lambda found: "\n" * found[0].count("\n"), text, count=1)
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.buffer_size = 1 << 16
    top: Element = {"#children": []}
    stack: list[Element] = [top]
    words: list[str] = []
    marked = _Marked()
    # Most values of attributes name another record, or are said by several: each is held once.
    known: dict[str, str] = {}
    deepest = DEEPEST + 1

    def refuse(*_: object) -> None:
        raise FormatError(
            "the file has a document type declaration (DOCTYPE), which is refused: it can hide "
            "entities that expand without end or fetch other files; remove it",
            file=file,
            place=f"line {parser.CurrentLineNumber}",
        )

    def start(name: str, attributes: dict[str, str]) -> None:
        # Run for every element, and so without a call where none is needed.
        node: Element = {}
        for key, value in attributes.items():
            node[marked[key]] = known.setdefault(value, value)
        parent = stack[-1]
        if "#children" not in parent:
            parent["#children"] = []
        children: Pairs = parent["#children"]
        if words:
            between = "".join(words)
            words.clear()
            if not between.isspace():
                children.append(("#text", between.strip()))
        children.append((name, node))
        stack.append(node)
        if len(stack) > deepest:
            raise FormatError(
                f"elements are nested more than {DEEPEST} levels deep",
                file=file,
                place=f"line {parser.CurrentLineNumber}",
            )

    def end(_: str) -> None:
        node = stack.pop()
        if words:
            text = "".join(words)
            words.clear()
            if "#children" not in node:
                node["#text"] = text
            elif not text.isspace():
                node["#children"].append(("#text", text.strip()))

    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.CharacterDataHandler = words.append
    parser.StartDoctypeDeclHandler = refuse
    parser.EntityDeclHandler = refuse
    try:
        for at in range(0, len(text), CHUNK):  # of each part expat has a copy
            parser.Parse(text[at : at + CHUNK], False)
        parser.Parse("", True)
    except expat.ExpatError as error:
        reason = expat.ErrorString(error.code)
        if error.code in (3, 5):  # no element found, unclosed token
            reason = "the file ends before its last element is closed"
        raise FormatError(
            f"this is not well-formed XML: {reason}", file=file, place=f"line {error.lineno}"
        ) from None
    finally:
        # They and the parser hold each other, and with them the whole tree.
        parser.StartElementHandler = parser.EndElementHandler = None
        parser.CharacterDataHandler = None
        parser.StartDoctypeDeclHandler = parser.EntityDeclHandler = None
    return top


UNWRITABLE: re.Pattern[str] | None = re.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]"
)


def _escape(text: str) -> str:
    if "&" in text or "<" in text or ">" in text:
        text = text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    if not text.isprintable():
        text = text.replace("\r", "&#13;")
    return text


def _quoted(text: str) -> str:
    if text.isalnum():
        return text
    text = _escape(text)
    if '"' in text:
        text = text.replace('"', "&quot;")
    if not text.isprintable():
        text = text.replace("\n", "&#10;").replace("\t", "&#9;")
    return text


def write(tree: Element) -> bytes:
    """A tree to UTF-8 bytes, two blanks for each level."""
    out: list[str] = ['<?xml version="1.0" encoding="UTF-8"?>\n']
    _write(tree, "", out)
    return "".join(out).encode("utf-8")


def _write(node: Element, indent: str, out: list[str]) -> None:
    put = out.append
    deeper = indent + "  "
    for name, child in node["#children"]:
        if name == "#text":
            put(f"{indent}{_escape(child)}\n")
            continue
        head = indent + "<" + name
        inner: str | None = None
        nested = False
        for key, value in child.items():
            if key[:1] == "@":
                head += f' {key[1:]}="{_quoted(value)}"'
            elif key == "#text":
                inner = value
            else:
                nested = bool(value)
        if nested:
            if inner is None or inner.isspace():
                put(head + ">\n")
            else:
                put(f"{head}>{_escape(inner)}\n")
            _write(child, deeper, out)
            put(f"{indent}</{name}>\n")
        elif inner:
            put(f"{head}>{_escape(inner)}</{name}>\n")
        else:
            put(head + "/>\n")


class ElementShape:
    """Paths through elements: `name` is a child element, `@name` an attribute, `#text` its text."""

    ALWAYS_TEXT = True
    TRIMS = False
    """Whether `pairs` leaves blanks at the ends of texts out."""

    def of(self, at: str) -> ElementShape:
        """The shape of the records at a path: this one."""
        return self

    def root(self, tree: Element) -> Element:
        """The node that paths start from: the document's root element."""
        root: Element = tree["#children"][0][1]
        return root

    def step(self, node: Element, name: str) -> Any:
        """An attribute, the text, or the first child element of that name."""
        if name[:1] in ("@", "#"):
            return node.get(name)
        for key, child in node.get("#children", ()):
            if key == name:
                return child
        return None

    def records(self, tree: Element, path: tuple[str, ...]) -> Iterator[tuple[str, Element]]:
        """The child elements named by the last segment, in every parent that the path names."""
        nodes: list[Element] = [tree]
        for name in path[:-1]:
            nodes = [c for node in nodes for key, c in node.get("#children", ()) if key == name]
        last = path[-1]
        prefix = "/".join(path) + "/"
        at = 0
        for node in nodes:
            for key, child in node.get("#children", ()):
                if key == last:
                    yield f"{prefix}{at}", child
                    at += 1

    def pairs(self, node: Element) -> Iterator[tuple[str, Any]]:
        """Attributes, text and child elements, in file order."""
        for key, value in node.items():
            if key == "#children":
                yield from value
            elif key != "#text" or not value.isspace():
                yield key, value

    def folded(self, node: Element, child: str, key: str, value: str) -> Pairs:
        """As `pairs`, with child elements of one name that hold a key and a value as pairs."""
        found: Pairs = []
        for name, inner in node.items():
            if name != "#children":
                if name != "#text" or not inner.isspace():
                    found.append((name, inner))
                continue
            for pair in inner:
                said = pair[1]
                whole = pair[0] == child and key in said and (len(said) == 1 or value in said)
                if whole and len(said) < 3 and folds(said[key]):
                    found.append((said[key], said.get(value, "")))
                else:
                    found.append(pair)
        return found

    def put(self, node: Element, name: str, value: Any) -> None:
        """Set an attribute, or the text, or replace the first child element of that name."""
        if name[:1] in ("@", "#"):
            if value is None:
                node.pop(name, None)
            else:
                node[name] = value
            return
        children: Pairs = node.setdefault("#children", [])
        for at, (key, _) in enumerate(children):
            if key == name:
                children[at] = (name, value)
                return
        children.append((name, value))

    def add(self, node: Element, name: str, value: Any) -> Element:
        """Set an attribute or the text, or add a child element."""
        if name[:1] in ("@", "#"):
            node[name] = value
        elif "#children" in node:
            node["#children"].append((name, value))
        else:
            node["#children"] = [(name, value)]
        return node

    def ensure(self, tree: Element, path: tuple[str, ...]) -> Element:
        """The element at a path, made where it is missing."""
        node = tree
        for name in path:
            child = self.step(node, name)
            if child is None:
                child = self.new()
                node.setdefault("#children", []).append((name, child))
            node = child
        return node

    def replace(self, tree: Element, path: tuple[str, ...], records: list[Any]) -> None:
        """Put records where those of the same name stood: the first place, or the end."""
        node = self.ensure(tree, path[:-1])
        name = path[-1]
        children: Pairs = node.get("#children", [])
        fresh: Pairs = [(name, record) for record in records]
        at = next((i for i, (key, _) in enumerate(children) if key == name), len(children))
        rest = [pair for pair in children[at:] if pair[0] != name]
        node["#children"] = children[:at] + fresh + rest
        # Where the path named several parents, their records are gathered in the first one.
        parents: list[Element] = [tree]
        for segment in path[:-1]:
            parents = [c for p in parents for key, c in p.get("#children", ()) if key == segment]
        for other in parents:
            if other is not node and "#children" in other:
                other["#children"] = [pair for pair in other["#children"] if pair[0] != name]

    def settled(self, text: str) -> str:
        """A text as it is read again between tags: blank text is layout."""
        return "" if text.isspace() else text

    def new(self) -> Element:
        """An empty element."""
        return {}


SHAPE = ElementShape()
