"""Files from strangers, for each container: one clear error or a finding, and bounded memory."""

from __future__ import annotations

import json
import resource
import shutil
import sqlite3
import subprocess
import sys
import zipfile
from contextlib import closing
from io import BytesIO
from pathlib import Path

import pytest

from tests.conftest import Run
from tests.test_shapes import SAMPLE_FILES, TREE, nested, outline
from ypsiform.containers.zip import Files
from ypsiform.reading import read

MEMORY = 1 << 30
"""Bytes of address space that the program may have for a small hostile file."""


def rows(sql: str, *more: str) -> bytes:
    """A database with the tables of a menu, and what these statements add."""
    with closing(sqlite3.connect(":memory:")) as base:
        base.execute(
            "CREATE TABLE nav_node (id INTEGER PRIMARY KEY, bar TEXT, lineage TEXT, rank INTEGER, "
            "words TEXT, leads TEXT, new_window INTEGER, icon TEXT)"
        )
        base.execute("CREATE TABLE route (name TEXT, pattern TEXT)")
        for statement in (sql, *more):
            base.execute(statement)
        base.commit()
        return bytes(base.serialize())


def zipped(**files: bytes) -> bytes:
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "/").replace("_", "."), data)
    return out.getvalue()


PAGES = b"number,title,path\n"
BOMB = b'<!DOCTYPE a [<!ENTITY a "aa"><!ENTITY b "&a;&a;">]>'
GOOD = rows("INSERT INTO nav_node VALUES (1, 'main', '1', 1, 'Sailings', 'path:/s', 0, NULL)")
TILES = b"bar,outline,label,leads,below,columns,opens,window,desktop,handset\n"

HOSTILE = [
    # container, data, words of the error
    ("quillmoor", BOMB + b"<quillmoor>&b;</quillmoor>", "DOCTYPE"),
    ("quillmoor", b'<!DOCTYPE a SYSTEM "file:///etc/passwd"><quillmoor/>', "DOCTYPE"),
    ("quillmoor", b"<quillmoor>" + b"<a>" * 600 + b"</a>" * 600 + b"</quillmoor>", "500 levels"),
    ("quillmoor", b'<quillmoor a="1" a="2"/>', "duplicate attribute"),
    ("quillmoor", b'<?xml version="1.0" encoding="utf-16"?><quillmoor/>', "its bytes are not"),
    ("quillmoor", b"<quillmoor>\xff</quillmoor>", "0xFF"),
    ("stallmere", b'{"stallmere": ' + b"[" * 100_000, "500 levels"),
    ("stallmere", b'{"stallmere": 1e999}', "cannot be held"),
    ("stallmere", b'{"stallmere": 3, "trees": "\xff"}', "0xFF"),
    ("yaml", b"a: &x [1]\nb: *x", "alias"),
    ("yaml", b"a: &a [x,x]\nb: &b [*a,*a]\nc: [*b,*b]", "alias"),
    ("yaml", b"a: !!python/object/apply:os.system [x]", "tag"),
    ("yaml", b"a: !own x", "tag"),
    ("yaml", b"- " * 600 + b"x", "500 levels"),
    ("yaml", b"[" * 100_000, "500 levels"),
    ("yaml", b"a: [1", "not YAML"),
    ("yaml", b"a: 1\n---\nb: 2", "second document"),
    ("yaml", b"a: 1e999", "cannot be held"),
    ("yaml", b"a: \xff", "0xFF"),
    ("toml", b"a = ", "not TOML"),
    ("toml", b"a = 1\na = 2", "not TOML"),
    ("toml", b"a = " + b"[" * 600 + b"]" * 600, "500 levels"),
    ("toml", b"a = " + b"[" * 100_000, "500 levels"),
    ("toml", b"a = '\xff'", "0xFF"),
    ("tilewick", TILES + b"1,2,3" + b"," * 20, "cells"),
    ("tilewick", TILES + b'"x', "not CSV"),
    ("tilewick", TILES.replace(b"columns", b"bar") + b"1,2", "twice"),
    ("tilewick", TILES + b"\x81", "0x81"),
    ("tilewick", b"\xff\xfe" + TILES.decode().encode("utf-16-le")[:-1], "UTF-16-LE"),
    ("lists", b"<div>" * 600, "500 levels"),
    ("lists", b"<b>" * 100_000, "500 levels"),
    ("lists", b"<nav>\x81</nav>", "0x81"),
    ("lists", b'<meta charset="utf-16"><nav></nav>', "its bytes are not"),
    ("rowanbase", b"not a database", "not a file|files of rowanbase are SQLite"),
    ("rowanbase", b"SQLite format 3\x00" + b"\x10" * 2000, "damaged"),
    ("rowanbase", GOOD[:5000], "damaged"),
    ("rowanbase", rows("INSERT INTO route VALUES (x'00ff', 'y')"), "holds bytes"),
    ("rowanbase", rows("CREATE VIRTUAL TABLE v USING fts5(a)"), "virtual table"),
    ("parted", b"PK\x03\x04" + b"\x00" * 40, "damaged"),
    ("parted", zipped(menus_xml=b"<menus/>"), "there is no file 'data/pages.csv'"),
    ("parted", zipped(menus_xml=BOMB + b"<menus/>", data__pages_csv=PAGES), "DOCTYPE"),
    ("parted", zipped(menus_xml=b"<m" * 9, data__pages_csv=PAGES), "parted/menus.xml"),
    ("parted", zipped(**{"..__x": b"x"}), "leads out of the folder"),
]


