"""Ypsiform's own document: a whole site as it was read, in JSON, with nothing left out.

The items of a menu are a flat list in reading order; each names the number of the item that it
stands under, so that depth is no matter. A panel names the items in its columns by number. A
document is of the platform that its site was read from, and keeps what no rule of that platform
read. `Document` is its form; `ypsiform profile schema --document` prints the JSON Schema of it.
"""

# Long, since a document is read and written here, and all that it says is checked on the way.

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace

from .addresses import Hosts
from .containers import Repeated
from .containers.json import deep, repeats, write
from .document_form import ID as ID
from .document_form import (
    PARTS,
    ColumnPart,
    Document,
    ItemPart,
    LinksPart,
    MenuRecord,
    PanelPart,
    packed,
    unpacked,
)
from .errors import FormatError
from .findings import Finding, notice
from .markup import links_of
from .model import (
    PLAIN,
    STYLES,
    TARGET_KINDS,
    Column,
    Extra,
    Held,
    Item,
    Links,
    Markup,
    Menu,
    Panel,
    Piece,
    Site,
    Target,
    Text,
    below,
    number,
    rows_of,
    targets_of,
)

VERSION = 1
"""The version of the form of documents."""


# Values that JSON does not have


def _extras(extras: tuple[Extra, ...], change: Callable[[Any], Any]) -> tuple[Extra, ...]:
    return tuple(replace(extra, value=change(extra.value)) for extra in extras)


# Writing


def dump(site: Site, used: set[str]) -> bytes:
    """A site as a document, in UTF-8. Items are numbered by `number` before."""
    with deep():
        contents = [
            replace(c, extras=_extras(c.extras, packed)) if c.extras else c for c in site.contents
        ]
        document = Document(
            ypsiform=VERSION,
            platform=site.platform,
            theme=site.theme,
            addresses=site.addresses,
            languages=site.languages,
            locations=site.locations,
            menus=[_menu_part(menu) for menu in site.menus],
            used=sorted(used),
            contents=contents,
            extras=_extras(site.extras, packed),
        )
        return write(document, made=True)  # what is packed holds no key twice


def says_the_same(one: Site, other: Site, *, places: bool = False) -> bool:
    """Whether two sites say the same, wherever it stands in their files; or there, with `places`.

    Works at any depth.
    """
    if len(one.menus) != len(other.menus):
        return False
    with deep():
        number(one)
        number(other)
        # Menu by menu: of a large site two copies at once would take much room.
        menus = zip(one.menus, other.menus, strict=True)
        same = all(_said(menu, places) == _said(there, places) for menu, there in menus)
        return same and bool(_said_beside(one, places) == _said_beside(other, places))


def _said(menu: Menu, places: bool) -> Any:
    """All that a menu says, without the places where it was read if these do not count."""
    part = _menu_part(menu)
    if places:
        return part
    said = msgspec.to_builtins(part)
    for record in (said, *said["items"]):
        record.pop("origin", None)
        for column in record.get("panel", {}).get("columns", ()):
            for block in column["blocks"]:
                block.pop("origin", None)
    return said


def _said_beside(site: Site, places: bool) -> Any:
    """All that a site says beside its menus."""
    contents = [replace(c, extras=_extras(c.extras, packed)) for c in site.contents]
    if not places:
        contents = [replace(content, origin="") for content in contents]
    facts = (site.platform, site.theme, site.addresses, site.languages, site.locations)
    return (contents, facts, _extras(site.extras, packed))


def _menu_part(menu: Menu) -> MenuRecord:
    rows = rows_of([menu])
    items = [
        _item_part(thing, rows.things[above].number if above >= 0 else None)
        for thing, above in zip(rows.things, rows.parent, strict=True)
        if isinstance(thing, Item)
    ]
    return MenuRecord(
        id=menu.id,
        key=menu.key,
        title=menu.title,
        language=menu.language,
        saved=menu.saved,
        owner=menu.owner,
        rule=menu.rule,
        gathers=menu.gathers,
        stored=menu.stored,
        extras=_extras(menu.extras, packed),
        origin=menu.origin,
        items=items,
    )


def _item_part(item: Item, under: int | None) -> ItemPart:
    return ItemPart(
        item.number,
        item.label,
        item.id,
        under,
        item.target,
        item.role,
        item.inherited,
        item.hidden,
        item.traits,
        dict(item.translations),
        _panel_part(item.panel) if item.panel is not None else None,
        _extras(item.extras, packed) if item.extras else (),
        item.origin,
    )


