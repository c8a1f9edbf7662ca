"""The first look at exports of further usual shapes: all of them are read exactly."""

from __future__ import annotations

import json
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
from openpyxl import Workbook

import ypsiform.first_profile
from tests.conftest import Run
from ypsiform.containers import container
from ypsiform.errors import FormatError, YpsiformError
from ypsiform.first_profile import First, first_profile
from ypsiform.guess import Draft
from ypsiform.migrate import convert
from ypsiform.model import Item
from ypsiform.profiles.load import parsed

ROOMS: dict[str, list[Any]] = {
    "Rooms": ["/rooms", ["Single", "Double"]],
    "Single": ["/rooms/single", []],
    "Double": ["/rooms/double", ["Sea view"]],
    "Sea view": ["/rooms/double/sea", []],
    "Dining": ["/dining", []],
}
MAIN = [("Rooms", ["Single", ("Double", ["Sea view"])]), "Dining"]
FOOT = ["Contact", "Imprint"]
LEVELS = {"Rooms": "1", "Single": "1.1", "Double": "1.2", "Sea view": "1.2.1", "Dining": "2"}
ABOVE = {"Single": 1, "Double": 1, "Sea view": 3}


def tree(items: list[Item]) -> list[Any]:
    """The labels of items, with those below each."""
    return [(item.label, tree(item.children)) if item.children else item.label for item in items]


def looked(data: Any, name: str) -> First:
    """The first profile of an export."""
    return first_profile(data if isinstance(data, bytes) else json.dumps(data).encode(), name)


def menus(first: First) -> list[Any]:
    return [tree(menu.items) for menu in first.surveyed.site.menus]


def rows(**say: Any) -> list[dict[str, Any]]:
    """Records of the main menu, each with what these functions say of its label and number."""
    return [
        {"title": label, "to": to, **{key: tell(label, at) for key, tell in say.items()}}
        for at, (label, (to, _)) in enumerate(ROOMS.items(), 1)
    ]


def foot(**say: Any) -> list[dict[str, Any]]:
    """Records of the footer, all at the top."""
    return [
        {"title": label, "to": f"/{label.lower()}", **{key: tell(at) for key, tell in say.items()}}
        for at, label in enumerate(FOOT, 1)
    ]


def level(label: str, _: int) -> int:
    return LEVELS[label].count(".") + 1


TIED = {
    "levels": (rows(level=level), foot(level=lambda _: 1)),
    "outlines": (rows(no=lambda label, _: LEVELS[label]), foot(no=str)),
    "parents": (
        rows(id=lambda _, at: at, parent=lambda label, _: ABOVE.get(label)),
        foot(id=lambda at: at, parent=lambda _: None),
    ),
    "bounds": (
        rows(
            lft=lambda label, _: {"Single": 2, "Double": 4, "Sea view": 5, "Dining": 9}.get(
                label, 1
            ),
            rgt=lambda label, _: {"Rooms": 8, "Single": 3, "Double": 7, "Sea view": 6}.get(
                label, 10
            ),
        ),
        foot(lft=lambda at: 2 * at - 1, rgt=lambda at: 2 * at),
    ),
}


@pytest.mark.parametrize("name", TIED)
@pytest.mark.parametrize("form", ["records", "by name", "at the top"])
def test_flat_records_in_each_menu(name: str, form: str) -> None:
    """Numbers count anew in each menu: what ties records is asked in each of them."""
    main, end = TIED[name]
    documents: dict[str, Any] = {
        "records": {"menus": [{"name": "main", "all": main}, {"name": "foot", "all": end}]},
        "by name": {"menus": {"main": main, "foot": end}},
        "at the top": {"main": main, "foot": end, "of": "a house"},
    }
    found = looked(documents[form], "x.json")
    assert menus(found) == [MAIN, FOOT], found.text
    # And another site can be written into it.
    profile = parsed(found.text, "p.toml")
    made = convert(b"menu,level,label,address\nmain,1,A,/a\nmain,2,B,/a/b\n", "t.csv", profile)
    assert tree(made.written.menus[0].items) == [("A", ["B"])]


