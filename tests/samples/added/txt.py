"""The losses of a conversion as lines of text."""

from __future__ import annotations

from collections.abc import Mapping

from ..migrate import Migration


def written(
    migration: Migration, output: str, hashes: Mapping[str, str | None], record: str | None
) -> bytes:
    """One line for each loss, the most severe first."""
    losses = [finding for finding in migration.findings if finding.outcome is not None]
    return "".join(f"{loss.severity}: {loss.why}\n" for loss in losses).encode()
