"""Platforms that other packages bring along, under the entry point `ypsiform.platforms`.

The name of an entry point is the platform's id. It leads to a module, or any object, with
`PROFILE`, the text of a profile. For files that no container reads it also has `read(data, file)`,
which gives a tree of mappings, lists and scalars for the profile's rules, `write(tree)`, which
gives the bytes again, and `fits(data)`, which says whether a file is one of these.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING, Any, NamedTuple

from ..errors import FormatError, ProfileError, YpsiformError

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

GROUP = "ypsiform.platforms"


class PlugIn(NamedTuple):
    """A platform of another package: the text of its profile, and code for its files if it has any.

    `file` is how mistakes in the profile name it.
    """

    name: str
    file: str
    profile: str
    fits: Callable[[bytes], bool] | None
    read: Callable[[bytes, str], Any] | None
    write: Callable[[Any], bytes] | None


@lru_cache(maxsize=1)
def found() -> dict[str, EntryPoint]:
    """The entry points of platforms by name, sorted; of two with one name the first counts."""
    from importlib.metadata import entry_points

    made: dict[str, EntryPoint] = {}
    for entry in sorted(entry_points(group=GROUP), key=lambda entry: (entry.name, entry.value)):
        made.setdefault(entry.name, entry)
    return made


@lru_cache(maxsize=32)
def plug_in(name: str) -> PlugIn | None:
    """The plug-in of this name, None where there is none.

    Raises `ProfileError` where it cannot be loaded, or lacks what it needs.
    """
    entry = found().get(name)
    if entry is None:
        return None
    package = entry.dist.name if entry.dist is not None else entry.value
    what = f"the plug-in {name!r} (of {package})"
    try:
        made = entry.load()
    except Exception as error:  # code of strangers can fail in any way
        raise ProfileError(f"{what} cannot be loaded: {_said(error)}") from None
    profile = getattr(made, "PROFILE", None)
    if not isinstance(profile, str):
        raise ProfileError(f"{what} has no text PROFILE")
    code = {part: getattr(made, part, None) for part in ("fits", "read", "write")}
    if any(code.values()) and not (code["fits"] and code["read"]):
        raise ProfileError(f"{what} needs both `fits` and `read` to read files by itself")
    return PlugIn(name, f"{package}: {name}", profile, **code)


def _said(error: Exception) -> str:
    words = " ".join(str(error).split())
    return f"{type(error).__name__}: {words}" if words else type(error).__name__


def reads(code: PlugIn, data: bytes) -> bool:
    """Whether a plug-in takes a file for one of its own."""
    try:
        return code.fits is not None and bool(code.fits(data))
    except Exception:
        return False


def load(code: PlugIn, data: bytes, file: str) -> Any:
    """The tree that a plug-in makes of a file. Raises `FormatError`."""
    assert code.read is not None
    try:
        return code.read(data, file)
    except YpsiformError:
        raise
    except Exception as error:
        raise FormatError(f"the plug-in {code.name!r} failed: {_said(error)}", file=file) from None


def dump(code: PlugIn, tree: Any) -> bytes:
    """The bytes that a plug-in makes of a tree. Raises `FormatError`."""
    if code.write is None:
        raise FormatError(f"the plug-in {code.name!r} reads files and does not write them")
    try:
        made = code.write(tree)
    except YpsiformError:
        raise
    except Exception as error:
        raise FormatError(f"the plug-in {code.name!r} failed: {_said(error)}") from None
    if not isinstance(made, bytes):
        raise FormatError(f"the plug-in {code.name!r} gave no bytes")
    return made
