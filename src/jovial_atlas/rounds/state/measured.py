"""What was measured on the pages of a site: read from their files on all cores, and kept, so that
a page that did not change is not measured again."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec
import polars as pl
import xxhash

from jovial_atlas.pages import snapshot
from jovial_atlas.review.measures import MEASURED_FORM, PageMeasures, measures_of
from jovial_atlas.rounds.state.crawled_copies import copy_at, is_copy
from jovial_atlas.rounds.state.names import MEASURES
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html_page.fulltext import html_of_file
from jovial_atlas.sources.workers.pool import WorkerPool

#: Pages that are measured together.
_CHUNK = 32
_SCHEMA = {"loc": pl.String, "key": pl.String, "measures": pl.Binary}


class PageToMeasure(NamedTuple):
    """A page and its file, or the copy that a crawl kept; the digest of its bytes where a survey
    has it; the language that it is in, and the phrases that it wants to be found for."""

    loc: str
    path: Path
    digest: str | None
    language: str
    phrases: tuple[str, ...]

    @property
    def key(self) -> str:
        """What its measures rest on; empty where nobody knows."""
        if not self.digest:
            return ""
        said = "\0".join((MEASURED_FORM, self.digest, self.language, *self.phrases))
        return xxhash.xxh3_128_hexdigest(said.encode())


def measure_all(
    site: SiteFile, pages: Sequence[PageToMeasure], workers: int | None = None
) -> dict[str, PageMeasures]:
    """The measures of pages by address; those of a file that cannot be read are left out. What was
    measured is kept. Raises OutputError."""
    path = site.shared_state / MEASURES
    before = snapshot.load(path)
    known = _known(before, pages)
    found = {one.loc: measures for one in pages if (measures := known.get((one.loc, one.key)))}
    fresh = [one for one in pages if one.loc not in found]
    rows = []
    keys = {one.loc: one.key for one in fresh}
    for loc, packed in _measured(fresh, workers):
        found[loc] = msgspec.msgpack.decode(packed, type=PageMeasures)
        rows.append((loc, keys[loc], packed))
    _keep(path, before, [row for row in rows if row[1]])
    return found


def _known(
    before: pl.DataFrame | None, pages: Sequence[PageToMeasure]
) -> dict[tuple[str, str], PageMeasures]:
    if before is None or dict(before.schema) != _SCHEMA:
        return {}
    wanted = pl.DataFrame(
        {"loc": [one.loc for one in pages], "key": [one.key for one in pages]},
        schema={"loc": pl.String, "key": pl.String},
    )
    rows = before.join(wanted, on=["loc", "key"], how="semi").iter_rows()
    decoder = msgspec.msgpack.Decoder(PageMeasures)
    return {(loc, key): decoder.decode(packed) for loc, key, packed in rows}


def _measured(pages: Sequence[PageToMeasure], workers: int | None) -> Iterator[tuple[str, bytes]]:
    pool = WorkerPool(workers)
    chunks = [pages[start : start + _CHUNK] for start in range(0, len(pages), _CHUNK)]
    try:
        futures = pool.submit(measure_files, chunks, many=len(pages))
        if not futures:
            for chunk in chunks:
                yield from measure_files(chunk)
        for future in futures:
            yield from future.result()
    finally:
        pool.close()


def measure_files(pages: Sequence[PageToMeasure]) -> list[tuple[str, bytes]]:
    """The measures of some pages, packed, by address. A page that cannot be read or understood is
    left out."""
    found = []
    for one in pages:
        data = copy_at(one.path) if is_copy(one.path) else html_of_file(one.path)
        if packed := _packed(one, data):
            found.append((one.loc, packed))
    return found


def _packed(page: PageToMeasure, data: bytes) -> bytes | None:
    if not data:
        return None
    try:
        measures = measures_of(data, page.loc, page.language, page.phrases)
    except (ValueError, RecursionError, AttributeError):
        return None
    return msgspec.msgpack.encode(measures)


def _keep(path: Path, before: pl.DataFrame | None, rows: Sequence[tuple[str, str, bytes]]) -> None:
    if not rows:
        return
    fresh = pl.DataFrame(rows, schema=_SCHEMA, orient="row")
    if before is not None and dict(before.schema) == _SCHEMA:
        fresh = pl.concat([before.join(fresh, on="loc", how="anti"), fresh])
    snapshot.save(fresh, path)
