"""Whether the program does the same as it did: two versions, the same files, every byte compared.

    python tools/same.py BASE            # the tree as it stands against a commit
    python tools/same.py BASE --few 20   # every twentieth case only

Files are made once, by the base: the demo as an export of every platform and theme, generated
sites, and the files of the tests. Each case is a command line, run inside one process of either
version in a folder of its own; what counts is its exit code, what it prints, and every file that it
leaves. A case that differs is run again and shown. Exit code 1 if any does.
"""

from __future__ import annotations

import argparse
import contextlib
import difflib
import hashlib
import io
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
SITES = 4
"""Generated sites of each kind."""

FAULTS = (4, 99)
"""Exit codes of what must not happen: an account that does not add up, and a traceback."""

DEPTHS = ("lift", "columns", "menu", "gather", "drop", "auto")
LANGUAGES = ("labels", "menus")


def main() -> int:
    """Compare the tree with a commit."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawTextHelpFormatter
    )
    parser.add_argument("base", help="the commit to compare with")
    parser.add_argument("--few", type=int, default=1, metavar="N", help="only every Nth case")
    parser.add_argument("--show", type=int, default=5, help="differences to show")
    parser.add_argument("--keep", type=Path, help="a folder that the files stay in")
    asked = parser.parse_args()
    started = time.monotonic()
    with tempfile.TemporaryDirectory() as temporary:
        room = asked.keep or Path(temporary)
        room.mkdir(parents=True, exist_ok=True)
        base = Path(temporary) / "base"
        git = ["git", "-C", str(ROOT), "worktree"]
        subprocess.run([*git, "add", "--quiet", "--detach", str(base), asked.base], check=True)
        try:
            files = room / "files"
            _made(files, base)
            cases = list(cases_of(files))[:: asked.few]
            (room / "cases.json").write_text(json.dumps(cases), "utf-8")
            before, after = _run_both(room, base, files)
            differ = [
                n for n, (one, other) in enumerate(zip(before, after, strict=True)) if one != other
            ]
            for number in differ[: asked.show]:
                _show(room, base, files, number, cases[number])
            codes = sorted(Counter(code for code, _ in before).items())
            ended = ", ".join(f"{count} with exit code {code}" for code, count in codes)
            took = time.monotonic() - started
            print(f"{len(cases)} commands in {took:.0f} s: {ended}.")
            print(f"{len(differ)} differ.")
            faults = [n for n, (code, _) in enumerate(after) if code in FAULTS]
            for number in faults:
                print(f"a fault, with exit code {after[number][0]}: {' '.join(cases[number])}")
            return bool(differ)
        finally:
            subprocess.run([*git, "remove", "--force", str(base)], check=True)


# The files


def _made(files: Path, base: Path) -> None:
    """Fill a folder with files to convert, by the base's own program."""
    files.mkdir()
    for name in ("old.xml", "new.json", "season.json", "visits.csv"):
        shutil.copy(base / "src/ypsiform/demo/data" / name, files / f"demo-{name}")
    for folder in ("found", "samples"):
        for path in sorted((ROOT / "tests" / folder).iterdir()):
            if path.is_file() and "rand" not in path.name:  # its database takes rows by chance
                shutil.copy(path, files / f"{folder}-{path.name}")
    subprocess.run([sys.executable, __file__, "--make", str(files)], env=_of(base), check=True)


def _make(files: Path) -> None:
    """Exports of the demo for every place, and generated sites that are drawn by number."""
    sys.path.insert(0, os.environ["YPSIFORM_TREE"])
    from tests import apart, generated

    from ypsiform.demo import DATA
    from ypsiform.migrate import convert
    from ypsiform.profiles.load import every

    places = [f"{p.id}/{name}" for p in every() for name, t in p.themes.items() if not t.read_only]
    places += [p.id for p in every() if not p.themes]
    for place in places:
        data = convert((DATA / "old.xml").read_bytes(), "old.xml", place).data
        (files / f"to.{place.replace('/', '.')}").write_bytes(data)
    made = {name: (place, apart.sites(name)) for name, (place, *_) in apart.SITES.items()}
    made["odd-quillmoor"] = ("", generated.quillmoor())
    made["odd-stallmere"] = ("", generated.stallmere())
    for name, (place, strategy) in made.items():
        drawn = _drawn_of(strategy)
        longest = sorted(set(drawn), key=len)[-SITES:]
        for number, data in enumerate(longest):
            (files / f"site.{name}.{number}.{place.replace('/', '.')}").write_bytes(data)


