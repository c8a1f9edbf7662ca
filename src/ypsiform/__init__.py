"""Ypsiform: navigation menus of one platform, written as another platform's import file.

    import ypsiform

    done = ypsiform.convert("old.xml", to="platform/theme", into="new.json")
    print(done)
    done.write("import.json")

What stands in `__all__` is the public interface; docs/library.md shows it. It is loaded when it is
used, so that to import the package costs nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from .version import __version__ as __version__

if TYPE_CHECKING:
    from .errors import AskedError, AuditError, FileError, FormatError, ProfileError, RefusedError
    from .errors import YpsiformError as YpsiformError
    from .library import Conversion, Export, Step, convert, platforms, profile, read, survey

__all__ = [
    "AskedError",
    "AuditError",
    "Conversion",
    "Export",
    "FileError",
    "FormatError",
    "ProfileError",
    "RefusedError",
    "Step",
    "YpsiformError",
    "convert",
    "platforms",
    "profile",
    "read",
    "survey",
]


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    module = ".errors" if name.endswith("Error") else ".library"
    return getattr(import_module(module, __name__), name)


def __dir__() -> list[str]:
    return [*__all__, "__version__"]
