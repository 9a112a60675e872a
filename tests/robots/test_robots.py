"""robots.txt by RFC 9309: vectors from its text, and properties."""

import re
import sys

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from jovial_atlas.robots import (
    Group,
    Matcher,
    RobotsFile,
    RobotsRule,
    normal_octets,
    parse_robots,
    pattern_regex,
    read_directives,
    write_robots,
)
from jovial_atlas.robots.directives import read_header
from jovial_atlas.robots.lint import lint

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
        # §2.2.2 and §2.2.3: %2A and %24 stand for the signs themselves, however they are written.
        (b"user-agent: *\ndisallow: /a%2Ab", "a", "/a*b", False),
        (b"user-agent: *\ndisallow: /a%2ab", "a", "/a%2Ab", False),
        (b"user-agent: *\ndisallow: /a%2Ab", "a", "/axxb", True),
        (b"user-agent: *\ndisallow: /x%24", "a", "/x$y", False),
        (b"user-agent: *\ndisallow: /x%24", "a", "/x", True),
        # RFC 3986 §6.2.3: an empty query is not the address without one.
        (b"user-agent: *\ndisallow: /a$", "a", "/a?", True),
        (b"user-agent: *\ndisallow: /a?", "a", "/a", True),
        (b"user-agent: *\ndisallow: /*?", "a", "/a?", False),
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


@given(st.lists(st.text("ab/*$", min_size=1, max_size=8), max_size=12), st.text("ab/", max_size=8))
def test_rules_found_by_their_beginning_are_those_that_expressions_find(patterns, path):
    rules = [RobotsRule(number % 3 == 0, one, number) for number, one in enumerate(patterns)]
    matcher = Matcher(RobotsFile([Group(["*"], rules)]), "x")
    plain = next(
        (one for one in matcher.rules if re.match(pattern_regex(one.pattern), f"/{path}")), None
    )
    assert matcher.ask(f"/{path}").rule == plain


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ("Disallow: /a\nDisallow: /b", []),
        ("Disallow: /a\nDisallow: /a", [("robots-rule-shadowed", 3)]),
        ("Disallow: /a/\nDisallow: /a/b", [("robots-rule-shadowed", 3)]),
        ("Disallow: /a/b\nDisallow: /a*/b", [("robots-rule-shadowed", 2)]),
        ("Disallow: /a/\nAllow: /a/b\nDisallow: /a/b/c", []),
        ("Disallow: /a/\nAllow: /z/b\nDisallow: /a/b/c", [("robots-rule-shadowed", 4)]),
        ("Disallow: /a$\nDisallow: /a/b", []),
        ("Allow: /a\nDisallow: /a", [("robots-rule-shadowed", 3)]),
        ("Allow:\nDisallow: /a", [("robots-rule-empty", 2)]),
        ("Disallow:", []),
        ("Disallow: /q", [("robots-rule-idle", 2)]),
        ("Disallow: /style", [("robots-bars-resources", 2)]),
        ("Crawl-delay: 3\nDisallow: /a", [("robots-record-uncommon", 2)]),
        ("Sitemaps: x\nDisallow: /a", [("robots-record-unknown", 2)]),
        ("Disallow: /a\nUser-agent: b/1.0\nDisallow: /a", [("robots-agent-extra", 3)]),
        ("Disallow: /a\nUser-agent: x\nUser-agent: *\nDisallow: /b", [("robots-agent-twice", 4)]),
    ],
)  # fmt: skip
def test_each_doubtful_line_is_told_and_no_other(body, told):
    robots = parse_robots(f"User-agent: *\n{body}\n".encode())
    paths = ["/", "/a", "/a/", "/a/b", "/a/b/c", "/b", "/ab/b", "/z/b"]
    faults = lint(robots, "r", paths=paths, resources=["/style.css", "/a.js", "/b.js"][:1])
    assert [(fault.code, int(fault.where.rpartition(":")[2])) for fault in faults] == told


@given(st.lists(st.tuples(st.booleans(), st.text("ab/*", min_size=1, max_size=5)), max_size=6),
       st.text("ab/", max_size=6))  # fmt: skip
