"""Ypsiform's own document: a whole site, there and back, and what strangers write into one."""

from __future__ import annotations

import json
from datetime import date, datetime, time
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import generated
from tests.conftest import Run
from tests.open_formats import DOCUMENT, document
from tests.test_pairs import BY, DEMO, KEEP, PLACES
from tests.test_shapes import outline
from ypsiform import document as documents
from ypsiform import document_form
from ypsiform.containers import Repeated
from ypsiform.errors import FormatError
from ypsiform.migrate import convert
from ypsiform.model import TARGET_KINDS, Item, rows_of
from ypsiform.reading import read

SAMPLES = Path(__file__).parent / "samples"
FILES = ["arborcote.yaml", "fanlight.json", "tilewick.csv", "hugo/hugo.toml"]
HAND = {
    "ypsiform": 1,
    "menus": [
        {
            "id": "main",
            "items": [
                {"number": 1, "label": "Sailings", "target": {"kind": "page", "content": "s"}},
                {"number": 2, "label": "North", "under": 1},
            ],
        }
    ],
    "locations": [{"name": "header", "menus": ["main"]}],
    "contents": [{"id": "s", "kind": "page", "path": "/s"}],
}


def whole(data: bytes, by: str | None) -> bytes:
    """A file as a document, in which every fact is kept, and which gives the site again."""
    source, _ = read(data, "x", by)
    made = convert(data, "x", "ypsiform", from_=by)
    facts = made.audited.facts
    assert facts["kept"] == facts["total"] and made.fitted.losses == []
    assert document(made.data) == []
    back = read(made.data, "x")[0]
    assert documents.says_the_same(back.site, source.site, places=True)
    assert back.used == source.used
    assert back.profile.id == source.profile.id
    assert convert(made.data, "x", "ypsiform").data == made.data
    return made.data


@pytest.mark.parametrize("place", PLACES)
def test_the_demo_of_every_platform_there_and_back(place: str) -> None:
    data = convert(DEMO, "old.xml", place, options=KEEP).data
    by = BY.get(place, place)
    made = whole(data, by)
    if place.startswith(("arborcote", "sitemap")):
        return  # such a file holds pages that its site does not
    back = convert(made, "x", place, options=KEEP)
    assert back.audited.facts["kept"] == back.audited.facts["total"]
    there, again = read(data, "x", by)[0].site, read(back.data, "x", by)[0].site
    assert documents.says_the_same(there, again)


@pytest.mark.parametrize("name", FILES)
def test_samples_there_and_back(name: str) -> None:
    whole((SAMPLES / name).read_bytes(), None)


@given(generated.quillmoor() | generated.stallmere())
def test_generated_sites_there_and_back(data: bytes) -> None:
    made = whole(data, None)
    platform = "quillmoor" if data.startswith(b"<") else "stallmere"
    there = "stallmere/broad" if platform == "quillmoor" else "csv"
    # It goes on as the export itself does.
    assert convert(made, "x", there).data == convert(data, "x", there).data


def test_a_document_on_the_command_line(run: Run, tmp_path: Path) -> None:
    (tmp_path / "old.xml").write_bytes(DEMO)
    done = run("convert", "old.xml", "--to", "ypsiform", "-o", "doc.json", "-v")
    assert done.returncode == 0 and "520 in all: 520 kept" in done.stdout
    done = run("survey", "doc.json")
    assert "doc.json is a document of a site of quillmoor" in done.stderr
    done = run("convert", "doc.json", "--to", "quillmoor", "-o", "again.xml", "--made-up", "-v")
    assert done.returncode == 0 and "520 in all: 520 kept" in done.stdout
    refused = run("convert", "old.xml", "--to", "ypsiform", "--into", "doc.json", "-o", "x")
    assert refused.returncode == 1 and "a document is written whole" in refused.stderr
    schema = run("profile", "schema", "--document")
    assert json.loads(schema.stdout) == json.loads(DOCUMENT.read_bytes())


