import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.evidence.family import LEFT_OVER, adjusted, holm

PS = st.lists(st.floats(1e-6, 1), min_size=1, max_size=12).map(np.array)


def test_holms_own_steps():
    # By hand: 0.01·4, then 0.02·3 = 0.06, then 0.03·2 = 0.06, then 0.04·1 raised to 0.06.
    assert holm(np.array([0.02, 0.01, 0.04, 0.03])).p == pytest.approx([0.06, 0.04, 0.06, 0.06])


def test_what_has_too_few_cases_is_no_member():
    found = holm(np.array([0.03, np.nan, 0.02]))
    assert found.p[[0, 2]] == pytest.approx([0.04, 0.04])
    assert np.isnan(found.p[1])


def test_the_main_question_stands_alone_and_opens_the_way_for_the_others():
    found = adjusted(np.array([0.04, 0.001, 0.02, 0.2]), main=0)
    assert found.p == pytest.approx([0.04, 0.04, 0.04, 0.2])
    assert found.rank.tolist() == [1, 3, 2, 1]


def test_while_the_main_question_is_open_the_others_need_overwhelming_evidence():
    found = adjusted(np.array([0.3, 0.001, 1e-5]), main=0)
    assert found.p == pytest.approx([0.3, 0.001 / LEFT_OVER, 2e-5 / LEFT_OVER])


@given(PS)
def test_adjusting_only_raises_and_keeps_the_order(p):
    found = holm(p).p
    assert (found >= p - 1e-15).all()
    assert (np.diff(found[np.argsort(p)]) >= -1e-15).all()
    assert found.max() <= 1


@given(PS, st.data())
def test_rows_are_families_of_their_own(p, data):
    main = data.draw(st.none() | st.integers(0, len(p) - 1))
    both = adjusted(np.vstack([p, p[::-1]]), main)
    assert both.p[0] == pytest.approx(adjusted(p, main).p)


@pytest.mark.parametrize("main", [None, 0])
def test_a_family_without_any_difference_is_seldom_wrong_anywhere(main):
    p = np.random.default_rng(2).uniform(size=(20_000, 18))
    assert (adjusted(p, main).p.min(axis=1) <= 0.05).mean() < 0.056


def test_naming_the_question_finds_more():
    """One true difference among 18: named, it is tested at the full level."""
    rng = np.random.default_rng(3)
    p = rng.uniform(size=(5_000, 18))
    p[:, 0] = rng.beta(0.08, 1, 5_000)
    named, unnamed = adjusted(p, 0).p[:, 0] <= 0.05, adjusted(p).p[:, 0] <= 0.05
    assert named.mean() > unnamed.mean() + 0.1
