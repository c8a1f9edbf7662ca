"""What a program may ask of Ypsiform: read an export, look at it, convert it, write the result.

`import ypsiform` gives these names; see docs/library.md.
"""

from __future__ import annotations

import gc
import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

from .errors import AskedError
from .files import check_output, into_folder, is_folder, is_stream, read_bytes, write_all
from .findings import Finding, enumerated
from .job import FILES, Request, record_name
from .migrate import recorded, run
from .model import Item, Location, Menu, Rows, Site, Target
from .plan.file import read_plan
from .profiles.load import every
from .profiles.schema import Profile
from .proof import Migration
from .reading import Surveyed, all_findings
from .reading import read as read_site
from .record import sha256, to_bytes
from .report import FORMS, form_of
from .report import json as json_report
from .report.terminal import migration_lines, survey_lines

Name = str | os.PathLike[str]
"""The name of a file."""


@contextmanager
def _uncollected() -> Iterator[None]:
    """Put off collecting rings of references: the work makes many values, and few rings."""
    before = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if before:
            gc.enable()


class Step(NamedTuple):
    """One item on the way through the menus of a site.

    `depth` counts from 1 at the top of its menu; `path` are the labels from there down to the item
    itself; `locations` are those that show its menu, none where it is shown nowhere. An item in a
    panel stands below the item that opens the panel.
    """

    menu: Menu
    item: Item
    depth: int
    path: tuple[str, ...]
    locations: tuple[Location, ...]

    @property
    def label(self) -> str:
        """What the item is called."""
        return self.item.label

    @property
    def target(self) -> Target:
        """Where it leads: a page by its `content`, an `address`, or nowhere (`kind` is `none`)."""
        return self.item.target


def steps(site: Site, rows: Rows) -> Iterator[Step]:
    """The items of a site in the order of its menus, each after the one that it stands below."""
    shown = site.placements()
    path: list[str] = []
    for row, thing in enumerate(rows.things):
        depth = rows.depth[row]
        del path[depth - 1 :]
        path.append(getattr(thing, "label", ""))
        menu = site.menus[rows.menu[row]]
        if isinstance(thing, Item):
            yield Step(menu, thing, depth, tuple(path), tuple(shown.get(menu.id, ())))


class Export:
    """An export as it was read. `str()` of it is what `ypsiform survey` prints."""

    def __init__(self, surveyed: Surveyed, data: bytes) -> None:
        self._surveyed, self._data = surveyed, data

    @property
    def site(self) -> Site:
        """All that was read: menus, locations, pages, addresses and languages."""
        return self._surveyed.site

    @property
    def platform(self) -> str:
        """The platform that the export is of."""
        return self.site.platform

    @property
    def findings(self) -> list[Finding]:
        """What is worth knowing before a migration, the most severe first."""
        return self._surveyed.findings

    def walk(self) -> Iterator[Step]:
        """Every item, menu by menu, each after the one that it stands below."""
        return steps(self.site, self._surveyed.rows)

    def report(self) -> dict[str, Any]:
        """The report as plain values, as `ypsiform survey --json` prints them."""
        return json_report.of_survey(self._surveyed, {"source": sha256(self._data)})

    def __str__(self) -> str:
        return "\n".join(survey_lines(self._surveyed, 100))


