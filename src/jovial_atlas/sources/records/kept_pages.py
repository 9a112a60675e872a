"""What pages that records carry said at the last survey: none is read again that is as it was.

It lies in a folder, in parts of some thousand pages: those that were read together, and mostly are
wanted together again.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

import msgspec
import polars as pl
import xxhash

from jovial_atlas.errors import OutputError
from jovial_atlas.faults import Fault
from jovial_atlas.files import make_folder
from jovial_atlas.pages import schema
from jovial_atlas.pages.snapshot import BROKEN, without_panics

#: Columns beside those of pages: what a page rests on, and its faults as JSON.
KEPT_KEY, KEPT_FAULTS = "_key", "_faults"
#: The column of rows as JSON, for sources whose pages have fields of their own.
KEPT_ROW = "_row"
_FAULTS = msgspec.json.Decoder(list[Fault])


class KeptPages:
    """Pages by what they rest on. `before` is the folder of the last survey, of which nothing
    counts where all are read `anew`; what counts from now on is written to the folder `beside`,
    until `finish` puts it in its place. `way` says what pages rest on beside address and content;
    `kept` are the columns that are kept: those of pages, or others.
    """

    def __init__(
        self,
        before: Path,
        beside: Path,
        way: str,
        kept: Mapping[str, pl.DataType] = schema.SCHEMA,
        *,
        anew: bool = False,
    ) -> None:
        self._before, self._beside, self._way = before, beside, way
        self._columns = pl.Schema({**kept, KEPT_KEY: pl.UInt64(), KEPT_FAULTS: pl.String()})
        #: How many parts were written; -1 where one could not be.
        self._parts = 0
        found = [pl.DataFrame(schema={KEPT_KEY: pl.UInt64, "part": pl.String})]
        for part in sorted(before.glob("*.parquet")) if before.is_dir() and not anew else ():
            try:
                with without_panics():
                    found.append(
                        pl.read_parquet(part, columns=[KEPT_KEY]).with_columns(
                            part=pl.lit(part.name)
                        )
                    )
            except (*BROKEN, OSError):
                continue  # it is read anew
        self._known = pl.concat(found)

    def keys(self, pages: Iterable[Sequence[str | bytes]]) -> pl.Series:
        """What each page rests on, given as address, HTML and whatever else, as one number."""
        start = xxhash.xxh3_64(self._way.encode())
        numbers = []
        for page in pages:
            said = start.copy()
            for part in page:
                data = part if isinstance(part, bytes) else part.encode("utf-8", "replace")
                said.update(b"%d:" % len(data))
                said.update(data)
            numbers.append(said.intdigest())
        return pl.Series(KEPT_KEY, numbers, pl.UInt64)

    def holds(self, keys: pl.Series) -> pl.Series:
        """Which of the pages were read before, by what they rest on."""
        return keys.is_in(self._known[KEPT_KEY].implode())

    def known(self, keys: pl.Series) -> pl.DataFrame:
        """Those of the pages that were read before, one row each: the columns that are kept, with
        `KEPT_KEY` and `KEPT_FAULTS`."""
        found = [pl.DataFrame(schema=self._columns)]
        wanted = self._known.filter(pl.col(KEPT_KEY).is_in(keys.implode()))
        for name in wanted["part"].unique(maintain_order=True):
            try:
                with without_panics():
                    part = pl.read_parquet(self._before / name)
                    some = part.filter(pl.col(KEPT_KEY).is_in(keys.implode()))
                    found.append(some.select(self._columns.names()).cast(self._columns))
            except (*BROKEN, OSError):
                continue  # these pages are read anew
        return pl.concat(found).unique(KEPT_KEY, maintain_order=True)

    def keep(self, pages: pl.DataFrame) -> None:
        """Remember pages for the next survey, as `known` gives them. A disk that is full costs
        that, not the survey."""
        if not pages.height or self._parts < 0:
            return
        self._parts += 1
        try:
            make_folder(self._beside)
            pages.write_parquet(self._beside / f"{self._parts:06}.parquet")
        except (*BROKEN, OSError, OutputError):
            self._parts = -1
            self.forget()

    def finish(self) -> None:
        """Put what was kept in the place of what was known before."""
        if self._parts < 0:
            return
        shutil.rmtree(self._before, ignore_errors=True)
        if self._beside.is_dir():
            self._beside.rename(self._before)

    def forget(self) -> None:
        """Take back what was kept: what was known before still counts."""
        shutil.rmtree(self._beside, ignore_errors=True)


def with_faults(
    pages: pl.DataFrame, keys: pl.Series, faults: Sequence[list[Fault]]
) -> pl.DataFrame:
    """Pages that were read, with what they rest on and their faults (none where nothing is wrong
    with any), as `keep` takes them."""
    said = [msgspec.json.encode(some).decode() if some else None for some in faults]
    said = said or [None] * pages.height
    return pages.with_columns(keys.alias(KEPT_KEY), pl.Series(KEPT_FAULTS, said, pl.String))


def faults_of(pages: pl.DataFrame) -> list[Fault]:
    """The faults of pages that `known` gave."""
    return [fault for said in pages[KEPT_FAULTS].drop_nulls() for fault in _FAULTS.decode(said)]
