"""`ypsiform draft`: every decision of a conversion, in files to edit."""

from __future__ import annotations

import os
import re
from pathlib import Path
from typing import TYPE_CHECKING

import click
from msgspec.structs import replace

from ..errors import FileError, FormatError
from ..files import check_apart, read_bytes, write_all
from ..job import DECIDED, FILES, Request, relative
from ..migrate import run
from ..profiles.load import find, profile_file, split_platform
from .common import progress, say
from .job import PLAN, job_options

if TYPE_CHECKING:
    from ..plan.file import MigrationPlan

LINKS = "links.csv"


@click.command("draft", short_help="Write every decision of a conversion into files to edit.")
@click.argument("export")
@job_options
@click.option(
    "-o", "--output", metavar="FOLDER", help="Where the files go (for a plan: where it is)."
)
@click.option(
    "--accept-above",
    type=click.FloatRange(0, 100),
    metavar="N",
    help="Take suggested links that are at least N percent sure over into links.csv.",
)
@click.option("--force", is_flag=True, help="Forget what an earlier draft and its edits say.")
def command(
    export: str, asked: Request, output: str | None, accept_above: float | None, force: bool
) -> None:
    """Write migration.toml and links.csv: what Ypsiform would decide about EXPORT, and why.

    Edit them, then run `ypsiform convert --plan FOLDER/migration.toml`. Drafting again keeps the
    edits, and the earlier files with `.1` behind their names. EXPORT can be a plan: then all that
    is not given here is as the plan says it.
    """
    # EXPORT may be a plan, which then stands below every option; the rest is one call of the core.
    from ..draft import drafted
    from ..plan.file import read_plan
    from ..plan.links import edits

    plan = _plan(export)
    if plan is not None:
        if plan.says.export is None:
            raise FormatError("the plan names no export to draft from", file=plan.file)
        asked.under(plan)
        output = output or str(plan.folder)
        export = plan.path(plan.says.export) or ""
    if output is None:
        raise click.UsageError("name the folder for the files with -o.")
    if asked.to is None:
        raise click.UsageError("name the destination platform with --to.")
    to, folder = asked.to, Path(output)
    files = (getattr(asked, name) for name in FILES)
    profiles = (profile_file(asked.from_), profile_file(asked.to))
    check_apart((str(folder / PLAN), str(folder / LINKS)), (export, *files, *profiles))
    data = read_bytes(export)
    old, table = None, b""
    if not force and (plan is not None or (folder / PLAN).exists()):
        here = (folder / PLAN).exists()
        old = read_plan(read_bytes(str(folder / PLAN)), str(folder / PLAN)) if here else plan
        assert old is not None
        named = old.path(old.says.links or LINKS) or ""
        table = read_bytes(named) if Path(named).exists() else b""
        for name in DECIDED:
            setattr(asked, name, getattr(asked, name) or getattr(old.says, name))
        for name in FILES:
            setattr(asked, name, getattr(asked, name) or old.path(getattr(old.says, name)))
    job = asked.job(data, export, None, old, {})
    with progress(len(data)) as tell:
        done = run(job, tell)
    decided = edits(table, str(folder / LINKS), done.fitted) if table else {}
    if decided:
        done = run(replace(job, decided=decided))
    source = done.source.site
    platform = source.platform + (f"/{source.theme}" if source.theme else "")
    theme = done.fitted.theme
    says = asked.told(folder)
    says.export = relative(export, folder)
    says.from_ = says.from_ or ("ypsiform" if done.source.document else platform)
    if split_platform(to)[1] is None and theme and find(to)[0].themes:
        says.to = f"{says.to}/{theme}"
    says.output = "import" + (Path(asked.into).suffix if asked.into else "")
    says.effort = job.options.measure
    made = drafted(done, says, old, decided, find(to)[0].locations.declare, accept_above)
    _write(folder, {PLAN: made.plan, LINKS: made.links}, force)
    if asked.from_ is None:
        say(f"{export} is {done.source.called}.")
    say(f"Written: {folder / PLAN}, {folder / LINKS}")
    say(f"Look at them, then: ypsiform convert --plan {folder / PLAN}")


def _plan(name: str) -> MigrationPlan | None:
    """The plan of this name, or in the folder of this name; None for anything else."""
    from ..plan.file import read_plan

    if os.path.isdir(name):
        name = os.path.join(name, PLAN)
    if not name.endswith(".toml") or not os.path.exists(name):
        return None
    data = read_bytes(name)
    return read_plan(data, name) if re.search(rb"(?m)^migration\s*=", data) else None


def _write(folder: Path, files: dict[str, bytes], force: bool) -> None:
    """Write files, those that were there kept with `.1` behind their names."""
    if folder.exists() and not folder.is_dir():
        raise FileError("this is a file; name a folder", file=str(folder))
    outputs: dict[str, bytes] = {}
    for name, data in files.items():
        path = folder / name
        if path.exists() and not force and path.read_bytes() != data:
            outputs[f"{path}.1"] = path.read_bytes()
        outputs[str(path)] = data
    write_all(outputs, inside=str(folder))
