"""The page for the client in a real browser: driven by mouse and keyboard, held against axe-core.

Where no Chromium or no axe-core is installed the tests are skipped, unless
YPSIFORM_BROWSER=required, as in the run that decides whether a change lands.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Locator, Page, sync_playwright

from tests.conftest import link, quillmoor
from ypsiform.browser import installed
from ypsiform.demo import DATA
from ypsiform.look import both
from ypsiform.migrate import convert
from ypsiform.reading import all_findings, read
from ypsiform.report import html

AXE = Path(__file__).parent.parent / "node_modules/axe-core/axe.min.js"
REQUIRED = os.environ.get("YPSIFORM_BROWSER") == "required"

pytestmark = pytest.mark.skipif(
    not REQUIRED and (installed() is None or not AXE.exists()),
    reason="no Chromium, or no axe-core in node_modules",
)

BAD = (
    "</script><script>document.title='ran'</script>",
    "<img src=https://elsewhere.example/x onerror=\"document.title='ran'\">",
    "</style><style>*{display:none}</style>",
    "left \u202eright\u202c \u2066apart\u2069 \u200bzero",
    "wide" * 200,
    "{{ 7 * 7 }} {% raw %}",
    "<details open ontoggle=\"document.title='ran'\">",
    "\u0645\u0631\u062d\u0628\u0627 \u0628\u0627\u0644\u0639\u0627\u0644\u0645",
)
"""Labels that would do something if they were more than texts."""


def hostile() -> bytes:
    """An export whose labels, titles and addresses want to be more than texts."""
    links = [
        link(
            str(number + 1),
            seq=str(number),
            says=said.replace("&", "&amp;").replace("<", "&lt;"),
            address=f"https://elsewhere.example/{number}?<script>".replace("<", "&lt;"),
        )
        for number, said in enumerate(BAD)
    ]
    return quillmoor(*links, link("90", seq="90", says="run", address="javascript:alert(1)"))


PAGES = {
    "demo": ("old.xml", "stallmere/plain", "new.json"),
    "panels": ("season.json", "stallmere/broad", None),
    "tabs": ("season.json", "stallmere/terrace", None),
    "members": ("old.xml", "quillmoor/slipway", None),
}


@lru_cache
def made(name: str) -> bytes:
    """A page: of a conversion of the demo, of an export alone, or of a hostile one."""
    if name == "survey":
        surveyed, _ = read((DATA / "old.xml").read_bytes(), "old.xml")
        surveyed.findings = all_findings(surveyed)
        return html.surveyed(surveyed, {"source": "0" * 64})
    if name == "hostile":
        done = convert(hostile(), "bad.xml", "stallmere/plain")
    else:
        file, to, into = PAGES["demo" if name == "merged" else name]
        there = ((DATA / into).read_bytes(), into) if into is not None else None
        done = convert((DATA / file).read_bytes(), file, to, into=there)
    with pytest.MonkeyPatch.context() as patch:
        if name == "merged":
            patch.setattr(both, "MANY", 10)  # as of a great many items: one tree for both sides
        return html.written(done, "out.json", {"source": "0" * 64, "output": "1" * 64}, None)


class Opened:
    """A page in the browser, with all that it asked for and complained about."""

    def __init__(self, page: Page, file: Path) -> None:
        self.page = page
        self.asked: list[str] = []
        self.wrong: list[str] = []
        page.on("request", lambda request: self.asked.append(request.url))
        page.on("pageerror", lambda error: self.wrong.append(str(error)))
        page.on("dialog", lambda dialog: self.wrong.append(dialog.message))
        page.on(
            "console",
            lambda said: self.wrong.append(said.text) if said.type == "error" else None,
        )
        page.goto(file.as_uri())


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    with sync_playwright() as driver:
        program = driver.chromium.launch(executable_path=installed())
        yield program
        program.close()


@pytest.fixture
def opened(browser: Browser, tmp_path: Path) -> Iterator[Any]:
    """A function that opens a page by its name, with the settings of a browser's window."""
    contexts = []

    def call(name: str, **settings: Any) -> Opened:
        settings.setdefault("viewport", {"width": 1280, "height": 800})
        context = browser.new_context(**settings)
        context.set_default_timeout(10_000)
        contexts.append(context)
        file = tmp_path / f"{name}.html"
        file.write_bytes(made(name))
        return Opened(context.new_page(), file)

    yield call
    for context in contexts:
        context.close()


