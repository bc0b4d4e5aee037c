"""What the runner makes of a trial, with its shards on threads of this process."""

import json
from concurrent.futures import ThreadPoolExecutor
from threading import Event

import pytest

from epistem.core.cases.content import Case
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.content import Tool
from epistem.models.retry import Retry
from epistem.runner.service import Runner, RunnerOptions
from epistem.store import cases, cells, models, readings, subjects, trials, versions
from epistem.store.evidence import evidence_of, headline_of
from epistem.up.ports import free_port
from tests.kit.subjects import library, sorting_prompt, start_trial
from tests.kit.waiting import wait_for

OPTIONS = RunnerOptions(
    shards=2, shard_size=50, in_flight=16, poll_s=0.02, retry=Retry(attempts=2, first_s=0.01)
)


@pytest.fixture
def subject(database, two_models):
    with database.transaction() as tx:
        return library(tx)


@pytest.fixture
def runner(address):
    made = Runner(address, OPTIONS, make_executor=ThreadPoolExecutor)
    yield made
    made.close()


def status_of(database, trial):
    with database.transaction() as tx:
        return trials.get(tx, trial.id)


def carry_out(runner, database, trial, *, until=lambda t: t.over):
    """Let the runner work until the trial is as wished, then until its shards are done."""

    def look():
        runner.step()
        found = status_of(database, trial)
        return found if until(found) else None

    found = wait_for(look, what=f"T{trial.id}")
    wait_for(lambda: runner.step() or runner.idle, what="shards to end")
    return found


def put_model(database, name, url):
    with database.transaction() as tx:
        models.put(tx, models.Model(name, url, None, 8_192, 20, 80, 2_000))


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
            ticks = readings.ticks(tx, trial.id)
            assert len({(t.arm, t.case_at, t.repeat_no) for t in ticks}) == 28
            for tick in ticks:
                found = readings.get(tx, tick.reading_id).findings
                assert tick.judged == sum(1 << j.measure for j in found)
                assert tick.failed == sum(1 << j.measure for j in found if not j.finding.passed)
            later = readings.ticks(tx, trial.id, after=ticks[9].reading_id)
        assert later == ticks[10:]

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
            ticks = readings.ticks(tx, trial.id)
            lost = [readings.get(tx, t.reading_id) for t in ticks if not t.answered]
        assert [r.error for r in lost] == ["moody answered 400: no, thank you"] * 3
        assert lost[0].request["model"] == "moody"
        # It counts as failed in all that its case asks about.
        assert [j.measure for j in lost[0].findings] == [0, 1, 2, 3]
        assert {(j.finding.passed, j.finding.message) for j in lost[0].findings} == {
            (False, "No answer came.")
        }

    def test_a_model_server_that_is_down_ends_the_trial_with_the_reason(
        self, database, subject, runner
    ):
        url = f"http://127.0.0.1:{free_port()}"
        put_model(database, "away", url)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "away"}], repeats=1)
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered) == ("finished", 7)
        with database.transaction() as tx:
            [reading] = readings.at(tx, trial.id, 0, 0)
            verdict = evidence_of(tx, done).verdict
        assert (
            reading.error
            == f"away can't be reached at {url}. Is the model server running? Tried 2 times."
        )
        assert [(r.value, r.missing, r.most) for r in verdict.rates[0]] == [(0, 7, 1)] * 4

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
            judged = {t.case_at: t.judged & 1 for t in readings.ticks(tx, trial.id)}
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


