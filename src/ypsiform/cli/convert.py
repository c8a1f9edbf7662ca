"""`ypsiform convert`: write the import file, and say what was lost."""

from __future__ import annotations

import os

import click

from ..files import STANDARD, check_output, into_folder, is_folder, read_bytes, write_all
from ..findings import SEVERITIES, Severity
from ..fit import Options
from ..fit.work import CLASHES
from ..migrate import Migration, convert
from ..plan.file import MigrationPlan
from ..profiles.files import SEVERAL
from ..profiles.load import find
from .common import (
    depth_option,
    font_option,
    force_option,
    from_option,
    inventory_option,
    json_option,
    listed_in,
    nav_option,
    progress,
    redirects_option,
    say,
    show,
    style,
    visits_in,
    visits_option,
    width,
)


@click.command("convert", short_help="Write the import file and show the losses.")
@click.argument("export", required=False)
@from_option
@nav_option
@click.option("--to", metavar="PLATFORM[/THEME]", help="The destination platform.")
@click.option(
    "--plan",
    "plan_file",
    metavar="FILE",
    help="Decisions to convert by; it can name the export, the platforms and the output.",
)
@click.option(
    "--into",
    metavar="FILE",
    help="An export of the destination: its pages, and the menus to update.",
)
@font_option
@inventory_option
@redirects_option
@click.option("-o", "--output", metavar="PATH", help="The import file to write.")
@click.option("--report", multiple=True, metavar="FILE.json", help="Also write the report.")
@click.option(
    "--fail-on",
    type=click.Choice(SEVERITIES),
    help="Exit with 3 when a loss is at least this severe.",
)
@click.option("--backup", metavar="FILE", help="Keep what --into held in this file.")
@click.option("--strict-links", is_flag=True, help="Refuse while an internal link is unmatched.")
@click.option(
    "--unmatched",
    type=click.Choice(["none", "address"]),
    help="What an unmatched internal link becomes (none).",
)
@click.option(
    "--set",
    "settings",
    multiple=True,
    metavar="NAME=VALUE",
    help="A setting of the destination's format; `ypsiform platforms P` lists them.",
)
@depth_option
@visits_option
@click.option(
    "--clash",
    type=click.Choice(CLASHES),
    help="What becomes of a second menu for one location (first: it gets none).",
)
@click.option("--made-up", is_flag=True, help="Also convert menus that the platform made up.")
@json_option
@force_option
def command(
    export: str | None,
    from_: str | None,
    nav: str | None,
    to: str | None,
    plan_file: str | None,
    into: str | None,
    font: str | None,
    inventory: str | None,
    redirects: str | None,
    output: str | None,
    report: tuple[str, ...],
    fail_on: Severity | None,
    backup: str | None,
    strict_links: bool,
    unmatched: str | None,
    depth: str | None,
    visits: str | None,
    clash: str | None,
    settings: tuple[str, ...],
    made_up: bool,
    as_json: bool,
    force: bool,
) -> int:
    """Write the menus of EXPORT in the import format of another platform."""
    plan: MigrationPlan | None = None
    links: tuple[bytes, str] | None = None
    if plan_file is not None:
        from ..plan.file import read_plan

        plan = read_plan(read_bytes(plan_file), plan_file)
        says = plan.says
        export, into = export or plan.path(says.export), into or plan.path(says.into)
        from_, to = from_ or says.from_, to or says.to
        output = output or plan.path(says.output)
        font = font or plan.path(says.font)
        inventory = inventory or plan.path(says.inventory)
        redirects = redirects or plan.path(says.redirects)
        unmatched, clash = unmatched or says.unmatched, clash or says.clash
        depth, visits = depth or says.depth, visits or plan.path(says.visits)
        made_up = made_up or bool(says.made_up)
        settings = (*(f"{name}={value}" for name, value in says.settings.items()), *settings)
        table = plan.path(says.links)
        links = (read_bytes(table), table) if table else None
    export, to, output = _named(export, to, output)
    if backup is not None and into is None:
        raise click.UsageError("--backup keeps what --into held, and there is no --into.")
    kept = (backup,) if backup is not None else ()
    _check(export, into, to, output, report, kept, as_json, force)
    data = read_bytes(export)
    standing = (read_bytes(into), into) if into else None
    options = Options(
        made_up=made_up,
        unmatched=unmatched or "none",
        strict_links=strict_links,
        clash=clash or "first",
        depth=depth or "lift",
        visits=visits_in(visits),
        listed=listed_in(inventory),
        font=(read_bytes(font), font) if font else None,
    )
    with progress(len(data)) as tell:
        migration = convert(
            data,
            export,
            to,
            from_=from_,
            into=standing,
            options=options,
            settings=_settings(settings, to, output),
            nav=nav,
            plan=plan,
            links=links,
            redirects=(read_bytes(redirects), redirects) if redirects else None,
            tell=tell,
        )
    outputs = {output: migration.data}
    if is_folder(output):
        outputs = into_folder(output, migration.data)
        for name in outputs:
            check_output(name, force)
    if backup is not None and standing is not None:
        outputs[backup] = standing[0]
    account = b""
    if report or as_json:
        from ..report import json

        account = json.to_bytes(json.of_migration(migration, output))
        outputs.update(dict.fromkeys(report, account))
    write_all(outputs)
    if as_json:
        click.echo(account, nl=False)
    elif output != STANDARD:
        from ..report.terminal import migration_lines

        if from_ is None:
            say(f"{export} is {migration.source.called}.")
        show(migration_lines(migration, output, width(), style))
        say(f"Written: {', '.join(outputs)}")
    return 3 if fail_on and _reaches(migration, fail_on) else 0


