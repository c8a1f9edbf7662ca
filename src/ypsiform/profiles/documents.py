"""Documents that may be in one of several containers, or spread over a folder.

What is not changed is written as it came, comments included.
"""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping
from contextlib import suppress
from datetime import date, datetime, time
from io import StringIO
from typing import Any, NamedTuple

from ..containers import container, sniff
from ..errors import AbsentError, FormatError
from .schema import FolderRule, Profile

FOLDER = "folder"
"""The form of a document that is spread over several files."""

ENDINGS = {"toml": "toml", "yaml": "yaml", "yml": "yaml", "json": "json"}
"""Containers by the endings of files."""

PAGES = "#pages"
"""The key under which the texts of a folder are listed; nothing is ever written there."""


class File(NamedTuple):
    """One file of a document: its name, its container, its bytes (empty: it is new), its tree."""

    name: str
    form: str
    data: bytes
    tree: Any


class Document(dict[str, Any]):
    """A document, and how it was written: its files by the key that each holds, "" for the whole.

    `named` gives for a key the other name that it had. `beside` are files that no rule names.
    """

    def __init__(self, tree: dict[str, Any]) -> None:
        super().__init__(tree)
        self.files: dict[str, File] = {}
        self.named: dict[str, str] = {}
        self.beside: MutableMapping[str, bytes] = {}
        self.spread = False


def load(data: bytes, file: str, profile: Profile) -> Any:
    """Bytes to a document; of a folder the zip of it. Raises `FormatError`."""
    if sniff(data, file) == "zip" and profile.folder is not None:
        return _of_folder(data, file, profile, profile.folder)
    form, tree = _read(data, file, [profile.container, *profile.also])
    if not isinstance(tree, dict):
        return tree
    document = _named(Document(tree), profile)
    document.files[""] = File(file, form, data, tree)
    return document


def _read(data: bytes, file: str, forms: list[str]) -> tuple[str, Any]:
    """The container that a document is in, and its tree. The error is that of the likeliest one."""
    if sniff(data, file) == "json" and "json" in forms:
        with suppress(FormatError):
            return "json", container("json").read(data, file)
    failed: dict[str, FormatError] = {}
    for form in forms:
        try:
            tree = container(form).read(data, file)
        except FormatError as error:
            failed[form] = error
        else:
            if isinstance(tree, dict):
                return form, tree
    lines = data.decode("utf-8", "replace").splitlines()
    said = [line.strip() for line in lines if line.strip() and not line.lstrip().startswith("#")]
    first = said[0] if said else ""
    mark = "json" if first[:1] == "{" else "toml" if "=" in first or first[:1] == "[" else "yaml"
    if failed:
        raise failed.get(mark) or next(iter(failed.values()))
    return forms[0], None


def _named(document: Document, profile: Profile) -> Document:
    """Give keys the names that the profile calls them by."""
    renamed = {o: name for o, name in profile.others.items() if o in document}
    renamed = {o: name for o, name in renamed.items() if name not in document}
    if renamed:
        pairs = [(renamed.get(key, key), value) for key, value in document.items()]
        document.clear()
        document.update(pairs)
        document.named = {name: other for other, name in renamed.items()}
    return document


# Folders


