"""Panels as people write them: class words, addresses, labels or places that no platform here has.

Each sample is a small export with the part of a profile that says how its panels are written.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from ypsiform.demo import DATA
from ypsiform.migrate import convert
from ypsiform.model import Item, Links, Panel, Picture, Piece
from ypsiform.reading import read

HEAD = """profile = 1
id = "sample"
name = "Sample"
container = "json"
recognise = { keys = ["menus"] }
menus = { at = "menus", fields = { key = "key", title = "title" } }
locations = { form = "names" }
[site]
[items]
tie = { structure = "nested", inside = "below" }
[items.fields]
label = "text"
description = "note"
picture = "image"
classes = { at = "look", through = [{ split = " " }] }
[[items.kinds]]
when = {}
kind = "address"
address = "to"
none = ""
[themes.only]
locations = [{ name = "main", panels = true }, { name = "foot" }]
[themes.only.panels]
encoding = "marked"
"""
SIX = (
    *("stallmere/broad", "stallmere/terrace", "quillmoor/breakwater"),
    *("arborcote/ridge", "tilewick/gable", "fanlight"),
)


def item(text: str, to: str = "", look: str = "", *below: Any, **more: str) -> dict[str, Any]:
    says = {"to": to, "look": look, **more}
    made = {"text": text, **{key: value for key, value in says.items() if value}}
    return {**made, "below": list(below)}


HALDRUN, ODDNY, MAP = item("Haldrun", "/h"), item("Oddny", "/o"), item("Map", "/map")
PAIR = [("North", ["Haldrun"]), ("South", ["Oddny"])]


class Sample(NamedTuple):
    """How panels are written, one top item with its panel, and what is read of it.

    `columns`: a list for each, of headings with their labels, of labels alone, or of pictures.
    """

    rule: str
    top: dict[str, Any]
    columns: list[list[Any]]
    spans: list[int | None]
    opens: str | None = None
    full: bool = False
    tone: str | None = None


SAMPLES = {
    "words that stand alone": Sample(
        'panel = { word = "unfold" }\ncolumn = { word = "w{n}" }\ntones = ["sand", "sea"]\n'
        'opens = { on-tap = "press" }\nopens-standard = "hover"\nfull-width = { edge = true }\n',
        item(
            *("Isles", "/i", "sea big unfold on-tap edge"),
            item("North", "/n", "w8 pale", HALDRUN),
            item("South", "/s", "w4", ODDNY),
        ),
        [[PAIR[0]], [PAIR[1]]], [8, 4], "press", True, "sea",
    ),
    "shares of the row": Sample(
        'panel = { word = "tray" }\ncolumn = { word = "share-{n}" }\nof = 0\n',
        item(
            *("Isles", "/i", "tray"),
            item("North", "/n", "share-1", HALDRUN),
            item("South", "/s", "share-1", ODDNY),
            item("All", "", "share-2", MAP),
        ),
        [[PAIR[0]], [PAIR[1]], [("All", ["Map"])]], [3, 3, 6],
    ),
    "five shares that are alike": Sample(
        'panel = { word = "tray" }\ncolumn = { word = "share-{n}" }\nof = 0\n',
        item("Isles", "/i", "tray", *(item(f"C{n}", "", "share-1", MAP) for n in range(5))),
        [[(f"C{n}", ["Map"])] for n in range(5)], [None] * 5,
    ),
    "columns alone": Sample(
        'column = { word = "col-{n}" }\n',
        item(
            *("Isles", "/i", "x"),
            item("North", "/n", "col-6", HALDRUN),
            item("South", "/s", "col-6", ODDNY),
        ),
        [[PAIR[0]], [PAIR[1]]], [6, 6],
    ),
    "words joined by a mark": Sample(
        'panel = { word = "box" }\njoined = "__"\ncolumn = { word = "part" }\n'
        'opens = { tap = "press", over = "hover" }\nopens-standard = "over"\n'
        "full-width = { full = true }\n",
        item(
            *("Isles", "/i", "box__full__tap x"),
            item("North", "/n", "part", HALDRUN),
            MAP,
            item("South", "/s", "part", ODDNY),
        ),
        [[PAIR[0]], ["Map"], [PAIR[1]]], [None] * 3, "press", True,
    ),
    "of a row of four": Sample(
        'panel = { word = "box" }\ncolumn = { word = "of4-{n}" }\nof = 4\n',
        item(
            *("Isles", "/i", "box"),
            item("North", "/n", "of4-3", HALDRUN),
            item("South", "/s", "of4-1", ODDNY),
        ),
        [[PAIR[0]], [PAIR[1]]], [9, 3],
    ),
    "wrappers by class, headings behind which links stand": Sample(
        'panel = { word = "box" }\ncolumn = { word = "wrap" }\nlabels = "hidden"\n'
        'heading = { word = "head" }\n',
        item(
            *("Isles", "/i", "box"),
            item("Column 1", "", "wrap", item("North", "/n", "head"), HALDRUN),
            item("Column 2", "", "wrap", item("South", "/s", "head"), ODDNY),
        ),
        [[PAIR[0]], [PAIR[1]]], [None, None],
    ),
    "wrappers by address": Sample(
        'column = { address = "#column" }\nlabels = "hidden"\n',
        item(
            *("Isles", "/i", ""),
            item("Left", "#column", "", HALDRUN, MAP),
            item("Right", "#column", "", ODDNY),
        ),
        [["Haldrun", "Map"], ["Oddny"]], [None, None],
    ),
    "wrappers by label": Sample(
        'column = { label = "[column]*" }\nlabels = "hidden"\n',
        item(
            *("Isles", "/i", ""),
            item("[column] left", "", "", HALDRUN),
            item("[column]", "", "", ODDNY),
        ),
        [["Haldrun"], ["Oddny"]], [None, None],
    ),
    "wrappers by place, headings in which links stand": Sample(
        'panel = { word = "box" }\ncolumn = {}\nlabels = "hidden"\n'
        'heading = { word = "head", inside = true }\n',
        item(
            *("Isles", "/i", "box"),
            item("", "", "", item("North", "/n", "head", HALDRUN), MAP),
            item("", "", "", item("South", "/s", "head", ODDNY)),
        ),
        [[PAIR[0], "Map"], [PAIR[1]]], [None, None],
    ),
    "dividers by label, spacers by class": Sample(
        'panel = { word = "box" }\ncolumn = { word = "part" }\n'
        'divider = { label = "---" }\nspacer = { word = "gap" }\n',
        item(
            *("Isles", "/i", "box"),
            item("North", "/n", "part", HALDRUN, item("---"), MAP),
            item("South", "/s", "part", ODDNY, item("", "", "gap"), MAP),
        ),
        [[("North", ["Haldrun", "—", "Map"])], [("South", ["Oddny", "—", "Map"])]], [None, None],
    ),
    "pictures whose address is a description": Sample(
        'panel = { address = "#box*" }\ncolumn = { word = "part" }\n'
        'picture = { word = "photo", source = "description" }\nlocation = "main"\n',
        item(
            *("Isles", "#box", ""),
            item("North", "/n", "part", HALDRUN, item("Pier", "", "photo", note="/pier.jpg")),
            item("South", "/s", "part", {**ODDNY, "note": "Far out"}),
        ),
        [[PAIR[0], "/pier.jpg"], [PAIR[1]]], [None, None],
    ),
}  # fmt: skip


def outline(panel: Panel) -> list[list[Any]]:
    """Of each column its lists, by their heading and labels, and its pictures by their source."""
    found: list[list[Any]] = []
    for column in panel.columns:
        blocks: list[Any] = []
        for block in column.blocks:
            if isinstance(block, Piece):
                assert isinstance(block.holds, Picture)
                blocks.append(block.holds.source)
                continue
            labels = ["—" if i.role == "divider" else i.label for i in block.items]
            blocks += [(block.heading.label, labels)] if block.heading else labels
        found.append(blocks)
    return found


def export(top: dict[str, Any], *more: dict[str, Any]) -> bytes:
    menus = [{"key": "main", "title": "Main", "below": [top, item("Fares", "/fares")]}, *more]
    return json.dumps({"menus": menus}).encode()


@pytest.fixture(params=SAMPLES)
def sample(request: pytest.FixtureRequest) -> Sample:
    return SAMPLES[request.param]


def profile_of(sample: Sample, folder: Path) -> str:
    text = HEAD + sample.rule
    assert text.count("\n") <= 80
    (folder / "sample.toml").write_text(text, "utf-8")
    return str(folder / "sample.toml")


def without_blanks(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: without_blanks(v) for key, v in value.items() if v not in ("", [])}
    return [without_blanks(v) for v in value] if isinstance(value, list) else value


def test_it_is_read_and_written_as_it_was(sample: Sample, tmp_path: Path) -> None:
    by, data = profile_of(sample, tmp_path), export(sample.top)
    surveyed = read(data, "x", by)[0]
    top = surveyed.site.menus[0].items[0]
    panel = top.panel
    assert panel is not None and outline(panel) == sample.columns
    assert [column.span for column in panel.columns] == sample.spans
    assert (panel.opens, panel.full_width) == (sample.opens, sample.full)
    assert panel.tone == sample.tone
    same = convert(data, "x", by, from_=by)
    assert same.fitted.losses == [] and same.audited.facts["total"] == same.audited.facts["kept"]
    again = read(same.data, "x", by)[0].site.menus[0].items[0].panel
    assert again is not None and outline(again) == sample.columns
    if "five" not in sample.rule and sample.spans != [3, 3, 6]:
        now, was = (without_blanks(json.loads(text)) for text in (same.data, data))
        assert _sorted(now) == _sorted(was)


def _sorted(value: Any) -> Any:
    """A tree in which the order of class words says nothing."""
    if isinstance(value, dict):
        words = {
            k: " ".join(sorted(v.replace("__", " ").split()))
            for k, v in value.items()
            if k == "look"
        }
        return {k: words.get(k) or _sorted(v) for k, v in value.items()}
    return [_sorted(v) for v in value] if isinstance(value, list) else value


@pytest.mark.parametrize("to", SIX)
def test_it_goes_everywhere(sample: Sample, to: str, tmp_path: Path) -> None:
    """Each link of the panel is there, and no wrapper's label is shown."""
    by = profile_of(sample, tmp_path)
    done = convert(export(sample.top), "x", to, from_=by)
    assert done.audited.problems == []
    things = read(done.data, "x", to)[0].rows.things
    labels = {thing.label for thing in things if isinstance(thing, Item)}
    assert {label for column in sample.columns for label in _links(column)} <= labels
    assert not {"Column 1", "Left", "[column] left", "left"} & labels