def _panel_part(panel: Panel) -> PanelPart:
    return PanelPart(
        [
            ColumnPart([_part(b) for b in c.blocks], c.span, c.label, c.target, c.note, c.id)
            for c in panel.columns
        ],
        panel.style,
        panel.full_width,
        panel.opens,
        panel.tone,
        _part(panel.before) if panel.before is not None else None,
        _part(panel.after) if panel.after is not None else None,
    )


def _part(block: Links | Piece) -> Any:
    if isinstance(block, Links):
        heading = block.heading.number if block.heading is not None else None
        return LinksPart(heading, [item.number for item in block.items], block.key)
    return PARTS[type(block.holds)](block.number, block.origin, block.holds)


# Reading

_T = TypeVar("_T")


def load(tree: Any, file: str) -> tuple[Site, set[str], list[Finding]]:
    """The site of a document, the keys of menus that are used elsewhere, and notices.

    Raises `FormatError` with the place where a document does not have its form.
    """
    _no_doubles(tree, file)
    try:
        document = msgspec.convert(tree, Document)
    except msgspec.ValidationError as error:
        words, _, place = str(error).partition(" - at ")
        place = place.strip("`").removeprefix("$").removeprefix(".")
        raise FormatError(_plainly(words), file=file, place=place) from None
    except UnicodeEncodeError as error:
        half = ascii(error.object[error.start])
        raise FormatError(f"a key has half a character, {half}", file=file) from None
    if document.ypsiform != VERSION:
        raise FormatError(
            f"this is a document of version {document.ypsiform}, and version {VERSION} is read",
            file=file,
            place="ypsiform",
        )
    notices: list[Finding] = []
    try:
        with deep():
            site = _site(document, file, notices)
    except (ValueError, TypeError) as error:
        raise FormatError(f"unread data cannot be restored: {error}", file=file) from None
    _known(site, file)
    return site, set(document.used), notices


def _site(document: Document, file: str, notices: list[Finding]) -> Site:
    return Site(
        document.platform,
        document.theme,
        document.addresses,
        document.languages,
        [replace(c, extras=_extras(c.extras, unpacked)) for c in document.contents],
        [_Menus(menu, at, file, notices).menu() for at, menu in enumerate(document.menus)],
        document.locations,
        _extras(document.extras, unpacked),
        file,
    )


_TYPES = {
    "array": "a list",
    "object": "a mapping",
    "str": "a text",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "null": "null",
}


def _plainly(words: str) -> str:
    """What is wrong with the form of a document, in our own words."""
    missing = re.fullmatch(r"Object missing required field `(.*)`", words)
    if missing:
        return f"it has no {missing[1]}, which is needed"
    unknown = re.fullmatch(r"Object contains unknown field `(.*)`", words)
    if unknown:
        return f"found the key {unknown[1]!r}, which is not known here"
    types = re.fullmatch(r"Expected `(.*)`, got `(.*)`", words)
    if types:
        wanted = [_TYPES.get(name.strip(), name.strip()) for name in types[1].split("|")]
        found = _TYPES.get(types[2], types[2])
        return f"found {found} where {' or '.join(wanted)} is needed"
    return words[0].lower() + words[1:]


def _no_doubles(tree: Any, file: str) -> None:
    """Refuse a key that stands twice: nobody could say which one counts."""
    if not repeats(tree):
        return
    stack: list[tuple[Any, str]] = [(tree, "")]
    while stack:
        node, place = stack.pop()
        if isinstance(node, Repeated):
            key = node.others[0][0]
            raise FormatError(f"the key {key!r} stands twice", file=file, place=place or "the top")
        if isinstance(node, dict):
            stack += [(inner, f"{place}.{key}".lstrip(".")) for key, inner in node.items()]
        elif isinstance(node, list):
            stack += [(inner, f"{place}[{at}]") for at, inner in enumerate(node)]


_BY_ADDRESS = ("home", "page", "file", "fragment", "mail", "phone", "external", "none")
"""Kinds of targets that an address tells by itself."""


def _contradiction(target: Target, hosts: Hosts) -> str:
    """In what the kind of a target and its address contradict each other; empty if they do not."""
    if target.address is None:
        lacks = target.kind in ("fragment", "mail", "phone", "external")
        return f"a target of the kind {target.kind!r} has no address" if lacks else ""
    kind = hosts.read(target.address).kind
    kind = "external" if kind == "script" else kind
    free = target.kind not in _BY_ADDRESS or target.content is not None
    if kind == target.kind or (free and kind != "none"):
        return ""
    return f"a target of the kind {target.kind!r} has the address {target.address!r} of another one"


