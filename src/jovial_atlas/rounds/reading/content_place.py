"""Where the content of a site is, recognised by what lies there: a folder of HTML or Markdown, a
live site, a sitemap, a feed, a table or a database."""

from __future__ import annotations

import io
import itertools
import os
import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from msgspec import structs

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError, ContentError, NetworkError
from jovial_atlas.faults import plural
from jovial_atlas.robots import parse_robots
from jovial_atlas.rounds.reading.content_records import (
    ANY_ROWS,
    SOME_ROWS,
    ContentPlace,
    RowsAsked,
    database_of,
    database_place,
    is_database,
    is_database_file,
    is_web,
    origin_of,
    table_place,
)
from jovial_atlas.rounds.state.names import ROBOTS
from jovial_atlas.sitefile import (
    CrawlSource,
    FeedSource,
    HtmlSource,
    ListSource,
    MarkdownSource,
    SqlSource,
    TableSource,
)
from jovial_atlas.sitemaps.read import FileKind, read_sitemap
from jovial_atlas.sources.html_page.context import TEXT_ENDINGS
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_files
from jovial_atlas.sources.records.table import TABLE_ENDINGS
from jovial_atlas.sources.records.templates import begins_as_template
from jovial_atlas.sources.remote import get_anywhere, get_robots
from jovial_atlas.sources.workers.folder import HTML_ENDINGS, NO_CONTENT
from jovial_atlas.web import Answer, Client

#: Names of the folders that generators build into, beside what they build from.
_BUILT = ("public", "_site", "site", "dist", "build", "output", "www", "htdocs", "html", "out")
#: Texts that are not read, and what they are in.
_UNREAD = {".rst": "reStructuredText", ".adoc": "AsciiDoc", ".asciidoc": "AsciiDoc", ".org": "Org",
           ".textile": "Textile", ".lr": "blocks of fields"}  # fmt: skip
#: Folders that hold no content of a site, where it is looked for.
_NEVER = NO_CONTENT | {"vendor"}
#: Of so many HTML files the beginning is read, to know whether pages are still to be made of them.
_LOOKED_INTO = 100
#: So many files of a folder are looked at.
_MOST_FILES = 200_000
#: So many pages are asked for the address of their site.
_ASKED_PAGES = 20
_READING = Reading("home", datetime.fromtimestamp(0, UTC))
#: Where feeds link to pages: RSS, Atom, JSON Feed.
_FEED_LINK = re.compile(
    rb"""(?:<link>\s*|<link\b[^>]*\bhref=["']|"(?:url|home_page_url)"\s*:\s*")(https?://[^\s<"']+)"""
)


def recognise(place: str, client: Client, rows: RowsAsked = ANY_ROWS) -> ContentPlace:
    """What lies at an address, in a folder, in a file or in a database; `rows` says what was asked
    of its records. Raises AtlasError, which says what would be right."""
    found = _recognise(place, client, rows)
    if rows == ANY_ROWS or isinstance(found.source, TableSource | SqlSource):
        return found
    if rows.table or not isinstance(found.source, MarkdownSource):
        raise AtlasError(
            f"There are no columns in {found.what}: --table, and --addresses with a template, are "
            "for tables and databases."
        )
    source = structs.replace(found.source, url=rows.template)
    return replace(found, source=source, unsure=found.unsure[1:])


def _recognise(place: str, client: Client, rows: RowsAsked) -> ContentPlace:
    if is_web(place):
        return _at_address(place, client)
    if is_database(place):
        return database_place(place, rows)
    path = Path(place).expanduser()
    if path.is_dir():
        return _in_folder(path)
    if path.is_file():
        return _in_file(path, rows)
    if path.exists():
        raise AtlasError(f"{place} is neither a folder nor a file.")
    if re.match(r"[\w-]+(\.[\w-]+)+(:\d+)?(/|\Z)", place) and "/" not in place.rstrip("/"):
        raise AtlasError(
            f"{place} does not exist here. If it is the address of a site, write it with its "
            f"scheme: https://{place}"
        )
    raise AtlasError(
        f"{place} does not exist. Name a folder of HTML or Markdown pages, a table, a database, a "
        "sitemap or feed, or an address that begins with https://"
    )


def built_folder() -> str | None:
    """The folder of a built site, where one of the usual name is here and has a home page."""
    return next((name for name in _BUILT if _has_home(Path(name))), None)


def html_folder(place: str) -> ContentPlace:
    """A folder that is said to hold built HTML. Raises ContentError where it does not."""
    path = Path(place)
    if not path.is_dir():
        what = "is not a folder" if path.exists() else "does not exist"
        raise ContentError(f"The content folder {path} {what}. Name another with --html.")
    found = _in_folder(path)
    if found.folder != path:
        found = ContentPlace(HtmlSource(path=place), f"a folder of built HTML, {place}")
    return found


