"""Trials of chains in which what an earlier trial was asked exactly the same is answered as recorded there."""

from __future__ import annotations

import asyncio

import pytest

from epistem.core.cases.content import Case
from epistem.core.engine.needs import AskModel, SharedBody
from epistem.core.errors import InvalidInput
from epistem.core.wire.reply import Usage
from epistem.models.driving import Before, Made
from epistem.store import cases, readings, subjects, versions
from epistem.store.walks import readings as walked
from epistem.work.speakers import AROUND, Speakers
from tests.kit.running import carry_out, put_model, status_of, step_until
from tests.runner.test_chain_trials import ask, chain, made, plan, start

__all__ = ["made"]

LATER = chain(
    ask("think", "Think: {{ question }}", "thought"),
    ask("answer", "Answer briefly: {{ thought }}", "answer"),
)
V1, V2 = {"version": 1}, {"version": 2}


def taking(trial, *arms, **more):
    return plan(*arms, **more).model_copy(update={"as_recorded": trial, "seed": 77})


@pytest.fixture
def first(database, runner, made):
    """A trial of the first version; then its last step is changed, in a second one."""
    trial = carry_out(runner, database, start(database, made, plan(V1, repeats=2)))
    with database.transaction() as tx:
        versions.save(tx, subjects.get(tx, made.name), LATER, "")
    return trial


def asked(server):
    return [body["messages"][-1]["content"] for body in server.requests]


def test_only_the_step_that_changed_is_asked(database, runner, made, first, model_server):
    model_server.requests.clear()
    told = taking(first.id, V2, V1, repeats=2)
    trial = carry_out(runner, database, start(database, made, told))
    assert (trial.status, trial.recorded) == ("finished", 16)
    assert len(model_server.requests) == 8
    assert all(text.startswith("Answer briefly") for text in asked(model_server))
    with database.transaction() as tx:
        [again] = readings.at(tx, trial.id, 1, 3)[1:]
        [then] = readings.at(tx, first.id, 0, 3)[1:]
        stats = {each.arm: each for each in walked.by_arm(tx, trial.id)}
    assert again.answer == then.answer
    assert (stats[0].again, stats[1].again) == (8, 16)
    assert again.cents == pytest.approx(
        then.cents
    )  # what it takes counts, or it would seem cheaper


def test_cases_that_came_later_and_more_repeats_are_asked(
    database, runner, made, first, model_server
):
    with database.transaction() as tx:
        cases.keep(tx, made, Case.from_json({"inputs": {"question": "new"}}))
    model_server.requests.clear()
    trial = carry_out(runner, database, start(database, made, taking(first.id, V1, repeats=3)))
    assert (trial.status, trial.recorded) == ("finished", 15)
    assert len(model_server.requests) == 2 * (
        4 + 3
    )  # a third repeat of four, all three of the new one


def test_a_model_that_is_another_now_is_asked(database, runner, made, first, model_server):
    put_model(database, "own", model_server.url, served_as="own-next")
    model_server.requests.clear()
    carry_out(runner, database, start(database, made, taking(first.id, V1, repeats=2)))
    assert len(model_server.requests) == 16


def test_without_it_all_is_asked_with_seeds_of_its_own(database, runner, made, first, model_server):
    model_server.requests.clear()
    carry_out(
        runner, database, start(database, made, plan(V1, repeats=2).model_copy(update={"seed": 77}))
    )
    assert len(model_server.requests) == 16


def test_what_another_shard_was_replied_is_not_asked_again(database, runner, made, model_server):
    """As after a stop: the arms of a trial are told what was recorded for any of them."""
    told = plan(V1, {"version": 1, "step": "answer", "settings": {"temperature": 1}})
    trial = start(database, made, told)
    with database.transaction() as tx:
        tx.run("UPDATE arms SET paused_until = NOW(3) + INTERVAL 1 HOUR WHERE position = 1")
    step_until(runner, lambda: status_of(database, trial).recorded == 4, what="the first arm")
    with database.transaction() as tx:
        tx.run("UPDATE arms SET paused_until = NULL")
    carry_out(runner, database, trial)
    assert len(model_server.requests) == 8 + 4


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"as_recorded": 999}, "no trial T999"),
        ({"alone": "answer"}, "tried the whole chain"),
    ],
)
def test_what_can_not_be_taken_over_is_said(database, made, first, change, says):
    with database.transaction() as tx:
        told = {"inputs": {"question": "q", "thought": "t"}, "step": "answer"}
        cases.keep(tx, made, Case.from_json(told))
    with pytest.raises(InvalidInput, match=says) as refused:
        start(database, made, taking(first.id, V1).model_copy(update=change))
    assert refused.value.field == "as_recorded"


def test_trials_of_others_and_of_prompts_are_no_source(database, runner, made, first):
    with database.transaction() as tx:
        other = subjects.get(tx, "at-once")
        cases.keep(tx, other, Case.from_json({"inputs": {"question": "q"}}))
    arm = {"version": 1, "model": "own"}
    with pytest.raises(InvalidInput, match="not one of “at-once”"):
        start(database, other, taking(first.id, arm))
    own = carry_out(runner, database, start(database, other, plan(arm)))
    with pytest.raises(InvalidInput, match="Only steps of chains"):
        start(database, other, taking(own.id, arm))


class TestRoom:
    """What is remembered is bounded by its bytes, whether it is brought along or heard."""

    @pytest.fixture
    def speakers(self, database, monkeypatch):
        monkeypatch.setattr("epistem.work.speakers.MOST_REMEMBERED", 10 * (AROUND + 100))
        return Speakers(database, {}, {})

    @staticmethod
    def need(number):
        return AskModel(str(number), SharedBody(b"%d" % number), number, "own")

    def replied(self, numbers):
        for number in numbers:
            yield ("own", self.need(number).digest), Before(b"x" * 100)

    def known(self, speakers, number):
        return asyncio.run(speakers.recall(self.need(number))) is not None

    def test_the_first_are_brought_along_and_no_more_is_read_than_there_is_room_for(self, speakers):
        read = []

        def reading():
            for each in self.replied(range(1_000_000)):
                read.append(each)
                yield each

        speakers.know(reading())
        assert len(read) == 11
        assert [self.known(speakers, n) for n in (0, 9, 10)] == [True, True, False]

    def test_the_newest_that_are_heard_push_out_the_oldest(self, speakers):
        speakers.know(self.replied(range(10)))
        for number in (3, 3, 20, 21):
            made = Made(*[None] * len(Made._fields))._replace(
                raw=b"y" * 100, usage=Usage(), total_ms=1.0
            )
            asyncio.run(speakers.heard(self.need(number), made))
        assert [self.known(speakers, n) for n in (0, 1, 2, 3, 20, 21)] == [
            False,
            False,
            True,
            True,
            True,
            True,
        ]
