"""The best fit for depth: as good as trying every combination, and within every limit."""

from __future__ import annotations

import json
from collections.abc import Sequence
from itertools import product
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Run
from ypsiform.demo import DATA
from ypsiform.fit import Options
from ypsiform.fit import best as best_module
from ypsiform.fit.best import ORDER, Option, choose
from ypsiform.migrate import convert
from ypsiform.model import Item, Links, rows_of
from ypsiform.proof import Migration
from ypsiform.standins import CHECKERS

OLD, NEW = (DATA / "old.xml").read_bytes(), (DATA / "new.json").read_bytes()
NAMES = ("lift", "menu", "gather", "drop")


@st.composite
def problems(draw: Any) -> tuple[list[list[Option]], dict[str, float]]:
    """Branches with the choices for each, and room for what they use."""
    branches = []
    for number in range(draw(st.integers(1, 8))):
        inside = float(draw(st.integers(1, 5)))
        names = draw(st.sets(st.sampled_from(NAMES), min_size=1))
        costs = {name: draw(st.integers(-8, 40)) / 4 for name in NAMES}
        uses = {"items": inside, f"under {number % 3}": inside}
        place = draw(st.sampled_from(["side", "corner"]))
        apart = {place: 1.0, "menus": 1.0}
        used = {"lift": uses, "menu": apart}
        branches.append([Option(n, costs[n], used.get(n, {})) for n in NAMES if n in names])
    room = {"items": float(draw(st.integers(0, 20))), "side": 1.0, "corner": 1.0}
    room["menus"] = float(draw(st.integers(0, 2)))
    room["panels"] = float(draw(st.integers(0, 2)))
    for group in range(0, len(branches), 3):
        if draw(st.booleans()):  # these become columns together
            for at, branch in enumerate(branches[group : group + 3]):
                uses = {} if at else {"panels": 1.0, "menus": 1.0}
                branch.append(Option("columns", draw(st.integers(-8, 40)) / 4, uses, group=group))
    for parent in range(draw(st.integers(0, 3))):
        room[f"under {parent}"] = float(draw(st.integers(0, 8)))
    return branches, room if draw(st.booleans()) else {}


def every(branches: list[list[Option]], room: dict[str, float]) -> list[tuple[Option, ...]]:
    """All combinations that fit."""
    found = []
    for combination in product(*branches):
        used: dict[str, float] = {}
        for option in combination:
            for thing, amount in option.uses.items():
                used[thing] = used.get(thing, 0.0) + amount
        if all(used.get(thing, 0.0) <= most for thing, most in room.items()) and whole(
            branches, combination
        ):
            found.append(combination)
    return found


def whole(branches: list[list[Option]], taken: Sequence[Option]) -> bool:
    """Whether of each group all are taken, or none."""
    groups: dict[int, set[bool]] = {}
    for branch, option in zip(branches, taken, strict=True):
        for other in branch:
            if other.group >= 0:
                groups.setdefault(other.group, set()).add(option is other)
    return all(len(found) == 1 for found in groups.values())


def cost(combination: tuple[Option, ...]) -> float:
    return sum(option.cost for option in combination)


@given(problems())
def test_the_choice_is_as_good_as_trying_all(problem: Any) -> None:
    branches, room = problem
    fitting = every(branches, room)
    chosen = choose(branches, room)
    if not fitting:
        return
    least = min(map(cost, fitting))
    assert chosen.cost == pytest.approx(least) and chosen.gap == 0.0
    picked = tuple(
        next(o for o in branch if o.name == name)
        for branch, name in zip(branches, chosen.names, strict=True)
    )
    assert picked in fitting
    # Of combinations that cost the same, the one whose choices come first.
    ties = [c for c in fitting if cost(c) == pytest.approx(least)]
    ranks = [sum(ORDER.index(option.name) for option in c) for c in ties]
    assert sum(ORDER.index(name) for name in chosen.names) == min(ranks)


