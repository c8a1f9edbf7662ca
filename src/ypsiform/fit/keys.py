"""Menus at the destination: which ones are taken over, their keys, their titles, their number."""

# Long, since keys, titles and what stands there already decide about each other.

from __future__ import annotations

import re
import unicodedata

from ..decisions import ChoiceError
from ..errors import RefusedError
from ..facts import NEW
from ..findings import EVERY, Cover, notice
from ..model import EVERYONE, Location, Menu, Site
from ..profiles.places import location_of, places_of
from ..profiles.records import plain
from ..profiles.schema import KeyRule
from ..unread import leaves
from ..visibility import audience_of
from .labels import cut
from .work import Fate, Work, seen_at


def legal(key: str, rule: KeyRule | None) -> str:
    """A key made legal: plain letters, small, words put together with what the rule allows."""
    if rule is None:
        return key or "menu"
    if re.fullmatch(rule.pattern, key) and len(key) <= rule.longest:
        return key
    plain = unicodedata.normalize("NFKD", key).encode("ascii", "ignore").decode().lower()
    words = re.findall(r"[a-z0-9]+", plain)
    return rule.between.join(words)[: rule.longest].strip(rule.between) or "menu"


def free(key: str, taken: set[str], rule: KeyRule | None) -> str:
    """A legal key that is not taken, with a number behind it if need be."""
    between, longest = (rule.between, rule.longest) if rule else ("-", 1 << 30)
    made, count = key, 1
    while made in taken:
        count += 1
        end = f"{between}{count}"
        made = key[: longest - len(end)].rstrip(between) + end
    return made


def take_over(work: Work) -> None:
    """Let menus replace the destination's own ones at their locations.

    A menu of the destination that is shown elsewhere too, or that a panel shows, is not replaced.
    """
    base = work.base
    if base is None:
        return
    placed = base.placements()
    menus = {menu.id: menu for menu in base.menus}
    claimed = _found_again(work, base)
    guarded = {menu.id for menu in base.menus if menu.key in work.earlier.changed.values()}
    # A menu that is empty and cannot be written is no reason to lose what is there.
    full = {fate.joins or fate for fate in [*work.fates, *work.joined] if _has_items(work, fate)}
    written = [fate for fate in work.fates if not work.implied_menus or fate in full]
    ours = {place.name: fate for fate in written for place in fate.locations}
    for fate in written:
        for place in fate.locations:
            there = next((p for p in base.locations if p.name == place.name), None)
            for ident in there.menus if there else ():
                mine = all(ours.get(p.name) is fate for p in placed.get(ident, ()))
                if ident in guarded and _told_to_update(work, fate) != ident:
                    if work.profile.placed_by_key:
                        raise _was_changed(menus[ident].key, base)
                    continue
                if fate.replaces is None and mine and ident not in claimed | work.used:
                    claimed.add(ident)
                    fate.replaces = menus[ident]
    work.kept = [menu for menu in base.menus if menu.id not in claimed]
    _stay_shown(work, ours)
    _replaced(work)
    _displaced(work, ours)


def _found_again(work: Work, base: Site) -> set[str]:
    """The menus of the destination that earlier runs wrote, or that a plan names: they are updated.

    Returns their ids. Raises `ChoiceError` where a plan names one that is not there, and
    `RefusedError` where one that somebody changed has the only key that a menu can have.
    """
    by_key = {menu.key: (at, menu) for at, menu in enumerate(base.menus)}
    claimed: set[str] = set()
    earlier = work.earlier
    for fate in work.fates:
        told = _told_to_update(work, fate)
        key = told or earlier.same.get((fate.menu.id, 0))
        if told is not None and told not in by_key:
            choice = work.chosen(fate.menu)
            steps = [*choice.steps, "update"] if choice is not None else []
            raise ChoiceError(f"the destination has no menu {told!r} to update", steps)
        fits = told is not None or not work.profile.placed_by_key or _would_have(fate, key)
        if key is not None and key in by_key and fits and by_key[key][1].id not in claimed:
            at, fate.replaces = by_key[key]
            claimed.add(fate.replaces.id)
            if told is None or told == earlier.same.get((fate.menu.id, 0)):
                work.renewed.add(at)
                _tell(work, "menu.updated", fate, key)
            continue
        changed = earlier.changed.get(fate.menu.id)
        if changed is None:
            continue
        if work.profile.placed_by_key:
            raise _was_changed(changed, base)
        _tell(work, "menu.changed-since", fate, changed)
    for (_, part), key in earlier.same.items():
        if part and key in by_key:
            work.renewed.add(by_key[key][0])
            claimed.add(by_key[key][1].id)
            if work.profile.locations.open:  # its location is nothing but the menu itself
                work.locations = [place for place in work.locations if place.name != key]
    return claimed


