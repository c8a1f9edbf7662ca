"""A whole export from a site alone: the file that the site could have been read from."""

from __future__ import annotations

from typing import Any

from ..containers import Shape
from ..model import Content, Menu, Site
from ..modes import Mode
from .files import dump_tree, load_tree, shape_of
from .records import Pairs, RecordRule, marks_of
from .schema import ContentRule, Profile
from .sections import Sections
from .write import tree_of
from .writing.file import Plan


def restored(site: Site, profile: Profile, file: str) -> Any:
    """The tree of a file that holds all that a site says, None where its platform cannot say it.

    What comes back has to be read and compared: a site does not
    hold what is between the lines of every format.
    """
    made_of_pages = profile.items.pages is not None or profile.items.tie.of_paths
    if made_of_pages or any(rule.inside for rule in profile.content):
        return None
    plan = Plan(
        mode=Mode.RESTORED,
        made=[(at, menu, None) for at, menu in enumerate(site.menus)],
        placements={place.name: place.menus for place in site.locations},
        theme=site.theme,
        address=next(iter(site.addresses), ""),
        language=next(iter(site.languages), ""),
        own=site,
        restores=site.locations,
        parts={menu.key: [f"{menu.key}-{n + 2}" for n in _parts(menu)] for menu in site.menus},
    )
    tree = tree_of(None, profile, plan).tree
    shape = shape_of(profile)
    root = shape.root(tree)
    _write_contents(site, profile, shape, root)
    rule = profile.panels_of(site.theme)
    apart = rule.records_at or None if rule is not None else None
    for extra in site.extras:
        if extra.path == apart:
            continue  # they stand with those that were read
        *heads, last = extra.path.split("/")
        shape.add(shape.ensure(root, tuple(heads)), last, extra.value)
    return load_tree(dump_tree(tree, profile), file, profile)


def _parts(menu: Menu) -> range:
    """As many numbers as there can be parts of a menu that its panels split."""
    return range(sum(item.panel is not None for item in menu.items) if menu.stored else 0)


def _write_contents(site: Site, profile: Profile, shape: Shape, root: Any) -> None:
    sections = Sections(profile).content
    for rule, section in zip(profile.content, sections, strict=True):
        if section.find is not None:
            continue
        record = RecordRule(
            shape.of(rule.at),
            rule.fields,
            fold=rule.fold,
            embedded=rule.embedded,
            serialised=rule.serialised,
            composed=rule.composed,
            marks=marks_of(rule.only),
        )
        mine = [content for content in site.contents if _is_of(content, rule, profile)]
        made = [record.write(_pairs(record, content), content.extras) for content in mine]
        section.write(shape, root, made)


def _is_of(content: Content, rule: ContentRule, profile: Profile) -> bool:
    if content.origin:
        return content.origin.startswith(rule.at + "/")
    first = next((r for r in profile.content if r.kind in (None, content.kind)), None)
    return rule is first


def _pairs(record: RecordRule, content: Content) -> Pairs:
    found: Pairs = []
    for slot in record.slots.values():
        value = getattr(content, slot.name)
        if value not in (None, "") and value != slot.standard:
            found.append((slot.key, slot.encode(value)))
    return found
