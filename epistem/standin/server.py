"""The service over HTTP."""

from __future__ import annotations

import asyncio
import struct
from base64 import b64encode
from collections.abc import AsyncIterator
from functools import partial
from typing import Any

from aiohttp import web

from epistem.core.wire import tokens
from epistem.standin import chat, messages
from epistem.standin.asking import SERVICE, Service, body_of
from epistem.standin.bookings import make_bookings
from epistem.standin.checking import Refused, checked_texts, known_model
from epistem.standin.embedding import PLACES, embed
from epistem.standin.profiles import Profile, profiles
from epistem.standin.turns import CallerLeft

MAX_BODY_BYTES = 16_000_000
MOST_KNOCKING = 2_048
"""Connections that may wait to be taken: one that finds no room there tries again after a second and more."""
MESSAGES = "/v1/messages"


def make_app(*, pace: float = 1.0, key: str | None = None) -> web.Application:
    """`pace` scales every delay; 0 answers at once. With a `key` set, only who sends it is answered."""
    app = web.Application(client_max_size=MAX_BODY_BYTES, middlewares=[_told_in_the_usual_shape])
    app[SERVICE] = Service(pace, key)
    app.router.add_post("/v1/chat/completions", chat.chat_completions)
    app.router.add_post(MESSAGES, messages.messages)
    app.router.add_post(f"{MESSAGES}/count_tokens", messages.count_tokens)
    app.router.add_post("/v1/embeddings", _embeddings)
    app.router.add_get("/v1/models", _models)
    app.router.add_get("/v1/models/{name}", _model)
    return app


@web.middleware
async def _told_in_the_usual_shape(request: web.Request, handler: Any) -> web.StreamResponse:
    error = messages.error if request.path.startswith(MESSAGES) else chat.error
    try:
        _check_key(request)
        response: web.StreamResponse = await handler(request)
        return response
    except CallerLeft:
        return web.Response()  # which nobody reads
    except Refused as refused:
        return error(refused.status, refused.message, refused.param, refused.code)
    except web.HTTPException as failed:
        return error(failed.status, failed.reason or "not found", None, "http_error")


def _check_key(request: web.Request) -> None:
    wanted = request.app[SERVICE].key
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if wanted is not None and wanted not in (given, request.headers.get("x-api-key")):
        raise Refused(401, "The key is missing or wrong.", None, "invalid_api_key")


async def _models(request: web.Request) -> web.Response:
    return web.json_response({"object": "list", "data": [_entry(p) for p in profiles().values()]})


async def _model(request: web.Request) -> web.Response:
    name = request.match_info["name"]
    return web.json_response(_entry(known_model({"model": name})))


def _entry(profile: Profile) -> dict[str, Any]:
    """Window and price stand beside the usual fields."""
    return {
        "id": profile.name,
        "object": "model",
        "created": profile.created,
        "owned_by": "stand-in",
        "context_window": profile.window,
        "input_cents_per_million": profile.input_cents,
        "output_cents_per_million": profile.output_cents,
        "description": profile.about,
    }


async def _embeddings(request: web.Request) -> web.Response:
    body = await body_of(request)
    async with request.app[SERVICE].turns.of(request):
        return _embedded(body)


def _embedded(body: Any) -> web.Response:
    model, texts, places = checked_texts(body)
    data: list[dict[str, Any]] = []
    for index, text in enumerate(texts):
        vector: Any = embed(text, places or PLACES)
        if body.get("encoding_format") == "base64":
            vector = b64encode(struct.pack(f"<{len(vector)}f", *vector)).decode("ascii")
        data.append({"object": "embedding", "index": index, "embedding": vector})
    counted = sum(tokens.count(text) for text in texts)
    usage = {"prompt_tokens": counted, "total_tokens": counted}
    return web.json_response({"object": "list", "model": model.name, "data": data, "usage": usage})


def serve(
    port: int,
    *,
    pace: float = 1.0,
    key: str | None = None,
    host: str = "127.0.0.1",
    bookings: int | None = None,
) -> None:
    """Run until stopped; with a port for `bookings` that service, too."""
    import uvloop

    asyncio.set_event_loop_policy(uvloop.EventLoopPolicy())
    app = make_app(pace=pace, key=key)
    if bookings is not None:
        app.cleanup_ctx.append(partial(_beside, host, bookings))
    web.run_app(
        app,
        host=host,
        port=port,
        backlog=MOST_KNOCKING,
        print=lambda *_: None,
        access_log=None,
    )


async def _beside(host: str, port: int, _: web.Application) -> AsyncIterator[None]:
    """The other service, while this one runs. Several may share the port, as they all answer the same; where it is
    taken by something else, only bookings are not to be had."""
    runner = web.AppRunner(make_bookings(), access_log=None)
    await runner.setup()
    try:
        await web.TCPSite(runner, host, port, reuse_port=True).start()
    except OSError as error:
        print(f"No bookings: {error}", flush=True)
    yield
    await runner.cleanup()