@pytest.fixture
def samples(tmp_path: Path) -> Path:
    """A folder with the profiles of the samples."""
    for path in SAMPLE_FILES.glob("*.toml"):
        shutil.copy(path, tmp_path)
    (tmp_path / "yaml.toml").write_text(nested("yaml"), "utf-8")
    (tmp_path / "toml.toml").write_text(nested("toml"), "utf-8")
    return tmp_path


def survey(folder: Path, data: bytes, platform: str) -> subprocess.CompletedProcess[bytes]:
    """The real program on a hostile file, with little memory and time."""
    (folder / platform).write_bytes(data)
    own = (folder / f"{platform}.toml").exists()
    name = f"{platform}.toml" if own else platform

    def limit() -> None:
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))

    return subprocess.run(
        [sys.executable, "-m", "ypsiform", "survey", platform, "--from", name],
        cwd=folder,
        capture_output=True,
        preexec_fn=limit,
        timeout=60,
        check=False,
    )


@pytest.mark.parametrize(("platform", "data", "words"), HOSTILE)
def test_hostile_files(samples: Path, platform: str, data: bytes, words: str) -> None:
    done = survey(samples, data, platform)
    said = done.stderr.decode()
    assert done.returncode == 1, said
    assert any(word in said for word in words.split("|")), said
    assert said.count("\n") == 1 and "Traceback" not in said


def test_a_zip_that_explodes_is_refused_with_little_memory(samples: Path) -> None:
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as archive:
        for name in ("a", "b"):
            with archive.open(name, "w", force_zip64=True) as stream:
                for _ in range(600):
                    stream.write(bytes(1 << 20))
    assert len(out.getvalue()) < 2_000_000
    done = survey(samples, out.getvalue(), "parted")
    assert done.returncode == 1 and b"Traceback" not in done.stderr
    assert b"larger than" in done.stderr


def test_html_entities_are_not_expanded(samples: Path) -> None:
    done = survey(samples, BOMB + b"<nav id=a data-place=main><p>&b;</p></nav>", "lists")
    assert done.returncode == 0 and b"aaaa" not in done.stdout


