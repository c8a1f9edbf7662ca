"""The line for the client, and the numbers in it: the same in every form of the report."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from ..findings import OUTCOMES, SEVERITIES, Finding, Severity
from ..model import Site
from ..profiles.schema import Profile
from ..proof import Migration
from ..reading import Surveyed, count_facts


def share_kept(facts: Mapping[str, int]) -> str:
    """How much is kept or restated, in percent; only what is whole is 100 %."""
    kept = facts["kept"] + facts["restated"]
    if not facts["total"]:
        return "100 %"
    most = 100 if kept == facts["total"] else 99
    return f"{min(most, 100 * kept / facts['total']):.0f} %"


def line_for_client(migration: Migration) -> str:
    """What a client wants to know first, in plain sentences."""
    before, after = migration.reachable
    shown_before, shown_after = migration.shown
    counts = {
        severity: sum(found.severity == severity for found in migration.findings)
        for severity in SEVERITIES
    }
    pages = f"{after:,} of {before:,} page{'s' if before != 1 else ''} can still be reached"
    menus = f"{shown_after} of {shown_before} menu{'s' if shown_before != 1 else ''}"
    are = "is" if shown_before == 1 else "are"
    weigh = f"{counts['high']} high and {counts['medium']} medium"
    return (
        f"{pages} from the menus; {menus} {are} still shown. "
        f"{share_kept(migration.audited.facts)} of the facts are kept or said in another way. "
        f"Findings to look at: {weigh}."
    )


def platform(site: Site) -> str:
    """A platform with its theme, as it is named on the command line."""
    return f"{site.platform}/{site.theme}" if site.theme else site.platform


def line_for_survey(read: Surveyed) -> str:
    """How much is in an export, in a plain sentence."""
    count, things = len(read.site.menus), len(read.rows)
    menus = f"{count:,} menu{'s' if count != 1 else ''}"
    items = f"{things:,} item{'s' if things != 1 else ''} and blocks"
    return f"{menus}, {items}, {count_facts(read):,} facts to carry over."


def called(site: Site, profile: Profile) -> str:
    """A platform with its theme, as a client knows it."""
    return f"{profile.name} ({site.theme})" if site.theme else profile.name


def moved(migration: Migration) -> str:
    """From where to where menus are moved, as a title."""
    source = migration.source
    assert migration.profile is not None
    there = called(migration.written, migration.profile)
    return f"From {called(source.site, source.profile)} to {there}"


def outcomes(facts: Mapping[str, int]) -> str:
    """How many facts became what, in one sentence."""
    words = {"by-hand": "left by hand", "restated": "said in another way"}
    some = [f"{facts[name]:,} {words.get(name, name)}" for name in OUTCOMES if facts[name]]
    return f"{facts['total']:,} facts: " + ", ".join(some) + "."


def grouped(
    findings: Sequence[Finding],
) -> Iterator[tuple[Severity, str, list[tuple[int, Finding]]]]:
    """Findings by severity and code, the most severe first, each with its number from 1."""
    groups: dict[tuple[Severity, str], list[tuple[int, Finding]]] = {}
    for number, finding in enumerate(findings, 1):
        groups.setdefault((finding.severity, finding.code), []).append((number, finding))
    for severity in SEVERITIES:
        for (weight, code), some in groups.items():
            if weight == severity:
                yield severity, code, some


def evidence(hashes: Mapping[str, str | None]) -> list[tuple[str, str]]:
    """The hashes of what was read and written, of that which there was."""
    return [(name, digest) for name, digest in hashes.items() if digest]
