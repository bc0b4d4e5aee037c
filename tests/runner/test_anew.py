"""Past answers judged anew: as a trial of its own, which asks no model but its judges."""

import json

import pytest

from epistem.core.errors import Conflict
from epistem.core.trials.plan import TrialPlan
from epistem.store import readings, trials
from epistem.work import anew
from epistem.work import trials as work
from epistem.work.evidence import evidence_of
from tests.kit.running import carry_out, put_model, step_until, ticks
from tests.kit.subjects import library, start_trial
from tests.runner.test_programs import tide_desk, tides

LENGTH = {"check": "structure.length", "options": {"most": 3, "of": "word"}}
READING_ALL = [
    {"check": "tone.again"},
    {"check": "outcome.tools", "options": {"called": ["tide"]}},
    {"check": "outcome.limits", "options": {"tokens": 1_000}},
    LENGTH,
]
TONE = {"check": "judge.rubric", "options": {"criterion": "tone", "model": "critic"}}


def again(database, trial, *checks):
    with database.transaction() as tx:
        uses = TrialPlan.from_json({"checks": list(checks)}).checks
        return anew.judge_anew(tx, trial.id, uses)


def found_in(database, trial):
    """By place: the answer, and what was found of each measure."""
    with database.transaction() as tx:
        return {
            (r.arm, r.case_at, r.repeat_no): (
                r.answer,
                r.error,
                {j.measure: (j.finding.passed, j.finding.message) for j in r.findings},
            )
            for arm in range(len(trial.plan.arms))
            for at in range(trial.cases)
            for r in readings.at(tx, trial.id, arm, at)
        }


@pytest.fixture
def talks(database, model_server):
    """A prompt whose readings are talks with tools."""
    model_server.answer = tide_desk
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        return tides(tx)


def of_talks(database, subject, *checks, repeats=2):
    arms = [{"version": 1, "model": "own"}]
    return start_trial(database, subject, arms=arms, repeats=repeats, checks=list(checks))


def test_the_same_checks_find_the_same_and_no_model_is_asked(database, runner, model_server, talks):
    then = carry_out(runner, database, of_talks(database, talks, *READING_ALL))
    asked = len(model_server.requests)
    now = carry_out(runner, database, again(database, then, *READING_ALL))
    assert (now.answers_of, now.status, now.recorded) == (then.id, "finished", then.recorded)
    assert found_in(database, now) == found_in(database, then)
    assert all(len(found) == 4 for _, _, found in found_in(database, now).values())
    assert len(model_server.requests) == asked
    assert (now.calls, now.cents) == (0, 0)
    with database.transaction() as tx:
        efforts = [evidence_of(tx, trials.get(tx, each.id)).efforts for each in (then, now)]
        [first, *_] = readings.at(tx, now.id, 0, 0)
        past = trials.past_answers(tx, talks)
    assert efforts[0] == efforts[1]
    rounds = [f"{turn}.{place}" for turn in range(3) for place in ("1", "1.1", "2")]
    assert [call.path for call in first.calls] == rounds
    assert past["own"][0] == pytest.approx(first.output_tokens)


def test_other_checks_give_another_verdict_beside_the_old_one(database, runner, talks):
    then = carry_out(runner, database, of_talks(database, talks, LENGTH))
    longer = LENGTH | {"options": {"most": 30, "of": "word"}}
    now = carry_out(runner, database, again(database, then, longer))
    with database.transaction() as tx:
        told = [evidence_of(tx, trials.get(tx, each.id)) for each in (then, now)]
        assert trials.judging_anew(tx, then.id) == [now.id]
    rates = [each.verdict.rates[0][0].value for each in told]
    assert rates == [0, 1]
    signatures = [each.measures[0].signature for each in told]
    assert ["most=3.0" in signatures[0], "most=30.0" in signatures[1]] == [True, True]
    # Judged once more, it is the trial that recorded the answers which is judged.
    assert again(database, now, LENGTH).answers_of == then.id


