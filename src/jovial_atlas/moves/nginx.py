"""Moves as configuration of nginx (ngx_http_map_module, ngx_http_rewrite_module)."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from urllib.parse import unquote_to_bytes

from jovial_atlas.faults import Fault
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
)

#: Octets of paths that are compared as strings; all others are escaped in an expression.
_STRING = re.compile(rb"[A-Za-z0-9/_.~!(),=@:+&*' \x80-\xff-]+\Z")
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


def nginx_moves_http(hops: Hops, more: int = 0) -> tuple[list[str], list[Fault]]:
    """The lines for `http { }`, and the hops that nginx cannot be told of; another table has so
    many entries `more`. nginx compares the words of a map without minding capital letters, so paths
    that differ in these alone are expressions."""
    plain, asking = parted_hops(hops)
    faults: list[Fault] = []
    long = sum(_hash_octets(one) > _SHORT for one in (*plain, *asking))
    count = max(len(plain) + len(asking), more)
    sized = long > _FEW or count > _DEFAULT_SIZE
    tables: dict[str, list[str]] = {}
    for name, some in (("plain", plain), ("asking", asking)):
        tables[name] = []
        for hop in some:
            value = STAYS if hop.to == STAYS else table_value(hop)
            exact = hop.path.lower() in hops.other_case
            exact = exact or (not sized and _hash_octets(hop) > _SHORT)
            line = f'    {_nginx_key(hop.path, exact=exact)} "{value}";'
            if len(line) > _LONGEST:
                faults.append(Fault("move-unwritten", hop.path, "It is too long for nginx."))
            else:
                tables[name].append(line)
    lines = _hash_sizes([*plain, *asking], count) if sized else []
    lines += [
        "map $request_uri $jovial_atlas_path {",
        '    default "";',
        '    "~^(?<ja_sent>[^?]*)" $ja_sent;',
        "}",
    ]
    if not hops:
        return lines, faults
    lines += ["map $args $jovial_atlas_more {", '    "" "";', '    default "&$args";', "}"]
    lines += ["map $uri $jovial_atlas_move {", '    default "";', *tables["plain"], "}"]
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
_DEFAULT_SIZE, _SHORT, _FEW, _BUCKET = 1_000, 40, 50, 256


def _hash_octets(hop: SingleHop) -> int:
    return len(unquote_to_bytes(hop.path))


def _hash_sizes(hops: list[SingleHop], count: int) -> list[str]:
    """Lines by which the words of a map fit. They must come before any map."""
    longest = max(map(_hash_octets, hops), default=0)
    size, bucket = _power(max(2 * count, 2048)), _power(max(longest + 40, _BUCKET))
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
    plain, asking = parted_hops(hops)
    lines = []
    for variable, some in (("jovial_atlas_asked", asking), ("jovial_atlas_move", plain)):
        some = [one for one in some if one.to != STAYS]
        if any(not one.to for one in some):
            lines += [f'if (${variable} = "410") {{', "    return 410;", "}"]
        for status, form in forms_in(some):
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
    for condition in (f'$jovial_atlas_move = "{STAYS}"', "-f $request_filename"):
        yield f"if ({condition}) {{"
        yield '    set $jovial_atlas_path_or_none "";'
        yield '    set $jovial_atlas_sent_or_none "";'
        yield "}"
    for hop in patterns:
        subject = "sent" if hop.with_query else "path"
        parts = pattern_target(hop.to)
        target = "".join(f"${one}" if number % 2 else one for number, one in enumerate(parts))
        form = query_form(hop.to, keeps_query=hop.keeps_query)
        bare, mark, fragment = target.partition("#")
        more = {"k": "$is_args$args", "f": "$is_args$args", "d": ""}.get(form, "$jovial_atlas_more")
        answer = f'{hop.status} "{bare}{more}{mark}{fragment}"' if hop.to else "410"
        expression = quoted_expression(hop.expression)
        yield f'if ($jovial_atlas_{subject}_or_none ~ "{expression}") {{'
        yield f"    return {answer};"
        yield "}"
