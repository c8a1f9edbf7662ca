"""Menus that are generated from pages: the tree of pages as it must be for them."""

from __future__ import annotations

from typing import Any

from ...encodings import Encoding
from ...model import NOWHERE, Item, rows_of
from ...modes import Mode
from ..pages import Pages
from .file import File
from .panels import put_records, unread_at


def write_pages(file: File) -> None:
    """Show the menus that are made in the page tree, then find where everything stands."""
    encoding = file.encoding
    at = encoding.rule.records_at if encoding is not None else ""
    left = unread_at(file, at) if at else []
    # What was read before is the file's own, and stays known until its place is written anew.
    first = 0 if file.plan.mode is Mode.AS_IT_STANDS else None
    pages = Pages(file.profile, file.shape, file.tree, encoding, first)
    freehand = {i.number for i in file.of_pages if i.panel and i.panel.style == "freehand"}
    of_menu: dict[str, tuple[int, str | None, dict[int, int]]] = {}
    for number, menu, old in file.made:
        fill = (old or menu.key) in file.plan.fills
        same = menu.key in file.plan.stays
        numbers = pages.write(menu, old, menu.title, freehand, same=same, fill=fill)
        of_menu[menu.key] = (number, old, numbers)
    pages.read_tree()
    if encoding is not None and encoding.of_pages:
        _put_panels(file, encoding, pages, left, of_menu)
    own = file.plan.own.menus if file.plan.own else []
    index = {menu.key: at for at, menu in enumerate(own)}
    for bar in pages.bars():
        seen: set[str] = set()
        shown = [(pages.origin(bar, n, seen), n) for n, _, _ in pages.shown(bar)]
        if bar.name in of_menu:
            number, old, numbers = of_menu[bar.name]
            file.went(number, bar.place)
            if old is not None:
                file.lineage[1, "menu", index[old]] = bar.place
            for place, node in shown:
                file.number(Item("", "", NOWHERE, number=numbers[id(node)]), place)
                file.given[place] = str(node.get(pages.ident))
        elif bar.name in file.plan.kept:
            file.lineage[1, "menu", index[bar.name]] = bar.place
            things = rows_of([own[index[bar.name]]]).things
            for thing, (place, _) in zip(things, shown, strict=True):
                file.lineage[1, "item", thing.number] = place


def _put_panels(
    file: File,
    encoding: Encoding,
    pages: Pages,
    records: list[Any],
    of_menu: dict[str, tuple[int, str | None, dict[int, int]]],
) -> None:
    """Write the panels of pages, now that the pages are there."""
    before = len(records)
    numbers = of_menu[encoding.rule.shown_at][2] if file.of_pages else {}
    node_of = {numbers[id(node)]: node for _, node in pages.pages if id(node) in numbers}
    for item in file.of_pages:
        assert item.panel is not None
        page = node_of[item.number][pages.ident]
        place = f"{encoding.rule.records_at}/{len(records)}"
        records.append(encoding.page_written(page, item, file.numbered, place))
    put_records(file, encoding.rule.records_at, records, before)
    pages.first = before
    pages.read_tree()
