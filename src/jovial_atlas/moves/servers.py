"""Moves as configuration of real servers: nginx (ngx_http_map_module, ngx_http_rewrite_module) and
Apache httpd (mod_rewrite, in a virtual host and in the .htaccess of the root folder).

Single addresses are looked up in a table, in which each value is a status, a letter for what
becomes of the query, and the new address. They are compared after decoding. Patterns are compared
with the path as it was sent, so that what they take over is escaped already and nobody can smuggle
a line into the answer. The new address is always whole: a server behind another one does not know
by which scheme it is asked.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Iterator
from urllib.parse import quote, unquote_to_bytes

from jovial_atlas.faults import Fault
from jovial_atlas.moves.hops import Hops, PatternHop, SingleHop

_STAYS = "stay"
#: What of a target may stand in a configuration as it is.
_SAFE = "/:?=&%+,@~#()!*"
#: Octets of paths that are compared as strings; all others are escaped in an expression.
_STRING = re.compile(rb"[A-Za-z0-9/_.~!(),=@:+&*' \x80-\xff-]+\Z")
_PLAIN = re.compile(rb"[A-Za-z0-9/_-]\Z")
#: nginx reads no word that is longer than its buffer of 4,096 octets.
_LONGEST = 3_900

# What becomes of the query: kept, behind a target that has one (`a`) or none (`k`), or before the
# fragment of such targets (`g`, `f`); or dropped. With that, what is taken out of the table's
# value.
_FORMS = {
    "k": (r"(.*)", "$1$is_args$args"),
    "a": (r"(.*)", "$1$jovial_atlas_more"),
    "f": (r"([^#]*)(#.*)", "$1$is_args$args$2"),
    "g": (r"([^#]*)(#.*)", "$1$jovial_atlas_more$2"),
    "d": (r"(.*)", "$1"),
}


def target_text(address: str) -> str:
    """An address in which nothing means anything to a server's configuration."""
    return quote(address, safe=_SAFE)


def _pattern_target(to: str) -> list[str]:
    """The parts of a pattern's target: texts, and the numbers of groups in between."""
    parts = re.split(r"\$([1-9])", to)
    return [one if number % 2 else target_text(one) for number, one in enumerate(parts)]


def _form(to: str, *, keeps_query: bool) -> str:
    if not keeps_query:
        return "d"
    return {(0, 0): "k", (1, 0): "a", (0, 1): "f", (1, 1): "g"}["?" in to.split("#")[0], "#" in to]


def _value(hop: SingleHop) -> str:
    if not hop.to:
        return "410"
    form = _form(hop.to, keeps_query=hop.keeps_query)
    return f"{hop.status}{form}:{target_text(hop.to)}"


def _forms_in(hops: Iterable[SingleHop]) -> list[tuple[int, str]]:
    """The statuses and forms that occur, in order."""
    return sorted({(hop.status, _form(hop.to, keeps_query=hop.keeps_query))
                   for hop in hops if hop.to})  # fmt: skip


def octets_expression(path: str) -> str:
    """A regular expression (PCRE) that is exactly one decoded path, given percent-encoded."""
    octets = unquote_to_bytes(path)
    return "".join(chr(o) if _PLAIN.match(bytes([o])) else f"\\x{o:02X}" for o in octets)


def sent_expression(expression: str) -> str:
    """An expression over paths as they are sent: escaped octets in either case of letters."""

    def either(octet: re.Match[str]) -> str:
        return "%" + "".join(f"[{c}{c.lower()}]" if c.isalpha() else c for c in octet[1])

    return re.sub(r"%([0-9A-F]{2})", either, expression)


def _parted(hops: Hops) -> tuple[list[SingleHop], list[SingleHop]]:
    """The hops of paths, and those that are about a query as well."""
    plain = [one for one in hops.single if "?" not in one.path]
    plain += [SingleHop(path, _STAYS, 0, False) for path in hops.staying if "?" not in path]
    return plain, [one for one in hops.single if "?" in one.path]


# nginx


