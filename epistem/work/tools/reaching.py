"""Calling tools that reach something, in a try and in a trial."""

from __future__ import annotations

import asyncio
import json
import secrets
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from datetime import UTC, datetime
from hashlib import sha256
from time import monotonic, perf_counter
from typing import Any, TypeVar

from epistem.core.engine.needs import RunQuery, UseTool
from epistem.core.errors import EpistemError
from epistem.core.expressions import compiled_expression
from epistem.core.prompts.tool import (
    ArithmeticWork,
    ClockWork,
    CodeWork,
    HttpWork,
    LookUpWork,
    SqlWork,
    Tool,
)
from epistem.core.prompts.tools import (
    ToolResult,
    ToReach,
    Where,
    answer_call,
    faulty,
)
from epistem.core.tools.rows import Rows, rows_told
from epistem.models.driving import AskedFirst
from epistem.reach import code, http, sources
from epistem.reach.clock import fixed_moment, told_at
from epistem.store.database import Database
from epistem.store.tools import answers
from epistem.work.knowledge.looking_up import find
from epistem.work.outages import once_back
from epistem.work.tools.places import Places
from epistem.work.tools.querying import Queries

AT_ONCE = 8
WAITS_S = 600.0
"""So long a call waits for somebody to allow it."""
LOOKS_S = 0.3
Got = TypeVar("Got")