def test_what_a_database_does_by_itself_is_not_run(samples: Path) -> None:
    data = rows(
        "INSERT INTO nav_node VALUES (1, 'main', '1', 1, 'Fares', 'path:/fares', 0, '')",
        "CREATE TABLE seen (what TEXT)",
        "CREATE TRIGGER t AFTER INSERT ON nav_node BEGIN INSERT INTO seen VALUES ('run'); END",
        "CREATE VIEW v AS SELECT load_extension('/tmp/x.so')",
    )
    (samples / "in").write_bytes(data)
    to = ["--from", "rowanbase", "--to", "rowanbase", "-o", "out", "--force"]
    done = subprocess.run(
        [sys.executable, "-m", "ypsiform", "convert", "in", *to],
        cwd=samples,
        capture_output=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    with closing(sqlite3.connect(samples / "out")) as base:
        assert base.execute("SELECT * FROM seen").fetchall() == []


def test_repeated_keys_are_a_finding(run: Run, tmp_path: Path) -> None:
    text = b'{"stallmere": 3, "trees": [{"key": "lost"}], "trees": [], "frame": {"theme": "plain"}}'
    (tmp_path / "twice.json").write_bytes(text)
    done = run("survey", "twice.json", "--json")
    assert done.returncode == 0
    findings = json.loads(done.stdout)["findings"]
    assert any(f["code"] == "read.extra" and "trees" in f["before"] for f in findings)
    (tmp_path / "p.toml").write_text(nested("yaml"), "utf-8")
    (tmp_path / "twice.yaml").write_text("menus: [{name: lost}]\nlook: only\nmenus: []\n", "utf-8")
    done = run("survey", "twice.yaml", "--from", "p.toml")
    assert done.returncode == 0 and "menus" in done.stdout and "read.extra" in done.stdout


def test_cells_that_are_formulas_are_words_and_said(run: Run, tmp_path: Path) -> None:
    row = b'main,1,"=HYPERLINK(""//bad.example"")",/a,,,,same,yes,yes\n'
    (tmp_path / "t.csv").write_bytes(TILES + row)
    done = run("survey", "t.csv")
    assert done.returncode == 0 and "label.formula" in done.stdout
    assert "=HYPERLINK" in done.stdout
    done = run("convert", "t.csv", "--to", "stallmere", "-o", "out.json", "-v")
    assert done.returncode == 0 and "label.formula" in done.stdout
    done = run("convert", "out.json", "--to", "tilewick", "-o", "out.csv", "-v")
    assert "label.formula" in done.stdout
    assert (tmp_path / "out.csv").read_bytes().count(b'"=HYPERLINK(""//bad.example"")"') == 1


def test_samples_are_no_more_than_samples() -> None:
    # What the hostile files are variations of is read without complaint.
    site = read((SAMPLE_FILES / "lists.html").read_bytes(), "x", str(SAMPLE_FILES / "lists.toml"))
    assert [outline(menu.items) for menu in site[0].site.menus] == TREE
    assert len(read(GOOD, "x", "rowanbase")[0].site.menus) == 1


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.json", b'{"stallmere":3,"trees":[],"a":' + b"9" * 700 + b"}", "more than 600 digits"),
        ("a.csv", b"menu,level,label,address\nmain,999999,a,/c\n", "a level is 100,000 at most"),
        ("a.yaml", b"arborcote: 6\npages: " + b"[" * 20_000, "nested more than 500 levels"),
        ("a.yaml", b"arborcote: .inf\npages: []\n", "the number .inf cannot be held"),
        ("a.toml", b"a = nan\n[menus]\nmain = []\n", "the number nan cannot be held"),
    ],
)
def test_what_is_beyond_a_limit(
    run: Run, tmp_path: Path, name: str, data: bytes, words: str
) -> None:
    (tmp_path / name).write_bytes(data)
    by = {"json": "stallmere", "yaml": "arborcote", "toml": "hugo", "csv": "csv"}
    done = run("survey", name, "--from", by[name[2:]])
    assert done.returncode == 1 and words in done.stderr, done.stderr
    assert done.stderr.count("\n") == 1


