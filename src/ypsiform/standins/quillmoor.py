"""What Quillmoor's importer demands of a file."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET

_NAME = re.compile(r"[a-z0-9]+(\.[a-z0-9]+)*")
_LEAVES = ("page", "article", "subject")
_STAGES = {"open", "unfinished", "closed", "withdrawn"}
_FIXED = {"home", "search"}
_DRESSES = ("breakwater", "slipway")
_WORDS = {"pane", "pane-press", "pane-wide"}


def check(data: bytes) -> list[str]:
    """Every rule that a file breaks, in plain words; an empty list if it is sound."""
    try:
        root = ET.fromstring(data)
    except ET.ParseError as error:
        return [f"not well-formed: {error}"]
    if root.tag != "quillmoor":
        return [f"the root element is {root.tag}"]
    found: list[str] = []
    if root.get("version") != "4":
        found.append(f"version is {root.get('version')}")
    if root.get("root") is None:
        found.append("there is no address of the site")
    dress = root.get("dress", "")
    if dress not in _DRESSES:
        found.append(f"the dress {dress!r} is not known")
    if len(root.findall("leaves")) != 1:
        found.append("there is not exactly one <leaves>")
    leaves = _leaves(root, found)
    codes: set[str] = set()
    numbers: set[str] = set()
    shown: set[str] = set()
    for menu in root.findall("menu"):
        _menu(menu, codes, found)
        places = menu.get("shown-at", "").split()
        upper = "upper" in places and "upper" not in shown
        shown.update(places)
        _items(menu, leaves, numbers, dress, found)
        if upper and dress == "breakwater":
            _panes(menu, found)
    return found


def _legal(name: str) -> bool:
    return len(name) <= 26 and _NAME.fullmatch(name) is not None


def _leaves(root: ET.Element, found: list[str]) -> dict[str, str]:
    leaves: dict[str, str] = {}
    for leaf in root.findall("leaves/*"):
        number = leaf.get("no")
        if not number or number in leaves:
            found.append(f"the number {number!r} of a leaf is missing or there twice")
        if leaf.tag not in _LEAVES:
            found.append(f"leaf {number} is a {leaf.tag}")
        if leaf.get("stage", "open") not in _STAGES:
            found.append(f"leaf {number} has the stage {leaf.get('stage')!r}")
        if leaf.get("at") is None or leaf.find("name") is None:
            found.append(f"leaf {number} has no path or no name")
        leaves[number or ""] = leaf.tag
    return leaves


def _menu(menu: ET.Element, codes: set[str], found: list[str]) -> None:
    code = menu.get("code", "")
    if not _legal(code):
        found.append(f"the code {code!r} of a menu is not legal")
    if code in codes:
        found.append(f"the code {code!r} of a menu is there twice")
    codes.add(code)
    if menu.get("made", "by-hand") not in ("by-hand", "by-itself"):
        found.append(f"menu {code}: made is {menu.get('made')!r}")
    if menu.get("fills", "never") not in ("never", "root-pages"):
        found.append(f"menu {code}: fills is {menu.get('fills')!r}")
    for place in menu.get("shown-at", "").split():
        if not _legal(place):
            found.append(f"menu {code}: the place {place!r} is not legal")


def _items(
    menu: ET.Element, leaves: dict[str, str], numbers: set[str], dress: str, found: list[str]
) -> None:
    records = [child for child in menu if child.tag in ("item", "plank")]
    inside: dict[str, str] = {}
    after: dict[str, str] = {}
    for record in records:
        number = record.get("no", "")
        if not number or number in numbers:
            found.append(f"the number {number!r} of an item is missing or there twice")
        numbers.add(number)
        inside[number] = record.get("in", "")
        after[number] = record.get("after", "")
        _says(record, number, leaves, found)
    planks = {record.get("no", "") for record in records if record.tag == "plank"}
    for number, parent in inside.items():
        if parent and parent not in inside:
            found.append(f"item {number} is in {parent!r}, which is not in its menu")
        last = after[number]
        if last and (last not in inside or inside[last] != parent):
            found.append(f"item {number} comes after {last!r}, which is none of its siblings")
    _rings(inside, "in", found)
    _rings(after, "after", found)
    counts: dict[str, int] = {}
    for number in planks:
        parent = inside[number]
        counts[parent] = counts.get(parent, 0) + 1
        if dress != "slipway":
            found.append(f"the dress {dress} has no planks: {number}")
        if not parent or inside.get(parent):
            found.append(f"plank {number} is not in a top item")
    found += [f"item {parent} has {count} planks" for parent, count in counts.items() if count > 7]


def _says(record: ET.Element, number: str, leaves: dict[str, str], found: list[str]) -> None:
    leads = record.findall("leads")
    if len(leads) > 1 or any(len(lead.attrib) != 1 for lead in leads):
        found.append(f"item {number} leads to more than one, or to nothing")
    for lead in leads:
        for kind, said in lead.attrib.items():
            if kind in _LEAVES and leaves.get(said) != kind:
                found.append(f"item {number} leads to no {kind}: {said!r}")
            elif kind == "fixed" and said not in _FIXED:
                found.append(f"item {number}: {said!r} is not fixed")
            elif kind == "address" and not said:
                found.append(f"item {number} has no address")
            elif kind == "address" and re.match(r"\s*(java|vb)script:", said, re.IGNORECASE):
                found.append(f"item {number} runs a script")
            elif kind not in (*_LEAVES, "fixed", "address"):
                found.append(f"item {number} leads to a {kind}")
    window = record.findtext("window")
    if window not in (None, "new", "same"):
        found.append(f"item {number}: window is {window!r}")
    tongues = [says.get("lang", "") for says in record.findall("says")]
    if len(tongues) != len(set(tongues)):
        found.append(f"item {number} says something twice in one language")


def _rings(pointers: dict[str, str], word: str, found: list[str]) -> None:
    settled: set[str] = set()
    for start in pointers:
        way: list[str] = []
        on_way: set[str] = set()
        at = start
        while at in pointers and at not in settled and at not in on_way:
            way.append(at)
            on_way.add(at)
            at = pointers[at]
        if at in on_way:
            found.append(f"item {at} is {word} itself")
        settled.update(way)


def _panes(menu: ET.Element, found: list[str]) -> None:
    """The words of panels stand where they mean something, and once."""
    words = {item.get("no", ""): (item.findtext("style") or "").split() for item in menu}
    inside = {item.get("no", ""): item.get("in", "") for item in menu}
    for number, said in words.items():
        shares = [word for word in said if re.fullmatch(r"share-[1-9]\d*", word)]
        own = [word for word in said if word in _WORDS]
        if len(shares) > 1 or len(own) != len(set(own)):
            found.append(f"item {number}: the words {' '.join(said)!r} say a thing twice")
        if "pane" not in own and own:
            found.append(f"item {number}: {own[0]!r} without a pane")
        pane = "pane" in words.get(inside.get(number, ""), [])
        if shares and not (pane and not inside.get(inside[number])):
            found.append(f"item {number}: {shares[0]!r} outside a pane")
