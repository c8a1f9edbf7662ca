"""`ypsiform convert`: write the import file, and say what was lost."""

from __future__ import annotations

import os
import shlex
from pathlib import Path

import click

from ..errors import FileError, FormatError, RefusedError
from ..files import (
    STANDARD,
    check_apart,
    check_output,
    into_folder,
    is_folder,
    is_stream,
    read_bytes,
    write_all,
)
from ..findings import SEVERITIES, Severity
from ..job import FILES, Request, record_name
from ..migrate import recorded, run
from ..profiles.files import SEVERAL
from ..profiles.load import find, profile_file
from ..proof import Migration
from ..record import read_record, sha256, to_bytes
from ..text import escaped
from .common import (
    force_option,
    form_of_report,
    json_option,
    progress,
    put,
    say,
    show,
    style,
    verbose_option,
    width,
)
from .job import as_typed, job_options, plan_option, planned


@click.command("convert", short_help="Write the import file and show the losses.")
@click.argument("export", required=False)
@job_options
@plan_option
@click.option("-o", "--output", metavar="PATH", help="The import file to write.")
@click.option(
    "--report",
    multiple=True,
    metavar="FILE",
    help="Also write the report: the page (.html), .md, .csv, .xlsx or .json; may be repeated.",
)
@click.option(
    "--redirects-out",
    metavar="FILE.csv",
    help="Also write which addresses changed: old,new.",
)
@click.option(
    "--fail-on",
    type=click.Choice(SEVERITIES),
    help="Exit with 3 when a loss is at least this severe.",
)
@click.option("--backup", metavar="FILE", help="Keep what --into held in this file.")
@click.option("--strict-links", is_flag=True, help="Refuse while an internal link is unmatched.")
@json_option
@verbose_option
@force_option
def command(
    export: str | None,
    asked: Request,
    plan_file: str | None,
    output: str | None,
    report: tuple[str, ...],
    redirects_out: str | None,
    fail_on: Severity | None,
    backup: str | None,
    as_json: bool,
    verbose: bool,
    force: bool,
) -> int:
    """Write the menus of EXPORT in the import format of another platform."""
    plan, plan_file = planned(plan_file, asked)
    if plan is not None:
        export = export or plan.path(plan.says.export)
        output = output or plan.path(plan.says.output)
    if asked.to is None and export is not None and plan is None and export.endswith(".toml"):
        raise click.UsageError(
            f"name the destination platform with --to; or, if {export} is a plan, convert by it "
            f"with --plan {export}."
        )
    export, to, output = _named(export, asked.to, output)
    into = asked.into
    if backup is not None and into is None:
        raise click.UsageError("--backup keeps what --into held, and there is no --into.")
    kept = tuple(name for name in (backup, redirects_out) if name is not None)
    again = plan is not None and _as_it_was_written(output)
    _check(export, into, to, output, report, kept, as_json, force or again)
    named = plan.path(plan.says.links) if plan is not None else None
    files = (getattr(asked, name) for name in FILES)
    profiles = (profile_file(asked.from_), profile_file(asked.to))
    read = (export, plan_file, named, *files, *profiles)
    check_apart((output, record_name(output), *report, *kept), read)
    if plan is not None:
        _say_outside(plan.folder, output)
    _check_record(output, force)
    data = read_bytes(export)
    job = asked.job(data, export, output, plan)
    with progress(len(data)) as tell:
        migration = run(job, tell)
    if not migration.source.site.menus and not migration.source.site.contents:
        raise RefusedError("there is no menu in it, and so nothing to convert", file=export)
    outputs = {output: migration.data}
    if is_folder(output):
        outputs = into_folder(output, migration.data)
        for name in outputs:
            check_output(name, force, inside=output)
        check_apart(outputs, read)
    if backup is not None and job.into is not None:
        outputs[backup] = job.into[0]
    hashes = {**asked.hashes(job, plan_file), "output": sha256(migration.data)}
    kept_as = None if is_stream(output) else record_name(output)
    if kept_as is not None:
        outputs[kept_as] = to_bytes(recorded(migration, hashes))
    for name in report:
        outputs[name] = form_of_report(name).written(migration, output, hashes, kept_as)
    if redirects_out is not None:
        from ..look.links import redirects_table

        outputs[redirects_out] = redirects_table(migration)
    write_all(outputs, inside=output if is_folder(output) else None)
    if as_json:
        from ..report import json

        put(escaped(json.written(migration, output, hashes, kept_as)))
    elif output != STANDARD:
        from ..report.terminal import migration_lines

        if asked.from_ is None:
            say(f"{export} is {migration.source.called}.")
        profile, theme = find(to)
        if theme is None and len(profile.themes) > 1 and into is None:
            others = ", ".join(f"{profile.id}/{name}" for name in profile.themes)
            say(f"{to} has several themes ({others}): this is for {migration.fitted.theme}.")
        show(migration_lines(migration, output, width(), style, everything=verbose))
        page = next((name for name in report if name.lower().endswith(".html")), None)
        say(
            f"To see before and after, and to send: open {page} in a browser."
            if page is not None
            else f"To see before and after: {_to_see(export, plan_file, output)}"
        )
        say(f"Written: {', '.join(name for name in outputs if name != kept_as)}")
        if kept_as is not None:
            say(f"Kept for the next run: {kept_as}")
    return 3 if fail_on and _reaches(migration, fail_on) else 0


