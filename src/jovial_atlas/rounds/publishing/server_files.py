"""Configuration of servers: directives of pages that are no HTML, which only a header can carry,
and moves; and what other servers may read of moves."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from urllib.parse import urlsplit

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault
from jovial_atlas.head.directives import directives_for, directives_of
from jovial_atlas.moves.apache import apache_moves_folder, apache_moves_server, apache_tables
from jovial_atlas.moves.nginx import nginx_moves_http, nginx_moves_server
from jovial_atlas.moves.others import moved_pages, moves_as_csv, moves_as_json
from jovial_atlas.moves.spellings import (
    apache_spellings,
    apache_spellings_table,
    nginx_hosts,
    nginx_spellings_http,
    nginx_spellings_server,
    spelled_paths,
    twin_host,
)
from jovial_atlas.moves.written import own_variables
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.robots.headers import apache_folder, apache_server, nginx_http, nginx_server
from jovial_atlas.rounds.publishing.redirects import SiteRedirects
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import SERVERS
from jovial_atlas.rules import DIRECTIVES
from jovial_atlas.sitefile import HtmlSource, SiteFile

WRITTEN_NOTE = "# Written by Jovial Atlas; changes are lost at the next build."
_HOW = {
    "nginx-http.conf": (
        "# Include this file inside http { }, before anything else that has a `map`, and",
        "# nginx-server.conf inside server { }.",
    ),
    "nginx-server.conf": (
        "# Include this file inside server { }, behind `root`. A location with an add_header of",
        "# its own drops all that it would inherit: include the file there once more.",
    ),
    "apache-server.conf": (
        "# Include this file inside a virtual host, behind DocumentRoot. Needs mod_headers and",
        "# mod_rewrite.",
    ),
    "nginx-spellings-http.conf": (
        "# Include this file inside http { }, behind nginx-http.conf, where nginx-spellings.conf",
        "# is included.",
    ),
    "nginx-spellings.conf": (
        "# Include this file inside server { }, behind nginx-server.conf: other spellings of an",
        "# address lead to the one in one hop. Needs nginx-spellings-http.conf.",
    ),
    "nginx-hosts.conf": (
        "# Include this file inside http { }, where this server itself is asked by visitors: other",
        "# hosts and the other scheme lead to the one address in one hop. Behind a server that",
        "# decrypts, that one must do it.",
    ),
    "apache-spellings.conf": (
        "# Include this file inside a virtual host, behind apache-server.conf: other spellings of",
        "# an address, and other hosts, lead to the one address in one hop. Needs mod_rewrite.",
    ),
    "apache-folder.conf": (
        "# For the .htaccess of the root folder, where AllowOverride has FileInfo. Needs",
        "# mod_setenvif, mod_headers and mod_rewrite.",
    ),
}
#: More moves than these make an .htaccess slow, which is read for every request.
_MANY_IN_FOLDER = 1_000


def server_files(
    site: SiteFile, survey: LastSurvey, redirects: SiteRedirects
) -> Iterator[tuple[str, bytes]]:
    """Name and bytes of each file; none where there is nothing to tell a server."""
    hops = redirects.hops
    if "kind" not in survey.filled and not hops:
        return
    headers = _headers(site, survey)
    folder = str((site.state / SERVERS).absolute())
    spelled = _spelled(site, survey)
    folders = any(isinstance(s, HtmlSource) and s.addresses == "folder" for s in site.model.source)
    url = site.model.site.url
    named, _ = nginx_moves_http(hops, len(spelled))
    files = {
        "nginx-http.conf": [*named, *nginx_http(headers)],
        "nginx-server.conf": [*nginx_server(headers), *nginx_moves_server(hops)],
        "apache-server.conf": [*apache_server(headers), *apache_moves_server(hops, folder)],
        "apache-folder.conf": [*apache_folder(headers), *apache_moves_folder(hops)],
        "nginx-spellings-http.conf": nginx_spellings_http(spelled),
        "nginx-spellings.conf": nginx_spellings_server(url, folders=folders),
        "nginx-hosts.conf": nginx_hosts(url, _other_hosts(site), folder),
        "apache-spellings.conf": apache_spellings(url, folder, folders=folders),
    }
    for name, lines in files.items():
        yield name, server_text([*_HOW[name], *lines], _ending(site.host))
    few = spelled if survey.count <= _MOST_IN_TABLE else {}
    yield "apache-spellings.txt", apache_spellings_table(few)
    if hops:
        yield from apache_tables(hops)
        yield "moves.json", moves_as_json(hops)
        yield "moves.csv", moves_as_csv(hops)


#: More pages than these are too many to be named one by one: in a map of nginx, and in a table that
#: Apache reads from its beginning.
_MOST_SPELLED, _MOST_IN_TABLE = 20_000, 5_000


def _spelled(site: SiteFile, survey: LastSurvey) -> dict[str, str]:
    """The spellings of the pages of a host, by their path in lower case; none of very many."""
    if survey.count > _MOST_SPELLED:
        return {}
    mine = pl.col("loc").str.starts_with(f"{site.model.site.url}/")
    alive = pl.col("redirect").is_null() & (pl.col("kind").is_null() | (pl.col("kind") != "error"))
    locs = survey.pages.filter(mine & alive).select("loc").collect(engine="streaming")["loc"]
    return spelled_paths(addresses.path_and_query(loc) for loc in locs.sort())


def _other_hosts(site: SiteFile) -> list[str]:
    """The hosts that serve the site beside its own: with or without www, and those of the site
    file."""
    host = urlsplit(site.model.site.url).hostname or ""
    named = [urlsplit(one).hostname or "" for one in site.model.site.other_hosts]
    return list(dict.fromkeys(one for one in (twin_host(host), *named) if one and one != host))


def _ending(host: str) -> str:
    """What stands behind the names of variables: nothing for the main host."""
    return f"_{re.sub('[^a-z0-9]', '_', host.lower())}" if host else ""


def server_text(lines: Sequence[str], ending: str = "") -> bytes:
    """A file of configuration, its variables with this ending."""
    text = "\n".join([WRITTEN_NOTE, *lines]) + "\n"
    return own_variables(text, ending).encode("utf-8", "surrogateescape")


def _headers(site: SiteFile, survey: LastSurvey) -> dict[str, dict[str, str]]:
    """Crawler → path → directives, of documents; for a draft these are all of them."""
    headers: dict[str, dict[str, str]] = {"": {}}
    stage = site.model.site.stage
    for page in _documents(survey):
        path = addresses.path_and_query(page.loc).partition("?")[0]
        for crawler, directives in (
            ("", directives_of(page, stage)),
            *directives_for(page, stage).items(),
        ):
            if directives:
                headers.setdefault(crawler, {})[path] = directives
    return headers


def _documents(survey: LastSurvey) -> Iterator[Page]:
    """Pages that are no HTML, with what is decided for them."""
    if "kind" not in survey.filled or survey.constant.get("kind", "document") != "document":
        return
    decided = survey.decided_where(pl.col("kind") == "document")
    names = ["loc", "directives", *DIRECTIVES, "crawlers"]
    wanted = [name for name in names if name in decided.collect_schema()]
    yield from pages_of(decided.select(wanted).collect(engine="streaming"))


def small_pages(site: SiteFile, redirects: SiteRedirects) -> Iterator[tuple[str, bytes]]:
    """Name and bytes of the small pages at old addresses, where the site file wants them."""
    for one in _small(site, redirects):
        if not isinstance(one, Fault):
            yield one


def _small(site: SiteFile, redirects: SiteRedirects) -> Iterator[tuple[str, bytes] | Fault]:
    if site.model.moves.pages:
        sources = [one for one in site.model.source if isinstance(one, HtmlSource)]
        plain = any(one.addresses == "plain" for one in sources)
        yield from moved_pages(redirects.hops, plain=plain)


def unwritten(site: SiteFile, redirects: SiteRedirects) -> Iterator[Fault]:
    """The moves that cannot be written in one of the ways that are wanted."""
    host = site.model.site.url
    faults = [*nginx_moves_http(redirects.hops)[1]]
    faults += [one for one in _small(site, redirects) if isinstance(one, Fault)]
    for fault in faults:
        yield fault._replace(where=host + fault.where)


def slow_in_folder(redirects: SiteRedirects) -> str:
    """What to say where an .htaccess would be slow; else nothing."""
    count = len(redirects.hops.single)
    if count <= _MANY_IN_FOLDER:
        return ""
    return (
        f"{count:,} moves: in a virtual host (apache-server.conf) they are looked up, in an "
        ".htaccess (apache-folder.conf) each request goes through all of them."
    )
