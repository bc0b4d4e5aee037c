"""What the runner makes of a trial, with its shards on threads of this process."""

import json

import pytest

from epistem.core.cases.content import Case
from epistem.core.errors import InvalidInput, NotFound
from epistem.core.prompts.tool import Tool
from epistem.store import cases, readings, subjects, trials, versions
from epistem.work import trials as work
from epistem.work.evidence import evidence_of, headline_of
from tests.kit.running import OPTIONS, carry_out, put_model, status_of, ticks
from tests.kit.subjects import library, sorting_prompt, start_trial
from tests.kit.waiting import wait_for


class TestMaking:
    def test_every_cell_is_written_down_before_any_call(self, database, subject):
        trial = start_trial(database, subject)
        with database.transaction() as tx:
            rows = tx.rows(
                "SELECT arm, case_at, repeat_no, state FROM cells WHERE trial_id = %s", [trial.id]
            )
        assert len(rows) == trial.total == 2 * 7 * 2
        assert len(set(rows)) == len(rows)
        assert {state for *_, state in rows} == {"waiting"}

    @pytest.mark.parametrize(
        ("plan", "field"),
        [
            ({"arms": []}, "arms"),
            ({"repeats": 0}, "repeats"),
            ({"repeats": 10_000}, "repeats"),
            ({"cases": []}, "cases"),
            ({"cases": [1, 99]}, "cases"),
            ({"arms": [{"version": 1, "model": "tern-xl"}]}, "arms.0.model"),
            (
                {"arms": [{"version": 1, "model": "tern-s"}, {"version": 7, "model": "tern-s"}]},
                "arms.1.version",
            ),
            ({"checks": [{"check": "tone.jolly"}]}, None),
            ({"checks": [{"check": "outcome.label", "options": {"x": 1}}]}, "checks.0.options.x"),
        ],
    )
    def test_a_plan_that_cannot_be_carried_out_leaves_nothing_behind(
        self, database, subject, plan, field
    ):
        with pytest.raises((InvalidInput, NotFound)) as caught:
            start_trial(database, subject, **plan)
        assert caught.value.field == field
        with database.transaction() as tx:
            assert trials.all_of(tx, subject) == []
            assert tx.rows("SELECT id FROM cells") == []


