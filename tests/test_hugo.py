"""Hugo, the real program: what is written is built by it, and what people write is read as it does.

The theme of these tests shows each menu as a `<nav>` of nested lists.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from lxml import html

from tests.conftest import Run
from ypsiform.demo import DATA
from ypsiform.migrate import convert
from ypsiform.model import Item, Menu, Rows, Site, rows_of
from ypsiform.profiles import documents
from ypsiform.reading import read

OLD = DATA / "old.xml"
SAMPLE = Path(__file__).parent / "samples" / "hugo" / "hugo.toml"
THEME = """
{{- define "items" -}}
<ul>{{ range . }}<li><a{{ with .URL }} href="{{ . | safeURL }}"{{ end -}}
{{ with .Title }} title="{{ . }}"{{ end -}}
{{ with .Params.window }} target="_blank"{{ end }}{{ with .Params.rel }} rel="{{ . }}"{{ end -}}
{{ with .Params.classes }} class="{{ delimit . " " }}"{{ end }}>{{ .Name }}</a>
{{- with .Children }}{{ template "items" . }}{{ end }}</li>{{ end }}</ul>
{{- end -}}
<!DOCTYPE html><html><head><title>Menus</title></head><body>
{{ range $key, $menu := site.Menus }}<nav id="{{ $key }}">{{ template "items" $menu }}</nav>
{{ end }}</body></html>
"""
PAGES = ("sailings", "sailings/west", "sailings/north", "news")


def built(folder: Path, config: str = "", pages: tuple[str, ...] = ()) -> dict[str, list[Any]]:
    """What Hugo shows of each menu: label, address, title and more, and what is below."""
    (folder / "layouts").mkdir(exist_ok=True)
    (folder / "layouts" / "index.html").write_text(THEME, "utf-8")
    for page in pages:
        at = folder / "content" / page / "_index.md"
        at.parent.mkdir(parents=True, exist_ok=True)
        at.write_text(f"---\ntitle: About {page}\n---\nText.\n", "utf-8")
    program = [str(Path(sys.executable).with_name("hugo"))]
    more = ["--config", config] if config else []
    done = subprocess.run(
        [*program, "--source", str(folder), "--quiet", *more], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout + done.stderr
    page_ = html.fromstring((folder / "public" / "index.html").read_text("utf-8"))
    return {nav.get("id") or "": _listed(nav) for nav in page_.iter("nav")}


def _listed(node: Any) -> list[Any]:
    found: list[Any] = []
    for entry in node.xpath("./ul/li"):
        (link,) = entry.xpath("./a")
        names = ("href", "title", "target", "rel", "class")
        found.append((link.text, *(link.get(name) for name in names), _listed(entry)))
    return found


def planned(site: Site, paths: dict[str, str] | None = None) -> dict[str, list[Any]]:
    """The same of a site as Ypsiform reads it; `paths` are those of contents."""
    return {
        menu.key: _plan(menu, rows_of([menu]), paths or {}) for menu in site.menus if menu.items
    }


def _plan(menu: Menu, rows: Rows, paths: dict[str, str]) -> list[Any]:
    def of(item: Item) -> Any:
        traits, target = item.traits, item.target
        address = paths.get(target.content or "", target.address)
        says = ("_blank" if traits.window == "new" else None, traits.rel)
        classes = " ".join(traits.classes) or None
        below = [of(child) for child in item.children]
        return (item.label, address, traits.tooltip, *says, classes, below)

    return [of(item) for item in menu.items]


@pytest.mark.parametrize("name", ["hugo.toml", "hugo.yaml", "hugo.json", "config/"])
def test_hugo_shows_what_was_planned(run: Run, tmp_path: Path, name: str) -> None:
    out = "." if name.endswith("/") else name
    done = run("convert", str(OLD), "--to", "hugo", "-o", out, "--force")
    assert done.returncode == 0, done.stderr
    data = (tmp_path / "config/_default/menus.toml" if out == "." else tmp_path / out).read_bytes()
    form = {"hugo.yaml": "yaml", "hugo.json": "json"}.get(name, "toml")
    settings = {"form": "folder" if out == "." else form}
    plan = convert(OLD.read_bytes(), "old.xml", "hugo", settings=settings).written
    shown = built(tmp_path)
    assert shown == planned(plan)
    assert [len(shown[key]) for key in ("upper", "foot")] == [7, 5]
    assert data.startswith({"json": b"{", "yaml": b"baseURL:", "toml": b"b"}.get(form, b"")) or (
        out == "."
    )


def test_a_config_written_by_hand_is_read_as_hugo_shows_it(tmp_path: Path) -> None:
    (tmp_path / "hugo.toml").write_bytes(SAMPLE.read_bytes())
    shown = built(tmp_path, pages=PAGES)
    site = read(SAMPLE.read_bytes(), "hugo.toml")[0].site
    paths = {"/news": "/news/", "sailings": "/sailings/"}
    paths |= {f"/sailings/{name}": f"/sailings/{name}/" for name in ("west", "north")}
    (bar, foot) = site.menus
    assert bar.key == "main" and foot.key == "foot"
    for thing in rows_of(site.menus).things:
        assert isinstance(thing, Item)
        address = thing.target.address or ""
        thing.target = thing.target.__class__(thing.target.kind, None, paths.get(address, address))
    plan = planned(site)
    # What Hugo falls back to where the page is missing is unread here, and said to be.
    east = plan["main"][0][-1][1]
    assert [item[0] for item in plan["main"][0][-1]] == ["North", "East", "West"], plan
    assert east[1] == "/sailings/gone"
    plan["main"][0][-1][1] = ("East", "/sailings/east/", *east[2:])
    # An item of a page that says no title of its own shows that of the page.
    about = {"/news/": "news", "/sailings/north/": "sailings/north"}
    about["/sailings/west/"] = "sailings/west"

    def titled(items: list[Any]) -> list[Any]:
        return [
            (*i[:2], i[2] or (about.get(i[1]) and f"About {about[i[1]]}"), *i[3:-1], titled(i[-1]))
            for i in items
        ]

    plan["main"] = titled(plan["main"])
    assert plan == shown


def test_a_config_written_by_hand_is_converted(run: Run, tmp_path: Path) -> None:
    (tmp_path / "hugo.toml").write_bytes(SAMPLE.read_bytes())
    done = run("convert", "hugo.toml", "--to", "opml", "-o", "out.opml", "-v")
    assert done.returncode == 0, done.stderr
    assert "hugo.toml is an export of hugo." in done.stderr
    for words in ("colour", "params", "/sailings/east/", "markup"):
        assert words in done.stdout, words
    text = (tmp_path / "out.opml").read_text("utf-8")
    assert text.index('"Sailings"') < text.index('"North"') < text.index('"News"')


def test_other_settings_stay_with_their_comments(run: Run, tmp_path: Path) -> None:
    (tmp_path / "hugo.toml").write_bytes(SAMPLE.read_bytes())
    run("convert", str(OLD), "--to", "hugo", "--into", "hugo.toml", "-o", "new.toml")
    before, after = SAMPLE.read_text("utf-8"), (tmp_path / "new.toml").read_text("utf-8")
    start = before[: before.index("# The bar.")]
    assert after.startswith(start)
    assert before[before.index("[markup") :] in after
    assert "[[menu.main]]" in after and "[[menu.pocket]]" in after and "[[menus" not in after
    shown = built(tmp_path, "new.toml", PAGES)
    # The bar of the one takes over that of the other, whatever they are called.
    assert set(shown) == {"main", "foot", "pocket", "member", "summer.campaign"}
    assert [label for label, *_ in shown["main"]][-1] == "Harbour webcam"
    assert shown["foot"][0][0] == "Contact" and len(shown["foot"]) == 5


def test_comments_in_yaml_stay(run: Run, tmp_path: Path) -> None:
    text = (
        "# ours\nbaseURL: https://new.skerryline.example/ # the new one\n"
        'title: "Skerryline"\nmenus:\n  foot: # below\n    - name: Old\n      url: /old\n'
        "params:\n  # by phone\n  phone: '1'\n"
    )
    (tmp_path / "hugo.yaml").write_text(text, "utf-8")
    run("convert", str(OLD), "--to", "hugo", "--into", "hugo.yaml", "-o", "new.yaml")
    after = (tmp_path / "new.yaml").read_text("utf-8")
    for words in ("# ours", "# the new one", 'title: "Skerryline"', "# by phone", "phone: '1'"):
        assert words in after, after
    assert built(tmp_path, "new.yaml")["foot"][0][0] == "Contact"


def test_a_folder_keeps_everything_else_and_matches_its_pages(run: Run, tmp_path: Path) -> None:
    site = tmp_path / "site"
    config = site / "config" / "_default"
    config.mkdir(parents=True)
    (config / "hugo.yaml").write_text("baseURL: https://new.skerryline.example/\n", "utf-8")
    (config / "menus.yaml").write_text("foot: # none yet\n  - name: Old\n    url: /old\n", "utf-8")
    (config / "params.toml").write_text("phone = 1 # us\n", "utf-8")
    for page in (*PAGES, "islands/haldrun"):
        at = site / "content" / page / "index.md"
        at.parent.mkdir(parents=True)
        at.write_text(
            f"+++\ntitle = '{page}'\ndraft = {str(page == 'news').lower()}\n+++\n", "utf-8"
        )
    done = run("convert", str(OLD), "--to", "hugo", "--into", "site", "-o", "out/", "--json")
    assert done.returncode == 0, done.stderr
    out = tmp_path / "out"
    assert (out / "config/_default/params.toml").read_text("utf-8") == "phone = 1 # us\n"
    assert not (out / "hugo.toml").exists()
    menus = (out / "config/_default/menus.yaml").read_text("utf-8")
    assert "pageRef: /sailings/north\n" in menus and "url: /sailings/north" not in menus
    shown = built(out)
    assert shown["foot"][0][0] == "Contact" and shown["upper"][0][1] == "/sailings/"
    again = run("survey", "out", "--json")
    assert '"platform": "hugo"' in again.stdout


def test_the_form_of_a_file(run: Run, tmp_path: Path) -> None:
    (tmp_path / "hugo.toml").write_bytes(SAMPLE.read_bytes())
    assert run("convert", "hugo.toml", "--to", "hugo", "-o", "same.toml").returncode == 0
    assert built(tmp_path, "same.toml", PAGES) == built(tmp_path, "hugo.toml", PAGES)
    assert "# The bar." in (tmp_path / "same.toml").read_text("utf-8")
    assert run("convert", "hugo.toml", "--to", "hugo", "-o", "x.json").returncode == 0
    assert (tmp_path / "x.json").read_text("utf-8").startswith('{\n  "baseURL"')
    wrong = run("convert", "hugo.toml", "--to", "hugo", "-o", "y", "--set", "form=xml")
    assert wrong.returncode == 1 and "is one of toml, yaml, json, folder" in wrong.stderr
    wrong = run("convert", "hugo.toml", "--to", "csv", "-o", "y", "--set", "form=xml")
    assert wrong.returncode == 1 and "csv has no setting 'form'; it has: safe" in wrong.stderr
    assert run("convert", "hugo.toml", "--to", "csv", "-o", "y", "--set", "form").returncode == 2


def test_addresses_that_hugo_would_change_are_written_whole(tmp_path: Path) -> None:
    text = "menu,level,label,address\nmain,1,A,/Fares/Now?day=1#Top\nmain,1,B,//x.example/a?b=1\n"
    made = convert((text + "main,1,C,/f/A.pdf\nmain,1,D,/plain/\n").encode(), "t", "hugo")
    codes = [loss.code for loss in made.fitted.losses]
    assert codes.count("link.rewritten") == 1 and "link.unchecked" in codes
    assert [n.code for n in made.fitted.notices].count("link.rewritten") == 2
    site = b'baseURL = "https://new.example/"\n'
    made = convert((text + "main,1,C,/f/A.pdf\n").encode(), "t", "hugo", into=(site, "hugo.toml"))
    (tmp_path / "hugo.toml").write_bytes(made.data)
    assert [item[1] for item in built(tmp_path)["main"]] == [
        "https://new.example/Fares/Now?day=1#Top",
        "https://x.example/a?b=1",
        "https://new.example/f/A.pdf",
    ]


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ({"readme.md": b"x"}, "there is no hugo.toml or config.toml"),
        ({"hugo.toml": b"a = "}, "hugo.toml, end of document: this is not TOML"),
        ({"hugo.json": b"[1]"}, "it holds no mapping"),
        ({"config/_default/menus.yaml": b"main: 1\n"}, "found a number where a mapping is needed"),
        ({"menus.toml": b"[[main]]\nweight = 'x'\n"}, "'x' is not a whole number"),
    ],
)
def test_damaged_folders(run: Run, tmp_path: Path, files: dict[str, bytes], words: str) -> None:
    for name, data in files.items():
        (tmp_path / "site" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "site" / name).write_bytes(data)
    done = run("survey", "site", "--from", "hugo")
    assert done.returncode == 1 and words in done.stderr, done.stderr
    assert done.stderr.count("\n") == 1


def test_a_head_that_cannot_be_read_is_no_page_of_its_own() -> None:
    assert documents._head(b"---\na: [\n---\n") == {}
    assert documents._head(b"+++\ntitle = 'A'\n+++\n") == {"title": "A"}
