"""A fault: something wrong with one thing (a page, an entry, a line), as plain values.

Rooms that read foreign material yield faults; the room `checks` knows each code's
severity and remedy and turns faults into findings.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """`code` names the check, `where` the file, line or address, `message` what is the matter."""

    code: str
    where: str
    message: str


def plural(count: int, one: str, many: str | None = None) -> str:
    """`3 pages`, `1 page`: a count with its noun."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"
