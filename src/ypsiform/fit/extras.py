"""Facts that belong to no item: unread data, and the state and audience of content."""

from __future__ import annotations

import json

from ..facts import extra_fact
from ..findings import Cover
from ..model import EVERYONE, Extra, Item, Piece, targets_of
from ..profiles.read import spell
from .kinds import Targets
from .work import Work


def said(extra: Extra) -> str:
    """An extra as a person reads it: its field and value, cut where it is long."""
    value = _words(extra.value)
    if len(value) > 120:
        value = value[:119] + "…"
    return f"{spell(extra.path).lstrip('@')} = {value}"


def _words(value: object) -> str:
    """A neutral value in one line; an element by its attributes, its text and what is in it."""
    if isinstance(value, str):
        return value
    if not isinstance(value, dict) or not all(key[:1] in ("@", "#") for key in value):
        return json.dumps(value, ensure_ascii=False, default=str)
    parts = [f'{key[1:]}="{text}"' for key, text in value.items() if key[0] == "@"]
    parts += [value["#text"].strip()] if "#text" in value else []
    for name, child in value.get("#children", ()):
        parts.append(child if name == "#text" else f"<{name} {_words(child)}>".replace(" >", ">"))
    return " ".join(parts)


def unread(work: Work) -> None:
    """Report what no rule read and what is not written back."""
    if not work.same_file:
        for at, extra in enumerate(work.source.extras):
            _lost(work, Cover(0, "site", (at,), extra_fact(extra)), extra)
        _of_contents(work)
    for fate in work.fates:
        if work.same_platform and fate.replaces is None:
            continue  # the record of the menu is written anew, with all of it
        stays = {extra_fact(e): e.value for e in fate.replaces.extras} if fate.replaces else {}
        for extra in fate.menu.extras:
            if extra_fact(extra) in stays and stays[extra_fact(extra)] == extra.value:
                continue
            _lost(
                work,
                Cover(0, "menu", (fate.index,), extra_fact(extra)),
                extra,
                menu=fate.menu.id,
            )


def of_items(work: Work, written: list[Item | Piece]) -> None:
    """Report unread data of the items that are written; that of others goes with them."""
    for made in sorted((m for m in written if m.number >= 0), key=lambda made: made.number):
        number = made.number
        thing = work.rows.things[number]
        if isinstance(thing, Item) and isinstance(made, Item) and thing.extras:
            stays = {(extra.path, extra.again) for extra in made.extras}
            for extra in thing.extras:
                if (extra.path, extra.again) in stays:
                    continue
                _lost(work, Cover(0, "item", (number,), extra_fact(extra)), extra, row=number)


def _of_contents(work: Work) -> None:
    """One loss for each field of the contents, however many of them have it."""
    groups: dict[str, list[tuple[int, Extra]]] = {}
    for at, content in enumerate(work.source.contents):
        for extra in content.extras:
            groups.setdefault(extra.path, []).append((at, extra))
    for found in groups.values():
        at, first = found[0]
        content = work.source.contents[at]
        more = f" (and in {len(found) - 1} further records)" if len(found) > 1 else ""
        work.loss(
            "read.extra",
            "dropped",
            [Cover(0, "content", (n,), extra_fact(extra)) for n, extra in found],
            before=said(first) + more,
            origin=f"{work.source.file}: {spell(content.origin)}",
        )


def _lost(
    work: Work, cover: Cover, extra: Extra, *, menu: str | None = None, row: int | None = None
) -> None:
    work.loss("read.extra", "dropped", [cover], menu=menu, row=row, before=said(extra))


def pointed_to(work: Work) -> dict[tuple[str, str], int]:
    """Contents that items point to, each with the first row that does."""
    found: dict[tuple[str, str], int] = {}
    for row, thing in enumerate(work.rows.things):
        for target in targets_of(thing):
            if target.content is not None:
                found.setdefault((target.kind, target.content), row)
    return found


def contents(work: Work, targets: Targets) -> None:
    """Report states and audiences of content that the destination does not hold."""
    if work.same_file:
        return
    at = {(c.kind, c.id): n for n, c in enumerate(work.source.contents)}
    for pair, row in pointed_to(work).items():
        content = targets.contents[pair]
        there = targets.inventory.get(targets.table[pair]) if pair in targets.table else None
        number = (at[pair],)
        if content.state != "live" and (there is None or there.state != content.state):
            work.loss(
                "link.state",
                "altered" if there else "dropped",
                [Cover(0, "content", number, "state")],
                severity="high" if content.state == "private" and there else None,
                row=row,
                before=content.title or content.path or content.id,
                after="a draft" if content.state == "draft" else content.state,
            )
        if content.audience != EVERYONE and (there is None or there.audience != content.audience):
            work.loss(
                "access.not-held",
                "altered" if there else "dropped",
                [Cover(0, "content", number, "audience")],
                severity="note" if work.theme is not None and work.theme.no_menus else None,
                row=row,
                before=", ".join(content.audience),
                after=f"This concerns the page “{content.title or content.path}” itself",
            )
