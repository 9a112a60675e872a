"""What the check found, by kind, with the places of each."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from jovial_atlas.findings import Finding
from jovial_atlas.findings.registry import check_of
from jovial_atlas.report.values import FaultPlace, ReportedFault

#: More places of one kind fit into no page.
_NAMED = 20_000


def reported_faults(
    findings: Iterable[Finding], numbers: Mapping[str, int], site_url: str
) -> Iterator[ReportedFault]:
    """Findings by their codes, in the order in which they come; of each what is said, with the
    places of which it is. `numbers` are those of pages, by address and by file."""
    by_code: dict[str, list[Finding]] = {}
    for one in findings:
        by_code.setdefault(one.code, []).append(one)
    for code, some in by_code.items():
        check = check_of(code)
        said: dict[str, list[FaultPlace]] = {}
        for one in some[:_NAMED]:
            place = FaultPlace(short_address(one.where, site_url), numbers.get(one.where))
            said.setdefault(one.message, []).append(place)
        yield ReportedFault(
            str(check.severity), code, check.what, check.why, check.fix, len(some),
            list(said.items()), max(0, len(some) - _NAMED),
        )  # fmt: skip


def short_address(loc: str, site_url: str) -> str:
    """An address of the site from its root on, every other as it is."""
    return loc[len(site_url) :] if loc.startswith(f"{site_url}/") else loc
