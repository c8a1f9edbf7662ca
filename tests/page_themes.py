"""Markup of themes: one menu, drawn in many ways, none of which changes what it says."""

from __future__ import annotations

import html
from collections.abc import Callable
from random import Random
from typing import NamedTuple


class Entry(NamedTuple):
    """An entry of a menu: its words, where it leads (None: nowhere), and what is below it."""

    label: str
    to: str | None
    below: tuple[Entry, ...] = ()


WORDS = "Boats Sails Oars Rafts Lessons Fares Crew Harbour Tides Maps Shop Ropes Lamps".split()  # noqa: SIM905


def menu_of(random: Random, levels: int) -> tuple[Entry, ...]:
    """A menu of so many levels; entries with others below them lead somewhere or not."""
    count = 0

    def made(depth: int) -> Entry:
        nonlocal count
        count += 1
        number, label = count, f"{random.choice(WORDS)} {count}"
        more = random.randint(2, 3) if depth < levels and random.random() < 0.6 else 0
        below = tuple(made(depth + 1) for _ in range(more))
        return Entry(label, f"/{number}", below)

    return tuple(made(1) for _ in range(random.randint(3, 5)))


def _link(entry: Entry, more: str = "") -> str:
    return f'<a href="{entry.to}"{more}>{html.escape(entry.label)}</a>'


def _lists(
    entries: tuple[Entry, ...],
    one: Callable[[Entry], str] = _link,
    outer: str = "<ul>{}</ul>",
    inner: str = "<ul class='sub'>{}</ul>",
) -> str:
    def of(some: tuple[Entry, ...], frame: str) -> str:
        return frame.format(
            "".join(f"<li>{one(e)}{of(e.below, inner) if e.below else ''}</li>" for e in some)
        )

    return of(entries, outer)


def lists(menu: tuple[Entry, ...]) -> str:
    return _lists(menu)


def switches(menu: tuple[Entry, ...]) -> str:
    """A button behind each link opens what is below it."""
    sign = "<button aria-expanded='false'><svg></svg><span class='sr-only'>Open</span></button>"
    return _lists(menu, lambda e: _link(e) + (sign if e.below else ""))


def wrapped(menu: tuple[Entry, ...]) -> str:
    """Elements around everything, and words beside the labels."""
    return _lists(
        menu,
        lambda e: (
            f"<div class='row'><a href='{e.to}'><i class='icon' aria-hidden='true'>x</i>"
            f"<span class='text'>{e.label}</span><span class='badge'>3</span></a></div>"
        ),
        "<div><ul>{}</ul></div>",
        "<div class='panel'><div class='inner'><ul>{}</ul></div></div>",
    )


def described(menu: tuple[Entry, ...]) -> str:
    return _lists(
        menu, lambda e: f"<a href='{e.to}'><strong>{e.label}</strong><small>Of it.</small></a>"
    )


def folded(menu: tuple[Entry, ...]) -> str:
    """Summaries with a link open what is below them."""

    def of(entry: Entry) -> str:
        if not entry.below:
            return f"<li>{_link(entry)}</li>"
        below = "".join(map(of, entry.below))
        return f"<li><details><summary>{_link(entry)}</summary><ul>{below}</ul></details></li>"

    return f"<ul>{''.join(map(of, menu))}</ul>"


def all_folded(menu: tuple[Entry, ...]) -> str:
    return f"<details><summary>Menu</summary>{lists(menu)}</details>"


def boxes(menu: tuple[Entry, ...]) -> str:
    """No lists: an element for each entry, with another one for what is below it."""

    def of(entry: Entry) -> str:
        below = "".join(map(of, entry.below))
        held = f"<div class='drop'>{below}</div>" if entry.below else ""
        return f"<div class='item'>{_link(entry)}{held}</div>"

    return "".join(map(of, menu))


def roles(menu: tuple[Entry, ...]) -> str:
    def of(entry: Entry) -> str:
        more = " role='menuitem'" + (" aria-haspopup='true'" if entry.below else "")
        below = "".join(map(of, entry.below))
        held = f"<div role='menu'>{below}</div>" if entry.below else ""
        return f"<div role='none'>{_link(entry, more)}{held}</div>"

    return f"<div role='menubar'>{''.join(map(of, menu))}</div>"


def elsewhere(menu: tuple[Entry, ...]) -> str:
    """What is below an entry of the bar stands at the end of the page."""
    bar, panels = "", ""
    for at, entry in enumerate(menu):
        named = f" aria-controls='panel-{at}'" if entry.below else ""
        bar += f"<li>{_link(entry, named)}</li>"
        if entry.below:
            panels += f"<div id='panel-{at}' hidden>{lists(entry.below)}</div>"
    return f"<ul>{bar}</ul></nav><main><p>x</p></main><div>{panels}</div><nav hidden>"


