"""Builds as whole processes: against a plain script, against the compressor alone, and the
second of ten million addresses against the first.

Sizes may be set by BENCH_ADDRESSES and BENCH_ROWS; BENCH_FULL=1: 2 and 10 million.
"""

from __future__ import annotations

import gzip
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import polars as pl

_FULL = bool(os.environ.get("BENCH_FULL"))
_ADDRESSES = int(os.environ.get("BENCH_ADDRESSES", "2000000" if _FULL else "500000"))
_ROWS = int(os.environ.get("BENCH_ROWS", "10000000" if _FULL else "2000000"))
_SITE = """[site]
url = "https://www.marrowfen.example"

[[source]]
kind = "table"
path = "species.parquet"
url = "/species/{slug}/"
columns = { lastmod = "changed" }

[[section]]
name = "species"
match = "/species/**"
"""
_SQUEEZE = """
import sys
from pathlib import Path
from isal import igzip_lib
for place in sorted(Path(sys.argv[1]).glob("*.xml")):
    data = place.read_bytes()
    place.with_suffix(".gz").write_bytes(
        igzip_lib.compress(data, 2, flag=igzip_lib.COMP_GZIP))
"""


def run(pair: Callable[..., float]) -> None:
    """All builds."""
    with tempfile.TemporaryDirectory() as place:
        _against_scripts(Path(place) / "scripts", pair)
    with tempfile.TemporaryDirectory() as place:
        _second(Path(place) / "second")
    with tempfile.TemporaryDirectory() as place:
        _small(Path(place) / "small", pair)


def lay_out(folder: Path, rows: int, *, changed: int = -1) -> None:
    """A site of so many species; the one numbered `changed` has a date of its own."""
    folder.mkdir(parents=True, exist_ok=True)
    number = pl.int_range(rows)
    minutes = pl.duration(minutes=pl.col("n") % 2_000_000)
    date = pl.datetime(2020, 1, 1, time_zone="UTC") + minutes
    other = pl.datetime(2026, 1, 1, time_zone="UTC")
    pl.select(number.alias("n")).lazy().select(
        slug=pl.format("a-species-of-the-marsh-number-{}-with-a-name-of-some-length", "n"),
        title=pl.format("Species {}", "n"),
        changed=pl.when(pl.col("n") == changed).then(other).otherwise(date),
    ).sink_parquet(folder / "species.parquet")
    (folder / "atlas.toml").write_text(_SITE)


#: Starts a command and tells its peak. The system counts what a process was started from as its
#: own: a process that holds tables, as the benchmarks do, must not start it itself.
_STARTER = """
import os, subprocess, sys
started = subprocess.Popen(sys.argv[1:], stdout=subprocess.DEVNULL)
_, status, used = os.wait4(started.pid, 0)
print(used.ru_maxrss)
sys.exit(os.waitstatus_to_exitcode(status) != 0)
"""


def command(folder: Path, *arguments: str) -> float:
    """The installed command in a folder; gives its peak of memory, in GiB."""
    asked = [sys.executable, "-m", "jovial_atlas", *arguments]
    ran = subprocess.run([sys.executable, "-S", "-c", _STARTER, *asked], cwd=folder,
                         stdout=subprocess.PIPE, check=False)  # fmt: skip
    if ran.returncode:
        raise SystemExit(f"jovial-atlas {' '.join(arguments)} failed.")
    return int(ran.stdout) / 2**20


def forget_build(folder: Path) -> None:
    """Leave only the survey."""
    shutil.rmtree(folder / "public", ignore_errors=True)
    for place in (folder / ".jovial-atlas").iterdir():
        if place.name not in ("pages.parquet", "survey.json"):
            shutil.rmtree(place) if place.is_dir() else place.unlink()


def _against_scripts(folder: Path, pair: Callable[..., float]) -> None:
    lay_out(folder, _ADDRESSES)
    command(folder, "survey", "--quiet")
    script = Path(__file__).with_name("plain_script.py")
    target = folder / "script"
    target.mkdir()

    def ready() -> None:
        forget_build(folder)

    def ours() -> float:
        return command(folder, "build", "--quiet")

    def plain() -> None:
        subprocess.run([sys.executable, script, "species.parquet", target], cwd=folder, check=True)

    what = f"{_ADDRESSES:,} addresses to .xml.gz"
    pair(f"{what}, plain script", ours, plain, wanted="at most 0.083", runs=3, ready=ready)
    raw = folder / "raw"
    raw.mkdir()
    for place in (folder / "public").glob("*.xml.gz"):
        (raw / place.stem).write_bytes(gzip.decompress(place.read_bytes()))

    def squeeze() -> None:
        subprocess.run([sys.executable, "-c", _SQUEEZE, raw], check=True)

    pair(f"{what}, isal alone", ours, squeeze, wanted="at most 5", runs=3, ready=ready)


def _second(folder: Path) -> None:
    lay_out(folder, _ROWS)
    command(folder, "survey", "--quiet")

    peaks: list[float] = []

    def build() -> float:
        began = time.perf_counter()
        peaks.append(command(folder, "build", "--quiet"))
        return time.perf_counter() - began

    firsts, times = [], []
    for number in range(3):
        forget_build(folder)
        firsts.append(build())
        lay_out(folder, _ROWS, changed=_ROWS // 4 * (number + 1) - 1)
        command(folder, "survey", "--quiet")
        times.append(build())
    took, again = statistics.median(firsts), statistics.median(times)
    ratios = [one / other for one, other in zip(times, firsts, strict=True)]
    print(
        f"{f'{_ROWS:,} addresses, one page changed':<44} {again:8.3f} s  "
        f"first    {took:8.3f} s  ratio {statistics.median(ratios):6.2f} "
        f"({min(ratios):.2f} to {max(ratios):.2f})  wanted: at most 0.25; "
        f"peak {max(peaks):.2f} GiB, wanted: below 1",
        flush=True,
    )


def _small(folder: Path, pair: Callable[..., float]) -> None:
    lay_out(folder, 100)
    command(folder, "survey", "--quiet")

    def second() -> None:
        time.sleep(1)

    pair(
        "build of 100 pages, against one second",
        lambda: command(folder, "build", "--quiet"),
        second, wanted="below 1", runs=3, ready=lambda: forget_build(folder),
    )  # fmt: skip
    pair(
        "check of 100 pages, against one second",
        lambda: command(folder, "check", "--quiet", "--fail-on", "blocker"),
        second, wanted="below 1", runs=3,
    )  # fmt: skip
