"""Links that lead wrong, brought together by what they lead to: each target once, with all pages
that lead there; what is wrong in the layout of many pages is one fault."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import polars as pl

from jovial_atlas.linking.states import LEADS_WRONG, LinkState

#: From so many pages on a link outside the content is one of the layout.
_LAYOUT_PAGES = 5
#: Links in the content that may be among them: pages that show the same in another manner.
_FEW = 0.1


@dataclass(frozen=True, slots=True)
class LinkedFrom:
    """A link that leads wrong: the page that has it, its text and its place."""

    loc: str
    text: str | None
    place: str | None
    written: str | None = None


@dataclass(frozen=True, slots=True)
class BrokenLink:
    """A target that links lead wrong to. `of` is what it is: link, picture, script and so on.
    `final` is where a redirect ends, `known_as` the address of the page where that is another.
    `pages` counts those that lead there; `in_layout`: all do by their layout, so one place is to
    be mended."""

    target: str
    state: LinkState
    of: str
    status: int | None
    final: str | None
    known_as: str | None
    pages: int
    in_layout: bool
    links: list[LinkedFrom]


def broken_links(stated: pl.LazyFrame) -> list[BrokenLink]:
    """The links with a state that is told, by target: worst first, then those of most pages.
    `stated` is what `link_states` gives."""
    told = stated.filter(pl.col("state").is_in([str(one) for one in LEADS_WRONG])).with_columns(
        target=pl.when(pl.col("state") == str(LinkState.FRAGMENT))
        .then(pl.concat_str("target", pl.lit("#"), "fragment"))
        .otherwise(pl.col("target"))
    )
    columns = ("page", "text", "place", "written")
    grouped = (
        told.group_by("target", "state", "kind")
        .agg(
            pl.col("status", "final", "known_as").first(),
            pages=pl.col("page").n_unique(),
            in_content=(pl.col("place") == "content").sum(),
            links=pl.struct(columns).sort_by("page"),
        )
        .collect(engine="streaming")
        .sort(["state", "pages", "target", "kind"], descending=[False, True, False, False])
    )
    return [_one(row) for row in grouped.iter_rows(named=True)]


def _one(row: dict[str, Any]) -> BrokenLink:
    links, pages, in_content = row["links"], row["pages"], row["in_content"]
    loaded = row["kind"] in ("script", "style")
    return BrokenLink(
        target=str(row["target"]), state=LinkState(str(row["state"])), of=str(row["kind"]),
        status=row["status"], final=row["final"], known_as=row["known_as"],
        pages=pages,
        in_layout=pages >= _LAYOUT_PAGES and (loaded or in_content <= _FEW * len(links)),
        links=[LinkedFrom(one["page"], one["text"], one["place"], one["written"]) for one in links],
    )  # fmt: skip
