"""Where the program starts: it can be stopped while its modules are still being loaded."""

from __future__ import annotations

import gc
import sys


def main() -> None:
    """Run the command line.

    Rings of references are not collected: the work makes many values and few rings, and the
    process ends with it.
    """
    gc.disable()
    try:
        from .main import main as run

        run()
    except KeyboardInterrupt:
        sys.exit("Stopped.")
