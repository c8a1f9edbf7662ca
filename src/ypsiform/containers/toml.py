"""TOML. Comments are not kept."""

from __future__ import annotations

import re
import tomllib
from math import isfinite
from typing import Any

from ..errors import FormatError
from . import DEEPEST, LONG_NUMBER, LONGEST_NUMBER, decode
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
    """A tree to UTF-8 bytes. Keys without a value are left out: TOML has no null."""
    import tomlkit

    text = tomlkit.dumps(_without_null(tree))
    return text.encode("utf-8")


def _without_null(tree: Any) -> Any:
    if isinstance(tree, dict):
        return {key: _without_null(value) for key, value in tree.items() if value is not None}
    if isinstance(tree, list):
        return [_without_null(value) for value in tree if value is not None]
    return tree
