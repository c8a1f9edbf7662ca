"""What an import does not carry and somebody has to bring along: files, and what must be there."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from ..findings import notice
from ..model import Item, Picture, Rows, Traits, set_traits
from ..resolve.targets import Targets
from .work import Work


def tell(work: Work, targets: Targets, rows: Rows) -> None:
    """Tell the files that have to be moved, and what the destination needs for what is written.

    `rows` are those that are written.
    """
    if not work.same_platform:
        required = work.profile.requirements(work.theme_name)
        said = set(_said(rows)) if any(needed.when for needed in required) else set()
        for needed in required:
            if not needed.when or not said.isdisjoint(needed.when):
                found = notice("step.requires", before=needed.step, origin=work.source.file)
                work.ledger.notices.append(found)
    if work.same_file:
        return
    files = [*targets.files, *_pictures(work, rows)]
    if files:
        labels = tuple(dict.fromkeys(files))
        work.ledger.notices.append(notice("step.file", origin=work.source.file, labels=labels))


def _said(rows: Rows) -> Iterator[str]:
    """What the items that are written say beside label and target, by the names of traits."""
    for traits in _traits(rows):
        yield from set_traits(traits)
    if rows.panelled:
        yield "panel"
    if any(rows.said("translations")):
        yield "translations"
    if any(target.kind == "phone" for target in rows.targets()):
        yield "phone"


def _traits(rows: Rows) -> Collection[Traits]:
    """The traits of all items; those that items share once."""
    return {id(traits): traits for traits in rows.said("traits") if traits is not None}.values()


def _pictures(work: Work, rows: Rows) -> Iterator[str]:
    """The addresses of pictures of the old site that are written: their files come by hand."""
    there = set(_sources(rows))
    for address in _sources(work.rows):
        within = work.hosts.read(address).kind in ("page", "file", "home")
        if address in there and within:
            yield address


def _sources(rows: Rows) -> Iterator[str]:
    if not rows.panelled:
        yield from (traits.picture for traits in _traits(rows) if traits.picture)
        return
    for thing in rows.things:
        if isinstance(thing, Item):
            found: tuple[str | None, ...] = (thing.traits.picture,)
        elif isinstance(thing.holds, Picture):
            found = thing.holds.source, thing.holds.second
        else:
            continue
        yield from (address for address in found if address)
