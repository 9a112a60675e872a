"""How often what is shown at a place is clicked on a site, and what is clicked less than that by
more than chance.

The site's own curve is the mean share of clicks by place, made to fall from place to place
(isotonic regression over the logarithm of the place). How much pages differ from it is estimated
as well (a beta-binomial spread), so that a page that is shown often must still differ from its
curve by more than pages do; a page that is shown seldom is drawn towards the curve.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jovial_atlas.trends.changes import FALSE_SHARE, Floats, corrected

CURVE_TEST = "beta-binomial lower tail, corrected after Benjamini and Hochberg"
#: Clicks and rows from which a site has a curve of its own.
_LEAST_CLICKS, _LEAST_ROWS = 100, 20
#: Rows of one step of the curve, at least, and times shown that a row needs to be looked at.
_STEP, LEAST_SHOWN = 20, 30
_STEPS, _ROUNDS = 20, 2
#: No row is expected to be clicked less than this; no curve is surer than that.
_LOWEST, _SUREST = 1e-5, 1e6
_CARE = 0.8


@dataclass(frozen=True, slots=True)
class ClickCurve:
    """The usual share of clicks by place, at some places, and how alike pages are: `certain` is how
    many times shown the curve is worth beside those of a page."""

    places: Floats
    shares: Floats
    certain: float

    def at(self, position: Floats) -> Floats:
        """The usual share at each place."""
        found: Floats = np.interp(
            np.log(np.maximum(position, 1.0)), np.log(self.places), self.shares
        )
        return np.maximum(found, _LOWEST)


def click_curve(position: Floats, clicks: Floats, shown: Floats) -> ClickCurve | None:
    """The curve of rows with a mean place, clicks and times shown; None where they are too few."""
    used = (shown > 0) & np.isfinite(position) & (position >= 1)
    position, clicks, shown = position[used], clicks[used], shown[used]
    if clicks.sum() < _LEAST_CLICKS or len(clicks) < _LEAST_ROWS:
        return None
    curve = _fitted(position, clicks, shown, 100.0)
    for _ in range(_ROUNDS):
        usual = seldom_clicked(curve, position, clicks, shown)
        kept = ~usual.named if usual.named.sum() * 4 < len(clicks) else np.ones(len(clicks), bool)
        # What is far below the curve is no part of what is usual.
        curve = _fitted(position[kept], clicks[kept], shown[kept], curve.certain)
    return curve


def _fitted(position: Floats, clicks: Floats, shown: Floats, certain: float) -> ClickCurve:
    order = np.argsort(position, kind="stable")
    parts = np.array_split(order, max(2, min(_STEPS, len(order) // _STEP)))
    # A row that is shown a thousand times as often does not tell a thousand times as much.
    worth = shown * (certain + 1) / (shown + certain)
    places = np.array([np.average(position[one], weights=worth[one]) for one in parts])
    shares = np.array([np.average(clicks[one] / shown[one], weights=worth[one]) for one in parts])
    weights = np.array([worth[one].sum() for one in parts])
    falling = _falling(shares, weights)
    curve = ClickCurve(places, falling, np.inf)
    return ClickCurve(places, falling, _certain(curve, position, clicks, shown))


def _falling(values: Floats, weights: Floats) -> Floats:
    """The nearest values that never rise, by the formula of minima and maxima over means
    (Robertson, Wright and Dykstra, Order Restricted Statistical Inference, 1988, section 1.4): of a
    few values that is quicker than to load what does it for many."""
    sums = np.concatenate([[0.0], np.cumsum(values * weights)])
    whole = np.concatenate([[0.0], np.cumsum(weights)])
    steps = range(len(values))

    def mean(begin: int, end: int) -> float:
        return float((sums[end + 1] - sums[begin]) / (whole[end + 1] - whole[begin]))

    return np.array(
        [
            min(max(mean(begin, end) for end in steps[at:]) for begin in steps[: at + 1])
            for at in steps
        ]
    )


def _certain(curve: ClickCurve, position: Floats, clicks: Floats, shown: Floats) -> float:
    """How alike rows are, by the moments of what is left (Williams, Applied Statistics 31, 1982):
    the variance of a share is s(1-s)(1+(n-1)r)/n, and r is 1/(certain+1)."""
    usual = curve.at(position)
    squares = (clicks - shown * usual) ** 2 / (shown * usual * (1 - usual))
    # Each row by how much it tells of that: all of those that are shown often tell the same.
    worth = shown / (shown + 100.0)
    alike = float(((squares - 1) * worth / np.maximum(shown - 1, 1)).sum() / worth.sum())
    return _SUREST if alike <= 1 / _SUREST else max(1.0, 1 / min(alike, 0.5) - 1)


@dataclass(frozen=True, slots=True)
class SeldomClicked:
    """Of each row: its share of clicks, the usual one at its place, its share drawn towards that,
    and the level at which it would be named; NaN where it is shown too seldom."""

    share: Floats
    usual: Floats
    shrunk: Floats
    q: Floats

    @property
    def named(self) -> NDArray[np.bool_]:
        """Rows that are clicked less than is usual, by more than chance."""
        return np.nan_to_num(self.q, nan=1.0) <= FALSE_SHARE


def seldom_clicked(
    curve: ClickCurve, position: Floats, clicks: Floats, shown: Floats
) -> SeldomClicked:
    """Test each row against the curve."""
    from scipy.special import betainc

    usual = curve.at(np.nan_to_num(position, nan=1e6))
    tested = (shown >= LEAST_SHOWN) & np.isfinite(position) & (position >= 1)
    share = clicks / np.maximum(shown, 1)
    # The curve itself and how alike rows are is not known for sure: both widen the spread.
    certain = curve.certain * _CARE
    # The spread of a share that is shown so often, as that of a beta distribution.
    known = shown[tested] * (certain + 1) / (shown[tested] + certain) - 1
    known = np.maximum(known, 0.1)
    p = np.full(len(shown), np.nan)
    p[tested] = betainc(
        usual[tested] * known,
        (1 - usual[tested]) * known,
        np.minimum((clicks[tested] + 0.5) / shown[tested], 1 - 1e-12),
    )
    shrunk = (clicks + certain * usual) / (shown + certain)
    return SeldomClicked(share, usual, shrunk, corrected(p))
