"""Links inside markup and text: found, and given other addresses. Nothing is ever fetched."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from html import escape, unescape
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lxml.html import HtmlElement

_HREF = re.compile(r"""(\bhref\s*=\s*)("[^"]*"|'[^']*'|[^\s"'>]+)""", re.IGNORECASE)
_RUNS = re.compile(
    r"<\s*(script|style|iframe|frame|object|embed|applet|template)\b|"
    r"(javascript|vbscript)\s*:|data\s*:\s*text/html",
    re.IGNORECASE,
)
_HANDLER = re.compile(r"\bon[a-z]+\s*=", re.IGNORECASE)
_WRITTEN = re.compile(r"(!?)\[([^\]\[]*)\]\(\s*<?([^\s()<>]+)>?(?:\s+\"[^\"]*\")?\s*\)")

_MARKS = re.compile(r"[\\`*_\[\]<>#]")

Link = tuple[str, str]
"""The text of a link, and its address."""


def links_in(html: str) -> list[Link]:
    """The links of a piece of markup, in order: what is read and where it leads."""
    if not _HREF.search(html):
        return []
    root = _parsed(html)
    if root is None:
        return []
    found: list[Link] = []
    for element in root.iter("a"):
        address = element.get("href")
        if address is not None:
            pictures = [image.get("alt") or "" for image in element.iter("img")]
            words = " ".join(" ".join([*element.itertext(), *pictures]).split())
            found.append((words, address))
    return found


def _parsed(html: str) -> HtmlElement | None:
    """Markup as elements, as a browser reads it; None where it cannot be read."""
    from lxml import etree
    from lxml import html as parser

    try:
        made = parser.HTMLParser(no_network=True, remove_pis=True, remove_comments=True)
        return parser.fragment_fromstring(html, create_parent="div", parser=made)
    except (etree.LxmlError, ValueError):
        return None


def links_in_text(body: str, form: str) -> list[Link]:
    """The links of a text, where its form has any."""
    if form != "markdown":
        return []
    return [(words, address) for mark, words, address in _WRITTEN.findall(body) if not mark]


def linked(links: Iterable[Link]) -> str:
    """Markup of nothing but links."""
    return " ".join(f'<a href="{escape(at)}">{escape(words or at)}</a>' for words, at in links)


def runs(html: str) -> bool:
    """Whether markup would run something in the page that shows it."""
    if _RUNS.search(unescape(html)) is not None:
        return True
    if _HANDLER.search(html) is None:
        return False
    root = _parsed(html)
    return root is None or any(
        str(name).lower().startswith("on") for element in root.iter() for name in element.attrib
    )


def relinked(html: str, addresses: Mapping[str, str]) -> str:
    """Markup with other addresses in its links."""

    def other(found: re.Match[str]) -> str:
        held = found[2]
        quote = held[0] if held[0] in "\"'" else ""
        old = unescape(held.strip("\"'") if quote else held)
        new = addresses.get(old)
        if new is None or new == old:
            return found[0]
        return f'{found[1]}"{escape(new, quote=True)}"'

    return _HREF.sub(other, html)


def relinked_text(body: str, addresses: Mapping[str, str]) -> str:
    """A text with other addresses in its links."""

    def other(found: re.Match[str]) -> str:
        new = addresses.get(found[3])
        return found[0] if new is None or found[1] else found[0].replace(found[3], new)

    return _WRITTEN.sub(other, body)


def bare(html: str) -> str:
    """Markup without the addresses of its links, for comparing."""
    return _HREF.sub("href", html)


def bare_text(body: str) -> str:
    """A text without the addresses of its links, for comparing."""
    return _WRITTEN.sub(lambda found: f"[{found[2]}]", body)


def as_markup(body: str) -> str:
    """A text with links, as Markdown writes them, as markup that leads to the same."""
    found: list[str] = []
    at = 0
    for link in _WRITTEN.finditer(body):
        if not link[1]:
            found += [escape(body[at : link.start()]), linked([(link[2], link[3])])]
            at = link.end()
    return f"<p>{''.join(found)}{escape(body[at:])}</p>"


def has_marks(body: str) -> bool:
    """Whether a text holds characters that some form of writing gives a meaning."""
    return _MARKS.search(body) is not None


def escaped(body: str) -> str:
    """A plain text as Markdown that shows the same."""
    return _MARKS.sub(r"\\\g<0>", body)
