"""The check of one page, whoever made it: a file of HTML, or what an address answers with. What can
only be told of a whole site (sitemaps, repeated texts) is left to the check of the site."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from urllib.parse import unquote, urlsplit

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.checks import pages
from jovial_atlas.checks.sets import SitemapSet
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault, plural
from jovial_atlas.files import is_file
from jovial_atlas.linking.reading import LinkRow, links_of
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.proving import structured_data
from jovial_atlas.rounds.proving.lone_page import NOWHERE, address_of_file, survey_around
from jovial_atlas.rounds.proving.site_checks import CheckedHost, film_faults, texts_faults
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.site_files import may_exist
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sources.html_page.page import PageFile, Reading, as_it_is_read, read_page
from jovial_atlas.sources.records import records
from jovial_atlas.sources.settings import name_of, reading_of
from jovial_atlas.values import replace

_PAGES = (".html", ".htm", ".xhtml")
_LOADS = ("link-loads-nothing", "loads", ("picture", "script", "style", "film", "file", "frame"))
#: Links that are told.
_MOST_LINKS = 10


@dataclass(frozen=True, slots=True)
class CheckedPage:
    """What a page says of itself, in lines, and what is wrong with it."""

    told: list[str]
    faults: list[Fault]


def is_page(name: str, beginning: bytes) -> bool:
    """Whether a file is a page of HTML, by its name or its beginning."""
    if Path(urlsplit(name).path).suffix.lower() in _PAGES:
        return True
    start = beginning[:1024].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    return start.startswith((b"<!doctype html", b"<html"))


def check_file(
    path: Path, data: bytes, served_as: str | None, site: SiteFile | None, now: datetime
) -> CheckedPage:
    """The check of a file, at the address that it has or will have: as is said, by a source of the
    site, or as the page names itself. Raises AtlasError."""
    loc = served_as or address_of_file(path, site) or _named_by(data, now)
    if loc is None:
        # Nobody says where it is served: its links lead to files beside it.
        whole = path.resolve()
        loc = f"{NOWHERE}{whole.as_uri().removeprefix('file://')}"
        return check_page(data, loc, str(path), site, now, root=Path(whole.anchor))
    return check_page(data, loc, str(path), site, now, root=_root_of(path, loc))


def _root_of(path: Path, loc: str) -> Path | None:
    """The folder that is served at the root of the site, where a file lies as its address says."""
    inner = unquote(urlsplit(loc).path).strip("/")
    whole = path.resolve()
    for name in (f"{inner}/index.html".lstrip("/"), inner, f"{inner}.html"):
        parts = Path(name).parts
        if parts and whole.parts[-len(parts) :] == parts:
            return Path(*whole.parts[: -len(parts)])
    return None


def _named_by(data: bytes, now: datetime) -> str | None:
    """The address that a page of which nobody says where it is gives itself: its canonical."""
    row, _ = read_page(data, PageFile("", "", f"{NOWHERE}/"), Reading("page", now), 0.0)
    canonical = row.get("canonical") if row else None
    try:
        named = addresses.normalise(canonical) if canonical else ""
    except ValueError:
        return None
    return named if named.startswith(("http://", "https://")) else None


def check_page(
    data: bytes, loc: str, name: str, site: SiteFile | None, now: datetime,
    *, root: Path | None = None,
) -> CheckedPage:  # fmt: skip
    """The check of a page that is at `loc`; messages call it `name`. Where its site has no survey,
    its links lead to files of the folder `root`. Raises AtlasError where it is no page."""
    around = survey_around(loc, site, now)
    host = next((h for h in around.site.hosts if loc.startswith(f"{h.model.site.url}/")), None)
    survey = around.of_host(host) if host else around
    source = next((one for one in survey.site.model.source if isinstance(one, HtmlSource)), None)
    reading = reading_of(source or survey.site.model.source[0], survey.site, now)
    row, faults = read_page(data, PageFile(name, name, loc), reading, now.timestamp())
    if row is None:
        raise AtlasError(f"{name} is no page: {faults[0].message if faults else 'it is empty.'}")
    if source is not None:
        row["source"] = name_of(source)
    table = records.pages_of([row])
    alone = replace(survey, pages=table.lazy(), faults=[])
    checked = CheckedHost(alone, None, SitemapSet(), now)
    (page,) = pages_of(alone.decided)
    links = [row for row in links_of(as_it_is_read(data), loc) if row.target]
    if loc.startswith(f"{NOWHERE}/"):
        links = [row for row in links if not (row.written or "").startswith("/")]
    known = Known(survey, loc, root)
    found = [
        *faults,
        *texts_faults(checked),
        *pages.check_languages_said(checked.table),
        *(one for one in pages.check_canonicals(_with_known(alone.decided, survey), survey.site)
          if one.where == loc),
        *_broken(name, links, known),
        *_data(data, loc, name, alone),
        *film_faults(checked),
    ]
    told = list(_told(page, links, known))
    return CheckedPage(told, [_here(one, loc, name) for one in found])


def _with_known(decided: pl.DataFrame, survey: LastSurvey) -> pl.LazyFrame:
    """The page among the other pages of its site, since a canonical may name one of them."""
    if not survey.at:
        return decided.lazy()
    others = survey.decided.filter(~pl.col("loc").is_in(decided["loc"].to_list()))
    return pl.concat([decided.lazy(), others.lazy()], how="diagonal_relaxed")


def _here(fault: Fault, loc: str, name: str) -> Fault:
    """Where a fault is, as whoever asked calls the page."""
    return Fault(fault.code, name, fault.message) if fault.where in ("", loc) else fault


@dataclass(frozen=True)
class Known:
    """What is known of where links lead: the pages of a survey, or files in a folder."""

    survey: LastSurvey
    loc: str
    root: Path | None

    def judge(self) -> Callable[[str], bool | None]:
        """Whether something is at an address; None where nobody knows."""
        if self.survey.at:
            there = set(self.survey.pages.select("loc").collect(engine="streaming")["loc"])
            moved = {move.old for move in self.survey.site.moves if move.is_single and move.to}
            may = may_exist(self.survey.site)
            urls = tuple(f"{url}/" for url in self.survey.site.urls)
            return lambda to: to in there or to in moved or may(to) if to.startswith(urls) else None
        folder, own = self.root, f"{addresses.origin(self.loc)}/"
        if folder is not None:
            return lambda to: _is_in(folder, to) if to.startswith(own) else None
        return lambda _to: None


def _is_in(folder: Path, address: str) -> bool:
    place = folder / unquote(urlsplit(address).path).lstrip("/")
    return place.is_dir() or is_file(place) or is_file(place.with_name(f"{place.name}.html"))


def _broken(name: str, links: list[LinkRow], known: Known) -> Iterator[Fault]:
    judge = known.judge()
    for code, verb, kinds in (("link-broken", "links to", ("link",)), _LOADS):
        some = dict.fromkeys(row.target or "" for row in links if row.kind in kinds)
        broken = [to for to in some if judge(to) is False]
        for to in broken[:_MOST_LINKS]:
            yield Fault(code, name, f"It {verb} {to.removeprefix(NOWHERE)}: there is nothing.")
        if len(broken) > _MOST_LINKS:
            yield Fault(code, name, f"It {verb} {len(broken) - _MOST_LINKS:,} more that are not "
                        "there.")  # fmt: skip


def _data(data: bytes, loc: str, name: str, survey: LastSurvey) -> Iterator[Fault]:
    """What is wrong with the structured data that the page itself has."""
    yield from structured_data.data_in(data, loc, name, survey.site).faults


def _told(page: Page, links: list[LinkRow], known: Known) -> Iterator[str]:
    """What the page says, before what is wrong with it."""
    said = page.directives or ""
    words = {one.strip().lower() for one in said.split(",")}
    indexed = "asks engines not to index it" if {"noindex", "none"} & words else "may be indexed"
    directives = f" ({said})" if said else ""
    where = "none known (--as says it)" if page.loc.startswith(f"{NOWHERE}/") else page.loc
    yield f"address: {where}; {indexed}{directives}"
    canonical = page.canonical
    own = canonical and _same(canonical, page.loc)
    yield f"canonical: {'itself' if own else canonical or 'none named'}"
    yield f"language: {page.language or 'not said'}; main heading: {page.heading or 'none'}"
    shared = [what for what, there in (("title", page.share_title), ("picture", page.share_image),
              ("description", page.share_description)) if there]  # fmt: skip
    yield f"sharing: says {', '.join(shared) if shared else 'nothing of its own'}"
    judge = known.judge()
    some = {row.target or "" for row in links}
    judged = sum(judge(to) is not None for to in some)
    yield f"links: {plural(len(some), 'address', 'addresses')} linked or loaded, {judged:,} judged"


def _same(one: str, other: str) -> bool:
    try:
        return addresses.normalise(one) == other
    except ValueError:
        return False
