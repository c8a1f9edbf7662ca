"""The page for the client: what visitors saw and will see, what to decide, and the whole account.

One file that needs nothing else: its style and script stand in it, and its content security policy
allows these two and nothing more. Without script everything can still be read.
"""

from __future__ import annotations

import hashlib
from base64 import b64encode
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from ..findings import CODES, OUTCOMES, Finding
from ..look import both, links, steps
from ..look.both import GUEST, OTHERS, Both, sees
from ..look.shown import Line, Place
from ..model import EVERYONE
from ..profiles.schema import RowRule
from ..proof import Migration
from ..reading import Surveyed
from ..version import __version__
from ..visibility import Seen
from .drawn import MOST_ROWS, Drawn, table_of, told
from .summary import (
    called,
    evidence,
    grouped,
    line_for_client,
    line_for_survey,
    moved,
    outcomes,
    share_kept,
)

SCREENS = {"desktop": "desktop", "tablet": "desktop", "handset": "handset"}
"""The screens that can be chosen, and which of a theme's devices each of them is."""

CALLED = {GUEST: "a guest", OTHERS: "any other group"}
"""Groups of visitors in words, where they have no name of their own."""

FIRST = 3
"""How many places of a group of findings are named before the account has the others."""

_TURNS = "\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"
"""Marks that turn the direction of a text and of what stands behind it: the page has none."""

_HERE = Path(__file__).parent
_KINDS = {"bar": "a bar", "footer": "a footer", "side": "beside the page"}


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """The page of a conversion, as it stands in a file."""
    facts = migration.audited.facts
    source = migration.source.site
    seen, led = both.of_migration(migration), links.led(migration)
    changed = links.redirects(led)
    values = {
        "title": moved(migration),
        "client": line_for_client(migration),
        "after": True,
        "pairs": _paired(seen),
        "links": led,
        "redirects": changed,
        "phases": [
            (steps.PHASES[when], some) for when, some in steps.steps(migration, len(changed))
        ],
        "facts": facts,
        "parts": _parts(facts),
        "outcomes": outcomes(facts),
        "proof": (
            "The import file was read back, and each fact of the old file was looked for in it: "
            f"{share_kept(facts)} of {facts['total']:,} are kept or said in another way. Whatever "
            "is not as it was stands below, each in one place."
        ),
        "effort": migration.effort if None not in migration.effort else None,
        "efforts": [
            (menu.title or menu.key, was, now)
            for menu, (was, now) in zip(source.menus, migration.efforts, strict=True)
            if was is not None
        ],
        "evidence": evidence(hashes),
    }
    return _page(seen, values)


def surveyed(read: Surveyed, hashes: Mapping[str, str | None]) -> bytes:
    """The page of an export alone."""
    site, seen = read.site, both.of_survey(read)
    values = {
        "title": f"What visitors see: {called(site, read.profile)}",
        "client": line_for_survey(read),
        "after": False,
        "pairs": [(place, None) for place in seen.before],
        "links": [],
        "redirects": [],
        "phases": [],
        "facts": None,
        "effort": None,
        "evidence": evidence(hashes),
    }
    return _page(seen, values)


def _page(seen: Both, values: dict[str, Any]) -> bytes:
    from jinja2 import Environment
    from markupsafe import Markup

    environment = Environment(autoescape=True, trim_blocks=True, undefined=_strict())
    places = [*seen.before, *seen.after]
    rules = _Rules(seen, places)
    style = (_HERE / "page.css").read_text("utf-8") + rules.style()
    script = (_HERE / "page.js").read_text("utf-8")
    template = environment.from_string((_HERE / "page.html").read_text("utf-8"))
    groups = _groups(seen.findings)
    language = next(iter(seen.languages), "en")
    text = template.render(
        **values,
        decide=[group for group in groups if group["severity"] in ("high", "medium")],
        groups=groups,
        devices=list(SCREENS),
        people=[CALLED.get(word, word) for word in seen.people],
        languages=[] if seen.merged else seen.languages,
        places=_back(seen),
        drawn=Drawn(rules.who, language, several=len(seen.languages) > 1, dense=seen.merged),
        table_of=table_of,
        told=told,
        fold=MOST_ROWS,
        merged=seen.merged,
        whose=rules.whose,
        bar=rules.bar,
        kind=_kind,
        style=Markup(style),
        style_hash=_digest(style),
        script=Markup(script),
        script_hash=_digest(script),
        version=__version__,
    )
    for turn in _TURNS:
        text = text.replace(turn, "")
    return text.encode("utf-8", "replace")


def _strict() -> Any:
    from jinja2 import StrictUndefined

    return StrictUndefined


def _digest(text: str) -> str:
    """The hash by which a content security policy knows a style or a script of a page."""
    return b64encode(hashlib.sha256(text.encode()).digest()).decode()


