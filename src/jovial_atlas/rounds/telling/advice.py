"""What to do next about an engine, in words, the most pressing first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta

from jovial_atlas import addresses, dates
from jovial_atlas.engines.channels import channel_name, kind_of
from jovial_atlas.engines.published import PAGES, Published, channel_for
from jovial_atlas.faults import plural
from jovial_atlas.ledger import Ledger, PageReport
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.rounds.state.names import ROBOTS
from jovial_atlas.rounds.telling.coverage import COMPANIONS, SectionState
from jovial_atlas.rounds.telling.engine_state import SitemapState, Standing
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.trends.drops import LEVEL

#: After so many days without being read, a sitemap is told as silent.
SILENT_DAYS = 7

#: Words in an engine's reason → what helps. The first that fits counts.
_HELP = (
    ((" yet", "discovered", "waiting"),
     "wait some days, or ask for the most important with `jovial-atlas submit URL`"),
    (("noindex",), "see with `jovial-atlas check --live` where the noindex comes from"),
    (("robots",), "see with `jovial-atlas robots test` which rule bars them"),
    (("canonical",), "see with `jovial-atlas explain` which canonical they name"),
    (("duplicate",), "see with `jovial-atlas check` which pages repeat each other"),
    (("redirect",), "list the addresses that they lead to instead"),
    (("not found", "404", "gone"), "see with `jovial-atlas check --live` which are missing"),
    (("server error", "5xx", "could not"), "see with `jovial-atlas check --live` what fails"),
    (("crawled", "too little", "thin", "empty", "soft"),
     "look at the pages as a reader would: they say too little, or what others say"),
)  # fmt: skip


def _impossible(engine: Engine, sitemaps: Sequence[SitemapState]) -> Iterator[str]:
    """Figures that cannot be right."""
    wrong = [one for one in sitemaps if one.is_impossible]
    if wrong:
        one = wrong[0]
        more = f", and so for {len(wrong) - 1:,} more" if len(wrong) > 1 else ""
        yield (
            f"{engine.name} says that {one.indexed:,} addresses of "
            f"{one.loc.rpartition('/')[2]} are indexed, which lists {one.submitted_urls:,}{more}. "
            "Check `fields` of its channel, or `columns` of its export; no share is shown."
        )


def help_for(reason: str) -> str:
    """What helps against an engine's reason, "" where nothing is known."""
    low = reason.casefold()
    return next((text for words, text in _HELP if any(word in low for word in words)), "")


def next_steps(
    site: SiteFile, engine: Engine, public: Published, ledger: Ledger, standing: Standing
) -> list[str]:
    """What the owner should do about this engine."""
    now = dates.moment(ledger.now())
    return [
        *_trouble(engine, ledger, standing.trouble),
        *_impossible(engine, standing.sitemaps),
        *_drops(engine, standing.sections),
        *_gaps(engine, standing),
        *_sitemaps(engine, standing.sitemaps),
        *_lost(engine, standing),
        *_silences(engine, standing.sitemaps, now),
        *_by_logs(engine, site, public, ledger),
        *_not_found(site, engine, public, ledger),
        *_left_out(engine, ledger.reasons(engine.name), standing),
        *_to_announce(engine, public, ledger),
        *_ownership(site, engine),
        *_cannot_tell(engine),
    ]


def _trouble(engine: Engine, ledger: Ledger, trouble: str) -> Iterator[str]:
    if trouble:
        yield f"{trouble} The figures shown are the last known ones."
    if cut := len(ledger.unsettled(engine.name)):
        yield (
            f"{plural(cut, 'announcement')} broke off with no known outcome; "
            "`jovial-atlas submit` finds out and sends what is still due."
        )


def _drops(engine: Engine, sections: Sequence[SectionState]) -> Iterator[str]:
    for section in sections:
        drop = section.drop
        if drop is None:
            continue
        yield (
            f"{section.name} dropped: {drop.before.part:,} of {drop.before.of:,} indexed on "
            f"{drop.since[:10]}, {drop.now.part:,} of {drop.now.of:,} now ({drop.test}, "
            f"p = {drop.p:.1g}; more than chance at a level of {LEVEL:.0%}). "
            f"{_behind(engine, section.name, 'left-out')}"
        )


