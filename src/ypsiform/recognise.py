"""Which platform a file is from, found from its content."""

from __future__ import annotations

from typing import Any, NamedTuple

from .containers import container, sniff
from .errors import FormatError
from .profiles.load import every, find
from .profiles.schema import Profile

TOLD = ("xml", "json")
"""Containers that the first character of a file tells."""


class Opened(NamedTuple):
    """A file as a neutral tree, with the profile to read it by and the theme that was asked for."""

    tree: Any
    profile: Profile
    theme: str | None
    file: str


def fits(tree: Any, profile: Profile) -> bool:
    """Whether a tree is what a profile says its files look like."""
    if profile.recognise.root is not None:
        if not (isinstance(tree, dict) and tree.get("#children")):
            return False
        name: str = tree["#children"][0][0]
        return name == profile.recognise.root
    if profile.recognise.columns:
        columns = tree.get("columns") if isinstance(tree, dict) else None
        return isinstance(columns, list) and set(profile.recognise.columns) <= set(columns)
    return isinstance(tree, dict) and all(key in tree for key in profile.recognise.keys)


def seen(tree: Any) -> str:
    """What a tree looks like, in a few words."""
    if isinstance(tree, dict) and list(tree) == ["#children"]:
        return f"its root element is <{tree['#children'][0][0]}>"
    if isinstance(tree, dict) and isinstance(tree.get("columns"), list):
        return "its columns are: " + ", ".join(map(str, tree["columns"][:8]))
    if isinstance(tree, dict):
        keys = ", ".join(list(tree)[:6])
        return f"its keys are: {keys}" if keys else "it is an empty mapping"
    return "it is a list" if isinstance(tree, list) else "it is a single value"


def wanted(profile: Profile) -> str:
    """What a profile's files look like, in a few words."""
    if profile.recognise.root is not None:
        return f"the root element <{profile.recognise.root}>"
    if profile.recognise.columns:
        return "the columns " + ", ".join(profile.recognise.columns)
    return "the key " + ", ".join(repr(key) for key in profile.recognise.keys)


def open_tree(data: bytes, file: str, platform: str | None) -> Opened:
    """Read a file by the platform named, or by the one that its content shows."""
    if platform is not None:
        profile, theme = find(platform)
        kind = sniff(data, file) if profile.container in TOLD else profile.container
        if profile.container != kind:
            raise FormatError(
                f"this is {kind.upper()}, but files of {profile.id} are "
                f"{profile.container.upper()}",
                file=file,
            )
        tree = container(kind).read(data, file)
        if not fits(tree, profile):
            raise FormatError(
                f"this is not a file of {profile.id}: {seen(tree)}, "
                f"and {wanted(profile)} is needed",
                file=file,
            )
        return Opened(tree, profile, theme, file)
    kind = sniff(data, file)
    tree = container(kind).read(data, file)
    candidates = [p for p in every() if p.container == kind]
    found = [profile for profile in candidates if fits(tree, profile)]
    if len(found) == 1:
        return Opened(tree, found[0], None, file)
    tried = "; ".join(f"{p.id} has {wanted(p)}" for p in every())
    if not found:
        raise FormatError(
            f"the platform cannot be told: {seen(tree)}. Tried: {tried}. "
            "Name the platform (for the export with --from)",
            file=file,
        )
    names = ", ".join(profile.id for profile in found)
    raise FormatError(
        f"the platform cannot be told: it could be {names}. Name it with --from", file=file
    )
