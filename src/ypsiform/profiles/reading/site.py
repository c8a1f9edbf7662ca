"""What a file says of its site, and records of it that were left out."""

from __future__ import annotations

from ...containers.json import kind_of
from ...findings import notice
from ...model import (
    Extra,
)
from ..codecs import OutsideError, chain
from ..records import plain
from .reader import Reading


def tell_left_out(reading: Reading) -> None:
    """Say what a container did not pass on."""
    left = reading.left_out
    if left:
        words = ", ".join(f"{name} ({count})" for name, count in sorted(left.items()))
        code = "read.script" if reading.profile.container == "html" else "read.beside"
        reading.notices.append(notice(code, before=words, origin=reading.file))
    if reading.odd:
        found = notice("read.encoding", before=reading.odd, origin=reading.file)
        reading.notices.append(found)
    if reading.aside is not None:
        # What may be a menu comes first.
        pairs = sorted(
            reading.aside.items(), key=lambda pair: (" --nav " not in pair[0], -pair[1], pair[0])
        )
        words = ", ".join(f"{name} ({count})" for name, count in pairs) or "nothing"
        reading.notices.append(notice("read.page", before=words, origin=reading.file))


def site_facts(reading: Reading) -> tuple[dict[str, str], list[Extra]]:
    """What a file says of its site, and what else stands beside that."""
    facts: dict[str, str] = {}
    extras: list[Extra] = []
    for name, short in reading.profile.site.fields.items():
        rule = plain(short)
        node = reading.tree
        for part in rule.at.split("/"):
            node = reading.shape.step(node, part) if node is not None else None
        if node is None:
            continue
        if rule.is_ is not None:
            if node != rule.is_:
                extras.append(Extra(rule.at, node))
            continue
        if not isinstance(node, str):
            raise reading.fail(f"found {kind_of(node)} where a text is needed", rule.at)
        if rule.through:
            # Of several languages the first is that of labels that do not say theirs.
            try:
                reading.spoken = tuple(chain(rule.through, name)[0](node))
            except OutsideError:
                continue  # it says none
            node = next(iter(reading.spoken), "")
        facts[name] = node
    return facts, extras
