from math import sqrt

import numpy as np
import pytest
from scipy import stats

from epistem.core.evidence.paired import (
    bootstrap_means,
    case_shares,
    expanded_level,
    intervals_from,
)

RNG = np.random.default_rng


def test_repeats_are_averaged_inside_a_case_and_a_case_without_answers_is_nan():
    shares = case_shares(np.array([3, 0, 0]), np.array([5, 5, 0]))
    assert shares[:2].tolist() == [0.6, 0.0]
    assert np.isnan(shares[2])


def test_the_means_scatter_as_theory_says():
    values = RNG(1).normal(5, 12, (1, 60))
    means = bootstrap_means(values, RNG(2), resamples=40_000)[:, 0]
    assert means.mean() == pytest.approx(values.mean(), abs=0.03)
    assert means.std() == pytest.approx(values.std(ddof=0) / sqrt(60), rel=0.02)


def test_it_agrees_with_drawing_one_by_one():
    values = RNG(3).normal(0, 1, 12)
    drawn = np.array([values[RNG(seed).integers(0, 12, 12)].mean() for seed in range(8_000)])
    ours = bootstrap_means(values[None], RNG(9), resamples=8_000)[:, 0]
    assert stats.ks_2samp(drawn, ours).pvalue > 0.001


def test_the_same_seed_gives_the_same_numbers_and_rows_share_their_draws():
    values = RNG(5).normal(0, 1, (1, 20))
    both = np.vstack([values, values + 3])
    means = bootstrap_means(both, RNG(7), resamples=500)
    assert np.array_equal(means, bootstrap_means(both, RNG(7), resamples=500))
    assert np.allclose(means[:, 1] - means[:, 0], 3)


def test_a_case_that_a_row_cannot_use_is_left_out_of_its_means():
    values = np.array([[1.0, 1.0, np.nan, 1.0], [1.0, 2.0, 3.0, 4.0]])
    means = bootstrap_means(values, RNG(1), resamples=3_000)
    usable = means[~np.isnan(means[:, 0]), 0]
    assert np.allclose(usable, 1.0)
    assert means[:, 1].mean() == pytest.approx(2.5, abs=0.06)


def test_the_level_is_widened_for_few_cases_and_hardly_for_many():
    # Hesterberg 2015, section 3.3, by hand for n = 10: t = 2.262157, sqrt(10/9) = 1.054093.
    expected = 1 - 2 * stats.norm.cdf(-1.0540925533894598 * 2.2621571627409915)
    assert expanded_level(0.95, 10) == pytest.approx(expected)
    assert expanded_level(0.95, 10) > expanded_level(0.95, 40) > 0.95
    assert expanded_level(0.95, 100_000) == pytest.approx(0.95, abs=1e-4)
    assert expanded_level(0.95, 1) == 0.95


@pytest.mark.parametrize("cases", [8, 30])
def test_ninety_five_percent_of_intervals_hold_the_truth(cases):
    """Coverage over 600 made-up trials; the plain percentile interval gives 0.89 at 8 cases."""
    rng, hits, trials = RNG(11), 0, 600
    for _ in range(trials):
        means = bootstrap_means(rng.normal(2, 10, (1, cases)), rng, resamples=1_000)
        [interval] = intervals_from(means, np.array([cases]))
        hits += interval.low <= 2 <= interval.high
    assert 0.925 <= hits / trials <= 0.975


def test_an_interval_for_a_mean_matches_students_t_when_values_are_normal():
    values = RNG(21).normal(0, 10, (1, 200))
    [interval] = intervals_from(bootstrap_means(values, RNG(1)), np.array([200]))
    low, high = stats.t.interval(0.95, 199, loc=values.mean(), scale=values.std(ddof=1) / sqrt(200))
    assert (interval.low, interval.high) == pytest.approx((low, high), abs=0.15)
