"""A walk carried out: driven from its record, all that it is given kept, what happens told to those who watch."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from time import monotonic
from typing import Any, TypeVar

import structlog

from epistem.core.chains.content import Chain, placed
from epistem.core.chains.drawn import bars_of, cut, in_short, own_ms, step_of_place, told_step
from epistem.core.chains.held import size_of
from epistem.core.chains.walked import Begun, KnownSoFar, Stepped, Walked
from epistem.core.engine.budget import Refused
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
)
from epistem.core.engine.run import Run
from epistem.core.errors import EpistemError
from epistem.core.wire.stream import Piece
from epistem.models.client import ModelClient
from epistem.models.driving import Called, Driven, Made, Parked, RefusedNeed, carry_out
from epistem.models.endpoint import Endpoint
from epistem.store import bodies, calls, entries, models
from epistem.store.database import Database, StoreDown, Transaction
from epistem.store.models import Model
from epistem.store.walks import events, pauses, record, rows
from epistem.store.walks.record import Given
from epistem.work.calls import ANSWERING, new_call, tool_call
from epistem.work.knowledge.looking_up import finder
from epistem.work.outages import once_back
from epistem.work.stopping import Stopped, UnlessStopped
from epistem.work.tools.reaching import Reaching
from epistem.work.walks.chains import Asked
from epistem.work.walks.otherwise import walk_of

log = structlog.get_logger()
PIECES_S = 0.12
"""So long the pieces of an answer are gathered before they are told."""
LOOKS_S = 0.4
"""How often it is looked whether the walk was stopped."""
FOR_EVER = float("inf")
MOST_TOLD = 4_000
"""Characters of a value in what is told as it happens; the walk has more of it."""
MOST_TOLD_IN_ALL = 20_000_000
"""Characters of what the steps of a walk were given and wrote that are told at its end; the last go without."""
MOST_PIECES = 400_000
"""Characters of an answer that are told as they come; the whole of it comes with its step."""
Kept = TypeVar("Kept")


@dataclass
class _Writing:
    """Of an answer that is being written: what was not told yet, and how much was."""

    waiting: dict[str, str] = field(default_factory=dict)
    told: int = 0


class WalkAtWork:
    """One walk that this `owner` has claimed."""

    def __init__(self, database: Database, walk_id: int, owner: str) -> None:
        self._database, self._id, self._owner = database, walk_id, owner
        with database.transaction() as tx:
            self._walking = rows.get(tx, walk_id)
            self._given = record.of(tx, walk_id)
            self._told = events.places_told(tx, walk_id)
            self._listed = {model.name: model for model in models.all_of(tx)}
        self._took = {each.path: each.ms for each in self._given}
        self._pieces: dict[tuple[str, str], _Writing] = {}
        self._wake_at: datetime | None = None
        self.unless_stopped = UnlessStopped(lambda: database.settled(self._is_walking))

    async def run(self, client: ModelClient) -> None:
        """To its end, or until a person is waited for. Cancelled, it leaves the walk to others."""
        walk = asyncio.create_task(self._walk(client))
        watch = asyncio.create_task(self._until_stopped())
        try:
            await asyncio.wait({walk, watch}, return_when=asyncio.FIRST_COMPLETED)
            if not walk.done():
                walk.cancel()
            await walk
        except asyncio.CancelledError:
            walk.cancel()
            if not watch.done():
                raise
        finally:
            watch.cancel()

    async def _walk(self, client: ModelClient) -> None:
        walking, reach = self._walking, None
        if not self._listed:
            await self._end(Walked("failed", "There is no model in the list.", {}, {}, []))
            return
        walk = walk_of(walking, self._listed)
        given = record.as_record(self._given)
        driven = Driven(Run.resumed(lambda: walk.program(walking.line.inputs), given))
        flushing = asyncio.create_task(self._tell_pieces())
        try:
            reach = Reaching(self._database, "try", allowed=walking.goes_out)
            walked = await carry_out(
                client,
                Endpoint.of(next(iter(self._listed.values()))),  # each need names its own
                driven,
                landed=self._landed,
                aside=Asked(self._listed),
                look_up=self._look_up,
                reach=reach,
                noted=self._noted,
                person=self._person,
                hear=self._hear,
                heard=self._heard,
            )
        except Stopped:
            return
        except Parked:
            await self._in_database(lambda tx: rows.park(tx, self._id, self._owner, self._wake_at))
            return
        except StoreDown:
            raise
        except EpistemError as error:
            walked = Walked("failed", error.message, {}, {}, [])
        finally:
            flushing.cancel()
            if reach is not None:
                reach.close()
        await self._keep_failed(driven)
        await self._end(walked)

    async def _end(self, walked: Walked) -> None:
        own = own_ms(walked.steps, self._took)
        ms = max((bar.start_ms + bar.ms for bar in bars_of(walked.steps, own)), default=0.0)
        steps, room = [], MOST_TOLD_IN_ALL
        for step in walked.steps:
            told = told_step(step, own[step.at])
            room -= size_of((told["given"], told["wrote"]))
            steps.append(told if room > 0 else {**told, "given": {}, "wrote": {}})
        talk = [list(each) for each in walked.talk]
        outcome = {"outputs": walked.outputs, "state": walked.state, "talk": talk}

        def keep(tx: Transaction) -> None:
            spent = tx.first(
                "SELECT COUNT(*), COALESCE(SUM(cents), 0) FROM calls "
                "WHERE walk_id = %s AND purpose = %s AND attempts > 0",
                (self._id, ANSWERING),
            )
            number, cents = spent or (0, 0.0)
            rows.end(
                tx, self._id, self._owner, status=walked.ended, why=walked.why, outcome=outcome,
                steps=steps, calls=int(number), cents=float(cents), ms=ms,
            )  # fmt: skip
            events.insert(tx, self._id, [("end", {"status": walked.ended, "why": walked.why})])
            events.forget_pieces(tx, self._id)

        await self._in_database(keep)

    async def _until_stopped(self) -> None:
        while True:
            await asyncio.sleep(LOOKS_S)
            if not await self._in_database(self._is_walking):
                return

    def _is_walking(self, tx: Transaction) -> bool:
        return rows.status_of(tx, self._id) == "walking"

    async def _landed(self, came: Made | Called) -> None:
        """Kept before the program goes on, so that a kill loses nothing that was paid for."""
        if isinstance(came, Called):
            given = Given(came.need.path, "tool", came.need.digest, came.result, came.result.ms)
            call, model = tool_call(came), None
        else:
            model = self._listed[came.need.model]
            given = Given(came.need.path, "reply", came.need.digest, came.reply, came.total_ms)
            call = new_call(came, model)
        self._took[given.path] = given.ms
        await self._keep([(call, model)], given)

    async def _keep(
        self, made: Sequence[tuple[calls.NewCall, Model | None]], given: Given | None = None
    ) -> None:
        sent = [call.body for call, _ in made if call.body is not None]
        known = await self._in_database(lambda tx: bodies.keep(tx, sent))

        def keep(tx: Transaction) -> None:
            if given is not None:
                record.keep(tx, self._id, given)
            kept = [
                (self._id, None if model is None else entries.keep(tx, model), call)
                for call, model in made
            ]
            calls.insert(tx, "walk", kept, known)

        await self._in_database(keep)

    async def _keep_failed(self, driven: Driven[Walked]) -> None:
        """Calls that got no reply, for those who ask why."""
        made = [(each, self._listed[each.need.model]) for each in driven.made if each.reply is None]
        if made:
            await self._keep([(new_call(each, model), model) for each, model in made])

    async def _look_up(self, need: LookUp) -> Found:
        began = monotonic()
        found = await finder(self._database, FOR_EVER)(need)
        ms = (monotonic() - began) * 1_000
        self._took[need.path] = ms
        given = Given(need.path, "found", need.digest, found, ms)
        await self._in_database(lambda tx: record.keep(tx, self._id, given))
        return found

    async def _person(self, need: AskPerson) -> PersonSaid:
        def ask(tx: Transaction) -> tuple[PersonSaid | None, datetime, bool]:
            new = not pauses.there(tx, self._id, need.path)
            said, until_at = pauses.ask(tx, self._id, need)
            if said is not None:
                record.keep(tx, self._id, Given(need.path, "person", need.digest, said, 0.0))
            return said, until_at, new

        said, until_at, new = await self._in_database(ask)
        if said is not None:
            return said
        await self._wait_until(until_at, need.path if new else "", need.name)
        raise Parked

    async def _hear(self, need: HearPerson) -> str | None:
        def ask(tx: Transaction) -> tuple[bool, str | None, datetime, bool]:
            new = not pauses.there(tx, self._id, need.path)
            over, words, until_at = pauses.hear(
                tx, self._id, need, _step_at(self._walking.chain, need.path)
            )
            if over:
                record.keep(tx, self._id, Given(need.path, "heard", need.digest, words, 0.0))
            return over, words, until_at, new

        over, words, until_at, new = await self._in_database(ask)
        if over:
            return words
        await self._wait_until(until_at, need.path if new else "", need.says)
        raise Parked

    async def _wait_until(self, until_at: datetime, at: str, name: str) -> None:
        self._wake_at = until_at if self._wake_at is None else min(self._wake_at, until_at)
        if at:
            await self._tell([("paused", {"at": at, "name": name})])

    async def _noted(self, note: Note) -> None:
        what = note.what
        if what is LATE:
            given = Given(note.path, "late", LATE_DIGEST, True, 0.0)
            await self._in_database(lambda tx: record.keep(tx, self._id, given))
            return
        if isinstance(what, RefusedNeed):
            kind = "refused" if isinstance(what.refused, Refused) else "rest"
            given = Given(note.path, kind, what.digest, what.refused, 0.0)
            await self._in_database(lambda tx: record.keep(tx, self._id, given))
        elif isinstance(what, Begun):
            if what.at not in self._told:
                told = {"at": what.at, "name": what.name, "kind": what.kind}
                await self._tell([("begun", told)])
        elif isinstance(what, KnownSoFar) and what.at not in self._told:
            facts = {name: cut(value, MOST_TOLD) for name, value in what.facts.items()}
            await self._tell([("known", {"at": what.at, "wrote": {what.name: facts}})])
        elif isinstance(what, Stepped) and what.at not in self._told:
            self._told.add(what.at)
            ms = own_ms([what], self._took)[what.at]
            self._forget_pieces(what.at)
            await self._tell([("step", in_short(told_step(what, ms), MOST_TOLD))])

    async def _heard(self, need: AskModel, piece: Piece) -> None:
        writing = self._pieces.setdefault((need.path, piece.kind), _Writing())
        if writing.told < MOST_PIECES:
            writing.told += len(piece.text)
            before = writing.waiting.get("text", "")
            writing.waiting["text"] = before + piece.text

    def _forget_pieces(self, at: str) -> None:
        for path, kind in list(self._pieces):
            if path.startswith((f"{at}.", f"{at}~")):
                del self._pieces[path, kind]

    async def _tell_pieces(self) -> None:
        while True:
            await asyncio.sleep(PIECES_S)
            told = []
            for (path, kind), writing in self._pieces.items():
                if text := writing.waiting.pop("text", ""):
                    told.append(("piece", {"path": path, "kind": kind, "text": text}))
            if told:
                await self._tell(told)

    async def _tell(self, told: list[tuple[str, dict[str, Any]]]) -> None:
        """Nothing is told after the end of a walk that was stopped meanwhile."""

        def tell(tx: Transaction) -> None:
            if rows.is_walking(tx, self._id):
                events.insert(tx, self._id, told)

        await self._in_database(tell)

    async def _in_database(self, work: Callable[[Transaction], Kept]) -> Kept:
        """An outage is waited for: the walk stays this runner's."""
        return await once_back(lambda: asyncio.to_thread(self._database.settled, work), FOR_EVER)


def _step_at(chain: Chain, path: str) -> str:
    """The name of the step that says something at this place; "" for the chain itself."""
    at = step_of_place(path.rpartition(".")[0])
    return next((each.step.name for each in placed(chain.steps) if each.at == at), "")
