"""Runs every benchmark (or those named) and prints each ratio beside both figures.

Machines are shared and noisy: pairs are timed in turn and the median of the ratios is
what counts, never a single time. BENCH_FULL=1 takes the sizes that marks are stated for, and
as many pairs as are asked for; else few pairs are timed of what takes long.
"""

from __future__ import annotations

import compileall
import math
import os
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import polars

import jovial_atlas
from benchmarks import (
    build,
    check,
    cluster,
    head,
    links,
    logs,
    memory,
    moves,
    review,
    robots,
    rules,
    schema,
    shapes,
    start,
    survey,
    traffic,
    videos,
)

BENCHMARKS = {
    "start": start.run,
    "survey": survey.run,
    "traffic": traffic.run,
    "build": build.run,
    "check": check.run,
    "cluster": cluster.run,
    "head": head.run,
    "links": links.run,
    "logs": logs.run,
    "memory": memory.run,
    "moves": moves.run,
    "review": review.run,
    "robots": robots.run,
    "rules": rules.run,
    "schema": schema.run,
    "shapes": shapes.run,
    "videos": videos.run,
}


#: Seconds after which no further pair of two things is timed.
_PATIENCE = math.inf if os.environ.get("BENCH_FULL") else 4.0


def pair(
    name: str,
    ours: Callable[[], object],
    baseline: Callable[[], object],
    *,
    wanted: str,
    runs: int = 5,
    ready: Callable[[], object] | None = None,
) -> float:
    """Time two things in turn and print the median of ours against the baseline. `ready` makes
    things ready for ours, and is not timed. Where ours gives its peak of memory (a float, in GiB),
    the highest is printed too. So many pairs are timed as there is patience for."""
    ratios, mine, theirs, peaks = [], [], [], [0.0]
    begun = time.perf_counter()
    for number in range(runs + 1):
        if ratios and time.perf_counter() - begun > _PATIENCE:
            break
        times = []
        if ready:
            ready()
        for work in (ours, baseline):
            began = time.perf_counter()
            peak = work()
            times.append(time.perf_counter() - began)
            if work is ours and isinstance(peak, float):
                peaks.append(peak)
        # The first pair warms up, unless all patience went into it.
        if number or time.perf_counter() - begun > _PATIENCE:
            ratios.append(times[0] / times[1])
            mine.append(times[0])
            theirs.append(times[1])
    ratio = statistics.median(ratios)
    print(
        f"{name:<44} {statistics.median(mine):8.3f} s  "
        f"baseline {statistics.median(theirs):8.3f} s  "
        f"ratio {ratio:6.2f} ({min(ratios):.2f} to {max(ratios):.2f})  wanted: {wanted}"
        + (f"  peak {max(peaks):.2f} GiB" if max(peaks) else ""),
        flush=True,
    )
    return ratio


def main() -> None:
    """Run the benchmarks named as arguments, or all."""
    unknown = set(sys.argv[1:]) - BENCHMARKS.keys()
    if unknown:
        raise SystemExit(f"No benchmark {sorted(unknown)[0]!r}; there are {', '.join(BENCHMARKS)}.")
    # As pip leaves a package that it installs: else each process may compile all of it anew.
    for package in (jovial_atlas, polars):
        compileall.compile_dir(Path(str(package.__file__)).parent, quiet=2)
    for name, run in BENCHMARKS.items():
        if not sys.argv[1:] or name in sys.argv[1:]:
            run(pair)


if __name__ == "__main__":
    main()
