"""Records that have a file each: all files of a folder that a pattern finds are one list.

A record is what its file holds, and where a rule names them: `#file`, its name in the folder;
`#path`, the part of it that the pattern leaves open as a path from the root (`/about/team` of
`pages/about/team.md`, and `/about/` of `pages/about/index.md`); `#stem`, the name alone, without
folder and ending; `#above`, the path of the file in whose folder it stands (read only).

A record that is written goes to the file that it came from; a new one to the file that these keys
name, or that is called by the key `named`.
"""

from __future__ import annotations

import re
from collections.abc import Collection, MutableMapping, Sequence
from contextlib import suppress
from typing import Any, NamedTuple

from msgspec import json

from ..containers import BODY, FORMATS, container
from ..errors import AbsentError, FormatError, RefusedError
from .documents import changed
from .records import plain
from .schema import FileRule, Profile
from .trees import ABOVE, FILE, LIST, PATH, STEM


class Held(NamedTuple):
    """A file that holds a record: its name in the folder, its bytes, the name of its root element.

    `record` is what it held, as it was read.
    """

    name: str
    data: bytes
    root: str | None
    record: Any


class Each(list[Any]):
    """The records of files, and these files. `idents` are keys by which a record is known."""

    def __init__(self, held: Sequence[Held], idents: Collection[str] = ()) -> None:
        super().__init__(one.record for one in held)
        self.held, self.idents = held, idents


def is_pattern(name: str) -> bool:
    """Whether the name of a file stands for several."""
    return "*" in name


def pattern_of(name: str) -> re.Pattern[str]:
    """What the names of files match: `*` is any name, `**/` any folders or none."""
    made = re.escape(name).replace(r"\*\*/", "(?:.+/)?").replace(r"\*", "[^/]+")
    return re.compile(made)


def path_of(name: str, pattern: str) -> str:
    """The part of a file's name that a pattern leaves open, as a path from the root."""
    head, tail = pattern[: pattern.index("*")], pattern[pattern.rindex("*") + 1 :]
    path = name[len(head) :].removesuffix(tail)
    above, _, last = path.rpartition("/")
    if last in ("index", "_index"):
        return f"/{above}/" if above else "/"
    return f"/{path}"


def stem_of(name: str) -> str:
    """The name of a file without folder and ending."""
    last = name.rpartition("/")[2]
    return last.rpartition(".")[0] or last


def _says(name: str, pattern: str) -> dict[str, str]:
    """What the name of a file says, by the keys that a rule can name."""
    return {FILE: name, PATH: path_of(name, pattern), STEM: stem_of(name)}


def above_each(paths: Sequence[str]) -> list[str]:
    """For each path the longest other one that it lies below; empty where there is none."""
    known = {path.strip("/"): path for path in paths if path != "/"}
    made: list[str] = []
    for path in paths:
        way = path.strip("/")
        while way and (way := way.rpartition("/")[0]) not in known:
            pass
        made.append(known.get(way, ""))
    return made


def taken(files: MutableMapping[str, bytes], rule: FileRule, file: str, profile: Profile) -> Each:
    """The records of all files that a rule names, in the order of the zip; they leave `files`.

    Raises `AbsentError` where there is none, and `FormatError` for one that cannot be read.
    """
    from ..containers.files import marked

    wanted = pattern_of(rule.name)
    names = [name for name in files if wanted.fullmatch(name)]
    if rule.container == "front":
        # A text with nothing above it is no record, and stays with the other files of the folder.
        bare = {name for name in names if files[name] and not _has_front(files[name])}
        names = [name for name in names if name not in bare] or names
    if not names:
        raise AbsentError(f"there is no file {rule.name!r} in it", file=file)
    said = json.encode(profile).decode()
    keys = [key for key in (FILE, PATH, STEM) if key in said]
    held: list[Held] = []
    for name in names:
        data, place = files.pop(name), f"{file.rstrip('/')}/{name}"
        if not data:
            raise FormatError("the file is empty", file=place)
        tree = container(rule.container).read(data, place)
        root: str | None = None
        if FORMATS[rule.container].elements:
            root, tree = marked(tree)["#children"][0]
        elif isinstance(tree, list):
            tree = {LIST: tree}
        if not isinstance(tree, dict):
            raise FormatError("it holds a single value, and no record", file=place)
        told = _says(name, rule.name)
        tree.update((key, told[key]) for key in keys)
        held.append(Held(name, data, root, tree))
    if f'"{ABOVE}"' in said:
        above = above_each([path_of(one.name, rule.name) for one in held])
        for one, path in zip(held, above, strict=True):
            one.record[ABOVE] = path
    return Each(held, _idents(profile))


