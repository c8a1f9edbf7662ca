"""Class words that repeat by level: what a survey says of them, and a first profile."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.conftest import Run

TABLE = """id,parent,title,url,class
1,,Islands,/islands,wide-open
2,1,North,{0},col-6
3,2,Haldrun,/h,head
4,2,Oddny,/o,
5,1,South,{1},col-6
6,5,Murven,/m,head
7,5,Skarv,/k,
8,,Tickets,/t,wide-open
9,8,Day,{2},col-4
10,8,Week,{3},col-8
11,,Help,/help,new
"""
LEADS, WRAPS = TABLE.format("/n", "/s", "/d", "/w"), TABLE.format("", "", "", "")


def said(run: Run, tmp_path: Path, table: str) -> str:
    (tmp_path / "t.csv").write_text(table)
    made = run("profile", "new", "t.csv", "-o", "p.toml", "--force")
    assert made.returncode == 0, made.stderr
    done = run("survey", "t.csv", "--from", "p.toml")
    assert done.returncode == 0, done.stderr
    return " ".join(done.stdout.split())


def test_words_that_repeat_by_level_are_named_with_what_stands_beside_them(
    run: Run, tmp_path: Path
) -> None:
    words = said(run, tmp_path, WRAPS)
    assert (
        "In “main” the class word “col-{n}” stands on 4 items of the second level, below "
        "“Islands”, “Tickets”; these top items have “wide-open” and the first link "
        "below each has “head”."
    ) in words
    assert "“head”" not in said(run, tmp_path, LEADS)


@pytest.mark.parametrize("table", [LEADS, WRAPS])
def test_what_a_first_profile_hints_reads_the_columns(run: Run, tmp_path: Path, table: str) -> None:
    said(run, tmp_path, table)
    first, _, hint = (tmp_path / "p.toml").read_text().partition("# HINT: ")
    assert "'col-{n}' stands on 4 items" in hint
    rule = "".join(line.removeprefix("# ") for line in hint.splitlines(True) if " = " in line)
    (tmp_path / "p.toml").write_text(f"{first}\n[panels]\n{rule}")
    done = run("convert", "t.csv", "--from", "p.toml", "--to", "ypsiform", "-o", "d.json")
    assert done.returncode == 0, done.stderr
    islands = json.loads((tmp_path / "d.json").read_text())["menus"][0]["items"][0]
    blocks = [column["blocks"] for column in islands["panel"]["columns"]]
    assert [column["span"] for column in islands["panel"]["columns"]] == [6, 6]
    assert all("heading" in held[0] for held in blocks)
    survey = run("survey", "t.csv", "--from", "p.toml")
    assert "read.columns" not in survey.stdout


@pytest.mark.parametrize(
    "table",
    [
        WRAPS.replace("wide-open", "col-9"),  # the word stands on two levels
        LEADS.replace("col-", ""),  # nothing but numbers
        LEADS.replace("/s,col-6", "/s,").replace("col-4", "").replace("col-8", ""),  # on one only
        "id,parent,title,url,class\n1,,Islands,/i,\n2,1,North,/n,soft\n3,1,South,/s,soft\n",
    ],
)
def test_words_that_say_no_columns_are_not_named(run: Run, tmp_path: Path, table: str) -> None:
    assert "read.columns" not in said(run, tmp_path, table)
    assert "HINT" not in (tmp_path / "p.toml").read_text()


def test_a_platform_that_describes_its_panels_is_asked_nothing(run: Run, tmp_path: Path) -> None:
    (tmp_path / "q.xml").write_text(
        '<quillmoor version="4" root="https://x.example/"><leaves/><menu code="m" shown-at="foot">'
        '<name>M</name><item no="1"><says>A</says></item>'
        + "".join(
            f'<item no="{n}" in="1"><says>B</says><style>col-{n}</style></item>' for n in (2, 3)
        )
        + "</menu></quillmoor>"
    )
    assert "read.columns" not in run("survey", "q.xml").stdout


def test_half_a_character_in_a_key_or_in_a_class(run: Run, tmp_path: Path) -> None:
    rows = [{"id": n, "under": above, "t": f"Some words {n}", "url": f"/{n}"} for n, above in TREE]
    for row in rows[1:3]:
        row["class"] = "col-\ud8006"
    (tmp_path / "a.json").write_text(json.dumps(rows))
    made = run("profile", "new", "a.json", "-o", "p.toml")
    assert made.returncode == 0 and "HINT" not in (tmp_path / "p.toml").read_text(), made.stderr
    (tmp_path / "b.json").write_text(json.dumps(rows).replace('"t"', '"t\\udfff"'))
    refused = run("profile", "new", "b.json", "-o", "q.toml")
    assert refused.returncode == 1 and "b.json: a key or a word in it has half a" in refused.stderr


TREE = [(1, None), (2, 1), (3, 1), (4, 2), (5, 3)]
