"""`ypsiform survey`: what is there."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from ..errors import UnknownError, YpsiformError
from ..files import check_apart, check_output, read_bytes, write_all
from ..profiles.load import profile_file
from ..reading import all_findings, read
from ..record import sha256
from ..text import escaped
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
    site_option,
    style,
    width,
)

if TYPE_CHECKING:
    from ..guess import Draft
    from ..reading import Surveyed


@click.command("survey", short_help="Show what is in an export.")
@click.argument("export")
@from_option
@nav_option
@site_option
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
    site: str | None,
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
    first: Draft | None = None
    with progress(len(data)) as tell:
        try:
            surveyed, _ = read(data, export, from_, tell, nav, site=site)
        except UnknownError as unknown:
            first, surveyed = _as_guessed(data, export, unknown, site)
    surveyed.findings = all_findings(surveyed)
    hashes = {"source": sha256(data)}
    outputs = {}
    for name in report:
        outputs[name] = form_of_report(name).surveyed(surveyed, hashes)
    write_all(outputs)
    if as_json:
        from ..report import json

        put(escaped(json.surveyed(surveyed, hashes)))
        return
    from ..report.terminal import survey_lines

    if first is not None:
        from ..first_profile import leaves_links

        marked = first.uncertain + leaves_links(surveyed)
        marks = f", {marked} of its guesses uncertain" if marked else ""
        say(
            f"{export} is of no platform that Ypsiform knows. This is how a first profile reads it "
            f"(score {first.weight:.2f}{marks}):"
        )
    elif from_ is None:
        say(f"{export} is {surveyed.called}.")
    show(survey_lines(surveyed, width(), style, full))
    if outputs:
        say(f"Written: {', '.join(outputs)}")
    if first is not None:
        say(f"To keep this profile and mend it: ypsiform profile new {export} -o my.toml")
        say(f"Other readings of the file: ypsiform profile new {export} --show 3")


def _as_guessed(
    data: bytes, export: str, unknown: UnknownError, site: str | None
) -> tuple[Draft, Surveyed]:
    """A file of no known platform as its first profile reads it, and that profile."""
    from ..first_profile import sound
    from ..guess import POOR

    try:
        first, surveyed = sound(data, export, site=site)
    except YpsiformError:
        raise unknown from None
    if first.weight < POOR:
        raise unknown
    return first, surveyed