def _gaps(engine: Engine, standing: Standing, most: int = 3) -> Iterator[str]:
    """The sections that miss most pages, with the engine's reasons, and what helps against them."""
    short = [one for one in standing.sections if one.missing and one.name not in COMPANIONS]
    for one in short[:most]:
        reasons = [f"{count:,} {reason}" for reason, count in list(one.reasons.items())[:3]]
        why = ", ".join(reasons) or "no reason given"
        yield f"{one.name}: {one.indexed:,} of {one.found:,} indexed; {why}."
    if len(short) > most:
        rest = sum(one.missing for one in short[most:])
        verb = "is" if rest == 1 else "are"
        yield (
            f"{plural(len(short) - most, 'more section')} with {plural(rest, 'page')} that "
            f"{verb} not indexed. {_behind(engine, '', 'left-out')}"
        ).rstrip()
    totals: Counter[str] = Counter()
    for one in short:
        totals.update(one.reasons)
    advised: dict[str, list[str]] = {}
    for reason, count in totals.most_common(3):
        advised.setdefault(help_for(reason), []).append(f"{count:,} {reason!r}")
    for advice, reasons in advised.items():
        if advice:
            yield f"For the {' and the '.join(reasons)}: {advice}."


def _behind(engine: Engine, section: str, which: str) -> str:
    of = f" --section {section}" if section else ""
    named = f"`jovial-atlas status --pages {which}{of}` names the pages."
    return named if channel_for(engine, "read-pages") or engine.exports else ""


def _sitemaps(engine: Engine, states: Sequence[SitemapState]) -> Iterator[str]:
    removes = channel_for(engine, "remove-sitemap") is not None
    for state in states:
        name = state.loc.rpartition("/")[2]
        if state.state == "not in the build":
            yield f"{name} is known to {engine.name} but no longer written; " + (
                "`jovial-atlas submit` withdraws it." if removes else "withdraw it there."
            )
        elif state.state not in ("success", "pending", "announced", "not announced", "lost"):
            yield f"{name} was read with the result {state.state!r}; run `jovial-atlas check`."


def _lost(engine: Engine, standing: Standing) -> Iterator[str]:
    """Sitemaps that this engine was told of and does not list, though others do."""
    gone = [state for state in standing.sitemaps if state.state == "lost"]
    for state in gone[:3]:
        name = state.loc.rpartition("/")[2]
        others = ", ".join(standing.elsewhere.get(state.loc, ()))
        known = f", though {others} knows it" if others else ""
        yield (
            f"{name} was announced to {engine.name}, which does not list it{known}; announce it "
            f"again: `jovial-atlas submit /{name} --engine {engine.name}`."
        )
    if len(gone) > 3:
        yield f"{plural(len(gone) - 3, 'more sitemap')} of {engine.name} got lost likewise."


def _silences(engine: Engine, states: Sequence[SitemapState], now: datetime) -> Iterator[str]:
    """Sitemaps that were announced and not read since."""
    old = dates.write(now - timedelta(days=SILENT_DAYS))
    reads = channel_for(engine, "read-sitemaps") is not None
    never = [
        s for s in states
        if s.announced_at and not s.last_read and s.announced_at < old and s.state != "lost"
    ]  # fmt: skip
    if never and (reads or engine.exports):
        yield (
            f"{plural(len(never), 'sitemap')} announced more than {SILENT_DAYS} days ago and "
            f"never read ({_names(never)}): see with `jovial-atlas check --live` whether they can "
            "be."
        )
    stale = [
        s for s in states
        if s.announced_at and s.last_read and s.last_read[:19] < s.announced_at[:19] < old
    ]  # fmt: skip
    if stale:
        yield (
            f"{plural(len(stale), 'sitemap')} last read before the last change ({_names(stale)})."
        )


def _names(states: Sequence[SitemapState]) -> str:
    return ", ".join(one.loc.rpartition("/")[2] for one in states[:3])


