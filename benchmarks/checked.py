"""A script that checks: what one conversion has to do at the least, for one export and one table.

    python benchmarks/checked.py export.xml out.csv report.json

Written by hand for Quillmoor and `csv` alone, with nothing that could be described otherwise: it
keeps the promises for this one pair, as somebody would who needs it once. It looks for what it
does not know, follows links to pages and says which are dead, tells what visitors reach and with
what effort, writes, reads back, compares each fact of each item, and reports. What Ypsiform takes
more than this is the price of any platform by description, and of its own code; what this takes
more than `scripts.py` is the price of checking, below which no engine in the same language comes.
"""

from __future__ import annotations

import csv
import gc
import hashlib
import io
import json
import sys
import xml.etree.ElementTree as ET
from collections import Counter
from pathlib import Path
from typing import Any, NamedTuple

KNOWN = {"says", "leads", "about", "window", "style"}
ATTRIBUTES = {"no", "in", "after"}
HEADER = ["menu", "level", "label", "address", "description", "window", "classes"]
SHOWN = {"upper", "foot"}
LIMIT = 2000
"""Characters of a text that is looked at with care; longer ones are refused."""


class Item(NamedTuple):
    """An item as it was read: what it says, and where it stands."""

    level: int
    label: str
    target: str
    about: str
    window: str
    style: str
    languages: tuple[tuple[str, str], ...]


Finding = dict[str, Any]


def read(data: bytes, findings: list[Finding]) -> dict[str, list[Item]]:
    """The items of each menu in reading order; what is not known, dead or in a ring is told."""
    if b"<!DOCTYPE" in data[:1000]:
        raise SystemExit("the export has a document type, which is not read")
    root = ET.fromstring(data)
    pages = {page.get("no"): page.get("at") for page in root.iterfind("leaves/page")}
    found: dict[str, list[Item]] = {}
    for menu in root.iterfind("menu"):
        code = menu.get("code") or ""
        below: dict[str | None, list[ET.Element]] = {}
        numbers = set()
        for item in menu.iterfind("item"):
            below.setdefault(item.get("in"), []).append(item)
            numbers.add(item.get("no"))
            if not ATTRIBUTES.issuperset(item.attrib):
                findings.append({"code": "read.unknown", "menu": code, "item": item.get("no")})
        if not below.keys() - {None} <= numbers:
            findings.append({"code": "read.orphan", "menu": code})
        rows: list[Item] = []
        stack = [(1, item) for item in reversed(ordered(below.get(None, ())))]
        while stack:
            level, item = stack.pop()
            rows.append(_item(item, level, pages, code, findings))
            if item.get("no") in below:
                inner = ordered(below[item.get("no")])
                stack += [(level + 1, one) for one in reversed(inner)]
        if len(rows) != len(numbers):
            findings.append({"code": "read.ring", "menu": code})
        found[code] = rows
    return found


def ordered(siblings: Any) -> list[ET.Element]:
    """Siblings by what each comes after."""
    after = {item.get("after"): item for item in siblings}
    made: list[ET.Element] = []
    last: str | None = None
    while last in after:
        item = after.pop(last)
        made.append(item)
        last = item.get("no")
    return made + list(after.values())


def _item(
    item: ET.Element, level: int, pages: dict[str | None, Any], code: str, findings: list[Finding]
) -> Item:
    label = target = about = window = style = ""
    languages = []
    for part in item:
        tag, text = part.tag, part.text or ""
        if len(text) > LIMIT:
            raise SystemExit(f"a text of {len(text)} characters")
        if tag == "says":
            if lang := part.get("lang"):
                languages.append((lang, text))
            else:
                label = text
        elif tag == "leads":
            target = part.get("to") or pages.get(part.get("page")) or ""
            if not target:
                findings.append({"code": "link.dead", "menu": code, "item": label})
        elif tag == "about":
            about = text
        elif tag == "window":
            window = text
        elif tag == "style":
            style = text
        else:
            findings.append({"code": "read.unknown", "menu": code, "item": label, "what": tag})
    return Item(level, label, target, about, window, style, tuple(languages))


