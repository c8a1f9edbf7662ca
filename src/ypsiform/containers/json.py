"""JSON. Repeated keys are kept beside the value that counts, which is the last one."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, time
from typing import Any

import msgspec

from ..errors import FormatError
from . import DEEPEST, LONG_NUMBER, LONGEST_NUMBER, Repeated, decode, folds

UNWRITABLE: re.Pattern[str] | None = None
_STRING = re.compile(r'"(?:[^"\\]|\\.)*"?', re.DOTALL)


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Numbers that are not finite, and broken escapes, are errors."""
    return parsed(decode(data, file, declared=False), file)


def parsed(text: str, file: str, line: int = 1) -> Any:
    """A text, which starts in this line of the file, to a tree."""
    _check_depth(text, file)
    try:
        with deep():
            return _decoded(text)
    except json.JSONDecodeError as error:
        reason = error.msg[0].lower() + error.msg[1:]
        raise FormatError(
            f"this is not JSON: {reason}",
            file=file,
            place=f"line {line - 1 + error.lineno}, column {error.colno}",
        ) from None
    except _NotFiniteError as error:
        raise FormatError(f"the number {error} cannot be held", file=file) from None
    except (RecursionError, ValueError) as error:
        raise FormatError(f"this JSON cannot be read: {error}", file=file) from None


@contextmanager
def deep() -> Iterator[None]:
    """Allow the recursion that `DEEPEST` levels of lists within mappings need."""
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, 8 * DEEPEST))
    try:
        yield
    finally:
        sys.setrecursionlimit(before)


class _NotFiniteError(Exception):
    pass


