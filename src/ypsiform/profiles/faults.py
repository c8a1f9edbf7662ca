"""Mistakes in a profile: what is wrong, what was expected, and what comes near it."""

# Long, since every mistake of a profile is told here, and each is a sentence of its own.

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from ..containers import CONTAINERS, FORMATS, Format
from ..encodings import AnyRule
from ..encodings.blocks import HELD, LEADS
from ..errors import ProfileError
from ..model import ALL_DEVICES, CONTENT_KINDS, TARGET_KINDS, TRAIT_NAMES
from .codecs import CODECS, chain
from .headed import MENU
from .lines import Steps
from .mistakes import Fault, lacking_of, near
from .records import Composed, plain
from .schema import (
    ITEM_FIELDS,
    LOCATION_FORMS,
    MENU_FIELDS,
    SAYINGS,
    FieldRule,
    FieldRules,
    FileRule,
    FoldRule,
    ItemRule,
    KindRule,
    MenuRule,
    PlaceRule,
    Profile,
    Requirement,
)
from .structures import ColumnsTie, IndentedTie, IntervalsTie, StepsTie, TieRule
from .ties import is_indent
from .trees import ABOVE, ADDRESS, UPPER

CONTENT_FIELDS = ("id", "key", "kind", "title", "path", "state", "audience")
LOCATION_FIELDS = ("name", "caption", "menu")
SITE_FIELDS = ("address", "language", "theme")
KINDS = (*TARGET_KINDS, "address", "internal", "divider", "any")
ONE_PLACE = (
    *("home", "articles", "all-products", "all-groups", "search", "search-field", "account"),
)
"""Kinds of which a site has one."""


# What does not have the form of a profile


# What has the form of a profile, and cannot be meant


def faults(profile: Profile) -> Iterator[Fault]:
    """The mistakes in a profile, in the order of its parts."""
    if profile.profile != 1:
        found = f"found profile = {profile.profile}, but this version reads profile = 1"
        yield Fault(["profile"], found)
    yield from _containers(profile)
    yield from _fields(profile)
    yield from _places(profile)
    yield from _tie(profile)
    yield from _purposes(profile)
    yield from _booleans(profile)
    yield from _kinds(profile)
    yield from _limits(profile)
    yield from _requires(["requires"], profile.requires)
    for name, theme in profile.themes.items():
        yield from _requires(["themes", name, "requires"], theme.requires)


def _requires(path: Steps, steps: Sequence[str | Requirement]) -> Iterator[Fault]:
    for at, step in enumerate(steps):
        for nth, word in enumerate(step.when if isinstance(step, Requirement) else ()):
            if word not in SAYINGS:
                yield Fault([*path, at, "when", nth], f"found {word!r}; {near(word, SAYINGS)}")


_MIXED = ("xml", "json", "yaml", "toml")
_LISTS = ("json", "yaml", "toml", "xlsx", "sqlite")


def _said(words: Sequence[str]) -> str:
    return f"{', '.join(words[:-1])} or {words[-1]}"


