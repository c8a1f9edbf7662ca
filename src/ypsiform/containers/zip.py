"""A zip of several files: its names and bytes. What is inside is read by other containers."""

from __future__ import annotations

import zipfile
import zlib
from io import BytesIO
from pathlib import PurePosixPath

from ..errors import FormatError

LARGEST = 1 << 30
"""Bytes of all unpacked files together beyond which a zip is refused."""

MOST = 10_000
"""Files in a zip beyond which it is refused."""

_DATE = (1980, 1, 1, 0, 0, 0)
_LINK = 0o120000


def unpack(data: bytes, file: str) -> dict[str, bytes]:
    """The files of a zip by name, in the order of the zip.

    Names that lead out of a folder, names that are there twice, links, encryption, and more than
    it is wise to unpack are errors.
    """
    try:
        with zipfile.ZipFile(BytesIO(data)) as archive:
            return _files(archive, file)
    except FormatError:
        raise
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, EOFError, ValueError) as error:
        raise FormatError(f"this zip is damaged: {error}", file=file) from None


def _files(archive: zipfile.ZipFile, file: str) -> dict[str, bytes]:
    entries = archive.infolist()
    if len(entries) > MOST:
        raise FormatError(f"the zip holds more than {MOST:,} files", file=file)
    # No more is ever unpacked of a file than the size that the zip gives for it.
    if sum(entry.file_size for entry in entries) > LARGEST:
        raise FormatError("unpacked, the zip is larger than 1 GB", file=file)
    found: dict[str, bytes] = {}
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
        found[name] = archive.read(entry)
    return found


def legal_name(name: str, file: str) -> str:
    """A name that stays inside a folder. Raises `FormatError` for any other."""
    parts = PurePosixPath(name).parts
    odd = not parts or name.startswith("/") or ".." in parts or "\\" in name or ":" in parts[0]
    if odd or any(ord(letter) < 32 for letter in name):
        raise FormatError(f"the name {name!r} leads out of the folder", file=file)
    return "/".join(parts)


def pack(files: dict[str, bytes]) -> bytes:
    """A zip of these files; the same bytes in every run."""
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            entry = zipfile.ZipInfo(name, _DATE)
            entry.compress_type = zipfile.ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            archive.writestr(entry, data)
    return out.getvalue()
