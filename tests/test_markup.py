"""Markup of strangers: nothing that runs is passed on, and what is harmless passes as it came."""

from __future__ import annotations

import json
import re
from typing import Any

import html5lib
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.test_pairs import sound
from tests.test_panels import BOARD, GRID, codes, panels
from ypsiform.markup import cleaned, links_left, passes
from ypsiform.migrate import convert
from ypsiform.model import Markup, Piece

HARMLESS = [
    "<p>Sail <a href='/now/'>now</a></p>",
    "<P CLASS=x>A<BR>b &amp; c",
    "<div class='slides' data-x=1 aria-label='b'><a href='/c' target=_blank rel=me>W</a></div>",
    "<!-- the summer --><b>x</b><!-- ends -->",
    "<p style='color: RED; margin:0 auto'>a</p>",
    "<svg class=i viewBox='0 0 8 8'><path d='M0 0h8'/></svg> Map",
    "<table><tr><td>x</table>",
    "<ul><li>a<li>b</ul><img src=/a.jpg srcset='/b.jpg 2x' alt=''>",
    "a < b &lt;script&gt; and javascript: is a word",
    "<a href=\"/a?b=1&c=2\">q</a> <a href='mailto:a@b.example'>m</a>",
]
HOSTILE = [
    "<script>alert(1)</script>",
    "<p>a<script src=//x></script>",
    "<p/onclick=alert(1)>x</p>",
    "<p\x0conclick=alert(1)>x</p>",
    "<p x='a'onclick=alert(1)>x</p>",
    "<img src=x onerror=alert(1)>",
    "<a href='java&#9;script:alert(1)'>x</a>",
    "<a href='java\nscript:alert(1)'>x</a>",
    "<a href=' &#1;javascript:alert(1)'>x</a>",
    "<a href='jar:javascript:alert(1)'>x</a>",
    "<a href='feed:javascript:alert(1)'>x</a>",
    "<a href='view-source:javascript:1'>x</a>",
    "<a href='data:text/html,<script>alert(1)</script>'>x</a>",
    "<form action=//evil><input name=card></form>",
    "<button formaction=javascript:alert(1)>x</button>",
    "<svg><set attributeName=href to=javascript:alert(1)></svg>x",
    "<svg><animate onbegin=alert(1)>x",
    "<svg><a href='javascript:alert(1)'>x</a></svg>",
    "<svg><style><img src=x onerror=alert(1)></style></svg>x",
    "<meta http-equiv=refresh content='0;url=//evil'>x",
    "<base href=//evil>x",
    "<link rel=stylesheet href=//evil>x",
    "<style>@import '//evil'</style>x",
    "<p style='position:fixed;top:0'>x</p>",
    "<p style='background:url(//evil)'>x</p>",
    "<p style='width: expression(alert(1))'>x</p>",
    "<iframe srcdoc='<script>alert(1)</script>'></iframe>x",
    "<object data=x></object>x",
    "<embed src=x>x",
    "<!--><script>alert(1)</script><!---->x",
    "<!-- --!><img src=x onerror=alert(1)> -->x",
    "<![CDATA[<img src=x onerror=alert(1)>]]>x",
    "<?x ><img src=x onerror=alert(1)>?>x",
    "<noscript><p title='</noscript><img src=x onerror=alert(1)>'>x",
    "<math><mtext><table><mglyph><style><img src=x onerror=alert(1)>x",
    "<textarea><p title='</textarea><img src=x onerror=1>'>x",
    "<select><img src=x onerror=alert(1)></select>x",
    "<template><img src=x onerror=alert(1)></template>x",
    "<scr\x00ipt>alert(1)</scr\x00ipt>x",
]
LIVE = {
    *("script", "style", "iframe", "frame", "object", "embed", "applet", "form", "input", "button"),
    *("meta", "base", "link", "set", "animate", "template", "math", "foreignObject", "textarea"),
}


