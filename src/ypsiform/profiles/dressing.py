"""Plain lists of HTML with the classes that a theme expects, and without them again.

The lists are `nav` elements with one `ul` of `li`, each with an `a`. What is given here says
nothing of a menu, so that what is read back is undressed first, by the same settings.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from ..addresses import Hosts, normal_tail
from ..containers.html import SHAPE, WHOLE

Element = dict[str, Any]
Settings = Mapping[str, str]


class Worn(NamedTuple):
    """An element, and the classes that it is given."""

    node: Element
    classes: str


CLASSES = (
    *("list-class", "sublist-class", "item-class", "parent-class", "trail-class"),
    *("current-class", "link-class"),
)
"""The settings that give classes."""


def _bare(settings: Settings) -> bool:
    """Whether lists stay as they are."""
    asked = any(settings.get(name) for name in (*CLASSES, "current"))
    return not asked and settings.get("nowhere", "a") == "a"


def dress(tree: Element, settings: Settings) -> Element:
    """Give lists, items and links their classes, and a page around them where it is asked for."""
    bare = _bare(settings)
    for worn in () if bare else list(_worn(tree, settings)):
        own = worn.node.get("@class")
        if worn.classes:
            _set(worn.node, worn.classes if own is None else f"{worn.classes} {own}")
    for item in () if bare else _items(tree):
        link = _link(item)
        if link is not None and _is_current(link, settings):
            link["@aria-current"] = "page"
        if settings.get("nowhere", "a") != "a" and link is not None and "@href" not in link:
            if settings["nowhere"] == "hash":
                link["@href"] = "#"
            else:
                _rename(item, "a", "span")
    if settings.get("page") == "yes":
        tree[WHOLE] = True
        root = tree["#children"][0][1]
        if SHAPE.step(root, "head") is None:
            head = {"#children": [("meta", {"@charset": "utf-8"}), ("title", {"#text": "Menus"})]}
            root["#children"] = [("head", head), *root.get("#children", ())]
    return tree


def undress(tree: Element, settings: Settings) -> Element:
    """The lists without what `dress` gives them by these settings."""
    bare = _bare(settings)
    for item in () if bare else _items(tree):
        if settings.get("nowhere") == "span":
            _rename(item, "span", "a")
        link = _link(item)
        if link is None:
            continue
        if settings.get("nowhere") == "hash" and link.get("@href") == "#":
            del link["@href"]
        if _is_current(link, settings):
            link.pop("@aria-current", None)
    for worn in () if bare else list(_worn(tree, settings)):
        own = worn.node.get("@class", "")
        if worn.classes and own == worn.classes:
            del worn.node["@class"]
        elif worn.classes and own.startswith(worn.classes + " "):
            worn.node["@class"] = own[len(worn.classes) + 1 :]
    if settings.get("page") == "yes":
        root = tree["#children"][0][1]
        root["#children"] = [pair for pair in root.get("#children", ()) if pair[0] != "head"]
    return tree


def _set(node: Element, classes: str) -> None:
    """Set the classes of an element, before its other attributes where it had none."""
    if "@class" in node:
        node["@class"] = classes
        return
    rest = dict(node)
    node.clear()
    node["@class"] = classes
    node.update(rest)


def _rename(item: Element, old: str, new: str) -> None:
    children = item.get("#children", ())
    renamed = [
        (new if name == old and "@href" not in child else name, child) for name, child in children
    ]
    if children:
        item["#children"] = renamed


class Listed(NamedTuple):
    """A list: its level, from 1, the key of its menu, and the item that it stands in, if any."""

    node: Element
    level: int
    menu: str
    above: Element | None


def _lists(tree: Element) -> Iterator[Listed]:
    """Every list, those of one level before those in them."""
    body = SHAPE.step(tree["#children"][0][1], "body") or {}
    stack: list[Listed] = []
    for name, nav in body.get("#children", ()):
        if name == "nav":
            menu = "-".join(str(nav.get("@id", "")).split())
            lists = [inner for kind, inner in nav.get("#children", ()) if kind == "ul"]
            stack += [Listed(inner, 1, menu, None) for inner in lists]
    while stack:
        listed = stack.pop()
        yield listed
        for _, item in listed.node.get("#children", ()):
            lists = [inner for kind, inner in item.get("#children", ()) if kind == "ul"]
            stack += [Listed(inner, listed.level + 1, listed.menu, item) for inner in lists]


def _items(tree: Element) -> Iterator[Element]:
    for listed in _lists(tree):
        yield from (item for name, item in listed.node.get("#children", ()) if name == "li")


def _link(item: Element) -> Element | None:
    found = (child for name, child in item.get("#children", ()) if name == "a")
    return next(found, None)


def _is_current(link: Element, settings: Settings) -> bool:
    address: str | None = link.get("@href")
    current = settings.get("current")
    if not address or not current:
        return False
    one, two = _HOSTS.read(address), _HOSTS.read(current)
    if one.kind != two.kind or not one.path:
        return address == current
    return one.path == two.path and normal_tail(one.tail) == normal_tail(two.tail)


_HOSTS = Hosts(())


def _trail(lists: list[Listed], settings: Settings) -> set[int]:
    """The items that the current one stands in, by identity."""
    if not settings.get("current") or not settings.get("trail-class"):
        return set()
    above: dict[int, Element | None] = {}
    current: list[Element] = []
    for listed in lists:
        for name, item in listed.node.get("#children", ()):
            above[id(item)] = listed.above
            link = _link(item) if name == "li" else None
            if link is not None and _is_current(link, settings):
                current.append(item)
    found: set[int] = set()
    for item in current:
        at = above[id(item)]
        while at is not None and id(at) not in found:
            found.add(id(at))
            at = above[id(at)]
    return found


def _worn(tree: Element, settings: Settings) -> Iterator[Worn]:
    lists = list(_lists(tree))
    trail = _trail(lists, settings)
    for node, level, menu, above in lists:

        def classes(name: str, level: int = level, menu: str = menu) -> str:
            said = settings.get(name, "")
            return said.replace("{level}", str(level)).replace("{menu}", menu)

        yield Worn(node, classes("list-class" if above is None else "sublist-class"))
        for name, item in node.get("#children", ()):
            if name != "li" or item.get("@data-kind") in ("divider", "column"):
                continue
            link = _link(item)
            says = [classes("item-class")]
            if any(kind == "ul" for kind, _ in item.get("#children", ())):
                says.append(classes("parent-class"))
            if id(item) in trail:
                says.append(classes("trail-class"))
            if link is not None and _is_current(link, settings):
                says.append(classes("current-class"))
            yield Worn(item, " ".join(part for part in says if part))
            if link is not None:
                yield Worn(link, classes("link-class"))
