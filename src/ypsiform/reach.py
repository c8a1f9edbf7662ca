"""Which pages of a site its menus lead to."""

from __future__ import annotations

from .addresses import Hosts
from .model import Rows, Site, targets_of


def content_paths(site: Site, hosts: Hosts) -> set[str]:
    """The normalised paths of the contents of a site."""
    return {hosts.read(content.path).path for content in site.contents if content.path}


def reached_paths(site: Site, rows: Rows, hosts: Hosts) -> set[str]:
    """The normalised paths of the pages that items and blocks lead to."""
    paths = {(content.kind, content.id): content.path for content in site.contents}
    found: set[str] = set()
    for thing in rows.things:
        for target in targets_of(thing):
            address = target.address or paths.get((target.kind, target.content or ""))
            if address is not None:
                found.add(hosts.read(address).path)
    return found
