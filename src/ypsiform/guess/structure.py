"""What ties the records of an unknown export into menus: the candidates, each with its evidence."""

# Long, since each structure is guessed by signs of its own, which are weighed together.

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from itertools import pairwise
from typing import Any, NamedTuple

from ..containers import children_of
from .fields import (
    Found,
    address,
    few_words,
    is_address,
    label,
    numbers,
    texts_of,
    unique,
)
from .tables import Table, Words, is_element, said
from .words import NO, YES, says

SEPARATORS = (" > ", " › ", " » ", " / ", " | ", ">", "/", "|", "\\", ".", "-", ",")


class Tie(NamedTuple):
    """A structure: the keys of `tie` in a profile, how sure that is, by what it was told.

    `under` is the value that stands for no parent; `taken` are the fields that it is made of.
    """

    keys: dict[str, Any]
    score: float
    why: str
    taken: frozenset[str] = frozenset()


class Items(NamedTuple):
    """A candidate for where items are: the records, what ties them, and where menus are.

    `menus` is the table that lists menus (None where items name them, or where there is one),
    `held` the key of items in a menu, `menu` the field in which flat records name their menu, and
    `keyed` tells that menus are the names of a mapping.
    """

    table: Table
    at: str
    tie: Tie
    label: Found
    address: Found | None
    menus: Table | None = None
    menu: Found | None = None
    menu_key: str = ""

    @property
    def score(self) -> float:
        """How likely this is; the more records and the surer the fields, the better."""
        leads = self.address.score if self.address is not None else 0.0
        placed = 0.25 if self.menus is not None or self.menu is not None else 0.0
        return self.label.score + leads + self.tie.score + placed


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
                inner = inner.get(part, {}) if isinstance(inner, dict) else None
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
    top = inside.split("/")[0] + "/"
    return {f for f in table.fields if not f.startswith((head, top)) and f != inside}


def alike(one: Table, other: Table, inside: str) -> float:
    """How alike two tables are, by the names of their fields."""
    first, second = _own(one, inside), _own(other, inside)
    return len(first & second) / len(first | second) if first | second else 0.0


def gathered(nodes: list[Any], inside: str) -> Table:
    """Records, and all that stand in them under a key, in reading order."""
    found: list[Any] = []
    stack = nodes[::-1]
    while stack:
        node = stack.pop()
        found.append(node)
        stack += nodes_at(node, inside)[::-1]
    table = Table("", found)
    table.fields = [field for field in table.fields if field in _own(table, inside)]
    return table


def _inside(table: Table) -> tuple[str, float] | None:
    """The key under which records of the same kind stand in each other."""
    best: tuple[str, float] | None = None
    for key in table.inner:
        children = [child for node in table.nodes for child in nodes_at(node, key)]
        if not children or not _wrapped_once(table.nodes, key):
            continue
        below = Table("", children)
        mine, theirs = label(table), label(below)
        if theirs is None or (mine is not None and key.startswith(f"{mine.field}/")):
            continue  # what stands in a label is not written beside it
        close = alike(table, below, key) + 0.3 * says(key, "children")
        if mine is not None and mine.field == theirs.field:
            close += 0.3
        if close >= 0.6 and (best is None or close > best[1]):
            best = (key, close)
    return best


def candidates(found: list[Table]) -> list[Items]:
    """All candidates, the likeliest first."""
    made: list[Items] = []
    for table in found:
        made += _listed_menus(table)
        made += _one_menu(table)
        made += _flat(table, found)
    return sorted(made, key=lambda items: -items.score)


def _nested_tie(inside: str, close: float, first: str, table: Table) -> Tie:
    keys: dict[str, Any] = {"structure": "nested", "inside": inside}
    if first != inside:
        keys["first"] = first
    why = f"records stand in each other under {inside!r}"
    score = min(1.0, 0.4 + 0.5 * close)
    return Tie(keys, score, why, frozenset(_ids(table)))


def _ids(table: Table) -> list[str]:
    return [field for field in unique(table) if says(field, "id") >= 0.9]


