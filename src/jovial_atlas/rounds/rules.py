"""Changing rules: what a changed site file would decide, before it is saved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import polars as pl

from jovial_atlas.files import write_whole
from jovial_atlas.rounds.last import last_survey
from jovial_atlas.rules import decide
from jovial_atlas.rules.layers import FIELDS
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.read import parse_site_file


@dataclass(frozen=True, slots=True)
class Turn:
    """One kind of change of verdicts: in which field, from what to what, of how many pages, and
    the first of them."""

    field: str
    before: object
    after: object
    count: int
    examples: list[str]


@dataclass(frozen=True, slots=True)
class Preview:
    """A changed site file: its text, what it says, and how verdicts turn, most pages first."""

    text: str
    site: SiteFile
    pages: int
    turns: list[Turn]


#: Pages that are named for each kind of change.
_EXAMPLES = 5


def preview(site: SiteFile, edit: Callable[[str], str]) -> Preview:
    """What a change of the site file's text does to the pages of the last survey. Nothing is
    saved. Raises SiteFileError where the new text is wrong, AtlasError where there is no survey.
    """
    text = edit(site.path.read_bytes().decode("utf-8-sig"))
    changed = parse_site_file(text, site.path)
    survey = last_survey(site)
    before = survey.decided.select("loc", *FIELDS)
    pages = survey.pages.collect()
    after = decide(pages, changed).select("loc", *FIELDS)
    both = before.join(after, on="loc", suffix="_after", maintain_order="left")
    turns = []
    for name in FIELDS:
        found = (
            both.filter(pl.col(name).ne_missing(pl.col(f"{name}_after")))
            .group_by(name, f"{name}_after", maintain_order=True)
            .agg(pl.len().alias("count"), pl.col("loc").head(_EXAMPLES))
        )
        turns += [Turn(name, old, new, count, locs) for old, new, count, locs in found.iter_rows()]
    turns.sort(key=lambda turn: -turn.count)
    return Preview(text, changed, before.height, turns)


def save(change: Preview) -> None:
    """Write the changed site file. Raises OutputError."""
    write_whole(change.site.path, change.text.encode())
