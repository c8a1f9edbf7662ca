"""Dumps of a database as statements of SQL: read by looking at them, and never run nor written.

The tree is a mapping from each table to its rows, as that of an SQLite file. Rows come from
`INSERT` and from `COPY … FROM stdin`; of `CREATE TABLE` the names and types of columns are read;
all other statements count for nothing. A cell without a value is an absent key. A value that only a
database can work out, or that is made of bytes, is not read, and counted.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any, NoReturn

from ..errors import FormatError, RefusedError
from . import LEFT_OUT, LONG_NUMBER, LONGEST_NUMBER, decode
from .json import SHAPE as SHAPE

UNWRITABLE: re.Pattern[str] | None = re.compile(r"[\x00\ud800-\udfff]")

MOST_CELLS = 100_000_000
"""Cells of all tables together beyond which a dump is refused."""

_SPACE = re.compile(r"(?:\s+|--[^\n]*|\#[^\n]*|/\*(?!!).*?\*/|/\*!\d*|\*/)*+", re.DOTALL)
"""What stands between words. What a comment of the kind `/*!40000 … */` holds is no comment."""

_NAME = r'(?:`(?:[^`]|``)+`|"(?:[^"]|"")+"|\[[^\]\n]+\]|[\w$]+)'
_NAMES = rf"{_NAME}(?:\s*\.\s*{_NAME}){{0,3}}"
_HEAD = re.compile(
    rf"(?:(?P<create>CREATE\s+(?:(?:GLOBAL|LOCAL|TEMP|TEMPORARY|UNLOGGED)\s+)*TABLE\s+"
    rf"(?:IF\s+NOT\s+EXISTS\s+)?)|(?P<insert>(?:INSERT|REPLACE)\s+(?:(?:LOW_PRIORITY|DELAYED|IGNORE"
    rf"|OR\s+\w+)\s+)*INTO\s+)|(?P<copy>COPY\s+))(?P<name>{_NAMES})",
    re.IGNORECASE,
)
_FROM = re.compile(r"\s*FROM\s+stdin\b([^;]*);[^\n]*\n", re.IGNORECASE)
_BETWEEN = re.compile(r"\s*(?:OVERRIDING\s+\w+\s+VALUE\s*)?(?:VALUES?|(?P<select>SELECT))", re.I)
_QUOTED = re.compile(r"'(?:[^']|'')*+'")
_ESCAPED = re.compile(r"'(?:[^'\\]|''|\\.)*+'", re.DOTALL)
_OPENS = re.compile(r"""'|"|`|\[|\$(\w*)\$|--|/\*|\#|;|\(|\)|,|[eE](?=')""")
_VALUE = re.compile(
    r"\s*+(?:(?P<text>(?P<kind>N|E|_\w+\s*)?')|(?P<none>NULL\b)|(?P<number>[-+]?\d[\d.]*(?:[eE][-+]?\d+)?)"
    r"(?=\s*(?:[,)]|::))|(?P<yes>TRUE\b|FALSE\b)|(?P<dollar>\$(?P<tag>\w*)\$))",
    re.IGNORECASE,
)
_CAST = re.compile(r"\s*::\s*[\w ]+(?:\([^)]*\))?(?:\[\])?")
_BYTES = re.compile(r"0x[0-9a-f]+|[xb]'", re.IGNORECASE)
_NEXT = re.compile(r"\s*+([,)])")
_ESCAPES = {
    "n": "\n",
    "t": "\t",
    "r": "\r",
    "0": "\0",
    "b": "\b",
    "Z": "\x1a",
    "f": "\f",
    "v": "\v",
}
_ESCAPE = re.compile(r"\\(.)", re.DOTALL)
_COPIED = re.compile(r"\\(x[0-9A-Fa-f]{1,2}|[0-7]{1,3}|.)", re.DOTALL)
_NO_COLUMN = re.compile(
    r"primary\s+key|unique\s*(?:key|index|\()|constraint\s|foreign\s+key|check\s*\(|exclude\s"
    r"|(?:fulltext|spatial)\s|(?:key|index)\s*[`(]|(?:key|index)\s+(?!\w*(?:char|int|text|num|dec))\w+\s*\("
    r"|like\s",
    re.IGNORECASE,
)
"""How a part of a table begins that is no column; a column can be called `key`."""

_WHOLE = re.compile(r"(?:big|small|medium|tiny)?int(?:eger|\d)?\b|(?:big|small)?serial\b", re.I)
_REAL = re.compile(r"(?:numeric|decimal|real|double|float)", re.I)
_YES_NO = re.compile(r"bool", re.I)


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Raises `FormatError` with the line where a statement cannot be followed."""
    return _Dump(decode(data, file, declared=False), file).tables()


