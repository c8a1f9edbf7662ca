"""Pictures of our own pages, by an installed browser that is driven by its command line.

Its own sandbox stays on, it has a profile of its own that goes afterwards, and no network: a page
of ours needs none, and its content security policy allows none.
"""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from io import BytesIO
from pathlib import Path

from .errors import RefusedError

NAMES = ("chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "chrome")
"""The programs that can take a picture, in the order in which they are looked for."""

SECONDS = 60
"""How long one picture may take."""

HIGHEST = 8000
"""Pixels of the height of a picture; what is blank below the page is cut off."""


def installed() -> str | None:
    """The path of a browser that is installed here, None where there is none."""
    return next((found for name in NAMES if (found := shutil.which(name))), None)


def picture(page: bytes, width: int) -> bytes:
    """A page as a PNG of a width in pixels, as high as the page is, up to `HIGHEST`.

    Raises `RefusedError` where no browser is installed, or where it takes no picture.
    """
    program = installed()
    if program is None:
        raise RefusedError(
            "a picture is taken by an installed browser, and there is none: install Chromium "
            "(on Debian: apt install chromium), or open the page without --png"
        )
    with tempfile.TemporaryDirectory() as folder:
        source, made = Path(folder) / "page.html", Path(folder) / "page.png"
        source.write_bytes(page)
        options = [
            *("--headless", "--disable-gpu", "--hide-scrollbars", "--no-first-run"),
            *("--disable-extensions", "--disable-background-networking", "--disable-sync"),
            *("--proxy-server=127.0.0.1:9", f"--user-data-dir={folder}/profile"),
            *(f"--window-size={width},{HIGHEST}", f"--screenshot={made}", source.as_uri()),
        ]
        try:
            done = subprocess.run(
                [program, *options], capture_output=True, timeout=SECONDS, check=False
            )
        except subprocess.TimeoutExpired:
            raise RefusedError(f"{program} took no picture within {SECONDS} seconds") from None
        except OSError as error:
            raise RefusedError(f"{program} cannot be started: {error.strerror}") from None
        if not made.exists():
            raise RefusedError(f"{program} took no picture: {_reason(done.stderr)}")
        return _cropped(made.read_bytes())


def _reason(said: bytes) -> str:
    """Why a browser took no picture, in its own words; the sandbox is the usual reason."""
    text = said.decode("utf-8", "replace")
    if "sandbox" in text.lower():
        return "its sandbox cannot run here; use an account that is not root"
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return lines[-1][:200] if lines else "it said nothing"


def _cropped(data: bytes) -> bytes:
    """A picture without what is blank at its end."""
    from PIL import Image, ImageChops

    with Image.open(BytesIO(data)) as image:
        shown = image.convert("RGB")
    blank = Image.new("RGB", shown.size, shown.getpixel((0, shown.height - 1)))
    box = ImageChops.difference(shown, blank).getbbox()
    bottom = min((box[3] if box is not None else 0) + 40, shown.height)
    out = BytesIO()
    shown.crop((0, 0, shown.width, bottom)).save(out, "PNG")
    return out.getvalue()
