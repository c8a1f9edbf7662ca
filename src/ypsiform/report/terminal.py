"""Reports for a terminal: text with marks for style, which the caller may drop.

Everything here returns lines. What came from a file is made safe first, so that no label can
send control characters to a terminal.
"""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Iterator
from textwrap import shorten
from typing import Any

from ..effort import leads
from ..findings import CODES, SEVERITIES, Finding, Severity
from ..fit.best import Branch
from ..fit.blocks import said
from ..model import (
    ALL_DEVICES,
    EVERYONE,
    Column,
    Content,
    Item,
    Links,
    Piece,
    blocks_of,
    path_to,
)
from ..proof import Migration
from ..reading import Surveyed, count_facts
from ..resolve.targets import WORDS
from ..text import safe
from .summary import grouped, line_for_client, platform

Style = Callable[[str, str], str]
"""From a text and the name of a style to the text to print."""

MEANING: dict[Severity, str] = {
    "high": "visitors lose something, end up elsewhere, or see what is not meant for them",
    "medium": "visitors get there another way",
    "low": "it looks different",
    "note": "worth knowing, or to be done by hand",
}
MOST_OF_A_CODE = 6
MOST_ITEMS = 80


def plain(text: str, _: str) -> str:
    """No style at all."""
    return text


def wrapped(text: str, width: int, indent: str, first: str | None = None) -> Iterator[str]:
    """A text in lines of a width, the later ones indented."""
    start = indent if first is None else first
    yield from textwrap.wrap(
        safe(text),
        max(width, 20),
        initial_indent=start,
        subsequent_indent=indent,
        break_long_words=False,
        break_on_hyphens=False,
    ) or [start.rstrip()]


def headline(name: str, rest: str, width: int, style: Style) -> Iterator[str]:
    """A line that begins with a name, which stands out, folded to the terminal."""
    first, *more = wrapped(name + rest, width, "  ", "")
    yield style(first[: len(name)], "title") + first[len(name) :]
    yield from more


def number(count: int, word: str) -> str:
    """A count with its word: `1 item`, `2,000 items`."""
    return f"{count:,} {word}" + ("" if count == 1 else "s")


def capped(things: list[Any], most: int) -> list[Any]:
    """So many of them at most; a single one more is shown too, since saying so is as long."""
    return things if len(things) == most + 1 else things[:most]


def counts(findings: list[Finding]) -> str:
    """The number of findings by severity, in words."""
    parts = []
    for severity in SEVERITIES:
        count = sum(found.severity == severity for found in findings)
        if severity == "note":
            parts.append(number(count, "note"))
        else:
            parts.append(f"{count} {severity}")
    return ", ".join(parts)


# Survey


SHORT_TREE = 12
"""Items of a reading that are shown where several stand below each other."""


