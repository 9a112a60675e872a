"""Whole columns of addresses in the one spelling of `addresses.normalise`, some hundred times as
fast as one by one: what an encoding needs is found once a column, hosts once each.

What is rare in any column (dot segments, ports, user names) is left to `addresses`, value by value.
"""

from __future__ import annotations

import re
import string
from collections.abc import Callable
from functools import partial
from urllib.parse import quote

import polars as pl

from jovial_atlas import addresses

_UNRESERVED = string.ascii_letters + string.digits + "-._~"
#: Octets as `addresses.escape` leaves them: in upper case, and none that needs no escape.
OCTET = r"%(?:[0189A-F][0-9A-F]|2[0-9A-CF]|3[A-F]|40|5[B-E]|60|7[B-DF])"
_PATH = rf"(?:[A-Za-z0-9/:@!$&'()*+,;=._~-]|{OCTET})*"
_ASKED = rf"(?:[A-Za-z0-9/:@!$&'()*+,;=._~?-]|{OCTET})*"
_HOST = r"[a-z0-9-]+(?:\.[a-z0-9-]+)*"
#: Addresses that are in the one spelling, unless they have a dot segment (`/.`).
SPELLED = rf"^https?://{_HOST}/{_PATH}(?:\?{_ASKED})?$"
#: RFC 3986 §3.3 and §3.4: what may stand unescaped, in a path or behind it.
_SAFE = r"A-Za-z0-9/:@!$&'()*+,;=._~?%-"
#: The same of a value that is put into a path.
_SAFE_VALUE = r"A-Za-z0-9/._~-"
#: Values without any that must be escaped, and without a dot segment.
_FINE_VALUE = r"^(?:/|[A-Za-z0-9_~-][A-Za-z0-9._~-]*)*$"
#: What stands behind the host in the one spelling.
_BEHIND_HOST = rf"^/{_PATH}(?:\?{_ASKED})?$"
_DOTS, _DOT_SEGMENT = "/.", r"^[^?]*/\.\.?(?:[/?]|$)"
_SPACES = " \t\r\n\f"
#: Signs that parsers of addresses take out or read as others, and the one that marks an octet here.
_MARK = "\x01"
_REMOVED = rf"[\t\r\n\\{_MARK}]"
#: So many values are looked at for signs that must be escaped, and so often.
_SAMPLE, _ROUNDS = 2_000, 50
#: Escaped octets in another spelling than that of `OCTET`.
_ODD_OCTET = (
    r"%(?:[A-Fa-f][a-f]|[0-9a-f][a-f]|[a-f][0-9A-Fa-f]"
    r"|2[DE]|3[0-9]|4[1-9A-F]|5[0-9AF]|6[1-9A-F]|7[0-9AE])"
)
#: A percent sign that begins no octet.
_STRAY = r"%(?:[^0-9A-Fa-f]|[0-9A-Fa-f][^0-9A-Fa-f]|[0-9A-Fa-f]?$)"


def normal_addresses(values: pl.Series, site: str) -> pl.Series:
    """Addresses, or paths of `site` that begin with a slash, in the one spelling; what is none
    stays as it is, an empty value becomes null."""
    plain = ~values.str.contains(_DOTS, literal=True)
    rooted = (values.str.contains(_BEHIND_HOST) & plain).fill_null(False)
    if rooted.any():
        values = replaced(values, rooted, lambda some: site + some)
    odd = ~(rooted | (values.str.contains(SPELLED) & plain)) & values.is_not_null()
    odd = odd.fill_null(False)
    return replaced(values, odd, lambda some: _normalised(some, site)) if odd.any() else values


def whole_addresses(values: pl.Series) -> pl.Series:
    """Addresses in the one spelling; null for what is none."""
    fine = values.str.contains(SPELLED) & ~values.str.contains(_DOTS, literal=True)
    if fine.all():  # or null
        return values
    spelled = normal_addresses(values, "")
    odd = (~spelled.str.contains(SPELLED) & spelled.is_not_null()).fill_null(False)
    return replaced(spelled, odd, lambda some: each_once(some, _whole)) if odd.any() else spelled


def path_values(values: pl.Series) -> pl.Series:
    """Values as they stand inside a path: percent-encoded but for their slashes."""
    odd = (~values.str.contains(_FINE_VALUE)).fill_null(False)
    return replaced(values, odd, _path_values) if odd.any() else values


