"""Shapes of exports that no shipped profile has, described by small profiles, both ways."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import generated
from tests.conftest import Run, link, quillmoor
from ypsiform.containers import csv, toml, yaml
from ypsiform.errors import FormatError
from ypsiform.files import read_bytes
from ypsiform.migrate import convert, read
from ypsiform.model import Item
from ypsiform.standins import CHECKERS

HEAD = """
profile = 1
id = "sample"
name = "Sample"
container = "{container}"
recognise = {recognise}
menus = {menus}
locations = {locations}
site = {site}
[items]
{at}
word = "row"
tie = {tie}
fields = {fields}
[[items.kinds]]
when = {{}}
kind = "address"
address = "{address}"
none = "#"
[themes.only]
locations = [{{ name = "main", shows = 3 }}, {{ name = "foot", shows = 1 }}]
"""

TABLE = {
    "container": "csv",
    "menus": "{}",
    "locations": '{ form = "names" }',
    "site": "{}",
    "at": 'at = "rows"',
    "address": "url",
}
LEVELS = HEAD.format(
    **TABLE,
    recognise='{ columns = ["menu", "level", "label", "url"] }',
    tie='{ structure = "level", number = "level", menu = "menu" }',
    fields='{ label = "label", tooltip = "hint" }',
)
OUTLINE = HEAD.format(
    **TABLE,
    recognise='{ columns = ["menu", "number", "label", "url"] }',
    tie='{ structure = "outline", number = "number", menu = "menu" }',
    fields='{ label = "label" }',
)
LINEAGE = HEAD.format(
    container="json",
    recognise='{ keys = ["nodes"] }',
    menus="{}",
    locations='{ form = "names" }',
    site="{}",
    at='at = "nodes"',
    tie=(
        '{ structure = "lineage", id = "id", number = "way", menu = "bar", order = "rank", '
        'between = "/" }'
    ),
    fields='{ label = "words" }',
    address="leads",
)


def nested(container: str) -> str:
    return HEAD.format(
        container=container,
        recognise='{ keys = ["menus"] }',
        menus='{ at = "menus", fields = { key = "name", title = "title" } }',
        locations='{ at = "shown", form = "keys" }',
        site='{ fields = { address = "site", theme = "look" } }',
        at="",
        tie='{ structure = "nested", inside = "below" }',
        fields='{ label = { at = "text", needed = true }, icon = "icon" }',
        address="to",
    )


PROFILES = {
    "levels": LEVELS,
    "outline": OUTLINE,
    "lineage": LINEAGE,
    "yaml": nested("yaml"),
    "toml": nested("toml"),
}
SAMPLES = {
    "levels": (
        "menu,level,label,url,hint,odd\nmain,1,Sailings,/sailings,Go,\nmain,2,North,/north,,x\n"
        "main,3,Summer,#,,\nmain,2,West,/west,,\nmain,1,Book,/book,,\nother,1,Crew,/crew,,\n"
    ),
    "outline": (
        "menu;number;label;url\nmain;1;Sailings;/sailings\nmain;1.1;North;/north\n"
        "main;1.1.1;Summer;#\nmain;1.10;West;/west\nmain;2;Book;/book\nother;1;Crew;/crew\n"
    ),
    "lineage": json.dumps(
        {
            "nodes": [
                {
                    "id": "3",
                    "bar": "main",
                    "way": "3",
                    "rank": "1",
                    "words": "Sailings",
                    "leads": "/s",
                },
                {"id": "12", "bar": "main", "way": "3/7/12", "rank": "1", "words": "Summer"},
                {
                    "id": "7",
                    "bar": "main",
                    "way": "3/7",
                    "rank": "1",
                    "words": "North",
                    "leads": "/n",
                },
                {
                    "id": "8",
                    "bar": "main",
                    "way": "3/8",
                    "rank": "2",
                    "words": "West",
                    "leads": "/w",
                },
                {"id": "9", "bar": "main", "way": "9", "rank": "2", "words": "Book", "leads": "/b"},
                {
                    "id": "1",
                    "bar": "other",
                    "way": "1",
                    "rank": "1",
                    "words": "Crew",
                    "leads": "/c",
                },
            ]
        }
    ),
    "yaml": """
site: https://old.skerryline.example
look: only
note: no
shown: {main: bar}
menus:
  - name: bar
    title: Bar
    below:
      - text: Sailings
        to: /sailings
        icon: ship
        below:
          - {text: North, to: /north, below: [{text: Summer, to: "#"}]}
          - {text: West, to: /west, tide: high}
      - {text: Book, to: /book}
  - name: other
    title: "null"
    below: [{text: Crew, to: /crew}]
