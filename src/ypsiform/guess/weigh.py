"""How likely a reading of flat records is: what is weighed, and by how much.

The score of a reading is the sum of `TERMS`; each is between 0 and its weight, but for those that
count against it. That addresses agree with the tree weighs most: where pages lie below each other,
so do the items that lead to them, far more often than by chance.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import chain, pairwise
from typing import Any

from ..profiles.trees import ADDRESS, UPPER
from .columns import GOOD, Column, columns, label_of, order_in, paths_in, rooted
from .fields import Found
from .flat import again, shapes
from .named import listed_by
from .readings import Items, Tie, menu_key
from .shape import Shape, depths
from .tables import Table
from .words import MARKS, content_kind, says, target_kind

TERMS = {
    "labels": 1.0,
    "addresses": 0.8,
    "structure": 1.0,
    "agreement": 2.5,
    "menus": 0.4,
    "order": 0.3,
    "references": 0.8,
    "size": 0.3,
    "names": 0.2,
    "orphans": -2.0,
    "depth": -1.0,
}
"""What counts for a reading, and against it, with its weight."""

DEEP = 9
"""Levels beyond which a tree of navigation is unlikely."""

LONELY = 3
"""Records, beyond which a list is looked at at all."""


def joined(
    known: dict[str, Column], others: Sequence[Table], wanted: Callable[[dict[str, Column]], str]
) -> tuple[Column, dict[str, str]] | None:
    """The field by which records name those of another list, and what these say, by their ids.

    `wanted` gives the field of the other list that is asked for, empty where it has none.
    """
    best: tuple[int, Column, dict[str, str]] | None = None
    own = {id(node) for column in list(known.values())[:1] for node in column.table.nodes}
    for table in others:
        if any(id(node) in own for node in table.nodes):
            continue  # these are the records themselves
        there = columns(table)
        field = wanted(there)
        if not field:
            continue
        for ident in (name for name, column in there.items() if column.unique):
            by = dict(zip(there[ident].texts, there[field].texts, strict=True))
            for column in known.values():
                hits = [text for text in column.filled if text in by]
                if len(hits) > 2 and len(hits) >= 0.8 * len(column.filled):
                    many = len(set(hits))  # few values meet ids by chance
                    if best is None or many > best[0]:
                        best = many, column, by
    return None if best is None else best[1:]


def paths_of(known: dict[str, Column], where: Found | None, others: Sequence[Table]) -> list[str]:
    """For each record the address that it leads to: its own, or that of the record it names."""
    count = len(next(iter(known.values())).texts) if known else 0
    paths = [""] * count
    if where is not None:
        paths = known[where.field].rooted
    found = None if all(paths) else joined(known, others, _address)
    if found is not None:
        column, by = found
        paths = [p or rooted(by.get(t, "")) for p, t in zip(paths, column.texts, strict=True)]
    return paths


def _address(known: dict[str, Column]) -> str:
    return next((found.field for found in paths_in(known)), "")


def _title(known: dict[str, Column]) -> str:
    found = label_of(known)
    return found.field if found is not None and found.score >= GOOD else ""


def _called_by(known: dict[str, Column], keys: Mapping[str, Any]) -> Found | None:
    """The ids of records as their labels, where they are words that people read."""
    ident = keys.get("id")
    found = label_of({ident: known[ident]}) if ident in known else None
    return found if found is not None and found.score >= GOOD else None


def named_by(
    known: dict[str, Column], label: Found | None, others: Sequence[Table]
) -> tuple[Found, bool] | None:
    """The label of records, and whether those without one show the title of what they lead to."""
    own = known[label.field] if label is not None else None
    if label is not None and own is not None and min(own.full, own.wordy, 2 * own.different) > 0.6:
        return label, False
    found = joined(known, others, _title)
    if found is None:
        return None if label is None else (label, False)
    column, _ = found
    plain = own is not None and own.wordy > 0.9 and own.different > 0.5
    if own is not None and plain and not all(map(str.__add__, own.texts, column.texts)):
        return (label, False) if label is not None else None
    why = f"items without one show the title of what they name in {column.field!r}"
    return Found(own.field if own is not None and plain else "", GOOD, why), True


_HOST = re.compile(r"https?://[^/?#]+")


def _local(paths: Sequence[str]) -> Sequence[str]:
    """Addresses, without the host that most of those with one have: that of the site itself."""
    hosts = [_HOST.match(path) for path in paths]
    counted = Counter(host[0] for host in hosts if host is not None)
    if not counted:
        return paths
    own, _ = counted.most_common(1)[0]
    return [
        path[len(own) :] or "/" if host is not None and host[0] == own else path
        for path, host in zip(paths, hosts, strict=True)
    ]


_ENDING = re.compile(r"(?:/index)?\.(?:html?|php|aspx?|jsp)$")
"""What addresses end with that are those of files."""


def agreement(parents: Sequence[int], paths: Sequence[str]) -> tuple[float, int]:
    """How much more often than by chance an item's address lies below that of the item above it.

    The second value is the number of pairs that were looked at.
    """
    paths = [_ENDING.sub("", path) for path in _local(paths)]
    pairs = [
        (paths[parent], path)
        for path, parent in zip(paths, parents, strict=True)
        if parent >= 0 and path[:1] == "/" and paths[parent][:1] == "/"
    ]
    if not pairs:
        return 0.0, 0
    hits = sum(_lies_below(path, up) for up, path in pairs) / len(pairs)
    local = Counter(path.rstrip("/") for path in paths if path[:1] == "/")
    above = sum(sum(local[way] for way in _ways(path)) for _, path in pairs)
    chance = above / len(pairs) / max(sum(local.values()), 1)
    return max(hits - chance, 0.0), len(pairs)


def _ways(path: str) -> Iterator[str]:
    """The addresses that one lies below: for `/a/b/c` these are `/a` and `/a/b`."""
    parts = path.rstrip("/").split("/")
    for end in range(2, min(len(parts), 40)):
        yield "/".join(parts[:end])


def _lies_below(path: str, above: str) -> bool:
    start = above.rstrip("/") + "/"
    return len(start) > 1 and path.startswith(start) and len(path) > len(start)


def leading(
    known: dict[str, Column], taken: Sequence[str], parents: Sequence[int], others: Sequence[Table]
) -> tuple[Found | None, float, int]:
    """The field of addresses, with what `agreement` says of it.

    It is the likeliest one that is not `taken`, unless another agrees much better with the tree.
    """
    found = paths_in(known, taken)
    found = [
        one
        for one in found
        if not (known[one.field].bare and _names_records(known[one.field], others))
    ]
    where = found[0] if found else None
    if where is not None and where.field == ADDRESS:
        return where, 0.0, 0  # it was made of what stands above what
    agree, pairs = agreement(parents, paths_of(known, where, others))
    for other in found[1:3]:
        more = agreement(parents, paths_of(known, other, others))
        if more[0] > agree + 0.2:
            where, (agree, pairs) = other, more
    return where, agree, pairs


def _names_records(column: Column, others: Sequence[Table]) -> bool:
    """Whether most values are what records of another list are known by."""
    values = set(column.filled)
    for table in others:
        for other in columns(table).values():
            if other.unique and 2 * len(values.intersection(other.texts)) > len(values):
                return True
    return False


def menu_in(
    known: dict[str, Column], shape: Shape, others: Sequence[Table], but: Sequence[str]
) -> tuple[Found, Table | None, str] | None:
    """The field that names the menu: all of a branch have the same one of its few values.

    Beside it the table that lists the menus, and the field of that which it names.
    """
    best: tuple[float, Found, Table | None, str] | None = None
    for field, column in known.items():
        values = column.texts
        different = set(values)
        if field in but or column.full < 1.0 or column.listed or column.addressed > 0.5:
            continue
        if not 1 <= len(different) <= max(2, len(values) // 2) or len(different) > 40:
            continue
        if any(isinstance(value, bool | float) for value in column.raw):
            continue
        if all(text.isalpha() and text.casefold() in MARKS for text in different):
            continue  # it says yes or no
        parents = again(shape, values)
        across = [values[n] != values[parent] for n, parent in enumerate(parents) if parent >= 0]
        if any(across) or any(parent == -2 for parent in parents if shape.spots is not None):
            continue
        name = says(field, "menu")
        table, ident = _table_of(different, others)
        if len(different) == 1 and table is None and name < 0.9:
            continue
        runs = 1 + sum(a != b for a, b in pairwise(values))
        score = 0.15 * name + (0.5 if table is not None else 0.0)
        score += 0.35 if len(across) > 3 and len(different) > 1 else 0.0
        score += 0.25 if runs == len(different) > 1 else 0.0
        score += 0.1 if all(any(c.isalpha() for c in value) for value in different) else 0.0
        score += 0.4 if field == shape.group else 0.0
        score += 0.5 if len(different) > 1 and _has_a_first_each(known, shape, values) else 0.0
        if not shape.ordered and len(different) > 1:
            score += 0.5 if _counts_anew(known, values, parents, (field, *but)) else 0.0
        if shape.spots is not None and len(set(shape.spots)) < len(values):
            pairs = set(zip(values, shape.spots, strict=True))
            score += 0.4 if len(pairs) == len(values) else -0.3
        if len(different) == 1 and name >= 0.9:
            score += 0.4
        if table is None and name < 0.9:
            # What says the kind of an item is the same in a branch as well, by chance.
            kinds = all(content_kind(word) or target_kind(word) for word in different)
            score -= 0.5 * says(field, "kind") + (0.4 if kinds else 0.0)
        if score < 0.34:
            continue
        if best is None or score > best[0]:
            why = f"all of a branch have the same one of its {len(different)} values"
            if table is not None:
                why = f"its values are those of {ident!r} at {table.at!r}"
            sure = Found(field, min(0.5 + score, 1.0), why)
            best = (score, sure, table, ident)
    return None if best is None else best[1:]


def _has_a_first_each(known: dict[str, Column], shape: Shape, values: Sequence[str]) -> bool:
    """Whether each menu has one item at its top that comes after none, and chains stay in one."""
    follows, ident = shape.keys.get("follows"), shape.keys.get("id")
    if follows is None or ident is None:
        return False
    at = {text: n for n, text in enumerate(known[ident].texts)}
    firsts: Counter[str] = Counter()
    for n, text in enumerate(known[follows].texts):
        if text and values[at[text]] != values[n]:
            return False
        if not text and shape.parents[n] < 0:
            firsts[values[n]] += 1
    return set(firsts.values()) == {1}


def _counts_anew(
    known: dict[str, Column], values: Sequence[str], parents: Sequence[int], but: Sequence[str]
) -> bool:
    """Whether some field counts siblings from the same number on in every one of these menus."""
    top = [n for n, parent in enumerate(parents) if parent < 0]
    for field, column in known.items():
        held = column.whole
        if field in but or held is None:
            continue
        by: dict[str, list[int]] = {}
        for n in top:
            by.setdefault(values[n], []).append(held[n])
        if max(map(len, by.values())) < 2 or len(by) < 2:
            continue
        even = all(
            sorted(some) == list(range(min(some), min(some) + len(some))) for some in by.values()
        )
        if even and len({min(some) for some in by.values()}) == 1 and min(held) <= 1:
            return True
    return False


def _table_of(different: set[str], others: Sequence[Table]) -> tuple[Table | None, str]:
    """The table of menus that some values name, and its field of ids."""
    for table in others:
        if len(table.nodes) > max(len(different) + 4, 3) or table.names is not None or table.inner:
            continue
        there = columns(table)
        if label_of(there) is None:
            continue
        for ident in sorted(there, key=lambda field: -says(field, "id")):
            if there[ident].unique and different <= set(there[ident].texts):
                return table, ident
    return None, ""


def flat_readings(table: Table, others: Sequence[Table]) -> list[Items]:
    """The readings of a table as flat records, the likeliest first."""
    if table.names is not None:
        table = table.by_name()
    known = columns(table)
    count = len(table.rows)
    if not known or count < 1 or _tells_ways(known, others):
        return []
    made: list[Items] = []
    seen: set[Any] = set()
    for shape in chain(shapes(known, count), listed_by(table, known, others)):
        reading = _reading(table, known, shape, others)
        if reading is not None:
            mark = (reading.label.field, str(reading.tie.keys), str(reading.menu))
            if mark not in seen:
                seen.add(mark)
                made.append(reading)
    return sorted(made, key=lambda one: -one.weight)


def _tells_ways(known: dict[str, Column], others: Sequence[Table]) -> bool:
    """Whether records only say which records of another list stand above which, on all levels.

    Two fields hold ids of that list, each with itself among the pairs: nothing of a record is what
    an item says.
    """
    if not 2 <= len(known) <= 4 or any(column.wordy > 0.3 for column in known.values()):
        return False
    for one, other in pairwise(known.values()):
        pairs = list(zip(one.texts, other.texts, strict=True))
        itself = {a for a, b in pairs if a == b}
        if len(set(pairs)) < len(pairs) or len(itself) < 2 or len(itself) == len(pairs):
            continue
        if {*one.texts, *other.texts} <= itself and any(
            itself <= set(column.texts) for table in others for column in columns(table).values()
        ):
            return True
    return False


def _reading(
    table: Table, known: dict[str, Column], shape: Shape, others: Sequence[Table]
) -> Items | None:
    keys = dict(shape.keys)
    taken = list(shape.taken)
    terms = dict.fromkeys(TERMS, 0.0)
    own = keys.pop("label", None)
    if own is not None:
        same = known[own].texts == shape.ends
        why = "it is the last part of the labels" if same else "the others are words of addresses"
        label: Found | None = Found(own, 0.9, why)
    elif shape.ends is not None:
        label = Found("", 0.9, "the labels are what ties the records")
    else:
        label = label_of(known, taken)
        called = _called_by(known, keys)
        if called is not None and (label is None or called.score > label.score + 0.15):
            label = called
            # What it is called by stands in its label; new items have an id of their own.
            free = next(key for key in ("id", "ident", "number") if key not in known)
            keys |= {"id": free, "named": True}
    inherits = False
    if own is None and shape.ends is None:
        named_ = named_by(known, label, others)
        if named_ is None:
            return None
        label, inherits = named_
    assert label is not None
    taken += [label.field] if label.field else []
    menu: Found | None = None
    menus: Table | None = None
    ident = ""
    if keys["structure"] == "listed":
        found = _listing(known, shape, others)
        if found is not None:
            menus, ident, first = found
            keys |= {"first": first} if first != keys["inside"] else {}
    else:
        told = menu_in(known, shape, others, taken)
        if told is not None:
            menu, menus, ident = told
            taken.append(menu.field)
    groups = known[menu.field].texts if menu is not None else [""] * len(table.rows)
    parents = again(shape, groups) if menu is not None else shape.parents
    if not shape.ordered:
        siblings = list(zip(groups, parents, strict=True))
        order = order_in(known, siblings, taken)
        if order is not None:
            keys["order"] = order.field
            taken.append(order.field)
            terms["order"] = order.score
    known_by = keys.get("id")  # an address can be what records are known by
    own = [f for f in taken if f != known_by or f not in known or known[f].addressed < 0.6]
    where, agree, pairs = leading(known, own, parents, others)
    agree = 0.0 if keys.get("under") == UPPER else agree  # it was made of them
    depth = max(depths(parents), default=0)
    terms["labels"] = min(label.score, 1.0)
    terms["addresses"] = where.score if where is not None else 0.0
    terms["structure"] = shape.weight if depth > 1 or shape.weight == 1.0 else 0.2
    named = says(
        str(keys.get("number") or keys.get("under") or ""), _FACTS.get(keys["structure"], "")
    )
    if shape.weight < 0.8 and agree < 0.1 and named < 0.9:
        # Numbers that happen to be like levels or ids, and nothing else speaks for it.
        terms["structure"] = 0.1 if pairs > 2 else 0.3
    terms["agreement"] = agree * min(1.0, pairs / 5)
    terms["menus"] = 1.0 if menu is not None or menus is not None else 0.0
    terms["size"] = min(1.0, len(table.rows) / 40)
    terms["orphans"] = sum(parent == -2 for parent in parents) / len(parents)
    terms["depth"] = 1.0 if depth > DEEP else 0.0
    terms["references"] = _refers(table, known, others)
    names = [says(str(keys.get(key, "")), fact) for key, fact in _NAMED]
    terms["names"] = sum(names) / len(names)
    weight = sum(TERMS[name] * value for name, value in terms.items())
    tie = Tie(keys, 0.9, shape.why, frozenset(taken))
    two = keys["structure"] == "level" and len(set(known[keys["number"]].filled)) < 3
    if two and not says(keys["number"], "level"):
        # Yes and no go up and down so as well; only a name tells the two apart.
        tie = tie._replace(score=0.6, why=f"{shape.why}, or says yes and no")
    if keys["structure"] == "flat":
        tie = _perhaps_flat(tie, paths_of(known, where, others))
        tie = _perhaps_listed(tie, known)
        tie = _perhaps_headed(tie, paths_of(known, where, others))
    return Items(
        table,
        table.at,
        tie,
        label,
        where,
        menus,
        menu,
        ident,
        weight,
        terms,
        tuple(parents),
        inherits,
    )


def _perhaps_headed(tie: Tie, paths: Sequence[str]) -> Tie:
    """A tie of no levels, less sure where records without an address may head those behind them."""
    heads = [n for n, path in enumerate(paths) if not path]
    if not heads or heads[0] != 0 or 3 * len(heads) > len(paths):
        return tie
    if heads[-1] == len(paths) - 1 or any(b - a == 1 for a, b in pairwise(heads)):
        return tie
    why = f"{tie.why}; but {len(heads)} of {len(paths)} lead nowhere: headings of what follows?"
    return tie._replace(score=0.5, why=why)


def _perhaps_flat(tie: Tie, paths: Sequence[str]) -> Tie:
    """A tie of no levels, less sure where addresses look as if there were some."""
    local = [_ENDING.sub("", path).rstrip("/") for path in _local(paths)]
    there = {path for path in local if path[:1] == "/"}
    below = sum(path[:1] == "/" and not there.isdisjoint(_ways(path)) for path in local)
    if below < 3 or 3 * below < len(local):
        return tie
    why = f"{tie.why}; but {below} of {len(local)} addresses go on where that of another one ends"
    return tie._replace(score=0.5, why=why)


def _perhaps_listed(tie: Tie, known: Mapping[str, Column]) -> Tie:
    """A tie of no levels, less sure where lists that are not read name other records."""
    every = {text for column in known.values() if column.unique for text in column.texts}
    for field, column in known.items():
        lists = [value for value in column.raw if isinstance(value, tuple) and value]
        if len(lists) > 1 and all(str(one) in every for value in lists for one in value):
            why = f"{tie.why}; but the lists in {field!r} name other records, and are not read"
            return tie._replace(score=0.5, why=why)
    return tie


_FACTS = {"parent": "parent", "level": "level"}
_NAMED = (("id", "id"), ("under", "parent"), ("order", "order"), ("number", "level"))


def _listing(
    known: dict[str, Column], shape: Shape, others: Sequence[Table]
) -> tuple[Table, str, str] | None:
    """The table of menus that list ids of records, its key, and the field of these lists."""
    ids = set(known[shape.keys["id"]].texts)
    for table in others:
        for field in table.fields:
            named = [str(e) for v in table.column(field) if isinstance(v, tuple) for e in v]
            key = menu_key(table)
            if named and set(named) <= ids and key:
                return table, key, field
    return None


def _refers(table: Table, known: dict[str, Column], others: Sequence[Table]) -> float:
    """1 where records name those of a longer list; -1 where another list names these."""
    found = 0.0
    for other in others:
        if other.names is not None or not other.rows:
            continue
        there = columns(other)
        if _names(known, there):
            return 1.0
        if _names(there, known):
            found = -1.0
    return found


def _names(known: dict[str, Column], there: dict[str, Column]) -> bool:
    """Whether some field of records holds ids of others, and is not a count of its own."""
    for ident in there.values():
        if not ident.unique or len(ident.texts) < 6:
            continue
        ids = set(ident.texts)
        for mine in known.values():
            values = set(mine.filled)
            if len(values) < 6 or len(values & ids) < 0.9 * len(values):
                continue
            if not mine.unique or (len(ids) > len(values) and not _counted(mine)):
                return True
    return False


def _counted(column: Column) -> bool:
    """Whether a field counts its records, in whatever order they stand."""
    held = sorted(column.whole or ())
    return {b - a for a, b in pairwise(held)} == {1}
