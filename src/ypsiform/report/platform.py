"""What the platforms can hold, as lines for a terminal."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from ..containers import FORMATS
from ..encodings import AnyRule, encoding_of
from ..encodings.base import Capacity
from ..model import (
    ALL_DEVICES,
    EVERYONE,
    TRAIT_NAMES,
    Form,
    Generated,
    Markup,
    MenuReference,
    Picture,
    Products,
    Text,
    Widget,
)
from ..profiles.records import plain
from ..profiles.schema import LIMIT_CODES, Limits, PlaceRule, Profile, Requirement, Theme
from ..resolve.targets import WORDS
from .terminal import Style, headline, number, wrapped

TRAITS = {
    "description": "description",
    "tooltip": "tooltip",
    "window": "new window",
    "rel": "link relation",
    "icon": "icon",
    "badge": "badge",
    "picture": "picture",
    "classes": "style classes",
    "audience": "who may see it",
    "devices": "on which devices",
    "opens": "how it opens",
    "hidden": "switched off",
    "translations": "labels in further languages",
}
"""Facts of items in plain words."""


def platforms_lines(profiles: Iterable[Profile], width: int, style: Style) -> Iterator[str]:
    """A table of all platforms."""
    rows = [("Platform", "File", "Levels", "Label", "Items", "Themes, with the levels they show")]
    about: list[str] = []
    for profile in profiles:
        limits = profile.limits
        themes = ", ".join(f"{name} {_shown(theme)}" for name, theme in profile.themes.items())
        rows.append(
            (
                profile.id,
                FORMATS[profile.container].title + ("…" if profile.also else ""),
                _most(limits.depth),
                _most(limits.label),
                _most(limits.items),
                themes or "none; every level" + (" +panels" if profile.panels else ""),
            )
        )
        about.append(profile.about + (" Only read." if profile.read_only else ""))
    widths = [max(len(row[at]) for row in rows) for at in range(5)]
    for at, row in enumerate(rows):
        cells = [cell.ljust(size) for cell, size in zip(row, widths, strict=False)]
        line = "  ".join([*cells, row[5]])
        yield style(line, "title") if at == 0 else style(cells[0], "title") + line[len(cells[0]) :]
        if at:
            indent = " " * (widths[0] + 2)
            for words in wrapped(about[at - 1], width, indent):
                yield style(words, "dim")
    yield ""
    yield "Levels, label, items: what a menu can store at most (levels, characters, items)."
    yield "Behind a theme: the levels that its locations show; 3/1 is one that shows 3, and one 1."
    yield "`ypsiform platforms PLATFORM` shows all that one of them can hold."


def _most(value: int | None) -> str:
    return "any" if value is None else str(value)


def _shown(theme: Theme) -> str:
    """The levels that a theme's locations show, in their order."""
    shows = [_most(place.shows).replace("any", "all") for place in theme.locations]
    return "/".join(dict.fromkeys(shows)) + (" +panels" if theme.panels else "")


