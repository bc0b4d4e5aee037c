import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.intervals import clopper_pearson, effective_answers, pass_rate

# R. G. Newcombe, Statist. Med. 17 (1998) 857–872, table I, method 5 (Clopper–Pearson, exact).
NEWCOMBE = [
    (81, 263, 0.2527, 0.3676),
    (15, 148, 0.0578, 0.1617),
    (0, 20, 0.0000, 0.1684),
    (1, 29, 0.0009, 0.1776),
]


@pytest.mark.parametrize(("passed", "total", "low", "high"), NEWCOMBE)
def test_published_intervals(passed, total, low, high):
    interval = clopper_pearson(passed, total)
    assert interval.low == pytest.approx(low, abs=5e-5)
    assert interval.high == pytest.approx(high, abs=5e-5)


def test_no_answers_say_nothing():
    assert (clopper_pearson(0, 0).low, clopper_pearson(0, 0).high) == (0.0, 1.0)


@given(st.integers(1, 10_000), st.data())
def test_the_interval_holds_the_rate_and_is_symmetric_in_passes_and_failures(total, data):
    passed = data.draw(st.integers(0, total))
    interval, mirror = clopper_pearson(passed, total), clopper_pearson(total - passed, total)
    assert 0 <= interval.low <= passed / total <= interval.high <= 1
    assert interval.low == pytest.approx(1 - mirror.high, abs=1e-9)


@given(st.integers(1, 300), st.data())
def test_more_answers_and_a_lower_level_make_it_shorter(total, data):
    passed = data.draw(st.integers(0, total))
    usual, more, looser = (
        clopper_pearson(passed, total),
        clopper_pearson(passed * 4, total * 4),
        clopper_pearson(passed, total, 0.8),
    )
    assert more.high - more.low < usual.high - usual.low
    assert looser.high - looser.low < usual.high - usual.low


def rate(passed, total, missing=None):
    found = pass_rate(
        np.array(passed), np.array(total), None if missing is None else np.array(missing)
    )
    assert found is not None
    return found


class TestPassRate:
    def test_each_case_counts_the_same_however_often_it_was_answered(self):
        found = rate([5, 0, 1], [5, 5, 1])
        assert found.value == pytest.approx(2 / 3)
        assert (found.answers, found.cases) == (11, 3)

    def test_repeats_that_always_agree_are_worth_about_their_cases(self):
        assert 24 < rate([5] * 15 + [0] * 15, [5] * 30).effective <= 30

    def test_repeats_that_are_independent_are_worth_their_answers(self):
        passed = np.random.default_rng(4).binomial(5, 0.5, 4_000)
        assert rate(passed, [5] * 4_000).effective == pytest.approx(20_000, rel=0.06)

    @pytest.mark.parametrize("passes", [0, 5])
    def test_all_alike_counts_the_cases_only(self, passes):
        found = rate([passes] * 10, [5] * 10)
        assert found.value == passes / 5
        assert 7 < found.effective < 10
        assert found.interval.high - found.interval.low > 0.25

    def test_one_case_tells_nothing_of_the_others(self):
        found = rate([50], [50])
        assert (found.value, found.effective) == (1.0, 0)
        assert (found.interval.low, found.interval.high) == (0, 1)

    def test_cases_without_an_answer_are_left_out_and_none_at_all_gives_none(self):
        assert rate([3, 0], [3, 0]).cases == 1
        assert pass_rate(np.zeros(3, dtype=int), np.zeros(3, dtype=int)) is None

    def test_an_answer_that_never_came_counts_as_failed_and_the_bounds_say_what_it_could_be(self):
        found = rate([5, 3, 0, 4], [5, 3, 0, 5], [0, 2, 5, 0])
        assert found.value == pytest.approx((1 + 0.6 + 0 + 0.8) / 4)
        assert (found.missing, found.least) == (7, found.value)
        assert found.most == pytest.approx((1 + 1 + 1 + 0.8) / 4)
        left_out = rate([5, 3, 0, 4], [5, 3, 0, 5])
        assert (left_out.value, left_out.missing) == (pytest.approx((1 + 1 + 0.8) / 3), 0)

    @given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), min_size=1, max_size=40))
    def test_it_is_never_worth_more_than_independent_answers(self, pairs):
        passed = np.array([min(a, b) for a, b in pairs])
        total = np.array([max(a, b) for a, b in pairs])
        found = pass_rate(passed, total)
        if found is None:
            assert total.sum() == 0
            return
        asked = total[total > 0]
        assert 0 <= found.effective <= len(asked) ** 2 / (1 / asked).sum() + 1e-9
        assert found.interval.low <= found.value + 1e-12
        assert found.value <= found.interval.high + 1e-12


@pytest.mark.parametrize("alike", [0.3, 0.9])
@pytest.mark.parametrize("true", [0.5, 0.95])
def test_rates_are_covered_where_cases_are_few_and_repeats_alike(true, alike):
    """1,500 made-up trials each of 10 cases and 5 repeats; normal data would not show the fault."""
    rng, scale = np.random.default_rng(17), 1 / alike - 1
    shares = rng.binomial(5, rng.beta(true * scale, (1 - true) * scale, (1_500, 10))) / 5
    worth = effective_answers(shares, np.full_like(shares, 5))
    held = [
        interval.low <= true <= interval.high
        for interval in map(clopper_pearson, shares.mean(axis=1) * worth, worth)
    ]
    assert np.mean(held) >= 0.93
