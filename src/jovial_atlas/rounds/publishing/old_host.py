"""What is written for the old host of a site whose domain moved: every old address leads to its end
at the new one in one hop, its robots.txt is open, and a sitemap of the old addresses stays for a
time, so that engines come to see the moves."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta
from urllib.parse import urlsplit

import polars as pl

from jovial_atlas import addresses, dates
from jovial_atlas.moves.apache import apache_moves_server, apache_tables
from jovial_atlas.moves.hops import Hops, hops_of, in_other_case
from jovial_atlas.moves.move import Move
from jovial_atlas.moves.nginx import nginx_moves_http, nginx_moves_server
from jovial_atlas.moves.others import moves_as_csv, moves_as_json
from jovial_atlas.moves.resolving import Leads, MoveMap
from jovial_atlas.moves.spellings import twin_host
from jovial_atlas.rounds.deciding.domain import old_addresses
from jovial_atlas.rounds.publishing.build.companions import key_files
from jovial_atlas.rounds.publishing.redirects import SiteRedirects
from jovial_atlas.rounds.publishing.server_files import server_text
from jovial_atlas.rounds.state.names import ROBOTS, SERVERS
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitemaps.write import index_file, urlset_parts
from jovial_atlas.values import replace

OLD_FILES = "old-host"
_SITEMAP = "sitemap.xml"


def old_host_map(site: SiteFile, redirects: SiteRedirects) -> MoveMap:
    """The moves of the old host: the rows about it, those of the new host by the same paths, and,
    for all else, the same path."""
    old, new = site.model.moves.old_url, site.model.site.url
    about_it = [move for move in site.moves if move.origin == old and not move.is_refused]
    own = [move for move in about_it if move.path != "/**"]
    rest = [move for move in about_it if move.path == "/**"] or [Move(old, "/**", f"{new}/$1")]
    alive = {loc for pages in redirects.staying.values() for loc in pages}
    mine = [move for move in site.moves if move.origin == new and not move.is_refused]
    moved = [replace(move, origin=old) for move in mine if move.old not in alive]
    stays = [Move(old, addresses.path_and_query(loc), loc) for loc in sorted(alive)]
    return MoveMap([*own, *moved, *stays, *rest])


def old_end(by: MoveMap, redirects: SiteRedirects, address: str) -> Leads | None:
    """Where an address of the old host leads in the end."""
    end = by.end(address)
    if end is None or end.loops or not end.to:
        return end
    more = redirects.by.end(end.to.partition("#")[0])
    return more if more and not more.loops else end


def old_host_files(
    site: SiteFile, redirects: SiteRedirects, now: datetime
) -> Iterator[tuple[str, bytes]]:
    """Name and bytes of each file for the old host; none where no domain moves."""
    old, new = site.model.moves.old_url, site.model.site.url
    if not old or site.host:
        return
    by = old_host_map(site, redirects)
    known = old_addresses(site)
    whole = hops_of(old, by, {}, known)
    cases = in_other_case(whole.single, map(addresses.path_and_query, known))
    # The last pattern, of all that is left, is a rule of its own in configurations.
    patterns = [one for one in whole.patterns if one.pattern != "/**"]
    hops = replace(whole, patterns=patterns, other_case=cases)
    folder = f"{(site.state / SERVERS).absolute()}/{OLD_FILES}"
    keys = dict(key_files(site, dry=True))
    own = (ROBOTS, _SITEMAP, *keys)
    yield f"{OLD_FILES}/nginx.conf", server_text(_nginx(old, new, hops, folder, own), "_old")
    yield f"{OLD_FILES}/apache.conf", server_text(_apache(new, hops, folder, own), "_old")
    for name, data in apache_tables(hops) if hops else ():
        yield f"{OLD_FILES}/{name}", data
    yield f"{OLD_FILES}/moves.json", moves_as_json(whole)
    yield f"{OLD_FILES}/moves.csv", moves_as_csv(whole)
    names = []
    for name, data in _sitemaps(site, known, now):
        names.append(name)
        yield f"{OLD_FILES}/{name}", data
    for key, data in keys.items():
        yield f"{OLD_FILES}/{key}", data
    robots = ["User-agent: *", "Disallow:", *([f"Sitemap: {old}/{_SITEMAP}"] if names else [])]
    yield f"{OLD_FILES}/{ROBOTS}", ("\n".join(robots) + "\n").encode()


def _names_of(old: str) -> str:
    host = urlsplit(old).hostname or ""
    return f"{host} {twin_host(host)}"


def _nginx(old: str, new: str, hops: Hops, folder: str, own: Sequence[str]) -> list[str]:
    """A server block with the maps that it needs, under names of their own."""
    http, _ = nginx_moves_http(hops)
    lines = [*http, "server {", "    listen 80;", "    listen [::]:80;"]
    if old.startswith("https:"):
        lines += [
            "    # listen 443 ssl;",
            "    # listen [::]:443 ssl;",
            "    # ssl_certificate /path/to/certificate.pem;",
            "    # ssl_certificate_key /path/to/key.pem;",
        ]
    lines += [f"    server_name {_names_of(old)};"]
    for name in own:
        lines += [f"    location = /{name} {{", f"        alias \"{folder}/{name}\";", "    }"]
    lines += [f"    location ~ ^/sitemap-[0-9]+\\.xml$ {{ root \"{folder}\"; }}"]
    lines += [f"    {line}" for line in nginx_moves_server(hops)]
    lines += ["    location / {", f"        return 301 {new}$request_uri;", "    }", "}"]
    return lines


def _apache(new: str, hops: Hops, folder: str, own: Sequence[str]) -> list[str]:
    moves = apache_moves_server(hops, folder) if hops else ["RewriteEngine On"]
    files = "|".join(name.replace(".", "[.]") for name in own)
    first = [
        *(f'Alias "/{name}" "{folder}/{name}"' for name in own),
        f'AliasMatch "^/(sitemap-[0-9]+[.]xml)$" "{folder}/$1"',
        f'<Directory "{folder}">',
        "    Require all granted",
        "</Directory>",
        "RewriteEngine On",
        f'RewriteRule "^/(?:{files}|sitemap-[0-9]+[.]xml)$" - [L]',
    ]
    rest = [
        r'RewriteCond %{THE_REQUEST} "^\S+ (?:[A-Za-z]+://[^/? ]*)?(/[^? ]*)"',
        f'RewriteRule ^ "{new}%1" [R=301,NE,L]',
    ]
    return [*first, *moves, *rest]


def _sitemaps(site: SiteFile, known: list[str], now: datetime) -> Iterator[tuple[str, bytes]]:
    """The sitemap of the old addresses, while it is wanted."""
    began = site.model.moves.moved_on
    days = timedelta(days=site.model.moves.old_sitemap_days)
    if not known or (began and dates.moment(str(dates.read(began))) + days < now):
        return
    table = pl.DataFrame({"loc": known}).with_columns(lastmod=pl.lit(None, pl.String))
    parts = list(urlset_parts(table))
    names = [_SITEMAP] if len(parts) == 1 else [
        f"sitemap-{number}.xml" for number in range(1, len(parts) + 1)
    ]  # fmt: skip
    for name, part in zip(names, parts, strict=True):
        yield name, part.data
    if len(parts) > 1:
        yield _SITEMAP, index_file([(f"{site.model.moves.old_url}/{name}", None) for name in names])
