"""The platform of a file, found from its content: whole files, cut-down ones, and unknown ones."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Run
from tests.test_pairs import DEMO, KEEP, PLACES
from ypsiform.containers import container, sniff
from ypsiform.errors import FormatError, RefusedError
from ypsiform.migrate import convert
from ypsiform.profiles.files import dump_tree, load_tree, new_tree
from ypsiform.profiles.load import every, load
from ypsiform.recognise import open_tree

SAMPLES = Path(__file__).parent / "samples"
SMALL = b"menu,level,label,address\nheader,1,A,/a\n"


def told(data: bytes) -> str:
    return open_tree(data, "x", None).profile.id


def id_of(place: str) -> str:
    return place.split("/")[0]


@pytest.mark.parametrize("place", PLACES)
def test_whole_files_are_told_apart(place: str) -> None:
    assert told(convert(DEMO, "old.xml", place, options=KEEP).data) == id_of(place)


@pytest.mark.parametrize("place", PLACES)
def test_files_with_one_item_are_told_apart(place: str) -> None:
    try:
        data = convert(SMALL, "t.csv", place).data
    except RefusedError:
        pytest.skip("one menu has no place there")
    assert told(data) == id_of(place)


@pytest.mark.parametrize("place", PLACES)
def test_what_is_cut_out_of_a_file_does_not_matter(place: str) -> None:
    """Every key at the top is taken out in turn, and every row or record but the first."""
    profile = load(id_of(place))
    data = convert(DEMO, "old.xml", place, options=KEEP).data
    needed = {*profile.recognise.keys, *profile.recognise.sure, "columns", "#schema", "#children"}
    tree = load_tree(data, "x", profile)
    for key in [key for key in tree if key not in needed]:
        less = load_tree(data, "x", profile)
        del less[key]
        assert told(dump_tree(less, profile)) == profile.id, key
    if "#children" in tree:
        inside = tree["#children"][0][1]
        for at in range(len(inside.get("#children", ()))):
            less = load_tree(data, "x", profile)
            del less["#children"][0][1]["#children"][at]
            if profile.id == "html":
                continue  # nothing of it is left
            assert told(dump_tree(less, profile)) == profile.id, at
    for key in tree:
        if isinstance(tree[key], list) and key not in ("columns", "#schema", "#children"):
            less = load_tree(data, "x", profile)
            less[key] = less[key][:1]
            assert told(dump_tree(less, profile)) == profile.id, key


EMPTY = [p.id for p in every() if p.id not in ("html", "hugo", "ypsiform")]


@pytest.mark.parametrize("name", EMPTY)
def test_empty_documents_are_told_apart(name: str) -> None:
    """A document with nothing but what its profile names it by."""
    profile = load(name)
    tree = new_tree(profile)
    if isinstance(tree, dict):
        tree.update({key: tree.get(key) or [] for key in profile.recognise.keys})
    if profile.container == "sqlite":
        assert told(container("sqlite").write(tree)) == name
        return
    assert told(dump_tree(tree, profile)) == name


@pytest.mark.parametrize(
    ("file", "platform"),
    [
        ("arborcote.yaml", "arborcote"),
        ("tilewick.csv", "tilewick"),
        ("fanlight.json", "fanlight"),
        ("hugo/hugo.toml", "hugo"),
        ("lists.html", "html"),
    ],
)
def test_samples_are_told_apart(file: str, platform: str) -> None:
    assert told((SAMPLES / file).read_bytes()) == platform


UNKNOWN: dict[str, tuple[Any, list[str]]] = {
    "a.json": (
        {"menus": [{"a": 1}]},
        ["its keys are: menus"],
    ),
    "b.json": ([1], ["it is a list"]),
    "c.csv": ("a,b\n1,2\n", ["it starts with 'a,b"]),
    "d.yaml": ("nav:\n  - A: /a\n", ["it starts with 'nav:"]),
    "e.toml": ("[menus]\na = 1\n", ["it starts with '[menus]"]),
    "f.xml": ("<menu/>", ["its root element is <menu>"]),
    "g.txt": ("words", ["it starts with 'words'"]),
}


@pytest.mark.parametrize("name", UNKNOWN)
def test_no_match_says_what_was_tried(run: Run, tmp_path: Path, name: str) -> None:
    content, words = UNKNOWN[name]
    text = content if isinstance(content, str) else json.dumps(content)
    (tmp_path / name).write_text(text, "utf-8")
    done = run("survey", name)
    assert done.returncode == 1 and done.stderr.count("\n") == 1, done.stderr
    for said in (*words, "cannot tell which platform", "with --from"):
        assert said in done.stderr, done.stderr


def test_a_table_of_toml_is_no_list_of_json() -> None:
    for text in (
        "[params]\na = 1\n",
        "# x\n[[menus.main]]\nname = 'A'\n",
        '["a b".c] # x\nd = 1\n',
    ):
        assert sniff(text.encode(), "x") == "text"
    for text in ("[1]\n", '["a"]\n', '[\n"a"\n]', '[{"a": "b = c"}]'):
        assert sniff(text.encode(), "x") == "json"


def test_a_tie_says_what_it_could_be() -> None:
    both = {"fanlight": 4, "items": [], "jsonapi": {"version": "1.1"}, "data": [], "takes": "top"}
    both["host"] = "https://x.example"
    with pytest.raises(FormatError, match=r"it could be fanlight, jsonapi\. Name it with --from"):
        told(json.dumps(both).encode())
    assert open_tree(json.dumps(both).encode(), "x", "jsonapi").profile.id == "jsonapi"
