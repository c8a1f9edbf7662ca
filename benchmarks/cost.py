"""What one process costs: seconds by the clock, seconds of processor time, and MB at the peak.

A new process begins with the peak of the one that starts it. So each is started by a small one,
which imports nothing else and says what the other needed.
"""

from __future__ import annotations

import subprocess
import sys
from typing import NamedTuple

SMALL = """
import os, sys, time
begun = time.perf_counter()
child = os.fork()
if not child:
    nothing = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nothing, 1)
    os.dup2(nothing, 2)
    os.execv(sys.argv[1], sys.argv[1:])
_, status, usage = os.wait4(child, 0)
taken = time.perf_counter() - begun
print(status, taken, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024)
"""


class Cost(NamedTuple):
    """Seconds by the clock, seconds of processor time, MB of memory at the peak."""

    wall: float
    seconds: float
    memory: float


def cost(*command: str) -> Cost:
    """Run a command to its end, its output thrown away. Raises `SystemExit` where it fails."""
    small = [sys.executable, "-I", "-S", "-c", SMALL, *command]
    said = subprocess.run(small, check=True, capture_output=True, text=True).stdout.split()
    if said[0] != "0":
        raise SystemExit(f"failed: {' '.join(command)}")
    return Cost(*map(float, said[1:]))
