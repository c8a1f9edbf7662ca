"""Contents: pages and other things that items lead to."""

from __future__ import annotations

from functools import partial

from ...addresses import is_relative
from ...findings import notice
from ...model import (
    EVERYONE,
    Content,
    Extra,
)
from ..pages import Pages
from ..records import RecordRule, Values, marks_of
from ..schema import ContentRule
from ..trees import spell
from .reader import Reading


def read_contents(reading: Reading, extras: list[Extra]) -> list[Content]:
    """The contents of a file; those without an id or a path are unread data."""
    found: list[Content] = []
    known: dict[tuple[str, str], str] = {}
    sections = zip(reading.profile.content, reading.paths.content, strict=True)
    for number, (rule, section) in enumerate(sections):
        record = reading.profile.kept(("content", number), partial(_compiled, reading, rule))
        for place, node in reading.records(section):
            values, unread = reading.values(record, node, place)
            content = _content(reading, rule, values, unread, place)
            if content is not None and (content.kind, content.id) in known:
                # Items point to the first of those that have one id.
                reading.notices.append(
                    notice(
                        "read.same-id",
                        before=content.title or content.path or content.id,
                        after=known[content.kind, content.id],
                        origin=f"{reading.file}: {spell(place)}",
                    )
                )
                content = None
            elif content is not None:
                said = content.title or content.path or content.id
                known[content.kind, content.id] = said
            if content is None:
                extras.append(reading.whole_record(rule.at, node, extras))
            else:
                found.append(content)
    return found


def _compiled(reading: Reading, rule: ContentRule) -> RecordRule:
    own: tuple[str, ...] = (rule.inside,) if rule.inside else ()
    if reading.profile.items.pages:
        own = Pages(reading.profile, reading.shape, reading.tree).own
    own = (*own, *reading.profile.slug_keys)
    return RecordRule(
        reading.shape.of(rule.at),
        rule.fields,
        own=own,
        fold=rule.fold,
        embedded=rule.embedded,
        serialised=rule.serialised,
        composed=rule.composed,
        marks=marks_of(rule.only),
    )


def _content(
    reading: Reading, rule: ContentRule, values: Values, unread: list[Extra], place: str
) -> Content | None:
    key = values.get("key")
    kind = rule.kind or values.get("kind")
    path = values.get("path")
    ident = values.get("id", key or path)
    if kind is None or not ident:
        return None  # nothing can point to it
    if path is None and rule.path and key is not None:
        path = rule.path.replace("{key}", key)
    if path is not None and is_relative(path):
        path = f"/{path}"  # all are counted from the root of the site
    return Content(
        id=ident,
        kind=kind,
        title=values.get("title", ""),
        key=key,
        path=path,
        state=values.get("state", "live"),
        audience=values.get("audience", EVERYONE),
        extras=tuple(unread),
        origin=place,
    )