def _by_logs(engine: Engine, site: SiteFile, public: Published, ledger: Ledger) -> Iterator[str]:
    """What the crawlers of an engine did not do, by the logs that were read."""
    visits = ledger.visits(engine.name)
    if not visits:
        return
    robots = max((v.last for v in visits if v.loc.endswith("/robots.txt")), default="")
    path = site.output / ROBOTS
    if robots and path.is_file():
        written = dates.write(datetime.fromtimestamp(path.stat().st_mtime, UTC))
        if robots < written:
            before = f"its crawlers last read it on {robots[:10]}"
            yield f"robots.txt changed on {written[:10]}; {before}."
    seen = {visit.loc for visit in visits}
    never = len(public.pages) - public.pages.within(seen)
    if never:
        yield (
            f"{plural(never, 'listed page')} of {len(public.pages):,} never asked for, by the logs "
            "read so far; `jovial-atlas status --pages unvisited` names them."
        )
    broken = [visit.loc for visit in visits if visit.status >= 400]
    if broken:
        yield (
            f"{plural(len(broken), 'address', 'addresses')} answered its crawlers with an error: "
            f"{', '.join(broken[:3])}."
        )


def _left_out(engine: Engine, reasons: Mapping[str, int], standing: Standing) -> Iterator[str]:
    """Why pages are not indexed, as the engine exported it."""
    for reason, count in list(reasons.items())[:3]:
        if count:
            advice = help_for(reason)
            more = f" {advice[:1].upper()}{advice[1:]}." if advice else ""
            yield f"{engine.name} leaves out {plural(count, 'page')}: {reason}.{more}"
    if channel_for(engine, "read-pages"):
        return
    out = [one for one in standing.pages.values() if one.indexed is False]
    if out:
        shown = ", ".join(_shown(one) for one in out[:3])
        more = f" and {len(out) - 3:,} more" if len(out) > 3 else ""
        yield f"{plural(len(out), 'address', 'addresses')} not indexed: {shown}{more}."


def _shown(one: PageReport) -> str:
    return f"{one.loc} ({one.reason or 'no reason given'})"


#: Words of engines for a page that is not there.
_NOT_FOUND = ("not found", "404", "410", "gone")


def _not_found(
    site: SiteFile, engine: Engine, public: Published, ledger: Ledger
) -> Iterator[str]:
    """Addresses that the engine did not find, that are no page now, and that nobody led on."""
    by = MoveMap(site.moves)
    refused = {move.old for move in site.moves if move.is_refused}
    lost = [
        loc
        for loc, said in ledger.pages(engine.name).items()
        if any(word in said.reason.casefold() for word in _NOT_FOUND)
        and loc not in refused
        and by.first(loc) is None
    ]
    listed = public.pages.marks_of(lost) if lost else {}
    lost = [loc for loc in lost if loc not in listed]
    if lost:
        some = ", ".join(addresses.path_and_query(loc) for loc in sorted(lost)[:3])
        more = f" and {len(lost) - 3:,} more" if len(lost) > 3 else ""
        what = plural(len(lost), "address that has", "addresses that have")
        yield (
            f"{engine.name} did not find {what} no move: {some}{more}. `jovial-atlas moves` "
            "proposes where they could lead; `moves gone` says that one is gone on purpose."
        )


def _to_announce(engine: Engine, public: Published, ledger: Ledger) -> Iterator[str]:
    pages = files = later = 0
    for channel in engine.channels:
        kind = kind_of(channel)
        if channel_name(channel) == PAGES:
            now, more = kind.waiting(engine, channel, public, ledger)
            pages, later = pages + now, later + more
        else:
            waiting = list(kind.due(engine, channel, public, ledger))
            files += len(waiting)
            later += sum(one.later for one in waiting)
    parts = [plural(pages, "address", "addresses")] if pages else []
    parts += [plural(files, "sitemap")] if files else []
    if parts:
        yield f"{' and '.join(parts)} still to announce: run `jovial-atlas submit`."
    if later:
        yield f"{plural(later, 'address', 'addresses')} wait for another day's quota."


def _ownership(site: SiteFile, engine: Engine) -> Iterator[str]:
    if record := engine.ownership.dns:
        host = site.model.site.url.partition("://")[2]
        yield f"Ownership: a TXT record on {host} that says {record!r}."


def _cannot_tell(engine: Engine) -> Iterator[str]:
    if channel_for(engine, "read-sitemaps") is None and not engine.exports:
        yield (
            f"{engine.name} has no channel named read-sitemaps, so what it read and indexed "
            "is not known here."
        )
