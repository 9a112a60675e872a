"""Other spellings of the address of a page: a folder with and without its slash, or by the name of
its index file. Servers give the same page for all of them, or send visitors on to one."""

from __future__ import annotations

import re
from collections.abc import Sequence

import polars as pl

#: Files that servers give for a folder.
_INDEX_FILES = ("index.html", "index.htm", "index.php")
_INDEX = rf"/(?:{'|'.join(map(re.escape, _INDEX_FILES))})$"
#: The last part of an address that names no file and has no query.
_NO_FILE = r"/[^/.?]+$"


def other_spellings(loc: pl.Expr) -> list[pl.Expr]:
    """For a column of addresses the other ones that each may have; null where it has none."""
    folder = (
        pl.when(loc.str.ends_with("/"))
        .then(loc)
        .when(loc.str.contains(_INDEX))
        .then(loc.str.replace(_INDEX, "/"))
        .when(loc.str.contains(_NO_FILE))
        .then(loc + "/")
    )
    return [folder, folder.str.strip_suffix("/"), *(folder + name for name in _INDEX_FILES)]


def all_spellings(loc: str) -> Sequence[str]:
    """An address and its other spellings, without encryption too."""
    one = pl.DataFrame({"loc": [loc]})
    found = one.select(pl.concat_list("loc", *other_spellings(pl.col("loc"))).list.drop_nulls())
    secure: list[str] = found.item().to_list()
    return [*secure, *(f"http{each.removeprefix('https')}" for each in secure)]
