"""Jobs carried out behind the pages: each in a thread of its own, so that none holds up another."""

from __future__ import annotations

import random
import uuid
from collections.abc import Callable, Mapping
from functools import partial
from threading import Event, Thread

import structlog

from epistem.core.errors import EpistemError
from epistem.models.retry import Retry
from epistem.runner.owning import LongGone, OwnerLock
from epistem.store import jobs
from epistem.store.database import Address, Collision, Database, StoreDown, Transaction
from epistem.store.jobs import Job
from epistem.work.jobs import Do

log = structlog.get_logger()

AT_ONCE = 8
POLL_S = 0.5
AWAY_S = 1.0
WAITS = Retry(attempts=10, first_s=2.0, most_s=300.0)
"""What a job comes to that fails: it is tried again for about twenty minutes, less and less often."""


class _LetGo(Exception):
    """The job is not ours to do any more."""


class Jobs:
    """Carries out jobs of these kinds. Safe to run several times against one database. Close it."""

    def __init__(
        self,
        address: Address,
        kinds: Mapping[str, Do],
        *,
        at_once: int = AT_ONCE,
        poll_s: float = POLL_S,
        gone_s: float = 3.0,
        waits: Retry = WAITS,
    ) -> None:
        self._address, self._kinds = address, kinds
        self._owner = uuid.uuid4().hex[:20]
        self._at_once, self._poll_s, self._waits = at_once, poll_s, waits
        self._database = Database(address, connections=at_once + 2)
        self._gone = LongGone(gone_s)
        self._lock: OwnerLock | None = None
        self._rng = random.Random()
        self._stop = Event()
        self._going: list[Thread] = []
        self._thread = Thread(target=self._run, name="jobs", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """What is being done waits for whoever comes next. What was begun of it is not waited for."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(5)

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                self._step()
            except (StoreDown, Collision):
                self._lock = None  # it is taken again once the database is back
            except Exception as error:  # nothing that a job meets may end the others
                log.exception("jobs could not be taken up", why=repr(error)[:300])
            self._stop.wait(self._poll_s)
        try:
            self._database.settled(partial(jobs.give_back, owner=self._owner))
        except EpistemError as error:
            log.warning("jobs in hand are left to be taken over", why=error.message)
        if self._lock is not None:
            self._lock.close()

    def _step(self) -> None:
        if self._lock is None or not self._lock.alive():
            self._lock = OwnerLock(self._address, self._owner)
        if self._gone.due():
            with self._database.transaction() as tx:
                without_lock = jobs.owners_gone(tx) - {self._owner}
            for name in self._gone.of(without_lock):
                number = self._database.settled(partial(jobs.give_back, owner=name))
                log.info("took over jobs of one that is gone", jobs=number)
        self._going = [thread for thread in self._going if thread.is_alive()]
        free = self._at_once - len(self._going)
        if free <= 0:
            return
        claim = partial(jobs.claim, owner=self._owner, kinds=list(self._kinds), most=free)
        for job in self._database.settled(claim):
            thread = Thread(target=self._one, args=(job,), name=f"job {job.id}", daemon=True)
            self._going.append(thread)
            thread.start()

    def _one(self, job: Job) -> None:
        """To its end, or to where it has to be tried again. An outage of the database is waited for, and is no
        attempt of the job's."""
        while not self._stop.is_set():
            try:
                self._kinds[job.kind](self._database, job.about, partial(self._come_to, job))
            except _LetGo:
                return
            except (StoreDown, Collision):
                self._stop.wait(AWAY_S)
                continue
            except Exception as error:
                self._settle(self._put_off(job, error))
                return
            self._settle(partial(jobs.finish, job_id=job.id, owner=self._owner))
            return

    def _come_to(self, job: Job, done: int, total: int) -> None:
        come_to = partial(jobs.come_to, job_id=job.id, owner=self._owner, done=done, total=total)
        if self._stop.is_set() or not self._database.settled(come_to):
            raise _LetGo

    def _put_off(self, job: Job, error: Exception) -> Callable[[Transaction], None]:
        if isinstance(error, EpistemError):
            why = error.message
        else:
            log.exception("a job failed", job=job.id, kind=job.kind)
            why = f"Something in Epistem failed: {type(error).__name__}: {error}"
        attempt = job.attempts + 1
        if attempt >= self._waits.attempts:
            return partial(jobs.give_up, job_id=job.id, owner=self._owner, why=why)
        wait_s = self._waits.wait_s(attempt, None, self._rng)
        return partial(jobs.put_off, job_id=job.id, owner=self._owner, why=why, wait_s=wait_s)

    def _settle(self, work: Callable[[Transaction], None]) -> None:
        """Kept as soon as the database is there."""
        while not self._stop.is_set():
            try:
                self._database.settled(work)
                return
            except (StoreDown, Collision):
                self._stop.wait(AWAY_S)
            except Exception as error:
                log.exception("what came of a job is not kept", why=repr(error)[:300])
                return
