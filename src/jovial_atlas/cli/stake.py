"""Saying what is at stake, and asking once more where that is much."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.records import Stake
    from jovial_atlas.sitefile import SiteFile

stake_option = click.option(
    "--at-stake", "accepts", is_flag=True,
    help="Save even where much of the site's clicks is at stake ([traffic] ask_above).",
)  # fmt: skip


def say_stake(out: Output, stake: Stake | None, url: str = "") -> None:
    """What is at stake, in one line; nothing where nothing is known. Addresses are shown without
    the `url` of the site."""
    from jovial_atlas.rounds.state.stake import stake_in_words

    if words := stake_in_words(stake, url):
        out.say(f"At stake: {words}")


def may_save(stake: Stake | None, site: SiteFile, *, accepts: bool) -> bool:
    """Whether what is at stake may be put there: it is little, was accepted, or somebody at a
    terminal says so now. Raises AtlasError where there is nobody to ask."""
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.rounds.state.stake import share_of

    limit = site.model.traffic.ask_above
    if stake is None or accepts or stake.share <= limit or not stake.counted:
        return True
    said = f"{share_of(stake)} of the site's {'clicks' if stake.clicks is not None else 'visits'}"
    if sys.stdin.isatty() and sys.stdout.isatty():
        return click.confirm(f"{said} is at stake. Save it all the same?", default=False)
    raise AtlasError(
        f"Nothing was saved: {said} is at stake, more than [traffic] ask_above allows "
        f"({100 * limit:g} %). --at-stake saves it all the same."
    )


def stake_as_json(stake: Stake | None) -> dict[str, Any] | None:
    """What is at stake, as scripts read it."""
    if stake is None:
        return None
    return {"pages": stake.pages, "clicks": stake.clicks, "visits": stake.visits,
            "share": round(stake.share, 4),
            "most": [{"loc": loc, "count": count} for loc, count in stake.most]}  # fmt: skip
