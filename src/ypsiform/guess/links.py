"""What items lead to: the inventory that they refer to, and the kinds that they tell apart."""

from __future__ import annotations

from typing import NamedTuple

from ..profiles.mixed import KIND
from ..profiles.trees import PATH
from .columns import columns, label_of, paths_in
from .fields import Found, few_words, share, unique
from .joins import NAME
from .looks import is_address
from .readings import Items
from .tables import Row, Table, said
from .words import YES, content_kind, says, says_target, target_kind


class Reference(NamedTuple):
    """A field of items whose values are ids of an inventory."""

    field: str
    to: Table
    ident: str
    score: float
    why: str


class Kind(NamedTuple):
    """A rule of kinds: the word that says it (None: always), and where its target stands.

    `label`: the field of its label, where that is another one than that of all others. `given`: a
    field that records of this kind have. `marked`: a field that says the word, where that is not
    the one that tells all kinds apart. `begins`: what addresses of this kind begin with, which is
    no part of them. `only`: the one way that the rule goes.
    """

    word: str | None
    kind: str
    id: str | None = None
    address: str | None = None
    score: float = 1.0
    why: str = ""
    label: str | None = None
    given: str | None = None
    marked: str | None = None
    begins: str | None = None
    only: str | None = None


class Links(NamedTuple):
    """What was found: the field that tells kinds apart, the rules, and the inventories."""

    decides: Found | None
    kinds: list[Kind]
    references: list[Reference]


def links(items: Items, found: list[Table]) -> Links:
    """What the items of a candidate lead to."""
    own = {id(node) for node in items.table.nodes}
    others = [
        table
        for table in found
        if table is not items.menus
        and not any(id(node) in own for node in table.nodes)
        and (table.only or table.find or not _within(_place(items), table.at))
    ]
    taken = {items.label.field, *items.tie.taken, *([items.menu.field] if items.menu else [])}
    references = _references(items, others, taken)
    if items.address is not None and columns(items.table)[items.address.field].full > 0.8:
        # Whatever has no address is no better than that of the item itself.
        references = [r for r in references if paths_in(columns(r.to))]
    fields = {reference.field for reference in references}
    decides = _decides(items, taken | fields, references)
    kinds = _by_word(items, decides, references) if decides else _without(items, references)
    if decides is not None and decides.field != KIND and _says_more(kinds):
        # Written back, all of them would have the first of these words: they stay as they are.
        field, sure = decides.field, decides.score
        told = [
            k._replace(
                marked=field, why=f"{field!r} says {k.word!r}; {k.why}", score=min(k.score, sure)
            )
            for k in kinds
            if k.word and k.kind != "address"
        ]
        kinds, decides = told + _without(items, []), None
    used = {kind.id for kind in kinds}
    divider = _divider(items, taken | fields, kinds)
    kinds = [divider, *kinds] if divider is not None else kinds
    return Links(decides, kinds, [r for r in references if r.field in used])


def _place(items: Items) -> str:
    """The path of the items, or of those at the top of their menus."""
    if items.at or items.menus is None:
        return items.at
    keys = items.tie.keys
    return f"{items.menus.at}/{keys.get('first') or keys.get('inside') or ''}"


def _within(inner: str, outer: str) -> bool:
    """Whether what stands at one path stands in what stands at another one."""
    return f"{inner}/".startswith(f"{outer}/")


def _references(items: Items, others: list[Table], taken: set[str]) -> list[Reference]:
    made: list[Reference] = []
    at = items.address.field if items.address else ""
    for field in items.table.fields:
        values = set(items.table.texts(field))
        if field in taken or not values or (field == at and share([*values], is_address) > 0.5):
            continue
        for table in others:
            for ident in unique(table) if table.names is None else ["#name"]:
                ids = set(table.names or ()) if ident == "#name" else set(table.texts(ident))
                hits = values & ids
                if label_of(columns(table)) is None or not hits:
                    continue
                if len(hits) < 2 < len(values):
                    continue
                # Values of another kind may stand in the same field; small numbers meet by chance.
                chance = all(value.isdigit() and len(value) < 2 for value in hits)
                if chance and 4 * len(hits) < len(values):
                    continue
                score = 0.4 + 0.4 * len(hits) / len(values) + 0.2 * says(ident, "id")
                score -= 0.3 if chance and not says(field, "id") else 0.0
                if says(field, "order") or says(field, "level"):
                    score -= 0.4
                if score >= 0.55:
                    why = (
                        f"{len(hits)} of its {len(values)} values are in {ident!r} at {table.at!r}"
                    )
                    made.append(Reference(field, table, ident, min(score, 1.0), why))
    best: dict[tuple[str, int], Reference] = {}
    for reference in sorted(made, key=lambda r: -r.score):
        pairs = [(reference.to.at, other.to.at) for other in best.values()]
        if any(a != b and (_within(a, b) or _within(b, a)) for a, b in pairs):
            continue  # contents in each other would be read twice
        best.setdefault((reference.field, id(reference.to)), reference)
    return list(best.values())


