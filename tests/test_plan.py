"""The plan: a draft changes nothing, each edit changes what it says, and mistakes have a line."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Run, link, quillmoor
from ypsiform.demo import DATA
from ypsiform.model import Site
from ypsiform.reading import read
from ypsiform.standins import CHECKERS


@pytest.fixture
def drafted(run: Run, tmp_path: Path) -> Path:
    """A folder with the draft of the demo's migration to stallmere."""
    for name in ("old.xml", "new.json"):
        (tmp_path / name).write_bytes((DATA / name).read_bytes())
    done = run("draft", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "plan")
    assert done.returncode == 0, done.stderr
    assert "convert --plan plan/migration.toml" in done.stderr
    return tmp_path / "plan"


def edit(folder: Path, before: str, after: str, name: str = "migration.toml") -> None:
    text = (folder / name).read_text("utf-8-sig" if name.endswith("csv") else "utf-8")
    assert text.count(before) == 1, (before, text.count(before))
    (folder / name).write_text(text.replace(before, after), "utf-8")


def item(folder: Path, ident: str, line: str) -> None:
    """Change the decision about one item or branch."""
    text = (folder / "migration.toml").read_text("utf-8")
    pattern = rf'(  id = "{ident}"\n)  \w+ = [^\n]*\n'
    assert len(re.findall(pattern, text)) == 1
    (folder / "migration.toml").write_text(re.sub(pattern, rf"\1  {line}\n", text), "utf-8")


def report(run: Run, folder: Path) -> dict[str, Any]:
    done = run("convert", "--plan", "plan/migration.toml", "--json", "--force")
    assert done.returncode == 0, done.stderr
    assert CHECKERS["stallmere"]((folder / "import.json").read_bytes()) == []
    made: dict[str, Any] = json.loads(done.stdout)
    assert made["audit"]["unreported"] == []
    return made


def codes(made: dict[str, Any]) -> list[tuple[str, str | None]]:
    return [(finding["code"], finding["item"]) for finding in made["findings"]]


def test_no_edit_changes_nothing(run: Run, drafted: Path, tmp_path: Path) -> None:
    for to, into in (("stallmere/plain", "new.json"), ("stallmere/broad", None), ("hugo", None)):
        more = ["--into", into] if into else []
        run("draft", "old.xml", "--to", to, *more, "-o", "other", "--force")
        by = run("convert", "--plan", "other/migration.toml", "-o", "by.x", "--force", "--json")
        assert by.returncode == 0, by.stderr
        alone = run("convert", "old.xml", "--to", to, *more, "-o", "alone.x", "--force", "--json")
        assert (tmp_path / "by.x").read_bytes() == (tmp_path / "alone.x").read_bytes()
        one, two = json.loads(by.stdout), json.loads(alone.stdout)
        assert one["findings"] == two["findings"] and one["matches"] == two["matches"]


def test_the_draft_says_why(drafted: Path) -> None:
    text = (drafted / "migration.toml").read_text("utf-8")
    for words in (
        "# “Main bar”: 45 items on 4 levels, shown at Upper row.",
        "takes over the menu 'main'",
        "The platform made it up by itself",
        "No location of the destination has the purpose and visitors of the old one",
        "points to the same place as “Passenger fares”",
        "Extra steps for visitors, for each option: lift -",
        "was cut to",
    ):
        assert words in text, words
    rows = list(csv.reader(io.StringIO((drafted / "links.csv").read_text("utf-8-sig"))))
    table = {row[0]: row for row in rows[1:]}
    assert table["10"] == [
        *("10", "page", "/sailings/", "Sailings", "Main bar; All pages", "page sailings", "title"),
        *("96", "page holiday-sailings (67)", ""),
    ]
    assert table["43"][5:8] == ["", "nothing matches", ""]
    assert table["54"][8].startswith("page west-winter (")


def test_the_draft_opens_in_a_spreadsheet(drafted: Path) -> None:
    data = (drafted / "links.csv").read_bytes()
    assert data.startswith(b"\xef\xbb\xbf") and data.count(b"\r\n") > 40


