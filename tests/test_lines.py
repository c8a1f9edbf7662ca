"""The lines that mistakes in a profile are reported at."""

from __future__ import annotations

import tomllib

import pytest

from tests.test_shapes import PROFILES
from ypsiform.profiles.lines import Steps, line_of

TEXT = '''profile = 1
# [items] is a comment
about = "a [menus] = text"

[items]
word = "row"
tie = { structure = "level", "odd key" = 1,
  number = "x" }
[[items.kinds]]
when = {}
[[items.kinds]]
when = { a = "b" } # kind = "x"
kind = "page"
[themes."own name"]
locations = [
  { name = "main", shows = 3 },  # { name = "no" }
  { name = "foot",
    limits = { top = [1,
      2] } },
]
[themes.b.limits]
text = """
depth = 9
"""
depth = 4
'''


@pytest.mark.parametrize(
    ("path", "line"),
    [
        (["profile"], 1),
        (["about"], 3),
        (["items"], 5),
        (["items", "word"], 6),
        (["items", "tie", "structure"], 7),
        (["items", "tie", "odd key"], 7),
        (["items", "tie", "number"], 8),
        (["items", "tie", "absent"], 7),
        (["items", "kinds", 0], 9),
        (["items", "kinds", 1], 11),
        (["items", "kinds", 1, "when", "a"], 12),
        (["items", "kinds", 1, "kind"], 13),
        (["themes", "own name", "locations", 0, "shows"], 16),
        (["themes", "own name", "locations", 1, "name"], 17),
        (["themes", "own name", "locations", 1, "limits", "top", 1], 19),
        (["themes", "b", "limits", "depth"], 25),
        (["nowhere"], 1),
    ],
)
def test_lines(path: Steps, line: int) -> None:
    assert line_of(TEXT, path) == line


@pytest.mark.parametrize("name", sorted(PROFILES))
def test_every_value_of_a_profile_has_a_line_that_names_it(name: str) -> None:
    text = PROFILES[name]
    lines = text.splitlines()
    stack: list[tuple[object, Steps]] = [(tomllib.loads(text), [])]
    while stack:
        value, path = stack.pop()
        if isinstance(value, dict):
            stack += [(inner, [*path, key]) for key, inner in value.items()]
        elif isinstance(value, list):
            stack += [(inner, [*path, at]) for at, inner in enumerate(value)]
        if path and isinstance(path[-1], str) and not isinstance(value, (dict, list)):
            assert path[-1] in lines[line_of(text, path) - 1], path
