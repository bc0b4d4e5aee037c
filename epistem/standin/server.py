"""The service over HTTP."""

from __future__ import annotations

import asyncio
import struct
from base64 import b64encode
from typing import Any

from aiohttp import web

from epistem.standin import chat, messages
from epistem.standin.asking import FAULTS, PACE, body_of
from epistem.standin.checking import Refused, checked_texts
from epistem.standin.embedding import PLACES, embed
from epistem.standin.faults import FaultPlan
from epistem.standin.profiles import profiles
from epistem.standin.words import pieces

MAX_BODY_BYTES = 16_000_000
MESSAGES = "/v1/messages"


def make_app(*, pace: float = 1.0) -> web.Application:
    """`pace` scales every delay; 0 answers at once."""
    app = web.Application(client_max_size=MAX_BODY_BYTES, middlewares=[_told_in_the_usual_shape])
    app[PACE] = pace
    app[FAULTS] = FaultPlan()
    app.router.add_post("/v1/chat/completions", chat.chat_completions)
    app.router.add_post(MESSAGES, messages.messages)
    app.router.add_post("/v1/embeddings", _embeddings)
    app.router.add_get("/v1/models", _models)
    return app


@web.middleware
async def _told_in_the_usual_shape(request: web.Request, handler: Any) -> web.StreamResponse:
    error = messages.error if request.path == MESSAGES else chat.error
    try:
        response: web.StreamResponse = await handler(request)
        return response
    except Refused as refused:
        return error(refused.status, refused.message, refused.param, refused.code)
    except web.HTTPException as failed:
        return error(failed.status, failed.reason or "not found", None, "http_error")


async def _models(request: web.Request) -> web.Response:
    data = [
        {"id": p.name, "object": "model", "created": p.created, "owned_by": "stand-in"}
        for p in profiles().values()
    ]
    return web.json_response({"object": "list", "data": data})


async def _embeddings(request: web.Request) -> web.Response:
    body = await body_of(request)
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


def serve(port: int, *, pace: float = 1.0, host: str = "127.0.0.1") -> None:
    """Run until stopped."""
    import uvloop

    asyncio.set_event_loop_policy(uvloop.EventLoopPolicy())
    web.run_app(make_app(pace=pace), host=host, port=port, print=lambda *_: None, access_log=None)
