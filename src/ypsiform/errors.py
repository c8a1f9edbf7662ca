"""The errors that end a command with one clear sentence. Each carries the file and the place."""

from __future__ import annotations


class YpsiformError(Exception):
    """Something that the person at the keyboard can put right.

    `message` is a whole sentence without a full stop; `file` is the file as it was named on the
    command line; `place` says where in it (a line, a record, a path of keys).
    """

    def __init__(self, message: str, *, file: str = "", place: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.file = file
        self.place = place

    def __str__(self) -> str:
        where = ", ".join(part for part in (self.file, self.place) if part)
        return f"{where}: {self.message}" if where else self.message


class FileError(YpsiformError):
    """A file cannot be opened, read, decoded, or written."""


class FormatError(YpsiformError):
    """A file was read but does not have the form that its platform prescribes."""


class UnknownError(FormatError):
    """A file is of no platform that is known, or of none that can be told from others."""


class AbsentError(FormatError):
    """A folder or zip does not hold the files that its platform's documents are made of."""


class ProfileError(YpsiformError):
    """A platform is unknown, or its profile has a mistake."""


class RefusedError(YpsiformError):
    """The work was refused as asked: an option forbids the result."""


class AskedError(YpsiformError):
    """What is asked for cannot be meant, before any file is looked at."""


class AuditError(YpsiformError):
    """The file written and the findings disagree: a fault of Ypsiform, and nothing is kept."""

    def __init__(self, message: str, problems: list[str]) -> None:
        super().__init__(message)
        self.problems = problems


class UnprovenError(AuditError):
    """What a profile from elsewhere writes is not what it reads, and nothing is kept."""
