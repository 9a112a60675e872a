"""The figures of a site's links, drawn into a file."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import polars as pl

from jovial_atlas.addresses import path_and_query
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.report.links import LinkFigures, draw_link_figures
from jovial_atlas.report.values import Crossings
from jovial_atlas.rounds.proving.links import LinkOverview, SiteLinks
from jovial_atlas.rounds.state.last_survey import LastSurvey

#: Sections that are drawn, those of most pages first; and depths.
_SECTIONS, _DEPTHS = 24, 10
#: Sections from which on they are drawn in a report; pairs that are named.
_FEWEST, _SHOWN = 2, 3


def draw_links(told: LinkOverview, links: SiteLinks, path: Path) -> None:
    """Draw depth by section, and which section leads to which. Raises AtlasError where the file's
    ending is neither .png nor .svg, OutputError where it cannot be written."""
    if path.suffix.lower() not in (".png", ".svg"):
        raise AtlasError(f"{path}: figures are drawn as .png or .svg.")
    write_whole(path, draw_link_figures(link_figures_of(told, links.pages), path))


def crossings(survey: LastSurvey) -> Iterator[Crossings]:
    """The same for a report: which section leads to which, and how far each is from the start. None
    of a site without links between its pages, or with one section; nor of a large one."""
    if not survey.is_held:
        return
    links = SiteLinks(survey)
    if not links.graph.links_out.any():
        return
    told = links.overview()
    drawn = link_figures_of(told, links.pages)
    if len(drawn.sections) < _FEWEST:
        return
    apart = [f"{one} and {other}" for one, other in told.apart[:_SHOWN]]
    answer = f"Without a link to each other: {', '.join(apart)}." if apart else (
        "Rows link to columns; the stronger the colour, the larger a part of the row's links."
    )  # fmt: skip
    question = "Which section links to which?"
    yield Crossings(question, answer, drawn.sections, drawn.sections, drawn.links)
    yield Crossings(
        "How far is each section from the start?", "Pages by clicks from the start.",
        drawn.sections, drawn.depths, drawn.pages,
    )  # fmt: skip


def link_figures_of(told: LinkOverview, pages: pl.DataFrame) -> LinkFigures:
    """What is drawn of a site's links: of `pages` their `section`, `depth`, `links_in`, `clicks`,
    `visits`, and whether they are `listed`."""
    counted = pages.group_by("section").len().sort(["len", "section"], descending=[True, False])
    sections = sorted(counted["section"].head(_SECTIONS).to_list())
    at = pl.col("depth").clip(upper_bound=_DEPTHS).fill_null(-1)
    by_depth = pages.group_by("section", at.alias("at")).len()
    found = {(section, depth): count for section, depth, count in by_depth.iter_rows()}
    known = sorted({depth for _, depth in found if depth >= 0})
    depths = [*known, *([-1] if any(depth < 0 for _, depth in found) else [])]
    pairs = {(one.source, one.target): one.links for one in told.matrix}
    by = next((one for one in ("clicks", "visits") if pages[one].sum()), "")
    visited = pages.filter("listed").select("links_in", by, "loc") if by else None
    return LinkFigures(
        sections,
        ["no way" if depth < 0 else f"{depth}{'+' * (depth == _DEPTHS)}" for depth in depths],
        [[found.get((section, depth), 0) for depth in depths] for section in sections],
        [[pairs.get((one, other), 0) for other in sections] for one in sections],
        [] if visited is None else [
            (links or 0, count or 0, path_and_query(loc)) for links, count, loc in visited.rows()
        ],
        by or "clicks",
    )  # fmt: skip
