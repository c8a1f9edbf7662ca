"""YAML in blocks, a mapping or an entry a line: byte for byte what ruamel.yaml writes, far sooner.

It emits what is plain beyond doubt itself, and asks ruamel.yaml for every other scalar, once. Of a
tree that has something else in it (a list right in a list, a repeated key) it says so.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, datetime, time
from typing import Any

_PLAIN = re.compile(r"[A-Za-z/](?:[A-Za-z0-9À-ɏ_/.,()'&?=+~@%;!$*-]|:(?=[^\s:])| (?=[^ #]))*")
"""Texts that are written as they are: none of these is a number, a day, or starts a construct."""

_WORDS = frozenset(["null", "Null", "NULL", "true", "True", "TRUE", "false", "False", "FALSE"])
_SINGLE_VALUES = (str, bool, float, date, datetime, time, type(None))
LONGEST = 100
"""Characters of a text that is taken for plain without asking."""


class Odd(Exception):
    """There is something in a tree that is not written here."""


def block(tree: Any, asked: Callable[[Any], str]) -> str:
    """A mapping as blocks, two blanks for each level.

    `asked` writes a mapping of one key, by ruamel.yaml. Raises `Odd` for a tree that is not all
    mappings with texts as keys, lists of these or of scalars, and scalars.
    """
    if type(tree) is not dict or not tree:
        raise Odd
    out: list[str] = []
    _Emitter(asked, out).mapping(tree, "")
    return "".join(out)


class _Emitter:
    def __init__(self, asked: Callable[[Any], str], out: list[str]) -> None:
        self.asked, self.out = asked, out
        self.keys: dict[str, str] = {}
        self.values: dict[tuple[type, Any], str] = {}

    def mapping(self, node: dict[Any, Any], indent: str, first: str | None = None) -> None:
        """The lines of a mapping; the first one starts with `first`, where that is given."""
        put = self.out.append
        start = indent if first is None else first
        for key, value in node.items():
            if type(key) is not str:
                raise Odd
            name = self.keys.get(key) or self._key(key)
            kind = type(value)
            if kind is dict and value:
                put(f"{start}{name}:\n")
                self.mapping(value, indent + "  ")
            elif kind is list and value:
                put(f"{start}{name}:\n")
                self._list(value, indent + "  ")
            else:
                put(f"{start}{name}: {self._scalar(kind, value)}\n")
            start = indent

    def _list(self, node: list[Any], indent: str) -> None:
        put = self.out.append
        dash, deeper = indent + "- ", indent + "  "
        for value in node:
            kind = type(value)
            if kind is dict and value:
                self.mapping(value, deeper, dash)
            elif kind is list and value:
                raise Odd
            else:
                put(f"{dash}{self._scalar(kind, value)}\n")

    def _key(self, key: str) -> str:
        name = key if _is_plain(key) else self._asked({key: 1}, 0)
        self.keys[key] = name
        return name

    def _scalar(self, kind: type, value: Any) -> str:
        if kind is str and _is_plain(value):
            return str(value)
        if kind is int:
            return str(value)
        if kind is dict or kind is list:
            return "{}" if kind is dict else "[]"
        if kind not in _SINGLE_VALUES:
            raise Odd
        known = self.values.get((kind, value))
        if known is None:
            known = self.values[kind, value] = self._asked({"k": value}, 1)
        return known

    def _asked(self, pair: dict[str, Any], part: int) -> str:
        """The key or the value of a mapping of one pair, as ruamel.yaml writes it."""
        line = self.asked(pair)
        if line.count("\n") != 1 or line[:1] in "?!":
            raise Odd
        return line[: -len(": 1\n")] if part == 0 else line[len("k: ") : -1]


def _is_plain(text: str) -> bool:
    return len(text) <= LONGEST and _PLAIN.fullmatch(text) is not None and text not in _WORDS


# Reading

_KEY = r"[A-Za-z0-9_/][A-Za-z0-9_/.()&+~-]*(?: [A-Za-z0-9_/.()&+~-]+)*|'[^']*'|\"[^\"\\]*\""
_PAIR = re.compile(rf"({_KEY}):(?: +(\S.*))?")
_VALUE = re.compile(r"(?:\w|[/.+(]|-(?=\w))(?:[^:#]|:(?=\S)|(?<=\S)#)*")
"""A plain value on one line, for which it does not matter what stands around it."""

_SINGLE = re.compile(r"'((?:[^']|'')*)'")
_DOUBLE = re.compile(r'"([^"\\]*)"')
_UNUSUAL = re.compile("[\x00-\x09\x0b-\x1f\x7f-\x9f\u2028\u2029\ufeff\ufffe\uffff]")
_EMPTY: dict[str, Callable[[], Any]] = {"[]": list, "{}": dict}


def from_block(text: str, resolve: Callable[[str], Any], deepest: int) -> Any:
    """The tree of a text in blocks, as every reader of YAML reads it.

    `resolve` says what a plain scalar is. Raises `Odd` for anything beyond mappings and lists in
    blocks with a plain or quoted scalar on one line: whether that is YAML at all is left open.
    """
    if _UNUSUAL.search(text):
        raise Odd
    return _Reader(resolve, deepest).read(text)


class _Reader:
    """Lines of blocks. `open` are the containers that a line can go on, each with its indent."""

    def __init__(self, resolve: Callable[[str], Any], deepest: int) -> None:
        self.resolve, self.deepest = resolve, deepest
        self.open: list[tuple[int, Any]] = []
        self.keys: dict[str, str] = {}

    def read(self, text: str) -> Any:
        """The tree of a text."""
        holder: list[Any] = [None]
        # Where a value is still to come: its holder, its key or place there, the indent of that.
        wanted: tuple[Any, Any, int] | None = (holder, 0, -1)
        stack = self.open
        for line in text.split("\n"):
            body = line.strip(" ")
            if not body or body[0] == "#":
                continue
            indent = len(line) - len(line.lstrip(" "))
            entry = body[:2] == "- " or body == "-"
            if wanted is not None:
                into, key, above = wanted
                if indent > above or (entry and indent == above and type(into) is dict):
                    made: Any = [] if entry else {}
                    into[key] = made
                    stack.append((indent, made))
                    if len(stack) > self.deepest:
                        raise Odd
                wanted = None
            while stack and stack[-1][0] > indent:
                stack.pop()
            if not entry and len(stack) > 1 and type(stack[-1][1]) is list:
                stack.pop()  # a list may stand at the indent of its key
            if not stack or stack[-1][0] != indent or (type(stack[-1][1]) is list) != entry:
                raise Odd
            held = stack[-1][1]
            if entry:
                rest = body[1:].lstrip(" ")
                if not rest:
                    held.append(None)
                    wanted = held, len(held) - 1, indent
                    continue
                pair = _PAIR.fullmatch(rest)
                if pair is None:
                    held.append(self._scalar(rest))
                    continue
                indent += len(body) - len(rest)
                inner: dict[str, Any] = {}
                held.append(inner)
                stack.append((indent, inner))
                held = inner
            else:
                pair = _PAIR.fullmatch(body)
                if pair is None:
                    raise Odd
            name = self.keys.get(pair[1]) or self._key(pair[1])
            if name in held:
                raise Odd
            if pair[2] is None:
                held[name] = None
                wanted = held, name, indent
            else:
                held[name] = self._scalar(pair[2])
        if holder[0] is None:
            raise Odd
        return holder[0]

    def _key(self, text: str) -> str:
        value = self._scalar(text)
        if type(value) is not str or not value:
            raise Odd
        self.keys[text] = value
        return value

    def _scalar(self, text: str) -> Any:
        if _VALUE.fullmatch(text):
            return self.resolve(text)
        if text in _EMPTY:
            return _EMPTY[text]()
        quoted = _SINGLE.fullmatch(text)
        if quoted is not None:
            return quoted[1].replace("''", "'")
        quoted = _DOUBLE.fullmatch(text)
        if quoted is None:
            raise Odd
        return quoted[1]
