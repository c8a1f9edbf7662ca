"""A simulated platform as a service on HTTP: its export, its import, and its pages.

`GET /export` gives what stands there and `POST /import` takes a whole file, both with the token
of the site in the header `Authorization: Bearer TOKEN`; `GET /` is the page that a visitor
sees: `as` is nothing, `members`, or roles with commas between; `device`, `language`; `open` is the
number of an entry that stands open.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from .sites import SITES
from .sites.page import page
from .sites.shown import Refused, Visitor

if TYPE_CHECKING:
    from flask import Flask, Response

LARGEST = 64 * 1024 * 1024
"""Bytes that an import may have."""

TYPES = {
    "arborcote": "application/yaml",
    "fanlight": "application/json",
    "quillmoor": "application/xml",
    "rowanbase": "application/vnd.sqlite3",
    "stallmere": "application/json",
    "tilewick": "text/csv",
}
"""The media type of each platform's files."""


OWN_NAMES = ("localhost", "127.0.0.1", "::1")
"""The names that a site answers to."""

_ODD = (ArithmeticError, AttributeError, LookupError, RecursionError, TypeError, ValueError)


class Standin:
    """What stands at a simulated site: one file, old or new, never half of it."""

    def __init__(self, platform: str, theme: str = "", state: Path | None = None) -> None:
        """`state` is a file that the site is kept in from run to run.

        Raises `Refused` where that file is none of the platform, `OSError` where it cannot be read.
        """
        self.site = SITES[platform]
        self.platform = platform
        self.theme = theme or next(iter(self.site.THEMES), "")
        self.state = state
        self.busy = Lock()
        if state is not None and state.exists():
            self.data = self._kept(state.read_bytes())
        else:
            self.data = self.site.blank(self.theme)

    def _kept(self, data: bytes) -> bytes:
        """What is kept of a file. `Refused` where it is none, or its pages cannot be made."""
        try:
            made = self.site.kept(data)
            for visitor in (Visitor(), Visitor(frozenset({"members"}), "handset", "nb")):
                page("", self.site.places(made, visitor, self.theme), visitor)
            for look in (self.site.contents, self.site.roles, self.site.languages):
                look(made)
        except Refused:
            raise
        except _ODD:
            raise Refused("a value in it is none that its place can hold") from None
        return made

    def take(self, data: bytes) -> None:
        """Import a file. `Refused` where it is none; what stood there stays then."""
        made = self._kept(data)
        if self.state is not None:
            handle, name = tempfile.mkstemp(dir=self.state.parent, prefix=self.state.name)
            try:
                with os.fdopen(handle, "wb") as file:
                    file.write(made)
                    file.flush()
                    os.fsync(file.fileno())
                os.replace(name, self.state)
            except OSError:
                Path(name).unlink(missing_ok=True)
                raise
        self.data = made

    def page(self, visitor: Visitor, unfolded: int = 0) -> str:
        """The page that a visitor sees."""
        places = self.site.places(self.data, visitor, self.theme)
        title = f"A {self.platform.capitalize()} site"
        return page(title, places, visitor, unfolded=unfolded)


def application(standin: Standin, token: str) -> Flask:
    """A Flask application that serves a stand-in; export and import ask for the token."""
    from flask import Flask, Response, abort, request

    app = Flask(__name__)
    app.config["MAX_CONTENT_LENGTH"] = LARGEST

    def asked() -> None:
        if request.headers.get("Authorization") != f"Bearer {token}":
            abort(answer(401, "the token of the site is needed"))

    def answer(status: int, text: str) -> Response:
        return Response(text + "\n", status=status, mimetype="text/plain")

    def mark() -> str:
        return hashlib.sha256(standin.data).hexdigest()[:32]

    @app.before_request
    def on_this_machine() -> Response | None:
        # A page elsewhere can have its own name lead to this machine; it stays its own name.
        if urlsplit(f"//{request.host}").hostname in OWN_NAMES:
            return None
        return answer(421, "this site answers to the names of this machine alone")

    @app.get("/export")
    def export() -> Response:
        asked()
        made = Response(standin.data, mimetype=TYPES[standin.platform])
        made.set_etag(mark())
        return made

    @app.post("/import")
    def take() -> Response:
        asked()
        if not standin.busy.acquire(blocking=False):
            return answer(409, "another import is under way; nothing was changed")
        try:
            known = request.headers.get("If-Match")
            if known is not None and known.strip('"') != mark():
                return answer(412, "the site has changed since; nothing was changed")
            standin.take(request.get_data(cache=False))
        except Refused as error:
            return answer(400, f"{error}; nothing was changed")
        except OSError as error:
            return answer(507, f"it cannot be stored: {error.strerror}; nothing was changed")
        finally:
            standin.busy.release()
        made = answer(200, "imported")
        made.set_etag(mark())
        return made

    @app.get("/")
    def look() -> Response:
        words = frozenset(word for word in request.args.get("as", "").split(",") if word)
        device = request.args.get("device", "desktop")
        if device not in ("desktop", "handset"):
            return answer(400, "a device is desktop or handset")
        groups = words | {"members"} if words - {"guests"} else frozenset()
        visitor = Visitor(groups, device, request.args.get("language", ""))
        unfolded = request.args.get("open", 0, type=int)
        return Response(standin.page(visitor, unfolded), mimetype="text/html")

    @app.after_request
    def guarded(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = (
            "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        return response

    return app
