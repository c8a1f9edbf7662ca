"""Shared helpers: the real program, and the demo data."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, settings

from ypsiform.demo import DATA, names

ALL = os.environ.get("YPSIFORM_PAIRS") == "all"
# The same examples in every run, so that a run says something of a change; `make test-all` looks
# for new ones.
settings.register_profile(
    "ypsiform",
    deadline=None,
    suppress_health_check=list(HealthCheck),
    max_examples=400 if ALL else 60,
    derandomize=not ALL,
    phases=[Phase.explicit, Phase.reuse, Phase.generate, Phase.shrink],
)
settings.load_profile("ypsiform")

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def run(tmp_path: Path) -> Run:
    """The real program, run in a temporary folder that holds the demo data."""
    for name in names():
        (tmp_path / name).write_bytes((DATA / name).read_bytes())

    def call(*arguments: str, stdin: bytes | None = None, **env: str) -> Any:
        done = subprocess.run(
            [sys.executable, "-m", "ypsiform", *arguments],
            cwd=tmp_path,
            input=stdin,
            capture_output=True,
            env={**os.environ, **env},
            check=False,
        )
        return subprocess.CompletedProcess(
            done.args,
            done.returncode,
            done.stdout.decode("utf-8", "replace"),
            done.stderr.decode("utf-8", "replace"),
        )

    return call


@pytest.fixture
def report(run: Run) -> Callable[..., dict[str, Any]]:
    """Convert, and give the JSON report."""

    def call(export: str, to: str, *options: str) -> dict[str, Any]:
        done = run("convert", export, "--to", to, "-o", "out", "--json", "--force", *options)
        assert done.returncode == 0, done.stderr
        made: dict[str, Any] = json.loads(done.stdout)
        return made

    return call


def link(ident: str, menu: str = "m1", under: str = "0", seq: str = "1", **sets: str) -> str:
    """One Quillmoor link. An underscore in a name is a hyphen; `at` in one is `@`."""
    entries = "".join(
        f'<set key="{key.replace("_at_", "@").replace("_", "-")}">{value}</set>'
        for key, value in sets.items()
    )
    return f'<link id="{ident}" menu="{menu}" under="{under}" seq="{seq}">{entries}</link>'


def quillmoor(
    *links: str,
    nodes: str = "",
    menus: str = '<menu ref="m1" name="Main bar"/>',
    spots: str = '<spot name="masthead" caption="Top bar" menu="m1"/>',
    more: str = "",
) -> bytes:
    """A Quillmoor export with these parts."""
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<quillmoor version="3" site="https://old.skerryline.example/" lang="en">'
        f"<content>{nodes}</content><menus>{menus}</menus>"
        f'<spots theme="breakwater">{spots}</spots><links>{"".join(links)}</links>'
        f"{more}</quillmoor>"
    ).encode()


def entry(text: str, *below: Any, to: str = "", **says: str) -> dict[str, Any]:
    """One Stallmere entry: to a record of a kind, to what is fixed, or to an address."""
    fixed = {"fixed": to} if to in ("home", "search", "account") else {}
    says = {"what": to, **says} if "key" in says else fixed or says
    return {"text": text, "link": says or None, "entries": list(below)}


def stallmere(
    *trees: tuple[str, list[Any]],
    header: str | None = "main",
    footer: str | None = None,
    theme: str = "plain",
    pages: tuple[str, ...] = (),
    **more: Any,
) -> bytes:
    """A Stallmere export with these trees, and pages titled like their keys."""
    document: dict[str, Any] = {
        "stallmere": 3,
        "site": "https://skerryline.stallmere.example",
        "stock": {
            "page": [{"key": key, "title": key.title()} for key in pages],
            "good": [],
            "aisle": [],
            "story": [],
        },
        "trees": [{"key": k, "title": k.title(), "entries": entries} for k, entries in trees],
        "frame": {"theme": theme, "header": header, "footer": footer},
    }
    document.update(more)
    return json.dumps(document).encode()


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """Print the scores that tests hold, and what became of damages."""
    damages: Counter[str] = Counter()
    for report in terminalreporter.stats.get("passed", ()):
        for name, said in report.user_properties:
            if name == "score":
                terminalreporter.write_line(said)
            if name == "damage":
                damages.update(json.loads(said))
    for kind in dict.fromkeys(name.split()[0] for name in damages):
        ends = {name.split()[1]: n for name, n in damages.items() if name.split()[0] == kind}
        words = ", ".join(f"{n} {end}" for end, n in sorted(ends.items()) if n)
        terminalreporter.write_line(f"damage {kind}: {words}")
