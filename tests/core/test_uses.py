"""Uses of checks: who each is when others come and go, and what a chain is told to do."""

import pytest

from epistem.core.checks.measures import check_uses, measures_of
from epistem.core.checks.uses import CheckUse, numbered
from epistem.core.errors import InvalidInput


def length(most, **more):
    return CheckUse(check="structure.length", options={"most": most}, **more)


def test_a_use_keeps_its_identity_when_others_go():
    uses = numbered([length(10), length(20), CheckUse(check="tone.emoji"), length(30)])
    assert [use.id for use in uses] == ["", "2", "", "3"]
    assert [row.key for row in measures_of(uses)] == [
        "structure.length", "structure.length#2", "tone.emoji", "structure.length#3",
    ]  # fmt: skip
    left = [uses[3], uses[1]]
    assert [row.key for row in measures_of(left)] == ["structure.length#3", "structure.length#2"]
    assert [use.id for use in numbered([*left, length(40)])] == ["3", "2", ""]
    assert numbered(uses) == uses


def test_a_name_of_its_own_is_the_title_of_its_row():
    [row] = measures_of([length(10, name="Short")])
    assert (row.title, row.unit, row.required, row.weight) == ("Short", "word", True, 1)
    [other] = measures_of([length(10, required=False, score_margin=3)])
    assert (other.title, other.required, other.score_margin) == ("10 words at most", False, 3)


@pytest.mark.parametrize(
    ("more", "field"),
    [({"on_failure": "repair"}, "on_failure"), ({"on_failure": "decline"}, "decline_with")],
)
def test_what_cannot_be_done_on_failure_is_refused(more, field):
    with pytest.raises(InvalidInput) as caught:
        check_uses([CheckUse(check="grounding.numbers"), CheckUse(check="outcome.label", **more)])
    assert caught.value.field == f"checks.1.{field}"
    check_uses([length(10, on_failure="decline", decline_with="Please ask the desk.")])


def test_what_is_usual_is_not_written_down():
    assert length(10).to_json() == {
        "check": "structure.length",
        "options": {"most": 10},
        "margin": 2.0,
    }
