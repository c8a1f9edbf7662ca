"""Options and habits that commands share."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from typing import IO, TYPE_CHECKING, Any

import click

from ..files import STANDARD, write_all, write_whole
from ..text import printable

if TYPE_CHECKING:
    from ..report import Form

NARROWEST = 32
"""Columns of a terminal that lines are wrapped for at the least."""

LARGE = 5_000_000
"""Bytes from which on progress is shown: fewer than 100,000 items."""

_STYLES: dict[str, dict[str, Any]] = {
    "title": {"bold": True},
    "dim": {"dim": True},
    "mark": {"fg": "green"},
    "high": {"fg": "red", "bold": True},
    "medium": {"fg": "magenta", "bold": True},
    "low": {"bold": True},
    "note": {"bold": True},
}

from_option = click.option(
    "--from",
    "from_",
    metavar="PLATFORM",
    help="The platform of the export; found from the file when left out.",
)
nav_option = click.option(
    "--nav",
    metavar="SELECTOR",
    help="Of a page in HTML: the part to read, as a CSS selector; its landmarks when left out.",
)


def _address(_context: click.Context, _option: click.Parameter, said: str | None) -> str | None:
    """An address of a site as it was meant. Raises `UsageError` for what is none."""
    if said is None:
        return None
    from ..errors import AskedError
    from ..reading import site_address

    try:
        return site_address(said)
    except AskedError as error:
        raise click.UsageError(error.message) from None


site_option = click.option(
    "--site",
    metavar="ADDRESS",
    callback=_address,
    help="The old site's own address, where the export does not say it (or says another one).",
)
json_option = click.option(
    "--json", "as_json", is_flag=True, help="Print the report as JSON on standard output."
)
verbose_option = click.option("-v", "--verbose", is_flag=True, help="Show every finding.")
force_option = click.option("--force", is_flag=True, help="Replace files that exist.")


def form_of_report(name: str) -> Form:
    """The form in which a report is written, by the ending of its name. Raises `UsageError`."""
    from ..findings import enumerated
    from ..report import FORMS, form_of

    form = form_of(name)
    if form is None:
        known = enumerated([*FORMS])
        raise click.UsageError(f"a report is written as {known}, and {name} ends otherwise.")
    return form


def colour() -> bool:
    """Whether to use colour: only on a terminal, and never where NO_COLOR is set."""
    out = sys.stdout
    return out is not None and out.isatty() and not os.environ.get("NO_COLOR")


def style(text: str, name: str) -> str:
    """A text in one of our styles."""
    return click.style(text, **_STYLES[name])


def width() -> int:
    """The width to wrap at."""
    return max(min(shutil.get_terminal_size((100, 24)).columns, 120), NARROWEST)


def show(lines: Iterable[str]) -> None:
    """Print lines, with their styles only where they can be seen."""
    text = printable("\n".join(lines)) + "\n"
    put(_encoded(text if colour() else click.unstyle(text), sys.stdout))


def say(text: str) -> None:
    """A message to the person, on standard error; where that is closed nobody hears it."""
    if sys.stderr is not None:
        with suppress(OSError, ValueError):
            write_whole(sys.stderr.buffer, _encoded(printable(text) + "\n", sys.stderr))


def put(data: bytes) -> None:
    """Bytes to standard output, all of them. Raises `FileError`."""
    if sys.stdout is not None:
        sys.stdout.flush()
    write_all({STANDARD: data})


def _encoded(text: str, stream: IO[str] | None) -> bytes:
    """A text as a stream takes it; characters that it has no way to write are question marks."""
    return text.encode(getattr(stream, "encoding", None) or "utf-8", "replace")


def _silent(_: str) -> None:
    """Tell nobody about progress."""


@contextmanager
def progress(size: int) -> Iterator[Callable[[str], None]]:
    """A function to tell the stage of the work; shown for large files, on a terminal only."""
    if size < LARGE or sys.stderr is None or not sys.stderr.isatty():
        yield _silent
        return
    from rich.console import Console
    from rich.progress import Progress as Bar
    from rich.progress import SpinnerColumn, TextColumn, TimeElapsedColumn

    columns = (SpinnerColumn("line"), TextColumn("{task.description}"), TimeElapsedColumn())
    with Bar(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("reading", total=None)

        def tell(stage: str) -> None:
            bar.update(task, description=stage)

        yield tell