def test_numbers_that_may_tie_are_marked_and_flags_are_not() -> None:
    main = [
        {"a": at, "b": ABOVE.get(label, 0), "title": label, "to": f"/{at}x"}
        for at, label in enumerate(ROOMS, 1)
    ]
    end = [{"a": at, "b": 0, "title": label, "to": f"/y{at}"} for at, label in enumerate(FOOT, 1)]
    found = looked(
        {"menus": [{"name": "main", "all": main}, {"name": "foot", "all": end}]}, "x.json"
    )
    said = " ".join(line.lstrip("# ") for line in found.text.splitlines())
    assert "UNCERTAIN" in said and "; but 3 values of 'b' are ids of other records" in said
    flags = [{**row, "b": at % 2} for at, row in enumerate(main)]
    found = looked(
        {"menus": [{"name": "main", "all": flags}, {"name": "foot", "all": end}]}, "x.json"
    )
    assert menus(found) == [[*ROOMS], FOOT] and "values of 'b'" not in found.text


def book(**sheets: list[list[Any]]) -> bytes:
    made = Workbook()
    del made["Sheet"]
    for name, held in sheets.items():
        sheet = made.create_sheet(name)
        for row in held:
            sheet.append(row)
    out = BytesIO()
    made.save(out)
    return out.getvalue()


def test_sheets_that_are_a_menu_each() -> None:
    head = ["Level 1", "Level 2", "Level 3", "URL", "Note"]
    main: list[list[Any]] = [["Navigation, state of March"], [], head]
    for label, (to, _) in ROOMS.items():
        cells: list[Any] = [None, None, None, to, "check" if label == "Dining" else None]
        cells[LEVELS[label].count(".")] = label
        main.append(cells)
    end: list[list[Any]] = [head, *([label, None, None, f"/{label.lower()}"] for label in FOOT)]
    found = looked(book(Header=main, Footer=end, Legend=[["Colours"], ["red"]]), "x.xlsx")
    assert menus(found) == [MAIN, FOOT] and not found.uncertain, found.text
    assert [menu.key for menu in found.surveyed.site.menus] == ["Header", "Footer"]


def test_numbers_of_an_outline_may_leave_some_out() -> None:
    numbers = ["1", "1.1", "1.2", "1.2.1", "2", "2.1", "10"]
    lines = [f"{no}\tPage {chr(65 + at)}\t/{at}" for at, no in enumerate(numbers)]
    found = looked("\n".join(["No.\tCaption\tAddress", *lines, ""]).encode(), "x.tsv")
    wanted = [("Page A", ["Page B", ("Page C", ["Page D"])]), ("Page E", ["Page F"]), "Page G"]
    assert menus(found) == [wanted]


NODES = {label: {"label": label, "link": to, "kids": below} for label, (to, below) in ROOMS.items()}


@pytest.mark.parametrize("listed", [True, False])
def test_records_that_list_each_other_in_the_one_menu(listed: bool) -> None:
    """Where the document lists the topmost ones, others are in no menu."""
    nodes = {**NODES, "Old": {"label": "Old", "link": "/old", "kids": []}} if listed else NODES
    held = {"root": ["Rooms", "Dining"], "nodes": nodes} if listed else {"nodes": nodes}
    found = looked({"menu": {"id": "m", "tree": held}}, "x.json")
    assert menus(found) == [MAIN], found.text


def test_labels_for_each_language_in_elements() -> None:
    say = "<label xml:lang='en'>{0}</label><label xml:lang='nb'>{0} (nb)</label><to>{1}</to>"
    items = "".join(
        f"<entry id='e{at}'{' up=' + repr(f'e{ABOVE[label]}') if label in ABOVE else ''}>"
        + say.format(label, to)
        + "</entry>"
        for at, (label, (to, _)) in enumerate(ROOMS.items(), 1)
    )
    found = looked(f"<nav><all>{items}</all></nav>".encode(), "x.xml")
    assert menus(found) == [MAIN], found.text
    assert dict(found.surveyed.site.menus[0].items[1].translations) == {"nb": "Dining (nb)"}


def test_pages_for_each_language() -> None:
    """That of the first one is the item's own; the others are told, and the reading is marked."""
    items = [
        {"title": {"en": label, "de": f"{label} (de)"}, "path": {"en": to, "de": f"/de{to}"}}
        for label, (to, _) in ROOMS.items()
    ]
    found = looked({"nav": items}, "x.json")
    assert found.surveyed.site.menus[0].items[0].target.address == "/rooms"
    assert "UNCERTAIN: it leaves links unread" in found.text


