"""Pages of any theme: whatever elements draw a menu, it is read as the same one."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest

from tests.page_themes import THEMES, Entry, menu_of, page, wanted
from ypsiform.migrate import convert
from ypsiform.model import Item
from ypsiform.reading import read

MENUS = 25
"""Menus that are drawn by each theme."""

ALONE = (Entry("A 1", "/1", (Entry("B 2", "/2"), Entry("C 3", "/3"))),)


def tree(items: list[Item]) -> list[Any]:
    return [(item.label, item.target.address, tree(item.children)) for item in items]


def drawn(theme: str, number: int) -> tuple[Entry, ...]:
    """A menu that a theme can draw."""
    menu = menu_of(Random(f"{theme} {number}"), THEMES[theme][1])
    if theme == "titled":  # it has several groups of links, and no links beside them
        menu = (*(entry for entry in menu if entry.below), *ALONE, *ALONE)
    if theme == "pairs":  # one button alone may open all of a menu
        menu = (*menu, *ALONE, *ALONE)
    return menu


@pytest.mark.parametrize("theme", THEMES)
def test_any_theme_is_read_alike(theme: str) -> None:
    for number in range(MENUS):
        menu = drawn(theme, number)
        data = page(theme, menu)
        site = read(data, "page.html")[0].site
        (found,) = [tree(one.items) for one in site.menus if one.items]
        assert found == wanted(theme, menu), data.decode()


@pytest.mark.parametrize("theme", THEMES)
def test_what_was_read_goes_on(theme: str) -> None:
    """Each of them can be written as plain lists, with every fact of it."""
    done = convert(page(theme, drawn(theme, 0)), "page.html", "html")
    assert done.audited.facts["kept"] == done.audited.facts["total"]