def dangers(html: str) -> list[str]:
    """What could run in markup as a browser reads it, by a reader of its own."""
    found: list[str] = []
    tree = html5lib.parseFragment(html, namespaceHTMLElements=False, treebuilder="etree")
    for node in tree.iter():
        tag = str(node.tag).rpartition("}")[2]
        if tag in LIVE:
            found.append(tag)
        for name, value in node.attrib.items():
            plain = re.sub(r"[\x00-\x20]", "", value).lower()
            if str(name).lower().startswith("on"):
                found.append(str(name))
            if re.match(r"(javascript|vbscript|data|jar|feed|view-source|mhtml):", plain):
                found.append(value)
            if name == "style" and re.search(r"url|expression|position|import", plain):
                found.append(value)
    return found


@pytest.mark.parametrize("html", HARMLESS)
def test_harmless_markup_passes_byte_for_byte(html: str) -> None:
    assert cleaned(html) == (html, ())
    assert passes(html) and dangers(html) == []


@pytest.mark.parametrize("html", HOSTILE)
def test_what_could_run_is_taken_away(html: str) -> None:
    made = cleaned(html)
    assert made.taken and dangers(made.html) == []
    assert cleaned(made.html) == (made.html, ())


PARTS = st.sampled_from(
    [
        *(
            "<",
            ">",
            "</",
            "/>",
            "'",
            '"',
            "=",
            " ",
            "\n",
            "<!--",
            "-->",
            "<!",
            "<?",
            "&#9;",
            "&",
            "x",
        ),
        *("<p>", "</p>", "<a href='/x'>", "</a>", "<b class=c>", "<svg>", "</svg>", "<style>"),
        *(
            "<math>",
            "<img src=x ",
            "onerror=alert(1)",
            "<script>",
            "</script>",
            "javascript:",
            "--",
        ),
        *("<a href=", "<noscript>", "</noscript>", "<table>", "<tr>", "<template>", "<select>"),
        *(
            "<title>",
            "</title>",
            "<textarea>",
            "</textarea>",
            "<mtext>",
            "<path d=M0>",
            "`",
            "\x00",
        ),
    ]
)


@given(st.lists(PARTS, max_size=14).map("".join))
def test_what_passes_runs_nothing_whatever_it_is(html: str) -> None:
    made = cleaned(html)
    assert dangers(made.html) == []
    assert cleaned(made.html).taken == ()
    if not made.taken:
        assert made.html == html


def cell(html: str) -> bytes:
    document: Any = json.loads(GRID)
    document["items"][0]["reveal"]["cells"][5]["html"] = html
    return json.dumps(document).encode()


@pytest.mark.parametrize("to", ["fanlight", "arborcote/ridge", "stallmere/broad", "csv"])
def test_the_rest_of_markup_goes_on_and_the_loss_says_what_was_taken(to: str) -> None:
    html = "<p>Sail <a href='/one'>one</a> <a href='javascript:x()'>two</a> <a href='/six'>six</a>"
    done = convert(cell(html), "x", to)
    sound(done, to)
    assert b"javascript" not in done.data
    if to != "fanlight":
        return
    (loss,) = codes(done)["panel.cleaned"]
    assert loss.severity == "high" and loss.labels == ("href=javascript:x()",)
    pieces = [b for c in panels(done.data, "fanlight")[0].columns for b in c.blocks]
    (markup,) = [p.holds for p in pieces if isinstance(p, Piece) and isinstance(p.holds, Markup)]
    assert [target.address for target in markup.links] == ["/one", "/six"]


def test_markup_that_stands_at_the_destination_stays_and_is_said() -> None:
    there = BOARD.replace("<b>!</b>", "<b onclick=go()>!</b>").encode()
    table = b"menu,level,label,address\nfoot,1,A,/a\n"
    done = convert(table, "t.csv", "arborcote/ridge", into=(there, "there"))
    said = [f for f in done.findings if f.code == "panel.unsafe"]
    assert [f.labels for f in said] == [("onclick=go()",)]
    assert b"<b onclick=go()>!</b>" in done.data


def test_links_that_are_left() -> None:
    html = "<a href=/a>1</a><a href=javascript:x>2</a><a href=/a>3</a><a href=/b>4</a>"
    assert links_left(html, cleaned(html).html) == [0, 2, 3]
