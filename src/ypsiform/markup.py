"""Links inside markup and text: found, and given other addresses. Nothing is ever fetched."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from functools import lru_cache
from html import escape, unescape
from typing import TYPE_CHECKING, NamedTuple

from .model import Markup, Text

if TYPE_CHECKING:
    from lxml.html import HtmlElement

_HREF = re.compile(r"""(\bhref\s*=\s*)("[^"]*"|'[^']*'|[^\s"'>]+)""", re.IGNORECASE)
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


def links_of(held: Markup | Text) -> list[Link]:
    """The links inside a block of a panel, in the order of its `links`."""
    if isinstance(held, Text):
        return links_in_text(held.body, held.form)
    return links_in(held.html)


def linked(links: Iterable[Link]) -> str:
    """Markup of nothing but links."""
    return " ".join(f'<a href="{escape(at)}">{escape(words or at)}</a>' for words, at in links)


class Cleaned(NamedTuple):
    """Markup that nothing in can run, and what was taken away for that: tags and attributes."""

    html: str
    taken: tuple[str, ...] = ()


@lru_cache(maxsize=4096)
def cleaned(html: str) -> Cleaned:
    """Markup without what could run, send, or load something in the page that shows it.

    Where nothing is taken away it is returned byte for byte. It is judged by `nh3`, which reads as
    a browser does; what only a browser would read otherwise is never passed on as it came.
    """
    if "<" not in html and "&" not in html:
        return Cleaned(html)
    import nh3

    made = _judged(html)
    # The same reader once more, with all that is dangerous left in: what it sees shows here.
    whole = nh3.clean(
        html,
        tags=(_TAGS | _WITH_CONTENT | _OTHERS) - {"style"},
        clean_content_tags={"style"},
        attributes=_ATTRIBUTES,
        generic_attribute_prefixes=set(map(chr, range(33, 127))),
        url_schemes=_SCHEMES | {"javascript", "vbscript", "data", "blob", "file", "ftp", "jar"},
        link_rel=None,
        attribute_filter=_harmless,
        filter_style_properties=_PROPERTIES,
    )
    bare = _COMMENT.sub("", html)
    was, now = _said(bare), _said(made)
    odd = "<!" in bare or "<?" in bare or _CONTROLS.search(html) is not None
    if not odd and whole == made and was is not None and was == now:
        return Cleaned(html)
    taken = list((Counter(was or ()) - Counter(now or ())).keys())
    words = [word for word in taken if not word.startswith(" ")]
    for _ in range(MOST_TIMES):
        again = _judged(made)
        if again == made:
            return Cleaned(made, tuple(words or ["what browsers read in different ways"]))
        made = again  # what is left nests in a way that is read otherwise
    return Cleaned("", tuple(words))


MOST_TIMES = 6
"""How often markup is cleaned until nothing changes any more; then nothing of it goes on."""


def _judged(html: str) -> str:
    """Markup as `nh3` writes it, with what is on our list."""
    import nh3

    return nh3.clean(
        html,
        tags=_TAGS,
        clean_content_tags=_WITH_CONTENT,
        attributes=_ATTRIBUTES,
        generic_attribute_prefixes={"data-", "aria-"},
        url_schemes=_SCHEMES,
        link_rel=None,
        attribute_filter=_harmless,
        filter_style_properties=_PROPERTIES,
    )


def _harmless(_: str, name: str, value: str) -> str | None:
    """The value of an attribute; None for a style that could load or run something."""
    return None if name == "style" and _ACTIVE.search(value) else value


_ACTIVE = re.compile(r"expression|url|import|behavio|binding|\\", re.IGNORECASE)


def passes(html: str) -> bool:
    """Whether something that visitors see is left of markup that is cleaned."""
    made = cleaned(html)
    if not made.taken:
        return True
    root = _parsed(made.html)
    return root is not None and (
        bool("".join(root.itertext()).strip()) or root.find(".//img") is not None
    )


def links_left(html: str, less: str) -> list[int]:
    """The numbers of the links of some markup that are still there in what was made of it."""
    left = iter(enumerate(links_in(html)))
    found: list[int] = []
    for _, address in links_in(less):
        at = next((n for n, (_, there) in left if there == address), None)
        if at is not None:
            found.append(at)
    return found


_SCHEMES = {"http", "https", "mailto", "tel"}
"""What addresses in markup may begin with."""

_OTHERS = {
    *("animate", "audio", "base", "body", "button", "canvas", "embed", "fieldset", "form", "frame"),
    *(
        "frameset",
        "foreignobject",
        "head",
        "html",
        "iframe",
        "input",
        "link",
        "math",
        "meta",
        "set",
    ),
    *("object", "optgroup", "option", "output", "param", "select", "textarea", "track", "use"),
    *("video", "image", "a", "area", "map", "marquee", "dialog", "slot", "portal", "keygen"),
}
"""Tags that are not passed on."""

_CONTROLS = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")

_WITH_CONTENT = {"script", "style", "template", "noscript", "object", "embed", "applet", "title"}
"""Tags that go with all that is in them."""

_SHAPES = {"svg", "g", "path", "circle", "rect", "line", "polyline", "polygon", "ellipse"}
"""What icons are drawn with."""