def named_origin(place: ContentPlace) -> str:
    """The origin that the home page of a folder, or another page of it, names as its own; "" where
    none does."""
    if place.folder is None:
        return ""
    named: list[str] = []
    for file in itertools.islice(_pages_first(place.folder), _ASKED_PAGES):
        rows, _ = read_files([PageFile(file, file, "https://x.example/")], _READING)
        named += [canonical for row in rows if (canonical := row.get("canonical"))]
    return origin_of(iter(named))


def _pages_first(folder: Path) -> Iterator[str]:
    """The HTML files of a folder, its home page first."""
    home = [str(folder / f"index{ending}") for ending in HTML_ENDINGS]
    yield from (file for file in home if Path(file).is_file())
    yield from (file for file in _files(folder) if file.lower().endswith(HTML_ENDINGS))


def _in_folder(path: Path) -> ContentPlace:
    pages, texts, unread = [], 0, Counter[str]()
    for file in itertools.islice(_files(path), _MOST_FILES):
        name = file.lower()
        if name.endswith(HTML_ENDINGS):
            pages.append(file)
        elif name.endswith(TEXT_ENDINGS):
            texts += 1
        elif (ending := f".{name.rpartition('.')[2]}") in _UNREAD:
            unread[ending] += 1
    others = _told_unread(unread)
    if not pages and not texts:
        more = f", but {others}" if others else ""
        raise ContentError(
            f"{path} holds no HTML page and no Markdown file{more}. Name the folder that holds "
            "the built site, or the texts that it is built of."
        )
    built = next((name for name in _BUILT if _has_home(path / name)), "")
    if _is_to_be_built(path, pages):
        return _of_generator(path, built, texts + len(pages), others)
    if len(pages) < texts:
        return _of_texts(path, plural(texts, "Markdown file"), others)
    unsure = []
    if built and not _has_home(path):
        unsure.append(
            f"{path / built} has a home page, {path} has none: if that is the folder which is "
            f"served, run init again with --content {path / built}"
        )
    what = f"{plural(len(pages), 'built HTML page')} in {path}"
    return ContentPlace(HtmlSource(path=str(path)), what, unsure=unsure)


def _is_to_be_built(path: Path, pages: Sequence[str]) -> bool:
    """Whether pages are still to be made of what a folder holds: HTML with front matter, or that
    begins with a statement of a template."""
    if any((path / name).is_dir() for name in ("_layouts", "_includes")):
        return True
    for file in pages[:_LOOKED_INTO]:
        with suppress(OSError), Path(file).open("rb") as stream:
            if begins_as_template(stream.read(200)):
                return True
    return False


def _told_unread(unread: Mapping[str, int]) -> str:
    return ", ".join(
        f"{plural(count, 'file')} of {_UNREAD[ending]} ({ending})"
        for ending, count in sorted(unread.items())
    )


def _of_generator(path: Path, built: str, files: int, others: str) -> ContentPlace:
    """The pages that were made of a folder, where they are in it, else the texts of it."""
    if not built:
        return _of_texts(path, f"{plural(files, 'file')} of Markdown and HTML", others)
    pages = sum(file.lower().endswith(HTML_ENDINGS) for file in _files(path / built))
    said = (
        f"{path} holds what the site is made of, {path / built} the pages as they are served: "
        'these are read. To read the texts, write kind = "markdown" and their folder into the '
        "[[source]]."
    )
    what = f"{plural(pages, 'built HTML page')} in {path / built}"
    return ContentPlace(HtmlSource(path=str(path / built)), what, unsure=[said])


def _of_texts(path: Path, what: str, others: str) -> ContentPlace:
    said = (
        "The addresses of Markdown pages are made of their paths, as in /notes/otters/ for "
        "notes/otters.md; if the site has others, correct `url` in the [[source]]."
    )
    unsure = [said]
    if others:
        unsure.append(
            f"{path} also holds {others}, which are not read: build the site, and name the folder "
            "with its pages, if they are pages of it."
        )
    return ContentPlace(MarkdownSource(path=str(path)), f"{what} in {path}", unsure=unsure)


def _has_home(folder: Path) -> bool:
    return any((folder / f"index{ending}").is_file() for ending in HTML_ENDINGS)


def _files(path: Path) -> Iterator[str]:
    for folder, folders, names in os.walk(path):
        folders[:] = [n for n in folders if not n.startswith(".") and n not in _NEVER]
        yield from (f"{folder}/{name}" for name in names if not name.startswith("."))


def _in_file(path: Path, rows: RowsAsked) -> ContentPlace:
    name = path.name.lower().removesuffix(".gz")
    if name.endswith(HTML_ENDINGS):
        raise AtlasError(f"{path} is a single page. Name the folder that holds the whole site.")
    if name.endswith(".numbers"):
        raise AtlasError(
            f"{path} is a spreadsheet in a format of its program. Save it as .xlsx, .ods or CSV "
            "(UTF-8) there, and name that file."
        )
    if name.endswith(TABLE_ENDINGS) and not _is_list(path) and not _is_feed(path):
        return table_place(path, rows)
    try:
        if is_database_file(path):
            return database_place(database_of(path), rows)
        data = path.read_bytes()
    except OSError as error:
        raise ContentError(f"{path} cannot be read ({error.strerror}).") from error
    found = _recognised(data, str(path))
    if found is not None:
        return found
    known = ", ".join(TABLE_ENDINGS)
    raise AtlasError(
        f"{path} is no table ({known}), SQLite database, sitemap, feed or list of addresses that "
        "this tool knows."
    )


