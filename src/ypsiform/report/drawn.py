"""The long parts of the page as HTML: what visitors see, the links, and the findings.

Written by hand and not by the template, which takes twenty times as long for each line. Whatever
came from a file goes through `escape`, here as there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from html import escape

from ..findings import Finding
from ..look.links import Led
from ..look.shown import OPENS, Line, Opened, Place, Stack, width_of

MOST_NUMBERS = 4
"""Numbers of findings that stand beside one line."""

MANY_ALIKE = 50
"""Findings of one code, beyond which the whole sentence stands at the first of them only."""

CHUNK = 100
"""Items at the top of a bar that are folded together, where there are a great many."""

MOST_ROWS = 2000
"""Links, beyond which they are no table any more, and are folded."""

COLUMNS = ("Label", "Led to", "Leads to", "How that was found")


class Drawn:
    """What visitors see, as lists that open. `dense`: as short as it can be, for many lines.

    `who` gives the classes of a line by which it is not there for some; labels are in `language`,
    and where there are `several`, all of them stand there for the reader to choose.
    """

    def __init__(
        self, who: Callable[[Line], str], language: str, *, several: bool, dense: bool
    ) -> None:
        self.who, self.language, self.several, self.dense = who, language, several, dense
        self.met: set[tuple[str, int]] = set()

    def bar(self, place: Place, side: str) -> str:
        """The items of a location's bar, each with what opens below it."""
        out: list[str] = []
        if self.dense:
            self._chunks(out, place.lines, side)
            return "".join(out)
        for line in place.lines:
            out += ("<li", self.who(line), ">")
            if line.panel or line.below:
                out += ("<details><summary>", self._name(line, side), "</summary>")
                out.append('<div class="inside">')
                if line.panel:
                    self._panel(out, line.panel, side)
                else:
                    self._list(out, line.below, side)
                out.append("</div></details>")
            else:
                out.append(self._name(line, side))
            out += (self._aside(line), "</li>")
        return "".join(out)

    def _chunks(self, out: list[str], lines: Sequence[Line], side: str) -> None:
        """A great many items, folded some dozens at a time: a browser draws what is open."""
        for start in range(0, len(lines), CHUNK):
            some = lines[start : start + CHUNK]
            first, last = (escape(line.label or "(no label)") for line in (some[0], some[-1]))
            words = f"{first} … {last}" if len(some) > 1 else first
            out.append(f"<li><details><summary>{words}</summary>")
            self._list(out, some, side)
            out.append("</details></li>")

    def _list(self, out: list[str], lines: Iterable[Line], side: str) -> None:
        out.append("<ul>")
        for line in lines:
            if self.dense:
                out += ("<li", self.who(line), *self._in_one(line, side), self._aside(line))
            else:
                out += ("<li", self.who(line), ">", self._name(line, side), self._aside(line))
            if line.below:
                self._list(out, line.below, side)
            if line.panel:
                self._panel(out, line.panel, side)
            out.append("</li>")
        out.append("</ul>")

    def _panel(self, out: list[str], opened: Opened, side: str) -> None:
        what = "panel with panes" if opened.tabs else "panel"
        wide = " as wide as the page" if opened.wide else ""
        how = f" that opens {OPENS[opened.how]}" if opened.how in OPENS else ""
        out.append(f'<p class="soft">A {what}{wide}{how}{_room(opened)}:</p>')
        out.append('<ul class="columns">')
        for stack in opened.stacks:
            out.append(f'<li class="{_span(stack, opened)}">')
            if stack.label is not None:
                out.append(f'<div class="heading">{escape(stack.label or "(no label)")}</div>')
            self._list(out, stack.lines, side)
            out.append("</li>")
        out.append("</ul>")

    def _name(self, line: Line, side: str) -> str:
        if line.kind == "divider":
            return '<span class="divider" role="separator"></span>'
        ident = self._ident(line, side)
        kind = "picture: " if line.kind == "picture" else ""
        label = escape(line.label or "(no label)")
        if self.several or self.language != "en":
            label = f'<span class="said" lang="{escape(self.language)}">{label}</span>'
            label += "".join(
                f'<span class="said" lang="{escape(tongue)}" hidden>{escape(text)}</span>'
                for tongue, text in line.labels
            )
        notes = "".join(f'<span class="extra">{escape(note)}</span>' for note in line.notes)
        return f'<span class="{line.kind}"{ident}>{kind}{label}</span>{notes}'

    def _ident(self, line: Line, side: str) -> str:
        """The id by which a finding leads to a line: where it stands for the first time."""
        if not line.numbers or (side, line.row) in self.met:
            return ""
        self.met.add((side, line.row))  # a menu may stand at several places
        return f' id="{side}-{line.row}"'

    def _in_one(self, line: Line, side: str) -> tuple[str, str, str]:
        """The rest of the element that has all that is said of a line, as text."""
        words = [line.label or "(no label)"]
        if line.kind != "link":
            words.insert(0, line.kind)
        words += [f"{tongue}: {text}" for tongue, text in line.labels]
        words += [word for word in (*line.notes, line.leads) if word]
        text = escape(" · ".join(words))
        if line.changes:
            text += "".join(f" [{change}]" for change in line.changes)
        return self._ident(line, side), ">", text

    def _aside(self, line: Line) -> str:
        """Where a line leads, what is not as it was, and the numbers of the findings."""
        if line.kind == "divider" or not (line.leads or line.changes or line.numbers):
            return ""
        numbers = line.numbers[:MOST_NUMBERS]
        if self.dense:
            return "".join(f' <a href="#finding-{n}">{n}</a>' for n in numbers)
        found = f'<span class="leads">{escape(line.leads)}</span>' if line.leads else ""
        found += "".join(f'<span class="changed">{change}</span>' for change in line.changes)
        found += "".join(f" {numbered(number)}" for number in numbers)
        return f'<span class="aside">{found}</span>'


