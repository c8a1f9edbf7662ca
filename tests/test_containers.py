"""Spreadsheets, dumps of SQL, lines of JSON, Markdown, rows that are lists, values of PHP."""

from __future__ import annotations

import zipfile
from datetime import date, datetime
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook

from tests.conftest import Run
from ypsiform.containers import container, lines, markdown, sniff, sql, xlsx
from ypsiform.errors import FormatError, RefusedError
from ypsiform.migrate import convert
from ypsiform.model import Item
from ypsiform.profiles.load import parsed
from ypsiform.profiles.serialised import unserialised
from ypsiform.reading import read

PROFILE = """
profile = 1
id = "odd"
name = "Odd"
container = "{container}"
{more}
site = {{}}
menus = {menus}
locations = {{ form = "names", open = true }}
[items]
{at}
tie = {tie}
fields = {{ {label} }}
[[items.kinds]]
when = {{}}
kind = "address"
address = "{url}"
none = ""
"""

FLAT = '{ structure = "parent", id = "id", menu = "bar", under = "up", order = "seq" }'
NUMBERS = 'numbers = ["id", "up", "seq"]'
TREE: list[tuple[str, list[Any]]] = [
    ("main", [("Islands", "/islands", [("Haldrun", "/islands/haldrun", [])])])
]
TREE.append(("foot", [("Contact", "/contact", [])]))


def profile(**words: str) -> str:
    """A profile of one sample; what is not said is that of flat records."""
    said = {"more": "", "menus": "{}", "at": "", "tie": FLAT, "label": 'label = "name"'}
    return PROFILE.format(**{**said, "url": "to", **words})


def rows() -> list[dict[str, Any]]:
    """Records of the menus of `TREE`, with values of several types beside them."""
    return [
        {"id": 1, "bar": "main", "seq": 1, "name": "Islands", "to": "/islands", "on": True},
        {"id": 2, "bar": "main", "up": 1, "seq": 1, "name": "Haldrun", "to": "/islands/haldrun"},
        {"id": 3, "bar": "foot", "seq": 1, "name": "Contact", "to": "/contact", "rate": 1.5},
    ]


DUMP = """-- dump of a database
SET names utf8;
CREATE TABLE public.nav (id integer, bar text, up integer DEFAULT 0, seq int, name varchar(40),
  "to" text, PRIMARY KEY (id));
INSERT INTO public.nav VALUES (1,'main',NULL,1,'Islands','/islands'),
  (2, 'main', 1, 1, E'Hal\\u0064run' , '/islands/haldrun') ON CONFLICT DO NOTHING;
COPY nav (id, bar, up, seq, name, "to") FROM stdin;
3\tfoot\t\\N\t1\tContact\t/contact
\\.
INSERT INTO log VALUES (now(), x'00ff', 'it''s; (a) -- text');
"""

LISTS = """# main

- [Islands](/islands "All of them")
  - [Haldrun](/islands/haldrun)

## foot

* [Contact](/contact)

Some words that are no menu.
"""

IN_LISTS = (
    '{ at = "menus", fields = { key = "title" } }',
    '{ structure = "nested", inside = "items" }',
)

SAMPLES: dict[str, tuple[bytes, str]] = {
    "lines": (
        lines.write(rows()),
        profile(
            container="lines",
            more='recognise = { keys = ["#list"] }',
            at=f'at = "#list"\n{NUMBERS}',
        ),
    ),
    "xlsx": (
        xlsx.write({"Nav": rows(), "#above": {"Nav": [["Old site, all menus"]]}}),
        profile(
            container="xlsx", more='recognise = { keys = ["Nav"] }', at=f'at = "Nav"\n{NUMBERS}'
        ),
    ),
    "sql": (
        DUMP.replace("\\u0064", "d").encode(),
        profile(
            container="sql",
            more='read-only = "a dump"\nrecognise = { keys = ["nav"] }',
            at='at = "nav"',
        ),
    ),
    "markdown": (
        LISTS.encode(),
        profile(
            container="markdown",
            more='recognise = { keys = ["menus"] }',
            menus=IN_LISTS[0],
            tie=IN_LISTS[1],
            label='label = "label", tooltip = "hint"',
            url="url",
        ),
    ),
    "json": (
        b'{"result": {"columns": ["id", "bar", "up", "seq", "name", "to"], "rows": ['
        b'[1, "main", null, 1, "Islands", "/islands"],'
        b'[2, "main", 1, 1, "Haldrun", "/islands/haldrun"], [3, "foot", null, 1, "Contact", '
        b'"/contact"]]}}',
        profile(
            container="json",
            more='recognise = { keys = ["result"] }\n'
            'grids = [{ at = "result/rows", columns = "result/columns" }]',
            at='at = "result/rows"\nnumbers = ["id", "up", "seq"]\nblanks = ["up"]',
        ),
    ),
}


