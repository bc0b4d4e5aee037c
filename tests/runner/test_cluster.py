"""Shards on the workers of a cluster: nothing is lost, and nothing that is recorded is paid twice."""

import json
import os
import signal

import pytest
from distributed import Client, LocalCluster

from epistem.core.errors import EpistemError
from epistem.models.retry import Retry
from epistem.runner.addresses import VARIABLE, address_of, introduce, name_of
from epistem.runner.service import Runner, RunnerOptions
from epistem.runner.shard import ShardTask
from epistem.runner.workers import OfExecutor
from epistem.store.database import Address
from tests.kit.running import carry_out, put_model, status_of, step_until, ticks
from tests.kit.subjects import library, start_trial


@pytest.fixture
def cluster(address, monkeypatch):
    monkeypatch.setenv(VARIABLE, address.to_url())  # what its workers are started with
    with (
        LocalCluster(n_workers=2, threads_per_worker=2, dashboard_address=None) as cluster,
        Client(cluster) as client,
    ):
        yield client


def test_a_trial_on_two_workers_of_which_one_is_killed(cluster, database, address, model_server):
    model_server.delay_s = 0.03
    put_model(database, "slow", model_server.url)
    with database.transaction() as tx:
        subject = library(tx)
    arms = [{"version": v, "model": "slow"} for v in (1, 2)]
    trial = start_trial(database, subject, arms=arms, repeats=40)
    options = RunnerOptions(
        shards=2, shard_size=200, in_flight=16, poll_s=0.02, retry=Retry(attempts=3, first_s=0.01)
    )
    executor = cluster.get_executor(pure=False)
    runner = Runner(address, options, make_workers=lambda _, most: OfExecutor(executor))
    step_until(runner, lambda: status_of(database, trial).recorded > 100, what="readings")
    with database.transaction() as tx:
        kept = {seed for (seed,) in tx.rows("SELECT seed FROM calls")}
    victim = next(iter(cluster.run(os.getpid).values()))
    asked = len(model_server.seeds)
    os.kill(victim, signal.SIGKILL)
    done = carry_out(runner, database, trial)
    runner.close()
    assert (done.status, done.recorded, done.unanswered) == ("finished", 560, 0)
    assert kept.isdisjoint(model_server.seeds[asked:]), "a recorded call was made again"
    with database.transaction() as tx:
        assert len({tick.reading_id for tick in ticks(tx, trial.id)}) == 560
        assert tx.first("SELECT COUNT(*), COUNT(DISTINCT seed) FROM calls") == (560, 560)


def test_a_task_holds_no_password():
    address = Address("db.example", 3306, "epistem", "hush-hush")
    task = ShardTask(introduce(address), 1, "a.1")
    assert "hush" not in repr(task) + json.dumps(task.__dict__, default=repr)
    assert address_of(task.database) == address


def test_a_worker_without_the_address_says_what_to_set(monkeypatch):
    monkeypatch.delenv(VARIABLE, raising=False)
    elsewhere = name_of(Address("other.example", 3306, "epistem", "x"))
    with pytest.raises(EpistemError, match=f"Set {VARIABLE} to its address"):
        address_of(elsewhere)
