"""The report as Markdown: for a ticket, or a note to colleagues."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from ..findings import CODES, Finding
from ..look import links
from ..look.steps import PHASES, steps
from ..proof import Migration
from ..reading import Surveyed
from .summary import (
    called,
    evidence,
    grouped,
    line_for_client,
    line_for_survey,
    moved,
    outcomes,
)

_SPECIAL = re.compile(r"([\\`*_\[\]<>|#])")


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """The report of a conversion as Markdown, in the order of the page."""
    return "\n".join(_lines(migration, hashes)).encode("utf-8", "replace")


def surveyed(read: Surveyed, hashes: Mapping[str, str | None]) -> bytes:
    """The report of a survey as Markdown."""
    lines = (
        *(f"# What is in it: {_plain(called(read.site, read.profile))}", ""),
        *(line_for_survey(read), ""),
        *_findings(read.findings),
        *_evidence(hashes),
    )
    return "\n".join(lines).encode("utf-8", "replace")


def _lines(migration: Migration, hashes: Mapping[str, str | None]) -> Iterator[str]:
    yield f"# {_plain(moved(migration))}"
    yield ""
    yield line_for_client(migration)
    yield ""
    changed = links.redirects(links.led(migration))
    for when, todo in steps(migration, len(changed)):
        yield f"## {PHASES[when]}"
        yield ""
        for step in todo:
            what = f"**{_plain(step.what)}**: " if step.what else ""
            yield f"- [ ] {what}{_plain(step.do)}"
            if step.files:
                yield from (f"  - {_plain(old)} → {_plain(new)}" for old, new in step.files)
            elif step.what:
                yield from (f"  - {_plain(why)}" for why in step.why())
        yield ""
    yield from _findings(migration.findings)
    if changed:
        yield "## Addresses that changed"
        yield ""
        yield "| old | new |"
        yield "|---|---|"
        yield from (f"| {_plain(old)} | {_plain(new)} |" for old, new in changed)
        yield ""
    yield "## The account"
    yield ""
    yield outcomes(migration.audited.facts)
    yield ""
    yield from _evidence(hashes)


def _findings(findings: Sequence[Finding]) -> Iterator[str]:
    last = ""
    for severity, code, some in grouped(findings):
        if severity != last:
            yield f"## {severity.capitalize()}"
            yield ""
        last = severity
        yield f"### {CODES[code].heading} ({len(some)})"
        yield ""
        yield from (f"- {_plain(finding.why)}" for _, finding in some)
        yield ""
        yield _plain(some[0][1].do)
        yield ""


def _evidence(hashes: Mapping[str, str | None]) -> Iterator[str]:
    yield from (f"- {name}: `{digest}`" for name, digest in evidence(hashes))
    yield ""


def _plain(text: str) -> str:
    """A text of a stranger in one line, in which nothing is Markdown."""
    return _SPECIAL.sub(r"\\\1", " ".join(text.split()))
