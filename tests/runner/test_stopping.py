"""Trials that are stopped, go on, are asked again, and are shared by several runners."""

from concurrent.futures import ThreadPoolExecutor
from threading import Event

import pytest

from epistem.core.errors import Conflict
from epistem.models.retry import Retry
from epistem.runner.service import RunnerOptions
from epistem.store import cells, models
from epistem.work import trials as work
from epistem.work.evidence import evidence_of
from epistem.work.stopping import until_all_have_seen
from tests.kit.running import carry_out, put_model, runner_of, status_of, step_until, ticks
from tests.kit.subjects import start_trial
from tests.kit.waiting import PATIENCE_S, wait_for


class TestStopping:
    def test_one_that_runs_while_everything_is_started_anew_finds_the_built_in_models_again(
        self, database, subject, runner, model_server
    ):
        put_model(database, "own", "http://127.0.0.1:9", built_in=True)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "own"}], repeats=2)
        put_model(database, "own", model_server.url, built_in=True)
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered) == ("finished", 0)
        with database.transaction() as tx:
            assert models.answered(tx) == {"own"}
        put_model(database, "own", f"{model_server.url}/", built_in=True)
        with database.transaction() as tx:
            assert models.answered(tx) == {"own"}

    def test_what_is_there_is_kept_and_the_rest_can_be_asked_later(
        self, database, subject, runner, model_server
    ):
        model_server.delay_s = 0.05
        put_model(database, "slow", model_server.url)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "slow"}], repeats=60)
        carry_out(runner, database, trial, until=lambda t: t.recorded > 20)
        with database.transaction() as tx:
            work.stop(tx, trial.id)
        wait_for(lambda: runner.step() or runner.idle, what="calls in flight to land")
        stopped = status_of(database, trial)
        assert 20 < stopped.recorded < stopped.total
        with database.transaction() as tx:
            assert tx.first("SELECT COUNT(*) FROM cells WHERE state = 'claimed'") == (0,)
            with pytest.raises(Conflict, match="stopped already"):
                work.stop(tx, trial.id)
            work.go_on(tx, trial.id)
        model_server.delay_s = 0
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded) == ("finished", done.total)
        assert len(set(model_server.seeds)) == len(model_server.seeds) == done.total

    def test_a_hung_server_is_let_go_of_at_a_stop(self, database, subject, runner, model_server):
        model_server.delay_s = 300
        with database.transaction() as tx:
            models.put(tx, models.Model("hung", model_server.url, None, 8_192, 1, 1, 300_000))
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "hung"}])
        step_until(runner, lambda: model_server.in_flight == 14, what="all calls in flight")
        with database.transaction() as tx:
            work.stop(tx, trial.id)
        wait_for(lambda: runner.step() or runner.idle, what="the calls to be let go")
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
        runner = runner_of(address, patient)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "busy"}])
        step_until(runner, lambda: len(model_server.requests) == 14, what="all to be busy")
        with database.transaction() as tx:
            work.stop(tx, trial.id)
        wait_for(lambda: runner.step() or runner.idle, what="the lanes to end")
        assert (status_of(database, trial).recorded, len(model_server.requests)) == (0, 14)
        runner.close()

    def test_lanes_that_stand_in_line_at_a_limited_model_ask_no_more_after_a_stop(
        self, database, subject, runner, model_server
    ):
        model_server.delay_s = 0.3
        put_model(database, "local", model_server.url, calls_at_once=1)
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "local"}], repeats=5)
        step_until(runner, lambda: len(model_server.requests) > 1, what="some calls")
        with database.transaction() as tx:
            work.stop(tx, trial.id)
        until_all_have_seen()
        asked = len(model_server.requests)
        step_until(runner, lambda: runner.idle, what="the lanes to end")
        assert len(model_server.requests) == asked
        assert len(model_server.requests) == status_of(database, trial).recorded

    def test_a_finished_trial_cannot_go_on(self, database, subject, runner):
        trial = start_trial(database, subject, repeats=1)
        carry_out(runner, database, trial)
        with (
            pytest.raises(Conflict, match="only a stopped or failed trial"),
            database.transaction() as tx,
        ):
            work.go_on(tx, trial.id)


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
            kept = {t.reading_id for t in ticks(tx, trial.id) if t.answered}
            waiting = work.ask_again(tx, trial.id)
        assert (waiting.status, waiting.recorded, waiting.unanswered) == ("waiting", 9, 0)
        done = carry_out(runner, database, trial)
        assert (done.status, done.recorded, done.unanswered) == ("finished", 14, 0)
        assert len(model_server.requests) == 19
        assert len(set(model_server.seeds)) == 14
        with database.transaction() as tx:
            assert kept < {t.reading_id for t in ticks(tx, trial.id)}
            after = evidence_of(tx, done).verdict.rates[0][1]
            with pytest.raises(Conflict, match="got its answer"):
                work.ask_again(tx, trial.id)
        assert (before.missing, after.missing) == (5, 0)

    def test_a_trial_that_goes_on_is_not_interfered_with(self, database, subject):
        trial = start_trial(database, subject)
        with pytest.raises(Conflict, match="is waiting"), database.transaction() as tx:
            work.ask_again(tx, trial.id)


