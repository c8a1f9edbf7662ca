"""Containers: bytes of a file format to a neutral tree that loses nothing, and back.

A neutral tree is made of mappings that keep order, lists, and scalars. An element of XML is a
mapping: `@name` for each attribute, `#text` for its text, and `#children`, an ordered list of
(name, element) pairs. A mapping in which a key stood more than once is a `Repeated`.

Each container is one module with `read(data, file)`, `write(tree)` and a `SHAPE` that the profile
engine walks it by.
"""

from __future__ import annotations

import importlib
import re
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple, Protocol, cast

from ..errors import FormatError, ProfileError

BODY = "#body"
"""The key of the text below front matter."""

DEEPEST = 500
"""Levels at which nested formats stop with an error."""


class Format(NamedTuple):
    """What a container is, beside how it is read and written.

    `words`: a file of it in plain words, and `brief` in a sentence about another matter; `title`
    its name. `looks`: what `sniff` says of its files, where that is not its own name. `rows`: it
    holds rows of texts and numbers, and no records inside these. `elements`: its records have
    attributes, texts and children. `own`: keys of its tree that no profile speaks of.
    """

    words: str
    title: str
    brief: str = ""
    looks: str = ""
    rows: bool = False
    elements: bool = False
    own: tuple[str, ...] = ()


FORMATS: dict[str, Format] = {
    "xml": Format("XML", "XML", elements=True),
    "html": Format("HTML", "HTML", looks="xml", elements=True),
    "json": Format("JSON", "JSON"),
    "lines": Format("lines of JSON", "JSON lines"),
    "yaml": Format("YAML", "YAML", looks="text"),
    "toml": Format("TOML", "TOML", looks="text"),
    "csv": Format(
        "a table (CSV)",
        "CSV",
        looks="text",
        rows=True,
        own=("columns", "delimiter", "sep", "#encoded"),
    ),
    "sqlite": Format("a database (SQLite)", "SQLite", "SQLite", rows=True, own=("#schema",)),
    "xlsx": Format(
        "a spreadsheet (XLSX)",
        "XLSX",
        "a spreadsheet",
        rows=True,
        own=("#columns", "#above", "#left-out"),
    ),
    "sql": Format(
        "a dump of a database (SQL)", "SQL", "a dump of SQL", rows=True, own=("#left-out",)
    ),
    "markdown": Format(
        "lists in Markdown", "MARKDOWN", "Markdown", looks="text", own=("front", "#left-out")
    ),
    "front": Format("a text with front matter", "FRONT MATTER", looks="text"),
    "files": Format("a folder or zip", "FILES", looks="zip"),
}
"""All containers, each a module of this folder; `files` is a folder or zip of several files."""

CONTAINERS = tuple(FORMATS)
"""The names of all containers."""

LEFT_OUT = "#left-out"
"""The key of a tree under which a container counts what it did not pass on, by name."""

ENCODED = "#encoded"
"""The key of a tree that says by what encoding a text was read that is not UTF-8 and names none."""

ASIDE = "#aside"
"""The key of a tree under which is counted, by name, what was left aside of a page."""

_BOMS = (
    (b"\xef\xbb\xbf", "utf-8"),
    (b"\xff\xfe\x00\x00", "utf-32-le"),
    (b"\x00\x00\xfe\xff", "utf-32-be"),
    (b"\xff\xfe", "utf-16-le"),
    (b"\xfe\xff", "utf-16-be"),
)


class Repeated(dict[str, Any]):
    """A mapping in which a key stood more than once. `others` are the pairs that do not count."""

    others: list[tuple[str, Any]]


class Shape(Protocol):
    """How to walk and build trees of one container.

    `ALWAYS_TEXT`: every scalar is a text, so that types need not be looked at.
    """

    ALWAYS_TEXT: bool

    def of(self, at: str) -> Shape:
        """The shape of the records at a path: another one only where several files are one tree."""

    def step(self, node: Any, name: str) -> Any:
        """The value under one name, or None."""

    def records(self, tree: Any, path: tuple[str, ...]) -> Iterator[tuple[str, Any]]:
        """The records that stand at a path, each with its place."""

    def pairs(self, node: Any) -> Iterator[tuple[str, Any]]:
        """What a node holds directly: each key and value, repeated keys included."""

    def folded(self, node: Any, child: str, key: str, value: str) -> list[tuple[str, Any]]:
        """As `pairs`, with repeated children that hold a key and a value folded into pairs."""

    def put(self, node: Any, name: str, value: Any) -> None:
        """Set the value under one name, keeping its position where it exists."""

    def add(self, node: Any, name: str, value: Any) -> Any:
        """Add a value under a name that may be there already; returns the node to go on with."""

    def ensure(self, tree: Any, path: tuple[str, ...]) -> Any:
        """The node at a path, made where it is missing."""

    def replace(self, tree: Any, path: tuple[str, ...], records: list[Any]) -> None:
        """Set the records that stand at a path, in place of those that stood there."""

    def settled(self, text: str) -> str:
        """A text as it is read again after it was written between tags; elsewhere as it is."""

    def new(self) -> Any:
        """An empty record."""

    def root(self, tree: Any) -> Any:
        """The node that paths start from."""


