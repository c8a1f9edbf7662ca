"""What the specifications of open formats demand of a file, apart from all that writes one."""

from __future__ import annotations

import csv
import io
import json
import re
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit
from xml.etree import ElementTree

import html5lib
import jsonschema

from ypsiform.standins import CHECKERS as SIMULATED


def table(data: bytes) -> list[str]:
    """RFC 4180 with a header, and levels that go down one step at a time at the most."""
    rows = list(csv.reader(io.StringIO(data.decode("utf-8"), newline=""), strict=True))
    found = [
        f"line {n}: {len(row)} cells" for n, row in enumerate(rows) if len(row) != len(rows[0])
    ]
    if rows[0][:4] != ["menu", "level", "label", "address"]:
        return [*found, f"the header is {rows[0]}"]
    before: dict[str, int] = {}
    for number, row in enumerate(rows[1:], 2):
        level = int(row[1])
        if not 1 <= level <= before.get(row[0], 0) + 1:
            found.append(f"line {number}: level {level} behind {before.get(row[0])}")
        before[row[0]] = level
    return found


def _address(address: Any) -> bool:
    return isinstance(address, str) and not re.match(r"\s*(java|vb)script:", address, re.I)


def _resources(name: str, value: Any) -> list[Any]:
    return value if isinstance(value, list) else [] if value is None else [value]


_MEMBER = re.compile(r"[A-Za-z0-9]([A-Za-z0-9_ -]*[A-Za-z0-9])?")


def json_api(data: bytes) -> list[str]:
    """JSON:API 1.1: the members of a document and of resources, and full linkage."""
    document = json.loads(data)
    found = [f"member {name}" for name in document if name not in _TOP]
    if document["jsonapi"].get("version") not in ("1.0", "1.1"):
        found.append("the version")
    resources: dict[tuple[str, str], Any] = {}
    for resource in [*document["data"], *document.get("included", [])]:
        pair = resource.get("type"), resource.get("id")
        if not all(isinstance(part, str) and part for part in pair) or pair in resources:
            found.append(f"{pair} is no identity, or is there twice")
        resources[pair] = resource
        found += [f"{pair}: member {name}" for name in resource if name not in _RESOURCE]
        attributes, relations = resource.get("attributes", {}), resource.get("relationships", {})
        names = [*attributes, *relations]
        found += [f"{pair}: the name {name!r}" for name in names if not _MEMBER.fullmatch(name)]
        if set(attributes) & set(relations) or {"id", "type"} & set(names):
            found.append(f"{pair}: a name stands twice")
        if not _address(attributes.get("address", "")):
            found.append(f"{pair}: the address {attributes['address']!r}")
    linked = {(r["type"], r["id"]) for r in document["data"]}
    stack = list(linked)
    while stack:
        pair = stack.pop()
        for relation in resources[pair].get("relationships", {}).values():
            for link in _resources("data", relation.get("data")):
                there = link["type"], link["id"]
                if set(link) != {"type", "id"} or there not in resources:
                    found.append(f"{pair} links to {link}")
                elif there not in linked:
                    linked.add(there)
                    stack.append(there)
    found += [f"{pair} is included and linked from nowhere" for pair in set(resources) - linked]
    return found


_TOP = ("data", "errors", "meta", "jsonapi", "links", "included")
_RESOURCE = ("type", "id", "attributes", "relationships", "links", "meta")


def json_ld(data: bytes) -> list[str]:
    """JSON-LD 1.1 with the vocabulary of schema.org: types, ids, and properties that they have."""
    document = json.loads(data)
    found: list[str] = []
    if document.get("@context") != "https://schema.org":
        found.append("the context")
    ids: set[str] = set()
    stack = list(document["@graph"])
    while stack:
        node = stack.pop()
        if node.get("@type") != "SiteNavigationElement":
            found.append(f"the type {node.get('@type')!r}")
        ident = node.get("@id")
        if ident is not None:
            try:
                urlsplit(ident)
            except ValueError:
                found.append(f"the id {ident!r}")
            if ident in ids:
                found.append(f"the id {ident!r} stands twice")
            ids.add(ident)
        for name, value in node.items():
            if name not in _PROPERTIES:
                found.append(f"the property {name!r}")
            elif name not in ("hasPart", "@type") and not isinstance(value, str):
                found.append(f"{name} is {value!r}")
        if not _address(node.get("url", "")):
            found.append(f"the url {node['url']!r}")
        stack += node.get("hasPart", [])
    return found


_PROPERTIES = ("@type", "@id", "name", "url", "hasPart", "description", "image", "inLanguage")


def opml(data: bytes) -> list[str]:
    """OPML 2.0: one head and one body, a text for each outline, and what its type asks for.

    That a body holds at least one outline is not asked: a site without menus has none to write.
    """
    root = ElementTree.fromstring(data)
    found: list[str] = []
    if root.tag != "opml" or root.get("version") != "2.0":
        found.append(f"<{root.tag}> in version {root.get('version')}")
    if [child.tag for child in root] != ["head", "body"]:
        found.append(f"it holds {[child.tag for child in root]}")
    for outline in root.iter("outline"):
        if outline.get("text") is None:
            found.append("an outline without a text")
        if outline.get("type") == "link" and not outline.get("url"):
            found.append(f"{outline.get('text')!r}: a link without a url")
        if outline.get("isComment", "false") not in ("true", "false"):
            found.append(f"isComment is {outline.get('isComment')!r}")
        if not _address(outline.get("url", "")):
            found.append(f"the url {outline.get('url')!r}")
        if (outline.text or "").strip() or any(child.tag != "outline" for child in outline):
            found.append("an outline holds something else")
    return found


