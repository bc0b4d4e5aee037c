"""What both wire formats need: read a body, answer it, take time, go wrong."""

from __future__ import annotations

import asyncio
import hashlib
import json
import random
import secrets
from collections.abc import Callable
from typing import Any, NamedTuple

from aiohttp import web

from epistem.standin.answering import answer
from epistem.standin.checking import RANGES, Refused
from epistem.standin.faults import ERRORS, HEADER, Fault, FaultPlan
from epistem.standin.profiles import Profile
from epistem.standin.reading import read_request, text_of
from epistem.standin.sampler import Sampler, Settings
from epistem.standin.streaming import pieces_of
from epistem.standin.words import pieces

PACE = web.AppKey("pace", float)
FAULTS = web.AppKey("faults", FaultPlan)

ErrorShape = Callable[[int, str, str | None, str], web.Response]
"""Makes an error answer of status, message, field and code, in a wire format's own shape."""


class Answered(NamedTuple):
    """`finish` is `stop` or `length`; `stop` is the stop text that ended it, or None."""

    text: str
    finish: str
    stop: str | None

    @property
    def tokens(self) -> int:
        return len(pieces(self.text))


async def body_of(request: web.Request) -> Any:
    try:
        return json.loads(await request.read())
    except (ValueError, RecursionError) as error:
        raise Refused(400, f"The body is not JSON: {error}.", None, "invalid_json") from error


def tokens_asked(body: dict[str, Any]) -> int:
    return sum(len(pieces(text_of(m.get("content")))) + 3 for m in body["messages"])


def key_of(body: dict[str, Any]) -> str | None:
    """What seeds the draws, or None when there is no seed: then every answer is another.

    Not the seed alone: two different requests with one seed should not slip in step.
    """
    seed = body.get("seed")
    if seed is None:
        return None
    return f"{seed}/{hashlib.sha256(json.dumps(body['messages']).encode()).hexdigest()}"


def answer_to(body: dict[str, Any], model: Profile, key: str | None) -> Answered:
    """`body` in the chat-completions shape, checked."""
    rng = random.Random(secrets.randbits(64) if key is None else key)
    given = {name: body[name] for name in RANGES if body.get(name) is not None}
    text = answer(read_request(body), model, Sampler(Settings(**given), rng))
    stops = body.get("stop") or []
    found = [
        (text.index(s), s) for s in ([stops] if isinstance(stops, str) else stops) if s in text
    ]
    at, stop = min(found, default=(len(text), None))
    words = [piece for piece in pieces_of(text[:at]) if piece.strip()]
    limit = body.get("max_completion_tokens") or body.get("max_tokens")
    if limit is not None and len(words) > limit:
        return Answered("".join(words[:limit]), "length", None)
    return Answered(text[:at], "stop", stop)


def fault_of(request: web.Request) -> Fault | None:
    return request.app[FAULTS].for_request(request.headers.get(HEADER))


async def go_wrong(
    request: web.Request, fault: Fault | None, error: ErrorShape
) -> web.StreamResponse | None:
    """The faulty answer, or None for a fault that comes later, or only takes time."""
    if fault is None:
        return None
    if fault.kind == "slow":
        await asyncio.sleep(fault.value / 1000)
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


async def take_time(pace: float, model: Profile, tokens: int) -> None:
    """A first wait that varies log-normally from call to call, then so much a token."""
    if pace > 0:
        first = model.first_token_ms * random.lognormvariate(0, 0.25)
        await asyncio.sleep(pace * (first + model.ms_per_token * tokens) / 1000)
