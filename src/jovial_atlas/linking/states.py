"""What becomes of those who follow a link: the state of each target, held against the pages of the
site and the files that lie beside them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from enum import StrEnum

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.linking.spellings import other_spellings


class LinkState(StrEnum):
    """How a link stands, the worst first; `OUTSIDE` leads to another site, `UNKNOWN` to what
    cannot be seen from here."""

    TEMPORARY = "temporary"
    MISSING = "missing"
    MIXED = "mixed"
    INSECURE = "insecure"
    REDIRECTS = "redirects"
    FRAGMENT = "fragment"
    BARRED = "barred"
    NOINDEX = "noindex"
    CANONICAL = "canonical"
    SPELLING = "spelling"
    GOOD = "good"
    OUTSIDE = "outside"
    UNKNOWN = "unknown"


#: States that are told.
LEADS_WRONG = tuple(LinkState)[: tuple(LinkState).index(LinkState.GOOD)]
#: States that only pages can be in, not what pages load.
_OF_PAGES = [str(LinkState[one]) for one in ("BARRED", "NOINDEX", "CANONICAL", "SPELLING")]
#: Kinds of thing that a page loads by itself.
LOADED = ("frame", "picture", "script", "style", "film", "file")
#: Redirects that are followed one after another.
_MOST_STEPS = 10
#: Fragments that mean the beginning of a page, or are meant for scripts and for browsers
#: themselves (HTML §7.4.6.4, URL Fragment Text Directives).
_NOT_A_NAME = r"(?i)^(?:top$|:~:|[!/?])|:~:"
#: Lines of a text from one on, where each line has a name: listings mark all of them.
_RANGE = r"^([A-Za-z]{0,5}-?\d+)[-:,][A-Za-z]{0,5}-?\d+$"
STATES = pl.Enum([str(one) for one in LinkState])


@dataclass(frozen=True)
class LinkSurroundings:
    """What targets are held against. `pages`: the decided page table (`loc, status, kind,
    redirect, send_to, canonical, index, decided_by`). `exists` says whether there may be something
    at an address that is no page; `origins` are those of the site; `temporary` are hosts on which
    it stands for a time."""

    pages: pl.LazyFrame
    exists: Callable[[str], bool]
    origins: Sequence[str]
    temporary: Collection[str] = ()
    #: Where an address that is no page was moved to; "" where nowhere.
    moved: Callable[[str], str] = lambda _address: ""


def target_states(targets: pl.Series, around: LinkSurroundings) -> pl.DataFrame:
    """The state of each of some addresses as `target, state, status, final, known_as`: the HTTP
    status where it is known; where a redirect leads in the end; and the page that it is, where
    that is called otherwise."""
    known = _as_pages(targets.unique().drop_nulls().alias("target"), around)
    rows = known.filter(pl.col("loc").is_not_null())
    page = rows.with_columns(final=_final(rows, around)).with_columns(
        state=_of_page(), known_as=pl.when(pl.col("loc") != pl.col("target")).then("loc")
    )
    rest = known.filter(pl.col("loc").is_null())["target"]
    others = [_of_other(one, around) for one in rest]
    finals = [around.moved(one) if state == LinkState.MISSING else "" for one, state in
              zip(rest, others, strict=True)]  # fmt: skip
    led = pl.Series("final", [final or None for final in finals], pl.String)
    states = pl.Series("state", others, pl.String)
    other = pl.DataFrame([rest, states, led]).with_columns(
        state=pl.when(pl.col("final").is_not_null())
        .then(pl.lit(LinkState.REDIRECTS))
        .otherwise("state")
    )
    names = ("target", "state", "status", "final", "known_as")
    blank = {"status": pl.Int16, "known_as": pl.String}
    other = other.with_columns(pl.lit(None, kind).alias(name) for name, kind in blank.items())
    columns = [pl.col(name) if name != "state" else pl.col("state").cast(STATES) for name in names]
    return pl.concat([page.select(columns), other.select(columns)]).sort("target")


def _as_pages(targets: pl.Series, around: LinkSurroundings) -> pl.DataFrame:
    """The pages that addresses lead to: the one with that address, else the one that a server
    gives for it as well (with http, without an index file, with a slash at the end)."""
    secure = pl.col("target").str.replace("^http://", "https://")
    ways = [pl.col("target"), secure, *other_spellings(secure)]
    spellings = {f"{number:02}": way for number, way in enumerate(ways)}
    spelled = targets.to_frame().with_columns(**spellings)
    long = spelled.unpivot(on=list(spellings), index="target", variable_name="how",
                           value_name="loc").drop_nulls("loc")  # fmt: skip
    pages = around.pages.select(
        "loc", "status", "kind", "redirect", "send_to", "canonical", "index", "decided_by"
    )
    found = pages.join(long.lazy(), on="loc", how="inner").collect(engine="streaming")
    first = found.sort("target", "how").unique("target", keep="first", maintain_order=True)
    return targets.to_frame().join(first, on="target", how="left")


def _of_page() -> pl.Expr:
    other = pl.col("canonical").is_not_null() & (pl.col("canonical") != pl.col("loc"))
    sent = pl.col("redirect").is_not_null() | pl.col("send_to").is_not_null()
    return (
        pl.when((pl.col("status") >= 400).fill_null(False))
        .then(pl.lit(LinkState.MISSING))
        .when(pl.col("target").str.starts_with("http://") & pl.col("loc").str.starts_with("https"))
        .then(pl.lit(LinkState.INSECURE))
        .when(sent.fill_null(False))
        .then(pl.lit(LinkState.REDIRECTS))
        .when(pl.col("decided_by") == "robots.txt")
        .then(pl.lit(LinkState.BARRED))
        .when(~pl.col("index").fill_null(True))
        .then(pl.lit(LinkState.NOINDEX))
        .when(other.fill_null(False))
        .then(pl.lit(LinkState.CANONICAL))
        .when(pl.col("loc") != pl.col("target"))
        .then(pl.lit(LinkState.SPELLING))
        .otherwise(pl.lit(LinkState.GOOD))
    )


def _final(rows: pl.DataFrame, around: LinkSurroundings) -> pl.Series:
    """Where those who follow a link come to in the end; null where that is at once, or never."""
    sent = pl.coalesce("send_to", "redirect")
    moved = around.pages.filter(sent.is_not_null()).select("loc", to=sent)
    onward = dict(moved.collect(engine="streaming").iter_rows())

    def end(loc: str) -> str | None:
        at, seen = loc, {loc}
        for _ in range(_MOST_STEPS):
            if at not in onward:
                return at
            at = onward[at]
            if at in seen:
                return None
            seen.add(at)
        return None

    finals = [end(loc) if loc in onward else None for loc in rows["loc"]]
    return pl.Series("final", finals, pl.String)


def _of_other(target: str, around: LinkSurroundings) -> LinkState:
    """The state of an address that is no page of the survey."""
    origin = addresses.origin(target)
    host = origin.partition("://")[2]
    if origin in around.origins:
        return LinkState.GOOD if around.exists(target) else LinkState.MISSING
    if host in around.temporary or host.partition(":")[0] in around.temporary:
        return LinkState.TEMPORARY
    if addresses.is_local(origin) and not any(map(addresses.is_local, around.origins)):
        return LinkState.TEMPORARY
    if f"https://{host}" in around.origins:
        there = around.exists(f"https{target.removeprefix('http')}")
        return LinkState.INSECURE if there else LinkState.MISSING
    return LinkState.OUTSIDE


def link_states(links: pl.LazyFrame, states: pl.DataFrame, names: pl.LazyFrame) -> pl.LazyFrame:
    """Links (as `reading.READ_COLUMNS`) with what becomes of those who follow them, as the columns
    of `target_states`. `names` are the names inside pages, as `page, fragment`, with a row without
    a fragment for each page that was read."""
    told = links.join(states.lazy(), on="target", how="left", maintain_order="left")
    asked = told.filter(
        pl.col("fragment").is_not_null(),
        ~pl.col("fragment").str.contains(_NOT_A_NAME),
        pl.col("kind") == "link",
        pl.col("state").is_in([str(LinkState.GOOD), str(LinkState.SPELLING)]),
    ).select(
        page=pl.coalesce("known_as", "target"),
        fragment="fragment",
        begins=pl.col("fragment").str.extract(_RANGE),
        target="target",
    )
    read = names.filter(pl.col("fragment").is_null()).select("page")
    unnamed = (
        asked.unique()
        .join(read, on="page", how="semi")
        .join(names, on=["page", "fragment"], how="anti")
        .join(names, left_on=["page", "begins"], right_on=["page", "fragment"], how="anti")
        .select("target", "fragment", unnamed=pl.lit(True))
    )
    mixed = (
        pl.col("kind").is_in(LOADED)
        & pl.col("target").str.starts_with("http://")
        & pl.col("page").str.starts_with("https://")
    )
    worse = pl.col("state").is_in([str(LinkState.TEMPORARY), str(LinkState.MISSING)])
    return told.join(
        unnamed, on=["target", "fragment"], how="left", maintain_order="left"
    ).with_columns(
        state=pl.when(mixed & ~worse)
        .then(pl.lit(LinkState.MIXED))
        .when(pl.col("kind").is_in(LOADED) & pl.col("state").is_in(_OF_PAGES))
        .then(pl.lit(LinkState.GOOD))
        .when("unnamed")
        .then(pl.lit(LinkState.FRAGMENT))
        .otherwise(pl.col("state"))
        .cast(STATES)
    ).drop("unnamed")  # fmt: skip