def test_a_bomb_beside_what_is_read_is_not_unpacked(run: Run, tmp_path: Path) -> None:
    config = 'baseURL = "https://a.example/"\n[[menus.main]]\nname = "A"\nurl = "/a/"\n'
    with zipfile.ZipFile(tmp_path / "z.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("hugo.toml", config)
        with archive.open("static/zeros", "w", force_zip64=True) as out:
            for _ in range(300):
                out.write(bytes(1 << 20))
    done = run("convert", "z.zip", "--to", "csv", "-o", "o.csv")
    assert done.returncode == 0, done.stderr
    unpacked = Files((tmp_path / "z.zip").read_bytes(), "z.zip")
    assert isinstance(unpacked.held("static/zeros"), zipfile.ZipInfo)


def test_a_cell_of_a_database_is_not_larger_than_it_may_be(run: Run, tmp_path: Path) -> None:
    with closing(sqlite3.connect(tmp_path / "a.db")) as base:
        base.execute("CREATE TABLE nav_node (id INTEGER PRIMARY KEY, words TEXT)")
        base.execute("INSERT INTO nav_node VALUES (1, ?)", ("a" * (17 << 20),))
        base.commit()
    done = run("survey", "a.db", "--from", "rowanbase")
    assert done.returncode == 1 and "this SQLite file is damaged" in done.stderr


@pytest.mark.parametrize(
    "address",
    [
        "java&#9;script:alert(1)",
        "&#106;avascript:alert(1)",
        "feed:javascript:alert(1)",
        "view-source:jar:javascript:1",
        "mhtml:data:text/html,x",
    ],
)
def test_scripts_in_other_spellings_go_nowhere(run: Run, tmp_path: Path, address: str) -> None:
    table = f"menu,level,label,address\nmain,1,a,{json.dumps(address)}\n"
    (tmp_path / "t.csv").write_text(table, "utf-8")
    done = run("convert", "t.csv", "--to", "html", "-o", "o.html", "--json")
    found = [f for f in json.loads(done.stdout)["findings"] if f["code"] == "link.script"]
    assert [f["severity"] for f in found] == ["high"]
    assert "script" not in (tmp_path / "o.html").read_text("utf-8")


@pytest.mark.parametrize("to", ["stallmere/plain", "html", "csv", "hugo", "tilewick/gable"])
def test_a_page_whose_path_is_a_script_is_not_linked_to(run: Run, tmp_path: Path, to: str) -> None:
    export = (tmp_path / "old.xml").read_bytes()
    ours = export.replace(b"/topics/northern-isles/", b"javascript:alert(1)")
    assert ours != export
    (tmp_path / "old.xml").write_bytes(ours)
    done = run("convert", "old.xml", "--to", to, "-o", "out", "--json")
    report = json.loads(done.stdout)
    assert any(
        f["code"] == "link.script" and f["severity"] == "high" and "Northern isles" in f["path"]
        for f in report["findings"]
    ), done.stderr
    assert b"javascript" not in (tmp_path / "out").read_bytes()


def test_defaults_and_columns_of_the_destinations_own_table(run: Run, tmp_path: Path) -> None:
    columns = (
        "id INTEGER PRIMARY KEY, bar TEXT, lineage TEXT, rank INTEGER, words TEXT, leads TEXT, "
    )
    columns += "new_window INTEGER, icon TEXT"
    for name, more, code, words in (
        ("fixed", "owner TEXT NOT NULL DEFAULT 'us'", 0, "step.filled"),
        ("clock", "at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP", 1, "which only it can do"),
        ("needed", "owner TEXT NOT NULL", 1, "does not take row 1 of its table 'nav_node'"),
        ("made", "up TEXT AS (words || '!')", 1, "is generated"),
    ):
        with closing(sqlite3.connect(tmp_path / f"{name}.db")) as base:
            base.execute(f"CREATE TABLE nav_node ({columns}, {more})")
            base.execute("CREATE TABLE route (name TEXT, pattern TEXT)")
            base.commit()
        asked = ("convert", "old.xml", "--to", "rowanbase", "--into", f"{name}.db", "-o", name)
        done = run(*asked, "-v")
        assert done.returncode == code, (name, done.stderr)
        assert words in done.stdout + done.stderr, (name, done.stderr)
        assert (tmp_path / name).exists() == (code == 0)
        if code == 0:
            with closing(sqlite3.connect(tmp_path / name)) as base:
                assert base.execute("SELECT DISTINCT owner FROM nav_node").fetchall() == [("us",)]
