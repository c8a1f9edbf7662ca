"""The proof of a conversion: the file is read back, and every fact of the source accounted for."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import Any, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from .addresses import Hosts
from .audit.compare import Audit, Audited, Side
from .audit.limits import broken
from .audit.planned import Pages, Planned, differences
from .effort import efforts, mean, reached
from .errors import AuditError, UnprovenError, YpsiformError
from .findings import Finding, by_severity, notice, told_once
from .fit import Fitted, Work
from .fit.extras import adapted as adapted_extras
from .model import NOWHERE, Content, Extra, Item, Location, Rows, Site, Target
from .notices import OF_ITEMS, of_items
from .profiles.files import dump_tree, load_tree
from .profiles.load import ships
from .profiles.places import sequences_of
from .profiles.read import ReadResult, site_of
from .profiles.schema import Profile
from .profiles.write import Written
from .profiles.writing.file import Plan
from .reading import Progress, Surveyed, says_theme, silent

FAULT = "this is a fault of Ypsiform, and no output is kept"


class Migration(Struct):
    """A finished conversion: the bytes to write, and the account of every fact.

    `written` is the site as it was read back, with its `rows`, by the rules of a `profile`.
    `effort` is that of reaching what menus lead to, before and after, on average; `efforts` have it
    for each menu of the source by itself.
    """

    source: Surveyed
    fitted: Fitted
    written: Site
    data: bytes
    audited: Audited
    findings: list[Finding]
    reachable: tuple[int, int]
    effort: tuple[float | None, float | None]
    shown: tuple[int, int] = (0, 0)
    into: Surveyed | None = None
    written_as: dict[str, list[str]] = {}
    stayed: int = 0
    rows: Rows = field(default_factory=Rows)
    profile: Profile | None = None
    efforts: list[tuple[float | None, float | None]] = []


class Prepared(NamedTuple):
    """A conversion up to the tree that is to be written, which has yet to be proved.

    `own`: an address of the site that somebody said, where the export's own file is written.
    """

    source: Surveyed
    standing: Surveyed | None
    work: Work
    fitted: Fitted
    written: Written
    plan: Plan
    settings: Mapping[str, str]
    pages: Pages | None
    own: str | None = None


def proved(prepared: Prepared, tell: Progress = silent) -> Migration:
    """Write the tree as bytes, read these back, and audit what they say.

    Raises `AuditError` where it is not what was planned, or where a difference is in no finding.
    """
    work, plan, settings = prepared.work, prepared.plan, prepared.settings
    profile, file = work.profile, prepared.source.site.file
    try:
        data = dump_tree(prepared.written.tree, profile, settings)
    except YpsiformError as error:
        error.file = error.file or (prepared.standing or prepared.source).site.file
        raise
    own = _filled_in(prepared)
    # It takes much room, and what is read back is another one.
    prepared.written.tree = None
    tell("reading back")
    theme = None if says_theme(profile) else plan.theme
    try:
        tree = load_tree(data, "the written file", profile, settings)
        stayed = prepared.written.stayed
        back = site_of(tree, profile, file, theme, stayed, own=prepared.own)
    except YpsiformError as error:
        problem = f"the written file cannot be read: {error}"
        raise _unproven(prepared, "what was written cannot be read back", [problem]) from error
    _without_filled(prepared, back, *own)
    pages = standing_pages(profile, tree)
    tree = None
    tell("auditing")
    return _account(prepared, back, data, pages)


def _filled_in(prepared: Prepared) -> tuple[dict[str, Any], str | None]:
    """What a database writes into new rows of items by itself, and the column that it numbers."""
    profile = prepared.work.profile
    if profile.container != "sqlite" or not profile.items.at:
        return {}, None
    from .containers.sqlite import defaults, key_of

    tree = prepared.written.tree
    return defaults(tree, profile.items.at), key_of(tree, profile.items.at)


def _without_filled(
    prepared: Prepared, back: ReadResult, filled: Mapping[str, Any], number: str | None
) -> None:
    """Leave aside what the database itself writes into new rows, and say it."""
    # Values that a database fills in by itself are no facts of ours, and no difference to be told.
    if not (filled or number):
        return
    written, work = prepared.written, prepared.work
    standing = {place for (side, _, _), place in written.lineage.items() if side == 1}
    things = prepared.source.rows.things
    said = {
        (place, extra.path)
        for (side, scope, n), place in written.lineage.items()
        if side == 0 and scope == "item" and work.same_platform
        for extra in getattr(things[n], "extras", ())
    }
    found: dict[str, Any] = {}
    for thing in back.rows.things:
        if isinstance(thing, Item) and thing.extras and thing.origin not in standing:
            own = (e for e in thing.extras if (thing.origin, e.path) not in said)
            mine = [e for e in own if e.path == number or filled.get(e.path, thing) == e.value]
            given = {e.path: "a number of its own" if e.path == number else e.value for e in mine}
            found.update(given)
            thing.extras = tuple(extra for extra in thing.extras if extra not in mine)
    for column, value in found.items():
        work.ledger.notices.append(
            notice(
                "step.filled",
                before=column,
                after=str(value) or "an empty text",
                origin=prepared.standing.site.file if prepared.standing else "",
            )
        )


def standing_pages(profile: Profile, tree: object) -> Pages | None:
    """The pages of a file whose menus are generated from them; None of any other file."""
    if profile.items.pages is None or tree is None:
        return None
    from .profiles import pages
    from .profiles.files import shape_of

    shape = shape_of(profile)
    return pages.Pages(profile, shape, shape.root(tree)).standing()


def _planned(prepared: Prepared) -> Planned:
    """What is to be read back."""
    work, fitted, plan = prepared.work, prepared.fitted, prepared.plan
    own, profile = plan.own, work.profile
    base = work.base.menus if work.base is not None else []
    index = {id(menu): at for at, menu in enumerate(base)}
    menus = [((1, "menu", index[id(menu)]), menu) for menu in fitted.kept]
    records = {}
    for fate in [*fitted.menus, *fitted.secondary]:
        if fate.made is None:
            continue
        key = (0 if fate.index >= 0 else 2, "menu", fate.index)
        menus.append((key, fate.made))
        recorded = profile.menus.at not in (None, ".") or profile.items.pages is not None
        if fate.replaces is not None and recorded:
            records[key] = replace(fate.replaces, title=fate.title)
    fields = profile.site.fields
    addresses = languages = None
    # The first label says the language of a file that does not say it, and it may be another one.
    spoken = profile.languages and not fitted.kept
    if own is not None:
        # A page that was read is not written whole, and so without the language that it says.
        addresses, languages = (
            # A file that lists addresses and had none gets that of its site with the first of them.
            own.addresses or (None if plan.addresses else ()),
            (own.languages or None) if profile.page is None and not spoken else None,
        )
    elif own is None and "address" in fields:
        addresses = (plan.address,) if plan.address else ()
    if own is None and "language" in fields and profile.page is None:
        languages = (plan.language,) if plan.language else None
    return Planned(
        menus,
        records,
        _locations(profile, own, fitted),
        prepared.written.ids,
        None if plan.addresses else _contents(own, work),
        _extras_left(own, plan, work, fitted.overwritten) if own is not None else [],
        plan.theme if says_theme(profile) else None,
        addresses,
        languages,
        profile.locations.form == "records",
        not profile.items.pages,
        f"{profile.content[0].at}/" if profile.items.pages and own is not None else None,
        prepared.pages,
        {(0, "menu", f.index): (f.replaces or f.menu).gathers for f in fitted.menus},
        # Where menus name their locations, these have no order of their own.
        not profile.also and profile.locations.form != "menus",
    )


def _locations(profile: Profile, own: Site | None, fitted: Fitted) -> list[Location]:
    """The locations as a file has them: those that it had first, and called as they were."""
    planned = fitted.locations
    if profile.locations.open:
        # They are the menus. A menu that takes over a record stands where that does.
        fates = [*fitted.menus, *fitted.secondary]
        keys = [*profile.gathered]  # of which each has its place
        keys += [menu.key for menu in own.menus] if own is not None else []
        if profile.menus.at is None:
            keys = [menu.key for menu in fitted.kept]
        order: dict[str, int] = {}
        for at, key in enumerate([*keys, *(fate.key for fate in fates)]):
            order.setdefault(key, at)
        for at, fate in enumerate(fates if profile.menus.at is None else ()):
            order[fate.key] = len(keys) + at
        return sorted(planned, key=lambda place: order.get(place.name, len(order)))
    if own is None or profile.locations.form != "records":
        return planned
    had = {place.name: (at, place.caption) for at, place in enumerate(own.locations)}
    named = [
        replace(place, caption=had.get(place.name, (0, place.caption))[1])
        for place in planned
        if place.name in had or place.name in fitted.touched
    ]
    return sorted(named, key=lambda place: had.get(place.name, (len(had), ""))[0])


def _contents(own: Site | None, work: Work) -> list[Content]:
    contents = own.contents if own is not None else []
    if work.adapt is None:
        return contents
    return [replace(c, extras=adapted_extras(c.extras, work.adapt)) for c in contents]


def _extras_left(own: Site, plan: Plan, work: Work, overwritten: Sequence[str]) -> Sequence[Extra]:
    """Unread data of a file that stays: not that of lists that are emptied, or of their names."""
    profile = work.profile
    gone = {*plan.removed, *overwritten}
    rules = [theme.panels for theme in profile.themes.values() if theme.panels]
    sequences = {
        f"{profile.locations.at}/{rule.shown_at}"
        for rule in rules
        if rule.in_sequence and rule.records_at in plan.removed
    }
    inside = tuple(f"{path}/" for path in plan.removed)
    listed = sequences_of(profile, own.theme)
    left = [
        e
        for e in own.extras
        if e.path not in gone
        and not e.path.startswith(inside)
        and (e.path not in sequences or (isinstance(e.value, str) and e.path not in listed))
    ]
    return adapted_extras(left, work.adapt) if work.adapt is not None else left


def _unproven(prepared: Prepared, what: str, problems: list[str]) -> AuditError:
    """The error where a file does not stand up to the audit: our fault, or that of a profile."""
    profile = prepared.work.profile
    if ships(profile):
        return AuditError(f"{what}; {FAULT}", problems)
    return UnprovenError(
        f"{what}; no output is kept. Look at the profile of {profile.id!r}: do two of its rules "
        "use one place, or does it read what it cannot write? If not, this is a fault of Ypsiform",
        problems,
    )


def _account(prepared: Prepared, back: ReadResult, data: bytes, pages: Pages | None) -> Migration:
    source, standing, work = prepared.source, prepared.standing, prepared.work
    fitted, lineage = prepared.fitted, prepared.written.lineage
    sides = [Side(0, source.site, source.rows, source.seen, work.same_file)]
    if standing is not None:
        there = standing.site, standing.rows, standing.seen
        sides.append(Side(1, *there, True, fitted.renewed))
    written, rows = back.site, back.rows
    audit = Audit(
        sides,
        written,
        rows,
        lineage,
        fitted.matches,
        fitted.losses,
        fitted.went,
        own_room=work.profile.own_room(work.theme_name),
    )
    audited = audit.run()
    places = {place for (side, scope, _), place in lineage.items() if side != 1 and scope == "menu"}
    made = {at for at, menu in enumerate(written.menus) if menu.origin in places}
    stood = source.site if work.same_file else work.base
    kept_keys = {menu.key for menu in stood.menus} if stood is not None else ()
    problems = audited.problems + broken(written, rows, made, work.profile, kept_keys)
    problems += differences(_planned(prepared), written, rows, lineage, pages)
    if problems:
        differ = f"the file written and the findings disagree in {len(problems)} places"
        raise _unproven(prepared, differ, problems)
    before = reached(source.site, source.rows, audited.before_seen)
    leads_there = _destinations(prepared, written)
    measure = work.options.measure
    was = efforts(source.site, source.rows, measure)
    ways = efforts(written, rows, measure)
    # What can still be reached is counted from what was read back, link by link.
    reachable = 0
    of_menu: list[tuple[list[float], list[float]]] = [([], []) for _ in source.site.menus]
    for found in before.values():
        still = False
        for link in found:
            way_before, way_after = of_menu[source.rows.menu[link[0]]]
            way_before.append(was[link[0]])
            now = _still(audited, link, leads_there)
            if now is not None:
                still = True
                way_after.append(ways[now] + measure.outside * (now in audited.outside))
        reachable += still
    own = standing.findings if standing is not None else []
    unknown = [found for found in own if found.code == "panel.unknown"]
    noticed = _still_of_use(prepared)
    findings = told_once(by_severity([*fitted.losses, *noticed, *fitted.notices, *unknown]))
    return Migration(
        source,
        fitted,
        written,
        data,
        audited,
        findings,
        (len(before), reachable),
        _means(
            [way for ways, _ in of_menu for way in ways], [w for _, ways in of_menu for w in ways]
        ),
        menus_shown(source.site, fitted),
        standing,
        _written_as(fitted),
        prepared.written.stayed,
        rows,
        work.profile,
        [_means(*ways) for ways in of_menu],
    )


def _means(before: list[float], after: list[float]) -> tuple[float | None, float | None]:
    return mean(before), mean(after)


def _written_as(fitted: Fitted) -> dict[str, list[str]]:
    """By the id of a source's menu the keys of the menus that it became."""
    found = {fate.menu.id: [(fate.joins or fate).key] for fate in [*fitted.menus, *fitted.joined]}
    for fate in fitted.secondary:
        found.setdefault(fate.menu.id, []).append(fate.key)
    return found


