"""Findings: what became of the facts of an export, and what a specialist should know.

A finding is a value. Its sentences are made from its code's template only when it is shown.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from msgspec import Struct

from .facts import plainly

Severity = Literal["high", "medium", "low", "note"]
Outcome = Literal["kept", "restated", "moved", "altered", "dropped", "by-hand"]

SEVERITIES: tuple[Severity, ...] = ("high", "medium", "low", "note")
OUTCOMES: tuple[Outcome, ...] = ("kept", "restated", "moved", "altered", "dropped", "by-hand")

EVERY = "*"
"""In a cover: every fact of the rows named."""


class Cover(NamedTuple):
    """Facts that a loss covers.

    `side` is 0 for the source and 1 for what stood at the destination; `scope` is `item`, `menu`,
    `content`, `place` or `site`; `numbers` are rows of that scope; `fact` names one fact, or
    `EVERY`.
    """

    side: int
    scope: str
    numbers: Sequence[int]
    fact: str


class Finding(Struct):
    """One finding. With an `outcome` it is a loss, without one a notice.

    `path` are the labels from the top of the menu down to the item; `before` and `after` say what
    was read and what was written; `menu` is a menu's id, `menu_name` its title; `labels` name the
    items of a branch that was dropped whole.
    """

    code: str
    severity: Severity
    outcome: Outcome | None = None
    menu: str | None = None
    item: str | None = None
    path: tuple[str, ...] = ()
    origin: str | None = None
    before: str | None = None
    after: str | None = None
    labels: tuple[str, ...] = ()
    covers: list[Cover] = []
    menu_name: str | None = None
    places: tuple[str, ...] = ()

    @property
    def count(self) -> int:
        """How many places a finding speaks of."""
        return max(len(self.places), 1)

    @property
    def facts(self) -> list[str]:
        """The names of the facts that a loss covers, without doubles."""
        names: dict[str, None] = {}
        for cover in self.covers:
            if cover.fact == EVERY:
                names["every fact"] = None
            else:
                names[plainly(cover.fact)] = None
        return list(names)

    def _fields(self) -> dict[str, object]:
        return {
            "item": (self.path[-1] or "(no label)") if self.path else (self.item or ""),
            "subject": (self.path[-1] or "(no label)") if self.path else self.menu_name or "",
            "at": f" for {_some(self.path[-1:])}" if self.path else "",
            "menu": self.menu_name or self.menu or "",
            "before": _shortened(self.before or ""),
            "after": _shortened(self.after or ""),
            "count": len(self.labels),
            "items": _counted(len(self.labels), "item"),
            "names": _counted(len(self.labels), "label"),
            "s": "s" if len(self.labels) == 1 else "",
            "are": "is" if len(self.labels) == 1 else "are",
            "their": "its" if len(self.labels) == 1 else "their",
            "menus": _counted(len(self.labels), "menu"),
            "were": "was" if len(self.labels) == 1 else "were",
            "labels": _some(self.labels),
            "where_in": f" below “{self.before}”" if self.before else "",
            "where": f"below “{self.after}”" if self.after else "at the top level",
        }

    @property
    def why(self) -> str:
        """What happened and why, in one plain sentence."""
        return CODES[self.code].why.format_map(self._fields())

    @property
    def do(self) -> str:
        """What can be done about it, in one plain sentence."""
        return CODES[self.code].do.format_map(self._fields())


def enumerated(words: Sequence[str]) -> str:
    """Words put together as a sentence names them: `one, two and three`."""
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


def _shortened(words: str, longest: int = 240) -> str:
    """Words in a sentence, cut where they are very long; the report has them whole."""
    return words if len(words) <= longest else words[: longest - 1] + "…"


def _counted(number: int, word: str) -> str:
    return f"{number} {word}" + ("" if number == 1 else "s")


def _some(labels: tuple[str, ...], most: int = 12) -> str:
    """Labels in a sentence; the whole list stands in the report."""
    named = ", ".join(f"“{label}”" if label else "(no label)" for label in labels[:most])
    more = len(labels) - most
    return f"{named} and {more} more" if more > 0 else named


def notice(
    code: str,
    *,
    severity: Severity | None = None,
    menu: str | None = None,
    item: str | None = None,
    path: tuple[str, ...] = (),
    before: str | None = None,
    after: str | None = None,
    origin: str | None = None,
    labels: tuple[str, ...] = (),
    menu_name: str | None = None,
    places: tuple[str, ...] = (),
) -> Finding:
    """A finding that says something worth knowing, without a loss."""
    return Finding(
        code,
        severity or CODES[code].severity,
        None,
        menu,
        item,
        path,
        origin,
        before,
        after,
        labels,
        menu_name=menu_name,
        places=places,
    )


def by_severity(findings: list[Finding]) -> list[Finding]:
    """Findings with the most severe first; those of one severity keep their order."""
    return sorted(findings, key=lambda found: SEVERITIES.index(found.severity))


class Code(NamedTuple):
    """The words of one code: a heading, its usual severity, two templates, an explanation.

    `seen`: whether visitors see what it says, as another place, label, address, column or block,
    as another way of opening, or as something that is there or not.
    """

    heading: str
    severity: Severity
    why: str
    do: str
    means: str
    happens: str
    remedy: str
    seen: bool = False


CODES: dict[str, Code] = {
    "read.links": Code(
        "Links that no rule of the profile reads",
        "high",
        "The export says {before}{at}: that leads visitors to pages of the site, and no rule reads "
        "it as links. They lose them.",
        "Let the profile read it, or add the links by hand.",
        "The export has addresses of the site's own pages in a field that no rule of its profile "
        "reads, and no item that was read leads there.",
        "Plug-ins and themes keep links of their own, and profiles are written from samples.",
        "Add a rule to the profile (docs/profiles.md), or name the field in `ignore`.",
    ),
    "read.columns": Code(
        "Class words that may make columns",
        "note",
        "In “{menu}” the class word {before}, below {labels}{after}. Themes often make the "
        "columns of a panel out of such words, and nothing says so for this platform.",
        "If the theme does, say it in a profile of the platform: panels of the encoding `marked`.",
        "The export's platform describes no panels, and items on one level share a class word.",
        "Many themes read panels out of plain class words.",
        "Describe the words in a profile; `ypsiform profile new` writes a start for one.",
    ),
    "read.ignored": Code(
        "Data that is known and not wanted",
        "note",
        "The export says {before}{at}; the profile ignores it: {after}.",
        "Nothing, if that is still meant.",
        "The profile names the field in `ignore`, with this reason.",
        "Exports hold much that is no part of navigation.",
        "Nothing is lost that somebody wanted.",
    ),
    "read.extra": Code(
        "Data that no rule of the profile reads",
        "low",
        "The export says {before}{at}, which Ypsiform has no rule for.",
        "Decide whether it matters; if it does, set it at the destination by hand.",
        "The export has a field or a value that Ypsiform's description of the platform does not "
        "name. It was not understood, so it was not converted.",
        "Add-ons leave their own fields in exports, and platforms add new ones. Ypsiform keeps "
        "what it does not understand in sight instead of passing over it.",
        "If the field matters to visitors, find its equivalent at the destination. If it is "
        "common, add a rule for it to the platform's profile. When source and destination are the "
        "same platform, such data is written back as it was.",
    ),
    "read.panels": Code(
        "Panels that could not be read",
        "medium",
        "The export says {before}{at}: that is of a panel, and it was not read as one.",
        "Look at the old site; if visitors see the panel there, make it by hand.",
        "A record of a panel is not as the platform writes them: it names a menu or an item that "
        "is not there, or that something else names too, or it holds more than a panel can.",
        "Panels stand apart from menus, and a change of one leaves the other behind.",
        "Where the platform shows the panel, build it at the destination; where it does not, "
        "nothing is lost. When source and destination are the same platform, it is written back "
        "as it was.",
    ),
    "read.value": Code(
        "Unread data in another form",
        "low",
        "The export says {before}{at}; in this form of file that is {after}.",
        "Look whether the site still understands it.",
        "Days and times are values of their own in TOML and YAML, and texts in JSON; TOML has no "
        "word for nothing.",
        "The file is written in another form than it came in.",
        "Write it in the form that it came in: leave out --set form.",
    ),
    "read.other-theme": Code(
        "A theme in place of the file's own",
        "note",
        "The export is for the theme “{before}”, and is read as one for “{after}”, as was asked: "
        "places, levels and panels are those of that one.",
        "Leave the theme out, if the file's own is meant.",
        "What is shown depends on the theme, and a theme that is named wins.",
        "A site may have changed its theme since the export was made.",
        "Nothing is lost by it; what is shown may differ.",
    ),
    "read.theme": Code(
        "A theme that is not described",
        "medium",
        "The export names the theme “{before}”, which Ypsiform has no description of, so how many "
        "levels it shows is not known.",
        "Name the described theme that comes closest, with --from PLATFORM/THEME.",
        "What is shown depends on the theme, and the theme of this site is not in the profile.",
        "Sites use themes of their own, and new themes appear.",
        "Choose the closest described theme, or describe this one in a profile of your own.",
    ),
    "read.key": Code(
        "A menu with a key that its platform does not take",
        "low",
        "“{menu}” has the key “{before}”, which its own platform would not take.",
        "Look whether the file was edited by hand, and export it again.",
        "The platform's description says what keys of menus are made of, and this one is not.",
        "A file that was edited or damaged, or a version of the platform with other rules.",
        "Where the file is written for its own platform the key stays; elsewhere it is made legal.",
    ),
    "read.same-id": Code(
        "Content with an id that another one has",
        "note",
        "“{before}” has the same id as “{after}”, which comes first; items point to the first one.",
        "Look which of the two is meant.",
        "Two records of the export's contents have one kind and one id.",
        "An export that was put together from two, or a fault of the platform.",
        "The second record stays in a file of its own platform, and is otherwise not used.",
    ),
    "read.shares": Code(
        "Widths of columns that are no whole twelfths",
        "note",
        "The columns of the panel of “{item}” are as wide as {before}; they are read as the "
        "nearest twelfths of the row, {after}, and written as these.",
        "Nothing, where nobody sees the difference.",
        "Widths are kept in twelfths, which is what most grids have.",
        "Some themes divide the row by any numbers.",
        "Set the widths by hand at the destination, if they must be exact.",
    ),
    "read.wrapper": Code(
        "An item that only wraps a column",
        "note",
        "“{item}” only wraps a column and is never shown to visitors; where it leads ({before}) "
        "and what else it says is left aside.",
        "Nothing, if visitors never saw it.",
        "In a panel an item of the export is nothing but the wrapper of a column, and has an "
        "address, class words or further data of its own.",
        "Menu editors make every column an item, and editors give items an address.",
        "If the theme does show it, mark such items as headings in the platform's profile.",
    ),
    "read.order": Code(
        "An item that comes after none of its siblings",
        "note",
        "“{item}” says that it comes after {before}, which is none of its siblings or comes after "
        "it in turn; it was put behind them.",
        "Look where it stands on the site, and move it there.",
        "Items name the sibling that they come after, and this one names an item that stands "
        "elsewhere, that is missing, or that follows it.",
        "Items are moved and deleted, and what followed them still names them.",
        "Order them again in the menu editor of the old site, or in what is written.",
    ),
    "read.jump": Code(
        "An item that skips a level",
        "low",
        "“{item}” says that it stands on level {before}, straight below level {after}; it is read "
        "as standing one level below.",
        "Check that nothing above it is missing.",
        "Between the item and the one above it a level has no item.",
        "Somebody deleted the item between, or counted wrongly.",
        "Nothing is lost.",
    ),
    "read.orphan": Code(
        "An item whose parent is missing",
        "medium",
        "“{item}” stands below item {before}, which is not in its menu; it was put last at the "
        "top level.",
        "Look where the item belongs and move it there.",
        "The item names a parent that the menu does not have.",
        "The parent was deleted while the item below it stayed behind in the database.",
        "Nothing is lost: the item comes last at the top level. Decide whether it should be kept.",
    ),
    "read.ring": Code(
        "Items that are each other's parents",
        "medium",
        "“{item}” stands below itself, by way of item {before}; it was put last at the top level.",
        "Look where the item belongs and move it there.",
        "Following the parents of this item leads back to the item.",
        "Damaged data, often after a restored backup or an edit made in two places at once.",
        "Nothing is lost: each item of the ring comes last at the top level, with what is below "
        "it. Put them where they belong.",
    ),
    "read.blank": Code(
        "An item without a label",
        "medium",
        "An item of “{menu}” has no label: visitors see a link without words, or none.",
        "Give it a label, in a plan or at the source.",
        "The export says no label for this item, and it follows no page that has a title.",
        "Editors save items half done, and icons stand in for words.",
        "Say a label in the plan, or leave the item out.",
    ),
    "read.double": Code(
        "The same target twice in one menu",
        "note",
        "“{item}” points to the same place as “{before}” in the same menu.",
        "Keep one of the two, unless both are wanted.",
        "Two items of one menu lead to the same place.",
        "Usually a mistake that grew over the years; sometimes wanted, for example a group "
        "heading that repeats its first page.",
        "Both are converted. Remove one in the old menu, or after the import.",
    ),
    "read.parked": Code(
        "Items parked on the home page or on #",
        "note",
        "“{item}” points to {before} and has nothing below it.",
        "Find out where it was meant to lead, or remove it.",
        "The item leads to the home page or nowhere, and opens nothing.",
        "Editors park items this way until a page exists, and forget them.",
        "Give it a target, or leave it out.",
    ),
    "read.unsaved": Code(
        "A menu that the platform makes up by itself",
        "note",
        "“{menu}” looks like a menu, but nobody ever saved it: the platform makes it up.",
        "To convert it all the same, use --made-up.",
        "The platform shows a menu where none was made. The export lists it like a real one.",
        "Platforms fill empty locations with a list of all pages.",
        "It is not converted unless you ask with --made-up. Better: "
        "decide what the menu should be.",
    ),
    "read.hidden": Code(
        "A switched-off item",
        "note",
        "“{item}” is switched off and not shown.",
        "Decide whether it is still needed.",
        "The item is stored but hidden from visitors.",
        "Seasonal items, and items kept just in case.",
        "Switched-off items are never published silently: where the destination cannot store them "
        "switched off, they are left out and reported as access.switched-off.",
    ),
    "read.gone": Code(
        "An item whose content is not public",
        "high",
        "“{item}” points to content that is {before}.",
        "Point the item to public content, or remove it.",
        "The item's page still appears in the export, but it is gone, private or a draft.",
        "Deleting or unpublishing a page does not always remove it from menus.",
        "Visitors already meet an error, or nothing, there. Mend it before the migration.",
    ),
    "read.unlinked": Code(
        "Content that no menu leads to",
        "note",
        "No menu leads to {before}.",
        "Check whether it should be in a menu; it may be linked from other pages.",
        "The site has this content, and no item of any menu points to it.",
        "Landing pages and old pages; sometimes an item that was lost in an earlier migration.",
        "Nothing to do if that is wanted.",
    ),
    "read.languages": Code(
        "A menu in several languages",
        "note",
        "“{menu}” {before}.",
        "Decide how the destination should hold its languages: --languages keep, labels or menus.",
        "Languages come as translated labels in one menu, as a menu for each, or as branches "
        "inside one menu.",
        "Platforms differ in what they hold, and sites in how they were made.",
        "What the destination cannot hold is reported on converting.",
    ),
    "place.staff": Code(
        "A menu of the platform's own back office",
        "note",
        "“{menu}” belongs to the platform's own back office. Visitors never see it.",
        "Leave it behind; no option converts it, only a plan that names it.",
        "The platform keeps the menus of its editors with those of the site.",
        "Exports hold whatever the platform calls a menu.",
        "Nothing is lost: the destination has a back office of its own.",
    ),
    "place.nowhere": Code(
        "A menu that is placed nowhere",
        "note",
        "“{menu}” is not placed at any location, so visitors do not see it.",
        "Place it, or leave it behind.",
        "The menu is stored, but no location of the theme shows it.",
        "Drafts and remains of earlier designs; or a menu that only a widget shows.",
        "It is converted, and placed nowhere at the destination either.",
    ),
    "place.empty": Code(
        "A location without a menu",
        "note",
        "The location “{before}” holds no menu; the theme shows a made-up one there, or nothing.",
        "Decide what should be shown there.",
        "The theme offers this location, and no menu is placed at it.",
        "The location was never used, or its menu was deleted.",
        "At the destination, a location that the source leaves empty keeps what it has.",
    ),
    "place.more-levels": Code(
        "A menu that shows more at one of its locations",
        "note",
        "“{menu}” shows {items} at {after} that it did not show at {before}: {labels}.",
        "Look at the page: the place may need room for a submenu.",
        "A menu stands at several locations, and one of them shows more levels of it than the one "
        "that it stood at before.",
        "Themes show another number of levels at each location.",
        "Place a menu with fewer levels there.",
        seen=True,
    ),
    "place.fewer-levels": Code(
        "A menu that shows less at one of its locations",
        "low",
        "“{menu}” no longer shows {items} at {after}, as it did at {before}: {labels}.",
        "They are still shown at another location of the menu; place them where they are missed.",
        "A menu stands at several locations, and one of them shows fewer levels of it than the one "
        "that it stood at before.",
        "Themes show another number of levels at each location.",
        "Place a menu of its own there, with these items at its top.",
        seen=True,
    ),
    "place.shared": Code(
        "One menu at several locations",
        "note",
        "“{menu}” is shown at several locations: {before}.",
        "Remember that a change to it shows at each of them.",
        "The same menu is placed at more than one location.",
        "A common way to keep a bar and a footer alike.",
        "Where the destination shows fewer levels at one of them, the deeper ones are not seen "
        "there.",
    ),
    "place.second": Code(
        "A menu at a location that another one has",
        "note",
        "The menu says that it is shown at “{before}”, and so does one before it, which visitors "
        "see there.",
        "Nothing, if visitors were not meant to see it.",
        "Two menus of the export name one location, and the platform shows the first.",
        "Somebody placed a menu without taking the old one away.",
        "Place it elsewhere, or merge the two.",
    ),
    "place.unknown": Code(
        "A location that names a missing menu",
        "medium",
        "The location “{after}” names the menu “{before}”, which is not in the export.",
        "Check whether the export is complete.",
        "A location refers to a menu that the file does not hold.",
        "The menu was deleted, or the export left it out.",
        "Export again, or decide what the location should show.",
    ),
    "place.overwritten": Code(
        "A location that named a missing menu shows another one now",
        "note",
        "The location “{after}” named the menu “{before}”, which is not in the file; it shows a "
        "menu of the source now.",
        "Nothing, unless the missing menu is to come back.",
        "The destination's location referred to a menu that its file does not hold.",
        "The menu was deleted, or the export left it out.",
        "Export the destination again if it should be there.",
    ),
    "place.not-offered": Code(
        "A menu without a location at the destination",
        "high",
        "The destination has no location for “{menu}”, which was shown at “{before}”: {after}.",
        "Place it in a page or a widget of the theme by hand, or move its items to another menu.",
        "The theme of the destination has no location of the same purpose and audience.",
        "Themes offer different locations; a handset or signed-in menu often has no equivalent.",
        "Choose another theme, let the theme declare a location, or distribute the items. A menu "
        "for signed-in visitors is never put where everyone sees it.",
        seen=True,
    ),
    "place.clash": Code(
        "Two menus for one location",
        "high",
        "“{menu}” would be shown at “{after}”, where another menu already goes; it is stored, and "
        "not shown there.",
        "Decide which menu is shown there, or merge the two.",
        "Two locations of the source correspond to a single one of the destination.",
        "The destination's theme has fewer locations.",
        "The first menu, in the order of the source's locations, is placed. Merge by hand if both "
        "are needed.",
        seen=True,
    ),
    "place.moved": Code(
        "A menu at another location, as decided",
        "medium",
        "“{menu}” was shown at “{before}”, and is shown at “{after}” now: the plan says so.",
        "Look at the page.",
        "The location that was decided for the menu is for something else than the old one, or for "
        "other visitors.",
        "Locations rarely have the same names and purposes on both sides.",
        "Change the decision in the plan, and convert again.",
        seen=True,
    ),
    "place.left": Code(
        "A menu that is placed nowhere, as decided",
        "note",
        "“{menu}” was shown at “{before}”, and is placed nowhere now: the plan says so.",
        "Nothing, if that is still meant.",
        "The plan gives the menu no location in place of the one that it had.",
        "It was decided by hand.",
        "Name a location in the plan, or take the decision out, and convert again.",
        seen=True,
    ),
    "place.whole": Code(
        "A location that the add-on replaces entirely",
        "note",
        "{after} takes over “{before}” wholly: what opens no panel comes along too: {labels}.",
        "Import the whole file, and look at all of the bar, not at its panels alone.",
        "Some add-ons show everything at a location, or nothing of it: one panel cannot go alone.",
        "The destination is such an add-on.",
        "Nothing is lost. What the host site showed at that location is shown no more.",
    ),
    "read.part": Code(
        "An export of one location only",
        "note",
        "{before} has taken over one location of its host site, and its export holds nothing else.",
        "Export the host site's other menus as well, and convert them on their own.",
        "Some add-ons show everything at a location. Its menus are in the add-on's export, all "
        "others in that of the host.",
        "The export comes from such an add-on.",
        "Nothing is lost; the other menus have to come along by another file.",
    ),
    "place.declare": Code(
        "A location that the theme must first declare",
        "note",
        "“{menu}” is meant for the location “{after}”, which the theme ({before}) does not offer.",
        "Have the theme declare and show that location before the import.",
        "Themes offer a fixed number of locations; those who make the theme can add one. Until "
        "then the menu is stored and nobody sees it.",
        "The plan says so, or the file of the destination has such a location.",
        "Use a location that the theme offers.",
        seen=True,
    ),
    "place.taken": Code(
        "A menu of the destination that lost its place",
        "high",
        "“{menu}” of the destination was shown at “{before}”, where “{after}” is shown now.",
        "Place it elsewhere at the destination, if visitors still need it.",
        "A location shows one menu, and the conversion was asked to fill it.",
        "The destination's menu is also shown at another location, so it was not replaced there.",
        "Its items are untouched. Decide where it should be shown.",
    ),
    "link.relative": Code(
        "A relative address",
        "medium",
        "“{item}” leads to {before}, which is another page on each page that shows the menu; it is "
        "taken from the root of the site: {after}.",
        "Check where it was meant to lead.",
        "An address without a slash at its start is counted from the page that a visitor is on.",
        "Somebody typed it while looking at one page.",
        "Give it a slash at the source, or say in links.csv where it leads.",
    ),
    "link.unused": Code(
        "Pages of the destination that no menu leads to",
        "note",
        "After the conversion no menu of the destination leads to {count} of its pages: {labels}.",
        "Check whether some of them should be in a menu.",
        "They are in the inventory of the destination, and no item that is written points there.",
        "New pages are often made before the menus.",
        "Nothing is lost.",
    ),
    "link.redirect-unused": Code(
        "Redirects from addresses that the export does not have",
        "note",
        "The table of redirects has {count} of them for addresses that are no page of the export: "
        "{labels}.",
        "Check these addresses for mistakes; redirects of pages that no menu leads to are as "
        "they should be.",
        "The old address of a row is compared with the pages that the export lists and that its "
        "menus lead to, and none is the same.",
        "A table of redirects is often made for the whole site, or has a mistyped address.",
        "Nothing is lost: the row is not used.",
    ),
    "link.joined": Code(
        "Pages that lead to one and the same page by the redirects",
        "note",
        "By the table of redirects {labels} lead to {after} all.",
        "Check that they are meant to; items of one menu that lead to the same page can go.",
        "Several old addresses have the same new one.",
        "Pages were put together on the new site, or a row was copied.",
        "Give each its own row in links.csv or in the table of redirects.",
    ),
    "link.unchecked": Code(
        "Links that could not be checked",
        "medium",
        "{items} point{s} to pages of the site. Without an inventory of the destination, plain "
        "addresses are written that nobody has checked: {labels}.",
        "Give an export of the destination with --into, so that links are matched to its pages.",
        "Nothing is known about what the destination holds, so links to pages cannot be matched.",
        "The conversion was run without --into, or the destination is still empty.",
        "Convert again with --into once the pages exist. Otherwise test each link.",
    ),
    "link.unresolved": Code(
        "A link without a counterpart at the destination",
        "high",
        "“{item}” pointed to {before}, and nothing at the destination matches; it keeps its place "
        "but leads {after}.",
        "Create the page at the destination, or point the item to another one.",
        "The page that the item points to was not found in the destination's inventory: not by "
        "key, path, address or title.",
        "The page was not migrated, was renamed, or several pages match equally well.",
        "Make the page or rename it, and convert again. --unmatched address writes the old "
        "address in its place; Ypsiform never guesses.",
        seen=True,
    ),
    "link.suggested": Code(
        "What an unmatched link may have meant",
        "note",
        "Nothing matches {before}; this comes near: {after}.",
        "If that is it, say so in the link table, and convert again.",
        "No content of the destination has the same key, path, address or title, and some are "
        "called much the same.",
        "Pages are renamed and moved when a site is made new.",
        "`ypsiform draft` writes the link table with these suggestions beside each link. They are "
        "never applied unasked.",
    ),
    "link.script": Code(
        "A script in place of an address",
        "high",
        "“{item}” runs a script ({before}) instead of leading to a page; scripts are never passed "
        "on.",
        "Find out what the script did, and provide it at the destination.",
        "The address is a program that would run in the visitor's browser.",
        "Old themes opened menus or windows this way. Attackers hide code there too.",
        "The item keeps its place and leads nowhere.",
        seen=True,
    ),
    "link.tail": Code(
        "A query or fragment that was lost",
        "medium",
        "The link of “{item}” ended in {before}; the destination cannot add that to a page.",
        "Check what the page shows without it.",
        "The part of an address behind ? or # was lost.",
        "The destination points to the page by reference only.",
        "Where a filter or a place on the page matters, make a page for it.",
        seen=True,
    ),
    "link.characters": Code(
        "An address with characters that cannot be written",
        "medium",
        "The address {before} of “{item}” holds characters that the destination's file format "
        "cannot write; it is now {after}.",
        "Test the link.",
        "Invisible control characters stand in an address, and the import format has no way to "
        "write them.",
        "They come along when addresses are pasted from other programs.",
        "They are left out. Test the link.",
        seen=True,
    ),
    "link.rewritten": Code(
        "An address that the destination would change",
        "low",
        "The destination shows the address {before} in another form; it is written as {after}.",
        "Test the link.",
        "Some destinations write addresses that begin with a slash anew: in small letters, or "
        "without what follows a question mark.",
        "The destination's profile names the form that is left alone; this address has another.",
        "Ypsiform puts the address of the site before it, which is left alone everywhere. Where "
        "that is not known, give an export of the destination with --into, and test the link.",
        seen=True,
    ),
    "link.state": Code(
        "The state of content was not carried over",
        "note",
        "The page “{before}” was {after} at the source; the destination does not say so.",
        "Check whether it should be public at the destination.",
        "Whether content is live, a draft, private or gone belongs to the source.",
        "The destination has no such state, has another one, or does not have the content.",
        "Set the state at the destination by hand where it matters.",
    ),
    "kind.as-address": Code(
        "A kind of target that became a plain address",
        "medium",
        "“{item}” pointed to a {before}; the destination has no such kind, so the address {after} "
        "is written.",
        "Check that the address exists at the destination.",
        "The destination cannot point to this kind of content by reference.",
        "Platforms know different kinds of content.",
        "The link no longer follows when the content is moved. Check the address.",
        seen=True,
    ),
    "kind.search-field": Code(
        "A search that looks otherwise",
        "low",
        "“{item}” leads to the search of the site; at the destination it is {after}.",
        "Look at the page: a field to search in and a link to the search page are not alike.",
        "Some platforms show a search field in a menu, others a link to the page of the search.",
        "Themes differ in where visitors search.",
        "Most themes can show a search field beside the menu.",
    ),
    "kind.stand-in": Code(
        "A category that stands in for another kind",
        "note",
        "“{item}” pointed to a {before}; at the destination its counterpart is a {after}.",
        "Nothing to do if both list the same things.",
        "A taxonomy term and a group of products stand in for each other where one is lacking.",
        "Publishing systems have topics, shops have product groups.",
        "Look at the listing once.",
    ),
    "kind.not-held": Code(
        "Something the destination has no way to store",
        "high",
        "“{item}” is a {before}, which the destination has no equivalent for.",
        "Decide what it should become.",
        "The destination has neither this kind of item nor an address to stand in.",
        "Platforms know different kinds of items and targets.",
        "A target that cannot be stored leaves its item leading nowhere. Choose another target.",
        seen=True,
    ),
    "kind.divider": Code(
        "A divider that was left out",
        "low",
        "A divider{where_in} was left out; the destination has none.",
        "Regroup the items if the line mattered.",
        "The destination has no item that is only a line between others.",
        "Platforms know different kinds of items.",
        "A heading or a submenu of its own can group items instead.",
        seen=True,
    ),
    "depth.lifted": Code(
        "Items lifted to a level that is shown",
        "medium",
        "“{item}” stood below “{before}”, deeper than the destination shows; it now follows "
        "beside it, {where}.",
        "Look at the page; shorten or regroup if the row became too long.",
        "The item stood on a level that the destination does not show or store. It was lifted "
        "beside its parent, so that visitors still reach it.",
        "Themes show a limited number of levels.",
        "Choose a theme that shows more levels, or regroup the menu.",
        seen=True,
    ),
    "depth.hidden": Code(
        "Items on a level that is not shown",
        "medium",
        "“{menu}”: {items} stand{s} deeper than the theme shows ({before}): {labels}.",
        "Lift them, or choose a theme that shows more levels.",
        "A level that is stored but not shown is as good as lost to visitors.",
        "The platform stores more levels than the theme shows.",
        "What the old theme never showed was not reachable before either.",
    ),
    "depth.revealed": Code(
        "Items that were not shown and now are",
        "medium",
        "“{menu}”: {items} {were} not shown before and {are} now: {labels}.",
        "Check that they are meant for visitors.",
        "The destination shows more levels than the source's theme did.",
        "Items were stored deeper than the old theme showed.",
        "Look at them; nobody may have looked after them for a long time.",
        seen=True,
    ),
    "access.exposed": Code(
        "Items that other people see now",
        "high",
        "“{menu}”: {items} {were} shown to {before}, and {are} now shown to {after}: {labels}.",
        "Do not import this before it is decided who may see them.",
        "Something that was for some visitors only becomes visible to others.",
        "A menu or an item lost the restriction on who may see it.",
        "Leave the items out, or place the menu where only the right visitors see it.",
        seen=True,
    ),
    "label.cut": Code(
        "A label that is too long",
        "medium",
        "“{before}” is longer than the destination allows and was cut to “{after}”.",
        "Choose a shorter label.",
        "The destination limits the length of labels.",
        "Importers cut or refuse labels beyond their limit.",
        "Write a shorter label yourself: a cut one is rarely a good one.",
        seen=True,
    ),
    "label.frozen": Code(
        "Labels that no longer follow their pages",
        "note",
        "“{menu}”: {names} followed the title of the page and {are} now fixed.",
        "When a page is renamed, rename its items too.",
        "At the source these items have no label of their own: they show their page's title.",
        "The destination stores a text for each item, or titles its page differently.",
        "Nothing to do now.",
    ),
    "label.empty": Code(
        "An item without a label",
        "low",
        "“{item}” had no label; the destination shows “{after}” instead.",
        "Give it a label.",
        "An empty label means “the page's own title” at the destination.",
        "The source stores empty labels as they are.",
        "Give the item a label.",
        seen=True,
    ),
    "label.characters": Code(
        "Characters that cannot be written",
        "low",
        "The label {before} holds characters that the destination's file format cannot write; it "
        "is now “{after}”.",
        "Look at the label.",
        "Invisible control characters stand in a label, and the import format has no way to write "
        "them.",
        "They come along when texts are pasted from other programs.",
        "They are left out, which is usually what was meant.",
        seen=True,
    ),
    "label.untranslated": Code(
        "Items of a menu in a further language that are not translated",
        "medium",
        "The new menu “{after}” is for the language “{before}”, and {items} of it {are} not "
        "translated: {labels}.",
        "Translate them at the destination, or leave them out of this menu.",
        "The source has no label in this language for them, and so the main one stands there.",
        "Translations lag behind.",
        "Nothing is lost.",
        seen=True,
    ),
    "label.language": Code(
        "Labels in a further language",
        "medium",
        "“{menu}”: {names} in the language “{before}” cannot be stored at the destination: "
        "{labels}.",
        "If the destination serves that language, --languages menus makes a menu of these labels.",
        "The source holds labels in several languages in one menu; the destination holds one.",
        "Platforms treat languages differently: translated labels, or a menu for each language.",
        "The report lists every label, so that they can be entered by hand.",
        seen=True,
    ),
    "label.to-menu": Code(
        "Labels in a further language, in a menu of its own",
        "medium",
        "“{menu}”: {names} in the language “{before}” stand in the new menu “{after}” now: "
        "{labels}.",
        "It is placed nowhere yet: place it where the destination serves the language.",
        "The source holds labels in several languages in one menu. A menu for each language was "
        "asked for; items without a label in that language have their first one there.",
        "--languages menus was given, or the plan says so.",
        "Leave it out to keep the labels as they are, where the destination can hold them.",
        seen=True,
    ),
    "label.to-labels": Code(
        "A menu whose labels stand in another one",
        "medium",
        "What “{menu}” says in the language “{before}” stands as labels in that language in "
        "“{after}” now; where its items led by themselves is not carried.",
        "Look at the menu in both languages.",
        "The source has a menu or a branch for each language, item by item alike, and labels of "
        "one menu in several languages were asked for.",
        "--languages labels was given, or the plan says so.",
        "Leave it out to keep a menu for each language.",
        seen=True,
    ),
    "label.wraps": Code(
        "A bar that is too wide for its row",
        "low",
        "The top level of “{menu}” is {before} wide at “{item}”, and {after} fit on one row. These "
        "no longer fit: {labels}.",
        "Shorten labels, or move items below others.",
        "The top level of a bar stands on one row. What does not fit wraps onto a second one, or "
        "has to be scrolled to, and looks broken.",
        "The labels were measured in a font, with the gaps that the theme puts between them.",
        "Shorten labels or move items. Name the theme's own font with --font for a closer measure.",
    ),
    "label.clash": Code(
        "Two items with the same label",
        "medium",
        "No second item may have the label “{before}” at the destination; it is now “{after}”.",
        "Choose a label that tells the two apart.",
        "The destination tells items, or the panels that open from them, apart by their labels.",
        "A menu has the same label twice.",
        "Rename one of them.",
        seen=True,
    ),
    "label.formula": Code(
        "Labels that a spreadsheet takes for formulas",
        "note",
        "The table holds labels that begin like a formula: {labels}.",
        "Import the file as it is. To look at it in a spreadsheet, write a plain table with --set "
        "safe=yes, which puts a mark before such cells.",
        "A spreadsheet program would compute them, and might do what the label says.",
        "The file is a table, and cells that begin with = + - or @ are formulas to spreadsheets.",
        "Read the labels; if nobody wrote them on purpose, somebody tried something. Rename them.",
    ),
    "panel.not-held": Code(
        "A mega menu that became an ordinary submenu",
        "medium",
        "The panel of “{item}” ({before}) cannot be stored; its links became an ordinary submenu.",
        "Look at the submenu; rebuild the panel by hand if the destination offers one.",
        "The panel's columns, headings and pictures have no place at the destination.",
        "The destination's theme shows no panels there, or Ypsiform cannot write them yet.",
        "Every link of the panel is kept, in reading order, and each pane is an item if there is a "
        "level for it. Pictures and column widths are lost.",
        seen=True,
    ),
    "panel.too-many": Code(
        "Panels beyond the number that is held",
        "medium",
        "“{item}” opened a panel ({before}). The destination holds {after}, and others have more "
        "in them; it opens an ordinary submenu now.",
        "Look at the submenu. If this panel matters more, leave another one out in the plan.",
        "The destination's theme holds a limited number of panels. Those with most in them stay.",
        "More items of the menu open panels than the theme allows.",
        "Put two panels together in the old menu, or choose a theme that holds more.",
        seen=True,
    ),
    "panel.lists": Code(
        "Menus that panels need",
        "note",
        "For the lists in its panels the destination gets {menus} of {their} own: {labels}.",
        "Tell the editors what they are; nothing is to be placed.",
        "The destination shows a list in a panel by naming a menu.",
        "There a panel holds no links itself.",
        "Nothing is lost.",
    ),
    "panel.split": Code(
        "A menu that panels split into parts",
        "note",
        "“{menu}” has {before} between its items. The destination's header is a sequence of menus "
        "and panels, so that its items are in several menus now: {after}.",
        "Edit the part in which an item stands; visitors see one bar.",
        "Where a header is a sequence, a panel that stands between two items splits the menu "
        "around it. The parts have the title of the whole, and its key with a number.",
        "The theme keeps panels beside menus, not in them.",
        "Nothing is lost. Put all panels last if you prefer one menu.",
        seen=True,
    ),
    "panel.merged": Code(
        "Columns of a panel that were put together",
        "medium",
        "The panel of “{item}” had {before}, and has {after} now; what stood beside each other "
        "stands below each other in places.",
        "Look at the panel; the order is the same.",
        "The destination's panels hold fewer columns, or no list without a heading behind another "
        "one. Columns are put together so that the highest is as low as it can be.",
        "Each theme has its own number of columns.",
        "Choose a theme with wider panels, or shorten the panel.",
        seen=True,
    ),
    "panel.order": Code(
        "Parts of a panel that stand in another order",
        "low",
        "In the panel of “{item}”, {labels} stand behind the columns now.",
        "Look at the panel; everything in it is still there.",
        "The destination's panels show pictures behind all columns, wherever they stood before.",
        "Some themes have one place for the pictures of a panel.",
        "Choose a theme whose panels have pictures among the columns, if the place matters.",
        seen=True,
    ),
    "panel.around": Code(
        "Markup of a panel that stands beside its columns",
        "low",
        "In the panel of “{item}” markup had a column of its own; it stands before or after all "
        "columns now.",
        "Look at the panel; the markup is the same.",
        "The destination's panels have a place for markup before and after their columns, and none "
        "among them.",
        "Some themes keep what somebody wrote apart from what is generated.",
        "Nothing is lost.",
        seen=True,
    ),
    "panel.span": Code(
        "Widths of columns that are not kept",
        "low",
        "The columns of “{item}” were {before}, and are {after} now.",
        "Look at the panel.",
        "The destination's panels have other widths, or say none.",
        "Themes divide panels in different ways.",
        "Nothing, where the panel still looks right.",
        seen=True,
    ),
    "panel.opens": Code(
        "How a panel opens",
        "low",
        "The panel of “{item}” opened {before}; at the destination it opens {after}.",
        "Look at the panel with a mouse and by touch.",
        "The destination cannot say how a panel opens, or not in this way.",
        "Themes decide it for all of their panels.",
        "Nothing, where visitors find the panel.",
        seen=True,
    ),
    "panel.width": Code(
        "How wide a panel is",
        "low",
        "The panel of “{item}” was {before}; it is {after} now.",
        "Look at the panel.",
        "The destination cannot say how wide a panel is.",
        "Themes decide it for all of their panels.",
        "Nothing, where the panel still looks right.",
    ),
    "panel.tone": Code(
        "The tone of a panel that is not kept",
        "low",
        "The panel of “{item}” had the tone {before}; the destination shows it {after}.",
        "Look at the panel, and choose its colours at the destination.",
        "The destination's panels have no tones, or not this one.",
        "Tones belong to a theme; the export says only which of them was chosen.",
        "Choose a theme with tones, or leave it.",
    ),
    "panel.block": Code(
        "A block of a panel that the destination cannot hold",
        "medium",
        "The panel of “{item}” held {before}. It is not in the file.",
        "Make it by hand where the destination has room for it.",
        "The destination's panels hold other kinds of blocks.",
        "Products, texts, forms and pictures are held by some themes only.",
        "The report has all that the block said, so that it can be made again.",
        seen=True,
    ),
    "panel.link": Code(
        "A block of a panel that became links",
        "medium",
        "The panel of “{item}” held {before}. What it leads to goes on as links: {labels}.",
        "Look at the panel, and make the rest by hand where the destination has room for it.",
        "The destination's panels hold no such block. Where a picture, a text or a product "
        "leads goes on as links.",
        "Themes build panels in different ways.",
        "Choose a theme whose panels hold such blocks.",
        seen=True,
    ),
    "panel.shared": Code(
        "A menu in a panel that is now a list of its own",
        "low",
        "The panel of “{item}” showed {before}, which is kept in one place for all that show it; "
        "its items are links of the panel now: {labels}.",
        "From now on change both where that menu changes.",
        "The destination's panels cannot show another menu, so that its items were copied.",
        "Sharing a menu is an ability of its platform.",
        "Nothing is lost today; the copies no longer follow each other.",
    ),
    "panel.menu-missing": Code(
        "A panel that shows a menu that is not there",
        "medium",
        "The panel of “{item}” shows the menu {before}, which the export does not hold.",
        "Look at the page: visitors see nothing there. Take it out, or name another menu.",
        "The menu was deleted or renamed, and the panel still asks for it.",
        "Platforms seldom check what a panel refers to.",
        "Nothing can be carried over; the finding says where it stood.",
    ),
    "panel.menu-self": Code(
        "A panel that shows the menu that it stands in",
        "medium",
        "The panel of “{item}” shows {before}, the menu that it opens from.",
        "Take it out: a menu cannot stand in itself.",
        "The panel refers to its own menu.",
        "Somebody chose the wrong menu in a list.",
        "Nothing is carried over; the items stand in the menu already.",
    ),
    "panel.column-label": Code(
        "What columns of a panel are called",
        "note",
        "The columns of “{item}” were called {before}, which only editors saw; that is left out.",
        "Nothing, where editors find their way without it.",
        "The destination has no names for columns, or would show them to visitors.",
        "Some platforms let editors name the columns of a panel.",
        "Visitors see the same.",
    ),
    "panel.pane-link": Code(
        "A pane that led somewhere, and does not now",
        "high",
        "In the panel of “{item}” the label of a pane was a link: {before}. Nothing leads there "
        "from it now.",
        "Put the page into the pane as a link, or choose a theme whose panes or headings lead "
        "somewhere.",
        "The label of the pane was a link. The destination's panes are no links, or nothing is "
        "left there that could carry it.",
        "Some platforms let the label of a pane lead to the overview of what is in it.",
        "Say it as a link before converting: what stands in the pane is kept.",
        seen=True,
    ),
    "panel.pane-note": Code(
        "A line below the label of a pane",
        "low",
        "In the panel of “{item}”, a line stood below the labels of panes: {before}. It is left "
        "out.",
        "Say it in the label, or in a text of the pane.",
        "The destination has no place for a second line.",
        "Some platforms show a note below the label of a pane.",
        "Nothing else is lost by it.",
        seen=True,
    ),
    "panel.regrouped": Code(
        "Parts of a panel that stand in another column",
        "medium",
        "In the panel of “{item}”, {labels} {are} in another column or list than before.",
        "Look at the panel; everything in it is still there.",
        "The destination's panels cannot show these lists and blocks together in the columns that "
        "they had: it has one heading for each column, one list in each, or fills its columns by "
        "itself.",
        "Each theme has its own rules for what a column can hold.",
        "Choose a theme whose columns hold several lists, or arrange the panel anew.",
        seen=True,
    ),
    "panel.empty": Code(
        "A column of a panel that holds nothing",
        "note",
        "The panel of “{item}” had a column with nothing in it that can be written; it has "
        "{after} now.",
        "Nothing, where the panel looks right.",
        "The column was empty, or all that stood in it is left out for a reason of its own.",
        "Editors leave columns empty, and decisions empty others.",
        "Nothing is lost by it.",
    ),
    "panel.markup": Code(
        "A block of a panel whose content is altered",
        "medium",
        "Of {before} the destination cannot hold everything; what is left is written.",
        "Look at the panel, and say again by hand what is missing.",
        "Markup is passed on without what would run in a browser; a text is written in the form "
        "that the destination knows, and marks of another form are shown as they are.",
        "Themes differ in how texts are written, and nothing that could run is passed on.",
        "Write the block anew at the destination.",
        seen=True,
    ),
    "panel.cleaned": Code(
        "Markup in a panel that was cleaned",
        "high",
        "Of {before} was taken away what could run, send or load something: {labels}. The rest is "
        "written.",
        "Look at the panel. What was taken away is made anew at the destination, if it is needed.",
        "Markup from an export is passed on only without scripts, forms, frames, styles that load "
        "or cover something, and addresses that run something; where browsers and other programs "
        "read it in different ways, it is written anew.",
        "Widgets and embedded content stand in menus as markup.",
        "Make a widget of the destination's own where one was.",
        seen=True,
    ),
    "panel.unsafe": Code(
        "Markup at the destination that runs something",
        "note",
        "The destination's menu “{menu}” has markup that could run, send or load something: "
        "{labels}. It stays as it is.",
        "Look whether somebody meant it.",
        "What stands at the destination is reported, and never rewritten.",
        "Widgets and embedded content stand in menus as markup.",
        "Nothing is changed by the conversion.",
    ),
    "panel.picture": Code(
        "A block of a panel that says less",
        "low",
        "The destination shows {before} without its {after}.",
        "Say it in its caption, or on the page that the picture leads to.",
        "The destination's panels hold pictures that say less: without a description for screen "
        "readers, a title, a second picture, or a link.",
        "Themes differ in what a picture is to them.",
        "Put what matters into the caption.",
        seen=True,
    ),
    "panel.characters": Code(
        "Characters in a block of a panel that cannot be written",
        "low",
        "In a panel, {before} holds characters that the destination's file format cannot write; "
        "it goes on without them.",
        "Look at the block.",
        "Invisible control characters stand in a block of a panel, and the import format has no "
        "way to write them.",
        "Texts that are copied from documents and databases carry such characters.",
        "Clean the text at the source, or look at it after the import.",
        seen=True,
    ),
    "panel.heading-link": Code(
        "A heading that no longer leads anywhere",
        "medium",
        "In a panel the heading “{item}” led to {before}. Headings do not lead anywhere there; the "
        "first link below it does so now.",
        "Look at the panel; give that link another label if both read the same.",
        "The destination's headings are plain text.",
        "Themes build panels in different ways.",
        "Nothing is lost; visitors may click the heading in vain.",
        seen=True,
    ),
    "panel.heading": Code(
        "Links of a panel that are headings now",
        "low",
        "In the panel of “{item}”, {names} are headings now, as each list needs one: {labels}.",
        "Look at the panel; regroup the links below a heading of their own.",
        "The destination's panels hold links only below a heading.",
        "Themes build panels in different ways.",
        "Give the list a heading at the source, or afterwards.",
        seen=True,
    ),
    "panel.blank": Code(
        "Headings of a panel without a label",
        "low",
        "In the panel of “{item}” a heading has no label, so that its list has no heading now.",
        "Give the list a heading at the destination.",
        "The destination writes a heading as the title of a list, and takes an empty one for none.",
        "Somebody left the label of a heading empty.",
        "Nothing is lost that could be read.",
        seen=True,
    ),
    "panel.divider": Code(
        "Dividers of a panel that are not kept",
        "low",
        "The panel of “{item}” had dividers ({before}), which the destination does not hold.",
        "Look at the panel.",
        "The destination's panels hold no dividers.",
        "Themes build panels in different ways.",
        "A heading can part links instead.",
        seen=True,
    ),
    "panel.nested": Code(
        "Links below links of a panel",
        "medium",
        "In the panel of “{item}” stood links below links, which stand beside them now: {labels}.",
        "Look at the panel.",
        "The lists of the destination's panels have one level.",
        "Themes build panels in different ways.",
        "Regroup the links below headings.",
        seen=True,
    ),
    "panel.pane": Code(
        "Panes of a panel",
        "medium",
        "The panel of “{item}” had {before}. The destination holds columns only: what stood in a "
        "pane is a column below its label.",
        "Look at the panel: all panes are seen at once now.",
        "The destination's panels have no panes to switch between, and no labels of columns. What "
        "a pane led to its heading leads to; where headings lead nowhere, the first link below it.",
        "Themes build panels in different ways.",
        "Shorten the panel if it became too full, or put the panes into panels of their own.",
        seen=True,
    ),
    "link.in-markup": Code(
        "Links inside markup",
        "medium",
        "In the panel of “{item}”, {before} holds links that are not as they were: {labels}.",
        "Look at the block, and match these links.",
        "Links inside markup and texts are matched like those of items. These have no counterpart "
        "at the destination, or could not be checked.",
        "Nobody looks for links in a block of markup, and they break when a site moves.",
        "Give an export of the destination with --into, or a link table.",
        seen=True,
    ),
    "panel.unknown": Code(
        "Panels of the destination's old theme",
        "low",
        "“{item}” opens a panel in the theme {before}; the theme {after} does not know how it is "
        "written, and shows what is below it as an ordinary submenu.",
        "Make the panel again in the new theme, or keep the old one.",
        "The file at the destination was made for another theme than the one that was asked for. "
        "Each theme writes its panels in its own way.",
        "A theme was named with `--to` that is not the one of the file given with `--into`.",
        "Leave the theme out, to keep that of the file.",
    ),
    "panel.removed": Code(
        "Panels of the destination that its theme cannot show",
        "high",
        "The destination holds {before}, which the theme “{after}” cannot show; it was left out.",
        "Choose a theme that shows panels, or accept the loss.",
        "The file of the destination is written for a theme without panels.",
        "A theme was named with --to that differs from the destination's.",
        "Leave out the theme in --to.",
        seen=True,
    ),
    "panel.opener": Code(
        "An item that stays because a panel opens from it",
        "note",
        "“{item}” of the destination stays in “{menu}”: a panel opens from it by its label.",
        "Remove the item and its panel by hand if they are no longer wanted.",
        "A panel of the destination is tied to this item by its text.",
        "The menu was replaced, but its panel is not part of the conversion.",
        "Keep both or remove both.",
    ),
    "trait.description": Code(
        "A description that was lost",
        "low",
        "“{item}” lost its description: {before}.",
        "Add it by hand if the theme shows it elsewhere.",
        "The destination stores no description with an item.",
        "Platforms store different traits.",
        "Nothing can be done in the menu itself.",
    ),
    "trait.tooltip": Code(
        "A tooltip that was lost",
        "low",
        "“{item}” lost its tooltip: {before}.",
        "Make sure that the label says enough by itself.",
        "The destination stores no tooltip with an item.",
        "Platforms store different traits.",
        "Nothing can be done in the menu itself.",
    ),
    "trait.window": Code(
        "A link that opened a new window",
        "low",
        "“{item}” opened in a new window; at the destination it opens in the same one.",
        "Tell the client; most visitors prefer it this way.",
        "The destination cannot open menu links in a new window.",
        "Platforms store different traits.",
        "Nothing can be done in the menu itself.",
    ),
    "trait.rel": Code(
        "A link relation that was lost",
        "note",
        "“{item}” lost its relation “{before}”.",
        "Check with whoever looks after search engines.",
        "The destination stores no relation (rel) with a link.",
        "Platforms store different traits.",
        "Nothing can be done in the menu itself.",
    ),
    "trait.icon": Code(
        "An icon that was lost",
        "low",
        "“{item}” lost its icon “{before}”.",
        "Add it at the destination if its theme shows icons.",
        "The destination stores no icon with an item.",
        "Platforms store different traits, and icons are known by different names.",
        "Nothing can be done in the menu itself.",
    ),
    "trait.expired": Code(
        "A badge that has expired",
        "note",
        "The badge {before} of “{item}” is over on the day of the migration, and was left out.",
        "Nothing needs to be done.",
        "The badge says until when it is shown, and --as-of names a later day.",
        "Badges stay in menus long after their season.",
        "Nothing that a visitor still sees is lost.",
    ),
    "panel.off": Code(
        "A part of a panel that is switched off",
        "note",
        "A part of a panel is switched off: {before}. Visitors do not see it, and it is written "
        "for its own platform only.",
        "Switch it on before converting, if it is to be seen.",
        "The part is marked as not shown.",
        "Editors switch off what is out of season.",
        "Nothing that visitors see is lost.",
    ),
    "trait.characters": Code(
        "Characters of an item that cannot be written",
        "low",
        "“{item}” says {before}, which holds characters that the destination's file format cannot "
        "write; it is now “{after}”.",
        "Look at the item.",
        "Invisible control characters stand in what an item says beside its label, and the import "
        "format has no way to write them.",
        "Texts that are copied from documents and databases carry such characters.",
        "Clean the text at the source, or look at it after the import.",
    ),
    "trait.badge-part": Code(
        "A badge that says less",
        "low",
        "The badge “{before}” of “{item}” is kept without {after}.",
        "Take it away by hand when its time is over.",
        "The destination's badges have a text, and not all that this one says.",
        "Platforms differ in whether a badge has a first day, a last day, or counts down.",
        "Say the day in the text of the badge.",
    ),
    "trait.badge": Code(
        "A badge that was lost",
        "low",
        "“{item}” lost its badge “{before}”.",
        "Put the word into the label if it still matters.",
        "The destination stores no badge with an item.",
        "Platforms store different traits.",
        "A word in the label can stand in.",
    ),
    "trait.picture": Code(
        "A picture that was lost",
        "low",
        "“{item}” lost its picture {before}.",
        "Add it at the destination if its theme shows pictures.",
        "The destination stores no picture with an item.",
        "Platforms store different traits.",
        "Nothing can be done in the menu itself.",
        seen=True,
    ),
    "trait.class": Code(
        "Style classes that were lost",
        "low",
        "“{item}” lost its style classes: {before}.",
        "Check whether it looked different from its neighbours.",
        "The destination stores no style classes with an item.",
        "Classes belong to the old theme.",
        "Rarely worth anything in a new theme.",
    ),
    "trait.device": Code(
        "An item that was shown on some devices only",
        "medium",
        "“{item}” was shown on {before} only; at the destination it is shown everywhere.",
        "Decide whether it should be in the menu at all.",
        "The destination cannot show an item on some devices only.",
        "Platforms store different traits.",
        "Remove the item, or accept that everyone sees it.",
        seen=True,
    ),
    "trait.opens": Code(
        "How a submenu opens",
        "low",
        "“{item}” opened its submenu by {before}; the destination does not say how.",
        "Try the menu with a mouse and with a finger.",
        "The destination stores nothing about how a submenu opens.",
        "That is up to the theme there.",
        "Nothing can be done in the menu itself.",
        seen=True,
    ),
    "access.narrowed": Code(
        "A menu that fewer visitors see",
        "high",
        "Everybody saw the menu “{menu}”; where it is placed now, only {after} see it.",
        "Place it at a location that everybody sees.",
        "A plan, or the destination's file, gives it a location that admits some visitors only.",
        "Locations look alike in a list, and differ in whom they admit.",
        "Choose another location in the plan.",
        seen=True,
    ),
    "access.not-held": Code(
        "A restriction that the destination cannot express",
        "high",
        "“{subject}” is for {before} only; the destination cannot say so. {after}.",
        "Restrict the page itself at the destination, or keep it out of public menus.",
        "Who may see a menu, an item or its content was limited, and the limit cannot be stored.",
        "The destination shows its menus to everyone.",
        "An item that fewer people may see than its menu is left out. Protect the content itself.",
        seen=True,
    ),
    "access.switched-off": Code(
        "A switched-off item that was left out",
        "note",
        "“{item}” was switched off; the destination cannot store it that way, so it was left out.",
        "Add it by hand when it is needed again.",
        "The item was stored but hidden.",
        "The destination has no way to switch an item off.",
        "It was not shown before, so visitors miss nothing.",
    ),
    "menu.merged": Code(
        "A menu whose items stand in another one",
        "low",
        "“{menu}” is not a menu of its own any more: its items stand behind those of “{after}”, "
        "at the location that both would have had.",
        "Look at the page; the menu may have become too long.",
        "A location shows one menu, and two of the source would be shown there.",
        "--clash merge was given, or the plan says so.",
        "Use --clash first to show the first menu alone.",
        seen=True,
    ),
    "menu.to-devices": Code(
        "A menu for some devices whose items stand in another one",
        "medium",
        "“{menu}” was for the {before} alone, and there is no location for that. What “{after}” "
        "has as well is shown there; the rest stands behind its items, shown on the {before} "
        "alone: {labels}.",
        "Look at the menu on each device; the items that only the desktop should have can be "
        "switched off for the others.",
        "Some themes have a location for handsets, others let each item say on which devices it is "
        "seen.",
        "The destination has no location for these devices, and its items can say them.",
        "Choose a theme with such a location, or leave the menu out: in a plan, `locations = []`.",
        seen=True,
    ),
    "menu.within": Code(
        "A menu for some devices that another one has all of",
        "low",
        "“{menu}” was for the {before} alone, and there is no location for that. All of it stands "
        "in “{after}” as well, and is shown there.",
        "Nothing, unless the menus are to differ later.",
        "Some themes have a location for handsets, others let each item say on which devices it is "
        "seen.",
        "The destination has no location for these devices, and its items can say them.",
        "Choose a theme with such a location to keep a menu of its own.",
        seen=True,
    ),
    "menu.apart": Code(
        "A branch in a language that is a menu of its own now",
        "note",
        "What stands below “{item}” is the menu “{after}” now, in the language “{before}”.",
        "Place it where the destination serves that language.",
        "Each top item of the menu is a language, and a menu for each was asked for.",
        "--languages menus was given, or the plan says so.",
        "Leave it out to keep the languages as branches of one menu.",
        seen=True,
    ),
    "menu.language-apart": Code(
        "Items in a further language that are a menu of their own now",
        "note",
        "Items in the language “{before}” stood below those of the first one in “{menu}”. They are "
        "the menu “{after}” now: {labels}.",
        "Place it where the destination serves that language.",
        "Each of these items leads to a page in the folder of a language, and stood alone below an "
        "item that does not; a menu for each language was asked for.",
        "--languages menus was given, or the plan says so.",
        "Leave it out to keep them where they were; --languages labels makes them labels of the "
        "items above.",
        seen=True,
    ),
    "menu.left": Code(
        "A menu that was left behind, as decided",
        "note",
        "“{menu}” is not converted: the plan says so.",
        "Nothing, if that is still meant.",
        "The plan decides which menus are converted.",
        "Its decision for this menu is `convert = false`.",
        "Change the decision in the plan, and convert again.",
        seen=True,
    ),
    "item.left": Code(
        "Items that were left out, as decided",
        "note",
        "“{item}” and what is below it were left out: the plan says so.",
        "Nothing, if that is still meant.",
        "The plan decides about doubles, parked items and switched-off ones.",
        "Its decision for this item is `keep = false`.",
        "Change the decision in the plan, and convert again.",
        seen=True,
    ),
    "item.published": Code(
        "A switched-off item that is shown, as decided",
        "note",
        "“{item}” was switched off; with what is below it visitors see it now: the plan says so.",
        "Nothing, if that is still meant.",
        "The item was stored but hidden, and the plan publishes it.",
        "Its decision for this item is `publish = true`.",
        "Change the decision in the plan, and convert again.",
        seen=True,
    ),
    "label.decided": Code(
        "A label that was changed, as decided",
        "note",
        "“{before}” is now “{after}”: the plan says so.",
        "Nothing, if that is still meant.",
        "The plan decides what items are called where their labels do not fit.",
        "It names another label for this item.",
        "Change the decision in the plan, and convert again.",
        seen=True,
    ),
    "depth.gathered": Code(
        "Items to be linked from a page",
        "medium",
        "Below “{item}”, deeper than the destination shows, stood: {labels}. They leave the menu, "
        "to be linked from the page of “{item}”.",
        "Put links to them on that page.",
        "The destination shows fewer levels than the menu has, and the page above these items can "
        "list them: visitors need one step from there.",
        "The plan says so, or it costs visitors less than any other choice.",
        "Put the links on the page before the menu is switched over. Choose `lift` to keep the "
        "items in the menu.",
        seen=True,
    ),
    "depth.no-panels": Code(
        "No panels to make columns of",
        "note",
        "“{menu}”: columns were asked for, and where it is shown there are no panels: what is too "
        "deep is lifted.",
        "Choose a theme with panels, or another way with --depth.",
        "The theme of the destination shows no panels at the location of the menu.",
        "Themes differ in what opens below a bar.",
        "Nothing is lost by it.",
    ),
    "depth.to-columns": Code(
        "Items that are in the columns of a panel now",
        "medium",
        "The location shows {before} levels, and below “{item}” there are more. It opens a panel "
        "of {after} now, which shows them all: {labels}.",
        "Look at the panel: what stood below “{item}” heads the columns.",
        "The destination shows fewer levels than the menu has, but it shows panels: what stood "
        "below an item at the top heads columns there, and what was deeper stands in them.",
        "The plan says so, or it costs visitors less than any other choice.",
        "Choose `lift` to keep the items in the menu, beside the item that they stood below.",
        seen=True,
    ),
    "depth.to-menu": Code(
        "Items moved to a menu of their own",
        "medium",
        "Below “{item}”, deeper than the destination shows, stood: {labels}. They are a menu of "
        "their own now, shown at {after}.",
        "Look at that location on the pages that need it.",
        "The destination shows fewer levels than the menu has, and it offers a location at which "
        "nothing is shown. What was too deep is a secondary menu there.",
        "The plan says so, or it costs visitors less than any other choice.",
        "Choose `lift` to keep the items in the menu, beside the item that they stood below.",
        seen=True,
    ),
    "depth.dropped": Code(
        "Items that are too deep and were dropped, as decided",
        "high",
        "Below “{item}”, deeper than the destination shows, these were dropped: {labels}.",
        "Make sure that visitors can reach them in another way.",
        "The destination shows fewer levels than the menu has.",
        'The plan says `depth = "drop"` for this branch, or no other choice fits.',
        "Choose `lift` in the plan to keep them beside their branch.",
        seen=True,
    ),
    "link.decided": Code(
        "A link that leads elsewhere, as decided",
        "note",
        "“{item}” led to {before}, and now leads to {after}: a table says so.",
        "Nothing, if that is still meant.",
        "The link table of a plan, or a table of redirects, decides where links lead.",
        "Its row for this page names an address, or nothing.",
        "Change the row, and convert again.",
        seen=True,
    ),
    "plan.gone": Code(
        "A decision about something that is not there",
        "medium",
        "The plan decides about {before}, which the export does not have.",
        "Take the decision out, or find out where it went.",
        "The export is another one than the plan was drafted from.",
        "A menu, item or content has been removed, or has another id now.",
        "Draft the plan again: decisions that still apply are kept.",
    ),
    "plan.new": Code(
        "Something new, without a decision",
        "medium",
        "The plan says nothing about {before}, and it is converted as Ypsiform would by itself.",
        "Decide about it.",
        "The export is newer than the plan.",
        "A menu has been added since the plan was drafted.",
        "Draft the plan again: earlier decisions are kept, and this one is added.",
    ),
    "menu.not-held": Code(
        "A menu that the format cannot hold",
        "medium",
        "“{menu}” is a menu, and such a file holds none: only the addresses that it leads to are "
        "listed.",
        "Convert to another format as well, if the menu itself is wanted.",
        "Some formats list pages and know no menus.",
        "The destination was named so; the labels, the order and the nesting of the menu are lost.",
        "Use the list as an inventory; convert the menus to the platform that will show them.",
        seen=True,
    ),
    "step.site": Code(
        "An address of the site that has to be filled in",
        "medium",
        "The addresses in the file must begin with that of the site, which the export does not "
        "say: {before} stands in its place.",
        "Convert again with --set site=ADDRESS.",
        "Some formats hold whole addresses only.",
        "The export gives addresses from the root of the site, and not the site's own.",
        "Name the address of the new site with --set site=https://….",
    ),
    "menu.not-asked": Code(
        "A menu that was not converted",
        "note",
        "“{menu}” was made up by the platform and is not converted unless asked for.",
        "Use --made-up to convert it.",
        "The platform makes this menu up by itself, or it belongs to its back office.",
        "See read.unsaved.",
        "Use --made-up if it should become a real menu.",
        seen=True,
    ),
    "menu.grows": Code(
        "A menu that changes by itself now",
        "medium",
        "The menu “{menu}” was kept by hand. It takes the place of a menu that changes by itself "
        "({after}), and does so too now.",
        "Switch that off at the destination, if the menu is to stay as it is.",
        "A menu that takes over the record of another one has the settings of that record.",
        "Some platforms add new pages to a menu by themselves.",
        "Switch it off in the destination's menu editor after the import.",
    ),
    "menu.language": Code(
        "The language of a menu",
        "low",
        "The menu “{menu}” was marked as {before}, and is marked as {after} now.",
        "Set the language of the menu, or of the pages that show it, at the destination.",
        "The destination's menus do not say what language their labels are in, or the record that "
        "the menu takes over says another one.",
        "Some platforms know languages of whole sites only.",
        "Screen readers choose their voice by it: see that the pages say it.",
    ),
    "menu.updated": Code(
        "A menu of an earlier run that is written anew",
        "note",
        "“{menu}” was written to the destination as {before} before, and nobody changed it there "
        "since: it is updated.",
        "Nothing needs to be done.",
        "The record of the earlier run says what was written under which key.",
        "A migration is converted many times before it is done.",
        "Nothing is lost.",
    ),
    "menu.changed-since": Code(
        "A menu of an earlier run that somebody changed",
        "high",
        "“{menu}” was written to the destination as {before} before, and somebody changed it there "
        "since. It is left as it is, and “{menu}” gets a new key.",
        'Compare the two. To write over what was changed, say so in a plan: update = "{before}".',
        "The record of the earlier run says what was written, and the destination holds something "
        "else now.",
        "Editors work on the new site while it is being migrated.",
        "Keep one of the two menus, or let a plan update the one that is there.",
    ),
    "menu.rule-frozen": Code(
        "A menu that no longer fills by itself",
        "low",
        "“{menu}” {before}; at the destination it is a fixed list.",
        "Add new pages to the menu by hand from now on.",
        "The menu followed a rule; what is written is a snapshot.",
        "The destination stores menus by hand only.",
        "Tell the editors.",
    ),
    "menu.key-taken": Code(
        "A menu key that was taken",
        "note",
        "“{menu}” could not be named “{before}” at the destination; it is now “{after}”.",
        "Use the new key where something refers to the menu.",
        "Another menu of the destination has that key already. It is never overwritten.",
        "Keys like “main” are common.",
        "Nothing to do, unless a theme or a widget refers to the menu by its key.",
    ),
    "menu.too-many": Code(
        "More menus than the destination holds",
        "high",
        "“{menu}” was left out: the destination holds {before} menus at most.",
        "Merge menus, or remove some at the destination.",
        "The destination limits the number of menus.",
        "Importers drop what is beyond the limit.",
        "Menus that are shown are kept first.",
        seen=True,
    ),
    "menu.no-place": Code(
        "A menu that is shown nowhere cannot be stored",
        "high",
        "“{menu}” was left out with its {items}: the destination stores a menu only where a "
        "location shows it.",
        "Give it a location, put its items into another menu, or keep a note of them.",
        "The destination has no menus of its own, only those of its locations.",
        "Some platforms have a list of menus and show some of them; others have a fixed number of "
        "places and what stands in each.",
        "A menu whose location has no equivalent at the destination has no place there either.",
        seen=True,
    ),
    "menu.too-long": Code(
        "More items than a menu may have",
        "high",
        "“{menu}” has more than the {before} items that the destination holds {after}; the last "
        "{count} {were} left out: {labels}.",
        "Shorten the menu, or split it in two.",
        "The destination limits the number of items in a menu, or on a part of it.",
        "Importers drop what is beyond the limit.",
        "The last items in reading order are left out. Choose better ones yourself.",
        seen=True,
    ),
    "menu.empty": Code(
        "A menu without items that cannot be stored",
        "note",
        "“{menu}” has no items, and the destination stores a menu only through its items.",
        "Make the menu at the destination when there is something to put into it.",
        "The destination has no records of menus, only items that name theirs.",
        "The menu was empty, or everything in it was left out.",
        "Nothing to do, unless its items were left out for reasons that the report names.",
        seen=True,
    ),
    "menu.renamed": Code(
        "A menu whose own name changed",
        "note",
        "“{before}” is named “{after}” at the destination. Only editors see the name.",
        "Tell the editors.",
        "The name of a menu is for editors.",
        "The menu took over one that stood at the destination, whose name stays; or the name was "
        "too long.",
        "Rename it at the destination if you like.",
    ),
    "menu.replaced": Code(
        "Items of the destination that were replaced",
        "high",
        "“{menu}” of the destination now holds the items of “{after}”; its own {items} "
        "{were} replaced: {labels}.",
        "Check that nothing among them is still needed, and keep the old export.",
        "The source's menu took over the one that stood at the same location.",
        "A location shows one menu, and the conversion was asked to fill it.",
        "Add missing items again. Menus placed elsewhere are never touched.",
    ),
    "kind.parent": Code(
        "A link that stands below its own label",
        "medium",
        "At the destination an item that has others below it cannot lead to {before}. The link "
        "moved into a new item of the same label, the first below “{after}”.",
        "Look at the submenu, and give the new item a label that says where it leads.",
        "The destination lets items of this kind have nothing below them.",
        "Its bars open submenus from headings, not from links.",
        "Nothing is lost. Choose another label for the new item, such as “Overview”.",
        seen=True,
    ),
    "step.filled": Code(
        "A column that the database fills in",
        "note",
        "New items have “{after}” in the column “{before}”: the database writes that by itself.",
        "Look whether it is what new items should have.",
        "A column of the destination's table may not be empty, and the table says what it has "
        "where nothing is given.",
        "Applications add columns of their own to a table of menus.",
        "Set other values in the database.",
    ),
    "step.requires": Code(
        "Something to do at the destination first",
        "note",
        "Before the file can be imported: {before}",
        "Do it before the import.",
        "Some platforms need an add-on, a plan or a setting before menus can be imported.",
        "The destination's profile names the step.",
        "Do each step, then import the file.",
    ),
    "read.page": Code(
        "A page of which only the navigation was read",
        "note",
        "The file is a page as visitors see it. Its menus were read, and nothing else; left aside "
        "within them: {before}.",
        "Check that every menu is there; name another part of the page with --nav.",
        "A page shows its menus as a theme draws them: with classes, buttons, pictures and text of "
        "the theme's own.",
        "The landmarks of the page were read, or what --nav names. Classes and attributes belong "
        "to the old theme.",
        "Compare the menus with the page. A page can show less than the site holds: where you can, "
        "use an export.",
    ),
    "read.script": Code(
        "Scripts and frames that are not passed on",
        "low",
        "The page holds what would run when it is shown, and that is not passed on: {before}.",
        "Check that the menus need none of it.",
        "Ypsiform passes no script on, whoever wrote it.",
        "Pages carry scripts, styles and frames beside their menus.",
        "Bring what the new site needs over by hand, from its source.",
    ),
    "step.file": Code(
        "Files that have to be moved",
        "note",
        "The menus lead to files, whose addresses are kept: {labels}.",
        "Copy the files to the same addresses at the destination.",
        "A menu can point to a file, but an import of menus does not carry it.",
        "Documents are stored apart from menus.",
        "Copy the files before the new menus go live, and try each link.",
    ),
}
"""Every code of Ypsiform, with its words."""


_TOLD_BY = {
    "read.hidden": {"access.switched-off"},
    "read.unsaved": {"menu.not-asked"},
    "read.gone": {"link.unresolved", "link.state"},
    "link.script": {"link.script"},
    "depth.hidden": {"depth.lifted", "depth.to-columns", "depth.hidden"},
    "place.nowhere": {"menu.not-asked"},
}


def told_once(findings: list[Finding]) -> list[Finding]:
    """Without the notices of which a loss of the same item or menu says more."""
    by_item = {(f.code, f.menu, f.item) for f in findings if f.outcome is not None}
    by_menu = {(f.code, f.menu) for f in findings if f.outcome is not None}

    def told(found: Finding) -> bool:
        codes = _TOLD_BY.get(found.code, ())
        if found.outcome is not None:
            return False
        if found.item is not None:
            return any((code, found.menu, found.item) in by_item for code in codes)
        return any((code, found.menu) in by_menu for code in codes)

    return [found for found in findings if not told(found)]