def platform_lines(profile: Profile, theme: str | None, width: int, style: Style) -> Iterator[str]:
    """All that one platform can hold, with all its themes or with one."""
    # In the order of a specialist's questions: what file, what it holds, where it is shown, how
    # much.
    name = f"{profile.name} ({profile.id})"
    yield from headline(name, f"  {profile.about}".rstrip(), width, style)
    file = FORMATS[profile.container].words
    more = [name.upper() for name in profile.also] + (["a folder"] if profile.folder else [])
    if more:
        file = ", ".join([file, *more[:-1]]) + f" or {more[-1]}"
    tie = profile.items.tie.words
    yield from _row("File", f"{file}; menus are {tie}", width)
    if profile.read_only:
        yield from _row("Only read", profile.read_only, width)
    yield ""
    held = list(dict.fromkeys(_kind(kind) for kind in profile.kinds))
    yield from _row("Items lead to", ", ".join(held), width)
    facts = [name for name in (*TRAIT_NAMES, "hidden", "translations") if profile.holds(name)]
    other = [name for name in TRAITS if name not in facts]
    yield from _row("They hold", ", ".join(["label", *(TRAITS[name] for name in facts)]), width)
    if other:
        yield from _row("but not", ", ".join(TRAITS[name] for name in other), width)
    if profile.inherits:
        yield from _row("Labels", "an item without one shows the title of its page", width)
    known = ", ".join(sorted(WORDS.get(kind, kind) + "s" for kind in _listed_kinds(profile)))
    yield from _row("Its export lists", known or "no content, so links go by address", width)
    if profile.locations.open:
        yield from _row("Locations", "none of its own: each menu is one, by its name", width)
    yield from _requires(profile.requires, width)
    if profile.settings:
        yield ""
        yield style("Settings of the file that is written", "title") + "  (--set NAME=VALUE)"
        for name, rule in profile.settings.items():
            words = rule.about + (f": {', '.join(rule.among)}" if rule.among else "")
            words += f" ({rule.standard} if not said)" if rule.standard else ""
            yield from wrapped(words, width, " " * 18, f"  {name:<15} ")
    yield ""
    yield style("Limits", "title")
    yield from _limits(profile.limits, "  ", "none: it stores whatever it is given")
    for name, entry in profile.themes.items():
        if theme in (None, name):
            yield ""
            yield style(f"Theme {name}", "title") + f"  {entry.about}".rstrip()
            yield from _places(entry.locations)
            yield from _panels(entry.panels, width)
            yield from _limits(entry.limits, "  ")
            yield from _requires(entry.requires, width)
    if not profile.themes and (profile.locations.offered or profile.panels is not None):
        yield ""
        yield style("Locations", "title")
        if profile.locations.open:
            yield "  those of the menus that are converted"
        yield from _places(profile.locations.offered)
        if profile.panels is not None:
            yield from _panels(profile.panels, width)


def _listed_kinds(profile: Profile) -> set[str]:
    """The kinds of content in an export: those that rules name, and those that a table of words."""
    found: set[str] = set()
    for rule in profile.content:
        said = rule.fields.get("kind")
        tables = [step.get("words", {}) for step in plain(said).through] if said else []
        found.update([rule.kind] if rule.kind else [])
        found.update(kind for table in tables for kind in table.values())
    return found


def _row(name: str, words: str, width: int) -> Iterator[str]:
    yield from wrapped(words, width, " " * 18, f"{name:<17} ")


def _kind(kind: str) -> str:
    special = {
        "address": "any address",
        "internal": "any page by its path",
        "divider": "dividers",
        "none": "nowhere",
    }
    return special.get(kind) or WORDS.get(kind, kind)


def _requires(steps: list[str | Requirement], width: int) -> Iterator[str]:
    for step in steps:
        words = step if isinstance(step, str) else step.step
        when = () if isinstance(step, str) else step.when
        if when:
            words += f" Where items say: {', '.join(TRAITS.get(n, n) for n in when)}."
        yield from _row("First", f"{words}  (step.requires)", width)


def _limits(limits: Limits | None, indent: str, none: str = "") -> Iterator[str]:
    """Each limit with the code of the finding that it leads to."""
    if limits is None:
        return
    rows: list[tuple[str, str]] = []
    for name, words in (
        ("depth", "levels"),
        ("items", "items in a menu"),
        ("total", "items in all menus"),
        ("top", "items at the top of a menu"),
        ("under", "items below one item"),
        ("label", "characters in a label"),
        ("title", "characters in a menu's title"),
        ("menus", "menus"),
    ):
        value = getattr(limits, name)
        if value is not None:
            words = words if value != 1 else re.sub(r"s( |$)", r"\1", words, count=1)
            rows.append((f"{value} {words}", LIMIT_CODES[name]))
    if limits.parents is not None:
        kinds = " or ".join(_kind(kind) for kind in limits.parents)
        words = f"only items that lead to {kinds} have others below them".replace("to now", "now")
        rows.append((words if kinds else "no item has others below it", LIMIT_CODES["parents"]))
    if limits.unique_labels:
        rows.append(("each label once in a menu", LIMIT_CODES["unique-labels"]))
    if limits.unique_beside:
        rows.append(("each label once side by side", LIMIT_CODES["unique-beside"]))
    for trait in limits.lacks:
        code = {"classes": "class", "devices": "device"}.get(trait, trait)
        rows.append((f"no {TRAITS.get(trait, trait)}", f"trait.{code}"))
    if limits.menu_key:
        key = limits.menu_key
        words = f"menu keys: {key.pattern}, up to {key.longest} characters"
        rows.append((words, LIMIT_CODES["menu-key"]))
    if limits.paths:
        rows.append((f"addresses from the root: {limits.paths}", LIMIT_CODES["paths"]))
    if not rows and none:
        yield indent + none
    widest = max((len(words) for words, _ in rows), default=0)
    for words, code in rows:
        yield f"{indent}{words.ljust(widest)}  {code}"


