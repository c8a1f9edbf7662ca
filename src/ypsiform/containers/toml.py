"""TOML. Comments are not kept."""

from __future__ import annotations

import re
import tomllib
from math import isfinite
from typing import Any

from ..errors import FormatError
from . import DEEPEST, LONG_NUMBER, LONGEST_NUMBER, decode
from .block import Odd
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(r"[\ud800-\udfff]")


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree."""
    text = decode(data, file, declared=False)
    try:
        tree = tomllib.loads(text.replace("\r\n", "\n"))
    except tomllib.TOMLDecodeError as error:
        message, _, place = str(error).partition(" (at ")
        raise FormatError(
            f"this is not TOML: {message[0].lower()}{message[1:]}",
            file=file,
            place=place.rstrip(")"),
        ) from None
    except RecursionError:
        raise FormatError(f"values are nested more than {DEEPEST} levels deep", file=file) from None
    except ValueError:  # of a whole number of thousands of digits
        raise FormatError(LONG_NUMBER, file=file) from None
    _check(tree, file)
    return tree


def _check(tree: Any, file: str) -> None:
    level = [tree]
    for _ in range(DEEPEST):
        odd = [n for n in level if type(n) is float and not isfinite(n)]
        if odd:
            raise FormatError(f"the number {odd[0]} cannot be held", file=file)
        if any(type(n) is int and n.bit_length() > LONGEST_NUMBER for n in level):
            raise FormatError(LONG_NUMBER, file=file)
        level = [
            inner
            for node in level
            if isinstance(node, (dict, list))
            for inner in (node.values() if isinstance(node, dict) else node)
        ]
        if not level:
            return
    raise FormatError(f"values are nested more than {DEEPEST} levels deep", file=file)


def write(tree: Any) -> bytes:
    """A tree to UTF-8 bytes. Keys without a value are left out: TOML has no null.

    Tables stand as tomlkit puts them, which is asked for every value that is not plain.
    """
    tree = without_null(tree)
    out: list[str] = []
    try:
        _Emitter(out).table((), tree, "")
    except Odd:
        import tomlkit

        out = [tomlkit.dumps(tree)]
    return "".join(out).encode("utf-8")


_BARE = re.compile(r"[A-Za-z0-9_-]+")
_PLAIN = re.compile(r"[^\x00-\x1f\x7f\"\\\ud800-\udfff]*")


class _Emitter:
    """Tables of TOML: of each first what is no table, then the tables in it."""

    def __init__(self, out: list[str]) -> None:
        self.out = out
        self.keys: dict[str, str] = {}

    def table(self, path: tuple[str, ...], node: dict[str, Any], head: str) -> None:
        """A table with its header, which one that holds nothing but tables does without."""
        put = self.out.append
        inner: list[tuple[str, Any]] = []
        lines: list[str] = []
        for key, value in node.items():
            if type(value) is dict or _is_tables(value):
                inner.append((key, value))
            elif inner and any(type(held) is list for _, held in inner):
                raise Odd  # it goes before these tables, and how far from them depends
            else:
                lines.append(f"{self._key(key)} = {_said(value)}\n")
        if len({type(held) for _, held in inner}) > 1:
            raise Odd  # which of them come first depends
        if head and not lines and (head[:2] == "[[" or not inner):
            raise Odd  # how far tables stand apart depends on what is in them
        if head and lines:
            put(f"\n{head}\n" if self.out else f"{head}\n")
        self.out += lines
        for key, value in inner:
            below = (*path, self._key(key))
            name = ".".join(below)
            if type(value) is dict:
                self.table(below, value, f"[{name}]")
            else:
                for one in value:
                    self.table(below, one, f"[[{name}]]")

    def _key(self, key: str) -> str:
        name = self.keys.get(key)
        if name is None:
            name = key
            if not _BARE.fullmatch(key):
                import tomlkit

                name = tomlkit.key(key).as_string()
            self.keys[key] = name
        return name


def _is_tables(value: Any) -> bool:
    return type(value) is list and bool(value) and all(type(one) is dict for one in value)


def _said(value: Any) -> str:
    """A value that is no table."""
    if type(value) is str and _PLAIN.fullmatch(value):
        return f'"{value}"'
    if value is True or value is False:
        return "true" if value else "false"
    if type(value) is int:
        return str(value)
    import tomlkit

    return str(tomlkit.item(value).as_string())


def without_null(tree: Any) -> Any:
    """A tree without the keys and entries that say nothing."""
    if isinstance(tree, dict):
        return {key: without_null(value) for key, value in tree.items() if value is not None}
    if isinstance(tree, list):
        return [without_null(value) for value in tree if value is not None]
    return tree
