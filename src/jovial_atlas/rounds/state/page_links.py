"""All that the pages of a site lead to: read from their files on all cores, and kept, so that a
page that did not change is not read again."""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import temporary_name
from jovial_atlas.linking.reading import (
    LINK_KINDS,
    LINK_PLACES,
    READ_COLUMNS,
    PageToRead,
    read_links,
    style_rows,
)
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import PAGE_LINKS
from jovial_atlas.rounds.state.page_files import page_place
from jovial_atlas.rounds.state.site_files import Find
from jovial_atlas.sitefile import CrawlSource
from jovial_atlas.sources.settings import name_of
from jovial_atlas.sources.workers.pool import WorkerPool, result_of

#: Pages that a worker reads together, and rows that are kept together.
_CHUNK, _PART = 64, 400_000
_SCHEMA: dict[str, pl.DataType] = dict.fromkeys(READ_COLUMNS, pl.String()) | {
    "kind": pl.Enum([*LINK_KINDS, "id", "page"]),
    "place": pl.Enum(LINK_PLACES),
    "nofollow": pl.Boolean(),
}
#: What the rows of pages that have no file rest on: the survey of a time.
_AT = "survey of "
#: What is asked of a page to find its file.
_ASKED = ("loc", "source", "path", "kind", "digest", "links", "entries")
_AT_ONCE = 20_000


def page_links(survey: LastSurvey, workers: int | None = None) -> pl.LazyFrame:
    """What all pages of a survey lead to, as `READ_COLUMNS`. Of a page whose file is not here it is
    what the page table knows: its addresses without texts. Raises OutputError."""
    path = survey.site.shared_state / PAGE_LINKS
    before = _kept(path)
    parts = _Parts(temporary_name(path.parent))
    try:
        found = _sorted_out(survey, before, parts)
        if not found.fresh and not parts.count and before is not None and found.is_whole:
            return before
        for table in _read(found.fresh, workers):
            parts.add(table)
        frames = parts.frames()
        if before is not None:
            known = pl.DataFrame(found.known, {"page": pl.String, "key": pl.String}, orient="row")
            same = before.join(known.lazy(), on=["page", "key"], how="semi")
            frames.insert(0, before if found.is_whole else same)
        snapshot.sink(pl.concat([*frames, pl.LazyFrame(schema=_SCHEMA)]), path)
    finally:
        parts.forget()
    read = _kept(path)
    assert read is not None
    return read


#: Style sheets that are looked at, and how long one may be in octets.
_MOST_STYLES, _LONGEST_STYLE = 2_000, 8 << 20


def style_links(links: pl.LazyFrame, find: Find) -> pl.LazyFrame:
    """What the style sheets load that pages load, and those that these import, as `READ_COLUMNS`:
    each is the `page` of its rows. Of those that are no files here nothing is known."""
    styles = links.filter(pl.col("kind") == "style").select(pl.col("target").unique())
    waiting = sorted(styles.collect(engine="streaming")["target"].drop_nulls())
    seen, rows = set(waiting), []
    for _ in range(_MOST_STYLES):
        if not waiting:
            break
        loc = waiting.pop()
        for row in style_rows(_text_of(find(loc)), loc):
            rows.append((loc, "", *row))
            if row.kind == "style" and row.target not in seen:
                seen.add(row.target)
                waiting.append(row.target or "")
    return pl.LazyFrame(rows, schema=_SCHEMA, orient="row")


def _text_of(path: Path | None) -> str:
    """The text of a style sheet; "" where it cannot be read."""
    try:
        if path is None or path.stat().st_size > _LONGEST_STYLE:
            return ""
        return path.read_bytes().decode("utf-8", "replace")
    except OSError:
        return ""


