"""A shard: some cells of one trial, asked with many calls in flight by one event loop.

`run_shard` takes and gives plain data and opens its own connections, so that any
`concurrent.futures.Executor` may run it: threads, processes, or a cluster's.
"""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial

import structlog
import uvloop

from epistem.core.engine.needs import Found, LookUp
from epistem.core.errors import EpistemError
from epistem.core.trials.marks import verdicts_in
from epistem.models.client import ModelClient
from epistem.models.driving import carry_out
from epistem.models.retry import Retry
from epistem.models.trouble import CallFailed
from epistem.runner.addresses import address_of
from epistem.runner.anew import PastAnswers, judged_anew, not_judged
from epistem.runner.arms import ArmAtWork, model_of
from epistem.runner.asking import Asking, keep_call
from epistem.runner.chain_arms import ChainAtWork
from epistem.runner.chain_arms import at_work as at_work_of
from epistem.runner.pairs import Pairs
from epistem.runner.queues import STUCK_S, Queues
from epistem.runner.writer import Recorded, Writer
from epistem.store import calls, cells, marks, models, replied, trials
from epistem.store.calls import MAX_BODY_BYTES, Paid
from epistem.store.cells import ClaimedCell
from epistem.store.database import Database, Transaction
from epistem.store.readings import NewReading
from epistem.store.trial_cases import TrialCase, cases_of, originals_of
from epistem.work.judging import Judges, People
from epistem.work.knowledge.looking_up import find, finder
from epistem.work.limits import SharedLimits
from epistem.work.replied import replied_before
from epistem.work.speakers import Speakers
from epistem.work.stopping import Stopped, UnlessStopped
from epistem.work.tools.reaching import Reaching
from epistem.work.walks.chains import speakers_of

log = structlog.get_logger()

STATUS_POLL_S = 0.5
ENDED = ("stopped", "failed")
GRACE_S = 2.0
"""Calls in flight at a stop have so long to land, being paid for; then they are ended."""


@dataclass(frozen=True)
class ShardTask:
    """The cells that `owner` has claimed of the trial. `database` is the name of it, without a secret."""

    database: str
    trial_id: int
    owner: str
    in_flight: int = 64
    retry: Retry = Retry()  # noqa: RUF009 (frozen, so sharing it is safe)


@dataclass(frozen=True)
class ShardResult:
    trial_id: int
    owner: str
    recorded: int
    status: str


def warm_up() -> None:
    """Nothing; sent ahead so that a worker has started and imported this when a trial comes."""


def run_shard(task: ShardTask) -> ShardResult:
    """Ask and record every cell of the shard, or stop early when the trial is stopped.

    Cells that were claimed and not recorded are given back. Raises StoreDown after a long outage.
    """
    database = Database(address_of(task.database), connections=4)
    try:
        return uvloop.run(_Shard(task, database).run())
    finally:
        database.close()