def test_what_got_no_answer_has_none_now(database, runner, model_server, talks):
    model_server.answer = lambda body: (400, b"no", {}) if body["seed"] % 2 else "Fine, thank you."
    then = carry_out(runner, database, of_talks(database, talks, LENGTH, repeats=8))
    assert 0 < then.unanswered < 8
    now = carry_out(runner, database, again(database, then, LENGTH))
    assert now.unanswered == then.unanswered
    assert found_in(database, now) == found_in(database, then)
    with database.transaction() as tx, pytest.raises(Conflict, match="ask there again"):
        work.ask_again(tx, now.id)


def test_a_judge_says_its_price_and_is_asked_once_for_each_answer(
    database, runner, model_server, talks
):
    then = carry_out(runner, database, of_talks(database, talks, LENGTH))
    model_server.answer = lambda body: json.dumps({"reason": "So.", "score": 4})
    put_model(database, "critic", model_server.url, input_cents=100.0, output_cents=100.0)
    uses = TrialPlan.from_json({"checks": [TONE]}).checks
    with database.transaction() as tx:
        price = anew.price_of(tx, then.id, uses)
    assert (price.answers, price.calls) == (2, 2)
    assert price.cents == pytest.approx(price.tokens * 100 / 1e6)
    now = carry_out(runner, database, again(database, then, TONE))
    assert now.calls == 2
    assert {found[0][0] for _, _, found in found_in(database, now).values()} == {True}
    asked = len(model_server.requests)
    assert carry_out(runner, database, again(database, now, TONE, LENGTH)).recorded == 2
    assert len(model_server.requests) == asked  # what it said is remembered


def test_a_main_question_stays_where_its_check_is_what_it_was(database, runner, two_models):
    with database.transaction() as tx:
        subject = library(tx)
    asks = {"arm": 1, "measure": "structure.length"}
    then = start_trial(database, subject, checks=[LENGTH], repeats=1, question=asks)
    with database.transaction() as tx, pytest.raises(Conflict, match="Stop it, or wait"):
        anew.judge_anew(tx, then.id)
    carry_out(runner, database, then)
    changed = LENGTH | {"options": {"most": 4, "of": "word"}}
    assert again(database, then, LENGTH).plan.question == then.plan.question
    assert again(database, then, changed).plan.question is None
    with database.transaction() as tx:
        usual = anew.judge_anew(tx, then.id)
        assert [use.check for use in usual.checks] == [
            use.check for use in subject.checks_for(trials.arms_of(tx, then.id)[0].content.reply)
        ]


def test_a_stopped_trial_is_judged_as_far_as_it_came_and_that_can_be_stopped_too(
    database, runner, model_server, talks
):
    model_server.delay_s = 0.05
    then = of_talks(database, talks, LENGTH, repeats=60)
    step_until(runner, lambda: recorded(database, then) > 2, what="some readings")
    with database.transaction() as tx:
        work.stop(tx, then.id)
    step_until(runner, lambda: runner.idle, what="the shards to end")
    now = again(database, then, LENGTH)
    assert now.total == recorded(database, then)
    with database.transaction() as tx:
        work.stop(tx, now.id)
        work.go_on(tx, now.id)
    done = carry_out(runner, database, now)
    with database.transaction() as tx:
        assert len(ticks(tx, done.id)) == done.recorded == done.total


def recorded(database, trial):
    with database.transaction() as tx:
        return trials.get(tx, trial.id).recorded


def test_an_answer_that_can_not_be_judged_is_kept_and_told_apart(
    database, runner, talks, monkeypatch
):
    then = carry_out(runner, database, of_talks(database, talks, LENGTH))

    def broken(*_):
        raise RuntimeError("a fault of ours")

    monkeypatch.setattr("epistem.runner.anew.as_answered", broken)
    now = carry_out(runner, database, again(database, then, LENGTH))
    assert (now.status, now.unanswered) == ("finished", 0)
    for answer, _, found in found_in(database, now).values():
        assert answer == "high at six, after 3"
        assert [(passed, "a fault of ours" in why) for passed, why in found.values()] == [
            (None, True)
        ]