def _was_changed(key: str, base: Site) -> RefusedError:
    return RefusedError(
        f"the menu {key!r} of the destination was changed since it was written; keep what was "
        f'changed, or say update = "{key}" in a plan to write over it',
        file=base.file,
    )


def _tell(work: Work, code: str, fate: Fate, key: str) -> None:
    file = work.base.file if work.base is not None else work.source.file
    work.ledger.notices.append(
        notice(code, menu=fate.menu.id, menu_name=fate.name, before=key, origin=file)
    )


def _told_to_update(work: Work, fate: Fate) -> str | None:
    """The key of the menu of the destination that a plan lets this one update."""
    choice = work.chosen(fate.menu)
    return choice.update if choice is not None else None


def _would_have(fate: Fate, key: str | None) -> bool:
    """Whether a menu gets this key by its place, where places give the keys."""
    return not fate.locations or fate.locations[0].name == key


def _has_items(work: Work, fate: Fate) -> bool:
    return bool(work.rows.of_menu(fate.index))


def _replaced(work: Work) -> None:
    assert work.base is not None
    index = {menu.id: at for at, menu in enumerate(work.base.menus)}
    for fate in work.fates:
        if fate.replaces is None:
            continue
        at = index[fate.replaces.id]
        if at in work.renewed:
            continue
        rows = work.base_rows.of_menu(at)
        before = audience_of(fate.replaces, work.base.placements())
        if before not in (EVERYONE, audience_of(fate.replaces, {fate.replaces.id: fate.locations})):
            work.loss(
                "access.not-held",
                "dropped",
                [Cover(1, "menu", (at,), "audience")],
                standing=fate.replaces,
                before=", ".join(before),
                after=f"“{fate.name}” took its place, and is shown elsewhere too",
                origin=work.base.file,
            )
        if not rows:
            continue
        labels = tuple(
            thing.label
            for thing in work.base_rows.things[rows.start : rows.stop]
            if hasattr(thing, "label")
        )
        work.loss(
            "menu.replaced",
            "dropped",
            [Cover(1, "item", rows, EVERY)],
            standing=fate.replaces,
            after=fate.name,
            labels=labels,
            origin=work.base.file,
        )


def _stay_shown(work: Work, ours: dict[str, Fate]) -> None:
    """What is updated stays at its further locations, but for those that others get now.

    A plan that names locations means all of them.
    """
    base = work.base
    assert base is not None
    known = {place.name: place for place in work.locations}
    rules = places_of(work.profile, work.theme)
    sequences = {rule.name for rule in rules if rule.sequence is not None}
    for fate in [fate for fate in work.fates if fate.replaces is not None]:
        assert fate.replaces is not None
        own = base.menus.index(fate.replaces)
        for at, place in enumerate(base.locations):
            holder = ours.get(place.name)
            if fate.replaces.id not in place.menus or holder is fate:
                continue
            there = known.get(place.name)
            once = placed_once(work) and fate.locations
            free = holder is None and there is not None and place.name not in sequences
            if free and not once and work.chosen_places(fate) is None:
                assert there is not None
                fate.locations.append(there)
                continue
            if there is not None:
                work.emptied.add(place.name)
            like = (place.purpose, place.audience)
            instead = [p for p in fate.locations if fate.replaces.id not in _shown_at(base, p)]
            if own not in work.renewed and like not in [(p.purpose, p.audience) for p in instead]:
                gone = "place.not-offered" if there is None else "place.given-up"
                work.loss(
                    "place.taken" if holder is not None else gone,
                    "dropped",
                    [Cover(1, "place", (own,), f"placement:{at}")],
                    standing=fate.replaces,
                    before=place.caption or place.name,
                    after=holder.name if holder is not None else seen_at(fate.locations),
                    origin=base.file,
                )


def _shown_at(base: Site, place: Location) -> tuple[str, ...]:
    """The menus that a site shows at the location of the same name."""
    return next((there.menus for there in base.locations if there.name == place.name), ())


