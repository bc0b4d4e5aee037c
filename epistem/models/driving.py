"""The drivers of programs that ask real models: whole, and streamed."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial
from typing import Any, Generic, NamedTuple, Protocol

from epistem.core.engine.answers import ToolUsed
from epistem.core.engine.budget import Later, NotBegun, Refused
from epistem.core.engine.needs import (
    LATE,
    LATE_DIGEST,
    AskModel,
    AskPerson,
    Found,
    HearPerson,
    LookUp,
    Note,
    PersonSaid,
    Program,
    Result,
    RunQuery,
    Take,
    Together,
    UseTool,
)
from epistem.core.engine.run import Noted, Run, not_begun
from epistem.core.errors import EpistemError
from epistem.core.prompts.tools import ToolResult, ToReach, answer_call, faulty
from epistem.core.tools.rows import Rows
from epistem.core.wire.reply import Reply, ToolCall, Usage
from epistem.core.wire.stream import Piece
from epistem.core.wire.tokens import usage_of
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.sending import Streamed
from epistem.models.trouble import CallFailed, CallTrace

Finding = Callable[[LookUp], Awaitable[Found]]
"""How passages are looked up."""
Step = Callable[[Callable[[], None]], Awaitable[None]]
Heard = Callable[[AskModel, Piece], Awaitable[None]]


SIDE_BY_SIDE = 32
"""Programs that one program has carried out at once, however they stand in each other."""


class RefusedNeed(NamedTuple):
    """What was refused to the need of this digest, or was not begun for it, which is noted at its path."""

    digest: bytes
    refused: Refused | NotBegun


class Made(NamedTuple):
    """An exchange with a model. `reply` is None where it failed, and `error` says why; `refused` is whether the
    server refused this very request, and would do so again. `usage` is an estimate where the server did
    not tell. `sent` is what was posted, where that is not the need's body with its seed."""

    need: AskModel
    raw: bytes | None
    reply: Reply | None
    usage: Usage
    started_at: datetime
    total_ms: float
    attempts: int
    first_ms: float | None = None
    error: str | None = None
    sent: bytes | None = None
    refused: bool = False

    @property
    def estimated(self) -> bool:
        return not self.usage.told


class Called(NamedTuple):
    """A tool that was called, and what came of it."""

    need: UseTool
    result: ToolResult
    started_at: datetime


class AskedFirst(NamedTuple):
    """A call of a tool that changes something waits until a person allows it, by this token."""

    token: str
    name: str
    arguments: str


class Reach(Protocol):
    """How tools are called that reach something, and statements run."""

    async def use(self, need: UseTool) -> ToolResult: ...

    async def query(self, need: RunQuery) -> Rows:
        """Raises EpistemError, in words."""

    async def asks_first(self, need: UseTool) -> AskedFirst | None:
        """Where a person has to allow the call, for which `use` then waits."""


class Parked(Exception):
    """A person is to say a word before the program can go on: its record is kept, and it is resumed then."""


class Before(NamedTuple):
    """What was replied before to the same request; `usage` and `ms` are what that took, where it is to count again."""

    raw: bytes
    usage: Usage = Usage()
    ms: float = 0.0


class Aside(Protocol):
    """Other models than the one that a program is about, as judges: how they are asked, and what is
    remembered of them."""

    def endpoint_of(self, need: AskModel) -> Endpoint: ...

    async def recall(self, need: AskModel) -> Before | None:
        """A reply that was had before to the same question. May raise EpistemError: then it is not asked. After None
        it is asked, of which `heard` or `left` is told."""

    async def heard(self, need: AskModel, made: Made | None) -> None:
        """What came, None for nothing."""

    def left(self, need: AskModel) -> None:
        """It is given up before anything came."""


@dataclass
class Driven(Generic[Result]):
    """A program that is driven, and the calls that were made so far, failed ones included."""

    run: Run[Result]
    made: list[Made] = field(default_factory=list)
    called: list[Called] = field(default_factory=list)
    places: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(SIDE_BY_SIDE - 1))
    """Of what is carried out side by side, of the whole program and all that runs in it."""

    @property
    def result(self) -> Result:
        assert self.run.result is not None, "the program is not over"
        return self.run.result


