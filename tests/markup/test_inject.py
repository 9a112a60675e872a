"""Head data in HTML files: put in, renewed, taken out; everything else stays, octet for octet."""

import base64
import json
import zlib
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.markup import MARK, Additions, ChangedError, Tag, inject, restore, scan_head
from jovial_atlas.markup.additions import take_out
from jovial_atlas.markup.inject import _HELD, block_mark, without_block
from tests.conftest import URL, page, run_command, write_site

TAGS = [
    Tag("<title>New</title>", ("title",)),
    Tag('<meta name="description" content="é ☃">', ("description",)),
    Tag('<link rel="canonical" href="/new">', ("canonical",)),
    Tag("", ("robots",)),
    Tag('<meta property="og:image" content="/i">', ("og:image",)),
    Tag('<script type="application/ld+json">{}</script>', ("json-ld", "json-ld:WebPage")),
]
LD = b'<script type="application/ld+json">%s</script>'
PIECES = [
    b"<!doctype html>", b"<html lang=en>", b"<head>", b"<HEAD>", b"</head>", b"<body>", b"\n", b"\r\n",
    b"  ", b'<meta charset="utf-8">', b"<meta name=viewport content='a>b'>", b"<title>A < b</title>",
    b"<TITLE>x", b"<!-- <title>no</title> -->", b"<!-- open", b"<script>'</head><title>'</script>",
    b'<meta name="Description" content="x">', b"<link rel='canonical' href=/x>", b"<meta name=robots>",
    b"<meta property=og:image content=a><meta property=og:image:width content=1>", b"<style>a{}</style>",
    LD % b'{"@type":"WebPage"}', LD % b'{"@type":"Event"}', b"<p>text</p>", b"\xff\xfe\x00", MARK,
    b"<!-- /head data x= -->", b"<link rel=alternate hreflang=de href=/de/>", b"<noscript><p></noscript>",
]  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(st.lists(st.sampled_from(PIECES), max_size=14).map(b"".join) | st.binary(max_size=60))
def test_twice_is_once_and_taking_out_gives_the_file_back(data):
    try:
        once = inject(data, TAGS)
    except ChangedError:
        # Here is what is put in, or looks like it.
        assert MARK in data or _HELD.search(data) or take_out(data) != data
        return
    if once is not None:
        assert inject(once, TAGS) == once
        assert restore(once) == data
        assert without_block(once) == data
        assert inject(once, []) == data


FILE = (
    b'<!doctype html>\n<html lang="en">\n<head>\n  <meta charset="utf-8">\n  <title>Old</title>\n'
    b'  <link rel="canonical" href="/old"><meta name=robots content=noindex>\n</head>\n<body><p>x'
)


@settings(max_examples=500, deadline=None)
@given(st.data(), st.sampled_from(PIECES) | st.binary(max_size=6))
def test_whatever_is_edited_around_them_the_pieces_come_out_and_no_other_octet_moves(data, new):
    """An edit outside the pieces is the same edit of the file as it was. One inside a piece is told,
    and so is one that makes something look like a piece."""
    done = inject(FILE, TAGS)
    start = data.draw(st.integers(0, len(done)))
    end = data.draw(st.integers(start, min(len(done), start + 40)))
    edited = done[:start] + new + done[end:]
    whole = _pieces(done)
    touched = any(start < b and end > a for a, b in whole) or (
        start == end and any(a < start < b for a, b in whole)
    )
    try:
        back = restore(edited)
    except ChangedError:
        assert touched or MARK in new or edited.count(MARK) != 1 or _pieces(edited) != whole
        return
    if edited == done:
        assert back == FILE
    elif not touched:
        shift = sum(b - a for a, b in whole if b <= start)
        held = sum(
            len(without_block(done[a:b])) for a, b in whole if b <= start and done[a:b][:1] == b"<"
        )
        at = start - shift + held
        assert back == FILE[:at] + new + FILE[at + end - start :]
    with pytest.raises(ChangedError):
        restore(done.replace(b"New", b"N3w"))


def _pieces(data):
    """Where all that was put in stands."""
    found = [match.span() for match in _HELD.finditer(data)]
    at = data.find(MARK)
    end = data.find(b"-->", data.find(b"<!-- /head data", at)) + 3
    return sorted([*found, (at - 3, end)]) if at >= 0 else found


XHTML = (
    b'<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Strict//EN" '
    b'"x.dtd">\n<html xmlns="http://www.w3.org/1999/xhtml"><head><title>a</title></head><body/></html>'
)


def test_what_is_well_formed_xml_stays_so_or_is_left_alone():
    from lxml import etree

    tags = [*TAGS, Tag('<script type="application/ld+json">{"a":"b & c > d"}</script>', ("json-ld",))]
    new = inject(XHTML, tags)
    assert etree.fromstring(new).tag.endswith("html")
    assert (restore(new), b'content="/i" />' in new) == (XHTML, True)
    with pytest.raises(ChangedError, match="well-formed"):
        inject(XHTML, TAGS, also=Additions({"head_end": "<script async src=x></script>"}))


