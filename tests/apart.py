"""Generated sites whose things can be told apart on a page: each has a label of its own.

Labels that say nothing, or the same as another, or what no page shows, are for other tests: a
judge that looks at pages cannot know which of two equal things went where.
"""

from __future__ import annotations

import csv
import io
import itertools
import json
import sqlite3
import xml.etree.ElementTree as ET
from collections.abc import Callable, Iterable
from typing import Any

from hypothesis import strategies as st
from ruamel.yaml import YAML

from tests import generated


class _Names:
    """Labels, each with a number that no other one has."""

    def __init__(self) -> None:
        self.count = itertools.count(1)

    def __call__(self, label: object) -> str:
        shown = "".join(c if c.isprintable() else " " for c in str(label or ""))
        words = " ".join(shown.encode("utf-8", "replace").decode().split())
        return f"{words[:24].strip()} {next(self.count)}".strip()


def with_other_labels(data: bytes) -> bytes:
    """A file of Stallmere whose entries, and what opens from them, are called otherwise."""
    tree = json.loads(data)
    labels = {node["text"] for node in _mappings(tree) if isinstance(node.get("text"), str)}
    for node in _mappings(tree):
        node.update(
            (key, f"Old {said}"[:40])
            for key, said in [*node.items()]
            if isinstance(said, str) and said in labels
        )
    return json.dumps(tree, ensure_ascii=False).encode()


def _mappings(tree: Any) -> list[dict[str, Any]]:
    """All mappings of a document, from the outside in."""
    if isinstance(tree, dict):
        return [tree, *itertools.chain.from_iterable(map(_mappings, tree.values()))]
    if isinstance(tree, list):
        return [*itertools.chain.from_iterable(map(_mappings, tree))]
    return []


def _quillmoor(data: bytes) -> bytes:
    name, root = _Names(), ET.fromstring(data)
    for titled in root.findall("leaves/*/name"):
        titled.text = name(titled.text)
    led = set[tuple[str, str]]()
    for item in root.iter("item"):
        leads = item.find("leads")
        line = item.find("rule") is not None
        leaf = {*leads.items()} if leads is not None else set()
        # One of those that lead to a leaf has its name for a label.
        follows = {kind for kind, _ in leaf} & {"page", "article", "subject"} and not leaf & led
        says = item.findall("says")
        led |= leaf
        if line:
            for label in says:
                item.remove(label)
        elif not follows and all(label.get("lang") for label in says):
            item.insert(0, ET.Element("says"))
            says = item.findall("says")
        for label in says if not line else ():
            label.text = name(label.text)
    for plank in root.iter("plank"):
        if plank.get("heading"):
            plank.set("heading", name(plank.get("heading")))
        else:  # what leads somewhere without a word is told apart by nobody
            for leads in plank.findall("leads"):
                plank.remove(leads)
    for menu in root.findall("menu"):
        above = {one.get("in") for one in menu}
        for one in menu.findall("item"):  # a picture is a picture, and nothing stands below it
            picture = one.find("picture")
            if picture is not None and one.get("no") in above:
                one.remove(picture)
        gone = {item.get("no") for item in menu if item.find("rule") is not None}
        while below := [one for one in menu if one.get("in") in gone]:  # nothing is below a line
            for one in below:
                gone.add(one.get("no"))
                menu.remove(one)
        left = {one.get("no") for one in menu}
        for one in menu:
            if one.get("after") not in left:
                one.attrib.pop("after", None)
    return ET.tostring(root)


def _labelled(value: Any, keys: Iterable[str], name: _Names) -> None:
    """Give all labels below a value others."""
    for inner in value.values() if isinstance(value, dict) else value:
        if isinstance(inner, (dict, list)):
            _labelled(inner, keys, name)
    for key in keys if isinstance(value, dict) else ():
        label = value.get(key)
        if isinstance(label, str):
            value[key] = name(label)
        elif isinstance(label, dict):
            value[key] = {language: name(text) for language, text in label.items()}


