"""The first thing to know of a site: whether it hides all of itself, and whether its address is one
that the public can reach. One function says it, for the survey, the build, the check, the
announcement and the status alike.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.findings.entry import Severity
from jovial_atlas.findings.registry import CHECKS
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.rules import barred, deciding_crawlers
from jovial_atlas.sitefile import SiteFile

#: From this share of noindexed pages on, the site as a whole counts as hidden.
HIDDEN_SHARE = 0.9


class ShownCounts(msgspec.Struct, frozen=True):
    """How many pages a site has (error pages are none), how many of them may not be indexed, and
    how many are listed; whether its home page may be indexed, None where it is not known."""

    pages: int
    noindexed: int
    listed: int
    home: bool | None = None


def shown_by(decided: pl.LazyFrame | pl.DataFrame, site: SiteFile) -> ShownCounts:
    """The counts of a page table with verdicts, in one pass over it."""
    (row,) = decided.lazy().select(counting(site)).collect(engine="streaming").to_dicts()
    return shown_of([row])


def counting(site: SiteFile) -> list[pl.Expr]:
    """What `shown_of` needs, as expressions over rows with verdicts."""
    page = pl.col("kind").fill_null("page") != "error"
    home = pl.col("loc") == f"{site.model.site.url}/"
    return [
        page.sum().alias("_pages"),
        (page & ~pl.col("index")).sum().alias("_noindexed"),
        pl.col("listed").sum().alias("_listed"),
        home.any().alias("_home"),
        (home & ~pl.col("index")).any().alias("_home_hidden"),
    ]


def shown_of(rows: Sequence[dict[str, object]]) -> ShownCounts:
    """The counts from one or more rows of `counting`, as of sections."""

    def total(name: str) -> int:
        return sum(int(str(row[name] or 0)) for row in rows)

    known = any(row["_home"] for row in rows)
    hidden = any(row["_home_hidden"] for row in rows)
    return ShownCounts(
        total("_pages"), total("_noindexed"), total("_listed"), not hidden if known else None
    )


def whole_site(
    site: SiteFile, shown: ShownCounts, robots: RobotsFile, pages: pl.LazyFrame | pl.DataFrame
) -> Iterator[Fault]:
    """What keeps the whole site from being found, gravest first. `robots` is the robots.txt that
    counts, `pages` the page table, of which addresses are read where it matters."""
    about = site.model.site
    home = f"{about.url}/"
    if about.stage == "draft":
        yield Fault("site-draft", home, 'stage = "draft": robots.txt hides everything.')
        return
    if reason := temporary(site):
        yield Fault("site-temporary", home, f"{about.url} is a temporary host: {reason}.")
    where = f"{about.url}/robots.txt"
    crawlers = sorted(site.crawlers)
    yield from robots_hide(robots, where, lambda: _all_barred(robots, pages, crawlers), crawlers)
    if shown.pages and shown.noindexed >= HIDDEN_SHARE * shown.pages:
        of = f"{shown.noindexed:,} of {plural(shown.pages, 'page')}"
        yield Fault("site-hidden-noindex", home, f"{of} may not be indexed.")
    elif shown.home is False:
        yield Fault("site-hidden-noindex", home, "The home page may not be indexed.")
    if shown.pages and not shown.listed:
        yield Fault("nothing-listed", home, f"None of {plural(shown.pages, 'page')} is listed.")


def first_word(faults: Iterator[Fault]) -> str:
    """The gravest of them, with what to do, in a line; "" where there is nothing to say first."""
    for fault in faults:
        check = CHECKS[fault.code]
        if check.severity == Severity.BLOCKER or fault.code == "site-draft":
            return f"{_WORDS.get(fault.code, '')}{fault.message} {check.fix}"
    return ""


#: What stands before the message where it is the first that is said.
_WORDS = {
    "site-draft": "The site is a draft: robots.txt hides all of it and no sitemap is written. ",
    "site-hidden-robots": "The site hides itself: robots.txt bars every crawler. ",
    "site-hidden-noindex": "The site hides itself: ",
}


def temporary(site: SiteFile) -> str:
    """Why the site's address is none for the public, as a sentence without its dot; "" where it
    is one."""
    url = site.model.site.url
    if url in site.model.site.other_hosts:
        return "it is among `other_hosts`"
    return addresses.why_local(url)


def robots_hide(
    robots: RobotsFile,
    where: str,
    barred_all: Callable[[], bool] | None = None,
    crawlers: Sequence[str] = (),
) -> Iterator[Fault]:
    """Whether a robots.txt bars crawlers from the home page and from every page there is.

    `barred_all` tells whether all pages are barred; without it, a file that allows anything at
    all hides nothing. `crawlers` are those of the site's engines.
    """
    agents = deciding_crawlers(robots, crawlers)
    answers = [Matcher(robots, agent).ask("/") for agent in agents]
    if any(one.allowed for one in answers):
        return
    rule = answers[0].rule
    if barred_all is None:
        hides = not any(one.allow for agent in agents for one in Matcher(robots, agent).rules)
    else:
        hides = barred_all()
    if hides and rule:
        line = f"line {rule.line}, " if rule.line else ""
        said = f"{line}{str(rule)!r} bars every crawler from every page."
        yield Fault("site-hidden-robots", where, said)


def _all_barred(
    robots: RobotsFile, pages: pl.LazyFrame | pl.DataFrame, crawlers: Sequence[str]
) -> bool:
    path = pl.col("loc").str.replace("^https?://[^/]+", "")
    closed = barred(robots, path, deciding_crawlers(robots, crawlers))
    if closed is None:
        return False
    return bool(pages.lazy().select(closed.all()).collect(engine="streaming").item())