def test_a_document_written_by_hand(run: Run, tmp_path: Path) -> None:
    data = json.dumps(HAND).encode()
    assert document(data) == []
    source = read(data, "x")[0]
    assert source.profile.id == "ypsiform"
    (menu,) = source.site.menus
    assert outline(menu.items) == [("Sailings", ["North"])] and menu.key == "main"
    made = convert(data, "x", "stallmere")
    assert outline(made.written.menus[0].items) == [("Sailings", ["North"])]


def test_odd_items_lose_nothing() -> None:
    items = [
        {"number": 1, "label": "A", "under": 9},
        {"number": 2, "label": "B", "under": 3},
        {"number": 3, "label": "C", "under": 2},
        {"number": 4, "label": "D", "under": 3},
        {"number": 5, "label": "E"},
    ]
    tree = {"ypsiform": 1, "menus": [{"id": "m", "items": items}]}
    source = read(json.dumps(tree).encode(), "x")[0]
    assert outline(source.site.menus[0].items) == ["E", "A", "B", ("C", ["D"])]
    assert [n.code for n in source.findings][:3] == ["read.orphan", "read.ring", "read.ring"]


def test_ten_thousand_levels() -> None:
    items = [{"number": n, "label": str(n), "under": n - 1 or None} for n in range(1, 10_001)]
    tree = {"ypsiform": 1, "menus": [{"id": "m", "items": items}]}
    made = whole(json.dumps(tree).encode(), None)
    assert max(rows_of(read(made, "x")[0].site.menus).depth) == 10_000


PANEL: dict[str, Any] = {
    "columns": [
        {
            "span": 6,
            "label": "Tab",
            "blocks": [
                {"block": "links", "heading": 2, "items": [3]},
                {"block": "picture", "number": 5, "holds": {"source": "/p.jpg", "alt": "A pier"}},
                {"block": "text", "number": 6, "holds": {"body": "Sail", "form": "markdown"}},
                {"block": "markup", "number": 7, "holds": {"html": "<p>", "links": []}},
                {"block": "products", "number": 8, "holds": {"contents": ["a"]}},
                {"block": "menu", "number": 9, "holds": {"menu": "other"}},
                {
                    "block": "generated",
                    "number": 10,
                    "holds": {"rule": "newest", "of": "x", "count": 3},
                },
                {"block": "form", "number": 11, "holds": {"fields": ["name"]}},
                {
                    "block": "widget",
                    "number": 12,
                    "holds": {"name": "map", "settings": [["a", "b"]]},
                },
            ],
        },
        {"blocks": [{"block": "links", "items": [4]}]},
    ],
    "style": "tabs",
    "full-width": True,
    "opens": "press",
    "tone": "2",
    "before": {"block": "markup", "number": 13, "holds": {"html": "<p>"}},
    "after": {"block": "markup", "number": 14, "holds": {"html": "</p>"}},
}
PANELLED: dict[str, Any] = {
    "ypsiform": 1,
    "menus": [
        {
            "id": "m",
            "items": [
                {"number": 1, "label": "Top", "panel": PANEL},
                {"number": 2, "label": "Head", "under": 1, "role": "heading"},
                {"number": 3, "label": "A", "under": 2},
                {"number": 4, "label": "B", "under": 1},
            ],
        }
    ],
}


def test_every_block_of_a_panel() -> None:
    data = whole(json.dumps(PANELLED).encode(), None)
    (menu,) = read(data, "x")[0].site.menus
    panel = menu.items[0].panel
    assert panel is not None and panel.full_width and panel.style == "tabs"
    assert len(panel.columns[0].blocks) == 9 and panel.columns[0].span == 6
    labels = [t.label for t in rows_of([menu]).things if isinstance(t, Item)]
    assert labels == ["Top", "Head", "A", "B"]


