"""What a specialist should see in an export before deciding anything."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection
from html import unescape

from .addresses import Hosts, host_of, normal_tail
from .bars import wide
from .column_words import column_words
from .effort import identity
from .facts import pointed_to
from .findings import Cover, Finding, enumerated, notice
from .languages import inside, nested, parallel
from .model import (
    Content,
    Extra,
    Item,
    Menu,
    MenuReference,
    Piece,
    Rows,
    Site,
    Target,
    label_of,
    path_to,
    targets_of,
)
from .profiles.places import beside
from .profiles.schema import Profile
from .profiles.trees import OF_FILES, spell
from .reach import content_paths, reached_paths
from .unread import Unread, fields_of
from .visibility import Seen


def survey(
    site: Site, rows: Rows, seen: list[Seen], profile: Profile, used: set[str]
) -> list[Finding]:
    """Notices about a site: menus, locations, items and contents. `used`: see `ReadResult`."""
    found: list[Finding] = []
    found += _menus(site, used)
    found += _languages(site, rows)
    found += _keys(site, profile)
    found += of_items(site, rows, profile)
    found += _hidden_levels(site, rows, seen)
    found += _unlinked(site, rows)
    if profile.container == "csv":
        found += formulas(site, rows, site.file)
    found += _own_host(site, rows)
    found += _references(site, rows)
    found += _column_words(site, rows, profile)
    found += wide(profile, profile.theme(site.theme), site, None, site.file)
    if profile.takes_over:
        found.append(notice("read.part", before=profile.name, origin=site.file))
    return found


MOST_LINKS = 0.5
"""The share of links that lead to one host, from which on it may be the site's own."""


def _own_host(site: Site, rows: Rows) -> list[Finding]:
    """That most links lead to one host, and the export does not say which its own is."""
    if site.addresses:
        return []
    leading = [target for target in rows.targets() if target.kind not in NO_PAGES]
    hosts = Counter(
        host
        for target in leading
        if target.kind == "external" and (host := host_of(target.address or ""))
    )
    ((host, count),) = hosts.most_common(1) or [("", 0)]
    if count < 3 or count < MOST_LINKS * len(leading):
        return []
    words = f"{count} of {len(leading)}"
    return [notice("link.own-host", before=f"https://{host}", after=words, origin=site.file)]


NO_PAGES = ("none", "fragment", "mail", "phone")
"""What leads to no page of any site."""


def _references(site: Site, rows: Rows) -> list[Finding]:
    """Panels that show a menu that is not there, or the one that they stand in."""
    menus = {menu.key: menu for menu in site.menus}
    found: list[Finding] = []
    for row, thing in enumerate(rows.things):
        if not isinstance(thing, Piece) or not isinstance(thing.holds, MenuReference):
            continue
        menu, own = menus.get(thing.holds.menu), site.menus[rows.menu[row]]
        if menu is not None and menu is not own:
            continue
        item = rows.things[rows.parent[row]]
        found.append(
            notice(
                "panel.menu-missing" if menu is None else "panel.menu-self",
                menu=own.id,
                menu_name=own.title or own.key,
                item=getattr(item, "id", None),
                path=path_to(rows, rows.parent[row]),
                before=f"“{thing.holds.menu}”",
                origin=f"{site.file}: {thing.origin}",
            )
        )
    return found


def _column_words(site: Site, rows: Rows, profile: Profile) -> list[Finding]:
    """Class words that may make columns of panels, where the platform describes none."""
    if profile.panels is not None or any(theme.panels for theme in profile.themes.values()):
        return []
    found: list[Finding] = []
    for one in column_words(site, rows):
        menu = site.menus[one.menu]
        more = [f"these top items have “{one.opens}”"] if one.opens else []
        more += [f"the first link below each has “{one.heading}”"] if one.heading else []
        found.append(
            notice(
                "read.columns",
                menu=menu.id,
                menu_name=menu.title or menu.key,
                before=f"“{one.word}” stands on {one.items} items of the second level",
                after=f"; {enumerated(more)}" if more else "",
                labels=one.tops,
                origin=site.file,
            )
        )
    return found


def _keys(site: Site, profile: Profile) -> list[Finding]:
    """Menus with keys that their platform itself would not take."""
    placements = site.placements()
    found: list[Finding] = []
    for menu in site.menus:
        places = [place.name for place in placements.get(menu.id, ())]
        rule = profile.limits_of(site.theme, places).menu_key
        if rule and (len(menu.key) > rule.longest or not re.fullmatch(rule.pattern, menu.key)):
            name = menu.title or menu.key
            found.append(
                notice("read.key", menu=menu.id, menu_name=name, before=menu.key, origin=site.file)
            )
    return found


