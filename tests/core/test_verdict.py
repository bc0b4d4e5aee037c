import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.intervals import Interval
from epistem.core.evidence.sentence import Effort, sentence_text, verdict_sentence
from epistem.core.evidence.verdict import FEWEST_CASES, Comparison, Tally, reach_verdict, word_for

NO_EFFORT = Effort(None, None, 0, 0)


def tally(*arms: list[int], repeats: int = 5) -> Tally:
    """One measure; each arm gives its passes a case."""
    passed = np.array(arms)[:, None, :]
    return Tally(passed, np.full_like(passed, repeats))


@pytest.mark.parametrize(
    ("low", "high", "word"),
    [
        (2.1, 14.4, "better"),
        (-10.9, -1.6, "worse"),
        (-1.0, 1.9, "same"),
        (0.5, 1.9, "same"),
        (0.5, 2.1, "better"),
        (-0.1, 8.0, "unsettled"),
        (-3.0, 3.0, "unsettled"),
        (0.0, 0.0, "same"),
    ],
)
def test_the_word_by_a_margin_of_two_points(low, high, word):
    assert word_for(Interval(low, high), 2.0, 30) == word


def test_fewer_than_six_cases_settle_nothing():
    assert word_for(Interval(50, 60), 2.0, FEWEST_CASES - 1) == "unsettled"
    assert word_for(Interval(50, 60), 2.0, FEWEST_CASES) == "better"


@given(st.floats(-100, 100), st.floats(0, 50), st.floats(0, 20))
def test_better_and_worse_mirror_each_other(low, width, margin):
    swapped = {"better": "worse", "worse": "better"}
    word = word_for(Interval(low, low + width), margin, 30)
    mirror = word_for(Interval(-low - width, -low), margin, 30)
    assert mirror == swapped.get(word, word)


class TestReaching:
    def test_a_clear_gain(self):
        verdict = reach_verdict(tally([1] * 12, [4] * 12), [2.0], seed=1)
        [found] = verdict.comparisons
        assert (found.arm, found.measure, found.word, found.cases) == (1, 0, "better", 12)
        assert found.difference == pytest.approx(60)
        assert found.interval == Interval(pytest.approx(60), pytest.approx(60))

    def test_equal_answers_are_the_same(self):
        [found] = reach_verdict(tally([3, 5, 0] * 4, [3, 5, 0] * 4), [2.0], seed=1).comparisons
        assert (found.difference, found.word) == (0, "same")

    def test_pairing_settles_what_two_separate_rates_could_not(self):
        base = [0, 1, 2, 3, 4, 4] * 5
        [found] = reach_verdict(tally(base, [b + 1 for b in base]), [2.0], seed=3).comparisons
        assert found.word == "better"
        rates = [
            row[0] for row in reach_verdict(tally(base, [b + 1 for b in base]), [2.0], seed=3).rates
        ]
        assert rates[0].interval.high > rates[1].interval.low

    def test_a_case_that_one_arm_did_not_answer_is_left_out_of_the_pair(self):
        counts = tally([0] * 8, [5] * 8)
        counts.total[1, 0, :3] = 0
        counts.passed[1, 0, :3] = 0
        [found] = reach_verdict(counts, [2.0], seed=1).comparisons
        assert (found.cases, found.word) == (5, "unsettled")

    def test_no_answers_at_all_give_no_interval_and_no_crash(self):
        empty = Tally(np.zeros((2, 1, 9), dtype=int), np.zeros((2, 1, 9), dtype=int))
        verdict = reach_verdict(empty, [2.0], seed=1)
        [found] = verdict.comparisons
        assert (found.difference, found.interval, found.word, found.cases) == (
            None,
            None,
            "unsettled",
            0,
        )
        assert verdict.rates == [[None], [None]]

    def test_one_arm_has_rates_and_nothing_to_compare(self):
        verdict = reach_verdict(tally([5] * 7), [2.0], seed=1)
        assert verdict.comparisons == []
        assert verdict.rates[0][0].value == 1

    def test_the_same_seed_gives_the_same_verdict(self):
        rng = np.random.default_rng(0)
        counts = tally(list(rng.integers(0, 6, 25)), list(rng.integers(0, 6, 25)))
        assert reach_verdict(counts, [2.0], seed=5) == reach_verdict(counts, [2.0], seed=5)
        assert reach_verdict(counts, [2.0], seed=5) != reach_verdict(counts, [2.0], seed=6)

    @given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), min_size=6, max_size=25))
    def test_swapping_the_arms_turns_the_difference_round(self, pairs):
        one, other = [a for a, _ in pairs], [b for _, b in pairs]
        [there] = reach_verdict(tally(one, other), [2.0], seed=1).comparisons
        [back] = reach_verdict(tally(other, one), [2.0], seed=1).comparisons
        assert there.difference == pytest.approx(-back.difference)
        assert there.interval.low == pytest.approx(-back.interval.high, abs=1e-9)


