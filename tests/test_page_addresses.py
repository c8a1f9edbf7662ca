"""Addresses said in parts, without their slash or their host, and labels that are names."""

from __future__ import annotations

import csv
import json
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Run
from tests.test_first_looks import BOATS, NUMBER, PAGES, looked, menus, tree
from ypsiform.errors import AuditError, FormatError, ProfileError, RefusedError
from ypsiform.first_profile import First
from ypsiform.migrate import convert
from ypsiform.model import Item
from ypsiform.profiles.load import parsed
from ypsiform.profiles.pairs import closed, opened
from ypsiform.reading import read

WAYS = [to for _, _, to in PAGES]


def ends(items: list[Item]) -> list[str]:
    """The addresses that items lead to, in reading order; those of contents as the export's are."""
    found: list[str] = []
    for item in items:
        found += [item.target.address or item.target.key or item.target.kind, *ends(item.children)]
    return found


def leads(found: First) -> list[str]:
    """The addresses of the pages that a first profile reads."""
    site = found.surveyed.site
    paths = {content.id: content.path or "" for content in site.contents}
    held = [item for menu in site.menus for item in walk(menu.items)]
    return [paths.get(item.target.content or "", item.target.address or "") for item in held]


def walk(items: list[Item]) -> list[Item]:
    return [one for item in items for one in (item, *walk(item.children))]


def slug(to: str) -> str:
    return to.rpartition("/")[2]


def nested(above: str, inside: str = "children") -> list[dict[str, Any]]:
    """The pages below one, each with its slug and those below it."""
    return [
        {"title": label, "slug": slug(to), inside: nested(label, inside)}
        for label, up, to in PAGES
        if up == above
    ]


def by_name(above: str) -> dict[str, Any]:
    """The pages below one, in mappings of which each name is a slug."""
    made: dict[str, Any] = {}
    for label, up, to in PAGES:
        if up == above:
            below = by_name(label)
            made[slug(to)] = {"title": label, **({"children": below} if below else {})}
    return made


ROWS = [
    {"id": NUMBER[label], "parent": NUMBER.get(up), "title": label, "slug": slug(to)}
    for label, up, to in PAGES
]
REFERRING = {
    "pages": ROWS,
    "menus": [
        {
            "handle": "main",
            "items": [
                {"page": 1, "label": "Our boats", "below": [{"page": 3, "label": "", "below": []}]},
                {"page": 6, "label": "", "below": []},
                {"url": "https://x.example/", "label": "Weather", "below": []},
            ],
        }
    ],
}


@pytest.mark.parametrize(
    "document",
    [{"pages": ROWS}, {"pages": nested("")}, {"pages": by_name("")}],
    ids=["named above", "in each other", "by name"],
)
def test_addresses_that_are_made_of_slugs(document: Any) -> None:
    found = looked(document, "x.json")
    assert menus(found) == [BOATS] and leads(found) == WAYS, found.text
    # That each is a whole address of its own cannot be ruled out.
    said = " ".join(line.lstrip("# ") for line in found.text.splitlines())
    assert "UNCERTAIN" in said and "says those before them, if they are no whole ones" in said
    assert parsed(found.text, "p.toml").read_only.startswith("addresses are made of slugs")


def test_slugs_of_pages_that_items_refer_to() -> None:
    """Items without a label show their page's title, and others can be written."""
    found = looked(REFERRING, "x.json")
    assert menus(found) == [[("Our boats", ["Jibs"]), "Beginners", "Weather"]], found.text
    assert leads(found)[:3] == ["/boats", "/boats/sails/jibs", "/lessons/beginners"]
    profile = parsed(found.text, "p.toml")
    data = json.dumps(REFERRING).encode()
    table = b"menu,level,label,address\nmain,1,Oars,/boats/oars\nmain,1,Jibs,/boats/sails/jibs/\n"
    made = convert(table, "t.csv", profile, into=(data, "x.json"))
    written = json.loads(made.data)
    assert [one["page"] for one in written["menus"][0]["items"]] == [4, 3]
    assert written["pages"] == ROWS  # nothing of what was made for reading stands there


