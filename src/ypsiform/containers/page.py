"""Pages as people see them: their navigation as plain lists, whatever markup they are made of.

The landmarks of a page (`nav`, or what has that role) become `nav` elements with one nested list of
`li`, each with an `a` and, where something is below it, a `ul`. Everything else of the page is left
aside, and counted.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import Any
from urllib.parse import urlsplit

from ..errors import FormatError
from ..findings import enumerated
from . import ASIDE, ENCODED, LEFT_OUT
from .html import Element, check_depth, parsed, tree_of
from .json import deep
from .page_items import HEADINGS, Entries, is_listed
from .page_marks import (
    LISTS,
    classes_unseen,
    count_links,
    footers,
    lists_outside,
    marked_by_name,
    outermost,
    selector_of,
    with_links_closed,
    with_panels,
    with_roles,
)
from .page_words import words_of

_NO_MENU = re.compile(r"bread-?crumb|pagination|\bpager\b", re.IGNORECASE)
MOST_LISTS = 5
"""Lists of links outside of all menus that are named."""
MOST_CLASSES = 12
"""Classes of a theme's markup that are named."""


def read(data: bytes, file: str, find: str, asked: str | None) -> Element:
    """Bytes to a tree with the navigation of a page.

    `find` is the CSS selector of landmarks, `asked` one that somebody gave in its place. A file
    that holds nothing but plain lists is read as it stands. Raises `FormatError`.
    """
    page = parsed(data, file)
    if asked is None and _plain(page.root):
        return tree_of(page, file)
    check_depth(page.root, file)
    with deep():
        tree = _Page(page.root, file).tree(find, asked)
    if page.odd:
        tree[ENCODED] = page.odd
    return tree


def _plain(root: Any) -> bool:
    """Whether a document is plain lists in `nav`, as they are written here."""
    body = root.find("body")
    if body is None or (body.text or "").strip():
        return False
    if not len(body):
        return root.find("head") is None  # what is written where there are no menus
    stack = list(body)
    if any(nav.tag != "nav" or not nav.get("id") for nav in stack):
        return False
    while stack:
        node = stack.pop()
        tag = node.tag
        if tag in ("a", "span"):
            if len(node):
                return False
            continue
        names = [child.tag for child in node]
        text = (node.text or "") + "".join(child.tail or "" for child in node)
        inside: tuple[list[str], ...] = ([],)
        if tag == "nav":
            inside = ([], ["ul"])
        elif tag == "li":
            inside = ([], ["a"], ["a", "ul"], ["ul"])
        elif tag == "ul":
            inside = (["li"] * len(names),)
        said = ["a" if name == "span" and tag == "li" else name for name in names]
        if said not in inside or text.strip():
            return False
        stack += node
    for span in body.iter("span"):
        span.tag = "a"  # an item without a link
    return True


def _host_of(address: str) -> str:
    """The host of an address of the web, without `www`."""
    try:
        parts = urlsplit(address.strip())
        host = parts.hostname or ""
    except ValueError:
        return ""
    return host.removeprefix("www.") if parts.scheme in ("http", "https") else ""


def _beside(link: Any) -> bool:
    """Whether a link leads to the page before or behind the one that is shown."""
    return not {"prev", "next"}.isdisjoint((link.get("rel") or "").split())


