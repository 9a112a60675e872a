"""What crawlers asked for, counted over logs of any size in little memory.

Lines of others than the crawlers asked for are only counted: the text is searched for their tokens,
and a line is taken apart where one stands in it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from jovial_atlas.logs.lines import parse_line

#: Octets read at a time, and addresses that are remembered for one crawler beside those known.
_CHUNK, _MOST = 4 << 20, 200_000
#: The longest line that is looked at; longer ones are no lines of a log.
_LINE = 64 << 10


class LogStream(Protocol):
    """A log, opened."""

    def read(self, size: int = -1, /) -> bytes:
        """The next octets; none at the end."""


@dataclass(slots=True)
class Visits:
    """What one crawler did to one address: first and last time, how often, last answer."""

    first: str
    last: str
    count: int
    status: int


@dataclass(slots=True)
class Tally:
    """What one crawler did: requests, first and last time, answers by status, visits by target,
    requests by the address they came from (first and last time with them), and targets that were
    not remembered since there were too many."""

    token: str
    requests: int = 0
    first: str = ""
    last: str = ""
    statuses: Counter[int] = field(default_factory=Counter)
    visits: dict[str, Visits] = field(default_factory=dict)
    addresses: Counter[str] = field(default_factory=Counter)
    agents: Counter[str] = field(default_factory=Counter)
    forgotten: int = 0


@dataclass(slots=True)
class Counted:
    """What logs told: lines in all, lines with a token that could not be read, one tally a crawler,
    and from which time to which."""

    lines: int = 0
    unread: int = 0
    crawlers: dict[str, Tally] = field(default_factory=dict)


def lines_of(stream: LogStream) -> Iterator[tuple[bytes, int]]:
    """The stream in pieces that end with whole lines, each with the number of its lines."""
    rest = b""
    while piece := stream.read(_CHUNK):
        end = piece.rfind(b"\n")
        if end < 0:
            rest = (rest + piece)[-_LINE:]
            continue
        whole = rest + piece[: end + 1] if rest else piece[: end + 1]
        rest = piece[end + 1 :]
        yield whole, whole.count(b"\n")
    if rest:
        yield rest + b"\n", 1


def count(
    streams: Iterable[LogStream], tokens: Sequence[str], *, skip: frozenset[str] = frozenset()
) -> Counted:
    """Count what the crawlers with these product tokens asked for, by lines of the Combined Log
    Format. Requests from addresses in
    `skip` are passed over: they are forged."""
    counted = Counted(crawlers={token: Tally(token) for token in tokens})
    if not tokens:
        for stream in streams:
            counted.lines += sum(number for _, number in lines_of(stream))
        return counted
    by_token = {token.lower().encode(): tally for token, tally in counted.crawlers.items()}
    names = b"|".join(re.escape(token) for token in sorted(by_token, key=len, reverse=True))
    # A token is letters, `_` and `-`: inside a longer word it is another crawler's.
    sign = re.compile(rb"(?<![A-Za-z_-])(?:" + names + rb")(?![A-Za-z_-])", re.I)
    for stream in streams:
        for whole, number in lines_of(stream):
            counted.lines += number
            for start, end in _lines_with(whole, list(by_token)):
                _take(whole[start:end], sign, by_token, counted, skip)
    return counted


def _lines_with(whole: bytes, tokens: Sequence[bytes]) -> Iterator[tuple[int, int]]:
    """Where the lines are in which a token stands, in any case, each once. Plain searches: an
    expression that minds case takes five times as long."""
    low = whole.lower()
    seen: set[int] = set()
    for token in tokens:
        place = low.find(token)
        while place >= 0:
            start = whole.rfind(b"\n", 0, place) + 1
            end = whole.find(b"\n", place)
            if start not in seen:
                seen.add(start)
                yield start, end
            place = low.find(token, end)


def _take(
    line: bytes,
    sign: re.Pattern[bytes],
    by_token: dict[bytes, Tally],
    counted: Counted,
    skip: frozenset[str],
) -> None:
    hit = parse_line(line) if len(line) < _LINE else None
    if hit is None:
        counted.unread += 1
        return
    said = sign.search(hit.agent.encode())
    if said is None or hit.address in skip:
        return  # the token stands in an address, or somebody borrows the name
    tally = by_token[said[0].lower()]
    tally.requests += 1
    tally.statuses[hit.status] += 1
    tally.addresses[hit.address] += 1
    if len(tally.agents) < 50:
        tally.agents[hit.agent] += 1
    tally.first = min(tally.first, hit.at) if tally.first else hit.at
    tally.last = max(tally.last, hit.at)
    visits = tally.visits.get(hit.target)
    if visits is not None:
        visits.count += 1
        if hit.at >= visits.last:
            visits.last, visits.status = hit.at, hit.status
        elif hit.at < visits.first:
            visits.first = hit.at
    elif len(tally.visits) < _MOST:
        tally.visits[hit.target] = Visits(hit.at, hit.at, 1, hit.status)
    else:
        tally.forgotten += 1