def drawers(menu: tuple[Entry, ...]) -> str:
    """Each list stands beside the others and has a way back; entries name the list below them."""
    found: list[str] = []

    def of(some: tuple[Entry, ...], name: str, back: bool) -> None:
        at = len(found)
        found.append("")
        rows = "<li><button class='back'>Back</button></li>" if back else ""
        for n, entry in enumerate(some):
            below = f"{name}-{n}"
            rows += f"<li>{_link(entry, f' data-drawer={below!r}' if entry.below else '')}</li>"
            if entry.below:
                of(entry.below, below, True)
        found[at] = f"<ul id='{name}'>{rows}</ul>"

    of(menu, "d", False)
    first, *rest = found
    return f"{first}</nav><div class='drawers'>{''.join(rest)}</div><nav hidden>"


def columns(menu: tuple[Entry, ...]) -> str:
    """Below the bar a panel with a column for each entry, and its links below a heading."""

    def column(entry: Entry) -> str:
        return f"<div class='col'><h3>{_link(entry)}</h3>{lists(entry.below)}</div>"

    def of(entry: Entry) -> str:
        plain = [e for e in entry.below if not e.below]
        below = lists(tuple(plain)) if plain else ""
        below += "".join(column(e) for e in entry.below if e.below)
        held = f"<div class='mega'><div class='grid'>{below}</div></div>" if entry.below else ""
        return f"<li class='top'>{_link(entry)}{held}</li>"

    return f"<ul class='bar'>{''.join(map(of, menu))}</ul>"


def terms(menu: tuple[Entry, ...]) -> str:
    """Terms with what is below each; nothing else stands there."""
    rows = "".join(
        f"<dt>{_link(e)}</dt>" + "".join(f"<dd>{_link(b)}</dd>" for b in e.below) for e in menu
    )
    return f"<dl>{rows}</dl>"


def titled(menu: tuple[Entry, ...]) -> str:
    """As in a footer: groups of links below a title in words, which leads nowhere."""
    return "".join(
        f"<div class='group'><p class='group-title'>{e.label}</p>"
        f"{''.join(map(_link, e.below))}</div>"
        for e in menu
    )


def pairs(menu: tuple[Entry, ...]) -> str:
    """Buttons that each have a block of links behind them, and links beside these."""
    return "".join(
        f"<button type='button'>{e.label}</button><div class='panel'>{''.join(map(_link, e.below))}"
        "</div>"
        if e.below
        else _link(e)
        for e in menu
    )


def ticked(menu: tuple[Entry, ...]) -> str:
    """Boxes that are ticked, by their labels, open what is below an entry."""
    return _lists(
        menu,
        lambda e: (
            _link(e) + ("<input type='checkbox' id='x'><label for='x'>+</label>" if e.below else "")
        ),
        "<input type='checkbox' id='all'><label for='all'>Menu</label><ul>{}</ul>",
    )


def tabs(menu: tuple[Entry, ...]) -> str:
    """Below the bar panes behind tabs: the tab is a word, and leads nowhere."""

    def of(at: int, entry: Entry) -> str:
        held = [e for e in entry.below if e.below]
        named = "".join(
            f"<button role='tab' aria-controls='t{at}-{n}'>{e.label}</button>"
            for n, e in enumerate(held)
        )
        panes = "".join(
            f"<div role='tabpanel' id='t{at}-{n}'>{lists(e.below)}</div>"
            for n, e in enumerate(held)
        )
        plain = "".join(f"<li>{_link(e)}</li>" for e in entry.below if not e.below)
        plain = f"<ul>{plain}</ul>" if plain else ""
        tabs_ = f"<div role='tablist'>{named}</div>{panes}" if held else ""
        return f"<li>{_link(entry)}<div class='mega'>{plain}{tabs_}</div></li>"

    return f"<ul>{''.join(of(at, e) for at, e in enumerate(menu))}</ul>"


def numbered_lists(menu: tuple[Entry, ...]) -> str:
    return _lists(
        menu,
        lambda e: f"<span class='w'>{_link(e)}</span>",
        "<ol>{}</ol>",
        "<div><ol>{}</ol></div>",
    )


def landmarks(menu: tuple[Entry, ...]) -> str:
    """Each list below an entry is a landmark of its own."""
    return _lists(menu, _link, "<ul>{}</ul>", "<nav class='in'><ul>{}</ul></nav>")


def cards(menu: tuple[Entry, ...]) -> str:
    return _lists(
        menu,
        lambda e: (
            f"<article><a href='{e.to}'><img src='x' alt=''><h4>{e.label}</h4><p>All about it.</p>"
            "</a></article>"
        ),
    )


def own_elements(menu: tuple[Entry, ...]) -> str:
    """Elements that only this theme has."""

    def of(entry: Entry) -> str:
        below = "".join(map(of, entry.below))
        held = f"<x-menu>{below}</x-menu>" if below else ""
        return f"<x-item>{_link(entry)}{held}</x-item>"

    return f"<x-menu>{''.join(map(of, menu))}</x-menu>"


def sections(menu: tuple[Entry, ...]) -> str:
    """Headings that are buttons, each with a list behind it."""
    return "".join(
        f"<section><h2><button aria-controls='s{at}'>{e.label}</button></h2><ul id='s{at}'>"
        f"{''.join(f'<li>{_link(b)}</li>' for b in e.below)}</ul></section>"
        if e.below
        else f"<section><h2>{_link(e)}</h2></section>"
        for at, e in enumerate(menu)
    )


