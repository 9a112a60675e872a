"""What was asked for in vain, counted over logs."""

import io

import pytest

from jovial_atlas.logs.forms import UsualForm
from jovial_atlas.logs.missing import asked_path, count_missing, strangers
from jovial_atlas.logs.probing import asked_without_link, probe_finder

BROWSER = "Mozilla/5.0 (Windows NT 10.0) Firefox/130.0"


def line(path, status=404, ip="10.0.0.1", second=0, agent=BROWSER, referer="-", method="GET"):
    return (
        f'{ip} - - [20/Nov/2026:10:00:{second:02} +0000] "{method} {path} HTTP/1.1" {status} 9 '
        f'"{referer}" "{agent}"\n'
    )


def counted(*lines, is_probe=lambda _: False, until=lambda _: ""):
    stream = io.BytesIO("".join(lines).encode())
    return count_missing([UsualForm(stream)], ["lanternbot"], is_probe, until)


def test_people_and_programs_are_told_apart():
    found = counted(
        line("/a", second=5), line("/a", second=1, agent="curl/8"), line("/a", agent="-"),
        line("/a", agent="X lanternbot/1"), line("/a", 200), line("/a", method="POST"),
        line("/a", 500), line("/b", 301), "no line at all 404 \n",
        '{"time":"2026-11-20T10:00:09Z","uri":"/a","status":404,"http_user_agent":"Mozilla Firefox",'
        '"http_referer":"https://x.example/"}\n',
    )  # fmt: skip
    one = found.missing["/a"]
    assert (one.hits, one.people, one.crawlers) == (5, 2, 3)
    assert (one.first[-3:], one.last[-3:]) == ("00Z", "09Z")
    assert dict(one.referers) == {"https://x.example/": 1}
    assert list(found.moved) == ["/b"]
    assert found.lines == 10


def test_what_was_counted_before_is_not_fresh():
    found = counted(
        line("/a", 301, second=3), line("/a", 301, second=7), until=lambda _: "2026-11-20T10:00:03Z"
    )
    assert (found.moved["/a"].hits, found.moved["/a"].fresh) == (2, 1)


@pytest.mark.parametrize(
    ("target", "path"),
    [
        ("/a?utm_source=x", "/a"),
        ("/a.html?q=1", "/a.html"),
        ("/index.php?id=7&utm_medium=y", "/index.php?id=7"),
        ("/index.php?fbclid=y", "/index.php"),
        ("https://www.marrowfen.example/a#b", "/a"),
        ("https://www.marrowfen.example", "/"),
    ],
)
def test_a_request_is_about_its_path_or_the_page_that_a_program_makes(target, path):
    assert asked_path(target) == path


def test_visitors_who_only_try_other_systems_are_strangers():
    is_probe = probe_finder({".asp"}, lambda path: path.startswith("/forum/"))
    probes = ("/.env", "/wp-login.php", "/admin/", "/a.php?x", "/../etc/passwd", "/x.bak", "/forum/1")
    assert all(map(is_probe, probes))
    assert not any(map(is_probe, ("/a.asp", "/.well-known/x", "/administration/", "/shop/", "/a.html")))
    assert asked_without_link("/favicon.ico")
    assert not asked_without_link("/icon.ico")
    found = counted(
        line("/.env", ip="6.6.6.6"), line("/wp-login.php", ip="6.6.6.6"), line("/odd", ip="6.6.6.6"),
        line("/odd2", ip="6.6.6.6"), line("/admin/", ip="7.7.7.7"), line("/x", ip="7.7.7.7"),
        line("/y", ip="7.7.7.7"), line("/.git", ip="8.8.8.8"), is_probe=is_probe,
    )  # fmt: skip
    foreign = strangers(found)
    assert found.missing["/odd"].visitors <= foreign
    assert found.missing["/.git"].visitors <= foreign
    assert not found.missing["/x"].visitors <= foreign, "one who tried one door may mean it"