def _containers(profile: Profile) -> Iterator[Fault]:
    # What a container asks of its profile, one condition after the other.
    for at, other in enumerate(profile.also):
        if other not in ("json", "yaml", "toml"):
            yield Fault(["also", at], f"found {other!r}; {near(other, ('json', 'yaml', 'toml'))}")
    if profile.also and profile.container not in ("json", "yaml", "toml"):
        yield Fault(["also"], "only json, yaml and toml hold the same documents")
    if profile.folder and not profile.also:
        yield Fault(["folder"], "a folder is read where `also` names containers of its files")
    if profile.container not in CONTAINERS:
        hint = near(profile.container, CONTAINERS)
        yield Fault(["container"], f"found container {profile.container!r}; {hint}")
    if profile.grids and (profile.container not in ("json", "yaml", "toml") or profile.also):
        yield Fault(["grids"], "rows that are lists stand in one document of json, yaml or toml")
    if profile.mixed and (profile.container not in _MIXED or profile.also):
        yield Fault(["mixed"], f"records of several names stand in one document of {_said(_MIXED)}")
    if profile.pairs and (profile.container not in ("json", "yaml", "toml") or profile.also):
        yield Fault(["pairs"], "labels are names in one document of json, yaml or toml")
    if profile.pairs and profile.container == "toml" and not profile.read_only:
        message = (
            "tables of TOML stand behind all addresses beside them, so that items would change "
        )
        yield Fault(["pairs"], f"{message}places: say why files are only read, with `read-only`")
    for at, path in enumerate(profile.pairs):
        yield from _path(["pairs", at], path)
    if profile.pairs and not (profile.items.tie.keyed and profile.items.tie.value):
        message = "records of one key are tied by `keyed` and `value`, in the structure nested"
        yield Fault(["pairs"], message)
    if profile.headed and (profile.container not in (*_LISTS, "csv", "lines") or profile.also):
        message = f"headings stand in lists of records, of {_said((*_LISTS, 'lines', 'csv'))}"
        yield Fault(["headed"], message)
    if profile.headed and profile.items.tie.menu != MENU:
        yield Fault(["headed"], f"items name the heading that they stand below: menu = {MENU!r}")
    for name, key in profile.headed.items():
        yield from _path(["headed", name], name)
        if "/" in key:
            yield Fault(["headed", name], f"a heading is a key of a record, and {key!r} is a path")
    if profile.gathered and (profile.container not in _LISTS or profile.also):
        yield Fault(["gathered"], f"lists are gathered from one document of {_said(_LISTS)}")
    paths = list(profile.gathered.values())
    for name, path in profile.gathered.items():
        if any(other != path and f"{path}/".startswith(f"{other}/") for other in paths):
            yield Fault(["gathered", name], "this list stands in another one")
        if paths.count(path) > 1 or not path:
            yield Fault(["gathered", name], "each menu has a list of its own, and a path to it")
    names = [name for mixed in profile.mixed for name in mixed.names]
    for at, mixed in enumerate(profile.mixed):
        if len(mixed.names) < 2 or any(not one or set(one) & {"/", "#"} for one in mixed.names):
            yield Fault(["mixed", at, "names"], "give two names of records, or more")
        twice = next((one for one in mixed.names if names.count(one) > 1), None)
        if twice is not None:
            yield Fault(["mixed", at, "names"], f"{twice!r} is there twice")
    yield from _slugs(profile)
    if profile.container == "sql" and not profile.read_only:
        yield Fault(["container"], "dumps of SQL are never written: say why with `read-only`")
    told: list[tuple[Steps, list[str]]] = [
        (["menus"], profile.menus.serialised),
        (["items"], profile.items.serialised),
    ]
    told += [(["content", at], one.serialised) for at, one in enumerate(profile.content)]
    for steps, serialised in told:
        if serialised and not profile.read_only:
            message = "values of PHP are read and never written: say why with `read-only`"
            yield Fault([*steps, "serialised"], message)
    for name, rule in profile.files.items():
        if rule.container not in CONTAINERS or rule.container == "files":
            hint = near(rule.container, [c for c in CONTAINERS if c != "files"])
            yield Fault(["files", name, "container"], f"found {rule.container!r}; {hint}")
        if not rule.name or rule.name.startswith("/") or ".." in rule.name.split("/"):
            yield Fault(["files", name, "name"], f"{rule.name!r} is not the name of a file in it")
        if "*" in rule.name:
            yield from _each(profile, name, rule)
    if (profile.container == "files") != bool(profile.files):
        yield Fault(["container"], "the container 'files' and the table [files] go together")
    rule_ = profile.recognise
    if not (rule_.root or rule_.keys or rule_.columns or profile.files):
        yield Fault(["recognise"], "name what tells a file of this platform: root, keys or columns")


def _slugs(profile: Profile) -> Iterator[Fault]:
    """What is asked of addresses that are made of slugs."""
    for at, kind in enumerate(profile.items.kinds if not profile.read_only else ()):
        if ADDRESS in (kind.address, kind.id, kind.key, *kind.when):
            message = (
                "no slugs are made of addresses: say why files are only read, with `read-only`"
            )
            yield Fault(["items", "kinds", at], message)
    if profile.slugs and (profile.also or profile.page):
        yield Fault(
            ["slugs"], "records of one document, or of files that belong together, have slugs"
        )
    if profile.above and not profile.read_only:
        message = "what stands below what is read of addresses and not written: say `read-only`"
        yield Fault(["above"], message)
    if profile.above and profile.items.tie.under != UPPER:
        yield Fault(["above"], f"the items are tied by it: under = {UPPER!r}")
    for name, key in profile.above.items():
        yield from _path(["above", name], name)
        yield from _path(["above", name], key)
    for at, rule in enumerate(profile.slugs):
        if not rule.slug and not rule.keyed:
            yield Fault(
                ["slugs", at], "name the key of the `slug`, or say that records are `keyed`"
            )
        if bool(rule.id) != bool(rule.under):
            yield Fault(["slugs", at], "`id` and `under` go together")
        if rule.inside and rule.under:
            yield Fault(["slugs", at, "under"], "with `inside`, nothing else says what is above")
        if rule.top is not None and not rule.under:
            yield Fault(["slugs", at, "top"], "`top` is a word of the key `under`")
        if rule.first and not rule.inside:
            yield Fault(["slugs", at, "first"], "`first` goes with `inside`")
        for name in ("at", "slug", "inside", "first", "id", "under"):
            yield from _path(["slugs", at, name], getattr(rule, name) or "")


ONE_RECORD = ("json", "yaml", "toml", "xml", "csv", "lines", "front")
"""Containers of which a file can be one of many records."""


PLACED = ("intervals", "steps", "outline", "listed")
"""Structures of which a record says its place among its siblings itself."""


def _each(profile: Profile, name: str, rule: FileRule) -> Iterator[Fault]:
    """What is asked of files that are a record each."""
    if rule.container in CONTAINERS and rule.container not in ONE_RECORD:
        message = f"a file of {rule.container} is no record: {near(rule.container, ONE_RECORD)}"
        yield Fault(["files", name, "container"], message)
    tie = profile.items.tie
    told: list[tuple[Steps, str | None]] = [
        (["items", "at"], profile.items.at),
        (["menus", "at"], profile.menus.at),
        (["locations", "at"], profile.locations.at),
    ]
    told += [(["content", n, "at"], one.at) for n, one in enumerate(profile.content)]
    told += [(["site", "fields", k], plain(v).at) for k, v in profile.site.fields.items()]
    for steps, at in told:
        if at is not None and at.startswith(f"{name}/"):
            message = f"each file at {name!r} is a record: no list stands at a path below it"
            yield Fault(steps, message)
    if tie.under == ABOVE and not profile.read_only:
        message = "folders are read and never made: say why files are only read, with `read-only`"
        yield Fault(["items", "tie", "under"], message)
    placed = tie.order or tie.follows or tie.structure in PLACED
    if name in (profile.items.at, tie.first) and not placed and not profile.read_only:
        message = "files have no order of their own: name an `order`, or say `read-only`"
        yield Fault(["items", "tie"], message)