async def carry_out(
    client: ModelClient,
    endpoint: Endpoint,
    driven: Driven[Result],
    *,
    landed: Callable[[Made | Called], Awaitable[None]] | None = None,
    step: Step | None = None,
    aside: Aside | None = None,
    look_up: Finding | None = None,
    reach: Reach | None = None,
    noted: Callable[[Note], Awaitable[None]] | None = None,
    person: Callable[[AskPerson], Awaitable[PersonSaid]] | None = None,
    hear: Callable[[HearPerson], Awaitable[str | None]] | None = None,
    heard: Heard | None = None,
    beside_others: bool = False,
) -> Result:
    """Drive the program to its end, what may be done side by side at once. `landed` hears of each call after which
    the program goes on, or others do (`beside_others`), so that what was paid for can be kept; `step` is how the
    program is moved on, where that takes long. `aside` is for needs that name another model, `look_up` for passages,
    `reach` for tools and queries; `person` for what a person is to say, and `hear` for what the person of a talk says,
    who may raise Parked: what is done side by side is carried on first. Without `hear` nobody says anything. `noted`
    hears of what the program notes, and of what was refused it (a RefusedNeed), `heard` of the pieces of what other
    models write.

    Raises what the program raises, which is CallFailed for a call that failed if it does not mind it.
    """
    run = driven.run
    while (need := run.need) is not None:
        if isinstance(need, UseTool):
            called = await _use(driven, need, reach)
            if landed is not None and called.result.how == "live":
                await landed(called)
            continue
        if isinstance(need, RunQuery):
            await _query(run, need, reach)
            continue
        if isinstance(need, LookUp):
            await _look_up(run, need, look_up)
            continue
        if isinstance(need, Note):
            if noted is not None:
                await noted(need)
            run.give(None)
            continue
        if (refused := await _room_for(run)) is not None:
            assert isinstance(need, AskModel | Take)
            if noted is not None:
                await noted(Note(need.path, RefusedNeed(need.digest, refused)))
            run.give(refused)
            continue
        if isinstance(need, Take):
            run.give(None)
            continue
        if isinstance(need, Together):

            def beside(program: Program[Any]) -> Awaitable[Any]:
                inner = Driven(
                    Run(program, run.record, run.ledger), driven.made, driven.called, driven.places
                )
                return carry_out(
                    client, endpoint, inner, landed=landed, step=step, aside=aside, look_up=look_up,
                    reach=reach, noted=noted, person=person, hear=hear, heard=heard, beside_others=True,
                )  # fmt: skip

            run.give(await _side_by_side(need, driven, beside, noted))
            continue
        if isinstance(need, AskPerson):
            assert person is not None, "nobody is there to be asked"
            run.give(await person(need))
            continue
        if isinstance(need, HearPerson):
            run.give(None if hear is None else await hear(need))
            continue
        if need.model:
            assert aside is not None, "nobody knows the other models"
            try:
                came = await _ask_aside(client, driven, need, aside, heard)
            except BaseException:
                run.let_go()
                raise
            goes_on = run.need is not None or beside_others
            if came is not None and landed is not None and goes_on:
                await landed(came)
            continue
        try:
            raw, reply, trace = await client.ask(
                endpoint, endpoint.format.encode(need.body.content, need.seed)
            )
        except CallFailed as error:
            driven.made.append(_failed(need, error))
            run.fail(error)
            continue
        made = _made(need, raw, reply, trace)
        driven.made.append(made)
        move = partial(run.give, reply)
        if step is None:
            move()
        else:
            await step(move)
        if landed is not None and run.need is not None:
            await landed(made)
    return driven.result


async def _ask_aside(
    client: ModelClient, driven: Driven[Result], need: AskModel, aside: Aside, heard: Heard | None
) -> Made | None:
    """Ask another model, or take what it replied before: that costs nothing, and counts no attempt. None
    where nothing was replied."""
    endpoint, run = aside.endpoint_of(need), driven.run
    try:
        if (before := await aside.recall(need)) is not None:
            reply, free = endpoint.format.parse_reply(before.raw), CallTrace(_now(), before.ms, 0)
            made = Made(need, before.raw, reply, before.usage, *free)
            driven.made.append(made)
            run.give(reply)
            return made
        if heard is not None:
            made = await _ask_streamed(client, endpoint, need, heard)
            driven.made.append(made)
            await aside.heard(need, made)
            run.give(made.reply)
            return made
        raw, reply, trace = await client.ask(
            endpoint, endpoint.format.encode(need.body.content, need.seed)
        )
    except CallFailed as error:
        driven.made.append(_failed(need, error))
        await aside.heard(need, None)
        run.fail(error)
        return None
    except EpistemError as error:
        aside.left(need)
        run.fail(error)
        return None
    except BaseException:
        aside.left(need)
        raise
    made = _made(need, raw, reply, trace)
    driven.made.append(made)
    await aside.heard(need, made)
    run.give(reply)
    return made


async def _ask_streamed(
    client: ModelClient, endpoint: Endpoint, need: AskModel, heard: Heard
) -> Made:
    """Raises CallFailed."""
    body, end = endpoint.format.encode(need.body.content, need.seed), None
    async for item in client.stream(endpoint, body):
        if isinstance(item, Streamed):
            end = item
        else:
            await heard(need, item)
    assert end is not None, "a stream ends with Streamed, or raises"
    made = _made(need, end.raw, end.reply, end.trace)
    return made._replace(first_ms=end.first_ms, sent=endpoint.format.streamed(body))


async def _look_up(run: Run[Result], need: LookUp, find: Finding | None) -> None:
    assert find is not None, "nobody looks passages up"
    try:
        found = await find(need)
    except EpistemError as error:
        run.fail(error)
    else:
        run.give(found)


