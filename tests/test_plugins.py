"""Platforms of other packages: the example of the documentation, installed and used."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

DOCS = (Path(__file__).parents[1] / "docs" / "plugins.md").read_text("utf-8")
(CODE,) = re.findall(r"```python\n(.*?)```", DOCS, re.DOTALL)
(SAMPLE,) = re.findall(r"```text\n(.*?)```", DOCS, re.DOTALL)
(ENTRY,) = re.findall(r"```ini\n(.*?)```", DOCS, re.DOTALL)

Run = Callable[..., subprocess.CompletedProcess[str]]


def install(folder: Path, name: str, code: str, entry: str) -> Path:
    """Build a package with one module, and install it into a folder of its own."""
    wheel = folder / f"{name}-1.0-py3-none-any.whl"
    info = f"{name}-1.0.dist-info"
    files = {
        f"{name}.py": code,
        f"{info}/METADATA": f"Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n",
        f"{info}/WHEEL": "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n",
        f"{info}/entry_points.txt": entry,
    }
    files[f"{info}/RECORD"] = "".join(f"{inside},,\n" for inside in [*files, f"{info}/RECORD"])
    with zipfile.ZipFile(wheel, "w") as archive:
        for inside, text in files.items():
            archive.writestr(inside, text)
    into = folder / "installed"
    options = ["--quiet", "--no-index", "--no-deps", "--disable-pip-version-check"]
    pip = [sys.executable, "-m", "pip", "install", *options, "--target", str(into), str(wheel)]
    done = subprocess.run(pip, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return into


def runner(installed: Path, folder: Path) -> Run:
    def run(*arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "ypsiform", *arguments],
            cwd=folder,
            env={**os.environ, "PYTHONPATH": str(installed)},
            capture_output=True,
            text=True,
        )

    return run


@pytest.fixture
def plugged(tmp_path: Path) -> Run:
    (tmp_path / "list.txt").write_text(SAMPLE, "utf-8")
    return runner(install(tmp_path, "harbourlist", CODE, ENTRY), tmp_path)


def test_a_plug_in_is_a_platform_like_any_other(plugged: Run, tmp_path: Path) -> None:
    listed = plugged("platforms")
    assert "harbourlist" in listed.stdout and listed.stderr == ""
    assert "Menus as a typed list." in plugged("platforms", "harbourlist").stdout
    done = plugged("survey", "list.txt")
    assert done.returncode == 0, done.stderr
    assert "list.txt is an export of harbourlist." in done.stderr and "North" in done.stdout
    done = plugged("convert", "list.txt", "--to", "csv", "-o", "out.csv")
    assert done.returncode == 0, done.stderr
    rows = (tmp_path / "out.csv").read_text("utf-8").splitlines()
    assert rows[1:] == [
        "main,1,Sailings,/sailings",
        "main,2,North,/north",
        "foot,1,Contact,/contact",
    ]
    done = plugged("convert", "out.csv", "--to", "harbourlist", "-o", "again.txt")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "again.txt").read_text("utf-8") == SAMPLE
    done = plugged("profile", "check", "harbourlist", "list.txt")
    assert done.returncode == 0 and "the same, value for value" in done.stdout
    done = plugged("convert", "list.txt", "--to", "ypsiform", "-o", "doc.json")
    assert done.returncode == 0, done.stderr
    done = plugged("convert", "doc.json", "--to", "harbourlist", "-o", "third.txt")
    assert (tmp_path / "third.txt").read_text("utf-8") == SAMPLE


def test_a_plug_in_is_given_files_of_strangers(plugged: Run, tmp_path: Path) -> None:
    (tmp_path / "bad.txt").write_text("= main\n   Odd -> /x\n", "utf-8")
    done = plugged("survey", "bad.txt")
    assert done.returncode == 1
    assert done.stderr == "ypsiform: bad.txt, line 2: an odd number of blanks.\n"
    (tmp_path / "bad.txt").write_bytes(b"= main\n\xff")
    done = plugged("survey", "bad.txt")
    assert done.returncode == 1 and "the plug-in 'harbourlist' failed: Unicode" in done.stderr
    (tmp_path / "other.txt").write_text("nothing of it", "utf-8")
    done = plugged("survey", "other.txt", "--from", "harbourlist")
    assert done.returncode == 1 and "this is not a file of harbourlist" in done.stderr


@pytest.mark.parametrize(
    ("code", "words"),
    [
        ("import nothing_of_this_name", "cannot be loaded: ModuleNotFoundError"),
        ("PROFILE = 1", "has no text PROFILE"),
        ("PROFILE = 'profile = 1'", "'id' is missing here"),
        (CODE.replace('id = "harbourlist"', 'id = "other"'), "its id is 'other', not"),
        (CODE.replace("def fits", "def suits"), "needs both `fits` and `read`"),
        (CODE.replace('container = "json"', 'container = "csv"'), "container = 'json'"),
    ],
)
def test_a_broken_plug_in_stops_nothing(tmp_path: Path, code: str, words: str) -> None:
    (tmp_path / "t.csv").write_text("menu,level,label,address\nmain,1,A,/a\n", "utf-8")
    run = runner(install(tmp_path, "harbourlist", code, ENTRY), tmp_path)
    listed = run("platforms")
    assert listed.returncode == 0 and words in listed.stderr, listed.stderr
    assert "Traceback" not in listed.stderr and listed.stderr.count("\n") == 1
    assert run("survey", "t.csv").returncode == 0
    asked = run("survey", "t.csv", "--from", "harbourlist")
    assert asked.returncode == 1 and words in asked.stderr


def test_no_plug_in_takes_the_name_of_a_platform(tmp_path: Path) -> None:
    entry = ENTRY.replace("harbourlist =", "csv =")
    run = runner(install(tmp_path, "harbourlist", CODE, entry), tmp_path)
    listed = run("platforms")
    assert "the plug-in 'csv' has the id of a platform that ships" in listed.stderr