def _pairs(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    node = dict(pairs)
    if len(node) == len(pairs):
        return node
    repeated = Repeated(node)
    last = {key: at for at, (key, _) in enumerate(pairs)}
    repeated.others = [(key, value) for at, (key, value) in enumerate(pairs) if last[key] != at]
    return repeated


def _real(text: str) -> float:
    value = float(text)
    if value in (float("inf"), float("-inf")):
        raise _NotFiniteError(text)
    return value


def _constant(text: str) -> float:
    raise _NotFiniteError(text)


def _whole(text: str) -> int:
    if len(text) > LONGEST_NUMBER // 3:
        raise ValueError(LONG_NUMBER)
    return int(text)


BY_PAIRS = json.JSONDecoder(
    object_pairs_hook=_pairs, parse_float=_real, parse_int=_whole, parse_constant=_constant
)
"""Looks at the pairs of each mapping, and so keeps keys that stand twice."""

_PLAIN = json.JSONDecoder(parse_float=_real, parse_int=_whole, parse_constant=_constant)
"""Loses keys that stand twice."""


def _decoded(text: str) -> Any:
    tree = _PLAIN.decode(text)
    return tree if _says_all(tree, text) else BY_PAIRS.decode(text)


def _says_all(tree: Any, text: str) -> bool:
    """Whether nothing of a text was lost: written again, it has as many colons."""
    if "\\u003" in text:
        return False  # a colon may be written so
    try:
        return msgspec.json.encode(tree).count(b":") == text.count(":")
    except (OverflowError, RecursionError, UnicodeError, msgspec.MsgspecError):
        return False  # a whole number beyond 64 bits, or half a surrogate pair


_NOT_BRACKETS = bytes(set(range(256)) - set(b"[]{}"))


def _check_depth(text: str, file: str) -> None:
    """Refuse a text whose lists, or whose mappings, are nested too deep, before parsing it."""
    if text.count("[") <= DEEPEST and text.count("{") <= DEEPEST:
        return
    # Brackets alone, innermost pairs taken away level by level: an ordinary file is soon empty.
    # Those within strings can only make it look deeper, and then every character is looked at.
    left = text.encode("utf-8", "replace").translate(None, _NOT_BRACKETS)
    for _ in range(64):
        if not left:
            return
        left = left.replace(b"[]", b"").replace(b"{}", b"")
    depth = {"[": 0, "{": 0}
    for found in re.finditer(r"[\[\]{}]", _STRING.sub("", text)):
        mark = found[0]
        if mark in depth:
            depth[mark] += 1
            if depth[mark] > DEEPEST:
                raise FormatError(f"values are nested more than {DEEPEST} levels deep", file=file)
        else:
            depth["[" if mark == "]" else "{"] -= 1


def write(tree: Any, *, made: bool = False) -> bytes:
    """A tree to UTF-8 bytes, two blanks for each level.

    `made`: it was made here, of plain mappings or of structures, so that no key stands twice in it.
    """
    with deep():
        try:
            if made or not repeats(tree):
                return msgspec.json.format(msgspec.json.encode(tree), indent=2) + b"\n"
        except (OverflowError, UnicodeError, msgspec.MsgspecError):
            pass  # a whole number beyond 64 bits, or half a surrogate pair: written below
        out: list[str] = []
        _write(msgspec.to_builtins(tree) if made else tree, "\n", out)
    return ("".join(out) + "\n").encode("utf-8")


def in_line(tree: Any) -> bytes:
    """A tree to UTF-8 bytes in one line, without its end."""
    with deep():
        try:
            if not repeats(tree):
                return msgspec.json.encode(tree)
        except (OverflowError, UnicodeError, msgspec.MsgspecError):
            pass
        out: list[str] = []
        _write(tree, " ", out)
    return "".join(out).encode("utf-8")


def repeats(tree: Any) -> bool:
    """Whether a tree holds repeated keys, which a plain mapping would lose."""
    stack = [tree]
    while stack:
        node = stack.pop()
        if type(node) is Repeated:
            return True
        if type(node) is dict:
            stack += [value for value in node.values() if type(value) in _HOLDERS]
        elif type(node) is list:
            stack += [value for value in node if type(value) in _HOLDERS]
    return False


_HOLDERS = frozenset({dict, list, Repeated})


def _write(node: Any, line: str, out: list[str]) -> None:
    deeper = line + "  "
    if isinstance(node, dict) and node:
        pairs = list(getattr(node, "others", ())) + list(node.items())
        for at, (key, value) in enumerate(pairs):
            out.append(("," if at else "{") + deeper + _scalar(key) + ": ")
            _write(value, deeper, out)
        out.append(line + "}")
    elif isinstance(node, list) and node:
        for at, value in enumerate(node):
            out.append(("," if at else "[") + deeper)
            _write(value, deeper, out)
        out.append(line + "]")
    else:
        out.append(_scalar(node))


def _scalar(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:  # half a surrogate pair, which only an escape can write
        return json.dumps(value)
    return text


class MappingShape:
    """Paths through mappings: each segment is a key; the records are the list at the end."""

    ALWAYS_TEXT = False

    def of(self, at: str) -> MappingShape:
        """The shape of the records at a path: this one."""
        return self

    def root(self, tree: Any) -> Any:
        """The node that paths start from: the document itself."""
        return tree

    def step(self, node: Any, name: str) -> Any:
        """The value under a key, or None."""
        return node.get(name) if isinstance(node, dict) else None

    def records(self, tree: Any, path: tuple[str, ...]) -> Iterator[tuple[str, Any]]:
        """The elements of the list at a path; an absent or null list has none."""
        node = tree
        for at, name in enumerate(path):
            if not isinstance(node, dict):
                raise FormatError(
                    f"found {kind_of(node)} where a mapping is needed",
                    place="/".join(path[:at]) or "the top",
                )
            node = node.get(name)
            if node is None:
                return
        place = "/".join(path)
        if not isinstance(node, list):
            raise FormatError(f"found {kind_of(node)} where a list is needed", place=place)
        for index, record in enumerate(node):
            yield f"{place}/{index}", record

    def pairs(self, node: Any) -> Iterator[tuple[str, Any]]:
        """The keys and values of a mapping, with those that were repeated."""
        yield from node.items()
        if type(node) is Repeated:
            yield from node.others

    def folded(self, node: Any, child: str, key: str, value: str) -> list[tuple[str, Any]]:
        """As `pairs`, with a list of mappings that hold a key and a value as pairs."""
        found: list[tuple[str, Any]] = []
        for name, held in self.pairs(node):
            if name == child and isinstance(held, list):
                for inner in held:
                    whole = isinstance(inner, dict) and set(inner) == {key, value}
                    whole = whole and folds(inner[key])
                    found.append((inner[key], inner[value]) if whole else (name, inner))
            else:
                found.append((name, held))
        return found

    def put(self, node: Any, name: str, value: Any) -> None:
        """Set the value under a key."""
        node[name] = value

    def add(self, node: Any, name: str, value: Any) -> Any:
        """Set a key that is not there; of a repeated one the last value counts."""
        if name in node:
            if not isinstance(node, Repeated):
                node = Repeated(node)
                node.others = []
            node.others.append((name, value))
        else:
            node[name] = value
        return node

    def ensure(self, tree: Any, path: tuple[str, ...]) -> Any:
        """The mapping at a path, made where it is missing or null."""
        node = tree
        for name in path:
            if node.get(name) is None:
                node[name] = {}
            node = node[name]
        return node

    def replace(self, tree: Any, path: tuple[str, ...], records: list[Any]) -> None:
        """Set the list at a path."""
        self.ensure(tree, path[:-1])[path[-1]] = records

    def settled(self, text: str) -> str:
        """A text as it is read again: the same."""
        return text

    def new(self) -> dict[str, Any]:
        """An empty mapping."""
        return {}


def kind_of(value: Any) -> str:
    """What a JSON value is, in words."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, (int, float)):
        return "a number"
    if isinstance(value, str):
        return "a text"
    if isinstance(value, (date, time)):
        return "a date or time"
    return "a list" if isinstance(value, list) else "a mapping"


SHAPE = MappingShape()
