"""Whether an engine has what was announced to it, by what it says when it is asked."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jovial_atlas.engines.published import NOT_KNOWN, SITEMAPS, channel_for

if TYPE_CHECKING:
    from jovial_atlas.engines.asking import Asking
    from jovial_atlas.ledger import Ledger


def sitemap_arrived(
    channel: str, loc: str, since: str, ledger: Ledger, asking: Asking
) -> bool | None:
    """Whether it has a sitemap, or for `remove-sitemap` has it no longer; None where it cannot
    tell. Raises NetworkError."""
    reports = asking.sitemaps()
    if reports is None:
        return None
    report = next((report for report in reports if report.loc == loc), None)
    if channel == "remove-sitemap":
        return report is None
    if report is None:
        return False
    if report.submitted:
        return report.submitted >= since
    if report.last_read and report.last_read >= since:
        return True
    # Known there, and by no earlier message of ours.
    return True if loc not in ledger.heard(asking.engine.name, SITEMAPS) else None


def page_arrived(loc: str, since: str, asking: Asking) -> bool | None:
    """Whether it was told of a page since then; None where it cannot tell. Raises NetworkError."""
    report = asking.page(loc)
    if report is None and channel_for(asking.engine, "read-pages"):
        listed = (page for part in asking.pages() for page in part)
        report = next((page for page in listed if page.loc == loc), None)
        if report is None:
            return False
    if report is None:
        return None
    if report.reason == NOT_KNOWN:
        return False
    return report.announced >= since if report.announced else None
