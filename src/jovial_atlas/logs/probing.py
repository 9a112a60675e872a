"""Addresses that strangers try on every server, to find systems with holes; and those that browsers
and programs ask for by themselves."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection

#: What stands in paths of systems, tools and secrets that are tried everywhere.
_TRIED = re.compile(
    r"(?:^|/)\.(?!well-known/)"
    r"|(?:^|/)(?:wp-|xmlrpc|phpinfo|phpmyadmin|pma|cgi-bin|admin|administrator|login|signin|setup"
    r"|install|config|shell|console|manager|actuator|vendor|boaform|hnap1|owa|ecp|solr|telescope"
    r"|debug|backup|old_site|sites/default|user/login|autodiscover|druid|jenkins|hudson|geoserver"
    r"|server-status|_ignition|api/v\d|graphql)(?:[/.?_-]|$)"
    r"|\.(?:env|bak|sql|old|swp|ini|log|yml|yaml|tar|tgz|rar|7z|zip|gz|conf|exe|dll|sh|inc)$"
    r"|\.\.(?:/|%2f|\\)|%00|<|%3c|%27|\bselect\b|\bunion\b|etc/passwd|\\x[0-9a-f]{2}",
    re.I,
)
#: Endings of programs that a server runs.
_PROGRAM = re.compile(r"\.(php\d?|phtml|aspx?|ashx|jspx?|do|action|cgi|pl|cfm)(?:$|[/?])", re.I)
#: What browsers and apps ask for without a link.
_BY_THEMSELVES = re.compile(
    r"^/(?:favicon\.ico|apple-touch-icon[^/]*|browserconfig\.xml|ads\.txt|app-ads\.txt|humans\.txt"
    r"|security\.txt|crossdomain\.xml|\.well-known/.*|manifest\.json|site\.webmanifest|sw\.js"
    r"|robots\.txt|llms\.txt|sellers\.json|assetlinks\.json)$", re.I,
)  # fmt: skip


def probe_finder(endings: Collection[str], ignored: Callable[[str], bool]) -> Callable[[str], bool]:
    """Gives whether a path is one that only strangers try. `endings` are those of programs that the
    site runs, as in `.php`; `ignored` says which paths the owner wants left out."""

    def is_probe(path: str) -> bool:
        if ignored(path) or _TRIED.search(path):
            return True
        program = _PROGRAM.search(path)
        return program is not None and f".{program[1].lower()}" not in endings

    return is_probe


def asked_without_link(path: str) -> bool:
    """Whether browsers or programs ask for a path by themselves."""
    return _BY_THEMSELVES.match(path) is not None
