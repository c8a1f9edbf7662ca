"""Every limit that a profile can name: held in what is written, and each one's finding."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import generated
from tests.conftest import entry, stallmere
from tests.test_shapes import nested, outline
from ypsiform.decisions import DEPTHS
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.model import Item, rows_of
from ypsiform.profiles.schema import LIMIT_CODES
from ypsiform.proof import Migration

BASE = nested("json").replace(
    'fields = { label = { at = "text", needed = true }, icon = "icon" }',
    'fields = { label = "text", icon = "icon", tooltip = "hint", rel = "rel", '
    'hidden = { at = "off", standard = false, through = [{ flag = true }] } }',
)


def profile(folder: Path, limits: dict[str, Any], of: str = "limits") -> str:
    """A profile with these limits: of the platform, of its theme, or of a location."""
    text = BASE
    words = ", ".join(f"{name} = {json.dumps(value)}" for name, value in limits.items())
    if of == "location":
        text = text.replace('{ name = "main",', f'{{ name = "main", limits = {{ {words} }},')
    else:
        text += f"\n[{of}]\n" + words.replace(", ", "\n").replace('\n"', ', "')
    path = folder / f"limits{abs(hash(text))}.toml"
    path.write_text(text, "utf-8")
    return str(path)


LIMITS = st.fixed_dictionaries(
    {},
    optional={
        "depth": st.integers(1, 4),
        "items": st.integers(0, 6),
        "total": st.integers(0, 12),
        "top": st.integers(0, 4),
        "under": st.integers(0, 4),
        "label": st.integers(4, 12),
        "title": st.integers(1, 6),
        "menus": st.integers(1, 3),
        "parents": st.sampled_from([[], ["none"], ["none", "address"], ["home"]]),
        "unique-labels": st.booleans(),
        "lacks": st.lists(st.sampled_from(["icon", "tooltip", "rel", "hidden"]), unique=True),
    },
)
PLACES = st.sampled_from(["limits", "themes.only.limits", "location"])


@given(
    data=generated.quillmoor() | generated.stallmere(),
    limits=LIMITS,
    of=PLACES,
    depth=st.sampled_from(DEPTHS),
    languages=st.sampled_from(["keep", "menus"]),
)
def test_no_limit_is_ever_broken(
    tmp_path_factory: pytest.TempPathFactory,
    data: bytes,
    limits: dict[str, Any],
    of: str,
    depth: str,
    languages: str,
) -> None:
    to = profile(tmp_path_factory.getbasetemp(), limits, of)
    # The audit looks at every limit, and raises.
    done = convert(data, "old", to, options=Options(depth=depth, languages=languages))
    if of != "location":
        check(done, limits)
    again = convert(done.data, "again", to, from_=to)
    assert again.audited.facts["kept"] == again.audited.facts["total"]


def check(done: Migration, limits: dict[str, Any]) -> None:
    """Limits once more, counted in another way."""
    tree = json.loads(done.data)["menus"]
    assert len(tree) <= limits.get("menus", 99)
    total = 0
    for menu in tree:
        stack = [(menu.get("below", []), 1)]
        mine = 0
        while stack:
            entries, level = stack.pop()
            mine += len(entries)
            assert not entries or level <= limits.get("depth", 99)
            assert len(entries) <= limits.get("top" if level == 1 else "under", 99)
            stack += [(entry.get("below", []), level + 1) for entry in entries]
        assert mine <= limits.get("items", 99)
        total += mine
    assert total <= limits.get("total", 999)


def losses(done: Migration, code: str) -> list[tuple[str | None, str | None, tuple[str, ...]]]:
    found = [loss for loss in done.findings if loss.code == code]
    return [(loss.before, loss.after, loss.labels) for loss in found]


def test_each_limit_of_number_has_its_finding(tmp_path: Path) -> None:
    tree = [entry("A", entry("A1"), entry("A2"), entry("A3")), entry("B", entry("B1")), entry("C")]
    data = stallmere(("main", tree))
    cases = {
        "items": (4, "in a menu", ("B", "B1", "C")),
        "total": (5, "in all menus", ("B1", "C")),
        "top": (2, "at the top of a menu", ("C",)),
        "under": (2, "below one item", ("A3",)),
    }
    for name, (most, words, gone) in cases.items():
        done = convert(data, "new.json", profile(tmp_path, {name: most}))
        assert losses(done, "menu.too-long") == [(str(most), words, gone)]
        assert LIMIT_CODES[name] == "menu.too-long"


def test_what_is_below_a_dropped_item_goes_with_it(tmp_path: Path) -> None:
    tree = [entry("A"), entry("B", entry("B1", entry("B2"))), entry("C")]
    done = convert(stallmere(("main", tree)), "new.json", profile(tmp_path, {"top": 1}))
    assert losses(done, "menu.too-long") == [("1", "at the top of a menu", ("B", "B1", "B2", "C"))]


def test_a_limit_of_a_location_holds_for_its_menu_only(tmp_path: Path) -> None:
    trees = [("main", [entry("A"), entry("B")]), ("foot", [entry("C"), entry("D")])]
    data = stallmere(*trees, footer="foot")
    done = convert(data, "new.json", profile(tmp_path, {"top": 1}, "location"))
    assert losses(done, "menu.too-long") == [("1", "at the top of a menu", ("B",))]


def test_a_link_that_may_have_nothing_below_it_moves_down(tmp_path: Path) -> None:
    tree = [entry("Fares", entry("Adults"), address="/fares"), entry("More")]
    data = stallmere(("main", tree))
    done = convert(data, "new.json", profile(tmp_path, {"parents": ["none"]}))
    assert outline(done.written.menus[0].items) == [("Fares", ["Fares", "Adults"]), "More"]
    fares = done.written.menus[0].items[0]
    assert fares.target.kind == "none" and fares.children[0].target.address == "/fares"
    ((before, after, _),) = losses(done, "kind.parent")
    assert before is not None and "/fares" in before and after == "Fares"
    assert done.reachable[0] == done.reachable[1]
    done = convert(data, "new.json", profile(tmp_path, {"parents": []}))
    assert outline(done.written.menus[0].items) == ["Fares", "Adults", "More"]
    assert [loss.code for loss in done.fitted.losses].count("depth.lifted") == 1


def test_labels_are_told_apart(tmp_path: Path) -> None:
    tree = [entry("Fares", entry("Fares")), entry("More", entry("Fares 2"))]
    limits = {"unique-labels": True, "label": 7}
    done = convert(stallmere(("main", tree)), "new.json", profile(tmp_path, limits))
    things = rows_of(done.written.menus).things
    assert [t.label for t in things if isinstance(t, Item)] == [
        "Fares",
        "Fares 2",
        "More",
        "Fare… 2",
    ]
    assert len(losses(done, "label.clash")) == 2


def test_a_theme_that_lacks_a_trait(tmp_path: Path) -> None:
    data = convert(
        json.dumps(
            {
                "site": "",
                "look": "only",
                "shown": {"main": "a"},
                "menus": [{"name": "a", "below": [{"text": "A", "hint": "x", "off": True}]}],
            }
        ).encode(),
        "x",
        to := profile(tmp_path, {}),
        from_=to,
    ).data
    done = convert(data, "x", profile(tmp_path, {"lacks": ["tooltip"]}), from_=to)
    assert losses(done, "trait.tooltip") == [("x", None, ())]
    done = convert(data, "x", profile(tmp_path, {"lacks": ["hidden"]}), from_=to)
    assert losses(done, "access.switched-off") == [(None, None, ("A",))]