def test_values_that_json_does_not_have() -> None:
    twice = Repeated({"a": 2})
    twice.others = [("a", 1)]
    value: Any
    for value in (
        date(2026, 1, 2),
        datetime(2026, 1, 2, 3, 4),
        time(3, 4),
        b"\x00\xff",
        twice,
        [("a", {"b": None})],
        {"#date": "no", "x": [1.5]},
        {"#map": []},
        float("inf"),
    ):
        made = document_form.unpacked(json.loads(json.dumps(document_form.packed(value))))
        assert made == value and type(made) is type(value)
    made = document_form.unpacked(document_form.packed(twice))
    assert made.others == twice.others


def changed(path: list[Any], value: Any, tree: dict[str, Any] = HAND) -> bytes:
    made = json.loads(json.dumps(tree))
    node = made
    for part in path[:-1]:
        node = node[part]
    if value is ...:
        del node[path[-1]]
    else:
        node[path[-1]] = value
    return json.dumps(made).encode()


ITEM = ["menus", 0, "items", 1]


LED = {"blocks": [], "label": "North", "target": {"kind": "page", "content": "x"}}

UNLED = {"blocks": [{"block": "markup", "number": 9, "holds": {"html": "<a href='/a'>A</a>"}}]}

HEAD = {"block": "links", "heading": 2, "items": []}


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        (["ypsiform"], 2, "ypsiform: this is a document of version 2, and version 1 is read"),
        (["menus"], {}, "menus: found a mapping where a list is needed"),
        ([*ITEM, "label"], ..., "menus[0].items[1]: it has no label, which is needed"),
        ([*ITEM, "colour"], "red", "the key 'colour', which is not known"),
        ([*ITEM, "number"], 1, "menus[0].items[1]: the number 1 stands twice in this menu"),
        ([*ITEM, "target"], {"kind": "pages"}, "there is no kind of target 'pages'"),
        ([*ITEM, "target"], {"kind": "page", "content": "x"}, "no page with the id 'x'"),
        (["locations", 0, "menus"], ["x"], "locations[0].menus: there is no menu 'x'"),
        ([*ITEM, "extras"], [{"path": "a", "value": {"#date": "x"}}], "cannot be restored"),
        ([*ITEM, "panel"], {"columns": [{"blocks": [{"block": "links", "items": [9]}]}]}, "item 9"),
        ([*ITEM, "panel"], {"columns": [{"blocks": [{"block": "links", "items": [1]}]}]}, "item 1"),
        ([*ITEM, "panel"], {"columns": [{"blocks": [{"block": "odd"}]}]}, "odd"),
        ([*ITEM, "panel"], {"columns": [{"blocks": [], "span": 13}]}, "13 twelfths wide"),
        ([*ITEM, "panel"], {"columns": [LED]}, "no page with the id 'x'"),
        ([*ITEM, "panel"], {"columns": [UNLED]}, "the links in it are 1, and `links` names 0"),
        ([*ITEM, "panel"], {"columns": [], "style": "grid"}, "known are columns, tabs, freehand"),
        (["menus", 0, "items", 0, "panel"], {"columns": [{"blocks": [HEAD]}]}, "that is a link"),
        (["contents", 0, "extras"], [{"path": "a", "value": 1}] * 2, "contents[0].extras: two"),
        (["locations", 0, "name"], "", "locations[0].name: a location has no name"),
        ([*ITEM, "translations"], {"": "Nord"}, "further language has no language"),
        ([*ITEM, "extras"], [{"path": "a", "value": 1}] * 2, "have one path: number them"),
    ],
)
def test_damaged_documents(
    run: Run, tmp_path: Path, path: list[Any], value: Any, words: str
) -> None:
    (tmp_path / "doc.json").write_bytes(changed(path, value))
    done = run("survey", "doc.json")
    assert done.returncode == 1 and words in done.stderr, done.stderr
    assert done.stderr.count("\n") == 1 and done.stderr.startswith("ypsiform: doc.json")


