"""Which addresses are of which kind, and which of them mean the same place."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ypsiform.addresses import Hosts, last_segment, normal_path, normal_tail, root_relative

KINDS = {"none", "fragment", "mail", "phone", "script", "external", "home", "page", "file"}
HOSTS = Hosts(["https://old.skerryline.example/"])


@pytest.mark.parametrize(
    ("address", "kind"),
    [
        ("", "none"),
        ("#", "none"),
        (" # ", "none"),
        ("#quay", "fragment"),
        ("/", "home"),
        ("/index.html", "home"),
        ("https://old.skerryline.example", "home"),
        ("/fares", "page"),
        ("fares", "page"),
        ("/fares/index.php", "page"),
        ("/fares.html", "page"),
        ("/terms.pdf", "file"),
        ("/v1.2/", "page"),
        ("mailto:a@b.example", "mail"),
        ("MAILTO:a@b.example", "mail"),
        ("tel:+00", "phone"),
        ("https://other.example/", "external"),
        ("//other.example/", "external"),
        ("ftp://old.skerryline.example/", "external"),
        ("javascript:void(0)", "script"),
        ("java\nscript:void(0)", "script"),
        ("vbscript:x", "script"),
        ("https://[broken", "external"),
    ],
)
def test_kinds(address: str, kind: str) -> None:
    assert HOSTS.read(address).kind == kind


@pytest.mark.parametrize(
    ("one", "other", "same", "why"),
    [
        ("/fares", "/fares/", True, "trailing slash"),
        ("/fares", "/fares/index.html", True, "index page"),
        ("/fares", "/Fares", False, "letter case of a path counts"),
        ("/f%61res", "/fares", True, "percent-encoding"),
        ("/%C3%B8yene", "/øyene", True, "percent-encoding of letters beyond ASCII"),
        ("/a/../fares", "/fares", True, "dots"),
        ("//old.skerryline.example/fares", "/fares", True, "own host without a scheme"),
        ("http://old.skerryline.example/fares", "/fares", True, "scheme"),
        ("https://www.old.skerryline.example/fares", "/fares", True, "www"),
        ("https://OLD.Skerryline.EXAMPLE/fares", "/fares", True, "letter case of a host"),
        ("https://old.skerryline.example:443/fares", "/fares", True, "usual port"),
        ("https://old.skerryline.example:8443/fares", "/fares", False, "another port"),
        ("https://skerryline.example/fares", "/fares", False, "another host"),
        ("/fares", "/fare", False, "another path"),
    ],
)
def test_internal_addresses(one: str, other: str, same: bool, why: str) -> None:
    first, second = HOSTS.read(one), HOSTS.read(other)
    assert ((first.kind, first.path) == (second.kind, second.path)) is same, why


def test_international_names_of_hosts() -> None:
    hosts = Hosts(["https://øyene.example/"])
    assert hosts.read("https://xn--yene-fra.example/fares").kind == "page"


def test_a_site_that_lives_in_a_folder() -> None:
    hosts = Hosts(["https://host.example/ferry/"])
    assert hosts.read("https://host.example/ferry/fares") == ("page", "/fares", "")
    assert hosts.read("/ferry/fares").path == "/fares"
    assert hosts.read("https://host.example/other").kind == "external"


def test_tails() -> None:
    assert normal_tail("?b=2&a=1") == normal_tail("?a=1&b=2")
    assert normal_tail("?a=1") != normal_tail("?a=2")
    assert normal_tail("#x") != ""
    assert HOSTS.read("/fares?b=2#x").tail == "?b=2#x"


def test_root_relative() -> None:
    assert root_relative("https://old.skerryline.example/a?b#c", HOSTS) == "/a?b#c"
    assert root_relative("/a", HOSTS) == "/a"
    assert root_relative("a", HOSTS) == "/a"


@given(st.text())
def test_any_text_can_be_read(text: str) -> None:
    parts = HOSTS.read(text)
    assert parts.kind in KINDS
    assert normal_path(normal_path("/" + text)) == normal_path("/" + text) or "%" in text


def test_last_segments() -> None:
    assert last_segment("/a/b/") == "b"
    assert last_segment("/a/index.html") == "a"
    assert last_segment("/") is None
    assert last_segment(None) is None
