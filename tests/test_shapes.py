"""Shapes of exports that no shipped profile has, described by small profiles, both ways."""

from __future__ import annotations

import json
import shutil
import warnings
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import generated
from tests.conftest import Run, link, quillmoor
from ypsiform.containers import csv, html, yaml
from ypsiform.containers import zip as zip_container
from ypsiform.errors import FormatError, ProfileError
from ypsiform.files import read_bytes
from ypsiform.migrate import convert
from ypsiform.model import Item
from ypsiform.profiles.records import Composed
from ypsiform.reading import read
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
    data = quillmoor(link("1", says="New", fixed="home"))
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
        ('structure = "level"', 'structure = "levels"', "did you mean 'level'"),
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


# Several files, and profiles that only read


def test_a_folder_becomes_a_folder_or_a_zip(run: Run, tmp_path: Path) -> None:
    shutil.copytree(SAMPLE_FILES / "parted", tmp_path / "site")
    shutil.copy(SAMPLE_FILES / "parted.toml", tmp_path)
    base = ("convert", "old.xml", "--to", "parted.toml", "--into", "site", "-o")
    assert run(*base, "out/").returncode == 0
    assert run(*base, "out.zip").returncode == 0
    with zipfile.ZipFile(tmp_path / "out.zip") as archive:
        names = archive.namelist()
        assert sorted(names) == ["data/pages.csv", "menus.xml", "notes.txt"]
        for name in names:
            assert (tmp_path / "out" / name).read_bytes() == archive.read(name)
    assert (tmp_path / "out/notes.txt").read_bytes() == b"Kept as it is.\n"
    again = run(*base, "out/")
    assert again.returncode == 1 and "exists already" in again.stderr
    asked = ("convert", "out.zip", "--from", "parted.toml", "--to", "quillmoor", "-o", "q.xml")
    there = run(*asked, "-v")
    assert there.returncode == 0, there.stderr
    assert "other files" in there.stdout and "notes.txt" in there.stdout
    assert run("survey", "site", "--from", "parted.toml").returncode == 0


def test_a_file_that_is_missing_in_a_folder(run: Run, tmp_path: Path) -> None:
    shutil.copytree(SAMPLE_FILES / "parted", tmp_path / "site")
    shutil.copy(SAMPLE_FILES / "parted.toml", tmp_path)
    (tmp_path / "site/data/pages.csv").write_bytes(b"")
    done = run("survey", "site", "--from", "parted.toml")
    assert done.returncode == 1 and "site/data/pages.csv: the file is empty" in done.stderr
    (tmp_path / "site/data/pages.csv").unlink()
    done = run("survey", "site", "--from", "parted.toml")
    assert done.returncode == 1 and "there is no file 'data/pages.csv' in it" in done.stderr
    done = run("survey", "old.xml", "--from", "parted.toml")
    assert done.returncode == 1 and "this is XML, but files of parted are a folder" in done.stderr


def test_a_profile_that_only_reads(run: Run, tmp_path: Path) -> None:
    for name in ("rides.toml", "rides.json"):
        shutil.copy(SAMPLE_FILES / name, tmp_path)
    site = read(BYTES["rides"], "rides.json", str(SAMPLE_FILES / "rides.toml"))[0].site
    assert [outline(menu.items) for menu in site.menus] == TREE
    assert site.menus[0].items[0].target.content == "12"
    done = run("convert", "rides.json", "--from", "rides.toml", "--to", "stallmere", "-o", "out")
    assert done.returncode == 0, done.stderr
    done = run("convert", "old.xml", "--to", "rides.toml", "-o", "out", "--force")
    assert done.returncode == 1
    assert "read and never written: Rides has no import of menus" in done.stderr
    done = run("profile", "check", "rides.toml", "rides.json")
    assert done.returncode == 0 and "only read" in done.stdout


def test_what_a_zip_must_not_hold(tmp_path: Path) -> None:
    def made(*names: str, link: bool = False) -> bytes:
        out = BytesIO()
        with zipfile.ZipFile(out, "w") as archive, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            for name in names:
                entry = zipfile.ZipInfo(name)
                entry.external_attr = (0o120777 if link else 0o644) << 16
                archive.writestr(entry, b"x")
        return out.getvalue()

    for data, words in (
        (made("../up"), "leads out of the folder"),
        (made("/etc/x"), "leads out of the folder"),
        (made("a/../../x"), "leads out of the folder"),
        (made("c:\\x"), "leads out of the folder"),
        (made("a", "a"), "twice"),
        (made("a", link=True), "link"),
        (made("a")[:40], "damaged"),
        (b"PK\x03\x04" + bytes(40), "damaged"),
    ):
        with pytest.raises(FormatError, match=words):
            zip_container.unpack(data, "x.zip")