def _is_list(path: Path) -> bool:
    """Whether a CSV begins with an address, as lists without a header do."""
    if not path.name.lower().endswith((".csv", ".tsv")):
        return False
    with path.open("rb") as stream:
        first = stream.readline(10_000).lstrip(b"\xef\xbb\xbf \"'")
    return first.startswith((b"http://", b"https://", b"/"))


#: What a JSON Feed says of itself (https://www.jsonfeed.org/version/1.1/, `version`).
_JSON_FEED = re.compile(rb'"version"\s*:\s*"https://jsonfeed')


def _is_feed(path: Path) -> bool:
    if not path.name.lower().endswith(".json"):
        return False
    with path.open("rb") as stream:
        return _JSON_FEED.search(stream.read(2_000)) is not None


def _recognised(data: bytes, path: str) -> ContentPlace | None:
    """A sitemap, a feed or a list of addresses; None where it is none of them."""
    beginning = data[:2].startswith(b"\x1f\x8b") or data.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"
    if beginning and not re.search(rb"<(?:rss|feed|rdf:RDF)\b", data[:2_000]):
        file = read_sitemap(data, path)
        if file.kind:
            origin = origin_of(entry.loc for entry in file.entries)
            what = "a sitemap index" if file.kind == FileKind.INDEX else "a sitemap"
            return ContentPlace(ListSource(path=path), f"{what}, {path}", origin)
        return None
    if beginning or _JSON_FEED.search(data[:2_000]):
        named = (one.decode("utf-8", "replace") for one in _FEED_LINK.findall(data)[:SOME_ROWS])
        origin = origin_of(named)
        return ContentPlace(FeedSource(path=path), f"a feed, {path}", origin)
    lines = (line.strip() for line in io.BytesIO(data))
    first = next((line for line in lines if line and not line.startswith(b"#")), b"")
    if first.lstrip(b"\xef\xbb\xbf \"'").startswith((b"http://", b"https://", b"/")):
        some = (line.decode("utf-8", "replace") for line in data.splitlines()[:SOME_ROWS])
        origin = origin_of(re.split(r"[,;\t\"']", one.strip("\"'"))[0] for one in some)
        return ContentPlace(ListSource(path=path), f"a list of addresses, {path}", origin)
    return None


def _at_address(place: str, client: Client) -> ContentPlace:
    here, answer = answer_at(place, client)
    kind = answer.headers.get("content-type", "").partition(";")[0].strip().lower()
    if kind not in ("text/html", "application/xhtml+xml"):
        if (found := _recognised(answer.body, here)) is not None:
            return found
        raise AtlasError(
            f"{here} is of the type {kind or 'unknown'}: no page, sitemap or feed. For records of "
            'an interface, write a [[source]] with kind = "json".'
        )
    origin = addresses.origin(here)
    start = addresses.path_and_query(here)
    robots = _robots_of(origin, client)
    sitemaps = tuple(_sitemaps_of(origin, robots, client))
    source = CrawlSource(start=("/",) if start == "/" else ("/", start))
    return ContentPlace(source, f"a live site, {origin}", origin, robots=robots, sitemaps=sitemaps)


def answer_at(place: str, client: Client) -> tuple[str, Answer]:
    """Where the answer at an address comes from, behind redirects, and that answer. Raises
    AtlasError, ContentError."""
    try:
        start = addresses.normalise(place)
    except ValueError as error:
        raise AtlasError(f"{place}: {error}. Give it like https://www.marrowfen.example") from None
    try:
        here, answer = get_anywhere(client, start)
    except NetworkError as error:
        raise ContentError(f"{start} cannot be read: {error}") from error
    if answer.status != 200:
        raise ContentError(f"{here} answers with status {answer.status}; nothing is read from it.")
    return here, answer


def _robots_of(origin: str, client: Client) -> bytes | None:
    try:
        answer = get_robots(client, f"{origin}/{ROBOTS}")
    except NetworkError:
        return None
    return answer.body if answer.status == 200 else None


def _sitemaps_of(origin: str, robots: bytes | None, client: Client) -> Iterator[str]:
    """The sitemaps that a live site has now: those of its robots.txt, else the usual place."""
    named = [record.value for record in parse_robots(robots or b"").sitemaps]
    for place in named or [f"{origin}/sitemap.xml"]:
        if not place.startswith(f"{origin}/"):
            continue
        try:
            _, found = answer_at(place, client)
        except AtlasError:
            continue
        if read_sitemap(found.body, place).kind:
            yield place
