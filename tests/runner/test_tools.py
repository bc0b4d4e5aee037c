"""Tools in trials: what is reached, what is recorded, what never is, and what is left of it after a kill."""

import json
import sqlite3
from contextlib import closing

import pytest
from aiohttp import web

from epistem.core.cases.content import Case
from epistem.core.prompts.content import Prompt
from epistem.core.tools.addresses import origin_in
from epistem.store import calls, cases, readings, subjects, versions
from epistem.store.tools import answers, sources
from tests.kit.running import carry_out, put_model, status_of
from tests.kit.servers import served
from tests.kit.subjects import start_trial
from tests.kit.waiting import wait_for
from tests.runner.test_kill import RunnerProcess

USER = [{"role": "user", "parts": [{"name": "Q", "text": "{{ question }}"}]}]
PIER = {"type": "object", "properties": {"pier": {"type": "string"}}}


class Boats:
    """A service that counts, so that no two of its answers are the same."""

    def __init__(self):
        self.asked = []

    async def answer(self, request):
        self.asked.append(request.path)
        return web.json_response({"boat": len(self.asked)})


@pytest.fixture
def boats(database):
    service = Boats()
    app = web.Application()
    app.router.add_route("*", "/{rest:.*}", service.answer)
    with served(app) as url:
        service.url = url
        with database.transaction() as tx:
            answers.allow(tx, origin_in(url), inside=True)
        yield service


def calls_then_says(body):
    """Asks the tool that the question names, with the arguments in it; then says what it was told."""
    last = body["messages"][-1]
    if last["role"] == "tool":
        return f"It said {last['content']}"
    name, _, arguments = last["content"].partition(" ")
    call = {"id": "c", "function": {"name": name, "arguments": arguments or "{}"}}
    message = {"content": "", "tool_calls": [call]}
    return {"choices": [{"message": message, "finish_reason": "tool_calls"}],
            "usage": {"prompt_tokens": 10, "completion_tokens": 2}}  # fmt: skip


def trial_with(database, model_server, tool, *questions, **plan):
    model_server.answer = calls_then_says
    put_model(database, "own", model_server.url)
    content = Prompt.from_json(
        {"messages": USER, "tools": [{"name": "boat", "parameters": PIER, **tool}]}
    )
    with database.transaction() as tx:
        subject = subjects.create(tx, "boats", "", content)
        versions.save(tx, subject, content, "")
        for each in questions or ('boat {"pier": "Hollin"}',):
            told = each if isinstance(each, dict) else {"inputs": {"question": each}}
            cases.keep(tx, subject, Case.from_json(told))
    plan = {"arms": [{"version": 1, "model": "own"}], "repeats": 2, **plan}
    return start_trial(database, subject, **plan)


def said(database, trial, case=0):
    with database.transaction() as tx:
        return sorted(each.answer for each in readings.at(tx, trial.id, 0, case))


def http(boats, **more):
    return {"does": {"kind": "http", "address": f"{boats.url}/boats{{?pier}}"}, **more}


