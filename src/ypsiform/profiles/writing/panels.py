"""Panels: taken out of their items, into what the encoding of the destination stores."""

from __future__ import annotations

from collections import Counter
from typing import Any

from msgspec.structs import replace

from ...encodings import Encoding, encoding_of
from ...encodings.base import ToWrite, records_at
from ...encodings.layout import sections_of
from ...encodings.sequence import key_of, key_of_run
from ...model import Item
from ...modes import Mode
from ..places import places_of
from ..schema import PlaceRule
from .file import File


def unfold_panels(file: File) -> None:
    """Panels as items, before anything is written of menus, listed or implied."""
    file.encoding = encoding_of(file.profile.panels_of(file.plan.theme))
    _leave_beside(file)
    encoding = file.encoding
    if encoding is None:
        return
    encoding.language, encoding.said = file.items.language, file.items.said_in
    if encoding.of_pages:
        for _, menu, _ in file.made:
            file.of_pages += [item for item in menu.items if item.panel is not None]
            menu.items = [_sections(file, item) for item in menu.items]
    elif encoding.beside:
        _write_beside(file, encoding)
    else:
        for _, menu, _ in file.made:
            menu.items = [encoding.unfold(item, file.parts) for item in menu.items]


def _write_beside(file: File, encoding: Encoding) -> None:
    """Write panels into records beside the menus, and what they split off as menus."""
    rule = encoding.rule
    records = unread_at(file, rule.records_at)
    before = len(records)
    place = PlaceRule("")
    if encoding.splits:
        known = places_of(file.profile, file.theme)
        place = next(one for one in known if one.name == rule.shown_at)
    # The id of an item is the key of a panel only where it was one before.
    was = file.plan.mode in (Mode.AS_IT_STANDS, Mode.RESTORED)
    encoding.menus_to_write(
        ToWrite(
            menus=[(number, menu) for number, menu, _ in file.made],
            records=records,
            number=file.numbered,
            lists=file.lists,
            entries=file.entries_of,
            unstored=file.unstored,
            runs=_runs(file, place) if encoding.splits else {},
            parts=file.plan.parts,
            keys=file.ids if was else (),
            menu_key=place.sequence or "",
        )
    )
    put_records(file, rule.records_at, records, before)


def unread_at(file: File, path: str) -> list[Any]:
    """The records of a list that were not read and that stay."""
    if file.plan.own is None or path in file.plan.removed:
        return []
    return records_at(file.plan.own, path)


def _leave_beside(file: File) -> None:
    """Take out what was read as panels of a theme that the file is no longer for."""
    now = file.profile.panels_of(file.plan.theme)
    for theme in file.profile.themes.values():
        rule = theme.panels
        if rule is None or rule == now or not rule.records_at:
            continue
        was = file.shape.step(file.tree, rule.records_at)
        left = unread_at(file, rule.records_at)
        if isinstance(was, list) and len(was) != len(left):
            file.shape.put(file.tree, rule.records_at, left)


def _runs(file: File, place: PlaceRule) -> dict[str, str]:
    """The menus that are nothing but panels, without a record, with where each one stands.

    They are read so again only where no menu takes the panels: one beside them that is shown
    here alone would.
    """
    # The reading back decides what is possible here: whatever would be read as part of another menu
    # is left to be written otherwise.
    made = {menu.key: menu for _, menu, _ in file.made}
    here = file.plan.placements.get(place.name, ())
    shown = Counter(key for menus in file.plan.placements.values() for key in menus)
    every = [item.panel for menu in made.values() for item in menu.items]
    taken = {key for key, menu in made.items() if menu.stored} | file.plan.kept
    taken |= {key for keys in file.plan.parts.values() for key in keys}
    taken |= {key_of(panel) for panel in every if panel is not None}
    found: dict[str, str] = {}
    for at, key in enumerate(here):
        menu = made.get(key)
        if menu is None or menu.stored:
            continue
        beside = [*here[max(at - 1, 0) : at], *here[at + 1 : at + 2]]
        alone = all(shown[other] > 1 and other not in found for other in beside)
        panels_only = all(item.panel is not None for item in menu.items)
        if not (alone and panels_only and menu.items and shown[key] == 1):
            continue
        if key != key_of_run(place.key or place.name, taken):
            continue
        taken.add(key)
        found[key] = f"{file.profile.locations.at}/{place.name}/{at - len(found)}"
    return found


def put_records(file: File, at: str, records: list[Any], before: int) -> None:
    """Write the records of panels beside the menus, where there are new ones or fewer."""
    file.stayed = before
    was = file.shape.step(file.tree, at)
    if len(records) > before or (isinstance(was, list) and len(was) != len(records)):
        file.shape.put(file.tree, at, records)


def _sections(file: File, item: Item) -> Item:
    """An item with a panel as the page that it opens from, with what stands in its columns."""
    panel = item.panel
    if panel is None or file.encoding is None:
        return item
    bare = file.encoding.bare(item)
    return replace(bare, panel=None, children=sections_of(panel))
