"""The form of a profile: what is wrong where its keys and types are not those of the language."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable
from contextlib import suppress
from typing import Any, NamedTuple, get_args

import msgspec
from msgspec import Struct, inspect

from ..encodings import ENCODINGS, AnyRule
from ..encodings.blocks import BlockRule
from ..encodings.marks import MarkRule
from .lines import Steps
from .schema import FieldRules, Profile
from .structures import STRUCTURES


class Fault(NamedTuple):
    """One mistake: where it stands, and what is to be said of it."""

    path: Steps
    message: str


def near(word: str, words: Iterable[str]) -> str:
    """The end of a sentence: the word that comes near, or all of them."""
    known = list(words)
    found = difflib.get_close_matches(word, known, 1, 0.5)
    return f"did you mean {found[0]!r}?" if found else "expected one of: " + ", ".join(known)


_NAMES = {
    "int": "a whole number",
    "float": "a number",
    "str": "a text",
    "bool": "true or false",
    "array": "a list",
    "object": "a table",
    "null": "nothing",
}


def of_form(error: msgspec.ValidationError, tree: Any) -> Fault:
    """What is wrong with the form of a profile, from the error of the reader of its schema."""
    words, _, path = str(error).partition(" - at ")
    steps: Steps = [
        int(number) if number else name.strip("\"'")
        for name, number in re.findall(r"\.([^.\[\]`]+)|\[(\d+)\]", path)
    ]
    if "[...]" in path:
        steps = _named(path, tree, words)
    if steps[-1:] == ["encoding"] and words.startswith("Invalid value"):
        found = words.partition("'")[2].removesuffix("'")
        return Fault(steps, f"found encoding {found!r}; {near(found, ENCODINGS)}")
    if steps[-1:] == ["structure"] and words.startswith("Invalid value"):
        found = words.partition("'")[2].removesuffix("'")
        return Fault(steps, f"found structure {found!r}; {near(found, STRUCTURES)}")
    unknown = re.search(r"unknown field `([^`]*)`", words)
    if unknown and steps[-1:] == ["panels"]:
        return _of_panels(tree, steps, unknown[1])
    if unknown and steps == ["items", "tie"]:
        return _of_tie(tree["items"]["tie"], steps, unknown[1])
    if unknown:
        hint = near(unknown[1], _fields_at(steps))
        return Fault([*steps, unknown[1]], f"found the unknown key {unknown[1]!r}; {hint}")
    missing = re.search(r"missing required field `([^`]*)`", words)
    if missing:
        return Fault(steps, f"{missing[1]!r} is missing here")
    types = re.search(r"Expected `([^`]*)`, got `([^`]*)`", words)
    if types:
        wanted = [_NAMES.get(name.strip(), name.strip()) for name in types[1].split("|")]
        wanted = [name for name in wanted if name != "nothing"]
        found = _NAMES.get(types[2], types[2])
        return Fault(steps, f"found {found}, expected {' or '.join(wanted)}")
    return Fault(steps, words[0].lower() + words[1:])


def _of_panels(tree: Any, steps: Steps, key: str) -> Fault:
    """What is wrong where panels have a key that their encoding does not know.

    Where the key is one of another encoding, the encoding itself may be the mistake.
    """
    node = tree
    for step in steps:
        node = node[step]
    rules = {rule.__struct_config__.tag: rule for rule in get_args(AnyRule)}
    rule = rules[node["encoding"]]
    known = rule.__struct_encode_fields__
    if any(key in other.__struct_encode_fields__ for other in rules.values()):
        given = {name: value for name, value in node.items() if name in known}
        with suppress(msgspec.ValidationError):
            lacking = lacking_of(msgspec.convert({"encoding": node["encoding"], **given}, AnyRule))
            if lacking:
                return Fault([*steps, "encoding"], lacking)
        words = f"the encoding {node['encoding']} has no key {key!r}; {near(key, known)}"
        return Fault([*steps, key], words)
    return Fault([*steps, key], f"found the unknown key {key!r}; {near(key, known)}")


def _of_tie(said: dict[str, Any], steps: Steps, key: str) -> Fault:
    """What is wrong where a tie has a key that its structure does not know.

    Where the key is one of another structure, the structure itself may be the mistake.
    """
    name = said["structure"]
    rule = STRUCTURES[name]
    known = rule.__struct_encode_fields__
    if key == "order" and rule.ordered:
        words = f"with the structure {name} records stand in the order that it says itself; "
        return Fault([*steps, key], words + "`order` has no effect")
    if not any(key in other.__struct_encode_fields__ for other in STRUCTURES.values()):
        return Fault([*steps, key], f"found the unknown key {key!r}; {near(key, known)}")
    missing = [need for need in rule.needs if not said.get(need)]
    if missing:
        words = f"the structure {name} also needs: {', '.join(missing)}"
        return Fault([*steps, "structure"], words)
    return Fault([*steps, key], f"the structure {name} has no key {key!r}; {near(key, known)}")


def _named(path: str, tree: Any, words: str) -> Steps:
    """The steps of a path in which a name of one's own is left out: the first entry that fails."""
    before, _, after = path.strip("`").lstrip("$.").partition("[...]")
    node: Any = tree
    steps: Steps = []
    for name in before.split("."):
        steps.append(name)
        node = node.get(name, {}) if isinstance(node, dict) else {}
    kinds = {"themes": "Theme", "files": "FileRule"}
    for name, value in node.items() if isinstance(node, dict) else ():
        made = vars(_schema()).get(kinds.get(before, ""), None)
        try:
            if made is not None:
                msgspec.convert(value, made)
            else:
                msgspec.convert({name: value}, FieldRules)
        except msgspec.ValidationError:
            more = re.findall(r"\.([^.\[\]`]+)|\[(\d+)\]", after)
            return [*steps, name, *(int(n) if n else key for key, n in more)]
    return steps


def _schema() -> Any:
    from . import schema

    return schema


def _fields_at(path: Steps) -> list[str]:
    """The keys that may stand in the table at a path of a profile."""
    types: list[Any] = [inspect.type_info(Profile)]
    for step in path:
        deeper: list[Any] = []
        for kind in types:
            if isinstance(kind, inspect.StructType):
                deeper += [f.type for f in kind.fields if f.encode_name == step]
            elif isinstance(kind, inspect.ListType):
                deeper.append(kind.item_type)
            elif isinstance(kind, inspect.DictType):
                deeper.append(kind.value_type)
        types = [inner for kind in deeper for inner in getattr(kind, "types", (kind,))]
    structs = [kind for kind in types if isinstance(kind, inspect.StructType)]
    return [field.encode_name for kind in structs for field in kind.fields] or names()


def names() -> list[str]:
    """Every name of the profile language, sorted."""
    structs = [s for s in vars(_schema()).values() if isinstance(s, type) and issubclass(s, Struct)]
    structs += [*get_args(AnyRule), *STRUCTURES.values(), BlockRule, MarkRule]
    found = {field for struct in structs for field in struct.__struct_encode_fields__}
    return sorted(found | {"encoding", "structure"})


def lacking_of(rule: AnyRule) -> str:
    """What is to be said where a parameter is missing that an encoding cannot do without."""
    missing = next((name for name in rule.needs if not getattr(rule, name)), None)
    return f"the encoding {rule.name} needs {missing!r}" if missing is not None else ""