def write(tree: Any) -> bytes:
    """Dumps are never written. Raises `RefusedError`."""
    raise RefusedError("dumps of SQL are read, and never written")


class _Dump:
    def __init__(self, text: str, file: str) -> None:
        self.text, self.file = text, file
        # Who quotes names by backquotes escapes by backslashes; elsewhere a backslash is itself.
        self.backslashes = "`" in text or "/*!" in text
        self.columns: dict[str, list[tuple[str, str]]] = {}
        self.found: dict[str, list[dict[str, Any]]] = {}
        self.left: dict[str, int] = {}
        self.cells = 0

    def tables(self) -> dict[str, Any]:
        """All tables that have rows or columns."""
        text, at = self.text, 0
        while True:
            at = self._past(_SPACE, at)
            if at >= len(text):
                break
            head = _HEAD.match(text, at)
            if head is None:
                at = self._end(at)
            elif head["create"]:
                at = self._created(_plain(head["name"]), head.end())
            elif head["insert"]:
                at = self._inserted(_plain(head["name"]), head.end())
            else:
                at = self._copied(_plain(head["name"]), head.end())
        if not self.found:
            raise FormatError("no table is made or filled in it", file=self.file)
        tree: dict[str, Any] = dict(self.found)
        if self.left:
            tree[LEFT_OUT] = self.left
        return tree

    def _fault(self, at: int, message: str) -> FormatError:
        line = self.text.count("\n", 0, at) + 1
        return FormatError(message, file=self.file, place=f"line {line}")

    def _fail(self, at: int, message: str) -> NoReturn:
        raise self._fault(at, message)

    def _past(self, what: re.Pattern[str], at: int) -> int:
        found = what.match(self.text, at)
        return found.end() if found is not None else at

    def _step(self, at: int) -> tuple[str, int, int]:
        """The next mark that counts from a place on: what it is, where, and where it ends.

        Texts, quoted names and comments are passed over. Raises `FormatError` for one without end.
        """
        text = self.text
        while True:
            found = _OPENS.search(text, at)
            if found is None:
                return "", len(text), len(text)
            mark, at = found[0], found.end()
            if mark in (";", "(", ")", ","):
                return mark, found.start(), at
            if mark in "eE":
                continue
            if mark == "'":
                at = self._quoted_from(found.start())
            elif mark[0] == "$":
                end = text.find(mark, at)
                if end < 0:
                    self._fail(found.start(), f"a text that begins with {mark} has no end")
                at = end + len(mark)
            elif mark in ("--", "#"):
                end = text.find("\n", at)
                at = len(text) if end < 0 else end
            elif mark == "/*":
                if text[at : at + 1] == "!":
                    continue
                end = text.find("*/", at)
                at = len(text) if end < 0 else end + 2
            else:
                close = "]" if mark == "[" else mark
                end = text.find(close, at)
                if end < 0:
                    self._fail(found.start(), f"a name that begins with {mark} has no end")
                at = end + 1

    def _quoted_from(self, at: int, *, escaped: bool = False) -> int:
        """Where a text between quotes ends."""
        escaped = escaped or self.backslashes or self.text[at - 1 : at] in ("e", "E")
        found = (_ESCAPED if escaped else _QUOTED).match(self.text, at)
        if found is None:
            self._fail(at, "a text has no end")
        return found.end()

    def _end(self, at: int) -> int:
        """Where a statement ends."""
        while True:
            mark, _, at = self._step(at)
            if mark in ("", ";"):
                return at

    def _parts(self, at: int) -> tuple[list[str], int]:
        """What stands between brackets from here on, parted by commas, and where they end."""
        mark, start, at = self._step(at)
        if mark != "(":
            self._fail(start, "found no list in brackets where one is needed")
        parts, open_, begin = [], 1, at
        while open_:
            mark, here, at = self._step(at)
            if mark in ("", ";"):
                self._fail(start, "a bracket is not closed")
            open_ += (mark == "(") - (mark == ")")
            if open_ == 0 or (mark == "," and open_ == 1):
                parts.append(self.text[begin:here].strip())
                begin = at
        return parts, at

    def _created(self, table: str, at: int) -> int:
        start = self._past(_SPACE, at)
        if self.text[start : start + 1] != "(":
            return self._end(at)  # made of another table
        parts, at = self._parts(start)
        columns: list[tuple[str, str]] = []
        for part in parts:
            part = part[self._skip(part) :]
            found = re.match(_NAME, part)
            if found is not None and not _NO_COLUMN.match(part):
                columns.append((_plain(found[0]), part[found.end() :].strip()))
        self.columns[table] = columns
        self.found.setdefault(table, [])
        return self._end(at)

    @staticmethod
    def _skip(part: str) -> int:
        found = _SPACE.match(part)
        return found.end() if found is not None else 0

    def _columns(self, table: str, named: list[str] | None) -> list[str]:
        if named is not None:
            return named
        return [name for name, _ in self.columns.get(table, ())]

    def _casts(self, table: str, names: list[str]) -> list[Callable[[str], Any] | None]:
        """For each column what makes a value of a text, by the type of the column."""
        types = dict(self.columns.get(table, ()))
        return [_cast(types.get(name, "")) for name in names]

    def _inserted(self, table: str, at: int) -> int:
        text, names = self.text, None
        here = self._past(_SPACE, at)
        if text[here : here + 1] == "(":
            parts, at = self._parts(here)
            names = [_plain(part) for part in parts]
        found = _BETWEEN.match(text, self._past(_SPACE, at))
        if found is None or found["select"]:
            return self._end(at)
        columns, at = self._columns(table, names), found.end()
        casts = self._casts(table, columns)
        rows = self.found.setdefault(table, [])
        while True:
            at = self._past(_SPACE, at)
            if text[at : at + 1] != "(":
                self._fail(at, "found no row in brackets where one is needed")
            cells, at = self._row(at + 1)
            if not columns:
                columns = [f"column {n + 1}" for n in range(len(cells))]
                casts = [None] * len(columns)
            self._add(rows, columns, cells, casts, at)
            at = self._past(_SPACE, at)
            if text[at : at + 1] != ",":
                return self._end(at)  # what is to be done where a row is there already
            at += 1

    def _add(
        self,
        rows: list[dict[str, Any]],
        columns: list[str],
        cells: list[Any],
        casts: list[Callable[[str], Any] | None],
        at: int,
    ) -> None:
        if len(cells) != len(columns):
            self._fail(at, f"found {len(cells)} values for {len(columns)} columns")
        self.cells += len(cells)
        if self.cells > MOST_CELLS:
            self._fail(at, f"the tables have more than {MOST_CELLS:,} cells")
        row = {}
        for column, cell, cast in zip(columns, cells, casts, strict=True):
            if cell is not None:
                row[column] = cast(cell) if cast is not None and type(cell) is str else cell
        rows.append(row)

    def _row(self, at: int) -> tuple[list[Any], int]:
        """The values of a row, from behind its bracket, and where it ends."""
        text, cells = self.text, []
        while True:
            found = _VALUE.match(text, at) or _VALUE.match(text, self._past(_SPACE, at))
            value: Any = None
            if found is None:
                at = self._unread(self._past(_SPACE, at), "values that a database works out")
            elif found["text"]:
                start = found.end() - 1
                kind = (found["kind"] or "").strip().lower()
                end = self._quoted_from(start, escaped=kind == "e")
                value = self._unquoted(text[start:end], escaped=kind == "e")
                at = end
                if kind == "_binary":
                    self._count("values that are made of bytes")
                    value = None
            elif found["none"]:
                at = found.end()
            elif found["yes"]:
                value, at = found["yes"].lower() == "true", found.end()
            elif found["number"]:
                value, at = self._number(found["number"], found.start()), found.end()
            else:
                end = text.find(found["dollar"], found.end())
                if end < 0:
                    self._fail(
                        found.start(), f"a text that begins with {found['dollar']} has no end"
                    )
                value, at = text[found.end() : end], end + len(found["dollar"])
            behind = _NEXT.match(text, at) or _NEXT.match(text, self._past(_SPACE, at))
            if behind is None:  # more than a plain value: a cast, or a sum
                cast = _CAST.match(text, at)
                at = cast.end() if cast is not None else at
                behind = _NEXT.match(text, at)
                if behind is None:
                    at = self._unread(at, "values that a database works out")
                    value, behind = None, _NEXT.match(text, at)
            if behind is None:
                self._fail(at, "a row has no end")
            cells.append(value)
            at = behind.end()
            if behind[1] == ")":
                return cells, at

    def _count(self, words: str) -> None:
        self.left[words] = self.left.get(words, 0) + 1

    def _unread(self, at: int, words: str) -> int:
        """Pass over a value that is not read, and count it."""
        if _BYTES.match(self.text, at):
            words = "values that are made of bytes"
        self._count(words)
        open_ = 0
        while True:
            mark, here, at = self._step(at)
            if mark in ("", ";"):
                self._fail(here, "a row has no end")
            if open_ == 0 and mark in (",", ")"):
                return here
            open_ += (mark == "(") - (mark == ")")

    def _unquoted(self, text: str, *, escaped: bool) -> str:
        inner = text[1:-1]
        if "'" in inner:
            inner = inner.replace("''", "'")
        if "\\" in inner and (escaped or self.backslashes):
            inner = _ESCAPE.sub(lambda m: _ESCAPES.get(m[1], m[1]), inner)
        return inner

    def _number(self, text: str, at: int) -> Any:
        if len(text) > LONGEST_NUMBER // 3:
            self._fail(at, LONG_NUMBER)
        return _number(text)

    def _copied(self, table: str, at: int) -> int:
        names = None
        here = self._past(_SPACE, at)
        if self.text[here : here + 1] == "(":
            parts, at = self._parts(here)
            names = [_plain(part) for part in parts]
        found = _FROM.match(self.text, at)
        if found is None:
            return self._end(at)
        if re.search(r"csv|binary", found[1], re.IGNORECASE):
            self._fail(at, "rows of COPY are read as text only, and not as CSV or bytes")
        columns = self._columns(table, names)
        casts = self._casts(table, columns)
        rows = self.found.setdefault(table, [])
        at = found.end()
        for line, start, end in self._lines(at):
            at = end
            if line == "\\.":
                return at
            cells = [_of_copy(cell) for cell in line.split("\t")]
            if not columns:
                columns = [f"column {n + 1}" for n in range(len(cells))]
                casts = [None] * len(columns)
            self._add(rows, columns, cells, casts, start)
        raise self._fault(at, f"the rows of the table {table!r} have no end")

    def _lines(self, at: int) -> Iterator[tuple[str, int, int]]:
        text = self.text
        while at < len(text):
            end = text.find("\n", at)
            end = len(text) if end < 0 else end
            yield text[at:end].removesuffix("\r"), at, min(end + 1, len(text))
            at = end + 1


