"""Which platform a file is from, found from its content."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from .containers import FORMATS, container, sniff, start_of
from .errors import AbsentError, FormatError, UnknownError
from .profiles.documents import Document
from .profiles.files import LIST, SEVERAL, load_tree
from .profiles.load import code_of, coded, every, find
from .profiles.plugins import reads
from .profiles.schema import Profile


class Opened(NamedTuple):
    """A file as a neutral tree, with the profile to read it by and the theme that was asked for."""

    tree: Any
    profile: Profile
    theme: str | None
    file: str


def fits(tree: Any, profile: Profile, *, sure: bool = False) -> bool:
    """Whether a tree is what a profile says its files look like.

    `sure`: nobody named the platform, so that it must be told from others.
    """
    if profile.container == SEVERAL:
        return True  # its files were found by their names
    if profile.recognise.root is not None:
        if not (isinstance(tree, dict) and tree.get("#children")):
            return False
        name: str = tree["#children"][0][0]
        return name == profile.recognise.root
    if profile.recognise.columns:
        if profile.container == "xlsx":
            heads = tree.get("#columns", {}).values()
            return any(set(profile.recognise.columns) <= set(head) for head in heads)
        columns = tree.get("columns") if isinstance(tree, dict) else None
        return isinstance(columns, list) and set(profile.recognise.columns) <= set(columns)
    keys = [*profile.recognise.keys, *(profile.recognise.sure if sure else ())]
    if isinstance(tree, Document) and tree.spread:
        return True  # its files were found by their names
    return isinstance(tree, dict) and all(key in tree for key in keys)


def seen(tree: Any) -> str:
    """What a tree looks like, in a few words."""
    if isinstance(tree, dict) and "#children" in tree:
        return f"its root element is <{tree['#children'][0][0]}>"
    if isinstance(tree, dict) and isinstance(tree.get("columns"), list):
        return "its columns are: " + ", ".join(map(str, tree["columns"][:8]))
    if isinstance(tree, dict) and LIST in tree:
        return "it is a list"
    if isinstance(tree, dict):
        keys = ", ".join(key for key in list(tree)[:7] if key[:1] != "#")
        return f"its keys are: {keys}" if keys else "it is an empty mapping"
    return "it is a list" if isinstance(tree, list) else "it is a single value"


def wanted(profile: Profile) -> str:
    """What a profile's files look like, in a few words."""
    if profile.container == SEVERAL:
        names = " and ".join(rule.name for rule in profile.files.values())
        return f"a folder or zip with {names}"
    if profile.recognise.root is not None:
        return f"the root element <{profile.recognise.root}>"
    if profile.recognise.columns:
        return "the columns " + ", ".join(profile.recognise.columns)
    what = "table" if profile.container == "sqlite" else "key"
    keys = [*profile.recognise.keys, *profile.recognise.sure]
    return f"the {what} " + ", ".join(repr(key) for key in keys)


def named(container_: str) -> str:
    """A container in words."""
    if container_ not in FORMATS:
        return {"zip": "a zip"}.get(container_, container_.upper())
    return FORMATS[container_].brief or FORMATS[container_].words


_PAGE = re.compile(rb"<!doctype\s+html|<(html|head|body|header|nav|main|ul|div)[\s>]", re.I)


def open_tree(
    data: bytes, file: str, platform: str | Profile | None, nav: str | None = None
) -> Opened:
    """Read a file by the platform named, or by the one that its content shows.

    `nav` is the CSS selector of what is read of a page.
    """
    kind = sniff(data, file)
    opened = _opened(data, file, platform, kind, nav)
    if nav is not None and opened.profile.page is None:
        raise FormatError(
            f"--nav names a part of a page, and this is an export of {opened.profile.id}", file=file
        )
    return opened