def _fields(profile: Profile) -> Iterator[Fault]:
    # All tables of fields by the same rules, so that a message means the same everywhere.
    named: list[tuple[Steps, FieldRules, tuple[str, ...]]] = [
        (["site", "fields"], profile.site.fields, SITE_FIELDS),
        (["menus", "fields"], profile.menus.fields, MENU_FIELDS),
        (["locations", "fields"], profile.locations.fields, LOCATION_FIELDS),
        (["items", "fields"], profile.items.fields, ITEM_FIELDS),
    ]
    for at, content in enumerate(profile.content):
        named.append((["content", at, "fields"], content.fields, CONTENT_FIELDS))
    for path, fields, known in named:
        places: dict[str, str] = {}
        for name, short in fields.items():
            rule = plain(short)
            here = [*path, name]
            other = places.setdefault(rule.at, name)
            if rule.at and other != name:
                yield Fault(here, f"{other!r} reads {rule.at!r} already; one place says one fact")
            if name not in known and not (path == ["site", "fields"] and rule.is_ is not None):
                yield Fault(here, f"found the unknown fact {name!r}; {near(name, known)}")
            if rule.languages and here != ["items", "fields", "label"]:
                message = "only the label of items is a text for each language"
                yield Fault([*here, "languages"], message)
            yield from _steps(here, rule.through, bool(profile.read_only))
            yield from _words_of(here, name, rule.through)
            if not rule.flags:
                yield from _kind_of(here, name, rule.through)
                switch = name in ("hidden", "badge-counts")
                if switch and not rule.through and profile.id != "ypsiform":
                    message = f"{name!r} is true or false: say with `through` how it is read"
                    yield Fault(here, message)
                listed = name in ("audience", "devices") and not rule.through
                if listed and profile.id != "ypsiform":
                    yield Fault(here, f"{name!r} is a list: say with `through` how it is read")
            yield from _always(here, name, rule, bool(profile.read_only))
            standard = rule.standard if isinstance(rule.standard, list) else [rule.standard]
            for word in standard if name in WORDS or name == "devices" else ():
                words = WORDS.get(name, ALL_DEVICES)
                if word is not None and word not in words:
                    message = f"found {name} {word!r}; {near(str(word), words)}"
                    yield Fault([*here, "standard"], message)
            if not rule.at and not rule.flags:
                yield Fault(here, f"{name!r} needs `at`: where it stands in the record")
            yield from _path(here, rule.at, star=True)
            if profile.id != "ypsiform":
                yield from _of_languages(here, name, rule)
            last = rule.at.rpartition("/")[2]
            fold = profile.items.fold if path[0] == "items" else None
            if path[0] == "content":
                fold = profile.content[int(path[1])].fold
            bare = rule.at and not rule.through and not rule.flags and rule.is_ is None
            if bare and _format(profile).elements and not _folded(fold, rule.at):
                yield from _text_of_element(here, rule.at)
            folded = path[0] == "items" and profile.items.fold is not None
            if profile.container == "xml" and not folded and "@" in last[1:]:
                yield Fault(here, f"the path {rule.at!r} has an @ within: an attribute is @name")
    parts: list[tuple[str, MenuRule | ItemRule]] = [
        ("menus", profile.menus),
        ("items", profile.items),
    ]
    for part, found in parts:
        yield from _found(profile, [part], found)
        yield from _composed(profile, [part], found)
    for at, content in enumerate(profile.content):
        here = ["content", at]
        if bool(content.at) == bool(content.find):
            yield Fault(here, "name where contents stand: with `at`, or with `find`")
        if content.kind is None and "kind" not in content.fields:
            yield Fault(here, "the kind is missing: name `kind`, or a field `kind` that says it")
        if content.kind is not None and content.kind not in CONTENT_KINDS:
            hint = near(content.kind, sorted(CONTENT_KINDS))
            yield Fault([*here, "kind"], f"found kind {content.kind!r}; {hint}")
        if {"id", "key", "path"}.isdisjoint(content.fields):
            yield Fault([*here, "fields"], "contents need an `id`, a `key` or a `path`")
        yield from _path([*here, "at"], content.at)
        yield from _find([*here, "find"], content.find)


WORDS: dict[str, tuple[str, ...]] = {
    "kind": tuple(sorted(CONTENT_KINDS)),
    "state": ("live", "draft", "private", "gone"),
    "window": ("new", "same"),
    "opens": ("hover", "press"),
}
"""What the words of some fields can mean."""

PURPOSES = ("bar", "footer", "handset", "signed-in", "side", "back office")
"""What locations can be for."""


