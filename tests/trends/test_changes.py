"""What rose and fell by more than chance: simulations with known truth. (The full ones, with a thousand
runs each, are in the benchmarks; here each shows that nothing is far out.)"""

import numpy as np
import pytest

from jovial_atlas.trends.changes import FALSE_SHARE, changes, corrected
from jovial_atlas.trends.curve import click_curve, seldom_clicked

WEEK = np.array([1.2, 1.1, 1.1, 1.0, 0.9, 0.6, 0.7])


def counts(chance, pages, noise, effect=1.0, changed=0, drift=0.0):
    """Eight weeks of clicks: pages of all sizes, a rhythm, a trend that all share, noise beyond chance, and months
    in which pages drift apart."""
    rate = np.exp(chance.normal(1.0, 1.5, pages))
    mean = rate[:, None] * np.tile(WEEK, 8) * np.exp(np.linspace(0, 0.5, 56))
    mean *= np.exp(np.repeat(chance.normal(0, drift, (pages, 8)).cumsum(axis=1), 7, axis=1)) if drift else 1.0
    mean[:changed, 28:] *= effect
    drawn = chance.poisson(mean * chance.gamma(1 / noise, noise, mean.shape)) if noise else chance.poisson(mean)
    weeks = drawn.reshape(pages, 8, 7).sum(axis=2).astype(float)
    return weeks[:, :4], weeks[:, 4:]


@pytest.mark.parametrize(("pages", "noise", "drift"), [(100, 0.0, 0.0), (100, 0.5, 0.0), (300, 1.0, 0.05), (8, 0.3, 0.0)])
def test_without_a_change_hardly_any_page_is_named(pages, noise, drift):
    chance = np.random.default_rng(28)
    runs = 150
    alarms = sum(changes(*counts(chance, pages, noise, drift=drift)).named.any() for _ in range(runs))
    # The level, and what 150 runs may be off by (three standard errors).
    assert alarms / runs <= FALSE_SHARE + 3 * (FALSE_SHARE * (1 - FALSE_SHARE) / runs) ** 0.5


def test_pages_that_changed_are_named_and_the_others_are_not():
    chance = np.random.default_rng(5)
    found = np.zeros(2)
    for _ in range(20):
        tested = changes(*counts(chance, 200, 0.2, effect=3.0, changed=10))
        found += [tested.named[:10].mean(), tested.named[10:].sum()]
        assert (tested.change[:10][tested.named[:10]] > 0).all()
    assert found[0] / 20 > 0.5
    assert found[1] / 20 < 1.0


def test_what_the_whole_site_does_is_no_change_of_a_page():
    chance = np.random.default_rng(3)
    before, now = counts(chance, 60, 0.1)
    halved = changes(before, np.round(now / 2))
    assert not halved.named.any()
    # One page that has most of the clicks and falls makes no other one rise.
    before[0], now[0] = 9000, 500
    assert np.flatnonzero(changes(before, now).named).tolist() == [0]


def test_too_few_counts_tell_nothing():
    tested = changes(np.array([[1.0, 2.0], [50, 60]]), np.array([[1.0, 1.0], [55, 58]]))
    assert np.isnan(tested.p).tolist() == [True, False]
    assert changes(np.zeros((0, 4)), np.zeros((0, 4))).named.shape == (0,)


def test_corrected_levels_are_those_of_benjamini_and_hochberg():
    from scipy.stats import false_discovery_control

    chance = np.random.default_rng(1)
    p = chance.uniform(size=50) ** 3
    assert np.allclose(corrected(p), false_discovery_control(p))
    assert np.isnan(corrected(np.array([np.nan, 0.5]))[0])


def test_pages_clicked_seldom_for_their_place_are_found_against_the_sites_own_curve():
    chance = np.random.default_rng(9)
    alarms, found, runs = 0, 0.0, 60
    for run in range(2 * runs):
        place = np.exp(chance.uniform(0, 3.5, 400))
        usual = 0.35 * place**-1.1
        shown = np.exp(chance.normal(5, 1.3, 400)).round() + 1
        share = chance.beta(60 * usual, 60 * (1 - usual))
        if run >= runs:
            share[:20] *= 0.1
        clicks = chance.binomial(shown.astype(int), share).astype(float)
        curve = click_curve(place, clicks, shown)
        assert (np.diff(curve.shares) <= 0).all()
        tested = seldom_clicked(curve, place, clicks, shown)
        if run < runs:
            alarms += tested.named.any()
        else:
            found += tested.named[:20].mean()
        assert ((tested.shrunk - tested.usual) * (tested.share - tested.usual) >= -1e-9).all()
    assert alarms / runs <= FALSE_SHARE + 3 * (FALSE_SHARE * (1 - FALSE_SHARE) / runs) ** 0.5
    assert found / runs > 0.2
    assert click_curve(place[:5], clicks[:5], shown[:5]) is None


def test_the_curve_falls_as_an_isotonic_regression_does():
    from scipy.optimize import isotonic_regression

    from jovial_atlas.trends.curve import _falling

    chance = np.random.default_rng(2)
    for size in (1, 2, 7, 20):
        values, weights = chance.normal(size=size), chance.uniform(0.1, 3.0, size)
        wanted = isotonic_regression(values, weights=weights, increasing=False).x
        assert np.allclose(_falling(values, weights), wanted)


def test_tails_are_those_of_the_binomial_distribution():
    from scipy.stats import binom

    from jovial_atlas.trends.changes import _binomial

    now, total = np.array([0.0, 3, 12, 12, 500]), np.array([12.0, 12, 12, 30, 900])
    wanted = np.minimum(1, 2 * np.minimum(binom.cdf(now, total, 0.4), binom.sf(now - 1, total, 0.4)))
    assert np.allclose(_binomial(now, total, 0.4), wanted)