def hugo(data: bytes) -> list[str]:
    """The menus of a configuration of Hugo, as its documentation describes them."""
    document = tomllib.loads(data.decode("utf-8"))
    found: list[str] = []
    if not isinstance(document.get("baseURL"), str):
        found.append("the baseURL")
    for menu, entries in document.get("menus", {}).items():
        names = [entry.get("identifier") or entry.get("name") for entry in entries]
        if len(set(names)) < len(names):
            found.append(f"{menu}: entries of the same identifier")
        for entry in entries:
            name = entry.get("identifier")
            found += [f"{menu}: {name}: the key {key}" for key in entry if key not in _ENTRY]
            if entry.get("parent") is not None and entry["parent"] not in names:
                found.append(f"{menu}: {name}: the parent {entry['parent']!r}")
            if type(entry.get("weight")) is not int or not isinstance(
                entry.get("params", {}), dict
            ):
                found.append(f"{menu}: {name}: its weight or params")
            if not _address(entry.get("url", "")):
                found.append(f"{menu}: {name}: the url {entry['url']!r}")
    return found


_ENTRY = ("identifier", "name", "pageRef", "url", "weight", "parent", "title", "params", "pre")


def lists(data: bytes) -> list[str]:
    """The HTML standard, by a strict parser; and what it says of `nav`, lists, links and ids."""
    text = data.decode("utf-8")
    parser = html5lib.HTMLParser(strict=True, namespaceHTMLElements=False)
    try:
        root = parser.parse(text) if text.startswith("<!DOCTYPE") else parser.parseFragment(text)
    except html5lib.html5parser.ParseError as error:
        return [f"the parser: {error}"]
    found: list[str] = []
    ids: list[str] = []
    for node in root.iter():
        inside = [child.tag for child in node]
        if node.tag == "ul" and set(inside) - {"li"}:
            found.append(f"a list holds {inside}")
        if node.tag == "nav" and inside not in ([], ["ul"]):
            found.append(f"a nav holds {inside}")
        if node.tag == "li" and [tag for tag in inside if tag not in ("a", "span", "ul")]:
            found.append(f"an item holds {inside}")
        if node.tag in ("a", "span") and inside:
            found.append(f"a link holds {inside}")
        if not _address(node.get("href", "")):
            found.append(f"the address {node.get('href')!r}")
        found += [f"the attribute {name} of {node.tag}" for name in node.attrib if name[:2] == "on"]
        if node.get("id") is not None:
            ids.append(node.get("id"))
    if len(set(ids)) < len(ids) or not all(ids) or any(" " in name for name in ids):
        found.append(f"the ids {ids}")
    return found


_SITEMAP = "{http://www.sitemaps.org/schemas/sitemap/0.9}"


def sitemap(data: bytes) -> list[str]:
    """The sitemap protocol 0.9: whole addresses of one host, each once, in their own namespace."""
    root = ElementTree.fromstring(data)
    found = [] if root.tag == _SITEMAP + "urlset" else [f"the root {root.tag}"]
    addresses: list[str] = []
    for url in root:
        inside = [child.tag.removeprefix(_SITEMAP) for child in url]
        known = {"loc", "lastmod", "changefreq", "priority"}
        if url.tag != _SITEMAP + "url" or inside.count("loc") != 1 or set(inside) - known:
            found.append(f"{url.tag} holds {inside}")
        address = (url.findtext(_SITEMAP + "loc") or "").strip()
        parts = urlsplit(address)
        if parts.scheme not in ("http", "https") or not parts.netloc or parts.fragment:
            found.append(f"the address {address!r}")
        if not 12 <= len(address) < 2048 or " " in address:
            found.append(f"the length or a blank of {address!r}")
        addresses.append(address)
    if len(set(addresses)) < len(addresses) or len(addresses) > 50_000:
        found.append("addresses that stand twice, or too many of them")
    if len({urlsplit(address).netloc for address in addresses}) > 1:
        found.append("addresses of several hosts")
    return found


DOCUMENT = Path(__file__).parents[1] / "docs" / "document.schema.json"


def document(data: bytes) -> list[str]:
    """The published JSON Schema of documents, and that all that one refers to is there."""
    made = json.loads(data)
    validator = jsonschema.Draft202012Validator(json.loads(DOCUMENT.read_bytes()))
    found = [error.message for error in validator.iter_errors(made)]
    menus = {menu["id"] for menu in made["menus"]}
    contents = {(content["kind"], content["id"]) for content in made.get("contents", ())}
    for place in made.get("locations", ()):
        found += [f"the menu {name!r}" for name in place.get("menus", ()) if name not in menus]
    for menu in made["menus"]:
        numbers = [item["number"] for item in menu["items"]]
        if len(set(numbers)) < len(numbers):
            found.append(f"{menu['id']}: a number stands twice")
        for item in menu["items"]:
            target = item.get("target", {})
            if item.get("under") is not None and item["under"] not in numbers:
                found.append(f"{menu['id']}: item {item['number']} stands below nothing")
            if "content" in target and (target["kind"], target["content"]) not in contents:
                found.append(f"{menu['id']}: item {item['number']}: its content")
    return found


OPEN: dict[str, Callable[[bytes], list[str]]] = {
    "csv": table,
    "html": lists,
    "hugo": hugo,
    "jsonapi": json_api,
    "jsonld": json_ld,
    "opml": opml,
    "sitemap": sitemap,
    "ypsiform": document,
}
CHECKERS = {**SIMULATED, **OPEN}
"""The checkers of all platforms that ship."""
