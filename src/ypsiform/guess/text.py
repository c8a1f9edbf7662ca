"""The profile as text: every guess with its evidence, and a mark where it is uncertain."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Collection
from textwrap import wrap
from typing import Any

from msgspec.structs import asdict

from ..column_words import ColumnWords
from ..containers import FORMATS, children_of
from ..containers.front import BODY
from ..profiles.each import is_pattern
from ..profiles.faults import PLACED
from ..profiles.gathered import MENUS
from ..profiles.headed import MENU
from ..profiles.mixed import KIND
from ..profiles.trees import ABOVE, ADDRESS, UPPER
from ..states import states_of
from .columns import columns, label_of
from .fields import few_words, texts_of
from .flags import hidden_in
from .headings import names_menus
from .links import Inventory, Links, inventories, links
from .looks import has_entities, is_address
from .nested import crowded
from .opened import Opened, Slugs
from .readings import Items
from .tables import Table, Words, said
from .weigh import TERMS
from .words import NEW, YES, says

MARK = "UNCERTAIN"
SURE = 0.7


class Text:
    """Lines of a profile."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self.uncertain = 0

    def say(self, line: str = "") -> None:
        """Add a line."""
        self.lines.append(line)

    def guess(self, line: str, why: str, score: float = 1.0) -> None:
        """Add a line with the evidence for it."""
        if score < SURE:
            self.uncertain += 1
            why = f"{MARK}: {why}"
        self.lines += [f"# {why}", line]

    def whole(self) -> str:
        """All of it."""
        kept: list[str] = []
        for line in self.lines:
            if line or (kept and kept[-1]):
                kept += wrap(line, 100, subsequent_indent="#   ") if line[:2] == "# " else [line]
        return "\n".join(kept) + "\n"


def value(held: Any) -> str:
    """A value as TOML."""
    if isinstance(held, bool):
        return "true" if held else "false"
    if isinstance(held, dict):
        pairs = ", ".join(f"{key(k)} = {value(v)}" for k, v in held.items())
        return "{ " + pairs + " }" if pairs else "{}"
    if isinstance(held, (list, tuple)):
        return "[" + ", ".join(value(inner) for inner in held) + "]"
    if isinstance(held, int):
        return str(held)
    return json.dumps(str(held), ensure_ascii=False).replace("\x7f", "\\u007f")


def as_text(table: Table, field: str) -> Any:
    """A field that is read as a text, though whole numbers may stand in it."""
    if any(type(held) is int for held in table.column(field)):
        return {"at": field, "through": [{"number": True}]}
    return field


