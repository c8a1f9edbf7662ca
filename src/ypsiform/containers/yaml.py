"""YAML 1.2 (core schema), built from parser events: no tags, no aliases, nothing is constructed.

`no` is a word, `null` and `~` are nothing, and a repeated key is kept beside the one that counts.
A day without quotes is a text to YAML 1.2 but a date to most programs: it stays without quotes.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from contextlib import suppress
from datetime import date
from io import StringIO
from typing import Any, NoReturn

from ruamel.yaml import YAML
from ruamel.yaml.error import MarkedYAMLError, YAMLError
from ruamel.yaml.events import (
    AliasEvent,
    DocumentStartEvent,
    MappingEndEvent,
    MappingStartEvent,
    ScalarEvent,
    SequenceEndEvent,
    SequenceStartEvent,
)

from ..errors import FormatError
from . import DEEPEST, LONG_NUMBER, LONGEST_NUMBER, Repeated, decode
from .block import Odd, block, from_block
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x84\x86-\x9f\ud800-\udfff\ufffe\uffff]"
)
_INTEGER = re.compile(r"[-+]?[0-9]+")
_DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_OCTAL = re.compile(r"0o[0-7]+")
_HEX = re.compile(r"0x[0-9a-fA-F]+")
_REAL = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?")
_NOT_FINITE = re.compile(r"[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)")
_WORDS: dict[str, Any] = {"": None, "~": None}
for _names, _value in (("null", None), ("true", True), ("false", False)):
    _WORDS.update(dict.fromkeys((_names, _names.title(), _names.upper()), _value))
_TAGS: dict[str, Callable[[str], Any]] = {
    "tag:yaml.org,2002:str": str,
    "tag:yaml.org,2002:int": lambda text: _whole(text, 10),
    "tag:yaml.org,2002:float": lambda text: _real(text),
    "tag:yaml.org,2002:bool": lambda text: _word(text, bool),
    "tag:yaml.org,2002:null": lambda text: _word(text, type(None)),
}


_COLLECTIONS = ("tag:yaml.org,2002:map", "tag:yaml.org,2002:seq")


class _Open:
    """A mapping or list that is still being read."""

    def __init__(self, value: Any) -> None:
        self.value = value
        self.key: str | None = None

    def add(self, value: Any, line: int, file: str) -> None:
        if isinstance(self.value, list):
            self.value.append(value)
        elif self.key is None:
            if isinstance(value, (dict, list)):
                raise FormatError("a key is not a single value", file=file, place=f"line {line}")
            self.key = value if isinstance(value, str) else _said(value)
        else:
            key, self.key = self.key, None
            if key in self.value:
                repeated = self.value
                if not isinstance(repeated, Repeated):
                    repeated = self.value = Repeated(self.value)
                    repeated.others = []
                repeated.others.append((key, repeated[key]))
            self.value[key] = value


def _said(value: Any) -> str:
    return "null" if value is None else str(value).lower() if value in (True, False) else str(value)


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Aliases, unknown tags and a second document are errors."""
    text = decode(data, file, declared=False)
    with suppress(Odd, ValueError):
        return from_block(text.replace("\r\n", "\n"), plain, DEEPEST)
    return from_library(text, file)


def from_library(text: str, file: str) -> Any:
    """The tree of a text by the events of ruamel.yaml. Raises `FormatError` as `read` does."""
    _check_lines(text, file)
    reader = YAML(typ="safe", pure=True)
    stack: list[_Open] = [_Open([])]
    documents = 0
    try:
        for event in reader.parse(StringIO(text)):
            line = event.start_mark.line + 1
            if isinstance(event, ScalarEvent):
                stack[-1].add(_scalar(event, file, line), line, file)
            elif isinstance(event, (MappingStartEvent, SequenceStartEvent)):
                if event.tag is not None and str(event.tag) not in _COLLECTIONS:
                    _refuse_tag(event.tag, file, line)
                stack.append(_Open({} if isinstance(event, MappingStartEvent) else []))
                if len(stack) > DEEPEST + 1:
                    raise FormatError(
                        f"values are nested more than {DEEPEST} levels deep",
                        file=file,
                        place=f"line {line}",
                    )
            elif isinstance(event, (MappingEndEvent, SequenceEndEvent)):
                done = stack.pop()
                stack[-1].add(done.value, line, file)
            elif isinstance(event, AliasEvent):
                raise FormatError(
                    f"the alias *{event.anchor} is refused: aliases can make a small file explode",
                    file=file,
                    place=f"line {line}",
                )
            elif isinstance(event, DocumentStartEvent):
                documents += 1
                if documents > 1:
                    raise FormatError(
                        "a second document starts here", file=file, place=f"line {line}"
                    )
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise FormatError(
            f"this is not YAML: {error.problem or error.context}",
            file=file,
            place=f"line {mark.line + 1}" if mark else "",
        ) from None
    except (YAMLError, RecursionError, ValueError) as error:
        reason = str(error).splitlines()[0] if str(error) else "it is nested too deep"
        raise FormatError(f"this is not YAML: {reason}", file=file) from None
    return stack[0].value[0] if stack[0].value else None


