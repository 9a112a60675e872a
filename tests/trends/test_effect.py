"""Whether a change helped: simulations with known truth, of pages chosen by lot and otherwise."""

import numpy as np
import pytest

from jovial_atlas.trends.effect import effect_of, strata_of


def pages(chance, number, changed, effect, by_lot=True):
    """Pages of three sections before and after: sizes that differ widely, months in which pages and sections drift,
    counts that vary more than chance. Without a lot those are changed that did well in the last fortnight."""
    rate = np.exp(chance.normal(2.0, 1.2, number))
    section = chance.integers(0, 3, number)
    drift = np.exp(chance.normal(0, 0.12, (number, 3)).cumsum(axis=1))
    level = np.exp(chance.normal(0, 0.2, (3, 3)))[section]
    mean = rate[:, None] * drift * level * [14, 14, 28]
    early = chance.poisson(mean[:, :2] * chance.gamma(20, 1 / 20, (number, 2))).astype(float)
    before = early.sum(axis=1)
    course = (early[:, 1] + 1) / (before + 2)
    first = chance.random(number) if by_lot else -course + chance.normal(0, 0.1, number)
    treated = np.argsort(np.argsort(first)) < changed
    after = chance.poisson(mean[:, 2] * (1 + effect * treated) * chance.gamma(20, 1 / 20, number)).astype(float)
    return before, after, treated, strata_of(section, before, course, treated)


@pytest.mark.parametrize(("number", "changed", "by_lot"), [(60, 30, True), (300, 30, True), (300, 60, False)])
def test_without_an_effect_false_alarms_are_as_rare_as_they_should_be(number, changed, by_lot):
    chance, runs = np.random.default_rng(11), 120
    found = [effect_of(*pages(chance, number, changed, 0.0, by_lot)) for _ in range(runs)]
    alarms = sum(one.p <= 0.05 for one in found) / runs
    covered = sum(one.low <= 0 <= one.high for one in found) / runs
    assert alarms <= 0.05 + 3 * (0.05 * 0.95 / runs) ** 0.5
    assert covered >= 0.95 - 3 * (0.05 * 0.95 / runs) ** 0.5


def test_an_effect_is_found_and_its_interval_holds_it():
    chance, runs = np.random.default_rng(12), 60
    found = [effect_of(*pages(chance, 400, 150, 0.25)) for _ in range(runs)]
    assert sum(one.p <= 0.05 for one in found) / runs > 0.6
    assert sum(one.low <= 0.25 <= one.high for one in found) / runs >= 0.95 - 3 * (0.05 * 0.95 / runs) ** 0.5
    assert abs(np.median([one.effect for one in found]) - 0.25) < 0.05
    assert all(one.low <= one.effect <= one.high for one in found)


def test_a_difference_of_means_is_found_as_it_is():
    chance = np.random.default_rng(13)
    before = chance.normal(8, 3, 200)
    treated = np.arange(200) % 2 == 0
    after = before + chance.normal(0, 0.5, 200) - 1.5 * treated + 0.7
    found = effect_of(before, after, treated, np.zeros(200, np.int64), scale="difference", weight=np.ones(200))
    assert (found.low < -1.5 < found.high, found.high - found.low < 0.5, found.p < 0.01) == (True, True, True)


def test_pages_without_a_partner_are_left_out():
    treated = np.array([True, True, False, False])
    alone = strata_of(np.zeros(4, np.int64), np.ones(4), np.ones(4), treated)
    assert set(alone) == {-1}
    told = effect_of(np.ones(4), np.ones(4), treated, alone)
    assert np.isnan(told.effect)
    chance = np.random.default_rng(1)
    _, _, treated, strata = pages(chance, 80, 40, 0.0)
    for one in np.unique(strata[strata >= 0]):
        assert ((strata == one) & ~treated).sum() >= 3