@example([(False, "**"), (True, "*")], "")
def test_a_rule_that_is_told_to_have_no_effect_has_none(rules, path):
    made = [RobotsRule(allow, f"/{one}", number) for number, (allow, one) in enumerate(rules, 2)]
    robots = RobotsFile([Group(["*"], made, [1])])
    idle = [int(f.where[2:]) for f in lint(robots, "r") if f.code == "robots-rule-shadowed"]
    for line in idle:
        rest = RobotsFile([Group(["*"], [rule for rule in made if rule.line != line], [1])])
        before, after = (Matcher(one, "*").ask(f"/{path}").allowed for one in (robots, rest))
        assert before == after


def test_comments_stay_with_what_they_stand_above():
    text = (
        "# The top\n\n# All\nUser-agent: *\n# the old shop\n# is gone\nDisallow: /shop/\n"
        "Allow: /a # why\n\n# nothing follows\n"
    )
    read = parse_robots(text.encode())
    (group,) = read.groups
    assert (read.comment, group.comment) == ("The top\nnothing follows", "All")
    assert [rule.reason for rule in group.rules] == ["the old shop\nis gone", "why"]
    again = parse_robots(write_robots(read.groups, comment=read.comment))
    assert (again.comment, again.groups[0].comment) == (read.comment, "All")
    assert [(r.pattern, r.reason) for r in again.groups[0].rules] == [
        (r.pattern, r.reason) for r in group.rules
    ]


@pytest.mark.parametrize(
    ("header", "said"),
    [
        ("noindex", {"": "noindex"}),
        ("quaybot: noindex", {"quaybot": "noindex"}),
        ("noarchive, ferrybot: noindex, nofollow", {"": "noarchive", "ferrybot": "nofollow, noindex"}),
        # A crawler's name holds to the end of its field; the next field is for all again.
        ("quaybot: nofollow\nNOINDEX", {"": "noindex", "quaybot": "nofollow"}),
        ("FerryBot: max-snippet:5, noarchive\nferrybot: nosnippet",
         {"ferrybot": "max-snippet: 5, noarchive, nosnippet"}),
        ("unavailable_after: Thu, 25 Jun 2026 15:00:00 GMT, noindex",
         {"": "noindex, unavailable_after: Thu, 25 Jun 2026 15:00:00 GMT"}),
    ],
)  # fmt: skip
def test_a_header_speaks_to_all_or_to_one_crawler(header, said):
    assert {token: one.words for token, one in read_header(header).items() if one.words} == said


@pytest.mark.parametrize(
    ("one", "other", "stricter"),
    [
        ("max-snippet:50", "max-snippet:-1", "max-snippet: 50"),
        ("max-snippet:0", "MAX-SNIPPET: 50", "max-snippet: 0"),
        ("max-image-preview:Large", "max-image-preview:none", "max-image-preview: none"),
        ("max-image-preview:standard", "max-image-preview:large", "max-image-preview: standard"),
        ("max-video-preview:-1", "max-video-preview:0", "max-video-preview: 0"),
        ("unavailable_after: 2026-06-25", "unavailable_after: 25 Jun 2025 15:00:00 PST",
         "unavailable_after: 25 Jun 2025 15:00:00 PST"),
    ],
)  # fmt: skip
def test_of_two_limits_the_stricter_counts_in_any_order(one, other, stricter):
    assert read_directives([one, other]).words == stricter
    assert read_directives([f"{other}, {one}"]).words == stricter


def test_many_rules_are_looked_at_one_by_one_and_not_pair_by_pair():
    """Comparisons are counted, not seconds: as many rules again cost about as much again."""
    counted = []
    for rules in (500, 1_000):
        calls = 0

        def tracer(_frame, event, _argument):
            nonlocal calls
            calls += event == "call"

        text = b"User-agent: *\n" + b"".join(b"Disallow: /a%d/*b\n" % n for n in range(rules))
        parsed = parse_robots(text)
        sys.setprofile(tracer)
        try:
            assert list(lint(parsed, "robots.txt")) == []
        finally:
            sys.setprofile(None)
        counted.append(calls)
    assert counted[1] < 3 * counted[0]