def outline(items: list[Item]) -> list[Any]:
    """Labels, addresses and nesting."""
    return [(item.label, item.target.address, outline(item.children)) for item in items]


@pytest.mark.parametrize("name", SAMPLES)
def test_a_file_is_read_and_written_back(run: Run, tmp_path: Path, name: str) -> None:
    data, text = SAMPLES[name]
    (tmp_path / "p.toml").write_text(text, "utf-8")
    (tmp_path / "sample").write_bytes(data)
    site = read(data, "sample", parsed(text, "p.toml"))[0].site
    assert [(menu.key, outline(menu.items)) for menu in site.menus] == TREE
    done = run("profile", "check", "p.toml", "sample")
    assert done.returncode == 0, done.stdout + done.stderr
    if name == "sql":
        assert "Such files are only read: a dump" in done.stdout
    elif name != "markdown":  # whose list starts with another mark
        assert "says the same, value for value" in done.stdout, done.stdout
    made = run("convert", "sample", "--from", "p.toml", "--to", "stallmere", "-o", "out.json")
    assert made.returncode == 0, made.stderr
    if name != "sql":
        back = run("convert", "out.json", "--from", "stallmere", "--to", "p.toml", "-o", "back")
        assert back.returncode == 0, back.stderr
        again = read((tmp_path / "back").read_bytes(), "back", parsed(text, "p.toml"))[0].site
        found = sorted(outline(menu.items) for menu in again.menus)
        assert found == sorted(items for _, items in TREE)


def test_what_a_container_leaves_out_is_said(run: Run, tmp_path: Path) -> None:
    for name, words in (("sql", "made of bytes"), ("markdown", "paragraphs")):
        (tmp_path / "p.toml").write_text(SAMPLES[name][1], "utf-8")
        (tmp_path / "sample").write_bytes(SAMPLES[name][0])
        done = run("survey", "sample", "--from", "p.toml")
        assert done.returncode == 0 and words in done.stdout, done.stdout + done.stderr


def test_what_a_file_is_shows_in_its_first_characters() -> None:
    for name, (data, _) in SAMPLES.items():
        assert sniff(data, "x") == {"markdown": "text"}.get(name, name)
    for text in ("--- \ntitle: x\n---\n", "SET: 1\n", "insert: into\n", "a,b\nINSERT INTO x\n"):
        assert sniff(text.encode(), "x") == "text"
    assert sniff(b'{"a": 1}', "x") == "json"
    with zipfile.ZipFile(BytesIO(), "w") as packed:
        packed.writestr("notes/xl/workbook.xml.txt", "")
        packed.close()


def test_cells_of_a_spreadsheet_stay_what_they_are() -> None:
    row = {"a": "=1+1", "b": 3, "c": 1.25, "d": True, "e": date(2026, 3, 1), "g": "007"}
    row["f"] = datetime(2026, 3, 1, 14, 30)
    data = xlsx.write({"One": [row], "#columns": {"One": ["a", "b"]}})
    assert data == xlsx.write(xlsx.read(data, "x"))
    (found,) = xlsx.read(data, "x")["One"]
    assert found == row and [type(v) for v in found.values()] == [type(row[key]) for key in found]
    book = load_workbook(BytesIO(data))  # another reader sees a text, and no formula
    assert book["One"]["A2"].data_type == "s" and book["One"]["E2"].is_date


