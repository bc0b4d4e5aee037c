import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.intervals import pass_rate, wilson

# R. G. Newcombe, Statist. Med. 17 (1998) 857–872, table I, method 3 (score, no correction).
NEWCOMBE = [
    (81, 263, 0.2553, 0.3662),
    (15, 148, 0.0624, 0.1605),
    (0, 20, 0.0000, 0.1611),
    (1, 29, 0.0061, 0.1718),
]


@pytest.mark.parametrize(("passed", "total", "low", "high"), NEWCOMBE)
def test_published_intervals(passed, total, low, high):
    interval = wilson(passed, total)
    assert interval.low == pytest.approx(low, abs=5e-5)
    assert interval.high == pytest.approx(high, abs=5e-5)


def test_no_answers_say_nothing():
    assert (wilson(0, 0).low, wilson(0, 0).high) == (0.0, 1.0)


@given(st.integers(1, 10_000), st.data())
def test_the_interval_holds_the_rate_and_is_symmetric_in_passes_and_failures(total, data):
    passed = data.draw(st.integers(0, total))
    interval, mirror = wilson(passed, total), wilson(total - passed, total)
    assert 0 <= interval.low <= passed / total <= interval.high <= 1
    assert interval.low == pytest.approx(1 - mirror.high, abs=1e-12)


@given(st.integers(1, 300), st.data())
def test_more_answers_and_a_lower_level_make_it_shorter(total, data):
    passed = data.draw(st.integers(0, total))
    usual, more, looser = (
        wilson(passed, total),
        wilson(passed * 4, total * 4),
        wilson(passed, total, 0.8),
    )
    assert more.high - more.low < usual.high - usual.low
    assert looser.high - looser.low < usual.high - usual.low


def test_a_wider_level_by_the_formula():
    # z = 1.281552 at 80%: centre and half-width worked out by hand for 3 of 10.
    z = 1.2815515655446004
    centre = (0.3 + z * z / 20) / (1 + z * z / 10)
    half = z * (0.3 * 0.7 / 10 + z * z / 400) ** 0.5 / (1 + z * z / 10)
    interval = wilson(3, 10, 0.8)
    assert (interval.low, interval.high) == pytest.approx((centre - half, centre + half))


def rate(passed, total):
    found = pass_rate(np.array(passed), np.array(total))
    assert found is not None
    return found


class TestPassRate:
    def test_each_case_counts_the_same_however_often_it_was_answered(self):
        found = rate([5, 0, 1], [5, 5, 1])
        assert found.value == pytest.approx(2 / 3)
        assert (found.answers, found.cases) == (11, 3)

    def test_repeats_that_always_agree_are_worth_their_cases(self):
        found = rate([5] * 15 + [0] * 15, [5] * 30)
        assert found.effective == 30
        assert (found.interval.low, found.interval.high) == pytest.approx(
            (wilson(15, 30).low, wilson(15, 30).high)
        )

    def test_repeats_that_are_independent_are_worth_their_answers(self):
        rng = np.random.default_rng(4)
        passed = rng.binomial(5, 0.5, 4_000)
        assert rate(passed, [5] * 4_000).effective == pytest.approx(20_000, rel=0.06)

    def test_all_passed_counts_the_cases_only(self):
        found = rate([5] * 10, [5] * 10)
        assert (found.value, found.effective, found.interval.high) == (1.0, 10, 1.0)
        assert found.interval.low == pytest.approx(wilson(10, 10).low)

    def test_cases_without_an_answer_are_left_out_and_none_at_all_gives_none(self):
        assert rate([3, 0], [3, 0]).cases == 1
        assert pass_rate(np.zeros(3, dtype=int), np.zeros(3, dtype=int)) is None

    @given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), min_size=1, max_size=40))
    def test_it_is_always_worth_between_its_cases_and_its_answers(self, pairs):
        passed = np.array([min(a, b) for a, b in pairs])
        total = np.array([max(a, b) for a, b in pairs])
        found = pass_rate(passed, total)
        if found is None:
            assert total.sum() == 0
            return
        assert found.cases <= found.effective <= max(found.answers, found.cases)
        assert found.interval.low <= found.value + 1e-12
        assert found.value <= found.interval.high + 1e-12
