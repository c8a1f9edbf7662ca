"""The addresses of a site's pages, for files that list pages and hold no menus."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urljoin, urlsplit

from ..addresses import Hosts, root_relative
from ..errors import RefusedError
from ..findings import notice
from ..model import EVERYONE, Content, targets_of
from .work import Work

UNKNOWN = "https://site.invalid/"
"""What stands for the address of a site that nobody named."""


def addresses(work: Work, site: str) -> list[str]:
    """Whole addresses of the pages that everybody can see and that are not listed yet.

    First those that menus lead to, in reading order, then the other contents. `site` is the address
    of the new site; without it the destination's own is taken, else the source's. Raises
    `RefusedError` where there are more than a file may hold.
    """
    base = work.base or (work.source if work.same_file else None)
    start = site or next(iter([*(base.addresses if base else ()), *work.source.addresses]), "")
    if not urlsplit(start).netloc:
        start = UNKNOWN
        work.ledger.notices.append(notice("step.site", before=UNKNOWN, origin=work.source.file))
    hosts = Hosts([start])
    standing = base.contents if base else []
    read = [hosts.read(content.path or "") for content in standing]
    there = {parts.path + parts.tail for parts in read}
    found: list[str] = []
    for address in _public(work):
        if work.hosts.read(address).kind not in ("home", "page"):
            continue
        local = work.clean(root_relative(address, work.hosts)).partition("#")[0]
        path = hosts.read(local)
        if path.path + path.tail not in there:
            there.add(path.path + path.tail)
            found.append(urljoin(start, "/" + local.lstrip("/")))
    most = work.profile.limits_of(work.theme_name).total
    if most is not None and len(standing) + len(found) > most:
        raise RefusedError(
            f"a file of {work.profile.id} holds {most:,} addresses at most, and there would be "
            f"{len(standing) + len(found):,}",
            file=work.source.file,
        )
    return found


def _public(work: Work) -> Iterator[str]:
    contents = {(c.kind, c.id): c for c in work.source.contents}
    for row, thing in enumerate(work.rows.things):
        if work.source.menus[work.rows.menu[row]].owner == "platform":
            continue
        if not any(who == EVERYONE for who, _ in work.seen[row]):
            continue
        for target in targets_of(thing):
            content = contents.get((target.kind, target.content or ""))
            if content is not None and not _is_public(content):
                continue
            address = target.address or (content.path if content else None)
            if address is None and target.kind == "home":
                address = "/"
            if address is not None:
                yield address
    yield from (c.path for c in contents.values() if c.path and _is_public(c))


def _is_public(content: Content) -> bool:
    return content.state == "live" and content.audience == EVERYONE
