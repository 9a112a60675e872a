"""The one spelling of an address, as configuration of nginx and Apache: other hosts, capital
letters, index files, last and doubled slashes lead to it in one hop.

The rules are for those who include them: a server behind another one may not know by which host or
scheme it is asked.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from urllib.parse import urlsplit

#: Paths that are the same escaped and not.
_PLAIN = re.compile(r"/(?:[A-Za-z0-9._~-]+/)*(?:[A-Za-z0-9._~-]+)?\Z")
_INDEX = re.compile(r"index\.x?html?\Z")


def spelled_paths(paths: Iterable[str]) -> dict[str, str]:
    """Paths in lower case → the one spelling, for pages with plain paths: as they are, with and
    without a last slash, with an index file. What two pages have in common is left out."""
    found: dict[str, str | None] = {}
    mine = [path for path in paths if _PLAIN.match(path)]
    for path in mine:
        found[path.lower()] = path if found.get(path.lower(), path) == path else None
    for path in mine:
        for other in _others(path):
            low = other.lower()
            found[low] = path if found.get(low, path) == path else None
    # A page's own address is never another's spelling.
    own = {path.lower(): path for path in mine}
    return {low: to for low, path in found.items() if (to := path) and own.get(low, to) == to}


def _others(path: str) -> Iterator[str]:
    if path.endswith("/"):
        yield f"{path}index.html"
        if path != "/":
            yield path[:-1]
    elif _INDEX.search(path):
        yield _INDEX.sub("", path)
    elif "." not in path.rpartition("/")[2]:
        yield f"{path}/"


def twin_host(host: str) -> str:
    """A host with www where it has none, and without where it has."""
    return host.removeprefix("www.") if host.startswith("www.") else f"www.{host}"


# nginx


def nginx_spellings_http(spelled: dict[str, str]) -> list[str]:
    """Lines for `http { }`: the one spelling of each path; nginx minds no capital letters here."""
    entries = [f'    "{low}" "{path}";' for low, path in sorted(spelled.items())]
    return ["map $uri $jovial_atlas_page {", '    default "";', *entries, "}"]


def nginx_spellings_server(url: str, *, folders: bool) -> list[str]:
    """Lines for `server { }`, behind those of moves."""
    lines = [
        "# A dot behind the host.",
        r'if ($http_host ~ "\.(?::[0-9]+)?$") {',
        f"    return 301 {url}$request_uri;",
        "}",
        "# Pages in another spelling than the one.",
        "set $jovial_atlas_spelled $jovial_atlas_page;",
        "if ($jovial_atlas_spelled = $jovial_atlas_path) {",
        '    set $jovial_atlas_spelled "";',
        "}",
        "if ($jovial_atlas_spelled) {",
        f"    return 301 {url}$jovial_atlas_spelled$is_args$args;",
        "}",
    ]
    # Captures of `rewrite` are of the decoded path with single slashes, and escaped again.
    lines += [
        'if ($jovial_atlas_path ~ "//") {',
        f"    rewrite ^(.*)$ {url}$1 permanent;",
        "}",
    ]
    if folders:
        lines += [
            "if (-d $request_filename) {",
            f"    rewrite ^(.*[^/])$ {url}$1/ permanent;",
            "}",
            'if ($jovial_atlas_path ~ "^(/(?:[^/]+/)*)index\\.x?html?$") {',
            f"    return 301 {url}$1$is_args$args;",
            "}",
        ]
    return lines


def nginx_hosts(url: str, others: Sequence[str], folder: str) -> list[str]:
    """Server blocks for the other hosts and the other scheme, in which moves and spellings count
    too, so that all is one hop. `folder` is where the files to include are."""
    parts = urlsplit(url)
    names = " ".join(others)
    inside = [
        f'    include "{folder}/nginx-server.conf";',
        f'    include "{folder}/nginx-spellings.conf";',
        f"    return 301 {url}$request_uri;",
        "}",
    ]
    secure = parts.scheme == "https"
    lines = ["server {", "    listen 80;", "    listen [::]:80;"]
    lines += [
        f"    server_name {parts.hostname} {names};" if secure else f"    server_name {names};"
    ]
    lines += inside
    if secure and others:
        lines += [
            "server {",
            "    listen 443 ssl;",
            "    listen [::]:443 ssl;",
            f"    server_name {names};",
            "    # The certificate must cover these hosts:",
            "    # ssl_certificate /path/to/certificate.pem;",
            "    # ssl_certificate_key /path/to/key.pem;",
            *inside,
        ]
    return lines


# Apache


def apache_spellings_table(spelled: dict[str, str]) -> bytes:
    """The table in which the virtual host looks the one spelling up."""
    lines = [f"{low} {path}" for low, path in sorted(spelled.items())]
    return ("\n".join(["# Path in lower case, its one spelling", *lines]) + "\n").encode()


def apache_spellings(url: str, folder: str, *, folders: bool) -> list[str]:
    """Lines for a virtual host, behind those of moves. `folder` is where the table is."""
    host = re.escape(urlsplit(url).netloc)
    index = [
        'RewriteCond "%{DOCUMENT_ROOT}%{REQUEST_URI}" -d',
        f'RewriteRule "^(.*[^/])$" "{url}$1/" [R=301,NS,L]',
        'RewriteCond %{ENV:JA_RAW} "^(/(?:[^/]+/)*)index\\.x?html?$"',
        f'RewriteRule ^ "{url}%1" [R=301,NE,NS,L]',
    ]
    return [
        "RewriteEngine On",
        "<IfDefine !JOVIAL_ATLAS>",
        f'    Define JOVIAL_ATLAS "{folder}"',
        "</IfDefine>",
        "RewriteMap jovial_atlas_lower int:tolower",
        'RewriteMap jovial_atlas_pages "txt:${JOVIAL_ATLAS}/apache-spellings.txt"',
        r'RewriteCond %{THE_REQUEST} "^\S+ (?:[A-Za-z]+://[^/? ]*)?(/[^? ]*)"',
        "RewriteRule ^ - [E=JA_RAW:%1]",
        "RewriteRule ^ - [E=JA_PAGE:${jovial_atlas_pages:${jovial_atlas_lower:%{REQUEST_URI}}}]",
        "RewriteCond %{ENV:JA_PAGE} !^$",
        'RewriteCond expr "%{reqenv:JA_PAGE} != %{reqenv:JA_RAW}"',
        f'RewriteRule ^ "{url}%{{ENV:JA_PAGE}}" [R=301,NE,NS,L]',
        'RewriteCond %{ENV:JA_RAW} "//"',
        f'RewriteRule "^(.*)$" "{url}$1" [R=301,NS,L]',
        *(index if folders else []),
        "# Other hosts, and a dot behind the host.",
        f'RewriteCond %{{HTTP_HOST}} "!^{host}(?::[0-9]+)?$" [NC]',
        'RewriteCond %{ENV:JA_RAW} "^(.*)$"',
        f'RewriteRule ^ "{url}%1" [R=301,NE,NS,L]',
        "# Without encryption; not behind a server that decrypts and does not say so:",
        '# RewriteCond %{HTTPS} "!=on"',
        '# RewriteCond %{HTTP:X-Forwarded-Proto} "!=https"',
        '# RewriteCond %{ENV:JA_RAW} "^(.*)$"',
        f'# RewriteRule ^ "{url}%1" [R=301,NE,NS,L]',
    ]
