"""Whether pages that were changed did better after it than pages that were not.

Pages are compared within strata: of the same section, as often clicked before, and on the same
course before. What those that were not changed did tells what the others would have done (a
difference in differences, on the scale of ratios for counts); strata count by how much of the
changed pages' clicks they hold. The p-value is that of a permutation test: how often pages of the
same strata, chosen by lot, differ as much from the others. The interval holds the effects that this
test does not refuse: each is taken out of the changed pages, and the test is made again
(randomization inference, Rosenbaum, Observational Studies, 2002, section 2.4). Pages are drawn, not
clicks, so that it does not matter how far the counts of a page depend on each other.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from jovial_atlas.trends.changes import Floats

Flags = NDArray[np.bool_]
Numbers = NDArray[np.int64]

EFFECT_TEST = "permutation over pages within strata"
EFFECT_LEVEL = 0.05
#: Draws by lot.
_DRAWS = 1_999
#: Pages of a stratum that are needed on both sides together, and unchanged ones.
_LEAST_CONTROLS = 3
#: Effects that are looked at: from a hundredth to a hundred times.
_LOWEST, _HIGHEST = -0.99, 99.0
_STEPS = 40

Scale = Literal["ratio", "difference"]


@dataclass(frozen=True, slots=True)
class Effect:
    """An effect with its 95 % interval and p-value: of counts the part by which they rose (0.2: a
    fifth more), else the difference; NaN where there is nothing to compare. `pages` were changed,
    `control` were not."""

    effect: float
    low: float
    high: float
    p: float
    pages: int
    control: int


def strata_of(section: Numbers, size: Floats, course: Floats, treated: Flags) -> Numbers:
    """The stratum of each page; -1 for those that have no partner. `size` is how much a page had
    before, `course` how much of that in the later half. Where a stratum would have too few pages
    that were not changed, it is joined with those nearest: first of any course, then of any size,
    then of any section."""
    thirds = _parts(course, 3)
    quarters = _parts(np.log1p(size), 4)
    halves = _parts(np.log1p(size), 2)
    levels = [
        np.stack([section, quarters, thirds], axis=1),
        np.stack([section, quarters, 0 * thirds], axis=1),
        np.stack([section, 10 + halves, 0 * thirds], axis=1),
        np.stack([section, 0 * halves + 20, 0 * thirds], axis=1),
        np.stack([0 * section - 1, 30 + quarters, 0 * thirds], axis=1),
        np.zeros((len(section), 3), np.int64) - 9,
    ]
    found = np.full(len(section), -1, np.int64)
    left = np.ones(len(section), bool)
    number = 0
    for keys in levels:
        _, group = np.unique(keys, axis=0, return_inverse=True)
        group = group.ravel()
        for one in np.unique(group[left & treated]):
            here = left & (group == one)
            if (here & ~treated).sum() >= _LEAST_CONTROLS:
                found[here] = number
                left &= ~here
                number += 1
    return found


def _parts(values: Floats, number: int) -> Numbers:
    """Which of so many parts of as many pages a value is in."""
    limits: Floats = np.quantile(values, np.linspace(0, 1, number + 1)[1:-1])
    return np.searchsorted(limits, values, side="right").astype(np.int64)


def effect_of(
    before: Floats,
    after: Floats,
    treated: Flags,
    strata: Numbers,
    *,
    scale: Scale = "ratio",
    weight: Floats | None = None,
    seed: int = 28,
) -> Effect:
    """The effect of a change on pages: `before` and `after` are counts (`ratio`), or means whose
    `weight` is how sure they are (`difference`). Pages of stratum -1 are left out."""
    used = strata >= 0
    sides = [int((used & treated).sum()), int((used & ~treated).sum())]
    if min(sides) < 1:
        return Effect(np.nan, np.nan, np.nan, np.nan, *sides)
    drawing = _Drawing(
        before[used], after[used], treated[used], strata[used], scale,
        None if weight is None else weight[used], seed,
    )  # fmt: skip
    found = drawing.estimate()
    low, high = drawing.interval(found)
    return Effect(found, low, high, drawing.p(0.0), *sides)


class _Drawing:
    """Changed pages chosen by lot, again and again, and what each time would have been found. The
    sums of what is drawn are kept by stratum, once with what pages that were really changed had and
    once with what others had: what an effect does to them is known without drawing again."""

    def __init__(
        self, before: Floats, after: Floats, treated: Flags, strata: Numbers, scale: Scale,
        weight: Floats | None, seed: int,
    ) -> None:  # fmt: skip
        self.scale = scale
        kinds, at = np.unique(strata, return_inverse=True)
        self.strata = len(kinds)
        if scale == "difference":
            sure = np.ones(len(before)) if weight is None else weight
            before, after = sure, sure * (after - before)
            moved = sure * treated
        else:
            moved = after * treated
        columns = [before, after, moved]
        self.whole = self._by_stratum(at, columns)
        self.real = self._by_stratum(at, [one * treated for one in columns])
        self.drawn = self._drawn(at, treated, columns, seed)

    def _by_stratum(self, at: Numbers, columns: list[Floats]) -> Floats:
        sums = [np.bincount(at, one, self.strata) for one in columns]
        return np.stack(sums).astype(np.float64)

    def _drawn(
        self, at: Numbers, treated: Flags, columns: list[Floats], seed: int
    ) -> NDArray[np.float64]:
        """The sums of each draw: columns, draws, strata."""
        chance = np.random.default_rng(seed)
        sums = np.zeros((len(columns), _DRAWS, self.strata))
        for one in range(self.strata):
            here = np.flatnonzero(at == one)
            number = int(treated[here].sum())
            values = np.stack([column[here] for column in columns])
            few = max(1, 2_000_000 // len(here))
            for start in range(0, _DRAWS, few):
                lots = chance.random((min(few, _DRAWS - start), len(here)))
                order = np.argpartition(lots, number - 1, axis=1)[:, :number]
                sums[:, start : start + len(lots), one] = values[:, order].sum(axis=2)
        return sums

    def estimate(self) -> float:
        """What the changed pages did beyond the others."""
        found = float(self._found(self.real, 0.0))
        return float(np.expm1(found)) if self.scale == "ratio" else found

    def _found(self, sums: Floats, effect: float) -> Floats:
        """The statistic of sums (columns, …, strata), once an effect is taken out of what was
        really changed."""
        before, after, moved = sums
        whole_before, whole_after, whole_moved = self.whole
        if self.scale == "ratio":
            taken = 1.0 - 1.0 / (1.0 + effect)
            after, rest = after - taken * moved, whole_after - taken * whole_moved
            expected = before * (rest - after + 0.5) / (whole_before - before + 0.5)
            logs: Floats = np.log((after.sum(-1) + 0.5) / (expected.sum(-1) + 0.5))
            return logs
        after, rest = after - effect * moved, whole_after - effect * whole_moved
        others = (rest - after) / np.maximum(whole_before - before, 1e-9)
        found: Floats = (after - before * others).sum(-1) / np.maximum(before.sum(-1), 1e-9)
        return found

    def p(self, effect: float) -> float:
        """Two-sided: how often a draw is as far out, were this the effect."""
        real, drawn = self._found(self.real, effect), self._found(self.drawn, effect)
        near = 1e-9
        low = (1 + (drawn <= real + near).sum()) / (_DRAWS + 1)
        high = (1 + (drawn >= real - near).sum()) / (_DRAWS + 1)
        return float(min(1.0, 2 * min(low, high)))

    def interval(self, found: float) -> tuple[float, float]:
        """The effects that are not refused, from the estimate on outwards."""
        if self.scale == "ratio":
            ends = (_LOWEST, _HIGHEST)
        else:
            wide = max(1.0, abs(found)) * 100
            ends = (found - wide, found + wide)
        return self._edge(found, ends[0]), self._edge(found, ends[1])

    def _edge(self, inside: float, outside: float) -> float:
        if self.p(outside) > EFFECT_LEVEL:
            return outside
        for _ in range(_STEPS):
            middle = self._middle(inside, outside)
            if self.p(middle) > EFFECT_LEVEL:
                inside = middle
            else:
                outside = middle
        return outside

    def _middle(self, one: float, other: float) -> float:
        if self.scale == "difference":
            return (one + other) / 2
        return float(np.sqrt((1 + one) * (1 + other)) - 1)
