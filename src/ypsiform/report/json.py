"""The JSON report. Its form is in `report.schema.json` beside this file."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from typing import Any

from ..containers import json
from ..effort import by_menu, efforts, mean, reached
from ..findings import Finding
from ..fit.best import Branch
from ..model import Item, path_to
from ..proof import Migration
from ..reading import Surveyed, count_facts
from ..version import __version__

AT_ONCE = 500
"""Findings that are written at a time."""

VERSION = 1
"""The version of the report's form."""


def _finding(found: Finding) -> dict[str, Any]:
    return {
        "code": found.code,
        "outcome": found.outcome,
        "severity": found.severity,
        "menu": found.menu,
        "item": found.item,
        "path": list(found.path),
        "facts": found.facts,
        "before": found.before,
        "after": found.after,
        "labels": list(found.labels),
        "count": found.count,
        "places": list(found.places),
        "origin": found.origin,
        "why": found.why,
        "do": found.do,
    }


def _menus(
    surveyed: Surveyed,
    written_as: dict[str, list[str]],
    efforts: Sequence[tuple[float | None, float | None]],
) -> list[dict[str, Any]]:
    site, rows = surveyed.site, surveyed.rows
    placements = site.placements()
    found = []
    for index, menu in enumerate(site.menus):
        span = rows.of_menu(index)
        found.append(
            {
                "id": menu.id,
                "title": menu.title,
                "locations": [place.name for place in placements.get(menu.id, ())],
                "items": sum(isinstance(rows.things[row], Item) for row in span),
                "depth": max((rows.depth[row] for row in span), default=0),
                "written_as": written_as.get(menu.id, []),
                "effort": _change(efforts[index]),
            }
        )
    return found


def _change(pair: tuple[Any, Any]) -> dict[str, Any]:
    return dict(zip(("before", "after"), pair, strict=True))


def _source(surveyed: Surveyed) -> dict[str, Any]:
    site = surveyed.site
    return {"file": site.file, "platform": site.platform, "theme": site.theme}


def surveyed(read: Surveyed, hashes: Mapping[str, str | None]) -> bytes:
    """The report of a survey, as it stands in a file."""
    return json.write(of_survey(read, hashes), made=True)


def of_survey(surveyed: Surveyed, hashes: Mapping[str, str | None]) -> dict[str, Any]:
    """The report of a survey: without destination, outcomes and audit."""
    site, rows = surveyed.site, surveyed.rows
    pages = reached(site, rows, surveyed.seen)
    ways = by_menu(efforts(site, rows), rows, pages, len(site.menus))
    return {
        "report": VERSION,
        "ypsiform": __version__,
        "source": _source(surveyed),
        "hashes": dict(hashes),
        "record": None,
        "menus": _menus(surveyed, {}, [(mean(some), None) for some in ways]),
        "facts": {"total": count_facts(surveyed)},
        "reachable": {"before": len(pages), "after": None},
        "effort": {
            "before": mean([way for some in ways for way in some]),
            "after": None,
        },
        "branches": [],
        "matches": [],
        "findings": [_finding(found) for found in surveyed.findings],
    }


def _branch(migration: Migration, branch: Branch) -> dict[str, Any]:
    """What was chosen for a branch that is too deep, and what each choice costs."""
    source = migration.source
    return {
        "menu": source.site.menus[source.rows.menu[branch.row]].id,
        "item": getattr(source.rows.things[branch.row], "id", ""),
        "path": list(path_to(source.rows, branch.row)),
        "choice": branch.choice,
        "costs": branch.costs,
        "gap": round(branch.gap, 2),
    }


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """The report of a conversion, as it stands in a file."""
    return _of_parts(_without_findings(migration, output, hashes, record), migration.findings)


def of_migration(
    migration: Migration,
    output: str,
    hashes: Mapping[str, str | None],
    record: str | None = None,
) -> dict[str, Any]:
    """The report of a conversion. `hashes` are evidence of what was read and written.

    `record` is the name of the file by which the next run knows what this one wrote.
    """
    report = _without_findings(migration, output, hashes, record)
    report["findings"] += [_finding(found) for found in migration.findings]
    return report


def _without_findings(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> dict[str, Any]:
    fitted, source = migration.fitted, migration.source
    return {
        "report": VERSION,
        "ypsiform": __version__,
        "source": _source(source),
        "destination": {
            "file": output,
            "platform": migration.written.platform,
            "theme": fitted.theme,
        },
        "hashes": dict(hashes),
        "record": record,
        "menus": _menus(source, migration.written_as, migration.efforts),
        "facts": migration.audited.facts,
        "reachable": _change(migration.reachable),
        "effort": _change(migration.effort),
        "branches": [_branch(migration, branch) for branch in fitted.branches],
        "matches": [
            {"from": source[1], "to": there[1], "kind": there[0], "by": by}
            for source, there, by in fitted.matches
        ],
        "findings": [],
        "audit": {
            "checked": migration.audited.facts["total"],
            "unreported": migration.audited.problems,
        },
    }


def _of_parts(report: dict[str, Any], findings: Sequence[Finding]) -> bytes:
    """A report as UTF-8 text, its findings written a few at a time: there may be many."""
    none = b'"findings": []'
    head, _, tail = json.write(report, made=True).partition(b"\n  " + none)
    text = io.BytesIO()
    text.write(head + b"\n  " + none[:-1])
    start, end = b'{\n  "findings": [', b"\n  ]\n}\n"
    for at in range(0, len(findings), AT_ONCE):
        part = {"findings": [_finding(found) for found in findings[at : at + AT_ONCE]]}
        text.write((b"," if at else b"") + json.write(part, made=True)[len(start) : -len(end)])
    text.write((b"\n  ]" if findings else b"]") + tail)
    return text.getvalue()