def short_tree(surveyed: Surveyed, width: int, style: Style = plain) -> Iterator[str]:
    """The first items of each menu, and how many there are."""
    site, rows = surveyed.site, surveyed.rows
    contents = {(content.kind, content.id): content for content in site.contents}
    left = SHORT_TREE
    for index, menu in enumerate(site.menus):
        span = rows.of_menu(index)
        depth = max((rows.depth[row] for row in span), default=0)
        name = safe(menu.title or menu.key)
        yield f"  {name}: {number(len(span), 'item')} on {number(depth, 'level')}"
        some = span[: min(left, max(3, SHORT_TREE // len(site.menus)))]
        for row in some:
            indent = "  " * (rows.depth[row] + 1)
            yield from _row(rows.things[row], indent, contents, width, style, False)
        left -= len(some)
        if len(span) > len(some):
            yield f"    … and {len(span) - len(some):,} more"
    yield ""


def survey_lines(
    surveyed: Surveyed, width: int, style: Style = plain, every_item: bool = False
) -> Iterator[str]:
    """An export as a specialist wants to see it: menus as trees, then what is worth knowing."""
    # Menus come before findings: a specialist first wants to know the site again.
    site, rows = surveyed.site, surveyed.rows
    placements = site.placements()
    contents = {(content.kind, content.id): content for content in site.contents}
    items = sum(isinstance(thing, Item) for thing in rows.things)
    yield style(f"{safe(site.file)}: {safe(platform(site))}", "title")
    yield from wrapped(
        f"{number(len(site.menus), 'menu')}, {number(items, 'item')}, "
        f"{number(len(site.contents), 'content record')}, "
        f"{number(count_facts(surveyed), 'fact')} to carry over. "
        f"Findings: {counts(surveyed.findings)}.",
        width,
        "",
    )
    for index, menu in enumerate(site.menus):
        places = placements.get(menu.id, [])
        where = ", ".join(f"{place.caption} [{place.name}]" for place in places)
        if not where:
            where = "shown in a panel" if menu.key in surveyed.used else "placed nowhere"
        span = rows.of_menu(index)
        depth = max((rows.depth[row] for row in span), default=0)
        count = sum(isinstance(rows.things[row], Item) for row in span)
        yield ""
        marks = [] if menu.saved else ["made up by the platform"]
        marks += [menu.rule] if menu.rule else []
        name = safe(menu.title or menu.key)
        first, *rest = wrapped(
            f"{name}  ({menu.key}; {where}; {number(count, 'item')} on {number(depth, 'level')}"
            + "".join(f"; {mark}" for mark in marks)
            + ")",
            width,
            "    ",
            "",
        )
        yield style(name, "title") + first[len(name) :] if first.startswith(name) else first
        yield from rest
        most = len(span) if every_item else MOST_ITEMS
        for row in span[:most]:
            thing = rows.things[row]
            indent = "  " * rows.depth[row]
            levels = [place.shows for place in places if place.shows is not None]
            deep = len(levels) == len(places) > 0 and rows.depth[row] > max(levels)
            deep = deep and not surveyed.seen[row]
            yield from _row(thing, indent, contents, width, style, deep)
        if len(span) > most:
            yield f"  … and {number(len(span) - most, 'further item')}; --full shows them all"
    yield ""
    more = "--json has them all"
    yield from finding_lines(surveyed.findings, width, style, more=more)


def _row(
    thing: Item | Piece,
    indent: str,
    contents: dict[tuple[str, str], Content],
    width: int,
    style: Style,
    deep: bool,
) -> list[str]:
    if isinstance(thing, Piece):
        room = max(width - len(indent) - 2, 20)
        words = safe(f"[{shorten(said(thing.holds), room, placeholder=' …')}]")
        return [indent + style(words, "dim")]
    if thing.role == "divider":
        return [indent + style("- - -", "dim")]
    content = contents.get((thing.target.kind, thing.target.content or ""))
    where = thing.target.address or getattr(content, "path", None) or thing.target.key or ""
    kind = WORDS.get(thing.target.kind, thing.target.kind)
    if thing.target.kind == "none":
        target = "leads nowhere"
    else:
        target = where if where and thing.target.kind in ("external", "mail", "phone") else kind
        if where and target == kind:
            target = f"{kind} {where}"
    marks = list(_marks(thing))
    if deep:
        marks.append("deeper than the theme shows")
    label = safe(thing.label) or "(no label)"
    space = max(len(indent) + len(label) + 2, min(46, width // 2))
    more = safe("  · " + ", ".join(marks)) if marks else ""
    if space + len(safe(target)) + len(more) <= width or width >= 80:
        line = (indent + label).ljust(space) + style(safe(target), "dim")
        return [line + (style(more, "mark") if marks else "")]
    below = indent + "      "
    lines = [*wrapped(label, width, indent + "  ", indent)]
    lines += [style(line, "dim") for line in wrapped(target, width, below)]
    return lines + [style(line, "mark") for line in wrapped(more.strip(), width, below)]


def _pane(column: Column) -> str:
    leads = column.target.address or column.target.kind if column.target is not None else ""
    return f"“{column.label}”" + (f" ({leads})" if leads else "")


def _marks(item: Item) -> Iterator[str]:
    traits = item.traits
    if item.panel is not None:
        yield f"panel of {number(len(item.panel.columns), 'column')}"
        panes = [column for column in item.panel.columns if column.label]
        if panes and item.panel.style == "tabs":
            yield "panes " + ", ".join(map(_pane, panes))
    if item.role == "heading":
        yield "heading"
    if item.hidden:
        yield "switched off"
    if traits.audience != EVERYONE:
        yield "for " + ", ".join(traits.audience)
    if traits.devices != ALL_DEVICES:
        yield "only on " + (", ".join(traits.devices) or "no device")
    if traits.window == "new":
        yield "new window"
    if traits.icon:
        yield f"icon {traits.icon}"
    if traits.badge:
        yield f"badge “{traits.badge.text}”"
    if item.translations:
        yield "also in " + ", ".join(language for language, _ in item.translations)
    if item.extras:
        yield number(len(item.extras), "unread field")


# Conversion


def migration_lines(
    migration: Migration,
    output: str,
    width: int,
    style: Style = plain,
    everything: bool = True,
) -> Iterator[str]:
    """A conversion: one line that a client understands, the menus, and the findings.

    Without `everything`, of what is medium there is only how often, and what is less is counted:
    the reader first wants to know whether this can go on, and the page has the rest.
    """
    source = migration.source.site
    written = migration.written
    yield from _becomes(
        (safe(source.file), f"({safe(platform(source))})"),
        (safe(output), f"({safe(platform(written))})"),
        width,
        style,
    )
    yield from wrapped(line_for_client(migration), width, "")
    was, now = migration.effort
    if was is not None and now is not None:
        effort = f"Effort of reaching an item, on average: {was:.2f} before, {now:.2f} after."
        yield from wrapped(effort, width, "")
    yield ""
    yield style("Menus", "title")
    lines = list(_menu_lines(migration, width, style))
    shown = lines if everything else capped(lines, MOST_MENUS)
    yield from (line for menu in shown for line in menu)
    if len(lines) > len(shown):
        yield f"  … and {len(lines) - len(shown):,} more; -v shows them"
    yield ""
    yield from branch_lines(migration, width, style, everything)
    if not everything:
        yield from short_lines(migration.findings, width, style)
        return
    yield from finding_lines(migration.findings, width, style, most=None)
    facts = migration.audited.facts
    totals = ", ".join(f"{facts[n]:,} {n}" for n in facts if n != "total")
    account = f"Facts: {facts['total']:,} in all: {totals}."
    yield from (style(line, "dim") for line in wrapped(account, width, ""))


def _becomes(was: tuple[str, str], now: tuple[str, str], width: int, style: Style) -> Iterator[str]:
    """Which file becomes which, each with its platform: on one line where there is room."""
    before, after = " ".join(was), " ".join(now)
    if len(before) + len(after) + 9 <= width:
        yield style(before, "title") + " becomes " + style(after, "title")
        return
    yield from (style(line, "title") for line in wrapped(before, width, "  ", ""))
    yield from (style(line, "title") for line in wrapped(f"becomes {after}", width, "  ", ""))


MOST_MENUS = 20
"""Menus that are listed where not everything is."""


def _menu_lines(migration: Migration, width: int, style: Style) -> Iterator[list[str]]:
    """For each menu where it was shown, what it is now, and where that is shown."""
    source, placed = migration.source.site, migration.written.placements()
    names = {place.name: place.caption for place in source.locations}
    at_source = source.placements()
    called = [safe(menu.title or menu.key) for menu in source.menus]
    widest = min(max(map(len, called), default=0), width // 3)
    for name, menu in zip(called, source.menus, strict=True):
        keys = migration.written_as.get(menu.id, [])
        old = ", ".join(names[place.name] for place in at_source.get(menu.id, []))
        tone = None
        if not keys:
            new, tone = "not converted", "medium"
        else:
            shown = {key: ", ".join(p.caption for p in placed.get(key, [])) for key in keys}
            new = "; ".join(
                safe(f"{key}, shown at {names}" if names else f"stored as {key}, shown nowhere")
                for key, names in shown.items()
            )
            if not any(shown.values()) and menu.id in at_source:
                tone = "high"
        elsewhere = "shown in a panel" if menu.key in migration.source.used else "shown nowhere"
        where = safe(f"shown at {old}" if old else elsewhere) + " → "
        end = style(new, tone) if tone else new
        if len(name) <= widest and widest + len(where) + len(new) + 4 <= width:
            yield [f"  {name.ljust(widest)}  {where}{end}"]
            continue
        below = wrapped(where + new, width, "      ", "    ")
        yield [
            *wrapped(name, width, "    ", "  "),
            *(style(line, tone) if tone else line for line in below),
        ]


LEAST_OF_A_NAME = 16
"""Characters of the name of a branch without which it has a line of its own."""

MOST_BRANCHES = 6
"""Branches that are shown one by one where not everything is."""


def branch_lines(
    migration: Migration, width: int, style: Style = plain, everything: bool = True
) -> Iterator[str]:
    """The branches that are too deep, each with its choice and what the other ones would cost."""
    branches, rows = migration.fitted.branches, migration.source.rows
    if not branches:
        return
    head = "extra steps for visitors (less is better); the one taken comes first"
    if len(head) + 10 <= width:
        yield style("Too deep", "title") + style(f"  {head}", "dim")
    else:
        yield style("Too deep", "title")
        yield from (style(line, "dim") for line in wrapped(head, width, "  "))
    shown = branches if everything else capped(branches, MOST_BRANCHES)
    names = [safe(" › ".join(path_to(rows, branch.row))) for branch in shown]
    choices = [_choice(branch) for branch in shown]
    tail = max(len(taken) + len(other) for taken, other in choices) + 4
    longest = min(max(map(len, names)), max(width - tail, 0))
    for name, (taken, other) in zip(names, choices, strict=True):
        if longest >= LEAST_OF_A_NAME:
            short = name if len(name) <= longest else name[: longest - 1] + "…"
            yield f"  {short.ljust(longest)}  {taken}{style(other, 'dim') if other else ''}"
            continue
        yield from wrapped(name, width, "    ", "  ")
        yield from wrapped(taken + other, width, "      ", "    ")
    if len(branches) > len(shown):
        yield f"  … and {len(branches) - len(shown):,} more; -v shows them"
    now = sum(branch.costs[branch.choice] for branch in branches)
    least = sum(min(branch.costs.values()) for branch in branches)
    if round(now - least, 2) > 0:
        yield from wrapped(
            f"In all {_steps(now)}; at best {_steps(least)} (--depth auto).",
            width,
            "  ",
        )
    yield ""


def _choice(branch: Branch) -> tuple[str, str]:
    """What was chosen for a branch and what it costs, and the same of the other choices."""
    others = [f"{n} {_plus(cost)}" for n, cost in branch.costs.items() if n != branch.choice]
    taken = f"{branch.choice} {_plus(branch.costs[branch.choice])}"
    return taken, f"  else {', '.join(others)}" if others else ""


def _plus(cost: float) -> str:
    """A cost with its sign; one of nothing has none."""
    return f"{cost:+.2f}" if round(cost, 2) else "0.00"


def _steps(cost: float) -> str:
    """Steps more or fewer, in words."""
    if not round(cost, 2):
        return "no step more"
    return f"{abs(cost):.2f} steps {'more' if cost > 0 else 'fewer'}"


PANEL_HEAD = f"  {'':22}{'panels':>8}{'columns':>9}{'links':>7}{'blocks':>8}   lost"
"""The head of a table of `panel_line`."""


def panel_line(name: str, migration: Migration) -> str:
    """What is left of panels at a destination: how many, their columns, links and other blocks.

    Headings that lead somewhere are links.
    """
    # A row of a table: its columns are wide enough for what a whole site has.
    items = [item for menu in migration.written.menus for item in menu.items]
    panels = [item.panel for item in items if item.panel is not None]
    blocks = [block for panel in panels for block in blocks_of(panel)]
    pieces = sum(isinstance(block, Piece) for block in blocks)
    lists = [block for block in blocks if isinstance(block, Links)]
    inside = [item for block in lists for item in (block.heading, *block.items) if item is not None]
    links = sum(leads(item.target) for item in inside)
    lost = sum(found.code == "panel.block" for found in migration.findings)
    counts = (len(panels), sum(len(panel.columns) for panel in panels), links, pieces)
    cells = "".join(f"{n or '–':>{w}}" for n, w in zip(counts, (8, 9, 7, 8), strict=True))
    gone = f"{lost} block{'' if lost == 1 else 's'}" if lost else "no block"
    return f"  {name:22}{cells}   {gone if panels else 'all panels; ' + gone}"


# Findings


def finding_lines(
    findings: list[Finding],
    width: int,
    style: Style = plain,
    most: int | None = MOST_OF_A_CODE,
    more: str = "--report has them all",
) -> Iterator[str]:
    """Findings grouped by severity and code, in plain sentences: at most so many of each code."""
    for severity, groups in by_weight(findings):
        yield from _weight_lines(severity, width, style)
        for code, found in groups:
            yield from _group_head(code, len(found), width, style)
            shown = found if most is None else capped(found, most)
            for finding in shown:
                yield from wrapped(_placed(finding), width, "      ", "    - ")
            if len(found) > len(shown):
                words = f"… and {len(found) - len(shown):,} more of the same; {more}"
                yield from wrapped(words, width, "      ", "    - ")
            for line in dict.fromkeys(finding.do for finding in shown):
                yield from wrapped(line, width, "      ", "    ⇒ ")
        yield ""


MOST_OF_THE_GRAVEST = 3
"""Findings of one code that are shown of what is high, where not everything is."""


def short_lines(findings: list[Finding], width: int, style: Style = plain) -> Iterator[str]:
    """What is high with a few places, what is medium by group, and how much else there is."""
    grave = [found for found in findings if found.severity == "high"]
    yield from finding_lines(grave, width, style, MOST_OF_THE_GRAVEST, "-v shows them all")
    for severity, groups in by_weight([f for f in findings if f.severity == "medium"]):
        yield from _weight_lines(severity, width, style)
        for code, found in groups:
            yield from _group_head(code, len(found), width, style)
        yield ""
    rest = [found for found in findings if found.severity in ("low", "note")]
    if rest:
        low = sum(found.severity == "low" for found in rest)
        parts = [f"{low:,} low"] if low else []
        parts += [number(len(rest) - low, "note")] if len(rest) > low else []
        them = "it" if len(rest) == 1 else "them all"
        yield from wrapped(f"And {' and '.join(parts)}: -v shows {them}.", width, "")
        yield ""


def by_weight(
    findings: list[Finding],
) -> Iterator[tuple[Severity, list[tuple[str, list[Finding]]]]]:
    """Findings by severity, the most severe first, and within that by code."""
    groups: dict[Severity, list[tuple[str, list[Finding]]]] = {}
    for severity, code, found in grouped(findings):
        groups.setdefault(severity, []).append((code, [finding for _, finding in found]))
    yield from groups.items()


def _weight_lines(severity: Severity, width: int, style: Style) -> Iterator[str]:
    words = f"{severity.upper()}  {MEANING[severity]}"
    first, *rest = textwrap.wrap(words, width, subsequent_indent="  ")
    head = len(severity)
    yield style(first[:head], severity) + style(first[head:], "dim")
    yield from (style(line, "dim") for line in rest)


def _group_head(code: str, many: int, width: int, style: Style) -> Iterator[str]:
    count = f" ({many:,})" if many > 1 else ""
    heading = CODES[code].heading
    if len(heading) + len(count) + len(code) + 4 <= width:
        yield f"  {style(heading, 'title')}{count}  " + style(code, "dim")
    else:
        yield from (style(line, "title") for line in wrapped(heading, width, "  "))
        yield style(f"  {code}{count}", "dim")


def _placed(finding: Finding) -> str:
    """The sentence of a finding, and where the item stands if it is not at the top."""
    why = finding.why
    if len(finding.path) > 1 and finding.menu_name:
        above = " › ".join((finding.menu_name, *finding.path[:-1]))
        return f"{why} ({above})"
    return why
