"""Generated sites: exports of the simulated platforms, within their limits and beyond them."""

from __future__ import annotations

import io
import json
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from hypothesis import strategies as st
from ruamel.yaml import YAML

WORDS = ["Haldrun", "Oddny", "Tannick", "Corrin", "Fenn", "Fares", "Freight", "Passes"]
LABELS = st.one_of(
    st.sampled_from(WORDS),
    st.just(""),
    st.lists(st.sampled_from(WORDS), min_size=2, max_size=9).map(" ".join),
    st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), min_size=1, max_size=50),
)
ADDRESSES = st.sampled_from(
    [
        "#",
        "#quay",
        "/",
        "/p1/",
        "/p1?tide=high#quay",
        "/deep/p2",
        "/nowhere/at/all",
        "/files/map.pdf",
        "https://old.skerryline.example/p3/index.html",
        "https://OLD.skerryline.example:443/p4#x",
        "https://webcam.example/pier?b=2&a=1",
        "//webcam.example/pier",
        "https://skerryline.stallmere.example/read/p1",
        "mailto:post@skerryline.example",
        "tel:+005550100",
        "javascript:alert(1)",
        "JavaScript:void(0)",
    ]
)
ODD = st.sampled_from(["Quay\u000bside", "\u0000", "half \ud800", "\ufffe x", "two\nlines", " "])
"""Labels that only JSON can write."""

AUDIENCES = ["everyone", "everyone", "everyone", "guests", "members", "crew agents"]


def _child(name: str, value: str = "", **says: str) -> str:
    own = "".join(f" {key}={quoteattr(said)}" for key, said in says.items())
    return f"<{name}{own}>{escape(value)}</{name}>"


@st.composite
def quillmoor(draw: st.DrawFn, *, clean: bool = False) -> bytes:
    """A Quillmoor export. `clean`: nothing that its own importer would refuse."""
    leaves: list[str] = []
    kinds: dict[int, str] = {}
    for number in range(1, draw(st.integers(0, 8)) + 1):
        kind = kinds[number] = draw(st.sampled_from(["page", "page", "article", "subject"]))
        stages = ["open", "open", "open", "unfinished", "closed", "withdrawn"]
        path = draw(st.sampled_from([f"/p{number}/", f"/deep/p{number}/", "/deep/twice/"]))
        more = ' seo="yes"' if draw(st.integers(0, 5)) == 0 else ""
        leaves.append(
            f'<{kind} no="{number}" at={quoteattr(path)} stage="{draw(st.sampled_from(stages))}" '
            f'for="{draw(st.sampled_from(AUDIENCES))}"{more}>'
            f"{_child('name', draw(LABELS))}</{kind}>"
        )
    dress = draw(st.sampled_from(["breakwater", "breakwater", "slipway"]))
    places = ["upper", "foot", "pocket", "corner", "member"] + ([] if clean else ["side", "top"])
    menus: list[str] = []
    number = 0
    for code in [f"m{n}" for n in range(draw(st.integers(1, 4)))]:
        made = draw(st.sampled_from(["by-hand", "by-hand", "by-hand", "by-itself"]))
        fills = draw(st.sampled_from(["never", "never", "root-pages"]))
        shown = " ".join(draw(st.lists(st.sampled_from(places), max_size=2)))
        seen = draw(st.sampled_from(["", "", "", ' for="members"']))
        items: list[str] = []
        known: list[int] = []
        tops: list[int] = []
        last: dict[int, int] = {}
        for _ in range(draw(st.integers(0, 10))):
            number += 1
            plank = dress == "slipway" and bool(tops) and draw(st.integers(0, 4)) == 0
            parents = tops[-3:] if plank else [0, *known[-5:]]
            inside, behind = draw(st.sampled_from(parents)), last.get(parents[0], 0)
            behind = last.get(inside, 0)
            if not clean and draw(st.integers(0, 20)) == 0:
                inside = draw(st.sampled_from([number, number + 1, 999]))
                behind = draw(st.sampled_from([0, number, number + 1, 999]))
            last[inside] = number
            head = f'no="{number}"' + (f' in="{inside}"' if inside else "")
            head += f' after="{behind}"' if behind else ""
            if plank:
                heading = draw(st.sampled_from(["", ' heading="North"']))
                items.append(f"<plank {head}{heading}>{_leads(draw, kinds)}</plank>")
                known.append(number)
                continue
            known.append(number)
            tops += [number] if not inside else []
            items.append(_quillmoor_item(draw, head, kinds, clean=clean))
        menus.append(
            f'<menu code="{code}" shown-at="{shown}" made="{made}" fills="{fills}"{seen}>'
            f"{_child('name', draw(LABELS))}{''.join(items)}</menu>"
        )
    plugins = "" if clean or draw(st.booleans()) else '<plugins on="yes"><tide/></plugins>'
    return (
        f'<quillmoor version="4" root="https://old.skerryline.example/" speaks="en" '
        f'dress="{dress}"><leaves>{"".join(leaves)}</leaves>{"".join(menus)}{plugins}</quillmoor>'
    ).encode()


