import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.intervals import Interval
from epistem.core.evidence.sentence import Effort, about, sentence_text, verdict_sentence
from epistem.core.evidence.verdict import Comparison, Question, Tally, reach_verdict

NO_EFFORT = Effort(None, None, 0, 0)


def tally(*arms, repeats: int = 5, missing=None) -> Tally:
    """Each arm gives its passes a case, of one measure, or of several as rows."""
    passed = np.array(arms)
    passed = passed[:, None, :] if passed.ndim == 2 else passed
    lost = np.zeros_like(passed) if missing is None else np.array(missing).reshape(passed.shape)
    return Tally(passed, np.full_like(passed, repeats) - lost, lost)


def only(counts: Tally, **how):
    [found] = reach_verdict(counts, [2.0], **how).comparisons
    return found


class TestWords:
    def test_a_clear_gain(self):
        found = only(tally([1] * 12, [4] * 12))
        assert (found.arm, found.measure, found.word, found.cases) == (1, 0, "better", 12)
        assert found.difference == pytest.approx(60)
        assert 0 < found.interval.low < 60 < found.interval.high

    @pytest.mark.parametrize(
        ("cases", "word"), [(6, "unsettled"), (137, "unsettled"), (138, "same")]
    )
    def test_no_difference_seen_is_the_same_only_where_the_cases_carry_it(self, cases, word):
        assert only(tally([5] * cases, [5] * cases)).word == word

    def test_four_gains_and_no_loss_are_unsettled_at_any_number(self):
        for cases in (6, 30, 100):
            assert (
                only(tally([0] * cases, [1] * 4 + [0] * (cases - 4), repeats=1)).word == "unsettled"
            )

    def test_an_end_that_is_exactly_nothing_is_no_gain(self):
        thirds = [1, 2, 3] * 4
        found = only(tally(thirds, thirds[::-1], repeats=3))
        assert (found.p, found.word) == (1, "unsettled")

    def test_fewer_than_six_cases_settle_nothing(self):
        assert only(tally([0] * 5, [9] * 5, repeats=9)).word == "unsettled"
        assert only(tally([0] * 6, [9] * 6, repeats=9)).word == "better"

    def test_a_difference_inside_the_margin_is_the_same(self):
        one, other = [100] * 400, [99] * 400
        counts = tally(one, other, repeats=100)
        assert only(counts).p < 0.001
        assert only(counts).word == "same"
        assert reach_verdict(counts, [0.5]).comparisons[0].word == "worse"

    def test_pairing_settles_what_two_separate_rates_could_not(self):
        base = [0, 1, 2, 3, 4, 4] * 5
        counts = tally(base, [b + 1 for b in base])
        assert only(counts).word == "better"
        rates = [row[0] for row in reach_verdict(counts, [2.0]).rates]
        assert rates[0].interval.high > rates[1].interval.low

    def test_while_it_runs_a_word_needs_more(self):
        counts = tally([3] * 10, [5, 3, 4, 5, 3, 4, 4, 3, 5, 4])
        assert only(counts).word == "better"
        early = reach_verdict(counts, [2.0], early=True)
        assert (early.level, early.comparisons[0].word) == (0.999, "unsettled")
        assert early.comparisons[0].interval.low <= 0

    @given(
        st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), min_size=6, max_size=25),
        st.integers(1, 5),
        st.booleans(),
    )
    def test_picture_and_word_always_agree(self, pairs, measures, early):
        rng = np.random.default_rng(len(pairs))
        first = np.array(pairs).T
        others = rng.integers(0, 6, (2, measures - 1, len(pairs)))
        counts = tally(*[np.vstack([first[arm], *others[arm]]).astype(int) for arm in (0, 1)])
        margins = [2.0] * measures
        for question in (None, Question(1, 0)):
            found = reach_verdict(counts, margins, question=question, early=early)
            for each in found.comparisons:
                low, high = each.interval.low, each.interval.high
                assert low - 1e-9 <= each.difference <= high + 1e-9
                within = low >= -2.0 and high <= 2.0
                assert within == (each.word == "same")
                assert (low > 0 and not within) == (each.word == "better")
                assert (high < 0 and not within) == (each.word == "worse")

    @given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), min_size=6, max_size=25))
    def test_swapping_the_arms_turns_the_difference_round(self, pairs):
        one, other = [a for a, _ in pairs], [b for _, b in pairs]
        there, back = only(tally(one, other)), only(tally(other, one))
        assert there.difference == pytest.approx(-back.difference)
        assert there.interval.low == pytest.approx(-back.interval.high, abs=1e-9)
        assert there.word == {"better": "worse", "worse": "better"}.get(back.word, back.word)


