"""`ypsiform standin`: a simulated platform as a service on this machine."""

from __future__ import annotations

import gc
import os
import secrets
import signal
import sys
import threading
from pathlib import Path

import click

from ..errors import FileError, FormatError
from .common import show

TOKEN = "YPSIFORM_STANDIN_TOKEN"
"""The environment variable that a token for export and import can be given in."""


@click.command("standin", short_help="Run a simulated platform as a service.")
@click.argument("platform", metavar="PLATFORM[/THEME]")
@click.option("--state", metavar="FILE", help="A file that the site is kept in; made if missing.")
@click.option("--port", type=click.IntRange(0, 65535), default=8040, help="The port (8040).")
def command(platform: str, state: str | None, port: int) -> None:
    """Run a simulated PLATFORM on this machine until it is stopped: its pages, export and import.

    Its pages show what visitors of such a site see; add ?as=members, &device=handset or
    &language=nb to the address to look as somebody else, and &open=2 to see an entry open.
    """
    from ..standins.sites import SITES

    name, _, theme = platform.partition("/")
    if name not in SITES:
        raise click.UsageError(
            f"there is no stand-in for {name!r}; there are {', '.join(sorted(SITES))}"
        )
    if theme and theme not in SITES[name].THEMES:
        known = ", ".join(SITES[name].THEMES) or "none"
        raise click.UsageError(f"{name} has no theme {theme!r}; it has {known}")
    try:
        from werkzeug.serving import WSGIRequestHandler, make_server
    except ImportError:
        raise FileError(
            "stand-ins need Flask: install ypsiform with its extra `demo`", file="standin"
        ) from None
    from ..standins.service import Standin, application
    from ..standins.sites.shown import Refused

    try:
        standin = Standin(name, theme, None if state is None else Path(state))
    except Refused as error:
        raise FormatError(str(error), file=state or "") from None
    token = os.environ.get(TOKEN) or secrets.token_urlsafe(12)

    class Quiet(WSGIRequestHandler):
        """Answers without a line for each request."""

        def log_request(self, code: int | str = "-", size: int | str = "-") -> None:
            pass

    try:
        server = make_server(
            "127.0.0.1", port, application(standin, token), threaded=True, request_handler=Quiet
        )
    except (OSError, SystemExit):
        raise FileError(f"port {port} of this machine is in use", file="standin") from None

    def stop(*_: object) -> None:
        threading.Thread(target=server.shutdown, daemon=True).start()

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, stop)
    show(
        [
            f"{platform} is served at http://127.0.0.1:{server.port}/ until you press Ctrl-C.",
            f"GET /export and POST /import take the token {token}",
        ]
    )
    sys.stdout.flush()
    gc.enable()  # this goes on for long
    server.serve_forever()
    server.server_close()
