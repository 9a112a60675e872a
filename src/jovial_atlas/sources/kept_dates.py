"""Dates that no page says itself do not move by themselves: a file's own time, or that of a
server's answer, counts only where the content is another one than in the survey before."""

from __future__ import annotations

from typing import NamedTuple

import polars as pl

from jovial_atlas.pages.row import PageRow


class KeptDate(NamedTuple):
    """A page of the survey before: its content, its bytes, its date and from where that was."""

    fingerprint: str | None
    digest: str | None
    lastmod: str | None
    lastmod_from: str | None


def kept_dates(before: pl.LazyFrame | None) -> dict[str, KeptDate]:
    """Address → date, of a table `loc, fingerprint, digest, lastmod, lastmod_from`."""
    if before is None:
        return {}
    rows = before.collect(engine="streaming").iter_rows()
    return {loc: KeptDate(*about) for loc, *about in rows}


def keep_date(row: PageRow, before: dict[str, KeptDate], *, by_content: bool) -> None:
    """A file's own date says nothing where its bytes are as they were, however they are read now:
    other settings and another version of this tool change no page. Nor does it, `by_content`, where
    the main content is: a rebuild touches every file, a new footer changes every page, and neither
    is news."""
    had = before.get(row["loc"])
    if had is None or row["lastmod_from"] != "file":
        return
    same = had.digest is not None and had.digest == row.get("digest")
    if (same or (by_content and had.fingerprint == row["fingerprint"])) and had.lastmod:
        row["lastmod"], row["lastmod_from"] = had.lastmod, had.lastmod_from
    elif by_content:
        row["lastmod_from"] = "fingerprint"
