"""Links matched with what exists at the destination: sitemaps, tables, redirects, and a backup."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Run
from ypsiform.demo import DATA

TABLE = "menu,level,label,address\n" + "".join(
    f"main,1,{label},{address}\n"
    for label, address in (
        ("Fares", "/tariffs/fares/"),
        ("North", "/routes/north/index.html"),
        ("Winter", "/winter?day=1#top"),
        ("Gone", "/gone/"),
        ("Twice", "/a/twice"),
        ("File", "/files/a.pdf"),
    )
)
INVENTORY = (
    "\ufeffURL;Title\n/prices/fares;Fares\nhttps://new.example/routes/north/;The north\n"
    "/winter/;Winter\n/b/twice;x\n/c/twice;y\n"
)
SITEMAP = (
    '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">'
    "<url><loc>https://new.example/prices/fares</loc></url>"
    "<url><loc>https://new.example/routes/north/</loc></url>"
    "<url><loc>https://new.example/winter/</loc></url>"
    "<url><loc>https://new.example/b/twice</loc></url>"
    "<url><loc>https://new.example/c/twice</loc></url></urlset>"
)


def addresses(folder: Path, name: str = "out.csv") -> dict[str, str]:
    rows = csv.DictReader(io.StringIO((folder / name).read_text("utf-8")))
    return {row["label"]: row["address"] for row in rows}


@pytest.mark.parametrize(("name", "text"), [("i.csv", INVENTORY), ("i.xml", SITEMAP)])
def test_links_are_matched_with_pages_known_by_address(
    run: Run, tmp_path: Path, name: str, text: str
) -> None:
    (tmp_path / "t.csv").write_text(TABLE, "utf-8")
    (tmp_path / name).write_text(text, "utf-8")
    done = run(
        "convert", "t.csv", "--to", "csv", "--from", "csv", "-o", "same.csv", "--inventory", name
    )
    assert addresses(tmp_path, "same.csv")["Fares"] == "/tariffs/fares/"  # to itself: untouched
    done = run("convert", "t.csv", "--to", "opml", "-o", "out.opml", "--inventory", name, "--json")
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    by = {match["from"]: (match["to"], match["by"]) for match in said["matches"]}
    # The last part of the address is the same; only with the title that is enough.
    titled = name == "i.csv"
    assert by.get("/tariffs/fares") == (("/prices/fares", "title") if titled else None)
    assert by["/routes/north"][0] == "/routes/north"
    assert by["/winter"][0] == "/winter"
    assert "/a/twice" not in by and "/gone" not in by  # two candidates are none
    text = (tmp_path / "out.opml").read_text("utf-8")
    found = ["/prices/fares"] if titled else []
    for address in (*found, "/routes/north/", "/winter/?day=1#top", "/files/a.pdf"):
        assert f'url="{address}"' in text, text
    lost = {(f["code"], f["item"]) for f in said["findings"] if f["code"].startswith("link.")}
    losses = {item for code, item in lost if code == "link.unresolved"}
    # One of the two has the same last segment as two pages of the list.
    assert len(losses) == (2 if titled else 3)
    near = {item for code, item in lost if code == "link.suggested"}
    assert "main 5" in near and near <= losses
    assert said["audit"]["unreported"] == []


def test_contents_of_an_export_come_before_those_of_a_list(run: Run, tmp_path: Path) -> None:
    for name in ("old.xml", "new.json"):
        (tmp_path / name).write_bytes((DATA / name).read_bytes())
    lines = ("address,title", "/elsewhere/fares,Elsewhere", "/here/old-tariffs,Old tariffs", "")
    (tmp_path / "i.csv").write_text("\n".join(lines), "utf-8")
    arguments = ("convert", "old.xml", "--to", "stallmere/plain", "--into", "new.json")
    done = run(*arguments, "--inventory", "i.csv", "-o", "o.json", "--json", "--backup", "b.json")
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "o.json").read_text("utf-8")
    assert '"/here/old-tariffs"' in text and "/elsewhere/fares" not in text
    assert (tmp_path / "b.json").read_bytes() == (DATA / "new.json").read_bytes()
    again = run(*arguments, "-o", "o2.json", "--backup", "b.json")
    assert again.returncode == 1 and "b.json: the file exists already" in again.stderr
    alone = run("convert", "old.xml", "--to", "csv", "-o", "x.csv", "--backup", "c.json")
    assert alone.returncode == 2 and "there is no --into" in alone.stderr


def test_redirects(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text(TABLE, "utf-8")
    (tmp_path / "r.csv").write_text(
        "old,new\n/gone,/new/home\n/winter/,/snow/\n/snow,https://snow.example/\n/x,/y\n", "utf-8"
    )
    done = run("convert", "t.csv", "--to", "opml", "-o", "o.opml", "--redirects", "r.csv", "--json")
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "o.opml").read_text("utf-8")
    assert 'url="/new/home"' in text and 'url="https://snow.example/"' in text
    said = [f["code"] for f in json.loads(done.stdout)["findings"]]
    assert said.count("link.decided") == 2 and said.count("link.unchecked") == 1
    (unused,) = [
        f for f in json.loads(done.stdout)["findings"] if f["code"] == "link.redirect-unused"
    ]
    assert unused["labels"] == ["/x"] and unused["severity"] == "note"  # /snow is on the way


def test_pages_that_redirects_put_together_are_said(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text(TABLE, "utf-8")
    (tmp_path / "i.csv").write_text(INVENTORY, "utf-8")
    (tmp_path / "r.csv").write_text(
        "old,new\n/gone,/prices/fares\n/winter/,/prices/fares/\n/a/twice,/b/twice\n", "utf-8"
    )
    more = ("--redirects", "r.csv", "--inventory", "i.csv", "--json")
    done = run("convert", "t.csv", "--to", "opml", "-o", "o.opml", *more)
    found = [f for f in json.loads(done.stdout)["findings"] if f["code"] == "link.joined"]
    assert [(f["labels"], f["after"]) for f in found] == [(["/winter", "/gone"], "/prices/fares/")]


def test_a_redirect_to_a_content_of_the_destination(run: Run, tmp_path: Path) -> None:
    for name in ("old.xml", "new.json"):
        (tmp_path / name).write_bytes((DATA / name).read_bytes())
    (tmp_path / "r.csv").write_text("old,new\n/fares/old-tariffs/,/read/fares\n", "utf-8")
    common = ("old.xml", "--to", "stallmere/plain", "--into", "new.json", "--redirects", "r.csv")
    done = run("convert", *common, "-o", "o.json", "--json")
    said: list[dict[str, Any]] = json.loads(done.stdout)["matches"]
    assert {"from": "43", "to": "fares", "kind": "page", "by": "table"} in said
    run("draft", *common, "-o", "plan")
    table = (tmp_path / "plan/links.csv").read_text("utf-8-sig")
    assert "43,page,/fares/old-tariffs/,Old tariffs,Main bar,page fares,redirect,100" in table
    by = run("convert", "--plan", "plan/migration.toml")
    assert by.returncode == 0, by.stderr
    assert (tmp_path / "plan/import.json").read_bytes() == (tmp_path / "o.json").read_bytes()


@pytest.mark.parametrize(
    ("option", "text", "words"),
    [
        ("--inventory", "a,b\n1,2\n", "no column holds addresses"),
        ("--inventory", "<x/>", "is a sitemap or a table (CSV), and this is none"),
        ("--inventory", "", "the file is empty"),
        ("--inventory", "address\n/a,/b\n", "line 2: found 2 cells"),
        ("--redirects", "a,b\n1,2\n", "the columns old and new"),
        ("--redirects", "old,new\n/gone,/b\n/gone/,/c\n", "line 3: /gone/ is redirected twice"),
        ("--redirects", "old,new\n/gone,/b\n/b,/gone\n", "redirects go round in a ring"),
    ],
)
def test_damaged_lists(run: Run, tmp_path: Path, option: str, text: str, words: str) -> None:
    (tmp_path / "t.csv").write_text(TABLE, "utf-8")
    (tmp_path / "list").write_text(text, "utf-8")
    done = run("convert", "t.csv", "--to", "opml", "-o", "o.opml", option, "list")
    assert done.returncode == 1 and words in done.stderr, done.stderr
    assert done.stderr.count("\n") == 1 and not (tmp_path / "o.opml").exists()
