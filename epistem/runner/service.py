"""The runner: looks for cells that wait, claims them in shards, hands the shards to an executor."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Future
from dataclasses import dataclass
from functools import partial
from math import ceil
from threading import Event
from typing import Any

import structlog

from epistem.core.errors import EpistemError
from epistem.core.trials.plan import IN_FLIGHT
from epistem.models.retry import Retry
from epistem.runner.addresses import introduce
from epistem.runner.jobs import Jobs
from epistem.runner.owning import LongGone, OwnerLock
from epistem.runner.shard import ShardResult, ShardTask, run_shard, warm_up
from epistem.runner.walks import Walks
from epistem.runner.workers import OwnProcesses, Workers
from epistem.store import cells, trials
from epistem.store.database import Address, Collision, Database, StoreDown, Transaction
from epistem.work.jobs import KINDS

log = structlog.get_logger()


GONE_S = 3.0
"""So long a runner's lock has to be free before its cells are given to others."""
MOST_SHARDS = 8
"""Beyond `shards`, one more for each trial that has none: a server that hangs holds up its own trial."""


@dataclass(frozen=True)
class RunnerOptions:
    """`in_flight` calls at once in all, spread over up to `shards` shards of `shard_size` cells."""

    shards: int = 2
    shard_size: int = 2_048
    in_flight: int = IN_FLIGHT
    poll_s: float = 0.25
    retry: Retry = Retry()  # noqa: RUF009 (frozen, so sharing it is safe)
    gone_s: float = GONE_S
    walks: bool = True
    jobs: bool = True


class Runner:
    """Safe to run several times against one database: a cell is claimed by one of them only."""

    def __init__(
        self,
        address: Address,
        options: RunnerOptions | None = None,
        *,
        make_workers: Callable[[Address, int], Workers] = OwnProcesses,
    ) -> None:
        self.name = uuid.uuid4().hex[:20]
        self._address = address
        self._database_name = introduce(address)
        self._options = options or RunnerOptions()
        self._workers = make_workers(address, max(MOST_SHARDS, self._options.shards))
        self._database = Database(address, connections=4)
        self._in_hand: dict[ShardTask, Future[ShardResult]] = {}
        self._gone = LongGone(self._options.gone_s)
        self._look_for_more_at = 0.0
        self._shards_made = 0
        self._lock: OwnerLock | None = None
        self._away = False
        self._walks: Walks | None = None
        self._jobs: Jobs | None = None

    def run(self, stop: Event) -> None:
        """Until `stop` is set. A database that is away is waited for."""
        try:
            for _ in range(self._options.shards):
                self._submit(warm_up)
            if self._options.walks:
                self._walks = Walks(self._address, self.name, gone_s=self._options.gone_s)
                self._walks.start()
            if self._options.jobs:
                self._jobs = Jobs(self._address, KINDS, gone_s=self._options.gone_s)
                self._jobs.start()
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
            self._lock = OwnerLock(self._address, self.name)
        self._collect()
        self._take_over()
        handed_out = False
        while self._hand_out_one():
            handed_out = True
        return handed_out

    def close(self) -> None:
        """Let go: shards in hand end with their processes, and others may take their cells."""
        if self._walks is not None:
            self._walks.close()
        if self._jobs is not None:
            self._jobs.close()
        self._workers.stop()
        self._database.close()
        if self._lock is not None:
            self._lock.close()

    @property
    def idle(self) -> bool:
        return not self._in_hand

    def _take_over(self) -> None:
        """Give back the cells of runners that have been gone for a while."""
        if not self._gone.due():
            return
        with self._database.transaction() as tx:
            without_lock = cells.runners_gone(tx)
        for name in self._gone.of(without_lock):
            given_back = self._database.settled(partial(cells.release_all_of, runner=name))
            log.info("took over cells of a runner that is gone", cells=given_back)

    def _hand_out_one(self) -> bool:
        """To the trial with the least in hand. A trial that has nothing in hand gets a shard even when
        as many as usual are at work."""
        busy = len(self._in_hand)
        if not self._options.shards or busy >= max(MOST_SHARDS, self._options.shards):
            return False
        now = time.monotonic()
        if busy >= self._options.shards:  # only for a trial without any: that can wait a moment
            if now < self._look_for_more_at:
                return False
            self._look_for_more_at = now + self._options.poll_s
        with self._database.transaction() as tx:
            going = cells.trials_to_run(tx)
        if not going:
            return False
        trial_id, waiting, in_hand = going[0]
        if busy >= self._options.shards and in_hand:
            return False
        self._shards_made += 1
        owner = f"{self.name}.{self._shards_made}"
        # What waits is shared out among the free workers: one interpreter keeps one core busy.
        most = min(ceil(waiting / max(self._options.shards - busy, 1)), self._options.shard_size)
        claim = partial(cells.claim, trial_id=trial_id, owner=owner, most=most)
        claimed = self._database.settled(claim)
        if not claimed:
            return False
        log.info("shard", trial=trial_id, cells=claimed, owner=owner)
        in_flight = max(1, self._options.in_flight // self._options.shards)
        task = ShardTask(self._database_name, trial_id, owner, in_flight, self._options.retry)
        self._in_hand[task] = self._submit(run_shard, task)
        return True

    def _submit(self, work: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """To other workers if these are of no use any more, as after one of a pool was killed."""
        try:
            return self._workers.submit(work, *arguments)
        except BrokenExecutor as error:
            log.warning("starting other workers", why=str(error))
            self._workers.renew()
            return self._workers.submit(work, *arguments)

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
            blame = not isinstance(error, BrokenExecutor | StoreDown | Collision)
            if self._database.settled(
                partial(_give_back, task=task, blame=told if blame else None)
            ):
                log.error("the trial failed", trial=task.trial_id, why=told)
            del self._in_hand[task]
            time.sleep(self._options.poll_s)


def _give_back(tx: Transaction, *, task: ShardTask, blame: str | None) -> bool:
    """What a shard that broke had claimed; whether its trial has failed by that."""
    cells.release(tx, task.trial_id, task.owner)
    return blame is not None and trials.note_broken_shard(tx, task.trial_id, blame)