def _leads(draw: st.DrawFn, kinds: dict[int, str]) -> str:
    """Where an item leads, if it leads anywhere."""
    kind = draw(st.sampled_from(["address", "fixed", "none", "leaf", "leaf", "leaf"]))
    if kind == "leaf" and kinds:
        number = draw(st.sampled_from(sorted(kinds)))
        return _child("leads", **{kinds[number]: str(number)})
    if kind == "address":
        address = draw(ADDRESSES)
        return _child("leads", address=address) if address else ""
    if kind == "none":
        return ""
    return _child("leads", fixed=draw(st.sampled_from(["home", "search"])))


def _quillmoor_item(draw: st.DrawFn, head: str, kinds: dict[int, str], *, clean: bool) -> str:
    says = [_child("says", draw(LABELS))] if draw(st.booleans()) else []
    if not clean and draw(st.integers(0, 12)) == 0:
        says.append(_child("leads", fixed="moon"))
    else:
        says += ["<rule/>"] if draw(st.integers(0, 8)) == 0 else [_leads(draw, kinds)]
    if not clean and draw(st.integers(0, 12)) == 0:
        odd = [
            _child("window", "frame"),
            _child("tide", "high") + _child("tide", "low"),
            _child("says", "x", lang="de", odd="yes"),
            _child("says", "a", lang="nb") + _child("says", "b", lang="nb"),
        ]
        says.append(draw(st.sampled_from(odd)))
    words = [""] * 5 + ["shaded", "pane", "pane pane-press pane-wide", "pane x", "share-3"]
    style = draw(st.sampled_from([*words, "share-12 y", "share-4"]))
    optional = {
        "about": _child("about", "Every day"),
        "window": _child("window", draw(st.sampled_from(["new", "same"]))),
        "hint": _child("hint", "Step-free"),
        "glyph": _child("glyph", "ship"),
        "rel": _child("rel", "nofollow"),
        "off": "<off/>",
        "picture": _child("picture", src="/files/pier.jpg"),
        "nb": _child("says", "Rutetider", lang="nb"),
        "de": _child("says", "Fahrplan", lang="de"),
    }
    more = draw(st.lists(st.sampled_from(sorted(optional)), max_size=2, unique=True))
    says += [optional[name] for name in more if f"<{name}" not in "".join(says)]
    says += [_child("style", style)] if style else []
    seen = draw(st.sampled_from(["", "", "", ' for="members"', ' for="crew"']))
    return f"<item {head}{seen}>{''.join(says)}</item>"