class TestReaching:
    def test_no_answers_at_all_give_no_interval_and_no_crash(self):
        nothing = np.zeros((2, 1, 9), dtype=int)
        verdict = reach_verdict(Tally(nothing, nothing, nothing), [2.0])
        [found] = verdict.comparisons
        assert (found.difference, found.interval, found.word, found.cases) == (
            None,
            None,
            "unsettled",
            0,
        )
        assert verdict.rates == [[None], [None]]

    def test_one_arm_has_rates_and_nothing_to_compare(self):
        verdict = reach_verdict(tally([5] * 7), [2.0])
        assert verdict.comparisons == []
        assert verdict.rates[0][0].value == 1

    def test_a_measure_that_says_nothing_of_a_case_leaves_it_out_of_the_pair(self):
        counts = tally([0] * 8, [5] * 8)
        counts.total[1, 0, :3] = 0
        counts.passed[1, 0, :3] = 0
        assert (only(counts).cases, only(counts).word) == (5, "unsettled")

    def test_the_more_is_compared_the_more_a_word_takes(self):
        gain = [[3] * 10, [5, 3, 4, 5, 3, 4, 4, 3, 5, 4]]
        flat = [[4] * 10] * 5
        alone, among = tally(*gain), tally(*[[row, *flat] for row in gain])
        assert only(alone).word == "better"
        assert reach_verdict(among, [2.0] * 6).comparisons[0].word == "unsettled"
        named = reach_verdict(among, [2.0] * 6, question=Question(1, 0)).comparisons
        assert (named[0].word, named[0].main) == ("better", True)
        assert named[0].p_adjusted == named[0].p

    def test_an_open_main_question_holds_the_others_back(self):
        gain = [[3] * 10, [5, 3, 4, 5, 3, 4, 4, 3, 5, 4]]
        flat = [[2, 4] * 5, [4, 2] * 5]
        counts = tally(*[[flat[arm], gain[arm]] for arm in (0, 1)])
        words = [
            c.word for c in reach_verdict(counts, [2.0] * 2, question=Question(1, 0)).comparisons
        ]
        assert words == ["unsettled", "unsettled"]
        overwhelming = tally(*[[flat[arm], [[0] * 10, [5] * 10][arm]] for arm in (0, 1)])
        told = reach_verdict(overwhelming, [2.0] * 2, question=Question(1, 0)).comparisons
        assert told[1].word == "better"

    def test_losing_failing_answers_makes_no_arm_better(self):
        """Two equal arms; one loses 40% of its failing answers. 300 trials of 40 cases."""
        rng, false, left_out = np.random.default_rng(6), 0, 0
        for _ in range(300):
            passed = rng.binomial(5, 0.7, (2, 1, 40))
            lost = np.zeros_like(passed)
            lost[1] = rng.binomial(5 - passed[1], 0.4)
            counts = Tally(passed, 5 - lost, lost)
            false += only(counts).word == "better"
            left_out += only(counts, missing="left_out").word == "better"
        assert false / 300 < 0.05
        assert left_out / 300 > 0.15


def sentence(*arms, efforts=(NO_EFFORT, NO_EFFORT), measures=1, **how):
    counts = tally(*[np.array(arm).reshape(measures, -1) for arm in arms])
    verdict = reach_verdict(counts, [2.0] * measures, **how)
    titles = ["label is right", "no stock phrases"][:measures]
    return sentence_text(
        verdict_sentence(
            "v2",
            "v1",
            verdict.comparisons,
            titles,
            [2.0] * measures,
            efforts[1],
            efforts[0],
            missing=verdict.missing,
            same_needs=verdict.same_needs,
        )
    )