def _listed_menus(menus: Table) -> list[Items]:
    """Menus with their items inside them."""
    made: list[Items] = []
    for first in menus.inner or {}:
        nodes = [child for node in menus.nodes for child in nodes_at(node, first)]
        if not nodes or not _wrapped_once(menus.nodes, first):
            continue
        below = Table("", nodes)
        deeper = _inside(below)
        own = _inside(menus)
        if own is not None and own[0] == first and (address(menus) or not address(below)):
            continue  # these are items themselves
        inside, close = deeper or (first, 0.5)
        table = gathered(nodes, inside)
        words = label(table)
        if words is None or not _wrapped_once(table.nodes, inside):
            continue
        flat = _flat_ties(table) if deeper is None else []
        flat = [tie for tie in flat if tie.keys["structure"] == "parent" and tie.score >= 0.5]
        if flat:
            tie = flat[0]
            tie = tie._replace(keys={**tie.keys, "inside": first})
            words = label(table, set(tie.taken))
            if words is None:
                continue
        else:
            tie = _nested_tie(inside, close, first, table)
        where = address(table, {words.field, *tie.taken})
        key = _menu_key(menus)
        if key:
            made.append(Items(table, "", tie, words, where, menus, None, key))
    return made


def _menu_key(menus: Table) -> str:
    """The field of a menu by which it is known; `#name` where it is its name in a mapping."""
    if menus.names is not None:
        return "#name"
    ids = unique(menus)
    return max(ids, key=lambda field: _as_key(menus, field), default="")


def _as_key(menus: Table, field: str) -> tuple[bool, float, float]:
    """How well a field of menus serves as their key: plain words are better than all else."""
    plain = all(map(_KEY.fullmatch, menus.texts(field)))
    return plain, says(field, "id"), max(says(field, "menu"), says(field, "title") / 2)


_KEY = re.compile(r"[a-z_][a-z0-9_.-]*")


def _one_menu(table: Table) -> list[Items]:
    """A list of items, perhaps nested, that is the only menu."""
    found = _inside(table)
    if found is None:
        if _flat_ties(table):
            return []
        words = label(table)
        where = address(table)
        if words is None or where is None:
            return []
        tie = Tie(
            {"structure": "nested", "first": table.at, "inside": "children"},
            0.1,
            "nothing was found that says which record stands below which",
        )
        return [Items(table, table.at, tie, words, where)]
    inside, close = found
    whole = gathered(table.nodes, inside)
    words = label(whole)
    if words is None or not _wrapped_once(whole.nodes, inside) or table.names is not None:
        return []
    tie = _nested_tie(inside, close, table.at, whole)
    return [Items(whole, table.at, tie, words, address(whole, {words.field}))]


def _flat(table: Table, others: list[Table]) -> list[Items]:
    """Flat records, each of which says where it stands."""
    made: list[Items] = []
    for tie in _flat_ties(table):
        structure = tie.keys["structure"]
        words = label(table, set(tie.taken))
        if structure == "labels" and not _ends(table, tie, words):
            words = Found("", 0.7, "the last part of the labels")
        if words is None or (table.names is not None and structure != "parent"):
            continue
        where = address(table, {words.field, *tie.taken})
        menu, menus, key = _menu_of(table, others, tie, words)
        made.append(Items(table, table.at, tie, words, where, menus, menu, key))
    return made


def _ends(table: Table, tie: Tie, words: Found | None) -> bool:
    """Whether a field holds the last part of each trail of labels."""
    if words is None:
        return False
    trails = (texts_of(value) for value in table.column(tie.keys["number"]))
    ends = [trail.rpartition(tie.keys["between"])[2].strip() for trail in trails]
    return ends == [texts_of(value).strip() for value in table.column(words.field)]


