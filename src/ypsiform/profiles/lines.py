"""The line of a TOML file on which a value stands, found by its path.

The TOML reader gives no positions. The text is known to be TOML when it is looked at here.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

_HEADER = re.compile(r"^[ \t]*(\[\[?)[ \t]*([^\[\]]+?)[ \t]*\]\]?", re.MULTILINE)
_KEY = re.compile(
    r"""[ \t]*((?:[A-Za-z0-9_-]+|"[^"\n]*"|'[^'\n]*')(?:[ \t]*\.[ \t]*[\w"'-]+)*)[ \t]*="""
)
_PART = re.compile(r"""[A-Za-z0-9_-]+|"[^"\n]*"|'[^'\n]*'""")
_SKIP = re.compile(
    r'"""(?:[^\\]|\\.)*?"""|\'\'\'.*?\'\'\'|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'|#[^\n]*', re.DOTALL
)

Steps = list[str | int]


def line_of(text: str, path: Steps) -> int:
    """The line of the value at a path of keys and numbers of entries; of what holds it, else."""
    return text.count("\n", 0, _position(text, path)) + 1


def _position(text: str, path: Steps) -> int:
    best, at = 0, 0
    for steps, position, start in _keys(text):
        if len(steps) > best and steps == path[: len(steps)]:
            best, at = len(steps), position
            if start is not None:
                deeper, inner = _inside(text, start, path[len(steps) :])
                if deeper:
                    best, at = len(steps) + deeper, inner
    return at


def _keys(text: str) -> Iterator[tuple[Steps, int, int | None]]:
    """Headers and keys: the path, where it stands, and where the value of a key starts."""
    prefix: Steps = []
    counts: dict[tuple[str | int, ...], int] = {}
    at = 0
    while at < len(text):
        header = _HEADER.match(text, at)
        key = None if header else _KEY.match(text, at)
        if header:
            names = [_plain(part) for part in _PART.findall(header[2])]
            prefix = []
            for name in names[:-1]:
                prefix.append(name)
                if tuple(prefix) in counts:
                    prefix.append(counts[tuple(prefix)])
            prefix.append(names[-1])
            if header[1] == "[[":
                counts[tuple(prefix)] = counts.get(tuple(prefix), -1) + 1
                prefix.append(counts[tuple(prefix)])
            yield prefix, header.start(1), None
            at = header.end()
        elif key:
            names = [_plain(part) for part in _PART.findall(key[1])]
            yield [*prefix, *names], key.start(1), key.end()
            at = _end(text, key.end())
        line = text.find("\n", at)
        at = line + 1 if line >= 0 else len(text)


def _plain(part: str) -> str:
    return part[1:-1] if part[:1] in "\"'" else part


def _end(text: str, at: int) -> int:
    """The end of the value that starts here."""
    depth = 0
    while at < len(text):
        skipped = _SKIP.match(text, at)
        if skipped:
            at = skipped.end()
            continue
        letter = text[at]
        depth += (letter in "[{") - (letter in "]}")
        if depth < 0 or (depth == 0 and letter in ",\n"):
            return at
        at += 1
    return at


def _inside(text: str, at: int, path: Steps) -> tuple[int, int]:
    """How many more steps of a path stand inside a value, and where the last of them does."""
    found, place = 0, at
    for step in path:
        at += len(text[at:]) - len(text[at:].lstrip())
        if at >= len(text) or text[at] not in "[{":
            break
        inner = _entry(text, at + 1, step)
        if inner is None:
            break
        found, (place, at) = found + 1, inner
    return found, place


def _entry(text: str, at: int, step: str | int) -> tuple[int, int] | None:
    """Where an entry of a list or an inline table stands, and where its value starts."""
    number = 0
    while at < len(text):
        skipped = re.compile(r"[\s,]+|#[^\n]*").match(text, at)
        if skipped:
            at = skipped.end()
            continue
        if text[at] in "]}":
            return None
        if isinstance(step, int):
            if number == step:
                return at, at
            number += 1
        else:
            key = _KEY.match(text, at)
            if key is None:
                return None
            names = [_plain(part) for part in _PART.findall(key[1])]
            if names == [step]:
                return key.start(1), key.end()
            at = key.end()
        at = _end(text, at)
    return None