class TestSentence:
    def test_a_bound_just_below_nothing_has_no_sign(self):
        comparison = Comparison(1, 0, 4.0, Interval(-0.01, 8.0), "unsettled", 30)
        said = verdict_sentence("v2", "v1", [comparison], ["x"], [2.0], NO_EFFORT, NO_EFFORT)
        assert "(0.0 to 8.0)" in sentence_text(said)

    def test_a_gain_with_its_interval(self):
        text = sentence([0] * 10, [5] * 10)
        assert text == "v2 is better than v1: label is right gains 100.0 points (47.2 to 100.0)."

    def test_a_loss(self):
        assert sentence([5] * 10, [3] * 10).startswith(
            "v2 is worse than v1: label is right loses 40.0 points"
        )

    def test_a_gain_and_a_loss_are_both_told(self):
        text = sentence([[1] * 10, [5] * 10], [[3] * 10, [2] * 10], measures=2)
        assert "better than v1: label is right gains 40.0 points" in text
        assert "It is worse on no stock phrases, by 60.0 points (" in text

    def test_no_difference(self):
        text = sentence([4] * 140, [4] * 140)
        assert text == "v2 is the same as v1 within 2 points on every check."

    def test_the_main_question_leads_and_says_so(self):
        gains = ([[1] * 10, [0] * 10], [[4] * 10, [5] * 10])
        text = sentence(*gains, measures=2, question=Question(1, 0))
        assert text.startswith(
            "On the main question, label is right, v2 is better than v1: gains 60.0 points ("
        )
        assert text.endswith(
            "It is also better on no stock phrases, by 100.0 points (47.2 to 100.0)."
        )

    def test_an_open_main_question_says_what_would_settle_it(self):
        base, other = [[0, 5] * 6, [5] * 12], [[3, 5, 0, 5] * 3, [5] * 12]
        text = sentence(base, other, measures=2, question=Question(1, 0))
        assert text.startswith(
            "The main question, label is right, is unsettled between v2 and v1: 15.0 points ("
        )
        assert "To settle label is right would take about " in text

    def test_the_same_as_an_answer_to_the_main_question(self):
        text = sentence([4] * 140, [4] * 140, question=Question(1, 0))
        assert (
            text
            == "On the main question, label is right, v2 is the same as v1 within 2 points (−2.0 to 2.0)."
        )

    def test_same_out_of_reach_is_told(self):
        text = sentence([4] * 60, [4] * 60)
        assert "To call label is right the same would take about 78 more cases" in text
        assert text.endswith("“Same” takes 138 cases even when nothing differs.")

    def test_too_few_cases_say_how_many_it_takes(self):
        text = sentence([0] * 5, [5] * 5)
        assert "it is unsettled" in text
        assert "With 5 cases nothing can be settled; it takes 6 at least." in text

    def test_an_open_question_gives_its_interval(self):
        assert "Open: label is right (" in sentence([0, 5] * 5, [5, 1] * 5)

    def test_what_did_not_move_is_told_once(self):
        text = sentence([[1] * 140, [5] * 140], [[4] * 140, [5] * 140], measures=2)
        assert text.endswith("Nothing else moved beyond 2 points.")

    def test_money_time_and_answers_that_never_came(self):
        efforts = (Effort(1.0, 100.0, 50, 0), Effort(1.12, 60.0, 50, 0))
        flat = ([4] * 140, [4] * 140)
        assert sentence(*flat, efforts=efforts).endswith(
            "It costs 12% more per answer and answers 40 ms sooner."
        )
        doubled = (Effort(1.0, 100.0, 50, 0), Effort(2.4, 102.0, 50, 2))
        assert sentence(*flat, efforts=doubled).endswith(
            "It costs 2.4 times as much per answer. 2 calls got no answer and count as failed."
        )
        assert sentence(*flat, efforts=doubled, missing="left_out").endswith("and are left out.")

    def test_what_rests_on_a_guess_is_told_in_two_digits(self):
        assert [about(n) for n in (1, 7, 78, 101, 1_234)] == [1, 7, 78, 110, 1_300]
