"""Pages as people see them: their navigation as plain lists, whatever markup they are made of.

The landmarks of a page (`nav`, or what has that role) become `nav` elements with one nested list of
`li`, each with an `a` and, where something is below it, a `ul`. Everything else of the page is left
aside, and counted.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

from ..errors import FormatError
from . import ASIDE, LEFT_OUT
from .html import ACTIVE, Element, check_depth, parsed, tree_of
from .json import deep

_LISTS = ("ul", "ol", "menu")
_HEADINGS = ("h1", "h2", "h3", "h4", "h5", "h6")
_DECORATION = ("button", "svg", "img", "form", "input", "span")
_NO_MENU = re.compile(r"bread-?crumb|pagination|\bpager\b", re.IGNORECASE)
_KEPT = ("href", "title", "target", "rel")
MOST_CLASSES = 12
"""Classes of a theme's markup that are named."""


def read(data: bytes, file: str, find: str, asked: str | None) -> Element:
    """Bytes to a tree with the navigation of a page.

    `find` is the CSS selector of landmarks, `asked` one that somebody gave in its place. A file
    that holds nothing but plain lists is read as it stands. Raises `FormatError`.
    """
    root, whole = parsed(data, file)
    if asked is None and _plain(root):
        return tree_of(root, whole, file)
    check_depth(root, file)
    with deep():
        return _Page(root, file).tree(find, asked)


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


def _drop(node: Any) -> None:
    """Take an element out of its tree; the text behind it stays where it stands."""
    parent, before, tail = node.getparent(), node.getprevious(), node.tail
    if tail and before is None:
        parent.text = (parent.text or "") + tail
    elif tail:
        before.tail = (before.tail or "") + tail
    parent.remove(node)


