"""What a single text looks like."""

from __future__ import annotations

import re

ADDRESS = re.compile(
    r"(https?://|//|/|#|\?|\.{1,2}/|www\.|mailto:|tel:|sms:)|[\w./-]+\.(html?|php|aspx?|mdx?|rst|adoc)([?#].*)?$",
    re.IGNORECASE,
)


def is_address(text: str) -> bool:
    """Whether a text looks like an address."""
    return ADDRESS.match(text.strip()) is not None
