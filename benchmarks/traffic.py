"""Tables of what people searched and clicked: heard against the script that an owner would write
(csv and a dictionary), heard again, asked for the overview; visits counted from a log; and what the
tests hold, by simulations with known truth.

Default: 4 months of 500,000 rows and 100 simulations; BENCH_FULL=1: 24 months of 4,200,000 rows
(a hundred million) and 1,000 simulations.
"""

from __future__ import annotations

import csv
import os
import tempfile
import time
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import polars as pl

from benchmarks.build import command
from jovial_atlas.logs.people import PeopleCounter
from jovial_atlas.trends.changes import changes
from jovial_atlas.trends.effect import effect_of, strata_of

_FULL = bool(os.environ.get("BENCH_FULL"))
_MONTHS = int(os.environ.get("BENCH_MONTHS", "24" if _FULL else "4"))
_ROWS = int(os.environ.get("BENCH_ROWS", "4200000" if _FULL else "250000"))
_RUNS = 1_000 if _FULL else 100
_LAST = date(2026, 10, 31)
_PAGES = 200_000
_SITE = """[site]
url = "https://www.marrowfen.example"

[output]
folder = "public"

[[source]]
kind = "table"
path = "pages.parquet"

[[section]]
name = "shop"
match = "/shop/**"

[[engine]]
name = "Lanternfish"
channels = [{ kind = "hand" }]
"""


def run(pair: Callable[..., float]) -> None:
    """Each part."""
    with tempfile.TemporaryDirectory() as place:
        _heard(Path(place), pair)
    _people(pair)
    _alarms()
    _found()


def _months() -> list[tuple[date, date]]:
    """The first and last day of each month, the last month last."""
    found = []
    ends = _LAST
    for _ in range(_MONTHS):
        begins = ends.replace(day=1)
        found.append((begins, ends))
        ends = begins - timedelta(1)
    return found[::-1]