def test_more_damage() -> None:
    for path, value, words in (
        (["menus", 0, "items", 2, "under"], 4, "does not stand below it"),
        (["menus", 0, "items", 3, "under"], 2, "does not stand below it"),
        (["menus", 0, "items", 0, "under"], 4, "in a panel that stands below it"),
        (["menus", 0, "items", 0, "role"], "heading", "is a heading, and stands in no panel"),
    ):
        with pytest.raises(FormatError, match=words):
            read(changed(path, value, PANELLED), "x")
    twice = json.dumps(PANELLED).encode().replace(b'"items": [4]', b'"items": [4, 4]')
    with pytest.raises(FormatError, match="item 4 stands in a panel twice"):
        read(twice, "x")
    outside = changed(["menus", 0, "items"], [*PANELLED["menus"][0]["items"]], PANELLED)
    outside = outside.replace(b'"label": "B"}', b'"label": "B"}').replace(
        b'{"number": 4', b'{"number": 20, "label": "Z", "under": 1}, {"number": 4'
    )
    with pytest.raises(FormatError, match="below an item with a panel, and not in it"):
        read(outside, "x")
    doubled = json.dumps(HAND).encode().replace(b'"under": 1', b'"under": 1, "under": 1')
    with pytest.raises(FormatError, match="the key 'under' stands twice"):
        read(doubled, "x")


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(),
        lambda inner: (
            st.lists(inner)
            | st.dictionaries(
                st.text() | st.sampled_from(["#date", "#map", "#pair", "@a", "#text"]), inner
            )
        ),
    )
)
def test_any_value_comes_back(value: Any) -> None:
    assert document_form.unpacked(json.loads(json.dumps(document_form.packed(value)))) == value


def _leading(where: str, target: dict[str, Any]) -> list[dict[str, Any]]:
    """Items of a menu of which one, a pane or a picture has a target."""
    if where == "item":
        return [{"number": 0, "label": "A", "target": target}]
    column: dict[str, Any] = {"span": 6, "blocks": [{"block": "links", "items": [1]}]}
    panel: dict[str, Any] = {"columns": [column]}
    if where == "pane":
        column.update(label="N", target=target)
        panel["style"] = "tabs"
    else:
        holds = {"source": "/p.jpg", "caption": "P", "target": target, "second": "/q.jpg"}
        holds["second-target"] = target
        column["blocks"].append({"block": "picture", "number": 2, "holds": holds})
    below = {"number": 1, "label": "B", "under": 0, "target": {"kind": "page", "address": "/b"}}
    return [{"number": 0, "label": "A", "panel": panel}, below]


@pytest.mark.parametrize("kind", TARGET_KINDS)
@pytest.mark.parametrize("where", ["item", "pane", "picture"])
def test_no_kind_of_target_with_any_address_breaks_the_account(kind: str, where: str) -> None:
    """It is carried over, or its kind and its address contradict each other: then it is refused."""
    place = {"name": "top", "caption": "Top", "menus": ["top"], "panels": True}
    for address in (None, "", "#", "/x", "x", "tel:+47 1", "javascript:x", "https://a.example/b"):
        target = {"kind": kind} | ({} if address is None else {"address": address})
        menu = {"id": "top", "key": "top", "items": _leading(where, target)}
        tree = {"ypsiform": 1, "platform": "fanlight", "languages": ["en"], "menus": [menu]}
        tree |= {"addresses": ["https://x.example/"], "locations": [place]}
        for to in ("fanlight", "quillmoor/breakwater", "stallmere/broad", "csv"):
            try:
                made = convert(json.dumps(tree).encode(), "d", to)
            except FormatError as error:
                assert "has the address" in error.message or "has no" in error.message
                assert kind not in ("search", "article") or address in ("", "#")
                continue
            facts = made.audited.facts
            assert sum(n for name, n in facts.items() if name != "total") == facts["total"]