""",
    "toml": """
site = "https://old.skerryline.example"
look = "only"
shown = { main = "bar" }
[[menus]]
name = "bar"
title = "Bar"
[[menus.below]]
text = "Sailings"
to = "/sailings"
below = [
  { text = "North", to = "/north", below = [{ text = "Summer", to = "#" }] },
  { text = "West", to = "/west" },
]
[[menus.below]]
text = "Book"
to = "/book"
[[menus]]
name = "other"
title = "null"
below = [{ text = "Crew", to = "/crew" }]
""",
}
SAMPLE_FILES = Path(__file__).parent / "samples"
for _path in sorted(SAMPLE_FILES.glob("*.toml")):
    PROFILES[_path.stem] = _path.read_text("utf-8")
BYTES = {name: text.encode() for name, text in SAMPLES.items()}
for _path in sorted(SAMPLE_FILES.iterdir()):
    if _path.is_dir():
        BYTES[_path.stem] = read_bytes(str(_path))
    elif _path.suffix != ".toml":
        BYTES[_path.stem] = _path.read_bytes()
WRITTEN = sorted(set(PROFILES) - {"rides"})
"""The samples whose profiles are not read-only."""

TREE = [[("Sailings", [("North", ["Summer"]), "West"]), "Book"], ["Crew"]]


def outline(items: list[Item]) -> list[Any]:
    return [i.label if not i.children else (i.label, outline(i.children)) for i in items]


@pytest.fixture(params=WRITTEN)
def shape(request: pytest.FixtureRequest, tmp_path: Path) -> tuple[str, str, bytes]:
    """A name, the path of a profile, and a sample of its files."""
    name = str(request.param)
    path = tmp_path / f"{name}.toml"
    path.write_text(PROFILES[name], "utf-8")
    assert len(PROFILES[name].splitlines()) < 80
    return name, str(path), BYTES[name]


def test_samples_are_read(shape: tuple[str, str, bytes]) -> None:
    _, profile, sample = shape
    site = read(sample, "sample", profile)[0].site
    assert [outline(menu.items) for menu in site.menus] == TREE
    assert [len(place.menus) for place in site.locations] == [1, 0]


def test_samples_are_written_back_whole(shape: tuple[str, str, bytes]) -> None:
    _, profile, sample = shape
    done = convert(sample, "sample", profile, from_=profile)
    assert done.fitted.losses == []
    again = convert(done.data, "again", profile, from_=profile)
    assert again.data == done.data


def test_samples_become_another_platform_and_come_back(shape: tuple[str, str, bytes]) -> None:
    _, profile, sample = shape
    there = convert(sample, "sample", "quillmoor", from_=profile)
    assert CHECKERS["quillmoor"](there.data) == []
    back = convert(there.data, "there.xml", profile)
    site = read(back.data, "back", profile)[0].site
    assert [outline(menu.items) for menu in site.menus] == TREE


def test_a_menu_goes_into_what_is_there(shape: tuple[str, str, bytes]) -> None:
    _, profile, sample = shape
    data = quillmoor(link("1", text="New", sort="front"))
    done = convert(data, "old.xml", profile, into=(sample, "sample"))
    site = read(done.data, "out", profile)[0].site
    assert sorted(map(str, (outline(menu.items) for menu in site.menus))) == [
        "['Crew']",
        "['New']",
    ]


def test_an_empty_menu_without_a_record_is_said(tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text(LEVELS, "utf-8")
    done = convert(quillmoor(), "old.xml", str(tmp_path / "p.toml"))
    assert [loss.code for loss in done.fitted.losses] == ["menu.empty"]
    assert done.data == b"menu,level,label,url\n"


@pytest.mark.parametrize("name", WRITTEN)
@given(data=generated.quillmoor())
def test_generated_sites_fit(
    tmp_path_factory: pytest.TempPathFactory, name: str, data: bytes
) -> None:
    path = tmp_path_factory.getbasetemp() / f"{name}.toml"
    if not path.exists():
        path.write_text(PROFILES[name], "utf-8")
    done = convert(data, "old.xml", str(path))
    assert done.audited.problems == []


BAD = [
    ("levels", b"menu,level,label,url\nmain,x,A,/a\n", "rows[0]", "'x' is not a whole number"),
    ("levels", b"menu,level,label,url\nmain,0,A,/a\n", "rows[0]", "less than 1"),
    ("levels", b"menu,level,label,url\nmain,,A,/a\n", "rows[0]", "no level"),
    ("outline", b"menu,number,label,url\nmain,1.x,A,/a\n", "rows[0]", "not a place in an outline"),
    ("levels", b"a,b\n1,2\n", "", "the columns menu, level, label, url is needed"),
    ("yaml", b"menus: [{name: a, below: 3}]", "menus[0].below", "a list is needed"),
    ("yaml", b"menus: [{name: 3}]", "menus[0]", "a text is needed"),
    ("toml", b"menus = 3", "menus", "a list is needed"),
]


@pytest.mark.parametrize(("name", "data", "place", "words"), BAD)
def test_mistakes_are_placed(
    run: Run, tmp_path: Path, name: str, data: bytes, place: str, words: str
) -> None:
    (tmp_path / "p.toml").write_text(PROFILES[name], "utf-8")
    (tmp_path / "bad").write_bytes(data)
    done = run("survey", "bad", "--from", "p.toml")
    assert done.returncode == 1 and "Traceback" not in done.stderr
    assert words in done.stderr and place in done.stderr


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('structure = "level"', 'structure = "levels"', "did you mean level"),
        (', number = "level"', "", "also needs: number"),
        ('at = "rows"', "", "also needs: items.at"),
    ],
)
def test_mistakes_in_a_tie(run: Run, tmp_path: Path, old: str, new: str, words: str) -> None:
    assert old in LEVELS
    (tmp_path / "p.toml").write_text(LEVELS.replace(old, new), "utf-8")
    done = run("survey", "old.xml", "--from", "p.toml")
    assert done.returncode == 1 and words in done.stderr and "line " in done.stderr


# Containers

HOSTILE = [
    (yaml, b"a: &x [1]\nb: *x", "alias"),
    (yaml, b"a: &a [x,x]\nb: &b [*a,*a]\nc: [*b,*b]", "alias"),
    (yaml, b"a: !!python/object/apply:os.system [x]", "tag"),
    (yaml, b"a: !own x", "tag"),
    (yaml, b"- " * 600 + b"x", "500 levels"),
    (yaml, b"[" * 100_000, "500 levels"),
    (yaml, b"a: [1", "not YAML"),
    (yaml, b"a: 1\n---\nb: 2", "second document"),
    (yaml, b"a: 1e999", "cannot be held"),
    (yaml, b"a: \xff", "0xFF"),
    (toml, b"a = ", "not TOML"),
    (toml, b"a = 1\na = 2", "not TOML"),
    (toml, b"a = " + b"[" * 600 + b"]" * 600, "500 levels"),
    (toml, b"a = " + b"[" * 100_000, "500 levels"),
    (csv, b"a,b\n1,2,3", "3 cells"),
    (csv, b'a,b\n"x', "not CSV"),
    (csv, b"a,a\n1,2", "twice"),
    (csv, b"a,b\n1,\xff", "0xFF"),
]


@pytest.mark.parametrize(("container", "data", "words"), HOSTILE)
def test_hostile_files(container: Any, data: bytes, words: str) -> None:
    with pytest.raises(FormatError) as caught:
        container.read(data, "file")
    assert words in str(caught.value)


WORDS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Cn")))
TREES = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**20), 10**20) | WORDS,
    lambda inner: st.lists(inner) | st.dictionaries(WORDS.filter(bool), inner),
)


@given(st.dictionaries(WORDS.filter(bool), TREES))
def test_yaml_there_and_back(tree: Any) -> None:
    assert yaml.read(yaml.write(tree), "x") == tree


@pytest.mark.parametrize(
    "word",
    ["no", "null", "1", "1.5", "true", "~", "", "a: b", "# c", "- d", "0x1f", "1e3", "<<", "="],
)
def test_words_stay_words_in_yaml(word: str) -> None:
    assert yaml.read(yaml.write({"a": word, word: "b"}), "x") == {"a": word, word: "b"}


def test_no_is_a_word_in_yaml() -> None:
    assert yaml.read(b"a: no\nb: on\nc: y", "x") == {"a": "no", "b": "on", "c": "y"}


@given(st.lists(st.dictionaries(st.sampled_from("abc"), WORDS.filter(bool))))
def test_csv_there_and_back(rows: list[dict[str, str]]) -> None:
    tree = {"columns": ["a", "b", "c"], "rows": [row for row in rows if row], "delimiter": ";"}
    assert csv.read(csv.write(tree), "x") == tree


def test_repeated_keys_of_yaml_are_kept_beside() -> None:
    tree = yaml.read(b"a: 1\na: 2", "x")
    assert tree == {"a": 2} and tree.others == [("a", 1)]


def test_formulas_in_cells_are_words() -> None:
    tree = csv.read(b"menu,label\nmain,=1+1\n", "x")
    assert tree["rows"][0]["label"] == "=1+1"
    assert b"=1+1" in csv.write(tree)
