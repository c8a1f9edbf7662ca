"""Fitting: a source's menus into what a destination can hold, every loss reported.

One module a concern: `places`, `keys`, `depth`, `panels` with `shape` and `blocks`,
`labels`, `traits`, `languages`, `joined`, `secondary`, `extras`, `seen`, `by_hand`.
"""

from __future__ import annotations

from .. import refs
from ..bars import wide
from ..facts import NEW, extra_fact, pointed_to
from ..findings import EVERY, Cover, notice
from ..model import Item, Menu, Rows, Site, rows_of, targets_of
from ..notices import formulas
from ..profiles.pages import can_fill, levels_of
from ..profiles.places import sequences_of
from ..profiles.records import can_write
from ..resolve.targets import Targets
from . import by_hand, depth, extras, joined, keys, languages, panels, places, seen
from .options import Options
from .work import Fate, Fitted, Work

__all__ = ["Fitted", "Options", "Work", "fit"]


def fit(work: Work) -> Fitted:
    """Decide what is written. Raises `RefusedError` where the options forbid the result."""
    places.choose_menus(work)
    languages.decide(work)
    places.declare(work)
    places.assign(work)
    places.place_decided(work)
    places.to_devices(work)
    places.join(work)
    keys.need_places(work)
    keys.take_over(work)
    keys.limit_menus(work)
    work.look_at_limits()
    keys.name(work)
    places.tell_declared(work)
    places.check_audiences(work)
    targets = Targets(work)
    removed, openers = _bound(work)
    removed += _apart(work)
    for fate in work.fates:
        made = fate.made = keys.made_menu(work, fate)
        if work.same_platform:
            made.extras = fate.menu.extras
        keys.tell_language(work, fate)
        bound = openers if panels.shows(work, fate.locations) else frozenset()
        depth.Branches(work, fate, targets, bound).build(made)
        _keep_openers(work, fate, bound)
    for fate in work.joined:
        joined.join(work, fate, targets, openers)
    _leave_empty_out(work)
    for fate in [*work.fates, *work.secondary]:
        languages.copies(work, fate)
    stays = _staying(work)
    _keep_unread(work, stays)
    fills = _filled(work, stays)
    for fate in work.fates:
        _freeze_rule(work, fate, fills, stays)
    targets.finish()
    if work.profile.takes_over and not work.same_platform:
        _tell_whole(work)
    extras.adapt(work)
    menus = [fate.made for fate in [*work.fates, *work.secondary] if fate.made is not None]
    site = seen.site_to_write(work, menus)
    rows = rows_of(site.menus)
    extras.unread(work, rows.things[rows.menu_start[len(work.kept)] :])
    extras.contents(work, targets)
    seen.attribute(work, site, rows)
    by_hand.tell(work, targets, rows)
    places.say_where(work)
    gone = places.overwritten(work)
    parts = panels.name_parts(work)
    panels.tell_unsafe(work)
    _tell_lists(work)
    _tell_no_panels(work)
    if work.base is not None and work.profile.container == "html":
        # Of a page nothing but its menus is read, and so nothing else can be written.
        work.ledger.notices.append(notice("step.page", origin=work.base.file))
    _tell_unused(work, targets, rows)
    if work.profile.container == "csv" and not work.same_file:
        work.ledger.notices += formulas(site, rows, work.source.file)
    work.ledger.notices += wide(work.profile, work.theme, site, work.options.font, work.source.file)
    _weigh_replaced(work, rows)
    return Fitted(
        menus=work.fates,
        kept=work.kept,
        locations=site.locations,
        touched=_touched(work),
        theme=work.theme_name,
        losses=work.ledger.losses,
        notices=work.ledger.notices,
        matches=targets.matches,
        removed=removed,
        overwritten=gone,
        fills=fills,
        stays=stays,
        renewed=work.renewed,
        joined=work.joined,
        secondary=work.secondary,
        went=work.went,
        site=site,
        parts=parts,
        branches=work.branches,
        wanted=list(targets.wanted.values()),
        inventory=[*targets.pointable, *targets.listed.values()],
        held=targets.held,
        hosts=work.hosts,
        decided=work.options.decisions.links,
    )


