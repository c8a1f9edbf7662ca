"""`migration.toml`: platforms and files, and the decisions about menus and items."""

from __future__ import annotations

import difflib
import os
import re
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct, field

from ..containers import container, decode
from ..decisions import (
    DEPTHS,
    KEEP,
    LANGUAGES,
    ChoiceError,
    Decisions,
    ItemChoice,
    LinkChoice,
    MenuChoice,
    Pair,
    Steps,
)
from ..effort import Measure
from ..errors import FormatError
from ..fit.options import CLASHES, UNMATCHED
from ..model import Item, Rows, Site
from ..profiles.lines import line_of

VERSION = 1


class ItemPart(Struct, forbid_unknown_fields=True):
    """A decision about one item, by its id."""

    id: str
    keep: bool = True
    publish: bool = False
    label: str | None = None


class BranchPart(Struct, forbid_unknown_fields=True):
    """What becomes of what is too deep below an item."""

    id: str
    depth: str


class MenuPart(Struct, forbid_unknown_fields=True):
    """The decisions about one menu, by its id."""

    id: str
    convert: bool | None = None
    key: str | None = None
    update: str | None = None
    locations: list[str] | None = None
    item: list[ItemPart] = []
    branch: list[BranchPart] = []


class PlanFile(Struct, forbid_unknown_fields=True):
    """What a plan may say. Paths are relative to its folder."""

    migration: int
    export: str | None = None
    from_: str | None = field(name="from", default=None)
    to: str | None = None
    into: str | None = None
    output: str | None = None
    links: str | None = None
    inventory: str | None = None
    redirects: str | None = None
    font: str | None = None
    unmatched: str | None = None
    clash: str | None = None
    depth: str | None = None
    languages: str | None = None
    as_of: str | None = field(name="as-of", default=None)
    visits: str | None = None
    nav: str | None = None
    site: str | None = None
    made_up: bool | None = field(name="made-up", default=None)
    settings: dict[str, str] = {}
    effort: Measure | None = None
    menu: list[MenuPart] = []


class MigrationPlan:
    """A plan as it was read: what it says, and where."""

    def __init__(self, says: PlanFile, text: str, file: str) -> None:
        self.says, self.text, self.file = says, text, file
        self.folder = Path(file).parent

    def path(self, name: str | None) -> str | None:
        """A file that the plan names, as seen from here."""
        if name is None or name == "-":
            return name
        return os.path.normpath(self.folder / name)

    def fail(self, message: str, steps: Steps) -> FormatError:
        """A mistake in the plan, with its line."""
        return FormatError(message, file=self.file, place=f"line {line_of(self.text, steps)}")

    def placed(self, error: ChoiceError) -> FormatError:
        """A decision that cannot be carried out, with its line."""
        return self.fail(error.message, error.steps)

    def decisions(self, links: dict[Pair, LinkChoice]) -> Decisions:
        """The decisions, to fit by. Raises `FormatError` with the line of a mistake."""
        menus: dict[str, MenuChoice] = {}
        for at, part in enumerate(self.says.menu):
            steps: Steps = ["menu", at]
            if part.id in menus:
                raise self.fail(f"the menu {part.id!r} is decided about twice", [*steps, "id"])
            places = None if part.locations is None else tuple(part.locations)
            choice = MenuChoice(steps, part.convert, part.key, part.update, places, {}, {})
            for n, item in enumerate(part.item):
                here: Steps = [*steps, "item", n]
                if item.id in choice.items:
                    message = f"the item {item.id!r} is decided about twice"
                    raise self.fail(message, [*here, "id"])
                if item.label is not None and not item.label.strip():
                    message = "the label is empty; leave the line out, and the item keeps its own"
                    raise self.fail(message, [*here, "label"])
                choice.items[item.id] = ItemChoice(here, item.keep, item.label, item.publish)
            for n, branch in enumerate(part.branch):
                here = [*steps, "branch", n]
                if branch.depth not in (*DEPTHS, KEEP):
                    raise self.fail(
                        f"found depth {branch.depth!r}; {_near(branch.depth, (*DEPTHS, KEEP))}",
                        [*here, "depth"],
                    )
                choice.branches[branch.id] = (branch.depth, here)
            menus[part.id] = choice
        return Decisions(menus, links, whole=True, file=self.file)


