"""The options of a conversion, which `convert` and `draft` share."""

from __future__ import annotations

import functools
import os
from collections.abc import Callable
from typing import Any

import click
from click.core import ParameterSource

from ..decisions import DEPTHS, LANGUAGES
from ..errors import AskedError
from ..files import is_folder, read_bytes
from ..fit.options import CLASHES, UNMATCHED
from ..job import Request
from ..plan.file import MigrationPlan
from .common import from_option, nav_option, site_option

PLAN = "migration.toml"
"""What `draft` names the plan in its folder."""

plan_option = click.option(
    "--plan",
    "plan_file",
    metavar="FILE",
    help="Decisions to convert by; it can name the export, the platforms and the output.",
)

OPTIONS = (
    from_option,
    nav_option,
    site_option,
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
        help="The day of the migration, as YYYY-MM-DD: badges that are over by then are left out. "
        "Without it no badge is taken for one that is over.",
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


def planned(file: str | None, asked: Request) -> tuple[MigrationPlan | None, str | None]:
    """The plan in a file, or in a folder that `draft` wrote, and the name of its own file.

    What it says holds where nobody asks. Raises `FormatError` with the line of a mistake.
    """
    if file is None:
        return None, None
    from ..plan.file import read_plan

    if is_folder(file) and os.path.exists(inside := os.path.join(file, PLAN)):
        file = inside
    plan = read_plan(read_bytes(file), file)
    asked.under(plan)
    return plan, file


def as_typed() -> list[str]:
    """The options of a conversion that this command was given, to be given to another one."""
    context = click.get_current_context()
    words: list[str] = []
    for option in context.command.params:
        name = option.name or ""
        typed = context.get_parameter_source(name) is ParameterSource.COMMANDLINE
        if not typed or name not in Request.__struct_fields__:
            continue
        value = context.params[name]
        for said in value if isinstance(value, tuple) else [value]:
            words += [option.opts[0]] if said is True else [option.opts[0], str(said)]
    return words


def job_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options of a conversion; it gets them as one value, `asked`."""

    @functools.wraps(command)
    def collected(**given: Any) -> Any:
        names = [name for name in Request.__struct_fields__ if name in given]
        asked = Request(**{name: given.pop(name) for name in names})
        try:
            return command(asked=asked, **given)
        except AskedError as error:
            raise click.UsageError(error.message) from None

    for option in reversed(OPTIONS):
        collected = option(collected)
    return collected
