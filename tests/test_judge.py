"""What visitors see at both ends against the report: conversions are judged, and the judge too."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, reject, settings
from hypothesis import strategies as st

from tests import apart
from tests.conftest import link, quillmoor
from tests.judge import End, Judgement, judge
from tests.test_pairs import PLACES
from ypsiform.demo import DATA
from ypsiform.errors import AuditError, YpsiformError
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.profiles.load import parsed
from ypsiform.profiles.schema import Profile
from ypsiform.proof import Migration
from ypsiform.report.json import of_migration
from ypsiform.standins.sites import SITES

SIMULATED = [place for place in PLACES if place.split("/")[0] in SITES]
DEMO = {"old.xml": "quillmoor/breakwater", "season.json": "fanlight", "new.json": "stallmere/plain"}
EVERY = os.environ.get("YPSIFORM_PAIRS") == "all"
PROFILES = Path(__file__).parents[1] / "src/ypsiform/profiles/platforms"


def judged(
    data: bytes,
    place: str,
    to: str,
    done: Migration,
    report: dict[str, Any] | None = None,
    stood: bytes | None = None,
) -> Judgement:
    """The judgement of a conversion from one place to another."""
    source = End.of(place, data, declared=True)
    # At its own place, and where somebody follows the report, places of its own are declared.
    own = f"{done.source.site.platform}/{done.source.site.theme}"
    declared = to in (place, own) or any(f.code == "place.declare" for f in done.findings)
    destination = End.of(to, done.data, declared=declared)
    there = End.of(to, stood, declared=declared) if stood is not None else None
    return judge(source, destination, report or of_migration(done, "out", {}), there)


def told(data: bytes, name: str, place: str, to: str, **more: Any) -> Judgement:
    """The judgement of a conversion that is made."""
    done = convert(data, name, to, from_=place, **more)
    made = judged(data, place, to, done, stood=more["into"][0] if "into" in more else None)
    assert made.wrong == [], (name, to, more, made.wrong[:4])
    return made


@pytest.mark.parametrize("to", SIMULATED)
def test_what_visitors_see_of_the_demo_is_what_the_report_says(to: str) -> None:
    compared = differences = 0
    for name, place in DEMO.items():
        made = told((DATA / name).read_bytes(), name, place, to)
        compared, differences = compared + made.compared, differences + made.differences
    assert compared > 800 and differences > 50


@pytest.mark.parametrize("depth", ["columns", "menu", "gather", "drop", "auto"])
def test_ways_of_depth_are_what_the_report_says(depth: str) -> None:
    places = SIMULATED if EVERY else ["stallmere/plain", "quillmoor/slipway", "tilewick/gable"]
    for to in places:
        told(
            (DATA / "old.xml").read_bytes(),
            "old.xml",
            "quillmoor/breakwater",
            to,
            options=Options(depth=depth),
        )


@pytest.mark.parametrize("to", SIMULATED)
def test_menus_into_a_destination_are_what_the_report_says(to: str) -> None:
    """Into the new site as it came to each place, and into the other old one.

    At Stallmere items stay for the sake of the panels that open from them, and a page does not
    tell those from new ones of the same label: what stands there has labels of its own.
    """
    for base in DEMO if EVERY else ["new.json"]:
        there = convert((DATA / base).read_bytes(), base, to).data
        if to.startswith("stallmere"):
            there = apart.with_other_labels(there)
        for name in {"old.xml", "season.json"} - {base}:
            told((DATA / name).read_bytes(), name, DEMO[name], to, into=(there, base))


@pytest.mark.parametrize("languages", ["menus", "labels"])
@pytest.mark.parametrize("clash", ["first", "merge"])
def test_languages_and_clashes_are_what_the_report_says(languages: str, clash: str) -> None:
    judged_ = 0
    for name in ("old.xml", "season.json"):
        for to in SIMULATED if EVERY else ["quillmoor/breakwater", "fanlight", "stallmere/broad"]:
            options = Options(languages=languages, clash=clash)
            try:
                told((DATA / name).read_bytes(), name, DEMO[name], to, options=options)
            except YpsiformError as error:
                assert "menus" in str(error) or "languages" in str(error)
                continue
            judged_ += 1
    assert judged_ > 1


@pytest.mark.parametrize("place", SIMULATED if EVERY else SIMULATED[::4])
def test_pairs_of_places_are_what_the_report_says(place: str) -> None:
    for name in ("old.xml", "season.json"):
        data = convert((DATA / name).read_bytes(), name, place).data
        for to in SIMULATED if EVERY else SIMULATED[::2]:
            told(data, name, place, to)


DEPTHS = ["lift", "drop", "columns", "menu", "gather", "auto"]
EXAMPLES = 150 if EVERY else 10
"""Generated sites of each kind that are judged."""


@pytest.mark.parametrize("name", apart.SITES)
@settings(max_examples=EXAMPLES)
@given(data=st.data())
def test_generated_sites_are_what_the_report_says(name: str, data: st.DataObject) -> None:
    """Of every platform, to any place, with every way of depth, of clashes and of languages."""
    site, to = data.draw(apart.sites(name)), data.draw(st.sampled_from(SIMULATED))
    options = Options(
        depth=data.draw(st.sampled_from(DEPTHS)),
        clash=data.draw(st.sampled_from(["first", "merge"])),
        languages=data.draw(st.sampled_from(["keep", "menus", "labels"])),
        unmatched=data.draw(st.sampled_from(["none", "address"])),
    )
    try:
        told(site, "site", apart.SITES[name][0], to, options=options)
    except AuditError:
        raise
    except YpsiformError:
        if options.languages != "keep" or "fanlight" in to:
            reject()  # it holds no menus but one, or no labels in further languages
        raise


# The judge is judged: errors that a reader and a writer share, as the audit cannot see them.

SHUFFLED = b"""<quillmoor version="4" root="https://old.skerryline.example/" speaks="en"
 dress="breakwater"><leaves/><menu code="m" shown-at="upper"><name>M</name>
