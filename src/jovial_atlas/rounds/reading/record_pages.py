"""What pages that records carry said at the last survey: a folder of the state for each source."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable
from types import TracebackType

import polars as pl

from jovial_atlas.files import digest, is_temporary, temporary_name
from jovial_atlas.pages import schema
from jovial_atlas.rounds.state.names import RECORD_PAGES
from jovial_atlas.sitefile import MarkdownSource, SiteFile, Source
from jovial_atlas.sources.records.kept_pages import KEPT_ROW, KeptPages
from jovial_atlas.sources.settings import name_of


class RecordPages:
    """Gives what is known of the pages of a source. Use as a context: what a source that was not
    `done` has kept is taken back, and so is what sources kept that are no longer there."""

    def __init__(self, site: SiteFile, way: Callable[[Source], str], *, anew: bool) -> None:
        self._folder = site.shared_state / RECORD_PAGES
        self._names = {self._name(name_of(source)) for source in site.model.source}
        self._way, self._anew = way, anew
        self._open: dict[str, KeptPages] = {}

    def __enter__(self) -> RecordPages:
        # What a survey left that was killed.
        for folder in self._folder.glob(".*"):
            if is_temporary(folder.name):
                shutil.rmtree(folder, ignore_errors=True)
        return self

    def __exit__(
        self,
        _kind: type[BaseException] | None,
        _error: BaseException | None,
        _trace: TracebackType | None,
    ) -> None:
        for one in self._open.values():
            one.forget()

    def of(self, source: Source) -> KeptPages:
        """What is known of the pages that records of a source carry."""
        name = name_of(source)
        before = self._folder / self._name(name)
        rows = {KEPT_ROW: pl.String()} if isinstance(source, MarkdownSource) else schema.SCHEMA
        beside, way = temporary_name(self._folder), self._way(source)
        kept = KeptPages(before, beside, way, rows, anew=self._anew)
        self._open[name] = kept
        return kept

    def done(self, names: Iterable[str]) -> None:
        """These sources were read to their end: what they kept counts from now on."""
        for name in names:
            if name in self._open:
                self._open.pop(name).finish()
        for folder in self._folder.glob("*"):
            if folder.name not in self._names and not folder.name.startswith("."):
                shutil.rmtree(folder, ignore_errors=True)

    @staticmethod
    def _name(source: str) -> str:
        return digest(source.encode())[:16]
