"""What a single text looks like."""

from __future__ import annotations

import re
from collections.abc import Iterable

ADDRESS = re.compile(
    r"(https?://|//|/|#|\?|\.{1,2}/|www\.|mailto:|tel:|sms:)|[\w./-]+\.(html?|php|aspx?|mdx?|rst|adoc)([?#].*)?$",
    re.IGNORECASE,
)


ENTITY = re.compile(r"&(?:[a-z]{2,8}|#\d{2,6}|#x[0-9a-f]{2,6});", re.IGNORECASE)
"""A character as it is written in markup: `&amp;`."""


def has_entities(texts: Iterable[str]) -> bool:
    """Whether some texts have characters as they are written in markup."""
    return any("&" in text and ENTITY.search(text) for text in texts)


def is_address(text: str) -> bool:
    """Whether a text looks like an address."""
    return ADDRESS.match(text.strip()) is not None
