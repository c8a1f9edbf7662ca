"""Readings of records that stand in each other, and all readings of a file by their weight."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from ..containers import children_of
from ..profiles.gathered import ITEMS, KEY, MENUS
from .columns import addresses_of, columns, label_of
from .groups import groups_in, unused
from .held import held_flat
from .readings import Items, Tie, menu_key
from .tables import DEEPEST, Table, is_element, named_lists, named_rows
from .weigh import LONELY, TERMS, flat_readings, leading, named_by
from .words import says


def candidates(found: list[Table], root: Any) -> list[Items]:
    """All readings of these tables, and of lists in which names are keys, the likeliest first."""
    made: list[Items] = []
    for at, table, parents in named_lists(root):
        reading = _nested(table, parents, _named_tie(at), at, [])
        if reading is not None and len(table.rows) >= LONELY:
            made.append(reading)
    for table in found:
        made += _menus_of_labels(table)
        own = {id(node) for node in table.nodes}
        others = [other for other in found if not own.intersection(map(id, other.nodes[-1:]))]
        made += _menus_of_names(table, others) or _listed_menus(table, others)
        made += _one_menu(table, others)
        made += _named_menu(table, others)
        made += [_with_top(one, root) for one in flat_readings(table, others)]
        made += _grouped(table, others)
    made = [_with_groups(_as_groups(items, found)) for items in made]
    return sorted(made, key=lambda items: -items.weight)


def _named_tie(first: str) -> Tie:
    keys = {"structure": "nested", "first": first, "inside": "below"}
    keys |= {"keyed": "text", "value": "to"}
    return Tie(keys, 1.0, "each record has one key, which is its label", frozenset())


def _menus_of_labels(menus: Table) -> list[Items]:
    """Menus that are lists in which names are labels."""
    if menus.at != MENUS:
        return []
    rows: list[Any] = []
    parents: list[int] = []
    for node in menus.nodes:
        found = named_rows(node.get(ITEMS))
        if found is None:
            return []
        parents += [up if up < 0 else len(rows) + up for up in found[1]]
        rows += found[0]
    reading = _nested(Table("", rows), parents, _named_tie(ITEMS), "", [])
    return [] if reading is None else [_in_menus(reading, _without_items(menus), KEY)]


def _without_items(menus: Table) -> Table:
    """A table of menus of which nothing is asked but what they say themselves."""
    bare = Table(menus.at, menus.nodes)
    bare.fields = [field for field in bare.fields if not field.startswith(f"{ITEMS}/")]
    return bare


def _with_top(items: Items, root: Any) -> Items:
    """A reading of records that list each other, and where the list of the topmost ones stands."""
    keys = items.tie.keys
    if keys["structure"] != "listed" or items.menus is not None or "first" in keys:
        return items
    ids = columns(items.table)[keys["id"]].texts
    top = {ident for ident, parent in zip(ids, items.parents, strict=True) if parent < 0}
    for path, held in _lists_of_ids(root, "", 0):
        if len(held) > 1 and len(set(held)) == len(held) and top.issuperset(held):
            tie = items.tie._replace(keys={**keys, "first": path})
            return items._replace(tie=tie)
    return items


def _lists_of_ids(node: Any, before: str, depth: int) -> Iterator[tuple[str, list[str]]]:
    """The lists of words or numbers that stand in mappings alone, with their paths."""
    for key, value in node.items() if isinstance(node, dict) and depth < DEEPEST else ():
        if "/" in key or key[:1] == "#":
            continue
        if isinstance(value, list) and all(type(one) in (str, int) for one in value):
            yield before + key, list(map(str, value))
        elif isinstance(value, dict):
            yield from _lists_of_ids(value, f"{before}{key}/", depth + 1)


def _with_groups(items: Items) -> Items:
    """A reading with the lists of links that stand in its records, if there are any."""
    keys = items.tie.keys
    if items.groups or keys["structure"] != "nested" or "keyed" in keys:
        return items
    groups = groups_in(items)
    weight = items.weight + TERMS["structure"] * (1.0 - items.terms["structure"])
    terms = {**items.terms, "structure": 1.0}
    return items._replace(groups=groups, weight=weight, terms=terms) if groups else items


def _as_groups(items: Items, found: Sequence[Table]) -> Items:
    """A reading in which what stands in items are columns with links, and no further items."""
    keys = items.tie.keys
    inside, first = keys.get("inside"), keys.get("first", keys.get("inside"))
    if keys["structure"] != "nested" or "keyed" in keys or inside == first or not items.parents:
        return items
    if not items.table.inner.keys() - {inside}:
        return items  # nothing else stands in them
    top = [node for node, up in zip(items.table.nodes, items.parents, strict=True) if up < 0]
    whole = Table(items.table.at, top)
    whole.fields = [field for field in whole.fields if field in _own(whole, str(inside))]
    below = unused(whole)
    tie = items.tie._replace(keys={"structure": "nested", "first": first, "inside": below})
    others = [table for table in found if table.at != items.table.at]
    made = _nested(whole, [-1] * len(top), tie, items.at, others)
    if made is None:
        return items
    groups = groups_in(made)
    if groups.get("at") != inside:
        return items
    # As likely as the reading that it stands for, and it leaves nothing in these lists.
    made = made._replace(menus=items.menus, menu=items.menu, menu_key=items.menu_key)
    return made._replace(groups=groups, weight=items.weight, terms=items.terms)


def _grouped(table: Table, others: Sequence[Table]) -> list[Items]:
    """A list of items in whose records lists of links stand, and no further items."""
    if table.names is not None or not table.at or inside_of(table) is not None:
        return []
    keys = {"structure": "nested", "first": table.at, "inside": unused(table)}
    tie = Tie(keys, 1.0, "lists of links stand in the records of items", frozenset())
    reading = _nested(table, [-1] * len(table.nodes), tie, table.at, others)
    if reading is None:
        return []
    made = _with_groups(reading)
    return [made] if made.groups else []


def nodes_at(node: Any, path: str) -> list[Any]:
    """The records that stand at a path inside a record."""
    found = [node]
    for part in path.split("/"):
        deeper: list[Any] = []
        for inner in found:
            if is_element(inner):
                deeper += [c for name, c in children_of(inner) if name == part]
            elif isinstance(inner, dict) and inner.get(part) is not None:
                deeper.append(inner[part])
        found = deeper
    made: list[Any] = []
    for value in found:
        if isinstance(value, list):
            made += [inner for inner in value if isinstance(inner, dict)]
        elif is_element(value) or not isinstance(value, dict):
            made += [value] if isinstance(value, dict) else []
        elif all(isinstance(inner, dict) for inner in value.values()):
            made += value.values()
    return made


def _wrapped_once(nodes: Iterable[Any], path: str) -> bool:
    """Whether what stands around the records at a path stands once in each of these nodes.

    Records in several wrappers of one name would be written back into one; a value that stands
    where others have a wrapper has no room for records.
    """
    *around, _ = path.split("/")
    for node in nodes:
        inner = node
        for part in around:
            if not is_element(inner):
                inner = inner.get(part) if isinstance(inner, dict) else False
                if inner is None:  # there is none, or it says so
                    break
                if not isinstance(inner, dict):
                    return False
                continue
            found = [child for name, child in children_of(inner) if name == part]
            if len(found) > 1:
                return False
            if not found:
                break
            inner = found[0]
    return True


def _own(table: Table, inside: str) -> set[str]:
    """The fields of records without those of the records inside them."""
    head = inside + "/"
    around = inside.rpartition("/")[0]
    heads = (head, around + "/") if around else (head,)
    own = {f for f in table.fields if not f.startswith(heads) and f != inside}
    # All of a record can stand in what is around the records inside it.
    return own or {f for f in table.fields if not f.startswith(head) and f != inside}


def alike(one: Table, other: Table, inside: str) -> float:
    """How alike two tables are, by the names of their fields."""
    first, second = _own(one, inside), _own(other, inside)
    return len(first & second) / len(first | second) if first | second else 0.0


def gathered(nodes: list[Any], inside: str) -> tuple[Table, list[int]]:
    """Records and all that stand in them under a key, in reading order, with what each is below."""
    found: list[Any] = []
    parents: list[int] = []
    stack = [(node, -1) for node in nodes[::-1]]
    while stack:
        node, above = stack.pop()
        found.append(node)
        parents.append(above)
        at = len(found) - 1
        stack += [(below, at) for below in nodes_at(node, inside)[::-1]]
    table = Table("", found)
    table.fields = [field for field in table.fields if field in _own(table, inside)]
    return table, parents


def inside_of(table: Table) -> tuple[str, float] | None:
    """The key under which records of the same kind stand in each other."""
    best: tuple[str, float] | None = None
    mine = label_of(columns(table))
    for key in table.inner:
        children = [child for node in table.nodes for child in nodes_at(node, key)]
        if not children or not _wrapped_once(table.nodes, key):
            continue
        below = Table("", children)
        theirs = label_of(columns(below))
        if mine is not None and key.startswith(f"{mine.field}/"):
            continue  # what stands in a label is not written beside it
        close = alike(table, below, key)
        if theirs is None and not _says_less(below, table, key):
            continue  # those that say nothing else may all be called as what they lead to
        close += 0.1 * says(key, "children")
        close += 0.3 if mine and theirs and mine.field == theirs.field else 0.0
        if close >= 0.6 and (best is None or close > best[1]):
            best = (key, close)
    return best


def _says_less(below: Table, above: Table, inside: str) -> bool:
    """Whether records say nothing that those above them do not say as well."""
    theirs = _own(below, inside)
    return len(theirs) > 1 and theirs <= _own(above, inside)


def _nested(
    whole: Table, parents: list[int], tie: Tie, at: str, others: Sequence[Table]
) -> Items | None:
    """A reading of records that stand in each other, weighed as flat ones are."""
    known = columns(whole)
    named = named_by(known, label_of(known, [*tie.taken]), others)
    if named is None:
        return None
    words, inherits = named
    where, agree, pairs = leading(known, [words.field, *tie.taken], parents, others)
    terms = dict.fromkeys(TERMS, 0.0)
    terms["labels"] = min(words.score, 1.0)
    terms["addresses"] = where.score if where is not None else 0.0
    terms["structure"] = min(tie.score, 1.0)
    terms["agreement"] = agree * min(1.0, pairs / 5)
    terms["size"] = min(1.0, len(whole.rows) / 40)
    terms["names"] = says(str(tie.keys.get("inside", "")), "children") / 2
    weight = sum(TERMS[name] * value for name, value in terms.items())
    made = Items(whole, at, tie, words, where, weight=weight, terms=terms, parents=tuple(parents))
    return made._replace(inherits=inherits)


def _tie(inside: str, close: float, first: str, table: Table) -> Tie:
    keys: dict[str, Any] = {"structure": "nested", "inside": inside}
    if first != inside:
        keys["first"] = first
    why = f"records stand in each other under {inside!r}"
    ids = [f for f, c in columns(table).items() if c.unique and says(f, "id") >= 0.9]
    return Tie(keys, min(1.0, 0.5 + 0.5 * close), why, frozenset(ids))


def _listed_menus(menus: Table, others: Sequence[Table]) -> list[Items]:
    """Menus with their items inside them."""
    made: list[Items] = []
    if not menus.inner:
        return made
    key = menu_key(menus)
    if not key or ("#list" in menus.inner and not _of_one_kind(menus)):
        return made
    for first in menus.inner:
        nodes = [child for node in menus.nodes for child in nodes_at(node, first)]
        if not nodes or not _wrapped_once(menus.nodes, first) or not _alike_in(menus, first):
            continue
        below = Table("", nodes)
        deeper = inside_of(below)
        own = inside_of(menus)
        leads = addresses_of(columns(menus)), addresses_of(columns(below))
        if own is not None and own[0] == first and (leads[0] or not leads[1]):
            continue  # these are items themselves
        inside, close = deeper or (first, 0.5)
        whole, parents = gathered(nodes, inside)
        if not _wrapped_once(whole.nodes, inside):
            continue
        groups = [nodes_at(node, first) for node in menus.nodes] if deeper is None else []
        flat, doubt = held_flat(groups, first)
        reading = _nested(whole, parents, _tie(inside, close, first, whole), "", others)
        if reading is not None and flat is not None:
            reading = _less_likely(reading)
        if reading is not None and doubt:
            tie = reading.tie._replace(score=0.5, why=f"{reading.tie.why}; but {doubt}")
            reading = reading._replace(tie=tie)
        made += [_in_menus(one, menus, key) for one in (flat, reading) if one is not None]
    return made


def _less_likely(reading: Items) -> Items:
    """A reading of records that hold no others, where something in them may tie them."""
    structure = min(reading.terms["structure"], NO_LEVELS)
    less = TERMS["structure"] * (reading.terms["structure"] - structure)
    terms = {**reading.terms, "structure": structure}
    return reading._replace(weight=reading.weight - less, terms=terms)


NO_LEVELS = 0.1
"""What it weighs that records stand in no others, where something else may tie them."""


def _in_menus(reading: Items, menus: Table, key: str) -> Items:
    """A reading of items that stand in menus, which have a key of their own."""
    terms = {**reading.terms, "menus": 1.0}
    weight = reading.weight + TERMS["menus"]
    return reading._replace(menus=menus, menu=None, menu_key=key, weight=weight, terms=terms)


def _alike_in(menus: Table, first: str) -> bool:
    """Whether what stands in one menu is like what stands in the others, by its keys."""
    fields = [
        {key for record in nodes_at(node, first) for key in record if key != "#children"}
        for node in menus.nodes[:50]
    ]
    some = [one for one in fields if one]
    return all(len(one & some[0]) >= 0.3 * len(one | some[0]) for one in some)


def _of_one_kind(lists: Table) -> bool:
    """Whether the lists of a mapping, two at least, hold records of one kind."""
    fields = [
        {key for record in node["#list"] if isinstance(record, dict) for key in record}
        for node in lists.nodes
    ]
    every = set.union(*fields) if fields else set()
    return len(fields) > 1 and all(2 * len(some) >= len(every) for some in fields if some)


def _one_menu(table: Table, others: Sequence[Table]) -> list[Items]:
    """A list of items that stand in each other, and that is the only menu."""
    found = inside_of(table)
    if found is None or table.names is not None or len(table.nodes) < 1:
        return []
    inside, close = found
    whole, parents = gathered(table.nodes, inside)
    if not _wrapped_once(whole.nodes, inside) or len(whole.nodes) < LONELY:
        return []
    reading = _nested(whole, parents, _tie(inside, close, table.at, whole), table.at, others)
    return [reading] if reading is not None else []


def _named_menu(table: Table, others: Sequence[Table]) -> list[Items]:
    """A mapping of items, each with a name, that hold further ones in such mappings."""
    for whole, parents, inside in named_in(table):
        reading = _named_reading(whole, parents, table.at, inside, table.at, others)
        if reading is not None:
            return [reading]
    return []


def named_in(table: Table) -> Iterator[tuple[Table, list[int], str]]:
    """Records of a mapping with all that stand in them by name, what each is below, and the key."""
    held = [
        key
        for key in (table.inner if table.names is not None else ())
        if all(_is_named(node.get(key)) for node in table.nodes if isinstance(node, dict))
    ]
    pairs = list(zip(table.names or (), table.nodes, strict=True)) if held else []
    for inside in held:
        found = by_names(pairs, inside)
        if found is not None and set(found[1]) - {-1}:
            yield *found, inside


def by_names(pairs: list[tuple[str, Any]], inside: str) -> tuple[Table, list[int]] | None:
    """Records with their names, and all that stand in them under a key, each below another one.

    None where something else stands there, or where there are few.
    """
    names: list[str] = []
    nodes: list[Any] = []
    parents: list[int] = []
    stack = [(*pair, -1) for pair in reversed(pairs)]
    while stack:
        name, node, above = stack.pop()
        names.append(name)
        nodes.append(node)
        parents.append(above)
        below = node.get(inside) or {} if isinstance(node, dict) else {}
        if not _is_named(below):
            return None
        stack += [(*pair, len(nodes) - 1) for pair in reversed(below.items())]
    whole = Table("", nodes)
    if len(nodes) < LONELY:
        return None
    whole.fields = [field for field in whole.fields if field in _own(whole, inside)]
    return whole.by_name(names), parents


def _named_reading(
    whole: Table, parents: list[int], first: str, inside: str, at: str, others: Sequence[Table]
) -> Items | None:
    """The reading of records that stand in mappings, in each other."""
    keys = {"structure": "nested", "first": first, "inside": inside, "keyed": whole.key}
    tie = Tie(keys, 1.0, f"records stand in each other under {inside!r}, each by its name")
    reading = _nested(whole, parents, tie, at, others)
    if reading is None:
        return None
    keys["id"] = whole.key
    return reading._replace(tie=tie._replace(taken=frozenset({whole.key})))


def _menus_of_names(menus: Table, others: Sequence[Table]) -> list[Items]:
    """Menus that are mappings of items, each with a name."""
    held: list[Any] = [node.get(ITEMS) for node in menus.nodes if isinstance(node, dict)]
    if menus.at != MENUS or not all(isinstance(one, dict) and _is_named(one) for one in held):
        return []
    pairs = [pair for one in held for pair in one.items()]
    deeper = [key for _, node in pairs for key, one in node.items() if one and _is_named(one)]
    inside = deeper[0] if deeper else "items"
    found = by_names(pairs, inside)
    if found is None:
        return []
    reading = _named_reading(*found, ITEMS, inside, "", others)
    if reading is None:
        return []
    return [_in_menus(reading, _without_items(menus), KEY)]


def _is_named(held: Any) -> bool:
    """Whether records stand in a mapping, or nothing is there at all."""
    return held is None or (
        isinstance(held, dict) and all(isinstance(one, dict) for one in held.values())
    )


def crowded(items: Items) -> bool:
    """Whether some records stand in the same place, as those of several menus do."""
    keys = items.tie.keys
    if items.menu is not None or items.menus is not None or "order" not in keys:
        return False
    column = columns(items.table).get(keys["order"])
    if column is None:
        return False
    spots = list(zip(items.parents, column.texts, strict=True))
    return len(set(spots)) < len(spots)