def _menu_of(
    table: Table, others: list[Table], tie: Tie, words: Found
) -> tuple[Found | None, Table | None, str]:
    """How flat records say which menu they are in."""
    # Two signs, by score: the values of a field are the keys of a table of menus, or all of a
    # branch have the same one of a few values. A name alone only adds to them.
    if tie.keys["structure"] == "listed":
        return _listing(table, others, tie)
    but = {words.field, *tie.taken}
    best: tuple[float, Found, Table | None, str] | None = None
    roots = branches(table, tie)
    for field in table.fields:
        values = [said(value) for value in table.column(field)]
        if field in but or not all(values):
            continue
        different = set(values)
        for menus in others:
            if menus is table or len(menus.nodes) > max(len(different) + 4, 3):
                continue
            known = unique(menus) if menus.names is None else []
            for ident in known:
                ids = {said(value) for value in menus.column(ident)}
                if different <= ids and label(menus) is not None and not menus.inner:
                    score = 0.6 + 0.4 * says(field, "menu") + 0.1 * says(ident, "id")
                    why = f"its values are those of {ident!r} at {menus.at!r}"
                    if best is None or score > best[0]:
                        best = (score, Found(field, min(score, 1.0), why), menus, ident)
        name = says(field, "menu")
        if len(different) < 2 or not few_words(table, field) or set(values) <= YES | NO:
            continue
        same = _same_in_branches(values, roots)
        needed = _tells_apart(table, tie, values)
        if not same or (len(different) > len(values) / 2 and not name):
            continue
        score = 0.45 + 0.4 * name + (0.25 if needed else 0.0)
        why = f"all of a branch have the same one of its {len(different)} values"
        if needed:
            why += ", and without it some records would stand in the same place"
        if best is None or score > best[0]:
            best = (score, Found(field, min(score, 1.0), why), None, "")
    if best is None:
        return None, None, ""
    return best[1], best[2], best[3]


def branches(table: Table, tie: Tie) -> list[str]:
    """For each record what tells the branch that it is in from others."""
    keys = tie.keys
    structure = keys["structure"]
    if structure == "parent":
        ids = [said(value) for value in table.column(keys["id"])]
        ups = dict(zip(ids, (said(value) for value in table.column(keys["under"])), strict=True))
        found: dict[str, str] = {}
        for ident in ids:
            way = [ident]
            while way[-1] not in found and ups.get(way[-1], "") in ups:
                way.append(ups[way[-1]])
            root = found.get(way[-1], way[-1])
            found.update(dict.fromkeys(way, root))
        return [found[ident] for ident in ids]
    values = [texts_of(value) for value in table.column(keys["number"])]
    between = keys.get("between", ".")
    if structure not in ("outline", "level"):
        return [value.split(between)[0] for value in values]
    made: list[str] = []
    for at, value in enumerate(values):
        top = value == values[0] if structure == "level" else between not in value
        made.append(str(at) if top or not made else made[-1])
    return made


def _same_in_branches(values: list[str], roots: list[str]) -> bool:
    """Whether all records of a branch have the same value."""
    of_root: dict[str, str] = {}
    return all(of_root.setdefault(root, v) == v for root, v in zip(roots, values, strict=True))


def _tells_apart(table: Table, tie: Tie, values: list[str]) -> bool:
    """Whether records that stand in the same place are told apart by these values."""
    places = _places(table, tie)
    if len(set(places)) == len(places):
        return False
    pairs = list(zip(places, values, strict=True))
    return len(set(pairs)) == len(pairs)


def _places(table: Table, tie: Tie) -> list[tuple[str, ...]]:
    """The place of each record, as its structure says it; one for each where it does not."""
    keys = tie.keys
    if keys["structure"] in ("outline", "labels"):
        return [(texts_of(value),) for value in table.column(keys["number"])]
    if keys["structure"] in ("parent", "lineage") and "order" in keys:
        order = [said(value) for value in table.column(keys["order"])]
        if keys["structure"] == "parent":
            return list(zip((said(v) for v in table.column(keys["under"])), order, strict=True))
        ways = [said(v).rpartition(keys["between"])[0] for v in table.column(keys["number"])]
        return list(zip(ways, order, strict=True))
    return [(str(at),) for at in range(len(table.rows))]


