"""A sitting that was left: where the content is, and the answers so far, in the state folder."""

from __future__ import annotations

from pathlib import Path

import msgspec

from jovial_atlas.files import remove, write_whole
from jovial_atlas.place import STATE
from jovial_atlas.rounds.state.names import SITTING


class _Kept(msgspec.Struct):
    content: str
    url: str
    given: dict[str, str]


class KeptSitting:
    """Where the content is, where it is public, and the answers so far, by name; all empty where no
    sitting of this site file was left."""

    def __init__(self, site_path: Path) -> None:
        self._place = site_path.absolute().parent / STATE / SITTING
        self.content = ""
        self.url = ""
        self.given: dict[str, str] = {}

    @classmethod
    def read(cls, site_path: Path) -> KeptSitting:
        """The sitting that was left; one that cannot be read is none."""
        kept = cls(site_path)
        try:
            said = msgspec.json.decode(kept._place.read_bytes(), type=_Kept)
        except (OSError, msgspec.DecodeError):
            return kept
        kept.content, kept.url, kept.given = said.content, said.url, said.given
        return kept

    def keep(self) -> None:
        """Keep it. Raises OutputError."""
        if self.content:
            said = _Kept(self.content, self.url, self.given)
            write_whole(self._place, msgspec.json.encode(said))

    def forget(self) -> None:
        """It is done. Raises OutputError."""
        remove(self._place)