class _Parts:
    """Rows that are kept on disk as they come, in files of their own."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.count = 0

    def add(self, table: pl.DataFrame) -> None:
        """Keep some rows more. Raises OutputError."""
        if table.height:
            self._folder.mkdir(parents=True, exist_ok=True)
            snapshot.save(table, self._folder / f"{self.count:05d}.parquet")
            self.count += 1

    def frames(self) -> list[pl.LazyFrame]:
        """All of them, to be read in pieces."""
        names = (f"{number:05d}.parquet" for number in range(self.count))
        return [pl.scan_parquet(self._folder / name) for name in names]

    def forget(self) -> None:
        """Take the files away."""
        shutil.rmtree(self._folder, ignore_errors=True)


class _SortedOut(NamedTuple):
    """The pages that must be read; those that are known, as page and key; and whether these are all
    that was kept."""

    fresh: list[PageToRead]
    known: list[tuple[str, str]]
    is_whole: bool


def _kept(path: Path) -> pl.LazyFrame | None:
    """What was kept; None where that cannot be read: it can be read again."""
    try:
        kept = snapshot.scan(path)
        return kept if kept is not None and dict(kept.collect_schema()) == _SCHEMA else None
    except OutputError:
        return None


def _sorted_out(survey: LastSurvey, before: pl.LazyFrame | None, parts: _Parts) -> _SortedOut:
    """The pages that must be read. The links of pages without a file become parts at once."""
    had: set[tuple[str, str]] = set()
    if before is not None:
        pages = before.select("page", "key").unique()
        had = set(pages.collect(engine="streaming").iter_rows())
    fresh: list[PageToRead] = []
    known: list[tuple[str, str]] = []
    served, as_surveyed = _served(survey), f"{_AT}{survey.at}"
    place = page_place(survey.site)
    asked = survey.pages.select(_ASKED)
    for some in asked.collect_batches(chunk_size=_AT_ONCE, engine="streaming"):
        without: list[str] = []
        for page in pages_of(some):
            one = _to_read(page, place(page), served)
            if one is None and (page.loc, as_surveyed) in had:
                known.append((page.loc, as_surveyed))
            elif one is None:
                without.append(page.loc)
            elif one.key and (one.loc, one.key) in had:
                known.append((one.loc, one.key))
            else:
                fresh.append(one)
        parts.add(_from_table(some, without, as_surveyed))
    return _SortedOut(fresh, known, len(known) == len(had))


def _to_read(
    page: Page, path: Path | None, served: dict[str, tuple[str, str]]
) -> PageToRead | None:
    if path is None:
        return None
    return PageToRead(page.loc, path, page.digest, served.get(page.source or ""))


def _served(survey: LastSurvey) -> dict[str, tuple[str, str]]:
    """Source → where its site is served for now, with the origin that it is known by."""
    found = {}
    for source in survey.site.model.source:
        if isinstance(source, CrawlSource) and source.via:
            public = source.host or survey.site.model.site.url
            found[name_of(source)] = (source.via.rstrip("/"), public)
    return found


def _from_table(some: pl.DataFrame, locs: Sequence[str], key: str) -> pl.DataFrame:
    """The links of pages as the page table has them: those of the content stand first."""
    if not locs:
        return pl.DataFrame(schema=_SCHEMA)
    wanted = some.filter(pl.col("loc").is_in(pl.Series(locs).implode()))
    linking = wanted.filter(pl.col("links").list.len() > 0).select(
        page="loc", target="links", within=pl.col("entries").fill_null(1 << 30),
        number=pl.int_ranges(0, pl.col("links").list.len(), dtype=pl.Int32),
    )  # fmt: skip
    rows = linking.explode("target", "number").select(
        "page", "target",
        key=pl.lit(key),
        kind=pl.lit("link"),
        place=pl.when(pl.col("number") < pl.col("within")).then(pl.lit("content"))
        .otherwise(pl.lit("layout")),
        nofollow=pl.lit(False),
    )  # fmt: skip
    missing = [name for name in READ_COLUMNS if name not in rows.columns]
    rows = rows.with_columns(pl.lit(None, pl.String).alias(name) for name in missing)
    return rows.select(pl.col(n).cast(t) for n, t in _SCHEMA.items())


def _read(pages: Sequence[PageToRead], workers: int | None) -> Iterator[pl.DataFrame]:
    """Read pages, some at a time, and give their rows in tables of about `_PART` rows."""
    chunks = [pages[start : start + _CHUNK] for start in range(0, len(pages), _CHUNK)]
    waiting: list[pl.DataFrame] = []
    with closing(WorkerPool(workers)) as pool:
        futures = pool.submit(read_links, chunks, many=len(pages))
        for number, chunk in enumerate(chunks):
            columns = result_of(futures[number]) if futures else read_links(chunk)
            if futures:
                futures[number] = None  # type: ignore[call-overload]
            waiting.append(pl.DataFrame(columns, schema=_SCHEMA))
            if sum(one.height for one in waiting) >= _PART:
                yield pl.concat(waiting)
                waiting = []
    if waiting:
        yield pl.concat(waiting)
