"""The two-way codecs that field rules are chained from.

A codec is a pair of functions. Decoding raises `OutsideError` for a value that the profile does
not know (it then counts as unread), and `WrongTypeError` for one that cannot be meant at all.
"""

from __future__ import annotations

import html
from collections.abc import Callable
from datetime import date, datetime
from typing import Any
from urllib.parse import quote, unquote

from ..containers.json import kind_of
from ..errors import ProfileError
from ..values import as_number

Decode = Callable[[Any], Any]
Codec = tuple[Decode, Decode]


class OutsideError(Exception):
    """A value outside the profile's table of words."""


class WrongTypeError(Exception):
    """A value of a type that the rule cannot take. The message says what was found."""


def text(value: Any) -> str:
    """A text as it stands; a day as the text of it."""
    if isinstance(value, date):
        return value.isoformat()
    if type(value) is not str:
        raise WrongTypeError(f"found {kind_of(value)} where a text is needed")
    return value


def name(value: Any) -> str:
    """A text or a whole number, as a text: what ids and places are."""
    if type(value) is int:
        return str(value)
    return text(value)


def yes(value: Any) -> str:
    """True as a word, false as an empty one."""
    if type(value) is not bool:
        raise WrongTypeError(f"found {kind_of(value)} where true or false is needed")
    return "true" if value else ""


def _table(argument: Any, codec: str) -> dict[str, Any]:
    if not isinstance(argument, dict) or not argument:
        raise ProfileError(f"the codec {codec} needs a table of words")
    return argument


def _mark(argument: Any, codec: str) -> str:
    if not isinstance(argument, str) or not argument:
        raise ProfileError(f"the codec {codec} needs a text")
    return argument


def _words(argument: Any) -> Codec:
    table = _table(argument, "words")
    if not all(isinstance(value, (str, bool)) for value in table.values()):
        raise ProfileError("the codec words gives texts, or true and false")
    # Of words that mean the same, which only read-only profiles may have, the first is written.
    back = {value: word for word, value in reversed(table.items())}

    def decode(value: Any) -> Any:
        found = table.get(name(value))
        if found is None:
            raise OutsideError
        return found

    def encode(value: Any) -> Any:
        if isinstance(value, (list, tuple)):  # a later step made a list of the word
            if len(value) != 1:
                raise OutsideError
            return back[value[0]]
        return back[value]

    return decode, encode


def _flag(argument: Any) -> Codec:
    """True and false, as they stand or for two words: `{ flag = { yes = "new", no = "same" } }`.

    With `numbers = true` they are 1 and 0 in the file.
    """
    yes, no, numbers = True, False, False
    if isinstance(argument, dict) and {"yes", "no"} <= set(argument) <= {"yes", "no", "numbers"}:
        yes, no, numbers = argument["yes"], argument["no"], argument.get("numbers", False)
    elif argument is not True:
        raise ProfileError("the codec flag is true, or has the two words `yes` and `no`")
    if not isinstance(yes, (str, bool)) or not isinstance(no, (str, bool)):
        raise ProfileError("the codec flag has texts, or true and false, for `yes` and `no`")

    def decode(value: Any) -> Any:
        if type(value) is int and value in (0, 1):
            return yes if value else no
        if type(value) is not bool:
            raise WrongTypeError(f"found {kind_of(value)} where true or false is needed")
        return yes if value else no

    if numbers:
        return decode, lambda value: int(value == yes)
    return decode, lambda value: value == yes


def _there(_: Any) -> Codec:
    """True where anything stands there, even nothing but the element; it is written empty."""
    return there, (lambda _value: {})


def there(_: Any) -> bool:
    """That something stands there."""
    return True


def _split(argument: Any) -> Codec:
    mark = _mark(argument, "split")

    def decode(value: Any) -> tuple[str, ...]:
        parts = text(value).split(None if mark == " " else mark)
        if not parts:
            raise OutsideError
        return tuple(parts)

    return decode, mark.join


def _list(_: Any) -> Codec:
    """A list of texts; a single text is a list of one."""

    def decode(value: Any) -> tuple[str, ...]:
        if isinstance(value, str):
            return (value,)
        if not isinstance(value, list):
            raise WrongTypeError(f"found {kind_of(value)} where a list is needed")
        if not value:
            raise OutsideError
        return tuple(name(entry) for entry in value)

    return decode, list


