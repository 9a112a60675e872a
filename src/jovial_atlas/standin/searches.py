"""Simulated searches: what people ask, what an engine shows of a site, and what they click, with a
truth that is known: the rhythm of the week, a season, a trend, noise that is more than chance alone
would have, and effects that are put in.

The tables are written in the words of two engines that do not exist: Lanternfish in English with
commas, Quillseek in German with semicolons and decimal commas. Both leave out what few people
searched.
"""

from __future__ import annotations

import io
import re
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

import numpy as np
import polars as pl

#: Searches on Monday to Sunday, beside the mean.
_WEEK = np.array([1.12, 1.1, 1.08, 1.04, 0.96, 0.82, 0.88])
#: How much the counts of a page vary from day to day beyond chance (1/k of a negative binomial).
_NOISE = 0.15
#: The share of clicks at the first place, and how fast it falls.
_FIRST, _FALL = 0.32, 1.15
#: Rows of a table by query that are shown so seldom on a day are left out.
HIDDEN_BELOW = 3
_QUERIES = 4


@dataclass(frozen=True, slots=True)
class KnownEffect:
    """From a day on, pages whose path fits a regular expression are shown and clicked so many
    times as often."""

    path: str
    since: date
    clicks: float = 1.0
    shown: float = 1.0
    #: The pages themselves, where they are known.
    locs: frozenset[str] = frozenset()

    def is_about(self, loc: str) -> bool:
        """Whether a page is one of those."""
        return loc in self.locs if self.locs else re.search(self.path, loc) is not None


@dataclass(frozen=True, slots=True)
class SearchWorld:
    """A site as people search it: its pages (address and what they are called), how often the
    average page is shown on a day, what grows, and what happens."""

    pages: Sequence[tuple[str, str]]
    seed: int = 1
    shown: float = 60.0
    #: Growth within a year, and the part that the season adds at its height (in June).
    growth: float = 0.1
    season: float = 0.15
    effects: Sequence[KnownEffect] = field(default_factory=tuple)


def searched(world: SearchWorld, begins: date, ends: date) -> pl.DataFrame:
    """What is shown and clicked: `date, loc, query, device, clicks, impressions, position`. The
    same days give the same figures, whatever days are asked for with them."""
    days = [begins + timedelta(number) for number in range((ends - begins).days + 1)]
    found = [_of_page(world, loc, title, days) for loc, title in world.pages]
    return pl.concat(found) if found else _frame([], [], [], [], [], [], [])


def _frame(*columns: Any) -> pl.DataFrame:
    names = {"date": pl.Date, "loc": pl.String, "query": pl.String, "device": pl.String,
             "clicks": pl.UInt32, "impressions": pl.UInt32, "position": pl.Float32}  # fmt: skip
    return pl.DataFrame(dict(zip(names, columns, strict=True)), schema=names)


def _of_page(world: SearchWorld, loc: str, title: str, days: Sequence[date]) -> pl.DataFrame:
    own = np.random.default_rng([world.seed, zlib.crc32(loc.encode())])
    rate = world.shown * own.lognormal(-0.5, 1.0)
    place = float(np.clip(own.lognormal(1.6, 0.7), 1.0, 60.0))
    liking = own.lognormal(0.0, 0.25)
    queries = queries_of(title)
    parts = own.dirichlet(np.linspace(4, 1, len(queries)))
    level = np.array([_level(world, day) for day in days])
    shown, clicked = np.ones(len(days)), np.ones(len(days))
    for one in world.effects:
        if one.is_about(loc):
            since = np.array([day >= one.since for day in days])
            shown[since] *= one.shown
            clicked[since] *= one.clicks
    rows: list[tuple[date, str, str, str, int, int, float]] = []
    for at, day in enumerate(days):
        draw = np.random.default_rng([world.seed, zlib.crc32(loc.encode()), day.toordinal()])
        mean = rate * level[at] * shown[at] * draw.gamma(1 / _NOISE, _NOISE)
        for query, part in zip(queries, parts, strict=True):
            for device, of_device in (("mobile", 0.6), ("desktop", 0.4)):
                times = int(draw.poisson(mean * part * of_device))
                if not times:
                    continue
                near = float(np.clip(place * draw.lognormal(0.0, 0.08), 1.0, 100.0))
                share = min(0.95, usual_share(near) * liking * clicked[at])
                rows.append((day, loc, query, device, int(draw.binomial(times, share)), times,
                             round(near, 1)))  # fmt: skip
    return _frame(*(zip(*rows, strict=True) if rows else [[]] * 7))


