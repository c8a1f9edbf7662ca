"""A zip of several files: its names and bytes. What is inside is read by other containers."""

from __future__ import annotations

import lzma
import struct
import zipfile
import zlib
from collections.abc import Iterator, Mapping, MutableMapping
from contextlib import contextmanager
from io import BytesIO
from pathlib import PurePosixPath

from ..errors import FormatError

LARGEST = 1 << 30
"""Bytes of all unpacked files together beyond which a zip is refused."""

MOST = 10_000
"""Files in a zip beyond which it is refused."""

_DATE = (1980, 1, 1, 0, 0, 0)
_LINK = 0o120000


class Files(MutableMapping[str, bytes]):
    """The files of a zip by name, in its order; each is unpacked when it is asked for.

    Raises `FormatError` for one that is damaged.
    """

    def __init__(self, data: bytes, file: str) -> None:
        self._file = file
        self._held: dict[str, bytes | zipfile.ZipInfo] = {}
        with _damage(file):
            # It stays open as long as there is something to unpack: to open it reads all its names.
            self._archive = zipfile.ZipFile(BytesIO(data))
            for name, entry in _entries(self._archive, file):
                self._held[name] = entry

    def __getitem__(self, name: str) -> bytes:
        held = self._held[name]
        if isinstance(held, bytes):
            return held
        with _damage(f"{self._file}/{name}"):
            return self._archive.read(held)

    def held(self, name: str) -> bytes | zipfile.ZipInfo:
        """A file as it is held: unpacked, or as an entry of the zip."""
        return self._held[name]

    def __setitem__(self, name: str, data: bytes) -> None:
        self._held[name] = data

    def __delitem__(self, name: str) -> None:
        del self._held[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._held)

    def __len__(self) -> int:
        return len(self._held)


def said_of(files: Mapping[str, bytes], name: str) -> str:
    """The size and the check sum of a file; one in a zip is not unpacked for them."""
    held = files.held(name) if isinstance(files, Files) else files[name]
    if isinstance(held, bytes):
        return f"{len(held):,} bytes, {zlib.crc32(held):08x}"
    return f"{held.file_size:,} bytes, {held.CRC:08x}"


@contextmanager
def _damage(file: str) -> Iterator[None]:
    """Errors of the reader of zips as one of ours."""
    try:
        yield
    except (
        zipfile.BadZipFile,
        zlib.error,
        lzma.LZMAError,
        NotImplementedError,
        EOFError,
        OSError,
        RuntimeError,
        ValueError,
        struct.error,
    ) as error:
        reason = str(error) or "it ends too early"
        raise FormatError(f"this zip is damaged: {reason}", file=file) from None


def unpack(data: bytes, file: str) -> Files:
    """The files of a zip by name, in the order of the zip.

    Names that lead out of a folder, names that are there twice, links, encryption, and more than
    it is wise to unpack are errors. Raises `FormatError`.
    """
    return Files(data, file)


def _entries(archive: zipfile.ZipFile, file: str) -> Iterator[tuple[str, zipfile.ZipInfo]]:
    entries = archive.infolist()
    if len(entries) > MOST:
        raise FormatError(f"the zip holds more than {MOST:,} files", file=file)
    # No more is ever unpacked of a file than the size that the zip gives for it.
    if sum(entry.file_size for entry in entries) > LARGEST:
        raise FormatError("unpacked, the zip is larger than 1 GB", file=file)
    found: set[str] = set()
    for entry in entries:
        name = legal_name(entry.filename, file)
        if entry.is_dir():
            continue
        if entry.flag_bits & 1:
            raise FormatError("it is encrypted, which is not read", file=file, place=name)
        if (entry.external_attr >> 16) & 0o170000 == _LINK:
            raise FormatError(
                "it is a link to another file, which is refused", file=file, place=name
            )
        if name in found:
            raise FormatError("the zip holds this name twice", file=file, place=name)
        found.add(name)
        yield name, entry


def legal_name(name: str, file: str) -> str:
    """A name that stays inside a folder. Raises `FormatError` for any other."""
    parts = PurePosixPath(name).parts
    odd = not parts or name.startswith("/") or ".." in parts or "\\" in name or ":" in parts[0]
    if odd or any(ord(letter) < 32 for letter in name):
        raise FormatError(f"the name {name!r} leads out of the folder", file=file)
    return "/".join(parts)


def pack(files: Mapping[str, bytes]) -> bytes:
    """A zip of these files; the same bytes in every run."""
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            entry = zipfile.ZipInfo(name, _DATE)
            entry.compress_type = zipfile.ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            archive.writestr(entry, data)
    return out.getvalue()