async def _room_for(run: Run[Any]) -> Refused | None:
    """Whether what the need costs is left, once it is known: others may give back what they reserved."""
    while isinstance(came := run.reserve(), Later):
        settled = asyncio.Event()
        run.ledger.waiting.append(settled.set)
        await settled.wait()
    return came


async def _side_by_side(
    need: Together,
    driven: Driven[Any],
    beside: Callable[[Program[Any]], Awaitable[Any]],
    noted: Callable[[Note], Awaitable[None]] | None,
) -> list[Any]:
    """One of the programs is always carried out, in the place of the one that they are in; others beside it as far as
    places are free. So what stands in each other goes as deep as it will, and no wider than there are places."""
    run, places = driven.run, driven.places
    waiting = iter(enumerate(need.programs))
    came: list[Any] = [None] * len(need.programs)

    async def one(at: int, program: Program[Any]) -> Any:
        late = need.late_path(at)
        if late in run.record:
            return LATE
        try:
            async with asyncio.timeout(need.seconds):
                return await beside(program)
        except Parked as parked:
            return parked  # the others are paid for, or will be: they go on as far as they come
        except TimeoutError:
            run.record[late] = Noted(LATE_DIGEST, True)
        if noted is not None:
            await noted(Note(late, LATE))
        return LATE

    async def in_turn() -> None:
        for at, program in waiting:
            known = need.rest_path in run.record
            if (refused := not_begun(need, at, run.record, run.ledger)) is not None:
                came[at] = refused
                if not known and noted is not None:
                    told = run.record[need.rest_path]
                    await noted(Note(need.rest_path, RefusedNeed(told.digest, told.given)))
                continue
            came[at] = await one(at, program)
            await asyncio.sleep(0)  # one that needs nothing from the outside holds up nobody

    begun = set()

    async def when_there_is_room(number: int) -> None:
        async with places:
            begun.add(number)
            await in_turn()

    try:
        async with asyncio.TaskGroup() as group:
            others = range(min(need.at_once, len(need.programs)) - 1)
            tasks = [group.create_task(when_there_is_room(number)) for number in others]
            await in_turn()
            for number in set(others) - begun:
                tasks[number].cancel()
    except BaseExceptionGroup as several:
        raise several.exceptions[
            0
        ] from several  # as if it had been alone: the others were ended by it
    for each in came:
        if isinstance(each, Parked):
            raise each
    return came


async def _use(driven: Driven[Result], need: UseTool, reach: Reach | None) -> Called:
    began = _now()
    if reach is not None:
        result = await reach.use(need)
    else:
        told = answer_call(need.at_hand, need.name, need.arguments)
        result = faulty("Nothing is reached here.") if isinstance(told, ToReach) else told
    called = Called(need, result, began)
    driven.called.append(called)
    driven.run.give(result)
    return called


async def _query(run: Run[Result], need: RunQuery, reach: Reach | None) -> None:
    assert reach is not None, "nobody runs statements"
    try:
        found = await reach.query(need)
    except EpistemError as error:
        run.fail(error)
    else:
        run.give(found)


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


async def stream_out(
    client: ModelClient,
    endpoint: Endpoint,
    driven: Driven[Result],
    look_up: Finding | None = None,
    reach: Reach | None = None,
) -> AsyncIterator[Piece | ToolUsed | AskedFirst | Driven[Result]]:
    """Pieces and uses of tools as they come; what was driven, at the end. Raises as `carry_out`."""
    run = driven.run
    while (need := run.need) is not None:
        if isinstance(need, UseTool):
            if reach is not None and (asked := await reach.asks_first(need)) is not None:
                yield asked
            called = await _use(driven, need, reach)
            yield ToolUsed(ToolCall("", need.name, need.arguments), called.result)
            continue
        if isinstance(need, RunQuery):
            await _query(run, need, reach)
            continue
        if isinstance(need, LookUp):
            await _look_up(run, need, look_up)
            continue
        assert isinstance(need, AskModel), "only one answer is streamed"
        body, end = endpoint.format.encode(need.body.content, need.seed), None
        try:
            async for item in client.stream(endpoint, body):
                if isinstance(item, Streamed):
                    end = item
                else:
                    yield item
        except CallFailed as error:
            driven.made.append(_failed(need, error))
            run.fail(error)
            continue
        assert end is not None, "a stream ends with Streamed, or raises"
        sent = endpoint.format.streamed(body)
        made = _made(need, end.raw, end.reply, end.trace)
        driven.made.append(made._replace(first_ms=end.first_ms, sent=sent))
        run.give(end.reply)
    yield driven


def _made(need: AskModel, raw: bytes, reply: Reply, trace: CallTrace) -> Made:
    return Made(need, raw, reply, usage_of(need.body.content, reply), *trace)


def _failed(need: AskModel, error: CallFailed) -> Made:
    made = Made(need, error.raw, None, Usage(), *error.trace)
    return made._replace(error=error.message, refused=error.refused_for_good)