def nginx_moves_http(hops: Hops) -> tuple[list[str], list[Fault]]:
    """The lines for `http { }`, and the hops that nginx cannot be told of. nginx compares the words
    of a map without minding capital letters, so paths that differ in these alone are
    expressions."""
    if not hops:
        return [], []
    plain, asking = _parted(hops)
    faults: list[Fault] = []
    long = sum(_hash_octets(one) > _SHORT for one in (*plain, *asking))
    sized = long > _FEW or len(plain) + len(asking) > _DEFAULT_SIZE
    tables: dict[str, list[str]] = {}
    for name, some in (("plain", plain), ("asking", asking)):
        tables[name] = []
        for hop in some:
            value = _STAYS if hop.to == _STAYS else _value(hop)
            exact = hop.path.lower() in hops.other_case
            exact = exact or (not sized and _hash_octets(hop) > _SHORT)
            line = f'    {_nginx_key(hop.path, exact=exact)} "{value}";'
            if len(line) > _LONGEST:
                faults.append(Fault("move-unwritten", hop.path, "It is too long for nginx."))
            else:
                tables[name].append(line)
    lines = _hash_sizes([*plain, *asking]) if sized else []
    lines += [
        "map $request_uri $jovial_atlas_path {",
        '    default "";',
        '    "~^(?<jovial_atlas_sent>[^?]*)" $jovial_atlas_sent;',
        "}",
        "map $args $jovial_atlas_more {",
        '    "" "";',
        '    default "&$args";',
        "}",
        "map $uri $jovial_atlas_move {",
        '    default "";',
        *tables["plain"],
        "}",
    ]
    if asking:
        lines += [
            'map "$uri?$args" $jovial_atlas_asked {',
            '    default "";',
            *tables["asking"],
            "}",
        ]
    return lines, faults


#: What the hash tables of nginx hold as they are: so many words, each of so many octets; a few that
#: are longer may be expressions.
_DEFAULT_SIZE, _SHORT, _FEW = 1_000, 40, 50


def _hash_octets(hop: SingleHop) -> int:
    return len(unquote_to_bytes(hop.path))


def _hash_sizes(hops: list[SingleHop]) -> list[str]:
    """Lines by which the words of a map fit. They must come before any map."""
    longest = max(map(_hash_octets, hops), default=0)
    size, bucket = _power(max(2 * len(hops), 2048)), _power(max(longest + 40, 128))
    return [f"map_hash_max_size {size};", f"map_hash_bucket_size {bucket};"]


def _nginx_key(path: str, *, exact: bool) -> str:
    bare, mark, query = path.partition("?")
    octets = unquote_to_bytes(bare)
    if not exact and _STRING.match(octets) and _STRING.match(query.encode() or b"/"):
        text = octets.decode("utf-8", "surrogateescape")
        return f'"{text}{mark}{query}"'
    asked = "".join(f"\\x{o:02X}" for o in query.encode())
    ending = rf"\?{asked}" if mark else ""
    return f'"~^{octets_expression(bare)}{ending}$"'


def _power(least: int) -> int:
    return 1 << (least - 1).bit_length()


def nginx_moves_server(hops: Hops) -> list[str]:
    """The lines for `server { }`."""
    if not hops:
        return []
    plain, asking = _parted(hops)
    lines = []
    for variable, some in (("jovial_atlas_asked", asking), ("jovial_atlas_move", plain)):
        some = [one for one in some if one.to != _STAYS]
        if any(not one.to for one in some):
            lines += [f'if (${variable} = "410") {{', "    return 410;", "}"]
        for status, form in _forms_in(some):
            expression, target = _FORMS[form]
            lines += [f'if (${variable} ~ "^{status}{form}:{expression}$") {{',
                      f"    return {status} {target};", "}"]  # fmt: skip
    return lines + list(_nginx_patterns(hops.patterns))


def _nginx_patterns(patterns: Iterable[PatternHop]) -> Iterator[str]:
    patterns = list(patterns)
    if not patterns:
        return
    yield "# Patterns are about what is not there: no page and no file."
    yield "set $jovial_atlas_path_or_none $jovial_atlas_path;"
    yield "set $jovial_atlas_sent_or_none $request_uri;"
    for condition in (f'$jovial_atlas_move = "{_STAYS}"', "-f $request_filename"):
        yield f"if ({condition}) {{"
        yield '    set $jovial_atlas_path_or_none "";'
        yield '    set $jovial_atlas_sent_or_none "";'
        yield "}"
    for hop in patterns:
        subject = "sent" if hop.with_query else "path"
        parts = _pattern_target(hop.to)
        target = "".join(f"${one}" if number % 2 else one for number, one in enumerate(parts))
        form = _form(hop.to, keeps_query=hop.keeps_query)
        bare, mark, fragment = target.partition("#")
        more = {"k": "$is_args$args", "f": "$is_args$args", "d": ""}.get(form, "$jovial_atlas_more")
        answer = f'{hop.status} "{bare}{more}{mark}{fragment}"' if hop.to else "410"
        expression = _nginx_quoted(sent_expression(hop.expression))
        yield f'if ($jovial_atlas_{subject}_or_none ~ "{expression}") {{'
        yield f"    return {answer};"
        yield "}"