def _of_folder(data: bytes, file: str, profile: Profile, rule: FolderRule) -> Any:
    from ..containers.zip import unpack

    files = unpack(data, file)
    forms = [profile.container, *profile.also]
    document = Document({})
    document.spread = True
    stems = {"": rule.main, **{key: [] for key in rule.parts.values()}}
    for stem, key in rule.parts.items():
        stems[key].append(stem)
    for key, names in stems.items():
        found = _first(files, names, rule.within, forms)
        if found is None:
            continue
        form, tree = _read(files[found], f"{file.rstrip('/')}/{found}", [ENDINGS[_ending(found)]])
        if not isinstance(tree, dict):
            raise FormatError("it holds no mapping", file=f"{file.rstrip('/')}/{found}")
        document.files[key] = File(found, form, files.pop(found), tree)
        document.update({key: tree} if key else tree)
    if not document.files:
        looked = " or ".join(f"{name}.{forms[0]}" for name in [*rule.main, *rule.parts])
        places = ", ".join(folder or "the folder itself" for folder in rule.within)
        raise AbsentError(f"there is no {looked} in it (looked in {places})", file=file)
    document.beside = files
    _named(document, profile)
    for key in rule.parts.values():
        document.setdefault(key, {})
    if rule.pages is not None:
        texts = [name for name in files if _is_page(name, rule.pages)]
        document[PAGES] = [_page(name, files[name]) for name in texts]
        document[PAGES] = [page for page in document[PAGES] if page is not None]
    return document


def _ending(name: str) -> str:
    return name.rpartition(".")[2].lower()


def _first(
    files: Mapping[str, bytes], stems: list[str], within: list[str], forms: list[str]
) -> str | None:
    """The first file of one of these names, in one of these folders.

    One that names a language behind its name counts where it is the only one.
    """
    endings = [ending for ending, form in ENDINGS.items() if form in forms]
    for folder in within:
        start = folder + "/" if folder else ""
        for stem in stems:
            for ending in endings:
                if f"{start}{stem}.{ending}" in files:
                    return f"{start}{stem}.{ending}"
            spoken = [
                name
                for name in files
                if name.startswith(f"{start}{stem}.") and "/" not in name[len(start) :]
                if name.count(".") == start.count(".") + 2 and _ending(name) in endings
            ]
            if len(spoken) == 1:
                return spoken[0]
    return None


def _is_page(name: str, folder: str) -> bool:
    """Whether a file is a text in a folder of texts, in the site's first language."""
    inside, slash, rest = name.partition("/")
    stem, _, ending = rest.rpartition(".")
    return bool(inside == folder and slash and ending == "md") and "." not in stem.split("/")[-1]


def _page(name: str, data: bytes) -> dict[str, Any] | None:
    """The record of a text, from its name and from what stands at its head."""
    stem = name.partition("/")[2].rpartition(".")[0]
    head, tail = stem.rpartition("/")[::2]
    place = head if tail in ("_index", "index") else stem
    says = _head(data)
    if isinstance(says.get("slug"), str) and place:
        place = "/".join([*place.split("/")[:-1], says["slug"].strip("/")])
    if isinstance(says.get("url"), str):
        place = says["url"].strip("/")
    if not place:
        return None
    title = says.get("title")
    return {
        "name": f"/{place}",
        "path": f"/{place}/",
        "title": title if isinstance(title, str) else "",
        "draft": says.get("draft") is True,
    }


def _head(data: bytes) -> dict[str, Any]:
    """What a text says of itself before it begins, between lines of `---` or `+++`."""
    text = data[:65536].decode("utf-8", "replace").removeprefix("\ufeff").replace("\r\n", "\n")
    for mark, form in (("---", "yaml"), ("+++", "toml")):
        if text.startswith(mark + "\n"):
            head, end, _ = text[len(mark) :].partition(f"\n{mark}")
            with suppress(FormatError):
                found = container(form).read(head.encode(), "") if end and head.strip() else {}
                return found if isinstance(found, dict) else {}
    return {}


# Writing


def dump(tree: Any, profile: Profile, form: str | None) -> bytes:
    """A document to bytes: in a form, or in the one that it came in."""
    document = tree if isinstance(tree, Document) else Document(tree)
    whole = {key: value for key, value in document.items() if not key.startswith("#")}
    if form == FOLDER or (document.spread and form is None):
        return _as_folder(document, whole, profile)
    renamed = {document.named.get(key, key): value for key, value in whole.items()}
    old = document.files.get("")
    kind = form or (old.form if old else profile.container)
    before = old.data if old and old.form == kind and not document.spread else b""
    return _bytes(kind, renamed, before)