def _displaced(work: Work, ours: dict[str, Fate]) -> None:
    # A menu that loses a place may keep others, and be seen by fewer people then, or by more: both
    # are said once, under the first of its places that goes.
    base = work.base
    assert base is not None
    kept = {menu.id: menu for menu in work.kept}
    index = {menu.id: at for at, menu in enumerate(base.menus)}
    offered = {place.name for place in work.locations}
    placed = base.placements()
    stays = [place for place in base.locations if place.name in offered and place.name not in ours]
    left = {ident: [p for p in places if p in stays] for ident, places in placed.items()}
    told: set[str] = set()
    one = {rule.name for rule in places_of(work.profile, work.theme) if rule.sequence is None}
    one = one if work.profile.locations.form == "keys" else set()
    for at, place in enumerate(base.locations):
        first = next(iter(place.menus), None) if place in stays else None
        for ident in place.menus:
            if ident not in kept or ident == first or (first and place.name not in one):
                continue
            covers = [Cover(1, "place", (index[ident],), f"placement:{at}")]
            before = audience_of(kept[ident], placed)
            if (
                before != EVERYONE
                and before != audience_of(kept[ident], left)
                and ident not in told
            ):
                covers.append(Cover(1, "menu", (index[ident],), "audience"))
                told.add(ident)
            stays_at = audience_of(kept[ident], left)
            if before == EVERYONE and stays_at != EVERYONE and ident not in told:
                covers.append(Cover(1, "menu", (index[ident],), f"{NEW}audience"))
                told.add(ident)
            taken = place.name in offered
            holder = _holder(ours.get(place.name), first, base)
            work.loss(
                "place.taken" if taken else "place.not-offered",
                "dropped",
                covers,
                standing=kept[ident],
                before=place.caption or place.name,
                after=holder if taken else seen_at(left.get(ident, ())),
                origin=base.file,
            )


def _holder(fate: Fate | None, ident: str | None, base: Site) -> str:
    """The name of the menu that has a location now."""
    if fate is not None:
        return fate.name
    return next((menu.title or menu.key for menu in base.menus if menu.id == ident), "")


def name(work: Work) -> None:
    """Give each menu its key and title at the destination."""
    by_name = work.profile.placed_by_key
    taken = taken_keys(work)
    known = {place.name: place for place in work.locations}
    only = work.profile.menus.one  # the key of the only menu that there can be
    for fate in work.fates:
        _given(work, fate, by_name=by_name)
        if fate.replaces is not None:
            fate.key, fate.title = fate.replaces.key, fate.replaces.title
            if work.profile.menus.at == "." and fate.locations:
                fate.key = fate.locations[0].name
        elif work.same_file:
            taken.add(fate.key)
            if fate.limits.title is not None:
                fate.title = cut(fate.title, fate.limits.title)
            if by_name and not fate.locations:
                # Another theme may have a location of this name.
                fate.locations += [p for p in work.locations if p.name == fate.key]
                if fate.locations:
                    _stays_placed(work, fate)
            elif by_name and fate.key not in [place.name for place in fate.locations]:
                _stays_placed(work, fate)
            _tell_title(work, fate)
            continue
        elif by_name and (fate.locations or only):
            fate.key = fate.locations[0].name if fate.locations else only or ""
            titled(work, fate)
        else:
            fate.free_key = True
            limits = fate.limits
            wanted = legal(fate.menu.key, limits.menu_key)
            if work.base is None:
                expected = [p.key for p in fate.locations if p.key and p.key not in taken]
                wanted = expected[0] if expected else wanted
            own = free(wanted, taken, limits.menu_key)
            fate.key = _decided(work, fate, taken) or own
            if fate.declared is not None:
                if fate.key not in (own, fate.declared) or fate.declared in taken:
                    raise _taken_by_place(work, fate, fate.declared)
                fate.key = own = wanted = fate.declared
            if own != wanted and fate.key == own:
                work.ledger.notices.append(
                    notice(
                        "menu.key-taken",
                        menu=fate.menu.id,
                        menu_name=fate.name,
                        before=wanted,
                        after=fate.key,
                        origin=work.source.file,
                    )
                )
            titled(work, fate)
        if work.profile.locations.open and not fate.locations:
            if fate.key not in known:
                known[fate.key] = location_of(work.profile, fate.key, None)
                work.locations.append(known[fate.key])
            fate.locations.append(known[fate.key])
        taken.add(fate.key)
        if not work.same_file and work.clean(fate.key) != fate.key:
            raise RefusedError(
                f"the key {fate.key!r} of a menu has characters that {work.profile.container} "
                "cannot write; give the menu another one at its source, or by a plan",
                file=work.source.file,
            )
        _tell_title(work, fate)


