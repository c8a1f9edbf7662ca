"""The pipeline: read, resolve and fit, write, read back, audit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import partial
from typing import Any, NamedTuple, cast

from msgspec import Struct
from msgspec.structs import replace

from . import document, facts
from .addresses import Hosts
from .audit.compare import Audit, Audited, Side
from .audit.limits import broken
from .audit.planned import Pages, Planned, differences
from .containers.json import kind_of
from .decisions import ChoiceError, Decisions, LinkChoice, Pair
from .effort import efforts, mean, reached
from .errors import AuditError, RefusedError, UnprovenError, YpsiformError
from .findings import Finding, by_severity, notice, told_once
from .fit import Fitted, Options, Work, fit
from .fit.extras import adapted as adapted_extras
from .fit.inventory import addresses as inventory
from .fit.kinds import wanted_of
from .fit.work import KEPT, MADE, Earlier, Fate
from .job import Job
from .model import NOWHERE, Content, Extra, Item, Location, Rows, Site, number
from .notices import OF_ITEMS, of_items, survey, unread
from .plan.file import MigrationPlan
from .profiles.documents import adapted, becomes
from .profiles.files import dump_tree, load_tree
from .profiles.items import pointable
from .profiles.load import chosen_settings, find, known, ships, split_platform
from .profiles.places import sequences_of
from .profiles.read import ReadResult, site_of, spell
from .profiles.restore import restored
from .profiles.schema import Profile
from .profiles.write import Plan, Written, tree_of
from .recognise import open_tree
from .record import VERSION, Record, fingerprints
from .record import Menu as RecordedMenu
from .version import __version__
from .visibility import Seen, shown

Progress = Callable[[str], None]


def silent(_: str) -> None:
    """Tell nobody about progress."""


class Surveyed(Struct):
    """An export as it was read, with everything worth knowing about it.

    `document`: it came from a document of our own, and `profile` is that of the platform that its
    site was read from.
    """

    site: Site
    rows: Rows
    profile: Profile
    seen: list[Seen]
    findings: list[Finding]
    used: set[str]
    document: bool = False

    @property
    def called(self) -> str:
        """What the file is, in a few words."""
        platform = self.site.platform
        if self.document:
            return f"a document of a site of {platform}"
        return f"an export of {platform}"


class Migration(Struct):
    """A finished conversion: the bytes to write, and the account of every fact."""

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


def read(
    data: bytes,
    file: str,
    platform: str | Profile | None = None,
    tell: Progress = silent,
    nav: str | None = None,
    *,
    fold: int | None = 0,
    encoded: str | None = None,
) -> tuple[Surveyed, object]:
    """Read an export and look at it. Returns the neutral tree as well.

    `platform` is its id, or a profile that is not in a file yet. `nav` is the CSS selector of
    what is read of a page. `fold` is the first of the panels beside the menus that is read as
    one; None: they all stay as they are. `encoded` is the theme whose panels are read, where that
    is another one than the file's.
    """
    tell("reading")
    try:
        tree, profile, theme, _ = open_tree(data, file, platform, nav)
        if profile.id == document.ID:
            return _document(tree, file), tree
        result = site_of(tree, profile, file, theme, fold, encoded)
    except YpsiformError as error:
        if not error.file:
            error.file, error.place = file, spell(error.place)
        raise
    return _looked(result, profile), tree


def _document(tree: object, file: str) -> Surveyed:
    """The site of a document of our own."""
    site, used, notices = document.load(tree, file)
    profile = find(site.platform if known(site.platform) else document.ID)[0]
    looked = _looked(ReadResult(site, number(site), notices, used), profile)
    looked.document = True
    return looked


def _restored(source: Surveyed, tree: object) -> tuple[Surveyed, object]:
    """The export that a document's site could have been read from, read; and its tree.

    The tree is None, and the site as it was, where no file says all that the document does.
    """
    file, profile = source.site.file, source.profile
    site, _, _ = document.load(tree, file)
    try:
        made = restored(site, profile, file)
        if made is not None:
            result = site_of(made, profile, file, None if says_theme(profile) else site.theme)
            if document.says_the_same(result.site, source.site):
                return _looked(result, profile), made
    except (YpsiformError, *_UNFIT):
        pass  # what the document says does not fit into a file of its platform
    return source, None


_UNFIT = (AssertionError, AttributeError, LookupError, StopIteration, TypeError, ValueError)


@contextmanager
def _fitting(loose: bool, source: Surveyed) -> Iterator[None]:
    """What a `loose` document keeps as unread may be nothing that a file can hold: say so."""
    try:
        yield
    except (AuditError, *_UNFIT):
        if not loose:
            raise
        message = f"what it says does not fit into a file of {source.profile.name}"
        raise RefusedError(message, file=source.site.file) from None


def _looked(result: ReadResult, profile: Profile) -> Surveyed:
    site, rows = result.site, result.rows
    seen = shown(site, rows)
    notices = result.notices + survey(site, rows, seen, profile, result.used)
    return Surveyed(site, rows, profile, seen, notices, result.used)


def all_findings(surveyed: Surveyed) -> list[Finding]:
    """What is worth knowing, and everything that no rule read, the most severe first."""
    more = unread(surveyed.site, surveyed.rows, surveyed.profile)
    return by_severity(surveyed.findings + more)


def count_facts(surveyed: Surveyed) -> int:
    """The number of facts in a site, as it was read."""
    return facts.count(surveyed.site, surveyed.rows)


def convert(
    data: bytes,
    file: str,
    to: str | Profile,
    *,
    from_: str | Profile | None = None,
    into: tuple[bytes, str] | None = None,
    options: Options | None = None,
    settings: Mapping[str, str] | None = None,
    nav: str | None = None,
    plan: MigrationPlan | None = None,
    links: tuple[bytes, str] | None = None,
    decided: dict[Pair, LinkChoice] | None = None,
    redirects: tuple[bytes, str] | None = None,
    record: Record | None = None,
    tell: Progress = silent,
) -> Migration:
    """Convert an export: `run` of a job that is said in words of its own. See `Job`.

    So many parameters, since each is one thing that may be asked, and most callers ask for one.
    """
    return run(
        Job(
            data=data,
            file=file,
            to=to,
            from_=from_,
            into=into,
            options=options or Options(),
            settings=settings or {},
            nav=nav,
            plan=plan,
            links=links,
            decided=decided or {},
            redirects=redirects,
            record=record,
        ),
        tell,
    )


def run(job: Job, tell: Progress = silent) -> Migration:
    """Do what a job asks. Raises `AuditError` where the account does not add up."""
    to, into, record = job.to, job.into, job.record
    profile, theme = (to, None) if isinstance(to, Profile) else find(to)
    own_theme = profile.theme(theme)
    if own_theme is not None and own_theme.read_only:
        raise RefusedError(f"{to} is read and never written: {own_theme.read_only.rstrip('.')}")
    writing = chosen_settings(profile, job.settings)
    source, tree = read(job.data, job.file, job.from_, tell, job.nav)
    if profile.id == document.ID:
        if into is not None:
            raise RefusedError("a document is written whole, and nothing is written into one")
        return _kept_whole(source, tell)
    if profile.read_only:
        raise RefusedError(
            f"files of {profile.id} are read and never written: {profile.read_only.rstrip('.')}"
        )
    standing: Surveyed | None = None
    base: object = None
    earlier = Earlier()
    if into is not None:
        tell("reading the destination")
        there: str | Profile = to
        if not isinstance(to, Profile):
            there, named = split_platform(to)[0], profile.to_write(theme)
            if not says_theme(profile) and named:
                there += f"/{named}"
        standing, base = read(into[0], into[1], there, fold=None, encoded=theme)
        if record is not None:
            folded = read(into[0], into[1], there, fold=record.stayed, encoded=theme)
            earlier = _earlier(record, folded[0], profile)
            if not earlier.changed or not _is_beside(profile, theme or standing.site.theme):
                standing, base = folded
            else:
                earlier.same = {}  # panels beside the menus are ours all, or none
    elif source.profile == profile:
        if source.document:
            source, tree = _restored(source, tree)
        base = tree
    tree = None
    own = standing.site if standing else source.site if base is not None else None
    before = profile.theme(own.theme) if own else None
    keeps = own.theme if own and not (before and before.read_only) else None
    chosen = theme or keeps or profile.to_write(None)

    tell("fitting")
    work = Work(
        source.site,
        source.rows,
        source.seen,
        source.profile,
        profile,
        chosen,
        standing,
        job.options,
        base is not None,
    )
    work.earlier = earlier
    _check_theme(work)
    if form := becomes(base, writing):
        work.adapt = partial(adapted, form=form)
        if standing is not None and adapted(dict(cast(Any, base)), form) != base:
            raise RefusedError(
                f"it has days, times or empty values, which {form} has no way to write; write it "
                "in the form that it has",
                file=standing.site.file,
            )
    decided = dict(job.decided)
    if job.redirects is not None:
        decided = {**_redirected(work, job.redirects), **decided}
    fitted = _fitted(work, job.plan, job.links, decided)

    tell("writing")
    made = [
        (fate.index, fate.made, fate.replaces.key if fate.replaces else None)
        for fate in [*fitted.menus, *fitted.secondary]
        if fate.made is not None
    ]
    # Languages in one text that a profile reads as one are several all the same.
    language = next(iter(" ".join(source.site.languages).split()), "")
    if profile.languages and fitted.kept and own is not None and own.languages:
        language = own.languages[0]
    to_write = Plan(
        mode=work.mode,
        made=made,
        kept={menu.key for menu in fitted.kept},
        placements={
            place.name: place.menus for place in fitted.locations if place.name in fitted.touched
        },
        removed=fitted.removed,
        theme=chosen,
        address=next(iter(source.site.addresses), ""),
        language=language,
        own=own,
        kept_number=KEPT,
        made_number=MADE,
        fills=fitted.fills,
        stays=fitted.stays,
        addresses=(
            inventory(work, writing.get("site", "")) if work.theme and work.theme.no_menus else ()
        ),
        parts=fitted.parts,
    )
    pages = standing_pages(profile, base)
    loose = source.document and base is None and work.same_platform and profile.id != document.ID
    with _fitting(loose, source):
        written = tree_of(base, profile, to_write)
        base = None
        ready = Prepared(source, standing, work, fitted, written, to_write, writing, pages)
        return proved(ready, tell)


def _check_theme(work: Work) -> None:
    """Refuse another theme for a file whose own one is not described: what it shows is unknown."""
    stood = work.source if work.same_file else work.base
    panels = work.profile.panels_of(work.theme_name)
    if stood is not None and panels is not None:
        for extra in stood.extras:
            if extra.path == panels.records_at and not isinstance(extra.value, list):
                words = f"{panels.records_at}: found {kind_of(extra.value)} where a list is needed"
                raise RefusedError(words, file=stood.file)
    own, rule = work.source.theme, work.profile.locations
    there = stood.theme if stood is not None and not work.same_file else None
    if stood is not None and there not in (None, work.theme_name, *work.profile.themes):
        raise RefusedError(
            f"it is for the theme {there!r}, which is not described, and what it shows is not "
            f"known; leave /{work.theme_name} out, and it stays of that theme",
            file=stood.file,
        )
    unknown = own is not None and own not in work.profile.themes
    if not (work.same_file and unknown and work.theme_name in work.profile.themes):
        return
    keys = {menu.key for menu in work.source.menus}
    for extra in work.source.extras:
        held = extra.value
        named = held in keys if isinstance(held, str) else bool(held)
        if extra.path.startswith(f"{rule.at}/") and named:
            raise RefusedError(
                f"it is for the theme {own!r}, which is not described; name the theme that it is "
                f"to be read by, with --from {work.profile.id}/{work.theme_name}",
                file=work.source.file,
            )


class Prepared(NamedTuple):
    """A conversion up to the tree that is to be written, which has yet to be proved."""

    source: Surveyed
    standing: Surveyed | None
    work: Work
    fitted: Fitted
    written: Written
    plan: Plan
    settings: Mapping[str, str]
    pages: Pages | None


def proved(prepared: Prepared, tell: Progress = silent) -> Migration:
    """Write the tree as bytes, read these back, and audit what they say.

    Raises `AuditError` where it is not what was planned, or where a difference is in no finding.
    """
    work, written, plan, settings = (
        prepared.work,
        prepared.written,
        prepared.plan,
        prepared.settings,
    )
    profile, file = work.profile, prepared.source.site.file
    try:
        data = dump_tree(written.tree, profile, settings)
    except YpsiformError as error:
        error.file = error.file or (prepared.standing or prepared.source).site.file
        raise
    tell("reading back")
    theme = None if says_theme(profile) else plan.theme
    try:
        tree = load_tree(data, "the written file", profile, settings)
        back = site_of(tree, profile, file, theme, written.stayed)
    except YpsiformError as error:
        problem = f"the written file cannot be read: {error}"
        raise _unproven(prepared, "what was written cannot be read back", [problem]) from error
    _without_filled(prepared, back)
    tell("auditing")
    return _account(prepared, back, data, standing_pages(profile, tree))


def _without_filled(prepared: Prepared, back: ReadResult) -> None:
    """Leave aside what the database itself writes into new rows, and say it."""
    profile, written, work = prepared.work.profile, prepared.written, prepared.work
    if profile.container != "sqlite" or not profile.items.at:
        return
    from .containers.sqlite import defaults, key_of

    filled = defaults(written.tree, profile.items.at)
    number = key_of(written.tree, profile.items.at)
    standing = {place for (side, _, _), place in written.lineage.items() if side == 1}
    things = prepared.source.rows.things
    said = {
        (place, extra.path)
        for (side, scope, n), place in written.lineage.items()
        if (filled or number) and side == 0 and scope == "item" and work.same_platform
        for extra in getattr(things[n], "extras", ())
    }
    found: dict[str, Any] = {}
    for thing in back.rows.things if filled or number else ():
        if isinstance(thing, Item) and thing.extras and thing.origin not in standing:
            own = (e for e in thing.extras if (thing.origin, e.path) not in said)
            mine = [e for e in own if e.path == number or filled.get(e.path, thing) == e.value]
            given = {e.path: "a number of its own" if e.path == number else e.value for e in mine}
            found.update(given)
            thing.extras = tuple(extra for extra in thing.extras if extra not in mine)
    for column, value in found.items():
        work.notices.append(
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
        keys = [menu.key for menu in own.menus] if own is not None else []
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


def _kept_whole(source: Surveyed, tell: Progress) -> Migration:
    """A site as a document of our own, which loses nothing. Raises `AuditError` if it does."""
    tell("writing")
    site = source.site
    data = document.dump(site, source.used)
    tell("reading back")
    back, used, _ = document.load(load_tree(data, site.file, find(document.ID)[0]), site.file)
    rows = number(back)
    tell("auditing")
    lineage = {(0, "item", row): thing.origin for row, thing in enumerate(source.rows.things)}
    lineage.update({(0, "menu", at): menu.origin for at, menu in enumerate(site.menus)})
    side = Side(0, site, source.rows, source.seen, True)
    audited = Audit([side], back, rows, lineage, [], []).run()
    problems = audited.problems
    whole = document.says_the_same(back, site, places=True) and used == source.used
    if not problems and not whole:
        problems = ["what was read back is not what was read first"]
    if problems:
        raise AuditError(f"the document differs in {len(problems)} places; {FAULT}", problems)
    fates = [Fate(at, menu) for at, menu in enumerate(site.menus)]
    placements = site.placements()
    for fate in fates:
        fate.locations = placements.get(fate.menu.id, [])
    fitted = Fitted(fates, [], site.locations, set(), site.theme, [], [], site, [])
    there = reached(rows, audited.after_seen, Hosts(site.addresses))
    effort = efforts(back, rows)
    now = mean([effort[row] for found in there.values() for row, _ in found])
    return Migration(
        source,
        fitted,
        back,
        data,
        audited,
        by_severity(source.findings),
        (len(there), len(there)),
        (now, now),
        _menus_shown(site, fitted),
        None,
        {menu.id: [menu.key] for menu in site.menus},
    )


FAULT = "this is a fault of Ypsiform, and no output is kept"


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


def _redirected(work: Work, redirects: tuple[bytes, str]) -> dict[Pair, LinkChoice]:
    """What a table of redirects decides about links: a content, or an address."""
    from .plan.inventory import read_redirects

    hosts = Hosts((work.base or work.source).addresses)
    wanted = {} if work.same_file else wanted_of(work)
    made, unknown = read_redirects(*redirects, wanted, work.hosts, work.source.contents)
    if unknown:
        work.notices.append(
            notice("link.redirect-unused", labels=tuple(unknown), origin=redirects[1])
        )
    there = {
        hosts.read(content.path).path: (content.kind, content.id)
        for content in reversed(pointable(work.profile, work.inventory))
        if content.path
    }
    for pair, choice in made.items():
        content = there.get(hosts.read(choice.address or "").path)
        if content is not None:
            made[pair] = LinkChoice(content)
    together: dict[tuple[Pair | None, str], list[Pair]] = {}
    for pair, choice in made.items():
        address = hosts.read(choice.address or "").path or (choice.address or "")
        together.setdefault((choice.content, address), []).append(pair)
    for pairs in together.values():
        if len(pairs) > 1:
            names = tuple(wanted[pair].title or wanted[pair].path or pair[1] for pair in pairs)
            choice = made[pairs[0]]
            after = choice.address or ""
            if choice.content is not None:
                after = next(path for path, one in there.items() if one == choice.content)
            work.notices.append(
                notice("link.joined", after=after, labels=names, origin=redirects[1])
            )
    return made


def _fitted(
    work: Work,
    plan: MigrationPlan | None,
    links: tuple[bytes, str] | None,
    decided: dict[Pair, LinkChoice],
) -> Fitted:
    """Fit by the decisions of a plan and of a link table, if there are any."""
    if plan is None and links is None:
        if decided:
            work.options = replace(work.options, decisions=Decisions(links=decided))
        return fit(work)
    from .plan.file import gone
    from .plan.links import read_links

    missing: list[str] = []
    table: dict[Pair, LinkChoice] = {}
    if links is not None:
        wanted = {} if work.same_file else wanted_of(work)
        there = [*pointable(work.profile, work.inventory), *work.options.listed]
        table, missing = read_links(*links, wanted, there)
    table = {**decided, **table}
    decisions = Decisions(links=table) if plan is None else plan.decisions(table)
    work.options = replace(work.options, decisions=decisions)
    try:
        fitted = fit(work)
    except ChoiceError as error:
        assert plan is not None
        raise plan.placed(error) from None
    if plan is not None:
        missing += gone(plan, work.source, work.rows)
        for menu in work.source.menus:
            if menu.id not in decisions.menus:
                name = f"the menu “{menu.title or menu.key}”"
                work.notices.append(notice("plan.new", menu=menu.id, before=name, origin=plan.file))
    file = plan.file if plan is not None else links[1] if links is not None else ""
    work.notices += [notice("plan.gone", before=words, origin=file) for words in missing]
    return fitted


def _earlier(record: Record, there: Surveyed, profile: Profile) -> Earlier:
    """What an earlier run wrote that is there, as it was written or changed since."""
    found = Earlier()
    if record.platform != profile.id:
        return found
    now = fingerprints(there.site, there.rows, [menu.key for menu in record.menus])
    for menu in record.menus:
        if now.get(menu.key) == menu.fingerprint:
            found.same[menu.source, menu.part] = menu.key
        elif menu.key in now and now[menu.key] != menu.stood and not menu.part:
            found.changed[menu.source] = menu.key
    return found


def _is_beside(profile: Profile, theme: str | None) -> bool:
    """Whether the panels of a theme stand beside its menus."""
    rule = profile.panels_of(theme)
    return rule is not None and bool(rule.records_at)


def recorded(migration: Migration, hashes: dict[str, str | None]) -> Record:
    """The record of a conversion. `hashes` are those of the files that it read and wrote."""
    fitted, written = migration.fitted, migration.written
    found = fingerprints(written, number(written), [menu.key for menu in written.menus])
    parts: Counter[str] = Counter()
    stood: dict[str, str] = {}
    if migration.into is not None:
        there = migration.into
        stood = fingerprints(there.site, there.rows, [menu.key for menu in there.site.menus])
    menus = []
    for fate in [*fitted.menus, *fitted.secondary]:
        ident = fate.menu.id
        menus.append((fate.key, ident, parts[ident] if fate.index < 0 else 0))
        parts[ident] += 1
    return Record(
        VERSION,
        __version__,
        written.platform,
        fitted.theme,
        hashes,
        migration.stayed,
        [
            RecordedMenu(key, ident, n, found[key], stood.get(key))
            for key, ident, n in menus
            if key in found
        ],
    )


def says_theme(profile: Profile) -> bool:
    """Whether files of a platform say which theme they are for."""
    return "theme" in profile.site.fields


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
    )
    audited = audit.run()
    places = {place for (side, scope, _), place in lineage.items() if side != 1 and scope == "menu"}
    made = {at for at, menu in enumerate(written.menus) if menu.origin in places}
    stood = source.site if work.same_file else work.base
    kept_keys = {menu.key for menu in stood.menus} if stood is not None else ()
    problems = audited.problems + broken(written, rows, made, work.profile, kept_keys)
    problems += differences(_planned(prepared), written, rows, lineage, MADE, KEPT, pages)
    if problems:
        differ = f"the file written and the findings disagree in {len(problems)} places"
        raise _unproven(prepared, differ, problems)
    before = reached(source.rows, audited.before_seen, Hosts(source.site.addresses))
    # What can still be reached is counted from what was read back, link by link.
    led = {
        page: [now for link in found if (now := _still(audited, link)) is not None]
        for page, found in before.items()
    }
    measure = work.options.measure
    was = efforts(source.site, source.rows, measure)
    ways = efforts(written, rows, measure)
    way_before = [was[row] for found in before.values() for row, _ in found]
    way_after = [
        ways[row] + measure.outside * (row in audited.outside)
        for found in led.values()
        for row in found
    ]
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
        (len(before), sum(bool(found) for found in led.values())),
        (mean(way_before), mean(way_after)),
        _menus_shown(source.site, fitted),
        standing,
        _written_as(fitted),
        prepared.written.stayed,
    )


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


def _still(audited: Audited, link: tuple[int, int]) -> int | None:
    """The row read back that leads where a link of the source did, if visitors see it."""
    row, target = audited.links.get(link, (-1, NOWHERE))
    return row if row >= 0 and audited.after_seen[row] and target.kind != "none" else None


def _menus_shown(source: Site, fitted: Fitted) -> tuple[int, int]:
    placed = source.placements()
    return (
        sum(menu.id in placed for menu in source.menus),
        sum(
            bool(fate.locations) and fate.menu.id in placed
            for fate in [*fitted.menus, *fitted.joined]
        ),
    )