def _decides(items: Items, taken: set[str], references: list[Reference]) -> Found | None:
    """The field that says what kind of target an item has."""
    best: Found | None = None
    if KIND in items.table.fields:
        return Found(KIND, 1.0, "records of several names stand side by side")
    at = items.address.field if items.address else ""
    for field in items.table.fields:
        words = few_words(items.table, field)
        if field in taken or field == at or len(words) < 2 or any(map(is_address, words)):
            continue
        known = [bool(content_kind(word) or target_kind(word)) for word in words]
        name = says(field, "kind")
        score = 0.5 * name + 0.5 * sum(known) / len(known)
        if any(says(field, other) > name for other in ("order", "window", "classes", "icon")):
            score -= 0.4
        if score >= 0.5 and (best is None or score > best.score):
            why = "its words are " + ", ".join(repr(word) for word in words)
            best = Found(field, score, why)
    return best


def _by_word(items: Items, decides: Found, references: list[Reference]) -> list[Kind]:
    if decides.field == KIND:
        return _by_name(items)
    made: list[Kind] = []
    rows = items.table.rows
    own = items.address.field if items.address else ""
    fields = [own, *_beside(items)]
    words = few_words(items.table, decides.field)
    for word in words:
        mine = [row for row in rows if said(row.get(decides.field)) == word]
        reference = _leads(mine, references)
        if reference is not None:
            kind = content_kind(word) or content_kind(reference.to.at) or "page"
            made.append(Kind(word, kind, reference.field, None, reference.score, reference.why))
            continue
        by = {
            field: [text for row in mine if field and (text := said(row.get(field)))]
            for field in fields
        }
        at, addressed = max(by.items(), key=lambda pair: len(pair[1]))
        named = target_kind(word)
        if len(addressed) > len(mine) / 2 or (addressed and named not in ("none", "divider")):
            why = f"{len(addressed)} of {len(mine)} have an address"
            begins = columns(items.table)[at].begins if at == own else ""
            behind = [text.startswith(begins) for text in addressed] if begins else [False]
            if any(behind):
                told = f"{why}, which begins with {begins!r}"
                made.append(Kind(word, "internal", None, at, 1.0, told, begins=begins))
            if all(behind):
                continue
            pages = content_kind(word) is not None and all(text[:1] == "/" for text in addressed)
            made.append(Kind(word, "internal" if pages else "address", None, at, 1.0, why))
            continue
        kind = named if named not in (None, "address") else "none"
        why = "none of these has an address or a reference"
        made.append(Kind(word, kind or "none", score=0.9 if named else 0.4, why=why))
    if any(not said(row.get(decides.field)) for row in rows):
        made += _without(items, [])
    return made


def _by_name(items: Items) -> list[Kind]:
    """The rules of records of several names: each has a label and an address of its own."""
    made: list[Kind] = []
    for name in few_words(items.table, KIND):
        nodes = [
            node
            for node, row in zip(items.table.nodes, items.table.rows, strict=True)
            if row.get(KIND) == name
        ]
        some = Table("", nodes)
        some.fields = [field for field in some.fields if field in items.table.fields]
        known = columns(some)
        label = label_of(known, [KIND])
        field = label.field if label is not None else items.label.field
        own = field if field != items.label.field and not known.get(items.label.field) else None
        found = paths_in(known, [KIND, field])
        at = found[0].field if found else None
        why = f"{len(nodes)} of the records are {name!r}"
        made.append(Kind(name, "address" if at else "none", None, at, 1.0, why, own))
    return made


def _leads(rows: list[Row], references: list[Reference]) -> Reference | None:
    """The reference that most of these records have."""
    best: tuple[float, Reference] | None = None
    for reference in references:
        values = [said(row.get(reference.field)) for row in rows]
        names = reference.to.names if reference.ident == "#name" else None
        ids = set(names if names is not None else reference.to.texts(reference.ident))
        held = sum(value in ids for value in values) / len(rows) if rows else 0.0
        if held >= 0.5 and (best is None or held + reference.score / 10 > best[0]):
            best = (held + reference.score / 10, reference)
    return best[1] if best is not None else None


