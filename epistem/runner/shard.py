"""A shard: some cells of one trial, asked with many calls in flight by one event loop.

`run_shard` takes and gives plain data and opens its own connections, so that any
`concurrent.futures.Executor` may run it: threads, processes, or a cluster's.
"""

from __future__ import annotations

import asyncio
import json
import random
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime

import structlog
import uvloop

from epistem.core.checks.base import Answer, Ground
from epistem.core.errors import EpistemError
from epistem.core.prompts.content import parts_of
from epistem.core.trials.judging import Bench
from epistem.core.wire import chat_completions as wire
from epistem.core.wire.formats import format_of
from epistem.core.wire.request import request_for
from epistem.models.client import CallFailed, CallTrace, Endpoint, Exchange, ModelClient
from epistem.models.retry import Retry
from epistem.models.rounds import Try, whole_rounds
from epistem.runner.writer import Writer
from epistem.store import cells, models, trials
from epistem.store.database import Address, Database
from epistem.store.readings import MAX_BODY_BYTES, NewReading

log = structlog.get_logger()

STATUS_POLL_S = 0.5
ENDED = ("stopped", "failed")
GRACE_S = 2.0
"""Calls in flight at a stop have so long to land, being paid for; then they are ended."""


@dataclass(frozen=True, eq=False)
class ShardTask:
    """`cells` are claimed by `owner` already."""

    database_url: str
    trial_id: int
    owner: str
    cells: list[cells.ClaimedCell]
    in_flight: int = 64
    retry: Retry = Retry()  # noqa: RUF009 (frozen, so sharing it is safe)
    beside: int = 1
    """How many shards may be at work at once: they share what a model's server allows."""


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
    database = Database(Address.from_url(task.database_url), connections=3)
    try:
        return uvloop.run(_Shard(task, database).run())
    finally:
        database.close()


class _Stopped(Exception):
    """The trial was stopped before a request was filled in, or asked again."""


