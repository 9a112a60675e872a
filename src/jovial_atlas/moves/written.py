"""What the configuration of nginx and of Apache have in common.

Single addresses are looked up in a table, in which each value is a status, a letter for what
becomes of the query, and the new address. They are compared after decoding. Patterns are compared
with the path as it was sent, so that what they take over is escaped already and nobody can smuggle
a line into the answer. The new address is always whole: a server behind another one does not know
by which scheme it is asked.

The letters: the query is kept behind a target that has one (`a`) or none (`k`), or before the
fragment of such targets (`g`, `f`); or it is dropped (`d`).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from urllib.parse import quote, unquote_to_bytes

from jovial_atlas.moves.hops import Hops, SingleHop

#: The value of a path that is not moved.
STAYS = "stay"
#: What of a target may stand in a configuration as it is.
_SAFE = "/:?=&%+,@~#()!*"
_NOT_PLAIN = re.compile(r"[^A-Za-z0-9/_-]")
_ALL_SAFE = re.compile(r"[A-Za-z0-9_./:?=&%+,@~#()!*-]*\Z")


def target_text(address: str) -> str:
    """An address in which nothing means anything to a server's configuration."""
    return address if _ALL_SAFE.match(address) else quote(address, safe=_SAFE)


def pattern_target(to: str) -> list[str]:
    """The parts of a pattern's target: texts, and the numbers of groups in between."""
    parts = re.split(r"\$([1-9])", to)
    return [one if number % 2 else target_text(one) for number, one in enumerate(parts)]


def query_form(to: str, *, keeps_query: bool) -> str:
    """The letter for what becomes of the query."""
    if not keeps_query:
        return "d"
    return {(0, 0): "k", (1, 0): "a", (0, 1): "f", (1, 1): "g"}["?" in to.split("#")[0], "#" in to]


def table_value(hop: SingleHop) -> str:
    """What stands in the table for a hop: status, letter and new address; or 410."""
    if not hop.to:
        return "410"
    form = query_form(hop.to, keeps_query=hop.keeps_query)
    return f"{hop.status}{form}:{target_text(hop.to)}"


def forms_in(hops: Iterable[SingleHop]) -> list[tuple[int, str]]:
    """The statuses and forms that occur, in order."""
    return sorted({(hop.status, query_form(hop.to, keeps_query=hop.keeps_query))
                   for hop in hops if hop.to})  # fmt: skip


def octets_expression(path: str) -> str:
    """A regular expression (PCRE) that is exactly one decoded path, given percent-encoded."""
    text = unquote_to_bytes(path).decode("latin-1")
    return _NOT_PLAIN.sub(lambda octet: f"\\x{ord(octet[0]):02X}", text)


def sent_expression(expression: str) -> str:
    """An expression over paths as they are sent: escaped octets in either case of letters."""

    def either(octet: re.Match[str]) -> str:
        return "%" + "".join(f"[{c}{c.lower()}]" if c.isalpha() else c for c in octet[1])

    return re.sub(r"%([0-9A-F]{2})", either, expression)


def quoted_expression(expression: str) -> str:
    """An expression as sent paths are compared with it, as it stands in quotes, which no backslash
    keeps from ending."""
    sent = sent_expression(expression)
    return sent.replace("\\\\", r"\x5C").replace('"', r"\x22")


def own_variables(text: str, ending: str) -> str:
    """A configuration with an ending behind the names of its variables, so that those of several
    hosts may be on one server; paths of files stay as they are."""
    text = re.sub(r"(?<![/\w])jovial_atlas_", f"jovial_atlas{ending}_", text)
    return re.sub(r"(?<![/\w])JOVIAL_ATLAS\b", f"JOVIAL_ATLAS{ending.upper()}", text)


def parted_hops(hops: Hops) -> tuple[list[SingleHop], list[SingleHop]]:
    """The hops of paths, and those that are about a query as well."""
    plain = [one for one in hops.single if "?" not in one.path]
    plain += [SingleHop(path, STAYS, 0, False) for path in hops.staying if "?" not in path]
    return plain, [one for one in hops.single if "?" in one.path]
