"""Quillmoor: what its importer keeps of a file, and what a site shows of it."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Callable
from typing import NamedTuple

from .shown import Block, Column, Entry, Panel, Place, Refused, Visitor, cut

THEMES = ("breakwater", "slipway")
FIXED = {"home": "/", "search": "/search/"}
_LEAVES = ("page", "article", "subject")
_SHARE = re.compile(r"share-([1-9]\d*)")
_NAME = re.compile(r"[a-z0-9]+(\.[a-z0-9]+)*")


class _Spot(NamedTuple):
    name: str
    caption: str
    levels: int | None
    panels: bool = False
    handset: bool = False
    members: bool = False


_PLACES = {
    "breakwater": (
        _Spot("upper", "Upper row", 3, panels=True),
        _Spot("foot", "Foot", 1),
        _Spot("pocket", "Pocket", 3, handset=True),
        _Spot("corner", "Corner", 2),
    ),
    "slipway": (
        _Spot("upper", "Upper row", 2, panels=True),
        _Spot("foot", "Foot", 2, panels=True),
        _Spot("member", "Signed-in visitors", 2, members=True),
    ),
}


def blank(theme: str) -> bytes:
    """A site without menus."""
    return (
        f'<quillmoor version="4" root="https://site.example/" speaks="en" dress="{theme}">'
        "<leaves/></quillmoor>"
    ).encode()


def _read(data: bytes) -> ET.Element:
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise Refused("document types are not taken")
    try:
        root = ET.fromstring(data)
    except (ET.ParseError, ValueError, LookupError) as error:
        raise Refused(f"not well-formed: {error}") from None
    if root.tag != "quillmoor" or root.get("version") != "4":
        raise Refused("this is no Quillmoor file of version 4")
    return root


def kept(data: bytes) -> bytes:
    """What the importer keeps: leaves and menus with legal codes, items that lead somewhere known.

    A lead to an unknown leaf is dropped, the item stays and leads nowhere; in a dress without
    planks these are dropped, and what was in them stands in nothing.
    """
    root = _read(data)
    dress = root.get("dress", "")
    leaves = {leaf.get("no"): leaf.tag for leaf in root.findall("leaves/*")}
    for menu in root.findall("menu"):
        code = menu.get("code", "")
        if len(code) > 26 or not _NAME.fullmatch(code):
            root.remove(menu)
            continue
        for record in list(menu):
            if record.tag == "plank" and dress != "slipway":
                menu.remove(record)
            for lead in record.findall("leads"):
                if any(
                    kind in _LEAVES and leaves.get(said) != kind
                    for kind, said in lead.attrib.items()
                ):
                    record.remove(lead)
    return bytes(ET.tostring(root, encoding="utf-8"))


def languages(data: bytes) -> list[str]:
    """The languages of a site, its first one in front."""
    return _read(data).get("speaks", "").split()


def roles(data: bytes) -> set[str]:
    """The words for visitors that a file uses."""
    root = _read(data)
    return {word for element in root.iter() for word in element.get("for", "").split()}


def contents(data: bytes) -> dict[str, str]:
    """The address of each leaf, by its kind and number."""
    leaves = _read(data).findall("leaves/*")
    return {f"{leaf.tag} {leaf.get('no')}": leaf.get("at", "") for leaf in leaves}


def places(
    data: bytes, visitor: Visitor, theme: str = "", *, declared: bool = False
) -> list[Place]:
    """What the places of the dress show to a visitor."""
    root = _read(data)
    dress = root.get("dress", "")
    leaves = {leaf.get("no", ""): leaf for leaf in root.findall("leaves/*")}
    made: list[Place] = []
    spots = list(_PLACES.get(dress, ()))
    if declared:
        named = [name for m in root.findall("menu") for name in m.get("shown-at", "").split()]
        known = {spot.name for spot in spots}
        elsewhere = {spot.name: spot for row in _PLACES.values() for spot in row}
        for name in dict.fromkeys(named):
            if name not in known:
                like = elsewhere.get(name, _Spot(name, name, None))
                spots.append(like._replace(levels=None, panels=False))
    for spot in spots:
        if spot.handset and visitor.device != "handset":
            continue
        if spot.members and "members" not in visitor.groups:
            continue
        place = Place(spot.name, spot.caption)
        menu = next(
            (m for m in root.findall("menu") if spot.name in m.get("shown-at", "").split()), None
        )
        if menu is not None and visitor.may(menu.get("for", "everyone").split() or ["everyone"]):
            shown = _Menu(menu, leaves, visitor, spot, dress)
            place.entries = cut(shown.top(), spot.levels)
        made.append(place)
    return made


class _Menu:
    """One menu as a visitor sees it at one place."""

    def __init__(
        self,
        menu: ET.Element,
        leaves: dict[str, ET.Element],
        visitor: Visitor,
        spot: _Spot,
        dress: str,
    ) -> None:
        self.leaves, self.visitor, self.spot, self.dress = leaves, visitor, spot, dress
        records = [child for child in menu if child.tag in ("item", "plank")]
        self.inside = _inside(records)
        self.children: dict[str, list[ET.Element]] = {}
        for record in records:
            self.children.setdefault(self.inside[record.get("no", "")], []).append(record)
        for above, siblings in self.children.items():
            lost = [r for r in siblings if not above and r.get("in")]
            own = [r for r in siblings if r not in lost]
            self.children[above] = _in_order(own) + lost

    def seen(self, number: str) -> list[ET.Element]:
        """The records inside one that the visitor sees; a line holds nothing: all in it follows."""
        found: list[ET.Element] = []
        stack = self.children.get(number, [])[::-1]
        while stack:
            record = stack.pop()
            people = record.get("for", "everyone").split() or ["everyone"]
            if record.tag == "item" and (
                record.find("off") is not None or not self.visitor.may(people)
            ):
                continue
            found.append(record)
            if record.find("rule") is not None:
                stack += self.children.get(record.get("no", ""), [])[::-1]
        return found

    def top(self) -> list[Entry]:
        return [self.opener(record) for record in self.seen("") if record.tag == "item"]

    def opener(self, record: ET.Element) -> Entry:
        """An entry at the top, with its panel where it opens one."""
        if not self.spot.panels:
            return self.entry(record)
        number = record.get("no", "")
        words = (record.findtext("style") or "").split()
        if self.dress == "breakwater" and "pane" in words:
            entry = self.entry(record, deep=False)
            columns = self.columns(number, self.share)
            entry.panel = Panel(columns, "pane-wide" in words)
            entry.opens = "press" if "pane-press" in words else "hover"
            return entry
        planks = [child for child in self.seen(number) if child.tag == "plank"]
        if self.dress == "slipway" and planks:
            entry = self.entry(record, deep=False)
            entry.panel = Panel(self.columns(number, lambda r: "" if r.tag == "plank" else None))
            return entry
        return self.entry(record)

    def share(self, record: ET.Element) -> str | None:
        """The share of the row that a column takes; None where an item is no column."""
        for word in (record.findtext("style") or "").split():
            match = _SHARE.fullmatch(word)
            if match:
                return match[1]
        return None

    def columns(self, number: str, width: Callable[[ET.Element], str | None]) -> list[Column]:
        """Columns below a top item; what is none stands with its neighbours in one of their own."""
        made: list[Column] = []
        loose: Column | None = None
        total = 0
        for record in self.seen(number):
            share = width(record)
            if share is None:
                if loose is None:
                    loose = Column()
                    made.append(loose)
                self.put(loose, record, 2)
                continue
            loose = None
            total += int(share or 0)
            column = Column(width=share)
            heading = self.entry(record, deep=False)
            if heading.label or heading.address:
                column.blocks.append(Block("links", heading))
            for child in self.seen(record.get("no", "")):
                self.put(column, child, 3)
            made.append(column)
        for column in made:
            if column.width:
                column.width = f"{column.width} of {total}"
        return made

    def put(self, column: Column, record: ET.Element, level: int) -> None:
        """A record as the next part of a column; below it no more levels than the place shows."""
        picture = record.find("picture")
        if picture is not None and self.dress == "breakwater":  # the only one that has them
            seen = self.entry(record, deep=False)
            column.blocks.append(
                Block(
                    "picture", text=seen.label, address=seen.address, source=picture.get("src", "")
                )
            )
            return
        if not column.blocks or column.blocks[-1].kind != "links":
            column.blocks.append(Block("links"))
        levels = self.spot.levels
        left = None if levels is None else max(levels - level + 1, 1)
        column.blocks[-1].entries += cut([self.entry(record)], left)

    def entry(self, record: ET.Element, *, deep: bool = True) -> Entry:
        if record.find("rule") is not None:
            return Entry("", divider=True)
        leads = record.find("leads")
        address, name = None, ""
        for kind, said in leads.attrib.items() if leads is not None else ():
            if kind in _LEAVES and said in self.leaves:
                leaf = self.leaves[said]
                address, name = leaf.get("at"), leaf.findtext("name") or ""
            elif kind == "fixed":
                address = FIXED.get(said)
            elif kind == "address":
                address = said
        if record.tag == "plank":
            label = record.get("heading", "")
        else:
            label = self.says(record) or name
        entry = Entry(label, address, new_window=record.findtext("window") == "new")
        if deep:
            entry.below = self.below(record)
        return entry

    def below(self, record: ET.Element) -> list[Entry]:
        """What is inside an item where no columns are shown.

        A plank stands there as its heading, and one without a heading as what is in it.
        """
        made: list[Entry] = []
        for child in self.seen(record.get("no", "")):
            entry = self.entry(child)
            bare = child.tag == "plank" and not entry.label and not entry.address
            made += entry.below if bare else [entry]
        return made

    def says(self, record: ET.Element) -> str:
        spoken = {says.get("lang", ""): says.text or "" for says in record.findall("says")}
        return spoken.get(self.visitor.language) or spoken.get("", "")


def _inside(records: list[ET.Element]) -> dict[str, str]:
    """What each record is inside of; nothing for orphans and members of rings."""
    said = {record.get("no", ""): record.get("in", "") for record in records}
    made = {number: (above if above in said else "") for number, above in said.items()}
    settled: set[str] = set()
    for start in said:
        way: list[str] = []
        at = start
        while at and at not in settled and at not in way:
            way.append(at)
            at = made[at]
        if at in way:
            for member in way[way.index(at) :]:
                made[member] = ""
        settled.update(way)
    return made


def _in_order(siblings: list[ET.Element]) -> list[ET.Element]:
    """Siblings in the order in which they come after each other.

    Two that come after the same one keep the file's order; one that comes after none of its
    siblings, or after itself by a ring, stands behind the others.
    """
    numbers = {record.get("no", "") for record in siblings}
    behind: dict[str, list[ET.Element]] = {}
    lost: list[ET.Element] = []
    for record in siblings:
        last = record.get("after", "")
        if last and last not in numbers:
            lost.append(record)
        else:
            behind.setdefault(last, []).append(record)
    made: list[ET.Element] = []
    done: set[str] = set()

    def walk(start: list[ET.Element]) -> None:
        stack = list(reversed(start))
        while stack:
            record = stack.pop()
            number = record.get("no", "")
            if number in done:
                continue
            done.add(number)
            made.append(record)
            stack += reversed(behind.get(number, []))

    walk(behind.get("", []))
    for record in siblings:
        if record in lost or record.get("no", "") not in done:
            walk([record])
    return made