def width(thing: Locator) -> float:
    """How wide something is that can be seen, in pixels."""
    box = thing.bounding_box()
    assert box is not None
    return box["width"]


def after(there: Opened) -> Any:
    """The frames of what visitors will see."""
    return there.page.locator(".frame[aria-label$=', after']")


def test_a_panel_opens_by_mouse_and_by_keyboard(opened: Any) -> None:
    there = opened("panels")
    panel = after(there).locator("details").first
    inside, summary = panel.locator("> .inside"), panel.locator("> summary")
    assert not inside.is_visible()
    summary.click()
    assert inside.is_visible() and inside.locator(".columns > li").count() > 1
    summary.click()
    assert not inside.is_visible()
    summary.focus()
    for key in ("Enter", "Space"):
        there.page.keyboard.press(key)
        assert inside.is_visible() is (key == "Enter")


def test_everything_is_reached_by_the_tab_key(opened: Any) -> None:
    there = opened("demo")
    met = set()
    for _ in range(60):
        there.page.keyboard.press("Tab")
        met.add(there.page.evaluate("document.activeElement.id || document.activeElement.tagName"))
    assert {"device-desktop", "who-0", "language-0", "SUMMARY", "BUTTON", "A"} <= met


def test_devices_and_visitors_and_languages_are_switched(opened: Any) -> None:
    there = opened("members", viewport={"width": 1900, "height": 800})
    page = there.page
    frames = page.locator(".frame")
    assert width(frames.first) > 820
    page.get_by_label("tablet", exact=True).check()
    assert 390 < width(frames.first) <= 820
    page.get_by_label("handset", exact=True).check()
    handset = page.locator("h3", has_text="only on handset")
    assert handset.first.is_visible()
    assert width(frames.locator("visible=true").first) <= 390
    page.get_by_label("desktop", exact=True).check()
    assert not handset.first.is_visible()
    for members in page.locator("h3", has_text="for members").all():
        assert not members.is_visible()
    page.get_by_label("members", exact=True).check()
    assert page.locator("h3", has_text="for members").first.is_visible()
    page.get_by_label("a guest", exact=True).check()
    before = page.locator(".frame[aria-label$=', before']").first
    first = before.locator(".bar > li").first
    assert "Sailings" in first.inner_text() and "Avganger" not in first.inner_text()
    page.get_by_label("nb", exact=True).check()
    assert "Avganger" in first.inner_text() and "Sailings" not in first.inner_text()


def test_a_number_leads_to_its_finding_and_back(opened: Any) -> None:
    there = opened("demo")
    page = there.page
    number = page.locator(".frame .number:visible").first
    name = number.get_attribute("href")
    assert name is not None
    finding = page.locator(name)
    assert not finding.is_visible()  # it is folded away, and opens when a number leads to it
    number.click()
    assert finding.is_visible()
    finding.locator(".back").first.click()
    there_again = page.locator(page.evaluate("location.hash"))
    assert there_again.is_visible() and there_again.locator("visible=true").count()


def test_links_and_findings_are_filtered_and_folded(opened: Any) -> None:
    there = opened("demo")
    page = there.page
    rows = page.locator("#links-table tbody tr")
    whole = rows.count()
    page.get_by_label("Show only").first.fill("FARES")
    some = rows.locator("visible=true").count()
    assert 0 < some < whole
    page.get_by_label("Show only").first.fill("")
    assert rows.locator("visible=true").count() == whole
    groups = page.locator("#account-list > details")
    page.get_by_label("Show only").last.fill("restriction")
    assert 0 < groups.locator("visible=true").count() < groups.count()
    page.get_by_label("Show only").last.fill("")
    first = groups.first
    first.locator("summary").click()
    assert first.locator(".finding").first.is_visible()
    first.locator("summary").click()
    assert not first.locator(".finding").first.is_visible()
    page.get_by_role("button", name="Open all").click()
    inside = page.locator(".frame details > .inside")
    assert inside.locator("visible=true").count() > 0
    page.get_by_role("button", name="Close all").click()
    assert page.locator(".frame details[open]").count() == 0