TWICE = "two pieces of unread data have one path: number them by `again`"


def _twice(extras: Sequence[Extra]) -> bool:
    return len(extras) > 1 and len({(e.path, e.again) for e in extras}) < len(extras)


def _known(site: Site, file: str) -> None:
    """What a document refers to must be there, and be there once."""
    # A document may be written by hand: all that the engine takes for granted of a site is asked
    # here.
    contents: set[tuple[str, str]] = set()
    hosts = Hosts(site.addresses)

    def fail(message: str, place: str) -> FormatError:
        return FormatError(message, file=file, place=place)

    for at, content in enumerate(site.contents):
        if (content.kind, content.id) in contents:
            words = f"the {content.kind} with the id {content.id!r} stands twice"
            raise fail(words, f"contents[{at}]")
        contents.add((content.kind, content.id))
    origins: set[str] = set()
    sound: set[Target] = set()
    for thing in rows_of(site.menus).things:
        if thing.origin and thing.origin in origins:
            raise fail("two items or blocks say that they come from this place", thing.origin)
        origins.add(thing.origin)
        if isinstance(thing, Piece) and isinstance(thing.holds, Markup | Text):
            inside, named = len(links_of(thing.holds)), len(thing.holds.links)
            if inside != named:
                raise fail(f"the links in it are {inside}, and `links` names {named}", thing.origin)
        for target in targets_of(thing):
            if target in sound:
                continue
            if target.kind not in TARGET_KINDS:
                raise fail(f"there is no kind of target {target.kind!r}", thing.origin)
            odd = _contradiction(target, hosts)
            if odd:
                raise fail(odd, thing.origin)
            if target.content is not None and (target.kind, target.content) not in contents:
                raise fail(
                    f"there is no {target.kind} with the id {target.content!r} among the contents",
                    thing.origin,
                )
            sound.add(target)
    menus: set[str] = set()
    for at, menu in enumerate(site.menus):
        if menu.id in menus:
            raise fail(f"two menus have the id {menu.id!r}", f"menus[{at}].id")
        menus.add(menu.id)
    for at, location in enumerate(site.locations):
        if not location.name:
            raise fail("a location has no name", f"locations[{at}].name")
        place = f"locations[{at}].menus"
        for name in location.menus:
            if name not in menus:
                raise fail(f"there is no menu {name!r}", place)
        if len(set(location.menus)) < len(location.menus):
            raise fail(f"the location {location.name!r} names a menu twice", place)
    extras = [("extras", site.extras)]
    extras += [(f"contents[{at}].extras", c.extras) for at, c in enumerate(site.contents)]
    extras += [(f"menus[{at}].extras", menu.extras) for at, menu in enumerate(site.menus)]
    for place, found in extras:
        if _twice(found):
            raise fail(TWICE, place)