def _always(path: Steps, name: str, rule: FieldRule, one_way: bool) -> Iterator[Fault]:
    """What is written even where it says nothing must be a word of the field's table."""
    codec = rule.through[-1] if len(rule.through) == 1 else {}
    table = codec.get("words")
    said = not rule.always or rule.flags or one_way or not isinstance(table, dict)
    if isinstance(table, dict) and not said and rule.standard not in table.values():
        message = f"no word means {rule.standard!r}, which is always written"
        yield Fault([*path, "through", 0, "words"], message)
    for at, step in enumerate(rule.through if rule.flags and not one_way else ()):
        table = step.get("words")
        if isinstance(table, dict):
            for value, word in ((True, "true"), (False, "false")):
                if not any(value is found for found in table.values()):
                    message = f"no word means {word}, and each of the flags is one of the two"
                    yield Fault([*path, "through", at, "words"], message)


def _format(profile: Profile) -> Format:
    """What the container of a profile is; one that there is not has its own fault."""
    return FORMATS.get(profile.container, Format("", ""))


LISTS = ("audience", "devices", "classes", "place")
"""Fields that are lists of words; a menu may say one place as a text."""

FLAGS = ("hidden", "saved", "badge-counts")
"""Fields that are true or false."""


def _kind_of(path: Steps, name: str, through: list[dict[str, Any]]) -> Iterator[Fault]:
    """What the last step gives must be what the field is: a text, a list, or true and false."""
    if not through or len(through[-1]) != 1:
        return
    ((codec, argument),) = through[-1].items()
    listed = codec in ("split", "list", "but", "audience")
    table = argument if codec in ("words", "flag") and isinstance(argument, dict) else {}
    given = [value for word, value in table.items() if word != "numbers"]
    truths = (
        codec == "there"
        or (codec == "flag" and argument is True)
        or any(isinstance(v, bool) for v in given)
    )
    here: Steps = [*path, "through", len(through) - 1]
    if len({isinstance(value, bool) for value in given}) > 1:
        yield Fault(here, f"some of these words mean true or false for {name!r}, and others texts")
        return
    spoken = path == ["site", "fields", "language"] and codec == "split"  # the first one counts
    if listed and name not in LISTS and not spoken:
        yield Fault(here, f"the codec {codec} gives a list, and {name!r} is none")
    elif name in ("audience", "classes") and not listed:
        yield Fault(here, f"{name!r} is a list, and the codec {codec} gives none")
    elif truths != (name in FLAGS) and codec in ("words", "flag") and name != "devices":
        word = "true or false" if name in FLAGS else "a text"
        yield Fault(here, f"{name!r} is {word}, and the codec {codec} gives something else")


def _words_of(path: Steps, name: str, through: list[dict[str, Any]]) -> Iterator[Fault]:
    """What a table of words gives must be a word of the field."""
    known = WORDS.get(name)
    for at, step in enumerate(through if known else ()):
        for codec in ("words", "flag"):
            table = step.get(codec)
            for word, value in table.items() if isinstance(table, dict) else ():
                if known and value not in known and word != "numbers":
                    where: Steps = [*path, "through", at, codec, word]
                    yield Fault(where, f"found {name} {value!r}; {near(str(value), known)}")


def _purposes(profile: Profile) -> Iterator[Fault]:
    for name, purpose in profile.purposes.items():
        if purpose not in PURPOSES:
            yield Fault(["purposes", name], f"found {purpose!r}; {near(purpose, PURPOSES)}")


def _steps(path: Steps, through: list[dict[str, Any]], one_way: bool) -> Iterator[Fault]:
    for at, step in enumerate(through):
        here = [*path, "through", at]
        if len(step) != 1:
            yield Fault(here, "each step of `through` names one codec")
            continue
        ((codec, argument),) = step.items()
        if codec not in CODECS:
            yield Fault(here, f"found the unknown codec {codec!r}; {near(codec, CODECS)}")
            continue
        try:
            chain([step], codec)
        except ProfileError as error:
            yield Fault([*here, codec], error.message.removeprefix(f"{codec}: "))
        if codec == "words" and isinstance(argument, dict) and not one_way:
            seen: dict[Any, str] = {}
            for word, value in argument.items():
                first = seen.setdefault(str(value), word)
                if first != word:
                    yield Fault(
                        [*here, codec],
                        f"this cannot be written back: {first!r} and {word!r} both mean {value!r}; "
                        "leave one out, or say why files are only read, with `read-only`",
                    )


def _path(path: Steps, at: str | None, *, star: bool = False) -> Iterator[Fault]:
    """A path must name one place, so that it can be written."""
    body = (at or "").removesuffix("*") if star else at or ""
    odd = body.startswith("$") or "*" in body or ".." in body.split("/") or "[?" in body
    if odd:
        yield Fault(
            path,
            f"the path {at!r} cannot be written back: name each key, with / between them; a "
            "JSONPath is for `find`, which only reads",
        )
    elif re.match(r"[a-z_]+\.[a-z_.]+$", body):
        slashes = body.replace(".", "/")
        yield Fault(path, f"the path {at!r} has a dot; did you mean {slashes!r}?")


def _of_languages(path: Steps, name: str, rule: FieldRule) -> Iterator[Fault]:
    """A path that ends in a star is that of labels in any language, and theirs ends in one."""
    star = rule.at.endswith("*")
    if star and name != "translations":
        yield Fault(path, f"the path {rule.at!r} ends in *, which only that of translations does")
    elif name == "translations" and rule.at and not star:
        yield Fault(path, f"the path {rule.at!r} must end in * where the language stands: 'text@*'")


