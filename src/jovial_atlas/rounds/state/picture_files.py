"""The picture files of a site: measured once, and remembered as long as they stay as they are."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import msgspec
import polars as pl
import xxhash

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.head.sharing import Copy, Look, Original
from jovial_atlas.media.pictures import Picture, is_icon, look_at_picture, shared_copy
from jovial_atlas.rounds.state.names import KNOWN_PICTURES
from jovial_atlas.rounds.state.site_files import file_of, lost_files, whole_places
from jovial_atlas.sitefile import SiteFile

_THREADS = 4
#: A file with more octets is no icon.
_ICON_BYTES = 32 << 10


class MeasuredPicture(msgspec.Struct, frozen=True):
    """A file that was measured: its size and time, the digest of its bytes, and what it is; None
    where it is no picture."""

    stamp: tuple[int, int]
    digest: str
    picture: Picture | None = msgspec.field(name="is")


@dataclass
class PictureFiles:
    """The pictures of a site by address. `look` measures a file where it is not known yet; what
    was measured is kept for the next command by `keep`."""

    site: SiteFile
    _known: dict[str, MeasuredPicture] = field(default_factory=dict, init=False)
    _seen: dict[str, Original | None] = field(default_factory=dict, init=False)
    #: Copies that head data asked for.
    _changed: bool = field(default=False, init=False)
    #: What was measured and not taken yet.
    _fresh: dict[str, MeasuredPicture] = field(default_factory=dict, init=False)

    def __post_init__(self) -> None:
        self._find = file_of(self.site)
        try:
            data = (self.site.shared_state / KNOWN_PICTURES).read_bytes()
            self._known = msgspec.json.decode(data, type=dict[str, MeasuredPicture])
        except (OSError, ValueError):
            self._known = {}

    @property
    def look(self) -> Look:
        """What a picture of the site is; None where its file is not here, or no picture."""
        return self._look

    def _look(self, address: str) -> Original | None:
        if address not in self._seen:
            path = self._find(address)
            self._seen[address] = self._measured(path) if path else None
        return self._seen[address]

    def is_icon(self, address: str) -> bool:
        """Whether a picture of the site is one, by its file. Heavy files are none, unread."""
        path = self._find(address)
        if path is None or path.stat().st_size > _ICON_BYTES:
            return False
        original = self._look(address)
        return original is not None and is_icon(original.picture.width, original.picture.height)

    def _measured(self, path: Path) -> Original | None:
        about = path.stat()
        stamp = (about.st_size, about.st_mtime_ns)
        had = self._known.get(str(path))
        if had is None or had.stamp != stamp:
            picture = look_at_picture(path)
            digest = xxhash.xxh3_128_hexdigest(path.read_bytes()) if picture else ""
            had = MeasuredPicture(stamp, digest, picture)
            self.take({str(path): had})
            self._fresh[str(path)] = had
        return Original(path, had.digest, had.picture) if had.picture else None

    def taken(self) -> dict[str, MeasuredPicture]:
        """What was measured since this was asked last, for others to `take`."""
        fresh, self._fresh = self._fresh, {}
        return fresh

    def take(self, measured: Mapping[str, MeasuredPicture]) -> None:
        """Know what was measured: places of files, and what they are."""
        if measured:
            self._known.update(measured)
            self._changed = True

    def keep(self) -> None:
        """Remember what was measured. Raises OutputError."""
        if self._changed:
            data = msgspec.json.encode(self._known)
            write_whole(self.site.shared_state / KNOWN_PICTURES, data)
            self._changed = False


def lost_pictures(pages: pl.LazyFrame, site: SiteFile) -> list[str]:
    """Pictures that pages show and whose files are not there, as `lost_files` tells."""
    if not whole_places(site):
        return []
    loc = pl.col("images").list.eval(pl.element().struct.field("loc"))
    shown = pages.filter(pl.col("images").list.len() > 0).select(loc.explode().unique())
    return lost_files(site, shown.collect(engine="streaming").to_series())


def copies(wanted: Iterable[Copy], there: Callable[[str], bool]) -> Iterator[tuple[str, bytes]]:
    """The copies of pictures for sharing that are not `there` yet: (path on the site, bytes).
    Raises AtlasError where one cannot be made."""
    due = {one.path: one for one in wanted}

    def make(copy: Copy) -> tuple[str, bytes]:
        try:
            return copy.path, shared_copy(copy.place, copy.how)
        except ValueError as error:
            message = f"{copy.place} cannot be copied for sharing ({error}). Replace the picture."
            raise AtlasError(message) from error

    with ThreadPoolExecutor(_THREADS) as pool:
        yield from pool.map(make, [one for path, one in due.items() if not there(path)])
