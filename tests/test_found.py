"""Files that once ended in a traceback, in a fault, or took too long: none does any more."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from tests.conftest import Run
from ypsiform import migrate
from ypsiform.demo import DATA
from ypsiform.errors import AuditError, YpsiformError
from ypsiform.fit import Options
from ypsiform.guess import draft
from ypsiform.migrate import convert
from ypsiform.model import Item, Links
from ypsiform.profiles.load import load, parsed
from ypsiform.reading import all_findings, read

FOUND = sorted(path for path in (Path(__file__).parent / "found").iterdir())
PLACES = [
    *("stallmere/broad", "stallmere/terrace", "quillmoor/breakwater", "arborcote/ridge"),
    *("tilewick/gable", "fanlight", "rowanbase/bare", "hugo", "csv", "html", "jsonapi"),
    *("opml", "jsonld", "sitemap/inventory", "ypsiform"),
]
REFUSED = {
    "database-genrule.db": "the column 'gen' is generated",
    "database-gen.db": "is generated, and such tables are refused",
    "bz2bad.zip": "this zip is damaged",
    "lzmabad.zip": "this zip is damaged",
    "brackets.txt": "nested more than 500 levels",
    "hugo-bigint.toml": "a whole number of more than 600 digits",
    "hugo-nan.yaml": "the number .nan cannot be held",
    "hugo-tagf2.yaml": "does not fit",
}


def tried(data: bytes, file: str, to: str, **more: object) -> None:
    try:
        convert(data, file, to, **more)  # type: ignore[arg-type]
    except AuditError as error:
        raise AssertionError((to, error.problems[:3])) from None
    except YpsiformError as error:
        assert str(error) and "Traceback" not in str(error)


@pytest.mark.parametrize("path", FOUND, ids=lambda path: path.name)
def test_what_was_found_is_read_or_refused(path: Path) -> None:
    data, started = path.read_bytes(), time.process_time()
    if path.suffix == ".toml" and path.name.startswith("profile-"):
        with pytest.raises(YpsiformError, match="line "):
            parsed(data.decode(), path.name)
        return
    try:
        surveyed, _ = read(data, path.name)
        all_findings(surveyed)
    except YpsiformError as error:
        assert path.name not in REFUSED or REFUSED[path.name] in str(error), error
        try:
            text = draft(data, path.name).text
        except YpsiformError:
            return
        tried(data, path.name, "csv", from_=None)
        parsed(text, "made.toml")
        return
    assert path.name not in REFUSED
    own = surveyed.site.platform
    forms = [{"form": form} for form in ("toml", "yaml", "json")] if own == "hugo" else [{}]
    for settings in forms:
        tried(data, path.name, own, settings=settings)
    for to in PLACES:
        tried(data, path.name, to)
        if path.name.startswith("document-"):
            tried(data, path.name, to, options=Options(depth="auto"))
    if not load(own).read_only:
        tried((DATA / "old.xml").read_bytes(), "old.xml", own, into=(data, path.name))
        tried(data, path.name, own, into=(data, path.name))
    assert time.process_time() - started < 60


def test_flat_tables_are_described_and_written_back(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes((Path(__file__).parent / "found/flat-table.csv").read_bytes())
    assert run("profile", "new", "t.csv", "-o", "p.toml").returncode == 0
    done = run("profile", "check", "p.toml", "t.csv")
    assert done.returncode == 0, done.stderr


def test_short_rows_of_the_table_of_links(run: Run, tmp_path: Path) -> None:
    assert run("draft", "old.xml", "--to", "stallmere", "-o", "plan").returncode == 0
    links = tmp_path / "plan/links.csv"
    links.write_text("match,old id,kind\nnone,10\nnone\n,,\nnone,999,page\n", "utf-8")
    done = run("convert", "--plan", "plan", "-v")
    assert done.returncode == 0 and "the content '10'" in done.stdout, done.stderr


LABELS = """
profile = 1
id = "labels"
name = "Labels"
container = "sqlite"
recognise = { keys = ["nav_node"] }
site = {}
locations = { form = "names", open = true }
[menus]
at = "."
one = "main"
[items]
at = "nav_node"
tie = { structure = "labels", number = "lineage", between = "/" }
fields = { icon = "icon" }
[[items.kinds]]
when = {}
kind = "none"
"""


@pytest.mark.parametrize(
    "name", ["children-before-parents", "group-without-a-record", "groups-behind-their-children"]
)
def test_lineages_read_as_labels_stand_once(name: str, tmp_path: Path) -> None:
    """A record whose children come first is their parent, and is written and read again."""
    file = f"rowanbase-{name}.db"
    data = (Path(__file__).parent / "found" / file).read_bytes()
    (tmp_path / "made.toml").write_text(LABELS, "utf-8")
    by = str(tmp_path / "made.toml")
    done = convert(data, file, by, from_=by)
    labels = [thing.label for thing in done.source.rows.things if isinstance(thing, Item)]
    assert labels.count("641719033") == 1 and len(labels) == len(set(labels))


def test_what_a_wrong_profile_writes_is_told_as_its_fault(run: Run, tmp_path: Path) -> None:
    """A profile that reads one place twice is named; nothing is kept."""
    text = (Path(migrate.__file__).parent / "profiles/platforms/jsonld.toml").read_text("utf-8")
    text = text.replace('id = "jsonld"', 'id = "twice"').replace('"@context"', '"@graph"')
    (tmp_path / "twice.toml").write_text(text, "utf-8")
    done = run("convert", "old.xml", "--to", "twice.toml", "-o", "o.json")
    assert (done.returncode, "Look at the profile of 'twice'" in done.stderr) == (1, True), done
    assert not (tmp_path / "o.json").exists()


def test_a_menu_that_leaves_a_place_which_it_alone_names(run: Run, tmp_path: Path) -> None:
    done = run("convert", "old.xml", "--to", "quillmoor/slipway", "-o", "q.xml")
    assert done.returncode == 0 and b'shown-at="pocket"' in (tmp_path / "q.xml").read_bytes()
    for place in ("extra", ""):
        named = f'"{place}"' if place else ""
        (tmp_path / "p.toml").write_text(
            'migration = 1\nto = "quillmoor/slipway"\n[[menu]]\nid = "handset"\nconvert = true\n'
            f"locations = [{named}]\n"
        )
        again = run("convert", "q.xml", "--plan", "p.toml", "-o", "o.xml", "--force")
        assert again.returncode == 0, again.stderr
        text = (tmp_path / "o.xml").read_text("utf-8")
        assert 'shown-at="pocket"' not in text and (f'shown-at="{place}"' in text) is bool(place)


def test_a_list_of_addresses_that_was_empty_gets_those_of_the_site() -> None:
    empty = b'<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"/>'
    old = (DATA / "old.xml").read_bytes()
    done = convert(old, "old.xml", "sitemap", into=(empty, "there"))
    assert b"<loc>https://old.skerryline.example/" in done.data


def test_a_pane_whose_links_are_all_left_out_gets_no_heading() -> None:
    """What stands below an item that is switched off goes with it, and the pane holds nothing."""
    data = (Path(__file__).parent / "found/document-pane-of-what-is-left-out.json").read_bytes()
    done = convert(data, "x", "stallmere/broad", options=Options(depth="columns", made_up=True))
    things = [thing for thing in read(done.data, "o")[0].rows.things if isinstance(thing, Item)]
    blocks = [b for t in things if t.panel for c in t.panel.columns for b in c.blocks]
    headings = [b.heading.label for b in blocks if isinstance(b, Links) and b.heading]
    assert headings and not [label for label in headings if label.startswith("Long")]


def test_keys_that_the_destination_had_stay_though_it_would_refuse_them() -> None:
    there = (Path(__file__).parent / "found/quillmoor-code-that-is-no-key.xml").read_bytes()
    season = (DATA / "season.json").read_bytes()
    done = convert(
        season, "x", "quillmoor/slipway", into=(there, "there"), options=Options(clash="merge")
    )
    assert b'code="/go/south-route/"' in done.data


def test_pages_of_one_id_and_a_root_of_it() -> None:
    data = (Path(__file__).parent / "found/arborcote-root-of-an-id-twice.yaml").read_bytes()
    tried(data, "x", "arborcote/ridge", options=Options(clash="merge", depth="lift"))


def test_what_replaces_a_menu_is_written_though_there_are_too_many() -> None:
    there = (Path(__file__).parent / "found/tilewick-bars-of-its-own.csv").read_bytes()
    old = convert((DATA / "old.xml").read_bytes(), "old.xml", "arborcote/ridge").data
    done = convert(old, "x", "tilewick", into=(there, "there"))
    assert b"\nfoot,1,Contact," in done.data and b"\nsame," in done.data


def test_a_page_whose_id_is_no_number_cannot_be_pointed_to() -> None:
    there = (Path(__file__).parent / "found/arborcote-page-of-a-word.yaml").read_bytes()
    old = (DATA / "old.xml").read_bytes()
    done = convert(old, "old.xml", "arborcote/furrow", into=(there, "there"))
    assert b"pointer: header" not in done.data


def test_menus_in_a_sequence_whose_first_items_open() -> None:
    data = (Path(__file__).parent / "found/jsonapi-two-menus-that-open.json").read_bytes()
    done = convert(data, "x", "stallmere/terrace", options=Options(clash="merge", depth="columns"))
    assert [menu.key for menu in done.written.menus][:2] == ["main", "upper-nb"]


def test_a_declared_place_stands_before_those_that_were_there(run: Run, tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text(
        'migration = 1\nto = "quillmoor/breakwater"\n[[menu]]\nid = "main.bar"\nconvert = true\n'
        'locations = ["other"]\n'
    )
    done = run("convert", "old.xml", "--plan", "p.toml", "-o", "o.xml")
    assert done.returncode == 0, done.stderr
    assert b'code="main.bar" shown-at="other"' in (tmp_path / "o.xml").read_bytes()


def test_a_key_that_is_no_address_though_it_looks_like_one() -> None:
    """What HTML says in texts is passed on; only what an address would run is not."""
    data = (Path(__file__).parent / "found/tilewick-row-of-no-bar.csv").read_bytes()
    done = convert(data, "x", "html", options=Options(depth="menu"))
    assert b'<nav id="data:text/html,x">' in done.data


@pytest.mark.parametrize("languages", ["keep", "labels", "menus"])
@pytest.mark.parametrize(
    "name",
    [
        "quillmoor-planks-of-no-dress.xml",
        "jsonld-labels-for-headings-of-planks.json",
        "document-headings-that-planks-cannot-hold.json",
    ],
)
def test_columns_of_planks(name: str, languages: str) -> None:
    data = (Path(__file__).parent / "found" / name).read_bytes()
    options = Options(depth="columns", languages=languages, made_up=True)
    tried(data, name, "quillmoor/slipway", options=options)


@pytest.mark.parametrize("name", ["nav-columns-in-several-wrappers", "outlines-with-two-odd-keys"])
def test_what_a_first_profile_reads_is_written_back(name: str, tmp_path: Path) -> None:
    file = f"{name}.xml"
    data = (Path(__file__).parent / "found" / file).read_bytes()
    (tmp_path / "made.toml").write_text(draft(data, file).text, "utf-8")
    by = str(tmp_path / "made.toml")
    assert convert(data, file, by, from_=by).audited.problems == []
