"""Real processes, really killed: nothing recorded is asked again, nothing is lost."""

import json
import os
import signal
import subprocess
import sys
from collections import Counter
from contextlib import suppress
from pathlib import Path

import pytest

from epistem.core.cases.content import Case
from epistem.core.subjects.content import content_from_json
from epistem.runner.walks import Walks
from epistem.store import cases, models, subjects, trials
from epistem.store.database import Database, StoreDown
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from epistem.work.walks.beginning import AskedWalk, begin
from tests.kit.lifeline import ends_with_us
from tests.kit.running import put_model, ticks
from tests.kit.subjects import library, start_trial
from tests.kit.waiting import PATIENCE_S, wait_for
from tests.runner.test_programs import tide_desk, tides

started: list[subprocess.Popen] = []


@pytest.fixture(autouse=True)
def _none_is_left():
    """A runner that outlives its test would do the work of the next test's."""
    yield
    while started:
        process = started.pop()
        process.kill()
        process.wait(PATIENCE_S)


class RunnerProcess:
    """`epistem runner` as `up` starts it, with its worker processes."""

    def __init__(self, address):
        command = [
            sys.executable,
            "-m",
            "epistem.cli",
            "runner",
            f"--database={address.to_url()}",
            "--in-flight=16",
        ]
        self._process = subprocess.Popen(
            command, stderr=subprocess.DEVNULL, preexec_fn=ends_with_us()
        )
        started.append(self._process)

    def children(self) -> list[int]:
        path = Path(f"/proc/{self._process.pid}/task/{self._process.pid}/children")
        return [int(pid) for pid in path.read_text().split()]

    def kill(self) -> list[int]:
        """kill -9, and the processes that it had started."""
        workers = self.children()
        self._process.send_signal(signal.SIGKILL)
        self._process.wait(PATIENCE_S)
        return workers

    def stop(self) -> int:
        self._process.terminate()
        return self._process.wait(PATIENCE_S)


def is_alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except FileNotFoundError:
        return False


def kill_workers(runner: RunnerProcess) -> None:
    for pid in runner.children():
        with suppress(ProcessLookupError):  # it ended by itself meanwhile
            os.kill(pid, signal.SIGKILL)


def recorded_seeds(database, trial) -> set[int]:
    with database.transaction() as tx:
        return {seed for (seed,) in tx.rows("SELECT seed FROM calls WHERE error IS NULL")}


def status_of(database, trial):
    with database.transaction() as tx:
        return trials.get(tx, trial.id)


@pytest.fixture
def trial(database, model_server):
    model_server.delay_s = 0.05
    with database.transaction() as tx:
        models.put(tx, models.Model("slow", model_server.url, None, 8_192, 20, 80))
        subject = library(tx)
    return start_trial(
        database, subject, arms=[{"version": v, "model": "slow"} for v in (1, 2)], repeats=60
    )


def assert_whole(database, trial):
    """Every cell has just one reading, and the trial says so."""
    done = status_of(database, trial)
    assert (done.status, done.recorded, done.unanswered) == ("finished", trial.total, 0)
    with database.transaction() as tx:
        assert tx.first("SELECT COUNT(*), COUNT(DISTINCT cell_id) FROM readings") == (
            trial.total,
            trial.total,
        )
        assert tx.rows("SELECT DISTINCT state FROM cells") == [("recorded",)]
        assert all(all(tick.verdicts) for tick in ticks(tx, trial.id))


def test_a_killed_runner_is_taken_up_with_no_recorded_call_repeated_or_lost(
    address, database, trial, model_server
):
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).recorded > 150, what="readings")
    workers = runner.kill()
    assert workers
    wait_for(lambda: not any(map(is_alive, workers)), what="the workers to end with the runner")

    before = status_of(database, trial)
    assert 150 < before.recorded < trial.total
    kept, asked_before = recorded_seeds(database, trial), len(model_server.seeds)
    assert len(kept) == before.recorded

    model_server.delay_s = 0
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).over, what="the trial to be completed")
    assert runner.stop() == 0
    assert_whole(database, trial)
    asked_after = model_server.seeds[asked_before:]
    assert kept.isdisjoint(asked_after), "a recorded call was made again"
    assert len(asked_after) == trial.total - before.recorded
    assert max(Counter(model_server.seeds).values()) <= 2


