"""Addresses: what kind of target one is, and when two of them mean the same place.

Normalising is for comparing only. What is written is always the address as it was read.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from contextlib import suppress
from functools import lru_cache
from html import unescape
from typing import NamedTuple
from urllib.parse import parse_qsl, quote, unquote, urljoin, urlsplit

_SCHEME = re.compile(r"([A-Za-z][A-Za-z0-9+.\-]*):")
_SIMPLE = re.compile(r"/[A-Za-z0-9_~/-]*")
_PLAIN = re.compile(r"https?://([a-z0-9-]+(?:\.[a-z0-9-]+)*)(/[A-Za-z0-9_~/-]*)?")
"""An address of which nothing has to be undone: no port, no escape, no point, no query."""

_BLANK = re.compile(r"[\x00-\x20\x7f]+")
_INDEX = re.compile(r"/(?:index|default)\.(?:html?|php|aspx?|xhtml)$", re.IGNORECASE)
_FILE = re.compile(r"\.([A-Za-z][A-Za-z0-9]{0,7}|7z|3gp|mp[34])$")
_PAGE_ENDINGS = frozenset({"html", "htm", "xhtml", "php", "asp", "aspx", "jsp"})
_SCRIPTS = frozenset({"javascript", "vbscript", "livescript", "mocha", "data", "jscript"})
_AROUND = frozenset({"feed", "view-source", "jar", "mhtml", "wyciwyg", "about", "blob"})
"""Schemes in front of another address."""
_PORTS = {"http": 80, "https": 443}


class Address(NamedTuple):
    """An address taken apart.

    `kind` is `none`, `fragment`, `mail`, `phone`, `script`, `external`, `home`, `page` or `file`.
    `path` (internal ones only) is normalised; `tail` is the query and fragment as they were
    read, with their marks.
    """

    kind: str
    path: str = ""
    tail: str = ""


class Hosts:
    """The hosts that one site answers to, and the folder that it lives in on each."""

    def __init__(self, addresses: Iterable[str]) -> None:
        self.folders: dict[str, str] = {}
        for address in addresses:
            host, path = _host_and_path(address)
            if host:
                self.folders.setdefault(host, path.rstrip("/"))
        self.folder = next(iter(self.folders.values()), "")
        self.known: dict[str, Address] = {}

    def alike(self, other: Hosts, address: str) -> bool:
        """Whether it is seen at a glance that an address means the same for two sites."""
        plain = _SIMPLE.fullmatch(address) and not self.folder and not other.folder
        return bool(plain and "//" not in address) or self.folders == other.folders

    def read(self, address: str) -> Address:
        """Take an address apart, as seen from this site."""
        found = self.known.get(address)
        if found is None:
            found = self.known[address] = self._read(address)
        return found

    def _read(self, address: str) -> Address:
        if not self.folder and _SIMPLE.fullmatch(address) and "//" not in address:
            path = address.rstrip("/")
            return Address("page", path) if path else Address("home", "/")
        plain = _PLAIN.fullmatch(address)
        if plain is not None and "//" not in (plain[2] or ""):
            return self._read_plain(plain[1].removeprefix("www."), plain[2] or "/")
        return self._read_any(address)

    def _read_plain(self, host: str, path: str) -> Address:
        """As `_read_any`, of a host and a path that are in their normal form but for a slash."""
        folder = self.folders.get(host)
        if folder is None:
            return Address("external")
        path = path.rstrip("/") or "/"
        if folder:
            if path != folder and not path.startswith(folder + "/"):
                return Address("external")
            path = path[len(folder) :] or "/"
        return Address("home", "/") if path == "/" else Address("page", path)

    def _read_any(self, address: str) -> Address:
        # The order is that of browsers: blanks go first, then entities and escapes, then the
        # scheme; whoever looks for a script before that can be fooled by one that is written
        # otherwise.
        text = address.strip()
        if text in ("", "#") or not _BLANK.sub("", text):
            return Address("none")
        if text.startswith("#"):
            return Address("fragment", "", text)
        plain = _BLANK.sub("", unescape(unquote(text)) if "&" in text else unquote(text))
        scheme = _SCHEME.match(plain)
        word = scheme[1].lower() if scheme else ""
        within = scheme
        while within is not None and within[1].lower() in _AROUND:
            plain = plain[within.end() :]
            within = _SCHEME.match(plain)
        if within is not None and within[1].lower() in _SCRIPTS:
            return Address("script")
        if word == "mailto":
            return Address("mail")
        if word in ("tel", "sms", "callto"):
            return Address("phone")
        if word and word not in _PORTS:
            return Address("external")
        folder = self.folder
        if word or text.startswith("//"):
            host, _ = _host_and_path(text)
            if host not in self.folders:
                return Address("external")
            folder = self.folders[host]
        try:
            parts = urlsplit(text)
        except ValueError:
            return Address("external")
        tail = ("?" + parts.query if parts.query else "") + (
            "#" + parts.fragment if parts.fragment else ""
        )
        path = normal_path(parts.path)
        if folder and (path == folder or path.startswith(folder + "/")):
            path = path[len(folder) :] or "/"
        elif folder and (word or text.startswith("//")):
            return Address("external")
        if path == "/":
            return Address("home", "/", tail)
        ending = _FILE.search(path)
        if ending and ending[1].lower() not in _PAGE_ENDINGS:
            return Address("file", path, tail)
        return Address("page", path, tail)

    def normal(self, address: str) -> str:
        """An address in the form used for comparing: equal for addresses that mean the same place.

        Internal ones lose scheme and host; of others scheme (`http` or `https`), `www`, letter case
        of the host and the usual port do not count. Of a mail address the letter case of the host
        does not, of a phone number only digits do.
        """
        kind, path, tail = self.read(address)
        text = address.strip()
        if kind in ("home", "page", "file"):
            return path + normal_tail(tail)
        if kind == "fragment":
            return "#" + unquote(text[1:])
        if kind == "none":
            return ""
        scheme, _, rest = text.partition(":")
        if kind == "phone":
            return "tel:" + re.sub(r"[^0-9+]", "", unquote(rest.partition(";")[0]))
        if kind == "mail":
            box, at, host = unquote(rest.partition("?")[0]).rpartition("@")
            return f"mailto:{box}{at}{host.lower()}"
        if kind == "external" and (text.startswith("//") or scheme.lower() in _PORTS):
            with suppress(ValueError):
                parts = urlsplit(text)
                host, path = _host_and_path(text)
                query, fragment = parts.query, parts.fragment
                tail = (f"?{query}" if query else "") + (f"#{fragment}" if fragment else "")
                return f"//{host}{path}{normal_tail(tail)}"
        return text


def host_of(address: str) -> str:
    """The host of an address of the web as it is compared; empty where it is none."""
    scheme = _SCHEME.match(address.strip())
    plain = address.strip().startswith("//") or (scheme and scheme[1].lower() in _PORTS)
    return _host_and_path(address.strip())[0] if plain else ""


def _host_and_path(address: str) -> tuple[str, str]:
    try:
        parts = urlsplit(address if "//" in address else "//" + address)
        host, port = parts.hostname or "", parts.port
    except ValueError:
        return "", ""
    host = host.rstrip(".").removeprefix("www.")
    if not host.isascii():
        with suppress(UnicodeError):  # not a name that may be registered: compared as it is
            host = host.encode("idna").decode("ascii")
    if port and port != _PORTS.get(parts.scheme.lower(), 443) and port not in (80, 443):
        host = f"{host}:{port}"
    return host, normal_path(parts.path)


@lru_cache(maxsize=65536)
def normal_path(path: str) -> str:
    """A path in the form used for comparing.

    One leading slash, no trailing one, no index page, no `.` or `..`, percent-encoding undone and
    made again in one way. Letter case counts.
    """
    text = "/" + unquote(path.strip()).strip("/")
    if "/." in text or "//" in text:
        kept: list[str] = []
        for part in text.split("/"):
            if part == "..":
                if kept:
                    kept.pop()
            elif part not in ("", "."):
                kept.append(part)
        text = "/" + "/".join(kept)
    text = _INDEX.sub("/", text)
    if len(text) > 1:
        text = text.rstrip("/") or "/"
    return quote(text, safe="/-._~!$&'()*+,;=:@", errors="surrogatepass")


def _quoted(text: str) -> str:
    return quote(text, errors="surrogatepass")


def normal_tail(tail: str) -> str:
    """A query and fragment in the form used for comparing: the query's pairs are sorted."""
    if not tail:
        return ""
    query, _, fragment = tail.partition("#")
    pairs = sorted(parse_qsl(query.lstrip("?"), keep_blank_values=True))
    text = "&".join(f"{_quoted(name)}={_quoted(value)}" for name, value in pairs)
    return ("?" + text if text else "") + ("#" + unquote(fragment) if fragment else "")


def last_segment(path: str | None) -> str | None:
    """The last segment of a path, which stands in for a key; None for the root."""
    if not path:
        return None
    return unquote(normal_path(path)).rsplit("/", 1)[-1] or None


def is_relative(address: str) -> bool:
    """Whether an address is counted from the page that shows it: another page on each."""
    text = address.strip()
    return bool(text) and not (_SCHEME.match(text) or text.startswith(("/", "#", "?")))


def root_relative(address: str, hosts: Hosts) -> str:
    """An internal address without its host, query and fragment kept; others as they are."""
    text = address.strip()
    if not (_SCHEME.match(text) or text.startswith("//")):
        if text.startswith(("/", "#", "?")):
            return text
        return urljoin("https://site.invalid/", text).removeprefix("https://site.invalid")
    try:
        parts = urlsplit(text)
    except ValueError:
        return text  # brackets that hold no address of a computer
    tail = ("?" + parts.query if parts.query else "") + (
        "#" + parts.fragment if parts.fragment else ""
    )
    return (parts.path or "/") + tail


def runs(address: str) -> bool:
    """Whether an address is none but a script, which a browser would run."""
    return Hosts(()).read(address).kind == "script"
