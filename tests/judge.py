"""A second judge: what visitors saw at the source against what they see at the destination.

Both ends are shown by the simulated services, which share nothing with the converter. From the
pages the judge takes what each kind of visitor sees, aligns the two lists, and holds differences
against the report both ways: each must be named by a finding that speaks of such a thing there, and
each finding that says that visitors see something else must be such a difference.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, NamedTuple
from urllib.parse import quote, unquote, urlsplit

from tests.seen import Seen, seen
from ypsiform.standins.sites import SITES, quillmoor, stallmere
from ypsiform.standins.sites.page import SCRIPTED, page
from ypsiform.standins.sites.shown import Visitor

PURPOSES = {
    "upper": "bar",
    "header": "bar",
    "main": "bar",
    "top": "bar",
    "foot": "footer",
    "footer": "footer",
    "pocket": "handset",
    "member": "signed-in",
    "corner": "side",
    "side": "side",
}
"""What the places of the six platforms are for."""

FIXED = {"quillmoor": quillmoor.FIXED, "stallmere": {**stallmere.FIXED, **stallmere.LISTS}}
"""Addresses that platforms give to pages of their own, by what these are."""

ASPECTS: dict[str, frozenset[str]] = {
    code: frozenset(aspects.split())
    for code, aspects in {
        "place.not-offered": "gone",
        "place.declare": "gone",
        "place.clash": "gone",
        "place.moved": "place gone new",
        "place.more-levels": "new",
        "place.fewer-levels": "gone",
        "place.left": "gone",
        "place.given-up": "gone",
        "link.unresolved": "address gone",
        "link.script": "address",
        "link.tail": "address",
        "link.characters": "address",
        "link.rewritten": "address",
        "link.in-markup": "label",
        "link.decided": "address",
        "link.decided-unknown": "address",
        "kind.as-address": "address",
        "kind.not-held": "address gone",
        "kind.divider": "gone",
        "kind.parent": "address new parent",
        "depth.lifted": "parent order column new",
        "depth.revealed": "new",
        "depth.gathered": "gone",
        "depth.to-columns": "parent role column opens new order",
        "depth.to-menu": "gone place parent new",
        "depth.dropped": "gone",
        "access.exposed": "new",
        "access.narrowed": "gone",
        "access.not-held": "gone",
        "label.cut": "label",
        "label.empty": "label gone new",
        "label.characters": "label",
        "label.language": "label",
        "label.untranslated": "label",
        "label.to-menu": "label gone",
        "label.to-labels": "label new",
        "label.clash": "label",
        "label.decided": "label",
        "panel.not-held": "role column opens gone width parent order new",
        "panel.too-many": "role column opens gone width parent order",
        "panel.split": "order",
        "panel.merged": "column width order parent",
        "panel.order": "order column",
        "panel.around": "column",
        "panel.span": "width",
        "panel.opens": "opens",
        "panel.block": "gone",
        "panel.link": "gone new role address",
        "panel.pane-link": "address gone",
        "panel.pane-note": "gone",
        "panel.regrouped": "column parent order width",
        "panel.markup": "label gone",
        "panel.cleaned": "label gone",
        "panel.characters": "label",
        "panel.picture": "label address",
        "panel.heading-link": "address new",
        "panel.heading": "role parent",
        "panel.blank": "gone new",
        "panel.divider": "gone",
        "panel.nested": "parent",
        "panel.copied-flat": "role column opens gone width parent order new",
        "panel.pane": "role column parent gone opens order width new",
        "panel.removed": "gone",
        "trait.device": "new gone",
        "trait.opens": "opens",
        "trait.picture": "role",
        "menu.merged": "place order new",
        "menu.to-devices": "place gone new",
        "menu.within": "gone",
        "menu.apart": "gone place",
        "menu.language-apart": "gone place",
        "menu.left": "gone",
        "menu.too-many": "gone",
        "menu.no-place": "gone",
        "menu.not-held": "gone",
        "menu.empty": "gone",
        "menu.too-long": "gone",
        "menu.not-asked": "gone",
        "item.left": "gone",
        "item.published": "new",
    }.items()
}
"""For each code of the catalogue that visitors see: in what a thing can differ by it."""

UNREAD = {
    "read.extra": frozenset({"opens", "label"}),
    "read.panels": frozenset({"opens", "label"}),
}
"""Codes of what no rule read, which visitors may see all the same."""

PROVED = {"panel.regrouped": frozenset(("role", "gone", "new"))}
"""Differences that show what a code claims, though it is not what names them.

