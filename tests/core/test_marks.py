"""Marks: packed and read back, and what is counted of them."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.trials.marks import Mark, Marks, packed, verdict_texts, verdicts_in, verdicts_of
from epistem.core.trials.tallies import efforts_of, tally_of

ARMS, CASES = 3, 4


def marks(measures):
    place = st.tuples(st.integers(0, ARMS - 1), st.integers(0, CASES - 1), st.integers(0, 4))
    verdicts = st.lists(st.integers(0, 2), min_size=measures, max_size=measures).map(bytes)
    one = st.tuples(place, st.booleans(), st.floats(0, 100), st.floats(0, 1e6), verdicts)
    return st.lists(one, unique_by=lambda each: each[0], max_size=20).map(
        lambda rows: [
            Mark(*place, number, came, cents, ms, told)
            for number, (place, came, cents, ms, told) in enumerate(rows, start=1)
        ]
    )


def read(rows, measures, scores=0):
    blob = b"".join(map(packed, reversed(rows)))
    size = len(packed(Mark(0, 0, 0, 1, True, 0, 0, bytes(measures), (0.0,) * scores)))
    assert verdicts_in(size, scores) == measures
    return Marks(blob, size, scores)


@given(st.sampled_from([0, 1, 33, 65, 200]).flatmap(lambda n: st.tuples(st.just(n), marks(n))))
def test_what_is_packed_is_read_back_in_the_order_of_landing(given_):
    measures, rows = given_
    found = read(rows, measures)
    assert found.landed.tolist() == [row.landed for row in rows]
    assert found.arm.tolist() == [row.arm for row in rows]
    assert found.answered.tolist() == [row.answered for row in rows]
    assert np.allclose(found.cents, [row.cents for row in rows], atol=1e-6)
    assert np.allclose(found.ms, [row.ms for row in rows], atol=0.01)
    assert [bytes(row) for row in found.verdicts] == [row.verdicts for row in rows]
    told = verdict_texts(found, measures)
    assert told == ["".join(map(str, row.verdicts)) if row.answered else "" for row in rows]


@given(marks(3))
def test_a_tally_counts_what_came_and_what_did_not(rows):
    tally = tally_of(read(rows, 3), ARMS, 3, CASES)
    for arm in range(ARMS):
        for measure in range(3):
            for case in range(CASES):
                here = [r for r in rows if (r.arm, r.case_at) == (arm, case)]
                came = [r.verdicts[measure] for r in here if r.answered]
                assert tally.passed[arm, measure, case] == came.count(2)
                assert tally.total[arm, measure, case] == len(came) - came.count(0)
                lost = [r for r in here if not r.answered and r.verdicts[measure]]
                assert tally.missing[arm, measure, case] >= len(lost)


@given(marks(2))
def test_efforts_are_means_and_medians_of_answers(rows):
    for arm, effort in enumerate(efforts_of(read(rows, 2), ARMS)):
        came = [r for r in rows if r.arm == arm and r.answered]
        assert effort.answers == len(came)
        if came:
            assert np.isclose(effort.cents, np.mean([r.cents for r in came]), atol=1e-6)
            assert np.isclose(effort.median_ms, np.median([r.ms for r in came]), atol=0.01)
        else:
            assert effort.cents is None


def test_scores_stand_beside_the_verdicts():
    rows = [Mark(0, 1, 2, 3, True, 0.5, 7.25, bytes([2, 1]), (0.25, -1.5))]
    found = read(rows, 2, scores=2)
    assert found.scores.tolist() == [[0.25, -1.5]]


def test_what_is_too_large_or_no_number_is_bounded():
    found = read([Mark(0, 0, 0, 1, True, float("nan"), float("inf"), b"")], 0)
    assert (found.cents[0], found.ms[0]) == (0, 0)
    found = read([Mark(0, 0, 0, 1, True, 1e300, -5.0, b"")], 0)
    assert (found.cents[0], found.ms[0]) == (1e9, 0)
    assert verdicts_of(4, [(0, True), (3, False)]) == bytes([2, 0, 0, 1])
