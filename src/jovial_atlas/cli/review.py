"""`review`: pages against a list of marks, with reasons."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas import __version__
from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command, bundled
from jovial_atlas.cli.explained import ExplainedCommand
from jovial_atlas.cli.names import MARK_CODE, PAGE_NAME, SECTION
from jovial_atlas.cli.review_site import show_whole

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.review.reviewed import Judged, PageReview


class _SiteAsWell(ExplainedCommand):
    """`--site` names the site file, as everywhere; without a name it means the whole site."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        following = [*args[1:], "-"]
        said = [
            "--whole" if one == "--site" and after.startswith("-") else one
            for one, after in zip(args, following, strict=False)
        ]
        return super().parse_args(ctx, said)


#: Pages in a table, where nobody says how many.
_MOST_SHOWN = 100
_CHOICES, _BESIDE = ("section", "match", "where"), ("beside", "sample", "per_second", "timeout")


@atlas_command(
    "review",
    many=True,
    fails="a page under --fail-under",
    state="reads",
    formats=(*TABLE_FORMATS, "sarif", "junit"),
    examples=("review /events/", "review --worst 10"),
    kind=_SiteAsWell,
)
@click.argument("targets", type=PAGE_NAME, nargs=-1, metavar="[PATH|URL|FILE]…")
@click.option("--section", type=SECTION, help="Only pages of this section.")
@click.option("--match", metavar="PATTERN", help="Only addresses like this: /events/**")
@click.option("--where", metavar="SQL", help="Only pages where this condition holds.")
@click.option(
    "--whole", is_flag=True,
    help="The whole site: its score, what to fix, what moved. --site without FILE means it too.",
)  # fmt: skip
@click.option(
    "--beside", metavar="TARGET",
    help="The whole site beside another: its address, a folder of its pages, or its sitemap.",
)  # fmt: skip
@click.option(
    "--sample", type=click.IntRange(5, 5_000), default=100, show_default=True, metavar="N",
    help="With --beside: pages that are looked at of the other site.",
)  # fmt: skip
@click.option(
    "--per-second", type=click.FloatRange(0.01, 100), default=2.0, show_default=True,
    help="With --beside: requests a second, at most.",
)  # fmt: skip
@click.option("--mark", "code", type=MARK_CODE, help="Only pages where this mark is not good.")
@click.option(
    "--worst", type=click.IntRange(1), metavar="N",
    help="The N pages with most to gain; in a table 100 else.",
)  # fmt: skip
@click.option("--as", "served_as", metavar="URL", help="Address under which FILE will be served.")
@click.option(
    "--fail-under", type=click.IntRange(0, 100), metavar="SCORE",
    help="Exit code 1 where a page has a lower score.",
)  # fmt: skip
@click.option(
    "--workers", type=click.IntRange(0), help="Processes that read pages. Default: one a core."
)
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for a server.",
)  # fmt: skip
@bundled("chosen", _CHOICES)
@bundled("other", _BESIDE)
def command(
    work: Work,
    targets: tuple[str, ...],
    chosen: dict[str, str | None],
    whole: bool,
    code: str | None,
    worst: int | None,
    served_as: str | None,
    fail_under: int | None,
    workers: int | None,
    other: dict[str, Any],
) -> int:
    """Hold pages against a list of marks: what was measured, what is thought right, why it counts,
    what to do. Give paths of the last survey, files that are not published yet, or addresses;
    without any, all listed pages. The list is guidance: [review] switches marks off."""
    from jovial_atlas.web import new_client

    whole = whole or bool(other["beside"])
    _refuse(targets, chosen, served_as, code, whole=whole)
    if targets:
        with new_client(other["timeout"]) as client:
            reviews = list(_of_targets(work, targets, served_as, client, workers))
    else:
        reviews = list(_of_survey(work, chosen, workers))
    if whole:
        return show_whole(work, reviews, fail_under, other)
    if code:
        reviews = [one for one in reviews if any(_lacks(mark, code) for mark in one.marks)]
    reviews.sort(key=_most_to_gain)
    # A list for people begins with those that need them; for programs all is given.
    most = worst or (_MOST_SHOWN if work.output.is_table and not targets else None)
    shown = reviews[:most]
    if code and work.output.is_table:
        _about_mark(work.output, code)
    _show(work.output, shown, whole=bool(targets), left_out=len(reviews) - len(shown))
    if fail_under is None:
        return 0
    return 1 if any((one.score or 0) < fail_under for one in reviews) else 0


