"""`ypsiform survey`: what is there."""

from __future__ import annotations

import click

from ..files import read_bytes
from ..reading import all_findings, read
from ..record import sha256
from .common import from_option, json_option, nav_option, progress, put, say, show, style, width


@click.command("survey", short_help="Show what is in an export.")
@click.argument("export")
@from_option
@nav_option
@json_option
@click.option("--full", is_flag=True, help="Show every item of long menus.")
def command(export: str, from_: str | None, nav: str | None, as_json: bool, full: bool) -> None:
    """Show what is in EXPORT: menus, locations, depth, kinds, doubles, broken and unread things."""
    data = read_bytes(export)
    with progress(len(data)) as tell:
        surveyed, _ = read(data, export, from_, tell, nav)
    surveyed.findings = all_findings(surveyed)
    if as_json:
        from ..report import json

        hashes = {"source": sha256(data)}
        put(json.to_bytes(json.of_survey(surveyed, hashes)))
        return
    from ..report.terminal import survey_lines

    if from_ is None:
        say(f"{export} is {surveyed.called}.")
    show(survey_lines(surveyed, width(), style, full))
