"""Which addresses are listed, in which file each stands, and which files have changed.

The whole site is held as a few numbers an address; the addresses themselves are read when
a file is written, and only for the files that are.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime, timedelta
from typing import Protocol

import msgspec
import polars as pl

from jovial_atlas import dates, languages
from jovial_atlas.head.videos import video_rows
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.keys import key_of, keys_of
from jovial_atlas.rounds.publishing.build.kinds import NEWS, VIDEO, Kind
from jovial_atlas.rounds.publishing.build.versions import Versions, versions_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.picture_files import lost_pictures
from jovial_atlas.rounds.state.record import BuildRecord
from jovial_atlas.rules import layers_of
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions import NEWS_FIELDS
from jovial_atlas.values import replace

#: Rows this close to each other are read together.
_NEAR = 2_000
#: Pages up to which all that files say of them is held at once; with their pictures, of which
#: each may have many, a few.
_HELD, _HELD_WITH_PICTURES = 3_000_000, 100_000
HINTS = ("changefreq", "priority")
#: The column of listed rows that names the list of a page's language versions.
VERSIONS = "versions"
#: Extensions whose elements are in the page table, by their column: the writer's values from it.
#: A file is written anew where such a column has changed.
FROM_PAGES = {"images": pl.col("images").list.eval(pl.element().struct.field("loc"))}
#: The extension whose elements `versions_of` makes, and those that have files of their own.
FROM_VERSIONS, FILES_OF_THEIR_OWN = "alternates", ("news", "videos")


class ListedPages(Protocol):
    """What is listed: how many pages, and how many are not, by reason; those with videos and
    those that are news, as whole tables; language versions."""

    @property
    def count(self) -> int: ...
    @property
    def not_listed(self) -> dict[str, int]: ...
    @property
    def videos(self) -> pl.DataFrame: ...
    @property
    def news(self) -> pl.DataFrame: ...
    @property
    def versions(self) -> Versions: ...
    @property
    def texts(self) -> pl.DataFrame | None:
        """What `said_in_files` is of all that is listed, where it is at hand."""

    def places(self, keys: pl.Series) -> list[int]:
        """Places in the page table of the listed pages with these keys, in order."""


class Listing(msgspec.Struct, frozen=True):
    """What is listed. `rows` has one row a listed page: `row` (its place in the page table),
    `key`, `kind` (number of its section's kind), `digest` (of all that its file says of it), and
    `changefreq` and `priority` where anything sets them, and `versions` where there are any (the
    number of the list). `videos` and `news` are whole tables;
    `unlisted` counts pages that are not listed, as `reason, block, len`, where a block is so many
    rows of the page table as are written together."""

    rows: pl.DataFrame
    videos: pl.DataFrame
    news: pl.DataFrame
    versions: Versions
    unlisted: pl.DataFrame
    texts: pl.DataFrame | None = None

    @property
    def count(self) -> int:
        """How many pages are listed."""
        return self.rows.height

    @property
    def not_listed(self) -> dict[str, int]:
        """How many pages are not listed, by reason, most first."""
        return reasons_in(self.unlisted)

    def places(self, keys: pl.Series) -> list[int]:
        """As `ListedPages.places`."""
        return self.rows.filter(pl.col("key").is_in(keys.implode()))["row"].to_list()


def reasons_in(unlisted: pl.DataFrame) -> dict[str, int]:
    """Reason → how many pages are not listed for it, most first, of `Listing.unlisted`."""
    counts = unlisted.group_by("reason").agg(pl.col("len").sum())
    return dict(counts.sort(["len", "reason"], descending=[True, False]).iter_rows())


def unlisted_rows(survey: LastSurvey, decided: pl.LazyFrame, listed: int) -> pl.DataFrame:
    """Of rows of the page table with verdicts, of which so many are `listed`, the others as
    `Listing.unlisted`."""
    if listed == survey.count:
        return pl.DataFrame(schema={"reason": pl.String, "block": pl.UInt32, "len": pl.UInt32})
    block = (pl.col("_row") // snapshot.group_rows(survey.filled)).alias("block")
    others = decided.filter(~pl.col("listed")).group_by("reason", block).len()
    return others.collect(engine="streaming")


def mark_of() -> pl.Expr:
    """What tells whether a page's content changed since it was announced."""
    dated = pl.when(pl.col("lastmod_from") != "file").then(pl.col("lastmod"))
    return pl.concat_str(pl.col("fingerprint").fill_null(""), pl.lit("@"), dated.fill_null(""))


def said_in_files(survey: LastSurvey) -> list[pl.Expr]:
    """What files say of a page, over its row, as the writer takes it and `mark`."""
    columns = [pl.col("loc"), pl.col("lastmod")]
    if _needs_mark(survey):
        columns.append(mark_of().alias("mark"))
    return columns + [made for name, made in FROM_PAGES.items() if name in survey.filled]


def _needs_mark(survey: LastSurvey) -> bool:
    """Whether marks say more than the dates do: where pages have a fingerprint, or a date that
    is only that of a file."""
    if "fingerprint" in survey.filled:
        return True
    if "lastmod_from" not in survey.filled:
        return False
    found = survey.pages.select((pl.col("lastmod_from") == "file").any())
    return bool(found.collect(engine="streaming").item())


def read_listing(
    survey: LastSurvey, kinds: Sequence[Kind], now: datetime, *, texts: bool = False
) -> Listing:
    """Read the page table, with its verdicts, once; with the `texts` that all files need, where
    they are not too many to be held."""
    site, decided = survey.site, survey.lazy
    listed = decided.filter("listed")
    most = _HELD_WITH_PICTURES if "images" in survey.filled else _HELD
    said = said_in_files(survey) if texts and survey.count <= most else []
    found = listed_rows(survey, kinds, decided, said).collect(engine="streaming")
    names = [one.meta.output_name() for one in said]
    held, found = (found.select(names), found.drop(names)) if said else (None, found)
    unlisted = unlisted_rows(survey, decided, found.height)
    news = None
    if "published" in survey.filled and any(section.news for section in site.model.section):
        news = _news(listed, site, now).collect(engine="streaming")
    versions = versions_of(listed, site, FROM_VERSIONS in survey.filled)
    if versions:
        numbers = versions.pages.select(key_of(pl.col("loc")).alias("key"), number="number")
        mixed = numbers.with_columns(_more=versions.lists.hash(7).gather(numbers["number"]))
        found = found.join(mixed, on="key", how="left", maintain_order="left").with_columns(
            digest=pl.col("digest") ^ pl.col("_more").fill_null(0)
        )
        found = found.drop("_more").rename({"number": VERSIONS})
    return Listing(
        found,
        video_rows(survey.film_table),
        news if news is not None else pl.DataFrame(schema={"loc": pl.String}),
        versions,
        unlisted,
        held,
    )


def without_lost_pictures(survey: LastSurvey) -> LastSurvey:
    """The survey without pictures whose files are not there: no sitemap lists them."""
    lost = lost_pictures(survey.pages, survey.site) if "images" in survey.filled else []
    if not lost:
        return survey
    own = pl.element().filter(~pl.element().struct.field("loc").is_in(lost))
    return replace(survey, pages=survey.pages.with_columns(pl.col("images").list.eval(own)))


def foldable(kinds: Sequence[Kind], before: BuildRecord, listing: Listing) -> list[str]:
    """Kinds that have more files than their addresses need."""
    have: dict[str, int] = {}
    for name in before.files:
        kind = name.rpartition("/")[0]
        have[kind] = have.get(kind, 0) + 1
    counts = dict(listing.rows.group_by("kind").len().iter_rows())
    videos = listing.videos.height
    counts |= {number: videos for number, kind in enumerate(kinds) if kind.name == VIDEO}
    return [
        kind.name
        for number, kind in enumerate(kinds)
        if have.get(kind.name, 0) > -(-counts.get(number, 0) // kind.most)
    ]


def listed_rows(
    survey: LastSurvey, kinds: Sequence[Kind], decided: pl.LazyFrame, more: Iterable[pl.Expr] = ()
) -> pl.LazyFrame:
    """The listed ones of some rows of the page table with verdicts, as `Listing.rows`, and what
    is asked for beside that."""
    hints = hints_of(survey)
    return decided.filter("listed").select(
        pl.col("_row").alias("row"),
        key_of(pl.col("loc")).alias("key"),
        _code([kind.name for kind in kinds]).alias("kind"),
        _digest(survey, hints).alias("digest"),
        *(pl.col(name) for name in hints),
        *more,
    )


def _code(names: Sequence[str]) -> pl.Expr:
    """The number of each page's kind."""
    return pl.col("section").cast(pl.Enum(list(names))).to_physical().cast(pl.UInt32)


def hints_of(survey: LastSurvey) -> list[str]:
    """Which of changefreq and priority anything sets, the site file, a row of the overrides file or
    a page's own field: both are off by default."""
    layers = layers_of(survey.site, survey.now, survey.pages, survey.filled)
    said = {name for layer in layers for name in layer.sets}
    return [name for name in HINTS if name in said]


def _digest(survey: LastSurvey, hints: Sequence[str]) -> pl.Expr:
    filled = survey.filled
    dates = ["lastmod"] if "lastmod" in filled or survey.decides_dates else []
    names = [*dates, *(name for name in ("fingerprint", *FROM_PAGES) if name in filled), *hints]
    whole = key_of(pl.col("loc"))
    for number, name in enumerate(names):
        whole = whole ^ pl.col(name).hash(10 + number)
    if "lastmod_from" in filled:
        whole = whole ^ (pl.col("lastmod_from") == "file").fill_null(False).cast(pl.UInt64)
    # Mixed again, since the digests of a file's rows are added up.
    return whole.hash(6)


def _news(listed: pl.LazyFrame, site: SiteFile, now: datetime) -> pl.LazyFrame:
    """Articles of the last 48 hours, newest first, as `loc, news`."""
    sections = [section.name for section in site.model.section if section.news]
    since = dates.write(now - timedelta(hours=protocol.NEWS_HOURS))
    language = pl.col("language").fill_null(site.model.site.language)
    codes = language.map_elements(languages.news_language, return_dtype=pl.String)
    name = site.model.sitemap.news_name or site.model.site.name
    values = [pl.lit(name), codes, pl.col("published"), pl.coalesce("heading", "title")]
    article = pl.struct(v.alias(n) for n, v in zip(NEWS_FIELDS, values, strict=True))
    return (
        listed.filter(
            pl.col("section").is_in(sections)
            & (pl.col("published") >= since)
            & pl.coalesce("heading", "title").is_not_null()
        )
        .sort(["published", "loc"], descending=[True, False])
        .select("loc", "lastmod", article.alias("news"))
    )


def noindexed(survey: LastSurvey, listing: ListedPages) -> pl.DataFrame:
    """The pages that may not be indexed, as `row, key`."""
    if not listing.not_listed:
        return pl.DataFrame(schema={"row": pl.UInt32, "key": pl.UInt64})
    hidden = survey.lazy.filter(~pl.col("index"))
    return hidden.select(pl.col("_row").alias("row"), key_of(pl.col("loc")).alias("key")).collect(
        engine="streaming"
    )


def hidden_by(
    hidden: pl.DataFrame, before: pl.DataFrame, kinds: Sequence[Kind]
) -> dict[str, tuple[int, int]]:
    """Of each section, how many pages were listed by the build before and may no longer be
    indexed, and how many it had listed. Sections where there is none are left out."""
    if not hidden.height:
        return {}
    turned = before.join(hidden, on="key", how="semi")
    had = dict(before.group_by("kind").len().iter_rows())
    return {
        kinds[kind].name: (count, had[kind])
        for kind, count in sorted(turned.group_by("kind").len().iter_rows())
    }


def rows_of(survey: LastSurvey, listing: ListedPages, locs: pl.Series) -> pl.DataFrame:
    """The rows of some listed pages, with their verdicts. Each is read by its place, since to
    look for an address means reading all of them."""
    places = listing.places(keys_of(locs))
    if survey.is_held:
        return survey.decided[places]
    pieces = [survey.pages.head(0).collect()]
    while places:
        near = [path for path in places if path < places[0] + _NEAR]
        table = survey.pages.slice(near[0], near[-1] - near[0] + 1).collect()
        pieces.append(table[[path - near[0] for path in near]])
        places = places[len(near) :]
    return survey.decide(pl.concat(pieces))


def news_tables(listing: ListedPages, kind: Kind) -> Iterator[tuple[int, pl.DataFrame]]:
    """(number, rows) of the news files: they hold the newest, so they never stay as they are."""
    assert kind.name == NEWS
    for number, start in enumerate(range(0, listing.news.height, kind.most), start=1):
        yield number, listing.news.slice(start, kind.most)
