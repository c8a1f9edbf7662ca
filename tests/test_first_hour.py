"""The walks of docs/first-hour.md: each sample is drafted, mended and checked as the page says."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.conftest import Run
from ypsiform.guess import MARGIN, POOR
from ypsiform.guess.weigh import DEEP, TERMS
from ypsiform.profiles.load import load

DOCS = (Path(__file__).parent.parent / "docs/first-hour.md").read_text("utf-8")
WALKS = {
    title: (name, sample, shown, profile)
    for title, name, sample, shown, profile in re.findall(
        r"^## ([^\n]*)\n`(\S+)`.*?```\w+\n(.*?)```.*?```text\n(.*?)```.*?```toml\n(.*?)```",
        DOCS,
        re.MULTILINE | re.DOTALL,
    )
}


def test_there_are_four_walks() -> None:
    assert len(WALKS) == 4


@pytest.mark.parametrize("title", WALKS)
def test_a_walk_works(run: Run, tmp_path: Path, title: str) -> None:
    name, sample, shown, profile = WALKS[title]
    (tmp_path / name).write_text(sample, "utf-8")
    surveyed = run("survey", name)
    assert surveyed.returncode == 0 and "of no platform that Ypsiform knows" in surveyed.stderr
    made = run("profile", "new", name, "-o", "my.toml")
    assert made.returncode == 0, made.stderr
    told = [" ".join(line.split()) for line in made.stdout.splitlines()]
    for line in shown.splitlines():
        assert any(one.startswith(" ".join(line.split())) for one in told), made.stdout
    for text in ((tmp_path / "my.toml").read_text("utf-8"), profile):
        (tmp_path / "my.toml").write_text(text, "utf-8")
        checked = run("profile", "check", "my.toml", name)
        assert checked.returncode == 0, checked.stdout + checked.stderr
    assert "Not read by any rule" not in checked.stdout, checked.stdout
    assert name == "pages.sql" or "the same, value for value" in checked.stdout, checked.stdout
    done = run("convert", name, "--from", "my.toml", "--to", "stallmere", "-o", "import.json")
    assert done.returncode == 0, done.stderr


def test_the_page_says_what_is_weighed() -> None:
    table = dict(re.findall(r"^\| `(\w+)` \| (−?[\d.]+) \|", DOCS, re.MULTILINE))
    assert {name: float(said.replace("−", "-")) for name, said in table.items()} == TERMS
    assert f"({MARGIN} less, or nearer), or none weighs {POOR}" in DOCS
    assert DEEP == 9 and "more than nine levels" in DOCS


def test_the_page_names_all_columns_of_the_table_format() -> None:
    text = DOCS.partition("## The `csv` format")[2].partition("The words that")[0]
    columns = re.findall(r"^\| `([a-z ]+)` \|", text, re.MULTILINE)
    rules = load("csv").items.fields.values()
    known = {rule if isinstance(rule, str) else rule.at for rule in rules}
    assert set(columns) == known | {"menu", "level", "address"}