class TestWays:
    def test_live_is_called_each_time(self, database, runner, model_server, boats):
        trial = trial_with(database, model_server, http(boats, in_trials="live"))
        done = carry_out(runner, database, trial)
        assert (done.unanswered, done.calls) == (0, 4)  # of the model
        assert said(database, trial) == ['It said {"boat": 1}', 'It said {"boat": 2}']

    def test_first_live_is_called_once_for_the_same_call_by_whichever_arm(
        self, database, runner, model_server, boats
    ):
        arms = [{"version": 1, "model": "own", "settings": {"temperature": t}} for t in (0, 1)]
        trial = trial_with(
            database, model_server, http(boats, in_trials="first_live"),
            'boat {"pier": "Hollin"}', 'boat { "pier" : "Hollin" }', 'boat {"pier": "Sandray"}',
            arms=arms, repeats=4,
        )  # fmt: skip
        carry_out(runner, database, trial)
        both = [set(said(database, trial, case)) for case in range(3)]
        assert both[0] == both[1]
        assert all(len(each) == 1 for each in both)
        assert both[0] != both[2]

    @pytest.mark.parametrize(
        "more", [{}, {"changes": True}, {"changes": True, "does": {"kind": "code", "entry": "x"}}]
    )
    def test_recorded_and_what_changes_something_reach_nothing(
        self, database, runner, model_server, boats, more
    ):
        tool = {**http(boats), "answer": "as always", **more}
        told = {
            "inputs": {"question": "boat {}"},
            "tool_answers": [{"tool": "boat", "answer": "as recorded"}],
        }
        trial = trial_with(database, model_server, tool, "boat {}", told)
        carry_out(runner, database, trial)
        assert set(said(database, trial, 0)) == {"It said as always"}
        assert set(said(database, trial, 1)) == {"It said as recorded"}
        assert boats.asked == []

    def test_a_tool_in_trouble_is_told_to_the_model_and_the_answer_goes_on(
        self, database, runner, model_server, boats
    ):
        away = {"does": {"kind": "http", "address": "http://127.0.0.1:9/x"}, "in_trials": "live"}
        trial = trial_with(database, model_server, away, 'boat {"pier": 3}', "boat {}", "ship {}")
        done = carry_out(runner, database, trial)
        assert done.unanswered == 0
        told = [said(database, trial, case)[0] for case in range(3)]
        assert "do not fit at /pier" in told[0]
        assert "not among the addresses" in told[1]
        assert "There is no tool" in told[2]

    def test_a_clock_stands_still(self, database, runner, model_server):
        does = {"kind": "clock", "zone": "UTC", "fixed": "2031-05-02 09:30"}
        fixed = trial_with(database, model_server, {"does": does, "parameters": None})
        carry_out(runner, database, fixed)
        assert all('"weekday": "Friday"' in each for each in said(database, fixed))

    def test_without_a_moment_it_is_when_the_trial_was_made(self, database, runner, model_server):
        trial = trial_with(database, model_server, {"does": {"kind": "clock"}, "parameters": None})
        carry_out(runner, database, trial)
        moment = f"{trial.created_at:%Y-%m-%dT%H:%M:%S}+00:00"
        assert all(moment in each for each in said(database, trial))

    def test_sums_and_rows(self, database, runner, model_server, tmp_path):
        with closing(sqlite3.connect(tmp_path / "x")) as made:
            made.executescript("CREATE TABLE a (b); INSERT INTO a VALUES ('Hollin'), ('Ness')")
        with database.transaction() as tx:
            sources.put_file(tx, "piers", "", "x", (tmp_path / "x").read_bytes())
        content = {
            "messages": USER,
            "tools": [
                {"name": "sum", "does": {"kind": "arithmetic"}},
                {"name": "rows", "does": {"kind": "sql", "source": "piers"}, "in_trials": "live"},
            ],
        }
        model_server.answer = calls_then_says
        put_model(database, "own", model_server.url)
        prompt = Prompt.from_json(content)
        with database.transaction() as tx:
            subject = subjects.create(tx, "sums", "", prompt)
            versions.save(tx, subject, prompt, "")
            for question in (
                'sum {"expression": "2.5 * 4.0"}', 'sum {"expression": "1 +"}', 'rows {"query": "SELECT b FROM a"}',
                'rows {"query": "DELETE FROM a"}', 'rows {"query": ""}', 'rows {"query": "SELECT c FROM a"}',
            ):  # fmt: skip
                cases.keep(tx, subject, Case.from_json({"inputs": {"question": question}}))
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "own"}], repeats=1)
        carry_out(runner, database, trial)
        told = [said(database, trial, case)[0] for case in range(6)]
        assert '{"result": 10.0}' in told[0]
        assert "can't be read" in told[1]
        assert '"rows": [["Hollin"], ["Ness"]]' in told[2]
        assert "Only reading is allowed" in told[3]
        assert "CREATE TABLE a (b)" in told[4]
        assert "no such column: c" in told[5]


def test_a_call_whose_answer_is_recorded_is_never_made_again(
    database, address, model_server, boats
):
    """The runner is killed in the middle: what the service told stays what it was."""
    model_server.delay_s = 0.05
    questions = [f'boat {{"pier": "{n}"}}' for n in range(40)]
    trial = trial_with(database, model_server, http(boats, in_trials="live"), *questions)

    def kept():
        with database.transaction() as tx:
            rows = tx.rows("SELECT cell_id, path, reply FROM calls WHERE purpose = 'tool'")
        return {(cell, path): json.loads(reply)["answer"] for cell, path, reply in rows}

    runner = RunnerProcess(address)
    wait_for(lambda: len(kept()) > 15, what="calls of tools")
    runner.kill()
    before = kept()
    assert not status_of(database, trial).over
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).over, what="the trial to be completed")
    assert runner.stop() == 0
    after = kept()
    assert len(after) == 80
    assert before.items() <= after.items()
    with database.transaction() as tx:
        for case in range(40):
            for reading in readings.at(tx, trial.id, 0, case):
                made = calls.of(tx, "cell", [reading.id])[reading.id]
                [told] = [json.loads(c.reply)["answer"] for c in made if c.purpose == "tool"]
                assert reading.answer == f"It said {told}"


def test_with_a_judge_every_call_is_kept_once(database, runner, model_server, boats):
    def answer(body):
        if body["model"] == "critic":
            return json.dumps({"reason": "So.", "score": 4})
        return calls_then_says(body)

    put_model(database, "critic", model_server.url)
    check = {"check": "judge.rubric", "options": {"model": "critic"}}
    tool = http(boats, answer="as always")
    put_model(database, "own", model_server.url)
    content = Prompt.from_json(
        {"messages": USER, "tools": [{"name": "boat", "parameters": PIER, **tool}]}
    )
    model_server.answer = answer
    with database.transaction() as tx:
        subject = subjects.create(tx, "boats", "", content)
        versions.save(tx, subject, content, "")
        cases.keep(tx, subject, Case.from_json({"inputs": {"question": "boat {}"}}))
    arms = [{"version": 1, "model": "own"}]
    trial = start_trial(database, subject, arms=arms, repeats=3, checks=[check])
    done = carry_out(runner, database, trial)
    assert done.unanswered == 0
    with database.transaction() as tx:
        for reading in readings.at(tx, trial.id, 0, 0):
            assert [(call.purpose, call.path) for call in reading.calls] == [
                ("answer", "0.1"), ("tool", "0.1.1"), ("answer", "0.2"), ("judge", "judge.0.1"),
            ]  # fmt: skip
