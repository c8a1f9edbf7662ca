"""A page of a simulated site, as HTML: its places with what stands in them, and nothing else."""

from __future__ import annotations

import re
from functools import lru_cache
from pathlib import Path

from jinja2 import Environment, StrictUndefined, Template

from .shown import Place, Visitor

BELOW = ("foot", "footer")
"""Places that stand at the bottom of a page."""

SCRIPTED = "about:blank#script"
"""What stands on a page for an address that would run something."""

_SCRIPT = re.compile(r"[\s\x00-\x1f]*(javascript|vbscript|data):", re.IGNORECASE)


@lru_cache(maxsize=1)
def _template() -> Template:
    made = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True)
    made.globals["href"] = lambda address: SCRIPTED if _SCRIPT.match(address) else address
    return made.from_string((Path(__file__).parent / "page.html").read_text(encoding="utf-8"))


def page(title: str, places: list[Place], visitor: Visitor, *, unfolded: int = 0) -> str:
    """The page that a visitor gets; of the places above, the entry of that number stands open."""
    who = ", ".join(sorted(visitor.groups)) or "somebody who is not signed in"
    return _template().render(
        open=unfolded, title=title, places=places, visitor=visitor, who=who, below=BELOW
    )
