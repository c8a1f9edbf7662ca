"""A fuzzer: files of every container, plans and profiles, damaged in bytes and in structure.

    python -m tests.fuzz --count 50000 --seed 7
    python -m tests.fuzz --only 7:1234          # one input again, and what came of it

Each input is a number under a seed: the same number is the same input for ever. Workers are forked
with a limit on memory and an alarm; some inputs go through the real command. It counts what was
converted, refused and stopped at; a stop is a traceback, a fault of the account (exit 4), a signal,
too much time or memory, a control character on its way to a terminal, or a file left behind.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable, Iterator
from copy import deepcopy
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from tests.odd_sites import odd_site
from tests.test_containers import SAMPLES as IN_CONTAINERS
from tests.test_folders import SAMPLES as IN_FOLDERS
from ypsiform import document, migrate
from ypsiform.containers import container
from ypsiform.containers import zip as zip_
from ypsiform.decisions import DEPTHS, LANGUAGES
from ypsiform.demo import DATA
from ypsiform.draft import drafted
from ypsiform.errors import AuditError, UnprovenError, YpsiformError
from ypsiform.first_profile import ONLY_READ, first_profile
from ypsiform.fit import Options
from ypsiform.fit.options import CLASHES, UNMATCHED
from ypsiform.migrate import convert
from ypsiform.plan.file import VERSION, PlanFile, read_plan
from ypsiform.profiles.load import every, load, parsed
from ypsiform.proof import Migration
from ypsiform.reading import Surveyed, all_findings, read
from ypsiform.report import form_of
from ypsiform.report import json as report
from ypsiform.report.terminal import migration_lines, survey_lines

MEMORY = 1 << 30
"""Bytes of address space of a worker beyond what it has when it starts."""

SECONDS = 20
"""Seconds of time for one input."""

OTHER_FORMS = ("page.html", "note.md", "table.csv", "book.xlsx")
"""The forms of reports beside JSON, which some of the conversions are written in."""

COMMAND = 100
"""One input in so many goes through the real command."""

PLACES = [
    f"{p.id}/{name}" for p in every() for name, theme in p.themes.items() if not theme.read_only
] + [p.id for p in every() if not p.themes]
FOUND = Path(__file__).parent / "found"


class Seeded(NamedTuple):
    """A file to damage: its name, its bytes, and its container where that can be written."""

    name: str
    data: bytes
    form: str


class Stop(Exception):
    """Something that must not happen."""


UNKNOWN = [*((form, *said) for form, said in IN_CONTAINERS.items()), *IN_FOLDERS]
"""Files of containers and structures that no platform has, with a profile for each."""


@lru_cache(maxsize=1)
def corpus() -> list[Seeded]:
    """Sound files of every platform, and those that were found."""
    made = [Seeded("old.xml", (DATA / "old.xml").read_bytes(), "xml")]
    made.append(Seeded("season.json", (DATA / "season.json").read_bytes(), "json"))
    made.append(Seeded("new.json", (DATA / "new.json").read_bytes(), "json"))
    for to in PLACES:
        profile = load(to.partition("/")[0])
        form = profile.container if profile.container != "files" else ""
        for source in made[:2]:
            try:
                data = convert(source.data, source.name, to).data
            except YpsiformError:
                continue
            made.append(Seeded(f"{to.replace('/', '-')} of {source.name}", data, form))
    for at, (form, data, _) in enumerate(UNKNOWN):
        made.append(Seeded(f"unknown.{at}.{form}", data, form))
    for name, form in SAMPLES.items():
        made.append(Seeded(name, (Path(__file__).parent / "samples" / name).read_bytes(), form))
    return made


SAMPLES = {"fanlight.json": "json", "arborcote.yaml": "yaml", "tilewick.csv": "csv"}
"""Files that say what no conversion of the demo does, and the containers that they are in."""


@lru_cache(maxsize=1)
def found() -> list[Seeded]:
    """Files that something was found with; some of them are refused as they are."""
    paths = [path for path in sorted(FOUND.iterdir()) if not path.name.startswith("profile-")]
    return [Seeded(path.name, path.read_bytes(), FORMS.get(path.suffix, "")) for path in paths]


FORMS = {
    **{f".{form}": form for form in ("json", "xml", "yaml", "toml", "csv")},
    ".db": "sqlite",
}


def drawn(draw: random.Random) -> Seeded:
    """A file to damage: mostly a sound one."""
    return draw.choice(found() if draw.random() < 0.12 else corpus())


# Damage

ODD = [
    *("", " ", "\x00", "\x1b[2J", "\u202e", "'", '"', "<b>", "&", "=1+1", "-", "#", "?", "/", "//"),
    *("javascript:alert(1)", "data:text/html,x", "http://[", "%", "%zz", "a" * 5000, "é", "\ud800"),
    *("\u0085", "\u2028", "null", "true", "0", "-1", "1e999", "99999999999999999999", "1.1.1"),
    *("main", "header", "everyone", "members", "page", "none", "yes", "no", "..", "a/b", "@x", "*"),
    *("<script>x</script>", "<a href=/x>x</a>", "[x](/y)", "{id}", "${x}", "~", "\t", "\n", "\r"),
]
TOKENS = [word.encode("utf-8", "surrogatepass") for word in ODD if len(word) < 100]
VALUES: list[Any] = [None, True, False, 0, -1, 1.5, 10**25, [], {}, [[]], [{}], {"a": {"b": 1}}]


def of_bytes(data: bytes, draw: random.Random) -> bytes:
    """A few changes of bytes: flips, cuts, copies, and words put in."""
    made = bytearray(data)
    for _ in range(draw.choice((1, 1, 1, 2, 4))):
        at = draw.randrange(len(made) + 1)
        size = draw.choice((1, 1, 2, 8, 64))
        way = draw.randrange(6)
        if way == 0 and made:
            made[at % len(made)] ^= 1 << draw.randrange(8)
        elif way == 1:
            del made[at : at + size]
        elif way == 2:
            made[at:at] = made[at : at + size]
        elif way == 3:
            made[at : at + size] = draw.choice(TOKENS)
        elif way == 4 and draw.random() < 0.2:
            del made[at:]
        else:
            other = draw.randrange(len(made) + 1)
            made[at:at] = made[other : other + size]
    return bytes(made)


def _slots(tree: Any) -> list[tuple[Any, Any]]:
    """Every place in a tree that holds something: the holder and the key."""
    found: list[tuple[Any, Any]] = []
    stack = [tree]
    while stack:
        node = stack.pop()
        if isinstance(node, dict):
            found += [(node, key) for key in node]
            stack += node.values()
        elif isinstance(node, list):
            found += [(node, at) for at in range(len(node))]
            stack += node
        elif isinstance(node, tuple):
            stack += [inner for inner in node if isinstance(inner, (dict, list))]
    return found


def of_structure(tree: Any, draw: random.Random) -> Any:
    """A few changes of values and records: lost, doubled, swapped, ill-typed, repeated, deep."""
    for _ in range(draw.choice((1, 1, 1, 2, 3))):
        slots = _slots(tree)
        if not slots:
            return tree
        holder, key = draw.choice(slots)
        held = holder[key]
        element = isinstance(held, tuple)
        way = draw.randrange(8)
        if way == 0:
            del holder[key]
        elif way == 1 and isinstance(holder, list):
            holder.insert(draw.randrange(len(holder) + 1), deepcopy(held))
        elif way == 2:
            other, there = draw.choice(slots)
            stands = there in other if isinstance(other, dict) else there < len(other)
            if stands and isinstance(other[there], tuple) == element:
                holder[key], other[there] = other[there], held
        elif way == 3 and not element:
            holder[key] = draw.choice(ODD)
        elif way == 4 and not element:
            holder[key] = deepcopy(draw.choice(VALUES))
        elif way == 5 and not element:
            alike = [o[k] for o, k in slots if k == key and type(o[k]) is type(held)]
            holder[key] = deepcopy(draw.choice(alike))
        elif way == 6 and isinstance(held, (str, int)) and not element:
            # A value of some other place: ids that repeat, parents that form rings.
            others = [o[k] for o, k in slots if type(o[k]) is type(held)]
            holder[key] = draw.choice(others)
        elif way == 7 and isinstance(held, (dict, list)) and not element:
            inner = deepcopy(held)
            for _ in range(draw.choice((1, 3, 30))):
                inner = [inner] if isinstance(holder, list) else {str(key): inner}
            holder[key] = inner
    return tree


def damaged(seeded: Seeded, draw: random.Random) -> bytes:
    """A file, damaged in its structure where it has one that can be written, or in its bytes."""
    if seeded.form == "texts":
        files = dict(zip_.unpack(seeded.data, ""))
        name = draw.choice([*files])
        files[name] = damaged(Seeded(name, files[name], "front"), draw)
        return zip_.pack(files)
    if seeded.form and draw.random() < 0.85:
        module = container(seeded.form)
        try:
            return module.write(of_structure(module.read(seeded.data, ""), draw))
        except Exception:
            return of_bytes(seeded.data, draw)
    return of_bytes(seeded.data, draw) if draw.random() < 0.6 else seeded.data


# What is done with it


def _options(draw: random.Random) -> Options:
    return Options(
        made_up=draw.random() < 0.3,
        unmatched=draw.choice(UNMATCHED),
        clash=draw.choice(CLASHES[:2]),
        depth=draw.choice(DEPTHS),
        languages=draw.choice(("keep", "keep", "keep", *LANGUAGES)),
        as_of=draw.choice((None, "2026-11-30")),
    )


def _plain(lines: Iterator[str]) -> None:
    for line in lines:
        odd = [c for c in line if not c.isprintable()]
        if odd:
            raise Stop(f"a line for the terminal holds {odd[0]!r}: {line[:80]!r}")


def _looked_at(data: bytes, name: str) -> Surveyed:
    surveyed, _ = read(data, name)
    surveyed.findings = all_findings(surveyed)
    _plain(survey_lines(surveyed, 80))
    json.loads(report.surveyed(surveyed, {"source": None}))
    return surveyed


def _told(done: Migration) -> None:
    _plain(migration_lines(done, "out", 80))
    hashes = dict.fromkeys(("source", "plan", "links", "into", "profile", "output"))
    said = json.loads(report.written(done, "out", hashes, None))
    assert said["findings"] == report.of_migration(done, "out", hashes, None)["findings"]
    if len(done.data) % 8 == 0:  # the other forms cost as much as a small conversion
        for name in OTHER_FORMS:
            form = form_of(name)
            assert form is not None and form.written(done, "out", hashes, None)


def survey(data: bytes, name: str, draw: random.Random) -> None:
    """Look at an export."""
    _looked_at(data, name)


def there_and_back(data: bytes, name: str, draw: random.Random) -> None:
    """Convert to some place, and what was written to another one, perhaps the first."""
    own = _looked_at(data, name).site.platform
    to = draw.choice(PLACES)
    done = convert(data, name, to, options=_options(draw))
    _told(done)
    back = draw.choice((own, to, draw.choice(PLACES)))
    if load(back.partition("/")[0]).read_only:
        return
    by = to if to != "sitemap/inventory" else None
    _told(convert(done.data, "first", back, from_=by, options=_options(draw)))


def into(data: bytes, name: str, draw: random.Random) -> None:
    """Convert into a damaged file, and once more into what came of that."""
    own = read(data, name)[0].site
    to = own.platform + (f"/{own.theme}" if own.theme and draw.random() < 0.5 else "")
    source = draw.choice(corpus()[:8])
    done = convert(source.data, source.name, to, into=(data, name), options=_options(draw))
    _told(done)
    convert(source.data, source.name, to, into=(done.data, "again"), options=_options(draw))


def plan(data: bytes, name: str, draw: random.Random) -> None:
    """Draft a plan, damage it and its table of links, and convert by it."""
    to = draw.choice(PLACES[:12])
    there = None
    if to.startswith("stallmere") and draw.random() < 0.5:
        there = ((DATA / "new.json").read_bytes(), "new.json")
    done = convert(data, name, to, into=there)
    profile = load(to.partition("/")[0])
    made = drafted(done, PlanFile(VERSION, to=to, output="o"), None, {}, profile.locations.declare)
    words, links = made.plan, made.links
    if draw.random() < 0.7:
        words = damaged(Seeded("plan", words, "toml"), draw)
    if draw.random() < 0.7:
        links = damaged(Seeded("links", links, "csv"), draw)
    plan = read_plan(words, "migration.toml")
    _told(convert(data, name, to, into=there, plan=plan, links=(links, "links.csv")))


def profile(data: bytes, name: str, draw: random.Random) -> None:
    """Damage the profile of a platform, and read and write one of its files by it."""
    at = draw.choice(PLACES)
    known = load(at.partition("/")[0])
    file = Path(migrate.__file__).parent / "profiles/platforms" / f"{known.id}.toml"
    text = damaged(Seeded("p.toml", file.read_bytes(), "toml"), draw).decode("utf-8", "replace")
    made = parsed(text, "p.toml")
    sound = next(s for s in corpus() if s.name.startswith(at.replace("/", "-")))
    surveyed, _ = read(sound.data, sound.name, made)
    _plain(survey_lines(surveyed, 80))
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "p.toml").write_text(text, "utf-8")
        by = f"{folder}/p.toml"
        _told(convert(sound.data, sound.name, draw.choice(PLACES), from_=by))
        if not made.read_only:
            convert(sound.data, sound.name, by, from_=by)


def new_profile(data: bytes, name: str, draw: random.Random) -> None:
    """Describe an export as an unknown one, and read it by that."""
    made = first_profile(data, name)
    profile = parsed(made.text, "p.toml")
    surveyed, _ = read(data, name, profile)
    _plain(survey_lines(surveyed, 80))
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "p.toml").write_text(made.text, "utf-8")
        by = f"{folder}/p.toml"
        _told(convert(data, name, draw.choice(PLACES), from_=by))
        if profile.read_only:
            raise UnprovenError(ONLY_READ, [ONLY_READ])
        convert(data, name, by, from_=by)


def unknown(data: bytes, name: str, draw: random.Random) -> None:
    """Damage a file of a container that no platform has, and read and write it by its profile."""
    form, sound, text = draw.choice(UNKNOWN)
    made = parsed(text, "p.toml")
    there = damaged(Seeded(f"unknown.{form}", sound, form), draw)
    surveyed, _ = read(there, "unknown", made)
    _plain(survey_lines(surveyed, 80))
    _told(convert(there, "unknown", draw.choice(PLACES), from_=made))
    if not made.read_only:
        _told(convert(there, "unknown", made, from_=made))


def chain(data: bytes, name: str, draw: random.Random) -> None:
    """Four conversions, one after the other."""
    held, by = data, None
    for _ in range(4):
        to = draw.choice(PLACES)
        done = convert(held, name, to, from_=by, options=_options(draw))
        _told(done)
        if to.startswith("sitemap"):
            return
        held, by = done.data, to


def whole(data: bytes, name: str, draw: random.Random) -> None:
    """As a document of our own, and back to what it was."""
    done = convert(data, name, document.ID)
    own = read(data, name)[0]
    if not own.profile.read_only:
        convert(done.data, "document", own.site.platform)


def odd(_: bytes, name: str, draw: random.Random) -> None:
    """A sound document of an odd site, to one place and on to another."""
    to = draw.choice(PLACES)
    done = convert(odd_site(draw), name, to, options=_options(draw))
    _told(done)
    if not to.startswith("sitemap"):
        convert(done.data, name, draw.choice(PLACES), from_=to, options=_options(draw))


WAYS: list[tuple[Callable[[bytes, str, random.Random], None], int]] = [
    (there_and_back, 10),
    (into, 4),
    (chain, 4),
    (survey, 2),
    (plan, 2),
    (profile, 2),
    (new_profile, 1),
    (unknown, 1),
    (whole, 2),
    (odd, 4),
]


def command(data: bytes, name: str, draw: random.Random) -> str:
    """Run the real command in a folder of its own. Returns what came of it."""
    folder = Path(tempfile.mkdtemp())
    try:
        (folder / "x").write_bytes(data)
        to, out = draw.choice(PLACES), "out"
        program = [sys.executable, "-m", "ypsiform"]
        words = draw.choice(
            (
                ["survey", "x"],
                ["convert", "x", "--to", to, "-o", out, "--depth", draw.choice(DEPTHS)],
                ["convert", "x", "--to", to, "-o", out, "--into", "x"],
                ["draft", "x", "--to", to, "-o", "plan"],
                ["profile", "new", "x", "-o", out],
            )
        )
        done = subprocess.run([*program, *words], cwd=folder, capture_output=True, timeout=60)
        text = (done.stdout + done.stderr).decode("utf-8", "replace")
        if done.returncode not in (0, 1, 2, 3):
            raise Stop(f"{words} ended with {done.returncode}: {text[-300:]}")
        if "Traceback" in text:
            raise Stop(f"{words} ended in a traceback: {text[-300:]}")
        if [c for c in text if not c.isprintable() and c != "\n"]:
            raise Stop(f"{words} printed control characters")
        left = {path.name for path in folder.iterdir()} - {"x"}
        kept = {out, f"{out}.record.json", "plan"} if done.returncode in (0, 3) else set()
        if left - kept or (done.returncode == 0 and words[0] == "convert" and out not in left):
            raise Stop(f"{words} left {sorted(left)} behind")
        if done.returncode:
            if done.stderr.count(b"\n") > 4:
                raise Stop(f"{words} says too much: {text[:300]}")
            raise YpsiformError(text.strip())
        return "converted"
    finally:
        shutil.rmtree(folder)


class Came(NamedTuple):
    """What came of an input: `converted`, `refused`, `unproven` or `stopped`, why, and how."""

    kind: str
    why: str
    way: str


def one(seed: int, number: int) -> Came:
    """Make an input and try it in one of the ways.

    Unproven is a damaged profile that loads, and whose file the audit refuses: that is counted
    apart, since the profile is wrong; and a first profile that says by itself that it only reads.
    """
    draw = random.Random(seed * 1_000_003 + number)
    seeded = drawn(draw)
    data = damaged(seeded, draw)
    if number % COMMAND == 0:
        way: Callable[[bytes, str, random.Random], Any] = command
    else:
        way = draw.choices([way for way, _ in WAYS], [weight for _, weight in WAYS])[0]
    kind, why = _came(way, data, seeded.name, draw)
    return Came(kind, why, way.__name__)


def _came(
    way: Callable[[bytes, str, random.Random], Any], data: bytes, name: str, draw: random.Random
) -> tuple[str, str]:
    try:
        way(data, name, draw)
    except UnprovenError as error:
        known = way is profile or error.message == ONLY_READ
        kind = "unproven" if known else "stopped"
        return kind, f"unproven: {error.problems[:2]}"
    except AuditError as error:
        return "stopped", f"fault: {error.problems[:2]}"
    except YpsiformError as error:
        if not str(error).strip():
            return "stopped", "an error without words"
        return "refused", str(error)
    except Stop as error:
        return "stopped", str(error)
    except MemoryError:
        return "stopped", "too much memory"
    except Exception:
        last = traceback.format_exc().strip().splitlines()
        return "stopped", " | ".join(line.strip() for line in last[-7:])
    return "converted", ""


# Workers


def _limits() -> None:
    with open("/proc/self/statm", encoding="ascii") as file:
        used = int(file.read().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (used + MEMORY, used + MEMORY))


def _worker(seed: int, numbers: list[int], pipe: int) -> None:
    """Try inputs one by one, and say what came of each."""
    _limits()
    with os.fdopen(pipe, "w", encoding="utf-8") as out:
        for number in numbers:
            print(json.dumps([number, None, None]), file=out, flush=True)
            signal.alarm(SECONDS)
            before = resource.getrusage(resource.RUSAGE_SELF)
            came = one(seed, number)
            signal.alarm(0)
            after = resource.getrusage(resource.RUSAGE_SELF)
            spent = Spent(
                after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime,
                (after.ru_maxrss - before.ru_maxrss) / 1024,
            )
            print(json.dumps([number, came, spent]), file=out, flush=True)
    os._exit(0)


class Spent(NamedTuple):
    """Seconds of processor time, and megabytes that the worker grew by."""

    seconds: float
    megabytes: float


Tried = tuple[int, Came, Spent]
"""The number of an input, what came of it, and what it cost."""


def run(seed: int, numbers: list[int], workers: int = 2) -> Iterator[Tried]:
    """Try inputs in workers of their own."""
    corpus(), found()
    left = [numbers[at::workers] for at in range(workers)]
    while any(left):
        batches = [(at, part[:200]) for at, part in enumerate(left) if part]
        running: list[tuple[int, int, int]] = []
        for at, part in batches:
            ours, theirs = os.pipe()
            child = os.fork()
            if child == 0:
                os.close(ours)
                try:
                    _worker(seed, part, theirs)
                finally:
                    os._exit(1)
            os.close(theirs)
            running.append((at, child, ours))
        for at, child, ours in running:
            started = None
            ended = 0
            with os.fdopen(ours, encoding="utf-8") as said:
                for line in said:
                    number, came, spent = json.loads(line)
                    if came is None:
                        started = number
                        continue
                    started = None
                    ended += 1
                    yield number, Came(*came), Spent(*spent)
            _, status = os.waitpid(child, 0)
            if started is not None:
                ended += 1
                ends = signal.Signals(os.WTERMSIG(status)).name if os.WIFSIGNALED(status) else "?"
                came = Came("stopped", f"the worker ended by {ends}", "")
                yield started, came, Spent(SECONDS, 0)
            left[at] = left[at][max(ended, 1) :]


def main() -> int:
    """Count, print, and end with 1 where something stopped."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--only", metavar="SEED:NUMBER")
    parser.add_argument("--keep", metavar="FILE", help="where the input of --only is written")
    asked = parser.parse_args()
    if asked.only:
        seed, number = map(int, asked.only.split(":"))
        draw = random.Random(seed * 1_000_003 + number)
        seeded = drawn(draw)
        data = damaged(seeded, draw)
        print(f"{seeded.name}, {len(data)} bytes")
        if asked.keep:
            Path(asked.keep).write_bytes(data)
        print(*one(seed, number), sep="\n")
        return 0
    counts: Counter[str] = Counter()
    ways: Counter[tuple[str, str]] = Counter()
    reasons: Counter[str] = Counter()
    begun = time.monotonic()
    costs: list[tuple[Spent, int]] = []
    for number, (kind, why, way), spent in run(asked.seed, list(range(1, asked.count + 1))):
        counts[kind] += 1
        ways[way, kind] += 1
        costs.append((spent, number))
        if kind == "stopped":
            reasons[why[:200]] += 1
            if reasons[why[:200]] <= 2:
                print(f"stopped at {asked.seed}:{number}  {why[:600]}", flush=True)
    print(summary(counts, time.monotonic() - begun))
    for way in sorted({way for way, _ in ways}):
        tried = Counter({kind: count for (by, kind), count in ways.items() if by == way})
        print(f"  {way}: {said(tried)}")
    for name in Spent._fields:
        worst = sorted(costs, key=lambda cost: getattr(cost[0], name), reverse=True)[:20]
        names = (f"{asked.seed}:{number} {getattr(cost, name):.2f}" for cost, number in worst)
        print(f"most {name}: {', '.join(names)}")
    return 1 if counts["stopped"] else 0


def said(counts: Counter[str]) -> str:
    """What came of inputs, counted."""
    total = counts.total() or 1
    parts = [
        f"{counts[kind]} {kind} ({100 * counts[kind] / total:.0f} %)"
        for kind in ("converted", "refused", "unproven", "stopped")
    ]
    return f"{counts.total()}: {', '.join(parts)}"


def summary(counts: Counter[str], seconds: float) -> str:
    """What was tried and what came of it, in one line."""
    return f"inputs in {seconds:.0f} s, {said(counts)}"


if __name__ == "__main__":
    sys.exit(main())
