"""`ypsiform profile`, and the reference of the language."""

from __future__ import annotations

import json
import re
import tomllib
from pathlib import Path
from typing import get_args

import jsonschema
import pytest
from msgspec import Struct

from tests.conftest import Run
from tests.test_shapes import BYTES, PROFILES, SAMPLES, outline
from ypsiform.containers import CONTAINERS
from ypsiform.encodings import ENCODINGS, AnyRule, PanelRule
from ypsiform.encodings.blocks import BlockRule
from ypsiform.encodings.marks import MarkRule
from ypsiform.migrate import convert
from ypsiform.profiles import schema
from ypsiform.profiles.codecs import CODECS, chain
from ypsiform.profiles.faults import CONTENT_FIELDS, KINDS, SITE_FIELDS
from ypsiform.profiles.load import load, shipped
from ypsiform.profiles.structures import STRUCTURES
from ypsiform.reading import read

ROOT = Path(__file__).parents[1]
DOCS = (ROOT / "docs/profiles.md").read_text("utf-8")


def test_check_says_what_is_read_and_what_comes_back(run: Run, tmp_path: Path) -> None:
    done = run("profile", "check", "quillmoor", "old.xml")
    assert done.returncode == 0, done.stderr
    for words in ("6 menus", "520 of 520 facts", "tide-clock", "share-3 → share-1"):
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


TABLES = {
    "## The file": schema.Profile,
    "### `[recognise]`": schema.Recognise,
    "### `[files]`": schema.FileRule,
    "### `[folder]`": schema.FolderRule,
    "### `[page]`": schema.PageViewRule,
    "### `[[grids]]`": schema.GridRule,
    "### `[[mixed]]`": schema.MixedRule,
    "### `[[slugs]]`": schema.SlugRule,
    "### `[settings]`": schema.SettingRule,
    "### Fields": schema.FieldRule,
    "### `[[content]]`": schema.ContentRule,
    "### `[menus]`": schema.MenuRule,
    "### `[locations]`": schema.LocationRule,
    "### `[items]`": schema.ItemRule,
    "### Fold": schema.FoldRule,
    "### Joins": schema.JoinRule,
    "### `[[items.kinds]]`": schema.KindRule,
    "### Marks": MarkRule,
    "### Routes": schema.RouteRule,
    "### `[items.pages]`": schema.PageRule,
    "### `[limits]`": schema.Limits,
    "### Legal keys": schema.KeyRule,
    "### `[themes.NAME]`": schema.Theme,
    "### What is required": schema.Requirement,
    "### Places": schema.PlaceRule,
    "### A row": schema.RowRule,
    "### Blocks": BlockRule,
}
"""The heading under which each table of the language is described."""


def section(heading: str) -> str:
    found = re.search(rf"^{re.escape(heading)}$(.*?)(?=^##|\Z)", DOCS, re.MULTILINE | re.DOTALL)
    assert found is not None, heading
    return found[1]


def first_cells(text: str, head: str) -> list[str]:
    """The names in the first column of the table with this head."""
    table = re.search(rf"^\| {head} \|.*\n\|[-|]*\|\n((?:\|.*\n)+)", text, re.MULTILINE)
    assert table is not None, head
    cells = [line.split(" | ")[0] for line in table[1].splitlines()]
    return [name for cell in cells for name in re.findall(r"`([^`]+)`", cell)]


@pytest.mark.parametrize("heading", TABLES)
def test_the_reference_has_every_key_of_a_table_and_no_other(heading: str) -> None:
    assert sorted(first_cells(section(heading), "key")) == sorted(
        TABLES[heading].__struct_encode_fields__
    )


def test_the_reference_has_every_table() -> None:
    rules = {
        value
        for value in vars(schema).values()
        if isinstance(value, type) and issubclass(value, Struct) and value is not Struct
    }
    assert rules - set(TABLES.values()) == {schema.SiteRule}  # it has nothing but fields


@pytest.mark.parametrize("name", STRUCTURES)
def test_the_reference_says_which_structure_has_a_key(name: str) -> None:
    rows = re.findall(r"^\| (`.*?`) \| (.*) \|$", section("### `[items.tie]`"), re.MULTILINE)
    said = set()
    for key, meaning in rows:
        groups = re.match(rf"\(((?:(?:{'|'.join(STRUCTURES)})(?:, )?)+)\) ", meaning)
        if groups is None or name in groups[1].split(", "):
            said.add(key.strip("`"))
    assert said == {"structure", *STRUCTURES[name].__struct_encode_fields__}