class _Page:
    def __init__(self, root: Any, file: str) -> None:
        self.root, self.file = root, file
        self.aside: dict[str, int] = {}
        self.left: dict[str, int] = {}
        # By key how many menus have it, with a number behind it for all but the first.
        self.keys: dict[str, int] = {}
        self.host = self._host()
        self.entries = Entries(self.leave, self.left, self._shortened)
        self.entries.unseen = classes_unseen(root)

    def leave(self, name: str) -> None:
        self.aside[name] = self.aside.get(name, 0) + 1

    def tree(self, find: str, asked: str | None) -> Element:
        found = outermost(self._select(asked or find))
        menus = found
        if asked is None:
            menus = [node for node in found if not self._no_menu(node)] or found
        if not menus:
            raise FormatError(self._nothing(asked), file=self.file)
        if asked is None:
            more = footers(self.root, found)
            found, menus = [*found, *more], [*menus, *more]
            if more:  # a footer may stand above a menu
                place = {node: at for at, node in enumerate(self.root.iter())}
                menus.sort(key=place.__getitem__)
        with_links_closed(menus)
        with_roles(menus)
        with_panels(self.root, menus)
        check_depth(self.root, self.file)
        menus = outermost(menus)  # one of them may be a panel of another
        navs = [("nav", self._nav(node)) for node in menus]
        if not any("#children" in nav for _, nav in navs):
            raise FormatError(
                "there is no link in the navigation of this page: where a script builds its menus, "
                "save the page out of a browser that shows them; else name the part to read with "
                "--nav and a CSS selector, as in --nav '#menu'",
                file=self.file,
            )
        self._leave_classes(menus)
        if asked is None:
            self._leave_lists(found)
        html: Element = {}
        if self.root.get("lang"):
            html["@lang"] = self.root.get("lang")
        html["#children"] = [("body", {"#children": navs})]
        top: Element = {"#children": [("html", html)], ASIDE: self.aside}
        if self.left:
            top[LEFT_OUT] = self.left
        return top

    def _nothing(self, asked: str | None) -> str:
        """Why there is nothing to be read, and what to name."""
        if asked is not None:
            return (
                f"the selector {asked!r} finds nothing in this page; name the part to read with "
                "--nav and a CSS selector, as in --nav 'header ul'"
            )
        there = [*marked_by_name(self.root), *lists_outside(self.root, [])]
        most = sorted(outermost(there), key=lambda node: -count_links(node))[:3]
        if not most:
            return (
                "no navigation is marked in this page, and it has no lists of links: where a "
                "script builds its menus, save the page out of a browser that shows it; else name "
                "the part to read with --nav and a CSS selector, as in --nav '#menu'"
            )
        names = [f"{selector_of(self.root, n)!r} ({count_links(n)} links)" for n in most]
        return (
            "no navigation is marked in this page; name the part to read with --nav and a CSS "
            f"selector: there is {enumerated(names)}"
        )

    def _leave_lists(self, found: Sequence[Any]) -> None:
        """Name the lists of links that are no menus of those found."""
        outside = lists_outside(self.root, found)
        if outside:
            named = dict.fromkeys(selector_of(self.root, node) for node in outside[:MOST_LISTS])
            names = ", ".join(named)
            more = f" and {len(outside) - MOST_LISTS} more" if len(outside) > MOST_LISTS else ""
            self.aside[f"lists of links outside of them, which --nav can name: {names}{more}"] = (
                len(outside)
            )

    def _leave_classes(self, menus: list[Any]) -> None:
        """Name the classes of the theme's markup in the navigation, and count where they stand."""
        said = [
            words
            for menu in menus
            for element in menu.iter()
            if isinstance(element.tag, str) and (words := (element.get("class") or "").split())
        ]
        if said:
            names = Counter(word for words in said for word in words)
            most = [word for word, _ in names.most_common(MOST_CLASSES)]
            more = f" and {len(names) - len(most)} more" if len(names) > len(most) else ""
            self.aside[f"class: {', '.join(most)}{more}"] = len(said)

    def _select(self, selector: str) -> list[Any]:
        from cssselect import GenericTranslator, SelectorError

        try:
            path = GenericTranslator().css_to_xpath(selector)
        except SelectorError as error:
            raise FormatError(
                f"{selector!r} is not a CSS selector: {str(error) or 'it cannot be read'}",
                file=self.file,
            ) from None
        return [node for node in self.root.xpath(path) if isinstance(node.tag, str)]

    def _no_menu(self, node: Any) -> bool:
        """Whether a landmark is one of the page itself, and no menu of the site."""
        said = " ".join(node.get(name, "") for name in ("id", "class", "aria-label"))
        links = list(node.iter("a"))
        if _NO_MENU.search(said) or (links and all(_beside(link) for link in links)):
            self.leave("breadcrumbs or page numbers")
            return True
        inside = any(up.tag in ("main", "article") for up in node.iterancestors())
        if inside and links and all((link.get("href") or "#").startswith("#") for link in links):
            self.leave("tables of contents")
            return True
        return False

    def _host(self) -> str:
        """The host of the site that the page says it is part of."""
        for path in ("//link[@rel='canonical']/@href", "//meta[@property='og:url']/@content"):
            for address in self.root.xpath(path):
                host = _host_of(address)
                if host:
                    return host
        return ""

    def _shortened(self, address: str) -> str:
        """An address of the page's own site from its root; any other as it stands."""
        if self.host and _host_of(address) == self.host:
            parts = urlsplit(address.strip())
            self.leave("the site's own host in addresses")
            return parts._replace(scheme="", netloc="", path=parts.path or "/").geturl()
        return address

    # A menu

    def _nav(self, node: Any) -> Element:
        # What stands over all of a menu is its title; in a footer it is that of one group.
        headings = [h for h in node.iter(*HEADINGS) if not is_listed(h, node)]
        headings = [] if node.tag == "footer" else headings
        title = node.get("aria-label", "").strip() or self._labelled_by(node)
        own = headings[0] if len(headings) == 1 and headings[0].find(".//a") is None else None
        if own is not None and not title:
            title = words_of(own, self.leave)
        nodes = [node] if node.tag in LISTS else self.entries.inside(node)
        items = self.entries.of(nodes, own)
        name, items = _unfolded(items, node)
        if name and title:
            self.leave("words that a menu is folded behind")
        nav: Element = {"@id": self._key(node)}
        if title or name:
            nav["@aria-label"] = title or name
        if node.get("lang"):
            nav["@lang"] = node.get("lang")
        if items:
            nav["#children"] = [("ul", {"#children": [("li", item) for item in items]})]
        return nav

    def _labelled_by(self, node: Any) -> str:
        for name in (node.get("aria-labelledby") or "").split():
            for found in self.root.xpath("//*[@id=$name]", name=name):
                return words_of(found, self.leave)
        return ""

    def _key(self, node: Any) -> str:
        above = [up.tag for up in (node, *node.iterancestors()) if isinstance(up.tag, str)]
        words = {"header": "header", "footer": "footer", "aside": "side"}
        place = next((words[tag] for tag in above if tag in words), "nav")
        key = (node.get("id") or "").strip() or place
        name, count = key, self.keys.get(key, 0)
        while name in self.keys:
            count += 1
            name = f"{key}-{count}"
        self.keys[key] = max(count, 1)
        self.keys.setdefault(name, 1)
        return name


def _unfolded(items: list[Element], node: Any) -> tuple[str, list[Element]]:
    """The items of a menu that is folded away as a whole behind one word; else the same ones.

    Returns the word as well, empty where there is none.
    """
    if len(items) != 1 or "@hidden" in items[0] or "#children" not in items[0]:
        return "", items
    (_, link), *below = items[0]["#children"]
    entries = below[0][1]["#children"] if below else []
    word = link.get("#text", "")
    openers = (words_of(one, lambda _: None) for one in node.iter("summary", "button", "label"))
    if "@href" in link or len(entries) < 2 or word not in openers:
        return "", items
    return word, [item for _, item in entries]
