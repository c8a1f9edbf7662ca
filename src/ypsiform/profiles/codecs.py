"""The two-way codecs that field rules are chained from.

A codec is a pair of functions. Decoding raises `OutsideError` for a value that the profile does
not know (it then counts as unread), and `WrongTypeError` for one that cannot be meant at all.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..containers.json import kind_of
from ..errors import ProfileError

Decode = Callable[[Any], Any]
Codec = tuple[Decode, Decode]


class OutsideError(Exception):
    """A value outside the profile's table of words."""


class WrongTypeError(Exception):
    """A value of a type that the rule cannot take. The message says what was found."""


def text(value: Any) -> str:
    """A text as it stands."""
    if type(value) is not str:
        raise WrongTypeError(f"found {kind_of(value)} where a text is needed")
    return value


def _words(table: dict[str, Any]) -> Codec:
    back = {value: word for word, value in table.items()}

    def decode(value: Any) -> Any:
        found = table.get(text(value))
        if found is None:
            raise OutsideError
        return found

    return decode, back.__getitem__


def _split(mark: str) -> Codec:
    def decode(value: Any) -> tuple[str, ...]:
        parts = text(value).split(None if mark == " " else mark)
        if not parts:
            raise OutsideError
        return tuple(parts)

    return decode, mark.join


def _audience(mark: str) -> Codec:
    """Words for who may see: split, sorted, and only `everyone` where that is among them."""

    def decode(value: Any) -> tuple[str, ...]:
        parts = sorted(set(text(value).split(mark if mark != " " else None)))
        if not parts:
            raise OutsideError
        return ("everyone",) if "everyone" in parts else tuple(parts)

    return decode, mark.join


def _whole(_: Any) -> Codec:
    def decode(value: Any) -> int:
        if type(value) is int:
            return value
        try:
            return int(text(value))
        except ValueError:
            raise WrongTypeError(f"{value!r} is not a whole number") from None

    return decode, str


_CODECS: dict[str, Callable[[Any], Codec]] = {
    "words": _words,
    "split": _split,
    "audience": _audience,
    "whole": _whole,
}


def chain(steps: list[dict[str, Any]], where: str) -> Codec:
    """The codec that applies these steps in order on reading, and backwards on writing."""
    if not steps:
        return text, lambda value: value
    made: list[Codec] = []
    for step in steps:
        if len(step) != 1:
            raise ProfileError(f"{where}: each step of `through` names one codec")
        ((name, argument),) = step.items()
        if name not in _CODECS:
            raise ProfileError(f"{where}: unknown codec {name!r}; known: {', '.join(_CODECS)}")
        made.append(_CODECS[name](argument))
    if len(made) == 1:
        return made[0]

    def decode(value: Any) -> Any:
        for step in made:
            value = step[0](value)
        return value

    def encode(value: Any) -> Any:
        for step in reversed(made):
            value = step[1](value)
        return value

    return decode, encode
