import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.agreement import agreement


@pytest.mark.parametrize(
    ("passed", "total", "share"),
    [
        ([5, 0], [5, 5], 1.0),
        ([4], [5], 0.6),  # 6 of the 10 pairs
        ([1], [2], 0.0),
        ([4, 5, 1], [5, 5, 1], 0.8),  # one answer has nothing to agree with
        ([1, 0], [1, 0], None),
    ],
)
def test_known_shares_of_pairs(passed, total, share):
    assert agreement(np.array(passed), np.array(total)) == (
        None if share is None else pytest.approx(share)
    )


@given(st.lists(st.lists(st.booleans(), min_size=2, max_size=6), min_size=1, max_size=8))
def test_it_is_what_counting_all_pairs_gives(cases):
    shares = []
    for answers in cases:
        pairs = [(a, b) for i, a in enumerate(answers) for b in answers[i + 1 :]]
        shares.append(sum(a == b for a, b in pairs) / len(pairs))
    found = agreement(np.array([sum(c) for c in cases]), np.array([len(c) for c in cases]))
    assert found == pytest.approx(sum(shares) / len(shares))
