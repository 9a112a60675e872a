"""Which of many counts rose or fell by more than chance, when all of them go up and down together.

Counts of whole weeks are compared, so that the rhythm of the week is the same on both sides; what
all of them did is taken out first (the level of each week, of those that did not change
themselves). What is left varies more than a Poisson count would: by how much is estimated for each
row from its weeks, and drawn towards what rows of its size have (an empirical Bayes prior after
Smyth, Statistical Applications in Genetics and Molecular Biology 3, 2004). The test is a
quasi-likelihood F test of the share that fell into the later weeks, and never bolder than the exact
binomial test. Where all rows vary more from month to month than their weeks tell, that is taken out
by the ratio of the median of all tests to what it should be (genomic control, Devlin and Roeder,
Biometrics 55, 1999). Of many rows so many are named that of those named one in twenty is a false
alarm at most, on average (Benjamini and Hochberg, Journal of the Royal Statistical Society B 57,
1995): where nothing changed at all, any is named in one case of twenty.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

CHANGE_TEST = "quasi-likelihood F test, corrected after Benjamini and Hochberg"
#: The share of false alarms among those named, on average.
FALSE_SHARE = 0.05
#: Counts of both times together from which a row is looked at: less can tell nothing.
LEAST = 12
#: Rows from which their common spread is estimated, and from which the median of all tests tells.
_MANY = 30
#: How often the level is worked out anew without the rows that changed.
_ROUNDS = 3
#: Degrees of freedom that a prior can add, at most.
_SURE = 200.0


@dataclass(frozen=True, slots=True)
class CountChanges:
    """Of each row: the counts of the earlier and the later weeks, how much of its share it gained
    beyond what all did (0.5: half as much again), the p-value, and the level at which it would
    be named; NaN where it is too small to tell."""

    before: Floats
    now: Floats
    change: Floats
    p: Floats
    q: Floats

    @property
    def named(self) -> NDArray[np.bool_]:
        """Rows that changed by more than chance."""
        return np.nan_to_num(self.q, nan=1.0) <= FALSE_SHARE


def changes(earlier: Floats, later: Floats) -> CountChanges:
    """Test each row of two tables of counts, one column a week: both have the same rows."""
    before, now = earlier.sum(axis=1), later.sum(axis=1)
    tested = before + now >= LEAST
    p = np.full(len(before), np.nan)
    change = np.zeros(len(before))
    if tested.any() and earlier.shape[1] >= 2 and later.shape[1] >= 2:
        p[tested], change[tested] = _tested(earlier[tested], later[tested])
    return CountChanges(before, now, change, p, corrected(p))


def corrected(p: Floats) -> Floats:
    """The level at which each would be named among all, after Benjamini and Hochberg; NaN stays."""
    q = np.full(len(p), np.nan)
    there = np.flatnonzero(~np.isnan(p))
    order = there[np.argsort(p[there], kind="stable")]
    steps = p[order] * len(order) / np.arange(1, len(order) + 1)
    q[order] = np.minimum(1.0, np.minimum.accumulate(steps[::-1])[::-1]) if len(order) else []
    return q


def _tested(earlier: Floats, later: Floats) -> tuple[Floats, Floats]:
    counts = np.hstack([earlier, later])
    weeks = earlier.shape[1]
    steady = np.ones(len(counts), bool)
    p = np.ones(len(counts))
    change = np.zeros(len(counts))
    for _ in range(_ROUNDS):
        level = _level(counts, weeks, steady)
        p, change = _against(counts, weeks, level)
        changed = corrected(p) <= FALSE_SHARE
        # The level needs most of what there is: a few rows of a site are no measure of all.
        if changed.sum() * 2 >= len(counts) or (changed == ~steady).all():
            break
        steady = ~changed
    return p, change


def _level(counts: Floats, weeks: int, steady: NDArray[np.bool_]) -> Floats:
    """What all rows did together, week by week; 1 where there is one row alone. A row counts for
    as much as it tells: the largest ones vary most, and would hand that on to all others."""
    if len(counts) < 2:
        return np.ones(counts.shape[1])
    rows = counts[steady]
    level = rows.sum(axis=0)
    spread, _ = _spread(rows, weeks, np.maximum(level, 1e-9))
    found: Floats = np.maximum((rows / spread[:, None]).sum(axis=0), 1e-9)
    return found


def _against(counts: Floats, weeks: int, level: Floats) -> tuple[Floats, Floats]:
    """P-values and changes of rows against the level of each week."""
    from scipy.special import fdtrc, fdtri

    share = level[weeks:].sum() / level.sum()
    before, now = counts[:, :weeks].sum(axis=1), counts[:, weeks:].sum(axis=1)
    total = before + now
    spread, degrees = _spread(counts, weeks, level)
    off = np.maximum(np.abs(now - total * share) - 0.5, 0.0)
    statistic = off**2 / (total * share * (1 - share) * spread)
    if len(counts) >= _MANY:
        statistic = statistic / _inflation(statistic / fdtri(1, degrees, 0.5), total)
    p = fdtrc(1, degrees, statistic)
    # What is no alarm by the one test is none by both.
    near = p <= FALSE_SHARE
    p[near] = np.maximum(p[near], _binomial(now[near], total[near], share))
    expected = np.maximum(before, 0.5) * share / (1 - share)
    return p, np.maximum(now, 0.5) / expected - 1.0


def _inflation(ratios: Floats, size: Floats) -> Floats:
    """How much more rows of each size vary from month to month than their weeks tell: by the
    medians of what the tests say, which are 1 where it is no more."""
    at = np.log1p(size)
    where, medians = _course(at, ratios, np.median, _MANY)
    found: Floats = np.interp(at, where, np.maximum(1.0, medians))
    return found


def _binomial(now: Floats, total: Floats, share: float) -> Floats:
    """Two-sided exact p-values, twice the smaller tail."""
    from scipy.special import betainc

    # At either end the tail is all there is.
    low = np.where(now < total, betainc(np.maximum(total - now, 1), now + 1, 1 - share), 1.0)
    high = np.where(now > 0, betainc(np.maximum(now, 1), total - now + 1, share), 1.0)
    found: Floats = np.minimum(1.0, 2 * np.minimum(low, high))
    return found


def _spread(counts: Floats, weeks: int, level: Floats) -> tuple[Floats, Floats]:
    """How many times as much as a Poisson count each row varies from week to week, and with how
    many degrees of freedom that is known."""
    squares = np.zeros(len(counts))
    for part in (slice(0, weeks), slice(weeks, None)):
        here = counts[:, part]
        fitted = np.outer(here.sum(axis=1), level[part] / level[part].sum())
        squares += np.divide((here - fitted) ** 2, fitted, where=fitted > 0,
                             out=np.zeros_like(fitted)).sum(axis=1)  # fmt: skip
    own = float(counts.shape[1] - 2)
    mine = squares / own
    if len(counts) < _MANY:
        # A few rows lend each other what they have in common.
        common = max(1.0, float(np.mean(mine)))
        pooled = (mine * own + common * own) / (2 * own)
        return np.maximum(1.0, pooled), np.full(len(counts), 1.5 * own)
    prior, degrees = _prior(mine, counts.mean(axis=1), own)
    pooled = (prior * degrees + mine * own) / (degrees + own)
    return np.maximum(1.0, pooled), np.full(len(counts), degrees + own)


def _prior(mine: Floats, size: Floats, own: float) -> tuple[Floats, float]:
    """What rows of each size vary by, and how many degrees of freedom that is worth: the moments
    of the logarithm of an F distribution (Smyth 2004, section 6.2)."""
    from scipy.special import digamma, polygamma

    known = mine > 0
    at = np.log1p(size)
    logs = np.log(mine[known]) - digamma(own / 2) + np.log(own / 2)
    course = _course(at[known], logs)
    left = logs - np.interp(at[known], *course)
    extra = float(np.mean(left**2) - polygamma(1, own / 2))
    degrees = min(_SURE, 2 * _inverse_trigamma(extra)) if extra > 0 else _SURE
    # The mean itself, not that of logarithms: small counts are too uneven for these.
    where, means = _course(at, mine)
    found = np.interp(at, where, means)
    # Beyond the last part it grows as the counts do, as where their rates vary (a negative
    # binomial); the largest rows of that part are far from its middle.
    return np.where(at > where[-1], found * np.exp(at - where[-1]), found), degrees


def _course(
    size: Floats, value: Floats, middle: Callable[[Floats], Any] = np.mean, least: int = 25
) -> tuple[Floats, Floats]:
    """The middle value by size, in up to twelve parts of as many rows each."""
    order = np.argsort(size, kind="stable")
    parts = np.array_split(order, max(1, min(12, len(order) // least)))
    return (np.array([size[one].mean() for one in parts]),
            np.array([middle(value[one]) for one in parts]))  # fmt: skip


def _inverse_trigamma(value: float) -> float:
    """Newton's method, from where it is nearly exact (Smyth 2004, appendix)."""
    from scipy.special import polygamma

    at = 0.5 + 1.0 / value
    for _ in range(50):
        now = float(polygamma(1, at))
        step = now * (1 - now / value) / float(polygamma(2, at))
        at += step
        if abs(step) < 1e-8 * at:
            break
    return max(at, 0.05)
