"""Files, streams and the surroundings of the program: nothing lost, nothing half-written."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from ypsiform.demo import DATA
from ypsiform.text import printable, safe

PROGRAM = [sys.executable, "-m", "ypsiform"]
TABLE = "menu,level,label,address\nmain,1,Fares,/fares\n"
Call = Callable[..., "subprocess.CompletedProcess[bytes]"]


@pytest.fixture
def shell(tmp_path: Path) -> Call:
    """Run a line of shell in the folder, where `ypsiform` is the program."""
    (tmp_path / "t.csv").write_text(TABLE, "utf-8")
    (tmp_path / "old.xml").write_bytes((DATA / "old.xml").read_bytes())

    def call(line: str, **more: str) -> subprocess.CompletedProcess[bytes]:
        program = " ".join(PROGRAM)
        script = f'ypsiform() {{ {program} "$@"; }}\n{line}'
        return subprocess.run(
            ["bash", "-c", script],
            cwd=tmp_path,
            capture_output=True,
            env={**os.environ, **more},
            timeout=120,
        )

    return call


def said(done: subprocess.CompletedProcess[bytes]) -> str:
    text = done.stderr.decode("utf-8", "replace")
    assert "Traceback" not in text, text
    return text


def left(folder: Path) -> set[str]:
    return {path.name for path in folder.iterdir()} - {"t.csv", "old.xml"}


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="there is no full device here")
@pytest.mark.parametrize(
    "line",
    [
        "ypsiform convert t.csv --to opml -o - >/dev/full",
        "ypsiform convert t.csv --to opml -o o --json >/dev/full",
        "ypsiform convert t.csv --to opml -o o >/dev/full",
        "ypsiform survey old.xml >/dev/full",
        "ypsiform survey old.xml --json >/dev/full",
        "ypsiform platforms >/dev/full",
        "ypsiform --help >/dev/full",
        "ypsiform profile schema >/dev/full",
    ],
)
@pytest.mark.parametrize("unbuffered", ["", "1"])
def test_a_full_device_is_said(shell: Call, line: str, unbuffered: str) -> None:
    done = shell(line, PYTHONUNBUFFERED=unbuffered)
    assert done.returncode == 1
    assert "No space left on device" in said(done)


def test_a_full_disk_leaves_nothing(shell: Call, tmp_path: Path) -> None:
    rows = "".join(f"main,1,Item number {n},/page/{n}\n" for n in range(3000))
    (tmp_path / "t.csv").write_text("menu,level,label,address\n" + rows, "utf-8")
    # The largest file that may be written is 20 kB here.
    done = shell("trap '' XFSZ; ulimit -f 20; ypsiform convert t.csv --to json.out -o o")
    assert done.returncode == 1
    done = shell("trap '' XFSZ; ulimit -f 20; ypsiform convert t.csv --to opml -o o")
    assert done.returncode == 1 and "o: cannot be written: File too large" in said(done)
    assert left(tmp_path) == set()
    done = shell("trap '' XFSZ; ulimit -f 20; ypsiform convert t.csv --to opml -o - >o")
    assert done.returncode == 1 and "standard output: cannot be written" in said(done)


def test_output_to_a_slow_reader_is_whole(shell: Call, tmp_path: Path) -> None:
    rows = "".join(f"main,1,Item number {n},/page/{n}\n" for n in range(5000))
    (tmp_path / "t.csv").write_text("menu,level,label,address\n" + rows, "utf-8")
    whole = shell("ypsiform convert t.csv --to opml -o - | (sleep 1; cat)", PYTHONUNBUFFERED="1")
    assert shell("ypsiform convert t.csv --to opml -o o").returncode == 0
    assert whole.stdout == (tmp_path / "o").read_bytes()
    cut = shell("ypsiform convert t.csv --to opml -o - | head -c 100")
    assert (len(cut.stdout) == 100 and said(cut) == "t.csv is an export of csv.\n") or not said(cut)


@pytest.mark.parametrize("encoding", ["cp1252", "latin-1", "cp437", "ascii", "utf-16"])
def test_a_terminal_without_our_characters(shell: Call, encoding: str) -> None:
    for line in ("survey old.xml", "explain kind.parent", "convert t.csv --to opml -o o --force"):
        done = shell(f"ypsiform {line}", PYTHONIOENCODING=encoding)
        assert done.returncode == 0, said(done)
        assert done.stdout


def test_closed_streams(shell: Call, tmp_path: Path) -> None:
    closed = shell("ypsiform survey old.xml >&-")
    assert closed.returncode == 1 and "standard output" in said(closed)
    assert shell("ypsiform survey old.xml 2>&-").returncode == 0
    assert "standard input: it is closed" in said(shell("ypsiform survey - <&-"))
    done = shell("ypsiform convert t.csv --to opml -o o >&- 2>&-")
    assert done.returncode == 1 and (tmp_path / "o").read_bytes().startswith(b"<?xml")


def test_names_that_are_not_utf_8(shell: Call, tmp_path: Path) -> None:
    name = os.fsencode(tmp_path) + b"/f\xe4hre.csv"
    Path(os.fsdecode(name)).write_text(TABLE, "utf-8")
    assert shell("ypsiform survey f*.csv").returncode == 0
    assert shell("ypsiform convert f*.csv --to opml -o o --report r.json").returncode == 0
    assert json.loads((tmp_path / "r.json").read_bytes())["source"]["file"]
    done = shell("ypsiform draft f*.csv --to opml -o plan")
    assert done.returncode == 1 and "not UTF-8" in said(done)
    assert not (tmp_path / "plan").exists()


def test_what_was_read_is_never_written_over(shell: Call, tmp_path: Path) -> None:
    (tmp_path / "v.csv").write_text("address,visits\n/fares,3\n", "utf-8")
    (tmp_path / "r.csv").write_text("old,new\n/fares,/prices\n", "utf-8")
    (tmp_path / "i.csv").write_text("address\n/prices\n", "utf-8")
    os.link(tmp_path / "v.csv", tmp_path / "same.csv")
    os.symlink("i.csv", tmp_path / "link.csv")
    assert shell("ypsiform draft t.csv --to opml -o plan").returncode == 0
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    for line in (
        "convert t.csv --to csv -o t.csv --force",
        "convert t.csv --to csv --visits v.csv -o v.csv --force",
        "convert t.csv --to csv --visits v.csv -o same.csv --force",
        "convert t.csv --to csv --redirects r.csv -o r.csv --force",
        "convert t.csv --to csv --inventory i.csv -o link.csv --force",
        "convert --plan plan -o plan/migration.toml --force",
        "convert --plan plan -o plan/links.csv --force",
        "convert t.csv --to csv -o o --report r.json --visits r.json --force",
        "draft t.csv --to csv --visits plan/links.csv -o plan --force",
        "profile new t.csv -o t.csv --force",
    ):
        done = shell(f"ypsiform {line}")
        assert done.returncode == 1 and done.stderr.count(b"\n") == 1, (line, said(done))
    after = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    assert after == before


def test_links_and_folders(shell: Call, tmp_path: Path) -> None:
    os.symlink("nowhere", tmp_path / "dangling")
    done = shell("ypsiform convert t.csv --to opml -o dangling")
    assert done.returncode == 1 and "exists already" in said(done)
    outside = tmp_path / "outside"
    outside.mkdir()
    (tmp_path / "site").mkdir()
    os.symlink(outside, tmp_path / "site" / "content")
    (tmp_path / "h.toml").write_text(
        'baseURL = "https://a.example/"\n[[menus.main]]\nname = "A"\nurl = "/a/"\n', "utf-8"
    )
    done = shell("ypsiform convert t.csv --to hugo -o site/ --set form=folder")
    assert list(outside.iterdir()) == [], said(done)
    refused = shell("chmod 000 site; ypsiform convert site --to csv -o o; chmod 755 site")
    assert "Traceback" not in said(refused)


@pytest.mark.skipif(os.geteuid() == 0, reason="the superuser may write anywhere")
def test_folders_that_may_not_be_entered(shell: Call, tmp_path: Path) -> None:
    (tmp_path / "shut").mkdir(mode=0o000)
    (tmp_path / "fixed").mkdir(mode=0o555)
    for line in (
        "survey shut/x",
        "convert t.csv --to csv -o shut/o",
        "draft t.csv --to csv -o shut/p",
        "convert t.csv --to csv -o fixed/o",
    ):
        done = shell(f"ypsiform {line}")
        assert done.returncode == 1 and done.stderr.count(b"\n") <= 2, said(done)


def test_a_plan_says_that_it_writes_outside_its_folder(shell: Call, tmp_path: Path) -> None:
    assert shell("ypsiform draft t.csv --to opml -o plan").returncode == 0
    path = tmp_path / "plan/migration.toml"
    path.write_text(path.read_text().replace('output = "import"', 'output = "../../out"'))
    done = shell("ypsiform convert --plan plan")
    assert said(done).startswith("The plan has its import written outside its folder: ../out")


@pytest.mark.parametrize("columns", ["1", "20", "40"])
def test_narrow_terminals(shell: Call, columns: str) -> None:
    for line in ("explain kind.parent", "survey old.xml", "platforms", "platforms stallmere"):
        done = shell(f"ypsiform {line}", COLUMNS=columns)
        assert done.returncode == 0, said(done)
    if columns == "40":
        lines = shell("ypsiform survey old.xml", COLUMNS="40").stdout.decode().splitlines()
        words = [line for line in lines if len(line) > 40 and len(line.split()) > 1]
        assert words == []


def test_control_characters_reach_no_terminal(shell: Call, tmp_path: Path) -> None:
    odd = "\x1b]0;owned\x07\u202eabc\x9b2J"
    assert "\x1b" not in safe(odd) and "\u202e" not in printable(odd)
    assert printable("\x1b[1mbold\x1b[0m\ttab") == "\x1b[1mbold\x1b[0m tab"
    trees = [{"key": odd, "title": odd, "entries": [{"text": odd, "link": None}]}]
    document = {"stallmere": 3, "trees": trees, "frame": {"theme": odd, "header": odd}}
    (tmp_path / "x.json").write_text(json.dumps(document), "utf-8")
    own = {"ypsiform": 1, "platform": odd, "menus": []}
    (tmp_path / "y.json").write_text(json.dumps(own), "utf-8")
    profile = f'profile = 1\nid = "a"\nname = {json.dumps(odd)}\ncontainer = "json"\n'
    (tmp_path / "p.toml").write_text(profile, "utf-8")
    (tmp_path / odd.replace("/", "")).write_text(TABLE, "utf-8")
    for line in (
        "survey x.json",
        "convert x.json --to stallmere -o o",
        "convert x.json --to quillmoor -o q",
        "draft x.json --to csv -o plan",
        "survey y.json",
        "profile check p.toml",
        "survey *abc*",
        "convert *abc* --to csv -o z",
        "survey $'no\\x1b[2Jsuch'",
    ):
        done = shell(f"ypsiform {line}")
        for stream in (done.stdout, done.stderr):
            text = stream.decode("utf-8")
            assert not [c for c in text if not c.isprintable() and c != "\n"], (line, text)
        said(done)


def test_killed_at_any_moment_the_old_file_or_the_new_one_is_there(tmp_path: Path) -> None:
    rows = "".join(f"main,1,Item number {n},/page/{n}\n" for n in range(2000))
    (tmp_path / "t.csv").write_text("menu,level,label,address\n" + rows, "utf-8")
    command = [*PROGRAM, "convert", "t.csv", "--to", "opml", "-o", "o", "--force"]
    started = time.monotonic()
    assert subprocess.run(command, cwd=tmp_path, capture_output=True).returncode == 0
    whole = time.monotonic() - started
    new = (tmp_path / "o").read_bytes()
    draw = random.Random(11)
    for _ in range(10):
        (tmp_path / "o").write_bytes(b"old")
        process = subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.DEVNULL)
        time.sleep(whole * draw.uniform(0.6, 1.1))
        process.send_signal(signal.SIGKILL)
        process.wait()
        assert (tmp_path / "o").read_bytes() in (b"old", new)
    done = subprocess.run(command, cwd=tmp_path, capture_output=True)
    assert done.returncode == 0 and (tmp_path / "o").read_bytes() == new


def test_stopped_by_the_keyboard_it_says_so(tmp_path: Path) -> None:
    rows = "".join(f"main,1,Item number {n},/page/{n}\n" for n in range(20000))
    (tmp_path / "t.csv").write_text("menu,level,label,address\n" + rows, "utf-8")
    for wait in (0.3, 0.6, 1.0):
        process = subprocess.Popen(
            [*PROGRAM, "convert", "t.csv", "--to", "opml", "-o", "o", "--force"],
            cwd=tmp_path,
            stderr=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
        )
        time.sleep(wait)
        process.send_signal(signal.SIGINT)
        _, errors = process.communicate()
        assert b"Traceback" not in errors or wait == 0.3
        assert not (tmp_path / "o").exists() or process.returncode == 0


def test_two_at_once_write_one_of_the_two(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text(TABLE, "utf-8")
    results = []
    for to in ("opml", "html"):
        done = subprocess.run(
            [*PROGRAM, "convert", "t.csv", "--to", to, "-o", to], cwd=tmp_path, capture_output=True
        )
        assert done.returncode == 0
        results.append((tmp_path / to).read_bytes())
    for _ in range(3):
        both = [
            subprocess.Popen(
                [*PROGRAM, "convert", "t.csv", "--to", to, "-o", "o", "--force"],
                cwd=tmp_path,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            for to in ("opml", "html")
        ]
        assert [process.wait() for process in both] == [0, 0]
        assert (tmp_path / "o").read_bytes() in results
    assert not [path for path in tmp_path.iterdir() if path.suffix == ".part"]
