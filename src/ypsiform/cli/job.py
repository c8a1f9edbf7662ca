"""The options of a conversion, which `convert` and `draft` share, and where they come from."""

from __future__ import annotations

import functools
import os
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from msgspec import Struct

from ..decisions import DEPTHS, LANGUAGES
from ..errors import FileError
from ..files import STANDARD, is_folder, read_bytes
from ..fit.work import CLASHES, UNMATCHED, Options
from ..profiles.load import find, profile_file
from .common import from_option, nav_option

if TYPE_CHECKING:
    from ..model import Content
    from ..plan.file import MigrationPlan, PlanFile
    from ..record import Record

OPTIONS = (
    from_option,
    nav_option,
    click.option("--to", metavar="PLATFORM[/THEME]", help="The destination platform."),
    click.option(
        "--into",
        metavar="FILE",
        help="An export of the destination: its pages, and the menus to update.",
    ),
    click.option(
        "--inventory",
        metavar="FILE",
        help="The pages of the destination: an XML sitemap, or a table with their addresses.",
    ),
    click.option(
        "--redirects", metavar="FILE", help="A table of old addresses and new ones: old,new."
    ),
    click.option(
        "--unmatched",
        type=click.Choice(UNMATCHED),
        help="What an unmatched internal link becomes (none).",
    ),
    click.option(
        "--depth",
        type=click.Choice(DEPTHS),
        help="How to handle items nested too deeply: each follows its branch (lift), stands in a "
        "panel (columns), has a menu of its own (menu), is linked from its page (gather), goes "
        "(drop), or what costs visitors least (auto).",
    ),
    click.option(
        "--visits", metavar="FILE", help="A table of address,visits, to weigh what is lost."
    ),
    click.option(
        "--clash",
        type=click.Choice(CLASHES),
        help="A second menu for the same location (first: it gets none).",
    ),
    click.option(
        "--languages",
        type=click.Choice(LANGUAGES),
        help="How further languages are written: as they are (keep), as labels of one menu "
        "(labels), or as a menu for each (menus).",
    ),
    click.option(
        "--font",
        metavar="FILE",
        help="The font of the destination's bar, to measure whether it fits on its row.",
    ),
    click.option(
        "--set",
        "settings",
        multiple=True,
        metavar="NAME=VALUE",
        help="A setting of the destination's format; `ypsiform platforms P` lists them.",
    ),
    click.option(
        "--as-of",
        metavar="DATE",
        help="The day of the migration (2026-11-30): badges that are over by then are left out.",
    ),
    click.option(
        "--record",
        metavar="FILE",
        help="What an earlier run wrote (found beside the output, or beside --into).",
    ),
    click.option(
        "--made-up",
        is_flag=True,
        help="Also convert automatic menus (menus that the platform makes by itself).",
    ),
)