_QUOTED = re.compile(r"\"(?:[^\"\\]|\\.)*\"|'[^']*'")


def _check_lines(text: str, file: str) -> None:
    """Refuse a line that opens more brackets than may be open: to look them through takes long."""
    if text.count("[") <= DEEPEST and text.count("{") <= DEEPEST:
        return
    for number, line in enumerate(text.split("\n"), 1):
        if line.count("[") + line.count("{") <= DEEPEST:
            continue
        depth = 0
        for found in re.finditer(r"[\[\]{}]", _QUOTED.sub("", line)):
            depth += 1 if found[0] in "[{" else -1
            if depth > DEEPEST:
                raise FormatError(
                    f"values are nested more than {DEEPEST} levels deep",
                    file=file,
                    place=f"line {number}",
                )


def _refuse_tag(tag: object, file: str, line: int) -> NoReturn:
    raise FormatError(f"the tag {tag} is refused", file=file, place=f"line {line}")


def _scalar(event: ScalarEvent, file: str, line: int) -> Any:
    text: str = event.value
    if event.tag is not None:
        make = _TAGS.get(str(event.tag))
        if make is None:
            _refuse_tag(event.tag, file, line)
        try:
            return make(text)
        except ValueError as error:
            message = str(error) if error.args and "number" in str(error) else f"{text!r} is none"
            message = f"the tag {event.tag} does not fit: {message}"
            raise FormatError(message, file=file, place=f"line {line}") from None
    if event.style is not None:  # quoted, or a block of text
        return text
    try:
        return plain(text)
    except ValueError as error:
        raise FormatError(str(error), file=file, place=f"line {line}") from None


def plain(text: str) -> Any:
    """What a scalar without quotes is. Raises `ValueError` for a number that cannot be held."""
    if text in _WORDS:
        return _WORDS[text]
    if text[0] not in _NUMERIC:
        return text
    if _DAY.fullmatch(text):
        with suppress(ValueError):
            return date.fromisoformat(text)
    if _INTEGER.fullmatch(text):
        return _whole(text, 10)
    if _HEX.fullmatch(text):
        return _whole(text, 16)
    if _OCTAL.fullmatch(text):
        return _whole(text, 8)
    if _REAL.fullmatch(text) or _NOT_FINITE.fullmatch(text):
        return _real(text)
    return text


_NUMERIC = frozenset("0123456789+-.")
"""What a number or a day can start with."""


def _whole(text: str, base: int) -> int:
    """A whole number. Raises `ValueError` for one that is too long to be meant."""
    if len(text) > LONGEST_NUMBER // 3:
        raise ValueError(LONG_NUMBER)
    return int(text.removeprefix("0o"), base)


def _real(text: str) -> float:
    """A number. Raises `ValueError` for one that is not finite, or that is none."""
    if _NOT_FINITE.fullmatch(text):
        raise ValueError(f"the number {text} cannot be held")
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(f"the number {text} cannot be held")
    return value


def _word(text: str, kind: type) -> Any:
    if not isinstance(_WORDS.get(text, ()), kind):
        raise ValueError
    return _WORDS[text]


class _Pairs:
    """A mapping with its repeated keys, of which the last one counts."""

    def __init__(self, node: Repeated) -> None:
        self.pairs = [*node.others, *node.items()]

    def items(self) -> list[tuple[str, Any]]:
        return self.pairs


def _represented(representer: Any, node: Repeated) -> Any:
    return representer.represent_mapping("tag:yaml.org,2002:map", _Pairs(node))


_BREAKS = re.compile("[\x85\u2028\u2029\ufeff]")


def _quoted(representer: Any, text: str) -> Any:
    """A text; one with characters that would be taken for the end of a line is in quotes."""
    if _BREAKS.search(text):
        return representer.represent_scalar("tag:yaml.org,2002:str", text, style='"')
    return representer.represent_str(text)


def write(tree: Any) -> bytes:
    """A tree to UTF-8 bytes, two blanks for each level."""
    with suppress(Odd):
        return block(tree, by_library).encode("utf-8")
    return by_library(tree).encode("utf-8")


def by_library(tree: Any) -> str:
    """A tree as ruamel.yaml writes it. Raises `ValueError` for what it refuses."""
    out = StringIO()
    try:
        _writer().dump(tree, out)
    except YAMLError as error:
        raise ValueError(str(error)) from None
    return out.getvalue()


def _writer() -> YAML:
    writer = YAML(typ="rt", pure=True)
    writer.default_flow_style = False
    writer.allow_unicode = True
    writer.width = 100_000
    writer.indent(mapping=2, sequence=4, offset=2)
    writer.representer.add_representer(Repeated, _represented)
    writer.representer.add_representer(str, _quoted)
    writer.representer.ignore_aliases = lambda _: True  # what stands twice is written twice
    return writer
