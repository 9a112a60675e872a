"""What sitemap files list against what was decided: the contradictions owners ask about."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.checks.sets import SitemapSet, first_rows, left_out, text_key
from jovial_atlas.faults import Fault, plural
from jovial_atlas.sitemaps.notes import MOST_TOLD


def check_against_pages(read: SitemapSet, decided: pl.LazyFrame) -> Iterator[Fault]:
    """What the files list against what was decided: the contradictions owners ask about."""
    if _agree(read, decided):
        return
    found = _compared(read.keys(), decided)
    unknown, wrong, missing = found.unknown, found.wrong, found.missing
    for loc, file, line in first_rows(read.named(unknown.head(MOST_TOLD))):
        yield Fault("listed-unknown", f"{file}:{line}", f"{loc} is no page of the last survey.")
    yield from left_out("listed-unknown", unknown, read, "listed addresses are no pages")
    yield from _wrong(read.named(wrong.head(MOST_TOLD)), decided)
    yield from left_out("listed-unlisted", wrong, read, "listed addresses should not be listed")
    yield from _other_dates(read, found.newest, found.counts, decided)
    if missing.len():
        listed = decided.filter("listed").select("loc", text_key("loc").alias("key"))
        lost = missing.alias("key").to_frame().lazy()
        among = listed.join(lost, on="key", how="semi", maintain_order="left")
        first = among.head(4).collect(engine="streaming")["loc"].to_list()
        shown = ", ".join(map(addresses.path_and_query, first))
        more = f" and {missing.len() - 4:,} more" if missing.len() > 4 else ""
        yield Fault(
            "listed-missing",
            first[0],
            f"{plural(missing.len(), 'listed page')} "
            f"{'stands' if missing.len() == 1 else 'stand'} in no sitemap: {shown}{more}.",
        )


class _Compared(msgspec.Struct, frozen=True):
    """Rows of `keys` that are `unknown`, or `wrong` to be listed; of each file the row with the
    `newest` date that differs from its page's, and their `counts`; listed pages that are `missing`,
    by key."""

    unknown: pl.DataFrame
    wrong: pl.DataFrame
    newest: pl.DataFrame
    counts: dict[int, int]
    missing: pl.Series


#: Rows that are compared together: to join them takes as much room again.
_AT_ONCE = 2_000_000
_AT = pl.coalesce(
    pl.col("lastmod").str.to_datetime("%Y-%m-%dT%H:%M:%SZ", time_unit="ms", strict=False),
    pl.col("lastmod").str.to_date("%Y-%m-%d", strict=False).cast(pl.Datetime("ms")),
)


def _compared(keys: pl.DataFrame, decided: pl.LazyFrame) -> _Compared:
    asked = decided.select(text_key("loc"), "listed", date=text_key("lastmod"), at=_AT)
    pages = asked.collect(engine="streaming")
    shares = 1 + keys.height // _AT_ONCE
    parts = []
    for share in range(shares):
        mine = pl.col("loc") % shares == share
        some, known = (one if shares == 1 else one.filter(mine) for one in (keys, pages))
        both = some.join(known, on="loc", how="left", maintain_order="left")
        differs = pl.col("listed") & (pl.col("lastmod") != pl.col("date")) & ~pl.col("companion")
        other = both.filter(differs)
        missing = known.filter("listed").join(some, on="loc", how="anti")["loc"]
        parts.append(_Compared(
            both.filter(pl.col("listed").is_null()), both.filter(~pl.col("listed")),
            _newest(other), dict(other["number"].value_counts().iter_rows()), missing,
        ))  # fmt: skip
    counts: Counter[int] = Counter()
    for one in parts:
        counts.update(one.counts)
    return _Compared(
        pl.concat([one.unknown for one in parts]).sort("number", "line"),
        pl.concat([one.wrong for one in parts]).sort("number", "line"),
        _newest(pl.concat([one.newest for one in parts])),
        counts,
        pl.concat([one.missing for one in parts]),
    )


def _newest(other: pl.DataFrame) -> pl.DataFrame:
    worst = other.sort("at", "line", descending=[True, False], nulls_last=True)
    return worst.unique("number", keep="first", maintain_order=True).sort("number")


def _wrong(rows: pl.DataFrame, decided: pl.LazyFrame) -> Iterator[Fault]:
    """What files list and was decided not to be listed."""
    asked = decided.filter(pl.col("loc").is_in(rows["loc"].implode()))
    columns = ("loc", "index", "redirect", "canonical", "reason")
    said = asked.select(columns).collect(engine="streaming")
    for page in rows.join(said, on="loc", how="left", maintain_order="left").iter_rows(named=True):
        code, told = _contradiction(page)
        where = f"{page['file']}:{page['line']}"
        yield Fault(code, where, f"{page['loc']} is listed, but {told}.")


def _agree(read: SitemapSet, decided: pl.LazyFrame) -> bool:
    """Whether files list the listed pages, each once, with their dates, and nothing else: then
    nothing needs to be compared page by page. By sums over both, as good as certain."""
    # (One number of both takes a fraction of the memory that hashing them together does.)
    whole = pl.col("loc").hash(4) ^ pl.col("lastmod").fill_null("").hash(5)
    sums = [pl.len().cast(pl.UInt64).alias("rows"), whole.sum().alias("sum")]
    parts, beside = [], []
    for rows in read.rows_by_file(texts=False):
        parts.append(rows.filter(~pl.col("companion")).select(sums))
        beside.append(rows.filter("companion").select("loc"))
    there = pl.concat(parts).sum().row(0) if parts else (0, 0)
    listed = decided.filter("listed").select("loc", "lastmod").select(sums)
    if there != listed.collect(engine="streaming").row(0):
        return False
    named = pl.concat(beside)["loc"].unique() if beside else pl.Series(dtype=pl.String)
    if not named.len():
        return True
    known = decided.filter("listed").select("loc").filter(pl.col("loc").is_in(named.implode()))
    return bool(known.select(pl.len()).collect(engine="streaming").item() == named.len())


def _other_dates(
    read: SitemapSet, newest: pl.DataFrame, counts: Mapping[int, int], decided: pl.LazyFrame
) -> Iterator[Fault]:
    """Files whose dates are not those of the pages: one finding a file, with the worst."""
    if not newest.height:
        return
    wanted, dated_as = newest.lazy().select("loc"), pl.col("lastmod").alias("page_lastmod")
    dates = decided.select(text_key("loc"), dated_as).join(wanted, on="loc", how="semi")
    dated = newest.join(dates.collect(engine="streaming"), on="loc", maintain_order="left")
    named = read.named(newest).with_columns(dated.select("number", "page_lastmod"))
    for said in named.iter_rows(named=True):
        real, count = said["page_lastmod"], counts[said["number"]]
        late = _days_between(said["lastmod"], real)
        yield Fault(
            "lastmod-differs",
            said["file"],
            f"{plural(count, 'address has', 'addresses have')} another date than the page: "
            f"{said['loc']} says {said['lastmod'] or 'no date'}, the page {real or 'no date'}"
            + (f"; the file is {plural(late, 'day')} behind." if late else "."),
        )


def _days_between(earlier: str | None, later: str | None) -> int:
    if not earlier or not later:
        return 0
    days = date.fromisoformat(later[:10]) - date.fromisoformat(earlier[:10])
    return max(days.days, 0)


def check_stale(built: str, surveyed: str, decided: pl.LazyFrame) -> Iterator[Fault]:
    """Whether the files are older than the content that the survey after them saw."""
    if not built or surveyed <= built:
        return
    changed = decided.filter(pl.col("listed") & (pl.col("lastmod") > built))
    since = changed.select("loc", "lastmod").sort("lastmod").collect(engine="streaming")
    if since.height:
        newest = since.row(-1, named=True)
        days = _days_between(built, newest["lastmod"])
        late = plural(days, "day") if days else "less than a day"
        at, pages = built[:16].replace("T", " "), plural(since.height, "listed page")
        yield Fault(
            "build-stale",
            newest["loc"],
            f"The files are of {at}; {pages} changed since, this one {late} later.",
        )


def _contradiction(page: dict[str, Any]) -> tuple[str, str]:
    if not page["index"]:
        return "listed-noindexed", str(page["reason"])
    if page["redirect"]:
        return "listed-redirected", f"it sends visitors on to {page['redirect']}"
    if page["canonical"] and page["canonical"] != page["loc"]:
        return "listed-other-canonical", f"its canonical is {page['canonical']}"
    return "listed-unlisted", str(page["reason"])
