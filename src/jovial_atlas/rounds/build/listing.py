"""Which addresses are listed, in which file each stands, and which files have changed.

The whole site is held as a few numbers an address; the addresses themselves are read when
a file is written, and only for the files that are.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import polars as pl

from jovial_atlas import dates, languages
from jovial_atlas.head.videos import video_rows
from jovial_atlas.pages import schema
from jovial_atlas.rounds.build.kinds import NEWS, VIDEO, Kind
from jovial_atlas.rounds.last import LastSurvey
from jovial_atlas.rules import not_listed
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps import plan, protocol
from jovial_atlas.sitemaps.write import NEWS_FIELDS

#: Rows of the page table that are read at once.
_WINDOW = 2 * 128 * 1024
#: Rows this close to each other are read together.
_NEAR = 2_000
_HINTS = ("changefreq", "priority")


@dataclass(frozen=True, slots=True)
class Listing:
    """What is listed. `rows` has one row a listed page: `row` (its place in the page table),
    `key`, `kind` (number of its section's kind), `digest` (of all that its file says of it), and
    `changefreq` and `priority` where anything sets them. `videos` and `news` are whole tables."""

    rows: pl.DataFrame
    videos: pl.DataFrame
    news: pl.DataFrame
    versions: pl.DataFrame
    not_listed: dict[str, int]


def key_of(loc: pl.Expr) -> pl.Expr:
    """The 64-bit key of an address."""
    return loc.hash(1)


def mark_of() -> pl.Expr:
    """What tells whether a page's content changed since it was announced."""
    dated = pl.when(pl.col("lastmod_from") != "file").then(pl.col("lastmod"))
    return pl.concat_str(pl.col("fingerprint").fill_null(""), pl.lit("@"), dated.fill_null(""))


def pictures_of() -> pl.Expr:
    """Addresses of a page's pictures."""
    return pl.col("images").list.eval(pl.element().struct.field("loc"))


def read_listing(survey: LastSurvey, kinds: Sequence[Kind], now: datetime) -> Listing:
    """Read the page table, with its verdicts, once."""
    site, decided = survey.site, survey.lazy
    listed = decided.filter("listed")
    hints = _hints(site)
    rows = listed.select(
        pl.col("_row").alias("row"),
        key_of(pl.col("loc")).alias("key"),
        _code([kind.name for kind in kinds]).alias("kind"),
        _digest(survey.filled, hints).alias("digest"),
        *(pl.col(name) for name in hints),
    )
    found = rows.collect(engine="streaming")
    reasons = []
    if found.height < survey.pages.select(pl.len()).collect().item():
        reasons = not_listed(decided).collect(engine="streaming").rows()
    news = None
    if "published" in survey.filled and any(section.news for section in site.model.section):
        news = _news(listed, site, now).collect(engine="streaming")
    versions = versions_of(listed, site, "alternates" in survey.filled)
    if versions.height:
        mixed = versions.select(
            key_of(pl.col("loc")).alias("key"), _more=pl.col("alternates").hash(7)
        )
        found = found.join(mixed, on="key", how="left", maintain_order="left").with_columns(
            digest=pl.col("digest") ^ pl.col("_more").fill_null(0)
        )
        found = found.drop("_more")
    return Listing(
        found,
        video_rows(survey.films),
        news if news is not None else pl.DataFrame(schema={"loc": pl.String}),
        versions,
        dict(reasons),
    )


def _code(names: Sequence[str]) -> pl.Expr:
    """The number of each page's kind."""
    return pl.col("section").cast(pl.Enum(list(names))).to_physical().cast(pl.UInt32)


def _hints(site: SiteFile) -> list[str]:
    """Which of changefreq and priority anything sets: both are off by default."""
    says = [*site.model.section, *(rule.set for rule in site.model.rule)]
    return [name for name in _HINTS if any(getattr(one, name) is not None for one in says)]


def _digest(filled: Collection[str], hints: Sequence[str]) -> pl.Expr:
    said = ("lastmod", "fingerprint", "images")
    names = [*(name for name in said if name in filled), *hints]
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


def versions_of(listed: pl.LazyFrame, site: SiteFile, declared: bool = True) -> pl.DataFrame:
    """Language versions of pages, as `loc, alternates`: those that the pages name and that name
    them in return, and those in the folders of `[languages]`. Every list holds the page itself.
    """
    none = pl.DataFrame(schema=_LINKS)
    links = pl.concat([_declared(listed, site) if declared else none, _by_folder(listed, site)])
    if not links.height:
        return pl.DataFrame(schema={"loc": pl.String, "alternates": pl.List(schema.ALTERNATE)})
    one = pl.struct("lang", "href").alias("alternates")
    return (
        links.unique(["loc", "lang"], keep="first", maintain_order=True)
        .sort("loc", "lang")
        .group_by("loc", maintain_order=True)
        .agg(one)
    )


def versions_by_page(survey: LastSurvey) -> dict[str, list[dict[str, str]]]:
    """Address → the language versions of a listed page."""
    found = versions_of(survey.lazy.filter("listed"), survey.site)
    return dict(found.select("loc", "alternates").iter_rows())


_LINKS = {"loc": pl.String, "lang": pl.String, "href": pl.String}


def _declared(listed: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    found = (
        listed.filter(pl.col("alternates").list.len() > 0)
        .select("loc", "language", "alternates")
        .explode("alternates")
        .unnest("alternates")
        .collect(engine="streaming")
    )
    if not found.height:
        return pl.DataFrame(schema=_LINKS)
    pages = found.select("loc", "language").unique("loc")
    links = found.select(*_LINKS)
    # A link that is not returned is ignored by engines; other hosts cannot be asked here.
    returned = links.select(loc="href", href="loc").unique()
    here = pl.col("href").str.starts_with(f"{site.model.site.url}/")
    kept = pl.concat(
        [
            links.filter(here & (pl.col("loc") != pl.col("href"))).join(
                returned, on=["loc", "href"], how="semi"
            ),
            links.filter(~here),
        ]
    )
    own = links.filter(pl.col("loc") == pl.col("href")).select("loc", own="lang")
    named = own.filter(pl.col("own") != "x-default").unique("loc")
    itself = (
        pages.join(named, on="loc", how="left")
        .with_columns(lang=pl.coalesce("own", "language"))
        .filter(pl.col("lang").is_not_null())
        .select("loc", "lang", href="loc")
    )
    default = own.filter(pl.col("own") == "x-default").select("loc", lang="own", href="loc")
    whole = pl.concat([kept, itself, default])
    return whole.join(kept.select("loc").unique(), on="loc", how="semi")


def _by_folder(listed: pl.LazyFrame, site: SiteFile) -> pl.DataFrame:
    said = site.model.languages
    if len(said.folders) < 2:
        return pl.DataFrame(schema=_LINKS)
    path = pl.col("loc").str.strip_prefix(site.model.site.url)
    language, rest = pl.lit(None, pl.String), pl.lit(None, pl.String)
    for lang, folder in sorted(said.folders.items(), key=lambda one: len(one[1])):
        inside = path.str.starts_with(folder)
        language = pl.when(inside).then(pl.lit(languages.canonical(lang))).otherwise(language)
        rest = pl.when(inside).then(path.str.strip_prefix(folder)).otherwise(rest)
    pages = (
        listed.select("loc", lang=language, rest=rest)
        .filter(pl.col("lang").is_not_null())
        .collect(engine="streaming")
        .filter(pl.col("lang").n_unique().over("rest") > 1)
    )
    others = pages.select("rest", "lang", href="loc")
    links = pages.select("loc", "rest").join(others, on="rest").select(*_LINKS)
    if said.default:
        default = languages.canonical(said.default)
        main = links.filter(pl.col("lang") == default).with_columns(lang=pl.lit("x-default"))
        links = pl.concat([links, main])
    return links


@dataclass(frozen=True, slots=True)
class Placed:
    """Listed pages with the number of the file that each stands in; the runs of each; whether
    all are where they were before."""

    rows: pl.DataFrame
    videos: pl.DataFrame
    runs: tuple[pl.DataFrame, pl.DataFrame]
    same: tuple[bool, bool]

    def files(self) -> pl.DataFrame:
        """One row a file: `kind, number, urls, digest`."""
        tables = zip((self.rows, self.videos), self.runs, strict=True)
        return pl.concat([_summed(*one) for one in tables]).sort("kind", "number")

    def moved(self, kind: int, number: int, locs: pl.Series) -> Placed:
        """The same with these addresses of a kind in another file."""
        keys = locs.to_frame("loc").select(key_of(pl.col("loc"))).to_series()
        there = (pl.col("kind") == kind) & pl.col("key").is_in(keys.implode())
        put = pl.when(there).then(pl.lit(number, pl.UInt32)).otherwise(pl.col("number"))
        tables = (self.rows.with_columns(number=put), self.videos.with_columns(number=put))
        runs = (plan.runs_of(tables[0]), plan.runs_of(tables[1]))
        return Placed(*tables, runs, (False, False))


def _summed(placed: pl.DataFrame, runs: pl.DataFrame) -> pl.DataFrame:
    """Count and sum of the digests of each file, by way of the runs of rows in it."""
    ends = runs["len"].cast(pl.UInt32).cum_sum() - 1
    sums = placed["digest"].cum_sum().gather(ends)
    return (
        runs.with_columns(digest=sums - sums.shift(1, fill_value=0))
        .group_by("kind", "number")
        .agg(urls=pl.col("len").sum(), digest=pl.col("digest").sum())
    )


def place_listing(
    listing: Listing, before: dict[str, pl.DataFrame], kinds: Sequence[Kind]
) -> Placed:
    """Give each listed page its file. `before` has the tables of `plan.PLACED` of the last
    build, under `pages` and `videos`."""
    most = {number: kind.most for number, kind in enumerate(kinds)}
    video = next(number for number, kind in enumerate(kinds) if kind.name == VIDEO)
    pages = plan.place(listing.rows, before["pages"], most)
    shown = listing.videos.with_columns(
        key_of(pl.col("loc")).alias("key"),
        kind=pl.lit(video, pl.UInt32),
        digest=pl.struct(pl.all()).hash(6),
    )
    videos = plan.place(shown, before["videos"], most)
    return Placed(
        listing.rows.with_columns(number=pages.numbers),
        shown.with_columns(number=videos.numbers),
        (pages.runs, videos.runs),
        (pages.same, videos.same),
    )


def tables_of(
    survey: LastSurvey,
    placed: Placed,
    listing: Listing,
    wanted: pl.DataFrame,
    kinds: Sequence[Kind],
) -> Iterator[tuple[int, int, pl.DataFrame]]:
    """(kind, number, rows as the writer takes them and `mark`) of the files in `wanted`, each as
    soon as all its rows are read."""
    due, counts = _due_rows(placed, wanted)
    waiting: dict[tuple[int, int], list[pl.DataFrame]] = {}
    have: dict[tuple[int, int], int] = {}
    columns = [pl.col("loc"), pl.col("lastmod")]
    if _needs_mark(survey):
        columns.append(mark_of().alias("mark"))
    if "images" in survey.filled:
        columns.append(pictures_of())
    hints = [name for name in _HINTS if name in due.columns]
    for start, chosen in _windows(due):
        table = survey.pages.slice(start, _WINDOW).select(columns).collect()
        if table.height != chosen.height:
            table = table.select(pl.all().gather(chosen["row"] - start))
        table = table.hstack(chosen.select(hints))
        for at, part in _by_file(table, chosen):
            waiting.setdefault(at, []).append(part)
            have[at] = have.get(at, 0) + part.height
            if have[at] == counts[at]:
                whole = pl.concat(waiting.pop(at), rechunk=True)
                yield *at, _shaped(whole, kinds[at[0]], listing.versions)
    shown = placed.videos.join(wanted, on=["kind", "number"], how="semi", maintain_order="left")
    for place, part in shown.partition_by("kind", "number", as_dict=True).items():
        kind = kinds[int(place[0])]
        yield int(place[0]), int(place[1]), _ordered(part.select("loc", "lastmod", "videos"), kind)


def _due_rows(
    placed: Placed, wanted: pl.DataFrame
) -> tuple[pl.DataFrame, dict[tuple[int, int], int]]:
    """The rows of wanted files, in order, and how many each file has. Nothing is copied where
    all are wanted, and little where few are."""
    files = set(wanted.select("kind", "number").iter_rows())
    rows = placed.rows
    counts: dict[tuple[int, int], int] = {}
    pieces, start = [rows.clear()], 0
    for length, kind, number in placed.runs[0].iter_rows():
        if (kind, number) in files:
            counts[(kind, number)] = counts.get((kind, number), 0) + length
            pieces.append(rows.slice(start, length))
        start += length
    whole = rows if sum(counts.values()) == rows.height else pl.concat(pieces, rechunk=True)
    return whole, counts


def _needs_mark(survey: LastSurvey) -> bool:
    """Whether marks say more than the dates do: where pages have a fingerprint, or a date that
    is only that of a file."""
    if "fingerprint" in survey.filled:
        return True
    if "lastmod_from" not in survey.filled:
        return False
    found = survey.pages.select((pl.col("lastmod_from") == "file").any())
    return bool(found.collect(engine="streaming").item())


def _by_file(
    table: pl.DataFrame, chosen: pl.DataFrame
) -> Iterator[tuple[tuple[int, int], pl.DataFrame]]:
    """The rows of each file. Where they stand together, as they mostly do, none is moved."""
    places = plan.runs_of(chosen)
    if places.height == places.select("kind", "number").n_unique():
        start = 0
        for length, kind, number in places.select("len", "kind", "number").iter_rows():
            yield (kind, number), table.slice(start, length)
            start += length
        return
    whole = table.hstack(chosen.select("kind", "number"))
    for place, part in whole.partition_by("kind", "number", as_dict=True).items():
        yield (int(place[0]), int(place[1])), part.drop("kind", "number")


def _windows(due: pl.DataFrame) -> Iterator[tuple[int, pl.DataFrame]]:
    """Stretches of the page table that hold wanted rows: (first row, wanted rows in it)."""
    while due.height:
        start = int(due["row"][0])
        end = int(due["row"].search_sorted(start + _WINDOW))
        yield start, due.head(end)
        due = due.slice(end)


def _shaped(table: pl.DataFrame, kind: Kind, versions: pl.DataFrame) -> pl.DataFrame:
    if not kind.pictures and "images" in table.columns:
        table = table.drop("images")
    if kind.alternates and versions.height:
        table = table.join(versions, on="loc", how="left", maintain_order="left")
    return _ordered(table, kind)


def _ordered(table: pl.DataFrame, kind: Kind) -> pl.DataFrame:
    if kind.order == "newest":
        return table.sort(["lastmod", "loc"], descending=[True, False], nulls_last=True)
    if kind.order == "address" and not table["loc"].is_sorted():
        return table.sort("loc")
    return table


def noindexed(survey: LastSurvey, listing: Listing) -> pl.DataFrame:
    """The keys of pages that may not be indexed."""
    if not listing.not_listed:
        return pl.DataFrame(schema={"key": pl.UInt64})
    hidden = survey.lazy.filter(~pl.col("index"))
    return hidden.select(key_of(pl.col("loc")).alias("key")).collect(engine="streaming")


def hidden_by(
    hidden: pl.DataFrame, before: pl.DataFrame, kinds: Sequence[Kind]
) -> dict[str, tuple[int, int]]:
    """Of each section, how many pages were listed by the build before and may no longer be
    indexed, and how many it had listed. Sections where there is none are left out."""
    turned = before.join(hidden, on="key", how="semi")
    had = dict(before.group_by("kind").len().iter_rows())
    return {
        kinds[kind].name: (count, had[kind])
        for kind, count in sorted(turned.group_by("kind").len().iter_rows())
    }


def rows_of(survey: LastSurvey, listing: Listing, locs: pl.Series) -> pl.DataFrame:
    """The rows of some listed pages, with their verdicts. Each is read by its place, since to
    look for an address means reading all of them."""
    keys = locs.to_frame("loc").select(key_of(pl.col("loc"))).to_series()
    places = listing.rows.filter(pl.col("key").is_in(keys.implode()))["row"].to_list()
    found = [survey.pages.head(0).collect()]
    while places:
        near = [place for place in places if place < places[0] + _NEAR]
        table = survey.pages.slice(near[0], near[-1] - near[0] + 1).collect()
        found.append(table[[place - near[0] for place in near]])
        places = places[len(near) :]
    return survey.decide(pl.concat(found))


def news_tables(listing: Listing, kind: Kind) -> Iterator[tuple[int, pl.DataFrame]]:
    """(number, rows) of the news files: they hold the newest, so they never stay as they are."""
    assert kind.name == NEWS
    for number, start in enumerate(range(0, listing.news.height, kind.most), start=1):
        yield number, listing.news.slice(start, kind.most)
