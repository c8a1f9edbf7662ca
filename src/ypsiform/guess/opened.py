"""An unknown file or folder as a tree, in whatever container it came."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import PurePosixPath
from typing import Any, NamedTuple

from ..containers import FORMATS, Shape, container, sniff
from ..containers.front import BODY, parts_of
from ..errors import FormatError, RefusedError, YpsiformError
from ..profiles.each import above_each, path_of, stem_of
from ..profiles.files import LIST, shape_of_files
from ..profiles.grids import with_grids
from ..profiles.headed import with_headings
from ..profiles.mixed import with_mixed
from ..profiles.pairs import with_pairs
from ..profiles.schema import FileRule, GridRule, MixedRule, SlugRule
from ..profiles.trees import ABOVE, PATH, STEM
from ..recognise import said_of
from .headings import headed_in
from .labelled import pairs_in
from .mixtures import mixed_in
from .tables import grids_in

_PAGE = re.compile(rb"<!doctype\s+html|<html[\s>]", re.IGNORECASE)
_LISTS = re.compile(rb"^\s*(?:[-*+]|\d+[.)])\s+.*\]\(", re.MULTILINE)
"""A link in a list of Markdown, which is nothing in YAML."""

ENDINGS = frozenset(
    ("json", "jsonl", "ndjson", "yaml", "yml", "toml", "xml", "csv", "tsv", "txt", "md", "markdown")
)
"""The endings of files that are looked at in a folder."""

ALIKE = 0.4
"""The share of keys that files have in common, from which they are taken for records of a kind."""


class Slugs(NamedTuple):
    """A rule of slugs, how sure it is, and why."""

    rule: SlugRule
    score: float
    why: str


class Opened(NamedTuple):
    """A file as it is read: its container, its tree, and tables in it whose rows are lists.

    `mixed`: names of records that stand side by side; `gathered`: lists that are a menu each.
    `files` are those of a folder, by the first name of their paths; `bodies`: there are texts below
    front matter in it. `slugs`: rules by which records in it say parts of addresses. `pairs`: the
    paths of mappings from labels to addresses. `headed`: lists with headings among their records.
    """

    kind: str
    tree: Any
    grids: Sequence[GridRule] = ()
    mixed: Sequence[MixedRule] = ()
    gathered: Mapping[str, str] = {}
    files: Mapping[str, FileRule] = {}
    bodies: bool = False
    slugs: Sequence[Slugs] = ()
    pairs: Sequence[str] = ()
    headed: Mapping[str, str] = {}

    @property
    def shape(self) -> Shape:
        """How to walk the tree."""
        return shape_of_files(self.files) if self.files else container(self.kind).SHAPE

    @property
    def root(self) -> Any:
        """The node that paths start from."""
        return self.tree if self.files else self.shape.root(self.tree)


def open_any(data: bytes, file: str) -> Opened:
    """The container of a file, and its tree; a list stands in a mapping.

    Raises `FormatError` for what holds no records, `RefusedError` for a page.
    """
    kind = sniff(data, file)
    known = said_of(data, [])
    if known is not None:
        raise FormatError(f"this is {known}", file=file)
    if kind == "zip":
        return _folder(data, file)
    if kind == "xml" and _PAGE.search(data[:1024]):
        raise RefusedError(
            "this is a page in HTML, which the platform html reads: --from html, with --nav for a "
            "part of it",
            file=file,
        )
    kind, tree = _parsed(data, file, kind)
    tree = {LIST: tree} if isinstance(tree, list) else tree
    if not isinstance(tree, dict):
        raise FormatError("it holds a single value, and no records", file=file)
    grids = list(grids_in(tree)) if kind in ("json", "yaml", "toml") else []
    if grids:
        tree = with_grids(tree, grids, file)
    pairs = [*pairs_in(tree)] if kind in ("json", "yaml", "toml") else []
    tree = with_pairs(tree, pairs)
    headed = headed_in(tree)
    tree = with_headings(tree, headed)
    mixed = mixed_in(tree, elements=kind == "xml") if kind in _MIXED else []
    return Opened(kind, with_mixed(tree, mixed), grids, mixed, pairs=pairs, headed=headed)


_MIXED = ("xml", "json", "yaml")


def _parsed(data: bytes, file: str, kind: str) -> tuple[str, Any]:
    """The container of one file, and its tree."""
    if kind != "text":
        return kind, container(kind).read(data, file)
    if _has_front(data):
        return "front", container("front").read(data, file)
    *several, last = ("markdown",) if _LISTS.search(data) else ("toml", "csv", "yaml")
    for name in several:
        try:
            tree = container(name).read(data, file)
        except YpsiformError:
            continue
        if name != "csv" or _is_table(tree):
            return name, tree
    return last, container(last).read(data, file)


def _has_front(data: bytes) -> bool:
    """Whether a text starts with front matter, and goes on behind it."""
    if data[:3] not in (b"---", b"+++", b"\xef\xbb\xbf"):
        return False
    return parts_of(data.decode("utf-8-sig", "replace")) is not None


def _is_table(tree: Any) -> bool:
    """Whether what was read as a table is one: at least two columns, with plain names."""
    columns = tree["columns"]
    plain = all(re.fullmatch(r"[^:\-{\[][^:{\[]*", column) for column in columns)
    return len(columns) > 1 and plain and bool(tree["rows"])


class _One(NamedTuple):
    """A file of a folder that can be read."""

    name: str
    kind: str
    tree: Any

    @property
    def keys(self) -> set[str]:
        """The keys of its record, or of the records in its list."""
        tree = self.tree
        if isinstance(tree, dict) and "#children" in tree:
            return {tree["#children"][0][0]}
        rows = tree if isinstance(tree, list) else tree.get("rows")
        if isinstance(rows, list):
            return {key for row in rows if isinstance(row, dict) for key in row} | {LIST}
        return set(tree)


def _folder(data: bytes, file: str) -> Opened:
    """A folder, or a zip of it, as one tree: each file, or files that are alike, by a name."""
    from ..containers.zip import unpack

    found: list[_One] = []
    others = unpack(data, file)
    for name, held in others.items():
        if PurePosixPath(name).suffix[1:].lower() not in ENDINGS or not held:
            continue
        try:
            kind, whole = _parsed(held, name, sniff(held, name))
        except YpsiformError:
            continue
        if isinstance(whole, (dict, list)) and kind in _IN_FOLDERS:
            found.append(_One(name, kind, whole))
    rules: dict[str, FileRule] = {}
    tree: dict[str, Any] = {}
    bodies = False
    for some, pattern in _grouped(found):
        first = some[0]
        made = [_record(one) for one in some]
        named = _named(pattern or first.name, rules)
        rules[named] = FileRule(pattern or first.name, first.kind)
        paths = [path_of(one.name, pattern) for one in some] if pattern else [""]
        told = zip(some, made, paths, above_each(paths), strict=True)
        for one, record, path, above in told:
            if pattern:
                record |= {PATH: path, STEM: stem_of(one.name), ABOVE: above}
            bodies = record.pop(BODY, None) is not None or bodies
        tree[named] = made if pattern else made[0]
    if not rules:
        raise FormatError("none of the files in it holds records that can be read", file=file)
    return Opened("files", tree, files=rules, bodies=bodies)


_IN_FOLDERS = ("json", "lines", "yaml", "toml", "xml", "csv", "front", "markdown")


def _record(one: _One) -> Any:
    """What a file holds, as a node that paths start from."""
    from ..containers.files import marked

    if FORMATS[one.kind].elements:
        return marked(one.tree)["#children"][0][1]
    return {LIST: one.tree} if isinstance(one.tree, list) else dict(one.tree)


def _grouped(found: Sequence[_One]) -> list[tuple[list[_One], str]]:
    """Files that are alike, each group with the pattern of its names; lone ones without."""
    groups: dict[tuple[str, str, str], list[_One]] = {}
    for one in found:
        folder = one.name.rpartition("/")[0]
        top = folder.partition("/")[0] if one.kind == "front" else folder
        groups.setdefault((top, PurePosixPath(one.name).suffix, one.kind), []).append(one)
    made: list[tuple[list[_One], str]] = []
    for (top, ending, kind), some in groups.items():
        start = f"{top}/" if top else ""
        deep = any("/" in one.name[len(start) :] for one in some)
        pattern = f"{start}{'**/' if deep else ''}*{ending}"
        if len(some) > 1 and kind != "markdown" and (kind == "front" or _are_alike(some)):
            made.append((some, pattern))
        else:
            made += [([one], "") for one in some]
    return made


def _are_alike(some: Sequence[_One]) -> bool:
    first = some[0].keys
    return all(len(first & one.keys) >= ALIKE * len(first | one.keys) for one in some)


def _named(name: str, taken: Mapping[str, Any]) -> str:
    """The first name of the paths of a file: its stem, or the folder of several."""
    path = name.partition("*")[0].rstrip("/") or PurePosixPath(name).stem
    word = re.sub(r"[^a-z0-9]+", "-", PurePosixPath(path).stem.lower()).strip("-") or "texts"
    number = 1
    while (made := word if number == 1 else f"{word}-{number}") in taken:
        number += 1
    return made