class _Shard:
    def __init__(self, task: ShardTask, database: Database) -> None:
        self._task = task
        self._database = database
        self._unless_stopped = UnlessStopped(lambda: self._status() not in ENDED)
        self._stop = asyncio.Event()
        self._freed = asyncio.Event()
        self._asking: set[asyncio.Task[None]] = set()
        self._cases: dict[int, TrialCase] = {}
        self._paid: dict[int, list[Paid]] = {}
        self._again: dict[int, Asking] = {}
        self._refilling = False
        self._beside = ThreadPoolExecutor(1, thread_name_prefix="filling in")
        with database.transaction() as tx:
            trial = trials.get(tx, task.trial_id)
            mine = cells.claimed_by(tx, task.trial_id, task.owner)
            arms = trials.arms_of(tx, task.trial_id)
            self._load(tx, mine)
            listed = models.all_of(tx)
            paused = {each.arm for each in trials.paused_of(tx, task.trial_id)}
            size = marks.size_of(tx, task.trial_id)
            judges, judge_ids = trials.judges_of(tx, task.trial_id)
            now = {name: models.reached_today(each, listed) for name, each in judges.items()}
            self._judges = Judges(database, now, judge_ids)
            self._people = People(database, now, judge_ids)
            self._speakers = Speakers(database, now, judge_ids)
            # Also what this trial was replied before it was stopped, or by the calls of another shard.
            sources = {task.trial_id, trial.plan.as_recorded or task.trial_id}
            self._sources = sources if any(arm.is_chain for arm in arms) else set()
            self._know_replies(tx, mine)
        self._reach = Reaching(database, "trial", trial_id=task.trial_id, moment=trial.created_at)
        speakers = speakers_of(now.values())
        self._arms = {
            arm.position: at_work_of(
                arm, model_of(arm, listed), trial.checks, self._cases, speakers
            )
            for arm in arms
        }
        for arm in paused:
            self._arms[arm].health.on_trial = True
        self._past: PastAnswers | None = None
        if trial.answers_of is not None:
            wants = any(at_work.bench.reads - {"request"} for at_work in self._arms.values())
            self._past = PastAnswers(database, trial.answers_of, mine, with_calls=wants)
        self._queues = Queues(mine, task.in_flight)
        self._lanes = min(task.in_flight, len(mine))
        self._refill = max(len(mine), task.in_flight)
        pairing = None
        if any("pair" in at_work.bench.reads for at_work in self._arms.values()):
            with database.transaction() as tx:
                originals = originals_of(tx, task.trial_id, trial.cases)
            pairing = (
                Pairs(task.trial_id, originals, self._arms, self._cases) if originals else None
            )
        scored = trial.scored
        verdicts = len(trial.measures) if size is None else verdicts_in(size, len(scored))
        entries = [arm.entry_id for arm in arms]
        self._of = Recorded(task.trial_id, task.owner, verdicts, entries, scored, pairing)

    async def run(self) -> ShardResult:
        task = self._task
        loop = asyncio.get_running_loop()
        writer = Writer(self._database, self._of, loop, bound=4 * task.in_flight)
        limits = SharedLimits(self._database)
        async with ModelClient(
            in_flight=task.in_flight,
            retry=task.retry,
            rng=random.Random(task.owner),
            sleep=self._sleep,
            limits=limits,
            may_ask=self._unless_stopped,
            caller=f"trial {task.trial_id}",
        ) as client:
            watch = asyncio.create_task(self._watch_status())
            try:
                async with asyncio.TaskGroup() as group:
                    for _ in range(self._lanes):
                        group.create_task(self._lane(client, writer))
            finally:
                watch.cancel()
                self._beside.shutdown(wait=False, cancel_futures=True)
                self._reach.close()
                await writer.close()
                limits.close()
        self._database.settled(self._let_go)
        return ShardResult(task.trial_id, task.owner, writer.recorded, writer.status)

    def _let_go(self, tx: Transaction) -> None:
        """Give back what is left, and pause the arms whose models can't be asked."""
        task = self._task
        for arm, at_work in self._arms.items():
            health = at_work.health
            if health.paused:
                cells.pause(
                    tx, task.trial_id, arm, health.why, health.retry_after_s, again=health.on_trial
                )
            elif health.on_trial:  # nothing was sent to it that could tell
                cells.try_now(tx, task.trial_id, arm)
        cells.release(tx, task.trial_id, task.owner)

    async def _lane(self, client: ModelClient, writer: Writer) -> None:
        """One reading at a time, until no cell waits."""
        lane = asyncio.current_task()
        assert lane is not None
        while not self._unless_stopped.stopped and writer.status not in ENDED:
            cell = self._queues.take()
            if cell is None:
                if self._queues.over:
                    return
                await self._wait_for_room()
                continue
            self._asking.add(lane)
            try:
                reading = await self._reading(cell, client, writer)
                if reading is not None:
                    await writer.put(reading)
            except Stopped:
                return
            finally:
                self._asking.discard(lane)
                client.let_go()
                self._queues.done(cell)
                self._freed.set()

    async def _wait_for_room(self) -> None:
        """Until a call has landed. Where arms are stuck meanwhile, the idle lanes take more cells of the
        other arms: a server that hangs holds up none but its own."""
        self._freed.clear()
        try:
            await asyncio.wait_for(self._freed.wait(), STUCK_S / 4)
        except TimeoutError:
            stuck = self._queues.stuck
            if stuck and not self._refilling and not self._queues.alone:
                self._refilling = True
                more = await asyncio.to_thread(self._claim_more, stuck)
                self._queues.add(more)
                self._queues.alone = not more
                self._refilling = False
                self._freed.set()

    def _claim_more(self, without: set[int]) -> list[ClaimedCell]:
        task = self._task
        paused = {arm for arm, at_work in self._arms.items() if at_work.health.paused}

        def claim(tx: Transaction) -> list[ClaimedCell]:
            before = {cell.id for cell in cells.claimed_by(tx, task.trial_id, task.owner)}
            cells.claim(tx, task.trial_id, task.owner, self._refill, without | paused)
            mine = cells.claimed_by(tx, task.trial_id, task.owner)
            return [cell for cell in mine if cell.id not in before]

        more = self._database.settled(claim)
        with self._database.transaction() as tx:
            self._load(tx, more)
            self._know_replies(tx, more)
        return more

    def _load(self, tx: Transaction, more: Sequence[ClaimedCell]) -> None:
        """Their cases, and what was paid for them before."""
        wanted = {cell.case_at for cell in more} - set(self._cases)
        self._cases |= {case.position: case for case in cases_of(tx, self._task.trial_id, wanted)}
        self._paid |= calls.paid_of_cells(tx, [cell.id for cell in more])

    def _know_replies(self, tx: Transaction, more: Sequence[ClaimedCell]) -> None:
        """What steps of chains need not be asked for these cells."""
        numbered = {(self._cases[cell.case_at].number, cell.repeat_no) for cell in more}
        for source in self._sources:
            places = replied.places_of(tx, source, numbered)
            self._speakers.know(replied_before(tx, source, places, self._speakers.models))

    async def _watch_status(self) -> None:
        """Notice a stop even while slow calls keep the writer idle: lanes that wait for a turn or
        for another attempt ask no more, and calls that do not land soon are ended."""
        while True:
            await asyncio.sleep(STATUS_POLL_S)
            try:
                status = await asyncio.to_thread(self._status)
            except EpistemError:
                continue  # the writer deals with an outage
            if status in ENDED:
                self._unless_stopped.stopped = True
                self._stop.set()
                self._freed.set()
                await asyncio.sleep(GRACE_S)
                for lane in list(self._asking):
                    lane.cancel()

    async def _sleep(self, seconds: float) -> None:
        """Wait; raises Stopped as soon as the trial is stopped."""
        try:
            await asyncio.wait_for(self._stop.wait(), seconds)
        except TimeoutError:
            return
        raise Stopped

    def _status(self) -> str:
        with self._database.transaction() as tx:
            return trials.status_of(tx, self._task.trial_id)

    async def _reading(
        self, cell: ClaimedCell, client: ModelClient, writer: Writer
    ) -> NewReading | None:
        """What comes of one cell; None where it is to be asked again, its model being in trouble. It
        never raises for what a model or a case does."""
        at_work = self._arms[cell.arm]
        if self._past is not None:
            then = await asyncio.to_thread(self._past.take, cell)
            try:
                return await judged_anew(cell, then, at_work, self._judges, client, self._reach)
            except Stopped:
                raise
            except Exception as error:
                log.exception("an answer could not be judged", cell=cell.id)
                return not_judged(cell, then, at_work, error)
        ask = self._again.pop(cell.id, None) or Asking(
            cell, at_work, self._paid.get(cell.id, ()), self._people
        )
        try:
            if at_work.looks_up and not at_work.is_ready(cell.case_at):
                await self._beside_the_loop(lambda: at_work.look_up(cell.case_at, self._find))
            if at_work.costly and not at_work.is_ready(cell.case_at):
                await self._beside_the_loop(lambda: at_work.begin(cell.case_at))
            size = at_work.begin(cell.case_at)
            if size > MAX_BODY_BYTES:
                return ask.ended(
                    f"The request has {size:,} bytes. At most {MAX_BODY_BYTES:,} can be kept, so it was "
                    "not sent: make the pictures smaller."
                )
            step = self._beside_the_loop if at_work.costly else None
            await carry_out(
                client,
                at_work.endpoint,
                ask.begin(),
                landed=partial(keep_call, ask, writer),
                step=step,
                aside=self._speakers if isinstance(at_work, ChainAtWork) else self._people,
                look_up=finder(self._database),
                reach=self._reach,
            )
            ask.answered()
            if at_work.bench.deliberates:
                await self._have_judged(ask, client, writer)
        except Stopped:
            raise
        except CallFailed as error:
            if at_work.health.failed(error.kind, error.message, error.retry_after_s):
                if at_work.health.paused:
                    self._queues.drop(cell.arm)
                    return None
                if self._queues.put_back(cell):
                    self._again[cell.id] = ask
                    return None
            elif at_work.health.on_trial:  # it refused this one request, so it can be asked
                await self._end_pause(at_work)
            return ask.ended(error.message)
        except EpistemError as error:
            return ask.ended(error.message)
        except Exception as error:
            log.exception("a cell failed", cell=cell.id)
            return ask.ended(
                f"Something in Epistem failed on this answer: {type(error).__name__}: {error}"
            )
        if at_work.health.on_trial:
            await self._end_pause(at_work)
        at_work.health.answered()
        return ask.ended(None)

    def _find(self, need: LookUp) -> Found:
        return find(self._database, need.looking, need.question)

    async def _have_judged(self, ask: Asking, client: ModelClient, writer: Writer) -> None:
        """What it was judged by is kept first: it is paid for, and the judges may take long."""
        while left := ask.not_kept():
            await keep_call(ask, writer, left[0])
        judging = ask.begin_judging(self._judges)
        await carry_out(
            client, ask.at_work.endpoint, judging, aside=self._judges, reach=self._reach
        )

    async def _beside_the_loop(self, move: Callable[[], object]) -> None:
        def unless_stopped() -> None:
            if self._unless_stopped.stopped:
                raise Stopped
            move()

        await asyncio.get_running_loop().run_in_executor(self._beside, unless_stopped)

    async def _end_pause(self, at_work: ArmAtWork) -> None:
        at_work.health.on_trial = False
        end = partial(cells.end_pause, trial_id=self._task.trial_id, arm=at_work.arm.position)
        await asyncio.to_thread(self._database.settled, end)