_TAGS = {
    *("a", "abbr", "address", "article", "aside", "b", "bdi", "bdo", "blockquote", "br", "caption"),
    *("center", "cite", "code", "col", "colgroup", "data", "dd", "del", "details", "dfn", "div"),
    *("dl", "dt", "em", "figcaption", "figure", "font", "footer", "h1", "h2", "h3", "h4", "h5"),
    *("h6", "header", "hgroup", "hr", "i", "img", "ins", "kbd", "label", "li", "main", "mark"),
    *("menu", "nav", "ol", "p", "picture", "pre", "q", "rp", "rt", "ruby", "s", "samp", "section"),
    *("small", "source", "span", "strike", "strong", "sub", "summary", "sup", "table", "tbody"),
    *("td", "tfoot", "th", "thead", "time", "tr", "tt", "u", "ul", "var", "wbr"),
    *_SHAPES,
}

_ATTRIBUTES = {
    "*": {
        "class",
        "id",
        "style",
        "title",
        "lang",
        "dir",
        "role",
        "tabindex",
        "hidden",
        "translate",
    },
    "a": {"href", "hreflang", "rel", "target", "name", "download", "type"},
    "img": {
        "src",
        "srcset",
        "alt",
        "width",
        "height",
        "loading",
        "decoding",
        "sizes",
        "border",
        "align",
    },
    "source": {"type", "media", "sizes", "srcset"},
    "time": {"datetime"},
    "data": {"value"},
    "del": {"datetime", "cite"},
    "ins": {"datetime", "cite"},
    "q": {"cite"},
    "blockquote": {"cite"},
    "details": {"open", "name"},
    "ol": {"start", "type", "reversed"},
    "ul": {"type"},
    "li": {"value"},
    "label": {"for"},
    "font": {"color", "size", "face"},
    "table": {"border", "cellpadding", "cellspacing", "width", "align", "summary"},
    "td": {"colspan", "rowspan", "headers", "align", "valign", "width", "height", "abbr"},
    "th": {"colspan", "rowspan", "headers", "scope", "align", "valign", "width", "height", "abbr"},
    "tr": {"align", "valign"},
    "col": {"span", "width"},
    "colgroup": {"span", "width"},
    "div": {"align"},
    "p": {"align"},
    **{
        name: {
            *("viewBox", "width", "height", "fill", "stroke", "stroke-width", "stroke-linecap"),
            *("stroke-linejoin", "fill-rule", "clip-rule", "opacity", "transform", "focusable"),
            *(
                "d",
                "cx",
                "cy",
                "r",
                "rx",
                "ry",
                "x",
                "y",
                "x1",
                "y1",
                "x2",
                "y2",
                "points",
                "xmlns",
            ),
        }
        for name in _SHAPES
    },
}

_PROPERTIES = {
    *("color", "background-color", "text-align", "text-decoration", "text-transform", "opacity"),
    *("font", "font-family", "font-size", "font-style", "font-weight", "line-height"),
    *("letter-spacing", "word-spacing", "white-space", "vertical-align", "text-indent"),
    *("width", "min-width", "max-width", "height", "min-height", "max-height", "display"),
    *("margin", "margin-top", "margin-right", "margin-bottom", "margin-left"),
    *("padding", "padding-top", "padding-right", "padding-bottom", "padding-left"),
    *("border", "border-top", "border-right", "border-bottom", "border-left", "border-color"),
    *("border-radius", "border-style", "border-width", "border-collapse", "border-spacing"),
    *("float", "clear", "flex", "flex-direction", "flex-wrap", "flex-grow", "flex-shrink"),
    *("flex-basis", "justify-content", "align-items", "align-self", "align-content", "order"),
    *("gap", "row-gap", "column-gap", "columns", "column-count", "grid-template-columns"),
    *("grid-template-rows", "grid-column", "grid-row", "box-sizing", "overflow", "direction"),
    *("list-style-type", "list-style-position", "object-fit", "aspect-ratio"),
}
"""Properties of styles that can neither load something nor cover another part of the page."""

_COMMENT = re.compile(r"<!--(?!-?>)(?:(?!--)[^<])*-->")
"""A comment that every reader ends at the same place."""


def _said(html: str) -> list[str] | None:
    """Tags, attributes and texts of markup in order, in words; None where it cannot be read.

    Texts begin with a blank.
    """
    root = _parsed(html)
    if root is None:
        return None
    found: list[str] = []
    for node in root.iter():
        if node is not root and node.tag != "tbody":  # which need not be written
            found.append(f"<{node.tag}>")
            found += sorted(f"{name}={_value(name, str(text))}" for name, text in node.items())
        if node.text and node.text.strip():
            found.append(" " + " ".join(node.text.split()))
        if node is not root and node.tail and node.tail.strip():
            found.append(" " + " ".join(node.tail.split()))
    return found


def _value(name: str, text: str) -> str:
    """What an attribute says, however it is written."""
    if name.lower() == "style":
        parts = (part.partition(":")[::2] for part in text.split(";") if part.strip())
        said = (f"{key.strip().lower()}:{''.join(held.split()).lower()}" for key, held in parts)
        return ";".join(said)
    return text


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


def text_of(html: str) -> str:
    """What a reader of markup reads, in one line: without tags, scripts and styles."""
    import nh3

    said = nh3.clean(html.replace("<", " <"), tags=set(), clean_content_tags=_WITH_CONTENT)
    return " ".join(unescape(said).split())


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
