"""Simulated services: what they take, keep and show; and their pages as pages to be read."""

from __future__ import annotations

import ast
import json
import os
import re
import signal
import subprocess
import sys
import threading
import urllib.request
from pathlib import Path

import pytest

import ypsiform.standins as standins
from tests.seen import seen
from tests.test_pairs import PLACES
from ypsiform.demo import DATA
from ypsiform.migrate import convert
from ypsiform.model import Item, rows_of
from ypsiform.reading import read
from ypsiform.standins.service import Standin, application
from ypsiform.standins.sites import SITES
from ypsiform.standins.sites.page import page
from ypsiform.standins.sites.shown import Refused, Visitor, balanced

SIMULATED = [place for place in PLACES if place.split("/")[0] in SITES]
OLD = (DATA / "old.xml").read_bytes()
TOKEN = {"Authorization": "Bearer t"}


def test_stand_ins_import_nothing_else_of_ours() -> None:
    folder = Path(standins.__file__).parent
    for path in sorted(folder.rglob("*.py")):
        depth = len(path.relative_to(folder).parts)
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom):
                assert node.level <= depth and not (node.module or "").startswith("ypsiform"), path
            if isinstance(node, ast.Import):
                assert not any(name.name.startswith("ypsiform") for name in node.names), path


@pytest.mark.parametrize("place", SIMULATED)
def test_a_survey_finds_the_menus_that_stand_in_a_page(place: str) -> None:
    """Of each page every word and address is read, and nothing that does not stand there."""
    platform, _, theme = place.partition("/")
    for name in ("old.xml", "season.json"):
        data = SITES[platform].kept(convert((DATA / name).read_bytes(), name, place).data)
        for device in ("desktop", "handset"):
            visitor = Visitor(device=device)
            html = page("A page", SITES[platform].places(data, visitor, theme), visitor)
            there = [
                (entry.place, entry.label, entry.address)
                for entry in seen(html)
                if entry.role in ("link", "heading", "tab") or (entry.role == "picture")
            ]
            site = read(html.encode(), "page.html", "html")[0].site
            found = [
                (menu.key, item.label, item.target.address or "")
                for menu in site.menus
                for item in rows_of([menu]).things
                if isinstance(item, Item) and item.role != "divider"
            ]
            home = [(key, label, at or "/") for key, label, at in found]
            linked = [one for one in there if one[2] or one in found]
            assert sorted(found) == sorted(linked) or sorted(home) == sorted(linked), (place, name)


def test_what_is_imported_is_exported_and_seen() -> None:
    client = application(Standin("quillmoor"), "t").test_client()
    assert client.get("/export").status_code == 401
    assert client.post("/import", data=OLD).status_code == 401
    assert client.post("/import", data=OLD, headers=TOKEN).status_code == 200
    got = client.get("/export", headers=TOKEN)
    assert got.mimetype == "application/xml" and b"Timetables" in got.data
    guest, member = client.get("/").text, client.get("/?as=agents&device=handset").text
    assert "For travel agents" not in guest and "For travel agents" in member
    assert "Rutetider" not in guest and "Avganger" in client.get("/?language=nb").text
    assert "default-src 'none'" in client.get("/").headers["Content-Security-Policy"]
    assert client.get("/?device=fridge").status_code == 400
    assert 'class="opens on-hover open"' in client.get("/?open=2").text


@pytest.mark.parametrize("platform", sorted(SITES))
@pytest.mark.parametrize(
    "body", [b"", b"\xff\xfe", b"{", b"[" * 100_000, b"<a>" * 10_000, b"x,y\n1,2\n"]
)
def test_a_broken_import_changes_nothing(platform: str, body: bytes) -> None:
    standin = Standin(platform)
    before = standin.data
    answer = application(standin, "t").test_client().post("/import", data=body, headers=TOKEN)
    assert answer.status_code == 400 and "nothing was changed" in answer.text
    assert standin.data == before and not list(seen(standin.page(Visitor())))


def test_two_imports_at_once_and_a_site_that_changed() -> None:
    standin = Standin("quillmoor")
    client = application(standin, "t").test_client()
    mark = client.get("/export", headers=TOKEN).headers["ETag"]
    with standin.busy:
        assert client.post("/import", data=OLD, headers=TOKEN).status_code == 409
    match = {**TOKEN, "If-Match": mark}
    assert client.post("/import", data=OLD, headers=match).status_code == 200
    assert client.post("/import", data=OLD, headers=match).status_code == 412
    huge = application(standin, "t")
    huge.config["MAX_CONTENT_LENGTH"] = 1000
    assert huge.test_client().post("/import", data=OLD, headers=TOKEN).status_code == 413


def test_a_state_is_old_or_new(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kept = tmp_path / "site.xml"
    standin = Standin("quillmoor", "slipway", kept)
    assert not kept.exists() and b'dress="slipway"' in standin.data
    standin.take(OLD)
    assert Standin("quillmoor", state=kept).data == kept.read_bytes() == standin.data

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    answer = (
        application(standin, "t")
        .test_client()
        .post("/import", data=b'<quillmoor version="4"/>', headers=TOKEN)
    )
    assert answer.status_code == 507 and kept.read_bytes() == standin.data
    assert list(tmp_path.iterdir()) == [kept]
    kept.write_bytes(b"{}")
    with pytest.raises(Refused):
        Standin("quillmoor", state=kept)


def test_silent_drops_of_importers() -> None:
    entries = [
        {"text": "x" * 41, "link": None},
        {"text": "Gone", "link": {"what": "page", "key": "no"}},
        {"text": "Stays", "link": None},
    ]
    shop = json.loads(SITES["stallmere"].blank("plain"))
    shop["trees"] = [{"key": "t", "title": "", "entries": entries}]
    shop["frame"]["header"] = "t"
    long = json.dumps(shop).encode()
    labels = [entry.label for entry in seen(page_of("stallmere", long))]
    assert labels == ["Stays"]


def page_of(platform: str, data: bytes) -> str:
    """The page of a site that imported a file."""
    standin = Standin(platform)
    standin.take(data)
    return standin.page(Visitor())


def test_columns_are_filled_in_order_and_as_low_as_can_be() -> None:
    assert balanced([3, 3, 1, 1, 1], 4) == [1, 1, 3]
    assert balanced([1, 1, 1, 1], 2) == [2, 2]
    assert balanced([5, 1, 1], 2) == [1, 2]
    assert balanced([], 3) == []


def test_the_command_serves_and_stops(tmp_path: Path) -> None:
    environment = {**os.environ, "YPSIFORM_STANDIN_TOKEN": "t"}
    program = [sys.executable, "-m", "ypsiform", "standin", "quillmoor/slipway", "--port", "0"]
    running = subprocess.Popen(
        program, stdout=subprocess.PIPE, text=True, env=environment, cwd=tmp_path
    )
    timer = threading.Timer(30, running.kill)
    timer.start()
    try:
        assert running.stdout is not None
        line = running.stdout.readline()
        address = re.search(r"http://127\.0\.0\.1:\d+/", line)
        assert address is not None, line
        with urllib.request.urlopen(address[0]) as answer:
            assert b"A Quillmoor site" in answer.read()
        running.send_signal(signal.SIGTERM)
        assert running.wait(10) == 0 and list(tmp_path.iterdir()) == []
    finally:
        timer.cancel()
        running.kill()
        running.wait()