def test_a_slug_of_the_start_page_is_no_part_of_others() -> None:
    top = {"title": "Home", "slug": "home", "children": nested("")}
    found = looked({"pages": [top]}, "x.json")
    assert menus(found) == [[("Home", BOATS)]]
    assert leads(found) == ["/", *WAYS], found.text


RULE = """\
profile = 1
id = "parts"
name = "Parts"
container = "csv"
recognise = { columns = ["id"] }
read-only = "addresses are made of slugs"
site = {}
menus = {}
locations = { form = "names", open = true }
slugs = [{ at = "rows", slug = "slug", id = "id", under = "up", top = "0", home = "start" }]
[items]
at = "rows"
tie = { structure = "flat", menu = "menu" }
fields = { label = "slug" }
[[items.kinds]]
when = {}
kind = "address"
address = "#address"
none = ""
"""


def test_pages_without_all_that_stands_above_them_have_no_address() -> None:
    rows = {
        "1": ("0", "start", "/"),
        "2": ("1", "a", "/a"),
        "3": ("2", "/b/", "/a/b"),
        "4": ("9", "lost", None),  # there is no 9
        "5": ("6", "ring", None),
        "6": ("5", "round", None),
        "7": ("5", "below", None),
        "8": ("0", "top", "/top"),
        "10": ("8", "x" * 2000, None),
    }
    lines = [f"m,{ident},{up},{part}" for ident, (up, part, _) in rows.items()]
    data = "\n".join(["menu,id,up,slug", *lines, ""]).encode()
    surveyed, _ = read(data, "t.csv", parsed(RULE, "p.toml"))
    found = [item.target.address for item in surveyed.site.menus[0].items]
    assert found == [way for _, _, way in rows.values()]


def test_a_long_chain_of_pages_costs_no_more_than_its_addresses() -> None:
    lines = [f"m,{at},{at - 1},p{at}" for at in range(1, 20_000)]
    data = "\n".join(["menu,id,up,slug", *lines, ""]).encode()
    surveyed, _ = read(data, "t.csv", parsed(RULE, "p.toml"))
    found = [item.target.address or "" for item in surveyed.site.menus[0].items]
    assert found[2] == "/p1/p2/p3" and max(map(len, found)) <= 2000 and not found[-1]


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ('slugs = [{ at = "rows" }]', "name the key of the `slug`"),
        ('slugs = [{ at = "rows", slug = "s", id = "id" }]', "`id` and `under` go together"),
        ('slugs = [{ at = "rows", slug = "s", top = "0" }]', "`top` is a word of the key `under`"),
        ('slugs = [{ at = "rows", slug = "s", first = "x" }]', "`first` goes with `inside`"),
        (
            'slugs = [{ at = "rows", slug = "s", id = "i", under = "u", inside = "b" }]',
            "with `inside`, nothing else says what is above",
        ),
        ('above = { rows = "url" }', "the items are tied by it: under = '#upper'"),
        ('pairs = ["nav"]', "labels are names in one document of json, yaml or toml"),
    ],
)
def test_rules_that_cannot_be_meant(line: str, words: str) -> None:
    before = next(one for one in RULE.splitlines() if one.startswith("slugs"))
    with pytest.raises(ProfileError, match=words):
        parsed(RULE.replace(before, line), "p.toml")


def test_what_is_made_for_reading_is_never_written() -> None:
    reading = next(one for one in RULE.splitlines() if one.startswith("read-only"))
    with pytest.raises(ProfileError, match="no slugs are made of addresses"):
        parsed(RULE.replace(reading, ""), "p.toml")


# Paths without the slash that they begin with


@pytest.mark.parametrize("name", ["path", "x1"])
def test_paths_without_their_slash(name: str) -> None:
    """They are told by what they are; others are whole addresses."""
    rows = [{"up": up, "title": label, name: to[1:]} for label, up, to in PAGES]
    rows.append({"up": "", "title": "Weather", name: "https://weather.example/"})
    found = looked({"links": rows}, "x.json")
    assert menus(found) == [[*BOATS, "Weather"]] and not found.uncertain, found.text
    assert leads(found) == [*WAYS, "https://weather.example/"]
    table = b"menu,level,label,address\nmain,1,A,/a/b\nmain,1,B,/\nmain,1,C,mailto:x@y.example\n"
    made = convert(table, "t.csv", parsed(found.text, "p.toml"))
    written = json.loads(made.data)["links"]
    assert [one[name] for one in written] == ["a/b", "/", "mailto:x@y.example"]