<item no="3" after="2"><says>Third</says><leads address="/c"/></item>
<item no="1"><says>First</says><leads address="/a"/></item>
<item no="2" after="1"><says>Second</says><leads address="/b"/></item></menu></quillmoor>"""
HANDSET = b"""{"fanlight": 4, "takes": "top", "host": "https://x.example", "items": [
{"uid": "a", "label": {"en": "Far"}, "href": "/far", "hide_on": ["handset"]},
{"uid": "b", "label": {"en": "Off"}, "href": "/off", "off": true},
{"uid": "c", "label": {"en": "Wide"}, "href": "/w", "reveal": {"as": "grid", "on": "press",
 "cells": [{"width": 6, "type": "list", "head": {"label": {"en": "North"}, "href": "/n"},
  "items": [{"uid": "d", "label": {"en": "Haldrun"}, "href": "/h"}]},
  {"width": 6, "type": "list", "head": {"label": {"en": "South"}, "href": "/s"},
  "items": [{"uid": "e", "label": {"en": "Oddny"}, "href": "/o"}]}]}}]}"""
FIXED = b"""<quillmoor version="4" root="https://old.skerryline.example/" speaks="en"
 dress="breakwater"><leaves/><menu code="m" shown-at="upper"><name>M</name>
<item no="1"><says>Start</says><leads fixed="home"/></item>
<item no="2" after="1"><says>Find</says><leads fixed="search"/></item></menu></quillmoor>"""
SAMPLES = {
    "old.xml": (DATA / "old.xml").read_bytes(),
    "season.json": (DATA / "season.json").read_bytes(),
    "shuffled": SHUFFLED,
    "handset": HANDSET,
    "fixed": FIXED,
}
AUDIENCE = 'audience = { at = "@for", standard = ["everyone"], through = [{ audience = " " }] }\n'
PLANTED: list[tuple[str, str, str, str, str, str, str]] = [
    # what, sample, from, to, the profile that is wrong, what it says, what it says wrongly
    ("audience ignored", "old.xml", "quillmoor/breakwater", "stallmere/broad", "quillmoor",
     AUDIENCE + "hidden", "hidden"),
    ("switched off ignored", "old.xml", "quillmoor/breakwater", "tilewick/lintel", "quillmoor",
     'hidden = { at = "off"', 'hidden = { at = "nowhere"'),
    ("order of the file", "shuffled", "quillmoor/breakwater", "tilewick/gable", "quillmoor",
     'follows = "@after"\n', ""),
    ("one level more than is shown", "old.xml", "quillmoor/breakwater", "rowanbase/bare",
     "quillmoor", 'caption = "Upper row", shows = 3', 'caption = "Upper row", shows = 4'),
    ("hover for press", "old.xml", "quillmoor/breakwater", "fanlight", "quillmoor",
     'opens-standard = "hover"', 'opens-standard = "press"'),
    ("headings hidden", "old.xml", "quillmoor/breakwater", "fanlight", "quillmoor",
     "of = 0\n", 'of = 0\nlabels = "hidden"\n'),
    ("panels not seen", "old.xml", "quillmoor/breakwater", "fanlight", "quillmoor",
     'word = "pane"', 'word = "pain"'),
    ("places swapped at the source", "old.xml", "quillmoor/breakwater", "tilewick/gable",
     "quillmoor", '{ name = "upper", caption = "Upper row", shows = 3, panels = true, row',
     '{ name = "upper", purpose = "footer", shows = 3, panels = true, row'),
    ("home for search", "fixed", "quillmoor/breakwater", "stallmere/broad", "quillmoor",
     'when = { "leads/@fixed" = "search" }\nkind = "search"',
     'when = { "leads/@fixed" = "search" }\nkind = "home"\nonly = "reading"'),
    ("descriptions as labels", "old.xml", "quillmoor/breakwater", "tilewick/gable", "quillmoor",
     'label = { at = "text", inherits = true }\ndescription = "about/#text"',
     'label = { at = "about/#text", inherits = true }\ndescription = "text"'),
    ("places swapped at the destination", "old.xml", "quillmoor/breakwater", "stallmere/broad",
     "stallmere", '{ name = "footer", caption = "Footer", shows = 2, key = "foot" },\n]\n'
     "[themes.broad.panels]",
     '{ name = "under", purpose = "footer", shows = 2 },\n]\n[themes.broad.panels]'),
    ("devices swapped", "handset", "fanlight", "tilewick/gable", "tilewick",
     'flags = { desktop = "desktop", handset = "handset" }',
     'flags = { desktop = "handset", handset = "desktop" }'),
    ("words for opening swapped", "handset", "fanlight", "tilewick/gable", "tilewick",
     '{ hover = "hover", press = "press" }', '{ hover = "press", press = "hover" }'),
    ("labels by another key", "old.xml", "quillmoor/breakwater", "stallmere/broad", "stallmere",
     'label = { at = "text"', 'label = { at = "words"'),
    ("hidden devices read as shown", "handset", "fanlight", "quillmoor/breakwater", "fanlight",
     'through = [{ list = true }, { but = ["desktop", "handset"] }] }',
     "through = [{ list = true }] }"),
    ("search and account swapped", "fixed", "quillmoor/breakwater", "stallmere/broad",
     "stallmere", 'when = { "link/fixed" = "search" }', 'when = { "link/fixed" = "account" }'),
    ("headings written where nobody looks", "old.xml", "quillmoor/breakwater",
     "quillmoor/slipway", "quillmoor", 'label = "@heading"', 'label = "@title"'),
    ("lineages with another mark", "old.xml", "quillmoor/breakwater", "rowanbase/bare",
     "rowanbase", 'between = "/"\norder', 'between = "."\norder'),
    ("pages listed by another key", "season.json", "fanlight", "arborcote/ridge", "arborcote",
     'listed = "listed"', 'listed = "shown"'),
    ("one level more at the destination", "old.xml", "quillmoor/breakwater", "stallmere/plain",
     "stallmere", '"Header", shows = 2, key = "main", row = { width = 1080',
     '"Header", shows = 3, key = "main", row = { width = 1080'),
    ("labels longer than are stored", "old.xml", "quillmoor/breakwater", "stallmere/broad",
     "stallmere", "label = 40", "label = 400"),
    ("columns written beyond those that are shown", "handset", "fanlight", "tilewick/gable",
     "tilewick", 'count = "columns"', 'count = "wide"'),
    ("a board's columns by another key", "handset", "fanlight", "arborcote/ridge",
     "arborcote", 'columns = "columns"', 'columns = "wide"'),
    ("trays under another text", "season.json", "fanlight", "stallmere/broad", "stallmere",
     'text = "under/text"', 'text = "under/words"'),
]  # fmt: skip


def wrong(platform: str, right: str, planted: str) -> Profile:
    """The profile of a platform with an error."""
    text = (PROFILES / f"{platform}.toml").read_text("utf-8")
    assert text.count(right) >= 1, right
    return parsed(text.replace(right, planted), f"{platform}.toml")


@pytest.mark.parametrize("planted", PLANTED, ids=lambda planted: planted[0])
def test_an_error_that_reader_and_writer_share_is_seen(
    planted: tuple[str, str, str, str, str, str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    _, sample, place, to, platform, right, said = planted
    data = SAMPLES[sample]
    made = told(data, sample, place, to)  # without the error all is as it is said
    profile = wrong(platform, right, said)
    reading = place.split("/")[0] == platform
    writing = to.split("/")[0] == platform
    monkeypatch.setattr("ypsiform.migrate.find", _found(profile))
    done = convert(
        data,
        sample,
        to,
        from_=profile if reading else place,
    )
    assert done.audited.problems == [] and (reading or writing)
    assert judged(data, place, to, done).wrong != []
    assert made.compared


def _found(profile: Profile) -> Any:
    """`find`, which gives the profile with the error for its platform."""
    from ypsiform.profiles.load import find

    def found(words: str) -> tuple[Profile, str | None]:
        name, _, theme = words.partition("/")
        return (profile, theme or None) if name == profile.id else find(words)

    return found


def test_a_finding_that_did_not_happen_is_seen() -> None:
    data = SAMPLES["old.xml"]
    done = convert(data, "old.xml", "stallmere/broad", from_="quillmoor/breakwater")
    report = of_migration(done, "out", {})
    one = next(f for f in report["findings"] if f["code"] == "label.cut")
    claim = {**one, "path": ["Fares"], "before": "Fares", "after": "Far"}
    report["findings"].append(claim)
    found = judged(data, "quillmoor/breakwater", "stallmere/broad", done, report)
    assert [said.partition(":")[0] for said in found.wrong] == ["label.cut of “Fares”"]


@pytest.mark.parametrize("code", ["label.cut", "label.language", "panel.divider", "kind.not-held"])
def test_a_finding_that_is_missing_is_seen(code: str) -> None:
    data = SAMPLES["old.xml"]
    done = convert(data, "old.xml", "stallmere/broad", from_="quillmoor/breakwater")
    report = of_migration(done, "out", {})
    had = len(report["findings"])
    report["findings"] = [f for f in report["findings"] if f["code"] != code]
    if len(report["findings"]) < had:
        assert judged(data, "quillmoor/breakwater", "stallmere/broad", done, report).unnamed


def test_every_code_that_is_judged_is_one() -> None:
    from tests.judge import ASPECTS, UNREAD
    from ypsiform.findings import CODES

    assert ASPECTS.keys() == {code for code, words in CODES.items() if words.seen}
    assert UNREAD.keys() <= CODES.keys()


def test_what_is_refused_is_judged_nowhere() -> None:
    with pytest.raises(YpsiformError):
        convert(b"<quillmoor", "x", "fanlight")


BOTH = quillmoor(
    link("1", says="Isles", page="12"),
    link("2", under="1", heading="North"),
    link("3", under="2", says="Haldrun", address="/haldrun/"),
    link("4", seq="2", says="News", address="/news/"),
    nodes='<page no="12" at="/islands/"><name>Islands</name></page>',
    places="upper=m1 foot=m1",
    dress="slipway",
)
"""A menu with a panel at two places that both show it."""


@pytest.mark.parametrize("to", SIMULATED)
def test_a_panel_that_opens_at_one_of_two_places_is_missed_at_the_other(to: str) -> None:
    done = convert(BOTH, "old.xml", to, from_="quillmoor/slipway")
    told(BOTH, "old.xml", "quillmoor/slipway", to)
    fewer = [f.labels for f in done.findings if f.code == "place.fewer-levels"]
    if to in ("stallmere/broad", "quillmoor/breakwater"):
        assert fewer == [("North", "Haldrun")]


NAMELESS = quillmoor(
    link("901", address="/islands/"),
    link("902", seq="2", page="12"),
    nodes='<page no="12" at="/islands/"><name>Islands</name></page>',
)
"""One item leads to a page by its address, and one by its number: neither says a label."""


@pytest.mark.parametrize("to", SIMULATED)
def test_an_item_that_leads_to_a_page_by_its_address_has_no_label_of_it(to: str) -> None:
    done = convert(NAMELESS, "old.xml", to, from_="quillmoor/breakwater")
    assert [f.code for f in done.findings].count("read.blank") == 1
    told(NAMELESS, "old.xml", "quillmoor/breakwater", to)