def _to_see(export: str, plan_file: str | None, output: str) -> str:
    """The command that writes the page of this conversion."""
    page = f"{os.path.splitext(output.rstrip(os.sep))[0]}.html"
    while page in (export, output):
        page = f"{page}.html"
    given = [export]
    if plan_file is not None:
        named = click.get_current_context().params["export"]
        given = [*([named] if named else []), "--plan", plan_file]
    return shlex.join(["ypsiform", "preview", *given, *as_typed(), "-o", page])


def _say_outside(folder: Path, output: str) -> None:
    """Say that a plan writes outside its own folder, before that is done."""
    if output != STANDARD and folder.resolve() not in Path(output).resolve().parents:
        say(f"The plan has its import written outside its folder: {output}")


def _as_it_was_written(output: str) -> bool:
    """Whether a file is just as an earlier run wrote it, by the record beside it."""
    record = record_name(output)
    if output == STANDARD or not (os.path.isfile(output) and os.path.exists(record)):
        return False
    written = read_record(read_bytes(record), record).hashes.get("output")
    return written == sha256(read_bytes(output))


def _check_record(output: str, force: bool) -> None:
    """Refuse to write a record over a file that is none."""
    record = record_name(output)
    if is_stream(output) or force or not os.path.exists(record):
        return
    try:
        read_record(read_bytes(record), record)
    except FormatError:
        raise FileError(
            "the record of the conversion would be written here, and this file is none; use "
            "--force to replace it",
            file=record,
        ) from None


def _named(export: str | None, to: str | None, output: str | None) -> tuple[str, str, str]:
    """What must be named, here or in a plan."""
    if export is None:
        raise click.UsageError("name the export to convert, or a plan that names it with --plan.")
    if to is None:
        raise click.UsageError("name the destination platform with --to.")
    if output is None:
        raise click.UsageError("name the file to write with -o (--output).")
    return export, to, output


def _check(
    export: str,
    into: str | None,
    to: str,
    output: str,
    report: tuple[str, ...],
    kept: tuple[str, ...],
    as_json: bool,
    force: bool,
) -> None:
    """Refuse what cannot work, before anything is read."""
    if as_json and output == STANDARD:
        raise click.UsageError("--json and -o - both write to standard output; name a file.")
    if export == into == STANDARD:
        raise click.UsageError("only one file can come from standard input.")
    for name in report:
        form_of_report(name)
    written = (output, *report, *kept)
    paths = [os.path.realpath(name) for name in written if name != STANDARD]
    if len(set(paths)) < len(paths):
        raise click.UsageError("the output, the reports and the rest must be different files.")
    for name in written:
        profile = find(to)[0]
        folders = profile.container == SEVERAL or profile.folder is not None
        if name == output and is_folder(output) and folders:
            continue  # its files are looked at when their names are known
        check_output(name, force)


def _reaches(migration: Migration, severity: Severity) -> bool:
    worst = SEVERITIES[: SEVERITIES.index(severity) + 1]
    return any(
        found.outcome is not None and found.severity in worst for found in migration.findings
    )