def test_headers_of_sheets() -> None:
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    for cells in (["Export", None], [], [None, "Level 1", " Level  2 "], [1, "A", None, "beyond"]):
        sheet.append(cells)
    sheet.merge_cells("B4:B5")
    sheet["C5"] = "B"
    out = BytesIO()
    book.save(out)
    tree = xlsx.read(out.getvalue(), "x")
    assert tree["Sheet"] == [
        {"(A)": 1, "Level 1": "A", "(D)": "beyond"},
        {"Level 2": "B"},
    ]
    assert tree["#above"] == {"Sheet": [["Export"], []]}
    assert xlsx.read(xlsx.write(tree), "x") == tree


def workbook(change: dict[str, bytes]) -> bytes:
    """A spreadsheet with some of its files changed."""
    made = BytesIO()
    with (
        zipfile.ZipFile(BytesIO(xlsx.write({"A": [{"a": "1", "b": "2"}]}))) as old,
        zipfile.ZipFile(made, "w") as new,
    ):
        for name in old.namelist():
            new.writestr(name, change.get(name, old.read(name)))
    return made.getvalue()


def formula() -> bytes:
    """A spreadsheet with a formula that nobody worked out."""
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["a", "b"])
    sheet.append(["x", "=1+1"])
    out = BytesIO()
    book.save(out)
    return out.getvalue()