def _folded(fold: FoldRule | None, key: str) -> bool:
    """Whether a key may be one that children of a record are folded into."""
    return fold is not None and (not fold.named or key.split("@")[0] == fold.named)


def _text_of_element(path: Steps, at: str) -> Iterator[Fault]:
    """In XML a text is an attribute, or what stands in an element."""
    last = at.rpartition("/")[2]
    if last[:1] not in ("@", "#"):
        message = f"{at!r} is an element: its text is {at + '/#text'!r}, an attribute '@{last}'"
        yield Fault(path, message)


def _found(profile: Profile, path: Steps, rule: MenuRule | ItemRule) -> Iterator[Fault]:
    if rule.at is not None and rule.at != ".":
        yield from _path([*path, "at"], rule.at)
    if rule.find is not None and not profile.read_only:
        yield Fault(
            [*path, "find"],
            "what a JSONPath finds cannot be written: use `at`, or say why files are only read, "
            "with `read-only`",
        )
    yield from _find([*path, "find"], rule.find)


def _find(path: Steps, query: str | None) -> Iterator[Fault]:
    if query is None:
        return
    import jsonpath_rfc9535 as jsonpath

    try:
        jsonpath.compile(query)
    except jsonpath.JSONPathError as error:
        yield Fault(path, f"{query!r} is not a JSONPath: {str(error).splitlines()[0]}")


def _composed(profile: Profile, path: Steps, rule: MenuRule | ItemRule) -> Iterator[Fault]:
    """Texts that are put together: what can hold anything must be the last part."""
    free = {plain(r).at for n, r in rule.fields.items() if n in ("label", "title", "key")}
    if isinstance(rule, ItemRule):
        for kind in rule.kinds:
            free.update(key for key in (kind.id, kind.key, kind.address) if key)
            free.update(key for key, words in kind.when.items() if "{" in words)
    for key, template in rule.composed.items():
        here = [*path, "composed", key]
        try:
            parts = Composed(template).parts
        except ProfileError as error:
            yield Fault(here, error.message)
            continue
        for part in parts[:-1]:
            if f"{key}/{part}" in free:
                yield Fault(
                    here,
                    f"this cannot be written back: {part!r} can hold what stands behind it; a "
                    "label, a key or an address must be the last part",
                )


def _places(profile: Profile) -> Iterator[Fault]:
    # Locations and panels together: a panel names the location that it opens at.
    rule = profile.locations
    if rule.form not in LOCATION_FORMS:
        hint = near(rule.form, LOCATION_FORMS)
        yield Fault(["locations", "form"], f"found form {rule.form!r}; {hint}")
    if rule.form in ("records", "keys") and not rule.at:
        yield Fault(["locations"], f"the form {rule.form} needs `at`: where locations stand")
    if rule.form == "records":
        for name in ("name", "menu"):
            if name not in rule.fields:
                yield Fault(["locations"], f"the form records needs a field {name!r}")
    yield from _path(["locations", "at"], rule.at)
    places: list[tuple[Steps, PlaceRule]] = []
    places += [(["locations", "offered", n], place) for n, place in enumerate(rule.offered)]
    for title, theme in profile.themes.items():
        here: Steps = ["themes", title, "locations"]
        places += [([*here, n], place) for n, place in enumerate(theme.locations)]
    encoded: list[tuple[Steps, AnyRule | None]] = [(["panels"], profile.panels)]
    for title, theme in profile.themes.items():
        encoded.append((["themes", title, "panels"], theme.panels))
    for at, panels in encoded:
        if panels is None:
            continue
        yield from _panels(profile, panels, at)
        types = [block.type for block in panels.typed]
        for n, block in enumerate(panels.typed):
            if block.type in types[:n]:
                message = f"two blocks have the type {block.type!r}, and could not be told apart"
                yield Fault([*at, "blocks", n, "type"], message)
            kinds = ["links", *HELD]
            if block.holds not in kinds:
                hint = near(block.holds, kinds)
                yield Fault([*at, "blocks", n, "holds"], f"found {block.holds!r}; {hint}")
            traits = (*TRAIT_NAMES, "hidden")
            for fact in block.lacks:
                if fact not in traits:
                    words = f"found the trait {fact!r}; {near(fact, traits)}"
                    yield Fault([*at, "blocks", n, "lacks"], words)
            if block.lacks and not (panels.head_records and block.heading):
                words = "only headings of links in cells are records that can lack facts of items"
                yield Fault([*at, "blocks", n, "lacks"], words)
            held = HELD.get(block.holds)
            facts = [*held.__struct_fields__] if held is not None else []
            names = {made: fact for fact, made in LEADS.items()}
            facts = [names.get(fact, fact) for fact in facts if fact != "links"]
            facts += panels.picture_facts if block.holds == "picture" else ()
            for fact in block.fields if held is not None else ():
                if fact not in facts:
                    words = f"a {block.holds} block has no fact {fact!r}; {near(fact, facts)}"
                    yield Fault([*at, "blocks", n, "fields"], words)
    for path, place in places:
        key = profile.limits.location_key
        if key and (len(place.name) > key.longest or not re.fullmatch(key.pattern, place.name)):
            yield Fault([*path, "name"], f"{place.name!r} is not a legal key of a location here")
        for device in place.devices:
            if device not in ("desktop", "handset"):
                hint = near(device, ("desktop", "handset"))
                yield Fault([*path, "devices"], f"found the device {device!r}; {hint}")