def key(name: str) -> str:
    """A key as TOML."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else value(name)


def hinted(found: list[ColumnWords]) -> str:
    """The part of a profile that makes columns out of class words, as comments; empty: no words.

    Of several menus the word that stands on most items is told.
    """
    sound = [one for one in found if (one.word + one.opens + one.heading).isprintable()]
    if not sound:
        return ""
    best = max(sound, key=lambda one: one.items)
    why = f"HINT: the class word {best.word!r} stands on {best.items} items of the second level, "
    why += f"below {', '.join(map(repr, best.tops[:3]))}. If the theme makes columns of them:"
    lines = wrap(f"# {why}", 100, subsequent_indent="#   ")
    lines += ["# [panels]", '# encoding = "marked"']
    if best.opens:
        lines.append(f"# panel = {value({'word': best.opens})}")
    lines.append(f"# column = {value({'word': best.word})}")
    if best.heading:
        lines.append(f"# heading = {value({'word': best.heading})}")
        lines.append('# labels = "hidden"')
    return "\n".join(["", *lines]) + "\n"


def written(items: Items, found: list[Table], opened: Opened, name: str, file: str) -> Text:
    """The profile of a reading."""
    text = Text()
    kind, root = opened.kind, opened.root
    leads = links(items, found)
    contents = inventories(leads)
    text.say(f"# A first profile, guessed from {file}. Look first at what is marked {MARK}.")
    terms = ", ".join(
        f"{name} {TERMS[name] * held:.2f}" for name, held in items.terms.items() if held
    )
    text.say(f"# Score {items.weight:.2f}: {terms}.")
    text.say("profile = 1")
    text.say(f"id = {value(name)}")
    text.say(f"name = {value(name.replace('-', ' ').capitalize())}")
    text.say(f"container = {value(kind)}")
    slugs = _slugs(items, contents, opened)
    if items.table.find or (items.menus is not None and items.menus.find):
        text.say('read-only = "the records stand in lists that are found by a search"')
    elif items.table.key and items.address is not None and items.address.field == items.table.key:
        text.say('read-only = "records are known by their addresses"')
    elif items.address is not None and items.address.field == ADDRESS:
        text.say('read-only = "addresses are made of slugs, and no slugs of addresses"')
    elif "*" in items.table.only.values():
        text.say('read-only = "what only items say is not known of new ones"')
    elif items.tie.keys.get("under") == UPPER:
        text.say('read-only = "what stands below what is told by addresses"')
    elif opened.pairs and kind == "toml":
        text.say('read-only = "tables stand behind all addresses beside them"')
    elif kind == "sql":
        text.say('read-only = "dumps of SQL are read, and never written"')
    elif items.table.key and items.label.field == items.tie.keys.get("id"):
        text.say('read-only = "names in a mapping are ids and labels at once"')
    elif opened.files and items.tie.keys.get("under") == ABOVE:
        text.say('read-only = "what stands below what is told by folders"')
    elif _scattered(items, opened):
        text.say('read-only = "nothing says the order of records that have a file each"')
    if opened.bodies:
        text.say(f"ignore = {value({BODY: 'texts of pages'})}")
    if opened.files:
        rules = {k: {"name": v.name, "container": v.container} for k, v in opened.files.items()}
        text.guess(f"files = {value(_used(rules, items, contents))}", "where records are read from")
    used = [items.at, items.menus.at if items.menus else "", *(c.table.at for c in contents)]
    grids = [grid for grid in opened.grids if grid.at in used]
    if grids:
        said_ = [{k: v for k, v in asdict(grid).items() if v} for grid in grids]
        text.guess(f"grids = {value(said_)}", "rows that are lists of values")
    if slugs:
        rules_ = [{k: v for k, v in asdict(one.rule).items() if v} for one in slugs]
        why = "; ".join(one.why for one in slugs)
        text.guess(f"slugs = {value(rules_)}", why, min(one.score for one in slugs))
    if items.tie.keys.get("under") == UPPER:
        text.guess(f"above = {value({items.at: items.tie.keys['id']})}", items.tie.why, 0.5)
    if KIND in items.table.fields:
        mixed = [{"names": rule.names} for rule in opened.mixed]
        text.guess(f"mixed = {value(mixed)}", "records of several names stand side by side")
    if items.menu is not None and items.menu.field == MENU:
        key_ = opened.headed[items.at]
        why = f"rows that say nothing but {key_!r} head those behind them"
        sure = 0.9 if names_menus(set(items.table.texts(MENU))) else 0.6
        text.guess(f"headed = {value({items.at: key_})}", why, sure)
    if opened.pairs and "value" in items.tie.keys:
        text.guess(f"pairs = {value(list(opened.pairs))}", "names are labels, of what they lead to")
    if opened.gathered:
        text.guess(f"gathered = {value(dict(opened.gathered))}", "lists that are a menu each")
    if items.groups:
        why = f"{items.groups['at']!r} of the records holds lists of links: panels with columns"
        text.guess(f"panels = {value(dict(items.groups))}", why, 0.8)
    _recognise(text, items, contents, opened)
    _site(text, root, kind)
    for inventory in contents:
        _content(text, inventory)
    _menus(text, items)
    _locations(text, items, root, kind)
    _items(text, items, leads, opened)
    return text


def _slugs(items: Items, contents: list[Inventory], opened: Opened) -> list[Slugs]:
    """The rules by which the addresses are made that a reading names."""
    at = [c.table.at for c in contents if c.path is not None and c.path.field == ADDRESS]
    if items.address is not None and items.address.field == ADDRESS:
        at += [items.menus.at if items.menus is not None else items.at]
    return [one for one in opened.slugs if one.rule.at in at]


def _scattered(items: Items, opened: Opened) -> bool:
    """Whether items have a file each, and do not say which comes first."""
    keys = items.tie.keys
    rule = opened.files.get(keys.get("first", items.at))
    placed = "order" in keys or "follows" in keys or keys["structure"] in PLACED
    return rule is not None and is_pattern(rule.name) and not placed


def _used(files: dict[str, Any], items: Items, contents: list[Inventory]) -> dict[str, Any]:
    """Of the files of a folder those that records are read from."""
    at = [items.at, str(items.tie.keys.get("first", "")), *(c.table.at for c in contents)]
    at.append(items.menus.at if items.menus is not None else "")
    tables = [items.table, *(c.table for c in contents)]
    at += [str(rule["at"]) for table in tables for rule in table.joins]
    heads = {path.split("/")[0] for path in at}
    return {name: rule for name, rule in files.items() if name in heads}


def _recognise(text: Text, items: Items, contents: list[Inventory], opened: Opened) -> None:
    kind, tree = opened.kind, opened.tree
    rule: dict[str, Any]
    if kind == "files":
        rule, why = {}, "a folder is known by the names of its files"
    elif kind == "xml":
        rule = {"root": tree["#children"][0][0]}
        why = "the root element"
    elif kind == "csv":
        used = [items.label.field, *items.tie.taken]
        used += [items.address.field] if items.address else []
        used += [items.menu.field] if items.menu else []
        rule = {"columns": [column for column in tree["columns"] if column in used]}
        why = "the columns that items are read from"
    else:
        paths = [items.at, items.menus.at if items.menus else "", *(c.table.at for c in contents)]
        paths += opened.gathered.values()
        heads = dict.fromkeys(path.split("/")[0] for path in paths if path and path != MENUS)
        rule = {"keys": list(heads)}
        why = "the keys at the top under which records stand"
    text.guess(f"recognise = {value(rule)}", why)


def _site(text: Text, root: Any, kind: str) -> None:
    """The address of the site and its language, if the document says them at the top."""
    facts: dict[str, Any] = {}
    pairs = [(k, v) for k, v in root.items() if k[:1] == "@" or kind != "xml"]
    pairs += [(f"{k}/{i}", v) for k, d in pairs if isinstance(d, dict) for i, v in d.items()]
    inside = children_of(root)
    once = Counter(name for name, _ in inside)
    for name, node in inside:
        if once[name] == 1 and name != "#text":
            pairs += [(f"{name}/{k}", v) for k, v in node.items() if k[:1] == "@" or k == "#text"]
    for field, held in pairs:
        if not isinstance(held, str) or field.startswith("@xmlns"):
            continue
        if re.fullmatch(r"https?://[^/\s]+/?", held.strip()) and "address" not in facts:
            facts["address"] = field
        language = re.search(r"lang|sprach|idioma|langue|sprak", field, re.IGNORECASE)
        if language and re.fullmatch(r"[a-z]{2}(-[A-Za-z]+)?", held) and "language" not in facts:
            facts["language"] = field
    text.say(f"site = {value({'fields': facts} if facts else {})}")


def _content(text: Text, inventory: Inventory) -> None:
    table = inventory.table
    text.say()
    text.say("[[content]]")
    text.guess(_where(table), f"{len(table.nodes)} records that items refer to")
    _only(text, table)
    fields: dict[str, Any] = {}
    if table.names is not None:
        text.say('keyed = "id"')
        fields["id"] = "id"
    else:
        fields["id"] = as_text(table, inventory.ident)
    if inventory.title:
        coded = has_entities(table.texts(inventory.title))
        through = {"at": inventory.title, "through": [{"entities": True}]}
        fields["title"] = through if coded else inventory.title
    path = inventory.path
    if path is not None:
        if path.field == inventory.ident:
            del fields["id"]  # they are known by their addresses
        fields["path"] = path.field
    fields |= _state(table, _fields_in(fields))
    score = 1.0 if inventory.sure else 0.5
    text.guess(
        f"kind = {value(inventory.kind)}",
        "by the name of the list, or by the word that items have for it",
        score,
    )
    if path is not None and path.score < SURE:
        text.guess(f"fields = {value(fields)}", f"{path.field!r}: {path.why}", path.score)
    else:
        text.say(f"fields = {value(fields)}")
    if path is None:
        text.guess(
            '# path = "/{key}"', "no field holds their addresses; say how they are made", 0.5
        )


def _state(table: Table, but: Collection[str]) -> dict[str, Any]:
    """The field of an inventory that says which contents are live, with the words for it."""
    for field in table.fields:
        held = table.column(field)
        words = states_of(dict.fromkeys(held)) if field not in but else None
        # Each word has a state of its own, so that it can be written as well.
        if words is not None and len({*words.values()}) == len(words):
            return {"state": {"at": field, "standard": "live", "through": [{"words": words}]}}
    return {}


def _word_of(menus: Table, items: Items) -> str | None:
    """The field of the word that a menu is known by, where items name it by a number."""
    known = columns(menus)
    by = known.get(items.menu_key)
    if by is None or by.whole is None or items.menu is None:
        return None
    words = [
        field
        for field, column in known.items()
        if column.unique
        and not column.listed
        and all(map(_KEY.fullmatch, column.texts))
        and field not in menus.only
    ]
    return max(words, key=lambda field: says(field, "id"), default=None)


_KEY = re.compile(r"[a-z][a-z0-9_.-]*")


def _fields_in(fields: dict[str, Any]) -> set[str]:
    """The fields of a record that rules name."""
    return {rule if isinstance(rule, str) else rule["at"] for rule in fields.values()}


def _where(table: Table) -> str:
    """Where records stand: at a path, or wherever a JSONPath finds them."""
    return f"find = {value(table.find)}" if table.find else f"at = {value(table.at)}"


def _composed(text: Text, table: Table) -> None:
    """References that all begin with the same word."""
    if table.composed:
        text.guess(f"composed = {value(table.composed)}", "references that begin with a word")


def _only(text: Text, table: Table) -> None:
    """What tells records from others in the same list, and which of their texts are JSON."""
    if table.embedded:
        text.guess(f"embedded = {value(table.embedded)}", "their texts are JSON")
    _composed(text, table)
    if table.only:
        text.guess(f"only = {value(table.only)}", "records of other kinds stand in the same list")


def _menus(text: Text, items: Items) -> None:
    text.say()
    text.say("[menus]")
    menus = items.menus
    if menus is None and items.menu is None:
        why = "no field tells menus apart: the document is one menu"
        if crowded(items):
            why += ", though some records stand in the same place"
        text.guess('at = "."', why, 0.4 if crowded(items) else 0.75)
        text.say('one = "main"')
        return
    if menus is None:
        assert items.menu is not None
        text.lines[-1] = ""
        text.guess("menus = {}", f"menus are those that items name in {items.menu.field!r}")
        # A table of no keys must stand before the first heading.
        block = text.lines[-2:]
        del text.lines[-3:]
        start = next(n for n, line in enumerate(text.lines) if line.startswith("site = "))
        text.lines[start + 1 : start + 1] = block
        return
    held = ", with items in each" if menus.inner else ""
    text.guess(_where(menus), f"{len(menus.nodes)} menus{held}")
    _only(text, menus)
    fields: dict[str, Any] = {}
    if items.menu_key == "#name":
        text.say('keyed = "key"')
        fields["key"] = "key"
        if "#list" in (*menus.inner, *menus.fields):
            text.say('value = "entries"')
    else:
        fields["key"] = as_text(menus, items.menu_key)
        word = _word_of(menus, items)
        if word is not None:
            fields = {"key": word, "id": as_text(menus, items.menu_key)}
    titles = [f for f in menus.fields if says(f, "title") >= 0.9 and f not in _fields_in(fields)]
    titles = [f for f in titles if all(isinstance(v, str) for v in menus.column(f) if v)]
    if not titles:
        words = label_of(columns(menus), [*_fields_in(fields)])
        titles = [words.field] if words is not None and words.score >= SURE else []
    if titles:
        fields["title"] = titles[0]
    told = {*_fields_in(fields), *titles[:1]}
    places = [f for f in menus.fields if says(f, "menu") >= 0.5 and f not in told]
    places = [f for f in places if re.search(r"loc|place|region|pos|zone|ort", f, re.IGNORECASE)]
    if places:
        listed = any(isinstance(held, tuple) for held in menus.column(places[0]))
        through = {"at": places[0], "through": [{"list": True}]}
        fields["place"] = through if listed else places[0]
    text.say(f"fields = {value(fields)}")


def _locations(text: Text, items: Items, root: Any, kind: str) -> None:
    # Only a mapping whose values are all keys of menus is one of locations; else each menu is one.
    keys = {said(v) for v in items.menus.column(items.menu_key)} if items.menus else set()
    if items.menus is not None and items.menu_key == "#name":
        keys = set(items.menus.names or ())
    text.say()
    for path, held in _mappings(root, "", 0) if kind != "xml" else ():
        names = {k: v for k, v in held.items() if isinstance(v, str) or v is None}
        if names and len(names) == len(held) and keys & {v for v in names.values() if v}:
            if not {v for v in names.values() if v} <= keys:
                continue
            places = [{"name": n} for n in names]
            rule = {"at": path, "form": "keys", "offered": places}
            text.guess(f"locations = {value(rule)}", "its values are keys of menus")
            _up(text)
            return
    if any(line.startswith("fields = ") and "place =" in line for line in text.lines[-4:]):
        text.guess('locations = { form = "menus" }', "each menu says where it is placed", 0.6)
    else:
        rule = {"form": "names", "open": True}
        text.guess(f"locations = {value(rule)}", "nothing says where menus are placed")
    _up(text)


def _up(text: Text) -> None:
    """Move the last two lines before the first heading: they are keys of the document."""
    block = text.lines[-2:]
    del text.lines[-3:]
    at = next(n for n, line in enumerate(text.lines) if line.startswith("site = "))
    text.lines[at + 1 : at + 1] = block


def _mappings(node: Any, before: str, depth: int) -> Any:
    if not isinstance(node, dict) or depth > 3:
        return
    for name, held in node.items():
        if isinstance(held, dict) and "/" not in name:
            yield before + name, held
            yield from _mappings(held, f"{before}{name}/", depth + 1)


def _items(text: Text, items: Items, leads: Links, opened: Opened) -> None:
    tie, table = dict(items.tie.keys), items.table
    text.say()
    text.say("[items]")
    if not in_menus(items):
        text.guess(_where(table), f"{len(table.nodes)} records")
        if table.key:
            text.guess(f"keyed = {value(table.key)}", "they stand in a mapping, each by its name")
        _only(text, table)
    menus = items.menus
    named = menus is not None and items.menu_key == "#name"
    if named and menus is not None and "#list" in (*menus.inner, *menus.fields):
        tie = {k: "entries" if v == "#list" else v for k, v in tie.items()}
    known_by = {table.key} - {items.label.field, items.address.field if items.address else ""}
    if known_by - {"", *map(str, tie.values())} and not in_menus(items):
        tie["id"] = table.key  # so that a record that is written has a name
    if items.menu is not None:
        tie["menu"] = items.menu.field
        text.guess(
            "# menu", f"{items.menu.field!r} names the menu: {items.menu.why}", items.menu.score
        )
        text.lines.pop()
    if table.fold is not None:
        text.guess(f"fold = {value(table.fold)}", "children that hold a key and a value")
    if in_menus(items):
        _composed(text, table)
    if table.joins and not in_menus(items):
        text.guess(f"joins = {value(table.joins)}", "labels stand in a list of their own")
    text.guess(f"tie = {value(tie)}", items.tie.why, items.tie.score)
    ids = [tie.get(name) for name in _COUNTED]
    ids += [kind.id for kind in leads.kinds]
    whole = [field for field in dict.fromkeys(ids) if field and _whole(table.column(field))]
    if whole and opened.kind != "csv" and not FORMATS[opened.kind].elements:
        text.say(f"numbers = {value(whole)}")
    marked = [kind.marked for kind in leads.kinds if kind.marked is not None]
    booleans = [field for field in marked if True in table.column(field)]
    if booleans:
        text.say(f"booleans = {value(booleans)}")
    text.say()
    text.say("[items.fields]")
    if items.inherits:
        own = {"at": items.label.field or "label", "inherits": True}
        text.guess(f"label = {value(own)}", items.label.why, items.label.score)
    elif items.label.field:
        rule: Any = items.label.field
        words = [held for held in table.column(rule) if isinstance(held, Words)]
        named = (table.fold or {}).get("named") == rule
        if words and named:
            # Each language has a field of its own; the first one that all have is the site's.
            langs = Counter(lang for held in words for lang in held)
            rule = f"{rule}@{langs.most_common(1)[0][0]}"
        elif words:
            rule = {"at": rule, "languages": True}
        if isinstance(rule, str) and has_entities(table.texts(rule)):
            rule = {"at": rule, "through": [{"entities": True}]}
        text.guess(f"label = {value(rule)}", items.label.why, items.label.score)
        if words and named:
            text.say(f"translations = {value(items.label.field + '@*')}")
        spoken = [one for one in table.joins if "language" in one]
        if spoken and items.label.field.startswith(f"{spoken[0]['name']}/"):
            text.say(f"translations = {value(items.label.field + '@*')}")
    used = {items.label.field, *items.tie.taken, *(k.id or k.address or "" for k in leads.kinds)}
    used |= {items.menu.field} if items.menu else set()
    used |= {leads.decides.field} if leads.decides else set()
    used |= set(marked)
    flag = hidden_in(columns(table), used, items.parents)
    if flag is not None:
        text.guess(f"hidden = {value(flag.rule)}", flag.why, flag.score)
        used.add(flag.field)
    for fact, field, rule in _traits(table, used):
        text.guess(f"{fact} = {value(rule)}", f"{field!r} is called so")
    _kinds(text, leads, items)
    if "value" in tie and tie["structure"] == "nested":
        text.say()
        text.say("[limits]")
        text.guess('parents = ["none"]', "where others stand below an item, no address has room")
        if opened.pairs:
            text.guess("unique-beside = true", "a mapping holds each label once")


_COUNTED = ("id", "under", "follows", "order", "number", "left", "right", "level", "count", "menu")
"""The keys of a tie that may hold whole numbers."""


def _whole(held: list[Any]) -> bool:
    """Whether a column holds whole numbers, and no texts of them."""
    said_ = [v for v in held if v is not None]
    return bool(said_) and all(type(v) is int for v in said_)


def in_menus(items: Items) -> bool:
    """Whether items stand in their menus, or in the one that there is."""
    keys = items.tie.keys
    return keys["structure"] != "listed" and "inside" in keys


def _traits(table: Table, used: set[str]) -> list[tuple[str, str, Any]]:
    """Further facts, by the names of their fields and by whether their values can be those."""
    made: list[tuple[str, str, Any]] = []
    told: set[str] = set()
    for fact in ("tooltip", "description", "window", "classes", "icon", "rel"):
        for field in table.fields:
            if field in used | told:
                continue
            held = [v for v in table.column(field) if v not in (None, "", ())]
            by_value = (
                fact == "window" and "_blank" in held and {"_blank", "_self"}.issuperset(held)
            )
            if says(field, fact) < 0.9 and not by_value:
                continue
            rule = _trait(fact, field, held, table)
            if rule is not None:
                made.append((fact, field, rule))
                told.add(field)
                break
    return made


def _trait(fact: str, field: str, held: list[Any], table: Table) -> Any:
    texts = all(isinstance(v, str) for v in held)
    yes: Any = {"window": "new"}.get(fact)
    no: Any = {"window": "same"}.get(fact)
    if yes is not None:
        if all(isinstance(v, bool) for v in held):
            return {"at": field, "standard": no, "through": [{"flag": {"yes": yes, "no": no}}]}
        if held and all(type(v) is int and v in (0, 1) for v in held):
            flag = {"yes": yes, "no": no, "numbers": True}
            return {"at": field, "standard": no, "through": [{"flag": flag}]}
        words = few_words(table, field, 2)
        new = [word for word in words if word.lower() in YES | NEW]
        old = [word for word in words if word not in new]
        if not texts or len(new) != 1 or len(old) > 1:
            return None
        table_ = {new[0]: yes, **({old[0]: no} if old else {})}
        if not old and "" in table.column(field):
            table_[""] = no
        return {"at": field, "standard": no, "through": [{"words": table_}]}
    if fact == "classes":
        if all(isinstance(v, tuple) for v in held):
            return {"at": field, "through": [{"list": True}]}
        return {"at": field, "through": [{"split": " "}]} if texts else None
    return field if texts and not all(map(is_address, held)) else None


def _kinds(text: Text, leads: Links, items: Items) -> None:
    decides = leads.decides
    for kind in leads.kinds:
        text.say()
        text.say("[[items.kinds]]")
        when: dict[str, str] = {}
        score, why = kind.score, kind.why
        if kind.marked is not None:
            when = {kind.marked: kind.word or ""}
        elif kind.word is not None and decides is not None:
            when = {decides.field: kind.word}
            score = min(score, decides.score)
            why = f"{decides.field!r} says {kind.word!r}; {why}"
        elif kind.given is not None:
            when = {kind.given: "*"}
        elif kind.id is not None:
            when = {kind.id: "{id}"}
        if kind.begins is not None and kind.address is not None:
            when[kind.address] = f"{kind.begins}{{address}}"
        text.guess(f"when = {value(when)}", why, score)
        text.say(f"kind = {value(kind.kind)}")
        if kind.label is not None:
            text.say(f"label = {value(kind.label)}")
        if kind.id is not None and kind.word is not None:
            text.say(f"id = {value(kind.id)}")
        if kind.only is not None:
            text.say(f"only = {value(kind.only)}")
        if kind.address is not None and kind.begins is None:
            text.say(f"address = {value(kind.address)}")
            if columns(items.table)[kind.address].bare:
                text.say("bare = true")
            held = [texts_of(v) for v in items.table.column(kind.address)]
            # What says nothing but its label would be a heading.
            marked = "#" in held or MENU in items.table.fields
            text.say(f"none = {value('#' if marked else '')}")
