"""Moves as configuration of Apache httpd (mod_rewrite): in a virtual host, and in the .htaccess of
the root folder."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Iterator
from urllib.parse import quote, unquote_to_bytes

from jovial_atlas.moves.hops import Hops, PatternHop, SingleHop
from jovial_atlas.moves.written import (
    STAYS,
    forms_in,
    octets_expression,
    parted_hops,
    pattern_target,
    query_form,
    quoted_expression,
    table_value,
    target_text,
)

_SENT = r'"^\S+ (?:[A-Za-z]+://[^/? ]*)?(/{}*)"'
_FLAGS = {"k": "", "a": ",QSA", "d": ",QSD"}


#: A text table is read from its beginning for each path that is asked for the first time, so many
#: moves are parted over several, by the first two digits of the MD5 digest of the old path.
_ONE_TABLE = 2_000
_DIGITS = "0123456789abcdef"


def apache_tables(hops: Hops) -> Iterator[tuple[str, bytes]]:
    """Names and bytes of the tables in which the virtual host looks old paths up."""
    plain, asking = parted_hops(hops)
    tables: dict[str, list[str]] = {name: [] for name in _table_names(hops)}
    for hop in (*plain, *asking):
        value = STAYS if hop.to == STAYS else table_value(hop)
        for key in _apache_keys(hop.path.partition("?")[0]):
            line = f"{key}{''.join(hop.path.partition('?')[1:])} {value}"
            tables[_table_of(key) if len(tables) > 1 else ""].append(line)
    for name, lines in tables.items():
        first = "# Old path, status with what becomes of the query, new address"
        yield _table_file(name), ("\n".join([first, *lines]) + "\n").encode()


def _table_names(hops: Hops) -> list[str]:
    if len(hops.single) + len(hops.staying) <= _ONE_TABLE:
        return [""]
    return [a + b for a in _DIGITS for b in _DIGITS]


def _table_of(key: str) -> str:
    return hashlib.md5(key.encode(), usedforsecurity=False).hexdigest()[:2]


def _table_file(name: str) -> str:
    return f"apache-moves/{name}.txt" if name else "apache-moves.txt"


#: Paths that mod_rewrite escapes nothing of.
_AS_IT_IS = re.compile(r"[A-Za-z0-9/._~-]*\Z")


def _apache_keys(path: str) -> list[str]:
    """A path as mod_rewrite escapes it; versions differ about one character."""
    if _AS_IT_IS.match(path):
        return [path]
    octets = unquote_to_bytes(path)
    keys = {re.sub(r"%[0-9A-F]{2}", lambda octet: octet[0].lower(), quote(octets, safe=safe))
            for safe in ("$-_.+!*'(),:@&=/~", "$-_.+!*'(),:;@&=/~")}  # fmt: skip
    return sorted(keys)


def apache_moves_server(hops: Hops, folder: str) -> list[str]:
    """The lines for a virtual host. `folder` is where the tables are."""
    if not hops:
        return []
    plain, asking = parted_hops(hops)
    names = _table_names(hops)
    lines = [
        "# The folder in which the tables of old paths are.",
        "<IfDefine !JOVIAL_ATLAS>",
        f'    Define JOVIAL_ATLAS "{folder}"',
        "</IfDefine>",
        "RewriteEngine On",
        "RewriteMap jovial_atlas_unescape int:unescape",
        "RewriteMap jovial_atlas_escape int:escape",
        *(f'RewriteMap jovial_atlas_moves{name} "txt:${{JOVIAL_ATLAS}}/{_table_file(name)}"'
          for name in names),
        *_apache_sent(),
        "RewriteRule ^ - "
        "[E=JA_KEY:${jovial_atlas_escape:${jovial_atlas_unescape:%{ENV:JA_PATH}}}]",
        *(_apache_lookup("", asking) if len(names) == 1 else _apache_lookups(asking)),
    ]  # fmt: skip
    if asking:
        lines += _apache_answers("JA_ASKED", asking)
    lines += _apache_answers("JA_MOVE", [one for one in plain if one.to != STAYS])
    there = "%{DOCUMENT_ROOT}%{REQUEST_URI}"
    return lines + list(_apache_patterns(hops.patterns, there))


def _apache_lookups(asking: list[SingleHop]) -> Iterator[str]:
    """Lines that look a path up in the one table where it may be: those about other first, and
    other second digits are skipped."""
    yield 'RewriteCond expr "md5(%{ENV:JA_KEY}) =~ /^(..)/"'
    yield "RewriteRule ^ - [E=JA_TABLE:%1]"
    rules = 2 if asking else 1
    for first in _DIGITS:
        yield f"RewriteCond %{{ENV:JA_TABLE}} !^{first}"
        yield f"RewriteRule ^ - [S={len(_DIGITS) * (1 + rules)}]"
        for second in _DIGITS:
            yield f"RewriteCond %{{ENV:JA_TABLE}} !^{first}{second}"
            yield f"RewriteRule ^ - [S={rules}]"
            yield from _apache_lookup(first + second, asking)


def _apache_lookup(name: str, asking: list[SingleHop]) -> Iterator[str]:
    table = f"jovial_atlas_moves{name}"
    yield f"RewriteRule ^ - [E=JA_MOVE:${{{table}:%{{ENV:JA_KEY}}}}]"
    if asking:
        yield f"RewriteRule ^ - [E=JA_ASKED:${{{table}:%{{ENV:JA_KEY}}?%{{QUERY_STRING}}}}]"


def _apache_sent() -> list[str]:
    """Lines that keep the path, and all, as they were sent."""
    return [
        f"RewriteCond %{{THE_REQUEST}} {_SENT.format('[^? ]')}",
        "RewriteRule ^ - [E=JA_PATH:%1]",
        f"RewriteCond %{{THE_REQUEST}} {_SENT.format('[^ ]')}",
        "RewriteRule ^ - [E=JA_SENT:%1]",
    ]


def _apache_answers(variable: str, hops: list[SingleHop]) -> list[str]:
    lines = []
    if any(not one.to for one in hops):
        lines += [f"RewriteCond %{{ENV:{variable}}} ^410$", "RewriteRule ^ - [G]"]
    for status, form in forms_in(hops):
        for asked, value, target, flags in _APACHE_FORMS[form]:
            lines += [
                *([f"RewriteCond %{{QUERY_STRING}} {asked}"] if asked else []),
                f'RewriteCond %{{ENV:{variable}}} "^{status}{form}:{value}$"',
                f'RewriteRule ^ "{target}" [R={status},NE,L{flags}]',
            ]
    return lines


#: Form → what the query must be, how the table's value is parted, target, flags. A `?` must stand
#: in the target itself: one that comes out of a value is taken for an attack. mod_rewrite puts
#: queries behind fragments, so there they are put in their place.
_APACHE_FORMS = {
    "k": (("", "(.*)", "%1", ""),),
    "a": (("", r"([^?]*)\?(.*)", "%1?%2", ",QSA"),),
    "d": (("", r"([^?]*)", "%1", ",QSD"), ("", r"([^?]*)\?(.*)", "%1?%2", "")),
    "f": (("^$", r"([^#]*)(#.*)", "%1%2", ""),
          ("", r"([^#]*)(#.*)", "%1?%{QUERY_STRING}%2", "")),
    "g": (("^$", r"([^?]*)\?([^#]*)(#.*)", "%1?%2%3", ""),
          ("", r"([^?]*)\?([^#]*)(#.*)", "%1?%2&%{QUERY_STRING}%3", "")),
}  # fmt: skip


#: With more moves than these each request would wait for seconds.
MOST_IN_FOLDER = 20_000


def apache_moves_folder(hops: Hops) -> list[str]:
    """The lines for the .htaccess of the root folder."""
    if not hops:
        return []
    if len(hops.single) > MOST_IN_FOLDER:
        return [f"# {len(hops.single):,} moves are too many here: include apache-server.conf."]
    plain, asking = parted_hops(hops)
    lines = _apache_sent()
    lines += [
        f'RewriteRule "^/?{octets_expression(one.path)[1:]}$" - [NS,E=JA_MOVE:{STAYS}]'
        for one in plain
        if one.to == STAYS
    ]
    for hop in (*asking, *plain):
        if hop.to != STAYS:
            lines += _folder_rule(hop)
    lines += _apache_patterns(hops.patterns, "%{REQUEST_FILENAME}")
    rules = sum(line.startswith("RewriteRule") for line in lines)
    return [
        "RewriteEngine On",
        "# What the server asks itself for has been through here already.",
        "RewriteCond %{ENV:REDIRECT_STATUS} !^$",
        f"RewriteRule ^ - [S={rules}]",
        *lines,
    ]


def _folder_rule(hop: SingleHop) -> list[str]:
    """One address. Where a folder is asked, paths come without their first slash."""
    path, mark, query = hop.path.partition("?")
    pattern = f'"^/?{octets_expression(path)[1:]}$"'
    asked = [f'RewriteCond %{{QUERY_STRING}} "^{octets_expression(quote(query))}$"'] if mark else []
    if not hop.to:
        return [*asked, f"RewriteRule {pattern} - [NS,G]"]
    form = query_form(hop.to, keeps_query=hop.keeps_query)
    to = _apache_text(target_text(hop.to))
    bare, fragment = to.partition("#")[0], "".join(to.partition("#")[1:])
    if form in _FLAGS:
        return [*asked, f'RewriteRule {pattern} "{to}" [NS,R={hop.status},NE,L{_FLAGS[form]}]']
    more = "?" if form == "f" else "&"
    return [
        "RewriteCond %{QUERY_STRING} ^$",
        f'RewriteRule {pattern} "{to}" [NS,R={hop.status},NE,L]',
        f'RewriteRule {pattern} "{bare}{more}%{{QUERY_STRING}}{fragment}" [NS,R={hop.status},NE,L]',
    ]


def _apache_text(target: str) -> str:
    """A target in which `%` and a digit are no reference."""
    return target.replace("%", "\\%")


def _apache_patterns(patterns: Iterable[PatternHop], file: str) -> Iterator[str]:
    """Lines for patterns, which are about what is not there: no page, and no `file`."""
    for hop in patterns:
        yield f"RewriteCond %{{ENV:JA_MOVE}} !^{STAYS}$"
        yield f"RewriteCond {file} !-f"
        subject = "JA_SENT" if hop.with_query else "JA_PATH"
        expression = quoted_expression(hop.expression)
        yield f'RewriteCond %{{ENV:{subject}}} "{expression}"'
        if not hop.to:
            yield "RewriteRule ^ - [G]"
            continue
        parts = pattern_target(hop.to)
        target = "".join(f"%{one}" if number % 2 else _apache_text(one)
                         for number, one in enumerate(parts))  # fmt: skip
        form = query_form(hop.to, keeps_query=hop.keeps_query)
        flags = _FLAGS.get(form, ",QSD")
        yield f'RewriteRule ^ "{target}" [R={hop.status},NE,L{flags}]'