def _panels(profile: Profile, rule: AnyRule, at: Steps) -> Iterator[Fault]:
    """What an encoding of panels needs must be named."""
    lacking = lacking_of(rule)
    if lacking:
        yield Fault([*at, "encoding"], lacking)
        return
    theme = profile.themes.get(str(at[1])) if len(at) > 2 else None
    places = theme.locations if theme is not None else profile.locations.offered
    here = next((place for place in places if place.name == rule.shown_at), None)
    if rule.shown_at and here is None:
        hint = near(rule.shown_at, [place.name for place in places])
        yield Fault([*at, "location"], f"found location {rule.shown_at!r}; {hint}")
    elif rule.in_sequence and here is not None and here.sequence is None:
        listed: Steps = [*at[:-1], "locations"] if theme is not None else ["locations", "offered"]
        number = places.index(here)
        yield Fault([*listed, number], f"the location {rule.shown_at!r} says no 'sequence'")
    lists = any(block.holds == "links" for block in rule.typed)
    if rule.needs_links and not lists:
        yield Fault([*at, "blocks"], f"the encoding {rule.name} needs a block of links")
    for word, style in rule.named_styles.items():
        if style not in ("columns", "tabs"):
            hint = near(style, ("columns", "tabs"))
            yield Fault([*at, "styles", word], f"found the style {style!r}; {hint}")
    form = _format(profile)
    if rule.in_records and (form.elements or form.rows):
        words = f"the encoding {rule.name} is for records that hold lists, and not for {form.title}"
        yield Fault([*at, "encoding"], words)
    elif rule.in_records and not profile.items.tie.nests:
        words = f"the encoding {rule.name} is for items that stand in each other (nested)"
        yield Fault([*at, "encoding"], words)
    kinds = [*profile.items.kinds, *(theme.kinds if theme is not None else ())]
    if rule.leads and rule.leads not in {kind.address for kind in kinds}:
        words = f"no kind has its address at {rule.leads!r}; say in `named` which key it means"
        yield Fault([*at, "address"], words)
    if len({*rule.renamed.values()}) < len(rule.renamed):
        yield Fault([*at, "named"], "two keys mean the same one: each has one of its own")
    if rule.needs_pages and profile.items.pages is None:
        yield Fault([*at, "encoding"], f"the encoding {rule.name} is for menus made of pages")


def _tie(profile: Profile) -> Iterator[Fault]:
    """What the structure of items needs must be named."""
    # In the order in which a profile is written, so that the first message is about the first
    # mistake.
    tie, items, menus = profile.items.tie, profile.items, profile.menus
    here: Steps = ["items", "tie", "structure"]
    held = ("first", "keyed", "inside")
    for name in (*held, *_TIE_KEYS):
        key = getattr(tie, name, None)
        if not isinstance(key, str | None):
            continue
        yield from _path(["items", "tie", name], key)
        text = name not in held
        if key == "":
            yield Fault(["items", "tie", name], f"{name!r} is empty: leave it out, or name a key")
        elif text and key and _format(profile).elements and not _folded(items.fold, key):
            yield from _text_of_element(["items", "tie", name], key)
    if menus.one and menus.at != ".":
        yield Fault(["menus", "one"], "one menu is the document itself: menus.at is '.'")
    missing = [name for name in tie.needs if not getattr(tie, name)]
    if (menus.one or tie.in_menus) and "menu" in missing:
        missing.remove("menu")
    if tie.in_menus and tie.menu:
        message = "records that stand in their menus name none: leave `menu` or `inside` out"
        yield Fault(["items", "tie", "menu"], message)
    if not tie.in_menus and not (items.at or items.find):
        missing.append("items.at")
    yield from _steps_of(tie)
    if tie.follows and not tie.id:
        yield Fault(["items", "tie", "follows"], "what follows another record names its `id`")
    tied = {name: getattr(tie, name, None) for name in _TIE_KEYS if name != "order"}
    tied["order"] = tie.order if not tie.nests else None
    columns = tie.columns if isinstance(tie, ColumnsTie) else []
    tied |= {f"columns, {at}": column for at, column in enumerate(columns, 1)}
    for fact, short in items.fields.items() if not profile.read_only else ():
        for name, key in tied.items():
            if key and plain(short).at == key:
                message = f"the tie reads {key!r} already, as `{name}`; one of the two is written"
                yield Fault(["items", "fields", fact], message)
    if missing:
        yield Fault(here, f"the structure {tie.structure} also needs: {', '.join(missing)}")
    listed_there = items.pages or tie.of_paths or menus.at or menus.find
    if (tie.in_menus or tie.lists) and not listed_there:
        yield Fault(
            ["menus"],
            "items that stand in their menus need menus that are listed: menus.at is missing",
        )
    if "under" in tie.needs and not tie.menu and not (menus.at or menus.find):
        yield Fault(here, "where records do not name their menu, menus.at is needed")
    if "id" in menus.fields and not (tie.menu or tie.under or tie.lists):
        message = "no item names its menu, so that nothing would read this id"
        yield Fault(["menus", "fields", "id"], message)
    if (menus.at or menus.find) and "key" not in menus.fields and not menus.one:
        yield Fault(["menus"], "menus that are listed need a field `key`")
    for at, join in enumerate(items.joins):
        if join.language and join.language not in join.only:
            message = (
                f"say in `only` which {join.language!r} the keys have that no language follows"
            )
            yield Fault(["items", "joins", at, "language"], message)
    if tie.nests and tie.keyed and not tie.value and tie.id != tie.keyed:
        yield Fault(
            ["items", "tie", "keyed"], f"`id` must be {tie.keyed!r} too: names are ids here"
        )
    if items.keyed and not profile.read_only:
        said = {plain(short).at for short in items.fields.values()} | {*tie.keys}
        if items.keyed == tie.menu:
            message = "records are known by the names of their menus: each could hold one item"
            yield Fault(["items", "keyed"], message)
        elif items.keyed not in said:
            message = f"a record that is written has no name: nothing of an item is {items.keyed!r}"
            yield Fault(["items", "keyed"], message)
    if tie.of_pages and items.pages is None:
        yield Fault(here, "the structure pages also needs the table [items.pages]")
    if items.pages is not None:
        for name in items.pages.__struct_fields__:
            if not getattr(items.pages, name):
                yield Fault(["items", "pages", name], f"{name!r} is empty: name a key, or a word")
        known = profile.content[0].fields if profile.content else {}
        lacks = [name for name in ("id", "title", "path", "audience") if name not in known]
        if lacks:
            yield Fault(["content"], f"pages of menus need the fields {', '.join(lacks)}")
    listed = profile.content[0].fields if profile.content else {}
    for name, theme in profile.themes.items():
        if theme.no_menus and "path" not in listed:
            message = "a file without menus lists contents: the first [[content]] needs a `path`"
            yield Fault(["themes", name, "no-menus"], message)
    unwritten = all(theme.read_only for theme in profile.themes.values())
    if tie.of_paths and unwritten and not profile.read_only:
        yield Fault(here, "menus that are made of paths cannot be written: say read-only")
    for name, theme in profile.themes.items() if tie.of_paths else ():
        if not (theme.no_menus or theme.read_only or profile.read_only):
            message = "menus that are made of paths cannot be written: say no-menus or read-only"
            yield Fault(["themes", name], message)
    taken = {plain(rule).at: name for name, rule in items.fields.items()}
    if tie.order in taken and not profile.read_only:
        yield Fault(
            ["items", "tie", "order"],
            f"{tie.order!r} says {taken[tie.order]!r} already, and can say only one of the two",
        )
    if tie.nests and items.only:
        yield Fault(
            ["items", "only"],
            "of records that stand in each other `only` leaves none out; say of those that are not "
            "shown that they are switched off, with the field `hidden`",
        )
    if tie.each and not any("{id}" in words for words in tie.each.values()):
        yield Fault(["items", "tie", "each"], "one of these values must be '{id}'")