def _has_front(data: bytes) -> bool:
    from ..containers.front import parts_of  # with all of YAML

    try:
        return parts_of(data.decode("utf-8-sig")) is not None
    except UnicodeDecodeError:
        return True  # its reader says what is wrong with it


def _idents(profile: Profile) -> list[str]:
    """The keys by which records are known: ids of items, menus and contents."""
    fields = [profile.menus.fields, *(content.fields for content in profile.content)]
    rules = [some[name] for some in fields for name in ("id", "key") if name in some]
    tie = profile.items.tie
    return [key for key in (tie.id, *(plain(rule).at for rule in rules)) if key]


def given(records: list[Any], before: Each, rule: FileRule) -> dict[str, bytes]:
    """The files that records are written to: those that they stood in `before`, or new ones.

    Raises `RefusedError` where two records would stand in one file.
    """
    known = {id(one.record): one for one in before.held}
    by: dict[tuple[str, str], Held] = {}
    for one in before.held:
        for key in (*before.idents, PATH, STEM):
            if key in one.record:
                by.setdefault((key, str(one.record[key])), one)
    made: dict[str, bytes] = {}
    for number, record in enumerate(records, 1):
        keys = [key for key in (PATH, STEM, *before.idents) if key in record]
        same = known.get(id(record)) or next(
            (by[key, str(record[key])] for key in keys if (key, str(record[key])) in by), None
        )
        name = str(record.get(FILE) or "") or (same.name if same is not None else "")
        if not name or _moved(record, name, rule):
            name = _new_name(record, rule, number)
        if not pattern_of(rule.name).fullmatch(name) or {"..", ".", ""} & set(name.split("/")):
            raise RefusedError(f"{name!r} is no name for a file of {rule.name!r}")
        if name in made:
            raise RefusedError(f"two records would be written to one file, {name!r}")
        tree = {key: value for key, value in record.items() if key not in (FILE, PATH, STEM, ABOVE)}
        made[name] = _bytes(tree, rule, same)
    gone = [one for one in before.held if one.name not in made]
    texts = [one.name for one in gone if one.record.get(BODY)]
    if texts:
        more = f" and {len(texts) - 1} more" if len(texts) > 1 else ""
        raise RefusedError(
            f"{texts[0]}{more} would be removed, with the text of a page below the keys of the "
            "menu: a page cannot leave a menu by this profile, since its file is its record; take "
            "the keys of the menu out of these files first, and convert again"
        )
    return made


def _moved(record: Any, name: str, rule: FileRule) -> bool:
    """Whether a record says that it stands in another file."""
    told = _says(name, rule.name)
    return any(record.get(key) not in (None, told[key]) for key in (PATH, STEM))


def _new_name(record: Any, rule: FileRule, number: int) -> str:
    """The file of a record that says its path, or is called by the key `named`."""
    path = record.get(PATH) or record.get(STEM)
    if path is None:
        said = record.get(rule.named) if rule.named else None
        words = re.findall(r"\w+", str(said).lower()) if said is not None else []
        path = "-".join(words) or f"record-{number}"
    path = str(path).removeprefix("/")
    path = f"{path}index" if path.endswith("/") or not path else path
    head, tail = rule.name[: rule.name.index("*")], rule.name[rule.name.rindex("*") + 1 :]
    return f"{head}{path}{tail}"


def _bytes(tree: Any, rule: FileRule, before: Held | None) -> bytes:
    """A record to bytes; one that is as it was gives the bytes that it came from."""
    module = container(rule.container)
    if FORMATS[rule.container].elements:
        root = before.root if before is not None and before.root else rule.root or "record"
        tree = {"#children": [(root, tree)]}
    elif set(tree) == {LIST}:
        tree = tree[LIST]
    if before is None:
        return module.write(tree)
    if module.read(before.data, before.name) == tree:
        return before.data
    if rule.container == "front":
        with suppress(Exception):
            made = _changed(tree, before.data)
            if module.read(made, "") == module.read(module.write(tree), ""):
                return made
    return module.write(tree)


def _changed(tree: Any, before: bytes) -> bytes:
    """An earlier text with front matter, changed where it says something else."""
    from ..containers.front import parts_of  # with all of YAML

    parts = parts_of(before.decode("utf-8-sig"))
    assert parts is not None
    head = {key: value for key, value in tree.items() if key != BODY}
    said = changed(parts.form, head, parts.head).decode("utf-8")
    line = parts.rest.partition("\n")[0]
    return f"{parts.mark}{said}{line}\n{tree.get(BODY, '')}".encode()