def _still_of_use(prepared: Prepared) -> list[Finding]:
    """The notices about the source, without those about items that a plan leaves out."""
    source, fitted = prepared.source, prepared.fitted
    left = {
        row
        for loss in fitted.losses
        if loss.code in ("item.left", "menu.left")
        for cover in loss.covers
        if cover.scope == "item"
        for row in cover.numbers
    }
    if not left:
        return source.findings
    rest = [found for found in source.findings if found.code not in OF_ITEMS]
    return rest + of_items(source.site, source.rows, source.profile, left)


def _destinations(prepared: Prepared, written: Site) -> Callable[[Target], bool]:
    """Whether a target of the destination leads to something that is there, as far as is known."""
    work = prepared.work
    known = [] if work.same_file else [*work.inventory, *work.options.listed]
    hosts = Hosts((work.base or work.source).addresses)
    paths = {hosts.read(content.path).path for content in known if content.path}
    closed = {(c.kind, c.id) for c in written.contents if c.state != "live"}

    @cache
    def there(target: Target) -> bool:
        if target.kind == "none":
            return False
        if target.content is not None:
            return (target.kind, target.content) not in closed
        plain = target.kind == "page" and target.address is not None
        return not (paths and plain) or hosts.read(target.address or "").path in paths

    return there


def _still(
    audited: Audited, link: tuple[int, int], leads_there: Callable[[Target], bool]
) -> int | None:
    """The row read back that leads where a link of the source did, if visitors see it."""
    row, target = audited.links.get(link) or (-1, NOWHERE)
    return row if row >= 0 and audited.after_seen[row] and leads_there(target) else None


def menus_shown(source: Site, fitted: Fitted) -> tuple[int, int]:
    """How many menus of the source visitors saw, and how many of these they see now."""
    placed = source.placements()
    return (
        sum(menu.id in placed for menu in source.menus),
        sum(
            bool(fate.locations) and fate.menu.id in placed
            for fate in [*fitted.menus, *fitted.joined]
        ),
    )