def crowded(items: Items) -> bool:
    """Whether some records of a candidate stand in the same place, as those of several menus do."""
    if items.tie.keys["structure"] in ("nested", "listed") or items.menu is not None:
        return False
    places = _places(items.table, items.tie)
    return len(set(places)) < len(places)


def _listing(table: Table, others: list[Table], tie: Tie) -> tuple[Found | None, Table | None, str]:
    """The menus that list the ids of records which no other record lists."""
    known = {said(value) for value in table.column(tie.keys["id"])}
    for menus in others:
        for field in menus.fields if menus is not table else ():
            named = [said(e) for v in menus.column(field) if isinstance(v, tuple) for e in v]
            key = _menu_key(menus)
            if named and set(named) <= known and key:
                if field != tie.keys["inside"]:
                    tie.keys["first"] = field
                return None, menus, key
    return None, None, ""


# Flat structures


def _flat_ties(table: Table) -> list[Tie]:
    found = [
        *_parents(table),
        *_listed_ids(table),
        *_outlines(table),
        *_lineages(table),
        *_trails(table),
        *_levels(table),
    ]
    return sorted(found, key=lambda tie: -tie.score)


def _order_of(table: Table, groups: list[str], but: set[str]) -> tuple[str, float] | None:
    """The field of the place among siblings, by name and by its numbers."""
    best: tuple[str, float] | None = None
    for field in table.fields:
        held = numbers(table, field) if field not in but else None
        if held is None or says(field, "level") > says(field, "order"):
            continue
        name = says(field, "order")
        pairs = list(zip(groups, held, strict=True))
        different = len(set(pairs)) / len(pairs)
        score = 0.6 * name + 0.3 * different
        if name and (best is None or score > best[1]):
            best = (field, score)
    return best


def _with_order(keys: dict[str, Any], table: Table, groups: list[str], but: set[str]) -> list[str]:
    order = _order_of(table, groups, but)
    if order is None:
        return []
    keys["order"] = order[0]
    return [order[0]]


def _parents(table: Table) -> list[Tie]:
    made: list[Tie] = []
    for ident in _candidates_for_id(table):
        ids = [said(value) for value in table.column(ident)]
        known = set(ids)
        for field in table.fields:
            if field == ident:
                continue
            ups = [said(value) for value in table.column(field)]
            hits = [up for up in ups if up in known]
            others = [up for up in ups if up not in known]
            outside = Counter(up for up in others if up)
            if not hits or len(outside) > 1 or not others or _rings(ids, ups):
                continue
            name = says(field, "parent")
            if not name and (says(field, "order") or says(field, "level")):
                continue
            score = 0.35 + 0.45 * name + 0.2 * says(ident, "id")
            keys: dict[str, Any] = {"structure": "parent", "id": ident, "under": field}
            if outside:
                keys["top"] = next(iter(outside))
            taken = [ident, field, *_with_order(keys, table, ups, {ident, field})]
            why = f"{len(hits)} values of {field!r} are ids of other records in {ident!r}"
            made.append(Tie(keys, min(score, 1.0), why, frozenset(taken)))
    return made


def _candidates_for_id(table: Table) -> list[str]:
    found = unique(table)
    return sorted(found, key=lambda field: -says(field, "id"))[:6]


def _rings(ids: list[str], ups: list[str]) -> bool:
    """Whether following parents ever comes back."""
    from ..profiles.ties import ringed_of

    at = {ident: place for place, ident in enumerate(ids)}
    return bool(ringed_of([at.get(up, -1) for up in ups]))


def _listed_ids(table: Table) -> list[Tie]:
    made: list[Tie] = []
    for ident in _candidates_for_id(table):
        known = {said(value) for value in table.column(ident)}
        for field in table.fields:
            lists = [value for value in table.column(field) if isinstance(value, tuple)]
            named = [said(entry) for value in lists for entry in value]
            if not named or not set(named) <= known or len(set(named)) < len(named):
                continue
            score = 0.6 + 0.4 * says(field, "children")
            keys = {"structure": "listed", "id": ident, "inside": field}
            why = f"the lists in {field!r} hold {len(named)} ids of {ident!r}"
            made.append(Tie(keys, score, why, frozenset({ident, field})))
    return made


