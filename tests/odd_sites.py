"""Documents of our own that say whatever a site can say: panels of every kind, items in any depth.

They are sound in form and odd in content, and drawn from a number: the same one is the same site.
"""

from __future__ import annotations

import json
import random
from typing import Any

TARGETS: list[dict[str, str]] = [
    {"kind": "none"},
    {"kind": "page", "address": "/a"},
    {"kind": "page", "address": "/b?x=1"},
    {"kind": "external", "address": "https://e.example/x"},
    {"kind": "mail", "address": "mailto:a@b.example"},
    {"kind": "phone", "address": "tel:+47"},
    {"kind": "fragment", "address": "#x"},
    {"kind": "home", "address": "/"},
    {"kind": "search"},
    {"kind": "page", "content": "1"},
    {"kind": "term", "content": "2"},
    {"kind": "file", "address": "/f.pdf"},
    {"kind": "product", "key": "gone"},
    {"kind": "none", "address": "#"},
]
LEADING = [target for target in TARGETS if target["kind"] != "none"]
LABELS = ["Alpha", "Beta", "Alpha", "", "Long " * 12, "Gamma & co", "<b>", "x/y", "Ø"]
CONTENTS = [
    {"id": "1", "kind": "page", "title": "One", "path": "/one"},
    {"id": "2", "kind": "term", "title": "Two", "path": "/two", "key": "two"},
]
TRAITS: list[tuple[float, str, Any]] = [
    (0.1, "window", "new"),
    (0.1, "classes", ["pane", "share-3"]),
    (0.05, "audience", ["members"]),
    (0.05, "devices", ["desktop"]),
    (0.05, "badge", {"text": "New", "until": "2027-01-01", "counts": True}),
    (0.05, "icon", "ship"),
    (0.05, "picture", "/p.png"),
    (0.05, "description", "d"),
]


class _Site:
    def __init__(self, draw: random.Random) -> None:
        self.draw = draw
        self.items: list[dict[str, Any]] = []
        self.count = 0

    def number(self) -> int:
        self.count += 1
        return self.count - 1

    def chance(self, share: float) -> bool:
        return self.draw.random() < share

    def item(self, under: int | None, role: str = "link") -> dict[str, Any]:
        """An item, taken in."""
        draw = self.draw
        made: dict[str, Any] = {"number": self.number(), "label": draw.choice(LABELS)}
        made["target"] = draw.choice(TARGETS)
        if under is not None:
            made["under"] = under
        if role == "divider":
            made.update(role=role, label="", target={"kind": "none"})
        else:
            made.update({} if role == "link" else {"role": role})
            traits = {name: value for share, name, value in TRAITS if self.chance(share)}
            made.update({"traits": traits} if traits else {})
        if role == "link" and self.chance(0.05):
            made["hidden"] = True
        if self.chance(0.1):
            made["translations"] = {"nb": "norsk"}
        self.items.append(made)
        return made

    def below(self, under: int, depth: int) -> None:
        for _ in range(self.draw.randint(0, 3) if depth < 4 else 0):
            role = "divider" if self.chance(0.06) else "link"
            made = self.item(under, role)
            if role == "link":
                self.below(made["number"], depth + 1)

    def links(self, owner: int) -> dict[str, Any]:
        """A list, with a heading or without."""
        made: dict[str, Any] = {"block": "links", "items": []}
        if self.chance(0.6):
            owner = made["heading"] = self.item(owner, "heading")["number"]
        for _ in range(self.draw.randint(0, 4)):
            role = "divider" if self.chance(0.08) else "link"
            link = self.item(owner, role)["number"]
            made["items"].append(link)
            if role == "link" and self.chance(0.1):
                self.below(link, 3)
        return made

    def block(self, owner: int) -> dict[str, Any]:
        """A block of any kind."""
        if self.chance(0.6):
            return self.links(owner)
        draw = self.draw
        kind = draw.choice(["picture", "picture", "text", "markup", "products", "generated"])
        kinds: dict[str, dict[str, Any]] = {
            "text": {"body": "Sail **today**", "form": draw.choice(["plain", "markdown"])},
            "markup": {"html": '<p>See <a href="/a">it</a></p>', "links": [TARGETS[1]]},
            "products": {"contents": ["p1"]},
            "generated": {"rule": "newest", "of": "journal", "count": 3},
            "picture": {"source": "/p.jpg"},
        }
        holds = kinds[kind]
        if kind == "picture":
            said = {"caption": "c", "target": draw.choice(LEADING), "alt": "alt", "title": "t"}
            said |= {"second": "/q.jpg", "second-target": draw.choice(LEADING)}
            holds |= {name: value for name, value in said.items() if self.chance(0.4)}
        return {"block": kind, "number": self.number(), "holds": holds}

    def panel(self, owner: int) -> dict[str, Any]:
        """Columns, or panes of them."""
        draw = self.draw
        style = draw.choice(["columns", "columns", "tabs"])
        columns: list[dict[str, Any]] = []
        for at in range(draw.randint(1, 7)):
            column: dict[str, Any] = {"blocks": []}
            column["blocks"] = [self.block(owner) for _ in range(draw.randint(0, 3))]
            column.update({"span": draw.randint(1, 12)} if self.chance(0.5) else {})
            if style == "tabs" and (not at or self.chance(0.5)):
                column["label"] = draw.choice(LABELS)
                column.update({"target": draw.choice(LEADING)} if self.chance(0.3) else {})
                column.update({"note": "note"} if self.chance(0.2) else {})
            columns.append(column)
        made: dict[str, Any] = {"columns": columns, "style": style}
        made.update({"opens": draw.choice(["hover", "press"])} if self.chance(0.3) else {})
        made.update({"full-width": True} if self.chance(0.2) else {})
        return made


def odd_site(draw: random.Random) -> bytes:
    """A document with one menu, whose items have panels or others below them."""
    site = _Site(draw)
    for _ in range(draw.randint(1, 5)):
        top = site.item(None)
        if site.chance(0.5):
            top["panel"] = site.panel(top["number"])
        else:
            site.below(top["number"], 1)
    place = {"name": "top", "caption": "Top", "menus": ["top"], "panels": True}
    menu = {"id": "top", "key": "top", "title": "Top", "items": site.items}
    tree: dict[str, Any] = {"ypsiform": 1, "platform": "ypsiform", "languages": ["en"]}
    tree |= {"addresses": ["https://x.example/"], "contents": CONTENTS}
    return json.dumps(tree | {"menus": [menu], "locations": [place]}).encode()
