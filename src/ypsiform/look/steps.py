"""What somebody has to do by hand, in the order to do it: from before the import to long after."""

from __future__ import annotations

from collections.abc import Sequence
from urllib.parse import urljoin

from msgspec import Struct

from ..addresses import Hosts
from ..findings import CODES, SEVERITIES, Finding
from ..proof import Migration

PHASES = {
    "before": "Before the import",
    "after": "After the import",
    "look": "Then look at the site",
    "later": "From then on",
}
"""When things are done, by the words of the catalogue, in their order."""

Move = tuple[str, str]
"""Where a file is, and where it has to be."""


class Step(Struct):
    """One thing to do: the code that asks for it, what it is, and why.

    `what` names it where `do` says only what to do about it. `numbers` are those of the findings
    that ask for it; `files` have to be moved.
    """

    code: str
    what: str
    do: str
    findings: list[Finding]
    numbers: list[int]
    files: Sequence[Move] = ()

    def why(self, most: int | None = None) -> list[str]:
        """Why, a sentence for each finding; of `most` of them where there are more."""
        return [finding.why for finding in self.findings[:most]]


def steps(migration: Migration, changed: int) -> list[tuple[str, list[Step]]]:
    """For each phase in which there is something to do its steps, with all reasons for each.

    What weighs most comes first; of what weighs alike, what stands first in the catalogue. So many
    addresses have `changed` that are to lead to the new ones.
    """
    found: dict[str, dict[tuple[str, str], Step]] = {when: {} for when in PHASES}
    weight: dict[tuple[str, str], int] = {}
    plain: dict[str, str] = {}  # what does not depend on the finding
    for number, finding in enumerate(migration.findings, 1):
        when = CODES[finding.code].step
        if not when:
            continue
        needed = finding.code == "step.requires"
        do = plain.get(finding.code)
        if do is None:
            do = (finding.before or "") if needed else advice(finding) or finding.do
            if not needed and "{" not in CODES[finding.code].do:
                plain[finding.code] = do
        key = finding.code, do
        what = "" if needed else CODES[finding.code].heading
        step = found[when].setdefault(key, Step(finding.code, what, do, [], []))
        step.findings.append(finding)
        step.numbers.append(number)
        weight[key] = min(weight.get(key, 9), SEVERITIES.index(finding.severity))
        if finding.code == "step.file":
            step.files = _moves(migration, finding.labels)
    if changed:
        many = f"all {changed:,} of them" if changed > 1 else "the one that did"
        do = f"Have {many} lead to the new place: the list of links has both."
        key = "", do
        found["after"][key] = Step("", "Addresses of the site that changed", do, [], [])
        weight[key] = SEVERITIES.index("medium")
    order = {"": -1} | {code: at for at, code in enumerate(CODES)}
    return [
        (when, sorted(some.values(), key=lambda s: (weight[s.code, s.do], order[s.code])))
        for when, some in found.items()
        if some
    ]


def advice(finding: Finding) -> str:
    """What can be done about it, without options of a command; empty where there is only these."""
    words = finding.do, CODES[finding.code].remedy
    return next((said for said in words if "--" not in said and "`" not in said), "")


def _moves(migration: Migration, addresses: Sequence[str]) -> list[Move]:
    """Where files of the old site are, and where they have to be: at the same path there."""
    old, new = migration.source.site.addresses, migration.written.addresses
    hosts = Hosts(old)
    moves = []
    for address in addresses:
        parts = hosts.read(address)
        path = parts.path + parts.tail if parts.path else address
        there = urljoin(new[0], path) if new and new != old else path
        moves.append((urljoin(old[0], address) if old else address, there))
    return moves
