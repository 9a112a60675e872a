"""Records of a whole JSON document: a list of objects, or an object that has one in it; where there
is none, objects that stand in one by their names, which become their field `key`. Each record is
taken as it is written, so that all of them are never there as values."""

from __future__ import annotations

import json
from collections.abc import Generator, Iterator, Mapping, Sequence
from itertools import islice
from pathlib import Path

import msgspec

from jovial_atlas import foreign
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.sources.records.numbered import Numbered, as_numbered, unpacked

#: Octets of records that are read together.
_PIECE = 4 << 20
#: Of so many objects that stand by their names the fields are compared, to know whether they are
#: records: alike, but for so much of them.
_COMPARED, _ALIKE = 20, 0.5
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
    return {where: len(some) for where, some in _found(_document(path, [])).items()}


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
        if value is not None and _begins(value, b"["):
            return _items(value)
        if value is not None and (records := _named(_fields(value))):
            return records
        raise ContentError(f"{path} holds no list of records under {items!r} (`items`).")
    found = _found(document)
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


def _found(document: msgspec.Raw) -> dict[str, list[msgspec.Raw]]:
    """The lists of objects in a document, by where they are, outermost ones only; where there is
    none, the objects that stand in others by their names, as many such."""
    lists: dict[str, list[msgspec.Raw]] = {}
    named: dict[str, list[msgspec.Raw]] = {}
    _look_into(document, "", 0, lists, named)
    return lists or named


def _look_into(
    value: msgspec.Raw,
    where: str,
    depth: int,
    lists: dict[str, list[msgspec.Raw]],
    named: dict[str, list[msgspec.Raw]],
) -> None:
    if _begins(value, b"["):
        items = _items(value)
        if any(_begins(one, b"{") for one in items):
            lists[where] = items
        return
    inner = _fields(value)
    if records := _named(inner):
        named[where] = records
        if len(inner) >= _COMPARED:
            return  # lists that they have are their own
    if depth < _DEEPEST:
        below = {} if records else named
        for name, one in inner.items():
            _look_into(one, f"{where}.{name}" if where else name, depth + 1, lists, below)


def _named(inner: Mapping[str, msgspec.Raw]) -> list[msgspec.Raw]:
    """Several objects that are alike, with their names as `key`; none where they are not."""
    if len(inner) < 2 or not all(_begins(one, b"{") for one in inner.values()):
        return []
    some = [set(_fields(one)) for one in islice(inner.values(), _COMPARED)]
    if len(set.intersection(*some)) < max(1, _ALIKE * max(map(len, some))):
        return []
    return list(map(_with_key, inner, inner.values()))


def _with_key(name: str, record: msgspec.Raw) -> msgspec.Raw:
    fields = bytes(record).lstrip()[1:].lstrip()
    if b'"key"' in fields and "key" in _fields(record):
        return record
    between = b"" if fields.startswith(b"}") else b","
    return msgspec.Raw(b'{"key":' + msgspec.json.encode(name) + between + fields)


def _begins(value: msgspec.Raw, sign: bytes) -> bool:
    data = memoryview(value)
    return data[:1] == sign or bytes(data[:64]).lstrip()[:1] == sign


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
