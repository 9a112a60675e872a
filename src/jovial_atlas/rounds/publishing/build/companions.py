"""The other files of the set: robots.txt, key files, style sheet, feeds, the page for visitors."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from jovial_atlas.engines import indexnow
from jovial_atlas.engines.channels import kind_of
from jovial_atlas.errors import OutputError
from jovial_atlas.head.film_table import STILLS_PATH
from jovial_atlas.head.settings import HeadSettings, head_settings
from jovial_atlas.head.texts import description_of, pattern_text, title_of
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.robots import write_robots
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import ROBOTS, STILLS, STYLE
from jovial_atlas.rounds.state.record import site_key
from jovial_atlas.rounds.state.site_files import file_of_row
from jovial_atlas.rules import robots_of
from jovial_atlas.rules.selectors import matches, path_column
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import as_patterns
from jovial_atlas.sitemaps.feeds import FeedChannel, FeedItem, atom, rss
from jovial_atlas.sitemaps.view import style_sheet

if TYPE_CHECKING:
    from jinja2 import Environment

#: Name and bytes of a file.
Named = tuple[str, bytes]
#: A sitemap file: the section it is of, its newest date, and what gives `loc, lastmod, mark`.
FileListing = tuple[str, str, Callable[[], pl.DataFrame]]


def root_files(
    survey: LastSurvey, sitemaps: Sequence[str], *, style: bool, dry: bool
) -> Iterator[Named]:
    """What stands at the root beside the sitemaps: robots.txt, which names these `sitemaps`, the
    files that prove ownership, stills of videos, and the style sheet where it is wanted."""
    site = survey.site
    yield robots_file(site, sitemaps)
    if site.model.site.stage != "draft":
        yield from key_files(site, dry=dry)
    yield from ownership_files(site)
    yield from stills(survey)
    if style and site.model.sitemap.style:
        yield STYLE, style_sheet()


def robots_file(site: SiteFile, sitemaps: Sequence[str]) -> Named:
    """robots.txt by the site file, naming these sitemaps; a draft hides everything."""
    robots = robots_of(site.model)
    draft = site.model.site.stage == "draft"
    named = [] if draft else [*sitemaps, *(record.value for record in robots.sitemaps)]
    comment = "This site is a draft: nothing may be fetched yet." if draft else robots.comment
    others = [(record.field, record.value) for record in robots.others]
    return ROBOTS, write_robots(robots.groups, named, others, comment)


def key_files(site: SiteFile, *, dry: bool) -> Iterator[Named]:
    """The files that prove to IndexNow that the site is ours."""
    channels = [channel for engine in site.model.engine for channel in engine.channels]
    keys = [kind_of(channel).key(channel) for channel in channels]
    own = {key for key in keys if key}
    if "" in keys:
        own.add(site_key(site, make=not dry))
    for key in sorted(own - {""}):
        yield indexnow.key_file(key)


def ownership_files(site: SiteFile) -> Iterator[Named]:
    """The files that prove to engines that the site is the owner's."""
    for engine in site.model.engine:
        if engine.ownership.file:
            yield engine.ownership.file, engine.ownership.content.encode()


def stills(survey: LastSurvey) -> Iterator[Named]:
    """The stills of listed videos that have no other picture. Raises OutputError."""
    at = pl.lit(f"{survey.site.model.site.url}{STILLS_PATH}")
    still = pl.col("media").struct.field("still")
    shown = (pl.col("values").struct.field("thumbnail") == at + still) & pl.col("listed")
    listed = survey.film_table.filter(shown, pl.col("why_not") == "")
    names = listed.select(still.unique()).to_series().to_list()
    for name in sorted(names):
        path = survey.site.shared_state / STILLS / name
        try:
            yield f"{STILLS_PATH.strip('/')}/{name}", path.read_bytes()
        except OSError as error:
            message = f"{path} cannot be read ({error.strerror}). Run `jovial-atlas survey` again."
            raise OutputError(message) from error


def feed_files(
    site: SiteFile,
    tables: Iterator[FileListing],
    pages: Callable[[pl.Series], pl.DataFrame],
) -> Iterator[Named]:
    """The feeds of the newest listed pages, by their last change. `pages` gives the rows of the
    decided page table for some addresses."""
    feed = site.model.feed
    if not (feed.rss or feed.atom):
        return
    settings = head_settings(site)
    items = [_item(page, site, settings) for page in _newest(site, tables, pages)]
    if not items:
        return
    site_settings = site.model.site
    for name, write in ((feed.rss, rss), (feed.atom, atom)):
        if name:
            about = f"New and changed pages of {site_settings.name}"
            own = f"{site_settings.url}/{name}"
            home = f"{site_settings.url}/"
            channel = FeedChannel(
                site_settings.name, home, own, about, site_settings.language, _hubs(site)
            )
            yield name, write(channel, items)


def _hubs(site: SiteFile) -> tuple[str, ...]:
    """The hubs that pass changes of the feeds on."""
    channels = (channel for engine in site.model.engine for channel in engine.channels)
    hubs = (kind_of(channel).hub(channel) for channel in channels)
    return tuple(dict.fromkeys(hub for hub in hubs if hub))