def test_a_block_of_an_older_version_is_taken_out_as_long_as_that_is_certain():
    whole = b"<head><meta charset=x><title>Old</title></head><body>"
    piece = [whole.index(b"<title>"), base64.b64encode(b"<title>Old</title>").decode()]
    packed = base64.b64encode(zlib.compress(json.dumps([1, 0, [piece]]).encode()))
    old = (
        b"<head><meta charset=x>\n" + MARK + b"\n<title>New</title>\n<!-- /head data " + packed
        + b" --></head><body>"
    )  # fmt: skip
    assert restore(old) == whole
    assert restore(old + b"later") == whole + b"later"
    with pytest.raises(ChangedError, match="older version"):
        restore(b"<!-- a -->" + old)
    assert block_mark(old) == ""


@pytest.mark.parametrize(
    ("head", "gone", "kept"),
    [
        ("<title>Old</title>", ["Old"], []),
        ("<TITLE>Old</TITLE><svg><title>Drawing</title></svg>", ["Old"], ["Drawing"]),
        ('<meta content=d name="DESCRIPTION">', ["DESCRIPTION"], []),
        ("<link href=/x rel='Canonical nofollow'>", ["/x"], []),
        ("<meta name=robots content=noindex>", ["noindex"], []),
        ("<meta property=og:image content=/o><meta property=og:image:alt content=Owl>",
         ["/o", "Owl"], []),
        ("<meta property=og:audio content=/a><meta name=author content=W>", [], ["/a", "author"]),
        (LD.decode() % '{"@type":"WebPage"}', ['"WebPage"'], []),
        (LD.decode() % '[{"@type":"WebPage"},{"@type":"Event"}]', [], ["Event"]),
        (LD.decode() % '{"@type":"Event"}', [], ["Event"]),
        (LD.decode() % "{broken", [], ["{broken"]),
        ("<!-- <title>said</title> --><script>'<title>no</title>'</script>", [],
         ["said", "'<title>no</title>'"]),
        ("<noscript><link rel=canonical href=/n></noscript>", [], ["/n"]),
    ],
)  # fmt: skip
def test_tags_of_the_same_meaning_go_and_all_others_stay(head, gone, kept):
    data = f"<html><head><meta charset=utf-8>{head}</head><body>x</body></html>".encode()
    new = inject(data, TAGS)
    visible = new[: new.index(MARK)] + new[new.index(b" -->", new.index(b"/head data")) :]
    visible = _HELD.sub(b"", visible)
    assert [one for one in gone if one.encode() in visible] == []
    assert [one for one in kept if one.encode() not in visible] == []
    assert restore(new) == data


@pytest.mark.parametrize(
    ("data", "before"),
    [
        (b"<head><meta charset=utf-8><meta name=viewport content=x><link rel=a></head>",
         b"<meta name=viewport content=x>"),
        (b"<head><link rel=a><meta http-equiv=Content-Type content='text/html'><p>",
         b"content='text/html'>"),
        (b"<head><script>1</script></head>", b"<head>"),
        (b"<!doctype html><title>x</title><p>y", b"<!doctype html>"),
        (b"<!doctype html>\n<html>\n<body>x", b"<html>\n"),
    ],
)  # fmt: skip
def test_the_block_stands_after_charset_and_viewport(data, before):
    new = inject(data, TAGS)
    stood = _HELD.sub(b"", new[: new.index(MARK)]).rstrip()
    assert stood == data[: data.index(before) + len(before)].rstrip()
    tree = LexborHTMLParser(new)
    assert [node.text() for node in tree.head.css("title")] == ["New"]


@pytest.mark.parametrize("data", [b"\xff\xfe<\x00h\x00", b"just text", b"", b"<head><title>never"])
def test_a_file_that_cannot_take_it_is_left_alone(data):
    assert inject(data, TAGS) is None


def test_letters_that_an_encoding_lacks_become_references():
    data = b"<head><meta charset=windows-1252></head>"
    assert 'content="é &#9731;"'.encode("cp1252") in inject(data, TAGS, "windows-1252")
    assert b'content="&#233; &#9731;"' in inject(data, TAGS, "ascii")


@pytest.mark.parametrize(
    "folder", ["/usr/share/doc/python3.11/html", "/usr/share/doc/postgresql-doc-15/html"]
)
def test_on_real_pages_only_the_head_block_differs(folder):
    places = sorted(Path(folder).rglob("*.html"))[::4]
    assert len(places) > 100
    for place in places:
        data = place.read_bytes()
        new = inject(data, TAGS)
        assert restore(new) == data
        assert inject(new, TAGS) == new
        head = scan_head(data)
        assert new.endswith(data[head.end :])
        titles = LexborHTMLParser(new).head.css("title")
        assert [node.text() for node in titles] == ["New"], place


