"""Locations: where each menu of the source is shown at the destination."""

from __future__ import annotations

import difflib
from collections.abc import Mapping

from ..decisions import ChoiceError
from ..errors import RefusedError
from ..facts import NEW, extra_fact
from ..findings import EVERY, Cover, enumerated, notice
from ..model import ALL_DEVICES, EVERYONE, Location, Menu
from ..profiles.places import location_of, places_of
from ..profiles.records import plain
from ..visibility import audience_of
from . import keys
from .work import UNSEEN, Fate, Work, seen_at


def choose_menus(work: Work) -> None:
    """Decide which menus are converted. Made-up ones and those of a back office only if asked."""
    none = work.theme is not None and work.theme.no_menus
    for index, menu in enumerate(work.source.menus):
        choice = work.chosen(menu)
        # A menu of the platform's own back office is converted only where a plan names it; it
        # stays in a file of its own platform, where it is no visitor's either.
        stays = work.same_file and work.options.made_up
        asked = stays or (menu.owner == "site" and (menu.saved or work.options.made_up))
        wanted = choice.convert if choice and choice.convert is not None else asked
        if choice and choice.convert is False and work.same_file and work.profile.items.pages:
            raise ChoiceError(
                "the menu is made of the pages of this file, which stay; it cannot be left out of "
                "it",
                [*choice.steps, "convert"],
            )
        if wanted and not none:
            work.fates.append(Fate(index, menu))
            continue
        why, what = (None, None) if wanted or asked else _not_asked(menu)
        covers = [Cover(0, scope, (index,), EVERY) for scope in ("menu", "place")]
        covers.append(Cover(0, "item", work.rows.of_menu(index), EVERY))
        work.loss(
            "menu.not-held" if wanted else "menu.left" if asked else "menu.not-asked",
            "dropped",
            covers,
            severity="high" if work.at(menu.id) and (wanted or not asked) else None,
            menu=menu.id,
            before=why,
            after=what,
            labels=tuple(work.label(row) for row in work.rows.of_menu(index)),
        )


def _not_asked(menu: Menu) -> tuple[str, str]:
    """Why a menu is converted only where somebody asks for it, and how to ask."""
    if menu.owner == "platform":
        what = "name it in a plan with convert = true"
        return "it belongs to the platform's own back office", what
    return "the platform makes it up by itself", "use --made-up"


def declare(work: Work) -> None:
    """Add the locations that were decided for menus and that the theme must first declare.

    Raises `ChoiceError` for a name that they cannot have.
    """
    rule = work.profile.locations.declare
    known = {place.name for place in work.locations}
    for fate in work.fates if rule is not None else ():
        choice = work.chosen(fate.menu)
        for at, name in enumerate((choice.locations or ()) if choice else ()):
            if name in known:
                continue
            assert choice is not None
            steps = [*choice.steps, "locations", at]
            if keys.legal(name, rule) != name:
                hint = f"{keys.legal(name, rule)!r} would be"
                raise ChoiceError(f"{name!r} is not a legal name of a location; {hint}", steps)
            if work.profile.placed_by_key:
                fate.declared = name
                continue
            work.locations.append(location_of(work.profile, name, None))
            known.add(name)


def tell_declared(work: Work) -> None:
    """Say which locations the theme must first declare."""
    offered = {place.name for place in places_of(work.profile, work.theme)}
    for fate in work.fates if not work.profile.locations.open else ():
        declared = [fate.declared] if fate.declared and fate.unplaced is None else []
        for name in [place.name for place in fate.locations] + declared:
            if name not in offered and not work.as_it_stands:
                work.ledger.notices.append(
                    notice(
                        "place.declare",
                        menu=fate.menu.id,
                        menu_name=fate.name,
                        before=work.theme_name or work.profile.id,
                        after=name,
                        origin=work.source.file,
                    )
                )


def counterpart(place: Location, offered: list[Location]) -> Location | None:
    """The location of the same purpose, audience and devices; one of the same name first."""
    alike = [
        other
        for other in offered
        if (other.purpose, other.audience) == (place.purpose, place.audience)
        and set(other.devices) >= set(place.devices)
    ]
    for other in alike:
        if other.name == place.name:
            return other
    return alike[0] if alike else None


