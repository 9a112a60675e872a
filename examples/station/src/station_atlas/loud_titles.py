"""A check: titles in capitals."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from jovial_atlas.extend import AddedCheck, Check, CheckedHost, Fault


class LoudTitles(AddedCheck):
    """Tells of listed pages whose title has capitals only."""

    findings = (
        Check(
            "title-loud",
            "advice",
            "A title is all in capitals",
            "It is hard to read, and engines may write it anew.",
            "Write it as a sentence.",
        ),
    )

    def faults(self, host: CheckedHost) -> Iterator[Fault]:
        title = pl.col("title")
        loud = (title == title.str.to_uppercase()) & title.str.contains(r"\p{Lu}{4}")
        shown = host.pages.filter(pl.col("listed") & loud)
        for loc, text in shown.select("loc", "title").iter_rows():
            yield Fault("title-loud", loc, f"{text!r} shouts.")