def _named(export: str | None, to: str | None, output: str | None) -> tuple[str, str, str]:
    """What must be named, here or in a plan."""
    if export is None:
        raise click.UsageError("name the export to convert, or a plan that names it with --plan.")
    if to is None:
        raise click.UsageError("name the destination platform with --to.")
    if output is None:
        raise click.UsageError("name the file to write with -o (--output).")
    return export, to, output


def _settings(given: tuple[str, ...], to: str, output: str) -> dict[str, str]:
    """The settings by name; the form of a document follows the name of the output."""
    found: dict[str, str] = {}
    for words in given:
        name, sign, value = words.partition("=")
        if not sign or not name:
            raise click.UsageError(f"--set takes NAME=VALUE, not {words!r}.")
        found[name] = value
    profile = find(to)[0]
    if profile.also and "form" in profile.settings and "form" not in found:
        from ..profiles.documents import ENDINGS, FOLDER

        ending = ENDINGS.get(output.rpartition(".")[2].lower())
        if is_folder(output):
            found["form"] = FOLDER
        elif ending in (profile.container, *profile.also):
            found["form"] = ending
    return found


def _check(
    export: str,
    into: str | None,
    to: str,
    output: str,
    report: tuple[str, ...],
    backup: tuple[str, ...],
    as_json: bool,
    force: bool,
) -> None:
    """Refuse what cannot work, before anything is read."""
    if as_json and output == STANDARD:
        raise click.UsageError("--json and -o - both write to standard output; name a file.")
    if export == into == STANDARD:
        raise click.UsageError("only one file can come from standard input.")
    for name in report:
        if not name.lower().endswith(".json"):
            raise click.UsageError(f"a report is written as .json, and {name} ends otherwise.")
    written = (output, *report, *backup)
    paths = [os.path.realpath(name) for name in written if name != STANDARD]
    if len(set(paths)) < len(paths):
        raise click.UsageError("the output, the reports and the backup must be different files.")
    inputs = {os.path.realpath(name) for name in (export, into) if name and name != STANDARD}
    if inputs & set(paths):
        raise click.UsageError("an output would replace a file that is read; name another one.")
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