_TIE_KEYS = (
    *("id", "menu", "under", "order", "follows", "number", "left", "right", "level", "count"),
)
"""The names of keys of a record that tie it."""


def _steps_of(tie: TieRule) -> Iterator[Fault]:
    """What structures whose places are counted, or told by how a label stands, ask besides."""
    here: Steps = ["items", "tie"]
    if isinstance(tie, StepsTie):
        if not 1 <= tie.width <= 64:
            yield Fault([*here, "width"], "a step has 1 to 64 letters")
        if len(tie.alphabet) < 2 or len(set(tie.alphabet)) < len(tie.alphabet):
            yield Fault(
                [*here, "alphabet"], "an alphabet has two letters or more, each of them once"
            )
    if isinstance(tie, StepsTie | IntervalsTie) and not (
        (0 if isinstance(tie, IntervalsTie) else 1) <= tie.start <= 100
    ):
        yield Fault([*here, "start"], f"found {tie.start}, which is no level of the top")
    if isinstance(tie, ColumnsTie) and len({*tie.columns, ""}) <= len(tie.columns):
        yield Fault([*here, "columns"], "a column stands there twice, or is empty")
    if isinstance(tie, IndentedTie) and not is_indent(tie.step):
        yield Fault([*here, "step"], f"{tie.step!r} indents nothing: use blanks, tabs or dashes")


def _booleans(profile: Profile) -> Iterator[Fault]:
    """Whether keys that are true or false can be so, and whether a kind asks for them."""
    themes = profile.themes.values()
    rules = [*profile.items.kinds, *(rule for theme in themes for rule in theme.kinds)]
    asked = {key for rule in rules for key in rule.when}
    form = _format(profile)
    for n, key in enumerate(profile.items.booleans):
        here: Steps = ["items", "booleans", n]
        if form.elements or (form.rows and profile.container != "xlsx"):
            yield Fault(here, f"in this container {key!r} is a text, and never true or false")
        elif key not in asked:
            yield Fault(here, f"no kind asks for {key!r}: name it in `when` of one")


