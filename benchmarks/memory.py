"""Time and peak of memory of whole commands against the number of rows: what grows, and how.

Default: 1 and 2 million rows; BENCH_FULL=1: 1 and 10; BENCH_HUGE=1: 1, 10 and 100 as well.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from benchmarks.build import command, lay_out

_MILLION = 1_000_000
_PAGE = "/species/a-species-of-the-marsh-number-77-with-a-name-of-some-length/"
_COMMANDS = (
    ("survey", "--quiet"), ("build", "--quiet"), ("check", "--quiet"), ("explain", _PAGE),
    ("pages", "--limit", "5"), ("report",),
)  # fmt: skip


def run(_pair: Callable[..., float]) -> None:
    """Each command on each size."""
    if os.environ.get("BENCH_HUGE"):
        sizes = [1, 10, 100]
    else:
        sizes = [1, 10] if os.environ.get("BENCH_FULL") else [1, 2]
    for millions in sizes:
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            lay_out(folder, millions * _MILLION)
            for arguments in _COMMANDS:
                began = time.perf_counter()
                peak = command(folder, *arguments)
                took = time.perf_counter() - began
                what = f"{millions * _MILLION:,} rows, {arguments[0]}"
                print(f"{what:<44} {took:8.3f} s  peak {peak:.2f} GiB", flush=True)
