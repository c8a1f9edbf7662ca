"""Pages and nested lists in HTML: markup as a theme expects it, and any page's navigation."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path
from typing import Any

import lxml.html
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Run
from tests.open_formats import lists
from tests.test_shapes import outline
from ypsiform.demo import DATA
from ypsiform.errors import FormatError
from ypsiform.migrate import convert
from ypsiform.model import Item, Menu, rows_of
from ypsiform.reading import read

OLD = DATA / "old.xml"
TABLE = (
    b"menu,level,label,address,window\nbar,1,Sailings,/sailings,\nbar,2,North,/north,new\n"
    b"bar,1,More,,\nbar,2,Crew,/crew,\nfoot,1,Contact,/contact,\n"
)
PAGE = """<!DOCTYPE html>
<html lang="nb"><head><title>Ferjer</title>
<link rel="canonical" href="https://www.old.example/here"><script>alert(1)</script></head>
<body class="home"><header>
<nav class="bar" aria-label="Hovedmeny"><div class="wrap"><button>Meny</button><ul class="m">
<li class="i has"><a class="l" href="/ruter" data-x="1"><svg></svg> Ruter </a>
  <button aria-expanded="false">v</button>
  <div class="panel"><div class="col"><h3>Nord</h3><ul><li><a href="/n">Haldrun</a>
  <li><a href="/o">Oddny</a></ul></div>
  <div class="col"><h3><a href="/v">Vest</a></h3><ul><li><a href="/w">Vik</a></ul>
  <a href="/all">Alle</a></div></div>
<li><span>Mer</span><ul><li><a href="https://old.example/om?a=1">Om oss</a>
  <li role="separator"><li><a href="https://else.example/" target="_blank" rel="noopener"
  title="Ut herfra">Ut</a></ul>
