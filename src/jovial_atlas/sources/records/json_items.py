"""Records of a whole JSON document: a list of objects, or an object that has one in it. Each record
is taken as it is written, so that all of them are never there as values."""

from __future__ import annotations

import json
from collections.abc import Generator, Iterator, Sequence
from pathlib import Path

import msgspec

from jovial_atlas import foreign
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.sources.records.numbered import Numbered, as_numbered, unpacked

#: Octets of records that are read together.
_PIECE = 4 << 20
#: So deep in a document lists are looked for.
_DEEPEST = 4
_BLANKS = bytes.maketrans(b"\r\n", b"  ")


def json_items(path: Path, items: str = "") -> Generator[Numbered]:
    """The records of a document with their numbers, from 1 on. `items` says where their list is, as
    names with dots between; "" where the document is that list, or has no other. Raises
    ContentError."""
    faults: list[Fault] = []
    found, done = _chosen(_document(path, faults), items, path), 0
    for some in _together(found):
        yield as_numbered(some, path, done, faults)
        done += len(some)
        faults = []
    if not done:
        yield as_numbered([], path, 0, faults)


def lists_in(path: Path) -> dict[str, int]:
    """The lists of objects in a document: where each is, and how many items it has. Raises
    ContentError."""
    return {where: len(found) for where, found in _lists(_document(path, []))}


def _document(path: Path, faults: list[Fault]) -> msgspec.Raw:
    try:
        with unpacked(path, faults) as stream:
            data = stream.read()
    except OSError as error:
        raise ContentError(f"{path} cannot be read ({error.strerror or error}).") from error
    encoding = json.detect_encoding(data[:4])
    if encoding != "utf-8":
        data = data.decode(encoding, "replace").encode()
    if data[:1].isspace():
        data = data.lstrip()
    try:
        return msgspec.json.decode(data, type=msgspec.Raw)
    except (msgspec.DecodeError, RecursionError):
        # Half of a pair of surrogates is read all the same; of all else it is said what is wrong.
        try:
            return msgspec.Raw(json.dumps(foreign.read_json(data)).encode())
        except (ValueError, RecursionError) as error:
            raise ContentError(f"{path} is no JSON: {error}.") from None


def _chosen(document: msgspec.Raw, items: str, path: Path) -> list[msgspec.Raw]:
    if items:
        value: msgspec.Raw | None = document
        for name in items.split("."):
            value = _fields(value).get(name) if value is not None else None
        if value is None or not _begins(value, b"["):
            raise ContentError(f"{path} holds no list of records under {items!r} (`items`).")
        return _items(value)
    found = dict(_lists(document))
    if len(found) == 1:
        return next(iter(found.values()))
    if not found:
        if _begins(document, b"[") and not _items(document):
            return []
        raise ContentError(f"{path} holds no list of records (objects).")
    names = ", ".join(f"{name} ({len(some):,})" for name, some in found.items())
    raise ContentError(
        f"{path} holds several lists of records: {names}. Name the one with the pages in its "
        f'[[source]], like items = "{next(iter(found))}".'
    )


def _lists(
    value: msgspec.Raw, where: str = "", depth: int = 0
) -> Iterator[tuple[str, list[msgspec.Raw]]]:
    """The lists of objects in a value, outermost ones only."""
    if _begins(value, b"["):
        items = _items(value)
        if any(_begins(one, b"{") for one in items):
            yield where, items
    elif depth < _DEEPEST:
        for name, inner in _fields(value).items():
            yield from _lists(inner, f"{where}.{name}" if where else name, depth + 1)


def _begins(value: msgspec.Raw, sign: bytes) -> bool:
    return bytes(memoryview(value)[:64]).lstrip()[:1] == sign


def _items(value: msgspec.Raw) -> list[msgspec.Raw]:
    return msgspec.json.decode(value, type=list[msgspec.Raw])


def _fields(value: msgspec.Raw) -> dict[str, msgspec.Raw]:
    return msgspec.json.decode(value, type=dict[str, msgspec.Raw]) if _begins(value, b"{") else {}


def _together(found: Sequence[msgspec.Raw]) -> Iterator[list[str]]:
    """The records as lines, some at a time."""
    some: list[str] = []
    size = 0
    for one in found:
        # A text of JSON has no line ends of its own: they stand between its values.
        line = bytes(one).translate(_BLANKS)
        some.append(f"{line.decode('utf-8', 'replace')}\n")
        size += len(line)
        if size > _PIECE:
            yield some
            some, size = [], 0
    if some:
        yield some
