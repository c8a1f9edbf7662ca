"""Languages: labels of several languages in one menu, or a menu for each, as was decided."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec.structs import replace

from ..errors import RefusedError
from ..facts import Went
from ..findings import EVERY, Cover, notice
from ..languages import Branch, Parallel, inside, nested, parallel
from ..model import EVERYONE, Block, Item, Links, Menu, Piece, below
from ..visibility import audience_of
from . import secondary
from .labels import cut, said, unlike
from .work import Fate, Work


def decide(work: Work) -> None:
    """Find what becomes of the languages of each menu. Raises `RefusedError` where nothing can."""
    way = work.options.languages
    if way == "keep":
        return
    others = parallel(work.source, work.rows)
    split = inside(work.source, work.rows)
    below_others = nested(work.source, work.rows)
    if way == "menus":
        _refuse_menus(work)
        for fate in work.fates:
            for branch in split.get(fate.index, ()):
                work.tongues[branch.row] = branch.language
            for pair in below_others.get(fate.index, ()):
                work.nested[pair.row] = pair.language
        return
    if not work.profile.holds("translations"):
        raise RefusedError(
            f"{work.profile.id} holds no labels in further languages; --languages menus makes a "
            "menu for each",
            file=work.source.file,
        )
    for other in others:
        _labels_of_menu(work, other)
    for fate in work.fates:
        _labels_of_branches(work, split.get(fate.index, []))
        for pair in below_others.get(fate.index, ()):
            if _has_room(work, [(pair.row, pair.above)]):
                work.nested[pair.row] = pair.language
                _tell(work, [(pair.row, pair.above)], pair.language)


def _has_room(work: Work, pairs: list[tuple[int, int]]) -> bool:
    """Whether all of some items can have labels in further languages; headings may have none."""
    return "translations" not in work.lacking or not any(
        getattr(work.rows.things[other], "role", "") == "heading" for _, other in pairs
    )


def _refuse_menus(work: Work) -> None:
    profile = work.profile
    one = profile.menus.at == "." or profile.items.pages is not None or bool(profile.gathered)
    if one or (profile.menus.placed and not profile.locations.open):
        raise RefusedError(
            f"a file of {profile.id} has no menus but those of its locations, and so none for a "
            "further language",
            file=work.source.file,
        )


def _labels_of_menu(work: Work, other: Parallel) -> None:
    """Give the labels of a menu to the one that it is in another language, and leave it out."""
    fates = {fate.index: fate for fate in work.fates}
    mine, of = fates.get(other.menu), fates.get(other.of)
    whole = other.whole and _has_room(work, other.pairs)
    if not whole or mine is None or of is None or other.language == work.language:
        return  # labels of the destination's own language have no second one beside them
    _tell(work, other.pairs, other.language)
    work.fates.remove(mine)
    own = (mine.index,)
    work.loss(
        "label.to-labels",
        "moved",
        [
            Cover(0, "menu", own, EVERY),
            Cover(0, "place", own, EVERY),
            Cover(0, "item", work.rows.of_menu(mine.index), EVERY),
        ],
        menu=mine.menu.id,
        before=other.language,
        after=of.name,
    )


def _labels_of_branches(work: Work, branches: list[Branch]) -> None:
    """Give the labels of branches to the first one, which becomes the menu."""
    if not branches or not all(b.whole and _has_room(work, b.pairs) for b in branches):
        return
    if any(branch.language in (branches[0].language, work.language) for branch in branches[1:]):
        return
    first = branches[0]
    work.tongues[first.row] = first.language
    for branch in branches[1:]:
        work.tongues[branch.row] = ""
        _tell(work, branch.pairs, branch.language)


def _tell(work: Work, pairs: list[tuple[int, int]], language: str) -> None:
    for row, other in pairs:
        thing, there = work.rows.things[row], work.rows.things[other]
        assert isinstance(thing, Item) and isinstance(there, Item)
        labels = work.more_labels.setdefault(other, list(there.translations))
        if language not in dict(labels):
            work.went.append(Went(row, "label", 0, other, f"label@{language}"))
            labels.append((language, thing.label))


def copies(work: Work, fate: Fate) -> None:
    """Make a menu for each further language of a fate's menu, with the labels that it has in it."""
    # A menu is copied for a language only if it says something in it; the first language stays.
    made, rows = fate.made, work.rows.things
    if work.options.languages != "menus" or made is None:
        return
    found: dict[str, list[int]] = {}
    blank: dict[str, list[int]] = {}
    count = 0
    stack = list(reversed(made.items))
    while stack:
        item = stack.pop()
        count += 1
        source = rows[item.number] if item.number >= 0 else None
        for language, text in source.translations if isinstance(source, Item) else ():
            if language != work.language:
                group = blank if _is_of_its_page(work, item, text) else found
                group.setdefault(language, []).append(item.number)
        stack.extend(inner for inner, _ in below(item) if isinstance(inner, Item))
    for language, unsaid in sorted(blank.items()):
        covers = [Cover(0, "item", tuple(unsaid), f"label@{language}")]
        names = tuple(work.label(row) for row in unsaid)
        menu = fate.menu.id
        work.loss("label.language", "dropped", covers, menu=menu, before=language, labels=names)
    only_some = audience_of(fate.menu, work.placements) != EVERYONE
    for language, labelled in sorted(found.items()):
        covers = [Cover(0, "item", tuple(labelled), f"label@{language}")]
        full = secondary.room(work) == 0 or (work.room is not None and count > work.room)
        names = tuple(said(rows[row], language) for row in labelled)
        menu = fate.menu.id
        if full or (only_some and work.profile.locations.open):
            work.loss("label.language", "dropped", covers, menu=menu, before=language, labels=names)
            continue
        copy = secondary.begin(
            work, fate, f"{fate.name} ({language})", f"{fate.key} {language}", None, language
        )
        left, flat = _copy(work, made, copy, language, panels=_shows_panels(work, fate, copy))
        if flat:
            work.ledger.notices.append(
                notice(
                    "panel.copied-flat",
                    menu=menu,
                    menu_name=fate.name,
                    before=language,
                    after=copy.key,
                    labels=tuple(flat),
                    origin=work.source.file,
                )
            )
        if left:
            work.ledger.notices.append(
                notice(
                    "label.untranslated",
                    menu=menu,
                    menu_name=fate.name,
                    before=language,
                    after=copy.key,
                    labels=tuple(left),
                    origin=work.source.file,
                )
            )
        if work.room is not None:
            work.room -= count
        work.loss(
            "label.to-menu",
            "moved",
            covers,
            menu=menu,
            before=language,
            after=copy.key,
            labels=names,
        )


