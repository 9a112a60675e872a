"""Trials: half of a section's pages, chosen by lot, gets other texts first; and what is made of
it."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime

import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.traffic import page_figures
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.edit import add_table, remove_table, set_in_list
from jovial_atlas.sitefile.visiting import Trial, is_drawn

#: Pages from which a section can be parted.
_LEAST = 10
#: Lots that are drawn; the one whose halves are most alike in what they had before is taken.
_LOTS = 64


@dataclass(frozen=True, slots=True)
class StartedTrial:
    """A trial as it begins: its name, what one half gets, the pages of both halves, the part of
    their clicks (or times shown) that the changed half had before (None where nothing is known),
    and the text of the site file with it."""

    name: str
    what: str
    changed: tuple[str, ...]
    others: tuple[str, ...]
    share: float | None
    text: str


def start_trial(
    survey: LastSurvey, section: str, values: Mapping[str, str], name: str, now: datetime,
    draw: Callable[[], str] = lambda: secrets.token_hex(8),
) -> StartedTrial:  # fmt: skip
    """Part the listed pages of a section by lot. Nothing is saved. Raises AtlasError where there
    are too few, or a trial of the section runs already."""
    site = survey.site
    running = next((one.name for one in site.model.trial if one.section == section), None)
    if running:
        raise AtlasError(
            f"The trial {running!r} of {section} runs already, and two at a time could not be told "
            f"apart. End it first: jovial-atlas traffic settle {running} --keep (or --drop)."
        )
    listed = survey.table.filter((pl.col("section") == section) & pl.col("listed"))
    locs = listed.select("loc").sort("loc").collect(engine="streaming")["loc"].to_list()
    if len(locs) < _LEAST:
        raise AtlasError(
            f"{section} has {len(locs)} listed pages; to tell halves from chance takes {_LEAST} at "
            "least, and a few dozen to see any but a great effect."
        )
    weights = _weights(site, locs)
    lots = sorted((draw() for _ in range(_LOTS)), key=lambda lot: _unlike(lot, locs, weights))
    lot = lots[0]
    changed = tuple(loc for loc in locs if is_drawn(lot, loc))
    others = tuple(loc for loc in locs if not is_drawn(lot, loc))
    whole = sum(weights.values())
    share = sum(weights.get(loc, 0) for loc in changed) / whole if whole else None
    name = name or _free_name(site, section)
    begun = {"name": name, "section": section, "lot": lot, "since": f"{now:%Y-%m-%d}", **values}
    text = add_table(site.path.read_text("utf-8-sig"), "trial", begun)
    what = "; ".join(f"{key} = {value}" for key, value in values.items())
    return StartedTrial(name, what, changed, others, share, text)


def _weights(site: SiteFile, locs: list[str]) -> dict[str, int]:
    """How often pages were clicked or, where they hardly were, shown."""
    figures = page_figures(site)
    if figures is None:
        return {}
    some = figures.filter(pl.col("loc").is_in(locs))
    name = "clicks" if (some["clicks"].sum() or 0) >= len(locs) else "impressions"
    return {loc: count or 0 for loc, count in some.select("loc", name).iter_rows()}


def _unlike(lot: str, locs: list[str], weights: Mapping[str, int]) -> float:
    """How far two halves are from being as many, and as often clicked."""
    sides = [is_drawn(lot, loc) for loc in locs]
    number = abs(sum(sides) - len(locs) / 2) / len(locs)
    whole = sum(weights.values())
    had = sum(weights.get(loc, 0) for loc, side in zip(locs, sides, strict=True) if side)
    return number + (abs(had / whole - 0.5) if whole else 0.0)


def _free_name(site: SiteFile, section: str) -> str:
    taken = {one.name for one in site.model.trial}
    numbered = (f"{section}-{number}" for number in range(1, 10_000))
    return next(one for one in numbered if one not in taken)


def trial_named(site: SiteFile, name: str) -> tuple[int, Trial]:
    """A trial that runs, and its place in the site file. Raises AtlasError."""
    for number, one in enumerate(site.model.trial):
        if one.name == name:
            return number, one
    running = ", ".join(one.name for one in site.model.trial) or "none"
    raise AtlasError(f"There is no trial {name!r}. Those that run: {running}.")


def settled(site: SiteFile, name: str, *, keep: bool) -> str:
    """The text of the site file once a trial has ended: its section gets what was tried, or all is
    as before. Raises AtlasError."""
    number, trial = trial_named(site, name)
    text = remove_table(site.path.read_text("utf-8-sig"), "trial", number)
    if not keep:
        return text
    names = [section.name for section in site.model.section]
    if trial.section not in names:
        raise AtlasError(
            f"{trial.section} has no [[section]] of its own that could keep it. Write one, or use "
            "--drop and set the pattern in [head]."
        )
    for key, value in trial.texts.items():
        shown = "schema" if key == "schema_type" else key
        text = set_in_list(text, "section", names.index(trial.section), shown, value)
    return text