def _but(argument: Any) -> Codec:
    """A list of what is left out of these words, read as those that are left."""
    if not isinstance(argument, list) or not all(isinstance(word, str) for word in argument):
        raise ProfileError("the codec but needs a list of words")
    every = tuple(argument)

    def decode(value: Any) -> tuple[str, ...]:
        parts = (value,) if isinstance(value, str) else tuple(value)
        if any(part not in every for part in parts):
            raise OutsideError
        return tuple(word for word in every if word not in parts)

    return decode, lambda value: tuple(word for word in every if word not in value)


def _audience(argument: Any) -> Codec:
    """Words for who may see: sorted, and only `everyone` where that is among them."""
    if not isinstance(argument, str) and argument is not True:
        raise ProfileError("the codec audience is true, or has the text between the words")
    mark = argument if isinstance(argument, str) else ""

    def decode(value: Any) -> tuple[str, ...]:
        found = text(value).split(mark if mark != " " else None) if mark else value
        parts = sorted(set(found))
        if not parts:
            raise OutsideError
        return ("everyone",) if "everyone" in parts else tuple(parts)

    return decode, mark.join if mark else tuple


def _whole(_: Any) -> Codec:
    def decode(value: Any) -> int:
        if type(value) is int:
            return value
        try:
            return int(text(value))
        except ValueError:
            raise WrongTypeError(f"{value!r} is not a whole number") from None

    return decode, str


def _number(_: Any) -> Codec:
    """A whole number in the file, a text in the model: for ids."""
    return name, as_number


def _prefix(argument: Any) -> Codec:
    mark = _mark(argument, "prefix")

    def decode(value: Any) -> str:
        if not name(value).startswith(mark):
            raise OutsideError
        return name(value)[len(mark) :]

    return decode, lambda value: mark + value


def _suffix(argument: Any) -> Codec:
    mark = _mark(argument, "suffix")

    def decode(value: Any) -> str:
        if not name(value).endswith(mark):
            raise OutsideError
        return name(value)[: -len(mark)]

    return decode, lambda value: value + mark


def _date(argument: Any) -> Codec:
    """A date in the form that `strftime` describes; an ISO date in the model."""
    form = _mark(argument, "date")

    def decode(value: Any) -> str:
        if isinstance(value, date):
            return value.isoformat()[:10]
        try:
            found = datetime.strptime(text(value), form)
        except ValueError:
            raise OutsideError from None
        if found.strftime(form) != value:
            raise OutsideError
        return found.date().isoformat()

    return decode, lambda value: date.fromisoformat(value).strftime(form)


def _entities(_: Any) -> Codec:
    return lambda value: html.unescape(text(value)), lambda value: html.escape(value, quote=False)


def _percent(_: Any) -> Codec:
    return (
        lambda value: unquote(text(value), errors="surrogateescape"),
        lambda value: quote(value, safe="/:?#[]@!$&'()*+,;=-._~", errors="surrogateescape"),
    )


_CODECS: dict[str, Callable[[Any], Codec]] = {
    "words": _words,
    "flag": _flag,
    "there": _there,
    "split": _split,
    "list": _list,
    "but": _but,
    "audience": _audience,
    "whole": _whole,
    "number": _number,
    "prefix": _prefix,
    "suffix": _suffix,
    "date": _date,
    "entities": _entities,
    "percent": _percent,
}

CODECS = tuple(_CODECS)
"""The names of all codecs."""


def chain(steps: list[dict[str, Any]], where: str) -> Codec:
    """The codec that applies these steps in order on reading, and backwards on writing."""
    if not steps:
        return text, lambda value: value
    made: list[Codec] = []
    for step in steps:
        if len(step) != 1:
            raise ProfileError(f"{where}: each step of `through` names one codec")
        ((codec, argument),) = step.items()
        if codec not in _CODECS:
            raise ProfileError(f"{where}: unknown codec {codec!r}; known: {', '.join(_CODECS)}")
        try:
            made.append(_CODECS[codec](argument))
        except ProfileError as error:
            raise ProfileError(f"{where}: {error.message}") from None
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
