"""XML namespaces: the prefixes of a file exchanged for those that a profile writes."""

from __future__ import annotations

from typing import Any

from ..errors import FormatError

Scope = dict[str, str]


def with_prefixes(tree: Any, prefixes: dict[str, str], file: str) -> Any:
    """A tree whose names have the profile's prefixes, whatever prefixes the file has.

    `prefixes` are namespaces by prefix; the prefix "" is that of names without one. Declarations of
    these namespaces are taken out. Names of other namespaces stay as they are.
    """
    by_uri = {uri: prefix for prefix, uri in prefixes.items()}
    top: dict[str, Any] = {"#children": []}
    stack: list[tuple[dict[str, Any], dict[str, Any], Scope]] = [(tree, top, {})]
    while stack:
        old, new, scope = stack.pop()
        inner: list[tuple[dict[str, Any], dict[str, Any], Scope]] = []
        for name, child in old.get("#children", ()):
            if name == "#text":
                new["#children"].append((name, child))
                continue
            own = scope
            if any(key == "@xmlns" or key.startswith("@xmlns:") for key in child):
                own = {**scope, **{k[1:]: v for k, v in child.items() if k.startswith("@xmlns")}}
            made: dict[str, Any] = {}
            for key, value in child.items():
                if key == "#children":
                    made[key] = []
                elif key.startswith("@xmlns"):
                    if value not in by_uri:
                        made[key] = value
                elif key[:1] == "@" and ":" in key:
                    made["@" + _renamed(key[1:], own, by_uri, file)] = value
                else:
                    made[key] = value
            new["#children"].append((_renamed(name, own, by_uri, file), made))
            inner.append((child, made, own))
        stack.extend(inner)
    return top


def _renamed(name: str, scope: Scope, by_uri: dict[str, str], file: str) -> str:
    prefix, colon, local = name.rpartition(":")
    uri = scope.get(f"xmlns:{prefix}" if colon else "xmlns")
    if colon and uri is None and prefix != "xml":
        raise FormatError(f"the prefix {prefix!r} of <{name}> is not declared", file=file)
    if uri not in by_uri:
        return name
    return f"{by_uri[uri]}:{local}" if by_uri[uri] else local


def declared(tree: Any, prefixes: dict[str, str]) -> Any:
    """A tree whose root declares the profile's namespaces."""
    (name, root) = tree["#children"][0]
    names = {f"@xmlns:{p}" if p else "@xmlns": uri for p, uri in prefixes.items()}
    return {"#children": [(name, {**names, **root}), *tree["#children"][1:]]}