def _shows_panels(work: Work, fate: Fate, copy: Fate) -> bool:
    """Whether what opens in a menu can open in its copy, where that is, or once it is placed."""
    encoding = work.encoding
    if encoding is None or encoding.recorded or encoding.splits or encoding.of_pages:
        return False
    return any(place.panels for place in copy.locations or fate.locations)


def _copy(
    work: Work, menu: Menu, copy: Fate, language: str, *, panels: bool
) -> tuple[list[str], list[str]]:
    """Fill a menu with the items of another one, their labels in a language.

    Returns the labels of those that have none in it, and of those whose panels (kept where
    `panels` says so) are plain lists in the copy.
    """
    assert copy.made is not None
    left: list[str] = []
    flat: list[str] = []
    longest = copy.limits.label
    seen: set[str] = set()

    def said_in(item: Item, *, listed: bool) -> Item:
        """An item in the language, without what is below it."""
        source = work.rows.things[item.number] if item.number >= 0 else None
        words = dict(source.translations) if isinstance(source, Item) else {}
        label = words.get(language)
        if label is not None and _is_of_its_page(work, item, label):
            label = None
        text = work.clean_label(label) if label is not None else item.label
        text = cut(text, longest) if longest is not None else text
        text = unlike(text, seen, longest) if copy.limits.unique_labels else text
        number = work.next_made()
        if label is not None:
            work.goes(item.number, f"label@{language}", number, "label")
        elif item.role != "divider" and item.label:
            left.append(item.label)
        return replace(
            item,
            id=f"{item.id}.{language}",
            label=text,
            inherited=item.inherited and not text,  # a label of no text is that of its page
            children=[],
            panel=None,
            translations=(),
            extras=(),
            role="link" if item.role == "heading" and listed else item.role,
            number=number,
        )

    stack: list[tuple[Item, list[Item], bool]] = []

    def put(items: Iterable[Item], into: list[Item], *, listed: bool) -> None:
        stack.extend((item, into, listed) for item in reversed([*items]))

    put(menu.items, copy.made.items, listed=True)
    while stack:
        item, into, listed = stack.pop()
        made = said_in(item, listed=listed)
        into.append(made)
        if item.panel is None:
            put(item.children, made.children, listed=listed)
        elif not panels:
            flat.append(item.label)
            inner = [thing for thing, _ in below(item) if isinstance(thing, Item)]
            put(inner, made.children, listed=True)
        else:
            made.panel = replace(
                item.panel,
                before=item.panel.before and _block_again(work, item.panel.before),
                after=item.panel.after and _block_again(work, item.panel.after),
                columns=[],
            )
            for column in item.panel.columns:
                blocks: list[Block] = []
                for block in column.blocks:
                    if isinstance(block, Links):
                        head = block.heading
                        links = Links(said_in(head, listed=False) if head else None, [])
                        put(block.items, links.items, listed=False)
                        blocks.append(links)
                    else:
                        blocks.append(_block_again(work, block))
                made.panel.columns.append(replace(column, blocks=blocks, id="", origin=""))
    return left, flat


def _block_again(work: Work, block: Piece) -> Piece:
    return Piece(block.holds, number=work.next_made())


def _is_of_its_page(work: Work, item: Item, text: str) -> bool:
    """Whether an item with a label of no text would be called like its page."""
    return not text and work.profile.inherits and work.kinds.titles(item.target)
