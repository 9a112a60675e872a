"""Sources over HTTP: live sites that are crawled, and interfaces that are read page by page."""

import json

import pytest

from jovial_atlas.errors import ContentError
from tests.conftest import URL


def crawl(web, more=""):
    return f'kind = "site"\nvia = "{web.url}"\nper_second = 1000.0\n{more}'


def test_a_live_site_is_crawled_politely_and_recorded_as_it_answers(survey, web):
    links = "".join(
        f"<a href='{path}'>x</a>"
        for path in ("/a", "/old", "/gone", "/private/x", "/map.pdf", "https://o.example/")
    )
    web.page("/", f"{links}<a href='{web.url}/b'>b</a>", ETag='"1"')
    web.page(
        "/a",
        "<p>Words.</p>",
        **{"X-Robots-Tag": "noindex", "Last-Modified": "Mon, 02 Nov 2026 10:00:00 GMT"},
    )
    web.page("/b")
    web.answers["/old"] = (301, {"Location": "/new"}, b"")
    web.page("/new")
    web.answers["/map.pdf"] = (200, {"Content-Type": "application/pdf"}, b"%PDF")
    web.answers["/robots.txt"] = (200, {}, b"User-agent: *\nDisallow: /private/\n")
    found, faults = survey(crawl(web))
    assert {path: (row["status"], row["kind"]) for path, row in found.items()} == {
        "/": (200, "page"), "/a": (200, "page"), "/b": (200, "page"), "/gone": (404, "page"),
        "/map.pdf": (200, "document"), "/new": (200, "page"), "/old": (301, "page"),
    }  # fmt: skip
    assert found["/old"]["redirect"] == f"{URL}/new"
    assert (found["/a"]["directives"], found["/a"]["lastmod"]) == (
        "noindex",
        "2026-11-02T10:00:00Z",
    )
    assert f"{URL}/b" in found["/"]["links"], "what is served here is known by its public address"
    assert faults == [("crawl-barred", web.url)]
    assert not [path for path, _ in web.asked if path.startswith("/private")]
    again, _ = survey(crawl(web))
    assert again == found
    assert web.asked[-7][1].get("If-None-Match") == '"1"', "asked with its validator"


def test_what_is_no_page_is_none_and_an_answer_that_breaks_off_is_told(survey, web):
    types = {"/a.jpg": "image/jpeg", "/a.zip": "application/zip", "/api": "application/json; charset=utf-8",
             "/a.pdf": "application/pdf", "/a.txt": "text/plain", "/broken": "text/html"}  # fmt: skip
    for path, kind in types.items():
        web.answers[path] = (200, {"Content-Type": kind, "ETag": '"1"'}, b"<p>Words.</p>")
    web.answers["/broken"][1]["Content-Length"] = "900"
    web.page("/", "".join(f"<a href='{path}'>x</a>" for path in types))
    for _ in range(2):
        found, faults = survey(crawl(web), full=True)
        assert sorted(found) == ["/", "/a.pdf", "/a.txt", "/broken"]
        assert faults == [("fetch-broken-off", f"{URL}/broken")]
    assert {path: asked.get("If-None-Match") for path, asked in web.asked[-6:]}["/a.jpg"] == '"1"'


def test_endless_and_huge_pages_meet_limits_that_are_told(survey, web):
    for number in range(40):
        web.page(f"/calendar?day={number}", f"<a href='/calendar?day={number + 1}'>next</a>")
    web.page("/", "<a href='/calendar?day=0'>c</a><a href='/huge'>h</a>")
    web.page("/huge", "x" * 50_000)
    found, faults = survey(crawl(web, "max_pages = 10\nmax_bytes = 20000"))
    assert len(found) == 10
    assert {code for code, _ in faults} == {"crawl-limit", "page-too-large"}
    found, faults = survey(crawl(web, "max_depth = 3"))
    assert len(found) == 5
    found, faults = survey(crawl(web), more='[identity]\nquery = "drop"\n')
    assert sorted(found) == ["/", "/calendar", "/huge"]


def test_a_crawl_that_was_cut_off_goes_on_where_it_stopped(survey, web, monkeypatch):
    for number in range(6):
        web.page(f"/{number or ''}", f"<a href='/{number + 1}'>next</a>")
    from jovial_atlas.sources import crawl as module

    real, visits = module._visit, []

    def cut(*arguments):
        visits.append(arguments[3])
        if len(visits) == 4:
            raise KeyboardInterrupt
        return real(*arguments)

    monkeypatch.setattr(module, "_visit", cut)
    with pytest.raises(KeyboardInterrupt):
        survey(crawl(web))
    found, _ = survey(crawl(web))
    assert list(found) == ["/", "/1", "/2", "/3", "/4", "/5", "/6"]
    assert visits.count(f"{URL}/") == 1, "what was had is not fetched again"


@pytest.mark.parametrize("following", ["link", "counter", "more.next"])
def test_an_interface_is_read_page_by_page(survey, web, following):
    records = [
        {
            "slug": f"s{n}",
            "title": {"text": f"S {n}"},
            "changed": "2026-11-01",
            "labels": ["a", "b"],
        }
        for n in range(5)
    ]
    parts = [records[:2], records[2:4], records[4:], []]
    for number, part in enumerate(parts, start=1):
        onward = f"/api?page={number + 1}"
        body = {"data": part, "more": {"next": onward if number < 3 else None}}
        headers = {"Link": f'<{onward}>; rel="next"'} if number < 3 else {}
        web.answers[f"/api?page={number}"] = (200, headers, json.dumps(body).encode())
    web.answers["/api"] = web.answers["/api?page=1"]
    found, faults = survey(
        f'kind = "json"\naddress = "{web.url}/api"\nitems = "data"\nnext = "{following}"\n'
        'url = "/s/{slug}/"\ncolumns = { title = "title.text", lastmod = "changed", tags = "labels" }\n'
        'token_env = "API_TOKEN"', {"API_TOKEN": "secret"},
    )  # fmt: skip
    assert (len(found), faults) == (5, [])
    assert (found["/s/s3/"]["title"], found["/s/s3/"]["tags"]) == ("S 3", ["a", "b"])
    assert web.asked[0][1]["Authorization"] == "Bearer secret"


@pytest.mark.parametrize(
    ("answer", "words"),
    [
        ((500, {}, b""), "status 500"),
        ((200, {}, b"<html>"), "does not answer with JSON"),
        ((200, {}, b"{}"), "no list of records"),
        ((302, {"Location": "https://o.example/"}, b""), "another host"),
        ((200, {"Link": '<https://o.example/>; rel="next"'}, b"[]"), "another host"),
    ],
)
def test_an_interface_that_misbehaves_is_one_clear_sentence(survey, web, answer, words):
    web.answers["/api"] = answer
    with pytest.raises(ContentError, match=words):
        survey(f'kind = "json"\naddress = "{web.url}/api"')