class _Menus:
    """Builds one menu of a document."""

    def __init__(self, part: MenuRecord, at: int, file: str, notices: list[Finding]) -> None:
        self.part, self.at, self.file, self.notices = part, at, file, notices
        self.items: dict[int, Item] = {}
        self.placed: set[int] = set()
        self.heads: set[int] = set()
        self.under = {item.number: item.under for item in part.items}

    def fail(self, message: str, item: int) -> FormatError:
        return FormatError(message, file=self.file, place=f"menus[{self.at}].items[{item}]")

    def menu(self) -> Menu:
        part = self.part
        menu = Menu(
            part.id,
            part.key or part.id,
            part.title,
            [],
            part.language,
            part.saved,
            part.owner,
            part.rule,
            _extras(part.extras, unpacked),
            part.origin or f"menus/{self.at}",
            part.gathers,
            part.stored,
        )
        for at, item in enumerate(part.items):
            if item.number in self.items:
                raise self.fail(f"the number {item.number} stands twice in this menu", at)
            self._odd_item(item, at)
            self.items[item.number] = self._item(item, at)
        for at, item in enumerate(part.items):
            if item.panel is not None:
                self.items[item.number].panel = self._panel(item.panel, at)
        lost = self._odd()
        numbers = [item.number for item in part.items]
        for item in part.items:
            if item.number not in self.placed and item.number not in lost:
                above = self.items[item.under] if item.under is not None else None
                heads = item.under in self.heads
                if above is not None and (above.panel is not None or heads):
                    here = numbers.index(item.number)
                    owner = "a heading of a panel" if heads else "an item with a panel"
                    raise self.fail(f"it stands below {owner}, and not in it", here)
                (menu.items if above is None else above.children).append(self.items[item.number])
        for alone, (code, said) in lost.items():
            odd = self.items[alone]
            menu.items.append(odd)
            self.notices.append(
                notice(
                    code,
                    menu=menu.id,
                    menu_name=menu.title or menu.key,
                    item=odd.id,
                    path=(odd.label,),
                    before=said,
                    origin=f"{self.file}: item {alone}",
                )
            )
        self._headed(menu)
        return menu

    def _odd_item(self, part: ItemPart, at: int) -> None:
        """What an item says must be said once, and in a language."""
        if "" in part.translations:
            raise self.fail("a label in a further language has no language", at)
        if _twice(part.extras):
            raise self.fail(TWICE, at)

    def _headed(self, menu: Menu) -> None:
        """Headings stand in panels: no reader makes one elsewhere."""
        left = [(item, False) for item in menu.items]
        while left:
            item, inside = left.pop()
            if item.role == "heading" and not inside:
                at = [id(made) for made in self.items.values()].index(id(item))
                raise self.fail("it is a heading, and stands in no panel", at)
            inside = inside or item.panel is not None
            left += [(thing, inside) for thing, _ in below(item) if isinstance(thing, Item)]

    def _odd(self) -> dict[int, tuple[str, str]]:
        """Items whose parent is missing, or that form a ring: they come last at the top."""
        from .profiles.ties import ringed_of

        numbers = [item.number for item in self.part.items]
        at = {n: index for index, n in enumerate(numbers)}
        parents = [at.get(i.under, -2) if i.under is not None else -1 for i in self.part.items]
        rings = ringed_of(parents)
        found: dict[int, tuple[str, str]] = {}
        for index, item in enumerate(self.part.items):
            if item.number in self.placed and index in rings:
                raise self.fail("it stands in a panel that stands below it", index)
            if item.number not in self.placed and (parents[index] == -2 or index in rings):
                code = "read.ring" if index in rings else "read.orphan"
                found[item.number] = (code, str(item.under))
        return found

    def _item(self, part: ItemPart, at: int) -> Item:
        return Item(
            part.id or f"{self.part.id}.{part.number}",
            part.label,
            part.target,
            part.role,
            part.inherited,
            [],
            None,
            part.traits if part.traits != PLAIN else PLAIN,
            part.hidden,
            tuple(sorted(part.translations.items())),
            _extras(part.extras, unpacked) if part.extras else (),
            part.origin or f"menus/{self.at}/items/{at}",
        )

    def _panel(self, part: PanelPart, at: int) -> Panel:
        if part.style not in STYLES:
            known = ", ".join(STYLES)
            raise self.fail(f"found the panel style {part.style!r}; known are {known}", at)
        for column in part.columns:
            if column.target is not None and column.target.kind == "none":
                raise self.fail("a pane that leads nowhere has no target", at)
            if column.span is not None and not 1 <= column.span <= 12:
                raise self.fail(f"a column is {column.span} twelfths wide, and not 1 to 12", at)
        columns = [
            Column(
                [self._block(block, at) for block in column.blocks],
                column.span,
                column.label,
                target=column.target,
                note=column.note,
                id=column.id,
            )
            for column in part.columns
        ]
        around = [
            Piece(piece.holds, piece.origin or f"menus/{self.at}/items/{at}/panel/{piece.number}")
            if piece is not None
            else None
            for piece in (part.before, part.after)
        ]
        more = (part.style, part.full_width, part.opens, part.tone)
        return Panel(columns, *more, *around)

    def _block(self, part: Any, at: int) -> Links | Piece:
        if isinstance(part, LinksPart):
            owner = self.part.items[at].number
            head = part.heading
            heading = self._take(head, at, owner) if head is not None else None
            if heading is not None and heading.role != "heading":
                raise self.fail(f"its panel has item {head} as a heading, and that is a link", at)
            self.heads |= {head} if head is not None else set()
            under = owner if head is None else head
            items = [self._take(number, at, under) for number in part.items]
            return Links(heading, items, part.key)
        holds: Held = part.holds
        return Piece(holds, part.origin or f"menus/{self.at}/items/{at}/panel/{part.number}")

    def _take(self, number: int, at: int, under: int) -> Item:
        found = self.items.get(number)
        if found is None:
            raise self.fail(f"its panel names item {number}, which is not there", at)
        if self.under[number] != under:
            raise self.fail(f"its panel names item {number}, which does not stand below it", at)
        if number in self.placed:
            raise self.fail(f"item {number} stands in a panel twice", at)
        self.placed.add(number)
        return found
