"""The core on its own: rows, audiences, visibility, effort, labels, keys, files."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ypsiform.effort import Measure, efforts, mean
from ypsiform.errors import FileError
from ypsiform.files import check_output, write_all
from ypsiform.findings import by_severity, notice, told_once
from ypsiform.fit.keys import free, legal
from ypsiform.fit.labels import cut
from ypsiform.model import (
    NOWHERE,
    Column,
    Content,
    Item,
    Links,
    Location,
    Menu,
    Panel,
    Picture,
    Piece,
    Site,
    Traits,
    admits,
    rows_of,
)
from ypsiform.profiles.schema import KeyRule
from ypsiform.report.terminal import finding_lines
from ypsiform.resolve.links import Wanted, match
from ypsiform.text import safe
from ypsiform.visibility import audience_of, shown


def item(label: str, *children: Item, **more: object) -> Item:
    return Item(id=label, label=label, target=NOWHERE, children=list(children), **more)  # type: ignore[arg-type]


def menu(*items: Item, key: str = "m") -> Menu:
    return Menu(id=key, key=key, title=key, items=list(items))


# Rows


def test_rows_come_in_reading_order() -> None:
    rows = rows_of([menu(item("a", item("b"), item("c", item("d")))), menu(item("e"), key="n")])
    assert [getattr(thing, "label", "") for thing in rows.things] == ["a", "b", "c", "d", "e"]
    assert rows.parent == [-1, 0, 0, 2, -1]
    assert rows.depth == [1, 2, 2, 3, 1]
    assert rows.position == [0, 0, 1, 0, 0]
    assert (list(rows.of_menu(0)), list(rows.of_menu(1))) == ([0, 1, 2, 3], [4])


def test_what_stands_under_a_heading_is_below_it() -> None:
    picture = Piece(Picture("/p.jpg"))
    columns = [
        Column([Links(item("h"), [item("a"), item("b", item("c"))]), picture]),
        Column([Links(None, [item("d")])]),
    ]
    rows = rows_of([menu(item("top", panel=Panel(columns)))])
    names = [getattr(thing, "label", "[]") for thing in rows.things]
    assert names == ["top", "h", "a", "b", "c", "[]", "d"]
    assert rows.parent == [-1, 0, 1, 1, 3, 0, 0]
    assert rows.position == [0, 0, 0, 1, 0, 1, 2]


# Audiences and visibility

WHO = ["everyone", "guests", "members", "crew"]


def people(audience: tuple[str, ...]) -> set[str]:
    """The sorts of visitors an audience is made of, spelled out."""
    found: set[str] = set()
    for word in audience:
        found |= {
            "everyone": {"guest", "plain member", "crew"},
            "guests": {"guest"},
            "members": {"plain member", "crew"},
            "crew": {"crew"},
        }[word]
    return found


AUDIENCES = st.lists(st.sampled_from(WHO), min_size=1, unique=True).map(lambda a: tuple(sorted(a)))


@given(AUDIENCES, st.sampled_from(WHO))
def test_admits_means_that_all_of_them_belong(audience: tuple[str, ...], word: str) -> None:
    if word != "everyone":  # guests and members together are everyone in fact, but not by name
        assert admits(audience, (word,)) == (people((word,)) <= people(audience))


@st.composite
def sites(draw: st.DrawFn) -> Site:
    def some(level: int) -> list[Item]:
        return [
            item(
                "x",
                *(some(level + 1) if level < 4 and draw(st.booleans()) else []),
                hidden=draw(st.integers(0, 5)) == 0,
                traits=Traits(
                    audience=draw(st.sampled_from([("everyone",), ("members",), ("crew",)])),
                    devices=draw(st.sampled_from([("desktop", "handset"), ("handset",)])),
                ),
            )
            for _ in range(draw(st.integers(0, 3)))
        ]

    places = [
        Location(
            name,
            audience=draw(st.sampled_from([("everyone",), ("members",), ("guests",)])),
            devices=draw(st.sampled_from([("desktop", "handset"), ("desktop",), ("handset",)])),
            shows=draw(st.sampled_from([None, 1, 2, 3])),
            menus=draw(st.sampled_from([(), ("m",)])),
        )
        for name in ("one", "two", "three")
    ]
    return Site("p", None, menus=[menu(*some(1))], locations=places)


@given(sites())
def test_shown_is_who_can_see_it_on_what(site: Site) -> None:
    rows = rows_of(site.menus)
    for row, seen in enumerate(shown(site, rows, own_room=False)):
        way = []
        at = row
        while at >= 0:
            thing = rows.things[at]
            assert isinstance(thing, Item)
            way.append(thing)
            at = rows.parent[at]
        expected = {
            (person, device)
            for place in site.locations
            if "m" in place.menus and (place.shows is None or rows.depth[row] <= place.shows)
            for person in people(place.audience)
            for device in place.devices
            if all(
                not step.hidden
                and person in people(step.traits.audience)
                and device in step.traits.devices
                for step in way
            )
        }
        found = {(p, device) for who, devices in seen for p in people(who) for device in devices}
        assert found == expected


def test_a_menu_is_for_those_who_see_its_locations() -> None:
    member = Location("member", audience=("members",))
    assert audience_of(menu(), {"m": [member]}) == ("members",)
    assert audience_of(menu(), {"m": [member, Location("top")]}) == ("everyone",)
    assert audience_of(menu(), {}) == ("everyone",)


# Effort


def test_effort_counts_levels_and_siblings_read_before() -> None:
    divider = item("-", role="divider")
    tree = menu(item("a", item("b"), divider, item("c")), item("d", item("e")))
    rows = rows_of([tree])
    site = Site("p", None, menus=[tree])
    assert efforts(site, rows) == pytest.approx([1.0, 2.0, 2.1, 2.1, 1.1, 2.1])
    site.locations = [Location("side", purpose="side", menus=("m",))]
    assert efforts(site, rows)[0] == 2.0, "a location that is not looked at first is a step more"
    other = Measure(step=2.0, sibling=0.5, place=3.0)
    assert efforts(site, rows, other)[:3] == pytest.approx([5.0, 7.0, 7.5])
    assert mean([1.0, 2.0]) == 1.5
    assert mean([]) is None


# Labels and keys


@given(st.text(), st.integers(2, 60))
def test_cut_labels_fit(label: str, longest: int) -> None:
    made = cut(label, longest)
    assert len(made) <= longest
    assert made == label if len(label) <= longest else made.endswith("…")
    assert label.startswith(made.removesuffix("…"))


@pytest.mark.parametrize(
    ("label", "longest", "made"),
    [
        ("Summer timetable", 40, "Summer timetable"),
        ("Summer timetable", 16, "Summer timetable"),
        ("Summer timetable", 12, "Summer…"),
        ("Summer timetable", 7, "Summer…"),
        ("Rutetabellforandringer", 10, "Rutetabel…"),
        ("Fares & passes for islanders", 17, "Fares & passes…"),
        ("Islands, ports and piers", 10, "Islands…"),
    ],
)
def test_labels_are_cut_at_words(label: str, longest: int, made: str) -> None:
    assert cut(label, longest) == made


DOTTED = KeyRule(r"[a-z0-9]+(\.[a-z0-9]+)*", 26, ".")


@given(st.text(), st.sets(st.sampled_from(["menu", "a", "a.2", "a.3"])))
def test_keys_are_legal_and_free(key: str, taken: set[str]) -> None:
    made = free(legal(key, DOTTED), taken, DOTTED)
    assert re.fullmatch(DOTTED.pattern, made) and len(made) <= 26
    assert made not in taken


def test_keys_stay_readable() -> None:
    hyphens = KeyRule("[a-z0-9-]+", 60, "-")
    assert legal("Main Bar", hyphens) == "main-bar"
    assert legal("Hjelp på øyene!", hyphens) == "hjelp-pa-yene"
    assert legal("main-bar", hyphens) == "main-bar"
    assert legal("★", hyphens) == "menu"
    assert free("main", {"main", "main-2"}, hyphens) == "main-3"
    assert free("x" * 60, {"x" * 60}, hyphens) == "x" * 58 + "-2"


# Matching

HELD = {"page", "product-group"}


def keyed(ident: str, key: str, title: str = "", kind: str = "page") -> Content:
    return Content(ident, kind, title, key)


def page(ident: str, title: str = "", path: str | None = None, kind: str = "page") -> Content:
    return Content(ident, kind, title, path=path)


@pytest.mark.parametrize(
    ("source", "there", "by"),
    [
        (keyed("1", "fares"), keyed("9", "fares"), "key"),
        (keyed("1", "fares", kind="term"), keyed("9", "fares", kind="product-group"), "key"),
        (keyed("1", "overview", "Volunteering"), keyed("9", "overview", "Ticket prices"), None),
        (keyed("1", "archive", "Seed archive"), keyed("9", "archive", "Press archive"), None),
        (keyed("1", "archive", "Archive"), keyed("9", "archive", "Press archive"), "key"),
        (keyed("1", "rover", "Day Rover"), keyed("9", "rover", "Rover for a day"), "key"),
        (page("1", path="/a/fares/"), page("9", path="/fares"), None),
        (page("1", path="/fares/"), keyed("9", "fares"), None),
        (page("1", path="/fares/"), page("9", path="/fares"), "address"),
        (page("1", "Fares", "/a/"), page("9", " FARES ", "/b/"), "title"),
        (page("1", "Fares", "/a/"), page("9", "Prices", "/b/"), None),
        (page("1", "Fares", "/a/", "article"), page("9", "Fares", "/a/"), None),
        (page("1", "", None), page("9", "", None), None),
    ],
)
def test_matching(source: Content, there: Content, by: str | None) -> None:
    found = match(Wanted([source]), [source], [there], HELD)
    assert [step for _, _, step in found] == ([by] if by else [])


def test_titles_of_different_languages_do_not_speak_against_a_key() -> None:
    one, other = keyed("1", "rute", "Rutetider"), keyed("9", "rute", "Timetables")
    assert match(Wanted([one]), [one], [other], HELD) == []
    assert len(match(Wanted([one]), [one], [other], HELD, foreign=True)) == 1


def test_a_plain_address_matches_content_of_any_kind() -> None:
    there = [page("9", path="/buy/rye", kind="product"), page("8", path="/shelf/rye")]
    plain = page("/buy/rye", path="/buy/rye")
    wanted = Wanted([plain], {("page", "/buy/rye")})
    assert match(wanted, [], there, HELD) == [(("page", plain.id), ("product", "9"), "path")]
    there.append(page("7", path="/buy/rye"))
    assert match(wanted, [], there, HELD) == [], "two are none"


def test_labels_are_titles_only_with_the_last_part_of_the_address() -> None:
    plain = page("/visit/here", path="/visit/here")
    wanted = Wanted([plain], {("page", plain.id)}, {("page", plain.id): "Getting here"})
    near, far = page("9", "Getting here", "/read/here"), page("9", "Getting here", "/read/find-us")
    assert [by for _, _, by in match(wanted, [], [near], HELD)] == ["title"]
    assert match(wanted, [], [far], HELD) == []


def test_nothing_is_matched_twice_by_later_steps() -> None:
    one, two = page("1", "Old", "/fares/"), page("2", "Fares", "/x/")
    there = page("9", "Fares", "/fares/")
    found = match(Wanted([one, two]), [one, two], [there], HELD)
    assert found == [(("page", "1"), ("page", "9"), "path")]


@given(st.lists(st.sampled_from(["a", "b", "c", "d"]), max_size=8))
def test_a_match_is_never_a_guess(keys: list[str]) -> None:
    wanted = [keyed(str(n), key) for n, key in enumerate(keys)]
    there = [keyed(f"t{key}", key) for key in "abc"]
    found = match(Wanted(wanted), wanted, there, HELD)
    assert {source[1]: target[1] for source, target, _ in found} == {
        str(n): f"t{key}" for n, key in enumerate(keys) if keys.count(key) == 1 and key in "abc"
    }


# Files and words


def test_several_files_are_written_or_none(tmp_path: Path) -> None:
    good, bad = tmp_path / "good", tmp_path / "missing" / "bad"
    with pytest.raises(FileError, match="cannot be written"):
        write_all({str(good): b"1", str(bad): b"2"})
    assert list(tmp_path.iterdir()) == []
    write_all({str(good): b"1", str(tmp_path / "other"): b"2"})
    assert good.read_bytes() == b"1" and len(list(tmp_path.iterdir())) == 2


def test_outputs_are_checked_before_the_work(tmp_path: Path) -> None:
    (tmp_path / "there").write_bytes(b"")
    with pytest.raises(FileError, match="--force"):
        check_output(str(tmp_path / "there"), force=False)
    check_output(str(tmp_path / "there"), force=True)
    check_output("-", force=False)
    with pytest.raises(FileError, match="a folder"):
        check_output(str(tmp_path), force=True)


def test_words_of_findings() -> None:
    finding = notice("depth.hidden", menu="m", menu_name="Bar", before="2 levels", labels=("A",))
    assert finding.why == "“Bar”: 1 item stands deeper than the theme shows (2 levels): “A”."
    finding.labels = tuple("ABCDEFGHIJKLMNO")
    assert "15 items stand deeper" in finding.why and "and 3 more" in finding.why


def test_a_notice_gives_way_to_the_loss_of_the_same_item() -> None:
    said = notice("read.hidden", menu="m", item="1", path=("A",))
    other = notice("read.hidden", menu="m", item="2", path=("B",))
    loss = notice("access.switched-off", menu="m", item="1", path=("A",))
    loss.outcome = "dropped"
    assert told_once([said, other, loss]) == [other, loss]


def test_findings_are_grouped_and_sorted() -> None:
    low = notice("trait.icon", path=("A",), before="ship")
    high = [notice("link.script", path=(f"S{n}",), before="javascript:") for n in range(9)]
    lines = list(finding_lines(by_severity([low, *high]), 100))
    assert lines[0].startswith("HIGH") and "(9)" in lines[1]
    assert any("and 3 more of the same" in line for line in lines)
    assert lines.index("") < next(n for n, line in enumerate(lines) if line.startswith("LOW"))


def test_safe_text() -> None:
    assert safe("Øyene") == "Øyene"
    assert safe("a\x1b[31mb\nc\ud800") == "a�[31mb c�"
