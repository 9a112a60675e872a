"""The review of a page that no survey has: a file before it is published, or an address."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from jovial_atlas import addresses, dates
from jovial_atlas.checks.texts import published_texts
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault
from jovial_atlas.findings.registry import check_of
from jovial_atlas.foreign import in_utf8
from jovial_atlas.head.texts import phrase_of, phrases_in
from jovial_atlas.head.videos import films_of
from jovial_atlas.pages.page import pages_of
from jovial_atlas.pages.row import PageRow
from jovial_atlas.review.judging import judge_page
from jovial_atlas.review.measures import measures_of
from jovial_atlas.review.reviewed import KnownFault, PageReview
from jovial_atlas.rounds.proving.lone_page import (
    NOWHERE,
    address_of_file,
    source_of,
    survey_around,
)
from jovial_atlas.rounds.proving.neighbours import Neighbours, targets_of
from jovial_atlas.rounds.proving.review import AboutPages, exemptions, settings_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rules import decide
from jovial_atlas.sitefile import HtmlSource, MarkdownSource, SiteFile
from jovial_atlas.sources.html_page.context import TEXT_ENDINGS
from jovial_atlas.sources.html_page.fulltext import html_of_file
from jovial_atlas.sources.html_page.page import PageFile, as_it_is_read, read_page
from jovial_atlas.sources.records import records
from jovial_atlas.sources.records.columns import FieldMap
from jovial_atlas.sources.records.markdown import read_markdown_file
from jovial_atlas.sources.settings import name_of, reading_of
from jovial_atlas.web import Client, Request, send

_LARGEST = 20_000_000


def review_file(
    path: Path, site: SiteFile | None, now: datetime, served_as: str | None = None
) -> PageReview:
    """The review of a file of HTML or Markdown. `served_as` is the address that it will have; else
    a source of the site says, or nobody. Raises AtlasError."""
    loc = _normalised(served_as) if served_as else None
    try:
        data = path.read_bytes()
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror}).") from error
    if path.suffix.lower() in TEXT_ENDINGS or source_of(path, site, MarkdownSource):
        return _review_markdown(path, site, now, loc)
    loc = loc or address_of_file(path, site)
    return review_bytes(data, loc or f"{NOWHERE}/{path.name}", str(path), site, now)


def _review_markdown(
    path: Path, site: SiteFile | None, now: datetime, served_as: str | None
) -> PageReview:
    """The review of a file of Markdown, with what its front matter says."""
    there = source_of(path, site, MarkdownSource)
    source, inner = there or (None, path.name)
    origin = addresses.origin(served_as) if served_as else NOWHERE
    if source is not None and site is not None:
        origin = source.host or site.model.site.url
    survey = survey_around(f"{origin}/", site, now)
    source = source or MarkdownSource(path=path.name)
    how = FieldMap(name_of(source), origin, now, source.url, source.columns)
    reading = reading_of(source, survey.site, now)
    row, faults = read_markdown_file(PageFile(path, inner, ""), how, reading)
    if row is not None and served_as:
        row["loc"] = served_as
    return _review_row(row, faults, html_of_file(path), str(path), survey)


def review_address(
    address: str, site: SiteFile | None, now: datetime, client: Client
) -> PageReview:
    """The review of what an address answers with. Raises AtlasError, also where that is no page."""
    loc = _normalised(address)
    return review_bytes(html_at(loc, client), loc, loc, site, now)


def html_at(loc: str, client: Client) -> bytes:
    """What an address answers with. Raises AtlasError where that is no page."""
    answer = send(client, Request("GET", loc, {"Accept": "text/html"}), largest=_LARGEST)
    if answer.status != 200:
        target = answer.headers.get("location")
        where = f" and sends on to {target}; review that" if target else ""
        raise AtlasError(f"{loc} answers with status {answer.status}{where}.")
    if "html" not in answer.headers.get("content-type", "html"):
        raise AtlasError(f"{loc} is no HTML page ({answer.headers['content-type']}).")
    return in_utf8(answer.body, answer.headers.get("content-type", ""))


def _normalised(address: str) -> str:
    try:
        return addresses.normalise(address)
    except ValueError as error:
        raise AtlasError(f"{address}: {error}.") from None


def review_bytes(
    data: bytes, loc: str, name: str, site: SiteFile | None, now: datetime
) -> PageReview:
    """The review of a page of HTML that is, or will be, at `loc`; messages call it `name`. Raises
    AtlasError where it is none."""
    survey = survey_around(loc, site, now)
    site = survey.site
    source = next((one for one in site.model.source if isinstance(one, HtmlSource)), None)
    reading = reading_of(source or site.model.source[0], site, now)
    row, faults = read_page(data, PageFile(name, name, loc), reading, now.timestamp())
    if row is not None and source is not None:
        row["source"] = name_of(source)
    return _review_row(row, faults, as_it_is_read(data), name, survey)


def _review_row(
    row: PageRow | None, faults: Sequence[Fault], html: bytes, name: str, survey: LastSurvey
) -> PageReview:
    """The review of a page that was read, with its HTML. Raises AtlasError where it is none."""
    site, now = survey.site, survey.now
    if row is None:
        raise AtlasError(f"{name} is no page: {faults[0].message if faults else 'it is empty.'}")
    table = decide(records.pages_of([row]), site, now)
    (page,) = pages_of(table)
    (texts,) = published_texts(table.with_columns(listed=True), survey.heads)
    phrases = tuple(phrases_in(phrase_of(page, survey.heads)))
    language = page.language or site.model.site.language
    known = [KnownFault(one.code, str(check_of(one.code).severity), one.message) for one in faults]
    measures = measures_of(html, page.loc, language, phrases)
    about = AboutPages(
        survey, Neighbours(survey, [texts], targets_of([measures])), {page.loc: measures}.get,
        {page.loc: known}, films_of(table, survey.heads, dates.write(now)),
    )  # fmt: skip
    settings = settings_of(site, page.section)
    return judge_page(about.page(texts), settings, exemptions(site).get(page.loc))
