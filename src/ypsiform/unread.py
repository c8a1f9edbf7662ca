"""What no rule read, told once for each field: with the values that occur, and every place.

Data that leads visitors somewhere is told apart: addresses of the site's own pages that nothing
else leads to, and lists of labelled links.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from typing import Any

from msgspec import Struct

from .addresses import Hosts
from .containers import children_of
from .findings import Cover, Severity
from .model import Extra
from .states import states_of


class Unread(Struct):
    """One piece of data that no rule read: whose it is, as a cover, and where it stood.

    `menu` and `row` are those that it hangs on, None where it hangs on none.
    """

    cover: Cover
    extra: Extra
    place: str
    menu: str | None = None
    row: int | None = None


class Field(Struct):
    """All unread data of one field. `code` is that of the finding, `reason` why it is ignored."""

    code: str
    words: str
    members: list[Unread]
    severity: Severity | None = None
    reason: str | None = None


def fields_of(
    unread: Sequence[Unread],
    hosts: Hosts,
    reached: Collection[str],
    contents: Collection[str],
    ignore: Mapping[str, str],
    said: Callable[[str], str],
    off: str = "",
    panels: Collection[str] = (),
) -> list[Field]:
    """Put unread data together, a field for each name that it has below what it hangs on.

    `reached` are the normalised paths of pages that something else leads to, `contents` those of
    contents, which records beside the menus may name without leading there; `ignore` has, by the
    name of a field, the reason why it is not wanted; `said` spells a path; `off` is the key by
    which parts of panels say that they are switched off, and `panels` are the lists beside the
    menus that hold panels.
    """
    groups: dict[tuple[str, str, str], list[Unread]] = {}
    both = {*reached, *contents}
    for one in unread:
        name = general(one.extra.path)
        value = one.extra.value
        if off and isinstance(value, dict) and value.get(off) is True:
            groups.setdefault(("panel.off", one.cover.scope, name), []).append(one)
            continue
        leads = _leads(one, hosts, both if one.cover.scope == "site" else reached)
        code = "read.links" if leads else "read.ignored" if name in ignore else "read.extra"
        if code == "read.extra" and one.cover.scope == "site" and name in panels and value:
            code = "read.panels"
        groups.setdefault((code, one.cover.scope, name), []).append(one)
    found: list[Field] = []
    for (code, _, name), members in groups.items():
        first = members[0].extra.path
        spelled = said(first if len(members) == 1 else name).lstrip("@").replace(".*", "[…]")
        spelled = spelled.replace("#list", "the list at the top")
        values = Counter(words(one.extra.value) for one in members)
        listed = [
            f"{value} ({n})" if n > 1 and len(values) > 1 else value for value, n in values.items()
        ]
        times = f" ({len(members)} times)" if len(members) > 1 and len(values) == 1 else ""
        made = Field(code, f"{spelled} = {', '.join(listed)}{times}", members)
        if code == "read.extra" and states_of([one.extra.value for one in members]):
            made.severity = "medium"
            made.words += ": that says what visitors may see"
        elif code == "read.extra" and _is_flag(name, [one.extra.value for one in members]):
            made.severity = "high" if _WHO.search(name) else "medium"
            made.words += ": a yes or no that is not the same for all"
        if name in ignore and code != "panel.off":
            made.reason = ignore[name]
            made.severity = "medium" if code == "read.links" else None
        found.append(made)
    return found


_WHO = re.compile(
    r"access|login|log_?ged|sign|guest|member|anonym|auth|perm|restrict|privat|public|"
    r"hid|visib|show|display|enabl|disabl|activ|inmenu|in_?menu|in_?nav",
    re.I,
)
"""What the name of a field has that says who sees an item, or whether anybody does."""


def _is_flag(name: str, values: Sequence[object]) -> bool:
    """Whether values are a yes or a no, and not all the same; numbers only by the field's name."""
    plain = [value for value in values if not isinstance(value, (dict, list))]
    said = {str(value).strip().casefold() for value in plain}
    known = (*_FLAGS, {"0", "1"}) if _WHO.search(name) else _FLAGS
    return len(said) == 2 and any(said <= words for words in known)


