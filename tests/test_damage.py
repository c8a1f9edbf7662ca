"""Damage between writing and reading back: what changes what is read must end in exit 4."""

from __future__ import annotations

import json
import os
import random
from collections import Counter
from collections.abc import Callable
from copy import deepcopy
from typing import Any

import pytest
from msgspec.structs import replace

from tests.damage import KINDS
from tests.test_pairs import DEMO, PLACES
from ypsiform import document, migrate, proof
from ypsiform.demo import DATA
from ypsiform.errors import AuditError, RefusedError
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.model import Site
from ypsiform.profiles import read as reading
from ypsiform.proof import Prepared

MANY = int(os.environ.get("YPSIFORM_DAMAGES", "12"))
"""Damages of each kind, for each of three conversions to a place; `make damage` asks for 100."""

WHERE = [place for place in PLACES if place != "ypsiform" and not place.startswith("sitemap")]
"""Places whose files are written through a profile and hold menus."""

SEASON = (DATA / "season.json").read_bytes()


def small() -> bytes:
    """A site with all that can go wrong: menus, levels, a panel, unread data, languages."""
    head, *menus = DEMO.split(b"<menu ")
    items = menus[0].split(b"</item>")
    menus[0] = b"</item>".join([*items[:40], items[-1]])
    return b"<menu ".join([head, *menus])


CASES: dict[str, Callable[[str], tuple[bytes, bytes | None]]] = {
    "new file": lambda place: (small(), None),
    "panels": lambda place: (SEASON, None),
    "into": lambda place: (SEASON, convert(small(), "old.xml", place).data),
}


def prepared(place: str, case: str) -> tuple[Prepared, Site]:
    """A conversion just before it is proved, and what it should read back."""
    data, there = CASES[case](place)
    found: list[Prepared] = []
    real = proof.proved

    def keep(made: Prepared, *rest: Any) -> Any:
        kept = deepcopy(made.written.tree)
        found.append(made._replace(written=replace(made.written, tree=kept)))
        return real(made, *rest)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(migrate, "proved", keep)
        into = (there, "there") if there is not None else None
        done = convert(data, "x", place, into=into, options=Options(made_up=True))
    return found[0], done.written


@pytest.mark.parametrize("case", CASES)
@pytest.mark.parametrize("place", WHERE)
def test_damage_is_noticed(
    place: str, case: str, record_property: Callable[[str, object], None]
) -> None:
    made, good = prepared(place, case)
    read: list[Site] = []
    real = reading.site_of

    def site_of(*arguments: Any, **named: Any) -> Any:
        result = real(*arguments, **named)
        read[:] = [result.site]
        return result

    counts: Counter[str] = Counter()
    missed: list[str] = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(proof, "site_of", site_of)
        for kind, damage in KINDS.items():
            draw = random.Random(f"{place} {case} {kind}")
            for number in range(MANY):
                tree = deepcopy(made.written.tree)
                if not damage(tree, draw):
                    continue
                read.clear()
                outcome = _proved(made._replace(written=replace(made.written, tree=tree)))
                differs = not read or not document.says_the_same(read[0], good)
                if outcome == "unwritable":
                    counts[f"{kind} unwritable"] += 1
                    continue
                counts[f"{kind} {outcome}"] += differs
                counts[f"{kind} harmless"] += not differs
                if differs and outcome == "missed":
                    missed.append(f"{kind} {number}")
    record_property("damage", json.dumps(counts))
    assert not missed
    # Each kind that changed anything was noticed; one that never did is told by its count.
    assert any(counts[f"{kind} noticed"] for kind in KINDS)


def _proved(made: Prepared) -> str:
    """How a conversion of a damaged tree ends."""
    try:
        proof.proved(made)
    except AuditError:
        return "noticed"
    except (RefusedError, TypeError, KeyError, AttributeError, ValueError, IndexError):
        return "unwritable"  # the container cannot say what no writer of ours would make
    return "missed"