LONGEST_NUMBER = 2048
"""Binary digits of a whole number beyond which a file is refused: none is meant to be so long."""

LONG_NUMBER = "it has a whole number of more than 600 digits"


def header(known: Iterable[str], records: Iterable[dict[str, Any]]) -> list[str]:
    """The columns of a table: those that are known, then those that its records also have."""
    columns = dict.fromkeys(known)
    for record in records:
        if not record.keys() <= columns.keys():
            columns.update(dict.fromkeys(record))
    return list(columns)


def children_of(node: dict[str, Any]) -> list[tuple[str, Any]]:
    """The children of an element; none of a mapping that has such a key for another reason."""
    held = node.get("#children")
    if not isinstance(held, list):
        return []
    pairs = all(isinstance(p, (tuple, list)) and len(p) == 2 and type(p[0]) is str for p in held)
    return held if pairs else []


def folds(key: Any) -> bool:
    """Whether what a child holds as a key can be one of its record: no path, attribute or text."""
    return isinstance(key, str) and key[:1] not in ("", "@", "#") and "/" not in key


class Container(Protocol):
    """One file format. `UNWRITABLE` matches characters that it has no way to write."""

    SHAPE: Shape
    UNWRITABLE: re.Pattern[str] | None

    def read(self, data: bytes, file: str) -> Any:
        """Bytes to a neutral tree."""

    def write(self, tree: Any) -> bytes:
        """A neutral tree to bytes."""


def container(name: str) -> Container:
    """The container with this name, loaded when first asked for."""
    if name not in FORMATS:
        raise ProfileError(f"there is no container {name!r}; there are: {', '.join(FORMATS)}")
    return cast(Container, importlib.import_module("." + name, __name__))


_TABLE = re.compile(r"""\[{1,2}[\w."' -]+\]{1,2}[ \t]*(#.*)?\r?\n(.*\n)*?\s*[\w."'-]+\s*=""")
"""The head of a table of TOML, and a key somewhere below it; a list of JSON has no such key."""


_NEXT_RECORD = re.compile(rb"\}[ \t]*\r?\n\s*\{")
"""The end of a record and the start of the next one: nothing within one text of JSON."""

_WORDS_OF_SQL = (
    r"(?:CREATE\s+(?:TABLE|DATABASE|SCHEMA|SEQUENCE|TYPE)|DROP\s+TABLE|INSERT\s+INTO|SET\s+[\w.@]+"
    r"|COPY\s+[^\n]+FROM\s+stdin|PRAGMA\s|BEGIN\b[^\n:]*;|SELECT\s+[\w.]+\(|LOCK\s+TABLES|/\*!)"
)
_DUMP = re.compile(rf"(?:--(?!-)|/\*|{_WORDS_OF_SQL})", re.IGNORECASE)
_STATEMENT = re.compile(rf"^\s*{_WORDS_OF_SQL}", re.IGNORECASE | re.MULTILINE)
"""How a dump of SQL starts, and what stands at the start of one of its first lines."""


def sniff(data: bytes, file: str) -> str:
    """The container that a file is in, found from its first characters.

    `text` where these do not tell: it can be YAML, TOML, a table, or nothing known.
    """
    if not data:
        raise FormatError("the file is empty", file=file)
    if data.startswith(b"SQLite format 3\x00"):
        return "sqlite"
    if data.startswith((b"PK\x03\x04", b"PK\x05\x06")):  # the second one: of no files
        return "xlsx" if _is_workbook(data) else "zip"
    start = data[:4096]
    for bom, encoding in _BOMS:
        if start.startswith(bom):
            text = start[len(bom) :].decode(encoding, "replace")
            break
    else:
        if start[:2] in (b"<\0", b"{\0", b"[\0"):
            text = start.decode("utf-16-le", "replace")
        elif start[:2] in (b"\0<", b"\0{", b"\0["):
            text = start.decode("utf-16-be", "replace")
        else:
            text = start.decode("latin-1")
    text = text.lstrip()
    if not text:
        raise FormatError("the file holds nothing but blank space", file=file)
    if text[0] == "<":
        return "xml"
    if text[0] in "{[":
        if text[0] == "{" and _NEXT_RECORD.search(data):
            return "lines"
        return "text" if _TABLE.match(text) else "json"
    return "sql" if _DUMP.match(text) and _STATEMENT.search(text) else "text"