def _places(places: list[PlaceRule]) -> Iterator[str]:
    for place in places:
        shows = "every level" if place.shows is None else number(place.shows, "level")
        more = "" if place.audience == EVERYONE else f", for {', '.join(place.audience)}"
        if place.devices != ALL_DEVICES:
            more += f", on {' and '.join(place.devices)} only"
        more += ", panels" if place.panels else ""
        more += ", menus one after the other" if place.sequence else ""
        more += f", on one row of {place.row.width:.0f} pixels" if place.row else ""
        yield f"  {place.name.ljust(10)} {place.caption or place.name}: shows {shows}{more}"
        yield from _limits(place.limits, " " * 13)


def _panels(rule: AnyRule | None, width: int) -> Iterator[str]:
    encoding = encoding_of(rule)
    if rule is None or encoding is None:
        yield "  no panels"
        return
    capacity = encoding.capacity()
    most = capacity.panels
    words = f"panels: {f'up to {most}: ' if most else ''}{encoding.words}"
    yield from wrapped(words, width, "    ", "  ")
    held = [
        f"up to {count} {word}"
        for count, word in _counts(capacity, rule.least_columns)
        if count is not None
    ]
    counted = {Picture} if capacity.pictures is not None else set()
    held += ["links", *(BLOCKS[kind] for kind in capacity.holds if kind not in counted)]
    held += ["markup before and after the columns"] if capacity.around else []
    held += ["markup instead of all"] if "freehand" in capacity.styles else []
    held += ["a tone"] if capacity.tones else []
    yield from wrapped(f"they hold {', '.join(held)}", width, "    ", "    ")
    lacks = [word for word, there in _abilities(capacity) if not there]
    if lacks:
        yield from wrapped(f"but not {', '.join(lacks)}", width, "    ", "    ")


def _counts(capacity: Capacity, least: int) -> list[tuple[int | None, str]]:
    return [
        (capacity.columns, f"columns, and no fewer than {least}" if least else "columns"),
        (capacity.blocks, "blocks"),
        (capacity.pictures, "pictures behind the columns"),
    ]


def _abilities(capacity: Capacity) -> list[tuple[str, bool]]:
    """What some panels hold and others do not."""
    return [
        ("widths of columns", capacity.spans),
        ("several headings in a column", capacity.headings in ("many", "every", "free")),
        ("links without a heading", capacity.headings != "every"),
        ("headings that link", capacity.heading_links),
        ("dividers", capacity.dividers),
        ("links below links", capacity.nested),
        ("descriptions of pictures", "alt" in capacity.says or Picture not in capacity.holds),
        ("how they open", any(capacity.opens)),
        ("full width", capacity.full_width),
        ("tabs", "tabs" in capacity.styles),
    ]


BLOCKS: dict[type, str] = {
    Picture: "pictures",
    Text: "texts",
    Markup: "markup",
    Products: "products",
    MenuReference: "other menus",
    Generated: "blocks that a rule fills",
    Form: "forms",
    Widget: "widgets",
}
"""Kinds of blocks in plain words."""
