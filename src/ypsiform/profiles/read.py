"""Reading: a neutral tree and a profile to a site, and everything that no rule asked for."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from ..addresses import Hosts
from ..encodings import encoding_of
from ..findings import Finding, notice
from ..model import (
    EVERYONE,
    Menu,
    MenuReference,
    Piece,
    Rows,
    Site,
    blocks_of,
    number,
)
from . import paths
from .items import Items
from .reading.contents import read_contents
from .reading.locations import read_locations
from .reading.menus import menus_of_pages, menus_of_paths, read_menus
from .reading.nested import nested_items
from .reading.panels import panels_beside, tell_other_panels, tell_unseen, tell_unused_marks
from .reading.reader import Reading
from .reading.site import site_facts, tell_left_out
from .reading.tied import tied_items
from .reading.unread import unread_sections
from .schema import Profile, Theme
from .sections import Section


class ReadResult:
    """A site as it was read, its rows, and notices about how it was read.

    `used` are keys of menus that something other than a location shows, such as a panel's record.
    """

    def __init__(self, site: Site, rows: Rows, notices: list[Finding], used: set[str]) -> None:
        self.site = site
        self.rows = rows
        self.notices = notices
        self.used = used


def site_of(
    tree: Any,
    profile: Profile,
    file: str,
    theme: str | None = None,
    fold_from: int | None = 0,
    encoded: str | None = None,
    own: str | None = None,
) -> ReadResult:
    """Read a tree by a profile. `theme`, where given, wins over the file's own.

    `fold_from`: of records of panels beside the menus this one is the first that is read as a
    panel; None: they stay as they are, as what stands at a destination does. `encoded`: the theme
    whose panels are read, where that is another one. `own`: an address of the site's own, beside
    what the file says.

    Raises `FormatError` with file and place where the tree cannot be what the profile describes.
    """
    return _read(Reading(tree, profile, file, theme, fold_from, encoded), own)


def _read(reading: Reading, asked: str | None) -> ReadResult:
    profile = reading.profile
    facts, extras = site_facts(reading)
    theme_name = reading.asked_theme or facts.get("theme") or next(iter(profile.themes), None)
    profile.require_theme(reading.asked_theme)
    own = facts.get("theme")
    if reading.asked_theme and own and own != reading.asked_theme:
        other = notice(
            "read.other-theme", before=own, after=reading.asked_theme, origin=reading.file
        )
        reading.notices.append(other)
    theme = reading.theme = profile.theme(theme_name)
    if theme is None and theme_name:
        reading.notices.append(notice("read.theme", before=theme_name, origin=reading.file))
    address = facts.get("address")
    reading.contents = read_contents(reading, extras)
    by_paths = profile.items.tie.of_paths
    if by_paths and not address:
        address = paths.origin(reading.contents)
    addresses = tuple(dict.fromkeys(one for one in (address, asked) if one))
    reading.hosts = Hosts(addresses)
    if by_paths:
        reading.contents = paths.from_root(reading.contents, reading.hosts)
    encoded = reading.encoded or theme_name
    reading.items = Items.of(profile, reading.shape, encoded)
    reading.encoding = encoding_of(profile.panels_of(encoded))
    if reading.encoding is not None:
        reading.encoding.target, reading.encoding.said = (
            reading.items.target_in,
            reading.items.said_in,
        )
        reading.encoding.address = reading.items.addressed
    reading.items.look_up(reading.hosts, reading.contents)
    reading.items.routes(reading.shape, reading.tree)
    reading.items.language = facts.get("language") or ""
    if by_paths:
        menus = menus_of_paths(reading, theme)
    else:
        menus = menus_of_pages(reading, extras) if profile.items.pages else read_menus(reading)
    if profile.items.pages or by_paths:
        pass
    elif profile.items.tie.nests:
        nested_items(reading, menus)
    else:
        tied_items(reading, menus, extras)
    _restrict(reading, [menu for menu, _ in menus])
    tell_left_out(reading)
    locations = read_locations(reading, theme, [menu for menu, _ in menus], extras)
    unread_sections(reading, extras)
    if reading.encoding is not None:
        menus = panels_beside(reading, reading.encoding, menus, locations, extras)
    language = facts.get("language") or reading.items.language
    site = Site(
        platform=profile.id,
        theme=theme_name,
        addresses=addresses,
        languages=reading.spoken or ((language,) if language else ()),
        contents=reading.contents,
        menus=[menu for menu, _ in menus],
        locations=locations,
        extras=tuple(extras),
        file=reading.file,
    )
    encoding, shown = reading.encoding, set[str]()
    if encoding is not None:
        # In every menu: where it is placed may change, what its items say does not.
        for menu in site.menus:
            if encoding.folds(menu.id, locations):
                menu.items = encoding.fold(menu.items, reading.marks)
        tell_unseen(reading, encoding)
        if encoding.shows_menus:
            shown = _filled(site)
    if encoded != theme_name:
        tell_other_panels(reading, site, theme_name)
    if reading.marks:
        tell_unused_marks(reading, site)
    return ReadResult(site, number(site), reading.notices, _used(reading, theme) | shown)


def _restrict(reading: Reading, menus: list[Menu]) -> None:
    """Let the items at the top of a menu be seen by those who see the menu."""
    for menu in menus:
        audience = reading.restricted.get(menu.key)
        for item in menu.items if audience else ():
            # A part of a panel has no people of its own.
            part = reading.profile.items.tie.beside and item.origin in reading.marks
            if item.traits.audience == EVERYONE and not part:
                item.traits = replace(item.traits, audience=audience)


def _used(reading: Reading, theme: Theme | None) -> set[str]:
    """Keys of menus that the records of panels show."""
    if theme is None or theme.panels is None or not theme.panels.menus_at:
        return set()
    nodes: list[Any] = [
        node for _, node in reading.records(Section(theme.panels.records_at, {}, None))
    ]
    for part in theme.panels.menus_at.split("/"):
        deeper: list[Any] = []
        for node in nodes:
            if part == "*" and isinstance(node, list):
                deeper += node
            elif isinstance(node, dict) and part in node:
                deeper.append(node[part])
        nodes = deeper
    return {node for node in nodes if isinstance(node, str)}


def _filled(site: Site) -> set[str]:
    """Give blocks that show a menu by its key the links of this menu; the keys of these menus."""
    menus = {menu.key: menu for menu in reversed(site.menus)}
    panels = [i.panel for menu in site.menus for i in menu.items if i.panel is not None]
    shown: set[str] = set()
    for piece in (block for panel in panels for block in blocks_of(panel)):
        if isinstance(piece, Piece) and isinstance(piece.holds, MenuReference):
            key = piece.holds.menu
            links = tuple(item.target for item in menus[key].items) if key in menus else ()
            piece.holds = MenuReference(key, links)
            shown.add(key)
    return shown
