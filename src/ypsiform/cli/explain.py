"""`ypsiform explain`: a finding code in plain words."""

from __future__ import annotations

import difflib

import click

from ..findings import CODES
from .common import show, style, width


@click.command("explain", short_help="Explain a finding code.")
@click.argument("code", required=False)
def command(code: str | None) -> None:
    """Explain a finding CODE in plain words. Without one, list all codes."""
    if code is None:
        widest = max(map(len, CODES))
        show(f"{name.ljust(widest)}  {entry.heading}" for name, entry in CODES.items())
        return
    entry = CODES.get(code)
    if entry is None:
        near = difflib.get_close_matches(code, CODES, 3, 0.4)
        hint = f" Did you mean {' or '.join(near)}?" if near else ""
        raise click.UsageError(
            f"there is no code {code!r}.{hint} `ypsiform explain` lists them all."
        )
    import textwrap

    from ..report.terminal import headline

    lines = [*headline(code, f"  {entry.heading}", width(), style)]
    seen = "; visitors see it in the navigation" if entry.seen else ""
    lines += [f"Usual severity: {entry.severity}{seen}", ""]
    for title, text in (
        ("What it means", entry.means),
        ("Why it happens", entry.happens),
        ("What can be done", entry.remedy),
    ):
        lines.append(style(title, "title"))
        lines += textwrap.wrap(text, width() - 2, initial_indent="  ", subsequent_indent="  ")
    show(lines)