def test_a_file_whose_block_was_changed_is_left_alone_and_told_by_name(marrowfen):
    place = marrowfen / "public/privacy/index.html"
    before = place.read_bytes()
    name = "x" * 245 + ".html"
    (marrowfen / "public" / name).write_bytes(before)
    run_command("survey", cwd=marrowfen)
    assert run_command("inject", cwd=marrowfen).code == 0, "names as long as can be"
    done = place.read_bytes()
    place.write_bytes(done.replace(b"Privacy", b"Secrecy").replace(b'lang="en-GB"', b'lang="en"'))
    changed = place.read_bytes()
    ran = run_command("inject", cwd=marrowfen)
    assert "privacy/index.html was left as it is: what `inject` put in was changed" in ran.err
    assert place.read_bytes() == changed
    run_command("survey", cwd=marrowfen)
    found = run_command("check", "--format", "json", cwd=marrowfen).json["findings"]
    assert [one["where"] for one in found if one["code"] == "inject-changed"] == [
        "privacy/index.html"
    ]
    place.write_bytes(done.replace(b"<html lang=\"en-GB\"", b'<html lang="de"'))
    assert run_command("inject", "--remove", cwd=marrowfen).code == 0
    assert place.read_bytes() == before.replace(b"<html lang=\"en-GB\"", b'<html lang="de"')


def test_a_noindex_that_nothing_delivers_and_heads_that_are_old_are_told_at_once(tmp_path, atlas):
    rule = '[[rule]]\nmatch = "/a.html"\nset = { index = false }\n'
    write_site(tmp_path, {"a.html": page("A"), "b.html": page("B")}, rule)

    def told(*commands):
        for command in commands:
            ran = atlas(command)
        codes = [f["code"] for f in atlas("check", "--format", "json").json["findings"]]
        return {"noindex-undelivered", "head-stale"} & set(codes), ran

    found, built = told("survey", "build")
    assert found == {"noindex-undelivered"}
    assert "nothing on them says so: /a.html. Run `jovial-atlas inject`" in " ".join(built.err.split())
    assert told("inject")[0] == set(), "known without another survey"
    assert told("survey", "build")[0] == set()
    (tmp_path / "atlas.toml").open("a").write('[head]\ncard_site = "@marrowfen"\n')
    found, built = told("build")
    assert found == {"head-stale"}
    assert "1 page holds head data older" in " ".join(built.err.split())


def test_a_site_takes_its_head_data_and_gives_its_files_back(marrowfen):
    public = marrowfen / "public"
    before = {place: place.read_bytes() for place in public.rglob("*.html")}
    times = {place: place.stat().st_mtime_ns for place in before}
    (marrowfen / "atlas.toml").open("a").write(
        '\n[head]\nverification = { "lantern-site" = "abc" }\n[[rule]]\nmatch = "/privacy/"\n'
        "set = { index = false }\n"
    )
    shown = run_command("inject", "--dry-run", "--match", "/privacy/", cwd=marrowfen)
    assert '+<meta name="robots" content="noindex">' in shown.out
    assert {place: place.read_bytes() for place in before} == before, "a dry run writes nothing"
    ran = run_command("inject", "--format", "json", cwd=marrowfen)
    pages = run_command("survey", "--format", "json", cwd=marrowfen).json
    assert (ran.json["changed"], ran.json["skipped"]) == (pages["pages"], 0)
    assert pages["changes"] == {"added": 0, "changed": 0, "removed": 0}
    assert {place: place.stat().st_mtime_ns for place in before} == times
    again = run_command("inject", "--format", "json", cwd=marrowfen).json
    assert (again["changed"], again["same"]) == (0, pages["pages"])
    tree = LexborHTMLParser((public / "hides/heron-fishing/index.html").read_bytes())
    found = {
        node.attributes.get("property") or node.attributes.get("name"): node.attributes["content"]
        for node in tree.css("meta[content]")
    }
    assert found["og:url"] == f"{URL}/hides/heron-fishing/"
    assert (found["og:type"], found["lantern-site"]) == ("article", "abc")
    assert found["og:image"] == f"{URL}/pictures/heron-pool.jpg"
    (script,) = tree.css('script[type="application/ld+json"]')
    kinds = [node["@type"] for node in json.loads(script.text())["@graph"]]
    assert "VideoObject" in kinds
    basket = (public / "shop/willow-basket/index.html").read_bytes()
    assert b"\xe0 la main" in basket, "its encoding stays"
    event = (
        (public / "events/owl-walk/index.html") if (public / "events/owl-walk").is_dir() else None
    )
    assert event is None or b'"Event"' in event.read_bytes()
    errors = run_command("check", "--format", "json", cwd=marrowfen).json["counts"]["error"]
    assert run_command("inject", "--remove", cwd=marrowfen).code == 0
    assert {place: place.read_bytes() for place in before} == before
    after = run_command("check", "--format", "json", cwd=marrowfen).json["counts"]["error"]
    assert errors == after


def test_what_cannot_be_written_is_told_and_nothing_else_stops(tmp_path, atlas):
    odd = "﻿<!doctype html><title>é</title><p>x".encode("utf-16")
    write_site(tmp_path, {"a.html": page("A")})
    (tmp_path / "public/odd.html").write_bytes(odd)
    atlas("survey")
    ran = atlas("inject")
    assert (ran.code, "1 page changed" in ran.out) == (0, True)
    assert "odd.html was left as it is" in ran.err
    assert atlas("inject", "--match", "x").code == 2
