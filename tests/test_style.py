"""Types and style are part of the tests."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


@pytest.mark.parametrize(
    "command", [["ruff", "check"], ["ruff", "format", "--check"], ["mypy"]], ids=lambda c: c[0]
)
def test_tools_are_content(command: list[str]) -> None:
    done = subprocess.run(
        [sys.executable, "-m", *command], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr


def test_start_up_imports_nothing_heavy() -> None:
    program = "import sys, ypsiform.cli.main; print(*sys.modules)"
    done = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, check=True
    )
    loaded = set(done.stdout.split())
    assert "click" in loaded
    assert not loaded & {"msgspec", "rich", "tomllib", "json", "xml", "lxml", "numpy"}


NO_CODES: set[str] = {"menus.at", "items.at", "menu.json"}
"""Words with a point in them that are no codes."""


def test_every_code_is_used_and_explained() -> None:
    from ypsiform.findings import CODES, SEVERITIES
    from ypsiform.model import TRAIT_NAMES

    source = "".join(
        path.read_text("utf-8")
        for path in (ROOT / "src/ypsiform").rglob("*.py")
        if path.name != "findings.py"
    )
    used = set(re.findall(r'"((?:[a-z]+)\.[a-z]+(?:-[a-z]+)*)"', source))
    areas = {code.partition(".")[0] for code in CODES}
    unknown = {word for word in used if word.partition(".")[0] in areas} - set(CODES)
    assert unknown <= NO_CODES, "codes that are used and do not exist"
    for code, entry in CODES.items():
        made = code.startswith("trait.") and code[6:] in TRAIT_NAMES  # named after the trait
        assert made or f'"{code}"' in source, f"{code} is never reported"
        assert entry.severity in SEVERITIES
        said = (entry.why, entry.do, entry.means, entry.happens, entry.remedy)
        assert all(len(words) > 10 for words in said), code
