"""One page with a row a site, for whoever looks after several."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from importlib.resources import files
from typing import Any

from jinja2 import Environment, StrictUndefined

_WEB = files("jovial_atlas.report").joinpath("web")


@dataclass(frozen=True, slots=True)
class SiteRow:
    """A site: what it is called, the address of its own report ("" for none), its score of a
    hundred, how it stands (as `next --format json` tells), and why nothing is known of it."""

    called: str
    report: str
    score: int | None
    standing: Mapping[str, Any]
    trouble: str

    @property
    def weight(self) -> tuple[int, int, int]:
        """The worst sites first: of which nothing is known, that hide, with most to do."""
        steps = self.standing.get("steps", [])
        state = 0 if self.trouble else 1 if self.standing.get("hidden") else 2
        return state, -len(steps), self.score if self.score is not None else 101


def sites_page(rows: Sequence[SiteRow]) -> bytes:
    """The page, worst sites first; it needs nothing but itself."""
    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True)
    template = environment.from_string(_WEB.joinpath("sites.html").read_text("utf-8"))
    ordered = sorted(rows, key=lambda row: (row.weight, row.called))
    known = [row.standing for row in rows if row.standing]
    totals = {
        "sites": len(rows),
        "pages": sum(one.get("pages") or 0 for one in known),
        "listed": sum(one.get("listed") or 0 for one in known),
        "hidden": sum(bool(one.get("hidden")) for one in known),
    }
    return template.render(rows=ordered, totals=totals).encode()
