"""Trials of one step of a chain, on what it was given in walks."""

from __future__ import annotations

import pytest

from epistem.core.cases.content import Case
from epistem.core.errors import InvalidInput
from epistem.store import case_lists, cases, readings, trials
from epistem.work import trials as work
from epistem.work.subjects import desk
from epistem.work.walks.blame import find_blame
from tests.kit.running import carry_out
from tests.runner.test_chain_trials import ARMS, made, plan, start

__all__ = ["made"]

OTHERWISE = {"version": 1, "step": "answer", "model": "other"}


def alone(*arms, step="answer", **more):
    told = plan(*arms, **more)
    return told.model_copy(update={"alone": step})


@pytest.fixture
def kept(database, made):
    """Two cases of the step `answer`, by what it was given."""
    with database.transaction() as tx:
        for thought in ("tides", "winds"):
            told = {
                "inputs": {"question": "why", "thought": thought},
                "step": "answer",
                "expect": {"must_say": [thought], "steps": {"answer": f"It is the {thought}"}},
            }
            cases.keep(tx, made, Case.from_json(told))
    return made


def test_only_the_step_is_walked_on_what_it_was_given(database, runner, kept, model_server):
    trial = carry_out(runner, database, start(database, kept, alone({"version": 1}, OTHERWISE)))
    assert (trial.status, trial.recorded, trial.calls) == ("finished", 4, 4)
    with database.transaction() as tx:
        [one], [two] = (readings.at(tx, trial.id, arm, 1) for arm in range(2))
        [arm, _] = trials.arms_of(tx, trial.id)
    assert one.answer == "<own Answer: winds>"
    assert two.answer == "<other Answer: winds>"
    assert [step.name for step in arm.content.steps] == ["answer"]
    assert [found.finding.failed for found in one.findings] == [False]


def test_the_whole_leaves_cases_of_steps_out_and_a_step_those_of_the_whole(database, kept):
    with database.transaction() as tx:
        whole, _ = work.estimate_of(tx, kept, plan(*ARMS), 8)
        one, outlook = work.estimate_of(tx, kept, alone({"version": 1}), 8)
    assert (whole.calls, one.calls, outlook.cases) == (4 + 8 + 8, 2, 2)


def test_blame_walks_the_step_alone_too(database, runner, kept, model_server):
    model_server.answer = lambda body: "<no idea>"
    trial = carry_out(runner, database, start(database, kept, alone({"version": 1})))
    with database.transaction() as tx:
        [failing] = readings.at(tx, trial.id, 0, 0)
    found = find_blame(database, failing.id)
    assert (found.to_blame, found.tried[0].answer) == ("1", "It is the tides")


@pytest.mark.parametrize(
    ("step", "arms", "field", "says"),
    [
        ("think", [{"version": 1}], "cases", "No case that is chosen is of the step “think”"),
        ("gone", [{"version": 1}], "cases", "“gone”"),
        ("answer", [{"version": 1, "step": "nix"}], "arms.0.step", "called “nix”"),
    ],
)
def test_what_can_not_be_had_is_said_by_field(database, kept, step, arms, field, says):
    with pytest.raises(InvalidInput, match=says) as refused:
        start(database, kept, alone(*arms, step=step))
    assert refused.value.field == field


def test_a_version_that_has_no_such_step_is_named(database, kept):
    with database.transaction() as tx:
        told = {"inputs": {"question": "why"}, "step": "weigh", "expect": {}}
        cases.keep(tx, kept, Case.from_json(told))
    with pytest.raises(InvalidInput, match="no step “weigh”") as refused:
        start(database, kept, alone({"version": 1}, step="weigh"))
    assert refused.value.field == "arms.0.step"


def test_the_evidence_of_the_whole_stays_the_headline(database, runner, kept):
    """Also where a step was tried after it."""
    arms = ({"version": 1}, {"version": 1, "step": "answer", "model": "other"})
    whole = carry_out(runner, database, start(database, kept, plan(*arms)))
    later = carry_out(runner, database, start(database, kept, alone(*arms)))
    with database.transaction() as tx:
        assert trials.latest_whole(tx, later.id) == whole.id
        assert trials.latest_whole(tx, whole.id) == whole.id
        [line] = [each for each in desk(tx, None, "", 50) if each.row.name == kept.name]
    assert (line.row.latest_trial, line.headline.trial) == (later.id, whole.id)


def test_cases_of_steps_are_counted_apart(database, kept):
    with database.transaction() as tx:
        tagged = {"inputs": {"thought": "x"}, "step": "answer", "tags": ["of a step"]}
        cases.keep(tx, kept, Case.from_json(tagged))
        assert case_lists.steps_of(tx, kept, 10) == [("answer", 3)]
        assert case_lists.tags_of(tx, kept, 10, "answer") == [("of a step", 1)]
        assert case_lists.tags_of(tx, kept, 10, "") == []
