"""`ypsiform profile`, and the reference of the language."""

from __future__ import annotations

import json
import re
import tomllib
from pathlib import Path

import jsonschema
import pytest

from tests.conftest import Run
from tests.test_shapes import BYTES, PROFILES, SAMPLES
from ypsiform.profiles.codecs import chain
from ypsiform.profiles.faults import names
from ypsiform.profiles.load import shipped
from ypsiform.profiles.schema import STRUCTURES

ROOT = Path(__file__).parents[1]
DOCS = (ROOT / "docs/profiles.md").read_text("utf-8")


def test_check_says_what_is_read_and_what_comes_back(run: Run, tmp_path: Path) -> None:
    done = run("profile", "check", "quillmoor", "old.xml")
    assert done.returncode == 0, done.stderr
    for words in ("6 menus", "513 of 513 facts", "tide-clock", "link[0].@seq: 10 → 1"):
        assert words in done.stdout
    done = run("profile", "check", "stallmere", "new.json")
    assert "the same, value for value" in done.stdout
    for name, profile in PROFILES.items():
        (tmp_path / f"{name}.toml").write_text(profile, "utf-8")
        (tmp_path / name).write_bytes(BYTES[name])
        done = run("profile", "check", f"{name}.toml", name)
        assert done.returncode == 0 and "2 menus" in done.stdout, done.stderr


def test_check_says_what_is_lost(run: Run, tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text(PROFILES["levels"] + "[limits]\nlabel = 5\n", "utf-8")
    (tmp_path / "s.csv").write_text(SAMPLES["levels"], "utf-8")
    done = run("profile", "check", "p.toml", "s.csv")
    assert done.returncode == 3 and "Sailings" in done.stdout and "label.cut" in done.stdout


def test_a_mistake_has_a_line_and_a_near_match(run: Run, tmp_path: Path) -> None:
    text = PROFILES["levels"].replace('word = "row"', 'wrod = "row"')
    (tmp_path / "p.toml").write_text(text, "utf-8")
    done = run("profile", "check", "p.toml")
    assert done.returncode == 1
    assert "did you mean 'word'" in done.stderr and "line " in done.stderr


def test_the_schema_accepts_what_ships_and_refuses_mistakes(run: Run) -> None:
    schema = json.loads(run("profile", "schema").stdout)
    for name in shipped():
        path = ROOT / f"src/ypsiform/profiles/platforms/{name}.toml"
        jsonschema.validate(tomllib.loads(path.read_text("utf-8")), schema)
    for text in PROFILES.values():
        tree = tomllib.loads(text)
        jsonschema.validate(tree, schema)
        tree["itmes"] = tree.pop("items")
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(tree, schema)


def test_the_reference_names_everything() -> None:
    for name in [*names(), *STRUCTURES]:
        assert re.search(rf"[`./ ]{re.escape(name)}[`./ ]", DOCS), f"{name} is not described"


def test_the_examples_of_codecs_work() -> None:
    table = re.findall(r"^\| `(\w+)` \| `(\{.*\})` \| `([^`]*)` \|", DOCS, re.MULTILINE)
    assert {name for name, _, _ in table} == {"words", "split", "audience", "whole"}
    for _, example, raw in table:
        step = tomllib.loads(f"step = {example}")["step"]
        decode, encode = chain([step], "docs")
        assert decode(encode(decode(raw))) == decode(raw)


def test_the_tutorial_works(run: Run, tmp_path: Path) -> None:
    sample = re.search(r"```csv\n(.*?)```", DOCS, re.DOTALL)
    profile = next(p for p in re.findall(r"```toml\n(.*?)```", DOCS, re.DOTALL) if "harbour" in p)
    assert sample is not None
    (tmp_path / "my.toml").write_text(profile, "utf-8")
    (tmp_path / "sample.csv").write_text(sample[1], "utf-8")
    done = run("profile", "check", "my.toml", "sample.csv")
    assert done.returncode == 0 and "the same, value for value" in done.stdout
    assert "Not read" not in done.stdout
    done = run("convert", "sample.csv", "--from", "my.toml", "--to", "stallmere", "-o", "out")
    assert done.returncode == 0, done.stderr


def test_every_structure_has_an_example_that_is_sound() -> None:
    rows = re.findall(r"^\| `(\w+)` \| `(\{ structure = .*?\})` \|", DOCS, re.MULTILINE)
    assert [name for name, _ in rows] == list(STRUCTURES)
    for name, example in rows:
        assert tomllib.loads(f"tie = {example}")["tie"]["structure"] == name