class TestStopping:
    def test_what_is_there_is_kept_and_the_rest_can_be_asked_later(
        self, database, subject, runner, model_server
    ):
        model_server.delay_s = 0.05
        put_model(database, "slow", model_server.url)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "slow"}], repeats=60)
        carry_out(runner, database, trial, until=lambda t: t.recorded > 20)
        with database.transaction() as tx:
            trials.stop(tx, trial.id)
        wait_for(lambda: runner.step() or runner.idle, what="calls in flight to land")
        stopped = status_of(database, trial)
        assert 20 < stopped.recorded < stopped.total
        with database.transaction() as tx:
            assert tx.first("SELECT COUNT(*) FROM cells WHERE state = 'claimed'") == (0,)
            with pytest.raises(Conflict, match="stopped already"):
                trials.stop(tx, trial.id)
            trials.go_on(tx, trial.id)
        model_server.delay_s = 0
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded) == ("finished", done.total)
        assert len(set(model_server.seeds)) == len(model_server.seeds) == done.total

    def test_a_hung_server_is_let_go_of_at_a_stop(self, database, subject, runner, model_server):
        model_server.delay_s = 300
        with database.transaction() as tx:
            models.put(tx, models.Model("hung", model_server.url, None, 8_192, 1, 1, 300_000))
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "hung"}])
        wait_for(lambda: runner.step() or model_server.in_flight == 14, what="all calls in flight")
        with database.transaction() as tx:
            trials.stop(tx, trial.id)
        wait_for(lambda: runner.step() or runner.idle, seconds=20, what="the calls to be let go")
        with database.transaction() as tx:
            assert tx.first("SELECT COUNT(*) FROM cells WHERE state = 'claimed'") == (0,)
        assert (status_of(database, trial).recorded, len(model_server.requests)) == (0, 14)
        # The next one is carried out at once.
        assert carry_out(runner, database, start_trial(database, subject)).status == "finished"

    def test_lanes_that_wait_to_try_again_ask_no_more_after_a_stop(
        self, database, subject, address, model_server
    ):
        model_server.script.extend([(503, "busy", {"Retry-After": "30"})] * 100)
        put_model(database, "busy", model_server.url)
        patient = RunnerOptions(shards=1, in_flight=16, poll_s=0.02, retry=Retry(most_s=60))
        runner = Runner(address, patient, make_executor=ThreadPoolExecutor)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "busy"}])
        wait_for(lambda: runner.step() or len(model_server.requests) == 14, what="all to be busy")
        with database.transaction() as tx:
            trials.stop(tx, trial.id)
        wait_for(lambda: runner.step() or runner.idle, seconds=20, what="the lanes to end")
        assert (status_of(database, trial).recorded, len(model_server.requests)) == (0, 14)
        runner.close()

    def test_a_finished_trial_cannot_go_on(self, database, subject, runner):
        trial = start_trial(database, subject, repeats=1)
        carry_out(runner, database, trial)
        with (
            pytest.raises(Conflict, match="only a stopped or failed trial"),
            database.transaction() as tx,
        ):
            trials.go_on(tx, trial.id)


class TestAskingAgain:
    def test_calls_that_got_no_answer_are_made_anew_and_the_others_stay(
        self, database, subject, runner, model_server
    ):
        put_model(database, "moody", model_server.url)
        model_server.script.extend([(400, "not now", {})] * 5)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "moody"}], repeats=2)
        first = carry_out(runner, database, trial)
        assert (first.recorded, first.unanswered, len(model_server.requests)) == (14, 5, 14)
        with database.transaction() as tx:
            before = evidence_of(tx, first).verdict.rates[0][1]
            kept = {t.reading_id for t in readings.ticks(tx, trial.id) if t.answered}
            waiting = trials.ask_again(tx, trial.id)
        assert (waiting.status, waiting.recorded, waiting.unanswered) == ("waiting", 9, 0)
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded, done.unanswered) == ("finished", 14, 0)
        assert len(model_server.requests) == 19
        assert len(set(model_server.seeds)) == 14
        with database.transaction() as tx:
            assert kept < {t.reading_id for t in readings.ticks(tx, trial.id)}
            after = evidence_of(tx, done).verdict.rates[0][1]
            with pytest.raises(Conflict, match="got its answer"):
                trials.ask_again(tx, trial.id)
        assert (before.missing, after.missing) == (5, 0)

    def test_a_trial_that_goes_on_is_not_interfered_with(self, database, subject):
        trial = start_trial(database, subject)
        with pytest.raises(Conflict, match="is waiting"), database.transaction() as tx:
            trials.ask_again(tx, trial.id)


class TestSharing:
    def test_no_cell_is_claimed_twice_and_none_recorded_by_who_lost_it(self, database, subject):
        trial = start_trial(database, subject)
        with database.transaction() as tx:
            mine = cells.claim(tx, trial.id, "a.1", 20)
            theirs = cells.claim(tx, trial.id, "b.1", 20)
            assert {c.id for c in mine}.isdisjoint(c.id for c in theirs)
            assert (len(mine), len(theirs)) == (20, 8)
            assert cells.release_orphans(tx) == 28  # neither holds a runner's lock

    def test_cells_of_a_runner_are_safe_while_it_lives_and_free_once_it_is_gone(
        self, database, subject, address
    ):
        trial = start_trial(database, subject)
        idle = RunnerOptions(shards=0)
        runner = Runner(address, idle, make_executor=lambda _: ThreadPoolExecutor(1))
        runner.step()

        def freed() -> int:
            with database.transaction() as tx:
                return cells.release_orphans(tx)

        with database.transaction() as tx:
            cells.claim(tx, trial.id, f"{runner.name}.1", 5)
        assert freed() == 0
        runner.close()
        assert wait_for(freed, what="the runner's lock to fall") == 5

    def test_several_runners_share_a_trial(self, database, subject, address, model_server):
        model_server.delay_s = 0.005
        put_model(database, "shared", model_server.url)
        trial = start_trial(
            database, subject, arms=[{"version": v, "model": "shared"} for v in (1, 2)], repeats=40
        )
        stop, pool = Event(), ThreadPoolExecutor(3)
        runners = [Runner(address, OPTIONS, make_executor=ThreadPoolExecutor) for _ in range(3)]
        futures = [pool.submit(runner.run, stop) for runner in runners]
        wait_for(lambda: status_of(database, trial).over)
        stop.set()
        for future in futures:
            future.result(20)
        assert len(set(model_server.seeds)) == len(model_server.seeds) == trial.total
        with database.transaction() as tx:
            assert tx.first("SELECT COUNT(DISTINCT cell_id), COUNT(*) FROM readings") == (
                trial.total,
                trial.total,
            )


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
            trials.stop(tx, trial.id)
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
            [reading] = tx.rows(
                "SELECT answer, input_tokens, attempts FROM readings WHERE trial_id = %s",
                [trial.id],
            )
        assert reading == (b'{"label": "overdue"}', 20, 2)
        assert model_server.requests[1]["messages"][-1]["content"] == "third"


