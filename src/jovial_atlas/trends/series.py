"""Figures over time: what was known at each moment, added up by group."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

#: One thing that became known: (time, what it is of, its group, its value).
KnownState = tuple[str, str, str, int]


def over_time(known: Iterable[KnownState]) -> dict[str, list[tuple[str, int]]]:
    """Group → (time, sum of the last known values of all in it), in the order of time. What became
    known at one time is one point."""
    last: dict[tuple[str, str], int] = {}
    sums: dict[str, int] = {}
    series: dict[str, list[tuple[str, int]]] = {}
    for at, name, group, value in known:
        sums[group] = sums.get(group, 0) + value - last.get((group, name), 0)
        last[group, name] = value
        points = series.setdefault(group, [])
        if points and points[-1][0] == at:
            points[-1] = (at, sums[group])
        else:
            points.append((at, sums[group]))
    return series


def stacked(
    reported: Iterable[tuple[str, Mapping[str, int]]], most: int = 5
) -> tuple[list[str], dict[str, list[int]]]:
    """Times, and for each kind its number at each of them; the kinds that are largest over all by
    name, the rest together as `other`."""
    rows = list(reported)
    totals: dict[str, int] = {}
    for _, counts in rows:
        for kind, count in counts.items():
            totals[kind] = totals.get(kind, 0) + count
    named = sorted(totals, key=lambda kind: (-totals[kind], kind))[:most]
    stacks: dict[str, list[int]] = {kind: [] for kind in named}
    if len(totals) > len(named):
        stacks["other"] = []
    for _, counts in rows:
        for kind in named:
            stacks[kind].append(counts.get(kind, 0))
        if "other" in stacks:
            stacks["other"].append(sum(n for kind, n in counts.items() if kind not in named))
    return [at for at, _ in rows], stacks
