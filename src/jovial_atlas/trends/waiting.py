"""How long something takes, where some still wait: the estimate of Kaplan and Meier.

Pages that have not been visited yet are no missing values: they waited at least so long, and that
counts. Leaving them out would make every engine look faster than it is.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jovial_atlas import dates

_DAY = 86_400.0


@dataclass(frozen=True, slots=True)
class Curve:
    """The share that still waits after so many days, with its bounds at 95 %; how many came, how
    many still wait, and the days after which half had come (None where fewer did)."""

    days: tuple[float, ...]
    waiting: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    came: int
    wait: int
    median: float | None
    #: The longest that any has waited or took, in days.
    longest: float


def waits(began: Mapping[str, str], came: Mapping[str, str], now: str) -> list[tuple[float, bool]]:
    """Days from the beginning to the event, or for those still waiting to now (False), of each
    name in `began`. What came before it began was not waited for and is left out."""
    lengths = []
    end = dates.moment(now)
    for name, start in began.items():
        at = dates.moment(start)
        seen = came.get(name)
        if seen is not None and seen[: len(start)] < start[: len(seen)]:
            continue
        until = end if seen is None else dates.moment(seen)
        lengths.append((max(0.0, (until - at).total_seconds() / _DAY), seen is not None))
    return lengths


def curve(waited: Sequence[tuple[float, bool]]) -> Curve | None:
    """The curve of some waits; None where there are none."""
    if not waited:
        return None
    import warnings

    from scipy.stats import CensoredData, ecdf

    came = [days for days, happened in waited if happened]
    wait = [days for days, happened in waited if not happened]
    longest = max(days for days, _ in waited)
    if not came:
        all_wait = (1.0, 1.0)
        return Curve((0.0, longest), all_wait, all_wait, all_wait, 0, len(wait), None, longest)
    estimate = ecdf(CensoredData(uncensored=came, right=wait)).sf
    with warnings.catch_warnings():
        # Where nothing is left, the bound is not defined; it is drawn at the curve itself.
        warnings.simplefilter("ignore", RuntimeWarning)
        bounds = estimate.confidence_interval(method="log-log")
    shares = [float(one) for one in estimate.probabilities]
    days = [float(one) for one in estimate.quantiles]
    median = next((d for d, share in zip(days, shares, strict=True) if share <= 0.5), None)

    def bound(values: Sequence[float]) -> tuple[float, ...]:
        pairs = zip(values, shares, strict=True)
        return (1.0, *(share if one != one else float(one) for one, share in pairs))

    return Curve(
        (0.0, *days),
        (1.0, *shares),
        bound(bounds.low.probabilities),
        bound(bounds.high.probabilities),
        len(came),
        len(wait),
        median,
        longest,
    )
