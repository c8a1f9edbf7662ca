"""Converting again: into one's own result, and into one that somebody changed since."""

from __future__ import annotations

import hashlib
import json
import random
from itertools import product
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import ALL, Run
from tests.odd_sites import odd_site
from tests.test_pairs import BY, DEMO, PLACES
from ypsiform import facts, model
from ypsiform.decisions import DEPTHS, LANGUAGES
from ypsiform.demo import DATA
from ypsiform.errors import RefusedError
from ypsiform.fit import Options
from ypsiform.migrate import convert, recorded
from ypsiform.proof import Migration
from ypsiform.reading import read
from ypsiform.record import fingerprints

WRITTEN = [place for place in PLACES if place not in ("ypsiform", "sitemap/inventory")]
PAIRS = list(product(PLACES, WRITTEN))
WAYS = list(product(DEPTHS, LANGUAGES))
SAMPLED = [(*pair, *WAYS[at % len(WAYS)]) for at, pair in enumerate(PAIRS) if ALL or at % 5 == 0]
SEASON = (DATA / "season.json").read_bytes()


@pytest.fixture(scope="module")
def exports() -> dict[str, bytes]:
    """The demo as an export of every platform and theme."""
    return {place: convert(DEMO, "old.xml", place).data for place in PLACES}


def again(done: Migration, data: bytes, to: str, **more: Any) -> Migration:
    """Convert into the result of a conversion, by its record."""
    record = recorded(done, {})
    return convert(data, "x", to, into=(done.data, "there"), record=record, **more)


@pytest.mark.parametrize(("source", "to", "depth", "languages"), SAMPLED)
def test_converting_into_ones_own_result_changes_no_byte(
    exports: dict[str, bytes], source: str, to: str, depth: str, languages: str
) -> None:
    options = Options(made_up=True, depth=depth, languages=languages, clash="merge")
    try:
        more: dict[str, Any] = {"from_": BY.get(source, source), "options": options}
        first = convert(exports[source], "x", to, **more)
        into = convert(exports[source], "x", to, into=(exports[to], "there"), **more)
    except RefusedError as error:
        assert "no menu of the source" in str(error) or "further language" in str(error)
        return
    for done in (first, into):
        second = again(done, exports[source], to, **more)
        assert second.data == done.data
        assert len(second.written.menus) == len(done.written.menus)


@pytest.mark.parametrize("to", WRITTEN)
def test_panels_are_written_once(to: str) -> None:
    done = convert(SEASON, "x", to)
    assert again(done, SEASON, to).data == done.data


def test_what_somebody_changed_is_left_alone(run: Run, tmp_path: Path) -> None:
    words = ("convert", "old.xml", "--to", "stallmere/plain", "-o")
    assert run(*words, "a.json", "--into", "new.json").returncode == 0
    there = json.loads((tmp_path / "a.json").read_bytes())
    handset = next(tree for tree in there["trees"] if tree["key"] == "handset-2")
    handset["entries"].append({"text": "Ours", "link": {"fixed": "home"}, "entries": []})
    (tmp_path / "a.json").write_text(json.dumps(there))
    done = run(*words, "b.json", "--into", "a.json", "--json")
    assert done.returncode == 0, done.stderr
    found = {(f["code"], f["menu"], f["severity"]) for f in json.loads(done.stdout)["findings"]}
    assert ("menu.changed-since", "handset", "high") in found
    assert ("menu.updated", "main.bar", "note") in found
    trees = {t["key"]: t for t in json.loads((tmp_path / "b.json").read_bytes())["trees"]}
    assert [e["text"] for e in trees["handset-2"]["entries"]][-1] == "Ours"
    assert "handset-3" in trees, "a key of its own"
    plan = tmp_path / "plan"
    assert run("draft", "old.xml", "--to", "stallmere/plain", "--into", "a.json", "-o", "plan")
    text = (plan / "migration.toml").read_text()
    text = text.replace('id = "handset"\n', 'id = "handset"\nupdate = "handset-2"\n')
    (plan / "migration.toml").write_text(text)
    done = run("convert", "--plan", "plan/migration.toml", "-o", "c.json")
    assert done.returncode == 0, done.stderr
    trees = {t["key"]: t for t in json.loads((tmp_path / "c.json").read_bytes())["trees"]}
    assert "Ours" not in [e["text"] for e in trees["handset-2"]["entries"]]
    assert "handset-3" not in trees


def test_an_odd_record_is_one_sentence(run: Run, tmp_path: Path) -> None:
    for text in ("{}", "[1", '{"record": 2}', "\x00"):
        (tmp_path / "r.json").write_text(text)
        done = run(
            *("convert", "old.xml", "--to", "stallmere/plain", "--into", "new.json"),
            *("--record", "r.json", "-o", "x.json"),
        )
        assert done.returncode == 1 and "r.json" in done.stderr, done.stderr
        assert not (tmp_path / "x.json").exists()


def test_a_draft_without_a_record_proposes_what_looks_like_an_update(
    run: Run, tmp_path: Path
) -> None:
    words = ("old.xml", "--to", "stallmere/plain", "--into")
    assert run("convert", *words, "new.json", "-o", "a.json").returncode == 0
    (tmp_path / "a.json.record.json").unlink()
    assert run("draft", *words, "a.json", "-o", "plan").returncode == 0
    text = (tmp_path / "plan/migration.toml").read_text()
    assert text.count('update = "handset-2"') == 1 and 'update = "main"' not in text
    assert run("convert", "--plan", "plan/migration.toml", "-o", "b.json").returncode == 0
    keys = [[t["key"] for t in json.loads((tmp_path / n).read_bytes())["trees"]] for n in NAMES]
    assert keys[0] == keys[1]
    assert run("draft", *words, "a.json", "-o", "plan").returncode == 0
    assert (tmp_path / "plan/migration.toml").read_text() == text, "drafting again keeps it"


NAMES = ("a.json", "b.json")


def test_what_a_plan_wrote_it_writes_again(run: Run, tmp_path: Path) -> None:
    words = ("draft", "old.xml", "--to", "stallmere/plain", "--into", "new.json", "-o", "plan")
    assert run(*words).returncode == 0
    again = ("convert", "--plan", "plan/migration.toml")
    assert [run(*again).returncode for _ in range(2)] == [0, 0]
    (tmp_path / "plan/import.json").write_text("{}")
    done = run(*again)
    assert done.returncode == 1 and "exists already" in done.stderr
    assert (tmp_path / "plan/import.json").read_text() == "{}"


def test_fingerprints_are_of_all_that_menus_say() -> None:
    """As spelt out here: a record that stands beside a file must be known by any later version."""
    for number in range(150):
        site = read(odd_site(random.Random(number)), "odd.json")[0].site
        rows, spots = model.number(site), facts.spots(model.number(site))
        wanted = {}
        for at, menu in enumerate(site.menus):
            said: list[Any] = [sorted(facts.of_menu(menu, ("everyone",)).items())]
            for row in rows.of_menu(at):
                own = facts.of_thing(rows.things[row]).items()
                where = (spots[row].column, spots[row].block) if row in spots else None
                values = sorted((name, repr(value)) for name, value in own)
                said.append((rows.depth[row], rows.position[row], where, values))
            text = repr(said).encode(errors="replace")
            wanted[menu.key] = hashlib.blake2b(text, digest_size=16).hexdigest()
        assert fingerprints(site, rows, [menu.key for menu in site.menus]) == wanted