<li hidden><a href="/gammel">Gammel</a>
<li><a href="#"><img src="x.png" alt="Søk"></a>
<li><details><summary>Hjelp</summary><p><a href="/faq">Spørsmål</a></p></details></ul></div></nav>
<nav aria-label="Breadcrumb"><ol><li><a href="/">Hjem</a></ol></nav></header>
<main><p>Text <a href="/not">not in a menu</a></p></main>
<footer><div role="navigation"><h2>Kontakt</h2><a href="mailto:a@old.example">Skriv</a>
<a href="tel:1">Ring</a><script>2</script></div></footer></body></html>"""


def menus(data: bytes | str, **more: Any) -> list[Menu]:
    data = data.encode() if isinstance(data, str) else data
    return read(data, "page.html", **more)[0].site.menus


def test_any_page(run: Run, tmp_path: Path) -> None:
    bar, foot = menus(PAGE)
    assert (bar.key, bar.title, foot.key, foot.title) == (
        "header",
        "Hovedmeny",
        "footer",
        "Kontakt",
    )
    assert outline(bar.items) == [
        ("Ruter", [("Nord", ["Haldrun", "Oddny"]), ("Vest", ["Vik"]), "Alle"]),
        ("Mer", ["Om oss", "", "Ut"]),
        "Gammel",
        "Søk",
        ("Hjelp", ["Spørsmål"]),
    ]
    assert outline(foot.items) == ["Skriv", "Ring"]
    things = {t.label: t for t in rows_of([bar]).things if isinstance(t, Item)}
    assert things["Om oss"].target.address == "/om?a=1"
    assert things["Mer"].target.kind == things["Nord"].target.kind == "none"
    assert things["Vest"].target.address == "/v" and things["Gammel"].hidden
    assert things[""].role == "divider"
    assert things["Ut"].traits.window == "new" and things["Ut"].traits.tooltip == "Ut herfra"
    (tmp_path / "page.html").write_text(PAGE, "utf-8")
    done = run("survey", "page.html")
    assert done.returncode == 0 and "an export of html" in done.stderr
    assert (
        "read.page" in done.stdout and "breadcrumbs" in done.stdout and "script (1)" in done.stdout
    )
    done = run("convert", "page.html", "--to", "html", "-o", "lists.html")
    assert done.returncode == 0, done.stderr
    written = (tmp_path / "lists.html").read_bytes()
    assert lists(written) == [] and written.startswith(b"<nav id=")
    assert [outline(menu.items) for menu in menus(written)] == [
        outline(bar.items),
        outline(foot.items),
    ]


def test_a_part_of_a_page(run: Run, tmp_path: Path) -> None:
    assert [m.key for m in menus(PAGE, nav="footer div")] == ["footer"]
    assert outline(menus(PAGE, nav="nav ol")[0].items) == ["Hjem"]
    assert outline(menus(PAGE, nav="main")[0].items) == ["not in a menu"]
    (tmp_path / "page.html").write_text(PAGE, "utf-8")
    for selector, words in (
        ("table", "the selector 'table' finds nothing"),
        ("ta[ble", "is not a CSS selector"),
    ):
        done = run("survey", "page.html", "--nav", selector)
        assert done.returncode == 1 and words in done.stderr and done.stderr.count("\n") == 1
    done = run("survey", str(OLD), "--nav", "nav")
    assert done.returncode == 1 and "this is an export of quillmoor" in done.stderr
    with pytest.raises(FormatError, match="no navigation is marked"):
        menus("<html><body><ul><li><a href='/a'>A</a></ul></body></html>")


@pytest.mark.parametrize(
    ("markup", "wanted"),
    [
        ("<nav><a href='/a'>A</a> <a href='/b'>B</a></nav>", ["A", "B"]),
        ("<nav><ul><li>A<ul><li>B</ul></ul></nav>", [("A", ["B"])]),
        ("<nav><h2>T</h2><ul><li><a href='/a'>A</a></ul></nav>", ["A"]),
        (
            "<nav><h3>X</h3><ul><li>A</ul><h3>Y</h3><ul><li>B</ul></nav>",
            [("X", ["A"]), ("Y", ["B"])],
        ),
        (
            "<nav><ul><li><div><a href='/a'>A</a></div><div><ul><li>B</ul></div></ul></nav>",
            [("A", ["B"])],
        ),
        ("<nav><ul><li><ul><li><a href='/a'>A</a></ul></ul></nav>", [("", ["A"])]),
        ("<nav><ul><li></li><li><a href='/a'>A</a></ul></nav>", ["A"]),
        ("<nav><ul><li><a href='/a' aria-label='Cart'><svg></svg></a></ul></nav>", ["Cart"]),
        ("<nav><ul><li><a href='/a'><span>A</span> <b>b</b></a></ul></nav>", ["A b"]),
        ("<nav><nav><a href='/a'>A</a></nav></nav>", ["A"]),
        (
            "<nav><ul><li><button>A</button><ul><li><a href='/b'>B</a></ul></ul></nav>",
            [("A", ["B"])],
        ),
        (
            "<nav><ul><li><h4><a href='/a'>A</a></h4><p><a href='/b'>B</a></p></ul></nav>",
            [("A", ["B"])],
        ),
        # Entries that are no list: alike elements, openers with blocks behind them, roles, terms.
        (
            "<nav><div class='i'><a href='/a'>A</a><div><a href='/b'>B</a><a href='/c'>C</a></div>"
            "</div><div class='i'><a href='/d'>D</a></div></nav>",
            [("A", ["B", "C"]), "D"],
        ),
        (
            "<nav><div><a href='/'>Name</a><div><a href='/b'>B</a><a href='/c'>C</a></div></div>"
            "<div class='x'><a href='/d'>D</a></div></nav>",
            ["Name", "B", "C", "D"],
        ),
        (
            "<nav><button>A</button><div><a href='/b'>B</a></div><a href='/c'>C</a>"
            "<button>D</button><div><a href='/e'>E</a></div></nav>",
            [("A", ["B"]), "C", ("D", ["E"])],
        ),
        ("<nav><button>Menu</button><div><a href='/b'>B</a></div></nav>", ["B"]),
        (
            "<nav><div role='menubar'><span role='none'><a href='/a'>A</a><div role='menu'>"
            "<a href='/b'>B</a><div role='separator'></div><div role='group' aria-label='G'>"
            "<a href='/c'>C</a></div></div></span></div></nav>",
            [("A", ["B", "", ("G", ["C"])])],
        ),
        (
            "<nav><dl><dt>A<dd><a href='/b'>B</a><dt><a href='/c'>C</a><dd><a href='/d'>D</a></dl>"
            "</nav>",
            [("A", ["B"]), ("C", ["D"])],
        ),
        (
            "<nav><div><strong>A</strong><a href='/b'>B</a></div>"
            "<div><p class='c-title'>C</p><a href='/d'>D</a></div></nav>",
            [("A", ["B"]), ("C", ["D"])],
        ),
        (
            "<nav><h6>A</h6><a href='/b'>B</a><div class='divider'></div><a href='/c'>C</a>"
            "<h6>D</h6></nav>",
            [("A", ["B"]), "", "C", "D"],
        ),
        (
            "<nav><div><div class='site-title'><a href='/'>Name</a></div><ul><li><a href='/b'>B</a>"
            "</ul></div></nav>",
            ["Name", "B"],
        ),
        (
            "<nav><div><p class='nav-title'>Menu</p><ul><li><a href='/b'>B</a></ul></div></nav>",
            ["B"],
        ),
        (
            "<nav><ul><li><span>A</span><div><figure><a href='/p'><img alt='P'></a></figure>"
            "<a href='/q'>Q</a></div>"
            "<li><span>B</span><a href='/b'></a></ul></nav>",
            [("A", ["P", "Q"]), "B"],
        ),
        # What opens a menu as a whole is no item; what stands elsewhere belongs to its opener.
        (
            "<nav><details><summary>Menu</summary><ul><li><a href='/a'>A</a>"
            "<li><a href='/b'>B</a></ul></details></nav>",
            ["A", "B"],
        ),
        (
            "<nav><input id='i'><label for='i'>Menu</label><ul><li><input><label>A</label>"
            "<ul><li><a href='/b'>B</a></ul></ul></nav>",
            [("A", ["B"])],
        ),
        (
            "<nav><ul><li><button aria-controls='p'>A</button><li><a data-p='#q' href='/b'>B</a>"
            "</ul></nav><div id='p' hidden><a href='/c'>C</a></div>"
            "<div id='q'><ul><li><a href='/d'>D</a></ul></div>",
            [("A", ["C"]), ("B", ["D"])],
        ),
        (
            "<nav><a href='/'>Name</a><button aria-controls='p'>Menu</button></nav>"
            "<div id='p'><ul><li><a href='/a'>A</a><li><a href='/b'>B</a></ul></div>",
            ["Name", "A", "B"],
        ),
        (
            "<nav><ul><li>A<div role='tablist'><button role='tab' aria-controls='p'>T</button>"
            "<button role='tab' id='u'>U</button></div><div role='tabpanel' id='p'>"
            "<a href='/b'>B</a></div><div role='tabpanel' aria-labelledby='u'><a href='/c'>C</a>"
            "</div></ul></nav>",
            [("A", [("T", ["B"]), ("U", ["C"])])],
        ),
        (
            "<nav><ul><li>A<div role='tab' id='t'><div role='tabpanel' aria-labelledby='t'>"
            "<a href='/b'>B</a></div></div></ul></nav>",
            [("A", ["B"])],
        ),
        # The page that is shown, without a link; links that were never closed; links that skip.
        ("<nav><a href='/a'>A</a> | <strong>B</strong></nav>", ["A", "B"]),
        ("<nav><a href='/a'>A</a><span aria-current='page'>B</span></nav>", ["A", "B"]),
        ("<nav><ul><li><a href='/a'>A<li><a href='/b'>B</a></ul></nav>", ["A", "B"]),
        ("<nav><a class='skip-link' href='#x'>Skip</a><a href='/a'>A</a></nav>", ["A"]),
        (
            "<nav><ul><li><a href='/a'>A</a><ul><li><button class='nav-back'>Back</button>"
            "<li><a href='#' class='close'>x</a><li><a href='/b' class='back'>B</a></ul></ul>"
            "</nav>",
            [("A", ["B"])],
        ),
    ],
)
def test_markup_of_menus(markup: str, wanted: list[Any]) -> None:
    (menu,) = menus("<html><body><p>x</p>" + markup + "</body></html>")
    assert outline(menu.items) == wanted


@pytest.mark.parametrize(
    ("inside", "label"),
    [
        ("Shop<span class='sr-only'> (new window)</span>", "Shop"),
        ("Shop<svg><title>away</title></svg>", "Shop"),
        ("<i aria-hidden='true'>*</i> Shop <span class='badge'>New</span>", "Shop"),
        ("<strong>Shop</strong><span class='item-description'>All of it</span>", "Shop"),
        ("<h4>Shop</h4><p>All of it</p>", "Shop"),
        ("<p>Shop</p>", "Shop"),
        ("<span>Our</span><span>shop</span>", "Our shop"),
        ("<b>S</b>hop", "Shop"),
        ("<i class='icons'>home</i> Shop", "Shop"),
        ("<span class='icon'>home</span>", "home"),
        ("<span class='visually-hidden'>Shop</span><svg></svg>", "Shop"),
        ("<i aria-hidden='true'>*</i>", "*"),
        ("<span aria-hidden='true'>*</span><span class='count'>0</span>", "0"),
    ],
)
def test_the_words_of_a_link(inside: str, label: str) -> None:
    (menu,) = menus(f"<html><body><p>x</p><nav><a href='/a'>{inside}</a></nav></body></html>")
    assert outline(menu.items) == [label]


def test_a_number_is_called_by_its_name() -> None:
    page = "<html><p>x</p><nav><a href='/b' aria-label='Basket, 2 things'><b>2</b></a></nav>"
    assert outline(menus(page)[0].items) == ["Basket, 2 things"]


def test_landmarks_that_are_no_menus_and_menus_that_are_no_landmarks() -> None:
    found = menus(
        "<html><body><header><nav><a href='/a'>A</a></nav></header>"
        "<main><nav aria-label='On this page'><a href='#one'>One</a></nav>"
        "<nav><a rel='prev' href='/1'>Older</a><a rel='next' href='/3'>Newer</a></nav>"
        "<footer><a href='/x'>X</a><a href='/y'>Y</a></footer></main>"
        "<footer><h3>Help</h3><ul><li><a href='/faq'>Questions</a></ul><a href='/law'>Law</a>"
        "</footer></body></html>"
    )
    assert [(menu.key, outline(menu.items)) for menu in found] == [
        ("header", ["A"]),
        ("footer", [("Help", ["Questions"]), "Law"]),
    ]


def test_a_page_without_landmarks_is_refused_with_what_to_name(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.html").write_text(
        "<table><td id=menu><a href=a.html>A</a><br><a href=b.html>B</a></table>"
        "<div class='news x'><ul><li><a href=/1>1</a><li><a href=/2>2</a><li><a href=/3>3</a></ul>"
    )
    done = run("survey", "old.html")
    assert done.returncode == 1 and done.stderr.count("\n") == 1
    assert "'.news' (3 links) and '#menu' (2 links)" in done.stderr
    assert run("survey", "old.html", "--nav", "#menu").returncode == 0
    (tmp_path / "app.html").write_text("<html><body><div id=app></div><script>x()</script>")
    done = run("survey", "app.html")
    assert done.returncode == 1 and "save the page out of a browser" in done.stderr


def test_lists_outside_of_menus_are_named(run: Run, tmp_path: Path) -> None:
    text = "<html><nav><a href='/a'>A</a></nav><ul class='top'><li><a href='/b'>B</a><a href='/c'>C"
    (tmp_path / "page.html").write_text(text)
    assert "which --nav can name: .top (1)" in " ".join(run("survey", "page.html").stdout.split())


def test_the_demo_in_the_markup_of_a_theme() -> None:
    settings = {"item-class": "shaded", "link-class": "x", "nowhere": "span", "page": "yes"}
    made = convert(OLD.read_bytes(), "old.xml", "html", settings=settings)
    bare = convert(OLD.read_bytes(), "old.xml", "html")
    assert lists(made.data) == [] == lists(bare.data)
    assert made.written.menus == bare.written.menus


def test_the_markup_that_a_theme_expects(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(TABLE)
    plain = run("convert", "t.csv", "--to", "html", "-o", "plain.html")
    assert plain.returncode == 0, plain.stderr
    text = re.sub(r"\s*\n\s*", "", (tmp_path / "plain.html").read_text("utf-8"))
    assert text == (
        '<nav id="bar"><ul><li><a href="/sailings">Sailings</a><ul><li><a href="/north" '
        'target="_blank">North</a></li></ul></li><li><a>More</a><ul><li><a href="/crew">Crew</a>'
        '</li></ul></li></ul></nav><nav id="foot"><ul><li><a href="/contact">Contact</a></li></ul>'
        "</nav>"
    )
    says = ["list-class=menu top", "sublist-class=sub", "item-class=item", "parent-class=more"]
    says += ["link-class=link", "current=/north/", "current-class=here", "nowhere=span", "page=yes"]
    sets = [word for setting in says for word in ("--set", setting)]
    done = run("convert", "t.csv", "--to", "html", "-o", "dressed.html", *sets)
    assert done.returncode == 0, done.stderr
    whole = (tmp_path / "dressed.html").read_bytes()
    assert lists(whole) == [] and whole.startswith(b"<!DOCTYPE html>")
    text = re.sub(r"\s*\n\s*", "", whole.decode())
    assert (
        '<nav id="bar"><ul class="menu top"><li class="item more"><a class="link" href="/sailings">'
        'Sailings</a><ul class="sub"><li class="item here"><a class="link" href="/north" '
        'target="_blank" aria-current="page">North</a></li></ul></li><li class="item more">'
        '<span class="link">More</span>'
    ) in text
    again = run("survey", "plain.html", "--json"), run("survey", "dressed.html", "--json")
    assert again[0].returncode == again[1].returncode == 0
    wrong = run("convert", "t.csv", "--to", "html", "-o", "x", "--set", "nowhere=b")
    assert wrong.returncode == 1 and "is one of a, hash, span" in wrong.stderr
    wrong = run("convert", "t.csv", "--to", "html", "-o", "x", "--set", "lists=b")
    assert wrong.returncode == 1 and "no setting 'lists'; it has: list-class" in wrong.stderr


def test_classes_by_level_by_menu_and_on_the_way_to_the_current_page(
    run: Run, tmp_path: Path
) -> None:
    (tmp_path / "t.csv").write_bytes(TABLE)
    says = ["list-class=lists-{menu}", "sublist-class=level-{level}", "item-class=i{level}"]
    says += ["current=/north/", "current-class=here", "trail-class=on-the-way"]
    sets = [word for setting in says for word in ("--set", setting)]
    done = run("convert", "t.csv", "--to", "html", "-o", "dressed.html", *sets)
    assert done.returncode == 0, done.stderr
    text = re.sub(r"\s*\n\s*", "", (tmp_path / "dressed.html").read_text("utf-8"))
    assert (
        '<ul class="lists-bar"><li class="i1 on-the-way"><a href="/sailings">Sailings</a>'
        '<ul class="level-2"><li class="i2 here"><a href="/north"'
    ) in text
    assert '<ul class="lists-foot"><li class="i1"><a href="/contact">' in text
    assert text.count("on-the-way") == 1


@given(
    st.fixed_dictionaries(
        {},
        optional={
            "list-class": st.sampled_from(["a", "a b", ""]),
            "sublist-class": st.sampled_from(["a", "c"]),
            "item-class": st.sampled_from(["shaded", "i", "l{level} of-{menu}"]),
            "parent-class": st.sampled_from(["p", "shaded"]),
            "link-class": st.sampled_from(["l", "shaded wide"]),
            "current": st.sampled_from(["/sailings/", "/contact", "#", ""]),
            "current-class": st.sampled_from(["now", "wide"]),
            "trail-class": st.sampled_from(["on", "at-{level}", "wide"]),
            "nowhere": st.sampled_from(["a", "hash", "span"]),
            "page": st.sampled_from(["yes", "no"]),
        },
    )
)
def test_no_setting_says_anything_of_a_menu(settings: dict[str, str]) -> None:
    made = convert(TABLE, "t.csv", "html", settings=settings)
    bare = convert(TABLE, "t.csv", "html")
    assert lists(made.data) == []
    assert made.written.menus == bare.written.menus


_TAGS = st.sampled_from(["ul", "li", "a", "ol", "div", "h3", "span", "button", "details", "hr"])
_ALL_TAGS = st.sampled_from(
    "ul li a ol div h3 span button details summary hr dl dt dd p label strong section small".split()  # noqa: SIM905
)
_SAYS = st.sampled_from(
    [
        *("", "", "", " class='desc'", " class='sr-only'", " class='divider'", " class='item'"),
        *(" role='menu'", " role='none'", " role='separator'", " role='group' aria-label='G'"),
        *(" role='tab' aria-controls='p'", " role='tabpanel' id='p'", " aria-controls='q'"),
        *(" hidden", " aria-hidden='true'", " aria-current='page'", " class='title'"),
        " data-x='#r'",
    ]
)
_CLOSES = st.sampled_from([True, True, True, False])


@given(st.lists(st.tuples(_ALL_TAGS, _SAYS, _CLOSES, st.booleans()), max_size=30))
def test_no_link_of_a_menu_is_lost(pieces: list[tuple[str, str, bool, bool]]) -> None:
    """Whatever elements a menu is made of: each link is one item, once."""
    text = ""
    opened: list[str] = []
    for at, (tag, says, closes, up) in enumerate(pieces):
        if up and opened:
            text += f"</{opened.pop()}>"
        text += f"<{tag} href='/{at}'{says}>x{at}" if tag == "a" else f"<{tag}{says}>"
        if closes:
            text += f"</{tag}>" if tag == "a" else f"<a href='/in/{at}'>y</a></{tag}>"
        else:
            opened.append(tag)
    page = f"""<html><body><p>z</p><nav>{text}</nav><div id='q'><a href='/q'>q</a></div>
        <section id='r'><ul><li><a href='/r'>r</a></ul></section></body></html>"""
    try:
        source = read(page.encode(), "x", nav="nav")[0]
    except FormatError:
        return
    links = [t.target.address for t in source.rows.things if isinstance(t, Item)]
    found = Counter(link for link in links if link is not None)
    (nav,) = lxml.html.fromstring(page).iter("nav")
    wanted = Counter(link.get("href") for link in nav.iter("a"))
    assert {**found, "/q": 1, "/r": 1} == {**wanted, "/q": 1, "/r": 1}


@given(st.lists(st.tuples(st.booleans(), _TAGS, st.sampled_from(["x", "", " y "])), max_size=40))
def test_no_markup_breaks_reading(pieces: list[tuple[bool, str, str]]) -> None:
    text = "".join(f"{'<' if opens else '</'}{tag}>{words}" for opens, tag, words in pieces)
    page = f"<html><body><p>z</p><nav>{text}<a href='/last'>Last</a></nav></body></html>"
    try:
        source = read(page.encode(), "x", nav="nav")[0]
    except FormatError:
        return
    done = convert(page.encode(), "x", "html", nav="nav")
    assert lists(done.data) == []
    assert done.audited.facts["kept"] == done.audited.facts["total"]
    labels = [t.label for t in source.rows.things if isinstance(t, Item)]
    assert sum("Last" in label for label in labels) == 1
