"""Findings: what became of the facts of an export, and what a specialist should know.

A finding is a value. Its sentences are made from its code's template only when it is shown.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Literal, NamedTuple

from msgspec import Struct

from .facts import plainly

Severity = Literal["high", "medium", "low", "note"]
Outcome = Literal["kept", "restated", "moved", "altered", "dropped", "by-hand"]

SEVERITIES: tuple[Severity, ...] = ("high", "medium", "low", "note")
OUTCOMES: tuple[Outcome, ...] = ("kept", "restated", "moved", "altered", "dropped", "by-hand")

EVERY = "*"
"""In a cover: every fact of the rows named."""


class Cover(NamedTuple):
    """Facts that a loss covers.

    `side` is 0 for the source and 1 for what stood at the destination; `scope` is `item`, `menu`,
    `content`, `place` or `site`; `numbers` are rows of that scope; `fact` names one fact, or
    `EVERY`.
    """

    side: int
    scope: str
    numbers: Sequence[int]
    fact: str


class Finding(Struct):
    """One finding. With an `outcome` it is a loss, without one a notice.

    `path` are the labels from the top of the menu down to the item; `before` and `after` say what
    was read and what was written; `menu` is a menu's id, `menu_name` its title; `labels` name the
    items of a branch that was dropped whole.
    """

    code: str
    severity: Severity
    outcome: Outcome | None = None
    menu: str | None = None
    item: str | None = None
    path: tuple[str, ...] = ()
    origin: str | None = None
    before: str | None = None
    after: str | None = None
    labels: tuple[str, ...] = ()
    covers: list[Cover] = []
    menu_name: str | None = None
    places: tuple[str, ...] = ()

    @property
    def count(self) -> int:
        """How many places a finding speaks of."""
        return max(len(self.places), 1)

    @property
    def facts(self) -> list[str]:
        """The names of the facts that a loss covers, without doubles."""
        names: dict[str, None] = {}
        for cover in self.covers:
            if cover.fact == EVERY:
                names["every fact"] = None
            else:
                names[plainly(cover.fact)] = None
        return list(names)

    @property
    def why(self) -> str:
        """What happened and why, in one plain sentence."""
        return _filled(CODES[self.code].why, self)

    @property
    def do(self) -> str:
        """What can be done about it, in one plain sentence."""
        return _filled(CODES[self.code].do, self)


def _filled(words: str, finding: Finding) -> str:
    plain = "{" not in words and "}" not in words
    return words if plain else words.format_map(_Words(finding))


class _Words(dict[str, object]):
    """The words that a sentence about a finding is filled with, each made when it is asked for."""

    def __init__(self, finding: Finding) -> None:
        self.finding = finding

    def __missing__(self, name: str) -> object:
        return _WORDS[name](self.finding)


def enumerated(words: Sequence[str]) -> str:
    """Words put together as a sentence names them: `one, two and three`."""
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


def _shortened(words: str, longest: int = 240) -> str:
    """Words in a sentence, cut where they are very long; the report has them whole."""
    return words if len(words) <= longest else words[: longest - 1] + "…"


def _counted(number: int, word: str) -> str:
    return f"{number} {word}" + ("" if number == 1 else "s")


def named_in_words(labels: tuple[str, ...], most: int = 12) -> str:
    """Labels in a sentence; the whole list stands in the report."""
    named = ", ".join(f"“{label}”" if label else "(no label)" for label in labels[:most])
    more = len(labels) - most
    return f"{named} and {more} more" if more > 0 else named


def _last(finding: Finding) -> str:
    return finding.path[-1] or "(no label)"


def _one(finding: Finding) -> bool:
    return len(finding.labels) == 1


_WORDS: dict[str, Callable[[Finding], object]] = {
    "item": lambda f: _last(f) if f.path else f.item or "",
    "subject": lambda f: _last(f) if f.path else f.menu_name or "",
    "at": lambda f: f" for {named_in_words(f.path[-1:])}" if f.path else "",
    "menu": lambda f: f.menu_name or f.menu or "",
    "before": lambda f: _shortened(f.before or ""),
    "after": lambda f: _shortened(f.after or ""),
    "count": lambda f: len(f.labels),
    "items": lambda f: _counted(len(f.labels), "item"),
    "names": lambda f: _counted(len(f.labels), "label"),
    "s": lambda f: "s" if _one(f) else "",
    "are": lambda f: "is" if _one(f) else "are",
    "their": lambda f: "its" if _one(f) else "their",
    "menus": lambda f: _counted(len(f.labels), "menu"),
    "were": lambda f: "was" if _one(f) else "were",
    "labels": lambda f: named_in_words(f.labels),
    "where_in": lambda f: f" below “{f.before}”" if f.before else "",
    "where": lambda f: f"below “{f.after}”" if f.after else "at the top level",
}
"""What each word between braces in a sentence of the catalogue stands for."""


def notice(
    code: str,
    *,
    severity: Severity | None = None,
    menu: str | None = None,
    item: str | None = None,
    path: tuple[str, ...] = (),
    before: str | None = None,
    after: str | None = None,
    origin: str | None = None,
    labels: tuple[str, ...] = (),
    menu_name: str | None = None,
    places: tuple[str, ...] = (),
) -> Finding:
    """A finding that says something worth knowing, without a loss."""
    return Finding(
        code,
        severity or CODES[code].severity,
        None,
        menu,
        item,
        path,
        origin,
        before,
        after,
        labels,
        menu_name=menu_name,
        places=places,
    )


def by_severity(findings: list[Finding]) -> list[Finding]:
    """Findings with the most severe first; those of one severity keep their order."""
    return sorted(findings, key=lambda found: SEVERITIES.index(found.severity))


class Code(NamedTuple):
    """The words of one code: a heading, its usual severity, two templates, an explanation.

    `seen`: whether visitors see what it says, as another place, label, address, column or block,
    as another way of opening, or as something that is there or not. `step`: somebody has to do
    what `do` says, `before` the import, `after` it, while they `look` at the site, or `later` on;
    empty where nothing has to be done.
    """

    heading: str
    severity: Severity
    why: str
    do: str
    means: str
    happens: str
    remedy: str
    seen: bool = False
    step: str = ""


class Catalogue(Mapping[str, Code]):
    """The words of every code, from `catalogue.toml`; a code's own are read when it is asked for.

    The whole file takes a TOML reader as long as a small conversion does, and a run names a few
    dozen codes at the most.
    """

    @cached_property
    def _sections(self) -> dict[str, str]:
        text = (Path(__file__).parent / "catalogue.toml").read_text("utf-8")
        parts = re.split(r'^\["([^"\n]+)"\]$', text, flags=re.MULTILINE)
        return dict(zip(parts[1::2], parts[2::2], strict=True))

    @cached_property
    def _known(self) -> dict[str, Code]:
        return {}

    def __getitem__(self, code: str) -> Code:
        if code not in self._known:
            self._known[code] = Code(**tomllib.loads(self._sections[code]))
        return self._known[code]

    def __iter__(self) -> Iterator[str]:
        return iter(self._sections)

    def __len__(self) -> int:
        return len(self._sections)


CODES = Catalogue()
"""What is said of each code, in the order in which `explain` lists them."""

_TOLD_BY = {
    "read.hidden": {"access.switched-off"},
    "read.unsaved": {"menu.not-asked"},
    "read.gone": {"link.unresolved", "link.state"},
    "link.script": {"link.script"},
    "depth.hidden": {"depth.lifted", "depth.to-columns", "depth.hidden"},
    "place.nowhere": {"menu.not-asked"},
}


def told_once(findings: list[Finding]) -> list[Finding]:
    """Without the notices of which a loss of the same item or menu says more."""
    by_item = {(f.code, f.menu, f.item) for f in findings if f.outcome is not None}
    by_menu = {(f.code, f.menu) for f in findings if f.outcome is not None}

    def told(found: Finding) -> bool:
        codes = _TOLD_BY.get(found.code, ())
        if found.outcome is not None:
            return False
        if found.item is not None:
            return any((code, found.menu, found.item) in by_item for code in codes)
        return any((code, found.menu) in by_menu for code in codes)

    return [found for found in findings if not told(found)]