class Conversion:
    """A finished conversion: the import file, and the account of every fact of the export.

    `str()` of it is what `ypsiform convert` prints.
    """

    def __init__(self, migration: Migration, hashes: Mapping[str, str | None]) -> None:
        self._migration, self._hashes = migration, dict(hashes)
        self._output = "-"

    @property
    def data(self) -> bytes:
        """The import file, for a platform of several files a zip of them."""
        return self._migration.data

    @property
    def source(self) -> Site:
        """The site that was read from the export."""
        return self._migration.source.site

    @property
    def site(self) -> Site:
        """The site that the import file says, as it was read back."""
        return self._migration.written

    @property
    def findings(self) -> list[Finding]:
        """What was lost, altered or moved, and what is worth knowing; the most severe first.

        A finding with an `outcome` is a loss. `why` and `do` are sentences for people.
        """
        return self._migration.findings

    @property
    def losses(self) -> list[Finding]:
        """The findings that say what became otherwise than it was."""
        return [finding for finding in self.findings if finding.outcome is not None]

    @property
    def facts(self) -> dict[str, int]:
        """How many facts the export has (`total`), and how many ended in each way."""
        return dict(self._migration.audited.facts)

    def walk(self) -> Iterator[Step]:
        """Every item of the import file, menu by menu, as it was read back."""
        from .model import number

        return steps(self.site, number(self.site))

    def report(self) -> dict[str, Any]:
        """The report as plain values, as `ypsiform convert --json` prints it."""
        return json_report.of_migration(self._migration, self._output, self._hashes)

    def write(self, output: Name, *, report: Name | None = None, force: bool = False) -> list[str]:
        """Write the import file and the record that a next run starts from. Returns their names.

        A folder is filled with the files of a platform that has several; `report` names a file
        for the report, whose form is that of its ending. Nothing is written where one of them
        cannot be. Raises `FileError` for a file that exists, unless `force` is true.
        """
        name = os.fspath(output)
        account = os.fspath(report) if report is not None else None
        outputs = {name: self.data}
        inside = name if is_folder(name) else None
        if inside is not None:
            outputs = into_folder(name, self.data)
        record = record_name(name)
        hashes = {**self._hashes, "output": sha256(self.data)}
        if not is_stream(name):
            outputs[record] = to_bytes(recorded(self._migration, hashes))
        if account is not None:
            form = form_of(account)
            if form is None:
                known = enumerated([*FORMS])
                raise AskedError(f"a report is written as {known}, and {account} ends otherwise")
            outputs[account] = form.written(self._migration, name, hashes, record)
        for file in outputs:
            # The record of an earlier run is replaced with what it is of.
            check_output(file, force or file == record, inside=inside)
        write_all(outputs, inside=inside)
        self._output = name
        return list(outputs)

    def __str__(self) -> str:
        return "\n".join(migration_lines(self._migration, self._output, 100))


def read(
    export: Name, *, platform: str | None = None, nav: str | None = None, site: str | None = None
) -> Export:
    """Read an export from a file, or from a folder or zip of files.

    `platform` is its id, or the path of a profile; found from the file where it is left out. `nav`
    is the CSS selector of what is read of a page in HTML, `site` an address of the site's own that
    the export does not say. Raises `YpsiformError`, whose text names
    the file and the place.
    """
    name = os.fspath(export)
    data = read_bytes(name)
    with _uncollected():
        surveyed, _ = read_site(data, name, platform, nav=nav, site=site)
        surveyed.findings = all_findings(surveyed)
    return Export(surveyed, data)


def survey(export: Name, **asked: Any) -> dict[str, Any]:
    """What is in an export, as plain values: the report of `read(export).report()`."""
    return read(export, **asked).report()


def convert(
    export: Name,
    *,
    to: str | None = None,
    plan: Name | None = None,
    settings: Mapping[str, str] | None = None,
    **asked: Any,
) -> Conversion:
    """Convert an export, and account for every fact of it. Nothing is written to a file.

    `to` is the destination, as `platform/theme`; `plan` the path of a `migration.toml`;
    `settings` are those of the destination's format. All else is asked by the names of the
    options of `ypsiform convert`: `from_`, `nav`, `site`, `into`, `inventory`, `redirects`,
    `visits`, `font` and `record` (names of files), `unmatched`, `depth`, `clash`, `languages`,
    `as_of`, `made_up`, `strict_links`.

    Raises `AskedError` (also a `TypeError` for a name that there is not), and `YpsiformError` for
    what cannot be read or is refused. `AuditError` says that the account does not add up: a fault
    of Ypsiform, and there is no result.

        done = ypsiform.convert("old.xml", to="platform/theme", into="new.json", depth="auto")
    """
    known = {name for name in Request.__struct_fields__ if name not in ("to", "settings")}
    for name in asked:
        if name not in known:
            raise TypeError(f"convert() has no option {name!r}; it has: {', '.join(sorted(known))}")
    named = {
        name: os.fspath(value) if value is not None and name in (*FILES, "record") else value
        for name, value in asked.items()
    }
    given = tuple(f"{name}={value}" for name, value in (settings or {}).items())
    request = Request(**{**named, "to": to, "settings": given})
    name = os.fspath(export)
    decided = None
    if plan is not None:
        decided = read_plan(read_bytes(os.fspath(plan)), os.fspath(plan))
        request.under(decided)
    if request.to is None:
        raise AskedError("name the destination platform: to='platform/theme'")
    data = read_bytes(name)
    job = request.job(data, name, None, decided)
    file = os.fspath(plan) if plan is not None else None
    hashes = {**request.hashes(job, file), "output": None}
    with _uncollected():
        return Conversion(run(job), hashes)


def platforms() -> dict[str, Profile]:
    """The platforms that can be named, by their ids, with those that other packages plug in."""
    return {profile.id: profile for profile in every()}


def profile(file: Name) -> Profile:
    """The profile in a file. Raises `ProfileError` with its line and what was expected."""
    from .profiles.load import load

    return load(str(Path(file)))
