"""What was measured on the pages of a site: read from their files on all cores, and kept, so that
a page that did not change is not measured again."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec
import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.pages import snapshot
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.review.measuring import PageToMeasure, measure_files
from jovial_atlas.rounds.state.names import MEASURES
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.workers.pool import WorkerPool, result_of

#: Pages that are measured together.
_CHUNK = 32
_SCHEMA = {"loc": pl.String, "key": pl.String, "measures": pl.Binary}


class Measuring:
    """Measuring pages, in their order, while something else is done; `close` ends its workers. What
    is known already is taken from where it was kept."""

    def __init__(
        self, site: SiteFile, pages: Sequence[PageToMeasure], workers: int | None = None
    ) -> None:
        self._path = site.shared_state / MEASURES
        self._before = _kept_before(self._path)
        known = _known(self._before, pages)
        self._found = {one.loc: had for one in pages if (had := known.get((one.loc, one.key)))}
        fresh = [one for one in pages if one.loc not in self._found]
        #: Page that is measured now → what its measures rest on.
        self._keys = {one.loc: one.key for one in fresh}
        self._rows: list[tuple[str, str, bytes]] = []
        self._chunks = [fresh[start : start + _CHUNK] for start in range(0, len(fresh), _CHUNK)]
        self._taken = 0
        self._pool = WorkerPool(workers)
        self._futures = self._pool.submit(measure_files, self._chunks, many=len(fresh))

    def close(self) -> None:
        """End the workers."""
        self._pool.close()

    def of(self, loc: str) -> PageMeasures | None:
        """The measures of a page, once they are there; None where its file cannot be read."""
        while loc in self._keys and loc not in self._found and self._take_next():
            pass
        return self._found.get(loc)

    def all(self) -> dict[str, PageMeasures]:
        """The measures of all pages by address, once they are there."""
        while self._take_next():
            pass
        return self._found

    def keep(self) -> None:
        """Keep what was measured. Raises OutputError."""
        self.all()
        _keep(self._path, self._before, self._rows)

    def _take_next(self) -> bool:
        """Take what comes next; False where all has come."""
        if self._taken == len(self._chunks):
            return False
        number, self._taken = self._taken, self._taken + 1
        measured = (
            result_of(self._futures[number])
            if self._futures
            else measure_files(self._chunks[number])
        )
        for loc, packed in measured:
            self._found[loc] = msgspec.msgpack.decode(packed, type=PageMeasures)
            if key := self._keys[loc]:
                self._rows.append((loc, key, packed))
        return True


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