class _Rules:
    """Rules of style for one page: who sees what on which screen, and how wide bars are."""

    def __init__(self, seen: Both, places: Sequence[Place]) -> None:
        self.people, self.languages = seen.people, seen.languages
        self.known: dict[Seen, str] = {}
        self.rows: list[RowRule] = []
        self.merged = seen.merged
        for place in places:
            if place.row is not None and place.row not in self.rows:
                self.rows.append(place.row)

    def style(self) -> str:
        found = [f".w-{n} {{ grid-column: span {n}; }}" for n in range(1, 13)]
        for n, row in enumerate(self.rows):
            found.append(
                f".row-{n} {{ width: {row.width}px; gap: 0 {row.gap}px; font-size: {row.size}px; }}"
            )
        for screen, width in (("tablet", 820), ("handset", 390)):
            here = f":root:has(#device-{screen}:checked)"
            found.append(f"{here} .frame {{ max-width: {width}px; }}")
            found.append(f"{here} .bar {{ width: auto; }}")
        for screen, device in SCREENS.items():
            for at in range(len(self.people)):
                here = f":root:has(#device-{screen}:checked):has(#who-{at}:checked)"
                found.append(f"{here} .no-{at}-{device} {{ display: none; }}")
        for at, tongue in enumerate(self.languages[1:], 1):
            here = f":root:has(#language-{at}:checked)"
            said = f".said:lang({_word(tongue)})"
            found.append(f"{here} :has(> {said}) > .said {{ display: none; }}")
            found.append(f"{here} :has(> {said}) > {said} {{ display: inline !important; }}")
        return "\n".join(found)

    def who(self, line: Line) -> str:
        """The class of a line by which it is not there for some."""
        known = self.known.get(line.who)
        if known is None:
            known = self.known[line.who] = str(self._classes(line.who))
        return known

    def whose(self, place: Place, *classes: str) -> Any:
        """The classes of a place, with those by which it is not there for some."""
        return self._classes([(place.audience, place.devices)], *classes)

    def _classes(self, pairs: Iterable[tuple[tuple[str, ...], tuple[str, ...]]], *more: str) -> Any:
        from markupsafe import Markup

        known = list(pairs)
        missing = [
            f"no-{at}-{device}"
            for at, person in enumerate(self.people)
            for device in ("desktop", "handset")
            if not any(device in where and sees(who, person, self.people) for who, where in known)
        ]
        classes = [*more, *missing]
        return Markup(f' class="{" ".join(classes)}"') if classes else ""

    def bar(self, place: Place) -> str:
        """The class of a place's row: its width, or that it stands upright."""
        if place.purpose in ("side", "corner") or self.merged:
            return "down"
        return f"row-{self.rows.index(place.row)}" if place.row is not None else "free"


def _word(text: str) -> str:
    """A language in a rule of style; whatever could end the rule is left out."""
    return "".join(c for c in text if c.isascii() and (c.isalnum() or c == "-")) or "x"


def _paired(seen: Both) -> list[tuple[Place | None, Place | None]]:
    """Places side by side: those for the same, in the order of the old site; then the others."""
    named: dict[str, list[int]] = {}
    alike: dict[tuple[str, tuple[str, ...]], list[int]] = {}
    for at in range(len(seen.after) - 1, -1, -1):  # the first ones are taken from the end
        place = seen.after[at]
        named.setdefault(place.name, []).append(at)
        alike.setdefault(_kind_of(place), []).append(at)
    taken: set[int] = set()
    found: list[tuple[Place | None, Place | None]] = []
    for place in seen.before:
        purpose = _kind_of(place)
        same, kin = _left(named.get(place.name, []), taken), _left(alike.get(purpose, []), taken)
        fits = same if same is not None and _kind_of(seen.after[same]) == purpose else None
        other = next((at for at in (fits, kin, same) if at is not None), None)
        if other is not None:
            taken.add(other)
        found.append((place, seen.after[other] if other is not None else None))
    return found + [(None, place) for at, place in enumerate(seen.after) if at not in taken]


def _kind_of(place: Place) -> tuple[str, tuple[str, ...]]:
    return place.purpose, place.audience


def _left(places: list[int], taken: set[int]) -> int | None:
    """The first of these places that is not taken yet."""
    while places and places[-1] in taken:
        places.pop()
    return places[-1] if places else None


def _groups(findings: Sequence[Finding]) -> list[dict[str, Any]]:
    """Findings by severity and code: the first ones, all, and what is said once for all."""
    return [
        {
            "severity": severity,
            "heading": CODES[code].heading,
            "means": CODES[code].means,
            "advice": steps.advice(some[0][1]),
            "count": len(some),
            "first": some[:FIRST],
            "all": some,
        }
        for severity, code, some in grouped(findings)
    ]


def _back(seen: Both) -> dict[int, list[tuple[str, str]]]:
    """For the number of a finding the things on the page that lead to it: their id and a word."""
    found: dict[int, list[tuple[str, str]]] = {n: [] for n in range(1, len(seen.findings) + 1)}
    for side, places in (("before", seen.before), ("after", seen.after)):
        told: set[tuple[int, int]] = set()
        for line in _all(line for place in places for line in place.lines):
            for number in line.numbers:
                if line.kind == "divider":
                    continue
                if (number, line.row) not in told and len(found[number]) < 4:
                    told.add((number, line.row))
                    found[number].append((f"{side}-{line.row}", f"see it {side}"))
    return found


def _all(lines: Iterable[Line]) -> Iterable[Line]:
    """All lines, in reading order."""
    stack = list(lines)[::-1]
    while stack:
        line = stack.pop()
        yield line
        stack += line.below[::-1]
        if line.panel:
            stack += [one for below in line.panel.stacks for one in below.lines][::-1]


def _kind(place: Place) -> str:
    words = [_KINDS.get(place.purpose, "")]
    if place.audience != EVERYONE:
        words.append("for " + ", ".join(place.audience))
    if len(place.devices) == 1:
        words.append("only on " + place.devices[0])
    found = ", ".join(word for word in words if word)
    return f" · {found}" if found else ""


def _parts(facts: Mapping[str, int]) -> list[dict[str, Any]]:
    """The bar of outcomes: a part for each, in thousandths."""
    total, x, found = max(facts["total"], 1), 0.0, []
    for name in OUTCOMES:
        width = 1000 * facts[name] / total
        part = {"name": name, "count": facts[name], "x": f"{x:.2f}", "width": f"{width:.2f}"}
        found.append(part)
        x += width
    return found
