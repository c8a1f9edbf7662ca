"""Languages of menus: menus that are another one in a further language, and branches that are.

They are told by what they are called (a code of ISO 639-1 in a key or title, the name of a language
as a label), and by items that correspond. Nothing is guessed from words of a language.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from msgspec import Struct

from .addresses import Hosts
from .effort import identity
from .model import Item, Menu, Rows, Site, Target

_CODES = """
aa ab ae af ak am an ar as av ay az ba be bg bi bm bn bo br bs ca ce ch co cr cs cu cv cy da de
dv dz ee el en eo es et eu fa ff fi fj fo fr fy ga gd gl gn gu gv ha he hi ho hr ht hu hy hz ia
id ie ig ii ik io is it iu ja jv ka kg ki kj kk kl km kn ko kr ks ku kv kw ky la lb lg li ln lo
lt lu lv mg mh mi mk ml mn mr ms mt my na nb nd ne ng nl nn no nr nv ny oc oj om or os pa pi pl
ps pt qu rm rn ro ru rw sa sc sd se sg si sk sl sm sn so sq sr ss st su sv sw ta te tg th ti tk
tl tn to tr ts tt tw ty ug uk ur uz ve vi vo wa wo xh yi yo za zh zu
"""
CODES = frozenset(_CODES.split())
"""The codes of languages by ISO 639-1."""

NAMES = {
    "en": "english",
    "nb": "norsk, bokmål, norsk bokmål, norwegian",
    "nn": "nynorsk, norsk nynorsk",
    "sv": "svenska, swedish",
    "da": "dansk, danish",
    "fi": "suomi, finnish",
    "is": "íslenska, icelandic",
    "fo": "føroyskt, faroese",
    "se": "davvisámegiella, northern sami",
    "de": "deutsch, german",
    "nl": "nederlands, dutch",
    "fr": "français, french",
    "es": "español, spanish",
    "it": "italiano, italian",
    "pt": "português, portuguese",
    "ca": "català, catalan",
    "eu": "euskara, basque",
    "gl": "galego, galician",
    "cy": "cymraeg, welsh",
    "ga": "gaeilge, irish",
    "gd": "gàidhlig, scottish gaelic",
    "pl": "polski, polish",
    "cs": "čeština, czech",
    "sk": "slovenčina, slovak",
    "sl": "slovenščina, slovenian",
    "hr": "hrvatski, croatian",
    "hu": "magyar, hungarian",
    "ro": "română, romanian",
    "et": "eesti, estonian",
    "lv": "latviešu, latvian",
    "lt": "lietuvių, lithuanian",
    "ru": "русский, russian",
    "uk": "українська, ukrainian",
    "bg": "български, bulgarian",
    "el": "ελληνικά, greek",
    "tr": "türkçe, turkish",
    "ar": "العربية, arabic",
    "he": "עברית, hebrew",
    "hi": "हिन्दी, hindi",
    "zh": "中文, chinese",
    "ja": "日本語, japanese",
    "ko": "한국어, korean",
}
_BY_NAME = {name: code for code, names in NAMES.items() for name in names.split(", ")}


class Parallel(Struct):
    """A menu (its index) that is another one, `of`, in a further language.

    `pairs` are rows that correspond, of it and of the other one; `whole` is true where each of its
    rows has one.
    """

    menu: int
    of: int
    language: str
    pairs: list[tuple[int, int]]
    whole: bool


class Branch(Struct):
    """A top item (its row) whose branch is a menu in one language.

    `pairs` are rows that correspond, of its branch and of the first one.
    """

    row: int
    language: str
    pairs: list[tuple[int, int]]
    whole: bool


class Nested(Struct):
    """An item (its row) that is the one `above` it in a further language."""

    row: int
    above: int
    language: str


def language_of(text: str) -> tuple[str, str] | None:
    """The code of a language at the end or the start of a name, and the name without it.

    `main-nb`, `Main bar (nb)`, `nb_NO.main`, `Footer, Norsk`: None for a name that has none.
    """
    words = re.findall(r"[^\W_]+", text.casefold())
    for at, rest in ((-1, words[:-1]), (0, words[1:])):
        if not rest:
            return None
        word = words[at]
        code, country, other = (rest[-1], word, rest[:-1]) if at else (word, rest[0], rest[1:])
        if code in CODES and len(country) == 2 and other:
            return code, " ".join(other)
        if word in CODES:
            return word, " ".join(rest)
        if word in _BY_NAME:
            return _BY_NAME[word], " ".join(rest)
    return None


def named(label: str) -> str | None:
    """The language that a label names: `Norsk`, `English`, or a code in capitals."""
    text = " ".join(label.split())
    if text.isupper() and text.casefold() in CODES:
        return text.casefold()
    return _BY_NAME.get(text.casefold())


def parallel(site: Site, rows: Rows) -> list[Parallel]:
    """The menus that are another one in a further language."""
    main = next(iter(site.languages), None)
    groups: dict[str, list[tuple[int, str | None]]] = {}
    for at, menu in enumerate(site.menus):
        found = _told(menu)
        base = found[1] if found else " ".join(re.findall(r"[^\W_]+", menu.key.casefold()))
        groups.setdefault(base, []).append((at, found[0] if found else menu.language))
    made: list[Parallel] = []
    hosts = Hosts(site.addresses)
    for members in groups.values():
        of = next((m for m in members if m[1] in (None, main)), members[0])
        known = {of[1] or main}
        for at, language in members:
            if language is None or language in known or not len(rows.of_menu(at)):
                continue
            known.add(language)
            tops = [_top(rows, n) for n in (at, of[0])]
            pairs, whole = _pairs(rows, tops[0], tops[1], hosts, language)
            least = min(len(rows.of_menu(at)), len(rows.of_menu(of[0])))
            if pairs and len(pairs) * 2 >= least:
                made.append(Parallel(at, of[0], language, pairs, whole))
    return sorted(made, key=lambda one: one.menu)


def _told(menu: Menu) -> tuple[str, str] | None:
    """The language that a menu is said to be in, and its key without it."""
    return language_of(menu.key) or language_of(menu.title)


def _top(rows: Rows, menu: int) -> list[int]:
    return [row for row in rows.of_menu(menu) if rows.parent[row] < 0]


def inside(site: Site, rows: Rows) -> dict[int, list[Branch]]:
    """By the index of a menu its branches, where each top item is a language."""
    found: dict[int, list[Branch]] = {}
    hosts = Hosts(site.addresses)
    for at in range(len(site.menus)):
        top = _top(rows, at)
        languages = [_named(rows, row) for row in top]
        if len(top) < 2 or None in languages or len(set(languages)) < len(top):
            continue
        below = _children(rows, rows.of_menu(at))
        if sum(bool(below.get(row)) for row in top) < 2:
            continue
        first = below.get(top[0], [])
        found[at] = []
        for row, language in zip(top, languages, strict=True):
            inner = below.get(row, [])
            pairs, whole = _pairs(rows, inner, first, hosts, str(language))
            found[at].append(Branch(row, str(language), pairs, whole))
    return found


def nested(site: Site, rows: Rows) -> dict[int, list[Nested]]:
    """By the index of a menu its items that are the item above them in a further language.

    They are told by the folder of the language in which their page is, and that of the item above
    is not: each alone in it below its item, at least two, and with at least half of all the others.
    """
    # A single item in a folder that looks like a language may be a page of any kind; two of one
    # language, and as many as half of all others, are no accident.
    found: dict[int, list[Nested]] = {}
    hosts = Hosts(site.addresses)
    paths = {(content.kind, content.id): content.path for content in site.contents}
    targets = rows.said("target")
    folder_of = {target: _folder(target, hosts, paths) for target in {*targets, None}}
    if not any(folder_of.values()):
        return found
    for at in range(len(site.menus)):
        folders = {row: folder_of[targets[row]] for row in rows.of_menu(at)}
        if not any(folders.values()):
            continue
        below = _children(rows, rows.of_menu(at))
        pairs: dict[str, list[Nested]] = {}
        for row, folder in folders.items():
            above = rows.parent[row]
            if folder is None or above < 0 or below.get(row) or not _like(rows, row, above):
                continue
            beside = [other for other in below[above] if folders[other] == folder]
            if len(beside) == 1 and folders[above] is None:
                pairs.setdefault(folder, []).append(Nested(row, above, folder))
        others = sum(folder is None for folder in folders.values())
        pairs = {code: some for code, some in pairs.items() if len(some) > 1}
        if pairs and 2 * max(map(len, pairs.values())) >= others:
            found[at] = sorted(
                (one for some in pairs.values() if 2 * len(some) >= others for one in some),
                key=lambda one: one.row,
            )
    return found


_TWO_LETTERS = re.compile(r"/[A-Za-z]{2}(?:/|$)")


def _folder(
    target: Target | None, hosts: Hosts, paths: Mapping[tuple[str, str], str | None]
) -> str | None:
    """The language in whose folder the page of a target is: `nb` for `/nb/timetables/`."""
    if target is None:
        return None
    path = paths.get((target.kind, target.content or "")) or target.address or ""
    if not _TWO_LETTERS.search(path):
        return None
    first = hosts.read(path).path.strip("/").partition("/")[0]
    return first if first in CODES else None


def _named(rows: Rows, row: int) -> str | None:
    thing = rows.things[row]
    return named(thing.label) if isinstance(thing, Item) and thing.panel is None else None


def _children(rows: Rows, span: Sequence[int]) -> dict[int, list[int]]:
    found: dict[int, list[int]] = {}
    for row in span:
        found.setdefault(rows.parent[row], []).append(row)
    return found


def _pairs(
    rows: Rows, one: list[int], other: list[int], hosts: Hosts, language: str
) -> tuple[list[tuple[int, int]], bool]:
    """The rows of two trees that correspond, by where they stand and by what they lead to.

    And whether all of both do, one by one, with the same roles.
    """
    if not one or not other:
        return [], False
    span = rows.of_menu(rows.menu[one[0]])
    below = _children(rows, span)
    if rows.menu[other[0]] != rows.menu[one[0]]:
        below.update(_children(rows, rows.of_menu(rows.menu[other[0]])))
    pairs: list[tuple[int, int]] = []
    whole = True
    stack = [(one, other)]
    while stack:
        mine, theirs = stack.pop()
        if len(mine) != len(theirs):
            whole = False
            there = {_leads(rows, row, hosts, language): row for row in reversed(theirs)}
            both = [(row, there.get(_leads(rows, row, hosts, language), -1)) for row in mine]
            both = [pair for pair in both if pair[1] >= 0]
        else:
            both = list(zip(mine, theirs, strict=True))
        for a, b in both:
            if not _like(rows, a, b):
                whole = False
                continue
            pairs.append((a, b))
            if below.get(a) or below.get(b):
                stack.append((below.get(a, []), below.get(b, [])))
    return sorted(pairs), whole


def _like(rows: Rows, one: int, other: int) -> bool:
    a, b = rows.things[one], rows.things[other]
    if not isinstance(a, Item) or not isinstance(b, Item):
        return False
    return a.role == b.role and a.panel is None and b.panel is None


def _leads(rows: Rows, row: int, hosts: Hosts, language: str) -> tuple[str, str]:
    """What an item leads to, without a folder for the language."""
    target = getattr(rows.things[row], "target", Target("none"))
    kind, ident = identity(target, hosts)
    return kind, re.sub(rf"^/{re.escape(language)}(?=/|$)", "", ident) or "/"
