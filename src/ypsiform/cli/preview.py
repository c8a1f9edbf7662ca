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
from .job import job_options


@click.command("preview", short_help="Show what visitors see, before and after, as a page.")
@click.argument("export")
@job_options
@click.option("-o", "--output", metavar="FILE.html", required=True, help="The page to write.")
@force_option
def command(export: str, asked: Request, output: str, force: bool) -> None:
    """Write a page of what visitors see of EXPORT, and with --to of what they will see.

    Nothing else is written. The page stands alone: it can be sent, printed, and read without
    script.
    """
    if not output.lower().endswith(".html"):
        raise click.UsageError(f"the page is written as .html, and {output} ends otherwise.")
    check_output(output, force)
    files = (getattr(asked, name) for name in FILES)
    profiles = (profile_file(asked.from_), profile_file(asked.to or ""))
    check_apart((output,), (export, *files, *profiles))
    data = read_bytes(export)
    if asked.to is None:
        with progress(len(data)) as tell:
            surveyed, _ = read(data, export, asked.from_, tell, asked.nav)
        surveyed.findings = all_findings(surveyed)
        page = html.surveyed(surveyed, {"source": sha256(data)})
    else:
        job = asked.job(data, export, "", None)
        with progress(len(data)) as tell:
            migration = run(job, tell)
        if not migration.source.site.menus:
            raise RefusedError("there is no menu in it, and so nothing to show", file=export)
        page = html.written(migration, "", asked.hashes(job, None), None)
    write_all({output: page})
    say(f"Written: {output}. Open it in a browser.")
