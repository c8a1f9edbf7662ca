"""The lists of records in an unknown export, whatever container it came in, laid out alike."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from datetime import date
from typing import Any

from ..containers import children_of
from ..profiles.schema import GridRule
from .looks import is_address

Row = dict[str, Any]
"""A record laid out flat: `goes/to` for what stands in a mapping of its own; lists as tuples."""

DEEPEST = 6
"""Levels of wrappers that are looked through."""

FEW = 5
"""Records in a mapping, up to which that can be a record itself, made of others."""

MOST_KINDS = 40
"""Kinds of records that one list can hold."""

LANGUAGES = frozenset(
    [
        "ar",
        "bg",
        "bs",
        "ca",
        "cs",
        "da",
        "de",
        "el",
        "en",
        "es",
        "et",
        "eu",
        "fa",
        "fi",
        "fo",
        "fr",
        "ga",
        "gl",
        "he",
        "hi",
        "hr",
        "hu",
        "id",
        "is",
        "it",
        "ja",
        "ko",
        "lt",
        "lv",
        "mk",
        "mt",
        "nb",
        "nl",
        "nn",
        "no",
        "pl",
        "pt",
        "ro",
        "ru",
        "se",
        "sk",
        "sl",
        "sq",
        "sr",
        "sv",
        "th",
        "tr",
        "uk",
        "ur",
        "vi",
        "zh",
    ]
)
"""Codes of languages under which a text in several languages stands."""


class Words(dict[str, str]):
    """A text in several languages."""


class Table:
    """Records of one kind: where they stand, each laid out flat, and the records inside them.

    `at` is the path from the root of the document; `names` are those of a mapping, where the
    records stand in one; `inner` gives for a key the nodes below each record that has some. `only`:
    the value by which these are told from other records in the same list; `find`: a JSONPath where
    no path leads to them.
    """

    def __init__(
        self,
        at: str,
        nodes: list[Any],
        names: list[str] | None = None,
        only: dict[str, str] | None = None,
        find: str = "",
    ) -> None:
        self.at, self.nodes, self.names, self.only = at, nodes, names, only or {}
        self.find = find
        self.rows: list[Row] = []
        self.known: Any = None  # its columns, once somebody looked at them
        self.joins: list[dict[str, Any]] = []  # what a profile says of records that belong to these
        self.key = ""  # the field of the names of its records, where they are read as one
        self.inner: dict[str, list[list[Any]]] = {}
        repeated = _repeated(nodes)
        self.embedded = _embedded(nodes)
        for node in _opened(nodes, self.embedded) if self.embedded else nodes:
            row: Row = {}
            for key, value in _laid_out(node, repeated):
                if isinstance(value, _Inner):
                    self.inner.setdefault(key, []).append(value.nodes)
                elif key not in row:
                    row[key] = value
            self.rows.append(row)
        self.fold: dict[str, str] | None = self._folded()
        self.composed = self._composed()
        self.fields = list(dict.fromkeys(key for row in self.rows for key in row))

    def _folded(self) -> dict[str, str] | None:
        """Key/value children, laid out as fields; what a profile says of them."""
        for child in self.inner:
            if any(_is_no_list(node, child) for node in self.nodes):
                continue
            lists = [_children(node, child) for node in self.nodes]
            pairs = [_pair(inner) for inner_ in lists for inner in inner_]
            keys = [pair[2] for pair in pairs if pair is not None]
            same = {pair[:2] for pair in pairs if pair is not None}
            if not keys or len(keys) < len(pairs) or len(same) != 1:
                continue
            if len(set(keys)) > len(keys) / 2 or not all(map(_NAME.fullmatch, keys)):
                continue
            ((key, value),) = same
            named = child.rpartition("/")[2]
            if all(map(is_language, keys)) and value == "#text" and len(set(keys)) > 1:
                for row, inner_ in zip(self.rows, lists, strict=True):
                    said_of = [pair for inner in inner_ if (pair := _pair(inner)) is not None]
                    if said_of:
                        row[named] = Words({pair[2]: said(pair[3]) for pair in said_of})
                        for field in [field for field in row if field.startswith(f"{child}/")]:
                            del row[field]
                del self.inner[child]
                if "/" in child:
                    self.inner.pop(child.partition("/")[0], None)
                return {"children": child, "key": key, "named": named}
            if "/" in child:
                continue  # only labels stand in an element around them
            for row, inner_ in zip(self.rows, lists, strict=True):
                for inner in inner_:
                    pair = _pair(inner)
                    if pair is not None:
                        row.setdefault(pair[2], pair[3])
            del self.inner[child]
            return {"children": child, "key": key, "value": value}
        return None

    def _composed(self) -> dict[str, str]:
        """References that all begin with the same word and a sign: each is laid out without them.

        By the field what a profile says of it: `parent` of `link:17` is `parent/ref`.
        """
        made: dict[str, str] = {}
        for field in dict.fromkeys(key for row in self.rows for key in row):
            one = next((row[field] for row in self.rows if row.get(field) not in (None, "")), None)
            found = _REFERENCE.match(one) if isinstance(one, str) else None
            if found is None or "/" in field or field[:1] in "@#":
                continue
            first = found[1]
            held = [row[field] for row in self.rows if row.get(field) not in (None, "")]
            if len(held) < 2 or not all(
                isinstance(text, str) and text.startswith(first) for text in held
            ):
                continue
            ids = {text[len(first) :] for text in held}
            if not all(map(_ID.fullmatch, ids)) or not self._stand_alone(ids):
                continue
            made[field] = f"{first}{{ref}}"
            for row in self.rows:
                if row.get(field):
                    row[f"{field}/ref"] = row.pop(field)[len(first) :]
        return made

    def _stand_alone(self, ids: set[str]) -> bool:
        """Whether most of these are said by some field alone, as ids are."""
        for key in dict.fromkeys(key for row in self.rows for key in row):
            there = {said(row.get(key)) for row in self.rows}
            if 2 * len(ids & there) > len(ids) and len(there) == len(self.rows):
                return True
        return False

    def by_name(self, names: list[str] | None = None) -> Table:
        """This table with the names of its records as a field of theirs, called by `key`."""
        made = Table(self.at, self.nodes, self.names)
        made.fields = self.fields
        made.key = next(key for key in ("key", "name", "#key") if key not in self.fields)
        for row, name in zip(made.rows, names or self.names or (), strict=True):
            row[made.key] = name
        made.fields = [made.key, *self.fields]
        return made

    def column(self, field: str) -> list[Any]:
        """The values of a field, None where a record has none."""
        return [row.get(field) for row in self.rows]

    def texts(self, field: str) -> list[str]:
        """The values of a field that say something, as texts."""
        found = (said(value) for value in self.column(field))
        return [text for text in found if text]


def _embedded(nodes: list[Any]) -> list[str]:
    """The keys of records whose texts are mappings in JSON."""
    told: dict[str, int] = {}
    filled: dict[str, int] = {}
    for node in nodes if not any(map(is_element, nodes[:3])) else ():
        for key, value in node.items() if isinstance(node, dict) else ():
            if isinstance(value, str) and value:
                filled[key] = filled.get(key, 0) + 1
                if value[0] == "{":
                    told[key] = told.get(key, 0) + (_mapping_in(value) is not None)
    return [key for key, count in told.items() if count == filled[key] and "/" not in key]


def _opened(nodes: list[Any], embedded: list[str]) -> Iterator[Any]:
    """Records with their texts of JSON as what they say."""
    for node in nodes:
        held = [key for key in embedded if isinstance(node, dict) and _says(node.get(key))]
        yield {**node, **{key: _mapping_in(node[key]) for key in held}} if held else node


def _says(value: Any) -> bool:
    """Whether a value is a text that says something; elsewhere a mapping itself may stand there."""
    return isinstance(value, str) and bool(value)


def _mapping_in(text: str) -> Any:
    """The mapping that a text of JSON says; None for anything else."""
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, dict) else None


_NAME = re.compile(r"[A-Za-z_][\w.:@-]*")


def _children(node: Any, name: str) -> list[Any]:
    around, slash, name = name.rpartition("/")
    if slash:
        inner = [child for key, child in children_of(node) if key == around]
        return _children(inner[0], name) if len(inner) == 1 and len(inner[0]) == 1 else []
    if is_element(node):
        return [child for key, child in children_of(node) if key == name]
    held = node.get(name) if isinstance(node, dict) else None
    return held if isinstance(held, list) else []


def _is_no_list(node: Any, name: str) -> bool:
    """Whether a mapping holds something else than a list under a key."""
    held = node.get(name) if isinstance(node, dict) and not is_element(node) else None
    return held is not None and not isinstance(held, list)


def _pair(node: Any) -> tuple[str, str, str, Any] | None:
    """The names of a key and a value in a child that holds nothing else, and what they say."""
    if not isinstance(node, dict):
        return None
    if "#children" in node:
        return _pair_of_elements(node)
    if is_element(node):
        names = [key for key in node if key[:1] == "@"]
        if len(names) == 1 and "#text" in node:
            return names[0], "#text", node[names[0]], node["#text"]
        return None
    names = list(node)
    if (
        len(names) == 2
        and isinstance(node[names[0]], str)
        and not isinstance(node[names[1]], (dict, list))
    ):
        return names[0], names[1], node[names[0]], node[names[1]]
    return None


def _pair_of_elements(node: Any) -> tuple[str, str, str, Any] | None:
    """The names of two elements, one of which says a key and the other one its value."""
    inner = children_of(node)
    if len(node) != 1 or len(inner) != 2 or inner[0][0] == inner[1][0]:
        return None
    texts: list[str] = []
    for name, child in inner:
        if name == "#text" or not set(child) <= {"#text"}:
            return None
        texts.append(str(child.get("#text", "")).strip())
    (key, _), (value, _) = inner
    return f"{key}/#text", f"{value}/#text", texts[0], texts[1]


_REFERENCE = re.compile(r"([A-Za-z_][\w-]*[:!~|])[\w.-]+$")
_ID = re.compile(r"[\w.-]+")
"""A reference that says what it refers to, and an id."""


def is_language(word: str) -> bool:
    """Whether a word names a language, or that of a country: `en`, `nb-NO`."""
    language, _, country = word.replace("_", "-").partition("-")
    plain = not country or (country.isalpha() and len(country) in (2, 4))
    return language in LANGUAGES and plain


class _Inner:
    """Records below a record."""

    def __init__(self, nodes: list[Any]) -> None:
        self.nodes = nodes


def said(value: Any) -> str:
    """A single value as a text; empty for all that is none."""
    if isinstance(value, bool) or value is None or isinstance(value, (tuple, dict)):
        return ""
    if isinstance(value, (int, float)):
        return str(value)
    if isinstance(value, date):
        return value.isoformat()
    return value if isinstance(value, str) else ""


def is_element(node: Any) -> bool:
    """Whether a node is an element of XML."""
    return (
        isinstance(node, dict)
        and all(key[:1] in ("@", "#") for key in node)
        and ("#children" in node or "#text" in node or any(key[:1] == "@" for key in node))
    )


def _repeated(nodes: list[Any]) -> set[str]:
    """The names of elements that some record has several of."""
    found: set[str] = set()
    for node in nodes:
        names = [name for name, _ in children_of(node)] if isinstance(node, dict) else []
        found.update(name for name in names if names.count(name) > 1)
    return found


def _laid_out(node: Any, repeated: set[str], before: str = "", depth: int = 0) -> Iterator[Any]:
    if not isinstance(node, dict):
        return
    if is_element(node):
        yield from _of_element(node, repeated, before, depth)
        return
    for key, value in node.items():
        path = before + str(key)
        if isinstance(value, dict):
            if (
                value
                and all(map(is_language, value))
                and all(type(v) is str for v in value.values())
            ):
                if all(map(is_address, value.values())):
                    # A page for each language: that of the first one is the item's own.
                    yield from _laid_out(value, repeated, path + "/", depth + 1)
                else:
                    yield path, Words(value)
            elif value and all(isinstance(inner, dict) for inner in value.values()):
                yield path, _Inner(list(value.values()))
                if len(value) <= FEW and depth < 3:  # it may be a record of its own kind
                    yield from _laid_out(value, repeated, path + "/", depth + 1)
            elif depth < 3:
                yield from _laid_out(value, repeated, path + "/", depth + 1)
        elif isinstance(value, list):
            if not value or all(isinstance(inner, dict) for inner in value):
                yield path, _Inner(value)
            elif not any(isinstance(inner, (dict, list)) for inner in value):
                yield path, tuple(value)
        else:
            yield path, value


def _of_element(node: Any, repeated: set[str], before: str, depth: int) -> Iterator[Any]:
    groups: dict[str, list[Any]] = {}
    for key, value in node.items():
        if key[:1] == "@":
            yield before + key, value
        elif key == "#text" and isinstance(value, str) and value.strip():
            yield before + key, value.strip()
        elif key[:1] == "#" and isinstance(value, str) and key != "#text":
            yield before + key, value
    for name, child in children_of(node):
        if name != "#text":
            groups.setdefault(name, []).append(child)
    for name, children in groups.items():
        if len(children) > 1 or (name in repeated and not before):
            yield before + name, _Inner(children)
            continue
        (child,) = children
        inside = [key for key, _ in children_of(child) if key != "#text"]
        if inside:
            yield before + name, _Inner([child])
        if depth < 3:
            yield from _of_element(child, set(), f"{before}{name}/", depth + 1)


def tables(tree: Any, element: bool) -> list[Table]:
    """All lists of records of a document, from the root of its paths, wrappers looked through."""
    return list(_elements(tree, "", 0) if element else _mappings(tree, "", 0))


def rootless(table: Table) -> Iterator[Table]:
    """A table without the one record that is in no menu, as the root of a whole tree is not.

    All others say one of a few words in some field, and that one nothing; or all others name the
    record above them, and lead somewhere.
    """
    if table.names is not None or table.only or table.joins or len(table.rows) < 4:
        return
    for field in table.fields:
        values = table.column(field)
        empty = [n for n, value in enumerate(values) if value in ("", None)]
        if len(empty) != 1 or "/" in field:
            continue
        said = [value for value in values if value not in ("", None)]
        words = {value for value in said if type(value) is str}
        plain = all(type(value) is str for value in said)
        few = plain and 0 < len(words) <= len(values) / 4
        if not few and not _is_root(table, field, empty[0]):
            continue
        rest = [node for n, node in enumerate(table.nodes) if n != empty[0]]
        yield Table(table.at, rest, None, {field: "*"}, table.find)
        return


def _is_root(table: Table, field: str, at: int) -> bool:
    """Whether a record holds all others, each of which names the one above it, and leads nowhere.

    Most of the others do lead somewhere: it is the root of the tree, and no item.
    """
    named = [said(value) for n, value in enumerate(table.column(field)) if n != at]
    ids = [other for other in table.fields if other != field]
    known = any(
        len(set(texts)) == len(texts) == len(table.rows) and set(named) <= set(texts)
        for texts in (list(map(said, table.column(other))) for other in ids)
    )
    leads = [any(is_address(said(value)) for value in row.values()) for row in table.rows]
    called = any(_ROOTS.search(said(value)) for value in table.rows[at].values())
    return known and called and not leads[at] and 2 * sum(leads) > len(leads)


_ROOTS = re.compile(
    r"\b(root|wurzel|racine|ra[ií]z|radice|rot|wortel|menue?|menü|meny|nav|navigation)\b",
    re.IGNORECASE,
)
"""Words by which the root of a tree is called, which is no item."""


def named_lists(
    tree: Any, before: str = "", depth: int = 0
) -> Iterator[tuple[str, Table, list[int]]]:
    """Lists whose entries are called by their only key, as `- Sailings: /sailings`.

    Each with its path, its entries in reading order as `text` and `to`, and what each is below.
    """
    if not isinstance(tree, dict) or depth > DEEPEST:
        return
    for key, value in tree.items():
        if "/" in key:
            continue
        found = named_rows(value)
        if found is not None:
            yield before + key, Table(before + key, found[0]), found[1]
        yield from named_lists(value, f"{before}{key}/", depth + 1)


def named_rows(value: Any) -> tuple[list[Row], list[int]] | None:
    """The entries of such a list, and what each is below; None where it is another one."""
    if not isinstance(value, list) or not any(isinstance(one, dict) for one in value):
        return None
    rows: list[Row] = []
    parents: list[int] = []
    stack = [(one, -1) for one in value[::-1]]
    while stack:
        entry, above = stack.pop()
        name, held = next(iter(entry.items())) if _is_named(entry) else (None, entry)
        inside = held if isinstance(held, list) else []
        if not isinstance(held, str | list) and held is not None:
            return None
        rows.append({"text": name, "to": held if isinstance(held, str) else None})
        parents.append(above)
        at = len(rows) - 1
        stack += [(one, at) for one in inside[::-1]]
    named = sum(row["text"] is not None for row in rows)
    return (rows, parents) if named >= 0.6 * len(rows) else None


def _is_named(entry: Any) -> bool:
    return isinstance(entry, dict) and len(entry) == 1


def grids_in(tree: Any, before: str = "", depth: int = 0) -> Iterator[GridRule]:
    """The tables of a document whose rows are lists, wrappers looked through."""
    if not isinstance(tree, dict) or depth > DEEPEST:
        return
    for key, value in tree.items():
        if "/" in key:
            continue
        if isinstance(value, dict):
            yield from grids_in(value, f"{before}{key}/", depth + 1)
        rows = isinstance(value, list) and len(value) > 1
        if not rows or not all(isinstance(row, list) for row in value):
            continue
        if any(isinstance(cell, (dict, list)) for row in value for cell in row):
            continue
        widest = max(map(len, value))
        for other, names in tree.items():
            if other == key or "/" in other or not isinstance(names, list) or len(names) < widest:
                continue
            said_by = _column_name(names)
            if said_by is not None:
                yield GridRule(before + key, before + other, said_by or None)
                break
        else:
            head = value[0]
            if (
                all(isinstance(n, str) and n for n in head)
                and len(set(head)) == len(head) >= widest
            ):
                yield GridRule(before + key)


def _column_name(names: list[Any]) -> str | None:
    """The key of columns that says their names; empty where they are texts, None for no columns."""
    if all(isinstance(name, str) and name for name in names):
        return "" if len(set(names)) == len(names) else None
    if not names or not all(isinstance(name, dict) for name in names):
        return None
    for key in names[0]:
        held = [name.get(key) for name in names]
        if all(isinstance(n, str) and n for n in held) and len(set(held)) == len(held):
            return str(key)
    return None


def _mappings(node: Any, before: str, depth: int) -> Iterator[Table]:
    if not isinstance(node, dict) or depth > DEEPEST:
        return
    for key, value in node.items():
        if "/" in key:
            continue
        path = before + key
        if isinstance(value, list) and value and all(isinstance(inner, dict) for inner in value):
            yield from _kinds_of(path, value)
        elif isinstance(value, dict):
            if len(value) > 1 and all(isinstance(inner, dict) for inner in value.values()):
                yield Table(path, list(value.values()), list(value))
            if value and all(isinstance(inner, list) for inner in value.values()):
                wrapped = [{"#list": inner} for inner in value.values()]
                yield Table(path, wrapped, list(value))
            if is_element(value):  # of a file in XML, in a folder
                yield from _elements(value, path + "/", depth + 1)
            else:
                yield from _mappings(value, path + "/", depth + 1)


def _kinds_of(at: str, nodes: list[Any]) -> Iterator[Table]:
    """The tables of a list: one, or one for each kind of record, where a word tells these apart."""
    yield from _held_by_name(at, nodes)
    for field, first in nodes[0].items():
        if not isinstance(first, str) or "/" in field:
            continue
        kinds: dict[str, list[Any]] = {}
        for node in nodes:
            kind = node.get(field)
            if not isinstance(kind, str) or not kind or kind.endswith("*"):
                break
            kinds.setdefault(kind, []).append(node)
            if len(kinds) > MOST_KINDS:
                break
        else:
            if 1 < len(kinds) <= len(nodes) / 1.5 and _are_kinds(list(kinds.values())):
                for kind, some in kinds.items():
                    yield Table(at, some, None, {field: kind})
                return
    yield Table(at, nodes)


def _held_by_name(at: str, nodes: list[Any]) -> Iterator[Table]:
    """Tables that stand in the records of a list, each with its name: a whole database."""
    for key in dict.fromkeys(key for node in nodes for key in node):
        held = [node for node in nodes if isinstance(node.get(key), list) and node[key]]
        lists = [node[key] for node in held]
        if not held or not all(isinstance(one, dict) for rows in lists for one in rows):
            continue
        for field in dict.fromkeys(field for node in held for field in node):
            names = [node.get(field) for node in held]
            plain = all(isinstance(n, str) and _NAME.fullmatch(n) for n in names)
            if not plain or len(set(names)) < len(names):
                continue
            if sum(node.get(field) in names for node in nodes) > len(names):
                continue
            fields = [{key for row in rows for key in row} for rows in lists]
            every, common = set.union(*fields), set.intersection(*fields)
            if len(names) < 2 or len(common) > 0.5 * len(every):
                continue  # the same in all of them: these are menus with their items
            steps = "".join(f"['{step}']" for step in at.split("/"))
            for name, rows in zip(names, lists, strict=True):
                where = f"@['{field}'] == '{name}'"
                yield Table(at, rows, None, None, f"${steps}[?{where}]['{key}'][*]")
            return


def _kinds_of_elements(whole: Table) -> Iterator[Table]:
    """A table for each kind of record, where a word tells kinds with other fields apart."""
    if len(whole.nodes) < FEW or whole.fold is None:
        return
    for field in whole.fields:
        words = whole.column(field)
        plain = all(isinstance(word, str) and _NAME.fullmatch(word) for word in words)
        kinds = set(words) if plain else set()
        if not plain or not 1 < len(kinds) <= MOST_KINDS or 2 * len(kinds) > len(words):
            continue
        tables_ = []
        for kind in dict.fromkeys(words):
            some = [n for n, word in zip(whole.nodes, words, strict=True) if word == kind]
            tables_.append(Table(whole.at, some, None, {field: kind}))
        fields = [set(table.fields) for table in tables_]
        apart = any(
            len(one & other) < 0.75 * len(one | other)
            for at, one in enumerate(fields)
            for other in fields[:at]
        )
        if apart:
            yield from tables_
            return


def _are_kinds(groups: list[list[Any]]) -> bool:
    """Whether records of a group have the same keys, and those of some two groups others.

    Items of several kinds in one menu have most keys in common, or some have nothing else.
    """
    keys: list[set[str]] = []
    for group in groups:
        said_ = [{key for key, _ in _laid_out(node, set())} for node in group[:50]]
        every, common = set.union(*said_), set.intersection(*said_)
        if len(common) < 0.6 * len(every):
            return False
        keys.append(every)
    for n, a in enumerate(keys):
        for at, b in enumerate(keys[:n]):
            if len(a & b) >= 0.35 * len(a | b):
                continue
            if not (a <= b or b <= a) or _count_anew(groups[n], groups[at]):
                return True
    return False


def _count_anew(one: list[Any], other: list[Any]) -> bool:
    """Whether two groups have ids of their own: the same ones stand in both."""
    for key in one[0]:
        mine, theirs = [n.get(key) for n in one], [n.get(key) for n in other]
        if not all(type(value) in (int, str) for value in (*mine, *theirs)):
            continue
        unique = len(set(mine)) == len(mine) and len(set(theirs)) == len(theirs)
        if unique and set(mine) & set(theirs):
            return True
    return False


def _elements(node: Any, before: str, depth: int) -> Iterator[Table]:
    if depth > DEEPEST:
        return
    groups: dict[str, list[Any]] = {}
    for name, child in children_of(node):
        if name != "#text":
            groups.setdefault(name, []).append(child)
    for name, children in groups.items():
        whole = Table(before + name, children)
        yield from _kinds_of_elements(whole)
        yield whole
        if len(children) == 1:
            yield from _elements(children[0], f"{before}{name}/", depth + 1)