def _without(items: Items, references: list[Reference]) -> list[Kind]:
    """The rules where no field tells kinds apart."""
    made = [
        Kind(None, content_kind(r.to.at) or "page", r.field, None, r.score, r.why)
        for r in references
    ]
    at = items.address
    for other in _beside(items):
        told = f"where it says something, {at.field if at else ''!r} says nothing"
        made.append(Kind(None, "address", None, other, 0.8, told, given=other, only="reading"))
    begins = columns(items.table)[at.field].begins if at is not None else ""
    if at is not None and begins:
        told = f"most values begin with {begins!r}"
        made.append(Kind(None, "internal", None, at.field, 0.8, told, begins=begins))
    if at is not None:
        score, why = at.score, at.why
        rest = [
            row
            for row in items.table.rows
            if not any(said(row.get(reference.field)) for reference in references)
        ]
        led = sum(bool(said(row.get(at.field))) for row in rest)
        if references and 2 * led >= len(rest) > 0:
            score = max(score, 0.8)
            why = f"{led} of {len(rest)} that name no content have an address"
        some = 2 * len(items.table.texts(at.field)) < len(items.table.rows)
        if PATH in items.table.fields and at.field != PATH and some:
            told = f"{led} of {len(rest)} say where they lead"
            made.append(Kind(None, "address", None, at.field, 0.8, told, None, at.field))
            made.append(Kind(None, "address", None, PATH, 0.8, "all others lead to themselves"))
        else:
            made.append(Kind(None, "address", None, at.field, score, why))
    else:
        # Beside items that refer to pages there are a few that lead nowhere.
        score = 0.8 if references else 0.6
        made.append(Kind(None, "none", score=score, why="no field holds addresses"))
    return made


def _beside(items: Items) -> list[str]:
    """Further fields of addresses: each says one where all others say none."""
    if items.address is None:
        return []
    known = columns(items.table)
    filled = list(map(bool, known[items.address.field].texts))
    made: list[str] = []
    for field, column in known.items():
        if field == items.address.field or field in items.tie.taken or column.addressed < 0.9:
            continue
        here = list(map(bool, column.texts))
        if any(here) and not any(a and b for a, b in zip(filled, here, strict=True)):
            filled = [a or b for a, b in zip(filled, here, strict=True)]
            made.append(field)
    return made


def _says_more(kinds: list[Kind]) -> bool:
    """Whether most words that mean an address are no words for that, and so say something else."""
    words = [kind.word for kind in kinds if kind.word and kind.kind == "address"]
    known = sum(bool(content_kind(word) or target_kind(word)) for word in words)
    return len(words) > 1 and 2 * known < len(words)


def _divider(items: Items, taken: set[str], kinds: list[Kind]) -> Kind | None:
    """The rule of dividers that a field marks: it is switched on where records say nothing else."""
    rows, label = items.table.rows, items.label.field
    leads = [field for kind in kinds for field in (kind.id, kind.address) if field]
    led = [any(said(row.get(field)) for field in leads) for row in rows]
    blank = [not is_led and not said(row.get(label)) for row, is_led in zip(rows, led, strict=True)]
    if items.label.field == "" or any(kind.kind == "divider" for kind in kinds):
        return None
    best: Kind | None = None
    for field in items.table.fields:
        if field in taken or field in leads:
            continue
        held = [row.get(field) for row in rows]
        plain = all(type(value) is bool for value in held if value is not None)
        texts = [
            str(value).lower() if plain and value is not None else said(value) for value in held
        ]
        marks = [text in YES for text in texts]
        words = {text for text, on in zip(texts, marks, strict=True) if on}
        rest = {text for text, on in zip(texts, marks, strict=True) if not on}
        some = sum(marks)
        if len(words) != 1 or not 0 < 2 * some < len(rows):
            continue
        if not rest <= ({"", "false"} if plain else {""}):
            continue
        named = says_target(field, "divider")
        leading = any(on and is_led for on, is_led in zip(marks, led, strict=True))
        if marks == blank or (named and not leading):
            score = 0.9 if named else 0.75 if some > 1 else 0.6
            if best is None or score > best.score:
                why = f"{field!r} is switched on in {some} records, which lead nowhere"
                best = Kind(words.pop(), "divider", score=score, why=why, marked=field)
    return best


class Inventory(NamedTuple):
    """Where contents stand: their id, title and path, and their kind."""

    table: Table
    ident: str
    title: str | None
    path: Found | None
    kind: str
    sure: bool


def inventories(found: Links) -> list[Inventory]:
    """The lists of contents that items refer to."""
    made: dict[int, Inventory] = {}
    for reference in found.references:
        table = reference.to
        but = [f for f in table.fields if f.startswith(f"{NAME}/")]
        title = label_of(columns(table), [*but, reference.ident])
        path = next(iter(paths_in(columns(table))), None)
        kinds = {kind.kind for kind in found.kinds if kind.id == reference.field}
        named = content_kind(table.at)
        kind = named or (next(iter(kinds)) if len(kinds) == 1 else "page")
        made.setdefault(
            id(table),
            Inventory(
                table,
                reference.ident,
                title.field if title else None,
                path,
                kind,
                named is not None or len(kinds) == 1,
            ),
        )
    return list(made.values())
