"""The profile language: containers, records and fields, and mistakes in a profile."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Run, entry, link, quillmoor, stallmere
from tests.open_formats import CHECKERS
from ypsiform.containers import json as json_container
from ypsiform.containers import xml as xml_container
from ypsiform.errors import ProfileError
from ypsiform.migrate import convert
from ypsiform.model import Column, Item, Links, Piece
from ypsiform.profiles.codecs import chain
from ypsiform.profiles.faults import faults
from ypsiform.profiles.load import load, shipped, split_platform
from ypsiform.reading import read
from ypsiform.standins import CHECKERS as SIMULATED

SCALARS = st.none() | st.booleans() | st.integers() | st.text() | st.floats(allow_nan=False)


@given(
    st.recursive(
        SCALARS.filter(lambda v: v not in (float("inf"), float("-inf"))),
        lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner),
    )
)
def test_json_there_and_back(tree: Any) -> None:
    assert json_container.read(json_container.write(tree), "x") == tree


def test_json_keeps_repeated_keys_and_large_numbers() -> None:
    data = b'{"a": 1, "b": {"c": 1, "c": 2}, "a": 123456789012345678901234567890}'
    again = json_container.write(json_container.read(data, "x"))
    pairs = json.loads(again, object_pairs_hook=lambda pairs: pairs)
    assert sorted(map(str, pairs)) == sorted(
        map(str, [("a", 1), ("a", 123456789012345678901234567890), ("b", [("c", 1), ("c", 2)])])
    )


TEXT = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Cn")), min_size=1)
NAMES = st.sampled_from(["a", "b", "set"])
ELEMENTS = st.recursive(
    st.fixed_dictionaries({}, optional={"@x": TEXT, "#text": TEXT}),
    lambda inner: st.builds(
        lambda attribute, children: {"@x": attribute, "#children": children},
        TEXT,
        st.lists(st.tuples(NAMES, inner), min_size=1),
    ),
)


@given(ELEMENTS)
def test_xml_there_and_back(element: Any) -> None:
    tree = {"#children": [("root", element)]}
    assert xml_container.read(xml_container.write(tree), "x") == tree


def test_xml_keeps_text_between_elements() -> None:
    tree = xml_container.read(b"<a>one<b/>two<b> </b></a>", "x")
    assert tree["#children"][0][1]["#children"] == [
        ("#text", "one"),
        ("b", {}),
        ("#text", "two"),
        ("b", {"#text": " "}),
    ]


def test_shipped_profiles_load() -> None:
    assert set(shipped()) == set(CHECKERS)
    for name in shipped():
        assert load(name).id == name


def test_platform_words() -> None:
    assert split_platform("stallmere/plain") == ("stallmere", "plain")
    assert split_platform("stallmere") == ("stallmere", None)
    assert split_platform("my/own.toml") == ("my/own.toml", None)
    assert split_platform("my/own.toml/wide") == ("my/own.toml", "wide")


TEXT_OF = (Path(__file__).parents[1] / "src/ypsiform/profiles/platforms/stallmere.toml").read_text(
    "utf-8"
)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("profile = 1", "profile = 2", "found profile = 2, but this version reads profile = 1"),
        ("[limits]", "[limitss]", "found the unknown key 'limitss'; did you mean 'limits'?"),
        ("depth = 4", 'depth = "four"', "found a text, expected a whole number"),
        ("shows = 3", 'shows = "3"', "found a text, expected a whole number"),
        ('word = "entry"', 'wrod = "entry"', "unknown key 'wrod'; did you mean 'word'?"),
        ('caption = "Footer"', 'captoin = "F"', "unknown key 'captoin'; did you mean 'caption'?"),
        ('id = "stallmere"', "id = ", "not TOML: invalid value"),
        ('structure = "nested"', 'structure = "nestled"', "did you mean 'nested'?"),
        ('container = "json"', 'container = "jsn"', "did you mean 'json'?"),
        ('form = "keys"', 'form = "key"', "did you mean 'keys'?"),
        ('encoding = "bound"', 'encoding = "bond"', "did you mean 'bound'?"),
        ('text = "under/text"\n', "", "the encoding bound needs 'text'"),
        ('sequence = "sheet"\n', "", "the encoding sequence needs 'sequence'"),
        ('sequence = "tree", ', "", "the location 'header' says no 'sequence'"),
        ('location = "header"\nseq', 'location = "heder"\nseq', "did you mean 'header'?"),
        ('encoding = "sequence"', 'encoding = "counted"', "needs 'columns'"),
        ('encoding = "seq', 'count = "x"\nencoding = "seq', "encoding sequence has no key 'count'"),
        ('holds = "links" }', 'holds = "links", lacks = ["icon"] }', "can lack facts of items"),
        ('holds = "links" }', 'holds = "links", lacks = ["icno"] }', "did you mean 'icon'?"),
        ('sequence = "sheet"', 'sequense = "sheet"', "unknown key 'sequense'; did you mean"),
        ('encoding = "sequence"\n', "", "'encoding' is missing here"),
        ('label = { at = "text",', 'lable = { at = "text",', "did you mean 'label'?"),
        ('kind = "all-groups"', 'kind = "all-group"', "did you mean 'all-groups'?"),
        ('kind = "all-groups"', "", "'kind' is missing here"),
        ('id = "link/key"', "", "the kind page needs `id`, `key` or `address`"),
        ('kind = "product"\npath', "path", "the kind is missing: name `kind`"),
        ('id = "link/key"', 'id = "link.key"', "did you mean 'link/key'?"),
        ('at = "stock/good"', 'at = "$..goods[*]"', "cannot be written back: name each key"),
        ('title = "title"', 'title = { at = "t", through = [{ wrods = {} }] }', "'words'?"),
        (
            'title = "title"',
            'title = { at = "t", through = [{ words = { a = "x", b = "x" } }] }',
            "this cannot be written back: 'a' and 'b' both mean 'x'",
        ),
        (
            'word = "entry"',
            'composed = { link = "{a}{key}" }',
            "cannot be written back: names in",
        ),
        ('word = "entry"', 'find = "$.trees"', "what a JSONPath finds cannot be written"),
        ('pattern = "[a-z0-9-]+"', 'pattern = "[a-z"', "the pattern '[a-z' is not one"),
        ("menus = 30", 'lacks = ["tooltips"]', "did you mean 'tooltip'?"),
        ('kind = "all-groups"', 'lacks = ["hiden"]\nkind = "all-groups"', "did you mean 'hidden'?"),
        ('when = { "link/what" = "aisle" }', "when = {}", "asks for nothing"),
        ('at = "trees"', "", "items that stand in their menus need menus that are listed"),
    ],
)
def test_a_mistake_in_a_profile(run: Run, tmp_path: Path, old: str, new: str, words: str) -> None:
    assert old in TEXT_OF
    (tmp_path / "own.toml").write_text(TEXT_OF.replace(old, new, 1), "utf-8")
    done = run("convert", "old.xml", "--to", "own.toml", "-o", "out")
    assert done.returncode == 1
    assert words in done.stderr
    assert done.stderr.count("\n") == 1
    place = re.match(r"ypsiform: own\.toml, line (\d+)(, column \d+)?: ", done.stderr)
    assert place is not None, done.stderr
    # The line named is that of the mistake, or of the table that misses something.
    line = TEXT_OF[: TEXT_OF.index(old)].count("\n") + 1
    assert 0 <= line - int(place[1]) <= (6 if not new else 1 if "line" in new else 2), done.stderr


@pytest.mark.parametrize(
    ("platform", "old", "new", "words"),
    [
        ("tilewick", "words = { yes = true, no = false }", "words = { a = true }", "means false"),
        ("quillmoor", '{ audience = " " }', "{ audience = [[]] }", "audience is true, or has"),
        ("sitemap", "no-menus = true", 'read-only = "so"', "cannot be written: say read-only"),
        (
            "rowanbase",
            'order = "rank"',
            'order = "new_window"',
            "the tie reads 'new_window' already, as `order`",
        ),
    ],
)
def test_what_could_not_be_written(
    run: Run, tmp_path: Path, platform: str, old: str, new: str, words: str
) -> None:
    folder = Path(__file__).parents[1] / "src/ypsiform/profiles/platforms"
    whole = (folder / f"{platform}.toml").read_text("utf-8")
    assert old in whole
    (tmp_path / "own.toml").write_text(whole.replace(old, new, 1), "utf-8")
    done = run("convert", "old.xml", "--to", "own.toml", "-o", "out")
    assert done.returncode == 1 and words in done.stderr, done.stderr
    assert done.stderr.count("\n") == 1


def test_profiles_that_ship_have_no_mistakes() -> None:
    for name in shipped():
        assert list(faults(load(name))) == []


def test_a_profile_of_ones_own(run: Run, tmp_path: Path) -> None:
    own = TEXT_OF.replace('id = "stallmere"', 'id = "ours"').replace("shows = 2", "shows = 1")
    (tmp_path / "own.toml").write_text(own, "utf-8")
    done = run("convert", "old.xml", "--to", "own.toml/plain", "--into", "new.json", "-o", "out")
    assert done.returncode == 0, done.stderr
    header = json.loads((tmp_path / "out").read_bytes())["trees"][0]["entries"]
    assert not any(item["entries"] for item in header)


def test_no_python_knows_a_platform_by_name() -> None:
    source = Path(__file__).parents[1] / "src/ypsiform"
    for path in source.rglob("*.py"):
        folder = path.relative_to(source).parts[0]
        if folder not in ("standins", "demo") and path.name != "demo.py":
            text = path.read_text("utf-8").lower()
            assert not any(name in text for name in SIMULATED), path


def test_codecs_are_two_way() -> None:
    cases: list[tuple[list[dict[str, Any]], str, object]] = [
        ([{"words": {"yes": True, "no": False}}], "yes", True),
        ([{"split": " "}], "a b", ("a", "b")),
        ([{"split": ","}], "a,b", ("a", "b")),
        ([{"audience": " "}], "crew agents", ("agents", "crew")),
        ([{"whole": True}], "12", 12),
    ]
    for steps, raw, value in cases:
        decode, encode = chain(steps, "here")
        assert decode(raw) == value
        assert decode(encode(value)) == value
    with pytest.raises(ProfileError, match="unknown codec 'spilt'"):
        chain([{"spilt": " "}], "here")


def test_a_panel_is_read_from_marks() -> None:
    data = quillmoor(
        link("1", says="Islands", fixed="home", style="x pane pane-wide y"),
        link("2", under="1", says="North", fixed="search", style="share-4 z"),
        link("3", under="2", says="Haldrun", fixed="home"),
        link("4", under="2", says="Pier", fixed="home", picture="/p.jpg", seq="2"),
        link("5", under="1", says="Map", fixed="home", seq="2"),
        link("6", says="Loose", fixed="home", style="share-4", seq="2"),
        link("7", says="Odd", fixed="home", style="pane:sideways", seq="3"),
    )
    top = read(data, "old.xml")[0].site.menus[0].items
    panel = top[0].panel
    assert panel is not None and (panel.opens, panel.full_width) == ("hover", True)
    assert top[0].traits.classes == ("x", "y")
    first, second = panel.columns
    links, piece = first.blocks
    assert isinstance(links, Links) and isinstance(links.heading, Item) and isinstance(piece, Piece)
    assert (first.span, links.heading.label, links.heading.role) == (12, "North", "heading")
    assert [item.label for item in links.items] == ["Haldrun"]
    assert isinstance(second, Column) and second.span is None
    assert [item.panel for item in top[1:]] == [None, None]
    assert top[1].traits.classes == ("share-4",) and top[2].traits.classes == ("pane:sideways",)


def test_siblings_are_ordered_by_number_and_ties_by_the_file() -> None:
    data = quillmoor(
        link("1", seq="5", says="c", fixed="home"),
        link("2", seq="-1", says="a", fixed="home"),
        link("3", seq="5", says="d", fixed="home"),
        link("4", seq="2", says="b", fixed="home"),
    )
    items = read(data, "old.xml")[0].site.menus[0].items
    assert [item.label for item in items] == ["a", "b", "c", "d"]


def test_null_and_absent_are_the_same() -> None:
    document = json.loads(stallmere(("main", [entry("A")]), header=None))
    document["frame"] = {"theme": "plain"}
    del document["trees"][0]["entries"][0]["entries"]
    document["trays"] = None
    done = convert(json.dumps(document).encode(), "new.json", "stallmere")
    assert done.fitted.losses == []
    assert done.source.site.extras == ()


def test_a_key_may_be_called_like_a_field_that_stands_elsewhere(tmp_path: Path) -> None:
    """The address stands under `label`, the classes of kinds under `hidden`: each is what it is."""
    profile = """
profile = 1
id = "crossed"
name = "Crossed"
container = "json"
recognise = { keys = ["menus"] }
menus = { at = "menus", fields = { key = "key" } }
locations = { form = "names", open = true }
[site]
[items]
tie = { structure = "nested", inside = "below" }
fields = { label = "description", description = "window" }
kinds = [
  { when = { hidden = "page" }, kind = "page", key = "label" },
  { when = { hidden = "to" }, kind = "address", address = "label" },
]
"""
    (tmp_path / "p.toml").write_text(profile, "utf-8")
    item = {"description": "Fares", "window": "All of them", "hidden": "to", "label": "/fares"}
    data = json.dumps({"menus": [{"key": "main", "below": [item]}]}).encode()
    by = str(tmp_path / "p.toml")
    made = read(data, "s.json", by)[0].site.menus[0].items[0]
    assert (made.label, made.target.address, made.hidden) == ("Fares", "/fares", False)
    assert made.traits.description == "All of them" and made.extras == ()
    again = json.loads(convert(data, "s.json", by, from_=by).data)["menus"][0]["below"][0]
    assert {key: again[key] for key in item} == item
