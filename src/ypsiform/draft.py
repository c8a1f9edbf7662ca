"""A first plan: every decision of a conversion as Ypsiform would make it, with the reason."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator
from textwrap import wrap
from typing import Any, NamedTuple

from .decisions import LinkChoice, Pair
from .effort import USUAL, Measure
from .findings import Finding
from .fit.keys import legal
from .fit.work import Fate
from .model import Item, Menu, rows_of, targets_of
from .plan.file import VERSION, MenuPart, MigrationPlan, PlanFile
from .plan.links import rows_of_links, write_links
from .profiles.schema import KeyRule
from .proof import Migration

OFF = ("read.hidden", "access.switched-off")
ABOUT_ITEMS = ("read.double", "read.parked", *OFF, "read.gone")
"""Notices about items that somebody may want to leave out."""


class Drafted(NamedTuple):
    """The files of a plan: `migration.toml` and `links.csv`."""

    plan: bytes
    links: bytes


def drafted(
    done: Migration,
    says: PlanFile,
    old: MigrationPlan | None,
    decided: dict[Pair, LinkChoice],
    declare: KeyRule | None,
    accept: float | None = None,
) -> Drafted:
    """The plan of a conversion. Decisions of an earlier plan and link table stay as they are.

    `says` are the files of the migration as its plan names them, and the options of the draft;
    `declare` the legal names of locations that a theme of the destination can be given. Suggested
    links that are at least as sure as `accept`, in percent, are taken over.
    """
    links = links_of(done, decided, accept)
    return Drafted(_Writer(done, says, old, declare).text().encode(), links)


def links_of(
    done: Migration, decided: dict[Pair, LinkChoice], accept: float | None = None
) -> bytes:
    """The link table of a conversion, with what an earlier table decided; see `drafted`."""
    fitted, source = done.fitted, done.source
    used: dict[Pair, str] = {}
    menus: dict[Pair, list[str]] = {}
    for row, thing in enumerate(source.rows.things):
        menu = source.site.menus[source.rows.menu[row]]
        for target in targets_of(thing):
            pair = fitted.pair_of(target)
            if pair is None:
                continue
            label = thing.label if isinstance(thing, Item) else ""
            used[pair] = used.get(pair) or label
            names = menus.setdefault(pair, [])
            name = menu.title or menu.key
            if name not in names:
                names.append(name)
    told = {pair: (label, "; ".join(menus[pair])) for pair, label in used.items()}
    matching = (fitted.matches, fitted.inventory, fitted.held)
    known = {(content.kind, content.id) for content in source.site.contents}
    plain = {(c.kind, c.id) for c in fitted.wanted} - known
    rows = rows_of_links(fitted.wanted, told, *matching, fitted.decided, decided, plain, accept)
    return write_links(rows)


def _value(held: Any) -> str:
    if isinstance(held, bool):
        return "true" if held else "false"
    if isinstance(held, (list, tuple)):
        return "[" + ", ".join(_value(inner) for inner in held) + "]"
    return json.dumps(str(held), ensure_ascii=False).replace("\x7f", "\\u007f")


WAYS = {
    "unmatched": (
        "none",
        'What a link becomes that nothing matches: "none" (the item goes nowhere) or "address" '
        "(the old address stays).",
    ),
    "clash": (
        "first",
        'A second menu for the same location: "first" (it is placed nowhere), "merge" '
        '(its items follow those of the first) or "stop" (nothing is converted).',
    ),
    "depth": (
        "lift",
        'How to handle items nested too deeply, where no branch below says it: "lift" (they follow '
        'their branch), "columns" (a panel opens from its top item), "menu" (a menu of its own, '
        'where a location is free), "gather" (linked from the page of its branch), "drop", or '
        '"auto" (what costs visitors least).',
    ),
}
"""What is decided once for all menus: as it is without a decision, and what it can be."""


class _Writer:
    def __init__(
        self,
        done: Migration,
        says: PlanFile,
        old: MigrationPlan | None,
        declare: KeyRule | None,
    ) -> None:
        self.done, self.says = done, says
        self.declare = declare
        self.old = {part.id: part for part in old.says.menu} if old is not None else {}
        self.before = old.says if old is not None else None
        self.lines: list[str] = []

    def text(self) -> str:
        """The whole file."""
        self._head()
        fitted = self.done.fitted
        fates = {fate.menu.id: fate for fate in [*fitted.menus, *fitted.joined]}
        for menu in self.done.source.site.menus:
            self._menu(menu, fates.get(menu.id), self.old.get(menu.id))
        there = {menu.id for menu in self.done.source.site.menus}
        for ident, part in self.old.items():
            if ident not in there:
                self._note("An earlier decision; the export has no such menu any more.")
                self._part(part)
        return "\n".join(self.lines) + "\n"

    def _note(self, *sentences: str, indent: str = "") -> None:
        for sentence in sentences:
            plain = "".join(c if c.isprintable() else "?" for c in sentence)
            start = indent + "# "
            self.lines += wrap(plain, 100, initial_indent=start, subsequent_indent=start)

    def _say(self, name: str, held: Any) -> None:
        self.lines.append(f"{name} = {_value(held)}")

    def _head(self) -> None:
        says, before = self.says, self.before
        self._note(
            "The plan of a migration. Every decision below is as Ypsiform suggests it, with the "
            "reason. Change what should be otherwise; there is nothing to fill in. Then run:",
        )
        self.lines += ["#", "#     ypsiform convert --plan migration.toml", ""]
        self.lines.append(f"migration = {VERSION}")
        for name in ("export", "from_", "nav", "site", "to", "into"):
            self._said(name.strip("_"), getattr(says, name))
        for name in ("inventory", "redirects", "visits", "font"):
            self._said(name, getattr(says, name))
        self._say("output", (before.output if before else None) or says.output)
        self._said("as-of", says.as_of)
        if says.made_up:
            self.lines.append("made-up = true")
        if says.settings:
            pairs = ", ".join(f"{name} = {_value(held)}" for name, held in says.settings.items())
            self.lines.append(f"settings = {{ {pairs} }}")
        self.lines.append("")
        self._note(
            "Where the links to each content lead: edit the column `match` in a spreadsheet. It "
            "takes a content as the table names it, an address, or none."
        )
        self._say("links", (before.links if before else None) or "links.csv")
        for name, (standard, words) in WAYS.items():
            self.lines.append("")
            self._note(words)
            self._say(name, getattr(says, name) or standard)
        self._languages()
        self._effort()

    def _said(self, name: str, held: str | None) -> None:
        if held is not None:
            self._say(name, held)

    def _languages(self) -> None:
        """What becomes of further languages, if the export has any."""
        source = self.done.source
        counts: dict[tuple[int, str], int] = {}
        for row, thing in enumerate(source.rows.things):
            for language, _ in thing.translations if isinstance(thing, Item) else ():
                key = (source.rows.menu[row], language)
                counts[key] = counts.get(key, 0) + 1
        said = [
            f"“{source.site.menus[menu].title or source.site.menus[menu].key}” has {count} labels "
            f"in {language}."
            for (menu, language), count in counts.items()
        ]
        said += [found.why for found in self.done.findings if found.code == "read.languages"]
        if not said and self.says.languages is None:
            return
        self.lines.append("")
        self._note(
            'How further languages are written: "keep" (as they are; labels that the destination '
            'cannot hold are lost), "labels" (as labels of one menu, where it can) or "menus" (as '
            "a menu for each). " + " ".join(said)
        )
        self._say("languages", self.says.languages or "keep")

    def _effort(self) -> None:
        """How effort is measured, if anything is too deep."""
        measure = self.says.effort
        if measure is None or not (self.done.fitted.branches or measure != USUAL):
            return
        self.lines.append("")
        self._note(
            "How the effort of visitors is measured, in steps: a level to go down, an item to read "
            "past, a location that is not looked at first (as a footer), an item that stands "
            "outside the group that it had, an item that can no longer be reached."
        )
        self.lines.append("[effort]")
        for name in Measure.__struct_fields__:
            self.lines.append(f"{name} = {float(getattr(measure, name))}")

    def _menu(self, menu: Menu, fate: Fate | None, old: MenuPart | None) -> None:
        done = self.done
        site, rows = done.source.site, done.source.rows
        span = rows.of_menu(site.menus.index(menu))
        items = sum(isinstance(rows.things[row], Item) for row in span)
        levels = max((rows.depth[row] for row in span), default=0)
        places = [p.caption or p.name for p in site.locations if menu.id in p.menus]
        where = f"shown at {' and '.join(places)}" if places else "placed nowhere"
        self.lines.append("")
        name = menu.title or menu.key
        count = f"{items} {'item' if items == 1 else 'items'}"
        self._note(
            f"“{name}”: {count} on {levels} {'level' if levels == 1 else 'levels'}, {where}."
        )
        self.lines.append("[[menu]]")
        self._say("id", menu.id)
        self._convert(menu, fate, old)
        told = old.locations if old is not None else None
        if fate is not None and fate.devices is not None and fate.joins is not None:
            self._note(
                f"No location is for the {' and '.join(fate.devices)} alone: its items follow "
                f"those of “{fate.joins.name}”, each with its devices. With `locations = []` they "
                "do not."
            )
        elif fate is not None and fate.joins is not None:
            self._note(f"Its items follow those of “{fate.joins.name}”, at the same location.")
            if told is not None:
                self._say("locations", told)
        elif fate is not None and not (self._key(fate, old) and self._by_key):
            self._places(fate, old, places)
        self._branches(menu, old)
        self._items(menu, old)

    def _convert(self, menu: Menu, fate: Fate | None, old: MenuPart | None) -> None:
        if menu.owner == "platform":
            why = "It belongs to the platform's own back office."
        elif not menu.saved:
            why = "The platform made it up by itself; nobody has saved it."
        elif fate is None:
            why = "It is left out, by this plan or for a reason that the report gives."
        else:
            why = "Somebody made it for the site."
        self._note(why)
        told = old.convert if old is not None and old.convert is not None else fate is not None
        self._say("convert", told)

    def _update(self, fate: Fate, old: MenuPart | None) -> bool:
        """The menu of the destination that this one is: as was decided, or as it looks."""
        told = old.update if old is not None else None
        found = self._like(fate)
        like = told or found
        if like is None:
            return False
        if like == found:
            self._note(
                f"More than half of the items of the destination's menu {like!r} are the same: it "
                "looks like an earlier version of this one. Leave the line out for a new menu."
            )
        self._say("update", like)
        return True

    def _like(self, fate: Fate) -> str | None:
        """The key of the menu there of which more than half is the same; none that stays there."""
        into = self.done.into
        changed = {f.menu for f in self.done.findings if f.code == "menu.changed-since"}
        if into is None or fate.replaces is not None or fate.made is None:
            return None
        if self._by_key and not fate.free_key:
            return None  # its place says which menu it is
        if fate.menu.id in changed:
            return None  # whether that is written over is not for a draft to say
        mine = Counter(
            (thing.label, thing.target)
            for thing in rows_of([fate.made]).things
            if isinstance(thing, Item)
        )
        kept = {menu.key for menu in self.done.fitted.kept}
        for at, menu in enumerate(into.site.menus):
            things = [into.rows.things[row] for row in into.rows.of_menu(at)]
            there = Counter((t.label, t.target) for t in things if isinstance(t, Item))
            most = max(mine.total(), there.total())
            if menu.key in kept and most and 2 * (mine & there).total() > most:
                return menu.key
        return None

    @property
    def _by_key(self) -> bool:
        """Whether a menu is shown where the destination has the one of its key."""
        profile = self.done.profile
        return profile is not None and profile.placed_by_key

    def _key(self, fate: Fate, old: MenuPart | None) -> bool:
        """What the menu's key is. Returns whether it is that of a menu to update."""
        if self._update(fate, old):
            return True
        if fate.replaces is not None:
            self._note(
                f"It takes over the menu {fate.replaces.key!r}, which stands at its location; the "
                "key and title of that one stay."
            )
        elif fate.free_key:
            self._note("Its key at the destination: the expected or the old one, made legal.")
            self._say("key", old.key if old is not None and old.key is not None else fate.key)
        else:
            self._note(f"Its key at the destination is {fate.key!r}: that of its location.")
        return False

    def _places(self, fate: Fate, old: MenuPart | None, before: list[str]) -> None:
        offered = [place.name for place in self.done.fitted.locations]
        names = [place.name for place in fate.locations]
        if fate.free_key and names == [fate.key] and not before:
            self._note("Such a file knows no locations: the menu is one by its own name.")
            return
        if names and before:
            why = "The same purpose and visitors as before."
        elif before:
            why = "No location of the destination has the purpose and visitors of the old one."
        else:
            why = "It was placed nowhere before."
        more = ""
        if self.declare is not None and before and not names:
            name = legal(before[0], self.declare)
            more = f" Its theme can be given further ones by hand: {name!r} would be a legal name."
        self._note(f"{why} The destination offers: {', '.join(offered) or 'none'}.{more}")
        told = old.locations if old is not None and old.locations is not None else names
        self._say("locations", told)

    def _findings(self, menu: Menu, codes: tuple[str, ...]) -> Iterator[Finding]:
        for finding in self.done.findings:
            if finding.menu == menu.id and finding.code in codes and finding.item is not None:
                yield finding

    def _branches(self, menu: Menu, old: MenuPart | None) -> None:
        rows = self.done.source.rows
        told = {branch.id: branch.depth for branch in old.branch} if old is not None else {}
        span = rows.of_menu(self.done.source.site.menus.index(menu))
        for branch in self.done.fitted.branches:
            thing = rows.things[branch.row]
            if branch.row not in span or not isinstance(thing, Item):
                continue
            below = [at for at in span if self._is_below(at, branch.row)]
            below = [at for at in below if _label(rows.things[at])]
            names = ", ".join(f"“{_label(rows.things[at])}”" for at in below[:6])
            more = f" and {len(below) - 6} more" if len(below) > 6 else ""
            costs = ", ".join(f"{name} {cost:+.2f}" for name, cost in branch.costs.items())
            self._branch(
                thing.id,
                told.pop(thing.id, branch.choice),
                f"Below “{thing.label}”, deeper than is shown there: {names}{more}.",
                f"Extra steps for visitors, for each option: {costs}; less is better.",
            )
        for ident, depth in told.items():
            self._branch(ident, depth, "An earlier decision.")

    def _is_below(self, row: int, above: int) -> bool:
        parents = self.done.source.rows.parent
        row = parents[row]
        while row >= 0 and row != above:
            row = parents[row]
        return row == above

    def _branch(self, ident: str, depth: str, *why: str) -> None:
        self.lines.append("")
        self._note(*why, indent="  ")
        self.lines += ["  [[menu.branch]]", f"  id = {_value(ident)}", f"  depth = {_value(depth)}"]

    def _items(self, menu: Menu, old: MenuPart | None) -> None:
        told = {item.id: item for item in old.item} if old is not None else {}
        why: dict[str, list[str]] = {}
        labels: dict[str, str] = {}
        off: set[str] = set()
        for finding in self._findings(menu, ABOUT_ITEMS):
            why.setdefault(str(finding.item), []).append(finding.why)
            if finding.code in OFF:
                off.add(str(finding.item))
        off.update(ident for ident, item in told.items() if item.publish)
        for finding in self._findings(menu, ("label.cut",)):
            why.setdefault(str(finding.item), []).append(finding.why)
            labels[str(finding.item)] = finding.after or ""
        for ident in told:
            why.setdefault(ident, ["An earlier decision."])
        for ident, sentences in why.items():
            item = told.get(ident)
            self.lines.append("")
            self._note(*dict.fromkeys(sentences), indent="  ")
            self.lines += ["  [[menu.item]]", f"  id = {_value(ident)}"]
            self.lines.append(f"  keep = {_value(item.keep if item is not None else True)}")
            if ident in off:
                self._note("With `publish = true` visitors see it.", indent="  ")
                self.lines.append(f"  publish = {_value(item is not None and item.publish)}")
            label = item.label if item is not None and item.label is not None else labels.get(ident)
            if label is not None:
                self.lines.append(f"  label = {_value(label)}")

    def _part(self, part: MenuPart) -> None:
        self.lines += ["[[menu]]", f"id = {_value(part.id)}"]
        for name in ("convert", "key", "locations"):
            held = getattr(part, name)
            if held is not None:
                self._say(name, held)
        for branch in part.branch:
            self._branch(branch.id, branch.depth)
        for item in part.item:
            self.lines += ["", "  [[menu.item]]", f"  id = {_value(item.id)}"]
            self.lines.append(f"  keep = {_value(item.keep)}")
            if item.publish:
                self.lines.append("  publish = true")
            if item.label is not None:
                self.lines.append(f"  label = {_value(item.label)}")


def _label(thing: Any) -> str:
    return thing.label if isinstance(thing, Item) else "(picture)"