def _outlines(table: Table) -> list[Tie]:
    made: list[Tie] = []
    for field in table.fields:
        values = [said(value) for value in table.column(field)]
        for between in (".", "-", "/"):
            form = rf"\d+({re.escape(between)}\d+)*"
            if not all(re.fullmatch(form, value) for value in values):
                continue
            parts = [value.split(between) for value in values]
            if all(len(part) == 1 for part in parts):
                continue
            known = {tuple(part) for part in parts}
            held = sum(len(p) == 1 or tuple(p[:-1]) in known for p in parts) / len(parts)
            if held < 0.9 or _is_lineage(table, parts):
                continue
            keys: dict[str, Any] = {"structure": "outline", "number": field}
            if between != ".":
                keys["between"] = between
            why = f"{field!r} holds places in an outline, as {values[-1]!r}"
            made.append(Tie(keys, 0.9, why, frozenset({field})))
    return made


def _is_lineage(table: Table, parts: list[list[str]]) -> bool:
    """Whether the last part of each is the id of its own record."""
    last = [part[-1] for part in parts]
    return any([said(v) for v in table.column(field)] == last for field in unique(table))


def _lineages(table: Table) -> list[Tie]:
    made: list[Tie] = []
    for ident in _candidates_for_id(table):
        ids = [said(value) for value in table.column(ident)]
        for field in table.fields:
            values = [said(value) for value in table.column(field)]
            for between in SEPARATORS:
                if field == ident or not any(between in value for value in values):
                    continue
                parts = [value.split(between) for value in values]
                known = set(ids)
                right = all(
                    p[-1] == own and all(part in known for part in p)
                    for p, own in zip(parts, ids, strict=True)
                )
                if not right:
                    continue
                keys: dict[str, Any] = {"structure": "lineage", "id": ident, "number": field}
                keys["between"] = between
                groups = [between.join(part[:-1]) for part in parts]
                taken = [ident, field, *_with_order(keys, table, groups, {ident, field})]
                why = f"{field!r} holds the ids of {ident!r} from the top down"
                made.append(Tie(keys, 0.95, why, frozenset(taken)))
    return made


def _trails(table: Table) -> list[Tie]:
    made: list[Tie] = []
    for field in table.fields:
        if any(isinstance(value, Words) for value in table.column(field)):
            continue
        values = [texts_of(value) for value in table.column(field)]
        if not all(values) or any(map(is_address, values)):
            continue
        for between in SEPARATORS[:8]:
            parts = [tuple(value.split(between)) for value in values]
            deep = [part for part in parts if len(part) > 1]
            if not deep or any(not word.strip() for part in parts for word in part):
                continue
            known = set(parts)
            held = sum(part[:-1] in known for part in deep) / len(deep)
            if held < 0.7:
                continue
            keys: dict[str, Any] = {"structure": "labels", "number": field, "between": between}
            why = f"{field!r} holds labels from the top down, with {between!r} between them"
            score = 0.4 + 0.5 * held
            made.append(Tie(keys, score, why, frozenset({field})))
            break
    return made


def _levels(table: Table) -> list[Tie]:
    made: list[Tie] = []
    for field in table.fields:
        held = numbers(table, field)
        if (
            held is None
            or len(set(held)) < 2
            or max(held) - min(held) > 9
            or min(held) not in (0, 1)
        ):
            continue
        steps = [b - a for a, b in pairwise(held)]
        if held[0] != min(held) or any(step > 1 for step in steps):
            continue
        name = says(field, "level")
        order = says(field, "order")
        if order > name or (not name and len(set(held)) > len(held) / 2):
            continue
        keys: dict[str, Any] = {"structure": "level", "number": field}
        if min(held) == 0:
            keys["start"] = 0
        why = f"{field!r} goes from {min(held)} to {max(held)}, and down by one step at a time"
        made.append(Tie(keys, 0.45 + 0.5 * name, why, frozenset({field})))
    return made