def _nginx_quoted(expression: str) -> str:
    """An expression as it stands in quotes, in which `\\\\` is one backslash and `\\"` a quote."""
    return re.sub(r'\\(?=["\'\\])|(?=")', r"\\\\", re.sub(r"\\\\", r"\\x5C", expression))


# Apache

_SENT = r'"^\S+ (?:[A-Za-z]+://[^/? ]*)?(/{}*)"'
_FLAGS = {"k": "", "a": ",QSA", "d": ",QSD"}


#: A text table is read from its beginning for each path that is asked for the first time, so many
#: moves are parted over several, by the first two digits of the MD5 digest of the old path.
_ONE_TABLE = 2_000
_DIGITS = "0123456789abcdef"


def apache_tables(hops: Hops) -> Iterator[tuple[str, bytes]]:
    """Names and bytes of the tables in which the virtual host looks old paths up."""
    plain, asking = _parted(hops)
    tables: dict[str, list[str]] = {name: [] for name in _table_names(hops)}
    for hop in (*plain, *asking):
        value = _STAYS if hop.to == _STAYS else _value(hop)
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


def _apache_keys(path: str) -> list[str]:
    """A path as mod_rewrite escapes it; versions differ about one character."""
    octets = unquote_to_bytes(path)
    keys = {re.sub(r"%[0-9A-F]{2}", lambda octet: octet[0].lower(), quote(octets, safe=safe))
            for safe in ("$-_.+!*'(),:@&=/~", "$-_.+!*'(),:;@&=/~")}  # fmt: skip
    return sorted(keys)


def apache_moves_server(hops: Hops, folder: str) -> list[str]:
    """The lines for a virtual host. `folder` is where the tables are."""
    if not hops:
        return []
    plain, asking = _parted(hops)
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
    lines += _apache_answers("JA_MOVE", [one for one in plain if one.to != _STAYS])
    there = "%{DOCUMENT_ROOT}%{REQUEST_URI}"
    return lines + list(_apache_patterns(hops.patterns, there, f"%{{ENV:JA_MOVE}} !^{_STAYS}$"))


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
    for status, form in _forms_in(hops):
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


def apache_moves_folder(hops: Hops) -> list[str]:
    """The lines for the .htaccess of the root folder."""
    if not hops:
        return []
    plain, asking = _parted(hops)
    lines = _apache_sent()
    lines += [
        f'RewriteRule "^/?{octets_expression(one.path)[1:]}$" - [NS,L]'
        for one in plain
        if one.to == _STAYS
    ]
    for hop in (*asking, *plain):
        if hop.to != _STAYS:
            lines += _folder_rule(hop)
    lines += _apache_patterns(hops.patterns, "%{REQUEST_FILENAME}", "")
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
    form = _form(hop.to, keeps_query=hop.keeps_query)
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


def _apache_patterns(patterns: Iterable[PatternHop], file: str, unless: str) -> Iterator[str]:
    patterns = list(patterns)
    for hop in patterns:
        if unless:
            yield f"RewriteCond {unless}"
        yield f"RewriteCond {file} !-f"
        subject = "JA_SENT" if hop.with_query else "JA_PATH"
        expression = sent_expression(hop.expression).replace('"', r"\x22")
        yield f'RewriteCond %{{ENV:{subject}}} "{expression}"'
        if not hop.to:
            yield "RewriteRule ^ - [G]"
            continue
        parts = _pattern_target(hop.to)
        target = "".join(f"%{one}" if number % 2 else _apache_text(one)
                         for number, one in enumerate(parts))  # fmt: skip
        form = _form(hop.to, keeps_query=hop.keeps_query)
        flags = _FLAGS.get(form, ",QSD")
        yield f'RewriteRule ^ "{target}" [R={hop.status},NE,L{flags}]'
