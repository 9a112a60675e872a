"""Gzip (RFC 1952) for sitemap files: equal contents give equal bytes, and no bomb is unpacked."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from jovial_atlas.sitemaps import protocol


class Packing:
    """The bytes of one file as they come: gzipped, without a time in it, from `gzip_from` bytes
    on; where that is None, never."""

    def __init__(self, gzip_from: int | None) -> None:
        self._most = gzip_from
        self._pieces: list[bytes] = []
        self._size = 0
        self._pack: Callable[[bytes], bytes] | None = None
        self._end: Callable[[], bytes] | None = None

    @property
    def gzipped(self) -> bool:
        """Whether so many bytes came that they are gzipped."""
        return self._pack is not None

    def add(self, piece: bytes) -> None:
        """Take some more bytes."""
        self._size += len(piece)
        if self._pack is None and self._most is not None and self._size >= self._most:
            self._begin()
        self._pieces.append(self._pack(piece) if self._pack else piece)

    def _begin(self) -> None:
        from isal import isal_zlib

        worker = isal_zlib.compressobj(2, isal_zlib.DEFLATED, 31)
        self._pack, self._end = worker.compress, worker.flush
        self._pieces = [worker.compress(piece) for piece in self._pieces]

    def bytes(self) -> bytes:
        """The whole file. Nothing can be added after that."""
        return b"".join([*self._pieces, *([self._end()] if self._end else [])])


class Unpacked(msgspec.Struct, frozen=True):
    """The contents of a gzip file, never more than one octet over what was asked for; and whether
    something that is no gzip stands behind its last member."""

    data: bytes
    junk: bool


#: Bits of a member's flags that mean nothing and must be zero (RFC 1952 §2.3.1.2).
_RESERVED = 0xE0


def unpacked(data: bytes, most: int = protocol.MAX_BYTES) -> Unpacked:
    """The contents of all members of a gzip file (RFC 1952 §2.2), one after another.

    One byte over the limit is enough to know that the limit is broken. Raises
    ValueError where the data are no whole gzip file.
    """
    from isal import isal_zlib

    pieces: list[bytes] = []
    room = most + 1
    rest = data
    while True:
        if len(rest) > 3 and rest[3] & _RESERVED:
            raise ValueError("not a readable gzip file (reserved flags are set)")
        worker = isal_zlib.decompressobj(wbits=31)
        try:
            piece = bytes(worker.decompress(rest, room))
        except isal_zlib.error as error:  # type: ignore[misc]
            raise ValueError(f"not a readable gzip file ({error})") from None
        pieces.append(piece)
        room -= len(piece)
        if room <= 0:
            return Unpacked(b"".join(pieces), junk=False)
        if not worker.eof:
            raise ValueError("a gzip file that breaks off before its end")
        # Tapes and some servers fill up with zeros; these are nothing.
        rest = bytes(worker.unused_data).lstrip(b"\0")
        if not rest.startswith(b"\x1f\x8b"):
            return Unpacked(b"".join(pieces), junk=bool(rest))


def decompressed(data: bytes, most: int = protocol.MAX_BYTES) -> bytes:
    """The contents of a gzip file, as `unpacked`."""
    return unpacked(data, most).data
