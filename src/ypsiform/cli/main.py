"""The command `ypsiform`. Commands are loaded when they are asked for, to keep the start quick."""

from __future__ import annotations

import importlib
import os
import sys
from typing import Any, NoReturn

import click

from ..errors import AuditError, UnprovenError, YpsiformError
from ..text import safe
from ..version import __version__
from .common import say

COMMANDS = {
    "survey": "Show what is in an export.",
    "draft": "Write every decision of a conversion into files to edit.",
    "convert": "Write an export's menus in another platform's import format.",
    "preview": "Show what visitors see, before and after, as a page.",
    "platforms": "List the platforms, or show what one of them can hold.",
    "profile": "Draft a profile of an unknown export, check one, or print the schema.",
    "explain": "Explain a finding code in plain words.",
    "standin": "Run a simulated platform as a service, to look at its pages.",
    "demo": "Write the demo data and run the whole example on it.",
}


class Lazy(click.Group):
    """A group whose commands live in modules of their own, imported on use."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """The names of all commands."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command of a name, imported when it is asked for."""
        if cmd_name not in COMMANDS:
            return None
        module = importlib.import_module(f".{cmd_name}", __package__)
        command: click.Command = module.command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that was typed; a near name is told where there is none."""
        try:
            return super().resolve_command(ctx, args)
        except click.UsageError:
            import difflib

            near = difflib.get_close_matches(args[0], COMMANDS, 1)
            hint = f" Did you mean {near[0]}?" if near else ""
            known = ", ".join(COMMANDS)
            raise click.UsageError(
                f"there is no command {args[0]!r}.{hint} There are: {known}.", ctx
            ) from None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands with a line each, without importing them."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=Lazy, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="ypsiform")
def cli() -> None:
    """Convert navigation menus from one platform to another, and account for every loss."""


def main(arguments: list[str] | None = None) -> None:
    """Run the command line. Errors that a person can put right are one sentence on stderr."""
    try:
        code: Any = cli.main(args=arguments, prog_name="ypsiform", standalone_mode=False)
    except click.exceptions.Exit as stop:
        code = stop.exit_code
    except click.UsageError as error:
        context = error.ctx
        if context is not None:
            say(context.get_usage())
            say(f"Try '{context.command_path} --help' for help.\n")
        say(f"Error: {safe(error.format_message())}")
        code = error.exit_code
    except click.ClickException as error:
        say(f"Error: {safe(error.format_message())}")
        code = error.exit_code
    except click.Abort:
        say("Stopped.")
        code = 1
    except AuditError as error:
        say(f"ypsiform: {safe(error.message)}.")
        for problem in error.problems[:20]:
            say(f"  - {safe(problem)}")
        if len(error.problems) > 20:
            say(f"  - … and {len(error.problems) - 20} more")
        code = 1 if isinstance(error, UnprovenError) else 4
    except YpsiformError as error:
        words = safe(str(error)).rstrip(".")
        say(f"ypsiform: {words}{'' if words.endswith(('?', '!')) else '.'}")
        code = 1
    except MemoryError:
        say("ypsiform: there is not enough memory for this file.")
        code = 1
    except BrokenPipeError:
        code = 1
    except OSError as error:
        where = f"{error.filename}: " if error.filename else ""
        say(f"ypsiform: {safe(where)}{error.strerror or error}.")
        code = 1
    _leave(code if isinstance(code, int) else 0)


def _leave(code: int) -> NoReturn:
    """Leave, and let nothing be said of streams that somebody closed."""
    for stream in (sys.stdout, sys.stderr):
        try:
            if stream is not None:
                stream.flush()
        except (OSError, ValueError):
            code = code or 1
            os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
    sys.exit(code)
