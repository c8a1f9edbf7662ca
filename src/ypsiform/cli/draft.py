"""`ypsiform draft`: every decision of a conversion, in files to edit."""

from __future__ import annotations

import os
from pathlib import Path

import click

from ..decisions import LinkChoice, Pair
from ..errors import FileError
from ..files import read_bytes, write_all
from ..fit import Options
from ..fit.work import CLASHES
from ..migrate import Migration, Progress, convert, silent
from .common import (
    depth_option,
    from_option,
    inventory_option,
    listed_in,
    nav_option,
    progress,
    redirects_option,
    say,
    visits_in,
    visits_option,
)

PLAN, LINKS = "migration.toml", "links.csv"


@click.command("draft", short_help="Write every decision of a conversion into files to edit.")
@click.argument("export")
@from_option
@nav_option
@click.option("--to", required=True, metavar="PLATFORM[/THEME]", help="The destination platform.")
@click.option("--into", metavar="FILE", help="An export of the destination.")
@inventory_option
@redirects_option
@click.option("-o", "--output", required=True, metavar="FOLDER", help="Where the files go.")
@click.option(
    "--unmatched",
    type=click.Choice(["none", "address"]),
    default="none",
    show_default=True,
    help="What an unmatched internal link becomes.",
)
@depth_option
@visits_option
@click.option(
    "--clash",
    type=click.Choice(CLASHES),
    default="first",
    show_default=True,
    help="What becomes of a second menu for one location.",
)
@click.option("--made-up", is_flag=True, help="Also convert menus that the platform made up.")
@click.option("--force", is_flag=True, help="Forget what an earlier draft and its edits say.")
def command(
    export: str,
    from_: str | None,
    nav: str | None,
    to: str,
    into: str | None,
    inventory: str | None,
    redirects: str | None,
    output: str,
    unmatched: str,
    depth: str | None,
    visits: str | None,
    clash: str,
    made_up: bool,
    force: bool,
) -> None:
    """Write migration.toml and links.csv: what Ypsiform would decide about EXPORT, and why.

    Edit them, then run `ypsiform convert --plan FOLDER/migration.toml`. Drafting again keeps the
    edits, and the earlier files with `.1` behind their names.
    """
    from ..plan.draft import Names, drafted
    from ..plan.file import read_plan
    from ..plan.links import edits

    folder = Path(output)
    data = read_bytes(export)
    standing = (read_bytes(into), into) if into else None
    options = Options(
        made_up=made_up,
        unmatched=unmatched,
        clash=clash,
        depth=depth or "lift",
        visits=visits_in(visits),
        listed=listed_in(inventory),
    )
    moved = (read_bytes(redirects), redirects) if redirects else None
    old, table = None, b""
    if not force and (folder / PLAN).exists():
        old = read_plan(read_bytes(str(folder / PLAN)), str(folder / PLAN))
        named = old.path(old.says.links or LINKS) or ""
        table = read_bytes(named) if Path(named).exists() else b""

    def run(decided: dict[Pair, LinkChoice], tell: Progress = silent) -> Migration:
        return convert(
            data,
            export,
            to,
            from_=from_,
            into=standing,
            options=options,
            nav=nav,
            redirects=moved,
            decided=decided,
            tell=tell,
        )

    with progress(len(data)) as tell:
        done = run({}, tell)
    decided = edits(table, str(folder / LINKS), done.fitted) if table else {}
    if decided:
        done = run(decided)
    source = done.source.site
    platform = source.platform + (f"/{source.theme}" if source.theme else "")
    theme = done.fitted.theme
    there = to if "/" in to or not theme else f"{to}/{theme}"
    names = Names(
        _relative(export, folder),
        from_ or ("ypsiform" if done.source.document else platform),
        there,
        _relative(into, folder) if into else None,
        "import" + (Path(into).suffix if into else ""),
        unmatched,
        clash,
        made_up,
        _relative(inventory, folder) if inventory else None,
        _relative(redirects, folder) if redirects else None,
        _relative(visits, folder) if visits else None,
        depth or "lift",
    )
    made = drafted(done, names, old, decided)
    _write(folder, {PLAN: made.plan, LINKS: made.links}, force)
    if from_ is None:
        say(f"{export} is {done.source.called}.")
    say(f"Written: {folder / PLAN}, {folder / LINKS}")
    say(f"Look at them, then: ypsiform convert --plan {folder / PLAN}")


def _relative(name: str, folder: Path) -> str:
    """A path as it is seen from a folder."""
    return Path(os.path.relpath(name, folder)).as_posix() if name != "-" else name


def _write(folder: Path, files: dict[str, bytes], force: bool) -> None:
    """Write files, those that were there kept with `.1` behind their names."""
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise FileError(f"the folder cannot be made: {error.strerror}", file=str(folder)) from None
    outputs: dict[str, bytes] = {}
    for name, data in files.items():
        path = folder / name
        if path.exists() and not force and path.read_bytes() != data:
            outputs[f"{path}.1"] = path.read_bytes()
        outputs[str(path)] = data
    write_all(outputs)