def test_windows_are_told_by_their_word() -> None:
    main = [
        {**row, "tgt": "_blank" if row["title"] == "Dining" else ""} for row in TIED["levels"][0]
    ]
    one = {"key": "m1", "called": "Main things", "all": main}
    other = {"key": "m2", "called": "Others", "all": TIED["levels"][1]}
    found = looked({"menus": [one, other]}, "x.json")
    menu = found.surveyed.site.menus[0]
    assert menu.items[1].traits.window == "new" and menu.title == "Main things", found.text


def test_texts_of_windows_and_tables_that_say_their_delimiter(run: Run, tmp_path: Path) -> None:
    text = (
        "sep=;\r\nMenü;Ebene;Bezeichnung;Ziel\r\nKopf;1;Führungen;/f\r\nKopf;2;Für Schulen;/f/s\r\n"
    )
    (tmp_path / "t.csv").write_bytes(text.encode("cp1252"))
    done = run("survey", "t.csv")
    assert done.returncode == 0 and "Führungen" in done.stdout
    assert "read as Windows-1252: “Menü”" in " ".join(done.stdout.split())
    csv = container("csv")
    assert csv.write(csv.read(text.encode(), "x")) == text.replace("\r\n", "\n").encode().replace(
        b"sep=;\n", b"sep=;\r\n"
    )
    with pytest.raises(FormatError, match="line 3: found 3 cells"):
        csv.read(b"sep=;\na;b\n1;2;3\n", "x")
    with pytest.raises(FormatError, match="0x81 is not valid"):
        csv.read(b"a;b\n\x81;2\n", "x")
    with pytest.raises(FormatError, match="should be UTF-8"):
        csv.read(b"a;b\n\xfc\x00;2\n", "x")


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("m.php", "<?php return ['a' => 1];", "a program in PHP"),
        ("m.js", "// menus\nexport default { nav: [] }", "a program in JavaScript"),
        ("m.js", "module.exports = {}", "a program in JavaScript"),
        ("m.json", '/* menus */\n{ "a": [1, ] }', "JSON with comments"),
    ],
)
def test_what_is_no_data_is_called_by_its_name(
    run: Run, tmp_path: Path, name: str, text: str, words: str
) -> None:
    (tmp_path / name).write_text(text)
    for command in (("survey", name), ("profile", "new", name, "-o", "p.toml")):
        done = run(*command)
        assert done.returncode == 1 and f"{name}: this is {words}" in done.stderr, done.stderr


PAGES = [
    ("Boats", "", "/boats"),
    ("Sails", "Boats", "/boats/sails"),
    ("Jibs", "Sails", "/boats/sails/jibs"),
    ("Oars", "Boats", "/boats/oars"),
    ("Lessons", "", "/lessons"),
    ("Beginners", "Lessons", "/lessons/beginners"),
    ("About", "", "/about"),
]
BOATS = [("Boats", [("Sails", ["Jibs"]), "Oars"]), ("Lessons", ["Beginners"]), "About"]
NUMBER = {label: at for at, (label, _, _) in enumerate(PAGES, 1)}


def test_parents_named_by_words_that_stand_once_in_each_menu() -> None:
    lines = [f"Main,{label},{up},{to}" for label, up, to in PAGES]
    lines += ["Foot,About,,/about", "Foot,Boats,,/boats", "Foot,Terms,About,/terms"]
    found = looked("\n".join(["Menu,Title,Parent title,Link", *lines, ""]).encode(), "x.csv")
    assert menus(found) == [BOATS, [("About", ["Terms"]), "Boats"]], found.text


def test_marks_in_capitals_are_no_menus() -> None:
    lines = [
        f"{label},{to},{NUMBER.get(up, '')},{NUMBER[label]},Main,{'TRUE' if up else 'FALSE'}"
        for label, up, to in PAGES
    ]
    head = "Title,URL,Parent ID,ID,Menu Name,Opens in new tab"
    found = looked("\n".join([head, *lines, ""]).encode(), "x.csv")
    assert menus(found) == [BOATS], found.text
    menu = found.surveyed.site.menus[0]
    assert menu.key == "Main" and menu.items[0].children[0].traits.window == "new"


def test_a_field_for_the_next_sibling_orders_nothing() -> None:
    records: list[dict[str, Any]] = [
        {"id": NUMBER[label], "name": label, "to": to, "up": NUMBER.get(up)}
        for label, up, to in PAGES
    ]
    for at, record in enumerate(records):
        behind = (other["id"] for other in records[at + 1 :] if other["up"] == record["up"])
        record["behind"] = next(behind, None)
    assert menus(looked({"links": records}, "x.json")) == [BOATS]


