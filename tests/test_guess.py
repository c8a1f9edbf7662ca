"""First profiles of exports that nobody described: how many of them are right, untouched."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Run
from tests.score import HALVES, outcome, outcomes
from tests.score import menus_of as all_of
from tests.test_folders import filled
from tests.test_pairs import DEMO
from tests.unknown import ONE, SHAPES, TREE, Node, cases, plan
from ypsiform.demo import DATA
from ypsiform.errors import AuditError, RefusedError, YpsiformError
from ypsiform.first_profile import first_profile
from ypsiform.guess import draft
from ypsiform.guess.weigh import TERMS
from ypsiform.guess.words import content_kind, says, target_kind
from ypsiform.migrate import convert
from ypsiform.model import Item, Links, Site
from ypsiform.profiles.load import parsed
from ypsiform.reading import read

SAMPLES = Path(__file__).parent / "samples"


def menus_of(site: Site) -> list[Any]:
    """What was read of each menu: labels, addresses, order and nesting."""
    paths = {(content.kind, content.id): content.path for content in site.contents}

    def of(items: list[Item]) -> list[Any]:
        found = []
        for item in items:
            target = item.target
            path = paths.get((target.kind, target.content or ""))
            address = target.address if target.address is not None else path
            found.append((item.label, address or "", of(item.children)))
        return found

    return sorted(of(menu.items) for menu in site.menus)


def right(data: bytes, tree: dict[str, tuple[Node, ...]]) -> tuple[bool, int]:
    """Whether a file is read exactly by the profile guessed from it, and how much is marked."""
    made = draft(data, "sample")
    site = read(data, "sample", parsed(made.text, "guess.toml"))[0].site
    marks = sum("# UNCERTAIN: " in line for line in made.text.splitlines())
    assert marks == made.uncertain
    return menus_of(site) == sorted(items for _, items in plan(tree)), made.uncertain


@pytest.mark.parametrize("name", SHAPES)
def test_an_ordinary_export_works_untouched(name: str) -> None:
    """All of them are read exactly, and none of these guesses needs a mark."""
    tree = ONE if name in ("json_french_list_alone", "csv_parents_of_one_menu") else TREE
    found, marks = right(SHAPES[name](), tree)
    assert found
    assert marks == 0


def test_the_score_over_all_structures_containers_and_languages(
    record_property: Callable[[str, object], None],
) -> None:
    wrong: list[str] = []
    unmarked: list[str] = []
    by_name = total = 0
    for case in cases():
        total += 1
        try:
            found, marks = right(case.data, case.tree)
        except YpsiformError as error:
            found, marks = False, 0
            unmarked.append(f"{case.name}: {error}")
        by_name += found and "no language" not in case.name
        if not found:
            wrong.append(case.name)
            if not marks:
                unmarked.append(case.name)
    score = f"{total - len(wrong)} of {total} unknown exports are read exactly"
    record_property("score", f"profile new: {score}; not: {'; '.join(wrong)}")
    assert unmarked == []  # a guess that is wrong says that it may be
    assert total == 240 and by_name == 200 and not wrong


PARTS = {"in menus": {"json", "xlsx"}, "in parts": {"json", "csv"}}
"""Halves that were made later, with the containers of their shapes."""


@pytest.mark.parametrize(
    ("half", "least"), [("seen", 0.95), ("held", 0.9), ("in menus", 0.9), ("in parts", 0.85)]
)
def test_the_score_over_generated_exports(
    half: str, least: float, record_property: Callable[[str, object], None]
) -> None:
    """Exact readings of either half; of those that are not, nearly all are marked."""
    found = list(outcomes(half, 198))
    exact = [one for one in found if one.exact]
    unmarked = [one for one in found if not one.exact and not one.marked]
    marked = sum(one.marked for one in exact)
    score = f"{len(exact)} of {len(found)} exact, {marked} of them marked, "
    score += f"{len(unmarked)} wrong and not marked"
    record_property("score", f"profile new, generated exports ({half}): {score}")
    assert len(exact) >= least * len(found), score
    assert len(unmarked) <= 0.03 * len(found), score
    containers = {one.case.container for one in found}
    if half in PARTS:
        assert containers == PARTS[half]
        return
    assert {"csv", "xlsx", "sql", "lines", "markdown", "grid", "xml", "yaml"} <= containers


def test_names_of_fields_decide_nothing_but_what_is_hidden() -> None:
    """With all keys renamed the same menus are read: only of flags the name tells the sense."""

    def renamed(node: Any, names: dict[str, str]) -> Any:
        if isinstance(node, dict):
            return {
                names.setdefault(key, f"q{7 * len(names) % 997}"): renamed(inner, names)
                for key, inner in node.items()
            }
        return [renamed(inner, names) for inner in node] if isinstance(node, list) else node

    def shown(menus: Any) -> Any:
        """Menus without what they say of hidden items."""
        return [(*item[:3], shown(item[4])) for item in menus]

    looked = 0
    for half in ("seen", "held"):
        shapes, seed = HALVES[half]
        for case in shapes.cases(132, seed):
            if case.container != "json" or not outcome(case).exact:
                continue
            looked += 1
            data = json.dumps(renamed(json.loads(case.data), {})).encode()
            made = draft(data, case.file)
            site = read(data, case.file, parsed(made.text, "guess.toml"))[0].site
            wanted = sorted(shown(menu) for menu in case.menus)
            assert sorted(shown(menu) for menu in all_of(site)) == wanted, case.name
    assert looked > 30


LIKE_REAL_ONES: dict[str, tuple[str, list[str]]] = {
    "database.json": (
        """[{"type": "header", "version": "5"}, {"type": "table", "name": "nav", "data": [
        {"nr": "4", "bar": "2", "up": "0", "seq": "10", "words": "Islands", "leaf": "71"},
        {"nr": "5", "bar": "2", "up": "4", "seq": "20", "words": "Haldrun", "leaf": "72"},
        {"nr": "6", "bar": "2", "up": "4", "seq": "10", "words": "Skerry", "leaf": "73"},
        {"nr": "7", "bar": "3", "up": "0", "seq": "10", "words": "Contact us", "leaf": "74"}]},
        {"type": "table", "name": "bars", "data": [
        {"bar": "2", "slug": "main", "about": "Main menu"},
        {"bar": "3", "slug": "foot", "about": "Foot of pages"}]},
        {"type": "table", "name": "leaves", "data": [
        {"leaf": "71", "heading": "All islands", "at": "/islands"},
        {"leaf": "72", "heading": "The isle of Haldrun", "at": "/islands/haldrun"},
        {"leaf": "73", "heading": "The isle of Skerry", "at": "/islands/skerry"},
        {"leaf": "74", "heading": "How to reach us", "at": "/contact"},
        {"leaf": "75", "heading": "Old news", "at": "/news"}]}]""",
        ["Main menu  (main;", "    Skerry  ", "    Haldrun  ", "page /islands/haldrun"],
    ),
    "handbook.yaml": (
        "site: x\nnav:\n  - Welcome: index.md\n  - Visitors:\n    - visitors/index.md\n"
        "    - Tickets:\n      - Groups: visitors/groups.md\n  - Shop: https://shop.example/\n",
        ["      Groups  ", "file visitors/groups.md", "6 items on 3 levels"],
    ),
    "embedded.json": (
        """{"_links": {"self": {"href": "/api/navs"}}, "_embedded": {"navs": [{"id": 7,
        "handle": "main", "_links": {"self": {"href": "/api/navs/7"}}, "_embedded": {"items": [
        {"id": 70, "title": "Islands", "_links": {"self": {"href": "/api/items/70"},
        "target": {"href": "/islands"}}, "_embedded": {"items": [
        {"id": 71, "title": "Haldrun", "_links": {"self": {"href": "/api/items/71"},
        "target": {"href": "/islands/haldrun"}}, "_embedded": {"items": []}}]}},
        {"id": 72, "title": "Fares", "_links": {"self": {"href": "/api/items/72"},
        "target": {"href": "/fares"}}, "_embedded": {"items": []}}]}}]}}""",
        ["    Haldrun  ", "page /islands/haldrun", "page /fares"],
    ),
    "mixed.json": (
        """[{"model": "a.tree", "pk": 1, "fields": {"title": "Main", "alias": "main"}},
        {"model": "a.leaf", "pk": 1, "fields": {"title": "Islands", "url": "/islands/", "tree": 1,
        "hidden": false, "up": null, "place": 1, "hint": "", "guest": false, "crumbs": true}},
        {"model": "a.leaf", "pk": 2, "fields": {"title": "Haldrun", "url": "/islands/h/", "tree": 1,
        "hidden": false, "up": 1, "place": 2, "hint": "", "guest": false, "crumbs": true}},
        {"model": "a.leaf", "pk": 3, "fields": {"title": "Skerry", "url": "/islands/s/", "tree": 1,
        "hidden": true, "up": 1, "place": 1, "hint": "", "guest": false, "crumbs": true}}]""",
        ["Main  (main;", "    Skerry  ", "switched off", "page /islands/h/"],
    ),
}


@pytest.mark.parametrize("name", LIKE_REAL_ONES)
def test_forms_that_real_systems_write(run: Run, tmp_path: Path, name: str) -> None:
    text, words = LIKE_REAL_ONES[name]
    (tmp_path / name).write_text(text, "utf-8")
    done = run("profile", "new", name, "-o", "p.toml")
    assert done.returncode == 0, done.stderr
    for said in words:
        assert said in done.stdout, done.stdout
    assert run("profile", "check", "p.toml", name).returncode == 0


def test_a_file_of_no_platform_is_surveyed_by_its_likeliest_reading(
    run: Run, tmp_path: Path
) -> None:
    name = "database.json"
    (tmp_path / name).write_text(LIKE_REAL_ONES[name][0], "utf-8")
    done = run("survey", name)
    assert done.returncode == 0 and "Main menu  (main;" in done.stdout
    assert "of no platform that Ypsiform knows" in done.stderr
    assert f"ypsiform profile new {name} -o my.toml" in done.stderr
    refused = run("convert", name, "--to", "stallmere", "-o", "o.json")
    assert refused.returncode == 1 and "profile new" in refused.stderr
    shown = run("profile", "new", name, "--show", "3")
    assert shown.returncode == 0 and shown.stdout.count(". Score ") == 3
    assert "structure 0." in shown.stdout and "--pick K" in shown.stderr
    picked = run("profile", "new", name, "--pick", "2", "-o", "second.toml")
    assert picked.returncode == 0
    assert "# Score " in (tmp_path / "second.toml").read_text("utf-8")
    missing = run("profile", "new", name, "--pick", "20", "-o", "third.toml")
    assert missing.returncode == 1 and "and no number 20" in missing.stderr
    assert run("profile", "new", name).returncode == 2


def test_readings_that_come_near_are_marked() -> None:
    table = "n,m,words,to\n" + "".join(
        f"{1 + at % 2},{1 + at // 2 % 2},Label {chr(65 + at)},/p{at}\n" for at in range(12)
    )
    made = draft(table.encode(), "x.csv")
    assert made.uncertain and made.weight > 1 and set(made.terms) <= set(TERMS)


def test_the_command(run: Run, tmp_path: Path) -> None:
    (tmp_path / "shop-menus.json").write_bytes(SHAPES["json_references_to_pages"]())
    done = run("profile", "new", "shop-menus.json", "-o", "shop.toml")
    assert done.returncode == 0, done.stderr
    assert "guesses marked UNCERTAIN: none" in done.stderr
    for words in ("2 menus, 11 items, 10 content records", "page /islands/haldrun/winter"):
        assert words in done.stdout, done.stdout
    assert "read.extra" not in done.stdout
    text = (tmp_path / "shop.toml").read_text("utf-8")
    for words in (
        'id = "shop-menus"',
        "# 'type' says 'page'; 9 of its 9 values are in 'id' at 'pages'",
        'when = { type = "page" }',
        'tie = { structure = "parent", id = "id", under = "parent", order = "position", menu',
        'site = { fields = { address = "site" } }',
    ):
        assert words in text, text
    check = run("profile", "check", "shop.toml", "shop-menus.json")
    assert check.returncode == 0 and "is a sound profile" in check.stdout, check.stdout
    done = run(
        "convert", "shop-menus.json", "--from", "shop.toml", "--to", "stallmere", "-o", "o.json"
    )
    assert done.returncode == 0 and json.loads((tmp_path / "o.json").read_bytes())["trees"]
    again = run("profile", "new", "shop-menus.json", "-o", "shop.toml")
    assert again.returncode == 1 and "--force" in again.stderr
    shown = run("profile", "new", "shop-menus.json", "-o", "-")
    assert shown.stdout == text


@pytest.mark.parametrize(
    "name", ["json_menus_with_nested_items", "csv_outline_in_polish", "xml_keys_and_values"]
)
def test_what_was_guessed_is_written_back(name: str) -> None:
    data = SHAPES[name]()
    profile = draft(data, "sample").text
    path = Path(__file__).parent / "nothing.toml"
    made = parsed(profile, str(path))
    source = read(data, "sample", made)[0]
    assert not made.read_only and source.site.platform == "sample"


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.json", b'{"a": [1, 2]}', "no list of records in it looks like a menu"),
        ("a.json", b"{", "this is not JSON"),
        ("a.json", b'"x"', "single value"),
        ("a.txt", b"words", "single value"),
        ("a.txt", b"", "the file is empty"),
        ("a.xml", b"<a><b/></a>", "no list of records"),
        ("a.html", b"<!DOCTYPE html><html><body><nav></nav></body></html>", "--from html"),
        ("a.csv", b"a,b\n1,2\n", "no list of records"),
        ("a.zip", b"PK\x03\x04", "this zip is damaged"),
        ("a.json", b'{"items": [{"title": "A", "url": "/a", "items": 5}]}', ""),
    ],
)
def test_what_cannot_be_guessed(
    run: Run, tmp_path: Path, name: str, data: bytes, words: str
) -> None:
    (tmp_path / name).write_bytes(data)
    done = run("profile", "new", name, "-o", "p.toml")
    assert "Traceback" not in done.stderr
    if words:
        assert done.returncode == 1 and words in done.stderr, done.stderr
        assert done.stderr.count("\n") == 1 and not (tmp_path / "p.toml").exists()


@pytest.mark.parametrize(
    "sample",
    ["crate.json", "graph.json", "named.json", "resources.json", "rides.json", "spaced.xml",
     "trails.csv", "words.yaml"],
)  # fmt: skip
def test_odd_exports_give_a_profile_or_a_sentence(sample: str) -> None:
    """What is guessed of them is sound and reads the file, or says in one sentence why not."""
    data = (SAMPLES / sample).read_bytes()
    try:
        made = draft(data, sample)
    except YpsiformError as error:
        assert str(error)
        return
    profile = parsed(made.text, "p.toml")
    try:
        read(data, sample, profile)
    except YpsiformError as error:
        assert error.file == sample


def test_platforms_that_ship_are_guessed_like_others() -> None:
    """Even where a profile exists, a guess finds the labels and where they lead."""
    for platform in ("csv", "stallmere/plain", "tilewick/lintel"):
        data = convert(DEMO, "old.xml", platform).data
        made = draft(data, "x")
        site = read(data, "x", parsed(made.text, "p.toml"))[0].site
        labels = {item[0] for menu in menus_of(site) for item in menu}
        assert {"Sailings", "Fares", "Travel help"} <= labels, (platform, labels)


def test_words() -> None:
    assert says("menu_item_title", "label") == 0.5 and says("Beschriftung", "label") > 0.8
    assert says("länk", "address") == says("lank", "address") > 0.8
    assert content_kind("Seiten") == "page" and content_kind("stock/produits") == "product"
    assert target_kind("Trenner") == "divider" and target_kind("xyz") is None


def test_a_first_profile_that_is_not_proven_only_reads(monkeypatch: pytest.MonkeyPatch) -> None:
    def unproven(*_: object, **__: object) -> None:
        raise AuditError("planted", ["planted"])

    table = b"menu,level,label,url\nmain,1,Sailings,/sailings\nmain,2,North,/north\n"
    assert not parsed(first_profile(table, "t.csv").text, "p").read_only
    monkeypatch.setattr("ypsiform.first_profile.convert", unproven)
    made = first_profile(table, "t.csv")
    profile = parsed(made.text, "p")
    assert profile.read_only and made.uncertain and "# UNCERTAIN: the sample was not" in made.text
    assert len(read(table, "t.csv", profile)[0].rows.things) == 2


SHOP = [("1", "", "Home", "/"), ("2", "", "Services", "/services")]
SHOP += [("3", "2", "Web", "/services/web"), ("4", "2", "Hosting", "/services/hosting")]
SHOP += [("7", "4", "Managed", "/services/hosting/managed"), ("6", "2", "Care", "/services/care")]
SHOP += [("8", "", "News", "/news"), ("10", "8", "Press", "/news/press")]
SHOP += [("5", "", "Contact", "/contact")]
LABELS = {ident: label for ident, _, label, _ in SHOP}
OUTLINE = ["Home", "Services", "  Web", "  Hosting", "    Managed", "  Care", "News", "  Press"]
OUTLINE += ["Contact"]


def _keyed(above: str) -> dict[str, Any]:
    return {
        label.lower(): {"caption": label, "href": to, "sub": _keyed(ident)}
        for ident, up, label, to in SHOP
        if up == above
    }


def _in_pairs() -> str:
    items = ""
    for ident, up, label, to in SHOP:
        pairs = {"_up": up or "0", "_kind": "own" if ident == "5" else "page", "_of": f"5{ident}"}
        meta = "".join(f"<meta><k>{k}</k><v>{v}</v></meta>" for k, v in pairs.items())
        title = label if ident in "145" else ""
        items += f"<it><title>{title}</title><no>{ident}</no><sort>entry</sort>{meta}</it>"
        meta = "<meta><k>_look</k><v>plain</v></meta><meta><k>_seen</k><v>7</v></meta>"
        items += f"<it><title>{label}</title><no>5{ident}</no><sort>page</sort>"
        items += f"<link>https://acme.example{to}</link>{meta}</it>"
    return f"<out><all>{items}</all></out>"


def _translated() -> str:
    rows, words = [], []
    for place, (ident, up, label, to) in enumerate(SHOP):
        rows.append(f"({ident},{up or 'NULL'},{place},'{to}')")
        words += [f"({ident},'en','{label}')", f"({ident},'nb','{label} (nb)')"]
    return (
        "CREATE TABLE entry (id int, up int, pos int, url text);\n"
        "CREATE TABLE entry_text (entry int, tongue text, title text);\n"
        f"INSERT INTO entry VALUES {','.join(rows)};\n"
        f"INSERT INTO entry_text VALUES {','.join(words)};\n"
    )


def _with_a_root() -> str:
    rows = ["(90,'','Root','root',0)"]
    rows += [f"({ident},'top','{label}','{to}',{up or 90})" for ident, up, label, to in SHOP]
    return (
        "CREATE TABLE nav (id int, kind text, title text, path text, up int);\n"
        f"INSERT INTO nav VALUES {','.join(rows)};\n"
    )


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("keyed.json", json.dumps({"main": _keyed("")})),
        ("pairs.xml", _in_pairs()),
        ("translated.sql", _translated()),
        ("root.sql", _with_a_root()),
        (
            "flags.csv",
            "Menu;Label;Under;URL;New tab\n"
            + "".join(
                f"Main;{label};{LABELS.get(up, '')};"
                f"https://acme.example{to};{'yes' if ident == '5' else 'no'}\n"
                for ident, up, label, to in SHOP
            ),
        ),
    ],
)
def test_exports_of_usual_shapes(name: str, text: str) -> None:
    made = first_profile(text.encode(), name)
    [menu] = made.surveyed.site.menus
    found: list[str] = []
    stack = [(item, 0) for item in reversed(menu.items)]
    while stack:
        item, depth = stack.pop()
        found.append("  " * depth + item.label)
        stack += [(below, depth + 1) for below in reversed(item.children)]
    assert found == OUTLINE, made.text


def test_paths_in_words_of_addresses_are_a_tree_and_no_labels() -> None:
    rows = [f"{label},{to},{to.strip('/') or 'home'}" for _, _, label, to in SHOP]
    made = first_profile("\n".join(["name,url,path", *rows, ""]).encode(), "t.csv")
    [menu] = made.surveyed.site.menus
    [services] = [item for item in menu.items if item.label == "Services"]
    assert [item.label for item in services.children] == ["Web", "Hosting", "Care"], made.text
    [managed] = services.children[1].children
    assert (managed.label, managed.target.address) == ("Managed", "/services/hosting/managed")
    assert made.uncertain == 0


def test_a_flat_list_of_addresses_that_go_on_from_each_other_is_marked() -> None:
    rows = [f"{label},{to}" for _, _, label, to in SHOP]
    made = first_profile("\n".join(["name,url", *rows, ""]).encode(), "t.csv")
    assert len(made.surveyed.site.menus[0].items) == len(SHOP)
    said = " ".join(line.lstrip("# ") for line in made.text.splitlines())
    assert "UNCERTAIN: nothing says what stands below what; but 5 of 9 addresses go on" in said
    apart = [f"{label},/{n}" for n, (_, _, label, _) in enumerate(SHOP)]
    made = first_profile("\n".join(["name,url", *apart, ""]).encode(), "t.csv")
    assert "what stands below what; but" not in made.text


def test_lists_in_items_that_are_not_read_are_told() -> None:
    items = [
        {
            "sys": {"id": f"e{n}"},
            "label": f"Item {word}",
            "to": f"/{word}",
            "more": [{"id": f"e{n + 1}"}],
        }
        for n, word in enumerate(["isles", "fares", "crew", "boats", "birds"])
    ]
    made = draft(json.dumps({"entries": items}).encode(), "e.json")
    assert "UNCERTAIN" in made.text and "what stands in 'more' of the records" in made.text


DIVIDED = [
    {"title": "Home", "href": "/", "newTab": False, "rule": False},
    {"title": "Isles", "href": "/isles", "newTab": False, "rule": False},
    {"title": "", "rule": True},
    {"title": "Fares", "href": "/fares", "newTab": False, "rule": False},
    {"title": "Crew", "href": "/crew", "newTab": False, "rule": False},
    {"title": "Shop", "href": "https://shop.example/", "newTab": True, "rule": False},
]


@pytest.mark.parametrize(("name", "marked"), [("rule", 0), ("f9", 1)])
def test_dividers_told_by_a_switch_are_read_and_written(
    run: Run, tmp_path: Path, name: str, marked: int
) -> None:
    items = [{name if k == "rule" else k: v for k, v in item.items()} for item in DIVIDED]
    (tmp_path / "s.json").write_text(json.dumps({"items": items}), "utf-8")
    made = first_profile((tmp_path / "s.json").read_bytes(), "s.json")
    assert f'booleans = ["{name}"]' in made.text and made.uncertain == marked, made.text
    [menu] = made.surveyed.site.menus
    assert [item.role for item in menu.items] == [*["link"] * 2, "divider", *["link"] * 3]
    assert not any(item.hidden for item in menu.items)
    assert menu.items[-1].traits.window == "new"
    (tmp_path / "p.toml").write_text(made.text, "utf-8")
    run("convert", "s.json", "--from", "p.toml", "--to", "p.toml", "-o", "t.json")
    there = json.loads((tmp_path / "t.json").read_bytes())["items"]
    assert [item[name] for item in there] == [False, False, True, False, False, False]


def test_mappings_of_named_records_that_are_a_menu_each(run: Run, tmp_path: Path) -> None:
    foot = {name.lower(): {"caption": name, "href": f"/{name}"} for name in ("Imprint", "Privacy")}
    whole = {"version": 3, "nav": {"lists": {"main": _keyed(""), "footerLinks": foot}}}
    (tmp_path / "s.json").write_text(json.dumps(whole), "utf-8")
    made = first_profile((tmp_path / "s.json").read_bytes(), "s.json")
    (tmp_path / "p.toml").write_text(made.text, "utf-8")
    menus = {menu.key: menu for menu in made.surveyed.site.menus}
    assert [item.label for item in menus["footerLinks"].items] == ["Imprint", "Privacy"]
    assert [item.label for item in menus["main"].items[1].children] == ["Web", "Hosting", "Care"]
    run("convert", "s.json", "--from", "p.toml", "--to", "p.toml", "-o", "same.json")
    there = json.loads((tmp_path / "same.json").read_bytes())
    assert {**there, "nav": 0} == {**whole, "nav": 0}
    assert there["nav"]["lists"].keys() == menus.keys()
    # Another site's menus come into those that there are, and the others are told.
    data = DATA.joinpath("old.xml").read_bytes()
    done = convert(data, "old.xml", parsed(made.text, "p"))
    assert sorted(done.written_as.values()) == [["footerLinks"], ["main"]]
    assert {f.menu for f in done.findings if f.code == "menu.no-place"}.isdisjoint(done.written_as)
    assert len(done.source.site.menus) == 6 and done.shown == (4, 2)


@pytest.mark.parametrize("half", [*HALVES])
def test_another_site_is_converted_into_what_was_guessed(half: str) -> None:
    """Menus of another site are written by any first profile, or refused plainly."""
    data = DATA.joinpath("old.xml").read_bytes()
    written = 0
    shapes, seed = HALVES[half]
    for case in shapes.cases(24, seed + 1):
        try:
            profile = parsed(first_profile(case.data, case.file).text, "p")
        except YpsiformError:
            continue
        for into in (None, (case.data, case.file)):
            try:
                convert(data, "old.xml", profile, into=into)
                written += 1
            except AuditError as error:
                raise AssertionError(f"{half}, {case.file}: {error.problems[:3]}") from error
            except RefusedError:
                assert profile.container in ("sqlite", "sql") or profile.read_only
    assert written > 30


def _columns(of: str, heading: str, label: str, to: str, **more: str) -> list[Any]:
    return [
        {
            heading: f"{of} {part}",
            **dict.fromkeys(more.values(), f"/{of}/{part}"),
            "links": [{label: f"{part} {n}", to: f"/{of}/{part}/{n}"} for n in ("old", "new")],
        }
        for part in ("isles", "coasts")
    ]


@pytest.mark.parametrize(
    ("heading", "label", "to", "leads"),
    [
        ("heading", "text", "goes", ""),
        ("heading", "title", "url", ""),
        ("title", "title", "url", "url"),
        ("title", "caption", "url", "url"),
    ],
)
@pytest.mark.parametrize("menus", [False, True])
def test_columns_of_links_in_items_are_panels(
    heading: str, label: str, to: str, leads: str, menus: bool
) -> None:
    more = {"leads": leads} if leads else {}
    items: list[Any] = [
        {"title": "Sail", "url": "/sail", "parts": _columns("sail", heading, label, to, **more)},
        {"title": "Fares", "url": "/fares"},
        {"title": "Stay", "url": "/stay", "parts": _columns("stay", heading, label, to, **more)},
    ]
    foot = [{"title": "Imprint", "url": "/imprint"}, {"title": "Privacy", "url": "/privacy"}]
    tree: Any = {"head": items, "foot": foot} if menus else {"version": 2, "list": items}
    data = json.dumps(tree).encode()
    made = first_profile(data, "s.json")
    assert made.uncertain == 0, made.text
    found = next(iter(made.surveyed.site.menus)).items
    assert [item.label for item in found] == ["Sail", "Fares", "Stay"] and not found[1].panel
    panel = found[2].panel
    assert panel is not None and len(panel.columns) == 2
    [block] = panel.columns[1].blocks
    assert isinstance(block, Links) and block.heading is not None
    assert block.heading.label == "stay coasts"
    assert block.heading.target.address == ("/stay/coasts" if leads else None)
    ends = [(one.label, one.target.address) for one in block.items]
    assert ends == [("coasts old", "/stay/coasts/old"), ("coasts new", "/stay/coasts/new")]
    profile = parsed(made.text, "p")
    assert filled(json.loads(convert(data, "s.json", profile, from_=profile).data)) == tree
    there = convert(DATA.joinpath("old.xml").read_bytes(), "old.xml", profile).written
    assert any(item.panel is not None for menu in there.menus for item in menu.items)


def test_words_that_say_more_than_an_address_stay_as_they_are() -> None:
    words = ["plain", "mega", "drop", "mega", "rule"]
    items = [{"title": f"Part {w} {n}", "to": f"/{n}", "type": w} for n, w in enumerate(words)]
    items[-1] = {"title": "", "to": "", "type": "separator"}
    made = first_profile(json.dumps({"list": items}).encode(), "s.json")
    profile = parsed(made.text, "p")
    data = json.dumps({"list": items}).encode()
    there = json.loads(convert(data, "s.json", profile, from_=profile).data)["list"]
    assert [item["type"] for item in there] == ["plain", "mega", "drop", "mega", "separator"]
    assert made.surveyed.site.menus[0].items[-1].role == "divider"


def test_a_text_of_json_where_others_have_a_mapping() -> None:
    tree = {"main": _keyed("")}
    tree["main"]["contact"]["sub"] = "{}"
    made = first_profile(json.dumps(tree).encode(), "s.json")
    assert made.uncertain and "it leaves links unread" in made.text