class TestSharing:
    def test_no_cell_is_claimed_twice_and_none_recorded_by_who_lost_it(self, database, subject):
        trial = start_trial(database, subject)
        with database.transaction() as tx:
            assert cells.claim(tx, trial.id, "a.1", 20) == 20
            assert cells.claim(tx, trial.id, "b.1", 20) == 8
            mine, theirs = (cells.claimed_by(tx, trial.id, owner) for owner in ("a.1", "b.1"))
            assert {c.id for c in mine}.isdisjoint(c.id for c in theirs)
            assert (len(mine), len(theirs)) == (20, 8)
            assert {c.arm for c in mine} == {0, 1}
            assert cells.runners_gone(tx) == {"a", "b"}  # neither holds a runner's lock
            assert cells.release_all_of(tx, "a") == 20

    def test_cells_of_a_runner_are_safe_while_it_lives_and_free_once_it_is_gone(
        self, database, subject, address
    ):
        trial = start_trial(database, subject)
        idle = RunnerOptions(shards=0, gone_s=0.3)
        runner = runner_of(address, idle)
        runner.step()

        other = runner_of(address, idle)

        def free() -> bool:
            other.step()
            with database.transaction() as tx:
                return tx.first("SELECT COUNT(*) FROM cells WHERE state = 'waiting'") == (28,)

        with database.transaction() as tx:
            cells.claim(tx, trial.id, f"{runner.name}.1", 5)
        assert not free()
        # A lock that is lost with its connection is taken again, long before anybody takes the cells.
        runner._lock.close()
        assert not free()
        runner.step()
        with database.transaction() as tx:
            assert cells.runners_gone(tx) == set()
        runner.close()
        wait_for(free, what="the runner's lock to fall")
        other.close()

    def test_several_runners_share_a_trial(self, database, subject, address, model_server):
        model_server.delay_s = 0.005
        put_model(database, "shared", model_server.url)
        trial = start_trial(
            database, subject, arms=[{"version": v, "model": "shared"} for v in (1, 2)], repeats=40
        )
        stop, pool = Event(), ThreadPoolExecutor(3)
        runners = [runner_of(address) for _ in range(3)]
        futures = [pool.submit(runner.run, stop) for runner in runners]
        wait_for(lambda: status_of(database, trial).over)
        stop.set()
        for future in futures:
            future.result(PATIENCE_S)
        assert len(set(model_server.seeds)) == len(model_server.seeds) == trial.total
        with database.transaction() as tx:
            assert tx.first("SELECT COUNT(DISTINCT cell_id), COUNT(*) FROM readings") == (
                trial.total,
                trial.total,
            )