@st.composite
def stallmere(draw: st.DrawFn, *, clean: bool = False) -> bytes:
    """A Stallmere export. `clean`: nothing that its own importer would refuse."""
    stock: dict[str, list[dict[str, Any]]] = {}
    known: list[dict[str, str]] = []
    for kind in ("page", "good", "aisle", "story"):
        records = []
        for key in draw(st.lists(st.sampled_from(["p1", "p2", "p3", "twice", "x-y"]), unique=True)):
            record: dict[str, Any] = {"key": key, "title": draw(LABELS)}
            if draw(st.integers(0, 5)) == 0:
                record["price"] = 12.5
            records.append(record)
            known.append({"what": kind, "key": key})
        stock[kind] = records
    lists = [{"list": kind} for kind in ("good", "aisle", "story")]
    fixed = [{"fixed": word} for word in ("home", "search", "account")]
    targets: list[dict[str, str] | None] = [*known, *known, *lists, *fixed, None]
    if not clean:
        targets.append({"what": "page", "key": "gone"})

    def entries(level: int) -> list[dict[str, Any]]:
        found = []
        for _ in range(draw(st.integers(0, 4 if level == 1 else 2))):
            link = draw(st.sampled_from(targets))
            if draw(st.integers(0, 3)) == 0:
                address = draw(ADDRESSES.filter(lambda a: not clean or "script" not in a.lower()))
                link = {"address": address}
            label = draw(LABELS if draw(st.integers(0, 9)) else ODD)
            entry: dict[str, Any] = {"text": label[:40] if clean else label, "link": link}
            if not clean and draw(st.integers(0, 12)) == 0:
                entry["tide"] = draw(st.sampled_from(["high", 3, None, [1], {"a": "b"}]))
            if level < (4 if clean else 6) and draw(st.booleans()):
                entry["entries"] = entries(level + 1)
            found.append(entry)
        return found

    keys = draw(st.lists(st.sampled_from(["main", "foot", "m0", "m1", "list"]), unique=True))
    by_key: dict[str | None, list[dict[str, Any]]] = {key: entries(1) for key in keys}
    trees = [{"key": key, "title": draw(LABELS)[:40], "entries": by_key[key]} for key in keys]
    theme = draw(st.sampled_from(["plain", "broad"]))
    header = draw(st.sampled_from([None, *keys]))
    frame = {"theme": theme, "header": header, "footer": draw(st.sampled_from([None, *keys]))}
    document: dict[str, Any] = {
        "stallmere": 3,
        "site": "https://skerryline.stallmere.example",
        "stock": stock,
        "trees": trees,
        "frame": frame,
    }
    top = by_key.get(header, [])
    texts = [entry["text"] for entry in top]
    openers = [n for n, e in enumerate(top, 1) if e["text"] and not e.get("entries")]
    flat = [k for k in keys if k != header and not any(e.get("entries") for e in by_key[k])]
    with_trays = draw(st.booleans())
    if theme == "broad" and openers and with_trays:
        pieces: list[Any] = [{"words": "Sail **today**"}] + [{"tree": key} for key in flat[:2]]
        under: dict[str, Any] = {"text": texts[openers[0] - 1]}
        if texts.count(under["text"]) > 1:
            under["place"] = openers[0]
        document["trays"] = [{"under": under, "columns": [pieces]}]
    if not clean and draw(st.integers(0, 5)) == 0:
        document["weather"] = {"wind": [1, 2]}
    return json.dumps(document).encode()