LEADING = {"kind": "page", "address": "/a"}
SAID: list[dict[str, Any]] = [
    *({"traits": {name: ""}} for name in ("description", "tooltip", "icon", "picture", "rel")),
    *({"traits": {"window": word}} for word in ("same", "")),
    *({"traits": {"devices": held}} for held in ([], ["handset"], ["handset", "desktop"])),
    *({"traits": {"badge": {"text": text, "until": ""}}} for text in ("", "New")),
    *({"label": text} for text in ("", " ", "'=1+2", "=1+2", "a\nb", "\ta ", "&amp; <b>")),
    {"role": "divider"},
    {"translations": {"nb": ""}},
    {"traits": {"audience": []}},
    {"traits": {"classes": ["", "a b"]}},
]
HELD: list[tuple[str, dict[str, Any]]] = [
    *(("picture", {"source": "/p", name: ""}) for name in ("alt", "caption", "title", "second")),
    *(("picture", {"source": "/p", name: "x"}) for name in ("alt", "caption", "title", "second")),
    ("text", {"body": "x", "target": LEADING}),
    ("text", {"body": "**x**", "form": "markdown"}),
    ("text", {"body": ""}),
    ("markup", {"html": ""}),
    ("products", {"contents": []}),
    *(("generated", {"rule": rule, "of": "", "count": 0}) for rule in ("newest", "oldest")),
    ("form", {"fields": [""]}),
]


def one_item(**said: Any) -> bytes:
    item = {"number": 0, "label": "A", "target": LEADING} | said
    menu = {"id": "top", "key": "top", "title": "Top", "items": [item]}
    place = {"name": "top", "caption": "Top", "menus": ["top"], "panels": True}
    tree = {"ypsiform": 1, "languages": ["en", "nb"], "addresses": ["https://x.example/"]}
    return json.dumps(tree | {"menus": [menu], "locations": [place]}).encode()


@pytest.mark.parametrize("to", [place for place in PLACES if "inventory" not in place])
def test_what_an_item_says_is_accounted_for_everywhere(to: str) -> None:
    """What says nothing is lost without a word; all else is carried over, or somebody is told."""
    for said in SAID:
        facts = convert(one_item(**said), "d", to).audited.facts
        assert sum(n for name, n in facts.items() if name != "total") == facts["total"]
    for block, holds in HELD:
        for style in ("columns", "tabs"):
            column: dict[str, Any] = {"blocks": [{"block": block, "number": 9, "holds": holds}]}
            column |= {"label": "P", "note": ""} if style == "tabs" else {}
            panel = {"columns": [column], "style": style}
            facts = convert(one_item(panel=panel), "d", to).audited.facts
            assert sum(n for name, n in facts.items() if name != "total") == facts["total"]


def test_an_item_on_no_device_stays_on_none() -> None:
    file = {"fanlight": 4, "needs": {"scripts": True}, "host": "https://x.example/", "takes": "top"}
    item = {"uid": "a", "label": {"en": "A"}, "href": "/a", "hide_on": ["desktop", "handset"]}
    data = json.dumps(file | {"items": [item]}).encode()
    again = json.loads(convert(data, "f.json", "fanlight").data)
    assert again["items"][0]["hide_on"] == ["desktop", "handset"]
    assert b"no,no" in convert(data, "f.json", "tilewick/gable").data
    told = [f.before for f in convert(data, "f.json", "csv").findings if f.code == "trait.device"]
    assert told == ["no device"]


@pytest.mark.parametrize("path", ["#", "/files/a.pdf", "https://other.example/x", ""])
def test_a_document_holds_whatever_was_read(path: str) -> None:
    """Paths that are no page's, and devices that nobody knows, are in the site all the same."""
    leaves = f'<leaves><article no="1" at="{path}"><name>A</name></article></leaves>'
    data = f'<quillmoor version="4" root="https://x.example" speaks="en">{leaves}</quillmoor>'
    made = convert(data.encode(), "x.xml", "ypsiform").data
    assert read(made, "d.json")[0].site.contents[0].path == path
    assert convert(made, "d.json", "quillmoor").audited.facts["dropped"] == 0
    table = b"menu,level,label,address,devices\nmain,1,A,/a,desktop desktop\nmain,1,B,/b,watch\n"
    again = read(convert(table, "t.csv", "ypsiform").data, "d.json")[0].rows.things
    assert [t.traits.devices for t in again if isinstance(t, Item)] == [
        ("desktop",) * 2,
        ("watch",),
    ]
