"""What was asked for in vain, and how often addresses that moved are asked for: counted over logs
of any size. Of visitors nothing is kept but, while counting, a number that stands for each."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import dataclass, field

from jovial_atlas.addresses import TRACKING
from jovial_atlas.logs.lines import Hit, parse_line
from jovial_atlas.logs.tally import LogStream, lines_of

#: The answers that are looked at: not found, gone, and all that send visitors on.
NOT_FOUND = (404, 410)
_SENT_ON = (301, 302, 307, 308)
_STATUS = re.compile(rb'" (?:4(?:04|10)|30[1278]) ')
#: Longer lines are no lines of a log; more addresses than these are not told apart.
_LINE, _MOST = 64 << 10, 300_000
#: Words in the name of a program that says that it is none of a person.
_PROGRAM = re.compile(
    r"bot\b|bot/|crawl|spider|slurp|scan|monitor|check|fetch|preview|https?://|\bcurl|wget|python"
    r"|java/|okhttp|libwww|go-http|httpclient|axios|node|headless|feed", re.I,
)  # fmt: skip
#: Parameters that only say from where somebody comes.
_TRACKING = re.compile(rf"^(?:{TRACKING})=", re.I)
#: Pages that a program makes are told apart by their query.
_PROGRAMS = (".php", ".asp", ".aspx", ".cgi", ".jsp", ".cfm", ".pl")
_REFERERS = 20


@dataclass(slots=True)
class Missed:
    """One address that was asked for: how often, and how often since the last count (`fresh`), by
    people and by programs, when first and last, from which pages, by which visitors."""

    hits: int = 0
    fresh: int = 0
    people: int = 0
    crawlers: int = 0
    first: str = ""
    last: str = ""
    referers: Counter[str] = field(default_factory=Counter)
    visitors: set[int] = field(default_factory=set)
    #: The last request that was counted before.
    since: str = ""


@dataclass(slots=True)
class MissedCount:
    """What logs told: lines in all, addresses that were not there, addresses that send visitors on,
    what each visitor asked for in vain (how many addresses, how many of them probes), and how many
    addresses were not told apart."""

    lines: int = 0
    missing: dict[str, Missed] = field(default_factory=dict)
    moved: dict[str, Missed] = field(default_factory=dict)
    visitors: dict[int, Counter[bool]] = field(default_factory=dict)
    forgotten: int = 0


def count_missing(
    streams: Iterable[LogStream],
    crawlers: Collection[str],
    is_probe: Callable[[str], bool],
    counted_until: Callable[[str], str] = lambda _path: "",
) -> MissedCount:
    """Count what was asked for in vain or where visitors are sent on, over lines of the Combined
    Log Format. `crawlers` are product tokens
    in lower case; `is_probe` says whether a path is one that only strangers try; `counted_until`
    until when requests for a path were counted before."""
    counted = MissedCount()
    tokens = re.compile("|".join(map(re.escape, crawlers)), re.I) if crawlers else None
    for stream in streams:
        for whole, number in lines_of(stream):
            counted.lines += number
            for line in _lines(whole):
                hit = parse_line(line) if len(line) < _LINE else None
                if hit is not None and hit.method in ("GET", "HEAD"):
                    _take(hit, counted, tokens, is_probe, counted_until)
    return counted


def _lines(whole: bytes) -> Iterator[bytes]:
    """The lines in which one of the statuses may stand."""
    end = -1
    for match in _STATUS.finditer(whole):
        if match.start() < end:
            continue
        start = whole.rfind(b"\n", 0, match.start()) + 1
        end = whole.find(b"\n", match.start() + 1)
        yield whole[start:end]


def _take(
    hit: Hit,
    counted: MissedCount,
    tokens: re.Pattern[str] | None,
    is_probe: Callable[[str], bool],
    counted_until: Callable[[str], str],
) -> None:
    table = counted.missing if hit.status in NOT_FOUND else counted.moved
    if hit.status not in NOT_FOUND and hit.status not in _SENT_ON:
        return
    path = asked_path(hit.target)
    one = table.get(path)
    if one is None:
        if len(table) >= _MOST:
            counted.forgotten += 1
            return
        one = table[path] = Missed(since=counted_until(path))
    one.hits += 1
    one.fresh += hit.at > one.since
    program = not hit.agent or hit.agent == "-" or _PROGRAM.search(hit.agent) is not None
    if program or (tokens is not None and tokens.search(hit.agent)):
        one.crawlers += 1
    else:
        one.people += 1
    one.first = min(one.first, hit.at) if one.first else hit.at
    one.last = max(one.last, hit.at)
    if hit.referer.startswith(("http://", "https://")) and (
        hit.referer in one.referers or len(one.referers) < _REFERERS
    ):
        one.referers[hit.referer] += 1
    if hit.status in NOT_FOUND:
        visitor = hash(hit.address)
        if visitor not in one.visitors:
            one.visitors.add(visitor)
            counted.visitors.setdefault(visitor, Counter())[is_probe(path)] += 1


def asked_path(target: str) -> str:
    """The path of a request's target, with its query only where that says which page is meant."""
    if not target.startswith("/"):
        target = re.sub(r"^[A-Za-z][A-Za-z0-9+.-]*://[^/?#]*", "", target) or "/"
    path, _, query = target.partition("#")[0].partition("?")
    if not query or not path.lower().endswith(_PROGRAMS):
        return path
    kept = [one for one in query.split("&") if not _TRACKING.match(one)]
    return f"{path}?{'&'.join(kept)}" if kept else path


#: A visitor only probes who tried so many addresses of other systems, such a part of all that was
#: asked for in vain; or asked for nothing else.
_TRIED, _PART = 2, 0.3


def strangers(counted: MissedCount) -> set[int]:
    """The visitors who only try what other systems would have."""
    return {
        visitor
        for visitor, asked in counted.visitors.items()
        if not asked[False] or (asked[True] >= _TRIED and asked[True] >= _PART * asked.total())
    }