def looked_at(found: dict[str, list[Item]], shown: set[str], findings: list[Finding]) -> float:
    """The mean effort of what visitors reach; doubles, bars that wrap, empty submenus are told."""
    least: dict[str, float] = {}
    for code, rows in found.items():
        twice: Counter[tuple[str, str]] = Counter()
        ways: list[float] = [0.0]
        at: list[int] = [0]
        width = 0
        for row in rows:
            twice[row.label, row.target] += 1
            del ways[row.level :], at[row.level :]
            at[-1] += 1
            way = ways[-1] + 1 + 0.1 * at[-1]
            ways.append(way)
            at.append(0)
            if row.level == 1:
                width += 8 * len(row.label) + 24
            if code in shown and row.target and way < least.get(row.target, 1e9):
                least[row.target] = way
        for (label, target), count in twice.items():
            if count > 1:
                findings.append({"code": "double", "menu": code, "item": label, "to": target})
        if width > 1280:
            findings.append({"code": "wraps", "menu": code})
    return sum(least.values()) / max(len(least), 1)


def written(found: dict[str, list[Item]]) -> bytes:
    """The table."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADER)
    for code, rows in found.items():
        writer.writerows(
            (code, row.level, row.label, row.target, row.about, row.window, row.style)
            for row in rows
        )
    return out.getvalue().encode()


def read_back(data: bytes) -> dict[str, list[Item]]:
    """What the table says."""
    found: dict[str, list[Item]] = {}
    records = csv.reader(io.StringIO(data.decode()))
    if next(records) != HEADER:
        raise SystemExit("the table has another header")
    for menu, level, label, target, about, window, style in records:
        rows = found.setdefault(menu, [])
        rows.append(Item(int(level), label, target, about, window, style, ()))
    return found


def compared(
    before: dict[str, list[Item]], after: dict[str, list[Item]], findings: list[Finding]
) -> Counter[str]:
    """Facts by outcome: each of each item, with a finding for each menu that lost some."""
    facts: Counter[str] = Counter()
    for code, rows in before.items():
        there = after[code]
        if len(rows) != len(there):
            raise SystemExit(f"{code}: {len(there)} items were written of {len(rows)}")
        gone = []
        for row, other in zip(rows, there, strict=True):
            for name, was, now in zip(Item._fields[:-1], row, other, strict=False):
                if was:
                    facts["kept" if was == now else "dropped"] += 1
                    if was != now:
                        raise SystemExit(f"{code}: {name} of {row.label!r} is {now!r}")
            if row.languages:
                facts["dropped"] += len(row.languages)
                gone += [f"{row.label}: {words}" for _, words in row.languages]
        if gone:
            findings.append({"code": "label.language", "menu": code, "labels": gone})
    return facts


def converted(data: bytes) -> tuple[bytes, bytes]:
    """The table and the report of one export."""
    findings: list[Finding] = []
    found = read(data, findings)
    effort = looked_at(found, SHOWN, findings)
    made = written(found)
    after = read_back(made)
    facts = compared(found, after, findings)
    revealed = [
        {"code": "revealed", "menu": code, "labels": [row.label for row in rows]}
        for code, rows in found.items()
        if code not in SHOWN
    ]
    report = {
        "hashes": [hashlib.sha256(held).hexdigest() for held in (data, made)],
        "facts": facts,
        "effort": {"before": effort, "after": looked_at(after, SHOWN, [])},
        "menus": {
            code: hashlib.blake2b(json.dumps(rows).encode(), digest_size=16).hexdigest()
            for code, rows in after.items()
        },
        "findings": findings + revealed,
    }
    return made, json.dumps(report, indent=2, ensure_ascii=False).encode()


def main() -> None:
    """Convert one file."""
    gc.disable()
    source, output, report = sys.argv[1:]
    made, said = converted(Path(source).read_bytes())
    Path(output).write_bytes(made)
    Path(report).write_bytes(said)


if __name__ == "__main__":
    main()
