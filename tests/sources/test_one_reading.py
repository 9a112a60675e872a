"""One site through every source that can carry its pages: the same bytes give the same rows."""

import json
import os

import pytest

from jovial_atlas.pages import schema
from tests.conftest import URL, page

LONG = "The water stood at the lowest step of the tower all morning, and two bitterns called. " * 5
PAGES = {
    "/notes/bittern/": page(
        "Bittern", f'<p class="byline">by <a rel=author href=/w/>Wren Aldergate</a>, 3 March 2026</p>'
        f"<p>{LONG}</p><img src=/p/b.jpg alt=Bittern><a href=/notes/otter/>otters</a>"
        '<iframe src="https://films.example/embed/77" allow="autoplay; fullscreen" width=640 height=360></iframe>',
        "<meta name=description content='A bird.'><meta property='article:tag' content='birds'>",
    ),
    "/notes/otter/": page("Otter", f"<article><h1>Otter</h1><p>{LONG}</p></article>",
                          "<meta name=robots content='max-snippet:20, nonsense'>"
                          "<script type='application/ld+json'>{broken</script>"),
    "/tags/birds/": page("Birds", "".join(f"<article><h2><a href=/notes/{n}/>{n}</a></h2><p>{LONG}</p></article>"
                                          for n in ("bittern", "otter", "heron"))),
    "/search/": page("Search", "<form role=search><input name=q></form>"),
}  # fmt: skip
#: What only the place of a page tells: its file, the time of that, and how it was fetched.
PLACE = {"source", "path", "mtime", "lastmod", "lastmod_from", "status"}
#: And what the pages beside it tell, of which a crawl meets others.
PLACE |= {*schema.LINK_COLUMNS}


@pytest.fixture
def read(survey, tmp_path, web):
    def by(kind):
        if kind == "html":
            for place, text in PAGES.items():
                (tmp_path / "public" / place[1:]).mkdir(parents=True, exist_ok=True)
                (tmp_path / "public" / place[1:] / "index.html").write_text(text)
            source = 'kind = "html"\npath = "public"'
        elif kind == "site":
            for place, text in PAGES.items():
                web.answers[place] = (200, {"Content-Type": "text/html"}, text.encode())
            source = f'kind = "site"\nvia = "{web.url}"\nper_second = 1000.0\nstart = {json.dumps(list(PAGES))}'
        else:
            records = [{"url": URL + place, "body": text} for place, text in PAGES.items()]
            (tmp_path / "all.jsonl").write_text("\n".join(map(json.dumps, records)))
            web.answers["/all"] = (
                200,
                {"Content-Type": "application/json"},
                json.dumps(records).encode(),
            )
            place = f'address = "{web.url}/all"' if kind == "json" else 'path = "all.jsonl"'
            source = f'kind = "{kind}"\n{place}\ncolumns = {{ content = "body" }}'
        rows, faults = survey(source)
        names = {f"{URL}{place}": place for place in PAGES} | {place: place for place in PAGES}
        names |= {f"{place[1:]}index.html": place for place in PAGES}
        told = {(code, names.get(where, where)) for code, where in faults}
        told = {one for one in told if not one[0].startswith(("crawl-", "fetch-"))}
        return {place: rows[place] for place in PAGES}, told

    return by


@pytest.mark.parametrize("kind", ["site", "table", "json"])
def test_the_same_bytes_give_the_same_row_and_the_same_findings(read, kind):
    rows, faults = read("html")
    assert rows["/notes/bittern/"]["author"] == "Wren Aldergate"
    assert len(rows["/notes/bittern/"]["videos"]) == 1 and len(faults) == 3
    others, told = read(kind)
    assert told == faults
    for loc, row in rows.items():
        for name in schema.SCHEMA:
            if name not in PLACE:
                assert others[loc][name] == row[name], (loc, name)


def test_an_item_of_a_feed_with_its_full_content_says_what_the_page_does(survey, tmp_path, read):
    rows, _ = read("html")
    row = rows["/notes/bittern/"]
    content = PAGES["/notes/bittern/"].partition("<main>")[2].partition("</main>")[0]
    feed = {"version": "https://jsonfeed.org/version/1.1", "title": "Fen", "items": [
        {"id": "1", "url": f"{URL}/notes/bittern/", "content_html": content, "title": "Named by the feed"}]}  # fmt: skip
    (tmp_path / "feed.json").write_text(json.dumps(feed))
    item = survey('kind = "feed"\npath = "feed.json"')[0]["/notes/bittern/"]
    for name in ("heading", "excerpt", "words", "entries", "links", "images", "videos", "author",
                 "published", "published_from", "fingerprint", "text_digest"):  # fmt: skip
        assert item[name] == row[name], name
    assert item["title"] == "Named by the feed", "what the record says wins"


@pytest.mark.parametrize("kind", ["site", "markdown", "html"])
def test_no_date_moves_while_the_content_stays(survey, tmp_path, web, kind):
    """A server that was started anew, a rebuild that touches each file: neither is news."""

    def write(day, footer):
        text = page("A", f"<p>{LONG}</p></main><footer>{footer}</footer><main>")
        said = {"Content-Type": "text/html", "Last-Modified": f"Mon, 0{day} Jun 2026 10:00:00 GMT"}
        web.answers["/"] = (200, said, text.encode())
        for name in ("md/index.md", "public/index.html"):
            file = tmp_path / name
            file.parent.mkdir(exist_ok=True)
            file.write_text(f"# A\n\n{LONG}\n" if name.startswith("md") else text)
            os.utime(file, (1_780_000_000 + day * 86_400,) * 2)

    source = {"site": f'kind = "site"\nvia = "{web.url}"\nper_second = 1000.0',
              "markdown": 'kind = "markdown"\npath = "md"', "html": 'kind = "html"\npath = "public"'}[kind]  # fmt: skip
    write(1, "1")
    date = survey(source)[0]["/"]["lastmod"]
    assert date
    for more in ('', '[dates]\ntrust = ["meta", "fingerprint", "file"]\n', '[authors]\ntrust = ["meta"]\n',
                 '[tags]\ntrust = ["meta"]\n', "[kinds]\nlistings = []\n"):  # fmt: skip
        write(5, more)
        assert survey(source, more=more, full=True)[0]["/"]["lastmod"] == date, more
