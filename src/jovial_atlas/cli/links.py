"""`links`: what leads where, what leads nowhere, what should lead where."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command, bundled
from jovial_atlas.cli.explained import OverviewFirst, command_group
from jovial_atlas.cli.findings import SEVERITIES, FindingsShown, fail_on_option, give_findings
from jovial_atlas.cli.links_proposed import propose, rules
from jovial_atlas.cli.links_shown import show_overview
from jovial_atlas.cli.names import PAGE_NAME

if TYPE_CHECKING:
    import polars as pl

    from jovial_atlas.findings import Finding
    from jovial_atlas.rounds.proving.links import SiteLinks

_OUTSIDE = ("hosts", "most", "minutes", "pause", "again", "timeout")


@command_group("links", cls=OverviewFirst, examples=("links", "links to /events/"))
def command() -> None:
    """What leads where: all links of the site in a few lines, links to and from a page, links that
    lead nowhere. Without a command: the overview."""


_workers = click.option(
    "--workers", type=click.IntRange(0), help="Processes that read pages. Default: one a core."
)


@atlas_command(
    "overview",
    state="reads",
    formats=FORMATS,
    examples=("links overview", "links overview --format json"),
)
@click.option("--figures", type=click.Path(dir_okay=False), metavar="FILE",
              help="Draw depth and sections as well, .png or .svg.")  # fmt: skip
@click.option("--all", "show_all", is_flag=True, help="Show every page, not the first few.")
@_workers
def overview(work: Work, figures: str | None, show_all: bool, workers: int | None) -> int:
    """All links of the site: how far pages are from the start, which ones nothing leads to, which
    lead nowhere, and what is broken; worst first, with what to do."""
    links = _links(work, workers)
    told, broken = links.overview(), links.broken()
    if figures:
        from pathlib import Path

        from jovial_atlas.rounds.telling.links_figures import draw_links

        draw_links(told, links, Path(figures))
        work.output.note(f"Depth and sections are drawn in {figures}.")
    if work.output.format == "json":
        from jovial_atlas.rounds.proving.links_told import overview_as_json

        work.output.json(overview_as_json(told, broken))
    else:
        show_overview(work.output, told, broken, links.site.model.site.url, show_all=show_all)
    return 0


def _links(work: Work, workers: int | None) -> SiteLinks:
    from jovial_atlas.rounds.proving.links import SiteLinks
    from jovial_atlas.rounds.state.last_survey import last_survey

    return SiteLinks(last_survey(work.site(), work.now()), workers)


#: Rows of a table that are shown unless all are asked for.
_MOST_ROWS = 100
_ROW = ("page", "target", "fragment", "text", "place", "state", "final", "nofollow")


@atlas_command(
    "to",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("links to /events/", "links to /events/ --all"),
)
@click.argument("page", type=PAGE_NAME, metavar="PAGE")
@click.option("--all", "show_all", is_flag=True,
              help="Show every link, and each page that has it in its layout.")  # fmt: skip
@_workers
def links_to(work: Work, page: str, show_all: bool, workers: int | None) -> int:
    """Show the links to a page: where each stands, and what it is called. PAGE is an address or a
    path; it need not be a page of the site."""
    from jovial_atlas.rounds.proving.links import texts_of

    loc, rows = _links_towards(page, _links(work, workers))
    if work.output.is_table and (called := texts_of(rows)):
        told = "; ".join(f"“{text}” ({count:,})" for text, count in called[:5])
        more = f"; and {len(called) - 5:,} other texts" if len(called) > 5 else ""
        work.output.indented("called", told + more, indent=0)
    _show(work, rows, "page", loc, show_all=show_all)
    return 0


@atlas_command(
    "from",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("links from /events/", "links from / --format csv"),
)
@click.argument("page", type=PAGE_NAME, metavar="PAGE")
@click.option("--all", "show_all", is_flag=True, help="Show every link, not the first hundred.")
@_workers
def links_from(work: Work, page: str, show_all: bool, workers: int | None) -> int:
    """Show all that a page links to or loads, with the text, place and state of each link. PAGE is
    an address or a path."""
    from jovial_atlas.rounds.deciding.explain import page_at

    links = _links(work, workers)
    loc = page_at(page, links.survey)["loc"][0]
    _show(work, links.of_page(loc, towards=False), "target", loc, show_all=show_all)
    return 0


def _links_towards(page: str, links: SiteLinks) -> tuple[str, pl.DataFrame]:
    """The address that was asked for, of a page of the site or any other that links lead to, and
    the links there."""
    from jovial_atlas import addresses
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.rounds.deciding.explain import page_at

    try:
        loc = str(page_at(page, links.survey)["loc"][0])
    except AtlasError:
        try:
            url = links.site.model.site.url
            loc = addresses.normalise(url + page if page.startswith("/") else page)
        except ValueError:
            loc = ""
        rows = links.of_page(loc, towards=True) if loc else None
        if rows is None or not rows.height:
            raise
        return loc, rows
    return loc, links.of_page(loc, towards=True)


def _show(
    work: Work, rows: pl.DataFrame, other: str, loc: str, *, show_all: bool
) -> None:
    from jovial_atlas.addresses import origin, path_and_query
    from jovial_atlas.faults import plural

    out = work.output
    if out.format == "json":
        found = [{"loc": row.pop(other), **row} for row in rows.select(_told(other)).to_dicts()]
        out.json({"page": loc, "links": found})
        return
    if out.format == "csv":
        out.csv(_ROW, rows.select(_ROW).cast({"nofollow": str}).iter_rows())
        return
    here = origin(loc)

    def short(address: str, fragment: str | None) -> str:
        told = path_and_query(address) if origin(address) == here else address
        return f"{told}#{fragment}" if fragment and other == "target" else told

    shown, alike = _apart_from_layout(rows) if other == "page" and not show_all else (rows, {})
    left = 0 if show_all else max(0, shown.height - _MOST_ROWS)
    out.table(
        ["Page: address" if other == "page" else "Leads to: address", "Text: fold",
         "Place: left 1", "State: fold"],
        [
            [
                short(row[other], row["fragment"]) + _more(alike.get((row["place"], row["text"]))),
                row["text"] or f"({row['kind']})", row["place"], _state(row),
            ]
            for row in shown.head(shown.height - left).iter_rows(named=True)
        ],
    )  # fmt: skip
    if left:
        out.say(f"… and {left:,} more; --all shows them")
    pages = rows[other].n_unique()
    what = "from" if other == "page" else "to"
    out.say(f"{plural(rows.height, 'link')} {what} {plural(pages, 'address', 'addresses')}.",
            style="bold")  # fmt: skip


def _apart_from_layout(rows: pl.DataFrame) -> tuple[pl.DataFrame, dict[tuple[str, str], int]]:
    """The links, of those in the layout that are called the same only the first; and how many
    there are of these, by place and text."""
    import polars as pl

    layout = rows.filter(pl.col("place") != "content")
    counted = layout.group_by("place", "text").len()
    first = layout.unique(["place", "text"], keep="first", maintain_order=True)
    alike = {(place, text): count for place, text, count in counted.iter_rows()}
    return pl.concat([rows.filter(pl.col("place") == "content"), first]), alike


def _more(count: int | None) -> str:
    return f" and {count - 1:,} more pages" if count and count > 1 else ""


def _told(other: str) -> list[str]:
    names = ("kind", "place", "fragment", "written", "text", "nofollow", "state", "status", "final")
    return [other, *names]


def _state(row: dict[str, Any]) -> str:
    """How a link stands, in a few words."""
    said = str(row["state"])
    if row["state"] == "redirects":
        said = f"redirects to {row['final']}" if row["final"] else "redirects for ever"
    elif row["state"] == "spelling":
        said = f"known as {row['known_as']}"
    return f"{said}, nofollow" if row["nofollow"] else said


@atlas_command(
    "check",
    fails="findings at or above --fail-on",
    state="reads",
    formats=(*TABLE_FORMATS, "sarif", "junit"),
    examples=("links check --fail-on warning", "links check --outside"),
)
@fail_on_option
@click.option("--all", "show_all", is_flag=True, help="Show every place, not the first few.")
@click.option("--brief", is_flag=True, help="Show each kind of finding on a line, and how many.")
@click.option("--outside", is_flag=True, help="Ask other sites whether what is linked is there.")
@click.option("--host", "hosts", multiple=True, metavar="HOST",
              help="With --outside: ask these hosts alone.")  # fmt: skip
@click.option("--most", type=click.IntRange(1), default=1_000, show_default=True, metavar="N",
              help="With --outside: addresses asked for, at most.")  # fmt: skip
@click.option("--minutes", type=click.FloatRange(0.01), default=10.0, show_default=True,
              help="With --outside: time for it, at most.")  # fmt: skip
@click.option("--pause", type=click.FloatRange(0, 60), default=1.0, show_default=True,
              help="With --outside: seconds between two requests to a host.")  # fmt: skip
@click.option("--again", type=click.FloatRange(0), default=7.0, show_default=True, metavar="DAYS",
              help="With --outside: ask again what was asked for so many days ago.")  # fmt: skip
@click.option("--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
              help="Seconds to wait for a server.")  # fmt: skip
@_workers
@bundled("how", _OUTSIDE)
def check(
    work: Work,
    fail_on: str,
    show_all: bool,
    brief: bool,
    outside: bool,
    workers: int | None,
    how: dict[str, Any],
) -> int:
    """Find links that lead wrong: to what does not exist, to a place that a page does not have,
    over redirects, to pages that are hidden, without encryption, to a temporary host. What is wrong
    in the layout of many pages is told once. With --outside other sites are asked as well, one
    request at a time each; what they answered is remembered, and told from then on."""
    from jovial_atlas.faults import plural
    from jovial_atlas.findings.finding import at_or_above
    from jovial_atlas.rounds.proving.links_told import as_findings, broken_as_json

    links = _links(work, workers)
    broken = links.broken()
    findings = as_findings(broken) + _outside(work, links, how, ask=outside)
    findings.sort(key=lambda one: SEVERITIES.index(one.severity))
    looked_at = [f"the links of {plural(links.survey.count, 'page')}"]
    shown = FindingsShown(fail_on, show_all, brief, "links")
    also = {"broken": [broken_as_json(one) for one in broken]}
    give_findings(work.output, findings, looked_at, shown, also)
    return 1 if at_or_above(findings, fail_on) else 0


def _outside(
    work: Work, links: SiteLinks, how: dict[str, Any], *, ask: bool
) -> list[Finding]:
    """What is wrong with links to other sites, which are asked where that is wanted."""
    import os

    from jovial_atlas.faults import plural
    from jovial_atlas.linking.outside import OutsideLimits, may_ask
    from jovial_atlas.rounds.telling.links_outside import (
        ask_outside,
        due_outside,
        known_outside,
        outside_findings,
        outside_pages,
    )
    from jovial_atlas.web import new_client

    site, now, out = links.site, work.now(), work.output
    pages = outside_pages(links)
    known = known_outside(site, now, os.environ)
    if ask:
        limits = OutsideLimits(how["pause"], how["most"], how["minutes"] * 60, hosts=how["hosts"])
        due = due_outside(pages, known, now, how["again"])
        due = [one for one in due if may_ask(one, limits)]
        with (
            work.apart(alone=True),
            new_client(how["timeout"]) as client,
            out.progress("asking other sites") as progress,
        ):
            met = ask_outside(due, client, limits, site, now, os.environ, progress)
        known = known_outside(site, now, os.environ)
        left = len(due) - len(met)
        more = f"; {left:,} not asked now, `--outside` again goes on there" if left else ""
        out.note(f"Asked for {plural(len(met), 'address', 'addresses')} of other sites{more}.")
    return outside_findings(pages, known)


for one in (overview, links_to, links_from, check, propose, rules):
    command.add_command(one)
