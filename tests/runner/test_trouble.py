"""Answers that can't be recorded, and servers in trouble: nothing burns, nothing hangs."""

import resource

import pytest

from epistem.core.errors import Conflict
from epistem.store import readings, trials
from epistem.up.ports import free_port
from epistem.work import trials as work
from tests.kit.model_server import ModelServer
from tests.kit.running import OPTIONS, carry_out, put_model, status_of, step_until, ticks
from tests.kit.servers import served
from tests.kit.subjects import library, start_trial
from tests.runner.test_programs import tides


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
            told = [readings.get(tx, tick.reading_id) for tick in ticks(tx, trial.id)]
        assert all((r.error or r.answer) and len(r.error or "") <= 2_000 for r in told)

    def test_what_the_database_refuses_all_the_same_is_recorded_as_unanswered(
        self, database, runner, model_server, monkeypatch
    ):
        put_model(database, "own", model_server.url)
        usual = readings._row

        def refused(reading):
            row = usual(reading)
            return (*row[:2], b"f" * 500, *row[3:]) if reading.answer == "odd" else row

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
            lost = [t for t in ticks(tx, trial.id) if not t.answered]
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
            assert work.go_on(tx, trial.id).failure == ""
        assert carry_out(runner, database, trial).status == "finished"

    def test_a_request_that_is_too_large_to_keep_is_not_sent(
        self, database, subject, runner, model_server, monkeypatch
    ):
        monkeypatch.setattr("epistem.runner.shard.MAX_BODY_BYTES", 100)
        put_model(database, "own", model_server.url)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "own"}], repeats=1)
        assert carry_out(runner, database, trial).unanswered == 7
        assert model_server.requests == []


