"""The pipeline: read, resolve and fit, write, read back, audit."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from functools import partial
from typing import Any, cast

from msgspec.structs import replace

from . import document
from .addresses import Hosts
from .audit.compare import Audit, Side
from .containers.json import kind_of
from .decisions import ChoiceError, Decisions, LinkChoice, Pair
from .effort import by_menu, efforts, mean, reached
from .errors import AuditError, RefusedError
from .findings import Finding, by_severity, notice
from .fit import Fitted, Options, Work, fit
from .fit.inventory import addresses as inventory
from .fit.work import Earlier, Fate
from .job import Job
from .model import Content, number
from .plan.file import MigrationPlan
from .profiles.documents import adapted, becomes
from .profiles.files import load_tree
from .profiles.items import pointable
from .profiles.load import chosen_settings, find, split_platform
from .profiles.schema import Profile
from .profiles.write import tree_of
from .profiles.writing.file import Plan
from .proof import FAULT, Migration, Prepared, menus_shown, proved, standing_pages
from .reading import (
    Progress,
    Surveyed,
    read,
    restored_again,
    restoring,
    says_theme,
    silent,
    site_address,
)
from .record import VERSION, Record, fingerprints, sha256, source_of
from .record import Menu as RecordedMenu
from .resolve.targets import wanted_of
from .version import __version__


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
    site: str | None = None,
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
            site=site,
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
    source, tree = read(job.data, job.file, job.from_, tell, job.nav, site=job.site)
    if profile.id == document.ID:
        if into is not None:
            raise RefusedError("a document is written whole, and nothing is written into one")
        tree = None
        return _kept_whole(source, tell)
    if profile.read_only:
        raise RefusedError(
            f"files of {profile.id} are read and never written: {profile.read_only.rstrip('.')}"
        )
    standing: Surveyed | None = None
    base: object = None
    earlier, foreign = Earlier(), list[Finding]()
    if into is not None:
        tell("reading the destination")
        there: str | Profile = to
        if not isinstance(to, Profile):
            there, named = split_platform(to)[0], profile.to_write(theme)
            if not says_theme(profile) and named:
                there += f"/{named}"
        standing, base = read(into[0], into[1], there, fold=None, encoded=theme)
        if record is not None and not record.is_of(source.site):
            other = " at ".join(record.source[:2])
            foreign.append(notice("menu.other-record", before=other, origin=into[1]))
            record = None
        elif record is not None and record.hashes.get("into") == sha256(into[0]):
            record = None  # the destination is as it was then: nobody has imported what was written
        if record is not None:
            folded = read(into[0], into[1], there, fold=record.stayed, encoded=theme)
            earlier = _earlier(record, folded[0], profile)
            if not earlier.changed or not _is_beside(profile, theme or standing.site.theme):
                standing, base = folded
            else:
                earlier.same = {}  # panels beside the menus are ours all, or none
    elif source.profile == profile:
        if source.document:
            source, tree = restored_again(source, tree)
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
    work.ledger.notices += foreign
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
        fills=fitted.fills,
        stays=fitted.stays,
        addresses=(
            inventory(work, writing.get("site", "")) if work.theme and work.theme.no_menus else ()
        ),
        parts=fitted.parts,
    )
    pages = standing_pages(profile, base)
    loose = source.document and base is None and work.same_platform and profile.id != document.ID
    with restoring(loose, source):
        written = tree_of(base, profile, to_write)
        base = None
        said = site_address(job.site) if job.site and work.same_file else None
        ready = Prepared(source, standing, work, fitted, written, to_write, writing, pages, said)
        done = proved(ready, tell)
    stood = into if into is not None else (job.data, job.file) if work.same_file else None
    if stood is not None:
        _tell_comments(done, *stood, profile)
    return done


def _tell_comments(done: Migration, before: bytes, file: str, profile: Profile) -> None:
    """Say how many comments of the file that was written into are not in what was written."""
    lost = _comments(before, profile) - _comments(done.data, profile)
    if lost > 0:
        words = "1 comment" if lost == 1 else f"{lost} comments"
        told = notice("step.comments", before=words, origin=file)
        done.findings = by_severity([*done.findings, told])


def _comments(data: bytes, profile: Profile) -> int:
    """The lines of a file in YAML that have a comment."""
    return len(_COMMENT.findall(data)) if profile.container == "yaml" else 0


_COMMENT = re.compile(rb"(?m)^[^\n\"']*(?:^|\s)#(?=[ \t!#]).*$")


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
    own_room = source.profile.own_room(site.theme)
    audited = Audit([side], back, rows, lineage, [], [], own_room=own_room).run()
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
    there = reached(site, rows, audited.after_seen)
    of_menu = by_menu(efforts(back, rows), rows, there, len(back.menus))
    now = mean([way for ways in of_menu for way in ways])
    return Migration(
        source,
        fitted,
        back,
        data,
        audited,
        by_severity(source.findings),
        (len(there), len(there)),
        (now, now),
        menus_shown(site, fitted),
        None,
        {menu.id: [menu.key] for menu in site.menus},
        rows=rows,
        profile=source.profile,
        efforts=[(way, way) for way in map(mean, of_menu)],
    )


def _redirected(work: Work, redirects: tuple[bytes, str]) -> dict[Pair, LinkChoice]:
    """What a table of redirects decides about links: a content, or an address."""
    # A redirect to a page of the destination is one to that content, so that its own kind is
    # written.
    from .plan.inventory import read_redirects

    hosts = Hosts((work.base or work.source).addresses)
    wanted = {} if work.same_file else wanted_of(work)
    made, unknown = read_redirects(*redirects, wanted, work.hosts, work.source.contents)
    if unknown:
        work.ledger.notices.append(
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
    _tell_joined(work, made, wanted, redirects[1])
    return made


def _tell_joined(
    work: Work, made: Mapping[Pair, LinkChoice], wanted: Mapping[Pair, Content], file: str
) -> None:
    """Say which contents of the source a table leads to one and the same at the destination."""
    hosts = Hosts((work.base or work.source).addresses)
    there = {(content.kind, content.id): content for content in work.inventory}
    together: dict[tuple[Pair | None, str], list[Pair]] = {}
    for pair, choice in made.items():
        address = hosts.read(choice.address or "").path or (choice.address or "")
        if pair in wanted and (choice.content is not None or address):
            together.setdefault((choice.content, address), []).append(pair)
    for (content, _), pairs in together.items():
        if len(pairs) > 1:
            names = tuple(wanted[pair].title or wanted[pair].path or pair[1] for pair in pairs)
            after = made[pairs[0]].address or ""
            if content is not None:
                one = there.get(content)
                after = (one.path or one.title if one is not None else None) or content[1]
            work.ledger.notices.append(
                notice("link.joined", after=after, labels=names, origin=file)
            )


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
        _tell_joined(work, table, wanted, links[1])
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
                work.ledger.notices.append(
                    notice("plan.new", menu=menu.id, before=name, origin=plan.file)
                )
    file = plan.file if plan is not None else links[1] if links is not None else ""
    work.ledger.notices += [notice("plan.gone", before=words, origin=file) for words in missing]
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
    found = fingerprints(written, migration.rows, [menu.key for menu in written.menus])
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
        source_of(migration.source.site),
    )