class TestRunning:
    def test_every_reading_keeps_what_was_sent_and_what_came_of_it(self, database, subject, runner):
        trial = start_trial(database, subject)
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded, done.unanswered) == ("finished", 28, 0)
        with database.transaction() as tx:
            [first, second] = readings.at(tx, trial.id, 1, 2)
        assert first.request["model"] == "tern-s"
        assert first.request["temperature"] == 0.7
        assert first.request["messages"][1]["content"].startswith("The novel was due")
        assert first.request["seed"] != second.request["seed"]
        assert json.loads(first.reply)["choices"][0]["message"]["content"] == first.answer
        assert first.input_tokens > 0
        assert first.cents == pytest.approx(
            (first.input_tokens * 20 + first.output_tokens * 80) / 1e6
        )
        assert [j.measure for j in first.findings] == [0, 1, 2, 3]

    def test_ticks_agree_with_findings(self, database, subject, runner):
        trial = start_trial(database, subject)
        carry_out(runner, database, trial)
        with database.transaction() as tx:
            all_ticks = ticks(tx, trial.id)
            assert len({(t.arm, t.case_at, t.repeat_no) for t in all_ticks}) == 28
            for tick in all_ticks:
                found = readings.get(tx, tick.reading_id).findings
                told = {j.measure: 2 if j.finding.passed else 1 for j in found}
                assert tick.verdicts == tuple(told.get(m, 0) for m in range(4))
            later = ticks(tx, trial.id, after=10)
        assert later == all_ticks[10:]

    def test_two_runs_of_one_seed_give_the_same_answers(self, database, subject, runner):
        answers = []
        for _ in range(2):
            trial = start_trial(database, subject, seed=5)
            carry_out(runner, database, trial)
            with database.transaction() as tx:
                answers.append(
                    [
                        r.answer
                        for arm in (0, 1)
                        for case in range(7)
                        for r in readings.at(tx, trial.id, arm, case)
                    ]
                )
        assert answers[0] == answers[1]

    def test_a_cell_that_fails_for_good_says_why_and_the_trial_goes_on(
        self, database, subject, runner, model_server
    ):
        put_model(database, "moody", model_server.url)
        refusal = (400, {"error": {"message": "no, thank you"}}, {})
        model_server.script.extend([refusal] * 3)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "moody"}], repeats=2)
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded, done.unanswered) == ("finished", 14, 3)
        with database.transaction() as tx:
            found = ticks(tx, trial.id)
            lost = [readings.get(tx, t.reading_id) for t in found if not t.answered]
        assert [r.error for r in lost] == ["moody answered 400: no, thank you"] * 3
        assert lost[0].request["model"] == "moody"
        # It counts as failed in all that its case asks about.
        assert [j.measure for j in lost[0].findings] == [0, 1, 2, 3]
        assert {(j.finding.passed, j.finding.message) for j in lost[0].findings} == {
            (False, "No answer came.")
        }

    def test_a_case_that_lacks_an_input_is_no_answer_and_names_it(self, database, subject, runner):
        with database.transaction() as tx:
            tx.run(
                "UPDATE cases SET content = JSON_SET(content, '$.inputs', JSON_OBJECT('other', 'x')) WHERE number = 3"
            )
        trial = start_trial(database, subject, repeats=1)
        assert carry_out(runner, database, trial).unanswered == 2
        with database.transaction() as tx:
            [reading] = readings.at(tx, trial.id, 0, 2)
        assert reading.error == "The part “Note” needs the input “note”, which was not given."

    def test_a_case_that_expects_no_label_is_passed_over_and_not_counted(
        self, database, subject, runner
    ):
        with database.transaction() as tx:
            tx.run("UPDATE cases SET content = JSON_REMOVE(content, '$.expect') WHERE number = 1")
        trial = start_trial(database, subject)
        done = carry_out(runner, database, trial)
        with database.transaction() as tx:
            judged = {t.case_at: t.verdicts[0] > 0 for t in ticks(tx, trial.id)}
            rates = evidence_of(tx, done).verdict.rates[0]
        assert judged == {0: 0, 1: 1, 2: 1, 3: 1, 4: 1, 5: 1, 6: 1}
        assert (rates[0].cases, rates[3].cases) == (6, 7)

    def test_calls_in_flight_never_pass_the_limit(self, database, subject, runner, model_server):
        model_server.delay_s = 0.01
        put_model(database, "slow", model_server.url)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "slow"}], repeats=40)
        carry_out(runner, database, trial)
        assert OPTIONS.in_flight / 2 < model_server.most_in_flight <= OPTIONS.in_flight

    def test_a_trial_keeps_its_cases_as_they_were(self, database, subject, runner):
        trial = start_trial(database, subject)
        with database.transaction() as tx:
            tx.run("UPDATE cases SET content = JSON_SET(content, '$.inputs.note', 'changed')")
        carry_out(runner, database, trial)
        with database.transaction() as tx:
            [reading, _] = readings.at(tx, trial.id, 0, 1)
        assert reading.request["messages"][1]["content"] == "When do you close on Saturdays?"


