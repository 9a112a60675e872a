"""The first review of real pages against reading them, the second, of which nothing changed, and
the report of them against that."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from benchmarks.build import command
from benchmarks.survey import lay_out_documentation

_PAGES = int(os.environ.get("BENCH_PAGES", "10000" if os.environ.get("BENCH_FULL") else "900"))


def run(pair: Callable[..., float]) -> None:
    """Whole processes on each kind of documentation that is installed."""
    with tempfile.TemporaryDirectory() as place:
        for folder, what in lay_out_documentation(Path(place), _PAGES):
            command(folder, "survey", "--quiet")
            measures = folder / ".jovial-atlas/measures.parquet"
            pair(
                f"first review, {what}",
                lambda folder=folder: command(folder, "review", "--quiet", "--worst", "5"),
                lambda folder=folder: command(folder, "survey", "--full", "--quiet"),
                wanted="at most 2", runs=3,
                ready=lambda measures=measures: measures.unlink(missing_ok=True),
            )  # fmt: skip
            pair(
                "the same again",
                lambda folder=folder: command(folder, "review", "--quiet", "--worst", "5"),
                lambda folder=folder: command(folder, "survey", "--full", "--quiet"),
                wanted="below 1", runs=3,
            )  # fmt: skip
            pair(
                "a report of all that",
                lambda folder=folder: command(folder, "report", "--quiet"),
                lambda folder=folder: command(folder, "review", "--quiet", "--site"),
                wanted="at most 2", runs=3,
            )  # fmt: skip
            size = (folder / "report.html").stat().st_size
            print(f"{'its size':58} {size / 1e6:.2f} MB  wanted: below 2", flush=True)
