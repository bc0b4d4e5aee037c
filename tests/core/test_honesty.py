"""Words and intervals held against trials with a known truth: yes-or-no answers in clusters, as they are.

`bench/honesty.py` does the same over thousands of settings; here are the corners where words went wrong.
"""

import numpy as np
import pytest

from epistem.core.evidence.paired import ends, p_values, paired
from epistem.core.evidence.verdict import Question, Tally, reach_verdict

TRIALS = 1_500


def passes(rng, cases, repeats, rate, alike, many=TRIALS):
    """Passes a case: each case's chance is Beta with that mean, and `alike` between its repeats."""
    chances = rate
    if alike:
        scale = 1 / alike - 1
        chances = rng.beta(rate * scale, (1 - rate) * scale, (many, cases))
    return rng.binomial(repeats, chances, (many, cases))


@pytest.mark.parametrize("alike", [0, 0.5, 0.95])
@pytest.mark.parametrize("rate", [0.5, 0.95, 0.99])
@pytest.mark.parametrize(("cases", "repeats"), [(6, 1), (6, 3), (10, 3), (30, 1), (30, 5)])
def test_intervals_hold_the_truth_with_few_cases(cases, repeats, rate, alike):
    rng = np.random.default_rng(cases * 100 + repeats)
    other, base = (passes(rng, cases, repeats, r, alike) for r in (rate - 0.1, rate))
    low, high = ends(paired((other - base) / repeats), 0.05, 0.05)
    assert ((low <= -0.1) & (high >= -0.1)).mean() >= 0.93


@pytest.mark.parametrize("repeats", [1, 3, 5])
@pytest.mark.parametrize("rate", [0.5, 0.95])
def test_one_comparison_is_seldom_called_where_nothing_differs(repeats, rate):
    rng = np.random.default_rng(repeats)
    one, other = (passes(rng, 30, repeats, rate, 0.5) for _ in range(2))
    called = p_values(paired((one - other) / repeats)) <= 0.05
    assert called.mean() < 0.065


@pytest.mark.parametrize("true", [-0.05, 0.05])
def test_a_true_difference_of_five_points_is_not_called_the_same(true):
    rng = np.random.default_rng(3)
    for cases in (6, 30, 138):
        base, other = (passes(rng, cases, 1, rate, 0.5) for rate in (0.9, 0.9 + true))
        low, high = ends(paired((other - base).astype(float)), 0.05, 0.05)
        assert ((low >= -0.02) & (high <= 0.02)).mean() < 0.03


@pytest.mark.parametrize("question", [None, Question(1, 0)])
def test_a_trial_of_four_arms_and_six_checks_is_seldom_wrong_anywhere(question):
    """27 in 100 such trials had a false word before words were corrected for their number."""
    rng, wrong, trials = np.random.default_rng(5), 0, 200
    nothing = np.zeros((4, 6, 30), dtype=int)
    for _ in range(trials):
        passed = passes(rng, 30, 3, 0.8, 0.5, many=24).reshape(4, 6, 30)
        counts = Tally(passed, np.full_like(passed, 3), nothing)
        words = [c.word for c in reach_verdict(counts, [2.0] * 6, question=question).comparisons]
        wrong += "better" in words or "worse" in words
    assert wrong / trials < 0.08


def test_looking_again_and_again_seldom_finds_a_word_by_chance():
    rng, honest, eager, trials = np.random.default_rng(6), 0, 0, 150
    for _ in range(trials):
        passed = np.stack([passes(rng, 200, 1, 0.8, 0.5, many=1)[0] for _ in range(2)])[:, None, :]
        early = usual = False
        for seen in range(20, 200, 20):
            part = passed[:, :, :seen]
            counts = Tally(part, np.ones_like(part), np.zeros_like(part))
            early |= reach_verdict(counts, [0.0], early=True).comparisons[0].word != "unsettled"
            usual |= reach_verdict(counts, [0.0]).comparisons[0].word != "unsettled"
        honest, eager = honest + early, eager + usual
    assert honest / trials < 0.02
    assert eager / trials > 0.09
