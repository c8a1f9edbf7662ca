"""Convert every export in a folder, and write a table of what each of them lost.

    python examples/convert_folder.py exports stallmere/plain out

Exports that cannot be converted are named with the reason, and the others go on.
"""

import csv
import sys
from pathlib import Path

import ypsiform


def main(exports: str, to: str, out: str) -> int:
    """Fill the folder `out`. Returns how many exports could not be converted."""
    folder = Path(out)
    folder.mkdir(exist_ok=True)
    failed = 0
    with (folder / "losses.csv").open("w", newline="", encoding="utf-8") as file:
        table = csv.writer(file)
        table.writerow(["export", "facts", "kept", "high", "medium", "low", "problem"])
        for export in sorted(path for path in Path(exports).iterdir() if path.is_file()):
            try:
                done = ypsiform.convert(export, to=to)
                done.write(folder / f"{export.stem}.import", force=True)
            except ypsiform.YpsiformError as error:
                table.writerow([export.name, "", "", "", "", "", error])
                failed += 1
                continue
            worst = [finding.severity for finding in done.losses]
            counts = [worst.count(severity) for severity in ("high", "medium", "low")]
            table.writerow([export.name, done.facts["total"], done.facts["kept"], *counts, ""])
    return failed


if __name__ == "__main__":
    sys.exit(1 if main(*sys.argv[1:]) else 0)
