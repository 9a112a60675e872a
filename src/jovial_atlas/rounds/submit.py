"""Announcing what the last build made public, and asking what came of it."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime

import httpx
from rapidfuzz import process

from jovial_atlas import addresses, dates, patterns
from jovial_atlas.engines.announce import (
    Due,
    Outcome,
    Published,
    announce,
    by_hand,
    channel_name,
    due,
)
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.files import digest
from jovial_atlas.ledger import Ledger
from jovial_atlas.rounds.build.beside import site_key
from jovial_atlas.rounds.build.places import LEDGER
from jovial_atlas.rounds.build.public import load_record, marks
from jovial_atlas.rounds.check import blockers
from jovial_atlas.rounds.last import last_survey
from jovial_atlas.sitefile import CallChannel, Engine, HandChannel, IndexNowChannel, SiteFile


def open_ledger(site: SiteFile, now: Callable[[], datetime] = lambda: datetime.now(UTC)) -> Ledger:
    """The ledger of a site. Raises LedgerError."""
    return Ledger(site.state / LEDGER, lambda: dates.write(now()))


def published(site: SiteFile) -> Published:
    """What the last build made public. Raises AtlasError where there was none."""
    pages = marks(site)
    record = load_record(site)
    return Published(
        site.model.site.url,
        site_key(site),
        pages,
        record.sitemaps,
        _feeds(site),
        _weights(site, pages),
    )


def _feeds(site: SiteFile) -> dict[str, str]:
    """The feeds as they stand in the output folder, with their marks."""
    feed, found = site.model.feed, {}
    for name in (feed.rss, feed.atom):
        place = site.output / name
        if name and place.is_file():
            found[f"{site.model.site.url}/{name}"] = digest(place.read_bytes())
    return found


def _weights(site: SiteFile, pages: Mapping[str, str]) -> dict[str, float]:
    """The weight of each page's section, where sections have any and a quota makes it matter."""
    limited = any(
        isinstance(one, IndexNowChannel) and one.per_day
        for engine in site.model.engine
        for one in engine.channels
    )
    weights = {s.name: s.priority for s in site.model.section if s.priority is not None}
    if not limited or not weights:
        return {}
    found: dict[str, float] = {}
    for section in site.model.section:
        expression = re.compile(patterns.any_of(list(section.patterns)))
        for loc in pages:
            if loc not in found and expression.search(addresses.path_and_query(loc)):
                found[loc] = weights.get(section.name, 0.5)
    return found


def engines_named(site: SiteFile, names: Sequence[str]) -> list[Engine]:
    """The engines asked for, or all of them. Raises AtlasError for a name that is none."""
    known = {engine.name.lower(): engine for engine in site.model.engine}
    if not known:
        raise AtlasError(
            "The site file names no engine. Add an [[engine]] with its channels; "
            "`jovial-atlas demo` shows one at work."
        )
    chosen = []
    for name in names:
        if name.lower() not in known:
            best = process.extractOne(name.lower(), list(known), score_cutoff=50)
            meant = f" Did you mean {known[best[0]].name}?" if best else ""
            listed = ", ".join(engine.name for engine in known.values())
            raise AtlasError(f"{name!r} is no engine of the site file ({listed}).{meant}")
        chosen.append(known[name.lower()])
    return chosen or list(known.values())


def refuse_hidden(site: SiteFile, now: datetime) -> None:
    """Raise AtlasError where announcing would be wrong: a draft, or a site that hides itself."""
    if site.model.site.stage != "live":
        raise AtlasError(
            'Nothing is announced: the site is a draft. Set stage = "live" in [site], '
            "then survey, build and check."
        )
    found = blockers(site, last_survey(site, now).of_host(site).decided)
    if found:
        raise AtlasError(f"Nothing is announced: {found[0].message} {found[0].fix}")


def all_due(site: SiteFile, engines: Sequence[Engine], ledger: Ledger) -> list[Due]:
    """What each engine has yet to hear."""
    public = published(site)
    return [one for engine in engines for one in due(engine, public, ledger)]


def due_for(site: SiteFile, engines: Sequence[Engine], urls: Sequence[str]) -> list[Due]:
    """Single addresses of the site (or paths from '/' on), to be announced whether they changed or
    not. Raises AtlasError for one that is neither listed nor was, and where no channel takes any.
    """
    public = published(site)
    items: list[tuple[str, str | None]] = []
    for url in urls:
        given = site.model.site.url + url if url.startswith("/") else url
        try:
            loc = addresses.normalise(given)
        except ValueError as error:
            raise AtlasError(f"{error}. Give the whole address, or its path from '/' on.") from None
        if loc not in public.pages:
            raise AtlasError(
                f"{loc} is not listed, so it is not announced; see `jovial-atlas explain {url}`."
            )
        items.append((loc, public.pages[loc]))
    what = plural(len(items), "address", "addresses")
    found = [
        Due(engine, channel, items, f"{what} asked for")
        for engine in engines
        for channel in engine.channels
        if isinstance(channel, IndexNowChannel)
    ]
    if not found:
        raise AtlasError("No engine chosen takes single addresses: none has a channel indexnow.")
    return found


def run_submit(
    site: SiteFile,
    dues: Sequence[Due],
    ledger: Ledger,
    client: httpx.Client,
    environment: Mapping[str, str],
    pause: Callable[[float], None] = time.sleep,
    *,
    done: bool = False,
) -> Iterator[Outcome]:
    """Send each message and yield its outcome. After an engine fails once, the rest of that
    channel's messages are not sent in this run. What is to be done by hand is said, or with `done`
    recorded."""
    public = published(site)
    down: set[tuple[str, str]] = set()
    for one in dues:
        key = (one.engine.name, channel_name(one.channel))
        if key in down:
            yield Outcome(
                *key, one.what, len(one.items), "due", "not sent: this channel failed just before"
            )
            continue
        if not one.items:
            yield Outcome(*key, one.what, 0, "due", "the day's quota is used up")
            continue
        if isinstance(one.channel, HandChannel):
            yield by_hand(one, public, ledger, done=done)
            continue
        token = ""
        if isinstance(one.channel, CallChannel) and one.channel.token_env:
            token = environment.get(one.channel.token_env, "")
            if not token:
                down.add(key)
                yield Outcome(*key, one.what, len(one.items), "failed", _no_token(one.channel))
                continue
        outcome = announce(one, public, ledger, client, token, pause)
        if outcome.status == "failed":
            down.add(key)
        yield outcome


def _no_token(channel: CallChannel) -> str:
    return f"not sent: the environment variable {channel.token_env} holds no token"
