"""`ypsiform demo`: the whole example, from the old site's export to the new site's import."""

from __future__ import annotations

from pathlib import Path

import click

from ..demo import contents
from ..errors import FileError
from ..files import check_output, write_all
from ..job import record_name
from ..migrate import convert, recorded
from ..reading import all_findings, read
from ..record import sha256, to_bytes
from ..report import html, json
from ..report.terminal import (
    PANEL_HEAD,
    finding_lines,
    migration_lines,
    panel_line,
    survey_lines,
)
from .common import force_option, show, style, width


@click.command("demo", short_help="Write the demo data and run the whole example.")
@click.argument("folder", default="ypsiform-demo")
@force_option
def command(folder: str, force: bool) -> None:
    """Write the demo data to FOLDER (ypsiform-demo), survey the old site, and convert its menus."""
    place = Path(folder)
    data = contents(place)
    old, new = str(place / "old.xml"), str(place / "new.json")
    summer = str(place / "season.json")
    made, page = str(place / "import.json"), str(place / "report.html")
    account = str(place / "report.json")
    _prepare(place, [*data, made, page, account], force)

    show([style("1. The demo data", "title")])
    write_all(data)
    show(
        [
            "Skerryline, a made-up ferry company, moves its site from Quillmoor to Stallmere.",
            f"  {old}: the old site's export, with six menus",
            f"  {new}: the new site's export, with its pages and two menus",
            f"  {place / 'visits.csv'}: visits to forty addresses of the old site",
            f"  {summer}: its summer bar, which an add-on shows: a grid, tabs and a submenu",
            "",
            style("2. What is there", "title") + f"   ypsiform survey {old}",
        ]
    )
    surveyed, _ = read(data[old], old)
    surveyed.findings = all_findings(surveyed)
    lines = survey_lines(surveyed, width(), style)
    show(line for line, _ in zip(lines, range(14), strict=False))
    show(["  … and so on; run the command to see it all", ""])

    title = style("3. Convert it, into what the new site already holds", "title")
    command_line = (
        f"   ypsiform convert {old} --to stallmere/plain --into {new} -o {made}",
        f"      --report {page} --report {account}",
    )
    show([title, *command_line])
    forms = ((page, html), (account, json))
    migration = convert(data[old], old, "stallmere/plain", into=(data[new], new))
    hashes = {
        "source": sha256(data[old]),
        "into": sha256(data[new]),
        "output": sha256(migration.data),
    }
    kept_as = record_name(made)
    reports = {name: form.written(migration, made, hashes, kept_as) for name, form in forms}
    record = to_bytes(recorded(migration, hashes))
    write_all({made: migration.data, **reports, kept_as: record})
    head = []
    for line in migration_lines(migration, made, width(), style, everything=False):
        if line.startswith(style("HIGH", "high")):
            break
        head.append(line)
    show(head)
    grave = [f for f in migration.findings if f.severity == "high"]
    show(finding_lines(grave, width(), style, 2, "the page has them all"))
    _show_panels(data[summer], summer, data[new], new)
    show(
        [
            style("5. What to open next", "title"),
            f"  {page}: before and after, for the client; open it in a browser",
            f"  {made}: what Stallmere imports",
            f"  {account}: every finding, and the account of every fact",
            "  ypsiform explain link.unresolved: any code in plain words",
            "  What becomes of each block of a panel, in step 4, as a page:",
            f"     ypsiform preview {summer} --to stallmere/broad --into {new} -o broad.html",
        ]
    )


PANELLED = (
    *("fanlight", "stallmere/broad", "stallmere/terrace", "quillmoor/breakwater"),
    *("quillmoor/slipway", "tilewick/gable", "arborcote/ridge", "stallmere/plain"),
)
"""Where the panels of the demo go: one place for each way of keeping them, and one without."""


def _show_panels(summer: bytes, file: str, new: bytes, there: str) -> None:
    """Convert a bar with panels to each place, and say what is left of them."""
    show(
        [
            style("4. Its panels, in every way of keeping them", "title"),
            f"   ypsiform convert {file} --to PLATFORM/THEME -o FILE",
            style(PANEL_HEAD, "dim"),
        ]
    )
    for to in PANELLED:
        into = (new, there) if to.startswith("stallmere") else None
        show([panel_line(to, convert(summer, file, to, into=into))])
    show([""])


def _prepare(place: Path, outputs: list[str], force: bool) -> None:
    if place.exists() and not place.is_dir():
        raise FileError("this is a file; name a folder", file=str(place))
    try:
        place.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"the folder cannot be made: {error.strerror}", file=str(place)) from None
    for name in outputs:
        check_output(name, force)
