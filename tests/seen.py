"""What visitors see of a page's navigation, as a list; read from the page's HTML alone.

The pages are those of the simulated services. Nothing here is shared with the converter, nor
with what makes the pages, but the words of HTML.
"""

from __future__ import annotations

from typing import NamedTuple

from lxml import html


class Seen(NamedTuple):
    """One thing that a visitor sees in the navigation.

    `path` is what it stands below, labels from the top, headings of panels and labels of tabs
    included; `role` is link, heading, divider, tab, or the kind of a block; `column` counts from 1
    in a panel and is 0 elsewhere; `opens` says how what is below it opens: `submenu`, `panel` or
    `tabs`, and behind it hover or press where that is said.
    """

    place: str
    path: tuple[str, ...]
    label: str
    address: str
    role: str
    column: int
    opens: str
    width: str = ""


def text_of(element: html.HtmlElement) -> str:
    """The words of an element, as they are read."""
    return " ".join("".join(element.itertext()).split())


def seen(page: str) -> list[Seen]:
    """Everything in the landmarks of a page, in reading order."""
    found: list[Seen] = []
    for nav in html.document_fromstring(page).iter("nav"):
        reader = _Reader(nav.get("id") or "", found)
        for child in nav:
            if child.tag == "ul":
                reader.items(child, (), 0)
    return found


class _Reader:
    def __init__(self, place: str, found: list[Seen]) -> None:
        self.place, self.found = place, found

    width = ""
    """The width of the column that is being read."""

    def add(
        self,
        path: tuple[str, ...],
        label: str,
        address: str,
        role: str,
        column: int,
        opens: str = "",
    ) -> None:
        self.found.append(Seen(self.place, path, label, address, role, column, opens, self.width))

    def items(self, listed: html.HtmlElement, path: tuple[str, ...], column: int) -> None:
        for item in listed:
            if item.get("role") == "separator":
                self.add(path, "", "", "divider", column)
                continue
            label, address = _words(item)
            how, below = "", None
            for child in item:
                if child.tag in ("ul", "div"):
                    below = child
                    how = "hover" if "on-hover" in (item.get("class") or "") else ""
                elif child.tag == "details":
                    below, how = child[1], "press"
            opens = ""
            if below is not None:
                opens = "submenu" if below.tag == "ul" else "panel"
                if below.find(".//section[@class='tab']") is not None:
                    opens = "tabs"
            self.add(path, label, address, "link", column, f"{opens} {how}".strip())
            if below is not None and below.tag == "ul":
                self.items(below, (*path, label), column)
            elif below is not None:
                self.panel(below, (*path, label))

    def panel(self, panel: html.HtmlElement, path: tuple[str, ...]) -> None:
        for part in panel:
            if part.get("class") == "columns":
                for number, column in enumerate(part, 1):
                    self.column(column, path, number)
            else:
                self.block(part, path, 0)

    def column(self, column: html.HtmlElement, path: tuple[str, ...], number: int) -> None:
        self.width = column.get("data-width") or ""
        above = path
        for part in column:
            if part.tag == "h2":
                label, address = _words(part)
                self.add(path, label, address, "tab", number)
                path = above = (*path, label)
            elif part.tag == "h3":
                label, address = _words(part)
                self.add(path, label, address, "heading", number)
                above = (*path, label)
            elif part.tag == "ul":
                self.items(part, above, number)
            else:
                self.block(part, above, number)
        self.width = ""

    def block(self, part: html.HtmlElement, path: tuple[str, ...], number: int) -> None:
        if part.tag == "figure":
            link = part.find("a")
            caption = part.find("figcaption")
            words = text_of(caption) if caption is not None else ""
            address = link.get("href") or "" if link is not None else ""
            self.add(path, words, address, "picture", number)
        elif part.tag == "p":
            self.add(path, text_of(part), "", "note", number)
        else:
            kind = part.get("data-block") or part.tag
            self.add(path, text_of(part), "", kind, number)


def _words(element: html.HtmlElement) -> tuple[str, str]:
    """What an element says, and where it leads."""
    for child in element:
        if child.tag == "a":
            return text_of(child), child.get("href") or ""
        if child.tag == "span":
            return text_of(child), ""
    return text_of(element), ""