def _opened(
    data: bytes, file: str, platform: str | Profile | None, kind: str, nav: str | None
) -> Opened:
    if platform is not None:
        named_ = platform if isinstance(platform, Profile) else None
        profile, theme = (named_, None) if named_ is not None else find(str(platform))
        code = code_of(profile)
        if code is not None and not reads(code, data):
            raise FormatError(f"this is not a file of {profile.id}", file=file)
        told = FORMATS[profile.container].looks or profile.container
        folder = kind == "zip" and profile.folder is not None
        if code is None and kind != told and not folder and not (told == "text" and kind == "json"):
            what = (
                f"it starts with {start_of(data)}" if kind == "text" else f"this is {named(kind)}"
            )
            raise FormatError(
                f"{what}, but files of {profile.id} are {named(profile.container)}", file=file
            )
        tree = load_tree(data, file, profile, nav=nav)
        if not fits(tree, profile):
            raise FormatError(
                f"this is not a file of {profile.id}: {seen(tree)}, "
                f"and {wanted(profile)} is needed",
                file=file,
            )
        return Opened(tree, profile, theme, file)
    return _told(data, file, kind, nav)


def _told(data: bytes, file: str, kind: str, nav: str | None) -> Opened:
    """Find the platform from the content alone."""
    # Every profile is asked: the signs that cost nothing come first, and a container is read once
    # for all profiles that read it alike.
    found: list[Opened] = []
    first: Any = None
    trees: dict[str, Any] = {}
    failed: FormatError | None = None
    containers = tuple(name for name, held in FORMATS.items() if (held.looks or name) == kind)
    for profile in _candidates(data, containers):
        code = code_of(profile)
        if kind == "text" and code is None and not _glimpsed(data, profile):
            continue
        if profile.container == "xml" and not _has_root(data, profile):
            continue
        if profile.container == "html" and not _is_html(data):
            continue
        try:
            as_read = (profile.namespaces, profile.menus.alone)
            odd = profile.also or profile.grids or profile.mixed or profile.gathered
            own = profile.id if odd or code is not None else ""
            key = f"{profile.container} {as_read} {own}"
            if key not in trees:
                trees[key] = load_tree(data, file, profile, nav=nav)
        except AbsentError:
            continue
        except FormatError as error:
            failed = failed or error
            continue
        tree = trees[key]
        first = tree if first is None else first
        if fits(tree, profile, sure=True):
            found.append(Opened(tree, profile, None, file))
    if len(found) == 1:
        return found[0]
    known = said_of(data, []) if not found else None
    if known is not None:
        raise FormatError(f"this is {known}", file=file)
    if not found and failed is not None:
        raise failed
    if not found and first is None and kind not in ("text", "zip"):
        first = container(kind).read(data, file)
    if found:
        names = ", ".join(opened.profile.id for opened in found)
        raise FormatError(
            f"cannot tell which platform this file comes from: it could be {names}. "
            "Name it with --from",
            file=file,
        )
    what = seen(first) if first is not None else f"it starts with {start_of(data)}"
    inside: list[str] = []
    if kind == "zip":
        from .containers.zip import unpack

        inside = list(unpack(data, file))
        what = "it holds " + (", ".join(inside[:8]) or "no files")
    known = said_of(data, inside)
    if known is not None:  # by what is in it
        raise FormatError(f"this is {known}", file=file)
    raise UnknownError(
        f"cannot tell which platform this file comes from: {what}. Name the platform with --from "
        "(`ypsiform platforms` lists them), or describe it: "
        f"ypsiform profile new {file} -o my.toml",
        file=file,
    )