def test_one_part_alone_is_perhaps_no_whole_address() -> None:
    rows = [{"name": label, "slug": slug(to)} for label, _, to in PAGES]
    found = looked({"links": rows}, "x.json")
    assert leads(found) == [f"/{slug(to)}" for to in WAYS]
    assert "UNCERTAIN: 7 of 7 records have a path without its slash" in found.text


BARE = RULE.replace('address = "#address"', 'address = "to"\nbare = true')
BARE = "\n".join(one for one in BARE.splitlines() if not one.startswith(("slugs", "read-only")))
BARE = BARE.replace('none = ""', 'none = "nowhere"').replace('"slug"', '"label"')
ADDRESSES = st.one_of(
    st.from_regex(r"/?[a-z#?.:/]{0,8}", fullmatch=True),
    st.sampled_from(["/nowhere", "nowhere", "/", "//x", "/#a", "/a:b", "/http://x", "/www.x"]),
)


@given(st.lists(ADDRESSES, min_size=1, max_size=6))
def test_a_path_without_its_slash_comes_back(addresses: list[str]) -> None:
    """Whatever is written without its slash is read as the same address."""
    profile = parsed(BARE, "p.toml")
    lines = [f"main,1,L{at},{address}" for at, address in enumerate(addresses)]
    table = "\n".join(["menu,level,label,address", *lines, ""]).encode()
    made = convert(table, "t.csv", profile)  # raises where the file does not say the same
    again, _ = read(made.data, "o.csv", profile)
    assert len(again.site.menus[0].items) == len(addresses)


# What stands below what by addresses alone


def test_what_stands_below_what_by_addresses_alone_is_another_reading() -> None:
    host = "https://www.boats.example"
    lines = [f"{host}{to}.html,{label}" for label, _, to in PAGES]
    data = "\n".join(["url,title", f"{host}/,Home", *lines, ""]).encode()
    flat = looked(data, "x.csv")
    assert "go on where that of another one ends" in " ".join(flat.text.split())
    assert menus(flat) == [["Home", *(label for label, _, _ in PAGES)]] and flat.uncertain
    assert "link.own-host" in [one.code for one in flat.surveyed.findings]
    from ypsiform.first_profile import first_profile

    second = first_profile(data, "x.csv", 2)
    assert menus(second) == [["Home", *BOATS]] and second.uncertain, second.text


# Labels that are names


def labelled(above: str) -> dict[str, Any]:
    made = {label: labelled(label) or to for label, up, to in PAGES if up == above}
    return dict(made)


def one_by_one(above: str) -> list[Any]:
    return [{label: one_by_one(label) or to} for label, up, to in PAGES if up == above]


END = {"Terms": "/terms", "Who we are": "/about"}
LINES = [{label: to} for label, to in END.items()]


@pytest.mark.parametrize(
    ("document", "wanted"),
    [
        ({"nav": labelled("")}, [BOATS]),
        (labelled(""), [BOATS]),
        ({"main": labelled(""), "footer": END}, [BOATS, [*END]]),
        ({"of": "a house", "menus": {"main": labelled(""), "end": END}}, [BOATS, [*END]]),
        ({"menus": {"main": one_by_one(""), "end": LINES}}, [BOATS, [*END]]),
        ({"main": one_by_one(""), "end": LINES}, [BOATS, [*END]]),
    ],
    ids=["one", "the document", "at the top", "below a key", "lists", "lists at the top"],
)
@pytest.mark.parametrize("ending", ["json", "yaml"])
def test_menus_in_which_labels_are_names(document: Any, wanted: Any, ending: str) -> None:
    found = looked(document, f"x.{ending}")  # JSON is YAML as well
    assert menus(found) == wanted and not found.uncertain, found.text
    profile = parsed(found.text, "p.toml")
    table = b"menu,level,label,address\nmain,1,A,/a\nmain,1,A,/b\nmain,1,C,\nmain,2,A,/d\n"
    made = convert(table, "t.csv", profile)
    assert tree(made.written.menus[0].items)[2] == ("C", ["A"])
    twice = isinstance(next(iter(document.values())), list) or "lists" in found.text
    labels = [item.label for item in made.written.menus[0].items]
    assert labels[:2] == ["A", "A 2"] or twice


