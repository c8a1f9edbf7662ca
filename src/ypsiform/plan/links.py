"""`links.csv`: where the links to each content of the source lead at the destination.

It is written for a spreadsheet and read as one gives it back: with a byte-order mark or without,
with commas, semicolons or tabs, cells quoted or not, and leading zeros of ids lost.
"""

from __future__ import annotations

import csv
from collections.abc import Container
from io import StringIO
from typing import NamedTuple

from msgspec.structs import replace

from ..addresses import normal_path
from ..containers import decode
from ..containers.csv import marked, unmarked
from ..decisions import LinkChoice, Pair
from ..errors import FormatError
from ..fit.work import Fitted
from ..model import Content
from ..resolve.links import Match
from ..resolve.suggestions import Suggestions

COLUMNS = (
    *("old id", "kind", "address", "label", "used in", "match", "how", "confidence"),
    *("second", "third"),
)
NOWHERE = "none"
CERTAIN = {"table": 100, "path": 99, "key": 98, "address": 97, "title": 96}
"""How sure each way of matching is, in percent. What only comes near is never as sure."""

NEAR = 95
"""How sure the nearest can be: it was not found by any way of matching."""


class Row(NamedTuple):
    """One row: a content of the source, and where links to it lead."""

    old: Content
    label: str
    used: str
    match: str
    how: str
    confidence: str
    second: str
    third: str


def named(content: Content) -> str:
    """A content as the table names it."""
    return f"{content.kind} {content.id}"


def rows_of_links(
    wanted: list[Content],
    used: dict[Pair, tuple[str, str]],
    matches: list[Match],
    inventory: list[Content],
    held: frozenset[str],
    decided: dict[Pair, LinkChoice],
    edited: Container[Pair],
    plain: Container[Pair] = frozenset(),
    accept: float | None = None,
) -> list[Row]:
    """The rows of a table: matches as they were made, and what comes near where there is none.

    `used` gives for a content the first label that leads to it, and the menus that do; `decided`
    is what was decided about links, `edited` what an earlier table decided of that; `plain` are
    pages of which only the address is known. What comes near, and is at least as sure as
    `accept` says, in percent, is taken over where nothing matches and nothing was decided.
    """
    # What was decided wins over what matches, and that over what comes near; a suggestion that was
    # taken is not offered a second time.
    by_pair = {(content.kind, content.id): content for content in inventory}
    table = {old: (new, how) for old, new, how in matches}
    suggestions = Suggestions(inventory, held)
    made: list[Row] = []
    for old in wanted:
        pair = (old.kind, old.id)
        match, how, confidence = "", "", ""
        found = table.get(pair)
        if found is not None:
            match, how = named(by_pair[found[0]]), found[1]
            confidence = str(CERTAIN[how])
            if how == "table" and pair not in edited:
                how = "redirect"
        choice = decided.get(pair)
        if choice is not None and choice.content is None:
            how = "table" if pair in edited else "redirect"
            match, confidence = choice.address or NOWHERE, "100"
        label, menus = used.get(pair, (old.title, ""))
        asked = replace(old, title=old.title or label)
        alike = suggestions.near(asked, found[0] if found else None, plain=pair in plain)
        best = next(iter(alike), None)
        sure = min(best.likeness, NEAR) if best is not None else 0.0
        if not match and best is not None and accept is not None and sure >= accept:
            match, how, confidence = named(best.content), "suggested", f"{sure:.0f}"
            alike = alike[1:]
        if not match and inventory:
            how = "nothing matches"
        near = [*(f"{named(a.content)} ({min(a.likeness, NEAR):.0f})" for a in alike), "", ""]
        made.append(Row(old, label or old.title, menus, match, how, confidence, near[0], near[1]))
    return made


def write_links(rows: list[Row]) -> bytes:
    """The table as bytes, with a byte-order mark, by which spreadsheets know UTF-8."""
    out = StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for row in rows:
        old = row.old
        cells = (old.id, old.kind, old.path or "", *row[1:])
        writer.writerow([marked(cell) for cell in cells])
    return b"\xef\xbb\xbf" + out.getvalue().encode("utf-8", "backslashreplace")


