from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.cases.content import Case, checked, title_of
from epistem.core.errors import InvalidInput
from epistem.core.trials.plan import (
    MAX_REPEATS,
    ArmPlan,
    TrialPlan,
    cell_seed,
    cells_of,
    check_plan,
)

V1, V2 = ArmPlan(version=1, model="tern-s"), ArmPlan(version=2, model="tern-s")


@pytest.mark.parametrize(
    ("plan", "cases", "field", "says"),
    [
        (TrialPlan(arms=[]), 3, "arms", "no arms"),
        (TrialPlan(arms=[V1, V2]), 0, "cases", "no cases"),
        (TrialPlan(arms=[V1], repeats=0), 3, "repeats", "at least 1"),
        (TrialPlan(arms=[V1], repeats=-2), 3, "repeats", "at least 1"),
        (TrialPlan(arms=[V1], repeats=10_000), 3, "repeats", "10,000 is more than 100"),
        (TrialPlan(arms=[V1, V2, V1]), 3, "arms.2", "Arms 1 and 3 are the same"),
        (TrialPlan(arms=[V1, V2], repeats=MAX_REPEATS), 2_000, "repeats", "400,000 calls"),
    ],
)
def test_a_plan_that_cannot_be_carried_out_is_refused_by_field(plan, cases, field, says):
    with pytest.raises(InvalidInput, match=says) as caught:
        check_plan(plan, cases)
    assert caught.value.field == field


def test_the_same_version_and_model_with_another_setting_is_another_arm():
    warm = ArmPlan.from_json({"version": 1, "model": "tern-s", "settings": {"temperature": 1.0}})
    check_plan(TrialPlan(arms=[V1, warm]), 3)


@given(st.integers(1, 4), st.integers(1, 12), st.integers(1, 6))
def test_every_cell_stands_there_once_with_a_seed_of_its_own(arms, cases, repeats):
    plan = TrialPlan(arms=[ArmPlan(version=n + 1, model="m") for n in range(arms)], repeats=repeats)
    cells = list(cells_of(plan, cases))
    assert Counter((c.arm, c.case, c.repeat) for c in cells) == Counter(
        {(a, c, r): 1 for a in range(arms) for c in range(cases) for r in range(repeats)}
    )
    assert len({c.seed for c in cells}) == len(cells)
    assert all(0 <= c.seed < 2**31 for c in cells)


def test_first_repeats_come_first_so_that_a_stop_leaves_a_fair_part():
    cells = list(cells_of(TrialPlan(arms=[V1, V2], repeats=3), 4))
    assert [c.repeat for c in cells] == [0] * 8 + [1] * 8 + [2] * 8
    assert [c.arm for c in cells[:4]] == [0, 1, 0, 1]


def test_seeds_depend_on_the_trial_and_never_change():
    assert cell_seed(1, 0, 0, 0) == cell_seed(1, 0, 0, 0)
    assert cell_seed(1, 0, 0, 0) != cell_seed(2, 0, 0, 0)
    assert cell_seed(7, 1, 2, 3) == 189544295


class TestCases:
    def test_tags_and_labels_are_tidied(self):
        case = checked(Case.from_json({"tags": [" Hard ", "hard", ""], "expect": {"label": " "}}))
        assert case.tags == ["hard"]
        assert case.expect.label is None

    def test_the_title_is_the_first_line_that_says_something(self):
        assert title_of(Case(inputs={"a": "", "b": "\n  two \nthree"})) == "two"
        assert title_of(Case(inputs={"a": " "})) == "(empty)"
        assert title_of(Case(inputs={"a": "x" * 500})) == "x" * 119 + "…"
        assert title_of(Case(inputs={"trip": {"pier": "Hollin"}})) == "pier: Hollin"

    def test_a_long_input_is_refused_by_name_whatever_its_type(self):
        for value in ("x" * 2_000_000, ["x" * 1_000] * 2_000):
            with pytest.raises(InvalidInput) as caught:
                checked(Case(inputs={"message": value}))
            assert caught.value.field == "inputs.message"