Lists that are split are seen as headings; a block that became links stands where these do.
"""

BLOCKS = {"picture", "text", "products", "markup", "newest", "form", "note", "divider"}
"""Roles of what is no link, heading or tab."""

OF_BLOCKS = {"panel.block", "panel.link", "panel.markup", "panel.cleaned", "panel.pane-note"}
"""Codes that speak of blocks of a panel: what else has gone they do not explain."""

BRANCH = frozenset(
    code
    for code in ASPECTS
    if code.startswith(("panel.", "depth.", "access.", "item.", "kind.", "trait."))
)
"""Codes whose findings name an item and speak of what stands below it as well."""


class End(NamedTuple):
    """A site of a simulated platform: what its importer kept; the theme where no file says it.

    At a `declared` site the theme has every place that a menu names; a new one has its own.
    """

    platform: str
    theme: str
    data: bytes
    declared: bool = False

    @classmethod
    def of(cls, place: str, data: bytes, *, declared: bool = False) -> End:
        """A site that has just imported a file."""
        platform, _, theme = place.partition("/")
        return cls(platform, theme, SITES[platform].kept(data), declared)

    def seen(self, visitor: Visitor) -> list[Seen]:
        """What a visitor sees."""
        site = SITES[self.platform]
        places = site.places(self.data, visitor, self.theme, declared=self.declared)
        return seen(page("", places, visitor))


class Difference(NamedTuple):
    """Something that visitors see otherwise: in what, and the entries of both lists.

    `name` are the labels of the entry from the top in the first language of its site, which
    findings speak in.
    """

    aspect: str
    before: Seen | None
    after: Seen | None
    visitor: Visitor
    name: tuple[str, ...]

    def __str__(self) -> str:
        who = ", ".join(sorted(self.visitor.groups)) or "a guest"
        looks = f"{who} on {self.visitor.device} in {self.visitor.language or 'its language'}"
        return f"{self.aspect}: {_said(self.before)} became {_said(self.after)}, for {looks}"


def _said(entry: Seen | None) -> str:
    if entry is None:
        return "nothing"
    where = " › ".join((entry.place, *entry.path, entry.label))
    rest = f"{entry.role} {entry.column or ''} {entry.opens} {entry.width}".split()
    return f"“{where}” ({entry.address or 'nowhere'}; {' '.join(rest)})"


@dataclass
class Judgement:
    """What the judge found: how many things were compared, and where report and pages disagree."""

    compared: int = 0
    differences: int = 0
    unnamed: dict[str, None] = field(default_factory=dict)
    idle: list[str] = field(default_factory=list)

    @property
    def wrong(self) -> list[str]:
        """Differences that nothing names, and findings that claim what did not happen."""
        return [*self.unnamed, *self.idle]


def visitors(source: End) -> Iterator[Visitor]:
    """Every kind of visitor that a source knows, on both devices, in each of its languages."""
    roles = SITES[source.platform].roles(source.data) - {"everyone", "guests", "members"}
    kinds = [frozenset[str](), frozenset({"members"})]
    kinds += [frozenset({"members", role}) for role in sorted(roles)]
    languages = SITES[source.platform].languages(source.data) or [""]
    for language in languages:
        for groups in kinds:
            for device in ("desktop", "handset"):
                yield Visitor(groups, device, language)


def judge(
    source: End, destination: End, report: dict[str, Any], stood: End | None = None
) -> Judgement:
    """Hold what visitors see at both ends against the report of a conversion.

    `stood` is the destination before, where menus went into one: places that show what they
    showed then are no part of the conversion, nor is what stays there beside what is new.
    """
    return _Judge(source, destination, report, stood).run()


class _Judge:
    def __init__(
        self, source: End, destination: End, report: dict[str, Any], stood: End | None
    ) -> None:
        self.source, self.destination, self.stood = source, destination, stood
        told = ASPECTS.keys() | UNREAD.keys()
        self.findings = [f for f in report["findings"] if f["code"] in told]
        self.menus_at: dict[str, set[str]] = {}
        for menu in report["menus"]:
            for place in menu["locations"]:
                self.menus_at.setdefault(place, set()).add(menu["id"])
        self.first = next(iter(SITES[source.platform].languages(source.data)), "")
        self.used: set[int] = set()
        self.visible: dict[tuple[str, ...], set[Seen]] = {}
        self.devices: dict[tuple[str, ...], set[str]] = {}
        self.tabs: set[str] = set()
        # By what visitors see at the destination, from its place down, what they saw: the path of
        # findings. A thing that is new to one visitor may be one that another one saw.
        self.origins: dict[tuple[str, ...], tuple[str, ...]] = {}
        self.links = _Links(source, destination, report["matches"])
        self.made = Judgement()

    def run(self) -> Judgement:
        pairs = [(visitor, self.aligned(visitor)) for visitor in visitors(self.source)]
        for _, pair in pairs:
            self.origins.update(pair.origins())
        for visitor, pair in pairs:
            stood = {entry[:4] for entry in self.stood.seen(visitor)} if self.stood else set()
            for difference in pair.differences(visitor):
                if difference.before is None and (difference.after or ())[:4] in stood:
                    continue
                self.made.differences += 1
                if not self.named(difference):
                    self.made.unnamed[str(difference)] = None
        for at, finding in enumerate(self.findings):
            if at not in self.used and self.claims(finding):
                path = " › ".join(finding["path"])
                said = f"{finding['code']} of “{path}”: {finding['before']} → {finding['after']}"
                self.made.idle.append(f"{said}, which no visitor sees")
        return self.made

    def aligned(self, visitor: Visitor) -> _Alignment:
        """What a visitor sees at both ends, one thing beside the other."""
        before = self.source.seen(visitor)
        after = self.there(visitor)
        plain = replace(visitor, language=self.first)
        same = plain == visitor
        first = before if same else self.source.seen(plain)
        first_there = after if same else self.there(plain)
        for entry in first:
            for menu in self.menus_at.get(entry.place, ()):
                name = (menu, *entry.path, entry.label)
                self.visible.setdefault(name, set()).add(entry)
                self.devices.setdefault(name, set()).add(visitor.device)
        self.tabs.update(entry.label for entry in first if entry.role == "tab")
        self.made.compared += len(before)
        return _Alignment(before, first, after, first_there, self.links)

    def there(self, visitor: Visitor) -> list[Seen]:
        """What a visitor sees at the destination, but for places that nothing changed."""
        after = self.destination.seen(visitor)
        if self.stood is None:
            return after
        stood = self.stood.seen(visitor)
        changed = {
            place
            for place in {entry.place for entry in after}
            if [e for e in after if e.place == place] != [e for e in stood if e.place == place]
        }
        return [entry for entry in after if entry.place in changed]

    def claims(self, finding: dict[str, Any]) -> bool:
        """Whether a finding says that something differs that visitors saw."""
        # The words for those who see no picture; a list of nothing.
        unseen = finding["after"] == "description" or finding["before"] == "products ()"
        unseen = unseen or str(finding["after"]).startswith("This concerns the page")
        labels = finding["labels"]
        if finding["code"] == "link.in-markup":
            said = [label.rpartition(": ")[2] for label in labels]
            unseen = all(word == "unchecked" or word in finding["before"] for word in said)
        path = finding["path"]
        unseen = unseen or finding["code"] in UNREAD
        if unseen or not path or not path[-1] or finding["outcome"] is None:
            return False
        entries = self.visible.get((finding["menu"], *path), set())
        if tuple(path) not in self.origins.values():
            return False  # nobody sees it any more, and some finding says why
        rows = finding["code"].startswith(("depth.", "panel.nested"))
        if rows and labels and not self.seen_below({(finding["menu"], *path)}, {*labels}):
            return False
        if finding["code"] == "panel.span" and "?" in f"{finding['before']}{finding['after']}":
            return False  # not all columns say how wide they are
        if finding["code"] == "trait.picture":  # shown in panels only
            return any(entry.role == "picture" for entry in entries)
        if finding["code"] == "trait.device":  # said above it as well, it changes nothing
            above = self.devices.get((finding["menu"], *path[:-1]), {"desktop", "handset"})
            return above > self.devices.get((finding["menu"], *path), set())
        if finding["code"] in ("panel.span", "panel.merged", "panel.divider"):
            divider = finding["code"] == "panel.divider"
            columns = self.columns_below((finding["menu"], *path), divider=divider)
            merged = finding["code"] == "panel.merged"
            return len(columns) > (int(finding["after"].partition(" ")[0]) if merged else 0)
        if finding["code"].startswith("panel."):
            return any(entry.opens.startswith(("panel", "tabs")) for entry in entries)
        if finding["code"] == "kind.as-address":  # the one that visitors went to is none to see
            return any(entry.address != finding["after"] for entry in entries)
        if finding["code"].startswith("link."):
            words = str(finding["before"])
            return any(e.address in words or e.address == SCRIPTED for e in entries)
        return bool(entries)

    def seen_below(self, branches: set[tuple[str, ...]], labels: set[str]) -> bool:
        """Whether visitors saw something of these labels below some branches."""
        return any(
            name[-1] in labels and any(name[: len(b)] == b for b in branches)
            for name in self.visible
        )

    def columns_below(self, branch: tuple[str, ...], *, divider: bool) -> set[int]:
        """The columns of a panel in which visitors saw a divider, or something that is left."""
        kept = {*self.origins.values()}
        return {
            entry.column
            for name, entries in self.visible.items()
            if name[: len(branch)] == branch != name
            for entry in entries
            if (entry.role == "divider" if divider else name[1:] in kept)
        }

    def named(self, difference: Difference) -> bool:
        """Whether a finding names a difference; all that do are marked as used.

        What stands at another place has gone from one and is new at the other.
        """
        theirs = difference.after
        if difference.aspect == "place" and theirs is not None:
            gone = difference._replace(aspect="gone", after=None)
            new = Difference("new", None, theirs, difference.visitor, (*theirs.path, theirs.label))
            if self.named(gone) and self.named(new):
                return True
        if difference.before is None and theirs is not None:
            name = self.origins.get((theirs.place, *difference.name))
            known = difference._replace(aspect="new", name=name or difference.name)
            if known != difference and self.named(known):
                return True
        found = False
        for at, finding in enumerate(self.findings):
            code = finding["code"]
            names = difference.aspect in (ASPECTS.get(code) or UNREAD[code])
            proves = difference.aspect in PROVED.get(code, ())
            if (names or proves) and self.concerns(finding, difference):
                self.used.add(at)
                found = found or names
        return found

    def concerns(self, finding: dict[str, Any], difference: Difference) -> bool:
        """Whether a finding speaks of the entries of a difference, with their values."""
        before, after = difference.before, difference.after
        whole = difference.name
        path = tuple(finding["path"])
        menus = self.menus_at.get(before.place, set()) if before is not None else set()
        if before is not None and finding["menu"] not in (None, *menus):
            return False
        if not agrees(finding, difference):
            return False
        if before is None and whole[-1] in finding["labels"]:
            return True
        if before is None and finding["code"] == "label.empty":
            return bool(finding["after"] == whole[-1])
        if before is None and finding["code"] == "depth.lifted":
            above = whole[-2] if len(whole) > 1 else ""
            return path[-1] == whole[-1] and (finding["after"] or "") == above
        if path:
            branch = finding["code"] in BRANCH or finding["code"] in UNREAD
            in_markup = before is not None and before.role == "markup"
            branch = branch or (in_markup and finding["code"] == "link.in-markup")
            below = whole[: len(path)] == path and branch
            under = after is not None and (*after.path, after.label)[: len(path)] == path
            panes = tuple(word for word in whole if word not in self.tabs)
            if before is not None and before.role == "divider" and path[:-1] == whole[:-1]:
                return True  # a line says nothing, whatever its record does
            if before is not None and before.role in BLOCKS and path[-1][:1] == "(":
                return whole[: len(path) - 1] == path[:-1]  # a block has no label of its own
            return path in (whole, panes) or below or (under and branch)
        if not finding["labels"]:
            return finding["code"] in UNREAD or finding["code"].startswith(("menu.", "place."))
        words = {word for label in finding["labels"] for word in (label, label.partition(": ")[0])}
        return whole[-1] in words or not whole[-1]


def agrees(finding: dict[str, Any], difference: Difference) -> bool:
    """Whether what a finding says of before and after is what visitors saw and see."""
    before, after = difference.before, difference.after
    if finding["code"] == "trait.device" and before is None:
        return difference.visitor.device not in str(finding["before"])
    if finding["code"] in ("panel.divider", "kind.divider"):
        return before is not None and before.role == "divider"
    if finding["code"] == "panel.pane-link" and after is None:
        said = str(finding["before"])
        return before is not None and f"“{before.label}” ({before.address})" in said
    if before is not None and after is None and finding["code"] in OF_BLOCKS:
        return before.role in BLOCKS or before.label in finding["labels"]
    if before is None or after is None:
        return True
    if finding["code"] in UNREAD:
        said = str(finding["before"])
        opens = difference.aspect == "opens" and re.search(r"\bon = (hover|press)", said)
        return bool(opens) or (difference.aspect == "label" and before.label in said)
    if finding["code"] in ("label.cut", "label.decided", "label.characters"):
        return bool(before.label == finding["before"] and after.label == finding["after"])
    if finding["code"] == "link.unresolved":
        return bool((finding["after"] == "nowhere") == (not after.address))
    return True


class _Links:
    """Which address at the destination is which one of the source."""

    def __init__(self, source: End, destination: End, matches: list[dict[str, Any]]) -> None:
        self.source, self.destination = source, destination
        self.fixed = {
            self.plain(address): name for name, address in FIXED.get(source.platform, {}).items()
        }
        theirs = FIXED.get(destination.platform, {})
        self.fixed_there = {self.plain(address): name for name, address in theirs.items()}
        ids = _by_address(SITES[source.platform].contents(source.data), self.plain)
        there = _by_address(SITES[destination.platform].contents(destination.data), self.plain)
        back: dict[str, set[str]] = {}
        for match in matches:
            back.setdefault(match["to"], set()).add(match["from"])
        self.ids = ids
        self.from_there = {
            address: {old for name in names for old in back.get(name, ())}
            for address, names in there.items()
        }

    def plain(self, address: str) -> str:
        """An address so that two that lead to the same place are equal."""
        parts = urlsplit(address.strip())
        host = parts.hostname or ""
        if host.startswith("www."):
            host = host[4:]
        own = host in self.hosts or not host
        path = quote(unquote(parts.path), safe="/:@!$&'()*+,;=~-._") or ("/" if own else "")
        if own and parts.scheme in ("", "http", "https"):
            path = re.sub(r"(?<=.)/$", "", path)
            host = ""
            scheme = ""
        else:
            scheme = parts.scheme.lower()
            path = path.rstrip("/")
        tail = ("?" + parts.query if parts.query else "") + (
            "#" + parts.fragment if parts.fragment else ""
        )
        return f"{scheme}:{host}{path}{tail}"

    @cached_property
    def hosts(self) -> set[str]:
        """The hosts of both sites."""
        found = set()
        for data in (self.source.data, self.destination.data):
            match = re.search(
                rb"(?:root=\"|\"(?:site|host)\": \"|\nsite: ['\"]?)https?://([^/\"'\s]+)", data
            )
            if match:
                found.add(match[1].decode().removeprefix("www."))
        return found

    def same(self, before: str, after: str) -> bool:
        """Whether two addresses, one of each end, lead to the same."""
        before, after = ("" if address == "#" else address for address in (before, after))
        if not before or not after:
            return before == after
        one, other = self.plain(before), self.plain(after)
        if one == other:
            return True
        if self.fixed.get(one, "") == self.fixed_there.get(other, " "):
            return True
        tail, base = _tail(one)
        tail_there, base_there = _tail(other)
        matched = self.from_there.get(base_there, set()) & self.ids.get(base, {base.lstrip(":")})
        return bool(matched) and tail == tail_there


def _tail(address: str) -> tuple[str, str]:
    match = re.search(r"[?#].*", address)
    return (match[0], address[: match.start()]) if match else ("", address)


def _by_address(contents: dict[str, str], plain: Any) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {}
    for name, address in contents.items():
        found.setdefault(_tail(plain(address))[1], set()).add(name.partition(" ")[2])
    return found


def _words(markup: str) -> str:
    """What markup says, without where its links lead."""
    return re.sub(r"\[[^]]*\]", "", markup)


class _Alignment:
    """Two lists of the same visitor, and which entry of one is which of the other."""

    def __init__(
        self,
        before: list[Seen],
        first: list[Seen],
        after: list[Seen],
        first_there: list[Seen],
        links: _Links,
    ) -> None:
        if len(first) != len(before) or len(first_there) != len(after):
            raise ValueError("another language shows another number of things")
        self.before, self.first, self.after, self.links = before, first, after, links
        self.first_there = first_there
        self.above, self.below = _tree(before)
        self.above_there, self.below_there = _tree(after)
        self.there: dict[int, int] = {}
        self.back: dict[int, int] = {}
        purposes = {PURPOSES.get(e.place, e.place) for e in before}
        for purpose in sorted(purposes):
            tops = [n for n in self.below.get(-1, []) if self.purpose(before[n]) == purpose]
            theirs = [n for n in self.below_there.get(-1, []) if self.purpose(after[n]) == purpose]
            self.match(tops, theirs)
        for loose in (False, True):
            for near in (True, False):
                self.rest(near=near, loose=loose)

    @staticmethod
    def purpose(entry: Seen) -> str:
        return PURPOSES.get(entry.place, entry.place)

    def pair(self, one: int, other: int) -> None:
        self.there[one], self.back[other] = other, one

    def match(self, ours: list[int], theirs: list[int]) -> None:
        """Match siblings with siblings, the surest first, and then what is below each pair."""
        for tier in range(5):
            free = [n for n in theirs if n not in self.back]
            for one in ours:
                if one in self.there:
                    continue
                for other in free:
                    if self.alike(one, self.after[other], tier):
                        self.pair(one, other)
                        free.remove(other)
                        break
        for one in ours:
            if one in self.there:
                below = self.below_there.get(self.there[one], [])
                self.match(self.below.get(one, []), below)

    def alike(self, at: int, other: Seen, tier: int) -> bool:
        one, labels = self.before[at], self.labels(at)
        if (one.role == "divider") != (other.role == "divider"):
            return False
        label = other.label in labels
        address = self.links.same(one.address, other.address)
        if one.role in BLOCKS or other.role in BLOCKS:
            if one.role != other.role:
                return False
            return label and address if tier == 0 else label if tier == 1 else tier == 3 and address
        if tier == 0:
            return label and address and one.role == other.role
        if tier == 3:  # by its address alone, unless its words stand elsewhere
            left = (e.label for n, e in enumerate(self.after) if n not in self.back)
            lone = not any(words in labels for words in left)
            return bool(one.address) and address and one.role == other.role and lone
        if tier == 4 or not other.label:  # without words only the place is left
            return tier == 4 and label and one.role == other.role
        if tier == 1:
            return label and (address or one.role == other.role)
        short = other.label[:-1].rstrip() if other.label.endswith("…") else " "
        return label or any(own.startswith(short) for own in labels)

    def labels(self, one: int) -> tuple[str, str]:
        """What an entry says to this visitor, and in the first language of its site."""
        return self.before[one].label, self.first[one].label

    def name(self, one: int) -> tuple[str, ...]:
        return (*self.first[one].path, self.first[one].label)

    def rest(self, *, near: bool, loose: bool) -> None:
        """Match what is left, wherever it stands: the same link elsewhere, then the same label."""
        free = [n for n in range(len(self.after)) if n not in self.back]
        for one, entry in enumerate(self.before):
            if one in self.there or entry.role == "divider":
                continue
            for other in free:
                theirs = self.after[other]
                if near and self.purpose(entry) != self.purpose(theirs):
                    continue
                if entry.role != theirs.role and theirs.role in BLOCKS:
                    continue
                if entry.role != theirs.role and entry.role in BLOCKS - {"picture"}:
                    continue
                markup = loose and entry.role == theirs.role == "markup"
                if (markup and _words(entry.label) == _words(theirs.label)) or (
                    theirs.label in self.labels(one)
                    and (loose or self.links.same(entry.address, theirs.address))
                ):
                    self.pair(one, other)
                    free.remove(other)
                    self.match(self.below.get(one, []), self.below_there.get(other, []))
                    free = [n for n in free if n not in self.back]
                    break

    def origins(self) -> Iterator[tuple[tuple[str, ...], tuple[str, ...]]]:
        """By each thing at the destination, from its place down, the path that it had."""
        for one, other in self.there.items():
            theirs = self.first_there[other]
            yield (theirs.place, *theirs.path, theirs.label), self.name(one)

    def differences(self, visitor: Visitor) -> Iterator[Difference]:
        """Everything in which the two lists differ."""
        regrouped = self.regrouped()
        for one, entry in enumerate(self.before):
            other = self.there.get(one)
            if other is None:
                yield Difference("gone", entry, None, visitor, self.name(one))
                continue
            theirs = self.after[other]
            within = entry.column > 0 and theirs.column > 0
            for aspect, differs in (
                ("label", entry.label != theirs.label),
                ("address", not self.links.same(entry.address, theirs.address)),
                ("role", entry.role != theirs.role),
                ("place", self.purpose(entry) != self.purpose(theirs)),
                ("column", one in regrouped),
                ("opens", self.opens_otherwise(one, other)),
                ("width", _wide(entry.width) != _wide(theirs.width) and within),
                ("parent", self.moved(one, other)),
            ):
                if differs:
                    yield Difference(aspect, entry, theirs, visitor, self.name(one))
        for other, theirs in enumerate(self.after):
            if other not in self.back:
                plain = self.first_there[other]
                name = (*plain.path, plain.label)
                yield Difference("new", None, theirs, visitor, name)
        rows: dict[tuple[int, str], list[int]] = {}
        for parent, siblings in self.below.items():
            for one in siblings:  # places have no order among themselves
                place = self.purpose(self.before[one]) if parent < 0 else ""
                rows.setdefault((parent, place), []).append(one)
        for siblings in rows.values():
            pairs = [
                (n, self.there[n])
                for n in siblings
                if n in self.there and not self.moved(n, self.there[n])
            ]
            for one in _out_of_order(pairs):
                theirs = self.after[self.there[one]]
                if not theirs.label:
                    continue
                yield Difference("order", self.before[one], theirs, visitor, self.name(one))

    def regrouped(self) -> set[int]:
        """What stands in another column of its panel than what it stood with, or in none."""
        found: set[int] = set()
        panels: dict[tuple[int, int], list[int]] = {}
        for one, other in self.there.items():
            column, theirs = self.before[one].column, self.after[other].column
            if bool(column) != bool(theirs):
                found.add(one)
            elif column:
                over = (_top(one, self.above), _top(other, self.above_there))
                panels.setdefault(over, []).append(one)
        for members in panels.values():
            pairs = {n: (self.before[n].column, self.after[self.there[n]].column) for n in members}
            counts = Counter(pairs.values())
            there: dict[int, int] = {}
            back: dict[int, int] = {}
            for (column, theirs), _ in sorted(counts.items(), key=lambda pair: (-pair[1], pair[0])):
                if column not in there and theirs not in back:
                    there[column], back[theirs] = theirs, column
            ranks = sorted(there)
            late = set(_out_of_order([(column, there[column]) for column in ranks]))
            found.update(
                n
                for n, (column, theirs) in pairs.items()
                if there.get(column) != theirs or column in late
            )
        return found

    def opens_otherwise(self, one: int, other: int) -> bool:
        """Whether something opens otherwise; where nothing does now, what was in it says so."""
        was, now = self.before[one].opens, self.after[other].opens
        if was and not now:
            return one not in self.below
        return bool(was) and was != now

    def moved(self, one: int, other: int) -> bool:
        """Whether an entry stands below something else than the nearest that is left above it."""
        if self.after[other].path in (self.before[one].path, self.first[one].path):
            return False
        if not self.after[other].label:
            return False  # without words one is like another
        above = self.above[one]
        while above >= 0 and above not in self.there:
            above = self.above[above]
        return (self.there[above] if above >= 0 else -1) != self.above_there[other]


def _top(number: int, above: list[int]) -> int:
    """The entry at the top that another one stands below."""
    while above[number] >= 0:
        number = above[number]
    return number


def _wide(width: str) -> str:
    """A width as a share of the row."""
    part, _, whole = width.partition(" of ")
    return f"{int(part) / int(whole):.3f}" if whole.isdigit() and int(whole) else ""


def _tree(entries: list[Seen]) -> tuple[list[int], dict[int, list[int]]]:
    """For each entry what it stands below, -1 at the top; and what stands below each."""
    above: list[int] = []
    below: dict[int, list[int]] = {}
    last: dict[tuple[str, ...], int] = {}
    for number, entry in enumerate(entries):
        parent = last.get((entry.place, *entry.path), -1) if entry.path else -1
        above.append(parent)
        below.setdefault(parent, []).append(number)
        last[(entry.place, *entry.path, entry.label)] = number
    return above, below


def _out_of_order(pairs: Iterable[tuple[int, int]]) -> list[int]:
    """Of pairs in the order of the first, those outside the longest run in order of the second."""
    ends: list[int] = []
    at: list[int] = []
    back: dict[int, int] = {}
    values = list(pairs)
    for nth, (_, other) in enumerate(values):
        spot = bisect_left(ends, other)
        if spot == len(ends):
            ends.append(other)
            at.append(nth)
        else:
            ends[spot], at[spot] = other, nth
        back[nth] = at[spot - 1] if spot else -1
    kept: set[int] = set()
    at_last = at[-1] if at else -1
    while at_last >= 0:
        kept.add(at_last)
        at_last = back[at_last]
    return [one for n, (one, _) in enumerate(values) if n not in kept]