def level_words(menu: tuple[Entry, ...]) -> str:
    """One list, whose entries have a class word of their level."""
    found = ""

    def of(entry: Entry, depth: int) -> None:
        nonlocal found
        found += f"<li class='entry level-{depth}'>{_link(entry)}</li>"
        for below in entry.below:
            of(below, depth + 1)

    for entry in menu:
        of(entry, 1)
    return f"<ul>{found}</ul>"


def linked_titles(menu: tuple[Entry, ...]) -> str:
    return "".join(
        f"<div class='c'><a class='c-title' href='{e.to}'>{e.label}</a>"
        f"{''.join(map(_link, e.below))}</div>"
        for e in menu
    )


def overviews(menu: tuple[Entry, ...]) -> str:
    """Buttons open what is below an entry, and the first link there leads to its own page."""

    def of(entry: Entry) -> str:
        if not entry.below:
            return f"<li>{_link(entry)}</li>"
        own = f"<a class='over' href='{entry.to}'>All of {entry.label}</a>"
        below = f"<div class='head'>{own}</div><ul>{''.join(map(of, entry.below))}</ul>"
        return f"<li><button>{entry.label}</button><div class='p'>{below}</div></li>"

    return f"<ul>{''.join(map(of, menu))}</ul>"


def signs(menu: tuple[Entry, ...]) -> str:
    """Words beside links that are only a sign."""
    return _lists(
        menu,
        lambda e: (
            f"<span class='lbl'>{e.label}</span>"
            f"<a class='go' href='{e.to}' aria-label='Go to {e.label}'></a>"
        ),
    )


def spaced(menu: tuple[Entry, ...]) -> str:
    """Capitals, comments, blanks and lines between everything."""
    return _lists(
        menu,
        lambda e: f"\n <!-- x -->\n <A HREF='{e.to}' TITLE='t'>\n  {e.label}\n </A>\n",
        "<UL>{}</UL>",
        "\n<UL CLASS='dropdown-menu'>{}</UL>",
    )


def groups(menu: tuple[Entry, ...]) -> str:
    """No lists: in each group an element around its link, and one around what is below it."""

    def of(entry: Entry) -> str:
        below = "".join(map(of, entry.below))
        held = f"<div class='kids'>{below}</div>" if below else ""
        return f"<div class='grp'><div class='ttl'>{_link(entry)}</div>{held}</div>"

    return "".join(map(of, menu))


THEMES: dict[str, tuple[Callable[[tuple[Entry, ...]], str], int]] = {
    "lists": (lists, 3),
    "switches": (switches, 3),
    "wrapped": (wrapped, 3),
    "described": (described, 3),
    "folded": (folded, 3),
    "all folded": (all_folded, 3),
    "boxes": (boxes, 3),
    "roles": (roles, 3),
    "elsewhere": (elsewhere, 3),
    "drawers": (drawers, 3),
    "columns": (columns, 3),
    "terms": (terms, 2),
    "titled": (titled, 2),
    "pairs": (pairs, 2),
    "ticked": (ticked, 3),
    "tabs": (tabs, 3),
    "numbered lists": (numbered_lists, 3),
    "landmarks": (landmarks, 3),
    "cards": (cards, 3),
    "own elements": (own_elements, 3),
    "sections": (sections, 2),
    "level words": (level_words, 3),
    "linked titles": (linked_titles, 2),
    "overviews": (overviews, 3),
    "signs": (signs, 3),
    "spaced": (spaced, 3),
    "groups": (groups, 3),
}
"""By name the markup of a theme, and how many levels it shows."""


def page(theme: str, menu: tuple[Entry, ...]) -> bytes:
    """A page with this menu as a theme draws it."""
    draw, _ = THEMES[theme]
    return (
        "<!doctype html><html lang='en'><body><header><a class='skip-link' href='#main'>Skip</a>"
        f"<nav aria-label='Main'>{draw(menu)}</nav></header><main id='main'><p>Text with a "
        "<a href='/not'>link</a>.</p></main></body></html>"
    ).encode()


def wanted(theme: str, menu: tuple[Entry, ...]) -> list[tuple[str, str | None, list[object]]]:
    """What is to be read of it."""
    nowhere = {"titled": (1,), "pairs": (1,), "tabs": (2,), "sections": (1,), "overviews": (1, 2)}

    def of(entry: Entry, depth: int) -> tuple[str, str | None, list[object]]:
        opens = depth in nowhere.get(theme, ()) and bool(entry.below)
        below: list[object] = [of(inner, depth + 1) for inner in entry.below]
        if theme == "overviews" and below:
            below.insert(0, (f"All of {entry.label}", entry.to, []))
        if theme in ("columns", "tabs") and depth == 1:  # those without a heading stand first
            below.sort(key=lambda one: bool(one[2]))  # type: ignore[index]
        return entry.label, None if opens else entry.to, below

    return [of(entry, 1) for entry in menu]