class TestPausing:
    """A model that can't be asked costs no cells: its arm waits, with the reason, and others go on."""

    def arms(self, *names):
        return [{"version": 1, "model": name} for name in names]

    def paused(self, database, trial):
        with database.transaction() as tx:
            return trials.paused_of(tx, trial.id)

    def test_an_arm_whose_server_is_down_waits_and_the_other_is_carried_out(
        self, database, subject, runner
    ):
        port = free_port()
        put_model(database, "away", f"http://127.0.0.1:{port}")
        trial = start_trial(database, subject, arms=self.arms("tern-s", "away"), repeats=4)
        carry_out(runner, database, trial, until=lambda t: t.recorded == 28)
        step_until(runner, lambda: self.paused(database, trial), what="the pause")
        so_far = status_of(database, trial)
        assert (so_far.status, so_far.recorded, so_far.unanswered) == ("running", 28, 0)
        [paused] = self.paused(database, trial)
        assert paused.arm == 1  # paused once, or once more if its pause was over by now
        assert f"away can't be reached at http://127.0.0.1:{port}" in paused.why
        # Once it is there, a press is enough.
        server = ModelServer()
        with served(server.app(), port=port):
            with database.transaction() as tx:
                work.try_now(tx, trial.id)
            done = carry_out(runner, database, trial)
        assert (done.status, done.recorded, done.unanswered) == ("finished", 56, 0)
        assert self.paused(database, trial) == []
        assert len(set(server.seeds)) == 28

    @pytest.mark.parametrize("status", [401, 404, 429, 503])
    def test_a_few_refusals_pause_and_each_probe_is_small(
        self, database, subject, runner, model_server, status
    ):
        model_server.script.extend([(status, {"error": {"message": "not you"}}, {})] * 10_000)
        put_model(database, "strict", model_server.url)
        trial = start_trial(database, subject, arms=self.arms("strict"), repeats=40)
        step_until(runner, lambda: self.paused(database, trial), what="the pause")
        step_until(runner, lambda: runner.idle, what="the shards to end")
        asked = len(model_server.requests)
        assert asked <= 60
        [before] = self.paused(database, trial)
        assert "not you" in before.why
        with database.transaction() as tx:
            work.try_now(tx, trial.id)
        step_until(
            runner,
            lambda: self.paused(database, trial)[0].times > before.times,
            what="a probe",
        )
        step_until(runner, lambda: runner.idle, what="the probe to end")
        assert len(model_server.requests) - asked <= 2 * OPTIONS.retry.attempts
        assert status_of(database, trial).recorded == 0
        model_server.script.clear()
        with database.transaction() as tx:
            work.try_now(tx, trial.id)
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered) == ("finished", 0)

    def test_an_arm_that_refuses_only_this_or_that_request_is_not_paused_any_longer(
        self, database, subject, runner, model_server
    ):
        model_server.script.extend([(503, "", {})] * 10_000)
        put_model(database, "strict", model_server.url)
        trial = start_trial(database, subject, arms=self.arms("strict"), repeats=2)
        step_until(runner, lambda: self.paused(database, trial), what="the pause")
        model_server.answer = lambda body: (400, {"error": "not this"}, {})
        model_server.script.clear()
        with database.transaction() as tx:
            work.try_now(tx, trial.id)
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered) == ("finished", 14)

    def test_a_talk_that_waits_out_trouble_pays_no_turn_twice(self, database, runner, model_server):
        away = []

        def answer(body):
            if len(body["messages"]) > 2 and len(away) < 4:
                away.append(body)
                return 503, "", {}
            return f"said {len(body['messages'])}"

        model_server.answer = answer
        put_model(database, "own", model_server.url)
        with database.transaction() as tx:
            subject = tides(tx, turns=("And then?",))
        trial = start_trial(database, subject, arms=self.arms("own"), repeats=2)
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered, done.calls) == ("finished", 0, 4)
        firsts = [body for body in model_server.requests if len(body["messages"]) == 2]
        assert len(firsts) == 2
        assert len(away) == 4

    def test_a_key_that_is_not_there_pauses_without_a_call(
        self, database, subject, runner, model_server
    ):
        put_model(database, "keyed", model_server.url, key_reference="env:EPISTEM_KEY_NONE")
        trial = start_trial(database, subject, arms=self.arms("keyed"), repeats=10)
        step_until(runner, lambda: self.paused(database, trial), what="the pause")
        step_until(runner, lambda: runner.idle, what="the shards to end")
        assert "The server has no variable EPISTEM_KEY_NONE" in self.paused(database, trial)[0].why
        assert (status_of(database, trial).recorded, model_server.requests) == (0, [])

    def test_a_paused_trial_can_be_stopped_and_goes_on_by_trying_at_once(
        self, database, subject, runner, model_server
    ):
        model_server.script.extend([(401, "no", {})] * 10_000)
        put_model(database, "strict", model_server.url)
        trial = start_trial(database, subject, arms=self.arms("strict"), repeats=2)
        step_until(runner, lambda: self.paused(database, trial), what="the pause")
        with database.transaction() as tx:
            work.stop(tx, trial.id)
            with pytest.raises(Conflict, match="No arm of"):
                work.try_now(tx, trial.id)
            work.go_on(tx, trial.id)
        model_server.script.clear()
        assert carry_out(runner, database, trial).unanswered == 0

    def test_a_model_that_is_gone_from_the_list_is_still_asked_as_it_was(
        self, database, subject, runner, model_server
    ):
        put_model(database, "kept", model_server.url)
        trial = start_trial(database, subject, arms=self.arms("kept"), repeats=1)
        with database.transaction() as tx:
            tx.run("DELETE FROM models WHERE name = 'kept'")
        assert carry_out(runner, database, trial).unanswered == 0
        assert len(model_server.requests) == 7


class TestOneBadServer:
    def test_a_server_that_hangs_holds_up_neither_its_neighbour_arm_nor_the_next_trial(
        self, database, subject, runner, model_server
    ):
        model_server.delay_s = 30
        put_model(database, "hung", model_server.url, time_limit_ms=20_000)
        arms = [{"version": 1, "model": name} for name in ("hung", "tern-s")]
        first = start_trial(database, subject, arms=arms, repeats=20)
        step_until(runner, lambda: status_of(database, first).recorded == 140, what="the other arm")
        second = start_trial(database, subject)
        step_until(runner, lambda: status_of(database, second).over, what="the next trial")
        assert status_of(database, first).recorded == 140
        with database.transaction() as tx:
            work.stop(tx, first.id)
        step_until(runner, lambda: runner.idle, what="the calls to be let go")

    def test_many_large_answers_are_read_a_few_at_a_time(self, database, runner, model_server):
        put_model(database, "wordy", model_server.url)
        model_server.answer = lambda body: "word " * 400_000
        with database.transaction() as tx:
            subject = library(tx, notes=7)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "wordy"}], repeats=10)
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered) == ("finished", 0)
        grown_kb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        assert grown_kb < 600_000