class _Page:
    def __init__(self, root: Any, file: str) -> None:
        self.root, self.file = root, file
        self.aside: dict[str, int] = {}
        self.left: dict[str, int] = {}
        self.keys: set[str] = set()
        self.host = self._host()

    def leave(self, name: str) -> None:
        self.aside[name] = self.aside.get(name, 0) + 1

    def tree(self, find: str, asked: str | None) -> Element:
        found = self._outermost(self._select(asked or find))
        if asked is None:
            menus = [node for node in found if not self._no_menu(node)]
            if not menus:
                menus = found
            for _ in range(len(found) - len(menus)):
                self.leave("breadcrumbs or page numbers")
        else:
            menus = found
        if not menus:
            what = f"the selector {asked!r} finds nothing" if asked else "no navigation is marked"
            raise FormatError(
                f"{what} in this page; name the part to read with --nav and a CSS selector, "
                "as in --nav 'header ul'",
                file=self.file,
            )
        navs = [("nav", self._nav(node)) for node in menus]
        self._leave_classes(menus)
        for _ in range(0 if asked else self._lists_outside(found)):
            self.leave("lists of links outside of them, which --nav can name")
        html: Element = {}
        if self.root.get("lang"):
            html["@lang"] = self.root.get("lang")
        html["#children"] = [("body", {"#children": navs})]
        top: Element = {"#children": [("html", html)], ASIDE: self.aside}
        if self.left:
            top[LEFT_OUT] = self.left
        return top

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

    def _lists_outside(self, found: list[Any]) -> int:
        """How many lists of several links stand in none of these elements, nor in each other."""
        inside = set(found)
        lists = [
            node
            for node in self.root.iter(*_LISTS)
            if len(node.findall(".//a[@href]")) > 1
            and not any(up in inside for up in (node, *node.iterancestors()))
        ]
        return len(self._outermost(lists))

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

    @staticmethod
    def _outermost(found: list[Any]) -> list[Any]:
        inside = set(found)
        return [node for node in found if not any(up in inside for up in node.iterancestors())]

    def _no_menu(self, node: Any) -> bool:
        said = " ".join(node.get(name, "") for name in ("id", "class", "aria-label"))
        return _NO_MENU.search(said) is not None

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
        headings = [h for h in node.iter(*_HEADINGS) if not self._listed(h, node)]
        title = node.get("aria-label", "").strip() or self._labelled_by(node)
        own = headings[0] if len(headings) == 1 and headings[0].find(".//a") is None else None
        if own is not None and not title:
            title = self._text(own)
        items = self._entries([node] if node.tag in _LISTS else list(self._inside(node)), own)
        nav: Element = {"@id": self._key(node)}
        if title:
            nav["@aria-label"] = title
        if node.get("lang"):
            nav["@lang"] = node.get("lang")
        if items:
            nav["#children"] = [("ul", {"#children": [("li", item) for item in items]})]
        return nav

    @staticmethod
    def _listed(node: Any, top: Any) -> bool:
        for up in node.iterancestors():
            if up is top:
                return False
            if up.tag == "li":
                return True
        return False

    def _labelled_by(self, node: Any) -> str:
        for name in (node.get("aria-labelledby") or "").split():
            for found in self.root.xpath("//*[@id=$name]", name=name):
                return self._text(found)
        return ""

    def _key(self, node: Any) -> str:
        above = [up.tag for up in node.iterancestors() if isinstance(up.tag, str)]
        words = {"header": "header", "footer": "footer", "aside": "side"}
        place = next((words[tag] for tag in above if tag in words), "nav")
        key = (node.get("id") or "").strip() or place
        name, count = key, 1
        while name in self.keys:
            count += 1
            name = f"{key}-{count}"
        self.keys.add(name)
        return name

    # Items

    def _inside(self, node: Any) -> list[Any]:
        """The elements in an element; what would run is left out, and text of its own aside."""
        if (node.text or "").strip() or any((child.tail or "").strip() for child in node):
            self.leave("text")
        found: list[Any] = []
        for child in node:
            if not isinstance(child.tag, str):
                continue
            if child.tag in ACTIVE:
                self.left[child.tag] = self.left.get(child.tag, 0) + 1
            else:
                found.append(child)
        return found

    def _entries(self, nodes: list[Any], title: Any = None) -> list[Element]:
        """The items that elements hold, in reading order; a heading groups those behind it."""
        found: list[Element] = []
        group: Element | None = None
        stack = nodes[::-1]
        while stack:
            node = stack.pop()
            if node is title:
                continue
            made: list[Element] = []
            if node.tag in _LISTS:
                for entry in self._inside(node):
                    made += [self._item(entry)] if entry.tag == "li" else self._entries([entry])
                made = [item for item in made if item]
            elif node.tag in _HEADINGS and len(node.findall(".//a")) <= 1:
                group = self._made(node, node.find(".//a"))
                found.append(group)
                continue
            elif node.tag == "a":
                made = [self._made(node, node)]
            elif node.tag == "hr":
                made = [{"@data-kind": "divider"}]
            elif node.tag == "details" and node.find("summary") is not None:
                summary = node.find("summary")
                rest = [inner for inner in self._inside(node) if inner is not summary]
                item = self._made(summary, summary.find(".//a"))
                made = [self._grown(item, self._entries(rest))]
            elif node.tag in _DECORATION and self._bare(node):
                self.leave(node.tag)
                continue
            else:
                stack += self._inside(node)[::-1]
                continue
            if group is not None and node.tag != "a":
                self._grown(group, made)
            else:
                found += made
        return found

    @staticmethod
    def _grown(item: Element, below: list[Element]) -> Element:
        """An item with further ones below it."""
        if below:
            children = item.setdefault("#children", [])
            if not children or children[-1][0] != "ul":
                children.append(("ul", {"#children": []}))
            children[-1][1]["#children"] += [("li", inner) for inner in below]
        return item

    def _item(self, entry: Any) -> Element:
        """The item of an entry of a list: what it says first, and all the rest below it."""
        if entry.get("role") == "separator":
            return {"@data-kind": "divider"}
        says, link = self._says(entry)
        if says is None:
            below = self._entries(self._inside(entry))
            if not below:
                self.leave("empty entries")
                return {}
            if len(below) == 1 and below[0].get("@data-kind"):
                return below[0]
            text = self._own_text(entry)
            return self._grown({"#children": [("a", {"#text": text} if text else {})]}, below)
        item = self._made(says, link)
        if "hidden" in entry.attrib:
            item = {"@hidden": "", **item}
        return self._grown(item, self._rest(entry, says))

    def _says(self, entry: Any) -> tuple[Any, Any]:
        """The element that an entry's label is in, and its link, if it has one."""
        first: Any = None
        for node in self._near(entry):
            if node.tag == "a":
                behind = first is not None and first not in node.iterancestors()
                if behind and (first.tag != "span" or self._opens(entry, first, node)):
                    break  # a button, or a word of its own, opens what is behind it
                heading = next((up for up in node.iterancestors() if up.tag in _HEADINGS), None)
                if heading is None or entry not in heading.iterancestors():
                    return node, node
                return (heading if len(heading.findall(".//a")) == 1 else node), node
            if first is None and node.tag in ("summary", "button", "span", *_HEADINGS):
                first = node if self._text(node) else None
        if first is not None and (first.tag != "span" or first.getparent() is entry):
            return first, None
        if self._own_text(entry):
            return entry, None
        return first, None

    @staticmethod
    def _opens(entry: Any, word: Any, link: Any) -> bool:
        """Whether a word at the start of an entry stands for the block of links behind it."""
        block = next(up for up in (link, *link.iterancestors()) if up.getparent() is entry)
        several = len(block.findall(".//a")) > 1 or block.find(".//li") is not None
        return word.getparent() is entry and block is not link and several

    @staticmethod
    def _near(entry: Any) -> Iterator[Any]:
        """The elements in an entry that are in no list of their own, in the order of the page."""
        stack = [entry]
        while stack:
            node = stack.pop()
            if node is not entry:
                yield node
            stack += [c for c in reversed(node) if isinstance(c.tag, str) and c.tag not in _LISTS]

    @staticmethod
    def _bare(node: Any) -> bool:
        """Whether an element holds no link and no list."""
        return next(node.iter("a", *_LISTS), None) is None

    @staticmethod
    def _own_text(node: Any) -> str:
        return " ".join(((node.text or "") + "".join(c.tail or "" for c in node)).split())

    def _rest(self, entry: Any, says: Any) -> list[Element]:
        """The items of an entry but for the element that its label is in."""
        if says is entry:
            return self._entries(self._safe([c for c in entry if isinstance(c.tag, str)]))
        on_the_way = {says, *says.iterancestors()}
        found: list[Any] = []
        stack = [entry]
        while stack:
            node = stack.pop()
            for child in reversed([c for c in node if isinstance(c.tag, str)]):
                if child is says:
                    continue
                if child in on_the_way or self._folds(child):
                    stack.append(child)
                elif child.tag in _DECORATION and self._bare(child):
                    self.leave(child.tag)
                else:
                    found.append(child)
        return self._entries(self._safe(found[::-1]))

    def _folds(self, node: Any) -> bool:
        """Whether an element only folds away what belongs to the label before it.

        Its summary has no words, but perhaps a name for those who do not see its sign.
        """
        summary = node.find("summary") if node.tag == "details" else None
        if summary is None or "".join(summary.itertext()).strip() or not self._bare(summary):
            return False
        self.leave("summary")
        _drop(summary)
        return True

    def _safe(self, nodes: list[Any]) -> list[Any]:
        for node in nodes:
            if node.tag in ACTIVE:
                self.left[node.tag] = self.left.get(node.tag, 0) + 1
        return [node for node in nodes if node.tag not in ACTIVE]

    def _made(self, says: Any, link: Any) -> Element:
        """An item with the label of one element and the link of another, or none."""
        anchor: Element = {}
        for name in link.attrib if link is not None else ():
            if name in _KEPT:
                value = link.get(name)
                anchor["@" + name] = self._shortened(value) if name == "href" else value
            elif name not in ("class", "id"):
                self.leave(name)
        text = self._text(says) if says is not None else ""
        if text:
            anchor["#text"] = text
        return {"#children": [("a", anchor)]}

    def _text(self, node: Any) -> str:
        """What an element says to people: its text, else what stands in for it."""
        if node.tag == "li":
            text = self._own_text(node)
        else:
            pieces = [n for n in node.iter() if isinstance(n.tag, str)]
            text = "".join(node.itertext(*{n.tag for n in pieces} - ACTIVE))
        text = " ".join(text.split())
        if text:
            return text
        for name in ("aria-label", "title"):
            if node.get(name, "").strip():
                return " ".join(node.get(name).split())
        alts = [image.get("alt", "").strip() for image in node.iter("img")]
        alts += [
            drawn.get("aria-label", "").strip() for drawn in node.iterfind(".//*[@role='img']")
        ]
        return " ".join(alt for alt in alts if alt)