def assign(work: Work) -> None:
    """Give menus their locations, in the order of the source's locations."""
    by_menu = {fate.menu.id: fate for fate in work.fates}
    taken: dict[str, Fate] = {}
    named: dict[str, list[Location]] = {}
    for offered in work.locations:
        named.setdefault(offered.name, []).append(offered)
    turn = 0
    rules = places_of(work.profile, work.theme)
    sequences = {place.name for place in rules if place.sequence is not None}
    for index, place in enumerate(work.source.locations):
        for menu in place.menus:
            fate = by_menu.get(menu)
            if fate is None:
                continue
            turn += 1
            fate.turn = min(fate.turn, turn)
            there = _decided(work, fate, place, taken) or _where_it_is(work, fate, place)
            there = there or _same_name(work, place, named) or counterpart(place, work.locations)
            names = work.chosen_places(fate)
            holder = taken.get(there.name) if there else None
            # A plan that places a menu nowhere because another one is there decides nothing.
            left = names is not None and there is not None and there.name not in names
            if left and not (holder not in (None, fate) and not names):
                there = holder = None
            else:
                left = False
            # In a sequence it may stand behind another one.
            if there is not None and (holder is fate or there in fate.locations):
                continue
            if fate.locations and keys.placed_once(work):
                like = (place.purpose, place.audience)
                if like in [(p.purpose, p.audience) for p in fate.locations]:
                    continue  # the one place that it has will do for this one too
                there = None
            placement = Cover(0, "place", (fate.index,), f"placement:{index}")
            if there is None:
                _nowhere(work, fate, placement, place, left=left)
            elif holder is not None and there.name not in sequences:
                if holder.menu.id in place.menus and not fate.locations:
                    # The two are one bar, one after the other.
                    _share(fate, holder, placement, place, there)
                    continue
                _clash(work, fate, holder, placement, place, there)
            else:
                taken.setdefault(there.name, fate)
                fate.locations.append(there)
                fate.stood_at[there.name] = place
                like = (place.purpose, place.audience)
                if (there.purpose, there.audience) != like and there.name != place.name:
                    moved = there.caption or there.name
                    was = place.caption or place.name
                    if moved == was:  # two captions that are the same name two places
                        moved, was = f"{moved} ({there.name})", f"{was} ({place.name})"
                    work.loss(
                        "place.moved", "moved", [placement], menu=menu, before=was, after=moved
                    )


def _same_name(work: Work, place: Location, named: Mapping[str, list[Location]]) -> Location | None:
    """In a format that takes over the names of locations, the one of a location's name.

    `named` are the destination's locations by their names.
    """
    if not work.profile.locations.open:
        return None
    for there in named.get(place.name, ()):
        if there.audience == place.audience:
            return there
    return None


def _where_it_is(work: Work, fate: Fate, place: Location) -> Location | None:
    """The location at which an earlier run placed a menu, if it is for what the source's is."""
    key = work.earlier.same.get((fate.menu.id, 0))
    if key is None or work.base is None:
        return None
    ours = {menu.id for menu in work.base.menus if menu.key == key}
    names = {there.name for there in work.base.locations if ours & set(there.menus)}
    return counterpart(place, [there for there in work.locations if there.name in names])


def _nowhere(work: Work, fate: Fate, placement: Cover, place: Location, *, left: bool) -> None:
    """A menu that is shown nowhere any more: that is so, was decided, or is to be done by hand."""
    menu, before = fate.menu.id, place.caption or place.name
    if fate.declared is not None:
        fate.unplaced = work.loss(
            "place.declare",
            "by-hand",
            [placement],
            severity="high",
            menu=menu,
            before=work.theme_name or work.profile.id,
            after=fate.declared,
        )
        return
    code = "place.left" if left else "place.not-offered"
    after = None if left else UNSEEN
    fate.unplaced = work.loss(code, "dropped", [placement], menu=menu, before=before, after=after)


