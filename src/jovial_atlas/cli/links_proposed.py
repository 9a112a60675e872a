"""`links propose` and `links rules`: what should lead where."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import PAGE_NAME

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.proving.links_proposed import LinkProposal

_FIELDS = ("from", "to", "words", "sentence", "why", "score")


@atlas_command(
    "propose", state="reads", formats=TABLE_FORMATS,
    examples=("links propose /species/otter/", "links propose --edit links-to-add.csv"),
)  # fmt: skip
@click.argument("page", type=PAGE_NAME, metavar="[PAGE]", required=False)
@click.option("--most", type=click.IntRange(1), default=30, show_default=True, metavar="N",
              help="Proposals at most; of a PAGE as many to it and from it.")  # fmt: skip
@click.option("--each", type=click.IntRange(1), default=3, show_default=True, metavar="N",
              help="Without PAGE: proposals to one page, and from one, at most.")  # fmt: skip
@click.option("--edit", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Write a table of them to choose from.")  # fmt: skip
@click.option("--take", type=click.Path(path_type=Path, dir_okay=False, exists=True),
              metavar="FILE", help="Take the accepted rows of an edited table.")  # fmt: skip
@click.option(
    "--workers", type=click.IntRange(0), help="Processes that read pages. Default: one a core."
)
def propose(
    work: Work,
    page: str | None,
    most: int,
    each: int,
    edit: Path | None,
    take: Path | None,
    workers: int | None,
) -> int:
    """Propose links: where texts say what another page is called, where texts are alike, and where
    pages are linked together elsewhere. With PAGE: which pages should link to it, and where it
    should link to. Pages that nothing leads to come first. Nothing is changed.

    In the table that --edit writes, `yes` in the column `accept` takes a link; --take FILE keeps
    those in the table of links, and `inject` writes them into the pages."""
    from jovial_atlas.faults import plural

    if take:
        return _take(work, take)
    found = _proposed(work, page, most, each, workers)
    out = work.output
    rows = [(one.source, one.target, one.words, one.sentence, one.why, one.score) for one in found]
    if edit:
        from jovial_atlas.rounds.deciding.links_table import write_proposals

        count = write_proposals(rows, edit)
        out.note(f"{plural(count, 'proposal')} written to {edit}. Write yes under `accept` for "
                 f"those to take, then: jovial-atlas links propose --take {edit}")  # fmt: skip
        return 0
    if out.format == "json":
        out.json({"proposals": [dict(zip(_FIELDS, row, strict=True)) for row in rows]})
    elif out.format == "csv":
        out.csv(_FIELDS, rows)
    else:
        _show(out, found, page)
    return 0


def _proposed(
    work: Work, page: str | None, most: int, each: int, workers: int | None
) -> list[LinkProposal]:
    from jovial_atlas.rounds.deciding.explain import page_at
    from jovial_atlas.rounds.proving.links import SiteLinks
    from jovial_atlas.rounds.proving.links_proposed import LinkProposals
    from jovial_atlas.rounds.state.last_survey import last_survey

    survey = last_survey(work.site(), work.now())
    loc = page_at(page, survey)["loc"][0] if page else None
    proposals = LinkProposals(SiteLinks(survey, workers), workers)
    if loc is None:
        return proposals.best(most, each)
    return [*proposals.into(loc, most), *proposals.out_of(loc, most)]


def _show(out: Output, found: list[LinkProposal], page: str | None) -> None:
    from jovial_atlas.addresses import path_and_query
    from jovial_atlas.faults import plural

    for one in found:
        first = "nothing leads there yet: " if one.orphan else ""
        first = "important: " if one.important and not first else first
        out.say(f"{path_and_query(one.source)} → {path_and_query(one.target)}", style="bold")
        if one.words:
            out.indented("link", f"“{one.words}”", style="green")
        if one.sentence:
            out.indented("in" if one.words else "near", one.sentence, text_style="dim")
        out.indented("why", f"{first}{one.why}")
        out.say()
    if not found:
        where = f" to or from {page}" if page else ""
        out.say(f"No link{where} seems to be missing.")
        return
    out.say(f"{plural(len(found), 'proposal')}, the surest of their kind first.", style="bold")
    out.note("To choose in a spreadsheet: jovial-atlas links propose --edit links-to-add.csv")


def _take(work: Work, path: Path) -> int:
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.links_table import take_proposals

    work.hold("edits")
    site, out = work.site(), work.output
    taken = take_proposals(site, path)
    if out.format == "json":
        out.json({"taken": [[one.loc, one.to, one.words] for one in taken]})
        return 0
    where = site.model.links.file
    out.say(f"{plural(len(taken), 'link')} taken into {where}. `jovial-atlas inject` writes them.")
    return 0


@atlas_command(
    "rules",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("links rules", "links rules --format json"),
)
def rules(work: Work) -> int:
    """Show what the standing rules for links would do: for each [[links.rule]] of the site file the
    pages that get a link, and the words. `inject` writes them."""
    from jovial_atlas.addresses import path_and_query
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.publishing.links import rule_effects
    from jovial_atlas.rounds.state.last_survey import last_survey

    out = work.output
    effects = rule_effects(last_survey(work.site(), work.now()))
    if out.format == "json":
        out.json({"rules": [
            {"words": list(one.words), "to": one.to, "pages": one.pages, "links": one.links,
             "some": [{"loc": loc, "words": words} for loc, words in one.some]}
            for one in effects
        ]})  # fmt: skip
    elif out.format == "csv":
        rows = [("; ".join(one.words), one.to, one.pages, one.links) for one in effects]
        out.csv(("words", "to", "pages", "links"), rows)
    elif not effects:
        out.say("There is no standing rule. One [[links.rule]] in the site file makes words lead "
                "to a page: words = \"grey heron\", to = \"/species/grey-heron/\".")  # fmt: skip
    for one in effects if out.is_table else ():
        out.say(f"{', '.join(one.words)} → {one.to}", style="bold")
        out.indented("", f"{plural(one.links, 'link')} on {plural(one.pages, 'page')}")
        for loc, words in one.some:
            out.indented("-", f"{path_and_query(loc)} (“{words}”)")
        out.say()
    return 0