def _weigh_replaced(work: Work, rows: Rows) -> None:
    """What was replaced matters less if all of it can still be reached from a menu."""
    replaced = work.ledger.of("menu.replaced")
    there = {t for thing in rows.things for t in targets_of(thing)} if replaced else set()
    for loss in replaced:
        gone = [
            target
            for cover in loss.covers
            if cover.scope == "item"
            for row in cover.numbers
            for target in targets_of(work.base_rows.things[row])
        ]
        if all(target in there or target.kind == "none" for target in gone):
            work.ledger.weigh(loss, "note")


def _tell_whole(work: Work) -> None:
    """Say what has to come along where an add-on takes over a location: all that is shown there."""
    for fate in [fate for fate in work.fates if fate.locations and fate.made is not None]:
        items = fate.made.items if fate.made is not None else []
        plain = tuple(item.label for item in items if item.panel is None)
        if plain and len(plain) < len(items):
            work.ledger.notices.append(
                notice(
                    "place.whole",
                    menu=fate.menu.id,
                    menu_name=fate.name,
                    before=fate.locations[0].caption or fate.locations[0].name,
                    after=work.profile.name,
                    labels=plain,
                    origin=work.source.file,
                )
            )


def _touched(work: Work) -> set[str]:
    """The names of the locations whose menus may be others now."""
    names = {place.name for fate in [*work.fates, *work.secondary] for place in fate.locations}
    names |= work.emptied
    if work.same_file and work.profile.locations.form == "menus":
        # A menu that says where it stands says no more of where it stood.
        stood = {fate.menu.id for fate in work.fates}
        names |= {place.name for place in work.source.locations if stood & set(place.menus)}
    elif work.same_file:
        # Where a plan takes a menu away from its place, the file must not show it there.
        decided = {fate.menu.id for fate in work.fates if work.chosen_places(fate) is not None}
        names |= {place.name for place in work.source.locations if decided & set(place.menus)}
    return names


def _tell_lists(work: Work) -> None:
    """Say which menus are made for the lists of panels, unless the source had them as well."""
    own = {menu.key for menu in work.source.menus} if work.same_platform else set()
    keys = tuple(sorted(work.list_keys - own))
    if keys and not work.as_it_stands:
        work.ledger.notices.append(notice("panel.lists", labels=keys, origin=work.source.file))


def _tell_no_panels(work: Work) -> None:
    """Say where columns were asked for and nothing shows panels."""
    for fate in work.fates if work.options.depth == "columns" else ():
        deep = any(
            branch.choice == "lift" and work.rows.menu[branch.row] == fate.index
            for branch in work.branches
        )
        if deep and not any(place.panels for place in fate.locations):
            file, ident = work.source.file, fate.menu.id
            work.ledger.notices.append(
                notice("depth.no-panels", menu=ident, menu_name=fate.name, origin=file)
            )


def _tell_unused(work: Work, targets: Targets, rows: Rows) -> None:
    """Say which pages of the destination no menu leads to."""
    base = work.base
    if base is None:
        return
    led = pointed_to(rows)
    left = tuple(
        content.title or content.path or content.id
        for content in targets.pointable
        if content.state == "live" and (content.kind, content.id) not in led
        if content.path is None or targets.there.read(content.path).kind != "home"
    )
    if left:
        work.ledger.notices.append(notice("link.unused", labels=left, origin=base.file))


def _leave_empty_out(work: Work) -> None:
    """Where menus have no records of their own, one without items cannot be written."""
    if not work.implied_menus:
        return
    for fate in [f for f in work.fates if f.made is not None and not f.made.items]:
        mine = (fate.index,)
        for scope in ("menu", "place"):
            work.ledger.withdraw(*work.ledger.about(0, scope, mine))
        covers = [Cover(0, scope, mine, EVERY) for scope in ("menu", "place")]
        work.loss("menu.empty", "dropped", covers, menu=fate.menu.id)
        work.fates.remove(fate)
        if fate.replaces is not None and work.base is not None:
            at = work.base.menus.index(fate.replaces)
            rows = work.base_rows.of_menu(at)
            for loss in work.ledger.of("menu.replaced"):
                if any(c.numbers == rows for c in loss.covers):
                    whole = [Cover(1, scope, (at,), EVERY) for scope in ("menu", "place")]
                    work.ledger.cover(loss, *whole)


