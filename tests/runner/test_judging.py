"""Trials whose answers are judged by models: what is asked, kept, remembered and counted."""

import json

import pytest

from epistem.core.prompts.content import Prompt
from epistem.store import calls, cases, readings, subjects, trials, versions
from epistem.work import trials as work
from epistem.work.evidence import evidence_of
from tests.kit.running import carry_out, put_model, step_until
from tests.kit.subjects import start_trial

GARDEN = Prompt.from_json(
    {
        "messages": [
            {"role": "system", "parts": [{"name": "Task", "text": "Answer gardeners."}]},
            {"role": "user", "parts": [{"name": "Question", "text": "{{ question }}"}]},
        ]
    }
)
TONE = {"check": "judge.rubric", "options": {"criterion": "tone", "model": "critic"}}
EMOJI = {"check": "tone.emoji"}


def is_judge(body):
    return "You judge one answer" in body["messages"][0]["content"]


def answers(scores):
    """An answer that is the question, and of a judge the scores in turn, over and over."""
    waiting = list(scores)

    def answer(body):
        if not is_judge(body):
            return f"You asked: {body['messages'][-1]['content']}"
        waiting.append(told := waiting.pop(0))
        return (
            told if isinstance(told, str | tuple) else json.dumps({"reason": "So.", "score": told})
        )

    return answer


@pytest.fixture
def garden(database, model_server):
    for name in ("own", "critic"):
        put_model(database, name, model_server.url)
    with database.transaction() as tx:
        subject = subjects.create(tx, "garden", "", GARDEN)
        versions.save(tx, subject, GARDEN, "")
        for question in ("When do I sow peas?", "Which rose climbs?", "Is it late for beans?"):
            cases.keep(tx, subject, cases.Case(inputs={"question": question}))
    return subject


def trial_of(database, subject, *checks, repeats=2):
    return start_trial(
        database,
        subject,
        arms=[{"version": 1, "model": "own"}],
        repeats=repeats,
        checks=list(checks),
    )


def found_in(database, trial):
    with database.transaction() as tx:
        return [r for at in range(3) for r in readings.at(tx, trial.id, 0, at)]


def test_each_answer_is_judged_and_both_calls_are_kept(database, runner, model_server, garden):
    model_server.answer = answers([5, 3, 4])
    done = carry_out(runner, database, trial_of(database, garden, TONE, EMOJI, repeats=1))
    assert (done.recorded, done.calls, done.status) == (3, 6, "finished")
    for reading in found_in(database, done):
        assert [(c.path, c.purpose, c.model.name) for c in reading.calls] == [
            ("0.1", "answer", "own"), ("judge.0.1", "judge", "critic"),
        ]  # fmt: skip
        assert [judged.measure for judged in sorted(reading.findings)] == [0, 1]
        assert reading.output_tokens == 4
        assert (reading.reply or "").find("You asked") > 0
    with database.transaction() as tx:
        told = evidence_of(tx, trials.get(tx, done.id))
        past = trials.past_answers(tx, garden)
    assert past["own"][0] == 4  # tokens of an answer, without what its judge said
    [scores] = [each for each in told.scores if each.measure == 0]
    assert (scores.means[0].value, scores.strips[0]) == (4.0, [1, 1, 1])
    assert round(told.verdict.rates[0][0].value, 3) == 0.667


def test_the_same_answer_is_not_judged_twice(database, runner, model_server, garden):
    model_server.answer = answers([4])
    one = carry_out(runner, database, trial_of(database, garden, TONE, repeats=1))
    asked = sum(map(is_judge, model_server.requests))
    two = carry_out(runner, database, trial_of(database, garden, TONE, repeats=1))
    assert sum(map(is_judge, model_server.requests)) == asked == 3
    with database.transaction() as tx:
        first, again = (
            evidence_of(tx, trials.get(tx, each.id)).scores[-1].means for each in (one, two)
        )
        free = tx.rows("SELECT cents, attempts FROM calls WHERE purpose = 'judge' AND attempts = 0")
    assert first == again
    assert len(free) == 3
    assert not any(cents for cents, _ in free)


def test_what_a_judge_said_holds_at_another_price_and_not_at_another_address(
    database, runner, model_server, garden
):
    model_server.answer = answers([4])
    carry_out(runner, database, trial_of(database, garden, TONE, repeats=1))
    put_model(database, "critic", model_server.url, input_cents=9, time_limit_ms=9_000)
    carry_out(runner, database, trial_of(database, garden, TONE, repeats=1))
    assert sum(map(is_judge, model_server.requests)) == 3
    model_server.answer = answers([2])
    put_model(database, "critic", f"{model_server.url}/.")
    carry_out(runner, database, trial_of(database, garden, TONE, repeats=1))
    assert sum(map(is_judge, model_server.requests)) == 6


@pytest.mark.parametrize(
    ("reply", "says"),
    [
        ("", "an empty reply"),
        ('{"score": 7}', "gave 7"),
        ("Lovely answer, four from me.", "gave no score"),
        ((500, b"<html>broken</html>" * 5_000, {}), "critic did not answer"),
    ],
)
def test_a_judge_that_answers_badly_can_not_tell(
    database, runner, model_server, garden, reply, says
):
    model_server.answer = answers([reply])
    done = carry_out(runner, database, trial_of(database, garden, TONE, EMOJI, repeats=1))
    assert (done.recorded, done.unanswered) == (3, 0)
    for reading in found_in(database, done):
        told = {judged.measure: judged.finding for judged in reading.findings}
        assert (told[0].passed, told[1].passed) == (None, True)
        assert says in told[0].message
        assert len(told[0].message) < 4_001
    with database.transaction() as tx:
        told = evidence_of(tx, trials.get(tx, done.id))
    assert told.untold == [[3, 0]]
    assert told.verdict.rates[0][0] is None


def test_what_was_answered_before_a_stop_is_not_asked_again(database, runner, model_server, garden):
    model_server.answer = answers([4])
    model_server.delay_s = 0.2
    trial = trial_of(database, garden, TONE, repeats=25)

    def kept():
        with database.transaction() as tx:
            return tx.first("SELECT COUNT(*) FROM calls WHERE purpose = 'answer'")[0]

    step_until(runner, lambda: kept() >= 2, what="some answers")
    with database.transaction() as tx:
        work.stop(tx, trial.id)
    step_until(runner, lambda: runner.idle, what="the shards to end")
    model_server.delay_s = 0
    with database.transaction() as tx:
        work.go_on(tx, trial.id)
    done = carry_out(runner, database, trial)
    assert (done.recorded, done.unanswered) == (75, 0)
    with database.transaction() as tx:
        made = calls.of(tx, "cell", [r.id for r in found_in(database, done)])
    for each in made.values():
        assert [call.path for call in each] == ["0.1", "judge.0.1"]


def test_a_judge_that_is_not_in_the_list_is_refused(database, garden):
    gone = {"check": "judge.rubric", "options": {"model": "nobody"}}
    with pytest.raises(Exception, match="“nobody” judges, but is not in the list of models"):
        trial_of(database, garden, gone)


def test_an_estimate_tells_what_judges_cost(database, garden):
    with database.transaction() as tx:
        plan = work.TrialPlan.from_json(
            {
                "arms": [{"version": 1, "model": "own"}],
                "repeats": 4,
                "checks": [TONE | {"options": TONE["options"] | {"times": 3}}],
            }
        )
        told, _ = work.estimate_of(tx, subjects.get(tx, garden.name), plan, 8)
    assert (told.calls, told.judge_calls) == (12, 36)
    assert told.judge_tokens > 36 * 150