class _Shard:
    def __init__(self, task: ShardTask, database: Database) -> None:
        self._task = task
        self._database = database
        self._stopped = False
        self._stop = asyncio.Event()
        self._asking: set[asyncio.Task[None]] = set()
        with database.transaction() as tx:
            trial = trials.get(tx, task.trial_id)
            self._arms = trials.arms_of(tx, task.trial_id)
            self._cases = trials.cases_of(tx, task.trial_id)
            known = models.all_of(tx)
        self._models = [models.pick(known, arm.model) for arm in self._arms]
        self._endpoints = [Endpoint.of(m, among=task.beside) for m in self._models]
        self._benches = [Bench(trial.checks, arm.content.reply) for arm in self._arms]
        self._bodies: dict[tuple[int, int], bytes | EpistemError] = {}
        self._beside = ThreadPoolExecutor(1, thread_name_prefix="filling in")
        self._loops = [
            any("{%" in part.text for _, _, part in parts_of(arm.content)) for arm in self._arms
        ]
        self._grounds = [
            [Ground(arm.content.reply, c.content.expect, c.content.inputs) for c in self._cases]
            for arm in self._arms
        ]

    async def run(self) -> ShardResult:
        task = self._task
        loop = asyncio.get_running_loop()
        writer = Writer(self._database, task.trial_id, task.owner, loop, bound=4 * task.in_flight)
        waiting = iter(task.cells)
        rng = random.Random(task.owner)
        async with ModelClient(
            in_flight=task.in_flight, retry=task.retry, rng=rng, sleep=self._sleep
        ) as client:
            watch = asyncio.create_task(self._watch_status(writer))
            lanes = min(task.in_flight, len(task.cells))
            try:
                async with asyncio.TaskGroup() as group:
                    for _ in range(lanes):
                        group.create_task(self._lane(waiting, client, writer))
            finally:
                watch.cancel()
                self._beside.shutdown(wait=False, cancel_futures=True)
                await writer.close()
        if self._stopped:
            with self._database.transaction() as tx:
                cells.release(tx, task.trial_id, task.owner)
        return ShardResult(task.trial_id, task.owner, writer.recorded, writer.status)

    async def _lane(
        self, waiting: Iterator[cells.ClaimedCell], client: ModelClient, writer: Writer
    ) -> None:
        """One call at a time, until no cell waits; the lanes share one iterator."""
        for cell in waiting:
            if self._stopped or writer.status in ENDED:
                self._stopped = True
                return
            lane = asyncio.current_task()
            assert lane is not None
            self._asking.add(lane)
            try:
                reading = await self._reading(cell, client)
            except _Stopped:
                return
            finally:
                self._asking.discard(lane)
            await writer.put(reading)

    async def _watch_status(self, writer: Writer) -> None:
        """Notice a stop even while slow calls keep the writer idle: lanes that wait for a turn or
        for another attempt ask no more, and calls that do not land soon are ended."""
        while True:
            await asyncio.sleep(STATUS_POLL_S)
            try:
                status = await asyncio.to_thread(self._status)
            except EpistemError:
                continue  # the writer deals with an outage
            if status in ENDED:
                self._stopped = True
                self._stop.set()
                await asyncio.sleep(GRACE_S)
                for lane in list(self._asking):
                    lane.cancel()

    async def _sleep(self, seconds: float) -> None:
        """Wait; raises _Stopped as soon as the trial is stopped."""
        try:
            await asyncio.wait_for(self._stop.wait(), seconds)
        except TimeoutError:
            return
        raise _Stopped

    def _status(self) -> str:
        with self._database.transaction() as tx:
            return trials.get(tx, self._task.trial_id).status

    async def _reading(self, cell: cells.ClaimedCell, client: ModelClient) -> NewReading:
        """What comes of one cell; it never raises for what a model or a case does."""
        body = b""
        try:
            body = await self._body(cell)
            if len(body) > MAX_BODY_BYTES:
                message = (
                    f"The request has {len(body):,} bytes. At most {MAX_BODY_BYTES:,} can be kept, so it "
                    "was not sent: make the pictures smaller."
                )
                return self._unanswered(cell, b"", message, _never_asked())
            exchange = await client.ask(self._endpoints[cell.arm], body)
            if exchange.reply.tool_calls:
                exchange = await self._with_tools(cell, client, body, exchange)
            return self._answered(cell, body, exchange)
        except _Stopped:
            raise
        except CallFailed as error:
            return self._unanswered(cell, body, error.message, error.trace, error.raw)
        except EpistemError as error:
            return self._unanswered(cell, body, error.message, _never_asked())
        except Exception as error:
            log.exception("a cell failed", cell=cell.id)
            message = f"Something in Epistem failed on this answer: {type(error).__name__}: {error}"
            return self._unanswered(cell, body, message, _never_asked())

    async def _with_tools(
        self, cell: cells.ClaimedCell, client: ModelClient, body: bytes, first: Exchange
    ) -> Exchange:
        """The exchange as if it were one: the last reply, with the tokens and time of all calls."""
        a_try = Try(self._endpoints[cell.arm], self._arms[cell.arm].content, json.loads(body))
        outcome = await whole_rounds(client, a_try, first)
        return Exchange(outcome.raw, outcome.reply._replace(usage=outcome.usage), outcome.trace)

    async def _body(self, cell: cells.ClaimedCell) -> bytes:
        """Repeats differ in their seed alone, so what they share is rendered and encoded once, and
        what can't be rendered is tried once. Where templates have loops it is done beside the event
        loop, which goes on hearing of a stop meanwhile."""
        place = (cell.arm, cell.case_at)
        shared = self._bodies.get(place)
        if shared is None:
            if self._loops[cell.arm]:
                loop = asyncio.get_running_loop()
                shared = await loop.run_in_executor(self._beside, self._shared_body, *place)
            else:
                shared = self._shared_body(*place)
            self._bodies[place] = shared
        if isinstance(shared, EpistemError):
            raise shared
        return format_of(self._models[cell.arm].wire_format).encode_with_seed(shared, cell.seed)

    def _shared_body(self, arm_at: int, case_at: int) -> bytes | EpistemError:
        if self._stopped:
            raise _Stopped
        arm, model = self._arms[arm_at], self._models[arm_at]
        try:
            request = request_for(
                arm.content,
                self._cases[case_at].content.inputs,
                model.asked_as,
                settings=arm.settings,
                wire_format=model.wire_format,
                abilities=model.abilities,
            )
            return wire.encode(request)
        except EpistemError as error:
            return error

    def _answered(self, cell: cells.ClaimedCell, body: bytes, exchange: Exchange) -> NewReading:
        reply, trace = exchange.reply, exchange.trace
        ground = self._grounds[cell.arm][cell.case_at]
        usage = reply.usage
        return NewReading(
            cell_id=cell.id,
            arm=cell.arm,
            case_at=cell.case_at,
            repeat_no=cell.repeat_no,
            request=body,
            reply=exchange.raw,
            answer=reply.text,
            finish_reason=reply.finish_reason,
            input_tokens=usage.input_tokens,
            output_tokens=usage.output_tokens,
            cents=self._models[cell.arm].cost_cents(usage.input_tokens, usage.output_tokens),
            attempts=trace.attempts,
            started_at=trace.started_at,
            total_ms=trace.total_ms,
            error=None,
            findings=self._benches[cell.arm].judge(Answer(reply.text, reply.finish_reason), ground),
        )

    def _unanswered(
        self,
        cell: cells.ClaimedCell,
        body: bytes,
        why: str,
        trace: CallTrace,
        raw: bytes | None = None,
    ) -> NewReading:
        return NewReading(
            cell_id=cell.id,
            arm=cell.arm,
            case_at=cell.case_at,
            repeat_no=cell.repeat_no,
            request=body or b"{}",
            reply=raw,
            answer=None,
            finish_reason=None,
            input_tokens=0,
            output_tokens=0,
            cents=0.0,
            attempts=trace.attempts,
            started_at=trace.started_at,
            total_ms=trace.total_ms,
            error=why,
            findings=self._benches[cell.arm].unanswered(self._grounds[cell.arm][cell.case_at]),
        )


def _never_asked() -> CallTrace:
    return CallTrace(datetime.now(UTC).replace(tzinfo=None), 0.0, 0)
