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
        ("/fares", "/fares/", True, "a trailing slash"),
        ("/fares", "fares", True, "the leading slash that somebody left out"),
        ("/fares", "/fares/index.html", True, "an index page"),
        ("/fares/", "/fares/INDEX.HTM", True, "an index page in capitals"),
        ("/fares/default.aspx", "/fares", True, "an index page by another name"),
        ("/", "/index.php", True, "the index page of the root"),
        ("/", "", False, "nothing is no address"),
        ("/", "https://old.skerryline.example", True, "the root with its host"),
        ("/fares/index", "/fares", False, "index without an ending is a page"),
        ("/fares/main.html", "/fares", False, "a page that is no index page"),
        ("/fares.html", "/fares", False, "an ending that belongs to the page"),
        ("/fares", "/Fares", False, "letter case of a path"),
        ("/fares", "/fare", False, "another path"),
        ("/fares", "/tickets/fares", False, "another folder"),
        ("/f%61res", "/fares", True, "percent-encoding that is not needed"),
        ("/%C3%B8yene", "/øyene", True, "percent-encoding of letters beyond ASCII"),
        ("/%c3%b8yene", "/%C3%B8yene", True, "percent-encoding in small letters"),
        ("/a%20b", "/a b", True, "an encoded space"),
        ("/a+b", "/a b", False, "a plus in a path is a plus"),
        ("/a%2Fb", "/a/b", True, "an encoded slash, which servers treat as one"),
        ("/a//b", "/a/b", True, "a doubled slash"),
        ("/a/../fares", "/fares", True, "a step up"),
        ("/./fares", "/fares", True, "a dot"),
        ("/../fares", "/fares", True, "a step up from the root"),
        (" /fares ", "/fares", True, "space around"),
        ("//old.skerryline.example/fares", "/fares", True, "own host without a scheme"),
        (
            "http://old.skerryline.example/fares",
            "https://old.skerryline.example/fares",
            True,
            "scheme",
        ),
        ("https://www.old.skerryline.example/fares", "/fares", True, "www"),
        ("https://OLD.Skerryline.EXAMPLE/fares", "/fares", True, "letter case of the host"),
        ("HTTPS://old.skerryline.example/fares", "/fares", True, "letter case of the scheme"),
        ("https://old.skerryline.example./fares", "/fares", True, "the dot that ends a host"),
        ("https://old.skerryline.example:443/fares", "/fares", True, "the usual port"),
        ("http://old.skerryline.example:80/fares", "/fares", True, "the usual port of http"),
        ("https://old.skerryline.example:8443/fares", "/fares", False, "another port"),
        ("https://skerryline.example/fares", "/fares", False, "another host"),
        ("https://new.old.skerryline.example/fares", "/fares", False, "a host below it"),
        (
            "https://old.skerryline.example.evil.example/fares",
            "/fares",
            False,
            "a host that begins like it",
        ),
        ("https://guest@old.skerryline.example/fares", "/fares", True, "a name before the host"),
        ("/fares?a=1&b=2", "/fares?b=2&a=1", True, "the order of a query"),
        ("/fares?a=1", "/fares?a=2", False, "another value"),
        ("/fares?a=1", "/fares", False, "a query, which may choose what is shown"),
        ("/fares?", "/fares", True, "an empty query"),
        ("/fares?a=1&a=2", "/fares?a=2&a=1", True, "the order of repeated names"),
        ("/fares?a", "/fares?a=", True, "a name without a value"),
        ("/fares?q=%C3%B8", "/fares?q=ø", True, "percent-encoding in a query"),
        ("/fares?q=a+b", "/fares?q=a%20b", True, "a space in a query"),
        ("/fares?q=a%26b", "/fares?q=a&b", False, "an encoded mark is no mark"),
        ("/fares?Q=1", "/fares?q=1", False, "letter case of a query"),
        ("/fares#", "/fares", True, "an empty fragment"),
        ("/fares#cars", "/fares#bikes", False, "another place on the page"),
        ("/fares#cars", "/fares", False, "a place on the page and the page"),
        ("/fares#%C3%B8st", "/fares#øst", True, "percent-encoding in a fragment"),
        ("/fares/#cars", "/fares#cars", True, "a trailing slash before a fragment"),
        ("#cars", "/fares#cars", False, "a place on this page and on that one"),
        ("#", "", True, "nothing, in two ways"),
        ("#%C3%B8st", "#øst", True, "percent-encoding in a place on this page"),
        ("/files/map.pdf", "/files/map.PDF", False, "letter case of a file"),
        (
            "/files/map.pdf",
            "https://old.skerryline.example/files/map.pdf",
            True,
            "a file with its host",
        ),
        ("https://webcam.example", "https://webcam.example/", True, "the root of another site"),
        (
            "https://webcam.example/pier",
            "http://www.webcam.example:80/pier/",
            True,
            "another site, by all of these",
        ),
        (
            "//webcam.example/pier",
            "https://webcam.example/pier",
            True,
            "another site without a scheme",
        ),
        (
            "https://webcam.example/pier",
            "https://webcam.example/quay",
            False,
            "another page of another site",
        ),
        ("https://webcam.example/?b=2&a=1", "https://webcam.example/?a=1&b=2", True, "its query"),
        ("https://øyene.example/", "https://xn--yene-fra.example/", True, "an international name"),
        (
            "ftp://webcam.example/pier",
            "https://webcam.example/pier",
            False,
            "another way to get it",
        ),
        (
            "mailto:post@skerryline.example",
            "MAILTO:post@Skerryline.Example",
            True,
            "letter case of a mail host",
        ),
        (
            "mailto:post@skerryline.example",
            "mailto:Post@skerryline.example",
            False,
            "letter case of a mailbox",
        ),
        (
            "mailto:post@skerryline.example?subject=Hi",
            "mailto:post@skerryline.example",
            True,
            "a subject",
        ),
        ("tel:+00 555-0100", "tel:+005550100", True, "spaces and hyphens in a number"),
        ("tel:+005550100;ext=7", "tel:+005550100", True, "an extension"),
        ("tel:+005550100", "tel:+005550101", False, "another number"),
        ("tel:+005550100", "mailto:+005550100", False, "a number and a mailbox"),
    ],
)
def test_pairs_of_addresses(one: str, other: str, same: bool, why: str) -> None:
    assert (HOSTS.normal(one) == HOSTS.normal(other)) is same, why
    assert (HOSTS.normal(other) == HOSTS.normal(one)) is same, why


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


def test_an_address_with_brackets_that_hold_no_computer_stays() -> None:
    assert root_relative("https://[x/a", Hosts(["https://a.example/"])) == "https://[x/a"


PARTS = st.lists(st.sampled_from(["a", "B-1", "_x", "~y", "", "old", "shop"]), max_size=4)


@given(
    st.sampled_from(["http", "https"]),
    st.sampled_from(["old.example", "www.old.example", "shop.example", "a", "x-y.a", "-", "1.2"]),
    PARTS,
    st.lists(
        st.sampled_from(["https://old.example/", "https://shop.example/shop/", "http://a/old"]),
        max_size=3,
    ),
)
def test_plain_addresses_are_read_as_all_others_are(
    scheme: str, host: str, parts: list[str], own: list[str]
) -> None:
    hosts = Hosts(own)
    for address in (f"{scheme}://{host}/{'/'.join(parts)}", f"{scheme}://{host}"):
        assert hosts.read(address) == hosts._read_any(address)