LONG = 'label = "What to do when your sailing is delayed…"'
Edit = Callable[[Path], None]
EDITS: dict[str, tuple[Edit, Callable[[dict[str, Any], dict[str, Any]], bool]]] = {
    "a menu is left behind": (
        lambda folder: edit(
            folder, 'id = "footer"\n# Somebody made it for the site.\nconvert = true',
            'id = "footer"\n# Somebody made it for the site.\nconvert = false',
        ),
        lambda made, said: ("menu.left", None) in codes(said)
        and not any(tree["title"] == "Footer links" for tree in made["trees"]),
    ),
    "a made-up menu is converted": (
        lambda folder: edit(folder, "convert = false", "convert = true"),
        lambda made, said: any(tree["key"] == "all-pages" for tree in made["trees"]),
    ),
    "another key": (
        lambda folder: edit(folder, 'key = "handset-2"', 'key = "for-handsets"'),
        lambda made, said: any(tree["key"] == "for-handsets" for tree in made["trees"]),
    ),
    "no location": (
        lambda folder: edit(folder, 'locations = ["header"]', "locations = []"),
        lambda made, said: ("place.left", None) in codes(said),
    ),
    "a branch is dropped": (
        lambda folder: item(folder, "101", 'depth = "drop"'),
        lambda made, said: ("depth.dropped", "101") in codes(said)
        and ("depth.lifted", "102") not in codes(said)
        and ("depth.lifted", "106") in codes(said),
    ),
    "a double is left out": (
        lambda folder: item(folder, "144", "keep = false"),
        lambda made, said: ("item.left", "144") in codes(said)
        and "What does it cost?" not in json.dumps(made),
    ),
    "another label": (
        lambda folder: edit(
            folder, 'label = "What to do when your sailing is delayed…"', 'label = "Delays"'
        ),
        lambda made, said: ("label.decided", "164") in codes(said)
        and ("label.cut", "164") not in codes(said) and '"Delays"' in json.dumps(made),
    ),
    "unmatched links keep their address": (
        lambda folder: edit(folder, 'unmatched = "none"', 'unmatched = "address"'),
        lambda made, said: "/fares/old-tariffs/" in json.dumps(made),
    ),
    "a link gets a content": (
        lambda folder: edit(
            folder, ",/fares/old-tariffs/,Old tariffs,Main bar,,",
            ",/fares/old-tariffs/,Old tariffs,Main bar,page fares,", "links.csv",
        ),
        lambda made, said: {"from": "43", "to": "fares", "kind": "page", "by": "table"}
        in said["matches"],
    ),
    "a link gets an address": (
        lambda folder: edit(
            folder, ",/fares/old-tariffs/,Old tariffs,Main bar,,",
            ",/fares/old-tariffs/,Old tariffs,Main bar,https://tariffs.example/,", "links.csv",
        ),
        lambda made, said: "https://tariffs.example/" in json.dumps(made)
        and any(code == "link.decided" for code, _ in codes(said)),
    ),
    "a link leads nowhere": (
        lambda folder: edit(folder, ",page contact,title,", ",none,title,", "links.csv"),
        lambda made, said: any(code == "link.decided" for code, _ in codes(said)),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", EDITS)
def test_each_edit_changes_what_it_says(run: Run, drafted: Path, name: str) -> None:
    before = report(run, drafted)
    change, holds = EDITS[name]
    change(drafted)
    after = report(run, drafted)
    made = json.loads((drafted / "import.json").read_bytes())
    assert holds(made, after), codes(after)
    assert codes(after) != codes(before) or after["matches"] != before["matches"] or made
    # Drafting again keeps the edit, and the result.
    done = run("draft", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "plan")
    assert done.returncode == 0, done.stderr
    again = report(run, drafted)
    assert json.loads((drafted / "import.json").read_bytes()) == made
    assert codes(again) == codes(after)


def test_drafting_again_keeps_the_earlier_files(run: Run, drafted: Path) -> None:
    text = (drafted / "migration.toml").read_text("utf-8")
    edited = text.replace("# Somebody", "# My own note. Somebody").replace(
        'id = "144"\n  keep = true', 'id = "144"\n  keep = false'
    )
    (drafted / "migration.toml").write_text(edited, "utf-8")
    arguments = ("draft", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "plan")
    assert run(*arguments).returncode == 0
    assert (drafted / "migration.toml.1").read_text("utf-8") == edited
    assert 'id = "144"\n  keep = false' in (drafted / "migration.toml").read_text("utf-8")
    assert not (drafted / "links.csv.1").exists()  # nothing in it has changed
    assert run(*arguments, "--force").returncode == 0
    assert (drafted / "migration.toml").read_text("utf-8") == text


def test_what_is_gone_and_what_is_new_is_said(run: Run, drafted: Path) -> None:
    edit(drafted, 'id = "footer"', 'id = "footnotes"')
    item(drafted, "168", "keep = true")
    edit(drafted, '  id = "168"', '  id = "999"')
    edit(drafted, "10,page,/sailings/", "9999,page,/sailings/", "links.csv")
    said = [(f["code"], f["before"]) for f in report(run, drafted)["findings"]]
    assert ("plan.gone", "the menu 'footnotes'") in said
    assert ("plan.gone", "the item '999' of 'main.bar'") in said
    assert ("plan.gone", "the page '9999'") in said
    assert ("plan.new", "the menu “Footer links”") in said


def spreadsheet(data: bytes, delimiter: str, quoting: int, bom: str, encoding: str) -> bytes:
    """A table as another program gives it back."""
    rows = csv.reader(io.StringIO(data.decode("utf-8-sig"), newline=""))
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, quoting=quoting, lineterminator="\n").writerows(rows)  # type: ignore[arg-type]
    return (bom + out.getvalue()).encode(encoding)


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("quoting", [csv.QUOTE_ALL, csv.QUOTE_MINIMAL])
@pytest.mark.parametrize(
    ("bom", "encoding"), [("\ufeff", "utf-8"), ("", "utf-8"), ("\ufeff", "utf-16-le")]
)
def test_a_table_comes_back_from_a_spreadsheet(
    run: Run, drafted: Path, delimiter: str, quoting: int, bom: str, encoding: str
) -> None:
    report(run, drafted)
    before = (drafted / "import.json").read_bytes()
    data = (drafted / "links.csv").read_bytes()
    (drafted / "links.csv").write_bytes(spreadsheet(data, delimiter, quoting, bom, encoding))
    report(run, drafted)
    assert (drafted / "import.json").read_bytes() == before


def test_ids_without_their_leading_zeros(run: Run, tmp_path: Path) -> None:
    text = DATA.joinpath("old.xml").read_text("utf-8")
    text = text.replace('page no="43"', 'page no="0043"').replace('page="43"', 'page="0043"')
    (tmp_path / "old.xml").write_text(text, "utf-8")
    (tmp_path / "new.json").write_bytes((DATA / "new.json").read_bytes())
    run("draft", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "plan")
    edit(tmp_path / "plan", "0043,page,/fares/old-tariffs/,Old tariffs,Main bar,,",
         "43,page,/fares/old-tariffs/,Old tariffs,Main bar,fares,", "links.csv")  # fmt: skip
    said = report(run, tmp_path / "plan")
    assert {"from": "0043", "to": "fares", "kind": "page", "by": "table"} in said["matches"]


@pytest.mark.parametrize(
    ("before", "after", "words"),
    [
        ("migration = 1", "migration = 2", "line 6: found migration = 2, but this version reads 1"),
        ("migration = 1", "migration =", "line 6, column 12: this is not TOML"),
        ('to = "stallmere/plain"', "to = 5", "line 9: found a whole number, expected a text"),
        ('to = "stallmere/plain"', 'too = "x"', "line 9: found the unknown key 'too'; did you"),
        ('unmatched = "none"', 'unmatched = "non"', "found unmatched 'non'; did you mean 'none'?"),
        ('id = "footer"', 'id = "main.bar"', "the menu 'main.bar' is decided about twice"),
        ('id = "footer"', 'name = "footer"', "found the unknown key 'name'"),
        ('key = "handset-2"', 'key = "Hand Set"', "'Hand Set' is not a legal key of a menu there"),
        ('key = "handset-2"', 'key = "main"', "the key 'main' is taken there already"),
        ('locations = ["header"]', 'locations = ["heade"]', "'heade'; did you mean 'header'?"),
        ('locations = ["header"]', 'locations = "header"', "found a text, expected a list"),
        ('locations = ["footer"]', 'locations = ["header"]', "is placed at 'header' already"),
        ('id = "105"\n  depth = "lift"', 'id = "105"\n  depth = "lft"', "found depth 'lft'; did"),
        ('id = "144"\n  keep = true', 'id = "144"\n  keep = "yes"', "a text, expected true or"),
        ('id = "144"\n  keep = true', 'id = "144"\n  kept = true', "'kept'; did you mean 'keep'?"),
        (LONG, f'label = "{"x" * 41}"', "41 characters, and 40 fit"),
        ('links = "links.csv"', 'links = "link.csv"', "there is no such file"),
    ],
)  # fmt: skip
def test_a_mistake_in_a_plan_has_its_line(
    run: Run, drafted: Path, before: str, after: str, words: str
) -> None:
    edit(drafted, before, after)
    done = run("convert", "--plan", "plan/migration.toml")
    assert done.returncode == 1 and words in done.stderr, done.stderr
    assert done.stderr.count("\n") == 1 and not (drafted / "import.json").exists()
    if "no such file" not in words:
        line = re.search(r"plan/migration\.toml, line (\d+)", done.stderr)
        assert line is not None, done.stderr
        text = (drafted / "migration.toml").read_text("utf-8").split("\n")[int(line[1]) - 1]
        assert after.split("\n")[-1].strip() in text or after.split("\n")[0] in text, text


@pytest.mark.parametrize(
    ("before", "after", "words"),
    [
        ("old id,kind", "old,kind", "line 1: the column 'old id' is missing"),
        (",page contact,title,", ",page contacts,title,", "'page contacts' is neither a content"),
        (",page contact,title,", ',page "contact,title,', ""),
    ],
)
def test_a_mistake_in_a_table_has_its_line(
    run: Run, drafted: Path, before: str, after: str, words: str
) -> None:
    edit(drafted, before, after, "links.csv")
    done = run("convert", "--plan", "plan/migration.toml")
    assert done.returncode == 1 and "plan/links.csv, line" in done.stderr, done.stderr
    assert words in done.stderr and done.stderr.count("\n") == 1


def test_a_key_that_many_contents_have(run: Run, drafted: Path, tmp_path: Path) -> None:
    new = json.loads((tmp_path / "new.json").read_bytes())
    new["stock"]["good"].append({"key": "contact", "title": "A card"})
    (tmp_path / "new.json").write_text(json.dumps(new), "utf-8")
    edit(drafted, ",page contact,title,", ",contact,title,", "links.csv")
    done = run("convert", "--plan", "plan/migration.toml")
    assert done.returncode == 1
    assert "'contact' could be page contact, product contact: write one of these" in done.stderr


def test_what_must_be_named(run: Run, tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text("migration = 1\n", "utf-8")
    for arguments, words in (
        ((), "name the export"),
        (("x.xml",), "--to"),
        (("x.xml", "--to", "csv"), "-o"),
        (("--plan", "p.toml"), "name the export"),
    ):
        done = run("convert", *arguments)
        assert done.returncode == 2 and words in done.stderr
    done = run("draft", "none.xml", "--to", "csv", "-o", "plan")
    assert done.returncode == 1 and not (tmp_path / "plan").exists()
    (tmp_path / "file").write_text("", "utf-8")
    (tmp_path / "old.xml").write_bytes((DATA / "old.xml").read_bytes())
    done = run("draft", "old.xml", "--to", "csv", "-o", "file")
    assert done.returncode == 1 and "this is a file; name a folder" in done.stderr


# Locations


def places(folder: Path, menu: str, names: str) -> None:
    """Change the decision about the locations of a menu."""
    path = folder / "migration.toml"
    text = path.read_text("utf-8")
    at = text.index(f'id = "{menu}"')
    after, count = re.subn(r"\nlocations = [^\n]*", f"\nlocations = {names}", text[at:], count=1)
    assert count == 1
    path.write_text(text[:at] + after, "utf-8")


def test_a_menu_that_is_moved_to_another_location(run: Run, drafted: Path) -> None:
    places(drafted, "footer", "[]")
    places(drafted, "handset", '["footer"]')
    made = report(run, drafted)
    found = {finding["code"]: finding for finding in made["findings"]}
    assert found["place.moved"]["before"] == "Pocket"
    assert (found["place.moved"]["after"], found["place.moved"]["outcome"]) == ("Footer", "moved")
    assert found["place.left"]["menu"] == "footer" and found["place.left"]["severity"] == "note"


def test_a_location_that_the_theme_must_declare(run: Run, tmp_path: Path) -> None:
    run("draft", "old.xml", "--to", "rowanbase/bare", "-o", "plan")
    folder = tmp_path / "plan"
    plan = (folder / "migration.toml").read_text("utf-8")
    assert "'member' would be a legal name" in plan.replace("\n# ", " ")
    places(folder, "member.bar", '["Crew & members"]')
    done = run("convert", "--plan", "plan/migration.toml", "-o", "new.db")
    assert done.returncode == 1 and "'crew_members' would be" in done.stderr
    line = int(done.stderr.split("line ")[1].split(":")[0])
    text = (folder / "migration.toml").read_text("utf-8")
    assert text.splitlines()[line - 1] == 'locations = ["Crew & members"]'
    places(folder, "member.bar", '["crew_members"]')
    done = run("convert", "--plan", "plan/migration.toml", "-o", "new.db", "--json")
    assert done.returncode == 0, done.stderr
    made = json.loads(done.stdout)
    assert CHECKERS["rowanbase"]((tmp_path / "new.db").read_bytes()) == []
    (step,) = [f for f in made["findings"] if f["code"] == "place.declare"]
    assert (step["after"], step["outcome"], step["severity"]) == ("crew_members", "by-hand", "high")
    assert made["facts"]["by-hand"] == 1 + 2, "the placement, and that two items are shown"
    menus = {menu["id"]: menu["written_as"] for menu in made["menus"]}
    assert menus["member.bar"] == ["crew_members"]


def test_a_location_that_another_theme_does_not_show(run: Run) -> None:
    done = run("convert", "old.xml", "--to", "quillmoor/slipway", "-o", "new.xml", "--json")
    steps = [f for f in json.loads(done.stdout)["findings"] if f["code"] == "place.declare"]
    assert [step["after"] for step in steps] == ["pocket"]


def test_a_bar_takes_over_the_bar_of_a_format_without_locations(run: Run, tmp_path: Path) -> None:
    (tmp_path / "hugo.toml").write_text(
        'baseURL = "https://new.skerryline.example/"\n'
        '[[menus.main]]\nname = "Welcome"\nurl = "/"\nweight = 1\n'
        '[[menus.legal]]\nname = "Imprint"\nurl = "/imprint"\nweight = 1\n'
    )
    options = ["--to", "hugo", "--into", "hugo.toml", "-o", "out.toml", "--json"]
    done = run("convert", "old.xml", *options)
    assert done.returncode == 0, done.stderr
    made = json.loads(done.stdout)
    menus = {menu["id"]: menu["written_as"] for menu in made["menus"]}
    assert menus["main.bar"] == ["main"] and menus["footer"] == ["foot"]
    replaced = [f for f in made["findings"] if f["code"] == "menu.replaced"]
    assert [f["labels"] for f in replaced] == [["Welcome"]]


# Suggestions


def test_what_comes_near_is_suggested_and_not_applied(run: Run, tmp_path: Path) -> None:
    options = ["--to", "stallmere/plain", "--into", "new.json", "-o", "out.json", "--json"]
    made = json.loads(run("convert", "old.xml", *options).stdout)
    near = [f for f in made["findings"] if f["code"] == "link.suggested"]
    unmatched = [f["before"] for f in made["findings"] if f["code"] == "link.unresolved"]
    assert near and {f["before"] for f in near} <= set(unmatched)
    summer = next(f for f in near if "Island summer" in f["before"])
    assert summer["after"].startswith("the page “Island map” (/read/map), 70 %")
    assert "the page “West route, summer” (/read/west-summer), 60 %" in summer["after"]
    taken = {match["to"] for match in made["matches"] if match["by"] != "table"}
    assert "west-summer" not in {m["to"] for m in made["matches"] if m["from"] == summer["item"]}
    assert taken


def test_the_page_of_a_plan_is_read_by_its_selector(run: Run, tmp_path: Path) -> None:
    (tmp_path / "page.html").write_text(
        "<html><body><nav><ul><li><a href='/x'>Wrong</a></ul></nav>"
        "<div class='top'><ul><li><a href='/fares'>Fares</a></ul></div></body></html>"
    )
    options = ["--nav", "div.top", "--to", "html", "--set", "page=yes", "--made-up"]
    done = run("draft", "page.html", *options, "-o", "plan")
    assert done.returncode == 0, done.stderr
    plan = (tmp_path / "plan/migration.toml").read_text("utf-8")
    assert 'nav = "div.top"' in plan and 'settings = { page = "yes" }' in plan
    assert "made-up = true" in plan
    done = run("convert", "--plan", "plan/migration.toml", "-o", "out.html")
    assert done.returncode == 0, done.stderr
    run("convert", "page.html", *options, "-o", "other.html")
    written = (tmp_path / "out.html").read_bytes()
    assert written == (tmp_path / "other.html").read_bytes()
    assert b"Fares" in written and b"Wrong" not in written and b"<body" in written


def test_a_plan_is_drafted_again_with_what_it_says(run: Run, drafted: Path, tmp_path: Path) -> None:
    edit(drafted, 'clash = "first"', 'clash = "merge"')
    text = (drafted / "migration.toml").read_text("utf-8")
    first = re.search(r"  keep = true", text)
    assert first is not None
    (drafted / "migration.toml").write_text(text.replace("keep = true", "keep = false", 1), "utf-8")
    text = (drafted / "migration.toml").read_text("utf-8")
    for name in ("plan", "plan/migration.toml"):
        done = run("draft", name)
        assert done.returncode == 0, done.stderr
        again = (drafted / "migration.toml").read_text("utf-8")
        assert re.findall(r"(?m)^[^#\n]+$", again) == re.findall(r"(?m)^[^#\n]+$", text)
    done = run("draft", "plan", "--depth", "auto", "-o", "other")
    assert done.returncode == 0, done.stderr
    other = (tmp_path / "other/migration.toml").read_text("utf-8")
    assert 'depth = "auto"' in other and 'clash = "merge"' in other
    assert other.count("keep = false") == text.count("keep = false") == 1
    assert run("draft", "old.xml", "--to", "hugo").returncode == 2
    (tmp_path / "empty.toml").write_text("migration = 1\n")
    assert "names no export" in run("draft", "empty.toml").stderr


def read_file(path: Path, to: str) -> Site:
    return read(path.read_bytes(), path.name, to)[0].site


OFF = quillmoor(
    link("1", address="/a", says="Summer", off=""),
    link("2", under="1", address="/b", says="Beach", off=""),
    link("3", address="/c", says="All year", seq="2"),
)


@pytest.mark.parametrize("to", ["stallmere/plain", "quillmoor/slipway", "csv"])
def test_what_is_switched_off_is_published_only_where_the_plan_says_so(
    run: Run, tmp_path: Path, to: str
) -> None:
    (tmp_path / "x.xml").write_bytes(OFF)
    assert run("draft", "x.xml", "--to", to, "-o", "plan").returncode == 0
    path = tmp_path / "plan/migration.toml"
    text = path.read_text("utf-8")

    def converted(**says: str) -> Any:
        words = text
        for ident, choice in says.items():
            start = f'  id = "{ident[1:]}"\n'
            keep = words.index("  publish = false", words.index(start))
            words = words[:keep] + choice + words[keep + len("  publish = false") :]
        path.write_text(words, "utf-8")
        return run("convert", "--plan", "plan/migration.toml", "--json", "--force")

    plain = json.loads(converted().stdout)
    assert plain["reachable"] == {"before": 1, "after": 1}
    done = converted(i1="  publish = true")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert ("item.published", "1") in codes(found) and found["reachable"]["after"] == 1
    again = read_file(tmp_path / "plan/import", to)
    shown = [item.label for item in again.menus[0].items if not item.hidden]
    assert shown == ["Summer", "All year"]


def test_nothing_is_published_below_what_stays_switched_off(run: Run, tmp_path: Path) -> None:
    (tmp_path / "x.xml").write_bytes(OFF)
    assert run("draft", "x.xml", "--to", "quillmoor/slipway", "-o", "plan").returncode == 0
    text = (tmp_path / "plan/migration.toml").read_text("utf-8")
    assert text.count("publish = false") == 2
    first, second, rest = text.split("publish = false")
    for words, said in (
        (f"{first}publish = false{second}publish = true{rest}", "which stays switched off"),
        (
            text.replace('id = "1"', 'id = "3"', 1).replace("publish = false", "publish = true", 1),
            "is not switched off",
        ),
    ):
        (tmp_path / "plan/migration.toml").write_text(words, "utf-8")
        done = run("convert", "--plan", "plan/migration.toml", "--force")
        assert done.returncode == 1 and said in done.stderr and "line " in done.stderr


def test_a_menu_that_its_key_places_cannot_be_placed_nowhere(run: Run, tmp_path: Path) -> None:
    """Where the key of a menu is its place, a plan that takes the place away is told so."""
    assert run("convert", "old.xml", "--to", "rowanbase/bare", "-o", "bars.db").returncode == 0
    words = 'migration = 1\nexport = "bars.db"\nto = "rowanbase"\noutput = "o.db"\n'
    (tmp_path / "m.toml").write_text(words + '[[menu]]\nid = "main"\nlocations = []\n', "utf-8")
    done = run("convert", "--plan", "m.toml")
    assert done.returncode == 1 and not (tmp_path / "o.db").exists()
    assert "m.toml, line 7: a menu of the key 'main' is shown at that location" in done.stderr