def _languages(site: Site, rows: Rows) -> list[Finding]:
    """Menus that are another one in a further language, and branches that are."""
    said: list[tuple[Menu, str]] = []
    for one in parallel(site, rows):
        menu, of = site.menus[one.menu], site.menus[one.of]
        count = f"{len(one.pairs)} of {len(rows.of_menu(one.menu))} items correspond"
        words = f"is “{of.title or of.key}” in another language ({one.language}): {count}"
        words += ", one by one" if one.whole else ", too few for labels of one menu"
        said.append((menu, words))
    for at, branches in inside(site, rows).items():
        names = ", ".join(branch.language for branch in branches)
        said.append((site.menus[at], f"holds a branch for each of its languages: {names}"))
    for at, pairs in nested(site, rows).items():
        counts = Counter(pair.language for pair in pairs)
        words = " and ".join(f"{n} in {language}" for language, n in counts.items())
        said.append(
            (site.menus[at], f"holds items in another language below those of the first: {words}")
        )
    return [
        notice(
            "read.languages",
            menu=menu.id,
            menu_name=menu.title or menu.key,
            before=words,
            origin=site.file,
        )
        for menu, words in said
    ]


def formulas(site: Site, rows: Rows, file: str) -> list[Finding]:
    """Labels that a spreadsheet takes for formulas, where menus are a table."""
    labels = [t.label for t in rows.things if isinstance(t, Item) and _FORMULA.match(t.label)]
    return [notice("label.formula", labels=tuple(labels), origin=file)] if labels else []


_FORMULA = re.compile(r"[=@\t\r]|[+-][^\s\d]")


def unread(site: Site, rows: Rows, profile: Profile) -> list[Finding]:
    """Notices of everything in the export that no rule of the profile reads, one for each field."""
    met: list[Unread] = []

    def about(
        scope: str, at: int, extra: Extra, origin: str, menu: Menu | None, row: int | None
    ) -> None:
        if extra.path in OF_FILES:
            return  # it says no more than where the record stands
        cover = Cover(0, scope, (at,), "")
        place = f"{site.file}: {origin}"
        met.append(Unread(cover, extra, place, menu.id if menu else None, row))

    for at, extra in enumerate(site.extras):
        about("site", at, extra, spell(extra.path), None, None)
    for at, content in enumerate(site.contents):
        for extra in content.extras:
            about("content", at, extra, spell(content.origin), None, None)
    for at, menu in enumerate(site.menus):
        for extra in menu.extras:
            about("menu", at, extra, spell(menu.origin), menu, None)
    for row, thing in enumerate(rows.things):
        for extra in thing.extras if isinstance(thing, Item) else ():
            menu = site.menus[rows.menu[row]]
            about("item", row, extra, origin_of(profile, thing), menu, row)
    hosts = Hosts(site.addresses)
    found: list[Finding] = []
    names = {menu.id: menu.title or menu.key for menu in site.menus}
    reached, own = reached_paths(site, rows, hosts), content_paths(site, hosts)
    for field in fields_of(
        met,
        hosts,
        reached,
        own,
        profile.ignore,
        spell,
        profile.off(site.theme),
        beside(profile, site.theme),
    ):
        first, alone = field.members[0], len(field.members) == 1
        of_row = first.row if alone else None
        found.append(
            notice(
                field.code,
                severity=field.severity,
                menu=first.menu if alone else None,
                menu_name=names.get(first.menu or "") if alone else None,
                item=getattr(rows.things[of_row], "id", None) if of_row is not None else None,
                path=path_to(rows, of_row) if of_row is not None else (),
                before=field.words,
                after=field.reason,
                origin=first.place,
                places=tuple(one.place for one in field.members),
            )
        )
    return found


def origin_of(profile: Profile, thing: Item | Piece) -> str:
    """Where an item or block was read, as a person says it."""
    if isinstance(thing, Item) and profile.items.tie.id:
        return f"{profile.items.word} {thing.id}"
    return spell(thing.origin)


def _menus(site: Site, used: set[str]) -> list[Finding]:
    found: list[Finding] = []
    placements = site.placements()
    for menu in site.menus:
        places = placements.get(menu.id, [])
        name = menu.title or menu.key
        if not menu.saved:
            found.append(notice("read.unsaved", menu=menu.id, menu_name=name, origin=site.file))
        if menu.owner == "platform":
            found.append(notice("place.staff", menu=menu.id, menu_name=name, origin=site.file))
        elif not places and menu.key not in used:
            found.append(notice("place.nowhere", menu=menu.id, menu_name=name, origin=site.file))
        if len(places) > 1:
            names = ", ".join(place.caption for place in places)
            found.append(
                notice("place.shared", menu=menu.id, menu_name=name, before=names, origin=site.file)
            )
    for place in site.locations:
        if not place.menus:
            found.append(notice("place.empty", before=place.caption, origin=site.file))
    return found


OF_ITEMS = ("read.hidden", "link.script", "read.parked", "read.gone", "read.double", "read.blank")
"""The codes of notices about single items."""