def test_what_counts_the_records_is_no_level() -> None:
    """Lists of all that stands above are not read: nothing is said of levels, and it is marked."""
    above: dict[str, list[int]] = {"": []}
    records = []
    for label, up, to in PAGES:
        above[label] = [*above[up], NUMBER[label]]
        records.append({"id": NUMBER[label], "name": label, "to": to, "ways": above[up]})
    found = looked({"links": records}, "x.json")
    assert menus(found) == [[label for label, _, _ in PAGES]]
    assert "UNCERTAIN: nothing says what stands below what; but" in found.text


def test_a_table_of_all_ways_is_no_table_of_items() -> None:
    above: dict[str, list[int]] = {"": []}
    for label, up, _ in PAGES:
        above[label] = [*above[up], NUMBER[label]]
    links = ",".join(f"({NUMBER[label]},'{label}','{to}')" for label, _, to in PAGES)
    ways = ",".join(
        f"({one},{held[-1]},{len(held) - at})"
        for held in list(above.values())[1:]
        for at, one in enumerate(held, 1)
    )
    text = (
        "CREATE TABLE link (id int, label text, url text);\n"
        "CREATE TABLE way (top int, end_ int, depth int);\n"
        f"INSERT INTO link VALUES {links};\nINSERT INTO way VALUES {ways};\n"
    )
    found = looked(text.encode(), "x.sql")
    assert menus(found) == [[label for label, _, _ in PAGES]] and found.uncertain


def test_entries_without_a_wrapper_around_what_is_below_them() -> None:
    def held(above: str) -> list[Any]:
        return [
            {"link": {"text": label, "url": to}, "more": {"all": below} if below else None}
            for label, up, to in PAGES
            if up == above
            for below in [held(label)]
        ]

    assert menus(looked({"bar": {"all": held("")}}, "x.json")) == [BOATS]


def test_words_of_states() -> None:
    """Of a page they say whether it is public, of an item whether it is shown; else it is told."""
    contents = [
        {"no": 100 + NUMBER[label], "path": to, "headline": f"{label}!", "state": "Published"}
        for label, _, to in PAGES
    ]
    contents[2]["state"] = "Draft"
    records: list[dict[str, Any]] = [
        {"id": NUMBER[label], "up": NUMBER.get(up), "page": 100 + NUMBER[label], "caption": label}
        for label, up, _ in PAGES
    ]
    found = looked({"pages": contents, "links": records}, "x.json")
    assert menus(found) == [BOATS], found.text
    codes = {one.code: one for one in found.surveyed.findings}
    assert codes["read.gone"].path == ("Boats", "Sails", "Jibs") and "read.extra" not in codes
    for record, (_, _, to) in zip(records, PAGES, strict=True):
        record |= {"to": to, "status": "entwurf" if record["id"] == 3 else "aktiv"}
        del record["page"]
    found = looked({"links": records}, "x.json")
    hidden = found.surveyed.site.menus[0].items[0].children[0].children[0]
    assert hidden.hidden and hidden.label == "Jibs", found.text
    records[5]["status"] = "privat"
    found = looked({"links": records}, "x.json")
    (told,) = [one for one in found.surveyed.findings if one.code == "read.extra"]
    assert told.severity == "medium" and "that says what visitors may see" in told.why


def test_elements_of_any_xml_in_an_element_called_nav(run: Run, tmp_path: Path) -> None:
    text = (
        "<nav><group label='Boats' href='/boats'><link label='Sails' href='/boats/sails'/>"
        "<group label='More boats'><link label='Oars' href='/boats/oars'/></group></group>"
        "<link label='About' href='/about'/></nav>"
    )
    wanted = [("Boats", ["Sails", ("More boats", ["Oars"])]), "About"]
    assert menus(looked(text.encode(), "x.xml")) == [wanted]
    (tmp_path / "x.xml").write_text(text)
    assert "of no platform that Ypsiform knows" in run("survey", "x.xml").stderr
    (tmp_path / "x.html").write_text("<html><header><nav id='menu'></nav></header><p>x</p></html>")
    done = run("survey", "x.html")
    assert done.returncode == 1 and "no link in the navigation of this page" in done.stderr