def test_a_killed_worker_costs_no_more_than_its_calls_in_flight(
    address, database, trial, model_server
):
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).recorded > 100, what="readings")
    kill_workers(runner)
    model_server.delay_s = 0
    wait_for(lambda: status_of(database, trial).over, what="the trial to be completed")
    assert runner.stop() == 0
    assert_whole(database, trial)


def test_workers_killed_while_nothing_runs_are_replaced(address, database, trial, model_server):
    model_server.delay_s = 0
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).over, what="a first trial")
    kill_workers(runner)
    with database.transaction() as tx:
        subject = subjects.get(tx, trial.subject)
    again = start_trial(database, subject, arms=[{"version": 1, "model": "slow"}])
    wait_for(lambda: status_of(database, again).over, what="a trial after the kill")
    assert runner.stop() == 0


def test_a_killed_database_is_waited_for(tmp_path, model_server):
    server = MariaDb(tmp_path / "mariadb")
    server.start()
    migrate(server.address)
    database = Database(server.address)
    model_server.delay_s = 0.03
    with database.transaction() as tx:
        models.put(tx, models.Model("slow", model_server.url, None, 8_192, 20, 80))
        subject = library(tx)
    trial = start_trial(database, subject, arms=[{"version": 1, "model": "slow"}], repeats=80)
    runner = RunnerProcess(server.address)
    wait_for(lambda: status_of(database, trial).recorded > 100, what="readings")

    os.kill(server.child.pid, signal.SIGKILL)
    wait_for(lambda: not server.child.running, what="the database to be gone")
    with pytest.raises(StoreDown):
        status_of(database, trial)
    server.start()

    assert status_of(database, trial).recorded > 100, "what was committed was lost"
    wait_for(lambda: status_of(database, trial).over, what="the trial to be completed")
    assert runner.stop() == 0
    assert_whole(database, trial)
    database.close()
    server.stop()


def test_walks_go_on_when_a_killed_database_is_back(tmp_path, model_server):
    """No answer that was had is asked for again, and no outage is told of as what a walk came to."""
    server = MariaDb(tmp_path / "mariadb")
    server.start()
    migrate(server.address)
    database = Database(server.address)
    model_server.delay_s = 0.05
    steps = [
        {"kind": "ask", "name": f"step {n}", "model": "own", "writes": "draft",
         "prompt": {"messages": [
             {"role": "user", "parts": [{"name": "T", "text": f"{n} {{{{ message }}}}"}]}
         ]}}
        for n in range(12)
    ]  # fmt: skip
    told = {"kind": "chain", "inputs": [{"name": "message"}], "state": [{"name": "draft"}],
            "steps": steps, "outputs": {"draft": "draft"}}  # fmt: skip
    with database.transaction() as tx:
        models.put(tx, models.Model("own", model_server.url, None, 8_192, 20, 80))
        chain = content_from_json(told)
        subjects.create(tx, "notices", "", chain)
        for n in range(6):
            begin(tx, "notices", AskedWalk(chain=chain, inputs={"message": f"m{n}"}))
    walks = Walks(server.address, "here")
    walks.start()
    wait_for(lambda: len(model_server.requests) > 15, what="calls")

    os.kill(server.child.pid, signal.SIGKILL)
    wait_for(lambda: not server.child.running, what="the database to be gone")
    with pytest.raises(StoreDown):
        status_of(database, 1)
    server.start()

    def ended():
        with database.transaction() as tx:
            return [
                row[0]
                for row in tx.rows("SELECT status FROM walks")
                if row[0] not in ("ready", "walking")
            ]

    wait_for(lambda: len(ended()) == 6, what="the walks to end")
    walks.close()
    assert set(ended()) == {"done"}
    assert len(model_server.requests) == 6 * 12
    database.close()
    server.stop()