def _fanlight(data: bytes) -> bytes:
    document = json.loads(data)
    _labelled(document["items"], ("label",), _Names())
    return json.dumps(document).encode()


def _stallmere(data: bytes) -> bytes:
    document, name = json.loads(data), _Names()
    frame, trays = document["frame"], document.get("trays", [])
    full = {tree["key"] for tree in document["trees"] if tree["entries"]}
    for tray in trays:  # a list of nothing is seen by nobody
        tray["columns"] = [
            [piece for piece in column if piece.get("tree", "") in {"", *full}]
            for column in tray["columns"]
        ]
    if trays and frame["footer"] == frame["header"]:
        frame["footer"] = None  # which has no trays
    under = {tray["under"]["text"]: tray["under"] for tray in trays}
    for tree in document["trees"]:
        top = tree["entries"]
        bound = [entry for entry in top if tree["key"] == frame["header"] and under]
        places = {id(e): under.get(e["text"]) for e in bound}
        _labelled(top, ("text",), name)
        for entry in bound:
            tray = places[id(entry)]
            if tray is not None and tray.get("place", 1 + top.index(entry)) == 1 + top.index(entry):
                tray.clear()
                tray["text"] = entry["text"]
    sequence = frame["header"] if isinstance(frame["header"], list) else []
    shown = {part.get("tree") for part in sequence}
    shown |= {place for place in frame.values() if isinstance(place, str)}
    sheets: list[dict[str, Any]] = []
    for sheet in document.get("sheets", ()):
        # Each has a tree of its own, as the platform asks, and something in it.
        if sheet["tree"] in full - shown:
            shown.add(sheet["tree"])
            sheet["text"] = name(sheet["text"])
            _labelled(sheet.get("pictures", []), ("caption",), name)
            sheets.append(sheet)
    if sequence:
        known = {sheet["key"] for sheet in sheets}
        parts = [p for p in sequence if "tree" in p or p["sheet"] in known]
        frame["header"] = [p for at, p in enumerate(parts) if p not in parts[:at]]
    if "sheets" in document:
        document["sheets"] = sheets
    return json.dumps(document).encode()


def _arborcote(data: bytes) -> bytes:
    yaml, name, out = YAML(typ="safe", pure=True), _Names(), io.BytesIO()
    document = yaml.load(data)
    # A page that stands in two bars is told apart in neither: the footer has its own.
    below = [{"id": n, "title": "Foot", "path": f"/f{n}", "listed": True} for n in (901, 902)]
    foot = {"id": 900, "title": "Foot", "path": "/f", "listed": False, "below": below}
    document["pages"].append(foot)
    next(bar for bar in document["bars"] if bar["name"] == "foot")["under"] = [900]
    _labelled(document["pages"], ("title", "short"), name)
    boards = {board["page"]: board for board in document.get("boards", ())}
    document["boards"] = [*boards.values()]
    for board in boards.values():  # what the platform does not say how it shows
        board["pieces"] = [p for p in board.get("pieces", ()) if p["markup"] is not None]
        if board.get("tint") == 4:
            del board["tint"]
    yaml.dump(document, out)
    return out.getvalue()


def _as_they_are(data: bytes) -> bytes:
    return data


@st.composite
def tilewick(draw: st.DrawFn, theme: str = "gable") -> bytes:
    """A Tilewick table: bars in outline order, with boards where the theme has them."""
    name = _Names()
    rows: list[list[str]] = []
    addresses = generated.ADDRESSES.filter(lambda a: "script" not in a.lower())

    def add(bar: str, outline: str, depth: int, *, board: bool) -> None:
        below = draw(st.integers(0, 3)) if depth < 4 else 0
        panel = board and below and draw(st.booleans())
        leads = draw(st.one_of(st.just(""), addresses))
        kind = "board" if panel else "list" if below else ""
        opens = draw(st.sampled_from(["hover", "press"])) if panel else ""
        shown = draw(st.sampled_from([("yes", "yes")] * 4 + [("yes", "no"), ("no", "yes")]))
        columns = str(draw(st.integers(1, 5))) if panel else ""
        window = draw(st.sampled_from(["same", "same", "new"]))
        label = name(draw(st.sampled_from(generated.WORDS)))
        rows.append([bar, outline, label, leads, kind, columns, opens, window, *shown])
        for at in range(1, below + 1):
            add(bar, f"{outline}.{at}", depth + 1, board=False)

    for bar in draw(st.lists(st.sampled_from(["main", "foot", "corner"]), unique=True)):
        for at in range(1, draw(st.integers(1, 4)) + 1):
            add(bar, str(at), 1, board=bar == "main" and theme == "gable")
    stream = io.StringIO(newline="")
    head = "bar,outline,label,leads,below,columns,opens,window,desktop,handset"
    csv.writer(stream).writerows([head.split(","), *rows])
    return stream.getvalue().encode()


