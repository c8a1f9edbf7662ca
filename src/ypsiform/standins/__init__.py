"""Stand-ins for platforms that cannot run here: a checker for each, which names every broken rule.

Each is written from the description of the platform's format alone and shares nothing with the
converter.
"""

from __future__ import annotations

from . import arborcote, fanlight, quillmoor, rowanbase, stallmere, tilewick

CHECKERS = {
    "arborcote": arborcote.check,
    "fanlight": fanlight.check,
    "quillmoor": quillmoor.check,
    "rowanbase": rowanbase.check,
    "stallmere": stallmere.check,
    "tilewick": tilewick.check,
}
"""For each simulated platform a function from a file's bytes to the rules that it breaks."""