def of_items(
    site: Site, rows: Rows, profile: Profile, without: Collection[int] = ()
) -> list[Finding]:
    """Notices about single items, and about those that lead to the same place.

    `without` are rows that do not count: a plan leaves them out.
    """
    # One pass, for a large export: each row is asked everything that one row alone can tell.
    found: list[Finding] = []
    hosts = Hosts(site.addresses)
    contents = {(content.kind, content.id): content for content in site.contents}
    first: dict[tuple[int, tuple[str, str]], int] = {}
    # What is the same for all items that lead to one place.
    scripts: dict[Target, bool] = {}
    places: dict[Target, tuple[str, str]] = {}

    def about(code: str, row: int, **words: str | None) -> None:
        thing = rows.things[row]
        assert isinstance(thing, Item)
        menu = site.menus[rows.menu[row]]
        found.append(
            notice(
                code,
                menu=menu.id,
                menu_name=menu.title or menu.key,
                item=thing.id,
                path=path_to(rows, row),
                origin=f"{site.file}: {origin_of(profile, thing)}",
                before=words.get("before"),
                after=words.get("after"),
            )
        )

    for row, thing in enumerate(rows.things):
        if not isinstance(thing, Item) or row in without:
            continue
        if not thing.label and thing.role != "divider":
            about("read.blank", row)
        if "&" in thing.label and (plain := unescape(thing.label)) != thing.label:
            about("read.entities", row, before=thing.label, after=plain)
        if thing.hidden:
            about("read.hidden", row)
        if thing.role == "divider":
            continue
        target = thing.target
        script = scripts.get(target)
        if script is None:
            address = target.address
            script = address is not None and hosts.read(address).kind == "script"
            scripts[target] = script
        if script:
            about("link.script", row, before=target.address)
            continue
        bare = not thing.children and thing.panel is None and thing.role == "link"
        if target.kind == "none" and bare:
            about("read.parked", row, before="nowhere")
            continue
        if target.kind == "home":
            if rows.position[row] > 0 and bare:
                about("read.parked", row, before="the home page")
            continue
        if target.kind == "none":
            continue
        content = contents.get((target.kind, target.content or ""))
        if content is not None and content.state != "live":
            about("read.gone", row, before=_state(content))
        elif target.content is None and target.address is None and target.key is not None:
            about("read.gone", row, before="not in the export")
        place = places.get(target)
        if place is None:
            place = places[target] = _place(target, hosts)
        key = (rows.menu[row], place)
        if key in first:
            about("read.double", row, before=label_of(rows.things[first[key]]) or "(no label)")
        else:
            first[key] = row
    for item in found:
        if (
            item.code == "read.gone"
            and item.before != "gone"
            and item.before != "not in the export"
        ):
            item.severity = "medium"
    return found


def _place(target: Target, hosts: Hosts) -> tuple[str, str]:
    """What counts as the same target: the page with its query and fragment."""
    if target.content is None and target.address is not None:
        return target.kind, hosts.normal(target.address)
    kind, ident = identity(target, hosts)
    tail = hosts.read(target.address).tail if target.address is not None else ""
    return kind, ident + normal_tail(tail)


def _state(content: Content) -> str:
    return {"draft": "a draft", "private": "private"}.get(content.state, content.state)


def _hidden_levels(site: Site, rows: Rows, seen: list[Seen]) -> list[Finding]:
    """Items that are stored deeper than any location of their menu shows."""
    found: list[Finding] = []
    placements = site.placements()
    for index, menu in enumerate(site.menus):
        places = placements.get(menu.id, [])
        levels = [place.shows for place in places if place.shows is not None]
        if not levels or len(levels) < len(places):
            continue
        deepest = max(levels)
        deep = [r for r in rows.of_menu(index) if rows.depth[r] > deepest and not seen[r]]
        if deep:
            found.append(
                notice(
                    "depth.hidden",
                    menu=menu.id,
                    menu_name=menu.title or menu.key,
                    before=f"{deepest} level" + ("" if deepest == 1 else "s"),
                    labels=tuple(label_of(rows.things[row]) for row in deep),
                    origin=site.file,
                )
            )
    return found


def _unlinked(site: Site, rows: Rows) -> list[Finding]:
    """Live contents that no item of any saved menu points to."""
    if all(menu.saved for menu in site.menus):
        pointed = pointed_to(rows)
    else:
        pointed = {
            (target.kind, target.content)
            for row, thing in enumerate(rows.things)
            if site.menus[rows.menu[row]].saved
            for target in targets_of(thing)
            if target.content is not None
        }
    return [
        notice(
            "read.unlinked",
            before=f"“{content.title or content.id}”"
            + (f" ({content.path})" if content.path else ""),
            origin=f"{site.file}: {spell(content.origin)}",
        )
        for content in site.contents
        if content.state == "live"
        and (content.kind, content.id) not in pointed
        and content.path != "/"
    ]