@st.composite
def fanlight(draw: st.DrawFn) -> bytes:
    """A Fanlight export: grids, tabs and cascades with cells of every type, some of them odd."""
    count = iter(range(1, 1000))
    addresses = st.one_of(st.none(), ADDRESSES.filter(lambda a: "script" not in a.lower()))

    def words() -> dict[str, str]:
        made = {"en": draw(st.sampled_from(WORDS))}
        if draw(st.integers(0, 3)) == 0:
            made["nb"] = "på norsk"
        return made

    def item() -> dict[str, Any]:
        made: dict[str, Any] = {"uid": f"f{next(count)}", "label": words()}
        made["href"] = draw(addresses)
        if draw(st.integers(0, 4)) == 0:
            made["glyph"] = "ship"
        return made

    def cell() -> dict[str, Any]:
        kind = draw(
            st.sampled_from(
                ["list", "list", "list", "picture", "text", "goods", "markup", "newest", "form"]
            )
        )
        made: dict[str, Any] = {"width": draw(st.integers(1, 12)), "type": kind}
        if kind == "list":
            if draw(st.booleans()):
                made["head"] = {"label": words(), "href": draw(addresses)}
            made["items"] = [item() for _ in range(draw(st.integers(0, 4)))]
        elif kind == "picture":
            made.update(src="/files/pier.jpg", alt=words(), href=draw(addresses))
            if draw(st.booleans()):
                made["caption"] = words()
            if draw(st.integers(0, 2)) == 0:
                made.update(title=words(), second="/files/quay.jpg")
        elif kind == "text":
            made["body"] = words()
        elif kind == "goods":
            made["keys"] = draw(st.lists(st.sampled_from(["p1", "p2", "gone"]), max_size=3))
        elif kind == "markup":
            link = draw(ADDRESSES)
            run = draw(st.sampled_from(["", "", "<script>alert(1)</script>", "<b>Now</b>"]))
            made["html"] = f"<p>See <a href={quoteattr(link)}>here</a> and <a>not</a>{run}</p>"
        elif kind == "newest":
            made.update(of="journal", count=3)
        else:
            made["fields"] = ["name", "mail"]
        if draw(st.integers(0, 6)) == 0:
            made["off"] = draw(st.booleans())
        if draw(st.integers(0, 8)) == 0:
            made["odd"] = draw(st.sampled_from([1, "x", ["y"], {"z": None}]))
        return made

    def cells(most: int) -> list[dict[str, Any]]:
        return [cell() for _ in range(draw(st.integers(0, most)))]

    def tab() -> dict[str, Any]:
        made: dict[str, Any] = {"label": words(), "cells": cells(3)}
        if draw(st.booleans()):
            made.update(uid=f"f{next(count)}", href=draw(addresses), note=words())
        return made

    items = []
    for _ in range(draw(st.integers(1, 4))):
        made = item()
        if draw(st.integers(0, 3)) == 0:
            made["mark"] = {"text": "New", "until": "2027-06-01", "counts": draw(st.booleans())}
        style = draw(st.sampled_from(["none", "grid", "grid", "grid", "tabs", "cascade"]))
        if style == "grid":
            made["reveal"] = {"as": "grid", "cells": cells(9)}
        elif style == "tabs":
            made["reveal"] = {
                "as": "tabs",
                "items": [tab() for _ in range(draw(st.integers(1, 3)))],
            }
        elif style == "cascade":
            made["reveal"] = {"as": "cascade", "items": [item()]}
        if style != "none" and draw(st.booleans()):
            made["reveal"]["on"] = draw(st.sampled_from(["hover", "press"]))
        items.append(made)
    host = "https://skerryline.stallmere.example"
    document = {"fanlight": 4, "takes": "top", "host": host, "items": items}
    return json.dumps(document, ensure_ascii=False).encode()


@st.composite
def terrace(draw: st.DrawFn) -> bytes:
    """A Stallmere export whose header is a sequence, in every order, with much that is odd."""
    links = st.sampled_from([None, {"what": "page", "key": "p1"}, {"fixed": "home"}])
    leads = st.one_of(links, ADDRESSES.map(lambda a: {"address": a}))
    leads = leads.filter(lambda link: "script" not in (link or {}).get("address", "").lower())

    def entries(levels: int) -> list[dict[str, Any]]:
        return [
            {"text": draw(st.sampled_from(WORDS)), "link": draw(leads)}
            | ({"entries": entries(levels - 1)} if levels > 1 and draw(st.booleans()) else {})
            for _ in range(draw(st.integers(0, 3)))
        ]

    titles = st.sampled_from(["Main", "Main", "Main", "", "Islands"])
    keys = draw(
        st.lists(
            st.sampled_from(["main", "main-2", "main-3", "islands", "ports", "foot"]), unique=True
        )
    )
    trees = []
    for key in keys:
        tree = {"key": key, "title": draw(titles), "entries": entries(draw(st.integers(1, 3)))}
        trees.append(tree | ({"tide": 1} if not draw(st.integers(0, 7)) else {}))
    sheets = []
    for key in draw(st.lists(st.sampled_from(["islands", "ports", "s3"]), unique=True)):
        if not keys:
            break
        sheet: dict[str, Any] = {"key": key, "text": draw(st.sampled_from(["Islands", "Ports"]))}
        sheet["tree"] = draw(st.sampled_from(keys))
        if draw(st.booleans()):
            sheet["link"] = draw(st.one_of(st.none(), leads))
        if draw(st.booleans()):
            picture: dict[str, Any] = {"src": "/files/pier.jpg", "caption": "Pier"}
            places = st.sampled_from([{}, {"before": 1}, {"before": 2}, {"before": 9}])
            sheet["pictures"] = [
                picture | {"link": draw(leads)} | draw(places)
                for _ in range(draw(st.integers(1, 3)))
            ]
        if not draw(st.integers(0, 7)):
            sheet["odd"] = {"a": [1]}
        sheets.append(sheet)
    parts: list[dict[str, str]] = [{"sheet": sheet["key"]} for sheet in sheets]
    parts += [{"tree": key} for key in keys]
    header = draw(st.lists(st.sampled_from(parts), max_size=6)) if parts else []
    header = [p for at, p in enumerate(header) if "sheet" in p or p not in header[:at]]
    document = {
        "stallmere": 3,
        "site": "https://skerryline.stallmere.example",
        "stock": {
            "page": [{"key": "p1", "title": "P1"}],
            "good": [],
            "aisle": [],
            "story": [],
        },
        "trees": trees,
        "frame": {
            "theme": "terrace",
            "header": draw(st.permutations(header)),
            "footer": draw(st.sampled_from([None, *keys])),
        },
        "sheets": sheets,
    }
    return json.dumps(document).encode()


