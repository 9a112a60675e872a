"""robots.txt by RFC 9309: vectors from its text, and properties."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.robots import (
    Group,
    Matcher,
    RobotsRule,
    normal_octets,
    parse_robots,
    pattern_regex,
    read_directives,
    write_robots,
)

RFC_EXAMPLE = b"""User-Agent: *
Disallow: *.gif$
Disallow: /example/
Allow: /publications/

User-Agent: foobot
Disallow:/
Allow:/example/page.html
Allow:/example/allowed.gif

User-Agent: barbot
User-Agent: bazbot
Disallow: /example/page.html

User-Agent: quxbot
"""


@pytest.mark.parametrize(
    ("robots", "agent", "path", "allowed"),
    [
        (RFC_EXAMPLE, "foobot", "/example/page.html", True),
        (RFC_EXAMPLE, "FooBot", "/example/other.html", False),
        (RFC_EXAMPLE, "barbot", "/example/page.html", False),
        (RFC_EXAMPLE, "bazbot", "/example/page.htm", True),
        (RFC_EXAMPLE, "quxbot", "/example/", True),
        (RFC_EXAMPLE, "otherbot", "/pictures/a.gif", False),
        (RFC_EXAMPLE, "otherbot", "/pictures/a.gif?b", True),
        (b"", "anybot", "/", True),
        # §2.2.1: groups that name one token are taken as one; * only where none names it.
        (b"user-agent: a\ndisallow: /x\n\nuser-agent: b\n\nuser-agent: A\ndisallow: /y", "a", "/y", False),
        (b"user-agent: *\ndisallow: /\nuser-agent: a\nallow: /x", "a", "/z", True),
        (b"user-agent: a/1.0 (x)\ndisallow: /", "a", "/", False),
        (b"user-agent: abc\ndisallow: /", "ab", "/", True),
        # Other records do not end a run of user-agent lines.
        (b"user-agent: a\nsitemap: https://w.example/s\nuser-agent: b\ndisallow: /", "a", "/", False),
        (b"disallow: /\nuser-agent: *\nallow: /", "a", "/", True),
        # §2.2.2: the longest pattern wins, Allow on a tie, case and order matter not.
        (b"user-agent: *\nallow: /p\ndisallow: /", "a", "/page", True),
        (b"user-agent: *\ndisallow: /page\nallow: /page", "a", "/page", True),
        (b"user-agent: *\nallow: /page\ndisallow: /*.htm", "a", "/page.htm", False),
        (b"user-agent: *\ndisallow: /Fish", "a", "/fish", True),
        (b"user-agent: *\ndisallow:", "a", "/", True),
        (b"user-agent: *\ndisallow: /fish*.php$", "a", "/fishheads/catfish.php", False),
        (b"user-agent: *\ndisallow: /fish*.php$", "a", "/fish.php?id=1", True),
        (b"user-agent: *\ndisallow: /a$b", "a", "/a$bc", False),
        # §2.2.2: encodings are compared in one form; %2F is not a slash.
        (b"user-agent: *\ndisallow: /foo/bar/\xe3\x83\x84", "a", "/foo/bar/%E3%83%84", False),
        (b"user-agent: *\ndisallow: /foo/bar/%62%61%7A", "a", "/foo/bar/baz", False),
        (b"user-agent: *\ndisallow: /a%2fb", "a", "/a%2Fb", False),
        (b"user-agent: *\ndisallow: /a%2Fb", "a", "/a/b", True),
        (b"user-agent: *\ndisallow: /", "a", "/robots.txt", True),
        # §2.2: line ends, BOM, comments, white space.
        (b"\xef\xbb\xbfuser-agent: *\rdisallow: /x # why\r\ndisallow : /y", "a", "/y", False),
        (b"useragent: *\ndisallow: /", "a", "/", False),
    ],
)  # fmt: skip
def test_the_rule_that_rfc_9309_names_decides(robots, agent, path, allowed):
    assert Matcher(parse_robots(robots), agent).ask(path).allowed is allowed


@pytest.mark.parametrize(
    ("robots", "code", "line"),
    [
        (b"disallow: /", "robots-rule-before-group", 1),
        (b"user-agent: *\nhello", "robots-not-a-record", 2),
        (b"user-agent: *\ndissallow: /", "robots-misspelt", 2),
        (b"user-agent: 123", "robots-agent-unnamed", 1),
        (b"user-agent: *\ndisallow: private/", "robots-pattern-start", 2),
        (b"sitemap: /sitemap.xml", "robots-sitemap-relative", 1),
        (b"user-agent: *\nnoindex: /x", "robots-noindex-line", 2),
    ],
)
def test_each_faulty_line_is_told_with_its_number(robots, code, line):
    faults = parse_robots(robots).faults
    assert [(fault.code, fault.where) for fault in faults] == [(code, f"robots.txt:{line}")]


def test_a_file_past_500_kib_is_told():
    assert parse_robots(b"#" * 512_001).faults[0].code == "robots-too-large"


PATTERNS = st.text(alphabet="/ab*$%2é?", min_size=1, max_size=12).map(lambda text: f"/{text}")
PATHS = st.text(alphabet="/ab2é?$%", max_size=15).map(lambda text: f"/{text}")


@given(st.lists(st.tuples(st.booleans(), PATTERNS), max_size=5), PATHS)
def test_what_is_written_reads_back_with_the_same_answers(rules, path):
    group = Group(["*"], [RobotsRule(allow, pattern, 0) for allow, pattern in rules])
    written = write_robots([group], ["https://w.example/sitemap.xml"])
    read = parse_robots(written)
    rules_read = [str(rule) for rule in read.groups[0].rules if rule.pattern]
    assert rules_read == [str(rule) for rule in group.rules]
    assert read.sitemaps[0].value == "https://w.example/sitemap.xml"
    unrelated = write_robots([Group(["otherbot"], [RobotsRule(False, "/", 0)]), group])
    answers = {Matcher(parse_robots(data), "a").ask(path).allowed for data in (written, unrelated)}
    assert len(answers) == 1, "an unrelated group changes no answer"


@given(PATTERNS, PATHS)
def test_a_pattern_as_expression_matches_like_a_plain_search(pattern, path):
    """The oracle walks pattern and path by hand, octet by octet."""
    plain, octets = normal_octets(pattern), normal_octets(path)
    anchored = plain.endswith("$")
    first, *rest = (plain[:-1] if anchored else plain).split("*")
    expected, place = octets.startswith(first), len(first)
    for number, part in enumerate(rest):
        last = anchored and number == len(rest) - 1
        found = octets.rfind(part) if last else octets.find(part, place)
        if not expected or found < place or (last and not octets.endswith(part)):
            expected = False
            break
        place = found + len(part)
    if anchored and not rest:
        expected = octets == first
    assert bool(re.match(pattern_regex(pattern), octets, re.S)) is expected


@pytest.mark.parametrize(
    ("contents", "index", "follow", "unknown"),
    [
        ([], True, True, ()),
        (["NoIndex , follow"], False, True, ()),
        (["none"], False, False, ()),
        (["index", "noindex"], False, True, ()),
        (["max-snippet:-1, max-image-preview:large"], True, True, ()),
        (["unavailable_after: Mon, 23 Nov 2026 10:00:00 GMT, nofollow"], True, False, ()),
        (["noindx"], True, True, ("noindx",)),
    ],
)
def test_directives_add_up_and_the_stricter_wins(contents, index, follow, unknown):
    read = read_directives(contents)
    assert (read.index, read.follow, read.unknown) == (index, follow, unknown)