def _freeze_rule(work: Work, fate: Fate, fills: frozenset[str], stays: frozenset[str]) -> None:
    made, old = fate.made, fate.replaces
    if made is not None and made.rule is None and old is not None and old.rule is not None:
        made.rule = old.rule  # the record of the menu that it replaces stays as it is
        if work.profile.items.pages is None:
            cover = Cover(0, "menu", (fate.index,), f"{NEW}rule")
            work.loss("menu.grows", "altered", [cover], menu=fate.menu.id, after=old.rule)
        return
    if made is None or made.rule is None:
        return
    if work.profile.items.pages is not None:
        old = fate.menu if work.same_file else old
        if fate.menu.key in stays or (old and old.key in fills and old.rule == made.rule):
            return
    elif old is not None and old.rule == made.rule:
        return  # the record of the menu that it replaces stays as it is
    elif old is None and can_write(work.profile.menus.fields.get("rule"), made.rule):
        return
    work.loss(
        "menu.rule-frozen",
        "dropped",
        [Cover(0, "menu", (fate.index,), "rule")],
        menu=fate.menu.id,
        before=made.rule,
    )
    if work.profile.items.pages is None:
        made.rule = None


def _keep_unread(work: Work, stays: frozenset[str]) -> None:
    """Pages that stay as they are keep all that they say, and that of their panels with these."""
    encoded = work.encoded
    for fate in work.fates:
        if fate.menu.key in stays and fate.made is not None:
            for thing in rows_of([fate.made]).things:
                was = work.rows.things[thing.number] if thing.number >= 0 else None
                if isinstance(thing, Item) and isinstance(was, Item):
                    bare = encoded is not None and encoded.recorded and thing.panel is None
                    said = encoded.bare(was) if encoded is not None and bare else was
                    thing.extras = said.extras


def _staying(work: Work) -> frozenset[str]:
    """Generated menus whose pages show the same items as before, perhaps called otherwise."""
    return frozenset(
        fate.menu.key
        for fate in work.fates
        if fate.made is not None
        and work.pages_stay(fate)
        and levels_of(fate.made) == levels_of(fate.menu)
    )


def _filled(work: Work, stays: frozenset[str]) -> frozenset[str]:
    """Generated menus of the destination whose pages can show what replaces them.

    Those that cannot get a rule of their own, so that the old one is lost with their items.
    """
    fills: set[str] = set()
    filled: list[Menu] = []
    ours = {fate.menu.key for fate in work.fates}
    others = list(work.kept)
    if work.same_file:
        others = [menu for menu in work.source.menus if menu.key not in ours - stays]
    for fate in work.fates:
        old, base = fate.replaces, work.base
        if work.same_file and work.profile.items.pages and fate.made is not None:
            menu, made = fate.menu, fate.made
            if menu.key not in stays and can_fill(menu, others, made, filled):
                fills.add(menu.key)
                others.append(menu)
                filled.append(menu)
            continue
        if old is None or base is None or fate.made is None or not work.profile.items.pages:
            continue
        if can_fill(old, others, fate.made, filled):
            fills.add(old.key)
            others.append(old)
            filled.append(old)
            continue
        at = base.menus.index(old)
        cover = Cover(1, "menu", (at,), "rule")
        mine = work.base_rows.of_menu(at)
        for loss in work.ledger.of("menu.replaced"):
            if any(c.numbers == mine for c in loss.covers):
                work.ledger.cover(loss, cover)
                break
        else:
            work.loss(
                "menu.rule-frozen",
                "dropped",
                [cover],
                standing=old,
                before=old.rule,
                origin=base.file,
            )
    return frozenset(fills)


