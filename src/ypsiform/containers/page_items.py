"""The items of a menu of a page, out of whatever elements its theme draws them with."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise
from typing import Any

from .html import ACTIVE, Element
from .page_marks import LISTS, count_links, drop, is_unseen, several_links
from .page_words import is_said, words_of

HEADINGS = ("h1", "h2", "h3", "h4", "h5", "h6")
_DECORATION = ("button", "svg", "img", "form", "input", "span", "label", "select")
_SAY = ("summary", "button", "span", "label", *HEADINGS)
_CURRENT = ("strong", "b", "em", "span")
_KEPT = ("href", "title", "target", "rel")
_TITLES = ("p", "div", "strong", "b", "span", "a")
_TITLE = re.compile(r"(?:^|[-_])(?:title|heading|caption)(?:$|[-_])", re.IGNORECASE)
_DIVIDES = re.compile(r"(?:^|[-_])(?:divider|separator)(?:$|[-_])", re.IGNORECASE)
_BACK = re.compile(r"(?:^|[-_])(?:back|close)(?:$|[-_])", re.IGNORECASE)
_SKIPS = re.compile(r"skip|visually-?hidden|sr-?only|screen-?reader", re.IGNORECASE)


def is_listed(node: Any, top: Any) -> bool:
    """Whether an element stands in an entry of a list below another one."""
    for up in node.iterancestors():
        if up is top:
            return False
        if up.tag == "li":
            return True
    return False


class Entries:
    """Makes items of elements.

    `leave` is told what is left aside, `left` counts what would run, by the name of the element;
    `shortened` gives an address as it is to be read.
    """

    def __init__(
        self,
        leave: Callable[[str], None],
        left: dict[str, int],
        shortened: Callable[[str], str],
    ) -> None:
        self.leave, self.left, self.shortened = leave, left, shortened
        # Classes whose elements the page's style sheet never shows.
        self.unseen: frozenset[str] = frozenset()
        # By element, of those inside it how many of each name and class have links.
        self.like: dict[Any, dict[tuple[str, str], int]] = {}
        # By element whether links stand right in it.
        self.linked: dict[Any, bool] = {}

    def inside(self, node: Any) -> list[Any]:
        """The elements in an element; what would run is left out, and text of its own aside."""
        if (node.text or "").strip() or any((child.tail or "").strip() for child in node):
            self.leave("text")
        return self._safe([child for child in node if isinstance(child.tag, str)])

    def _safe(self, nodes: list[Any]) -> list[Any]:
        for node in nodes:
            if node.tag in ACTIVE:
                self.left[node.tag] = self.left.get(node.tag, 0) + 1
        return [node for node in nodes if node.tag not in ACTIVE]

    def of(self, nodes: Sequence[Any], title: Any = None) -> list[Element]:
        """The items that elements hold, in reading order; a heading groups those behind it.

        `title` is an element that is none of them.
        """
        found: list[Element] = []
        # The heading that groups what follows, the element around it, and whether a list of its own
        # has come: links behind that are not of the group.
        group: tuple[Element, Any] | None = None
        listed = False
        stack = self._paired(nodes)[::-1]
        while stack:
            node = stack.pop()
            if node is title:
                continue
            if isinstance(node, dict):  # an item that is made
                made = [node]
            elif (node.tag in HEADINGS and not several_links(node)) or self._heads(node):
                heading = self._opener(node)
                group, listed = (heading, node.getparent()), False
                found.append(heading)
                continue
            else:
                made_ = self._single(node)
                if made_ is None:
                    stack += self._paired(self.inside(node))[::-1]
                    continue
                made = [item for item in made_ if item]
            if len(made) == 1 and made[0].get("@data-kind"):
                group = None  # a line ends what a heading groups
            link = isinstance(node, dict) or node.tag == "a"
            if group is not None and (not link or (not listed and self._within(node, group[1]))):
                self._grown(group[0], made)
                listed = listed or (bool(made) and not link)
            else:
                found += made
        return found

    @staticmethod
    def _within(node: Any, around: Any) -> bool:
        """Whether a link stands in the element that a heading stands in."""
        return not isinstance(node, dict) and any(up is around for up in node.iterancestors())

    def _single(self, node: Any) -> list[Element] | None:
        """The items that an element is or holds; None where it only stands around others."""
        if node.tag in LISTS:
            entries = self._paired(self.inside(node))
            levels = _levels_of(entries)
            made: list[Element] = []
            for entry in entries:
                if isinstance(entry, dict):
                    made.append(entry)
                else:
                    made += [self._item(entry)] if entry.tag == "li" else self.of([entry])
            if levels and len(made) == len(levels) and all(made):
                return self._nested(made, levels)
            return [item for item in made if item]
        if node.tag == "dl":
            return self._terms(node)
        if node.tag == "a":
            if self._skips(node):
                self.leave("links that skip the menu")
                return []
            if self._goes_back(node):
                self.leave("what closes a submenu")
                return []
            item = self._made(node, node)
            return [{"@hidden": "", **item} if self._unseen(node, node) else item]
        if node.tag == "hr" or self._divides(node):
            return [{"@data-kind": "divider"}]
        if node.tag == "details" and node.find("summary") is not None:
            summary = node.find("summary")
            rest = [inner for inner in self.inside(node) if inner is not summary]
            item = self._item(summary) if several_links(summary) else self._opener(summary)
            return [self._grown(item, self.of(rest))]
        if self._is_current(node):
            return [self._made(node, None)]
        if node.tag in _DECORATION and self._bare(node):
            self.leave(node.tag)
            return []
        if node.get("role") == "group" and (node.get("aria-label") or "").strip():
            named: Element = {"#text": " ".join(node.get("aria-label").split())}
            return [self._grown({"#children": [("a", named)]}, self.of(self.inside(node)))]
        if self._is_entry(node):
            return [self._item(node)]
        return None

    def _heads(self, node: Any) -> bool:
        """Whether an element is the title of the links beside it, though no heading.

        It stands first among them, a class of its own or bold letters say so, and there are several
        such groups: what stands over all of a menu is the name of the site, or of the menu.
        """
        around = node.getparent()
        if node.tag not in _TITLES or around is None or around.tag in ("nav", "li", "a"):
            return False
        said = any(_TITLE.search(word) for word in (node.get("class") or "").split())
        if not (said or node.tag in ("strong", "b")) or several_links(node):
            return False
        if next(node.iter(*LISTS), None) is not None:
            return False
        if any(isinstance(one.tag, str) for one in node.itersiblings(preceding=True)):
            return False
        if all(next(one.iter("a"), None) is None for one in node.itersiblings()):
            return False
        return any(map(str.isalpha, "".join(node.itertext()))) and self._is_among(around)

    @staticmethod
    def _skips(link: Any) -> bool:
        """Whether a link only skips what follows, for those who move by keyboard."""
        to = (link.get("href") or "").startswith("#")
        return to and any(_SKIPS.search(word) for word in (link.get("class") or "").split())

    @staticmethod
    def _goes_back(node: Any) -> bool:
        """Whether a link or button only closes the submenu that it stands in."""
        to = (node.get("href") or "#").strip()
        if node.tag not in ("a", "button") or not (to == "#" or to.startswith("javascript:")):
            return False
        return any(_BACK.search(word) for word in (node.get("class") or "").split())

    def _divides(self, node: Any) -> bool:
        """Whether an element is nothing but a line between others."""
        said = any(_DIVIDES.search(word) for word in (node.get("class") or "").split())
        if not (said or node.get("role") == "separator") or not self._bare(node):
            return False
        return not "".join(node.itertext()).strip()

    def _is_current(self, node: Any) -> bool:
        """Whether an element is the page that is shown, among links: it needs no link itself."""
        if node.tag not in _CURRENT or not self._bare(node):
            return False
        if node.tag == "span" and not node.get("aria-current"):
            return False
        beside = node.getparent()
        if beside not in self.linked:
            self.linked[beside] = any(one.tag == "a" for one in beside)
        return self.linked[beside] and bool("".join(node.itertext()).strip())

    def _terms(self, node: Any) -> list[Element]:
        """The items of a list of terms: each stands above what is said of it."""
        found: list[Element] = []
        last: Element | None = None
        entries = [
            inner
            for child in self.inside(node)
            for inner in (self.inside(child) if child.tag == "div" else [child])
        ]
        for entry in entries:
            if entry.tag == "dt":
                last = (self._opener(entry) if self._bare(entry) else self._item(entry)) or None
                found += [last] if last is not None else []
            elif last is None:
                found += self.of([entry])
            else:
                self._grown(last, self.of([entry]))
        return found

    def _paired(self, nodes: Sequence[Any]) -> list[Any]:
        """These elements, but openers that each have a block of links behind them as one item.

        One pair alone says nothing, for the name of a site stands before its menu as well: unless a
        button opens fewer links than stand beside it.
        """
        pairs = {
            at
            for at, (one, other) in enumerate(pairwise(nodes))
            if (one.tag == "a" or (one.tag == "button" and self._bare(one)))
            and other.tag in ("div", "section", *LISTS)
            and other.get("role") not in ("search", "separator")
            and next(other.iter("a"), None) is not None
        }
        if len(pairs) < 2 and not any(self._opens_some(nodes, at) for at in pairs):
            return list(nodes)
        found: list[Any] = []
        for at, node in enumerate(nodes):
            if at in pairs:
                link = node if node.tag == "a" else None
                found.append(self._grown(self._made(node, link), self.of([nodes[at + 1]])))
            elif at - 1 not in pairs:
                found.append(node)
        return found

    @staticmethod
    def _opens_some(nodes: Sequence[Any], at: int) -> bool:
        """Whether a button opens no more links than stand beside it, two at least."""
        beside = sum(node.tag == "a" for node in nodes)
        opens: bool = nodes[at].tag == "button"
        return opens and beside >= max(2, count_links(nodes[at + 1]))

    def _is_entry(self, node: Any) -> bool:
        """Whether an element is an entry as one of a list is: an opener, and its block of links.

        There are several like it side by side, and in each of them the links that do not stand
        first are in one block.
        """
        if node.tag not in ("div", "span", "section", "p", "article") and "-" not in node.tag:
            return False
        inner = [c for c in node if isinstance(c.tag, str) and c.tag not in ACTIVE]
        holds = [
            c for c in inner if c.tag in ("a", "button") or next(c.iter("a"), None) is not None
        ]
        holds = [c for c in holds if c.tag != "button" or c is holds[0] or not self._bare(c)]
        if len(holds) != 2 or holds[1].tag == "a" or holds[0].tag in (*LISTS, *HEADINGS):
            return False
        if several_links(holds[0]) or _form_of(holds[0]) == _form_of(holds[1]):
            return False
        return self._is_among(node)

    def _is_among(self, node: Any) -> bool:
        """Whether there are several elements like this one side by side, each with links."""
        above = node.getparent()
        if above is None:
            return False
        if above not in self.like:
            forms: dict[tuple[str, str], int] = {}
            for one in above:
                if isinstance(one.tag, str) and next(one.iter("a"), None) is not None:
                    forms[_form_of(one)] = forms.get(_form_of(one), 0) + 1
            self.like[above] = forms
        return self.like[above].get(_form_of(node), 0) > 1

    def _nested(self, items: Sequence[Element], levels: Sequence[int]) -> list[Element]:
        """Items that stand beside each other and say their levels, each below the one above it."""
        top: list[Element] = []
        way: list[tuple[int, Element]] = []
        for item, level in zip(items, levels, strict=True):
            while way and way[-1][0] >= level:
                way.pop()
            if way:
                self._grown(way[-1][1], [item])
            else:
                top.append(item)
            way.append((level, item))
        return top

    @staticmethod
    def _grown(item: Element, below: Sequence[Element]) -> Element:
        """An item with further ones below it."""
        if below:
            children = item.setdefault("#children", [])
            if not children or children[-1][0] != "ul":
                children.append(("ul", {"#children": []}))
            children[-1][1]["#children"] += [("li", inner) for inner in below]
        return item

    def _item(self, entry: Any) -> Element:
        """The item of an entry of a list: what it says first, and all the rest below it."""
        if entry.get("role") == "separator" and self._bare(entry):
            return {"@data-kind": "divider"}
        says, link = self._says(entry)
        if says is None:
            below = self.of(self.inside(entry))
            if not below:
                if self._divides(entry):
                    return {"@data-kind": "divider"}
                self.leave("empty entries")
                return {}
            if len(below) == 1 and below[0].get("@data-kind"):
                return below[0]
            text = _own_text(entry)
            return self._grown({"#children": [("a", {"#text": text} if text else {})]}, below)
        rest = self._rest(entry, says, link)
        if not rest and self._goes_back(says):
            self.leave("what closes a submenu")
            return {}
        item = self._made(says, link)
        if self._unseen(entry, link if link is not None else says):
            item = {"@hidden": "", **item}
        return self._grown(item, rest)

    def _unseen(self, entry: Any, says: Any) -> bool:
        """Whether nobody sees an entry: it, its link, or what these stand in alone is hidden.

        What opens below another entry is hidden until then, and is no sign of that.
        """
        node = says
        while node is not None and node is not entry:
            if is_unseen(node, self.unseen):
                return True
            node = node.getparent()
        while node is not None and node.tag not in LISTS and node.tag != "nav":
            before = node.getprevious()
            opened = before is not None and (before.tag in _SAY or before.tag in ("a", "button"))
            if several_links(node) and node is not entry:
                return False
            if is_unseen(node, self.unseen) and not (opened and node.tag != "li"):
                return True
            if node.tag == "li":
                return False
            node = node.getparent()
        return False

    def _says(self, entry: Any) -> tuple[Any, Any]:
        """The element that an entry's label is in, and its link, if it has one."""
        first: Any = None
        for node in self._near(entry):
            if node.tag == "a":
                if first is None and self._stands_over(entry, node):
                    break
                behind = first is not None and first not in node.iterancestors()
                beside = behind and node.getparent() is first.getparent()
                if beside and first.tag == "span" and not is_said(node):
                    return first, node  # the words stand beside a link that is only a sign
                if behind and (first.tag != "span" or self._opens(entry, first, node)):
                    break  # a button, or a word of its own, opens what is behind it
                heading = next((up for up in node.iterancestors() if up.tag in HEADINGS), None)
                if heading is None or entry not in heading.iterancestors():
                    return node, node
                return (heading if len(heading.findall(".//a")) == 1 else node), node
            if first is None and node.tag in _SAY and self._bare(node):
                first = node if self._text(node) else None
        if (entry.text or "").strip():
            return entry, None
        if first is not None and (first.tag != "span" or first.getparent() is entry):
            return first, None
        return (entry if _own_text(entry) else first), None

    @staticmethod
    def _stands_over(entry: Any, link: Any) -> bool:
        """Whether an entry begins with words of its own, with a link in a block behind them."""
        if not any(map(str.isalpha, entry.text or "")):
            return False
        block = next(up for up in (link, *link.iterancestors()) if up.getparent() is entry)
        return block.tag in ("div", "section")

    @staticmethod
    def _opens(entry: Any, word: Any, link: Any) -> bool:
        """Whether a word at the start of an entry stands for the block of links behind it."""
        block = next(up for up in (link, *link.iterancestors()) if up.getparent() is entry)
        several = several_links(block) or block.find(".//li") is not None
        return word.getparent() is entry and block is not link and several

    @staticmethod
    def _near(entry: Any) -> Iterator[Any]:
        """The elements in an entry that are in no list of their own, in the order of the page."""
        stack = [entry]
        while stack:
            node = stack.pop()
            if node is not entry:
                yield node
            stack += [c for c in reversed(node) if isinstance(c.tag, str) and c.tag not in LISTS]

    @staticmethod
    def _bare(node: Any) -> bool:
        """Whether an element holds no link and no list."""
        return next(node.iter("a", *LISTS), None) is None

    def _rest(self, entry: Any, says: Any, link: Any) -> list[Element]:
        """The items of an entry but for the element that its label is in, and its link."""
        if says is entry:
            return self.of(self._safe([c for c in entry if isinstance(c.tag, str)]))
        on_the_way = {says, *says.iterancestors()}
        if link is not None:
            on_the_way.update(link.iterancestors())
        found: list[Any] = []
        stack = [entry]
        while stack:
            node = stack.pop()
            for child in reversed([c for c in node if isinstance(c.tag, str)]):
                if child is says or child is link:
                    continue
                if child in on_the_way or self._folds(child):
                    stack.append(child)
                elif child.tag in _DECORATION and self._bare(child):
                    self.leave(child.tag)
                else:
                    found.append(child)
        return self.of(self._safe(found[::-1]))

    def _folds(self, node: Any) -> bool:
        """Whether an element only folds away what belongs to the label before it.

        Its summary has no words, but perhaps a name for those who do not see its sign.
        """
        summary = node.find("summary") if node.tag == "details" else None
        if summary is None or "".join(summary.itertext()).strip() or not self._bare(summary):
            return False
        self.leave("summary")
        drop(summary)
        return True

    def _opener(self, node: Any) -> Element:
        """The item of an element with one link at most."""
        return self._made(node, node if node.tag == "a" else node.find(".//a"))

    def _made(self, says: Any, link: Any) -> Element:
        """An item with the label of one element and the link of another, or none."""
        anchor: Element = {}
        for name in link.attrib if link is not None else ():
            if name in _KEPT:
                value = link.get(name)
                anchor["@" + name] = self.shortened(value) if name == "href" else value
            elif name not in ("class", "id"):
                self.leave(name)
        text = self._text(says)
        if text:
            anchor["#text"] = text
        return {"#children": [("a", anchor)]}

    def _text(self, node: Any) -> str:
        """What an element says to people: its text, else what stands in for it."""
        if node.tag == "li" and (text := _own_text(node)):
            return text
        return words_of(node, self.leave)


def _own_text(node: Any) -> str:
    return " ".join(((node.text or "") + "".join(c.tail or "" for c in node)).split())


def _levels_of(entries: Sequence[Any]) -> list[int]:
    """The levels that the entries of one list say, where these are several; else none."""
    found: list[int] = []
    for entry in entries:
        if isinstance(entry, dict) or entry.tag != "li":
            return []
        said = _LEVEL.search(f"{entry.get('class') or ''} ")
        number = entry.get("aria-level") or entry.get("data-level") or (said[1] if said else "")
        if not number.isdecimal() or len(number) > 2:
            return []
        found.append(int(number))
    return found if len(set(found)) > 1 and found[0] == min(found) else []


_LEVEL = re.compile(r"(?:^|[\s_-])(?:level|depth|lvl)[-_]?(\d{1,2})(?=[\s_-])", re.IGNORECASE)


def _form_of(node: Any) -> tuple[str, str]:
    """The name of an element and its first class: what elements alike have in common."""
    return node.tag, next(iter((node.get("class") or "").split()), "")
