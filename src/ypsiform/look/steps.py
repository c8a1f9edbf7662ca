"""What somebody has to do by hand, before and after the import, in the order to do it."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from ..findings import CODES, Finding


class Step(Struct):
    """One thing to do: the code that asks for it, what it is, and why."""

    code: str
    do: str
    why: tuple[str, ...]
    numbers: tuple[int, ...]


def steps(findings: Sequence[Finding], when: str) -> list[Step]:
    """The steps `before` or `after` the import: one for each thing to do, with all its reasons.

    They come in the order of the catalogue, in which what others need stands first.
    """
    found: dict[tuple[str, str], Step] = {}
    for number, finding in enumerate(findings, 1):
        if CODES[finding.code].step != when:
            continue
        step = found.setdefault((finding.code, finding.do), Step(finding.code, finding.do, (), ()))
        step.why = (*step.why, finding.why)
        step.numbers = (*step.numbers, number)
    order = {code: at for at, code in enumerate(CODES)}
    return sorted(found.values(), key=lambda step: order[step.code])
