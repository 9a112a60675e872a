"""What the last build made public, as it is announced."""

from __future__ import annotations

from collections.abc import Sequence

from jovial_atlas import addresses
from jovial_atlas.engines.published import Published
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import digest
from jovial_atlas.ledger import Built, Ledger
from jovial_atlas.robots import parse_robots
from jovial_atlas.rounds.state.names import ROBOTS
from jovial_atlas.rounds.state.record import load_record, marks, page_sections, site_key
from jovial_atlas.sitefile import IndexNowChannel, SiteFile


def published(site: SiteFile) -> Published:
    """What the last build made public. Raises AtlasError where there was none."""
    pages = marks(site)
    record = load_record(site)
    url = site.model.site.url
    sections = {f"{url}/{one.path}": name.rpartition("/")[0] for name, one in record.files.items()}
    return Published(
        url,
        site_key(site),
        pages,
        record.sitemaps,
        _feeds(site),
        _weights(site),
        {loc: sections.get(loc, "") for loc in record.sitemaps},
        _in_robots(site),
    )


def _in_robots(site: SiteFile) -> frozenset[str]:
    """The sitemaps that the robots.txt in the output folder names."""
    place = site.output / ROBOTS
    data = place.read_bytes() if place.is_file() else b""
    return frozenset(record.value for record in parse_robots(data).sitemaps)


def note_built(public: Published, ledger: Ledger) -> None:
    """Let the ledger know what stands in the sitemaps now; the index is not counted."""
    ledger.note_built(
        [
            Built(loc, public.sections[loc], urls)
            for loc, (_, urls) in public.sitemaps.items()
            if public.sections.get(loc)
        ]
    )


def _feeds(site: SiteFile) -> dict[str, str]:
    """The feeds as they stand in the output folder, with their marks."""
    feed, found = site.model.feed, {}
    for name in (feed.rss, feed.atom):
        place = site.output / name
        if name and place.is_file():
            found[f"{site.model.site.url}/{name}"] = digest(place.read_bytes())
    return found


def _weights(site: SiteFile) -> dict[str, float]:
    """The weight of each page's section, where sections have any and a quota makes it matter. The
    section is the one that was decided: the one in whose sitemap the page stands."""
    limited = any(
        isinstance(one, IndexNowChannel) and one.per_day
        for engine in site.model.engine
        for one in engine.channels
    )
    weights = {s.name: s.priority for s in site.model.section if s.priority is not None}
    if not limited or not weights:
        return {}
    return {loc: weights.get(name, 0.5) for loc, name in page_sections(site).items()}


def asked_for(public: Published, urls: Sequence[str], *, pages_only: bool = False) -> list[str]:
    """Addresses of pages, and of sitemaps unless `pages_only`, as the build knows them. Raises
    AtlasError for one that is not public."""
    found = []
    for url in urls:
        given = public.site_url + url if url.startswith("/") else url
        try:
            loc = addresses.normalise(given)
        except ValueError as error:
            raise AtlasError(f"{error}. Give the whole address, or its path from '/' on.") from None
        if loc not in public.pages and (pages_only or loc not in public.sitemaps):
            raise AtlasError(
                f"{loc} is not listed, so no engine is told of it; "
                f"see `jovial-atlas explain {url}`."
            )
        found.append(loc)
    return found
