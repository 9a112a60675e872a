"""The links of a site on a terminal."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.linking.broken import BrokenLink
    from jovial_atlas.rounds.proving.links import LinkOverview

_SHOWN = 3
#: Signs of the longest bar of a histogram, and rows of it.
_BAR, _ROWS = 30, 12


def show_overview(
    out: Output,
    told: LinkOverview,
    broken: Sequence[BrokenLink],
    url: str,
    *,
    show_all: bool,
) -> None:
    """The site in a few lines: figures first, then what is the matter, worst first."""
    from jovial_atlas.faults import plural

    layout = told.links - told.content_links
    out.say(
        f"{plural(told.pages, 'page')}, {plural(told.links, 'link')} between them: "
        f"{told.content_links:,} in the content, {layout:,} in the layout.",
        style="bold",
    )
    _depth(out, told)
    if told.most:
        first = ", ".join(
            f"{_short(loc, url)} ({weight:.1%})" for loc, _, weight in told.most[:_SHOWN]
        )
        out.indented("most visited by following links:", first, indent=0)
    out.say()
    if not _whats_wrong(out, told, broken, url, None if show_all else _SHOWN):
        out.say("Every listed page is linked to, and every link leads somewhere.", style="green")
    _apart(out, told)


def _whats_wrong(
    out: Output, told: LinkOverview, broken: Sequence[BrokenLink], url: str, most: int | None
) -> bool:
    """What is the matter, worst first; False where nothing is."""
    from jovial_atlas.findings.finding import SEVERITIES

    found = _kinds_of_broken(broken)
    blocks: list[tuple[str, str, Sequence[str], str]] = [(one, "", (), "") for one in found]
    blocks += [
        (severity, what, locs, fix) for severity, what, locs, fix in (
            ("error", "Nothing leads to", told.orphans,
             "Link to them from the pages of their subject, or take them out of the sitemap. "
             "`jovial-atlas links propose PAGE` finds places."),
            ("warning", "No way leads from the start to", told.islands,
             "Link from a page that readers come to, to one of them."),
            ("warning", "Only links that crawlers do not follow lead to", told.only_nofollow,
             "Give them a link from a page whose links are followed."),
            ("warning", "Only pages that are kept out of the index lead to", told.only_unlisted,
             "Link to them from a page that is listed."),
            ("advice", "Dead ends: no link leads on from", told.dead_ends,
             "Link from them to what readers want next."),
        ) if locs
    ]  # fmt: skip
    blocks.sort(key=lambda block: SEVERITIES.index(block[0]))
    for severity, what, locs, fix in blocks:
        if what:
            _pages(out, severity, f"{what} ", locs, url, most, fix)
        else:
            _broken(out, severity, found[severity])
    return bool(blocks)


def _depth(out: Output, told: LinkOverview) -> None:
    """Pages by the clicks that they are away from the start, as bars."""
    from jovial_atlas.faults import plural

    known = {at: count for at, count in told.depth.items() if at is not None}
    none = told.depth.get(None, 0)
    longest = max([*known.values(), none, 1])
    start = told.starts[0] if told.starts else ""
    also = f" and {len(told.starts) - 1:,} more" if len(told.starts) > 1 else ""
    out.say(f"Clicks from {start}{also}:" if start else "No start page is known.")
    far = {at: count for at, count in known.items() if at >= _ROWS}
    rows = [(f"{at}", count) for at, count in known.items() if at < _ROWS]
    rows += [(f"{_ROWS}+", sum(far.values()))] if far else []
    rows += [("no way", none)] if none else []
    width = max(len(f"{count:,}") for _, count in rows) if rows else 1
    for name, count in rows:
        bar = "█" * max(1, round(_BAR * count / longest))
        out.say(f"  {name:>6}  {count:>{width},}  {bar}")
    if far:
        out.indented("", f"The farthest is {plural(max(far), 'click')} away.")


def _kinds_of_broken(broken: Sequence[BrokenLink]) -> dict[str, Counter[str]]:
    """Severity → codes of links that lead wrong, with how many there are."""
    from jovial_atlas.findings.registry import check_of
    from jovial_atlas.rounds.proving.links_told import code_of

    found: dict[str, Counter[str]] = {}
    for one in broken:
        code = code_of(one)
        found.setdefault(str(check_of(code).severity), Counter())[code] += 1
    return found


def _broken(out: Output, severity: str, counted: Counter[str]) -> None:
    """How many links of each kind of one severity lead wrong."""
    from jovial_atlas.findings.registry import check_of

    for code, count in counted.items():
        out.severity(severity, f"{check_of(code).what} ({count:,})", code)
    out.indented("do:", "`jovial-atlas links check` shows each with its pages.", style="green")
    out.say()


def _pages(
    out: Output,
    severity: str,
    what: str,
    locs: Sequence[str],
    url: str,
    most: int | None,
    fix: str,
) -> None:
    from jovial_atlas.faults import plural

    out.severity(severity, f"{what}{plural(len(locs), 'listed page')}", "")
    for loc in locs[:most]:
        out.indented("-", _short(loc, url), style="")
    if most is not None and len(locs) > most:
        out.indented("", f"… and {len(locs) - most:,} more; --all shows them")
    out.indented("do:", fix, style="green")
    out.say()


def _apart(out: Output, told: LinkOverview) -> None:
    if told.apart:
        shown = ", ".join(f"{one} and {other}" for one, other in told.apart[:_SHOWN])
        more = f", and {len(told.apart) - _SHOWN:,} more pairs" if len(told.apart) > _SHOWN else ""
        out.indented("sections without a link to each other:", f"{shown}{more}", indent=0)


def _short(loc: str, url: str) -> str:
    return loc.removeprefix(url) or loc
