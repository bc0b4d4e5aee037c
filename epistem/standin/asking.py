"""What both wire formats need: read a body, answer it, take time, go wrong."""

from __future__ import annotations

import asyncio
import hashlib
import json
import random
import secrets
import time
from collections import Counter, OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from aiohttp import web

from epistem.core.wire import tokens
from epistem.standin.answering import Answer, answer
from epistem.standin.checking import Refused, fits_window
from epistem.standin.faults import ERRORS, HEADER, Fault, FaultPlan
from epistem.standin.images import picture_from, url_of
from epistem.standin.profiles import Profile
from epistem.standin.request import text_of
from epistem.standin.turns import Turns

LEAST_CACHED, MOST_PREFIXES = 256, 4_096


@dataclass
class Service:
    """What the running service keeps: calls of each model, prefixes that it has seen, faults, whose turn it is."""

    pace: float
    key: str | None = None
    faults: FaultPlan = field(default_factory=FaultPlan)
    calls: Counter[str] = field(default_factory=Counter)
    prefixes: OrderedDict[str, None] = field(default_factory=OrderedDict)
    turns: Turns = field(default_factory=Turns)


SERVICE = web.AppKey("service", Service)

ErrorShape = Callable[[int, str, str | None, str], web.Response]
"""Makes an error answer of status, message, field and code, in a wire format's own shape."""


@dataclass(frozen=True)
class Asked:
    """A checked request with its answers. Tokens are those of the whole request."""

    body: dict[str, Any]
    model: Profile
    key: str | None
    answers: list[Answer]
    tokens: int
    cached: int

    @cached_property
    def id(self) -> str:
        """The same for the same request and seed."""
        return (secrets.token_hex(16) if self.key is None else _digest(self.key))[:24]

    @property
    def answered(self) -> int:
        return sum(given.count for given in self.answers)

    @property
    def thought(self) -> int:
        return sum(len(given.reasoning) for given in self.answers)


async def body_of(request: web.Request) -> Any:
    try:
        return json.loads(await request.read())
    except (ValueError, RecursionError) as error:
        raise Refused(400, f"The body is not JSON: {error}.", None, "invalid_json") from error


async def ask(
    request: web.Request, body: dict[str, Any], named: Profile, fault: Fault | None
) -> Asked:
    """Answer a checked body in the chat-completions shape, when it is the caller's turn. Raises Refused."""
    service = request.app[SERVICE]
    async with service.turns.of(request):
        return _asked(service, body, named, fault)


def _asked(service: Service, body: dict[str, Any], named: Profile, fault: Fault | None) -> Asked:
    service.calls[named.name] += 1
    model = named.after(service.calls[named.name], time.time())
    if fault is not None and fault.kind == "changed":
        model = named.changed()
    asked = tokens_asked(body)
    fits_window(model, asked)
    if fault is not None and fault.kind == "unshaped":
        body = {name: value for name, value in body.items() if name != "response_format"}
        model = replace(model, slips=0.9)
    body = {**body, "max_completion_tokens": _limit(body, model, asked)}
    key = key_of(body)
    drawn = secrets.token_hex(8) if key is None else key
    answers = [
        answer(body, model, f"{drawn}/{at}" if at else drawn) for at in range(body.get("n") or 1)
    ]
    if fault is not None and fault.kind == "filter":
        answers = [Answer((), "content_filter")]
    cached = 0 if key is not None else _cached(service, named, body)
    return Asked(body, model, key, answers, asked, cached)


def _limit(body: dict[str, Any], model: Profile, asked: int) -> int:
    """Tokens that the answer may have: as asked, and as the window has room for."""
    wanted = body.get("max_completion_tokens") or body.get("max_tokens") or model.window
    return max(1, min(wanted, model.window - asked))


def tokens_asked(body: dict[str, Any]) -> int:
    """Of the messages (with what each adds to its words), their pictures and calls, and the tools."""
    count = sum(_tokens_of(message) for message in body["messages"])
    return count + sum(tokens.count(json.dumps(tool)) for tool in body.get("tools") or ())


def _tokens_of(message: dict[str, Any]) -> int:
    content = message.get("content")
    parts = content if isinstance(content, list) else []
    pictures = sum(picture_from(url).tokens for part in parts if (url := url_of(part)))
    calls = sum(tokens.count(json.dumps(call)) for call in message.get("tool_calls") or ())
    return tokens.count(text_of(content)) + tokens.PER_MESSAGE + pictures + calls


def _cached(service: Service, model: Profile, body: dict[str, Any]) -> int:
    """Tokens of the longest run of first messages that has been asked before, and is long enough.

    A request with a seed has none, and leaves none: it is to give the same bytes every time.
    """
    found, count, so_far = 0, 0, hashlib.sha256(model.name.encode())
    for message in body["messages"]:
        so_far.update(json.dumps(message, sort_keys=True).encode())
        count += _tokens_of(message)
        prefix = so_far.hexdigest()
        if prefix in service.prefixes and count >= LEAST_CACHED:
            found = count
        service.prefixes[prefix] = None
        service.prefixes.move_to_end(prefix)
    while len(service.prefixes) > MOST_PREFIXES:
        service.prefixes.popitem(last=False)
    return found


def key_of(body: dict[str, Any]) -> str | None:
    """What seeds the draws, or None when there is no seed: then every answer is another.

    Not the seed alone: two different requests with one seed should not slip in step.
    """
    seed = body.get("seed")
    return None if seed is None else f"{seed}/{_digest(json.dumps(body['messages']))}"


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def fault_of(request: web.Request, model: Profile) -> Fault | None:
    """By the request's header, or else by the model's own entry. Raises Refused."""
    return request.app[SERVICE].faults.for_request(request.headers.get(HEADER) or model.faults)


async def go_wrong(
    request: web.Request, fault: Fault | None, error: ErrorShape
) -> web.StreamResponse | None:
    """The faulty answer, or None for a fault that comes later, or only takes time."""
    if fault is None:
        return None
    if fault.kind == "slow":
        await asyncio.sleep(fault.wait_s)
    elif fault.kind == "status":
        status = int(fault.value)
        message, code = ERRORS.get(status, ("It could not be done.", "error"))
        response = error(status, message, None, code)
        if fault.retry_after is not None:
            response.headers["Retry-After"] = f"{fault.retry_after:g}"
        return response
    elif fault.kind == "html":
        return web.Response(text="<html><h1>Gateway</h1></html>", content_type="text/html")
    elif fault.kind == "drop":
        assert request.transport is not None
        request.transport.close()
        return web.Response()
    return None


def whole(body: dict[str, Any], fault: Fault | None) -> web.Response:
    """The answer in one piece, or half of it."""
    text = json.dumps(body)
    if fault is not None and fault.kind == "cut":
        text = text[: len(text) // 2]
    return web.Response(text=text, content_type="application/json")


async def take_time(request: web.Request, model: Profile, answered: int) -> None:
    """A first wait that varies log-normally from call to call, then so much a token."""
    pace = request.app[SERVICE].pace
    if pace > 0:
        first = model.first_token_ms * random.lognormvariate(0, 0.25)
        await asyncio.sleep(pace * (first + model.ms_per_token * answered) / 1000)