def usual_share(position: float) -> float:
    """The share of clicks at a place in this world."""
    return float(_FIRST * position**-_FALL)


def _level(world: SearchWorld, day: date) -> float:
    year = day.toordinal() / 365.25
    season = 1 + world.season * np.cos(2 * np.pi * (day.timetuple().tm_yday - 172) / 365.25)
    growth = (1 + world.growth) ** (year - date(2026, 1, 1).toordinal() / 365.25)
    return float(_WEEK[day.weekday()] * season * growth)


_SMALL = frozenset(
    ["a", "an", "and", "at", "by", "for", "from", "how", "in", "is", "it", "of", "on", "or", "our",
     "the", "their", "to", "we", "what", "when", "where", "with"]
)  # fmt: skip


def queries_of(title: str) -> list[str]:
    """What people ask to find a page that is called so."""
    words = [word for word in re.findall(r"\w+", title.casefold()) if word not in _SMALL]
    words = words or ["marsh"]
    asked = [f"{words[0]} marrowfen", f"what is {words[0]}", words[-1]]
    found = [" ".join(words[:3]), " ".join(words[:2]), *asked]
    return list(dict.fromkeys(found))[:_QUERIES]


def summed(rows: pl.DataFrame, by: Sequence[str]) -> pl.DataFrame:
    """Rows added up by some columns, as tables of engines are; of those by query the ones that are
    shown seldom are left out."""
    places = (pl.col("position") * pl.col("impressions")).sum() / pl.col("impressions").sum()
    table = (
        rows.group_by(*by)
        .agg(pl.col("clicks", "impressions").cast(pl.Int64).sum(), position=places.round(1))
        .sort(by)
    )
    return table.filter(pl.col("impressions") >= HIDDEN_BELOW) if "query" in by else table


#: Engine → our column → its word; how cells are parted, and whether fractions have a comma.
_WORDS: Mapping[str, Mapping[str, str]] = {
    "Lanternfish": {"date": "Day", "loc": "Page", "query": "Search", "device": "Device",
                    "clicks": "Clicks", "impressions": "Shown", "position": "Place"},
    "Quillseek": {"date": "Tag", "loc": "Seite", "query": "Suchanfrage", "device": "Gerät",
                  "clicks": "Klicks", "impressions": "Einblendungen", "position": "Rang"},
}  # fmt: skip


def as_exported(table: pl.DataFrame, engine: str) -> bytes:
    """A table as one of the two engines exports it, as CSV."""
    words = _WORDS.get(engine, _WORDS["Lanternfish"])
    german = engine == "Quillseek"
    if german:
        comma = pl.col("position").round(1).cast(pl.String).str.replace(".", ",", literal=True)
        day = pl.col("date").dt.strftime("%d.%m.%Y") if "date" in table.columns else None
        table = table.with_columns(comma, *([day] if day is not None else []))
    buffer = io.BytesIO()
    named = table.rename({name: words[name] for name in table.columns})
    named.write_csv(buffer, separator=";" if german else ",")
    return buffer.getvalue()


def performance_of(name: str, pages: Iterable[str], begins: date, ends: date) -> pl.DataFrame:
    """What an engine knows of some pages, by day, page and search."""
    titled = [(loc, words_of(loc)) for loc in sorted(pages)]
    world = SearchWorld(titled if begins <= ends else [], seed=zlib.crc32(name.encode()))
    return summed(searched(world, begins, ends), ["date", "loc", "query"])


def performance_rows(table: pl.DataFrame) -> list[dict[str, Any]]:
    """Such a table as an interface gives it: a row a day, page and search, in its own words."""
    return [
        {"keys": [f"{day}", loc, query], "clicks": clicks, "shown": shown, "place": place}
        for day, loc, query, clicks, shown, place in table.iter_rows()
    ]


def words_of(loc: str) -> str:
    """What a page may be called, by the last part of its address."""
    last = loc.rstrip("/").rpartition("/")[2].removesuffix(".html")
    return last.replace("-", " ") if "." not in last else "home"
