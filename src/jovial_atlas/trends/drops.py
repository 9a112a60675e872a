"""Whether a share fell by more than chance would have it.

Where it is known of the same pages then and now whether they are indexed, McNemar's exact test
counts those that went out against those that came in: under chance either is as likely (a
binomial with one half). Where only counts are known, Fisher's exact test compares two shares; since
most pages are the same ones then and now, it is too careful rather than too bold. Both are
one-sided.

Several comparisons at once are corrected by Tarone's method (Biometrics 46, 1990), so that the
chance of any false alarm in one run stays below the level: as Bonferroni's, but without counting
those that could not have been an alarm whatever happened, as sections of which no page changed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import msgspec

#: The chance of a false alarm in one run, over all comparisons in it.
LEVEL = 0.05

MCNEMAR, FISHER = "McNemar's exact test", "Fisher's exact test"


class Share(msgspec.Struct, frozen=True):
    """So many of so many."""

    part: int
    of: int

    @property
    def value(self) -> float:
        """From 0 to 1; 0 of nothing is 0."""
        return self.part / self.of if self.of else 0.0


class Compared(msgspec.Struct, frozen=True):
    """A share then and now, since when, and what a test says: `p` is how likely a fall at least
    this large is by chance, `least` the smallest value that it could have had."""

    before: Share
    now: Share
    since: str
    p: float
    least: float
    test: str


def compare(
    before: Share,
    now: Share,
    since: str,
    pairs: Sequence[tuple[bool, bool]] = (),
) -> Compared:
    """Test whether the share fell. `pairs` are pages of which it is known (then, now); they are
    used where they are most of the pages, else the counts."""
    if len(pairs) * 2 > max(before.of, now.of):
        return Compared(before, now, since, *_mcnemar(pairs), MCNEMAR)
    return Compared(before, now, since, *_fisher(before, now), FISHER)


def drops(cases: Mapping[str, Compared], level: float = LEVEL) -> dict[str, Compared]:
    """Those of the named cases that are drops: larger than chance, by Tarone's method."""
    for number in range(1, len(cases) + 1):
        able = {name: one for name, one in cases.items() if one.least <= level / number}
        if len(able) <= number:
            return {name: one for name, one in able.items() if one.p <= level / number}
    return {}


def _mcnemar(pairs: Sequence[tuple[bool, bool]]) -> tuple[float, float]:
    out = sum(then and not now for then, now in pairs)
    into = sum(now and not then for then, now in pairs)
    least = 0.5 ** (out + into)
    if not out:
        return 1.0, least
    # SciPy's tests take a second to load: only where something fell.
    from scipy.stats import binomtest

    return float(binomtest(out, out + into, 0.5, alternative="greater").pvalue), least


def _fisher(before: Share, now: Share) -> tuple[float, float]:
    if not before.of or not now.of:
        return 1.0, 1.0
    both, part = before.of + now.of, before.part + now.part
    most = min(before.of, part)
    # The chance of the most extreme table with these sums (hypergeometric).
    least = math.exp(
        _log_choose(part, most)
        + _log_choose(both - part, before.of - most)
        - _log_choose(both, before.of)
    )
    if now.value >= before.value:
        return 1.0, least
    from scipy.stats import fisher_exact

    table = [[before.part, before.of - before.part], [now.part, now.of - now.part]]
    return float(fisher_exact(table, alternative="greater").pvalue), min(least, 1.0)


def _log_choose(of: int, so_many: int) -> float:
    return math.lgamma(of + 1) - math.lgamma(so_many + 1) - math.lgamma(of - so_many + 1)