def test_a_mapping_holds_each_label_once() -> None:
    tree_ = {"nav": [{"A": "/a"}, {"A": "/b"}]}
    rule = PAIRS.replace("unique-beside = true", "")
    with pytest.raises(RefusedError, match="'A' is there twice"):
        closed(tree_, parsed(PAIRS, "p.toml"))
    with pytest.raises((RefusedError, AuditError)):
        convert(TWICE, "t.csv", parsed(rule, "p.toml"))
    made = convert(TWICE, "t.csv", parsed(PAIRS, "p.toml"))
    assert json.loads(made.data) == {"nav": {"A": "/a", "A 2": "/b"}}
    assert "label.clash" in [loss.code for loss in made.findings]


TWICE = b"menu,level,label,address\nmain,1,A,/a\nmain,1,A,/b\n"
PAIRS = """\
profile = 1
id = "pairs"
name = "Pairs"
container = "json"
recognise = { keys = ["nav"] }
site = {}
locations = { form = "names", open = true }
pairs = ["nav"]
[menus]
at = "."
one = "main"
[items]
tie = { structure = "nested", first = "nav", inside = "below", keyed = "text", value = "to" }
fields = { label = "text" }
[[items.kinds]]
when = {}
kind = "address"
address = "to"
none = ""
[limits]
parents = ["none"]
unique-beside = true
"""
MAPPINGS = st.recursive(
    st.text(max_size=3),
    lambda inner: st.dictionaries(st.text(max_size=3), inner, max_size=3),
    max_leaves=12,
).filter(lambda made: isinstance(made, dict))


@given(MAPPINGS)
def test_labels_that_are_names_come_back(document: Any) -> None:
    profile = parsed(PAIRS, "p.toml")
    listed = opened({"nav": document}, profile, "x.json")
    assert json.dumps(closed(listed, profile)) == json.dumps({"nav": document})


