"""Many small sites in one process: by us, by the script, or by the one that checks.

    python benchmarks/many.py ours csv 1000
    python benchmarks/many.py script csv 1000
    python benchmarks/many.py checked csv 1000

Says the seconds that it took. Ours converts, and makes the record and the JSON report; nothing is
written to the disk.
"""

from __future__ import annotations

import sys
import time

import checked
import sites
from scripts import SCRIPTS, menus

LINKS, MENUS, PAGES = 60, 3, 40
"""Of each site."""


def main() -> None:
    """Convert so many sites, each with words and links of its own."""
    who, to, count = sys.argv[1], sys.argv[2], int(sys.argv[3])
    made = [sites.quillmoor(LINKS, MENUS, seed, PAGES) for seed in range(count + 3)]
    if who == "ours":
        from ypsiform.migrate import convert, recorded
        from ypsiform.report import json

        def one(data: bytes) -> None:
            migration = convert(data, "old.xml", to)
            recorded(migration, {})
            json.written(migration, "out", {}, None)

    elif who == "checked":

        def one(data: bytes) -> None:
            checked.converted(data)

    else:

        def one(data: bytes) -> None:
            SCRIPTS[to](menus(data))

    for data in made[:3]:  # everything is loaded
        one(data)
    started = time.process_time()
    for data in made[3:]:
        one(data)
    print(time.process_time() - started)


if __name__ == "__main__":
    main()