_STARTS = (
    (b"%PDF", "a PDF document; an export of menus is data, as JSON, XML or a table"),
    (b"\x89PNG", "a picture; an export of menus is data, as JSON, XML or a table"),
    (b"\xff\xd8\xff", "a picture; an export of menus is data, as JSON, XML or a table"),
    (b"GIF8", "a picture; an export of menus is data, as JSON, XML or a table"),
    (b"\x1f\x8b", "a compressed file; unpack it, and name the file that is in it"),
    (b"PAR1", "a Parquet table; save it as CSV"),
    (b"\xd0\xcf\x11\xe0", "an old spreadsheet or document; save it as CSV"),
    (b"<?php", "a program in PHP; have it print its menus as JSON"),
)
_PROGRAM = re.compile(
    rb"\s*(?:(?://[^\n]*\n|/\*.*?\*/)\s*)*+(?:export\s+(?:default|const|let)\b|module\.exports\b"
    rb"|(?:const|let|var|function|import)\s+[\w{*$])",
    re.DOTALL,
)
_COMMENTED = re.compile(rb"\s*(?:(?://[^\n]*\n|/\*.*?\*/)\s*)++[\[{]", re.DOTALL)
"""How a program in JavaScript starts, and JSON with comments above it."""


def said_of(data: bytes, names: list[str]) -> str | None:
    """What a file is that can hold no export as it stands, and what to do; None of others."""
    for start, words in _STARTS:
        if data.startswith(start):
            return words
    if _PROGRAM.match(data, 0, 4096):
        return "a program in JavaScript; have it print its menus as JSON"
    if _COMMENTED.match(data, 0, 4096):
        return "JSON with comments, which JSON does not have; take them out, and commas before a }"
    if "word/document.xml" in names:
        return "a text document; an export of menus is data, as JSON, XML or a table"
    return None


_ROOT = re.compile(
    rb"(?:\xef\xbb\xbf)?(?:\s++|<\?.*?\?>|<!--.*?-->)*+<(?:[\w.-]+:)?([\w.-]+)", re.DOTALL
)


def _has_root(data: bytes, profile: Profile) -> bool:
    """Whether XML may be of a profile, by its root element; reading it would cost more."""
    found = _ROOT.match(data, 0, 4096)
    name = (profile.recognise.root or "").rpartition(":")[2]
    return found is None or found[1] == name.encode()


def _candidates(data: bytes, containers: tuple[str, ...]) -> Iterator[Profile]:
    """The platforms whose files are in these containers, or are read by a plug-in that fits."""
    yield from (profile for profile in every(containers) if code_of(profile) is None)
    for profile in coded():
        code = code_of(profile)
        if code is not None and reads(code, data):
            yield profile


def _is_html(data: bytes) -> bool:
    """Whether a text may be HTML: elements in a `nav` can be those of any XML as well."""
    if not _PAGE.search(data[:2048]):
        return False
    root = _ROOT.match(data[:2048])
    if root is not None and root[1].lower() not in (*_OF_PAGES, b"nav", b"ul"):
        return False  # it declares itself as XML, and its root is of something else
    tags = {tag.lower() for tag in _TAG.findall(data[:20_000])}
    return not tags.isdisjoint(_OF_PAGES) or tags <= {b"nav", b"ul"} or b"<!" in data[:2048]


_TAG = re.compile(rb"<([A-Za-z][\w:.-]*)")
_ROOT = re.compile(
    rb"(?:\xef\xbb\xbf)?\s*<\?xml[^>]*>\s*(?:<!--.*?-->\s*)*<([A-Za-z][\w:.-]*)", re.DOTALL
)
_OF_PAGES = frozenset((b"html", b"head", b"body", b"header", b"main", b"div", b"a", b"li", b"span"))


def _glimpsed(data: bytes, profile: Profile) -> bool:
    """Whether a text may be of a profile, by a look at its lines; reading it would cost more."""
    rule = profile.recognise
    if rule.columns:
        above, _, rest = data.partition(b"\n")
        if above[:4].lower() == b"sep=":
            above = rest.partition(b"\n")[0]
        header = above.decode("utf-8", "replace")
        return all(column in header for column in rule.columns)
    names = {key: [key] for key in (*rule.keys, *rule.sure)}
    for other, key in profile.others.items():
        names.get(key, []).append(other)
    return all(
        re.search(
            rb"^[\['\"\xef\xbb\xbf]*(" + b"|".join(re.escape(n.encode()) for n in said) + b")",
            data,
            re.MULTILINE,
        )
        for said in names.values()
    )
