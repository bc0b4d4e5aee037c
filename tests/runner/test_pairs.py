"""Paired cases and variations: judged against their originals, in whatever order the answers land."""

import json
from contextlib import closing
from dataclasses import replace

import pytest

from epistem.core.cases.content import Case
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.store import cases, readings, subjects
from epistem.work import anew
from epistem.work import cases as keeping
from epistem.work import trials as work
from epistem.work.evidence import evidence_of
from epistem.work.fared import fared_of
from tests.kit.running import OPTIONS, carry_out, put_model, runner_of, status_of
from tests.kit.subjects import library, start_trial

LATE = {"note": "The novel was due ten weeks ago"}
MOVES = [{"check": "outcome.moves"}]


def weeks(body):
    """Owes more the longer it is overdue; shouted at, it sorts otherwise."""
    note = body["messages"][-1]["content"]
    owed = 10 if "ten weeks" in note else 1
    label = "lost book" if note.isupper() else "overdue"
    return json.dumps({"label": label, "owed": owed})


@pytest.fixture
def desk(database, model_server):
    model_server.answer = weeks
    put_model(database, "own", model_server.url)
    return ModelAndSubject(database)


class ModelAndSubject:
    def __init__(self, database):
        self.database = database
        with database.transaction() as tx:
            self.subject = library(tx, notes=1)

    def keep(self, of, *moves, inputs=LATE):
        pair = {"of": of, "moves": [{"what": what, "must": must} for what, must in moves]}
        with self.database.transaction() as tx:
            kept = keeping.keep(tx, self.subject, Case.from_json({"inputs": inputs, "pair": pair}))
            self.subject = subjects.get(tx, self.subject.name)
        return kept

    def swap(self, number, paired, *moves):
        """From now on the first is paired with the second, which is paired with nothing."""
        told = {"of": paired, "moves": [{"what": what, "must": must} for what, must in moves]}
        with self.database.transaction() as tx:
            for each, pair in ((number, told), (paired, None)):
                kept = cases.get(tx, self.subject, each)
                changed = Case.from_json({**kept.content.to_json(), "pair": pair})
                keeping.change(tx, self.subject, each, changed, kept.revision)

    def trial(self, runner, **plan):
        arms = [{"version": v, "model": "own"} for v in (1, 2)]
        made = start_trial(self.database, self.subject, arms=arms, **plan)
        return carry_out(runner, self.database, made)

    def found(self, trial, position, measure=-1):
        """Of each reading of a case what was found of one measure."""
        index = trial.measures[measure].index
        with self.database.transaction() as tx:
            return [
                [judged.finding for judged in reading.findings if judged.measure == index]
                for arm in (0, 1)
                for reading in readings.at(tx, trial.id, arm, position)
            ]


@pytest.mark.parametrize("original_first", [True, False], ids=["original first", "original last"])
def test_a_pair_is_judged_once_both_answers_are_there(database, desk, address, original_first):
    """Case 2 is paired with case 1, or case 1 with case 2: cases are asked in their order."""
    late = desk.keep(1, ("owed", "up"), ("label", "same"))
    assert "outcome.moves" in [use.check for use in desk.subject.chosen_checks]
    desk.keep(1, ("owed", "down"))
    if not original_first:
        desk.swap(1, late.number, ("owed", "down"), ("label", "same"))
    with closing(runner_of(address, replace(OPTIONS, shards=1, shard_size=1))) as runner:
        trial = desk.trial(runner, checks=MOVES)
    assert trial.recorded == trial.total
    assert trial.landed == trial.total + (0 if original_first else 4)
    paired = 1 if original_first else 0
    right = desk.found(trial, paired)
    assert [[f.passed for f in each] for each in right] == [[True]] * 4
    told = "original case 1: owed goes up" if original_first else "original case 2: owed goes down"
    assert right[0][0].message == f"As it must against {told}; label stays the same."
    wrong = desk.found(trial, 2)
    assert [[f.passed for f in each] for each in wrong] == [[False]] * 4
    assert wrong[0][0].pointers == ("/owed",)
    with database.transaction() as tx:
        assert [rate.value for rate in evidence_of(tx, trial).verdict.rates[0]] == [0.5]
        again = anew.judge_anew(tx, trial.id, [CheckUse.from_json(each) for each in MOVES])
    with closing(runner_of(address)) as runner:
        again = carry_out(runner, database, again)
    for at in (paired, 2):
        assert desk.found(again, at) == desk.found(trial, at)


def test_without_its_original_a_pair_says_nothing(desk, runner):
    desk.keep(1, ("owed", "up"))
    trial = desk.trial(runner, cases=[2], checks=MOVES)
    assert desk.found(trial, 0) == [[]] * 4


def test_variations_count_with_their_case_and_are_judged_by_nothing_else(database, desk, runner):
    for at in range(5):
        with database.transaction() as tx:
            told = {"inputs": {"note": f"Shelf {at} is overdue"}, "expect": {"label": "overdue"}}
            cases.keep(tx, desk.subject, Case.from_json(told))
    trial = desk.trial(
        runner, steadiness=["upper case", "irrelevant"], checks=[{"check": "outcome.label"}]
    )
    assert (trial.cases, trial.plan.varied, trial.total) == (6, 12, 18 * 2 * 2)
    assert [m.key for m in trial.measures] == ["outcome.label", "outcome.steady"]
    assert [[f.passed for f in each] for each in desk.found(trial, 6)] == [[False]] * 4
    assert [[f.passed for f in each] for each in desk.found(trial, 12)] == [[True]] * 4
    assert desk.found(trial, 12, measure=0) == [[]] * 4
    with database.transaction() as tx:
        steady = evidence_of(tx, trial).verdict.rates[0][1]
        met = fared_of(tx, desk.subject, 1)
    assert (steady.value, steady.answers, steady.cases) == (0.5, 24, 6)
    assert [(each.position, each.arm) for each in met] == [(0, 0), (0, 1)]


def test_an_original_without_an_answer_leaves_its_pair_untold(database, desk, model_server, runner):
    desk.keep(1, ("owed", "up"))
    first = model_server.answer

    def refuses(body):
        return first(body) if "ten weeks" in json.dumps(body) else (400, {"error": "no"}, {})

    model_server.answer = refuses
    trial = desk.trial(runner, checks=MOVES, repeats=1)
    assert [[f.passed for f in each] for each in desk.found(trial, 1)] == [[None]] * 2
    model_server.answer = first
    with database.transaction() as tx:
        work.ask_again(tx, trial.id)
    trial = carry_out(runner, database, status_of(database, trial))
    assert [[f.passed for f in each] for each in desk.found(trial, 1)] == [[True]] * 2


def test_variations_count_against_the_limit_of_calls(desk, runner):
    with pytest.raises(InvalidInput, match="arms"):
        start_trial(desk.database, desk.subject, arms=[], steadiness=["upper case"])
