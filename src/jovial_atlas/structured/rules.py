"""Rules between the properties of a node: each gives what is wrong, "" for nothing."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

DataRule = Callable[[Mapping[str, Any]], str]

_PART = re.compile(r"(\d+(?:\.\d+)?)([YMWDHS])")
_SECONDS = {"Y": 31_536_000, "M": 2_592_000, "W": 604_800, "D": 86_400}
_TIMES = {"H": 3_600, "M": 60, "S": 1}


def seconds(duration: Any) -> float | None:
    """The length of an ISO 8601 duration, a month as 30 days; None where it is none."""
    if not isinstance(duration, str) or not duration.startswith("P"):
        return None
    day, _, time = duration[1:].partition("T")
    return sum(float(n) * _SECONDS.get(u, 0) for n, u in _PART.findall(day)) + sum(
        float(n) * _TIMES.get(u, 0) for n, u in _PART.findall(time)
    )


def _order(first: str, second: str) -> DataRule:
    """The second date is not before the first; compared as far as both are given."""

    def rule(node: Mapping[str, Any]) -> str:
        earlier, two = node.get(first), node.get(second)
        if not isinstance(earlier, str) or not isinstance(two, str):
            return ""
        length = min(len(earlier), len(two), 19)
        # Times of different zones are compared by day.
        length = length if earlier[19:] == two[19:] else min(length, 10)
        if two[:length] < earlier[:length]:
            return f"{second} {two} is before {first} {earlier}."
        return ""

    return rule


def _recipe_times(node: Mapping[str, Any]) -> str:
    parts = [seconds(node.get(name)) for name in ("prepTime", "cookTime")]
    total = seconds(node.get("totalTime"))
    given = [one for one in parts if one is not None]
    if total is None or not given or sum(given) <= total:
        return ""
    said = " and ".join(n for n in ("prepTime", "cookTime") if node.get(n))
    return f"{said} together are longer than totalTime {node['totalTime']}."


def _rating(node: Mapping[str, Any]) -> str:
    try:
        value = float(node["ratingValue"])
        worst, best = float(node.get("worstRating", 1)), float(node.get("bestRating", 5))
    except (KeyError, TypeError, ValueError):
        return ""
    if not worst <= value <= best:
        return f"ratingValue {value:g} is not within {worst:g} and {best:g}."
    return ""


def _counted(node: Mapping[str, Any]) -> str:
    counts = [node.get(name) for name in ("ratingCount", "reviewCount")]
    try:
        given = [int(one) for one in counts if one is not None]
    except (TypeError, ValueError):
        return ""
    if not given or max(given) <= 0:
        return "A rating of many says how many: ratingCount or reviewCount above 0."
    return ""


def _remote(node: Mapping[str, Any]) -> str:
    remote = node.get("jobLocationType") == "TELECOMMUTE"
    if remote and not (node.get("jobLocation") or node.get("applicantLocationRequirements")):
        return "TELECOMMUTE without jobLocation needs applicantLocationRequirements."
    return ""


def _hours(node: Mapping[str, Any]) -> str:
    opens, closes = node.get("opens"), node.get("closes")
    if (opens is None) != (closes is None):
        return "opens and closes belong together; closed is 00:00 for both."
    return ""


def _rescheduled(node: Mapping[str, Any]) -> str:
    status = str(node.get("eventStatus", "")).rpartition("/")[2]
    if status == "EventRescheduled" and not node.get("previousStartDate"):
        return "A rescheduled event says when it was to be: previousStartDate."
    return ""


def _positions(node: Mapping[str, Any]) -> str:
    items = node.get("itemListElement")
    items = items if isinstance(items, list) else [items] if items else []
    places = [one.get("position") for one in items if isinstance(one, Mapping)]
    if any(path is None for path in places):
        return ""
    if [str(path) for path in places] != [str(n) for n in range(1, len(places) + 1)]:
        return f"Positions count from 1: {', '.join(map(str, places))}."
    return ""


def _crumbs(node: Mapping[str, Any]) -> str:
    items = node.get("itemListElement")
    items = items if isinstance(items, list) else [items] if items else []
    for one in items[:-1]:
        if isinstance(one, Mapping) and not one.get("item"):
            return f"{one.get('name') or 'An entry'} before the last leads nowhere: item."
    return ""


def _search(node: Mapping[str, Any]) -> str:
    target = node.get("target")
    text = target.get("urlTemplate") if isinstance(target, Mapping) else target
    asks = node.get("query-input")
    if isinstance(text, str) and asks is not None and "{search_term_string}" not in text:
        return "target names no {search_term_string}."
    return ""


#: Type (and all below it) → a rule.
RULES: tuple[tuple[str, DataRule], ...] = (
    ("Event", _order("startDate", "endDate")),
    ("Event", _rescheduled),
    ("CreativeWork", _order("datePublished", "dateModified")),
    ("JobPosting", _order("datePosted", "validThrough")),
    ("JobPosting", _remote),
    ("Offer", _order("validFrom", "validThrough")),
    ("OpeningHoursSpecification", _order("validFrom", "validThrough")),
    ("OpeningHoursSpecification", _hours),
    ("BroadcastEvent", _order("startDate", "endDate")),
    ("HowTo", _recipe_times),
    ("Rating", _rating),
    ("AggregateRating", _counted),
    ("BreadcrumbList", _positions),
    ("BreadcrumbList", _crumbs),
    ("SearchAction", _search),
)
