from math import sqrt

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from epistem.core.evidence.paired import case_shares, ends, p_values, paired

DIFFERENCES = st.lists(st.integers(-5, 5), min_size=2, max_size=40).map(
    lambda fifths: np.array(fifths) / 5
)


def test_repeats_are_averaged_inside_a_case_and_a_case_without_answers_is_nan():
    shares = case_shares(np.array([3, 0, 0]), np.array([5, 5, 0]))
    assert shares[:2].tolist() == [0.6, 0.0]
    assert np.isnan(shares[2])


def test_one_repeat_a_case_is_the_interval_of_bonett_and_price_with_t():
    # f12 = 9 gains, f21 = 2 losses, n = 40: p = (f + 1) / (n + 2), their formula (2012), t for z.
    differences = np.array([1.0] * 9 + [-1.0] * 2 + [0.0] * 29)
    gained, lost = 10 / 42, 3 / 42
    middle = gained - lost
    reach = stats.t.ppf(0.975, 39) * sqrt((gained + lost - middle**2) / 42)
    low, high = ends(paired(differences), 0.05, 0.05)
    assert (low, high) == pytest.approx((middle - reach, middle + reach))


def test_the_test_is_students_on_the_cases_with_one_more_for_each_side():
    differences = np.array([0.4, 0.4, 0.2, 0.0, -0.2, 0.6, 0.4])
    moved = differences[differences != 0]
    c = sqrt((moved**2).mean())
    more = np.append(differences, [c, -c])
    t = more.mean() / sqrt(more.var() / len(more))
    assert p_values(paired(differences)) == pytest.approx(2 * stats.t.sf(t, len(differences) - 1))


def test_nothing_that_differs_leaves_an_interval_with_a_width():
    for cases, widest in ((6, 0.5), (30, 0.1), (138, 0.02)):
        low, high = ends(paired(np.zeros(cases)), 0.05, 0.05)
        assert 0 < high <= widest
        assert low == -high
    assert p_values(paired(np.zeros(30))) == 1


def test_four_gains_and_no_loss_are_never_called_by_themselves():
    for cases in (6, 20, 60, 1_000):
        differences = np.zeros(cases)
        differences[:4] = 1
        assert p_values(paired(differences)) > 0.05


def test_thirds_that_do_not_add_up_are_no_difference():
    passed = np.array([[2, 1, 3] * 4, [2, 1, 3] * 4])
    thirds = passed / 3
    thirds[1] = 1 - (1 - thirds[1])  # the same, but for the last bits
    found = paired(thirds[1] - thirds[0])
    assert (found.moved, p_values(found)) == (0, 1)


def test_a_case_that_one_arm_has_nothing_for_is_left_out():
    with_gap = paired(np.array([0.2, np.nan, 0.4, -0.2]))
    assert with_gap.cases == 3
    assert p_values(with_gap) == p_values(paired(np.array([0.2, 0.4, -0.2])))


def test_one_case_or_none_tells_nothing():
    for differences in ([], [1.0]):
        found = paired(np.array(differences))
        assert p_values(found) == 1
        assert ends(found, 0.05, 0.05) == (-1, 1)


@given(DIFFERENCES, st.floats(1e-9, 0.9))
def test_an_end_leaves_out_nothing_just_when_the_test_says_so(differences, alpha):
    found = paired(differences)
    low, high = ends(found, alpha, alpha)
    assert (low > 0 or high < 0) == (p_values(found) < alpha) or abs(p_values(found) - alpha) < 1e-9


@given(DIFFERENCES, st.floats(1e-6, 0.5))
def test_the_ends_mirror_each_other_and_hold_what_was_seen(differences, alpha):
    low, high = ends(paired(differences), alpha, alpha)
    turned = ends(paired(-differences), alpha, alpha)
    assert turned == (pytest.approx(-high), pytest.approx(-low))
    assert -1 <= low <= high <= 1
    wider = ends(paired(differences), alpha / 2, alpha / 2)
    assert wider[0] <= low + 1e-12
    assert wider[1] >= high - 1e-12


def test_many_comparisons_at_once_are_each_as_if_alone():
    rng = np.random.default_rng(4)
    several = rng.integers(-3, 4, (5, 12)) / 3
    together = p_values(paired(several))
    assert together == pytest.approx([float(p_values(paired(row))) for row in several])
