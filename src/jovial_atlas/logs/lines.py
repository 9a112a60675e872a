"""Lines of server logs, as NCSA's Common and Combined Log Format and as JSON, one object a line."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
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
#: Names under which servers write the same into JSON, the usual first.
_NAMES: Mapping[str, tuple[str, ...]] = {
    "at": ("time_iso8601", "time", "timestamp", "@timestamp", "ts", "time_local", "date"),
    "address": ("remote_addr", "client_ip", "remote_ip", "ip", "client", "clientip", "host"),
    "method": ("request_method", "method", "verb"),
    "target": ("request_uri", "uri", "path", "url", "request_path"),
    "request": ("request",),
    "status": ("status", "status_code", "response", "code"),
    "agent": ("http_user_agent", "user_agent", "agent", "userAgent", "ua"),
    "referer": ("http_referer", "referer", "referrer"),
}


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
        match["target"].decode("utf-8", "replace"),
        int(match["status"]),
        agent.decode("utf-8", "replace"),
        "" if referer == b"-" else referer.decode("utf-8", "replace"),
    )


_IP = re.compile(rb"[0-9A-Fa-f.:]*[.:][0-9A-Fa-f.:]*")


def _address(lead: list[bytes]) -> str:
    """The address among what stands before the time: the second word where the first is a host."""
    found = next((one for one in lead[:2] if _IP.fullmatch(one)), lead[0] if lead else b"")
    return found.decode("ascii", "replace")


_DAYS: dict[bytes, str] = {}
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
    fields = {ours: _first(value, theirs) for ours, theirs in _NAMES.items()}
    if fields["request"] and not fields["target"]:
        parts = str(fields["request"]).split(" ")
        fields["method"], fields["target"] = parts[0], parts[1] if len(parts) > 1 else ""
    at = _when(fields["at"])
    status = foreign.whole(fields["status"], 999)
    if at is None or status is None or not fields["target"]:
        return None
    return Hit(
        at, str(fields["address"] or ""), str(fields["method"] or "GET"), str(fields["target"]),
        status, str(fields["agent"] or ""), str(fields["referer"] or ""),
    )  # fmt: skip


def _first(value: Mapping[str, Any], names: tuple[str, ...]) -> Any:
    return next((value[name] for name in names if value.get(name) not in (None, "")), None)


def _when(written: object) -> str | None:
    if isinstance(written, (int, float)) and not isinstance(written, bool):
        seconds = written / 1000 if written > 1e11 else written
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
