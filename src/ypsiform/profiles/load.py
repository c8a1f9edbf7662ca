"""Finding, reading and checking profiles."""

from __future__ import annotations

import difflib
import re
import tomllib
from collections.abc import Iterator, Mapping
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from ..errors import ProfileError
from . import plugins
from .schema import Profile

if TYPE_CHECKING:
    from .mistakes import Fault

_SHIPPED = Path(__file__).parent / "platforms"


@lru_cache(maxsize=1)
def shipped() -> tuple[str, ...]:
    """The ids of the profiles that ship, sorted."""
    return tuple(
        sorted(entry.name[:-5] for entry in _SHIPPED.iterdir() if entry.name.endswith(".toml"))
    )


def every(containers: tuple[str, ...] = ()) -> Iterator[Profile]:
    """All profiles that ship or are plugged in; of these containers only, where some are given.

    A plug-in that cannot be loaded is left out.
    """
    for name in shipped():
        # The line that names the container is looked for first: reading a whole profile costs more.
        if not containers or not _containers(name).isdisjoint(containers):
            yield load(name)
    for profile in plugged()[0]:
        if not containers or not {profile.container, *profile.also}.isdisjoint(containers):
            yield profile


@lru_cache(maxsize=1)
def plugged() -> tuple[list[Profile], list[str]]:
    """The profiles that are plugged in, and what is wrong with those that cannot be used."""
    profiles: list[Profile] = []
    wrong: list[str] = []
    for name in plugins.found():
        try:
            if name in shipped():
                raise ProfileError(f"the plug-in {name!r} has the id of a platform that ships")
            profiles.append(load(name))
        except ProfileError as error:
            wrong.append(str(error))
    return profiles, wrong


def coded() -> list[Profile]:
    """The profiles that are plugged in and whose files are read by code."""
    return [profile for profile in plugged()[0] if code_of(profile) is not None]


def known(name: str) -> bool:
    """Whether a platform of this id ships or is plugged in."""
    return name in shipped() or name in plugins.found()


def ships(profile: Profile) -> bool:
    """Whether a profile is one of ours, as it ships."""
    return profile.id in shipped() and load(profile.id) == profile


def code_of(profile: Profile) -> plugins.PlugIn | None:
    """The plug-in that reads the files of a platform by itself, None for all others."""
    if profile.id in shipped():
        return None
    found = plugins.plug_in(profile.id)
    return found if found is not None and found.read is not None else None


@lru_cache(maxsize=64)
def _containers(name: str) -> frozenset[str]:
    text = (_SHIPPED / f"{name}.toml").read_text("utf-8")
    found = re.findall(r"^(?:container|also) = (.*)$", text, re.MULTILINE)
    also = ["files"] if "\n[folder]" in text else []
    return frozenset([*re.findall(r'"(\w+)"', " ".join(found)), *also])


def split_platform(words: str) -> tuple[str, str | None]:
    """`platform/theme` as a profile's name and a theme. A path of a profile file may have both."""
    if words in shipped():
        return words, None
    head, slash, tail = words.rpartition("/")
    if slash and (known(head) or head.endswith(".toml")):
        return head, tail or None
    if slash and not words.endswith(".toml"):
        return head, tail
    return words, None


def profile_file(words: str | None) -> str | None:
    """The file of the profile that `platform/theme` names; None where it is one that ships."""
    name = split_platform(words)[0] if words else ""
    return name if name.endswith(".toml") else None


def find(words: str) -> tuple[Profile, str | None]:
    """The profile and the theme that `platform/theme` names; the theme is known to the profile."""
    name, theme = split_platform(words)
    profile = load(name)
    profile.require_theme(theme)
    return profile, theme


def chosen_settings(profile: Profile, settings: Mapping[str, str]) -> dict[str, str]:
    """The settings of a file to write: those given, and the standard of all others.

    Raises `ProfileError` for one that the platform does not have, or a value that it does not know.
    """
    rules = profile.settings
    for name, value in settings.items():
        if name not in rules:
            known = f"it has: {', '.join(rules)}" if rules else "it has none"
            raise ProfileError(f"{profile.id} has no setting {name!r}; {known}")
        among = rules[name].among
        if among and value not in among:
            raise ProfileError(
                f"the setting {name} of {profile.id} is one of {', '.join(among)}, not {value!r}"
            )
    return {name: rule.standard for name, rule in rules.items()} | dict(settings)


@lru_cache(maxsize=32)
def load(name: str) -> Profile:
    """The profile with this id, or in the file with this path.

    Raises `ProfileError` with the line and what was expected.
    """
    if name in shipped():
        return _parse((_SHIPPED / f"{name}.toml").read_text("utf-8"), f"{name}.toml", ships=True)
    if name.endswith(".toml"):
        path = Path(name)
        try:
            return _parse(path.read_text("utf-8"), name, ships=False)
        except OSError as error:
            raise ProfileError(f"the profile cannot be read: {error.strerror}", file=name) from None
        except UnicodeDecodeError:
            raise ProfileError("the profile is not UTF-8", file=name) from None
    plugged = plugins.plug_in(name)
    if plugged is not None:
        profile = _parse(plugged.profile, plugged.file, ships=False)
        if profile.id != name:
            raise ProfileError(f"its id is {profile.id!r}, not {name!r}", file=plugged.file)
        if plugged.read is not None and profile.container not in ("json", "yaml", "toml"):
            raise ProfileError("what code reads is a tree: container = 'json'", file=plugged.file)
        return profile
    names = [*shipped(), *(n for n in plugins.found() if n not in shipped())]
    near = difflib.get_close_matches(name, names, 1)
    hint = f"did you mean {near[0]}? There are" if near else "there are"
    raise ProfileError(f"there is no platform {name!r}; {hint}: {', '.join(names)}")


def parsed(text: str, file: str) -> Profile:
    """The profile in a text. Raises `ProfileError` with the line and what was expected."""
    return _parse(text, file, ships=False)


def _parse(text: str, file: str, *, ships: bool) -> Profile:
    text = text.removeprefix("\ufeff").replace("\r\n", "\n")
    try:
        tree = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        message, _, place = str(error).partition(" (at ")
        raise ProfileError(
            f"this is not TOML: {message[0].lower()}{message[1:]}",
            file=file,
            place=place.rstrip(")"),
        ) from None
    except ValueError:  # what Python says of a number of thousands of digits
        message = "a number in it has more digits than can be read"
        raise ProfileError(message, file=file) from None
    except RecursionError:
        raise ProfileError("values are nested too deep", file=file) from None
    try:
        profile = msgspec.convert(tree, Profile)
    except msgspec.ValidationError as error:
        from .mistakes import of_form

        raise _mistake(of_form(error, tree), text, file) from None
    if not ships:  # tests look for mistakes in those that ship, not every start
        from .faults import faults

        for fault in faults(profile):
            raise _mistake(fault, text, file)
    return profile


def _mistake(fault: Fault, text: str, file: str) -> ProfileError:
    from .lines import line_of

    return ProfileError(fault.message, file=file, place=f"line {line_of(text, fault.path)}")