@pytest.mark.parametrize("rule", get_args(AnyRule), ids=lambda rule: rule.__struct_config__.tag)
def test_the_reference_says_which_encoding_has_a_key(rule: type[PanelRule]) -> None:
    name = str(rule.__struct_config__.tag)
    text = section("### Panels")
    rows = re.findall(r"^\| (`.*?) \| (.*) \|$", text, re.MULTILINE)
    said = set()
    for keys, meaning in rows[len(ENCODINGS) :]:
        groups = re.findall(rf"\(((?:(?:{'|'.join(ENCODINGS)})(?:, )?)+)", meaning)
        encodings = {word for group in groups for word in group.rstrip(", ").split(", ")}
        if name in (encodings or ENCODINGS):
            said.update(re.findall(r"`([^`]+)`", keys))
    assert said == {"encoding", *rule.__struct_encode_fields__}


def test_the_reference_has_every_word() -> None:
    assert first_cells(DOCS, "codec") == list(CODECS)
    assert first_cells(DOCS, "form") == list(schema.LOCATION_FORMS)
    assert first_cells(DOCS, "encoding") == list(ENCODINGS)
    assert sorted(first_cells(DOCS, "container")) == sorted(CONTAINERS)
    facts = section("### Fields")
    for name in (*schema.ITEM_FIELDS, *schema.MENU_FIELDS, *CONTENT_FIELDS, *SITE_FIELDS):
        assert f"`{name}`" in facts
    for kind in KINDS:
        assert f"`{kind}`" in section("### `[[items.kinds]]`")
    for limit, code in schema.LIMIT_CODES.items():
        assert re.search(rf"^\| `{limit}` \|.*\| `{code}` \|$", DOCS, re.MULTILINE), limit


def test_the_examples_of_codecs_work() -> None:
    row = r"^\| `(\w+)` \| `(\{.*\})` \| `([^`]*)` \| `([^`]*)` \|$"
    table = re.findall(row, section("### Codecs"), re.MULTILINE)
    assert [codec for codec, _, _, _ in table] == list(CODECS)
    for codec, example, raw, wanted in table:
        step = tomllib.loads(f"step = {example}")["step"]
        assert list(step) == [codec]
        decode, encode = chain([step], "docs")
        assert json.loads(json.dumps(decode(json.loads(raw)))) == json.loads(wanted)
        value = json.loads(wanted)
        back = encode(tuple(value) if isinstance(value, list) else value)
        assert json.loads(json.dumps(back)) == json.loads(raw)


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


EXAMPLE = """
profile = 1
id = "example"
name = "Example"
container = "{container}"
recognise = {recognise}
menus = {menus}
locations = {{ form = "names" }}
[site]
[items]
{at}
fields = {{ {label} }}
{tie}
[[items.kinds]]
when = {{}}
kind = "address"
address = "to"
[themes.only]
locations = [{{ name = "main" }}]
"""


@pytest.mark.parametrize("structure", STRUCTURES)
def test_the_examples_of_structures_work(structure: str, tmp_path: Path) -> None:
    text = re.search(rf"^#### `{structure}`$(.*?)(?=^##)", DOCS, re.MULTILINE | re.DOTALL)
    assert text is not None
    pattern = r"```(csv|json|yaml|xml)\n(.*?)```\n```toml\n(tie = .*?)\n```"
    examples = re.findall(pattern, text[1], re.DOTALL)
    assert examples
    tree = ["Sailings", "North"] if structure == "flat" else [("Sailings", ["North"])]
    for container, sample, tie in examples:
        assert tomllib.loads(tie)["tie"]["structure"] == structure
        platform = {"pages": "arborcote", "paths": "sitemap"}.get(structure, "")
        if not platform:
            platform = str(tmp_path / "example.toml")
            profile = EXAMPLE.format(
                container=container,
                recognise='{ keys = ["menus"] }' if "menus" in sample else '{ columns = ["menu"] }',
                menus='{ at = "menus", fields = { key = "key" } }' if "menus" in sample else "{}",
                at="" if structure == "nested" else 'at = "rows"',
                label="" if structure in ("labels", "columns", "indented") else 'label = "text"',
                tie=tie,
            )
            (tmp_path / "example.toml").write_text(profile, "utf-8")
            load.cache_clear()
        site = read(sample.encode(), "sample", platform)[0].site
        assert [outline(menu.items) for menu in site.menus] == [tree]
        if structure == "paths":
            continue  # such menus are only read
        done = convert(sample.encode(), "sample", platform, from_=platform)
        assert done.fitted.losses == []
        again = read(done.data, "again", platform)[0].site
        assert [outline(menu.items) for menu in again.menus] == [tree]