SHEET = "xl/worksheets/sheet1.xml"
BOMB = b'<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><worksheet>&b;</worksheet>'


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("xlsx", formula(), "Sheet, B2: there is a formula that nobody worked out"),
        ("xlsx", workbook({SHEET: BOMB}), f"{SHEET}: it declares a document type"),
        ("xlsx", workbook({SHEET: "<a/>".encode("utf-16")}), "is no text in UTF-8"),
        ("xlsx", workbook({SHEET: b"<worksheet"}), "this spreadsheet is damaged"),
        ("xlsx", workbook({})[:400], "damaged"),
        ("sql", b"CREATE TABLE a (b int", "line 1: a bracket is not closed"),
        ("sql", b"INSERT INTO a VALUES (1, 'x);", "line 1: a text has no end"),
        ("sql", b"INSERT INTO a (b, c)\nVALUES (1);", "line 2: found 1 values for 2 columns"),
        (
            "sql",
            b"CREATE TABLE a (b int);\nCOPY a FROM stdin;\n1\n",
            "the rows of the table 'a' have no end",
        ),
        ("sql", b"COPY a FROM stdin WITH csv;\n1\n\\.\n", "as text only"),
        ("sql", b"-- a dump\nSET x = 1;\n", "no table is made or filled"),
        ("sql", b"INSERT INTO a VALUES (1", "a row has no end"),
        ("sql", b"INSERT INTO a VALUES (f((1), 2);", "a row has no end"),
        ("sql", b"INSERT INTO a VALUES ($x$ abc);", "begins with $x$ has no end"),
        ("sql", b"INSERT INTO `a VALUES (1);", "has no end"),
        ("lines", b'{"a": 1}\n{"a": }\n', "line 2, column 7: this is not JSON"),
        ("lines", b'{"a": 1}\n\n[1]\n', "line 3: found a list where a mapping is needed"),
        ("lines", b"\n \n", "nothing but blank space"),
        ("lines", b'{"a": ' + b"[" * 600 + b"]" * 600 + b"}\n", "nested more than 500 levels"),
        ("markdown", b"Only words.\n", "there is no list in it"),
        ("markdown", b"- " + b"[" * 100_000, "nested too deep"),
        ("markdown", b"> " * 5000 + b"x\n", "nested too deep"),
        ("markdown", b"- a\n" * 5_000_000, "16 MB at most"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_damaged_and_hostile_files(name: str, data: bytes, words: str) -> None:
    with pytest.raises(FormatError) as caught:
        container(name).read(data, "x")
    assert words in str(caught.value), caught.value


@pytest.mark.parametrize(
    ("name", "tree", "words"),
    [
        ("sql", {}, "never written"),
        ("xlsx", {"a/b": []}, "no sheet can be called"),
        ("xlsx", {"A": [{"a": [1]}]}, "a single value"),
        ("xlsx", {"A": [{"a": "x" * 40_000}]}, "32,767 characters"),
        ("xlsx", {"A": [{"a": "x"}, {"a": "\x01"}]}, r"cannot hold '\\x01'"),
        ("xlsx", {"A": [{"a": 10**400}]}, "no number of so many digits"),
        ("front", {"#body": 5}, "is a text"),
        ("markdown", {"menus": [{"items": [{"label": "a", "icon": "b"}]}]}, "no place for 'icon'"),
    ],
)
def test_what_a_container_cannot_write(name: str, tree: Any, words: str) -> None:
    with pytest.raises(RefusedError, match=words):
        container(name).write(tree)


@pytest.mark.parametrize(
    ("statement", "row"),
    [
        (r"INSERT INTO `a` VALUES ('It\'s; \"b\"\\', 1)", {"x": 'It\'s; "b"\\', "y": 1}),
        ("INSERT INTO `a` (y) VALUES (-2.5)", {"y": -2.5}),
        ("INSERT INTO [dbo].[a] (x, y) VALUES (N'it''s', NULL)", {"x": "it's"}),
        ('INSERT INTO "s"."a" (x) VALUES (\'c:\\dir\')', {"x": "c:\\dir"}),
        ("INSERT INTO a (x, y) VALUES ('1'::text, 7::bigint)", {"x": "1", "y": 7}),
        ("INSERT INTO a (x, y) VALUES ($q$it's$q$, TRUE)", {"x": "it's", "y": True}),
        ("INSERT INTO a (x, y) VALUES (/* c */ 'v' -- w\n, '3')", {"x": "v", "y": 3}),
        ("REPLACE INTO a VALUES (CONCAT('a', ')'), 0x1F)", {}),
        ("COPY a (x, y) FROM stdin;\na\\tb\\x41\t9\n\\.\n", {"x": "a\tbA", "y": 9}),
    ],
)
def test_statements_of_a_dump(statement: str, row: dict[str, Any]) -> None:
    dump = f"CREATE TABLE a (x varchar(9) DEFAULT ';)', y int, KEY k (x));\n{statement};\n"
    assert sql.read(dump.encode(), "x")["a"] == [row]


def test_lines_keep_what_json_keeps() -> None:
    data = b'{"a": 1, "a": 2, "big": 123456789012345678901234567890, "h": "\\ud800"}\n{}\n'
    tree = lines.read(data, "x")
    assert lines.read(lines.write(tree), "x") == tree and lines.write(tree).count(b"\n") == 2
    assert tree[0].others == [("a", 1)] and lines.read(lines.write(tree), "x")[0].others


WORDS = st.text(
    st.characters(
        min_codepoint=32, exclude_categories=["Cs"], exclude_characters="\x7f\x85\u2028\u2029\ufffd"
    ),
    max_size=12,
)


def entry(inner: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    """An item of a list; one without a label has an address."""
    link = {"label": WORDS, "url": WORDS.map(str.strip)}
    items = {"items": st.lists(inner, min_size=1, max_size=3)}
    label = st.fixed_dictionaries({"label": WORDS.filter(bool)}, optional=items)
    return label | st.fixed_dictionaries(link, optional={"hint": WORDS.filter(bool), **items})


@settings(max_examples=300, deadline=None)
@given(st.lists(st.recursive(entry(st.nothing()), entry, max_leaves=8), min_size=1), WORDS)
def test_markdown_is_read_as_it_was_written(items: list[Any], title: str) -> None:
    title = title.strip()
    tree = {"menus": [{"title": title, "items": items} | ({} if title else {"level": 0})]}
    assert markdown.read(markdown.write(tree), "x") == tree


def test_a_hint_in_markdown_without_an_address() -> None:
    tree = {"menus": [{"title": "", "items": [{"label": "Isles", "hint": "All"}], "level": 0}]}
    [item] = markdown.read(markdown.write(tree), "a.md")["menus"][0]["items"]
    assert item == {"label": "Isles", "url": "", "hint": "All"}


def test_addresses_in_markdown_are_not_touched() -> None:
    text = "---\nlang: en\n---\n- [a](https://bücher.example/ä?q=%20)\n- [b](<javascript:x>) - c\n"
    tree = markdown.read(text.encode(), "x")
    (first, second) = tree["menus"][0]["items"]
    assert first["url"] == "https://bücher.example/ä?q=%20" and tree["front"] == "lang: en\n"
    assert second == {"label": "b", "url": "javascript:x", "note": "- c"}
    assert markdown.read(markdown.write(tree), "x") == tree


GRID = profile(
    container="json",
    more='recognise = {{ keys = ["t"] }}\ngrids = [{{ at = "t", {columns} }}]'.replace(
        "{{", "{"
    ).replace("}}", "}"),
    tie='{ structure = "level", number = "n", menu = "m" }',
    at='at = "t"',
).replace("{columns}", "%s")


@pytest.mark.parametrize(
    ("columns", "data", "words"),
    [
        ("", b'{"t": [["n", "m", "name", "to"], ["1", "main", "A", "/a"]]}', ""),
        (
            'columns = "c", name = "f"',
            b'{"c": [{"f": "n"}, {"f": "m"}, {"f": "name"}], "t": [["1", "main", "A"]]}',
            "",
        ),
        ("", b'{"t": [["n", "n"]]}', "t/0: a column is there twice"),
        ("", b'{"t": [["n"], ["1", "2"]]}', "t/1: found 2 values for 1 columns"),
        ("", b'{"t": [["n"], {"n": "1"}]}', "t/1: found no list of values"),
        ('columns = "c"', b'{"t": [["1"]]}', "c: found no list of columns"),
        ("", b'{"t": {}}', "t: found no list where rows are needed"),
    ],
)
def test_rows_that_are_lists(columns: str, data: bytes, words: str) -> None:
    text = GRID.replace('t", %s', f't", {columns}' if columns else 't"')
    found = parsed(text, "p.toml")
    if words:
        with pytest.raises(FormatError) as caught:
            read(data, "x", found)
        assert words in str(caught.value)
        return
    surveyed, _ = read(data, "x", found)
    assert outline(surveyed.site.menus[0].items)[0][0] == "A" and not surveyed.site.extras
    done = convert(data, "x", found, from_=found)
    assert outline(read(done.data, "y", found)[0].site.menus[0].items)[0][0] == "A"


@pytest.mark.parametrize(
    ("text", "value"),
    [
        (
            'a:3:{s:3:"url";s:2:"/a";s:3:"new";b:1;i:7;d:1.5;}',
            {"url": "/a", "new": True, "7": 1.5},
        ),
        ('a:2:{i:0;s:3:"\u00e9x";i:1;N;}', ["\u00e9x", None]),
        ('O:4:"Link":1:{s:7:"\0*\0path";s:1:"/";}', {"path": "/"}),
        ('a:1:{s:9:"url";s:2:"/a";}', None),
        ("a:1:{i:0;r:1;}", None),
        ("a:1:{" * 200, None),
        ("a: plain words", None),
    ],
)
def test_values_of_php(text: str, value: Any) -> None:
    assert unserialised(text) == (text if value is None else value)


def test_values_of_php_in_a_table(run: Run, tmp_path: Path) -> None:
    text = profile(
        container="csv",
        more='read-only = "as it comes"\nrecognise = { columns = ["bar"] }',
        at='at = "rows"\nserialised = ["more"]',
        tie='{ structure = "level", number = "n", menu = "bar" }',
        url="more/url",
    )
    table = 'bar,n,name,more\nmain,1,Islands,"a:1:{s:3:""url"";s:8:""/islands"";}"\n'
    site = read(table.encode(), "x.csv", parsed(text, "p.toml"))[0].site
    assert outline(site.menus[0].items) == [("Islands", "/islands", [])]
    (tmp_path / "p.toml").write_text(text.replace('read-only = "as it comes"\n', ""), "utf-8")
    done = run("profile", "check", "p.toml")
    assert done.returncode == 1 and "values of PHP are read and never written" in done.stderr
