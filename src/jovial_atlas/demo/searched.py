"""What people searched and clicked on the sample site, as both simulated engines export it: with a
season, noise, and two things that happened."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.place import STATE
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.standin.searches import (
    KnownEffect,
    SearchWorld,
    as_exported,
    searched,
    summed,
)

#: Days that are exported, and those since something happened.
_DAYS, _SINCE = 84, 28
#: Engine → its seed, how often the average page is shown a day, and the names of its two tables.
_ENGINES = {
    "Lanternfish": (7, 220.0, ("lanternfish-pages.csv", "lanternfish-searches.csv")),
    "Quillseek": (11, 60.0, ("quillseek-seiten.csv", "quillseek-suchanfragen.csv")),
}
EXPORTED_TABLES = {name: files for name, (_, _, files) in _ENGINES.items()}


def export_searches(folder: Path, now: datetime) -> None:
    """Write the tables of both engines beside the site file. Raises AtlasError."""
    pages = pl.read_parquet(folder / STATE / PAGE_TABLE, columns=["loc", "title", "kind"])
    shown = pages.filter((pl.col("kind") == "page") & pl.col("title").is_not_null()).sort("loc")
    ends = now.date() - timedelta(1)
    begins, since = ends - timedelta(_DAYS - 1), ends - timedelta(_SINCE - 1)
    effects = (
        # Walks are over for the year, and the picture of a result says nothing.
        KnownEffect("/events/", since, shown=0.45),
        KnownEffect("/species/(bittern|marsh-harrier)/$", begins, clicks=0.12),
    )
    titled = list(shown.select("loc", "title").iter_rows())
    for name, (seed, often, files) in _ENGINES.items():
        world = SearchWorld(titled, seed=seed, shown=often, effects=effects)
        rows = searched(world, begins, ends)
        for file, by in zip(files, (["date", "loc"], ["date", "loc", "query"]), strict=True):
            try:
                (folder / file).write_bytes(as_exported(summed(rows, by), name))
            except OSError as error:
                raise AtlasError(f"{folder / file} cannot be written ({error}).") from error