def _table(path: Path, begins: date, ends: date, seed: int) -> None:
    """One month: few pages have most of the rows, most searches are rare."""
    chance = np.random.default_rng(seed)
    days = pl.date_range(begins, ends, eager=True)
    page = (chance.pareto(0.9, _ROWS) * 300).astype(np.int64) % _PAGES
    # Each page has some searches of its own, and a few that others have too.
    own = page * 10 + (chance.pareto(1.2, _ROWS) * 2).astype(np.int64) % 10
    query = np.where(chance.random(_ROWS) < 0.1, own // 50 * 50, own)
    shown = chance.geometric(0.15, _ROWS).astype(np.uint32)
    base = "https://www.marrowfen.example/shop/a-thing-of-the-marsh-"
    pl.DataFrame(
        {
            "Day": days[np.sort(chance.integers(0, len(days), _ROWS))],
            "Page": pl.Series(page).cast(pl.String),
            "Search": pl.Series(query).cast(pl.String),
            "Clicks": chance.binomial(shown, 0.06).astype(np.uint32),
            "Shown": shown,
            "Place": (1 + chance.exponential(6.0, _ROWS)).round(1),
        }
    ).with_columns(
        Page=pl.lit(base) + pl.col("Page") + "/",
        Search=pl.lit("things of the marsh ") + pl.col("Search"),
    ).write_csv(path)  # fmt: skip


def _heard(folder: Path, pair: Callable[..., float]) -> None:
    (folder / "atlas.toml").write_text(_SITE)
    base = "https://www.marrowfen.example/shop/a-thing-of-the-marsh-"
    locs = [f"{base}{number}/" for number in range(_PAGES)]
    pl.DataFrame({"loc": locs}).write_parquet(folder / "pages.parquet")
    command(folder, "survey", "--quiet")
    hear = ("hear", "--engine", "Lanternfish", "a.csv", "--quiet")
    took, peak = 0.0, 0.0
    for number, (begins, ends) in enumerate(_months()):
        _table(folder / "a.csv", begins, ends, number)
        began = time.perf_counter()
        peak = max(peak, command(folder, *hear))
        took += time.perf_counter() - began
    rows = _MONTHS * _ROWS
    size = sum(one.stat().st_size for one in (folder / ".jovial-atlas/traffic").rglob("*.parquet"))
    print(
        f"{rows:,} rows heard, {_MONTHS} tables: {took:.1f} s, {rows / took / 1e6:.2f} million a "
        f"second, peak {peak:.2f} GiB, {size / 1e9:.2f} GB kept", flush=True,
    )  # fmt: skip

    def script() -> None:
        """What an owner would write: the larger figure of each row, once."""
        known: dict[tuple[str, str, str], tuple[int, int]] = {}
        with (folder / "a.csv").open(newline="", encoding="utf-8") as stream:
            for row in csv.DictReader(stream):
                key = (row["Day"], row["Page"], row["Search"])
                had = known.get(key, (0, 0))
                known[key] = max(had[0], int(row["Clicks"])), max(had[1], int(row["Shown"]))

    def again() -> float:
        return command(folder, *hear)

    pair(f"{_ROWS:,} rows heard again, script", again, script, wanted="-", runs=1)
    for arguments in (
        ("traffic", "--format", "json"),
        ("pages", "--sort", "clicks", "--limit", "5"),
    ):
        began = time.perf_counter()
        peak = command(folder, *arguments)
        took = time.perf_counter() - began
        print(
            f"{rows:,} rows, {' '.join(arguments)}: {took:.2f} s, peak {peak:.2f} GiB", flush=True
        )


def _people(pair: Callable[..., float]) -> None:
    """Visits of people, against reading the lines and taking them apart."""
    import re

    browser = "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/140.0"
    text = "".join(
        f'192.0.2.{n % 250} - - [{1 + n // 20_000:02}/Nov/2026:10:{n // 60 % 60:02}:{n % 60:02} '
        f'+0000] "GET /species/entry-{n % 4_000}/ HTTP/1.1" 200 5120 "-" "{browser}"\n'
        for n in range(500_000)
    ).encode()  # fmt: skip
    taken = re.compile(
        rb'^(\S+) \S+ \S+ \[([^:]+):[^\]]+\] "(\S+) (\S+)[^"]*" (\d+) \S+ "[^"]*" "([^"]*)"'
    )

    def ours() -> None:
        counter = PeopleCounter()
        for start in range(0, len(text), 4 << 20):
            counter.take(text[start : start + (4 << 20)])
        assert counter.counted().visits.height

    def plain() -> None:
        seen: set[tuple[bytes, ...]] = set()
        for line in text.splitlines():
            match = taken.match(line)
            if match and match[5] == b"200":
                seen.add((match[1], match[6], match[2], match[4]))
        assert seen

    pair("500,000 log lines, visits of people", ours, plain, wanted="-", runs=3)


_WEEK = np.array([1.2, 1.1, 1.1, 1.0, 0.9, 0.6, 0.7])


def _weeks(chance: np.random.Generator, pages: int, noise: float, drift: float) -> np.ndarray:
    rate = np.exp(chance.normal(1.0, 1.5, pages))
    mean = rate[:, None] * np.tile(_WEEK, 8) * np.exp(np.linspace(0, 0.4, 56))
    if drift:
        mean = mean * np.exp(
            np.repeat(chance.normal(0, drift, (pages, 8)).cumsum(axis=1), 7, axis=1)
        )
    drawn = chance.poisson(mean * chance.gamma(1 / noise, noise, mean.shape))
    weeks: np.ndarray = drawn.reshape(pages, 8, 7).sum(axis=2).astype(float)
    return weeks


def _alarms() -> None:
    """Without any effect: how often `traffic` names any page, and `effect` an effect."""
    for pages, noise, drift in ((10, 0.3, 0.0), (100, 0.3, 0.0), (300, 1.0, 0.0), (300, 0.3, 0.05)):
        chance = np.random.default_rng(pages)
        named = 0
        for _ in range(_RUNS):
            weeks = _weeks(chance, pages, noise, drift)
            named += bool(changes(weeks[:, :4], weeks[:, 4:]).named.any())
        about = f"traffic, {pages} pages, noise {noise}, drift {drift}"
        said = f"any named in {named / _RUNS:.1%} of {_RUNS:,} runs without a change"
        print(f"{about}: {said} (stated: 5 %)", flush=True)


def _section(chance: np.random.Generator, pages: int, effect: float) -> tuple[np.ndarray, ...]:
    """A section whose pages are clicked twice a day in the middle; half of them changed."""
    rate = 2.0 * np.exp(chance.normal(0.0, 1.2, pages))
    drift = np.exp(chance.normal(0, 0.12, (pages, 3)).cumsum(axis=1))
    mean = rate[:, None] * drift * [14, 14, 28]
    early = chance.poisson(mean[:, :2] * chance.gamma(20, 1 / 20, (pages, 2))).astype(float)
    before = early.sum(axis=1)
    treated = np.argsort(chance.random(pages)) < pages // 2
    grown = mean[:, 2] * (1 + effect * treated)
    after = chance.poisson(grown * chance.gamma(20, 1 / 20, pages)).astype(float)
    course = (early[:, 1] + 1) / (before + 2)
    return before, after, treated, strata_of(np.zeros(pages, np.int64), before, course, treated)


def _found() -> None:
    """How often effects are found, and whether intervals hold them."""
    for pages in (20, 50, 100, 300, 1_000) if _FULL else (20, 100):
        said = []
        for effect in (0.0, 0.1, 0.2, 0.5):
            chance = np.random.default_rng(pages)
            found = [effect_of(*_section(chance, pages, effect)) for _ in range(_RUNS)]
            hit = sum(one.p <= 0.05 for one in found) / _RUNS
            held = sum(one.low <= effect <= one.high for one in found) / _RUNS
            said.append(f"{effect:.0%}: {hit:.0%} found, {held:.0%} held")
        print(f"effect, {pages} pages: {'; '.join(said)}", flush=True)