def _refuse(
    targets: Sequence[str],
    chosen: Mapping[str, str | None],
    served_as: str | None,
    code: str | None,
    *,
    whole: bool,
) -> None:
    """Refuse what does not go together."""
    from jovial_atlas.faults import nearest
    from jovial_atlas.findings.marks import MARKS

    if served_as and len(targets) != 1:
        raise click.UsageError("--as says where one FILE will be served; give exactly one.")
    if targets and any(chosen.values()):
        raise click.UsageError("--section, --match and --where choose pages where none is named.")
    if whole and (targets or any(chosen.values()) or code):
        raise click.UsageError("--whole (or --site) looks at all listed pages; choose none.")
    if code is not None and code not in MARKS:
        best = nearest(code, MARKS, 50)
        meant = f" Did you mean {best!r}?" if best else ""
        raise click.UsageError(f"--mark: there is no mark {code!r}.{meant}")


def _about_mark(out: Output, code: str) -> None:
    from jovial_atlas.findings.marks import MARKS

    mark = MARKS[code]
    out.say(f"{mark.what} ({code})", style="bold")
    out.indented("", mark.why, text_style="dim")
    out.indented("do:", mark.fix, style="green")


def _lacks(mark: Judged, code: str) -> bool:
    return mark.code == code and mark.state != "good" and not mark.exempt


def _most_to_gain(one: PageReview) -> tuple[bool, int, str]:
    """Important pages first, then those with the lowest score."""
    return not one.page.important, 100 if one.score is None else one.score, one.page.loc


def _of_survey(
    work: Work, chosen: Mapping[str, str | None], workers: int | None
) -> Iterator[PageReview]:
    from jovial_atlas.rounds.deciding.pages import Filters, select_pages
    from jovial_atlas.rounds.proving.review import review_pages
    from jovial_atlas.rounds.state.last_survey import last_survey

    site = work.site()
    survey = last_survey(site, work.now())
    locs = None
    if any(chosen.values()):
        pages = select_pages(survey.table.filter("listed"), site, Filters(**chosen))
        locs = frozenset(pages.select("loc").collect(engine="streaming")["loc"])
    yield from review_pages(survey, locs, work.now(), workers=workers)


def _of_targets(
    work: Work, targets: Sequence[str], served_as: str | None, client: Any, workers: int | None
) -> Iterator[PageReview]:
    """The reviews of what was named: a file where there is one, a page of the survey, or what an
    address answers with."""
    from jovial_atlas.rounds.proving.review import review_pages
    from jovial_atlas.rounds.proving.review_other import review_address, review_file
    from jovial_atlas.rounds.publishing.preview import chosen
    from jovial_atlas.rounds.state.last_survey import last_survey

    site = work.site_if_any()
    named: list[str] = []
    for target in targets:
        if served_as or Path(target).is_file():
            yield review_file(Path(target), site, work.now(), served_as)
        elif site is None or _is_elsewhere(target, [host.model.site.url for host in site.hosts]):
            yield review_address(target, site, work.now(), client)
        else:
            named.append(target)
    if named:
        survey = last_survey(work.site(), work.now())
        locs = frozenset(chosen(named, survey)["loc"])
        yield from review_pages(survey, locs, work.now(), workers=workers)


