"""How much of each file of public pages an engine has heard. What that came to is remembered, so
that the millions of a large site are compared again only where a file or the ledger changed.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from functools import cached_property, partial
from typing import TYPE_CHECKING

import msgspec
import polars as pl

from jovial_atlas.engines.public_pages import (
    FileHeard,
    PublicPages,
    Remembered,
    Unheard,
    differing,
    known_of,
)
from jovial_atlas.engines.published import PAGES
from jovial_atlas.pages.keys import keys_of

if TYPE_CHECKING:
    from jovial_atlas.ledger import Ledger

#: To ask the ledger for some addresses takes so many times as long, for each, as to read all that
#: it has; to read a public page takes half as long.
_ASKING, _PAGE = 2.0, 0.5
#: So many addresses in messages are always looked up.
_FEW = 100_000


class Waiting(msgspec.Struct, frozen=True):
    """How many pages an engine has to hear of, as new, changed or gone ones."""

    added: int
    changed: int
    gone: int


class HeardPages:
    """What one engine has heard of public `pages`, by the ledger; `url` is that of their site."""

    def __init__(self, engine: str, pages: PublicPages, ledger: Ledger, url: str) -> None:
        self.engine = engine
        self._pages = pages
        self._ledger = ledger
        self._url = url

    @cached_property
    def known(self) -> int:
        """How many addresses the engine has heard of."""
        return self._compared.known if self._compared else self._count()

    @property
    def waiting(self) -> Waiting:
        """What the engine has not heard, in numbers."""
        if self._compared is None:
            whole = self._whole
            return Waiting(whole.added.len(), whole.changed.len(), len(whole.gone))
        files = self._compared.files.values()
        added = sum(one.added for one in files)
        met = sum(one.pages for one in files) - added
        changed = sum(one.changed for one in files)
        return Waiting(added, changed, self._compared.known - met)

    @property
    def unheard(self) -> Unheard:
        """What the engine has not heard."""
        compared = self._compared
        if compared is None or self.waiting.gone or not compared.known:
            return self._whole
        lacking = [n for n, one in enumerate(compared.files.values()) if one.added or one.changed]
        if self._is_much(lacking, compared.known):
            return self._whole
        none = pl.Series([], dtype=pl.UInt64)
        found = [self._differing(number) for number in lacking]
        added = pl.concat([none, *(new for new, _ in found)])
        changed = pl.concat([none, *(other for _, other in found)])
        # Nothing is gone, so that the engine knows only what is public: addresses of this site.
        return Unheard(added, changed, [], compared.known)

    @cached_property
    def _whole(self) -> Unheard:
        """What is not heard, by all that is public and all that was heard."""
        heard = partial(self._ledger.heard_in_pieces, self.engine, PAGES)
        return self._pages.unheard(heard, self._url)

    def _count(self) -> int:
        return self._ledger.heard_count(self.engine, PAGES)

    @cached_property
    def _compared(self) -> Remembered | None:
        """What was heard of each file; None where files are not told apart."""
        files = self._pages.files
        if files is None:
            return None
        # These first: what is taken from here on is looked at again.
        taken = self._ledger.taken(self.engine, PAGES)
        last = files.memory.load(self.engine)
        if last is not None and not self._is_good(last, taken):
            last = None
        done = self._still(last, taken) if last is not None else {}
        stale = [n for n, name in enumerate(files.digests) if name not in done]
        is_same = last is not None and len(last.taken) == len(taken)
        if last is not None and is_same and not stale and last.files.keys() == done.keys():
            return last
        known = last.known if last is not None and is_same else self._count()
        done |= self._looked_at(stale, known)
        told = tuple(taken)
        by_file = {name: done[name] for name in files.digests}
        now = Remembered(files.key, told, _digest(taken, told), known, by_file)
        files.memory.save(self.engine, now)
        return now

    def _is_good(self, last: Remembered, taken: Mapping[int, str]) -> bool:
        """Whether the ledger only has more than when a comparison was made, by the same keys."""
        assert self._pages.files is not None
        return (
            last.key == self._pages.files.key
            and all(number in taken for number in last.taken)
            and last.digest == _digest(taken, last.taken)
        )

    def _still(self, last: Remembered, taken: Mapping[int, str]) -> dict[str, FileHeard]:
        """The files of which nothing has changed since, neither in them nor in the ledger."""
        assert self._pages.files is not None
        digests = self._pages.files.digests
        same = {name: one for name, one in last.files.items() if digests.get(name) == one.digest}
        before = set(last.taken)
        if new := [number for number in taken if number not in before]:
            told = self._ledger.told_in(new, most=max(_FEW, int(last.known / _ASKING)))
            if told is None:
                return {}
            names = list(digests)
            for number in self._pages.holding(keys_of(told)):
                same.pop(names[number], None)
        return same

    def _looked_at(self, numbers: Sequence[int], known: int) -> dict[str, FileHeard]:
        """What was heard of the files with these numbers."""
        assert self._pages.files is not None
        digests = list(self._pages.files.digests.items())
        starts = self._pages.starts
        if not known:
            counts = {n: (starts[n + 1] - starts[n], 0) for n in numbers}
        elif self._is_much(numbers, known):
            ends = pl.Series(starts, dtype=pl.UInt64)
            added, changed = (
                places.sort().search_sorted(ends).diff().slice(1).to_list()
                for places in (self._whole.added, self._whole.changed)
            )
            counts = {n: (added[n], changed[n]) for n in numbers}
        else:
            found = {n: self._differing(n) for n in numbers}
            counts = {n: (new.len(), other.len()) for n, (new, other) in found.items()}
        return {
            digests[n][0]: FileHeard(digests[n][1], starts[n + 1] - starts[n], *counts[n])
            for n in numbers
        }

    def _is_much(self, numbers: Sequence[int], known: int) -> bool:
        """Whether it is faster to read all that was heard, and all pages, than to ask for the pages
        of some files."""
        starts = self._pages.starts
        asked = sum(starts[n + 1] - starts[n] for n in numbers)
        return asked * _ASKING > known + starts[-1] * _PAGE

    def _differing(self, number: int) -> tuple[pl.Series, pl.Series]:
        """The places of the pages of one file that are new to the engine, and that changed."""
        piece = self._pages.piece(number)
        heard = self._ledger.marks_heard(self.engine, PAGES, piece["loc"].to_list())
        new, other, _ = differing(piece, known_of([heard], self._url)[0])
        return new + self._pages.starts[number], other + self._pages.starts[number]


def _digest(taken: Mapping[int, str], numbers: Sequence[int]) -> str:
    told = "".join(f"{number} {taken[number]}\n" for number in numbers)
    return hashlib.blake2b(told.encode(), digest_size=16).hexdigest()
