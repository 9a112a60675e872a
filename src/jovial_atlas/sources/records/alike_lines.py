"""Lines of JSON that are all written alike, as programs write them: the same fields in the same
order, with values of the same kinds. One regular expression tells such lines, and their values
stand between texts that are known; nothing is done line by line."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from functools import partial
from typing import Any, NamedTuple

import orjson
import polars as pl

from jovial_atlas.sources.records.records import columns_of

#: Lines at the beginning that are looked at to learn how all are written.
_LOOKED_AT = 200
#: Fields of a line, with those within, that are looked for at most: more make a large expression.
_MOST = 40
#: The least share of fields that hold lists: of others, few are read as fast one by one.
_LISTS = 1 / 3
#: Of so many lines one may be written otherwise.
_OTHERS = 8

_TEXT = r'"[^"\\\x00-\x1f]*"'
_WHOLE = r"(?:0|-?[1-9][0-9]{0,14})"
_BROKEN = r"-?(?:0|[1-9][0-9]{0,8})\.[0-9]{1,6}"
_TRUTH = r"(?:true|false)"


def _texts(comma: str) -> str:
    return rf"\[(?:{_TEXT}(?:{comma}{_TEXT})*)?\]"


#: Broken numbers as every program writes them that writes no sign too many.
_SHORTEST = (
    r"-?(?:[1-9][0-9]{0,7}\.(?:0|[0-9]{0,6}[1-9])"
    r"|0\.(?:[0-9]{0,3}[1-9]|[0-9]{0,3}[1-9][0-9]{0,2}[1-9]))"
)
#: A value within another; these are kept as they are written.
_INNER = rf"(?:{_TEXT}|{_WHOLE}|{_SHORTEST}|0\.0|{_TRUTH}|null|{_texts(',')})"


#: A name in which nothing is escaped.
_NAME = re.compile(r'[^"\\\x00-\x1f]*\Z')


class _Field(NamedTuple):
    """A field of all lines: its name, how its values are written, what makes a column of them, the
    names of fields within them, and whether they are lists."""

    name: str
    pattern: str
    column: Callable[[pl.Expr], pl.Expr]
    within: Collection[str] = ()
    is_list: bool = False


class _Form(NamedTuple):
    """How lines are written: their fields, and whether with a space after each colon and comma."""

    fields: list[_Field]
    spaced: bool

    @property
    def marks(self) -> list[str]:
        """What stands before each value."""
        colon, comma = (": ", ", ") if self.spaced else (":", ",")
        names = [f'"{one.name}"{colon}' for one in self.fields]
        return [f"{{{names[0]}", *(f"{comma}{name}" for name in names[1:])]

    @property
    def pattern(self) -> str:
        """A whole line."""
        parts = zip(self.marks, self.fields, strict=True)
        return rf"^{''.join(f'{_exactly(m)}(?:null|{one.pattern})' for m, one in parts)}\}}$"


class AlikeLines(NamedTuple):
    """Lines that are alike as a table; the places of those that are written otherwise, and their
    text."""

    table: pl.DataFrame
    others: pl.Series
    text: str


def alike_lines(text: str) -> AlikeLines | None:
    """Lines of JSON, the last without its end, most of which are alike; None where they are not, or
    where hardly any holds values within."""
    lines = pl.Series("line", [text]).str.split("\n").explode()
    form = _form_of(lines.head(_LOOKED_AT).to_list())
    if form is None:
        return None
    try:
        alike = lines.str.contains(form.pattern)
    except pl.exceptions.PolarsError:  # the expression is too large
        return None
    others = (~alike).arg_true()
    if others.len() > lines.len() // _OTHERS:
        return None
    if not others.len():
        return AlikeLines(_parted(lines, form), others, "")
    rest = "\n".join(lines.gather(others))
    return AlikeLines(_parted(lines.filter(alike), form), others, rest)


def _parted(lines: pl.Series, form: _Form) -> pl.DataFrame:
    """The values of lines that are alike, in columns."""
    first, *marks = form.marks
    rest = lines.str.slice(len(first)).str.head(-1)
    written = []
    for mark in marks:
        # Nothing within a value is written so.
        parts = rest.str.splitn(mark, 2)
        written.append(parts.struct.field("field_0"))
        rest = parts.struct.field("field_1")
    table = pl.DataFrame([one.alias(str(n)) for n, one in enumerate((*written, rest))])
    return table.select(
        pl.when(pl.col(str(n)) != "null").then(one.column(pl.col(str(n)))).alias(one.name)
        for n, one in enumerate(form.fields)
    )


def _form_of(lines: Sequence[str]) -> _Form | None:
    """How lines are written, by some of them."""
    try:
        records = orjson.loads(f"[{','.join(lines)}]")
    except ValueError:
        return None
    if len(records) != len(lines) or set(map(type, records)) != {dict} or not records[0]:
        return None
    columns = columns_of(records)
    if not all(map(_NAME.match, columns)):
        return None
    spaced = lines[0].startswith(f'{{"{next(iter(columns))}": ')
    fields = [_field(name, values, spaced=spaced) for name, values in columns.items()]
    known = [one for one in fields if one is not None]
    within = [name for one in known for name in one.within]
    lists = sum(one.is_list for one in known)
    if len(known) < len(fields) or {*within} & {*columns} or len(within) + len(columns) > _MOST:
        return None
    return _Form(known, spaced) if within or lists >= _LISTS * len(columns) else None


def _exactly(text: str) -> str:
    """A pattern for a text."""
    return "".join(one if one.isalnum() else f"\\x{{{ord(one):x}}}" for one in text)


def _field(name: str, values: Sequence[Any], *, spaced: bool) -> _Field | None:
    kinds = frozenset(map(type, values)) - {type(None)}
    if not kinds:
        return _Field(name, "null", _bare)
    if kinds == {dict}:
        # What is kept as it is written has no spaces.
        inner = next(one for one in values if one is not None)
        return None if spaced else _object(name, inner)
    if kinds == {list}:
        comma = ", " if spaced else ","
        if any(type(part) is not str for one in values if one for part in one):
            return None
        return _Field(name, _texts(comma), partial(_list, comma=comma), is_list=True)
    return next((_Field(name, *how) for known, how in _KINDS.items() if kinds <= known), None)


def _object(name: str, value: Mapping[str, Any]) -> _Field | None:
    """A field of objects with the fields of this one, which are kept as they are written."""
    if not all(map(_NAME.match, value)):
        return None
    inner = ",".join(f"{_exactly(_named(one))}:{_INNER}" for one in value)
    return _Field(name, rf"\{{{inner}\}}", _bare, tuple(value))


def _named(name: str) -> str:
    return f'"{name}"'


def _bare(written: pl.Expr) -> pl.Expr:
    return written


def _text(written: pl.Expr) -> pl.Expr:
    return written.str.slice(1).str.head(-1)


def _number(written: pl.Expr, kind: type[pl.DataType]) -> pl.Expr:
    return written.cast(kind, strict=False)


def _truth(written: pl.Expr) -> pl.Expr:
    return written == "true"


def _list(written: pl.Expr, comma: str) -> pl.Expr:
    parts = written.str.slice(2).str.head(-2).str.split(f'"{comma}"')
    return pl.when(written != "[]").then(parts).otherwise(pl.lit([], pl.List(pl.String)))


_KINDS: dict[frozenset[type], tuple[str, Callable[[pl.Expr], pl.Expr]]] = {
    frozenset({str}): (_TEXT, _text),
    frozenset({bool}): (_TRUTH, _truth),
    frozenset({int}): (_WHOLE, partial(_number, kind=pl.Int64)),
    frozenset({int, float}): (rf"(?:{_WHOLE}|{_BROKEN})", partial(_number, kind=pl.Float64)),
}
