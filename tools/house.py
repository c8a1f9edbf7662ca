"""Figures of the house: what is over its limits, what imports what, and how often a type is asked.

python tools/house.py            # of the tree as it stands
python tools/house.py FOLDER     # of another one, a worktree of an older commit
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

LINES, FUNCTION, PARAMETERS = 500, 60, 7
"""Lines of a file, lines of a function, parameters of a function; beyond these, a comment."""

ROOT = Path(__file__).parent.parent


class Import(NamedTuple):
    """One module that imports another one; `late`: inside a function, or for types only."""

    module: str
    of: str
    late: bool


def modules(source: Path) -> dict[str, Path]:
    """The modules of the package in a folder, by their dotted names."""
    found = {}
    for path in sorted(source.rglob("*.py")):
        parts = path.relative_to(source).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imports(known: dict[str, Path]) -> Iterator[Import]:
    """Every import of one module of the package by another one."""
    for name, path in known.items():
        tree = ast.parse(path.read_text("utf-8"))
        package = name if path.name == "__init__.py" else name.rpartition(".")[0]
        for node, late in _statements(tree, late=False):
            for of in _named(node, package, known):
                if of != name:
                    yield Import(name, of, late)


def _statements(tree: ast.AST, *, late: bool) -> Iterator[tuple[ast.AST, bool]]:
    for node in ast.iter_child_nodes(tree):
        if isinstance(node, (ast.Import, ast.ImportFrom)):
            yield node, late
        types = isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING"
        inside = isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)) or types
        yield from _statements(node, late=late or inside)


def _named(node: ast.AST, package: str, known: dict[str, Path]) -> Iterator[str]:
    if isinstance(node, ast.Import):
        yield from (alias.name for alias in node.names if alias.name in known)
    elif isinstance(node, ast.ImportFrom):
        above = package.split(".")
        above = above[: len(above) - node.level + 1] if node.level else []
        base = ".".join([*above, *([node.module] if node.module else [])])
        for alias in node.names:
            inner = f"{base}.{alias.name}"
            if inner in known or base in known:
                yield inner if inner in known else base


def packages(path: Path) -> set[str]:
    """The packages that a file imports, late imports as well."""
    found: set[str] = set()
    for node, _ in _statements(ast.parse(path.read_text("utf-8")), late=False):
        if isinstance(node, ast.Import):
            found |= {alias.name.partition(".")[0] for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            found.add(node.module.partition(".")[0])
    return found


def circles(edges: Iterator[Import]) -> list[list[str]]:
    """Sets of modules that import each other round about, late imports as well, longest first."""
    below: dict[str, set[str]] = {}
    for edge in edges:
        below.setdefault(edge.module, set()).add(edge.of)
        below.setdefault(edge.of, set())
    order: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[list[str]] = []

    def visit(name: str) -> None:  # Tarjan's strongly connected components
        order[name] = low[name] = len(order)
        stack.append(name)
        for other in sorted(below[name]):
            if other not in order:
                visit(other)
                low[name] = min(low[name], low[other])
            elif other in stack:
                low[name] = min(low[name], order[other])
        if low[name] == order[name]:
            at = stack.index(name)
            if len(stack) - at > 1:
                found.append(sorted(stack[at:]))
            del stack[at:]

    for name in sorted(below):
        if name not in order:
            visit(name)
    return sorted(found, key=len, reverse=True)


def functions(path: Path) -> Iterator[tuple[str, int, int]]:
    """The functions of a file: their names, lines without the docstring, and parameters."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            first = node.body[0]
            text = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
            said = (first.end_lineno or 0) - first.lineno + 1 if text else 0
            given = [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]
            count = len([one for one in given if one.arg not in ("self", "cls")])
            yield node.name, (node.end_lineno or 0) - node.lineno + 1 - said, count


def asked(paths: Iterator[Path], classes: set[str]) -> int:
    """How many calls of `isinstance` ask for one of some classes."""
    count = 0
    for path in paths:
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call) and ast.unparse(node.func) == "isinstance":
                names = {n.id for n in ast.walk(node.args[1]) if isinstance(n, ast.Name)}
                count += bool(names & classes)
    return count


ENCODINGS = {
    *("Marked", "Wrapped", "Boards", "Cells", "Bound", "Sheets", "Counted", "Recorded", "Beside"),
    *("MarkedRule", "WrappedRule", "BoardsRule", "CellsRule", "BoundRule", "SequenceRule"),
    *("CountedRule", "BesideRule", "ListedRule"),
}
"""The classes of panel encodings and of their rules."""


def main(folder: Path) -> None:
    """Print the figures of a tree."""
    known = modules(folder / "src")
    lengths = {n: len(p.read_text("utf-8").splitlines()) for n, p in known.items()}
    print(f"{len(known)} modules, {sum(lengths.values())} lines")
    long = sorted((n for n in lengths if lengths[n] > LINES), key=lambda n: -lengths[n])
    print(f"files over {LINES} lines: {len(long)}")
    for name in long:
        print(f"  {lengths[name]:5} {name}")
    over = [(n, *f) for n, p in known.items() for f in functions(p) if f[1] > FUNCTION]
    print(f"functions over {FUNCTION} lines: {len(over)}")
    for name, title, lines, _ in sorted(over, key=lambda one: -one[2]):
        print(f"  {lines:5} {name}.{title}")
    many = [(n, *f) for n, p in known.items() for f in functions(p) if f[2] > PARAMETERS]
    print(f"functions with over {PARAMETERS} parameters: {len(many)}")
    for name, title, _, count in sorted(many, key=lambda one: -one[3]):
        print(f"  {count:5} {name}.{title}")
    print(f"isinstance on encodings: {asked(iter(known.values()), ENCODINGS)}")
    round_about = circles(imports(known))
    print(f"circles of imports: {len(round_about)}")
    for one in round_about:
        print(f"  {', '.join(one)}")


if __name__ == "__main__":
    sys.setrecursionlimit(5000)
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT)
