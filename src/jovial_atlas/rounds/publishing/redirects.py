"""Where the server sends visitors on to: decided page by page, worked out for all at once."""

from __future__ import annotations

from dataclasses import dataclass, field

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rules import layers_of


@dataclass(frozen=True, slots=True)
class SiteRedirects:
    """`targets` maps a path (percent-encoded, without a query) to the address that answers
    itself; what cannot be sent on is told in `faults`."""

    targets: dict[str, str] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)


def redirects_of(survey: LastSurvey) -> SiteRedirects:
    """The redirects that the site file decides. Chains are one hop; loops are left out."""
    layers = layers_of(survey.site, survey.now, survey.pages, survey.filled)
    redirects = SiteRedirects()
    if not any("send_to" in layer.sets for layer in layers):
        return redirects
    names = ["loc", "send_to", "parent", "images", "redirect"]
    sent = survey.lazy.filter(pl.col("send_to").is_not_null()).select(names).collect()
    hops: dict[str, str] = {}
    if sent.height:
        neighbours = _Neighbours(survey)
        for page in sent.iter_rows(named=True):
            target = neighbours.target(page)
            if target is None:
                what = "page that shows it" if page["send_to"] == "parent" else "picture"
                sentence = f"It is to be sent on to its {page['send_to']}, but has no {what}."
                redirects.faults.append(Fault("redirect-nowhere", page["loc"], sentence))
            elif target != page["loc"]:
                hops[page["loc"]] = target
        hops |= {loc: to for loc, to in neighbours.onward.items() if loc not in hops}
    for loc in sent["loc"]:
        if loc not in hops:
            continue
        path, query = addresses.path_and_query(loc), "?" in loc
        end = _end(loc, hops)
        if end is None:
            sentence = f"It is sent on to {hops[loc]}, which leads back to it."
            redirects.faults.append(Fault("redirect-loop", loc, sentence))
        elif query:
            sentence = "Servers are told of paths alone, so an address with a query stays as it is."
            redirects.faults.append(Fault("redirect-nowhere", loc, sentence))
        else:
            redirects.targets[path] = end
    return redirects


def _end(loc: str, hops: dict[str, str]) -> str | None:
    """Where a chain ends; None where it never does."""
    seen = {loc}
    while loc in hops:
        loc = hops[loc]
        if loc in seen:
            return None
        seen.add(loc)
    return loc


class _Neighbours:
    """The pages around those that are sent on."""

    def __init__(self, survey: LastSurvey) -> None:
        stays = survey.lazy.filter(pl.col("send_to").is_null())
        pages = stays.select("loc", "words", "images", "redirect", "variant").collect()
        self.locs = set(pages["loc"])
        self.onward = dict(
            pages.filter(pl.col("redirect").is_not_null()).select("loc", "redirect").iter_rows()
        )
        shown = (
            pages.select(
                "loc",
                "words",
                pl.col("variant").is_null().alias("own"),
                pl.col("images").list.eval(pl.element().struct["loc"]),
            )
            .explode("images")
            .drop_nulls("images")
            .sort(["own", "words", "loc"], descending=[True, True, False])
            .unique("images", keep="first", maintain_order=True)
        )
        #: Picture → the page with the most words that shows it.
        self.shows = dict(shown.select("images", "loc").iter_rows())

    def target(self, page: dict[str, object]) -> str | None:
        """The address that a page is sent on to, None where there is none."""
        send_to, loc = str(page["send_to"]), str(page["loc"])
        images = page["images"]
        picture = images[0]["loc"] if isinstance(images, list) and images else None
        if send_to == "file":
            return picture
        if send_to != "parent":
            return send_to
        parent = str(page["parent"] or "")
        if parent.startswith("http"):
            return parent
        above = loc.rstrip("/").rpartition("/")[0] + "/"
        return self.shows.get(picture or "") or (above if above in self.locs else None)
