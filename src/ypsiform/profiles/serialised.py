"""Values of PHP as its `serialize` writes them: read, and never written.

Texts say how many bytes of UTF-8 they have: `a:2:{s:3:"url";s:2:"/a";s:3:"new";b:1;}`.
"""

from __future__ import annotations

import re
from typing import Any

from ..containers import DEEPEST

_PLAIN = re.compile(rb"(?:N|b:([01])|i:(-?\d{1,20})|d:([-+.\dEeINFA]{1,40}));")
_TEXT = re.compile(rb'[sSE]:(\d{1,9}):"')
_GROUP = re.compile(rb'(?:a|O:\d{1,4}:"([^"]*)"):(\d{1,8}):\{')


class _OddError(Exception):
    """What is read is no serialised value, or one that is not read."""


def unserialised(text: str) -> Any:
    """The value that a text is; the text itself where it is none.

    Arrays whose keys count up from 0 are lists; other ones, and objects, are mappings. Objects of
    classes that write themselves, and references within a value, are not read.
    """
    if text[:2] not in ("a:", "O:"):
        return text
    data = text.encode("utf-8", "surrogatepass")
    try:
        value, end = _value(data, 0, 0)
    except (_OddError, UnicodeDecodeError, ValueError):
        return text
    return value if end == len(data) else text


def _value(data: bytes, at: int, depth: int) -> tuple[Any, int]:
    found = _PLAIN.match(data, at)
    if found is not None:
        yes, whole, real = found.groups()
        if real is not None:
            made = float(real)
            if made in (float("inf"), float("-inf")) or made != made:
                raise _OddError
            return made, found.end()
        if whole is not None:
            return int(whole), found.end()
        return (yes == b"1" if yes is not None else None), found.end()
    found = _TEXT.match(data, at)
    if found is not None:
        end = found.end() + int(found[1])
        if data[end : end + 2] != b'";':
            raise _OddError
        return data[found.end() : end].decode("utf-8"), end + 2
    found = _GROUP.match(data, at)
    if found is None or depth > min(DEEPEST, 100):
        raise _OddError
    pairs: list[tuple[Any, Any]] = []
    at = found.end()
    for _ in range(int(found[2])):
        key, at = _value(data, at, depth + 1)
        if isinstance(key, bool) or not isinstance(key, (str, int)):
            raise _OddError
        value, at = _value(data, at, depth + 1)
        pairs.append((key, value))
    if data[at : at + 1] != b"}":
        raise _OddError
    if found[1] is None and [key for key, _ in pairs] == list(range(len(pairs))):
        return [value for _, value in pairs], at + 1
    # A property that is not public has its class before its name, between zeros.
    return {str(key).rpartition("\0")[2]: value for key, value in pairs}, at + 1