def _links(column: list[Any]) -> list[str]:
    found: list[str] = []
    for block in column:
        found += [block[0], *block[1]] if isinstance(block, tuple) else [block]
    return [label for label in found if label[0] not in "/—"]


def test_panels_of_others_are_written_so(sample: Sample, tmp_path: Path) -> None:
    """The demo's panel goes there, and comes back with its links."""
    by = profile_of(sample, tmp_path)
    there = convert((DATA / "old.xml").read_bytes(), "old.xml", by)
    assert there.audited.problems == []
    (panel,) = [
        i.panel for m in read(there.data, "x", by)[0].site.menus for i in m.items if i.panel
    ]
    links = [b for c in panel.columns for b in c.blocks if isinstance(b, Links)]
    assert {"Haldrun", "Murven"} <= {i.label for b in links for i in b.items}


def test_what_a_wrapper_says_is_told_and_turns_nothing_off(tmp_path: Path) -> None:
    sample = SAMPLES["wrappers by class, headings behind which links stand"]
    by = profile_of(sample, tmp_path)
    top = json.loads(json.dumps(sample.top))
    top["below"][0].update(to="/north/", look="wrap pale", code=7)
    surveyed = read(export(top), "x", by)[0]
    panel = surveyed.site.menus[0].items[0].panel
    assert panel is not None and outline(panel) == sample.columns
    (told,) = [found for found in surveyed.findings if found.code == "read.wrapper"]
    assert told.before == "/north/" and told.path == ("Isles", "Column 1")


def test_panels_that_belong_to_a_place_are_read_there_alone(tmp_path: Path) -> None:
    sample = SAMPLES["pictures whose address is a description"]
    by = profile_of(sample, tmp_path)
    foot = {"key": "foot", "title": "Foot", "below": [sample.top]}
    site = read(export(sample.top, foot), "x", by)[0].site
    assert [menu.items[0].panel is not None for menu in site.menus] == [True, False]
    assert site.menus[0].items[0].panel is not None
    (south,) = site.menus[0].items[0].panel.columns[1].blocks
    assert isinstance(south, Links) and south.items[0].traits.description == "Far out"
