"""Scores as evidence: means, paired differences, and words that need enough behind them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.scores import Scored, scores_as_evidence


def evidence(arms, *, margin=0.2, baseline=0, level=0.95):
    """Of lists of (case, score) for each arm."""
    rows = [(arm, case, score) for arm, told in enumerate(arms) for case, score in told]
    columns = np.array(rows, dtype=float).reshape(-1, 3)
    one = Scored(3, columns[:, 0].astype(int), columns[:, 1].astype(int), columns[:, 2])
    cases = max([0, *(int(case) for _, case, _ in rows)]) + 1
    [found] = scores_as_evidence(
        [one], [margin], arms=len(arms), cases=cases, baseline=baseline, level=level
    )
    return found


def test_a_difference_that_is_there_is_called_by_its_way():
    low = [(case, 3 + case % 2) for case in range(30)]
    high = [(case, 4 + case % 2) for case in range(30)]
    found = evidence([low, high])
    assert found.measure == 3
    assert [mean.value for mean in found.means] == [3.5, 4.5]
    [told] = found.differences
    assert (told.difference, told.word, told.cases) == (1.0, "higher", 30)
    assert 0 < told.interval.low < 1 < told.interval.high
    [back] = evidence([low, high], baseline=1).differences
    assert (back.difference, back.word, back.arm) == (-1.0, "lower", 0)


def test_repeats_of_a_case_are_one_case():
    one = [(case, 3) for case in range(5) for _ in range(40)]
    other = [(case, 5) for case in range(5) for _ in range(40)]
    [told] = evidence([one, other]).differences
    assert (told.cases, told.word, told.p) == (5, "unsettled", None)


@pytest.mark.parametrize("cases", [2, 8, 40, 400])
def test_no_spread_is_no_certainty(cases):
    same = [(case, 4) for case in range(cases)]
    found = evidence([same, same], margin=0.5)
    for mean in found.means:
        assert mean.interval.low < 4 < mean.interval.high
    [told] = found.differences
    assert told.interval.low < 0 < told.interval.high
    assert told.word == ("same" if cases > 8 else "unsettled")


def test_what_has_no_score_is_left_out():
    found = evidence([[(0, 1), (1, 2)], []])
    assert (found.means[1], found.differences[0].difference, found.differences[0].interval) == (
        None,
        None,
        None,
    )
    assert evidence([[], []]).edges == []


def test_whole_numbers_have_a_bin_each():
    found = evidence([[(0, 1), (1, 5), (2, 5)], [(0, 2), (1, 2), (2, 4)]])
    assert found.edges == [0.5, 1.5, 2.5, 3.5, 4.5, 5.5]
    assert found.strips == [[1, 0, 0, 0, 2], [0, 2, 0, 1, 0]]
    wide = evidence([[(0, 0.5), (1, 1_000)], [(0, 3), (1, 4)]])
    assert (len(wide.edges), sum(map(sum, wide.strips))) == (25, 4)


SCORES = st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=30)


@given(SCORES, st.floats(-100, 100), st.floats(0.01, 100))
def test_shift_and_scale_of_the_unit_change_no_word(scores, shift, scale):
    one = list(enumerate(scores))
    other = [(case, score + (case % 3 - 1) * 10) for case, score in one]
    [told] = evidence([one, other], margin=1).differences
    moved = [[(case, (score + shift) * scale) for case, score in arm] for arm in (one, other)]
    [again] = evidence(moved, margin=scale).differences
    assert again.difference == pytest.approx(told.difference * scale, abs=1e-3 * scale)
    assert told.interval.low <= told.difference + 1e-6
    assert told.interval.high >= told.difference - 1e-6