def _drawn_of(strategy: Any) -> list[bytes]:
    """What a strategy of the tests gives, the same in every run."""
    from hypothesis import HealthCheck, Phase, given, seed, settings

    drawn: list[bytes] = []

    @seed(1)
    @settings(
        max_examples=12 * SITES,
        database=None,
        deadline=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(strategy)
    def draw(data: bytes) -> None:
        drawn.append(data)

    draw()
    return drawn


# The cases


def cases_of(files: Path) -> Iterator[list[str]]:
    """Command lines. `{files}` stands for the folder of the files; all others are relative."""
    names = sorted(path.name for path in files.iterdir())
    exports = [name for name in names if name.startswith("to.")]
    places = [name[3:].replace(".", "/", 1) for name in exports]
    draw = random.Random(1)
    for name in names:
        yield ["survey", f"{{files}}/{name}"]
        yield ["survey", f"{{files}}/{name}", "--json"]
        yield ["profile", "new", f"{{files}}/{name}", "-o", "new.toml"]
        if name.endswith(".toml"):
            yield ["profile", "check", f"{{files}}/{name}"]
    yield ["platforms"]
    yield from (["platforms", place] for place in places)
    yield from (["platforms", place, "--json"] for place in places)
    for export, by in zip(exports, places, strict=True):
        source = [
            f"{{files}}/{export}",
            "--from",
            "sitemap/tree" if by == "sitemap/inventory" else by,
        ]
        for other, to in zip(exports, places, strict=True):
            there = ["--into", f"{{files}}/{other}"]
            yield _convert(source, to)
            yield _convert(source, to, *there, "--made-up")
            yield from (_convert(source, to, "--depth", depth) for depth in DEPTHS)
            yield from (_convert(source, to, "--languages", way) for way in LANGUAGES)
            yield _convert(source, to, *_drawn(draw), *there)
            yield _convert(source, to, *_drawn(draw))
            yield ["draft", *source, "--to", to, "-o", "plan", *_drawn(draw)]
    for name in names:
        if name.startswith(("found-", "samples-", "site.", "demo-")):
            place = "/".join(name.split(".")[3:]) if name.startswith("site.") else ""
            source = [f"{{files}}/{name}", *(["--from", place] if place else [])]
            for other, to in zip(exports, places, strict=True):
                there = ["--into", f"{{files}}/{other}"] if draw.random() < 0.3 else []
                yield _convert(source, to, *_drawn(draw), *there)


def _convert(source: Sequence[str], to: str, *more: str) -> list[str]:
    return ["convert", *source, "--to", to, "-o", "out", "--report", "report.json", *more]


def _drawn(draw: random.Random) -> list[str]:
    """Ways to convert, drawn by chance, the same in every run."""
    made = ["--depth", draw.choice(DEPTHS), "--languages", draw.choice(("keep", *LANGUAGES))]
    made += ["--unmatched", draw.choice(("none", "address"))]
    made += ["--clash", draw.choice(("first", "merge"))]
    return made + draw.choice(([], ["--made-up"], ["--visits", "{files}/demo-visits.csv"]))


# Running


def _of(tree: Path) -> dict[str, str]:
    """The environment in which a process runs the program of a tree."""
    more = {"PYTHONPATH": str(tree / "src"), "PYTHONHASHSEED": "0", "COLUMNS": "100"}
    return {**os.environ, **more, "YPSIFORM_TREE": str(tree), "NO_COLOR": "1"}


Result = tuple[int, str]
"""An exit code, and a digest of all that a case left."""


def _run_both(room: Path, base: Path, files: Path) -> tuple[list[Result], list[Result]]:
    running = []
    for name, tree in (("before", base), ("after", ROOT)):
        work = room / f"{name}.work"
        words = [
            "--run",
            str(room / "cases.json"),
            str(files),
            str(work),
            str(room / f"{name}.json"),
        ]
        running.append(subprocess.Popen([sys.executable, __file__, *words], env=_of(tree)))
    if any(process.wait() for process in running):
        raise SystemExit("a process of cases did not end well")
    both = [json.loads((room / f"{name}.json").read_text()) for name in ("before", "after")]
    before, after = ([(code, digest) for code, digest in results] for results in both)
    return before, after


def _run(cases: Path, files: Path, work: Path, into: Path) -> None:
    """Run all cases in this process."""
    import ypsiform

    tree = Path(os.environ["YPSIFORM_TREE"])
    if not Path(ypsiform.__file__).is_relative_to(tree):
        raise SystemExit(f"the program of {tree} is not the one that is loaded")
    results: list[Result] = []
    for case in json.loads(cases.read_text("utf-8")):
        code, left = _left_by(case, files, work)
        digest = hashlib.sha256()
        for name, data in left.items():
            digest.update(f"{name}\0{len(data)}\0".encode() + data)
        results.append((code, digest.hexdigest()))
    into.write_text(json.dumps(results), "utf-8")


def _left_by(case: list[str], files: Path, work: Path) -> tuple[int, dict[str, bytes]]:
    """The exit code of a case, and what it printed and wrote, by name."""
    from ypsiform.cli.main import main as command

    shutil.rmtree(work, ignore_errors=True)
    work.mkdir()
    here = Path.cwd()
    os.chdir(work)
    out, err = _Both(), _Both()
    code: object = 0
    try:
        os.symlink(files, work / "files")
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            command([word.replace("{files}", "files") for word in case])
    except SystemExit as stop:
        code = stop.code
    except Exception as error:  # a fault of the program is a result as well
        code, err = 99, _Both()
        err.write(f"{type(error).__name__}: {error}")
    finally:
        os.chdir(here)
    left = {"stdout": out.bytes(), "stderr": err.bytes()}
    for path in sorted(work.rglob("*")):
        if path.is_file() and path.relative_to(work).parts[0] != "files":
            left[str(path.relative_to(work))] = path.read_bytes()
    return code if isinstance(code, int) else 0 if code is None else 1, left


class _Both(io.TextIOWrapper):
    """A stream of text, and of bytes behind it."""

    def __init__(self) -> None:
        super().__init__(io.BytesIO(), "utf-8", "backslashreplace", write_through=True)

    def bytes(self) -> bytes:
        """All that was written."""
        buffer = self.buffer
        assert isinstance(buffer, io.BytesIO)
        return buffer.getvalue()


def _show(room: Path, base: Path, files: Path, number: int, case: list[str]) -> None:
    """Run a case that differs once more in both versions, and print what is not the same."""
    print(f"\n== case {number}: ypsiform {' '.join(case)}")
    left: list[dict[str, str]] = []
    for tree in (base, ROOT):
        words = ["--one", json.dumps(case), str(files), str(room / "one.work")]
        done = subprocess.run(
            [sys.executable, __file__, *words], env=_of(tree), capture_output=True, check=False
        )
        left.append(
            json.loads(done.stdout) if not done.returncode else {"fault": done.stderr.decode()}
        )
    for name in dict.fromkeys([*left[0], *left[1]]):
        one, other = (side.get(name, "").splitlines() for side in left)
        for line in list(
            difflib.unified_diff(one, other, f"{name} before", f"{name} after", lineterm="", n=1)
        )[:30]:
            print(f"  {line[:300]}")


def _one(case: str, files: Path, work: Path) -> None:
    code, left = _left_by(json.loads(case), files, work)
    said = {name: data.decode("utf-8", "backslashreplace") for name, data in left.items()}
    if "report.json" in said:
        said["report.json"] = json.dumps(json.loads(said["report.json"]), indent=1)
    print(json.dumps({"exit code": str(code), **said}))


if __name__ == "__main__":
    word, *rest = sys.argv[1:] or [""]
    if word == "--make":
        _make(Path(rest[0]))
    elif word == "--run":
        _run(*map(Path, rest))
    elif word == "--one":
        _one(rest[0], Path(rest[1]), Path(rest[2]))
    else:
        raise SystemExit(main())
