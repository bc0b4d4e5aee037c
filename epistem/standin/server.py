"""The service over HTTP, in the chat-completions format."""

from __future__ import annotations

import asyncio
import hashlib
import json
import random
import secrets
import struct
import time
from base64 import b64encode
from typing import Any

from aiohttp import web

from epistem.standin.answering import answer
from epistem.standin.checking import RANGES, Refused, checked, checked_texts, fits_window
from epistem.standin.embedding import PLACES, embed
from epistem.standin.faults import ERRORS, HEADER, Fault, FaultPlan
from epistem.standin.profiles import Profile, profiles
from epistem.standin.reading import read_request, text_of
from epistem.standin.sampler import Sampler, Settings
from epistem.standin.streaming import pieces_of, stream
from epistem.standin.words import pieces

MAX_BODY_BYTES = 16_000_000
_PACE = web.AppKey("pace", float)
_FAULTS = web.AppKey("faults", FaultPlan)


def make_app(*, pace: float = 1.0) -> web.Application:
    """`pace` scales every delay; 0 answers at once."""
    app = web.Application(client_max_size=MAX_BODY_BYTES, middlewares=[_told_in_the_usual_shape])
    app[_PACE] = pace
    app[_FAULTS] = FaultPlan()
    app.router.add_post("/v1/chat/completions", _chat_completions)
    app.router.add_post("/v1/embeddings", _embeddings)
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


async def _body_of(request: web.Request) -> Any:
    try:
        return json.loads(await request.read())
    except (ValueError, RecursionError) as error:
        raise Refused(400, f"The body is not JSON: {error}.", None, "invalid_json") from error


async def _embeddings(request: web.Request) -> web.Response:
    body = await _body_of(request)
    model, texts, places = checked_texts(body)
    data: list[dict[str, Any]] = []
    for index, text in enumerate(texts):
        vector: Any = embed(text, places or PLACES)
        if body.get("encoding_format") == "base64":
            vector = b64encode(struct.pack(f"<{len(vector)}f", *vector)).decode("ascii")
        data.append({"object": "embedding", "index": index, "embedding": vector})
    tokens = sum(len(pieces(text)) for text in texts)
    usage = {"prompt_tokens": tokens, "total_tokens": tokens}
    return web.json_response({"object": "list", "model": model.name, "data": data, "usage": usage})


async def _chat_completions(request: web.Request) -> web.StreamResponse:
    fault = request.app[_FAULTS].for_request(request.headers.get(HEADER))
    if fault is not None and (gone_wrong := await _go_wrong(request, fault)) is not None:
        return gone_wrong
    body = await _body_of(request)
    model = checked(body)
    asked = sum(len(pieces(text_of(m.get("content")))) + 3 for m in body["messages"])
    fits_window(model, asked)

    seed = body.get("seed")
    # Not the seed alone: two different requests with one seed should not slip in step.
    key = f"{seed}/{hashlib.sha256(json.dumps(body['messages']).encode()).hexdigest()}"
    answers = [
        _answer(body, model, None if seed is None else key if at == 0 else f"{key}/{at}")
        for at in range(body.get("n") or 1)
    ]
    tokens = [len(pieces(text)) for text, _ in answers]
    usage = {
        "prompt_tokens": asked,
        "completion_tokens": sum(tokens),
        "total_tokens": asked + sum(tokens),
    }
    digest = hashlib.sha256(key.encode()).hexdigest() if seed is not None else secrets.token_hex(16)
    frame = {
        "id": f"chatcmpl-{digest[:24]}",
        "object": "chat.completion",
        "created": model.created if seed is not None else int(time.time()),
        "model": model.name,
    }
    pace = request.app[_PACE]
    if body.get("stream"):
        await _take_time(pace, model, 0)
        wanted = bool((body.get("stream_options") or {}).get("include_usage"))
        frame["object"] = "chat.completion.chunk"
        return await stream(
            request, frame, answers, usage if wanted else None,
            wait_s=pace * model.ms_per_token / 1000, fault=fault,
        )  # fmt: skip
    await _take_time(pace, model, max(tokens))
    choices = [
        {
            "index": index,
            "message": {"role": "assistant", "content": text},
            "finish_reason": finish,
        }
        for index, (text, finish) in enumerate(answers)
    ]
    whole = json.dumps({**frame, "choices": choices, "usage": usage})
    if fault is not None and fault.kind == "cut":
        whole = whole[: len(whole) // 2]
    return web.Response(text=whole, content_type="application/json")


def _answer(body: dict[str, Any], model: Profile, key: str | None) -> tuple[str, str]:
    """The text and why it ended: `stop`, or `length` when max_tokens cut it."""
    rng = random.Random(secrets.randbits(64) if key is None else key)
    given = {name: body[name] for name in RANGES if body.get(name) is not None}
    text = answer(read_request(body), model, Sampler(Settings(**given), rng))
    stops = body.get("stop") or []
    for stop in [stops] if isinstance(stops, str) else stops:
        text = text.split(stop, 1)[0]
    return _cut(text, body.get("max_completion_tokens") or body.get("max_tokens"))


async def _go_wrong(request: web.Request, fault: Fault) -> web.StreamResponse | None:
    """The faulty answer, or None for a fault that comes later, or only takes time."""
    if fault.kind == "slow":
        await asyncio.sleep(fault.value / 1000)
    elif fault.kind == "status":
        status = int(fault.value)
        message, code = ERRORS.get(status, ("It could not be done.", "error"))
        response = _error(status, message, None, code)
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


async def _take_time(pace: float, model: Profile, tokens: int) -> None:
    """A first wait that varies log-normally from call to call, then so much a token."""
    if pace > 0:
        first = model.first_token_ms * random.lognormvariate(0, 0.25)
        await asyncio.sleep(pace * (first + model.ms_per_token * tokens) / 1000)


def _cut(text: str, limit: int | None) -> tuple[str, str]:
    """The text within `limit` tokens, and why it ended."""
    kept = pieces_of(text)
    words = [piece for piece in kept if piece.strip()]
    if limit is None or len(words) <= limit:
        return text, "stop"
    return "".join(words[:limit]), "length"


def serve(port: int, *, pace: float = 1.0, host: str = "127.0.0.1") -> None:
    """Run until stopped."""
    import uvloop

    asyncio.set_event_loop_policy(uvloop.EventLoopPolicy())
    web.run_app(make_app(pace=pace), host=host, port=port, print=lambda *_: None, access_log=None)
