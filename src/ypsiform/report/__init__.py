"""Reports of a conversion: each form is one file here, known by the ending of its files.

A form is a module with a function `written`, which takes a migration, the name of the import file,
the hashes of what was read and written, and the name of the record, and gives the bytes of the
report. A new one is a file here, and a line in `FORMS`.
"""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from typing import Protocol, cast

from ..proof import Migration
from ..reading import Surveyed

FORMS = {".html": "html", ".md": "md", ".csv": "table", ".xlsx": "xlsx", ".json": "json"}
"""The modules of the forms that are written to files, by the endings of these."""


class Form(Protocol):
    """A form of reports."""

    def written(
        self,
        migration: Migration,
        output: str,
        hashes: Mapping[str, str | None],
        record: str | None,
    ) -> bytes:
        """The report of a conversion."""

    def surveyed(self, read: Surveyed, hashes: Mapping[str, str | None]) -> bytes:
        """The report of a survey."""


def form_of(name: str) -> Form | None:
    """The form of a report by the name of its file; None for an ending that is none."""
    ending = next((ending for ending in FORMS if name.lower().endswith(ending)), None)
    if ending is None:
        return None
    return cast(Form, importlib.import_module(f".{FORMS[ending]}", __name__))