def _is_workbook(data: bytes) -> bool:
    """Whether a zip is a spreadsheet, by the names of what is in it."""
    import zipfile
    from io import BytesIO

    if b"xl/workbook.xml" not in data:
        return False
    try:
        with zipfile.ZipFile(BytesIO(data)) as archive:
            return "xl/workbook.xml" in archive.namelist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError):
        return False


def start_of(data: bytes) -> str:
    """The first characters of a file as they can be shown."""
    text = data[:80].decode("utf-8", "replace").lstrip()[:20]
    return repr("".join(c if c.isprintable() else "?" for c in text))


_DECLARED = re.compile(r"""^<\?xml[^>]*?encoding\s*=\s*["']([A-Za-z0-9._\-]+)["']""")


def decode(data: bytes, file: str, *, declared: bool, said: str = "") -> str:
    """Bytes to text, by byte-order mark and by declaration; a contradiction is an error.

    `declared`: an XML declaration may name the encoding. `said`: what another one named.
    """
    # The mark of the file counts most, then what it declares, then what zeros between letters tell;
    # two that contradict each other are an error, since half of all texts would be read wrong in
    # silence.
    mark = next(((bom, name) for bom, name in _BOMS if data.startswith(bom)), None)
    encoding = mark[1] if mark else ""
    if not mark:
        if data[:2] in (b"<\0", b"{\0", b"[\0"):
            encoding = "utf-16-le"
        elif data[:2] in (b"\0<", b"\0{", b"\0["):
            encoding = "utf-16-be"
    body = data[len(mark[0]) :] if mark else data
    if declared:
        head = body[:400].decode(encoding or "latin-1", "replace")
        found = _DECLARED.match(head.lstrip())
        said = found[1] if found else ""
    if said:
        encoding = _agreed(said, encoding, file)
    encoding = encoding or "utf-8"
    name = said or encoding.upper()
    try:
        text = body.decode(encoding)
    except UnicodeDecodeError as error:
        line = body.count(b"\n", 0, error.start) + 1
        raise FormatError(
            f"the file {'declares' if said else 'should be'} {name}, but byte "
            f"0x{body[error.start]:02X} is not valid in it",
            file=file,
            place=f"line {line}",
        ) from None
    except LookupError:
        raise FormatError(
            f"the encoding {said!r} is not known", file=file, place="line 1"
        ) from None
    if said and _single_byte(encoding) and not text.isascii():
        try:
            body.decode("utf-8")
        except UnicodeDecodeError:
            pass
        else:
            raise FormatError(
                f"the file declares {said}, but its bytes are UTF-8; correct the declaration",
                file=file,
                place="line 1",
            )
    return text


def decode_any(data: bytes, file: str, said: str = "") -> tuple[str, str]:
    """Bytes to text, and what is to be told of its encoding: empty where there is nothing.

    What is not UTF-8, and says nothing of what it is, is read as Windows-1252, as browsers read it
    and spreadsheets write it; the first word with a letter that is another one elsewhere is told.
    """
    try:
        return decode(data, file, declared=False, said=said), ""
    except FormatError as error:
        if said or any(data.startswith(bom) for bom, _ in _BOMS) or _CONTROLS.search(data):
            raise
        try:
            text = data.decode(USUAL)
        except UnicodeDecodeError:
            raise error from None
    found = re.search(r"\w*[^\W\x00-\x7f]\w*|[^\x00-\x7f]", text)
    return text, found[0] if found is not None else ""


USUAL = "windows-1252"
"""The encoding of texts that name none and are not UTF-8."""
_CONTROLS = re.compile(rb"[\x00-\x08\x0e-\x1f]")


def _single_byte(encoding: str) -> bool:
    import codecs

    return codecs.lookup(encoding).name.startswith(("iso8859", "cp125"))


def _agreed(said: str, seen: str, file: str) -> str:
    """The encoding to read with, when one is declared and perhaps another one is visible."""
    import codecs

    try:
        name = codecs.lookup(said).name
        b"".decode(name)
    except (LookupError, UnicodeError):
        raise FormatError(
            f"the encoding {said!r} is not known", file=file, place="line 1"
        ) from None
    wide = name.startswith(("utf-16", "utf-32"))
    if seen:
        if name == seen or (wide and seen.startswith(name)):
            return seen
        raise FormatError(
            f"the file declares {said}, but its bytes are {seen.upper()}",
            file=file,
            place="line 1",
        )
    if wide:
        raise FormatError(
            f"the file declares {said}, but its bytes are not",
            file=file,
            place="line 1",
        )
    return name