def _bound(work: Work) -> tuple[list[str], frozenset[str]]:
    """Panels that stand at the destination, tied to items by their text.

    Returns the paths of records that the theme cannot show and that are removed, and the texts
    that panels open from.
    """
    base = work.source if work.same_file else work.base
    if base is None:
        return [], frozenset()
    rules = [theme.panels for theme in work.profile.themes.values() if theme.panels]
    now = work.profile.panels_of(work.theme_name)
    removed: list[str] = []
    openers: set[str] = set()
    for rule in rules if not _is_unknown(work) else ():
        if not rule.tied:
            continue
        path = rule.records_at
        # Where another menu takes the place, its items stand at other places.
        replaced = rule.shown_at in _taken_over(work)
        for at, extra in enumerate(base.extras):
            if extra.path != path or not isinstance(extra.value, list):
                continue
            ties = [rule.tie_of(record) for record in extra.value]
            placed = replaced and any(place is not None for _, place in ties)
            if now is not None and now.records_at == path and not placed:
                openers.update(text for text, _ in ties if isinstance(text, str))
            elif path not in removed:
                removed.append(path)
                _removed(work, base, at)
    return removed, frozenset(openers)


def _is_unknown(work: Work) -> bool:
    """Whether a file stays of a theme that the profile does not describe."""
    return work.theme_name is not None and work.theme_name not in work.profile.themes


def _taken_over(work: Work) -> set[str]:
    """The locations at which a menu of the source replaces one of the destination."""
    return {place.name for fate in work.fates if fate.replaces for place in fate.locations}


def _removed(work: Work, base: Site, at: int) -> None:
    """Report a panel that stands beside the menus of a file and does not stay there."""
    extra = base.extras[at]
    work.loss(
        "panel.removed",
        "dropped",
        [Cover(0 if work.same_file else 1, "site", (at,), extra_fact(extra))],
        before=extras.said(extra),
        after=work.theme_name,
        origin=base.file,
    )


def _apart(work: Work) -> list[str]:
    """Panels that stand beside the menus in a list of their own and that cannot stay.

    Another theme may have no such list; and where they belong to pages that a menu shows, they
    go with that menu. Returns the paths of the lists that are emptied.
    """
    base = work.source if work.same_file else work.base
    now = work.profile.panels_of(work.theme_name)
    replaced = _taken_over(work)
    removed: list[str] = []
    if _is_unknown(work):
        return []  # what a theme that is not described shows is left as it is
    for rule in [theme.panels for theme in work.profile.themes.values() if theme.panels]:
        path = rule.records_at
        stays = now is not None and now.records_at == path
        stays = stays and (rule.in_sequence or rule.shown_at not in replaced)
        apart = bool(path) and not rule.tied
        if base is None or not apart or stays or path in removed:
            continue
        inside = [path]
        if rule.in_sequence:
            inside.append(f"{work.profile.locations.at}/{rule.shown_at}")
        listed = sequences_of(work.profile, base.theme)
        for at, extra in enumerate(base.extras):
            text = isinstance(extra.value, str) and extra.path != path
            if text and extra.path not in listed:
                continue  # a location that names a menu that is missing
            if extra.path in inside or extra.path.startswith(f"{path}/"):
                _removed(work, base, at)
                if path not in removed:
                    removed.append(path)
    return removed


def _keep_openers(work: Work, fate: Fate, openers: frozenset[str]) -> None:
    if not openers or fate.made is None or work.base is None:
        return
    stay = depth.keep_openers(work, fate, fate.made, openers)
    if not stay:
        return
    for row in stay:
        thing = work.base_rows.things[row]
        assert isinstance(thing, Item)
        copy = Item(
            id=thing.id,
            label=thing.label,
            target=thing.target,
            children=[],
            extras=thing.extras,
            number=refs.standing(row) if fate.replaces is not None else refs.copied(row),
        )
        fate.made.items.append(copy)
    for loss in work.ledger.of("menu.replaced"):
        if any(c.scope == "item" and c.side == 1 and stay[0] in c.numbers for c in loss.covers):
            left = [work.base_rows.things[row] for row in work.ledger.uncover(loss, 1, stay)]
            loss.labels = tuple(thing.label for thing in left if isinstance(thing, Item))