class TestTools:
    def test_a_version_with_tools_is_asked_until_it_answers(self, database, runner, model_server):
        """Its reading has the last answer, and the tokens of all calls."""
        call = {"id": "c", "function": {"name": "shelf", "arguments": "{}"}}
        asks = {"message": {"content": "", "tool_calls": [call]}, "finish_reason": "tool_calls"}

        def answer(body):
            if body["messages"][-1]["role"] == "tool":
                return '{"label": "overdue"}'
            return {"choices": [asks], "usage": {"prompt_tokens": 10, "completion_tokens": 2}}

        model_server.answer = answer
        put_model(database, "own", model_server.url)
        content = sorting_prompt()
        content.tools = [Tool(name="shelf", answer="third")]
        with database.transaction() as tx:
            subject = subjects.create(tx, "with-tools", "", content)
            versions.save(tx, subject, content, "")
            cases.keep(tx, subject, Case(inputs={"note": "late"}))
        plan = {"arms": [{"version": 1, "model": "own"}], "repeats": 1}
        trial = start_trial(database, subject, **plan)
        carry_out(runner, database, trial)
        with database.transaction() as tx:
            [reading] = readings.at(tx, trial.id, 0, 0)
        assert (reading.answer, reading.input_tokens) == ('{"label": "overdue"}', 20)
        told = [(call.purpose, call.path) for call in reading.calls]
        assert (reading.attempts, told) == (
            2,
            [("answer", "0.1"), ("tool", "0.1.1"), ("answer", "0.2")],
        )
        assert json.loads(reading.calls[1].request) == {"tool": "shelf", "arguments": "{}"}
        assert json.loads(reading.calls[1].reply)["answer"] == "third"
        assert model_server.requests[1]["messages"][-1]["content"] == "third"


class TestCostlyTemplates:
    def test_one_that_is_too_costly_is_told_once_a_case_and_the_trial_ends(
        self, database, runner, model_server
    ):
        put_model(database, "own", model_server.url)
        content = sorting_prompt(
            "{% for a in range(99999) %}{% for b in range(99999) %}x{% endfor %}{% endfor %}"
        )
        with database.transaction() as tx:
            subject = library(tx, notes=3)
            versions.save(tx, subject, content, "a bomb")
        trial = start_trial(
            database, subject, arms=[{"version": 3, "model": "own"}], cases=[1, 2], repeats=20
        )
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered, model_server.requests) == ("finished", 40, [])
        with database.transaction() as tx:
            [reading, *_] = readings.at(tx, trial.id, 0, 0)
        assert "The part “Task” can't be filled in, line 1" in reading.error

    def test_a_stop_is_heard_while_they_are_filled_in(self, database, runner, model_server):
        put_model(database, "own", model_server.url)
        content = sorting_prompt("{% for a in range(25000) %}{% if a %}{% endif %}{% endfor %}ok")
        with database.transaction() as tx:
            subject = library(tx, notes=100)
            versions.save(tx, subject, content, "slow to fill in")
        trial = start_trial(database, subject, arms=[{"version": 3, "model": "own"}], repeats=1)
        wait_for(lambda: (runner.step(), status_of(database, trial).recorded)[1], what="a reading")
        with database.transaction() as tx:
            work.stop(tx, trial.id)
        stopped = carry_out(runner, database, trial)
        assert (stopped.status, stopped.recorded < 100) == ("stopped", True)


class TestEvidence:
    def test_the_better_prompt_is_found_better(self, database, runner, model_server):
        def answer(body):
            good = "way 1" in body["messages"][0]["content"]
            note = body["messages"][1]["content"]
            right = (
                "lost book"
                if "lost" in note or "find" in note
                else "overdue"
                if "due" in note or "late" in note
                else "opening hours"
            )
            return json.dumps({"label": right if good else "overdue"})

        model_server.answer = answer
        put_model(database, "scripted", model_server.url)
        with database.transaction() as tx:
            subject = library(tx, name="well-known", notes=21)
        trial = start_trial(
            database,
            subject,
            arms=[{"version": v, "model": "scripted"} for v in (1, 2)],
            question={"arm": 1, "measure": "outcome.label"},
        )
        done = carry_out(runner, database, trial)
        with database.transaction() as tx:
            found = evidence_of(tx, done)
            headline = headline_of(tx, done)
        assert found.names == ["v1", "v2"]
        assert found.verdict.rates[0][0].value == pytest.approx(2 / 7)
        assert found.verdict.rates[1][0].value == 1
        assert (headline.word, headline.measure) == ("better", "label is right")
        assert headline.difference == pytest.approx(500 / 7)
        assert found.verdict.comparisons[0].main
        # Nothing else differed, but 21 cases are too few to call that the same.
        assert [(c.word, c.difference) for c in found.verdict.comparisons[1:]] == [
            ("unsettled", 0)
        ] * 3