class TestWhatCannotBeRecorded:
    """One answer that the database refuses must not make a trial ask for ever."""

    @pytest.mark.parametrize(
        "odd",
        [
            (400, "x" * 70_000, {}),
            (200, {"choices": [{"message": {"content": "ok"}}],
                   "usage": {"prompt_tokens": 5 * 10**9, "completion_tokens": -3}}, {}),
            (200, {"choices": [{"message": {"content": "a\ud800b"}, "finish_reason": "s" * 300}]}, {}),
            (200, {"choices": [{"message": {"content": "z" * 6_000_000}}]}, {}),
            (400, {"error": {"message": "half \ud800 of it"}}, {}),
        ],
        ids=["refusal", "tokens", "surrogate", "long", "surrogate in a refusal"],
    )  # fmt: skip
    def test_odd_answers_are_recorded_and_no_cell_is_asked_for_ever(
        self, database, runner, model_server, odd
    ):
        put_model(database, "own", model_server.url)
        with database.transaction() as tx:
            subject = library(tx, notes=3)
        model_server.script.extend([odd] * 6)
        trial = start_trial(
            database, subject, arms=[{"version": 1, "model": "own"}], cases=[1, 2], repeats=3
        )
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded) == ("finished", 6)
        assert len(model_server.requests) <= 12  # each at most as often as its retries
        with database.transaction() as tx:
            told = [readings.get(tx, tick.reading_id) for tick in readings.ticks(tx, trial.id)]
        assert all((r.error or r.answer) and len(r.error or "") <= 2_000 for r in told)

    def test_what_the_database_refuses_all_the_same_is_recorded_as_unanswered(
        self, database, runner, model_server, monkeypatch
    ):
        put_model(database, "own", model_server.url)
        usual = readings._row

        def refused(trial_id, reading):
            row = usual(trial_id, reading)
            return (*row[:8], "f" * 500, *row[9:]) if reading.answer == "odd" else row

        monkeypatch.setattr(readings, "_row", refused)
        model_server.answer = lambda body: (
            "odd" if body["seed"] % 3 == 0 else '{"label": "overdue"}'
        )
        with database.transaction() as tx:
            subject = library(tx, notes=7)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "own"}], repeats=6)
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded) == ("finished", 42)
        assert len(model_server.requests) == 42
        odd = sum(body["seed"] % 3 == 0 for body in model_server.requests)
        assert 0 < odd == done.unanswered
        with database.transaction() as tx:
            lost = [t for t in readings.ticks(tx, trial.id) if not t.answered]
            assert "could not be recorded" in readings.get(tx, lost[0].reading_id).error

    def test_shards_that_cannot_start_end_the_trial_as_failed_after_three(
        self, database, subject, runner, monkeypatch
    ):
        trial = start_trial(database, subject)

        def broken(*_):
            raise RuntimeError("no such thing")

        monkeypatch.setattr("epistem.runner.shard._Shard.__init__", broken)
        failed = carry_out(runner, database, trial)
        assert (failed.status, failed.recorded) == ("failed", 0)
        assert failed.failure == "RuntimeError: no such thing"
        monkeypatch.undo()
        with database.transaction() as tx:
            assert trials.go_on(tx, trial.id).failure == ""
        assert carry_out(runner, database, trial).status == "finished"

    def test_a_request_that_is_too_large_to_keep_is_not_sent(
        self, database, subject, runner, model_server, monkeypatch
    ):
        monkeypatch.setattr("epistem.runner.shard.MAX_BODY_BYTES", 100)
        put_model(database, "own", model_server.url)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "own"}], repeats=1)
        assert carry_out(runner, database, trial).unanswered == 7
        assert model_server.requests == []