def test_what_is_no_mapping_is_said(run: Run, tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text(PAIRS)
    (tmp_path / "x.json").write_text('{"nav": [1]}')
    done = run("survey", "x.json", "--from", "p.toml")
    assert done.returncode == 1 and "x.json, nav: found no mapping from labels" in done.stderr
    with pytest.raises(FormatError):
        opened({"nav": "a"}, parsed(PAIRS, "p.toml"), "x.json")


# The site's own address


OWN = b"menu,level,label,address\n" + b"".join(
    f"main,1,{label},https://www.boats.example{to}\n".encode() for label, _, to in PAGES
)


MORE = b"main,1,Plan,https://boats.example/plan.pdf\nmain,1,Shop,https://shop.example/\n"


def test_the_site_may_have_an_address_that_the_export_does_not_say(
    run: Run, tmp_path: Path
) -> None:
    (tmp_path / "t.csv").write_bytes(OWN + MORE)
    done = run("survey", "t.csv", "--from", "csv")
    said = " ".join(done.stdout.split())
    assert "8 of 9 addresses lead to https://boats.example, and the export does not say" in said
    done = run("survey", "t.csv", "--from", "csv", "--site", "www.boats.example")
    assert "own-host" not in done.stdout and "page https://www.boats.example/boats" in done.stdout
    options = ("--from", "csv", "--to", "hugo", "--site", "https://boats.example")
    done = run("convert", "t.csv", *options, "-o", "o.json")
    assert done.returncode == 0, done.stderr
    (menu,) = json.loads((tmp_path / "o.json").read_text())["menus"].values()
    assert [one.get("url") or one["pageRef"] for one in menu[:7]] == WAYS
    assert [one["url"] for one in menu[7:]] == ["/plan.pdf", "https://shop.example/"]
    same = ("--from", "csv", "--to", "csv", "--site", "boats.example", "-o", "o.csv")
    assert run("convert", "t.csv", *same).returncode == 0
    assert (tmp_path / "o.csv").read_bytes() == (tmp_path / "t.csv").read_bytes()
    done = run("draft", "t.csv", *options, "-o", "plan")
    assert 'site = "https://boats.example"' in (tmp_path / "plan/migration.toml").read_text()
    done = run("convert", "--plan", "plan", "-o", "again.json")
    assert (tmp_path / "again.json").read_bytes() == (tmp_path / "o.json").read_bytes()


@pytest.mark.parametrize("said", ["boats", "http:/boats.example", "ftp://boats.example", ""])
def test_what_is_no_address_of_a_site(run: Run, tmp_path: Path, said: str) -> None:
    (tmp_path / "t.csv").write_bytes(OWN)
    done = run("survey", "t.csv", "--from", "csv", "--site", said)
    assert done.returncode == 2 and "--site takes an address as https://" in done.stderr


# What may be otherwise is marked


def test_records_alike_that_are_not_read_are_named() -> None:
    """The document is a mapping of pages itself, which no profile says."""
    pages = by_name("")
    pages["lessons"]["children"]["masters"] = {"title": "Masters"}
    found = looked(pages, "x.yaml")
    said = " ".join(line.lstrip("# ") for line in found.text.splitlines())
    assert "the records at 'lessons/children' are like these, and are not read" in said


def test_rows_that_lead_nowhere_may_be_headings() -> None:
    rows = ["PUPILS,", *(f"{label},{to}" for label, _, to in PAGES[4:]), "LEGAL,", "Terms,/terms"]
    found = looked("\n".join(["Menu,Link", *rows, ""]).encode(), "x.csv")
    assert "but 2 of 6 lead nowhere: headings of what follows?" in " ".join(found.text.split())


def plain(table: bytes) -> list[str]:
    """The lines of a table, without empty cells at their ends."""
    return [line.rstrip(",") for line in table.decode().splitlines()]


@pytest.mark.parametrize("levels", [False, True])
def test_names_of_menus_in_rows_of_their_own(levels: bool) -> None:
    level = {label: to.count("/") for label, _, to in PAGES}
    rows = [f"{label},{to},{level[label] if levels else ''}" for label, _, to in PAGES]
    data = "\n".join(["Item,Link,Level", "MAIN MENU", *rows, "FOOTER", "Terms,/t,1", "Us,/u,1", ""])
    found = looked(data.encode(), "x.csv")
    wanted = BOATS if levels else [label for label, _, _ in PAGES]
    assert menus(found) == [wanted, ["Terms", "Us"]], found.text
    assert [menu.key for menu in found.surveyed.site.menus] == ["MAIN MENU", "FOOTER"]
    profile = parsed(found.text, "p.toml")
    same = convert(data.encode(), "x.csv", profile, from_=profile)
    assert plain(same.data) == plain(data.encode())
    # What leads nowhere and says nothing else would be read as a heading.
    table = b"menu,level,label,address\nmain,1,Group,\nmain,1,A,/a\nfoot,1,B,/b\n"
    made = convert(table, "t.csv", profile)
    lines = plain(made.data)
    one = ",1" if levels else ""
    assert lines[1:] == ["main", f"Group,#{one}", f"A,/a{one}", "foot", f"B,/b{one}"]


def test_headings_that_head_nothing_are_items() -> None:
    data = b"Item,Link\nMAIN MENU\nA,/a\nB,/b\nFOOTER\nC,/c\nD,/d\nTHE END\n"
    rule = HEADED.replace('none = ""', 'none = "#"')
    surveyed, _ = read(data, "x.csv", parsed(rule, "p.toml"))
    labels = [[item.label for item in menu.items] for menu in surveyed.site.menus]
    assert labels == [["A", "B"], ["C", "D", "THE END"]]
    with pytest.raises(ProfileError, match="menu = '#menu'"):
        parsed(rule.replace('menu = "#menu"', 'menu = "menu"'), "p.toml")


HEADED = """\
profile = 1
id = "headed"
name = "Headed"
container = "csv"
recognise = { columns = ["Item"] }
headed = { rows = "Item" }
site = {}
menus = {}
locations = { form = "names", open = true }
[items]
at = "rows"
tie = { structure = "flat", menu = "#menu" }
fields = { label = "Item" }
[[items.kinds]]
when = {}
kind = "address"
address = "Link"
none = ""
"""


# Further things that exports of programs say


def test_labels_as_they_stand_in_markup() -> None:
    rows = [{"title": f"{label} &amp; more", "url": to} for label, _, to in PAGES]
    found = looked({"links": rows}, "x.json")
    assert menus(found) == [[f"{label} & more" for label, _, _ in PAGES]], found.text
    table = b"menu,level,label,address\nmain,1,Sail &#38; go,/a\nmain,1,A & B;,/b\nmain,1,C&D,/c\n"
    surveyed, _ = read(table, "t.csv", "csv")
    told = [one for one in surveyed.findings if one.code == "read.entities"]
    assert [(one.before, one.after) for one in told] == [("Sail &#38; go", "Sail & go")]
    made = convert(b"menu,level,label,address\nmain,1,A & B,/a\n", "t.csv", parsed(found.text, "p"))
    assert json.loads(made.data)["links"][0]["title"] == "A &amp; B"


def test_menus_that_list_where_they_are_shown() -> None:
    def menu(name: str, places: list[str], rows: list[Any]) -> dict[str, Any]:
        return {"name": name, "locations": places, "items": {"nodes": rows}}

    rows = [
        {"id": f"x{NUMBER[label]}", "parentId": f"x{NUMBER[up]}" if up else None, "label": label}
        | {"path": to, "target": "_blank" if label == "Oars" else ""}
        for label, up, to in PAGES
    ]
    end = [{"id": "y", "parentId": None, "label": "Terms", "path": "/terms", "target": ""}]
    nodes = [menu("Main", ["PRIMARY"], rows), menu("Foot", ["FOOTER"], end)]
    found = looked({"data": {"menus": {"nodes": nodes}}}, "x.json")
    assert menus(found) == [BOATS, ["Terms"]], found.text
    site = found.surveyed.site
    assert {place.name: len(place.menus) for place in site.locations} == {"PRIMARY": 1, "FOOTER": 1}
    assert site.menus[0].items[0].children[1].traits.window == "new"
    assert all(one.code != "read.extra" for one in found.surveyed.findings)


def test_xml_with_elements_called_nav_is_no_page() -> None:
    def entries(above: str) -> str:
        return "".join(
            f'<entry href="{to}"><![CDATA[{label}]]>{entries(label)}</entry>'
            for label, up, to in PAGES
            if up == above
        )

    head = '<?xml version="1.0"?><!-- made --><export><site url="https://boats.example"/><navs>'
    text = f'{head}<nav name="main">{entries("")}</nav></navs></export>'
    found = looked(text.encode(), "x.xml")
    assert menus(found) == [BOATS], found.text
    assert found.surveyed.site.addresses == ("https://boats.example",)


def test_labels_for_each_language_in_an_element_around_them() -> None:
    def nodes(above: str) -> str:
        return "".join(
            f'<node uid="n{NUMBER[label]}"><label><text lang="en">{label}</text>'
            f'<text lang="nb">{label}!</text></label><link to="p{NUMBER[label]}"/>'
            + (f"<nodes>{below}</nodes>" if below else "")
            + "</node>"
            for label, up, _ in PAGES
            if up == above
            for below in [nodes(label)]
        )

    pages = "".join(f'<page id="p{NUMBER[label]}" path="{to}"/>' for label, _, to in PAGES)
    text = f'<menus><menu id="m" title="Main">{nodes("")}</menu><pages>{pages}</pages></menus>'
    found = looked(text.encode(), "x.xml")
    assert menus(found) == [BOATS] and leads(found) == WAYS, found.text
    assert dict(found.surveyed.site.menus[0].items[2].translations) == {"nb": "About!"}
    profile = parsed(found.text, "p.toml")
    same = convert(text.encode(), "x.xml", profile, from_=profile)
    assert re.sub(rb"\s+<", b"<", same.data).strip().endswith(text.encode())
    assert not any(rule.bare for rule in profile.items.kinds)  # these are ids of pages
    table = b"menu,level,label,address\nm,1,Jibs,/boats/sails/jibs\n"
    made = convert(table, "t.csv", profile, into=(text.encode(), "x.xml"))
    words = b'<label><text lang="en">Jibs</text></label><link to="p3"/>'
    assert words in re.sub(rb"\s+<", b"<", made.data)


def test_a_root_that_leads_nowhere_is_no_item() -> None:
    rows = [f"{NUMBER[label] + 1},{NUMBER.get(up, 0) + 1},{label},{to}" for label, up, to in PAGES]
    data = "\n".join(["id,parent,title,url", "1,,ROOT,", *rows, ""]).encode()
    assert menus(looked(data, "x.csv")) == [BOATS]
    # The start page may be above all others.
    data = data.replace(b"1,,ROOT,", b"1,,Home,/")
    assert menus(looked(data, "x.csv")) == [[("Home", BOATS)]]


def test_records_by_name_in_menus_that_list_them() -> None:
    entries = {
        f"e{NUMBER[label]}": {
            "text": label,
            "target": {"kind": "page", "id": f"p{NUMBER[label]}"},
            "children": [f"e{NUMBER[one]}" for one, up, _ in PAGES if up == label],
        }
        for label, _, _ in PAGES
    }
    pages = {f"p{NUMBER[label]}": {"url": to, "title": label} for label, _, to in PAGES}
    top = [f"e{NUMBER[label]}" for label, up, _ in PAGES if not up]
    document = {"entries": entries, "menus": {"main": top[:2], "foot": top[2:]}, "pages": pages}
    found = looked(document, "x.json")
    assert menus(found) == [BOATS[:2], BOATS[2:]] and leads(found) == WAYS, found.text
    profile = parsed(found.text, "p.toml")
    data = json.dumps(document).encode()
    made = json.loads(convert(data, "x.json", profile, from_=profile).data)
    for entry in made["entries"].values():
        entry.setdefault("children", [])
    assert made == document


def test_one_place_says_one_fact() -> None:
    line = 'fields = { label = "slug" }'
    with pytest.raises(ProfileError, match="'label' reads 'slug' already; one place says one"):
        parsed(RULE.replace(line, 'fields = { label = "slug", tooltip = "slug" }'), "p.toml")


def test_two_columns_of_addresses() -> None:
    """Each item fills one of them: told by a word, or by nothing."""
    head = "Menu,ID,Parent,Label,Type,Page,Custom URL"
    lines = [
        f"m,x{NUMBER[one]},{up and f'x{NUMBER[up]}'},{one},Page,{to}," for one, up, to in PAGES
    ]
    lines += ["m,x8,,Weather,URL,,https://weather.example/", "m,x9,,More,Heading,,"]
    found = looked("\n".join([head, *lines, ""]).encode(), "x.csv")
    assert menus(found) == [[*BOATS, "Weather", "More"]], found.text
    assert leads(found) == [*WAYS, "https://weather.example/", ""]
    table = b"menu,level,label,address\nm,1,A,/a\nm,1,B,https://b.example/\nm,1,C,\n"
    made = convert(table, "t.csv", parsed(found.text, "p.toml"))
    rows = csv.DictReader(made.data.decode().splitlines())
    said = [(row["Label"], row["Type"], row["Page"], row["Custom URL"]) for row in rows]
    wanted = [("A", "Page", "/a", ""), ("B", "URL", "", "https://b.example/")]
    assert said == [*wanted, ("C", "Heading", "", "")]
    bare = [",".join(cell for at, cell in enumerate(line.split(",")) if at != 4) for line in lines]
    data = "\n".join([head.replace(",Type", ""), *bare, ""]).encode()
    found = looked(data, "x.csv")
    assert leads(found) == [*WAYS, "https://weather.example/", ""], found.text


def test_references_that_begin_with_a_word() -> None:
    rows = [
        {"uuid": f"7a{NUMBER[label]}", "title": label, "path": to}
        | {"parent": f"menu_link:7a{NUMBER[up]}" if up else ""}
        for label, up, to in PAGES
    ]
    found = looked(rows, "x.json")
    assert menus(found) == [BOATS], found.text
    assert 'composed = { parent = "menu_link:{ref}" }' in found.text
    profile = parsed(found.text, "p.toml")
    table = b"menu,level,label,address\nm,1,A,/a\nm,2,B,/b\n"
    made = json.loads(convert(table, "t.csv", profile).data)
    assert made[1]["parent"] == f"menu_link:{made[0]['uuid']}"


def test_addresses_that_begin_with_a_word() -> None:
    rows = [{"title": label, "uri": f"internal:{to}", "up": up} for label, up, to in PAGES]
    rows.append({"title": "Weather", "uri": "https://weather.example/", "up": ""})
    found = looked(rows, "x.json")
    assert menus(found) == [[*BOATS, "Weather"]] and leads(found)[:7] == WAYS, found.text
    table = b"menu,level,label,address\nm,1,A,/a\nm,1,B,https://b.example/\n"
    made = json.loads(convert(table, "t.csv", parsed(found.text, "p.toml")).data)
    assert [one["uri"] for one in made] == ["internal:/a", "https://b.example/"]


def test_languages_with_countries() -> None:
    rows = [{"label": {"en-GB": label, "nb-NO": f"{label}!"}, "url": to} for label, _, to in PAGES]
    found = looked({"links": rows}, "x.json")
    first = found.surveyed.site.menus[0].items[0]
    assert dict(first.translations) == {"nb-NO": "Boats!"}, found.text


def test_a_word_for_the_kind_beside_addresses_that_begin_with_one() -> None:
    rows = [{"title": label, "kind": "page", "uri": f"internal:{to}"} for label, _, to in PAGES]
    rows.append({"title": "Weather", "kind": "url", "uri": "https://weather.example/"})
    found = looked({"links": rows}, "x.json")
    assert leads(found) == [*WAYS, "https://weather.example/"], found.text
    table = b"menu,level,label,address\nm,1,A,/a\nm,1,B,https://b.example/\n"
    made = json.loads(convert(table, "t.csv", parsed(found.text, "p.toml")).data)["links"]
    said = [(one["kind"], one["uri"]) for one in made]
    assert said == [("page", "internal:/a"), ("url", "https://b.example/")]


def test_labels_beside_the_element_around_them_are_told() -> None:
    label = '<label><text lang="en">A</text></label>'
    node = '<node>{}<text lang="nb">B</text><link to="/a"/></node>'
    rest = f'<node>{label.replace(">A", ">C")}<link to="/c"/></node>'
    data = f'<menus><menu id="m">{node.format(label)}{rest}</menu></menus>'.encode()
    surveyed, _ = read(data, "x.xml", parsed(WRAPPED, "p.toml"))
    first = surveyed.site.menus[0].items[0]
    assert (first.label, [extra.path for extra in first.extras]) == ("A", ["text"])
    mixed = label.replace("</label>", "<note/></label>")
    surveyed, _ = read(data.replace(label.encode(), mixed.encode()), "x.xml", parsed(WRAPPED, "p"))
    first = surveyed.site.menus[0].items[0]
    assert not first.label and [extra.path for extra in first.extras] == ["label", "text"]


WRAPPED = """\
profile = 1
id = "wrapped"
name = "Wrapped"
container = "xml"
recognise = { root = "menus" }
site = {}
locations = { form = "names", open = true }
[menus]
at = "menu"
fields = { key = "@id" }
[items]
fold = { children = "label/text", key = "@lang", named = "text" }
tie = { structure = "nested", inside = "node" }
fields = { label = "text@en", translations = "text@*" }
[[items.kinds]]
when = {}
kind = "address"
address = "link/@to"
none = ""
"""


def test_slugs_of_two_lists() -> None:
    pages = [{"id": at, "up": up, "slug": name.lower(), "title": name} for at, up, name in TWO]
    more = [{**one, "id": one["id"] + 10, "up": one["up"] and one["up"] + 10} for one in pages]
    links = [
        {"kind": kind, "ref": one["id"], "text": f"The {one['title']}"}
        for kind, some in (("page", pages), ("article", more))
        for one in some
    ]
    found = looked({"pages": pages, "articles": more, "links": links}, "x.json")
    # Whether the pages are the menu, or the links to them, is told by nothing but names.
    said = " ".join(line.lstrip("# ") for line in found.text.splitlines())
    assert "the records at 'links' name these: are they the menu, and these pages?" in said
    assert found.text.count('slug = "slug"') == 2


TWO: list[tuple[int, Any, str]] = [
    *((1, None, "Boats"), (2, 1, "Sails"), (3, 1, "Oars"), (4, None, "About")),
]
