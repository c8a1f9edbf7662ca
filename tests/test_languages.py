"""Languages: told by names and structure, written as labels of one menu or a menu for each."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Link, Run, link, quillmoor
from tests.open_formats import CHECKERS
from tests.test_pairs import PLACES, sound
from ypsiform.demo import DATA
from ypsiform.errors import RefusedError
from ypsiform.fit import Options
from ypsiform.languages import language_of, named, parallel
from ypsiform.migrate import convert
from ypsiform.model import Item, Site
from ypsiform.reading import read

DEMO = (DATA / "old.xml").read_bytes()
Tree = list[Any]
"""Items as [label, [items below]]."""

FARES: Tree = [["Fares", [["Passengers", []], ["Cars", []]]], ["Ports", []]]
PRISER: Tree = [["Priser", [["Passasjerer", []], ["Biler", []]]], ["Havner", []]]


def export(menus: dict[str, Tree], folder: dict[str, str] | None = None) -> bytes:
    """A Quillmoor export of menus; items lead to addresses by their place, in a folder."""
    links: list[Link] = []

    def add(menu: str, tree: Tree, under: str, way: str) -> None:
        for at, (label, below) in enumerate(tree):
            ident = f"{menu}-{way}{at}"
            address = f"{(folder or {}).get(menu, '')}/p{way}{at}/"
            links.append(link(ident, menu, under, str(at), says=label, address=address))
            add(menu, below, ident, f"{way}{at}.")

    for menu, tree in menus.items():
        add(menu, tree, "0", "")
    listed = "".join(f'<menu code="{menu}"><name>{menu}</name></menu>' for menu in menus)
    return quillmoor(*links, menus=listed, places=f"upper={next(iter(menus))}")


def labels(site: Site, key: str) -> list[tuple[str, tuple[tuple[str, str], ...]]]:
    """The labels of a menu with their translations, in reading order."""
    menu = next(menu for menu in site.menus if menu.key == key)
    found: list[tuple[str, tuple[tuple[str, str], ...]]] = []
    stack = list(reversed(menu.items))
    while stack:
        item = stack.pop()
        found.append((item.label, item.translations))
        stack.extend(reversed(item.children))
    return found


@pytest.mark.parametrize(
    ("name", "code", "rest"),
    [
        ("main-nb", "nb", "main"),
        ("main.nb", "nb", "main"),
        ("nb_main", "nb", "main"),
        ("Main bar (nb)", "nb", "main bar"),
        ("main-nb-no", "nb", "main"),
        ("pt_BR.main", "pt", "main"),
        ("Footer, Norsk", "nb", "footer"),
        ("Deutsch: Kopf", "de", "kopf"),
        ("main", None, None),
        ("nb", None, None),
        ("north", None, None),
        ("main-xx", None, None),
    ],
)
def test_a_language_in_a_name(name: str, code: str | None, rest: str | None) -> None:
    assert language_of(name) == (None if code is None else (code, rest))


def test_a_label_that_is_a_language() -> None:
    told = {"Norsk": "nb", "NB": "nb", " English ": "en", "no": None, "News": None, "XX": None}
    assert {label: named(label) for label in told} == told


@pytest.mark.parametrize(
    ("menus", "folder", "found"),
    [
        ({"main": FARES, "main.nb": PRISER}, {"main.nb": "/nb"}, [("main.nb", "nb", True)]),
        ({"main": FARES, "main.nb": PRISER[:1]}, {"main.nb": "/nb"}, [("main.nb", "nb", False)]),
        ({"main.en": FARES, "main.nb": PRISER}, None, [("main.nb", "nb", True)]),
        ({"main.nb": PRISER, "main.en": FARES}, None, [("main.nb", "nb", True)]),
        ({"main": FARES, "foot.nb": PRISER}, None, []),
        ({"main": FARES, "main.it": [["Helpdesk", []]]}, {"main.it": "/support"}, []),
        ({"main": FARES, "main.2": PRISER}, None, []),
    ],
)
def test_a_menu_that_is_another_one(
    menus: dict[str, Tree], folder: dict[str, str] | None, found: list[tuple[str, str, bool]]
) -> None:
    surveyed, _ = read(export(menus, folder), "x")
    site = surveyed.site
    told = parallel(site, surveyed.rows)
    assert [(site.menus[one.menu].key, one.language, one.whole) for one in told] == found
    said = [notice.menu for notice in surveyed.findings if notice.code == "read.languages"]
    assert said == [name for name, _, _ in found]


def test_menus_become_labels(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.xml").write_bytes(export({"main": FARES, "main.nb": PRISER}))
    options = ["--to", "quillmoor", "-o", "new.xml", "--languages", "labels", "--json"]
    done = run("convert", "old.xml", *options)
    assert done.returncode == 0, done.stderr
    written = (tmp_path / "new.xml").read_bytes()
    assert CHECKERS["quillmoor"](written) == []
    site = read(written, "x")[0].site
    assert [menu.key for menu in site.menus] == ["main"]
    assert labels(site, "main") == [
        ("Fares", (("nb", "Priser"),)),
        ("Passengers", (("nb", "Passasjerer"),)),
        ("Cars", (("nb", "Biler"),)),
        ("Ports", (("nb", "Havner"),)),
    ]
    report = json.loads(done.stdout)
    assert report["facts"]["moved"] == 4, "the labels of the other menu"
    losses = [f["code"] for f in report["findings"] if f["outcome"] is not None]
    assert losses == ["label.to-labels"]


def test_branches_become_labels_or_menus() -> None:
    data = export({"main": [["English", FARES], ["Norsk", PRISER]]})
    one = convert(data, "x", "quillmoor", options=Options(languages="labels"))
    assert CHECKERS["quillmoor"](one.data) == []
    told = labels(read(one.data, "x")[0].site, "main")
    assert told[0] == ("Fares", (("nb", "Priser"),)) and len(told) == 4
    two = convert(data, "x", "stallmere/plain", options=Options(languages="menus"))
    assert CHECKERS["stallmere"](two.data) == []
    site = read(two.data, "x")[0].site
    assert [label for label, _ in labels(site, "main")] == ["Fares", "Passengers", "Cars", "Ports"]
    assert labels(site, "main-nb")[0] == ("Priser", ())
    apart = [f for f in two.findings if f.code == "menu.apart"]
    assert [f.severity for f in apart] == ["high", "note"], "one of them is shown no longer"
    kept = convert(data, "x", "stallmere/plain")
    assert "English" in [label for label, _ in labels(read(kept.data, "x")[0].site, "main")]


def test_labels_become_a_menu(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.xml").write_bytes(DEMO)
    options = ["--to", "stallmere/plain", "-o", "out.json", "--languages", "menus", "--json"]
    done = run("convert", "old.xml", *options)
    assert done.returncode == 0, done.stderr
    report = json.loads(done.stdout)
    assert CHECKERS["stallmere"]((tmp_path / "out.json").read_bytes()) == []
    losses = [f for f in report["findings"] if f["code"].startswith("label.to")]
    assert [f["after"] for f in losses] == ["main-nb"] and len(losses[0]["labels"]) == 18
    assert "label.language" not in {f["code"] for f in report["findings"]}
    site = read((tmp_path / "out.json").read_bytes(), "x")[0].site
    assert labels(site, "main-nb")[0][0] == "Avganger"
    assert len(labels(site, "main-nb")) == len(labels(site, "main"))
    assert all(not place.menus or "main-nb" not in place.menus for place in site.locations)


@pytest.mark.parametrize(
    ("way", "to", "words"),
    [
        ("labels", "stallmere", "--languages menus makes a menu for each"),
        ("menus", "fanlight", "no menus but those of its locations"),
        ("menus", "arborcote", "no menus but those of its locations"),
    ],
)
def test_what_a_destination_cannot_hold(
    run: Run, tmp_path: Path, way: str, to: str, words: str
) -> None:
    (tmp_path / "old.xml").write_bytes(DEMO)
    done = run("convert", "old.xml", "--to", to, "-o", "new", "--languages", way)
    assert (done.returncode, done.stdout) == (1, "")
    assert words in done.stderr and not (tmp_path / "new").exists()


def test_a_menu_for_some_is_not_copied_where_nothing_restricts_it() -> None:
    before = '<leads page="70" />'
    text = DEMO.decode()
    assert text.count(before) == 1
    text = text.replace(before, f'{before}<says lang="nb">Mine bestillinger</says>')
    done = convert(text.encode(), "x", "opml", options=Options(languages="menus"))
    lost = [f for f in done.findings if f.code == "label.language"]
    assert [f.labels for f in lost] == [("My bookings: Mine bestillinger",)]
    assert b"Mine bestillinger" not in done.data


def test_the_plan_says_what_becomes_of_languages(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.xml").write_bytes(DEMO)
    run("draft", "old.xml", "--to", "stallmere/plain", "-o", ".")
    plan = (tmp_path / "migration.toml").read_text("utf-8")
    assert "“Main\n# bar” has 18 labels in nb." in plan and 'languages = "keep"' in plan
    edited = plan.replace('languages = "keep"', 'languages = "menus"')
    (tmp_path / "migration.toml").write_text(edited, "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "a.json")
    assert done.returncode == 0, done.stderr
    run("convert", "old.xml", "--to", "stallmere/plain", "--languages", "menus", "-o", "b.json")
    assert (tmp_path / "a.json").read_bytes() == (tmp_path / "b.json").read_bytes()
    wrong = plan.replace('languages = "keep"', 'languages = "menu"')
    (tmp_path / "migration.toml").write_text(wrong, "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "c.json")
    line = wrong[: wrong.index("languages =")].count("\n") + 1
    assert f"line {line}" in done.stderr and "did you mean 'menus'?" in done.stderr


TREES = st.recursive(
    st.lists(st.tuples(st.sampled_from(["Fares", "Ports", "Fares and ports"])), max_size=3).map(
        lambda found: [[label, []] for (label,) in found]
    ),
    lambda inner: st.lists(st.tuples(st.sampled_from(["Isles", "Help"]), inner), max_size=3).map(
        lambda found: [[label, below] for label, below in found]
    ),
    max_leaves=12,
)


def other(tree: Tree) -> Tree:
    return [[f"nb {label}", other(below)] for label, below in tree]


@given(TREES, TREES, st.booleans(), st.sampled_from(PLACES), st.sampled_from(["labels", "menus"]))
def test_generated_languages(
    tree: Tree, unlike: Tree, alike: bool, to: str, languages: str
) -> None:
    norsk = other(tree) if alike else unlike
    inner = [["English", tree], ["Norsk", norsk], ["DE", other(tree)]]
    data = export({"main": tree, "main.nb": norsk, "foot": inner})
    try:
        done = convert(data, "x", to, options=Options(languages=languages))
    except RefusedError as error:
        assert any(words in str(error) for words in ("further language", "no menu of the source"))
        return
    sound(done, to)
    if languages == "labels" and alike and tree and to != "ypsiform":  # that is written whole
        words = {
            text
            for menu in done.written.menus
            for thing in menu.items
            if isinstance(thing, Item)
            for language, text in thing.translations
            if language == "nb"
        }
        assert {label for label, _ in norsk} <= words


PAIRS = (
    b"menu,level,label,address\n"
    b"main,1,Fetch,/fetch/\nmain,2,Hente,/nb/hente/\n"
    b"main,1,Tools,/tools/\nmain,2,Redskaper,/nb/redskaper/\nmain,2,Rakes,/tools/rakes/\n"
)


def test_items_below_those_of_another_language_are_told_by_the_folder_of_their_pages() -> None:
    found = read(PAIRS, "x", "csv")[0]
    said = [f.before for f in found.findings if f.code == "read.languages"]
    assert said == ["holds items in another language below those of the first: 2 in nb"]
    alone = PAIRS.replace(b"/nb/hente/", b"/hente/")  # one alone may be anything
    others = PAIRS + b"main,3,My page,/nb/a/\nmain,3,Other,/nb/b/\n"  # and of two, neither
    for data in (alone, PAIRS.replace(b"/nb/", b"/no-such/")):
        assert not [f for f in read(data, "x", "csv")[0].findings if f.code == "read.languages"]
    said = [f.before for f in read(others, "x", "csv")[0].findings if f.code == "read.languages"]
    assert said == ["holds items in another language below those of the first: 2 in nb"]


@pytest.mark.parametrize("to", [to for to in PLACES if to not in ("ypsiform", "sitemap/inventory")])
def test_items_below_those_of_another_language_get_a_menu_or_are_labels(to: str) -> None:
    for way in ("labels", "menus"):
        try:
            done = convert(PAIRS, "x", to, from_="csv", options=Options(languages=way))
        except RefusedError:
            continue
        sound(done, to)
        code = "label.to-labels" if way == "labels" else "menu.language-apart"
        told = [f for f in done.findings if f.code == code]
        assert [f.before for f in told] == ["nb"]
        if way == "labels":
            first = done.written.menus[0].items[0]
            assert dict(first.translations)["nb"] == "Hente"
            continue
        assert [[i.label for i in m.items] for m in done.written.menus] == [
            ["Fetch", "Tools"],
            ["Hente", "Redskaper"],
        ]


def test_a_branch_in_a_further_language_with_nothing_in_it() -> None:
    inner: Tree = [["English", [["Fares", []]]], ["Norsk", []], ["DE", [["nb Fares", []]]]]
    data = export({"main": [["Fares", []]], "main.nb": [], "foot": inner})
    for to in ("csv", "rowanbase/bare", "html"):
        done = convert(data, "x", to, options=Options(languages="menus"))
        sound(done, to)
        empty = [found.menu_name for found in done.findings if found.code == "menu.empty"]
        assert any((name or "").endswith("nb") and "foot" in (name or "") for name in empty) is (
            to != "html"
        )
