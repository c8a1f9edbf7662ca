"""Reading and writing files: whole, at once, and nothing overwritten unasked."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from .errors import FileError

STANDARD = "-"
"""The name of standard input and output."""


def read_bytes(name: str) -> bytes:
    """The bytes of a file, or of standard input."""
    if name == STANDARD:
        return sys.stdin.buffer.read()
    path = Path(name)
    try:
        return _packed(path) if path.is_dir() else path.read_bytes()
    except FileNotFoundError:
        raise FileError("there is no such file", file=name) from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise FileError(f"the file cannot be read: {reason}", file=name) from None


def _packed(folder: Path) -> bytes:
    """A folder as the zip of it. Links are not followed."""
    from .containers.zip import LARGEST, MOST, pack

    files: dict[str, bytes] = {}
    size = 0
    for path in sorted(folder.rglob("*")):
        if path.is_symlink():
            raise FileError("this is a link, which is not followed", file=str(path))
        if path.is_file():
            size += path.stat().st_size
            if size > LARGEST or len(files) >= MOST:
                raise FileError(
                    f"the folder holds more than 1 GB or {MOST:,} files", file=str(folder)
                )
            files[path.relative_to(folder).as_posix()] = path.read_bytes()
    if not files:
        raise FileError("the folder is empty", file=str(folder))
    return pack(files)


def into_folder(name: str, data: bytes) -> dict[str, bytes]:
    """The files of a zip as outputs inside a folder, which is made where it is missing."""
    from .containers.zip import unpack

    folder = Path(name)
    try:
        found = {str(folder / inner): held for inner, held in unpack(data, name).items()}
        for path in found:
            Path(path).parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"the folder cannot be made: {error.strerror}", file=name) from None
    return found


def is_folder(name: str) -> bool:
    """Whether a name is that of a folder: one that exists, or one with a slash at its end."""
    return name != STANDARD and (name.endswith("/") or Path(name).is_dir())


def check_output(name: str, force: bool) -> None:
    """Refuse, before any work is done, what could not be written at the end."""
    if name == STANDARD:
        return
    path = Path(name)
    if is_folder(name):
        raise FileError("this is a folder; name a file to write", file=name)
    if path.exists() and not force:
        raise FileError("the file exists already; use --force to replace it", file=name)
    if not path.parent.is_dir():
        raise FileError(f"the folder {path.parent} does not exist", file=name)


def write_all(outputs: dict[str, bytes]) -> None:
    """Write several files: all to temporary files first, then each renamed into its place."""
    made: list[tuple[Path, Path]] = []
    try:
        for name, data in outputs.items():
            if name == STANDARD:
                continue
            path = Path(name)
            try:
                temporary = path.parent / f".{path.name}.{os.getpid()}.part"
                with temporary.open("xb") as stream:
                    made.append((temporary, path))
                    stream.write(data)
            except OSError as error:
                raise FileError(f"cannot be written: {error.strerror}", file=name) from None
        while made:
            temporary, path = made[0]
            try:
                os.replace(temporary, path)
            except OSError as error:
                raise FileError(f"cannot be written: {error.strerror}", file=str(path)) from None
            made.pop(0)
    finally:
        for temporary, _ in made:
            temporary.unlink(missing_ok=True)
    if STANDARD in outputs:
        sys.stdout.buffer.write(outputs[STANDARD])
        sys.stdout.buffer.flush()