def replaced(
    values: pl.Series, odd: pl.Series, work: Callable[[pl.Series], pl.Series]
) -> pl.Series:
    """The values with what `work` makes of the odd ones."""
    return put(values, odd, work(values.filter(odd)))


def put(values: pl.Series, places: pl.Series, others: pl.Series) -> pl.Series:
    """The values with others, in their order, at some places."""
    if places.all():
        return others.alias(values.name)
    return values.clone().scatter(places.arg_true(), others)


def _has_dots(values: pl.Series) -> pl.Series:
    return values.str.starts_with(".") | values.str.contains(_DOTS, literal=True)


def _normalised(values: pl.Series, site: str) -> pl.Series:
    """Addresses or paths, none of them in the one spelling yet."""
    text = values.str.strip_chars(_SPACES)
    here = pl.col("text").str.starts_with("/")
    whole = pl.col("whole")
    parts = (
        pl.DataFrame({"text": text})
        .select(whole=pl.when(here).then(pl.lit(site) + pl.col("text")).otherwise("text"))
        .with_columns(origin=whole.str.extract(r"^(?i:https?)://[^/?#]*", 0))
        .with_columns(rest=whole.str.strip_prefix(pl.col("origin").fill_null("")))
    )
    if parts["rest"].str.contains("#", literal=True).any():
        parts = parts.with_columns(pl.col("rest").str.replace(r"(?s)#.*$", ""))
    rest = pl.col("rest")
    slashed = parts.select(pl.when(rest.str.starts_with("/")).then(rest).otherwise("/" + rest))
    escaped = _without_dots(_escaped(slashed.to_series()))
    origins = _origins(parts["origin"])
    good = (
        origins.is_not_null()
        & escaped.str.contains(_BEHIND_HOST)
        & ~_has_dot_segment(escaped)
        & ~parts["whole"].str.contains(_REMOVED)
    ).fill_null(False)
    joined = origins + escaped
    if good.all():
        return joined
    return put(joined, ~good, each_once(values.filter(~good), partial(_normal, site=site)))


def _has_dot_segment(rest: pl.Series) -> pl.Series:
    # What is found at once tells mostly that there is none.
    dots = rest.str.contains(_DOTS, literal=True)
    return rest.str.contains(_DOT_SEGMENT) if dots.any() else dots


def _without_dots(rest: pl.Series) -> pl.Series:
    """Paths with what follows them, without dot segments (RFC 3986 §5.2.4); some are left where
    there are very many."""
    for _ in range(_ROUNDS):
        odd = _has_dot_segment(rest).fill_null(False)
        if not odd.any():
            break
        rest = replaced(rest, odd, _with_fewer_dots)
    return rest


def _with_fewer_dots(rest: pl.Series) -> pl.Series:
    """Without segments of one dot, and without the first of two dots and what it takes back."""
    path = rest.str.extract(r"^[^?]*", 0)
    shorter = (
        path.str.replace_all(r"(?:/\.)+(?:/|$)", "/")
        .str.replace(r"^(?:/\.\.)+(?:/|$)", "/")
        .str.replace(r"/[^/]*/\.\.(?:/|$)", "/")
    )
    return shorter + rest.str.extract(r"(?s)\?.*$", 0).fill_null("")


def _escaped(rest: pl.Series) -> pl.Series:
    """Paths with what follows them, escaped as `addresses.escape` does it."""
    if rest.str.contains("%", literal=True).any():
        stray = rest.str.contains(_STRAY).fill_null(False)
        if stray.any():
            rest = replaced(rest, stray, _with_strays_escaped)
        rest = _learned(rest, _ODD_OCTET, _octet)
    return _encoded(rest, _SAFE)


def _with_strays_escaped(rest: pl.Series) -> pl.Series:
    return (
        rest.str.replace_all(r"%([0-9A-Fa-f]{2})", f"{_MARK}$1")
        .str.replace_all("%", "%25", literal=True)
        .str.replace_all(_MARK, "%", literal=True)
    )


def _octet(escaped: str) -> str:
    octet = int(escaped[1:], 16)
    return chr(octet) if chr(octet) in _UNRESERVED else f"%{octet:02X}"


