"""Places told by steps, by bounds, by columns and by how a label is indented."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.test_containers import outline, profile
from ypsiform.errors import FormatError, RefusedError, YpsiformError
from ypsiform.migrate import convert
from ypsiform.profiles.load import parsed
from ypsiform.profiles.structures import Spot, StepsTie
from ypsiform.reading import read

TIES = {
    "steps": '{ structure = "steps", number = "n", menu = "m", width = 2, start = 2 }',
    "intervals": '{ structure = "intervals", left = "l", right = "r", menu = "m", level = "n" }',
    "columns": '{ structure = "columns", columns = ["A", "B", "C"], menu = "m" }',
    "indented": '{ structure = "indented", number = "n", menu = "m", step = "-- " }',
}


def of(name: str, tie: str = "", only: str = "") -> str:
    """A profile of a table whose records are tied like this."""
    label = "" if name in ("columns", "indented") else 'label = "t"'
    return profile(
        container="csv",
        more='recognise = { columns = ["m"] }',
        at='at = "rows"' + only,
        tie=tie or TIES[name],
        label=label,
    )


def labels(items: list[Any]) -> list[Any]:
    """The labels of an outline, with those below each."""
    return [(label, labels(below)) if below else label for label, _, below in items]


@pytest.mark.parametrize(
    ("tie", "table", "tree"),
    [
        ("steps", "m,n,t\nx,010201,c\nx,0102,b\nx,0101,a\nx,010202,d\n", ["a", ("b", ["c", "d"])]),
        ("intervals", "m,l,r,t\nx,7,8,d\nx,1,6,a\nx,4,5,c\nx,2,3,b\n", [("a", ["b", "c"]), "d"]),
        ("intervals", "m,l,r,t\nx,1,20,a\nx,3,9,b\nx,4,5,c\n", [("a", [("b", ["c"])])]),
        ("columns", "m,A,B,C\nx,a,,\nx,,b,\nx,,,c\nx,d,,\n", [("a", [("b", ["c"])]), "d"]),
        ("columns", "m,A,B,C\nx,a,,\nx,a,b,\nx,a,b,c\nx,d,,\n", [("a", [("b", ["c"])]), "d"]),
        ("columns", "m,A,B,C\nx,a,b,c\nx,,,d\nx,,e,\n", [("a", [("b", ["c", "d"]), "e"])]),
        ("columns", "m,A,B,C\nx,d,,\nx,a,b,\nx,a,,\n", ["d", ("a", ["b"])]),
        ("columns", "m,A,B,C\nx,a,,\nx,,b,\nx,a,,\nx,,c,\n", [("a", ["b"]), ("a", ["c"])]),
        ("indented", "m,n\nx,a\nx,  b\nx,    c\nx,  d\nx,e\n", [("a", [("b", ["c"]), "d"]), "e"]),
        ("indented", "m,n\nx,a\nx,— b\nx,— — c\nx,-50 %\n", [("a", [("b", ["c"])]), "-50 %"]),
        ("indented", "m,n\nx,• a\nx,\t• b\nx,\t• c\n", [("a", ["b", "c"])]),
        ("indented", "m,n\nx,a\nx,├── b\nx,│   └── c\nx,└── d\n", [("a", [("b", ["c"]), "d"])]),
    ],
)
def test_what_stands_below_what(tie: str, table: str, tree: list[object]) -> None:
    found = parsed(of(tie), "p.toml")
    (menu,) = read(table.encode(), "x", found)[0].site.menus
    assert labels(outline(menu.items)) == tree
    done = convert(table.encode(), "x", found, from_=found)
    (again,) = read(done.data, "y", found)[0].site.menus
    assert labels(outline(again.items)) == tree


@pytest.mark.parametrize(
    ("tie", "table", "words"),
    [
        ("steps", "m,n,t\nx,01023,a\n", "n: '01023' is no way of steps of 2 letters"),
        ("steps", "m,n,t\nx,0x02,a\n", "n: '0x02' is no way of steps"),
        ("steps", "m,n,t\nx,01,a\n", "n: '01' has less than 2 steps"),
        ("steps", "m,n,t\nx,,a\n", "it has no n, which is needed"),
        ("intervals", "m,l,r,t\nx,3,2,a\n", "the bound 3 is not less than the bound 2"),
        ("intervals", "m,l,r,t\nx,3,,a\n", "it has no r, which is needed"),
        ("intervals", "m,l,r,t\nx,one,2,a\n", "l: 'one' is not a whole number"),
        ("indented", "m,n,t\nx,,a\n", "it has no n, which is needed"),
    ],
)
def test_places_that_cannot_be_read(tie: str, table: str, words: str) -> None:
    with pytest.raises(FormatError) as caught:
        read(table.encode(), "x", parsed(of(tie), "p.toml"))
    assert words in str(caught.value), caught.value


@pytest.mark.parametrize(
    ("tie", "table", "code", "top"),
    [
        ("intervals", "m,l,r,t\nx,1,4,a\nx,3,6,b\n", "read.orphan", ["a", "b"]),
        ("intervals", "m,l,r,t\nx,1,4,a\nx,1,4,b\n", "read.orphan", ["a", "b"]),
        ("steps", "m,n,t\nx,0101,a\nx,010301,b\n", "read.orphan", ["a", "b"]),
        ("columns", "m,A,B,C\nx,a,,\nx,,,b\n", "read.jump", ["a"]),
    ],
)
def test_places_that_do_not_agree_are_said(tie: str, table: str, code: str, top: list[str]) -> None:
    surveyed, _ = read(table.encode(), "x", parsed(of(tie), "p.toml"))
    assert code in [finding.code for finding in surveyed.findings]
    assert [item.label for item in surveyed.site.menus[0].items] == top


def test_a_row_without_a_label_in_any_column_is_unread_data() -> None:
    table = "m,A,B,C,to\nx,a,,,/a\nx,,,,43 pages\n"
    surveyed, _ = read(table.encode(), "x", parsed(of("columns"), "p.toml"))
    assert len(surveyed.rows) == 1 and len(surveyed.site.extras) == 1


def test_only_some_records_are_items() -> None:
    table = "m,l,r,t,k\nx,1,10,root,tree\nx,2,5,a,link\nx,3,4,b,link\nx,6,7,c,link\n"
    text = of("intervals", only='\nonly = { k = "link" }')
    (menu,) = read(table.encode(), "x", parsed(text, "p.toml"))[0].site.menus
    assert labels(outline(menu.items)) == [("a", ["b"]), "c"]


@pytest.mark.parametrize(
    ("tie", "words"),
    [
        ('{ structure = "steps", number = "n", menu = "m", width = 0 }', "1 to 64 letters"),
        ('{ structure = "steps", number = "n", menu = "m", alphabet = "aa" }', "each of them once"),
        ('{ structure = "steps", number = "n", menu = "m", start = 0 }', "no level of the top"),
        ('{ structure = "intervals", left = "l", menu = "m" }', "also needs: right"),
        ('{ structure = "columns", menu = "m" }', "also needs: columns"),
        ('{ structure = "columns", columns = ["A", "A"], menu = "m" }', "twice, or is empty"),
        ('{ structure = "indented", number = "n", menu = "m", step = "x" }', "indents nothing"),
        ('{ structure = "interval", left = "l" }', "did you mean 'intervals'?"),
        ('{ structure = "level", number = "n", menu = "m", inside = "i" }', "name none"),
        ('{ structure = "level", number = "n", inside = "i" }', "menus that are listed"),
    ],
)
def test_mistakes_in_ties(tie: str, words: str) -> None:
    text = of("intervals", tie=tie)
    with pytest.raises(YpsiformError) as caught:
        parsed(text, "p.toml")
    assert words in str(caught.value) and "line " in str(caught.value), caught.value


def test_no_more_levels_than_columns() -> None:
    found = parsed(of("columns"), "p.toml")
    assert found.limits.depth == 3
    data = b"m,n,t\n" + b"".join(f"x,{n},{'abcde'[n - 1]}\n".encode() for n in range(1, 6))
    levels = '{ structure = "level", number = "n", menu = "m" }'
    done = convert(data, "x", found, from_=parsed(of("steps", tie=levels), "q.toml"))
    assert max(done.rows.depth) == 3
    assert any(finding.code.startswith("depth.") for finding in done.findings)


def test_a_step_counts_to_its_end() -> None:
    rule = StepsTie(number="n", width=2, alphabet="0123456789ABCDEF")
    spot = Spot(255, 1, "", "", 0, 0, 0)
    assert rule.said(spot) == "FF" and rule.said(spot._replace(place=16)) == "10"
    with pytest.raises(RefusedError, match="a step of 2 letters counts to 255"):
        rule.said(spot._replace(place=256))


TREES: st.SearchStrategy[list[object]] = st.recursive(
    st.just([]), lambda inner: st.lists(inner, max_size=4), max_leaves=12
)


@settings(max_examples=100, deadline=None)
@given(TREES, st.sampled_from(sorted(TIES)))
def test_any_tree_is_read_as_it_was_written(tree: list[object], tie: str) -> None:
    lines: list[str] = []

    def lay(nodes: list[object], depth: int) -> None:
        for node in nodes if depth <= 3 else []:
            lines.append(f"x,{depth},i{len(lines)}")
            assert isinstance(node, list)
            lay(node, depth + 1)

    lay(tree, 1)
    if not lines:
        return
    table = "m,n,t\n" + "\n".join(lines) + "\n"
    levels = parsed(
        of("steps", tie='{ structure = "level", number = "n", menu = "m" }'), "levels.toml"
    )
    target = parsed(of(tie).replace('id = "odd"', 'id = "other"'), "p.toml")
    wanted = read(table.encode(), "x", levels)[0].site.menus[0]
    done = convert(table.encode(), "x", target, from_=levels)
    (menu,) = read(done.data, "y", target)[0].site.menus
    assert labels(outline(menu.items)) == labels(outline(wanted.items))


HELD = {
    "flat": '{ structure = "flat", order = "n", inside = "all" }',
    "level": '{ structure = "level", number = "n", inside = "all" }',
    "outline": '{ structure = "outline", number = "n", inside = "all" }',
    "lineage": '{ structure = "lineage", id = "i", number = "n", inside = "all", order = "o" }',
    "labels": '{ structure = "labels", number = "n", inside = "all", between = " > " }',
    "steps": '{ structure = "steps", number = "n", inside = "all" }',
    "intervals": '{ structure = "intervals", left = "l", right = "r", inside = "all", id = "i" }',
    "columns": '{ structure = "columns", columns = ["A", "B", "C"], inside = "all" }',
    "indented": '{ structure = "indented", number = "n", inside = "all" }',
    "parent": '{ structure = "parent", id = "i", under = "u", order = "o", inside = "all" }',
}


def held(tie: str, more: str = "") -> str:
    """A profile of a document whose menus hold flat records that are tied like this."""
    label = "" if tie in ("labels", "columns", "indented") else 'label = "t"'
    recognised = 'recognise = { keys = ["menus"] }\n'
    menus = '{ at = "menus", fields = { key = "k" } }'
    return profile(
        container="json", more=recognised + more, menus=menus, tie=HELD[tie], label=label
    )


@settings(max_examples=150, deadline=None)
@given(TREES, TREES, st.sampled_from(sorted(HELD)))
def test_flat_records_stand_in_their_menus(
    first: list[object], second: list[object], tie: str
) -> None:
    """Two menus, each with records of its own: written, read, and one of them written anew."""
    levels = 1 if tie == "flat" else 3

    def lay(nodes: list[object], depth: int) -> list[Any]:
        if depth > levels:
            return []
        return [{"t": f"{depth}{n}", "b": lay(node, depth + 1)} for n, node in enumerate(nodes)]  # type: ignore[arg-type]

    trees = {"main": lay(first, 1), "foot": lay(second, 1)}
    data = json.dumps({"menus": [{"k": key, "all": tree} for key, tree in trees.items()]})
    nested = '{ structure = "nested", first = "all", inside = "b" }'
    source = parsed(held("level").replace(HELD["level"], nested), "nested.toml")
    target = parsed(held(tie).replace('id = "odd"', 'id = "other"'), "p.toml")
    done = convert(data.encode(), "x", target, from_=source)
    wanted = [
        (m.key, labels(outline(m.items))) for m in read(data.encode(), "x", source)[0].site.menus
    ]
    found = read(done.data, "y", target)[0].site.menus
    assert [(menu.key, labels(outline(menu.items))) for menu in found] == wanted
    # What stands there stays, wherever its menu stands now, and another one comes to it.
    more = json.dumps({"menus": [{"k": "side", "all": trees["main"]}]})
    again = convert(more.encode(), "z", target, from_=source, into=(done.data, "y"))
    there = [(menu.key, labels(outline(menu.items))) for menu in again.written.menus]
    assert there == [*wanted, ("side", wanted[0][1])]
