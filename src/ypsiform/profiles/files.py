"""Files of a platform as neutral trees, and trees as files, by what its profile says of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..containers import Shape, container
from ..errors import FormatError, RefusedError
from . import plugins
from .above import opened as with_uppers
from .each import Each, given, is_pattern, taken
from .gathered import closed as scattered
from .gathered import opened as gathered
from .grids import closed, opened
from .headed import closed as closed_heads
from .headed import opened as opened_heads
from .load import code_of
from .mixed import closed as closed_mixed
from .mixed import opened as opened_mixed
from .pairs import closed as closed_pairs
from .pairs import opened as opened_pairs
from .records import fits, plain
from .schema import FieldRule, FileRule, Profile
from .slugs import closed as without_addresses
from .slugs import opened as with_addresses
from .trees import LIST as LIST

SEVERAL = "files"
"""The container of profiles whose menus are spread over several files."""


def load_tree(
    data: bytes,
    file: str,
    profile: Profile,
    settings: Mapping[str, str] | None = None,
    nav: str | None = None,
) -> Any:
    """Bytes to the tree that a profile's paths walk. Those of several files are a zip.

    `settings`: the file was written by them. `nav`: the CSS selector of what is read of a page.
    """
    code = code_of(profile)
    if code is not None:
        return plugins.load(code, data, file)
    if profile.container == SEVERAL:
        folder = _load_files(data, file, profile)
        return _with_addresses(folder, profile, file)
    if profile.also:
        from .documents import load

        return load(data, file, profile)
    if profile.page is not None:
        from ..containers.page import read
        from .dressing import undress

        tree = read(data, file, profile.page.find, nav)
        return undress(tree, settings) if settings else tree
    tree = _load_one(data, file, profile, profile.container)
    if profile.container == "csv" and "safe" in profile.settings:
        from ..containers.csv import each, has_marks, unmarked

        tree = each(tree, unmarked) if has_marks(tree) else tree
    tree = opened_pairs(opened(tree, profile, file), profile, file)
    tree = gathered(opened_mixed(opened_heads(tree, profile), profile), profile)
    if profile.menus.alone:
        _gather(tree, profile)
    return _with_addresses(tree, profile, file)


def _with_addresses(tree: Any, profile: Profile, file: str) -> Any:
    """A document in which records say their addresses, or what they stand below by these."""
    if profile.slugs:
        tree = with_addresses(tree, profile, shape_of(profile), file)
    return with_uppers(tree, profile, shape_of(profile), file) if profile.above else tree


def _gather(tree: Any, profile: Profile) -> None:
    """Put the records that stand where menus do into one menu, where none of them is one."""
    menus, shape = profile.menus, shape_of(profile)
    root = shape.root(tree)
    path = tuple((menus.at or "").split("/"))
    records = [node for _, node in shape.records(root, path)]
    if not records or any(fits(shape, node, menus.only) for node in records):
        return
    menu = shape.new()
    for key, value in menus.alone.items():
        shape.put(menu, key, value)
    inside = (profile.items.tie.first or profile.items.tie.inside or "").split("/")
    shape.replace(menu, tuple(inside), records)
    shape.replace(root, path, [menu])


def _load_one(data: bytes, file: str, profile: Profile, kind: str) -> Any:
    tree = container(kind).read(data, file)
    if profile.namespaces and kind == "xml":
        from ..containers.namespaces import with_prefixes

        tree = with_prefixes(tree, profile.namespaces, file)
    return {LIST: tree} if isinstance(tree, list) else tree


def _load_files(data: bytes, file: str, profile: Profile) -> Any:
    from ..containers.files import Folder, marked
    from ..containers.zip import unpack

    others = unpack(data, file)
    trees: dict[str, Any] = {}
    for name, rule in profile.files.items():
        if is_pattern(rule.name):
            trees[name] = taken(others, rule, file, profile)
            continue
        if rule.name not in others:
            raise FormatError(f"there is no file {rule.name!r} in it", file=file)
        if not others[rule.name]:
            raise FormatError("the file is empty", file=f"{file}/{rule.name}")
        made = _load_one(others.pop(rule.name), f"{file}/{rule.name}", profile, rule.container)
        trees[name] = marked(made) if container(rule.container).SHAPE.ALWAYS_TEXT else made
    folder = Folder(trees, others)
    shapes = shape_of(profile)
    for name, tree in trees.items():
        folder[name] = tree if isinstance(tree, Each) else shapes.of(name).root(tree)
    return folder


def dump_tree(tree: Any, profile: Profile, settings: Mapping[str, str] | None = None) -> bytes:
    """A tree to bytes, with the settings of its profile.

    Raises `RefusedError` where something in it cannot be written in the form of its file.
    """
    try:
        return _dumped(tree, profile, settings)
    except (UnicodeError, ValueError, TypeError, OverflowError) as error:
        reason = str(error).splitlines()[0] if str(error) else type(error).__name__
        if isinstance(error, UnicodeEncodeError):
            reason = f"half a character, {error.object[error.start]!a}"
        raise RefusedError(f"something in it cannot be written in this form: {reason}") from None


def _dumped(tree: Any, profile: Profile, settings: Mapping[str, str] | None) -> bytes:
    code = code_of(profile)
    if code is not None:
        return plugins.dump(code, tree)
    if profile.also:
        from .documents import dump

        return dump(tree, profile, (settings or {}).get("form") or None)
    if profile.page is not None and settings:
        from .dressing import dress

        tree = dress(tree, settings)
    if profile.container == "csv" and "safe" in profile.settings:
        from ..containers.csv import each, has_marks, marked

        # Marks that stand in the table by themselves would be left out where it is read.
        asked = (settings or {}).get("safe") == "yes"
        tree = each(tree, marked) if asked or has_marks(tree) else tree
    tree = without_addresses(tree, profile, shape_of(profile)) if profile.slugs else tree
    if profile.container != SEVERAL:
        tree = closed_heads(closed_mixed(scattered(tree, profile), profile), profile)
        tree = closed(closed_pairs(tree, profile), profile)
        return _dump_one(tree, profile, profile.container)
    from ..containers.zip import pack

    files: dict[str, bytes] = {}
    for name, rule in profile.files.items():
        if is_pattern(rule.name):
            files |= given(tree[name], tree.trees[name], rule)
            continue
        whole = container(rule.container).SHAPE.ALWAYS_TEXT
        made = tree.trees[name] if whole else tree[name]
        files[rule.name] = _dump_one(made, profile, rule.container)
    return pack({**files, **tree.others})


def _dump_one(tree: Any, profile: Profile, kind: str) -> bytes:
    if profile.namespaces and kind == "xml":
        from ..containers.namespaces import declared

        tree = declared(tree, profile.namespaces)
    if isinstance(tree, dict) and LIST in tree:
        tree = tree[LIST]
    return container(kind).write(tree)


def shape_of(profile: Profile) -> Shape:
    """How to walk and build the trees of a profile."""
    if profile.container != SEVERAL:
        return container(profile.container).SHAPE
    return shape_of_files(profile.files)


def shape_of_files(rules: Mapping[str, FileRule]) -> Shape:
    """How to walk and build the tree of several files, each by its own container."""
    from ..containers.files import MARKED, FilesShape

    shapes = {name: container(rule.container).SHAPE for name, rule in rules.items()}
    return FilesShape({n: MARKED if s.ALWAYS_TEXT else s for n, s in shapes.items()})


def settled(profile: Profile, at: str | None, rule: str | FieldRule | None, text: str) -> str:
    """A text as it will be read again from the field of a record at a path."""
    if rule is None or not plain(rule).at.endswith("#text"):
        return text
    return shape_of(profile).of(at or "").settled(text)


def new_tree(profile: Profile) -> Any:
    """An empty document of a platform."""
    if profile.container != SEVERAL:
        return _new(profile, profile.container, profile.recognise.root, profile.recognise.columns)
    from ..containers.files import Folder, marked

    trees: dict[str, Any] = {}
    for name, rule in profile.files.items():
        if is_pattern(rule.name):
            trees[name] = Each([])
            continue
        made = _new(profile, rule.container, rule.root, rule.columns)
        trees[name] = marked(made) if rule.root is not None else made
    folder = Folder(trees, {})
    for name, tree in trees.items():
        own = isinstance(tree, Each)
        folder[name] = tree if own else shape_of(profile).of(name).root(tree)
    return folder


def _new(profile: Profile, kind: str, root: str | None, columns: list[str]) -> Any:
    shape = container(kind).SHAPE
    node = shape.new()
    if kind == "xlsx":
        shape.put(node, "#columns", {profile.items.at: list(columns)})
    elif columns:
        shape.put(node, "columns", list(columns))
    if kind == "sqlite":
        for sql in profile.recognise.tables:
            name = sql.split("(")[0].split()[-1]
            shape.put(node, name, [])
            node.setdefault("#schema", []).append({"type": "table", "name": name, "sql": sql})
    if kind == "html":
        made = {"#children": [("html", node)]}
        return made if profile.page is not None else {**made, "#whole": True}
    if root is not None:
        top = shape.new()
        shape.put(top, root, node)
        return top
    return node


def unwritable(profile: Profile) -> Any:
    """The pattern of characters that files of a platform cannot hold, None where there are none."""
    return container("yaml" if profile.container == SEVERAL else profile.container).UNWRITABLE