def say_where(work: Work) -> None:
    """Of menus that lose one location and keep another, say where visitors still see them."""
    seen = {fate.menu.id: fate.locations for fate in work.fates if fate.locations}
    for loss in work.ledger.of("place.not-offered"):
        if loss.after == UNSEEN and loss.menu in seen:
            loss.after = seen_at(seen[loss.menu])


def _clash(
    work: Work, fate: Fate, holder: Fate, placement: Cover, place: Location, there: Location
) -> None:
    """A menu whose location has one already."""
    name = there.caption or there.name
    if work.options.clash == "stop":
        raise RefusedError(
            f"two menus would be shown at “{name}”: “{holder.name}” and “{fate.name}”; convert "
            "with --clash first, to show the first alone, or --clash merge, to show both in one",
            file=work.source.file,
        )
    if work.options.clash == "merge" and not fate.locations and fate.joins is None:
        _share(fate, holder, placement, place, there)
        return
    _taken(work, fate, placement, place.caption or place.name, name)


def _share(fate: Fate, holder: Fate, placement: Cover, place: Location, there: Location) -> None:
    """Let a menu join the one that has its location."""
    fate.joins = fate.joins or holder.joins or holder
    fate.shared.append((placement, place.caption or place.name, there.caption or there.name))


def _taken(work: Work, fate: Fate, placement: Cover, before: str, after: str) -> None:
    menu = fate.menu.id
    fate.unplaced = work.loss(
        "place.clash", "dropped", [placement], menu=menu, before=before, after=after
    )


def to_devices(work: Work) -> None:
    """Let menus for some devices join the bar, where no location is for these and items can say it.

    What was decided about the places of a menu stays.
    """
    # Only a menu that would be shown nowhere joins another one, and only where nobody decided.
    for fate in work.fates:
        was = work.at(fate.menu.id)
        devices = {device for place in was for device in place.devices}
        if not was or fate.locations or fate.joins or devices >= set(ALL_DEVICES):
            continue
        if fate.declared is not None or work.chosen_places(fate) is not None:
            continue
        audiences = {place.audience for place in was}
        for holder in work.fates:
            places = holder.locations if holder is not fate else []
            names = [place.name for place in places]
            lacks = work.profile.limits_of(work.theme_name, names).lacks
            if not work.profile.holds("devices") or "devices" in lacks:
                continue
            if any(
                place.purpose == "bar"
                and devices <= set(place.devices)
                and {place.audience} == audiences
                for place in places
            ):
                fate.joins = holder
                fate.devices = tuple(device for device in ALL_DEVICES if device in devices)
                fate.unplaced = None
                lost = work.ledger.of("place.not-offered")
                work.ledger.withdraw(*(loss for loss in lost if loss.menu == fate.menu.id))
                break


def join(work: Work) -> None:
    """Take out the menus that join another one; those that got a location after all stay."""
    for fate in work.fates:
        if fate.locations and fate.joins is not None:
            fate.joins = None
            for placement, before, after in fate.shared:
                _taken(work, fate, placement, before, after)
    joined = [fate for fate in work.fates if fate.joins is not None]
    if joined and work.same_file and work.profile.items.pages is not None:
        raise RefusedError(
            f"“{joined[0].name}” is made of pages of this file, which stay: it cannot be put into "
            "another menu; give each menu a location of its own, or none",
            file=work.source.file,
        )
    work.joined = sorted(joined, key=lambda fate: fate.turn)
    work.fates = [fate for fate in work.fates if fate.joins is None]


def overwritten(work: Work) -> list[str]:
    """Report names of missing menus at locations that get a menu now. Returns where they stood."""
    base = work.source if work.same_file else work.base
    rule = work.profile.locations
    if base is None or rule.form not in ("keys", "records"):
        return []
    menu_at = plain(rule.fields["menu"]).at if rule.form == "records" else ""
    touched = {p.name for fate in [*work.fates, *work.secondary] for p in fate.locations}
    # What else stands in a sequence has its own place there.
    for theme in (work.theme, work.profile.themes.get(base.theme or "")):
        touched -= {p.name for p in places_of(work.profile, theme) if p.sequence is not None}
    paths = {
        f"{rule.at}/{place.name}" if rule.form == "keys" else f"{rule.at}/{at}/{field}": place
        for at, place in enumerate(base.locations)
        for field in dict.fromkeys((menu_at, "menu"))
        if place.name in touched
    }
    found: list[str] = []
    for at, extra in enumerate(base.extras):
        if extra.path in paths and isinstance(extra.value, str):
            found.append(extra.path)
            work.loss(
                "place.overwritten",
                "dropped",
                [Cover(0 if work.same_file else 1, "site", (at,), extra_fact(extra))],
                before=extra.value,
                after=paths[extra.path].caption or paths[extra.path].name,
                origin=base.file,
            )
    return found


