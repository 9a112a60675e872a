"""Whether records say that their pages are not to be found: drafts, by a flag or a status, and
noindex. Content systems export what they do not publish as well."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import polars as pl

#: Statuses of what is not public, as content systems call them, and a few languages.
NOT_PUBLIC = frozenset({
    "draft", "auto-draft", "pending", "pending review", "in review", "private", "hidden",
    "unpublished", "not published", "trash", "trashed", "deleted", "entwurf", "brouillon",
    "borrador", "rascunho", "bozza", "kladde", "utkast", "koncept", "szkic", "черновик",
})  # fmt: skip
#: Flags that say that a page is not public, and flags that say that it is.
_WITHHELD = ("draft", "is_draft", "isdraft", "hidden", "is_hidden", "unpublished")
_PUBLIC = ("published", "is_published", "ispublished")
_NOINDEX = ("noindex", "no_index")
_TRUE, _FALSE = ("true", "yes", "y", "on", "1", "t"), ("false", "no", "n", "off", "0", "f")
_STATUS = "status"


def may_withhold(have: Mapping[str, Any] | list[str], columns: Mapping[str, str]) -> bool:
    """Whether a table with such fields can say of pages that they are drafts."""
    named = {*_WITHHELD, *_PUBLIC, *(columns.get(name, name) for name in (*_PUBLIC, _STATUS))}
    return not named.isdisjoint(have)


def withheld(have: Mapping[str, pl.DataType], columns: Mapping[str, str]) -> pl.Expr | None:
    """Whether pages are drafts; None where no field can say so."""
    found = [_is(have[name], pl.col(name), _TRUE, 1) for name in _WITHHELD if name in have]
    # A day may stand elsewhere than the flag.
    public = dict.fromkeys(one for name in _PUBLIC for one in (name, columns.get(name, name)))
    found += [_is(have[name], pl.col(name), _FALSE, 0) for name in public if name in have]
    if (name := columns.get(_STATUS, _STATUS)) in have:
        if have[name] == pl.String:
            found.append(_plain(pl.col(name)).is_in([*sorted(NOT_PUBLIC), "false"]))
        else:  # switched off; no answer of a server has this number
            found.append(_is(have[name], pl.col(name), _FALSE, 0))
    return pl.any_horizontal(found).fill_null(False) if found else None


def directives(have: Mapping[str, pl.DataType], columns: Mapping[str, str]) -> pl.Expr | None:
    """What pages say to crawlers; None where no field can say so."""
    names = (columns.get("directives", "directives"), "robots")
    said = [pl.col(name).str.strip_chars() for name in names if have.get(name) == pl.String]
    words = pl.coalesce(pl.when(one != "").then(one) for one in said) if said else None
    flags = [_is(have[name], pl.col(name), _TRUE, 1) for name in _NOINDEX if name in have]
    if not flags:
        return words
    noindex = pl.any_horizontal(flags).fill_null(False)
    if words is None:
        return pl.when(noindex).then(pl.lit("noindex"))
    joined = pl.concat_str(words, pl.lit("noindex"), separator=", ", ignore_nulls=True)
    return pl.when(noindex).then(joined).otherwise(words)


def _is(kind: pl.DataType, column: pl.Expr, words: tuple[str, ...], number: int) -> pl.Expr:
    if kind == pl.Boolean:
        return column if number else ~column
    if kind == pl.String:
        return _plain(column).is_in(words)
    return column == number if kind.is_integer() else pl.lit(False)


def _plain(column: pl.Expr) -> pl.Expr:
    return column.str.strip_chars().str.to_lowercase()


def is_withheld(fields: Mapping[str, Any]) -> bool:
    """Whether the fields of one page say that it is a draft."""
    return any(_given(fields, _WITHHELD, _TRUE)) or any(_given(fields, _PUBLIC, _FALSE)) or (
        str(fields.get(_STATUS, "")).strip().lower() in (*NOT_PUBLIC, "false", "0")
    )  # fmt: skip


def is_flag(value: object) -> bool:
    """Whether a value is a flag, where others have a date."""
    return isinstance(value, bool) or str(value).strip().lower() in (*_TRUE, *_FALSE)


def is_noindex(fields: Mapping[str, Any]) -> bool:
    """Whether a field of one page says that it shall not be indexed."""
    return any(_given(fields, _NOINDEX, _TRUE))


def _given(
    fields: Mapping[str, Any], names: tuple[str, ...], words: tuple[str, ...]
) -> Iterator[bool]:
    for name in names:
        value = fields.get(name)
        if isinstance(value, (bool, str, int)):
            yield str(value).strip().lower() in words
