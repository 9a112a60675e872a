"""What became of files of HTML that head data was to be put into."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class InjectState(StrEnum):
    """What becomes of a file of HTML."""

    CHANGED = "changed"
    SAME = "same"
    SKIPPED = "skipped"


@dataclass(frozen=True, slots=True)
class Injected:
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
