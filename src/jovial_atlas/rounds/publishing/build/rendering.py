"""Rendering sitemap files: from rows to bytes on two threads, unchanged files not at all."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import msgspec
import polars as pl

from jovial_atlas.files import digest
from jovial_atlas.rounds.publishing.build.kinds import Kind
from jovial_atlas.rounds.publishing.build.remembering import memory_of
from jovial_atlas.rounds.state.record import ListedMemory
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.write import SitemapPart, text_file, urlset_file

#: Value of `compress` → how many bytes a file must have to be gzipped.
_GZIP_FROM = {"always": 0, "auto": 1 << 20, "never": None}
_THREADS = 2


class Rendered(msgspec.Struct, frozen=True):
    """One file ready to be put in place, with its digest; its plain-text companion where one is
    asked for; what is kept of what it lists; the rows in it, and those that did not fit."""

    kind: Kind
    number: int
    path: str
    part: SitemapPart
    digest: str
    text: bytes | None
    memory: ListedMemory | None
    outside: bool
    rows: pl.DataFrame
    rest: pl.DataFrame


#: One file to be made: kind, number, rows.
DueFile = tuple[Kind, int, pl.DataFrame]


def render_all(
    due: Iterator[DueFile], *, style: str | None, text: bool, home: str
) -> Iterator[Rendered]:
    """Render files in the order given, a few at once. `home` is the address of the output
    folder; a file that lists addresses outside its own folder says so."""

    def work(kind: Kind, number: int, table: pl.DataFrame) -> Rendered:
        return _render(kind, number, table, style=style, text=text, home=home)

    yield from _in_threads(due, work)


def _in_threads(
    due: Iterator[DueFile], work: Callable[[Kind, int, pl.DataFrame], Rendered]
) -> Iterator[Rendered]:
    waiting: list[Future[Rendered]] = []
    with ThreadPoolExecutor(_THREADS) as pool:
        try:
            for one in due:
                waiting.append(pool.submit(work, *one))
                if len(waiting) > 2 * _THREADS:
                    yield waiting.pop(0).result()
            for future in waiting:
                yield future.result()
        finally:
            for future in waiting:
                future.cancel()


def _render(
    kind: Kind, number: int, table: pl.DataFrame, *, style: str | None, text: bool, home: str
) -> Rendered:
    part = urlset_file(
        table,
        max_bytes=protocol.MAX_BYTES,
        stylesheet=style,
        gzip_from=_GZIP_FROM[kind.compress],
    )
    rows = table.head(part.urls)
    path = f"{kind.path(number)}.gz" if part.gzipped else kind.path(number)
    folder = f"{home}{path.rpartition('/')[0]}/" if "/" in path else home
    return Rendered(
        kind,
        number,
        path,
        part,
        digest(part.data),
        text_file(rows["loc"]) if text and kind.remembered else None,
        memory_of(part, rows, f"{kind.name}-{number}") if kind.remembered else None,
        folder != home and not rows["loc"].str.starts_with(folder).all(),
        rows,
        table.slice(part.urls),
    )


def mark_of_file(kind: Kind, urls: int, digest: int, style: str | None, text: bool) -> str:
    """What a file depends on, beside the code: where it is as before, so is the file."""
    options = f"{kind.compress} {kind.order} {kind.pictures} {kind.alternates} {style} {text}"
    return f"{digest:016x}-{urls} {protocol.FORM} {options}"
