"""The figures of a site's links, drawn into a file."""

from __future__ import annotations

from pathlib import Path

import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.report.links import LinkFigures, draw_link_figures
from jovial_atlas.rounds.proving.links import LinkOverview, SiteLinks

#: Sections that are drawn, those of most pages first; and depths.
_SECTIONS, _DEPTHS = 24, 10


def draw_links(told: LinkOverview, links: SiteLinks, path: Path) -> None:
    """Draw depth by section, and which section leads to which. Raises AtlasError where the file's
    ending is neither .png nor .svg, OutputError where it cannot be written."""
    if path.suffix.lower() not in (".png", ".svg"):
        raise AtlasError(f"{path}: figures are drawn as .png or .svg.")
    write_whole(path, draw_link_figures(link_figures_of(told, links.pages), path))


def link_figures_of(told: LinkOverview, pages: pl.DataFrame) -> LinkFigures:
    """What is drawn of a site's links: of `pages` their `section` and `depth`."""
    counted = pages.group_by("section").len().sort(["len", "section"], descending=[True, False])
    sections = sorted(counted["section"].head(_SECTIONS).to_list())
    at = pl.col("depth").clip(upper_bound=_DEPTHS).fill_null(-1)
    by_depth = pages.group_by("section", at.alias("at")).len()
    found = {(section, depth): count for section, depth, count in by_depth.iter_rows()}
    known = sorted({depth for _, depth in found if depth >= 0})
    depths = [*known, *([-1] if any(depth < 0 for _, depth in found) else [])]
    pairs = {(one.source, one.target): one.links for one in told.matrix}
    return LinkFigures(
        sections,
        ["no way" if depth < 0 else f"{depth}{'+' * (depth == _DEPTHS)}" for depth in depths],
        [[found.get((section, depth), 0) for depth in depths] for section in sections],
        [[pairs.get((one, other), 0) for other in sections] for one in sections],
    )
