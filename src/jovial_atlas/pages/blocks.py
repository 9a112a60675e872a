"""The row groups of a Parquet file, each with a digest of its bytes: where two files have equal
digests, they have equal rows. Only what the footer says of places is read, by Thrift's compact
protocol (parquet-format, `FileMetaData`); the rows themselves are not. It is read here, since
Polars tells nothing of places, and what else reads footers is an engine of tables of its own.
"""

from __future__ import annotations

import struct
from collections.abc import Collection, Iterator
from pathlib import Path
from typing import Any

import msgspec
import xxhash

from jovial_atlas.errors import OutputError

_MAGIC = b"PAR1"
#: Fields of FileMetaData, RowGroup, ColumnChunk and ColumnMetaData, by their numbers.
_ROW_GROUPS, _COLUMNS, _ROWS, _META = 4, 1, 3, 3
_KEY_VALUES, _KEY, _VALUE = 5, 1, 2
_PATH, _COMPRESSED, _DATA_PAGE, _DICTIONARY_PAGE = 3, 7, 9, 11


class Block(msgspec.Struct, frozen=True):
    """One row group: how many rows it has, and the digest (XXH3) of its columns' bytes."""

    rows: int
    digest: str


def blocks_of(path: Path, columns: Collection[str] | None = None) -> list[Block]:
    """The row groups of a file, in order; with `columns` by the bytes of these alone, and of what
    is within them. Raises OutputError where it is no Parquet file."""
    wanted = None if columns is None else {name.encode() for name in columns}
    try:
        with path.open("rb") as stream:
            stream.seek(-8, 2)
            size, magic = struct.unpack("<I4s", stream.read(8))
            stream.seek(-8 - size, 2)
            footer = _Thrift(stream.read(size)).struct()
            if magic != _MAGIC:
                raise ValueError("it does not end as such files do")
            # What all rows share: the names and types of columns, and those with one value.
            common = b"".join(
                one[_KEY] + b"=" + one.get(_VALUE, b"") for one in footer.get(_KEY_VALUES, [])
            )
            blocks = []
            for group in footer[_ROW_GROUPS]:
                name = xxhash.xxh3_128(common)
                for column in group[_COLUMNS]:
                    about = column[_META]
                    if wanted is not None and about[_PATH][0] not in wanted:
                        continue
                    start = min(about.get(_DICTIONARY_PAGE) or about[_DATA_PAGE], about[_DATA_PAGE])
                    stream.seek(start)
                    name.update(b"\0".join([*about[_PATH], b""]))
                    name.update(stream.read(about[_COMPRESSED]))
                blocks.append(Block(group[_ROWS], name.hexdigest()))
            return blocks
    except (OSError, ValueError, KeyError, IndexError, TypeError, struct.error) as error:
        raise OutputError(f"{path} is no readable Parquet file ({error}).") from error


class _Thrift:
    """A reader of Thrift's compact protocol: structures as dictionaries by field number."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def struct(self) -> dict[int, Any]:
        fields: dict[int, Any] = {}
        number = 0
        while head := self._byte():
            step, kind = head >> 4, head & 15
            number = number + step if step else self._zigzag()
            # A boolean field has its value in its type.
            fields[number] = kind == 1 if kind in (1, 2) else self._value(kind)
        return fields

    def _value(self, kind: int) -> Any:
        if kind in (1, 2, 3):
            return self._byte()
        if kind in (4, 5, 6):
            return self._zigzag()
        if kind == 7:
            return self._take(8)
        if kind == 8:
            return self._take(self._varint())
        if kind in (9, 10):
            return list(self._items())
        if kind == 12:
            return self.struct()
        raise ValueError(f"its footer has a value of the unknown type {kind}")

    def _items(self) -> Iterator[Any]:
        head = self._byte()
        count = head >> 4
        if count == 15:
            count = self._varint()
        for _ in range(count):
            yield self._value(head & 15)

    def _byte(self) -> int:
        self.at += 1
        return self.data[self.at - 1]

    def _take(self, size: int) -> bytes:
        self.at += size
        return self.data[self.at - size : self.at]

    def _varint(self) -> int:
        value = shift = 0
        while True:
            octet = self._byte()
            value |= (octet & 0x7F) << shift
            if octet < 0x80:
                return value
            shift += 7

    def _zigzag(self) -> int:
        value = self._varint()
        return (value >> 1) ^ -(value & 1)
