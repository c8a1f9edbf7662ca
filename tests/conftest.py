"""Shared helpers: the real program, and the demo data."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

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


class Link(NamedTuple):
    """One Quillmoor item: its number, its menu, what it is in, its order, and what it says."""

    ident: str
    menu: str
    under: str
    seq: str
    says: dict[str, str]


LEADS = ("page", "article", "subject", "fixed", "address")


def link(ident: str, menu: str = "m1", under: str = "0", seq: str = "1", **says: str) -> Link:
    """One Quillmoor item. What it leads to is one of `LEADS`; `says_nb` is a label in `nb`."""
    return Link(ident, menu, under, seq, says)


def _item(one: Link, after: str) -> str:
    says = dict(one.says)
    heading = says.pop("heading", None)
    inside = f' in="{one.under}"' if one.under != "0" else ""
    behind = f' after="{after}"' if after else ""
    seen = says.pop("for_", "")
    head = f'no="{one.ident}"{inside}{behind}' + (f' for="{seen}"' if seen else "")
    parts = ""
    for name, value in says.items():
        title, _, tongue = name.partition("_")
        if name in LEADS:
            parts += f'<leads {name}="{value}"/>'
        elif name == "picture":
            parts += f'<picture src="{value}"/>'
        else:
            tongue = f' lang="{tongue}"' if tongue and title == "says" else ""
            parts += f"<{title}{tongue}>{value}</{title}>" if value else f"<{title}{tongue}/>"
    if heading is not None:
        head += f' heading="{heading}"' if heading else ""
        return f"<plank {head}>{parts}</plank>"
    return f"<item {head}>{parts}</item>"


def _items(links: tuple[Link, ...], menu: str) -> str:
    """The items of a menu, each behind the one before it in their order."""
    mine = [one for one in links if one.menu == menu]
    last: dict[str, str] = {}
    after: dict[int, str] = {}
    for one in sorted(mine, key=lambda one: int(one.seq)):
        after[id(one)] = last.get(one.under, "")
        last[one.under] = one.ident
    return "".join(_item(one, after[id(one)]) for one in mine)


def quillmoor(
    *links: Link,
    nodes: str = "",
    menus: str = '<menu code="m1"><name>Main bar</name></menu>',
    places: str = "upper=m1",
    more: str = "",
    dress: str = "breakwater",
) -> bytes:
    """A Quillmoor export with these parts; `places` has the menu of each, as `upper=m1`."""
    shown: dict[str, str] = {}
    for pair in places.split():
        place, _, code = pair.partition("=")
        shown[code] = f"{shown.get(code, '')} {place}".strip()

    def filled(found: re.Match[str]) -> str:
        code = found[2]
        at = f' shown-at="{shown[code]}"' if code in shown else ""
        return f"{found[1]}{at}{found[3]}{_items(links, code)}</menu>"

    listed = re.sub(r"(<menu code=[\"']([^\"']*)[\"'])(.*?)</menu>", filled, menus)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<quillmoor version="4" root="https://old.skerryline.example/" speaks="en" '
        f'dress="{dress}"><leaves>{nodes}</leaves>{listed}{more}</quillmoor>'
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
