"""How `traffic` shows the site on a terminal."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.telling.traffic_seen import PageChange, SiteTraffic

#: Rows of a list that are shown unless all are asked for.
_ROWS = 5
_BARS = "▁▂▃▄▅▆▇█"


def show_traffic(out: Output, told: SiteTraffic, url: str, *, show_all: bool) -> None:
    """The whole site: how it goes, what changed, what to do."""
    from jovial_atlas.faults import plural
    from jovial_atlas.trends.changes import CHANGE_TEST

    span, engines = told.compared.now, " and ".join(told.compared.engines)
    out.say(f"{span.begins} to {span.ends}, as {engines} told:", style="bold")
    # Less than two weeks on each side are no measure.
    before = (told.clicks_before, told.impressions_before) if told.compared.weeks else (0, 0)
    _level(out, "clicks", told.clicks, before[0], [one[1] for one in told.weeks])
    _level(out, "shown", told.impressions, before[1], [one[2] for one in told.weeks])
    weeks = plural(told.compared.weeks, "week")
    if not told.compared.weeks:
        out.indented("!", "Tables of four weeks at least are needed to compare weeks with those "
                     "before; what follows cannot tell what changed.")  # fmt: skip
    if told.is_cut:
        out.indented("!", "A table was cut off, so pages that are missing in it are not known.")
    _sections(out, told)
    most = None if show_all else _ROWS
    tested = plural(told.tested, "page")
    _changed(out, "Fell", told.fell, url, most, f"of {tested}, beyond what the site did and chance",
             "`jovial-atlas explain PAGE` shows what is published of it, "
             "`jovial-atlas review PAGE` what could be better.")  # fmt: skip
    _changed(out, "Rose", told.rose, url, most, "by more than chance",
             "See what they have that others do not.")  # fmt: skip
    if told.tested and not told.fell and not told.rose:
        out.say(f"No page of {tested} rose or fell by more than chance in {weeks}.")
        out.say()
    if told.fell or told.rose:
        out.indented("", f"Named by a {CHANGE_TEST}: one in twenty may be chance.")
        out.say()
    _queries(out, told, most)
    _seldom(out, told, url, most)
    _rivals(out, told, url, most)
    _listing(out, told, url, most)


def _level(out: Output, name: str, now: int, before: int, weeks: Sequence[int]) -> None:
    from jovial_atlas.faults import change_in_words

    change = f", {change_in_words(before, now)} on the weeks before" if before else ""
    out.say(f"  {name:<7} {now:>11,}{change}  {_bars(weeks)}")


def _bars(values: Sequence[int]) -> str:
    """A row of bars, one a week."""
    most = max(values, default=0)
    if not most:
        return ""
    return "".join(_BARS[min(7, round(7 * value / most))] for value in values)


def _sections(out: Output, told: SiteTraffic) -> None:
    from jovial_atlas.faults import change_in_words

    rows = []
    for one in told.sections:
        change = change_in_words(one.before, one.clicks) if told.compared.weeks else "–"
        beyond = "more than chance" if one.changed else ""
        rows.append([one.name or "(not in the survey)", one.clicks, one.before, change, beyond])
    out.table(["Section", "Clicks: right", "Before: right", "Change: right", "Against the site"],
              rows)  # fmt: skip
    out.say()


def _changed(
    out: Output, what: str, rows: Sequence[PageChange], url: str, most: int | None, how: str,
    fix: str,
) -> None:  # fmt: skip
    from jovial_atlas.faults import plural

    if not rows:
        return
    count = f"{len(rows):,}" if how.startswith("of ") else plural(len(rows), "page")
    out.say(f"{what}: {count} {how}", style="bold")
    for one in rows[:most]:
        out.indented("-", f"{_short(one.loc, url)}  {one.before:,} → {one.now:,} clicks", cut=True)
    _more(out, len(rows), most)
    out.indented("do:", fix, style="green")
    out.say()


def _queries(out: Output, told: SiteTraffic, most: int | None) -> None:
    for what, rows in (("New", told.new_queries), ("Lost", told.lost_queries)):
        if rows:
            shown = ", ".join(
                f"“{one.loc}” ({max(one.before, one.now):,})" for one in rows[: most or len(rows)]
            )
            more = f" and {len(rows) - most:,} more" if most and len(rows) > most else ""
            out.say(f"{what} searches, with the times shown:", style="bold")
            out.indented("-", f"{shown}{more}")
            out.say()
    if told.by_query is not None:
        out.indented("", f"Tables by search tell of {told.by_query:.0%} of all clicks: engines "
                     "leave out what few people searched.")  # fmt: skip
        out.say()


def _seldom(out: Output, told: SiteTraffic, url: str, most: int | None) -> None:
    if not told.seldom_clicked:
        return
    out.say("Shown often, clicked seldom for their place (against this site's own curve):",
            style="bold")  # fmt: skip
    for one in told.seldom_clicked[:most]:
        out.indented("-", f"{_short(one.loc, url)}  “{one.query}”, place {one.position:g}: "
                     f"{one.share:.1%} of {one.shown:,} clicked, {one.usual:.1%} is usual",
                     cut=True)  # fmt: skip
    _more(out, len(told.seldom_clicked), most)
    page = _short(told.seldom_clicked[0].loc, url)
    out.indented("do:", f"`jovial-atlas preview {page}` shows how it looks where it is found, "
                 "`jovial-atlas suggest` proposes texts.", style="green")  # fmt: skip
    out.say()


def _rivals(out: Output, told: SiteTraffic, url: str, most: int | None) -> None:
    if not told.rivals:
        return
    out.say("Searches for which several of your pages are shown:", style="bold")
    for one in told.rivals[:most]:
        pages = ", ".join(f"{_short(loc, url)} ({times:,})" for loc, times in one.pages)
        turns = f"; they took turns {one.turns} times" if one.turns > 1 else ""
        out.indented("-", f"“{one.query}”: {pages}{turns}", cut=True)
    _more(out, len(told.rivals), most)
    out.indented("do:", "Let one of them lead: link to it from the others with these words "
                 "(`jovial-atlas links propose PAGE`), or join them.", style="green")  # fmt: skip
    out.say()


def _listing(out: Output, told: SiteTraffic, url: str, most: int | None) -> None:
    from jovial_atlas.faults import plural

    if told.never_shown:
        out.say(f"Listed for two months or more and never shown: "
                f"{plural(len(told.never_shown), 'page')}", style="bold")  # fmt: skip
        for loc in told.never_shown[:most]:
            out.indented("-", _short(loc, url), cut=True)
        _more(out, len(told.never_shown), most)
        out.indented("do:", "`jovial-atlas status --pages left-out` tells why engines leave pages "
                     "out; `jovial-atlas links to PAGE` whether anything leads there.",
                     style="green")  # fmt: skip
        out.say()
    if told.unlisted:
        out.say(f"Shown though not listed: {plural(len(told.unlisted), 'page')}", style="bold")
        for loc, times, reason in told.unlisted[:most]:
            why = reason or "the survey does not know it"
            out.indented("-", f"{_short(loc, url)}  {times:,} times; {why}", cut=True)
        _more(out, len(told.unlisted), most)
        out.indented("do:", "`jovial-atlas explain PAGE` says what decides; an address that is "
                     "no page any more needs a move (`jovial-atlas moves`).",
                     style="green")  # fmt: skip


def _more(out: Output, count: int, most: int | None) -> None:
    if most is not None and count > most:
        out.indented("", f"… and {count - most:,} more; --all shows them")


def _short(loc: str, url: str) -> str:
    return loc.removeprefix(url) or "/"