def _decided(work: Work, fate: Fate, place: Location, taken: dict[str, Fate]) -> Location | None:
    """The location that was decided for a menu in place of one of the source."""
    names = work.chosen_places(fate)
    if names is None:
        return None
    wanted = [there for there in work.locations if there.name in names]
    alike = counterpart(place, wanted)
    free = (there for there in wanted if there.name not in taken)
    return alike or next(free, None)


def place_decided(work: Work) -> None:
    """Give menus the further locations that were decided for them."""
    # A decision that cannot be carried out is an error with its line in the plan, never a guess.
    known = {place.name: place for place in work.locations}
    holders = {place.name: fate for fate in work.fates for place in fate.locations}
    rules = places_of(work.profile, work.theme)
    sequences = {place.name for place in rules if place.sequence is not None}
    for fate in work.fates:
        choice = work.chosen(fate.menu)
        names = work.chosen_places(fate)
        if names == () and work.profile.locations.open and choice is not None:
            raise ChoiceError(
                f"in a file of {work.profile.id} each menu is shown by its own name; leave the "
                "menu behind with convert = false",
                [*choice.steps, "locations"],
            )
        for at, name in enumerate(names or ()):
            assert choice is not None
            if name == fate.declared:
                continue
            steps = [*choice.steps, "locations", at]
            if name not in known:
                near = difflib.get_close_matches(name, known, 1)
                hint = f"did you mean {near[0]!r}?" if near else f"there are: {', '.join(known)}"
                raise ChoiceError(f"the destination has no location {name!r}; {hint}", steps)
            holder = holders.get(name)
            if holder is not None and holder is not fate and name not in sequences:
                if work.options.clash == "merge" or fate.joins is holder:
                    if not fate.locations:
                        fate.joins = fate.joins or holder.joins or holder
                    continue
                raise ChoiceError(
                    f"{holder.name!r} is placed at {name!r} already; two menus cannot be, unless "
                    'clash = "merge" puts them into one',
                    steps,
                )
            if known[name] not in fate.locations:
                if fate.locations and keys.placed_once(work):
                    first = fate.locations[0].name
                    raise ChoiceError(
                        f"a menu is shown at one location there, and this one is at {first!r}; "
                        "leave the other one out",
                        steps,
                    )
                fate.locations.append(known[name])
                holders[name] = fate


def check_audiences(work: Work) -> None:
    """Report menus that were for some visitors only and that nothing restricts any more."""
    for fate in work.fates:
        before = audience_of(fate.menu, work.placements)
        after = EVERYONE
        if fate.locations:
            people = {word for place in fate.locations for word in place.audience}
            after = EVERYONE if "everyone" in people else tuple(sorted(people))
        if before != EVERYONE and after != before:
            work.loss(
                "access.not-held",
                "dropped",
                [Cover(0, "menu", (fate.index,), "audience")],
                menu=fate.menu.id,
                before=", ".join(before),
                after=_shown_to(fate, after),
            )
        elif before == EVERYONE and after != EVERYONE and work.at(fate.menu.id):
            work.loss(
                "access.narrowed",
                "altered",
                [Cover(0, "menu", (fate.index,), f"{NEW}audience")],
                menu=fate.menu.id,
                after=", ".join(after),
            )


def _shown_to(fate: Fate, people: tuple[str, ...]) -> str:
    """Where a menu is shown now, and to whom, as the end of a sentence."""
    if not fate.locations:
        return "The menu is stored, but placed nowhere"
    names = enumerated([f"“{place.caption or place.name}”" for place in fate.locations])
    return f"The menu is shown at {names} now, to {' and '.join(people)}"