@given(problems())
def test_beyond_the_exact_the_gap_holds(problem: Any) -> None:
    branches, room = problem
    fitting = every(branches, room)
    before, best_module.EXACT = best_module.EXACT, 0
    try:
        chosen = choose(branches, room)
    finally:
        best_module.EXACT = before
    assert whole(branches, chosen.options)
    if fitting:
        least = min(map(cost, fitting))
        # What is over the limits may cost less; the rest is then left out by their size.
        fits = tuple(chosen.options) in fitting
        assert chosen.cost <= least + chosen.gap + 1e-9
        assert chosen.cost >= least - 1e-9 or not fits


def test_many_branches() -> None:
    branches = [
        [Option("lift", at % 7, {"items": 3.0}), Option("drop", 20.0 + at % 5, {})]
        for at in range(5000)
    ]
    chosen = choose(branches, {"items": 9000.0})
    assert chosen.names.count("lift") == 3000 and chosen.gap > 0
    exact = choose(branches[:1500], {"items": 3000.0})
    assert exact.names.count("lift") == 1000 and exact.gap == 0


def table(rows: list[tuple[int, str, str]]) -> bytes:
    lines = [f"header,{level},{label},{address}" for level, label, address in rows]
    return ("menu,level,label,address\n" + "\n".join(lines) + "\n").encode()


def by(data: bytes, depth: str, **more: Any) -> Migration:
    return convert(data, "x", "stallmere/plain", options=Options(depth=depth), **more)


def total(done: Migration, choice: str = "") -> float:
    """What the choices that were made cost together, or what one for all would."""
    return sum(
        branch.costs.get(choice or branch.choice, branch.costs["lift"])
        for branch in done.fitted.branches
    )


TREE = table([(1, "A", "/a"), (2, "B", "/b"), (3, "C", "/c"), (3, "D", ""), (2, "E", "/e")])


def test_the_costs_of_one_branch() -> None:
    """By hand: A is 1; B 2, C 3, D 3.1, E 2.1."""
    (branch,) = by(TREE, "auto").fitted.branches
    # Lifted: C is 2.1 (0.9 less), D 2.2 (0.9 less), both outside, and E comes two places later.
    assert branch.costs["lift"] == pytest.approx(-0.9 - 0.9 + 2 * 0.5 + 0.2)
    # From the page of B both are one step: 3 (0 and 0.1 less).
    assert branch.costs["gather"] == pytest.approx(-0.1)
    assert branch.costs["drop"] == pytest.approx(40.0)
    assert branch.choice == "lift"


@pytest.mark.parametrize("depth", ["lift", "gather", "drop", "auto"])
def test_the_demo_is_never_better_than_by_auto(depth: str) -> None:
    done = by(OLD, depth, into=(NEW, "new.json"))
    auto = by(OLD, "auto", into=(NEW, "new.json"))
    assert total(auto) <= total(done) + 1e-9
    assert CHECKERS["stallmere"](done.data) == []
    facts = done.audited.facts
    assert (facts["by-hand"] > 0) == (depth in ("gather", "auto"))
    assert {b.choice for b in done.fitted.branches} <= {"lift", "gather", "drop"}


def columns(to: str, **more: Any) -> Migration:
    """The demo, with what is too deep by the least cost."""
    into = (NEW, "new.json") if to.startswith("stallmere") else None
    done = convert(OLD, "old.xml", to, into=into, options=Options(depth="auto"), **more)
    assert CHECKERS[to.split("/")[0]](done.data) == []
    return done


def test_the_demo_becomes_columns_where_there_are_panels() -> None:
    done = columns("stallmere/broad")
    (branch,) = done.fitted.branches
    assert (branch.choice, branch.costs["keep"]) == ("columns", 0.0)
    (loss,) = [loss for loss in done.fitted.losses if loss.code == "depth.to-columns"]
    assert loss.path == ("Sailings",) and loss.labels == ("Holiday extras",)
    assert (loss.before, loss.after) == ("3", "3 columns")
    document = json.loads(done.data)
    tray = next(d for d in document["trays"] if d["under"]["text"] == "Sailings")
    lists = {tree["key"]: tree for tree in document["trees"]}
    titles = [[lists[p["tree"]]["title"] for p in column] for column in tray["columns"]]
    assert titles == [["North route"], ["West route"], ["South route"]]
    first = lists[tray["columns"][0][0]["tree"]]["entries"]
    assert [entry["text"] for entry in first] == [
        *("North route", "Summer timetable", "Holiday extras", "Winter timetable")
    ]


