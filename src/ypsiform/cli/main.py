"""The command `ypsiform`. Commands are loaded when they are asked for, to keep the start quick."""

from __future__ import annotations

import importlib
import sys
from typing import Any

import click

from .. import __version__
from ..errors import AuditError, YpsiformError

COMMANDS = {
    "survey": "Show what is in an export.",
    "draft": "Write every decision of a conversion into files to edit.",
    "convert": "Write an export's menus in another platform's import format.",
    "platforms": "List the platforms, or show what one of them can hold.",
    "profile": "Draft a profile of an unknown export, check one, or print the schema.",
    "explain": "Explain a finding code in plain words.",
    "demo": "Write the demo data and run the whole example on it.",
}


class Lazy(click.Group):
    """A group whose commands live in modules of their own, imported on use."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module = importlib.import_module(f".{cmd_name}", __package__)
        command: click.Command = module.command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
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
    except click.ClickException as error:
        error.show()
        code = error.exit_code
    except click.Abort:
        click.echo("Stopped.", err=True)
        code = 1
    except AuditError as error:
        click.echo(f"ypsiform: {error.message}.", err=True)
        for problem in error.problems[:20]:
            click.echo(f"  - {problem}", err=True)
        if len(error.problems) > 20:
            click.echo(f"  - … and {len(error.problems) - 20} more", err=True)
        code = 4
    except YpsiformError as error:
        from ..report.terminal import safe

        click.echo(f"ypsiform: {safe(str(error)).rstrip('.')}.", err=True)
        code = 1
    except MemoryError:
        click.echo("ypsiform: there is not enough memory for this file.", err=True)
        code = 1
    except BrokenPipeError:
        sys.stderr.close()
        code = 1
    sys.exit(code if isinstance(code, int) else 0)