def _encoded(values: pl.Series, safe: str) -> pl.Series:
    """Values with all signs percent-encoded that are not `safe`, a class of signs."""
    return _learned(values, rf"[^{safe}]", lambda sign: quote(sign, safe=""))


def _learned(values: pl.Series, odd: str, work: Callable[[str], str]) -> pl.Series:
    """Values with what `work` makes of each place that is `odd`, a regular expression. What stands
    there is learned from some values at a time: few columns have much that differs."""
    find = re.compile(odd)
    # The first are as odd as others are.
    some = values.head(_SAMPLE).drop_nulls()
    for number in range(_ROUNDS):
        if number or not some.str.contains(odd).any():
            some = values.filter(values.str.contains(odd)).head(_SAMPLE)
        if not some.len():
            return values
        found = sorted(set().union(*map(find.findall, some.to_list())))
        values = values.str.replace_many(found, [work(one) for one in found])
    left = values.str.contains(odd).fill_null(False)
    rest = partial(find.sub, lambda match: work(match[0]))
    return replaced(values, left, lambda some: each_once(some, rest))


def _origins(values: pl.Series) -> pl.Series:
    """Scheme and host as `addresses.normalise` spells them; null where it has no word for them."""
    known: dict[str, str | None] = {}
    for value in values.unique().to_list():
        if value is not None:
            try:
                known[value] = addresses.origin(addresses.normalise(f"{value}/"))
            except ValueError:
                known[value] = None
    return values.replace_strict(known, default=None, return_dtype=pl.String)


#: A letter beyond ASCII as escaped octets of UTF-8 (RFC 3629 §3), and what else stands in a value
#: in which nothing has to be escaped: some systems keep names of pages like that.
_HEX, _TAIL = "[0-9A-Fa-f]", "%[89ABab][0-9A-Fa-f]"
_LETTER = (
    rf"(?:%(?:[Cc][2-9A-Fa-f]|[Dd]{_HEX}){_TAIL}"
    rf"|%[Ee](?:0%[ABab]{_HEX}|[1-9A-CE-Fa-ce-f]{_TAIL}|[Dd]%[89]{_HEX}){_TAIL}"
    rf"|%[Ff](?:0%[9ABab]{_HEX}|[1-3]{_TAIL}|4%8{_HEX}){_TAIL}{_TAIL})"
)
_BESIDE = rf"(?:[A-Za-z0-9/._~-]|%[2-7][0-9A-Fa-f]|{_LETTER})*"
_ESCAPED_VALUE = rf"^{_BESIDE}{_LETTER}{_BESIDE}$"


def _path_values(values: pl.Series) -> pl.Series:
    text = values.str.strip_chars()
    escaped = text.str.contains(_ESCAPED_VALUE).fill_null(False)
    if escaped.any():
        return put(_encoded_values(text), escaped, _spelled_values(text.filter(escaped)))
    return _encoded_values(text)


def _spelled_values(values: pl.Series) -> pl.Series:
    """Values that are escaped already, in the one spelling."""
    return normal_addresses("/" + values, "http://h").str.slice(len("http://h/"))


def _encoded_values(text: pl.Series) -> pl.Series:
    made = _encoded(text.str.replace_all("%", "%25", literal=True), f"%{_SAFE_VALUE}")
    dots = _has_dots(made)
    return replaced(made, dots, _values_without_dots) if dots.any() else made


def _values_without_dots(made: pl.Series) -> pl.Series:
    shorter = _without_dots("/" + made)
    left = _has_dot_segment(shorter)
    if left.any():
        shorter = replaced(shorter, left, lambda some: each_once(some, _path_without_dots))
    return shorter.str.slice(1)


def _path_without_dots(path: str) -> str:
    return addresses.normalise(f"http://x.example{path}")[len("http://x.example") :]


def each_once(values: pl.Series, work: Callable[[str], str | None]) -> pl.Series:
    """What `work` makes of each distinct value."""
    known = {value: work(value) for value in values.unique().to_list() if value is not None}
    return values.replace_strict(known, default=None, return_dtype=pl.String)


def _whole(value: str) -> str | None:
    try:
        return addresses.normalise(value)
    except ValueError:
        return None


def _normal(value: str, site: str) -> str | None:
    if not value.strip():
        return None
    text = value.strip(_SPACES)
    try:
        return addresses.normalise(site + text if text.startswith("/") else text)
    except ValueError:
        return value
