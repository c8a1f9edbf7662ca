"""`ypsiform platforms`: the platforms known, and what one of them can hold."""

from __future__ import annotations

import click

from ..profiles.load import every, find, plugged
from .common import say, show, style, width


@click.command("platforms", short_help="List the platforms, or show one.")
@click.argument("platform", required=False, metavar="[PLATFORM[/THEME]]")
def command(platform: str | None) -> None:
    """List the platforms, or show what PLATFORM can hold."""
    from ..report.platform import platform_lines, platforms_lines

    if platform is None:
        show(platforms_lines(every(), width(), style))
        for message in plugged()[1]:
            say(f"ypsiform: {message}.")
    else:
        show(platform_lines(*find(platform), width(), style))
