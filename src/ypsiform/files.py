"""Reading and writing files: whole, at once, and nothing overwritten unasked."""

from __future__ import annotations

import os
import secrets
import stat
import sys
import time
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from typing import BinaryIO

from .errors import FileError

STANDARD = "-"
"""The name of standard input and output."""

LARGEST = 1 << 30
"""Bytes that are read of one file, which may be a stream without an end."""


def is_stream(name: str) -> bool:
    """Whether what is written there goes on at once: standard output, a pipe, a device."""
    if name == STANDARD:
        return True
    try:
        mode = os.stat(name).st_mode
    except (OSError, ValueError):
        return False
    return not (stat.S_ISREG(mode) or stat.S_ISDIR(mode))


def read_bytes(name: str) -> bytes:
    """The bytes of a file, or of standard input."""
    if name == STANDARD:
        if sys.stdin is None:
            raise FileError("it is closed", file="standard input")
        return _limited(sys.stdin.buffer, "standard input")
    path = Path(name)
    try:
        if path.is_dir():
            return _packed(path)
        if path.is_file() and path.stat().st_size <= LARGEST:
            return path.read_bytes()
        with path.open("rb") as stream:
            return _limited(stream, name)
    except FileNotFoundError:
        raise FileError("there is no such file", file=name) from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise FileError(f"the file cannot be read: {reason}", file=name) from None


def _limited(stream: BinaryIO, name: str) -> bytes:
    """All bytes of a stream. Raises `FileError` for one that does not end."""
    # A buffer of the whole limit would be asked for at once.
    data = bytearray()
    while part := stream.read(1 << 22):
        data += part
        if len(data) > LARGEST:
            raise FileError("the file is larger than 1 GB", file=name)
    return bytes(data)


def _packed(folder: Path) -> bytes:
    """A folder as the zip of it. Links are not followed."""
    from .containers.zip import MOST, pack

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
    """The files of a zip as outputs inside a folder. Raises `FileError` for one that is a link."""
    from .containers.zip import unpack

    folder = Path(name)
    found: dict[str, bytes] = {}
    for inner, held in unpack(data, name).items():
        path = folder / inner
        inside = path.relative_to(folder)
        for above in (inside, *inside.parents):
            if (folder / above).is_symlink() and above != Path():
                raise FileError("this is a link, which is not followed", file=str(folder / above))
        found[str(path)] = held
    return found


def is_folder(name: str) -> bool:
    """Whether a name is that of a folder: one that exists, or one with a slash at its end."""
    return name != STANDARD and (name.endswith("/") or os.path.isdir(name))


def check_output(name: str, force: bool, inside: str | None = None) -> None:
    """Refuse, before any work is done, what could not be written at the end.

    `inside` is a folder that is made where it is missing, with all between it and the file.
    """
    if not name:
        raise FileError("the name of a file to write is empty")
    if is_stream(name):
        return
    path = Path(name)
    if is_folder(name):
        raise FileError("this is a folder; name a file to write", file=name)
    if any(len(os.fsencode(part)) > LONGEST_NAME for part in path.parts):
        raise FileError(f"a name has at most {LONGEST_NAME} bytes", file=f"{name[:60]}…")
    if os.path.lexists(name) and not force:
        raise FileError("the file exists already; use --force to replace it", file=name)
    if inside is None and not os.path.isdir(path.parent):
        raise FileError(f"the folder {path.parent} does not exist", file=name)


LONGEST_NAME = 255 - len(".record.json.1")
"""Bytes of a name of a file that is written: others stand beside it with more behind theirs."""


def check_apart(outputs: Iterable[str], inputs: Iterable[str | None]) -> None:
    """Refuse to write over what is read. Raises `FileError`."""
    read = {_identity(name): name for name in inputs if name and name != STANDARD}
    for name in outputs:
        if name != STANDARD and _identity(name) in read:
            raise FileError(
                "this would be written over what is read from it; name another file", file=name
            )


def _identity(name: str) -> object:
    """What is the same for two names of one file, links included."""
    try:
        found = os.stat(name)
    except (OSError, ValueError):
        return os.path.realpath(name)
    return found.st_dev, found.st_ino


def write_whole(stream: BinaryIO, data: bytes) -> None:
    """Write all of some bytes: a stream without a buffer may take a part of them at a time."""
    left = memoryview(data)
    while left:
        taken = stream.write(left)
        if not taken:
            time.sleep(0.01)  # nothing can be taken just now
        left = left[taken or 0 :]
    stream.flush()


def write_all(outputs: dict[str, bytes], inside: str | None = None) -> None:
    """Write several files: all to temporary files first, then each renamed into its place.

    A link stays one, and what it leads to is written. Pipes, devices and standard output get what
    is meant for them at the end of the first step, since nothing can be taken back there.

    `inside` is a folder that is made where it is missing, with all between it and the files; what
    was made goes again where something cannot be written. Raises `FileError`.
    """
    made: list[tuple[Path, Path]] = []
    folders: list[Path] = []
    done = False
    try:
        for name, data in outputs.items():
            if is_stream(name):
                continue
            path = Path(os.path.realpath(name) if os.path.islink(name) else name)
            try:
                if inside is not None:
                    _make(path.parent, folders)
                temporary = path.parent / f".ypsiform-{secrets.token_hex(8)}.part"
                with temporary.open("xb") as stream:
                    made.append((temporary, path))
                    write_whole(stream, data)
            except OSError as error:
                raise FileError(f"cannot be written: {error.strerror}", file=name) from None
        for name, data in outputs.items():
            if name == STANDARD:
                _to_standard(data)
            elif is_stream(name):
                _to_stream(name, data)
        while made:
            temporary, path = made[0]
            try:
                os.replace(temporary, path)
            except OSError as error:
                raise FileError(f"cannot be written: {error.strerror}", file=str(path)) from None
            made.pop(0)
        done = True
    finally:
        with suppress(OSError):
            for temporary, _ in made:
                temporary.unlink(missing_ok=True)
            for folder in [] if done else reversed(folders):
                folder.rmdir()  # one that holds a file stays


def _to_standard(data: bytes) -> None:
    try:
        if sys.stdout is None:
            raise OSError(None, "it is closed")
        write_whole(sys.stdout.buffer, data)
    except BrokenPipeError:
        raise
    except OSError as error:
        reason = f"cannot be written: {error.strerror}"
        raise FileError(reason, file="standard output") from None


def _to_stream(name: str, data: bytes) -> None:
    """Write to a pipe or a device, which stays what it is."""
    try:
        with open(name, "wb", buffering=0) as stream:
            write_whole(stream, data)
    except BrokenPipeError:
        raise FileError("cannot be written: nobody reads it any more", file=name) from None
    except OSError as error:
        raise FileError(f"cannot be written: {error.strerror}", file=name) from None


def _make(folder: Path, made: list[Path]) -> None:
    """Make a folder and what is missing above it; what was made is added to a list."""
    missing = [path for path in (folder, *folder.parents) if not os.path.isdir(path)]
    for path in reversed(missing):
        path.mkdir(exist_ok=True)
        made.append(path)
