"""The service over HTTP, in the chat-completions format."""

from __future__ import annotations

import asyncio
import hashlib
import json
import random
import secrets
import time
from typing import Any

from aiohttp import web

from epistem.standin.answering import Sampling, answer
from epistem.standin.profiles import Profile, profiles
from epistem.standin.reading import read_request, text_of
from epistem.standin.words import pieces

MAX_BODY_BYTES = 16_000_000
ROLES = ("system", "developer", "user", "assistant", "tool")
_PACE = web.AppKey("pace", float)


class Refused(Exception):
    """A request that can't be answered: status, message, and the field it lies with."""

    def __init__(self, status: int, message: str, param: str | None, code: str) -> None:
        super().__init__(message)
        self.status, self.message, self.param, self.code = status, message, param, code


def make_app(*, pace: float = 1.0) -> web.Application:
    """`pace` scales every delay; 0 answers at once."""
    app = web.Application(client_max_size=MAX_BODY_BYTES, middlewares=[_told_in_the_usual_shape])
    app[_PACE] = pace
    app.router.add_post("/v1/chat/completions", _chat_completions)
    app.router.add_get("/v1/models", _models)
    return app


@web.middleware
async def _told_in_the_usual_shape(request: web.Request, handler: Any) -> web.StreamResponse:
    try:
        response: web.StreamResponse = await handler(request)
        return response
    except Refused as refused:
        return _error(refused.status, refused.message, refused.param, refused.code)
    except web.HTTPException as error:
        return _error(error.status, error.reason or "not found", None, "http_error")


def _error(status: int, message: str, param: str | None, code: str) -> web.Response:
    kind = "invalid_request_error" if status < 500 else "server_error"
    body = {"error": {"message": message, "type": kind, "param": param, "code": code}}
    return web.json_response(body, status=status)


async def _models(request: web.Request) -> web.Response:
    data = [
        {"id": p.name, "object": "model", "created": p.created, "owned_by": "stand-in"}
        for p in profiles().values()
    ]
    return web.json_response({"object": "list", "data": data})


async def _chat_completions(request: web.Request) -> web.Response:
    try:
        body = json.loads(await request.read())
    except ValueError as error:
        raise Refused(400, f"The body is not JSON: {error}.", None, "invalid_json") from error
    model = _checked(body)
    seed = body.get("seed")
    # Not the seed alone: two different requests with one seed should not slip in step.
    key = f"{seed}/{hashlib.sha256(json.dumps(body['messages']).encode()).hexdigest()}"
    rng = random.Random(key if seed is not None else secrets.randbits(64))
    temperature = body.get("temperature")
    sampling = Sampling(1.0 if temperature is None else float(temperature), rng)
    text = answer(read_request(body), model, sampling)

    limit = body.get("max_completion_tokens") or body.get("max_tokens")
    text, count, finish = _cut(text, limit)
    await _take_time(request.app[_PACE], model, count)
    asked = sum(len(pieces(text_of(m.get("content")))) + 3 for m in body["messages"])
    return web.json_response(
        {
            "id": f"chatcmpl-{hashlib.sha256(key.encode()).hexdigest()[:24]}"
            if seed is not None
            else f"chatcmpl-{secrets.token_hex(12)}",
            "object": "chat.completion",
            "created": model.created if seed is not None else int(time.time()),
            "model": model.name,
            "choices": [
                {
                    "index": 0,
                    "message": {"role": "assistant", "content": text},
                    "finish_reason": finish,
                }
            ],
            "usage": {
                "prompt_tokens": asked,
                "completion_tokens": count,
                "total_tokens": asked + count,
            },
        }
    )


async def _take_time(pace: float, model: Profile, tokens: int) -> None:
    """A first wait that varies log-normally from call to call, then so much a token."""
    if pace > 0:
        first = model.first_token_ms * random.lognormvariate(0, 0.25)
        await asyncio.sleep(pace * (first + model.ms_per_token * tokens) / 1000)


def _cut(text: str, limit: int | None) -> tuple[str, int, str]:
    """The text within `limit` tokens, how many it has, and why it ended."""
    count = len(pieces(text))
    if limit is None or count <= limit:
        return text, count, "stop"
    kept = pieces(text)[:limit]
    end = 0
    for piece in kept:
        end = text.index(piece, end) + len(piece)
    return text[:end], limit, "length"


_RANGES: dict[str, tuple[float, float]] = {
    "temperature": (0, 2),
    "top_p": (0, 1),
    "frequency_penalty": (-2, 2),
    "presence_penalty": (-2, 2),
}


def _checked(body: Any) -> Profile:
    """The model asked for. Raises Refused naming the first wrong field; unknown ones are ignored."""
    if not isinstance(body, dict):
        raise Refused(400, "The body must be an object.", None, "invalid_type")
    name = body.get("model")
    if not isinstance(name, str):
        raise Refused(400, "`model` must be a string.", "model", "invalid_type")
    if name not in profiles():
        known = ", ".join(profiles())
        raise Refused(
            404, f"There is no model `{name}`. There are {known}.", "model", "model_not_found"
        )
    messages = body.get("messages")
    if not isinstance(messages, list) or not messages:
        raise Refused(
            400, "`messages` must be a list that is not empty.", "messages", "invalid_type"
        )
    for at, message in enumerate(messages):
        if not isinstance(message, dict) or message.get("role") not in ROLES:
            raise Refused(
                400,
                f"`role` must be one of {', '.join(ROLES)}.",
                f"messages[{at}].role",
                "invalid_value",
            )
        if not isinstance(message.get("content", ""), str | list | None):
            raise Refused(400, "`content` must be text.", f"messages[{at}].content", "invalid_type")
    for field, (low, high) in _RANGES.items():
        value = body.get(field)
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if value is not None and not (number and low <= value <= high):
            raise Refused(
                400, f"`{field}` must be from {low:g} to {high:g}.", field, "invalid_value"
            )
    for field in ("max_tokens", "max_completion_tokens"):
        value = body.get(field)
        if value is not None and not (isinstance(value, int) and value >= 1):
            raise Refused(400, f"`{field}` must be a whole number from 1.", field, "invalid_value")
    seed = body.get("seed")
    if seed is not None and (not isinstance(seed, int) or isinstance(seed, bool)):
        raise Refused(400, "`seed` must be a whole number.", "seed", "invalid_type")
    wanted = body.get("response_format")
    if wanted is not None and not (
        isinstance(wanted, dict) and wanted.get("type") in ("text", "json_object", "json_schema")
    ):
        raise Refused(
            400, "`response_format.type` is not known.", "response_format", "invalid_value"
        )
    if body.get("stream"):
        raise Refused(
            400, "Streaming is not offered yet; leave `stream` out.", "stream", "unsupported"
        )
    return profiles()[name]


def serve(port: int, *, pace: float = 1.0, host: str = "127.0.0.1") -> None:
    """Run until stopped."""
    import uvloop

    asyncio.set_event_loop_policy(uvloop.EventLoopPolicy())
    web.run_app(make_app(pace=pace), host=host, port=port, print=lambda *_: None, access_log=None)