def _kinds(profile: Profile) -> Iterator[Fault]:
    # A rule of kinds goes both ways: what it reads it must be able to write, and no rule before it
    # may take that for its own.
    rules: list[tuple[Steps, KindRule]] = []
    rules += [(["items", "kinds", n], rule) for n, rule in enumerate(profile.items.kinds)]
    for title, theme in profile.themes.items():
        here: Steps = ["themes", title, "kinds"]
        rules += [([*here, n], rule) for n, rule in enumerate(theme.kinds)]
    fields = {plain(f).at: name for name, f in profile.items.fields.items() if not plain(f).flags}
    written: dict[tuple[str, str], bool] = {}
    for path, rule in rules if not profile.read_only else ():
        if rule.part or rule.only == "reading" or rule.kind in ("address", "internal", "none"):
            continue
        leads = rule.address is not None or "{address}" in "".join(rule.when.values())
        first = written.setdefault((str(path[:-1]), rule.kind), leads)
        if leads and not first:
            yield Fault(
                [*path, "kind"],
                f"items of the kind {rule.kind!r} are written by the first rule for it, which has "
                'no address; say only = "reading" here, or give that one the address',
            )
    for path, rule in rules:
        if rule.kind not in KINDS:
            yield Fault([*path, "kind"], f"found kind {rule.kind!r}; {near(rule.kind, KINDS)}")
            continue
        if rule.only not in (None, "reading", "writing"):
            hint = near(rule.only or "", ("reading", "writing"))
            yield Fault([*path, "only"], f"found {rule.only!r}; {hint}")
        for name in ("id", "key", "address"):
            yield from _path([*path, name], getattr(rule, name))
            fact = fields.get(getattr(rule, name) or "")
            if fact in ("audience", "classes", "devices", "hidden", "badge-counts"):
                message = f"the field {fact!r} reads {getattr(rule, name)!r}, and not as one text"
                yield Fault([*path, name], message)
        for key, word in rule.when.items():
            yield from _path([*path, "when", key], key)
            if key in fields:
                yield Fault(
                    [*path, "when", key],
                    f"the field {fields[key]!r} reads {key!r} already; a kind cannot ask for it",
                )
            if key in profile.items.booleans and word != "true":
                yield Fault(
                    [*path, "when", key],
                    f"{key!r} is true or false: say true, and leave it out of the other kinds",
                )
            open_ = (
                "*" in word
                and word != "*"
                and "{" not in word
                and key not in (rule.id, rule.key, rule.address)
            )
            if open_ and rule.only != "reading" and not profile.read_only:
                yield Fault(
                    [*path, "when", key],
                    f"what begins with {word.rstrip('*')!r} cannot be written back: say the whole "
                    'word, or only = "reading" if another rule writes this kind',
                )
            texts = _format(profile).rows or (
                _format(profile).elements and key.rpartition("/")[2][:1] in ("@", "#")
            )
            if word == "*" and texts and rule.only != "reading" and not profile.read_only:
                message = f'{key!r} is a text: say which one is written, or only = "reading"'
                yield Fault([*path, "when", key], message)
        facts = (*TRAIT_NAMES, "hidden", "translations")
        for fact in rule.lacks:
            if fact not in facts:
                yield Fault([*path, "lacks"], f"found the trait {fact!r}; {near(fact, facts)}")
        if rule.word and "classes" not in profile.items.fields:
            yield Fault([*path, "word"], "a kind can have a class word where items have `classes`")
        said = " ".join(rule.when.values())
        held = rule.id or rule.key or rule.address or "{" in said
        if held and (rule.kind == "divider" or (rule.kind == "none" and not rule.part)):
            message = f"items of the kind {rule.kind!r} lead nowhere: they have none"
            yield Fault([*path, "kind"], message)
        if rule.kind in ONE_PLACE and "{" in said:
            message = f"the kind {rule.kind!r} leads to one place: nothing in braces says which"
            yield Fault([*path, "kind"], message)
        if rule.kind in CONTENT_KINDS and not held:
            yield Fault(
                path, f"the kind {rule.kind} needs `id`, `key` or `address`: which one it is"
            )
        if rule.kind in ("address", "internal") and not (rule.address or "{address}" in said):
            yield Fault(path, f"the kind {rule.kind} needs `address`: the key where it stands")
    read = [(n, rule) for n, rule in enumerate(profile.items.kinds) if rule.only != "writing"]
    for n, rule in read[:-1]:
        if not (rule.when or rule.word or rule.part or profile.items.pages or profile.read_only):
            yield Fault(
                ["items", "kinds", n],
                "this kind asks for nothing, so that those after it are never read: put it last",
            )
    if not rules and profile.items.pages is None:
        yield Fault(["items"], "the kinds are missing: what an item leads to, in [[items.kinds]]")


def _limits(profile: Profile) -> Iterator[Fault]:
    found: list[tuple[Steps, Any]] = [(["limits"], profile.limits)]
    for title, theme in profile.themes.items():
        found.append((["themes", title, "limits"], theme.limits))
        for n, place in enumerate(theme.locations):
            found.append((["themes", title, "locations", n, "limits"], place.limits))
    for path, limits in found:
        if limits is None:
            continue
        for kind in limits.parents or ():
            if kind not in KINDS:
                yield Fault([*path, "parents"], f"found kind {kind!r}; {near(kind, KINDS)}")
        traits = (*TRAIT_NAMES, "hidden", "translations")
        for trait in limits.lacks:
            if trait not in traits:
                yield Fault([*path, "lacks"], f"found the trait {trait!r}; {near(trait, traits)}")
        patterns: list[tuple[Steps, str | None]] = [
            (["menu-key", "pattern"], limits.menu_key and limits.menu_key.pattern),
            (["location-key", "pattern"], limits.location_key and limits.location_key.pattern),
            (["paths"], limits.paths),
        ]
        for steps, pattern in patterns:
            try:
                re.compile(pattern or "")
            except re.error as error:
                yield Fault([*path, *steps], f"the pattern {pattern!r} is not one: {error}")