def _room(opened: Opened) -> str:
    """That columns need more room side by side than a screen has, where they do."""
    screens = ((1280, "a screen of 1,280"), (390, "a handset of 390"))
    screen = next((name for width, name in screens if opened.needs > width), None)
    if screen is None:
        return ""
    return f" (side by side its columns need about {opened.needs:,} pixels, more than {screen} has)"


def numbered(number: int) -> str:
    """The number of a finding, which leads to it."""
    where = f'href="#finding-{number}" aria-label="Finding {number}"'
    return f'<a class="number" {where}>{number}</a>'


def table_of(links: Sequence[Led]) -> str:
    """The table of links; of a great many a list of those that lead to another address now."""
    out = []
    long = len(links) > MOST_ROWS
    for one in links:
        if long and one.old == one.new:
            continue
        label, old, new, how = map(
            escape, (one.label or "(no label)", one.old, one.new or "–", one.how)
        )
        if long:
            more = f" (and {one.count - 1:,} more)" if one.count > 1 else ""
            out.append(f"<li>{label}{more}: {old} → {new}, {how}\n")
        else:
            more = f' <span class="soft">and {one.count - 1:,} more</span>' if one.count > 1 else ""
            out.append(f"<tr><td>{label}{more}<td>{old}<td>{new}<td>{how}\n")
    if long:
        same = len(links) - len(out)
        rest = f"<p>{same:,} lead to the same address as before.</p>" if same else ""
        return f'{rest}<ul id="links-table">{"".join(out)}</ul>'
    head = "".join(f'<th scope="col">{name}</th>' for name in COLUMNS)
    return (
        f'<table id="links-table"><thead><tr>{head}</tr></thead>'
        f"<tbody>{''.join(out)}</tbody></table>"
    )


def told(
    some: Sequence[tuple[int, Finding]], places: dict[int, list[tuple[str, str]]], severity: str
) -> str:
    """Findings of one code, each with its number and the way back to where it shows."""
    many = len(some) > MANY_ALIKE
    out = []
    for at, (number, finding) in enumerate(some):
        back = "".join(
            f' <a class="back" href="#{where}">{words}</a>' for where, words in places[number]
        )
        if many and at:
            words = escape(_in_short(finding))
            out.append(f'<p id="finding-{number}">{number} {words}{back}\n')
        else:
            out.append(
                f'<div class="finding is-{severity} folded" id="finding-{number}">'
                f'<strong class="{severity}">{number}</strong> {escape(finding.why)}{back}</div>'
            )
    return "".join(out)


def _in_short(finding: Finding) -> str:
    """What one of many findings is about, where the sentence stands above; else that sentence."""
    if not finding.path or finding.labels:
        return finding.why
    path = " › ".join((finding.menu_name or "", *finding.path)).removeprefix(" › ")
    change = " → ".join(_cut(words) for words in (finding.before, finding.after) if words)
    return f"{path}: {change}" if change else path


def _cut(words: str) -> str:
    return words if len(words) <= 240 else words[:239] + "…"


def _span(stack: Stack, opened: Opened) -> str:
    """The class for the width of a column or pane."""
    return f"w-{12 if opened.tabs else width_of(stack, len(opened.stacks))}"