def _of_copy(cell: str) -> str | None:
    """A cell of `COPY` as it was; None where it has no value."""
    if "\\" not in cell:
        return cell
    if cell == "\\N":
        return None
    return _COPIED.sub(_meant, cell)


def _meant(found: re.Match[str]) -> str:
    word = found[1]
    if word[0] == "x" and len(word) > 1:
        return chr(int(word[1:], 16))
    if word[0] in "01234567":
        return chr(int(word, 8))
    return _ESCAPES.get(word, word)


def _plain(name: str) -> str:
    """A name without its quotes; of one with the names of a database and schema the last part."""
    last = re.findall(_NAME, name)[-1:] or [name.strip()]
    word: str = last[0]
    if word[:1] == "`":
        return word[1:-1].replace("``", "`")
    if word[:1] == '"':
        return word[1:-1].replace('""', '"')
    return word[1:-1] if word[:1] == "[" else word


def _cast(type_: str) -> Callable[[str], Any] | None:
    """What makes a value of a text for a column of this type; None where it stays a text."""
    if _YES_NO.match(type_):
        return _yes_no
    if _WHOLE.match(type_) or _REAL.match(type_):
        return _number
    return None


def _yes_no(text: str) -> Any:
    return {"t": True, "f": False, "true": True, "false": False}.get(text.lower(), text)


def _number(text: str) -> Any:
    """A text as the number that it says; one that says none as it is."""
    if re.fullmatch(r"[-+]?\d{1,600}", text):
        return int(text)
    if re.fullmatch(r"[-+]?\d+\.\d*(?:[eE][-+]?\d{1,3})?|[-+]?\d+[eE][-+]?\d{1,2}", text):
        made = float(text)
        return made if abs(made) != float("inf") else text
    return text
