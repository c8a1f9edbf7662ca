"""Where the program starts: it can be stopped while its modules are still being loaded."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the command line."""
    try:
        from .main import main as run

        run()
    except KeyboardInterrupt:
        sys.exit("Stopped.")