def _near(word: str, words: Iterable[str]) -> str:
    known = list(words)
    near = difflib.get_close_matches(word, known, 1, 0.5)
    return f"did you mean {near[0]!r}?" if near else "expected one of: " + ", ".join(known)


def read_plan(data: bytes, file: str) -> MigrationPlan:
    """A plan. Raises `FormatError` with the line of a mistake, and what was expected."""
    tree = container("toml").read(data, file)
    text = decode(data, file, declared=False).replace("\r\n", "\n")
    try:
        says = msgspec.convert(tree, PlanFile)
    except msgspec.ValidationError as error:
        message, steps = _mistake(error, tree)
        place = f"line {line_of(text, steps)}"
        raise FormatError(message, file=file, place=place) from None
    plan = MigrationPlan(says, text, file)
    if says.migration != VERSION:
        raise plan.fail(
            f"found migration = {says.migration}, but this version reads {VERSION}", ["migration"]
        )
    choices = {"unmatched": UNMATCHED, "clash": CLASHES, "depth": DEPTHS, "languages": LANGUAGES}
    for name, words in choices.items():
        held = getattr(says, name)
        if held not in (None, *words):
            raise plan.fail(f"found {name} {held!r}; {_near(held, words)}", [name])
    for name in Measure.__struct_fields__:
        if says.effort is not None and getattr(says.effort, name) < 0:
            raise plan.fail("an effort is not less than 0", ["effort", name])
    return plan


_TYPES = {
    "str": "a text",
    "bool": "true or false",
    "int": "a whole number",
    "float": "a number",
    "array": "a list",
    "object": "a table",
}
_KEYS = {0: PlanFile, 2: MenuPart}


def _mistake(error: msgspec.ValidationError, tree: Any) -> tuple[str, Steps]:
    words, _, path = str(error).partition(" - at ")
    steps: Steps = [
        int(number) if number else name
        for name, number in re.findall(r"\.([\w-]+)|\[(\d+)\]", path)
    ]
    unknown = re.search(r"unknown field `([^`]*)`", words)
    if unknown:
        part: Any = _KEYS.get(len(steps)) or (ItemPart if "item" in steps else BranchPart)
        part = Measure if steps == ["effort"] else part
        names = part.__struct_encode_fields__
        message = f"found the unknown key {unknown[1]!r}; {_near(unknown[1], names)}"
        return message, [*steps, unknown[1]]
    missing = re.search(r"missing required field `([^`]*)`", words)
    if missing:
        return f"{missing[1]!r} is missing here", steps
    types = re.search(r"Expected `([^`]*)`, got `([^`]*)`", words)
    if types:
        wanted = [_TYPES.get(w.strip(), w.strip()) for w in types[1].split("|")]
        wanted = [word for word in wanted if word != "null"]
        return f"found {_TYPES.get(types[2], types[2])}, expected {' or '.join(wanted)}", steps
    return words[0].lower() + words[1:], steps


def gone(plan: MigrationPlan, site: Site, rows: Rows) -> list[str]:
    """What a plan decides about and an export does not have, in words."""
    found: list[str] = []
    menus = {menu.id: at for at, menu in enumerate(site.menus)}
    for part in plan.says.menu:
        if part.id not in menus:
            found.append(f"the menu {part.id!r}")
            continue
        span = rows.of_menu(menus[part.id])
        things = (rows.things[row] for row in span)
        ids = {thing.id for thing in things if isinstance(thing, Item)}
        asked = [item.id for item in part.item] + [branch.id for branch in part.branch]
        found += [f"the item {ident!r} of {part.id!r}" for ident in asked if ident not in ids]
    return found