def test_a_zip_that_grows_without_end_is_not_unpacked(monkeypatch: pytest.MonkeyPatch) -> None:
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a", bytes(3_000_000))
        archive.writestr("b", bytes(3_000_000))
    assert len(out.getvalue()) < 10_000
    monkeypatch.setattr(zip_container, "LARGEST", 4_000_000)
    with pytest.raises(FormatError, match="unpacked, the zip is larger"):
        zip_container.unpack(out.getvalue(), "x.zip")
    monkeypatch.setattr(zip_container, "MOST", 1)
    with pytest.raises(FormatError, match="more than 1 files"):
        zip_container.unpack(out.getvalue(), "x.zip")


# HTML


def test_scripts_are_not_passed_on(run: Run, tmp_path: Path) -> None:
    shutil.copy(SAMPLE_FILES / "lists.toml", tmp_path)
    (tmp_path / "page.html").write_text(
        "<html><body onload='x()'><script>alert(1)</script><nav id=a data-place=main><ul>"
        "<li><a href='javascript:alert(1)' onclick=go()>Fares</a>"
        "<li><a href=/x>Rides<iframe src=//bad.example></iframe></a></ul></nav>"
        "<form><button formaction=' javascript:x()'>Go</button></form></body></html>",
        "utf-8",
    )
    asked = ("convert", "page.html", "--from", "lists.toml", "--to", "lists.toml", "-o", "out")
    done = run(*asked, "-v")
    assert done.returncode == 0, done.stderr
    made = (tmp_path / "out").read_text("utf-8")
    for word in ("script", "onclick", "onload", "iframe", "formaction"):
        assert word not in made
    assert "<button>Go</button>" in made
    words = "formaction (1), iframe (1), onclick (1), onload (1), script (1)"
    assert words in " ".join(done.stdout.split())
    assert "link.script" in done.stdout


def test_html_there_and_back() -> None:
    text = (
        '<!DOCTYPE html>\n<html lang="en">\n  <body>\n'
        "    <p>one <b>two</b> &lt;three&gt; <i> four</i></p>\n"
        '    <pre>a\n  b</pre>\n    <img src="/x.png" alt="a &quot;b&quot;">\n  </body>\n</html>\n'
    )
    assert html.write(html.read(text.encode(), "x")).decode() == text
    link = b'    <li>\n      <a href="/a?b=1&amp;c=2">A</a>\n    </li>\n'
    part = b"<nav>\n  <ul>\n" + link + b"  </ul>\n</nav>\n"
    assert html.write(html.read(part, "x")) == part


def test_html_says_its_encoding() -> None:
    page = '<html><head><meta charset="iso-8859-1"></head><body>caf\xe9</body></html>'
    tree = html.read(page.encode("iso-8859-1"), "x")
    assert b"caf\xc3\xa9" in html.write(tree) and b'charset="utf-8"' in html.write(tree)
    with pytest.raises(FormatError, match="its bytes are UTF-8"):
        html.read(page.encode("utf-8"), "x")
    with pytest.raises(FormatError, match="not known"):
        html.read(b'<meta charset="klingon">', "x")


@given(st.text())
def test_any_text_is_some_html(text: str) -> None:
    try:
        tree = html.read(text.encode("utf-8", "replace"), "x")
    except FormatError:
        return
    again = html.write(tree)
    if again.strip():
        settled = html.write(html.read(again, "x"))
        assert html.write(html.read(settled, "x")) == settled


# Texts that are put together


@given(st.lists(st.text("ab!~ ", max_size=4), min_size=2, max_size=2))
def test_a_part_that_is_held_is_read_again(values: list[str]) -> None:
    for template in ("{a}!{b}", "<{a}~!{b}>", "{a}!!{b}"):
        composed = Composed(template)
        if all(composed.holds(part, v) for part, v in zip("ab", values, strict=True)):
            said = {part: v for part, v in zip("ab", values, strict=True) if v}
            assert composed.split(composed.join(said)) == said
    for template in ("{a}{b}", "a", "{a}!{a}", ""):
        with pytest.raises(ProfileError, match="cannot be written back"):
            Composed(template)