def test_the_demo_has_no_columns_without_panels() -> None:
    done = columns("stallmere/plain")
    assert "columns" not in {name for b in done.fitted.branches for name in b.costs}


@pytest.mark.parametrize(
    "to", ["stallmere/terrace", "tilewick/gable", "quillmoor/slipway", "arborcote/ridge"]
)
def test_all_branches_of_an_item_become_columns_or_none(to: str) -> None:
    done = convert(OLD, "old.xml", to, options=Options(depth="columns"))
    assert CHECKERS[to.split("/")[0]](done.data) == []
    rows = done.source.rows
    assert {branch.choice for branch in done.fitted.branches} == {"columns"}
    (loss,) = [loss for loss in done.fitted.losses if loss.code == "depth.to-columns"]
    assert "Holiday extras" in loss.labels and loss.path == ("Sailings",)
    (panel,) = [
        item.panel
        for menu in done.written.menus
        for item in menu.items
        if item.panel is not None and item.label == "Sailings"
    ]
    headings = [
        b.heading.label
        for c in panel.columns
        for b in c.blocks
        if isinstance(b, Links) and b.heading
    ]
    assert headings == ["North route", "West route", "South route"]
    assert len(rows) and done.reachable[0] >= 40


COLUMNS = [
    *("bar,outline,label,leads,below,columns,opens,window,desktop,handset",),
    *("main,1,Sailings,/sailings,list,,,same,yes,yes",),
    *("main,1.1,North,/north,list,,,same,yes,yes",),
    *("main,1.1.1,Summer,/summer,,,,same,yes,yes",),
    *("main,1.2,South,/south,list,,,same,yes,yes",),
    *("main,1.2.1,Winter,/winter,,,,same,yes,yes",),
    *("main,2,Fares,/fares,,,,same,yes,yes",),
]


