"""A first profile of an unknown export, with a proof that what it reads it writes back."""

from __future__ import annotations

from contextlib import suppress
from typing import NamedTuple

from .errors import AuditError, FormatError, ProfileError, YpsiformError
from .fit import Options
from .guess import Draft, draft, drafts
from .guess.text import MARK
from .migrate import convert
from .profiles.load import parsed
from .reading import Surveyed, all_findings, read

LARGE = 1 << 23
"""Bytes of a sample, beyond which it is not written back to prove its first profile."""

ONLY_READ = "what is written by this first profile is not what it reads"
"""Why a first profile that is not proven is for reading alone."""


class First(NamedTuple):
    """A first profile as text, how many guesses in it are marked, and what it reads."""

    text: str
    uncertain: int
    surveyed: Surveyed

    def marked(self, why: str, before: str, line: str = "") -> First:
        """With one more mark, and perhaps a line below it, before the line that starts so."""
        said = f"# {MARK}: {why}\n" + (f"{line}\n" if line else "")
        text = self.text.replace(f"\n{before}", f"\n{said}{before}", 1)
        return self._replace(text=text, uncertain=self.uncertain + 1)


def first_profile(data: bytes, file: str, pick: int = 1) -> First:
    """A profile of a file that nobody has described yet; for reading alone where it is not proven.

    It is that of the likeliest reading, or of the one that is asked for. Raises what `guess.draft`
    does.
    """
    made, surveyed = sound(data, file, pick)
    profile = surveyed.profile
    first = First(made.text, made.uncertain, surveyed)
    surveyed.findings = all_findings(surveyed)
    if leaves_links(surveyed):
        first = first.marked("it leaves links unread; items may be missing", "[items]")
    if len(data) > LARGE:
        why = "# That what is read is also written back was not tried, for the sample is large:\n"
        why += "#   `ypsiform profile check` tries it.\n"
        return first._replace(text=first.text.replace("profile = 1\n", f"{why}profile = 1\n", 1))
    if profile.read_only or _proven(made.text, data, file):
        return first
    why = "the sample was not written back as it is; say what is missing, then take the next\n"
    return first.marked(f"{why}#   line out", "container = ", f'read-only = "{ONLY_READ}"')


def leaves_links(surveyed: Surveyed) -> bool:
    """Whether a reading leaves links of the file unread, so that it is uncertain as a whole."""
    return any(finding.code == "read.links" for finding in surveyed.findings)


SPARE = 3
"""Further readings that are tried where the profile of one is not sound."""


def sound(data: bytes, file: str, pick: int = 1, site: str | None = None) -> tuple[Draft, Surveyed]:
    """The first sound profile from the one that is asked for on, and what it reads.

    Raises what `guess.draft` does, and `FormatError` where there is none.
    """
    made = draft(data, file, pick)
    try:
        return made, _reads(made, data, file, site)
    except (ProfileError, FormatError) as error:
        for other in drafts(data, file, pick + SPARE)[pick:]:
            with suppress(ProfileError, FormatError):
                return other, _reads(other, data, file, site)
        if isinstance(error, ProfileError):  # it speaks of lines that nobody has seen
            message = (
                f"no profile that reads it was found; the likeliest one fails: {error.message}"
            )
            raise FormatError(message, file=file) from None
        raise


def _reads(made: Draft, data: bytes, file: str, site: str | None) -> Surveyed:
    return read(data, file, parsed(made.text, "first profile"), site=site)[0]


def _proven(text: str, data: bytes, file: str) -> bool:
    """Whether a file is written back by a profile with every fact accounted for."""
    profile = parsed(text, "first profile")
    try:
        convert(data, file, profile, from_=profile, options=Options(made_up=True))
    except AuditError:
        return False
    except YpsiformError:
        return True  # what cannot be read or written as asked is said when it is asked
    return True
