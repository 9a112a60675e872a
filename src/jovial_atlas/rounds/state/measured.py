"""What was measured on the pages of a site: read from their files on all cores, and kept, so that
a page that did not change is not measured again."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.pages import snapshot
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.review.measuring import PageToMeasure, measure_files
from jovial_atlas.rounds.state.names import MEASURES
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.workers.pool import WorkerPool

#: Pages that are measured together.
_CHUNK = 32
_SCHEMA = {"loc": pl.String, "key": pl.String, "measures": pl.Binary}


class Measuring:
    """Measuring pages while something else is done; `close` ends its workers. What is known already
    is taken from where it was kept."""

    def __init__(
        self, site: SiteFile, pages: Sequence[PageToMeasure], workers: int | None = None
    ) -> None:
        self._path = site.shared_state / MEASURES
        self._before = _kept_before(self._path)
        known = _known(self._before, pages)
        self._found = {one.loc: had for one in pages if (had := known.get((one.loc, one.key)))}
        self._fresh = [one for one in pages if one.loc not in self._found]
        self._chunks = [
            self._fresh[start : start + _CHUNK] for start in range(0, len(self._fresh), _CHUNK)
        ]
        self._pool = WorkerPool(workers)
        self._futures = self._pool.submit(measure_files, self._chunks, many=len(self._fresh))

    def close(self) -> None:
        """End the workers."""
        self._pool.close()

    def results(self) -> dict[str, PageMeasures]:
        """The measures of pages by address; those of a file that cannot be read are left out. What
        was measured is kept. Raises OutputError."""
        keys = {one.loc: one.key for one in self._fresh}
        rows = []
        for loc, packed in self._measured():
            self._found[loc] = msgspec.msgpack.decode(packed, type=PageMeasures)
            rows.append((loc, keys[loc], packed))
        _keep(self._path, self._before, [row for row in rows if row[1]])
        return self._found

    def _measured(self) -> Iterator[tuple[str, bytes]]:
        if not self._futures:
            for chunk in self._chunks:
                yield from measure_files(chunk)
        for future in self._futures:
            yield from future.result()


def _kept_before(path: Path) -> pl.DataFrame | None:
    """What was kept; None where that cannot be read: it can be measured again."""
    try:
        return snapshot.load(path)
    except OutputError:
        return None


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


def _keep(path: Path, before: pl.DataFrame | None, rows: Sequence[tuple[str, str, bytes]]) -> None:
    if not rows:
        return
    fresh = pl.DataFrame(rows, schema=_SCHEMA, orient="row")
    if before is not None and dict(before.schema) == _SCHEMA:
        fresh = pl.concat([before.join(fresh, on="loc", how="anti"), fresh])
    snapshot.save(fresh, path)
