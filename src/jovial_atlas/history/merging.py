"""Taking one change out of a text that others changed since: line by line, or by larger pieces
where lines do not do; in tables cell by cell, since one more column changes every line."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher
from itertools import takewhile

from merge3 import Merge3

from jovial_atlas import delimited

_Lines = list[bytes]
#: Key of a row → column → cell; and the columns.
_Cells = tuple[dict[str, dict[str, str]], list[str]]


@dataclass(frozen=True, slots=True)
class Clash:
    """Where a change cannot be taken out, since a later one touches the same: the line, from 1 (0
    where it is not known), and what stands there now."""

    line: int
    text: str


def taken_out(
    before: bytes | None,
    after: bytes | None,
    now: bytes | None,
    parted: Callable[[bytes], _Lines] | None = None,
    *,
    table: bool = False,
) -> bytes | Clash | None:
    """A text as it is `now` without the change that made `after` of `before`; None stands for no
    file. What the change did not touch stays as it is. `parted` gives the pieces of a text that
    may be known by themselves; a `table` is one of cells, its rows known by their first."""
    if now == after:
        return before
    if now == before:
        return now
    texts = [text or b"" for text in (before, after, now)]
    cells = [one for text in texts if table and (one := _cells(text)) is not None]
    if len(cells) == len(texts):
        done = _merged_cells(*cells)
        return Clash(0, "") if done is None else done
    merged = _merged_lines(*(text.splitlines(keepends=True) for text in texts))
    if isinstance(merged, Clash) and parted:
        whole = _merged_units(*(parted(text) for text in texts))
        return merged if whole is None else whole
    return merged


def _merged_lines(old: _Lines, new: _Lines, now: _Lines) -> bytes | Clash:
    # What all begin and end with need not be compared: tables have many rows and few changes.
    start = _alike(zip(old, new, now, strict=False))
    rest = [one[start:] for one in (old, new, now)]
    end = _alike(zip(*(reversed(one) for one in rest), strict=False))
    was, became, current = (one[: len(one) - end] for one in rest)
    result, line = list(now[:start]), start + 1
    for group in Merge3(became, current, was).merge_groups():
        if group[0] == "conflict":
            there = next(iter(group[2]), b"")
            return Clash(line, there.decode("utf-8", "replace").strip())
        result += group[1]
        line += len(group[1]) if group[0] != "b" else 0
    return b"".join([*result, *rest[2][len(rest[2]) - end :]])


def _merged_units(old: _Lines, new: _Lines, now: _Lines) -> bytes | None:
    """As `_merged_lines`, of larger pieces that are known wherever they stand; None where one that
    the change made is another now."""
    result = list(now)
    operations = SequenceMatcher(None, new, old, autojunk=False).get_opcodes()
    for kind, first, last, come, until in reversed(operations):
        if kind == "equal":
            continue
        gone, comes = new[first:last], old[come:until]
        at = _found(result, gone) if gone else _place(result, new[:first], new[first:])
        if at is None:
            return None
        result[at : at + len(gone)] = comes
    return b"".join(result)


def _place(pieces: _Lines, earlier: _Lines, later: _Lines) -> int:
    """Where something belongs that stood between others: after the nearest that is there still."""
    for one in reversed(earlier):
        if one.strip() and one in pieces:
            at = pieces.index(one) + 1
            return at + _alike((piece.strip(), b"") for piece in pieces[at:])
    return next((pieces.index(one) for one in later if one.strip() and one in pieces), len(pieces))


def _found(pieces: _Lines, wanted: _Lines) -> int | None:
    """Where some pieces stand among others, one after the other."""
    places = range(len(pieces) - len(wanted) + 1)
    return next((at for at in places if pieces[at : at + len(wanted)] == wanted), None)


def _alike(lines: Iterator[tuple[bytes, ...]]) -> int:
    return sum(1 for _ in takewhile(lambda same: len(set(same)) == 1, lines))


def _cells(data: bytes) -> _Cells | None:
    """A table by the first cell of each row; None where rows have no such key of their own."""
    rows = [cells for _, cells, wrong in delimited.rows(delimited.decoded(data)[0]) if not wrong]
    if not rows:
        return {}, []
    header = rows[0]
    found = {row[0]: dict(zip(header, row, strict=False)) for row in rows[1:]}
    return (found, header) if len(found) == len(rows) - 1 else None


def _merged_cells(old: _Cells, new: _Cells, now: _Cells) -> bytes | None:
    """The table without the change; None where a later change touches the same cells."""
    columns = [*now[1], *(name for name in old[1] if name not in now[1])]
    result = {key: dict(row) for key, row in now[0].items()}
    for key in {**old[0], **new[0]}:
        was, became = old[0].get(key, {}), new[0].get(key, {})
        for name in columns:
            before, after = was.get(name, ""), became.get(name, "")
            current = result.get(key, {}).get(name, "")
            if before == after or current == before:
                continue
            if current != after:
                return None
            result.setdefault(key, {})[name] = before
    rows = [row for row in result.values() if row.get(columns[0])]
    if list(now[0]) == sorted(now[0]):
        rows.sort(key=lambda row: row[columns[0]])
    kept = [name for name in columns if name in old[1] or any(row.get(name) for row in rows)]
    stream = io.StringIO()
    writer = csv.DictWriter(stream, kept, lineterminator="\n", extrasaction="ignore", restval="")
    writer.writeheader()
    writer.writerows(rows)
    return stream.getvalue().encode()
