"""What a page says of its menus without lists: by roles, and by panels that stand elsewhere.

Both are put where a list says the same, before a page is read: an element with the role of a menu
becomes a list, and a panel is put into the entry whose opener names it.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

from . import DEEPEST

LISTS = ("ul", "ol", "menu")
_MENU_ROLES = frozenset({"menubar", "menu", "tree", "list"})
_ENTRY_ROLES = frozenset({"none", "presentation", "listitem"})
_AROUND = ("div", "span", "section")
_PARTS = ("main", "body", "header", "footer")
_OPENERS = ("a", "button", "summary", "span", "label", "div")
_MENU = re.compile(r"(?:^|[-_])(?:nav(?:bar|igation)?|menu)(?:$|[-_])", re.IGNORECASE)
_PLAIN_ID = re.compile(r"[A-Za-z_][\w-]*")


def several_links(node: Any) -> bool:
    """Whether more than one link stands in an element."""
    return len(list(islice(node.iter("a"), 2))) > 1


def with_roles(nodes: Sequence[Any]) -> None:
    """Give elements with the role of a menu the tags of lists."""
    for top in nodes:
        for node in list(top.iter()):
            if node.tag not in _AROUND or node.get("role") not in _MENU_ROLES or node is top:
                continue
            node.tag = "ul"
            for child in node:
                if child.get("role") in _ENTRY_ROLES and child.tag in _AROUND:
                    child.tag = "li"


def with_links_closed(nodes: Sequence[Any]) -> None:
    """Put links and entries that stand in a link, since that was never closed, behind it."""
    for top in nodes:
        for link in list(top.iter("a")):
            around = next(link.iterancestors("li"), link)
            held = [node for node in link.iter("a", "li") if node is not link]
            for node in reversed(outermost(held)):
                behind = around if node.tag == "li" and around is not top else link
                drop(node)
                node.tail = None
                behind.addnext(node)


def with_panels(root: Any, nodes: Sequence[Any]) -> None:
    """Put panels that stand elsewhere in the page into the entries whose openers name them.

    An opener names one by `aria-controls`, `aria-owns`, or an attribute of its theme's own that
    holds its id. A button that opens a menu as a whole stands in no entry: then it is the menu's.
    """
    known: dict[str, Any] = {}
    for node in root.iter():
        if isinstance(node.tag, str) and node.get("id"):
            known.setdefault(node.get("id"), node)
    for top in nodes:
        _tabs(top, known)
        few = count_links(top) <= FEW
        openers = deque(top.iter(*_OPENERS))
        while openers:
            opener = openers.popleft()
            for name in _named(opener, known):
                entry = next(opener.iterancestors("li", "nav"), None)
                if entry is None or (entry.tag == "nav" and not few):
                    break
                panel = known[name]
                above = [entry, *islice(entry.iterancestors(), DEEPEST)]
                if len(above) > DEEPEST or panel in above:
                    break
                if panel.tag in _PARTS or next(panel.iter("a"), None) is None:
                    continue
                if any(up is entry for up in panel.iterancestors()):
                    continue  # it stands there
                del known[name]
                _move(panel, entry)
                openers.extend(panel.iter(*_OPENERS))


FEW = 2
"""Links of a menu beside a button that opens the rest of it: a name of the site, a basket."""


def _tabs(top: Any, known: dict[str, Any]) -> None:
    """Put tabs above the panes that they show, each as what opens its pane."""
    panes = [node for node in top.iter(*_AROUND) if node.get("role") == "tabpanel"]
    tabs = [node for node in top.iter(*_OPENERS) if node.get("role") == "tab"]
    if not (panes and tabs):
        return
    inside = set(panes)
    named = {(node.get("aria-labelledby") or "").strip(): node for node in reversed(panes)}
    for tab in tabs:
        pane: Any = known.get((tab.get("aria-controls") or "").strip())
        pane = named.get(tab.get("id") or "") if pane is None else pane
        if pane not in inside or pane.tag == "details":
            continue
        if pane in {tab, *tab.iterancestors()} or tab in pane.iterancestors():
            continue  # one holds the other
        drop(tab)
        tab.tag, tab.tail = "summary", None
        pane.tag = "details"
        pane.insert(0, tab)
        if pane.text and pane.text.strip():
            tab.tail = pane.text
        pane.text = None


def _named(opener: Any, known: Mapping[str, Any]) -> list[str]:
    """The ids that an opener names, of those that are known."""
    said = f"{opener.get('aria-controls', '')} {opener.get('aria-owns', '')}".split()
    said += [
        value.strip().removeprefix("#")
        for name, value in opener.attrib.items()
        if name.startswith("data-")
    ]
    return [name for name in dict.fromkeys(said) if name in known]


def _move(panel: Any, entry: Any) -> None:
    """Take an element out of where it stands and put it at the end of an entry."""
    drop(panel)
    panel.tail = None
    entry.append(panel)
    panel.attrib.pop("hidden", None)


_GONE = re.compile(r"(?:^|;)\s*(?:display\s*:\s*none|visibility\s*:\s*hidden)", re.IGNORECASE)
_SHOWN = re.compile(r"(?:^|;)\s*display\s*:", re.IGNORECASE)

MOST_STYLE = 1 << 20
"""Characters of a style sheet that are looked at."""


def _rules(style: str) -> Iterator[tuple[str, str, bool]]:
    """The rules of a style sheet: selectors, what they say, and whether a condition is around."""
    first, *rest = style[:MOST_STYLE].split("/*")
    text = first + "".join(part.partition("*/")[2] for part in rest)
    around: list[str] = []
    said = ""
    for part in re.split(r"([{}])", text):
        if part == "{":
            around.append(said.rpartition(";")[2].strip())
        elif part == "}" and around:
            selectors = around.pop()
            if said.strip() and not selectors.startswith("@"):
                yield selectors, said, any(one.startswith("@") for one in around)
        said = "" if part in ("{", "}") else part


def classes_unseen(root: Any) -> frozenset[str]:
    """The classes whose elements the page's own style sheet never shows.

    Only what is said of a class alone counts, and under no condition, such as the width of the
    screen; and no class that any other rule shows somewhere: below another element, while the
    pointer is over it.
    """
    gone: set[str] = set()
    other: set[str] = set()
    for style in root.iter("style"):
        for selectors, says, condition in _rules(style.text or ""):
            hides = _GONE.search(says) is not None
            if not (hides or _SHOWN.search(says)):
                continue
            for selector in selectors.split(","):
                alone = re.fullmatch(r"(?:[a-z]+)?\.([\w-]+)", selector.strip())
                if hides and alone and not condition:
                    gone.add(alone[1])
                elif not hides:
                    other.update(re.findall(r"\.([\w-]+)", selector))
    return frozenset(gone - other)


def is_unseen(node: Any, classes: frozenset[str]) -> bool:
    """Whether an element says by itself, or by its class, that nobody sees it."""
    if "hidden" in node.attrib or _GONE.search(node.get("style") or ""):
        return True
    return bool(classes) and not classes.isdisjoint((node.get("class") or "").split())


def drop(node: Any) -> None:
    """Take an element out of its tree; the text behind it stays where it stands."""
    parent, before, tail = node.getparent(), node.getprevious(), node.tail
    if tail and before is None:
        parent.text = (parent.text or "") + tail
    elif tail:
        before.tail = (before.tail or "") + tail
    parent.remove(node)


# What is not marked


def outermost(found: Sequence[Any]) -> list[Any]:
    """The elements that stand in none of the others."""
    inside = set(found)
    return [node for node in found if not any(up in inside for up in node.iterancestors())]


def footers(root: Any, found: Sequence[Any]) -> list[Any]:
    """The footers of a page that have several links, and no menu that is marked."""
    taken = {up for node in found for up in (node, *node.iterancestors())}
    inside = set(found)
    made: list[Any] = []
    for node in root.iter("footer", "div"):
        if node.tag == "div" and node.get("role") != "contentinfo":
            continue
        around = list(node.iterancestors())
        own = any(up.tag in ("main", "article", "blockquote", "section") for up in around)
        if own or node in taken or any(up in inside for up in around):
            continue
        if several_links(node):
            made.append(node)
    return outermost(made)


def lists_outside(root: Any, found: Sequence[Any]) -> list[Any]:
    """The lists of several links that stand in none of these elements, nor in each other."""
    inside = set(found)
    lists = [
        node
        for node in root.iter(*LISTS)
        if several_links(node) and not any(up in inside for up in (node, *node.iterancestors()))
    ]
    return outermost(lists)


def marked_by_name(root: Any) -> list[Any]:
    """Elements whose id or class says that they are a menu, though no list or role does."""
    found = [
        node
        for node in root.iter("div", "td", "table", "section", "p", "header")
        if several_links(node)
        and any(_MENU.search(w) for w in f"{node.get('id', '')} {node.get('class', '')}".split())
    ]
    return outermost(found)


def count_links(node: Any) -> int:
    """How many links stand in an element."""
    return sum(link.get("href") is not None for link in node.iter("a"))


def selector_of(root: Any, node: Any) -> str:
    """A CSS selector for an element, or for the nearest one around it that has a name."""
    for up in (node, *node.iterancestors()):
        if up.tag in ("body", "html"):
            break
        ident = up.get("id") or ""
        if _PLAIN_ID.fullmatch(ident):
            return f"#{ident}"
        for word in (up.get("class") or "").split():
            if _PLAIN_ID.fullmatch(word) and len(_of_class(root, word)) == 1:
                return f".{word}"
        if up.tag in ("header", "footer", "aside", "main"):
            return f"{up.tag} {node.tag}"
    return f"body {node.tag}"


def _of_class(root: Any, word: str) -> list[Any]:
    path = "(//*[contains(concat(' ', normalize-space(@class), ' '), concat(' ', $word, ' '))])"
    found: list[Any] = root.xpath(path + "[position() < 3]", word=word)
    return found