def test_of_many_items_a_number_leads_into_what_is_folded_and_back(opened: Any) -> None:
    page = opened("merged").page
    page.locator(".frame summary").first.click()
    number = page.locator(".frame li a:visible").first
    finding = page.locator(number.get_attribute("href"))
    number.click()
    assert finding.is_visible()
    page.get_by_role("button", name="Close all").click()
    finding.locator(".back").first.click()
    assert page.locator(page.evaluate("location.hash")).is_visible()


def test_print_shows_what_is_folded(opened: Any) -> None:
    there = opened("demo")
    there.page.emulate_media(media="print")
    folded = there.page.locator("#account-list .finding")
    assert folded.count() > 20
    assert all(folded.nth(at).is_visible() for at in range(0, folded.count(), 5))
    assert not there.page.locator(".switches").first.is_visible()
    paper = there.page.pdf(format="A4")
    assert paper.startswith(b"%PDF") and 4 < paper.count(b"/Type /Page\n") < 60


def test_without_script_everything_can_be_read(opened: Any) -> None:
    there = opened("panels", java_script_enabled=False)
    page = there.page
    assert not page.locator(".needs-script").first.is_visible()
    details = page.locator("details")
    for at in range(details.count()):
        one = details.nth(at)
        one.locator("> summary").click()
    for finding in page.locator("#account-list .finding").all():
        assert finding.is_visible()
    page.get_by_label("handset", exact=True).check()
    assert width(page.locator(".frame").first) <= 390


STATES = ("as it opens", "all open", "handset")


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("name", [*PAGES, "survey", "merged", "hostile"])
def test_nobody_is_shut_out(opened: Any, name: str, scheme: str) -> None:
    """Axe-core finds nothing in any state, in light and dark, on wide screens and narrow ones."""
    for wide in (1280, 390):
        there = opened(name, color_scheme=scheme, viewport={"width": wide, "height": 800})
        there.page.evaluate(AXE.read_text("utf-8"))
        for state in STATES:
            if state == "all open":
                there.page.evaluate("document.querySelectorAll('details').forEach(d => d.open = 1)")
            if state == "handset":
                there.page.get_by_label("handset", exact=True).check()
            found = there.page.evaluate("axe.run()")
            assert len(found["passes"]) > 15
            wrong = [(one["id"], one["nodes"][0]["html"]) for one in found["violations"]]
            assert not wrong, (wide, state, wrong)


def test_a_hostile_site_runs_nothing_and_asks_for_nothing(opened: Any) -> None:
    for wide in (1280, 390):
        there = opened("hostile", viewport={"width": wide, "height": 800})
        page = there.page
        title = page.title()
        page.evaluate("document.querySelectorAll('details').forEach(d => d.open = true)")
        page.wait_for_timeout(200)
        assert "ran" != page.title() == title
        assert there.asked == [page.url] and not there.wrong
        assert page.evaluate("document.documentElement.scrollWidth") <= wide
        for said in BAD:
            assert page.get_by_text(said.split("\u202e")[0].strip()[:40]).count(), said
        assert not page.locator("script").nth(1).count()
        assert not {*page.content()} & {*"\u202a\u202b\u202d\u202e\u2066\u2067\u2069"}


@pytest.mark.parametrize("name", [*PAGES, "survey", "merged"])
@pytest.mark.parametrize("wide", [1280, 820, 390])
def test_no_page_is_wider_than_its_screen(opened: Any, name: str, wide: int) -> None:
    there = opened(name, viewport={"width": wide, "height": 800})
    there.page.evaluate("document.querySelectorAll('details').forEach(d => d.open = true)")
    assert there.page.evaluate("document.documentElement.scrollWidth") <= wide
    assert there.asked == [there.page.url] and not there.wrong