class Reaching:
    """Of one try, or one shard of a trial. Close it."""

    def __init__(
        self,
        database: Database,
        where: Where,
        *,
        trial_id: int | None = None,
        moment: datetime | None = None,
        somebody_there: bool = False,
        allowed: bool = False,
    ) -> None:
        """`moment` (UTC) is what clocks tell where their tool does not fix it; without one it is now.
        `somebody_there`: who can be asked before a tool changes something; `allowed`: who has said yes."""
        self._database, self._where = database, where
        self._trial_id, self._moment = trial_id, moment
        self._somebody_there, self._allowed = somebody_there, allowed
        self._places, self._queries = Places(database), Queries(database)
        self._threads = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="reaching")
        self._asked: dict[str, str] = {}

    def close(self) -> None:
        self._threads.shutdown(wait=False, cancel_futures=True)

    async def use(self, need: UseTool) -> ToolResult:
        """Never raises for what a tool does."""
        found = answer_call(need.at_hand, need.name, need.arguments, self._where)
        if isinstance(found, ToolResult):
            return found
        try:
            if (
                found.tool.changes
                and not self._allowed
                and not await self._allowed_by_somebody(need)
            ):
                return faulty("The person did not allow this call. Nothing was done.")
            if self._trial_id is None or found.tool.in_trials != "first_live":
                return await self._reach(found)
            return await self._first_time(self._trial_id, found)
        except EpistemError as error:
            return faulty(error.message)

    async def query(self, need: RunQuery) -> Rows:
        """Raises InvalidInput, in words."""
        return await self._aside(lambda: self._queries.run(need))

    async def asks_first(self, need: UseTool) -> AskedFirst | None:
        found = answer_call(need.at_hand, need.name, need.arguments, self._where)
        if isinstance(found, ToolResult) or not found.tool.changes or not self._somebody_there:
            return None
        token = secrets.token_hex(16)

        def keep() -> None:
            with self._database.transaction() as tx:
                answers.ask_first(tx, token, need.name)

        await self._aside(keep)
        self._asked[need.path] = token
        return AskedFirst(token, need.name, need.arguments)

    async def _allowed_by_somebody(self, need: UseTool) -> bool:
        token, ends = self._asked.get(need.path), monotonic() + WAITS_S
        while token is not None and monotonic() < ends:
            if (said := await self._aside(lambda: self._said(token))) is not None:
                return said
            await asyncio.sleep(LOOKS_S)
        return False

    def _said(self, token: str) -> bool | None:
        with self._database.transaction() as tx:
            return answers.said(tx, token)

    async def _first_time(self, trial_id: int, found: ToReach) -> ToolResult:
        """What the same call was answered the first time in this trial: all its arms are told the same."""
        digest = digest_of(found)

        def look() -> dict[str, Any] | None:
            with self._database.transaction() as tx:
                return answers.first(tx, trial_id, digest)

        def keep(told: dict[str, Any]) -> dict[str, Any]:
            with self._database.transaction() as tx:
                answers.keep_first(tx, trial_id, digest, told)
                return answers.first(tx, trial_id, digest) or told

        there = await self._aside(look)
        if there is not None:
            return ToolResult(**{**there, "how": "recorded", "ms": 0.0})
        result = await self._reach(found)
        if result.fault is not None:
            return result  # the next one may have more luck
        kept = await self._aside(lambda: keep(asdict(result)))
        return ToolResult(**{**kept, "ms": result.ms})

    async def _reach(self, found: ToReach) -> ToolResult:
        began = perf_counter()
        try:
            answer, fault = await self._reached(found.tool, found.arguments), None
        except EpistemError as error:
            answer, fault = "", error.message
        except Exception as error:  # whatever a tool meets, the answer goes on
            answer, fault = "", f"It failed: {type(error).__name__}: {error}"[:300]
        ms = (perf_counter() - began) * 1000
        if fault is not None:
            return faulty(fault, "live", ms)
        return ToolResult(answer, how="live", ms=ms)

    async def _reached(self, tool: Tool, given: dict[str, Any]) -> str:
        """Raises EpistemError, in words for the model."""
        does = tool.does
        if isinstance(does, HttpWork):
            doors = await self._aside(self._places.doors)
            return await http.ask(does, given, doors)
        if isinstance(does, SqlWork):
            return await self._aside(lambda: self._read(does, given))
        if isinstance(does, CodeWork):
            return await code.call(does, given)
        if isinstance(does, LookUpWork):
            return await self._aside(lambda: self._look_up(does, given))
        if isinstance(does, ClockWork):
            return self._clock(does)
        assert isinstance(does, ArithmeticWork), "only a tool that does something is reached"
        return _worked_out(str(given.get("expression", "")))

    def _read(self, does: SqlWork, given: dict[str, Any]) -> str:
        source, doors = self._places.source(does.source), self._places.doors()
        statement = does.statement or str(given.get("query") or "")
        if not statement.strip():
            return sources.tables_of(source, doors, does.seconds)
        found = sources.run(
            source,
            statement,
            doors,
            given=given if does.statement else None,
            most_rows=does.rows,
            seconds=does.seconds,
        )
        return rows_told(found, does.most_bytes)

    def _look_up(self, does: LookUpWork, given: dict[str, Any]) -> str:
        found = find(self._database, does.looking, str(given.get("question") or ""))
        passages = [
            {"reference": each.reference, "title": each.title, "text": each.text}
            for each in found.passages
        ]
        told: dict[str, Any] = {"passages": passages}
        if not passages:
            told["note"] = "Nothing is found for this question."
        return json.dumps(told, ensure_ascii=False)

    def _clock(self, does: ClockWork) -> str:
        if self._where == "trial" and does.fixed:
            return told_at(fixed_moment(does.fixed, does.zone), does.zone)
        return told_at(self._moment or datetime.now(UTC), does.zone)

    async def _aside(self, work: Callable[[], Got]) -> Got:
        """Also while the database is away: no model is told of that as what a tool answered."""
        loop = asyncio.get_running_loop()
        return await once_back(lambda: loop.run_in_executor(self._threads, work))


def digest_of(found: ToReach) -> bytes:
    """Of a tool, as far as it decides what is answered, and the arguments, in whatever order they were written."""
    does = found.tool.does
    told = {"does": does.to_json() if does else None, "arguments": found.arguments}
    return sha256(json.dumps(told, sort_keys=True).encode()).digest()


def _worked_out(expression: str) -> str:
    value = compiled_expression(expression, {}, field="expression").value({})
    if not isinstance(value, bool | int | float | str):
        value = str(value)
    return json.dumps({"result": value}, ensure_ascii=False)