def sentence(*arms, efforts=(NO_EFFORT, NO_EFFORT), measures=1):
    passed = np.stack([np.array(arm).reshape(measures, -1) for arm in arms])
    counts = Tally(passed, np.full_like(passed, 5))
    verdict = reach_verdict(counts, [2.0] * measures, seed=1)
    titles = ["label is right", "no stock phrases"][:measures]
    return sentence_text(
        verdict_sentence(
            "v2", "v1", verdict.comparisons, titles, [2.0] * measures, efforts[1], efforts[0]
        )
    )


class TestSentence:
    def test_a_bound_just_below_nothing_has_no_sign(self):
        comparison = Comparison(1, 0, 4.0, Interval(-0.01, 8.0), "unsettled", 30)
        said = verdict_sentence("v2", "v1", [comparison], ["x"], [2.0], NO_EFFORT, NO_EFFORT)
        assert "(0.0 to 8.0)" in sentence_text(said)

    def test_a_gain_with_its_interval(self):
        text = sentence([0] * 10, [5] * 10)
        assert text == "v2 is better than v1: label is right gains 100.0 points (100.0 to 100.0)."

    def test_a_loss(self):
        assert sentence([5] * 10, [3] * 10).startswith(
            "v2 is worse than v1: label is right loses 40.0 points"
        )

    def test_a_gain_and_a_loss_are_both_told(self):
        text = sentence([[1] * 10, [5] * 10], [[3] * 10, [2] * 10], measures=2)
        assert "better than v1: label is right gains 40.0 points" in text
        assert "It is worse on no stock phrases, by 60.0 points (−60.0 to −60.0)." in text

    def test_no_difference(self):
        assert (
            sentence([4] * 10, [4] * 10) == "v2 is the same as v1 within 2 points on every check."
        )

    def test_too_few_cases_say_how_many_it_takes(self):
        text = sentence([0] * 5, [5] * 5)
        assert "it is unsettled" in text
        assert "With 5 cases nothing can be settled; it takes 6 at least." in text

    def test_an_open_question_gives_its_interval(self):
        assert "Open: label is right (" in sentence([0, 5] * 5, [5, 1] * 5)

    def test_what_did_not_move_is_told_once(self):
        text = sentence([[1] * 10, [5] * 10], [[4] * 10, [5] * 10], measures=2)
        assert text.endswith("Nothing else moved beyond 2 points.")

    def test_money_and_time(self):
        efforts = (Effort(1.0, 100.0, 50, 0), Effort(1.12, 60.0, 50, 0))
        assert sentence([4] * 8, [4] * 8, efforts=efforts).endswith(
            "It costs 12% more a call and answers 40 ms sooner."
        )
        doubled = (Effort(1.0, 100.0, 50, 0), Effort(2.4, 102.0, 50, 2))
        assert sentence([4] * 8, [4] * 8, efforts=doubled).endswith(
            "It costs 2.4 times as much a call. 2 calls got no answer and are not counted."
        )
