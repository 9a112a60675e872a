"""Lines of server logs, as NCSA's Common and Combined Log Format and as JSON, one object a line."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Any

from jovial_atlas import dates, foreign

#: host ident user [day/Mon/year:hh:mm:ss ±zzzz] "METHOD target HTTP/x" status bytes "referer"
#: "user-agent"; a virtual host may stand in front.
_COMBINED = re.compile(
    rb"(?P<lead>[^\[\n]*)"
    rb"\[(?P<day>\d\d/\w{3}/\d{4}):(?P<time>\d\d:\d\d:\d\d) (?P<zone>[+-]\d{4})\] "
    rb'"(?P<method>[A-Z]+) (?P<target>\S+)(?: HTTP/[\d.]+)?" (?P<status>\d{3}) \S+'
    rb'(?: "(?P<referer>(?:[^"\\]|\\.)*)" "(?P<agent>(?:[^"\\]|\\.)*)")?'
)
_MONTHS = {name: number for number, name in enumerate(
    (b"Jan", b"Feb", b"Mar", b"Apr", b"May", b"Jun", b"Jul", b"Aug", b"Sep", b"Oct", b"Nov",
     b"Dec"), start=1)}  # fmt: skip
#: Names under which servers write the same into JSON, in lower case, the usual first; dots lead
#: into objects.
JSON_NAMES: Mapping[str, tuple[str, ...]] = {
    "at": ("time_iso8601", "time", "timestamp", "@timestamp", "ts", "time_local", "date",
           "startutc", "edgestarttimestamp", "datetime"),
    "address": ("remote_addr", "client_ip", "remote_ip", "ip", "client", "clientip",
                "request.client_ip", "request.remote_ip", "httprequest.remoteip", "client.ip",
                "source.ip", "client.address", "clienthost", "remoteaddr", "host"),
    "method": ("request_method", "method", "verb", "request.method", "httprequest.requestmethod",
               "http.request.method", "requestmethod", "clientrequestmethod"),
    "target": ("request_uri", "uri", "path", "url", "request_path", "request.uri", "request.url",
               "httprequest.requesturl", "url.original", "url.path", "requestpath", "requesturi",
               "clientrequesturi", "clientrequestpath"),
    "request": ("request",),
    "status": ("status", "status_code", "response", "code", "httprequest.status",
               "http.response.status_code", "response.status", "downstreamstatus",
               "edgeresponsestatus", "statuscode"),
    "agent": ("http_user_agent", "user_agent", "agent", "useragent", "ua",
              "request.headers.user-agent", "httprequest.useragent", "user_agent.original",
              "request_user-agent", "clientrequestuseragent", "headers.user-agent"),
    "referer": ("http_referer", "referer", "referrer", "request.headers.referer",
                "httprequest.referer", "http.request.referrer", "request_referer",
                "clientrequestreferer", "headers.referer"),
}  # fmt: skip
#: Fields in which what collects logs keeps a whole line of another form.
WITHIN_JSON = ("log", "message", "msg", "line")


@dataclass(frozen=True, slots=True)
class Hit:
    """One request: when (the product's form, UTC), from which address, what, the answer, and on
    which page the visitor was before, where that is said."""

    at: str
    address: str
    method: str
    target: str
    status: int
    agent: str
    referer: str = ""


def parse_line(line: bytes) -> Hit | None:
    """The request that a line tells of; None where it is no line of a log."""
    if line[:1] == b"{":
        return _json(line)
    match = _COMBINED.match(line)
    if match is None:
        return None
    at = _moment(match["day"], match["time"], match["zone"])
    if at is None:
        return None
    agent, referer = match["agent"] or b"", match["referer"] or b""
    return Hit(
        at,
        _address(match["lead"].split()),
        match["method"].decode("ascii"),
        path_of(match["target"].decode("utf-8", "replace")),
        int(match["status"]),
        agent.decode("utf-8", "replace"),
        "" if referer == b"-" else referer.decode("utf-8", "replace"),
    )


_IP = re.compile(rb"[0-9A-Fa-f.:]*[.:][0-9A-Fa-f.:]*")


def _address(lead: list[bytes]) -> str:
    """The address among what stands before the time: the second word where the first is a host."""
    found = next((one for one in lead[:2] if _IP.fullmatch(one)), lead[0] if lead else b"")
    return found.decode("ascii", "replace")


def path_of(target: str) -> str:
    """The path and query of what was asked for, which proxies write with its host (RFC 9112
    §3.2.2)."""
    if target.startswith(("http://", "https://")):
        rest = target.partition("://")[2].partition("/")
        return rest[1] + rest[2] or "/"
    return target


_DAYS: dict[bytes, str] = {}
#: A time in seconds that is none of the next thousands of years.
_LATEST = 1e11
_CLOCK = re.compile(r"(?:[01]\d|2[0-3]):[0-5]\d:(?:[0-5]\d|60)\Z")
#: Logs of servers are not older than the Web.
_FIRST_YEAR = 1990


def day_of(day: bytes) -> date | None:
    """The day that is written as `23/Nov/2026`; None where it is none."""
    month = _MONTHS.get(day[3:6].title())
    try:
        if month is None or int(day[7:]) < _FIRST_YEAR:
            return None
        return date(int(day[7:]), month, int(day[:2]))
    except ValueError:
        return None


def _moment(day: bytes, time: bytes, zone: bytes) -> str | None:
    text = _DAYS.get(day)
    if text is None:
        found = day_of(day)
        if found is None:
            return None
        text = found.isoformat()
        if len(_DAYS) > 4096:
            _DAYS.clear()
        _DAYS[day] = text
    clock = time.decode("ascii")
    if not _CLOCK.match(clock):
        return None
    if zone in (b"+0000", b"-0000"):
        return f"{text}T{clock}Z"
    if zone[1:3] > b"14" or zone[3:] > b"59":
        return None
    # A leap second is told as the one before it.
    local = datetime.fromisoformat(f"{text}T{clock.replace(':60', ':59')}")
    ahead = timedelta(hours=int(zone[1:3]), minutes=int(zone[3:5]))
    try:
        utc = local + ahead if zone[:1] == b"-" else local - ahead
    except OverflowError:
        return None
    return f"{utc:%Y-%m-%dT%H:%M:%SZ}"


def _json(line: bytes) -> Hit | None:
    try:
        value = foreign.read_json(line)
    except (ValueError, RecursionError):
        return None
    if not isinstance(value, dict):
        return None
    value = _flat(value)
    fields = {ours: _first(value, names) for ours, names in _present(tuple(value)).items()}
    if fields["request"] and not fields["target"]:
        parts = str(fields["request"]).split(" ")
        fields["method"], fields["target"] = parts[0], parts[1] if len(parts) > 1 else ""
    at = _when(fields["at"])
    status = foreign.whole(fields["status"], 999)
    if at is None or status is None or not fields["target"]:
        inner = next((one for name in WITHIN_JSON if isinstance(one := value.get(name), str)), "")
        return parse_line(inner.encode("utf-8", "replace"))
    return Hit(
        at, str(fields["address"] or ""), str(fields["method"] or "GET"),
        path_of(str(fields["target"])),
        status, str(fields["agent"] or ""), str(fields["referer"] or ""),
    )  # fmt: skip


def _flat(value: Mapping[str, Any], before: str = "", depth: int = 3) -> dict[str, Any]:
    """The texts and numbers in an object by their names in lower case, with dots; of lists the
    first."""
    found: dict[str, Any] = {}
    for key, one in value.items():
        name = f"{before}{key.lower()}"
        if isinstance(one, list) and one:
            one = one[0]
        if isinstance(one, dict):
            if depth:
                found |= _flat(one, f"{name}.", depth - 1)
        else:
            found.setdefault(name, one)
    return found


@lru_cache(maxsize=256)
def _present(names: tuple[str, ...]) -> dict[str, tuple[str, ...]]:
    """Of the names under which each of our fields may stand, those that are among the names of a
    line; most lines of a log have the same."""
    have = set(names)
    return {
        ours: tuple(one for one in theirs if one in have) for ours, theirs in JSON_NAMES.items()
    }


def _first(value: Mapping[str, Any], names: tuple[str, ...]) -> Any:
    return next((value[name] for name in names if value.get(name) not in (None, "")), None)


#: The way to a value in an object: names, and 0 for the first of a list.
Way = tuple[str | int, ...]


def ways_in(value: object, way: Way = (), before: str = "", depth: int = 3) -> dict[str, Way]:
    """Where the texts and numbers in an object stand, by their names as `JSON_NAMES` has them."""
    found: dict[str, Way] = {}
    for key, one in value.items() if isinstance(value, dict) else ():
        name, place = f"{before}{key.lower()}", (*way, key)
        if "'" in key or "\\" in key:
            continue
        if isinstance(one, list) and one:
            one, place = one[0], (*place, 0)
        if isinstance(one, dict):
            if depth:
                found = ways_in(one, place, f"{name}.", depth - 1) | found
        elif not isinstance(one, list):
            found.setdefault(name, place)
    return found


def time_of(written: str) -> str | None:
    """A time as it is written in a log, perhaps as a number, in the product's form."""
    try:
        return _when(float(written))
    except ValueError:
        return _when(written)


def _when(written: object) -> str | None:
    if isinstance(written, (int, float)) and not isinstance(written, bool):
        # Seconds, or thousandths, millionths or thousand-millionths of them.
        seconds = float(written)
        while seconds > _LATEST:
            seconds /= 1000
        try:
            return dates.from_timestamp(seconds)
        except (ValueError, OverflowError, OSError):
            return None
    if not isinstance(written, str):
        return None
    match = re.match(r"(\d\d/\w{3}/\d{4}):(\d\d:\d\d:\d\d) ([+-]\d{4})", written, re.ASCII)
    if match:
        return _moment(*(part.encode() for part in match.groups()))
    read = dates.read(written)
    return read if read and "T" in read else None