def test_a_runner_that_is_told_to_stop_gives_its_cells_back(address, database, trial, model_server):
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).recorded > 20, what="readings")
    assert runner.stop() == 0
    assert not status_of(database, trial).over
    runner = RunnerProcess(address)
    model_server.delay_s = 0
    wait_for(lambda: status_of(database, trial).over, what="the trial to be completed")
    assert runner.stop() == 0
    assert_whole(database, trial)


ROUNDS = int(os.environ.get("EPISTEM_KILL_ROUNDS", "2"))


def tide_desk_and_actor(body):
    """The person is told that they play one; one thing that they say is as long as the talk so far."""
    if "You play a person" in str(body["messages"][0]["content"]):
        return f"And day {len(body['messages'])}?"
    return tide_desk(body)


LINES = {"turns": [f"And on day {n}?" for n in range(6)]}
PLAYED = {"person": {"persona": {"model": "actor"}, "most_turns": 6}}


@pytest.mark.parametrize(("talk", "calls"), [(LINES, 14), (PLAYED, 20)], ids=["lines", "played"])
def test_talks_with_tools_go_on_where_they_were_however_often_the_runner_is_killed(
    address, database, model_server, talk, calls
):
    """EPISTEM_KILL_ROUNDS=30 kills it that often. No call whose reply is recorded is made again: what the
    person is asked, which is the same in every repeat, is told by the calls that each cell has."""
    model_server.answer = tide_desk_and_actor
    model_server.delay_s = 0.04
    for name in ("own", "actor"):
        put_model(database, name, model_server.url, time_limit_ms=10_000)
    with database.transaction() as tx:
        subject = tides(tx, questions=())
        for n in range(4 + ROUNDS):
            told = {"inputs": {"question": f"When, at pier {n}?"}, **talk}
            cases.keep(tx, subject, Case.from_json(told))
    trial = start_trial(
        database,
        subject,
        arms=[{"version": 1, "model": "own", "settings": {"temperature": t}} for t in (0, 0.5)],
        repeats=5,
        checks=[{"check": "tone.stock_phrases"}],
    )

    def paid():
        """The bodies, with their seeds, of the calls whose replies are recorded."""
        with database.transaction() as tx:
            rows = tx.rows(
                "SELECT b.content, c.seed FROM calls c JOIN bodies b ON b.id = c.body_id"
            )
        made = [{**json.loads(content), "seed": seed} for content, seed in rows]
        return {json.dumps(body) for body in made if body.get("model") == "own"}

    for _ in range(ROUNDS):
        kept, asked = paid(), len(model_server.requests)
        runner = RunnerProcess(address)
        enough = len(kept) + 40
        wait_for(lambda n=enough: len(paid()) > n, what="calls")
        workers = runner.kill()
        wait_for(lambda w=workers: not any(map(is_alive, w)), what="the workers to end")
        again = {json.dumps(body) for body in model_server.requests[asked:]}
        assert kept.isdisjoint(again), "a recorded call was made again"
    assert not status_of(database, trial).over
    kept, asked = paid(), len(model_server.requests)
    model_server.delay_s = 0
    runner = RunnerProcess(address)
    wait_for(lambda: status_of(database, trial).over, what="the trial to be completed")
    assert runner.stop() == 0
    assert kept.isdisjoint({json.dumps(body) for body in model_server.requests[asked:]})
    done = status_of(database, trial)
    assert (done.status, done.unanswered, done.calls) == ("finished", 0, trial.total * calls)
    with database.transaction() as tx:
        counts = tx.rows("SELECT COUNT(*), COUNT(DISTINCT path) FROM calls GROUP BY cell_id")
        assert set(counts) == {(calls + 7, calls + 7)}  # one call of the tool in each turn
        assert len(ticks(tx, trial.id)) == trial.total