def _newest(
    site: SiteFile,
    tables: Iterator[FileListing],
    pages: Callable[[pl.Series], pl.DataFrame],
) -> list[Page]:
    """The newest pages of the feed. `tables` gives what each sitemap file lists with its newest
    date, newest first: so few of them need to be looked at."""
    feed = site.model.feed
    best = pl.DataFrame(schema={"loc": pl.String, "lastmod": pl.String})
    for name, newest, read in tables:
        if best.height == feed.count and newest < best["lastmod"][-1]:
            break
        if feed.sections and name not in feed.sections:
            continue
        # The time of a file says nothing about what is new.
        dated = pl.col("mark").str.ends_with(pl.lit("@") + pl.col("lastmod"))
        found = read().filter(dated & pl.col("lastmod").is_not_null()).select("loc", "lastmod")
        if found.height > feed.count:
            least = pl.col("lastmod").top_k(feed.count).min()
            found = found.filter(pl.col("lastmod") >= least)
        best = pl.concat([best, found]).sort(["lastmod", "loc"], descending=[True, False])
        best = best.head(feed.count)
    if not best.height:
        return []
    found = pages(best["loc"]).filter(pl.coalesce("heading", "title").is_not_null())
    return list(pages_of(found.sort(["lastmod", "loc"], descending=[True, False])))


def _item(page: Page, site: SiteFile, settings: HeadSettings) -> FeedItem:
    feed = settings.feed
    section = settings.section_of(page)
    said = description_of(page, settings, section).value or ""
    content = _full_text(page, site) if feed.content == "full" else ""
    lines = (feed.attribution_before, feed.attribution)
    first, last = (pattern_text(one, page, settings.site) for one in lines)
    summary = said if feed.content != "none" else ""
    if content:
        above, below = (f"<p>{escape(one)}</p>" if one else "" for one in (first, last))
        content = f"{above} {content} {below}".strip()
    else:
        summary = "\n".join(one for one in (first, summary, last) if one)
    title = page.heading or title_of(page, settings, section).value or page.loc
    return FeedItem(
        page.loc, title, page.lastmod or "", page.published, page.author, summary, content
    )


def _full_text(page: Page, site: SiteFile) -> str:
    """The page's main content where its source is a folder of files, else nothing."""
    from jovial_atlas.sources.html_page.fulltext import main_html

    path = file_of_row(site)(page)
    return main_html(path, page.loc) if path else ""


def visitors_pages(site: SiteFile, survey: LastSurvey, listed: int) -> Iterator[Named]:
    """Pages of links to all listed pages, grouped by section; none for a very large site."""
    settings = site.model.visitors
    if not settings.page or not 0 < listed < settings.most:
        return
    shown = _shown(site, survey)
    if not shown.height:
        return
    counts = dict(shown.group_by("section").len().iter_rows())
    rows = list(shown.select("section", "loc", "text").iter_rows())
    stem = Path(settings.page).stem
    pages = [
        rows[start : start + settings.per_page] for start in range(0, len(rows), settings.per_page)
    ]
    names = [settings.page, *(f"{stem}-{number}.html" for number in range(2, len(pages) + 1))]
    labels = _labels(site, rows)
    template = _templates().get_template("visitors.html")
    for number, page in enumerate(pages):
        text = template.render(
            site=site.model.site,
            total=len(rows),
            groups=_groups(page),
            counts=counts,
            names=names,
            number=number,
            places=_places(pages, names),
            labels=labels,
        )
        yield names[number], (text + "\n").encode()


def _shown(site: SiteFile, survey: LastSurvey) -> pl.DataFrame:
    """The links of the page for visitors in their order, as `section, loc, text`."""
    settings = site.model.visitors
    table = survey.lazy.filter("listed")
    if settings.exclude:
        out = matches(as_patterns(settings.exclude))
        table = table.with_columns(path_column(site)).filter(~out)
    if settings.sections:
        table = table.filter(pl.col("section").is_in(list(settings.sections)))
    shown = table.select(
        "section", "loc", "lastmod", text=pl.coalesce("heading", "title", "loc")
    ).collect()
    names = settings.sections or [section.name for section in site.model.section]
    order = {name: number for number, name in enumerate(names)}
    place = pl.col("section").replace_strict(order, default=len(order), return_dtype=pl.UInt32)
    by, down = _ORDERS[settings.order]
    return shown.sort(
        place, "section", by, "loc", descending=[False, False, down, False], nulls_last=True
    )


#: Order of links → what they are sorted by, and whether the greatest stands first.
_ORDERS = {
    "address": (pl.col("loc"), False),
    "title": (pl.col("text").str.to_lowercase(), False),
    "newest": (pl.col("lastmod"), True),
}


def _labels(site: SiteFile, rows: list[tuple[str, str, str]]) -> dict[str, str]:
    """What people call each section: by the site file, by the page at its folder, by its name."""
    texts = {loc: text for _, loc, text in rows}
    labels = {name: name.replace("-", " ").capitalize() for name, _, _ in rows}
    for section in site.model.section:
        folder = site.model.site.url + section.patterns[0].removesuffix("**")
        said = section.label or texts.get(folder)
        if said and section.name in labels:
            labels[section.name] = said
    return labels


def _groups(rows: list[tuple[str, str, str]]) -> list[tuple[str, list[tuple[str, str]]]]:
    groups: dict[str, list[tuple[str, str]]] = {}
    for section, loc, text in rows:
        groups.setdefault(section, []).append((loc, text))
    return list(groups.items())


def _places(pages: list[list[tuple[str, str, str]]], names: list[str]) -> dict[str, str]:
    """Where each section begins: name of the page and anchor."""
    places: dict[str, str] = {}
    for name, page in zip(names, pages, strict=True):
        for section, _, _ in page:
            places.setdefault(section, f"{name}#{section}")
    return places


def _templates() -> Environment:
    from jinja2 import Environment, PackageLoader, select_autoescape

    return Environment(
        loader=PackageLoader("jovial_atlas.rounds.publishing.build"),
        autoescape=select_autoescape(["html"]),
        trim_blocks=True,
        lstrip_blocks=True,
    )
