"""Large made-up sites for measuring, the same in every run."""

from __future__ import annotations

import json
import random
import xml.etree.ElementTree as ET

ISLANDS = ["Haldrun", "Oddny", "Tannick", "Corrin", "Fenn", "Aldskerry", "Murven", "Stack"]


def quillmoor(links: int, menus: int, seed: int = 7, pages: int = 2000) -> bytes:
    """An export with this many links, spread evenly over this many menus."""
    chance = random.Random(seed)
    root = ET.Element(
        "quillmoor",
        version="4",
        root="https://old.skerryline.example/",
        speaks="en nb",
        dress="breakwater",
    )
    leaves = ET.SubElement(root, "leaves")
    for number in range(pages):
        page = ET.SubElement(leaves, "page", no=str(number + 1), at=f"/p/page-{number}/")
        ET.SubElement(page, "name").text = f"{chance.choice(ISLANDS)} page {number}"
    listed = []
    for number in range(menus):
        shown = {0: {"shown-at": "upper"}, 1: {"shown-at": "foot"}}.get(number, {})
        listed.append(ET.SubElement(root, "menu", {"code": f"m{number}", **shown}))
        ET.SubElement(listed[-1], "name").text = f"Menu {number}"
    each = links // menus
    last: dict[tuple[int, int], int] = {}
    for number in range(links):
        menu, place = divmod(number, each)
        menu = min(menu, menus - 1)
        under = 0 if place % 6 == 0 else number - place % 6 + 1
        item = ET.SubElement(listed[menu], "item", no=str(number + 1))
        if under:
            item.set("in", str(under))
        if (menu, under) in last:
            item.set("after", str(last[menu, under]))
        last[menu, under] = number + 1
        ET.SubElement(item, "says").text = f"{chance.choice(ISLANDS)} {number}"
        if place % 2 == 0:
            ET.SubElement(item, "says", lang="nb").text = f"Øy {number}"
        ET.SubElement(item, "leads", page=str(chance.randrange(pages) + 1))
        if place % 3 == 0:
            ET.SubElement(item, "about").text = "Departures, arrivals and fares"
        if place % 5 == 0:
            ET.SubElement(item, "window").text = "new"
        if place % 4 == 0:
            ET.SubElement(item, "style").text = "shaded wide-gap"
    made: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return made


def deep(items: int) -> bytes:
    """A Tilewick table with branches of a third level, one for each five items at least."""
    rows = ["bar,outline,label,leads,below,columns,opens,window,desktop,handset"]
    top = 0
    while len(rows) <= items:
        top += 1
        outlines = [f"{top}"]
        for second in range(1, 6):
            outlines.append(f"{top}.{second}")
            outlines += [f"{top}.{second}.{third}" for third in range(1, 4)]
        holds = ["list" if outline.count(".") < 2 else "" for outline in outlines]
        made = zip(outlines, holds, strict=True)
        rows += [f"main,{o},Item {o},/p/{o},{below},,,same,yes,yes" for o, below in made]
    return ("\n".join(rows[: items + 1]) + "\n").encode()


def stallmere(pages: int = 2000) -> bytes:
    """An export of an empty shop with the pages that `quillmoor` points to."""
    records = [{"key": f"page-{n}", "title": f"Page {n}"} for n in range(pages)]
    document = {
        "stallmere": 3,
        "site": "https://skerryline.stallmere.example",
        "stock": {"page": records, "good": [], "aisle": [], "story": []},
        "trees": [],
        "frame": {"theme": "broad", "header": None, "footer": None},
    }
    return json.dumps(document).encode()
