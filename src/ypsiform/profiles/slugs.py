"""Addresses that are made of slugs: each page says its own part, and those above it the rest.

Each record gets its whole address under `#address`, so that all other rules can name it. No slug
can be made of the address of a page that stands elsewhere, so items that are such pages are read
only.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from ..containers import Shape
from ..errors import FormatError
from .schema import Profile, SlugRule
from .ties import ringed_of
from .trees import ADDRESS

LONGEST = 2000
"""Characters of an address beyond which none is made."""


def opened(tree: Any, profile: Profile, shape: Shape, file: str) -> Any:
    """A document whose records say their addresses. Raises `FormatError` where no records stand."""
    try:
        with_slugs(shape.root(tree), shape, profile.slugs)
    except FormatError as error:
        raise FormatError(error.message, file=file, place=error.place) from None
    return tree


def closed(tree: Any, profile: Profile, shape: Shape) -> Any:
    """A document without the addresses that were made of slugs, as it is written."""
    for rule in profile.slugs:
        for node in _records(shape.root(tree), shape, rule)[0]:
            node.pop(ADDRESS, None)
    return tree


def with_slugs(root: Any, shape: Shape, rules: Sequence[SlugRule]) -> None:
    """Put the address of each record into it. A record without a slug, or without all of those
    above it, gets none.
    """
    for rule in rules:
        nodes, slugs, parents = _records(root, shape, rule)
        ringed = ringed_of(parents)
        paths: dict[int, str | None] = {}
        for at in range(len(nodes)):
            way: list[int] = []
            while at >= 0 and at not in paths and at not in ringed:
                way.append(at)
                at = parents[at]
            above = "" if at == -1 else paths.get(at)
            for here in reversed(way):
                above = paths[here] = _path(above, slugs[here], rule, parents[here] == -1)
        for at, node in enumerate(nodes):
            path = paths.get(at)
            if path is not None and slugs[at] is not None:
                node[ADDRESS] = path or "/"


def _path(above: str | None, slug: str | None, rule: SlugRule, top: bool) -> str | None:
    """The address of a record by that of the one above it, empty for the start page.

    What has no slug stands for nothing in the addresses of those below it.
    """
    if slug is None or above is None:
        return above
    part = slug.strip("/")
    if top and part in ("", rule.home):
        return ""
    made = f"{above}/{part}" if part else above
    return made if len(made) <= LONGEST else None


def _records(root: Any, shape: Shape, rule: SlugRule) -> tuple[list[Any], list[Any], list[int]]:
    """Records with their slugs, and the place of that above each: -1 at the top, -2 missing."""
    nodes: list[Any] = []
    slugs: list[str | None] = []
    parents: list[int] = []
    stack = [(name, node, -1) for name, node in reversed([*_at(root, shape, rule.at, rule)])]
    if rule.first:
        held = [pair for _, menu, _ in stack[::-1] for pair in _at(menu, shape, rule.first, rule)]
        stack = [(name, node, -1) for name, node in held[::-1]]
    while stack:
        name, node, above = stack.pop()
        nodes.append(node)
        slugs.append(said(node, shape, rule.slug) if rule.slug else name)
        parents.append(above)
        if rule.inside:
            inner = [*_at(node, shape, rule.inside, rule)]
            stack += [(name, below, len(nodes) - 1) for name, below in inner[::-1]]
    if rule.id and rule.under:
        ids = {said(node, shape, rule.id): at for at, node in enumerate(nodes)}
        ups = [said(node, shape, rule.under) for node in nodes]
        parents = [ids.get(up, -2) if up not in (None, "", rule.top) else -1 for up in ups]
    return nodes, slugs, parents


def _at(node: Any, shape: Shape, path: str, rule: SlugRule) -> Iterator[tuple[str, Any]]:
    """The records at a path, each with its name where they stand in a mapping."""
    steps = tuple(path.split("/"))
    if not rule.keyed:
        for _, record in shape.records(node, steps):
            if isinstance(record, dict):
                yield "", record
        return
    for step in steps:
        node = shape.step(node, step) if isinstance(node, Mapping) else None
    for name, record in node.items() if isinstance(node, Mapping) else ():
        if isinstance(record, dict):
            yield name, record


def said(node: Any, shape: Shape, path: str) -> str | None:
    """What stands at a path in a record as a text; None where nothing does."""
    for step in path.split("/"):
        node = shape.step(node, step) if isinstance(node, dict) else None
    if isinstance(node, str):
        return node.strip()
    return str(node) if type(node) is int else None
