"""Rendering sitemap files: from rows to bytes on two threads, unchanged files not at all."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import polars as pl

from jovial_atlas.rounds.build.kinds import Kind
from jovial_atlas.rounds.build.public import table_bytes
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.packing import compressed
from jovial_atlas.sitemaps.write import Part, text_file, urlset_file

#: With compress = "auto", files of this many bytes and more are gzipped.
_COMPRESS_FROM = 1 << 20
_THREADS = 2


@dataclass(frozen=True, slots=True)
class Rendered:
    """One file ready to be put in place, its plain-text companion where one is asked for, the
    table of what it lists, and the rows that did not fit into it."""

    kind: Kind
    number: int
    path: str
    data: bytes
    text: bytes | None
    part: Part
    table: bytes | None
    outside: bool
    rest: pl.DataFrame


#: One file to be made: kind, number, rows.
Due = tuple[Kind, int, pl.DataFrame]


def render_all(
    due: Iterator[Due], *, style: str | None, text: bool, home: str
) -> Iterator[Rendered]:
    """Render files in the order given, a few at once. `home` is the address of the output
    folder; a file that lists addresses outside its own folder says so."""

    def work(kind: Kind, number: int, table: pl.DataFrame) -> Rendered:
        return _render(kind, number, table, style=style, text=text, home=home)

    yield from _in_threads(due, work)


def _in_threads(
    due: Iterator[Due], work: Callable[[Kind, int, pl.DataFrame], Rendered]
) -> Iterator[Rendered]:
    waiting: list[Future[Rendered]] = []
    with ThreadPoolExecutor(_THREADS) as pool:
        try:
            for one in due:
                waiting.append(pool.submit(work, *one))
                if len(waiting) > _THREADS:
                    yield waiting.pop(0).result()
            for future in waiting:
                yield future.result()
        finally:
            for future in waiting:
                future.cancel()


def _render(
    kind: Kind, number: int, table: pl.DataFrame, *, style: str | None, text: bool, home: str
) -> Rendered:
    part = urlset_file(table, max_bytes=protocol.MAX_BYTES, stylesheet=style)
    rows = table.head(part.urls)
    path, data = _packed(kind.path(number), part.data, kind.compress)
    folder = f"{home}{path.rpartition('/')[0]}/" if "/" in path else home
    plain = text_file(rows["loc"]) if text and kind.remembered else None
    return Rendered(
        kind,
        number,
        path,
        data,
        plain,
        part,
        table_bytes(rows) if kind.remembered else None,
        folder != home and not rows["loc"].str.starts_with(folder).all(),
        table.slice(part.urls),
    )


def _packed(path: str, data: bytes, compress: str) -> tuple[str, bytes]:
    if compress == "always" or (compress == "auto" and len(data) >= _COMPRESS_FROM):
        return f"{path}.gz", compressed(data)
    return path, data


def mark_of_file(kind: Kind, urls: int, digest: int, style: str | None, text: bool) -> str:
    """What a file depends on, beside the code: where it is as before, so is the file."""
    options = f"{kind.compress} {kind.order} {kind.pictures} {kind.alternates} {style} {text}"
    return f"{digest:016x}-{urls} {protocol.FORM} {options}"