def test_columns_without_a_name(run: Run, tmp_path: Path) -> None:
    lines = [f"{label},{up},{to},," for label, up, to in PAGES]
    text = "\n".join(["Title,Under,Link,,", *lines, ""])
    assert menus(looked(text.encode(), "x.csv")) == [BOATS]
    with pytest.raises(FormatError, match="line 3: a cell is in a column without a name"):
        container("csv").read(b"a,,\n1,,\n2,,x\n", "x")


SPOKEN = """
profile = 1
id = "spoken"
name = "Spoken"
container = "json"
recognise = { keys = ["entries"] }
site = {}
menus = {}
locations = { form = "names", open = true }
[items]
at = "entries"
numbers = ["id", "up", "entry"]
tie = { structure = "parent", id = "id", under = "up", menu = "menu" }
[[items.joins]]
at = "words"
on = "entry"
name = "says"
only = { lang = "en" }
language = "lang"
[items.fields]
label = "says/text"
tooltip = "says/hint"
translations = "says/text@*"
[[items.kinds]]
when = {}
kind = "address"
address = "to"
none = ""
"""


def test_a_table_of_labels_for_each_language(run: Run, tmp_path: Path) -> None:
    """Read, found by a first profile, and written: a row for each item and language."""
    lines = "CREATE TABLE entry (id int, up int, url text);\n"
    lines += "CREATE TABLE entry_text (entry int, lang text, title text);\n"
    rows = [f"({NUMBER[label]},{NUMBER.get(up, 'NULL')},'{to}')" for label, up, to in PAGES]
    words = [f"({NUMBER[label]},'en','{label}')" for label, _, _ in PAGES]
    words += [f"({NUMBER[label]},'nb','{label} (nb)')" for label, _, _ in PAGES if label != "Oars"]
    lines += f"INSERT INTO entry VALUES {','.join(rows)};\n"
    lines += f"INSERT INTO entry_text VALUES {','.join(words)};\n"
    found = looked(lines.encode(), "x.sql")
    assert menus(found) == [BOATS] and not found.uncertain, found.text
    top = found.surveyed.site.menus[0].items
    assert dict(top[0].translations) == {"nb": "Boats (nb)"} and not top[0].children[1].translations
    profile = parsed(SPOKEN, "p.toml")
    data = convert(lines.encode(), "x.sql", profile, from_=parsed(found.text, "q.toml")).data
    written = json.loads(data)
    assert {(row["lang"], row["text"]) for row in written["words"] if row["entry"] == 1} == {
        ("en", "Boats"),
        ("nb", "Boats (nb)"),
    }
    # What is written is read as it was, and stays where another menu comes to it.
    again = convert(data, "y.json", profile, from_=profile)
    assert again.audited.facts["kept"] == again.audited.facts["total"]
    more = b"menu,level,label,address\nside,1,A,/a\n"
    both = convert(more, "t.csv", profile, into=(data, "y.json"))
    assert [tree(menu.items) for menu in both.written.menus] == [BOATS, ["A"]]
    with pytest.raises(YpsiformError, match=r"line .*: say in `only` which 'lang'"):
        parsed(SPOKEN.replace('only = { lang = "en" }\n', ""), "p.toml")


def test_a_name_stands_for_an_address_or_for_what_is_below_it() -> None:
    def held(above: str) -> list[Any]:
        return [{label: held(label) or to} for label, up, to in PAGES if up == above]

    found = looked({"nav": held("")}, "x.json")
    assert menus(found) == [BOATS], found.text
    table = b"menu,level,label,address\nmain,1,A,/a\nmain,2,B,/a/b\n"
    made = convert(table, "t.csv", parsed(found.text, "p.toml"))
    assert tree(made.written.menus[0].items) == [("A", ["A", "B"])]
    assert "kind.parent" in {one.code for one in made.findings}


def test_records_that_are_known_by_their_addresses_are_read() -> None:
    pages = {to: {"headline": f"{label} for all"} for label, _, to in PAGES}
    found = looked({"pages": pages}, "x.json")
    assert menus(found) == [[f"{label} for all" for label, _, _ in PAGES]] and found.uncertain
    assert parsed(found.text, "p.toml").read_only == "records are known by their addresses"


def test_no_sound_profile_is_said_without_lines_that_nobody_has_seen(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(ypsiform.first_profile, "draft", lambda *_: Draft("profile = 2\n", 0))
    monkeypatch.setattr(ypsiform.first_profile, "drafts", lambda *_: [])
    with pytest.raises(FormatError, match=r"^x.json: no profile that reads it was found; the"):
        looked({"pages": []}, "x.json")