_FLAGS = ({"true", "false"}, {"yes", "no"}, {"on", "off"}, {"y", "n"})


def general(path: str) -> str:
    """The name of a field: its path, whatever the number of the list's member that it stands in."""
    return re.sub(r"(?<=/)\d+(?=/|$)", "*", path)


def words(value: object) -> str:
    """A neutral value in one line; an element by its attributes, its text and what is in it."""
    if isinstance(value, str):
        return value.strip() or "(an empty text)"
    if not isinstance(value, dict) or not all(map(_of_element, value, value.values())):
        return json.dumps(value, ensure_ascii=False, default=str)
    parts = [f'{key[1:]}="{text}"' for key, text in value.items() if key[:1] == "@"]
    parts += [value["#text"].strip()] if "#text" in value else []
    for name, child in children_of(value):
        parts.append(child if name == "#text" else f"<{name} {words(child)}>".replace(" >", ">"))
    return " ".join(parts)


def _of_element(key: str, held: object) -> bool:
    """Whether an element can hold this: attributes and text, and children."""
    return key == "#children" or (key[:1] in ("@", "#") and type(held) is str)


OWN = re.compile(r"(^|[/@_])(self|api|rest|id|_links|canonical|schema|xmlns)($|[/:_])", re.I)
"""Names of fields by which a service names its own records."""

_ADDRESS = re.compile(r"(https?:/)?/[^\s<>\"{}|\\^]*")


def _leads(one: Unread, hosts: Hosts, reached: Collection[str]) -> bool:
    """Whether unread data leads visitors to pages that nothing else leads to."""
    if one.cover.scope == "content":
        return False
    for path, value in leaves(one.extra.path, one.extra.value):
        if OWN.search(path) or not _ADDRESS.fullmatch(value):
            continue
        parts = hosts.read(value)
        if parts.kind == "page" and parts.path not in reached and not parts.path.startswith("/api"):
            return True
    return _lists_links(one.extra, hosts, reached)


_LEADS = re.compile(
    r"(https?:|mailto:|tel:|/|#)[^\s<>\"{}|\\^]+|[\w./-]+\.(md|html?|adoc|rst)(#\S*)?", re.I
)
"""An address, or the file of a page of a documentation site."""


def _lists_links(extra: Extra, hosts: Hosts, reached: Collection[str]) -> bool:
    """Whether unread data is a list of labelled links, one of which nothing that was read has.

    Each is a mapping of a label to an address, or one that has a text and an address.
    """
    if OWN.search(extra.path) or not isinstance(extra.value, list) or len(extra.value) < 2:
        return False
    news = False
    for member in extra.value:
        texts = [
            value
            for key, value in (member.items() if isinstance(member, dict) else ())
            if isinstance(value, str) and value and not OWN.search(key)
        ]
        led = [text for text in texts if _LEADS.fullmatch(text)]
        labelled = len(texts) > len(led) or (isinstance(member, dict) and len(member) == 1)
        if not led or not labelled:
            return False
        parts = hosts.read(led[0])
        if parts.kind == "file" and not re.search(r"\.(md|adoc|rst)(#|$)", led[0], re.I):
            return False
        news = news or parts.kind != "page" or parts.path not in reached
    return news


def leaves(path: str, value: Any) -> Iterator[tuple[str, str]]:
    """The texts in a neutral value, with where they stand."""
    stack: list[tuple[str, Any]] = [(path, value)]
    while stack:
        at, node = stack.pop()
        if isinstance(node, str):
            yield at, node
        elif isinstance(node, dict):
            stack.extend((f"{at}/{key}", inner) for key, inner in node.items())
        elif isinstance(node, (list, tuple)):
            stack.extend((at, inner) for inner in node)
