"""Records that have a file each, records of several names, and menus whose lists stand apart."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import Run
from ypsiform.containers import container
from ypsiform.containers import zip as zip_
from ypsiform.errors import FormatError, ProfileError, RefusedError
from ypsiform.migrate import convert
from ypsiform.model import Item
from ypsiform.profiles import gathered, mixed
from ypsiform.profiles.each import above_each, path_of
from ypsiform.profiles.files import dump_tree, load_tree
from ypsiform.profiles.load import parsed
from ypsiform.profiles.schema import MixedRule
from ypsiform.reading import read

HEAD = """
profile = 1
id = "odd"
name = "Odd"
site = {}
locations = { form = "names", open = true }
"""
TEXTS = (
    HEAD
    + """
container = "files"
recognise = {}
menus = { at = ".", one = "main" }
ignore = { "#body" = "texts of pages" }
[files]
pages = { name = "pages/**/*.md", container = "front", named = "title" }
[items]
at = "pages"
tie = { structure = "parent", id = "uid", under = "above", order = "weight" }
numbers = ["weight"]
fields = { label = "title" }
[[items.kinds]]
when = {}
kind = "address"
address = "#path"
none = ""
"""
)
PAGES = {
    "pages/index.md": "---\nuid: a\ntitle: Home\nweight: 1\n---\nWelcome *aboard*.\n",
    "pages/isles/index.md": "---\nuid: b # never changes\ntitle: Islands\nweight: 2\n---\n",
    "pages/isles/hald.md": '+++\nuid = "c"\nabove = "b"\ntitle = "Haldrun"\nweight = 1\n+++\nText',
    "settings.yml": "colour: blue\n",
}
MIXED = (
    (
        HEAD
        + """
container = "{container}"
recognise = {recognise}
menus = {{ at = ".", one = "main" }}
mixed = [{{ names = ["page", "link", "note"] }}]
[items]
tie = {{ structure = "nested", first = "{first}", inside = "{inside}" }}
fields = {{ label = "{name}" }}
[[items.kinds]]
when = {{ "#kind" = "page" }}
kind = "internal"
address = "{to}"
none = "-"
[[items.kinds]]
when = {{ "#kind" = "link" }}
kind = "address"
address = "{href}"
label = "{text}"
none = ""
[[items.kinds]]
when = {{ "#kind" = "note" }}
kind = "none"
label = "{value}"
"""
    )
    .replace("site = {}", "site = {{}}")
    .replace("{ form", "{{ form")
    .replace("true }", "true }}")
)
IN_XML = """<site><tree>
  <page><name>Islands</name><to>/isles</to><below>
    <link href="https://maps.example/"><text>Map</text></link>
    <page><name>Haldrun</name><to>/isles/hald</to></page>
    <note>Since 1871</note>
  </below></page>
  <link href="mailto:a@b.example"><text>Write</text></link>
</tree></site>"""
IN_JSON = """{"tree": [
 {"page": {"name": "Islands", "to": "/isles", "below": [
  {"link": {"text": "Map", "href": "https://maps.example/"}},
  {"page": {"name": "Haldrun", "to": "/isles/hald"}}, {"note": "Since 1871"}]}},
 {"link": {"text": "Write", "href": "mailto:a@b.example"}}]}"""
XML_WORDS = {
    "container": "xml",
    "recognise": '{ root = "site" }',
    "first": "tree/page",
    "inside": "below/page",
    "name": "name/#text",
    "to": "to/#text",
    "href": "@href",
    "text": "text/#text",
    "value": "#text",
}
JSON_WORDS = {
    "container": "json",
    "recognise": '{ keys = ["tree"] }',
    "first": "tree",
    "inside": "below",
    "name": "name",
    "to": "to",
    "href": "href",
    "text": "text",
    "value": "#value",
}
TREE: list[Any] = [
    ("Islands", [("Map", []), ("Haldrun", []), ("Since 1871", [])]),
    ("Write", []),
]
APART = (
    HEAD
    + """
container = "yaml"
recognise = { keys = ["nav"] }
gathered = { main = "nav", foot = "footer/links" }
[menus]
at = "#menus"
fields = { key = "#key" }
[items]
tie = { structure = "nested", first = "#items", inside = "more" }
fields = { label = "text" }
[[items.kinds]]
when = {}
kind = "address"
address = "to"
none = ""
"""
)
IN_PLACES = b"""site: Skerry
nav:
  - text: Islands
    to: /isles
    more:
      - text: Haldrun
        to: /isles/hald
