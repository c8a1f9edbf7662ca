"""The page for the client: what it shows is what visitors see, and it stands alone."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import os
import re
import subprocess
import sys
from base64 import b64encode
from collections.abc import Iterable, Iterator
from pathlib import Path

import openpyxl
import pytest
from lxml import html
from PIL import Image

from tests.conftest import Run, link, quillmoor
from tests.judge import End
from tests.test_judge import DEMO, SIMULATED
from ypsiform import migrate
from ypsiform.demo import DATA
from ypsiform.errors import YpsiformError
from ypsiform.findings import CODES
from ypsiform.fit import Options
from ypsiform.look import both
from ypsiform.look.shown import Line, Place
from ypsiform.look.steps import PHASES, Step, steps
from ypsiform.migrate import convert
from ypsiform.profiles.load import parsed
from ypsiform.proof import Migration
from ypsiform.reading import read
from ypsiform.report import FORMS
from ypsiform.report.html import _all, surveyed, written
from ypsiform.report.table import COLUMNS
from ypsiform.report.xlsx import SHEETS
from ypsiform.standins.sites.shown import Visitor


def tree_of(text: str) -> html.HtmlElement:
    tree = html.document_fromstring(text)
    assert isinstance(tree, html.HtmlElement)
    return tree


HUGO = (Path(migrate.__file__).parent / "profiles/platforms/hugo.toml").read_text("utf-8")


def page_of(name: str, to: str) -> tuple[both.Both, html.HtmlElement, str]:
    done = convert((DATA / name).read_bytes(), name, to, from_=DEMO[name])
    text = written(done, "new", {"source": "0" * 64}, None).decode()
    return both.of_migration(done), tree_of(text), text


def labels(lines: Iterable[Line], visitor: Visitor) -> Iterator[str]:
    """What a visitor reads of items, from the first to the last."""
    for line in lines:
        if not any(visitor.may(who) and visitor.device in where for who, where in line.who):
            continue
        if line.kind in ("link", "heading") and line.label:
            yield " ".join(line.label.split())
        for stack in line.panel.stacks if line.panel is not None else ():
            yield from labels(stack.lines, visitor)
        yield from labels(line.below, visitor)


def seen_by(visitor: Visitor, place: Place) -> list[str]:
    there = visitor.may(place.audience) and visitor.device in place.devices
    return list(labels(place.lines, visitor)) if there else []


VISITORS = [
    Visitor(groups, device, "")
    for groups in (frozenset(), frozenset({"members"}), frozenset({"members", "agents"}))
    for device in ("desktop", "handset")
]


@pytest.mark.parametrize("to", SIMULATED)
@pytest.mark.parametrize("name", ["old.xml", "season.json"])
def test_what_the_page_shows_is_what_the_services_show(name: str, to: str) -> None:
    data = (DATA / name).read_bytes()
    done = convert(data, name, to, from_=DEMO[name])
    shown = both.of_migration(done)
    sides = ((shown.before, DEMO[name], data), (shown.after, to, done.data))
    for places, platform, file in sides:
        end = End.of(platform, file, declared=True)
        for visitor in VISITORS:
            there = end.seen(visitor)
            for place in places:
                theirs = [
                    one.label
                    for one in there
                    if one.place == place.name and one.role in ("link", "heading") and one.label
                ]
                assert seen_by(visitor, place) == theirs, (platform, place.name, visitor)


@pytest.mark.parametrize("to", ["stallmere/broad", "quillmoor/slipway", "csv"])
def test_the_page_stands_alone_and_its_links_lead_somewhere(to: str) -> None:
    seen, page, text = page_of("old.xml", to)
    assert not page.xpath("//@src | //link | //img | //iframe | //form | //@style | //@onclick")
    for name in ("style", "script"):
        [element] = page.iter(name)
        digest = b64encode(hashlib.sha256((element.text or "").encode()).digest()).decode()
        assert f"{name}-src 'sha256-{digest}'" in text
    assert "default-src 'none'" in text
    ids = page.xpath("//@id")
    assert len(ids) == len(set(ids))
    hrefs = page.xpath("//a/@href")
    assert hrefs and all(href[0] == "#" and href[1:] in ids for href in hrefs)
    for number in range(1, len(seen.findings) + 1):
        assert f"finding-{number}" in ids
    assert {"decide", "look", "by-hand", "links", "account"} <= {*ids}
    # Everything can be read without script: only what filters waits for it.
    boxes = page.xpath("//input[@type='search']")
    assert all(box.xpath("ancestor::*[contains(@class, 'needs-script')]") for box in boxes)


def test_texts_of_strangers_are_texts(tmp_path: Path, run: Run) -> None:
    bad = "&lt;/script>&lt;script>alert(1)&lt;/script>"
    file = quillmoor(
        link("1", says=bad, address="javascript:alert(1)"), link("2", seq="2", says="x{{ 7*7 }}")
    )
    (tmp_path / "old.xml").write_bytes(file)
    done = run("preview", "old.xml", "--to", "stallmere/plain", "-o", "page.html")
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "page.html").read_text("utf-8")
    page = tree_of(text)
    assert len(list(page.iter("script"))) == 1
    assert "<script>alert(1)" in page.text_content() and "<script>alert(1)" not in text
    assert "x{{ 7*7 }}" in page.text_content()
    assert not page.xpath("//@href[starts-with(., 'javascript')]")


def test_all_forms_have_the_same_findings_and_numbers(tmp_path: Path, run: Run) -> None:
    data = str(DATA / "old.xml")
    forms = ["a.html", "a.md", "a.csv", "a.json"]
    asked = [word for form in forms for word in ("--report", form)]
    into = ["--into", str(DATA / "new.json"), "--redirects-out", "moved.csv"]
    done = run("convert", data, "--to", "stallmere/broad", "-o", "out.json", *into, *asked)
    assert done.returncode == 0, done.stderr
    report = json.loads((tmp_path / "a.json").read_text("utf-8"))
    found = [one["why"] for one in report["findings"]]
    rows = list(csv.DictReader(io.StringIO((tmp_path / "a.csv").read_text("utf-8-sig"))))
    assert [row["why"].removeprefix("'") for row in rows] == found
    assert [int(row["number"]) for row in rows] == list(range(1, len(found) + 1))
    page = tree_of((tmp_path / "a.html").read_text("utf-8"))
    words = {
        one.get("id"): " ".join(one.text_content().split())
        for one in page.iter("div")
        if one.get("id")
    }
    for number, why in enumerate(found, 1):
        assert " ".join(why.split()) in words[f"finding-{number}"]
    note = re.sub(r"\\(.)", r"\1", (tmp_path / "a.md").read_text("utf-8"))
    assert all(" ".join(why.split()) in note for why in found)
    total = f"{report['facts']['total']:,} facts"
    assert total in note and total in page.text_content()
    moved = list(csv.reader(io.StringIO((tmp_path / "moved.csv").read_text("utf-8"))))
    assert moved[0] == ["old", "new"] and ["/sailings/", "/read/sailings"] in moved
    again = run(
        "convert",
        data,
        "--to",
        "stallmere/broad",
        "-o",
        "b.json",
        *into[:2],
        "--redirects",
        "moved.csv",
    )
    assert again.returncode == 0, again.stderr


def test_a_preview_of_an_export_alone_and_what_is_refused(tmp_path: Path, run: Run) -> None:
    done = run("preview", str(DATA / "season.json"), "-o", "page.html")
    assert done.returncode == 0 and "Open it in a browser" in done.stderr
    page = tree_of((tmp_path / "page.html").read_text("utf-8"))
    assert "Timetables" in page.text_content() and not page.xpath("//*[@id='links']")
    left = {one.name for one in tmp_path.iterdir()} - {one.name for one in DATA.iterdir()}
    assert left == {"page.html"}
    for asked, said in (
        (["-o", "page.html"], "exists already"),
        (["-o", "page.pdf"], "ends otherwise"),
        (["-o", "p.html", "--to", "nowhere"], "there is no platform"),
    ):
        wrong = run("preview", str(DATA / "season.json"), *asked)
        assert wrong.returncode in (1, 2) and said in wrong.stderr, wrong.stderr


def test_a_survey_is_written_in_every_form(tmp_path: Path, run: Run) -> None:
    data = str(DATA / "season.json")
    names = [f"a{ending}" for ending in FORMS]
    done = run("survey", data, *(word for name in names for word in ("--report", name)))
    assert done.returncode == 0 and f"Written: {', '.join(names)}" in done.stderr, done.stderr
    assert (tmp_path / "a.json").read_text("utf-8") == run("survey", data, "--json").stdout
    found = [f["why"] for f in json.loads((tmp_path / "a.json").read_text("utf-8"))["findings"]]
    assert "Timetables" in tree_of((tmp_path / "a.html").read_text("utf-8")).text_content()
    rows = list(csv.DictReader(io.StringIO((tmp_path / "a.csv").read_text("utf-8-sig"))))
    assert [row["why"].removeprefix("'") for row in rows] == found
    note = re.sub(r"\\(.)", r"\1", (tmp_path / "a.md").read_text("utf-8"))
    assert found and all(" ".join(why.split()) in note for why in found)
    book = openpyxl.load_workbook(tmp_path / "a.xlsx")
    assert book.sheetnames == ["summary", "findings", "menus"]
    assert "Timetables" in [row[2] for row in book["menus"].values]
    assert run("survey", data, "--report", "a.html").returncode == 1
    assert "ends otherwise" in run("survey", data, "--report", "a.pdf").stderr
    assert run("survey", data, "--report", data, "--force").returncode == 1


def test_a_very_deep_menu_is_shown_down_to_a_level(tmp_path: Path, run: Run) -> None:
    rows = "".join(f"m,{level},L{level},/p{level}\n" for level in range(1, 3001))
    (tmp_path / "deep.csv").write_text(f"menu,level,label,address\n{rows}", "utf-8")
    done = run("preview", "deep.csv", "--to", "csv", "-o", "page.html")
    assert done.returncode == 0, done.stderr
    text = tree_of((tmp_path / "page.html").read_text("utf-8")).text_content()
    assert "2,960 more, further down" in text


def test_a_workbook_has_the_findings_and_no_formula(tmp_path: Path, run: Run) -> None:
    said = [link("1", says="=1+1", address="/a"), link("2", seq="2", says="+47 22", address="/b")]
    (tmp_path / "old.xml").write_bytes(quillmoor(*said))
    asked = ["convert", "old.xml", "--to", "stallmere/plain", "-o", "out.json", "--force"]
    assert run(*asked, "--report", "a.xlsx", "--report", "a.csv").returncode == 0
    assert run(*asked, "--report", "b.xlsx").returncode == 0
    assert (tmp_path / "a.xlsx").read_bytes() == (tmp_path / "b.xlsx").read_bytes()
    book = openpyxl.load_workbook(tmp_path / "a.xlsx")
    assert book.sheetnames == [
        *("summary", "findings", "links", "menus before", "menus after", "steps")
    ]
    cells = [cell for sheet in book for row in sheet.iter_rows() for cell in row]
    assert "=1+1" in [cell.value for cell in cells] and "+47 22" in [cell.value for cell in cells]
    assert all(cell.data_type in ("s", "n") for cell in cells)
    table = list(csv.reader(io.StringIO((tmp_path / "a.csv").read_text("utf-8-sig"))))
    listed = [[str(cell or "") for cell in row] for row in book["findings"].values]
    assert [[cell.removeprefix("'") for cell in row] for row in table] == listed


def pictured(folder: Path, path: str) -> subprocess.CompletedProcess[str]:
    """A preview as a picture, with the browsers that are in a folder and no others."""
    asked = ["preview", str(DATA / "season.json"), "--png", "page.png", "--width", "400"]
    return subprocess.run(
        [sys.executable, "-m", "ypsiform", *asked],
        cwd=folder,
        env={**os.environ, "PATH": path},
        capture_output=True,
        text=True,
        check=False,
    )


def test_a_picture_is_taken_by_a_browser_that_is_there(tmp_path: Path) -> None:
    none = pictured(tmp_path, str(tmp_path / "nowhere"))
    assert none.returncode == 1 and "install Chromium" in none.stderr
    browser = tmp_path / "bin/chromium"
    browser.parent.mkdir()
    # A stand-in: it draws a band of ink on a high sheet where the picture is wanted.
    browser.write_text(
        f"#!{sys.executable}\n"
        "import sys\n"
        "from PIL import Image\n"
        "asked = dict(word.lstrip('-').partition('=')[::2] for word in sys.argv[1:])\n"
        "assert 'no-sandbox' not in asked and sys.argv[-1].startswith('file:///')\n"
        "sheet = Image.new('RGB', tuple(map(int, asked['window-size'].split(','))), 'white')\n"
        "sheet.paste('black', (0, 100, 50, 160))\n"
        "sheet.save(asked['screenshot'])\n",
        "utf-8",
    )
    browser.chmod(0o755)
    done = pictured(tmp_path, str(browser.parent))
    assert done.returncode == 0, done.stderr
    with Image.open(tmp_path / "page.png") as taken:
        assert taken.size == (400, 200)  # what is blank below the ink is cut, but for a margin
    browser.write_text("#!/bin/sh\necho 'No usable sandbox!' >&2; exit 1\n", "utf-8")
    (tmp_path / "page.png").unlink()
    wrong = pictured(tmp_path, f"{browser.parent}:/bin:/usr/bin")
    assert wrong.returncode == 1 and "use an account that is not root" in wrong.stderr
    assert not (tmp_path / "page.png").exists()


# What is to be done by hand


def todo(done: Migration) -> dict[str, list[Step]]:
    return dict(steps(done, 0))


def test_steps_come_in_their_order_with_files_and_reasons() -> None:
    old, new = ((DATA / name).read_bytes() for name in ("old.xml", "new.json"))
    done = convert(old, "old.xml", "stallmere/plain", into=(new, "new.json"))
    found = steps(done, 2)
    assert [when for when, _ in found] == ["before", "after", "look", "later"]
    [moved] = [one for one in dict(found)["before"] if one.code == "step.file"]
    file = "files/conditions-of-carriage.pdf"
    there = f"https://skerryline.stallmere.example/{file}"
    assert moved.files == [(f"https://old.skerryline.example/{file}", there)]
    after = [one.code for one in dict(found)["after"]]
    assert after[0] == "place.not-offered" and "" in after
    assert after.index("label.cut") < after.index("trait.icon")  # what weighs more comes first
    for _, some in found:
        for one in some:
            assert len(one.findings) == len(one.numbers) and "--" not in one.do
            for number, why in zip(one.numbers, one.why(), strict=True):
                finding = done.findings[number - 1]
                assert (finding.code, finding.why) == (one.code, why)


def test_files_of_pictures_have_to_be_moved_where_they_are_written() -> None:
    data = (DATA / "season.json").read_bytes()
    told = {}
    for to in ("stallmere/broad", "stallmere/plain"):
        notes = [f for f in convert(data, "s", to).findings if f.code == "step.file"]
        told[to] = [label for note in notes for label in note.labels]
    assert told == {"stallmere/broad": ["/files/haldrun-beach.jpg"], "stallmere/plain": []}


def test_what_only_some_items_need_is_said_only_for_them() -> None:
    plain = quillmoor(link("1", address="/a"))
    for data, needed in ((plain, set()), ((DATA / "season.json").read_bytes(), {"icon", "badge"})):
        first = todo(convert(data, "x", "hugo")).get("before", [])
        said = [one.do for one in first if one.code == "step.requires"]
        assert {
            word for word in ("icon", "badge", "picture") for do in said if word in do
        } == needed
    with pytest.raises(YpsiformError, match="line 8: found 'icons'; did you mean 'icon'"):
        parsed(HUGO.replace('when = ["icon"]', 'when = ["icons"]'), "hugo.toml")


def test_every_form_has_its_columns_in_the_documentation() -> None:
    words = (Path(__file__).parents[1] / "docs/reading-the-report.md").read_text("utf-8")
    said = {*re.findall(r"`([^`]+)`", words)}
    assert {*COLUMNS} <= said
    assert {*SHEETS} <= said and {name for head in SHEETS.values() for name in head} <= said
    assert {*PHASES} <= said and {"old", "new"} <= said
    assert {*FORMS} <= {f".{one.rpartition('.')[2]}" for one in said if "." in one}


# A great many items


def table_of_many(count: int) -> bytes:
    """A bar of so many items on two levels, of which every second one has a description."""
    rows = (
        f"header,{1 + (n % 5 > 0)},L{n},/p/{n},{'say' if n % 2 else ''}\n" for n in range(count)
    )
    return f"menu,level,label,address,description\n{''.join(rows)}".encode()


def test_of_a_great_many_items_one_tree_stands_for_both_sides() -> None:
    there = b'<nav id="header"><a href="/own">Their own</a></nav>'
    data = table_of_many(both.MANY + 200)
    done = convert(
        data, "t.csv", "html", into=(there, "there.html"), options=Options(clash="merge")
    )
    assert both.of_migration(done).merged
    text = written(done, "o", {}, None).decode()
    page = tree_of(text)
    frame = page.xpath("//*[contains(@class, 'frame')]")[0]
    said = [" ".join(one.text.split()) for one in frame.iter("li") if (one.text or "").strip()]
    labels = [words.split(" · ")[0] for words in said]
    assert labels == [f"L{n}" for n in range(both.MANY + 200)]
    ids = {*page.xpath("//@id")}
    hrefs = page.xpath("//a/@href")
    assert all(href[1:] in ids for href in hrefs)
    lost = [n for n, one in enumerate(done.findings, 1) if one.code == "trait.description"]
    assert len(lost) == (both.MANY + 200) // 2
    shown = {href for href in hrefs if href.startswith("#finding-")}
    assert {f"#finding-{number}" for number in lost} <= shown
    backs = {href for href in hrefs if href.startswith("#before-")}
    assert len(backs) == len(lost)
    # A sentence stands once for its group, and what each is about stands at each.
    assert text.count("lost its description") == 1 + 6  # the account, by hand
    assert all(f'id="finding-{number}"' in text for number in lost)


def test_a_page_of_few_items_and_one_of_many_tell_the_same_changes() -> None:
    counts = []
    for limit in (both.MANY, 10):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(both, "MANY", limit)
            old, new = ((DATA / name).read_bytes() for name in ("old.xml", "new.json"))
            done = convert(old, "old.xml", "stallmere/plain", into=(new, "new.json"))
            seen = both.of_migration(done)
            assert seen.merged is (limit == 10)
            after = {line.row: line for place in seen.after for line in _all(place.lines)}
            told = {}
            for line in (one for place in seen.before for one in _all(place.lines)):
                there = done.audited.there[line.row]
                own = after[there].changes if there in after and not seen.merged else ()
                told[line.row] = {*line.changes, *own} - {"newly shown"}
            counts.append(told)
            if seen.merged:
                only = [line.label for line in after.values()]
                assert "Summer timetable" not in only
    assert counts[0] == counts[1]


@pytest.mark.parametrize("to", ["stallmere/plain", "quillmoor/slipway", "fanlight"])
@pytest.mark.parametrize("name", ["old.xml", "season.json"])
def test_the_page_is_written_for_clients(name: str, to: str) -> None:
    """No option, code or name of ours stands in its text, and one is said as one."""
    _, page, _ = page_of(name, to)
    for element in page.xpath("//style | //script"):
        element.drop_tree()
    words = " ".join(page.text_content().split())
    for wrong in ("--", "`", "None", "True", "[]", to, *CODES):
        assert wrong not in words, wrong
    assert not re.search(r"\b1 (?:items|menus|pages|columns|links|labels|facts|addresses)\b", words)
    assert not re.search(r"\b(?:[2-9]|\d\d+) (?:item|menu|page|column|link|label|fact)\b", words)


def test_a_panel_that_is_too_wide_is_said() -> None:
    for columns, words in ((1, ""), (3, "more than a handset of 390"), (6, "a screen of 1,280")):
        panel = {
            "columns": [
                {"blocks": [{"block": "links", "items": [at]}]} for at in range(1, columns + 1)
            ]
        }
        label = "A label of quite some width in a column"
        none = {"kind": "none"}
        items = [{"number": 0, "label": "Top", "target": none, "panel": panel}] + [
            {"number": at, "label": label, "target": none, "under": 0}
            for at in range(1, columns + 1)
        ]
        text = json.dumps(
            {
                "ypsiform": 1,
                "platform": "ypsiform",
                "menus": [{"id": "m", "key": "m", "title": "M", "items": items}],
                "locations": [{"name": "a", "caption": "A", "menus": ["m"], "panels": True}],
            }
        )
        surveyed_, _ = read(text.encode(), "d.json")
        page = surveyed(surveyed_, {}).decode()
        said = re.findall(r"\(side by side[^)]*\)", page)
        assert len(said) == bool(words) and words in "".join(said)


def test_how_a_submenu_opens_stands_beside_it(tmp_path: Path, run: Run) -> None:
    rows = "m,1,Isles,/isles,press\nm,2,North,/north,\nm,1,Fares,/fares,hover\n"
    (tmp_path / "t.csv").write_text(f"menu,level,label,address,opens\n{rows}", "utf-8")
    assert run("preview", "t.csv", "-o", "page.html").returncode == 0
    page = tree_of((tmp_path / "page.html").read_text("utf-8"))
    notes = [one.text_content() for one in page.xpath("//*[@class='extra']")]
    assert notes == ["opens when it is pressed"]  # nothing opens below the other one


def test_of_a_great_many_groups_the_rest_stand_together(tmp_path: Path, run: Run) -> None:
    rows = "".join(f"m,1,L{n},/p/{n},role{n}\n" for n in range(400))
    rows += "m,1,All,/all,\n" + "".join(f"m,1,M{n},/m/{n},often\n" for n in range(3))
    (tmp_path / "t.csv").write_text(f"menu,level,label,address,audience\n{rows}", "utf-8")
    assert run("preview", "t.csv", "-o", "page.html").returncode == 0
    text = (tmp_path / "page.html").read_text("utf-8")
    page = tree_of(text)
    names = [one.getparent().text_content().strip() for one in page.xpath("//*[@name='who']")]
    assert len(names) == both.MOST_PEOPLE + 2 and len(text) < 600_000
    assert names[0] == "a guest" and names[-1] == "any other group" and "often" in names
    # What is for a group that is not named is there for the rest, and not for a guest.
    other = next(n for n in range(400) if f"role{n}" not in names)
    for label, missing in ((f"L{other}", {0, 1}), ("All", set()), ("M1", {0, len(names) - 1})):
        [item] = [i for i in page.iter("li") if i.text_content().startswith(f"{label}/")]
        hidden = {int(word.split("-")[1]) for word in (item.get("class") or "").split()}
        assert missing <= hidden, label
        assert (len(names) - 1 in hidden) is (label == "M1") and (label != "All" or not hidden)
