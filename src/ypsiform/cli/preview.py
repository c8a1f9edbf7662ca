"""`ypsiform preview`: what visitors see, as a page."""

from __future__ import annotations

import click

from ..errors import RefusedError
from ..files import check_apart, check_output, read_bytes, write_all
from ..job import FILES, Request
from ..migrate import run
from ..profiles.load import profile_file
from ..reading import all_findings, read
from ..record import sha256
from ..report import html
from .common import force_option, progress, say
from .job import job_options, plan_option, planned


@click.command("preview", short_help="Show what visitors see, before and after, as a page.")
@click.argument("export", required=False)
@job_options
@plan_option
@click.option("-o", "--output", metavar="FILE.html", help="The page to write.")
@click.option("--png", metavar="FILE.png", help="A picture of it, by an installed browser.")
@click.option(
    "--width",
    type=click.IntRange(200, 4000),
    default=1280,
    show_default=True,
    help="How wide the picture is, in pixels.",
)
@force_option
def command(
    export: str | None,
    asked: Request,
    plan_file: str | None,
    output: str | None,
    png: str | None,
    width: int,
    force: bool,
) -> None:
    """Write a page of what visitors see of EXPORT, and with --to of what they will see.

    Nothing else is written. The page stands alone: it can be sent, printed, and read without
    script.
    """
    plan, plan_file = planned(plan_file, asked)
    if plan is not None:
        export = export or plan.path(plan.says.export)
    if export is None:
        raise click.UsageError("name the export to show, or a plan that names it with --plan.")
    if output is None and png is None:
        raise click.UsageError("name the page to write with -o, or a picture with --png.")
    for name, ending in ((output, ".html"), (png, ".png")):
        if name is not None and not name.lower().endswith(ending):
            raise click.UsageError(f"this is written as {ending}, and {name} ends otherwise.")
    outputs = [name for name in (output, png) if name is not None]
    for name in outputs:
        check_output(name, force)
    files = (getattr(asked, name) for name in FILES)
    profiles = (profile_file(asked.from_), profile_file(asked.to or ""))
    named = plan.path(plan.says.links) if plan is not None else None
    check_apart(outputs, (export, plan_file, named, *files, *profiles))
    data = read_bytes(export)
    if asked.to is None:
        with progress(len(data)) as tell:
            surveyed, _ = read(data, export, asked.from_, tell, asked.nav, site=asked.site)
        surveyed.findings = all_findings(surveyed)
        page = html.surveyed(surveyed, {"source": sha256(data)})
    else:
        job = asked.job(data, export, "", plan)
        with progress(len(data)) as tell:
            migration = run(job, tell)
        if not migration.source.site.menus:
            raise RefusedError("there is no menu in it, and so nothing to show", file=export)
        page = html.written(migration, "", asked.hashes(job, plan_file), None)
    if output is not None:  # a picture that cannot be taken is no reason to do without the page
        write_all({output: page})
        say(f"Written: {output}. Open it in a browser.")
    if png is not None:
        from ..browser import picture

        write_all({png: picture(page, width)})
        say(f"Written: {png}.")