@st.composite
def ridge(draw: st.DrawFn) -> bytes:
    """An Arborcote export with boards below its pages, some of them odd, or markup of their own."""
    count = iter(range(2, 1000))
    addresses = ADDRESSES.filter(lambda a: "script" not in a.lower() and a != "#")
    ids: list[int] = []

    def page(level: int) -> dict[str, Any]:
        ident = next(count)
        ids.append(ident)
        pointer = draw(st.sampled_from([None, None, "none", 1])) if draw(st.booleans()) else None
        if draw(st.integers(0, 4)) == 0:
            pointer = draw(addresses)
        return {
            "id": ident,
            "title": draw(st.sampled_from(WORDS)),
            "short": draw(st.sampled_from([None, None, "Short"])),
            "path": f"/p{ident}/" if pointer is None else None,
            "listed": draw(st.integers(0, 5)) > 0,
            "made": None,
            "readers": ["everyone"],
            "pointer": pointer,
            "below": [page(level + 1) for _ in range(draw(st.integers(0, 3)))] if level < 4 else [],
        }

    def markup() -> str | None:
        link = draw(addresses)
        run = draw(st.sampled_from(["", "", "", "<script>alert(1)</script>"]))
        made = f"<p>See <a href={quoteattr(link)}>here</a>{run}</p>"
        return draw(st.sampled_from([None, made, "<b>Now</b>"]))

    home: dict[str, Any] = {
        "id": 1,
        "title": "Home",
        "short": None,
        "path": "/",
        "listed": True,
        "made": None,
    }
    home |= {"readers": ["everyone"], "pointer": None, "below": [page(1) for _ in range(4)]}
    boards = []
    tops = [below["id"] for below in home["below"]]
    for ident in draw(st.lists(st.sampled_from(tops * 3 + ids), max_size=4)):
        board: dict[str, Any] = {"page": ident, "columns": draw(st.integers(1, 5))}
        if draw(st.booleans()):
            sides = draw(st.sampled_from([["before"], ["after"], ["before", "after"]]))
            board["pieces"] = [{"side": side, "markup": markup()} for side in sides]
        elif draw(st.booleans()):
            board["pieces"] = [{"side": "instead", "markup": markup()}]
        if draw(st.booleans()):
            board["tint"] = draw(st.integers(1, 4))
        if draw(st.integers(0, 7)) == 0:
            board["tide"] = "high"
        boards.append(board)
    bars: list[dict[str, Any]] = [{"name": "main", "under": [1], "levels": draw(st.integers(1, 4))}]
    bars.append({"name": "foot", "under": [draw(st.sampled_from(ids))], "levels": 1})
    for bar in bars:
        bar["by"] = draw(st.sampled_from(["rank", "rank", "title", "made"]))
    document = {
        "arborcote": 6,
        "site": "https://intranet.skerryline.example",
        "pages": [home],
        "bars": bars,
        "boards": boards,
        "look": {"theme": "ridge"},
    }
    out = io.BytesIO()
    YAML(typ="safe", pure=True).dump(document, out)
    return out.getvalue()
