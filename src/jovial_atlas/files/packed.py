"""Reading files that may be packed, piece by piece: with gzip (RFC 1952), bzip2 or xz."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import import_module
from pathlib import Path
from typing import IO, Any, BinaryIO

_MAGIC = b"\x1f\x8b"
#: How files of bzip2, xz and Zstandard (RFC 8878 §3.1.1) begin.
_BZIP, _XZ, _ZSTANDARD = b"BZh", b"\xfd7zXZ\0", b"\x28\xb5\x2f\xfd"
#: Bits of a member's flags that mean nothing and must be zero (RFC 1952 §2.3.1.2).
_RESERVED = 0xE0
_PIECE = 1 << 20


class Unpacking(io.RawIOBase):
    """The contents of all members of a gzip file, one after another (§2.2). `junk` tells, at the
    end, that something stands behind the last that is no gzip; zeros are nothing. Reading raises
    OSError where the file is damaged or breaks off."""

    def __init__(self, packed: IO[bytes]) -> None:
        self._packed = packed
        self._rest = b""
        self._worker: Any = None
        self._ready = b""
        self._ended = False
        self.junk = False

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        while not self._ready and not self._ended:
            self._ready = self._next()
        size = min(len(buffer), len(self._ready))
        buffer[:size] = self._ready[:size]
        self._ready = self._ready[size:]
        return size

    def _next(self) -> bytes:
        from isal import isal_zlib

        if self._worker is None and not self._begins():
            self._ended = True
            return b""
        try:
            if self._worker.needs_input:
                self._rest = self._rest or self._packed.read(_PIECE)
                if not self._rest:
                    raise OSError("it breaks off before its end")
            piece = bytes(self._worker.decompress(self._rest, _PIECE))
        except isal_zlib.error as error:  # type: ignore[misc]
            raise OSError(f"it is not readable as gzip: {error}") from None
        self._rest = b""
        if self._worker.eof:
            self._rest, self._worker = bytes(self._worker.unused_data), None
        return piece

    def _begins(self) -> bool:
        """Whether another member begins; its worker is there then."""
        from isal import igzip_lib

        while len(rest := self._rest.lstrip(b"\0")) < 4:
            more = self._packed.read(_PIECE)
            if not more:
                break
            self._rest = rest + more
        self._rest = rest
        if not rest.startswith(_MAGIC):
            self.junk = bool(rest)
            return False
        if len(rest) > 3 and rest[3] & _RESERVED:
            raise OSError("it is not readable as gzip: reserved flags are set")
        self._worker = igzip_lib.IgzipDecompressor(flag=igzip_lib.DECOMP_GZIP)
        return True


class _OtherPacking(io.RawIOBase):
    """The contents of a file of bzip2 or xz. Reading raises OSError where it is damaged."""

    def __init__(self, packed: IO[bytes], begins: bytes) -> None:
        name = "bz2" if begins.startswith(_BZIP) else "lzma"
        try:
            module = import_module(name)
        except ImportError:  # Python may be built without it
            raise OSError(f"this Python has no module {name} to unpack it") from None
        self._inner: IO[bytes] = module.open(packed)
        self._broken = (EOFError, getattr(module, "LZMAError", EOFError))

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        try:
            piece = self._inner.read(len(buffer))
        except self._broken as error:
            raise OSError(str(error).rstrip(".") or "it is damaged") from None
        buffer[: len(piece)] = piece
        return len(piece)


@contextmanager
def opened(path: Path) -> Iterator[tuple[BinaryIO, Unpacking | None]]:
    """A file to read from, unpacked where its first octets say that it is packed; of gzip what
    unpacks it is given too, which knows of junk in the end. Raises OSError."""
    with path.open("rb") as stream:
        begins = stream.read(len(_XZ))
        stream.seek(0)
        if begins.startswith((_BZIP, _XZ)):
            with io.BufferedReader(_OtherPacking(stream, begins), _PIECE) as inner:
                yield inner, None
            return
        if begins.startswith(_ZSTANDARD):
            raise OSError("it is packed with Zstandard: unpack it, or give what `zstdcat` writes")
        if not begins.startswith(_MAGIC):
            yield stream, None
            return
        unpacking = Unpacking(stream)
        with io.BufferedReader(unpacking, _PIECE) as inner:
            yield inner, unpacking