look: {wide: true}
footer:
  note: All rights
  links:
    - text: Contact
      to: /contact
    - text: Privacy
      to: /privacy
"""


ONE_TEXT = b"""---
title: Home
nav:
  - text: Islands
    to: /isles
    more:
      - text: Haldrun
        to: /isles/hald
---
Welcome.
"""
IN_ONE_TEXT = APART
for old, new in (
    ('"yaml"', '"front"'),
    ('gathered = { main = "nav", foot = "footer/links" }\n', ""),
    ('at = "#menus"\nfields = { key = "#key" }', 'at = "."\none = "main"'),
    ('"#items"', '"nav"'),
):
    IN_ONE_TEXT = IN_ONE_TEXT.replace(old, new)


def outline(items: list[Item]) -> list[Any]:
    return [(item.label, outline(item.children)) for item in items]


def packed(pages: dict[str, str]) -> bytes:
    return zip_.pack({name: text.encode() for name, text in pages.items()})


SAMPLES: list[tuple[str, bytes, str]] = [
    ("texts", packed(PAGES), TEXTS),
    ("front", ONE_TEXT, IN_ONE_TEXT),
    ("xml", IN_XML.encode(), MIXED.format(**XML_WORDS)),
    ("json", IN_JSON.encode(), MIXED.format(**JSON_WORDS)),
    ("yaml", IN_PLACES, APART),
]
"""Sound files with a profile for each, by what they can be damaged as."""


def test_menus_in_the_front_matter_of_one_text() -> None:
    profile = parsed(IN_ONE_TEXT, "f.toml")
    site = read(ONE_TEXT, "a.md", profile)[0].site
    assert outline(site.menus[0].items) == [("Islands", [("Haldrun", [])])]
    data = convert(ONE_TEXT, "a.md", profile, from_=profile).data
    assert data.startswith(b"---\ntitle: Home\n") and data.endswith(b"---\nWelcome.\n")


def test_a_folder_of_texts_is_read_and_written_as_it_was(run: Run, tmp_path: Path) -> None:
    for name, text in PAGES.items():
        (tmp_path / "site" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "site" / name).write_text(text)
    (tmp_path / "my.toml").write_text(TEXTS)
    done = run("profile", "check", "my.toml", "site")
    assert done.returncode == 0 and "facts are the same" in done.stdout, done.stderr
    done = run("convert", "site", "--from", "my.toml", "--to", "my.toml", "-o", "new/")
    assert done.returncode == 0, done.stderr
    written = {
        path.relative_to(tmp_path / "new").as_posix(): path.read_text()
        for path in (tmp_path / "new").rglob("*")
        if path.is_file()
    }
    assert written == PAGES
    site = read(packed(PAGES), "s.zip", parsed(TEXTS, "t"))[0].site
    assert outline(site.menus[0].items) == [("Home", []), ("Islands", [("Haldrun", [])])]
    assert [item.target.address for item in site.menus[0].items] == ["/", "/isles/"]


def test_of_a_text_only_what_changed_is_written_anew() -> None:
    profile = parsed(TEXTS, "t")
    tree = load_tree(packed(PAGES), "s.zip", profile)
    tree["pages"][1]["title"] = "All islands"
    files = zip_.unpack(dump_tree(tree, profile), "n.zip")
    texts = {name: data.decode() for name, data in files.items()}
    changed = PAGES["pages/isles/index.md"].replace("Islands", "All islands")
    assert texts == {**PAGES, "pages/isles/index.md": changed}


def test_new_records_get_files_of_their_own(run: Run, tmp_path: Path) -> None:
    (tmp_path / "my.toml").write_text(TEXTS)
    (tmp_path / "a.csv").write_text(
        "menu,level,label,kind,content,address\n"
        "main,1,Home,home,,/\nmain,1,Islands,page,,/isles/\nmain,2,Haldrun,page,,/isles/hald\n"
    )
    done = run("convert", "a.csv", "--from", "csv", "--to", "my.toml", "-o", "new/")
    assert done.returncode == 0, done.stderr
    names = {path.relative_to(tmp_path / "new").as_posix() for path in tmp_path.glob("new/**/*.md")}
    assert names == set(PAGES) - {"settings.yml"}


def test_names_of_files_as_paths() -> None:
    pattern = "pages/**/*.md"
    names = ["pages/index.md", "pages/a/_index.md", "pages/a/b.md", "pages/a/c/d.md", "pages/x.md"]
    paths = [path_of(name, pattern) for name in names]
    assert paths == ["/", "/a/", "/a/b", "/a/c/d", "/x"]
    assert above_each(paths) == ["", "", "/a/", "/a/", ""]


def test_what_stands_below_what_is_told_by_folders(run: Run, tmp_path: Path) -> None:
    for name in ("_index", "isles/_index", "isles/hald", "isles/north/seals", "contact"):
        path = tmp_path / "site" / "content" / f"{name}.md"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f"---\ntitle: The {name.split('/')[-1]} page\nweight: 3\n---\nOf {name}\n")
    assert run("profile", "new", "site", "-o", "my.toml").returncode == 0
    profile = parsed((tmp_path / "my.toml").read_text(), "my.toml")
    assert profile.items.tie.under == "#above" and profile.read_only
    done = run("survey", "site", "--from", "my.toml")
    assert "\n    The hald page" in done.stdout and "\n  The contact page" in done.stdout


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("title: A\n", "there is no front matter"),
        ("---\ntitle: A\n", "there is no front matter"),
        ("---\n- a\n---\n", "no mapping"),
        ("---\na: b\nc: *d\n---\n", "the alias"),
        ("---\na: b\n c: !x d\n---\n", "line 3"),
        ("+++\na = \n+++\n", "this is not TOML"),
        ("", "no front matter"),
    ],
)
def test_damaged_front_matter(text: str, words: str) -> None:
    with pytest.raises(FormatError, match=words.replace("*", r"\*")):
        container("front").read(text.encode(), "a.md")


HEADS = st.dictionaries(
    st.text("abcdef#-", min_size=1, max_size=5).filter(lambda key: key != "#body"),
    st.one_of(st.text(max_size=12), st.integers(), st.booleans(), st.lists(st.text(max_size=4))),
)


@settings(max_examples=200, deadline=None)
@given(HEADS, st.text(st.characters(codec="utf-8", exclude_characters="\r\ufeff"), max_size=40))
def test_front_matter_is_read_as_it_was_written(head: dict[str, Any], body: str) -> None:
    tree = {**head, **({"#body": body} if body else {})}
    try:
        data = container("front").write(tree)
    except RefusedError:
        assert any("---" in str(value) for value in head.values())
        return
    try:
        back = container("front").read(data, "a.md")
    except FormatError:
        assert any(not text.isprintable() for text in map(str, (head, body)))
        return
    assert back == tree


def test_files_that_records_cannot_be_written_to() -> None:
    profile = parsed(TEXTS, "t")

    def written(*records: dict[str, Any]) -> bytes:
        tree = load_tree(packed(PAGES), "s.zip", profile)
        tree["pages"] = list(records)
        return dump_tree(tree, profile)

    with pytest.raises(RefusedError, match="two records would be written to one file"):
        written({"title": "A", "#path": "/a"}, {"title": "B", "#path": "/a"})
    for path in ("/../../etc", "/a/../b", "https://a.example/", "/a//b"):
        with pytest.raises(RefusedError, match="is no name for a file"):
            written({"title": "A", "#path": path})
    with pytest.raises(RefusedError, match="is no name for a file"):
        written({"title": "A", "#file": "pages/../../a.md"})


@pytest.mark.parametrize(
    ("data", "words"),
    [
        ({"settings.yml": "a: 1"}, "there is no file 'pages/\\*\\*/\\*.md' in it"),
        ({"pages/a.md": ""}, "the file is empty"),
        ({"pages/a.md": "---\n- a\n---\n"}, "s.zip/pages/a.md"),
    ],
)
def test_folders_that_are_not_read(data: dict[str, str], words: str) -> None:
    with pytest.raises(FormatError, match=words):
        load_tree(packed(data), "s.zip", parsed(TEXTS, "t"))


@pytest.mark.parametrize(
    ("words", "sample"), [(XML_WORDS, IN_XML), (JSON_WORDS, IN_JSON)], ids=["xml", "json"]
)
def test_records_of_several_names(words: dict[str, str], sample: str) -> None:
    profile = parsed(MIXED.format(**words), "m.toml")
    site = read(sample.encode(), "a", profile)[0].site
    assert outline(site.menus[0].items) == TREE
    data = convert(sample.encode(), "a", profile, from_=profile).data
    assert outline(read(data, "b", profile)[0].site.menus[0].items) == TREE
    tree = container(words["container"])
    assert filled(tree.read(data, "b")) == filled(tree.read(sample.encode(), "a"))


def filled(tree: Any) -> Any:
    """A tree without the empty lists in it."""
    if isinstance(tree, dict):
        return {key: filled(value) for key, value in tree.items() if value != []}
    return [filled(one) for one in tree] if isinstance(tree, (list, tuple)) else tree


def test_a_record_of_no_name_is_refused() -> None:
    rule = MixedRule(["page", "link"])
    profile = parsed(MIXED.format(**JSON_WORDS), "m.toml")
    with pytest.raises(RefusedError, match="'box' is none of the names"):
        mixed.closed({"tree": [{"#kind": "box", "name": "A"}]}, profile)
    with pytest.raises(RefusedError, match="'note' that is a plain value has no room for 'below'"):
        mixed.closed({"a": [{"#kind": "note", "#value": "A", "below": [{}]}]}, profile)
    with pytest.raises(RefusedError, match="does not say by which name"):
        mixed.closed({"#children": [("page", {"@a": "b"})]}, profile)
    plain = {"tree": [{"page": {"a": 1}, "link": {}}, {"page": [1]}, "page"]}
    assert mixed.with_mixed(plain, [rule]) == plain


def test_menus_whose_lists_stand_apart() -> None:
    profile = parsed(APART, "g.toml")
    surveyed, _ = read(IN_PLACES, "a.yaml", profile)
    menus = {menu.key: outline(menu.items) for menu in surveyed.site.menus}
    assert menus == {
        "main": [("Islands", [("Haldrun", [])])],
        "foot": [("Contact", []), ("Privacy", [])],
    }
    assert [extra.path for extra in surveyed.site.extras] == ["site", "look", "footer/note"]
    done = convert(IN_PLACES, "a.yaml", profile, from_=profile)
    back = read(done.data, "b.yaml", profile)[0].site
    assert {menu.key: outline(menu.items) for menu in back.menus} == menus
    assert list(container("yaml").read(done.data, "b")) == ["site", "nav", "look", "footer"]


def test_a_menu_without_a_list_is_left_out() -> None:
    profile = parsed(APART.replace(', foot = "footer/links"', ""), "g.toml")
    done = convert(IN_PLACES, "a.yaml", profile, from_=parsed(APART, "f.toml"))
    [found] = [found for found in done.findings if found.code == "menu.no-place"]
    assert found.menu_name == "foot" and [menu.key for menu in done.written.menus] == ["main"]
    with pytest.raises(RefusedError, match="no list for a menu 'foot'"):
        gathered.closed({"#menus": [{"#key": "foot", "#items": []}]}, profile)


LINE = "gathered ="


@pytest.mark.parametrize(
    ("text", "old", "new", "words"),
    [
        (TEXTS, 'container = "front"', 'container = "sqlite"', "line 13.*is no record"),
        (TEXTS, ', order = "weight"', "", "line 16.*files have no order of their own"),
        (TEXTS, 'under = "above"', 'under = "#above"', "line 16.*folders are read and never made"),
        (
            TEXTS,
            'at = "pages"\n',
            'at = "pages/rows"\n',
            "line 15.*no list stands at a path below it",
        ),
        (APART, '"footer/links"', '"nav/links"', "line.*this list stands in another one"),
        (APART, '"footer/links"', '"nav"', "line.*a list of its own"),
        (APART, 'container = "yaml"', 'container = "lines"', "line.*gathered from one document"),
        (APART, LINE, f'mixed = [{{ names = ["a"] }}]\n{LINE}', "line.*two names of records"),
        (APART, LINE, f'mixed = [{{ names = ["a", "a"] }}]\n{LINE}', "line.*'a' is there twice"),
    ],
)
def test_mistakes_in_profiles(text: str, old: str, new: str, words: str) -> None:
    with pytest.raises(ProfileError, match=words):
        parsed(text.replace(old, new), "p.toml")
