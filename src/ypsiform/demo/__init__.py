"""The demo: a made-up ferry company moves to a new site. Data, and one function to write it."""

from __future__ import annotations

from pathlib import Path

DATA = Path(__file__).parent / "data"


def names() -> list[str]:
    """The names of the demo's files."""
    return sorted(entry.name for entry in DATA.iterdir() if entry.is_file())


def contents(folder: Path) -> dict[str, bytes]:
    """The demo's files, by the path that each would have in a folder."""
    return {str(folder / name): (DATA / name).read_bytes() for name in names()}