def _tell_title(work: Work, fate: Fate) -> None:
    if fate.title != fate.menu.title:
        work.loss(
            "menu.renamed",
            "altered",
            [Cover(0, "menu", (fate.index,), "title")],
            menu=fate.menu.id,
            before=fate.name,
            after=fate.title or fate.key,
        )


def _stays_placed(work: Work, fate: Fate) -> None:
    """Raise `ChoiceError` where a menu was to have another place or none, and its key gives one."""
    choice = work.chosen(fate.menu)
    if choice is not None and choice.locations is not None:
        raise ChoiceError(
            f"a menu of the key {fate.key!r} is shown at that location; say so, or leave the menu "
            "behind with convert = false",
            [*choice.steps, "locations"],
        )


def taken_keys(work: Work) -> set[str]:
    """Keys that no new menu can have: of what stays, of the platform, of locations."""
    taken = {menu.key for menu in work.kept} | {f.replaces.key for f in work.fates if f.replaces}
    taken |= set(work.profile.menus.platform)
    taken |= _named_by_strays(work)
    if work.profile.placed_by_key:
        taken |= {place.name for place in work.locations}
    return taken


def _named_by_strays(work: Work) -> set[str]:
    """Menus that are missing, and that records of a file name: these would be theirs."""
    base, profile = work.source if work.same_file else work.base, work.profile
    if base is None:
        return set()
    rule, panels = profile.items, profile.panels_of(work.theme_name)
    found: set[str] = set()
    for extra in base.extras:
        if rule.tie.menu is not None and extra.path == rule.at and isinstance(extra.value, dict):
            found.add(str(extra.value.get(rule.tie.menu)))
        head = extra.path.partition("/")[0]
        beside = head in (profile.locations.at, panels.records_at if panels is not None else "")
        if beside and not isinstance(extra.value, str):
            found.update(text for _, text in leaves(extra.path, extra.value))
    return found


def name_secondary(work: Work, made: Fate) -> None:
    """Give a menu that is made of another one its key and title, and its place by its key."""
    titled(work, made)
    place = next(iter(made.locations), None)
    if place is not None and work.profile.placed_by_key:
        made.key = place.name
        return
    rule = made.limits.menu_key
    taken = taken_keys(work) | {other.key for other in [*work.fates, *work.secondary]}
    wanted = legal("-".join(made.menu.key.split()) if rule is None else made.menu.key, rule)
    expected = place.key if place is not None else None
    if work.base is None and expected and expected not in taken:
        wanted = expected
    made.key = free(wanted, taken, rule)
    if work.profile.locations.open and place is None:
        own = location_of(work.profile, made.key, None)
        work.locations.append(own)
        made.locations.append(own)


def _given(work: Work, fate: Fate, *, by_name: bool) -> None:
    """Raise `ChoiceError` where a key was decided for a menu that gets that of something else."""
    choice = work.chosen(fate.menu)
    if choice is None or choice.key is None or choice.update is not None:
        return
    key = fate.replaces.key if fate.replaces is not None else None
    if key is None and by_name and fate.locations:
        key = fate.locations[0].name
    if key is None and work.same_file:
        key = fate.menu.key
    if key is not None and key != choice.key:
        raise _taken_by_place(work, fate, key)


def _taken_by_place(work: Work, fate: Fate, key: str) -> ChoiceError:
    """What to say where a key was decided for a menu that gets the one of its place."""
    choice = work.chosen(fate.menu)
    assert choice is not None
    return ChoiceError(
        f"the menu gets the key {key!r}, of what stands at its place; leave this decision out",
        [*choice.steps, "key"],
    )


def _decided(work: Work, fate: Fate, taken: set[str]) -> str | None:
    """The key that was decided for a menu. Raises `ChoiceError` for one that it cannot have."""
    choice = work.chosen(fate.menu)
    if choice is None or choice.key is None:
        return None
    steps = [*choice.steps, "key"]
    if legal(choice.key, fate.limits.menu_key) != choice.key:
        raise ChoiceError(f"{choice.key!r} is not a legal key of a menu there", steps)
    if choice.key in taken:
        raise ChoiceError(f"the key {choice.key!r} is taken there already", steps)
    return choice.key