class Job(Struct):
    """What is asked for: on the command line, and where that says nothing, by a plan."""

    from_: str | None
    nav: str | None
    to: str | None
    into: str | None
    inventory: str | None
    redirects: str | None
    unmatched: str | None
    depth: str | None
    visits: str | None
    clash: str | None
    languages: str | None
    font: str | None
    settings: tuple[str, ...]
    as_of: str | None
    record: str | None
    made_up: bool

    def under(self, plan: MigrationPlan) -> None:
        """Take from a plan what the command line leaves open."""
        says = plan.says
        for name in ("nav", *DECIDED):
            setattr(self, name, getattr(self, name) or getattr(says, name))
        for name in ("from_", "to"):
            named = getattr(says, name)
            file = profile_file(named)
            if file is not None and named is not None:
                # The path of a profile is relative to the plan, as every other one in it.
                named = (plan.path(file) or file) + named[len(file) :]
            setattr(self, name, getattr(self, name) or named)
        for name in FILES:
            setattr(self, name, getattr(self, name) or plan.path(getattr(says, name)))
        self.made_up = self.made_up or bool(says.made_up)
        given = (f"{name}={value}" for name, value in says.settings.items())
        self.settings = (*given, *self.settings)

    def options(self, plan: MigrationPlan | None) -> Options:
        """The options to fit by."""
        from ..effort import USUAL

        return Options(
            made_up=self.made_up,
            unmatched=self.unmatched or "none",
            clash=self.clash or "first",
            depth=self.depth or "lift",
            languages=self.languages or "keep",
            visits=_visits(self.visits),
            listed=_listed(self.inventory),
            font=file_of(self.font),
            as_of=day_of(self.as_of),
            measure=plan.says.effort if plan is not None and plan.says.effort else USUAL,
        )

    def chosen_settings(self, to: str, output: str) -> dict[str, str]:
        """The settings by name; the form of a document follows the name of the output."""
        found: dict[str, str] = {}
        for words in self.settings:
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

    def told(self, folder: Path) -> PlanFile:
        """What is asked for as a plan in this folder says it."""
        from ..plan.file import VERSION, PlanFile

        says = PlanFile(VERSION, made_up=self.made_up or None)
        for name in ("nav", *DECIDED):
            setattr(says, name, getattr(self, name))
        for name in ("from_", "to"):
            setattr(says, name, from_folder(getattr(self, name), folder))
        for name in FILES:
            file = getattr(self, name)
            setattr(says, name, relative(file, folder) if file else None)
        says.settings = dict(words.split("=", 1) for words in self.settings if "=" in words)
        return says


FILES = ("into", "inventory", "redirects", "visits", "font")
"""The files of a job beside the export, by the names that a plan gives them as well."""

DECIDED = ("unmatched", "clash", "depth", "languages", "as_of")
"""What is decided once for all menus."""


def job_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options of a job; it gets them as one value, `job`."""

    @functools.wraps(command)
    def collected(**given: Any) -> Any:
        job = Job(**{name: given.pop(name) for name in Job.__struct_fields__})
        return command(job=job, **given)

    for option in reversed(OPTIONS):
        collected = option(collected)
    return collected


def day_of(words: str | None) -> str | None:
    """A day as it is compared. Raises `UsageError` for what is none."""
    if words is None:
        return None
    try:
        return date.fromisoformat(words).isoformat()
    except ValueError:
        raise click.UsageError(f"--as-of takes a day as 2026-11-30, not {words!r}.") from None


def from_folder(platform: str | None, folder: Path) -> str | None:
    """A platform as it is named from a folder: the path of a profile is relative to that."""
    file = profile_file(platform)
    if file is None or platform is None:
        return platform
    return relative(file, folder) + platform[len(file) :]


def record_of(job: Job, output: str | None) -> Record | None:
    """The record of an earlier run into the destination: named, or found beside a file."""
    from ..record import read_record

    beside = [record_name(name) for name in (output, job.into) if name and name != STANDARD]
    found = [name for name in beside if os.path.exists(name)]
    name = job.record or next(iter(found), None)
    if name is None or job.into is None:
        return None
    return read_record(read_bytes(name), name)


def record_name(output: str) -> str:
    """The name of the record of an import file, or of a folder of them."""
    from ..record import ENDING

    return output.rstrip("/") + ENDING


def file_of(name: str | None) -> tuple[bytes, str] | None:
    """What a file holds, and its name; None where there is none."""
    return (read_bytes(name), name) if name else None


def relative(name: str, folder: Path) -> str:
    """A path as it is seen from a folder. Raises `FileError` for one that no plan can name."""
    path = Path(os.path.relpath(name, folder)).as_posix() if name != "-" else name
    if not path.isascii() and any("\ud800" <= c <= "\udfff" for c in path):
        raise FileError("the name is not UTF-8, and so no plan can name it; rename it", file=name)
    return path


def _listed(name: str | None) -> tuple[Content, ...]:
    """The pages that an inventory lists."""
    if name is None:
        return ()
    from ..plan.inventory import read_inventory

    return tuple(read_inventory(read_bytes(name), name))


def _visits(name: str | None) -> dict[str, float]:
    """Visits by normalised path."""
    if name is None:
        return {}
    from ..plan.inventory import read_visits

    return read_visits(read_bytes(name), name)
