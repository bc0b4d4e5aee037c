"""The runner: looks for cells that wait, claims them in shards, hands the shards to an executor."""

from __future__ import annotations

import multiprocessing
import time
import uuid
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor
from dataclasses import dataclass
from math import ceil
from threading import Event
from typing import Any

import structlog

from epistem.core.errors import EpistemError
from epistem.core.trials.plan import IN_FLIGHT
from epistem.models.retry import Retry
from epistem.runner.lifeline import die_with_parent
from epistem.runner.shard import ShardResult, ShardTask, run_shard, warm_up
from epistem.store import cells, trials
from epistem.store.database import Address, Collision, Database, StoreDown, Transaction

log = structlog.get_logger()


@dataclass(frozen=True)
class RunnerOptions:
    """`in_flight` calls at once in all, spread over up to `shards` shards of `shard_size` cells."""

    shards: int = 2
    shard_size: int = 2_048
    in_flight: int = IN_FLIGHT
    poll_s: float = 0.25
    retry: Retry = Retry()  # noqa: RUF009 (frozen, so sharing it is safe)


def process_executor(workers: int) -> ProcessPoolExecutor:
    """Worker processes that end with this one, however it ends."""
    context = multiprocessing.get_context("spawn")
    return ProcessPoolExecutor(workers, mp_context=context, initializer=die_with_parent)


class Runner:
    """Safe to run several times against one database: a cell is claimed by one of them only."""

    def __init__(
        self,
        address: Address,
        options: RunnerOptions | None = None,
        *,
        make_executor: Callable[[int], Executor] = process_executor,
    ) -> None:
        self.name = uuid.uuid4().hex[:20]
        self._address = address
        self._options = options or RunnerOptions()
        self._make_executor = make_executor
        self._executor = make_executor(self._options.shards)
        self._database = Database(address, connections=4)
        self._in_hand: dict[ShardTask, Future[ShardResult]] = {}
        self._shards_made = 0
        self._lock: _RunnerLock | None = None
        self._away = False

    def run(self, stop: Event) -> None:
        """Until `stop` is set. A database that is away is waited for."""
        try:
            for _ in range(self._options.shards):
                self._submit(warm_up)
            log.info("runner ready", runner=self.name)
            while not stop.is_set():
                try:
                    busy = self.step()
                    if self._away:
                        log.info("the database is back")
                        self._away = False
                except Collision:
                    busy = False  # another runner was at the same cells; the next step tries again
                except StoreDown as error:
                    if not self._away:
                        log.warning("waiting for the database", why=error.message)
                        self._away = True
                    self._lock, busy = None, False
                if not busy:
                    stop.wait(self._options.poll_s)
        finally:
            self.close()

    def step(self) -> bool:
        """One pass; whether a shard was handed out."""
        if self._lock is None or not self._lock.alive():
            self._lock = _RunnerLock(self._address, self.name)
        self._collect()
        with self._database.transaction() as tx:
            given_back = cells.release_orphans(tx)
        if given_back:
            log.info("took over cells of a runner that is gone", cells=given_back)
        handed_out = False
        while len(self._in_hand) < self._options.shards and self._hand_out_one():
            handed_out = True
        return handed_out

    def close(self) -> None:
        """Let go: shards in hand end with their processes, and others may take their cells."""
        # Asked for first: a process pool that is shut down has forgotten its processes.
        processes = list((getattr(self._executor, "_processes", None) or {}).values())
        self._executor.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()
        self._database.close()
        if self._lock is not None:
            self._lock.close()

    @property
    def idle(self) -> bool:
        return not self._in_hand

    def _hand_out_one(self) -> bool:
        with self._database.transaction() as tx:
            going = cells.trials_to_run(tx)
            if not going:
                return False
            trial_id, waiting = going[0]
            self._shards_made += 1
            owner = f"{self.name}.{self._shards_made}"
            # What waits is shared out among the free workers: one interpreter keeps one core busy.
            fair = ceil(waiting / (self._options.shards - len(self._in_hand)))
            claimed = cells.claim(tx, trial_id, owner, min(fair, self._options.shard_size))
        if not claimed:
            return False
        log.info("shard", trial=trial_id, cells=len(claimed), owner=owner)
        task = ShardTask(
            self._address.to_url(),
            trial_id,
            owner,
            claimed,
            max(1, self._options.in_flight // self._options.shards),
            self._options.retry,
            self._options.shards,
        )
        self._in_hand[task] = self._submit(run_shard, task)
        return True

    def _submit(self, work: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """To a new executor if this one is of no use any more, as after one of a pool was killed."""
        try:
            return self._executor.submit(work, *arguments)
        except BrokenExecutor as error:
            log.warning("starting other workers", why=str(error))
            self._executor.shutdown(wait=False, cancel_futures=True)
            self._executor = self._make_executor(self._options.shards)
            return self._executor.submit(work, *arguments)

    def _collect(self) -> None:
        """Look at the shards that ended; give back what one that broke had claimed."""
        for task, future in list(self._in_hand.items()):
            if not future.done():
                continue
            error = future.exception()
            if error is None:
                del self._in_hand[task]
                continue
            log.error("a shard broke", owner=task.owner, why=repr(error))
            told = (
                error.message
                if isinstance(error, EpistemError)
                else f"{type(error).__name__}: {error}"
            )
            # A worker that was killed, or a database that was away, says nothing of the trial.
            blame = not isinstance(error, BrokenExecutor | StoreDown)
            with self._database.transaction() as tx:
                cells.release(tx, task.trial_id, task.owner)
                if blame and trials.note_broken_shard(tx, task.trial_id, told):
                    log.error("the trial failed", trial=task.trial_id, why=told)
            del self._in_hand[task]
            time.sleep(self._options.poll_s)


class _RunnerLock:
    """The server-side lock that proves that this runner lives, on a connection of its own."""

    def __init__(self, address: Address, runner: str) -> None:
        self._connection = address.connect(autocommit=True)
        with self._connection.cursor() as cursor:
            if not cells.hold_runner_lock(Transaction(cursor), runner):
                raise StoreDown("The runner's lock is still held by a connection that was lost.")

    def alive(self) -> bool:
        try:
            self._connection.ping(reconnect=False)
        except Exception:
            return False
        return True

    def close(self) -> None:
        self._connection.close()
