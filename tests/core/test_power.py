import numpy as np
import pytest
from scipy import special

from epistem.core.evidence.paired import p_values, paired
from epistem.core.evidence.power import (
    Spread,
    detectable,
    fewest_for_same,
    guessed,
    settling,
    spread_of,
)


def trials(rng, many, cases, repeats, rates, alike=0.5, shared=True):
    """Passes of two arms, `many` trials × cases: Bernoulli answers in clusters."""
    scale, u = 1 / alike - 1, rng.random((many, cases))
    chances = [
        special.betaincinv(
            r * scale, (1 - r) * scale, u if shared or at == 0 else rng.random(u.shape)
        )
        for at, r in enumerate(rates)
    ]
    return [rng.binomial(repeats, each) for each in chances]


def test_same_within_two_points_takes_about_140_cases_even_when_nothing_differs():
    assert fewest_for_same(0.02, 0.05) == 138
    assert fewest_for_same(0.05, 0.05) == 55
    assert fewest_for_same(0, 0.05) is None


class TestSettling:
    def test_a_difference_that_goes_on_is_settled_by_just_so_many_more(self):
        few = np.array([1, 0, 0, 0, -1, 0, 1, 0, 0, 0] * 3, dtype=float)
        found = settling(paired(few[None]), 0, 0.02, 1, 0.05)
        assert found.word == "a difference"
        enough = paired(few[None]).times(np.array([(30 + found.more) / 30]))
        one_less = paired(few[None]).times(np.array([(29 + found.more) / 30]))
        assert p_values(enough)[0] <= 0.05 < p_values(one_less)[0]

    def test_no_difference_at_all_is_settled_as_the_same(self):
        found = settling(paired(np.zeros((1, 60))), 0, 0.02, 1, 0.05)
        assert found == (78, "same")

    def test_more_to_compare_takes_more_cases(self):
        few = paired(np.array([[1, 0, 0, 0, -1, 0, 1, 0, 0, 0] * 3], dtype=float))
        alone, among = (settling(few, 0, 0.02, rank, 0.05).more for rank in (1, 12))
        assert among > alone

    def test_nothing_is_promised_from_one_case(self):
        assert settling(paired(np.ones((1, 1))), 0, 0.02, 1, 0.05) is None


class TestDetectable:
    def test_more_cases_and_more_repeats_show_smaller_differences(self):
        by_cases = [detectable(n, 5, guessed(), 0.05) for n in (10, 30, 100, 1_000, 10_000)]
        by_repeats = [detectable(60, r, guessed(), 0.05) for r in (1, 3, 10, 100)]
        assert by_cases == sorted(by_cases, reverse=True)
        assert by_repeats == sorted(by_repeats, reverse=True)
        assert detectable(60, 5, guessed(), 0.05 / 17) > detectable(60, 5, guessed(), 0.05)

    def test_too_few_cases_show_nothing(self):
        assert detectable(5, 100, guessed(), 0.05) is None
        assert detectable(6, 1, guessed(), 0.001) is None

    def test_no_spread_so_far_promises_no_certainty(self):
        assert detectable(60, 5, Spread(0, 0, "past"), 0.05) > 0.04

    @pytest.mark.parametrize(
        ("cases", "repeats", "shared"),
        [(30, 5, True), (60, 1, False), (60, 5, False), (100, 3, True), (200, 5, False)],
    )
    def test_it_is_met_about_four_times_in_five(self, cases, repeats, shared):
        """The spread is measured on one large set, the promise held against 2,000 new trials."""
        rng = np.random.default_rng(5)
        past = trials(rng, 1, 4_000, repeats, (0.7, 0.7), shared=shared)
        passed = np.stack([each[0] for each in past])
        spread = spread_of(passed, np.full_like(passed, repeats))
        d = detectable(cases, repeats, spread, 0.05)
        base, other = trials(rng, 2_000, cases, repeats, (0.7, 0.7 - d), shared=shared)
        met = (p_values(paired((other - base) / repeats)) <= 0.05).mean()
        assert 0.7 <= met <= 0.97


class TestSpread:
    def test_repeats_tell_what_lies_within_a_case_from_what_lies_between(self):
        rng = np.random.default_rng(8)
        base, other = trials(rng, 1, 20_000, 5, (0.7, 0.7), shared=False)
        passed = np.concatenate([base, other])
        found = spread_of(passed, np.full_like(passed, 5))
        # Beta with alike 0.5: half of 0.7·0.3 lies between cases, half within, twice for two arms.
        assert found.between == pytest.approx(0.21, rel=0.05)
        assert found.within == pytest.approx(0.21, rel=0.05)
        assert found.of == "past"

    def test_one_arm_gives_its_rate_and_nothing_gives_nothing(self):
        passed = np.full((1, 30), 3)
        assert spread_of(passed, np.full_like(passed, 5)) == guessed(0.6, "rate")
        assert spread_of(np.zeros((2, 9), dtype=int), np.zeros((2, 9), dtype=int)) is None

    def test_a_past_in_which_nothing_varied_is_not_taken_to_be_certain(self):
        passed = np.full((2, 30), 5)
        found = spread_of(passed, passed)
        assert found.between > 0
