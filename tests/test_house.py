"""How the house is laid out: nothing imports round about, and nothing imports upwards."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tools"))

import house  # noqa: E402  (a script beside the package)

ORDER = [
    *("version", "errors", "text", "values", "refs", "states", "model", "column_words"),
    *(
        "markup",
        "addresses",
        "order",
        "visibility",
        "facts",
        "findings",
        "decisions",
        "effort",
        "modes",
    ),
    *("containers", "files", "browser", "record", "languages", "reach", "unread"),
    *("encodings", "profiles", "bars", "recognise", "document_form", "document", "guess"),
    *("notices", "resolve", "fit", "audit", "plan", "job", "reading", "proof", "migrate", "look"),
    *("draft", "first_profile", "report", "demo", "standins", "library", "cli", "__main__", ""),
]
"""The parts of the package, from the bottom up: each imports from those before it alone."""

KNOWN = house.modules(ROOT / "src")
EDGES = list(house.imports(KNOWN))


def part(module: str) -> str:
    names = module.split(".")
    return names[1] if len(names) > 1 else ""


def test_every_part_has_its_place() -> None:
    assert {part(name) for name in KNOWN} == {*ORDER}


def test_nothing_imports_round_about() -> None:
    assert house.circles(iter(EDGES)) == []


def test_nothing_imports_upwards() -> None:
    rank = {name: at for at, name in enumerate(ORDER)}
    wrong = [
        f"{edge.module} imports {edge.of}"
        for edge in EDGES
        if rank[part(edge.module)] < rank[part(edge.of)]
    ]
    assert wrong == []


def test_stand_ins_import_nothing_of_ours() -> None:
    own = [edge for edge in EDGES if part(edge.module) == "standins"]
    assert {part(edge.of) for edge in own} == {"standins"}


def test_the_core_knows_no_terminal() -> None:
    shown = {"click", "rich", "flask", "jinja2"}
    for name, path in KNOWN.items():
        if part(name) not in ("cli", "report", "standins", "__main__"):
            assert not shown & house.packages(path), name


def test_nobody_asks_what_encoding_it_is() -> None:
    assert house.asked(iter(KNOWN.values()), house.ENCODINGS) == 0


def _undocumented(body: list[ast.stmt], name: str) -> Iterator[str]:
    for node in body:
        if isinstance(node, ast.ClassDef | ast.FunctionDef) and not node.name.startswith("_"):
            if ast.get_docstring(node) is None:
                yield f"{name}.{node.name}"
            if isinstance(node, ast.ClassDef):
                yield from _undocumented(node.body, f"{name}.{node.name}")


def test_everything_that_others_use_says_what_it_is() -> None:
    trees = {name: ast.parse(path.read_text("utf-8")) for name, path in KNOWN.items()}
    bare = [name for name, tree in trees.items() if ast.get_docstring(tree) is None and tree.body]
    assert bare == []
    assert [one for name, tree in trees.items() for one in _undocumented(tree.body, name)] == []
