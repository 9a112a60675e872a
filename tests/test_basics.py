"""Addresses, dates and patterns: the small languages that everything else speaks."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas import addresses, dates, patterns


@pytest.mark.parametrize(
    ("given_address", "expected"),
    [
        ("HTTPS://WWW.Marrowfen.Example", "https://www.marrowfen.example/"),
        ("https://www.marrowfen.example:443/a", "https://www.marrowfen.example/a"),
        ("http://www.marrowfen.example:8080/a", "http://www.marrowfen.example:8080/a"),
        ("https://w.example/a/./b/../c/", "https://w.example/a/c/"),
        ("https://w.example/../../a", "https://w.example/a"),
        ("https://w.example/%7Ewarden/%c3%a9t%C3%A9", "https://w.example/~warden/%C3%A9t%C3%A9"),
        ("https://w.example/été heron", "https://w.example/%C3%A9t%C3%A9%20heron"),
        ("https://w.example/100%", "https://w.example/100%25"),
        ("https://w.example/a%2Fb?q=a b&c=%41", "https://w.example/a%2Fb?q=a%20b&c=A"),
        ("https://möwe.example/", "https://xn--mwe-sna.example/"),
        ("https://w.example/a#part", "https://w.example/a"),
        ("https://[2001:DB8::1]/", "https://[2001:db8::1]/"),
        # As browsers take them: what looks like a user name there is none.
        ("https:\\\\w.example\\a?b\\c", "https://w.example/a?b%5Cc"),
        ("https://w.example\\@other.example/", "https://w.example/@other.example/"),
    ],
)
def test_an_address_has_one_spelling(given_address, expected):
    assert addresses.normalise(given_address) == expected


@pytest.mark.parametrize(
    "wrong", ["", "/a", "ftp://w.example/", "https://", "https://w.example:99999/", "http://[::1",
              "https://a b.example/", "https://w%2Eexample/", "https://w|x.example/"]
)
def test_what_is_no_absolute_web_address_is_refused_with_a_sentence(wrong):
    with pytest.raises(ValueError, match=re.escape(repr(wrong.strip()))):
        addresses.normalise(wrong)


@given(st.text(max_size=40), st.text(max_size=20))
def test_normalising_twice_changes_nothing_and_leaves_ascii(path, query):
    once = addresses.normalise(f"https://w.example/{path.replace('#', '')}?{query}")
    assert addresses.normalise(once) == once
    assert once.isascii()
    assert " " not in once


_HOSTED = st.sampled_from(["https://w.example/", "https://w.example", "HTTPS://w.example/", "/", ""])


@given(st.lists(st.tuples(_HOSTED, st.text("aZ0._~-/:?% ü\n", max_size=6)), min_size=1, max_size=4))
def test_addresses_that_are_all_normal_stay_as_they_are(parts):
    given_addresses = [host + path for host, path in parts]
    if addresses.all_normal(given_addresses):
        assert [addresses.normalise(one) for one in given_addresses] == given_addresses


def test_plain_addresses_of_one_host_are_seen_to_be_normal():
    plain = [f"https://w.example/a-b/{number}.html" for number in range(3)]
    assert addresses.all_normal(plain)
    assert not addresses.all_normal([*plain, "https://w.example/a/../b"])


@pytest.mark.parametrize(
    ("reference", "expected"),
    [
        ("../b/", "https://w.example/b/"),
        ("//other.example/x", "https://other.example/x"),
        ("?page=2", "https://w.example/a/?page=2"),
        ("mailto:hello@w.example", None),
        ("#top", None),
        ("http://[broken", None),
        ("..\\img\\otter.jpg?a\\b", "https://w.example/img/otter.jpg?a%5Cb"),
        ("\\\\other.example\\x", "https://other.example/x"),
        ("https://a b.example/", None),
    ],
)
def test_references_resolve_against_their_page(reference, expected):
    assert addresses.resolve("https://w.example/a/", reference) == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("2026-11-23", "2026-11-23"),
        ("20261123", "2026-11-23"),
        ("2026-11-23T10:30+01:00", "2026-11-23T09:30:00Z"),
        ("2026-11-23 10:30:05.123Z", "2026-11-23T10:30:05Z"),
        ("2026-11-23T10:30", "2026-11-23T10:30:00Z"),
        ("Mon, 23 Nov 2026 10:30:00 +0000", "2026-11-23T10:30:00Z"),
        ("23/11/2026", None),
        ("2026-02-30", None),
        ("0001-01-01T00:00:00+14:00", None),
        ("soon", None),
    ],
)
def test_dates_are_read_as_sites_write_them(text, expected):
    assert dates.read(text) == expected


@pytest.mark.parametrize(
    ("text", "good"),
    [
        ("2026", True), ("2026-11", True), ("2026-11-23", True), ("2026-11-23T10:30Z", True),
        ("2026-11-23T10:30:01+02:00", True), ("2026-11-23T10:30:01.5Z", True),
        ("2026-11-23T10:30", False), ("2026-13-01", False), ("2026-11-31", False),
        ("2026-11-23T25:00Z", False), ("23.11.2026", False), ("2026-11-23 10:30Z", False),
    ],
)  # fmt: skip
def test_w3c_datetime_is_exact(text, good):
    assert dates.is_w3c(text) is good


@pytest.mark.parametrize(
    ("pattern", "path", "matches"),
    [
        ("/tags/*", "/tags/birds", True),
        ("/tags/*", "/tags/birds/", False),
        ("/tags/**", "/tags/birds/page/2/", True),
        ("/tags/**", "/tags", False),
        ("/{shop,cafe}/**", "/cafe/soup/", True),
        ("/{shop,cafe}/**", "/places/", False),
        ("/search/?q=*", "/search/?q=heron", True),
        ("/a.b", "/aXb", False),
        ("/vögel/**", "/v%C3%B6gel/1", True),
        ("**/print", "/notes/print", True),
    ],
)
def test_patterns_match_whole_paths(pattern, path, matches):
    assert bool(re.search(patterns.to_regex(pattern), path)) is matches


SEGMENTS = st.lists(
    st.sampled_from(["a", "b.html", "..", ".", "", "c-d", "é", "x y", "%41"]), max_size=5
)


@given(SEGMENTS, st.sampled_from(["", "/"]), st.sampled_from(["", "?q=1", "/"]))
def test_the_short_way_of_joining_gives_what_the_long_way_gives(parts, start, end):
    reference = start + "/".join(parts) + end
    base = "https://w.example/deep/er/page.html"
    short = addresses.join_plain(addresses.folder(base), reference)
    if short is not None and reference:
        assert short == addresses.resolve(base, reference)


@given(SEGMENTS)
def test_a_plain_path_is_an_address_as_it_stands(parts):
    path = "/".join(parts)
    if path and addresses.is_plain(path):
        assert addresses.normalise(f"https://w.example/{path}") == f"https://w.example/{path}"


@pytest.mark.parametrize(
    ("address", "slash", "query", "expected"),
    [
        ("https://w.example/a", "add", "keep", "https://w.example/a/"),
        ("https://w.example/a.pdf", "add", "keep", "https://w.example/a.pdf"),
        ("https://w.example/", "remove", "keep", "https://w.example/"),
        ("https://w.example/a/?x=1", "remove", "drop", "https://w.example/a"),
        (
            "https://w.example/?x=1&page=2&xy",
            "keep",
            ("page", "xy"),
            "https://w.example/?page=2&xy",
        ),
    ],
)
def test_a_site_chooses_its_spelling_of_addresses(address, slash, query, expected):
    once = addresses.identify(address, slash, query)
    assert once == expected == addresses.identify(once, slash, query)


def test_lists_of_codes_are_those_of_the_locale_library():
    from babel import Locale
    from babel.core import get_global

    from jovial_atlas import languages
    from jovial_atlas.structured.values import CURRENCIES

    known = Locale("en")
    assert {code for code in known.languages if len(code) == 2} == languages.LANGUAGES
    territories = {code for code in known.territories if len(code) == 2 and code.isalpha()}
    # Codes that ISO 3166-1 reserves, for unions and islands, or leaves to users.
    reserved = {"AC", "CP", "CQ", "DG", "EA", "EU", "EZ", "IC", "QO", "TA", "UN", "XA", "XB", "XK", "ZZ"}
    assert territories - reserved == languages.REGIONS
    money = get_global("territory_currencies").values()
    used = {code for some in money for code, _, end, tender in some if end is None and tender}
    assert used <= CURRENCIES
