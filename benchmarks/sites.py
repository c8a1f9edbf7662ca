"""Large made-up sites for measuring, the same in every run."""

from __future__ import annotations

import json
import random
import xml.etree.ElementTree as ET

ISLANDS = ["Haldrun", "Oddny", "Tannick", "Corrin", "Fenn", "Aldskerry", "Murven", "Stack"]


def quillmoor(links: int, menus: int, seed: int = 7, pages: int = 2000) -> bytes:
    """An export with this many links, spread evenly over this many menus."""
    chance = random.Random(seed)
    root = ET.Element("quillmoor", version="3", site="https://old.skerryline.example/", lang="en")
    content = ET.SubElement(root, "content")
    for number in range(pages):
        name = f"{chance.choice(ISLANDS)} page {number}"
        path = f"/p/page-{number}/"
        ET.SubElement(content, "node", id=str(number + 1), sort="page", path=path, name=name)
    listed = ET.SubElement(root, "menus")
    for number in range(menus):
        ET.SubElement(listed, "menu", ref=f"m{number}", name=f"Menu {number}", kept="yes")
    spots = ET.SubElement(root, "spots", theme="breakwater")
    ET.SubElement(spots, "spot", name="masthead", caption="Top bar", menu="m0")
    ET.SubElement(spots, "spot", name="foot", caption="Footer", menu="m1" if menus > 1 else "")
    body = ET.SubElement(root, "links")
    each = links // menus
    for number in range(links):
        menu, place = divmod(number, each)
        menu = min(menu, menus - 1)
        under = 0 if place % 6 == 0 else number - place % 6 + 1
        link = ET.SubElement(
            body, "link", id=str(number + 1), menu=f"m{menu}", under=str(under), seq=str(place)
        )
        page = chance.randrange(pages) + 1
        entries = {"text": f"{chance.choice(ISLANDS)} {number}", "sort": "page"}
        entries["points-to"] = str(page)
        if place % 3 == 0:
            entries["blurb"] = "Departures, arrivals and fares"
        if place % 5 == 0:
            entries["window"] = "new"
        if place % 4 == 0:
            entries["look"] = "shaded wide-gap"
        if place % 2 == 0:
            entries["text@nb"] = f"Øy {number}"
        for key, value in entries.items():
            ET.SubElement(link, "set", key=key).text = value
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
        "stallmere": 2,
        "shop": "https://skerryline.stallmere.example",
        "catalogue": {"pages": records, "goods": [], "aisles": [], "journal": []},
        "trees": [],
        "frame": {"theme": "broad", "header": None, "footer": None},
    }
    return json.dumps(document).encode()
