"""The record of changes in a folder: `changes.jsonl`, one change a line, and `texts/`, what files
held, each text once and compressed."""

from __future__ import annotations

import gzip
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import msgspec

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import add_line, digest, remove, sweep, write_whole, writing
from jovial_atlas.history.entry import KeptChange

CHANGES, TEXTS = "changes.jsonl", "texts"
#: Bytes of compressed texts that are kept; with more, the oldest go, and changes that need them
#: are told still but cannot be taken back.
MOST_KEPT = 256 * 2**20


@dataclass(frozen=True, slots=True)
class History:
    """The record in a folder, which need not be there yet."""

    folder: Path

    def entries(self) -> list[KeptChange]:
        """All changes, the oldest first; lines that cannot be read are passed over: they come from
        a write that was cut off. Raises AtlasError where the record cannot be read."""
        try:
            lines = (self.folder / CHANGES).read_bytes().splitlines()
        except FileNotFoundError:
            return []
        except OSError as error:
            why = error.strerror or str(error)
            raise AtlasError(f"{self.folder / CHANGES} cannot be read ({why}).") from error
        found = []
        for line in lines:
            try:
                found.append(msgspec.json.decode(line, type=KeptChange))
            except msgspec.DecodeError:
                continue
        return found

    def add(self, entry: KeptChange, texts: Iterable[bytes]) -> None:
        """Keep a change with the texts that its digests are of. Raises OutputError."""
        for text in texts:
            place = self._place(digest(text))
            if not place.exists():
                # Without a time, the same text makes the same file.
                write_whole(place, gzip.compress(text, 6, mtime=0), durable=True)
        add_line(self.folder / CHANGES, msgspec.json.encode(entry).decode())
        self._keep_small({one for file in entry.files for one in (file.before, file.after)})

    def text(self, name: str) -> bytes | None:
        """What a file held, by its digest; None where there was no file. Raises AtlasError where
        it is not kept any more."""
        if not name:
            return None
        try:
            return gzip.decompress(self._place(name).read_bytes())
        except (OSError, EOFError) as error:
            raise AtlasError(
                "What a file held then is not kept any more: the record keeps "
                f"{MOST_KEPT // 2**20} MiB of texts."
            ) from error

    def tidy(self) -> None:
        """Remove what a process that was ended left on its way here."""
        sweep(self.folder / TEXTS)

    def _place(self, name: str) -> Path:
        return self.folder / TEXTS / f"{name}.gz"

    def _keep_small(self, needed: set[str]) -> None:
        with writing(self.folder / TEXTS):
            places = [(one.stat(), one) for one in (self.folder / TEXTS).glob("*.gz")]
        size = sum(stat.st_size for stat, _ in places)
        for stat, place in sorted(places, key=lambda one: one[0].st_mtime_ns):
            if size <= MOST_KEPT:
                return
            if place.stem not in needed:
                remove(place)
                size -= stat.st_size
