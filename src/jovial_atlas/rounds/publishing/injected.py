"""What became of files of HTML that head data was to be put into."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class InjectState(StrEnum):
    """What becomes of a file of HTML."""

    CHANGED = "changed"
    SAME = "same"
    SKIPPED = "skipped"


class Injected(msgspec.Struct, frozen=True):
    """What became of one file: `state` is changed, same, or skipped (then `why` says so); `diff`
    shows the lines that differ, where it was asked for; `alts` are the texts of pictures that were
    proposed, as `src: text`, `links` what was added, as `words: address`; `notes` say what
    could not be; `mark` tells which head data the file holds now (`block_mark`)."""

    path: str
    loc: str
    state: InjectState
    why: str = ""
    diff: str = ""
    alts: tuple[str, ...] = ()
    links: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    mark: str | None = None