def adapted(value: Any, form: str) -> Any:
    """A value as a form of file can hold it: days and times as texts, where it has none of them.

    None where nothing is left of it: TOML cannot say that there is nothing.
    """
    if isinstance(value, dict):
        made = {key: adapted(held, form) for key, held in value.items()}
        if form == "toml":
            made = {key: held for key, held in made.items() if held is not None}
        return made if made != value else value
    if isinstance(value, list):
        listed = [adapted(held, form) for held in value]
        return listed if listed != value else value
    day = isinstance(value, date) and not isinstance(value, datetime)
    if isinstance(value, (date, time)) and (form == "json" or (form == "yaml" and not day)):
        return value.isoformat()
    return value


def becomes(tree: Any, settings: Mapping[str, str]) -> str | None:
    """The form that a document is written in, where it came in another one."""
    form = settings.get("form")
    if not isinstance(tree, Document) or form in (None, FOLDER):
        return None
    forms = {file.form for file in tree.files.values()}
    return form if forms - {form} else None


def _as_folder(document: Document, whole: dict[str, Any], profile: Profile) -> bytes:
    from ..containers.zip import pack

    rule = profile.folder
    assert rule is not None
    files = dict(document.files)
    form = next((file.form for file in files.values()), profile.container)
    where = next((folder + "/" for folder in rule.within if folder), "")
    if not files:
        for stem, key in rule.parts.items():
            if key not in files:
                files[key] = File(f"{where}{stem}.{form}", form, b"", {})
    rest = {key: value for key, value in whole.items() if key not in files}
    empty = all(value in (None, "", {}, []) for value in rest.values())
    if "" not in files and not empty:
        files[""] = File(f"{where}{rule.main[0]}.{form}", form, b"", {})
    made: dict[str, bytes] = {}
    for key, file in files.items():
        tree = whole.get(key, {}) if key else rest
        if not key:
            tree = {document.named.get(name, name): value for name, value in rest.items()}
        made[file.name] = _bytes(file.form, tree, file.data)
    return pack({**made, **document.beside})


def _bytes(form: str, tree: dict[str, Any], before: bytes) -> bytes:
    """A tree to bytes, by changing those that there were, so that comments stay."""
    module = container(form)
    if not before:
        tree = adapted(tree, form)
    if before:
        if module.read(before, "") == tree:
            return before
        with suppress(Exception):
            made = changed(form, tree, before.decode("utf-8-sig"))
            if made and module.read(made, "") == module.read(module.write(tree), ""):
                return made
    return module.write(tree)


def changed(form: str, tree: dict[str, Any], text: str) -> bytes:
    """A text of TOML or YAML that says what a tree says, its comments kept; else no bytes."""
    if form == "toml":
        import tomlkit

        document = tomlkit.parse(text)
        _merge(document, tree)
        return tomlkit.dumps(document).encode("utf-8")
    if form == "yaml":
        from ruamel.yaml import YAML

        writer = YAML(typ="rt", pure=True)
        writer.preserve_quotes = True
        writer.width = 100_000
        writer.indent(mapping=2, sequence=4, offset=2)
        node = writer.load(text)
        _merge(node, tree)
        out = StringIO()
        writer.dump(node, out)
        return out.getvalue().encode("utf-8")
    return b""


def _blank() -> Any:
    import tomlkit

    return tomlkit.nl()


def _merge(node: Any, tree: dict[str, Any]) -> None:
    """Make a parsed document say what a tree says, and touch nothing that is the same."""
    for key in [key for key in node if tree.get(key) is None]:
        del node[key]
    for key, value in tree.items():
        there = node.get(key)
        if value is None or there == value:
            continue
        if isinstance(value, dict) and isinstance(there, dict):
            _merge(there, value)
        else:
            node[key] = value
            made = node[key]
            if isinstance(value, list) and hasattr(made, "body"):  # tables of TOML
                made.body[-1].add(_blank())
