"""Head data of many pages, made by several processes: each makes that of some hundred pages at a
time, of their rows and the rows of their videos."""

from __future__ import annotations

import pickle
from collections.abc import Iterator
from contextlib import closing
from functools import lru_cache
from io import BytesIO
from itertools import groupby
from operator import itemgetter
from typing import NamedTuple

import polars as pl

from jovial_atlas.head.compose import PageHead, head_lines, heads_of
from jovial_atlas.head.context import HeadContext
from jovial_atlas.head.film_table import FILM_VALUES, Asked
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import Copy
from jovial_atlas.head.videos import films_in
from jovial_atlas.rounds.publishing.build.copied import copies_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.picture_files import MeasuredPicture, PictureFiles
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.workers.pool import WorkerPool, cores

#: Starting a process takes as long as the heads of some thousand pages, or of fewer with videos.
_WORTH_IT, _OF_VIDEO = 15_000, 3
#: Pages whose heads are made together.
_CHUNK = 1_000


class _Given(NamedTuple):
    """What heads depend on beside the rows of their pages."""

    site: SiteFile
    settings: HeadSettings
    names: dict[str, str]


class MadeHeads(NamedTuple):
    """Head data of some pages: its lines, the copies of pictures that it names, and the pictures
    that were measured for it."""

    lines: bytes
    copies: list[Copy]
    measured: dict[str, MeasuredPicture]


def worth_processes(survey: LastSurvey) -> bool:
    """Whether there are so many pages that making their heads takes longer than starting
    processes."""
    videos = "videos" in survey.filled
    return cores() > 1 and survey.count * (_OF_VIDEO if videos else 1) >= _WORTH_IT


def heads_apart(survey: LastSurvey) -> Iterator[tuple[str, Iterator[MadeHeads]]]:
    """For each section the head data of its pages, by address."""
    films = survey.films_for(Asked(origins=FILM_VALUES)) if "videos" in survey.filled else None
    above = _names_above(survey)
    given = pickle.dumps(_Given(survey.site, survey.heads, above), pickle.HIGHEST_PROTOCOL)
    decided = _with_values(survey.decided).sort("section", "loc")
    parts = [
        (part["section"][0], rows)
        for part in decided.partition_by("section", maintain_order=True)
        for rows in part.iter_slices(_CHUNK)
    ]
    chunks = ((_packed(rows), _films_for(films, rows), given) for _, rows in parts)
    with closing(WorkerPool()) as pool:
        made = pool.in_turn(_make, chunks, many=decided.height)
        # Of small sections several are under way at once.
        named = zip((section for section, _ in parts), made, strict=True)
        for section, some in groupby(named, key=itemgetter(0)):
            yield section, (one for _, one in some)


def _with_values(decided: pl.DataFrame) -> pl.DataFrame:
    """Without links, and without columns in which no page has anything."""
    return decided.select(
        one for one in decided if one.name != "links" and one.null_count() < len(one)
    )


def _names_above(survey: LastSurvey) -> dict[str, str]:
    """What the pages are called that stand above others by their addresses."""
    url = survey.site.model.site.url
    folder = survey.decided.select(loc=pl.col("loc").str.replace(r"[^/]*/?(?:\?.*)?$", ""))
    folders, found = folder["loc"].unique(), []
    while (folders := folders.filter(folders.str.len_bytes() > len(url))).len():
        found.append(folders)
        folders = folders.str.replace(r"[^/]*/$", "").unique()
    if not found:
        return {}
    above = pl.concat(found).unique()
    wanted = {*above.to_list(), *above.str.strip_suffix("/").to_list()}
    return {loc: name for loc, name in survey.names.items() if loc in wanted}


def _packed(rows: pl.DataFrame) -> bytes:
    return rows.write_ipc(None).getvalue()


def _films_for(films: pl.DataFrame | None, rows: pl.DataFrame) -> bytes:
    if films is None:
        return b""
    mine = films.join(rows.select("loc"), on="loc", how="semi", maintain_order="left")
    return _packed(mine) if mine.height else b""


def _make(packed: bytes, films: bytes, given: bytes) -> MadeHeads:
    """Head data of the pages of some rows."""
    work = _work(given)
    rows = pl.read_ipc(BytesIO(packed))
    shown = films_in(pl.read_ipc(BytesIO(films)), rows) if films else {}
    copies: list[Copy] = []
    look = work.context.look

    def also(heads: Iterator[PageHead]) -> Iterator[PageHead]:
        for one in heads:
            if work.settings.sharing.copies:
                copies.extend(copies_of(one, work.settings, shown, look))
            yield one

    heads = also(heads_of(rows, work.settings, shown, work.context))
    lines = b"".join(head_lines(heads))
    return MadeHeads(lines, copies, work.pictures.taken())


class _Work(NamedTuple):
    settings: HeadSettings
    context: HeadContext
    pictures: PictureFiles


@lru_cache(maxsize=1)
def _work(given: bytes) -> _Work:
    # What was packed by this program's other process, and by nobody else.
    site, settings, names = pickle.loads(given)  # noqa: S301
    pictures = PictureFiles(site)
    return _Work(settings, HeadContext(pictures.look, names.get), pictures)
