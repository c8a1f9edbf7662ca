"""A first profile of an unknown export, with a proof that what it reads it writes back."""

from __future__ import annotations

from .errors import AuditError, YpsiformError
from .fit import Options
from .guess import Draft, draft
from .guess.text import MARK
from .migrate import convert
from .profiles.load import parsed

LARGE = 1 << 23
"""Bytes of a sample, beyond which it is not written back to prove its first profile."""

ONLY_READ = "what is written by this first profile is not what it reads"
"""Why a first profile that is not proven is for reading alone."""


def first_profile(data: bytes, file: str, pick: int = 1) -> Draft:
    """A profile of a file that nobody has described yet; for reading alone where it is not proven.

    It is that of the likeliest reading, or of the one that is asked for. Raises what `guess.draft`
    does.
    """
    made = draft(data, file, pick)
    if len(data) > LARGE:
        why = "# That what is read is also written back was not tried, for the sample is large:\n"
        why += "#   `ypsiform profile check` tries it.\n"
        return made._replace(text=made.text.replace("profile = 1\n", f"{why}profile = 1\n", 1))
    if _proven(made.text, data, file):
        return made
    why = f"# {MARK}: the sample was not written back as it is; say what is missing, then take\n"
    text = made.text.replace(
        "\ncontainer = ", f'\n{why}#   this line out\nread-only = "{ONLY_READ}"\ncontainer = ', 1
    )
    return made._replace(text=text, uncertain=made.uncertain + 1)


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
