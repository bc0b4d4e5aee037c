"""Trials of chains whose models can't be asked: the arm is paused from inside any step."""

import pytest

from epistem.store import trials, versions
from epistem.work import trials as work
from tests.kit.running import carry_out, step_until
from tests.runner.test_chain_trials import TWO, ask, chain, made, plan, start

__all__ = ["made"]


@pytest.mark.parametrize(
    "steps",
    [
        TWO,
        [{**ask("think", "{{ question }}", "answer"), "kind": "vote", "times": 2}],
        [{"kind": "each", "name": "e", "over": "['a', 'b']", "gives": "thought", "writes": "answer",
          "steps": [ask("think", "{{ item }}", "thought")]}],
        [{"kind": "both", "name": "b", "branches": [
            {"name": "one", "steps": list(TWO)},
            {"name": "two", "steps": [ask("other", "{{ question }}", "thought")]}]}],
        [{"kind": "repeat", "name": "r", "until": "true", "steps": list(TWO)}],
        [{**TWO[0], "seconds": 60}, {**TWO[1], "retries": 1}],
    ],
    ids=["ask", "vote", "each", "both", "repeat", "limits"],
)  # fmt: skip
def test_a_model_that_is_away_pauses_the_arm_and_is_asked_again(
    database, runner, made, model_server, steps
):
    with database.transaction() as tx:
        versions.save(tx, made, chain(*steps), "")
    away = [True]
    kept = model_server.answer
    model_server.answer = lambda body: (503, "away", {}) if away[0] else kept(body)
    newest = 1 if steps is TWO else 2
    trial = start(database, made, plan({"version": newest}, repeats=8))

    def paused():
        with database.transaction() as tx:
            return trials.paused_of(tx, trial.id)

    step_until(runner, paused, what="the arm to be paused")
    away[0] = False
    with database.transaction() as tx:
        work.try_now(tx, trial.id)
    over = carry_out(runner, database, trial)
    assert (over.recorded, over.unanswered) == (32, 0)
