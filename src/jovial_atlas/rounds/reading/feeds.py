"""Feeds that lie in a folder of built HTML: they name date, author and tags of the pages that they
list, where those say nothing of them themselves."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import polars as pl

from jovial_atlas.errors import ContentError
from jovial_atlas.files import is_file
from jovial_atlas.pages import schema
from jovial_atlas.signs import is_signed_feed
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sources.records.columns import FieldMap
from jovial_atlas.sources.settings import name_of

_ENDINGS = (".xml", ".rss", ".atom", ".json")
#: How files begin that are feeds; of the names of elements, those of RSS, Atom and RDF.
_SIGNS = (b"<rss", b"<feed", b"<rdf:RDF", b"jsonfeed.org/version")
_BEGINNING = 1_000
#: Feeds are read up to this many, those nearest to the root first, and up to this size.
_MOST, _LARGEST = 12, 5_000_000
#: Column of the page table → where it says that its value comes from.
_FACTS = ("published", "author", "tags")
#: Dates of pages that say less than a date of publication, where that is trusted more.
_WEAK = ("git", "fingerprint", "file")


def with_feeds(table: pl.LazyFrame, site: SiteFile, now: datetime) -> pl.LazyFrame:
    """The page table with what feeds say of pages that say nothing themselves."""
    known = table.collect_schema()
    wanted = [name for name in _FACTS if name in known and _is_asked(name, site)]
    facts = _facts(site, now) if wanted else None
    if facts is None:
        return table
    said = facts.rename({name: f"_{name}" for name in _FACTS})
    joined = table.join(said.lazy(), on="loc", how="left", maintain_order="left")
    new = {name: pl.col(name).is_null() & pl.col(f"_{name}").is_not_null() for name in wanted}
    columns = [pl.coalesce(name, f"_{name}").alias(name) for name in wanted]
    if "published" in wanted:
        from_feed = pl.when(new["published"]).then(pl.lit("feed"))
        columns.append(from_feed.otherwise("published_from").alias("published_from"))
        columns += _last_changes(site, new["published"])
    places = [
        pl.when(new[name]).then(pl.lit(f"{name}=feed")) for name in wanted if name != "published"
    ]
    if places and "read_from" in known:
        told = pl.concat_str("read_from", *places, separator=" ", ignore_nulls=True)
        columns.append(pl.when(told != "").then(told).alias("read_from"))
    return joined.with_columns(columns).select(*known)


def _is_asked(name: str, site: SiteFile) -> bool:
    trust = {"author": site.model.authors.trust, "tags": site.model.tags.trust}.get(name)
    return trust is None or "feed" in trust


def _last_changes(site: SiteFile, new: pl.Expr) -> Iterator[pl.Expr]:
    """A page that has just got its date of publication changed then, where nothing that is trusted
    more says otherwise."""
    trust = site.model.dates.trust
    if "published" not in trust:
        return
    place = trust.index("published")
    weaker = [one for one in _WEAK if one not in trust or trust.index(one) > place]
    dated = new & (pl.col("lastmod_from").is_null() | pl.col("lastmod_from").is_in(weaker))
    yield pl.when(dated).then("_published").otherwise("lastmod").alias("lastmod")
    source = pl.when(dated).then(pl.lit("published")).otherwise("lastmod_from")
    yield source.alias("lastmod_from")


def _facts(site: SiteFile, now: datetime) -> pl.DataFrame | None:
    """What the feeds of all folders say, as `loc, published, author, tags`; None where there are
    none."""
    found: list[pl.DataFrame] = []
    for source in site.model.source:
        if not isinstance(source, HtmlSource):
            continue
        how = FieldMap(name_of(source), source.host or site.model.site.url, now)
        for path in _feeds_in(site.folder / source.path):
            # The reader of feeds is slow to load, and few folders have any.
            from jovial_atlas.sources.records.feed import read_feed

            try:
                batches = list(read_feed(path.read_bytes(), how))
            except (ContentError, OSError):
                continue
            tables = [one.table.lazy().collect() for one in batches]
            found += [schema.complete(t).select("loc", *_FACTS) for t in tables if t.height]
    return pl.concat(found).unique("loc", keep="first", maintain_order=True) if found else None


def _feeds_in(root: Path) -> list[Path]:
    """Files of a folder that are feeds, those nearest to its root first."""
    paths = [
        path
        for path in root.rglob("*")
        if path.suffix.lower() in _ENDINGS and not path.name.startswith((".", "sitemap"))
    ]
    feeds: list[Path] = []
    for path in sorted(paths, key=lambda one: (len(one.parts), one.as_posix())):
        if len(feeds) == _MOST:
            break
        if _is_feed(path):
            feeds.append(path)
    return feeds


def _is_feed(path: Path) -> bool:
    try:
        if not is_file(path) or path.stat().st_size > _LARGEST:
            return False
        with path.open("rb") as stream:
            beginning = stream.read(_BEGINNING)
    except OSError:
        return False
    return any(sign in beginning for sign in _SIGNS) and not is_signed_feed(path)
