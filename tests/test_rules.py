"""The rules that practitioners live by, each with a test that would fail without it."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.conftest import entry, link, quillmoor, stallmere
from ypsiform.errors import RefusedError
from ypsiform.findings import Finding
from ypsiform.fit import Options
from ypsiform.migrate import convert
from ypsiform.proof import Migration
from ypsiform.reading import read
from ypsiform.standins import CHECKERS

PAGE = '<page no="{0}" at="/{1}/" stage="{3}" for="{4}"><name>{2}</name></page>'
STAGES = {"live": "open", "draft": "unfinished", "private": "closed", "gone": "withdrawn"}


def page(ident: int, key: str, state: str = "live", readers: str = "everyone") -> str:
    return PAGE.format(ident, key, key.title(), STAGES[state], readers)


def to_stallmere(data: bytes, theme: str = "plain", **options: Any) -> Migration:
    into = options.pop("into", None)
    done = convert(
        data,
        "old.xml",
        f"stallmere/{theme}",
        into=(into, "new.json") if into else None,
        options=Options(**options),
    )
    assert CHECKERS["stallmere"](done.data) == []
    return done


def to_quillmoor(data: bytes, into: bytes | None = None, **options: Any) -> Migration:
    done = convert(
        data,
        "new.json",
        "quillmoor",
        into=(into, "old.xml") if into else None,
        options=Options(**options),
    )
    assert CHECKERS["quillmoor"](done.data) == []
    return done


def found(done: Migration, code: str) -> list[Finding]:
    return [finding for finding in done.findings if finding.code == code]


def one(done: Migration, code: str) -> Finding:
    (finding,) = found(done, code)
    return finding


def tree(done: Migration, key: str) -> Any:
    return next(t for t in json.loads(done.data)["trees"] if t["key"] == key)["entries"]


def outline(entries: list[Any]) -> list[Any]:
    """Entries as labels, each with what is below it."""
    return [e["text"] if not e["entries"] else (e["text"], outline(e["entries"])) for e in entries]


def surveyed(data: bytes) -> list[tuple[str, str | None]]:
    return [(finding.code, finding.menu) for finding in read(data, "old")[0].findings]


# Seeing

TWO = (
    '<menu code="m1"><name>Main bar</name></menu>'
    '<menu code="m9" made="by-itself" fills="root-pages"><name>All</name></menu>'
)


def test_rule_1_a_made_up_menu_is_converted_only_when_asked() -> None:
    data = quillmoor(link("1", says="Book", fixed="home"), link("2", "m9", fixed="home"), menus=TWO)
    assert ("read.unsaved", "m9") in surveyed(data)
    done = to_stallmere(data)
    loss = one(done, "menu.not-asked")
    assert (loss.outcome, loss.menu, loss.severity) == ("dropped", "m9", "note")
    assert done.written_as == {"m1": ["main"]}
    asked = to_stallmere(data, made_up=True)
    assert not found(asked, "menu.not-asked")
    assert outline(tree(asked, "m9")) == [""]


def test_rule_1_a_made_up_menu_that_was_shown_is_a_grave_loss() -> None:
    places = "upper=m9 "
    data = quillmoor(link("2", "m9", fixed="home"), menus=TWO, places=places)
    assert one(to_stallmere(data), "menu.not-asked").severity == "high"


def test_rule_2_menus_and_locations_without_each_other() -> None:
    places = "upper=m1 pocket=m1 "
    data = quillmoor(menus=TWO, places=places)
    codes = surveyed(data)
    assert ("place.nowhere", "m9") in codes
    assert ("place.empty", None) in codes
    assert ("place.shared", "m1") in codes


def test_rule_3_doubles_and_parked_items_are_told_apart() -> None:
    data = quillmoor(
        link("1", says="Fares", page="5"),
        link("2", says="Prices", address="https://www.old.skerryline.example/fares"),
        link("3", says="Winter fares", address="/fares/?season=winter"),
        link("4", says="Soon", address="#"),
        link("5", says="Later", fixed="home"),
        nodes=page(5, "fares"),
    )
    codes = [(f.code, f.path) for f in read(data, "old.xml")[0].findings]
    assert ("read.double", ("Prices",)) in codes
    assert ("read.parked", ("Soon",)) in codes
    assert ("read.parked", ("Later",)) in codes
    assert sum(code == "read.double" for code, _ in codes) == 1
    assert len(tree(to_stallmere(data), "main")) == 5  # nothing is removed unasked


@pytest.mark.parametrize(
    ("state", "severity"), [("gone", "high"), ("draft", "medium"), ("private", "medium")]
)
def test_rule_5_content_that_is_not_public(state: str, severity: str) -> None:
    data = quillmoor(link("1", says="Old", page="5"), nodes=page(5, "old", state))
    finding = next(f for f in read(data, "old.xml")[0].findings if f.code == "read.gone")
    assert finding.severity == severity
    assert one(to_stallmere(data), "link.state").outcome == "dropped"


def test_rule_5_private_content_that_is_public_at_the_destination_is_grave() -> None:
    data = quillmoor(link("1", says="Plans", page="5"), nodes=page(5, "plans", "private"))
    done = to_stallmere(data, into=stallmere(header=None, pages=("plans",)))
    assert one(done, "link.state").severity == "high"


def test_rule_5_switched_off_items_are_never_published() -> None:
    data = quillmoor(
        link("1", says="Closed", fixed="home", off=""),
        link("2", under="1", says="Why", fixed="search"),
        link("3", says="Open", fixed="home"),
    )
    done = to_stallmere(data)
    assert outline(tree(done, "main")) == ["Open"]
    loss = one(done, "access.switched-off")
    assert (loss.outcome, loss.severity, loss.labels) == ("dropped", "note", ("Closed", "Why"))
    assert ("read.hidden", "m1") in surveyed(data)


def test_rule_5_content_that_no_menu_leads_to() -> None:
    data = quillmoor(link("1", page="5"), nodes=page(5, "fares") + page(6, "crew"))
    unlinked = [f for f in read(data, "old.xml")[0].findings if f.code == "read.unlinked"]
    assert [finding.before for finding in unlinked] == ["“Crew” (/crew/)"]


# Labels


def test_rule_7_inherited_labels_are_frozen() -> None:
    data = quillmoor(
        link("1", page="5"),
        link("2", says="Own", page="5"),
        nodes=page(5, "fares"),
    )
    done = to_stallmere(data)
    assert outline(tree(done, "main")) == ["Fares", "Own"]
    loss = one(done, "label.frozen")
    assert (loss.labels, loss.severity, loss.facts) == (("Fares",), "note", ["label"])


def test_rule_8_the_name_of_a_menu_is_kept_and_never_shown() -> None:
    data = quillmoor(link("1", says="Book", fixed="home"))
    done = to_stallmere(data)
    assert json.loads(done.data)["trees"][0]["title"] == "Main bar"
    assert "Main bar" not in json.dumps(tree(done, "main"))


def test_labels_that_are_too_long_are_cut_at_a_word() -> None:
    label = "What to do when your sailing is delayed or cancelled"
    done = to_stallmere(quillmoor(link("1", says=label, fixed="home")))
    (text,) = outline(tree(done, "main"))
    assert len(text) <= 40 and text.endswith("…") and label.startswith(text[:-1])
    assert label[len(text) - 1] == " "
    assert (one(done, "label.cut").before, one(done, "label.cut").after) == (label, text)


# Links


def matching(nodes: str, *pages: dict[str, str]) -> dict[str, str]:
    idents = [n.split('"')[0] for n in nodes.split('no="')[1:]]
    links = [link(str(900 + n), says="x", page=i) for n, i in enumerate(idents)]
    into = json.loads(stallmere(header=None))
    into["stock"]["page"] = list(pages)
    done = to_stallmere(quillmoor(*links, nodes=nodes), into=json.dumps(into).encode())
    return {source[1]: f"{there[1]} by {by}" for source, there, by in done.fitted.matches}


def test_rule_11_the_last_part_of_a_path_is_no_key() -> None:
    pages = ({"key": "fares", "title": "X"}, {"key": "other", "title": "Fares"})
    assert matching(page(5, "fares"), *pages) == {"5": "other by title"}
    assert matching(page(5, "fares"), {"key": "fares", "title": "Ticket prices"}) == {}


def test_rule_11_targets_are_matched_by_title_at_last() -> None:
    pages = ({"key": "prices", "title": " fares "},)
    assert matching(page(5, "fares"), *pages) == {"5": "prices by title"}


def test_rule_11_targets_are_matched_by_path() -> None:
    node = PAGE.format(5, "read/prices", "Fares", "open", "everyone")
    into = json.loads(stallmere(header=None))
    into["stock"]["page"] = [{"key": "prices", "title": "Z"}]
    assert matching(node, *into["stock"]["page"]) == {"5": "prices by address"}


def test_rule_11_an_ambiguous_match_is_none() -> None:
    twice = page(5, "north/winter") + page(6, "south/winter")
    assert matching(twice, {"key": "winter", "title": "Z"}) == {}
    pages = ({"key": "a", "title": "Fares"}, {"key": "b", "title": "Fares"})
    assert matching(page(5, "fares"), *pages) == {}


def test_rule_11_matching_stays_within_the_kind() -> None:
    node = '<article no="5" at="/fares/"><name>Fares</name></article>'
    data = quillmoor(link("1", says="x", article="5"), nodes=node)
    done = to_stallmere(data, into=stallmere(header=None, pages=("fares",)))
    assert done.fitted.matches == []
    assert one(done, "link.unresolved").severity == "high"


def test_rule_11_unmatched_links_keep_their_place_and_lead_nowhere() -> None:
    data = quillmoor(
        link("1", says="A", fixed="home"),
        link("2", says="Fares", page="5"),
        link("3", says="B", fixed="home"),
        nodes=page(5, "fares"),
    )
    into = stallmere(header=None, pages=("other",))
    done = to_stallmere(data, into=into)
    assert tree(done, "m1")[1] == entry("Fares")
    assert (one(done, "link.unresolved").outcome, one(done, "link.unresolved").facts) == (
        "altered",
        ["target"],
    )
    kept = to_stallmere(data, into=into, unmatched="address")
    assert tree(kept, "m1")[1]["link"] == {"address": "/fares/"}
    with pytest.raises(RefusedError, match="Fares"):
        to_stallmere(data, into=into, strict_links=True)


def test_rule_11_without_an_inventory_links_are_unchecked() -> None:
    data = quillmoor(
        link("1", says="Fares", page="5"),
        link("2", says="Map", address="https://old.skerryline.example/map?x=1"),
        nodes=page(5, "fares"),
    )
    done = to_stallmere(data)
    addresses = [e["link"]["address"] for e in tree(done, "main")]
    assert addresses == ["/fares/", "/map?x=1"]
    assert one(done, "link.unchecked").labels == ("Fares", "Map")
    with pytest.raises(RefusedError, match="2 internal links"):
        to_stallmere(data, strict_links=True)


def test_rule_11_files_are_never_unresolved() -> None:
    data = quillmoor(link("1", says="PDF", address="/files/terms.pdf"))
    done = to_stallmere(data, into=stallmere(header=None, pages=("x",)), strict_links=True)
    assert tree(done, "m1")[0]["link"] == {"address": "/files/terms.pdf"}
    assert one(done, "step.file").outcome is None


def test_rule_11_terms_and_product_groups_stand_in_for_each_other() -> None:
    node = '<subject no="5" at="/topics/passes/"><name>Passes</name></subject>'
    into = json.loads(stallmere(header=None))
    into["stock"]["aisle"] = [{"key": "passes", "title": "Passes"}]
    data = quillmoor(link("1", says="P", subject="5"), nodes=node)
    done = to_stallmere(data, into=json.dumps(into).encode())
    assert tree(done, "m1")[0]["link"] == {"what": "aisle", "key": "passes"}
    assert (one(done, "kind.stand-in").outcome, one(done, "kind.stand-in").severity) == (
        "altered",
        "note",
    )


def test_rule_11_other_lacking_kinds_become_the_address_or_nothing() -> None:
    document = json.loads(stallmere(("main", [entry("Rover", to="good", key="rover")])))
    document["stock"]["good"] = [{"key": "rover", "title": "Rover"}]
    document["trees"][0]["entries"].append(entry("Account", to="account"))
    into = quillmoor(nodes=page(5, "x"), places="")
    done = to_quillmoor(json.dumps(document).encode(), into)
    assert one(done, "kind.as-address").after == "/buy/rover"
    assert (one(done, "kind.not-held").path, one(done, "kind.not-held").severity) == (
        ("Account",),
        "high",
    )


@pytest.mark.parametrize(
    ("address", "leads"),
    [
        ("https://old.skerryline.example/fares/index.html", {"what": "page", "key": "fares"}),
        ("HTTP://WWW.OLD.skerryline.example:80/fares", {"what": "page", "key": "fares"}),
        ("/f%61res/", {"what": "page", "key": "fares"}),
        ("/fares/?b=2&amp;a=1#top", {"address": "/read/fares?b=2&a=1#top"}),
        (
            "https://other.example/fares/",
            {"address": "https://other.example/fares/"},
        ),
        ("#top", {"address": "#top"}),
        ("#", None),
        ("mailto:a@b.example", {"address": "mailto:a@b.example"}),
        ("/", {"fixed": "home"}),
    ],
)
def test_rules_12_and_13_addresses(address: str, leads: dict[str, str] | None) -> None:
    data = quillmoor(link("1", says="x", address=address), nodes=page(5, "fares"))
    done = to_stallmere(data, into=stallmere(header=None, pages=("fares",)))
    assert tree(done, "m1")[0]["link"] == leads
    facts = done.audited.facts
    assert facts["altered"] == 0


def test_rule_13_nowhere_is_no_address() -> None:
    done = to_quillmoor(stallmere(("main", [entry("More", entry("A", to="home"))])))
    assert b"address" not in done.data and done.data.count(b"<leads") == 1
    assert done.audited.facts["altered"] == 0


@pytest.mark.parametrize(
    "address",
    ["javascript:void(0)", " JavaScript:x", "java\tscript:x", "%6aavascript:x", "data:x,y"],
)
def test_rule_14_scripts_are_never_passed_on(address: str) -> None:
    data = stallmere(("main", [entry("Menu", address=address)]))
    for to in ("quillmoor", "stallmere"):
        done = convert(data, "new.json", to)
        loss = next(f for f in done.fitted.losses if f.code == "link.script")
        assert (loss.severity, loss.outcome) == ("high", "altered")
        assert b"script" not in done.data.lower() and b"data:" not in done.data


# Depth

DEEP = (
    link("1", says="A", fixed="home"),
    link("2", under="1", says="B", fixed="search"),
    link("3", under="2", says="C", fixed="home"),
    link("4", under="2", says="D", fixed="search", seq="2"),
    link("5", under="3", says="E", fixed="home"),
    link("6", under="1", says="F", fixed="search", seq="2"),
)


def test_rule_15_depth_is_judged_by_theme_and_location() -> None:
    assert outline(tree(to_stallmere(quillmoor(*DEEP), "broad"), "main")) == [
        ("A", [("B", [("C", ["E"]), "D"]), "F"])
    ]
    done = to_stallmere(quillmoor(*DEEP), "plain")
    assert outline(tree(done, "main")) == [("A", ["B", "C", "E", "D", "F"])]
    lifted = found(done, "depth.lifted")
    assert [(f.path[-1], f.before, f.after) for f in lifted] == [
        ("C", "B", "A"),
        ("E", "C", "A"),
        ("D", "B", "A"),
    ]
    facts = done.audited.facts
    assert (facts["moved"], facts["dropped"]) == (3, 0)


def test_rule_15_what_the_source_never_showed_is_said() -> None:
    finding = next(f for f in read(quillmoor(*DEEP), "o")[0].findings if f.code == "depth.hidden")
    assert finding.labels == ("E",)
    shown = [f.facts for f in found(to_stallmere(quillmoor(*DEEP)), "depth.lifted")]
    assert shown == [["parent"], ["parent", "shown"], ["parent"]]


def test_rule_15_levels_that_were_not_shown_before_stay_where_they_are() -> None:
    places = "foot=m1 "
    done = to_stallmere(quillmoor(*DEEP[:2], places=places))
    assert outline(tree(done, "foot")) == [("A", ["B"])]
    assert found(done, "depth.hidden")[0].outcome is None  # the old theme hid it as well


def test_another_theme_of_the_destination_may_hide_its_own_items() -> None:
    own = [entry("A", entry("B", entry("C", to="home"), to="home"), to="home")]
    into = stallmere(("main", own), theme="broad")
    done = to_stallmere(quillmoor(places=""), "plain", into=into)
    loss = next(f for f in done.fitted.losses if f.code == "depth.hidden")
    assert loss.labels == ("C",)


@pytest.mark.parametrize("ring", [False, True])
def test_rule_17_orphans_and_rings_lose_nothing(ring: bool) -> None:
    data = quillmoor(
        link("1", under="2" if ring else "99", says="A", fixed="home"),
        link("2", under="1" if ring else "0", says="B", fixed="home"),
        link("3", under="1", says="C", fixed="search"),
        link("4", says="D", fixed="home"),
    )
    done = to_stallmere(data)
    codes = [f.path for f in found(done, "read.ring" if ring else "read.orphan")]
    expected = ["D", ("A", ["C"]), "B"] if ring else ["B", "D", ("A", ["C"])]
    assert outline(tree(done, "main")) == expected
    assert codes == ([("A",), ("B",)] if ring else [("A",)])


def test_an_item_that_is_its_own_parent_is_a_ring() -> None:
    done = to_stallmere(quillmoor(link("1", under="1", says="A", fixed="home")))
    assert outline(tree(done, "main")) == ["A"]
    assert found(done, "read.ring")


# Locations

MEMBER = "upper=m1 member=m2 "
MENUS = '<menu code="m1"><name>Main bar</name></menu><menu code="m2"><name>Mine</name></menu>'


def test_rule_18_a_menu_without_an_equivalent_is_stored_and_placed_nowhere() -> None:
    data = quillmoor(
        link("1", says="A", fixed="home"),
        link("2", "m2", says="Call", fixed="search"),
        menus=MENUS,
        places=MEMBER.replace("member", "handset"),
    )
    done = to_stallmere(data)
    assert outline(tree(done, "m2")) == ["Call"]
    loss = one(done, "place.not-offered")
    assert (loss.severity, loss.facts) == ("high", ["placement", "shown"])
    assert json.loads(done.data)["frame"] == {"theme": "plain", "header": "main"}


def test_rule_18_locations_are_matched_by_purpose() -> None:
    trees = (("a", [entry("A", to="home")]), ("b", [entry("B", to="home")]))
    done = to_quillmoor(stallmere(*trees, header="a", footer="b"))
    assert b'code="a" shown-at="upper"' in done.data
    assert b'code="b" shown-at="foot"' in done.data
    assert done.audited.facts["dropped"] == 0


def test_rule_19_two_menus_for_one_location() -> None:
    data = quillmoor(
        link("1", says="A", fixed="home"),
        link("2", "m2", says="B", fixed="search"),
        menus=MENUS,
        places="top=m2 upper=m1 ",
    )
    done = to_stallmere(data)
    loss = one(done, "place.clash")
    assert (loss.menu, loss.severity) == ("m2", "high")
    assert json.loads(done.data)["frame"]["header"] == done.written_as["m1"][0]
    assert outline(tree(done, "m2")) == ["B"]


def test_rule_21_a_menu_for_members_is_never_shown_to_everyone() -> None:
    data = quillmoor(link("1", "m2", says="Mine", fixed="home"), menus=MENUS, places=MEMBER)
    done = to_stallmere(data)
    assert done.written_as["m2"][0] not in json.loads(done.data)["frame"].values()
    (loss,) = found(done, "access.not-held")
    assert (loss.menu, loss.severity, loss.facts) == ("m2", "high", ["audience"])


def test_rule_21_an_item_narrower_than_its_place_is_left_out() -> None:
    data = quillmoor(
        link("1", says="Crew", fixed="home", for_="crew"),
        link("2", under="1", says="Rota", fixed="search"),
        link("3", says="All", fixed="home"),
    )
    done = to_stallmere(data)
    assert outline(tree(done, "main")) == ["All"]
    loss = one(done, "access.not-held")
    assert (loss.outcome, loss.severity, loss.labels) == ("dropped", "high", ("Crew", "Rota"))


def test_rule_21_a_permission_of_a_page_that_is_lost_is_grave() -> None:
    data = quillmoor(link("1", says="Mine", page="5"), nodes=page(5, "mine", readers="members"))
    done = to_stallmere(data, into=stallmere(header=None, pages=("mine",)))
    loss = one(done, "access.not-held")
    assert (loss.severity, loss.facts, loss.outcome) == ("high", ["audience"], "altered")


# Panels, for now

PANEL = (
    link("1", says="Islands", fixed="home", style="pane pane-press pane-wide shaded"),
    link("2", under="1", says="North", address="#", style="share-4"),
    link("3", under="2", says="Haldrun", fixed="home"),
    link("4", under="2", rule="", seq="2"),
    link("5", under="2", says="Pier", fixed="search", picture="/files/pier.jpg", seq="3"),
    link("6", under="1", says="Map", fixed="home", seq="2"),
)


def test_a_panel_becomes_a_submenu() -> None:
    done = to_stallmere(quillmoor(*PANEL), "plain")
    assert outline(tree(done, "main")) == [("Islands", ["North", "Haldrun", "Pier", "Map"])]
    loss = one(done, "panel.not-held")
    assert "2 columns" in (loss.before or "") and "1 picture" in (loss.before or "")
    assert {"panel", "column", "span", "block"} <= set(loss.facts)
    assert [f.code for f in found(done, "kind.divider")] == ["kind.divider"]


def test_a_panel_is_kept_where_it_was() -> None:
    done = convert(quillmoor(*PANEL), "old.xml", "quillmoor")
    assert done.fitted.losses == []
    assert b"pane pane-press pane-wide shaded" in done.data and b"share-1" in done.data


def trays(*texts: str) -> list[Any]:
    return [{"under": {"text": text}, "columns": [[{"tree": "passes"}]]} for text in texts]


def test_trays_and_their_lists_that_stand_at_the_destination_are_kept() -> None:
    own = [entry("Fares", to="home"), entry("Old", to="home")]
    passes = [entry("Rover", to="home")]
    into = stallmere(("main", own), ("passes", passes), theme="broad", trays=trays("Fares"))
    data = quillmoor(
        link("1", says="Fares", fixed="home"), link("2", under="1", says="Vehicles", fixed="search")
    )
    done = to_stallmere(data, "broad", into=into)
    assert json.loads(done.data)["trays"] == trays("Fares")
    assert outline(tree(done, "passes")) == ["Rover"]
    assert outline(tree(done, "main")) == ["Fares", "Vehicles"]  # nothing may stand below an opener
    assert one(done, "depth.lifted").path == ("Fares", "Vehicles")


def test_an_item_that_a_tray_opens_from_stays() -> None:
    into = stallmere(
        ("main", [entry("Fares", to="home"), entry("Old", to="home")]),
        ("passes", []),
        theme="broad",
        trays=trays("Fares"),
    )
    done = to_stallmere(quillmoor(link("1", says="Book", fixed="home")), "broad", into=into)
    assert outline(tree(done, "main")) == ["Book", "Fares"]
    assert one(done, "panel.opener").path == ("Fares",)
    assert one(done, "menu.replaced").labels == ("Old",)


def test_an_opener_is_copied_where_its_menu_is_shown_elsewhere_too() -> None:
    own = [entry("Fares", to="home"), entry("Old", to="home")]
    into = stallmere(
        ("nav", own), ("passes", []), header="nav", footer="nav", theme="broad",
        trays=trays("Fares"),
    )  # fmt: skip
    done = to_stallmere(quillmoor(link("1", says="Book", fixed="home")), "broad", into=into)
    assert outline(tree(done, "m1")) == ["Book", "Fares"]
    assert outline(tree(done, "nav")) == ["Fares", "Old"]


def test_a_label_that_a_tray_opens_from_is_made_unique() -> None:
    into = stallmere(
        ("main", [entry("Fares")]), ("passes", []), theme="broad", trays=trays("Fares")
    )
    data = quillmoor(
        link("1", says="Fares", fixed="home"), link("2", says="Fares", fixed="search", seq="2")
    )
    done = to_stallmere(data, "broad", into=into)
    assert outline(tree(done, "main")) == ["Fares", "Fares 2"]
    assert one(done, "label.clash").after == "Fares 2"


def test_trays_cannot_stay_in_a_theme_without_them() -> None:
    into = stallmere(
        ("main", [entry("Fares")]), ("passes", []), theme="broad", trays=trays("Fares")
    )
    done = to_stallmere(quillmoor(places=""), "plain", into=into)
    assert one(done, "panel.removed").severity == "high"


def test_a_shop_that_changes_its_theme_loses_its_trays_and_says_so() -> None:
    own = [entry("A", entry("B", entry("C", to="home"), to="home"), to="home"), entry("Fares")]
    data = stallmere(("main", own), ("passes", []), theme="broad", trays=trays("Fares"))
    done = to_stallmere(data, "plain")
    made = json.loads(done.data)
    assert made["trays"] == [] and [tree["key"] for tree in made["trees"]] == ["main"]
    assert one(done, "panel.not-held").path == ("Fares",)
    assert outline(tree(done, "main")) == [("A", ["B", "C"]), ("Fares", ["Passes"])]


# Extras and writing


def test_rule_31_traits_that_are_not_held_are_said_one_by_one() -> None:
    data = quillmoor(
        link(
            "1", says="A", fixed="home", window="new", glyph="ship", hint="h", about="b",
            rel="nofollow", picture="/p.jpg", style="shaded",
        )
    )  # fmt: skip
    codes = {f.code: f.severity for f in to_stallmere(data).fitted.losses}
    assert codes == {
        "trait.window": "low",
        "trait.icon": "low",
        "trait.tooltip": "low",
        "trait.description": "low",
        "trait.rel": "note",
        "trait.picture": "low",
        "trait.class": "low",
    }


def test_unread_fields_are_said_and_written_back_to_the_same_platform() -> None:
    data = quillmoor(
        link("1", says="A", fixed="home", badge="New"), more="<plugins><tide/></plugins>"
    )
    losses = found(to_stallmere(data), "read.extra")
    assert [loss.before for loss in losses] == ["plugins = <tide>", "badge = New"]
    back = convert(data, "old.xml", "quillmoor")
    assert back.fitted.losses == []
    assert b"<tide/>" in back.data and b"<badge>New</badge>" in back.data


def test_a_menu_that_grows_is_frozen() -> None:
    data = quillmoor(menus='<menu code="m1" fills="root-pages"><name>Main bar</name></menu>')
    assert one(to_stallmere(data), "menu.rule-frozen").facts == ["rule"]


def test_rule_33_a_menu_takes_over_the_one_at_its_place() -> None:
    own = [entry("Old", entry("Older", to="home"), to="home")]
    into = stallmere(
        ("nav", own), ("m2", [entry("Stays")]), header="nav", pages=("x",), weather=[1]
    )
    data = quillmoor(
        link("1", says="A", fixed="home"),
        link("2", "m2", says="B", fixed="search"),
        menus=MENUS,
    )
    done = to_stallmere(data, into=into)
    after, before = json.loads(done.data), json.loads(into)
    assert [(t["key"], t["title"]) for t in after["trees"]] == [
        ("nav", "Nav"),
        ("m2", "M2"),
        ("m2-2", "Mine"),
    ]
    assert after["trees"][1] == before["trees"][1]
    assert (after["weather"], after["stock"]) == ([1], before["stock"])
    assert one(done, "menu.replaced").labels == ("Old", "Older")
    assert (one(done, "menu.key-taken").before, one(done, "menu.key-taken").after) == ("m2", "m2-2")
    assert one(done, "menu.renamed").severity == "note"


def test_rule_33_an_empty_location_of_the_source_keeps_what_is_there() -> None:
    into = stallmere(("nav", [entry("A")]), ("low", [entry("B")]), header="nav", footer="low")
    done = to_stallmere(quillmoor(link("1", says="X", fixed="home")), into=into)
    assert json.loads(done.data)["frame"]["footer"] == "low"


def test_rule_33_a_menu_shown_elsewhere_too_is_not_replaced() -> None:
    into = stallmere(("nav", [entry("A", to="home")]), header="nav", footer="nav")
    done = to_stallmere(quillmoor(link("1", says="X", fixed="home")), into=into)
    assert outline(tree(done, "nav")) == ["A"]
    assert json.loads(done.data)["frame"] == {"theme": "plain", "header": "m1", "footer": "nav"}
    assert one(done, "place.taken").severity == "high"


def test_rule_33_keys_are_made_legal() -> None:
    key = "main-navigation-of-the-whole-shop"
    done = to_quillmoor(stallmere((key, [entry("A")]), header=None))
    (written,) = done.written_as[key]
    assert written.startswith("main.navigation.of") and len(written) <= 26


def test_rule_34_the_same_input_gives_the_same_bytes() -> None:
    data = stallmere(("main", [entry("A", entry("B")), entry("C")]))
    first, second = to_quillmoor(data), to_quillmoor(data)
    assert first.data == second.data
    longer = stallmere(("main", [entry("A", entry("B")), entry("C"), entry("D")]))
    ids = [part.split(b'"')[0] for part in first.data.split(b'<link id="')[1:]]
    more = [part.split(b'"')[0] for part in to_quillmoor(longer).data.split(b'<link id="')[1:]]
    assert more[:3] == ids  # ids follow from the source's, whatever else there is


def test_limits_on_items_and_menus() -> None:
    links = [link(str(n), says=f"I{n}", fixed="home", seq=str(n)) for n in range(1, 190)]
    done = to_stallmere(quillmoor(*links))
    assert len(tree(done, "main")) == 180
    loss = one(done, "menu.too-long")
    assert (loss.severity, len(loss.labels), loss.labels[0]) == ("high", 9, "I181")
    menus = "".join(f'<menu code="m{n}"><name>M</name></menu>' for n in range(1, 35))
    many = to_stallmere(quillmoor(link("1", says="A", fixed="home"), menus=menus))
    assert len(json.loads(many.data)["trees"]) == 30
    assert len(found(many, "menu.too-many")) == 4
