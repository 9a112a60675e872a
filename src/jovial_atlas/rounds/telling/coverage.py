"""Submitted against indexed, section by section, now and before, and whether a share dropped."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import timedelta

import msgspec

from jovial_atlas import dates
from jovial_atlas.ledger import Ledger, PageReport, SitemapReport
from jovial_atlas.trends.drops import Compared, Share, compare, drops

#: Sitemaps whose pages stand in those of their sections too.
COMPANIONS = ("video", "news")
#: A share is compared with what was said last on another day, and so many days ago.
_AGO = (7, 14, 21, 28)


class SectionState(msgspec.Struct, frozen=True):
    """A section at one engine: pages in its sitemaps, found and indexed, why the others are not,
    how many were indexed before, and the drop, if its share dropped."""

    name: str
    submitted: int
    found: int
    indexed: int
    reasons: dict[str, int]
    indexed_before: int | None = None
    drop: Compared | None = None

    @property
    def missing(self) -> int:
        """Pages that were found and are not indexed."""
        return max(0, self.found - self.indexed)


class Past(msgspec.Struct, frozen=True):
    """What an engine had said by the end of some day."""

    since: str
    reports: Mapping[str, SitemapReport]
    pages: Mapping[str, PageReport] = msgspec.field(default_factory=dict)


def pasts(engine: str, ledger: Ledger, now: Mapping[str, SitemapReport]) -> list[Past]:
    """What an engine said before: last time on another day, then longer ago, each once."""
    latest = max((one.asked_at for one in now.values()), default="")
    if not latest:
        return []
    today = dates.moment(latest[:10])
    ends = [dates.write(today - timedelta(days=days - 1))[:10] for days in (1, *_AGO)]
    all_pasts: list[Past] = []
    for end in ends:
        reports = ledger.reports(engine, before=end)
        since = max((one.asked_at for one in reports.values()), default="")
        if since and all(past.since != since for past in all_pasts):
            all_pasts.append(Past(since, reports, ledger.pages(engine, before=end)))
    return all_pasts


def section_states(
    sections: Mapping[str, str],
    submitted: Mapping[str, int],
    now: Mapping[str, SitemapReport],
    past: Sequence[Past],
    pages: Mapping[str, PageReport],
    of_page: Mapping[str, str],
) -> list[SectionState]:
    """The sections an engine said anything of, the one with most pages missing first.

    `sections` and `submitted` are of sitemaps, `of_page` gives the section of a page.
    """
    totals = {name: _total(name, sections, now) for name in dict.fromkeys(sections.values())}
    cases: dict[str, Compared] = {}
    pairs = _pairs(past, pages, of_page)
    for name, counts in totals.items():
        for number, past_state in enumerate(past):
            before = _total(name, sections, past_state.reports)
            if counts and before:
                cases[f"{name}\t{number}"] = compare(
                    Share(before[1], before[0]),
                    Share(counts[1], counts[0]),
                    past_state.since,
                    pairs.get((name, number), ()),
                )
    dropped = drops(cases)
    states = []
    for name, counts in totals.items():
        if not counts or not name:
            continue
        reasons: Counter[str] = Counter()
        for loc, section in sections.items():
            if section == name and loc in now:
                reasons.update(now[loc].reasons)
        mine = [past_state for key, past_state in dropped.items() if key.startswith(f"{name}\t")]
        last = _total(name, sections, past[0].reports) if past else None
        states.append(
            SectionState(
                name,
                sum(submitted.get(loc, 0) for loc, of in sections.items() if of == name),
                *counts,
                dict(sorted(reasons.items(), key=lambda item: (-item[1], item[0]))),
                last[1] if last else None,
                min(mine, key=lambda past_state: past_state.p, default=None),
            )
        )
    return sorted(states, key=lambda past_state: (-past_state.missing, past_state.name))


def _total(
    name: str, sections: Mapping[str, str], reports: Mapping[str, SitemapReport]
) -> tuple[int, int] | None:
    """Found and indexed in all sitemaps of a section; None where neither is known."""
    reported = [
        one
        for loc, section in sections.items()
        if section == name and (one := reports.get(loc)) and one.indexed is not None
    ]
    if not reported:
        return None
    return sum(one.found or 0 for one in reported), sum(one.indexed or 0 for one in reported)


def _pairs(
    past: Sequence[Past], pages: Mapping[str, PageReport], of_page: Mapping[str, str]
) -> dict[tuple[str, int], list[tuple[bool, bool]]]:
    """Pages of which it is known then and now whether they are indexed, by section and past."""
    pairs: dict[tuple[str, int], list[tuple[bool, bool]]] = {}
    for number, one in enumerate(past):
        for loc, then in one.pages.items():
            now = pages.get(loc)
            if loc in of_page and then.indexed is not None and now and now.indexed is not None:
                pair = (then.indexed, now.indexed)
                pairs.setdefault((of_page[loc], number), []).append(pair)
    return pairs