def _is_elsewhere(target: str, origins: Sequence[str]) -> bool:
    """Whether an address is none of the site."""
    whole = target.startswith(("http://", "https://"))
    return whole and not any(f"{target}/".startswith(f"{one}/") for one in origins)


def _show(out: Output, reviews: Sequence[PageReview], *, whole: bool, left_out: int) -> None:
    from jovial_atlas.rounds.proving.review_told import as_findings, told_as_json

    if out.format == "json":
        out.json(told_as_json(reviews))
    elif out.format == "csv":
        header = ("loc", "section", "score", "code", "group", "state", "measured", "wanted",
                  "weight", "fix")  # fmt: skip
        out.csv(header, [
            (one.page.loc, one.page.section, one.score, mark.code, mark.mark.group, mark.state,
             mark.measured, mark.wanted, mark.weight, mark.mark.fix)
            for one in reviews
            for mark in one.marks
        ])  # fmt: skip
    elif out.format in ("sarif", "junit"):
        from jovial_atlas.findings import exports

        findings, about = as_findings(reviews), "review"
        looked_at = [one.page.loc for one in reviews]
        if out.format == "sarif":
            out.json(exports.sarif(findings, __version__))
        else:
            out.exact(exports.junit(findings, looked_at, "warning", about).decode())
    elif whole:
        for one in reviews:
            _page(out, one)
    else:
        _list(out, reviews, left_out)


_COLOURS = {"good": "green", "better": "yellow", "short": "bold red"}


def _page(out: Output, review: PageReview) -> None:
    """A page with all its marks, group by group."""
    page = review.page
    out.say(page.loc, style="bold")
    important = (
        "; it is important, so what could be better counts for less" if page.important else ""
    )
    score = "no mark applies" if review.score is None else f"{review.score} of 100"
    out.indented("score", f"{score}{important}")
    if page.phrases:
        out.indented("phrase", "; ".join(page.phrases))
    elif page.proposed and page.is_text:
        why = "people searched most" if page.is_searched else "by its heading it could be"
        out.indented("phrase", f"none; {why} {page.proposed!r}")
    if raising := review.raising():
        out.indented("most to gain", "")
        for one in raising:
            out.indented(one.code, one.mark.fix, indent=4)
    for group, some in groupby(review.marks, key=lambda one: one.mark.group):
        out.say()
        out.say(f"{group[:1].upper()}{group[1:]}", style="bold")
        for one in some:
            _mark(out, one)
    out.say()


def _mark(out: Output, one: Judged) -> None:
    state = "exempt" if one.exempt else str(one.state)
    style = "dim" if one.exempt else _COLOURS[one.state]
    out.indented(f"{state:<6}", f"{one.mark.what}: {one.measured}", style=style)
    if one.exempt:
        out.indented("", f"does not count: {one.exempt}", indent=9, text_style="dim")
    elif one.state != "good":
        out.indented("", f"right: {one.wanted}. {one.mark.why}", indent=9, text_style="dim")
        out.indented("do:", one.mark.fix, indent=9, style="green")


def _list(out: Output, reviews: Sequence[PageReview], left_out: int) -> None:
    """Many pages: the score of each with the marks that would raise it most."""
    from jovial_atlas.addresses import path_and_query
    from jovial_atlas.faults import plural

    out.table(
        ["Score: right", "Page: address", "Would raise it most: fold"],
        [
            [
                "–" if one.score is None else str(one.score),
                ("important: " if one.page.important else "") + path_and_query(one.page.loc),
                ", ".join(mark.code for mark in one.raising()),
            ]
            for one in reviews
        ],
    )
    more = f", {left_out:,} with less to gain not shown (--worst N)" if left_out else ""
    out.say(f"{plural(len(reviews), 'page')}{more}.", style="bold")
    if reviews:
        first = path_and_query(reviews[0].page.loc)
        out.note(f"All marks of a page, with reasons: jovial-atlas review {first}")
