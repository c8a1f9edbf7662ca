"""Reading an export, and looking at it with a specialist's eyes."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from msgspec import Struct

from . import document, facts
from .addresses import Hosts
from .errors import AskedError, AuditError, RefusedError, YpsiformError
from .findings import Finding, by_severity
from .model import Rows, Site, number
from .notices import survey, unread
from .profiles.load import find, known
from .profiles.read import ReadResult, site_of
from .profiles.restore import restored
from .profiles.schema import Profile
from .profiles.trees import spell
from .recognise import open_tree
from .visibility import Seen, shown

Progress = Callable[[str], None]


def silent(_: str) -> None:
    """Tell nobody about progress."""


class Surveyed(Struct):
    """An export as it was read, with everything worth knowing about it.

    `document`: it came from a document of our own, and `profile` is that of the platform that its
    site was read from.
    """

    site: Site
    rows: Rows
    profile: Profile
    seen: list[Seen]
    findings: list[Finding]
    used: set[str]
    document: bool = False

    @property
    def called(self) -> str:
        """What the file is, in a few words."""
        platform = self.site.platform
        if self.document:
            return f"a document of a site of {platform}"
        return f"an export of {platform}"


def read(
    data: bytes,
    file: str,
    platform: str | Profile | None = None,
    tell: Progress = silent,
    nav: str | None = None,
    *,
    site: str | None = None,
    fold: int | None = 0,
    encoded: str | None = None,
) -> tuple[Surveyed, object]:
    """Read an export and look at it. Returns the neutral tree as well.

    `platform` is its id, or a profile that is not in a file yet. `nav` is the CSS selector of
    what is read of a page. `site` is an address of the site's own, which the export may not say.
    `fold` is the first of the panels beside the menus that is read as
    one; None: they all stay as they are. `encoded` is the theme whose panels are read, where that
    is another one than the file's.
    """
    tell("reading")
    own = site_address(site) if site is not None else None
    try:
        tree, profile, theme, _ = open_tree(data, file, platform, nav)
        if profile.id == document.ID:
            if own is not None:
                raise RefusedError("a document says its site's own address: leave --site out")
            return _document(tree, file), tree
        result = site_of(tree, profile, file, theme, fold, encoded, own)
    except YpsiformError as error:
        if not error.file:
            error.file, error.place = file, spell(error.place)
        raise
    return _looked(result, profile), tree


def site_address(said: str) -> str:
    """The address of a site, from what somebody says it is. Raises `AskedError` for none."""
    address = said if "//" in said else f"https://{said}"
    parts = Hosts([address]).folders
    host = next(iter(parts), "")
    if not re.match(r"https?://", address) or not re.fullmatch(r"[\w.-]+\.\w+(:\d+)?", host):
        raise AskedError(f"--site takes an address as https://www.example.org, not {said!r}")
    return address


def _document(tree: object, file: str) -> Surveyed:
    """The site of a document of our own."""
    site, used, notices = document.load(tree, file)
    profile = find(site.platform if known(site.platform) else document.ID)[0]
    looked = _looked(ReadResult(site, number(site), notices, used), profile)
    looked.document = True
    return looked


def restored_again(source: Surveyed, tree: object) -> tuple[Surveyed, object]:
    """The export that a document's site could have been read from, read; and its tree.

    The tree is None, and the site as it was, where no file says all that the document does.
    """
    file, profile = source.site.file, source.profile
    site, _, _ = document.load(tree, file)
    try:
        made = restored(site, profile, file)
        if made is not None:
            result = site_of(made, profile, file, None if says_theme(profile) else site.theme)
            if document.says_the_same(result.site, source.site):
                return _looked(result, profile), made
    except (YpsiformError, *_UNFIT):
        pass  # what the document says does not fit into a file of its platform
    return source, None


_UNFIT = (AssertionError, AttributeError, LookupError, StopIteration, TypeError, ValueError)


@contextmanager
def restoring(loose: bool, source: Surveyed) -> Iterator[None]:
    """What a `loose` document keeps as unread may be nothing that a file can hold: say so."""
    try:
        yield
    except (AuditError, *_UNFIT):
        if not loose:
            raise
        message = f"what it says does not fit into a file of {source.profile.name}"
        raise RefusedError(message, file=source.site.file) from None


def _looked(result: ReadResult, profile: Profile) -> Surveyed:
    site, rows = result.site, result.rows
    seen = shown(site, rows, own_room=profile.own_room(site.theme))
    notices = result.notices + survey(site, rows, seen, profile, result.used)
    return Surveyed(site, rows, profile, seen, notices, result.used)


def all_findings(surveyed: Surveyed) -> list[Finding]:
    """What is worth knowing, and everything that no rule read, the most severe first."""
    more = unread(surveyed.site, surveyed.rows, surveyed.profile)
    return by_severity(surveyed.findings + more)


def count_facts(surveyed: Surveyed) -> int:
    """The number of facts in a site, as it was read."""
    return facts.count(surveyed.site, surveyed.rows)


def says_theme(profile: Profile) -> bool:
    """Whether files of a platform say which theme they are for."""
    return "theme" in profile.site.fields
