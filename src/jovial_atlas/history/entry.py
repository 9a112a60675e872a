"""One change of settings."""

from __future__ import annotations

from msgspec import Struct


class FileTexts(Struct, frozen=True, array_like=True):
    """What a file held before and after a change, by the digests of its bytes; "" for no file."""

    name: str
    before: str
    after: str


class KeptChange(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A change: its number, when (as written in ISO 8601, UTC), who, by which command, why, how
    many pages it turned (None where nobody counted), and the files it changed."""

    number: int
    at: str
    who: str
    command: str
    why: str = ""
    turned: int | None = None
    files: tuple[FileTexts, ...] = ()
    #: The change that this one takes back; 0 where it takes back none.
    takes_back: int = 0

    @property
    def by_hand(self) -> bool:
        """Whether it was made with no command of ours, and found later."""
        return not self.command
