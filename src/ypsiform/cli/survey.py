"""`ypsiform survey`: what is there."""

from __future__ import annotations

import click

from ..files import check_apart, check_output, read_bytes, write_all
from ..profiles.load import profile_file
from ..reading import all_findings, read
from ..record import sha256
from .common import (
    force_option,
    form_of_report,
    from_option,
    json_option,
    nav_option,
    progress,
    put,
    say,
    show,
    style,
    width,
)


@click.command("survey", short_help="Show what is in an export.")
@click.argument("export")
@from_option
@nav_option
@json_option
@click.option(
    "--report",
    multiple=True,
    metavar="FILE",
    help="Also write the report: the page (.html), .md, .csv, .xlsx or .json; may be repeated.",
)
@force_option
@click.option("--full", is_flag=True, help="Show every item of long menus.")
def command(
    export: str,
    from_: str | None,
    nav: str | None,
    as_json: bool,
    report: tuple[str, ...],
    force: bool,
    full: bool,
) -> None:
    """Show what is in EXPORT: menus, locations, depth, kinds, doubles, broken and unread things."""
    for name in report:
        form_of_report(name)
        check_output(name, force)
    check_apart(report, (export, profile_file(from_)))
    data = read_bytes(export)
    with progress(len(data)) as tell:
        surveyed, _ = read(data, export, from_, tell, nav)
    surveyed.findings = all_findings(surveyed)
    hashes = {"source": sha256(data)}
    outputs = {}
    for name in report:
        outputs[name] = form_of_report(name).surveyed(surveyed, hashes)
    write_all(outputs)
    if as_json:
        from ..report import json

        put(json.surveyed(surveyed, hashes))
        return
    from ..report.terminal import survey_lines

    if from_ is None:
        say(f"{export} is {surveyed.called}.")
    show(survey_lines(surveyed, width(), style, full))
    if outputs:
        say(f"Written: {', '.join(outputs)}")
