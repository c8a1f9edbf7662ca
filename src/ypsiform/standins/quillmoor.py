"""What Quillmoor's importer demands of a file."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET

_NAME = re.compile(r"[a-z0-9]+(\.[a-z0-9]+)*")
_STATES = {"live", "draft", "private", "gone"}
_SORTS = {"page", "article", "topic", "front", "finder", "rule", "address"}
_SLIPWAY_SORTS = {"plank", "caption"}
_POINTING = {"page", "article", "topic"}
_OPTIONS = {"press": "opens", "hover": "opens", "wide": "width", "snug": "width"}


def check(data: bytes) -> list[str]:
    """Every rule that a file breaks, in plain words; an empty list if it is sound."""
    try:
        root = ET.fromstring(data)
    except ET.ParseError as error:
        return [f"not well-formed: {error}"]
    if root.tag != "quillmoor":
        return [f"the root element is {root.tag}"]
    found: list[str] = []
    if root.get("version") != "3":
        found.append(f"version is {root.get('version')}")
    if root.get("site") is None:
        found.append("there is no site address")
    for section in ("content", "menus", "spots", "links"):
        if len(root.findall(section)) != 1:
            found.append(f"there is not exactly one <{section}>")
    nodes = _nodes(root, found)
    menus = _menus(root, found)
    theme = _spots(root, menus, found)
    _links(root, menus, nodes, theme, found)
    return found


def _legal(name: str) -> bool:
    return len(name) <= 26 and _NAME.fullmatch(name) is not None


def _nodes(root: ET.Element, found: list[str]) -> dict[str, str]:
    nodes: dict[str, str] = {}
    for node in root.findall("content/node"):
        ident, sort = node.get("id"), node.get("sort", "")
        if not ident or ident in nodes:
            found.append(f"node id {ident!r} is missing or there twice")
        if sort not in _POINTING:
            found.append(f"node {ident} has the sort {sort!r}")
        if node.get("state", "live") not in _STATES:
            found.append(f"node {ident} has the state {node.get('state')!r}")
        if node.get("path") is None or node.get("name") is None:
            found.append(f"node {ident} has no path or no name")
        nodes[ident or ""] = sort
    return nodes


def _menus(root: ET.Element, found: list[str]) -> set[str]:
    menus: set[str] = set()
    for menu in root.findall("menus/menu"):
        ref = menu.get("ref", "")
        if not _legal(ref):
            found.append(f"menu ref {ref!r} is not legal")
        if ref in menus:
            found.append(f"menu ref {ref!r} is there twice")
        menus.add(ref)
        for name in ("kept", "grows"):
            if menu.get(name, "yes") not in ("yes", "no"):
                found.append(f"menu {ref}: {name} is {menu.get(name)!r}")
    return menus


def _spots(root: ET.Element, menus: set[str], found: list[str]) -> str:
    theme = ""
    for spots in root.findall("spots"):
        theme = spots.get("theme", "")
    if theme not in ("breakwater", "slipway"):
        found.append(f"the theme {theme!r} is not known")
    seen: set[str] = set()
    for spot in root.findall("spots/spot"):
        name = spot.get("name", "")
        if not _legal(name) or name in seen:
            found.append(f"spot name {name!r} is not legal or there twice")
        seen.add(name)
        if spot.get("menu") and spot.get("menu") not in menus:
            found.append(f"spot {name} names the missing menu {spot.get('menu')!r}")
    return theme


def _links(
    root: ET.Element, menus: set[str], nodes: dict[str, str], theme: str, found: list[str]
) -> None:
    under: dict[tuple[str, str], str] = {}
    looks: dict[tuple[str, str], list[str]] = {}
    sorts: dict[tuple[str, str], str] = {}
    ids: set[str] = set()
    for link in root.findall("links/link"):
        ident, menu = link.get("id", ""), link.get("menu", "")
        if not ident or ident == "0" or ident in ids:
            found.append(f"link id {ident!r} is missing, 0, or there twice")
        ids.add(ident)
        if menu not in menus:
            found.append(f"link {ident} is in the missing menu {menu!r}")
        if not re.fullmatch(r"-?\d+", link.get("seq", "")):
            found.append(f"link {ident}: seq is {link.get('seq')!r}")
        values: dict[str, str] = {}
        for entry in link.findall("set"):
            key = entry.get("key")
            if not key:
                found.append(f"link {ident} has a set without a key")
            values.setdefault(key or "", entry.text or "")
        under[menu, ident] = link.get("under", "")
        looks[menu, ident] = values.get("look", "").split()
        sorts[menu, ident] = values.get("sort", "")
        _values(ident, values, nodes, theme, found)
    for (menu, ident), parent in under.items():
        if parent != "0" and (menu, parent) not in under:
            found.append(f"link {ident} stands under {parent!r}, which is not in its menu")
    _rings(under, found)
    if theme == "slipway":
        _planks(under, sorts, found)
    if theme == "breakwater":
        held = {s.get("menu") for s in root.findall("spots/spot") if s.get("name") == "masthead"}
        for (menu, ident), words in looks.items():
            if menu in held:
                _directives(ident, words, under[menu, ident] == "0", found)


def _planks(
    under: dict[tuple[str, str], str], sorts: dict[tuple[str, str], str], found: list[str]
) -> None:
    counts: dict[tuple[str, str], int] = {}
    for (menu, ident), sort in sorts.items():
        parent = (menu, under[menu, ident])
        if sort == "plank":
            counts[parent] = counts.get(parent, 0) + 1
            if parent[1] == "0" or under.get(parent) != "0":
                found.append(f"link {ident} is a plank, but not below a top item")
        if sort == "caption" and sorts.get(parent) != "plank":
            found.append(f"link {ident} is a caption outside a plank")
    found += [f"link {key[1]} has {count} planks" for key, count in counts.items() if count > 7]


def _values(
    ident: str, values: dict[str, str], nodes: dict[str, str], theme: str, found: list[str]
) -> None:
    sort = values.get("sort", "")
    if sort not in _SORTS and not (theme == "slipway" and sort in _SLIPWAY_SORTS):
        found.append(f"link {ident} has the sort {sort!r}")
    if sort in _POINTING and nodes.get(values.get("points-to", "")) != sort:
        found.append(f"link {ident} points to no {sort}: {values.get('points-to')!r}")
    if sort == "address" and not values.get("address"):
        found.append(f"link {ident} has no address")
    if re.match(r"\s*(java|vb)script:", values.get("address", ""), re.IGNORECASE):
        found.append(f"link {ident} runs a script")
    if values.get("window", "same") not in ("new", "same"):
        found.append(f"link {ident}: window is {values['window']!r}")
    if values.get("hidden", "no") not in ("yes", "no"):
        found.append(f"link {ident}: hidden is {values['hidden']!r}")


def _rings(under: dict[tuple[str, str], str], found: list[str]) -> None:
    settled: set[tuple[str, str]] = set()
    for start in under:
        way: list[tuple[str, str]] = []
        on_way: set[tuple[str, str]] = set()
        at = start
        while at in under and at not in settled and at not in on_way:
            way.append(at)
            on_way.add(at)
            at = (at[0], under[at])
        if at in on_way:
            found.append(f"link {at[1]} stands under itself")
        settled.update(way)


def _directives(ident: str, words: list[str], top: bool, found: list[str]) -> None:
    for word in words:
        head, *options = word.split(":")
        if head == "deck" and top:
            kinds = [_OPTIONS.get(option) for option in options]
            if None in kinds or len(set(kinds)) < len(kinds):
                found.append(f"link {ident}: the directive {word!r} is not understood")
        if head == "bay" and not top:
            width = options[0] if len(options) == 1 else ""
            if not (width.isdigit() and 1 <= int(width) <= 12):
                found.append(f"link {ident}: the directive {word!r} is not understood")
