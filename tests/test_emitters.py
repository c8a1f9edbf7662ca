"""What is written and read without the libraries that know everything is what these make of it."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date
from typing import Any

import pytest
import tomlkit
from hypothesis import given, settings
from hypothesis import strategies as st

from ypsiform.containers import Repeated, toml, yaml
from ypsiform.containers import json as json_
from ypsiform.containers.block import Odd, block, from_block
from ypsiform.model import NOWHERE, Item, Traits
from ypsiform.profiles.files import shape_of
from ypsiform.profiles.items import Items
from ypsiform.profiles.load import load

SAID = (
    *("yes", "no", "null", "True", "NULL", "on", "~", "1", "0x1", "1e3", ".5", "2026-01-01", "="),
    *("<<", "A: b", "a #b", "tel:+47 12", "Ü ber", "a'b", "---", "...", "- a", "? b", "a:", "//"),
    *("a:b", " a", "a ", "/a b", "https://a.b/c?d=e&f#g", "x-y", "a.b", "'q'", "[a]", "{a", "a,b"),
    *("(a)", "-3"),
)
WORDS = st.sampled_from(SAID) | st.text(max_size=6)
LETTERS = "abXz09 _/.,()'&?=+~@%;!$*-:#\"[]{}|>\\\n\té\u00a0\u0105日"
TEXTS = WORDS | st.text(LETTERS, max_size=10)
SINGLE = st.one_of(
    TEXTS,
    st.integers(),
    st.booleans(),
    st.none(),
    st.floats(allow_nan=False, allow_infinity=False),
    st.dates(),
)
FEW = settings(max_examples=400, deadline=None)


def _wider(inner: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    lists = st.lists(inner, max_size=3) | st.lists(inner | SINGLE, max_size=3)
    return st.dictionaries(TEXTS, inner | SINGLE | lists, max_size=4)


TREES = st.recursive(st.dictionaries(TEXTS, SINGLE, max_size=4), _wider, max_leaves=12)


def _outcome(work: Callable[[], Any]) -> Any:
    try:
        return work()
    except Exception as error:
        return type(error)


@FEW
@given(TREES)
def test_blocks_of_yaml_are_those_of_its_library(tree: dict[str, Any]) -> None:
    wanted = _outcome(lambda: yaml.by_library(tree).encode())
    assert _outcome(lambda: yaml.write(tree)) == wanted


@FEW
@given(TREES)
def test_tables_of_toml_are_those_of_its_library(tree: dict[str, Any]) -> None:
    wanted = _outcome(lambda: tomlkit.dumps(toml.without_null(tree)).encode())
    assert _outcome(lambda: toml.write(tree)) == wanted


def test_most_of_what_is_usual_is_written_here() -> None:
    item = {"name": "Haldrun & Oddny", "to": "https://a.example/x?y=1", "weight": 3, "on": True}
    tree = {"menus": {"main": [item, {**item, "below": [item]}], "foot": []}, "day": date.today()}
    assert block(tree, yaml.by_library).encode() == yaml.write(tree)
    repeated = Repeated(a=1)
    repeated.others = [("a", 2)]
    assert yaml.write({"b": repeated}) == b"b:\n  a: 2\n  a: 1\n"
    for odd in ({"b": repeated}, {"a": [[1]]}, {1: 2}, [1], {}, {"a": "b\nc" * 40_000}):
        with pytest.raises(Odd):
            block(odd, yaml.by_library)


PIECES = st.sampled_from(
    (
        *(" ", "  ", "- ", "#", "#c", " #c", ":", " :", ": ", "a", "b: 1", "\n", "\n\n", "'", '"'),
        *("é", "---\n", "? ", "&a ", "*a", "!t ", "|", ">", "\n  more", "\n    deep: 1", "\n- z"),
    )
)
CHANGE = st.tuples(st.integers(0, 400), PIECES, st.sampled_from(["put", "cut", "shift"]))


@settings(max_examples=800, deadline=None)
@given(TREES, st.lists(CHANGE, max_size=3))
def test_what_is_read_in_blocks_is_what_the_library_reads(
    tree: dict[str, Any], changes: list[tuple[int, str, str]]
) -> None:
    text = _outcome(lambda: yaml.write(tree).decode())
    if not isinstance(text, str):
        return
    for at, piece, how in changes:
        at %= len(text) + 1
        if how == "put":
            text = text[:at] + piece + text[at:]
        elif how == "cut":
            text = text[:at] + text[at + len(piece) :]
        else:
            start = text.rfind("\n", 0, at) + 1
            text = text[:start] + " " + text[start:]
    try:
        found = from_block(text, yaml.plain, 500)
    except (Odd, ValueError):
        return
    assert repr(yaml.from_library(text, "a.yaml")) == repr(found)


@pytest.mark.parametrize(
    ("text", "tree"),
    [
        ("a:\n- b\n- c: 1\n  d: null\ne: {}\n", {"a": ["b", {"c": 1, "d": None}], "e": {}}),
        ("a:\n  - b\n  -\n    c: 'it''s'\n", {"a": ["b", {"c": "it's"}]}),
        ("# head\na: b#c\n\n'x y': \"z\"\n", {"a": "b#c", "x y": "z"}),
        ("a: https://b.example/#c\nb: -1\nc: 2026-01-02\n", None),
    ],
)
def test_usual_blocks_are_read_here(text: str, tree: Any) -> None:
    found = from_block(text, yaml.plain, 500)
    assert found == yaml.from_library(text, "a") and (tree is None or found == tree)


UNUSUAL = (
    *("a: b: c\n", "a: 1\n  b: 2\n", "a: 1\na: 2\n", "- - a\n", "a: &b c\n", "a: *b\n", "a: ~\n"),
    *("a: |\n  b\n", "a: [b]\n", "a: b #c\n", "? a\n", "a:\tb\n", "--- \na: 1\n", "a\n", ""),
    *("a:\n    b: 1\n  c: 2\n", "a: 'b' c\n", 'a: "\\x41"\n', "1: a\n", "a: b\n- c\n"),
    *("- a\nb: c\n", "a: !t b\n"),
)


@pytest.mark.parametrize("text", UNUSUAL)
def test_what_is_not_usual_is_left_to_the_library(text: str) -> None:
    with pytest.raises(Odd):
        from_block(text, yaml.plain, 500)


KEYS = st.sampled_from(["a", "b", "a:b", 'c"', "d\\", "é", "\u003a"])
SCALARS = st.one_of(
    st.text(':"\\a\n', max_size=4),
    st.integers(),
    st.just(10**700),
    st.floats(),
    st.booleans(),
    st.none(),
)


@st.composite
def texts_of_json(draw: st.DrawFn, levels: int = 3) -> str:
    """JSON in which keys may stand twice, and texts may hold anything, escaped or not."""
    if not levels or draw(st.booleans()):
        escaped = draw(st.booleans())
        text = json.dumps(draw(SCALARS), ensure_ascii=escaped)
        return text.replace(":", "\\u003A") if draw(st.integers(0, 5)) == 0 else text
    inner = [draw(texts_of_json(levels - 1)) for _ in range(draw(st.integers(0, 3)))]
    if draw(st.booleans()):
        return f"[{', '.join(inner)}]"
    return f"{{{', '.join(f'{json.dumps(draw(KEYS))}: {text}' for text in inner)}}}"


@FEW
@given(texts_of_json())
def test_json_is_read_as_with_a_look_at_each_mapping(text: str) -> None:
    def slow() -> Any:
        return json_.BY_PAIRS.decode(text)

    def alike(one: Any, other: Any) -> bool:
        if type(one) is not type(other):
            return False
        if isinstance(one, dict):
            others = getattr(one, "others", None) == getattr(other, "others", None)
            same = list(one) == list(other)
            return others and same and all(alike(one[key], other[key]) for key in one)
        if isinstance(one, list):
            return len(one) == len(other) and all(map(alike, one, other))
        return bool(one == other)

    wanted, found = _outcome(slow), _outcome(lambda: json_.parsed(text, ""))
    assert isinstance(wanted, type) == isinstance(found, type)
    assert isinstance(wanted, type) or alike(wanted, found)


def test_records_share_no_list() -> None:
    profile = load("jsonapi")
    items = Items.of(profile, shape_of(profile), None)
    made = [Item("1", "A", NOWHERE, traits=Traits(classes=("a", "b"))) for _ in range(2)]
    one, other = (items.write(item, [("id", "1")]) for item in made)
    assert one == other and one["attributes"]["classes"] is not other["attributes"]["classes"]
