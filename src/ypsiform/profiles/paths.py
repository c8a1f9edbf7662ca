"""Menus from paths: a page stands below the one whose path its own path begins with."""

from __future__ import annotations

from urllib.parse import unquote, urlsplit

from msgspec.structs import replace

from ..addresses import Hosts
from ..model import NOWHERE, Content, Item, Menu, Target

KEY = "pages"
"""The key of the menu that is made."""

RULE = "follows the paths of the pages"
GROUP = "group:"
"""The start of the place of an item that no content has the path of."""


def origin(contents: list[Content]) -> str:
    """The address of the site that the first absolute address is on; empty where there is none."""
    for content in contents:
        try:
            parts = urlsplit(content.path or "")
        except ValueError:
            continue
        if parts.scheme in ("http", "https") and parts.netloc:
            return f"{parts.scheme}://{parts.netloc}/"
    return ""


def from_root(contents: list[Content], hosts: Hosts) -> list[Content]:
    """The contents with paths from the root of their site."""
    found: list[Content] = []
    for content in contents:
        there = hosts.read(content.path or "")
        path = there.path + there.tail if there.path else content.path
        if there.path and (content.path or "").rstrip().split("?")[0].split("#")[0].endswith("/"):
            path = there.path.rstrip("/") + "/" + there.tail
        found.append(replace(content, path=path))
    return found


def menu_of(contents: list[Content], hosts: Hosts) -> Menu:
    """The menu of all contents that are pages of the site, in their order.

    Its labels are made from the last segments of paths. Where no content has a path that others
    begin with, an item without a link stands there.
    """
    menu = Menu(KEY, KEY, "", [], rule=RULE, origin=KEY)
    at: dict[str, Item] = {}
    told: dict[str, Content] = {}
    extra: list[tuple[str, Content]] = []
    for content in contents:
        there = hosts.read(content.path or "")
        if there.kind not in ("home", "page", "file"):
            continue
        if there.path in told or there.tail:
            extra.append((there.path, content))
        else:
            told[there.path] = content
    for path, content in told.items():
        parts = path.strip("/").split("/") if path != "/" else []
        into = menu.items
        for depth in range(1, len(parts) + 1):
            here = "/" + "/".join(parts[:depth])
            item = at.get(here)
            if item is None:
                own = told.get(here)
                item = at[here] = _item(here, own)
                into.append(item)
            into = item.children
        if not parts:
            menu.items.append(_item("/", content))
    for path, content in extra:
        above = at.get(path)
        item = _item(path, content)
        item.id = content.id
        (above.children if above is not None else menu.items).append(item)
    return menu


def _item(path: str, content: Content | None) -> Item:
    label = label_of(path)
    if content is None:
        return Item(path, label, NOWHERE, children=[], origin=GROUP + path)
    target = Target(content.kind, content.id)
    return Item(path, label, target, children=[], origin=f"{content.origin}/loc")


def label_of(path: str) -> str:
    """A label from the last segment of a path: `/islands/day-rover` is “Day rover”."""
    last = unquote(path.rstrip("/").rpartition("/")[2])
    stem, dot, ending = last.rpartition(".")
    words = " ".join((stem if dot and len(ending) <= 5 else last).replace("_", "-").split("-"))
    words = " ".join(words.split())
    return words[:1].upper() + words[1:] if words else "Home"
