"""Finding, reading and checking profiles."""

from __future__ import annotations

import difflib
import re
import tomllib
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path

import msgspec
from msgspec import Struct

from ..errors import ProfileError
from . import schema
from .codecs import chain
from .schema import STRUCTURES, FieldRule, FieldRules, Profile

_SHIPPED = Path(__file__).parent / "platforms"


@lru_cache(maxsize=1)
def shipped() -> tuple[str, ...]:
    """The ids of the profiles that ship, sorted."""
    return tuple(
        sorted(entry.name[:-5] for entry in _SHIPPED.iterdir() if entry.name.endswith(".toml"))
    )


def every(containers: tuple[str, ...] = ()) -> Iterator[Profile]:
    """All profiles that ship; of these containers only, where some are given."""
    for name in shipped():
        # The line that names the container is looked for first: reading a whole profile costs more.
        if not containers or _container(name) in containers:
            yield load(name)


@lru_cache(maxsize=64)
def _container(name: str) -> str:
    found = re.search(
        r'^container = "(\w+)"', (_SHIPPED / f"{name}.toml").read_text("utf-8"), re.MULTILINE
    )
    return found[1] if found else ""


def split_platform(words: str) -> tuple[str, str | None]:
    """`platform/theme` as a profile's name and a theme. A path of a profile file may have both."""
    if words in shipped():
        return words, None
    head, slash, tail = words.rpartition("/")
    if slash and (head in shipped() or head.endswith(".toml")):
        return head, tail or None
    if slash and not words.endswith(".toml"):
        return head, tail
    return words, None


def find(words: str) -> tuple[Profile, str | None]:
    """The profile and the theme that `platform/theme` names; the theme is known to the profile."""
    name, theme = split_platform(words)
    profile = load(name)
    profile.require_theme(theme)
    return profile, theme


@lru_cache(maxsize=32)
def load(name: str) -> Profile:
    """The profile with this id, or in the file with this path.

    Raises `ProfileError` with the line and what was expected.
    """
    if name in shipped():
        return _parse((_SHIPPED / f"{name}.toml").read_text("utf-8"), f"{name}.toml")
    if name.endswith(".toml"):
        path = Path(name)
        try:
            return _parse(path.read_text("utf-8"), name)
        except OSError as error:
            raise ProfileError(f"the profile cannot be read: {error.strerror}", file=name) from None
        except UnicodeDecodeError:
            raise ProfileError("the profile is not UTF-8", file=name) from None
    near = difflib.get_close_matches(name, shipped(), 1)
    hint = f"did you mean {near[0]}? There are" if near else "there are"
    raise ProfileError(f"there is no platform {name!r}; {hint}: {', '.join(shipped())}")


def _parse(text: str, file: str) -> Profile:
    try:
        tree = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise ProfileError(f"this is not TOML: {error}", file=file) from None
    try:
        profile = msgspec.convert(tree, Profile)
    except msgspec.ValidationError as error:
        message, _, path = str(error).partition(" - at ")
        message += _nearest(message)
        raise ProfileError(
            message[0].lower() + message[1:],
            file=file,
            place=_line(text, path.strip("`$")) if path else "",
        ) from None
    if profile.profile != 1:
        raise ProfileError(
            f"found profile = {profile.profile}, but this version reads profile = 1", file=file
        )
    _check_tie(profile, text, file)
    rules: list[tuple[str, FieldRules]] = [
        ("site", profile.site.fields),
        ("menus", profile.menus.fields),
        ("locations", profile.locations.fields),
        ("items", profile.items.fields),
        *(("content", content.fields) for content in profile.content),
    ]
    for section, fields in rules:
        for name, rule in fields.items():
            if isinstance(rule, FieldRule):
                chain(rule.through, f"{file}, {section}.fields.{name}")
    return profile


def _nearest(message: str) -> str:
    """A name of the language that comes close to an unknown one."""
    unknown = re.search(r"unknown field `([^`]*)`", message)
    if unknown is None:
        return ""
    near = difflib.get_close_matches(unknown[1], names(), 1)
    return f"; did you mean `{near[0]}`?" if near else ""


def names() -> list[str]:
    """Every name of the profile language, sorted."""
    structs = [s for s in vars(schema).values() if isinstance(s, type) and issubclass(s, Struct)]
    return sorted({field for struct in structs for field in struct.__struct_encode_fields__})


def _check_tie(profile: Profile, text: str, file: str) -> None:
    """What the structure of items needs must be named."""
    tie = profile.items.tie
    place = _line(text, ".items.tie.structure")
    if tie.structure not in STRUCTURES:
        near = difflib.get_close_matches(tie.structure, STRUCTURES, 1)
        hint = f"; did you mean {near[0]}?" if near else ""
        raise ProfileError(
            f"found structure {tie.structure!r}{hint} Expected one of: {', '.join(STRUCTURES)}",
            file=file,
            place=place,
        )
    needs = {
        "parent": ("id", "under"),
        "nested": ("inside",),
        "outline": ("number",),
        "level": ("number",),
        "lineage": ("id", "number"),
        "labels": ("number",),
        "listed": ("id", "inside"),
        "pages": (),
    }[tie.structure]
    missing = [name for name in needs if not getattr(tie, name)]
    listed = profile.items.at or profile.items.find
    if tie.structure not in ("nested", "pages") and not listed:
        missing.append("items.at")
    if tie.structure in ("outline", "level", "lineage", "labels") and not tie.menu:
        missing.append("menu")
    if missing:
        raise ProfileError(
            f"the structure {tie.structure} also needs: {', '.join(missing)}",
            file=file,
            place=place,
        )
    if tie.structure == "nested" and not (profile.menus.at or profile.menus.find):
        raise ProfileError(
            "items that stand in their menus need menus that are listed: menus.at is missing",
            file=file,
            place=place,
        )


def _line(text: str, path: str) -> str:
    """The line on which the last named key of a path stands, found by its words in order."""
    names = re.findall(r"[A-Za-z_][A-Za-z0-9_\-]*", path)
    lines = text.splitlines()
    at = 0
    for name in names:
        for number in range(at, len(lines)):
            if re.search(rf"(^|[\s.\[{{]){re.escape(name)}([\s.\]=]|$)", lines[number]):
                at = number
                break
    return f"line {at + 1}" if names else ""