def read_links(
    data: bytes, file: str, wanted: dict[Pair, Content], inventory: list[Content]
) -> tuple[dict[Pair, LinkChoice], list[str]]:
    """What a table decides, by the kind and id of a content; and the contents that are gone.

    An empty match decides nothing. Raises `FormatError` with the line of a mistake.
    """
    text = decode(data, file, declared=False)
    delimiter = max(",;\t", key=text.split("\n", 1)[0].count)
    reader = csv.reader(StringIO(text, newline=""), delimiter=delimiter, strict=True)
    made: dict[Pair, LinkChoice] = {}
    gone: list[str] = []
    columns: list[str] = []
    known = _Known(wanted, inventory)
    try:
        for cells in reader:
            cells = [unmarked(cell.strip()) for cell in cells]
            if not columns:
                # A mark that a program took for letters, as one does that expects another encoding.
                columns = [cell.removeprefix("ï»¿").lower() for cell in cells]
                missing = [name for name in ("old id", "kind", "match") if name not in columns]
                if missing:
                    raise FormatError(
                        f"the column {missing[0]!r} is missing", file=file, place="line 1"
                    )
                continue
            says = dict(zip(columns, cells, strict=False))
            if not any(cells):
                continue
            place = f"line {reader.line_num}"
            old = known.old(says)
            if old is None:
                kind, ident = says.get("kind") or "content", says.get("old id", "")
                gone.append(f"the {kind} {ident!r}" if ident else f"the content in {place}")
            elif says.get("match"):
                try:
                    choice = known.choice(says["match"])
                except LookupError as error:
                    raise FormatError(str(error.args[0]), file=file, place=place) from None
                if made.get(old, choice) != choice:
                    raise FormatError(
                        f"the {old[0]} {old[1]!r} is decided about twice, and not alike",
                        file=file,
                        place=place,
                    )
                made[old] = choice
    except csv.Error as error:
        raise FormatError(
            f"this is not a table: {error}", file=file, place=f"line {reader.line_num}"
        ) from None
    if not columns:
        raise FormatError("the file is empty", file=file)
    return made, gone


def edits(data: bytes, file: str, fitted: Fitted) -> dict[Pair, LinkChoice]:
    """What a table decides otherwise than a conversion did without it."""
    wanted = {(content.kind, content.id): content for content in fitted.wanted}
    table, _ = read_links(data, file, wanted, fitted.inventory)
    made = {old: new for old, new, _ in fitted.matches}
    return {
        pair: choice
        for pair, choice in table.items()
        if choice.content is None or made.get(pair) != choice.content
    }


class _Known:
    """The contents that a table may name."""

    def __init__(self, wanted: dict[Pair, Content], inventory: list[Content]) -> None:
        self.wanted = wanted
        self.bare = {(kind, _bare(ident)): (kind, ident) for kind, ident in wanted}
        self.named = {named(content): (content.kind, content.id) for content in inventory}
        self.short: dict[str, list[Pair]] = {}
        # Pages by their address, where one only has it.
        self.at: dict[str, Pair | None] = {}
        for content in inventory:
            if content.path:
                path, pair = normal_path(content.path), (content.kind, content.id)
                self.at[path] = None if path in self.at else pair
        for content in inventory:
            for word in {content.id, _bare(content.id), content.key or content.id}:
                self.short.setdefault(word, []).append((content.kind, content.id))

    def old(self, says: dict[str, str]) -> Pair | None:
        pair = says.get("kind", ""), says.get("old id", "")
        return pair if pair in self.wanted else self.bare.get((pair[0], _bare(pair[1])))

    def choice(self, match: str) -> LinkChoice:
        """What a cell of the column `match` decides. Raises `LookupError` with the reason."""
        if match.lower() == NOWHERE:
            return LinkChoice()
        if match in self.named:
            return LinkChoice(self.named[match])
        page = self.at.get(normal_path(match)) if match.startswith("/") else None
        if page is not None:
            return LinkChoice(page)
        if match.startswith(("/", "#", "http://", "https://", "mailto:", "tel:")):
            return LinkChoice(address=match)
        found = self.short.get(match) or self.short.get(_bare(match)) or []
        if len(found) == 1:
            return LinkChoice(found[0])
        if found:
            names = ", ".join(f"{kind} {ident}" for kind, ident in found)
            raise LookupError(f"{match!r} could be {names}: write one of these")
        raise LookupError(
            f"{match!r} is neither a content of the destination, as 'page timetables', nor an "
            "address, nor none"
        )


def _bare(ident: str) -> str:
    """An id as a spreadsheet may have left it: without leading zeros."""
    return ident.lstrip("0") or "0" if ident.isdigit() else ident
