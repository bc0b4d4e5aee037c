"""Asking a model for one word, and finding out what its server takes and what it refuses."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from epistem.core.shapes import listed
from epistem.core.wire import chat_completions as wire
from epistem.core.wire.formats import USUAL
from epistem.core.wire.habits import Habits, Refusable
from epistem.core.wire.reply import Reply
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.sending import Streamed
from epistem.models.trouble import CallFailed
from epistem.store.models import Model

GREETING = "Answer with the one word: ready"
IN_JSON = 'Answer in JSON with the key word: {"word": "ready"}'
SCHEMA = {
    "type": "object",
    "properties": {"word": {"type": "string"}},
    "required": ["word"],
    "additionalProperties": False,
}
MOST_MS = 30_000
SEED = 7
TRIED: Mapping[Refusable, Mapping[str, Any]] = {
    "seed": {"seed": SEED},
    "temperature": {"temperature": 0.5},
    "top_p": {"top_p": 0.9},
    "stop": {"stop": ["\n\n\n"]},
    "frequency_penalty": {"frequency_penalty": 0.1},
    "presence_penalty": {"presence_penalty": 0.1},
}
"""Parts of a request that are tried, and what is sent to try them."""
KEY_HEADERS = ("x-api-key", "api-key")


@dataclass(frozen=True)
class Greeting:
    """What it answered, after how many calls; the habits that were found, and what they mean."""

    reply: Reply
    total_ms: float
    calls: int
    habits: Habits
    findings: list[str]


async def greet(client: ModelClient, model: Model) -> Greeting:
    """Raises CallFailed, with the server's own words, when not even the barest request is answered.

    What the entry says already is taken as known; only what goes on to be refused is looked into, so
    a server without surprises is asked three times.
    """
    return await _Finding(client, model).all()


class _Finding:
    def __init__(self, client: ModelClient, model: Model) -> None:
        self._client, self._model = client, model
        self._habits = model.habits
        self._unknown: list[str] = []
        self._calls = 0
        self._ms = 0.0

    async def all(self) -> Greeting:
        reply = await self._first()
        if self._model.wire_format == USUAL:
            await self._stream()
            if "reply_schema" in self._model.abilities and self._habits.schema_as != "none":
                await self._schema()
        findings = [*in_words(self._model.habits, self._habits), *self._unknown]
        return Greeting(reply, self._ms, self._calls, self._habits, findings)

    async def _first(self) -> Reply:
        """With all settings at once; where that is refused, with none, and then one by one."""
        try:
            return await self._ask({**_all_settings(), "max_tokens": 200})
        except CallFailed as refusal:
            if refusal.status in (401, 403) and self._model.key_reference:
                if (reply := await self._other_header()) is not None:
                    return reply
                raise
            if not _is_refusal(refusal) or self._model.wire_format != USUAL:
                raise
        reply = await self._ask({})
        for name, sent in TRIED.items():
            if name not in self._habits.refuses and not await self._takes(sent):
                self._change(refuses=(*self._habits.refuses, name))
        if not await self._takes({"max_tokens": 200}) and self._habits.limit_as == "max_tokens":
            self._change(limit_as="max_completion_tokens")
            if not await self._takes({"max_tokens": 200}):
                self._change(limit_as="max_tokens")
        return reply

    async def _other_header(self) -> Reply | None:
        """Ways to send the key that some servers want instead. It goes to the same address."""
        if self._habits.key_header:
            return None
        before = self._habits
        for header in KEY_HEADERS:
            self._change(key_header=header, key_prefix="")
            try:
                return await self._ask({})
            except CallFailed:
                self._habits = before
        return None

    async def _stream(self) -> None:
        if "stream_options" in self._habits.refuses or await self._takes_stream():
            return
        before = self._habits
        self._change(refuses=(*before.refuses, "stream_options"))
        if not await self._takes_stream():
            self._habits = before

    async def _schema(self) -> None:
        if await self._takes({}, schema=True):
            return
        before = self._habits.schema_as
        if before == "schema":
            self._change(schema_as="object")
            if await self._takes({}, schema=True):
                return
        self._change(schema_as="none")

    async def _takes(self, settings: Mapping[str, Any], *, schema: bool = False) -> bool:
        try:
            await self._ask(settings, schema=schema)
        except CallFailed as error:
            what = "a reply schema" if schema else listed(list(settings), "and")
            return self._taken_unless(error, what)
        return True

    def _taken_unless(self, error: CallFailed, what: str) -> bool:
        """Whether it was refused; where that can't be told, it is as it was taken to be, and said."""
        if _is_refusal(error):
            return False
        told = f"Whether it takes {what} could not be found out: {error.message}"
        if told not in self._unknown:
            self._unknown.append(told)
        return True

    async def _takes_stream(self) -> bool:
        endpoint = self._endpoint()
        body = endpoint.format.build_request(
            self._model.asked_as, [("user", GREETING)], {"max_tokens": 200}
        )
        self._calls += 1
        try:
            async for item in self._client.stream(endpoint, wire.encode(body)):
                if isinstance(item, Streamed):
                    self._ms += item.trace.total_ms
        except CallFailed as error:
            return self._taken_unless(error, "streams")
        return True

    async def _ask(self, settings: Mapping[str, Any], *, schema: bool = False) -> Reply:
        endpoint = self._endpoint()
        told = {name: value for name, value in settings.items() if name != "seed"}
        body = endpoint.format.build_request(
            self._model.asked_as,
            [("user", IN_JSON if schema else GREETING)],
            told,
            seed=settings.get("seed"),
            json_schema=SCHEMA if schema else None,
        )
        self._calls += 1
        exchange = await self._client.ask(endpoint, wire.encode(body))
        self._ms += exchange.trace.total_ms
        return exchange.reply

    def _endpoint(self) -> Endpoint:
        return Endpoint.of(replace(self._model, habits=self._habits), most_ms=MOST_MS)

    def _change(self, **changes: Any) -> None:
        self._habits = Habits.from_json({**self._habits.model_dump(mode="json"), **changes})


def in_words(before: Habits, found: Habits) -> list[str]:
    """What was found that the entry does not say, a sentence each."""
    told = []
    new = [name for name in found.refuses if name not in before.refuses]
    settings = [name for name in new if name != "stream_options"]
    if settings:
        told.append(f"Its server refuses {listed(settings, 'and')}.")
    if "stream_options" in new:
        told.append(
            "Its server refuses stream_options, so tokens of streamed answers may be estimates."
        )
    if found.limit_as != before.limit_as:
        told.append(f"It calls the limit of an answer {found.limit_as}.")
    if found.schema_as != before.schema_as:
        told.append(
            "It takes no reply schema, only “some JSON object”."
            if found.schema_as == "object"
            else "It takes no reply schema."
        )
    if found.key_header != before.key_header:
        told.append(f"It wants the key in the header {found.key_header}.")
    return told


def _all_settings() -> dict[str, Any]:
    return {name: value for sent in TRIED.values() for name, value in sent.items()}


def _is_refusal(error: CallFailed) -> bool:
    """Whether the server says that the request as such is wrong."""
    return error.status in (400, 404, 405, 415, 422, 500, 501)