def titled(work: Work, fate: Fate) -> None:
    """The title of a menu as the destination can store it."""
    fate.title = work.clean_title(fate.title)
    if "title" not in work.profile.menus.fields:
        fate.title = ""
    elif fate.limits.title is not None:
        fate.title = cut(fate.title, fate.limits.title)


def placed_once(work: Work) -> bool:
    """Whether a menu can be shown at one location only, because it names it itself."""
    rule = work.profile.menus.fields.get("place")
    one = work.profile.locations.form == "menus" and not (rule and plain(rule).through)
    return work.profile.placed_by_key or one


def need_places(work: Work) -> None:
    """Leave out menus without a place where the destination stores a menu only in one."""
    if work.profile.menus.one is not None and not work.fates and work.base is None:
        raise RefusedError(
            f"a file of {work.profile.id} is one menu, and no menu of the source is converted",
            file=work.source.file,
        )
    if work.same_file and work.profile.menus.at == "." and not work.fates:
        raise RefusedError(
            f"a file of {work.profile.id} is one menu, and this one is left out",
            file=work.source.file,
        )
    if not (work.profile.menus.placed or work.profile.gathered) or work.same_file:
        return
    for fate in [fate for fate in work.fates if not fate.locations]:
        leave_out(work, fate, "menu.no-place")
    work.fates = [fate for fate in work.fates if fate.locations]
    if work.profile.menus.at == "." and not work.fates and work.base is None:
        names = " or ".join(place.name for place in work.locations)
        raise RefusedError(
            f"a file of {work.profile.id} is one menu at {names}, and no menu of the source that "
            "is converted is shown at such a place",
            file=work.source.file,
        )


def limit_menus(work: Work) -> None:
    """Leave out menus beyond the number that the destination holds: those not shown, then last."""
    most = work.profile.limits_of(work.theme_name).menus
    if most is None:
        return
    room = most - len(work.kept)
    if len(work.fates) <= room:
        return
    # What takes the place of a menu that was there makes them no more.
    stay = {id(fate) for fate in work.fates if fate.replaces is not None}
    new = [fate for fate in work.fates if fate.replaces is None]
    first = sorted(new, key=lambda fate: (not fate.locations, fate.index))
    stay |= {id(fate) for fate in first[: max(room - len(stay), 0)]}
    for fate in work.fates:
        if id(fate) in stay:
            continue
        leave_out(work, fate, "menu.too-many", str(most))
    work.fates = [fate for fate in work.fates if id(fate) in stay]


def leave_out(work: Work, fate: Fate, code: str, before: str | None = None) -> None:
    """Report a menu that is not written, with all that is in it."""
    own = (fate.index,)
    work.ledger.withdraw(*work.ledger.about(0, "place", own))
    work.loss(
        code,
        "dropped",
        [
            Cover(0, "place", own, EVERY),
            Cover(0, "menu", own, EVERY),
            Cover(0, "item", work.rows.of_menu(fate.index), EVERY),
        ],
        severity=None if work.at(fate.menu.id) else "note",
        menu=fate.menu.id,
        before=before,
        labels=tuple(work.label(row) for row in work.rows.of_menu(fate.index)),
    )


def made_menu(work: Work, fate: Fate) -> Menu:
    """The destination's menu for a fate, still without items, with what its record can say.

    One that replaces another has the record of that one.
    """
    old, profile = fate.replaces, work.profile
    fields = profile.menus.fields
    whole = old is not None and profile.menus.at not in (None, ".")
    return Menu(
        id=fate.key,
        key=fate.key,
        title=fate.title,
        items=[],
        language=old.language
        if old is not None and whole
        else fate.menu.language
        if "language" in fields
        else None,
        saved=old.saved if old is not None and whole else fate.menu.saved or "saved" not in fields,
        owner="platform" if fate.key in profile.menus.platform else "site",
        rule=fate.menu.rule,
        stored=fate.menu.stored or not work.as_it_stands or bool(fate.title),
    )


def tell_language(work: Work, fate: Fate) -> None:
    """Report that a menu is in a language that its record cannot say, or says otherwise."""
    was, made = fate.menu.language, fate.made
    if made is None or made.language == was:
        return
    fact = "language" if was is not None else f"{NEW}language"
    work.loss(
        "menu.language",
        "dropped" if made.language is None else "altered",
        [Cover(0, "menu", (fate.index,), fact)],
        menu=fate.menu.id,
        before=was or "of no language",
        after=made.language or "of no language",
    )
