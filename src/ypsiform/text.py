"""Texts of strangers, made fit for a terminal."""

from __future__ import annotations

import re
import unicodedata

_ODD = re.compile(r"[^\n\x20-\x7e]")


def safe(text: str) -> str:
    """A text without control characters, and on one line."""
    if text.isprintable():
        return text
    return "".join(
        c if c.isprintable() else " " if c.isspace() else "�"
        for c in text
        if unicodedata.category(c) != "Cf"
    )


def printable(text: str) -> str:
    """Lines in which nothing can reach a terminal but letters, and what sets our own styles."""
    parts = re.split(r"(\x1b\[[0-9;]{0,8}m)", text)
    parts[::2] = [_ODD.sub(lambda found: safe(found[0]), part) for part in parts[::2]]
    return "".join(parts)


_UNSEEN = re.compile("[\x7f-\x9f\u00ad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff]")


def escaped(document: bytes) -> bytes:
    """JSON in which what nobody sees, and what turns the direction of a line, is said in letters.

    It is the same document: such characters stand in texts alone, where escapes mean them.
    """
    text = document.decode("utf-8")
    return _UNSEEN.sub(lambda found: f"\\u{ord(found[0]):04x}", text).encode()