def test_a_plan_decides_about_columns(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.csv").write_text("\n".join(COLUMNS) + "\n")
    to = ["--from", "tilewick/lintel", "--to", "tilewick/gable"]
    assert run("draft", "old.csv", *to, "-o", ".").returncode == 0
    plan = tmp_path / "migration.toml"
    text = plan.read_text("utf-8")
    assert text.count('  depth = "lift"') == 2 and "columns +0.00" in text
    for one in (1, 2):  # one word is enough for both
        plan.write_text(
            text.replace('  depth = "lift"', '  depth = "columns"', 2 * one - 1), "utf-8"
        )
        if one == 1:
            both = plan.read_text("utf-8").replace('  depth = "lift"', '  depth = "auto"')
            plan.write_text(both, "utf-8")
        done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
        assert done.returncode == 0, done.stderr
        assert "main,1,Sailings,/sailings,board" in (tmp_path / "new.csv").read_text("utf-8")
    plan.write_text(text.replace('  depth = "lift"', '  depth = "columns"', 1), "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
    assert done.returncode == 1
    assert "“North” can only become columns together with “South”" in done.stderr
    line = int(done.stderr.split("line ")[1].split(":")[0])
    assert plan.read_text("utf-8").splitlines()[line - 1] == '  depth = "columns"'
    plan.write_text(text.replace('  depth = "lift"', '  depth = "keep"', 1), "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
    assert done.returncode == 1 and "“North” cannot stay as it is" in done.stderr


@given(st.lists(st.tuples(st.integers(1, 4), st.sampled_from(["/p", "", "/q"])), max_size=40))
def test_auto_on_generated_trees(rows: list[tuple[int, str]]) -> None:
    level, made = 0, []
    for at, (wanted, address) in enumerate(rows):
        level = min(wanted, level + 1)
        made.append((level, f"Item {at}", f"{address}{at}" if address else ""))
    if not made:
        return
    auto = by(table(made), "auto")
    assert CHECKERS["stallmere"](auto.data) == []
    for choice in NAMES:
        assert total(auto) <= total(auto, choice) + 1e-6
    labels = {t.label for t in rows_of(auto.written.menus).things if isinstance(t, Item)}
    gone = {label for loss in auto.fitted.losses if loss.code in LEFT for label in loss.labels}
    assert labels | gone == {label for _, label, _ in made} and not labels & gone


LEFT = ("depth.gathered", "depth.dropped")


def test_a_limit_that_binds_leaves_out_what_costs_least() -> None:
    rows = [(1, "Top", "/t")]
    for branch in range(40):
        rows += [(2, f"B{branch}", f"/b{branch}" if branch % 2 else "")]
        rows += [(3, f"B{branch} {n}", f"/b{branch}/{n}") for n in range(4)]
    done = by(table(rows), "auto")  # 201 items, and 180 fit
    (menu,) = done.written.menus
    assert len(rows_of([menu]).things) <= 180
    codes = [loss.code for loss in done.fitted.losses]
    # Only branches with a page of their own are gathered; nothing is lost, and none is too long.
    assert "menu.too-long" not in codes and "depth.dropped" not in codes
    assert codes.count("depth.gathered") >= 6
    lifted = by(table(rows), "lift")
    assert "menu.too-long" in [loss.code for loss in lifted.fitted.losses]


def test_visits_weigh(run: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(TREE)
    (tmp_path / "v.csv").write_text("address,visits\nhttps://x.example/e/,900\n/c,1\n", "utf-8")
    done = run("convert", "t.csv", "--to", "stallmere/plain", "-o", "o.json", "--depth", "auto",
               "--visits", "v.csv", "--json")  # fmt: skip
    (branch,) = json.loads(done.stdout)["branches"]
    assert branch["choice"] == "gather" and branch["costs"]["lift"] > 0  # E must not move
    assert branch["path"] == ["A", "B"] and branch["gap"] == 0
    for text, words in (
        ("a,b\n1,2\n", "columns address and visits"),
        ("address,visits\n/a,x\n", "line 2: 'x'"),
        ("address,visits\n/a,1\n/b,1.200\n", "line 3: '1.200' is not a number of visits; if it"),
        ('address,visits\n/b,"1 200"\n', "is 1200, write it without marks between the thousands"),
    ):
        (tmp_path / "v.csv").write_text(text, "utf-8")
        done = run("convert", "t.csv", "--to", "csv", "-o", "o2", "--visits", "v.csv")
        assert done.returncode == 1 and words in done.stderr


# A menu of its own

DEEP = [
    "bar,outline,label,leads,below,columns,opens,window,desktop,handset",
    "main,1,Sailings,/sailings,list,,,same,yes,yes",
    "main,1.1,North,/sailings/north,list,,,same,yes,yes",
    "main,1.1.1,Summer,/sailings/north/summer,list,,,same,yes,yes",
    "main,1.1.1.1,Weekends,/sailings/north/weekends,,,,same,yes,yes",
    "main,1.1.2,Winter,/sailings/north/winter,,,,same,yes,yes",
    "main,1.2,South,,list,,,same,yes,yes",
    "main,1.2.1,Spring,/sailings/south/spring,,,,same,yes,yes",
    "main,2,News,/news,,,,same,yes,yes",
]


def deep(run: Run, tmp_path: Path, *more: str, extra: tuple[str, ...] = ()) -> dict[str, Any]:
    (tmp_path / "old.csv").write_text("\n".join([*DEEP, *extra]) + "\n")
    done = run(
        *("convert", "old.csv", "--from", "tilewick/lintel", "--to", "tilewick/gable"),
        *("-o", "new.csv", "--force", "--json", *more),
    )
    assert done.returncode == 0, done.stderr
    assert CHECKERS["tilewick"]((tmp_path / "new.csv").read_bytes()) == []
    made: dict[str, Any] = json.loads(done.stdout)
    return made


def bars(tmp_path: Path) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for line in (tmp_path / "new.csv").read_text().splitlines()[1:]:
        bar, outline, label, *_ = line.split(",")
        found.setdefault(bar, []).append(f"{outline} {label}")
    return found


def test_a_menu_of_its_own_takes_a_free_location(run: Run, tmp_path: Path) -> None:
    report = deep(run, tmp_path, "--depth", "menu")
    assert bars(tmp_path)["corner"] == ["1 Summer", "2 Weekends", "3 Winter"]
    assert "1.3 Spring" in bars(tmp_path)["main"], "there is one free location, not two"
    first, second = report["branches"]
    assert (first["choice"], second["choice"]) == ("menu", "lift")
    # One step to the corner and one for the level there, and a tenth for each item read before;
    # Summer took 3 steps, Winter 3.1; what was on the fourth level was not shown before.
    assert first["costs"]["menu"] == pytest.approx((2.0 - 3.0) + (2.2 - 3.1))
    losses = [f for f in report["findings"] if f["code"] == "depth.to-menu"]
    assert [f["labels"] for f in losses] == [["Summer", "Weekends", "Winter"]]
    assert losses[0]["after"] == "Corner"


@pytest.mark.parametrize(
    "taken",
    [
        "corner,1,Ports,/ports,,,,same,yes,yes",
        "foot,1,Ports,/ports,,,,same,yes,yes",
    ],
)
def test_a_location_that_is_taken_is_not_free(run: Run, tmp_path: Path, taken: str) -> None:
    report = deep(run, tmp_path, "--depth", "menu", extra=(taken,))
    free = taken.startswith("foot")
    assert [("menu" in branch["costs"]) for branch in report["branches"]] == [free, free]
    assert ("corner" in bars(tmp_path)) and report["audit"]["unreported"] == []


def test_a_plan_can_ask_for_it_once(run: Run, tmp_path: Path) -> None:
    deep(run, tmp_path)
    run("draft", "old.csv", "--from", "tilewick/lintel", "--to", "tilewick/gable", "-o", ".")
    plan = tmp_path / "migration.toml"
    text = plan.read_text("utf-8")
    assert text.count('  depth = "lift"') == 2
    plan.write_text(text.replace('  depth = "lift"', '  depth = "menu"', 1), "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
    assert done.returncode == 0 and bars(tmp_path)["corner"][0] == "1 Summer"
    plan.write_text(text.replace('  depth = "lift"', '  depth = "menu"'), "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
    assert done.returncode == 1
    assert "“South” cannot have a menu of its own: no location is free for one" in done.stderr
    line = plan.read_text("utf-8").splitlines()[
        int(done.stderr.split("line ")[1].split(":")[0]) - 1
    ]
    assert line == '  depth = "menu"'
    plan.write_text(text.replace('  depth = "lift"', '  depth = "gather"'), "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
    assert "“South” has no page of its own" in done.stderr


def test_the_measure_of_effort_is_a_setting(run: Run, tmp_path: Path) -> None:
    deep(run, tmp_path)
    options = ["--from", "tilewick/lintel", "--to", "tilewick/gable", "--depth", "auto"]
    run("draft", "old.csv", *options, "-o", ".")
    plan = tmp_path / "migration.toml"
    text = plan.read_text("utf-8")
    measure = "step = 1.0\nsibling = 0.1\nplace = 1.0\noutside = 0.5\nunreached = 20.0\n"
    assert "[effort]\n" + measure in text
    assert text.count('  depth = "menu"') == 1
    branches = text[text.index("[[menu.branch]]") :].replace('"menu"', '"auto"')
    text = text[: text.index("[[menu.branch]]")] + branches.replace('"lift"', '"auto"')
    plan.write_text(text.replace("place = 1.0", "place = 50"), "utf-8")
    done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force", "--json")
    costs = json.loads(done.stdout)["branches"][0]
    assert costs["choice"] != "menu" and costs["costs"]["menu"] == pytest.approx(-1.9 + 2 * 49)
    for wrong, words in (("place = -1", "not less than 0"), ("plaice = 1.0", "mean 'place'")):
        plan.write_text(text.replace("place = 1.0", wrong), "utf-8")
        done = run("convert", "--plan", "migration.toml", "-o", "new.csv", "--force")
        line = text[: text.index("place = 1.0")].count("\n") + 1
        assert done.returncode == 1 and words in done.stderr and f"line {line}" in done.stderr


def test_the_terminal_says_what_each_choice_costs(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.csv").write_text("\n".join(DEEP) + "\n")
    done = run(
        *("convert", "old.csv", "--from", "tilewick/lintel", "--to", "tilewick/gable"),
        *("-o", "new.csv"),
        COLUMNS="100",
    )
    assert "Sailings › North  lift -0.10  else menu -1.90, gather -0.10, drop +40.00" in done.stdout
    assert "In all 0.50 steps fewer; at best 3.00 steps fewer (--depth auto)" in done.stdout
