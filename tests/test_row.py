"""Bars that are too wide for their row, measured in a real font."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from PIL import ImageFont

from tests.conftest import Run
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.profiles.load import load
from ypsiform.proof import Migration

ROW = load("stallmere").themes["plain"].locations[0].row


def of(labels: list[str], to: str = "stallmere/plain", **options: Any) -> Migration:
    rows = "".join(f"header,1,{label},/{at}\n" for at, label in enumerate(labels))
    below = "header,2,A very long label that stands below and does not count,/x\n" * 3
    table = "menu,level,label,address\n" + rows + below
    return convert(table.encode(), "t.csv", to, options=Options(**options))


def wraps(done: Migration) -> list[Any]:
    return [found for found in done.fitted.notices if found.code == "label.wraps"]


def test_the_items_beyond_the_end_are_named() -> None:
    assert ROW is not None
    labels = [f"Timetables and fares {n}" for n in range(9)]
    (found,) = wraps(of(labels))
    font = ImageFont.load_default(ROW.size)
    ends = [
        sum(font.getlength(label) for label in labels[: at + 1]) + ROW.gap * at
        for at in range(len(labels))
    ]
    over = tuple(label for label, end in zip(labels, ends, strict=True) if end > ROW.width)
    assert found.labels == over and 1 <= len(over) < 9
    assert found.before == f"{ends[-1]:.0f} pixels" and found.after == f"{ROW.width:.0f}"
    assert found.outcome is None and "Shorten labels" in found.do


def test_a_bar_that_fits_is_not_named() -> None:
    assert wraps(of(["Timetables", "Fares", "Islands"])) == []
    # Narrow letters fit where as many wide ones do not.
    assert wraps(of(["il" * 9] * 8)) == [] and wraps(of(["WM" * 9] * 8)) != []
    # A footer, and a format without rows, have none.
    assert wraps(of(["WM" * 19] * 9, "csv")) == []


def test_another_font(run: Run, tmp_path: Path) -> None:
    font = ImageFont.load_default(10)
    assert isinstance(font, ImageFont.FreeTypeFont) and hasattr(font.path, "getvalue")
    data: bytes = font.path.getvalue()
    labels = [f"Timetables and fares {n}" for n in range(9)]
    (own,) = wraps(of(labels))
    (same,) = wraps(of(labels, font=(data, "a.ttf")))
    assert own.labels == same.labels
    rows = "".join(f"header,1,{label},/a\n" for label in labels)
    (tmp_path / "t.csv").write_text("menu,level,label,address\n" + rows, "utf-8")
    (tmp_path / "a.ttf").write_bytes(data)
    common = ("convert", "t.csv", "--to", "stallmere/plain", "-o", "o.json", "--force")
    done = run(*common, "--font", "a.ttf", "--json")
    assert "label.wraps" in {found["code"] for found in json.loads(done.stdout)["findings"]}
    (tmp_path / "a.ttf").write_bytes(b"no font")
    done = run(*common, "--font", "a.ttf")
    assert done.returncode == 1 and "a.ttf: this is no font that can be read" in done.stderr
    done = run(*common, "-v")
    assert "pixels wide at “Header”, and 1080 fit on one row" in " ".join(done.stdout.split())