@st.composite
def rowanbase(draw: st.DrawFn) -> bytes:
    """A Rowanbase database: nodes by their lineages, in an order of their ranks alone."""
    name, nodes = _Names(), list[tuple[Any, ...]]()
    ids = iter(draw(st.permutations(range(1, 140))))
    addresses = generated.ADDRESSES.filter(lambda a: "script" not in a.lower() and a != "#")
    leads = st.one_of(
        *(st.just(""), st.just("route:fares"), addresses.map(lambda a: f"url:{a}")),
        *(st.just("path:/p1/"), st.just("path:/"), st.just("route:island?name=haldrun")),
    )

    def add(bar: str, above: str, rank: int, depth: int) -> None:
        ident = next(ids)
        lineage = f"{above}/{ident}".lstrip("/")
        words = name(draw(st.sampled_from(generated.WORDS)))
        window = draw(st.sampled_from([0, 0, 1]))
        icon = draw(st.sampled_from([None, None, "ship"]))
        nodes.append((ident, bar, lineage, rank, words, draw(leads), window, icon))
        for at in range(draw(st.integers(0, 2)) if depth < 4 else 0):
            add(bar, lineage, at + 1, depth + 1)

    for bar in draw(st.lists(st.sampled_from(["main", "foot", "staff"]), unique=True)):
        ranks = draw(st.permutations(range(1, 4)))
        for rank in ranks[: draw(st.integers(1, 3))]:
            add(bar, "", rank, 1)
    database = sqlite3.connect(":memory:")
    database.execute(
        "CREATE TABLE nav_node (id INTEGER PRIMARY KEY, bar TEXT, lineage TEXT, rank INTEGER,"
        " words TEXT, leads TEXT, new_window INTEGER, icon TEXT)"
    )
    database.execute("CREATE TABLE route (name TEXT, pattern TEXT)")
    routes = [("island", "/islands/{name}"), ("fares", "/fares")]
    database.executemany("INSERT INTO route VALUES (?, ?)", routes)
    database.executemany("INSERT INTO nav_node VALUES (?, ?, ?, ?, ?, ?, ?, ?)", nodes)
    database.commit()
    return database.serialize()


Site = tuple[str, st.SearchStrategy[bytes], Callable[[bytes], bytes]]
SITES: dict[str, Site] = {
    "quillmoor": ("quillmoor", generated.quillmoor(clean=True), _quillmoor),
    "stallmere": ("stallmere", generated.stallmere(clean=True), _stallmere),
    "sheets": ("stallmere", generated.terrace(), _stallmere),
    "arborcote": ("arborcote", generated.ridge(), _arborcote),
    "fanlight": ("fanlight", generated.fanlight(), _fanlight),
    "gable": ("tilewick/gable", tilewick("gable"), _as_they_are),
    "lintel": ("tilewick/lintel", tilewick("lintel"), _as_they_are),
    "bare": ("rowanbase/bare", rowanbase(), _as_they_are),
    "rail": ("rowanbase/rail", rowanbase(), _as_they_are),
}
"""Sites for each platform: the place, with a theme where no file says it, and what makes them."""


def sites(name: str) -> st.SearchStrategy[bytes]:
    """Generated exports, the things of which can be told apart."""
    _, made, apart = SITES[name]
    return made.map(apart)
